//! Which panels to test again.

use super::league::{alone, alone_by_panel};
use super::summary::Summary;
use crate::record::test::PanelRecord;
use crate::verdict::assessment::Settle;
use crate::verdict::conformity::RatingVerdict;
use crate::verdict::used::Grade;
use jiff::Timestamp;

/// Why a panel wants another test.
#[derive(Debug, Clone, PartialEq)]
pub enum WhyAgain {
    Never,
    /// Its newest test carries no verdict; the cheapest act that would bring one.
    Open {
        verdict: RatingVerdict,
        settle: Option<Settle>,
    },
    /// Years since the newest test.
    Old {
        years: f64,
    },
}

#[derive(Debug, Clone, PartialEq)]
pub struct Again {
    pub panel: String,
    pub tag: String,
    pub kind: String,
    pub why: WhyAgain,
    /// The newest test, by its place among the summaries.
    pub test: Option<usize>,
}

/// A result older than this says little of today. Common practice, no source: once a year.
const OLD_YEARS: f64 = 1.0;

const YEAR_S: f64 = 365.25 * 86_400.0;

/// Panels without a verdict first, then those with a probable one, with an old one, and those never tested.
pub fn again(summaries: &[&Summary], panels: &[PanelRecord], now_utc: Timestamp) -> Vec<Again> {
    let rated = alone_by_panel(summaries);
    let mut found: Vec<(u8, Again)> = panels
        .iter()
        .filter_map(|panel| {
            let of_panel = rated.get(panel.id.as_str()).into_iter().flatten();
            let newest = of_panel.map(|(at, _)| (*at, summaries[*at])).max_by_key(|(_, one)| one.last_utc);
            let (order, why, test) = match newest {
                None => (3, WhyAgain::Never, None),
                Some((at, summary)) => {
                    let (order, why) = why(summary, &panel.id, now_utc)?;
                    (order, why, Some(at))
                }
            };
            Some((order, Again { panel: panel.id.clone(), tag: panel.tag.clone(), kind: panel.kind.clone(), why, test }))
        })
        .collect();
    found.sort_by_key(|(order, _)| *order);
    found.into_iter().map(|(_, one)| one).collect()
}

fn why(summary: &Summary, panel: &str, now_utc: Timestamp) -> Option<(u8, WhyAgain)> {
    let verdict = alone(summary, panel).find_map(|level| level.rating.as_ref()).map_or(summary.verdict, |one| one.verdict);
    let is_graded = alone(summary, panel).any(|level| level.grade.is_some_and(|grade| grade != Grade::CantTell));
    let open = match verdict {
        // What Voc and Isc alone settle about a used panel needs no watts.
        RatingVerdict::CantTell | RatingVerdict::NoWatts if is_graded => None,
        RatingVerdict::CantTell | RatingVerdict::NoWatts => Some(0),
        RatingVerdict::ProbablyBelow | RatingVerdict::ProbablyAbove => Some(1),
        RatingVerdict::Makes | RatingVerdict::Consistent | RatingVerdict::Below | RatingVerdict::Above => None,
    };
    if let Some(order) = open {
        return Some((order, WhyAgain::Open { verdict, settle: summary.settles.first().copied() }));
    }
    let years = (now_utc.as_second() - summary.last_utc?.as_second()) as f64 / YEAR_S;
    (years > OLD_YEARS).then_some((2, WhyAgain::Old { years }))
}

#[cfg(test)]
mod tests {
    use super::super::table::tests::{level, summary};
    use super::*;
    use crate::record::question::Question;
    use crate::review::summary::{Figure, LevelSummary, RatingFigure};

    fn refs(summaries: &[Summary]) -> Vec<&Summary> {
        summaries.iter().collect()
    }

    #[test]
    fn open_ones_come_before_old_ones_and_those_never_tested() {
        let panel = |id: &str| PanelRecord { id: id.to_owned(), tag: id.to_owned(), ..PanelRecord::default() };
        let now = Timestamp::from_second(1_700_000_000).unwrap();
        let test = |id: &str, verdict, days: i64| Summary {
            last_utc: Timestamp::from_second(now.as_second() - days * 86_400).ok(),
            ..summary(
                Question::MakesRating,
                vec![LevelSummary {
                    rating: Some(RatingFigure {
                        percent: Figure::new(95.0, 3.0),
                        u_shared_percent: 0.0,
                        of_meters_percent: Vec::new(),
                        verdict,
                        forbidden: None,
                    }),
                    ..level(0, id, &[id])
                }],
            )
        };
        let tests = [
            test("fresh", RatingVerdict::Makes, 360),
            test("old", RatingVerdict::Makes, 370),
            test("open", RatingVerdict::CantTell, 3),
            test("probable", RatingVerdict::ProbablyBelow, 3),
            Summary {
                levels: vec![LevelSummary { grade: Some(Grade::Reject), ..level(0, "graded", &["graded"]) }],
                ..test("graded", RatingVerdict::CantTell, 3)
            },
        ];
        let panels = ["fresh", "never", "old", "open", "probable", "graded"].map(panel);
        let found = again(&refs(&tests), &panels, now);
        assert_eq!(found.iter().map(|one| one.tag.as_str()).collect::<Vec<_>>(), ["open", "probable", "old", "never"]);
        assert!(matches!(found[2].why, WhyAgain::Old { years } if (years - 1.013).abs() < 0.001));
    }
}
