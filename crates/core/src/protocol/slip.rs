//! A reading that does not look like its neighbours: asked about once, and kept either way.

use crate::measure::quantity::{Figures, Quantity, Wobble};

/// What looks odd about a reading.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Doubt {
    /// Ten times, or a tenth of, what it was: a decimal mark or a unit.
    Tenfold { quantity: Quantity, value: f64, usual: f64 },
    /// Far from the other readings of its own run.
    OutOfPattern { quantity: Quantity, value: f64, usual: f64 },
    /// At the most that a controller or port lets through.
    Capped { watts_w: f64, cap_w: f64 },
    /// Read before the load had settled.
    NotSettled { after_s: f64, settle_s: f64 },
    /// The display wandered further than a settled load does.
    Wanders { quantity: Quantity, percent: f64 },
}

/// What a reading is looked at against.
#[derive(Debug, Clone, Default)]
pub struct Pattern<'a> {
    /// The readings of the same run, the newest last.
    pub of_run: &'a [&'a Figures],
    /// The last reading of another run, where the run has none yet.
    pub before: Option<&'a Figures>,
    /// Watts at which something upstream clips.
    pub cap_w: Option<f64>,
    /// Since the run was begun, where that is known.
    pub since_start_s: Option<f64>,
    pub settle_s: f64,
}

/// Within a run, and with the light taken out, readings repeat to about this. Common practice, no source.
const PATTERN_REL: f64 = 0.15;

/// A factor of ten, give or take a third.
const TENFOLD: std::ops::Range<f64> = 6.7..15.0;

/// This near to a cap it is the cap.
const CAP_REL: f64 = 0.02;

/// A settled load stands still to about this, percent.
const WANDER_PERCENT: f64 = 8.0;

/// Everything odd about a reading; nothing for most.
pub fn doubts(figures: &Figures, wobble: Wobble, pattern: &Pattern<'_>) -> Vec<Doubt> {
    let mut doubts = Vec::new();
    let usual_of = |quantity: Quantity| {
        let of_run: Vec<f64> =
            pattern.of_run.iter().filter_map(|figures| figures.get(quantity)).map(|seen| seen.value(wobble)).collect();
        let in_run = !of_run.is_empty();
        let value = if in_run {
            Some(of_run.iter().sum::<f64>() / of_run.len() as f64)
        } else {
            pattern.before.and_then(|figures| figures.get(quantity)).map(|seen| seen.value(wobble))
        };
        value.filter(|value| *value > 0.0).map(|value| (value, in_run))
    };
    let sun_ratio =
        figures.get(Quantity::Poa).zip(usual_of(Quantity::Poa)).map_or(1.0, |(seen, (usual, _))| seen.value(wobble) / usual);
    for (quantity, seen) in figures.iter() {
        let value = seen.value(wobble);
        // Degrees have no ratio.
        let Some((usual, in_run)) = usual_of(quantity).filter(|_| quantity.unit() != "C") else { continue };
        let ratio = value / usual;
        // What follows the light follows it; volts hardly do.
        let follows = matches!(quantity, Quantity::Current | Quantity::Isc | Quantity::Power);
        let like = if follows && sun_ratio > 0.0 { ratio / sun_ratio } else { ratio };
        if TENFOLD.contains(&ratio) || ratio > 0.0 && TENFOLD.contains(&(1.0 / ratio)) {
            doubts.push(Doubt::Tenfold { quantity, value, usual });
        } else if in_run && !matches!(quantity.unit(), "W/m2" | "Wh") && (like - 1.0).abs() > PATTERN_REL {
            doubts.push(Doubt::OutOfPattern { quantity, value, usual });
        }
    }
    if let Some((watts_w, cap_w)) = figures.loaded_power_w(wobble).zip(pattern.cap_w)
        && (watts_w / cap_w - 1.0).abs() < CAP_REL
    {
        doubts.push(Doubt::Capped { watts_w, cap_w });
    }
    if let Some(after_s) = pattern.since_start_s.filter(|after_s| (0.0..pattern.settle_s).contains(after_s)) {
        doubts.push(Doubt::NotSettled { after_s, settle_s: pattern.settle_s });
    }
    for (quantity, seen) in figures.iter().filter(|(quantity, _)| matches!(quantity.unit(), "V" | "A" | "W")) {
        let middle = (seen.low + seen.high) / 2.0;
        let percent = if middle > 0.0 { (seen.high - seen.low) / middle * 100.0 } else { 0.0 };
        if percent > WANDER_PERCENT {
            doubts.push(Doubt::Wanders { quantity, percent });
        }
    }
    doubts
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::measure::entry::{Meaning, understand};

    fn figures(line: &str) -> Figures {
        understand(line, &Meaning::default()).unwrap().figures()
    }

    fn ask(line: &str, of_run: &[&str], before: Option<&str>, cap_w: Option<f64>) -> Vec<Doubt> {
        let of_run: Vec<Figures> = of_run.iter().map(|line| figures(line)).collect();
        let of_run: Vec<&Figures> = of_run.iter().collect();
        let before = before.map(figures);
        let pattern = Pattern { of_run: &of_run, before: before.as_ref(), cap_w, ..Pattern::default() };
        doubts(&figures(line), Wobble::Middle, &pattern)
    }

    #[test]
    fn a_reading_like_its_neighbours_raises_nothing() {
        assert_eq!(ask("18.4 V 5.6 A 880 W/m2 52 C", &["18.5 V 5.5 A 870 W/m2 51 C"], None, Some(300.0)), []);
        // Half the light, half the amps.
        assert_eq!(ask("18.2 V 2.8 A 440 W/m2", &["18.5 V 5.6 A 880 W/m2"], None, None), []);
        // A shaded run may be anything against the run before, but not ten times.
        assert_eq!(ask("12.2 V 2.1 A", &[], Some("18.5 V 5.6 A"), None), []);
    }

    #[test]
    fn a_slip_of_the_decimal_mark_is_asked_about() {
        assert!(matches!(
            ask("18.4 V 56 A", &["18.4 V 5.6 A"], None, None)[..],
            [Doubt::Tenfold { quantity: Quantity::Current, value: 56.0, .. }]
        ));
        assert!(matches!(ask("18.4 V 0.56 A", &[], Some("18.4 V 5.6 A"), None)[..], [Doubt::Tenfold { .. }]));
        assert!(matches!(
            ask("14.8 V 5.6 A", &["18.4 V 5.6 A"], None, None)[..],
            [Doubt::OutOfPattern { quantity: Quantity::Voltage, .. }]
        ));
    }

    #[test]
    fn the_cap_and_the_unsettled_are_known() {
        assert!(matches!(ask("20 V 5.0 A", &[], None, Some(100.0))[..], [Doubt::Capped { cap_w: 100.0, .. }]));
        assert!(matches!(ask("60-80 W", &[], None, None)[..], [Doubt::Wanders { .. }]));
        let early = Pattern { since_start_s: Some(6.0), settle_s: 20.0, ..Pattern::default() };
        assert_eq!(doubts(&figures("18 V 5 A"), Wobble::Middle, &early), [Doubt::NotSettled { after_s: 6.0, settle_s: 20.0 }]);
        let late = Pattern { since_start_s: Some(25.0), ..early };
        assert_eq!(doubts(&figures("18 V 5 A"), Wobble::Middle, &late), []);
    }
}
