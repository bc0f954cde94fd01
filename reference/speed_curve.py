"""Prints how long a panel's curves take here, in a circuit simulator, in numpy and in a PV reference library, as ratios, in one run on one core.

    apt-get install ngspice && pip install -r reference/requirements.txt && taskset -c 0 python3 reference/speed_curve.py
"""

import numpy as np
from pvlib import pvsystem

import make_circuits
from speed import median_s, ours

OPEN_V, POINTS = 37.5, 200
BASE = (8.65, 2.0e-10, 0.004, 20.0, 0.0256)
SHARES = [0.15 if cell < 20 else 1.0 for cell in range(60)]


def simulated(breakdown):
    """The same 60 cells in three groups, swept in 200 points; the simulator's start is part of asking it."""
    tree, _, _ = make_circuits.CONSTRUCTIONS["cells_60"]
    make_circuits.POINTS = POINTS
    return median_s(lambda: make_circuits.Netlist(make_circuits.cells_of(BASE, SHARES), breakdown).solve(tree, OPEN_V), 5)


def interpolated():
    """A good use of numpy: one curve for each different cell, added up by interpolation, each group held up by its diode."""

    def curve():
        amps = np.linspace(0, 9, POINTS)
        volts = {}
        for share in set(SHARES):
            i_l, i_o, r_s, r_sh, a = make_circuits.cells_of(BASE, [share])[0]
            junction = np.concatenate([np.linspace(-15, 0, 300), np.linspace(0, 0.7, 700)[1:]])
            current = i_l - i_o * np.expm1(junction / a) - junction / r_sh
            volts[share] = np.interp(-amps, -current, junction - current * r_s)
        groups = [sum(volts[share] for share in SHARES[start : start + 20]) for start in (0, 20, 40)]
        return sum(np.maximum(group, -0.4) for group in groups)

    return median_s(lambda: [curve() for _ in range(50)]) / 50


def library():
    """Its fastest solver, over 10,000 panels at once."""
    many = 10_000
    light = np.linspace(1, 9, many)
    return median_s(lambda: pvsystem.singlediode(light, 1e-9, 0.3, 300.0, 1.6, method="newton")) / many


def main():
    here = ours("curve")
    rows = [
        ("five_points", "library, vectorised", library()),
        ("shaded_curve_of_200", "circuit simulator", simulated(False)),
        ("shaded_curve_of_200", "numpy", interpolated()),
        ("shaded_curve_of_200_with_breakdown", "circuit simulator", simulated(True)),
    ]
    print(f"{'work':36} {'beside':22} {'here':>12} {'there':>14} {'ratio':>8}")
    for name, beside, there in rows:
        print(f"{name:36} {beside:22} {here[name] * 1e6:9.2f} us {there * 1e6:11.2f} us {there / here[name]:8.1f}")


if __name__ == "__main__":
    main()
