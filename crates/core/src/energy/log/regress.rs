//! More from a log: the temperature coefficient, efficiency over light and over load, and how long a panel takes to warm.

use crate::measure::coverage::t_factor;
use crate::measure::line::Line;
use crate::measure::series::Series;
use crate::measure::series::integral::Interval;
use crate::window::Window;

/// One moment with all that a figure needs.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Point {
    pub at_s: f64,
    pub power_w: f64,
    pub poa_w_m2: f64,
    pub cell_c: f64,
}

/// Moments at which everything was there, one a minute from the grid of the slowest.
pub fn points(power: &Series, poa: &Series, cell: &Series) -> Vec<Point> {
    let Some(Window { from_s, to_s }) = power.span() else { return Vec::new() };
    let longest = (power.longest_step_s(), poa.longest_step_s(), cell.longest_step_s());
    let minutes = ((to_s - from_s) / 60.0).floor() as usize;
    (0..=minutes)
        .filter_map(|minute| {
            let at_s = from_s + minute as f64 * 60.0;
            Some(Point {
                at_s,
                power_w: power.at(at_s, longest.0)?,
                poa_w_m2: poa.at(at_s, longest.1)?,
                cell_c: cell.at(at_s, longest.2)?,
            })
        })
        .collect()
}

/// Power against cell temperature.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct TemperatureCoefficient {
    /// Percent of the power at 25 C for each kelvin, with its 95 % interval.
    pub percent_per_k: Interval,
    /// W at 25 C and 1000 W/m2.
    pub at_stc_w: f64,
    /// Coldest and hottest cell.
    pub cell_c: (f64, f64),
    /// Watts for 1000 W/m2 at the beginning and at the end.
    pub watts_w: (f64, f64),
    pub minutes: usize,
}

/// Why there is none.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum NoCoefficient {
    /// Too little steady strong sun, minutes.
    TooFewMinutes(usize),
    /// The cells warmed by less than [`LEAST_SPAN_K`].
    TooLittleWarming { span_k: f64 },
    /// The watts scatter too much: the interval is wider than [`WIDEST_PERCENT_PER_K`].
    TooMuchScatter { u_percent_per_k: f64 },
}

/// Half an interval that still says something: as much as the coefficient of silicon itself.
pub const WIDEST_PERCENT_PER_K: f64 = 0.4;

pub const LEAST_SPAN_K: f64 = 5.0;
pub const LEAST_MINUTES: usize = 20;

/// Light in which the power goes evenly with it, W/m2, and how much it may move from minute to minute.
const STRONG_W_M2: f64 = 500.0;
const STEADY_REL: f64 = 0.02;

/// The slope of watts for each W/m2 on cell temperature in steady strong sun. `light_u_percent`: how far the light may have drifted unseen
/// over the stretch (95 %): of an irradiance meter its drift, of a clear-sky course its shape.
///
/// Ordinary least squares; its residuals follow each other, so that the degrees of freedom are those of `n (1 - r) / (1 + r)` independent
/// ones, with `r` the correlation of neighbouring residuals (Bartlett 1935, from memory).
pub fn temperature_coefficient(points: &[Point], light_u_percent: f64) -> Result<TemperatureCoefficient, NoCoefficient> {
    let steady: Vec<Point> = points
        .windows(3)
        .filter(|near| near.iter().all(|point| point.poa_w_m2 > STRONG_W_M2))
        .filter(|near| near.iter().all(|point| (point.poa_w_m2 / near[1].poa_w_m2 - 1.0).abs() < STEADY_REL))
        .map(|near| near[1])
        .collect();
    if steady.len() < LEAST_MINUTES {
        return Err(NoCoefficient::TooFewMinutes(steady.len()));
    }
    let cells = steady.iter().map(|point| point.cell_c);
    let (coldest, hottest) = (cells.clone().fold(f64::INFINITY, f64::min), cells.fold(f64::NEG_INFINITY, f64::max));
    if hottest - coldest < LEAST_SPAN_K {
        return Err(NoCoefficient::TooLittleWarming { span_k: hottest - coldest });
    }
    let pairs: Vec<(f64, f64)> =
        steady.iter().map(|point| (point.cell_c - 25.0, 1000.0 * point.power_w / point.poa_w_m2)).collect();
    // The cells warmed by some kelvin: the points do not lie above each other.
    let Some(line) = Line::evenly(&pairs) else { return Err(NoCoefficient::TooLittleWarming { span_k: hottest - coldest }) };
    let at_stc_w = line.at(0.0);
    let percent_per_k = 100.0 * line.slope / at_stc_w;
    let u_line = 100.0 * u_slope(&line, &pairs) / at_stc_w.abs();
    let u = u_line.hypot(light_u_percent / (hottest - coldest));
    if u > WIDEST_PERCENT_PER_K {
        return Err(NoCoefficient::TooMuchScatter { u_percent_per_k: u });
    }
    let watts_w = (pairs[0].1, pairs[pairs.len() - 1].1);
    Ok(TemperatureCoefficient {
        percent_per_k: Interval::about(percent_per_k, u),
        at_stc_w,
        cell_c: (coldest, hottest),
        watts_w,
        minutes: steady.len(),
    })
}

