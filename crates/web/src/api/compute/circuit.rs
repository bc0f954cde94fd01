//! Cells, diodes and resistances wired together.

use super::{Body, Bound, one_or_many_bounded, refused};
use crate::error::{AppError, InputError};
use axum::Json;
use flindo_core::error::{Error, check_positive, check_range};
use flindo_core::panel::cell::{Breakdown, Bypass, Cell};
use flindo_core::panel::circuit::{Circuit, Node};
use flindo_core::panel::curve::At;
use flindo_core::panel::diode::Diode;
use flindo_core::panel::five::translate;
use serde::{Deserialize, Serialize};
use serde_json::Value;
use utoipa::ToSchema;

const USUAL_COUNT: usize = 200;

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct CircuitInput {
    /// Each cell once; the tree names them by their place, from 0.
    cells: Vec<CellJson>,
    tree: TreeJson,
    /// How many points of the curve are wanted, 2 to 2000; 200 if absent.
    count: Option<usize>,
}

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct CellJson {
    i_l_a: f64,
    i_o_a: f64,
    r_s_ohm: f64,
    r_sh_ohm: f64,
    a_v: f64,
    /// 0 to 1; 1 if absent.
    irradiance_share: Option<f64>,
    /// The parameters are those at 25 C and are brought to this; 25 if absent.
    cell_c: Option<f64>,
    /// Below 0; the breakdown of an ordinary silicon cell at these volts. No breakdown if this and `breakdown` are absent.
    breakdown_v: Option<f64>,
    breakdown: Option<BreakdownJson>,
}

/// Reverse breakdown: the shunt current times `1 + share (1 - v / v_br_v)^-exponent`.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct BreakdownJson {
    /// Below 0.
    v_br_v: f64,
    share: f64,
    exponent: f64,
}

/// A diode's own figures; what is absent is that of a Schottky rectifier of 15 A.
#[derive(Default, Deserialize, ToSchema)]
pub struct DiodeJson {
    /// Saturation current at `temp_c`.
    i_s_a: Option<f64>,
    n: Option<f64>,
    r_s_ohm: Option<f64>,
    temp_c: Option<f64>,
}

/// What a diode lies across or in the way of: a tree, or `{"tree": ..., "diode": {...}}` with the diode's own figures.
#[derive(Deserialize, ToSchema)]
#[serde(untagged)]
#[schema(no_recursion)]
pub enum WithDiodeJson {
    Own { tree: Box<TreeJson>, diode: DiodeJson },
    Plain(Box<TreeJson>),
}

/// One of: `{"cell": 0}`, `{"series": [...]}`, `{"parallel": [...]}`, `{"bypass": {...}}`, `{"blocked": {...}}`, `{"ohm": 0.2}`.
#[derive(Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
#[schema(no_recursion)]
pub enum TreeJson {
    Cell(usize),
    Series(Vec<TreeJson>),
    Parallel(Vec<TreeJson>),
    Bypass(WithDiodeJson),
    Blocked(WithDiodeJson),
    Ohm(f64),
}

#[derive(Serialize, ToSchema)]
pub struct CircuitOutput {
    points: Vec<PointJson>,
    isc_a: f64,
    voc_v: f64,
    pmax_w: f64,
    vmp_v: f64,
    imp_a: f64,
    /// Every hill of watts, in rising volts.
    local_maxima: Vec<PointJson>,
    /// At the maximum power point; below 0 what a cell burns.
    cell_power_w: Vec<f64>,
}

#[derive(Serialize, ToSchema)]
pub struct PointJson {
    v: f64,
    i: f64,
}

/// Solves a circuit: its curve, every local maximum, and what each cell makes or burns.
///
/// Worked examples. Two cells in series under one bypass diode, the second at a fifth of the light:
/// `{"cells": [{"i_l_a": 8, "i_o_a": 1e-9, "r_s_ohm": 0.005, "r_sh_ohm": 20, "a_v": 0.028}, {"i_l_a": 8, "i_o_a": 1e-9, "r_s_ohm": 0.005, "r_sh_ohm": 20, "a_v": 0.028, "irradiance_share": 0.2}], "tree": {"bypass": {"series": [{"cell": 0}, {"cell": 1}]}}}`.
/// The same two in parallel behind a lead of 0.1 ohm: `"tree": {"series": [{"parallel": [{"cell": 0}, {"cell": 1}]}, {"ohm": 0.1}]}`.
/// Each with a diode of its own, in series, the second with figures of its own: `"tree": {"series": [{"bypass": {"cell": 0}},
/// {"bypass": {"tree": {"cell": 1}, "diode": {"i_s_a": 1e-6, "n": 1.1, "r_s_ohm": 0.008, "temp_c": 60}}}]}`.
#[utoipa::path(
    post,
    path = "/circuit",
    request_body = CircuitInput,
    responses((status = 200, body = CircuitOutput), (status = 422, description = "Which input was refused"))
)]
pub async fn compute(body: Body) -> Result<Json<Value>, AppError> {
    one_or_many_bounded(body, solve, Some(Bound { of: "points and cells", weigh, most: MOST_POINTS_AND_CELLS }), 20).await
}

