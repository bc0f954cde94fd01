//! A panel at work: its true volts and amps at a moment, with its load and what may be wrong with it.

use super::sky::Clouds;
use crate::error::Error;
use crate::panel::label_point::LabelPoint;
use crate::panel::nameplate::Nameplate;
use crate::panel::temperature::faiman_c;
use crate::sky::course::{Moment, Site};
use crate::sky::plane::Plane;

/// What the panel works into.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Work {
    /// Sits at the peak, after a while. `hunts_rel` is how far it swings around it.
    Tracker {
        settle_s: f64,
        hunts_rel: f64,
    },
    /// Ties the panel to these volts.
    FixedVoltage {
        volts_v: f64,
    },
    Open,
    Short,
}

/// What is wrong with the panel, hidden from whoever measures it.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub enum Fault {
    #[default]
    None,
    /// One of three groups of cells is bypassed.
    SubstringOut,
    /// Dirt, or tired cells: this share of the current is left.
    WeakCurrent { left: f64 },
}

/// All that makes the true figures.
#[derive(Debug, Clone, PartialEq)]
pub struct Scene {
    pub site: Site,
    pub plane: Plane,
    pub nameplate: Nameplate,
    pub clouds: Clouds,
    pub work: Work,
    pub fault: Fault,
    /// Something upstream takes no more watts than these.
    pub cap_w: Option<f64>,
    /// When the load was connected, Unix seconds.
    pub connected_s: f64,
    pub air_c: f64,
    pub wind_m_s: f64,
}

/// What is really there.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Truth {
    pub poa_w_m2: f64,
    pub cell_c: f64,
    pub voltage_v: f64,
    pub current_a: f64,
}

impl Truth {
    pub fn power_w(&self) -> f64 {
        self.voltage_v * self.current_a
    }
}

/// Volts of a bypass diode that carries the current, from memory: 0.5 V for a Schottky diode.
const BYPASS_V: f64 = 0.5;

/// Thermal voltage of a module for each volt of its Voc, a round figure for silicon: Voc falls by this share at each e-fold less
/// light. Common practice, no source.
const LOG_LIGHT: f64 = 0.04;

impl Scene {
    /// The truth at a moment. `day_of_year` as in [`Moment::at`]. A label without volts or amps gives nothing but the light.
    pub fn at(&self, unix_s: f64, day_of_year: f64) -> Result<Truth, Error> {
        let clear_w_m2 = Moment::at(&self.site, unix_s, day_of_year)?.on(&self.plane).poa_w_m2;
        let poa_w_m2 = clear_w_m2 * self.clouds.share_at(unix_s);
        let cell_c = faiman_c(poa_w_m2, self.air_c, self.wind_m_s, 25.0, 6.84);
        let Some(point) = self.nameplate.label_point().filter(|_| poa_w_m2 > 1.0) else {
            return Ok(Truth { poa_w_m2, cell_c, ..Truth::default() });
        };
        let curve = Curve::of(&self.nameplate, &point, poa_w_m2, cell_c, self.fault);
        let (voltage_v, current_a) = match self.work {
            Work::Open => (curve.voc_v, 0.0),
            Work::Short => (0.0, curve.isc_a),
            Work::FixedVoltage { volts_v } => (volts_v.min(curve.voc_v), curve.current_a(volts_v)),
            Work::Tracker { settle_s, hunts_rel } => {
                // It comes from open circuit, and swings around the peak once it is there.
                let share = 1.0 - (-(unix_s - self.connected_s).max(0.0) / (settle_s / 4.0).max(1e-6)).exp();
                let swing = hunts_rel * (unix_s * 1.7).sin();
                let volts_v = curve.voc_v + (curve.peak_v() - curve.voc_v) * share.clamp(0.0, 1.0) * (1.0 - swing * 0.2);
                self.capped(&curve, volts_v)
            }
        };
        Ok(Truth { poa_w_m2, cell_c, voltage_v, current_a })
    }

    /// A tracker that may take no more moves up the curve until it does.
    fn capped(&self, curve: &Curve, volts_v: f64) -> (f64, f64) {
        let current_a = curve.current_a(volts_v);
        let Some(cap_w) = self.cap_w.filter(|cap_w| volts_v * current_a > *cap_w) else { return (volts_v, current_a) };
        let (mut low_v, mut high_v) = (curve.peak_v(), curve.voc_v);
        for _ in 0..60 {
            let middle_v = (low_v + high_v) / 2.0;
            if middle_v * curve.current_a(middle_v) > cap_w { low_v = middle_v } else { high_v = middle_v }
        }
        (high_v, cap_w / high_v)
    }
}

/// The explicit curve through the label's own three points: `I = Isc (1 - C1 (exp(V / (C2 Voc)) - 1))`.
///
/// Singer, Rozenshtein and Spaulding 1984, Characterization of PV array output using a small number of measured parameters,
/// Solar Energy 32, equations 4 to 6 (from memory).
struct Curve {
    voc_v: f64,
    isc_a: f64,
    c1: f64,
    c2: f64,
}

