//! Identities made by a sender, so that the same record sent again is the one that is there.

use crate::connections::Store;
use crate::error::StoreError;

/// What can carry an identity of its sender.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Identified {
    Place,
    Kind,
    Panel,
    Gear,
    Rig,
    Test,
}

impl Identified {
    fn table(self) -> &'static str {
        match self {
            Identified::Place => "places",
            Identified::Kind => "panel_kinds",
            Identified::Panel => "panels",
            Identified::Gear => "gear",
            Identified::Rig => "rigs",
            Identified::Test => "tests",
        }
    }
}

impl Store {
    /// The record of this identity, if there is one.
    pub async fn id_of_uid(&self, what: Identified, uid: &str) -> Result<Option<i64>, StoreError> {
        let sql = sqlx::AssertSqlSafe(format!("SELECT id FROM {} WHERE uid = ?", what.table()));
        Ok(sqlx::query_scalar(sql).bind(uid).fetch_optional(&self.reader).await?)
    }

    /// Gives a new record the identity that its sender made.
    pub async fn set_uid(&self, what: Identified, id: i64, uid: &str) -> Result<(), StoreError> {
        let sql = sqlx::AssertSqlSafe(format!("UPDATE {} SET uid = ? WHERE id = ?", what.table()));
        match sqlx::query(sql).bind(uid).bind(id).execute(self.writer()?).await {
            Ok(_) => Ok(()),
            Err(error) if StoreError::is_unique(&error) => {
                Err(StoreError::Conflict(format!("Another record already has the identity \"{uid}\".")))
            }
            Err(error) => Err(error.into()),
        }
    }
}
