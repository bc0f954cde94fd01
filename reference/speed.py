"""Prints how long the sky takes here and in a general-purpose PV reference library, as ratios, in one run on one core.

    pip install -r reference/requirements.txt && taskset -c 0 python3 reference/speed.py
"""

import re
import statistics
import subprocess
import time
from pathlib import Path

import numpy as np
import pandas as pd
from pvlib import atmosphere, clearsky, irradiance, solarposition

ROOT = Path(__file__).parent.parent
LAT, LON, ELEVATION = 38.6, -7.9, 300
UNITS = {"ns": 1e-9, "µs": 1e-6, "ms": 1e-3, "s": 1.0}


def ours(bench):
    """Medians of `cargo bench`, in seconds, by name."""
    out = subprocess.run(["cargo", "bench", "-p", "flindo-core", "--bench", bench], cwd=ROOT, capture_output=True, text=True, check=True).stdout
    rows = re.findall(r"[├╰]─ (\w+)\s+[\d.]+ \S+\s+│ [\d.]+ \S+\s+│ ([\d.]+) (\S+)", out)
    return {name: float(value) * UNITS[unit] for name, value, unit in rows}


def median_s(run, times=7):
    run()
    took = []
    for _ in range(times):
        start = time.perf_counter()
        run()
        took.append(time.perf_counter() - start)
    return statistics.median(took)


def theirs():
    times = pd.date_range("2026-01-01 00:30", periods=8760, freq="h", tz="UTC")
    pressure = atmosphere.alt2pres(ELEVATION)

    def position():
        return solarposition.spa_python(times, LAT, LON, altitude=ELEVATION, pressure=pressure, temperature=12, delta_t=67.0)

    seen = position()
    zenith, azimuth = seen.apparent_zenith.to_numpy(), seen.azimuth.to_numpy()
    relative = atmosphere.get_relative_airmass(zenith)
    extra = irradiance.get_extra_radiation(times).to_numpy()
    sky = clearsky.ineichen(zenith, atmosphere.get_absolute_airmass(relative, pressure), 3.0, ELEVATION, extra)

    def onto(tilt):
        beam = sky["dni"] * np.maximum(irradiance.aoi_projection(tilt, 180, zenith, azimuth), 0)
        diffuse = irradiance.perez(tilt, 180, sky["dhi"], sky["dni"], extra, zenith, azimuth, relative)
        return beam + diffuse + irradiance.get_ground_diffuse(tilt, sky["ghi"], 0.2)

    def year():
        position()
        return [onto(tilt) for tilt in range(0, 95, 5)]

    return {"sun_position": median_s(position) / 8760, "one_row_onto_a_plane": median_s(lambda: onto(35)) / 8760, "year_of_hours_by_19_tilts": median_s(year)}


def main():
    here, there = ours("year"), theirs()
    print(f"{'work':30} {'here':>12} {'library':>12} {'ratio':>8}")
    for name, library in there.items():
        print(f"{name:30} {here[name] * 1e6:10.3f} us {library * 1e6:10.3f} us {library / here[name]:8.1f}")


if __name__ == "__main__":
    main()
