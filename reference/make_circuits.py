"""Makes the check values of shaded panels from a general-purpose circuit simulator (ngspice, from Debian).

    apt-get install ngspice && python3 reference/make_circuits.py

Every case is written as a netlist of single cells and solved there; the same cells are wired here anew from the constructions'
descriptions, so that a mistake in the program's wiring shows.
"""

import csv
import hashlib
import json
import random
import subprocess
import tempfile
import time
from pathlib import Path

OUT = Path(__file__).parent.parent / "crates" / "core" / "tests" / "reference"
DRAW = random.Random(60)
USUAL_DIODE = (1e-5, 1.05, 0.005, 27.0)
USUAL_BREAKDOWN = (-15.0, 0.1, 3.4)
THERMAL_V = 1.380649e-23 * 300.15 / 1.602176634e-19
POINTS = 1200


def grouped(rows, columns, groups):
    """Cells by columns, each group of columns under one diode: nested lists of cell numbers."""
    wide = columns // groups
    return ["series", *[["bypass", ["series", *range(g * wide * rows, (g + 1) * wide * rows)]] for g in range(groups)]]


def half_cut(rows):
    half, parts, number = rows // 2, [], 0
    for _ in range(3):
        halves = []
        for _ in range(2):
            halves.append(["series", *range(number, number + 2 * half)])
            number += 2 * half
        parts.append(["bypass", ["parallel", *halves]])
    return ["series", *parts]


def two_strings():
    strings, number = [], 0
    for _ in range(2):
        parts = []
        for _ in range(2):
            parts.append(["bypass", ["series", *range(number, number + 18)]])
            number += 18
        strings.append(["series", *parts])
    return ["parallel", *strings]


def shingled():
    halves, number = [], 0
    for _ in range(2):
        strips = []
        for _ in range(6):
            strips.append(["series", *range(number, number + 17)])
            number += 17
        halves.append(["bypass", ["parallel", *strips]])
    return ["series", *halves]


CONSTRUCTIONS = {
    "cells_36": (grouped(9, 4, 2), 36, 1), "cells_54": (grouped(9, 6, 3), 54, 1), "cells_60": (grouped(10, 6, 3), 60, 1),
    "cells_72": (grouped(12, 6, 3), 72, 1), "half_cut_108": (half_cut(18), 54, 2), "half_cut_120": (half_cut(20), 60, 2),
    "half_cut_144": (half_cut(24), 72, 2), "two_strings_72": (two_strings(), 36, 2), "shingled": (shingled(), 34, 6),
    "thin_film_one_diode": (grouped(1, 80, 1), 80, 1), "thin_film_many_diodes": (grouped(1, 80, 10), 80, 1),
    "diode_each_cell": (["series", *[["bypass", ["series", n]] for n in range(36)]], 36, 1),
}


