//! The light and cell temperature of one reading, and how surely they are known.

use super::reason::Reason;
use super::reference::{self, REFERENCE_PLANE_LIMIT_REL};
use crate::derivation::Formula;
use crate::measure::correct::{Condition, voc_irradiance_coefficient};
use crate::measure::instrument::{standard_from_limit, standard_from_step};
use crate::measure::quantity::{Figures, Quantity, Seen};
use crate::panel::nameplate::Nameplate;
use crate::panel::temperature::{CELL_ABOVE_BACK_K, USUAL_NOCT_C, cell_from_air_c, cell_from_back_c, cell_from_voc_c};
use crate::record::setup::{CellTemperatureSource, IrradianceSource, ReferenceBy, Setup};
use crate::record::test::ReadingRecord;
use crate::sky::course::Moment;
use crate::sky::note::SkyNote;

/// Half the width within which the cell temperature lies around the one found, K, by where the thermometer is.
/// Common practice, no source: cells of one module in wind differ by a few kelvin; without the wind, its cooling is not known.
const PLACE_LIMIT_BACK_K: f64 = 2.0;
const PLACE_LIMIT_INFRARED_K: f64 = 4.0;
const PLACE_LIMIT_AIR_K: f64 = 6.0;
const PLACE_LIMIT_AIR_AND_WIND_K: f64 = 4.0;

/// How far the cells are from what a source of their temperature says, K, as a limit; without the wind. The panel's own Voc is known by its
/// label, which is kelvin only by its coefficient: some 6 for crystalline silicon (2 % over 0.003 /K).
pub(super) fn place_limit_k(source: CellTemperatureSource) -> f64 {
    match source {
        CellTemperatureSource::BackProbe | CellTemperatureSource::Nothing => PLACE_LIMIT_BACK_K,
        CellTemperatureSource::Infrared => PLACE_LIMIT_INFRARED_K,
        CellTemperatureSource::Air | CellTemperatureSource::OwnVoc => PLACE_LIMIT_AIR_K,
    }
}

/// A panel's own Voc at STC is within this share of its label's. Common practice, no source: Voc hardly ages.
const OWN_VOC_LIMIT_REL: f64 = 0.02;

/// An irradiance meter held in the plane by eye is within 2 degrees of it, which at 30 degrees of incidence is 2 % of the
/// beam either way (the tangent of 30 degrees times 2 degrees; the choice of angles is common practice, no source).
const SUN_PLANE_LIMIT_REL: f64 = 0.02;

/// Light on the flat brought onto a plane by Erbs and Perez is within this share of what falls there, near noon under a sky
/// that is not broken. Common practice, no source.
const TRANSPOSITION_LIMIT_REL: f64 = 0.06;

/// One place at the rear speaks for all of it within this share: racks and edges shade it unevenly. Common practice, no source.
const REAR_LIMIT_REL: f64 = 0.2;

/// How far a clear sky that nobody noted as one may be off, either way. Common practice, no source.
const UNNOTED_SKY_LIMIT_REL: f64 = 0.20;

/// One reading, as it is judged.
#[derive(Debug, Clone, Copy)]
pub struct Taken<'a> {
    pub figures: &'a Figures,
    pub unix_s: f64,
    /// Of `unix_s` in UTC, 1 to 366.
    pub day_of_year: f64,
    pub sky: Option<SkyNote>,
}

/// A reading as the judges of single readings take it.
pub fn taken(reading: &ReadingRecord) -> Taken<'_> {
    Taken {
        figures: &reading.figures,
        unix_s: reading.taken_utc.as_second() as f64,
        day_of_year: reading.day_of_year,
        sky: reading.sky,
    }
}

/// Where the strength of the sun came from.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum SunFrom {
    PlaneMeter,
    FlatMeter {
        ghi_w_m2: f64,
    },
    /// By a reference whose amps or watts were `read`, at its own cell temperature.
    Reference {
        read: f64,
        by: ReferenceBy,
        per_k: f64,
        cell_c: f64,
    },
    ClearSky {
        note: Option<SkyNote>,
    },
}

/// Where the cell temperature came from.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum CellFrom {
    /// Read as such.
    Cell,
    /// From the back of the module.
    Back { back_c: f64 },
    /// From the air, NOCT, and the wind where it was read.
    Air { air_c: f64, noct_c: f64, noct_on_label: bool, wind_m_s: Option<f64> },
    /// From the panel's own Voc.
    OwnVoc { voc_v: f64, voc_stc_v: f64, beta_per_k: f64, by_light: f64 },
}

