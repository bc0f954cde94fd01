//! Findings, reasons and remarks as sentences for the person.

pub mod controller;
pub mod day;
pub mod finding;
pub mod glossary;
pub mod headline;
pub mod open;
pub mod plan;
pub mod preflight;
pub mod review;
pub mod settle;
pub mod used;
pub mod ways;

use crate::figures::{self, computed, number, percent, with_u};
use flindo_core::measure::quantity::Quantity;
use flindo_core::panel::face::Mounting;
use flindo_core::panel::nameplate::Nameplate;
use flindo_core::record::setup::{Load, Setup};
use flindo_core::sky::note::SkyNote;
use flindo_core::verdict::bounds::Bounds;
use flindo_core::verdict::combine::Combined;
use flindo_core::verdict::conformity::{RatingVerdict, TELLING_U_PERCENT};
use flindo_core::verdict::finding::{Effect, Named};
use flindo_core::verdict::rating::RatingResult;
use flindo_core::verdict::reason::{Reason, Remark};
use jiff::Timestamp;
use jiff::tz::TimeZone;

/// A verdict in words, with the mark that goes with it.
#[derive(Debug, Clone)]
pub struct Verdict {
    /// CSS class and name of the mark's shape.
    pub mark: &'static str,
    pub word: String,
    pub sentence: String,
    /// What stands against a clear answer, and what to do about it.
    pub advice: Vec<Advice>,
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Advice {
    pub why: String,
    pub to_do: &'static str,
}

/// The verdict on a rating, with what forbids a better one.
pub fn verdict(verdict: RatingVerdict, result: &RatingResult, nameplate: &Nameplate, named: &[&Named]) -> Verdict {
    let (mark, word) = (rating_mark(verdict), verdict.label());
    let mut advice: Vec<Advice> = result.reasons.iter().map(advice).collect();
    if verdict == RatingVerdict::CantTell {
        let forbids = named.iter().filter(|one| one.effect == Effect::Forbids).map(|one| finding::finding(&one.finding));
        advice.extend(forbids);
    }
    // Without a label there is no conformity either, and the band is not spoken of.
    let (low, high) = nameplate.rated_band_percent().unwrap_or((100.0, 100.0));
    let figure = result.pmax.as_ref().map(|pmax| format!("{} of its rating at standard test conditions.", result_figure(pmax)));
    let conformity = result.conformity.zip(figure);
    let sentence = match (verdict, conformity) {
        (RatingVerdict::Makes, Some((_, figure))) => {
            format!("{figure} At least the label\u{2019}s lower limit of {}.", percent(low))
        }
        (RatingVerdict::Consistent, Some((conformity, figure))) => format!(
            "{figure} The chance that it is at least the label\u{2019}s {} is {}.{}",
            percent(low),
            chance(conformity.chance),
            hidden(conformity.hidden_shortfall_percent)
        ),
        (RatingVerdict::ProbablyBelow, Some((conformity, figure))) => format!(
            "{figure} The chance that it is at least the label\u{2019}s {} is only {}.{}",
            percent(low),
            chance(conformity.chance),
            hidden(conformity.hidden_shortfall_percent)
        ),
        (RatingVerdict::Below, Some((_, figure))) => {
            let missing = result.pmax.as_ref().map_or(0.0, |pmax| low - pmax.percent - pmax.u_percent);
            format!("{figure} At least {} is missing, beyond the expanded uncertainty.", percent(missing.max(0.0)))
        }
        (RatingVerdict::Above | RatingVerdict::ProbablyAbove, Some((_, figure))) => format!(
            "{figure} The label allows up to {}. Check the meters first, and whether light from the edge of a cloud or on the \
             rear fell on the panel.",
            percent(high)
        ),
        (RatingVerdict::NoWatts, _) => open_short_sentence(result),
        (_, figure) => {
            let as_read = result.bounds.as_ref().map(|bounds| format!("{} ", within(bounds)));
            let figure = figure.map(|(_, figure)| format!("{figure} ")).or(as_read).unwrap_or_default();
            match &advice[..] {
                [] => format!("{figure}No result yet."),
                [only] => format!("{figure}Can\u{2019}t tell, because {}.", only.why),
                many => {
                    let reasons: Vec<&str> = many.iter().map(|advice| advice.why.as_str()).collect();
                    format!("{figure}Can\u{2019}t tell, because {}.", reasons.join("; and "))
                }
            }
        }
    };
    Verdict { mark, word: word.to_owned(), sentence, advice }
}

/// The verdict on several panels: how many have which.
pub fn verdicts(of_each: &[RatingVerdict]) -> Verdict {
    let counted: Vec<(usize, RatingVerdict)> = RatingVerdict::ALL
        .iter()
        .map(|verdict| (of_each.iter().filter(|one| *one == verdict).count(), *verdict))
        .filter(|(count, _)| *count > 0)
        .collect();
    let told: Vec<String> = counted.iter().map(|(count, verdict)| format!("{count}: {}", verdict.label())).collect();
    let mark = if let [(_, only)] = counted[..] { rating_mark(only) } else { rating_mark(RatingVerdict::Consistent) };
    Verdict { mark, word: format!("{} panels", of_each.len()), sentence: format!("{}.", told.join("; ")), advice: Vec::new() }
}

/// The shape beside a verdict: only what is sure has a tick.
pub fn rating_mark(verdict: RatingVerdict) -> &'static str {
    match verdict {
        RatingVerdict::Makes => "makes",
        RatingVerdict::Consistent => "consistent",
        RatingVerdict::ProbablyBelow | RatingVerdict::Below => "below",
        RatingVerdict::ProbablyAbove | RatingVerdict::Above => "above",
        RatingVerdict::CantTell => "cant-tell",
        RatingVerdict::NoWatts => "no-watts",
    }
}

