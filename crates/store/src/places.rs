//! Where the bench stands, and the weather of a place.

use crate::PlaceDraft;
use crate::PlaceRow;
use crate::WeatherRow;
use crate::connections::Store;
use crate::error::StoreError;
use crate::withdrawals::Withdrawable;
use flindo_core::energy::epw::Weather;
use flindo_core::sky::clear_sky::Clarity;
use flindo_core::sky::place::{Ground, Horizon, Place};
use sha2::{Digest, Sha256};
use sqlx::sqlite::SqliteRow;
use sqlx::{Row, SqliteConnection};

const COLUMNS: &str = "id, uid, name, lat_deg, lon_deg, elevation_m, time_zone, horizon, ground, clarity, coldest_c, hottest_c";

impl Store {
    /// All places by name, but for those that are withdrawn.
    pub async fn places(&self) -> Result<Vec<PlaceRow>, StoreError> {
        let withdrawn = self.withdrawn_ids(Withdrawable::Place).await?;
        Ok(self.read_places().await?.into_iter().filter(|row| !withdrawn.contains(&row.id)).collect())
    }

    pub(crate) async fn read_places(&self) -> Result<Vec<PlaceRow>, StoreError> {
        let sql = sqlx::AssertSqlSafe(format!("SELECT {COLUMNS} FROM places ORDER BY name"));
        sqlx::query(sql).fetch_all(&self.reader).await?.iter().map(place_from).collect()
    }

    pub async fn place(&self, id: i64) -> Result<PlaceRow, StoreError> {
        let sql = sqlx::AssertSqlSafe(format!("SELECT {COLUMNS} FROM places WHERE id = ?"));
        let row = sqlx::query(sql).bind(id).fetch_optional(&self.reader).await?;
        place_from(&row.ok_or(StoreError::NotFound("place"))?)
    }

    /// The place in use, if there is one.
    pub async fn current_place(&self) -> Result<Option<PlaceRow>, StoreError> {
        let sql = sqlx::AssertSqlSafe(format!("SELECT {COLUMNS} FROM places WHERE id = (SELECT place_id FROM bench)"));
        sqlx::query(sql).fetch_optional(&self.reader).await?.as_ref().map(place_from).transpose()
    }

    /// Adds a place and uses it from now on; answers its id.
    pub async fn add_place(&self, draft: &PlaceDraft) -> Result<i64, StoreError> {
        let mut writer = self.writer()?.acquire().await?;
        let id = insert_place(&mut writer, &crate::new_uid(), draft).await?;
        drop(writer);
        self.use_place(id).await?;
        Ok(id)
    }

    pub async fn change_place(&self, id: i64, draft: &PlaceDraft) -> Result<(), StoreError> {
        let sql = "UPDATE places SET name = ?, lat_deg = ?, lon_deg = ?, elevation_m = ?, time_zone = ?, horizon = ?, ground = ?, \
                   clarity = ?, coldest_c = ?, hottest_c = ? WHERE id = ?";
        let done = bind_draft(sqlx::query(sql), draft)
            .bind(id)
            .execute(self.writer()?)
            .await
            .map_err(|error| name_taken(error, draft))?;
        if done.rows_affected() == 0 { Err(StoreError::NotFound("place")) } else { Ok(()) }
    }

    /// Uses a place from now on; tests made before keep theirs.
    pub async fn use_place(&self, id: i64) -> Result<(), StoreError> {
        self.place(id).await?;
        sqlx::query("UPDATE bench SET place_id = ?").bind(id).execute(self.writer()?).await?;
        Ok(())
    }

    /// All years of weather by name.
    pub async fn weathers(&self) -> Result<Vec<WeatherRow>, StoreError> {
        Ok(sqlx::query_as("SELECT id, name, lat_deg, lon_deg FROM weather ORDER BY name").fetch_all(&self.reader).await?)
    }

    /// The file of a year of weather.
    pub async fn weather_file(&self, id: i64) -> Result<String, StoreError> {
        let file = sqlx::query_scalar("SELECT file FROM weather WHERE id = ?").bind(id).fetch_optional(&self.reader).await?;
        file.ok_or(StoreError::NotFound("weather"))
    }

