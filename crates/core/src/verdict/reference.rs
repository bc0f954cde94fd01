//! A reference panel or cell beside the panel under test as the source of irradiance: its amps or watts, over those at STC.

use crate::derivation::Formula;
use crate::measure::instrument::{Accuracy, Instruments, standard_from_limit};
use crate::measure::quantity::{Figures, Quantity, Seen};
use crate::record::setup::{ReferenceBy, Setup};

/// Temperature coefficients where nobody stated them, 1/K, and how far they may be off: crystalline silicon; common practice, no source.
const ISC_PER_K: f64 = 0.0005;
const ISC_PER_K_LIMIT: f64 = 0.0003;
const POWER_PER_K: f64 = -0.0040;
const POWER_PER_K_LIMIT: f64 = 0.0005;

/// Bolted to the rack of the panel under test it lies within 1 degree of its plane, which at 30 degrees of incidence is 1 % of the beam
/// (the tangent of 30 degrees times 1 degree). Common practice, no source.
pub(super) const REFERENCE_PLANE_LIMIT_REL: f64 = 0.01;

/// Power follows the light less closely than the short-circuit current: within this share over 400 W/m2. Common practice, no source.
const POWER_LINEARITY_LIMIT_REL: f64 = 0.01;

/// How far another panel on the same rack may be from the temperature of the one that was measured, K. Common practice, no source.
const BESIDE_LIMIT_K: f64 = 4.0;

/// Between which temperatures a reference lies that nobody measured, C: from winter to a hot roof. Common practice, no source.
const UNREAD_C: (f64, f64) = (5.0, 75.0);

/// See [`Reading::poa_w_m2`].
pub(super) const BY_REFERENCE: Formula = Formula {
    text: "1000 \u{d7} (read / at STC) / (1 + coefficient \u{d7} (T \u{2212} 25))",
    source: "IEC 60904-2:2015; IEC 60891:2021 (from memory)",
};

/// What a reference says of the light in its plane.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Reading {
    /// In W/m2, its steps and range too.
    pub light: Seen,
    /// In the unit of `by`.
    pub read: f64,
    pub by: ReferenceBy,
    pub per_k: f64,
    pub cell_c: f64,
    /// Standard uncertainty of calibration, meter, coefficient and temperature together, as a share of the light.
    pub u_rel: f64,
}

/// The light in the plane by the reference of a test; `None` where it has none or none was read. `beside_c` is the cell temperature of the
/// panel under test.
pub(super) fn reading(figures: &Figures, setup: &Setup, beside_c: Option<f64>) -> Option<Reading> {
    let reference = setup.reference()?;
    let (quantity, stc) = match reference.by {
        ReferenceBy::Isc { isc_a } => (Quantity::ReferenceCurrent, isc_a),
        ReferenceBy::Power { pmax_w } => (Quantity::ReferencePower, pmax_w),
    };
    let seen = figures.get(quantity).filter(|seen| seen.value(setup.unsteady) > 0.0)?;
    let Response { per_k, per_k_limit, linearity_rel } = response(reference.by);
    let own_c = figures.get(Quantity::ReferenceCell).map(|cell| cell.value(setup.unsteady));
    let (cell_c, cell_limit_k) = match (own_c, beside_c) {
        (Some(own_c), _) => (own_c, setup.instruments.thermometer_k),
        (None, Some(beside_c)) => (beside_c, setup.instruments.thermometer_k + BESIDE_LIMIT_K),
        (None, None) => ((UNREAD_C.0 + UNREAD_C.1) / 2.0, (UNREAD_C.1 - UNREAD_C.0) / 2.0),
    };
    let read = seen.value(setup.unsteady);
    let by_temperature = 1.0 + per_k * (cell_c - 25.0);
    let w_m2_per_read = 1000.0 / (stc * by_temperature);
    let parts = [
        reference.limit_percent / 100.0,
        meter(reference.by, &setup.instruments).limit(read, seen.step) / read,
        per_k_limit * (cell_c - 25.0) / by_temperature,
        per_k * cell_limit_k / by_temperature,
        linearity_rel,
    ];
    Some(Reading {
        light: Seen {
            low: seen.low * w_m2_per_read,
            high: seen.high * w_m2_per_read,
            step: seen.step * w_m2_per_read,
            how: seen.how,
        },
        read,
        by: reference.by,
        per_k,
        cell_c,
        u_rel: root_of_squares(parts.map(standard_from_limit)),
    })
}

