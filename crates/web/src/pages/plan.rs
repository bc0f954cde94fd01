//! The plan of a test: a question, its levels, and what follows from them, shown while it is filled in.

use super::sheet::{SheetView, sheet_of, sheet_view, window_of};
use super::typed::{Notes, Pairs, value};
use crate::day::{Day, timestamp};
use crate::error::AppError;
use crate::figures::for_field;
use crate::frame::Frame;
use crate::state::AppState;
use crate::words::DEFER;
use askama::Template;
use askama_web::WebTemplate;
use axum::Form;
use axum::extract::{Path, Query, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use flindo_core::gear::Gear;
use flindo_core::measure::instrument::Instruments;
use flindo_core::panel::shade::Mounting;
use flindo_core::protocol::condition::{Factor, degrees};
use flindo_core::protocol::order::Order;
use flindo_core::protocol::plan::{self, Plan, PlanTyped, RunSheet};
use flindo_core::protocol::question::{CARDS, Card, Question};
use flindo_core::protocol::setup::{self, Load, Setup, SetupTyped, SunSource, Warmth};
use flindo_core::rig::Spot;
use flindo_store::{GearRow, NewRun, Panel, RigRow, TestDraft};
use jiff::civil::DateTime;
use jiff::{Timestamp, ToSpan};

#[derive(Template, WebTemplate)]
#[template(path = "questions.html")]
pub struct Questions {
    frame: Frame,
    cards: &'static [Card],
    /// Handed on to the plan: "?rig=3".
    query: String,
}

#[derive(Template, WebTemplate)]
#[template(path = "plan.html")]
pub struct PlanPage {
    frame: Frame,
    card: &'static Card,
    panels: Vec<Panel>,
    rigs: Vec<RigRow>,
    typed: Pairs,
    notes: Notes,
    sheet: Option<SheetView>,
    defer: &'static str,
}

impl PlanPage {
    fn value(&self, name: &str) -> &str {
        value(&self.typed, name)
    }

    fn is(&self, name: &str, choice: &str) -> bool {
        self.value(name) == choice
    }

    fn is_id(&self, name: &str, id: &i64) -> bool {
        self.value(name) == id.to_string()
    }

    fn reads(&self) -> String {
        let sets: Vec<String> = self
            .card
            .reads
            .iter()
            .map(|set| set.iter().map(|quantity| quantity.label()).collect::<Vec<_>>().join(" and "))
            .collect();
        sets.join(", or ")
    }

    /// How levels are said so that they can be drawn and predicted.
    fn hint(&self) -> &'static str {
        match self.card.factor {
            Factor::Shade => {
                "Said like this they are drawn and predicted: bottom row of cells; left column; 2 cells; band 10 %; leaves 30 %; shadow of a pole; with \u{201c}20 % through\u{201d} where light comes through."
            }
            Factor::Wiring => {
                "Said like this they are predicted: series; parallel; first alone; both together; or by tags, as in S-1 + S-2."
            }
            _ => "",
        }
    }

    /// The tilt is the baseline itself.
    fn varies_tilt(&self) -> bool {
        self.card.factor == Factor::Tilt
    }

    fn orders(&self) -> &'static [Order] {
        Order::ALL
    }

    fn loads(&self) -> &'static [Load] {
        Load::ALL
    }

    fn mountings(&self) -> &'static [Mounting] {
        Mounting::ALL
    }

    fn suns(&self) -> &'static [SunSource] {
        SunSource::ALL
    }

    fn warmths(&self) -> &'static [Warmth] {
        Warmth::ALL
    }
}

pub async fn questions(frame: Frame, Query(query): Query<Pairs>) -> Questions {
    let handed: Vec<String> = ["rig", "panel"]
        .into_iter()
        .filter_map(|name| value(&query, name).parse::<i64>().ok().map(|id| format!("{name}={id}")))
        .collect();
    let query = if handed.is_empty() { String::new() } else { format!("?{}", handed.join("&")) };
    Questions { frame, cards: &CARDS, query }
}

