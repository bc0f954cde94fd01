//! Panels: single pieces, each of a kind.

use crate::KindDraft;
use crate::Panel;
use crate::PanelDraft;
use crate::connections::Store;
use crate::error::StoreError;
use crate::kinds::{self, kind_from};
use flindo_core::panel::inspection::Defect;
use flindo_core::panel::nameplate::Nameplate;
use flindo_core::rig::wiring;
use sqlx::sqlite::SqliteRow;
use sqlx::{Row, SqliteConnection};

fn select(rest: &str) -> sqlx::AssertSqlSafe<String> {
    let kinds = kinds::COLUMNS;
    sqlx::AssertSqlSafe(format!(
        "SELECT p.id, p.uid, p.tag, p.is_used, p.age_years, p.price, p.notes, p.provenance, p.wear, {kinds} \
         FROM panels p JOIN panel_kinds k ON k.id = p.kind_id {rest}"
    ))
}

impl Store {
    /// All panels by tag but those that are withdrawn: U-2 before U-10.
    pub async fn panels(&self) -> Result<Vec<Panel>, StoreError> {
        Ok(self.register().await?.listed().cloned().collect())
    }

    pub(crate) async fn read_panels(&self) -> Result<Vec<Panel>, StoreError> {
        let rows = sqlx::query(select("")).fetch_all(&self.reader).await?;
        let mut panels: Vec<Panel> = rows.iter().map(panel_from).collect::<Result<_, _>>()?;
        panels.sort_by_cached_key(|panel| natural(&panel.draft.tag));
        Ok(panels)
    }

    pub async fn panel(&self, id: i64) -> Result<Panel, StoreError> {
        let row = sqlx::query(select("WHERE p.id = ?")).bind(id).fetch_optional(&self.reader).await?;
        panel_from(&row.ok_or(StoreError::NotFound("panel"))?)
    }

    /// Adds a panel; answers its id.
    pub async fn add_panel(&self, draft: &PanelDraft) -> Result<i64, StoreError> {
        Ok(self.add_panels(std::slice::from_ref(draft)).await?[0])
    }

    /// Adds a batch of panels, all or none; answers their ids.
    pub async fn add_panels(&self, drafts: &[PanelDraft]) -> Result<Vec<i64>, StoreError> {
        let mut transaction = self.writer()?.begin_with("BEGIN IMMEDIATE").await?;
        let mut ids = Vec::with_capacity(drafts.len());
        for draft in drafts {
            ids.push(insert_panel(&mut transaction, &crate::new_uid(), draft).await?);
        }
        transaction.commit().await?;
        Ok(ids)
    }

    /// Adds a panel whose label nobody has read, with a kind of its own; without a tag it gets one. Its label is given by changing that kind.
    pub async fn add_unlabelled_panel(&self, tag: Option<&str>) -> Result<Panel, StoreError> {
        let mut transaction = self.writer()?.begin_with("BEGIN IMMEDIATE").await?;
        let tag = match tag {
            Some(tag) => tag.to_owned(),
            None => {
                first_free(&mut transaction, "SELECT 1 FROM panels WHERE tag = ?", |number| format!("Unnamed-{number}")).await?
            }
        };
        let name = first_free(&mut transaction, "SELECT 1 FROM panel_kinds WHERE name = ?", |number| match number {
            1 => format!("label not read ({tag})"),
            _ => format!("label not read ({tag}, {number})"),
        });
        let name = name.await?;
        let kind = KindDraft { name, nameplate: Nameplate::default(), doubts_kept: false, price: None };
        let (kind_id, _) = kinds::find_or_insert_kind(&mut transaction, &crate::new_uid(), &kind).await?;
        let draft = PanelDraft { tag, kind_id, ..PanelDraft::default() };
        let id = insert_panel(&mut transaction, &crate::new_uid(), &draft).await?;
        transaction.commit().await?;
        self.panel(id).await
    }

    /// Changes a panel. Where it has another tag, the rigs that it hangs in name it by that.
    pub async fn change_panel(&self, id: i64, draft: &PanelDraft) -> Result<(), StoreError> {
        let mut transaction = self.writer()?.begin_with("BEGIN IMMEDIATE").await?;
        let before: String = sqlx::query_scalar("SELECT tag FROM panels WHERE id = ?")
            .bind(id)
            .fetch_optional(&mut *transaction)
            .await?
            .ok_or(StoreError::NotFound("panel"))?;
        let sql = "UPDATE panels SET tag = ?, kind_id = ?, is_used = ?, age_years = ?, price = ?, notes = ?, provenance = ?, wear = ? \
                   WHERE id = ?";
        bind_draft(sqlx::query(sql), draft).bind(id).execute(&mut *transaction).await.map_err(|error| tag_taken(error, draft))?;
        if before != draft.tag {
            let rigs: Vec<(i64, String)> = sqlx::query_as("SELECT id, wiring FROM rigs").fetch_all(&mut *transaction).await?;
            for (rig, line) in rigs {
                let Some(line) = wiring::renamed(&line, &before, &draft.tag) else { continue };
                sqlx::query("UPDATE rigs SET wiring = ? WHERE id = ?").bind(line).bind(rig).execute(&mut *transaction).await?;
            }
        }
        Ok(transaction.commit().await?)
    }
}

