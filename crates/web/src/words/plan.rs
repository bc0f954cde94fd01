//! Plans, comparisons and doubts as sentences.

use crate::figures::{number, percent};
use flindo_core::predict::sheet::Warning;
use flindo_core::record::condition::{Condition, Factor, Value};
use flindo_core::record::plan::Plan;
use flindo_core::verdict::cause::{PossibleCause, possible_causes};
use flindo_core::verdict::comparison::{CellTemperatures, LightBy, Meters};
use flindo_core::verdict::conformity::LevelVerdict;
use flindo_core::verdict::estimate::Difference;

/// A level as it was typed; degrees that were typed without their sign have it.
pub fn level_name(plan: &Plan, level: usize) -> String {
    let name = plan.level_name(level);
    let is_bare = name.parse::<f64>().is_ok();
    let is_of_it = |condition: &Condition| condition.typed == name && matches!(condition.value, Value::Degrees(_));
    if is_bare && plan.conditions(level).values().any(is_of_it) { format!("{name}\u{b0}") } else { name }
}

pub fn warning(warning: &Warning, plan: &Plan) -> String {
    match warning {
        Warning::SeveralChanges { level, factors } => {
            let names: Vec<&str> = factors.iter().map(|factor| factor.label()).collect();
            format!(
                "\u{201c}{}\u{201d} changes {} at once: a difference could come from either. Change one thing a run.",
                level_name(plan, *level),
                names.join(" and ")
            )
        }
        Warning::PastWindow { minutes } => {
            format!("It runs {} min past the good hours. Begin earlier, or leave levels out.", number(*minutes, 0))
        }
        Warning::BeforeWindow { minutes } => format!("It begins {} min before the good hours.", number(*minutes, 0)),
        Warning::NoWindow => {
            "There are no good hours on that day: the sun stays below 700\u{a0}W/m\u{b2} on this plane.".to_owned()
        }
        Warning::SunBends { percent: bend } => format!(
            "Between two baselines, irradiance departs {} from a straight line. Read it with every run, or repeat the baseline more often.",
            percent(*bend)
        ),
    }
}

/// A level against its baseline: class and words.
pub fn level(verdict: LevelVerdict, one: &Difference) -> (&'static str, String) {
    let off = percent((one.percent - 100.0).abs());
    match verdict {
        LevelVerdict::More => ("shown", format!("{off} more than the baseline")),
        LevelVerdict::Less => ("shown", format!("{off} less than the baseline")),
        LevelVerdict::ProbablyMore => ("probable", format!("probably more than the baseline, by {off}")),
        LevelVerdict::ProbablyLess => ("probable", format!("probably less than the baseline, by {off}")),
        LevelVerdict::NoDifferenceOver { within_percent } => {
            ("not-shown", format!("no difference over {}", percent(within_percent)))
        }
        LevelVerdict::AtLeast { low_percent } => {
            ("not-shown", format!("at least {}: a limit held it there", percent(low_percent)))
        }
        LevelVerdict::CantTell => ("not-shown", "can\u{2019}t tell".to_owned()),
    }
}

pub fn light_by(light_by: LightBy) -> &'static str {
    match light_by {
        LightBy::Meter => {
            "Every reading is divided by the irradiance read with it; the remaining drift is corrected between the baselines."
        }
        LightBy::Course => {
            "The clear-sky course carries the curve of the day; the remaining drift is corrected between the baselines."
        }
        LightBy::Bracket => "Drift is corrected along a straight line between the baselines around each run.",
    }
}

/// At which cell temperatures panels were compared; empty where the temperature belongs to what is asked.
pub fn cell_temperatures(of: CellTemperatures) -> &'static str {
    match of {
        CellTemperatures::PartOfTheEffect => "",
        CellTemperatures::One(_) => "Every reading is brought to 25 \u{b0}C by its own panel\u{2019}s coefficient.",
        CellTemperatures::Unread { .. } => {
            "Cell temperatures were not read beside every reading: the interval holds panels that are up to 3 K apart."
        }
    }
}

/// Whose gains are in the levels; empty where one meter read all of them.
pub fn meters(meters: &Meters, name_of: impl Fn(usize) -> String) -> String {
    let checks = match meters {
        Meters::One => return String::new(),
        Meters::Own => return "Each level was read by its own meter: the interval holds their gains.".to_owned(),
        Meters::Checked(checks) => checks,
    };
    let off = |over_mean: f64| match (over_mean - 1.0) * 100.0 {
        none if none.abs() < 0.05 => "as much as all".to_owned(),
        more if more > 0.0 => format!("{} more", percent(more)),
        less => format!("{} less", percent(-less)),
    };
    let each: Vec<String> = checks.iter().map(|(level, one)| format!("{} {}", name_of(*level), off(one.over_mean))).collect();
    format!("Each level was read by its own meter, all of them on one source too: {}. That is taken off.", each.join(", "))
}

