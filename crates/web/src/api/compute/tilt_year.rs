//! A year of clear hours on planes of different tilt.

use super::{Body, not_a, one_or_many, refused};
use crate::error::{AppError, InputError};
use axum::Json;
use flindo_core::energy::tilt_year::{Light, Year, monthly_kwh_m2_by_steps};
use flindo_core::sky::place::Place;
use flindo_core::sky::plane::Plane;
use serde::{Deserialize, Serialize};
use serde_json::Value;
use utoipa::ToSchema;

/// A tilt for every half degree to a quarter turn, and as many again.
const MOST_TILTS: usize = 361;

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct TiltYearInput {
    lat_deg: f64,
    lon_deg: f64,
    elevation_m: f64,
    /// Of local standard time.
    utc_offset_h: f64,
    year: i16,
    azimuth_deg: f64,
    linke_turbidity: f64,
    albedo: f64,
    tilts_deg: Vec<f64>,
    /// Instants in every hour, 1 to 60, each in the middle of its step; 1 where none is given. The best tilts are those of one in every
    /// hour.
    #[serde(default)]
    steps_per_hour: Option<u32>,
}

#[derive(Serialize, ToSchema)]
pub struct TiltYearOutput {
    annual_kwh_m2: Vec<f64>,
    /// By tilt, then by month.
    monthly_kwh_m2: Vec<[f64; 12]>,
    best_tilt_year_deg: f64,
    best_tilt_month_deg: [f64; 12],
}

/// A year on planes: clear sky, Perez 1990, one instant at the middle of every hour of local standard time.
#[utoipa::path(
    post,
    path = "/tilt-year",
    request_body = TiltYearInput,
    responses((status = 200, body = TiltYearOutput), (status = 422, description = "Which input was refused"))
)]
pub async fn compute(body: Body) -> Result<Json<Value>, AppError> {
    one_or_many(body, tilt_year, 5000).await
}

fn tilt_year(input: TiltYearInput) -> Result<TiltYearOutput, InputError> {
    let place = Place::check(input.lat_deg, input.lon_deg, input.elevation_m).map_err(refused)?;
    if input.tilts_deg.len() > MOST_TILTS {
        let count = input.tilts_deg.len().to_string();
        return Err(not_a("tilts_deg", &count, "a number of tilts for one year", &format!("up to {MOST_TILTS} tilts")));
    }
    let plane = |tilt_deg: &f64| Plane::check(*tilt_deg, input.azimuth_deg).map_err(refused);
    let planes: Vec<Plane> = input.tilts_deg.iter().map(plane).collect::<Result<_, _>>()?;
    plane(&0.0)?;
    let light = Light::Clear { linke_turbidity: input.linke_turbidity };
    let year = Year::of(&place, input.utc_offset_h, input.year, light, input.albedo).map_err(refused)?;
    let monthly_kwh_m2: Vec<[f64; 12]> = match input.steps_per_hour {
        None | Some(1) => planes.iter().map(|plane| year.monthly_kwh_m2(plane)).collect(),
        Some(steps) => {
            let when = (input.utc_offset_h, input.year);
            monthly_kwh_m2_by_steps(&place, when, light, input.albedo, steps, &planes).map_err(refused)?
        }
    };
    Ok(TiltYearOutput {
        annual_kwh_m2: monthly_kwh_m2.iter().map(|months| months.iter().sum()).collect(),
        monthly_kwh_m2,
        best_tilt_year_deg: year.best_tilt_deg(input.azimuth_deg),
        best_tilt_month_deg: year.best_tilt_month_deg(input.azimuth_deg),
    })
}
