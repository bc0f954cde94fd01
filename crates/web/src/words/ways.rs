//! Series or parallel, as sentences.

use crate::figures::{number, percent, rough};
use flindo_core::array::Way;
use flindo_core::load::day::Day;
use flindo_core::load::operate::State;
use flindo_core::load::ways::{BothWays, Lead};

pub fn way(way: Way) -> &'static str {
    match way {
        Way::Series => "series",
        Way::Parallel => "parallel",
        Way::StringsOfTwo => "strings of two",
    }
}

pub fn state(state: State) -> &'static str {
    match state {
        State::Working => "working",
        State::Limited => "at its limit",
        State::Asleep => "asleep: too few volts",
        State::OverVolts => "must not: too many volts",
    }
}

/// Who wins under one shade.
pub fn wins(both: &BothWays) -> String {
    let Some(better) = both.winner() else {
        return "Under this shade series and parallel give the same.".to_owned();
    };
    let (most, least) = if better == Way::Series { (both.series, both.parallel) } else { (both.parallel, both.series) };
    let other = if better == Way::Series { "parallel" } else { "series" };
    match least.state {
        State::OverVolts => format!("Only {} will do: {other} brings more volts than the controller stands.", way(better)),
        State::Asleep => format!(
            "Only {} will do: in {other} the panels do not rise far enough above the battery, and the controller sleeps.",
            way(better)
        ),
        State::Working | State::Limited => format!(
            "Under this shade {} gives {} more: {} against {}.",
            way(better),
            percent((most.watts_w / least.watts_w.max(1e-9) - 1.0) * 100.0),
            rough(most.watts_w, "W"),
            rough(least.watts_w, "W")
        ),
    }
}

/// Who is ahead and where that turns. `from`: the word before each place.
pub fn turns(lead: &Lead, from: &str, place: impl Fn(f64) -> String) -> String {
    let Some(first) = lead.first else { return "Neither is ahead by more than a hair.".to_owned() };
    let name = |text: &str| {
        let mut letters = text.chars();
        letters.next().map(|first| first.to_uppercase().chain(letters).collect::<String>()).unwrap_or_default()
    };
    match lead.turns.as_slice() {
        [] => format!("{} is ahead throughout.", name(way(first))),
        turns => {
            let then: Vec<String> = turns.iter().map(|(at, to)| format!("{from} {} {}", place(*at), way(*to))).collect();
            format!("{} is ahead at first, {}.", name(way(first)), then.join(", "))
        }
    }
}

/// What a day of a passing shadow costs.
pub fn day(day: &Day) -> String {
    let [clear, series, parallel] = day.kwh;
    let cost = |kwh: f64| percent((1.0 - kwh / clear) * 100.0);
    if day.is_over_volts == [true, true] {
        "Neither way may be connected: the panels bring more volts than the controller stands.".to_owned()
    } else if clear < 1e-6 {
        "Nothing comes of that day: the sun does not reach this plane, or the controller never starts.".to_owned()
    } else if series > 0.9995 * clear && parallel > 0.9995 * clear {
        "The shadow never falls on the panels that day.".to_owned()
    } else if (series / parallel - 1.0).abs() < 0.005 {
        format!("The shadow costs {} of the day, in series as in parallel.", cost(series))
    } else {
        let (better, one, worse) = if series > parallel { ("series", series, parallel) } else { ("parallel", parallel, series) };
        format!(
            "In {better} the day gives most: {} less than it could, and {} less the other way. Wire them in {better} for this shadow.",
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
            told.push(format!("In {way} the panels bring more volts than {name} stands: it must not be connected."));
        }
        let hours = |hours: f64| format!("{}\u{a0}h", number(hours, 1));
        if day.asleep_h[nth] > 0.0 {
            told.push(format!(
                "In {way} {name} sleeps {} of the sun: too few volts above the battery.",
                hours(day.asleep_h[nth])
            ));
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
        let lead = Lead { first: Some(Way::Parallel), turns: vec![(0.15, Way::Series), (0.6, Way::Parallel)] };
        let place = |share: f64| format!("{} %", number(share * 100.0, 0));
        assert_eq!(turns(&lead, "from", place), "Parallel is ahead at first, from 15 % series, from 60 % parallel.");
        assert_eq!(turns(&Lead { turns: Vec::new(), ..lead }, "from", place), "Parallel is ahead throughout.");
        assert_eq!(turns(&Lead::default(), "from", place), "Neither is ahead by more than a hair.");
    }
}
