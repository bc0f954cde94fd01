//! Whole I-V curves brought to other conditions: procedures 1 and 2 of IEC 60891:2009 (equations from memory).

use super::correct::Condition;
use crate::error::{Error, check_positive, check_range};

/// One point of a curve.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct IvPoint {
    pub v_v: f64,
    pub i_a: f64,
}

/// The five figures of a curve.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct FiveFigures {
    pub isc_a: f64,
    pub voc_v: f64,
    pub imp_a: f64,
    pub vmp_v: f64,
    pub pmax_w: f64,
}

/// Coefficients of procedure 1, absolute.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Procedure1 {
    /// Of the short-circuit current, A/K; -1 to 1.
    pub alpha_isc_a_per_k: f64,
    /// Of the open-circuit voltage, V/K; -10 to 1.
    pub beta_voc_v_per_k: f64,
    /// Internal series resistance, ohm; 0 to 100.
    pub r_s_ohm: f64,
    /// Curve correction factor, ohm/K; -1 to 1.
    pub kappa_ohm_per_k: f64,
}

/// Coefficients of procedure 2, relative.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Procedure2 {
    /// Of the short-circuit current, 1/K; -0.1 to 0.1.
    pub alpha_isc_rel_per_k: f64,
    /// Of the open-circuit voltage, 1/K; -0.1 to 0.1.
    pub beta_voc_rel_per_k: f64,
    /// Irradiance correction of the open-circuit voltage, no unit; 0 to 1. About 0.06 (the standard, from memory).
    pub a: f64,
    /// Internal series resistance, ohm; 0 to 100.
    pub r_s_ohm: f64,
    /// Curve correction factor, ohm/K; -1 to 1.
    pub kappa_ohm_per_k: f64,
}

/// Procedure 1, equations 1 and 2: for irradiance corrections up to about 20 %.
///
/// `I2 = I1 + Isc1 (G2/G1 - 1) + alpha (T2 - T1)`, `V2 = V1 - Rs (I2 - I1) - kappa I2 (T2 - T1) + beta (T2 - T1)`.
/// At least three points, from short circuit to open circuit in rising volts.
pub fn procedure_1(points: &[IvPoint], from: Condition, to: Condition, with: &Procedure1) -> Result<Vec<IvPoint>, Error> {
    check_range("alpha_isc_a_per_k", with.alpha_isc_a_per_k, -1.0, 1.0)?;
    check_range("beta_voc_v_per_k", with.beta_voc_v_per_k, -10.0, 1.0)?;
    check_common(points, from, to, with.r_s_ohm, with.kappa_ohm_per_k)?;
    check_ratio(from, to, FARTHEST_1, "procedure 1 adds the same amps to every point: use procedure 2")?;
    let isc_a = current_at_a(points, 0.0)?;
    let warmer_k = to.cell_c - from.cell_c;
    let step_a = isc_a * (to.poa_w_m2 / from.poa_w_m2 - 1.0) + with.alpha_isc_a_per_k * warmer_k;
    let made = points
        .iter()
        .map(|point| {
            let i_a = point.i_a + step_a;
            let v_v =
                point.v_v - with.r_s_ohm * step_a - with.kappa_ohm_per_k * i_a * warmer_k + with.beta_voc_v_per_k * warmer_k;
            IvPoint { v_v, i_a }
        })
        .collect();
    check_made(made)
}

/// Procedure 2, equations 4 and 5: also beyond 20 %.
///
/// `I2 = I1 (1 + alpha (T2 - T1)) G2/G1`,
/// `V2 = V1 + Voc1 (beta (T2 - T1) + a ln(G2/G1)) - Rs (I2 - I1) - kappa I2 (T2 - T1)`.
pub fn procedure_2(points: &[IvPoint], from: Condition, to: Condition, with: &Procedure2) -> Result<Vec<IvPoint>, Error> {
    check_range("alpha_isc_rel_per_k", with.alpha_isc_rel_per_k, -0.1, 0.1)?;
    check_range("beta_voc_rel_per_k", with.beta_voc_rel_per_k, -0.1, 0.1)?;
    check_range("a", with.a, 0.0, 1.0)?;
    check_common(points, from, to, with.r_s_ohm, with.kappa_ohm_per_k)?;
    check_ratio(from, to, FARTHEST_2, "a curve says nothing of light so far from its own: measure nearer to it")?;
    let voc_v = voltage_at_v(points, 0.0)?;
    let warmer_k = to.cell_c - from.cell_c;
    let sun = to.poa_w_m2 / from.poa_w_m2;
    let shift_v = voc_v * (with.beta_voc_rel_per_k * warmer_k + with.a * sun.ln());
    let made = points
        .iter()
        .map(|point| {
            let i_a = point.i_a * (1.0 + with.alpha_isc_rel_per_k * warmer_k) * sun;
            let v_v = point.v_v + shift_v - with.r_s_ohm * (i_a - point.i_a) - with.kappa_ohm_per_k * i_a * warmer_k;
            IvPoint { v_v, i_a }
        })
        .collect();
    check_made(made)
}

