//! A file of whatever kind: kept beside the bench, and told by its first bytes.

use axum::extract::Multipart;
use axum::http::StatusCode;
use flindo_store::Store;
use std::path::{Path, PathBuf};
use tokio::io::{AsyncReadExt, AsyncWriteExt};

/// What a file holds.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Incoming {
    /// A bench, or tests of one.
    Package,
    /// Readings with their test, as Flindo writes them.
    Readings,
    /// Panels, one a line.
    Panels,
    /// A report of a test.
    Report,
    /// Samples of a logger: what no other is.
    Log,
}

/// What is looked at of a file.
const HEAD_BYTES: u64 = 64 * 1024;

impl Incoming {
    /// By its first bytes: the mark of a ZIP (PKWARE, APPNOTE 4.3.7), the beginning of a page, the names in its first line.
    pub fn of(head: &[u8]) -> Self {
        if head.starts_with(b"PK\x03\x04") {
            return Incoming::Package;
        }
        let text = String::from_utf8_lossy(head);
        let text = text.trim_start_matches('\u{feff}').trim_start();
        let start: String = text.chars().take(15).flat_map(char::to_lowercase).collect();
        if start.starts_with("<!doctype html") || start.starts_with("<html") {
            return Incoming::Report;
        }
        let first = text.lines().next().unwrap_or_default();
        let names: Vec<String> = first.split([',', ';', '\t']).map(|name| name.trim().trim_matches('"').to_lowercase()).collect();
        let has = |name: &str| names.iter().any(|own| own == name);
        if has("taken_utc") {
            Incoming::Readings
        } else if has("tag") && has("kind") {
            Incoming::Panels
        } else {
            Incoming::Log
        }
    }
}

/// A file that arrived, kept beside the bench until it is in or let go.
pub struct Kept {
    pub uid: String,
    pub at: PathBuf,
    pub name: String,
}

impl Kept {
    /// What it holds.
    ///
    /// # Errors
    /// It cannot be read back.
    pub async fn incoming(&self) -> Result<Incoming, std::io::Error> {
        let mut head = Vec::new();
        tokio::fs::File::open(&self.at).await?.take(HEAD_BYTES).read_to_end(&mut head).await?;
        Ok(Incoming::of(&head))
    }
}

/// Keeps the file of a form. The error is a sentence, and then nothing is kept.
pub async fn keep(store: &Store, multipart: Multipart) -> Result<Kept, String> {
    let uid = flindo_store::new_uid();
    let at = store.package_place(&uid);
    match written(multipart, &at).await {
        Ok(name) => Ok(Kept { uid, at, name }),
        Err(sentence) => {
            remove(&at).await;
            Err(sentence)
        }
    }
}

async fn written(mut multipart: Multipart, at: &Path) -> Result<String, String> {
    let unread = |error: axum::extract::multipart::MultipartError| match error.status() {
        StatusCode::PAYLOAD_TOO_LARGE => "This file is larger than 2 GB.".to_owned(),
        _ => "The file did not arrive whole: send it again.".to_owned(),
    };
    let unwritten = |error: std::io::Error| format!("The file could not be kept beside the bench: {error}.");
    let mut file = tokio::fs::File::create(at).await.map_err(unwritten)?;
    let (mut bytes, mut name) = (0, "file".to_owned());
    while let Some(mut field) = multipart.next_field().await.map_err(unread)? {
        if field.name() != Some("file") {
            continue;
        }
        name = field.file_name().unwrap_or("file").chars().take(120).collect();
        while let Some(part) = field.chunk().await.map_err(unread)? {
            bytes += part.len();
            file.write_all(&part).await.map_err(unwritten)?;
        }
    }
    file.flush().await.map_err(unwritten)?;
    if bytes == 0 { Err("Choose a file first: this one is empty.".to_owned()) } else { Ok(name) }
}

/// A file that was taken in or let go is of no more use.
pub async fn remove(at: &Path) {
    if let Err(error) = tokio::fs::remove_file(at).await {
        tracing::warn!(file = %at.display(), %error, "a file that was let go is still there");
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_file_is_told_by_its_first_bytes() {
        let cases: [(&[u8], Incoming); 12] = [
            (b"PK\x03\x04\x14\x00", Incoming::Package),
            (b"PK", Incoming::Log),
            (b"\xef\xbb\xbftest_uid,taken_utc,voltage_v\n", Incoming::Readings),
            (b"\"Taken_UTC\";voltage_v\r\n", Incoming::Readings),
            (b"tag,kind,price\nA-1,Ochre 100,3\n", Incoming::Panels),
            (b"kind\ttag\n", Incoming::Panels),
            (b"tag,volts\n", Incoming::Log),
            (b"<!DOCTYPE html><html lang=en>", Incoming::Report),
            (b"\n <html>", Incoming::Report),
            (b"time_utc,power_w\n2026-06-21T11:20:00Z,150\n", Incoming::Log),
            (b"", Incoming::Log),
            (b"\xff\xfe\x00", Incoming::Log),
        ];
        for (head, wanted) in cases {
            assert_eq!(Incoming::of(head), wanted, "{}", String::from_utf8_lossy(head));
        }
    }
}
