//! Logs compared over hours: two rigs or more under one sky, or one day against another.

use crate::day::Day;
use crate::door::typed::{Notes, Pairs, value};
use crate::draw::day::{Panel, Trace, draw};
use crate::error::AppError;
use crate::figures::{between, computed, day as day_words, number as plain, percent, signed};
use crate::frame::Frame;
use crate::heavy;
use crate::state::AppState;
use crate::views::compared::rank_words;
use crate::views::measured::measured;
use askama::Template;
use askama_web::WebTemplate;
use axum::extract::{Query, State};
use flindo_core::energy::log::figures::Figures;
use flindo_core::measure::series::Series;
use flindo_core::measure::series::integral::Interval;
use flindo_core::verdict::conformity::LevelVerdict;
use flindo_core::verdict::over_hours::{
    Arrangement, DayYield, Exchange, Gain, NoComparison, OverHours, RigHours, Stays, by_irradiation,
};
use flindo_core::verdict::rigs_over_hours::{RigOverHours, RigsOverHours, compare_all, side_by_side};
use flindo_core::window::Window;
use flindo_store::{LogRecorded, LogRow};
use jiff::civil::{Date, Time};
use jiff::tz::TimeZone;

/// Logs that are compared at once.
const MOST: usize = 8;

#[derive(Template, WebTemplate)]
#[template(path = "hours.html")]
pub struct HoursPage {
    frame: Frame,
    typed: Pairs,
    notes: Notes,
    logs: Vec<(i64, String, bool)>,
    date: String,
    rigs: Vec<RigLine>,
    svg: String,
    remarks: Vec<String>,
    of_days: Option<Vec<[String; 3]>>,
}

struct RigLine {
    /// "1", "2 to 3".
    rank: String,
    name: String,
    link: String,
    energy: String,
    per_watt: String,
    share: String,
    percent: String,
    words: String,
}

impl HoursPage {
    fn stays(&self) -> &'static [Stays] {
        &[Stays::NotSaid, Stays::Rig, Stays::Meter]
    }

    fn value(&self, name: &str) -> &str {
        value(&self.typed, name)
    }
}

/// One log with what is needed of it.
struct Rig {
    log: LogRecorded,
    power: Series,
    /// What its panel's ratings came to, where it was rated.
    measured_w: Option<Interval>,
}

impl Rig {
    /// Its own watts: measured, and else those of the label.
    fn own_w(&self) -> Option<Interval> {
        self.measured_w.or(self.log.record.known.rated_w.map(|watts| Interval::about(watts, 0.0)))
    }
}

