"""Ratios of bringing in a log: this program against the database shell's own import of the same file, in one run.

    cargo build --release && python3 reference/speed_import.py [ROWS]

Prints the time of a day at five a second (432,000 rows of time, volts and amps), that of the shell, and their ratio; how long the page of that day takes to
open the first and the second time; then the same of ROWS rows (10,000,000 without), with the memory of the process before, at most and after.
"""

import os
import re
import subprocess
import sys
import tempfile
import threading
import time
from datetime import datetime, timedelta, timezone
from pathlib import Path

import requests

ROOT = Path(__file__).parent.parent
PROGRAM = ROOT / "target" / "release" / "flindo"


def write_file(path, rows, step_s):
    """Rows of a panel's volts and amps, from six in the morning on."""
    begin = datetime(2026, 9, 12, 0, 0, tzinfo=timezone.utc)
    with path.open("w") as out:
        out.write("time_utc,voltage_v,current_a\n")
        for nth in range(rows):
            at = begin + timedelta(seconds=nth * step_s)
            out.write(f"{at:%Y-%m-%dT%H:%M:%S}.{at.microsecond // 1000:03d}Z,{18 + nth % 97 / 100:.2f},{5 + nth % 53 / 50:.2f}\n")


def memory_mb(pid):
    status = Path(f"/proc/{pid}/status").read_text()
    return int(re.search(r"VmRSS:\s+(\d+)", status).group(1)) / 1024


def shell_s(path, folder):
    begin = time.perf_counter()
    subprocess.run(["sqlite3", str(folder / "shell.db"), ".mode csv", f".import {path} samples"], check=True)
    return time.perf_counter() - begin


def import_s(url, path, pid):
    most, ended = [memory_mb(pid)], threading.Event()

    def watch():
        while not ended.wait(0.05):
            most.append(memory_mb(pid))

    watching = threading.Thread(target=watch)
    watching.start()
    begin = time.perf_counter()
    with path.open("rb") as file:
        answer = requests.post(f"{url}/api/v1/logs", files={"file": file}, data={"tilt_deg": 30, "azimuth_deg": 180}, timeout=3600)
    took = time.perf_counter() - begin
    ended.set()
    watching.join()
    answer.raise_for_status()
    return took, answer.json(), max(most)


def main():
    rows = int(sys.argv[1]) if len(sys.argv) > 1 else 10_000_000
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        port = 8798
        server = subprocess.Popen([PROGRAM, "--data", folder / "speed.bench", "--listen", f"127.0.0.1:{port}", "--daily-copies", "0"], stdout=subprocess.PIPE, env={**os.environ, "RUST_LOG": "off"})
        server.stdout.readline()
        url = f"http://127.0.0.1:{port}"
        place = {"name": "Yard", "lat_deg": 38.6, "lon_deg": -7.9, "elevation_m": 300, "time_zone": "Europe/Lisbon", "ground": "soil", "clarity": "clear", "coldest_c": -4, "hottest_c": 42}
        requests.post(f"{url}/api/v1/places", json=place, timeout=60).raise_for_status()
        day = folder / "day.csv"
        write_file(day, 432_000, 0.2)
        there = min(shell_s(day, Path(tempfile.mkdtemp(dir=folder))) for _ in range(3))
        here, answer, _ = import_s(url, day, server.pid)
        print(f"a day at 5 per second: {here:.2f} s here, {there:.2f} s in the database shell, ratio {here / there:.2f}")
        log = answer["id"]
        for what in ("first", "second"):
            begin = time.perf_counter()
            requests.get(f"{url}/logs/{log}?day=2026-09-12", timeout=60).raise_for_status()
            print(f"its page, opened the {what} time: {1000 * (time.perf_counter() - begin):.0f} ms")
        begin = time.perf_counter()
        requests.get(f"{url}/logs/{log}/chart?from=1789214400000&to=1789214460000", timeout=60).raise_for_status()
        print(f"a minute of it, sample by sample: {1000 * (time.perf_counter() - begin):.0f} ms")
        long = folder / "long.csv"
        write_file(long, rows, 1.0)
        before = memory_mb(server.pid)
        here, _, most = import_s(url, long, server.pid)
        print(f"{rows} rows: {here:.1f} s, {rows / here / 1e6:.2f} million a second; memory {before:.0f} MB before, {most:.0f} MB at most, {memory_mb(server.pid):.0f} MB after")
        server.terminate()
        server.wait()


main()
