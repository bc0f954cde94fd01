//! What every protocol shares: what is heard in a session, why one ends, connecting, and passing a figure on.

use crate::now_ms;
use flindo_core::measure::quantity::{Dimension, Quantity};
use std::time::Duration;
use tokio::net::TcpStream;
use tokio::sync::mpsc;

/// One figure as a meter gave it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Sample {
    pub quantity: Quantity,
    pub value: f64,
    /// The meter's own time where it tells one, and else when it was heard; ms since 1970, UTC.
    pub at_ms: i64,
    /// When it was heard.
    pub heard_ms: i64,
}

/// Whatever a meter does.
#[derive(Debug, Clone, PartialEq)]
pub enum Heard {
    /// It is there; it may have said who it is.
    Connected(String),
    Sample(Sample),
    /// It said something that is no figure.
    Rubbish(String),
    /// It is gone, or was never there; listening goes on.
    Lost(String),
}

/// Why a session ended.
#[derive(Debug, thiserror::Error)]
pub(crate) enum Ended {
    #[error("it closed the connection")]
    Closed,
    #[error("it did not answer within {0} s")]
    Late(u64),
    #[error("{0}")]
    Io(#[from] std::io::Error),
    #[error("{0}")]
    Refused(String),
    /// Nobody listens any more.
    #[error("nobody listens")]
    Unheard,
}

/// Longest wait for a connection or an answer.
pub(crate) const PATIENCE: Duration = Duration::from_secs(3);

pub(crate) async fn connect(address: &str) -> Result<TcpStream, Ended> {
    let stream =
        tokio::time::timeout(PATIENCE, TcpStream::connect(address)).await.map_err(|_| Ended::Late(PATIENCE.as_secs()))?;
    let stream = stream.map_err(|error| match error.kind() {
        std::io::ErrorKind::ConnectionRefused => Ended::Refused(format!("nothing listens at {address}")),
        _ => Ended::Io(error),
    })?;
    stream.set_nodelay(true)?;
    Ok(stream)
}

pub(crate) async fn tell(out: &mpsc::Sender<Heard>, heard: Heard) -> Result<(), Ended> {
    out.send(heard).await.map_err(|_| Ended::Unheard)
}

/// How far below zero a meter shows nothing: a few steps of a display. Common practice, no source; an irradiance sensor radiates to a
/// clear night.
fn shown_at_zero(quantity: Quantity) -> f64 {
    match quantity.dimension() {
        Dimension::Voltage | Dimension::Current => 0.05,
        Dimension::Power => 0.5,
        Dimension::Irradiance => 10.0,
        Dimension::Energy | Dimension::Charge | Dimension::Temperature | Dimension::Share | Dimension::Speed => 0.0,
    }
}

/// Passes a figure on where it can be one, and else says that it is none.
pub(crate) async fn tell_figure(
    out: &mpsc::Sender<Heard>,
    quantity: Quantity,
    value: f64,
    at_ms: Option<i64>,
) -> Result<(), Ended> {
    let (low, high) = quantity.allowed();
    let is_reversed = value < -shown_at_zero(quantity) && low == 0.0 && quantity.dimension().is_electric();
    if is_reversed {
        let what = format!("{value} for the {}: negative, are the leads reversed?", quantity.label());
        return tell(out, Heard::Rubbish(what)).await;
    }
    if !value.is_finite() || !(low - shown_at_zero(quantity)..=high).contains(&value) {
        return tell(out, Heard::Rubbish(format!("{value} for the {}", quantity.label()))).await;
    }
    let heard_ms = now_ms();
    let value = value.max(low);
    tell(out, Heard::Sample(Sample { quantity, value, at_ms: at_ms.unwrap_or(heard_ms), heard_ms })).await
}

/// The beginning of what was heard, fit to be shown.
pub(crate) fn shown(text: &str) -> String {
    text.chars().take(60).map(|c| if c.is_control() { '\u{b7}' } else { c }).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    /// What is heard of a voltage.
    async fn heard(quantity: Quantity, value: f64) -> Heard {
        let (out, mut told) = mpsc::channel(1);
        tell_figure(&out, quantity, value, None).await.unwrap();
        told.recv().await.unwrap()
    }

    #[tokio::test]
    async fn reversed_leads_are_told_and_noise_at_zero_is_zero() {
        for (quantity, value) in [(Quantity::Voltage, -0.04), (Quantity::Current, -0.05), (Quantity::Poa, -8.0)] {
            assert!(matches!(heard(quantity, value).await, Heard::Sample(Sample { value: 0.0, .. })), "{quantity:?}");
        }
        for (quantity, value) in [(Quantity::Voltage, -14.9), (Quantity::Voltage, -0.06), (Quantity::Current, -0.2)] {
            let Heard::Rubbish(what) = heard(quantity, value).await else { panic!("{quantity:?} {value} is no sample") };
            assert!(what.contains("are the leads reversed?"), "{what}");
        }
        assert!(matches!(heard(Quantity::Back, -12.0).await, Heard::Sample(_)), "cold is not reversed");
        assert!(matches!(heard(Quantity::Poa, -30.0).await, Heard::Rubbish(_)));
    }
}