/// What a correction made has to be a curve still: figures that are finite, volts that rise, and a best point inside Voc times Isc. The
/// procedures are for corrections that are small beside the curve.
fn check_made(points: Vec<IvPoint>) -> Result<Vec<IvPoint>, Error> {
    let refused = |why: &str| Err(Error::Inconsistent { field: "points", why: why.to_owned() });
    if points.iter().any(|point| !point.v_v.is_finite() || !point.i_a.is_finite()) {
        return refused("the correction makes figures that are not finite: it is too far for this curve");
    }
    if points.windows(2).any(|pair| pair[1].v_v <= pair[0].v_v) {
        return refused(
            "corrected volts no longer rise from point to point: the resistance or kappa is too large for this correction",
        );
    }
    let figures = five_figures(&points)?;
    let is_curve =
        figures.isc_a > 0.0 && figures.voc_v > 0.0 && figures.pmax_w > 0.0 && figures.pmax_w <= figures.isc_a * figures.voc_v;
    if is_curve {
        Ok(points)
    } else {
        refused("the correction makes no curve of a panel: it is too far, or a coefficient is wrong")
    }
}

/// Farther than this, as a ratio of the light either way, no procedure carries a curve: the standard has procedure 1 for
/// corrections of some 20 %, and procedure 2 for larger ones. Flindo's own limits, far beyond both.
const FARTHEST_1: f64 = 5.0;
const FARTHEST_2: f64 = 20.0;

fn check_ratio(from: Condition, to: Condition, farthest: f64, why: &str) -> Result<(), Error> {
    let ratio = to.poa_w_m2 / from.poa_w_m2;
    if (1.0 / farthest..=farthest).contains(&ratio) {
        return Ok(());
    }
    let why = format!("g2 is {ratio:.3} times g1, and {:.2} to {farthest} times can be corrected; {why}", 1.0 / farthest);
    Err(Error::Inconsistent { field: "g2", why })
}

fn check_common(points: &[IvPoint], from: Condition, to: Condition, r_s_ohm: f64, kappa_ohm_per_k: f64) -> Result<(), Error> {
    check_positive("g1", from.poa_w_m2, 2000.0)?;
    check_positive("g2", to.poa_w_m2, 2000.0)?;
    check_range("t1", from.cell_c, -60.0, 150.0)?;
    check_range("t2", to.cell_c, -60.0, 150.0)?;
    check_range("r_s_ohm", r_s_ohm, 0.0, 100.0)?;
    check_range("kappa_ohm_per_k", kappa_ohm_per_k, -1.0, 1.0)?;
    if points.len() < 3 {
        return Err(Error::Inconsistent {
            field: "points",
            why: format!("a curve needs at least 3 points, and has {}", points.len()),
        });
    }
    for point in points {
        check_range("v_v", point.v_v, -100.0, 2000.0)?;
        check_range("i_a", point.i_a, -1000.0, 1000.0)?;
    }
    if let Some(at) = points.windows(2).position(|pair| pair[1].v_v <= pair[0].v_v) {
        let why = format!("volts must rise from point to point, and do not after point {}", at + 1);
        return Err(Error::Inconsistent { field: "points", why });
    }
    Ok(())
}

/// Current at a voltage, straight between the neighbours; from the two nearest points beyond the ends.
fn current_at_a(points: &[IvPoint], v_v: f64) -> Result<f64, Error> {
    let after = points.partition_point(|point| point.v_v < v_v).clamp(1, points.len() - 1);
    let (a, b) = (points[after - 1], points[after]);
    let i_a = a.i_a + (v_v - a.v_v) / (b.v_v - a.v_v) * (b.i_a - a.i_a);
    check_finite("short-circuit current", i_a)
}

/// Voltage at a current, in the same way; the curve's current falls.
fn voltage_at_v(points: &[IvPoint], i_a: f64) -> Result<f64, Error> {
    let after = points.partition_point(|point| point.i_a > i_a).clamp(1, points.len() - 1);
    let (a, b) = (points[after - 1], points[after]);
    let v_v = a.v_v + (a.i_a - i_a) / (a.i_a - b.i_a) * (b.v_v - a.v_v);
    check_finite("open-circuit voltage", v_v)
}

