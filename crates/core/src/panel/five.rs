//! The five parameters of a label (De Soto, Klein and Beckman 2006), and what they become at other light and cell_temperature.

use super::diode::Diode;
use super::nameplate::Nameplate;
use crate::error::{Error, check_positive, check_range};

/// Boltzmann's constant, eV/K (CODATA 2018).
const BOLTZMANN_EV_PER_K: f64 = 8.617_333_262e-5;
const STC_K: f64 = 298.15;

/// Band gap of silicon at 25 C, eV, and its change for each kelvin of itself (De Soto 2006, equation 10).
const GAP_EV: f64 = 1.121;
const GAP_PER_K: f64 = -0.000_267_7;

/// How far from STC the temperature coefficient of Voc is held, K (De Soto 2006 leaves it open; the usual choice).
const COEFFICIENT_STEP_K: f64 = 2.0;

/// What of a label the fit needs.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct LabelFigures {
    pub voc_v: f64,
    pub isc_a: f64,
    pub vmp_v: f64,
    pub imp_a: f64,
    pub cells_in_series: f64,
    pub alpha_isc_a_per_k: f64,
    pub beta_voc_v_per_k: f64,
}

impl LabelFigures {
    /// Of a checked nameplate, with what is usual for what it lacks; `None` where it says neither volts nor amps.
    pub fn of(label: &Nameplate) -> Option<Self> {
        let point = label.label_point()?;
        Some(LabelFigures {
            voc_v: point.voc_v,
            isc_a: point.isc_a,
            vmp_v: point.vmp_v,
            imp_a: point.imp_a,
            cells_in_series: label.cells().map_or((point.voc_v / USUAL_CELL_VOC_V).round().max(1.0), f64::from),
            alpha_isc_a_per_k: label.alpha().per_k * point.isc_a,
            beta_voc_v_per_k: label.beta().per_k * point.voc_v,
        })
    }
}

/// Voc of one silicon cell at STC where the label does not count its cells, V. Common practice, no source.
const USUAL_CELL_VOC_V: f64 = 0.64;

/// The parameters at STC, and how true they are to the label.
#[derive(Debug, Clone, PartialEq)]
pub struct Fit {
    pub at_stc: Diode,
    pub alpha_isc_a_per_k: f64,
    /// All five equations hold.
    pub is_exact: bool,
    /// Why they cannot, for a fit that is not exact.
    pub why: Option<Misfit>,
    /// How far each figure of the label is missed, as a share of it: Voc, Isc, Vmp, Imp, beta.
    pub missed_rel: [f64; 5],
}

/// Why no physical panel has exactly this label.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Misfit {
    /// The equations want a series resistance below zero: the knee is sharper than a diode's.
    NegativeSeries,
    /// They want a shunt resistance below zero: the curve would rise with the volts.
    NegativeShunt,
}

impl Fit {
    /// The largest miss of a figure, as a share of it.
    pub fn worst_rel(&self) -> f64 {
        self.missed_rel.iter().fold(0.0, |worst, miss| worst.max(miss.abs()))
    }

    /// At other light (W/m2) and cell temperature (C). De Soto 2006, equations 7 to 11.
    pub fn at(&self, poa_w_m2: f64, cell_c: f64) -> Diode {
        translate(&self.at_stc, self.alpha_isc_a_per_k, poa_w_m2, cell_c)
    }
}

/// The same of bare parameters. `poa_w_m2` 0 or more, `cell_c` above -100.
pub fn translate(at_stc: &Diode, alpha_isc_a_per_k: f64, poa_w_m2: f64, cell_c: f64) -> Diode {
    let (kelvin, light) = (cell_c + 273.15, poa_w_m2 / 1000.0);
    Diode {
        i_l_a: (light * (at_stc.i_l_a + alpha_isc_a_per_k * (kelvin - STC_K))).max(0.0),
        i_o_a: at_stc.i_o_a * saturation_rel(kelvin),
        r_s_ohm: at_stc.r_s_ohm,
        r_sh_ohm: if light > 0.0 { at_stc.r_sh_ohm / light } else { 1e15 },
        a_v: at_stc.a_v * kelvin / STC_K,
    }
}

