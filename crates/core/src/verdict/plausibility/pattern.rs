//! A reading beside the others of its run, and beside its run's own time.

use super::super::finding::Finding;
use super::super::subject::Subject;
use crate::measure::quantity::{Dimension, Figures, Quantity, UnsteadyPolicy};
use crate::record::test::{ReadingRecord, TestRecord};

/// Within a run, and with the light taken out, readings repeat to about this. Common practice, no source.
const PATTERN_REL: f64 = 0.15;

/// A factor of ten, give or take a third.
const TENFOLD: std::ops::Range<f64> = 6.7..15.0;

/// A settled load stands still to about this, percent.
const WANDER_PERCENT: f64 = 8.0;

/// A reading beside the others of its run until then, and beside its run's own time; `before` is the one that came before it in whatever
/// run.
pub(super) fn of_reading(
    record: &TestRecord,
    of_run: &[&Figures],
    before: Option<&Figures>,
    reading: &ReadingRecord,
    subject: &Subject<'_>,
) -> Vec<Finding> {
    let Some(run) = record.runs.iter().find(|run| Some(run.id) == reading.run_id) else { return Vec::new() };
    if run.is_confirmed(&reading.uid) {
        return Vec::new();
    }
    let unsteady = subject.setup.unsteady;
    let mut found = beside(&reading.figures, unsteady, of_run, before);
    let settle_s = record.plan.as_ref().map_or(0.0, |plan| plan.settle_s);
    let since_s = run.begun_utc().map(|begun| (reading.taken_utc.as_second() - begun.as_second()) as f64);
    if let Some(after_s) = since_s.filter(|after_s| *after_s > 0.0 && *after_s < settle_s) {
        found.push(Finding::NotSettled { after_s, settle_s });
    }
    found
}

/// What is odd about figures beside those of the same run, or, where it has none yet, the last of another.
fn beside(figures: &Figures, unsteady: UnsteadyPolicy, of_run: &[&Figures], before: Option<&Figures>) -> Vec<Finding> {
    let mut found = Vec::new();
    let usual_of = |quantity: Quantity| {
        let of_run: Vec<f64> = of_run.iter().filter_map(|figures| figures.value(quantity, unsteady)).collect();
        let in_run = !of_run.is_empty();
        let usual = if in_run {
            Some(of_run.iter().sum::<f64>() / of_run.len() as f64)
        } else {
            before.and_then(|figures| figures.value(quantity, unsteady))
        };
        usual.filter(|usual| *usual > 0.0).map(|usual| (usual, in_run))
    };
    let light_ratio =
        figures.value(Quantity::Poa, unsteady).zip(usual_of(Quantity::Poa)).map_or(1.0, |(poa, (usual, _))| poa / usual);
    for (quantity, seen) in figures.iter() {
        let value = seen.value(unsteady);
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
            found.push(Finding::Varied { quantity, percent });
        }
    }
    found
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
        beside(&figures(line), UnsteadyPolicy::Middle, &of_run, before.map(figures).as_ref())
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
        assert!(matches!(ask("60-80 W", &[], None)[..], [Finding::Varied { .. }]));
        assert_eq!(ask("79-81 W", &[], None), []);
    }
}
