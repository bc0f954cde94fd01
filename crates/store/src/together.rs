//! Many readings by two statements. Each statement is passed to the thread of the connection and its answer back, which takes as long as
//! some ten rows.

use crate::checksum;
use crate::error::StoreError;
use crate::queue::MOST_TOGETHER;
use crate::reading_rows::{check, insert_reading};
use crate::rows::reading::{Accepted, NewReading};
use flindo_core::measure::quantity::Quantity;
use flindo_core::sky::note::SkyNote;
use jiff::Timestamp;
use sqlx::{Connection, QueryBuilder, Sqlite, SqliteConnection};
use std::collections::HashMap;

/// Of a statement (SQLite, Limits: SQLITE_MAX_VARIABLE_NUMBER).
const MOST_FIELDS: usize = 32_766;

/// Of a figure.
const FIELDS: usize = 6;

// A reading has a figure of each quantity at most.
const _: () = assert!(MOST_TOGETHER * Quantity::ALL.len() * FIELDS <= MOST_FIELDS);

/// A reading with the test it is for.
#[derive(Debug, Clone, Copy)]
pub(crate) struct ForTest<'a> {
    pub test_id: i64,
    pub new: &'a NewReading,
    pub accepted_utc: Timestamp,
}

impl ForTest<'_> {
    /// It leans on no other row than its test.
    fn is_plain(&self) -> bool {
        self.new.revision.is_none() && self.new.run_id.is_none() && check(self.new).is_ok()
    }
}

/// Adds readings, [`MOST_TOGETHER`] at most; one answer for each. Where all are plain and new they go in by two statements; otherwise, and
/// where the file refuses those, each by itself, so that it has its own answer.
///
/// # Errors
/// A fault of the file, which is one of all.
pub(crate) async fn insert_readings(
    connection: &mut SqliteConnection,
    readings: &[ForTest<'_>],
) -> Result<Vec<Result<Accepted, StoreError>>, StoreError> {
    if readings.len() > 1 && readings.iter().all(ForTest::is_plain) {
        let mut part = connection.begin().await?;
        match insert_plain(&mut part, readings).await {
            Ok(()) => {
                part.commit().await?;
                return Ok(readings.iter().map(|_| Ok(Accepted::New)).collect());
            }
            // One is known already, or its test is not there: which one it is, each by itself tells.
            Err(error) if is_of_a_row(&error) => part.rollback().await?,
            Err(error) => return Err(error.into()),
        }
    }
    let mut answers = Vec::with_capacity(readings.len());
    for ForTest { test_id, new, accepted_utc } in readings {
        answers.push(match insert_reading(connection, *test_id, new, *accepted_utc, None).await {
            Err(error) if error.is_of_the_file() => return Err(error),
            answer => answer,
        });
    }
    Ok(answers)
}

/// Whether the file is sound and a row was refused: its identity is taken, its test is not there, or a figure is against a rule of the
/// table.
fn is_of_a_row(error: &sqlx::Error) -> bool {
    error
        .as_database_error()
        .is_some_and(|error| error.is_unique_violation() || error.is_foreign_key_violation() || error.is_check_violation())
}

async fn insert_plain(connection: &mut SqliteConnection, readings: &[ForTest<'_>]) -> Result<(), sqlx::Error> {
    // Each number of readings is another statement: none is worth keeping.
    let mut rows = rows_of(readings);
    let inserted: Vec<(String, i64)> = rows.build_query_as().persistent(false).fetch_all(&mut *connection).await?;
    if let Some(mut figures) = figures_of(readings, &inserted.into_iter().collect()) {
        figures.build().persistent(false).execute(connection).await?;
    }
    Ok(())
}

/// Adds the rows of readings and answers uid and id of each.
fn rows_of(readings: &[ForTest<'_>]) -> QueryBuilder<Sqlite> {
    let mut rows =
        QueryBuilder::new("INSERT INTO readings (uid, test_id, withdrawn, taken_utc, accepted_utc, typed, note, sky, crc32) ");
    rows.push_values(readings, |mut row, ForTest { test_id, new, accepted_utc }| {
        row.push_bind(new.uid.clone()).push_bind(*test_id).push_bind(false);
        row.push_bind(new.taken_utc.to_string()).push_bind(accepted_utc.to_string());
        row.push_bind(new.typed.clone()).push_bind(new.note.clone()).push_bind(new.sky.map(SkyNote::name));
        row.push_bind(checksum::of_reading(*test_id, *accepted_utc, new));
    });
    rows.push(" RETURNING uid, id");
    rows
}

/// Adds the figures of readings with these ids; `None` where there are none.
fn figures_of(readings: &[ForTest<'_>], ids: &HashMap<String, i64>) -> Option<QueryBuilder<Sqlite>> {
    let added = readings.iter().filter_map(|reading| Some((ids.get(&reading.new.uid)?, reading.new)));
    let mut figures =
        added.flat_map(|(id, new)| new.figures.iter().map(move |(quantity, seen)| (*id, quantity, *seen))).peekable();
    figures.peek()?;
    let mut rows = QueryBuilder::new("INSERT INTO reading_figures (reading_id, quantity, low, high, step, how) ");
    rows.push_values(figures, |mut row, (id, quantity, seen)| {
        row.push_bind(id).push_bind(quantity.name());
        row.push_bind(seen.low).push_bind(seen.high).push_bind(seen.step).push_bind(seen.how.name());
    });
    Some(rows)
}