/// The expanded uncertainty (95 %) of a slope through three or more points in order of time, whose residuals follow each other.
fn u_slope(line: &Line, points: &[(f64, f64)]) -> f64 {
    let count = points.len() as f64;
    let left: Vec<f64> = points.iter().map(|(x, y)| y - line.at(*x)).collect();
    let neighbours: f64 = left.windows(2).map(|pair| pair[0] * pair[1]).sum();
    let r = if line.squares > 0.0 { (neighbours / line.squares).clamp(0.0, 0.99) } else { 0.0 };
    let independent = (count * (1.0 - r) / (1.0 + r)).max(3.0);
    let variance = line.squares / (count - 2.0) / line.spread * (count / independent);
    t_factor(0.95, (independent - 2.0).max(1.0)) * variance.sqrt()
}

/// Efficiency in a band of light or of load.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Band {
    /// Mean of the band: W/m2 of light, or W of load.
    pub at: f64,
    /// Percent, with its 95 % interval.
    pub percent: Interval,
    pub minutes: usize,
}

/// Bands of light, W/m2.
const LIGHT_BAND_W_M2: f64 = 100.0;
const LEAST_IN_BAND: usize = 5;

/// Watts for each W/m2 relative to those at 1000 W/m2, by bands of 100 W/m2, each brought to 25 C by `gamma_per_k`. Empty where nothing
/// above 800 W/m2 was logged to relate it to.
pub fn efficiency_over_light(points: &[Point], gamma_per_k: f64) -> Vec<Band> {
    let at_25 = |point: &Point| point.power_w / point.poa_w_m2 / (1.0 + gamma_per_k * (point.cell_c - 25.0));
    let strong: Vec<f64> = points.iter().filter(|point| point.poa_w_m2 >= 800.0).map(at_25).collect();
    if strong.len() < LEAST_IN_BAND {
        return Vec::new();
    }
    let full = strong.iter().sum::<f64>() / strong.len() as f64;
    let pairs = points.iter().filter(|point| point.poa_w_m2 >= 50.0).map(|point| (point.poa_w_m2, 100.0 * at_25(point) / full));
    bands(pairs, LIGHT_BAND_W_M2)
}

/// Output over input of a controller by bands of a tenth of its highest input, from (input W, output W) of the same moments.
pub fn efficiency_over_load(pairs: &[(f64, f64)]) -> Vec<Band> {
    let most = pairs.iter().map(|pair| pair.0).fold(0.0, f64::max);
    if most <= 0.0 {
        return Vec::new();
    }
    let with_load = pairs.iter().filter(|pair| pair.0 > most / 100.0);
    bands(with_load.map(|(input_w, output_w)| (*input_w, 100.0 * output_w / input_w)), most / 10.0)
}

/// The mean of each band, its interval from the scatter of the minutes within it (each a fifth of an independent one: minutes follow each
/// other).
fn bands(pairs: impl Iterator<Item = (f64, f64)>, width: f64) -> Vec<Band> {
    let mut by_band: std::collections::BTreeMap<i64, Vec<(f64, f64)>> = std::collections::BTreeMap::new();
    for (at, percent) in pairs {
        by_band.entry((at / width).floor() as i64).or_default().push((at, percent));
    }
    by_band
        .into_values()
        .filter(|inside| inside.len() >= LEAST_IN_BAND)
        .map(|inside| {
            let count = inside.len() as f64;
            let (at, percent) =
                (inside.iter().map(|p| p.0).sum::<f64>() / count, inside.iter().map(|p| p.1).sum::<f64>() / count);
            let variance = inside.iter().map(|p| (p.1 - percent).powi(2)).sum::<f64>() / (count - 1.0);
            let independent = (count / 5.0).max(2.0);
            let u = t_factor(0.95, independent - 1.0) * (variance / independent).sqrt();
            Band { at, percent: Interval::about(percent, u), minutes: inside.len() }
        })
        .collect()
}

/// How a panel warmed after it was laid into the sun.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Soak {
    pub from_c: f64,
    pub to_c: f64,
    /// After which 63 % of the warming is done.
    pub time_constant_s: f64,
}

