//! The conditions of a run, typed, and told as one sentence: panel - sun - tilt - shade - wiring - load.

use super::names::Id;
use super::setup::Load;
use super::shading::{self, ShadePatch};
use crate::named::named;
use crate::sky::note::SkyNote;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// What can differ between two runs. The order is that of the sentence.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Factor {
    Panel,
    Rig,
    Sky,
    Tilt,
    Azimuth,
    Shade,
    Covers,
    Temperature,
    Face,
    Wiring,
    Load,
    MeasuredAt,
    Step,
    Day,
}

named!(Factor {
    Panel = "panel", "panel";
    Rig = "rig", "rig";
    Sky = "sun", "sun";
    Tilt = "tilt_deg", "tilt";
    Azimuth = "azimuth_deg", "azimuth";
    Shade = "shade", "shade";
    Covers = "covers", "covers";
    Temperature = "temperature", "temperature";
    Face = "face", "face";
    Wiring = "wiring", "wiring";
    Load = "load", "load";
    MeasuredAt = "measured_at", "measured at";
    Step = "step", "step";
    Day = "day", "day";
});

impl Factor {
    /// By its name, by what a person reads, or by an older name.
    pub fn named(text: &str) -> Option<Self> {
        let text = text.trim().to_lowercase();
        let by_label = || Factor::ALL.iter().copied().find(|factor| factor.label() == text);
        let older = || (text == "direction").then_some(Factor::Azimuth);
        Factor::from_name(&text).or_else(by_label).or_else(older)
    }

    /// How long it takes to change, s. Common practice, no source.
    pub fn change_s(self) -> f64 {
        match self {
            Factor::Shade | Factor::MeasuredAt => 30.0,
            Factor::Tilt | Factor::Azimuth => 45.0,
            Factor::Face | Factor::Covers => 60.0,
            Factor::Panel | Factor::Rig | Factor::Wiring | Factor::Load | Factor::Step => 120.0,
            Factor::Sky | Factor::Temperature | Factor::Day => 0.0,
        }
    }

    /// Minutes for a panel to reach the temperature it keeps, after the change, s. Common practice, no source: ten minutes.
    pub fn soak_s(self) -> f64 {
        if self == Factor::Temperature { 600.0 } else { 0.0 }
    }

    /// Whether a change of it changes the light on the panel, so that a meter that moves along cannot tell the sun's drift.
    pub fn moves_the_plane(self) -> bool {
        matches!(self, Factor::Tilt | Factor::Azimuth | Factor::Face)
    }
}

/// How the panels of an array are connected in a run.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Wiring {
    /// As the rig has them, all together.
    Together,
    Series,
    Parallel,
    /// Strings of so many, in parallel.
    StringsOf(usize),
    /// One panel of the array, from 1, and nothing else.
    Alone(usize),
    /// Strings of these panels, in parallel.
    Strings(Vec<Vec<Id>>),
}

/// What a bifacial panel shows to which side, and what lies behind it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Face {
    RearCovered,
    RearFree,
    /// Turned round: the rear faces the sun.
    RearToSun,
    Reflector,
}

named!(Face {
    RearCovered = "rear_covered", "rear covered";
    RearFree = "rear_free", "rear free";
    RearToSun = "rear_to_sun", "rear to the sun";
    Reflector = "reflector", "reflector behind";
});

/// What is done about the heat.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Cooling {
    None,
    Water,
    Air,
}

named!(Cooling {
    None = "none", "not cooled";
    Water = "water", "cooled with water";
    Air = "air", "cooled with air";
});

/// Where in an array or a circuit the meter sits.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum MeasuredAt {
    /// In the lead that carries all strings.
    Together,
    /// In one string, from 1.
    String(usize),
    /// On the terminals of the controller, on its panel side.
    Controller,
    /// On the terminals of the battery.
    Battery,
}

/// What a condition means.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Value {
    Panels(Vec<Id>),
    Rig(Id),
    /// A controller or a power station.
    Gear(Id),
    LoadKind(Load),
    /// Tilt from horizontal, or azimuth from north.
    Degrees(f64),
    /// Empty: no shade.
    Shade(Vec<ShadePatch>),
    Wiring(Wiring),
    Face(Face),
    Cooling(Cooling),
    Sky(SkyNote),
    MeasuredAt(MeasuredAt),
    /// Year, month, day.
    Day(jiff::civil::Date),
    /// A name, and nothing that could be computed with.
    Name,
}

/// One condition: as it was typed, and what it means.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Condition {
    pub typed: String,
    pub value: Value,
}

impl Condition {
    /// A name that is not computed with.
    pub fn name(typed: &str) -> Self {
        Condition { typed: typed.trim().to_owned(), value: Value::Name }
    }

    /// Degrees of tilt or azimuth.
    pub fn degrees(value: f64) -> Self {
        Condition { typed: value.to_string(), value: Value::Degrees(value) }
    }

    fn is_same(&self, other: &Condition) -> bool {
        match (&self.value, &other.value) {
            (Value::Name, Value::Name) => self.typed.trim().eq_ignore_ascii_case(other.typed.trim()),
            (a, b) => a == b,
        }
    }
}

/// What is the case in a run, by factor.
pub type Conditions = BTreeMap<Factor, Condition>;

/// One part of the sentence.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Part {
    pub factor: Factor,
    pub text: String,
    /// It differs from the baseline.
    pub is_changed: bool,
}

/// What a run is, where it changes some of the baseline's conditions.
pub fn changed(baseline: &Conditions, changes: &Conditions) -> Conditions {
    let mut run = baseline.clone();
    run.extend(changes.iter().map(|(factor, condition)| (*factor, condition.clone())));
    run
}

