//! What a day of a log comes to, in words and figures.

use crate::day::timestamp;
use crate::error::AppError;
use crate::figures::{between, clock, clock_short, computed, number as plain, percent, stretch, with_u};
use crate::pages::measure::log_chart::class;
use crate::words;
use flindo_core::energy::log::assess::LogAssessment;
use flindo_core::energy::log::event::Event;
use flindo_core::energy::log::regress::Band;
use flindo_core::energy::log::sums::Sums;
use flindo_core::measure::series::suspect::Suspect;
use flindo_store::{LogEvent, LogEventKind, LogRecorded, Store, StoreError};
use jiff::Timestamp;

/// An event as a line.
pub struct EventLine {
    pub class: &'static str,
    pub what: &'static str,
    pub when: String,
    pub lost: String,
    pub shown_by: String,
}

/// (what, figure, how it comes)
pub fn facts(worked: &LogAssessment, log: &LogRecorded) -> Vec<(&'static str, String, &'static str)> {
    let mut facts = Vec::new();
    if let Some(counter) = worked.counter.as_ref().filter(|counter| counter.total > 0.0) {
        facts.push(("Meter\u{2019}s own counter", computed(counter.total, "Wh").to_string(), "last less first, resets told"));
    }
    let Some(found) = &worked.figures else { return facts };
    let is_measured = found.irradiation_is_measured;
    facts.push(("Energy", between(found.energy_wh, "Wh"), "as logged: trapezoid, gaps between at their bounds, meter included"));
    if let Some(rest) = found.not_logged_wh {
        facts.push(("Not logged", between(rest, "Wh"), "an estimate of the light before and after the log"));
    }
    facts.push((
        "Peak sun hours",
        between(found.peak_sun_h, "h"),
        match (is_measured, worked.is_from_flat) {
            (true, false) => "measured in the plane",
            (true, true) => "from a meter lying flat: Erbs 1982, Perez 1990",
            (false, _) => "clear sky: the most the day could give",
        },
    ));
    if let Some(ratio) = found.performance_ratio_percent {
        facts.push((
            if is_measured { "Performance ratio" } else { "Of a clear sky" },
            between(ratio, "%"),
            "specific yield over peak sun hours",
        ));
    }
    if let Some(ratio) = found.performance_ratio_at_25_c_percent {
        facts.push(("Performance ratio at 25 \u{b0}C", between(ratio, "%"), "IEC 61724-1, from memory"));
    }
    if let Some(yield_h) = found.specific_yield_h {
        facts.push(("Specific yield", between(yield_h, "Wh/W"), "energy over rated power"));
    }
    if let Some(share) = found.share_of_rated_percent {
        facts.push(("Of rated power all day", percent(share).to_string(), "from first to last light"));
    }
    if let Some(watts) = found.best_five_hours_w {
        let share = log
            .record
            .known
            .rated_w
            .map(|rated_w| format!(", {} of rated", percent(100.0 * watts / rated_w)))
            .unwrap_or_default();
        facts.push(("Best five hours", format!("{}{share}", computed(watts, "W")), "mean"));
    }
    facts
}

pub fn events(worked: &LogAssessment, log: &LogRecorded) -> Vec<EventLine> {
    let line = |event: &Event| EventLine {
        class: class(event.kind),
        what: event.kind.label(),
        when: stretch(event.from_s, event.to_s, &log.zone),
        lost: if event.lost_wh >= 0.05 { with_u(event.lost_wh, event.u_lost_wh, "Wh").to_string() } else { String::new() },
        shown_by: words::day::shown_by(event),
    };
    worked.events.iter().map(line).collect()
}

