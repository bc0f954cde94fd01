//! What a controller gets out of a day, in series and in parallel, from morning to evening.

use super::operate::ControllerState;
use super::series_parallel::{Converter, Delivered, WiringPreference, wiring_preference};
use crate::array::moving_shadow::Now;
use crate::array::{Array, ArrayWiring};
use crate::error::Error;
use crate::panel::curve::Curve;

/// A day of one array.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Day {
    /// Unix seconds and watts: without the shadow, in series, in parallel.
    pub course: Vec<(f64, [f64; 3])>,
    /// kWh of the three.
    pub kwh: [f64; 3],
    /// Hours in series and in parallel that the taker sleeps while the sun is on the panels, and that it is at its limit.
    pub not_starting_h: [f64; 2],
    pub limited_h: [f64; 2],
    /// In series and in parallel: at some moment there are more volts than the input stands.
    pub is_over_volts: [bool; 2],
    /// Who is ahead, and from when on (Unix seconds).
    pub lead: WiringPreference,
}

/// The day from its moments, each standing for `step_s`. Without the shadow the better way of the two counts.
pub fn day(moments: &[Now], step_s: f64, lead_ohm: f64, taker: &Converter<'_>) -> Result<Day, Error> {
    const WAYS: [ArrayWiring; 2] = [ArrayWiring::Series, ArrayWiring::Parallel];
    let mut day = Day::default();
    // Whether a controller runs already depends on what was before.
    let (mut clear_runs, mut runs) = ([false; 2], [false; 2]);
    for now in moments {
        let array = Array { lead_ohm, ..now.array.clone() };
        let is_shaded = array.panels.iter().any(|(_, shares)| shares.iter().any(|share| *share < 0.999));
        // Both ways are of the same panels in the same light.
        let unshaded = array.without_shade()?;
        let shaded = if is_shaded { Some(array.lit()?) } else { None };
        let mut watts_w = [0.0; 3];
        for (nth, way) in WAYS.into_iter().enumerate() {
            let lengths = array.lengths(way);
            let clear = unshaded.in_strings(&lengths)?;
            let in_clear = take(taker, clear.curve(), &mut clear_runs[nth]);
            let shaded = shaded.as_ref().map(|shaded| shaded.in_strings(&lengths)).transpose()?;
            let got = take(taker, shaded.as_ref().unwrap_or(&clear).curve(), &mut runs[nth]);
            watts_w[0] = in_clear.watts_w.max(watts_w[0]);
            watts_w[nth + 1] = got.watts_w;
            match got.state {
                ControllerState::NotStarting => day.not_starting_h[nth] += step_s / 3600.0,
                ControllerState::Limited => day.limited_h[nth] += step_s / 3600.0,
                ControllerState::OverVolts => day.is_over_volts[nth] = true,
                ControllerState::Working => {}
            }
        }
        day.course.push((now.unix_s, watts_w));
    }
    // What destroys the controller at one moment gives nothing at any.
    for (_, watts_w) in &mut day.course {
        for (nth, _) in day.is_over_volts.iter().enumerate().filter(|(_, is_over)| **is_over) {
            watts_w[nth + 1] = 0.0;
        }
        for (sum, watts) in day.kwh.iter_mut().zip(watts_w) {
            *sum += *watts * step_s / 3_600_000.0;
        }
    }
    let course: Vec<(f64, f64, f64)> =
        day.course.iter().map(|(unix_s, [_, series, parallel])| (*unix_s, *series, *parallel)).collect();
    day.lead = wiring_preference(&course);
    Ok(day)
}

