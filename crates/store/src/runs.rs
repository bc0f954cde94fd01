//! The runs of a planned test, what happened to them, and the stops that somebody went on in spite of.

use crate::checksum::{self, Checksum};
use crate::connections::Store;
use crate::error::StoreError;
use crate::rows::test::TestDraft;
use crate::tests::insert_test;
use flindo_core::record::bounds;
use flindo_core::record::condition::Conditions;
use flindo_core::record::run::{Run, RunEvent, RunEventKind};
use jiff::Timestamp;
use sqlx::sqlite::SqliteRow;
use sqlx::{Row, SqliteConnection};

/// A run to be written.
#[derive(Debug, Clone, PartialEq)]
pub struct NewRun {
    /// From 1.
    pub place: i64,
    /// 0 is the baseline.
    pub level: usize,
    pub rig: u8,
    /// A baseline repeated, not on the sheet.
    pub is_added: bool,
    pub planned_utc: Option<Timestamp>,
    /// Of an open test: what was the case in it.
    pub state: Option<Conditions>,
}

impl NewRun {
    fn checksum(&self, uid: &str, test_id: i64, state: Option<&str>) -> i64 {
        let planned = self.planned_utc.map(|time| time.to_string());
        let mut sum = Checksum::default();
        sum.text(uid).whole(test_id).whole(self.place).whole(self.level as i64).whole(i64::from(self.rig));
        sum.whole(i64::from(self.is_added)).optional(planned.as_deref()).optional(state).end()
    }
}

/// Something that happened, to be written. The same one arriving again adds nothing.
#[derive(Debug, Clone, PartialEq)]
pub struct NewEvent {
    pub uid: String,
    pub what: RunEventKind,
    pub text: String,
    pub at_utc: Timestamp,
}

/// A stop that somebody went on in spite of.
#[derive(Debug, Clone, PartialEq)]
pub struct Acknowledgement {
    pub key: String,
    pub risk: String,
    pub why: String,
    pub at_utc: Timestamp,
}

impl Store {
    /// Adds a planned test with its runs; answers its id.
    pub async fn add_planned_test(&self, draft: &TestDraft, runs: &[NewRun], created_utc: Timestamp) -> Result<i64, StoreError> {
        let mut transaction = self.writer()?.begin_with("BEGIN IMMEDIATE").await?;
        let test_id = insert_test(&mut transaction, &crate::new_uid(), draft, created_utc).await?;
        for run in runs {
            insert_run(&mut transaction, test_id, run).await?;
        }
        transaction.commit().await?;
        Ok(test_id)
    }

    /// The runs of a test in the order of the sheet.
    pub async fn runs(&self, test_id: i64) -> Result<Vec<Run>, StoreError> {
        let mut snapshot = self.reader.begin().await?;
        let sql = "SELECT id, uid, test_id, place, level, rig, is_added, planned_utc, state, crc32 FROM runs WHERE test_id = ? \
            ORDER BY place";
        let rows = sqlx::query(sql).bind(test_id).fetch_all(&mut *snapshot).await?;
        let mut runs: Vec<Run> = rows.iter().map(run_from).collect::<Result<_, _>>()?;
        let sql = "SELECT e.uid, e.run_id, e.what, e.text, e.at_utc FROM run_events e JOIN runs r ON r.id = e.run_id \
                   WHERE r.test_id = ? ORDER BY e.id";
        for row in sqlx::query(sql).bind(test_id).fetch_all(&mut *snapshot).await? {
            let event = event_from(&row)?;
            if let Some(run) = runs.iter_mut().find(|run| run.id == event.run_id) {
                run.events.push(event);
            }
        }
        for run in &mut runs {
            // By its moment: benches that were merged have their rows in any order.
            let corrected = run.events.iter().filter(|event| event.what == RunEventKind::Corrected);
            if let Some(newest) = corrected.max_by_key(|event| event.at_utc) {
                let corrupt = |_| StoreError::Corrupt(format!("the corrected state of run {}", run.uid));
                run.state = Some(serde_json::from_str(&newest.text).map_err(corrupt)?);
            }
        }
        Ok(runs)
    }

