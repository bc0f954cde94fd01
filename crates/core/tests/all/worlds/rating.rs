//! Ratings whose true percent of the label is known.

use super::meters::Meter;
use super::panels::{Fault, Kind, SOUND, VoltsAmps, aged, kinds};
use super::skies::{Sky, clear_w_m2};
use super::{Draws, Line, at_hour, record, traps, with_rig};
use flindo_core::measure::instrument::{Accuracy, Instruments};
use flindo_core::panel::nameplate::Nameplate;
use flindo_core::record::question::Question;
use flindo_core::record::setup::{CellTemperatureSource, IrradianceSource, Load, Setup};
use flindo_core::record::test::TestRecord;
use flindo_core::verdict::assess::assess;

/// Everything of a rating but its noise.
#[derive(Debug, Clone)]
pub struct World {
    pub kind: Kind,
    pub label: Nameplate,
    pub tolerance: &'static str,
    pub fault: Fault,
    pub load: Load,
    pub irradiance_source: IrradianceSource,
    pub cell_temperature: CellTemperatureSource,
    pub sky: Sky,
    pub is_noted: bool,
    pub utc_h: f64,
    pub readings: usize,
    pub amps_step: f64,
    /// Percent of the label that it truly gives at STC.
    pub truth_percent: f64,
    pub air_c: f64,
    pub gear: Instruments,
    /// A reference beside the panel is read by its watts, not by its short-circuit current.
    pub reference_by_power: bool,
    /// Of the clear light, behind an even veil.
    pub light_rel: f64,
    pub held: Held,
}

/// Where the load holds the panel.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Held {
    AtMaximum,
    /// At so much of the volts of its maximum.
    Volts(f64),
    /// A port that takes so many watts at most: the panel goes to higher volts.
    Port(f64),
}

/// A reference of the same kind on the same rack: what its certificate, its place and its meters leave open.
struct Beside {
    calibration: f64,
    propped_deg: f64,
    warmer_k: f64,
    has_own_probe: bool,
    thermometer_k: f64,
    amps: Meter,
    watts: Meter,
}

impl Beside {
    fn draw(gear: Instruments, noise_seed: u64) -> Self {
        let mut draws = Draws::of(noise_seed ^ 0xBE51DE);
        Beside {
            calibration: draws.within(0.02),
            propped_deg: draws.within(1.0),
            warmer_k: draws.within(3.0),
            has_own_probe: draws.one_of(&[true, false]),
            thermometer_k: draws.within(gear.thermometer_k),
            amps: Meter::draw(gear.amps, 0.01, 12.0, &mut draws),
            watts: Meter::draw(gear.watts, 0.1, 400.0, &mut draws),
        }
    }
}

/// What the judge said.
#[derive(Debug, Clone, Copy)]
pub struct Said {
    pub percent: f64,
    pub u_percent: f64,
    pub verdict: &'static str,
}

impl World {
    pub fn draw(seed: u64) -> Self {
        let mut draws = Draws::of(seed ^ 0x5EED);
        let kind = draws.one_of(&kinds());
        let fault = aged(&mut draws);
        let sun = draws.one_of(&[
            IrradianceSource::PlaneMeter,
            IrradianceSource::PlaneMeter,
            IrradianceSource::FlatMeter,
            IrradianceSource::ClearSky,
        ]);
        let tolerance = draws.one_of(&["0/+3 %", "3 %", "5 %"]);
        World {
            kind,
            label: kind.label(tolerance),
            tolerance,
            fault,
            load: draws.one_of(&[Load::LoadTester, Load::LoadTester, Load::TrackingController]),
            irradiance_source: sun,
            cell_temperature: draws.one_of(&[
                CellTemperatureSource::BackProbe,
                CellTemperatureSource::BackProbe,
                CellTemperatureSource::Infrared,
                CellTemperatureSource::Air,
            ]),
            sky: if sun == IrradianceSource::PlaneMeter { draws.one_of(&[Sky::Clear, Sky::Haze, Sky::Thin]) } else { Sky::Clear },
            is_noted: sun == IrradianceSource::ClearSky || draws.one_of(&[true, false]),
            utc_h: draws.one_of(&[12.4, 11.0, 14.0]),
            readings: draws.one_of(&[1, 2, 3, 4, 5]),
            amps_step: draws.one_of(&[0.01, 0.1]),
            truth_percent: kind.best(1000.0, 25.0, fault).w() / kind.rated_w() * 100.0,
            air_c: draws.even(8.0, 30.0),
            gear: Instruments::default(),
            reference_by_power: false,
            light_rel: 1.0,
            held: Held::AtMaximum,
        }
    }

    /// One reading in half the light of a clear noon or so, under an even veil.
    pub fn under_a_veil(seed: u64) -> Self {
        let mut draws = Draws::of(seed ^ 0x9009);
        let light_rel = draws.even(0.45, 0.75);
        World { irradiance_source: IrradianceSource::PlaneMeter, sky: Sky::Thin, readings: 1, light_rel, ..World::draw(seed) }
    }

