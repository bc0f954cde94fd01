//! A plan: the question with its levels, and what follows from it - the runs in order, when each begins, what the sun does
//! meanwhile, and the smallest difference that could show.

use super::condition::{Conditions, Factor, changed, differences, level};
use super::drift::{planned_u_rel, smallest_shown};
use super::order::{Order, Slot, runs};
use super::question::{Analysis, Question};
use super::setup::Load;
use crate::error::Error;
use crate::form::{FieldNote, FieldNotes, form};
use crate::measure::quantity::Quantity;
use crate::sky::course::{Moment, Site};
use crate::sky::plane::Plane;

form!(
    /// The fields of a plan, as typed.
    PlanTyped { question, panel, light, tilt, shade, wiring, load_words, baseline, levels, order, times, readings_per_run, settle_s, repeat_percent, prediction }
);

/// A plan after it was checked.
#[derive(Debug, Clone, PartialEq)]
pub struct Plan {
    pub question: Question,
    pub order: Order,
    /// All conditions of the baseline.
    pub baseline: Conditions,
    /// What each level changes.
    pub levels: Vec<Conditions>,
    pub times: usize,
    pub readings_per_run: usize,
    pub settle_s: f64,
    /// How well one reading repeats on this gear under a steady sun, as a share.
    pub repeat_rel: f64,
    /// What the tester expects, in their words.
    pub prediction: String,
}

/// How well a reading repeats where nobody says, percent. Common practice, no source: the last digits of hand-held meters.
pub const USUAL_REPEAT_PERCENT: f64 = 0.7;

/// Time to look, type and write one reading, s. Common practice, no source.
pub const READ_S: f64 = 20.0;

/// Time a load wants before it is read, s. Common practice, no source: a tracker wants 15 to 20.
pub fn usual_settle_s(load: Load) -> f64 {
    match load {
        Load::TrackingController => 20.0,
        Load::LoadTester | Load::TiedController => 8.0,
        Load::MultimeterOnly => 3.0,
    }
}

/// Checks a plan as typed. An empty field takes what is usual for the question and the load.
pub fn check(typed: &PlanTyped, load: Load) -> Result<Plan, Vec<FieldNote>> {
    let mut notes = FieldNotes::default();
    let question = notes.choice("question", &typed.question, Question::from_name).unwrap_or_default();
    let card = question.card();
    let order = notes.choice("order", &typed.order, Order::from_name).unwrap_or(card.order);
    let mut baseline = Conditions::new();
    for (factor, text) in [
        (Factor::Panel, &typed.panel),
        (Factor::Sun, &typed.light),
        (Factor::Tilt, &typed.tilt),
        (Factor::Shade, &typed.shade),
        (Factor::Wiring, &typed.wiring),
        (Factor::Load, &typed.load_words),
    ] {
        if !text.trim().is_empty() {
            baseline.insert(factor, text.trim().to_owned());
        }
    }
    let own = if typed.baseline.trim().is_empty() && !baseline.contains_key(&card.factor) {
        card.baseline
    } else {
        typed.baseline.trim()
    };
    if !own.is_empty() {
        match level(card.factor, own) {
            Ok(conditions) => baseline.extend(conditions),
            Err(sentence) => notes.add("baseline", sentence),
        }
    }
    let mut levels = Vec::new();
    for text in typed.levels.split([';', '\n']).filter(|text| !text.trim().is_empty()) {
        match level(card.factor, text) {
            Ok(changes) if levels.contains(&changes) => notes.add("levels", format!("\"{}\" is there twice.", text.trim())),
            Ok(changes) if differences(&baseline, &changed(&baseline, &changes)).is_empty() => {
                notes.add("levels", format!("\"{}\" is the baseline itself.", text.trim()));
            }
            Ok(changes) => levels.push(changes),
            Err(sentence) => notes.add("levels", sentence),
        }
    }
    if levels.len() > MOST_LEVELS {
        notes.add("levels", format!("{} levels are more than one day holds: {MOST_LEVELS} at most.", levels.len()));
    }
    if levels.is_empty() && !matches!(order, Order::Repeats | Order::Totals) && notes.0.is_empty() {
        notes.add("levels", "Name at least one level to compare with the baseline; a semicolon between two.".to_owned());
    }
    let usual_times = if matches!(order, Order::Repeats | Order::Totals) { 3.0 } else { 1.0 };
    let plan = Plan {
        question,
        order,
        baseline,
        levels,
        times: notes.number("times", &typed.times, 1.0, 10.0).unwrap_or(usual_times).round() as usize,
        readings_per_run: notes.number("readings_per_run", &typed.readings_per_run, 1.0, 20.0).unwrap_or(1.0).round() as usize,
        settle_s: notes.number("settle_s", &typed.settle_s, 0.0, 3600.0).unwrap_or(usual_settle_s(load)),
        repeat_rel: notes.number("repeat_percent", &typed.repeat_percent, 0.01, 20.0).unwrap_or(USUAL_REPEAT_PERCENT) / 100.0,
        prediction: typed.prediction.trim().chars().take(400).collect(),
    };
    notes.give(plan)
}

