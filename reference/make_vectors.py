"""Makes the check values of crates/core/tests/reference from a general-purpose PV reference library.

    pip install -r reference/requirements.txt && python3 reference/make_vectors.py

Cases are drawn with a seed, so the same versions give the same files; the passport records versions and checksums.
"""

import csv
import hashlib
import json
import platform
import random
from pathlib import Path

import numpy as np
import pandas as pd
import pvlib
from pvlib import atmosphere, clearsky, iam, irradiance, solarposition, temperature

OUT = Path(__file__).parent.parent / "crates" / "core" / "tests" / "reference"
DRAW = random.Random(20261124)
# Southern hemisphere, tropics, polar, high altitude, and the places between.
PLACES = [(38.6, -7.9, 300), (-33.9, 18.4, 40), (0.0, 36.8, 1700), (69.7, 18.9, 10), (-77.8, 166.7, 20), (27.9, 86.9, 5200),
          (-16.5, -68.1, 3640), (33.4, -112.0, 340), (43.6, -70.3, 20), (-45.0, 170.5, 5), (52.5, 13.4, 34), (1.3, 103.8, 15)]


def write(name, header, rows):
    with open(OUT / f"{name}.csv", "w", newline="") as file:
        writer = csv.writer(file, lineterminator="\n")
        writer.writerow(header)
        writer.writerows([[repr(float(cell)) if not isinstance(cell, str) else cell for cell in row] for row in rows])


def moments(count):
    """Unix seconds and a place, over 1990 to 2040."""
    for index in range(count):
        lat, lon, elevation = PLACES[index % len(PLACES)]
        yield DRAW.randrange(631152000, 2208988800), lat + DRAW.uniform(-3, 3) * (abs(lat) < 80), lon, elevation


def sun():
    rows = []
    for unix_s, lat, lon, elevation in moments(72):
        pressure, air = DRAW.uniform(50000, 104000), DRAW.uniform(-30, 45)
        time = pd.DatetimeIndex([pd.Timestamp(unix_s, unit="s", tz="UTC")])
        seen = solarposition.spa_python(time, lat, lon, altitude=elevation, pressure=pressure, temperature=air, delta_t=67.0).iloc[0]
        rows.append([unix_s, lat, lon, elevation, pressure, air, seen.zenith, seen.apparent_zenith, seen.azimuth, seen.equation_of_time])
    write("sun", ["unix_s", "lat_deg", "lon_deg", "elevation_m", "pressure_pa", "temperature_c", "zenith_true_deg", "zenith_apparent_deg", "azimuth_deg", "equation_of_time_min"], rows)


def clear_sky():
    rows = []
    while len(rows) < 60:
        unix_s, lat, lon, elevation = next(MOMENTS)
        turbidity = DRAW.uniform(1.5, 7)
        time = pd.DatetimeIndex([pd.Timestamp(unix_s, unit="s", tz="UTC")])
        pressure = atmosphere.alt2pres(elevation)
        zenith = solarposition.spa_python(time, lat, lon, altitude=elevation, pressure=pressure, temperature=12, delta_t=67.0).apparent_zenith.iloc[0]
        if zenith > 88:
            continue
        relative = float(atmosphere.get_relative_airmass(zenith))
        absolute = atmosphere.get_absolute_airmass(relative, pressure)
        extra = float(irradiance.get_extra_radiation(time).iloc[0])
        sky = clearsky.ineichen(zenith, absolute, turbidity, elevation, extra)
        rows.append([unix_s, lat, lon, elevation, turbidity, relative, absolute, extra, sky["ghi"], sky["dni"], sky["dhi"]])
    write("clear_sky", ["unix_s", "lat_deg", "lon_deg", "elevation_m", "linke_turbidity", "airmass_relative", "airmass_absolute", "dni_extra_w_m2", "ghi_w_m2", "dni_w_m2", "dhi_w_m2"], rows)


