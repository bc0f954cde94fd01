//! The report of one test, with all that somebody else needs to judge it.

use crate::door::paging::Paging;
use crate::error::AppError;
use crate::figures::{clock_short, day, stated};
use crate::frame::Frame;
use crate::kept::assessments::Depth;
use crate::report::sheet::{Sheet, sheet};
use crate::state::AppState;
use crate::views::compared::{ComparedView, PredictedView};
use crate::views::drawn::Drawn;
use crate::views::panel::label_rows;
use crate::words::DEFER;
use askama::Template;
use flindo_core::measure::instrument::{Accuracy, Instruments};
use flindo_core::record::meters::Reads;
use flindo_core::record::question::Question;
use flindo_core::record::setup::Setup;
use flindo_core::record::test::TestRecord;
use flindo_store::Photo;
use jiff::Timestamp;
use std::collections::HashMap;

/// The report itself, on its page and in a file that stands alone.
#[derive(Template)]
#[template(path = "parts/report_article.html")]
pub struct Article {
    pub drawn: Drawn,
    bench: String,
    time_zone_name: String,
    test_id: i64,
    tag: String,
    name: String,
    notes: String,
    label: Vec<(&'static str, String)>,
    setup: Vec<(&'static str, String)>,
    instruments: Vec<(&'static str, String)>,
    tested: String,
    printed: String,
    version: &'static str,
    defer: &'static str,
    sheet: Sheet,
    question: &'static str,
    /// The runs compared, where the test has some.
    compared: Option<ComparedView>,
    predicted: Option<PredictedView>,
    /// Stops that somebody went on in spite of: (risk, why, when).
    gone_on: Vec<(String, String, String)>,
    skipped: Vec<(String, String)>,
    photos: Vec<Photo>,
    /// For readers in a hurry: without the readings and the budget.
    is_brief: bool,
    /// The photos themselves, for a file that stands alone.
    pictures: Option<HashMap<i64, String>>,
}

fn setup_rows(question: Question, setup: &Setup) -> Vec<(&'static str, String)> {
    vec![
        ("question", question.label().to_owned()),
        ("tilt from flat", stated(setup.tilt_deg, "\u{b0}").to_string()),
        ("azimuth from north", stated(setup.azimuth_deg, "\u{b0}").to_string()),
        ("load", setup.load.label().to_owned()),
        ("irradiance from", setup.irradiance_source.label().to_owned()),
        ("cell temperature from", setup.cell_temperature.label().to_owned()),
        ("for an unsteady display", setup.unsteady.label().to_owned()),
    ]
}

/// What each quantity was read with, and how well: by name, where it is a meter of the bench.
fn instrument_rows(gear: &Instruments, record: &TestRecord) -> Vec<(&'static str, String)> {
    let named = |reads: Reads, accuracy: String| {
        let used = record.meters.iter().find(|one| one.reads == reads);
        let name = used.and_then(|one| Some((one, record.gear.iter().find(|gear| gear.id == one.meter)?)));
        match name {
            Some((one, gear)) if one.calibrated.is_empty() => format!("{}, {accuracy}", gear.name),
            Some((one, gear)) => format!("{} (calibrated {}), {accuracy}", gear.name, one.calibrated),
            None => accuracy,
        }
    };
    let accuracy = |accuracy: &Accuracy| format!("\u{b1} ({} % + {} of the last digit)", accuracy.percent, accuracy.digits);
    vec![
        ("voltage", named(Reads::Volts, accuracy(&gear.volts))),
        ("current", named(Reads::Amps, accuracy(&gear.amps))),
        ("power", named(Reads::Watts, accuracy(&gear.watts))),
        ("irradiance", named(Reads::Irradiance, format!("\u{b1} {} %", gear.sun_percent))),
        ("thermometer", named(Reads::Temperature, format!("\u{b1} {} K", gear.thermometer_k))),
    ]
}

impl Article {
    /// The report of a test as it is printed at a moment.
    pub async fn of(state: &AppState, frame: &Frame, id: i64, printed: Timestamp) -> Result<Self, AppError> {
        let judged = state.judged(id, Depth::Whole).await?;
        let (evaluated, recorded) = (judged.evaluated(), judged.evaluated().recorded);
        let (test, panel) = (&recorded.test, &recorded.panel);
        let is_comparison = evaluated.is_comparison();
        let zone = &frame.time_zone;
        let known = state.store.acknowledgements(id).await?;
        let gone_on = known
            .into_iter()
            .map(|known| (known.risk, known.why, format!("{}, {}", day(known.at_utc, zone), clock_short(known.at_utc, zone))))
            .collect();
        let first = recorded.lines.first().map(|line| line.newest().what.taken_utc).unwrap_or(test.created_utc);
        Ok(Article {
            drawn: Drawn::of_test(recorded, zone),
            bench: frame.bench.name.clone(),
            time_zone_name: frame.time_zone_name.clone(),
            test_id: id,
            question: test.question.label(),
            compared: is_comparison.then(|| evaluated.compared(zone)),
            predicted: if is_comparison { evaluated.predicted() } else { None },
            gone_on,
            skipped: evaluated.skipped(),
            photos: state.store.photos(id).await?,
            label: label_rows(panel),
            setup: setup_rows(test.question, &test.setup),
            instruments: instrument_rows(&test.setup.instruments, &recorded.record),
            tested: day(first, &frame.time_zone),
            printed: day(printed, &frame.time_zone),
            version: env!("CARGO_PKG_VERSION"),
            defer: DEFER,
            sheet: sheet(evaluated, frame, Paging::newest(recorded.lines.len())),
            tag: panel.draft.tag.clone(),
            name: panel.name().to_owned(),
            notes: panel.draft.notes.clone(),
            is_brief: false,
            pictures: None,
        })
    }

    /// For a file that stands alone.
    pub fn alone(self, pictures: HashMap<i64, String>, is_brief: bool) -> Self {
        Article { pictures: Some(pictures), is_brief, ..self }
    }

    pub fn tag(&self) -> &str {
        &self.tag
    }

    pub fn tested(&self) -> &str {
        &self.tested
    }

    pub fn photos(&self) -> &[Photo] {
        &self.photos
    }

    /// Where a photo is: on this bench, or in the file itself.
    fn picture(&self, photo: &Photo) -> String {
        let inside = self.pictures.as_ref().and_then(|pictures| pictures.get(&photo.id));
        inside.cloned().unwrap_or_else(|| format!("/tests/{}/photos/{}", self.test_id, photo.id))
    }
}
