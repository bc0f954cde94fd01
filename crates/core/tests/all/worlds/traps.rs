//! The traps of the trade, each with a twin in which nothing is wrong.

use super::meters::Meter;
use super::panels::{Fault, Kind, SOUND, VoltsAmps, kinds};
use super::skies::{clear_w_m2, sun};
use super::{Draws, Line, aba, at_hour, record, with_rig};
use flindo_core::gear::{Gear, GearKind, Typed};
use flindo_core::measure::instrument::{Accuracy, Instruments};
use flindo_core::panel::nameplate::Nameplate;
use flindo_core::record::question::Question;
use flindo_core::record::setup::{Load, Setup};
use flindo_core::record::test::TestRecord;
use flindo_core::rig::Sink;
use flindo_core::sky::note::SkyNote;
use flindo_core::verdict::assess::assess;

/// What is wrong.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Trap {
    PortAmps,
    ControllerAmps,
    FlatTop,
    OpenTimesShort,
    OpenTimesShortAsWatts,
    OpenTimesShortNoVoc,
    SunImpossible,
    Fahrenheit,
    MilliampsAsAmps,
    AmpsAsMilliamps,
    TenthOfVolts,
    FlatSensor,
    BatteryFull,
    ThrottledAtChargeLimit,
    OvercastTilt,
    BrokenWithoutMeter,
    TwoChanges,
    SubstringOut,
    SubstringOutInRating,
    HighResistance,
    WrongLabel,
    WeakCurrent,
    Shaded,
    NotTracking,
    OverUnity,
    RearLight,
    TooCoarse,
    WeakSun,
}

pub const ALL: [Trap; 28] = [
    Trap::PortAmps,
    Trap::ControllerAmps,
    Trap::FlatTop,
    Trap::OpenTimesShort,
    Trap::OpenTimesShortAsWatts,
    Trap::OpenTimesShortNoVoc,
    Trap::SunImpossible,
    Trap::Fahrenheit,
    Trap::MilliampsAsAmps,
    Trap::AmpsAsMilliamps,
    Trap::TenthOfVolts,
    Trap::FlatSensor,
    Trap::BatteryFull,
    Trap::ThrottledAtChargeLimit,
    Trap::OvercastTilt,
    Trap::BrokenWithoutMeter,
    Trap::TwoChanges,
    Trap::SubstringOut,
    Trap::SubstringOutInRating,
    Trap::HighResistance,
    Trap::WrongLabel,
    Trap::WeakCurrent,
    Trap::Shaded,
    Trap::NotTracking,
    Trap::OverUnity,
    Trap::RearLight,
    Trap::TooCoarse,
    Trap::WeakSun,
];

impl Trap {
    /// Any of these names it.
    pub fn codes(self) -> &'static [&'static str] {
        match self {
            Trap::PortAmps | Trap::ControllerAmps | Trap::FlatTop => &["capped"],
            Trap::OpenTimesShort | Trap::OpenTimesShortAsWatts => &["open_times_short"],
            // Without the label's Voc it is only more than the panel can give.
            Trap::OpenTimesShortNoVoc => &["open_times_short", "not_a_working_point"],
            Trap::SunImpossible => &["sun_impossible"],
            Trap::Fahrenheit | Trap::MilliampsAsAmps | Trap::AmpsAsMilliamps | Trap::TenthOfVolts => &["unit_slip"],
            Trap::FlatSensor => &["sensor_not_in_plane"],
            Trap::BatteryFull | Trap::ThrottledAtChargeLimit => &["throttled"],
            Trap::OvercastTilt | Trap::BrokenWithoutMeter => &["sky_unsteady"],
            Trap::TwoChanges => &["two_changes"],
            Trap::SubstringOut | Trap::SubstringOutInRating => &["substring_out"],
            Trap::HighResistance => &["high_resistance"],
            Trap::WrongLabel => &["wrong_label"],
            Trap::WeakCurrent => &["weak_current"],
            Trap::Shaded => &["shaded"],
            Trap::NotTracking => &["not_tracking"],
            Trap::OverUnity => &["over_unity"],
            Trap::RearLight => &["rear_light"],
            Trap::TooCoarse => &["too_coarse"],
            Trap::WeakSun => &["weak_sun"],
        }
    }
}