/// What is taken where nothing was typed yet: the last set-up, the next good hours, what is usual for the question.
async fn first_typed(state: &AppState, frame: &Frame, question: Question, query: &Pairs) -> Result<Pairs, AppError> {
    let mut setup = state.store.tests().await?.first().map(|test| test.setup).unwrap_or_default();
    let card = question.card();
    if card.factor == Factor::Tilt {
        setup.tilt_deg = degrees(card.baseline).unwrap_or(setup.tilt_deg);
    }
    let panels = state.store.panels().await?;
    let panel = value(query, "panel").parse().ok().or(panels.first().map(|panel| panel.id));
    let start = next_start(frame, &setup, Timestamp::now());
    let mut typed: Pairs = vec![
        ("panel_id".to_owned(), panel.map(|id| id.to_string()).unwrap_or_default()),
        ("rig_id".to_owned(), value(query, "rig").to_owned()),
        ("baseline".to_owned(), card.baseline.to_owned()),
        ("levels".to_owned(), card.levels.to_owned()),
        ("order".to_owned(), card.order.name().to_owned()),
        ("start".to_owned(), for_field(start, &frame.time_zone)),
    ];
    let setup_typed = SetupTyped::of(&setup);
    typed.extend(
        SetupTyped::FIELDS.iter().map(|field| ((*field).to_owned(), setup_typed.get(field).unwrap_or_default().to_owned())),
    );
    Ok(typed)
}

/// Now, where now is good; else when the good hours next begin; else now.
fn next_start(frame: &Frame, setup: &Setup, now: Timestamp) -> Timestamp {
    let Some(site) = frame.place.as_ref().map(|place| place.draft.site()) else { return now };
    for ahead in 0..3 {
        let date = now.to_zoned_datetime(frame.time_zone.clone()).date();
        let Ok(date) = date.checked_add(ahead.days()) else { continue };
        let window = window_of(&Day::at(date, &frame.time_zone), &site, setup);
        match window {
            Some((open_s, close_s)) if now.as_second() as f64 <= close_s - 1800.0 => {
                return if now.as_second() as f64 >= open_s { now } else { timestamp(open_s) };
            }
            _ => {}
        }
    }
    now
}

fn typed_as<T>(pairs: &Pairs, mut set: impl FnMut(&str, &str) -> T) {
    for (name, text) in pairs {
        set(name, text);
    }
}

/// Everything that a plan is made of.
pub struct Made {
    pub plan: Plan,
    pub typed: PlanTyped,
    pub setup: Setup,
    pub sheet: RunSheet,
}

/// Reads the form; what is wrong stands in the notes.
fn make(
    question: Question,
    pairs: &Pairs,
    panel: Option<&Panel>,
    rig: Option<&RigRow>,
    gear: &[GearRow],
    frame: &Frame,
    notes: &mut Notes,
) -> Option<Made> {
    let mut setup_typed = SetupTyped::default();
    typed_as(pairs, |name, text| setup_typed.set(name, text));
    let mut plan_typed = PlanTyped::default();
    typed_as(pairs, |name, text| plan_typed.set(name, text));
    plan_typed.question = question.name().to_owned();
    if panel.is_none() {
        notes.add("panel_id", "refused", "Choose the panel to be tested.".to_owned());
    }
    let mut setup = match setup::check(&setup_typed) {
        Ok(setup) => setup,
        Err(wrong) => {
            wrong.into_iter().for_each(|note| notes.add(note.field, "refused", note.text));
            return None;
        }
    };
    // What the rig and the set-up say goes into the sentence where the plan itself does not vary it.
    let factor = question.card().factor;
    let own = |of: Factor, text: String| if factor == of { String::new() } else { text };
    plan_typed.panel =
        own(Factor::Panel, panel.map(|panel| format!("{} {}", panel.draft.tag, panel.draft.name)).unwrap_or_default());
    plan_typed.tilt =
        own(Factor::Tilt, if setup.tilt_deg == 0.0 { "flat".to_owned() } else { format!("{}\u{b0}", setup.tilt_deg) });
    plan_typed.load_words = own(Factor::Load, setup.load.label().to_owned());
    // One panel alone is said already.
    let wiring = rig.map(|rig| rig.draft.wiring.clone()).filter(|wiring| wiring.contains(['+', '|', ' ']));
    plan_typed.wiring = own(Factor::Wiring, wiring.unwrap_or_default());
    if let Some(rig) = rig {
        setup.instruments = instruments_of(rig, gear, setup.instruments);
    }
    let plan = match plan::check(&plan_typed, setup.load) {
        Ok(plan) => plan,
        Err(wrong) => {
            wrong.into_iter().for_each(|note| notes.add(note.field, "refused", note.text));
            return None;
        }
    };
    if let Some(tilt_deg) =
        plan.baseline.get(&Factor::Tilt).and_then(|text| degrees(text)).filter(|tilt| (0.0..=90.0).contains(tilt))
    {
        setup.tilt_deg = tilt_deg;
    }
    let start = value(pairs, "start").trim();
    let parsed: Result<DateTime, _> = start.parse();
    let Ok(start) = parsed.and_then(|local| frame.time_zone.to_timestamp(local)) else {
        notes.add("start", "refused", format!("\"{start}\" is not a date and time."));
        return None;
    };
    match sheet_of(&plan, &setup, start, frame.place.as_ref().map(|place| place.draft.site()).as_ref(), &frame.time_zone) {
        Ok(sheet) => Some(Made { plan, typed: plan_typed, setup, sheet }),
        Err(error) => {
            notes.add("start", "refused", format!("{error}."));
            None
        }
    }
}

