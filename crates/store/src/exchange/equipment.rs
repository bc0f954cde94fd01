//! The rig, the gear and the meters of a test in the cells of its table, as JSON; and made on the bench that reads it where they are
//! missing.

use super::named::NamedByTest;
use super::staged::{Added, note_added};
use crate::error::StoreError;
use crate::gear::{all_gear, insert_gear};
use crate::rigs::{find_rig, insert_rig};
use crate::rows::gear::{GearDraft, GearRow};
use crate::rows::panel::Panel;
use crate::rows::rig::{RigDraft, RigRow};
use crate::rows::test::Test;
use flindo_core::gear::{GearKind, Typed};
use flindo_core::record::bounds;
use flindo_core::record::meters::{MeterUse, Reads};
use flindo_core::rig::wiring::{parse, renamed};
use flindo_core::rig::{MeterPosition, RigLoad};
use serde::{Deserialize, Serialize};
use sqlx::SqliteConnection;
use std::collections::BTreeMap;

/// A piece of gear, its fields as typed.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct GearCell {
    uid: String,
    kind: String,
    name: String,
    #[serde(default)]
    notes: String,
    #[serde(default)]
    fields: Typed,
}

/// A rig: panels by their tags, gear by its identity.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct RigCell {
    uid: String,
    name: String,
    wiring: String,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    string_fuse: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    joint: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    lead: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    sink: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    battery: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    ends_in: Option<String>,
    /// By where they sit.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    meters: BTreeMap<String, String>,
}

/// Which meter read what.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct MeterCell {
    reads: String,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    place: Option<String>,
    gear: String,
    #[serde(default, skip_serializing_if = "String::is_empty")]
    calibrated: String,
}

/// The cells `rig`, `gear`, `meters` and `other_rigs`; empty where there are none.
pub(super) fn cells(test: &Test, rig: Option<&RigRow>, named: &NamedByTest) -> Result<[String; 4], StoreError> {
    let uid = |id: Option<i64>| id.and_then(|id| named.gear.iter().find(|row| row.id == id)).map(|row| row.uid.clone());
    let rig_cell = |RigRow { uid: rig_uid, draft, .. }: &RigRow| RigCell {
        uid: rig_uid.clone(),
        name: draft.name.clone(),
        wiring: draft.wiring.clone(),
        string_fuse: uid(draft.string_fuse_id),
        joint: uid(draft.joint_id),
        lead: uid(draft.lead_id),
        sink: uid(draft.sink_id),
        battery: uid(draft.battery_id),
        ends_in: draft.ends_in.map(|load| load.name().to_owned()),
        meters: draft.meters.iter().filter_map(|(spot, id)| Some((spot.name().to_owned(), uid(Some(*id))?))).collect(),
    };
    let gear = named.gear.iter().map(|row| GearCell {
        uid: row.uid.clone(),
        kind: row.draft.kind.name().to_owned(),
        name: row.draft.name.clone(),
        notes: row.draft.notes.clone(),
        fields: row.draft.typed.clone(),
    });
    let meters = test.meters.iter().map(|one| MeterCell {
        reads: one.reads.name().to_owned(),
        place: one.place.map(|place| place.name().to_owned()),
        gear: one.meter.clone(),
        calibrated: one.calibrated.clone(),
    });
    let corrupt = |error: serde_json::Error| StoreError::Corrupt(error.to_string());
    let list = |text: String| if text == "[]" { String::new() } else { text };
    Ok([
        rig.map(|rig| serde_json::to_string(&rig_cell(rig))).transpose().map_err(corrupt)?.unwrap_or_default(),
        list(serde_json::to_string(&gear.collect::<Vec<_>>()).map_err(corrupt)?),
        list(serde_json::to_string(&meters.collect::<Vec<_>>()).map_err(corrupt)?),
        list(serde_json::to_string(&named.rigs.iter().map(rig_cell).collect::<Vec<_>>()).map_err(corrupt)?),
    ])
}

/// What a file says of a test's equipment, checked.
pub(super) struct Equipment {
    rig: Option<RigCell>,
    other_rigs: Vec<RigCell>,
    gear: Vec<(GearCell, GearDraft)>,
    meters: Vec<MeterUse>,
}

/// A panel of the file: its identity and its tag there, and what it is on this bench.
pub(super) struct PanelHere {
    pub uid: String,
    pub tag: String,
    pub here: Panel,
}