pub async fn page(State(state): State<AppState>, frame: Frame, Query(typed): Query<Pairs>) -> Result<HoursPage, AppError> {
    let all = state.store.logs(0, 200).await?;
    let mut chosen: Vec<i64> = ["first", "log"]
        .iter()
        .flat_map(|name| typed.iter().filter(move |pair| pair.0 == *name))
        .filter_map(|pair| pair.1.parse().ok())
        .collect();
    chosen.dedup();
    if chosen.is_empty() {
        // The newest that another one lies beside: the page begins with an answer.
        let has_another = |log: &&LogRow| all.iter().any(|other| other.id != log.id && overlaps(log, other));
        chosen.extend(all.iter().find(has_another).map(|log| log.id));
    }
    if chosen.len() == 1 {
        // The others of the same hours.
        let first = all.iter().find(|log| log.id == chosen[0]).cloned();
        chosen.extend(
            first
                .iter()
                .flat_map(|first| all.iter().filter(move |log| log.id != first.id && overlaps(first, log)))
                .map(|log| log.id)
                .take(MOST - 1),
        );
    }
    chosen.truncate(MOST);
    let mut notes = Notes::default();
    let mut rigs = Vec::new();
    let register = state.store.register().await?;
    let day = day_of(&state, &chosen, &typed, &mut notes).await?;
    if let Some(day) = &day {
        for id in &chosen {
            let log = state.store.log_recorded(*id).await?;
            let window = Window { from_s: day.start_s(), to_s: day.end_s() };
            let samples = state.store.log_samples_between(&log.row, window).await?;
            if let Some(power) = samples.power().cloned() {
                let tag = log.row.belongs.panel_id.and_then(|id| register.panel(id)).map(|panel| panel.tag().to_owned());
                let measured = match tag {
                    Some(tag) => measured(&state, &tag).await?,
                    None => None,
                };
                let measured_w = measured.map(|(watts, percent)| Interval::about(watts, watts * percent / 100.0));
                rigs.push(Rig { log, power, measured_w });
            } else {
                notes.add("log", "doubt", format!("{} has no watts on that day.", log.row.name));
            }
        }
    }
    let zone = rigs.first().map_or(frame.time_zone.clone(), |rig| rig.log.zone.clone());
    let arrangement = day.as_ref().map(|day| arrangement(&typed, day, &zone, &mut notes)).unwrap_or_default();
    let normalises = value(&typed, "by_rating") == "yes";
    let mut arrangement = arrangement;
    let mut full_h = 0.0;
    if let Some(day) = day.as_ref().filter(|_| rigs.len() > 1 && value(&typed, "full_counts") != "yes") {
        for rig in &rigs {
            let windows = state.kept.days.judged(&state.store, &rig.log, day).await?.full_battery();
            full_h += windows.iter().map(|window| window.to_s - window.from_s).sum::<f64>() / 3600.0;
            arrangement.left_out.extend(windows);
        }
    }
    let (mut lines, mut remarks, mut svg) = (Vec::new(), Vec::new(), String::new());
    if rigs.len() > 1 && !notes.has("refused") {
        svg = drawing(&rigs, day.as_ref(), &zone);
        let found = heavy::run(move |_| (answer(&rigs, &arrangement, normalises), rigs)).await?;
        (lines, remarks) = lines_of(&found.1, &found.0, normalises);
        if full_h > 0.0 {
            remarks.insert(
                0,
                format!("{} h with a full battery are left out of all: it limits the output, not the rig.", plain(full_h, 1)),
            );
        }
    }
    let of_days = match value(&typed, "other_day").trim() {
        "" => None,
        text => days_compared(&state, &chosen, day.as_ref(), text, &mut notes).await?,
    };
    let logs = all
        .into_iter()
        .map(|log| {
            (log.id, format!("{} \u{b7} {}", log.name, day_words(log.started_utc, &frame.time_zone)), chosen.contains(&log.id))
        })
        .collect();
    let date = day.as_ref().map(|day| day.date.to_string()).unwrap_or_default();
    Ok(HoursPage { frame, typed, notes, logs, date, rigs: lines, svg, remarks, of_days })
}

fn overlaps(first: &LogRow, other: &LogRow) -> bool {
    let end = |log: &LogRow| log.ended_utc.unwrap_or(jiff::Timestamp::MAX);
    first.started_utc < end(other) && other.started_utc < end(first)
}

/// The day that is asked for, or else the last on which all of the logs were at work.
async fn day_of(state: &AppState, chosen: &[i64], typed: &Pairs, notes: &mut Notes) -> Result<Option<Day>, AppError> {
    let Some(first) = chosen.first() else { return Ok(None) };
    let log = state.store.log_recorded(*first).await?;
    let text = value(typed, "day").trim();
    if !text.is_empty() {
        match text.parse::<Date>() {
            Ok(date) => return Ok(Some(Day::at(date, &log.zone))),
            Err(_) => notes.add("day", "refused", format!("\u{201c}{text}\u{201d} is not a date: write 2026-09-18.")),
        }
    }
    let mut last: Option<i64> = None;
    for id in chosen {
        let end_ms = state.store.log_span(*id).await?.map(|span| span.1 - 1);
        last = last.into_iter().chain(end_ms).min();
    }
    let at = last.and_then(|ms| jiff::Timestamp::from_millisecond(ms).ok()).unwrap_or(log.row.started_utc);
    Ok(Some(Day::of(at, &log.zone)))
}

