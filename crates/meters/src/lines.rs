//! Lines of comma-separated values, over TCP or from a file that grows. Half a line is never read: it might be half a number.

use crate::session::{Ear, Ended, Received, connect, shown, tell_figure};
use crate::source::{Column, header};
use jiff::Timestamp;
use std::io::SeekFrom;
use std::path::Path;
use std::time::Duration;
use tokio::fs::File;
use tokio::io::{AsyncBufReadExt, AsyncRead, AsyncReadExt, AsyncSeekExt, BufReader};

/// A line longer than this is none.
const MOST_BYTES: usize = 4096;

pub(crate) async fn session(address: &str, columns: &[Option<Column>], ear: &Ear) -> Ended {
    match stream(address, columns, ear).await {
        Ok(()) => Ended::Closed,
        Err(ended) => ended,
    }
}

async fn stream(address: &str, columns: &[Option<Column>], ear: &Ear) -> Result<(), Ended> {
    let mut logger = BufReader::new(connect(address, ear).await?);
    let mut reader = LineReader { columns: columns.to_vec(), is_told: !columns.is_empty(), ear };
    let mut line = Vec::new();
    let mut is_first = true;
    while next_line(&mut logger, &mut line).await? {
        // A logger is there when it has said a line: an open port alone is none.
        if std::mem::take(&mut is_first) {
            ear.tell(Received::Connected(String::new())).await?;
        }
        reader.line(&line).await?;
        line.clear();
    }
    Ok(())
}

/// A whole line; `false` at the end, where an unfinished one is left.
async fn next_line(source: &mut (impl AsyncBufReadExt + Unpin), line: &mut Vec<u8>) -> Result<bool, Ended> {
    let room = (MOST_BYTES - line.len().min(MOST_BYTES)) as u64;
    (&mut *source).take(room).read_until(b'\n', line).await?;
    if line.len() >= MOST_BYTES && line.last() != Some(&b'\n') {
        return Err(Ended::Refused("its line has no end".to_owned()));
    }
    Ok(line.last() == Some(&b'\n'))
}

/// Follows a file from its present end on; begins anew when it was replaced by a shorter one.
pub(crate) async fn follow(path: &Path, columns: &[Option<Column>], poll: Duration, ear: &Ear) -> Ended {
    match tail(path, columns, poll, ear).await {
        Ok(never) => match never {},
        Err(Ended::Io(error)) if error.kind() == std::io::ErrorKind::NotFound => {
            Ended::Refused(format!("there is no file {} any more", path.display()))
        }
        Err(ended) => ended,
    }
}

async fn tail(path: &Path, columns: &[Option<Column>], poll: Duration, ear: &Ear) -> Result<std::convert::Infallible, Ended> {
    let mut reader = LineReader { columns: columns.to_vec(), is_told: !columns.is_empty(), ear };
    let path = &ear.allowed.file(path).await.map_err(Ended::NotAllowed)?;
    let mut file = BufReader::new(File::open(path).await?);
    let mut line = Vec::new();
    // The names stand in the first line, however much has been written since.
    if next_line(&mut file, &mut line).await? {
        reader.names(&line);
    }
    line.clear();
    let mut at = whole_lines_end(&mut file).await?;
    file.seek(SeekFrom::Start(at)).await?;
    ear.tell(Received::Connected(String::new())).await?;
    loop {
        while next_line(&mut file, &mut line).await? {
            at += line.len() as u64;
            reader.line(&line).await?;
            line.clear();
        }
        tokio::time::sleep(poll).await;
        if tokio::fs::metadata(path).await?.len() < at {
            file = BufReader::new(File::open(path).await?);
            line.clear();
            at = 0;
        }
    }
}

/// Every line of a file that says its own times, from the first one on: what was written while nobody followed it. Nothing of one that does
/// not: when its lines were written is not known.
pub(crate) async fn whole(path: &Path, columns: &[Option<Column>], ear: &Ear) -> Result<(), Ended> {
    let mut reader = LineReader { columns: columns.to_vec(), is_told: !columns.is_empty(), ear };
    let path = &ear.allowed.file(path).await.map_err(Ended::NotAllowed)?;
    let mut file = BufReader::new(File::open(path).await?);
    let mut line = Vec::new();
    if next_line(&mut file, &mut line).await? && !reader.names(&line) {
        file.seek(SeekFrom::Start(0)).await?;
    }
    line.clear();
    while reader.columns.contains(&Some(Column::Time)) && next_line(&mut file, &mut line).await? {
        reader.line(&line).await?;
        line.clear();
    }
    Ok(())
}

