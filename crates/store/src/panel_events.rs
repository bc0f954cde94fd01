//! What was done to a panel between its tests: cleaned, moved, repaired.

use crate::connections::Store;
use crate::error::StoreError;
use flindo_core::record::bounds;
use flindo_core::record::panel_event::PanelEventKind;
use jiff::civil::Date;
use sqlx::Row;

#[derive(Debug, Clone, PartialEq)]
pub struct PanelEvent {
    pub id: i64,
    pub day: Date,
    pub what: PanelEventKind,
    pub text: String,
}

impl Store {
    /// Of one panel, the oldest first.
    pub async fn panel_events(&self, panel_id: i64) -> Result<Vec<PanelEvent>, StoreError> {
        let sql = "SELECT id, day, what, text FROM panel_events WHERE panel_id = ? ORDER BY day, id";
        let rows = sqlx::query(sql).bind(panel_id).fetch_all(&self.reader).await?;
        rows.iter()
            .map(|row| {
                let id: i64 = row.try_get("id")?;
                let corrupt = || StoreError::Corrupt(format!("the event {id} of a panel"));
                Ok(PanelEvent {
                    id,
                    day: row.try_get::<String, _>("day")?.parse().map_err(|_| corrupt())?,
                    what: PanelEventKind::from_name(&row.try_get::<String, _>("what")?).ok_or_else(corrupt)?,
                    text: row.try_get("text")?,
                })
            })
            .collect()
    }

    pub async fn add_panel_event(&self, panel_id: i64, day: Date, what: PanelEventKind, text: &str) -> Result<(), StoreError> {
        bounds::check_note("text", text)?;
        let sql = "INSERT INTO panel_events (uid, panel_id, day, what, text) SELECT ?, id, ?, ?, ? FROM panels WHERE id = ?";
        let done = sqlx::query(sql)
            .bind(crate::new_uid())
            .bind(day.to_string())
            .bind(what.name())
            .bind(text)
            .bind(panel_id)
            .execute(self.writer()?)
            .await?;
        if done.rows_affected() == 0 { Err(StoreError::NotFound("panel")) } else { Ok(()) }
    }

    pub async fn remove_panel_event(&self, panel_id: i64, id: i64) -> Result<(), StoreError> {
        let sql = "DELETE FROM panel_events WHERE id = ? AND panel_id = ?";
        let done = sqlx::query(sql).bind(id).bind(panel_id).execute(self.writer()?).await?;
        if done.rows_affected() == 0 { Err(StoreError::NotFound("event")) } else { Ok(()) }
    }
}
