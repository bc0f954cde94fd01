//! Tests: a panel, a question, a set-up.

use crate::Listed;
use crate::Test;
use crate::TestDraft;
use crate::checksum::{self, Checksum};
use crate::connections::{KeptTest, Store};
use crate::error::StoreError;
use crate::test_meters;
use flindo_core::record::meters::MeterUse;
use flindo_core::record::names::Names;
use flindo_core::record::plan::{self, Plan, PlanTyped};
use flindo_core::record::question::Question;
use flindo_core::record::setup::{self, Setup, SetupTyped};
use jiff::Timestamp;
use sqlx::sqlite::SqliteRow;
use sqlx::{Row, SqliteConnection};
use std::collections::HashMap;
use std::sync::{MutexGuard, PoisonError};

const COLUMNS: &str = "id, uid, panel_id, place_id, question, rig_id, plan, created_utc, tilt_deg, azimuth_deg, load, sun, cell_temperature, unsteady, volts_percent, \
                       volts_digits, amps_percent, amps_digits, watts_percent, watts_digits, sun_percent, thermometer_k, mounting, \
                       reference_isc_a, reference_pmax_w, reference_percent, crc32, \
                       (SELECT json_group_array(json_array(m.uid, m.reads, m.place, g.uid, m.calibrated, m.crc32)) FROM test_meters m \
                        LEFT JOIN gear g ON g.id = m.gear_id WHERE m.test_id = tests.id AND NOT EXISTS \
                        (SELECT 1 FROM test_meters n WHERE n.test_id = m.test_id AND n.reads = m.reads AND n.uid > m.uid)) AS meters";

/// The question of an open test: what its readings answer.
pub(crate) const OPEN: &str = "open";

/// Columns of the reference, which are empty where there is none.
const REFERENCE: [&str; 3] = ["reference_isc_a", "reference_pmax_w", "reference_percent"];

/// Tests that are kept at once.
const MOST_KEPT: usize = 256;

/// Tests that a file is still bringing in are there and not shown.
const IS_THERE: &str = "id NOT IN (SELECT row_id FROM open_import_rows WHERE what = 'test')";

/// Nor are those that are withdrawn, but under their own address.
pub(crate) const IS_SHOWN: &str = "id NOT IN (SELECT row_id FROM open_import_rows WHERE what = 'test') \
                                   AND id NOT IN (SELECT row_id FROM withdrawn WHERE what = 'test')";

impl Store {
    /// Tests (of one panel, if given) from the newest on, of them `most` after the first `skip`. One that cannot be read is told as such,
    /// and takes no other down.
    pub async fn tests(&self, of_panel: Option<i64>, skip: i64, most: i64) -> Result<Vec<Listed>, StoreError> {
        // Two texts, so that each uses its own index.
        let of = if of_panel.is_some() { "panel_id = ?1" } else { "?1 IS NULL" };
        let sql = format!(
            "SELECT {COLUMNS} FROM tests WHERE {of} AND {IS_SHOWN} ORDER BY created_utc DESC, id DESC LIMIT ?2 OFFSET ?3"
        );
        let rows = sqlx::query(sqlx::AssertSqlSafe(sql)).bind(of_panel).bind(most).bind(skip).fetch_all(&self.reader).await?;
        rows.iter().map(listed_from).collect()
    }

    /// How many tests there are, of one panel, if given.
    pub async fn count_tests(&self, of_panel: Option<i64>) -> Result<i64, StoreError> {
        let of = if of_panel.is_some() { "panel_id = ?1" } else { "?1 IS NULL" };
        let sql = sqlx::AssertSqlSafe(format!("SELECT count(*) FROM tests WHERE {of} AND {IS_SHOWN}"));
        Ok(sqlx::query_scalar(sql).bind(of_panel).fetch_one(&self.reader).await?)
    }

    /// The newest test that can be read.
    pub async fn newest_test(&self) -> Result<Option<Test>, StoreError> {
        const TRIED: i64 = 20;
        Ok(self.tests(None, 0, TRIED).await?.into_iter().find_map(Listed::test))
    }

    pub async fn test(&self, id: i64) -> Result<Test, StoreError> {
        let state = self.changes.of_test_row(id);
        if let Some(state) = state
            && let Some((_, test)) = self.kept_tests().get(&id).filter(|kept| kept.0 == state)
        {
            return Ok(test.clone());
        }
        let sql = sqlx::AssertSqlSafe(format!("SELECT {COLUMNS} FROM tests WHERE id = ? AND {IS_THERE}"));
        let row = sqlx::query(sql).bind(id).fetch_optional(&self.reader).await?;
        let test = test_from(&row.ok_or(StoreError::NotFound("test"))?)?;
        if let Some(state) = state {
            let mut kept = self.kept_tests();
            if kept.len() >= MOST_KEPT {
                kept.clear();
            }
            kept.insert(id, (state, test.clone()));
        }
        Ok(test)
    }

