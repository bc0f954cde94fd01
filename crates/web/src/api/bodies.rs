//! What the bodies of the door hold, for its description. They are read field by field through the checks of the forms, so that a program
//! and a page are told the same; their schemas are made from the very lists by which those checks refuse other fields.

use utoipa::openapi::schema::{AdditionalProperties, SchemaType, Type};
use utoipa::openapi::{ObjectBuilder, RefOr, Schema};
use utoipa::{PartialSchema, ToSchema};

/// The fields of a body.
pub(super) trait Fields {
    /// A text, a number, or yes and no, as a form would send it.
    const PLAIN: &'static [&'static str];
    /// Objects and lists, and what may be one.
    const NESTED: &'static [&'static str] = &[];
    const REQUIRED: &'static [&'static str] = &[];
    /// Other fields are refused.
    const ONLY: bool = true;
}

/// What an answer says of a record besides its fields may stand in the body that changes it.
const OF_ANSWERS: &[&str] = &["id", "changed", "not_looked_at"];

fn schema_of<T: Fields>() -> RefOr<Schema> {
    let plain = [Type::String, Type::Number, Type::Boolean, Type::Null];
    let mut object = ObjectBuilder::new();
    for name in T::PLAIN {
        let field = ObjectBuilder::new().schema_type(SchemaType::from_iter(plain.clone()));
        object = object.property(*name, field);
    }
    for name in T::NESTED {
        object = object.property(*name, ObjectBuilder::new().schema_type(SchemaType::AnyValue));
    }
    for name in T::REQUIRED {
        object = object.required(*name);
    }
    if T::ONLY {
        object = object.additional_properties(Some(AdditionalProperties::<Schema>::FreeForm(false)));
    }
    RefOr::T(object.into())
}

/// A body by its fields.
macro_rules! bodies {
    ($($(#[$about:meta])* $name:ident { $($field:ident: $list:expr),+ $(,)? })+) => {$(
        $(#[$about])*
        pub(super) struct $name;

        impl Fields for $name {
            $(bodies!(@ $field $list);)+
        }
        impl PartialSchema for $name {
            fn schema() -> RefOr<Schema> {
                schema_of::<Self>()
            }
        }
        impl ToSchema for $name {}
    )+};
    (@ plain $list:expr) => { const PLAIN: &'static [&'static str] = $list; };
    (@ nested $list:expr) => { const NESTED: &'static [&'static str] = $list; };
    (@ required $list:expr) => { const REQUIRED: &'static [&'static str] = $list; };
    (@ only $list:expr) => { const ONLY: bool = $list; };
}

bodies! {
    /// Something that happened to a run.
    RunEventBody { plain: &["what", "text", "at_utc", "uid"], required: &["what"] }
    /// What a run of an open test was really of.
    RunStateBody { plain: &["uid"], nested: &["state"], required: &["state"] }
    /// What was done to a panel.
    PanelEventBody { plain: &["day", "what", "text"], required: &["day", "what"] }
    /// What a meter is recorded for.
    RecordBody { plain: &["test", "run"] }
    /// The bench's own settings.
    BenchBody { plain: &["name", "time_zone", "currency"] }
    /// A set-up of a page of Plan under a name.
    CalculationBody { plain: &["page", "name"], nested: &["fields"], required: &["page", "name", "fields"] }
    /// A test; `setup`, `meters` and `plan` are objects.
    TestBody { plain: &["uid", "question", "panel", "rig", "place"], nested: &["setup", "meters", "plan"], required: &["question"] }
    /// How a test is set up, and which meter of the bench reads what.
    SetupBody { plain: &[], nested: &["setup", "meters"] }
    PlaceBody {
        nested: OF_ANSWERS,
        plain: &["uid", "name", "lat_deg", "lon_deg", "elevation_m", "time_zone", "ground", "clarity", "coldest_c", "hottest_c", "horizon"],
        required: &["name", "lat_deg", "lon_deg", "time_zone"],
    }
    RigBody {
        plain: &["uid", "name", "wiring", "ends_in", "controller", "battery", "lead", "joint", "string_fuse"],
        nested: &["meters", "id", "changed", "not_looked_at"],
        required: &["name", "wiring"],
    }
    /// `kind`: the name of one, or a label with a name.
    PanelBody {
        plain: &["uid", "tag", "is_used", "age_years", "price", "provenance", "notes", "keep_contradictions"],
        nested: &["kind", "defects", "batch", "id", "changed", "not_looked_at"],
        required: &["tag", "kind"],
    }
    /// A label with a name: the fields of the label as they stand on it.
    KindBody { plain: &["uid", "name", "price", "keep_contradictions"], required: &["name"], only: false }
    /// Which fields follow depends on the kind.
    GearBody { plain: &["uid", "kind", "name", "notes"], required: &["kind", "name"], only: false }
    /// A review: the tests of it by their uids, and claims as sentences.
    ReviewBody { plain: &["name", "notes"], nested: &["tests", "claims"] }
    /// What a log belongs to, and how its meter stood.
    LogOfBody { plain: &["test", "panel", "rig", "place", "side", "tilt_deg", "azimuth_deg", "meter_percent", "clock_ahead_s"] }
    /// The stops that somebody goes on in spite of, by their keys.
    StopsBody { plain: &[], nested: &["stops"], required: &["stops"] }
    /// A level once more.
    RepeatBody { plain: &["level", "uid"] }
    /// What a live meter shows, as a reading.
    MeterTakeBody { plain: &["meter", "run", "uid"], required: &["meter"] }
    /// A stretch of a log, as a reading.
    StretchBody { plain: &["from_utc", "to_utc", "run"], required: &["from_utc", "to_utc"] }
    /// A page of a notebook.
    NotebookBody { plain: &["text", "hangs", "day", "first", "apart_min", "as_notes", "preview"], required: &["text"] }
    WithdrawalBody { plain: &["reason"] }
    /// `samples`: a list of objects with a time and quantities.
    LogBody {
        plain: &["name", "test", "panel", "rig", "place", "side", "tilt_deg", "azimuth_deg", "meter_percent"],
        nested: &["samples"],
        required: &["samples"],
    }
}

/// Every field of a body, for the check that refuses others.
pub(super) fn known<T: Fields>() -> Vec<&'static str> {
    [T::PLAIN, T::NESTED].concat()
}
