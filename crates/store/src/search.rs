//! What is on the bench, by words that were written about it.

use crate::Withdrawable;
use crate::connections::Store;
use crate::error::StoreError;
use std::collections::HashSet;

/// A record that a search found.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FoundRecord {
    pub what: Withdrawable,
    pub id: i64,
    /// What a person calls it.
    pub name: String,
    /// What was written about it, its name first.
    pub text: String,
}

/// Id, name and text of each record of a kind, as a query.
const TEXTS: [(Withdrawable, &str); 7] = [
    (
        Withdrawable::Panel,
        "SELECT p.id, p.tag, p.tag || ' ' || k.name || ' ' || p.notes || ' ' || ifnull(p.provenance, '') || ' ' || \
         ifnull((SELECT group_concat(e.text, ' ') FROM panel_events e WHERE e.panel_id = p.id), '') \
         FROM panels p JOIN panel_kinds k ON k.id = p.kind_id",
    ),
    (Withdrawable::Kind, "SELECT id, name, name || ' ' || technology || ' ' || construction FROM panel_kinds"),
    (
        Withdrawable::Gear,
        "SELECT g.id, g.name, g.name || ' ' || g.notes || ' ' || \
         ifnull((SELECT group_concat(f.value, ' ') FROM gear_fields f WHERE f.gear_id = g.id), '') FROM gear g",
    ),
    (Withdrawable::Rig, "SELECT id, name, name || ' ' || wiring FROM rigs"),
    (Withdrawable::Place, "SELECT id, name, name FROM places"),
    (Withdrawable::Log, "SELECT id, name, name FROM logs"),
    (Withdrawable::Review, "SELECT id, name, name || ' ' || notes FROM reviews"),
];

/// A word as a pattern of LIKE.
fn pattern(word: &str) -> String {
    let mut escaped = String::with_capacity(word.len() + 2);
    for c in word.chars() {
        if matches!(c, '%' | '_' | '\\') {
            escaped.push('\\');
        }
        escaped.push(c);
    }
    format!("%{escaped}%")
}

impl Store {
    /// Tests with a word in the note of a reading, in an event of a run, in the caption of a photo or in what was expected of
    /// it. Letters count alike in upper and lower case, as far as ASCII goes.
    pub async fn tests_with_word(&self, word: &str) -> Result<HashSet<i64>, StoreError> {
        let sql = "SELECT test_id FROM readings WHERE note <> '' AND note LIKE ?1 ESCAPE '\\' \
                   UNION SELECT r.test_id FROM run_events e JOIN runs r ON r.id = e.run_id \
                         WHERE e.text <> '' AND e.what <> 'confirmed' AND e.text LIKE ?1 ESCAPE '\\' \
                   UNION SELECT test_id FROM photos WHERE caption LIKE ?1 ESCAPE '\\' \
                   UNION SELECT id FROM tests WHERE json_extract(plan, '$.prediction') LIKE ?1 ESCAPE '\\'";
        let ids: Vec<i64> = sqlx::query_scalar(sql).bind(pattern(word)).fetch_all(&self.reader).await?;
        Ok(ids.into_iter().collect())
    }

    /// Records that have every one of some words in their names or in what was written about them: of panels also what was done to them and
    /// their kind; without tests, whose words are many. At most `most` of each kind; what is withdrawn is not found.
    pub async fn search(&self, words: &[String], most: i64) -> Result<Vec<FoundRecord>, StoreError> {
        let mut found = Vec::new();
        if words.is_empty() {
            return Ok(found);
        }
        for (what, sql) in TEXTS {
            let has_all = vec!["text LIKE ? ESCAPE '\\'"; words.len()].join(" AND ");
            let sql = format!(
                "WITH found (id, name, text) AS ({sql}) SELECT id, name, text FROM found WHERE {has_all} \
                 AND id NOT IN (SELECT row_id FROM withdrawn WHERE what = '{}') ORDER BY name COLLATE NOCASE, id LIMIT ?",
                what.name()
            );
            let mut query = sqlx::query_as::<_, (i64, String, String)>(sqlx::AssertSqlSafe(sql));
            for word in words {
                query = query.bind(pattern(word));
            }
            let rows = query.bind(most).fetch_all(&self.reader).await?;
            found.extend(rows.into_iter().map(|(id, name, text)| FoundRecord { what, id, name, text }));
        }
        Ok(found)
    }
}
