//! The error model's own data: the readings of runs, what is known of them besides, and what an estimate is.

use crate::measure::coverage::{simultaneous_factor, t_factor};
use crate::record::order::Order;

/// One display behind a value: a value is the product of one or two.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Display {
    pub value: f64,
    /// 0 where it is not known.
    pub step: f64,
    /// Half width of its offset, in its unit.
    pub offset_limit: f64,
    /// Half width of its gain, as a share.
    pub gain_limit_rel: f64,
}

/// One reading of a run.
#[derive(Debug, Clone, PartialEq)]
pub struct Sample {
    pub unix_s: f64,
    /// What is compared, 0 or more.
    pub value: f64,
    /// The light to divide by, above 0, in any unit; the same unit throughout a test. `None` where none is known.
    pub light: Option<f64>,
    /// What its cell temperature leaves of what it would be at 25 C; 1 where levels are not compared at one temperature.
    pub temperature_factor: f64,
    /// Standard uncertainty of its repeat, as a share: wander of the displays, unsteadiness of load and sun, steps of the light's meter.
    pub repeat_rel: f64,
    pub displays: Vec<Display>,
}

impl Sample {
    /// Its value with the light that is known divided out; as it was read where none is.
    pub(super) fn over_light(&self) -> f64 {
        self.light.map_or(self.value, |light| self.value / light)
    }
}

/// The readings of one run.
#[derive(Debug, Clone, PartialEq)]
pub struct RunSamples {
    /// On the sheet, from 0; side by side two places of one pair are at work at once.
    pub place: usize,
    /// 0 is the baseline.
    pub level: usize,
    /// 1 or 2 side by side.
    pub rig: u8,
    /// The meter of its level on one source with the others.
    pub checked: Option<MeterCheck>,
    pub samples: Vec<Sample>,
}

/// A meter that was read on one source with the others of a test.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct MeterCheck {
    /// What it showed, W or Wh.
    pub shown: f64,
    /// Over the geometric mean of all.
    pub over_mean: f64,
    /// Of its display and its repeats, relative.
    pub var_rel: f64,
    /// The step of its display, and half the width of its offset; in its unit.
    pub step: f64,
    pub offset_limit: f64,
    /// It showed the quantity that the test compares.
    pub is_alike: bool,
}

/// What is known of a test besides its readings.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct ErrorModel {
    pub order: Order,
    /// How well a run is set up anew.
    pub set_up: Scatter,
    pub wander: SkyWander,
    /// Each level was read on a meter of its own.
    pub is_own_meters: bool,
    /// What two levels differ by cell temperatures that nobody read, standard uncertainty, a share; 0 where they were read, or belong to
    /// what is asked.
    pub unread_cells_rel: f64,
}

/// How far the light wanders off what is known of it, as a share for the root of one minute.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct SkyWander(pub f64);

/// With the light read in the plane at every reading nothing wanders unseen.
pub const WANDER_METERED: SkyWander = SkyWander(0.0);

/// Under a sky noted as clear. Common practice, no source: clear-sky irradiance keeps to its course
/// within a few tenths of a percent over ten minutes.
pub const WANDER_CLEAR: SkyWander = SkyWander(0.001);

/// Under a sky that nobody noted: it was good enough to test, which a little haze is too. Common practice, no source.
pub const WANDER_UNNOTED: SkyWander = SkyWander(0.002);

/// Under haze, and under thin cloud. Common practice, no source.
pub const WANDER_HAZE: SkyWander = SkyWander(0.003);

pub const WANDER_THIN_CLOUD: SkyWander = SkyWander(0.012);

/// A part of the variance of a level's estimate.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Source {
    SetUp,
    Repeat,
    Step,
    Digits,
    /// Non-linearity, or gains that do not cancel.
    Gain,
    Sky,
    /// Not read, where panels are compared.
    CellTemperature,
}

/// A level against another one, mostly its baseline.
#[derive(Debug, Clone, PartialEq)]
pub struct Difference {
    pub level: usize,
    /// The level as percent of the other.
    pub percent: f64,
    /// Half the 95 % interval, in percent of the other.
    pub u_percent: f64,
    /// Half the 99 % interval.
    pub u_99_percent: f64,
    /// Standard uncertainty by source, in percent of the other.
    pub parts: Vec<(Source, f64)>,
    pub dof: f64,
    /// Student's t of the 95 % interval.
    pub t_95: f64,
    /// The runs behind it; empty where a level of nothing has no logarithm.
    pub contrast: Vec<Weighted>,
    /// Runs of this level that were read.
    pub runs: usize,
    /// Every one of them stood between two baselines.
    pub is_bracketed: bool,
    /// The furthest that the baseline moved around one of its runs, percent.
    pub drift_percent: f64,
}

