//! Kinds of panel: the label, shared by all pieces.

use crate::Kind;
use crate::KindDraft;
use crate::checksum::{self, Checksum};
use crate::connections::Store;
use crate::error::StoreError;
use crate::withdrawals::Withdrawable;
use flindo_core::panel::label::{self, LabelTyped};
use flindo_core::panel::nameplate::Nameplate;
use sqlx::sqlite::SqliteRow;
use sqlx::{Row, SqliteConnection};

/// With the alias `k`, so that panels can be read with their kind.
pub(crate) const COLUMNS: &str = "k.id AS kind_id, k.uid AS kind_uid, k.name AS kind_name, k.price AS kind_price, k.rated_w, k.tolerance, k.voc_v, \
                                  k.isc_a, k.vmp_v, k.imp_a, k.alpha_isc, k.beta_voc, k.gamma_pmax, k.cells_in_series, k.technology, k.noct_c, \
                                  k.construction, k.length_m, k.width_m, k.bifaciality, k.weight_kg, \
                                  k.degradation_percent_per_year, k.doubts_kept, k.crc32 AS kind_crc32";

impl Store {
    /// All kinds by name, but for those that are withdrawn.
    pub async fn kinds(&self) -> Result<Vec<Kind>, StoreError> {
        let withdrawn = self.withdrawn_ids(Withdrawable::Kind).await?;
        Ok(self.read_kinds().await?.into_iter().filter(|row| !withdrawn.contains(&row.id)).collect())
    }

    pub(crate) async fn read_kinds(&self) -> Result<Vec<Kind>, StoreError> {
        let sql = sqlx::AssertSqlSafe(format!("SELECT {COLUMNS} FROM panel_kinds k ORDER BY k.name"));
        sqlx::query(sql).fetch_all(&self.reader).await?.iter().map(kind_from).collect()
    }

    pub async fn kind(&self, id: i64) -> Result<Kind, StoreError> {
        let sql = sqlx::AssertSqlSafe(format!("SELECT {COLUMNS} FROM panel_kinds k WHERE k.id = ?"));
        let row = sqlx::query(sql).bind(id).fetch_optional(&self.reader).await?;
        kind_from(&row.ok_or(StoreError::NotFound("kind of panel"))?)
    }

    /// Adds a kind; answers its id. One that is there already, with the same label, is that one.
    pub async fn add_kind(&self, draft: &KindDraft) -> Result<i64, StoreError> {
        let mut writer = self.writer()?.acquire().await?;
        Ok(find_or_insert_kind(&mut writer, &crate::new_uid(), draft).await?.0)
    }

    /// Changes a kind, and with it the label of all its pieces.
    pub async fn change_kind(&self, id: i64, draft: &KindDraft) -> Result<(), StoreError> {
        let sql = "UPDATE panel_kinds SET name = ?, price = ?, rated_w = ?, tolerance = ?, voc_v = ?, isc_a = ?, vmp_v = ?, imp_a = ?, \
                   alpha_isc = ?, beta_voc = ?, gamma_pmax = ?, cells_in_series = ?, technology = ?, noct_c = ?, construction = ?, \
                   length_m = ?, width_m = ?, bifaciality = ?, weight_kg = ?, degradation_percent_per_year = ?, doubts_kept = ?, crc32 = ? WHERE id = ?";
        let done = bind_draft(sqlx::query(sql), draft)
            .bind(id)
            .execute(self.writer()?)
            .await
            .map_err(|error| name_taken(error, draft))?;
        if done.rows_affected() == 0 { Err(StoreError::NotFound("kind of panel")) } else { Ok(()) }
    }
}

