//! What the glass of a panel lets in aslant.

use super::{Body, not_a, one_or_many, refused};
use crate::error::{AppError, InputError};
use axum::Json;
use flindo_core::sky::incidence::{Glass, ashrae, martin_ruiz, physical};
use serde::{Deserialize, Serialize};
use serde_json::Value;
use utoipa::ToSchema;

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct IncidenceInput {
    aoi_deg: f64,
    /// physical, ashrae or martin_ruiz.
    model: String,
    /// physical; 1.526 if absent.
    n_glass: Option<f64>,
    /// physical; 4 if absent.
    k_per_m: Option<f64>,
    /// physical; 0.002 if absent.
    thickness_m: Option<f64>,
    /// physical; no coating if absent.
    n_coating: Option<f64>,
    /// ashrae; 0.05 if absent.
    b: Option<f64>,
    /// martin_ruiz; 0.16 if absent.
    a_r: Option<f64>,
}

#[derive(Serialize, ToSchema)]
pub struct IncidenceOutput {
    /// Relative to light from straight ahead.
    iam: f64,
}

/// What the glass lets in, relative to light from straight ahead.
#[utoipa::path(
    post,
    path = "/incidence",
    request_body = IncidenceInput,
    responses((status = 200, body = IncidenceOutput), (status = 422, description = "Which input was refused"))
)]
pub async fn compute(body: Body) -> Result<Json<Value>, AppError> {
    one_or_many(body, incidence, 5).await
}

fn incidence(input: IncidenceInput) -> Result<IncidenceOutput, InputError> {
    let usual = Glass::default();
    let iam = match input.model.as_str() {
        "physical" => {
            let glass = Glass {
                n_glass: input.n_glass.unwrap_or(usual.n_glass),
                k_per_m: input.k_per_m.unwrap_or(usual.k_per_m),
                thickness_m: input.thickness_m.unwrap_or(usual.thickness_m),
                n_coating: input.n_coating,
            };
            physical(input.aoi_deg, &glass)
        }
        "ashrae" => ashrae(input.aoi_deg, input.b.unwrap_or(0.05)),
        "martin_ruiz" => martin_ruiz(input.aoi_deg, input.a_r.unwrap_or(0.16)),
        other => return Err(not_a("model", other, "a model known here", "physical, ashrae, martin_ruiz")),
    };
    iam.map(|iam| IncidenceOutput { iam }).map_err(refused)
}
