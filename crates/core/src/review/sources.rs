//! Errors that two results share, by their source: a difference of the two is then better known than either.
//!
//! With `a_s` and `b_s` what source `s` brings to each, the difference has the variance `sum over shared s of (a_s - b_s)^2` plus the
//! squares of everything else (JCGM 102:2011, 6.2: an input that both share is drawn once). All are gains and offsets of instruments,
//! which act on every percent of a rating with one sign.

use crate::measure::budget::Cause;
use crate::record::meters::{MeterUse, Reads};
use jiff::Timestamp;

/// Whose error it is.
#[derive(Debug, Clone, PartialEq)]
pub enum Source {
    /// A meter without a record is its own in each test; its test by its place among the summaries.
    OfTest { test: usize, cause: Cause },
    /// A meter of the bench since its last calibration, in a test of this time.
    Meter { of: MeterUse, at_utc: Option<Timestamp> },
}

/// What one source brings to a result, expanded, in the unit of the result.
#[derive(Debug, Clone, PartialEq)]
pub struct Shared {
    pub source: Source,
    pub u: f64,
}

/// A gain wanders: that of two tests further apart is taken as two. Flindo's own limit: the usual interval between calibrations.
const SAME_GAIN_S: i64 = 366 * 86_400;

impl Source {
    /// Who made the error of this cause in a test.
    pub fn of(cause: Cause, meters: &[MeterUse], test: usize, at_utc: Option<Timestamp>) -> Self {
        let of = Reads::of(cause).and_then(|reads| meters.iter().find(|meter| meter.reads == reads));
        of.map_or(Source::OfTest { test, cause }, |of| Source::Meter { of: of.clone(), at_utc })
    }

    /// Both have the same error. When in doubt they have not.
    pub fn is_same(&self, other: &Source) -> bool {
        match (self, other) {
            (Source::OfTest { .. }, Source::OfTest { .. }) => self == other,
            (Source::Meter { of: a, at_utc: Some(a_utc) }, Source::Meter { of: b, at_utc: Some(b_utc) }) => {
                a.has_gain_of(b) && (a_utc.as_second() - b_utc.as_second()).abs() <= SAME_GAIN_S
            }
            (Source::OfTest { .. } | Source::Meter { .. }, _) => false,
        }
    }
}

/// The expanded uncertainty of the difference of two results, each with its own and what it has from each source.
pub fn u_of_difference(a: (f64, &[Shared]), b: (f64, &[Shared])) -> f64 {
    let squares = |shared: &[Shared]| shared.iter().map(|one| one.u * one.u).sum::<f64>();
    let mut variance = (a.0 * a.0 - squares(a.1)).max(0.0) + (b.0 * b.0 - squares(b.1)).max(0.0);
    let mut left: Vec<&Shared> = b.1.iter().collect();
    for one in a.1 {
        let same = left.iter().position(|other| one.source.is_same(&other.source)).map(|place| left.remove(place));
        variance += (one.u - same.map_or(0.0, |other| other.u)).powi(2);
    }
    variance += left.iter().map(|one| one.u * one.u).sum::<f64>();
    variance.sqrt()
}

/// Several results with weights that add up to 1 as one: what they have from the same source adds as it is.
pub fn averaged<'a>(results: impl Iterator<Item = (f64, &'a [Shared])>) -> Vec<Shared> {
    let mut all: Vec<Shared> = Vec::new();
    for (weight, shared) in results {
        for one in shared {
            match all.iter_mut().find(|known| known.source.is_same(&one.source)) {
                Some(known) => known.u += weight * one.u,
                None => all.push(Shared { source: one.source.clone(), u: weight * one.u }),
            }
        }
    }
    all
}

#[cfg(test)]
mod tests {
    use super::*;

    fn meter(name: &str, calibrated: &str) -> MeterUse {
        MeterUse { reads: Reads::Irradiance, place: None, meter: name.to_owned(), calibrated: calibrated.to_owned() }
    }

    fn on(day: i64, of: MeterUse) -> Source {
        Source::Meter { of, at_utc: Timestamp::from_second(day * 86_400).ok() }
    }

    #[test]
    fn a_meter_is_one_source_within_a_year_and_a_calibration() {
        let first = on(20_000, meter("plane", "2026-02-01"));
        assert!(first.is_same(&on(20_366, meter("plane", "2026-02-01"))));
        assert!(!first.is_same(&on(20_367, meter("plane", "2026-02-01"))));
        assert!(!first.is_same(&on(20_001, meter("plane", "2026-03-01"))));
        assert!(!first.is_same(&on(20_001, meter("other", "2026-02-01"))));
        assert!(!first.is_same(&Source::Meter { of: meter("plane", "2026-02-01"), at_utc: None }));
        let unnamed = |test| Source::OfTest { test, cause: Cause::SunMeter };
        assert!(unnamed(0).is_same(&unnamed(0)) && !unnamed(0).is_same(&unnamed(1)) && !unnamed(0).is_same(&first));
        assert_eq!(
            Source::of(Cause::SunMeter, &[meter("plane", "")], 3, None),
            Source::Meter { of: meter("plane", ""), at_utc: None }
        );
        assert_eq!(Source::of(Cause::Ammeter, &[meter("plane", "")], 3, None), Source::OfTest { test: 3, cause: Cause::Ammeter });
    }

    /// By hand: 5 with 4 of one meter each: 3 is each one's own, sqrt(9 + 9 + 0). Of two meters: sqrt(25 + 25). A part of 4
    /// beside one of 1: sqrt(9 + 24 + 9).
    #[test]
    fn what_both_have_from_one_source_cancels() {
        let with = |u: f64, name: &str| [Shared { source: on(20_000, meter(name, "")), u }];
        let close = |found: f64, wanted: f64| assert!((found - wanted).abs() < 1e-12, "{found} {wanted}");
        close(u_of_difference((5.0, &with(4.0, "a")), (5.0, &with(4.0, "a"))), 18.0_f64.sqrt());
        close(u_of_difference((5.0, &with(4.0, "a")), (5.0, &with(4.0, "b"))), 50.0_f64.sqrt());
        close(u_of_difference((5.0, &with(4.0, "a")), (5.0, &with(1.0, "a"))), 42.0_f64.sqrt());
        close(u_of_difference((5.0, &[]), (5.0, &with(4.0, "a"))), 50.0_f64.sqrt());
    }

    #[test]
    fn a_mean_keeps_the_whole_error_of_its_only_meter_and_half_of_two() {
        let (one, other) =
            ([Shared { source: on(20_000, meter("a", "")), u: 4.0 }], [Shared { source: on(20_050, meter("a", "")), u: 4.0 }]);
        let found = averaged([(0.5, &one[..]), (0.5, &other[..])].into_iter());
        assert_eq!((found.len(), found[0].u), (1, 4.0));
        let third = [Shared { source: on(20_050, meter("b", "")), u: 4.0 }];
        assert_eq!(
            averaged([(0.5, &one[..]), (0.5, &third[..])].into_iter()).iter().map(|one| one.u).collect::<Vec<_>>(),
            [2.0, 2.0]
        );
    }
}