/// Where the last whole line ends.
async fn whole_lines_end(file: &mut BufReader<File>) -> Result<u64, Ended> {
    let end = file.seek(SeekFrom::End(0)).await?;
    let from = end.saturating_sub(MOST_BYTES as u64);
    file.seek(SeekFrom::Start(from)).await?;
    let mut last = Vec::new();
    read_to_end(file, &mut last).await?;
    let unfinished = last.iter().rev().take_while(|byte| **byte != b'\n').count() as u64;
    Ok(end - unfinished.min(end))
}

async fn read_to_end(file: &mut (impl AsyncRead + Unpin), into: &mut Vec<u8>) -> Result<(), Ended> {
    file.read_to_end(into).await?;
    Ok(())
}

struct LineReader<'a> {
    columns: Vec<Option<Column>>,
    /// The person said what the columns are; what the meter calls them does not matter.
    is_told: bool,
    ear: &'a Ear,
}

impl LineReader<'_> {
    /// Takes the columns' names from a line of names. `false` where it is none.
    fn names(&mut self, line: &[u8]) -> bool {
        match std::str::from_utf8(line).ok().and_then(|text| header(text.trim())) {
            Some(named) => {
                if !self.is_told {
                    self.columns = named;
                }
                true
            }
            None => false,
        }
    }

    async fn line(&mut self, line: &[u8]) -> Result<(), Ended> {
        let Ok(text) = std::str::from_utf8(line) else {
            return self.ear.tell(Received::Unreadable("a line that is no text".to_owned())).await;
        };
        let text = text.trim();
        if text.is_empty() || text.starts_with('#') || self.names(line) {
            return Ok(());
        }
        let rubbish = |why: &str| Received::Unreadable(format!("\"{}\": {why}", shown(text)));
        // Other names, which say nothing here: what came before them no longer says which column is what.
        if !self.is_told && text.split(',').count() > 1 && text.split(',').all(is_word) {
            self.columns.clear();
            return self.ear.tell(rubbish("names of columns that are not known")).await;
        }
        if self.columns.is_empty() {
            return self.ear.tell(rubbish("nothing says which column is what")).await;
        }
        let cells: Vec<&str> = text.split(',').map(str::trim).collect();
        if cells.len() != self.columns.len() {
            let why = format!("{} cells, and {} columns are known", cells.len(), self.columns.len());
            return self.ear.tell(rubbish(&why)).await;
        }
        let time = self.columns.iter().position(|column| *column == Some(Column::Time));
        let at_ms = match time.map(|place| time_ms(cells[place])) {
            Some(None) => return self.ear.tell(rubbish("its time is none")).await,
            Some(Some(at_ms)) => Some(at_ms),
            None => None,
        };
        // All of a line or nothing of it: one wrong cell shifts trust in its neighbours.
        let mut figures = Vec::new();
        for (column, cell) in self.columns.iter().zip(&cells) {
            if let (Some(Column::Of(quantity)), false) = (column, cell.is_empty()) {
                match cell.parse::<f64>() {
                    Ok(value) => figures.push((*quantity, value)),
                    Err(_) => return self.ear.tell(rubbish(&format!("\"{}\" is not a number", shown(cell)))).await,
                }
            }
        }
        for (quantity, value) in figures {
            tell_figure(self.ear, quantity, value, at_ms).await?;
        }
        Ok(())
    }
}

/// A cell that can only be a name.
fn is_word(cell: &str) -> bool {
    let cell = cell.trim();
    cell.chars().next().is_some_and(char::is_alphabetic) && cell.parse::<f64>().is_err() && time_ms(cell).is_none()
}

fn time_ms(cell: &str) -> Option<i64> {
    if let Ok(time) = cell.parse::<Timestamp>() {
        return Some(time.as_millisecond());
    }
    let seconds: f64 = cell.parse().ok()?;
    (1e8..1e11).contains(&seconds).then_some((seconds * 1000.0).round() as i64)
}
