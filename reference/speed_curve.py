"""Prints how long a panel's curves take here, in a circuit simulator, in numpy and in a PV reference library, as ratios, in one run on one core.

    apt-get install ngspice && pip install -r reference/requirements.txt && taskset -c 0 python3 reference/speed_curve.py
"""

import numpy as np
from pvlib import pvsystem

import make_circuits
from speed import beside, fastest_s

OPEN_V, POINTS = 37.5, 200
BASE = (8.65, 2.0e-10, 0.004, 20.0, 0.0256)
SHARES = [0.15 if cell < 20 else 1.0 for cell in range(60)]


def simulated(breakdown):
    """The same 60 cells in three groups, swept in 200 points; the simulator's start is part of asking it."""
    tree, _, _ = make_circuits.CONSTRUCTIONS["cells_60"]
    make_circuits.POINTS = POINTS

    def sweep():
        net = make_circuits.Netlist(make_circuits.cells_of(BASE, SHARES), breakdown, make_circuits.USUAL_DIODE)
        net.add(tree, "p", "0")
        net.sweep(0, OPEN_V)

    return fastest_s(sweep, 5)


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

    return fastest_s(lambda: [curve() for _ in range(50)]) / 50


def library():
    """Its fastest solver, over 10,000 panels at once."""
    many = 10_000
    light = np.linspace(1, 9, many)
    return fastest_s(lambda: pvsystem.singlediode(light, 1e-9, 0.3, 300.0, 1.6, method="newton")) / many


def theirs():
    return {
        "numpy": interpolated(),
        "points": library(),
        "simulated": simulated(None),
        "simulated_with_breakdown": simulated(make_circuits.USUAL_BREAKDOWN),
    }


def main():
    here, there = beside(theirs, "curve", "shadow", "judge")
    numpy_s, points_s = there["numpy"], there["points"]
    rows = [
        ("five points", here["five_points"], "library, vectorised", points_s, 12),
        ("five points of 17,280 conditions", here["five_points_of_a_day"], "library, vectorised", points_s * 17_280, None),
        ("shaded 60-cell curve of 200 points", here["shaded_curve_of_200"], "numpy", numpy_s, 12),
        ("the same", here["shaded_curve_of_200"], "circuit simulator", there["simulated"], 1000),
        ("shaded, with breakdown", here["shaded_curve_of_200_with_breakdown"], "numpy", numpy_s, 12),
        ("the same", here["shaded_curve_of_200_with_breakdown"], "circuit simulator", there["simulated_with_breakdown"], 1000),
    ]
    print(f"{'work':36} {'beside':22} {'here':>14} {'there':>14} {'ratio':>8} {'wanted':>8}")
    for name, ours_s, other, theirs_s, wanted in rows:
        print(f"{name:36} {other:22} {ours_s * 1e6:11.2f} us {theirs_s * 1e6:11.2f} us {theirs_s / ours_s:8.1f} {wanted or '':>8}")
    print(f"\nparameters of a label (the library finds none for it from its own start): {here['fit_of_a_label'] * 1e3:.2f} ms")
    print(f"nearest panel to a label that no panel has: {here['nearest_fit_of_a_label'] * 1e3:.2f} ms")
    print("a passing shadow's day by minutes, six panels, series and parallel:")
    for name, took_s in here.items():
        if name.startswith("passing_shadow_of_a_day/"):
            print(f"  {name.split('/')[1]:22} {took_s * 1e3:6.1f} ms")
    print("\nten times as much takes so many times as long")
    print(f"cells (a string of 1 and of 10 panels, each in other shade): {here['string_of_panels/10'] / here['string_of_panels/1']:.1f}")
    print(f"panels under a passing shadow (2 and 20): {here['passing_shadow_by_panels/20'] / here['passing_shadow_by_panels/2']:.1f}")
    print(f"readings of a rating (30 to 300, and 300 to 3000): {here['rating_of_readings/300'] / here['rating_of_readings/30']:.1f}, {here['rating_of_readings/3000'] / here['rating_of_readings/300']:.1f}")


if __name__ == "__main__":
    main()
