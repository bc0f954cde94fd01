//! The preflight of a test: what speaks against plugging it together, and the stops that somebody goes on in spite of.

use crate::door::stops;
use crate::door::typed::Pairs;
use crate::error::AppError;
use crate::frame::Frame;
use crate::state::AppState;
use crate::views::preflight::PreflightView;
use crate::words::preflight::ItemWords;
use crate::words::{DEFER, cautions};
use askama::Template;
use askama_web::WebTemplate;
use axum::Form;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};

#[derive(Template, WebTemplate)]
#[template(path = "preflight.html")]
pub struct PreflightPage {
    frame: Frame,
    test_id: i64,
    rig_id: i64,
    rig_name: String,
    looked: PreflightView,
    /// Stops that are not acknowledged yet.
    open: Vec<ItemWords>,
    known: Vec<String>,
    cautions: Vec<&'static str>,
    error: Option<&'static str>,
    defer: &'static str,
}

async fn view(state: &AppState, frame: Frame, id: i64, error: Option<&'static str>) -> Result<PreflightPage, AppError> {
    let test = state.store.test(id).await?;
    let rig_id = test.rig_id.ok_or(AppError::NoSuchPage)?;
    let rig = state.store.rig(rig_id).await?.draft;
    let (panels, gear) = (state.store.panels().await?, state.store.gear().await?);
    let looked = PreflightView::at(&rig, &panels, &gear, &frame);
    let open = stops::open(state, frame.place.as_ref(), &test).await?;
    let known = state.store.acknowledgements(id).await?.into_iter().map(|known| known.risk).collect();
    Ok(PreflightPage {
        test_id: id,
        rig_id,
        rig_name: rig.name,
        looked,
        open,
        known,
        cautions: cautions(test.setup.load),
        error,
        defer: DEFER,
        frame,
    })
}

pub async fn page(State(state): State<AppState>, frame: Frame, Path(id): Path<i64>) -> Result<PreflightPage, AppError> {
    view(&state, frame, id, None).await
}

/// Goes on in spite of every stop that was named; all that are open have to be.
pub async fn acknowledge(
    State(state): State<AppState>,
    frame: Frame,
    Path(id): Path<i64>,
    Form(pairs): Form<Pairs>,
) -> Result<Response, AppError> {
    let test = state.store.test(id).await?;
    let open = stops::open(&state, frame.place.as_ref(), &test).await?;
    let named: Vec<&str> = pairs.iter().filter(|(name, _)| name == "key").map(|(_, key)| key.as_str()).collect();
    if stops::acknowledge(&state, id, open, &named).await?.is_empty() {
        return Ok(Redirect::to(&format!("/tests/{id}")).into_response());
    }
    let page = view(&state, frame, id, Some("Name every stop that you go on in spite of, or change the rig.")).await?;
    Ok((StatusCode::UNPROCESSABLE_ENTITY, page).into_response())
}