    fn kept_tests(&self) -> MutexGuard<'_, HashMap<i64, KeptTest>> {
        self.tests.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Adds a test; answers its id.
    pub async fn add_test(&self, draft: &TestDraft, created_utc: Timestamp) -> Result<i64, StoreError> {
        let mut transaction = self.writer()?.begin_with("BEGIN IMMEDIATE").await?;
        let id = insert_test(&mut transaction, &crate::new_uid(), draft, created_utc).await?;
        transaction.commit().await?;
        Ok(id)
    }

    /// Changes the set-up. The readings stay what they are; only what they mean is worked out anew.
    pub async fn change_setup(&self, id: i64, setup: &Setup, meters: &[MeterUse]) -> Result<(), StoreError> {
        let sql = "UPDATE tests SET tilt_deg = ?, azimuth_deg = ?, load = ?, sun = ?, cell_temperature = ?, unsteady = ?, volts_percent = ?, \
                   volts_digits = ?, amps_percent = ?, amps_digits = ?, watts_percent = ?, watts_digits = ?, sun_percent = ?, \
                   thermometer_k = ?, mounting = ?, reference_isc_a = ?, reference_pmax_w = ?, reference_percent = ?, crc32 = ? WHERE id = ?";
        let mut transaction = self.writer()?.begin_with("BEGIN IMMEDIATE").await?;
        let there =
            sqlx::query("SELECT question, plan FROM tests WHERE id = ?").bind(id).fetch_optional(&mut *transaction).await?;
        let there = there.ok_or(StoreError::NotFound("test"))?;
        let (question, plan): (String, Option<String>) = (there.try_get("question")?, there.try_get("plan")?);
        let sum = checksum_of(&question, plan.as_deref(), setup);
        bind_setup(sqlx::query(sql), setup).bind(sum).bind(id).execute(&mut *transaction).await?;
        test_meters::change(&mut transaction, id, meters).await?;
        transaction.commit().await?;
        Ok(())
    }
}

pub(crate) async fn insert_test(
    connection: &mut SqliteConnection,
    uid: &str,
    draft: &TestDraft,
    created_utc: Timestamp,
) -> Result<i64, StoreError> {
    let sql = "INSERT INTO tests (tilt_deg, azimuth_deg, load, sun, cell_temperature, unsteady, volts_percent, volts_digits, amps_percent, \
               amps_digits, watts_percent, watts_digits, sun_percent, thermometer_k, mounting, reference_isc_a, reference_pmax_w, reference_percent, uid, panel_id, place_id, question, rig_id, plan, \
               created_utc, crc32) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)";
    let plan = plan_text(draft.plan.as_ref())?;
    let question = if draft.is_open { OPEN } else { draft.question.name() };
    let sum = checksum_of(question, plan.as_deref(), &draft.setup);
    let query = bind_setup(sqlx::query(sql), &draft.setup)
        .bind(uid)
        .bind(draft.panel_id)
        .bind(draft.place_id)
        .bind(question)
        .bind(draft.rig_id)
        .bind(&plan)
        .bind(created_utc.to_string())
        .bind(sum);
    match query.execute(&mut *connection).await {
        Ok(done) => {
            test_meters::change(connection, done.last_insert_rowid(), &draft.meters).await?;
            Ok(done.last_insert_rowid())
        }
        Err(error) if error.as_database_error().is_some_and(|error| error.is_foreign_key_violation()) => {
            Err(StoreError::NotFound("panel"))
        }
        Err(error) => Err(error.into()),
    }
}

pub(crate) async fn find_test(connection: &mut SqliteConnection, uid: &str) -> Result<Option<Test>, StoreError> {
    let sql = sqlx::AssertSqlSafe(format!("SELECT {COLUMNS} FROM tests WHERE uid = ?"));
    let row = sqlx::query(sql).bind(uid).fetch_optional(connection).await?;
    row.as_ref().map(test_from).transpose()
}

type Query<'q> = sqlx::query::Query<'q, sqlx::Sqlite, sqlx::sqlite::SqliteArguments>;

fn bind_setup<'q>(query: Query<'q>, setup: &Setup) -> Query<'q> {
    let gear = &setup.instruments;
    query
        .bind(setup.tilt_deg)
        .bind(setup.azimuth_deg)
        .bind(setup.load.name())
        .bind(setup.irradiance_source.name())
        .bind(setup.cell_temperature.name())
        .bind(setup.unsteady.name())
        .bind(gear.volts.percent)
        .bind(gear.volts.digits)
        .bind(gear.amps.percent)
        .bind(gear.amps.digits)
        .bind(gear.watts.percent)
        .bind(gear.watts.digits)
        .bind(gear.sun_percent)
        .bind(gear.thermometer_k)
        .bind(setup.mounting.name())
        .bind(setup.reference_isc_a)
        .bind(setup.reference_pmax_w)
        .bind(setup.reference_percent)
}

