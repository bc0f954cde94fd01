//! What was found, as sentences: why, and what to do.

use super::{Advice, sky_words};
use crate::figures::{computed, number, percent, rough, unit};
use flindo_core::constants::RATING_MIN_POA_W_M2;
use flindo_core::record::condition::Factor;
use flindo_core::sky::note::SkyNote;
use flindo_core::verdict::finding::{Effect, Finding, Limit, OffMaximum};

/// Why, in the middle of a sentence, and what to do.
pub fn finding(finding: &Finding) -> Advice {
    let (why, to_do) = match finding {
        Finding::WeakSun { poa_w_m2 } => (
            format!(
                "irradiance was {} and a rating needs {}",
                computed(*poa_w_m2, "W/m\u{b2}"),
                computed(RATING_MIN_POA_W_M2, "W/m\u{b2}")
            ),
            "Turn the panel normal to the sun, or wait for the hours around solar noon.",
        ),
        Finding::SkyUnsteady { note: Some(note), .. } => (
            match note {
                SkyNote::Overcast => {
                    "the sky was noted as overcast: mostly diffuse light allows no tilt comparison and no rating".to_owned()
                }
                SkyNote::Clear | SkyNote::Haze | SkyNote::ThinCloud | SkyNote::Broken => {
                    format!("the sky was noted as {}: irradiance changes between two readings", sky_words(*note))
                }
            },
            "Wait for a steady sky.",
        ),
        Finding::SkyUnsteady { note: None, times } => (
            format!(
                "readings of one run scatter {} times as far as they repeat under a steady sun",
                number(times.unwrap_or(1.0), 1)
            ),
            "Wait for a steady sky, or read the irradiance with every reading.",
        ),
        Finding::CloudEdge { poa_w_m2, .. } => (
            format!(
                "{} is more than a clear sky gives: light from the edge of a cloud, or the meter",
                computed(*poa_w_m2, "W/m\u{b2}")
            ),
            "Wait until the cloud has passed, and read again.",
        ),
        Finding::SunImpossible { poa_w_m2, clear_w_m2 } => (
            format!(
                "{} is impossible on this plane at this hour: clear-sky model {}",
                computed(*poa_w_m2, "W/m\u{b2}"),
                computed(*clear_w_m2, "W/m\u{b2}")
            ),
            "Check the time of the reading, the place, the tilt and azimuth, and the irradiance meter.",
        ),
        Finding::SensorNotInPlane { poa_w_m2, plane_w_m2, horizontal_w_m2 } => (
            format!(
                "the irradiance of {} is that of the horizontal ({}), while the panel gives the watts of its plane ({})",
                computed(*poa_w_m2, "W/m\u{b2}"),
                computed(*horizontal_w_m2, "W/m\u{b2}"),
                computed(*plane_w_m2, "W/m\u{b2}")
            ),
            "Hold the irradiance meter in the plane of the panel.",
        ),
        Finding::OpenTimesShort { voltage_v, current_a, watts_w } => (
            match (voltage_v, current_a) {
                (Some(voltage_v), Some(current_a)) => format!(
                    "{} and {} were not read together: they look like Voc and Isc, whose product is no power",
                    computed(*voltage_v, "V"),
                    computed(*current_a, "A")
                ),
                _ => format!("{} is the product of Voc and Isc at this light, which is no power", computed(*watts_w, "W")),
            },
            "Name them Voc and Isc, and read volts and amps under load for the watts.",
        ),
        Finding::NotAWorkingPoint { watts_w, most_w } => (
            format!(
                "{} lies above the panel\u{2019}s curve, which holds at most {} at this light and cell temperature",
                computed(*watts_w, "W"),
                computed(*most_w, "W")
            ),
            "Check volts and amps, the irradiance, and the label.",
        ),
        Finding::UnitSlip { quantity, value, likely, factor } => (
            match factor {
                None => format!(
                    "a {} of {} is not plausible in the sun; as degrees Fahrenheit it would be {}",
                    quantity.label(),
                    computed(*value, unit(*quantity)),
                    computed(*likely, unit(*quantity))
                ),
                Some(_) => format!(
                    "a {} of {} does not fit this panel; {} would",
                    quantity.label(),
                    computed(*value, unit(*quantity)),
                    computed(*likely, unit(*quantity))
                ),
            },
            "Check the unit, and correct the reading.",
        ),
        Finding::TooCoarse { quantity, value, step } if *step >= 1.0 => (
            format!(
                "{} as typed, without decimals, leaves {} to {}, which is {} of the reading",
                rough(*value, unit(*quantity)),
                number(value - step / 2.0, 1),
                computed(value + step / 2.0, unit(*quantity)),
                percent(step / value * 100.0)
            ),
            "Type every digit that the meter shows, as 7.00; where it shows no more, use a range or a meter with one more digit.",
        ),
        Finding::TooCoarse { quantity, value, step } => (
            format!(
                "the meter is too coarse: it shows {} in steps of {}, which is {} of the reading",
                computed(*value, unit(*quantity)),
                computed(*step, unit(*quantity)),
                percent(step / value * 100.0)
            ),
            "Type every digit that the meter shows; where it shows no more, use a range or a meter with one more digit.",
        ),
        Finding::Capped { watts_w, limit_w, by } => (capped(*watts_w, *limit_w, *by), CAPPED_TO_DO),
        Finding::Throttled { state_of_charge_percent: Some(full), .. } => (
            format!("the battery is {} full: its controller takes less than the panel gives", percent(*full)),
            "Discharge the battery first, or use a load tester.",
        ),
        Finding::Throttled { share, .. } => (
            format!("the controller takes {} of what the panel could give", percent(share.unwrap_or(0.0) * 100.0)),
            "Discharge the battery first, or use a load tester.",
        ),
        Finding::NotTracking { input_v, battery_v, efficiency } => (
            format!(
                "the controller holds the panel at {} with the battery at {}{}: it does not track",
                computed(*input_v, "V"),
                computed(*battery_v, "V"),
                efficiency
                    .map(|share| format!(", {} of the input reaching the battery", percent(share * 100.0)))
                    .unwrap_or_default()
            ),
            "A controller that tracks shows a higher input voltage and more amps out than in.",
        ),
        Finding::ControllerAsleep { hot_vmp_v: Some(hot_v), start_v: Some(start_v) } => (
            format!("hot panels give {} and the controller starts at {}", computed(*hot_v, "V"), computed(*start_v, "V")),
            "Put panels in series, or use a lower battery voltage.",
        ),
        Finding::ControllerAsleep { .. } => {
            ("the controller took no current: it was not running".to_owned(), "Check that it has started before reading.")
        }
        Finding::OverUnity { efficiency } => (
            format!("{} of the input came out, which cannot be: a meter is wrong", percent(efficiency * 100.0)),
            "Put both meters in one line, one behind the other, and compare them.",
        ),
        Finding::SubstringOut { out, out_to, of, voc_percent } => (
            format!(
                "Voc is {} of what the cell temperature allows: {} of {of} substrings failed",
                percent(*voc_percent),
                if out == out_to { out.to_string() } else { format!("{out} or more") }
            ),
            "Cover one substring after the other: the one whose cover does not change the reading has failed. Check its bypass diode.",
        ),
        Finding::WeakCurrent { isc_percent } => (
            format!("Isc is {} of what this irradiance allows: soiling, shade or damaged cells", percent(*isc_percent)),
            "Clean it and read again; browned or cracked cells stay weak.",
        ),
        Finding::HighResistance { fill_percent } => (
            format!("the fill factor is {} of the label\u{2019}s: series resistance likely", percent(*fill_percent)),
            "Check for warm joints and connectors under load.",
        ),
        Finding::WrongLabel { voc_percent, isc_percent } => (
            match (voc_percent, isc_percent) {
                (Some(voc), Some(isc)) => {
                    format!("Voc is {} and Isc {} of the label: they do not fit it", percent(*voc), percent(*isc))
                }
                (Some(voc), None) => format!("Voc is {} of the label: it does not fit it", percent(*voc)),
                (None, isc) => format!("Isc is {} of the label: it does not fit it", percent(isc.unwrap_or_default())),
            },
            "Check the cell count and the label.",
        ),
        Finding::NoOutput { .. } => {
            ("no output: an open circuit is likely".to_owned(), "Check the junction box and the connectors.")
        }
        Finding::RearLight { rear_w_m2: None, bifaciality } => (
            format!(
                "the panel is bifacial{} and the light on its rear was not read",
                bifaciality.map(|share| format!(" ({} of the front)", percent(share * 100.0))).unwrap_or_default()
            ),
            "Read the rear irradiance, or cover the rear: its power is not part of the rating.",
        ),
        Finding::RearLight { rear_w_m2: Some(rear), .. } => {
            (format!("{} fell on the rear", computed(*rear, "W/m\u{b2}")), "It is included in the irradiance.")
        }
        Finding::Shaded { lost_percent } => (
            format!("part of the panel was shaded, which by its circuit loses {} of the power", percent(*lost_percent)),
            "Test the rating in full light. Shade loss is a separate question.",
        ),
        Finding::ShadedUnderLoad { lost_percent } => (
            format!(
                "under load it falls short of its own Voc and Isc as a partly shaded panel does, or one with a weak cell; the \
                 fill factor is {} below the label\u{2019}s",
                percent(*lost_percent)
            ),
            "Check for shade and soiling, then read again in full light; otherwise a cell is weak.",
        ),
        Finding::Mismatch { lost_percent } => (
            match lost_percent {
                Some(lost) => format!("the combined panels lose {} of the sum of each alone", percent(*lost)),
                None => "panels of different voltage or current are combined".to_owned(),
            },
            "Read each panel alone for its rating.",
        ),
        Finding::TwoChanges { factors } => {
            let names: Vec<&str> = factors.iter().copied().map(Factor::label).collect();
            (format!("{} change at once: the cause is not separable", names.join(" and ")), "Change one thing a run.")
        }
        Finding::Unbracketed { minutes } => (
            format!("no baseline on both sides; the nearest is {} min away", number(*minutes, 0)),
            "Repeat the baseline after it.",
        ),
        Finding::NotSettled { after_s, settle_s } => (
            format!("read {} s after the run began; this load settles in {} s", number(*after_s, 0), number(*settle_s, 0)),
            "Let it settle, and read again.",
        ),
        Finding::SetUpScatter { times } => (
            format!("runs of one level scatter {} times as far as setting them up explains", number(*times, 1)),
            "Set each run up the same way; repeat the runs.",
        ),
        Finding::NoVolts { voltage_v, current_a } => (
            format!("{} beside {}: no operating point", computed(*voltage_v, "V"), computed(*current_a, "A")),
            "Check the voltage leads, or whether the panel is short-circuited; read again. Log a short-circuit current as Isc.",
        ),
        Finding::Exchanged { voltage_v, current_a } => (
            format!(
                "{} with {} fits this panel with volts and amps exchanged",
                computed(*voltage_v, "V"),
                computed(*current_a, "A")
            ),
            "Correct it, or confirm it.",
        ),
        Finding::NotAtMaximum { voltage_v, current_a, off } => not_at_maximum(*voltage_v, *current_a, off),
        Finding::Tenfold { quantity, value, usual } => (
            format!(
                "{} beside {}: check the decimal mark of the {}",
                computed(*value, unit(*quantity)),
                computed(*usual, unit(*quantity)),
                quantity.label()
            ),
            "Correct it, or confirm it.",
        ),
        Finding::OutOfPattern { quantity, value, usual } => (
            format!(
                "the {} is {} and was {} in this run: check the value",
                quantity.label(),
                computed(*value, unit(*quantity)),
                computed(*usual, unit(*quantity))
            ),
            "Correct it, or confirm it.",
        ),
        Finding::Varied { quantity, percent: share } => (
            format!("the {} varied by {}: it may not have settled", quantity.label(), percent(*share)),
            "Let it settle, and read again.",
        ),
        Finding::AmpsAlone { quantity } => (
            format!(
                "{} alone does not tell what shade costs in power: a bypassed substring keeps it and loses volts",
                quantity.label()
            ),
            "Read volts and amps at once, or the watts.",
        ),
        Finding::Damage => ("a panel of this rig has visible damage".to_owned(), "Do not connect it."),
        Finding::Exchange => ("the panels were not exchanged yet".to_owned(), "Exchange the panels now, and read both again."),
    };
    Advice { why, to_do }
}

