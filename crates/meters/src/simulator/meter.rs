//! What a stand-in shows: a panel in a scene, through displays of its own.

use crate::now_ms;
use flindo_core::error::Error;
use flindo_core::measure::instrument::Accuracy;
use flindo_core::measure::quantity::Quantity;
use flindo_core::simulate::instrument::{Display, Draws};
use flindo_core::simulate::scene::Scene;
use flindo_core::sky::daylight::day_of_year;
use std::sync::Mutex;

/// What a stand-in shows, and how its clock runs.
pub struct SimulatedMeter {
    scene: Scene,
    /// The scene's time at which it begins, Unix seconds.
    starts_s: f64,
    /// Real time at the start, ms.
    started_ms: i64,
    /// Seconds of the scene for each real one.
    speed: f64,
    displays: Displays,
    draws: Mutex<Draws>,
}

/// The displays of a hand-held instrument.
#[derive(Debug, Clone, Copy)]
struct Displays {
    volts: Display,
    amps: Display,
    watts: Display,
    sun: Display,
    back: Display,
}

/// Everything shown at one moment.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Reading {
    /// Of the scene, ms since 1970, UTC.
    pub at_ms: i64,
    pub voltage_v: f64,
    pub current_a: f64,
    pub power_w: f64,
    pub poa_w_m2: f64,
    pub back_c: f64,
}

impl Reading {
    pub fn of(&self, quantity: Quantity) -> Option<f64> {
        Some(match quantity {
            Quantity::Voltage => self.voltage_v,
            Quantity::Current => self.current_a,
            Quantity::Power => self.power_w,
            Quantity::Poa => self.poa_w_m2,
            Quantity::Back => self.back_c,
            Quantity::Voc
            | Quantity::Isc
            | Quantity::OutputVoltage
            | Quantity::OutputCurrent
            | Quantity::OutputPower
            | Quantity::ReferenceCurrent
            | Quantity::ReferencePower
            | Quantity::ReferenceCell
            | Quantity::Energy
            | Quantity::Charge
            | Quantity::CheckPower
            | Quantity::CheckEnergy
            | Quantity::Ghi
            | Quantity::Rear
            | Quantity::Cell
            | Quantity::Air
            | Quantity::Humidity
            | Quantity::Wind => return None,
        })
    }
}

impl SimulatedMeter {
    /// A stand-in whose day begins at `starts_s` (Unix seconds) and runs `speed` times as fast as the clock.
    pub fn new(scene: Scene, starts_s: f64, speed: f64, seed: u64) -> Self {
        let display = |percent, step, noise_rel, nth| Display {
            accuracy: Accuracy { percent, digits: 1.0 },
            step,
            noise_rel,
            seed: seed ^ nth,
        };
        let displays = Displays {
            volts: display(0.3, 0.01, 0.0008, 1),
            amps: display(0.8, 0.01, 0.0015, 2),
            watts: display(1.0, 0.1, 0.0010, 3),
            sun: display(3.0, 1.0, 0.0010, 4),
            back: display(0.5, 0.1, 0.0005, 5),
        };
        SimulatedMeter { scene, starts_s, started_ms: now_ms(), speed, displays, draws: Mutex::new(Draws::of(seed)) }
    }

    pub fn speed(&self) -> f64 {
        self.speed
    }

    /// What it shows now.
    pub fn now(&self) -> Result<Reading, Error> {
        self.at(self.starts_s + (now_ms() - self.started_ms) as f64 / 1000.0 * self.speed)
    }

    /// What it shows at a moment of its own day, Unix seconds.
    pub fn at(&self, unix_s: f64) -> Result<Reading, Error> {
        let at_ms = (unix_s * 1000.0).round() as i64;
        let day_of_year = day_of_year(unix_s);
        let truth = self.scene.at(unix_s, day_of_year)?;
        // A display that another thread dropped in the middle of a draw draws on all the same.
        let mut draws = self.draws.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
        let displays = &self.displays;
        Ok(Reading {
            at_ms,
            voltage_v: displays.volts.show(truth.voltage_v, &mut draws).max(0.0),
            current_a: displays.amps.show(truth.current_a, &mut draws).max(0.0),
            power_w: displays.watts.show(truth.power_w(), &mut draws).max(0.0),
            poa_w_m2: displays.sun.show(truth.poa_w_m2, &mut draws).max(0.0),
            back_c: displays.back.show(truth.cell_c - 3.0 * truth.poa_w_m2 / 1000.0, &mut draws),
        })
    }
}
