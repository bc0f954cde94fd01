//! Which meters read a test: those of its rig, and those that are named.

use crate::door::typed::Pairs;
use crate::error::AppError;
use flindo_core::form::FieldNote;
use flindo_core::gear::Gear;
use flindo_core::gear::meter::{Meter, MeterKind};
use flindo_core::measure::instrument::Instruments;
use flindo_core::record::meters::{MeterUse, Reads};
use flindo_core::rig::MeterPosition;
use flindo_store::{GearRow, RigRow};

/// The field of a form that names the meter of a quantity.
pub fn field(reads: Reads) -> &'static str {
    match reads {
        Reads::Volts => "meter_volts",
        Reads::Amps => "meter_amps",
        Reads::Watts => "meter_watts",
        Reads::Irradiance => "meter_irradiance",
        Reads::Temperature => "meter_temperature",
    }
}

/// A choice of a form.
#[derive(Debug, Clone)]
pub struct MeterChoice {
    pub field: &'static str,
    pub label: &'static str,
    /// The meters that can read it.
    pub names: Vec<String>,
    pub chosen: String,
    /// Where nothing is chosen, the rig's counts.
    pub is_of_rig: bool,
}

/// The choices of a form, with what is typed in it, and else what stands.
pub fn choices(typed: &Pairs, stands: &[MeterUse], gear: &[GearRow], has_rig: bool) -> Vec<MeterChoice> {
    let choice = |reads: Reads| {
        let typed = typed.iter().find(|(name, _)| name == field(reads)).map(|(_, value)| value.as_str());
        let chosen = typed.unwrap_or_else(|| name_of(reads, stands, gear)).to_owned();
        MeterChoice { field: field(reads), label: reads.label(), names: offered(reads, gear), chosen, is_of_rig: has_rig }
    };
    Reads::ALL.iter().map(|reads| choice(*reads)).collect()
}

/// The meters of a rig: the one in the string or at the array for volts, amps and watts, the one in the plane for light and temperature.
pub fn of_rig(rig: &RigRow, gear: &[GearRow]) -> Vec<MeterUse> {
    let at = |spots: &[MeterPosition]| rig.draft.meters.iter().find(|(spot, _)| spots.contains(spot));
    let of = |reads: Reads| {
        let spots: &[MeterPosition] = match reads {
            Reads::Volts | Reads::Amps | Reads::Watts => &[MeterPosition::String, MeterPosition::Array],
            Reads::Irradiance | Reads::Temperature => &[MeterPosition::Plane],
        };
        let (place, id) = at(spots)?;
        let row = gear.iter().find(|row| row.id == *id)?;
        Some(MeterUse { place: Some(*place), ..used(reads, row)? })
    };
    Reads::ALL.iter().filter_map(|reads| of(*reads)).collect()
}

/// Meters by the names that were typed for each quantity; one that is not named stays as it is in `stands`, one that is emptied goes.
///
/// # Errors
/// Names that are no meter of the bench.
fn named<'a>(
    typed: impl Fn(Reads) -> Option<&'a str>,
    stands: Vec<MeterUse>,
    gear: &[GearRow],
) -> Result<Vec<MeterUse>, Vec<(Reads, String)>> {
    let (mut meters, mut wrong) = (Vec::new(), Vec::new());
    for reads in Reads::ALL {
        let Some(name) = typed(*reads).map(str::trim) else {
            meters.extend(stands.iter().find(|meter| meter.reads == *reads).cloned());
            continue;
        };
        let row = gear.iter().find(|row| row.draft.name.eq_ignore_ascii_case(name) && meter_of(row).is_some());
        match row.and_then(|row| used(*reads, row)) {
            // The same meter as before stays where it sits, and with the calibration that it had then.
            Some(found) => {
                let stood = stands.iter().find(|one| (one.reads, &one.meter) == (found.reads, &found.meter));
                meters.push(stood.cloned().unwrap_or(found));
            }
            None if name.is_empty() => {}
            None => wrong.push((*reads, format!("There is no meter called \u{201c}{name}\u{201d} on this bench."))),
        }
    }
    if wrong.is_empty() { Ok(meters) } else { Err(wrong) }
}

/// The same for a form.
///
/// # Errors
/// As notes beside the fields.
pub fn of_form(pairs: &Pairs, stands: Vec<MeterUse>, gear: &[GearRow]) -> Result<Vec<MeterUse>, Vec<FieldNote>> {
    let typed = |reads: Reads| pairs.iter().find(|(name, _)| name == field(reads)).map(|(_, value)| value.as_str());
    named(typed, stands, gear).map_err(|wrong| {
        let note = |(reads, text)| FieldNote { field: field(reads), text };
        wrong.into_iter().map(note).collect()
    })
}

/// The same for a program: an object of names.
///
/// # Errors
/// What is no such object, or no meter of the bench.
pub fn of_json(value: Option<&serde_json::Value>, stands: Vec<MeterUse>, gear: &[GearRow]) -> Result<Vec<MeterUse>, AppError> {
    let Some(value) = value else { return Ok(stands) };
    let refuse = |why: String| AppError::input("meters", &value.to_string(), why);
    let names = || Reads::ALL.iter().map(|reads| reads.name()).collect::<Vec<_>>().join(", ");
    let object = value.as_object().ok_or_else(|| refuse(format!("Write an object of names, by {}.", names())))?;
    for (name, meter) in object {
        if Reads::from_name(name).is_none() || !meter.is_string() {
            return Err(refuse(format!("Write the name of a meter for each of {}.", names())));
        }
    }
    let typed = |reads: Reads| object.get(reads.name()).and_then(|name| name.as_str());
    named(typed, stands, gear).map_err(|wrong| {
        let known: Vec<&str> = gear.iter().filter(|row| meter_of(row).is_some()).map(|row| row.draft.name.as_str()).collect();
        let sentences: Vec<String> = wrong.into_iter().map(|(_, sentence)| sentence).collect();
        refuse(format!("{} It has {}.", sentences.join(" "), if known.is_empty() { "none".to_owned() } else { known.join(", ") }))
    })
}

