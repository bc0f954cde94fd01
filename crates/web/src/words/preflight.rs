//! Findings of a preflight as sentences: what was looked at, why it is so, what to do.

use crate::figures::{number, percent, rough};
use flindo_core::panel::inspection::Defect;
use flindo_core::preflight::item::{Item, Level, Missing, Risk};

/// One finding, ready to be shown.
#[derive(Debug, Clone)]
pub struct ItemWords {
    pub level: Level,
    /// CSS class and shape of the mark.
    pub mark: &'static str,
    /// The piece of gear, and where it sits.
    pub place: String,
    /// The name by which a stop is acknowledged.
    pub risk: &'static str,
    pub figure: String,
    pub why: String,
    /// Empty where there is nothing to do.
    pub to_do: String,
    pub key: String,
}

pub fn item(item: &Item) -> ItemWords {
    let place = match item.spot {
        Some(spot) if spot.label() != item.what => format!("{}, {}", item.what, spot.label()),
        _ => item.what.clone(),
    };
    let (figure, why, to_do) = sentences(item);
    let to_do = if item.level == Level::Ok { String::new() } else { to_do };
    ItemWords { level: item.level, mark: mark(item.level), place, risk: risk(&item.risk), figure, why, to_do, key: item.key() }
}

pub fn mark(level: Level) -> &'static str {
    match level {
        Level::Ok => "makes",
        Level::Caution => "cant-tell",
        Level::Stop => "below",
    }
}

/// The short name of a risk.
fn risk(risk: &Risk) -> &'static str {
    match risk {
        Risk::Unknown { .. } => "unknown rating",
        Risk::LabelSilent { .. } => "incomplete label",
        Risk::Worn { wear: Defect::DiscolouredCells, .. } => "discoloured cells",
        Risk::Worn { .. } => "panel damage",
        Risk::UnlikeVolts { .. } => "string voltage mismatch",
        Risk::UnlikeAmps { .. } => "panel current mismatch",
        Risk::MeterVolts { .. } | Risk::MeterVoltsUnknown { .. } => "meter voltage",
        Risk::MeterAmps { .. } => "meter current",
        Risk::MeterWatts { .. } => "meter power",
        Risk::MeterShowsNoDc => "AC-only meter",
        Risk::JointVolts { .. } => "connector voltage",
        Risk::JointAmps { .. } => "connector current",
        Risk::FuseVolts { .. } => "fuse voltage",
        Risk::FuseSmall { .. } => "fuse rating",
        Risk::NoStringFuse { .. } => "string fuses",
        Risk::LeadAmps { .. } => "lead current",
        Risk::LeadDrop { .. } => "voltage drop",
        Risk::InputVolts { .. } => "input voltage",
        Risk::Clips { .. } => "controller current limit",
        Risk::TiedAmps { .. } => "controller current",
        Risk::TiedWaste { .. } => "unused voltage",
        Risk::InputWatts { .. } | Risk::PortWatts { .. } => "input power",
        Risk::PortAmps { .. } => "input current",
        Risk::StartVolts { .. } => "start voltage",
        Risk::LowVolts { .. } => "station voltage",
        Risk::ChargeAmps { .. } => "charge current",
        Risk::ChargeCold { .. } => "charge temperature",
        Risk::NearlyFull { .. } => "state of charge",
    }
}

/// What could not be checked, and which figure would let it be.
fn unknown(missing: Missing) -> (String, String, String) {
    let (figure, why, to_do) = match missing {
        Missing::Load => (
            "incomplete".to_owned(),
            "Nothing is connected behind the array, so its voltage and current are checked against the meters only.",
            "Say what the rig ends in: a load tester, a controller, a power station, open or short circuit.",
        ),
        Missing::InputVoltage { cold_v } => (
            v(cold_v),
            "The controller\u{2019}s maximum input voltage is not known: exceeding it can destroy the input at once.",
            "Enter it from the controller\u{2019}s sheet before connecting.",
        ),
        Missing::BatteryCurrent => (
            "not checked".to_owned(),
            "The controller\u{2019}s maximum battery current is not known, so clipping cannot be seen.",
            "Enter it from the controller\u{2019}s sheet.",
        ),
        Missing::ChargeCurrent => (
            "not checked".to_owned(),
            "Neither the battery\u{2019}s capacity nor its maximum charge current is known.",
            "Enter one of them from the battery\u{2019}s sheet.",
        ),
    };
    (figure, why.to_owned(), to_do.to_owned())
}

fn v(value: f64) -> String {
    rough(value, "V").to_string()
}

fn a(value: f64) -> String {
    rough(value, "A").to_string()
}

fn w(value: f64) -> String {
    rough(value, "W").to_string()
}

fn c(value: f64) -> String {
    rough(value, "\u{b0}C").to_string()
}

