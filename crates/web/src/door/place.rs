//! A place out of a form or a body, and back.

use crate::door::typed::{Notes, Pairs, needed_number, number, value};
use flindo_core::sky::clear_sky::Clarity;
use flindo_core::sky::place::{Ground, Horizon, Place};
use flindo_store::PlaceDraft;
use jiff::tz::TimeZone;

/// Every time zone known here.
pub fn zones() -> Vec<String> {
    jiff::tz::db().available().map(|name| name.to_string()).collect()
}

pub fn typed_of(draft: PlaceDraft) -> Pairs {
    let PlaceDraft { name, place, time_zone, horizon, ground, clarity, coldest_c, hottest_c } = draft;
    let typed = [
        ("name", name),
        ("lat_deg", place.lat_deg.to_string()),
        ("lon_deg", place.lon_deg.to_string()),
        ("elevation_m", place.elevation_m.to_string()),
        ("time_zone", time_zone),
        ("horizon", horizon.as_text()),
        ("ground", ground.name().to_owned()),
        ("clarity", clarity.name().to_owned()),
        ("coldest_c", coldest_c.to_string()),
        ("hottest_c", hottest_c.to_string()),
    ];
    typed.map(|(name, text)| (name.to_owned(), text)).to_vec()
}

/// A place out of its form; what is wrong stands in the notes.
pub fn draft_of(typed: &Pairs, notes: &mut Notes) -> Option<PlaceDraft> {
    let text = |name: &str| value(typed, name).trim();
    let name = text("name").to_owned();
    if name.is_empty() || name.chars().count() > 60 {
        notes.add("name", "refused", "Write 1 to 60 characters.".to_owned());
    }
    let lat_deg = needed_number(typed, "lat_deg", (-90.0, 90.0), notes);
    let lon_deg = needed_number(typed, "lon_deg", (-180.0, 180.0), notes);
    let elevation_m = or_usual(typed, "elevation_m", (-450.0, 9000.0), 0.0, notes);
    let coldest_c = or_usual(typed, "coldest_c", (-70.0, 40.0), -5.0, notes);
    let hottest_c = or_usual(typed, "hottest_c", (-20.0, 60.0), 40.0, notes);
    if let (Some(coldest_c), Some(hottest_c)) = (coldest_c, hottest_c)
        && coldest_c > hottest_c
    {
        notes.add("coldest_c", "refused", format!("{coldest_c} is above the highest, {hottest_c}."));
    }
    let zone = text("time_zone");
    if TimeZone::get(zone).is_err() {
        notes.add("time_zone", "refused", format!("\"{zone}\" is not a time zone known here: choose one such as Europe/Lisbon."));
    }
    let horizon = Horizon::parse(text("horizon")).map_err(|error| notes.add("horizon", "refused", format!("{error}."))).ok();
    let ground = Ground::from_name(text("ground")).unwrap_or_default();
    let clarity = Clarity::from_name(text("clarity")).unwrap_or_default();
    if notes.has("refused") {
        return None;
    }
    Some(PlaceDraft {
        name,
        place: Place::check(lat_deg?, lon_deg?, elevation_m?).ok()?,
        time_zone: zone.to_owned(),
        horizon: horizon?,
        ground,
        clarity,
        coldest_c: coldest_c?,
        hottest_c: hottest_c?,
    })
}

/// A field that takes its usual value when it is empty.
pub fn or_usual(typed: &Pairs, field: &'static str, range: (f64, f64), usual: f64, notes: &mut Notes) -> Option<f64> {
    if value(typed, field).trim().is_empty() { Some(usual) } else { number(typed, field, range, notes) }
}