/// The thermometer's part of a condition; what stands in for one reads in its own way.
struct Warm {
    from: CellFrom,
    cell_c: f64,
    /// Half widths and the step, K.
    meter_limit_k: f64,
    place_limit_k: f64,
    step_k: f64,
    half_width_k: f64,
}

/// The condition of a reading, with standard uncertainties by cause.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct KnownCondition {
    pub at: Condition,
    pub sun_from: SunFrom,
    /// What of the irradiance fell on the rear; where it was counted.
    pub rear: Option<Rear>,
    pub cell_from: CellFrom,
    pub poa_u_rel: SunUncertainty,
    pub thermometer_u_k: f64,
    pub cell_place_u_k: f64,
    pub cell_step_u_k: f64,
    pub cell_wander_u_k: f64,
}

/// Light on both sides of a bifacial panel.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Rear {
    pub front_w_m2: f64,
    pub rear_w_m2: f64,
    pub bifaciality: f64,
}

impl Rear {
    /// The equivalent irradiance on the front; see [`EQUIVALENT_IRRADIANCE`].
    pub fn equivalent_w_m2(&self) -> f64 {
        self.front_w_m2 + self.bifaciality * self.rear_w_m2
    }
}

/// See [`Rear::equivalent_w_m2`].
pub const EQUIVALENT_IRRADIANCE: Formula =
    Formula { text: "G_front + bifaciality \u{d7} G_rear", source: "IEC TS 60904-1-2:2019, 6.4 (from memory)" };

/// Standard uncertainties of the irradiance in the plane, as shares of it.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct SunUncertainty {
    pub meter: f64,
    pub plane: f64,
    pub transposition: f64,
    pub rear: f64,
    pub model: f64,
    pub step: f64,
    pub wander: f64,
}

impl KnownCondition {
    /// The combined standard uncertainty of the cell temperature, K.
    pub fn cell_u_k(&self) -> f64 {
        let parts = [self.thermometer_u_k, self.cell_place_u_k, self.cell_step_u_k, self.cell_wander_u_k];
        parts.iter().map(|part| part * part).sum::<f64>().sqrt()
    }
}

/// What a reading says of sun and cell temperature, or which of them is missing. `now` is the moment of the reading where the bench has
/// a place.
pub fn known(
    taken: &Taken<'_>,
    setup: &Setup,
    nameplate: &Nameplate,
    now: Option<&Moment>,
) -> Result<KnownCondition, Vec<Reason>> {
    let figures = taken.figures;
    let front = sun(taken, setup, nameplate, now);
    let rear = front.as_ref().ok().and_then(|(front_w_m2, ..)| rear(*front_w_m2, figures, setup, nameplate));
    let sun = front.map(|front| with_rear(front, rear));
    let poa_w_m2 = sun.as_ref().ok().map(|(poa_w_m2, _, _)| *poa_w_m2);
    let cell_temperature = cell_temperature(figures, setup, nameplate, poa_w_m2);
    match (sun, cell_temperature) {
        (Ok((poa_w_m2, sun_from, poa_u_rel)), Some(warm)) => Ok(KnownCondition {
            at: Condition { poa_w_m2, cell_c: warm.cell_c },
            sun_from,
            rear,
            cell_from: warm.from,
            poa_u_rel,
            thermometer_u_k: standard_from_limit(warm.meter_limit_k),
            cell_place_u_k: standard_from_limit(warm.place_limit_k),
            cell_step_u_k: standard_from_step(warm.step_k),
            cell_wander_u_k: standard_from_limit(warm.half_width_k),
        }),
        (sun, cell_temperature) => {
            let no_warmth = cell_temperature.is_none() && (sun.is_ok() || !needs_only_sun(figures, setup));
            Err(sun.err().into_iter().chain(no_warmth.then_some(Reason::NoCellTemperature)).collect())
        }
    }
}