class Netlist:
    def __init__(self, cells, breakdown, diode):
        self.lines, self.cells, self.breakdown, self.diode, self.nodes = ["* cells"], cells, breakdown, diode, 0
        self.models = {}

    def node(self):
        self.nodes += 1
        return f"n{self.nodes}"

    def add(self, tree, plus, minus):
        """Between two nodes, the current leaving at plus."""
        if isinstance(tree, int):
            i_l, i_o, r_s, r_sh, a = self.cells[tree]
            inner, name = self.node(), f"{tree}"
            model = self.models.setdefault((i_o, a), f"d{len(self.models)}")
            self.lines += [f"I{name} {minus} {inner} DC {i_l!r}", f"D{name} {inner} {minus} {model}", f"R{name} {inner} {plus} {max(r_s, 1e-9)!r}"]
            if self.breakdown:
                v = f"v({inner},{minus})"
                v_br, share, exponent = self.breakdown
                self.lines.append(f"B{name} {inner} {minus} I = {v}/{r_sh!r}*(1+({v}<0 ? {share!r}*pow(abs(1-max({v},{0.99933 * v_br!r})/({v_br!r})),{-exponent!r}) : 0))")
            else:
                self.lines.append(f"Rp{name} {inner} {minus} {r_sh!r}")
            return
        kind, *parts = tree
        if kind == "series":
            at = minus
            for nth, part in enumerate(parts):
                after = plus if nth == len(parts) - 1 else self.node()
                self.add(part, after, at)
                at = after
        elif kind == "parallel":
            for part in parts:
                self.add(part, plus, minus)
        elif kind == "bypass":
            self.add(parts[0], plus, minus)
            self.lines.append(f"Dby{self.nodes}_{len(self.lines)} {minus} {plus} by temp={self.diode[3]!r}")
        elif kind == "blocked":
            before = self.node()
            self.add(parts[0], before, minus)
            self.lines.append(f"Dbl{len(self.lines)} {before} {plus} by temp={self.diode[3]!r}")
        elif kind == "ohm":
            self.lines.append(f"Rl{len(self.lines)} {minus} {plus} {parts[0]!r}")

    def sweep(self, from_v, to_v):
        """Volts and amps between two volts, and the seconds it took."""
        i_s, n, r_s, temp = self.diode
        with tempfile.TemporaryDirectory() as folder:
            out = Path(folder) / "out.txt"
            models = [f".model {name} D(IS={i_o!r} N={a / THERMAL_V!r})" for (i_o, a), name in self.models.items()]
            deck = [*self.lines, "V1 p 0 DC 0", *models, f".model by D(IS={i_s!r} N={n!r} RS={r_s!r} TNOM={temp!r})", ".options temp=27 tnom=27 gmin=1e-15 reltol=1e-6 abstol=1e-12 itl1=2000 itl2=1000",
                    ".control", f"dc V1 {from_v!r} {to_v!r} {(to_v - from_v) / POINTS!r}", f"wrdata {out} i(V1)", "quit", ".endc", ".end"]
            path = Path(folder) / "deck.cir"
            path.write_text("\n".join(deck) + "\n")
            began = time.perf_counter()
            done = subprocess.run(["ngspice", "-b", str(path)], capture_output=True, text=True, timeout=120)
            took = time.perf_counter() - began
            if not out.exists():
                raise RuntimeError(done.stderr[-2000:])
            # The simulator counts the current into the source.
            return [tuple(map(float, line.split()[:2])) for line in out.read_text().splitlines()], took