/// Figure, why, what to do.
fn sentences(item: &Item) -> (String, String, String) {
    let level = item.level;
    let over = |name: &str| {
        if level == Level::Stop { format!("above the rating of the {name}") } else { format!("within the rating of the {name}") }
    };
    match &item.risk {
        Risk::Unknown { missing } => unknown(*missing),
        Risk::LabelSilent { tag } => (
            tag.clone(),
            "Its label here gives neither volts nor amps, so its effect on the gear cannot be checked.".into(),
            "Enter Voc and Isc from its label, or measure them with a meter rated 100 V and 20 A.".into(),
        ),
        Risk::Worn { tag, wear } => (
            tag.clone(),
            format!("{}: noted as {}.", tag, wear.label()),
            if wear.stops() {
                "Do not connect it. Water or heat can put the panel\u{2019}s voltage on its frame, or start a fire.".into()
            } else {
                "Check whether it spreads, and measure its loss.".into()
            },
        ),
        Risk::UnlikeVolts { low_v, high_v } => (
            format!("{} beside {}", v(*low_v), v(*high_v)),
            "Strings in parallel work at one voltage: the string of higher voltage is pulled down.".into(),
            "Combine strings of equal voltage, or use separate inputs.".into(),
        ),
        Risk::UnlikeAmps { low_a, high_a } => (
            format!("{} with {}", a(*low_a), a(*high_a)),
            "In series the panel of lowest current limits the string.".into(),
            "Put panels of equal current in one string.".into(),
        ),
        Risk::MeterVolts { cold_v, voc_v, limit_v } => (
            format!("{} of {}", v(*cold_v), v(*limit_v)),
            format!("{} Voc, {} on the coldest morning: {}.", v(*voc_v), v(*cold_v), over("meter")),
            if level == Level::Stop {
                "Leave it unplugged. Measure one panel at a time, or use a meter rated for this voltage.".into()
            } else {
                "Small margin: use it on a warm day, or a meter of higher rating.".into()
            },
        ),
        Risk::MeterVoltsUnknown { cold_v } => {
            (v(*cold_v), "Its voltage rating is not entered.".into(), "Enter the maximum voltage from its data sheet.".into())
        }
        Risk::MeterAmps { isc_a, planned_a, limit_a, one_string_a } => (
            format!("{} of {}", a(*isc_a), a(*limit_a)),
            format!("Isc {}, {} in bright light, through its leads and fuse.", a(*isc_a), a(*planned_a)),
            match one_string_a {
                Some(one) => format!("Use a clamp, at a single string: {} there.", a(*one)),
                None => "Use a clamp, or a meter rated for this current.".into(),
            },
        ),
        Risk::MeterWatts { watts_w, limit_w } => (
            format!("{} of {}", w(*watts_w), w(*limit_w)),
            "Power of the panels in full sun, through the meter.".into(),
            "Measure fewer panels at once.".into(),
        ),
        Risk::MeterShowsNoDc => {
            ("AC only".into(), "It measures AC only; a panel delivers DC.".into(), "Use a meter or a clamp marked for DC.".into())
        }
        Risk::JointVolts { cold_v, limit_v } | Risk::FuseVolts { cold_v, limit_v } => (
            format!("{} of {}", v(*cold_v), v(*limit_v)),
            "Voc of the string on the coldest morning.".into(),
            "Use parts rated for this DC voltage.".into(),
        ),
        Risk::JointAmps { isc_a, planned_a, limit_a, strings } => (
            format!("{} of {}", a(*isc_a), a(*limit_a)),
            format!("{} combined here: Isc {}, {} in bright light.", strings_words(*strings), a(*isc_a), a(*planned_a)),
            "Combine fewer strings here, or use a combiner of higher rating.".into(),
        ),
        Risk::FuseSmall { needed_a, rated_a } => (
            format!("{} for {}", a(*rated_a), a(*needed_a)),
            "A fuse that carries a string for hours is sized for 1.56 times its Isc (NEC 690.8 and 690.9).".into(),
            "Use the next larger fuse that the panel\u{2019}s label and the lead allow.".into(),
        ),
        Risk::NoStringFuse { strings, reverse_a } => (
            a(*reverse_a),
            format!("{strings} strings in parallel: when one fails, the others drive up to {} into it.", a(*reverse_a)),
            "Put a fuse into every string, of the rating on the panel\u{2019}s label.".into(),
        ),
        Risk::LeadAmps { needed_a, limit_a } => (
            format!("{} of {}", a(*needed_a), a(*limit_a)),
            "1.56 times Isc, for hours in bright light (NEC 690.8).".into(),
            "Use a thicker lead.".into(),
        ),
        Risk::LeadDrop { drop_v, percent: share } => (
            percent(*share).to_string(),
            format!("{} are lost in the lead, both conductors, warm copper.", v(*drop_v)),
            "Use a thicker or shorter lead, or measure at the panel: this loss is in the lead.".into(),
        ),
        Risk::InputVolts { cold_v, voc_v, limit_v } => (
            format!("{} of {}", v(*cold_v), v(*limit_v)),
            format!(
                "Voc {}, {} on the coldest morning: {}. Exceeding it can destroy the input at once.",
                v(*voc_v),
                v(*cold_v),
                over("input")
            ),
            if level == Level::Stop {
                "Put fewer panels in series.".into()
            } else {
                "Near the limit: the coldest morning counts, not today.".into()
            },
        ),
        Risk::Clips { offered_a, limit_a, full_w } => (
            format!("{} of {}", a(*offered_a), a(*limit_a)),
            format!(
                "Limited to {}, about {} into this battery. The controller limits the current. Check its sheet for the largest array.",
                a(*limit_a),
                w(*full_w)
            ),
            "Readings at the limit are no rating. A battery of twice the voltage takes twice the power.".into(),
        ),
        Risk::TiedAmps { planned_a, limit_a } => (
            format!("{} of {}", a(*planned_a), a(*limit_a)),
            "It carries the panel\u{2019}s own current and cannot limit it.".into(),
            "Use fewer panels in parallel, or a larger controller.".into(),
        ),
        Risk::TiedWaste { vmp_v, battery_v, percent: share } => (
            percent(*share).to_string(),
            format!("PWM: the panel is held at {} instead of {}.", v(*battery_v), v(*vmp_v)),
            "MPPT uses this voltage. Readings here are no rating.".into(),
        ),
        Risk::InputWatts { watts_w, limit_w } | Risk::PortWatts { watts_w, limit_w } => (
            format!("{} of {}", w(*watts_w), w(*limit_w)),
            "Power of the panels in full sun, against the maximum of the input.".into(),
            "Readings are limited by the input: they are no rating. Tilt the panel away, use a smaller one, or a load tester."
                .into(),
        ),
        Risk::PortAmps { isc_a, limit_a } => (
            format!("{} of {}", a(*isc_a), a(*limit_a)),
            "Isc of the panels, against the maximum of the input.".into(),
            "The current is limited: put panels in series instead of in parallel, within the voltage rating.".into(),
        ),
        Risk::StartVolts { hot_vmp_v, start_v, run_v } => (
            format!("{} for {}", v(*hot_vmp_v), v(*start_v)),
            format!(
                "Vmp on the hottest day {}; start voltage {}, minimum running voltage {}.",
                v(*hot_vmp_v),
                v(*start_v),
                v(*run_v)
            ),
            "Put two in series, or use a battery of lower voltage.".into(),
        ),
        Risk::LowVolts { hot_vmp_v, shaded_v, min_v, in_series } => (
            format!("{} for {}", v(*shaded_v), v(*min_v)),
            format!("{} when hot, {} with one substring shaded; minimum {}.", v(*hot_vmp_v), v(*shaded_v), v(*min_v)),
            if *in_series < 2 {
                "Use two in series.".into()
            } else {
                "Use one more in series, within the voltage rating.".into()
            },
        ),
        Risk::ChargeAmps { amps_a, limit_a, from_sheet } => (
            format!("{} of {}", a(*amps_a), a(*limit_a)),
            format!(
                "Charge current against the battery\u{2019}s limit, {}.",
                if *from_sheet { "from its sheet" } else { "usual for its kind" }
            ),
            "Use fewer panels, or set the controller\u{2019}s limit lower.".into(),
        ),
        Risk::ChargeCold { coldest_c, lowest_c } => (
            format!("{} of {}", c(*coldest_c), c(*lowest_c)),
            "Minimum air temperature against the minimum charge temperature.".into(),
            "Read the battery\u{2019}s own temperature first, and do not charge it below that.".into(),
        ),
        Risk::NearlyFull { state_of_charge_percent, tapers_from_percent } => (
            format!("{}\u{a0}%", number(*state_of_charge_percent, 0)),
            format!("From about {}\u{a0}% on the charge current is reduced.", number(*tapers_from_percent, 0)),
            "Discharge it first, or switch on a load: a throttled controller gives no rating.".into(),
        ),
    }
}

fn strings_words(strings: usize) -> String {
    if strings == 1 { "One string".to_owned() } else { format!("{strings} strings") }
}

#[cfg(test)]
mod tests {
    use super::*;
    use flindo_core::preflight::preflight;
    use flindo_core::rig::{Module, Rig, Sink};

    #[test]
    fn what_is_fine_asks_for_nothing() {
        let nameplate = flindo_core::panel::nameplate::Nameplate {
            rated_w: Some(100.0),
            voc_v: Some(22.0),
            isc_a: Some(5.8),
            ..Default::default()
        };
        let module = Module { tag: "A".into(), nameplate, wear: vec![Defect::CrackedGlass] };
        let rig = Rig {
            strings: vec![vec![module]; 3],
            string_fuse: None,
            joint: None,
            lead: None,
            sink: Sink::Open,
            meters: Vec::new(),
            coldest_c: 0.0,
            hottest_c: 35.0,
        };
        let words: Vec<ItemWords> = preflight(&rig).iter().map(item).collect();
        assert!(words.iter().all(|words| words.to_do.is_empty() == (words.level == Level::Ok)));
        assert_eq!((words[0].risk, words[0].mark), ("panel damage", "below"));
    }
}
