//! A new test, or a changed set-up: panel, mounting, load, and the sources of irradiance and cell temperature.

use crate::door::meters::{self, MeterChoice};
use crate::door::typed::{Notes, Pairs, note_changes, value, version};
use crate::draw::aim;
use crate::error::AppError;
use crate::frame::Frame;
use crate::state::AppState;
use crate::words::{DEFER, cautions, proves};
use askama::Template;
use askama_web::WebTemplate;
use axum::Form;
use axum::extract::{Path, Query, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use flindo_core::form::FieldNote;
use flindo_core::measure::quantity::UnsteadyPolicy;
use flindo_core::panel::face::Mounting;
use flindo_core::record::meters::MeterUse;
use flindo_core::record::setup::{self, CellTemperatureSource, IrradianceSource, Load, Setup, SetupTyped};
use flindo_store::{GearRow, Panel, TestDraft};
use jiff::Timestamp;

#[derive(Template, WebTemplate)]
#[template(path = "test_form.html")]
pub struct TestForm {
    frame: Frame,
    /// The test whose set-up is changed; `None` for a new one.
    id: Option<i64>,
    panels: Vec<Panel>,
    panel_id: Option<i64>,
    typed: SetupTyped,
    /// Which state of the set-up the form was filled from.
    version: String,
    notes: Notes,
    meter_choices: Vec<MeterChoice>,
    aim: String,
    defer: &'static str,
}

impl TestForm {
    fn value(&self, name: &str) -> &str {
        self.typed.get(name).unwrap_or_default()
    }

    fn chosen(&self, name: &str, choice: &str) -> bool {
        self.value(name) == choice
    }

    fn is_panel(&self, id: &i64) -> bool {
        self.panel_id == Some(*id)
    }

    fn loads(&self) -> Vec<(Load, &'static str, Vec<&'static str>)> {
        Load::ALL.iter().map(|load| (*load, proves(*load), cautions(*load))).collect()
    }

    fn suns(&self) -> &'static [IrradianceSource] {
        IrradianceSource::ALL
    }

    fn cell_temperatures(&self) -> &'static [CellTemperatureSource] {
        CellTemperatureSource::ALL
    }

    fn mountings(&self) -> &'static [Mounting] {
        Mounting::ALL
    }

    fn unsteady_policies(&self) -> &'static [UnsteadyPolicy] {
        UnsteadyPolicy::ALL
    }

    fn instrument_notes(&self) -> bool {
        SetupTyped::FIELDS
            .iter()
            .skip(6)
            .filter(|field| !field.starts_with("reference"))
            .any(|field| !self.notes.of(field).is_empty())
            || self.meter_choices.iter().any(|one| !self.notes.of(one.field).is_empty() || !one.chosen.is_empty())
    }
}

/// Accuracy fields: (label, percent field, digits field).
pub const ACCURACIES: [(&str, &str, &str); 3] = [
    ("voltage", "volts_percent", "volts_digits"),
    ("current", "amps_percent", "amps_digits"),
    ("power, if the instrument shows watts", "watts_percent", "watts_digits"),
];

pub async fn new(State(state): State<AppState>, frame: Frame, Query(query): Query<Pairs>) -> Result<TestForm, AppError> {
    let panels = state.store.panels().await?;
    // The set-up of the last test is the likeliest one of the next.
    let newest = state.store.newest_test().await?;
    let (setup, meters) = newest.map(|test| (test.setup, test.meters)).unwrap_or_default();
    let panel_id = value(&query, "panel").parse().ok();
    let gear = state.store.gear().await?;
    Ok(form(frame, None, panels, panel_id, &setup, meters::choices(&Vec::new(), &meters, &gear, false)))
}

pub async fn edit(State(state): State<AppState>, frame: Frame, Path(id): Path<i64>) -> Result<TestForm, AppError> {
    let test = state.store.test(id).await?;
    let panels = vec![state.store.panel(test.panel_id).await?];
    let gear = state.store.gear().await?;
    Ok(form(frame, Some(id), panels, Some(test.panel_id), &test.setup, meters::choices(&Vec::new(), &test.meters, &gear, false)))
}

