//! A panel whose label nobody has read: it is compared as any other, and never rated. All figures are invented; the percents are worked out
//! by hand.

use crate::worlds::panels::kinds;
use crate::worlds::{Line, at_hour, record};
use flindo_core::measure::quantity::Quantity;
use flindo_core::panel::label::{LabelTyped, check, checked, kept};
use flindo_core::panel::nameplate::Nameplate;
use flindo_core::record::plan::PlanTyped;
use flindo_core::record::question::Question;
use flindo_core::record::setup::{Load, Setup};
use flindo_core::record::test::TestRecord;
use flindo_core::verdict::assess::assess;
use flindo_core::verdict::assessment::Act;
use flindo_core::verdict::conformity::{LevelVerdict, RatingVerdict};
use flindo_core::verdict::reason::Reason;
use flindo_core::verdict::subject::Subject;

fn line(nth: usize, typed: &str) -> Line {
    Line { run: Some(nth), unix_s: at_hour(12.0) + 120.0 * nth as f64, typed: typed.to_owned(), sky: None }
}

fn compared(label: Nameplate, lines: &[&str]) -> TestRecord {
    let typed = PlanTyped {
        question: "shade_cost".to_owned(),
        baseline: "none".to_owned(),
        levels: "left column".to_owned(),
        order: "aba".to_owned(),
        settle_s: "0".to_owned(),
        ..PlanTyped::default()
    };
    let lines: Vec<Line> = lines.iter().enumerate().map(|(nth, typed)| line(nth, typed)).collect();
    let setup = Setup { tilt_deg: 30.0, azimuth_deg: 180.0, load: Load::LoadTester, ..Setup::default() };
    record(Question::ShadeCost, label, setup, Some(&typed), &lines)
}

#[test]
fn it_is_compared_without_its_label() {
    for lines in [["100.0 W", "70.0 W", "100.2 W"], ["18.0 V 5.6 A", "18.0 V 3.92 A", "18.0 V 5.6 A"]] {
        let record = compared(Nameplate::default(), &lines);
        let assessment = assess(&record).unwrap();
        let found = assessment.outcome.comparison().unwrap().as_ref().unwrap();
        let difference = &found.levels[0].difference;
        assert!((difference.percent - 70.0).abs() < 0.2, "{lines:?}: {}", difference.percent);
        assert_eq!(assessment.level_verdict(1), LevelVerdict::Less, "{lines:?}");
        // What the circuit would predict needs a label.
        assert!(assessment.prediction.as_ref().is_none_or(|all| all.levels.iter().all(|one| one.percent.is_err())));
    }
}

#[test]
fn it_is_never_rated() {
    let lines: Vec<Line> =
        (0..3).map(|nth| Line { run: None, ..line(nth, "18.4 V 5.4 A 1000 W/m2 25 C Voc 22.3 Isc 5.9") }).collect();
    let setup = Setup { tilt_deg: 30.0, azimuth_deg: 180.0, load: Load::LoadTester, ..Setup::default() };
    let of = |label: Nameplate| record(Question::MakesRating, label, setup, None, &lines);
    let unlabelled = of(Nameplate::default());
    let assessment = assess(&unlabelled).unwrap();
    let rating = assessment.rating().unwrap();
    assert_eq!((assessment.rating_verdict(0), &rating.reasons[..]), (RatingVerdict::CantTell, &[Reason::NoLabel][..]));
    assert!(rating.pmax.is_none() && rating.ladder.is_none() && rating.bounds.is_none() && rating.conformity.is_none());
    assert!(rating.open_circuit.is_none() && rating.short_circuit.is_none());
    assert_eq!(assessment.settles.first().map(|settle| settle.act), Some(Act::GiveLabel));
    assert_eq!(Subject::of(&unlabelled, 0).unwrap().rated_w(), None);
    // The same readings with a label of 100 W, and of 120 W: 99.4 W are enough for the one, and too few for the other.
    let rated = |rated_w: f64| {
        let record = of(Nameplate { rated_w: Some(rated_w), ..Nameplate::default() });
        assess(&record).unwrap().rating_verdict(0)
    };
    assert!(matches!(rated(100.0), RatingVerdict::Makes | RatingVerdict::Consistent), "{:?}", rated(100.0));
    assert!(matches!(rated(120.0), RatingVerdict::Below | RatingVerdict::ProbablyBelow), "{:?}", rated(120.0));
}

/// A label is read or not: one that lacks its watts and has something else is refused as before, wherever it stands.
#[test]
fn a_label_without_its_watts_is_no_label() {
    let unread = LabelTyped::of(&Nameplate::default());
    assert_eq!(kept(&unread), Some(Nameplate::default()));
    assert_eq!((checked(&unread, true).nameplate, checked(&unread, false).nameplate), (Some(Nameplate::default()), None));
    assert!(check(&unread).notes.iter().any(|note| note.field == "rated_w"));
    for field in ["voc_v", "isc_a", "cells_in_series", "noct_c"] {
        let mut half = unread.clone();
        half.set(field, "30".to_owned());
        assert_eq!((kept(&half), checked(&half, true).nameplate), (None, None), "{field}");
    }
    let whole = LabelTyped::of(&kinds()[0].label("3 %"));
    assert!(kept(&whole).is_some_and(|label| label.rated_w.is_some()) && checked(&whole, true) == check(&whole));
    assert!(
        record(Question::MakesRating, Nameplate::default(), Setup::default(), None, &[line(0, "80 W")]).readings[0]
            .figures
            .get(Quantity::Power)
            .is_some()
    );
}
