//! One panel: its label and its tests, year by year.

use super::home::{TestView, test_views};
use super::paging::Paging;
use super::typed::Pairs;
use crate::error::AppError;
use crate::figures::{computed, number, stated};
use crate::frame::Frame;
use crate::state::AppState;
use askama::Template;
use askama_web::WebTemplate;
use axum::extract::{Path, Query, State};
use flindo_core::panel::label::LabelTyped;
use flindo_store::{Bench, Panel};

#[derive(Template, WebTemplate)]
#[template(path = "panel.html")]
pub struct PanelPage {
    frame: Frame,
    panel: Panel,
    /// (what, figure)
    label: Vec<(&'static str, String)>,
    facts: Vec<(&'static str, String)>,
    tests: Vec<TestView>,
    part: Paging,
}

/// The label as a table; what it does not state is left out.
pub fn label_rows(panel: &Panel) -> Vec<(&'static str, String)> {
    let label = panel.label();
    let typed = LabelTyped::of(label);
    let figure = |value: Option<f64>, unit| value.map(|value| stated(value, unit).to_string()).unwrap_or_default();
    let rows = [
        ("rated power", stated(label.rated_w, "W").to_string()),
        ("tolerance", typed.tolerance),
        ("Voc", figure(label.voc_v, "V")),
        ("Isc", figure(label.isc_a, "A")),
        ("Vmp", figure(label.vmp_v, "V")),
        ("Imp", figure(label.imp_a, "A")),
        ("alpha (Isc)", typed.alpha_isc),
        ("beta (Voc)", typed.beta_voc),
        ("gamma (Pmax)", typed.gamma_pmax),
        ("cells in series", typed.cells_in_series),
        ("technology", label.technology.label().to_owned()),
        ("NOCT", figure(label.noct_c, "\u{b0}C")),
        ("face", label.face_size().map(|face| format!("{} \u{d7} {} m", face.length_m, face.width_m)).unwrap_or_default()),
        ("bifaciality", figure(label.bifaciality, "")),
        ("cell layout", label.construction.map(|one| one.label().to_owned()).unwrap_or_default()),
    ];
    rows.into_iter().filter(|(_, figure)| !figure.is_empty()).collect()
}

fn facts(panel: &Panel, bench: &Bench) -> Vec<(&'static str, String)> {
    let draft = &panel.draft;
    let mut facts = vec![("bought", if draft.is_used { "used" } else { "new" }.to_owned())];
    if let Some(age_years) = draft.age_years {
        facts.push(("age", stated(age_years, "years").to_string()));
    }
    if !draft.provenance.is_empty() {
        facts.push(("source", draft.provenance.clone()));
    }
    if !draft.wear.is_empty() {
        facts.push(("inspection", draft.wear.iter().map(|wear| wear.label()).collect::<Vec<_>>().join(", ")));
    }
    if let Some(price) = panel.price() {
        facts.push(("price", format!("{} {}", number(price, 2), bench.currency)));
        facts.push(("price per rated watt", format!("{} {}/W", number(price / panel.label().rated_w, 3), bench.currency)));
    }
    if let Some(factor) = panel.label().fill_factor() {
        facts.push(("fill factor of the label", computed(factor, "").value));
    }
    facts
}

pub async fn page(
    State(state): State<AppState>,
    frame: Frame,
    Path(id): Path<i64>,
    Query(query): Query<Pairs>,
) -> Result<PanelPage, AppError> {
    let panel = state.store.panel(id).await?;
    let (tests, part) = test_views(&state, &frame, Some(id), &query).await?;
    let (label, facts) = (label_rows(&panel), facts(&panel, &frame.bench));
    Ok(PanelPage { frame, panel, label, facts, tests, part })
}