pub(crate) async fn all(connection: &mut SqliteConnection) -> Result<Vec<Panel>, StoreError> {
    sqlx::query(select("ORDER BY p.tag")).fetch_all(connection).await?.iter().map(panel_from).collect()
}

pub(crate) async fn insert_panel(connection: &mut SqliteConnection, uid: &str, draft: &PanelDraft) -> Result<i64, StoreError> {
    let sql = "INSERT INTO panels (tag, kind_id, is_used, age_years, price, notes, provenance, wear, uid) \
               VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)";
    let done =
        bind_draft(sqlx::query(sql), draft).bind(uid).execute(connection).await.map_err(|error| tag_taken(error, draft))?;
    Ok(done.last_insert_rowid())
}

/// The panel of this identity, and else of this tag.
pub(crate) async fn find_panel(connection: &mut SqliteConnection, uid: &str, tag: &str) -> Result<Option<Panel>, StoreError> {
    let sql = select("WHERE p.uid = ? OR p.tag = ? ORDER BY p.uid = ? DESC LIMIT 1");
    let row = sqlx::query(sql).bind(uid).bind(tag).bind(uid).fetch_optional(connection).await?;
    row.as_ref().map(panel_from).transpose()
}

/// The first name, counted from 1, that a query does not find.
async fn first_free(
    connection: &mut SqliteConnection,
    taken: &'static str,
    name_of: impl Fn(u32) -> String,
) -> Result<String, StoreError> {
    let mut number = 1;
    loop {
        let name = name_of(number);
        if sqlx::query(taken).bind(&name).fetch_optional(&mut *connection).await?.is_none() {
            return Ok(name);
        }
        number += 1;
    }
}

/// A tag so that its numbers sort as numbers.
pub(crate) fn natural(tag: &str) -> Vec<(String, u64)> {
    let lower = tag.to_lowercase();
    let mut parts = Vec::new();
    let mut rest = lower.as_str();
    while !rest.is_empty() {
        let words = rest.find(|c: char| c.is_ascii_digit()).unwrap_or(rest.len());
        let digits = rest[words..].find(|c: char| !c.is_ascii_digit()).map_or(rest.len(), |end| words + end);
        parts.push((rest[..words].to_owned(), rest[words..digits].parse().unwrap_or(0)));
        rest = &rest[digits..];
    }
    parts
}

fn tag_taken(error: sqlx::Error, draft: &PanelDraft) -> StoreError {
    if StoreError::is_unique(&error) {
        StoreError::Conflict(format!(
            "Another panel already carries the tag \"{}\" (it may be among the withdrawn ones).",
            draft.tag
        ))
    } else if error.as_database_error().is_some_and(|error| error.is_foreign_key_violation()) {
        StoreError::NotFound("kind of panel")
    } else {
        error.into()
    }
}

type Query<'q> = sqlx::query::Query<'q, sqlx::Sqlite, sqlx::sqlite::SqliteArguments>;

fn bind_draft<'q>(query: Query<'q>, draft: &'q PanelDraft) -> Query<'q> {
    query
        .bind(&draft.tag)
        .bind(draft.kind_id)
        .bind(draft.is_used)
        .bind(draft.age_years)
        .bind(draft.price)
        .bind(&draft.notes)
        .bind(&draft.provenance)
        .bind(Defect::list_text(&draft.wear))
}

fn panel_from(row: &SqliteRow) -> Result<Panel, StoreError> {
    let kind = kind_from(row)?;
    Ok(Panel {
        id: row.try_get("id")?,
        uid: row.try_get("uid")?,
        draft: PanelDraft {
            tag: row.try_get("tag")?,
            kind_id: kind.id,
            is_used: row.try_get("is_used")?,
            age_years: row.try_get("age_years")?,
            price: row.try_get("price")?,
            notes: row.try_get("notes")?,
            provenance: row.try_get("provenance")?,
            wear: Defect::list_from(&row.try_get::<String, _>("wear")?),
        },
        kind,
    })
}

#[cfg(test)]
mod tests {
    use super::natural;

    #[test]
    fn ten_comes_after_two() {
        let mut tags = ["U-10", "U-2", "u-1", "S-1", "U-2.3", "U-2.2"];
        tags.sort_by_cached_key(|tag| natural(tag));
        assert_eq!(tags, ["S-1", "u-1", "U-2", "U-2.2", "U-2.3", "U-10"]);
    }
}
