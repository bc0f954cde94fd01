//! SCPI over TCP: a question a line, an answer a line (SCPI-1999; IEEE 488.2).

use crate::session::{Ear, Ended, PATIENCE, Received, connect, shown, tell_figure};
use crate::source::Query;
use std::time::Duration;
use tokio::io::{AsyncBufReadExt, AsyncReadExt, AsyncWriteExt, BufReader};
use tokio::net::TcpStream;

/// SCPI-1999, 7.2.1.4 and 7.2.1.5: what stands for "not a number" and for "beyond the range".
const NOT_A_NUMBER: f64 = 9.91e37;
const BEYOND: f64 = 9.9e37;

const IDENTITY: &str = "*IDN?";

/// In step, nothing comes for this long after the identity.
const QUIET: Duration = Duration::from_millis(50);

/// An answer longer than this is none.
const MOST_BYTES: u64 = 4096;

pub(crate) async fn session(address: &str, queries: &[Query], poll: Duration, ear: &Ear) -> Ended {
    match talk(address, queries, poll, ear).await {
        Ok(never) => match never {},
        Err(ended) => ended,
    }
}

async fn talk(address: &str, queries: &[Query], poll: Duration, ear: &Ear) -> Result<std::convert::Infallible, Ended> {
    let mut meter = BufReader::new(connect(address, ear).await?);
    let who = identity(&mut meter).await?;
    ear.tell(Received::Connected(shown(&who))).await?;
    let mut ticks = tokio::time::interval(poll);
    ticks.set_missed_tick_behavior(tokio::time::MissedTickBehavior::Delay);
    loop {
        ticks.tick().await;
        match round(&mut meter, queries, &who).await? {
            Round::InStep(answers) => {
                for (query, answer) in queries.iter().zip(&answers) {
                    pass_on(query, answer, ear).await?;
                }
            }
            // Nothing of a round that slipped is passed on: a figure could be another quantity's.
            Round::OutOfStep(line) => {
                ear.tell(Received::Unreadable(format!(
                    "\"{}\": its answers are out of step, and none of them counts",
                    shown(&line)
                )))
                .await?;
                into_step(&mut meter, &who).await?;
            }
        }
    }
}

/// Identities that are asked for until two agree.
const MOST_IDENTITIES: usize = 4;

/// Who it is: told twice alike, since some greet whoever connects, and a greeting is no identity.
async fn identity(meter: &mut BufReader<TcpStream>) -> Result<String, Ended> {
    tokio::time::sleep(QUIET).await;
    while left_over(meter).is_some() {
        let unread = meter.buffer().len();
        std::pin::Pin::new(&mut *meter).consume(unread);
    }
    let mut who = ask(meter, IDENTITY).await?;
    for _ in 1..MOST_IDENTITIES {
        let again = ask(meter, IDENTITY).await?;
        if again == who {
            return Ok(who);
        }
        who = again;
    }
    Err(Ended::Refused("it never says twice alike who it is (*IDN?)".to_owned()))
}

/// What came of asking every question once.
enum Round {
    /// One answer a question.
    InStep(Vec<String>),
    /// A line too many or too few: the one that stood in the place of the identity.
    OutOfStep(String),
}

/// Asks every question, and who it is behind each. Where a question has its one answer, the identity comes in its own place (IEEE 488.2,
/// 10.14: every instrument answers `*IDN?`, always alike); a line that nobody asked for, a doubled or a missing one shifts it. Behind the
/// last alone one line too many and one too few of the same round would hide each other.
async fn round(meter: &mut BufReader<TcpStream>, queries: &[Query], who: &str) -> Result<Round, Ended> {
    if let Some(line) = left_over(meter) {
        return Ok(Round::OutOfStep(line));
    }
    let mut answers = Vec::with_capacity(queries.len());
    for query in queries {
        let answer = ask(meter, &query.text).await?;
        if answer == who {
            return Ok(Round::OutOfStep(answer));
        }
        answers.push(answer);
        let last = ask(meter, IDENTITY).await?;
        if last != who {
            return Ok(Round::OutOfStep(last));
        }
    }
    Ok(Round::InStep(answers))
}

/// What has arrived with nobody asking.
fn left_over(meter: &BufReader<TcpStream>) -> Option<String> {
    if !meter.buffer().is_empty() {
        return Some(String::from_utf8_lossy(meter.buffer()).into_owned());
    }
    let mut bytes = [0; 64];
    // Taken out of the stream; what follows is read on until the identity comes.
    match meter.get_ref().try_read(&mut bytes) {
        Ok(count) if count > 0 => Some(String::from_utf8_lossy(&bytes[..count]).into_owned()),
        Ok(_) | Err(_) => None,
    }
}

/// Asks who it is once more and reads on until the last of all answers is there: the identity, with nothing behind it. Else the session
/// ends, and is begun anew.
async fn into_step(meter: &mut BufReader<TcpStream>, who: &str) -> Result<(), Ended> {
    let reading = async {
        meter.get_mut().write_all(format!("{IDENTITY}\n").as_bytes()).await?;
        loop {
            if read_line(meter).await? == who {
                tokio::time::sleep(QUIET).await;
                if left_over(meter).is_none() {
                    return Ok(());
                }
            }
        }
    };
    let in_step = tokio::time::timeout(PATIENCE, reading).await;
    in_step.unwrap_or_else(|_| Err(Ended::Refused("its answers stay out of step with the questions".to_owned())))
}

/// One answer to a question, as what it stands for.
async fn pass_on(query: &Query, answer: &str, ear: &Ear) -> Result<(), Ended> {
    let none = |what: String| ear.tell(Received::NoFigure(query.quantity, what));
    match answer.trim().parse::<f64>() {
        Ok(value) if value == NOT_A_NUMBER => none("it has no figure for it".to_owned()).await,
        Ok(value) if value.abs() >= BEYOND => none("beyond its range".to_owned()).await,
        Ok(value) => tell_figure(ear, query.quantity, value, None).await,
        Err(_) => none(format!("it answers \"{}\" to {}", shown(answer), query.text)).await,
    }
}

async fn ask(meter: &mut BufReader<TcpStream>, question: &str) -> Result<String, Ended> {
    let exchange = async {
        meter.get_mut().write_all(format!("{question}\n").as_bytes()).await?;
        read_line(meter).await
    };
    tokio::time::timeout(PATIENCE, exchange).await.map_err(|_| Ended::Late(PATIENCE.as_secs()))?
}

async fn read_line(meter: &mut BufReader<TcpStream>) -> Result<String, Ended> {
    let mut answer = Vec::new();
    let read = meter.take(MOST_BYTES).read_until(b'\n', &mut answer).await?;
    match answer.last() {
        Some(b'\n') => Ok(String::from_utf8_lossy(&answer).trim().to_owned()),
        // Half an answer might be half a number.
        _ if read < MOST_BYTES as usize => Err(Ended::Closed),
        _ => Err(Ended::Refused("its answer has no end".to_owned())),
    }
}
