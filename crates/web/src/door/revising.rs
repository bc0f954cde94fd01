//! A reading that is corrected, withdrawn or restored: a new row that names the one it replaces. The same for page and program.

use crate::door::entering::{checked_uid, read_line};
use crate::door::typed::{Pairs, value};
use crate::door::working;
use crate::error::AppError;
use crate::state::AppState;
use flindo_store::{Accepted, Line, NewReading, Revision, StoreError, lines};
use jiff::Timestamp;
use jiff::tz::TimeZone;

/// The reading that a row is of, with all its rows.
pub async fn line_of(state: &AppState, test_id: i64, uid: &str) -> Result<Line, AppError> {
    let mut lines = lines(state.store.readings(test_id).await?).into_iter();
    let is_of = |line: &Line| line.past.iter().chain(&line.current).any(|row| row.what.uid == uid);
    Ok(lines.find(is_of).ok_or(StoreError::NotFound("reading"))?)
}

/// The row that a revision is about. A second arrival of the same revision finds its line changed, and is recognised later by its own
/// identity.
pub fn row_of(line: &Line, uid: &str) -> Result<NewReading, AppError> {
    let row = line.past.iter().chain(&line.current).find(|row| row.what.uid == uid);
    Ok(row.ok_or(StoreError::NotFound("reading"))?.what.clone())
}

/// The line typed anew, and why; `pairs` has `uid` and `typed`.
pub async fn correct(
    state: &AppState,
    (test_id, replaces_uid): (i64, &str),
    pairs: &Pairs,
    reason: String,
    zone: &TimeZone,
) -> Result<Accepted, AppError> {
    let test = state.store.test(test_id).await?;
    let old = row_of(&line_of(state, test_id, replaces_uid).await?, replaces_uid)?;
    let mut new = if test.is_open {
        let uid = checked_uid(value(pairs, "uid"))?;
        NewReading { uid, ..working::typed_anew(state, test_id, &old, value(pairs, "typed")).await? }
    } else {
        NewReading { run_id: old.run_id, ..read_line(&test.setup, pairs, old.taken_utc, zone)? }
    };
    new.revision = Some(Revision { replaces_uid: replaces_uid.to_owned(), reason, withdrawn: false });
    let accepted = state.store.accept(test_id, &new, Timestamp::now()).await?;
    state.hub.tell(test_id);
    Ok(accepted)
}

/// Takes a reading back, or restores it, with the figures it had.
pub async fn withdraw(
    state: &AppState,
    (test_id, replaces_uid): (i64, &str),
    uid: &str,
    (withdrawn, reason): (bool, String),
) -> Result<Accepted, AppError> {
    let old = row_of(&line_of(state, test_id, replaces_uid).await?, replaces_uid)?;
    let revision = Revision { replaces_uid: replaces_uid.to_owned(), reason, withdrawn };
    let new = NewReading { uid: checked_uid(uid)?, revision: Some(revision), ..old };
    let accepted = state.store.accept(test_id, &new, Timestamp::now()).await?;
    state.hub.tell(test_id);
    Ok(accepted)
}