    /// Away from its maximum, on a gear that does not say so.
    pub fn off_maximum(seed: u64) -> Self {
        let mut draws = Draws::of(seed ^ 0x0FF);
        let share = if draws.one_of(&[true, false]) { draws.even(0.4, 0.85) } else { draws.even(1.08, 1.16) };
        World { held: Held::Volts(share), ..World::draw(seed).under_a_clear_sky() }
    }

    /// At a port whose watts, as stated, are within 5 % of what the panel would give.
    pub fn at_a_port(seed: u64) -> Self {
        let mut draws = Draws::of(seed ^ 0x9047);
        let world = World { load: Load::TrackingController, ..World::draw(seed).under_a_clear_sky() };
        let light_w_m2 = clear_w_m2(at_hour(world.utc_h), 30.0, 180.0);
        let best = world.kind.best(light_w_m2, world.air_c + 25.0 / 800.0 * light_w_m2, world.fault);
        World { held: Held::Port((best.w() * draws.even(0.95, 1.05)).round()), ..world }
    }

    fn under_a_clear_sky(self) -> Self {
        World { irradiance_source: IrradianceSource::PlaneMeter, sky: Sky::Clear, is_noted: true, ..self }
    }

    /// Volts and amps at which the load holds the panel.
    fn held(&self, best: VoltsAmps, poa_w_m2: f64, cell_c: f64) -> VoltsAmps {
        match self.held {
            Held::AtMaximum => best,
            Held::Volts(share) => self.kind.held(share * best.v, poa_w_m2, cell_c, self.fault),
            Held::Port(most_w) if best.w() <= most_w => best,
            Held::Port(most_w) => {
                let (mut low_v, mut high_v) = (best.v, self.kind.open_v(poa_w_m2, cell_c, self.fault));
                for _ in 0..40 {
                    let v = (low_v + high_v) / 2.0;
                    if self.kind.held(v, poa_w_m2, cell_c, self.fault).w() > most_w { low_v = v } else { high_v = v }
                }
                self.kind.held(low_v, poa_w_m2, cell_c, self.fault)
            }
        }
    }

    /// A panel with resistance in its joints, on a cool day or a hot one.
    pub fn sick(seed: u64, is_hot: bool) -> Self {
        let mut draws = Draws::of(seed ^ 0x51CC);
        let world = World::draw(seed);
        let fault = Fault { amps_rel: draws.even(0.95, 1.02), more_ohm: draws.even(0.4, 1.4), ..world.fault };
        let truth_percent = world.kind.best(1000.0, 25.0, fault).w() / world.kind.rated_w() * 100.0;
        World { fault, truth_percent, air_c: if is_hot { draws.even(26.0, 40.0) } else { draws.even(0.0, 12.0) }, ..world }
    }

    /// The same panel beside a reference of its kind, whose calibration is known within 2 %.
    pub fn beside_a_reference(&self, by_power: bool) -> Self {
        let sky = if matches!(self.irradiance_source, IrradianceSource::PlaneMeter) { self.sky } else { Sky::Clear };
        World { irradiance_source: IrradianceSource::Reference, reference_by_power: by_power, sky, ..self.clone() }
    }

    pub fn setup(&self) -> Setup {
        let is_reference = self.irradiance_source == IrradianceSource::Reference;
        Setup {
            instruments: self.gear,
            reference_isc_a: (is_reference && !self.reference_by_power).then_some(self.kind.isc_a),
            reference_pmax_w: (is_reference && self.reference_by_power).then_some(self.kind.rated_w()),
            tilt_deg: 30.0,
            azimuth_deg: 180.0,
            load: self.load,
            irradiance_source: self.irradiance_source,
            cell_temperature: self.cell_temperature,
            ..Setup::default()
        }
    }