/// Saturation current relative to that at STC.
fn saturation_rel(kelvin: f64) -> f64 {
    let gap_ev = GAP_EV * (1.0 + GAP_PER_K * (kelvin - STC_K));
    (kelvin / STC_K).powi(3) * ((GAP_EV / STC_K - gap_ev / kelvin) / BOLTZMANN_EV_PER_K).exp()
}

/// Cell volts at the knee of the exponential that are searched: ideality 0.2 to 6 for each cell. Thin-film labels count cells in
/// their own ways.
const IDEALITY: (f64, f64) = (0.2, 6.0);

/// The exact solution at one ideality, if series and shunt resistance come out physical.
#[derive(Clone, Copy)]
struct Inner {
    diode: Diode,
    /// What is left of the equation of the temperature coefficient, in A.
    rest: f64,
}

/// Finds the five parameters. The error names the figure that no label can have.
///
/// With the ideality `a` and `Rs` fixed, the equations at short circuit, open circuit and maximum power are linear in `IL`, `I0` and
/// `1/Rsh`. What is left is the slope at maximum power, a root in `Rs`; and the temperature coefficient, a root in `a`. Both are
/// searched over all that is physical, so that a solution that exists is found.
pub fn fit(label: &LabelFigures) -> Result<Fit, Error> {
    check(label)?;
    let thermal_v = BOLTZMANN_EV_PER_K * STC_K * label.cells_in_series;
    let at = |n: f64| inner(label, thermal_v * n);
    const STEPS: usize = 160;
    let ideality = |step: usize| IDEALITY.0 * (IDEALITY.1 / IDEALITY.0).powf(step as f64 / STEPS as f64);
    let mut best: Option<Inner> = None;
    let mut before: Option<(f64, Inner)> = None;
    for step in 0..=STEPS {
        let n = ideality(step);
        let now = at(n).map(|found| (n, found));
        // Where what is physical ends between two steps, the root may lie before that end.
        let (from, to) = match (before, now) {
            (Some(from), None) => (Some(from), Some(edge(from, n, &at))),
            (None, Some(to)) if step > 0 => (Some(edge(to, ideality(step - 1), &at)), Some(to)),
            both => both,
        };
        if let (Some((n_from, from)), Some((n_to, to))) = (from, to)
            && from.rest * to.rest <= 0.0
        {
            best = Some(refine(n_from, n_to, from, &at));
            break;
        }
        before = now;
    }
    if let Some(found) = best {
        let missed_rel = missed(label, &found.diode);
        return Ok(Fit {
            at_stc: found.diode,
            alpha_isc_a_per_k: label.alpha_isc_a_per_k,
            is_exact: true,
            why: None,
            missed_rel,
        });
    }
    Ok(nearest(label, thermal_v))
}

fn check(label: &LabelFigures) -> Result<(), Error> {
    check_positive("voc_v", label.voc_v, 1500.0)?;
    check_positive("isc_a", label.isc_a, 1000.0)?;
    check_positive("vmp_v", label.vmp_v, 1500.0)?;
    check_positive("imp_a", label.imp_a, 1000.0)?;
    check_range("cells_in_series", label.cells_in_series, 1.0, 2000.0)?;
    check_range("alpha_isc_a_per_k", label.alpha_isc_a_per_k, -0.01 * label.isc_a, 0.01 * label.isc_a)?;
    check_range("beta_voc_v_per_k", label.beta_voc_v_per_k, -0.02 * label.voc_v, -1e-5 * label.voc_v)?;
    let inconsistent = |field, why: String| Err(Error::Inconsistent { field, why });
    if label.vmp_v >= label.voc_v {
        return inconsistent("vmp_v", format!("Vmp of {} has to be below Voc of {}", label.vmp_v, label.voc_v));
    }
    if label.imp_a >= label.isc_a {
        return inconsistent("imp_a", format!("Imp of {} has to be below Isc of {}", label.imp_a, label.isc_a));
    }
    if label.vmp_v <= label.voc_v / 2.0 || label.imp_a <= label.isc_a / 2.0 {
        return inconsistent("vmp_v", "a curve whose best point is below half of Voc or of Isc is no panel's".to_owned());
    }
    Ok(())
}

