//! One reading as rows: how it is checked, added, and read again.

use crate::Accepted;
use crate::NewReading;
use crate::Reading;
use crate::Revision;
use crate::checksum;
use crate::error::StoreError;
use flindo_core::measure::quantity::{Figures, Quantity, Seen, ValueKind};
use flindo_core::record::bounds::{self, Refused};
use flindo_core::sky::note::SkyNote;
use jiff::Timestamp;
use sqlx::sqlite::SqliteRow;
use sqlx::{Row, SqliteConnection};

pub(crate) const COLUMNS: &str = "r.id, r.uid, r.test_id, p.uid AS replaces_uid, r.withdrawn, r.reason, r.taken_utc, r.accepted_utc, r.typed, r.note, r.sky, \
                       r.run_id, r.crc32";

/// The figures of a reading in one text, since a row for each of them takes most of the time of a long test: "voltage_v 18.4 18.4 0.01
/// shown;...". Seventeen digits give every number back as it was (IEEE 754-2019, 5.12.2).
pub(crate) const FIGURES: &str = "SELECT group_concat(f.quantity || ' ' || printf('%!.17g %!.17g %!.17g ', f.low, f.high, f.step) || f.how, ';') \
                       FROM reading_figures f WHERE f.reading_id = r.id";

/// Adds a row and its figures, unless it is there already; for a file that is brought in, with the number of its import.
pub(crate) async fn insert_reading(
    connection: &mut SqliteConnection,
    test_id: i64,
    new: &NewReading,
    accepted_utc: Timestamp,
    import_id: Option<i64>,
) -> Result<Accepted, StoreError> {
    check(new)?;
    if let Some(there) = reading_of_uid(connection, &new.uid).await? {
        let (there_id, there) = there;
        // What a file brings that may still be taken out again is no proof that the reading is kept.
        if import_id.is_none() && is_of_open_import(connection, &new.uid).await? {
            return Err(StoreError::Busy);
        }
        if there_id != test_id {
            return Err(StoreError::Conflict("This reading already belongs to another test.".into()));
        }
        return if is_same(&there, new) {
            Ok(Accepted::Already)
        } else {
            let message = format!("Another reading already has the identity \"{}\": give this one its own.", new.uid);
            Err(StoreError::Conflict(message))
        };
    }
    if let Some(run_id) = new.run_id {
        let of: Option<i64> =
            sqlx::query_scalar("SELECT test_id FROM runs WHERE id = ?").bind(run_id).fetch_optional(&mut *connection).await?;
        if of != Some(test_id) {
            let sentence = "This run is not one of this test: choose one that is.".to_owned();
            return Err(Refused { field: "run", sentence }.into());
        }
    }
    let mut replaces_id = None;
    if let Some(revision) = &new.revision {
        let found: Option<i64> = sqlx::query_scalar("SELECT id FROM readings WHERE uid = ? AND test_id = ?")
            .bind(&revision.replaces_uid)
            .bind(test_id)
            .fetch_optional(&mut *connection)
            .await?;
        replaces_id = Some(found.ok_or(StoreError::NotFound("reading"))?);
    }
    let inserted = sqlx::query(
        "INSERT INTO readings (uid, test_id, replaces_id, withdrawn, reason, taken_utc, accepted_utc, typed, note, sky, run_id, import_id, crc32) \
         VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
    )
    .bind(&new.uid)
    .bind(test_id)
    .bind(replaces_id)
    .bind(new.revision.as_ref().is_some_and(|revision| revision.withdrawn))
    .bind(new.revision.as_ref().map(|revision| &revision.reason))
    .bind(new.taken_utc.to_string())
    .bind(accepted_utc.to_string())
    .bind(&new.typed)
    .bind(&new.note)
    .bind(new.sky.map(SkyNote::name))
    .bind(new.run_id)
    .bind(import_id)
    .bind(checksum::of_reading(test_id, accepted_utc, new))
    .execute(&mut *connection)
    .await;
    let reading_id = match inserted {
        Ok(done) => done.last_insert_rowid(),
        Err(error) if StoreError::is_unique(&error) => {
            return Err(StoreError::Conflict(
                "This reading was changed elsewhere in the meantime. Look at it again, then correct it.".into(),
            ));
        }
        Err(error) if error.as_database_error().is_some_and(|error| error.is_foreign_key_violation()) => {
            return Err(StoreError::NotFound("test"));
        }
        Err(error) => return Err(error.into()),
    };
    let mut figures = new.figures.iter().peekable();
    if figures.peek().is_some() {
        let mut insert = sqlx::QueryBuilder::new("INSERT INTO reading_figures (reading_id, quantity, low, high, step, how) ");
        insert.push_values(figures, |mut row, (quantity, seen)| {
            row.push_bind(reading_id).push_bind(quantity.name());
            row.push_bind(seen.low).push_bind(seen.high).push_bind(seen.step).push_bind(seen.how.name());
        });
        insert.build().execute(&mut *connection).await?;
    }
    Ok(Accepted::New)
}

