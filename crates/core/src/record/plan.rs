//! A plan: the question, the conditions of its baseline and levels, and the order of its runs.

use super::condition::{Condition, Conditions, Factor, changed, differences};
use super::language::level::{level, read};
use super::names::Names;
use super::order::Order;
use super::question::{Analysis, Question};
use super::setup::Load;
use crate::form::{FieldNote, FieldNotes, form};
use crate::record::bounds::check_note;
use serde::{Deserialize, Serialize};

form!(
    /// The fields of a plan, as typed.
    PlanTyped { question, panel, light, tilt, shade, wiring, load_words, baseline, levels, order, times, readings_per_run, settle_s, repeat_percent, prediction }
);

/// The name of a baseline of which nothing was said that any level changes.
pub const UNNAMED: &str = "baseline";

/// A plan after it was checked.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Plan {
    pub question: Question,
    pub order: Order,
    /// All conditions of the baseline.
    pub baseline: Conditions,
    /// What each level changes.
    pub levels: Vec<Conditions>,
    pub times: usize,
    pub readings_per_run: usize,
    pub settle_s: f64,
    /// How well one reading repeats on this gear under a steady sun, as a share.
    pub repeat_rel: f64,
    /// What the tester expects, in their words.
    pub prediction: String,
}

/// How well a reading repeats where nobody says, percent. Common practice, no source: the last digits of hand-held meters.
pub const USUAL_REPEAT_PERCENT: f64 = 0.5;

/// Figures that stay within this share of their mean stand still: as far to both sides as a reading repeats.
pub fn steady_within_rel(plan: Option<&Plan>) -> f64 {
    2.0 * plan.map_or(USUAL_REPEAT_PERCENT / 100.0, |plan| plan.repeat_rel)
}

/// Time a load wants before it is read, s. Common practice, no source: a tracker wants 15 to 20.
pub fn usual_settle_s(load: Load) -> f64 {
    match load {
        Load::TrackingController | Load::LocalTrackingController => 20.0,
        Load::LoadTester | Load::PwmController => 8.0,
        Load::MultimeterOnly => 3.0,
    }
}

/// More levels than these do not fit into one window around noon; panels that lie side by side need no time to be changed.
const MOST_LEVELS: usize = 20;
const MOST_PANELS: usize = 120;

/// Checks a plan as typed. An empty field takes what is usual for the question and the load.
///
/// # Errors
/// Every field that cannot be read, with a sentence.
pub fn check(typed: &PlanTyped, load: Load, names: &Names) -> Result<Plan, Vec<FieldNote>> {
    let (plan, notes) = as_typed(typed, load, names);
    checked(plan, notes)
}

/// The same with conditions that came typed: what they do not say of the baseline follows from the other fields.
///
/// # Errors
/// Every field that cannot be read, and every level that is no level.
pub fn check_conditions(
    typed: &PlanTyped,
    baseline: Conditions,
    levels: Vec<Conditions>,
    load: Load,
    names: &Names,
) -> Result<Plan, Vec<FieldNote>> {
    let (mut plan, notes) = as_typed(typed, load, names);
    plan.baseline.extend(baseline);
    if typed.times.trim().is_empty() {
        plan.times = usual_times(plan.order, levels.len());
    }
    plan.levels = levels;
    checked(plan, notes)
}

/// How often an order is gone through where nobody says.
fn usual_times(order: Order, levels: usize) -> usize {
    if order == Order::Totals || order == Order::Repeats && levels == 0 { 3 } else { 1 }
}

/// A plan of an older bench, as it was when it was made: whatever a rule of today says, none of its levels is lost, and one that cannot be
/// read is a name.
pub fn older(typed: &PlanTyped, load: Load, names: &Names) -> Plan {
    as_typed(typed, load, names).0
}