    /// Puts right what a run of an open test was of. The same identity again adds nothing.
    ///
    /// # Errors
    /// For a run of a plan, whose level says what it is of.
    pub async fn correct_state(
        &self,
        test_id: i64,
        run_id: i64,
        (uid, at_utc): (&str, Timestamp),
        state: &Conditions,
    ) -> Result<(), StoreError> {
        let is_open: Option<bool> = sqlx::query_scalar("SELECT state IS NOT NULL FROM runs WHERE id = ? AND test_id = ?")
            .bind(run_id)
            .bind(test_id)
            .fetch_optional(&self.reader)
            .await?;
        match is_open {
            None => return Err(StoreError::NotFound("run")),
            Some(false) => {
                let message = "A run of a plan is of its level: correct the reading, or repeat the level.";
                return Err(StoreError::Conflict(message.to_owned()));
            }
            Some(true) => {}
        }
        let text = serde_json::to_string(state).map_err(|error| StoreError::Corrupt(format!("the state of a run: {error}")))?;
        let event = NewEvent { uid: uid.to_owned(), what: RunEventKind::Corrected, text, at_utc };
        bounds::check_time("at_utc", at_utc.as_second())?;
        self.insert_event(test_id, run_id, &event).await
    }

    /// Writes down what happened to a run of a test.
    pub async fn add_event(&self, test_id: i64, run_id: i64, event: &NewEvent) -> Result<(), StoreError> {
        bounds::check_note("text", &event.text)?;
        bounds::check_time("at_utc", event.at_utc.as_second())?;
        if event.what == RunEventKind::Corrected {
            return Err(StoreError::Conflict("A corrected state is sent as a state, not as an event.".to_owned()));
        }
        self.insert_event(test_id, run_id, event).await
    }

    async fn insert_event(&self, test_id: i64, run_id: i64, event: &NewEvent) -> Result<(), StoreError> {
        let sql = "INSERT OR IGNORE INTO run_events (uid, run_id, at_utc, what, text) \
                   SELECT ?, id, ?, ?, ? FROM runs WHERE id = ? AND test_id = ?";
        let done = sqlx::query(sql)
            .bind(&event.uid)
            .bind(event.at_utc.to_string())
            .bind(event.what.name())
            .bind(&event.text)
            .bind(run_id)
            .bind(test_id)
            .execute(self.writer()?)
            .await?;
        if done.rows_affected() > 0 {
            return Ok(());
        }
        let known: Option<i64> =
            sqlx::query_scalar("SELECT id FROM run_events WHERE uid = ?").bind(&event.uid).fetch_optional(&self.reader).await?;
        known.map(|_| ()).ok_or(StoreError::NotFound("run"))
    }

    /// Begins a state of an open test as a new run with this identity; answers its id. The same one again adds nothing.
    pub async fn begin_state(&self, test_id: i64, uid: &str, state: &Conditions, at_utc: Timestamp) -> Result<i64, StoreError> {
        bounds::check_time("at_utc", at_utc.as_second())?;
        let mut transaction = self.writer()?.begin_with("BEGIN IMMEDIATE").await?;
        let known: Option<(i64, i64)> =
            sqlx::query_as("SELECT id, test_id FROM runs WHERE uid = ?").bind(uid).fetch_optional(&mut *transaction).await?;
        match known {
            Some((id, of)) if of == test_id => return Ok(id),
            Some(_) => return Err(StoreError::Conflict("This line already belongs to another test.".to_owned())),
            None => {}
        }
        let place: i64 = sqlx::query_scalar("SELECT coalesce(max(place), 0) + 1 FROM runs WHERE test_id = ?")
            .bind(test_id)
            .fetch_one(&mut *transaction)
            .await?;
        let run = NewRun { place, level: 0, rig: 0, is_added: false, planned_utc: None, state: Some(state.clone()) };
        let run_id = insert_run_as(&mut transaction, test_id, uid, &run).await?;
        let (uid, what) = (crate::new_uid(), RunEventKind::Begun);
        insert_event_as(&mut transaction, run_id, &NewEvent { uid, what, text: String::new(), at_utc }).await?;
        transaction.commit().await?;
        Ok(run_id)
    }

