//! Readings as samples of what is compared, with their displays.

use super::super::condition::Taken;
use super::super::estimate::{Display, RunSamples, Sample, SkyWander};
use super::Method;
use super::light::{LightBy, course};
use crate::measure::instrument::{Accuracy, standard_from_limit, standard_from_step};
use crate::measure::quantity::{Figures, Quantity};
use crate::named::named;
use crate::record::setup::Setup;

/// Displays of light and load are read so many seconds apart, and a light meter lags as much. Common practice, no source.
const APART_S: f64 = 3.0;

/// What is compared, the first that the runs have in common.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Compared {
    OutputWatts,
    Watts,
    Energy,
    Charge,
    Isc,
    Current,
    Voc,
    Voltage,
}

named!(Compared {
    OutputWatts = "output_power_w", "watts into the battery";
    Watts = "power_w", "watts";
    Energy = "energy_wh", "watt-hours";
    Charge = "charge_ah", "ampere-hours";
    Isc = "isc_a", "short-circuit current";
    Current = "current_a", "current";
    Voc = "voc_v", "open-circuit voltage";
    Voltage = "voltage_v", "voltage";
});

impl Compared {
    /// The quantities behind it in a reading, and their meters.
    fn displays(self, figures: &Figures) -> &'static [Quantity] {
        let has = |quantity| figures.get(quantity).is_some();
        match self {
            Compared::OutputWatts if has(Quantity::OutputVoltage) && has(Quantity::OutputCurrent) => {
                &[Quantity::OutputVoltage, Quantity::OutputCurrent]
            }
            Compared::OutputWatts => &[Quantity::OutputPower],
            Compared::Watts if has(Quantity::Voltage) && has(Quantity::Current) => &[Quantity::Voltage, Quantity::Current],
            Compared::Watts => &[Quantity::Power],
            Compared::Energy => &[Quantity::Energy],
            Compared::Charge => &[Quantity::Charge],
            Compared::Isc => &[Quantity::Isc],
            Compared::Current => &[Quantity::Current],
            Compared::Voc => &[Quantity::Voc],
            Compared::Voltage => &[Quantity::Voltage],
        }
    }

    /// Whether it follows the light of the moment in proportion. Watt-hours follow that of their whole time.
    pub(super) fn follows_light(self) -> bool {
        matches!(self, Compared::OutputWatts | Compared::Watts | Compared::Isc | Compared::Current)
    }

    /// The unit of its values.
    pub fn unit(self) -> &'static str {
        match self {
            Compared::OutputWatts | Compared::Watts => "W",
            Compared::Energy => "Wh",
            Compared::Charge => "Ah",
            Compared::Isc | Compared::Current => "A",
            Compared::Voc | Compared::Voltage => "V",
        }
    }
}

/// What a reading has of it; 0 is a measurement.
pub fn value_of(what: Compared, figures: &Figures, setup: &Setup) -> Option<f64> {
    let of = |quantity: Quantity| figures.get(quantity).map(|seen| seen.value(setup.unsteady));
    match what {
        Compared::OutputWatts => figures.output_power_w(setup.unsteady),
        Compared::Watts => figures.loaded_power_w(setup.unsteady),
        Compared::Energy => of(Quantity::Energy),
        Compared::Charge => of(Quantity::Charge),
        Compared::Isc => of(Quantity::Isc),
        Compared::Current => of(Quantity::Current),
        Compared::Voc => of(Quantity::Voc),
        Compared::Voltage => of(Quantity::Voltage),
    }
}

pub(super) fn mean_of(runs: &[RunSamples], level: usize) -> f64 {
    let values: Vec<f64> =
        runs.iter().filter(|run| run.level == level).flat_map(|run| &run.samples).map(|one| one.value).collect();
    values.iter().sum::<f64>() / values.len().max(1) as f64
}

/// Half the width that steps and ranges of the displays leave to a level's mean.
pub(super) fn width_of(runs: &[RunSamples], level: usize) -> f64 {
    let samples: Vec<&Sample> = runs.iter().filter(|run| run.level == level).flat_map(|run| &run.samples).collect();
    let width = |sample: &&Sample| {
        let steps: f64 = sample.displays.iter().map(|one| one.step / 2.0 / one.value.max(one.step).max(1e-9)).sum();
        sample.value.max(1e-9) * steps + sample.value * sample.repeat_rel
    };
    samples.iter().map(width).fold(0.0, f64::max)
}

fn accuracy_of(quantity: Quantity, setup: &Setup) -> Accuracy {
    match quantity {
        Quantity::Voltage | Quantity::Voc | Quantity::OutputVoltage => setup.instruments.volts,
        Quantity::Current | Quantity::Isc | Quantity::OutputCurrent | Quantity::Charge => setup.instruments.amps,
        Quantity::Power | Quantity::OutputPower | Quantity::Energy => setup.instruments.watts,
        Quantity::Poa | Quantity::Ghi | Quantity::Rear => Accuracy { percent: setup.instruments.sun_percent, digits: 0.0 },
        Quantity::Cell | Quantity::Back | Quantity::Air | Quantity::Humidity | Quantity::Wind => {
            Accuracy { percent: 0.0, digits: 0.0 }
        }
    }
}

/// A reading at which light and load are read `APART_S` apart: what the light wanders meanwhile is repeat.
pub(super) fn sample(
    compared: Compared,
    light_by: LightBy,
    wander: SkyWander,
    taken: &Taken<'_>,
    method: &Method<'_>,
) -> Option<Sample> {
    let unsteady = method.setup.unsteady;
    let value = value_of(compared, taken.figures, method.setup)?;
    let seen_poa = taken.figures.get(Quantity::Poa);
    let light = match light_by {
        LightBy::Meter => seen_poa.map(|seen| seen.value(unsteady)).filter(|poa| *poa > 0.0)?,
        LightBy::Course => course(taken, method.site?, &method.plane())?,
        LightBy::Bracket => 1.0,
    };
    let seen: Vec<_> =
        compared.displays(taken.figures).iter().filter_map(|quantity| Some((*quantity, taken.figures.get(*quantity)?))).collect();
    let displays = seen
        .iter()
        .map(|(quantity, seen)| {
            let accuracy = accuracy_of(*quantity, method.setup);
            Display {
                value: seen.value(unsteady),
                step: seen.step,
                offset_limit: accuracy.digits * seen.step,
                gain_limit_rel: accuracy.percent / 100.0,
            }
        })
        .collect();
    // A range is a wander of the display; the light's own step is drawn anew with every reading.
    let wandered: f64 = seen
        .iter()
        .map(|(_, seen)| (standard_from_limit(seen.half_width(unsteady)) / seen.value(unsteady).abs().max(1e-9)).powi(2))
        .sum();
    let of_light = seen_poa.filter(|_| light_by == LightBy::Meter).map_or(0.0, |seen| {
        (standard_from_step(seen.step) / light).powi(2) + (standard_from_limit(seen.half_width(unsteady)) / light).powi(2)
    });
    let apart = wander.0.powi(2) * APART_S / 60.0;
    let repeat_rel = (method.repeat_rel.powi(2) + wandered + of_light + apart).sqrt();
    Some(Sample { unix_s: taken.unix_s, value, light, repeat_rel, displays })
}
