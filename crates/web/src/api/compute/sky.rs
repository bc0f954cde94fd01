//! The clear sky, global light split, and light on a plane.

use super::{Body, moment, one_of, one_or_many, refused, unix_s};
use crate::error::{AppError, InputError};
use axum::Json;
use flindo_core::sky::air::pressure_pa;
use flindo_core::sky::clear_sky::{Irradiance, clear_sky};
use flindo_core::sky::daylight::day_of_year;
use flindo_core::sky::place::Place;
use flindo_core::sky::plane::{Plane, SkyModel, SkyNow};
use flindo_core::sky::split::erbs;
use flindo_core::sky::sun::{AIR_C, DELTA_T_S, Instant};
use serde::{Deserialize, Serialize};
use serde_json::Value;
use utoipa::ToSchema;

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct ClearInput {
    time_utc: String,
    lat_deg: f64,
    lon_deg: f64,
    elevation_m: f64,
    /// 2 very clear, 3 clear, 4.5 hazy, 6 dusty or humid.
    linke_turbidity: f64,
}

#[derive(Serialize, ToSchema)]
pub struct ClearOutput {
    /// Kasten and Young 1989; that of the horizon while the sun is below it.
    airmass_relative: f64,
    airmass_absolute: f64,
    dni_extra_w_m2: f64,
    ghi_w_m2: f64,
    dni_w_m2: f64,
    dhi_w_m2: f64,
}

/// What a sky without clouds lets through (Ineichen and Perez 2002).
#[utoipa::path(
    post,
    path = "/clear-sky",
    request_body = ClearInput,
    responses((status = 200, body = ClearOutput), (status = 422, description = "Which input was refused"))
)]
pub async fn clear(body: Body) -> Result<Json<Value>, AppError> {
    one_or_many(body, clear_sky_now, 10).await
}

fn clear_sky_now(input: ClearInput) -> Result<ClearOutput, InputError> {
    let place = Place::check(input.lat_deg, input.lon_deg, input.elevation_m).map_err(refused)?;
    let time = moment("time_utc", &input.time_utc)?;
    let instant = Instant::at(unix_s(time), DELTA_T_S).map_err(refused)?;
    let sun = instant.seen_from(&place, pressure_pa(place.elevation_m), AIR_C).map_err(refused)?;
    let sky = clear_sky(&sun, &place, day_of_year(unix_s(time)), input.linke_turbidity).map_err(refused)?;
    Ok(ClearOutput {
        airmass_relative: sky.airmass_relative,
        airmass_absolute: sky.airmass_absolute,
        dni_extra_w_m2: sky.dni_extra_w_m2,
        ghi_w_m2: sky.irradiance.ghi_w_m2,
        dni_w_m2: sky.irradiance.dni_w_m2,
        dhi_w_m2: sky.irradiance.dhi_w_m2,
    })
}

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct SplitInput {
    ghi_w_m2: f64,
    zenith_deg: f64,
    day_of_year: f64,
}

#[derive(Serialize, ToSchema)]
pub struct SplitOutput {
    kt: f64,
    dni_w_m2: f64,
    dhi_w_m2: f64,
}

/// Global light split into beam and diffuse (Erbs, Klein and Duffie 1982).
#[utoipa::path(
    post,
    path = "/split",
    request_body = SplitInput,
    responses((status = 200, body = SplitOutput), (status = 422, description = "Which input was refused"))
)]
pub async fn split(body: Body) -> Result<Json<Value>, AppError> {
    one_or_many(body, split_global, 5).await
}

fn split_global(input: SplitInput) -> Result<SplitOutput, InputError> {
    let (kt, split) = erbs(input.ghi_w_m2, input.zenith_deg, input.day_of_year).map_err(refused)?;
    Ok(SplitOutput { kt, dni_w_m2: split.dni_w_m2, dhi_w_m2: split.dhi_w_m2 })
}

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct PlaneInput {
    /// From flat.
    tilt_deg: f64,
    /// From north, clockwise.
    azimuth_deg: f64,
    zenith_deg: f64,
    sun_azimuth_deg: f64,
    dni_w_m2: f64,
    ghi_w_m2: f64,
    dhi_w_m2: f64,
    day_of_year: f64,
    albedo: f64,
    /// isotropic, hay_davies or perez (the default).
    model: Option<String>,
}

#[derive(Serialize, ToSchema)]
pub struct PlaneOutput {
    aoi_deg: f64,
    poa_beam_w_m2: f64,
    poa_sky_w_m2: f64,
    poa_ground_w_m2: f64,
    poa_w_m2: f64,
}

/// Light on a plane: beam, sky and ground.
#[utoipa::path(
    post,
    path = "/plane",
    request_body = PlaneInput,
    responses((status = 200, body = PlaneOutput), (status = 422, description = "Which input was refused"))
)]
pub async fn plane(body: Body) -> Result<Json<Value>, AppError> {
    one_or_many(body, on_plane, 10).await
}

fn on_plane(input: PlaneInput) -> Result<PlaneOutput, InputError> {
    let model = one_of("model", input.model, SkyModel::default(), "isotropic, hay_davies, perez", SkyModel::from_name)?;
    let plane = Plane::check(input.tilt_deg, input.azimuth_deg).map_err(refused)?;
    let irradiance = Irradiance { ghi_w_m2: input.ghi_w_m2, dni_w_m2: input.dni_w_m2, dhi_w_m2: input.dhi_w_m2 };
    let sky = SkyNow::new(irradiance, input.zenith_deg, input.sun_azimuth_deg, input.day_of_year, input.albedo, model)
        .map_err(refused)?;
    let on = sky.onto(&plane.ready());
    Ok(PlaneOutput {
        aoi_deg: on.aoi_deg(),
        poa_beam_w_m2: on.beam_w_m2,
        poa_sky_w_m2: on.sky_w_m2,
        poa_ground_w_m2: on.ground_w_m2,
        poa_w_m2: on.poa_w_m2,
    })
}
