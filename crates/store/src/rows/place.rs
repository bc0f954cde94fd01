//! A place, and a weather file.

use flindo_core::sky::clear_sky::Clarity;
use flindo_core::sky::course::Site;
use flindo_core::sky::place::{Ground, Horizon, Place};
use sqlx::FromRow;
use sqlx::Row;
use sqlx::sqlite::SqliteRow;

/// A place to be written.
#[derive(Debug, Clone, PartialEq)]
pub struct PlaceDraft {
    pub name: String,
    pub place: Place,
    /// IANA name.
    pub time_zone: String,
    pub horizon: Horizon,
    pub ground: Ground,
    pub clarity: Clarity,
    /// Lowest air temperature to expect, C.
    pub coldest_c: f64,
    /// Highest air temperature to expect, C.
    pub hottest_c: f64,
}

impl PlaceDraft {
    /// The place with all that shapes its light, for the core.
    pub fn site(&self) -> Site {
        Site {
            place: self.place,
            horizon: self.horizon.clone(),
            albedo: self.ground.albedo(),
            linke_turbidity: self.clarity.linke_turbidity(),
        }
    }
}

/// A place of this bench.
#[derive(Debug, Clone, PartialEq)]
pub struct PlaceRow {
    pub id: i64,
    pub uid: String,
    pub draft: PlaceDraft,
}

/// A year of weather of this bench, without its hours.
#[derive(Debug, Clone, PartialEq)]
pub struct WeatherRow {
    pub id: i64,
    pub name: String,
    pub lat_deg: f64,
    pub lon_deg: f64,
}

impl FromRow<'_, SqliteRow> for WeatherRow {
    fn from_row(row: &SqliteRow) -> Result<Self, sqlx::Error> {
        Ok(WeatherRow {
            id: row.try_get("id")?,
            name: row.try_get("name")?,
            lat_deg: row.try_get("lat_deg")?,
            lon_deg: row.try_get("lon_deg")?,
        })
    }
}