pub async fn doubts(store: &Store, log: &LogRecorded, worked: &LogAssessment) -> Result<Vec<String>, AppError> {
    let mut doubts = Vec::new();
    for event in store.log_events(log.row.id).await? {
        doubts.push(gap(store, event, log).await?);
    }
    let time = |unix_s: f64| clock(timestamp(unix_s), &log.zone);
    doubts.extend(worked.named.iter().map(|finding| words::day::named(finding, worked.clock.as_ref(), time)));
    doubts.extend(worked.arrivals.iter().map(|(quantity, arrival)| words::day::arrival(*quantity, arrival)));
    let at = |one: &Suspect| clock(timestamp(one.from_s), &log.zone);
    doubts.extend(worked.suspects.iter().take(5).map(|one| words::day::suspect(one, &at(one))));
    if worked.suspects.len() > 5 {
        doubts.push(format!("{} more stretches of samples are in doubt.", worked.suspects.len() - 5));
    }
    Ok(doubts)
}

/// What is missing around something that happened, as a sentence.
async fn gap(store: &Store, event: LogEvent, log: &LogRecorded) -> Result<String, StoreError> {
    let at = |at_ms: i64| clock(Timestamp::from_millisecond(at_ms).unwrap_or(Timestamp::UNIX_EPOCH), &log.zone);
    let (before, after) = store.samples_around(log.row.id, event.at_ms).await?;
    let until = after.map(at).unwrap_or_else(|| "now".to_owned());
    Ok(match event.what {
        LogEventKind::Resumed => {
            let from = before.map(at).unwrap_or_else(|| "its beginning".to_owned());
            format!("No samples from {from} to {until}: the program was not running.")
        }
        LogEventKind::Lost => format!("{} samples about {} are lost: the disk took none.", event.samples, at(event.at_ms)),
    })
}

pub fn more(worked: &LogAssessment, log: &LogRecorded) -> Vec<(&'static str, String)> {
    let mut more = Vec::new();
    if let Some(words) = worked.tracking.and_then(words::day::tracking) {
        more.push(("Controller", words.to_owned()));
    }
    if let Some(own_w) = worked.own_draw_w {
        more.push(("Self-consumption at night", computed(own_w, "W").to_string()));
    }
    if let Some(found) = &worked.coefficient {
        more.push((
            "Temperature coefficient",
            words::day::coefficient(found, log.record.known.gamma_per_k.map(|gamma| 100.0 * gamma)),
        ));
    }
    if let Some(soak) = worked.soak {
        let words = format!(
            "cells from {} to {}, 63 % of it in {} min",
            computed(soak.from_c, "\u{b0}C"),
            computed(soak.to_c, "\u{b0}C"),
            plain(soak.time_constant_s / 60.0, 1)
        );
        more.push(("Warming", words));
    }
    if let Some(soiling) = &worked.happened.soiling {
        more.push(("Soiling", words::day::soiling(soiling)));
    }
    more
}

pub fn bands(found: &[Band], unit: &'static str) -> Vec<[String; 3]> {
    let line = |band: &Band| {
        let u = (band.percent.high - band.percent.low) / 2.0;
        let share = format!("{} \u{b1} {} %", plain(band.percent.value, 1), plain(u.max(0.1), 1));
        [computed(band.at, unit).to_string(), share, band.minutes.to_string()]
    };
    found.iter().map(line).collect()
}

/// By hours: from when, watt-hours, mean watts, mean irradiance.
pub fn hours(worked: &LogAssessment, log: &LogRecorded) -> Vec<[String; 4]> {
    let line = |hour: &Sums| {
        [
            clock_short(timestamp(hour.window.from_s), &log.zone),
            computed(hour.energy_wh.value, "Wh").to_string(),
            computed(hour.mean_w, "W").to_string(),
            hour.mean_poa_w_m2.map_or_else(|| "not measured".to_owned(), |light| computed(light, "W/m\u{b2}").to_string()),
        ]
    };
    worked.hours.iter().map(line).collect()
}

/// What is not known and would say more.
pub fn needs(log: &LogRecorded, worked: &LogAssessment) -> Vec<&'static str> {
    let mut needs = Vec::new();
    if log.record.site.is_none() {
        needs.push("a place, for the sun over it");
    }
    if log.record.plane.is_none() {
        needs.push("tilt and azimuth, for the clear sky in the plane");
    }
    if log.record.known.rated_w.is_none() {
        needs.push("its panel or rig, for the rated power");
    }
    if worked.steps.power().is_none() {
        needs.push("watts, or volts and amps of the same side");
    }
    needs
}
