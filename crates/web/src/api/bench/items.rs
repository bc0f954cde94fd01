//! Places, kinds, panels, gear and rigs as programs get them.

use flindo_core::panel::label::LabelTyped;
use flindo_core::rig::RigLoad;
use flindo_store::{GearRow, Kind, Panel, PlaceRow, RigRow};
use serde::Serialize;
use serde_json::Value;
use std::collections::BTreeMap;
use utoipa::ToSchema;

/// A place that tests are made at.
#[derive(Debug, Serialize, ToSchema)]
pub struct PlaceItem {
    id: i64,
    uid: String,
    name: String,
    lat_deg: f64,
    lon_deg: f64,
    elevation_m: f64,
    time_zone: String,
    ground: &'static str,
    clarity: &'static str,
    coldest_c: f64,
    hottest_c: f64,
    /// Azimuth and elevation of what hides the sun: "90 12; 120 8".
    horizon: String,
}

/// A kind of panel. The fields of its label have the names and units of the form; null where the label lacks one.
#[derive(Debug, Serialize, ToSchema)]
pub struct KindItem {
    id: i64,
    uid: String,
    name: String,
    price: Option<f64>,
    #[serde(flatten)]
    label: BTreeMap<&'static str, Value>,
}

/// A panel.
#[derive(Debug, Serialize, ToSchema)]
pub struct PanelItem {
    id: i64,
    uid: String,
    tag: String,
    kind: KindItem,
    is_used: bool,
    age_years: Option<f64>,
    /// Its own, and else that of its kind.
    price: Option<f64>,
    provenance: String,
    notes: String,
    defects: Vec<&'static str>,
}

/// Panels that were added.
#[derive(Debug, Serialize, ToSchema)]
pub struct PanelsAdded {
    /// The first of them.
    #[serde(flatten)]
    pub(super) of: PanelItem,
    /// Of several.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(super) ids: Option<Vec<i64>>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(super) tags: Option<Vec<String>>,
}

/// A piece of gear, with the fields of its kind.
#[derive(Debug, Serialize, ToSchema)]
pub struct GearItem {
    id: i64,
    uid: String,
    name: String,
    notes: String,
    kind: &'static str,
    #[serde(flatten)]
    fields: BTreeMap<String, Value>,
}

/// A rig: gear by its names.
#[derive(Debug, Serialize, ToSchema)]
pub struct RigItem {
    id: i64,
    uid: String,
    name: String,
    wiring: String,
    ends_in: Option<&'static str>,
    controller: Option<String>,
    battery: Option<String>,
    lead: Option<String>,
    joint: Option<String>,
    string_fuse: Option<String>,
    /// By their positions.
    meters: BTreeMap<&'static str, Option<String>>,
}

/// As a number where it is one.
fn plain(text: &str) -> Value {
    text.parse::<f64>().map_or_else(|_| text.into(), Value::from)
}

impl From<PlaceRow> for PlaceItem {
    fn from(row: PlaceRow) -> Self {
        let draft = row.draft;
        PlaceItem {
            id: row.id,
            uid: row.uid,
            name: draft.name,
            lat_deg: draft.place.lat_deg,
            lon_deg: draft.place.lon_deg,
            elevation_m: draft.place.elevation_m,
            time_zone: draft.time_zone,
            ground: draft.ground.name(),
            clarity: draft.clarity.name(),
            coldest_c: draft.coldest_c,
            hottest_c: draft.hottest_c,
            horizon: draft.horizon.as_text(),
        }
    }
}

impl From<&Kind> for KindItem {
    fn from(kind: &Kind) -> Self {
        let typed = LabelTyped::of(&kind.draft.nameplate);
        let field = |name: &&'static str| {
            let text = typed.get(name).unwrap_or_default();
            (*name, if text.is_empty() { Value::Null } else { plain(text) })
        };
        KindItem {
            id: kind.id,
            uid: kind.uid.clone(),
            name: kind.draft.name.clone(),
            price: kind.draft.price,
            label: LabelTyped::FIELDS.iter().map(field).collect(),
        }
    }
}

impl From<&Panel> for PanelItem {
    fn from(panel: &Panel) -> Self {
        let draft = &panel.draft;
        PanelItem {
            id: panel.id,
            uid: panel.uid.clone(),
            tag: draft.tag.clone(),
            kind: (&panel.kind).into(),
            is_used: draft.is_used,
            age_years: draft.age_years,
            price: panel.price(),
            provenance: draft.provenance.clone(),
            notes: draft.notes.clone(),
            defects: draft.wear.iter().map(|wear| wear.name()).collect(),
        }
    }
}

impl From<GearRow> for GearItem {
    fn from(row: GearRow) -> Self {
        let fields = row.draft.typed.iter().map(|(name, text)| {
            let name = if name == "kind" { "meter_kind" } else { name.as_str() };
            (name.to_owned(), plain(text))
        });
        GearItem {
            id: row.id,
            uid: row.uid,
            name: row.draft.name,
            notes: row.draft.notes,
            kind: row.draft.kind.name(),
            fields: fields.collect(),
        }
    }
}

impl RigItem {
    pub(super) fn of(row: RigRow, gear: &[GearRow]) -> Self {
        let draft = row.draft;
        let name = |id: Option<i64>| id.and_then(|id| gear.iter().find(|row| row.id == id)).map(|row| row.draft.name.clone());
        RigItem {
            id: row.id,
            uid: row.uid,
            name: draft.name,
            wiring: draft.wiring,
            ends_in: draft.ends_in.map(RigLoad::name),
            controller: name(draft.sink_id),
            battery: name(draft.battery_id),
            lead: name(draft.lead_id),
            joint: name(draft.joint_id),
            string_fuse: name(draft.string_fuse_id),
            meters: draft.meters.iter().map(|(spot, id)| (spot.name(), name(Some(*id)))).collect(),
        }
    }
}
