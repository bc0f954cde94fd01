//! Set-ups of predicting pages, kept by name, and the tests that were started from them.

use crate::connections::Store;
use crate::error::StoreError;
use jiff::Timestamp;
use sqlx::Row;
use sqlx::sqlite::SqliteRow;

/// A set-up that was kept.
#[derive(Debug, Clone, PartialEq)]
pub struct Calculation {
    pub id: i64,
    pub name: String,
    /// The path of its page.
    pub page: String,
    /// The fields of its form as typed, URL-encoded.
    pub fields: String,
    /// Tests that were started from it, the newest first.
    pub tests: Vec<i64>,
}

impl Calculation {
    /// Where it is shown.
    pub fn link(&self) -> String {
        format!("{}?{}", self.page, self.fields)
    }
}

const SELECT: &str = "SELECT c.id, c.name, c.page, c.fields, \
                      (SELECT group_concat(test_id) FROM (SELECT test_id FROM calculation_tests WHERE calculation_id = c.id \
                       ORDER BY test_id DESC)) AS tests FROM calculations c";

impl Store {
    /// Of one page, or of all, the newest first.
    pub async fn calculations(&self, page: Option<&str>) -> Result<Vec<Calculation>, StoreError> {
        let sql = sqlx::AssertSqlSafe(format!("{SELECT} WHERE ?1 IS NULL OR c.page = ?1 ORDER BY c.created_utc DESC, c.id DESC"));
        sqlx::query(sql).bind(page).fetch_all(&self.reader).await?.iter().map(calculation_from).collect()
    }

    /// The set-up a test was started from.
    pub async fn calculation_of(&self, test_id: i64) -> Result<Option<Calculation>, StoreError> {
        let sql = sqlx::AssertSqlSafe(format!(
            "{SELECT} WHERE c.id = (SELECT calculation_id FROM calculation_tests WHERE test_id = ?)"
        ));
        let row = sqlx::query(sql).bind(test_id).fetch_optional(&self.reader).await?;
        row.as_ref().map(calculation_from).transpose()
    }

    /// Keeps a set-up under its name; one of the same page and name is replaced. Answers its id.
    pub async fn keep_calculation(&self, page: &str, name: &str, fields: &str, now: Timestamp) -> Result<i64, StoreError> {
        let sql = "INSERT INTO calculations (uid, name, page, fields, created_utc) VALUES (?, ?, ?, ?, ?) \
                   ON CONFLICT (page, name) DO UPDATE SET fields = excluded.fields, created_utc = excluded.created_utc RETURNING id";
        Ok(sqlx::query_scalar(sql)
            .bind(crate::new_uid())
            .bind(name)
            .bind(page)
            .bind(fields)
            .bind(now.to_string())
            .fetch_one(self.writer()?)
            .await?)
    }

    /// Notes that a test was started from a set-up.
    pub async fn link_calculation(&self, id: i64, test_id: i64) -> Result<(), StoreError> {
        sqlx::query("INSERT OR REPLACE INTO calculation_tests (test_id, calculation_id) VALUES (?, ?)")
            .bind(test_id)
            .bind(id)
            .execute(self.writer()?)
            .await?;
        Ok(())
    }
}

fn calculation_from(row: &SqliteRow) -> Result<Calculation, StoreError> {
    let tests: Option<String> = row.try_get("tests")?;
    Ok(Calculation {
        id: row.try_get("id")?,
        name: row.try_get("name")?,
        page: row.try_get("page")?,
        fields: row.try_get("fields")?,
        tests: tests.unwrap_or_default().split(',').filter_map(|id| id.parse().ok()).collect(),
    })
}