/// Every code that is named in a test, of the whole and of single readings.
pub fn named(record: &TestRecord) -> Vec<&'static str> {
    let assessment = assess(record).unwrap();
    let mut codes: Vec<&'static str> = assessment.named.iter().map(|one| one.finding.code()).collect();
    codes.extend(assessment.readings.iter().flat_map(|reading| &reading.left_out).map(|reason| reason.code()));
    codes.sort_unstable();
    codes.dedup();
    codes
}

/// A panel under a clear sky, with the meters it is read on.
struct Scene {
    kind: Kind,
    fault: Fault,
    tilt_deg: f64,
    utc_h: f64,
    air_c: f64,
    volts: Meter,
    amps: Meter,
    sun: Meter,
    thermometer_k: f64,
    place_k: f64,
    light_rel: f64,
    draws: Draws,
}

/// One moment as it truly is.
#[derive(Clone, Copy)]
struct Moment {
    unix_s: f64,
    poa_w_m2: f64,
    flat_w_m2: f64,
    cell_c: f64,
    best: VoltsAmps,
}

impl Scene {
    fn draw(seed: u64) -> Self {
        let mut draws = Draws::of(seed.wrapping_mul(7919).wrapping_add(3));
        let gear = Instruments::default();
        let volts = Meter::draw(gear.volts, 0.01, 60.0, &mut draws);
        let amps = Meter::draw(gear.amps, 0.01, 12.0, &mut draws);
        let of_sun = Accuracy { percent: 3.0, digits: 0.0 };
        Scene {
            kind: draws.one_of(&kinds()),
            fault: Fault { amps_rel: draws.even(0.94, 1.02), ..SOUND },
            tilt_deg: draws.one_of(&[25.0, 30.0, 40.0]),
            utc_h: draws.even(11.0, 14.0),
            air_c: draws.even(10.0, 28.0),
            volts,
            amps,
            sun: Meter::draw(of_sun, 1.0, 1200.0, &mut draws),
            thermometer_k: draws.within(gear.thermometer_k),
            place_k: draws.within(2.0),
            light_rel: draws.even(0.93, 1.0),
            draws,
        }
    }

    fn moment(&mut self, after_s: f64) -> Moment {
        let unix_s = at_hour(self.utc_h) + after_s;
        let poa_w_m2 = clear_w_m2(unix_s, self.tilt_deg, 180.0) * self.light_rel * (1.0 + self.draws.normal(0.001));
        let flat_w_m2 = clear_w_m2(unix_s, 0.0, 180.0) * self.light_rel;
        let cell_c = self.air_c + 0.03 * poa_w_m2 + self.draws.normal(0.4);
        Moment { unix_s, poa_w_m2, flat_w_m2, cell_c, best: self.kind.best(poa_w_m2, cell_c, self.fault) }
    }

    fn v(&mut self, truth: f64) -> String {
        let shown = self.volts.shows(truth, 0.001, &mut self.draws);
        format!("{} V", self.volts.text(shown))
    }

    fn a(&mut self, truth: f64) -> String {
        let shown = self.amps.shows(truth, 0.003, &mut self.draws);
        format!("{} A", self.amps.text(shown))
    }

    fn light(&mut self, truth: f64) -> String {
        let shown = self.sun.shows(truth, 0.002, &mut self.draws);
        format!("{} W/m2", self.sun.text(shown))
    }

    fn back_c(&mut self, at: &Moment) -> f64 {
        at.cell_c - 3.0 * at.poa_w_m2 / 1000.0 + self.thermometer_k + self.place_k
    }

    /// Light and the temperature of the back.
    fn weather(&mut self, at: &Moment) -> String {
        let back_c = self.back_c(at);
        format!("{} {back_c:.1} C", self.light(at.poa_w_m2))
    }

    fn open_short(&mut self, at: &Moment) -> String {
        let (voc_v, isc_a) =
            (self.kind.open_v(at.poa_w_m2, at.cell_c, self.fault), self.kind.short_a(at.poa_w_m2, at.cell_c, self.fault));
        format!("Voc {} Isc {}", self.v(voc_v), self.a(isc_a))
    }

