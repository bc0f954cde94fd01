//! From a standard uncertainty to an interval that holds the truth in 95 of 100 cases.

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

    /// JCGM 100:2008, G.4.2: the effective degrees of freedom are those of the scatter where it is all there is.
    #[test]
    fn scatter_that_is_small_beside_the_rest_does_not_widen_the_interval() {
        assert!(effective_dof(3.0, 0.5, 2.0) > 2000.0);
        assert_eq!(effective_dof(1.0, 1.0, 2.0), 2.0);
        assert_eq!(effective_dof(1.0, 0.0, 0.0), f64::INFINITY);
    }
}