fn check_finite(what: &str, value: f64) -> Result<f64, Error> {
    let why = || format!("they do not lead to the {what}: measure close to both ends of the curve");
    if value.is_finite() { Ok(value) } else { Err(Error::Inconsistent { field: "points", why: why() }) }
}

/// The five figures of a curve of points in rising volts. Between the points around the best one the current follows a
/// monotone cubic (Fritsch and Carlson 1980), so that the maximum does not depend on where the points happened to lie and
/// never asks for a current that its neighbours do not hold.
pub fn five_figures(points: &[IvPoint]) -> Result<FiveFigures, Error> {
    const STEPS: usize = 256;
    if points.len() < 3 {
        return Err(Error::Inconsistent { field: "points", why: "a curve needs at least 3 points".into() });
    }
    let power_w = |point: &IvPoint| point.v_v * point.i_a;
    let best = (1..points.len() - 1).max_by(|a, b| power_w(&points[*a]).total_cmp(&power_w(&points[*b]))).unwrap_or(1);
    let steps = (0..=STEPS).map(|step| step as f64 / STEPS as f64);
    let around = steps.flat_map(|share| [between(points, best - 1, share), between(points, best, share)]);
    let top = around.max_by(|a, b| power_w(a).total_cmp(&power_w(b))).unwrap_or(points[best]);
    let (isc_a, voc_v) = (current_at_a(points, 0.0)?, voltage_at_v(points, 0.0)?);
    Ok(FiveFigures { isc_a, voc_v, imp_a: top.i_a, vmp_v: top.v_v, pmax_w: power_w(&top) })
}

/// The point a share of the way from point `left` to the next, on the monotone cubic.
fn between(points: &[IvPoint], left: usize, share: f64) -> IvPoint {
    let (a, b) = (points[left], points[left + 1]);
    let width_v = b.v_v - a.v_v;
    let (slope_a, slope_b) = (tangent(points, left), tangent(points, left + 1));
    let (t2, t3) = (share * share, share * share * share);
    let i_a = a.i_a * (2.0 * t3 - 3.0 * t2 + 1.0)
        + slope_a * width_v * (t3 - 2.0 * t2 + share)
        + b.i_a * (3.0 * t2 - 2.0 * t3)
        + slope_b * width_v * (t3 - t2);
    IvPoint { v_v: a.v_v + share * width_v, i_a }
}

