//! Checksums of rows that a verdict reads: the file has none for its pages, and a byte that a disk changed would else be another figure.
//!
//! CRC-32 (ISO/IEC 13239) finds every change of up to 32 neighbouring bits, and of 2^32 other changes all but one. A row whose checksum is
//! NULL was written by an older version and is taken as it is.

use crate::error::StoreError;
use crate::rows::reading::NewReading;
use flindo_core::sky::note::SkyNote;
use jiff::Timestamp;

/// Takes the parts of a row one after the other; each with its length, so that no part can hold the other's end.
#[derive(Debug, Default)]
pub(crate) struct Checksum(crc32fast::Hasher);

impl Checksum {
    pub fn bytes(&mut self, bytes: &[u8]) -> &mut Self {
        self.0.update(&(bytes.len() as u64).to_le_bytes());
        self.0.update(bytes);
        self
    }

    pub fn text(&mut self, text: &str) -> &mut Self {
        self.bytes(text.as_bytes())
    }

    /// Nothing and an empty text differ.
    pub fn optional(&mut self, text: Option<&str>) -> &mut Self {
        self.0.update(&[u8::from(text.is_some())]);
        self.text(text.unwrap_or_default())
    }

    pub fn whole(&mut self, value: i64) -> &mut Self {
        self.0.update(&value.to_le_bytes());
        self
    }

    pub fn optional_whole(&mut self, value: Option<i64>) -> &mut Self {
        self.0.update(&[u8::from(value.is_some())]);
        self.whole(value.unwrap_or_default())
    }

    /// As its bits, but for the sign of nothing, which SQLite does not keep.
    pub fn real(&mut self, value: f64) -> &mut Self {
        self.0.update(&(value + 0.0).to_le_bytes());
        self
    }

    pub fn end(&self) -> i64 {
        i64::from(self.0.clone().finalize())
    }
}

/// Holds what was read against the checksum beside it.
///
/// # Errors
/// Where they differ: what the row is, in words.
pub(crate) fn check(kept: Option<i64>, read: impl FnOnce() -> i64, what: impl FnOnce() -> String) -> Result<(), StoreError> {
    match kept {
        Some(kept) if kept != read() => Err(StoreError::Corrupt(format!(
            "{} is not as it was written: its checksum differs. Restore the last copy that holds it (flindo restore COPY --data FILE).",
            what()
        ))),
        Some(_) | None => Ok(()),
    }
}

/// Of a reading with its figures.
pub(crate) fn of_reading(test_id: i64, accepted_utc: Timestamp, new: &NewReading) -> i64 {
    let mut sum = Checksum::default();
    sum.text(&new.uid).whole(test_id);
    sum.whole(new.taken_utc.as_nanosecond() as i64).whole(accepted_utc.as_nanosecond() as i64);
    sum.text(&new.typed).text(&new.note).optional(new.sky.map(SkyNote::name)).optional_whole(new.run_id);
    let revision = new.revision.as_ref();
    sum.optional(revision.map(|revision| revision.replaces_uid.as_str()));
    sum.optional(revision.map(|revision| revision.reason.as_str()));
    sum.whole(i64::from(revision.is_some_and(|revision| revision.withdrawn)));
    for (quantity, seen) in new.figures.iter() {
        sum.text(quantity.name()).real(seen.low).real(seen.high).real(seen.step).text(seen.how.name());
    }
    sum.end()
}

/// Of the samples of a chunk: whose they are, and which.
pub(crate) fn of_chunk(log_id: i64, quantity: &str, nth: i64, samples: &[u8]) -> i64 {
    Checksum::default().whole(log_id).text(quantity).whole(nth).bytes(samples).end()
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The check value of CRC-32/ISO-HDLC: of the nine digits 1 to 9 it is cbf43926 (Williams 1993, "A painless guide to CRC error
    /// detection algorithms").
    #[test]
    fn the_sum_is_the_published_one() {
        let mut hasher = crc32fast::Hasher::new();
        hasher.update(b"123456789");
        assert_eq!(hasher.finalize(), 0xcbf4_3926);
    }

    #[test]
    fn parts_do_not_run_into_each_other() {
        let of = |a: &str, b: &str| Checksum::default().text(a).text(b).end();
        assert_ne!(of("ab", "c"), of("a", "bc"));
        assert_ne!(Checksum::default().optional(None).end(), Checksum::default().optional(Some("")).end());
        assert_eq!(Checksum::default().real(0.0).end(), Checksum::default().real(-0.0).end());
    }
}
