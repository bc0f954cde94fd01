//! What a log shows, as words.

use crate::figures::{computed, number, percent, signed, unit};
use flindo_core::energy::log::clock::ClockCheck;
use flindo_core::energy::log::event::{Event, EventKind, Limit, ShownBy, Soiling};
use flindo_core::energy::log::named::LogFinding;
use flindo_core::energy::log::regress::{NoCoefficient, TemperatureCoefficient};
use flindo_core::load::operate::TrackingFinding;
use flindo_core::measure::quantity::Quantity;
use flindo_core::measure::series::Arrival;
use flindo_core::measure::series::suspect::{Suspect, SuspectKind};

/// The short word of an event's band.
pub fn word(kind: EventKind) -> &'static str {
    match kind {
        EventKind::Clear => "clear",
        EventKind::Cloud => "clouds",
        EventKind::Shade => "shade",
        EventKind::Clipping => "clipping",
        EventKind::Throttled => "battery full",
        EventKind::Wake => "start",
        EventKind::Sleep => "stop",
        EventKind::Asleep => "off",
        EventKind::Hunting => "hunting",
        EventKind::Snow => "snow",
        EventKind::Gap => "no samples",
    }
}

/// The figure that shows an event.
pub fn shown_by(event: &Event) -> String {
    match event.shown_by {
        ShownBy::ShareOfClear(share) => format!("{} of a clear sky", percent(share)),
        ShownBy::FlatTop { quantity, level, sky_over_percent, limit } => {
            let level = computed(level, unit(quantity));
            let limit = match limit {
                Limit::ControllerAmps => ", the controller\u{2019}s maximum battery current,",
                Limit::Watts => ", the limit of the input,",
                Limit::NotKnown => "",
            };
            format!("flat at {level}{limit} while the sky allows up to {} more", percent(sky_over_percent))
        }
        ShownBy::ChargeVolts { volts_v, limit_known } => {
            let limit = if limit_known { "the battery\u{2019}s charge limit" } else { "the highest of the day" };
            format!("output held at {} ({limit}) while the power falls", computed(volts_v, "V"))
        }
        ShownBy::Volts(Some(volts_v)) => format!("panel at {}", computed(volts_v, "V")),
        ShownBy::Volts(None) | ShownBy::Nothing => String::new(),
        ShownBy::SunAt { from_deg, to_deg, days } => {
            format!("sun at azimuth {} to {}\u{b0}, on {days} days", number(from_deg, 0), number(to_deg, 0))
        }
        ShownBy::Swing(swing) => format!("swings by {} of the power, evenly", percent(swing)),
        ShownBy::Snow { light_w_m2, air_c } => {
            let light = light_w_m2.map(|light| format!("irradiance beside it {}", computed(light, "W/m\u{b2}")));
            let air = air_c.map(|air| format!("air at {}", computed(air, "\u{b0}C")));
            [light, air].into_iter().flatten().collect::<Vec<_>>().join(", ")
        }
    }
}

/// Why the energy is not all that it could be said to be: how samples came.
pub fn arrival(quantity: Quantity, arrival: &Arrival) -> String {
    let mut parts = Vec::new();
    let mut part = |count: usize, words: &str| {
        if count > 0 {
            parts.push(format!("{count} {words}"));
        }
    };
    part(arrival.disordered, "out of order (sorted)");
    part(arrival.duplicates, "duplicated (counted once)");
    part(arrival.conflicts, "with a second value at the same time (mean taken)");
    part(arrival.not_numbers, "not a number (left out)");
    format!("Samples of {}: {}.", quantity.label(), parts.join(", "))
}

pub fn suspect(one: &Suspect, at: &str) -> String {
    let effect = computed(one.effect, "Wh");
    match one.kind {
        SuspectKind::Spike => {
            format!("A spike at {at} ({} samples) changes the energy by up to {effect}. It is kept.", one.samples)
        }
        SuspectKind::Stuck => {
            format!("From {at} on, {} samples repeat one figure: up to {effect} of the energy are in doubt.", one.samples)
        }
    }
}

