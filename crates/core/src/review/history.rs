//! One panel over the years: how fast it ages, with its interval.

use super::summary::Figure;
use crate::measure::coverage::factor_95;
use crate::measure::line::Line;
use crate::panel::nameplate::{Nameplate, Technology};

/// Percent of rating at a time.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct At {
    pub unix_s: f64,
    pub percent: Figure,
}

/// Change of the percentage of rating in a year.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Ageing {
    /// Negative where it loses.
    pub percent_per_year: Figure,
    pub years: f64,
    pub tests: usize,
}

/// Stated intervals are known to three tenths of themselves.
const STATED_DOF: f64 = 6.0;

const YEAR_S: f64 = 365.25 * 86_400.0;

/// The slope of percent of rating over time by weighted least squares; `None` before a second day.
///
/// The line is that of [`Line::through`] with weights `1 / u^2`. Points that scatter more than their intervals explain widen it (Birge
/// 1932, Phys. Rev. 40, 207): the scale of the variances is `(dof0 + chi^2) / (dof0 + n - 2)`, at least 1, the stated intervals counting
/// as [`STATED_DOF`] degrees of freedom, as elsewhere in reviews; Student's t for the sum of both. Errors that the instruments repeat on
/// every day would cancel in a slope; nobody knows that they were the same instruments in the same state, so none is taken off.
pub fn ageing(points: &[At]) -> Option<Ageing> {
    let years = |at: &At| at.unix_s / YEAR_S;
    let (first, last) = points.iter().map(years).fold((f64::MAX, f64::MIN), |(low, high), t| (low.min(t), high.max(t)));
    // Within one day there is no ageing.
    if points.len() < 2 || (last - first) * YEAR_S < 86_400.0 {
        return None;
    }
    let over_time: Vec<(f64, f64)> = points.iter().map(|at| (years(at), at.percent.value)).collect();
    let line = Line::through(&over_time, |nth| (points[nth].percent.u / 2.0).max(1e-3).powi(-2))?;
    let dof = points.len() as f64 - 2.0;
    let scale = (STATED_DOF + line.squares) / (STATED_DOF + dof);
    let factor = if scale > 1.0 { scale.sqrt() * factor_95(STATED_DOF + dof) } else { 2.0 };
    Some(Ageing {
        percent_per_year: Figure::new(line.slope, factor * line.spread.powf(-0.5)),
        years: last - first,
        tests: points.len(),
    })
}

/// What a panel of a kind is expected to lose in a year, percent of its rating, and whether its label states it.
///
/// Without a label: the median of published field studies, 0.5 % a year of crystalline modules; thin film about 1 % (Jordan and Kurtz 2013,
/// Progress in Photovoltaics 21, 12: from memory).
pub fn expected_loss_percent_per_year(label: &Nameplate) -> (f64, bool) {
    let usual = match label.technology {
        Technology::Mono | Technology::Poly => 0.5,
        Technology::ThinFilm => 1.0,
    };
    label.degradation_percent_per_year.map_or((usual, false), |stated| (stated, true))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn at(year: f64, value: f64, u: f64) -> At {
        At { unix_s: year * YEAR_S, percent: Figure::new(value, u) }
    }

    /// Worked by hand: 98 +- 3 and 95 +- 4 four years apart: -0.75 a year, with sqrt(9 + 16) / 4 = 1.25.
    #[test]
    fn two_tests_give_a_slope_with_its_interval() {
        let found = ageing(&[at(50.0, 98.0, 3.0), at(54.0, 95.0, 4.0)]).unwrap();
        assert!(
            (found.percent_per_year.value + 0.75).abs() < 1e-9 && (found.percent_per_year.u - 1.25).abs() < 1e-9,
            "{found:?}"
        );
        assert!((found.years - 4.0).abs() < 1e-9);
    }

    /// Worked by hand: equal weights at years 0, 1, 2 with 100, 98, 99 +- 2: slope -0.5; residuals 0.5, -1, 0.5, chi-square 1.5, one
    /// degree of freedom: scale 7.5 / 7, t 2.43 of 7 degrees of freedom, 1 / sqrt 2. With 100, 90, 99: residuals 3.17, -6.33, 3.17,
    /// chi-square 60.2.
    #[test]
    fn scatter_beyond_the_intervals_widens_the_slope() {
        let found = ageing(&[at(50.0, 100.0, 2.0), at(51.0, 98.0, 2.0), at(52.0, 99.0, 2.0)]).unwrap();
        assert!((found.percent_per_year.value + 0.5).abs() < 1e-9);
        assert!((found.percent_per_year.u - (7.5_f64 / 7.0).sqrt() * factor_95(7.0) / 2_f64.sqrt()).abs() < 1e-6, "{found:?}");
        let wild = ageing(&[at(50.0, 100.0, 2.0), at(51.0, 90.0, 2.0), at(52.0, 99.0, 2.0)]).unwrap();
        assert!((wild.percent_per_year.u - (66.17_f64 / 7.0).sqrt() * factor_95(7.0) / 2_f64.sqrt()).abs() < 0.01, "{wild:?}");
        let steady = ageing(&[at(50.0, 100.0, 2.0), at(51.0, 99.5, 2.0), at(52.0, 99.0, 2.0)]).unwrap();
        assert!((steady.percent_per_year.u - 2.0 / 2_f64.sqrt()).abs() < 1e-9, "{steady:?}");
    }

    #[test]
    fn one_day_has_no_ageing() {
        assert!(ageing(&[at(50.0, 98.0, 3.0)]).is_none() && ageing(&[]).is_none());
        assert!(ageing(&[at(50.0, 98.0, 3.0), at(50.0005, 97.0, 3.0)]).is_none());
    }
}
