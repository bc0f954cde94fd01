//! A review: products beside each other, pattern by pattern, each as percent of its own baseline.
//!
//! Percents of own baselines compare across days: the sun of each day is in both of its figures. Watts of different days do not.

use super::summary::{Figure, LevelSummary, Summary};
use super::together::{One, together};
use crate::measure::coverage::simultaneous_factor;
use crate::record::condition::Factor;
use crate::verdict::ranking::rank_ranges;
use std::collections::BTreeSet;

/// One product of a review: a column.
#[derive(Debug, Clone, PartialEq)]
pub struct Subject {
    /// Its panels by kind: "2 x Saffron 200".
    pub name: String,
    /// The tests it was in, by their place among the summaries.
    pub tests: Vec<usize>,
    /// As read, of different days: shown, and not to be compared.
    pub baseline_means: Vec<(f64, &'static str)>,
    /// Percent of rating, where its tests show one.
    pub rating_percent: Option<Figure>,
    pub price_per_w: Option<Figure>,
}

/// One subject under one pattern.
#[derive(Debug, Clone, PartialEq)]
pub struct Cell {
    pub percent: Figure,
    /// The best that it can have in its row, by the differences of all pairs at once.
    pub rank: usize,
    pub tests: usize,
    /// As read, of the newest test.
    pub mean: Option<f64>,
    pub predicted_percent: Option<f64>,
    pub agrees: bool,
}

/// A pattern: a row.
#[derive(Debug, Clone, PartialEq)]
pub struct Row {
    pub pattern: String,
    pub factor: Option<Factor>,
    /// By subject.
    pub cells: Vec<Option<Cell>>,
}

/// What keeps figures of a review from being compared.
#[derive(Debug, Clone, PartialEq)]
pub enum Apart {
    /// Watts as read of different days or products.
    BareWatts,
    /// The tests compare different quantities.
    Quantities(Vec<&'static str>),
    /// The tests ask different questions.
    Questions,
    /// Their baselines are different settings.
    Baselines(Vec<String>),
    /// No subject but one has this pattern.
    OnlyOne(String),
    /// A baseline of nothing to speak of: no percent.
    Absolute(String),
}

#[derive(Debug, Clone, PartialEq, Default)]
pub struct Table {
    pub subjects: Vec<Subject>,
    pub rows: Vec<Row>,
    pub apart: Vec<Apart>,
}

/// The table of the chosen tests.
pub fn table(summaries: &[Summary]) -> Table {
    let mut columns: Vec<(String, Vec<(usize, &LevelSummary)>)> = Vec::new();
    for (test, summary) in summaries.iter().enumerate() {
        for level in &summary.levels {
            let name = subject_name(summary, level);
            match columns.iter_mut().find(|(known, _)| *known == name) {
                Some((_, levels)) => levels.push((test, level)),
                None => columns.push((name, vec![(test, level)])),
            }
        }
    }
    let rows = rows(summaries, &columns);
    let subjects = columns.iter().map(|(name, levels)| subject(summaries, name, levels)).collect();
    let apart = apart(summaries, &rows);
    Table { subjects, rows, apart }
}

/// A level of ratings is of its own panels; the levels of a comparison are of the product that its baseline is of, unless they vary it.
fn subject_name(summary: &Summary, level: &LevelSummary) -> String {
    let of = if summary.is_comparison() && !varies_panel(level) { summary.levels.first().unwrap_or(level) } else { level };
    let kinds: Vec<&str> = of.panels.iter().map(|piece| piece.kind.as_str()).collect();
    match &of.panels[..] {
        [only] if !summary.is_comparison() => format!("{} {}", only.tag, only.kind),
        pieces if kinds.iter().all(|kind| *kind == kinds[0]) && pieces.len() > 1 => {
            format!("{} \u{d7} {}", pieces.len(), kinds[0])
        }
        _ => kinds.join(" + "),
    }
}

fn varies_panel(level: &LevelSummary) -> bool {
    level.changes.iter().any(|(factor, _)| *factor == Factor::Panel)
}

/// What a level changes besides its panels, so that the same pattern of two tests is one row.
fn pattern(level: &LevelSummary) -> String {
    let words = |text: &str| text.split_whitespace().collect::<Vec<_>>().join(" ").to_lowercase();
    level
        .changes
        .iter()
        .filter(|(factor, _)| *factor != Factor::Panel)
        .map(|(_, text)| words(text))
        .collect::<Vec<_>>()
        .join(", ")
}

/// A row's name as it was typed first.
fn pattern_name(level: &LevelSummary) -> String {
    let changes = level.changes.iter().filter(|(factor, _)| *factor != Factor::Panel);
    changes.map(|(_, text)| text.clone()).collect::<Vec<_>>().join(", ")
}

fn rows(summaries: &[Summary], columns: &[(String, Vec<(usize, &LevelSummary)>)]) -> Vec<Row> {
    let compared = |level: &LevelSummary| level.level > 0 && level.compared.is_some();
    let in_percent = |test: usize| !summaries[test].is_absolute;
    let mut patterns: Vec<(String, String, Option<Factor>)> = Vec::new();
    for (test, level) in columns.iter().flat_map(|(_, levels)| levels) {
        if compared(level) && in_percent(*test) && !patterns.iter().any(|(known, ..)| *known == pattern(level)) {
            let factor = level.changes.iter().map(|(factor, _)| *factor).find(|factor| *factor != Factor::Panel);
            patterns.push((pattern(level), pattern_name(level), factor));
        }
    }
    patterns
        .into_iter()
        .map(|(key, name, factor)| {
            let mut cells: Vec<Option<Cell>> = columns
                .iter()
                .map(|(_, levels)| {
                    let of_pattern = levels.iter().filter(|(test, level)| in_percent(*test) && pattern(level) == key);
                    cell(&of_pattern.map(|(_, level)| *level).collect::<Vec<_>>())
                })
                .collect();
            rank(&mut cells);
            Row { pattern: name, factor, cells }
        })
        .collect()
}

fn cell(levels: &[&LevelSummary]) -> Option<Cell> {
    let ones: Vec<One> = levels
        .iter()
        .filter_map(|level| Some(One { figure: level.compared.as_ref()?.percent, u_shared: 0.0, sources: Vec::new() }))
        .collect();
    let found = together(&ones)?;
    let newest = levels.last()?;
    Some(Cell {
        percent: found.figure,
        rank: 1,
        tests: found.count,
        mean: newest.mean,
        predicted_percent: newest.predicted_percent,
        agrees: newest.agrees,
    })
}

fn rank(cells: &mut [Option<Cell>]) {
    let values: Vec<Figure> = cells.iter().flatten().map(|cell| cell.percent).collect();
    let factor = simultaneous_factor(values.len(), f64::INFINITY) / 2.0;
    // Figures of different tests and baselines are taken as having nothing in common.
    let is_behind = |a: usize, b: usize| values[b].value - values[a].value > factor * values[a].u.hypot(values[b].u);
    let found = rank_ranges(values.len(), is_behind);
    cells.iter_mut().flatten().zip(found).for_each(|(cell, (best, _))| cell.rank = best);
}

fn subject(summaries: &[Summary], name: &str, levels: &[(usize, &LevelSummary)]) -> Subject {
    let mut tests: Vec<usize> = levels.iter().map(|(test, _)| *test).collect();
    tests.dedup();
    let is_baseline = |level: &&LevelSummary| level.level == 0;
    let ratings: Vec<One> = levels
        .iter()
        .filter_map(|(test, level)| {
            let rating = level.rating.as_ref().filter(|rating| rating.forbidden.is_none())?;
            // Under shade or another load than the rating's it is no rating.
            (!summaries[*test].is_comparison()).then_some(One {
                figure: rating.percent,
                u_shared: rating.u_shared_percent,
                sources: Vec::new(),
            })
        })
        .collect();
    let rating = together(&ratings).map(|found| found.figure);
    let priced = levels.iter().find_map(|(_, level)| level.price.zip(level.rated_w));
    Subject {
        name: name.to_owned(),
        baseline_means: levels
            .iter()
            .filter(|(_, level)| is_baseline(level))
            .filter_map(|(test, level)| Some((level.mean?, summaries[*test].compared?.unit())))
            .collect(),
        price_per_w: rating.zip(priced).filter(|(rating, _)| rating.value > 1.0).map(|(rating, (price, rated_w))| {
            let per_w = price / (rated_w * rating.value / 100.0);
            Figure::new(per_w, per_w * rating.u / rating.value)
        }),
        rating_percent: rating,
        tests,
    }
}

fn apart(summaries: &[Summary], rows: &[Row]) -> Vec<Apart> {
    let mut found = Vec::new();
    let compared: Vec<&Summary> = summaries.iter().filter(|one| one.compared.is_some()).collect();
    if compared.len() > 1 {
        found.push(Apart::BareWatts);
    }
    let quantities: BTreeSet<&'static str> = compared.iter().filter_map(|one| one.compared).map(|one| one.label()).collect();
    if quantities.len() > 1 {
        found.push(Apart::Quantities(quantities.into_iter().collect()));
    }
    if summaries.windows(2).any(|pair| pair[0].question != pair[1].question) {
        found.push(Apart::Questions);
    }
    let baselines: BTreeSet<String> =
        compared.iter().filter_map(|one| one.levels.first()).map(|level| level.name.trim().to_lowercase()).collect();
    if baselines.len() > 1 {
        found.push(Apart::Baselines(baselines.into_iter().collect()));
    }
    found.extend(
        compared.iter().filter(|one| one.is_absolute).filter_map(|one| Some(Apart::Absolute(one.levels.first()?.name.clone()))),
    );
    let has_several = rows.iter().any(|row| row.cells.len() > 1);
    let lonely = rows.iter().filter(|row| has_several && row.cells.iter().flatten().count() == 1);
    found.extend(lonely.map(|row| Apart::OnlyOne(row.pattern.clone())));
    found
}

#[cfg(test)]
pub(super) mod tests {
    use super::super::summary::{ComparedFigure, Piece};
    use super::*;
    use crate::record::question::Question;
    use crate::verdict::comparison::Compared;
    use crate::verdict::conformity::{LevelVerdict, RatingVerdict};