/// What of it is on this bench now.
#[derive(Debug, Clone, Default)]
pub(super) struct Brought {
    pub rig_id: Option<i64>,
    pub meters: Vec<MeterUse>,
    /// Identities of the file that this bench has under another one: (there, here).
    pub known_as: Vec<(String, String)>,
}

impl Equipment {
    /// Reads the cells. The error names the column.
    pub fn read(of: &dyn Fn(&str) -> String) -> Result<Self, (&'static str, String)> {
        fn json<T: serde::de::DeserializeOwned>(column: &'static str, text: &str) -> Result<Option<T>, (&'static str, String)> {
            if text.is_empty() {
                return Ok(None);
            }
            serde_json::from_str(text).map(Some).map_err(|error| (column, format!("this cannot be read: {error}.")))
        }
        let gear: Option<Vec<GearCell>> = json("gear", &of("gear"))?;
        let gear = gear.unwrap_or_default().into_iter().map(|cell| checked(&cell).map(|draft| (cell, draft)));
        let meters: Option<Vec<MeterCell>> = json("meters", &of("meters"))?;
        let meter = |cell: MeterCell| {
            let reads = Reads::from_name(&cell.reads)
                .ok_or_else(|| ("meters", format!("\"{}\" is nothing that a meter reads.", cell.reads)))?;
            let place = match &cell.place {
                Some(name) => Some(
                    MeterPosition::from_name(name).ok_or_else(|| ("meters", format!("\"{name}\" is no place of a meter.")))?,
                ),
                None => None,
            };
            Ok(MeterUse { reads, place, meter: cell.gear, calibrated: cell.calibrated })
        };
        Ok(Equipment {
            rig: json("rig", &of("rig"))?,
            other_rigs: json("other_rigs", &of("other_rigs"))?.unwrap_or_default(),
            gear: gear.collect::<Result<_, _>>()?,
            meters: meters.unwrap_or_default().into_iter().map(meter).collect::<Result<_, _>>()?,
        })
    }

    /// Finds it on this bench, and makes what is missing. The error names the column.
    pub async fn bring(
        &self,
        connection: &mut SqliteConnection,
        import_id: i64,
        panels: &[PanelHere],
    ) -> Result<Brought, (&'static str, StoreError)> {
        let renamed = panels.iter().filter(|panel| panel.uid != panel.here.uid);
        let mut brought = Brought {
            known_as: renamed.map(|panel| (panel.uid.clone(), panel.here.uid.clone())).collect(),
            ..Brought::default()
        };
        let bench = all_gear(connection).await.map_err(|error| ("gear", error))?;
        for (cell, draft) in &self.gear {
            let here = bring_gear(connection, import_id, &bench, cell, draft).await.map_err(|error| ("gear", error))?;
            if here != cell.uid {
                brought.known_as.push((cell.uid.clone(), here));
            }
        }
        brought.meters = self.meters.iter().map(|one| MeterUse { meter: brought.here(&one.meter), ..one.clone() }).collect();
        let there = all_gear(connection).await.map_err(|error| ("gear", error))?;
        if let Some(gone) = brought.meters.iter().find(|one| !there.iter().any(|row| row.uid == one.meter)) {
            let message = format!("the meter \"{}\" is neither among the gear of the file nor on this bench.", gone.meter);
            return Err(("meters", StoreError::Conflict(message)));
        }
        let own = self.rig.iter().map(|rig| ("rig", rig));
        for (column, rig) in own.chain(self.other_rigs.iter().map(|rig| ("other_rigs", rig))) {
            let (id, uid) = bring_rig(connection, import_id, rig, &brought, panels).await.map_err(|error| (column, error))?;
            if uid != rig.uid {
                brought.known_as.push((rig.uid.clone(), uid));
            }
            if column == "rig" {
                brought.rig_id = Some(id);
            }
        }
        Ok(brought)
    }
}

impl Brought {
    fn here(&self, uid: &str) -> String {
        self.known_as.iter().find(|(there, _)| there == uid).map_or_else(|| uid.to_owned(), |(_, here)| here.clone())
    }

    /// A plan or a state of the file with the identities of this bench: each stands in quotes and is long enough to be nothing else.
    pub fn with_own_identities(&self, json: &str) -> String {
        self.known_as
            .iter()
            .fold(json.to_owned(), |text, (there, here)| text.replace(&format!("\"{there}\""), &format!("\"{here}\"")))
    }
}

