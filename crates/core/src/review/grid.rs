//! Panels by controllers as one table: poor light, two panels and two controllers, is the usual one.

use super::summary::{Figure, LevelSummary, Summary};
use super::together::{One, together};

/// One field: percent of the baseline of its test, and what was read.
#[derive(Debug, Clone, PartialEq)]
pub struct Field {
    pub percent: Figure,
    /// As read, with its unit; comparable within one test only.
    pub mean: Option<(f64, &'static str)>,
    pub tests: usize,
}

#[derive(Debug, Clone, PartialEq)]
pub struct Grid {
    pub panels: Vec<String>,
    pub controllers: Vec<String>,
    /// By panel, then by controller.
    pub fields: Vec<Vec<Option<Field>>>,
    /// All fields are of one test, so that what was read compares too.
    pub is_one_test: bool,
}

/// The grid of the tests; `None` where it would have one row or one column.
pub fn grid(summaries: &[Summary]) -> Option<Grid> {
    let line = |level: &LevelSummary| level.panels.iter().map(|piece| piece.tag.as_str()).collect::<Vec<_>>().join(" + ");
    let of: Vec<(usize, String, &String, &LevelSummary)> = summaries
        .iter()
        .enumerate()
        .filter(|(_, summary)| summary.compared.is_some() && !summary.is_absolute)
        .flat_map(|(test, summary)| summary.levels.iter().map(move |level| (test, level)))
        .filter_map(|(test, level)| Some((test, line(level), level.controller.as_ref()?, level)))
        .collect();
    let mut panels: Vec<String> = Vec::new();
    let mut controllers: Vec<String> = Vec::new();
    for (_, panel, controller, _) in &of {
        if !panels.contains(panel) {
            panels.push(panel.clone());
        }
        if !controllers.contains(controller) {
            controllers.push((*controller).clone());
        }
    }
    if panels.len() < 2 || controllers.len() < 2 {
        return None;
    }
    let field = |panel: &String, controller: &String| {
        let here: Vec<_> = of.iter().filter(|(_, of, with, _)| of == panel && *with == controller).collect();
        let ones: Vec<One> = here
            .iter()
            .filter_map(|(.., level)| percent(level))
            .map(|figure| One { figure, u_shared: 0.0, sources: Vec::new() })
            .collect();
        let found = together(&ones)?;
        let mean = here.last().and_then(|(test, .., level)| Some((level.mean?, summaries[*test].compared?.unit())));
        Some(Field { percent: found.figure, mean, tests: found.count })
    };
    Some(Grid {
        fields: panels.iter().map(|panel| controllers.iter().map(|with| field(panel, with)).collect()).collect(),
        is_one_test: of.iter().all(|(test, ..)| *test == of[0].0),
        panels,
        controllers,
    })
}

fn percent(level: &LevelSummary) -> Option<Figure> {
    if level.level == 0 { Some(Figure::new(100.0, 0.0)) } else { level.compared.as_ref().map(|one| one.percent) }
}

#[cfg(test)]
mod tests {
    use super::super::table::tests::{compared, level, summary};
    use super::*;
    use crate::record::condition::Factor;
    use crate::record::question::Question;

    #[test]
    fn two_panels_on_two_controllers_are_four_fields() {
        let on = |controller: &str, kind: &str, one: LevelSummary| LevelSummary {
            controller: Some(controller.to_owned()),
            panels: level(0, "", &[kind]).panels,
            ..one
        };
        let of = |number, percent| compared(number, "", Factor::Load, percent, 2.0);
        let test = summary(
            Question::PoorLight,
            vec![
                on("Lathe", "X", level(0, "X on Lathe", &[])),
                on("Gimlet", "X", of(1, 80.0)),
                on("Lathe", "Y", of(2, 125.0)),
                on("Gimlet", "Y", of(3, 96.0)),
            ],
        );
        let found = grid(std::slice::from_ref(&test)).unwrap();
        let percents: Vec<f64> = found.fields.iter().flatten().map(|field| field.as_ref().unwrap().percent.value).collect();
        assert_eq!((percents, found.is_one_test), (vec![100.0, 80.0, 125.0, 96.0], true));
        let mut short = test;
        short.levels.truncate(2);
        assert!(grid(&[short]).is_none());
    }
}
