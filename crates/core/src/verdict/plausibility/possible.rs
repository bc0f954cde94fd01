//! Light, temperature and working point against what a sky and a panel can give.

use super::super::assessment::AssessedReading;
use super::super::finding::{Finding, OffMaximum};
use super::super::maximum::{self, LoadPoint};
use super::super::point::LOADED_VOLTS_REL;
use super::super::rating::ReadingResult;
use super::super::reference::light_in_plane;
use super::super::subject::Subject;
use crate::constants::RATING_MIN_POA_W_M2;
use crate::measure::quantity::Quantity;
use crate::record::setup::Load;
use crate::record::test::{ReadingRecord, TestRecord};
use crate::sky::plane::Plane;

/// The clearest air there is, for the most that a sky can give.
const CLEAREST_TURBIDITY: f64 = 2.0;

/// Cloud edges add up to half of the clear sky for minutes. From memory: enhancements of 1.3 are common, 1.5 are the records. Below the
/// first, haze and snow about the panel explain it: the clear-sky model is good to a few percent.
const CLOUD_EDGE_REL: (f64, f64) = (1.05, 1.45);

/// Without a place: more than a clear sky gives on any plane near sea level and in the hills, W/m2. Common practice, no source.
const BRIGHTEST_W_M2: f64 = 1150.0;

/// More watts than this over what the label's circuit gives at the light and temperature read are no working point of it. Flindo's own
/// limit: tolerance, light and thermometer together.
const OVER_CURVE_REL: f64 = 1.15;

/// Open volts are within the first share of those of the label's circuit, short amps and their product within the second, since the light
/// meter is in them. Flindo's own limits, between a fill factor of 0.8 and 1.
const NEAR_OPEN_REL: f64 = 0.07;
const NEAR_SHORT_REL: f64 = 0.12;

/// Volts below this share of the label's Voc, with amps above this share of its Isc, are a short circuit or leads that are off: no load
/// that a panel works into lies there. Flindo's own limits.
const NO_VOLTS_REL: f64 = 0.02;
const SOME_AMPS_REL: f64 = 0.05;

/// What a clear sky of the clearest air gives on a plane at the moment of a reading.
fn clearest_w_m2(record: &TestRecord, reading: &ReadingRecord, result: &ReadingResult, plane: &Plane) -> Option<f64> {
    let (site, now) = (record.site.as_ref()?, result.now?);
    Some(now.through(site, reading.day_of_year, CLEAREST_TURBIDITY).ok()?.on(plane).poa_w_m2)
}

/// Light, temperature and working point against what can be.
pub(super) fn of_reading(
    record: &TestRecord,
    reading: &ReadingRecord,
    result: &ReadingResult,
    subject: &Subject<'_>,
) -> Vec<Finding> {
    let unsteady = subject.setup.unsteady;
    let mut found = Vec::new();
    if let Some(poa_w_m2) = light_in_plane(&reading.figures, &subject.setup).map(|seen| seen.value(unsteady)) {
        let clear_w_m2 = clearest_w_m2(record, reading, result, &subject.setup.plane());
        // What the meter may read too much, and a few W/m2 of sky near the horizon.
        let most_read_rel = 1.0 + subject.setup.instruments.sun_percent / 100.0;
        let over = |times: f64| clear_w_m2.is_some_and(|clear| poa_w_m2 > clear * times * most_read_rel + 20.0);
        if over(CLOUD_EDGE_REL.1) {
            found.push(Finding::SunImpossible { poa_w_m2, clear_w_m2: clear_w_m2.unwrap_or_default() });
        } else if over(CLOUD_EDGE_REL.0) || clear_w_m2.is_none() && poa_w_m2 > BRIGHTEST_W_M2 {
            // The light of an edge moves faster than meter, panel and load follow: no watts are divided by it.
            found.push(Finding::CloudEdge { poa_w_m2, clear_w_m2 });
        }
    }
    found.extend(no_volts(reading, subject));
    found.extend(over_curve(reading, result, subject));
    let is_limited = subject.taking.at_limit(&reading.figures, &subject.setup).is_some();
    if record.question.is_of_rating() && found.is_empty() && !is_limited {
        found.extend(off_maximum(reading, result, subject));
    }
    found
}

/// Volts and amps that are not those of a maximum. Of panels that are tied to a battery the set-up tells it already.
fn off_maximum(reading: &ReadingRecord, result: &ReadingResult, subject: &Subject<'_>) -> Option<Finding> {
    if subject.setup.load == Load::PwmController {
        return None;
    }
    let known = result.known.as_ref().filter(|known| known.at.poa_w_m2 >= RATING_MIN_POA_W_M2)?;
    let (panel, in_string, strings) = subject.arrangement.as_ref().ok()?.of_like_panels()?;
    let of = |quantity| reading.figures.value(quantity, subject.setup.unsteady).filter(|value| *value > 0.0);
    let (voltage_v, current_a) = (of(Quantity::Voltage)?, of(Quantity::Current)?);
    let (in_string, strings) = (in_string as f64, strings as f64);
    let point = LoadPoint {
        voltage_v: voltage_v / in_string,
        current_a: current_a / strings,
        voc_v: of(Quantity::Voc).map(|voc_v| voc_v / in_string),
        isc_a: of(Quantity::Isc).map(|isc_a| isc_a / strings),
    };
    let off = maximum::off_maximum(panel, known, point)?;
    let off = OffMaximum { vmp_v: off.vmp_v * in_string, ..off };
    Some(Finding::NotAtMaximum { voltage_v, current_a, off })
}

