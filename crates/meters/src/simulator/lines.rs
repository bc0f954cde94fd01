//! A logger that streams lines, to whoever connects or into a file. A fast one goes through its day sample by sample, so that
//! nothing is left out however fast.

use super::meter::SimulatedMeter;
use std::path::Path;
use std::sync::Arc;
use std::time::Duration;
use tokio::io::AsyncWriteExt;
use tokio::net::{TcpListener, TcpStream};

/// The names of the columns, as the first line gives them.
const HEADER: &str = "time_utc,voltage_v,current_a,power_w,poa_w_m2,back_c\n";

/// Time of the scene between two lines, ms: five a second.
const EVERY_MS: i64 = 200;

/// Streams to everyone who connects, until it is dropped; `most` lines to each, or without end.
pub async fn serve_lines(listener: TcpListener, logger: Arc<SimulatedMeter>, most: Option<usize>) -> std::io::Result<()> {
    loop {
        let (stream, _) = listener.accept().await?;
        let logger = logger.clone();
        tokio::spawn(async move {
            if let Err(error) = stream_to(stream, &logger, most).await {
                tracing::debug!(%error, "a listener of the stand-in left");
            }
        });
    }
}

async fn stream_to(mut stream: TcpStream, logger: &SimulatedMeter, most: Option<usize>) -> std::io::Result<()> {
    stream.set_nodelay(true)?;
    stream.write_all(HEADER.as_bytes()).await?;
    write_lines(&mut stream, logger, most).await?;
    stream.shutdown().await
}

/// Writes lines at the end of a file, until it is dropped.
pub async fn write_file(path: &Path, logger: Arc<SimulatedMeter>, most: Option<usize>) -> std::io::Result<()> {
    let mut file = tokio::fs::OpenOptions::new().create(true).append(true).open(path).await?;
    if file.metadata().await?.len() == 0 {
        file.write_all(HEADER.as_bytes()).await?;
    }
    write_lines(&mut file, &logger, most).await
}

async fn write_lines(
    out: &mut (impl AsyncWriteExt + Unpin),
    logger: &SimulatedMeter,
    most: Option<usize>,
) -> std::io::Result<()> {
    let mut ticks = tokio::time::interval(Duration::from_secs_f64((EVERY_MS as f64 / 1000.0 / logger.speed()).max(0.05)));
    ticks.set_missed_tick_behavior(tokio::time::MissedTickBehavior::Delay);
    // Several lines a tick where the day runs faster than ticks do.
    let per_tick = (50.0 * logger.speed() / EVERY_MS as f64).ceil().max(1.0) as usize;
    let mut at_ms = logger.now().map_err(std::io::Error::other)?.at_ms;
    let mut left = most.unwrap_or(usize::MAX);
    while left > 0 {
        ticks.tick().await;
        let mut text = String::new();
        for _ in 0..per_tick.min(left) {
            let seen = logger.at(at_ms as f64 / 1000.0).map_err(std::io::Error::other)?;
            let time = jiff::Timestamp::from_millisecond(seen.at_ms).map_err(std::io::Error::other)?;
            text.push_str(&format!(
                "{time:.3},{:.2},{:.2},{:.1},{:.0},{:.1}\n",
                seen.voltage_v, seen.current_a, seen.power_w, seen.poa_w_m2, seen.back_c
            ));
            at_ms += EVERY_MS;
        }
        left -= per_tick.min(left);
        out.write_all(text.as_bytes()).await?;
        out.flush().await?;
    }
    Ok(())
}
