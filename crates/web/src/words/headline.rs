//! The answer of a test in one sentence.

use super::finding;
use crate::figures::{clock_short, computed, number, percent, rough, with_u};
use flindo_core::review::headline::{Baseline, Headline, Rated, Told};
use flindo_core::review::summary::Figure;
use flindo_core::verdict::comparison::{Compared, NoComparison};
use flindo_core::verdict::conformity::{LevelVerdict, RatingVerdict};
use flindo_core::verdict::finding::{Finding, Limit};
use flindo_core::verdict::reason::Reason;
use flindo_core::verdict::used::Grade;
use jiff::Timestamp;
use jiff::tz::TimeZone;

/// More names than these are counted instead.
const MOST_NAMES: usize = 3;

pub fn headline(headline: &Headline, zone: &TimeZone) -> String {
    let sentence = match headline {
        Headline::NoReading { first } if first.is_empty() => "No reading yet".to_owned(),
        Headline::NoReading { first } => format!("No reading yet: read {first} first"),
        Headline::NotYet { why, baseline } => not_yet(*why, baseline),
        Headline::Rated(one) => rated(one),
        Headline::Ratings(all) => ratings(all),
        Headline::Grades(all) => grades(all),
        Headline::CantTell { level, baseline, why } => {
            let why = why.as_ref().map(|why| format!(", because {}", finding::finding(why).why)).unwrap_or_default();
            format!("{level} against {baseline}: can\u{2019}t tell{why}")
        }
        Headline::LeftOut { level, readings, why } => {
            let why = why.as_ref().map(|why| format!(": {}", finding::finding(why).why)).unwrap_or_default();
            format!("{}{why}", all_left_out(*readings, level))
        }
        Headline::One { level, baseline, compared } => one(level, baseline, *compared),
        Headline::NearNothing { baseline, u, levels, compared } => {
            let unit = compared.unit();
            let told = |(name, mean): &(String, f64)| format!("{name} {}", rough(*mean, unit));
            let levels: Vec<String> = levels.iter().map(told).collect();
            format!("{} gives nearly nothing ({}), {}", baseline.name, with_u(baseline.mean, *u, unit), levels.join(", "))
        }
        Headline::Costs { most, least, others, baseline, compared } => costs(most, least.as_ref(), *others, baseline, *compared),
        Headline::Steps { steps, from, to, compared } => {
            let told = |(name, percent, more): &(String, Figure, f64)| {
                let of = off(*percent, compared.unit(), *more);
                format!("{name} {} {of}", if percent.value < 100.0 { "took" } else { "brought" })
            };
            let told: Vec<String> = steps.iter().take(MOST_NAMES).map(told).collect();
            let unit = compared.unit();
            format!("{}: {} to {}", told.join(", then "), rough(*from, ""), rough(*to, unit)).replace("\u{a0} to", " to")
        }
        Headline::Leads { first, within_percent, last, ahead, baseline, compared } => {
            leads(first, *within_percent, last.as_ref(), ahead.as_ref(), baseline, *compared)
        }
        Headline::Hours { level, baseline, hours } => {
            let at = |(at_s, figure): &(f64, Figure)| {
                let at = Timestamp::from_second(*at_s as i64).map(|at| clock_short(at, zone)).unwrap_or_default();
                let way = if figure.value < 100.0 { "less" } else { "more" };
                format!("{} {way} at {at}", difference(*figure))
            };
            let hours: Vec<String> = hours.iter().map(at).collect();
            format!("{level} against {baseline}: {}", hours.join(", "))
        }
        Headline::Sum { panels, percent, together, alone, compared } => {
            let unit = compared.unit();
            let share = with_u(percent.value, percent.u, "%");
            format!("{} together give {share} of their sum: {} of {}", listed(panels), rough(*together, ""), rough(*alone, unit))
                .replace("\u{a0} of", " of")
        }
    };
    format!("{}.", super::capital(&sentence))
}

fn all_left_out(readings: usize, level: &str) -> String {
    match readings {
        1 => format!("The reading of {level} was left out"),
        2 => format!("Both readings of {level} were left out"),
        _ => format!("All {readings} readings of {level} were left out"),
    }
}

/// Why nothing is compared. `level`: the one that it is about; the baseline where it is about none.
pub fn not_yet(why: NoComparison, level: &str) -> String {
    match why {
        NoComparison::LeftOut { readings, .. } => all_left_out(readings, level),
        NoComparison::NoBaseline => format!("Read {level} first: nothing is compared before"),
        NoComparison::NoLevel => format!("Only {level} was read: read what it is compared with"),
        NoComparison::NothingInCommon => "The runs have no quantity in common: read the same figures in every run".to_owned(),
        NoComparison::Exchange => "Exchange the panels now: nothing is compared before".to_owned(),
    }
}