def split():
    rows = []
    for _ in range(60):
        zenith, day = DRAW.uniform(0, 95), DRAW.randrange(1, 367)
        ghi = max(0.0, 1366 * np.cos(np.radians(zenith)) * DRAW.uniform(0, 1.1)) if zenith < 90 else DRAW.uniform(0, 5)
        out = irradiance.erbs(ghi, zenith, day)
        rows.append([ghi, zenith, day, out["kt"], out["dni"], out["dhi"]])
    write("split", ["ghi_w_m2", "zenith_deg", "day_of_year", "kt", "dni_w_m2", "dhi_w_m2"], rows)


def plane():
    rows = []
    for index in range(150):
        tilt, azimuth = DRAW.choice([0, 10, 30, 45, 60, 90, 120]), DRAW.uniform(0, 360)
        zenith, sun_azimuth, day, albedo = DRAW.uniform(0, 93), DRAW.uniform(0, 360), DRAW.randrange(1, 367), DRAW.uniform(0, 0.9)
        extra = irradiance.get_extra_radiation(day)
        dni = DRAW.uniform(0, 1000) * DRAW.choice([0, 1, 1]) if zenith < 90 else 0.0
        dhi = DRAW.uniform(1, 400)
        ghi = dni * max(np.cos(np.radians(zenith)), 0) + dhi
        model = ["isotropic", "hay_davies", "perez"][index % 3]
        angles = (tilt, azimuth)
        if model == "isotropic":
            sky = irradiance.isotropic(tilt, dhi)
        elif model == "hay_davies":
            sky = irradiance.haydavies(*angles, dhi, dni, extra, zenith, sun_azimuth)
        else:
            sky = irradiance.perez(*angles, dhi, dni, extra, zenith, sun_azimuth, atmosphere.get_relative_airmass(zenith))
        aoi = irradiance.aoi(*angles, zenith, sun_azimuth)
        beam = dni * max(np.cos(np.radians(aoi)), 0)
        ground = irradiance.get_ground_diffuse(tilt, ghi, albedo)
        rows.append([tilt, azimuth, zenith, sun_azimuth, dni, ghi, dhi, day, albedo, model, aoi, beam, sky, ground])
    write("plane", ["tilt_deg", "azimuth_deg", "zenith_deg", "sun_azimuth_deg", "dni_w_m2", "ghi_w_m2", "dhi_w_m2", "day_of_year", "albedo", "model", "aoi_deg", "poa_beam_w_m2", "poa_sky_w_m2", "poa_ground_w_m2"], rows)


def incidence():
    rows = []
    for index in range(160):
        aoi = DRAW.uniform(0, 95)
        model = ["physical", "coated", "ashrae", "martin_ruiz"][index % 4]
        n, k, thickness, coating, b, a_r = DRAW.uniform(1.4, 1.6), DRAW.uniform(2, 10), DRAW.uniform(0.001, 0.004), DRAW.uniform(1.2, 1.35), DRAW.uniform(0.02, 0.1), DRAW.uniform(0.1, 0.25)
        value = {"physical": lambda: iam.physical(aoi, n, k, thickness), "coated": lambda: iam.physical(aoi, n, k, thickness, n_ar=coating),
                 "ashrae": lambda: iam.ashrae(aoi, b), "martin_ruiz": lambda: iam.martin_ruiz(aoi, a_r)}[model]()
        rows.append([aoi, model, n, k, thickness, coating, b, a_r, value])
    write("incidence", ["aoi_deg", "model", "n_glass", "k_per_m", "thickness_m", "n_coating", "b", "a_r", "iam"], rows)


def cell_temperature():
    rows = []
    for _ in range(50):
        poa, air, wind = DRAW.uniform(0, 1200), DRAW.uniform(-30, 45), DRAW.uniform(0, 15)
        a, b, delta = DRAW.uniform(-3.7, -2.8), DRAW.uniform(-0.12, -0.04), DRAW.uniform(0, 3.5)
        back = temperature.sapm_module(poa, air, wind, a, b)
        cell = temperature.sapm_cell(poa, air, wind, a, b, delta)
        rows.append([poa, air, wind, a, b, delta, temperature.faiman(poa, air, wind), back, cell])
    write("cell_temperature", ["poa_w_m2", "air_c", "wind_m_s", "a", "b", "delta_t_k", "faiman_c", "sandia_back_c", "sandia_cell_c"], rows)


