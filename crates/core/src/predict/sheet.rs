//! The run sheet of a plan: when each run begins, what the sun does meanwhile, and the smallest difference that could show.

use crate::error::Error;
use crate::measure::quantity::Quantity;
use crate::record::condition::{Conditions, Factor, changed, differences};
use crate::record::order::{Order, Slot, runs};
use crate::record::plan::Plan;
use crate::record::setup::Load;
use crate::sky::course::{Moment, Site};
use crate::sky::plane::Plane;
use crate::verdict::estimate::{ErrorModel, Scatter, WANDER_CLEAR, planned_u_rel, smallest_shown};
use crate::window::Window;

/// Time to look, type and write one reading, s. Common practice, no source.
pub const READ_S: f64 = 20.0;

/// The display step of a planned reading, as a share. Common practice, no source: amps of 5 to 10 A in steps of 0.01 to 0.1 A.
const USUAL_STEP_REL: f64 = 0.003;

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
    /// The good hours of that day.
    pub window: Option<Window>,
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
    /// Its good hours.
    pub window: Option<Window>,
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
        // Two rigs side by side begin together; between two pairs the panels are exchanged, or the change is made.
        let is_second = slot.rig > 0 && planned.len() % 2 == 1;
        let change_s = match planned.last() {
            Some(first) if is_second => first.change_s,
            Some(_) if plan.order == Order::Crossover => Factor::Panel.change_s(),
            Some(_) | None => changes.iter().map(|factor| factor.change_s() + factor.soak_s()).sum(),
        };
        if is_second && let Some(first) = planned.last() {
            clock_s = first.start_s;
        }
        let end_s = clock_s + change_s + plan.settle_s + READ_S * plan.readings_per_run as f64;
        let sun_percent = at(clock_s)?.zip(first_sun).map(|(sun, first)| sun / first * 100.0);
        planned.push(PlannedRun { slot, conditions, start_s: clock_s, change_s, settle_s: plan.settle_s, end_s, sun_percent });
        // Whole days follow each other.
        clock_s = if plan.order == Order::Totals { clock_s + 86_400.0 } else { end_s };
    }
    let window = sky.and_then(|sky| sky.window);
    if sky.is_some() && plan.order != Order::Totals {
        match window {
            None => warnings.push(Warning::NoWindow),
            Some(Window { to_s, .. }) if clock_s > to_s => {
                warnings.push(Warning::PastWindow { minutes: (clock_s - to_s) / 60.0 })
            }
            Some(Window { from_s, .. }) if start_s < from_s => {
                warnings.push(Warning::BeforeWindow { minutes: (from_s - start_s) / 60.0 })
            }
            Some(_) => {}
        }
    }
    let times_s: Vec<f64> = planned.iter().map(|run| (run.start_s + run.end_s) / 2.0).collect();
    let slots: Vec<Slot> = planned.iter().map(|run| run.slot).collect();
    let (bracket_drift_percent, bend_percent) = match sky.filter(|_| plan.order != Order::Totals) {
        Some(_) => bracket_drift(&slots, &times_s, |unix_s| at(unix_s).map(|sun| sun.unwrap_or(1.0)))?,
        None => (None, None),
    };
    let smallest_percent =
        (!plan.levels.is_empty()).then(|| smallest_shown(planned_u(plan, &slots, &times_s, plan.readings_per_run)) * 100.0);
    if let Some((percent, smallest)) = bend_percent.zip(smallest_percent)
        && percent > smallest / 2.0
    {
        warnings.push(Warning::SunBends { percent });
    }
    Ok(RunSheet { runs: planned, window, bracket_drift_percent, smallest_percent, warnings })
}

/// The standard uncertainty that a plan gives its least certain level, as a share.
fn planned_u(plan: &Plan, slots: &[Slot], times_s: &[f64], readings: usize) -> f64 {
    let is_of_days = plan.order == Order::Totals;
    let set_up = if is_of_days { Scatter::BETWEEN_DAYS } else { Scatter::of_set_up(plan.question.card().factor) };
    // A plan counts on cell temperatures read where panels are compared; unread ones widen what is found.
    let unread_cells_rel = 0.0;
    let model = ErrorModel { order: plan.order, set_up, wander: WANDER_CLEAR, is_own_meters: false, unread_cells_rel };
    planned_u_rel(slots, times_s, readings, plan.repeat_rel, USUAL_STEP_REL, model).into_iter().fold(0.0, f64::max)
}

