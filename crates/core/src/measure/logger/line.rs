//! A line of a file as its cells, and a cell as a number.

use super::Delimiter;
use std::borrow::Cow;

/// A quotation mark that is not closed in its line: loggers write no cell over two lines, so that only this line is in doubt and not
/// those up to the next mark.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct OpenQuote;

/// The cells of a line, without the spaces around them.
///
/// # Errors
/// [`OpenQuote`].
pub fn cells(line: &str, delimiter: Delimiter) -> Result<Vec<Cow<'_, str>>, OpenQuote> {
    let line = line.trim_end_matches(['\r', '\n']);
    if delimiter == Delimiter::Spaces {
        return Ok(line.split(' ').filter(|cell| !cell.is_empty()).map(Cow::Borrowed).collect());
    }
    if !line.contains('"') {
        return Ok(line.split(delimiter.sign()).map(|cell| Cow::Borrowed(cell.trim())).collect());
    }
    if line.matches('"').count() % 2 == 1 {
        return Err(OpenQuote);
    }
    let mut reader = csv::ReaderBuilder::new()
        .delimiter(delimiter.sign() as u8)
        .has_headers(false)
        .flexible(true)
        .from_reader(line.as_bytes());
    let record = reader.records().next().and_then(Result::ok).unwrap_or_default();
    Ok(record.iter().map(|cell| Cow::Owned(cell.trim().to_owned())).collect())
}

/// The cells of a line of a header, in which a lone quotation mark is an inch.
pub fn header_cells(line: &str, delimiter: Delimiter) -> Vec<String> {
    let found = cells(line, delimiter).unwrap_or_else(|OpenQuote| line.split(delimiter.sign()).map(Cow::Borrowed).collect());
    found.into_iter().map(|cell| cell.trim().to_owned()).collect()
}

/// A number with a point, or with a comma where the file has commas. The other sign, a space or an apostrophe sets thousands
/// apart, and then stands before every three digits: "30,9" in a file with points is none.
pub fn number(cell: &str, decimal_comma: bool) -> Option<f64> {
    if !decimal_comma && let Ok(value) = cell.parse::<f64>() {
        return Some(value).filter(|value| value.is_finite());
    }
    // A sign as typographers write it.
    let plain = cell.replace('\u{2212}', "-");
    let (decimal, group) = if decimal_comma { (',', '.') } else { ('.', ',') };
    let (whole, fraction) = match plain.split_once(decimal) {
        Some((whole, fraction)) => (whole, Some(fraction)),
        None => (plain.as_str(), None),
    };
    let (sign, digits) = match whole.strip_prefix(['-', '+']) {
        Some(digits) if whole.starts_with('-') => ("-", digits),
        Some(digits) => ("", digits),
        None => ("", whole),
    };
    let signs = [group, ' ', '\u{a0}', '\u{202f}', '\'', '\u{2019}'];
    let together = match digits.chars().find(|c| signs.contains(c)) {
        Some(sign) => is_grouped(digits, sign).then(|| digits.replace(sign, ""))?,
        None => digits.to_owned(),
    };
    let text = match fraction {
        Some(fraction) => format!("{sign}{together}.{fraction}"),
        None => format!("{sign}{together}"),
    };
    text.parse().ok().filter(|value: &f64| value.is_finite())
}

/// Whether digits stand in groups of three: "1.250", "12.345.678". Such a figure alone may be thousands or a fraction.
pub fn is_grouped(digits: &str, sign: char) -> bool {
    let mut groups = digits.trim_start_matches(['-', '+', '\u{2212}']).split(sign);
    let is_of = |group: &str, least: usize| (least..=3).contains(&group.len()) && group.bytes().all(|byte| byte.is_ascii_digit());
    let first = groups.next().is_some_and(|first| is_of(first, 1) && (first == "0" || !first.starts_with('0')));
    let mut rest = groups.peekable();
    first && rest.peek().is_some() && rest.all(|group| is_of(group, 3))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_line_is_its_cells_and_an_open_quote_is_told() {
        let of = |line: &'static str, delimiter| cells(line, delimiter).map(|cells| cells.join("|"));
        assert_eq!(of("a; b ;c\r\n", Delimiter::Semicolon).as_deref(), Ok("a|b|c"));
        assert_eq!(of("\"a;b\";c;", Delimiter::Semicolon).as_deref(), Ok("a;b|c|"));
        assert_eq!(of("2026-05-04   10:15  18.4", Delimiter::Spaces).as_deref(), Ok("2026-05-04|10:15|18.4"));
        assert_eq!(of("10:15,18.4\",5", Delimiter::Comma), Err(OpenQuote));
        assert_eq!(header_cells("3\" panel,W", Delimiter::Comma), ["3\" panel", "W"]);
    }

    #[test]
    fn thousands_stand_before_every_three_digits() {
        for (cell, decimal_comma, value) in [
            ("18.4", false, Some(18.4)),
            ("1,250.5", false, Some(1250.5)),
            ("1,250", false, Some(1250.0)),
            ("30,9", false, None),
            ("1,25", false, None),
            ("18,4", true, Some(18.4)),
            ("1.250,5", true, Some(1250.5)),
            ("156.500", true, Some(156_500.0)),
            ("5.6", true, None),
            ("12", true, Some(12.0)),
            ("-0,012", true, Some(-0.012)),
            ("\u{2212}4.2", false, Some(-4.2)),
            ("1 234,5", true, Some(1234.5)),
            ("1'234.5", false, Some(1234.5)),
            ("1.2E+03", false, Some(1200.0)),
            ("1,2E+03", true, Some(1200.0)),
            ("inf", false, None),
            ("5.6x", false, None),
            ("1,2,3", true, None),
        ] {
            assert_eq!(number(cell, decimal_comma), value, "{cell} {decimal_comma}");
        }
        assert!(is_grouped("1.250", '.') && is_grouped("12.345.678", '.') && is_grouped("0.125", '.'));
        assert!(!is_grouped("18.4", '.') && !is_grouped("1250", '.') && !is_grouped("00.125", '.'));
    }
}