def shares(count, kind):
    if kind == "none":
        return [1.0] * count
    if kind == "one":
        return [0.1 if n == count // 3 else 1.0 for n in range(count)]
    if kind == "third":
        return [0.15 if n < count // 3 else 1.0 for n in range(count)]
    if kind == "every":
        return [0.3 if n % 10 == 9 else 1.0 for n in range(count)]
    return [round(DRAW.choice([1.0, 1.0, 1.0, 0.7, 0.4, 0.2]), 2) for _ in range(count)]


def panel(i_l, voc, cells, parallel):
    a = 0.0275 * DRAW.uniform(0.95, 1.25)
    cell_a = i_l / parallel
    i_o = cell_a / (2.718281828459045 ** (voc / cells / a) - 1)
    return cell_a, i_o, 0.004 * parallel * DRAW.uniform(0.7, 1.5), DRAW.uniform(8, 60) * parallel, a


def cells_of(base, share):
    i_l, i_o, r_s, r_sh, a = base
    return [(i_l * s, i_o, r_s, r_sh / max(s, 0.01), a) for s in share]


cases = []
for name, (tree, series, parallel) in CONSTRUCTIONS.items():
    count = 204 if name == "shingled" else series * parallel
    for kind, breakdown in (("none", False), ("one", True), ("third", False), ("every", True), ("random", True)):
        cases.append({"name": name, "kind": kind, "breakdown": breakdown, "modules": 1, "wiring": "one", "count": count, "tree": tree, "series": series, "parallel": parallel})
for wiring in ("series", "parallel", "parallel_blocked", "series_lead"):
    tree, series, parallel = CONSTRUCTIONS["cells_60"]
    cases.append({"name": "cells_60", "kind": "two", "breakdown": True, "modules": 2, "wiring": wiring, "count": 60, "tree": tree, "series": series, "parallel": parallel})

# Diodes and breakdowns with figures of their own; drawn apart, so that the cases before stay as they are.
OWN = random.Random(61)
for nth, name in enumerate(["cells_36", "cells_60", "cells_72", "half_cut_108", "two_strings_72", "diode_each_cell"] * 4):
    tree, series, parallel = CONSTRUCTIONS[name]
    wiring = ("one", "parallel_blocked", "series", "parallel_blocked")[nth // 6]
    diode = (10 ** OWN.uniform(-8, -4.5), OWN.uniform(1.0, 1.4), OWN.choice([0.0, 0.002, 0.008, 0.015]), OWN.choice([27.0, 60.0, 85.0]))
    breakdown = (OWN.uniform(-25, -8), OWN.uniform(0.01, 0.2), OWN.uniform(2.5, 4.5))
    cases.append({"name": name, "kind": "own", "breakdown": breakdown, "diode": diode, "modules": 1 if wiring == "one" else 2, "wiring": wiring,
                  "count": series * parallel, "tree": tree, "series": series, "parallel": parallel})


def moved(tree, by):
    return tree + by if isinstance(tree, int) else [tree[0], *[part if tree[0] == "ohm" else moved(part, by) for part in tree[1:]]]


def crossing(curve):
    """The two neighbours between which no current flows."""
    return next(pair for pair in zip(curve, curve[1:]) if pair[1][1] <= 0)


def main():
    rows, curve_rows, took_all = [], [], []
    for number, case in enumerate(cases):
        base = panel(DRAW.uniform(4, 12), case["series"] * DRAW.uniform(0.58, 0.68), case["series"], case["parallel"])
        share = [shares(case["count"], "random" if case["kind"] in ("two", "own") else case["kind"]) for _ in range(case["modules"])]
        flat = [one for module in share for one in module]
        diode = case.get("diode", USUAL_DIODE)
        breakdown = USUAL_BREAKDOWN if case["breakdown"] is True else case["breakdown"] or None
        net = Netlist(cells_of(base, flat), breakdown, diode)
        trees = [moved(case["tree"], nth * case["count"]) for nth in range(case["modules"])]
        tree = {"one": lambda: trees[0], "series": lambda: ["series", *trees], "parallel": lambda: ["parallel", *trees],
                "parallel_blocked": lambda: ["parallel", *[["blocked", one] for one in trees]], "series_lead": lambda: ["series", *trees, ["ohm", 0.35]]}[case["wiring"]]()
        open_v = case["series"] * 0.72 * (2 if case["wiring"].startswith("series") and case["modules"] == 2 else 1)
        net.add(tree, "p", "0")
        curve, took = net.sweep(0, open_v)
        took_all.append(took)
        curve = [(v, i) for v, i in curve if i > -0.05 * max(j for _, j in curve)]
        best = max(v * i for v, i in curve)
        (v0, i0), (v1, i1) = crossing(curve)
        if case["wiring"] == "parallel_blocked":
            # Behind diodes the last microamps fade over several thermal volts: a step of the first sweep is too wide for them.
            (v0, i0), (v1, i1) = crossing(net.sweep(v0, v1)[0])
        voc = v0 + (v1 - v0) * i0 / (i0 - i1)
        rows.append([number, case["name"], case["kind"], case["wiring"], " ".join(map(repr, breakdown or ())), " ".join(map(repr, diode)), case["modules"], *map(repr, base), repr(best), repr(voc), " ".join(map(repr, flat))])
        curve_rows += [[number, repr(v), repr(i)] for v, i in curve[:: max(1, len(curve) // 60)]]
    for name, header, body in (("circuits", ["case", "construction", "kind", "wiring", "breakdown", "diode", "modules", "i_l_a", "i_o_a", "r_s_ohm", "r_sh_ohm", "a_v", "pmax_w", "voc_v", "shares"], rows),
                               ("circuit_curves", ["case", "v_v", "i_a"], curve_rows)):
        with open(OUT / f"{name}.csv", "w", newline="") as file:
            csv.writer(file, lineterminator="\n").writerows([header, *body])
    version = subprocess.run(["ngspice", "--version"], capture_output=True, text=True).stdout.split("\n")[1].strip(" *")
    sums = {name: hashlib.sha256((OUT / name).read_bytes()).hexdigest() for name in ("circuits.csv", "circuit_curves.csv")}
    (OUT / "circuits_passport.json").write_text(json.dumps({
        "generator": "reference/make_circuits.py, seed 60", "versions": {"simulator": version},
        "tolerance": "0.02 % of maximum power, 0.01 % of Voc, 0.2 % of Isc along the curve, in amps or in volts where it is steep: the same equations; the simulator steps its sweep", "sha256": sums}, indent=2) + "\n")
    print(len(cases), "cases, mean", sum(took_all) / len(took_all), "s")


if __name__ == "__main__":
    main()