    fn label(&self) -> Nameplate {
        self.kind.label("3 %")
    }

    fn setup(&self, load: Load) -> Setup {
        Setup { tilt_deg: self.tilt_deg, azimuth_deg: 180.0, load, ..Setup::default() }
    }

    /// A rating of so many readings, a minute or so apart, each as the closure types it.
    fn rating(&mut self, load: Load, every_s: f64, count: usize, type_line: impl Fn(&mut Self, &Moment) -> String) -> TestRecord {
        let lines: Vec<Line> = (0..count)
            .map(|nth| {
                let at = self.moment(every_s * nth as f64);
                Line { run: None, unix_s: at.unix_s, typed: type_line(self, &at), sky: None }
            })
            .collect();
        record(Question::MakesRating, self.label(), self.setup(load), None, &lines)
    }

    /// As it is read at its best, with light and temperature.
    fn usual(&mut self, at: &Moment) -> String {
        format!("{} {} {}", self.v(at.best.v), self.a(at.best.a), self.weather(at))
    }

    /// The point up the curve at which it gives only so many watts.
    fn held_at_w(&self, at: &Moment, watts_w: f64) -> VoltsAmps {
        let of = |a: f64| {
            let (mut low, mut high) = (at.best.v, self.kind.open_v(at.poa_w_m2, at.cell_c, self.fault));
            for _ in 0..30 {
                let v = (low + high) / 2.0;
                // Volts at these amps, by a straight line between the best point and open.
                let on_line = at.best.a * (1.0 - (v - at.best.v) / (high - at.best.v + 1e-9));
                if on_line > a { low = v } else { high = v }
            }
            (low + high) / 2.0
        };
        if watts_w >= at.best.w() {
            return at.best;
        }
        let (mut low, mut high) = (0.0, at.best.a);
        for _ in 0..40 {
            let a = (low + high) / 2.0;
            if a * of(a) < watts_w { low = a } else { high = a }
        }
        VoltsAmps { v: of(low), a: low }
    }
}

fn gear(kind: GearKind, fields: &[(&str, String)]) -> Gear {
    let typed: Typed = fields.iter().map(|(name, text)| ((*name).to_owned(), text.clone())).collect();
    kind.check(&typed).unwrap_or_else(|notes| panic!("{notes:?}"))
}

pub fn station(max_input_a: f64, max_input_w: f64, charged_percent: f64) -> Sink {
    let fields = [
        ("min_input_v", "11".to_owned()),
        ("max_input_v", "100".to_owned()),
        ("max_input_a", format!("{max_input_a:.2}")),
        ("max_input_w", format!("{max_input_w:.0}")),
        ("state_of_charge_percent", format!("{charged_percent:.0}")),
    ];
    let Gear::Station(station) = gear(GearKind::Station, &fields) else { panic!("a station") };
    Sink::Station { name: "station".to_owned(), station }
}

fn controller(max_battery_a: f64) -> Sink {
    let fields =
        [("tracking", "yes".to_owned()), ("max_input_v", "100".to_owned()), ("max_battery_a", format!("{max_battery_a:.1}"))];
    let Gear::Controller(controller) = gear(GearKind::Controller, &fields) else { panic!("a controller") };
    let fields = [("nominal_v", "12".to_owned()), ("capacity_ah", "200".to_owned())];
    let Gear::Battery(battery) = gear(GearKind::Battery, &fields) else { panic!("a battery") };
    Sink::Controller { name: "controller".to_owned(), controller, battery: Some(battery) }
}

/// A comparison A B A of typed levels.
fn compared(question: Question, scene: &Scene, baseline: &str, level: &str, lines: &[Line]) -> TestRecord {
    let typed = aba(question, baseline, level);
    record(question, scene.label(), scene.setup(Load::LoadTester), Some(&typed), lines)
}

