//! Meters, controllers, batteries, power stations, leads, connectors, fuses. The figures are kept as typed and go through the
//! core's own check on their way out, so that a file edited by hand cannot bring in nonsense.

use crate::GearDraft;
use crate::GearRow;
use crate::connections::Store;
use crate::error::StoreError;
use crate::withdrawals::Withdrawable;
use flindo_core::gear::{GearKind, Typed};
use sqlx::sqlite::SqliteRow;
use sqlx::{Row, SqliteConnection};
use std::collections::HashMap;

impl Store {
    /// All gear, by kind and name, but for those that are withdrawn.
    pub async fn gear(&self) -> Result<Vec<GearRow>, StoreError> {
        let withdrawn = self.withdrawn_ids(Withdrawable::Gear).await?;
        Ok(self.read_gear().await?.into_iter().filter(|row| !withdrawn.contains(&row.id)).collect())
    }

    pub(crate) async fn read_gear(&self) -> Result<Vec<GearRow>, StoreError> {
        all_gear(&mut *self.reader.begin().await?).await
    }

    pub async fn gear_piece(&self, id: i64) -> Result<GearRow, StoreError> {
        self.read_gear().await?.into_iter().find(|row| row.id == id).ok_or(StoreError::NotFound("piece of gear"))
    }

    /// Adds a piece; answers its id.
    pub async fn add_gear(&self, draft: &GearDraft) -> Result<i64, StoreError> {
        let mut transaction = self.writer()?.begin_with("BEGIN IMMEDIATE").await?;
        let id = insert_gear(&mut transaction, &crate::new_uid(), draft).await?;
        transaction.commit().await?;
        Ok(id)
    }

    /// Changes a piece; its kind stays.
    pub async fn change_gear(&self, id: i64, draft: &GearDraft) -> Result<(), StoreError> {
        let mut transaction = self.writer()?.begin_with("BEGIN IMMEDIATE").await?;
        let done = sqlx::query("UPDATE gear SET name = ?, notes = ? WHERE id = ? AND kind = ?")
            .bind(&draft.name)
            .bind(&draft.notes)
            .bind(id)
            .bind(draft.kind.name())
            .execute(&mut *transaction)
            .await
            .map_err(|error| name_taken(error, draft))?;
        if done.rows_affected() == 0 {
            return Err(StoreError::NotFound("piece of gear"));
        }
        write_fields(&mut transaction, id, draft).await?;
        transaction.commit().await?;
        Ok(())
    }
}

pub(crate) async fn all_gear(connection: &mut SqliteConnection) -> Result<Vec<GearRow>, StoreError> {
    let mut fields: HashMap<i64, Typed> = HashMap::new();
    for row in sqlx::query("SELECT gear_id, name, value FROM gear_fields").fetch_all(&mut *connection).await? {
        fields.entry(row.try_get("gear_id")?).or_default().insert(row.try_get("name")?, row.try_get("value")?);
    }
    let rows = sqlx::query("SELECT id, uid, kind, name, notes FROM gear ORDER BY kind, name").fetch_all(&mut *connection).await?;
    rows.iter().map(|row| gear_from(row, fields.remove(&row.try_get("id")?).unwrap_or_default())).collect()
}

/// Adds a piece with this identity; answers its id.
pub(crate) async fn insert_gear(connection: &mut SqliteConnection, uid: &str, draft: &GearDraft) -> Result<i64, StoreError> {
    let done = sqlx::query("INSERT INTO gear (uid, kind, name, notes) VALUES (?, ?, ?, ?)")
        .bind(uid)
        .bind(draft.kind.name())
        .bind(&draft.name)
        .bind(&draft.notes)
        .execute(&mut *connection)
        .await
        .map_err(|error| name_taken(error, draft))?;
    write_fields(connection, done.last_insert_rowid(), draft).await?;
    Ok(done.last_insert_rowid())
}

async fn write_fields(connection: &mut SqliteConnection, id: i64, draft: &GearDraft) -> Result<(), StoreError> {
    sqlx::query("DELETE FROM gear_fields WHERE gear_id = ?").bind(id).execute(&mut *connection).await?;
    for (name, value) in draft.typed.iter().filter(|(_, value)| !value.trim().is_empty()) {
        sqlx::query("INSERT INTO gear_fields (gear_id, name, value) VALUES (?, ?, ?)")
            .bind(id)
            .bind(name)
            .bind(value.trim())
            .execute(&mut *connection)
            .await?;
    }
    Ok(())
}

fn name_taken(error: sqlx::Error, draft: &GearDraft) -> StoreError {
    if StoreError::is_unique(&error) {
        StoreError::Conflict(format!("Another piece of gear is called \"{}\" already.", draft.name))
    } else {
        error.into()
    }
}

fn gear_from(row: &SqliteRow, typed: Typed) -> Result<GearRow, StoreError> {
    let (kind, name): (String, String) = (row.try_get("kind")?, row.try_get("name")?);
    let corrupt = || StoreError::Corrupt(format!("the {kind} \"{name}\""));
    let kind = GearKind::from_name(&kind).ok_or_else(corrupt)?;
    let gear = kind.check(&typed).map_err(|_| corrupt())?;
    Ok(GearRow {
        id: row.try_get("id")?,
        uid: row.try_get("uid")?,
        draft: GearDraft { kind, notes: row.try_get("notes")?, typed, name },
        gear,
    })
}