/// From cell temperatures of a steady sun: the first, the mean of the last fifth, and when 1 - 1/e of the way was done (first order, as
/// thermal time constants are defined). `None` where the panel warmed by less than 3 K or was still warming at the end.
pub fn soak(cell: &Series) -> Option<Soak> {
    let Window { from_s, to_s } = cell.span()?;
    let last_part = cell.between(to_s - (to_s - from_s) / 5.0, to_s);
    let mean = |series: &Series| series.values().iter().sum::<f64>() / series.len().max(1) as f64;
    let (from_c, to_c) = (*cell.values().first()?, mean(&last_part));
    let warming = to_c - from_c;
    let middle_s = to_s - (to_s - from_s) / 10.0;
    let still = mean(&last_part.between(middle_s, to_s)) - mean(&last_part.between(to_s - (to_s - from_s) / 5.0, middle_s));
    if warming < 3.0 || still > 0.05 * warming {
        return None;
    }
    let wanted = from_c + warming * (1.0 - (-1.0_f64).exp());
    let (at_s, _) = cell.iter().find(|(_, value)| *value >= wanted)?;
    Some(Soak { from_c, to_c, time_constant_s: at_s - from_s })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::seed::hashed;

    fn warming(gamma_per_k: f64, span_k: f64, noise: f64, seed: u64) -> Vec<Point> {
        (0..120)
            .map(|minute| {
                let cell_c = 30.0 + span_k * (1.0 - (-f64::from(minute) / 25.0).exp());
                let poa_w_m2 = 820.0 + f64::from(minute);
                let own = 1.0 + noise * (hashed(seed, u64::from(minute as u32)) - 0.5);
                Point {
                    at_s: f64::from(minute) * 60.0,
                    power_w: 0.2 * poa_w_m2 * (1.0 + gamma_per_k * (cell_c - 25.0)) * own,
                    poa_w_m2,
                    cell_c,
                }
            })
            .collect()
    }

    #[test]
    fn the_coefficient_of_a_warming_panel_is_found_within_its_interval() {
        let mut held = 0;
        for seed in 0..200 {
            let found = temperature_coefficient(&warming(-0.004, 20.0, 0.01, seed), 0.0).unwrap().percent_per_k;
            held += usize::from(found.low <= -0.4 && -0.4 <= found.high);
        }
        assert!((186..=197).contains(&held), "{held} of 200");
        let found = temperature_coefficient(&warming(-0.004, 20.0, 0.0, 0), 1.0).unwrap();
        assert!((found.percent_per_k.value + 0.4).abs() < 1e-6 && (found.at_stc_w - 200.0).abs() < 1e-6, "{found:?}");
        assert!((found.percent_per_k.high - found.percent_per_k.value - 1.0 / (found.cell_c.1 - found.cell_c.0)).abs() < 1e-6);
    }

    #[test]
    fn too_little_warming_or_too_little_sun_says_so() {
        assert!(matches!(
            temperature_coefficient(&warming(-0.004, 4.0, 0.0, 0), 0.0),
            Err(NoCoefficient::TooLittleWarming { .. })
        ));
        assert_eq!(temperature_coefficient(&warming(-0.004, 20.0, 0.0, 0)[..10], 0.0), Err(NoCoefficient::TooFewMinutes(8)));
    }

    #[test]
    fn poor_light_is_related_to_full_light() {
        let points: Vec<Point> = (50..1000)
            .map(|poa| {
                let poa_w_m2 = f64::from(poa);
                let share = if poa < 300 { 0.92 } else { 1.0 };
                Point { at_s: poa_w_m2, power_w: 0.2 * poa_w_m2 * share * (1.0 - 0.004 * 20.0), poa_w_m2, cell_c: 45.0 }
            })
            .collect();
        let found = efficiency_over_light(&points, -0.004);
        assert!((found[1].percent.value - 92.0).abs() < 1e-6 && (found[9].percent.value - 100.0).abs() < 1e-6, "{found:?}");
        assert!(efficiency_over_light(&points[..400], -0.004).is_empty());
    }

    #[test]
    fn a_controller_is_worse_at_little_load() {
        // 5 W of its own and 2 % of what passes.
        let pairs: Vec<(f64, f64)> =
            (1..=200).map(|watts| (f64::from(watts), (f64::from(watts) * 0.98 - 5.0).max(0.0))).collect();
        let found = efficiency_over_load(&pairs);
        assert!(found[1].percent.value < 84.0 && (found[9].percent.value - 95.4).abs() < 0.2, "{found:?}");
    }

    #[test]
    fn the_time_constant_of_a_first_order_warming() {
        let (cell, _) =
            Series::new((0..3600).map(|second| (f64::from(second), 20.0 + 30.0 * (1.0 - (-f64::from(second) / 420.0).exp()))));
        let found = soak(&cell).unwrap();
        assert!((found.time_constant_s - 420.0).abs() < 5.0 && (found.to_c - 50.0).abs() < 0.1, "{found:?}");
        assert!(soak(&cell.between(0.0, 600.0)).is_none(), "still warming");
    }
}
