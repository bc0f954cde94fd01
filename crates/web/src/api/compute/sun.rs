//! Where the sun stands, and when it rises, crosses the meridian and sets.

use super::{Body, civil_day, moment, one_or_many, refused, unix_s};
use crate::error::{AppError, InputError};
use axum::Json;
use flindo_core::sky::air::pressure_pa;
use flindo_core::sky::daylight::daylight;
use flindo_core::sky::place::Place;
use flindo_core::sky::sun::{AIR_C, DELTA_T_S, Instant};
use jiff::Timestamp;
use serde::{Deserialize, Serialize};
use serde_json::Value;
use utoipa::ToSchema;

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct PositionInput {
    /// RFC 3339.
    time_utc: String,
    lat_deg: f64,
    /// East positive.
    lon_deg: f64,
    elevation_m: f64,
    /// That of the standard atmosphere at the elevation if absent.
    pressure_pa: Option<f64>,
    /// 12 if absent.
    temperature_c: Option<f64>,
    /// 67 if absent.
    delta_t_s: Option<f64>,
}

#[derive(Serialize, ToSchema)]
pub struct PositionOutput {
    zenith_true_deg: f64,
    zenith_apparent_deg: f64,
    /// From north, clockwise.
    azimuth_deg: f64,
    equation_of_time_min: f64,
}

/// The sun from a place: NREL SPA (Reda and Andreas 2004).
#[utoipa::path(
    post,
    path = "/sun-position",
    request_body = PositionInput,
    responses((status = 200, body = PositionOutput), (status = 422, description = "Which input was refused"))
)]
pub async fn position(body: Body) -> Result<Json<Value>, AppError> {
    one_or_many(body, sun_position, 20).await
}

fn sun_position(input: PositionInput) -> Result<PositionOutput, InputError> {
    let place = Place::check(input.lat_deg, input.lon_deg, input.elevation_m).map_err(refused)?;
    let time = moment("time_utc", &input.time_utc)?;
    let instant = Instant::at(unix_s(time), input.delta_t_s.unwrap_or(DELTA_T_S)).map_err(refused)?;
    let pressure_pa = input.pressure_pa.unwrap_or_else(|| pressure_pa(place.elevation_m));
    let sun = instant.seen_from(&place, pressure_pa, input.temperature_c.unwrap_or(AIR_C)).map_err(refused)?;
    Ok(PositionOutput {
        zenith_true_deg: sun.zenith_true_deg,
        zenith_apparent_deg: sun.zenith_apparent_deg,
        azimuth_deg: sun.azimuth_deg,
        equation_of_time_min: instant.equation_of_time_min(),
    })
}

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct DayInput {
    /// The civil day, such as 2026-06-01.
    date: String,
    lat_deg: f64,
    lon_deg: f64,
    /// By how much its clocks are ahead of UTC.
    utc_offset_h: f64,
    /// 67 if absent.
    delta_t_s: Option<f64>,
}

#[derive(Serialize, ToSchema)]
pub struct DayOutput {
    /// Null where there is none on this day.
    sunrise_utc: Option<String>,
    transit_utc: Option<String>,
    sunset_utc: Option<String>,
    /// "day" or "night" where the sun neither rises nor sets.
    #[serde(skip_serializing_if = "Option::is_none")]
    polar: Option<&'static str>,
}

/// Sunrise, transit and sunset of a civil day.
#[utoipa::path(
    post,
    path = "/sun-day",
    request_body = DayInput,
    responses((status = 200, body = DayOutput), (status = 422, description = "Which input was refused"))
)]
pub async fn day(body: Body) -> Result<Json<Value>, AppError> {
    one_or_many(body, sun_day, 800).await
}

fn sun_day(input: DayInput) -> Result<DayOutput, InputError> {
    let place = Place::check(input.lat_deg, input.lon_deg, 0.0).map_err(refused)?;
    let date = civil_day("date", &input.date)?;
    let day = daylight(date, &place, input.utc_offset_h, input.delta_t_s.unwrap_or(DELTA_T_S)).map_err(refused)?;
    let text = |unix_s: Option<f64>| {
        let time = unix_s.and_then(|unix_s| Timestamp::from_millisecond((unix_s * 1000.0).round() as i64).ok());
        time.map(|time| time.to_string())
    };
    Ok(DayOutput {
        sunrise_utc: text(day.sunrise_s),
        transit_utc: text(day.transit_s),
        sunset_utc: text(day.sunset_s),
        polar: day.polar.map(flindo_core::sky::daylight::Polar::name),
    })
}
