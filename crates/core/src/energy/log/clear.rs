//! Clear stretches of an irradiance or of a panel's power.
//!
//! Reno and Hansen 2016, Identification of periods of clear sky irradiance in time series of GHI measurements, Renewable Energy 90: five
//! statistics of a sliding window, measured and clear, must agree. The clear course is scaled to the clear stretches found until they stay
//! the same; the scale is fitted to all clear samples, not only to those of days that are half clear, as the paper has it. Windows are
//! centred. Limits by sampling interval: Jordan and Hansen 2023, Clear-sky detection for PV degradation analysis using multiple
//! regression, Renewable Energy 209 (table 1).

/// What a window may differ by.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Limits {
    pub window_min: f64,
    /// Of the means, W/m2.
    pub mean_diff_w_m2: f64,
    /// Of the highest values, W/m2.
    pub max_diff_w_m2: f64,
    /// Of the lengths of the lines through the samples, in the plane of W/m2 and minutes: from, to.
    pub line_length: (f64, f64),
    /// Standard deviation of the slopes over the mean, 1/min.
    pub slope_sd_per_mean: f64,
    /// Of two successive changes, W/m2.
    pub step_diff_w_m2: f64,
}

impl Limits {
    /// Reno and Hansen's own, for samples of one minute.
    pub const PAPER: Limits = Limits {
        window_min: 10.0,
        mean_diff_w_m2: 75.0,
        max_diff_w_m2: 75.0,
        line_length: (-5.0, 10.0),
        slope_sd_per_mean: 0.005,
        step_diff_w_m2: 8.0,
    };

    /// Jordan and Hansen 2023: between samples of 1, 5, 15 and 30 minutes, straight; 1 to 30.
    pub fn of_interval(interval_min: f64) -> Self {
        const INTERVALS: [f64; 4] = [1.0, 5.0, 15.0, 30.0];
        let at = |of: [f64; 4]| straight(INTERVALS, of, interval_min);
        Limits {
            window_min: at([50.0, 60.0, 90.0, 120.0]),
            mean_diff_w_m2: 75.0,
            max_diff_w_m2: at([60.0, 65.0, 75.0, 90.0]),
            line_length: (-45.0, 80.0),
            slope_sd_per_mean: at([0.005, 0.01, 0.032, 0.07]),
            step_diff_w_m2: at([50.0, 60.0, 75.0, 96.0]),
        }
    }
}

fn straight(of: [f64; 4], values: [f64; 4], at: f64) -> f64 {
    let at = at.clamp(of[0], of[3]);
    let left = of.iter().rposition(|x| *x <= at).unwrap_or(0).min(2);
    values[left] + (values[left + 1] - values[left]) * (at - of[left]) / (of[left + 1] - of[left])
}

/// What was found.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Clear {
    pub is_clear: Vec<bool>,
    /// The clear course times this is the measured one on its clear stretches.
    pub scale: f64,
}

const MOST_ROUNDS: usize = 20;

/// Which of evenly spaced samples (W/m2) lie in a clear window, `clear` being the clear sky at the same times. A missing sample is not a
/// number, and no window that holds one is clear. Nothing is clear where there are fewer samples than a window holds, or a window of fewer
/// than three.
pub fn clear_stretches(measured: &[f64], clear: &[f64], interval_min: f64, limits: &Limits) -> Clear {
    let count = measured.len().min(clear.len());
    let width = (limits.window_min / interval_min).round() as usize;
    if width < 3 || count < width {
        return Clear { is_clear: vec![false; count], scale: 1.0 };
    }
    let of_measured: Vec<Window> =
        (0..=count - width).map(|first| window(&measured[first..first + width], interval_min)).collect();
    let of_clear: Vec<(f64, f64)> = (0..=count - width).map(|first| mean_and_highest(&clear[first..first + width])).collect();
    let mut found = Clear { is_clear: Vec::new(), scale: 1.0 };
    for _ in 0..MOST_ROUNDS {
        let scale = found.scale;
        found.is_clear = vec![false; count];
        for (first, (seen, (mean, highest))) in of_measured.iter().zip(&of_clear).enumerate() {
            let both = (&measured[first..first + width], &clear[first..first + width]);
            let is_clear = *mean != 0.0
                && (seen.mean - scale * mean).abs() < limits.mean_diff_w_m2
                && (seen.highest - scale * highest).abs() < limits.max_diff_w_m2
                && seen.slope_sd_per_mean < limits.slope_sd_per_mean
                && greatest_step(both, scale) < limits.step_diff_w_m2
                && line_fits(seen.line_length - line_length(both.1, scale, interval_min), limits);
            if is_clear {
                found.is_clear[first..first + width].fill(true);
            }
        }
        let (mut cross, mut square) = (0.0, 0.0);
        for (nth, _) in found.is_clear.iter().enumerate().filter(|(_, is_clear)| **is_clear) {
            cross += measured[nth] * clear[nth];
            square += clear[nth] * clear[nth];
        }
        if square > 0.0 {
            found.scale = cross / square;
        }
        if (found.scale * 10_000.0).round() == (scale * 10_000.0).round() {
            break;
        }
    }
    found
}