impl Curve {
    fn of(nameplate: &Nameplate, point: &LabelPoint, poa_w_m2: f64, cell_c: f64, fault: Fault) -> Self {
        let left = if let Fault::WeakCurrent { left } = fault { left } else { 1.0 };
        let light = poa_w_m2 / 1000.0;
        let warm_k = cell_c - 25.0;
        let out_v = if fault == Fault::SubstringOut { point.voc_v / 3.0 + BYPASS_V } else { 0.0 };
        let voc_v = (point.voc_v * (1.0 + nameplate.beta().per_k * warm_k + LOG_LIGHT * light.ln()) - out_v).max(0.1);
        let rest = (1.0 - point.imp_a / point.isc_a).clamp(1e-6, 0.5);
        let c2 = (point.vmp_v / point.voc_v - 1.0) / rest.ln();
        let c1 = rest * (-point.vmp_v / (c2 * point.voc_v)).exp();
        Curve { voc_v, isc_a: point.isc_a * light * (1.0 + nameplate.alpha().per_k * warm_k) * left, c1, c2 }
    }

    fn current_a(&self, volts_v: f64) -> f64 {
        (self.isc_a * (1.0 - self.c1 * ((volts_v / (self.c2 * self.voc_v)).exp() - 1.0))).clamp(0.0, self.isc_a)
    }

    /// By golden section: watts rise to one peak and fall.
    fn peak_v(&self) -> f64 {
        const GOLDEN: f64 = 0.618_033_988_749_895;
        let watts = |volts_v: f64| volts_v * self.current_a(volts_v);
        let (mut low_v, mut high_v) = (0.0, self.voc_v);
        for _ in 0..60 {
            let (a, b) = (high_v - GOLDEN * (high_v - low_v), low_v + GOLDEN * (high_v - low_v));
            if watts(a) > watts(b) { high_v = b } else { low_v = a }
        }
        (low_v + high_v) / 2.0
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::sky::place::Place;

    /// 2026-06-21 13:00 UTC over the workshop, near noon.
    const NOON_S: f64 = 1_782_046_800.0;

    fn scene() -> Scene {
        let nameplate = Nameplate {
            rated_w: Some(200.0),
            voc_v: Some(24.3),
            isc_a: Some(10.4),
            vmp_v: Some(20.4),
            imp_a: Some(9.81),
            ..Nameplate::default()
        };
        Scene {
            site: Site { place: Place::check(38.6, -7.9, 300.0).unwrap(), albedo: 0.2, linke_turbidity: 3.0, ..Site::default() },
            plane: Plane { tilt_deg: 20.0, azimuth_deg: 180.0 },
            nameplate,
            clouds: Clouds::NONE,
            work: Work::Tracker { settle_s: 15.0, hunts_rel: 0.0 },
            fault: Fault::None,
            cap_w: None,
            connected_s: NOON_S - 600.0,
            air_c: 25.0,
            wind_m_s: 2.0,
        }
    }

    #[test]
    fn at_stc_the_curve_gives_the_label_back() {
        let scene = scene();
        let point = scene.nameplate.label_point().unwrap();
        let curve = Curve::of(&scene.nameplate, &point, 1000.0, 25.0, Fault::None);
        let peak_w = curve.peak_v() * curve.current_a(curve.peak_v());
        assert!(
            (peak_w / 200.1 - 1.0).abs() < 0.01 && (curve.current_a(20.4) - 9.81).abs() < 0.001 && curve.current_a(24.3) < 0.01
        );
    }

    #[test]
    fn a_warm_panel_near_noon_gives_nine_tenths() {
        let truth = scene().at(NOON_S, 172.0).unwrap();
        assert!((900.0..1050.0).contains(&truth.poa_w_m2) && (45.0..60.0).contains(&truth.cell_c), "{truth:?}");
        assert!((175.0..195.0).contains(&truth.power_w()), "{truth:?}");
    }

    #[test]
    fn loads_faults_and_caps_show_as_they_do_outdoors() {
        let base = scene();
        let with = |change: &dyn Fn(&mut Scene)| {
            let mut scene = scene();
            change(&mut scene);
            scene.at(NOON_S, 172.0).unwrap()
        };
        let sound = base.at(NOON_S, 172.0).unwrap();
        let out = with(&|scene| scene.fault = Fault::SubstringOut);
        assert!((0.55..0.70).contains(&(out.power_w() / sound.power_w())), "{out:?}");
        let weak = with(&|scene| scene.fault = Fault::WeakCurrent { left: 0.8 });
        assert!((weak.power_w() / sound.power_w() - 0.8).abs() < 0.01);
        let capped = with(&|scene| scene.cap_w = Some(100.0));
        assert!((capped.power_w() - 100.0).abs() < 0.5 && capped.voltage_v > sound.voltage_v);
        let tied = with(&|scene| scene.work = Work::FixedVoltage { volts_v: 13.0 });
        assert!(tied.voltage_v == 13.0 && tied.power_w() < sound.power_w());
        let early = with(&|scene| scene.connected_s = NOON_S - 1.0);
        assert!(early.power_w() < 0.8 * sound.power_w());
        assert_eq!(with(&|scene| scene.work = Work::Short).voltage_v, 0.0);
        assert_eq!(base.at(NOON_S + 43_200.0, 172.0).unwrap().power_w(), 0.0, "at midnight");
    }
}
