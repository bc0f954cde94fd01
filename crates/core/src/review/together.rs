//! Several results of one subject as one.
//!
//! Each result is `truth + shared + own + day`: `shared` is the error that the instruments and the label repeat in every one, `own` is what
//! the test had for itself, and `day` the scatter between days. With own variances `u_i^2` and weights `w_i = 1 / u_i^2`, the scatter that
//! `n` days show follows from the moments of the weighted sum of squares (DerSimonian and Laird 1986, Controlled Clinical Trials 7, eqs. 8
//! to 10):
//!
//! `Q = sum w_i (y_i - mean)^2`, `seen^2 = max(0, (Q - (n - 1)) / (sum w - sum w^2 / sum w))`.
//!
//! Few days know little of it, so it is joined with a stated value as if that had been seen with [`DAYS_DOF`] degrees of freedom (the
//! conjugate estimate of a variance: Gelman et al. 2013, Bayesian Data Analysis, 2.6), and is never less than that value:
//!
//! `tau^2 = max(stated^2, (dof0 stated^2 + (n - 1) seen^2) / (dof0 + n - 1))`.
//!
//! The mean takes the weights `1 / (u_i^2 + tau^2)`, and its variance is one over their sum. The shared part is averaged as it is. The
//! coverage factor follows from the effective degrees of freedom (JCGM 100:2008, G.4.1). A single result stays as its test has it.

use super::sources::{Shared, averaged};
use super::summary::Figure;
use crate::measure::coverage::{effective_dof, factor_95};
use crate::verdict::over_hours::{DAYS_DOF, DAYS_REL};

/// One result: value, its expanded uncertainty, and the shared part of that.
#[derive(Debug, Clone, PartialEq)]
pub struct One {
    pub figure: Figure,
    pub u_shared: f64,
    /// What of it has a source that another result may have too.
    pub sources: Vec<Shared>,
}

/// The results as one, in their unit; `None` of none.
#[derive(Debug, Clone, PartialEq)]
pub struct Together {
    pub figure: Figure,
    pub u_shared: f64,
    pub sources: Vec<Shared>,
    pub count: usize,
    /// Standard deviation between days, as it was seen beyond what each explains.
    pub between_days: f64,
}

/// A test that is better than this share of its value, expanded, is taken as this good, so that one does not weigh alone.
const SMALLEST_U_REL: f64 = 1e-6;