/// What the watts can be where light or cell temperature are missing.
fn within(bounds: &Bounds) -> String {
    let range = |(low, high): (f64, f64), unit| format!("{} to {}\u{a0}{unit}", number(low, 0), number(high, 0));
    format!(
        "Between {} and {} of its label, for {} in the plane and cells of {}.",
        percent(bounds.low_percent),
        percent(bounds.high_percent),
        range(bounds.poa_w_m2, "W/m\u{b2}"),
        range(bounds.cell_c, "\u{b0}C")
    )
}

fn chance(chance: f64) -> String {
    let rounded = (chance * 100.0).clamp(0.0, 100.0);
    if rounded > 99.0 {
        "over 99\u{a0}%".to_owned()
    } else {
        format!("{}\u{a0}%", number(rounded, if rounded < 10.0 { 1 } else { 0 }))
    }
}

fn hidden(percent_under: f64) -> String {
    if percent_under > 0.05 { format!(" A shortfall of up to {} could hide.", percent(percent_under)) } else { String::new() }
}

fn result_figure(combined: &Combined) -> String {
    with_u(combined.percent, combined.u_percent, "%").to_string()
}

fn open_short_sentence(result: &RatingResult) -> String {
    let part = |what: &str, combined: &Option<Combined>| {
        combined.as_ref().map(|combined| format!("{what} is at {} of the label", result_figure(combined)))
    };
    let parts: Vec<String> =
        [part("Voc", &result.open_circuit), part("Isc", &result.short_circuit)].into_iter().flatten().collect();
    let known = if parts.is_empty() { String::new() } else { format!("{}. ", parts.join(", ")) };
    format!("{known}Voc and Isc are not read together, so they give no power.")
}

/// What Voc and Isc can and cannot prove.
pub const OPEN_SHORT_PROVES: [&str; 2] = [
    "Voc near the label: every substring is in the circuit. Voc near 2/3 (1/3) of the label, three substrings: one (two) \
     bypassed or failed.",
    "Isc near the label: at least one substring delivers full current. Shade or damage on another is not excluded.",
];
pub const OPEN_SHORT_CANNOT: [&str; 2] = [
    "Power. Degraded contacts and solder joints reduce power under load and leave both figures unchanged.",
    "The rating. For that, read volts and amps at once, into a load tester or a tracking controller.",
];

