//! Every reading and the whole test held against what is possible and against what conditions, gear and preflight already know.

use super::assess::AssessedReading;
use super::comparison::Comparison;
use super::finding::{Effect, Finding, Limit, Named};
use super::subject::Subject;
use crate::measure::quantity::{Dimension, Figures, Quantity, Wobble};
use crate::preflight::item::{Level as ItemLevel, Risk};
use crate::preflight::preflight;
use crate::record::condition::{Factor, changed, differences};
use crate::record::setup::Load;
use crate::record::test::{ReadingRecord, TestRecord};
use crate::rig::Sink;
use crate::sky::course::Moment;
use crate::sky::note::SkyNote;
use crate::sky::plane::Plane;
use crate::units::fahrenheit_to_c;

/// Within a run, and with the light taken out, readings repeat to about this. Common practice, no source.
const PATTERN_REL: f64 = 0.15;

/// A factor of ten, give or take a third.
const TENFOLD: std::ops::Range<f64> = 6.7..15.0;

/// A settled load stands still to about this, percent.
const WANDER_PERCENT: f64 = 8.0;

/// The clearest air there is, for the most that a sky can give.
const CLEAREST_TURBIDITY: f64 = 2.0;

/// Cloud edges add up to half of the clear sky for minutes. From memory: enhancements of 1.3 are common, 1.5 are the records.
const CLOUD_EDGE_REL: (f64, f64) = (1.12, 1.5);

/// More watts than this over what the label's circuit gives at the light and temperature read are no working point of it. Flindo's own
/// limit: tolerance, light and thermometer together.
const OVER_CURVE_REL: f64 = 1.15;

/// No cell in the sun is hotter, C. Common practice, no source: 75 on a hot roof without wind.
const HOTTEST_CELL_C: f64 = 88.0;

/// Readings this alike are the same; light that moved by this much should have moved them.
const FLAT_REL: f64 = 0.006;
const MOVED_REL: f64 = 0.05;