pub fn together(results: &[One]) -> Option<Together> {
    let own_variance = |one: &One| {
        let own = (one.figure.u.powi(2) - one.u_shared.powi(2)).max(0.0).sqrt() / 2.0;
        own.max(SMALLEST_U_REL * one.figure.value.abs().max(1.0)).powi(2)
    };
    let mean_of = |weights: &[f64]| {
        let sum: f64 = weights.iter().sum();
        results.iter().zip(weights).map(|(one, weight)| one.figure.value * weight).sum::<f64>() / sum
    };
    match results {
        [] => return None,
        [one] => {
            return Some(Together {
                figure: one.figure,
                u_shared: one.u_shared,
                sources: one.sources.clone(),
                count: 1,
                between_days: 0.0,
            });
        }
        _ => {}
    }
    let first: Vec<f64> = results.iter().map(|one| 1.0 / own_variance(one)).collect();
    let fixed = mean_of(&first);
    let q: f64 = results.iter().zip(&first).map(|(one, weight)| weight * (one.figure.value - fixed).powi(2)).sum();
    let (sum, squares): (f64, f64) = (first.iter().sum(), first.iter().map(|weight| weight * weight).sum());
    let dof = results.len() as f64 - 1.0;
    let seen_squared = ((q - dof) / (sum - squares / sum)).max(0.0);
    let stated_squared = (DAYS_REL * fixed).powi(2);
    let joined_squared = (DAYS_DOF * stated_squared + dof * seen_squared) / (DAYS_DOF + dof);
    let tau_squared = joined_squared.max(stated_squared);
    let weights: Vec<f64> = results.iter().map(|one| 1.0 / (own_variance(one) + tau_squared)).collect();
    let total: f64 = weights.iter().sum();
    let value = mean_of(&weights);
    let own = (1.0 / total).sqrt();
    let of_days = weights.iter().map(|weight| (weight / total).powi(2) * tau_squared).sum::<f64>().sqrt();
    let u_shared = results.iter().zip(&weights).map(|(one, weight)| one.u_shared * weight).sum::<f64>() / total;
    let factor = factor_95(effective_dof(own, of_days, DAYS_DOF + dof));
    Some(Together {
        figure: Figure::new(value, (factor * own).hypot(u_shared)),
        u_shared,
        sources: averaged(results.iter().zip(&weights).map(|(one, weight)| (weight / total, &one.sources[..]))),
        count: results.len(),
        between_days: seen_squared.sqrt(),
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn one(value: f64, u: f64, u_shared: f64) -> One {
        One { figure: Figure::new(value, u), u_shared, sources: Vec::new() }
    }

    /// Worked by hand. 100 +- 4 and 98 +- 4 (standard 2 each): Q = 0.5, below 1, so no scatter is seen and the stated one counts: 1.5 % of
    /// 99, 1.485. Variance (4 + 2.205) / 2 = 3.103, of it 1.103 from the days; effective degrees of freedom 3.103^2 / (1.103^2 / 7) = 55.4.
    #[test]
    fn days_that_agree_narrow_the_interval() {
        let found = together(&[one(100.0, 4.0, 0.0), one(98.0, 4.0, 0.0)]).unwrap();
        assert!((found.figure.value - 99.0).abs() < 1e-9 && found.between_days == 0.0, "{found:?}");
        assert!((found.figure.u - 3.103_f64.sqrt() * factor_95(55.4)).abs() < 0.01 && found.figure.u < 4.0, "{found:?}");
    }

    /// Worked by hand. 100 and 88, each +- 4 (standard 2): Q = 18, seen^2 = 17 / 0.25 = 68; stated^2 = (0.015 x 94)^2 = 1.988;
    /// tau^2 = (6 x 1.988 + 68) / 7 = 11.418. Variance (4 + 11.418) / 2 = 7.709, of it 5.709 from the days: 12.76 degrees of freedom.
    #[test]
    fn days_that_disagree_carry_their_own_scatter() {
        let found = together(&[one(100.0, 4.0, 0.0), one(88.0, 4.0, 0.0)]).unwrap();
        assert!((found.figure.value - 94.0).abs() < 1e-9 && (found.between_days - 68_f64.sqrt()).abs() < 1e-9, "{found:?}");
        assert!((found.figure.u - 7.709_f64.sqrt() * factor_95(12.76)).abs() < 0.01 && found.figure.u > 6.0, "{found:?}");
    }

    /// 5 of 5.02 shared: another day with the same meter changes nothing of it.
    #[test]
    fn a_shared_error_does_not_average_out() {
        let of = |count: usize| together(&vec![one(95.0, 5.02, 5.0); count]).unwrap().figure.u;
        assert!((of(1) - 5.02).abs() < 1e-9 && of(16) > 5.0 && of(16) < 5.1);
    }

    /// Worked by hand: 100 +- 2 and 97 +- 4: weights 1 and 1/4, mean 99.4, Q = 1.8, seen^2 = 0.8 / (1.25 - 1.0625 / 1.25) = 2;
    /// stated^2 = 2.223 is more, and counts. Weights 1 / 3.223 and 1 / 6.223: 98.976.
    #[test]
    fn the_better_day_weighs_more() {
        let found = together(&[one(100.0, 2.0, 0.0), one(97.0, 4.0, 0.0)]).unwrap();
        assert!((found.figure.value - 98.976).abs() < 0.001, "{found:?}");
        assert!(together(&[]).is_none());
        assert_eq!(together(&[one(97.0, 4.0, 3.0)]).unwrap().figure, Figure::new(97.0, 4.0));
    }
}