/// How well the meters of a rig see: the one in the string or at the array for volts and amps, the one beside the panel for
/// light and warmth.
fn instruments_of(rig: &RigRow, gear: &[GearRow], usual: Instruments) -> Instruments {
    let meter_at = |spots: &[Spot]| {
        let id = rig.draft.meters.iter().find(|(spot, _)| spots.contains(spot)).map(|(_, id)| *id)?;
        gear.iter()
            .find(|row| row.id == id)
            .and_then(|row| if let Gear::Meter(meter) = &row.gear { Some(meter.clone()) } else { None })
    };
    let mut instruments = usual;
    if let Some(meter) = meter_at(&[Spot::String, Spot::Array]) {
        (instruments.volts, instruments.amps, instruments.watts) = (meter.volts, meter.amps, meter.watts);
    }
    if let Some(meter) = meter_at(&[Spot::Plane]) {
        (instruments.sun_percent, instruments.thermometer_k) = (meter.sun_percent, meter.thermometer_k);
    }
    instruments
}

pub async fn page(
    State(state): State<AppState>,
    frame: Frame,
    Path(name): Path<String>,
    Query(query): Query<Pairs>,
) -> Result<PlanPage, AppError> {
    let question = Question::from_name(&name).ok_or(AppError::NoSuchPage)?;
    let is_filled = query.iter().any(|(name, _)| name == "levels");
    let typed = if is_filled { query } else { first_typed(&state, &frame, question, &query).await? };
    let (page, _) = view(&state, frame, question, typed).await?;
    Ok(page)
}

async fn view(state: &AppState, frame: Frame, question: Question, typed: Pairs) -> Result<(PlanPage, Option<Made>), AppError> {
    let (panels, rigs, gear) = (state.store.panels().await?, state.store.rigs().await?, state.store.gear().await?);
    let mut notes = Notes::default();
    let panel = panels.iter().find(|panel| value(&typed, "panel_id") == panel.id.to_string());
    let rig = rigs.iter().find(|rig| value(&typed, "rig_id") == rig.id.to_string());
    let made = make(question, &typed, panel, rig, &gear, &frame, &mut notes);
    let sheet = made.as_ref().map(|made| sheet_view(&made.plan, &made.setup, &made.sheet, &frame.time_zone));
    Ok((PlanPage { frame, card: question.card(), panels, rigs, typed, notes, sheet, defer: DEFER }, made))
}

pub async fn add(
    State(state): State<AppState>,
    frame: Frame,
    Path(name): Path<String>,
    Form(typed): Form<Pairs>,
) -> Result<Response, AppError> {
    let question = Question::from_name(&name).ok_or(AppError::NoSuchPage)?;
    let place_id = frame.place.as_ref().map(|place| place.id);
    let (page, made) = view(&state, frame, question, typed).await?;
    let panel_id = value(&page.typed, "panel_id").parse().ok();
    let (Some(made), Some(panel_id), false) = (made, panel_id, page.notes.has("refused")) else {
        return Ok((StatusCode::UNPROCESSABLE_ENTITY, page).into_response());
    };
    let rig_id = value(&page.typed, "rig_id").parse().ok();
    let draft = TestDraft { question, rig_id, plan: Some(made.typed), ..TestDraft::of_rating(panel_id, place_id, made.setup) };
    let runs: Vec<NewRun> = made
        .sheet
        .runs
        .iter()
        .enumerate()
        .map(|(place, run)| NewRun {
            place: place as i64 + 1,
            level: run.slot.level,
            rig: run.slot.rig,
            is_added: false,
            planned_utc: Some(timestamp(run.start_s)),
        })
        .collect();
    let id = state.store.add_planned_test(&draft, &runs, Timestamp::now()).await?;
    Ok(Redirect::to(&format!("/tests/{id}/sheet")).into_response())
}