/// More levels than these do not fit into one window around noon.
const MOST_LEVELS: usize = 20;

/// Something about a plan that the person should know before they go out.
#[derive(Debug, Clone, PartialEq)]
pub enum Warning {
    /// A level changes several things at once, so that nothing can be said about either.
    SeveralChanges { level: usize, factors: Vec<Factor> },
    /// It runs past the end of the good hours, by so many minutes.
    PastWindow { minutes: f64 },
    /// It begins before the good hours do, by so many minutes.
    BeforeWindow { minutes: f64 },
    /// There are no good hours on that day.
    NoWindow,
    /// Between two baselines the sun moves by more than the smallest difference, and bends.
    SunBends { percent: f64 },
}

/// One run of the sheet.
#[derive(Debug, Clone, PartialEq)]
pub struct PlannedRun {
    pub slot: Slot,
    pub conditions: Conditions,
    /// When to begin, in Unix seconds, with the change made before.
    pub start_s: f64,
    /// Time to make the change, then to let it settle.
    pub change_s: f64,
    pub settle_s: f64,
    pub end_s: f64,
    /// The clear sun on the baseline's plane at the first run is 100.
    pub sun_percent: Option<f64>,
}

#[derive(Debug, Clone, PartialEq)]
pub struct RunSheet {
    pub runs: Vec<PlannedRun>,
    /// The good hours of that day, Unix seconds.
    pub window_s: Option<(f64, f64)>,
    /// The most that the sun moves between two neighbouring baselines, percent.
    pub bracket_drift_percent: Option<f64>,
    /// For each level the smallest difference that would show, percent of the baseline; the largest of them.
    pub smallest_percent: Option<f64>,
    pub warnings: Vec<Warning>,
}

/// The sky of the day a plan is for.
#[derive(Debug, Clone, Copy)]
pub struct Sky<'a> {
    pub site: &'a Site,
    pub plane: Plane,
    pub day_of_year: f64,
    /// The good hours, Unix seconds.
    pub window_s: Option<(f64, f64)>,
}