/// What conditions, gear and preflight already know.
pub(super) fn of_conditions(record: &TestRecord, subjects: &[Subject<'_>]) -> Vec<Named> {
    let mut named = Vec::new();
    if let Some(plan) = &record.plan {
        for (index, changes) in plan.levels.iter().enumerate() {
            let factors = differences(&plan.baseline, &changed(&plan.baseline, changes));
            if factors.len() > 1 {
                named.push(Named::of_level(Finding::TwoChanges { factors }, Effect::Told, index + 1));
            }
        }
    }
    if let Some(rig) = record.rig_at(&record.conditions(0)) {
        let is_charging = subjects[0].setup.load.is_charging();
        let items = preflight(&rig.rig);
        named.extend(
            items.iter().filter(|item| item.level != ItemLevel::Ok).filter_map(|item| of_preflight(&item.risk, is_charging)),
        );
        if let (Sink::Station { station, .. }, true) = (&rig.rig.sink, is_charging) {
            let state_of_charge_percent = Some(station.state_of_charge_percent).filter(|percent| *percent >= 95.0);
            if state_of_charge_percent.is_some() {
                named.push(Named::of_test(Finding::Throttled { state_of_charge_percent, share: None }, Effect::Forbids));
            }
        }
    }
    for (level, subject) in subjects.iter().enumerate() {
        let label = subject.label();
        let is_bifacial = label.bifaciality.is_some_and(|share| share > 0.0);
        let rear = record.readings.iter().find_map(|reading| reading.figures.get(Quantity::Rear));
        if is_bifacial && record.question.is_of_rating() {
            let rear_w_m2 = rear.map(|seen| seen.value(subject.setup.wobble));
            let effect = if rear_w_m2.is_some() { Effect::Told } else { Effect::Forbids };
            named.push(Named::of_level(Finding::RearLight { rear_w_m2, bifaciality: label.bifaciality }, effect, level));
        }
    }
    named
}

/// A caution of the preflight that bears on the figures; what only endangers the gear stays with the preflight.
fn of_preflight(risk: &Risk, is_charging: bool) -> Option<Named> {
    let told = |finding| Some(Named::of_test(finding, Effect::Told));
    match risk {
        Risk::NearlyFull { state_of_charge_percent, .. } if is_charging => {
            let finding = Finding::Throttled { state_of_charge_percent: Some(*state_of_charge_percent), share: None };
            Some(Named::of_test(finding, Effect::Forbids))
        }
        Risk::Clips { full_w, .. } if is_charging => {
            told(Finding::Capped { watts_w: *full_w, limit_w: None, by: Limit::OutputCurrent })
        }
        Risk::InputWatts { watts_w, limit_w } | Risk::PortWatts { watts_w, limit_w } if is_charging => {
            told(Finding::Capped { watts_w: *watts_w, limit_w: Some(*limit_w), by: Limit::InputPower })
        }
        Risk::TiedWaste { vmp_v, battery_v, .. } if is_charging => {
            told(Finding::NotTracking { input_v: *vmp_v, battery_v: *battery_v, efficiency: None })
        }
        Risk::StartVolts { hot_vmp_v, start_v, .. } if is_charging => {
            told(Finding::ControllerAsleep { hot_vmp_v: Some(*hot_vmp_v), start_v: Some(*start_v) })
        }
        Risk::UnlikeAmps { .. } | Risk::UnlikeVolts { .. } => told(Finding::Mismatch { lost_percent: None }),
        Risk::Worn { wear, .. } if wear.stops() => told(Finding::Damage),
        _ => None,
    }
}

/// What single readings, and all of them together, show.
pub(super) fn of_readings(
    record: &TestRecord,
    ordered: &[&ReadingRecord],
    subjects: &[Subject<'_>],
    assessed: &[AssessedReading],
) -> Vec<Named> {
    let mut named = Vec::new();
    for (reading, judged) in ordered.iter().zip(assessed) {
        let subject = &subjects[judged.level];
        let mut found = possible(record, reading, judged, subject);
        found.extend(at_limit(reading, judged, subject));
        found.extend(in_pattern(record, ordered, reading, subject));
        named.extend(found.into_iter().map(|(finding, effect)| Named::of_reading(finding, effect, judged.level, &reading.uid)));
    }
    named.extend(flat_top(ordered, assessed, subjects));
    named.extend(unit_slips(record, ordered, subjects, assessed));
    named.extend(tilted_sensor(record, ordered, subjects, assessed));
    named
}

fn value(figures: &Figures, quantity: Quantity, wobble: Wobble) -> Option<f64> {
    figures.get(quantity).map(|seen| seen.value(wobble))
}

/// What a clear sky of the clearest air gives on a plane at the moment of a reading.
fn clearest_w_m2(record: &TestRecord, reading: &ReadingRecord, plane: &Plane) -> Option<f64> {
    let site = record.site.as_ref()?;
    let unix_s = reading.taken_utc.as_second() as f64;
    let moment = Moment::with_turbidity(site, unix_s, reading.day_of_year, CLEAREST_TURBIDITY).ok()?;
    Some(moment.on(plane).poa_w_m2)
}

/// Light, temperature and working point against what can be.
fn possible(
    record: &TestRecord,
    reading: &ReadingRecord,
    judged: &AssessedReading,
    subject: &Subject<'_>,
) -> Vec<(Finding, Effect)> {
    let wobble = subject.setup.wobble;
    let mut found = Vec::new();
    if let Some(poa_w_m2) = value(&reading.figures, Quantity::Poa, wobble) {
        let clear_w_m2 = clearest_w_m2(record, reading, &subject.setup.plane());
        // A meter's few percent and a few W/m2 of sky near the horizon.
        let over = |times: f64| clear_w_m2.is_some_and(|clear| poa_w_m2 > clear * times + 40.0);
        if over(CLOUD_EDGE_REL.1) {
            found.push((Finding::SunImpossible { poa_w_m2, clear_w_m2: clear_w_m2.unwrap_or_default() }, Effect::LeftOut));
        } else if over(CLOUD_EDGE_REL.0) || clear_w_m2.is_none() && poa_w_m2 > 1150.0 {
            found.push((Finding::CloudEdge { poa_w_m2, clear_w_m2 }, Effect::Told));
        }
    }
    if let Some(watts) = over_curve(reading, judged, subject) {
        found.push((watts, Effect::LeftOut));
    }
    found
}

/// Watts above the curve of the label's circuit at the light and temperature that were read.
fn over_curve(reading: &ReadingRecord, judged: &AssessedReading, subject: &Subject<'_>) -> Option<Finding> {
    let known = judged.result.known.as_ref()?;
    let arrangement = subject.arrangement.as_ref().ok()?;
    let watts_w = reading.figures.loaded_power_w(subject.setup.wobble)?;
    let most = arrangement.unlimited(known.at).ok()?;
    if watts_w <= OVER_CURVE_REL * most.watts_w || known.at.poa_w_m2 < 50.0 {
        return None;
    }
    let open_times_short_w = most.voc_v * most.isc_a;
    let (voltage_v, current_a) = (
        value(&reading.figures, Quantity::Voltage, subject.setup.wobble),
        value(&reading.figures, Quantity::Current, subject.setup.wobble),
    );
    let near = |read: Option<f64>, of: f64| read.is_none_or(|read| (read / of - 1.0).abs() < 0.07);
    let is_product =
        (watts_w / open_times_short_w - 1.0).abs() < 0.08 && near(voltage_v, most.voc_v) && near(current_a, most.isc_a);
    Some(if is_product {
        Finding::OpenTimesShort { voltage_v, current_a, watts_w }
    } else {
        Finding::NotAWorkingPoint { watts_w, most_w: most.watts_w }
    })
}

fn at_limit(reading: &ReadingRecord, judged: &AssessedReading, subject: &Subject<'_>) -> Option<(Finding, Effect)> {
    let finding = subject.taking.at_limit(&reading.figures, &subject.setup)?;
    // Where the light is known and the panel could not give more, the limit is met by chance.
    let could_give_w = judged
        .result
        .known
        .as_ref()
        .zip(subject.arrangement.as_ref().ok())
        .and_then(|(known, arrangement)| arrangement.unlimited(known.at).ok())
        .map(|gives| gives.watts_w);
    let watts_w = reading.figures.loaded_power_w(subject.setup.wobble)?;
    let is_met_by_chance = could_give_w.is_some_and(|could_w| could_w < watts_w * 0.97);
    (!is_met_by_chance).then_some((finding, Effect::LeftOut))
}

/// A reading beside the others of its run, and beside its run's own time.
fn in_pattern(
    record: &TestRecord,
    ordered: &[&ReadingRecord],
    reading: &ReadingRecord,
    subject: &Subject<'_>,
) -> Vec<(Finding, Effect)> {
    let Some(run) = record.runs.iter().find(|run| Some(run.id) == reading.run_id) else { return Vec::new() };
    if run.is_confirmed(&reading.uid) {
        return Vec::new();
    }
    let wobble = subject.setup.wobble;
    let earlier: Vec<&&ReadingRecord> = ordered.iter().take_while(|other| other.uid != reading.uid).collect();
    let of_run: Vec<&Figures> =
        earlier.iter().filter(|other| other.run_id == reading.run_id).map(|other| &other.figures).collect();
    let before = earlier.last().map(|before| &before.figures);
    let mut found: Vec<(Finding, Effect)> =
        beside(&reading.figures, wobble, &of_run, before).into_iter().map(|finding| (finding, Effect::Told)).collect();
    let settle_s = record.plan.as_ref().map_or(0.0, |plan| plan.settle_s);
    let since_s = run.begun_utc().map(|begun| (reading.taken_utc.as_second() - begun.as_second()) as f64);
    if let Some(after_s) = since_s.filter(|after_s| *after_s > 0.0 && *after_s < settle_s) {
        found.push((Finding::NotSettled { after_s, settle_s }, Effect::Told));
    }
    found
}

/// What is odd about figures beside those of the same run, or, where it has none yet, the last of another.
fn beside(figures: &Figures, wobble: Wobble, of_run: &[&Figures], before: Option<&Figures>) -> Vec<Finding> {
    let mut found = Vec::new();
    let usual_of = |quantity: Quantity| {
        let of_run: Vec<f64> = of_run.iter().filter_map(|figures| value(figures, quantity, wobble)).collect();
        let in_run = !of_run.is_empty();
        let usual = if in_run {
            Some(of_run.iter().sum::<f64>() / of_run.len() as f64)
        } else {
            before.and_then(|figures| value(figures, quantity, wobble))
        };
        usual.filter(|usual| *usual > 0.0).map(|usual| (usual, in_run))
    };
    let light_ratio =
        value(figures, Quantity::Poa, wobble).zip(usual_of(Quantity::Poa)).map_or(1.0, |(poa, (usual, _))| poa / usual);
    for (quantity, seen) in figures.iter() {
        let value = seen.value(wobble);
        let dimension = quantity.dimension();
        // Degrees, humidity and wind have no usual ratio.
        let has_ratio = !matches!(dimension, Dimension::Temperature | Dimension::Share | Dimension::Speed);
        let Some((usual, in_run)) = usual_of(quantity).filter(|_| has_ratio) else { continue };
        let ratio = value / usual;
        // What follows the light follows it; volts hardly do.
        let follows = matches!(dimension, Dimension::Current | Dimension::Power);
        let like = if follows && light_ratio > 0.0 { ratio / light_ratio } else { ratio };
        if TENFOLD.contains(&ratio) || ratio > 0.0 && TENFOLD.contains(&(1.0 / ratio)) {
            found.push(Finding::Tenfold { quantity, value, usual });
        } else if in_run && dimension.is_electric() && (like - 1.0).abs() > PATTERN_REL {
            found.push(Finding::OutOfPattern { quantity, value, usual });
        }
    }
    for (quantity, seen) in figures.iter().filter(|(quantity, _)| quantity.dimension().is_electric()) {
        let middle = (seen.low + seen.high) / 2.0;
        let percent = if middle > 0.0 { (seen.high - seen.low) / middle * 100.0 } else { 0.0 };
        if percent > WANDER_PERCENT {
            found.push(Finding::Wanders { quantity, percent });
        }
    }
    found
}

/// Three or more readings of one level that stay the same while the light moves are of a limit nobody told of.
fn flat_top(ordered: &[&ReadingRecord], assessed: &[AssessedReading], subjects: &[Subject<'_>]) -> Vec<Named> {
    let mut named = Vec::new();
    for (level, subject) in subjects.iter().enumerate() {
        let wobble = subject.setup.wobble;
        if !subject.setup.load.is_tracking_controller() {
            continue;
        }
        let of: Vec<(&ReadingRecord, f64, f64, Option<f64>, f64)> = ordered
            .iter()
            .zip(assessed)
            .filter(|(_, judged)| judged.level == level)
            .filter_map(|(reading, _)| {
                let watts_w = reading.figures.loaded_power_w(wobble)?;
                let current = reading.figures.get(Quantity::Current).map(|seen| seen.value(wobble));
                let step = reading.figures.get(Quantity::Power).map_or(0.0, |seen| seen.step / watts_w.max(1e-9));
                Some((*reading, value(&reading.figures, Quantity::Poa, wobble)?, watts_w, current, step))
            })
            .collect();
        if of.len() < 3 {
            continue;
        }
        let spread = |values: &mut dyn Iterator<Item = f64>| {
            let (low, high) = values.fold((f64::INFINITY, f64::MIN), |(low, high), value| (low.min(value), high.max(value)));
            (high - low) / high.max(1e-9)
        };
        let light = spread(&mut of.iter().map(|one| one.1));
        let watts = spread(&mut of.iter().map(|one| one.2));
        let step = of.iter().map(|one| one.4).fold(0.0, f64::max);
        let all_amps: Option<Vec<f64>> = of.iter().map(|one| one.3).collect();
        let amps_flat = all_amps.is_some_and(|amps| spread(&mut amps.into_iter()) < FLAT_REL);
        let is_flat = watts < FLAT_REL.max(step) || amps_flat;
        if light > MOVED_REL && is_flat {
            for (reading, _, watts_w, ..) in &of {
                let finding = Finding::Capped { watts_w: *watts_w, limit_w: None, by: Limit::FlatTop };
                named.push(Named::of_reading(finding, Effect::LeftOut, level, &reading.uid));
            }
        }
    }
    named
}

/// Readings that fit once one of their figures is taken times a power of ten, or as degrees Fahrenheit.
fn unit_slips(
    record: &TestRecord,
    ordered: &[&ReadingRecord],
    subjects: &[Subject<'_>],
    assessed: &[AssessedReading],
) -> Vec<Named> {
    let mut named = Vec::new();
    for (reading, judged) in ordered.iter().zip(assessed) {
        let subject = &subjects[judged.level];
        let mut slip = |quantity, value, likely, factor| {
            let finding = Finding::UnitSlip { quantity, value, likely, factor };
            named.push(Named::of_reading(finding, Effect::LeftOut, judged.level, &reading.uid));
        };
        let of = |quantity| value(&reading.figures, quantity, subject.setup.wobble);
        for quantity in [Quantity::Cell, Quantity::Back, Quantity::Air] {
            let hottest = if quantity == Quantity::Air { 55.0 } else { HOTTEST_CELL_C };
            if let Some(degrees) = of(quantity).filter(|degrees| *degrees > hottest) {
                slip(quantity, degrees, fahrenheit_to_c(degrees), None);
            }
        }
        // A shaded level may be anything.
        let is_whole = record.question.is_of_rating() || judged.level == 0;
        let light_rel = of(Quantity::Poa).map_or(0.7, |poa| poa / 1000.0);
        let Some(usual) = subject.arrangement.as_ref().ok().filter(|_| is_whole).map(|made| made.open_short()) else { continue };
        for (quantity, usual) in [
            (Quantity::Voltage, usual.voc_v * 0.8),
            (Quantity::Voc, usual.voc_v),
            (Quantity::Current, usual.isc_a * 0.93 * light_rel),
            (Quantity::Isc, usual.isc_a * light_rel),
        ] {
            let Some(read) = of(quantity).filter(|read| *read > 0.0 && usual > 0.0) else { continue };
            // A non-tracking controller holds the panel anywhere.
            if quantity == Quantity::Voltage && subject.setup.load == Load::TiedController {
                continue;
            }
            for factor in [10.0, 0.1, 1000.0, 0.001] {
                if (0.7..1.4).contains(&(read * factor / usual)) {
                    slip(quantity, read, read * factor, Some(factor));
                }
            }
        }
    }
    named
}

/// A meter whose light is that of the horizontal, beside a panel whose watts are those of its plane.
fn tilted_sensor(
    record: &TestRecord,
    ordered: &[&ReadingRecord],
    subjects: &[Subject<'_>],
    assessed: &[AssessedReading],
) -> Option<Named> {
    let site = record.site.as_ref()?;
    let mut flat: Vec<(f64, f64, f64, f64)> = Vec::new();
    for (reading, judged) in ordered.iter().zip(assessed) {
        let subject = &subjects[judged.level];
        let Some(poa_w_m2) = value(&reading.figures, Quantity::Poa, subject.setup.wobble) else { continue };
        let Some(point) = judged.result.pmax.as_ref().filter(|point| point.circuit.product() > 0.9) else { continue };
        let moment = Moment::at(site, reading.taken_utc.as_second() as f64, reading.day_of_year).ok()?;
        let (plane, horizontal) =
            (moment.on(&subject.setup.plane()).poa_w_m2, moment.on(&Plane { tilt_deg: 0.0, azimuth_deg: 180.0 }).poa_w_m2);
        flat.push((poa_w_m2, plane, horizontal, point.percent));
    }
    if flat.is_empty() {
        return None;
    }
    let n = flat.len() as f64;
    let mean = |of: fn(&(f64, f64, f64, f64)) -> f64| flat.iter().map(of).sum::<f64>() / n;
    let (poa_w_m2, plane_w_m2, horizontal_w_m2, percent) =
        (mean(|one| one.0), mean(|one| one.1), mean(|one| one.2), mean(|one| one.3));
    // The two planes have to differ by more than the sky may be off its model, and the panel has to side with its own.
    let ratio = plane_w_m2 / horizontal_w_m2.max(1.0);
    let is_of_horizontal = (poa_w_m2 / horizontal_w_m2.max(1.0) - 1.0).abs() < 0.08 && (ratio - 1.0).abs() > 0.10;
    let sides_with_plane = (percent / 100.0).ln() / ratio.ln() > 0.4;
    (is_of_horizontal && sides_with_plane)
        .then(|| Named::of_test(Finding::SensorNotInPlane { poa_w_m2, plane_w_m2, horizontal_w_m2 }, Effect::Forbids))
}

/// Runs scatter beyond their stated set-up by more than this, as a variance, to be named.
const SCATTER_NAMED: f64 = 4.0;

/// What the comparison itself shows: brackets that are open, a sky that does not allow it, scatter beyond what is stated.
pub(super) fn of_comparison(record: &TestRecord, found: &Comparison, ordered: &[&ReadingRecord]) -> Vec<Named> {
    let mut named = Vec::new();
    let is_bracketing = record.plan.as_ref().is_some_and(|plan| plan.order != crate::record::order::Order::Totals);
    for one in found.levels.iter().filter(|one| !one.difference.is_bracketed && is_bracketing) {
        named.push(Named::of_level(
            Finding::Unbracketed { minutes: open_minutes(record, ordered, one.difference.level) },
            Effect::Widens,
            one.difference.level,
        ));
    }
    let factor = record.plan.as_ref().map(|plan| plan.question.card().factor);
    let moves_the_plane = factor.is_some_and(Factor::moves_the_plane);
    let meters = ordered.iter().all(|reading| reading.figures.get(Quantity::Poa).is_some());
    for note in [SkyNote::Broken, SkyNote::Overcast] {
        let noted = ordered.iter().any(|reading| reading.sky == Some(note));
        let forbids = match note {
            SkyNote::Overcast => moves_the_plane,
            _ => moves_the_plane || !meters,
        };
        let is_of_sun = factor == Some(Factor::Sun) || !is_bracketing;
        if noted && !is_of_sun {
            let effect = if forbids { Effect::Forbids } else { Effect::Told };
            named.push(Named::of_test(Finding::SkyUnsteady { note: Some(note), times: None }, effect));
        }
    }
    if let Some((of_sum_percent, _)) = found.of_sum.filter(|(percent, u_percent)| percent + u_percent < 100.0) {
        let lost_percent = Some(100.0 - of_sum_percent);
        named.push(Named::of_test(Finding::Mismatch { lost_percent }, Effect::Told));
    }
    if found.within_runs.variance > SCATTER_NAMED {
        let times = Some(found.within_runs.variance.sqrt());
        named.push(Named::of_test(Finding::SkyUnsteady { note: None, times }, Effect::Widens));
    }
    if found.between_runs.variance > SCATTER_NAMED {
        named.push(Named::of_test(Finding::SetUpScatter { times: found.between_runs.variance.sqrt() }, Effect::Widens));
    }
    named
}

/// How long a level's readings lie from the nearest baseline, min.
fn open_minutes(record: &TestRecord, ordered: &[&ReadingRecord], level: usize) -> f64 {
    let of = |wanted: usize| {
        ordered
            .iter()
            .filter(move |reading| record.level_of(reading) == wanted)
            .map(|reading| reading.taken_utc.as_second() as f64)
    };
    let nearest = |at: f64| of(0).map(|baseline| (baseline - at).abs()).fold(f64::INFINITY, f64::min);
    of(level).map(nearest).filter(|apart| apart.is_finite()).fold(0.0, f64::max) / 60.0
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::measure::entry::{Meaning, understand};

    fn figures(line: &str) -> Figures {
        understand(line, &Meaning::default()).unwrap().figures()
    }

    fn ask(line: &str, of_run: &[&str], before: Option<&str>) -> Vec<Finding> {
        let of_run: Vec<Figures> = of_run.iter().map(|line| figures(line)).collect();
        let of_run: Vec<&Figures> = of_run.iter().collect();
        beside(&figures(line), Wobble::Middle, &of_run, before.map(figures).as_ref())
    }

    #[test]
    fn a_reading_like_its_neighbours_raises_nothing() {
        assert_eq!(ask("18.4 V 5.6 A 880 W/m2 52 C", &["18.5 V 5.5 A 870 W/m2 51 C"], None), []);
        // Half the light, half the amps.
        assert_eq!(ask("18.2 V 2.8 A 440 W/m2", &["18.5 V 5.6 A 880 W/m2"], None), []);
        // A shaded run may be anything against the run before, but not ten times.
        assert_eq!(ask("12.2 V 2.1 A", &[], Some("18.5 V 5.6 A")), []);
    }

    #[test]
    fn a_slip_of_the_decimal_mark_is_asked_about() {
        assert!(matches!(
            ask("18.4 V 56 A", &["18.4 V 5.6 A"], None)[..],
            [Finding::Tenfold { quantity: Quantity::Current, value: 56.0, .. }]
        ));
        assert!(matches!(ask("18.4 V 0.56 A", &[], Some("18.4 V 5.6 A"))[..], [Finding::Tenfold { .. }]));
        assert!(matches!(
            ask("14.8 V 5.6 A", &["18.4 V 5.6 A"], None)[..],
            [Finding::OutOfPattern { quantity: Quantity::Voltage, .. }]
        ));
    }

    #[test]
    fn a_display_that_wanders_is_told() {
        assert!(matches!(ask("60-80 W", &[], None)[..], [Finding::Wanders { .. }]));
        assert_eq!(ask("79-81 W", &[], None), []);
    }
}
