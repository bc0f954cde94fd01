//! SCPI over TCP: a question a line, an answer a line (SCPI-1999; IEEE 488.2).

use crate::session::{Ended, Heard, PATIENCE, connect, shown, tell, tell_figure};
use crate::source::Query;
use std::time::Duration;
use tokio::io::{AsyncBufReadExt, AsyncReadExt, AsyncWriteExt, BufReader};
use tokio::net::TcpStream;
use tokio::sync::mpsc;

/// SCPI-1999, 7.2.1.4 and 7.2.1.5: what stands for "not a number" and for "beyond the range".
const NOT_A_NUMBER: f64 = 9.91e37;
const BEYOND: f64 = 9.9e37;

/// An answer longer than this is none.
const MOST_BYTES: u64 = 4096;

pub(crate) async fn session(address: &str, queries: &[Query], poll: Duration, out: &mpsc::Sender<Heard>) -> Ended {
    match talk(address, queries, poll, out).await {
        Ok(never) => match never {},
        Err(ended) => ended,
    }
}

async fn talk(
    address: &str,
    queries: &[Query],
    poll: Duration,
    out: &mpsc::Sender<Heard>,
) -> Result<std::convert::Infallible, Ended> {
    let mut meter = BufReader::new(connect(address).await?);
    let who = ask(&mut meter, "*IDN?").await?;
    tell(out, Heard::Connected(shown(&who))).await?;
    let mut ticks = tokio::time::interval(poll);
    ticks.set_missed_tick_behavior(tokio::time::MissedTickBehavior::Delay);
    loop {
        ticks.tick().await;
        for query in queries {
            let answer = ask(&mut meter, &query.text).await?;
            match answer.trim().parse::<f64>() {
                Ok(value) if value == NOT_A_NUMBER => {}
                Ok(value) if value.abs() >= BEYOND => {
                    tell(out, Heard::Rubbish(format!("the {} is beyond its range", query.quantity.label()))).await?;
                }
                Ok(value) => tell_figure(out, query.quantity, value, None).await?,
                Err(_) => {
                    tell(out, Heard::Rubbish(format!("\"{}\" to {}", shown(&answer), query.text))).await?;
                    // Answers may have slipped behind their questions; an empty line of talk puts them right.
                    let _ = ask(&mut meter, "*OPC?").await?;
                }
            }
        }
    }
}

async fn ask(meter: &mut BufReader<TcpStream>, question: &str) -> Result<String, Ended> {
    let exchange = async {
        meter.get_mut().write_all(format!("{question}\n").as_bytes()).await?;
        let mut answer = Vec::new();
        let read = meter.take(MOST_BYTES).read_until(b'\n', &mut answer).await?;
        match answer.last() {
            Some(b'\n') => Ok(String::from_utf8_lossy(&answer).trim().to_owned()),
            // Half an answer might be half a number.
            _ if read < MOST_BYTES as usize => Err(Ended::Closed),
            _ => Err(Ended::Refused("its answer has no end".to_owned())),
        }
    };
    tokio::time::timeout(PATIENCE, exchange).await.map_err(|_| Ended::Late(PATIENCE.as_secs()))?
}
