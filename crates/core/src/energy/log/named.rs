//! What is named of a log: what bears on every figure that rests on it.

use super::clock::ClockCheck;
use super::figures::Figures;
use crate::measure::series::counter::{Advance, FallKind};
use crate::measure::series::integral::GapKind;

/// One finding with its evidence.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum LogFinding {
    /// Light without samples: how long, and what it could hold at most.
    Gap { hours: f64, most_wh: f64 },
    /// The meter's own counter went back to nothing: when (Unix seconds), and what went uncounted at most.
    CounterReset { at_s: f64, uncounted_wh: f64 },
    /// The logger's clock is off by the sun: ahead by so much, s, with its interval.
    ClockWrong { ahead_s: f64, u_s: f64 },
    /// The watts are so many times those of the panel's label in this light, which no panel gives.
    WattsOfAnother { times: f64 },
    /// The log's own counter went further, or less far, than its watts come to.
    CounterDisagrees { counter_wh: f64, watts_wh: f64 },
}

/// A gap that could hold less than this share of the energy, or than this, is not named. Flindo's own limits.
const GAP_SHARE: f64 = 0.01;
const GAP_WH: f64 = 0.5;

/// Watts beyond these times what the label gives in the same light are of another unit, or of another panel: the best labels are passed by
/// a tenth, light from behind and at an edge of a cloud adds a third, and heavy overcast leaves a twentieth of a clear sky's light.
/// Flindo's own limits.
const WATTS_TIMES: std::ops::RangeInclusive<f64> = 0.02..=2.0;

/// A counter and the watts of one instrument differ by less than this share: they have another filter and another rounding. Common
/// practice, no source.
const COUNTER_SHARE: f64 = 0.05;

/// A counter that shows whole watt-hours is within one of them at both ends.
const COUNTER_WH: f64 = 2.0;

impl LogFinding {
    /// The code over HTTP and in CSV.
    pub fn code(&self) -> &'static str {
        match self {
            LogFinding::Gap { .. } => "gap",
            LogFinding::CounterReset { .. } => "counter_reset",
            LogFinding::ClockWrong { .. } => "clock_wrong",
            LogFinding::WattsOfAnother { .. } => "watts_of_another",
            LogFinding::CounterDisagrees { .. } => "counter_disagrees",
        }
    }
}

/// Everything that is to be named, from what was worked out of a day.
///
/// `of_rating`: the watts as times those of the label in the same light.
pub fn named(
    figures: Option<&Figures>,
    counter: Option<&Advance>,
    clock: Option<&ClockCheck>,
    of_rating: Option<f64>,
) -> Vec<LogFinding> {
    let mut found = Vec::new();
    if let Some(figures) = figures {
        // Before the first sample and after the last is what was not logged; see [`Figures::not_logged_wh`].
        let gaps = || figures.integral.gaps.iter().filter(|gap| gap.kind == GapKind::Between);
        let most_wh: f64 = gaps().map(|gap| gap.high - gap.low).sum();
        let hours = gaps().map(|gap| gap.to_s - gap.from_s).sum::<f64>() / 3600.0;
        if most_wh > GAP_SHARE * figures.energy_wh.value && most_wh > GAP_WH {
            found.push(LogFinding::Gap { hours, most_wh });
        }
    }
    let resets = counter.iter().flat_map(|counter| &counter.falls).filter(|fall| fall.kind == FallKind::Reset);
    found.extend(resets.map(|fall| LogFinding::CounterReset { at_s: fall.at_s, uncounted_wh: fall.uncounted }));
    let wrong = clock.filter(|check| check.is_wrong());
    found.extend(wrong.map(|check| LogFinding::ClockWrong { ahead_s: check.ahead_s, u_s: check.u_s }));
    found.extend(of_rating.filter(|times| !WATTS_TIMES.contains(times)).map(|times| LogFinding::WattsOfAnother { times }));
    found.extend(figures.zip(counter).and_then(|(figures, counter)| disagrees(figures, counter)));
    found
}

/// Held against what the samples come to, with their interval and whatever their gaps could hold.
fn disagrees(figures: &Figures, counter: &Advance) -> Option<LogFinding> {
    let gaps_wh: f64 =
        figures.integral.gaps.iter().filter(|gap| gap.kind == GapKind::Between).map(|gap| gap.high - gap.low).sum();
    let (low, high) = (figures.energy_wh.low, figures.energy_wh.high + gaps_wh);
    let agrees =
        counter.high + COUNTER_WH >= low * (1.0 - COUNTER_SHARE) && counter.low - COUNTER_WH <= high * (1.0 + COUNTER_SHARE);
    (!agrees).then_some(LogFinding::CounterDisagrees { counter_wh: counter.total, watts_wh: figures.energy_wh.value })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::measure::series::counter::advance;

    #[test]
    fn a_reset_and_a_wrong_clock_are_named_and_a_right_one_is_not() {
        let counter = advance(&[(0.0, 100.0), (1800.0, 160.0), (3600.0, 20.0)], None, 1.0, Some(200.0));
        let check = |ahead_s| ClockCheck { ahead_s, u_s: 1100.0, gains_s_per_day: None, days: 1 };
        let found = named(None, Some(&counter), Some(&check(3600.0)), None);
        let codes: Vec<&str> = found.iter().map(LogFinding::code).collect();
        assert_eq!(codes, ["counter_reset", "clock_wrong"]);
        assert_eq!(found[0], LogFinding::CounterReset { at_s: 3600.0, uncounted_wh: 80.0 });
        let steady = advance(&[(0.0, 100.0), (1800.0, 160.0)], None, 1.0, Some(200.0));
        assert!(named(None, Some(&steady), Some(&check(600.0)), None).is_empty());
    }

    #[test]
    fn watts_that_no_panel_gives_are_named() {
        for (times, is_named) in
            [(0.001, true), (0.019, true), (0.021, false), (1.0, false), (1.99, false), (2.01, true), (1000.0, true)]
        {
            let found = named(None, None, None, Some(times));
            assert_eq!(found, if is_named { vec![LogFinding::WattsOfAnother { times }] } else { Vec::new() }, "{times}");
        }
    }
}