    /// The test as it was read once.
    pub fn read(&self, noise_seed: u64) -> TestRecord {
        let mut draws = Draws::of(noise_seed.wrapping_mul(0x85EB_CA6B).wrapping_add(5));
        let gear = self.gear;
        let volts = Meter::draw(gear.volts, 0.01, 60.0, &mut draws);
        let amps = Meter::draw(gear.amps, self.amps_step, 12.0, &mut draws);
        let sun = Meter::draw(Accuracy { percent: gear.sun_percent, digits: 0.0 }, 1.0, 1200.0, &mut draws);
        let thermometer_k = draws.within(gear.thermometer_k);
        // Cells differ across a panel, and wind cools more or less than usual.
        let place_k = draws.within(2.0) * if self.cell_temperature == CellTemperatureSource::Infrared { 2.0 } else { 1.0 };
        let wind_k = draws.within(6.0);
        let propped_deg = draws.within(2.0);
        let air = draws.within(0.06);
        let gamma = draws.within(0.1);
        let start_s = at_hour(self.utc_h);
        let moments: Vec<f64> = (0..self.readings).map(|nth| start_s + 60.0 * nth as f64).collect();
        let reference = Beside::draw(gear, noise_seed);
        let is_in_plane = matches!(self.irradiance_source, IrradianceSource::PlaneMeter | IrradianceSource::Reference);
        let factors = if is_in_plane { self.sky.factors(&moments, &mut draws) } else { vec![1.0; moments.len()] };
        let of_sky = 1.0 + air;
        let lines: Vec<Line> = moments
            .iter()
            .zip(factors)
            .map(|(unix_s, factor)| {
                let on = |tilt_deg: f64| clear_w_m2(*unix_s, tilt_deg, 180.0) * of_sky * factor * self.light_rel;
                let poa_w_m2 = on(30.0);
                let cell_c = self.air_c + (45.0 - 20.0) / 800.0 * poa_w_m2 + wind_k + draws.normal(0.3);
                let best = self.kind.best(poa_w_m2, cell_c, self.fault);
                let best = self.held(best, poa_w_m2, cell_c);
                // The label's coefficient of power is a tenth off, or less.
                let own = 1.0 - 0.004 * gamma * (cell_c - 25.0);
                let held = if self.load == Load::TrackingController { draws.even(0.98, 1.0) } else { draws.even(0.998, 1.0) };
                let shown =
                    |meter: &Meter, truth: f64, jitter: f64, draws: &mut Draws| meter.text(meter.shows(truth, jitter, draws));
                let mut typed = format!(
                    "{} V {} A",
                    shown(&volts, best.v, 0.001, &mut draws),
                    shown(&amps, best.a * held * own, 0.003, &mut draws)
                );
                match self.irradiance_source {
                    IrradianceSource::PlaneMeter => {
                        typed += &format!(" {} W/m2", shown(&sun, on(30.0 + propped_deg), 0.003, &mut draws));
                    }
                    IrradianceSource::FlatMeter => typed += &format!(" {} W/m2", shown(&sun, on(0.0), 0.003, &mut draws)),
                    IrradianceSource::Reference => {
                        typed += &self.beside(&reference, on(30.0 + reference.propped_deg), cell_c, &mut draws)
                    }
                    IrradianceSource::ClearSky | IrradianceSource::Nothing => {}
                }
                let read_c = match self.cell_temperature {
                    CellTemperatureSource::Air => self.air_c + thermometer_k,
                    CellTemperatureSource::Infrared => cell_c + place_k + thermometer_k,
                    CellTemperatureSource::BackProbe | CellTemperatureSource::OwnVoc | CellTemperatureSource::Nothing => {
                        cell_c - 3.0 * poa_w_m2 / 1000.0 + place_k + thermometer_k
                    }
                };
                typed += &format!(" {read_c:.1} C");
                Line { run: None, unix_s: *unix_s, typed, sky: self.is_noted.then(|| self.sky.note()) }
            })
            .collect();
        let rating = record(Question::MakesRating, self.label.clone(), self.setup(), None, &lines);
        match self.held {
            Held::Port(most_w) => with_rig(rating, traps::station(30.0, most_w, 40.0)),
            Held::AtMaximum | Held::Volts(_) => rating,
        }
    }

    /// What is read off the reference.
    fn beside(&self, reference: &Beside, poa_w_m2: f64, cell_c: f64, draws: &mut Draws) -> String {
        let own_c = cell_c + reference.warmer_k;
        let warm_a = self.kind.isc_a * (1.0 + (self.kind.alpha_a_per_k / self.kind.isc_a) * (own_c - 25.0));
        let (meter, truth, unit) = if self.reference_by_power {
            (reference.watts, self.kind.best(poa_w_m2, own_c, SOUND).w(), "W")
        } else {
            (reference.amps, warm_a * poa_w_m2 / 1000.0, "A")
        };
        let shown = meter.text(meter.shows(truth * (1.0 + reference.calibration), 0.003, draws));
        let own = if reference.has_own_probe { format!(" ref {:.1} C", own_c + reference.thermometer_k) } else { String::new() };
        format!(" ref {shown} {unit}{own}")
    }

    /// The lower and the upper limit of the label, percent.
    pub fn band_percent(&self) -> (f64, f64) {
        match self.tolerance {
            "0/+3 %" => (100.0, 103.0),
            "3 %" => (97.0, 103.0),
            _ => (95.0, 105.0),
        }
    }

    pub fn said(&self, noise_seed: u64) -> Option<Said> {
        let record = self.read(noise_seed);
        let assessment = assess(&record).unwrap();
        let pmax = assessment.rating()?.pmax.as_ref()?;
        Some(Said { percent: pmax.percent, u_percent: pmax.u_percent, verdict: assessment.rating_verdict(0).name() })
    }
}