    /// A level of two panels, without any figure.
    pub fn level(number: usize, name: &str, kinds: &[&str]) -> LevelSummary {
        let piece = |kind: &&str| Piece { id: (*kind).to_owned(), tag: (*kind).to_owned(), kind: (*kind).to_owned() };
        LevelSummary {
            level: number,
            letter: String::new(),
            name: name.to_owned(),
            said: name.to_owned(),
            changes: Vec::new(),
            panels: kinds.iter().map(piece).collect(),
            rated_w: Some(200.0),
            price: None,
            area_m2: None,
            weight_kg: None,
            tilt_deg: 30.0,
            controller: None,
            rating: None,
            bounds: None,
            grade: None,
            voc_rel: None,
            sides: None,
            efficiency_percent: None,
            compared: None,
            mean: None,
            predicted_percent: None,
            agrees: false,
        }
    }

    pub fn compared(number: usize, name: &str, factor: Factor, percent: f64, u: f64) -> LevelSummary {
        LevelSummary {
            changes: vec![(factor, name.to_owned())],
            compared: Some(ComparedFigure {
                percent: Figure::new(percent, u),
                verdict: LevelVerdict::CantTell,
                rank: 1,
                runs: 1,
            }),
            mean: Some(percent),
            ..level(number, name, &[])
        }
    }

