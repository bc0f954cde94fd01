//! Findings, reasons and remarks as sentences for the person.

pub mod plan;
pub mod preflight;
pub mod used;
pub mod ways;

use crate::figures::{computed, number, percent, unit, with_u};
use flindo_core::constants::RATING_MIN_POA_W_M2;
use flindo_core::measure::quantity::Quantity;
use flindo_core::panel::nameplate::Nameplate;
use flindo_core::panel::shade::Mounting;
use flindo_core::protocol::setup::{Load, Setup};
use flindo_core::sky::note::SkyNote;
use flindo_core::verdict::combine::Combined;
use flindo_core::verdict::rating::{Finding, RatingResult, TELLING_U_PERCENT};
use flindo_core::verdict::reason::{Reason, Remark};

/// A finding in words, with the mark that goes with it.
#[derive(Debug, Clone)]
pub struct Verdict {
    /// CSS class and name of the mark's shape.
    pub mark: &'static str,
    pub word: &'static str,
    pub sentence: String,
    /// What stands against a clear answer, and what to do about it.
    pub advice: Vec<Advice>,
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Advice {
    pub why: String,
    pub to_do: &'static str,
}

/// The finding of a whole test.
pub fn verdict(result: &RatingResult, nameplate: &Nameplate) -> Verdict {
    let (mark, word) = finding(result.finding);
    let advice: Vec<Advice> = result.reasons.iter().map(advice).collect();
    let (low_w, high_w) = nameplate.rated_band_w();
    let (low, high) = (low_w / nameplate.rated_w * 100.0, high_w / nameplate.rated_w * 100.0);
    let sentence = match (result.finding, &result.pmax) {
        (Finding::Makes, Some(pmax)) => {
            let hidden = (pmax.percent - low + pmax.u_percent).max(pmax.u_percent);
            let shortfall = if pmax.percent < low {
                format!("It reads {} under the label, which is within the uncertainty of this test.", percent(low - pmax.percent))
            } else {
                format!("A shortfall of less than about {} would not show in this test.", percent(hidden))
            };
            format!("{} of its rating at standard test conditions. {shortfall}", result_figure(pmax))
        }
        (Finding::Below, Some(pmax)) => format!(
            "{} of its rating at standard test conditions: at least {} is missing, beyond what the instruments leave open.",
            result_figure(pmax),
            percent(low - pmax.percent - pmax.u_percent)
        ),
        (Finding::Above, Some(pmax)) => format!(
            "{} of its rating, at least {} more than the label allows. Check the meters first, and whether light from the edge of a cloud fell on the panel.",
            result_figure(pmax),
            percent(pmax.percent - pmax.u_percent - high)
        ),
        (Finding::OpenAndShortOnly, _) => open_short_sentence(result),
        _ => match &advice[..] {
            [] => "There is nothing to judge yet.".to_owned(),
            [only] => format!("Can\u{2019}t tell, because {}.", only.why),
            many => {
                let reasons: Vec<&str> = many.iter().map(|advice| advice.why.as_str()).collect();
                format!("Can\u{2019}t tell, because {}.", reasons.join("; and "))
            }
        },
    };
    Verdict { mark, word, sentence, advice }
}

/// Mark and word of a finding.
pub fn finding(finding: Finding) -> (&'static str, &'static str) {
    match finding {
        Finding::Makes => ("makes", "Makes its rating"),
        Finding::Below => ("below", "Below its rating"),
        Finding::Above => ("above", "Above its rating"),
        Finding::CantTell => ("cant-tell", "Can\u{2019}t tell"),
        Finding::OpenAndShortOnly => ("no-watts", "No watts measured"),
    }
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
    format!("{known}These two are read one after the other and never at once, so they give no watts.")
}

/// What Voc and Isc can and cannot prove.
pub const OPEN_SHORT_PROVES: [&str; 2] = [
    "Voc near the label: every group of cells is in the circuit, and no bypass diode is stuck. A third or two thirds of it: that share of the cells is out.",
    "Isc near the label: the cells catch their light, are not dirty or shaded, and no string of cells is broken.",
];
pub const OPEN_SHORT_CANNOT: [&str; 2] = [
    "Watts. Worn solder joints and tired contacts cost power under load and leave both figures as they were.",
    "The rating. For that, read volts and amps at once, into a load tester or a tracking controller.",
];

/// Why, in the middle of a sentence, and what to do.
pub fn advice(reason: &Reason) -> Advice {
    let (why, to_do) = match reason {
        Reason::NoReadings => ("there is no reading yet".to_owned(), "Log the first reading."),
        Reason::NoWatts => (
            "no reading has watts, or volts and amps under load".to_owned(),
            "Read volts and amps at once while the panel works, or the watts of the instrument.",
        ),
        Reason::ZeroWatts => (
            "the panel gave no watts at all".to_owned(),
            "Check the connections and that the load is on. With good connections, read Voc: none means a broken path in the panel.",
        ),
        Reason::NoSun => (
            "no figure says how strong the sun was".to_owned(),
            "Hold an irradiance meter in the plane of the panel and log its W/m\u{b2} with each reading; or, under a clear sky, let it be worked out.",
        ),
        Reason::NoPlace => (
            "the sun is to be worked out, and the bench has no place".to_owned(),
            "Say where the bench stands: latitude, longitude, elevation.",
        ),
        Reason::NoModel { note } => (
            format!("no model gives the sun under {}", sky_words(*note)),
            "Measure the sun in the plane, or wait for a clear sky.",
        ),
        Reason::SkyNoted { note } => (
            format!("the sky was noted as {}, under which no rating can be tested", note.label()),
            "Wait for a steady sky: with broken cloud the light jumps between two readings, and under overcast it comes from everywhere.",
        ),
        Reason::NoWarmth => (
            "no figure says how warm the cells were".to_owned(),
            "Tape a probe to the back of the panel, behind a cell, and log its \u{b0}C with each reading.",
        ),
        Reason::WeakSun { poa_w_m2 } => (
            format!(
                "the sun gave {} and a rating needs {}",
                computed(*poa_w_m2, "W/m\u{b2}"),
                computed(RATING_MIN_POA_W_M2, "W/m\u{b2}")
            ),
            "Turn the panel square to the sun, or wait for the hours around solar noon.",
        ),
        Reason::Coarse { quantity, value, step } => (
            format!(
                "the meter is too coarse: it shows {} in steps of {}, which is {} of the reading",
                computed(*value, unit(*quantity)),
                computed(*step, unit(*quantity)),
                percent(step / value * 100.0)
            ),
            "Use a range or a meter with one more digit.",
        ),
        Reason::OpenTimesShort { voltage_v, current_a } => (
            format!(
                "{} and {} were not there at once: they look like Voc and Isc, whose product is no power",
                computed(*voltage_v, "V"),
                computed(*current_a, "A")
            ),
            "Name them Voc and Isc, and read volts and amps under load for the watts.",
        ),
        Reason::Coefficient { per_k, cell_c } => (
            format!("a coefficient of {} %/K leaves nothing at {}", number(per_k * 100.0, 2), computed(*cell_c, "\u{b0}C")),
            "Check the power coefficient on the panel\u{2019}s label.",
        ),
        Reason::Shaded { lost_percent } => (
            format!("part of the panel lay in shade, which by its circuit takes {} of the watts", percent(*lost_percent)),
            "Test the rating in full light. What the shade costs is a question of its own.",
        ),
        Reason::HeldBack { lost_percent } => (
            format!("the panels joined here hold each other back by {} of what each would give alone", percent(*lost_percent)),
            "Read each panel alone for its rating.",
        ),
        Reason::Tied { v } => (
            match v {
                Some(v) => format!("the battery held the panel at {}, off its best point", computed(*v, "V")),
                None => "the battery held the panel at its own volts, off the panel\u{2019}s best point".to_owned(),
            },
            "For the rating, read volts and amps into a load tester or a tracking controller; the ladder shows what tying costs.",
        ),
        Reason::Capped { cap_w } => (
            format!("the watts are at the {} that the controller or port takes at most", computed(*cap_w, "W")),
            "Use one that takes more, or a load tester; what is clipped is no measure of the panel.",
        ),
        Reason::Apart { spread_percent, u_percent } => (
            format!(
                "the readings are {} of the rating apart, more than the \u{b1} {} this test is sure to, and they lead to different answers",
                percent(*spread_percent),
                percent(*u_percent)
            ),
            "Repeat under a steady sun; read volts, amps and sun within the same few seconds. Take back a reading only for a reason you know.",
        ),
        Reason::TooUnsure { u_percent } => (
            format!(
                "the result is only sure to \u{b1} {}; more than {} hides what a buyer would want to know",
                percent(*u_percent),
                percent(TELLING_U_PERCENT)
            ),
            "The budget below names what weighs most: improve that first.",
        ),
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
        SkyNote::Clear => "Everything: ratings, tilts, and the sun may be worked out instead of measured.",
        SkyNote::Haze => "Ratings and tilts, with a meter; worked out, the sun is good to about 15 %.",
        SkyNote::ThinCloud => {
            "Ratings with a meter in the plane, if it holds still; tilts roughly. Worked out, the sun is only good to about 35 %."
        }
        SkyNote::Broken => "No rating and no comparison: the light jumps between two readings. Daily totals only.",
        SkyNote::Overcast => {
            "No tilt comparison, because the light comes from everywhere; no rating. How a panel does in poor light."
        }
    }
}

/// A remark as a sentence.
pub fn remark(remark: &Remark) -> String {
    match remark {
        Remark::OtherWobble { quantity, how, wobble } => {
            format!("The {} was taken as a {}, while this test counts {}.", quantity.label(), how.label(), wobble.label())
        }
        Remark::WattsDisagree { power_w, product_w } => format!(
            "The instrument shows {}, volts times amps is {}. Volts times amps counts.",
            computed(*power_w, "W"),
            computed(*product_w, "W")
        ),
        Remark::CloudEdge { poa_w_m2 } => {
            format!(
                "{} is more than a clear sky gives: light from the edge of a cloud, or the meter.",
                computed(*poa_w_m2, "W/m\u{b2}")
            )
        }
    }
}

/// The conditions of a test as one sentence: panel, tilt, load, sun, warmth.
pub fn conditions(setup: &Setup) -> String {
    format!(
        "{} \u{b7} {} \u{b7} sun from {} \u{b7} warmth from {}",
        aim(setup),
        setup.load.label(),
        setup.sun.label(),
        setup.warmth.label()
    )
}

/// Tilt and azimuth.
pub fn aim(setup: &Setup) -> String {
    if setup.tilt_deg == 0.0 {
        return "flat".to_owned();
    }
    let lying = if setup.mounting == Mounting::Landscape { ", lying" } else { "" };
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
        Load::LoadTester => "Volts and amps at the peak: proves watts.",
        Load::TrackingController => {
            "Volts and amps near the peak: proves watts, as long as battery and controller take all of them."
        }
        Load::TiedController => "Volts and amps at the battery\u{2019}s volts: proves what the battery gets, and no rating.",
        Load::MultimeterOnly => "Voc, then Isc: proves cells and connections, and no watts.",
    }
}

