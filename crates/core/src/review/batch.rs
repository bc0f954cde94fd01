//! The pieces of one kind: how far they spread, their grades, and how many are under half.

use super::league::rated;
use super::summary::{Figure, LevelSummary, Summary};
use crate::record::test::PanelRecord;
use crate::verdict::finding::Finding;
use crate::verdict::used::Grade;
use std::collections::HashMap;

/// One piece with its newest result.
#[derive(Debug, Clone, PartialEq)]
pub struct PieceResult {
    pub id: String,
    pub tag: String,
    /// Percent of rating.
    pub percent: Option<Figure>,
    /// Voc over what the label allows, percent.
    pub voc_percent: Option<f64>,
    pub grade: Option<Grade>,
    pub found: Vec<Finding>,
    /// The test it is of, by its place among the summaries.
    pub test: Option<usize>,
}

/// Best, median and worst of one figure.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Spread {
    pub best: f64,
    pub median: f64,
    pub worst: f64,
    pub count: usize,
    /// How many are under half of what the label states.
    pub under_half: usize,
}

#[derive(Debug, Clone, PartialEq)]
pub struct Batch {
    /// The best first: by percent of rating, and by Voc where nothing else was measured.
    pub pieces: Vec<PieceResult>,
    pub percent: Option<Spread>,
    pub voc_percent: Option<Spread>,
}

pub fn batch(rated: &RatedByPanel<'_>, pieces: &[&PanelRecord]) -> Batch {
    let mut results: Vec<PieceResult> = pieces.iter().map(|panel| piece(rated, panel)).collect();
    let key = |one: &PieceResult| (one.percent.map_or(-1.0, |figure| figure.value), one.voc_percent.unwrap_or(-1.0));
    results.sort_by(|a, b| {
        let (a_key, b_key) = (key(a), key(b));
        b_key.0.total_cmp(&a_key.0).then(b_key.1.total_cmp(&a_key.1))
    });
    let percents: Vec<f64> = results.iter().filter_map(|one| one.percent).map(|figure| figure.value).collect();
    let volts: Vec<f64> = results.iter().filter_map(|one| one.voc_percent).collect();
    Batch { pieces: results, percent: spread(percents), voc_percent: spread(volts) }
}

/// The levels in which each panel was rated by itself, so that a bench of many tests and panels is gone through once.
#[derive(Debug)]
pub struct RatedByPanel<'a>(HashMap<&'a str, Vec<Rated<'a>>>);

#[derive(Debug, Clone, Copy)]
struct Rated<'a> {
    /// Its test, by its place among the summaries.
    test: usize,
    summary: &'a Summary,
    level: &'a LevelSummary,
}

impl<'a> RatedByPanel<'a> {
    pub fn of(summaries: &[&'a Summary]) -> Self {
        let mut by_panel: HashMap<&str, Vec<Rated<'_>>> = HashMap::new();
        for (test, summary) in summaries.iter().copied().enumerate() {
            for (panel, level) in rated(summary) {
                by_panel.entry(panel).or_default().push(Rated { test, summary, level });
            }
        }
        // Stable: levels of one test stay in their order.
        by_panel.values_mut().for_each(|levels| levels.sort_by_key(|one| one.summary.last_utc));
        RatedByPanel(by_panel)
    }
}

fn piece(rated: &RatedByPanel<'_>, panel: &PanelRecord) -> PieceResult {
    let mut result = PieceResult {
        id: panel.id.clone(),
        tag: panel.tag.clone(),
        percent: None,
        voc_percent: None,
        grade: None,
        found: Vec::new(),
        test: None,
    };
    // The newest of each figure counts.
    for Rated { test, summary, level } in rated.0.get(panel.id.as_str()).into_iter().flatten().copied() {
        let rating = level.rating.as_ref().filter(|rating| rating.forbidden.is_none());
        result.percent = rating.map(|rating| rating.percent).or(result.percent);
        result.voc_percent = level.voc_rel.map(|rel| rel * 100.0).or(result.voc_percent);
        result.test = Some(test);
        if level.grade.is_some() {
            result.grade = level.grade;
            let of_level = summary.named.iter().filter(|named| named.level.is_none_or(|of| of == level.level));
            result.found = of_level.map(|named| named.finding.clone()).collect();
        }
    }
    result
}

/// `None` of no values. The median of an even number is the mean of the middle two.
fn spread(mut values: Vec<f64>) -> Option<Spread> {
    values.sort_by(f64::total_cmp);
    let count = values.len();
    let (worst, best) = (*values.first()?, *values.last()?);
    let median = (values[(count - 1) / 2] + values[count / 2]) / 2.0;
    Some(Spread { best, median, worst, count, under_half: values.iter().filter(|value| **value < 50.0).count() })
}

#[cfg(test)]
mod tests {
    use super::super::table::tests::{level, summary};
    use super::*;
    use crate::record::question::Question;
    use crate::review::summary::LevelSummary;

    fn refs(summaries: &[Summary]) -> Vec<&Summary> {
        summaries.iter().collect()
    }

    /// Worked by hand: ten panels of 49 V by Voc alone, the best 40 V, most near 27: 81.6 % and 55.1 %; three under 24.5 V.
    #[test]
    fn a_batch_by_voc_alone_has_its_best_first() {
        let volts = [27.0, 24.0, 40.0, 27.0, 26.0, 12.0, 27.0, 28.0, 23.0, 27.0];
        let tags: Vec<String> = (1..=10).map(|nth| format!("U-{nth}")).collect();
        let levels = volts.iter().zip(&tags).enumerate().map(|(nth, (volts, tag))| LevelSummary {
            voc_rel: Some(volts / 49.0),
            grade: Some(if *volts > 36.0 { Grade::Keep } else { Grade::Reject }),
            ..level(nth, tag, &[tag])
        });
        let test = summary(Question::UsedPanel, levels.collect());
        let panels: Vec<PanelRecord> =
            tags.iter().map(|tag| PanelRecord { id: tag.clone(), tag: tag.clone(), ..PanelRecord::default() }).collect();
        let found = batch(&RatedByPanel::of(&refs(&[test])), &panels.iter().collect::<Vec<_>>());
        assert_eq!(found.pieces[0].tag, "U-3");
        let spread = found.voc_percent.unwrap();
        assert!((spread.best - 81.633).abs() < 0.01 && (spread.median - 55.102).abs() < 0.01, "{spread:?}");
        assert_eq!((spread.count, spread.under_half, found.percent), (10, 3, None));
    }

    #[test]
    fn the_median_of_an_even_number_lies_between_the_middle_two() {
        let found = spread(vec![40.0, 90.0, 60.0, 49.9]).unwrap();
        assert!((found.median - 54.95).abs() < 1e-9 && found.under_half == 2);
        assert!(spread(Vec::new()).is_none());
    }
}
