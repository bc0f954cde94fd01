//! The answer of a test as a person says it first: which of its figures, and in what relation. The words are the page's; what is said, and
//! of which levels, is decided here, once for result, report, logbook and programs.

use super::summary::{Figure, LevelSummary, Summary};
use crate::record::condition::Factor;
use crate::record::question::Question;
use crate::verdict::bounds::Bounds;
use crate::verdict::comparison::{Compared, NoComparison};
use crate::verdict::conformity::{LevelVerdict, RatingVerdict};
use crate::verdict::finding::{Effect, Finding, Limit, Named};
use crate::verdict::reason::Reason;
use crate::verdict::used::Grade;

/// A level with its name as it stands in a sentence.
#[derive(Debug, Clone, PartialEq)]
pub struct Told {
    pub name: String,
    pub verdict: LevelVerdict,
    /// Of the baseline.
    pub percent: Figure,
    /// As read, in the unit of what is compared.
    pub mean: f64,
}

/// The baseline of a comparison.
#[derive(Debug, Clone, PartialEq)]
pub struct Baseline {
    pub name: String,
    pub mean: f64,
}

/// What a rating test says first.
#[derive(Debug, Clone, PartialEq)]
pub struct Rated {
    pub tag: String,
    pub verdict: RatingVerdict,
    pub rated_w: Option<f64>,
    /// Percent of the rating, of the readings that count.
    pub percent: Option<Figure>,
    /// Watts as read at a limit.
    pub capped: Option<(f64, Limit)>,
    pub bounds: Option<Bounds>,
    /// What keeps it open.
    pub why: Option<Reason>,
}

#[derive(Debug, Clone, PartialEq)]
pub enum Headline {
    /// What has to be read first.
    NoReading {
        first: String,
    },
    NotYet {
        why: NoComparison,
        baseline: String,
    },
    Rated(Rated),
    /// Several panels against their labels: (tag, verdict).
    Ratings(Vec<(String, RatingVerdict)>),
    /// Several used panels: (tag, grade).
    Grades(Vec<(String, Grade)>),
    /// Nothing could be compared: the first thing that forbids it, if it was named.
    CantTell {
        level: String,
        baseline: String,
        why: Option<Finding>,
    },
    /// All readings of a level were left out, the first of them for what is named.
    LeftOut {
        level: String,
        readings: usize,
        why: Option<Finding>,
    },
    /// One level against its baseline.
    One {
        level: Told,
        baseline: Baseline,
        compared: Compared,
    },
    /// The baseline gives next to nothing, so that there are no percents.
    NearNothing {
        baseline: Baseline,
        u: f64,
        levels: Vec<(String, f64)>,
        compared: Compared,
    },
    /// Levels that take something away: the one that costs most, the one that costs least, and how many others.
    Costs {
        most: Told,
        least: Option<Told>,
        others: usize,
        baseline: Baseline,
        compared: Compared,
    },
    /// Each step against the one before it: (name, percent of the one before, what it added).
    Steps {
        steps: Vec<(String, Figure, f64)>,
        from: f64,
        to: f64,
        compared: Compared,
    },
    /// Several levels, the best first: those that share the first place, and the worst of the others.
    Leads {
        first: Vec<String>,
        within_percent: Option<f64>,
        last: Option<Told>,
        ahead: Option<Told>,
        baseline: Baseline,
        compared: Compared,
    },
    /// One level at several hours, Unix seconds.
    Hours {
        level: String,
        baseline: String,
        hours: Vec<(f64, Figure)>,
    },
    /// Panels together as percent of the sum of each alone.
    Sum {
        panels: Vec<String>,
        percent: Figure,
        together: f64,
        alone: f64,
        compared: Compared,
    },
}

