//! What a day comes to: watt-hours, and those against the sky and the rating.

use super::sky::{CLEAR_SKY_U_PERCENT, ClearDay};
use crate::constants::STC_POA_W_M2;
use crate::error::Error;
use crate::measure::series::Series;
use crate::measure::series::integral::{GapKind, Integral, Interval, integrate};
use crate::sky::course::Site;
use crate::sky::plane::Plane;
use crate::window::Window;

/// What was logged, and what is known of it.
#[derive(Debug, Clone, Copy)]
pub struct Logged<'a> {
    /// W.
    pub power: &'a Series,
    /// W/m2 in the plane, where it was measured.
    pub poa: Option<&'a Series>,
    /// C, where it was measured.
    pub cell: Option<&'a Series>,
    pub site: &'a Site,
    pub plane: &'a Plane,
    pub rated_w: Option<f64>,
    /// 1/K of the rated power, negative.
    pub gamma_per_k: Option<f64>,
    /// Of the meters, percent of reading (95 %).
    pub watts_u_percent: f64,
    pub poa_u_percent: f64,
    /// W a W/m2 that the panel gives at most: bounds the gaps.
    pub strength_w_per_w_m2: Option<f64>,
}

/// The figures of a window, from midnight to midnight or any other.
#[derive(Debug, Clone, PartialEq)]
pub struct Figures {
    /// Of the whole window, its ends at their bounds; without the meter's gain.
    pub integral: Integral,
    /// What was logged, from the first sample to the last, with the meter's gain.
    pub energy_wh: Interval,
    /// What the window would have given before the first sample and after the last, while the sun was up: an estimate. `None` where the
    /// log holds all of the light.
    pub not_logged_wh: Option<Interval>,
    /// In the plane, Wh/m2.
    pub irradiation_wh_m2: Interval,
    /// The same without the gain of its meter, which cancels against another day of that meter.
    pub irradiation_sampled_wh_m2: Interval,
    /// Measured in the plane; otherwise of a clear sky, which is the most that day could give.
    pub irradiation_is_measured: bool,
    /// Hours at 1000 W/m2 that give the same irradiation.
    pub peak_sun_h: Interval,
    /// kWh for each kW rated, which are hours (final yield Yf).
    pub specific_yield_h: Option<Interval>,
    /// Yf over the reference yield Yr, percent; of a clear sky where no irradiance was measured.
    pub performance_ratio_percent: Option<Interval>,
    /// The same with each moment's rating brought to its cell temperature.
    pub performance_ratio_at_25_c_percent: Option<Interval>,
    /// Energy over rating times the hours from first to last light, percent.
    pub share_of_rated_percent: Option<f64>,
    /// Mean watts of the five best hours in a row; `None` where less than five were logged.
    pub best_five_hours_w: Option<f64>,
}

/// A gap is bounded by this much over the panel's strength under a clear sky: edges of clouds are brighter than clear. Common practice, no
/// source.
const OVER_CLEAR: f64 = 1.1;

/// The figures of a window.
///
/// Yields and ratios: IEC 61724-1:2021, 10.3 and 10.4 (final yield, reference yield, performance ratio and its 25 C form; from memory).
/// The ratio over a clear sky where no irradiance was measured is no performance ratio of the standard, and `irradiation_is_measured` says
/// so.
///
/// # Errors
/// As [`ClearDay::over`].
pub fn figures(logged: &Logged<'_>, window: Window) -> Result<Figures, Error> {
    let clear = ClearDay::over(logged.site, logged.plane, window.from_s, window.to_s)?;
    let strength = logged.strength_w_per_w_m2.or(logged.rated_w.map(|rated_w| rated_w / STC_POA_W_M2));
    let most_w = |at_s: f64| strength.unwrap_or(0.0) * OVER_CLEAR * clear.at(at_s);
    let ceiling: Option<&dyn Fn(f64) -> f64> = if strength.is_some() { Some(&most_w) } else { None };
    let integral = integrate(logged.power, window, ceiling);
    let held = logged_window(logged.power, window);
    let energy_wh = integrate(logged.power, held, ceiling).interval().with_gain(logged.watts_u_percent);
    let (irradiation_sampled_wh_m2, irradiation_is_measured) = irradiation(logged, window, &clear);
    let irradiation_wh_m2 = if irradiation_is_measured {
        irradiation_sampled_wh_m2.with_gain(logged.poa_u_percent)
    } else {
        irradiation_sampled_wh_m2
    };
    let per_rated = |energy: Interval| logged.rated_w.map(|rated_w| energy.times(1.0 / rated_w));
    let peak_sun_h = irradiation_wh_m2.times(1.0 / STC_POA_W_M2);
    let specific_yield_h = per_rated(energy_wh);
    let has_light = irradiation_wh_m2.value > 0.0;
    // A ratio is of the hours that were logged, over their own light.
    let (held_wh_m2, _) = irradiation(logged, held, &clear);
    let held_wh_m2 = if irradiation_is_measured { held_wh_m2.with_gain(logged.poa_u_percent) } else { held_wh_m2 };
    let has_light = has_light && held_wh_m2.value > 0.0;
    let ratio = |yield_h: Interval| yield_h.over(held_wh_m2.times(1.0 / STC_POA_W_M2)).times(100.0);
    Ok(Figures {
        performance_ratio_percent: specific_yield_h.filter(|_| has_light).map(ratio),
        performance_ratio_at_25_c_percent: at_25_c(logged, held, &clear)
            .zip(specific_yield_h)
            .filter(|_| has_light)
            .map(|(share, yield_h)| ratio(yield_h).times(1.0 / share)),
        share_of_rated_percent: logged.rated_w.and_then(|rated_w| {
            let lit_h = lit_h(&clear, held);
            (lit_h > 0.0).then(|| 100.0 * energy_wh.value / rated_w / lit_h)
        }),
        best_five_hours_w: best_hours_w(logged.power, window, 5.0),
        not_logged_wh: not_logged(&integral),
        integral,
        energy_wh,
        irradiation_wh_m2,
        irradiation_sampled_wh_m2,
        irradiation_is_measured,
        peak_sun_h,
        specific_yield_h,
    })
}

