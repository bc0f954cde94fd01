//! One piece of gear: its figures, and for a controller what the tests show of it: efficiency, tracking or not, self-consumption.

use crate::error::AppError;
use crate::figures::{computed, day, with_u};
use crate::frame::Frame;
use crate::state::AppState;
use crate::views::row::{Row, test_row};
use crate::words::controller::operating;
use crate::words::review;
use askama::Template;
use askama_web::WebTemplate;
use axum::extract::{Path, State};
use flindo_core::gear::{Gear, Input};
use flindo_store::GearRow;

#[derive(Template, WebTemplate)]
#[template(path = "gear_piece.html")]
pub struct GearPiecePage {
    frame: Frame,
    id: i64,
    name: String,
    kind: &'static str,
    figures: Vec<(&'static str, String)>,
    notes: String,
    takes: bool,
    sides: Vec<SidesLine>,
    shares: Vec<(String, String, i64)>,
    tests: Vec<Row>,
}

/// Input and output of one test.
struct SidesLine {
    test_id: i64,
    day: String,
    panels: String,
    input: String,
    output: String,
    efficiency: String,
    word: String,
}

/// Its filled fields as label and figure.
fn figures(row: &GearRow) -> Vec<(&'static str, String)> {
    let fields = row.draft.kind.fields().iter().filter_map(|field| {
        let text = row.draft.typed.get(field.name).filter(|text| !text.trim().is_empty())?;
        Some((
            field.label,
            if let Input::Choice(choices) = field.input {
                choices.iter().find(|(name, _)| name == text).map(|(_, label)| (*label).to_owned())?
            } else {
                format!("{text}\u{a0}{}", field.unit).trim_end().to_owned()
            },
        ))
    });
    fields.collect()
}

pub async fn page(State(state): State<AppState>, frame: Frame, Path(id): Path<i64>) -> Result<GearPiecePage, AppError> {
    let row = state.store.gear_piece(id).await?;
    let all = state.all_digests().await?;
    let name = &row.draft.name;
    let (mut sides, mut shares, mut tests) = (Vec::new(), Vec::new(), Vec::new());
    for digest in &all.digests {
        let levels = digest.summary.levels.iter().filter(|level| level.controller.as_ref() == Some(name));
        let mut is_in = false;
        for level in levels {
            is_in = true;
            if let (Some(found), Some(efficiency)) = (&level.sides, level.efficiency_percent) {
                sides.push(SidesLine {
                    test_id: digest.test.id,
                    day: digest.summary.last_utc.map(|at| day(at, &frame.time_zone)).unwrap_or_default(),
                    panels: level.panels.iter().map(|piece| piece.tag.as_str()).collect::<Vec<_>>().join(", "),
                    input: format!("{}, {}", computed(found.input.v, "V"), computed(found.input.i, "A")),
                    output: format!("{}, {}", computed(found.output.v, "V"), computed(found.output.i, "A")),
                    efficiency: with_u(efficiency.value, efficiency.u, "%").to_string(),
                    word: operating(found),
                });
            }
            if let Some(compared) = &level.compared {
                let baseline = digest.summary.levels.first().map(|level| level.name.clone()).unwrap_or_default();
                shares.push((baseline, review::figure(compared.percent, "%"), digest.test.id));
            }
        }
        if is_in {
            tests.push(test_row(digest, &frame));
        }
    }
    Ok(GearPiecePage {
        id,
        kind: row.draft.kind.label(),
        figures: figures(&row),
        notes: row.draft.notes.clone(),
        takes: matches!(row.gear, Gear::Controller(_) | Gear::Station(_)),
        sides,
        shares,
        tests,
        name: row.draft.name,
        frame,
    })
}