/// A finding as a sentence; `at` says a time.
pub fn named(finding: &LogFinding, check: Option<&ClockCheck>, at: impl Fn(f64) -> String) -> String {
    match finding {
        LogFinding::Gap { hours, most_wh } => format!(
            "{} h of light without samples could hold up to {}: the interval of the energy includes it.",
            number(*hours, 1),
            computed(*most_wh, "Wh")
        ),
        LogFinding::CounterReset { at_s, uncounted_wh } => {
            let lost = if uncounted_wh.is_finite() {
                format!("up to {}", computed(*uncounted_wh, "Wh"))
            } else {
                "an unknown amount".to_owned()
            };
            format!("The meter\u{2019}s counter went back to zero before {}: {lost} is not counted.", at(*at_s))
        }
        LogFinding::ClockWrong { .. } => check.map(clock).unwrap_or_default(),
        LogFinding::WattsOfAnother { times } => format!(
            "The watts are {} times what the panel\u{2019}s label gives in this light: a column in another unit, another panel, or one \
             without output. Set the unit under the file, or the panel under the log.",
            by_digits(*times)
        ),
        LogFinding::CounterDisagrees { counter_wh, watts_wh } => format!(
            "The log\u{2019}s own counter went {}, its watts come to {}: one of the two columns is of another unit or another device.",
            computed(*counter_wh, "Wh"),
            computed(*watts_wh, "Wh")
        ),
    }
}

/// Two digits, whatever the size: 0.0010, 2.4, 1000.
fn by_digits(times: f64) -> String {
    let decimals = (1 - times.abs().max(1e-9).log10().floor() as i32).max(0);
    number(times, decimals as usize)
}

/// What the sun says of the logger's clock.
fn clock(check: &ClockCheck) -> String {
    let minutes = check.ahead_s / 60.0;
    let side = if minutes > 0.0 { "ahead of" } else { "behind" };
    let off = match check.whole_hours() {
        Some(hours) => {
            let hours = hours.unsigned_abs();
            let word = if hours == 1 { "hour" } else { "hours" };
            format!("{hours} {word} {side} the sun: daylight saving time or another time zone")
        }
        None => format!("{} minutes {side} the sun", number(minutes.abs(), 0)),
    };
    let gains =
        check.gains_s_per_day.filter(|gains| gains.abs() > 20.0).map(|gains| format!("; it gains {} s a day", signed(gains, 0)));
    format!(
        "The clock of the logger is {off} (\u{b1} {} min, by {} day{}){}.",
        number(check.u_s / 60.0, 0),
        check.days,
        if check.days == 1 { "" } else { "s" },
        gains.unwrap_or_default()
    )
}

pub fn soiling(soiling: &Soiling) -> String {
    let trend = format!(
        "{} \u{b1} {} % a day over {} clear days",
        signed(soiling.percent_per_day, 2),
        number(soiling.u_percent_per_day, 2),
        soiling.days
    );
    if soiling.is_shown() {
        format!("The output falls by {trend}: soiling, or ageing of the meter.")
    } else {
        format!("No soiling shown: {trend}.")
    }
}

pub fn coefficient(found: &Result<TemperatureCoefficient, NoCoefficient>, label_percent_per_k: Option<f64>) -> String {
    match found {
        Ok(found) => {
            let u = (found.percent_per_k.high - found.percent_per_k.low) / 2.0;
            let label = label_percent_per_k.map(|label| {
                let agrees = (found.percent_per_k.low..=found.percent_per_k.high).contains(&label);
                format!("; the label\u{2019}s {} %/K {}", signed(label, 2), if agrees { "agrees" } else { "does not agree" })
            });
            format!(
                "{} \u{b1} {} %/K over cells of {} to {} ({} to {} at 1000 W/m\u{b2}){}.",
                signed(found.percent_per_k.value, 2),
                number(u, 2),
                computed(found.cell_c.0, "\u{b0}C"),
                computed(found.cell_c.1, "\u{b0}C"),
                computed(found.watts_w.0, "W"),
                computed(found.watts_w.1, "W"),
                label.unwrap_or_default()
            )
        }
        Err(NoCoefficient::TooFewMinutes(minutes)) => {
            format!("Can\u{2019}t tell: {minutes} minutes of steady sun over 500 W/m\u{b2}; 20 are needed.")
        }
        Err(NoCoefficient::TooLittleWarming { span_k }) => {
            format!("Can\u{2019}t tell: the cells warmed by {} K; 5 K are needed.", number(*span_k, 1))
        }
        Err(NoCoefficient::TooMuchScatter { u_percent_per_k }) => {
            format!("Can\u{2019}t tell: the power scatters too much (\u{b1} {} %/K).", number(*u_percent_per_k, 2))
        }
    }
}

/// Tracking or not, by the volts of both sides.
pub fn tracking(found: TrackingFinding) -> Option<&'static str> {
    match found {
        TrackingFinding::Tracking { .. } => {
            Some("The controller tracks: panel well above the battery\u{2019}s voltage, more current out than in.")
        }
        TrackingFinding::NotTracking { .. } => {
            Some("The controller does not track: panel held at the battery\u{2019}s voltage, current passed through.")
        }
        TrackingFinding::Standby
        | TrackingFinding::Clipped
        | TrackingFinding::Throttled { .. }
        | TrackingFinding::Impossible { .. }
        | TrackingFinding::Unclear { .. } => None,
    }
}
