//! A ranking across tests and days: each with the ranks that it can have, by the differences of all pairs at once, and
//! with everything that was left out and why.

use super::sources::{Shared, Source, u_of_difference};
use super::summary::{Figure, LevelSummary, Summary};
use super::together::{One, Together, together};
use crate::measure::coverage::simultaneous_factor;
use crate::named::named;
use crate::record::condition::Factor;
use crate::record::test::PanelRecord;
use crate::verdict::comparison::Compared;
use crate::verdict::finding::Finding;
use crate::verdict::ranking::rank_ranges;
use jiff::Timestamp;
use std::collections::HashMap;

/// What is ranked.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
pub enum Ranked {
    #[default]
    Panels,
    Kinds,
    Controllers,
    Tilts,
    Wirings,
}

named!(Ranked {
    Panels = "panels", "panels";
    Kinds = "kinds", "panel kinds";
    Controllers = "controllers", "controllers";
    Tilts = "tilts", "tilts";
    Wirings = "wirings", "wirings";
});

/// By which figure.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
pub enum By {
    #[default]
    PercentOfRating,
    StcWatts,
    WattsPerArea,
    WattsPerWeight,
    PricePerWatt,
    Efficiency,
    PercentOfBaseline,
    WattHours,
}

named!(By {
    PercentOfRating = "percent_of_rating", "percent of rating";
    StcWatts = "stc_w", "measured power at STC";
    WattsPerArea = "w_per_m2", "measured power per area";
    WattsPerWeight = "w_per_kg", "measured power per weight";
    PricePerWatt = "price_per_w", "price per measured watt";
    Efficiency = "efficiency_percent", "efficiency";
    PercentOfBaseline = "percent_of_baseline", "percent of baseline";
    WattHours = "energy_wh", "energy of one test";
});

impl Ranked {
    /// The figures it can be ranked by; the first is the usual one.
    pub fn figures(self) -> &'static [By] {
        match self {
            Ranked::Panels | Ranked::Kinds => {
                &[By::PercentOfRating, By::PricePerWatt, By::StcWatts, By::WattsPerArea, By::WattsPerWeight]
            }
            Ranked::Controllers => &[By::Efficiency, By::PercentOfBaseline, By::WattHours],
            Ranked::Tilts | Ranked::Wirings => &[By::PercentOfBaseline, By::WattHours],
        }
    }
}

impl By {
    pub fn unit(self) -> &'static str {
        match self {
            By::PercentOfRating | By::Efficiency | By::PercentOfBaseline => "%",
            By::StcWatts => "W",
            By::WattsPerArea => "W/m\u{b2}",
            By::WattsPerWeight => "W/kg",
            By::PricePerWatt => "/W",
            By::WattHours => "Wh",
        }
    }

    /// A lower one is better.
    pub fn is_cost(self) -> bool {
        self == By::PricePerWatt
    }
}

/// One line of the league.
#[derive(Debug, Clone, PartialEq)]
pub struct Entry {
    /// Tag of a panel, name of a kind or controller, words of a tilt or wiring.
    pub name: String,
    /// The kind of a panel.
    pub kind: String,
    pub figure: Figure,
    /// The best and the worst rank that it can have.
    pub rank: usize,
    pub rank_high: usize,
    /// What of its interval has a source that others have too.
    pub sources: Vec<Shared>,
    /// The tests behind it, by their place among the summaries.
    pub tests: Vec<usize>,
    pub newest_utc: Option<Timestamp>,
    /// Beyond what the intervals explain, in the unit of the figure: its days differ by so much, or the pieces of a kind.
    pub scatter: f64,
}

/// Why something is not ranked.
#[derive(Debug, Clone, PartialEq)]
pub enum WhyOut {
    NotMeasured,
    NoFigure,
    /// Something forbids the figure to be taken as its own.
    Forbidden(Finding),
    NoPrice,
    NoSize,
    NoWeight,
    /// Measured against another baseline than the ranked ones.
    OtherBaseline(String),
    /// Watt-hours of another day.
    OtherDay,
}

#[derive(Debug, Clone, PartialEq, Default)]
pub struct League {
    /// The best first.
    pub entries: Vec<Entry>,
    pub left_out: Vec<(String, WhyOut)>,
    /// What percents of a baseline are of.
    pub baseline: Option<String>,
}

