//! Tests by words that were written about them.

use crate::connections::Store;
use crate::error::StoreError;
use std::collections::HashSet;

impl Store {
    /// Tests with a word in the note of a reading, in an event of a run, in the caption of a photo or in the plan. Letters count alike in
    /// upper and lower case, as far as ASCII goes.
    pub async fn tests_with_word(&self, word: &str) -> Result<HashSet<i64>, StoreError> {
        let mut escaped = String::with_capacity(word.len() + 2);
        for c in word.chars() {
            if matches!(c, '%' | '_' | '\\') {
                escaped.push('\\');
            }
            escaped.push(c);
        }
        let sql = "SELECT test_id FROM readings WHERE note <> '' AND note LIKE ?1 ESCAPE '\\' \
                   UNION SELECT r.test_id FROM run_events e JOIN runs r ON r.id = e.run_id \
                         WHERE e.text <> '' AND e.what <> 'confirmed' AND e.text LIKE ?1 ESCAPE '\\' \
                   UNION SELECT test_id FROM photos WHERE caption LIKE ?1 ESCAPE '\\' \
                   UNION SELECT id FROM tests WHERE plan LIKE ?1 ESCAPE '\\'";
        let ids: Vec<i64> = sqlx::query_scalar(sql).bind(format!("%{escaped}%")).fetch_all(&self.reader).await?;
        Ok(ids.into_iter().collect())
    }
}
