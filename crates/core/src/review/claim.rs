//! What somebody says of a product ("20 to 25 % better in poor light"), held against the figures of a review.

use super::summary::Figure;
use super::table::Table;
use crate::named::named;
use serde::{Deserialize, Serialize};

/// A claim: `subject` gives at least `low_percent`, and at most `high_percent` where that is said, more than `than` under a pattern.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
pub struct Claim {
    pub subject: String,
    pub than: String,
    /// A row of the review; empty: percent of rating.
    pub pattern: String,
    pub low_percent: f64,
    pub high_percent: Option<f64>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ClaimVerdict {
    Held,
    Refuted,
    CantTell,
}

named!(ClaimVerdict {
    Held = "held", "held";
    Refuted = "refuted", "refuted";
    CantTell = "cant_tell", "can\u{2019}t tell";
});

/// A claim with what the figures say.
#[derive(Debug, Clone, PartialEq)]
pub struct Checked {
    pub verdict: ClaimVerdict,
    /// How much more the subject gives, percent; `None` where a figure is missing.
    pub measured_percent: Option<Figure>,
}

/// Held where the whole 95 % interval lies within what is claimed; refuted where none of it does.
///
/// With shares `a +- ua` and `b +- ub` of two tests the subject gives `(a / b - 1)` more, and
/// `u = a / b sqrt((ua / a)^2 + (ub / b)^2)` (JCGM 100:2008, 5.1.6).
pub fn check(claim: &Claim, table: &Table) -> Checked {
    let measured_percent =
        figure(claim, &claim.subject, table).zip(figure(claim, &claim.than, table)).and_then(|(a, b)| more(a, b));
    let verdict = measured_percent.map_or(ClaimVerdict::CantTell, |measured| {
        let high = claim.high_percent.unwrap_or(f64::INFINITY);
        if measured.low() >= claim.low_percent && measured.high() <= high {
            ClaimVerdict::Held
        } else if measured.high() < claim.low_percent || measured.low() > high {
            ClaimVerdict::Refuted
        } else {
            ClaimVerdict::CantTell
        }
    });
    Checked { verdict, measured_percent }
}

fn figure(claim: &Claim, subject: &str, table: &Table) -> Option<Figure> {
    let at = table.subjects.iter().position(|one| one.name.eq_ignore_ascii_case(subject.trim()))?;
    if claim.pattern.trim().is_empty() {
        return table.subjects[at].rating_percent;
    }
    let row = table.rows.iter().find(|row| row.pattern.eq_ignore_ascii_case(claim.pattern.trim()))?;
    row.cells.get(at)?.as_ref().map(|cell| cell.percent)
}

fn more(a: Figure, b: Figure) -> Option<Figure> {
    if b.value <= 0.0 || a.value < 0.0 || b.low() <= 0.0 {
        return None;
    }
    let ratio = a.value / b.value;
    let u = (a.u / b.value).hypot(ratio * b.u / b.value);
    Some(Figure::new((ratio - 1.0) * 100.0, u * 100.0))
}

#[cfg(test)]
mod tests {
    use super::super::table::table;
    use super::super::table::tests::{compared, level, summary};
    use super::*;
    use crate::record::condition::Factor;
    use crate::record::question::Question;

    fn of(a: (f64, f64), b: (f64, f64)) -> Table {
        let product = |kind: &str, (percent, u): (f64, f64)| {
            let baseline = level(0, "full sun", &[kind]);
            let dim = crate::review::summary::LevelSummary {
                panels: baseline.panels.clone(),
                ..compared(1, "overcast", Factor::Sky, percent, u)
            };
            summary(Question::PoorLight, vec![baseline, dim])
        };
        table(&[product("X", a), product("Y", b)])
    }

    fn claim(low: f64, high: Option<f64>) -> Claim {
        Claim { subject: "x".into(), than: "Y".into(), pattern: "overcast".into(), low_percent: low, high_percent: high }
    }

    /// Worked by hand: 12.2 +- 0.05 over 10 +- 0.05: 22 % more, +- 100 sqrt(0.005^2 + (1.22 x 0.005)^2) = 0.79.
    #[test]
    fn a_claim_is_held_refuted_or_neither() {
        let clear = of((12.2, 0.05), (10.0, 0.05));
        let found = check(&claim(20.0, Some(25.0)), &clear);
        let measured = found.measured_percent.unwrap();
        assert!((measured.value - 22.0).abs() < 1e-9 && (measured.u - 0.7887).abs() < 0.001, "{measured:?}");
        assert_eq!(found.verdict, ClaimVerdict::Held);
        assert_eq!(check(&claim(23.0, Some(25.0)), &clear).verdict, ClaimVerdict::Refuted);
        assert_eq!(check(&claim(10.0, Some(20.0)), &clear).verdict, ClaimVerdict::Refuted);
        assert_eq!(check(&claim(21.5, None), &clear).verdict, ClaimVerdict::CantTell);
        assert_eq!(check(&claim(21.0, None), &clear).verdict, ClaimVerdict::Held);
        assert_eq!(check(&claim(20.0, Some(25.0)), &of((12.2, 0.5), (10.0, 0.5))).verdict, ClaimVerdict::CantTell);
    }

    #[test]
    fn a_claim_about_what_was_not_measured_is_open() {
        let table = of((12.2, 0.05), (10.0, 0.05));
        let other = Claim { subject: "Z".into(), ..claim(20.0, None) };
        assert_eq!(check(&other, &table), Checked { verdict: ClaimVerdict::CantTell, measured_percent: None });
        let rating = Claim { pattern: String::new(), ..claim(20.0, None) };
        assert_eq!(check(&rating, &table).measured_percent, None);
        assert_eq!(check(&claim(20.0, None), &of((5.0, 1.0), (0.0, 0.2))).measured_percent, None);
    }
}
