"""Makes the check values of one-diode panels from a general-purpose PV reference library.

    pip install -r reference/requirements.txt && python3 reference/make_diodes.py

Nameplates are real ones from the module table that ships with the library (California Energy Commission, 2019), drawn by a seed
and kept without names: technology and figures only.
"""

import csv
import hashlib
import json
import random
from pathlib import Path

import numpy as np
import pvlib
from pvlib import pvsystem
from pvlib.ivtools.sdm import fit_desoto

OUT = Path(__file__).parent.parent / "crates" / "core" / "tests" / "reference"
DRAW = random.Random(20261125)


def write(name, header, rows):
    with open(OUT / f"{name}.csv", "w", newline="") as file:
        writer = csv.writer(file, lineterminator="\n")
        writer.writerow(header)
        writer.writerows([[cell if isinstance(cell, str) else repr(float(cell)) for cell in row] for row in rows])


def single_diode():
    rows = []
    for _ in range(60):
        cells = DRAW.choice([32, 36, 54, 60, 72, 96, 144])
        i_l = DRAW.uniform(0.05, 15)
        a = cells * 0.02569 * DRAW.uniform(0.8, 2.0)
        voc = cells * DRAW.uniform(0.45, 0.72)
        i_o = i_l / np.expm1(voc / a)
        r_s, r_sh = DRAW.uniform(0.0, 0.9), 10 ** DRAW.uniform(1.5, 4)
        out = pvsystem.singlediode(i_l, i_o, r_s, r_sh, a, method="lambertw")
        volts = [voc * share for share in (0.0, 0.3, 0.6, 0.8, 0.9)]
        amps = pvsystem.i_from_v(np.array(volts), i_l, i_o, r_s, r_sh, a, method="lambertw")
        rows.append([i_l, i_o, r_s, r_sh, a, out["i_sc"], out["v_oc"], out["i_mp"], out["v_mp"], out["p_mp"], *volts, *amps])
    write("single_diode", ["i_l_a", "i_o_a", "r_s_ohm", "r_sh_ohm", "a_v", "isc_a", "voc_v", "imp_a", "vmp_v", "pmax_w",
                           *[f"v{n}" for n in range(5)], *[f"i{n}" for n in range(5)]], rows)


def nameplates():
    table = pvsystem.retrieve_sam("CECMod")
    names = DRAW.sample(sorted(table.columns), 25)
    rows, solved = [], 0
    for name in names:
        m = table[name]
        figures = [float(m[key]) for key in ("V_oc_ref", "I_sc_ref", "V_mp_ref", "I_mp_ref", "N_s", "alpha_sc", "beta_oc")]
        voc, isc, vmp, imp, cells, alpha, beta = figures
        try:
            fit, _ = fit_desoto(vmp, imp, voc, isc, alpha, beta, int(cells))
            found = [fit["I_L_ref"], fit["I_o_ref"], fit["R_s"], fit["R_sh_ref"], fit["a_ref"]]
            good = found[2] >= 0 and found[3] > 0 and all(np.isfinite(found))
        except Exception:
            good = False
        solved += good
        # The table's own parameters, translated: De Soto 2006 at weak light and in the heat.
        points = []
        for poa, cell in ((200.0, 15.0), (800.0, 60.0)):
            five = pvsystem.calcparams_desoto(poa, cell, alpha, m["a_ref"], m["I_L_ref"], m["I_o_ref"], m["R_sh_ref"], m["R_s"])
            out = pvsystem.singlediode(*five, method="lambertw")
            points += [out["i_sc"], out["v_oc"], out["p_mp"]]
        rows.append([m["Technology"].replace(",", " "), *figures, *[m[key] for key in ("I_L_ref", "I_o_ref", "R_s", "R_sh_ref", "a_ref")],
                     *points, "yes" if good else "no", *(found if good else [0.0] * 5)])
    write("nameplates", ["technology", "voc_v", "isc_a", "vmp_v", "imp_a", "cells_in_series", "alpha_isc_a_per_k", "beta_voc_v_per_k",
                         "i_l_a", "i_o_a", "r_s_ohm", "r_sh_ohm", "a_v", "weak_isc_a", "weak_voc_v", "weak_pmax_w", "hot_isc_a", "hot_voc_v", "hot_pmax_w",
                         "library_solves", "fit_i_l_a", "fit_i_o_a", "fit_r_s_ohm", "fit_r_sh_ohm", "fit_a_v"], rows)
    print(f"the library's own fit solves {solved} of {len(rows)} nameplates")


single_diode()
nameplates()
sums = {name: hashlib.sha256((OUT / name).read_bytes()).hexdigest() for name in ("single_diode.csv", "nameplates.csv")}
(OUT / "diodes_passport.json").write_text(json.dumps({
    "generator": "reference/make_diodes.py, seed 20261125", "versions": {"pvlib": pvlib.__version__, "numpy": np.__version__},
    "tolerance": "1e-6 relative: the same equations, solved to the last digits by both", "sha256": sums}, indent=2) + "\n")