/// Hours, checks and exchange as typed: "10:30-15:30", several apart by commas.
fn arrangement(typed: &Pairs, day: &Day, zone: &TimeZone, notes: &mut Notes) -> Arrangement {
    let at = |text: &str| day.time_s(text.trim().parse::<Time>().ok()?, zone);
    let mut windows = |field: &'static str| -> Vec<Window> {
        let text = value(typed, field).trim().to_owned();
        let parts = text.split([',', ';']).map(str::trim).filter(|part| !part.is_empty());
        parts
            .filter_map(|part| {
                let ends = part.split_once(['-', '\u{2013}']).and_then(|(from, to)| Some((at(from)?, at(to)?)));
                let window = ends.filter(|(from_s, to_s)| to_s > from_s).map(|(from_s, to_s)| Window { from_s, to_s });
                if window.is_none() {
                    notes.add(field, "refused", format!("\u{201c}{part}\u{201d} is no stretch of the day: write 10:30-15:30."));
                }
                window
            })
            .collect()
    };
    let (hours, checks) = (windows("hours"), windows("checks"));
    let text = value(typed, "exchanged").trim();
    let exchanged_s = if text.is_empty() { None } else { at(text) };
    if !text.is_empty() && exchanged_s.is_none() {
        notes.add("exchanged", "refused", format!("\u{201c}{text}\u{201d} is not a time of the day: write 13:00."));
    }
    let stays = Stays::from_name(value(typed, "stays").trim()).unwrap_or_default();
    let exchanged = exchanged_s.map(|at_s| Exchange { at_s, stays });
    Arrangement { hours, checks, left_out: Vec::new(), exchanged }
}

/// Each rig against the first.
fn answer(rigs: &[Rig], arrangement: &Arrangement, normalises: bool) -> RigsOverHours {
    let hours = |rig: &'_ Rig| {
        let own_w = if normalises { rig.own_w() } else { None };
        (own_w, rig.log.record.watts_u_percent)
    };
    let of: Vec<RigHours<'_>> = rigs
        .iter()
        .map(|rig| {
            let (own_w, meter_u_percent) = hours(rig);
            RigHours { power: &rig.power, meter_u_percent, own_w }
        })
        .collect();
    compare_all(&of, arrangement)
}

fn line_of(rig: &Rig, one: &RigOverHours) -> RigLine {
    let rated_w = rig.log.record.known.rated_w;
    RigLine {
        rank: rank_words(one.rank_low, one.rank_high),
        name: rig.log.row.name.clone(),
        link: format!("/logs/{}", rig.log.row.id),
        energy: computed(one.energy_wh, "Wh").to_string(),
        per_watt: rated_w.map_or_else(|| "not known".to_owned(), |rated_w| computed(one.energy_wh / rated_w, "Wh/W").to_string()),
        share: one.share_percent.map(|share| percent(share).to_string()).unwrap_or_default(),
        percent: one.against_first.as_ref().map_or_else(|| "100 %".to_owned(), |found| between(found.interval(), "%")),
        words: one.against_first.as_ref().map_or_else(|| "baseline".to_owned(), verdict_words),
    }
}

fn lines_of(rigs: &[Rig], found: &RigsOverHours, normalises: bool) -> (Vec<RigLine>, Vec<String>) {
    let mut remarks = Vec::new();
    for (rig, one) in found.rigs.iter().filter_map(|one| Some((&rigs[one.rig], one.against_first.as_ref()?))) {
        let name = &rig.log.row.name;
        remarks.extend(gain_words(one, name));
        if one.left_out_h > 0.05 {
            let hours = plain(one.left_out_h, 1);
            remarks.push(format!("{name}: {hours} h are left out on both sides, since one of the two has no samples there."));
        }
    }
    for (rig, why) in &found.apart {
        remarks.push(format!("{}: {}", rigs[*rig].log.row.name, no_words(*why)));
    }
    if normalises {
        let of = |rig: &Rig| if rig.measured_w.is_some() { "measured" } else { "rated" };
        let parts: Vec<String> = rigs
            .iter()
            .filter_map(|rig| Some(format!("{} {} ({})", rig.log.row.name, computed(rig.own_w()?.value, "W"), of(rig))))
            .collect();
        remarks.push(format!("Divided by the power of each: {}.", parts.join(", ")));
    }
    (found.rigs.iter().map(|one| line_of(&rigs[one.rig], one)).collect(), remarks)
}