/// The rules of a plan, the same for every door.
fn checked(plan: Plan, mut notes: FieldNotes) -> Result<Plan, Vec<FieldNote>> {
    let own = |changes: &Conditions| changes.values().map(|one| one.typed.as_str()).collect::<Vec<_>>().join(", ");
    for (index, changes) in plan.levels.iter().enumerate() {
        let same = |other: &&Conditions| differences(other, changes).is_empty();
        if plan.levels[..index].iter().any(|other| same(&other)) {
            notes.add("levels", format!("\"{}\" is there twice.", own(changes)));
        } else if differences(&plan.baseline, &changed(&plan.baseline, changes)).is_empty() {
            notes.add("levels", format!("\"{}\" is the baseline itself.", own(changes)));
        }
    }
    let most = if plan.question.card().factor == Factor::Panel { MOST_PANELS } else { MOST_LEVELS };
    if plan.levels.len() > most {
        notes.add("levels", format!("{} levels are more than one day holds: {most} at most.", plan.levels.len()));
    }
    if plan.levels.is_empty() && !matches!(plan.order, Order::Repeats | Order::Totals) && notes.0.is_empty() {
        notes.add(
            "levels",
            "Name at least one level to compare with the baseline; levels are separated by semicolons.".to_owned(),
        );
    }
    notes.give(plan)
}

fn as_typed(typed: &PlanTyped, load: Load, names: &Names) -> (Plan, FieldNotes) {
    let mut notes = FieldNotes::default();
    let question = notes.choice("question", &typed.question, Question::from_name).unwrap_or_default();
    let card = question.card();
    let order = notes.choice("order", &typed.order, Order::from_name).unwrap_or(card.order);
    let mut baseline = Conditions::new();
    for (factor, text) in [
        (Factor::Panel, &typed.panel),
        (Factor::Sky, &typed.light),
        (Factor::Tilt, &typed.tilt),
        (Factor::Shade, &typed.shade),
        (Factor::Wiring, &typed.wiring),
        (Factor::Load, &typed.load_words),
    ] {
        if !text.trim().is_empty() {
            baseline.insert(factor, read(factor, text, names).unwrap_or_else(|_| Condition::name(text)));
        }
    }
    let own = if typed.baseline.trim().is_empty() && !baseline.contains_key(&card.factor) {
        card.baseline
    } else {
        typed.baseline.trim()
    };
    if !own.is_empty() {
        baseline.extend(level_or_name(card.factor, own, names, "baseline", &mut notes));
    }
    let texts = typed.levels.split([';', '\n']).filter(|text| !text.trim().is_empty());
    let levels: Vec<Conditions> = texts.map(|text| level_or_name(card.factor, text, names, "levels", &mut notes)).collect();
    let usual_times = usual_times(order, levels.len()) as f64;
    if let Err(refused) = check_note("prediction", typed.prediction.trim()) {
        notes.add("prediction", refused.sentence);
    }
    let plan = Plan {
        question,
        order,
        baseline,
        levels,
        times: notes.number("times", &typed.times, 1.0, 10.0).unwrap_or(usual_times).round() as usize,
        readings_per_run: notes.number("readings_per_run", &typed.readings_per_run, 1.0, 20.0).unwrap_or(1.0).round() as usize,
        settle_s: notes.number("settle_s", &typed.settle_s, 0.0, 3600.0).unwrap_or(usual_settle_s(load)),
        repeat_rel: notes.number("repeat_percent", &typed.repeat_percent, 0.01, 20.0).unwrap_or(USUAL_REPEAT_PERCENT) / 100.0,
        prediction: typed.prediction.trim().to_owned(),
    };
    (plan, notes)
}

fn level_or_name(factor: Factor, text: &str, names: &Names, field: &'static str, notes: &mut FieldNotes) -> Conditions {
    match level(factor, text, names) {
        Ok(conditions) => conditions,
        Err(sentence) => {
            notes.add(field, sentence);
            Conditions::from([(factor, Condition::name(text))])
        }
    }
}

