//! The file of another logger as it arrives, and how it is to be read.

use crate::door::typed::{Pairs, value};
use crate::error::AppError;
use axum::extract::Multipart;
use axum::http::StatusCode;
use flindo_core::measure::logger::header::unit_of;
use flindo_core::measure::logger::time::TimePattern;
use flindo_core::measure::logger::{Column, ColumnUse, Delimiter, Encoding, Format};
use flindo_store::{LogFile, LogFileError, Store};
use jiff::Timestamp;
use std::path::Path;
use tokio::io::AsyncReadExt;

/// Ten million rows of some columns.
pub const MOST_BYTES: usize = 2 * 1024 * 1024 * 1024;

pub fn sentence(error: &LogFileError) -> String {
    error.to_string()
}

pub fn fails(error: LogFileError) -> AppError {
    match error {
        LogFileError::Store(error) => error.into(),
        LogFileError::Format(_) | LogFileError::TextGone | LogFileError::NoRow(_) | LogFileError::Disk(_) => {
            AppError::input("file", "", error.to_string())
        }
    }
}

/// A file that arrived, with the other fields of its form.
pub struct Arrived {
    pub file: LogFile,
    pub fields: Pairs,
}

/// The file of a form. The error is a sentence.
pub async fn arrive(store: &Store, mut multipart: Multipart) -> Result<Arrived, String> {
    let unread = |error: axum::extract::multipart::MultipartError| match error.status() {
        StatusCode::PAYLOAD_TOO_LARGE => "This file is larger than 2 GB.".to_owned(),
        _ => "The file did not arrive whole: send it again.".to_owned(),
    };
    let (mut fields, mut file) = (Pairs::new(), None);
    while let Some(mut field) = multipart.next_field().await.map_err(unread)? {
        let name = field.name().unwrap_or_default().to_owned();
        if name != "file" {
            fields.push((name, field.text().await.map_err(unread)?));
            continue;
        }
        let of = field.file_name().unwrap_or("log").chars().take(120).collect::<String>();
        let encoding = match value(&fields, "encoding").trim() {
            "" => None,
            name => {
                Some(Encoding::from_name(name).ok_or_else(|| format!("\u{201c}{name}\u{201d} is not one of the encodings."))?)
            }
        };
        let mut arriving = store.log_file_arrives(encoding).map_err(|error| sentence(&error))?;
        let mut is_empty = true;
        while let Some(bytes) = field.chunk().await.map_err(unread)? {
            is_empty &= bytes.is_empty();
            arriving.take(&bytes).map_err(|error| format!("The file could not be kept beside the bench: {error}."))?;
        }
        if is_empty {
            return Err("Choose a file first: this one is empty.".to_owned());
        }
        file = Some(store.log_file_arrived(arriving, &of, Timestamp::now()).await.map_err(|error| sentence(&error))?);
    }
    file.map(|file| Arrived { file, fields }).ok_or_else(|| "Choose a file first.".to_owned())
}

/// A file that is on the disk already.
pub async fn from_path(store: &Store, at: &Path, name: &str) -> Result<LogFile, String> {
    const PART_BYTES: usize = 64 * 1024;
    let unread = |error: std::io::Error| format!("The file cannot be read back: {error}.");
    let mut arriving = store.log_file_arrives(None).map_err(|error| sentence(&error))?;
    let mut file = tokio::fs::File::open(at).await.map_err(unread)?;
    let mut part = vec![0; PART_BYTES];
    loop {
        let read = file.read(&mut part).await.map_err(unread)?;
        if read == 0 {
            return store.log_file_arrived(arriving, name, Timestamp::now()).await.map_err(|error| sentence(&error));
        }
        arriving.take(&part[..read]).map_err(|error| format!("The file could not be kept beside the bench: {error}."))?;
    }
}

pub fn format_of(typed: &Pairs) -> Result<Format, String> {
    let wrong = |what: &str, text: &str| format!("{what} \u{201c}{text}\u{201d} is not one of the choices.");
    let choice = |name: &str| value(typed, name).trim().to_owned();
    let delimiter = Delimiter::from_name(&choice("delimiter")).ok_or_else(|| wrong("The delimiter", &choice("delimiter")))?;
    let time = TimePattern::from_name(&choice("time")).ok_or_else(|| wrong("The form of the times", &choice("time")))?;
    let header_lines =
        choice("header_lines").parse().map_err(|_| wrong("The number of header lines", &choice("header_lines")))?;
    let mut columns = Vec::new();
    for nth in 0.. {
        let Some(used_as) = typed.iter().find(|(name, _)| *name == format!("use_{nth}")).map(|pair| pair.1.as_str()) else {
            break;
        };
        let used_as = ColumnUse::from_name(used_as).ok_or_else(|| wrong("The use of a column", used_as))?;
        let of = |field: &str| value(typed, &format!("{field}_{nth}")).trim().to_owned();
        // A unit of another quantity, chosen before, is none of this one.
        let unit = match used_as {
            ColumnUse::Quantity(quantity) if unit_of(quantity, &of("unit")).is_some() => of("unit"),
            ColumnUse::Quantity(_)
            | ColumnUse::Ignored
            | ColumnUse::Time
            | ColumnUse::Date
            | ColumnUse::TimeOfDay
            | ColumnUse::Device
            | ColumnUse::Unit => String::new(),
        };
        columns.push(Column { name: of("name"), used_as, unit, device: of("device") });
    }
    Ok(Format { delimiter, decimal_comma: choice("decimal_comma") == "yes", header_lines, time, zone: choice("zone"), columns })
}