/// `IL`, `I0` and the shunt conductance through the three points of the label, for a knee `a_v` and a series resistance.
fn through_points(label: &LabelFigures, a_v: f64, r_s_ohm: f64) -> Option<(f64, f64, f64)> {
    let (short, open, best) = (label.isc_a * r_s_ohm, label.voc_v, label.vmp_v + label.imp_a * r_s_ohm);
    // Exponentials relative to the one at Voc, which alone may be beyond all numbers.
    let e = |vd: f64| ((vd - open) / a_v).exp() - (-open / a_v).exp();
    let (e_sc, e_oc, e_mp) = (e(short), e(open), e(best));
    // IL - J e_k - G v_k = I_k, less the equation at open circuit.
    let (a11, a12, b1) = (e_oc - e_sc, open - short, label.isc_a);
    let (a21, a22, b2) = (e_oc - e_mp, open - best, label.imp_a);
    let determinant = a11 * a22 - a12 * a21;
    if determinant.abs() < 1e-300 {
        return None;
    }
    let (j, g) = ((b1 * a22 - a12 * b2) / determinant, (a11 * b2 - b1 * a21) / determinant);
    let i_l = j * e_oc + g * open;
    (j > 0.0 && i_l.is_finite()).then_some((i_l, j * (-open / a_v).exp(), g))
}

/// The slope of watts at the label's best point, in A; 0 where it is the best.
fn slope_at_best(label: &LabelFigures, a_v: f64, r_s_ohm: f64) -> Option<(f64, (f64, f64, f64))> {
    let found @ (_, i_o, g) = through_points(label, a_v, r_s_ohm)?;
    let best = label.vmp_v + label.imp_a * r_s_ohm;
    let steep = i_o / a_v * (best / a_v).exp() + g;
    // dI/dV = -steep / (1 + Rs steep), and at the best point I + V dI/dV is 0.
    Some((label.imp_a - label.vmp_v * steep / (1.0 + r_s_ohm * steep), found))
}

fn inner(label: &LabelFigures, a_v: f64) -> Option<Inner> {
    const STEPS: usize = 64;
    let most_ohm = (label.voc_v - label.vmp_v) / label.imp_a;
    let at = |r_s_ohm: f64| slope_at_best(label, a_v, r_s_ohm);
    let mut before: Option<(f64, f64)> = None;
    let mut found = None;
    for step in 0..STEPS {
        let r_s_ohm = most_ohm * step as f64 / STEPS as f64;
        let now = at(r_s_ohm).map(|(slope, _)| (r_s_ohm, slope));
        if let (Some((low, slope_before)), Some((high, slope))) = (before, now)
            && slope_before * slope <= 0.0
        {
            found = Some(bisect(low, high, slope_before, |r_s_ohm| at(r_s_ohm).map(|(slope, _)| slope)));
            break;
        }
        before = now;
    }
    let r_s_ohm = found?;
    let (_, (i_l_a, i_o_a, g)) = at(r_s_ohm)?;
    if g < 0.0 || i_o_a <= 0.0 {
        return None;
    }
    let diode = Diode { i_l_a, i_o_a, r_s_ohm, r_sh_ohm: 1.0 / g.max(1e-15), a_v };
    Some(Inner { diode, rest: coefficient_rest(label, &diode) })
}

/// What is left of the fifth equation: the current at the Voc that beta promises, two kelvin above STC.
fn coefficient_rest(label: &LabelFigures, at_stc: &Diode) -> f64 {
    let warm = translate(at_stc, label.alpha_isc_a_per_k, 1000.0, 25.0 + COEFFICIENT_STEP_K);
    warm.junction_a(label.voc_v + label.beta_voc_v_per_k * COEFFICIENT_STEP_K)
}

fn bisect(mut low: f64, mut high: f64, at_low: f64, of: impl Fn(f64) -> Option<f64>) -> f64 {
    for _ in 0..200 {
        let middle = (low + high) / 2.0;
        if middle <= low || middle >= high {
            break;
        }
        match of(middle) {
            Some(value) if value * at_low > 0.0 => low = middle,
            _ => high = middle,
        }
    }
    (low + high) / 2.0
}

/// The last ideality toward `outside` at which there is a physical solution.
fn edge((mut inside, mut found): (f64, Inner), mut outside: f64, at: &impl Fn(f64) -> Option<Inner>) -> (f64, Inner) {
    for _ in 0..50 {
        let middle = (inside + outside) / 2.0;
        match at(middle) {
            Some(here) => (inside, found) = (middle, here),
            None => outside = middle,
        }
    }
    (inside, found)
}

