"""Prints how long the sky takes here and in a general-purpose PV reference library, as ratios, in one run on one core.

    pip install -r reference/requirements.txt && taskset -c 0 python3 reference/speed.py
"""

import re
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
    """The fastest of each of `cargo bench`, in seconds, by name; where a bench has arguments, by `name/argument`."""
    out = subprocess.run(["cargo", "bench", "-p", "flindo-core", "--bench", bench], cwd=ROOT, capture_output=True, text=True, check=True).stdout
    found, parent = {}, ""
    for line in out.splitlines():
        row = re.match(r"([│ ] +)?[├╰]─ (\S+)\s+(?:([\d.]+) (\S+))?\s*│", line)
        if not row:
            continue
        within, name, value, unit = row.groups()
        if value is None:
            parent = name
        else:
            found[f"{parent}/{name}" if within else name] = float(value) * UNITS[unit]
    return found


def fastest_s(run, times=7):
    run()
    took = []
    for _ in range(times):
        start = time.perf_counter()
        run()
        took.append(time.perf_counter() - start)
    return min(took)


def beside(theirs, *benches):
    """What the benches take, and what the other side does: asked before and after, because a machine changes its pace within minutes."""
    before = theirs()
    here = {name: took_s for bench in benches for name, took_s in ours(bench).items()}
    after = theirs()
    return here, {name: min(before[name], after[name]) for name in before}


def theirs():
    pressure = atmosphere.alt2pres(ELEVATION)

    def work(freq):
        times = pd.date_range("2026-01-01", periods=round(pd.Timedelta(days=365) / pd.Timedelta(freq)), freq=freq, tz="UTC") + pd.Timedelta(freq) / 2

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

        return position, onto, year, len(times)

    position, onto, year, rows = work("1h")
    minutes = work("1min")[2]
    return {
        "sun": fastest_s(position) / rows,
        "row": fastest_s(lambda: onto(35)) / rows,
        "year": fastest_s(year),
        "minutes": fastest_s(minutes, 1),
    }


def main():
    here, there = beside(theirs, "year")
    hours = 8760
    rows = [
        ("sun, of a year of hours", here["suns_of_a_year/3600"] / hours, there["sun"], 80),
        ("sun, alone, by the whole algorithm", here["sun_position_alone"], there["sun"], None),
        ("row onto a plane, Perez, three parts", here["rows_onto_a_plane"] / 1000, there["row"], 10),
        ("year of hours x 19 tilts, nodes at hand", here["year_of_hours_by_19_tilts"], there["year"], 35),
        ("the same without nodes", here["year_of_hours_by_19_tilts_without_nodes"], there["year"], 18),
        ("year of minutes x 19 tilts", here["year_of_steps_by_19_tilts/60"], there["minutes"], None),
    ]
    print(f"{'work':42} {'here':>14} {'library':>14} {'ratio':>8} {'wanted':>8}")
    for name, ours_s, theirs_s, wanted in rows:
        print(f"{name:42} {ours_s * 1e6:11.3f} us {theirs_s * 1e6:11.3f} us {theirs_s / ours_s:8.1f} {wanted or '':>8}")
    print("\nten times as much takes so many times as long")
    print(f"suns: {here['suns_of_a_year/360'] / here['suns_of_a_year/3600']:.1f}")
    print(f"rows of a year x 19 tilts: {here['year_of_steps_by_19_tilts/60'] / here['year_of_steps_by_19_tilts/6']:.1f}")


if __name__ == "__main__":
    main()