/// Watts at STC out of the rated ones.
fn of_rated(one: &Rated) -> String {
    let watts = one.percent.zip(one.rated_w).map(|(percent, rated_w)| percent.times(rated_w / 100.0));
    let watts = watts.map(|watts| with_u(watts.value, watts.u, "").to_string().trim_end().to_owned()).unwrap_or_default();
    format!("{watts} of {} at STC", one.rated_w.map(|rated_w| rough(rated_w, "W").to_string()).unwrap_or_default())
}

fn rated(one: &Rated) -> String {
    let tag = &one.tag;
    match (one.verdict, &one.capped, &one.bounds, &one.why) {
        (RatingVerdict::Makes, ..) => format!("{tag} makes its rating: {}", of_rated(one)),
        (RatingVerdict::Consistent, ..) => format!("Nothing speaks against {tag}\u{2019}s rating: {}", of_rated(one)),
        (RatingVerdict::ProbablyBelow, ..) => format!("{tag} is probably below its rating: {}", of_rated(one)),
        (RatingVerdict::Below, ..) => format!("{tag} is below its rating: {}", of_rated(one)),
        (RatingVerdict::ProbablyAbove | RatingVerdict::Above, ..) => format!("{tag} reads above its rating: {}", of_rated(one)),
        (RatingVerdict::NoWatts, ..) => format!("{tag}: Voc and Isc were read, not power; its rating stays open"),
        (RatingVerdict::CantTell, Some((watts_w, by)), ..) => {
            format!("{tag} gave at least {}: {} held it there, so its rating stays open", rough(*watts_w, "W"), limit(*by))
        }
        (RatingVerdict::CantTell, None, Some(bounds), _) => format!(
            "{tag} gives {} to {} % of its rating: irradiance or cell temperature was not read",
            number(bounds.low_percent, 0),
            number(bounds.high_percent, 0)
        ),
        (RatingVerdict::CantTell, None, None, Some(Reason::Found(Finding::NotAtMaximum { voltage_v, current_a, .. }))) => {
            format!(
                "{tag}: {} with {} is not its maximum, so its rating stays open",
                computed(*voltage_v, "V"),
                computed(*current_a, "A")
            )
        }
        (RatingVerdict::CantTell, None, None, Some(why)) => {
            format!("{tag}: can\u{2019}t tell, because {}", super::advice(why).why)
        }
        (RatingVerdict::CantTell, None, None, None) => match one.percent {
            Some(percent) => format!(
                "{tag}: can\u{2019}t tell; {} of its rating is too wide an interval",
                with_u(percent.value, percent.u, "%")
            ),
            None => format!("{tag}: can\u{2019}t tell yet"),
        },
    }
}

fn limit(by: Limit) -> &'static str {
    match by {
        Limit::InputPower => "its port\u{2019}s watts",
        Limit::InputCurrent => "its port\u{2019}s amps",
        Limit::OutputCurrent => "the controller\u{2019}s amps",
        Limit::FlatTop => "some limit",
    }
}

fn ratings(all: &[(String, RatingVerdict)]) -> String {
    let told = |verdict: &RatingVerdict| {
        let tags: Vec<String> = all.iter().filter(|one| one.1 == *verdict).map(|one| one.0.clone()).collect();
        let words = match verdict {
            RatingVerdict::Makes => "make their rating",
            RatingVerdict::Consistent => "are consistent with it",
            RatingVerdict::ProbablyBelow => "are probably below",
            RatingVerdict::Below => "are below",
            RatingVerdict::ProbablyAbove | RatingVerdict::Above => "read above",
            RatingVerdict::CantTell => "stay open",
            RatingVerdict::NoWatts => "were not read under load",
        };
        (!tags.is_empty()).then(|| counted(&tags, words))
    };
    let told: Vec<String> = RatingVerdict::ALL.iter().filter_map(told).collect();
    format!("Of {} panels {}", all.len(), told.join(", "))
}

/// "3 are below (B-1, B-2 and B-3)".
fn counted(tags: &[String], words: &str) -> String {
    let named = if tags.len() <= MOST_NAMES { format!(" ({})", listed(tags)) } else { String::new() };
    format!("{} {words}{named}", tags.len())
}

fn grades(all: &[(String, Grade)]) -> String {
    let of = |grade: Grade| all.iter().filter(|one| one.1 == grade).map(|one| one.0.clone()).collect::<Vec<_>>();
    let part = |grade: Grade, is_first: bool| {
        let tags = of(grade);
        let count = tags.len();
        let whole = if is_first { format!(" of {}", all.len()) } else { String::new() };
        let named = if is_first && count <= MOST_NAMES { format!(" ({})", listed(&tags)) } else { String::new() };
        match grade {
            Grade::Keep => format!("keep {count}{whole}{named}"),
            Grade::UseKnowingly => format!("use {count}{whole} with limits{named}"),
            Grade::Reject => format!("reject {count}{whole}{named}"),
            Grade::CantTell => format!("can\u{2019}t tell of {count}{whole}{named}"),
        }
    };
    let found: Vec<Grade> = Grade::ALL.iter().copied().filter(|grade| !of(*grade).is_empty()).collect();
    found.iter().enumerate().map(|(nth, grade)| part(*grade, nth == 0)).collect::<Vec<_>>().join(", ")
}

