//! Comparisons whose true levels are known.

use super::meters::Meter;
use super::skies::{Sky, clear_w_m2};
use super::{Draws, Line, at_hour, record};
use flindo_core::measure::instrument::{Accuracy, Instruments};
use flindo_core::panel::label::{LabelTyped, check};
use flindo_core::panel::nameplate::Nameplate;
use flindo_core::record::order::{self, Order};
use flindo_core::record::plan::PlanTyped;
use flindo_core::record::question::Question;
use flindo_core::record::setup::{CellTemperatureSource, IrradianceSource, Setup};
use flindo_core::record::test::TestRecord;
use flindo_core::verdict::assess::assess;

/// Everything of a comparison but its noise.
#[derive(Debug, Clone)]
pub struct World {
    pub question: Question,
    pub order: Order,
    /// Each level as a share of the baseline.
    pub truth: Vec<f64>,
    pub jitter_rel: f64,
    pub sky: Sky,
    pub is_noted: bool,
    /// Light in the plane is read with every reading.
    pub has_meter: bool,
    /// The light meter shows the light of so many seconds ago.
    pub lag_s: f64,
    pub utc_h: f64,
    pub readings: usize,
    pub volts_step: f64,
    pub amps_step: f64,
    /// Watts of the unshaded baseline for each W/m2.
    pub watts_per_light: f64,
    /// The runs of the order so many times.
    pub times: usize,
}

/// What the judge said of one level.
#[derive(Debug, Clone, Copy)]
pub struct Said {
    pub truth_percent: f64,
    pub percent: f64,
    pub u_percent: f64,
    pub verdict: &'static str,
}

const QUESTIONS: [Question; 4] = [Question::Improvements, Question::ShadeCost, Question::WhichController, Question::WhichTilt];
const ORDERS: [Order; 6] = [Order::Aba, Order::Abba, Order::LadderAndBack, Order::Crossover, Order::BeforeAfter, Order::Totals];

impl World {
    pub fn draw(seed: u64) -> Self {
        let mut draws = Draws::of(seed);
        let order = draws.one_of(&ORDERS);
        let sky = draws.one_of(&[Sky::Clear, Sky::Clear, Sky::Clear, Sky::Haze, Sky::Haze, Sky::Thin, Sky::Thin, Sky::Broken]);
        let level = |draws: &mut Draws| match draws.one_of(&[0, 1, 2, 3]) {
            0 => 1.0,
            1 => draws.even(0.94, 1.06),
            2 => draws.even(0.25, 1.4),
            _ => draws.even(0.03, 0.4),
        };
        let question = if order == Order::Totals { Question::HowMuchInADay } else { draws.one_of(&QUESTIONS) };
        World {
            question,
            order,
            truth: (0..draws.one_of(&[1, 1, 2])).map(|_| level(&mut draws)).collect(),
            jitter_rel: draws.one_of(&[0.001, 0.003, 0.005]),
            sky,
            is_noted: draws.one_of(&[true, true, false]),
            has_meter: question != Question::WhichTilt && (sky == Sky::Broken || draws.one_of(&[true, false])),
            lag_s: draws.one_of(&[0.0, 2.0, 6.0]),
            utc_h: draws.one_of(&[12.4, 10.0]),
            readings: draws.one_of(&[1, 2, 3, 4, 5]),
            volts_step: draws.one_of(&[0.01, 0.1]),
            amps_step: draws.one_of(&[0.001, 0.01, 0.01, 0.1]),
            watts_per_light: draws.one_of(&[0.15, 0.06]),
            times: if order == Order::Totals { 3 } else { 1 },
        }
    }

    fn typed(&self) -> PlanTyped {
        let levels = if self.question == Question::WhichTilt { ["20", "45"] } else { ["as changed", "as changed again"] };
        let text = |text: &str| text.to_owned();
        PlanTyped {
            question: text(self.question.name()),
            baseline: text(if self.question == Question::WhichTilt { "30" } else { "as it was" }),
            levels: levels[..self.truth.len()].join("; "),
            order: text(self.order.name()),
            times: self.times.to_string(),
            settle_s: text("0"),
            readings_per_run: self.readings.to_string(),
            ..PlanTyped::default()
        }
    }

    /// How well runs are set up anew, as a share: it depends on the day, which nobody knows beforehand.
    pub fn scatter_rel(&self, noise_seed: u64) -> f64 {
        Draws::of(noise_seed ^ 0xCA4D).one_of(&[0.0, 0.005, 0.01])
    }

    /// The test as it was read once.
    pub fn read(&self, noise_seed: u64) -> TestRecord {
        let mut draws = Draws::of(noise_seed.wrapping_mul(0x9E37_79B9).wrapping_add(77));
        let setup = Setup {
            tilt_deg: 30.0,
            irradiance_source: if self.has_meter { IrradianceSource::PlaneMeter } else { IrradianceSource::ClearSky },
            cell_temperature: CellTemperatureSource::Nothing,
            ..Setup::default()
        };
        let typed = self.typed();
        let times: usize = typed.times.parse().unwrap();
        let slots = order::runs(self.order, self.truth.len(), times);
        let scatter_rel = self.scatter_rel(noise_seed);
        let lines = if self.order == Order::Totals {
            self.totals(&slots, scatter_rel, &mut draws)
        } else {
            self.moments(&slots, scatter_rel, &mut draws)
        };
        record(self.question, label(), setup, Some(&typed), &lines)
    }

