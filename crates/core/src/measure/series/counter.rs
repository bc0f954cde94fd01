//! A meter's own counter of watt-hours or ampere-hours: how far it went, through resets and overflow.

/// Where a counter fell.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Fall {
    /// Unix seconds of the first reading after it.
    pub at_s: f64,
    pub before: f64,
    pub after: f64,
    pub kind: FallKind,
    /// What went uncounted at most, in the counter's unit; 0 for an overflow.
    pub uncounted: f64,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FallKind {
    /// Back to nothing by a key or a loss of power: what was counted since the reading before is unknown.
    Reset,
    /// It ran over its last figure and went on from zero: nothing is lost.
    Overflow,
}

/// How far a counter went.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Advance {
    /// In the counter's unit: what it certainly counted.
    pub total: f64,
    /// With its step, and with what went uncounted around resets.
    pub low: f64,
    pub high: f64,
    pub falls: Vec<Fall>,
}

/// From readings (Unix seconds, counter) in order of time. `overflows_at`: the figure after which it shows zero (10,000 for four digits);
/// `step`: of its display; `most_per_h`: what the source can give, which bounds what a reset lost.
///
/// A fall is an overflow where the counter is known to overflow, stood in the last tenth of its range and came back in the first one;
/// otherwise a reset. Start and stop readings are cut off at the step: the true difference is within one step either way.
pub fn advance(readings: &[(f64, f64)], overflows_at: Option<f64>, step: f64, most_per_h: Option<f64>) -> Advance {
    let mut advance = Advance::default();
    for pair in readings.windows(2) {
        let [(from_s, before), (at_s, after)] = [pair[0], pair[1]];
        if after >= before {
            advance.total += after - before;
            continue;
        }
        let range = overflows_at.filter(|range| before >= 0.9 * range && before < *range && after <= 0.1 * range);
        let fall = match range {
            Some(range) => {
                advance.total += range - before + after;
                Fall { at_s, before, after, kind: FallKind::Overflow, uncounted: 0.0 }
            }
            None => {
                advance.total += after;
                // All that the source can give in between, less what is on the counter since.
                let most = most_per_h.map_or(f64::INFINITY, |most| most * (at_s - from_s) / 3600.0);
                Fall { at_s, before, after, kind: FallKind::Reset, uncounted: (most - after).max(0.0) }
            }
        };
        advance.falls.push(fall);
    }
    // Each stretch between resets has a start and a stop reading of its own.
    let resets = advance.falls.iter().filter(|fall| fall.kind == FallKind::Reset);
    let (stretches, uncounted) = (1.0 + resets.clone().count() as f64, resets.map(|fall| fall.uncounted).sum::<f64>());
    let edge = if readings.len() < 2 { 0.0 } else { step * stretches };
    advance.low = (advance.total - edge).max(0.0);
    advance.high = advance.total + edge + uncounted;
    advance
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn start_and_stop_differ_by_a_step_either_way() {
        let found = advance(&[(0.0, 1234.0), (36_000.0, 1622.0)], None, 1.0, None);
        assert_eq!((found.total, found.low, found.high), (388.0, 387.0, 389.0));
        assert!(found.falls.is_empty());
    }

    #[test]
    fn a_counter_that_runs_over_loses_nothing() {
        let found = advance(&[(0.0, 9950.0), (3600.0, 30.0), (7200.0, 130.0)], Some(10_000.0), 1.0, Some(200.0));
        assert_eq!((found.total, found.falls[0].kind), (180.0, FallKind::Overflow));
        // In the middle of its range it does not run over.
        assert_eq!(advance(&[(0.0, 8990.0), (3600.0, 30.0)], Some(10_000.0), 1.0, Some(200.0)).falls[0].kind, FallKind::Reset);
        assert_eq!(advance(&[(0.0, 9000.0), (3600.0, 1000.0)], Some(10_000.0), 1.0, None).falls[0].kind, FallKind::Overflow);
    }

    #[test]
    fn what_a_reset_lost_is_bounded_by_what_the_source_can_give() {
        let found = advance(&[(0.0, 100.0), (1800.0, 160.0), (3600.0, 20.0), (5400.0, 90.0)], None, 1.0, Some(200.0));
        assert_eq!((found.total, found.low, found.falls[0].uncounted), (150.0, 148.0, 80.0));
        assert_eq!(found.high, 150.0 + 2.0 + 80.0);
        assert!(advance(&[(0.0, 100.0), (1800.0, 20.0)], None, 1.0, None).high.is_infinite(), "without a bound none is claimed");
        assert_eq!(advance(&[(0.0, 7.0)], None, 1.0, None), Advance::default());
    }
}