/// "19.1 ± 1.4 %": how far off the baseline.
fn difference(figure: Figure) -> String {
    with_u((figure.value - 100.0).abs(), figure.u, "%").to_string()
}

/// "4.7 ± 1.6 % (6.7 W)".
fn off(figure: Figure, unit: &'static str, by: f64) -> String {
    format!("{} ({})", difference(figure), rough(by.abs(), unit))
}

/// "155 against 127 W".
fn against(level: f64, baseline: &Baseline, compared: Compared) -> String {
    format!("{} against {}", rough(level, "").value, rough(baseline.mean, compared.unit()))
}

/// "amps into the battery" where it is not watts that are compared.
fn what(compared: Compared) -> String {
    match compared {
        Compared::Watts | Compared::Energy => String::new(),
        Compared::OutputWatts
        | Compared::Charge
        | Compared::Isc
        | Compared::Current
        | Compared::OutputCurrent
        | Compared::Voc
        | Compared::Voltage => format!(" ({})", compared.label()),
    }
}

fn one(level: &Told, baseline: &Baseline, compared: Compared) -> String {
    let (name, of) = (&level.name, &baseline.name);
    let figures = format!("{}{}", against(level.mean, baseline, compared), what(compared));
    let by = difference(level.percent);
    match level.verdict {
        LevelVerdict::More => format!("{name} gives {by} more than {of}: {figures}"),
        LevelVerdict::Less => format!("{name} gives {by} less than {of}: {figures}"),
        LevelVerdict::ProbablyMore => format!("{name} probably gives {by} more than {of}: {figures}"),
        LevelVerdict::ProbablyLess => format!("{name} probably gives {by} less than {of}: {figures}"),
        LevelVerdict::NoDifferenceOver { within_percent } => {
            format!("No difference over {} between {name} and {of}: {figures}", percent(within_percent))
        }
        LevelVerdict::AtLeast { low_percent } => {
            format!(
                "{name} gives at least {} of {of}: a limit held it at {}",
                percent(low_percent),
                rough(level.mean, compared.unit())
            )
        }
        LevelVerdict::CantTell => format!("{name} against {of}: can\u{2019}t tell"),
    }
}

fn costs(most: &Told, least: Option<&Told>, others: usize, baseline: &Baseline, compared: Compared) -> String {
    let left = with_u(most.percent.value, most.percent.u, "%");
    let figures = format!("{} of {}", rough(most.mean, "").value, rough(baseline.mean, compared.unit()));
    let lead = format!("{} costs most: {left} is left, {figures}{}", most.name, what(compared));
    let least = least.map(|least| format!("; {} leaves {}", least.name, with_u(least.percent.value, least.percent.u, "%")));
    let more = if others == 0 { String::new() } else { format!(", {others} more between") };
    format!("{lead}{}{}", least.unwrap_or_default(), more)
}

fn leads(
    first: &[String],
    within_percent: Option<f64>,
    last: Option<&Told>,
    ahead: Option<&Told>,
    baseline: &Baseline,
    compared: Compared,
) -> String {
    let rest = last.map(|last| {
        let probably = if last.verdict == LevelVerdict::ProbablyLess { "probably " } else { "" };
        format!("; {} {probably}gives {} less than {}", last.name, difference(last.percent), baseline.name)
    });
    let rest = rest.unwrap_or_default();
    match (ahead, first) {
        (Some(ahead), _) => {
            let probably = if ahead.verdict == LevelVerdict::ProbablyMore { "probably " } else { "" };
            let figures = against(ahead.mean, baseline, compared);
            format!(
                "{} {probably}gives most, {} more than {}: {figures}{rest}",
                ahead.name,
                difference(ahead.percent),
                baseline.name
            )
        }
        (None, [only]) => format!("{only} gives most{}{rest}", what(compared)),
        (None, several) => {
            let within = match within_percent {
                Some(within_percent) => format!(", no difference over {} between them", percent(within_percent)),
                None => ", no difference shown between them".to_owned(),
            };
            format!("{} lead{within}{rest}", listed(several))
        }
    }
}

/// "A, B and C"; of many the first ones and how many more.
fn listed(names: &[String]) -> String {
    match names {
        [] => String::new(),
        [only] => only.clone(),
        [before @ .., last] if names.len() <= MOST_NAMES => format!("{} and {last}", before.join(", ")),
        many => format!("{} and {} more", many[..MOST_NAMES - 1].join(", "), many.len() + 1 - MOST_NAMES),
    }
}
