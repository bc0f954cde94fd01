//! How warm the cells are.

use super::{Body, not_a, one_or_many, refused};
use crate::error::{AppError, InputError};
use axum::Json;
use flindo_core::error::{check_positive, check_range};
use flindo_core::panel::temperature::{
    CELL_ABOVE_BACK_K, USUAL_NOCT_C, cell_from_air_c, cell_from_back_c, faiman_c, sandia_back_c,
};
use serde::{Deserialize, Serialize};
use serde_json::Value;
use utoipa::ToSchema;

/// No module is hotter.
const HOTTEST_BACK_C: f64 = 200.0;

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct CellInput {
    poa_w_m2: f64,
    air_c: f64,
    /// Not used by noct.
    wind_m_s: Option<f64>,
    /// faiman, sandia or noct.
    model: String,
    /// faiman; 25 if absent.
    u0: Option<f64>,
    /// faiman; 6.84 if absent.
    u1: Option<f64>,
    /// sandia; -3.47 (open rack) if absent.
    a: Option<f64>,
    /// sandia; -0.0594 if absent.
    b: Option<f64>,
    /// sandia: cell above back at 1000 W/m2; 3 if absent.
    delta_t_k: Option<f64>,
    /// noct; 45 if absent.
    noct_c: Option<f64>,
}

#[derive(Serialize, ToSchema)]
pub struct CellOutput {
    cell_c: f64,
    /// Of the back of the module; sandia only.
    #[serde(skip_serializing_if = "Option::is_none")]
    back_c: Option<f64>,
}

/// Cell temperature from sun, air and wind.
#[utoipa::path(
    post,
    path = "/cell-temperature",
    request_body = CellInput,
    responses((status = 200, body = CellOutput), (status = 422, description = "Which input was refused"))
)]
pub async fn compute(body: Body) -> Result<Json<Value>, AppError> {
    one_or_many(body, cell_temperature, 5).await
}

fn cell_temperature(input: CellInput) -> Result<CellOutput, InputError> {
    let range = |field, value, low, high| check_range(field, value, low, high).map_err(refused);
    let poa_w_m2 = range("poa_w_m2", input.poa_w_m2, 0.0, 2000.0)?;
    let air_c = range("air_c", input.air_c, -90.0, 70.0)?;
    let wind_m_s = || {
        let missing = || not_a("wind_m_s", "", "there, and this model needs it", "0 to 100");
        range("wind_m_s", input.wind_m_s.ok_or_else(missing)?, 0.0, 100.0)
    };
    match input.model.as_str() {
        "faiman" => {
            let u0 = check_positive("u0", input.u0.unwrap_or(25.0), 1000.0).map_err(refused)?;
            let u1 = range("u1", input.u1.unwrap_or(6.84), 0.0, 1000.0)?;
            Ok(CellOutput { cell_c: faiman_c(poa_w_m2, air_c, wind_m_s()?, u0, u1), back_c: None })
        }
        "sandia" => {
            let (a, b) = (range("a", input.a.unwrap_or(-3.47), -10.0, 0.0)?, range("b", input.b.unwrap_or(-0.0594), -1.0, 0.0)?);
            let delta_t_k = range("delta_t_k", input.delta_t_k.unwrap_or(CELL_ABOVE_BACK_K), 0.0, 30.0)?;
            let back_c = range("a", sandia_back_c(poa_w_m2, air_c, wind_m_s()?, a, b), -90.0, HOTTEST_BACK_C).map_err(|_| {
                not_a("a", &a.to_string(), "one that leaves a module below 200 C", "-4 to -2, as in table 1 of the paper")
            })?;
            Ok(CellOutput { cell_c: cell_from_back_c(back_c, poa_w_m2, delta_t_k), back_c: Some(back_c) })
        }
        "noct" => {
            let noct_c = range("noct_c", input.noct_c.unwrap_or(USUAL_NOCT_C), 20.0, 90.0)?;
            Ok(CellOutput { cell_c: cell_from_air_c(air_c, poa_w_m2, noct_c, None), back_c: None })
        }
        other => Err(not_a("model", other, "a model known here", "faiman, sandia, noct")),
    }
}
