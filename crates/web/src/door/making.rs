//! A new test out of what a page or a program says of it: the same checks, whichever sends it.

use crate::day::{Day, timestamp};
use flindo_core::error::Error;
use flindo_core::predict::sheet::{Needed, RunSheet, Sky, needed_to_show, run_sheet};
use flindo_core::record::condition::{Factor, degrees_of};
use flindo_core::record::plan::{Plan, PlanTyped};
use flindo_core::record::question::Question;
use flindo_core::record::setup::Setup;
use flindo_core::sky::course::Site;
use flindo_core::window::Window;
use flindo_store::{NewRun, Panel, RigRow, day_of_year};
use jiff::Timestamp;
use jiff::tz::TimeZone;

/// What the rig and the set-up say goes into the baseline where the plan itself does not vary it.
pub fn own_conditions(typed: &mut PlanTyped, question: Question, setup: &Setup, panel: &Panel, rig: Option<&RigRow>) {
    let factor = question.card().factor;
    let own = |of: Factor, text: String| if factor == of && of != Factor::Panel { String::new() } else { text };
    question.name().clone_into(&mut typed.question);
    typed.panel = format!("{} {}", panel.tag(), panel.name());
    typed.tilt = own(Factor::Tilt, if setup.tilt_deg == 0.0 { "flat".to_owned() } else { format!("{}\u{b0}", setup.tilt_deg) });
    typed.load_words = own(Factor::Load, setup.load.label().to_owned());
    // One panel alone is said already.
    let wiring = rig.map(|rig| rig.draft.wiring.clone()).filter(|wiring| wiring.contains(['+', '|', ' ']));
    typed.wiring = own(Factor::Wiring, wiring.unwrap_or_default());
}

/// The set-up as the baseline of the plan has it.
pub fn as_baseline(setup: &mut Setup, plan: &Plan) {
    setup.tilt_deg = degrees_of(&plan.baseline, Factor::Tilt).unwrap_or(setup.tilt_deg);
    setup.azimuth_deg = degrees_of(&plan.baseline, Factor::Azimuth).unwrap_or(setup.azimuth_deg);
}

/// The good hours of a day on the plane of a set-up.
pub fn window_of(day: &Day, site: &Site, setup: &Setup) -> Option<Window> {
    day.good_window(site, &setup.plane()).ok()?
}

/// The sheet of a plan that begins at `start`.
pub fn sheet_of(plan: &Plan, setup: &Setup, start: Timestamp, site: Option<&Site>, zone: &TimeZone) -> Result<RunSheet, Error> {
    let sky = sky_of(setup, start, site, zone);
    run_sheet(plan, start.as_second() as f64, sky.as_ref())
}

/// What a difference of so many percent asks for of the same plan.
pub fn needed_of(
    plan: &Plan,
    percent: f64,
    setup: &Setup,
    start: Timestamp,
    site: Option<&Site>,
    zone: &TimeZone,
) -> Result<Option<Needed>, Error> {
    let sky = sky_of(setup, start, site, zone);
    needed_to_show(plan, percent, start.as_second() as f64, sky.as_ref())
}

fn sky_of<'a>(setup: &Setup, start: Timestamp, site: Option<&'a Site>, zone: &TimeZone) -> Option<Sky<'a>> {
    site.map(|site| Sky {
        site,
        plane: setup.plane(),
        day_of_year: day_of_year(start),
        window: window_of(&Day::of(start, zone), site, setup),
    })
}

/// The runs of a sheet, to be written.
pub fn runs_of(sheet: &RunSheet) -> Vec<NewRun> {
    let run = |(place, run): (usize, &flindo_core::predict::sheet::PlannedRun)| NewRun {
        place: place as i64 + 1,
        level: run.slot.level,
        rig: run.slot.rig,
        is_added: false,
        planned_utc: Some(timestamp(run.start_s)),
        state: None,
    };
    sheet.runs.iter().enumerate().map(run).collect()
}