/// The light on the rear of a bifacial panel, where it was read. Of a panel without a bifaciality on its label the rear counts nothing.
fn rear(front_w_m2: f64, figures: &Figures, setup: &Setup, nameplate: &Nameplate) -> Option<Rear> {
    let rear_w_m2 = figures.get(Quantity::Rear).map(|seen| seen.value(setup.unsteady))?;
    Some(Rear { front_w_m2, rear_w_m2, bifaciality: nameplate.bifaciality? })
}

/// The light on the front with what counts of the rear.
fn with_rear((front_w_m2, from, u_rel): (f64, SunFrom, SunUncertainty), rear: Option<Rear>) -> (f64, SunFrom, SunUncertainty) {
    let Some(rear) = rear else { return (front_w_m2, from, u_rel) };
    let poa_w_m2 = rear.equivalent_w_m2();
    let added_w_m2 = poa_w_m2 - front_w_m2;
    (poa_w_m2, from, SunUncertainty { rear: standard_from_limit(REAR_LIMIT_REL) * added_w_m2 / poa_w_m2, ..u_rel })
}

/// The irradiance in the plane as a meter or a reference showed it.
pub(super) struct ReadLight {
    pub(super) poa_w_m2: f64,
    /// The share of it by which its source may be off.
    pub(super) limit_rel: f64,
}

pub(super) fn read_light(taken: &Taken<'_>, setup: &Setup, nameplate: &Nameplate, now: Option<&Moment>) -> Option<ReadLight> {
    let (poa_w_m2, from, u_rel) = sun(taken, setup, nameplate, now).ok()?;
    match from {
        SunFrom::PlaneMeter | SunFrom::FlatMeter { .. } => {
            Some(ReadLight { poa_w_m2, limit_rel: setup.instruments.sun_percent / 100.0 })
        }
        SunFrom::Reference { .. } => Some(ReadLight { poa_w_m2, limit_rel: u_rel.meter * 3_f64.sqrt() }),
        SunFrom::ClearSky { .. } => None,
    }
}

/// The cell temperature as a thermometer showed it, C.
pub(super) fn cell_temperature_c(figures: &Figures, setup: &Setup, nameplate: &Nameplate, poa_w_m2: f64) -> Option<f64> {
    cell_temperature(figures, setup, nameplate, Some(poa_w_m2)).map(|warm| warm.cell_c)
}

/// The irradiance in the plane, the best source first: by the reference of the test, read there, read on the flat, worked out.
fn sun(
    taken: &Taken<'_>,
    setup: &Setup,
    nameplate: &Nameplate,
    now: Option<&Moment>,
) -> Result<(f64, SunFrom, SunUncertainty), Reason> {
    let read = |quantity| taken.figures.get(quantity).filter(|sun| sun.value(setup.unsteady) > 0.0);
    let metered = |seen: &Seen| {
        let value = seen.value(setup.unsteady);
        SunUncertainty {
            meter: standard_from_limit(setup.instruments.sun_percent / 100.0),
            step: standard_from_step(seen.step) / value,
            wander: standard_from_limit(seen.half_width(setup.unsteady)) / value,
            ..SunUncertainty::default()
        }
    };
    if let Some(found) = by_reference(taken.figures, setup, nameplate) {
        let value = found.light.value(setup.unsteady);
        let u_rel = SunUncertainty {
            meter: found.u_rel,
            plane: standard_from_limit(REFERENCE_PLANE_LIMIT_REL),
            step: standard_from_step(found.light.step) / value,
            wander: standard_from_limit(found.light.half_width(setup.unsteady)) / value,
            ..SunUncertainty::default()
        };
        let reference::Reading { read, by, per_k, cell_c, .. } = found;
        return Ok((value, SunFrom::Reference { read, by, per_k, cell_c }, u_rel));
    }
    if let Some(seen) = read(Quantity::Poa) {
        let u_rel = SunUncertainty { plane: standard_from_limit(SUN_PLANE_LIMIT_REL), ..metered(seen) };
        return Ok((seen.value(setup.unsteady), SunFrom::PlaneMeter, u_rel));
    }
    let flat = read(Quantity::Ghi);
    if flat.is_none() && setup.irradiance_source != IrradianceSource::ClearSky {
        return Err(Reason::NoSun);
    }
    let now = now.ok_or(Reason::NoPlace)?;
    let plane = setup.plane();
    if let Some(seen) = flat {
        let ghi_w_m2 = seen.value(setup.unsteady);
        let poa_w_m2 = now.from_flat(ghi_w_m2, taken.day_of_year, &plane).map_err(|_| Reason::NoSun)?;
        let u_rel = SunUncertainty { transposition: standard_from_limit(TRANSPOSITION_LIMIT_REL), ..metered(seen) };
        return Ok((poa_w_m2, SunFrom::FlatMeter { ghi_w_m2 }, u_rel));
    }
    let limit_rel = match taken.sky {
        None => UNNOTED_SKY_LIMIT_REL,
        Some(note) => note.model_limit_rel().ok_or(Reason::NoModel { note })?,
    };
    let poa_w_m2 = now.on(&plane).poa_w_m2;
    let u_rel = SunUncertainty { model: standard_from_limit(limit_rel), ..SunUncertainty::default() };
    if poa_w_m2 > 0.0 { Ok((poa_w_m2, SunFrom::ClearSky { note: taken.sky }, u_rel)) } else { Err(Reason::NoSun) }
}