/// The headline of a test.
pub fn headline(summary: &Summary) -> Headline {
    let first = summary.levels.first().map(|level| level.said.clone()).unwrap_or_default();
    if summary.readings == 0 {
        return Headline::NoReading { first };
    }
    if !summary.is_comparison() {
        return rated(summary);
    }
    if let Some(NoComparison::LeftOut { level, readings }) = summary.not_yet {
        let of_level = |one: &&Named| one.effect == Effect::LeftOut && one.level == Some(level);
        let why = summary.named.iter().find(of_level).map(|one| one.finding.clone());
        let level = summary.levels.get(level).map(|level| level.said.clone()).unwrap_or_default();
        return Headline::LeftOut { level, readings, why };
    }
    if let Some(why) = summary.not_yet {
        return Headline::NotYet { why, baseline: first };
    }
    compared(summary, first).unwrap_or(Headline::NotYet { why: NoComparison::NoLevel, baseline: String::new() })
}

fn rated(summary: &Summary) -> Headline {
    let tag = |level: &LevelSummary| level.panels.first().map_or_else(|| level.name.clone(), |piece| piece.tag.clone());
    if let [only] = &summary.levels[..] {
        let capped = summary.named.iter().find_map(|named| {
            let Finding::Capped { watts_w, by, .. } = named.finding else { return None };
            (named.effect == Effect::LeftOut).then_some((watts_w, by))
        });
        let stands = |effect: Effect| matches!(effect, Effect::Forbids | Effect::LeftOut);
        let found = summary.named.iter().find(|named| stands(named.effect)).map(|named| Reason::Found(named.finding.clone()));
        let why = found.or_else(|| summary.reasons.first().cloned());
        let is_open = matches!(summary.verdict, RatingVerdict::CantTell | RatingVerdict::NoWatts);
        return Headline::Rated(Rated {
            tag: only.panels.iter().map(|piece| piece.tag.as_str()).collect::<Vec<_>>().join(" + "),
            verdict: summary.verdict,
            rated_w: only.rated_w,
            percent: only.rating.as_ref().map(|rating| rating.percent),
            capped: capped.filter(|_| is_open),
            bounds: only.bounds.filter(|_| is_open),
            why: why.filter(|_| is_open),
        });
    }
    let grades: Vec<(String, Grade)> = summary.levels.iter().filter_map(|level| Some((tag(level), level.grade?))).collect();
    if !grades.is_empty() {
        return Headline::Grades(grades);
    }
    let verdict = |level: &LevelSummary| level.rating.as_ref().map_or(RatingVerdict::CantTell, |rating| rating.verdict);
    Headline::Ratings(summary.levels.iter().map(|level| (tag(level), verdict(level))).collect())
}

fn compared(summary: &Summary, first: String) -> Option<Headline> {
    let compared = summary.compared?;
    let baseline = Baseline { name: first, mean: summary.levels.first()?.mean? };
    let told: Vec<(&LevelSummary, Told)> = summary
        .levels
        .iter()
        .filter_map(|level| {
            let one = level.compared.as_ref()?;
            Some((level, Told { name: level.said.clone(), verdict: one.verdict, percent: one.percent, mean: level.mean? }))
        })
        .collect();
    if let Some((percent, panels, together)) = of_sum(summary) {
        let alone = together / (percent.value / 100.0);
        return Some(Headline::Sum { panels, percent, together, alone, compared });
    }
    if summary.is_absolute {
        let levels = told.iter().map(|(_, one)| (one.name.clone(), one.mean)).collect();
        return Some(Headline::NearNothing { baseline, u: summary.baseline_u, levels, compared });
    }
    if told.iter().all(|(_, one)| one.verdict == LevelVerdict::CantTell) {
        let why = summary.named.iter().find(|named| named.effect == Effect::Forbids).map(|named| named.finding.clone());
        let level = told.first().map(|(_, one)| one.name.clone())?;
        return Some(Headline::CantTell { level, baseline: baseline.name, why });
    }
    if let ([(level, one)], [of]) = (&told[..], &summary.hours[..])
        && of.level == level.level
    {
        let hour = |(at_s, one): &(f64, crate::verdict::estimate::Difference)| (*at_s, Figure::new(one.percent, one.u_percent));
        let hours = of.hours.iter().map(hour).collect();
        return Some(Headline::Hours { level: one.name.clone(), baseline: baseline.name, hours });
    }
    if let [(_, only)] = &told[..] {
        return Some(Headline::One { level: only.clone(), baseline, compared });
    }
    if summary.question == Question::Improvements {
        return steps(summary, &told, &baseline, compared);
    }
    let mut by_percent: Vec<Told> = told.iter().map(|(_, one)| one.clone()).collect();
    by_percent.sort_by(|a, b| a.percent.value.total_cmp(&b.percent.value));
    let takes_away = matches!(summary.question.card().factor, Factor::Shade | Factor::Covers);
    if takes_away && by_percent.first().is_some_and(|most| is_less(most.verdict)) {
        let least = by_percent.iter().rev().find(|one| is_less(one.verdict) && one.name != by_percent[0].name).cloned();
        let others = by_percent.len() - 1 - usize::from(least.is_some());
        return Some(Headline::Costs { most: by_percent.swap_remove(0), least, others, baseline, compared });
    }
    Some(leads(&told, by_percent, baseline, compared))
}

