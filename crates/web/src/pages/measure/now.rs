//! What hangs there, asked once before an open test begins: nothing else is needed before the first reading.

use crate::door::meters;
use crate::door::typed::{Pairs, value};
use crate::door::working;
use crate::error::AppError;
use crate::frame::Frame;
use crate::state::AppState;
use askama::Template;
use askama_web::WebTemplate;
use axum::Form;
use axum::extract::State;
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use flindo_core::record::names::check_tag;
use flindo_core::record::setup::{Setup, SetupTyped};
use flindo_store::{Listed, Panel, RigRow, StoreError, TestDraft};
use jiff::Timestamp;

/// An open test is gone on with so long after it was begun, s: a day's work.
const GOES_ON_S: i64 = 14 * 3600;

/// Panels and rigs that are offered at once.
const OFFERED: usize = 8;

/// What hangs there, asked once: nothing else is needed before the first reading.
#[derive(Template, WebTemplate)]
#[template(path = "now.html")]
pub struct NowPage {
    frame: Frame,
    panels: Vec<(i64, String, String)>,
    rigs: Vec<(i64, String, String)>,
    error: Option<String>,
    /// As it was typed.
    tag: String,
}

/// Goes on with today's open test, or asks what hangs there.
pub async fn now(State(state): State<AppState>, frame: Frame) -> Result<Response, AppError> {
    let recent = state.store.tests(None, 0, 20).await?.into_iter().filter_map(Listed::test);
    let since = Timestamp::now().as_second() - GOES_ON_S;
    let goes_on = recent.filter(|test| test.is_open && test.created_utc.as_second() > since).map(|test| test.id).next();
    match goes_on {
        Some(id) => Ok(Redirect::to(&format!("/tests/{id}")).into_response()),
        None => Ok(now_page(&state, frame, None).await?.into_response()),
    }
}

/// Always begins another one.
pub async fn new(State(state): State<AppState>, frame: Frame) -> Result<NowPage, AppError> {
    now_page(&state, frame, None).await
}

async fn now_page(state: &AppState, frame: Frame, error: Option<String>) -> Result<NowPage, AppError> {
    let last = state.store.newest_test().await?.map(|test| test.panel_id);
    let mut panels: Vec<Panel> = state.store.panels().await?;
    // What the last test was of comes first.
    panels.sort_by_key(|panel| Some(panel.id) != last);
    let panels = panels.iter().take(OFFERED).map(|panel| (panel.id, panel.tag().to_owned(), panel.name().to_owned())).collect();
    let rigs = state.store.rigs().await?;
    let rigs = rigs.into_iter().take(OFFERED).map(|rig| (rig.id, rig.draft.name, rig.draft.wiring)).collect();
    Ok(NowPage { frame, panels, rigs, error, tag: String::new() })
}

/// A panel whose label nobody has read, by its tag where it has one; the inner error says what is wrong with that.
async fn unlabelled_panel(state: &AppState, tag: &str) -> Result<Result<Panel, String>, AppError> {
    if tag.is_empty() {
        return Ok(Ok(state.store.add_unlabelled_panel(None).await?));
    }
    if let Err(sentence) = check_tag(tag) {
        return Ok(Err(sentence));
    }
    match state.store.add_unlabelled_panel(Some(tag)).await {
        Ok(panel) => Ok(Ok(panel)),
        Err(StoreError::Conflict(sentence)) => Ok(Err(sentence)),
        Err(error) => Err(error.into()),
    }
}

async fn refused(state: &AppState, frame: Frame, tag: &str, message: String) -> Result<Response, AppError> {
    let page = NowPage { tag: tag.to_owned(), ..now_page(state, frame, Some(message)).await? };
    Ok((StatusCode::UNPROCESSABLE_ENTITY, page).into_response())
}

/// Begins an open test of a panel, of one whose label nobody has read, or of a rig.
pub async fn begin(State(state): State<AppState>, frame: Frame, Form(pairs): Form<Pairs>) -> Result<Response, AppError> {
    let register = state.store.register().await?;
    let rig: Option<&RigRow> = value(&pairs, "rig").parse().ok().and_then(|id| register.rig(id));
    let of_rig = rig.and_then(|rig| {
        let strings = flindo_store::pieces(&rig.draft.wiring, &register.panels).ok()?;
        strings.first()?.first().copied()
    });
    let tag = value(&pairs, "tag").trim();
    let by_tag = register.listed().find(|panel| !tag.is_empty() && panel.tag().eq_ignore_ascii_case(tag));
    let named = of_rig.or_else(|| value(&pairs, "panel").parse().ok().and_then(|id| register.panel(id))).or(by_tag);
    let unlabelled;
    let panel = match named {
        Some(panel) => panel,
        None if value(&pairs, "label") == "unread" => match unlabelled_panel(&state, tag).await? {
            Ok(panel) => {
                unlabelled = panel;
                &unlabelled
            }
            Err(sentence) => return refused(&state, frame, tag, sentence).await,
        },
        None if tag.is_empty() => {
            return refused(&state, frame, tag, "Choose the panel or rig that hangs there.".to_owned()).await;
        }
        None => return refused(&state, frame, tag, format!("There is no panel \u{201c}{tag}\u{201d} on this bench.")).await,
    };
    let place_id = frame.place.as_ref().map(|place| place.id);
    let meters = rig.map(|rig| meters::of_rig(rig, &register.gear)).unwrap_or_default();
    let mut setup = Setup::default();
    setup.instruments = meters::instruments(&meters, &register.gear, setup.instruments);
    let rig_id = rig.map(|rig| rig.id);
    let draft = TestDraft { is_open: true, rig_id, meters, ..TestDraft::of_rating(panel.id, place_id, setup) };
    let id = working::begin(&state, &draft, &SetupTyped::default(), (panel, rig)).await?;
    Ok(Redirect::to(&format!("/tests/{id}")).into_response())
}