/// A test with this trap in it, or its twin without.
pub fn test(trap: Trap, seed: u64, is_trap: bool) -> TestRecord {
    let mut scene = Scene::draw(seed * 31 + trap as u64);
    match trap {
        Trap::PortAmps | Trap::ControllerAmps | Trap::FlatTop | Trap::BatteryFull | Trap::ThrottledAtChargeLimit => {
            limited(trap, &mut scene, is_trap)
        }
        Trap::OpenTimesShort | Trap::OpenTimesShortAsWatts | Trap::OpenTimesShortNoVoc => {
            open_times_short(trap, &mut scene, is_trap)
        }
        Trap::OvercastTilt | Trap::BrokenWithoutMeter | Trap::TwoChanges => unfair(trap, &mut scene, is_trap),
        Trap::SubstringOut
        | Trap::SubstringOutInRating
        | Trap::HighResistance
        | Trap::WrongLabel
        | Trap::WeakCurrent
        | Trap::Shaded => faulty(trap, &mut scene, is_trap),
        Trap::NotTracking | Trap::OverUnity => both_sides(trap, &mut scene, is_trap),
        Trap::SunImpossible
        | Trap::Fahrenheit
        | Trap::MilliampsAsAmps
        | Trap::AmpsAsMilliamps
        | Trap::TenthOfVolts
        | Trap::FlatSensor
        | Trap::RearLight
        | Trap::TooCoarse
        | Trap::WeakSun => misread(trap, &mut scene, is_trap),
    }
}

fn limited(trap: Trap, scene: &mut Scene, is_trap: bool) -> TestRecord {
    let load = Load::TrackingController;
    let first = scene.moment(0.0);
    let share = scene.draws.even(0.6, 0.85);
    match trap {
        Trap::PortAmps => {
            let most_a = if is_trap { first.best.a * share } else { first.best.a * 1.4 };
            let most_a = (most_a * 10.0).round() / 10.0;
            let record = scene.rating(load, 60.0, 4, |scene, at| {
                let held = if is_trap { VoltsAmps { v: at.best.v * 1.09, a: most_a } } else { at.best };
                format!("{} {} {}", scene.v(held.v), scene.a(held.a), scene.weather(at))
            });
            with_rig(record, station(most_a, 1000.0, 50.0))
        }
        Trap::ControllerAmps => {
            let battery_v = scene.draws.even(12.9, 13.7);
            let most_a = first.best.w() * 0.96 / battery_v * if is_trap { share } else { 1.4 };
            let most_a = (most_a * 10.0).round() / 10.0;
            let record = scene.rating(load, 60.0, 4, |scene, at| {
                let held = scene.held_at_w(at, most_a * battery_v / 0.96);
                format!("{} {} out {battery_v:.1} V {}", scene.v(held.v), scene.a(held.a), scene.weather(at))
            });
            with_rig(record, controller(most_a))
        }
        Trap::FlatTop => {
            scene.utc_h = scene.draws.one_of(&[10.3, 14.0]);
            let late = if scene.utc_h > 12.0 { 1.0 } else { 0.0 };
            let last = scene.moment(40.0 * 60.0 * late);
            let cap_w = last.best.w().min(scene.moment(0.0).best.w()) * share;
            scene.rating(load, 600.0, 5, |scene, at| {
                let held = if is_trap { scene.held_at_w(at, cap_w) } else { at.best };
                format!("{} {} {}", scene.v(held.v), scene.a(held.a), scene.weather(at))
            })
        }
        Trap::BatteryFull => {
            let charged = if is_trap { scene.draws.even(97.0, 100.0) } else { scene.draws.even(20.0, 70.0) };
            let given = if is_trap { scene.draws.even(0.3, 0.9) } else { 1.0 };
            let record = scene.rating(load, 60.0, 4, |scene, at| {
                let held = scene.held_at_w(at, at.best.w() * given);
                format!("{} {} {}", scene.v(held.v), scene.a(held.a), scene.weather(at))
            });
            with_rig(record, station(40.0, 1000.0, charged))
        }
        _ => {
            // Absorption: the battery stands at its charge limit, and takes ever less.
            let battery_v = if is_trap { scene.draws.even(14.2, 14.6) } else { scene.draws.even(12.8, 13.6) };
            let given = if is_trap { scene.draws.even(0.25, 0.6) } else { 1.0 };
            let record = scene.rating(load, 60.0, 4, |scene, at| {
                let held = scene.held_at_w(at, at.best.w() * given);
                let out = scene.a(held.w() * 0.96 / battery_v);
                format!("{} {} out {battery_v:.1} V {out} {}", scene.v(held.v), scene.a(held.a), scene.weather(at))
            });
            with_rig(record, controller(60.0))
        }
    }
}

