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

/// A knee of the exponential, with what of the equations at the label's points no resistance changes: exponentials are relative to the one
/// at Voc, which alone may be beyond all numbers.
struct Knee<'a> {
    label: &'a LabelFigures,
    a_v: f64,
    /// `exp(-Voc / a)`.
    foot: f64,
}

/// `IL`, `I0`, the shunt conductance, and the slope of watts at the label's best point, in A; 0 where it is the best.
struct Through {
    i_l_a: f64,
    i_o_a: f64,
    shunt_a_per_v: f64,
    slope_a: f64,
}

impl<'a> Knee<'a> {
    fn of(label: &'a LabelFigures, a_v: f64) -> Self {
        Knee { label, a_v, foot: (-label.voc_v / a_v).exp() }
    }

    /// The curve through the three points of the label with a series resistance.
    fn through_points(&self, r_s_ohm: f64) -> Option<Through> {
        let Knee { label, a_v, foot } = *self;
        let (short, open, best) = (label.isc_a * r_s_ohm, label.voc_v, label.vmp_v + label.imp_a * r_s_ohm);
        let to_best = ((best - open) / a_v).exp();
        let (e_sc, e_oc, e_mp) = (((short - open) / a_v).exp() - foot, 1.0 - foot, to_best - foot);
        // IL - J e_k - G v_k = I_k, less the equation at open circuit.
        let (a11, a12, b1) = (e_oc - e_sc, open - short, label.isc_a);
        let (a21, a22, b2) = (e_oc - e_mp, open - best, label.imp_a);
        let determinant = a11 * a22 - a12 * a21;
        if determinant.abs() < 1e-300 {
            return None;
        }
        let (j, g) = ((b1 * a22 - a12 * b2) / determinant, (a11 * b2 - b1 * a21) / determinant);
        let i_l_a = j * e_oc + g * open;
        let steep = j / a_v * to_best + g;
        // dI/dV = -steep / (1 + Rs steep), and at the best point I + V dI/dV is 0.
        let slope_a = label.imp_a - label.vmp_v * steep / (1.0 + r_s_ohm * steep);
        (j > 0.0 && i_l_a.is_finite()).then_some(Through { i_l_a, i_o_a: j * foot, shunt_a_per_v: g, slope_a })
    }
}

fn inner(label: &LabelFigures, a_v: f64) -> Option<Inner> {
    const STEPS: usize = 64;
    let most_ohm = (label.voc_v - label.vmp_v) / label.imp_a;
    let knee = Knee::of(label, a_v);
    let slope_at = |r_s_ohm: f64| knee.through_points(r_s_ohm).map(|through| through.slope_a);
    let mut before: Option<(f64, f64)> = None;
    let mut found = None;
    for step in 0..STEPS {
        let r_s_ohm = most_ohm * step as f64 / STEPS as f64;
        let now = slope_at(r_s_ohm).map(|slope| (r_s_ohm, slope));
        if let (Some((low, slope_before)), Some((high, slope))) = (before, now)
            && slope_before * slope <= 0.0
        {
            found = Some(between((low, slope_before), (high, slope), slope_at));
            break;
        }
        before = now;
    }
    let r_s_ohm = found?;
    let Through { i_l_a, i_o_a, shunt_a_per_v, .. } = knee.through_points(r_s_ohm)?;
    if shunt_a_per_v < 0.0 || i_o_a <= 0.0 {
        return None;
    }
    let diode = Diode { i_l_a, i_o_a, r_s_ohm, r_sh_ohm: 1.0 / shunt_a_per_v.max(1e-15), a_v };
    Some(Inner { diode, rest: coefficient_rest(label, &diode) })
}

/// What is left of the fifth equation: the current at the Voc that beta promises, two kelvin above STC.
fn coefficient_rest(label: &LabelFigures, at_stc: &Diode) -> f64 {
    let warm = translate(at_stc, label.alpha_isc_a_per_k, 1000.0, 25.0 + COEFFICIENT_STEP_K);
    warm.junction_a(label.voc_v + label.beta_voc_v_per_k * COEFFICIENT_STEP_K)
}