fn verdict_words(one: &OverHours) -> String {
    let off = format!("{} \u{b1} {} %", signed(one.percent - 100.0, 1), plain(one.u_percent, 1));
    match one.verdict {
        LevelVerdict::More => format!("more: {off}"),
        LevelVerdict::Less => format!("less: {off}"),
        LevelVerdict::ProbablyMore => format!("probably more: {off}"),
        LevelVerdict::ProbablyLess => format!("probably less: {off}"),
        LevelVerdict::NoDifferenceOver { within_percent } => format!("no difference over {}", percent(within_percent)),
        // A limit is told with its log; here the watt-hours stand as they are.
        LevelVerdict::AtLeast { low_percent } => format!("at least {}", percent(low_percent)),
        LevelVerdict::CantTell => "can\u{2019}t tell".to_owned(),
    }
}

fn gain_words(one: &OverHours, name: &str) -> Vec<String> {
    match one.gain {
        Gain::Unchecked { u_percent } => {
            let part = format!("{name}: of its interval the meters\u{2019} own accuracy is {}.", percent(u_percent));
            let is_most = u_percent > 0.7 * one.u_percent;
            let to_do =
                " Both meters on one source for ten minutes before and after, or exchanged half-way, would settle the rest.";
            vec![if is_most
                && matches!(
                    one.verdict,
                    LevelVerdict::NoDifferenceOver { .. } | LevelVerdict::ProbablyMore | LevelVerdict::ProbablyLess
                ) {
                part + to_do
            } else {
                part
            }]
        }
        Gain::Checked { percent: gain, u_percent } => {
            vec![format!(
                "{name}: its meter reads {} \u{b1} {} % of the first one\u{2019}s on one source; that is taken off.",
                plain(gain, 1),
                plain(u_percent, 1)
            )]
        }
        Gain::Exchanged { stays } => vec![match stays {
            Stays::Rig => {
                format!("{name}: exchanged half-way, each record staying with its rig: what belongs to the meters cancels.")
            }
            Stays::Meter => {
                format!("{name}: exchanged half-way, each record staying with its meter: its second half is of the other rig.")
            }
            Stays::NotSaid => format!(
                "{name}: exchanged half-way; the halves do not tell whether a record stays with its rig or its meter: the interval \
                 holds both."
            ),
        }],
    }
}

fn no_words(error: NoComparison) -> String {
    match error {
        NoComparison::TooShort { hours } => {
            format!("can\u{2019}t tell: both have samples of the same {} h only; half an hour is needed.", plain(hours, 1))
        }
        NoComparison::NothingToCompareWith => "can\u{2019}t tell: one of the two gave nothing.".to_owned(),
        NoComparison::HalvesContradict { before_percent, after_percent } => format!(
            "can\u{2019}t tell: {} before the exchange and {} after it cannot both be, by more than the meters\u{2019} sheets allow. \
             Say what each record stays with, and check the time of the exchange.",
            percent(before_percent),
            percent(after_percent)
        ),
        NoComparison::NoCheck => {
            "can\u{2019}t tell: there are no samples of both in the check, or on one side of the exchange.".to_owned()
        }
    }
}

/// Stretches of a drawing: about one to each point of its width.
const STRETCHES: usize = 600;

