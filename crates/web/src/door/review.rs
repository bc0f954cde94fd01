//! A review out of a form or a body, with everything that follows from its tests.

use crate::door::typed::{Pairs, value};
use crate::error::AppError;
use crate::kept::digests::Digest;
use crate::state::AppState;
use flindo_core::decimal::Decimal;
use flindo_core::review::claim::Claim;
use flindo_core::review::summary::Summary;
use flindo_core::review::table::{Table, table};
use flindo_store::ReviewDraft;
use jiff::Timestamp;
use std::sync::Arc;

/// More columns are no table.
pub const MOST_TESTS: usize = 60;

/// A new review of tests by their uids; a name is made where none is given.
pub async fn make(state: &AppState, name: &str, tests: Vec<String>, claims: Vec<Claim>, notes: &str) -> Result<i64, AppError> {
    let draft = draft_of(state, name, tests, claims, notes).await?;
    Ok(state.store.add_review(&draft, Timestamp::now()).await?)
}

/// A review of tests of the bench; without a name it has that of its question and kinds.
pub async fn draft_of(
    state: &AppState,
    name: &str,
    tests: Vec<String>,
    claims: Vec<Claim>,
    notes: &str,
) -> Result<ReviewDraft, AppError> {
    if tests.is_empty() || tests.len() > MOST_TESTS {
        return Err(AppError::input(
            "test",
            "",
            format!("Choose 1 to {MOST_TESTS} tests in the logbook; {} are chosen.", tests.len()),
        ));
    }
    let all = state.all_digests().await?;
    let chosen: Vec<&Digest> =
        tests.iter().filter_map(|uid| all.digests.iter().find(|digest| digest.test.uid == *uid)).map(|one| &**one).collect();
    if chosen.len() < tests.len() {
        return Err(AppError::input("test", "", "A chosen test is not on the bench."));
    }
    let mut kinds: Vec<&str> = chosen.iter().map(|digest| digest.kind.as_str()).collect();
    kinds.sort_unstable();
    kinds.dedup();
    let question = chosen.first().map_or("", |digest| digest.test.question.label());
    let made = format!("{} {}", question, kinds.join(", "));
    let name = if name.trim().is_empty() { made } else { name.trim().to_owned() };
    Ok(ReviewDraft { name: name.chars().take(120).collect(), tests, claims, notes: notes.trim().to_owned() })
}

/// The tests of a review with what the circuit predicts; and how many of them are not on the bench.
pub async fn chosen(state: &AppState, draft: &ReviewDraft) -> Result<(Vec<Arc<Digest>>, usize), AppError> {
    let all = state.all_digests().await?;
    let ids: Vec<i64> =
        draft.tests.iter().filter_map(|uid| all.digests.iter().find(|one| one.test.uid == *uid)).map(|one| one.test.id).collect();
    let missing = draft.tests.len() - ids.len();
    Ok((state.whole_digests(&ids).await?, missing))
}

/// A review with everything that follows from its tests.
pub async fn reviewed(state: &AppState, draft: &ReviewDraft) -> Result<(Vec<Arc<Digest>>, Table), AppError> {
    let (digests, _) = chosen(state, draft).await?;
    let summaries: Vec<Summary> = digests.iter().map(|digest| digest.summary.clone()).collect();
    let found = table(&summaries);
    Ok((digests, found))
}

/// A claim out of a form: "20", "25" percent more.
pub fn claim_of(typed: &Pairs) -> Result<Claim, AppError> {
    let field = |name: &str| value(typed, name).trim().to_owned();
    let number = |name: &str| {
        let text = field(name);
        Decimal::parse(text.trim_end_matches('%').trim_end())
            .map(Decimal::value)
            .map_err(|error| AppError::input(name, &text, format!("{error}. Write percent, such as 20.")))
    };
    let (low_percent, high) = (number("low")?, field("high"));
    let high_percent = if high.is_empty() { None } else { Some(number("high")?) };
    if high_percent.is_some_and(|high| high < low_percent) {
        return Err(AppError::input("high", &high, "The upper limit of the claim lies below its lower one."));
    }
    if field("subject") == field("than") {
        return Err(AppError::input("than", &field("than"), "A claim needs two different products."));
    }
    Ok(Claim { subject: field("subject"), than: field("than"), pattern: field("pattern"), low_percent, high_percent })
}