/// Of what a test asks, its plan and its set-up.
fn checksum_of(question: &str, plan: Option<&str>, setup: &Setup) -> i64 {
    let typed = SetupTyped::of(setup);
    let mut sum = Checksum::default();
    sum.text(question).optional(plan);
    for name in SetupTyped::FIELDS {
        let text = typed.get(name).unwrap_or_default();
        // Sums of rows that are older than the reference have nothing of it.
        if !(text.is_empty() && REFERENCE.contains(name)) {
            sum.text(name).text(text);
        }
    }
    sum.end()
}

fn listed_from(row: &SqliteRow) -> Result<Listed, StoreError> {
    match test_from(row) {
        Ok(test) => Ok(Listed::Read(Box::new(test))),
        Err(StoreError::Corrupt(why)) => Ok(Listed::Unreadable { id: row.try_get("id")?, why }),
        Err(error) => Err(error),
    }
}

fn test_from(row: &SqliteRow) -> Result<Test, StoreError> {
    let mut typed = SetupTyped::default();
    for name in SetupTyped::FIELDS {
        let text = match *name {
            "load" | "sun" | "cell_temperature" | "unsteady" | "mounting" => row.try_get::<String, _>(*name)?,
            reference if REFERENCE.contains(&reference) => {
                row.try_get::<Option<f64>, _>(reference)?.map(|value| value.to_string()).unwrap_or_default()
            }
            number => row.try_get::<f64, _>(number)?.to_string(),
        };
        typed.set(name, text);
    }
    let id: i64 = row.try_get("id")?;
    let corrupt = |what: &str| StoreError::Corrupt(format!("{what} of test {id}"));
    let (uid, question): (String, String) = (row.try_get("uid")?, row.try_get("question")?);
    let plan: Option<String> = row.try_get("plan")?;
    let setup = setup::check(&typed).map_err(|_| corrupt("the set-up"))?;
    let read = || checksum_of(&question, plan.as_deref(), &setup);
    checksum::check(row.try_get("crc32")?, read, || format!("test {id}"))?;
    let is_open = question == OPEN;
    Ok(Test {
        id,
        panel_id: row.try_get("panel_id")?,
        place_id: row.try_get("place_id")?,
        question: match is_open {
            true => Question::MakesRating,
            false => Question::from_name(&question).ok_or_else(|| corrupt("the question"))?,
        },
        is_open,
        rig_id: row.try_get("rig_id")?,
        plan: match plan {
            Some(text) => Some(plan_from(&text).ok_or_else(|| corrupt("the plan"))?),
            None => None,
        },
        created_utc: row.try_get::<String, _>("created_utc")?.parse().map_err(|_| corrupt("the time"))?,
        setup,
        meters: test_meters::read(&row.try_get::<String, _>("meters")?)?,
        uid,
    })
}

/// A plan as JSON, by the core's names.
pub(crate) fn plan_text(plan: Option<&Plan>) -> Result<Option<String>, StoreError> {
    plan.map(|plan| serde_json::to_string(plan).map_err(|error| StoreError::Corrupt(format!("the plan: {error}")))).transpose()
}

/// Reads [`plan_text`]; `None` for anything else.
pub(crate) fn plan_from(text: &str) -> Option<Plan> {
    serde_json::from_str(text).ok()
}

/// Reads a plan as benches up to schema 4 kept it: an object of its fields as typed. A rule of today never refuses it.
pub(crate) fn plan_as_typed(text: &str, load: setup::Load, names: &Names) -> Option<Plan> {
    let map: std::collections::BTreeMap<String, String> = serde_json::from_str(text).ok()?;
    let mut typed = PlanTyped::default();
    map.into_iter().all(|(name, value)| typed.set(&name, value)).then(|| plan::older(&typed, load, names))
}

impl Store {
    /// Types the plans of an older bench once; what was typed stays beside them.
    pub(crate) async fn type_older_plans(&self) -> Result<(), StoreError> {
        let sql = "SELECT id, load, plan_as_typed FROM tests WHERE plan IS NULL AND plan_as_typed IS NOT NULL";
        let rows = sqlx::query(sql).fetch_all(self.writer()?).await?;
        if rows.is_empty() {
            return Ok(());
        }
        let names = self.register().await?.names();
        let mut transaction = self.writer()?.begin_with("BEGIN IMMEDIATE").await?;
        for row in rows {
            let (id, load, text): (i64, String, String) =
                (row.try_get("id")?, row.try_get("load")?, row.try_get("plan_as_typed")?);
            let load = setup::Load::from_name(&load).unwrap_or_default();
            // One that cannot be read stays as it is; its test says so, and takes no other down.
            let Some(plan) = plan_as_typed(&text, load, &names) else { continue };
            sqlx::query("UPDATE tests SET plan = ? WHERE id = ?")
                .bind(plan_text(Some(&plan))?)
                .bind(id)
                .execute(&mut *transaction)
                .await?;
        }
        transaction.commit().await?;
        Ok(())
    }
}