/// The accuracies that the meters state, and the usual ones of what no meter of the bench reads.
pub fn instruments(meters: &[MeterUse], gear: &[GearRow], usual: Instruments) -> Instruments {
    let mut found = usual;
    for one in meters {
        let Some(meter) = gear.iter().find(|row| row.uid == one.meter).and_then(meter_of) else { continue };
        match one.reads {
            Reads::Volts => found.volts = meter.volts,
            Reads::Amps => found.amps = meter.amps,
            Reads::Watts => found.watts = meter.watts,
            Reads::Irradiance => found.sun_percent = meter.sun_percent,
            Reads::Temperature => found.thermometer_k = meter.thermometer_k,
        }
    }
    found
}

/// The names of the meters that can read a quantity.
fn offered(reads: Reads, gear: &[GearRow]) -> Vec<String> {
    let reads_it = |meter: &Meter| match (reads, meter.kind) {
        (Reads::Volts | Reads::Amps, MeterKind::Probes | MeterKind::Clamp | MeterKind::InLine | MeterKind::LoadTester) => true,
        (Reads::Watts, MeterKind::InLine | MeterKind::LoadTester) => true,
        (Reads::Irradiance, MeterKind::Irradiance | MeterKind::ReferencePanel) => true,
        (Reads::Temperature, MeterKind::Infrared | MeterKind::Irradiance | MeterKind::Probes | MeterKind::Clamp) => true,
        (Reads::Volts | Reads::Amps, MeterKind::Irradiance | MeterKind::ReferencePanel | MeterKind::Infrared)
        | (
            Reads::Watts,
            MeterKind::Probes | MeterKind::Clamp | MeterKind::Irradiance | MeterKind::ReferencePanel | MeterKind::Infrared,
        )
        | (
            Reads::Irradiance,
            MeterKind::Probes | MeterKind::Clamp | MeterKind::InLine | MeterKind::LoadTester | MeterKind::Infrared,
        )
        | (Reads::Temperature, MeterKind::InLine | MeterKind::LoadTester | MeterKind::ReferencePanel) => false,
    };
    gear.iter().filter(|row| meter_of(row).is_some_and(reads_it)).map(|row| row.draft.name.clone()).collect()
}

/// The name of the meter of a quantity; empty for none.
fn name_of<'a>(reads: Reads, meters: &[MeterUse], gear: &'a [GearRow]) -> &'a str {
    let one = meters.iter().find(|meter| meter.reads == reads);
    one.and_then(|one| gear.iter().find(|row| row.uid == one.meter)).map_or("", |row| row.draft.name.as_str())
}

fn used(reads: Reads, row: &GearRow) -> Option<MeterUse> {
    let meter = meter_of(row)?;
    Some(MeterUse { reads, place: None, meter: row.uid.clone(), calibrated: meter.calibrated.clone() })
}

fn meter_of(row: &GearRow) -> Option<&Meter> {
    match &row.gear {
        Gear::Meter(meter) => Some(meter),
        Gear::Controller(_) | Gear::Station(_) | Gear::Battery(_) | Gear::Lead(_) | Gear::Fuse(_) | Gear::Combiner(_) => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use flindo_core::gear::GearKind;
    use flindo_store::GearDraft;

    fn meter(name: &str, calibrated: &str) -> GearRow {
        let typed = [("calibrated".to_owned(), calibrated.to_owned())].into();
        let draft = GearDraft { kind: GearKind::Meter, name: name.to_owned(), notes: String::new(), typed };
        GearRow { id: 1, uid: format!("uid of {name}"), gear: draft.kind.check(&draft.typed).unwrap(), draft }
    }

    /// A test keeps the calibration that its meter had, however often its set-up is saved afterwards; another meter comes with its own.
    #[test]
    fn a_meter_keeps_the_calibration_of_its_test() {
        let bench = [meter("Shed meter", "2026-08-30"), meter("Yard meter", "2026-05-01")];
        let place = Some(MeterPosition::Array);
        let stood =
            MeterUse { reads: Reads::Volts, place, meter: "uid of Shed meter".to_owned(), calibrated: "2026-02-10".to_owned() };
        let saved = |name: &'static str| {
            let typed = move |reads: Reads| (reads == Reads::Volts).then_some(name);
            named(typed, vec![stood.clone()], &bench)
        };
        assert_eq!(saved("shed METER"), Ok(vec![stood.clone()]));
        let other = saved("Yard meter").unwrap();
        assert_eq!((other[0].calibrated.as_str(), other[0].place), ("2026-05-01", None));
        assert_eq!(saved(""), Ok(Vec::new()));
        assert!(saved("Barn meter").is_err());
        let untouched = named(|_| None, vec![stood.clone()], &bench);
        assert_eq!(untouched, Ok(vec![stood]));
    }
}
