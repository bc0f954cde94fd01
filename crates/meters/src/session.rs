//! What every protocol shares: what is heard in a session, why one ends, connecting, and passing a figure on.

use crate::allowed::Allowed;
use crate::now_ms;
use flindo_core::measure::quantity::{Dimension, Quantity};
use std::sync::atomic::{AtomicBool, Ordering};
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
pub enum Received {
    /// It is there; it may have said who it is.
    Connected(String),
    Sample(Sample),
    /// It said something that is no figure.
    Unreadable(String),
    /// It said of one quantity that it has no figure for it, or one that cannot be.
    NoFigure(Quantity, String),
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
    /// By whoever runs the server, or because there is no such machine.
    #[error("{0}")]
    NotAllowed(String),
    /// Nobody listens any more.
    #[error("nobody listens")]
    Unheard,
}

/// Where sessions tell what they hear, and what they may connect to.
#[derive(Debug)]
pub(crate) struct Ear {
    to: mpsc::Sender<Received>,
    pub allowed: Allowed,
    /// Whether this session has heard the meter.
    has_heard: AtomicBool,
}

impl Ear {
    pub fn new(to: mpsc::Sender<Received>, allowed: Allowed) -> Self {
        Ear { to, allowed, has_heard: AtomicBool::new(false) }
    }

    /// A session begins: nothing is heard yet.
    pub fn begin(&self) {
        self.has_heard.store(false, Ordering::Relaxed);
    }

    /// What to say of the end. A port that refuses and one that is open and says nothing that a meter says are told alike: the page of
    /// meters is no means to find out what else runs where.
    pub fn lost(&self, ended: &Ended, address: &str) -> Received {
        let is_told_alike = match ended {
            Ended::Closed | Ended::Late(_) | Ended::Io(_) => true,
            Ended::NotAllowed(_) | Ended::Refused(_) | Ended::Unheard => false,
        };
        if is_told_alike && !self.has_heard.load(Ordering::Relaxed) {
            return Received::Lost(format!("no meter answers at {address}"));
        }
        Received::Lost(ended.to_string())
    }

    pub async fn tell(&self, heard: Received) -> Result<(), Ended> {
        if matches!(heard, Received::Connected(_) | Received::Sample(_)) {
            self.has_heard.store(true, Ordering::Relaxed);
        }
        self.to.send(heard).await.map_err(|_| Ended::Unheard)
    }
}

/// Longest wait for a connection or an answer.
pub(crate) const PATIENCE: Duration = Duration::from_secs(3);

pub(crate) async fn connect(address: &str, ear: &Ear) -> Result<TcpStream, Ended> {
    let addresses = ear.allowed.addresses(address).await.map_err(Ended::NotAllowed)?;
    let stream = tokio::time::timeout(PATIENCE, TcpStream::connect(&addresses[..])).await;
    let stream = stream.map_err(|_| Ended::Late(PATIENCE.as_secs()))??;
    stream.set_nodelay(true)?;
    Ok(stream)
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
pub(crate) async fn tell_figure(ear: &Ear, quantity: Quantity, value: f64, at_ms: Option<i64>) -> Result<(), Ended> {
    let (low, high) = quantity.allowed().into_inner();
    let is_reversed = value < -shown_at_zero(quantity) && low == 0.0 && quantity.dimension().is_electric();
    if is_reversed {
        let what = format!("{value} {}: negative, are the leads reversed?", quantity.unit());
        return ear.tell(Received::NoFigure(quantity, what)).await;
    }
    if !value.is_finite() || !(low - shown_at_zero(quantity)..=high).contains(&value) {
        return ear.tell(Received::NoFigure(quantity, format!("{value} {} cannot be", quantity.unit()))).await;
    }
    let heard_ms = now_ms();
    let value = value.max(low);
    ear.tell(Received::Sample(Sample { quantity, value, at_ms: at_ms.unwrap_or(heard_ms), heard_ms })).await
}

/// The beginning of what was heard, fit to be shown: without signs that control a display, or turn the direction of the text around it
/// (Unicode Standard Annex 9, 2: explicit directional formatting).
pub(crate) fn shown(text: &str) -> String {
    let turns = |c: char| matches!(c, '\u{61c}' | '\u{200e}' | '\u{200f}' | '\u{202a}'..='\u{202e}' | '\u{2066}'..='\u{2069}');
    text.chars().take(60).map(|c| if c.is_control() || turns(c) { '\u{b7}' } else { c }).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    /// What is heard of a voltage.
    async fn heard(quantity: Quantity, value: f64) -> Received {
        let (out, mut told) = mpsc::channel(1);
        tell_figure(&Ear::new(out, Allowed::default()), quantity, value, None).await.unwrap();
        told.recv().await.unwrap()
    }

    #[test]
    fn what_a_device_calls_itself_turns_no_text_around() {
        assert_eq!(shown("ACME \u{202e}V 0.81\u{2066} A\u{7}"), "ACME \u{b7}V 0.81\u{b7} A\u{b7}");
        assert_eq!(shown("\u{5d0}\u{5d1} 12"), "\u{5d0}\u{5d1} 12", "letters of any script stay");
    }

    #[tokio::test]
    async fn reversed_leads_are_told_and_noise_at_zero_is_zero() {
        for (quantity, value) in [(Quantity::Voltage, -0.04), (Quantity::Current, -0.05), (Quantity::Poa, -8.0)] {
            assert!(matches!(heard(quantity, value).await, Received::Sample(Sample { value: 0.0, .. })), "{quantity:?}");
        }
        for (quantity, value) in [(Quantity::Voltage, -14.9), (Quantity::Voltage, -0.06), (Quantity::Current, -0.2)] {
            let Received::NoFigure(_, what) = heard(quantity, value).await else { panic!("{quantity:?} {value} is no sample") };
            assert!(what.contains("are the leads reversed?"), "{what}");
        }
        assert!(matches!(heard(Quantity::Back, -12.0).await, Received::Sample(_)), "cold is not reversed");
        assert!(matches!(heard(Quantity::Poa, -30.0).await, Received::NoFigure(..)));
    }
}
