//! Set-ups of predicting pages, kept by name.

use crate::door::typed::Pairs;
use crate::error::AppError;
use crate::figures::day;
use flindo_store::Store;
use jiff::Timestamp;
use jiff::tz::TimeZone;

/// The pages that have set-ups.
pub const PAGES: [&str; 7] = ["/shade", "/shadow", "/ways", "/unlike", "/controllers", "/strings", "/tilt"];

const LONGEST_NAME: usize = 80;

/// The fields of a form as they are kept.
pub fn encoded(fields: &Pairs) -> String {
    form_urlencoded::Serializer::new(String::new()).extend_pairs(fields).finish()
}

/// Keeps the set-up of a page; answers its id. Without a name it has that of the day.
pub async fn keep(store: &Store, page: &str, name: &str, fields: &Pairs) -> Result<i64, AppError> {
    if !PAGES.contains(&page) {
        return Err(AppError::input("page", page, format!("This page has no set-ups; these have: {}.", PAGES.join(", "))));
    }
    let now = Timestamp::now();
    let name = name.trim();
    let name = if name.is_empty() { format!("Set-up of {}", day(now, &TimeZone::UTC)) } else { name.to_owned() };
    let name: String = name.chars().take(LONGEST_NAME).collect();
    Ok(store.keep_calculation(page, &name, &encoded(fields), now).await?)
}