/// The root between two places of unlike sign, by false position in the Illinois form (Dowell and Jarratt 1971, BIT 11): a tenth of the
/// looks of halving.
fn between(mut low: (f64, f64), mut high: (f64, f64), of: impl Fn(f64) -> Option<f64>) -> f64 {
    let mut before = f64::NAN;
    for _ in 0..100 {
        let met = (low.0 * high.1 - high.0 * low.1) / (high.1 - low.1);
        let at = if met > low.0 && met < high.0 { met } else { (low.0 + high.0) / 2.0 };
        if (at - before).abs() <= 2.0 * f64::EPSILON * at.abs() {
            return at;
        }
        before = at;
        match of(at) {
            Some(0.0) => return at,
            // The end that stays counts half, so that it cannot stay for ever.
            Some(value) if value * low.1 > 0.0 => (low, high.1) = ((at, value), high.1 / 2.0),
            Some(value) => (high, low.1) = ((at, value), low.1 / 2.0),
            None => high.0 = at,
        }
    }
    before
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
/// of Vmp, Imp and beta over resistances of 0 or more. A grid over all that is physical, so that no start can lead astray, then steps to
/// the best neighbour, which halve where none is better.
fn nearest(label: &LabelFigures, thermal_v: f64) -> Fit {
    let near = Nearest::of(label, thermal_v);
    // Logarithm of the ideality, share of the largest series resistance, share of the largest conductance.
    let (low, high) = (IDEALITY.0.ln(), IDEALITY.1.ln());
    let mut best = (f64::INFINITY, [1.3_f64.ln(), 0.2, 0.02]);
    let look = |at: [f64; 3], best: &mut (f64, [f64; 3])| {
        let at = [at[0].clamp(low, high), at[1].clamp(0.0, 0.99), at[2].clamp(0.0, 0.5)];
        let miss = near.diode(at).map_or(f64::INFINITY, |diode| near.miss(&diode));
        if miss < best.0 {
            *best = (miss, at);
        }
    };
    for x in 0..=GRID {
        for y in 0..=GRID {
            for z in 0..=GRID {
                let share = |nth: i32| f64::from(nth) / f64::from(GRID);
                // The smallest conductances are the usual ones.
                look([low + (high - low) * share(x), share(y), 0.5 * share(z) * share(z)], &mut best);
            }
        }
    }
    let mut widths = [(high - low) / f64::from(GRID) / 2.0, 0.5 / f64::from(GRID), 0.25 / f64::from(GRID)];
    for _ in 0..MOST_STEPS {
        let (before, centre) = best;
        for x in -1..=1 {
            for y in -1..=1 {
                for z in -1..=1 {
                    let step = [x, y, z];
                    look(std::array::from_fn(|axis| centre[axis] + widths[axis] * f64::from(step[axis])), &mut best);
                }
            }
        }
        if best.0 >= before * (1.0 - 1e-3) {
            widths = widths.map(|width| width / 2.0);
        }
        if widths[0] < FINEST {
            break;
        }
    }
    let usual = Diode { i_l_a: label.isc_a, i_o_a: 1e-9, r_s_ohm: 0.0, r_sh_ohm: 1e15, a_v: thermal_v };
    let at_stc = near.diode(best.1).unwrap_or(usual);
    let why = if at_stc.r_s_ohm <= 1e-3 * near.most_ohm { Misfit::NegativeSeries } else { Misfit::NegativeShunt };
    let missed_rel = missed(label, &at_stc);
    Fit { at_stc, alpha_isc_a_per_k: label.alpha_isc_a_per_k, is_exact: false, why: Some(why), missed_rel }
}

/// Steps of the grid along each axis.
const GRID: i32 = 8;

/// The search ends when the logarithm of the ideality is stepped by less.
const FINEST: f64 = 1e-6;
const MOST_STEPS: usize = 100;

/// What the search for the nearest panel works out once.
struct Nearest<'a> {
    label: &'a LabelFigures,
    thermal_v: f64,
    most_ohm: f64,
    /// Two kelvin above STC: the saturation current and the knee, relative to those at STC.
    warm: (f64, f64),
}

impl<'a> Nearest<'a> {
    fn of(label: &'a LabelFigures, thermal_v: f64) -> Self {
        let kelvin = STC_K + COEFFICIENT_STEP_K;
        Nearest {
            label,
            thermal_v,
            most_ohm: (label.voc_v - label.vmp_v) / label.imp_a,
            warm: (saturation_rel(kelvin), kelvin / STC_K),
        }
    }

    /// With the label's Voc and Isc.
    fn diode(&self, [ln_ideality, rs_share, g_share]: [f64; 3]) -> Option<Diode> {
        let label = self.label;
        let (a_v, r_s_ohm) = (self.thermal_v * ln_ideality.exp(), self.most_ohm * rs_share);
        let g = g_share * label.isc_a / label.voc_v;
        let (short, open) = (label.isc_a * r_s_ohm, label.voc_v);
        // Relative to the exponential at Voc.
        let foot = (-open / a_v).exp();
        let j = (label.isc_a - g * (open - short)) / (1.0 - ((short - open) / a_v).exp());
        let (i_l_a, i_o_a) = (j * (1.0 - foot) + g * open, j * foot);
        (j > 0.0 && i_o_a > 1e-300 && i_l_a > 0.0).then_some(Diode { i_l_a, i_o_a, r_s_ohm, r_sh_ohm: 1.0 / g.max(1e-15), a_v })
    }

    /// Squares of the misses of Vmp and Imp, and of beta, the figure that a label knows least, with a fifth of its miss.
    fn miss(&self, diode: &Diode) -> f64 {
        let label = self.label;
        let (best_vd, imp_a) = diode.best_junction(label.isc_a * diode.r_s_ohm, label.voc_v);
        let vmp_v = best_vd - diode.r_s_ohm * imp_a;
        let warm = Diode {
            i_l_a: diode.i_l_a + label.alpha_isc_a_per_k * COEFFICIENT_STEP_K,
            i_o_a: diode.i_o_a * self.warm.0,
            a_v: diode.a_v * self.warm.1,
            ..*diode
        };
        let beta_voc_v_per_k = (warm.open_junction_near(label.voc_v) - label.voc_v) / COEFFICIENT_STEP_K;
        let missed =
            [vmp_v / label.vmp_v - 1.0, imp_a / label.imp_a - 1.0, 0.2 * (beta_voc_v_per_k / label.beta_voc_v_per_k - 1.0)];
        missed.iter().map(|miss| miss * miss).sum()
    }
}
