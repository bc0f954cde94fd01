//! The text of a file of another logger, in UTF-8 with one line feed for each line, written while its bytes arrive.

use flindo_core::measure::logger::Encoding;
use std::fs::File;
use std::io::Write;
use std::path::{Path, PathBuf};

/// Writes a file's text in UTF-8 while its bytes arrive.
pub struct Arriving {
    part: PathBuf,
    out: File,
    decoder: Option<encoding_rs::Decoder>,
    first: Vec<u8>,
    sum: sha2::Sha256,
    bytes: u64,
    /// The last character was a carriage return.
    after_return: bool,
    encoding: Option<Encoding>,
}

/// A file that has arrived.
pub(crate) struct Arrived {
    pub part: PathBuf,
    /// SHA-256 of its bytes, hexadecimal.
    pub sum: String,
    /// Of its text.
    pub bytes: u64,
    pub encoding: Encoding,
}

/// Bytes that tell the encoding.
const TELLING: usize = 64 * 1024;

impl Arriving {
    /// Takes the next bytes.
    ///
    /// # Errors
    /// A disk that takes nothing.
    pub fn take(&mut self, bytes: &[u8]) -> std::io::Result<()> {
        use sha2::Digest;
        self.sum.update(bytes);
        if self.decoder.is_none() {
            self.first.extend_from_slice(bytes);
            if self.first.len() < TELLING {
                return Ok(());
            }
            let first = std::mem::take(&mut self.first);
            return self.decode(&first, false);
        }
        self.decode(bytes, false)
    }

    fn decode(&mut self, bytes: &[u8], is_last: bool) -> std::io::Result<()> {
        let encoding = *self.encoding.get_or_insert_with(|| Encoding::of(bytes, !is_last));
        let decoder = self.decoder.get_or_insert_with(|| decoder(encoding));
        let mut text = String::with_capacity(decoder.max_utf8_buffer_length(bytes.len()).unwrap_or(bytes.len() * 3 + 16));
        let _ = decoder.decode_to_string(bytes, &mut text, is_last);
        let text = self.with_line_feeds(&text);
        self.bytes += text.len() as u64;
        self.out.write_all(text.as_bytes())
    }

    /// Every end of a line as one line feed, so that lines are counted alike in every file.
    fn with_line_feeds(&mut self, text: &str) -> String {
        let mut plain = String::with_capacity(text.len());
        for c in text.chars() {
            match c {
                '\n' if self.after_return => {}
                '\r' | '\n' => plain.push('\n'),
                other => plain.push(other),
            }
            self.after_return = c == '\r';
        }
        plain
    }

    /// Its place, the sum of its bytes, and the length of its text.
    pub(crate) fn finish(mut self) -> std::io::Result<Arrived> {
        use sha2::Digest;
        let first = std::mem::take(&mut self.first);
        self.decode(&first, true)?;
        self.out.sync_all()?;
        let sum: String = self.sum.finalize().iter().map(|byte| format!("{byte:02x}")).collect();
        Ok(Arrived { part: self.part, sum, bytes: self.bytes, encoding: self.encoding.unwrap_or_default() })
    }
}

fn decoder(encoding: Encoding) -> encoding_rs::Decoder {
    match encoding {
        Encoding::Utf8 => encoding_rs::UTF_8,
        Encoding::Utf16Le => encoding_rs::UTF_16LE,
        Encoding::Utf16Be => encoding_rs::UTF_16BE,
        Encoding::Windows1252 => encoding_rs::WINDOWS_1252,
    }
    .new_decoder_with_bom_removal()
}

impl Arriving {
    /// Into a file of its own in a folder, which is made where it is not there. Without an encoding it is recognised.
    pub(crate) fn into(folder: &Path, encoding: Option<Encoding>) -> std::io::Result<Self> {
        std::fs::create_dir_all(folder)?;
        let part = folder.join(format!("{}.part", crate::new_uid()));
        let out = File::create(&part)?;
        Ok(Arriving {
            part,
            out,
            decoder: None,
            first: Vec::new(),
            sum: sha2::Digest::new(),
            bytes: 0,
            after_return: false,
            encoding,
        })
    }
}