/// Why, in the middle of a sentence, and what to do.
pub fn advice(reason: &Reason) -> Advice {
    let (why, to_do) = match reason {
        Reason::NoReadings => ("there is no reading yet".to_owned(), "Log the first reading."),
        Reason::NoQuantity => {
            ("it lacks the figure that the runs have in common".to_owned(), "Read the same figures in every run.")
        }
        Reason::NoLabel => {
            ("nobody has read the label of this panel".to_owned(), "Give its label: change the panel, and enter its rated watts.")
        }
        Reason::NoWatts => (
            "no reading has watts, or volts and amps under load".to_owned(),
            "Read volts and amps at once while the panel works, or the watts of the instrument.",
        ),
        Reason::ZeroWatts => (
            "the panel gave no watts at all".to_owned(),
            "Check the connections and that the load is on. With good connections, read Voc: none means a broken path in the panel.",
        ),
        Reason::NoSun => (
            "the irradiance was not recorded".to_owned(),
            "Hold an irradiance meter in the plane of the panel and log its W/m\u{b2} with each reading; or, under a clear \
             sky, use the clear-sky model.",
        ),
        Reason::NoPlace => ("the clear-sky model needs a place".to_owned(), "Add a place: latitude, longitude, elevation."),
        Reason::NoModel { note } => (
            format!("no model gives irradiance under {}", sky_words(*note)),
            "Measure irradiance in the plane, or wait for a clear sky.",
        ),
        Reason::NoCellTemperature => (
            "the cell temperature was not recorded".to_owned(),
            "Tape a probe to the back of the panel, behind a cell, and log its \u{b0}C with each reading.",
        ),
        Reason::Coefficient { per_k, cell_c } => (
            format!("a coefficient of {} %/K leaves nothing at {}", number(per_k * 100.0, 2), computed(*cell_c, "\u{b0}C")),
            "Check the power coefficient on the panel\u{2019}s label.",
        ),
        Reason::FixedVoltage { v } => (
            match v {
                Some(v) => format!("the battery held the panel at {}, away from its maximum power point", computed(*v, "V")),
                None => "the battery held the panel at its own voltage, away from the maximum power point".to_owned(),
            },
            "For the rating, read volts and amps into a load tester or a tracking controller; the ladder shows this loss.",
        ),
        Reason::UncertaintyTooWide { u_percent } => (
            format!("the expanded uncertainty is \u{b1} {}; the limit is {}", percent(*u_percent), percent(TELLING_U_PERCENT)),
            "The uncertainty budget names the largest contribution: improve that first.",
        ),
        Reason::Found(found) => return finding::finding(found),
    };
    Advice { why, to_do }
}

fn sky_words(note: SkyNote) -> &'static str {
    match note {
        SkyNote::Clear => "a clear sky",
        SkyNote::Haze => "haze",
        SkyNote::ThinCloud => "thin cloud",
        SkyNote::Broken => "broken cloud",
        SkyNote::Overcast => "an overcast sky",
    }
}

/// What a sky allows.
pub fn sky_allows(note: SkyNote) -> &'static str {
    match note {
        SkyNote::Clear => "Everything: ratings, tilts; the clear-sky model may replace the irradiance meter.",
        SkyNote::Haze => "Ratings and tilts, with a meter; the clear-sky model is accurate to about 15 %.",
        SkyNote::ThinCloud => {
            "Ratings with a meter in the plane, if it holds still; tilts roughly. The clear-sky model is accurate to about 35 % only."
        }
        SkyNote::Broken => "No rating and no comparison: irradiance changes between two readings. Daily totals only.",
        SkyNote::Overcast => "No rating and no tilt comparison: mostly diffuse light. Performance in poor light only.",
    }
}