/// What the reference of the test says. The temperature of the panel beside it stands in for its own where that was not read; found from
/// the back or the air it needs the light, of which that at 25 C is near enough: a tenth of the light is 0.3 K.
fn by_reference(figures: &Figures, setup: &Setup, nameplate: &Nameplate) -> Option<reference::Reading> {
    let at_25_c = reference::reading(figures, setup, Some(25.0))?;
    let beside = cell_temperature(figures, setup, nameplate, Some(at_25_c.light.value(setup.unsteady)));
    reference::reading(figures, setup, beside.map(|warm| warm.cell_c))
}

/// Whether a thermometer was read, and only the sun is missing to make use of it.
fn needs_only_sun(figures: &Figures, setup: &Setup) -> bool {
    let own_voc = (setup.cell_temperature == CellTemperatureSource::OwnVoc).then_some(Quantity::Voc);
    let thermometers = [Quantity::Cell, Quantity::Back, Quantity::Air].into_iter().chain(own_voc);
    thermometers.into_iter().any(|quantity| figures.get(quantity).is_some())
}

/// The cell temperature, the best source first: in the cell, at its back, from the air, from the panel's own Voc.
fn cell_temperature(figures: &Figures, setup: &Setup, nameplate: &Nameplate, poa_w_m2: Option<f64>) -> Option<Warm> {
    let unsteady = setup.unsteady;
    let read = |seen: &Seen, from, cell_c, place_limit_k| Warm {
        from,
        cell_c,
        meter_limit_k: setup.instruments.thermometer_k,
        place_limit_k,
        step_k: seen.step,
        half_width_k: seen.half_width(unsteady),
    };
    if let Some(cell) = figures.get(Quantity::Cell) {
        let limit_k =
            if setup.cell_temperature == CellTemperatureSource::Infrared { PLACE_LIMIT_INFRARED_K } else { PLACE_LIMIT_BACK_K };
        return Some(read(cell, CellFrom::Cell, cell.value(unsteady), limit_k));
    }
    let poa_w_m2 = poa_w_m2?;
    if let Some(back) = figures.get(Quantity::Back) {
        let back_c = back.value(unsteady);
        return Some(read(
            back,
            CellFrom::Back { back_c },
            cell_from_back_c(back_c, poa_w_m2, CELL_ABOVE_BACK_K),
            PLACE_LIMIT_BACK_K,
        ));
    }
    if let Some(air) = figures.get(Quantity::Air) {
        let (air_c, noct_c) = (air.value(unsteady), nameplate.noct_c.unwrap_or(USUAL_NOCT_C));
        let wind_m_s = figures.get(Quantity::Wind).map(|wind| wind.value(unsteady));
        let from = CellFrom::Air { air_c, noct_c, noct_on_label: nameplate.noct_c.is_some(), wind_m_s };
        let limit_k = if wind_m_s.is_some() { PLACE_LIMIT_AIR_AND_WIND_K } else { PLACE_LIMIT_AIR_K };
        return Some(read(air, from, cell_from_air_c(air_c, poa_w_m2, noct_c, wind_m_s), limit_k));
    }
    if setup.cell_temperature == CellTemperatureSource::OwnVoc { own_voc(figures, setup, nameplate, poa_w_m2) } else { None }
}