/// Results of a panel that are older than its newest by more than this are history, not its present strength.
const PRESENT_S: i64 = 366 * 86_400;

/// What was collected of one subject.
#[derive(Debug, Clone, Default)]
struct Collected {
    name: String,
    kind: String,
    results: Vec<(usize, Option<Timestamp>, One)>,
    why_out: Option<WhyOut>,
}

/// Ranks what the tests show. `panels` are those of the bench: those without a result are left out by name.
pub fn league(summaries: &[&Summary], panels: &[PanelRecord], of: Ranked, by: By) -> League {
    match of {
        Ranked::Panels => ranked(of_panels(summaries, panels, by), by),
        Ranked::Kinds => ranked(of_kinds(of_panels(summaries, panels, by)), by),
        Ranked::Controllers if by == By::Efficiency => ranked(of_controllers(summaries), by),
        Ranked::Controllers => of_levels(summaries, Factor::Load, by),
        Ranked::Tilts => of_levels(summaries, Factor::Tilt, by),
        Ranked::Wirings => of_levels(summaries, Factor::Wiring, by),
    }
}

/// The levels that rate one panel alone, by its identity, each with the place of its test among the summaries.
pub(super) fn alone_by_panel<'a>(summaries: &[&'a Summary]) -> HashMap<&'a str, Vec<(usize, &'a LevelSummary)>> {
    let mut found: HashMap<&str, Vec<(usize, &LevelSummary)>> = HashMap::new();
    for (at, summary) in summaries.iter().enumerate() {
        for (panel, level) in rated(summary) {
            found.entry(panel).or_default().push((at, level));
        }
    }
    found
}

fn of_panels(summaries: &[&Summary], panels: &[PanelRecord], by: By) -> Vec<Collected> {
    let of = alone_by_panel(summaries);
    let collect = |panel: &PanelRecord| {
        let mut one = Collected { name: panel.tag.clone(), kind: panel.kind.clone(), ..Collected::default() };
        for (at, level) in of.get(panel.id.as_str()).into_iter().flatten() {
            match figure_of((*at, summaries[*at]), level, by) {
                Ok(found) => one.results.push((*at, summaries[*at].last_utc, found)),
                Err(why) => one.why_out = Some(why),
            }
        }
        keep_present(&mut one.results);
        one
    };
    panels.iter().map(collect).collect()
}

/// Levels of a test of ratings that are of this panel and no other.
pub fn alone<'a>(summary: &'a Summary, panel: &str) -> impl Iterator<Item = &'a LevelSummary> {
    rated(summary).filter(move |(id, _)| *id == panel).map(|(_, level)| level)
}

/// Panels that a test of ratings rates each by itself, with their levels.
pub fn rated(summary: &Summary) -> impl Iterator<Item = (&str, &LevelSummary)> {
    let levels = if summary.is_comparison() { &[][..] } else { &summary.levels };
    levels.iter().filter_map(|level| if let [only] = &level.panels[..] { Some((only.id.as_str(), level)) } else { None })
}

fn figure_of((test, summary): (usize, &Summary), level: &LevelSummary, by: By) -> Result<One, WhyOut> {
    let rating = level.rating.as_ref().ok_or(WhyOut::NoFigure)?;
    if let Some(finding) = &rating.forbidden {
        return Err(WhyOut::Forbidden(finding.clone()));
    }
    let source = |cause| Source::of(cause, &summary.meters, test, summary.last_utc);
    // The same relative uncertainties of another figure: `factor` of its unit for one percent.
    let of = |figure: Figure, factor: f64| One {
        figure,
        u_shared: rating.u_shared_percent * factor,
        sources: rating.of_meters_percent.iter().map(|(cause, u)| Shared { source: source(*cause), u: u * factor }).collect(),
    };
    let scaled = |factor: f64| of(rating.percent.times(factor), factor);
    let per_percent_w = level.rated_w.ok_or(WhyOut::NoFigure)? / 100.0;
    Ok(match by {
        By::PercentOfRating => scaled(1.0),
        By::StcWatts => scaled(per_percent_w),
        By::WattsPerArea => scaled(per_percent_w / level.area_m2.ok_or(WhyOut::NoSize)?),
        By::WattsPerWeight => scaled(per_percent_w / level.weight_kg.ok_or(WhyOut::NoWeight)?),
        By::PricePerWatt => {
            let price = level.price.ok_or(WhyOut::NoPrice)?;
            let watts_w = rating.percent.value * per_percent_w;
            // A panel that gives next to nothing has no price for a watt.
            if rating.percent.value <= 1.0 {
                return Err(WhyOut::NoFigure);
            }
            // price / watts: its relative uncertainty is that of the watts.
            let per_w = price / watts_w;
            let factor = per_w / rating.percent.value;
            of(Figure::new(per_w, rating.percent.u * factor), factor)
        }
        By::Efficiency | By::PercentOfBaseline | By::WattHours => return Err(WhyOut::NoFigure),
    })
}

