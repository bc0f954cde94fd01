//! What a test says first: of which levels, in what relation, with which figures. The tests are invented.

use crate::worlds::panels::kinds;
use crate::worlds::{Line, at_hour, record};
use flindo_core::record::plan::PlanTyped;
use flindo_core::record::question::Question;
use flindo_core::record::setup::{Load, Setup};
use flindo_core::review::headline::{Headline, headline};
use flindo_core::review::summary::Summary;
use flindo_core::verdict::assess::assess;
use flindo_core::verdict::comparison::NoComparison;
use flindo_core::verdict::conformity::{LevelVerdict, RatingVerdict};
use flindo_core::verdict::finding::Finding;
use flindo_core::verdict::reason::Reason;

fn said(question: Question, plan: Option<&[(&str, &str)]>, typed: &[(usize, &str)]) -> Headline {
    let planned = plan.map(|plan| {
        let mut planned = PlanTyped::default();
        let named = [("question", question.name())];
        named.iter().chain(plan).for_each(|(name, text)| assert!(planned.set(name, *text), "{name}"));
        planned
    });
    let setup = Setup { tilt_deg: 30.0, azimuth_deg: 180.0, load: Load::LoadTester, ..Setup::default() };
    let line = |(nth, (run, typed)): (usize, &(usize, &str))| Line {
        run: plan.map(|_| *run),
        unix_s: at_hour(12.4) + 60.0 * nth as f64,
        typed: (*typed).to_owned(),
        sky: None,
    };
    let lines: Vec<Line> = typed.iter().enumerate().map(line).collect();
    let record = record(question, kinds()[0].label("3 %"), setup, planned.as_ref(), &lines);
    headline(&Summary::of(&record, &assess(&record).unwrap()))
}

#[test]
fn one_level_is_said_against_its_baseline() {
    let plan = [("baseline", "0"), ("levels", "30"), ("order", "aba")];
    let Headline::One { level, baseline, .. } =
        said(Question::FlatOrTilted, Some(&plan), &[(0, "100.0 W"), (1, "121.0 W"), (2, "100.0 W")])
    else {
        panic!("one level")
    };
    assert_eq!((level.name.as_str(), baseline.name.as_str(), level.verdict), ("30\u{b0}", "flat", LevelVerdict::More));
    assert!((level.percent.value - 121.0).abs() < 0.3 && level.mean == 121.0 && baseline.mean == 100.0);
    let empty = said(Question::FlatOrTilted, Some(&plan), &[]);
    assert_eq!(empty, Headline::NoReading { first: "flat".to_owned() });
    let half = said(Question::FlatOrTilted, Some(&plan), &[(1, "121.0 W")]);
    assert_eq!(half, Headline::NotYet { why: NoComparison::NoBaseline, baseline: "flat".to_owned() });
}

/// What was read and left out was not never read: which level, how many readings, and the finding. 1,600 W/m2 is more than a
/// clear sky with the edges of its clouds puts on any plane (common practice, no source).
#[test]
fn readings_that_were_left_out_are_not_told_as_missing() {
    let plan = [("baseline", "0"), ("levels", "30"), ("order", "aba")];
    let of = |lines: &[(usize, &str)]| said(Question::FlatOrTilted, Some(&plan), lines);
    let (fine, slip) = ("100.0 W 900 W/m2", "100.0 W 1600 W/m2");
    let left_out = |headline: Headline| match headline {
        Headline::LeftOut { level, readings, why } => {
            (level, readings, matches!(why, Some(Finding::CloudEdge { .. } | Finding::SunImpossible { .. })))
        }
        other => panic!("{other:?}"),
    };
    assert_eq!(left_out(of(&[(0, slip), (1, fine), (2, slip)])), ("flat".to_owned(), 2, true));
    assert_eq!(left_out(of(&[(0, slip), (1, slip)])), ("flat".to_owned(), 1, true));
    assert_eq!(left_out(of(&[(0, fine), (1, slip), (2, fine)])), ("30\u{b0}".to_owned(), 1, true));
    // One that stands is enough to compare with, and one that was never read is still asked for.
    assert!(matches!(of(&[(0, slip), (1, fine), (2, fine)]), Headline::One { .. } | Headline::CantTell { .. }));
    assert_eq!(of(&[(1, slip)]), Headline::NotYet { why: NoComparison::NoBaseline, baseline: "flat".to_owned() });
}

#[test]
fn of_shades_the_one_that_costs_most_comes_first() {
    let plan = [("baseline", "none"), ("levels", "one cell; left column; lower half"), ("order", "aba")];
    let lines = [(0, "150.0 W"), (1, "100.0 W"), (2, "150.0 W"), (3, "70.0 W"), (4, "150.0 W"), (5, "5.0 W"), (6, "150.0 W")];
    let Headline::Costs { most, least, others, baseline, .. } = said(Question::ShadeCost, Some(&plan), &lines) else {
        panic!("costs")
    };
    assert_eq!((most.name.as_str(), baseline.name.as_str(), others), ("lower half", "unshaded", 1));
    assert_eq!(least.unwrap().name, "one cell");
}

#[test]
fn of_several_levels_those_that_share_the_first_place_lead() {
    let plan = [("baseline", "35"), ("levels", "25; 10"), ("order", "aba")];
    let lead = |middle: &'static str| {
        let lines = [(0, "150.0 W"), (1, middle), (2, "150.0 W"), (3, "120.0 W"), (4, "150.0 W")];
        match said(Question::WhichTilt, Some(&plan), &lines) {
            Headline::Leads { first, within_percent, last, ahead, .. } => {
                (first, within_percent.is_some(), last.map(|one| one.name), ahead.map(|one| one.name))
            }
            other => panic!("{other:?}"),
        }
    };
    let ten = Some("10\u{b0}".to_owned());
    let names = |names: &[&str]| names.iter().map(|name| (*name).to_owned()).collect::<Vec<_>>();
    assert_eq!(lead("150.2 W"), (names(&["35\u{b0}", "25\u{b0}"]), true, ten.clone(), None));
    assert_eq!(lead("170.0 W"), (names(&["25\u{b0}"]), false, ten.clone(), Some("25\u{b0}".to_owned())));
    assert_eq!(lead("135.0 W"), (names(&["35\u{b0}"]), false, ten, None));
}

#[test]
fn a_rating_that_stays_open_says_why() {
    let of = |line: &'static str| match said(Question::MakesRating, None, &[(0, line)]) {
        Headline::Rated(one) => (one.verdict, one.why.as_ref().map(Reason::code), one.percent.is_some()),
        other => panic!("{other:?}"),
    };
    let (verdict, why, has_figure) = of("80 W 418 W/m2 40 C");
    assert_eq!((verdict, why, has_figure), (RatingVerdict::CantTell, Some("weak_sun"), false));
    let (verdict, why, _) = of("190 W 40 C");
    assert_eq!((verdict, why), (RatingVerdict::CantTell, Some("no_sun")));
}
