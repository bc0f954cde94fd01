//! From a standard uncertainty to an interval that holds the truth in 95 of 100 cases.

use statrs::distribution::{ChiSquared, ContinuousCDF, Normal, StudentsT};

/// Student's t for 95.45 % coverage by degrees of freedom 1 to 20 (JCGM 100:2008, table G.2). Beyond, 2 serves.
const T_95_45: [f64; 20] =
    [13.97, 4.53, 3.31, 2.87, 2.65, 2.52, 2.43, 2.37, 2.32, 2.28, 2.25, 2.23, 2.21, 2.20, 2.18, 2.17, 2.16, 2.15, 2.14, 2.13];

/// Degrees of freedom of a combined uncertainty (Welch and Satterthwaite; JCGM 100:2008, equation G.2b), where one part
/// `u_scatter` has `scatter_dof` degrees of freedom and all else is known from specifications, without limit of them.
pub fn effective_dof(u_combined: f64, u_scatter: f64, scatter_dof: f64) -> f64 {
    if u_scatter <= 0.0 { f64::INFINITY } else { scatter_dof * (u_combined / u_scatter).powi(4) }
}

/// The coverage factor k for about 95 %: 2 for many degrees of freedom, more for few. `dof` 1 or more; rounded down, as
/// JCGM 100:2008 G.4.1 asks.
pub fn factor_95(dof: f64) -> f64 {
    let row = dof.floor().max(1.0) as usize;
    match T_95_45.get(row - 1) {
        Some(t) => *t,
        // 1/dof runs straight between the table's last row and infinity.
        None => 2.0 + (T_95_45[19] - 2.0) * 20.0 / dof,
    }
}

/// Student's t for a two-sided interval of `level` (0.95, 0.99) with `dof` degrees of freedom, 0.5 or more; the normal distribution's
/// factor from a million on.
pub fn t_factor(level: f64, dof: f64) -> f64 {
    t_quantile((1.0 + level) / 2.0, dof)
}

/// The factor for all differences of `count` values at once: the chance that any of their `m = count (count - 1) / 2` intervals
/// misses is 5 % at most. Bonferroni's inequality: each gets 5 % / m. Tukey's range is a few percent narrower where all widths
/// are equal, which those of panels and levels are not.
pub fn simultaneous_factor(count: usize, dof: f64) -> f64 {
    let pairs = (count * count.saturating_sub(1) / 2).max(1) as f64;
    t_factor(1.0 - 0.05 / pairs, dof)
}

fn t_quantile(p: f64, dof: f64) -> f64 {
    match StudentsT::new(0.0, 1.0, dof.max(0.5)) {
        Ok(t) if dof < NEARLY_NORMAL_DOF => t.inverse_cdf(p),
        Ok(_) | Err(_) => Normal::standard().inverse_cdf(p),
    }
}

/// The chance that a true value lies above a limit which is `off` standard uncertainties under the estimate, with `dof` degrees of
/// freedom (JCGM 106:2012, 7.2, with Student's t in the place of the normal distribution).
pub fn chance_above(off: f64, dof: f64) -> f64 {
    match StudentsT::new(0.0, 1.0, dof.max(0.5)) {
        Ok(t) if dof < NEARLY_NORMAL_DOF => t.cdf(off),
        Ok(_) | Err(_) => Normal::standard().cdf(off),
    }
}

/// The value that 95 of 100 sums of squares with `dof` degrees of freedom stay below (chi-square). `dof` above 0.
pub fn chi_square_95(dof: f64) -> f64 {
    ChiSquared::new(dof).map_or(f64::INFINITY, |chi| chi.inverse_cdf(0.95))
}

/// From so many degrees of freedom on the two distributions differ by less than anything here.
const NEARLY_NORMAL_DOF: f64 = 1e6;

#[cfg(test)]
mod tests {
    use super::*;

    /// JCGM 100:2008, table G.2: 2.06 at 45 and 2.05 at 50 degrees of freedom.
    #[test]
    fn many_readings_bring_the_factor_to_two() {
        assert_eq!(factor_95(f64::INFINITY), 2.0);
        assert!((factor_95(45.0) - 2.06).abs() < 0.006);
        assert!((factor_95(50.0) - 2.05).abs() < 0.006);
        assert_eq!(factor_95(4.7), 2.87);
        assert_eq!(factor_95(0.3), 13.97);
    }

    /// JCGM 100:2008, table G.2: 95 % and 99 % at 4, 10 and infinite degrees of freedom.
    #[test]
    fn the_t_factors_are_those_of_the_table() {
        for (dof, t_95, t_99) in [(4.0, 2.78, 4.60), (10.0, 2.23, 3.17), (f64::INFINITY, 1.960, 2.576)] {
            assert!((t_factor(0.95, dof) - t_95).abs() < 0.006 && (t_factor(0.99, dof) - t_99).abs() < 0.006, "{dof}");
        }
        assert!((chance_above(2.23, 10.0) - 0.975).abs() < 0.001);
        assert!((chance_above(1.0, f64::INFINITY) - 0.8413).abs() < 0.0001);
        assert!((chance_above(0.0, 3.0) - 0.5).abs() < 1e-12);
    }

    /// Tukey's range of ten values is 4.474 standard deviations at 5 % (tables of the studentized range, infinite degrees of freedom; from
    /// memory), 3.164 of a difference: Bonferroni's factor lies a little above, and for two values is that of one difference.
    #[test]
    fn many_differences_want_a_wider_factor() {
        let ten = simultaneous_factor(10, f64::INFINITY);
        assert!((3.164..3.3).contains(&ten), "{ten}");
        assert!((simultaneous_factor(2, f64::INFINITY) - 1.960).abs() < 0.001);
    }

    /// JCGM 100:2008, G.4.2: the effective degrees of freedom are those of the scatter where it is all there is.
    #[test]
    fn scatter_that_is_small_beside_the_rest_does_not_widen_the_interval() {
        assert!(effective_dof(3.0, 0.5, 2.0) > 2000.0);
        assert_eq!(effective_dof(1.0, 1.0, 2.0), 2.0);
        assert_eq!(effective_dof(1.0, 0.0, 0.0), f64::INFINITY);
    }
}
