//! Series or parallel, as sentences.

use crate::figures::{number, percent, rough};
use flindo_core::array::ArrayWiring;
use flindo_core::load::day::Day;
use flindo_core::load::operate::ControllerState;
use flindo_core::load::series_parallel::{BothWays, WiringPreference};

pub fn way(way: ArrayWiring) -> &'static str {
    match way {
        ArrayWiring::Series => "series",
        ArrayWiring::Parallel => "parallel",
        ArrayWiring::StringsOfTwo => "strings of two",
    }
}

pub fn state(state: ControllerState) -> &'static str {
    match state {
        ControllerState::Working => "working",
        ControllerState::Limited => "at its limit",
        ControllerState::NotStarting => "not starting: voltage too low",
        ControllerState::OverVolts => "not allowed: above input rating",
    }
}

/// Who wins under one shade.
pub fn wins(both: &BothWays) -> String {
    let Some(better) = both.winner() else {
        return "Under this shade series and parallel give the same power.".to_owned();
    };
    let (most, least) = if better == ArrayWiring::Series { (both.series, both.parallel) } else { (both.parallel, both.series) };
    let other = if better == ArrayWiring::Series { "parallel" } else { "series" };
    match least.state {
        ControllerState::OverVolts => {
            format!("Only {} is possible: in {other} the voltage is above the input rating of the controller.", way(better))
        }
        ControllerState::NotStarting => {
            format!("Only {} is possible: in {other} the voltage is too low for the controller to start.", way(better))
        }
        ControllerState::Working | ControllerState::Limited => format!(
            "Under this shade {} gives {} more: {} against {}.",
            way(better),
            percent((most.watts_w / least.watts_w.max(1e-9) - 1.0) * 100.0),
            rough(most.watts_w, "W"),
            rough(least.watts_w, "W")
        ),
    }
}

/// Which wiring gives more and where that changes. `from`: the word before each place.
pub fn break_even(lead: &WiringPreference, from: &str, place: impl Fn(f64) -> String) -> String {
    let Some(first) = lead.first else { return "Series and parallel differ by less than 0.5 %.".to_owned() };
    let name = |text: &str| {
        let mut letters = text.chars();
        letters.next().map(|first| first.to_uppercase().chain(letters).collect::<String>()).unwrap_or_default()
    };
    match lead.break_even.as_slice() {
        [] => format!("{} gives more throughout.", name(way(first))),
        turns => {
            let then: Vec<String> = turns.iter().map(|(at, to)| format!("{from} {} {}", place(*at), way(*to))).collect();
            format!("{} gives more at first, {}.", name(way(first)), then.join(", "))
        }
    }
}

/// What a day of a passing shadow costs.
pub fn day(day: &Day) -> String {
    let [clear, series, parallel] = day.kwh;
    let cost = |kwh: f64| percent((1.0 - kwh / clear) * 100.0);
    if day.is_over_volts == [true, true] {
        "Neither wiring may be connected: the voltage is above the input rating of the controller.".to_owned()
    } else if clear < 1e-6 {
        "No output that day: no irradiance on this plane, or the controller does not start.".to_owned()
    } else if series > 0.9995 * clear && parallel > 0.9995 * clear {
        "The shadow does not fall on the panels that day.".to_owned()
    } else if (series / parallel - 1.0).abs() < 0.005 {
        format!("The shadow costs {} of the day, in series as in parallel.", cost(series))
    } else {
        let (better, one, worse) = if series > parallel { ("series", series, parallel) } else { ("parallel", parallel, series) };
        format!(
            "In {better} the shadow costs {} of the day, in the other wiring {}. Wire them in {better} for this shadow.",
            cost(one),
            cost(worse)
        )
    }
}

/// What a controller cannot use of a day.
pub fn limits_of_day(day: &Day, name: &str) -> Vec<String> {
    let mut told = Vec::new();
    for (nth, way) in ["series", "parallel"].into_iter().enumerate() {
        if day.is_over_volts[nth] {
            told.push(format!("In {way} the voltage is above the input rating of {name}: it must not be connected."));
        }
        let hours = |hours: f64| format!("{}\u{a0}h", number(hours, 1));
        if day.not_starting_h[nth] > 0.0 {
            told.push(format!("In {way} {name} does not start for {}: voltage too low.", hours(day.not_starting_h[nth])));
        }
        if day.limited_h[nth] > 0.0 {
            told.push(format!("In {way} {name} is at its limit for {}.", hours(day.limited_h[nth])));
        }
    }
    told
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_lead_is_told_from_place_to_place() {
        let lead = WiringPreference {
            first: Some(ArrayWiring::Parallel),
            break_even: vec![(0.15, ArrayWiring::Series), (0.6, ArrayWiring::Parallel)],
        };
        let place = |share: f64| format!("{} %", number(share * 100.0, 0));
        assert_eq!(break_even(&lead, "from", place), "Parallel gives more at first, from 15 % series, from 60 % parallel.");
        assert_eq!(
            break_even(&WiringPreference { break_even: Vec::new(), ..lead }, "from", place),
            "Parallel gives more throughout."
        );
        assert_eq!(break_even(&WiringPreference::default(), "from", place), "Series and parallel differ by less than 0.5 %.");
    }
}