/// The factors in which two runs differ. Two of them in one step show nothing about either.
pub fn differences(a: &Conditions, b: &Conditions) -> Vec<Factor> {
    let same = |factor: &Factor| match (a.get(factor), b.get(factor)) {
        (Some(a), Some(b)) => a.is_same(b),
        (None, None) => true,
        (Some(_), None) | (None, Some(_)) => false,
    };
    Factor::ALL.iter().copied().filter(|factor| !same(factor)).collect()
}

/// The sentence of a run, with what differs from the baseline marked.
pub fn sentence(baseline: &Conditions, run: &Conditions) -> Vec<Part> {
    let differ = differences(baseline, run);
    run.iter()
        .map(|(factor, condition)| Part { factor: *factor, text: told(*factor, condition), is_changed: differ.contains(factor) })
        .collect()
}

/// A condition so that it can stand in a sentence: "tilt 20\u{b0}", "shade none"; what speaks for itself stands alone.
fn told(factor: Factor, condition: &Condition) -> String {
    match (factor, &condition.value) {
        (Factor::Tilt, Value::Degrees(tilt_deg)) if *tilt_deg == 0.0 => "flat".to_owned(),
        (Factor::Tilt | Factor::Azimuth, Value::Degrees(degrees)) => format!("{} {degrees}\u{b0}", factor.label()),
        (Factor::Shade | Factor::Covers | Factor::MeasuredAt, _) => format!("{} {}", factor.label(), condition.typed),
        _ => condition.typed.clone(),
    }
}

/// The tilt, azimuth or other degrees of a factor, where its condition says them.
pub fn degrees_of(conditions: &Conditions, factor: Factor) -> Option<f64> {
    match conditions.get(&factor)?.value {
        Value::Degrees(degrees) => Some(degrees),
        Value::Panels(_)
        | Value::Rig(_)
        | Value::Gear(_)
        | Value::LoadKind(_)
        | Value::Shade(_)
        | Value::Wiring(_)
        | Value::Face(_)
        | Value::Cooling(_)
        | Value::Sky(_)
        | Value::MeasuredAt(_)
        | Value::Day(_)
        | Value::Name => None,
    }
}

/// The panels that a run names.
pub fn panels_of(conditions: &Conditions) -> Option<&[Id]> {
    if let Value::Panels(ids) = &conditions.get(&Factor::Panel)?.value { Some(ids) } else { None }
}

/// The rig that is named.
pub fn rig_of(conditions: &Conditions) -> Option<&Id> {
    if let Value::Rig(id) = &conditions.get(&Factor::Rig)?.value { Some(id) } else { None }
}

/// The shade of a run, with its covers: `None` where it is only named, so that nothing is known of it.
pub fn shade_of(conditions: &Conditions) -> Option<Vec<ShadePatch>> {
    let mut patches = Vec::new();
    for factor in [Factor::Shade, Factor::Covers] {
        match conditions.get(&factor).map(|condition| &condition.value) {
            None => {}
            Some(Value::Shade(more)) => patches.extend(more.iter().cloned()),
            Some(_) => return None,
        }
    }
    Some(patches)
}

/// What of a run's shade was not said, and had to be assumed.
pub fn assumed_of(conditions: &Conditions, panels: usize) -> Vec<shading::Assumption> {
    shade_of(conditions).map(|patches| shading::assumed(&patches, panels)).unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::super::language::level::level;
    use super::super::names::Names;
    use super::*;

    #[test]
    fn a_level_changes_one_thing_and_more_only_when_it_says_so() {
        let names = Names::default();
        let baseline = Conditions::from([
            (Factor::Panel, Condition::name("S-1")),
            (Factor::Tilt, Condition::degrees(35.0)),
            (Factor::Load, Condition::name("Lathe 30")),
        ]);
        let one = changed(&baseline, &level(Factor::Tilt, "20", &names).unwrap());
        assert_eq!(differences(&baseline, &one), [Factor::Tilt]);
        let two = changed(&baseline, &level(Factor::Tilt, "20, load = Gimlet 20", &names).unwrap());
        assert_eq!(differences(&baseline, &two), [Factor::Tilt, Factor::Load]);
        let marked: Vec<_> = sentence(&baseline, &one).into_iter().filter(|part| part.is_changed).map(|part| part.text).collect();
        assert_eq!(marked, ["tilt 20\u{b0}"]);
    }

    /// However it is typed, the same value is the same condition.
    #[test]
    fn conditions_are_compared_by_what_they_mean() {
        let names = Names::default();
        let of = |text: &str| level(Factor::Tilt, text, &names).unwrap();
        assert!(differences(&of("12,5"), &of("12.50\u{b0} from flat")).is_empty());
        assert_eq!(differences(&of("12,5"), &of("12")), [Factor::Tilt]);
    }

    #[test]
    fn conditions_survive_their_json() {
        let names = Names::default();
        for (factor, text) in [
            (Factor::Tilt, "12,5"),
            (Factor::Shade, "band across 20 % on panels 2 and 3"),
            (Factor::Shade, "strip 10 cm along the long side"),
            (Factor::Wiring, "strings of two"),
            (Factor::Face, "reflector behind"),
            (Factor::Step, "cleaned, and dried"),
            (Factor::Day, "2026-06-21"),
            (Factor::MeasuredAt, "string 2"),
            (Factor::MeasuredAt, "all strings"),
        ] {
            let conditions = level(factor, text, &names).unwrap();
            let json = serde_json::to_string(&conditions).unwrap();
            assert_eq!(serde_json::from_str::<Conditions>(&json).unwrap(), conditions, "{json}");
        }
    }
}