/// The irradiance in the plane as it was read there: by a meter, or by the reference of the test.
pub(super) fn light_in_plane(figures: &Figures, setup: &Setup) -> Option<Seen> {
    let by_reference =
        reading(figures, setup, figures.value(Quantity::Cell, setup.unsteady).or(figures.value(Quantity::Back, setup.unsteady)));
    by_reference.map(|reading| reading.light).or_else(|| figures.get(Quantity::Poa).copied())
}

/// The standard uncertainty that a reference known within `calibration_limit_rel` would bring, read by amps with these instruments and its
/// own thermometer, at 50 C: what is promised to who has none yet.
pub(super) fn promised_u_rel(calibration_limit_rel: f64, instruments: &Instruments) -> f64 {
    let meter_rel = instruments.amps.percent / 100.0;
    let temperature_rel = ISC_PER_K * instruments.thermometer_k;
    let parts =
        [calibration_limit_rel, REFERENCE_PLANE_LIMIT_REL, meter_rel, ISC_PER_K_LIMIT * 25.0, temperature_rel, 0.5 * DISPLAY_REL];
    root_of_squares(parts.map(standard_from_limit))
}

/// A step of a display of three digits and more, as a share of what it shows at most.
const DISPLAY_REL: f64 = 0.01;

/// How what a reference shows follows its temperature and the light.
struct Response {
    per_k: f64,
    per_k_limit: f64,
    linearity_rel: f64,
}

fn response(by: ReferenceBy) -> Response {
    match by {
        ReferenceBy::Isc { .. } => Response { per_k: ISC_PER_K, per_k_limit: ISC_PER_K_LIMIT, linearity_rel: 0.0 },
        ReferenceBy::Power { .. } => {
            Response { per_k: POWER_PER_K, per_k_limit: POWER_PER_K_LIMIT, linearity_rel: POWER_LINEARITY_LIMIT_REL }
        }
    }
}

fn meter(by: ReferenceBy, instruments: &Instruments) -> Accuracy {
    match by {
        ReferenceBy::Isc { .. } => instruments.amps,
        ReferenceBy::Power { .. } => instruments.watts,
    }
}

fn root_of_squares<const N: usize>(parts: [f64; N]) -> f64 {
    parts.iter().map(|part| part * part).sum::<f64>().sqrt()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::measure::entry::understand;
    use crate::record::setup::IrradianceSource;

    fn of(line: &str, setup: Setup) -> Option<Reading> {
        let setup = Setup { irradiance_source: IrradianceSource::Reference, ..setup };
        reading(&understand(line, &setup.meaning()).unwrap().figures(), &setup, Some(50.0))
    }

    /// By hand: 5.2 of 5.9 A at 48 C are 1000 x 0.88136 / (1 + 0.0005 x 23) = 871.3 W/m2; 88 of 100 W are 880 / (1 - 0.004 x 23) = 969.2;
    /// without its own temperature that of the panel counts: 880 / (1 - 0.004 x 25) = 977.8.
    #[test]
    fn amps_and_watts_of_a_reference_become_light() {
        let by_amps = Setup { reference_isc_a: Some(5.9), ..Setup::default() };
        let by_watts = Setup { reference_pmax_w: Some(100.0), ..Setup::default() };
        let light = |line: &str, setup: Setup| of(line, setup).unwrap().light.value(setup.unsteady);
        assert!((light("18.4 V 5.6 A ref 5.2 A ref 48 C", by_amps) - 871.3).abs() < 0.05);
        assert!((light("18.4 V 5.6 A ref 88 W ref 48 C", by_watts) - 969.2).abs() < 0.05);
        assert!((light("18.4 V 5.6 A ref 88 W", by_watts) - 977.8).abs() < 0.05);
        assert_eq!(of("18.4 V 5.6 A ref 88 W", by_amps), None);
        assert_eq!(of("18.4 V 5.6 A 900 W/m2", by_amps), None);
    }

    /// By hand, limits over the root of 3: 2 % of calibration, 1.5 % and one step of 0.1 in 5.2 (1.92 %) of the ammeter together 3.42 %,
    /// 0.68 % of the coefficient (0.0003 x 23 / 1.0115), 0.10 % of the thermometer: the root of their squares is 4.024 %, over 1.7321
    /// 2.323 %.
    #[test]
    fn what_a_reference_leaves_open_is_in_the_light() {
        let setup = Setup { reference_isc_a: Some(5.9), ..Setup::default() };
        let u_rel = of("18.4 V 5.6 A ref 5.2 A ref 48 C", setup).unwrap().u_rel;
        assert!((u_rel - 0.023_23).abs() < 2e-5, "{u_rel}");
        let half = Setup { reference_percent: Some(1.0), ..setup };
        assert!(of("18.4 V 5.6 A ref 5.2 A ref 48 C", half).unwrap().u_rel < u_rel);
    }
}