fn refine(low: f64, high: f64, at_low: Inner, at: &impl Fn(f64) -> Option<Inner>) -> Inner {
    let n = bisect(low, high, at_low.rest, |n| at(n).map(|found| found.rest));
    at(n).or_else(|| at(low)).unwrap_or(at_low)
}

/// How far a diode misses each figure of a label, as shares: Voc, Isc, Vmp, Imp, beta.
fn missed(label: &LabelFigures, diode: &Diode) -> [f64; 5] {
    let points = diode.points();
    let warm = translate(diode, label.alpha_isc_a_per_k, 1000.0, 25.0 + COEFFICIENT_STEP_K).open_junction();
    let beta = (warm - points.voc_v) / COEFFICIENT_STEP_K;
    [
        points.voc_v / label.voc_v - 1.0,
        points.isc_a / label.isc_a - 1.0,
        points.vmp_v / label.vmp_v - 1.0,
        points.imp_a / label.imp_a - 1.0,
        beta / label.beta_voc_v_per_k - 1.0,
    ]
}

/// The physical panel nearest to a label that no physical panel has: Voc and Isc as they are, and the least sum of squared misses
/// of Vmp, Imp and beta over resistances of 0 or more. A search over shrinking grids, which no start can lead astray.
fn nearest(label: &LabelFigures, thermal_v: f64) -> Fit {
    let most_ohm = (label.voc_v - label.vmp_v) / label.imp_a;
    let score = |diode: &Diode| {
        let [voc, isc, vmp, imp, beta] = missed(label, diode);
        // The coefficient is the figure a label knows least.
        voc * voc + isc * isc + vmp * vmp + imp * imp + 0.04 * beta * beta
    };
    let build = |n: f64, rs_share: f64, g_share: f64| {
        let (a_v, r_s_ohm) = (thermal_v * n, most_ohm * rs_share);
        let g = g_share * label.isc_a / label.voc_v;
        let (short, open) = (label.isc_a * r_s_ohm, label.voc_v);
        let e = |vd: f64| ((vd - open) / a_v).exp() - (-open / a_v).exp();
        let j = (label.isc_a - g * (open - short)) / (e(open) - e(short));
        let i_l_a = j * e(open) + g * open;
        let i_o_a = j * (-open / a_v).exp();
        (j > 0.0 && i_o_a > 1e-300 && i_l_a > 0.0).then_some(Diode { i_l_a, i_o_a, r_s_ohm, r_sh_ohm: 1.0 / g.max(1e-15), a_v })
    };
    let mut best = (f64::INFINITY, None, [1.3, 0.2, 0.02]);
    // Logarithm of the ideality, share of the largest series resistance, share of the largest conductance.
    let mut widths = [(IDEALITY.1 / IDEALITY.0).ln() / 2.0, 0.5, 0.15];
    let mut centre = [(IDEALITY.0 * IDEALITY.1).sqrt().ln(), 0.5, 0.15];
    for round in 0..24 {
        // Wide at first, so that no valley is missed.
        let cells = match round {
            0 => 8,
            1..4 => 4,
            _ => 2,
        };
        for x in -cells..=cells {
            for y in -cells..=cells {
                for z in -cells..=cells {
                    let at = |axis: usize, step: i32| centre[axis] + widths[axis] * f64::from(step) / f64::from(cells);
                    let (n, rs_share, g_share) = (at(0, x).exp(), at(1, y).clamp(0.0, 0.99), at(2, z).clamp(0.0, 0.5));
                    if let Some(diode) = build(n, rs_share, g_share) {
                        let miss = score(&diode);
                        if miss < best.0 {
                            best = (miss, Some(diode), [n.ln(), rs_share, g_share]);
                        }
                    }
                }
            }
        }
        centre = best.2;
        widths = widths.map(|width| width * 0.5);
    }
    let at_stc = best.1.unwrap_or(Diode { i_l_a: label.isc_a, i_o_a: 1e-9, r_s_ohm: 0.0, r_sh_ohm: 1e15, a_v: thermal_v });
    let why = if at_stc.r_s_ohm <= 1e-3 * most_ohm { Misfit::NegativeSeries } else { Misfit::NegativeShunt };
    let missed_rel = missed(label, &at_stc);
    Fit { at_stc, alpha_isc_a_per_k: label.alpha_isc_a_per_k, is_exact: false, why: Some(why), missed_rel }
}