    pub fn summary(question: Question, levels: Vec<LevelSummary>) -> Summary {
        Summary {
            question,
            panel: String::new(),
            first_utc: None,
            last_utc: None,
            readings: 1,
            open_runs: 0,
            compared: (!question.is_of_rating()).then_some(Compared::Watts),
            levels,
            meters: Vec::new(),
            is_absolute: false,
            baseline_u: 0.0,
            of_sum: None,
            pairs: Vec::new(),
            hours: Vec::new(),
            reasons: Vec::new(),
            not_yet: None,
            verdict: RatingVerdict::CantTell,
            named: Vec::new(),
            settles: Vec::new(),
        }
    }

    const PATTERNS: [&str; 4] = ["towel across", "bottom corner", "strip along the bottom", "one panel covered"];

    fn product(kind: &str, watts_w: [f64; 5]) -> Summary {
        let mut levels = vec![LevelSummary { mean: Some(watts_w[0]), ..level(0, "none", &[kind, kind]) }];
        let panels = levels[0].panels.clone();
        levels.extend(PATTERNS.iter().zip(&watts_w[1..]).enumerate().map(|(nth, (name, watts))| {
            let percent = watts / watts_w[0] * 100.0;
            LevelSummary {
                mean: Some(*watts),
                panels: panels.clone(),
                ..compared(nth + 1, name, Factor::Shade, percent, 0.02 * percent + 0.3)
            }
        }));
        summary(Question::ShadeCost, levels)
    }