/// How far a level lies off its prediction, in percent of the baseline.
pub fn off_prediction(off_percent: f64) -> String {
    format!("{} of the baseline {} than predicted", percent(off_percent.abs()), if off_percent > 0.0 { "more" } else { "less" })
}

fn possible_cause(cause: PossibleCause) -> &'static str {
    match cause {
        PossibleCause::AgeOrFault => "age or a fault of the panel",
        PossibleCause::Dirt => "dirt",
        PossibleCause::LabelDiffers => "a label that the panel does not keep to",
        PossibleCause::ControllerHoldsBack => "a controller that does not track, or is held back by its limit or a full battery",
        PossibleCause::LargerShade => "more shade than was described",
        PossibleCause::SmallerShade => "less shade than was described",
        PossibleCause::LightUnderEdge => "light that reaches the cells under the edge of the shade",
        PossibleCause::DiodeFailed => "a failed bypass diode",
        PossibleCause::JointOrLead => "a loss in joints or leads",
        PossibleCause::AnglesDiffer => "other angles than were entered",
        PossibleCause::SkyNotClear => "a sky that was not clear",
        PossibleCause::ReflectedLight => "light reflected from the ground or a wall",
        PossibleCause::ConditionsDiffer => "conditions that differed from their description",
    }
}

/// Predictions beside what was measured, in one sentence. `differ`: the levels that lie off, and whether less was measured than predicted;
/// `better`: a construction that fits them.
pub fn predicted(any: bool, differ: &[(String, bool)], factor: Factor, better: Option<&str>) -> String {
    if !any {
        return "Nothing could be predicted: describe each level so that its shade or wiring can be drawn.".to_owned();
    }
    let of = |wanted: Option<bool>| {
        let named = differ.iter().filter(|(_, is_less)| wanted.is_none_or(|wanted| wanted == *is_less));
        named.map(|(name, _)| format!("\u{201c}{name}\u{201d}")).collect::<Vec<_>>().join(", ")
    };
    match (differ, better) {
        ([], _) => "Measured and predicted agree within the expanded uncertainty.".to_owned(),
        (_, Some(better)) => format!(
            "{}: differs from the prediction. Cells and diodes that lie as in \u{201c}{better}\u{201d} would fit: look at its \
             back, and say so on the panel\u{2019}s own page.",
            of(None)
        ),
        (_, None) => {
            let sentence = |is_less: bool| {
                let names = of(Some(is_less));
                let causes: Vec<&str> = possible_causes(factor, is_less).iter().map(|cause| possible_cause(*cause)).collect();
                let way = if is_less { "less" } else { "more" };
                (!names.is_empty()).then(|| format!("{names}: {way} than predicted. Possible: {}.", causes.join("; ")))
            };
            [true, false].into_iter().filter_map(sentence).collect::<Vec<_>>().join(" ")
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_prediction_is_one_sentence() {
        let less = |name: &str| (name.to_owned(), true);
        assert!(predicted(false, &[], Factor::Shade, None).contains("Nothing could be predicted"));
        assert!(predicted(true, &[], Factor::Shade, None).contains("agree"));
        let one = predicted(true, &[less("one cell"), ("half".to_owned(), false)], Factor::Shade, None);
        assert!(one.starts_with("\u{201c}one cell\u{201d}: less than predicted.") && one.contains("bypass diode"), "{one}");
        assert!(one.contains("\u{201c}half\u{201d}: more than predicted.") && one.contains("under the edge"), "{one}");
        let aged = predicted(true, &[less("used panel")], Factor::Panel, None);
        assert!(aged.contains("age") && !aged.contains("shade"), "{aged}");
        let fits = predicted(true, &[less("half"), less("one cell")], Factor::Shade, Some("60 cells, 3 diodes"));
        assert!(fits.contains("\u{201c}half\u{201d}, \u{201c}one cell\u{201d}") && fits.contains("60 cells, 3 diodes"), "{fits}");
        assert_eq!(off_prediction(-4.2), "4.2\u{a0}% of the baseline less than predicted");
    }
}
