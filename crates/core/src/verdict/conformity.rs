//! From an estimate with its interval to a verdict: conformity with a rating (JCGM 106:2012), and the difference of two levels.

use super::estimate::Difference;
use crate::measure::coverage::chance_above;
use crate::named::named;

/// What a rating comes to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum RatingVerdict {
    Makes,
    /// Nothing speaks against its rating.
    Consistent,
    ProbablyBelow,
    Below,
    ProbablyAbove,
    Above,
    CantTell,
    /// Voc and Isc were read, which are no watts.
    NoWatts,
}

named!(RatingVerdict {
    Makes = "makes", "Makes its rating";
    Consistent = "consistent", "Consistent with its rating";
    ProbablyBelow = "probably_below", "Probably below its rating";
    Below = "below", "Below its rating";
    ProbablyAbove = "probably_above", "Probably above its rating";
    Above = "above", "Above its rating";
    CantTell = "cant_tell", "Can\u{2019}t tell";
    NoWatts = "no_watts", "No watts measured";
});

/// What a level comes to against its baseline.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum LevelVerdict {
    More,
    Less,
    ProbablyMore,
    ProbablyLess,
    /// The largest difference that could hide.
    NoDifferenceOver {
        within_percent: f64,
    },
    /// A limit held it there; it may be more.
    AtLeast {
        low_percent: f64,
    },
    CantTell,
}

impl LevelVerdict {
    /// The name over HTTP and in CSV.
    pub fn name(self) -> &'static str {
        match self {
            LevelVerdict::More => "more",
            LevelVerdict::Less => "less",
            LevelVerdict::ProbablyMore => "probably_more",
            LevelVerdict::ProbablyLess => "probably_less",
            LevelVerdict::NoDifferenceOver { .. } => "no_difference_over",
            LevelVerdict::AtLeast { .. } => "at_least",
            LevelVerdict::CantTell => "cant_tell",
        }
    }
}

/// With a wider interval than this (percent of the rating, either way) a test that contradicts nothing also shows nothing.
/// Flindo's own limit: a panel a tenth down is one a buyer would want to know about.
pub const TELLING_U_PERCENT: f64 = 10.0;

/// Chances at which the words change.
const SURE: f64 = 0.975;
const LIKELY: f64 = 0.16;
const UNLIKELY: f64 = 0.025;

/// An estimate against the band of a label.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Conformity {
    pub verdict: RatingVerdict,
    /// That the true power is at least the label's lower limit.
    pub chance: f64,
    /// Under the lower limit, percent of the rating: the largest shortfall that the interval still holds; 0 where it holds none.
    pub hidden_shortfall_percent: f64,
}

/// The conformity of `percent` with standard uncertainty `u_percent / coverage_factor` and `dof` degrees of freedom, where the label
/// allows `low..=high` percent.
///
/// With `p` the chance that the true power is at least the lower limit (JCGM 106:2012, 7.2 and 7.4): 97.5 % or more, it makes its
/// rating; 16 to 97.5 %, nothing speaks against it; 2.5 to 16 %, probably below; 2.5 % or less, below. With `q` that it is at most the
/// upper limit, likewise above. An interval over [`TELLING_U_PERCENT`] either way with both between tells nothing.
pub fn conformity(percent: f64, u_percent: f64, coverage_factor: f64, dof: f64, (low, high): (f64, f64)) -> Conformity {
    let standard = (u_percent / coverage_factor).max(1e-9);
    let chance = chance_above((percent - low) / standard, dof);
    let within_high = chance_above((high - percent) / standard, dof);
    let verdict = match () {
        () if chance <= UNLIKELY => RatingVerdict::Below,
        () if within_high <= UNLIKELY => RatingVerdict::Above,
        () if u_percent > TELLING_U_PERCENT && chance < SURE => RatingVerdict::CantTell,
        () if chance <= LIKELY => RatingVerdict::ProbablyBelow,
        () if within_high <= LIKELY => RatingVerdict::ProbablyAbove,
        () if chance >= SURE => RatingVerdict::Makes,
        () => RatingVerdict::Consistent,
    };
    Conformity { verdict, chance, hidden_shortfall_percent: (low - (percent - u_percent)).max(0.0) }
}

/// The words of a difference: claimed at 99 %, probable at 95 %, and else what could hide.
pub fn difference(one: &Difference) -> LevelVerdict {
    let off = one.percent - 100.0;
    match (one.is_claimed(), one.is_shown(), off > 0.0) {
        (true, _, true) => LevelVerdict::More,
        (true, _, false) => LevelVerdict::Less,
        (false, true, true) => LevelVerdict::ProbablyMore,
        (false, true, false) => LevelVerdict::ProbablyLess,
        (false, false, _) => LevelVerdict::NoDifferenceOver { within_percent: off.abs() + one.u_percent },
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn of(percent: f64, u_percent: f64) -> Conformity {
        conformity(percent, u_percent, 2.0, f64::INFINITY, (97.0, 103.0))
    }

    /// Both sides of every bound, in standard uncertainties under the limit: the normal distribution's quantiles of 2.5, 16 and 97.5 %
    /// are -1.960, -0.994 and 1.960.
    #[test]
    fn the_words_change_at_their_chances() {
        for (off, verdict) in [
            (-1.97, RatingVerdict::Below),
            (-1.95, RatingVerdict::ProbablyBelow),
            (-1.00, RatingVerdict::ProbablyBelow),
            (-0.98, RatingVerdict::Consistent),
            (1.95, RatingVerdict::Consistent),
            (1.97, RatingVerdict::Makes),
        ] {
            assert_eq!(of(97.0 + off * 1.0, 2.0).verdict, verdict, "{off}");
        }
        assert_eq!(of(106.0, 2.0).verdict, RatingVerdict::Above);
        assert_eq!(of(104.5, 2.0).verdict, RatingVerdict::ProbablyAbove);
    }

    #[test]
    fn a_wide_interval_tells_nothing_unless_it_lies_wholly_outside() {
        assert_eq!(of(100.0, 10.1).verdict, RatingVerdict::CantTell);
        assert_eq!(of(100.0, 9.9).verdict, RatingVerdict::Consistent);
        assert_eq!(of(60.0, 12.0).verdict, RatingVerdict::Below);
    }

    #[test]
    fn what_could_hide_is_what_the_interval_still_holds() {
        assert!((of(90.2, 7.0).hidden_shortfall_percent - 13.8).abs() < 1e-9);
        assert!((of(105.9, 7.2).hidden_shortfall_percent - 0.0).abs() < 1e-9);
        let judged = conformity(90.2, 7.0, 2.0, f64::INFINITY, (97.0, 103.0));
        assert!(judged.verdict == RatingVerdict::ProbablyBelow && (0.02..0.03).contains(&judged.chance), "{judged:?}");
    }
}
