//! All panels of the bench, each with what helps to choose: its last result, age and price per measured watt.

use crate::error::AppError;
use crate::figures::{day, number, stated};
use crate::frame::Frame;
use crate::kept::digests::All;
use crate::state::AppState;
use crate::views::panel::rating_of;
use crate::words::review;
use askama::Template;
use askama_web::WebTemplate;
use axum::extract::State;
use flindo_core::review::league::{By, Ranked, rated};
use flindo_core::review::summary::RatingFigure;
use flindo_store::Panel;
use jiff::Timestamp;
use std::collections::HashMap;

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

/// The newest rating of each panel by its uid: when, and percent of rating.
fn newest_ratings(all: &All) -> HashMap<&str, (Timestamp, &RatingFigure)> {
    let mut newest: HashMap<&str, (Timestamp, &RatingFigure)> = HashMap::new();
    for digest in &all.digests {
        for (panel, _) in rated(&digest.summary) {
            let Some(rating) = rating_of(digest, panel) else { continue };
            newest.entry(panel).and_modify(|known| *known = if rating.0 >= known.0 { rating } else { *known }).or_insert(rating);
        }
    }
    newest
}

pub async fn page(State(state): State<AppState>, frame: Frame) -> Result<Panels, AppError> {
    let all = state.all_digests().await?;
    let register = state.store.register().await?;
    let by_price = state.kept.leagues.of(&all, &register, Ranked::Panels, By::PricePerWatt);
    let prices: HashMap<&str, f64> = by_price.entries.iter().map(|entry| (entry.name.as_str(), entry.figure.value)).collect();
    let newest = newest_ratings(&all);
    let row = |panel: &Panel| {
        let newest = newest.get(panel.uid.as_str()).copied();
        let price = prices.get(panel.tag()).copied();
        PanelRow {
            id: panel.id,
            tag: panel.draft.tag.clone(),
            name: panel.name().to_owned(),
            kind_id: panel.kind.id,
            rated: panel.label().rated_w.map(|rated_w| stated(rated_w, "W").to_string()).unwrap_or_default(),
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
    Ok(Panels { panels: register.listed().map(row).collect(), frame })
}