/// Keeps the newest result and those of the year before it.
fn keep_present(results: &mut Vec<(usize, Option<Timestamp>, One)>) {
    let newest = results.iter().filter_map(|(_, at, _)| *at).max();
    results.retain(|(_, at, _)| match (at, newest) {
        (Some(at), Some(newest)) => newest.as_second() - at.as_second() <= PRESENT_S,
        (None, _) | (_, None) => true,
    });
}

/// A kind by its pieces: their mean, with the scatter between them.
fn of_kinds(pieces: Vec<Collected>) -> Vec<Collected> {
    let mut kinds: Vec<Collected> = Vec::new();
    for piece in pieces {
        let known = kinds.iter().position(|kind| kind.name == piece.kind);
        let at = known.unwrap_or_else(|| {
            kinds.push(Collected { name: piece.kind.clone(), ..Collected::default() });
            kinds.len() - 1
        });
        let kind = &mut kinds[at];
        let ones: Vec<One> = piece.results.iter().map(|(.., one)| one.clone()).collect();
        if let (Some(of_piece), Some((test, newest, _))) = (together(&ones), piece.results.iter().max_by_key(|one| one.1)) {
            let one = One { figure: of_piece.figure, u_shared: of_piece.u_shared, sources: of_piece.sources };
            kind.results.push((*test, *newest, one));
        } else if kind.why_out.is_none() {
            kind.why_out = piece.why_out;
        }
    }
    kinds
}

fn of_controllers(summaries: &[&Summary]) -> Vec<Collected> {
    let mut all: Vec<Collected> = Vec::new();
    for (at, summary) in summaries.iter().enumerate() {
        for level in &summary.levels {
            let Some(name) = &level.controller else { continue };
            let known = all.iter().position(|one| one.name == *name);
            let place = known.unwrap_or_else(|| {
                all.push(Collected { name: name.clone(), ..Collected::default() });
                all.len() - 1
            });
            // The stated limits of the meters are the same in every test: nothing of it averages out.
            if let Some(figure) = level.efficiency_percent {
                all[place].results.push((at, summary.last_utc, One { figure, u_shared: figure.u, sources: Vec::new() }));
            }
        }
    }
    all
}

fn ranked(collected: Vec<Collected>, by: By) -> League {
    let mut league = League::default();
    for one in collected {
        let results: Vec<One> = one.results.iter().map(|(.., result)| result.clone()).collect();
        match together(&results) {
            Some(found) => league.entries.push(entry(&one, found)),
            None => league.left_out.push((one.name, one.why_out.unwrap_or(WhyOut::NotMeasured))),
        }
    }
    place(&mut league.entries, by);
    league
}

fn entry(of: &Collected, found: Together) -> Entry {
    let mut tests: Vec<usize> = of.results.iter().map(|(test, ..)| *test).collect();
    tests.dedup();
    Entry {
        name: of.name.clone(),
        kind: of.kind.clone(),
        figure: found.figure,
        rank: 1,
        rank_high: 1,
        sources: found.sources,
        tests,
        newest_utc: of.results.iter().filter_map(|(_, at, _)| *at).max(),
        scatter: found.between_days,
    }
}

