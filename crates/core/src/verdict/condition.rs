//! The light and warmth of one reading, and how surely they are known.

use super::reason::Reason;
use crate::measure::correct::Condition;
use crate::measure::instrument::{standard_from_limit, standard_from_step};
use crate::measure::quantity::{Figures, Quantity, Seen};
use crate::panel::nameplate::Nameplate;
use crate::panel::temperature::{USUAL_NOCT_C, cell_from_air_c, cell_from_back_c};
use crate::protocol::setup::{Setup, Warmth};

/// Half the width within which the cell temperature lies around the one found, K, by where the thermometer is.
/// Common practice, no source: cells of one module in wind differ by a few kelvin; NOCT knows nothing of the wind.
const PLACE_LIMIT_BACK_K: f64 = 2.0;
const PLACE_LIMIT_INFRARED_K: f64 = 4.0;
const PLACE_LIMIT_AIR_K: f64 = 6.0;

/// An irradiance meter held in the plane by eye is within 2 degrees of it, which at 30 degrees of incidence is 2 % of the
/// beam either way (the tangent of 30 degrees times 2 degrees; the choice of angles is common practice, no source).
const SUN_PLANE_LIMIT_REL: f64 = 0.02;

/// Where the cell temperature came from.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum CellFrom {
    /// Read as such.
    Cell,
    /// From the back of the module.
    Back { back_c: f64 },
    /// From the air and NOCT.
    Air { air_c: f64, noct_c: f64, noct_on_label: bool },
}

/// The condition of a reading, with standard uncertainties by cause.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct KnownCondition {
    pub at: Condition,
    pub cell_from: CellFrom,
    pub sun_meter_u_rel: f64,
    pub sun_plane_u_rel: f64,
    pub sun_step_u_rel: f64,
    pub sun_wander_u_rel: f64,
    pub thermometer_u_k: f64,
    pub cell_place_u_k: f64,
    pub cell_step_u_k: f64,
    pub cell_wander_u_k: f64,
}

/// What the figures of a reading say of sun and warmth, or which of them is missing.
pub fn known(figures: &Figures, setup: &Setup, nameplate: &Nameplate) -> Result<KnownCondition, Vec<Reason>> {
    let wobble = setup.wobble;
    let sun = figures.get(Quantity::Poa).filter(|sun| sun.value(wobble) > 0.0);
    let poa_w_m2 = sun.map(|sun| sun.value(wobble));
    let warmth = warmth(figures, setup, nameplate, poa_w_m2);
    match (sun, warmth) {
        (Some(sun), Some((thermometer, cell_from, cell_c, place_limit_k))) => {
            let poa_w_m2 = sun.value(wobble);
            Ok(KnownCondition {
                at: Condition { poa_w_m2, cell_c },
                cell_from,
                sun_meter_u_rel: standard_from_limit(setup.instruments.sun_percent / 100.0),
                sun_plane_u_rel: standard_from_limit(SUN_PLANE_LIMIT_REL),
                sun_step_u_rel: standard_from_step(sun.step) / poa_w_m2,
                sun_wander_u_rel: standard_from_limit(sun.half_width(wobble)) / poa_w_m2,
                thermometer_u_k: standard_from_limit(setup.instruments.thermometer_k),
                cell_place_u_k: standard_from_limit(place_limit_k),
                cell_step_u_k: standard_from_step(thermometer.step),
                cell_wander_u_k: standard_from_limit(thermometer.half_width(wobble)),
            })
        }
        (sun, warmth) => {
            let missing = [(sun.is_none(), Reason::NoSun), (warmth.is_none() && !needs_only_sun(figures), Reason::NoWarmth)];
            Err(missing.into_iter().filter_map(|(is_missing, reason)| is_missing.then_some(reason)).collect())
        }
    }
}

/// Whether a thermometer was read, and only the sun is missing to make use of it.
fn needs_only_sun(figures: &Figures) -> bool {
    [Quantity::Cell, Quantity::Back, Quantity::Air].into_iter().any(|quantity| figures.get(quantity).is_some())
}

/// The thermometer's figure, what it was turned into, the cell temperature (C) and the limit of its place (K).
fn warmth<'a>(
    figures: &'a Figures,
    setup: &Setup,
    nameplate: &Nameplate,
    poa_w_m2: Option<f64>,
) -> Option<(&'a Seen, CellFrom, f64, f64)> {
    let wobble = setup.wobble;
    if let Some(cell) = figures.get(Quantity::Cell) {
        let limit_k = if setup.warmth == Warmth::Infrared { PLACE_LIMIT_INFRARED_K } else { PLACE_LIMIT_BACK_K };
        return Some((cell, CellFrom::Cell, cell.value(wobble), limit_k));
    }
    let poa_w_m2 = poa_w_m2?;
    if let Some(back) = figures.get(Quantity::Back) {
        let back_c = back.value(wobble);
        return Some((back, CellFrom::Back { back_c }, cell_from_back_c(back_c, poa_w_m2), PLACE_LIMIT_BACK_K));
    }
    let air = figures.get(Quantity::Air)?;
    let (air_c, noct_c) = (air.value(wobble), nameplate.noct_c.unwrap_or(USUAL_NOCT_C));
    let from = CellFrom::Air { air_c, noct_c, noct_on_label: nameplate.noct_c.is_some() };
    Some((air, from, cell_from_air_c(air_c, poa_w_m2, noct_c), PLACE_LIMIT_AIR_K))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::measure::entry::understand;

    fn of(text: &str, warmth: Warmth) -> Result<KnownCondition, Vec<Reason>> {
        let setup = Setup { warmth, ..Setup::default() };
        let nameplate = Nameplate { rated_w: 200.0, noct_c: Some(45.0), ..Nameplate::default() };
        known(&understand(text, &setup.meaning()).unwrap().figures(), &setup, &nameplate)
    }

    #[test]
    fn the_back_of_the_module_is_a_little_cooler_than_its_cells() {
        assert_eq!(of("80 W 1000 W/m2 50 C", Warmth::BackProbe).unwrap().at.cell_c, 53.0);
        assert_eq!(of("80 W 1000 W/m2 50 C", Warmth::Infrared).unwrap().at.cell_c, 50.0);
        assert_eq!(of("80 W 800 W/m2 20 C", Warmth::Air).unwrap().at.cell_c, 45.0);
    }

    #[test]
    fn what_is_missing_is_named_and_nothing_else() {
        assert_eq!(of("80 W", Warmth::BackProbe), Err(vec![Reason::NoSun, Reason::NoWarmth]));
        assert_eq!(of("80 W 50 C", Warmth::BackProbe), Err(vec![Reason::NoSun]));
        assert_eq!(of("80 W 900 W/m2", Warmth::BackProbe), Err(vec![Reason::NoWarmth]));
        assert_eq!(of("80 W 0 W/m2 50 C", Warmth::BackProbe), Err(vec![Reason::NoSun]));
    }
}