/// What the smallest difference would be with more of the same, percent.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct WithMore {
    /// One reading more in each run.
    pub reading_percent: f64,
    /// The runs once more.
    pub runs_percent: f64,
}

/// What the smallest difference of a sheet would be with more of the same.
pub fn smallest_with_more(plan: &Plan, sheet: &RunSheet) -> WithMore {
    let slots: Vec<Slot> = sheet.runs.iter().map(|run| run.slot).collect();
    let times_s: Vec<f64> = sheet.runs.iter().map(|run| (run.start_s + run.end_s) / 2.0).collect();
    let reading_percent = smallest_shown(planned_u(plan, &slots, &times_s, plan.readings_per_run + 1)) * 100.0;
    let again = Plan { times: plan.times + 1, ..plan.clone() };
    let longer = runs(again.order, again.levels.len(), again.times);
    let span_s = times_s.last().zip(times_s.first()).map_or(0.0, |(last, first)| last - first);
    let step_s = span_s / (times_s.len().max(2) - 1) as f64;
    let longer_s: Vec<f64> = (0..longer.len()).map(|place| place as f64 * step_s).collect();
    let runs_percent = smallest_shown(planned_u(&again, &longer, &longer_s, plan.readings_per_run)) * 100.0;
    WithMore { reading_percent, runs_percent }
}

/// Repeats and readings that a difference asks for.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Needed {
    pub times: usize,
    pub readings_per_run: usize,
    /// The smallest difference that then shows, percent.
    pub smallest_percent: f64,
    /// How long the whole sheet takes, s.
    pub takes_s: f64,
}

/// Plans may repeat so often, and read so often in a run, as [`crate::record::plan::check`] allows.
const MOST_TIMES: usize = 10;
const MOST_READINGS: usize = 5;

