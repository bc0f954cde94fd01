//! Every computation over HTTP, within its ranges and far beyond them: figures or a refusal that names its field, never a fault of the
//! program.

use crate::server::Server;
use proptest::strategy::{Strategy, ValueTree};
use proptest::test_runner::TestRunner;
use serde_json::{Value, json};

/// A sound input of every computation.
fn sound() -> Vec<(&'static str, Value)> {
    let cell = json!({"i_l_a": 8, "i_o_a": 1e-9, "r_s_ohm": 0.005, "r_sh_ohm": 20, "a_v": 0.028, "irradiance_share": 0.5});
    let points = json!([{"v_v": 0.0, "i_a": 8.0}, {"v_v": 15.0, "i_a": 7.8}, {"v_v": 25.0, "i_a": 6.9}, {"v_v": 30.0, "i_a": 3.0}, {"v_v": 32.0, "i_a": 0.0}]);
    vec![
        (
            "sun-position",
            json!({"time_utc": "2026-06-21T12:30:00Z", "lat_deg": 38.6, "lon_deg": -7.9, "elevation_m": 300, "pressure_pa": 98000, "temperature_c": 20, "delta_t_s": 67}),
        ),
        ("sun-day", json!({"date": "2026-06-21", "lat_deg": 38.6, "lon_deg": -7.9, "utc_offset_h": 0, "delta_t_s": 67})),
        (
            "clear-sky",
            json!({"time_utc": "2026-06-21T12:30:00Z", "lat_deg": 38.6, "lon_deg": -7.9, "elevation_m": 300, "linke_turbidity": 3}),
        ),
        ("split", json!({"ghi_w_m2": 600, "zenith_deg": 40, "day_of_year": 172})),
        (
            "plane",
            json!({"tilt_deg": 35, "azimuth_deg": 180, "zenith_deg": 30, "sun_azimuth_deg": 190, "dni_w_m2": 800, "ghi_w_m2": 800, "dhi_w_m2": 100, "day_of_year": 172, "albedo": 0.2, "model": "perez"}),
        ),
        ("incidence", json!({"aoi_deg": 60, "model": "physical"})),
        ("cell-temperature", json!({"poa_w_m2": 800, "air_c": 20, "wind_m_s": 1, "model": "noct", "noct_c": 45})),
        (
            "tilt-year",
            json!({"lat_deg": 38.6, "lon_deg": -7.9, "elevation_m": 300, "utc_offset_h": 0, "year": 2026, "azimuth_deg": 180, "linke_turbidity": 3, "albedo": 0.2, "tilts_deg": [30]}),
        ),
        (
            "panel-fit",
            json!({"voc_v": 37.8, "isc_a": 8.75, "vmp_v": 30.4, "imp_a": 8.22, "cells_in_series": 60, "alpha_isc_a_per_k": 0.0044, "beta_voc_v_per_k": -0.121}),
        ),
        (
            "panel-points",
            json!({"i_l_a": 8.0, "i_o_a": 1e-9, "r_s_ohm": 0.3, "r_sh_ohm": 300.0, "a_v": 1.6, "alpha_isc_a_per_k": 0.004, "conditions": [{"poa_w_m2": 800, "cell_c": 45}]}),
        ),
        (
            "single-diode",
            json!({"i_l_a": 8.0, "i_o_a": 1e-9, "r_s_ohm": 0.3, "r_sh_ohm": 300.0, "a_v": 1.6, "voltages_v": [10.0]}),
        ),
        (
            "circuit",
            json!({"cells": [cell, cell], "tree": {"series": [{"bypass": {"cell": 0}}, {"cell": 1}, {"ohm": 0.1}]}, "count": 20}),
        ),
        (
            "correct",
            json!({"procedure": 2, "points": points, "g1": 800, "t1": 45, "g2": 1000, "t2": 25, "alpha_isc_rel_per_k": 0.0005, "beta_voc_rel_per_k": -0.003, "a": 0.05, "r_s_ohm": 0.2, "kappa_ohm_per_k": 0.001}),
        ),
        ("entry", json!({"text": "79-81 W 52 C", "degrees": "back_c"})),
    ]
}

