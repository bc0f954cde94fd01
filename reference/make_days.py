"""Makes the check values of crates/core/tests/reference/days from a general-purpose PV reference library, scipy and pandas.

    pip install -r reference/requirements.txt && python3 reference/make_days.py DETECTOR_DATA_DIR

DETECTOR_DATA_DIR holds the two files with which the reference library tests its own clear-sky detector (tests/data of its source distribution).
Days of clouds are drawn with a seed, so the same versions give the same files; the passport records versions and checksums.
"""

import hashlib
import json
import platform
import sys
from io import StringIO
from pathlib import Path

import numpy as np
import pandas as pd
import pvlib
import scipy
from pvlib import clearsky
from pvlib.location import Location
from scipy.integrate import trapezoid

OUT = Path(__file__).parent.parent / "crates" / "core" / "tests" / "reference" / "days"
DRAW = np.random.default_rng(20261129)


def detector_files(folder):
    """The library's test data: measured, its clear sky, what it says, and what its detector finds."""
    rows = []
    for name, infer in [("detect_clearsky_data", False), ("detect_clearsky_threshold_data", False), ("detect_clearsky_threshold_data", True)]:
        text = (Path(folder) / f"{name}.csv").read_text().splitlines()
        data = pd.read_csv(StringIO("\n".join(line for line in text if not line.startswith("#"))))
        times = pd.DatetimeIndex(pd.to_datetime(data["Time (UTC)"], format="%m/%d/%Y %H:%M")).tz_localize("UTC")
        clear = Location(35.04, -106.62, altitude=1619).get_clearsky(times, linke_turbidity=2.658197, model="ineichen").ghi
        found = clearsky.detect_clearsky(data["GHI"].to_numpy(), clear, times=times, window_length=10, infer_limits=infer)
        for ghi, model, said, is_clear in zip(data["GHI"], clear, data["Clear or not"], found):
            # What the files say holds for the paper's own limits.
            rows.append(f"{name}_{int(infer)},1,{int(infer)},{ghi!r},{model!r},{'' if infer else int(said)},{int(is_clear)}")
    return rows


def cloudy_days():
    """Days at 1 and 5 minutes: clear mornings, passing clouds, thin cloud, a scale of its own."""
    rows = []
    for day in range(8):
        interval = 1 if day < 6 else 5
        times = pd.date_range(f"2026-0{day + 1}-15 06:00", periods=780 // interval, freq=f"{interval}min", tz="UTC")
        clear = Location(38.6, -7.9, altitude=300).get_clearsky(times, linke_turbidity=3.0, model="ineichen").ghi.to_numpy()
        share = np.ones(len(times))
        for _ in range(day):
            at, width = DRAW.integers(0, len(times)), DRAW.integers(2, 60 // interval + 3)
            share[at : at + width] *= DRAW.uniform(0.2, 0.97)
        noise = DRAW.normal(0, 0.4, len(times)) * (day % 3)
        clear = clear.round(3)
        measured = (clear * share * DRAW.uniform(0.93, 1.05) + noise).round(3)
        infer = interval > 1 or day % 2 == 1
        found = clearsky.detect_clearsky(measured, clear, times=times, infer_limits=infer)
        for ghi, model, is_clear in zip(measured, clear, found):
            rows.append(f"day_{day},{interval},{int(infer)},{float(ghi)!r},{float(model)!r},,{int(is_clear)}")
    return rows


def integrals():
    """Irregular samples, their integral by scipy, and the hourly means of pandas after a straight line through each second."""
    rows, sums = [], []
    for case in range(6):
        seconds = DRAW.uniform(1, 16 + 2 * case, 3000).cumsum().round(1)
        seconds = np.concatenate([[0], seconds[seconds < 4 * 3600 - 1], [4 * 3600]])
        watts = np.clip(400 * np.sin(np.pi * seconds / (4 * 3600)) + 60 * np.sin(seconds / 97.0) + DRAW.normal(0, 5, len(seconds)), 0, None).round(2)
        rows.extend(f"{case},{float(at)!r},{float(power)!r}" for at, power in zip(seconds, watts))
        fine = np.arange(0, 4 * 3600 + 0.05, 0.1)
        line = pd.Series(np.interp(fine, seconds, watts), index=pd.to_datetime(fine, unit="s"))
        hours = line.resample("1h").apply(lambda part: trapezoid(part.to_numpy(), dx=0.1) / 3600)
        sums.append([case, trapezoid(watts, seconds) / 3600, *[float(hour) for hour in hours[:4]]])
    return rows, [",".join(repr(float(x)) if i else str(x) for i, x in enumerate(row)) for row in sums]


OUT.mkdir(parents=True, exist_ok=True)
found = detector_files(sys.argv[1]) + cloudy_days()
(OUT / "clear_stretches.csv").write_text("series,interval_min,by_interval,measured_w_m2,clear_w_m2,said,is_clear\n" + "\n".join(found) + "\n")
samples, sums = integrals()
(OUT / "samples.csv").write_text("case,at_s,power_w\n" + "\n".join(samples) + "\n")
(OUT / "sums.csv").write_text("case,total_wh,hour_1_wh,hour_2_wh,hour_3_wh,hour_4_wh\n" + "\n".join(sums) + "\n")
passport = {
    "generator": "reference/make_days.py, seed 20261129",
    "versions": {"pvlib": pvlib.__version__, "scipy": scipy.__version__, "numpy": np.__version__, "pandas": pd.__version__, "python": platform.python_version()},
    "tolerance": {
        "clear_stretches": "98 % of the samples of each series: the same statistics; sums in another order decide at a limit",
        "sums": "1e-9 of the whole; hours 0.02 %: pandas sums a line through tenths of a second, whose last tenth belongs to the next hour",
    },
    "sha256": {path.name: hashlib.sha256(path.read_bytes()).hexdigest() for path in sorted(OUT.glob("*.csv"))},
}
(OUT / "passport.json").write_text(json.dumps(passport, indent=2) + "\n")