struct Window {
    mean: f64,
    highest: f64,
    slope_sd_per_mean: f64,
    line_length: f64,
}

fn mean_and_highest(values: &[f64]) -> (f64, f64) {
    (values.iter().sum::<f64>() / values.len() as f64, values.iter().copied().fold(f64::NEG_INFINITY, f64::max))
}

fn window(values: &[f64], interval_min: f64) -> Window {
    let (mean, highest) = mean_and_highest(values);
    let slopes = values.windows(2).map(|pair| (pair[1] - pair[0]) / interval_min);
    let count = (values.len() - 1) as f64;
    let middle = slopes.clone().sum::<f64>() / count;
    let variance = slopes.map(|slope| (slope - middle).powi(2)).sum::<f64>() / (count - 1.0);
    Window { mean, highest, slope_sd_per_mean: variance.sqrt() / mean, line_length: line_length(values, 1.0, interval_min) }
}

fn line_length(values: &[f64], scale: f64, interval_min: f64) -> f64 {
    values.windows(2).map(|pair| (scale * (pair[1] - pair[0])).hypot(interval_min)).sum()
}

fn line_fits(difference: f64, limits: &Limits) -> bool {
    difference > limits.line_length.0 && difference < limits.line_length.1
}

fn greatest_step((measured, clear): (&[f64], &[f64]), scale: f64) -> f64 {
    let off = |nth: usize| measured[nth] - scale * clear[nth];
    (1..measured.len()).map(|nth| (off(nth) - off(nth - 1)).abs()).fold(0.0, f64::max)
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::f64::consts::PI;

    fn half_day() -> Vec<f64> {
        (0..600).map(|minute| 900.0 * (PI * f64::from(minute) / 600.0).sin()).collect()
    }

    #[test]
    fn a_clear_course_is_clear_and_its_scale_is_found() {
        let clear = half_day();
        let measured: Vec<f64> = clear.iter().map(|w_m2| 0.95 * w_m2).collect();
        let found = clear_stretches(&measured, &clear, 1.0, &Limits::PAPER);
        assert!((found.scale - 0.95).abs() < 1e-3, "{}", found.scale);
        assert!(found.is_clear.iter().filter(|is_clear| **is_clear).count() > 550);
    }

    #[test]
    fn a_cloud_is_not_clear_and_neither_is_a_gap() {
        let clear = half_day();
        let mut measured = clear.clone();
        measured[200..230].iter_mut().for_each(|w_m2| *w_m2 *= 0.5);
        measured[400] = f64::NAN;
        let found = clear_stretches(&measured, &clear, 1.0, &Limits::PAPER);
        assert!(found.is_clear[202..228].iter().all(|is_clear| !is_clear) && !found.is_clear[400]);
        assert!(found.is_clear[180] && found.is_clear[250] && found.is_clear[380] && found.is_clear[420]);
        assert!(clear_stretches(&measured[..5], &clear[..5], 1.0, &Limits::PAPER).is_clear.iter().all(|is_clear| !is_clear));
        assert!(clear_stretches(&measured, &clear, 5.0, &Limits::PAPER).is_clear.iter().all(|is_clear| !is_clear));
    }

    /// Jordan and Hansen 2023, as the reference library has them: 10 minutes lie half way from 5 to 15.
    #[test]
    fn limits_go_with_the_interval() {
        let limits = Limits::of_interval(10.0);
        assert_eq!((limits.window_min, limits.max_diff_w_m2, limits.step_diff_w_m2), (75.0, 70.0, 67.5));
        assert_eq!(Limits::of_interval(40.0), Limits::of_interval(30.0));
    }
}