/// Cautions at the step where they matter: before this load is connected.
pub fn cautions(load: Load) -> Vec<&'static str> {
    let mut cautions = vec![
        "The panel is live whenever there is light. Cover it, or open the breaker, before you plug or unplug: a DC arc does not go out by itself.",
        "Meter, leads, connectors and fuse must stand the panel\u{2019}s Voc in the cold and its Isc.",
    ];
    cautions.push(match load {
        Load::LoadTester => "Connect the load tester with its load off. It and the panel get hot.",
        Load::TrackingController | Load::TiedController => {
            "Battery first, panel last. A full battery throttles the controller: what it then takes is no rating. No charging of lithium cells below freezing; lead-acid gives off gas."
        }
        Load::MultimeterOnly => "Short-circuit one panel at a time, with the lead in the 10 A socket and only if Isc is below what it is fused for.",
    });
    cautions.push("Cracked glass or burn marks: stop.");
    cautions
}

/// Under everything.
pub const DEFER: &str = "Local codes and a licensed electrician come before anything shown here.";

/// What each quantity can be written as, for the help.
pub fn quantity_help() -> Vec<(&'static str, &'static str)> {
    let example = |quantity| match quantity {
        Quantity::Voltage => "18.4 V",
        Quantity::Current => "5.6 A",
        Quantity::Power => "103 W or 79-81 W",
        Quantity::Voc => "Voc 22.1",
        Quantity::Isc => "Isc 5.9",
        Quantity::Energy => "412 Wh",
        Quantity::Poa => "880 W/m2",
        Quantity::Ghi => "ghi 700 W/m2",
        Quantity::Cell => "cell 52 C",
        Quantity::Back => "back 49 C",
        Quantity::Air => "air 75 F",
    };
    Quantity::ALL.iter().map(|quantity| (quantity.label(), example(*quantity))).collect()
}