/// The panel as its own thermometer: every share of Voc that is off is that share over beta in kelvin.
fn own_voc(figures: &Figures, setup: &Setup, nameplate: &Nameplate, poa_w_m2: f64) -> Option<Warm> {
    let seen = figures.get(Quantity::Voc).filter(|seen| seen.value(setup.unsteady) > 0.0)?;
    let (voc_v, voc_stc_v, beta) = (seen.value(setup.unsteady), nameplate.voc_v?, nameplate.beta());
    let a = voc_irradiance_coefficient(nameplate.cells_in_series, nameplate.voc_v);
    let per_k_v = voc_stc_v * beta.per_k.abs();
    let cell_c = cell_from_voc_c(voc_v, voc_stc_v, poa_w_m2, beta.per_k, a);
    (-40.0..=120.0).contains(&cell_c).then(|| Warm {
        from: CellFrom::OwnVoc { voc_v, voc_stc_v, beta_per_k: beta.per_k, by_light: a },
        cell_c,
        meter_limit_k: setup.instruments.volts.limit(voc_v, seen.step) / per_k_v,
        place_limit_k: OWN_VOC_LIMIT_REL / beta.per_k.abs(),
        step_k: seen.step / per_k_v,
        half_width_k: seen.half_width(setup.unsteady) / per_k_v,
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::measure::entry::understand;

    fn of(text: &str, cell_temperature: CellTemperatureSource) -> Result<KnownCondition, Vec<Reason>> {
        let setup = Setup { cell_temperature, ..Setup::default() };
        let nameplate = Nameplate { rated_w: Some(200.0), noct_c: Some(45.0), ..Nameplate::default() };
        let figures = understand(text, &setup.meaning()).unwrap().figures();
        known(&Taken { figures: &figures, unix_s: 0.0, day_of_year: 1.0, sky: None }, &setup, &nameplate, None)
    }

    #[test]
    fn the_back_of_the_module_is_a_little_cooler_than_its_cells() {
        assert_eq!(of("80 W 1000 W/m2 50 C", CellTemperatureSource::BackProbe).unwrap().at.cell_c, 53.0);
        assert_eq!(of("80 W 1000 W/m2 50 C", CellTemperatureSource::Infrared).unwrap().at.cell_c, 50.0);
        assert_eq!(of("80 W 800 W/m2 20 C", CellTemperatureSource::Air).unwrap().at.cell_c, 45.0);
    }

    /// By hand: 900 W/m2 on the front and 100 on the rear of a panel of 0.7 are 970 W/m2; of one that is not bifacial, 900.
    #[test]
    fn the_rear_of_a_bifacial_panel_counts_by_its_bifaciality() {
        let setup = Setup::default();
        let figures = understand("80 W 900 W/m2 rear 100 W/m2 50 C", &setup.meaning()).unwrap().figures();
        let taken = Taken { figures: &figures, unix_s: 0.0, day_of_year: 1.0, sky: None };
        let poa_w_m2 = |bifaciality| {
            let nameplate = Nameplate { rated_w: Some(200.0), bifaciality, ..Nameplate::default() };
            known(&taken, &setup, &nameplate, None).unwrap().at.poa_w_m2
        };
        assert!((poa_w_m2(Some(0.7)) - 970.0).abs() < 1e-9);
        assert_eq!(poa_w_m2(None), 900.0);
        // Of the 970 the rear's 70 are known to its limit, evenly within it.
        let nameplate = Nameplate { rated_w: Some(200.0), bifaciality: Some(0.7), ..Nameplate::default() };
        let rear = known(&taken, &setup, &nameplate, None).unwrap().poa_u_rel.rear;
        assert!((rear - REAR_LIMIT_REL / 3_f64.sqrt() * 70.0 / 970.0).abs() < 1e-12, "{rear}");
    }

    #[test]
    fn what_is_missing_is_named_and_nothing_else() {
        assert_eq!(of("80 W", CellTemperatureSource::BackProbe), Err(vec![Reason::NoSun, Reason::NoCellTemperature]));
        assert_eq!(of("80 W 50 C", CellTemperatureSource::BackProbe), Err(vec![Reason::NoSun]));
        assert_eq!(of("80 W 900 W/m2", CellTemperatureSource::BackProbe), Err(vec![Reason::NoCellTemperature]));
        assert_eq!(of("80 W 0 W/m2 50 C", CellTemperatureSource::BackProbe), Err(vec![Reason::NoSun]));
    }
}