fn checked(cell: &GearCell) -> Result<GearDraft, (&'static str, String)> {
    let kind =
        GearKind::from_name(&cell.kind).ok_or_else(|| ("gear", format!("\"{}\" is no kind of gear known here.", cell.kind)))?;
    if cell.uid.trim().is_empty() || cell.name.trim().is_empty() {
        return Err(("gear", "a piece needs a uid and a name.".to_owned()));
    }
    bounds::check_note("gear", &cell.notes).map_err(|refused| ("gear", refused.sentence))?;
    kind.check(&cell.fields).map_err(|notes| {
        let why = notes.first().map(|note| format!("{}: {}", note.field, note.text)).unwrap_or_default();
        ("gear", format!("\"{}\" cannot be: {why}", cell.name))
    })?;
    Ok(GearDraft { kind, name: cell.name.clone(), notes: cell.notes.clone(), typed: cell.fields.clone() })
}

/// The identity of a piece on this bench; it is made where there is none.
async fn bring_gear(
    connection: &mut SqliteConnection,
    import_id: i64,
    bench: &[GearRow],
    cell: &GearCell,
    draft: &GearDraft,
) -> Result<String, StoreError> {
    if let Some(known) = bench.iter().find(|row| row.uid == cell.uid) {
        return Ok(known.uid.clone());
    }
    let of_its_name = bench.iter().find(|row| row.draft.kind == draft.kind && row.draft.name.eq_ignore_ascii_case(&draft.name));
    match of_its_name {
        Some(same) if same.draft.typed == draft.typed => Ok(same.uid.clone()),
        Some(_) => Err(StoreError::Conflict(format!(
            "another piece of gear is called \"{}\" on this bench and has other figures: rename one of the two.",
            draft.name
        ))),
        None => {
            let id = insert_gear(connection, &cell.uid, draft).await?;
            note_added(connection, import_id, Added::Gear, id).await?;
            Ok(cell.uid.clone())
        }
    }
}

/// The number and the identity of a rig on this bench; it is made where there is none.
async fn bring_rig(
    connection: &mut SqliteConnection,
    import_id: i64,
    cell: &RigCell,
    brought: &Brought,
    panels: &[PanelHere],
) -> Result<(i64, String), StoreError> {
    let bench = all_gear(connection).await?;
    let id_of = |uid: &Option<String>| -> Result<Option<i64>, StoreError> {
        let Some(uid) = uid else { return Ok(None) };
        let here = brought.here(uid);
        let found = bench.iter().find(|row| row.uid == here).map(|row| row.id);
        found.map(Some).ok_or_else(|| StoreError::Conflict(format!("the piece \"{uid}\" of the rig is not among its gear.")))
    };
    let mut meters = Vec::new();
    for (spot, uid) in &cell.meters {
        let spot = MeterPosition::from_name(spot)
            .ok_or_else(|| StoreError::Conflict(format!("\"{spot}\" is no place of a meter in a rig.")))?;
        meters.extend(id_of(&Some(uid.clone()))?.map(|id| (spot, id)));
    }
    meters.sort_unstable();
    let ends_in = match &cell.ends_in {
        Some(name) => Some(
            RigLoad::from_name(name).ok_or_else(|| StoreError::Conflict(format!("\"{name}\" is nothing that a rig ends in.")))?,
        ),
        None => None,
    };
    parse(&cell.wiring).map_err(StoreError::Conflict)?;
    // A panel that this bench knows by another tag.
    let wiring = panels.iter().fold(cell.wiring.clone(), |line, panel| {
        let tag = &panel.here.draft.tag;
        if *tag == panel.tag { line } else { renamed(&line, &panel.tag, tag).unwrap_or(line) }
    });
    let draft = RigDraft {
        name: cell.name.clone(),
        wiring,
        string_fuse_id: id_of(&cell.string_fuse)?,
        joint_id: id_of(&cell.joint)?,
        lead_id: id_of(&cell.lead)?,
        sink_id: id_of(&cell.sink)?,
        battery_id: id_of(&cell.battery)?,
        ends_in,
        meters,
    };
    match find_rig(connection, &cell.uid, &cell.name).await? {
        Some(known) if known.uid == cell.uid || known.draft == draft => Ok((known.id, known.uid)),
        Some(_) => Err(StoreError::Conflict(format!(
            "another rig is called \"{}\" on this bench and is wired otherwise: rename one of the two.",
            cell.name
        ))),
        None => {
            let id = insert_rig(connection, &cell.uid, &draft).await?;
            note_added(connection, import_id, Added::Rig, id).await?;
            Ok((id, cell.uid.clone()))
        }
    }
}