/// The shortest sheet of a plan that shows a difference of so many percent; `None` where no number of runs does.
///
/// # Errors
/// As [`run_sheet`].
pub fn needed_to_show(plan: &Plan, percent: f64, start_s: f64, sky: Option<&Sky<'_>>) -> Result<Option<Needed>, Error> {
    let mut best: Option<Needed> = None;
    for times in 1..=MOST_TIMES {
        for readings_per_run in 1..=MOST_READINGS {
            let sheet = run_sheet(&Plan { times, readings_per_run, ..plan.clone() }, start_s, sky)?;
            let Some(smallest_percent) = sheet.smallest_percent.filter(|smallest| *smallest <= percent) else { continue };
            let takes_s = sheet.runs.last().map_or(0.0, |last| last.end_s - start_s);
            if best.is_none_or(|best| takes_s < best.takes_s) {
                best = Some(Needed { times, readings_per_run, smallest_percent, takes_s });
            }
        }
    }
    Ok(best)
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
        Load::TrackingController | Load::LocalTrackingController | Load::PwmController => {
            "A battery with room to charge, and a fuse beside it."
        }
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
        Factor::Panel | Factor::Rig | Factor::Sky | Factor::Load | Factor::MeasuredAt | Factor::Step | Factor::Day => {}
    }
    list
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::record::names::Names;
    use crate::record::plan::{PlanTyped, check};

    fn typed(fields: &[(&str, &str)]) -> PlanTyped {
        let mut typed = PlanTyped::default();
        assert!(fields.iter().all(|(name, text)| typed.set(name, *text)));
        typed
    }

    fn tilts(levels: &str) -> Plan {
        let fields = [("question", "which_tilt"), ("panel", "S-1"), ("tilt", "35"), ("levels", levels)];
        check(&typed(&fields), Load::TrackingController, &Names::default()).unwrap()
    }

    #[test]
    fn the_clock_of_a_sheet_holds_change_settling_and_reading() {
        let sheet = run_sheet(&tilts("20"), 0.0, None).unwrap();
        let starts: Vec<f64> = sheet.runs.iter().map(|run| run.start_s).collect();
        // A: settle 20 + read 20; then 45 to change each time; B twice in a row needs no change, but is done anew.
        assert_eq!(starts, [0.0, 40.0, 125.0, 210.0, 295.0][..starts.len()]);
        assert!(sheet.smallest_percent.unwrap() > 1.0 && sheet.window.is_none() && sheet.warnings.is_empty());
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
        let sky = Sky { site: &site, plane, day_of_year: 172.0, window: Some(Window { from_s: open_s, to_s: close_s }) };
        let sheet = |start_s| run_sheet(&tilts("15; 25; 45"), start_s, Some(&sky)).unwrap();
        let noon = sheet(1_782_045_000.0);
        assert!(noon.warnings.is_empty() && noon.bracket_drift_percent.unwrap() < 0.5, "{noon:?}");
        assert!(matches!(sheet(open_s - 7200.0).warnings[..], [Warning::BeforeWindow { minutes }] if minutes == 120.0));
        assert!(matches!(sheet(close_s - 60.0).warnings[..], [Warning::PastWindow { .. }]));
        assert!(sheet(open_s).bracket_drift_percent.unwrap() > 1.0, "in the morning the sun moves fast");
        let never = run_sheet(&tilts("15"), open_s, Some(&Sky { window: None, ..sky })).unwrap();
        assert_eq!(never.warnings, [Warning::NoWindow]);
    }

    /// More readings in a run average only the repeat; more runs average the set-up too.
    #[test]
    fn more_readings_in_a_run_promise_no_more_than_they_give() {
        let smallest = |readings: &str, times: &str| {
            let fields = [("question", "flat_or_tilted"), ("levels", "35"), ("readings_per_run", readings), ("times", times)];
            let plan = check(&typed(&fields), Load::LoadTester, &Names::default()).unwrap();
            run_sheet(&plan, 0.0, None).unwrap().smallest_percent.unwrap()
        };
        let (once, four, twenty) = (smallest("1", "1"), smallest("4", "1"), smallest("20", "1"));
        assert!(four < once && four > 0.6 * once, "{once} {four}");
        assert!(twenty < four && twenty > 0.85 * four, "{four} {twenty}");
        assert!(smallest("1", "4") < 0.6 * once, "{}", smallest("1", "4"));
        let plan = tilts("20");
        let sheet = run_sheet(&plan, 0.0, None).unwrap();
        let more = smallest_with_more(&plan, &sheet);
        assert!(more.reading_percent.max(more.runs_percent) < sheet.smallest_percent.unwrap());
    }

    /// What is needed shows what was asked for, one repeat less in the same readings does not, and nothing shows a thousandth.
    #[test]
    fn the_shortest_sheet_that_shows_a_difference_is_found() {
        let plan = tilts("15; 45");
        let usual = run_sheet(&plan, 0.0, None).unwrap().smallest_percent.unwrap();
        let same = needed_to_show(&plan, usual * 1.01, 0.0, None).unwrap().unwrap();
        assert_eq!((same.times, same.readings_per_run), (1, 1));
        let half = needed_to_show(&plan, usual / 1.5, 0.0, None).unwrap().unwrap();
        assert!(half.times > 1 && half.smallest_percent <= usual / 1.5 && half.takes_s > same.takes_s, "{half:?}");
        let less = Plan { times: half.times - 1, readings_per_run: half.readings_per_run, ..plan.clone() };
        assert!(run_sheet(&less, 0.0, None).unwrap().smallest_percent.unwrap() > usual / 1.5);
        assert_eq!(needed_to_show(&plan, 0.001, 0.0, None).unwrap(), None);
    }

    /// Two rigs side by side are read at the same clock time.
    #[test]
    fn side_by_side_begins_together() {
        for order in ["crossover", "before_after"] {
            let fields = [("question", "which_controller"), ("levels", "Gimlet 20"), ("order", order)];
            let plan = check(&typed(&fields), Load::LoadTester, &Names::default()).unwrap();
            let sheet = run_sheet(&plan, 0.0, None).unwrap();
            assert_eq!(sheet.runs.len(), 4);
            for pair in sheet.runs.chunks(2) {
                assert_eq!((pair[0].start_s, pair[0].end_s), (pair[1].start_s, pair[1].end_s), "{order}");
            }
            assert!(sheet.runs[2].start_s >= sheet.runs[1].end_s);
        }
    }
}