def tilt_year():
    years = []
    for lat, lon, elevation, offset, azimuth in [(38.6, -7.9, 300, 0, 180), (-33.9, 18.4, 40, 2, 0), (1.3, 103.8, 15, 8, 180), (64.1, -21.9, 30, 0, 180)]:
        times = pd.date_range("2025-01-01 00:30", "2025-12-31 23:30", freq="h", tz=f"Etc/GMT{-offset:+d}" if offset else "UTC").tz_convert("UTC")
        pressure = atmosphere.alt2pres(elevation)
        seen = solarposition.spa_python(times, lat, lon, altitude=elevation, pressure=pressure, temperature=12, delta_t=67.0)
        zenith = seen.apparent_zenith
        relative = atmosphere.get_relative_airmass(zenith)
        extra = irradiance.get_extra_radiation(times)
        sky = clearsky.ineichen(zenith, atmosphere.get_absolute_airmass(relative, pressure), 3.0, elevation, extra)
        local = times + pd.Timedelta(hours=offset)

        def months(tilt):
            beam = sky["dni"] * np.maximum(irradiance.aoi_projection(tilt, azimuth, zenith, seen.azimuth), 0)
            diffuse = irradiance.perez(tilt, azimuth, sky["dhi"], sky["dni"], extra, zenith, seen.azimuth, relative).fillna(0)
            ground = irradiance.get_ground_diffuse(tilt, sky["ghi"], 0.2)
            total = (beam + diffuse + ground).fillna(0) / 1000
            return total.groupby(local.month).sum()

        tilts = list(range(0, 95, 15))
        monthly = [list(months(tilt)) for tilt in tilts]
        fine = np.arange(0, 90.5, 0.5)
        best = float(fine[int(np.argmax([months(tilt).sum() for tilt in fine]))])
        years.append({"lat_deg": lat, "lon_deg": lon, "elevation_m": elevation, "utc_offset_h": offset, "azimuth_deg": azimuth, "year": 2025,
                      "tilts_deg": tilts, "monthly_kwh_m2": monthly, "best_tilt_year_deg": best})
    rows = [[y["lat_deg"], y["lon_deg"], y["elevation_m"], y["utc_offset_h"], y["azimuth_deg"], y["year"], y["best_tilt_year_deg"], tilt, *months]
            for y in years for tilt, months in zip(y["tilts_deg"], y["monthly_kwh_m2"])]
    write("tilt_year", ["lat_deg", "lon_deg", "elevation_m", "utc_offset_h", "azimuth_deg", "year", "best_tilt_year_deg", "tilt_deg", *[f"month_{m}_kwh_m2" for m in range(1, 13)]], rows)


MOMENTS = moments(10_000)
OUT.mkdir(parents=True, exist_ok=True)
for make in (sun, clear_sky, split, plane, incidence, cell_temperature, tilt_year):
    make()
sums = {path.name: hashlib.sha256(path.read_bytes()).hexdigest() for path in sorted(OUT.glob("*.csv"))}
passport = {
    "generator": "reference/make_vectors.py, seed 20261124",
    "versions": {"pvlib": pvlib.__version__, "numpy": np.__version__, "pandas": pd.__version__, "python": platform.python_version()},
    "tolerance": {
        "sun": "0.001 degree, 0.002 min: the library and the crate carry the same published series; refraction and nutation are rounded differently",
        "clear_sky, split, plane, incidence": "0.1 % or 0.01 W/m2: the same equations; what differs is the position's last digits",
        "cell_temperature": "0.05 K: the same equations",
        "tilt_year": "0.1 % of a month and 0.5 degree of tilt: the library is searched in steps of 0.5 degree",
    },
    "sha256": sums,
}
(OUT / "passport.json").write_text(json.dumps(passport, indent=2) + "\n")