/// The sheet of a plan that begins at `start_s` (Unix seconds). Without a `sky` it says nothing of the sun.
pub fn run_sheet(plan: &Plan, start_s: f64, sky: Option<&Sky<'_>>) -> Result<RunSheet, Error> {
    let slots = runs(plan.order, plan.levels.len(), plan.times);
    let mut warnings: Vec<Warning> = plan
        .levels
        .iter()
        .enumerate()
        .filter_map(|(index, changes)| {
            let factors = differences(&plan.baseline, &changed(&plan.baseline, changes));
            (factors.len() > 1).then_some(Warning::SeveralChanges { level: index + 1, factors })
        })
        .collect();
    let at = |unix_s: f64| {
        sky.map(|sky| Ok::<f64, Error>(Moment::at(sky.site, unix_s, sky.day_of_year)?.on(&sky.plane).poa_w_m2)).transpose()
    };
    let first_sun = at(start_s)?.filter(|sun| *sun > 1.0);
    let mut planned: Vec<PlannedRun> = Vec::new();
    let mut clock_s = start_s;
    for slot in slots {
        let conditions = plan.conditions(slot.level);
        let before = planned.last().map(|run: &PlannedRun| &run.conditions);
        let changes = before.map_or_else(Vec::new, |before| differences(before, &conditions));
        let change_s = if slot.rig > 0 && !planned.is_empty() && planned.len().is_multiple_of(2) {
            Factor::Panel.change_s()
        } else {
            changes.iter().map(|factor| factor.change_s() + factor.soak_s()).sum()
        };
        let end_s = clock_s + change_s + plan.settle_s + READ_S * plan.readings_per_run as f64;
        let sun_percent = at(clock_s)?.zip(first_sun).map(|(sun, first)| sun / first * 100.0);
        planned.push(PlannedRun { slot, conditions, start_s: clock_s, change_s, settle_s: plan.settle_s, end_s, sun_percent });
        // Whole days follow each other.
        clock_s = if plan.order == Order::Totals { clock_s + 86_400.0 } else { end_s };
    }
    let window_s = sky.and_then(|sky| sky.window_s);
    if sky.is_some() && plan.order != Order::Totals {
        match window_s {
            None => warnings.push(Warning::NoWindow),
            Some((_, close_s)) if clock_s > close_s => warnings.push(Warning::PastWindow { minutes: (clock_s - close_s) / 60.0 }),
            Some((open_s, _)) if start_s < open_s => warnings.push(Warning::BeforeWindow { minutes: (open_s - start_s) / 60.0 }),
            Some(_) => {}
        }
    }
    let times_s: Vec<f64> = planned.iter().map(|run| (run.start_s + run.end_s) / 2.0).collect();
    let slots: Vec<Slot> = planned.iter().map(|run| run.slot).collect();
    let (bracket_drift_percent, bend_percent) = match sky.filter(|_| plan.order != Order::Totals) {
        Some(_) => bracket_drift(&slots, &times_s, |unix_s| at(unix_s).map(|sun| sun.unwrap_or(1.0)))?,
        None => (None, None),
    };
    let smallest_percent = (!plan.levels.is_empty()).then(|| {
        let u =
            planned_u_rel(&slots, &times_s, plan.readings_per_run, plan.repeat_rel, plan.order).into_iter().fold(0.0, f64::max);
        smallest_shown(u) * 100.0
    });
    if let Some((percent, smallest)) = bend_percent.zip(smallest_percent)
        && percent > smallest / 2.0
    {
        warnings.push(Warning::SunBends { percent });
    }
    Ok(RunSheet { runs: planned, window_s, bracket_drift_percent, smallest_percent, warnings })
}

/// The most that the clear sun moves between neighbouring baselines, and how far its middle lies off the straight line, percent.
fn bracket_drift(
    slots: &[Slot],
    times_s: &[f64],
    sun: impl Fn(f64) -> Result<f64, Error>,
) -> Result<(Option<f64>, Option<f64>), Error> {
    let baselines: Vec<f64> =
        slots.iter().zip(times_s).filter(|(slot, _)| slot.is_baseline()).map(|(_, unix_s)| *unix_s).collect();
    let (mut drift, mut bend) = (None, None);
    for pair in baselines.windows(2) {
        let (before, middle, after) = (sun(pair[0])?, sun((pair[0] + pair[1]) / 2.0)?, sun(pair[1])?);
        if before < 1.0 || after < 1.0 {
            continue;
        }
        drift = Some((after / before - 1.0).abs().max(drift.unwrap_or(0.0)));
        bend = Some((middle / ((before + after) / 2.0) - 1.0).abs().max(bend.unwrap_or(0.0)));
    }
    Ok((drift.map(|drift| drift * 100.0), bend.map(|bend| bend * 100.0)))
}