fn open_times_short(trap: Trap, scene: &mut Scene, is_trap: bool) -> TestRecord {
    let mut record = scene.rating(Load::LoadTester, 60.0, 4, |scene, at| {
        let open_v = scene.kind.open_v(at.poa_w_m2, at.cell_c, scene.fault);
        let short_a = scene.kind.short_a(at.poa_w_m2, at.cell_c, scene.fault);
        let (v, a) = if is_trap { (open_v, short_a) } else { (at.best.v, at.best.a) };
        if trap == Trap::OpenTimesShortAsWatts {
            format!("{:.1} W {}", v * a, scene.weather(at))
        } else {
            format!("{} {} {}", scene.v(v), scene.a(a), scene.weather(at))
        }
    });
    if trap == Trap::OpenTimesShortNoVoc {
        record.panels[0].label = Nameplate { voc_v: None, isc_a: None, ..record.panels[0].label.clone() };
    }
    record
}

fn unfair(trap: Trap, scene: &mut Scene, is_trap: bool) -> TestRecord {
    let share = scene.draws.even(0.8, 1.1);
    let note = match trap {
        Trap::OvercastTilt if is_trap => Some(SkyNote::Overcast),
        Trap::BrokenWithoutMeter if is_trap => Some(SkyNote::Broken),
        _ => Some(SkyNote::Clear),
    };
    let lines: Vec<Line> = [0, 1, 0]
        .into_iter()
        .enumerate()
        .map(|(nth, level)| {
            let at = scene.moment(120.0 * nth as f64);
            let a = at.best.a * if level == 1 { share } else { 1.0 };
            let typed = format!("{} {}", scene.v(at.best.v), scene.a(a));
            Line { run: Some(nth), unix_s: at.unix_s, typed, sky: note }
        })
        .collect();
    match trap {
        Trap::OvercastTilt => {
            let own = format!("{}", scene.tilt_deg);
            compared(Question::WhichTilt, scene, &own, "10", &lines)
        }
        Trap::BrokenWithoutMeter => compared(Question::ShadeCost, scene, "none", "the branch", &lines),
        _ => {
            let level = if is_trap { "10, load = the other one" } else { "10" };
            let own = format!("{}", scene.tilt_deg);
            compared(Question::WhichTilt, scene, &own, level, &lines)
        }
    }
}

fn faulty(trap: Trap, scene: &mut Scene, is_trap: bool) -> TestRecord {
    let mut label = scene.label();
    if is_trap {
        let fault = &mut scene.fault;
        match trap {
            Trap::SubstringOut | Trap::SubstringOutInRating => fault.substrings_out = scene.draws.one_of(&[1, 2]),
            Trap::HighResistance => fault.more_ohm = scene.draws.even(0.9, 2.0) * scene.kind.vmp_v / scene.kind.imp_a / 4.0,
            Trap::WeakCurrent => fault.amps_rel = scene.draws.even(0.4, 0.78),
            Trap::Shaded => fault.shaded = Some((1.0, scene.draws.even(0.1, 0.55))),
            _ => {
                let own = scene.kind;
                let others: Vec<Kind> =
                    kinds().into_iter().filter(|other| (other.voc_v / own.voc_v - 1.0).abs() > 0.12).collect();
                label = scene.draws.one_of(&others).label("3 %");
            }
        }
    }
    let mut record = scene.rating(Load::LoadTester, 60.0, 3, |scene, at| {
        format!("{} {} {} {}", scene.open_short(at), scene.v(at.best.v), scene.a(at.best.a), scene.weather(at))
    });
    record.panels[0].label = label;
    if trap != Trap::SubstringOutInRating && trap != Trap::Shaded {
        record.question = Question::UsedPanel;
    }
    record
}

