//! What to expect at each point of a rig: in the sun, at the most, and in the cold.

use super::{MeterPosition, Module, Rig, Sink};
use crate::gear::battery::{charging_v, resting_v};
use crate::panel::temperature::{USUAL_NOCT_C, cell_from_air_c};

/// Volts, amps and watts at one point.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Expected {
    /// Open circuit on the coldest morning, V: what everything has to stand.
    pub cold_voc_v: f64,
    /// Open circuit at STC, V: what is there on a cool day before anything is plugged.
    pub voc_v: f64,
    /// Under load in full sun and the greatest heat, V.
    pub hot_vmp_v: f64,
    /// Under load at STC.
    pub vmp_v: f64,
    pub imp_a: f64,
    /// Short circuit in full sun, A.
    pub isc_a: f64,
    pub watts_w: f64,
    /// A label lacks a figure, and a usual one stands in.
    pub is_assumed: bool,
}

/// The sunniest light that is planned for, W/m2.
const FULL_SUN_W_M2: f64 = 1000.0;

/// NEC 2020, 690.8(A)(1): currents are planned for at 1.25 times Isc, because light is at times stronger than at STC.
pub const BRIGHT_LIGHT_FACTOR: f64 = 1.25;

/// NEC 2020, 690.8(B): what carries it for hours is sized for 1.25 times that again.
pub const CONTINUOUS_FACTOR: f64 = 1.25;

/// A string: volts add up; the weakest panel sets the working current, and the strongest one the current of a short.
pub fn string(modules: &[Module], coldest_c: f64, hottest_c: f64) -> Option<Expected> {
    let mut sum = Expected {
        cold_voc_v: 0.0,
        voc_v: 0.0,
        hot_vmp_v: 0.0,
        vmp_v: 0.0,
        imp_a: f64::INFINITY,
        isc_a: 0.0,
        watts_w: 0.0,
        is_assumed: false,
    };
    for module in modules {
        let label = &module.nameplate;
        let point = label.label_point()?;
        let noct_c = label.noct_c.unwrap_or(USUAL_NOCT_C);
        let hot_cell_c = cell_from_air_c(hottest_c, FULL_SUN_W_M2, noct_c, None);
        sum.cold_voc_v += label.cold_voc_v(&point, coldest_c);
        sum.voc_v += point.voc_v;
        // Vmp falls with cell temperature by nearly the volts that Voc falls by; its relative coefficient is that of Pmax less that of Isc.
        sum.hot_vmp_v += point.vmp_v * (1.0 + (label.gamma().per_k - label.alpha().per_k) * (hot_cell_c - 25.0)).max(0.1);
        sum.vmp_v += point.vmp_v;
        sum.imp_a = sum.imp_a.min(point.imp_a);
        sum.isc_a = sum.isc_a.max(point.isc_a);
        sum.is_assumed |= point.is_assumed;
    }
    sum.watts_w = sum.vmp_v * sum.imp_a;
    (!modules.is_empty()).then_some(sum)
}

/// All strings together: currents add up; the lowest working volts count, and the highest open ones.
pub fn array(rig: &Rig) -> Option<Expected> {
    let strings: Vec<Expected> =
        rig.strings.iter().map(|modules| string(modules, rig.coldest_c, rig.hottest_c)).collect::<Option<_>>()?;
    strings.into_iter().reduce(|a, b| {
        let (vmp_v, imp_a) = (a.vmp_v.min(b.vmp_v), a.imp_a + b.imp_a);
        Expected {
            cold_voc_v: a.cold_voc_v.max(b.cold_voc_v),
            voc_v: a.voc_v.max(b.voc_v),
            hot_vmp_v: a.hot_vmp_v.min(b.hot_vmp_v),
            vmp_v,
            imp_a,
            isc_a: a.isc_a + b.isc_a,
            watts_w: vmp_v * imp_a,
            is_assumed: a.is_assumed || b.is_assumed,
        }
    })
}

/// Between controller and battery.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct AtBattery {
    pub charging_v: f64,
    /// After the controller's own limits.
    pub amps_a: f64,
    /// Before them.
    pub offered_a: f64,
    pub watts_w: f64,
}

/// What reaches the battery; `None` without one.
pub fn battery(rig: &Rig) -> Option<AtBattery> {
    let Sink::Controller { controller, battery: Some(battery), .. } = &rig.sink else { return None };
    let array = array(rig)?;
    let charging_v = charging_v(battery.nominal_v);
    let offered_a = if controller.tracking {
        array.watts_w.min(controller.max_input_w.unwrap_or(f64::INFINITY)) * controller.efficiency / charging_v
    } else if array.vmp_v > resting_v(battery.nominal_v) {
        array.imp_a
    } else {
        0.0
    };
    let amps_a = offered_a.min(controller.max_battery_a.unwrap_or(f64::INFINITY));
    Some(AtBattery { charging_v, amps_a, offered_a, watts_w: amps_a * charging_v })
}

