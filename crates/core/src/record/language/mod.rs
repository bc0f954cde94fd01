//! The one language of conditions: a level of a plan as a person types it, read here once, and written here in words that are read as the
//! same.
//!
//! | file | reads and writes |
//! |---|---|
//! | [`number`] | "twenty-one", "two and a half", "a quarter of 6", "second" |
//! | [`shade`] | what lies on a face: "bottom row of cells", "band across 20 %", "10 cm along the top" |
//! | [`whereabouts`] | on which panels: "on panels 2 and 3", "on each", "first string", "one and a half uncovered" |
//! | [`measured_at`] | where the meter sits: "string 2", "all strings", "the battery" |
//! | [`work`] | lines at work: what changed, what was read, or both |
//! | [`level`] | conditions of every factor, and levels of a plan |
//!
//! Each word stands in one table that both directions use. A number that cannot be read is refused with a sentence, and words that say
//! nothing here are handed back ([`level::unread`]), so that a page can say so: nothing is put in their place.

pub mod level;
pub mod measured_at;
pub mod number;
pub mod shade;
pub mod whereabouts;
pub mod work;

/// The words of a text in small letters, without the marks around them: "%" stands alone, a comma between digits is a decimal mark, and a
/// hyphen between two number words parts them.
fn words(text: &str) -> Vec<String> {
    let lower = text.to_lowercase();
    let signs: Vec<char> = lower.chars().collect();
    let is_digit = |at: Option<usize>| at.and_then(|at| signs.get(at)).is_some_and(char::is_ascii_digit);
    let mut spaced = String::with_capacity(lower.len());
    for (at, sign) in signs.iter().enumerate() {
        match sign {
            '%' => spaced.push_str(" % "),
            ',' if is_digit(at.checked_sub(1)) && is_digit(Some(at + 1)) => spaced.push('.'),
            ',' | ';' | '(' | ')' => spaced.push(' '),
            _ => spaced.push(*sign),
        }
    }
    let words = spaced.split_whitespace().map(|word| word.trim_matches(['.', ':', '"', '\u{201c}', '\u{201d}']));
    words.filter(|word| !word.is_empty()).flat_map(number::parted).collect()
}