    /// Repeats a level as a new run at the end of the sheet, and begins it; answers its id.
    pub async fn repeat_level(&self, test_id: i64, level: usize, rig: u8, event: &NewEvent) -> Result<i64, StoreError> {
        let mut transaction = self.writer()?.begin_with("BEGIN IMMEDIATE").await?;
        let known: Option<i64> = sqlx::query_scalar("SELECT run_id FROM run_events WHERE uid = ?")
            .bind(&event.uid)
            .fetch_optional(&mut *transaction)
            .await?;
        if let Some(run_id) = known {
            return Ok(run_id);
        }
        let last: Option<i64> = sqlx::query_scalar("SELECT max(place) FROM runs WHERE test_id = ?")
            .bind(test_id)
            .fetch_one(&mut *transaction)
            .await?;
        let run = NewRun {
            place: last.ok_or(StoreError::NotFound("test with runs"))? + 1,
            level,
            rig,
            is_added: true,
            planned_utc: None,
            state: None,
        };
        let run_id = insert_run(&mut transaction, test_id, &run).await?;
        sqlx::query("INSERT INTO run_events (uid, run_id, at_utc, what, text) VALUES (?, ?, ?, ?, ?)")
            .bind(&event.uid)
            .bind(run_id)
            .bind(event.at_utc.to_string())
            .bind(event.what.name())
            .bind(&event.text)
            .execute(&mut *transaction)
            .await?;
        transaction.commit().await?;
        Ok(run_id)
    }

    pub async fn acknowledgements(&self, test_id: i64) -> Result<Vec<Acknowledgement>, StoreError> {
        let sql = "SELECT key, risk, why, at_utc FROM acknowledgements WHERE test_id = ? ORDER BY id";
        let rows = sqlx::query(sql).bind(test_id).fetch_all(&self.reader).await?;
        rows.iter()
            .map(|row| {
                let at_utc = time_from(&row.try_get::<String, _>("at_utc")?)?;
                Ok(Acknowledgement { key: row.try_get("key")?, risk: row.try_get("risk")?, why: row.try_get("why")?, at_utc })
            })
            .collect()
    }

    pub async fn acknowledge(&self, test_id: i64, acknowledgement: &Acknowledgement) -> Result<(), StoreError> {
        sqlx::query("INSERT OR IGNORE INTO acknowledgements (test_id, key, risk, why, at_utc) VALUES (?, ?, ?, ?, ?)")
            .bind(test_id)
            .bind(&acknowledgement.key)
            .bind(&acknowledgement.risk)
            .bind(&acknowledgement.why)
            .bind(acknowledgement.at_utc.to_string())
            .execute(self.writer()?)
            .await?;
        Ok(())
    }
}

/// Adds a run; answers its id.
pub(crate) async fn insert_run(connection: &mut SqliteConnection, test_id: i64, run: &NewRun) -> Result<i64, StoreError> {
    insert_run_as(connection, test_id, &crate::new_uid(), run).await
}

async fn insert_run_as(connection: &mut SqliteConnection, test_id: i64, uid: &str, run: &NewRun) -> Result<i64, StoreError> {
    let state = run.state.as_ref().map(serde_json::to_string).transpose();
    let state = state.map_err(|error| StoreError::Corrupt(format!("the state of a run: {error}")))?;
    let sql = "INSERT INTO runs (uid, test_id, place, level, rig, is_added, planned_utc, state, crc32) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)";
    let done = sqlx::query(sql)
        .bind(uid)
        .bind(test_id)
        .bind(run.place)
        .bind(run.level as i64)
        .bind(i64::from(run.rig))
        .bind(run.is_added)
        .bind(run.planned_utc.map(|time| time.to_string()))
        .bind(&state)
        .bind(run.checksum(uid, test_id, state.as_deref()))
        .execute(connection)
        .await?;
    Ok(done.last_insert_rowid())
}

/// The run at a place of a test, and whether it is new: made where there is none, with the identity that it had where it comes from.
pub(crate) async fn run_at_place(
    connection: &mut SqliteConnection,
    test_id: i64,
    uid: &str,
    run: &NewRun,
) -> Result<(i64, bool), StoreError> {
    let there: Option<i64> = sqlx::query_scalar("SELECT id FROM runs WHERE test_id = ? AND place = ?")
        .bind(test_id)
        .bind(run.place)
        .fetch_optional(&mut *connection)
        .await?;
    match there {
        Some(id) => Ok((id, false)),
        None => {
            let taken: i64 =
                sqlx::query_scalar("SELECT count(*) FROM runs WHERE uid = ?").bind(uid).fetch_one(&mut *connection).await?;
            let new = crate::new_uid();
            let uid = if uid.is_empty() || taken > 0 { &new } else { uid };
            Ok((insert_run_as(connection, test_id, uid, run).await?, true))
        }
    }
}