/// One run of a comparison.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Weighted {
    /// On the sheet, from 0.
    pub place: usize,
    pub weight: f64,
    /// Geometric mean of its values, each over its light.
    pub mean: f64,
}

impl Source {
    pub fn label(self) -> &'static str {
        match self {
            Source::SetUp => "set-up of each run",
            Source::Repeat => "repeat of readings",
            Source::Step => "display steps",
            Source::Digits => "digits of the meter",
            Source::Gain => "meter gain that does not cancel",
            Source::Sky => "irradiance between runs",
            Source::CellTemperature => "cell temperatures that were not read",
        }
    }
}

impl Difference {
    /// Whether the level differs beyond the 95 % interval.
    pub fn is_shown(&self) -> bool {
        (self.percent - 100.0).abs() > self.u_percent
    }

    /// Whether it differs where all pairs of so many levels are told at once.
    pub fn is_shown_among(&self, count: usize) -> bool {
        let standard = self.u_percent / t_factor(0.95, self.dof);
        (self.percent - 100.0).abs() > simultaneous_factor(count, self.dof) * standard
    }

    /// Whether it differs beyond the 99 % interval.
    pub fn is_claimed(&self) -> bool {
        (self.percent - 100.0).abs() > self.u_99_percent
    }

    /// The baseline as percent of the level: all weights turn their sign, and shares stay shares.
    pub(super) fn inverse(self) -> Self {
        let scale = 1e4 / self.percent / self.percent;
        Difference {
            level: 0,
            percent: 1e4 / self.percent,
            u_percent: self.u_percent * scale,
            u_99_percent: self.u_99_percent * scale,
            parts: self.parts.into_iter().map(|(source, u)| (source, u * scale)).collect(),
            contrast: self.contrast.into_iter().map(|run| Weighted { weight: -run.weight, ..run }).collect(),
            ..self
        }
    }
}

/// The mean of a run.
#[derive(Debug, Clone)]
pub struct Mean {
    pub place: usize,
    pub level: usize,
    pub rig: u8,
    pub unix_s: f64,
    /// Mean of `ln (value / light)`; of those above 0.
    pub ln: f64,
    /// Variance of one repeat over the number of readings.
    pub repeat_var: f64,
    /// Squared departures of its readings, each over its own variance, and how many are free.
    pub within: (f64, f64),
    pub knows_light: bool,
}

/// All runs of a test, ready to be compared.
#[derive(Debug, Clone)]
pub struct Estimator<'a> {
    pub(super) runs: &'a [RunSamples],
    pub(super) model: ErrorModel,
    pub(super) means: Vec<Mean>,
    pub(super) displays: Vec<LevelDisplay>,
    /// Widening of the set-up and of the repeat by what was seen, with the degrees of freedom.
    pub(super) between: Widening,
    pub(super) within: Widening,
    pub(super) sky: SeenSky,
}

/// What the displays of all readings of one level do.
#[derive(Debug, Clone)]
pub struct LevelDisplay {
    pub level: usize,
    pub checked: Option<MeterCheck>,
    /// By display: mean value, step, different figures shown, offset limit, gain limit.
    pub displays: Vec<(f64, f64, usize, f64, f64)>,
}

/// A stated scatter.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Scatter {
    /// Standard uncertainty, as a share of what is read.
    pub u_rel: f64,
    /// It counts as if it had been seen with so many degrees of freedom: half the inverse square of its own relative uncertainty
    /// (JCGM 100:2008, G.4.2).
    pub dof: f64,
    /// A test that shows less may lessen it. Not so for a set-up: few runs that agree by chance do not make the next one better.
    pub can_be_less: bool,
}

/// A stated variance joined with what was seen.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Widening {
    /// On the stated one.
    pub variance: f64,
    pub dof: f64,
}

/// How far the light wanders, and how surely that is known.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct SeenSky {
    pub wander: SkyWander,
    pub dof: f64,
}