fn both_sides(trap: Trap, scene: &mut Scene, is_trap: bool) -> TestRecord {
    let battery_v = scene.draws.even(12.6, 13.6);
    let efficiency = scene.draws.even(0.93, 0.98);
    let lines: Vec<Line> = [0, 1, 0]
        .into_iter()
        .enumerate()
        .map(|(nth, level)| {
            let at = scene.moment(120.0 * nth as f64);
            let is_odd = is_trap && level == 1;
            let typed = if is_odd && trap == Trap::NotTracking {
                // Held at the battery, where the curve is nearly flat.
                let a = scene.kind.short_a(at.poa_w_m2, at.cell_c, scene.fault) * 0.99;
                format!("{} {} out {} {}", scene.v(battery_v + 0.2), scene.a(a), scene.v(battery_v), scene.a(a * 0.99))
            } else {
                let factor = if is_odd { scene.draws.even(1.08, 1.3) } else { efficiency };
                let out_a = at.best.w() * factor / battery_v;
                format!("{} {} out {} {}", scene.v(at.best.v), scene.a(at.best.a), scene.v(battery_v), scene.a(out_a))
            };
            Line { run: Some(nth), unix_s: at.unix_s, typed, sky: Some(SkyNote::Clear) }
        })
        .collect();
    compared(Question::WhichController, scene, "the one", "the other", &lines)
}

fn misread(trap: Trap, scene: &mut Scene, is_trap: bool) -> TestRecord {
    if trap == Trap::SunImpossible && is_trap {
        scene.utc_h = 6.4;
        while sun(at_hour(scene.utc_h)).0 < 3.0 {
            scene.utc_h += 0.05;
        }
        scene.utc_h += scene.draws.even(0.0, 0.4);
    }
    if trap == Trap::Fahrenheit {
        scene.air_c = scene.draws.even(2.0, 18.0);
    }
    if trap == Trap::WeakSun && is_trap {
        scene.light_rel = scene.draws.even(0.3, 0.6);
    }
    let claimed_w_m2 = scene.draws.even(750.0, 1000.0);
    let coarse = trap == Trap::TooCoarse && is_trap;
    if coarse {
        scene.light_rel = 0.95;
        scene.amps.step = 1.0;
    }
    let mut record = scene.rating(Load::LoadTester, 60.0, 4, |scene, at| {
        let usual = scene.usual(at);
        if !is_trap {
            return usual;
        }
        match trap {
            Trap::SunImpossible => {
                let cell_c = scene.air_c + 0.03 * claimed_w_m2;
                let best = scene.kind.best(claimed_w_m2, cell_c, scene.fault);
                format!("{} {} {} {cell_c:.0} C", scene.v(best.v), scene.a(best.a), scene.light(claimed_w_m2))
            }
            Trap::Fahrenheit => {
                let f = scene.back_c(at) * 1.8 + 32.0;
                format!("{} {} {} {f:.0} C", scene.v(at.best.v), scene.a(at.best.a), scene.light(at.poa_w_m2))
            }
            Trap::AmpsAsMilliamps => {
                format!("{} {:.4} A {}", scene.v(at.best.v), at.best.a / 1000.0, scene.weather(at))
            }
            // A small panel's milliamps: the thousandth part of a panel on a display of mA.
            Trap::MilliampsAsAmps => format!("{} {:.0} A {}", scene.v(at.best.v), at.best.a, scene.weather(at)),
            Trap::TenthOfVolts => format!("{} {} {}", scene.v(at.best.v / 10.0), scene.a(at.best.a), scene.weather(at)),
            Trap::FlatSensor => {
                let back_c = scene.back_c(at);
                format!("{} {} {} {back_c:.1} C", scene.v(at.best.v), scene.a(at.best.a), scene.light(at.flat_w_m2))
            }
            _ => usual,
        }
    });
    if trap == Trap::RearLight && is_trap {
        record.panels[0].label.bifaciality = Some(0.7);
    }
    if trap == Trap::MilliampsAsAmps && is_trap {
        // The label is that of a panel of a thousandth of the amps.
        let label = &mut record.panels[0].label;
        let small = |of: Option<f64>| of.map(|amps| amps / 1000.0);
        (label.isc_a, label.imp_a, label.rated_w) =
            (small(label.isc_a), small(label.imp_a), label.rated_w.map(|rated_w| rated_w / 1000.0));
    }
    record
}
