//! Advice that is followed: the same world with what was asked for, and what came of it.

use super::{comparing, rating};
use flindo_core::measure::instrument::Accuracy;
use flindo_core::record::order::Order;
use flindo_core::record::setup::{CellTemperatureSource, Load};
use flindo_core::verdict::assess::assess;
use flindo_core::verdict::assessment::{Act, Settle};

/// One advice, and half the interval after it over the promised one.
#[derive(Debug, Clone, PartialEq)]
pub struct Followed {
    pub act: String,
    pub reached_rel: f64,
}

/// Half of the interval after an advice, percent; `None` where a world has no such act in it.
fn rating_after(world: &rating::World, act: Act, noise_seed: u64) -> Option<f64> {
    let third = |of: Accuracy| Accuracy { percent: of.percent / 3.0, digits: of.digits / 3.0 };
    let mut then = world.clone();
    match act {
        Act::Repeat { times } => then.readings *= times,
        Act::FinerDisplay => then.amps_step /= 10.0,
        Act::BetterMeter => {
            (then.gear.volts, then.gear.amps) = (third(then.gear.volts), third(then.gear.amps));
            then.load = Load::LoadTester;
        }
        Act::ReferenceInPlane => then = world.beside_a_reference(false),
        Act::BackProbe => then.cell_temperature = CellTemperatureSource::BackProbe,
        Act::WaitForSun { .. } => then.utc_h = 12.4,
        Act::CoolerCells { cell_c } => then.air_c = cell_c - 25.0,
        Act::NoteClearSky => then.is_noted = true,
        Act::SameMeter | Act::SteadySky | Act::ExchangePanels | Act::ReadSun | Act::ReadCellTemperature | Act::ReadUnderLoad => {
            return None;
        }
        Act::ReadVoc
        | Act::ReadAtMaximum
        | Act::RemoveLimit
        | Act::DrainBattery
        | Act::ReadRear
        | Act::GiveLabel
        | Act::ReadBaseline => {
            return None;
        }
        Act::ReadLevel | Act::OneChangeARun => return None,
    }
    then.said(noise_seed).map(|said| said.u_percent)
}

/// Every advice of a rating that promises an interval, followed.
pub fn of_rating(seed: u64) -> Vec<Followed> {
    let world = rating::World::draw(seed);
    let record = world.read(seed);
    let assessment = assess(&record).unwrap();
    let follow = |settle: &Settle| {
        let after = rating_after(&world, settle.act, seed)?;
        Some(Followed { act: name(settle.act), reached_rel: after / settle.u_percent? })
    };
    assessment.settles.iter().filter_map(follow).collect()
}

/// The same of a comparison.
pub fn of_comparison(seed: u64) -> Vec<Followed> {
    let world = comparing::World::draw(seed);
    let record = world.read(seed);
    let assessment = assess(&record).unwrap();
    let follow = |settle: &Settle| {
        let mut then = world.clone();
        match settle.act {
            Act::Repeat { times } => then.times = times,
            Act::FinerDisplay => (then.volts_step, then.amps_step) = (then.volts_step / 10.0, then.amps_step / 10.0),
            Act::SameMeter if then.order.is_side_by_side() => then.order = Order::Abba,
            _ => return None,
        }
        let widest = |said: &[comparing::Said]| said.iter().map(|one| one.u_percent).fold(0.0, f64::max);
        let after = widest(&then.said(seed));
        (after > 0.0).then(|| Some(Followed { act: name(settle.act), reached_rel: after / settle.u_percent? }))?
    };
    assessment.settles.iter().filter_map(follow).collect()
}

/// How many of these are within 1.15 of what was promised.
pub fn kept_percent(reached_rel: &[f64]) -> f64 {
    reached_rel.iter().filter(|rel| **rel <= 1.15).count() as f64 / reached_rel.len() as f64 * 100.0
}

/// Without its figures.
fn name(act: Act) -> String {
    format!("{act:?}").split([' ', '{']).next().unwrap_or_default().to_owned()
}
