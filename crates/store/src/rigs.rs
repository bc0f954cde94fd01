//! Rigs: panels and gear wired together, by their ids.

use crate::RigDraft;
use crate::RigRow;
use crate::connections::Store;
use crate::error::StoreError;
use crate::withdrawals::Withdrawable;
use flindo_core::rig::{MeterPosition, RigLoad};
use sqlx::sqlite::SqliteRow;
use sqlx::{Row, SqliteConnection};
use std::collections::HashMap;

const COLUMNS: &str = "id, uid, name, wiring, string_fuse_id, joint_id, lead_id, sink_id, battery_id, ends_in";

impl Store {
    /// All rigs by name, but for those that are withdrawn.
    pub async fn rigs(&self) -> Result<Vec<RigRow>, StoreError> {
        let withdrawn = self.withdrawn_ids(Withdrawable::Rig).await?;
        Ok(self.read_rigs().await?.into_iter().filter(|row| !withdrawn.contains(&row.id)).collect())
    }

    pub(crate) async fn read_rigs(&self) -> Result<Vec<RigRow>, StoreError> {
        all_rigs(&mut *self.reader.begin().await?).await
    }

    pub async fn rig(&self, id: i64) -> Result<RigRow, StoreError> {
        self.read_rigs().await?.into_iter().find(|row| row.id == id).ok_or(StoreError::NotFound("rig"))
    }

    /// Adds a rig; answers its id.
    pub async fn add_rig(&self, draft: &RigDraft) -> Result<i64, StoreError> {
        let mut transaction = self.writer()?.begin_with("BEGIN IMMEDIATE").await?;
        let id = insert_rig(&mut transaction, &crate::new_uid(), draft).await?;
        transaction.commit().await?;
        Ok(id)
    }

    pub async fn change_rig(&self, id: i64, draft: &RigDraft) -> Result<(), StoreError> {
        let sql = "UPDATE rigs SET name = ?, wiring = ?, string_fuse_id = ?, joint_id = ?, lead_id = ?, sink_id = ?, battery_id = ?, ends_in = ? \
                   WHERE id = ?";
        let mut transaction = self.writer()?.begin_with("BEGIN IMMEDIATE").await?;
        let query = bind_draft(sqlx::query(sql), draft).bind(id);
        let done = query.execute(&mut *transaction).await.map_err(|error| name_taken(error, draft))?;
        if done.rows_affected() == 0 {
            return Err(StoreError::NotFound("rig"));
        }
        write_meters(&mut transaction, id, draft).await?;
        transaction.commit().await?;
        Ok(())
    }
}

async fn all_rigs(connection: &mut SqliteConnection) -> Result<Vec<RigRow>, StoreError> {
    let mut meters: HashMap<i64, Vec<(MeterPosition, i64)>> = HashMap::new();
    for row in sqlx::query("SELECT rig_id, spot, gear_id FROM rig_meters").fetch_all(&mut *connection).await? {
        let spot: String = row.try_get("spot")?;
        let spot = MeterPosition::from_name(&spot).ok_or_else(|| StoreError::Corrupt(format!("the spot \"{spot}\" of a rig")))?;
        meters.entry(row.try_get("rig_id")?).or_default().push((spot, row.try_get("gear_id")?));
    }
    let sql = sqlx::AssertSqlSafe(format!("SELECT {COLUMNS} FROM rigs ORDER BY name"));
    let rows = sqlx::query(sql).fetch_all(&mut *connection).await?;
    rows.iter().map(|row| rig_from(row, meters.remove(&row.try_get("id")?).unwrap_or_default())).collect()
}

/// The rig of this identity, and else of this name.
pub(crate) async fn find_rig(connection: &mut SqliteConnection, uid: &str, name: &str) -> Result<Option<RigRow>, StoreError> {
    let all = all_rigs(connection).await?;
    let of_uid = all.iter().position(|rig| rig.uid == uid);
    let found = of_uid.or_else(|| all.iter().position(|rig| rig.draft.name.eq_ignore_ascii_case(name)));
    Ok(found.map(|at| all[at].clone()))
}

/// Adds a rig with this identity; answers its id.
pub(crate) async fn insert_rig(connection: &mut SqliteConnection, uid: &str, draft: &RigDraft) -> Result<i64, StoreError> {
    let sql = "INSERT INTO rigs (name, wiring, string_fuse_id, joint_id, lead_id, sink_id, battery_id, ends_in, uid) \
               VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)";
    let query = bind_draft(sqlx::query(sql), draft).bind(uid);
    let done = query.execute(&mut *connection).await.map_err(|error| name_taken(error, draft))?;
    write_meters(connection, done.last_insert_rowid(), draft).await?;
    Ok(done.last_insert_rowid())
}

async fn write_meters(connection: &mut SqliteConnection, id: i64, draft: &RigDraft) -> Result<(), StoreError> {
    sqlx::query("DELETE FROM rig_meters WHERE rig_id = ?").bind(id).execute(&mut *connection).await?;
    for (spot, gear_id) in &draft.meters {
        sqlx::query("INSERT INTO rig_meters (rig_id, spot, gear_id) VALUES (?, ?, ?)")
            .bind(id)
            .bind(spot.name())
            .bind(gear_id)
            .execute(&mut *connection)
            .await
            .map_err(gone)?;
    }
    Ok(())
}

type Query<'q> = sqlx::query::Query<'q, sqlx::Sqlite, sqlx::sqlite::SqliteArguments>;

fn bind_draft<'q>(query: Query<'q>, draft: &'q RigDraft) -> Query<'q> {
    query
        .bind(&draft.name)
        .bind(&draft.wiring)
        .bind(draft.string_fuse_id)
        .bind(draft.joint_id)
        .bind(draft.lead_id)
        .bind(draft.sink_id)
        .bind(draft.battery_id)
        .bind(draft.ends_in.map(RigLoad::name).unwrap_or_default())
}

fn name_taken(error: sqlx::Error, draft: &RigDraft) -> StoreError {
    if StoreError::is_unique(&error) {
        StoreError::Conflict(format!("Another rig is called \"{}\" already.", draft.name))
    } else {
        gone(error)
    }
}

fn gone(error: sqlx::Error) -> StoreError {
    if error.as_database_error().is_some_and(|error| error.is_foreign_key_violation()) {
        StoreError::NotFound("piece of gear")
    } else {
        error.into()
    }
}

fn rig_from(row: &SqliteRow, mut meters: Vec<(MeterPosition, i64)>) -> Result<RigRow, StoreError> {
    meters.sort_unstable();
    Ok(RigRow {
        id: row.try_get("id")?,
        uid: row.try_get("uid")?,
        draft: RigDraft {
            name: row.try_get("name")?,
            wiring: row.try_get("wiring")?,
            string_fuse_id: row.try_get("string_fuse_id")?,
            joint_id: row.try_get("joint_id")?,
            lead_id: row.try_get("lead_id")?,
            sink_id: row.try_get("sink_id")?,
            battery_id: row.try_get("battery_id")?,
            ends_in: RigLoad::from_name(&row.try_get::<String, _>("ends_in")?),
            meters,
        },
    })
}
