//! The runs of a test as they are compared, and how.

use super::super::condition::Taken;
use crate::record::condition::Factor;
use crate::record::order::Order;
use crate::record::question::Analysis;
use crate::record::setup::Setup;
use crate::sky::course::Site;
use crate::sky::plane::Plane;

/// The readings of one run.
#[derive(Debug, Clone)]
pub struct RunTaken<'a> {
    /// On the sheet, from 0.
    pub place: usize,
    /// 0 is the baseline.
    pub level: usize,
    pub rig: u8,
    /// How the watts of its panel follow its cell temperature, 1/K.
    pub gamma_per_k: f64,
    pub readings: Vec<Taken<'a>>,
}

/// How the runs of a test are compared.
#[derive(Debug, Clone, Copy)]
pub struct Method<'a> {
    pub order: Order,
    pub analysis: Analysis,
    /// What the plan varies.
    pub factor: Factor,
    pub setup: &'a Setup,
    /// How well one reading repeats, as a share.
    pub repeat_rel: f64,
    pub site: Option<&'a Site>,
    /// By level, the baseline first: what tells panels together from each alone.
    pub panels: &'a [Vec<String>],
    /// Levels that a limit held where they were read: each gives at least that.
    pub held: &'a [usize],
    /// The levels are of rigs that each bring a meter of their own.
    pub has_own_meters: bool,
}

impl Method<'_> {
    /// Of the baseline: the course of a clear sky on it carries the curve of the day.
    pub(super) fn plane(&self) -> Plane {
        self.setup.plane()
    }
}