/// The slope at a point: the weighted harmonic mean of the slopes beside it, and 0 where they differ in sign.
fn tangent(points: &[IvPoint], at: usize) -> f64 {
    let slope = |left: usize| (points[left + 1].i_a - points[left].i_a) / (points[left + 1].v_v - points[left].v_v);
    if at == 0 {
        return slope(0);
    }
    if at == points.len() - 1 {
        return slope(at - 1);
    }
    let (before, after) = (slope(at - 1), slope(at));
    if before * after <= 0.0 {
        return 0.0;
    }
    let (width_before, width_after) = (points[at].v_v - points[at - 1].v_v, points[at + 1].v_v - points[at].v_v);
    let (w1, w2) = (2.0 * width_after + width_before, width_after + 2.0 * width_before);
    (w1 + w2) / (w1 / before + w2 / after)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::measure::correct::{STC, isc_at_stc_a, voc_at_stc_v};

    const FROM: Condition = Condition { poa_w_m2: 820.0, cell_c: 47.0 };

    /// An ideal-diode curve, dense enough that straight lines between its points do not matter.
    fn curve() -> Vec<IvPoint> {
        let (isc_a, voc_v, width_v) = (7.4, 33.9, 1.75);
        (0..=400)
            .map(|step| f64::from(step) * 0.085)
            .map(|v_v| IvPoint { v_v, i_a: isc_a * (1.0 - ((v_v - voc_v) / width_v).exp()) })
            .collect()
    }

    /// 0.01 W/m2 brought to 1000 made gigawatts; both sides of each limit.
    #[test]
    fn a_curve_is_not_carried_to_light_far_from_its_own() {
        let one = Procedure1 { alpha_isc_a_per_k: 0.004, beta_voc_v_per_k: -0.11, r_s_ohm: 1e-12, kappa_ohm_per_k: 0.0 };
        let two =
            Procedure2 { alpha_isc_rel_per_k: 5e-4, beta_voc_rel_per_k: -3e-3, a: 0.06, r_s_ohm: 0.0, kappa_ohm_per_k: 0.0 };
        let to = Condition { poa_w_m2: 1000.0, cell_c: 25.0 };
        let from = |poa_w_m2: f64| Condition { poa_w_m2, cell_c: 25.0 };
        for (poa_w_m2, by_1, by_2) in
            [(0.01, false, false), (49.0, false, false), (51.0, false, true), (199.0, false, true), (201.0, true, true)]
        {
            assert_eq!(procedure_1(&curve(), from(poa_w_m2), to, &one).is_ok(), by_1, "{poa_w_m2}");
            assert_eq!(procedure_2(&curve(), from(poa_w_m2), to, &two).is_ok(), by_2, "{poa_w_m2}");
        }
    }

    #[test]
    fn to_the_same_conditions_nothing_changes() {
        let with = Procedure1 { alpha_isc_a_per_k: 0.004, beta_voc_v_per_k: -0.12, r_s_ohm: 0.3, kappa_ohm_per_k: 0.001 };
        assert_eq!(procedure_1(&curve(), FROM, FROM, &with).unwrap(), curve());
    }

    /// Worked by hand from the equations: at the short-circuit end I2 = 7.4 + 7.4 (1000/820 - 1) + 0.004 (25 - 47) =
    /// 8.93639 A, V2 = 0 - 0.3 (8.93639 - 7.4) - 0.001 x 8.93639 x (-22) - 0.12 x (-22) = 2.37568 V.
    #[test]
    fn procedure_1_moves_a_point_as_worked_by_hand() {
        let with = Procedure1 { alpha_isc_a_per_k: 0.004, beta_voc_v_per_k: -0.12, r_s_ohm: 0.3, kappa_ohm_per_k: 0.001 };
        let first = procedure_1(&curve(), FROM, STC, &with).unwrap()[0];
        assert!((first.i_a - 8.936_39).abs() < 1e-5 && (first.v_v - 2.375_68).abs() < 1e-4, "{first:?}");
    }

    /// At the two ends procedure 2 is the single-point correction written the other way round: the same in first order.
    #[test]
    fn procedure_2_agrees_with_the_single_points_at_both_ends() {
        let with =
            Procedure2 { alpha_isc_rel_per_k: 0.0005, beta_voc_rel_per_k: -0.0031, a: 0.05, r_s_ohm: 0.0, kappa_ohm_per_k: 0.0 };
        let figures = five_figures(&procedure_2(&curve(), FROM, STC, &with).unwrap()).unwrap();
        assert!((figures.voc_v / voc_at_stc_v(33.9, FROM, -0.0031, 0.05) - 1.0).abs() < 0.01);
        assert!(
            (current_at_a(&procedure_2(&curve(), FROM, STC, &with).unwrap(), 5.0).unwrap() / isc_at_stc_a(7.4, FROM, 0.0005)
                - 1.0)
                .abs()
                < 0.001
        );
    }

    #[test]
    fn the_maximum_does_not_depend_on_where_the_points_lie() {
        let fine = five_figures(&curve()).unwrap();
        let coarse: Vec<IvPoint> = curve().into_iter().step_by(5).collect();
        assert!((five_figures(&coarse).unwrap().pmax_w / fine.pmax_w - 1.0).abs() < 1e-3);
    }

    #[test]
    fn five_points_are_few_but_never_ask_for_more_than_isc() {
        let points = [(0.0, 9.9), (17.1, 9.65), (27.1, 8.54), (32.2, 3.71), (34.3, 0.0)].map(|(v_v, i_a)| IvPoint { v_v, i_a });
        let figures = five_figures(&points).unwrap();
        assert!(figures.imp_a < figures.isc_a && figures.pmax_w >= 27.1 * 8.54 && figures.pmax_w < 245.0, "{figures:?}");
    }

    #[test]
    fn a_broken_curve_is_refused_with_the_place() {
        let with = Procedure1 { alpha_isc_a_per_k: 0.0, beta_voc_v_per_k: 0.0, r_s_ohm: 0.0, kappa_ohm_per_k: 0.0 };
        let mut points = curve();
        points.swap(4, 5);
        assert!(procedure_1(&points, FROM, STC, &with).unwrap_err().to_string().contains("after point"));
        assert!(procedure_1(&points[..2], FROM, STC, &with).is_err());
        assert!(procedure_1(&curve(), Condition { poa_w_m2: 0.0, ..FROM }, STC, &with).is_err());
        assert!(procedure_1(&curve(), FROM, STC, &Procedure1 { r_s_ohm: f64::NAN, ..with }).is_err());
        let flat = [IvPoint { v_v: 0.0, i_a: 5.0 }, IvPoint { v_v: 1.0, i_a: 5.0 }, IvPoint { v_v: 2.0, i_a: 5.0 }];
        assert!(five_figures(&flat).is_err());
    }
}