fn form(
    frame: Frame,
    id: Option<i64>,
    panels: Vec<Panel>,
    panel_id: Option<i64>,
    setup: &Setup,
    meter_choices: Vec<MeterChoice>,
) -> TestForm {
    TestForm {
        frame,
        id,
        panels,
        panel_id,
        typed: SetupTyped::of(setup),
        version: version(&pairs_of(setup)),
        notes: Notes::default(),
        meter_choices,
        aim: aim::draw(setup.tilt_deg, setup.azimuth_deg),
        defer: DEFER,
    }
}

pub async fn add(State(state): State<AppState>, frame: Frame, Form(pairs): Form<Pairs>) -> Result<Response, AppError> {
    let panel_id: Option<i64> = value(&pairs, "panel").parse().ok();
    let gear = state.store.gear().await?;
    match (read_with_meters(&pairs, Vec::new(), &gear), panel_id) {
        (Ok((setup, meters)), Some(panel_id)) => {
            let place_id = frame.place.as_ref().map(|place| place.id);
            let draft = TestDraft { meters, ..TestDraft::of_rating(panel_id, place_id, setup) };
            let id = state.store.add_test(&draft, Timestamp::now()).await?;
            Ok(Redirect::to(&format!("/tests/{id}")).into_response())
        }
        (checked, panel_id) => {
            let panels = state.store.panels().await?;
            let page = form(frame, None, panels, panel_id, &Setup::default(), meters::choices(&pairs, &[], &gear, false));
            Ok(refused(page, &pairs, checked.err().unwrap_or_default()))
        }
    }
}

pub async fn change(
    State(state): State<AppState>,
    frame: Frame,
    Path(id): Path<i64>,
    Form(pairs): Form<Pairs>,
) -> Result<Response, AppError> {
    let _turn = state.turn_to_edit().await;
    let test = state.store.test(id).await?;
    let gear = state.store.gear().await?;
    let (mut pairs, mut changed) = (pairs, Notes::default());
    let choices = meters::choices(&pairs, &test.meters, &gear, false);
    note_changes(&pairs_of(&test.setup), &mut pairs, &mut changed);
    if changed.has("refused") {
        let panels = vec![state.store.panel(test.panel_id).await?];
        let page = form(frame, Some(id), panels, Some(test.panel_id), &test.setup, choices);
        return Ok(refused(TestForm { notes: changed, ..page }, &pairs, Vec::new()));
    }
    match read_with_meters(&pairs, test.meters, &gear) {
        Ok((setup, meters)) => {
            state.store.change_setup(id, &setup, &meters).await?;
            Ok(Redirect::to(&format!("/tests/{id}")).into_response())
        }
        Err(notes) => {
            let panels = vec![state.store.panel(test.panel_id).await?];
            Ok(refused(form(frame, Some(id), panels, Some(test.panel_id), &test.setup, choices), &pairs, notes))
        }
    }
}

/// A set-up with the accuracies of the meters that were chosen.
fn read_with_meters(pairs: &Pairs, stands: Vec<MeterUse>, gear: &[GearRow]) -> Result<(Setup, Vec<MeterUse>), Vec<FieldNote>> {
    let mut setup = setup::check(&typed(pairs))?;
    let meters = meters::of_form(pairs, stands, gear)?;
    setup.instruments = meters::instruments(&meters, gear, setup.instruments);
    Ok((setup, meters))
}

/// The fields of a set-up as a form sends them.
fn pairs_of(setup: &Setup) -> Pairs {
    let typed = SetupTyped::of(setup);
    SetupTyped::FIELDS.iter().map(|field| ((*field).to_owned(), typed.get(field).unwrap_or_default().to_owned())).collect()
}

fn typed(pairs: &Pairs) -> SetupTyped {
    let mut typed = SetupTyped::default();
    for (name, text) in pairs {
        typed.set(name, text.as_str());
    }
    typed
}

fn refused(mut page: TestForm, pairs: &Pairs, notes: Vec<FieldNote>) -> Response {
    page.typed = typed(pairs);
    for note in notes {
        page.notes.add(note.field, "refused", note.text);
    }
    if page.panel_id.is_none() {
        page.notes.add("panel", "refused", "Choose the panel to be tested.".to_owned());
    }
    (StatusCode::UNPROCESSABLE_ENTITY, page).into_response()
}