/// From the first sample to the last, within a window; nothing of it where there are none.
fn logged_window(power: &Series, window: Window) -> Window {
    let nothing = Window { to_s: window.from_s, ..window };
    let Window { from_s, to_s } = power.between(window.from_s, window.to_s).span().unwrap_or(nothing);
    Window { from_s: from_s.max(window.from_s), to_s: to_s.min(window.to_s) }
}

/// Ends of less than this share of what was logged are dusk, not a part of the day.
const DUSK_REL: f64 = 0.005;

/// The ends of a window by their bounds.
fn not_logged(integral: &Integral) -> Option<Interval> {
    let ends = integral.gaps.iter().filter(|gap| gap.kind != GapKind::Between);
    let sum = ends.fold(Interval::default(), |sum, gap| Interval {
        value: sum.value + gap.middle,
        low: sum.low + gap.low,
        high: sum.high + gap.high,
    });
    (sum.value > DUSK_REL * integral.sampled).then_some(sum)
}

fn irradiation(logged: &Logged<'_>, window: Window, clear: &ClearDay) -> (Interval, bool) {
    let most = |at_s: f64| OVER_CLEAR * clear.at(at_s);
    match logged.poa {
        Some(poa) => (integrate(poa, window, Some(&most)).interval(), true),
        None => {
            let (steps, sum) = minutes(window).fold((0.0, 0.0), |(steps, sum), at_s| (steps + 1.0, sum + clear.at(at_s)));
            let value = sum / f64::max(steps, 1.0) * (window.to_s - window.from_s) / 3600.0;
            (Interval::about(value, 0.0).with_gain(CLEAR_SKY_U_PERCENT), false)
        }
    }
}

/// The middles of even steps of about a minute.
fn minutes(window: Window) -> impl Iterator<Item = f64> {
    let steps = ((window.to_s - window.from_s) / 60.0).ceil().max(1.0) as usize;
    let step_s = (window.to_s - window.from_s) / steps as f64;
    (0..steps).map(move |step| window.from_s + (step as f64 + 0.5) * step_s)
}

fn lit_h(clear: &ClearDay, window: Window) -> f64 {
    let step_h = (window.to_s - window.from_s) / minutes(window).count() as f64 / 3600.0;
    minutes(window).filter(|at_s| clear.at(*at_s) > 0.0).count() as f64 * step_h
}

/// The mean of `1 + gamma (cell - 25 C)` weighted by the light: what warmth leaves of the rating over the window.
fn at_25_c(logged: &Logged<'_>, window: Window, clear: &ClearDay) -> Option<f64> {
    let (cell, gamma_per_k) = (logged.cell?, logged.gamma_per_k?);
    let longest_s = cell.longest_step_s();
    let (mut light_sum, mut share_sum) = (0.0, 0.0);
    for at_s in minutes(window) {
        let Some(cell_c) = cell.at(at_s, longest_s) else { continue };
        let light = match logged.poa {
            Some(poa) => poa.at(at_s, poa.longest_step_s()).unwrap_or(0.0).max(0.0),
            None => clear.at(at_s),
        };
        light_sum += light;
        share_sum += light * (1.0 + gamma_per_k * (cell_c - 25.0));
    }
    (light_sum > 0.0).then_some(share_sum / light_sum).filter(|share| *share > 0.0)
}