/// What is there at a spot; `None` where no current runs, or no label says.
pub fn at(rig: &Rig, spot: MeterPosition) -> Option<Expected> {
    match spot {
        MeterPosition::Plane => None,
        MeterPosition::Array => array(rig),
        MeterPosition::String => rig
            .strings
            .iter()
            .filter_map(|modules| string(modules, rig.coldest_c, rig.hottest_c))
            .max_by(|a, b| a.cold_voc_v.total_cmp(&b.cold_voc_v)),
        MeterPosition::Battery => {
            let battery = battery(rig)?;
            Some(Expected {
                cold_voc_v: battery.charging_v,
                voc_v: battery.charging_v,
                hot_vmp_v: battery.charging_v,
                vmp_v: battery.charging_v,
                imp_a: battery.amps_a,
                isc_a: battery.amps_a,
                watts_w: battery.watts_w,
                is_assumed: false,
            })
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::panel::nameplate::Nameplate;
    use proptest::prelude::*;

    fn module(voc_v: f64, isc_a: f64) -> Module {
        let nameplate = Nameplate {
            rated_w: Some(voc_v * 0.82 * isc_a * 0.94),
            voc_v: Some(voc_v),
            isc_a: Some(isc_a),
            ..Nameplate::default()
        };
        Module { tag: "A".into(), nameplate, wear: Vec::new() }
    }

    fn rig(strings: Vec<Vec<Module>>) -> Rig {
        Rig {
            strings,
            string_fuse: None,
            joint: None,
            lead: None,
            sink: Sink::Open,
            meters: Vec::new(),
            coldest_c: -5.0,
            hottest_c: 35.0,
        }
    }

    /// Common practice, no source: three panels of about 38 V in series are 113 V.
    #[test]
    fn three_panels_of_about_38_volts_in_series_are_113_volts() {
        let three = array(&rig(vec![vec![module(37.7, 9.0), module(37.7, 9.0), module(37.7, 9.0)]])).unwrap();
        assert!((three.voc_v - 113.1).abs() < 1e-9 && (three.cold_voc_v - 113.1 * 1.12).abs() < 1e-9);
        assert!(three.hot_vmp_v < three.vmp_v && three.isc_a == 9.0);
    }

    /// By hand: 35 C of air and 1,000 W/m2 at a NOCT of 45 C are 66.25 C; of monocrystalline cells 1 - (0.0038 + 0.0005) 41.25 is left.
    #[test]
    fn volts_at_the_maximum_fall_by_the_coefficients_of_power_and_of_amps() {
        let nameplate = Nameplate { noct_c: Some(45.0), ..module(37.7, 9.0).nameplate };
        let one = array(&rig(vec![vec![Module { nameplate, ..module(37.7, 9.0) }]])).unwrap();
        assert!((one.hot_vmp_v / one.vmp_v - (1.0 - 0.0043 * 41.25)).abs() < 1e-6, "{}", one.hot_vmp_v / one.vmp_v);
    }

    /// What one label lacks makes the whole assumed, wherever it hangs.
    #[test]
    fn one_assumed_label_makes_the_array_assumed() {
        let assumed = module(37.7, 9.0);
        let nameplate = Nameplate { vmp_v: Some(30.9), imp_a: Some(8.46), ..assumed.nameplate.clone() };
        let whole = Module { nameplate, ..assumed.clone() };
        let is_assumed = |strings: Vec<Vec<&Module>>| {
            let strings = strings.into_iter().map(|string| string.into_iter().cloned().collect()).collect();
            array(&rig(strings)).unwrap().is_assumed
        };
        assert!(!is_assumed(vec![vec![&whole, &whole], vec![&whole]]));
        for strings in [
            vec![vec![&assumed, &whole]],
            vec![vec![&whole, &assumed]],
            vec![vec![&assumed], vec![&whole]],
            vec![vec![&whole], vec![&assumed]],
        ] {
            assert!(is_assumed(strings));
        }
    }

    #[test]
    fn a_label_with_watts_alone_says_nothing_of_volts() {
        let silent =
            Module { tag: "A".into(), nameplate: Nameplate { rated_w: Some(100.0), ..Nameplate::default() }, wear: Vec::new() };
        assert_eq!(array(&rig(vec![vec![silent]])), None);
    }

    proptest! {
        #[test]
        fn series_adds_volts_and_parallel_adds_amps(voc_v in 5.0..60.0, isc_a in 0.5..20.0, count in 1_usize..6) {
            let one = array(&rig(vec![vec![module(voc_v, isc_a)]])).unwrap();
            let n = count as f64;
            let series = array(&rig(vec![vec![module(voc_v, isc_a); count]])).unwrap();
            let parallel = array(&rig(vec![vec![module(voc_v, isc_a)]; count])).unwrap();
            prop_assert!((series.cold_voc_v - n * one.cold_voc_v).abs() < 1e-9 && series.isc_a == one.isc_a);
            prop_assert!((parallel.isc_a - n * one.isc_a).abs() < 1e-9 && parallel.cold_voc_v == one.cold_voc_v);
            prop_assert!((series.watts_w - parallel.watts_w).abs() < 1e-6);
        }
    }
}
