//! A value of a table as the cell of a CSV, and back.

use super::tables::ColumnInfo;
use sqlx::sqlite::SqliteRow;
use sqlx::{Row, ValueRef};

/// A value of a strict table that is no file.
#[derive(Debug, Clone, PartialEq)]
pub(crate) enum Cell {
    Nothing,
    Whole(i64),
    Real(f64),
    Text(String),
}

/// The cell of a column in a row that was read by name.
pub(crate) fn read(row: &SqliteRow, column: &ColumnInfo) -> Result<String, sqlx::Error> {
    let name = column.name.as_str();
    if row.try_get_raw(name)?.is_null() {
        return Ok(String::new());
    }
    Ok(match column.kind.as_str() {
        "INTEGER" => row.try_get::<i64, _>(name)?.to_string(),
        "REAL" => row.try_get::<f64, _>(name)?.to_string(),
        _ => text_cell(row.try_get(name)?, column),
    })
}

/// Nothing is an empty cell. In a column that may have nothing, an empty text (and one that begins like it) has a backslash before it.
fn text_cell(text: String, column: &ColumnInfo) -> String {
    if !column.is_required && (text.is_empty() || text.starts_with('\\')) { format!("\\{text}") } else { text }
}

/// A cell as the value of a column.
///
/// # Errors
/// What is wrong with it, as the end of a sentence.
pub(crate) fn parse(cell: &str, column: &ColumnInfo) -> Result<Cell, String> {
    if column.kind == "TEXT" {
        return Ok(match cell {
            "" if !column.is_required => Cell::Nothing,
            text if !column.is_required => Cell::Text(text.strip_prefix('\\').unwrap_or(text).to_owned()),
            text => Cell::Text(text.to_owned()),
        });
    }
    if cell.is_empty() {
        return if column.is_required { Err("is empty, and must not be".to_owned()) } else { Ok(Cell::Nothing) };
    }
    let wrong = || format!("\u{201c}{}\u{201d} is not a number", cell.chars().take(60).collect::<String>());
    match column.kind.as_str() {
        "INTEGER" => cell.parse().map(Cell::Whole).map_err(|_| wrong().replace("a number", "a whole number")),
        _ => cell.parse().ok().filter(|value: &f64| value.is_finite()).map(Cell::Real).ok_or_else(wrong),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn column(kind: &str, is_required: bool) -> ColumnInfo {
        ColumnInfo { name: "x".to_owned(), kind: kind.to_owned(), is_required, is_key: false }
    }

    #[test]
    fn nothing_and_an_empty_text_are_told_apart() {
        let optional = column("TEXT", false);
        for text in ["", "\\", "\\x", "a", "\u{fc}\n\"", " "] {
            assert_eq!(parse(&text_cell(text.to_owned(), &optional), &optional), Ok(Cell::Text(text.to_owned())), "{text:?}");
        }
        assert_eq!(parse("", &optional), Ok(Cell::Nothing));
        assert_eq!(parse("", &column("TEXT", true)), Ok(Cell::Text(String::new())));
    }

    #[test]
    fn numbers_come_back_as_they_were() {
        for value in [0.1 + 0.2, 1e21, -5e-324, 12.0] {
            assert_eq!(parse(&value.to_string(), &column("REAL", true)), Ok(Cell::Real(value)));
        }
        assert!(parse("x", &column("REAL", true)).is_err() && parse("1.5", &column("INTEGER", true)).is_err());
        assert!(parse("inf", &column("REAL", true)).is_err() && parse("", &column("REAL", true)).is_err());
        assert_eq!(parse("", &column("REAL", false)), Ok(Cell::Nothing));
    }
}
