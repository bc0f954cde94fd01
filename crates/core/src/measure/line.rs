//! A straight line through points, by weighted least squares.

/// A line with what its points leave of it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Line {
    pub slope: f64,
    /// Weighted means of the points: the line goes through them.
    pub mean_x: f64,
    pub mean_y: f64,
    /// Sum of the weights times the squared distances of `x` from its mean.
    pub spread: f64,
    /// Sum of the weights times the squared distances of the points from the line.
    pub squares: f64,
}

impl Line {
    /// Through points `(x, y)` with weights. With weights `w = 1 / u^2`: `slope = sum w (x - x0) (y - y0) / S`, `S = sum w (x - x0)^2`,
    /// `x0` and `y0` the weighted means; the variance of the slope is then `1 / S` (Bevington and Robinson 2003, Data Reduction and Error
    /// Analysis, eqs. 6.12 and 6.21). `None` for fewer than two points, or for points above each other.
    pub fn through(points: &[(f64, f64)], weight: impl Fn(usize) -> f64) -> Option<Self> {
        let weighted = || points.iter().enumerate().map(|(nth, (x, y))| (weight(nth), *x, *y));
        let total: f64 = weighted().map(|(w, ..)| w).sum();
        let mean_x = weighted().map(|(w, x, _)| w * x).sum::<f64>() / total;
        let mean_y = weighted().map(|(w, _, y)| w * y).sum::<f64>() / total;
        let spread: f64 = weighted().map(|(w, x, _)| w * (x - mean_x).powi(2)).sum();
        if points.len() < 2 || spread.is_nan() || spread <= 0.0 {
            return None;
        }
        let slope = weighted().map(|(w, x, y)| w * (x - mean_x) * (y - mean_y)).sum::<f64>() / spread;
        let squares = weighted().map(|(w, x, y)| w * (y - mean_y - slope * (x - mean_x)).powi(2)).sum();
        Some(Line { slope, mean_x, mean_y, spread, squares })
    }

    /// All points alike.
    pub fn evenly(points: &[(f64, f64)]) -> Option<Self> {
        Self::through(points, |_| 1.0)
    }

    pub fn at(&self, x: f64) -> f64 {
        self.mean_y + self.slope * (x - self.mean_x)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Worked by hand: 0, 1 and 3 over 0, 1 and 2 have the slope 1.5 about (1, 4/3), and squares of 1/6.
    #[test]
    fn a_line_worked_by_hand() {
        let line = Line::evenly(&[(0.0, 0.0), (1.0, 1.0), (2.0, 3.0)]).unwrap();
        assert!((line.slope - 1.5).abs() < 1e-12 && (line.mean_y - 4.0 / 3.0).abs() < 1e-12);
        assert!((line.spread - 2.0).abs() < 1e-12 && (line.squares - 1.0 / 6.0).abs() < 1e-12);
        assert!((line.at(0.0) + 1.0 / 6.0).abs() < 1e-12);
        // A point of next to no weight moves nothing.
        let weighted = Line::through(&[(0.0, 0.0), (1.0, 1.0), (2.0, 90.0)], |nth| if nth == 2 { 1e-12 } else { 1.0 }).unwrap();
        assert!((weighted.slope - 1.0).abs() < 1e-9);
        assert!(Line::evenly(&[(1.0, 1.0)]).is_none() && Line::evenly(&[(1.0, 1.0), (1.0, 2.0)]).is_none());
    }
}
