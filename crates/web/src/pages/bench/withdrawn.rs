//! What was entered by mistake: withdrawn with a reason, listed, restored.

use crate::door::typed::{Pairs, value};
use crate::error::AppError;
use crate::figures::{clock_short, day};
use crate::frame::Frame;
use crate::state::AppState;
use askama::Template;
use askama_web::WebTemplate;
use axum::Form;
use axum::extract::{Path, State};
use axum::response::Redirect;
use flindo_store::{StoreError, Withdrawable, Withdrawn};
use jiff::Timestamp;

#[derive(Template, WebTemplate)]
#[template(path = "withdrawn.html")]
pub struct WithdrawnPage {
    frame: Frame,
    rows: Vec<Row>,
}

struct Row {
    what: &'static str,
    word: &'static str,
    id: i64,
    name: String,
    link: String,
    when: String,
    reason: String,
}

#[derive(Template, WebTemplate)]
#[template(path = "withdraw.html")]
pub struct WithdrawPage {
    frame: Frame,
    what: &'static str,
    word: &'static str,
    id: i64,
    name: String,
    /// "3 tests and 1 log refer to it".
    uses: String,
    is_withdrawn: bool,
}

/// Where a record is shown.
fn link(what: Withdrawable, id: i64) -> String {
    match what {
        Withdrawable::Test => format!("/tests/{id}/result"),
        Withdrawable::Panel => format!("/panels/{id}"),
        Withdrawable::Kind => format!("/kinds/{id}"),
        Withdrawable::Gear => format!("/gear/{id}"),
        Withdrawable::Rig => format!("/rigs/{id}"),
        Withdrawable::Place => format!("/places/{id}/edit"),
        Withdrawable::Log => format!("/logs/{id}"),
        Withdrawable::Review => format!("/reviews/{id}"),
    }
}

fn named(what: &str) -> Result<Withdrawable, AppError> {
    Withdrawable::from_name(what).ok_or(AppError::NoSuchPage)
}

pub async fn list(State(state): State<AppState>, frame: Frame) -> Result<WithdrawnPage, AppError> {
    let row = |one: Withdrawn| Row {
        what: one.what.name(),
        word: one.what.label(),
        id: one.id,
        link: link(one.what, one.id),
        when: format!("{}, {}", day(one.at_utc, &frame.time_zone), clock_short(one.at_utc, &frame.time_zone)),
        name: one.name,
        reason: one.reason,
    };
    let rows = state.store.withdrawn().await?.into_iter().map(row).collect();
    Ok(WithdrawnPage { rows, frame })
}

/// Asks for the reason, and says what refers to the record.
pub async fn ask(
    State(state): State<AppState>,
    frame: Frame,
    Path((what, id)): Path<(String, i64)>,
) -> Result<WithdrawPage, AppError> {
    let what = named(&what)?;
    let name = state.store.name_of(what, id).await?.ok_or(StoreError::NotFound(what.label()))?;
    let uses = uses(&state.store.uses(what, id).await?);
    let is_withdrawn = state.store.withdrawn().await?.iter().any(|one| (one.what, one.id) == (what, id));
    Ok(WithdrawPage { frame, what: what.name(), word: what.label(), id, name, uses, is_withdrawn })
}

pub async fn withdraw(
    State(state): State<AppState>,
    Path((what, id)): Path<(String, i64)>,
    Form(typed): Form<Pairs>,
) -> Result<Redirect, AppError> {
    state.store.withdraw((named(&what)?, id), true, value(&typed, "reason"), Timestamp::now()).await?;
    Ok(Redirect::to("/withdrawn"))
}

pub async fn restore(State(state): State<AppState>, Path((what, id)): Path<(String, i64)>) -> Result<Redirect, AppError> {
    let what = named(&what)?;
    state.store.withdraw((what, id), false, "", Timestamp::now()).await?;
    Ok(Redirect::to(&link(what, id)))
}

/// What refers to a record, in words; empty where nothing does.
fn uses(uses: &[(i64, &'static str)]) -> String {
    let counted: Vec<String> =
        uses.iter().map(|(count, what)| format!("{count} {what}{}", if *count == 1 { "" } else { "s" })).collect();
    match counted.is_empty() {
        true => String::new(),
        false if uses.len() == 1 && uses[0].0 == 1 => format!("{} refers to it and stays as it is.", counted[0]),
        false => format!("{} refer to it and stay as they are.", counted.join(" and ")),
    }
}