impl Plan {
    /// What is the case at a level; the baseline's for 0.
    pub fn conditions(&self, level: usize) -> Conditions {
        match level.checked_sub(1).and_then(|index| self.levels.get(index)) {
            Some(changes) => changed(&self.baseline, changes),
            None => self.baseline.clone(),
        }
    }

    /// A level in short: what it changes, or the baseline's own factor.
    pub fn level_name(&self, level: usize) -> String {
        let own = self.question.card().factor;
        match level.checked_sub(1).and_then(|index| self.levels.get(index)) {
            Some(changes) => changes.values().cloned().collect::<Vec<_>>().join(", "),
            None => self.baseline.get(&own).cloned().unwrap_or_else(|| "baseline".to_owned()),
        }
    }

    pub fn analysis(&self) -> Analysis {
        self.question.card().analysis
    }
}

/// What to take along and to do before.
pub fn to_bring(plan: &Plan, load: Load) -> Vec<&'static str> {
    let mut list = vec![
        "Clean the panel, and let it lie in the sun for a quarter of an hour.",
        "A cover to lay over the panel before anything is plugged or unplugged.",
        "Gloves: frames and cells get hot.",
        "Tape and a pen: each panel\u{2019}s tag on its back.",
    ];
    let factor = plan.question.card().factor;
    list.push(match load {
        Load::LoadTester => "Load tester, charged; its leads rated for the panel\u{2019}s Isc.",
        Load::TrackingController | Load::TiedController => "A battery with room to charge, and a fuse beside it.",
        Load::MultimeterOnly => "Multimeter with the lead in the 10 A socket and a good fuse.",
    });
    if plan.question.card().reads.iter().any(|set| set.contains(&Quantity::Current) || set.contains(&Quantity::Isc)) {
        list.push("Zero the clamp, away from any lead, before every run.");
    }
    match factor {
        Factor::Tilt | Factor::Azimuth => list.push("Something that measures the tilt, and a prop that holds against the wind."),
        Factor::Shade | Factor::Covers => list.push("Cards or cloth that let no light through, cut beforehand, and clips."),
        Factor::Temperature => list.push("Water and a sponge; keep it off every connector."),
        Factor::Wiring => list.push("Branch connectors for the parallel part; cover the panels before each change."),
        Factor::Face => list.push("A sheet that covers the whole back."),
        _ => {}
    }
    list
}

#[cfg(test)]
mod tests {
    use super::*;

    fn typed(fields: &[(&str, &str)]) -> PlanTyped {
        let mut typed = PlanTyped::default();
        assert!(fields.iter().all(|(name, text)| typed.set(name, *text)));
        typed
    }

    fn tilts(levels: &str) -> Plan {
        check(
            &typed(&[("question", "which_tilt"), ("panel", "S-1"), ("tilt", "35"), ("levels", levels)]),
            Load::TrackingController,
        )
        .unwrap()
    }

    #[test]
    fn a_question_and_its_levels_are_a_plan() {
        let plan = tilts("15; 25");
        assert_eq!((plan.order, plan.settle_s, plan.levels.len()), (Order::LadderAndBack, 20.0, 2));
        assert_eq!(plan.conditions(0)[&Factor::Tilt], "35");
        assert_eq!(plan.conditions(2)[&Factor::Tilt], "25");
        assert_eq!(plan.level_name(1), "15");
        for question in Question::ALL {
            let card = question.card();
            let made = check(&typed(&[("question", question.name()), ("levels", card.levels)]), Load::LoadTester);
            assert!(made.is_ok(), "{}: {made:?}", question.name());
        }
    }