fn is_less(verdict: LevelVerdict) -> bool {
    matches!(verdict, LevelVerdict::Less | LevelVerdict::ProbablyLess)
}

fn leads(told: &[(&LevelSummary, Told)], by_percent: Vec<Told>, baseline: Baseline, compared: Compared) -> Headline {
    let rank = |level: &LevelSummary| level.compared.as_ref().map_or(usize::MAX, |one| one.rank);
    let mut first: Vec<(f64, &Told)> =
        told.iter().filter(|(level, _)| rank(level) == 1).map(|(_, one)| (one.percent.value, one)).collect();
    first.sort_by(|a, b| b.0.total_cmp(&a.0));
    // The baseline leads where no level is shown to be more than it.
    let baseline_leads = !told.iter().any(|(_, one)| matches!(one.verdict, LevelVerdict::More | LevelVerdict::ProbablyMore));
    let within_percent = first
        .iter()
        .filter_map(|(_, one)| match one.verdict {
            LevelVerdict::NoDifferenceOver { within_percent } => Some(within_percent),
            LevelVerdict::More
            | LevelVerdict::Less
            | LevelVerdict::ProbablyMore
            | LevelVerdict::ProbablyLess
            | LevelVerdict::AtLeast { .. }
            | LevelVerdict::CantTell => None,
        })
        .max_by(f64::total_cmp)
        .filter(|_| baseline_leads);
    let ahead = first.first().filter(|_| !baseline_leads && first.len() == 1).map(|(_, one)| (*one).clone());
    let mut names: Vec<String> = first.iter().map(|(_, one)| one.name.clone()).collect();
    if baseline_leads {
        names.insert(0, baseline.name.clone());
    }
    let last = by_percent.into_iter().find(|one| is_less(one.verdict) && !names.contains(&one.name));
    Headline::Leads { first: names, within_percent, last, ahead, baseline, compared }
}

fn steps(summary: &Summary, told: &[(&LevelSummary, Told)], baseline: &Baseline, compared: Compared) -> Option<Headline> {
    let mut before = (0, baseline.mean);
    let mut steps = Vec::new();
    for (level, one) in told {
        let percent = match before.0 {
            0 => Some(one.percent),
            other => summary.pairs.iter().find(|pair| (pair.0, pair.1) == (level.level, other)).map(|pair| pair.2),
        };
        // By the percent, from which the drift of the light is taken out.
        steps.extend(percent.map(|percent| (one.name.clone(), percent, (percent.value / 100.0 - 1.0) * before.1)));
        before = (level.level, one.mean);
    }
    Some(Headline::Steps { steps, from: baseline.mean, to: before.1, compared })
}

/// The most panels together: percent of their sum, which panels, and what they gave.
fn of_sum(summary: &Summary) -> Option<(Figure, Vec<String>, f64)> {
    let (level, percent) = summary.of_sum?;
    let level = summary.levels.iter().find(|one| one.level == level)?;
    let panels = match &level.panels[..] {
        [_, _, ..] => level.panels.iter().map(|piece| piece.tag.clone()).collect(),
        _ => vec![level.said.clone()],
    };
    Some((percent, panels, level.mean?))
}
