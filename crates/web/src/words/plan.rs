//! Plans, comparisons and doubts as sentences.

use crate::figures::{computed, number, percent, unit, with_u};
use flindo_core::protocol::drift::Difference;
use flindo_core::protocol::plan::{Plan, Warning};
use flindo_core::protocol::slip::Doubt;
use flindo_core::verdict::compare::{Compared, Comparison, LightBy, NotYet};

pub fn warning(warning: &Warning, plan: &Plan) -> String {
    match warning {
        Warning::SeveralChanges { level, factors } => {
            let names: Vec<&str> = factors.iter().map(|factor| factor.label()).collect();
            format!(
                "\u{201c}{}\u{201d} changes {} at once: a difference could come from either. Change one thing a run.",
                plan.level_name(*level),
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
            "Between two baselines the sun bends {} off a straight line. Read the light with every run, or repeat the baseline more often.",
            percent(*bend)
        ),
    }
}

/// A level against its baseline.
pub fn difference(one: &Difference) -> (&'static str, String) {
    let off = one.percent - 100.0;
    if one.is_shown() {
        let word = if off > 0.0 { "more" } else { "less" };
        ("shown", format!("{} {word} than the baseline", percent(off.abs())))
    } else {
        (
            "not-shown",
            format!("no difference shown: one of less than about {} would not show", percent(one.u_percent + off.abs())),
        )
    }
}

fn off(one: &Difference) -> String {
    let off = one.percent - 100.0;
    format!("{} {}", percent(off.abs()), if off > 0.0 { "more" } else { "less" })
}

pub fn compared(what: Compared) -> &'static str {
    match what {
        Compared::Watts => "watts",
        Compared::Energy => "watt-hours",
        Compared::Isc => "short-circuit amps",
        Compared::Voc => "open-circuit volts",
    }
}

pub fn light_by(light_by: LightBy) -> &'static str {
    match light_by {
        LightBy::Meter => {
            "Every reading is divided by the light read with it; what is left of the drift is taken out between the baselines."
        }
        LightBy::Course => {
            "The course of a clear sky carries the curve of the day; what is left of the drift is taken out between the baselines."
        }
        LightBy::Bracket => "The drift is taken out along a straight line between the baselines around each run.",
    }
}

/// The whole test in one sentence.
pub fn comparison(found: &Comparison, plan: &Plan) -> String {
    if let Some((share, u)) = found.of_sum {
        return format!("Together they give {} of the sum of each alone.", with_u(share, u, "%"));
    }
    let shown: Vec<&Difference> = found.differences.iter().filter(|one| one.is_shown()).collect();
    match (shown.as_slice(), found.differences.as_slice()) {
        ([], [only]) => format!(
            "\u{201c}{}\u{201d} is at {} of the baseline: no difference that this test could show.",
            plan.level_name(only.level),
            with_u(only.percent, only.u_percent, "%")
        ),
        ([], _) => "No level differs from the baseline beyond what this test leaves open.".to_owned(),
        ([only], _) => {
            let (_, sentence) = difference(only);
            format!(
                "\u{201c}{}\u{201d} gives {sentence}: {}.",
                plan.level_name(only.level),
                with_u(only.percent, only.u_percent, "%")
            )
        }
        (many, all) if many.len() <= 3 => {
            let one = |one: &&Difference| format!("\u{201c}{}\u{201d} {}", plan.level_name(one.level), off(one));
            let rest = if many.len() < all.len() { "; the others do not differ from it" } else { "" };
            format!("Against the baseline: {}{rest}.", many.iter().map(one).collect::<Vec<_>>().join(", "))
        }
        (many, all) => {
            let by = |a: &&&Difference, b: &&&Difference| a.percent.total_cmp(&b.percent);
            let end = |one: Option<&&Difference>| {
                one.map(|one| format!("\u{201c}{}\u{201d} {}", plan.level_name(one.level), off(one))).unwrap_or_default()
            };
            format!(
                "{} of {} levels differ from the baseline: from {} to {}.",
                many.len(),
                all.len(),
                end(many.iter().min_by(by)),
                end(many.iter().max_by(by))
            )
        }
    }
}

