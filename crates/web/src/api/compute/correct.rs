//! An I-V curve brought to other conditions.

use super::{Body, one_or_many, refused};
use crate::error::{AppError, InputError};
use axum::Json;
use flindo_core::measure::correct::Condition;
use flindo_core::measure::iec60891::{IvPoint, Procedure1, Procedure2, five_figures, procedure_1, procedure_2};
use serde::{Deserialize, Serialize};
use serde_json::Value;
use utoipa::ToSchema;

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct CorrectInput {
    /// 1 or 2, of IEC 60891:2009.
    procedure: u8,
    /// At least three, in rising volts.
    points: Vec<PointJson>,
    /// Irradiance measured, W/m2.
    g1: f64,
    /// Cell temperature measured, C.
    t1: f64,
    /// Irradiance wanted, W/m2.
    g2: f64,
    /// Cell temperature wanted, C.
    t2: f64,
    /// Procedure 1.
    alpha_isc_a_per_k: Option<f64>,
    /// Procedure 1.
    beta_voc_v_per_k: Option<f64>,
    /// Procedure 2.
    alpha_isc_rel_per_k: Option<f64>,
    /// Procedure 2.
    beta_voc_rel_per_k: Option<f64>,
    /// Procedure 2: irradiance correction of Voc.
    a: Option<f64>,
    r_s_ohm: f64,
    kappa_ohm_per_k: f64,
}

#[derive(Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct PointJson {
    v_v: f64,
    i_a: f64,
}

#[derive(Serialize, ToSchema)]
pub struct CorrectOutput {
    points: Vec<PointJson>,
    isc_a: f64,
    voc_v: f64,
    imp_a: f64,
    vmp_v: f64,
    pmax_w: f64,
}

/// Brings a measured I-V curve to other irradiance and cell temperature (IEC 60891:2009, procedures 1 and 2).
#[utoipa::path(
    post,
    path = "/correct",
    request_body = CorrectInput,
    responses((status = 200, body = CorrectOutput), (status = 422, description = "Which input was refused"))
)]
pub async fn compute(body: Body) -> Result<Json<Value>, AppError> {
    one_or_many(body, correct, 50).await
}

fn correct(input: CorrectInput) -> Result<CorrectOutput, InputError> {
    let points: Vec<IvPoint> = input.points.iter().map(|point| IvPoint { v_v: point.v_v, i_a: point.i_a }).collect();
    let from = Condition { poa_w_m2: input.g1, cell_c: input.t1 };
    let to = Condition { poa_w_m2: input.g2, cell_c: input.t2 };
    let (r_s_ohm, kappa_ohm_per_k) = (input.r_s_ohm, input.kappa_ohm_per_k);
    let needed = |field: &str, value: Option<f64>| {
        let message = format!("procedure {} needs {field}.", input.procedure);
        value.ok_or(InputError { message, field: Some(field.to_owned()), ..InputError::default() })
    };
    let corrected = match input.procedure {
        1 => {
            let with = Procedure1 {
                alpha_isc_a_per_k: needed("alpha_isc_a_per_k", input.alpha_isc_a_per_k)?,
                beta_voc_v_per_k: needed("beta_voc_v_per_k", input.beta_voc_v_per_k)?,
                r_s_ohm,
                kappa_ohm_per_k,
            };
            procedure_1(&points, from, to, &with)
        }
        2 => {
            let with = Procedure2 {
                alpha_isc_rel_per_k: needed("alpha_isc_rel_per_k", input.alpha_isc_rel_per_k)?,
                beta_voc_rel_per_k: needed("beta_voc_rel_per_k", input.beta_voc_rel_per_k)?,
                a: needed("a", input.a)?,
                r_s_ohm,
                kappa_ohm_per_k,
            };
            procedure_2(&points, from, to, &with)
        }
        other => {
            return Err(InputError {
                message: format!("There is no procedure {other} here."),
                field: Some("procedure".to_owned()),
                value: Some(other.into()),
                allowed: Some("1 or 2".to_owned()),
                index: None,
            });
        }
    };
    let corrected = corrected.map_err(refused)?;
    let figures = five_figures(&corrected).map_err(refused)?;
    Ok(CorrectOutput {
        points: corrected.into_iter().map(|point| PointJson { v_v: point.v_v, i_a: point.i_a }).collect(),
        isc_a: figures.isc_a,
        voc_v: figures.voc_v,
        imp_a: figures.imp_a,
        vmp_v: figures.vmp_v,
        pmax_w: figures.pmax_w,
    })
}
