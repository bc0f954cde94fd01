//! The run sheet of a planned test: one page for the field, with room to write.

use super::plan::{SheetView, sheet_of, sheet_view};
use crate::draw;
use crate::error::AppError;
use crate::figures::day;
use crate::frame::Frame;
use crate::rigs::rig_of;
use crate::state::AppState;
use crate::words::DEFER;
use askama::Template;
use askama_web::WebTemplate;
use axum::extract::{Path, State};
use flindo_core::protocol::plan;
use flindo_core::protocol::question::Question;

#[derive(Template, WebTemplate)]
#[template(path = "sheet.html")]
pub struct SheetPage {
    frame: Frame,
    test_id: i64,
    question: Question,
    day: String,
    panel: String,
    rig: Option<(i64, String)>,
    rig_svg: Option<String>,
    prediction: String,
    sheet: SheetView,
    defer: &'static str,
}

pub async fn page(State(state): State<AppState>, frame: Frame, Path(id): Path<i64>) -> Result<SheetPage, AppError> {
    let test = state.store.test(id).await?;
    let typed = test.plan.as_ref().ok_or(AppError::NoSuchPage)?;
    let plan = plan::check(typed, test.setup.load).map_err(|_| AppError::NoSuchPage)?;
    let panel = state.store.panel(test.panel_id).await?;
    let runs = state.store.runs(id).await?;
    let start = runs.first().and_then(|run| run.planned_utc).unwrap_or(test.created_utc);
    let site = super::judged::site_of(&state.store, &test).await?;
    let sheet = sheet_of(&plan, &test.setup, start, site.as_ref(), &frame.time_zone)
        .map_err(|error| AppError::input("start", "", format!("{error}.")))?;
    let (mut rig, mut rig_svg) = (None, None);
    if let Some(rig_id) = test.rig_id {
        let row = state.store.rig(rig_id).await?;
        let (panels, gear) = (state.store.panels().await?, state.store.gear().await?);
        rig_svg = rig_of(&row.draft, &panels, &gear, frame.place.as_ref()).ok().map(|rig| draw::rig::draw(&rig));
        rig = Some((rig_id, row.draft.name));
    }
    Ok(SheetPage {
        test_id: id,
        question: test.question,
        day: day(start, &frame.time_zone),
        panel: format!("{} {}", panel.draft.tag, panel.draft.name),
        rig,
        rig_svg,
        prediction: plan.prediction.clone(),
        sheet: sheet_view(&plan, &test.setup, &sheet, &frame.time_zone),
        defer: DEFER,
        frame,
    })
}