/// All rigs over the day, and below the second less the first.
fn drawing(rigs: &[Rig], day: Option<&Day>, zone: &TimeZone) -> String {
    const CLASSES: [&str; 4] = ["first", "second", "third", "fourth"];
    let powers: Vec<&Series> = rigs.iter().map(|rig| &rig.power).collect();
    let (Some(day), Some(found)) = (day, side_by_side(&powers, STRETCHES)) else { return String::new() };
    let ms = |unix_s: f64| (unix_s * 1000.0) as i64;
    let bucket = |(at_s, value): &(f64, f64)| (ms(*at_s), *value, *value, *value);
    let traces = rigs.iter().zip(&found.means).enumerate().map(|(nth, (rig, means))| Trace {
        class: CLASSES[nth % 4],
        label: rig.log.row.name.clone(),
        buckets: means.iter().map(bucket).collect(),
    });
    let panel = |label: &str, unit, is_tall, traces| Panel { label: label.to_owned(), unit, is_tall, traces, course: Vec::new() };
    let difference = vec![Trace {
        class: "first",
        label: "Difference so far".to_owned(),
        buckets: found.second_less_first_wh.iter().map(bucket).collect(),
    }];
    let panels =
        [panel("Power", "W", true, traces.collect()), panel("Second less first, energy so far", "Wh", false, difference)];
    let title = format!("Power of {} rigs, {}", rigs.len(), day_words(day.start, zone));
    draw(&title, &panels, &[], (ms(found.from_s), ms(found.to_s)), zone)
}

/// One log on two days, by irradiation.
async fn days_compared(
    state: &AppState,
    chosen: &[i64],
    day: Option<&Day>,
    other: &str,
    notes: &mut Notes,
) -> Result<Option<Vec<[String; 3]>>, AppError> {
    let Ok(other) = other.parse::<Date>() else {
        notes.add("other_day", "refused", format!("\u{201c}{other}\u{201d} is not a date: write 2026-09-17."));
        return Ok(None);
    };
    let (Some(first), Some(day)) = (chosen.first(), day) else { return Ok(None) };
    let log = state.store.log_recorded(*first).await?;
    let other = Day::at(other, &log.zone);
    let (one, two) = (of_day(state, &log, day).await?, of_day(state, &log, &other).await?);
    let (Some(one), Some(two)) = (one, two) else {
        notes.add(
            "other_day",
            "doubt",
            format!("{} has no watts on one of the two days, or its place and plane are not known.", log.row.name),
        );
        return Ok(None);
    };
    let of = |found: &Figures| DayYield {
        energy_wh: found.integral.interval(),
        irradiation_wh_m2: found.irradiation_sampled_wh_m2,
        is_measured: found.irradiation_is_measured,
    };
    let (ratio, verdict) = by_irradiation(of(&one), of(&two));
    let words = match verdict {
        LevelVerdict::NoDifferenceOver { within_percent } => format!("no difference over {}", percent(within_percent)),
        LevelVerdict::AtLeast { low_percent } => format!("at least {}", percent(low_percent)),
        LevelVerdict::More | LevelVerdict::Less | LevelVerdict::ProbablyMore | LevelVerdict::ProbablyLess => {
            verdict.name().replace('_', " ")
        }
        LevelVerdict::CantTell => {
            "can\u{2019}t tell, because no irradiance was measured on both days and clouds stand in the ratio".to_owned()
        }
    };
    let line = |day: &Day, found: &Figures| {
        [day_words(day.start, &log.zone), between(found.energy_wh, "Wh"), between(found.peak_sun_h, "h")]
    };
    let result = [format!("Second of first, for each peak sun hour: {words}"), between(ratio, "%"), String::new()];
    Ok(Some(vec![line(day, &one), line(&other, &two), result]))
}

/// The figures of a day; `None` without watts, a place or a plane.
async fn of_day(state: &AppState, log: &LogRecorded, day: &Day) -> Result<Option<Figures>, AppError> {
    Ok(state.kept.days.judged(&state.store, log, day).await?.figures.clone().filter(|found| found.integral.covered_s > 0.0))
}
