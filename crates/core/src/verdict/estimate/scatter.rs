//! How far runs and readings scatter: what is stated, joined with what the test itself shows.

use super::contrast::{OPEN_DRIFT_PER_MIN, shares_at};
use super::model::{Estimator, Mean, Scatter, SeenSky, SkyWander, Widening};
use crate::measure::coverage::chi_square_95;
use crate::record::condition::Factor;
use crate::record::order::Order;

/// The repeat of a reading is stated with each sample, and known to a sixth of itself.
pub(super) const STATED_REPEAT: Scatter = Scatter { u_rel: 1.0, dof: 20.0, can_be_less: false };

impl Scatter {
    /// No scatter, for worlds that have none.
    pub const NONE: Scatter = Scatter { u_rel: 0.0, dof: 20.0, can_be_less: false };

    /// Days differ by their weather where nobody measured their light. Common practice, no source: clear days of one week differ by 2 to
    /// 4 %. The value only stands in until the test's own days have been seen.
    pub const BETWEEN_DAYS: Scatter = Scatter { u_rel: 0.03, dof: 2.0, can_be_less: true };

    /// Of setting a run up anew, as a share of what it gives, known to three tenths of itself. Common practice, no source, each: a tilt
    /// propped to half a degree (at 45 degrees of incidence 0.9 % either way), a card or cloth laid again within a few millimetres,
    /// connectors plugged and a tracker that settles anew; a surface wetted again.
    pub fn of_set_up(factor: Factor) -> Self {
        let u_rel = match factor {
            Factor::Tilt
            | Factor::Azimuth
            | Factor::Shade
            | Factor::Covers
            | Factor::Face
            | Factor::Panel
            | Factor::MeasuredAt
            | Factor::Step
            | Factor::Rig
            | Factor::Wiring
            | Factor::Sky
            | Factor::Day => 0.006,
            Factor::Load => 0.0075,
            Factor::Temperature => 0.010,
        };
        Scatter { u_rel, dof: 6.0, can_be_less: false }
    }

    /// The stated variance joined with squared departures `chi`, each over its stated variance, of `dof` degrees of freedom.
    ///
    /// A scaled variance with an inverse-gamma prior of `dof0` degrees of freedom has the posterior mean scale
    /// `(dof0 + chi) / (dof0 + dof)` with `dof0 + dof` degrees (Gelman et al. 2013, Bayesian Data Analysis, 2.6). Departures that the
    /// stated variance would show in fewer than one test of twenty count by themselves.
    pub fn joined(self, chi: f64, dof: f64) -> Widening {
        if dof > 0.0 && chi > chi_square_95(dof) && !self.can_be_less {
            return Widening { variance: chi / dof, dof };
        }
        let least = if self.can_be_less { 0.0 } else { 1.0 };
        Widening { variance: ((self.dof + chi) / (self.dof + dof)).max(least), dof: self.dof + dof }
    }
}

/// Neighbouring baselines share readings, so that their departures from a straight line are not free of each other: the
/// correlations of second differences (-2/3 and 1/6) leave a little over half of them as degrees of freedom.
const SHARED_BASELINES: f64 = 1.0 / (1.0 + 2.0 * (4.0 / 9.0 + 1.0 / 36.0));

/// A level that is done several times departs from its own mean. Its runs share baselines with each other and with the baselines' own
/// departures: about three quarters of them are free.
const SHARED_BRACKETS: f64 = 0.75;

