"""Counts the instructions of the three kernels, as docs/speed.md keeps them; the same on any machine with the same compiler and C library.

    apt-get install valgrind && python3 reference/instructions.py
"""

import json
import re
import subprocess
from pathlib import Path

ROOT = Path(__file__).parent.parent
KERNELS = {"suns": ("a sun of a year of hours", 8760), "tilts": ("an hour on a tilt, of a clear year on 19", 8760 * 19), "shaded_curve": ("a shaded curve of 60 cells in 200 points", 1)}
TIMES = 10


def program():
    """Where cargo put the bench."""
    built = subprocess.run(["cargo", "bench", "-p", "flindo-core", "--bench", "kernels", "--no-run", "--message-format", "json"], cwd=ROOT, capture_output=True, text=True, check=True).stdout
    messages = (json.loads(line) for line in built.splitlines())
    return next(message["executable"] for message in messages if message.get("target", {}).get("name") == "kernels" and message.get("executable"))


def instructions(command):
    told = subprocess.run(["valgrind", "--tool=callgrind", "--callgrind-out-file=/dev/null", *command], capture_output=True, text=True, check=True).stderr
    return int(re.search(r"Collected : (\d+)", told).group(1))


def main():
    kernels = program()
    for name, (what, share) in KERNELS.items():
        once, more = (instructions([kernels, name, str(times)]) for times in (1, 1 + TIMES))
        print(f"{what}: {(more - once) / TIMES / share:,.0f} instructions")


main()