    fn share(&self, level: usize) -> f64 {
        if level == 0 { 1.0 } else { self.truth[level - 1] }
    }

    /// Runs of a few readings, two minutes apart; side by side two at once, on rigs and meters of their own.
    fn moments(&self, slots: &[order::Slot], scatter_rel: f64, draws: &mut Draws) -> Vec<Line> {
        let gear = Instruments::default();
        let full_a = 1100.0 * self.watts_per_light / 20.0;
        let rigs: Vec<(Meter, Meter, f64)> = (0..3)
            .map(|_| {
                let volts = Meter::draw(gear.volts, self.volts_step, 36.0, draws);
                (volts, Meter::draw(gear.amps, self.amps_step, full_a, draws), 1.0 + draws.normal(0.01))
            })
            .collect();
        let sun = Meter::draw(Accuracy { percent: gear.sun_percent, digits: 0.0 }, 1.0, 1200.0, draws);
        let is_side_by_side = self.order.is_side_by_side();
        let pair = |nth: usize| if is_side_by_side { nth / 2 } else { nth };
        let start_s = at_hour(self.utc_h);
        let at = |run: usize, reading: usize| start_s + 120.0 * pair(run) as f64 + 20.0 * reading as f64;
        let runs = if is_side_by_side { slots.len() / 2 } else { slots.len() };
        let moments: Vec<f64> = (0..runs)
            .flat_map(|run| (0..self.readings).map(move |reading| start_s + 120.0 * run as f64 + 20.0 * reading as f64))
            .collect();
        let lagged: Vec<f64> = moments.iter().flat_map(|at| [at - self.lag_s, *at]).collect();
        let factors = self.sky.factors(&lagged, draws);
        let mut lines = Vec::new();
        for (nth, slot) in slots.iter().enumerate() {
            let (volts, amps, of_rig) = rigs[if is_side_by_side { usize::from(slot.rig) } else { 0 }];
            let set_up = 1.0 + draws.normal(scatter_rel);
            for reading in 0..self.readings {
                let unix_s = at(nth, reading);
                let of_moment = 2 * (pair(nth) * self.readings + reading);
                let (seen, light) = (
                    clear_w_m2(unix_s - self.lag_s, 30.0, 180.0) * factors[of_moment],
                    clear_w_m2(unix_s, 30.0, 180.0) * factors[of_moment + 1],
                );
                let watts_w = light * self.watts_per_light * self.share(slot.level) * set_up * of_rig;
                // Most of a change is in the amps.
                let true_v = 17.6 * self.share(slot.level).powf(0.1);
                let shown_v = volts.shows(true_v, self.jitter_rel / 3.0, draws);
                let shown_a = amps.shows(watts_w / true_v, self.jitter_rel, draws);
                let mut typed = format!("{} V {} A", volts.text(shown_v), amps.text(shown_a));
                if self.has_meter {
                    typed += &format!(" {} W/m2", sun.text(sun.shows(seen, 0.002, draws)));
                }
                let sky = self.is_noted.then(|| self.sky.note());
                lines.push(Line { run: Some(nth), unix_s, typed, sky });
            }
        }
        lines
    }

    /// Watt-hours of whole days, one each, on one meter: the days differ as skies do.
    fn totals(&self, slots: &[order::Slot], scatter_rel: f64, draws: &mut Draws) -> Vec<Line> {
        let meter = Meter::draw(Instruments::default().watts, self.amps_step.max(0.1) * 10.0, 3000.0, draws);
        let between_days = if self.sky == Sky::Clear { 0.015 } else { 0.04 };
        slots
            .iter()
            .enumerate()
            .map(|(nth, slot)| {
                let day = 1.0 + draws.normal(between_days);
                let true_wh = 5500.0 * self.watts_per_light * self.share(slot.level) * day * (1.0 + draws.normal(scatter_rel));
                let typed = format!("{} Wh", meter.text(meter.shows(true_wh, 0.0, draws)));
                Line { run: Some(nth), unix_s: at_hour(18.0) + 86_400.0 * nth as f64, typed, sky: None }
            })
            .collect()
    }

    /// What the judge says of each level; nothing of those it does not compare.
    pub fn said(&self, noise_seed: u64) -> Vec<Said> {
        let record = self.read(noise_seed);
        let assessment = assess(&record).unwrap();
        let Some(Ok(found)) = assessment.outcome.comparison() else { return Vec::new() };
        let said = |one: &flindo_core::verdict::comparison::Level| {
            let level = one.difference.level;
            Said {
                truth_percent: self.share(level) * 100.0,
                percent: one.difference.percent,
                u_percent: one.difference.u_percent,
                verdict: assessment.level_verdict(level).name(),
            }
        };
        found.levels.iter().map(said).collect()
    }
}

/// 250 W, 60 cells.
pub fn label() -> Nameplate {
    let mut typed = LabelTyped::default();
    for (name, text) in [
        ("rated_w", "250"),
        ("voc_v", "37.6"),
        ("isc_a", "8.85"),
        ("vmp_v", "30.5"),
        ("imp_a", "8.2"),
        ("gamma_pmax", "-0.40 %/K"),
        ("beta_voc", "-0.31 %/K"),
        ("alpha_isc", "0.05 %/K"),
        ("cells_in_series", "60"),
    ] {
        typed.set(name, text);
    }
    check(&typed).nameplate.unwrap()
}
