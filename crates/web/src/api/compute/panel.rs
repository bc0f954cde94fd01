//! A panel as one diode: its five parameters from its label, and its curve.

use super::{Body, one_or_many, refused};
use crate::error::{AppError, InputError};
use axum::Json;
use flindo_core::error::check_range;
use flindo_core::panel::diode::{Diode, Points};
use flindo_core::panel::five::{LabelFigures, Misfit, fit, translate};
use serde::{Deserialize, Serialize};
use serde_json::Value;
use utoipa::ToSchema;

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct FitInput {
    voc_v: f64,
    isc_a: f64,
    vmp_v: f64,
    imp_a: f64,
    cells_in_series: f64,
    alpha_isc_a_per_k: f64,
    beta_voc_v_per_k: f64,
}

#[derive(Serialize, ToSchema)]
pub struct FitOutput {
    i_l_a: f64,
    i_o_a: f64,
    r_s_ohm: f64,
    r_sh_ohm: f64,
    a_v: f64,
    /// Whether all five equations hold.
    exact: bool,
    /// For a fit that is not exact: why no physical panel has this label.
    #[serde(skip_serializing_if = "Option::is_none")]
    why: Option<&'static str>,
    /// The largest miss of Voc, Isc, Vmp, Imp and beta, as a share.
    worst_residual: f64,
    voc_missed_rel: f64,
    isc_missed_rel: f64,
    vmp_missed_rel: f64,
    imp_missed_rel: f64,
    beta_missed_rel: f64,
}

/// Five parameters at STC from a label (De Soto 2006). Where no physical panel has the label, the nearest one, and why.
#[utoipa::path(
    post,
    path = "/panel-fit",
    request_body = FitInput,
    responses((status = 200, body = FitOutput), (status = 422, description = "Which input was refused"))
)]
pub async fn panel_fit(body: Body) -> Result<Json<Value>, AppError> {
    one_or_many(body, fitted, 500).await
}

fn fitted(input: FitInput) -> Result<FitOutput, InputError> {
    let FitInput { voc_v, isc_a, vmp_v, imp_a, cells_in_series, alpha_isc_a_per_k, beta_voc_v_per_k } = input;
    let label = LabelFigures { voc_v, isc_a, vmp_v, imp_a, cells_in_series, alpha_isc_a_per_k, beta_voc_v_per_k };
    let found = fit(&label).map_err(refused)?;
    let [voc_missed_rel, isc_missed_rel, vmp_missed_rel, imp_missed_rel, beta_missed_rel] = found.missed_rel;
    let Diode { i_l_a, i_o_a, r_s_ohm, r_sh_ohm, a_v } = found.at_stc;
    Ok(FitOutput {
        i_l_a,
        i_o_a,
        r_s_ohm,
        r_sh_ohm,
        a_v,
        exact: found.is_exact,
        why: found.why.map(|why| match why {
            Misfit::NegativeSeries => {
                "The equations want a series resistance below zero: the knee of this label is sharper than a diode's."
            }
            Misfit::NegativeShunt => {
                "The equations want a shunt resistance below zero: the curve of this label would rise with the volts."
            }
        }),
        worst_residual: found.worst_rel(),
        voc_missed_rel,
        isc_missed_rel,
        vmp_missed_rel,
        imp_missed_rel,
        beta_missed_rel,
    })
}

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct PointsInput {
    i_l_a: f64,
    i_o_a: f64,
    r_s_ohm: f64,
    r_sh_ohm: f64,
    a_v: f64,
    alpha_isc_a_per_k: f64,
    conditions: Vec<ConditionJson>,
}

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct ConditionJson {
    poa_w_m2: f64,
    cell_c: f64,
}

#[derive(Serialize, ToSchema)]
pub struct PointsOutput {
    points: Vec<PointsJson>,
}

#[derive(Serialize, ToSchema)]
pub struct PointsJson {
    isc_a: f64,
    voc_v: f64,
    imp_a: f64,
    vmp_v: f64,
    pmax_w: f64,
}

impl From<Points> for PointsJson {
    fn from(Points { isc_a, voc_v, imp_a, vmp_v, pmax_w }: Points) -> Self {
        PointsJson { isc_a, voc_v, imp_a, vmp_v, pmax_w }
    }
}

/// The five points at other light and cell temperature (De Soto 2006, gap 1.121 eV).
#[utoipa::path(
    post,
    path = "/panel-points",
    request_body = PointsInput,
    responses((status = 200, body = PointsOutput), (status = 422, description = "Which input was refused"))
)]
pub async fn panel_points(body: Body) -> Result<Json<Value>, AppError> {
    one_or_many(body, points_of, 100).await
}

fn points_of(input: PointsInput) -> Result<PointsOutput, InputError> {
    let at_stc = Diode::check(input.i_l_a, input.i_o_a, input.r_s_ohm, input.r_sh_ohm, input.a_v).map_err(refused)?;
    let alpha = check_range("alpha_isc_a_per_k", input.alpha_isc_a_per_k, -10.0, 10.0).map_err(refused)?;
    let point = |condition: &ConditionJson| {
        check_range("poa_w_m2", condition.poa_w_m2, 0.0, 3000.0)?;
        check_range("cell_c", condition.cell_c, -90.0, 200.0)?;
        Ok(translate(&at_stc, alpha, condition.poa_w_m2, condition.cell_c).points().into())
    };
    let points = input.conditions.iter().map(point).collect::<Result<_, _>>().map_err(refused)?;
    Ok(PointsOutput { points })
}

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct DiodeInput {
    i_l_a: f64,
    i_o_a: f64,
    r_s_ohm: f64,
    r_sh_ohm: f64,
    a_v: f64,
    voltages_v: Option<Vec<f64>>,
}

#[derive(Serialize, ToSchema)]
pub struct DiodeOutput {
    #[serde(flatten)]
    points: PointsJson,
    #[serde(skip_serializing_if = "Option::is_none")]
    currents_a: Option<Vec<f64>>,
}

/// The curve of one diode at the operating condition.
#[utoipa::path(
    post,
    path = "/single-diode",
    request_body = DiodeInput,
    responses((status = 200, body = DiodeOutput), (status = 422, description = "Which input was refused"))
)]
pub async fn single_diode(body: Body) -> Result<Json<Value>, AppError> {
    one_or_many(body, solved, 10).await
}

fn solved(input: DiodeInput) -> Result<DiodeOutput, InputError> {
    let diode = Diode::check(input.i_l_a, input.i_o_a, input.r_s_ohm, input.r_sh_ohm, input.a_v).map_err(refused)?;
    let open_v = diode.points().voc_v;
    let current =
        |v: &f64| check_range("voltages_v", *v, -2.0 * open_v.max(1.0), 2.0 * open_v.max(1.0)).map(|v| diode.current_a(v));
    let currents_a = input
        .voltages_v
        .as_ref()
        .map(|volts| volts.iter().map(current).collect::<Result<_, _>>())
        .transpose()
        .map_err(refused)?;
    Ok(DiodeOutput { points: diode.points().into(), currents_a })
}