fn place(entries: &mut [Entry], by: By) {
    let sign = if by.is_cost() { -1.0 } else { 1.0 };
    let factor = simultaneous_factor(entries.len(), f64::INFINITY) / 2.0;
    let is_behind = |a: usize, b: usize| {
        let (a, b) = (&entries[a], &entries[b]);
        sign * (b.figure.value - a.figure.value) > factor * u_of_difference((a.figure.u, &a.sources), (b.figure.u, &b.sources))
    };
    let found = rank_ranges(entries.len(), is_behind);
    for (one, (low, high)) in entries.iter_mut().zip(found) {
        (one.rank, one.rank_high) = (low, high);
    }
    entries.sort_by(|a, b| (sign * b.figure.value).total_cmp(&(sign * a.figure.value)).then_with(|| a.name.cmp(&b.name)));
}

/// Levels of comparisons, by what they vary. Percents of different baselines are not ranked together: the baseline that most tests have
/// counts. Watt-hours are ranked within one test, the newest: those of another day had another sun.
fn of_levels(summaries: &[&Summary], factor: Factor, by: By) -> League {
    let varies = |summary: &Summary| {
        let is_energy = summary.compared == Some(Compared::Energy);
        let wanted = if by == By::WattHours { is_energy } else { !summary.is_absolute && summary.compared.is_some() };
        wanted && summary.levels.iter().any(|level| level.changes.iter().any(|(of, _)| *of == factor))
    };
    let tests: Vec<(usize, &Summary)> = summaries.iter().copied().enumerate().filter(|(_, one)| varies(one)).collect();
    let baseline_of = |summary: &Summary| summary.levels.first().map(|level| level.name.to_lowercase()).unwrap_or_default();
    let mut names: Vec<String> = tests.iter().map(|(_, one)| baseline_of(one)).collect();
    names.sort();
    let most = names.chunk_by(|a, b| a == b).max_by_key(|group| group.len()).and_then(|group| group.first().cloned());
    let newest = tests.iter().filter_map(|(at, one)| Some((one.last_utc?, *at))).max().map(|(_, at)| at);
    let mut league = League { baseline: most.clone().filter(|_| by != By::WattHours), ..League::default() };
    let mut all: Vec<Collected> = Vec::new();
    for (at, summary) in tests {
        // Watt-hours are of a day, percents of a baseline.
        let out = if by == By::WattHours {
            (Some(at) != newest).then_some(WhyOut::OtherDay)
        } else {
            (Some(baseline_of(summary)) != most).then(|| WhyOut::OtherBaseline(baseline_of(summary)))
        };
        for level in &summary.levels {
            if let Some(why) = &out {
                if level.level > 0 {
                    league.left_out.push((level.name.clone(), why.clone()));
                }
                continue;
            }
            let figure = level_figure(summary, level, by);
            let name = if level.level == 0 { format!("{} (baseline)", level.name) } else { level.name.clone() };
            let known = all.iter().position(|one| one.name.eq_ignore_ascii_case(&name));
            let place = known.unwrap_or_else(|| {
                all.push(Collected { name, ..Collected::default() });
                all.len() - 1
            });
            if let Some(figure) = figure {
                all[place].results.push((at, summary.last_utc, One { figure, u_shared: 0.0, sources: Vec::new() }));
            }
        }
    }
    let found = ranked(all, by);
    league.entries = found.entries;
    league.left_out.extend(found.left_out);
    league
}

fn level_figure(summary: &Summary, level: &LevelSummary, by: By) -> Option<Figure> {
    if by == By::WattHours {
        let u_percent = level.compared.as_ref().map_or(0.0, |one| one.percent.u / one.percent.value.max(1e-9) * 100.0);
        return level.mean.map(|mean| Figure::new(mean, mean * u_percent / 100.0));
    }
    if level.level == 0 {
        return summary.compared.map(|_| Figure::new(100.0, 0.0));
    }
    level.compared.as_ref().map(|one| one.percent)
}

#[cfg(test)]
mod tests {
    use super::super::summary::Piece;
    use super::super::table::tests::{compared, level, summary};
    use super::*;
    use crate::measure::budget::Cause;
    use crate::record::meters::{MeterUse, Reads};
    use crate::record::question::Question;
    use crate::review::summary::RatingFigure;
    use crate::verdict::conformity::RatingVerdict;

    fn refs(summaries: &[Summary]) -> Vec<&Summary> {
        summaries.iter().collect()
    }

    fn panel(tag: &str, price: Option<f64>) -> PanelRecord {
        PanelRecord { id: tag.to_owned(), tag: tag.to_owned(), kind: "Umber 250".to_owned(), price, ..PanelRecord::default() }
    }

