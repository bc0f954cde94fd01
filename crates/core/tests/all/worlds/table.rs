//! The figures of an examination by stratum.

use std::collections::BTreeMap;

/// What became of one level or rating.
#[derive(Debug, Clone, Copy)]
pub struct Outcome {
    pub is_held: bool,
    /// Half the interval over that of an analyst who knows the distribution of every error.
    pub width_ratio: Option<f64>,
    pub is_equal: bool,
    pub claims: bool,
    pub wrong_sign: bool,
}

/// Outcomes by stratum.
#[derive(Debug, Default)]
pub struct Table(BTreeMap<String, Vec<Outcome>>);

/// One row.
#[derive(Debug, Clone, Copy)]
pub struct Row {
    pub n: usize,
    pub held_percent: f64,
    pub width_ratio: Option<f64>,
    /// Of truly equal levels, called different; how many there are.
    pub false_claims_percent: f64,
    pub equal: usize,
    pub wrong_sign_per_mille: f64,
}

impl Table {
    pub fn add(&mut self, strata: &[String], outcome: Outcome) {
        for stratum in strata {
            self.0.entry(stratum.clone()).or_default().push(outcome);
        }
    }

    pub fn rows(&self) -> impl Iterator<Item = (&String, Row)> {
        self.0.iter().map(|(stratum, outcomes)| (stratum, row(outcomes)))
    }

    pub fn print(&self, title: &str) {
        println!(
            "\n## {title}\n\n| stratum | n | held % | width / analyst | equal | called different % | wrong sign per mille |"
        );
        println!("|---|---|---|---|---|---|---|");
        for (stratum, row) in self.rows() {
            let width = row.width_ratio.map_or_else(|| "-".to_owned(), |ratio| format!("{ratio:.2}"));
            println!(
                "| {stratum} | {} | {:.1} | {width} | {} | {:.1} | {:.1} |",
                row.n, row.held_percent, row.equal, row.false_claims_percent, row.wrong_sign_per_mille
            );
        }
    }
}

fn row(outcomes: &[Outcome]) -> Row {
    let n = outcomes.len();
    let percent = |count: usize, of: usize| if of == 0 { 0.0 } else { count as f64 / of as f64 * 100.0 };
    let count = |is: &dyn Fn(&Outcome) -> bool| outcomes.iter().filter(|one| is(one)).count();
    let equal = count(&|one| one.is_equal);
    Row {
        n,
        held_percent: percent(count(&|one| one.is_held), n),
        width_ratio: median(outcomes.iter().filter_map(|one| one.width_ratio).collect()),
        false_claims_percent: percent(count(&|one| one.is_equal && one.claims), equal),
        equal,
        wrong_sign_per_mille: percent(count(&|one| one.wrong_sign), n) * 10.0,
    }
}

pub fn median(mut values: Vec<f64>) -> Option<f64> {
    values.sort_by(f64::total_cmp);
    values.get(values.len() / 2).copied()
}

/// The half width that holds 95 % of these errors.
pub fn half_width_95(mut errors: Vec<f64>) -> f64 {
    errors.iter_mut().for_each(|error| *error = error.abs());
    errors.sort_by(f64::total_cmp);
    errors[(errors.len() * 95).div_ceil(100).max(1) - 1]
}
