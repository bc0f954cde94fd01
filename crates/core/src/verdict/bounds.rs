//! Percent of the label where the sun or the cell temperature was not read: bounded by what they can have been.

use super::condition::{Taken, cell_temperature_c, read_light};
use super::used::CELL_RANGE_C;
use crate::measure::correct::{Condition, pmax_at_stc_w};
use crate::panel::nameplate::Nameplate;
use crate::record::setup::Setup;
use crate::sky::course::Moment;
use crate::sky::note::SkyNote;

/// What the watts of a test can be, percent of the label at STC.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Bounds {
    pub low_percent: f64,
    pub high_percent: f64,
    /// Irradiance in the plane and cell temperature that were granted; each a single value and its accuracy where it was read.
    pub poa_w_m2: (f64, f64),
    pub cell_c: (f64, f64),
}

/// A sky that nobody noted gives between these shares of the clear one. Common practice, no source: haze takes a fifth before anybody notes
/// it, and the edge of a cloud adds an eighth.
const UNNOTED_REL: (f64, f64) = (0.80, 1.12);

/// Under less than this the clear sky says nothing, W/m2.
const LEAST_CLEAR_W_M2: f64 = 100.0;

/// The bounds of one reading of `watts_w`: light and temperature as far as they were read, else what the hour and the sun allow. `None`
/// where nothing bounds the light: no place, or a broken or overcast sky.
pub fn bounds(watts_w: f64, taken: &Taken<'_>, setup: &Setup, nameplate: &Nameplate, now: Option<&Moment>) -> Option<Bounds> {
    let poa_w_m2 = light(taken, setup, nameplate, now)?;
    let read_c = cell_temperature_c(taken.figures, setup, nameplate, (poa_w_m2.0 + poa_w_m2.1) / 2.0);
    let cell_c = read_c
        .map_or(CELL_RANGE_C, |cell_c| (cell_c - setup.instruments.thermometer_k, cell_c + setup.instruments.thermometer_k));
    let (gamma, rated_w) = (nameplate.gamma().per_k, nameplate.rated_w?);
    let percent = |poa_w_m2: f64, cell_c: f64| pmax_at_stc_w(watts_w, Condition { poa_w_m2, cell_c }, gamma) / rated_w * 100.0;
    // More light and colder cells ask more of the panel, so that the same watts are less of its label.
    let (low_percent, high_percent) = (percent(poa_w_m2.1, cell_c.0), percent(poa_w_m2.0, cell_c.1));
    (low_percent > 0.0 && high_percent.is_finite()).then_some(Bounds { low_percent, high_percent, poa_w_m2, cell_c })
}

/// Light in the plane as read, within its meter's accuracy, or as the clear sky of the hour bounds it.
fn light(taken: &Taken<'_>, setup: &Setup, nameplate: &Nameplate, now: Option<&Moment>) -> Option<(f64, f64)> {
    if let Some(read) = read_light(taken, setup, nameplate, now) {
        return Some((read.poa_w_m2 * (1.0 - read.limit_rel), read.poa_w_m2 * (1.0 + read.limit_rel)));
    }
    let clear = now.map(|now| now.on(&setup.plane()).poa_w_m2).filter(|clear| *clear > LEAST_CLEAR_W_M2)?;
    let (low, high) = match taken.sky {
        None => UNNOTED_REL,
        Some(note @ (SkyNote::Clear | SkyNote::Haze | SkyNote::ThinCloud | SkyNote::Broken | SkyNote::Overcast)) => {
            let limit = note.model_limit_rel()?;
            (1.0 - limit, 1.0 + limit)
        }
    };
    Some((clear * low, clear * high))
}

/// The bounds of several readings of one panel: what all of them allow, or, where they contradict each other, what any does.
pub fn together(all: &[Bounds]) -> Option<Bounds> {
    let first = *all.first()?;
    let low = |of: fn(f64, f64) -> f64| all.iter().map(|one| one.low_percent).fold(first.low_percent, of);
    let high = |of: fn(f64, f64) -> f64| all.iter().map(|one| one.high_percent).fold(first.high_percent, of);
    let (low_percent, high_percent) = (low(f64::max), high(f64::min));
    if low_percent <= high_percent {
        return Some(Bounds { low_percent, high_percent, ..first });
    }
    Some(Bounds { low_percent: low(f64::min), high_percent: high(f64::max), ..first })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::measure::entry::understand;
    use crate::panel::coefficient::{Coefficient, CoefficientUnit};

    fn of(line: &str, watts_w: f64) -> Option<Bounds> {
        let gamma_pmax = Some(Coefficient { value: -0.4, unit: CoefficientUnit::PercentPerK });
        let nameplate = Nameplate { rated_w: Some(250.0), gamma_pmax, ..Nameplate::default() };
        let setup = Setup::default();
        let figures = understand(line, &setup.meaning()).unwrap().figures();
        bounds(watts_w, &Taken { figures: &figures, unix_s: 0.0, day_of_year: 170.0, sky: None }, &setup, &nameplate, None)
    }

    /// By hand: 160 W at 900 W/m2 of a 250 W label of -0.4 %/K. Cells of 5 C and 945 W/m2: 160 / (250 x 0.945 x 1.08) = 62.7 %; of 75 C and
    /// 855 W/m2: 160 / (250 x 0.855 x 0.8) = 93.6 %.
    #[test]
    fn watts_without_a_thermometer_are_bounded_by_what_cells_can_be() {
        let found = of("160 W 900 W/m2", 160.0).unwrap();
        assert!((found.low_percent - 62.71).abs() < 0.01 && (found.high_percent - 93.57).abs() < 0.01, "{found:?}");
        // A thermometer bounds them by its own sheet: 50 C on the back to 2 K, and the cells 3 K above at 1000 W/m2.
        let read = of("160 W 900 W/m2 50 C", 160.0).unwrap();
        let of_cells = |cell_c: f64, poa_w_m2: f64| 16_000.0 / (250.0 * poa_w_m2 / 1000.0 * (1.0 - 0.004 * (cell_c - 25.0)));
        let (low, high) = read.cell_c;
        assert!((high - low - 4.0).abs() < 1e-9 && ((low + high) / 2.0 - 52.7).abs() < 1e-9, "{read:?}");
        assert!(
            (read.low_percent - of_cells(low, 945.0)).abs() < 1e-9 && (read.high_percent - of_cells(high, 855.0)).abs() < 1e-9
        );
        // Without a place nothing bounds the sun.
        assert_eq!(of("160 W 50 C", 160.0), None);
    }

    #[test]
    fn readings_that_contradict_each_other_bound_together_what_either_does() {
        let one = of("160 W 900 W/m2", 160.0).unwrap();
        let other = Bounds { low_percent: 90.0, high_percent: 99.0, ..one };
        let both = together(&[one, other]).unwrap();
        assert!((both.low_percent, both.high_percent) == (90.0, one.high_percent));
        let apart = Bounds { low_percent: 95.0, ..other };
        let both = together(&[one, apart]).unwrap();
        assert!((both.low_percent, both.high_percent) == (one.low_percent, 99.0));
        assert_eq!(together(&[]), None);
    }
}