    fn rated(tag: &str, rated_w: f64, percent: f64, u: f64, price: Option<f64>) -> LevelSummary {
        LevelSummary {
            panels: vec![Piece { id: tag.to_owned(), tag: tag.to_owned(), kind: "Umber 250".to_owned() }],
            rated_w: Some(rated_w),
            price,
            rating: Some(RatingFigure {
                percent: Figure::new(percent, u),
                u_shared_percent: 0.0,
                of_meters_percent: Vec::new(),
                verdict: RatingVerdict::Consistent,
                forbidden: None,
            }),
            ..level(0, tag, &[])
        }
    }

    fn rating_test(day: i64, levels: Vec<LevelSummary>) -> Summary {
        Summary { last_utc: Timestamp::from_second(day * 86_400).ok(), ..summary(Question::MakesRating, levels) }
    }

    /// Worked by hand, ten panels in one noon: watts and prices as common practice gives them, +- 3 % each. 157 of 200 for 110: 0.70 a
    /// watt; 230 of 250 for 50: 0.217; 217 of 385 for 60: 0.276.
    #[test]
    fn panels_are_ranked_by_percent_and_by_price() {
        let figures = [
            ("A", 200.0, 157.0, Some(110.0)),
            ("B", 250.0, 230.0, Some(50.0)),
            ("C", 385.0, 217.0, Some(60.0)),
            ("D", 100.0, 109.0, None),
        ];
        let levels = figures.map(|(tag, rated_w, watts_w, price)| {
            let percent = watts_w / rated_w * 100.0;
            rated(tag, rated_w, percent, percent * 0.03, price)
        });
        let panels: Vec<PanelRecord> = ["A", "B", "C", "D", "E"].iter().map(|tag| panel(tag, None)).collect();
        let tests = [rating_test(20_000, levels.to_vec())];
        let found = league(&refs(&tests), &panels, Ranked::Panels, By::PercentOfRating);
        let order: Vec<(&str, usize)> = found.entries.iter().map(|one| (one.name.as_str(), one.rank)).collect();
        assert_eq!(order, [("D", 1), ("B", 2), ("A", 3), ("C", 4)]);
        assert_eq!(found.left_out, [("E".to_owned(), WhyOut::NotMeasured)]);
        let found = league(&refs(&tests), &panels, Ranked::Panels, By::PricePerWatt);
        let order: Vec<(&str, usize)> = found.entries.iter().map(|one| (one.name.as_str(), one.rank)).collect();
        assert_eq!(order, [("B", 1), ("C", 2), ("A", 3)]);
        assert!((found.entries[0].figure.value - 50.0 / 230.0).abs() < 1e-9);
        assert!((found.entries[0].figure.u - 50.0 / 230.0 * 0.03).abs() < 1e-9);
        assert!(found.left_out.contains(&("D".to_owned(), WhyOut::NoPrice)));
        let watts = league(&refs(&tests), &panels, Ranked::Panels, By::StcWatts);
        assert!((watts.entries[0].figure.value - 230.0).abs() < 1e-9, "{watts:?}");
        assert!(
            league(&refs(&tests), &panels, Ranked::Panels, By::WattsPerArea).left_out.contains(&("A".to_owned(), WhyOut::NoSize))
        );
    }