/// A remark as a sentence.
pub fn remark(remark: &Remark) -> String {
    match remark {
        Remark::OtherPolicy { quantity, how, unsteady } => {
            format!("The {} was taken as {}, while this test uses {}.", quantity.label(), how.label(), unsteady.label())
        }
        Remark::WattsDisagree { power_w, product_w } => format!(
            "The instrument shows {}, volts times amps is {}. Volts times amps counts.",
            computed(*power_w, "W"),
            computed(*product_w, "W")
        ),
    }
}

/// The conditions of a test as one sentence: panel, tilt, load, sun, cell_temperature.
pub fn conditions(setup: &Setup) -> String {
    format!(
        "{} \u{b7} {} \u{b7} irradiance from {} \u{b7} cell temperature from {}",
        aim(setup),
        setup.load.label(),
        setup.irradiance_source.label(),
        setup.cell_temperature.label()
    )
}

/// Why there is no sun of today, where the clock shows a year for which it is not known.
pub fn wrong_clock(now: Timestamp, zone: &TimeZone) -> String {
    format!("the clock of this machine says {}. Set it, and load the page again", figures::day(now, zone))
}

/// Tilt and azimuth.
pub fn aim(setup: &Setup) -> String {
    if setup.tilt_deg == 0.0 {
        return "horizontal".to_owned();
    }
    let lying = if setup.mounting == Mounting::Landscape { ", landscape" } else { "" };
    format!("{}\u{b0} to the {}{lying}", setup.tilt_deg, compass(setup.azimuth_deg))
}

fn compass(azimuth_deg: f64) -> String {
    const POINTS: [&str; 8] = ["north", "north-east", "east", "south-east", "south", "south-west", "west", "north-west"];
    let point = POINTS[((azimuth_deg / 45.0).round() as usize) % 8];
    if azimuth_deg % 45.0 == 0.0 { point.to_owned() } else { format!("{point} ({azimuth_deg}\u{b0})") }
}

/// What readings into this load can prove.
pub fn proves(load: Load) -> &'static str {
    match load {
        Load::LoadTester => "Voltage and current at the maximum power point. Supports: power.",
        Load::TrackingController | Load::LocalTrackingController => {
            "Voltage and current near the maximum power point. Supports: power, while battery and controller take all of it."
        }
        Load::PwmController => "Voltage and current at battery voltage. Supports: charge power; not the rating.",
        Load::MultimeterOnly => "Voc, then Isc. Supports: cells and connections; not power.",
    }
}

/// Cautions at the step where they matter: before this load is connected.
pub fn cautions(load: Load) -> Vec<&'static str> {
    let mut cautions = vec![
        "The panel is live whenever there is light. Cover it, or open the breaker, before you plug or unplug: a DC arc does \
         not go out by itself.",
        "Meter, leads, connectors and fuse must be rated for the panel\u{2019}s cold Voc and its Isc.",
    ];
    cautions.push(match load {
        Load::LoadTester => "Connect the load tester with its load off. It and the panel get hot.",
        Load::TrackingController | Load::LocalTrackingController | Load::PwmController => {
            "Battery first, panel last. A nearly full battery throttles the controller: such readings are no rating. No \
             charging of lithium cells below freezing; lead-acid gives off gas."
        }
        Load::MultimeterOnly => {
            "Short-circuit one panel at a time, with the lead in the 10 A socket and only if Isc is below \
            what it is fused for."
        }
    });
    cautions.push("Cracked glass or burn marks: stop.");
    cautions
}

/// Under everything.
pub const DEFER: &str = "Local codes and a licensed electrician come before anything shown here.";

/// What each quantity can be written as, for the help.
pub fn quantity_help() -> Vec<(&'static str, &'static str)> {
    Quantity::ALL.iter().map(|quantity| (quantity.label(), quantity.example())).collect()
}

/// A phrase with its first letter as a capital; the others stay as they are: "STC", "W/m2" and tags have capitals of their own.
pub fn capital(phrase: impl AsRef<str>) -> String {
    let mut letters = phrase.as_ref().chars();
    letters.next().map(|first| first.to_uppercase().chain(letters).collect()).unwrap_or_default()
}