/// Points asked for and cells given, in all circuits of one request.
const MOST_POINTS_AND_CELLS: usize = 200_000;

/// Points asked for and cells given by one input.
fn weigh(input: &Value) -> usize {
    let count = input["count"].as_u64().map_or(USUAL_COUNT, |count| usize::try_from(count).unwrap_or(usize::MAX));
    count.saturating_add(input["cells"].as_array().map_or(0, Vec::len))
}

fn node(tree: TreeJson) -> Result<Node, Error> {
    let all = |parts: Vec<TreeJson>| parts.into_iter().map(node).collect::<Result<_, _>>();
    Ok(match tree {
        TreeJson::Cell(place) => Node::Cell(place),
        TreeJson::Series(parts) => Node::Series(all(parts)?),
        TreeJson::Parallel(parts) => Node::Parallel(all(parts)?),
        TreeJson::Bypass(part) => {
            let (part, diode) = with_diode(part)?;
            Node::Bypassed(Box::new(part), diode)
        }
        TreeJson::Blocked(part) => {
            let (part, diode) = with_diode(part)?;
            Node::Blocked(Box::new(part), diode)
        }
        TreeJson::Ohm(ohm) => Node::Resistance(check_range("ohm", ohm, 0.0, 1e9)?),
    })
}

fn with_diode(part: WithDiodeJson) -> Result<(Node, Bypass), Error> {
    let (tree, own) = match part {
        WithDiodeJson::Plain(tree) => (tree, DiodeJson::default()),
        WithDiodeJson::Own { tree, diode } => (tree, diode),
    };
    let usual = Bypass::default();
    let diode = Bypass::check(
        own.i_s_a.unwrap_or(usual.i_s_a),
        own.n.unwrap_or(usual.n),
        own.r_s_ohm.unwrap_or(usual.r_s_ohm),
        own.temp_c.unwrap_or(usual.temp_c),
    )?;
    Ok((node(*tree)?, diode))
}

fn cell(json: &CellJson) -> Result<Cell, Error> {
    let share = check_range("irradiance_share", json.irradiance_share.unwrap_or(1.0), 0.0, 2.0)?;
    let cell_c = check_range("cell_c", json.cell_c.unwrap_or(25.0), -90.0, 200.0)?;
    let at_stc = Diode::check(json.i_l_a, json.i_o_a, json.r_s_ohm, json.r_sh_ohm, json.a_v)?;
    let mut diode = translate(&at_stc, 0.0, 1000.0, cell_c);
    diode.i_l_a *= share;
    diode.r_sh_ohm = at_stc.r_sh_ohm / share.max(0.01);
    let breakdown = match (&json.breakdown, json.breakdown_v) {
        (Some(own), _) => Some(Breakdown {
            v_br_v: -check_positive("v_br_v", -own.v_br_v, 500.0)?,
            share: check_range("share", own.share, 0.0, 10.0)?,
            exponent: check_range("exponent", own.exponent, 0.5, 20.0)?,
        }),
        (None, Some(volts)) => Some(Breakdown { v_br_v: -check_positive("breakdown_v", -volts, 500.0)?, ..Breakdown::default() }),
        (None, None) => None,
    };
    Ok(Cell { diode, breakdown })
}

fn solve(input: CircuitInput) -> Result<CircuitOutput, InputError> {
    let count = check_range("count", input.count.unwrap_or(USUAL_COUNT) as f64, 2.0, 2000.0).map_err(refused)? as usize;
    let cells = input.cells.iter().map(cell).collect::<Result<_, _>>().map_err(refused)?;
    let solution = Circuit { cells, root: node(input.tree).map_err(refused)? }.solve().map_err(refused)?;
    let curve = solution.curve();
    let (open, short, best) = (curve.open(), curve.short(), curve.best());
    let shown = |at: At| PointJson { v: at.v, i: at.i };
    Ok(CircuitOutput {
        points: curve.even(count).into_iter().map(shown).collect(),
        isc_a: short.i,
        voc_v: open.v,
        pmax_w: best.w(),
        vmp_v: best.v,
        imp_a: best.i,
        local_maxima: curve.local_maxima().into_iter().map(shown).collect(),
        cell_power_w: solution.at_best().cell_w(),
    })
}