    /// By hand: 97.6, 93.1 and 97.8 % with 5.7, 5.5 and 5.8 %, of which 5.2, 5.0 and 5.2 are the meters that read all three one noon. Of
    /// the first two the own parts are 2.33 and 2.29, and the meters differ by 0.2: 3.28 expanded, for three pairs at once
    /// 3.28 * 2.394 / 2 = 3.92, less than 4.5. Of three days nothing cancels: 7.9 expanded, and none is behind another.
    #[test]
    fn what_one_noon_shares_does_not_tie_its_panels() {
        let of = |tag: &str, percent: f64, u: f64, same: f64| {
            let mut one = rated(tag, 240.0, percent, u, None);
            one.rating.as_mut().unwrap().of_meters_percent = vec![(Cause::SunMeter, same)];
            one
        };
        let levels = [of("A", 97.6, 5.7, 5.2), of("B", 93.1, 5.5, 5.0), of("C", 97.8, 5.8, 5.2)];
        let panels: Vec<PanelRecord> = ["A", "B", "C"].iter().map(|tag| panel(tag, None)).collect();
        let ranks = |tests: &[Summary]| -> Vec<(String, usize, usize)> {
            let found = league(&refs(tests), &panels, Ranked::Panels, By::PercentOfRating);
            found.entries.iter().map(|one| (one.name.clone(), one.rank, one.rank_high)).collect()
        };
        let named = |of: [(&str, usize, usize); 3]| of.map(|(name, low, high)| (name.to_owned(), low, high)).to_vec();
        assert_eq!(ranks(&[rating_test(20_000, levels.to_vec())]), named([("C", 1, 2), ("A", 1, 2), ("B", 3, 3)]));
        let apart: Vec<Summary> =
            levels.into_iter().enumerate().map(|(nth, one)| rating_test(20_000 + nth as i64, vec![one])).collect();
        assert_eq!(ranks(&apart), named([("C", 1, 3), ("A", 1, 3), ("B", 1, 3)]));
        // A meter that the bench knows is the same on all three days, and another one after its calibration.
        let plane = |calibrated: &str| {
            vec![MeterUse { reads: Reads::Irradiance, place: None, meter: "plane".to_owned(), calibrated: calibrated.to_owned() }]
        };
        let mut known: Vec<Summary> = apart.into_iter().map(|one| Summary { meters: plane("2026-01-10"), ..one }).collect();
        assert_eq!(ranks(&known), named([("C", 1, 2), ("A", 1, 2), ("B", 3, 3)]));
        known[1].meters = plane("2026-08-30");
        assert_eq!(ranks(&known), named([("C", 1, 3), ("A", 1, 3), ("B", 1, 3)]));
    }

    /// Two tests of one panel within a year are one figure; one of three years before is history.
    #[test]
    fn a_panel_with_two_tests_is_one_entry() {
        let of = |percent: f64| vec![rated("A", 200.0, percent, 4.0, None)];
        let tests = [rating_test(18_900, of(108.0)), rating_test(20_000, of(100.0)), rating_test(20_100, of(98.0))];
        let found = league(&refs(&tests), &[panel("A", None)], Ranked::Panels, By::PercentOfRating);
        assert_eq!((found.entries.len(), &found.entries[0].tests[..]), (1, &[1, 2][..]));
        assert!((found.entries[0].figure.value - 99.0).abs() < 1e-9, "{found:?}");
    }

    #[test]
    fn a_figure_that_is_not_the_panels_own_is_left_out() {
        let finding = Finding::Throttled { state_of_charge_percent: None, share: Some(0.5) };
        let mut capped = rated("A", 200.0, 60.0, 3.0, None);
        capped.rating.as_mut().unwrap().forbidden = Some(finding.clone());
        let found = league(&refs(&[rating_test(20_000, vec![capped])]), &[panel("A", None)], Ranked::Panels, By::PercentOfRating);
        assert_eq!(found.left_out, [("A".to_owned(), WhyOut::Forbidden(finding))]);
    }

    #[test]
    fn percents_of_another_baseline_and_watt_hours_of_another_day_are_left_out() {
        let tilts = |day: i64, baseline: &str, percent: f64| Summary {
            last_utc: Timestamp::from_second(day * 86_400).ok(),
            ..summary(Question::WhichTilt, vec![level(0, baseline, &[]), compared(1, "45", Factor::Tilt, percent, 1.0)])
        };
        let tests = [tilts(20_000, "30", 101.0), tilts(20_010, "30", 103.0), tilts(20_020, "flat", 130.0)];
        let found = league(&refs(&tests), &[], Ranked::Tilts, By::PercentOfBaseline);
        assert_eq!(found.baseline.as_deref(), Some("30"));
        assert!((found.entries[0].figure.value - 102.0).abs() < 1e-9, "{found:?}");
        assert_eq!(found.entries[1].name, "30 (baseline)");
        assert_eq!(found.left_out, [("45".to_owned(), WhyOut::OtherBaseline("flat".to_owned()))]);
        let energy = tests.clone().map(|one| Summary { compared: Some(Compared::Energy), ..one });
        let found = league(&refs(&energy), &[], Ranked::Tilts, By::WattHours);
        assert_eq!(found.left_out.iter().filter(|(_, why)| *why == WhyOut::OtherDay).count(), 2);
    }
}
