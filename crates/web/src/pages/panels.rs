//! All panels of the bench.

use crate::error::AppError;
use crate::figures::stated;
use crate::frame::Frame;
use crate::state::AppState;
use askama::Template;
use askama_web::WebTemplate;
use axum::extract::State;
use flindo_store::Panel;

#[derive(Template, WebTemplate)]
#[template(path = "panels.html")]
pub struct Panels {
    frame: Frame,
    panels: Vec<PanelRow>,
}

struct PanelRow {
    id: i64,
    tag: String,
    name: String,
    state: &'static str,
    technology: &'static str,
    rated: String,
    voc: String,
    isc: String,
    doubts_kept: bool,
}

fn row(panel: &Panel) -> PanelRow {
    let label = panel.label();
    let or_dash = |value: Option<f64>, unit| value.map_or("\u{2013}".to_owned(), |value| stated(value, unit).to_string());
    PanelRow {
        id: panel.id,
        tag: panel.draft.tag.clone(),
        name: panel.name().to_owned(),
        state: if panel.draft.is_used { "used" } else { "new" },
        technology: label.technology.label(),
        rated: stated(label.rated_w, "W").to_string(),
        voc: or_dash(label.voc_v, "V"),
        isc: or_dash(label.isc_a, "A"),
        doubts_kept: panel.kind.draft.doubts_kept,
    }
}

pub async fn page(State(state): State<AppState>, frame: Frame) -> Result<Panels, AppError> {
    let panels = state.store.panels().await?.iter().map(row).collect();
    Ok(Panels { frame, panels })
}
