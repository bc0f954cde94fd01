"""How long every page takes on the server: the demo's pages, found by following links from the first one, and the same of an empty bench.

    cargo build --release && python3 reference/speed_pages.py

Prints the median of 15 requests on one connection, a static file for comparison first: what that takes is the way there and back.
"""

import http.client
import os
import re
import statistics
import subprocess
import tempfile
import time
from pathlib import Path

ROOT = Path(__file__).parent.parent
PROGRAM = ROOT / "target" / "release" / "flindo"
TIMES = 15
STATIC = "/static/rail.js"
MOST_MS = 3.0

# Streams that do not end, and files whose size is their business.
LEFT_OUT = re.compile(r"/static/|events|stream|live$|\.(csv|zip|ics|bench|svg|png|json)(\?|$)|/copies|/photos/|backup|\?theme=")


class Bench:
    """A program with a bench of its own, and one connection to it."""

    def __init__(self, folder, port, demo):
        command = [PROGRAM, *(["demo", "--fresh"] if demo else ["--daily-copies", "0"]), "--data", str(Path(folder) / f"{port}.bench"), "--listen", f"127.0.0.1:{port}"]
        self.process = subprocess.Popen(command, stdout=subprocess.PIPE, env={**os.environ, "RUST_LOG": "off"})
        self.process.stdout.readline()
        self.connection = http.client.HTTPConnection("127.0.0.1", port, timeout=60)

    def get(self, path):
        self.connection.request("GET", path)
        answer = self.connection.getresponse()
        return answer.status, answer.getheader("content-type", ""), answer.read()

    def times_ms(self, path):
        took = []
        for _ in range(TIMES):
            begin = time.perf_counter()
            self.get(path)
            took.append(1000 * (time.perf_counter() - begin))
        return statistics.median(took)

    def stop(self):
        self.connection.close()
        self.process.terminate()
        self.process.wait()


def shape(path):
    """Pages of one kind differ in their numbers."""
    return re.sub(r"\d+", "N", path.split("?")[0])


def pages(bench):
    """One of each kind with the milliseconds that its first answer took, in the order in which links lead to them."""
    found, ways = {}, ["/"]
    while ways:
        path = ways.pop(0)
        if shape(path) in found or LEFT_OUT.search(path):
            continue
        begin = time.perf_counter()
        status, kind, body = bench.get(path)
        first_ms = 1000 * (time.perf_counter() - begin)
        if status != 200 or not kind.startswith("text/html"):
            continue
        found[shape(path)] = (path, first_ms)
        ways += [way.replace("&amp;", "&").split("#")[0] for way in re.findall(r'href="(/[^"]*)"', body.decode())]
    return found


def main():
    with tempfile.TemporaryDirectory() as folder:
        demo, empty = Bench(folder, 8797, True), Bench(folder, 8796, False)
        try:
            table(demo, empty)
        finally:
            demo.stop()
            empty.stop()


def table(demo, empty):
    # The first page sums up what the demo holds.
    demo.get("/")
    time.sleep(2)
    static_ms = demo.times_ms(STATIC)
    print(f"a static file: {static_ms:.2f} ms\n")
    rows = []
    for name, (path, first) in pages(demo).items():
        status, _, _ = empty.get(path)
        rows.append((demo.times_ms(path), first, name, path, empty.times_ms(path) if status == 200 else None))
    print("| page | first, ms | again, ms | empty bench, ms |\n|---|---|---|---|")
    for again, first, name, path, of_empty in sorted(rows, reverse=True):
        print(f"| {name} | {first:.1f} | {again:.1f} | {'' if of_empty is None else f'{of_empty:.1f}'} |")
    over = [row for row in rows if row[0] > MOST_MS]
    print(f"\n{len(rows)} pages, {len(over)} over {MOST_MS:.0f} ms")


main()
