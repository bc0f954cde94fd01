//! What of a meter may be shown, and what may be taken as a reading. No network and no clock in it: time is an argument.

use crate::session::{Received, Sample};
use flindo_core::measure::quantity::{Dimension, Figures, Quantity, Seen, UnsteadyPolicy, ValueKind};
use std::collections::{BTreeMap, VecDeque};

/// A value older than this is the past, ms.
pub const STALE_MS: i64 = 2500;

/// What is taken as a reading is what was shown in this time, ms.
pub const TAKE_MS: i64 = 5000;

/// What is drawn of a quantity is what was heard in this time, ms.
pub const TRACE_MS: i64 = 120_000;

/// A thermometer that stays within so much stands still, K: its own step and the wind on the panel. Flindo's own limit.
const STEADY_K: f64 = 1.0;

/// A settled display stays within this share of its mean.
const SETTLED_REL: f64 = 0.01;

/// and has been heard this often.
const SETTLED_SAMPLES: usize = 5;

/// A step of more than this share from one sample to the next is a jump.
const JUMP_REL: f64 = 0.5;

/// Samples kept of each quantity.
const KEPT: usize = 600;

/// How a meter is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum MeterState {
    /// Never heard of yet.
    Waiting,
    Live,
    /// Connected, and says nothing.
    Silent,
    /// Connected, and what it says is none.
    Unreadable(String),
    Lost(String),
}

/// One quantity as it is shown.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Shown {
    pub quantity: Quantity,
    pub value: f64,
    pub age_ms: i64,
    /// Over the last [`TAKE_MS`].
    pub low: f64,
    pub high: f64,
    /// The highest since the hold was set.
    pub peak: f64,
    /// The mean, where the display stands still.
    pub settled: Option<f64>,
    pub jumped: bool,
}

/// One quantity that a meter has no figure for now, and what it says in its place.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NoFigure {
    pub quantity: Quantity,
    pub what: String,
}

/// What was taken.
#[derive(Debug, Clone, PartialEq)]
pub struct Taken {
    /// What was held, and when the take before it was: for giving it back.
    before: (Option<Held>, Option<i64>),
    pub figures: Figures,
    /// The moment it belongs to, ms since 1970, UTC.
    pub at_ms: i64,
    /// Quantities that the meter used to show, and did not then.
    pub missing: Vec<Quantity>,
}

