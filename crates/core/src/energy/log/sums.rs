//! Sums of a log over stretches of time: its hours, its days.

use super::samples::LogSamples;
use crate::measure::quantity::Quantity;
use crate::measure::series::Series;
use crate::measure::series::integral::{Interval, integrate};
use crate::window::Window;

/// What a stretch of a log comes to.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Sums {
    pub window: Window,
    /// Of what was sampled, with what lies between samples (95 %); nothing is added for gaps.
    pub energy_wh: Interval,
    /// Over the time that was sampled.
    pub mean_w: f64,
    /// Seconds of the window with samples.
    pub covered_s: f64,
    /// In the plane, where it was measured.
    pub irradiation_wh_m2: Option<f64>,
    pub mean_poa_w_m2: Option<f64>,
}

/// Each of the windows that has samples of watts.
pub fn sums(samples: &LogSamples, windows: impl IntoIterator<Item = Window>) -> Vec<Sums> {
    let Some(power) = samples.power() else { return Vec::new() };
    let poa = samples.get(Quantity::Poa);
    windows.into_iter().filter_map(|window| of_window(power, poa, window)).collect()
}

fn of_window(power: &Series, poa: Option<&Series>, window: Window) -> Option<Sums> {
    let energy = integrate(power, window, None);
    if energy.covered_s <= 0.0 {
        return None;
    }
    let light = poa.map(|poa| integrate(poa, window, None)).filter(|light| light.covered_s > 0.0);
    let (low, high) = (energy.sampled - energy.u_sampling, energy.sampled + energy.u_sampling);
    Some(Sums {
        window,
        energy_wh: Interval { value: energy.sampled, low: low.max(0.0).min(energy.sampled), high },
        mean_w: energy.sampled * 3600.0 / energy.covered_s,
        covered_s: energy.covered_s,
        irradiation_wh_m2: light.as_ref().map(|light| light.sampled),
        mean_poa_w_m2: light.map(|light| light.sampled * 3600.0 / light.covered_s),
    })
}

/// The hours of a window from its beginning; the last one ends with it.
pub fn hours_of(window: Window) -> impl Iterator<Item = Window> {
    let count = ((window.to_s - window.from_s) / 3600.0).ceil().max(0.0) as usize;
    (0..count).map(move |hour| {
        let from_s = window.from_s + hour as f64 * 3600.0;
        Window { from_s, to_s: (from_s + 3600.0).min(window.to_s) }
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn hours_have_their_own_sums_and_an_hour_without_samples_has_none() {
        let of =
            |value: f64| (0..=180).filter(|nth| !(60..=120).contains(nth)).map(|nth| (f64::from(nth) * 60.0, value)).collect();
        let samples = LogSamples::of([(Quantity::Power, of(90.0)), (Quantity::Poa, of(600.0))]);
        let found = sums(&samples, hours_of(Window { from_s: 0.0, to_s: 9000.0 }));
        assert_eq!(
            found.iter().map(|hour| (hour.window.from_s, hour.window.to_s)).collect::<Vec<_>>(),
            [(0.0, 3600.0), (7200.0, 9000.0)]
        );
        assert!((found[0].energy_wh.value - 88.5).abs() < 0.1 && (found[0].mean_w - 90.0).abs() < 1e-9, "{found:?}");
        assert!(
            (found[1].irradiation_wh_m2.unwrap() - 290.0).abs() < 1.0 && (found[1].mean_poa_w_m2.unwrap() - 600.0).abs() < 1e-9
        );
    }
}