/// How far a level lies off its prediction, in percent of the baseline.
pub fn off_prediction(off_percent: f64) -> String {
    format!("{} of the baseline {} than predicted", percent(off_percent.abs()), if off_percent > 0.0 { "more" } else { "less" })
}

/// Predictions beside what was measured, in one sentence. `differ`: the levels that lie off; `better`: a construction that fits them.
pub fn predicted(any: bool, differ: &[String], better: Option<&str>) -> String {
    if !any {
        return "Nothing could be predicted: say each level so that its shade or wiring can be drawn.".to_owned();
    }
    let names = differ.iter().map(|name| format!("\u{201c}{name}\u{201d}")).collect::<Vec<_>>().join(", ");
    match (differ, better) {
        ([], _) => "Measured and predicted agree: the panel\u{2019}s circuit explains what each of them costs.".to_owned(),
        (_, Some(better)) => format!(
            "{names}: off the prediction. Cells and diodes that lie as in \u{201c}{better}\u{201d} would fit: look at its back, and say so on the panel\u{2019}s own page."
        ),
        (_, None) => format!(
            "{names}: off the prediction. The shade lay otherwise than it is said, light came under its edge, or a diode does not work."
        ),
    }
}

pub fn not_yet(why: NotYet) -> &'static str {
    match why {
        NotYet::NoBaseline => "Can\u{2019}t tell: the baseline has no reading yet.",
        NotYet::NoLevel => "Can\u{2019}t tell: no level has a reading yet.",
        NotYet::NothingInCommon => "Can\u{2019}t tell: the runs have no quantity in common. Read the same figures in every run.",
    }
}

/// A question about a reading; it is kept either way.
pub fn doubt(doubt: &Doubt) -> String {
    let figure = |quantity, value| computed(value, unit(quantity)).to_string();
    match doubt {
        Doubt::Tenfold { quantity, value, usual } => format!(
            "{} beside {}: is the decimal mark of the {} where it belongs?",
            figure(*quantity, *value),
            figure(*quantity, *usual),
            quantity.label()
        ),
        Doubt::OutOfPattern { quantity, value, usual } => {
            format!(
                "The {} is {} and was {} in this run: is that so?",
                quantity.label(),
                figure(*quantity, *value),
                figure(*quantity, *usual)
            )
        }
        Doubt::Capped { watts_w, cap_w } => format!(
            "{} is what the rig lets through at most ({}): capped, and no measure of the panel?",
            computed(*watts_w, "W"),
            computed(*cap_w, "W")
        ),
        Doubt::NotSettled { after_s, settle_s } => {
            format!("Read {} s after the run began; this load wants {} s to settle.", number(*after_s, 0), number(*settle_s, 0))
        }
        Doubt::Wanders { quantity, percent: share } => {
            format!("The {} wandered by {}: had it settled?", quantity.label(), percent(*share))
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_prediction_is_one_sentence() {
        assert!(predicted(false, &[], None).contains("Nothing could be predicted"));
        assert!(predicted(true, &[], None).contains("agree"));
        let one = predicted(true, &["one cell".to_owned()], None);
        assert!(
            one.starts_with("\u{201c}one cell\u{201d}: off the prediction.") && one.contains("a diode does not work"),
            "{one}"
        );
        let fits = predicted(true, &["half".to_owned(), "one cell".to_owned()], Some("60 cells, 3 diodes"));
        assert!(fits.contains("\u{201c}half\u{201d}, \u{201c}one cell\u{201d}") && fits.contains("60 cells, 3 diodes"), "{fits}");
        assert_eq!(off_prediction(-4.2), "4.2\u{a0}% of the baseline less than predicted");
    }
}