impl Estimator<'_> {
    /// The wander of the sky as stated; where neighbouring baselines are further apart than it, set-up, repeats and the drift of a clear
    /// sun explain (chi-square, one test of twenty), as they show it: `mean of (change^2 - expected) / minutes`.
    pub(super) fn seen_sky(&self) -> SeenSky {
        let stated = SeenSky { wander: self.model.wander, dof: f64::INFINITY };
        let is_straight = matches!(self.model.order, Order::Aba | Order::Abba | Order::LadderAndBack | Order::Repeats);
        // With the light read at every reading nothing of the sky is between the runs.
        if !is_straight || self.model.wander == SkyWander(0.0) {
            return stated;
        }
        let baselines: Vec<&Mean> = self.of_level(0).map(|(_, mean)| mean).filter(|mean| mean.ln.is_finite()).collect();
        let (mut chi, mut pairs, mut beyond, mut minutes) = (0.0, 0.0, 0.0, 0.0);
        for pair in baselines.windows(2).filter(|pair| pair[1].unix_s > pair[0].unix_s) {
            let apart_min = (pair[1].unix_s - pair[0].unix_s) / 60.0;
            let of_runs = self.run_var(pair[0]) + self.run_var(pair[1]) + 2.0 * self.display_var(0);
            let drift_var = if pair[0].knows_light { 0.0 } else { (OPEN_DRIFT_PER_MIN * apart_min).powi(2) / 3.0 };
            let of_sky = self.model.wander.0.powi(2) * apart_min;
            let change = (pair[1].ln - pair[0].ln).powi(2);
            chi += change / (of_runs + drift_var + of_sky).max(1e-18);
            pairs += 1.0;
            beyond += change - of_runs - drift_var;
            minutes += apart_min;
        }
        if pairs == 0.0 || chi <= chi_square_95(pairs) {
            return stated;
        }
        SeenSky { wander: SkyWander((beyond / minutes).max(0.0).sqrt().max(self.model.wander.0)), dof: pairs }
    }

    /// Variance of one run's mean besides its displays, as stated and as its readings show.
    fn run_var(&self, mean: &Mean) -> f64 {
        self.model.set_up.u_rel.powi(2) + mean.repeat_var * self.within.variance
    }

    pub(super) fn seen_between_runs(&self) -> Widening {
        let expected = |mean: &Mean| self.run_var(mean) + self.display_var(mean.level);
        let is_straight = matches!(self.model.order, Order::Aba | Order::Abba | Order::LadderAndBack | Order::Repeats);
        let (mut chi, mut dof) = (0.0, 0.0);
        let baselines: Vec<&Mean> = self.of_level(0).map(|(_, mean)| mean).filter(|mean| mean.ln.is_finite()).collect();
        if is_straight {
            for around in baselines.windows(3) {
                let [a, b, c] = [around[0], around[1], around[2]];
                let share = if c.unix_s > a.unix_s { (b.unix_s - a.unix_s) / (c.unix_s - a.unix_s) } else { 0.5 };
                let off = b.ln - (a.ln * (1.0 - share) + c.ln * share);
                let var = expected(b) + (1.0 - share).powi(2) * expected(a) + share.powi(2) * expected(c);
                chi += off * off / var.max(1e-18) * SHARED_BASELINES;
                dof += SHARED_BASELINES;
            }
        }
        for level in self.levels().into_iter().chain((!is_straight).then_some(0)) {
            let off_baseline: Vec<(f64, f64)> = self
                .of_level(level)
                .filter(|(_, mean)| mean.ln.is_finite())
                .filter_map(|(_, mean)| {
                    let (against, var) = match self.model.order {
                        Order::Totals => (0.0, 0.0),
                        Order::Crossover | Order::BeforeAfter => {
                            let partner = self.partner(mean)?;
                            // Each rig's own difference is not scatter: only runs of one rig are compared with each other.
                            (partner.ln, expected(partner))
                        }
                        Order::Aba | Order::Abba | Order::LadderAndBack | Order::Repeats => {
                            if baselines.is_empty() {
                                return None;
                            }
                            let (shares, _) = shares_at(&baselines, mean.unix_s);
                            let sum = |of: &dyn Fn(&Mean, f64) -> f64| {
                                baselines.iter().zip(&shares).map(|(baseline, share)| of(baseline, *share)).sum::<f64>()
                            };
                            (
                                sum(&|baseline, share| baseline.ln * share),
                                sum(&|baseline, share| expected(baseline) * share * share),
                            )
                        }
                    };
                    Some((mean.ln - against, expected(mean) + var))
                })
                .collect();
            if self.model.order.is_side_by_side() || off_baseline.len() < 2 {
                continue;
            }
            let centre = off_baseline.iter().map(|(off, _)| off).sum::<f64>() / off_baseline.len() as f64;
            chi += off_baseline.iter().map(|(off, var)| (off - centre).powi(2) / var.max(1e-18)).sum::<f64>() * SHARED_BRACKETS;
            dof += (off_baseline.len() as f64 - 1.0) * SHARED_BRACKETS;
        }
        if self.model.order == Order::Crossover {
            for level in self.levels() {
                for rig in [1, 2] {
                    let pairs: Vec<(f64, f64)> = self
                        .of_level(level)
                        .filter(|(_, mean)| mean.rig == rig)
                        .filter_map(|(_, mean)| {
                            self.partner(mean).map(|other| (mean.ln - other.ln, expected(mean) + expected(other)))
                        })
                        .collect();
                    if pairs.len() < 2 {
                        continue;
                    }
                    let centre = pairs.iter().map(|(off, _)| off).sum::<f64>() / pairs.len() as f64;
                    chi += pairs.iter().map(|(off, var)| (off - centre).powi(2) / var.max(1e-18)).sum::<f64>();
                    dof += pairs.len() as f64 - 1.0;
                }
            }
        }
        self.model.set_up.joined(chi, dof)
    }
}
