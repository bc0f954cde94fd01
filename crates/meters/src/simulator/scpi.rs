//! A meter that speaks SCPI: the common commands of IEEE 488.2, and MEASure, FETCh, READ of volts, amps and watts.

use super::meter::SimulatedMeter;
use flindo_core::measure::quantity::Quantity;
use std::collections::VecDeque;
use std::sync::Arc;
use tokio::io::{AsyncBufReadExt, AsyncReadExt, AsyncWriteExt, BufReader};
use tokio::net::{TcpListener, TcpStream};

/// A command longer than this is none.
const MOST_BYTES: u64 = 4096;

/// Serves until it is dropped.
pub async fn serve_scpi(listener: TcpListener, meter: Arc<SimulatedMeter>) -> std::io::Result<()> {
    loop {
        let (stream, _) = listener.accept().await?;
        let meter = meter.clone();
        tokio::spawn(async move {
            if let Err(error) = session(stream, &meter).await {
                tracing::debug!(%error, "a listener of the stand-in left");
            }
        });
    }
}

async fn session(stream: TcpStream, meter: &SimulatedMeter) -> std::io::Result<()> {
    stream.set_nodelay(true)?;
    let mut stream = BufReader::new(stream);
    let mut state = Instrument::default();
    loop {
        let mut line = Vec::new();
        (&mut stream).take(MOST_BYTES).read_until(b'\n', &mut line).await?;
        if line.last() != Some(&b'\n') {
            return Ok(());
        }
        let answers: Vec<String> = String::from_utf8_lossy(&line)
            .split(';')
            .filter(|command| !command.trim().is_empty())
            .filter_map(|command| state.command(command.trim(), meter))
            .collect();
        if !answers.is_empty() {
            stream.get_mut().write_all(format!("{}\n", answers.join(";")).as_bytes()).await?;
        }
    }
}

/// What an instrument remembers between commands.
#[derive(Default)]
struct Instrument {
    /// Number and text, the oldest first.
    errors: VecDeque<(i32, &'static str)>,
    /// The standard event status register (IEEE 488.2, 11.5.1).
    event_status: u8,
    configured: Option<Quantity>,
}

const COMMAND_ERROR: u8 = 1 << 5;
const OPERATION_COMPLETE: u8 = 1;

impl Instrument {
    /// Does one command; an answer for a question.
    fn command(&mut self, text: &str, meter: &SimulatedMeter) -> Option<String> {
        let words = text.trim_start_matches(':').to_uppercase();
        match words.as_str() {
            "*IDN?" => Some("FLINDO,STAND-IN,0,1".to_owned()),
            "*OPC?" | "*TST?" => Some(if words == "*OPC?" { "1" } else { "0" }.to_owned()),
            "*OPC" => {
                self.event_status |= OPERATION_COMPLETE;
                None
            }
            "*ESR?" => Some(std::mem::take(&mut self.event_status).to_string()),
            "*STB?" => Some(if self.errors.is_empty() { "0" } else { "4" }.to_owned()),
            "*ESE?" | "*SRE?" => Some("0".to_owned()),
            "*RST" | "*WAI" => None,
            "*CLS" => {
                *self = Instrument { configured: self.configured, ..Instrument::default() };
                None
            }
            _ if matches(&words, "SYSTem:ERRor?") || matches(&words, "SYSTem:ERRor:NEXT?") => {
                let (number, text) = self.errors.pop_front().unwrap_or((0, "No error"));
                Some(format!("{number},\"{text}\""))
            }
            _ if matches(&words, "SYSTem:VERSion?") => Some("1999.0".to_owned()),
            _ => self.measure(&words, meter),
        }
    }

    fn measure(&mut self, words: &str, meter: &SimulatedMeter) -> Option<String> {
        const HEADS: [(&str, Quantity); 6] = [
            ("VOLTage:DC", Quantity::Voltage),
            ("VOLTage", Quantity::Voltage),
            ("CURRent:DC", Quantity::Current),
            ("CURRent", Quantity::Current),
            ("POWer:DC", Quantity::Power),
            ("POWer", Quantity::Power),
        ];
        for (head, quantity) in HEADS {
            if matches(words, &format!("CONFigure:{head}")) {
                self.configured = Some(quantity);
                return None;
            }
            let asked =
                ["MEASure", "MEASure:SCALar", "FETCh", "READ"].iter().any(|verb| matches(words, &format!("{verb}:{head}?")));
            if asked {
                self.configured = Some(quantity);
                return self.figure(quantity, meter);
            }
        }
        if matches(words, "FETCh?") || matches(words, "READ?") {
            return self.figure(self.configured.unwrap_or(Quantity::Voltage), meter);
        }
        self.event_status |= COMMAND_ERROR;
        // A full queue says so once (SCPI-1999, 21.8.1).
        match self.errors.len() {
            0..16 => self.errors.push_back((-113, "Undefined header")),
            16 => self.errors.push_back((-350, "Queue overflow")),
            _ => {}
        }
        None
    }

    fn figure(&self, quantity: Quantity, meter: &SimulatedMeter) -> Option<String> {
        let value = meter.now().ok().and_then(|reading| reading.of(quantity)).unwrap_or(9.91e37);
        Some(format!("{value:+.6E}"))
    }
}

/// Whether a command is this one, each of its words in the long or the short form: the capital letters alone.
fn matches(words: &str, pattern: &str) -> bool {
    let (mut given, mut known) = (words.split(':'), pattern.split(':'));
    loop {
        match (given.next(), known.next()) {
            (None, None) => return true,
            (Some(given), Some(known)) => {
                let short: String = known.chars().filter(|c| !c.is_lowercase()).collect();
                if given != known.to_uppercase() && given != short {
                    return false;
                }
            }
            _ => return false,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// SCPI-1999, volume 1, 6.2.1: a word is sent in its long or its short form, and in nothing between.
    #[test]
    fn long_and_short_forms_are_the_same_and_nothing_between_is() {
        for words in ["MEAS:VOLT:DC?", "MEASURE:VOLTAGE:DC?", "MEASURE:VOLT:DC?"] {
            assert!(matches(words, "MEASure:VOLTage:DC?"), "{words}");
        }
        for words in ["MEASU:VOLT:DC?", "MEAS:VOLT", "MEAS:VOLT:DC:X?", "VOLT:DC?"] {
            assert!(!matches(words, "MEASure:VOLTage:DC?"), "{words}");
        }
    }
}