/// The run of an open test with this identity, and whether it is new: made where there is none, at its place or the next that is free.
pub(crate) async fn run_of_state(
    connection: &mut SqliteConnection,
    test_id: i64,
    uid: &str,
    run: &NewRun,
) -> Result<(i64, bool), StoreError> {
    let there: Option<(i64, i64)> =
        sqlx::query_as("SELECT id, test_id FROM runs WHERE uid = ?").bind(uid).fetch_optional(&mut *connection).await?;
    match there {
        Some((id, of)) if of == test_id => return Ok((id, false)),
        Some(_) => return Err(StoreError::Conflict("this run already belongs to another test.".to_owned())),
        None => {}
    }
    let (is_taken, last): (bool, i64) =
        sqlx::query_as("SELECT coalesce(max(place = ?2), 0), coalesce(max(place), 0) FROM runs WHERE test_id = ?1")
            .bind(test_id)
            .bind(run.place)
            .fetch_one(&mut *connection)
            .await?;
    let place = if is_taken { last + 1 } else { run.place };
    let id = insert_run_as(connection, test_id, uid, &NewRun { place, ..run.clone() }).await?;
    Ok((id, true))
}

/// Writes down what happened to a run, as it is: what is here already is left alone.
pub(crate) async fn insert_event_as(connection: &mut SqliteConnection, run_id: i64, event: &NewEvent) -> Result<(), StoreError> {
    bounds::check_note("run_events", &event.text)?;
    bounds::check_time("run_events", event.at_utc.as_second())?;
    sqlx::query("INSERT OR IGNORE INTO run_events (uid, run_id, at_utc, what, text) VALUES (?, ?, ?, ?, ?)")
        .bind(&event.uid)
        .bind(run_id)
        .bind(event.at_utc.to_string())
        .bind(event.what.name())
        .bind(&event.text)
        .execute(connection)
        .await?;
    Ok(())
}

fn time_from(text: &str) -> Result<Timestamp, StoreError> {
    text.parse().map_err(|_| StoreError::Corrupt(format!("the time \"{text}\" of a run")))
}

/// The checksum of a row as it stands, whatever the one beside it.
pub(crate) async fn checksum_of_row(connection: &mut SqliteConnection, id: i64) -> Result<i64, StoreError> {
    let sql = "SELECT uid, test_id, place, level, rig, is_added, planned_utc, state FROM runs WHERE id = ?";
    let row = sqlx::query(sql).bind(id).fetch_one(connection).await?;
    let (uid, state): (String, Option<String>) = (row.try_get("uid")?, row.try_get("state")?);
    // The state counts as its text.
    Ok(new_run_from(&row, None)?.checksum(&uid, row.try_get("test_id")?, state.as_deref()))
}

fn new_run_from(row: &SqliteRow, state: Option<Conditions>) -> Result<NewRun, StoreError> {
    let planned: Option<String> = row.try_get("planned_utc")?;
    Ok(NewRun {
        place: row.try_get("place")?,
        level: row.try_get::<i64, _>("level")?.max(0) as usize,
        rig: row.try_get::<i64, _>("rig")?.clamp(0, 2) as u8,
        is_added: row.try_get("is_added")?,
        planned_utc: planned.map(|text| time_from(&text)).transpose()?,
        state,
    })
}

fn run_from(row: &SqliteRow) -> Result<Run, StoreError> {
    let (uid, text): (String, Option<String>) = (row.try_get("uid")?, row.try_get("state")?);
    let corrupt = || StoreError::Corrupt(format!("the state of run {uid}"));
    let state = text.as_deref().map(serde_json::from_str).transpose().map_err(|_| corrupt())?;
    let run = new_run_from(row, state)?;
    let test_id = row.try_get("test_id")?;
    checksum::check(row.try_get("crc32")?, || run.checksum(&uid, test_id, text.as_deref()), || format!("run {uid}"))?;
    Ok(Run {
        id: row.try_get("id")?,
        place: run.place,
        level: run.level,
        rig: run.rig,
        is_added: run.is_added,
        planned_utc: run.planned_utc,
        state: run.state,
        events: Vec::new(),
        uid,
    })
}

fn event_from(row: &SqliteRow) -> Result<RunEvent, StoreError> {
    let what: String = row.try_get("what")?;
    Ok(RunEvent {
        uid: row.try_get("uid")?,
        run_id: row.try_get("run_id")?,
        what: RunEventKind::from_name(&what).ok_or_else(|| StoreError::Corrupt(format!("what happened to a run: \"{what}\"")))?,
        text: row.try_get("text")?,
        at_utc: time_from(&row.try_get::<String, _>("at_utc")?)?,
    })
}
