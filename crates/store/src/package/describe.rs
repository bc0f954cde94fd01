//! `datapackage.json`: what is in the package, so that a general-purpose tool can read and check it.

use super::error::VERSION;
use super::tables::{ColumnInfo, Known, Table};
use jiff::Timestamp;
use serde_json::{Value, json};
use std::collections::HashMap;

/// The unit of a column by the end of its name, longest first.
const UNITS: &[(&str, &str)] = &[
    ("_percent_per_year", "%/a"),
    ("_percent", "%"),
    ("_w_m2", "W/m2"),
    ("_deg", "deg"),
    ("_years", "a"),
    ("_utc", "RFC 3339, UTC"),
    ("_kg", "kg"),
    ("_px", "px"),
    ("_ms", "ms"),
    ("_w", "W"),
    ("_v", "V"),
    ("_a", "A"),
    ("_c", "C"),
    ("_k", "K"),
    ("_m", "m"),
    ("_s", "s"),
];

/// A file of a package with what stands in it.
pub(super) struct Resource {
    pub name: String,
    pub path: String,
    pub about: Value,
}

pub(super) fn package(resources: &[Resource], created: Timestamp) -> Value {
    let of = |one: &Resource| {
        let mut about = one.about.clone();
        about["name"] = json!(one.name);
        about["path"] = json!(one.path);
        about
    };
    json!({
        "profile": "data-package",
        "name": "flindo-bench",
        "title": "A bench of solar panels, their tests and logs",
        "created": created.to_string(),
        "flindo": { "package": VERSION, "program": env!("CARGO_PKG_VERSION") },
        "resources": resources.iter().map(of).collect::<Vec<Value>>(),
    })
}

fn csv(fields: Vec<Value>, more: &[(&str, Value)]) -> Value {
    let mut schema = json!({ "fields": fields, "missingValues": [""] });
    for (name, value) in more {
        schema[*name] = value.clone();
    }
    json!({ "profile": "tabular-data-resource", "format": "csv", "mediatype": "text/csv", "encoding": "utf-8", "schema": schema })
}

/// A table. `sql` is the statement that made it: its comments are the descriptions.
pub(super) fn table(table: &Table, columns: &[ColumnInfo], sql: &str) -> Value {
    let comments = comments(sql);
    let fields = columns.iter().map(|column| field(table, column, comments.get(column.name.as_str()).copied())).collect();
    let keys: Vec<&str> = columns.iter().filter(|column| column.is_key).map(|column| column.name.as_str()).collect();
    let foreign: Vec<Value> = table
        .refers
        .iter()
        .map(|(column, of)| {
            // A table that refers to itself names no other.
            let resource = if *of == table.name { "" } else { of };
            json!({ "fields": column, "reference": { "resource": resource, "fields": "id" } })
        })
        .collect();
    csv(fields, &[("primaryKey", json!(keys)), ("foreignKeys", json!(foreign))])
}

fn field(table: &Table, column: &ColumnInfo, comment: Option<&str>) -> Value {
    let kind = match column.kind.as_str() {
        "INTEGER" => "integer",
        "REAL" => "number",
        _ => "string",
    };
    let mut field = json!({ "name": column.name, "type": kind });
    let mut constraints = json!({});
    // An empty text is a text, but reads as nothing in a table of text.
    if column.is_required && kind != "string" {
        constraints["required"] = json!(true);
    }
    if is_known_by(table, &column.name) {
        constraints["unique"] = json!(true);
    }
    if constraints != json!({}) {
        field["constraints"] = constraints;
    }
    if let Some((_, unit)) = UNITS.iter().find(|(end, _)| column.name.ends_with(end)) {
        field["unit"] = json!(unit);
    }
    let mut words: Vec<String> = comment.map(str::to_owned).into_iter().collect();
    if kind == "string" && !column.is_required {
        words.push("Empty: nothing. A text that is empty or begins with a backslash has a backslash before it.".to_owned());
    }
    if !words.is_empty() {
        field["description"] = json!(words.join(". "));
    }
    field
}

fn is_known_by(table: &Table, column: &str) -> bool {
    matches!(table.known, Known::By(known) if known == column)
}

/// The comment beside each column in the statement of its table.
fn comments(sql: &str) -> HashMap<&str, &str> {
    sql.lines()
        .filter_map(|line| {
            let (column, comment) = line.split_once("--")?;
            let name = column.split_whitespace().next()?;
            Some((name, comment.trim()))
        })
        .collect()
}

/// The samples of a log.
pub(super) fn log() -> Value {
    let fields = vec![
        json!({ "name": "quantity", "type": "string", "constraints": { "required": true }, "description": "Its name ends in its unit" }),
        json!({ "name": "chunk", "type": "integer", "description": "Part of the log as it came; empty: not packed yet" }),
        json!({ "name": "at_ms", "type": "integer", "constraints": { "required": true }, "unit": "ms", "description": "Since 1970, UTC" }),
        json!({ "name": "value", "type": "number", "constraints": { "required": true }, "description": "In the unit of its quantity" }),
    ];
    csv(fields, &[])
}

/// A photo or weather file.
pub(super) fn file(media_type: &str) -> Value {
    json!({ "profile": "data-resource", "mediatype": media_type })
}
