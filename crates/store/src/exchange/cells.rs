//! Texts as cells of a table: what a spreadsheet would run as a formula goes out behind an apostrophe, and comes back without it.

use std::borrow::Cow;

/// First signs of what spreadsheets run. Common practice, no source.
const RUNS: [char; 6] = ['=', '+', '-', '@', '\t', '\r'];

/// A cell that would be run, or that begins with the sign which keeps others from it. A number is a number.
fn wants_apostrophe(text: &str) -> bool {
    let is_run = text.starts_with(RUNS) && text.parse::<f64>().is_err();
    is_run || text.strip_prefix('\'').is_some_and(|rest| rest.starts_with(RUNS) || rest.starts_with('\''))
}

/// The text as it goes into a table.
pub fn outward(text: &str) -> Cow<'_, str> {
    if wants_apostrophe(text) { Cow::Owned(format!("'{text}")) } else { Cow::Borrowed(text) }
}

/// The text of a cell as it was before [`outward`].
pub fn inward(cell: &str) -> &str {
    match cell.strip_prefix('\'') {
        Some(rest) if wants_apostrophe(rest) => rest,
        Some(_) | None => cell,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn formulas_are_texts_and_numbers_stay_numbers() {
        assert_eq!(outward("=1+1"), "'=1+1");
        assert_eq!(outward("-5 C in the shade"), "'-5 C in the shade");
        assert_eq!(outward("-5.25"), "-5.25");
        assert_eq!(outward("'tis noon"), "'tis noon");
        assert_eq!(inward("'tis noon"), "'tis noon");
    }

    proptest! {
        #[test]
        fn every_text_comes_back(text in "[='+@\\-\t\r0-9a-z ]{0,12}") {
            let out = outward(&text).into_owned();
            prop_assert_eq!(inward(&out), &text);
            prop_assert!(!out.starts_with(RUNS) || out.parse::<f64>().is_ok());
        }
    }
}