/// The highest mean over so many hours in a row, W; `None` where the samples span less.
fn best_hours_w(power: &Series, window: Window, hours: f64) -> Option<f64> {
    let Window { from_s: first_s, to_s: last_s } = power.between(window.from_s, window.to_s).span()?;
    let span_s = hours * 3600.0;
    if last_s - first_s < span_s {
        return None;
    }
    // Watt-hours up to each quarter of an hour, so that each mean is one difference.
    const STEP_S: f64 = 900.0;
    let steps = ((last_s - first_s) / STEP_S).floor() as usize;
    let mut sums = vec![0.0];
    for step in 0..steps {
        let part = Window { from_s: first_s + step as f64 * STEP_S, to_s: first_s + (step + 1) as f64 * STEP_S };
        sums.push(sums[step] + integrate(power, part, None).sampled);
    }
    let wide = (span_s / STEP_S) as usize;
    (wide < sums.len()).then(|| (wide..sums.len()).map(|end| (sums[end] - sums[end - wide]) / hours).fold(0.0, f64::max))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::sky::place::Place;

    fn site() -> Site {
        Site { place: Place::check(38.6, -7.9, 300.0).unwrap(), albedo: 0.2, linke_turbidity: 3.0, ..Site::default() }
    }

    /// 2026-09-12 UTC.
    const DAY: Window = Window { from_s: 1_789_171_200.0, to_s: 1_789_257_600.0 };

    fn level(from_h: f64, to_h: f64, value: f64) -> Series {
        let first_s = DAY.from_s + from_h * 3600.0;
        Series::new((0..=((to_h - from_h) * 60.0) as usize).map(|minute| (first_s + minute as f64 * 60.0, value))).0
    }

    /// A worked example by hand: 10 h at 500 W/m2 are 5 peak sun hours; 100 W over them are 1000 Wh of a 250 W panel: Yf 4 h, PR 80 %.
    /// Cells at 45 C with
    /// -0.4 %/K leave 92 % of the rating: 80 / 0.92 = 86.96 %.
    #[test]
    fn the_performance_ratio_of_a_worked_example() {
        let (power, poa, cell) = (level(7.5, 17.5, 100.0), level(7.5, 17.5, 500.0), level(7.5, 17.5, 45.0));
        let (site, plane) = (site(), Plane { tilt_deg: 30.0, azimuth_deg: 180.0 });
        let logged = Logged {
            power: &power,
            poa: Some(&poa),
            cell: Some(&cell),
            site: &site,
            plane: &plane,
            rated_w: Some(250.0),
            gamma_per_k: Some(-0.004),
            watts_u_percent: 1.0,
            poa_u_percent: 3.0,
            strength_w_per_w_m2: Some(0.2),
        };
        let inside = Window { from_s: DAY.from_s + 7.5 * 3600.0, to_s: DAY.from_s + 17.5 * 3600.0 };
        let found = figures(&logged, inside).unwrap();
        assert!((found.energy_wh.value - 1000.0).abs() < 1e-6 && (found.peak_sun_h.value - 5.0).abs() < 1e-9);
        assert!((found.energy_wh.high - 1010.0).abs() < 1e-6 && (found.irradiation_wh_m2.low - 4850.0).abs() < 1e-6);
        let ratio = found.performance_ratio_percent.unwrap();
        assert!(
            (ratio.value - 80.0).abs() < 1e-9 && (ratio.high - 80.0 - 80.0 * (0.01_f64.hypot(0.03))).abs() < 1e-6,
            "{ratio:?}"
        );
        assert!((found.performance_ratio_at_25_c_percent.unwrap().value - 86.956_52).abs() < 1e-4);
        assert_eq!(found.best_five_hours_w.map(f64::round), Some(100.0));
        // A whole day of it has ends without samples, bounded by the sky.
        let whole = figures(&logged, DAY).unwrap();
        assert!(whole.integral.high > 1015.0 && whole.integral.low < 1000.1 && whole.integral.gaps.len() == 2, "{whole:?}");
        // The energy is what was logged; what the ends would have given stands beside it, and the ratio is of the hours logged.
        assert!((whole.energy_wh.value - 1000.0).abs() < 1e-6, "{:?}", whole.energy_wh);
        assert!(whole.not_logged_wh.is_some_and(|rest| rest.value > 5.0) && found.not_logged_wh.is_none(), "{whole:?}");
        assert!((whole.performance_ratio_percent.unwrap().value - 80.0).abs() < 0.1, "{whole:?}");
    }

    #[test]
    fn without_a_meter_in_the_plane_the_clear_sky_stands_with_its_interval() {
        let (power, site, plane) = (level(6.0, 19.0, 100.0), site(), Plane { tilt_deg: 30.0, azimuth_deg: 180.0 });
        let logged = Logged {
            power: &power,
            poa: None,
            cell: None,
            site: &site,
            plane: &plane,
            rated_w: None,
            gamma_per_k: None,
            watts_u_percent: 0.0,
            poa_u_percent: 0.0,
            strength_w_per_w_m2: None,
        };
        let found = figures(&logged, DAY).unwrap();
        assert!(!found.irradiation_is_measured && found.performance_ratio_percent.is_none());
        // A clear September day at 38.6 N on 30 degrees: 6 to 7.5 peak sun hours (common practice, no source).
        assert!((6.0..7.5).contains(&found.peak_sun_h.value), "{:?}", found.peak_sun_h);
        assert!((found.peak_sun_h.high / found.peak_sun_h.value - 1.07).abs() < 1e-9);
    }
}