impl Plan {
    /// What is the case at a level; the baseline's for 0.
    pub fn conditions(&self, level: usize) -> Conditions {
        match level.checked_sub(1).and_then(|index| self.levels.get(index)) {
            Some(changes) => changed(&self.baseline, changes),
            None => self.baseline.clone(),
        }
    }

    /// A level in short: what it changes, or the baseline's own factor.
    pub fn level_name(&self, level: usize) -> String {
        let text = |conditions: &Conditions| conditions.values().map(|one| one.typed.clone()).collect::<Vec<_>>().join(", ");
        match level.checked_sub(1).and_then(|index| self.levels.get(index)) {
            Some(changes) => text(changes),
            None => {
                // Of the baseline what some level changes, and else the question's own factor.
                let changed = |factor: &Factor| self.levels.iter().any(|changes| changes.contains_key(factor));
                let own = self.question.card().factor;
                let shown: Vec<String> = self
                    .baseline
                    .iter()
                    .filter(|(factor, _)| **factor == own || changed(factor) && !self.baseline.contains_key(&own))
                    .map(|(_, condition)| condition.typed.clone())
                    .collect();
                if shown.is_empty() { UNNAMED.to_owned() } else { shown.join(", ") }
            }
        }
    }

    pub fn analysis(&self) -> Analysis {
        self.question.card().analysis
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn typed(fields: &[(&str, &str)]) -> PlanTyped {
        let mut typed = PlanTyped::default();
        assert!(fields.iter().all(|(name, text)| typed.set(name, *text)));
        typed
    }

    fn made(fields: &[(&str, &str)]) -> Result<Plan, Vec<FieldNote>> {
        check(&typed(fields), Load::TrackingController, &Names::default())
    }

    #[test]
    fn a_question_and_its_levels_are_a_plan() {
        let plan = made(&[("question", "which_tilt"), ("panel", "S-1"), ("tilt", "35"), ("levels", "12,5; 25")]).unwrap();
        assert_eq!((plan.order, plan.settle_s, plan.levels.len()), (Order::LadderAndBack, 20.0, 2));
        assert_eq!(plan.conditions(0)[&Factor::Tilt].typed, "35");
        assert_eq!(plan.conditions(1)[&Factor::Tilt].value, super::super::condition::Value::Degrees(12.5));
        assert_eq!((plan.level_name(1).as_str(), plan.level_name(0).as_str()), ("12,5", "35"));
        for question in Question::ALL {
            let card = question.card();
            let made = made(&[("question", question.name()), ("levels", card.levels)]);
            assert!(made.is_ok(), "{}: {made:?}", question.name());
        }
    }

    #[test]
    fn what_is_wrong_with_a_plan_stands_beside_its_field() {
        let fields = |fields: &[(&str, &str)]| made(fields).unwrap_err().into_iter().map(|note| note.field).collect::<Vec<_>>();
        assert_eq!(fields(&[("question", "which_tilt")]), ["levels"]);
        assert_eq!(fields(&[("question", "which_moon"), ("times", "many")]), ["question", "times"]);
        assert_eq!(fields(&[("question", "which_tilt"), ("tilt", "35"), ("levels", "35; 20; 20,0")]), ["levels", "levels"]);
        assert_eq!(fields(&[("question", "shade_cost"), ("levels", "half, moon = full")]), ["levels"]);
    }

    /// What today's rules refuse stays a plan with all its levels.
    #[test]
    fn an_older_plan_is_read_as_it_was() {
        let old = typed(&[("question", "which_tilt"), ("tilt", "35"), ("levels", "35; 95; 20, moon = full; 20")]);
        let plan = older(&old, Load::LoadTester, &Names::default());
        assert_eq!(plan.levels.len(), 4);
        assert_eq!(plan.levels[1][&Factor::Tilt], Condition::name("95"));
        assert_eq!(plan.levels[2][&Factor::Tilt], Condition::name("20, moon = full"));
        assert!(check(&old, Load::LoadTester, &Names::default()).is_err());
    }
}