/// Amps of a panel in the sun beside volts at which no load works.
fn no_volts(reading: &ReadingRecord, subject: &Subject<'_>) -> Option<Finding> {
    let of = |quantity| reading.figures.value(quantity, subject.setup.unsteady);
    let (voltage_v, current_a) = (of(Quantity::Voltage)?, of(Quantity::Current)?);
    let label = subject.label();
    let open_v = label.voc_v.or(label.vmp_v)?;
    let short_a = label.isc_a.or(label.imp_a)?;
    let is_shorted = voltage_v < NO_VOLTS_REL * open_v && current_a > SOME_AMPS_REL * short_a;
    is_shorted.then_some(Finding::NoVolts { voltage_v, current_a })
}

/// Watts above the curve of the label's circuit at the light and temperature that were read.
fn over_curve(reading: &ReadingRecord, result: &ReadingResult, subject: &Subject<'_>) -> Option<Finding> {
    let known = result.known.as_ref()?;
    let arrangement = subject.arrangement.as_ref().ok()?;
    let watts_w = reading.figures.loaded_power_w(subject.setup.unsteady)?;
    let most = arrangement.unlimited(known.at).ok()?;
    if watts_w <= OVER_CURVE_REL * most.watts_w || known.at.poa_w_m2 < 50.0 {
        return None;
    }
    let open_times_short_w = most.voc_v * most.isc_a;
    let (voltage_v, current_a) = (
        reading.figures.value(Quantity::Voltage, subject.setup.unsteady),
        reading.figures.value(Quantity::Current, subject.setup.unsteady),
    );
    let near = |read: Option<f64>, of: f64, within: f64| read.is_none_or(|read| (read / of - 1.0).abs() < within);
    let is_under_load = reading
        .figures
        .value(Quantity::Voc, subject.setup.unsteady)
        .zip(voltage_v)
        .is_some_and(|(voc_v, voltage_v)| voltage_v < LOADED_VOLTS_REL * voc_v);
    let is_product = !is_under_load
        && near(Some(watts_w), open_times_short_w, NEAR_SHORT_REL)
        && near(voltage_v, most.voc_v, NEAR_OPEN_REL)
        && near(current_a, most.isc_a, NEAR_SHORT_REL);
    Some(if is_product {
        Finding::OpenTimesShort { voltage_v, current_a, watts_w }
    } else {
        Finding::NotAWorkingPoint { watts_w, most_w: most.watts_w }
    })
}

/// The light of plane and horizontal has to differ by this much before a sensor can be told to lie in the wrong one.
const PLANES_DIFFER_REL: f64 = 0.10;

/// A meter whose light is that of the horizontal, beside a panel whose watts are those of its plane.
///
/// With the clear sky's ratio of plane to horizontal `r`, a sensor in the plane reads `r` times the clear horizontal and a sound panel
/// gives 100 % of its label; one that lies flat reads once the horizontal, and the panel gives `r` times 100 %. Both are told on the scale
/// of `ln r`, on which haze shifts the first alone and age the second.
pub(super) fn tilted_sensor(
    record: &TestRecord,
    ordered: &[&ReadingRecord],
    subjects: &[Subject<'_>],
    assessed: &[AssessedReading],
) -> Option<Finding> {
    let site = record.site.as_ref()?;
    let mut seen: Vec<[f64; 4]> = Vec::new();
    for (reading, judged) in ordered.iter().zip(assessed) {
        let subject = &subjects[judged.level];
        let Some(poa_w_m2) = reading.figures.value(Quantity::Poa, subject.setup.unsteady) else { continue };
        let Some(point) = judged.result.pmax.as_ref().filter(|point| point.circuit.product() > 0.9) else { continue };
        let moment = judged.result.now?.through(site, reading.day_of_year, site.linke_turbidity).ok()?;
        let on = |plane: &Plane| moment.on(plane).poa_w_m2;
        seen.push([poa_w_m2, on(&subject.setup.plane()), on(&Plane { tilt_deg: 0.0, azimuth_deg: 180.0 }), point.percent]);
    }
    if seen.is_empty() {
        return None;
    }
    let mean = |nth: usize| seen.iter().map(|one| one[nth]).sum::<f64>() / seen.len() as f64;
    let (poa_w_m2, plane_w_m2, horizontal_w_m2) = (mean(0), mean(1), mean(2));
    let ratio = plane_w_m2 / horizontal_w_m2.max(1.0);
    if (ratio - 1.0).abs() < PLANES_DIFFER_REL {
        return None;
    }
    let by_sensor = (poa_w_m2 / horizontal_w_m2).ln() / ratio.ln();
    let by_panel = (mean(3) / 100.0).ln() / ratio.ln();
    let is_flat = (-1.0..0.5).contains(&by_sensor) && by_panel > 0.4;
    is_flat.then_some(Finding::SensorNotInPlane { poa_w_m2, plane_w_m2, horizontal_w_m2 })
}
