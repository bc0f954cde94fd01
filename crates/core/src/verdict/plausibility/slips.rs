//! Readings that fit once one of their figures is taken times a power of ten, or as degrees Fahrenheit.

use super::super::assessment::AssessedReading;
use super::super::effect::{Effects, Seen};
use super::super::finding::{Finding, Named};
use super::super::subject::Subject;
use crate::measure::correct::Condition;
use crate::measure::quantity::Quantity;
use crate::record::setup::Load;
use crate::record::test::{ReadingRecord, TestRecord};
use crate::units::fahrenheit_to_c;

/// No cell in the sun is hotter, C. Common practice, no source: 75 on a hot roof without wind.
const HOTTEST_CELL_C: f64 = 88.0;

/// nor air in the shade.
const HOTTEST_AIR_C: f64 = 55.0;

/// From so many degrees on a cell temperature may be one of Fahrenheit: 17 C in the sun are rare. Flindo's own limit.
const MAYBE_FAHRENHEIT: f64 = 62.0;

/// Volts at the best point that are this far over those of the temperature read contradict it; and this near, they agree with the one
/// in Fahrenheit. Flindo's own limits: label and meter.
const VOLTS_OVER_REL: f64 = 1.08;
const VOLTS_AGREE_REL: f64 = 0.06;

/// A value times a factor is that of the label within these.
const FITS: std::ops::Range<f64> = 0.7..1.4;

/// More amps than this over Isc are none of the panels at any light. Flindo's own limit: cloud edges and meters together.
const OVER_SHORT_REL: f64 = 1.6;

const TENS: [f64; 4] = [10.0, 0.1, 1000.0, 0.001];

/// Every slip of unit.
pub(super) fn unit_slips(
    record: &TestRecord,
    ordered: &[&ReadingRecord],
    subjects: &[Subject<'_>],
    assessed: &[AssessedReading],
    effects: &Effects<'_>,
) -> Vec<Named> {
    let mut named = Vec::new();
    for (reading, judged) in ordered.iter().zip(assessed) {
        let subject = &subjects[judged.level];
        // A shaded level may be anything.
        let is_whole = record.question.is_of_rating() || judged.level == 0;
        let whole = is_whole.then(|| of_tens(reading, subject).chain(exchanged(reading, subject)));
        let found = of_degrees(reading, judged, subject).chain(whole.into_iter().flatten());
        named.extend(found.map(|finding| effects.of_reading(finding, Seen::InReading, judged.level, &reading.uid)));
    }
    named
}

/// Degrees that no cell or air has, or that the panel's own volts contradict.
fn of_degrees<'a>(
    reading: &'a ReadingRecord,
    judged: &'a AssessedReading,
    subject: &'a Subject<'_>,
) -> impl Iterator<Item = Finding> + 'a {
    [Quantity::Cell, Quantity::Back, Quantity::Air].into_iter().filter_map(move |quantity| {
        let degrees = reading.figures.value(quantity, subject.setup.unsteady)?;
        let hottest_c = if quantity == Quantity::Air { HOTTEST_AIR_C } else { HOTTEST_CELL_C };
        let is_impossible = degrees > hottest_c;
        let is_contradicted = quantity != Quantity::Air && contradicted_by_volts(degrees, reading, judged, subject);
        let likely = fahrenheit_to_c(degrees);
        (is_impossible || is_contradicted).then_some(Finding::UnitSlip { quantity, value: degrees, likely, factor: None })
    })
}

/// A load at its best point shows volts that are far over those of so hot a cell, and right for the same figure in Fahrenheit.
fn contradicted_by_volts(degrees: f64, reading: &ReadingRecord, judged: &AssessedReading, subject: &Subject<'_>) -> bool {
    if degrees < MAYBE_FAHRENHEIT || subject.setup.load != Load::LoadTester || subject.count() > 1 {
        return false;
    }
    let (Some(known), Ok(arrangement)) = (&judged.result.known, &subject.arrangement) else { return false };
    let Some(voltage_v) = reading.figures.value(Quantity::Voltage, subject.setup.unsteady) else { return false };
    let best_v = |cell_c: f64| arrangement.unlimited(Condition { cell_c, ..known.at }).map(|gives| gives.at_v);
    let (Ok(as_read_v), Ok(as_fahrenheit_v)) = (best_v(known.at.cell_c), best_v(fahrenheit_to_c(degrees))) else { return false };
    voltage_v > VOLTS_OVER_REL * as_read_v && (voltage_v / as_fahrenheit_v - 1.0).abs() < VOLTS_AGREE_REL
}

/// Amps beyond any short circuit of the panels that are their volts, beside volts that are their amps.
fn exchanged(reading: &ReadingRecord, subject: &Subject<'_>) -> Option<Finding> {
    let of = |quantity| reading.figures.value(quantity, subject.setup.unsteady);
    let (voltage_v, current_a) = (of(Quantity::Voltage)?, of(Quantity::Current)?);
    let usual = subject.arrangement.as_ref().ok()?.open_short();
    let light_rel = of(Quantity::Poa).map_or(1.0, |poa| poa / 1000.0);
    let is_beyond = current_a > OVER_SHORT_REL * usual.isc_a * light_rel.max(1.0);
    let fits = |read: f64, usual: f64| (0.5..FITS.end).contains(&(read / usual));
    let is_other = fits(current_a, 0.8 * usual.voc_v) && fits(voltage_v, 0.93 * usual.isc_a * light_rel);
    (is_beyond && is_other).then_some(Finding::Exchanged { voltage_v, current_a })
}

/// Volts and amps that are the label's after a power of ten.
fn of_tens<'a>(reading: &'a ReadingRecord, subject: &'a Subject<'_>) -> impl Iterator<Item = Finding> + 'a {
    let of = |quantity| reading.figures.value(quantity, subject.setup.unsteady);
    let read_rel = of(Quantity::Poa).map(|poa| poa / 1000.0);
    let light_rel = read_rel.unwrap_or(0.7);
    let usual = subject.arrangement.as_ref().ok().map(|made| made.open_short());
    let usual = usual.into_iter().flat_map(move |usual| {
        [
            (Quantity::Voltage, usual.voc_v * 0.8),
            (Quantity::Voc, usual.voc_v),
            (Quantity::Current, usual.isc_a * 0.93 * light_rel),
            (Quantity::Isc, usual.isc_a * light_rel),
            (Quantity::Power, usual.voc_v * usual.isc_a * 0.75 * light_rel),
        ]
    });
    // A non-tracking controller holds the panel anywhere.
    let is_free = |quantity| quantity == Quantity::Voltage && subject.setup.load == Load::PwmController;
    usual.filter(move |(quantity, usual)| *usual > 0.0 && !is_free(*quantity)).filter_map(move |(quantity, usual)| {
        let read = reading.figures.value(quantity, subject.setup.unsteady).filter(|read| *read > 0.0)?;
        // Where nobody read the light, few amps are those of a dim sky.
        let may_be_dim = read_rel.is_none() && matches!(quantity, Quantity::Current | Quantity::Isc | Quantity::Power);
        // A tenth of the watts is a faulty panel more often than a slip; a thousandth is kilowatts typed as watts.
        let is_told = |factor: f64| quantity != Quantity::Power || !(0.01..100.0).contains(&factor);
        let factors = TENS.into_iter().filter(|factor| (*factor < 1.0 || !may_be_dim) && is_told(*factor));
        let factor = factors.into_iter().find(|factor| FITS.contains(&(read * factor / usual)))?;
        Some(Finding::UnitSlip { quantity, value: read, likely: read * factor, factor: Some(factor) })
    })
}