/// Every place of a value in an input, as JSON pointers.
fn places(value: &Value, at: &str, found: &mut Vec<String>) {
    match value {
        Value::Object(fields) => fields.iter().for_each(|(name, value)| places(value, &format!("{at}/{name}"), found)),
        Value::Array(items) => items.iter().enumerate().for_each(|(nth, value)| places(value, &format!("{at}/{nth}"), found)),
        Value::Null | Value::Bool(_) | Value::Number(_) | Value::String(_) => {}
    }
    if !at.is_empty() {
        found.push(at.to_owned());
    }
}

fn extremes() -> Vec<Value> {
    let numbers = [
        0.0, -0.0, 1.0, -1.0, 5e-324, 1e-300, -1e-300, 1e-12, 1e-3, 89.999_999, 90.0, 90.000_001, 179.9, 180.0, 360.0, 366.0,
        1e3, 1e4, 1e6, 1e9, 1e15, -1e15, 1e100, 1e300, 1.797e308, -1.797e308,
    ];
    let mut all: Vec<Value> = numbers.into_iter().map(|number| json!(number)).collect();
    all.extend([
        Value::Null,
        json!(true),
        json!(""),
        json!("NaN"),
        json!("\u{0}\u{202e}1 V"),
        json!([]),
        json!({}),
        json!([[[[[]]]]]),
        json!(9_007_199_254_740_993_i64),
        json!(u64::MAX),
        json!("1969-12-31T23:59:59Z"),
        json!("2101-01-01T00:00:00Z"),
        json!("9999-12-31"),
        json!("1969-12-31"),
        json!("9".repeat(5000)),
    ]);
    all
}

fn has_null(value: &Value) -> bool {
    match value {
        Value::Null => true,
        Value::Object(fields) => fields.values().any(has_null),
        Value::Array(items) => items.iter().any(has_null),
        Value::Bool(_) | Value::Number(_) | Value::String(_) => false,
    }
}

/// Sends one input; a fault, an answer without figures or a refusal without a sentence fails.
async fn send(server: &Server, name: &str, body: &Value) -> u16 {
    let (status, answer) = server.json(&format!("/api/v1/compute/{name}"), body.clone()).await;
    match status {
        // The sun of a polar day neither rises nor sets.
        200 => assert!(
            !has_null(&answer) || ["sun-day", "entry", "incidence", "cell-temperature"].contains(&name),
            "{name} {body}: {answer}"
        ),
        422 => assert!(answer["error"]["message"].as_str().is_some_and(|told| told.len() > 10), "{name} {body}: {answer}"),
        _ => panic!("{name} {body}: {status} {answer}"),
    }
    status
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn every_field_of_every_computation_at_every_edge() {
    let server = Server::own().await;
    let (mut answered, mut refused) = (0, 0);
    for (name, body) in sound() {
        assert_eq!(send(&server, name, &body).await, 200, "{name} is sound");
        let mut found = Vec::new();
        places(&body, "", &mut found);
        for place in found {
            for extreme in extremes() {
                let mut changed = body.clone();
                *changed.pointer_mut(&place).unwrap() = extreme;
                match send(&server, name, &changed).await {
                    200 => answered += 1,
                    _ => refused += 1,
                }
            }
        }
    }
    assert!(answered > 300 && refused > 1500, "{answered} answered, {refused} refused");
}

/// Several fields at once, of any size and sign.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn several_fields_at_once_of_any_size() {
    let server = Server::own().await;
    let mut runner = TestRunner::deterministic();
    for (name, body) in sound() {
        let mut found = Vec::new();
        places(&body, "", &mut found);
        let numbers: Vec<&String> = found.iter().filter(|place| body.pointer(place).is_some_and(Value::is_number)).collect();
        if numbers.is_empty() {
            continue;
        }
        for _ in 0..60 {
            let mut changed = body.clone();
            for _ in 0..3 {
                let (nth, exponent, mantissa) =
                    (0..numbers.len(), -320_f64..308.0, -9.9_f64..9.9).new_tree(&mut runner).unwrap().current();
                *changed.pointer_mut(numbers[nth]).unwrap() = json!(mantissa * 10_f64.powf(exponent));
            }
            send(&server, name, &changed).await;
        }
    }
}