    #[test]
    fn what_is_wrong_with_a_plan_stands_beside_its_field() {
        let fields = |fields: &[(&str, &str)]| {
            check(&typed(fields), Load::LoadTester).unwrap_err().into_iter().map(|note| note.field).collect::<Vec<_>>()
        };
        assert_eq!(fields(&[("question", "which_tilt")]), ["levels"]);
        assert_eq!(fields(&[("question", "which_moon"), ("times", "many")]), ["question", "times"]);
        assert_eq!(fields(&[("question", "which_tilt"), ("tilt", "35"), ("levels", "35; 20; 20")]), ["levels", "levels"]);
        assert_eq!(fields(&[("question", "shade_cost"), ("levels", "half, moon = full")]), ["levels"]);
    }

    #[test]
    fn the_clock_of_a_sheet_holds_change_settling_and_reading() {
        let sheet = run_sheet(&tilts("20"), 0.0, None).unwrap();
        let starts: Vec<f64> = sheet.runs.iter().map(|run| run.start_s).collect();
        // A: settle 20 + read 20; then 45 to change each time; B twice in a row needs no change, but is done anew.
        assert_eq!(starts, [0.0, 40.0, 125.0, 210.0, 295.0][..starts.len()]);
        assert!(sheet.smallest_percent.unwrap() > 1.0 && sheet.window_s.is_none() && sheet.warnings.is_empty());
    }

    #[test]
    fn two_things_changed_at_once_are_named() {
        let sheet = run_sheet(&tilts("20; 25, load = Gimlet 20"), 0.0, None).unwrap();
        assert_eq!(sheet.warnings, [Warning::SeveralChanges { level: 2, factors: vec![Factor::Tilt, Factor::Load] }]);
    }

    /// 2026-06-21 over the workshop: the good hours lie around 12:33 UTC, and six in the morning does not belong to them.
    #[test]
    fn a_sheet_keeps_to_the_good_hours_and_says_what_the_sun_does_meanwhile() {
        use crate::sky::place::Place;
        let site = Site { place: Place::check(38.6, -7.9, 300.0).unwrap(), albedo: 0.2, linke_turbidity: 3.0, ..Site::default() };
        let plane = Plane { tilt_deg: 35.0, azimuth_deg: 180.0 };
        let (open_s, close_s) = (1_782_034_200.0, 1_782_055_800.0);
        let sky = Sky { site: &site, plane, day_of_year: 172.0, window_s: Some((open_s, close_s)) };
        let sheet = |start_s| run_sheet(&tilts("15; 25; 45"), start_s, Some(&sky)).unwrap();
        let noon = sheet(1_782_045_000.0);
        assert!(noon.warnings.is_empty() && noon.bracket_drift_percent.unwrap() < 0.5, "{noon:?}");
        assert!(matches!(sheet(open_s - 7200.0).warnings[..], [Warning::BeforeWindow { minutes }] if minutes == 120.0));
        assert!(matches!(sheet(close_s - 60.0).warnings[..], [Warning::PastWindow { .. }]));
        assert!(sheet(open_s).bracket_drift_percent.unwrap() > 1.0, "in the morning the sun moves fast");
        let never = run_sheet(&tilts("15"), open_s, Some(&Sky { window_s: None, ..sky })).unwrap();
        assert_eq!(never.warnings, [Warning::NoWindow]);
    }

    #[test]
    fn more_readings_show_smaller_differences() {
        let smallest = |readings: &str, times: &str| {
            let plan = check(
                &typed(&[("question", "flat_or_tilted"), ("levels", "35"), ("readings_per_run", readings), ("times", times)]),
                Load::LoadTester,
            )
            .unwrap();
            run_sheet(&plan, 0.0, None).unwrap().smallest_percent.unwrap()
        };
        assert!((smallest("4", "1") / smallest("1", "1") - 0.5).abs() < 1e-9);
        assert!(smallest("1", "3") < smallest("1", "1"));
    }
}