    /// Keeps a file that was read as weather; the same file a second time is the one that is there. Answers its id.
    pub async fn add_weather(&self, weather: &Weather, file: &str) -> Result<i64, StoreError> {
        let sum: String = Sha256::digest(file.as_bytes()).iter().map(|byte| format!("{byte:02x}")).collect();
        sqlx::query("INSERT OR IGNORE INTO weather (name, lat_deg, lon_deg, sum, file) VALUES (?, ?, ?, ?, ?)")
            .bind(&weather.name)
            .bind(weather.place.lat_deg)
            .bind(weather.place.lon_deg)
            .bind(&sum)
            .bind(file)
            .execute(self.writer()?)
            .await?;
        Ok(sqlx::query_scalar("SELECT id FROM weather WHERE sum = ?").bind(&sum).fetch_one(self.writer()?).await?)
    }
}

pub(crate) async fn insert_place(connection: &mut SqliteConnection, uid: &str, draft: &PlaceDraft) -> Result<i64, StoreError> {
    let sql = "INSERT INTO places (name, lat_deg, lon_deg, elevation_m, time_zone, horizon, ground, clarity, coldest_c, hottest_c, uid) \
               VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)";
    let done =
        bind_draft(sqlx::query(sql), draft).bind(uid).execute(connection).await.map_err(|error| name_taken(error, draft))?;
    Ok(done.last_insert_rowid())
}

/// The place of this identity, and else of this name.
pub(crate) async fn find_place(connection: &mut SqliteConnection, uid: &str, name: &str) -> Result<Option<PlaceRow>, StoreError> {
    let sql = format!("SELECT {COLUMNS} FROM places WHERE uid = ? OR name = ? ORDER BY uid = ? DESC LIMIT 1");
    let row = sqlx::query(sqlx::AssertSqlSafe(sql)).bind(uid).bind(name).bind(uid).fetch_optional(connection).await?;
    row.as_ref().map(place_from).transpose()
}

fn name_taken(error: sqlx::Error, draft: &PlaceDraft) -> StoreError {
    if StoreError::is_unique(&error) {
        StoreError::Conflict(format!("There is a place called \"{}\" already.", draft.name))
    } else {
        error.into()
    }
}

type Query<'q> = sqlx::query::Query<'q, sqlx::Sqlite, sqlx::sqlite::SqliteArguments>;

fn bind_draft<'q>(query: Query<'q>, draft: &'q PlaceDraft) -> Query<'q> {
    query
        .bind(&draft.name)
        .bind(draft.place.lat_deg)
        .bind(draft.place.lon_deg)
        .bind(draft.place.elevation_m)
        .bind(&draft.time_zone)
        .bind(draft.horizon.as_text())
        .bind(draft.ground.name())
        .bind(draft.clarity.name())
        .bind(draft.coldest_c)
        .bind(draft.hottest_c)
}

fn place_from(row: &SqliteRow) -> Result<PlaceRow, StoreError> {
    let name: String = row.try_get("name")?;
    let corrupt = |what: &str| StoreError::Corrupt(format!("the {what} of the place {name}"));
    let place = Place::check(row.try_get("lat_deg")?, row.try_get("lon_deg")?, row.try_get("elevation_m")?);
    let (horizon, ground, clarity): (String, String, String) =
        (row.try_get("horizon")?, row.try_get("ground")?, row.try_get("clarity")?);
    Ok(PlaceRow {
        id: row.try_get("id")?,
        uid: row.try_get("uid")?,
        draft: PlaceDraft {
            place: place.map_err(|_| corrupt("position"))?,
            time_zone: row.try_get("time_zone")?,
            horizon: Horizon::parse(&horizon).map_err(|_| corrupt("horizon"))?,
            ground: Ground::from_name(&ground).ok_or_else(|| corrupt("ground"))?,
            clarity: Clarity::from_name(&clarity).ok_or_else(|| corrupt("air"))?,
            coldest_c: row.try_get("coldest_c")?,
            hottest_c: row.try_get("hottest_c")?,
            name,
        },
    })
}
