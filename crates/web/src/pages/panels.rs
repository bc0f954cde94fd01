//! All panels of the bench, each with what helps to choose: its last result, age and price per measured watt.

use super::league::panel_records;
use super::panel::ratings_of;
use crate::error::AppError;
use crate::figures::{day, number, stated};
use crate::frame::Frame;
use crate::state::AppState;
use crate::words::review;
use askama::Template;
use askama_web::WebTemplate;
use axum::extract::State;
use flindo_core::review::league::{By, Ranked, league};
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
    kind_id: i64,
    rated: String,
    age: String,
    result: String,
    tested: String,
    price: String,
    doubts_kept: bool,
}

pub async fn page(State(state): State<AppState>, frame: Frame) -> Result<Panels, AppError> {
    let all = state.all_digests().await?;
    let register = state.store.register().await?;
    let by_price = league(&all.summaries(), &panel_records(&register), Ranked::Panels, By::PricePerWatt);
    let row = |panel: &Panel| {
        let newest = ratings_of(&all, &panel.uid).pop();
        let price = by_price.entries.iter().find(|entry| entry.name == panel.tag()).map(|entry| entry.figure.value);
        PanelRow {
            id: panel.id,
            tag: panel.draft.tag.clone(),
            name: panel.name().to_owned(),
            kind_id: panel.kind.id,
            rated: stated(panel.label().rated_w, "W").to_string(),
            age: match (panel.draft.is_used, panel.draft.age_years) {
                (_, Some(years)) => stated(years, "years").to_string(),
                (true, None) => "used".to_owned(),
                (false, None) => "new".to_owned(),
            },
            result: newest.map(|(_, rating)| review::figure(rating.percent, "%")).unwrap_or_else(|| "not tested".to_owned()),
            tested: newest.map(|(at, _)| day(at, &frame.time_zone)).unwrap_or_default(),
            price: price.map(|price| format!("{} {}/W", number(price, 3), frame.bench.currency)).unwrap_or_default(),
            doubts_kept: panel.kind.draft.doubts_kept,
        }
    };
    Ok(Panels { panels: register.panels.iter().map(row).collect(), frame })
}
