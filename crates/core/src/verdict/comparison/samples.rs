//! Readings as samples of what is compared, with their displays.

use super::super::condition::Taken;
use super::super::estimate::{Display, RunSamples, Sample, SkyWander};
use super::super::reference::light_in_plane;
use super::compared::{Compared, value_of};
use super::light::{LightBy, course};
use super::method::Method;
use super::temperature::{OneTemperature, THERMOMETER_REPEATS_K};
use crate::measure::instrument::{Accuracy, standard_from_limit, standard_from_step};
use crate::measure::quantity::Quantity;
use crate::record::setup::Setup;

/// Displays of light and load are read so many seconds apart, and a light meter lags as much. Common practice, no source.
const APART_S: f64 = 3.0;

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
        Quantity::Current | Quantity::Isc | Quantity::OutputCurrent | Quantity::Charge | Quantity::ReferenceCurrent => {
            setup.instruments.amps
        }
        Quantity::Power
        | Quantity::OutputPower
        | Quantity::Energy
        | Quantity::ReferencePower
        | Quantity::CheckPower
        | Quantity::CheckEnergy => setup.instruments.watts,
        Quantity::Poa | Quantity::Ghi | Quantity::Rear => Accuracy { percent: setup.instruments.sun_percent, digits: 0.0 },
        Quantity::Cell | Quantity::ReferenceCell | Quantity::Back | Quantity::Air | Quantity::Humidity | Quantity::Wind => {
            Accuracy { percent: 0.0, digits: 0.0 }
        }
    }
}

/// A reading at which light and load are read `APART_S` apart: what the light wanders meanwhile is repeat.
pub(super) fn sample(
    compared: Compared,
    light_by: LightBy,
    wander: SkyWander,
    temperature: Option<OneTemperature>,
    (taken, gamma_per_k): (&Taken<'_>, f64),
    method: &Method<'_>,
) -> Option<Sample> {
    let unsteady = method.setup.unsteady;
    let value = value_of(compared, taken.figures, method.setup)?;
    let seen_poa = light_in_plane(taken.figures, method.setup);
    let light = match light_by {
        LightBy::Meter => Some(seen_poa.map(|seen| seen.value(unsteady)).filter(|poa| *poa > 0.0)?),
        LightBy::Course => Some(course(taken, method.site?, &method.plane())?),
        LightBy::Bracket => None,
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
    let metered = seen_poa.zip(light).filter(|_| light_by == LightBy::Meter);
    let of_light = metered.map_or(0.0, |(seen, light)| {
        (standard_from_step(seen.step) / light).powi(2) + (standard_from_limit(seen.half_width(unsteady)) / light).powi(2)
    });
    let apart = wander.0.powi(2) * APART_S / 60.0;
    let temperature_factor = temperature.and_then(|one| one.factor(taken, gamma_per_k, method.setup)).unwrap_or(1.0);
    let of_temperature =
        temperature.map_or(0.0, |_| (standard_from_limit(THERMOMETER_REPEATS_K) * gamma_per_k / temperature_factor).powi(2));
    let repeat_rel = (method.repeat_rel.powi(2) + wandered + of_light + apart + of_temperature).sqrt();
    Some(Sample { unix_s: taken.unix_s, value, light, temperature_factor, repeat_rel, displays })
}