/// Why nothing can be taken.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum Refusal {
    #[error("The meter has not been heard yet.")]
    Nothing,
    #[error("The meter is silent: its last value is {0} s old and is not logged as a new one.")]
    Stale(i64),
    #[error("Nothing new has come from the meter since the last reading was taken.")]
    Taken,
    #[error("The meter gives no {0}: {1}. Nothing was taken.")]
    Troubled(&'static str, String),
    #[error("The {0} has not settled: this test counts settled values. Wait, or type the range.")]
    Unsettled(&'static str),
}

/// Why figures are not taken by themselves yet.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum NotSteady {
    #[error("the meter gives no live figures")]
    NotLive,
    #[error("held: let it go, or log it")]
    Held,
    #[error("the meter gives no {0}")]
    NoFigure(&'static str),
    #[error("hearing the {0}")]
    Few(&'static str),
    #[error("the {0} moves")]
    Moves(&'static str),
}

#[derive(Debug, Default)]
struct Track {
    recent: VecDeque<Sample>,
    peak: f64,
    jumped: bool,
    /// What the meter says in place of a figure, since its last one.
    trouble: Option<String>,
}

/// One meter, as far as it has been heard.
#[derive(Debug, Default)]
pub struct Live {
    pub who: String,
    is_connected: bool,
    trouble: Option<Trouble>,
    tracks: BTreeMap<Quantity, Track>,
    last_heard_ms: Option<i64>,
    taken_ms: Option<i64>,
    held: Option<Held>,
}

/// What was shown at the moment somebody pressed hold: it stays until it is taken or let go.
#[derive(Debug, Clone, PartialEq)]
struct Held {
    at_ms: i64,
    /// Who pressed it.
    by: String,
    shown: Vec<Shown>,
    figures: BTreeMap<Quantity, Vec<f64>>,
    no_figures: Vec<NoFigure>,
}

#[derive(Debug)]
enum Trouble {
    Unreadable(String),
    Lost(String),
}

impl Live {
    pub fn hear(&mut self, heard: &Received) {
        match heard {
            Received::Connected(who) => {
                self.is_connected = true;
                self.trouble = None;
                self.who.clone_from(who);
            }
            Received::NoFigure(quantity, what) => {
                self.is_connected = true;
                self.track(*quantity).trouble = Some(what.clone());
            }
            Received::Unreadable(what) => self.trouble = Some(Trouble::Unreadable(what.clone())),
            Received::Lost(why) => {
                self.is_connected = false;
                self.trouble = Some(Trouble::Lost(why.clone()));
                // What was shown before is no part of what comes after.
                self.tracks.clear();
                self.held = None;
            }
            Received::Sample(sample) => {
                self.trouble = None;
                self.last_heard_ms = Some(sample.heard_ms);
                let track = self.track(sample.quantity);
                track.trouble = None;
                if let Some(before) = track.recent.back() {
                    let size = before.value.abs().max(sample.value.abs());
                    track.jumped = size > 0.0 && (sample.value - before.value).abs() > JUMP_REL * size;
                }
                track.peak = track.peak.max(sample.value);
                track.recent.push_back(*sample);
                if track.recent.len() > KEPT {
                    track.recent.pop_front();
                }
            }
        }
    }

    fn track(&mut self, quantity: Quantity) -> &mut Track {
        self.tracks.entry(quantity).or_insert(Track { peak: f64::MIN, ..Track::default() })
    }

    /// The quantities that have no figure now, and what the meter says of each; what is held, while it is.
    pub fn no_figures(&self) -> Vec<NoFigure> {
        if let Some(held) = &self.held {
            return held.no_figures.clone();
        }
        let troubled =
            |(quantity, track): (&Quantity, &Track)| Some(NoFigure { quantity: *quantity, what: track.trouble.clone()? });
        self.tracks.iter().filter_map(troubled).collect()
    }

    pub fn state(&self, now_ms: i64) -> MeterState {
        match &self.trouble {
            Some(Trouble::Lost(why)) => MeterState::Lost(why.clone()),
            Some(Trouble::Unreadable(what)) => MeterState::Unreadable(what.clone()),
            None if !self.is_connected => MeterState::Waiting,
            None if self.last_heard_ms.is_some_and(|heard_ms| now_ms - heard_ms <= STALE_MS) => MeterState::Live,
            None => MeterState::Silent,
        }
    }

    /// Begins the peak anew.
    pub fn reset_peak(&mut self) {
        for track in self.tracks.values_mut() {
            track.peak = track.recent.back().map_or(f64::MIN, |sample| sample.value);
        }
    }

    /// Holds what is shown for `by`; a second time lets it go, whoever presses it. A silent meter has nothing to hold.
    pub fn hold(&mut self, now_ms: i64, by: &str) {
        self.held = match self.held.take() {
            Some(_) => None,
            None if self.state(now_ms) != MeterState::Live => None,
            None => {
                let windows = self.tracks.iter().map(|(quantity, track)| (*quantity, track.fresh_window(now_ms, self.taken_ms)));
                let figures = windows.collect();
                Some(Held { at_ms: now_ms, by: by.to_owned(), shown: self.shown(now_ms), figures, no_figures: self.no_figures() })
            }
        };
    }

    /// Who holds what is shown, and since when, ms since 1970, UTC.
    pub fn held_by(&self) -> Option<(&str, i64)> {
        self.held.as_ref().map(|held| (held.by.as_str(), held.at_ms))
    }

    /// Everything heard, with its age; what is held, while it is.
    pub fn shown(&self, now_ms: i64) -> Vec<Shown> {
        if let Some(held) = &self.held {
            return held.shown.iter().map(|shown| Shown { age_ms: shown.age_ms + now_ms - held.at_ms, ..*shown }).collect();
        }
        self.tracks
            .iter()
            .filter_map(|(quantity, track)| {
                let last = track.recent.back()?;
                let window = track.window(now_ms);
                let (low, high) = bounds(&window).unwrap_or((last.value, last.value));
                Some(Shown {
                    quantity: *quantity,
                    value: last.value,
                    age_ms: (now_ms - last.heard_ms).max(0),
                    low,
                    high,
                    peak: track.peak,
                    settled: settled(&window),
                    jumped: track.jumped,
                })
            })
            .collect()
    }

    /// Whether every figure stands still, so that it can be taken without anybody pressing a key: over the last seconds and since the last
    /// take its span is at most `within_rel` of its mean, or one step of the display.
    ///
    /// # Errors
    /// What it waits for.
    pub fn steady(&self, now_ms: i64, within_rel: f64, step_of: impl Fn(Quantity) -> f64) -> Result<(), NotSteady> {
        if self.held.is_some() {
            return Err(NotSteady::Held);
        }
        if let Some(NoFigure { quantity, .. }) = self.no_figures().first() {
            return Err(NotSteady::NoFigure(quantity.label()));
        }
        if self.state(now_ms) != MeterState::Live || self.tracks.is_empty() {
            return Err(NotSteady::NotLive);
        }
        for (quantity, track) in &self.tracks {
            let window = track.fresh_window(now_ms, self.taken_ms);
            let (low, high) = bounds(&window).unwrap_or_default();
            if window.len() < SETTLED_SAMPLES {
                return Err(NotSteady::Few(quantity.label()));
            }
            let mean = window.iter().sum::<f64>() / window.len() as f64;
            let within = match quantity.dimension() {
                Dimension::Temperature => STEADY_K,
                Dimension::Voltage
                | Dimension::Current
                | Dimension::Power
                | Dimension::Energy
                | Dimension::Charge
                | Dimension::Irradiance
                | Dimension::Share
                | Dimension::Speed => within_rel * mean.abs(),
            };
            // A span that is one step of the display comes out of the subtraction a little off.
            if high - low > within.max(step_of(*quantity)) * (1.0 + 1e-9) {
                return Err(NotSteady::Moves(quantity.label()));
            }
        }
        Ok(())
    }

    /// What was heard of each quantity in the last two minutes: ms before now, and the value.
    pub fn traces(&self, now_ms: i64) -> BTreeMap<Quantity, Vec<(i64, f64)>> {
        let of = |track: &Track| {
            let heard = track.recent.iter().map(|sample| (now_ms - sample.heard_ms, sample.value));
            heard.filter(|(ago_ms, _)| (0..=TRACE_MS).contains(ago_ms)).collect()
        };
        self.tracks.iter().map(|(quantity, track)| (*quantity, of(track))).collect()
    }

    /// When the last reading was taken, ms before now.
    pub fn taken_ago_ms(&self, now_ms: i64) -> Option<i64> {
        self.taken_ms.map(|taken_ms| now_ms - taken_ms)
    }

    /// Takes a reading: what was shown in the last seconds and since the last take, or what is held, as the test counts it. A quantity
    /// that the meter has no figure for refuses it; one that fell silent is told as missing. `step_of` gives the display's step, where the
    /// meter's entry says it.
    pub fn take(&mut self, now_ms: i64, unsteady: UnsteadyPolicy, step_of: impl Fn(Quantity) -> f64) -> Result<Taken, Refusal> {
        if let Some(NoFigure { quantity, what }) = self.no_figures().into_iter().next() {
            return Err(Refusal::Troubled(quantity.label(), what));
        }
        let (windows, at_ms, newest_ms) = match &self.held {
            Some(held) => (held.figures.clone(), held.at_ms, held.at_ms),
            None => {
                let newest_ms = self.tracks.values().filter_map(|track| track.recent.back()).map(|sample| sample.heard_ms).max();
                let newest_ms = newest_ms.ok_or(Refusal::Nothing)?;
                if now_ms - newest_ms > STALE_MS {
                    return Err(Refusal::Stale((now_ms - newest_ms) / 1000));
                }
                if self.taken_ms.is_some_and(|taken_ms| newest_ms <= taken_ms) {
                    return Err(Refusal::Taken);
                }
                let windows = self.tracks.iter().map(|(quantity, track)| (*quantity, track.fresh_window(now_ms, self.taken_ms)));
                (windows.collect(), now_ms, newest_ms)
            }
        };
        let figures = figures_of(&windows, unsteady, step_of)?;
        if figures.is_empty() {
            return Err(Refusal::Nothing);
        }
        let missing = windows.iter().filter(|(_, window)| window.is_empty()).map(|(quantity, _)| *quantity).collect();
        let before = (self.held.take(), self.taken_ms.replace(newest_ms));
        Ok(Taken { before, figures, at_ms, missing })
    }

    /// A reading that could not be kept is given back: what was held is held again.
    pub fn give_back(&mut self, taken: Taken) {
        let (held, taken_ms) = taken.before;
        self.taken_ms = taken_ms;
        self.held = self.held.take().or(held);
    }
}

fn figures_of(
    windows: &BTreeMap<Quantity, Vec<f64>>,
    unsteady: UnsteadyPolicy,
    step_of: impl Fn(Quantity) -> f64,
) -> Result<Figures, Refusal> {
    let mut figures = Figures::default();
    for (quantity, window) in windows {
        let Some((low, high)) = bounds(window) else { continue };
        let step = step_of(*quantity);
        let seen = match unsteady {
            UnsteadyPolicy::Middle if low == high => Seen { low, high, step, how: ValueKind::Shown },
            UnsteadyPolicy::Middle => Seen { low, high, step, how: ValueKind::Range },
            UnsteadyPolicy::Peak => Seen { low: high, high, step, how: ValueKind::Peak },
            UnsteadyPolicy::Settled => {
                let mean = settled(window).ok_or(Refusal::Unsettled(quantity.label()))?;
                Seen { low: mean, high: mean, step, how: ValueKind::Settled }
            }
        };
        figures.set(*quantity, seen);
    }
    Ok(figures)
}

impl Track {
    /// The same since the last take, so that no sample is in two readings; empty where the quantity fell silent, whatever its neighbours
    /// do.
    fn fresh_window(&self, now_ms: i64, taken_ms: Option<i64>) -> Vec<f64> {
        let is_fresh = self.recent.back().is_some_and(|last| now_ms - last.heard_ms <= STALE_MS);
        let is_new =
            |sample: &&Sample| now_ms - sample.heard_ms <= TAKE_MS && taken_ms.is_none_or(|taken_ms| sample.heard_ms > taken_ms);
        if is_fresh { self.recent.iter().filter(is_new).map(|sample| sample.value).collect() } else { Vec::new() }
    }

    fn window(&self, now_ms: i64) -> Vec<f64> {
        self.recent.iter().filter(|sample| now_ms - sample.heard_ms <= TAKE_MS).map(|sample| sample.value).collect()
    }
}

fn bounds(window: &[f64]) -> Option<(f64, f64)> {
    let low = window.iter().copied().reduce(f64::min)?;
    Some((low, window.iter().copied().fold(low, f64::max)))
}

fn settled(window: &[f64]) -> Option<f64> {
    let (low, high) = bounds(window)?;
    let mean = window.iter().sum::<f64>() / window.len() as f64;
    (window.len() >= SETTLED_SAMPLES && high - low <= SETTLED_REL * mean.abs().max(1e-6)).then_some(mean)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn sample(quantity: Quantity, value: f64, at_ms: i64) -> Received {
        Received::Sample(Sample { quantity, value, at_ms, heard_ms: at_ms })
    }

    fn heard(values: &[f64]) -> Live {
        let mut live = Live::default();
        live.hear(&Received::Connected("stand-in".into()));
        for (nth, value) in values.iter().enumerate() {
            live.hear(&sample(Quantity::Voltage, *value, nth as i64 * 200));
        }
        live
    }

    #[test]
    fn the_last_value_of_a_silent_meter_is_never_a_new_reading() {
        let mut live = heard(&[18.4; 6]);
        assert_eq!(live.state(1500), MeterState::Live);
        assert!(live.take(1500, UnsteadyPolicy::Middle, |_| 0.01).is_ok());
        assert_eq!(live.take(1600, UnsteadyPolicy::Middle, |_| 0.01), Err(Refusal::Taken));
        assert_eq!(live.state(60_000), MeterState::Silent);
        assert_eq!(live.take(60_000, UnsteadyPolicy::Middle, |_| 0.01), Err(Refusal::Stale(59)));
        assert_eq!(live.shown(60_000)[0].age_ms, 59_000);
        assert_eq!(Live::default().take(0, UnsteadyPolicy::Peak, |_| 0.0), Err(Refusal::Nothing));
    }

    #[test]
    fn each_policy_takes_its_own_value() {
        let values = [18.0, 18.2, 18.4, 18.3, 18.1, 18.2];
        let take =
            |unsteady| heard(&values).take(1100, unsteady, |_| 0.01).map(|taken| *taken.figures.get(Quantity::Voltage).unwrap());
        assert_eq!(take(UnsteadyPolicy::Middle).unwrap(), Seen { low: 18.0, high: 18.4, step: 0.01, how: ValueKind::Range });
        assert_eq!(take(UnsteadyPolicy::Peak).unwrap(), Seen { low: 18.4, high: 18.4, step: 0.01, how: ValueKind::Peak });
        assert_eq!(take(UnsteadyPolicy::Settled), Err(Refusal::Unsettled("voltage")));
        let steady = heard(&[18.20, 18.21, 18.20, 18.19, 18.20, 18.20]).take(1100, UnsteadyPolicy::Settled, |_| 0.01).unwrap();
        assert!(
            steady
                .figures
                .get(Quantity::Voltage)
                .is_some_and(|seen| seen.how == ValueKind::Settled && (seen.low - 18.2).abs() < 1e-9)
        );
    }

    #[test]
    fn rubbish_and_a_cut_are_states_and_what_came_before_is_not_mixed_in() {
        let mut live = heard(&[18.4; 6]);
        live.hear(&Received::Unreadable("\"OVLD\"".into()));
        assert_eq!(live.state(1200), MeterState::Unreadable("\"OVLD\"".into()));
        live.hear(&Received::Lost("it closed the connection".into()));
        assert!(matches!(live.state(1200), MeterState::Lost(_)) && live.shown(1200).is_empty());
        assert_eq!(live.take(1200, UnsteadyPolicy::Middle, |_| 0.0), Err(Refusal::Nothing));
        live.hear(&Received::Connected(String::new()));
        live.hear(&sample(Quantity::Voltage, 12.0, 2000));
        assert_eq!(live.take(2100, UnsteadyPolicy::Middle, |_| 0.0).unwrap().figures.get(Quantity::Voltage).unwrap().low, 12.0);
    }

    /// Both sides of the bound: figures within 1 % of their mean, or within one step of the display, and five of them since the last take.
    #[test]
    fn steady_is_what_stays_within_its_span_or_one_step() {
        let steady = |values: &[f64], step: f64| heard(values).steady(1100, 0.01, |_| step);
        assert_eq!(steady(&[18.0, 18.17, 18.0, 18.1, 18.0, 18.0], 0.01), Ok(()));
        assert_eq!(steady(&[18.0, 18.19, 18.0, 18.1, 18.0, 18.0], 0.01), Err(NotSteady::Moves("voltage")));
        // A coarse display between two of its figures.
        assert_eq!(steady(&[1.2, 1.3, 1.2, 1.2, 1.3, 1.2], 0.1), Ok(()));
        assert_eq!(steady(&[1.2, 1.4, 1.2, 1.2, 1.3, 1.2], 0.1), Err(NotSteady::Moves("voltage")));
        assert_eq!(steady(&[18.0; 4], 0.01), Err(NotSteady::Few("voltage")));
        assert_eq!(Live::default().steady(0, 0.01, |_| 0.0), Err(NotSteady::NotLive));
        let mut live = heard(&[18.0; 6]);
        live.take(1100, UnsteadyPolicy::Middle, |_| 0.01).unwrap();
        assert_eq!(live.steady(1200, 0.01, |_| 0.01), Err(NotSteady::Few("voltage")));
        for nth in 6..11 {
            live.hear(&sample(Quantity::Voltage, 18.0, nth * 200));
        }
        assert_eq!(live.steady(2100, 0.01, |_| 0.01), Ok(()));
        live.hold(2150, "me");
        assert_eq!(live.steady(2200, 0.01, |_| 0.01), Err(NotSteady::Held));
    }

    /// Thermometers stand still within a kelvin, whatever a share of their figure would be.
    #[test]
    fn a_thermometer_stands_still_within_a_kelvin() {
        for (last_c, stands) in [(20.9, true), (21.1, false)] {
            let mut live = Live::default();
            live.hear(&Received::Connected(String::new()));
            for (nth, cell_c) in [20.0, 20.0, 20.0, 20.0, last_c].into_iter().enumerate() {
                live.hear(&sample(Quantity::Cell, cell_c, nth as i64 * 200));
            }
            assert_eq!(live.steady(900, 0.01, |_| 0.0).is_ok(), stands, "{last_c}");
        }
    }

    #[test]
    fn a_trace_is_of_two_minutes() {
        let mut live = heard(&[18.0, 18.5]);
        live.hear(&sample(Quantity::Voltage, 19.0, 121_000));
        assert_eq!(live.traces(121_000)[&Quantity::Voltage], [(0, 19.0)]);
        assert_eq!(live.traces(120_100)[&Quantity::Voltage], [(120_100 - 200, 18.5)]);
    }

    /// An overload of the amps while the volts go on, as it begins: nothing of the seconds before it is taken either.
    #[test]
    fn a_quantity_without_a_figure_is_shown_as_such_and_refuses_a_take() {
        let mut live = heard(&[18.4; 6]);
        live.hear(&sample(Quantity::Current, 5.0, 1000));
        live.hear(&Received::NoFigure(Quantity::Current, "beyond its range".into()));
        live.hear(&sample(Quantity::Voltage, 18.4, 1200));
        assert_eq!(live.state(1200), MeterState::Live);
        assert_eq!(live.no_figures(), [NoFigure { quantity: Quantity::Current, what: "beyond its range".into() }]);
        let refused = Refusal::Troubled("current", "beyond its range".into());
        assert_eq!(live.take(1250, UnsteadyPolicy::Middle, |_| 0.01), Err(refused.clone()));
        live.hold(1250, "phone");
        live.hear(&sample(Quantity::Current, 5.0, 1400));
        assert_eq!(live.take(1450, UnsteadyPolicy::Middle, |_| 0.01), Err(refused), "what is held has no amps");
        live.hold(1450, "phone");
        assert!(live.take(1450, UnsteadyPolicy::Middle, |_| 0.01).is_ok());
    }

    #[test]
    fn a_reading_that_could_not_be_kept_is_given_back() {
        let mut live = heard(&[18.4; 6]);
        live.hold(1200, "phone");
        let taken = live.take(1300, UnsteadyPolicy::Middle, |_| 0.01).unwrap();
        assert_eq!(live.held_by(), None);
        live.give_back(taken.clone());
        assert_eq!(live.held_by(), Some(("phone", 1200)));
        assert_eq!(live.take(1400, UnsteadyPolicy::Middle, |_| 0.01).unwrap().figures, taken.figures);
    }

    #[test]
    fn no_sample_is_in_two_readings() {
        let mut live = heard(&[18.0, 18.2, 18.4]);
        let volts = |taken: Taken| *taken.figures.get(Quantity::Voltage).unwrap();
        let first = volts(live.take(500, UnsteadyPolicy::Middle, |_| 0.01).unwrap());
        assert_eq!((first.low, first.high), (18.0, 18.4));
        live.hear(&sample(Quantity::Voltage, 17.0, 600));
        let second = volts(live.take(700, UnsteadyPolicy::Middle, |_| 0.01).unwrap());
        assert_eq!((second.low, second.high), (17.0, 17.0));
        live.hear(&sample(Quantity::Voltage, 17.1, 800));
        assert_eq!(live.take(900, UnsteadyPolicy::Settled, |_| 0.01), Err(Refusal::Unsettled("voltage")));
        assert!(live.take(900, UnsteadyPolicy::Middle, |_| 0.01).is_ok(), "a take that was refused took nothing");
    }

    #[test]
    fn a_jump_is_shown_and_a_quantity_that_fell_silent_is_left_out() {
        let mut live = heard(&[18.4, 18.4, 2.0]);
        assert!(live.shown(500)[0].jumped && live.shown(500)[0].peak == 18.4);
        live.reset_peak();
        assert_eq!(live.shown(500)[0].peak, 2.0);
        live.hear(&sample(Quantity::Current, 5.0, 9000));
        let Taken { figures, missing, .. } = live.take(9100, UnsteadyPolicy::Middle, |_| 0.0).unwrap();
        assert!(figures.get(Quantity::Voltage).is_none() && figures.get(Quantity::Current).is_some());
        assert_eq!(missing, [Quantity::Voltage]);
    }

    #[test]
    fn what_is_held_stays_with_its_own_moment_until_it_is_taken() {
        let mut live = heard(&[18.4; 6]);
        live.hold(1200, "phone");
        live.hear(&sample(Quantity::Voltage, 2.0, 1400));
        assert_eq!((live.shown(5000)[0].value, live.shown(5000)[0].age_ms), (18.4, 4000));
        let Taken { figures, at_ms, .. } = live.take(5000, UnsteadyPolicy::Middle, |_| 0.01).unwrap();
        assert_eq!((figures.get(Quantity::Voltage).unwrap().high, at_ms, live.held_by()), (18.4, 1200, None));
        live.hold(60_000, "phone");
        assert!(live.held_by().is_none(), "a silent meter has nothing to hold");
    }
}