fn take(taker: &Converter<'_>, curve: &Curve, is_running: &mut bool) -> Delivered {
    let got = taker.takes(curve, *is_running);
    *is_running = matches!(got.state, ControllerState::Working | ControllerState::Limited);
    got
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::gear::controller::Controller;
    use crate::gear::{Gear, GearKind, Typed};
    use crate::load::operate::Charger;
    use crate::panel::example::saffron;

    /// Two 36-cell panels; in the morning a group of the first lies in shade, in the afternoon the whole of it.
    fn moments() -> Vec<Now> {
        let panel = saffron();
        let mut group = vec![1.0; 36];
        group[0] = 0.1;
        let light = [(100.0, &group), (600.0, &group), (900.0, &group), (600.0, &vec![0.1; 36]), (100.0, &vec![0.1; 36])];
        let array = |poa_w_m2: f64, shares: &Vec<f64>| Array {
            panels: vec![(panel.clone(), shares.clone()), (panel.clone(), Vec::new())],
            poa_w_m2,
            cell_c: 40.0,
            lead_ohm: 0.0,
            is_blocked: false,
        };
        (0_u32..)
            .zip(light)
            .map(|(hour, (poa, shares))| Now { unix_s: f64::from(hour) * 3600.0, array: array(poa, shares) })
            .collect()
    }

    #[test]
    fn the_lead_turns_when_the_shade_does() {
        let found = day(&moments(), 3600.0, 0.0, &Converter::Ideal).unwrap();
        assert!(found.kwh[1] < found.kwh[0] && found.kwh[2] < found.kwh[0] && found.kwh[1] > 0.3 * found.kwh[0], "{found:?}");
        // By hand: five hours of the watts of their course.
        for (nth, kwh) in found.kwh.iter().enumerate() {
            let watt_hours: f64 = found.course.iter().map(|(_, watts_w)| watts_w[nth]).sum();
            assert!((kwh - watt_hours / 1000.0).abs() < 1e-12 && *kwh > 0.1, "{kwh} {watt_hours}");
        }
        assert_eq!(found.lead.first, Some(ArrayWiring::Series));
        assert!(
            matches!(found.lead.break_even[..], [(at_s, ArrayWiring::Parallel)] if (7200.0..10_800.0).contains(&at_s)),
            "{:?}",
            found.lead
        );
        let with_lead = day(&moments(), 3600.0, 0.5, &Converter::Ideal).unwrap();
        assert!(found.kwh[2] - with_lead.kwh[2] > found.kwh[1] - with_lead.kwh[1], "more amps lose more in the lead");
    }

    /// A 24 V battery: parallel never starts, and the hours it sleeps are counted.
    #[test]
    fn what_a_controller_cannot_use_is_told() {
        let fields = [("max_input_v", "100"), ("max_battery_a", "8")];
        let typed: Typed = fields.iter().map(|(name, text)| ((*name).to_owned(), (*text).to_owned())).collect();
        let Ok(Gear::Controller(controller)) = GearKind::Controller.check(&typed) else { panic!("a controller") };
        let charger =
            |battery_v| Converter::Through(Charger { controller: &controller, battery_v, accepts_a: 100.0, is_global: true });
        let high = day(&moments(), 3600.0, 0.0, &charger(26.0)).unwrap();
        assert!(high.kwh[2] == 0.0 && high.not_starting_h[1] == 5.0 && high.not_starting_h[0] < 3.0, "{high:?}");
        let little = Controller { max_input_v: Some(45.0), ..controller.clone() };
        let taker = Converter::Through(Charger { controller: &little, battery_v: 13.0, accepts_a: 100.0, is_global: true });
        let over = day(&moments(), 3600.0, 0.0, &taker).unwrap();
        assert!(over.is_over_volts == [true, false] && over.kwh[1] == 0.0 && over.kwh[2] > 0.0, "{over:?}");
        assert!(over.lead.first == Some(ArrayWiring::Parallel) && over.lead.break_even.is_empty());
        let low = day(&moments(), 3600.0, 0.0, &charger(13.0)).unwrap();
        assert!(low.limited_h[0] >= 2.0, "8 A at 13 V are 104 W: {low:?}");
    }
}