/// A point of the curve that is not its maximum: what may be behind it, and the one act that tells.
fn not_at_maximum(voltage_v: f64, current_a: f64, off: &OffMaximum) -> (String, &'static str) {
    let point = format!(
        "{} with {} is not the maximum of this panel, which lies near {} in this light: about {} of it",
        computed(voltage_v, "V"),
        computed(current_a, "A"),
        rough(off.vmp_v, "V"),
        percent(100.0 * off.share_rel)
    );
    match off.or_substrings_out {
        Some((out, of)) => (
            format!("{point}; or {out} of its {of} substrings is bypassed, and its maximum lies here"),
            "Read Voc beside it: near the label\u{2019}s, something holds the panel at this voltage; a substring short, that \
             one has failed.",
        ),
        None => (
            format!("{point}; it may be throttled, limited, held at a battery\u{2019}s voltage, or its load not adjusted"),
            "Read it again on a load at its maximum: a battery that takes all of it, a controller that tracks, or a load box adjusted for \
             most watts.",
        ),
    }
}

const CAPPED_TO_DO: &str = "Use one of higher rating, or a load tester; clipped readings are no measure of the panel.";

fn capped(watts_w: f64, limit_w: Option<f64>, by: Limit) -> String {
    let limit = limit_w.map(|limit| format!(" of {}", rough(limit, "W"))).unwrap_or_default();
    match by {
        Limit::InputPower => format!("{} is at the input power limit{limit}", computed(watts_w, "W")),
        Limit::InputCurrent => {
            format!("{} is at the input current limit, which comes to{limit}", computed(watts_w, "W")).replace("to of", "to")
        }
        Limit::OutputCurrent if limit_w.is_none() => {
            format!("the controller\u{2019}s current limits the watts to about {}", rough(watts_w, "W"))
        }
        Limit::OutputCurrent => format!(
            "{} is at the controller\u{2019}s current limit{limit} at the battery\u{2019}s voltage",
            computed(watts_w, "W")
        ),
        Limit::FlatTop => {
            format!("the watts stay at {} while the irradiance moves: something limits them", computed(watts_w, "W"))
        }
    }
}

/// What a finding does to the verdict.
pub fn effect(effect: Effect) -> &'static str {
    match effect {
        Effect::LeftOut => "excluded",
        Effect::Widens => "widens the interval",
        Effect::Bounds => "the level gives at least this",
        Effect::Forbids => "no verdict while it stands",
        Effect::Told => "noted",
    }
}

/// Whether the person is asked about it beside the reading.
pub fn is_asked(finding: &Finding) -> bool {
    matches!(
        finding,
        Finding::Tenfold { .. }
            | Finding::OutOfPattern { .. }
            | Finding::Varied { .. }
            | Finding::NotSettled { .. }
            | Finding::UnitSlip { .. }
            | Finding::Capped { .. }
            | Finding::SunImpossible { .. }
            | Finding::NotAWorkingPoint { .. }
            | Finding::OpenTimesShort { .. }
            | Finding::NoVolts { .. }
            | Finding::NotAtMaximum { .. }
            | Finding::Exchanged { .. }
    )
}
