//! The bench itself: its name, its clock, its currency.

use crate::connections::Store;
use crate::error::StoreError;
use sqlx::sqlite::SqliteRow;
use sqlx::{FromRow, Row};

/// Whose bench it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum BenchKind {
    Own,
    /// Made-up data; only a demo bench may be started over.
    Demo,
}

/// The place and its habits.
#[derive(Debug, Clone, PartialEq)]
pub struct Bench {
    pub name: String,
    /// IANA name.
    pub time_zone: String,
    pub currency: String,
    pub is_demo: bool,
}

impl FromRow<'_, SqliteRow> for Bench {
    fn from_row(row: &SqliteRow) -> Result<Self, sqlx::Error> {
        Ok(Bench {
            name: row.try_get("name")?,
            time_zone: row.try_get("time_zone")?,
            currency: row.try_get("currency")?,
            is_demo: row.try_get("is_demo")?,
        })
    }
}

impl Bench {
    /// As a new bench begins.
    pub(crate) fn new(kind: BenchKind, time_zone: &str) -> Self {
        let is_demo = kind == BenchKind::Demo;
        let name = if is_demo { "Market-garden workshop" } else { "My bench" };
        Bench { name: name.to_owned(), time_zone: time_zone.to_owned(), currency: "EUR".to_owned(), is_demo }
    }
}

impl Store {
    /// The bench as it is; written as `new` where the file is new.
    pub(crate) async fn ensure_bench(&self, new: &Bench) -> Result<Bench, StoreError> {
        sqlx::query("INSERT OR IGNORE INTO bench (id, name, time_zone, currency, is_demo) VALUES (1, ?, ?, ?, ?)")
            .bind(&new.name)
            .bind(&new.time_zone)
            .bind(&new.currency)
            .bind(new.is_demo)
            .execute(self.writer()?)
            .await?;
        Ok(sqlx::query_as("SELECT name, time_zone, currency, is_demo FROM bench").fetch_one(self.writer()?).await?)
    }

    pub async fn bench(&self) -> Result<Bench, StoreError> {
        Ok(sqlx::query_as("SELECT name, time_zone, currency, is_demo FROM bench").fetch_one(&self.reader).await?)
    }

    /// Changes name, time zone and currency.
    pub async fn change_bench(&self, name: &str, time_zone: &str, currency: &str) -> Result<(), StoreError> {
        sqlx::query("UPDATE bench SET name = ?, time_zone = ?, currency = ?")
            .bind(name)
            .bind(time_zone)
            .bind(currency)
            .execute(self.writer()?)
            .await?;
        Ok(())
    }
}
