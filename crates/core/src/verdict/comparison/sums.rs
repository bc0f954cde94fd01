//! Panels together against the sum of each alone. Which level is which is told by its panels, not by its place on the sheet.

/// Panels together, in percent of the sum of each of them alone.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct OfSum {
    /// Together; 0 where the baseline is of several panels.
    pub level: usize,
    pub percent: f64,
    pub u_percent: f64,
}

/// A level as percent of the baseline, with its expanded uncertainty.
#[derive(Debug, Clone, Copy)]
pub(super) struct OfBaseline {
    pub(super) percent: f64,
    pub(super) u_percent: f64,
}

/// A level of several panels, and the levels at which each of them stood alone.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Together {
    pub level: usize,
    pub alone: Vec<usize>,
}

/// The levels of several panels, each of which is a level alone as well; the most panels first. `panels`: those of each level, the baseline
/// first.
pub fn together(panels: &[Vec<String>]) -> Vec<Together> {
    let alone = |panel: &String| panels.iter().position(|of| of.len() == 1 && of[0] == *panel);
    let mut found: Vec<Together> = panels
        .iter()
        .enumerate()
        .filter(|(_, of)| of.len() > 1)
        .filter_map(|(level, of)| Some(Together { level, alone: of.iter().map(alone).collect::<Option<_>>()? }))
        .collect();
    found.sort_by_key(|one| std::cmp::Reverse(one.alone.len()));
    found
}

/// Its share of the sum, in percent. `percent_of`: a level as percent of the baseline.
pub fn percent_of_sum(one: &Together, percent_of: impl Fn(usize) -> Option<f64>) -> Option<f64> {
    let sum: f64 = one.alone.iter().map(|level| percent_of(*level)).sum::<Option<f64>>()?;
    (sum > 0.0).then_some(percent_of(one.level)? / sum * 100.0)
}

/// Every level of several panels whose panels were read alone. By the law of propagation (JCGM 100:2008, 5.1.2) for a ratio of `t` over
/// `sum a`, each as percent of the baseline, which itself is exactly 100.
pub(super) fn of_sums(of: impl Fn(usize) -> Option<OfBaseline>, panels: &[Vec<String>]) -> Vec<OfSum> {
    together(panels)
        .into_iter()
        .filter_map(|one| {
            let percent = percent_of_sum(&one, |level| of(level).map(|one| one.percent))?;
            let together = of(one.level)?;
            let sum: f64 = one.alone.iter().filter_map(|level| of(*level)).map(|one| one.percent).sum();
            let u_sum = one.alone.iter().filter_map(|level| of(*level)).map(|one| one.u_percent.powi(2)).sum::<f64>().sqrt();
            let u_rel = (together.u_percent / together.percent.max(1e-9)).hypot(u_sum / sum);
            Some(OfSum { level: one.level, percent, u_percent: percent * u_rel })
        })
        .collect()
}