    /// Common practice, no source: three products of two panels each on three days. Percents worked by hand: 10/270 = 3.7, 6/270 = 2.2, 0,
    /// 160/270 = 59.3; 9/298 = 3.0, 10/298 = 3.4, 47/298 = 15.8, 123/298 = 41.3; 51/320 = 15.9, 102/320 = 31.9, 187/320 = 58.4, 168/320 =
    /// 52.5.
    #[test]
    fn three_products_on_three_days_are_one_table_of_percents() {
        let tests = [
            product("Saffron 200", [270.0, 10.0, 6.0, 0.0, 160.0]),
            product("Madder 200", [298.0, 9.0, 10.0, 47.0, 123.0]),
            product("Verdigris 200", [320.0, 51.0, 102.0, 187.0, 168.0]),
        ];
        let found = table(&tests);
        let names: Vec<&str> = found.subjects.iter().map(|one| one.name.as_str()).collect();
        assert_eq!(names, ["2 \u{d7} Saffron 200", "2 \u{d7} Madder 200", "2 \u{d7} Verdigris 200"]);
        assert_eq!(found.rows.iter().map(|row| row.pattern.as_str()).collect::<Vec<_>>(), PATTERNS);
        let expected = [[3.7, 3.0, 15.9], [2.2, 3.4, 31.9], [0.0, 15.8, 58.4], [59.3, 41.3, 52.5]];
        for (row, expected) in found.rows.iter().zip(expected) {
            for (cell, expected) in row.cells.iter().zip(expected) {
                assert!((cell.as_ref().unwrap().percent.value - expected).abs() < 0.06, "{row:?}");
            }
        }
        // The towel, by hand: 3.7 and 3.0 with 0.4 each differ by 0.566 expanded, for three pairs at once 0.566 * 2.394 / 2 =
        // 0.68, less than 0.7.
        let ranks = |row: usize| found.rows[row].cells.iter().flatten().map(|cell| cell.rank).collect::<Vec<_>>();
        assert_eq!((ranks(0), ranks(2), ranks(3)), (vec![2, 3, 1], vec![3, 2, 1], vec![1, 3, 2]));
        assert_eq!(found.subjects[1].baseline_means, [(298.0, "W")]);
        assert!(found.apart.contains(&Apart::BareWatts));
    }

    /// Worked by hand: 40 +- 2 and 44 +- 2 of two days: mean 42, Q = 8, seen^2 = 7, stated^2 = 0.397, tau^2 = 1.34; variance 1.17.
    #[test]
    fn a_product_with_two_tests_is_one_column() {
        let day = |percent: f64| {
            let panels = level(0, "none", &["Ochre", "Ochre"]);
            let shaded =
                LevelSummary { panels: panels.panels.clone(), ..compared(1, "Towel  across", Factor::Shade, percent, 2.0) };
            summary(Question::ShadeCost, vec![panels, shaded])
        };
        let mut other = day(44.0);
        other.levels[1].changes[0].1 = "towel across".to_owned();
        let found = table(&[day(40.0), other]);
        assert_eq!((found.subjects.len(), found.rows.len()), (1, 1));
        let cell = found.rows[0].cells[0].as_ref().unwrap();
        assert!((cell.percent.value - 42.0).abs() < 1e-9 && cell.tests == 2 && (2.1..2.6).contains(&cell.percent.u), "{cell:?}");
    }

    #[test]
    fn what_only_one_product_has_is_told_and_left_empty() {
        let mut short = product("Ochre 115", [100.0, 50.0, 40.0, 30.0, 20.0]);
        short.levels.truncate(2);
        let found = table(&[product("Saffron 200", [270.0, 10.0, 6.0, 0.0, 160.0]), short]);
        assert!(found.rows[1].cells[1].is_none());
        assert!(found.apart.contains(&Apart::OnlyOne("bottom corner".to_owned())));
    }
}