/// The kind of this name and label, and whether it is new: made where there is none.
pub(crate) async fn find_or_insert_kind(
    connection: &mut SqliteConnection,
    uid: &str,
    draft: &KindDraft,
) -> Result<(i64, bool), StoreError> {
    let sql = sqlx::AssertSqlSafe(format!("SELECT {COLUMNS} FROM panel_kinds k WHERE k.name = ?"));
    let there = sqlx::query(sql).bind(&draft.name).fetch_optional(&mut *connection).await?;
    if let Some(row) = there {
        let known = kind_from(&row)?;
        if known.draft.nameplate == draft.nameplate {
            return Ok((known.id, false));
        }
        let message = format!("Another kind of panel is called \"{}\" already, with another label.", draft.name);
        return Err(StoreError::Conflict(message));
    }
    let sql = "INSERT INTO panel_kinds (name, price, rated_w, tolerance, voc_v, isc_a, vmp_v, imp_a, alpha_isc, beta_voc, gamma_pmax, \
               cells_in_series, technology, noct_c, construction, length_m, width_m, bifaciality, weight_kg, \
               degradation_percent_per_year, doubts_kept, crc32, uid) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)";
    let done =
        bind_draft(sqlx::query(sql), draft).bind(uid).execute(connection).await.map_err(|error| name_taken(error, draft))?;
    Ok((done.last_insert_rowid(), true))
}

fn name_taken(error: sqlx::Error, draft: &KindDraft) -> StoreError {
    if StoreError::is_unique(&error) {
        StoreError::Conflict(format!("Another kind of panel is called \"{}\" already.", draft.name))
    } else {
        error.into()
    }
}

type Query<'q> = sqlx::query::Query<'q, sqlx::Sqlite, sqlx::sqlite::SqliteArguments>;

fn bind_draft<'q>(query: Query<'q>, draft: &'q KindDraft) -> Query<'q> {
    let label = &draft.nameplate;
    let typed = LabelTyped::of(label);
    query
        .bind(&draft.name)
        .bind(draft.price)
        .bind(label.rated_w)
        .bind(typed.tolerance)
        .bind(label.voc_v)
        .bind(label.isc_a)
        .bind(label.vmp_v)
        .bind(label.imp_a)
        .bind(typed.alpha_isc)
        .bind(typed.beta_voc)
        .bind(typed.gamma_pmax)
        .bind(label.cells_in_series)
        .bind(typed.technology)
        .bind(label.noct_c)
        .bind(typed.construction)
        .bind(label.length_m)
        .bind(label.width_m)
        .bind(label.bifaciality)
        .bind(label.weight_kg)
        .bind(label.degradation_percent_per_year)
        .bind(draft.doubts_kept)
        .bind(checksum_of(&draft.nameplate))
}

/// Of a label; what is not on it has no part, so that a later version's fields change nothing.
fn checksum_of(label: &Nameplate) -> i64 {
    let typed = LabelTyped::of(label);
    let mut sum = Checksum::default();
    for name in LabelTyped::FIELDS {
        let text = typed.get(name).unwrap_or_default();
        if !text.is_empty() {
            sum.text(name).text(text);
        }
    }
    sum.end()
}

/// A row as a kind. The label goes through the core's own check, so that a file edited by hand cannot bring in nonsense.
pub(crate) fn kind_from(row: &SqliteRow) -> Result<Kind, StoreError> {
    let mut typed = LabelTyped::default();
    for name in LabelTyped::FIELDS {
        let text = match *name {
            "tolerance" | "alpha_isc" | "beta_voc" | "gamma_pmax" | "technology" | "construction" => {
                row.try_get::<String, _>(*name)?
            }
            "cells_in_series" => row.try_get::<Option<i64>, _>(*name)?.map(|cells| cells.to_string()).unwrap_or_default(),
            number => row.try_get::<Option<f64>, _>(number)?.map(|value| value.to_string()).unwrap_or_default(),
        };
        typed.set(name, text);
    }
    let name: String = row.try_get("kind_name")?;
    let nameplate = label::kept(&typed).ok_or_else(|| StoreError::Corrupt(format!("the label of the kind \"{name}\"")))?;
    checksum::check(row.try_get("kind_crc32")?, || checksum_of(&nameplate), || format!("the label of the kind \"{name}\""))?;
    let draft = KindDraft { name, nameplate, doubts_kept: row.try_get("doubts_kept")?, price: row.try_get("kind_price")? };
    Ok(Kind { id: row.try_get("kind_id")?, uid: row.try_get("kind_uid")?, draft })
}