/// Whether a reading can be part of a record, at whatever door it came in.
pub(crate) fn check(new: &NewReading) -> Result<(), Refused> {
    bounds::check_time("taken_utc", new.taken_utc.as_second())?;
    bounds::check_note("typed", &new.typed)?;
    bounds::check_note("note", &new.note)?;
    bounds::check_note("reason", new.revision.as_ref().map_or("", |revision| &revision.reason))?;
    new.figures.iter().try_for_each(|(quantity, seen)| bounds::check_seen(quantity, seen))
}

/// A key pressed twice sends a reading twice, a moment apart, s.
const PRESSED_AGAIN_S: i64 = 600;

/// Whether a reading that arrives again says the same.
fn is_same(there: &NewReading, new: &NewReading) -> bool {
    let apart_s = (there.taken_utc.as_second() - new.taken_utc.as_second()).abs();
    let same_time = apart_s == 0 || !new.typed.is_empty() && apart_s < PRESSED_AGAIN_S;
    // A withdrawal repeats the figures it had.
    same_time
        && there.figures == new.figures
        && there.typed == new.typed
        && there.sky == new.sky
        && there.revision == new.revision
}

/// Rows that a file is still bringing in are there and not shown.
pub(crate) const IS_SHOWN: &str = "(r.import_id IS NULL OR r.import_id NOT IN (SELECT id FROM open_imports))";

async fn is_of_open_import(connection: &mut SqliteConnection, uid: &str) -> Result<bool, StoreError> {
    let sql = "SELECT EXISTS (SELECT 1 FROM readings r JOIN open_imports i ON i.id = r.import_id WHERE r.uid = ?)";
    Ok(sqlx::query_scalar(sql).bind(uid).fetch_one(connection).await?)
}

async fn reading_of_uid(connection: &mut SqliteConnection, uid: &str) -> Result<Option<(i64, NewReading)>, StoreError> {
    let sql = format!(
        "SELECT {COLUMNS}, ({FIGURES}) AS figures FROM readings r LEFT JOIN readings p ON p.id = r.replaces_id WHERE r.uid = ?"
    );
    let Some(row) = sqlx::query(sqlx::AssertSqlSafe(sql)).bind(uid).fetch_optional(&mut *connection).await? else {
        return Ok(None);
    };
    Ok(Some((row.try_get("test_id")?, reading_from(&row, figures_from(&row)?)?.what)))
}

/// Reads [`FIGURES`].
pub(crate) fn figures_from(row: &SqliteRow) -> Result<Figures, StoreError> {
    let text: Option<String> = row.try_get("figures")?;
    let figure = |part: &str| -> Option<(Quantity, Seen)> {
        let mut words = part.split(' ');
        let quantity = Quantity::from_name(words.next()?)?;
        let mut number = || words.next()?.parse().ok();
        let (low, high, step) = (number()?, number()?, number()?);
        Some((quantity, Seen { low, high, step, how: ValueKind::from_name(words.next()?)? }))
    };
    let parts = text.as_deref().unwrap_or_default().split(';').filter(|part| !part.is_empty());
    parts.map(|part| figure(part).ok_or_else(|| StoreError::Corrupt(format!("the figure \"{part}\" of a reading")))).collect()
}

pub(crate) fn reading_from(row: &SqliteRow, figures: Figures) -> Result<Reading, StoreError> {
    let time = |column: &str| -> Result<Timestamp, StoreError> {
        let text: String = row.try_get(column)?;
        text.parse().map_err(|_| StoreError::Corrupt(format!("the time \"{text}\" of a reading")))
    };
    let replaces_uid: Option<String> = row.try_get("replaces_uid")?;
    let reason: Option<String> = row.try_get("reason")?;
    let withdrawn: bool = row.try_get("withdrawn")?;
    let sky: Option<String> = row.try_get("sky")?;
    let sky = match sky {
        Some(name) => {
            Some(SkyNote::from_name(&name).ok_or_else(|| StoreError::Corrupt(format!("the sky \"{name}\" of a reading")))?)
        }
        None => None,
    };
    let reading = Reading {
        id: row.try_get("id")?,
        accepted_utc: time("accepted_utc")?,
        what: NewReading {
            uid: row.try_get("uid")?,
            taken_utc: time("taken_utc")?,
            typed: row.try_get("typed")?,
            note: row.try_get("note")?,
            sky,
            run_id: row.try_get("run_id")?,
            figures,
            revision: replaces_uid.map(|replaces_uid| Revision { replaces_uid, reason: reason.unwrap_or_default(), withdrawn }),
        },
    };
    let test_id: i64 = row.try_get("test_id")?;
    let read = || checksum::of_reading(test_id, reading.accepted_utc, &reading.what);
    checksum::check(row.try_get("crc32")?, read, || format!("the reading {} of test {test_id}", reading.what.uid))?;
    Ok(reading)
}
