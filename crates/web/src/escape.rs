//! How text that somebody typed, or a file or device brought, stands in a page: askama.toml names this for all templates.

use askama::filters::{Escaper, Html};
use std::fmt::{self, Write};

/// As HTML wants it; and signs that turn the direction of writing around are shown by their number, since with them a name can read as
/// another one ("gnp.exe"). Marks of a language (U+200E, U+200F, U+061C) turn nothing and stay.
#[derive(Debug, Clone, Copy)]
pub struct Text;

/// Embeddings, overrides and isolates of the bidirectional algorithm (Unicode Standard Annex 9, 2.1 to 2.5).
fn turns(sign: char) -> bool {
    matches!(sign, '\u{202a}'..='\u{202e}' | '\u{2066}'..='\u{2069}')
}

impl Escaper for Text {
    fn write_escaped_str<W: Write>(&self, mut dest: W, text: &str) -> fmt::Result {
        let mut rest = text;
        while let Some((at, sign)) = rest.char_indices().find(|(_, sign)| turns(*sign)) {
            Html.write_escaped_str(&mut dest, &rest[..at])?;
            write!(dest, "[U+{:04X}]", u32::from(sign))?;
            rest = &rest[at + sign.len_utf8()..];
        }
        Html.write_escaped_str(dest, rest)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn written(text: &str) -> String {
        let mut written = String::new();
        Text.write_escaped_str(&mut written, text).unwrap();
        written
    }

    #[test]
    fn what_turns_the_direction_is_shown_and_the_rest_is_as_html_wants_it() {
        assert_eq!(written("a\u{202e}gnp.exe <b> & \u{2069}\u{2066}"), "a[U+202E]gnp.exe &#60;b&#62; &#38; [U+2069][U+2066]");
        assert_eq!(written("\u{5e9}\u{5dc}\u{5d5}\u{5dd} \u{200f}35\u{b0}"), "\u{5e9}\u{5dc}\u{5d5}\u{5dd} \u{200f}35\u{b0}");
        assert_eq!(written(""), "");
    }
}
