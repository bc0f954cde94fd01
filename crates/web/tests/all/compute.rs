//! The computations of the sky over HTTP.

use crate::server::Server;
use serde_json::{Value, json};

async fn ask(server: &Server, name: &str, body: Value) -> (u16, Value) {
    server.json(&format!("/api/v1/compute/{name}"), body).await
}

fn near(body: &Value, field: &str, expected: f64, within: f64) {
    let value = body[field].as_f64().unwrap_or_else(|| panic!("{field} in {body}"));
    assert!((value - expected).abs() <= within, "{field} is {value}, not {expected}");
}

/// Reda and Andreas 2004, the worked example.
#[tokio::test]
async fn the_sun_is_where_the_paper_says() {
    let server = Server::demo().await;
    let input = json!({"time_utc": "2003-10-17T12:30:30-07:00", "lat_deg": 39.742476, "lon_deg": -105.1786, "elevation_m": 1830.14, "pressure_pa": 82000, "temperature_c": 11, "delta_t_s": 67});
    let (status, body) = ask(&server, "sun-position", json!([input.clone(), input])).await;
    assert_eq!(status, 200, "{body}");
    near(&body[1], "zenith_apparent_deg", 50.11162, 1e-4);
    near(&body[1], "azimuth_deg", 194.34024, 1e-4);
    let (_, day) =
        ask(&server, "sun-day", json!({"date": "2003-10-17", "lat_deg": 39.742476, "lon_deg": -105.1786, "utc_offset_h": -7}))
            .await;
    assert!(day["sunrise_utc"].as_str().unwrap().starts_with("2003-10-17T13:12:4") && day.get("polar").is_none(), "{day}");
    let (_, polar) =
        ask(&server, "sun-day", json!({"date": "2025-06-21", "lat_deg": 78.2, "lon_deg": 15.6, "utc_offset_h": 1})).await;
    assert_eq!((&polar["sunrise_utc"], polar["polar"].as_str()), (&Value::Null, Some("day")));
}

#[tokio::test]
async fn sky_plane_glass_and_cells_answer_with_finite_numbers() {
    let server = Server::demo().await;
    let (_, noon) = ask(
        &server,
        "clear-sky",
        json!({"time_utc": "2026-06-21T12:30:00Z", "lat_deg": 38.6, "lon_deg": -7.9, "elevation_m": 300, "linke_turbidity": 3}),
    )
    .await;
    near(&noon, "ghi_w_m2", 1000.0, 60.0);
    let (_, night) = ask(
        &server,
        "clear-sky",
        json!({"time_utc": "2026-06-21T00:30:00Z", "lat_deg": 38.6, "lon_deg": -7.9, "elevation_m": 300, "linke_turbidity": 3}),
    )
    .await;
    assert!(night["ghi_w_m2"] == 0.0 && night["airmass_relative"].is_f64(), "{night}");
    let (_, split) = ask(&server, "split", json!({"ghi_w_m2": 600, "zenith_deg": 40, "day_of_year": 172})).await;
    near(&split, "kt", 0.59, 0.02);
    let mut plane = json!({"tilt_deg": 35, "azimuth_deg": 180, "zenith_deg": 100, "sun_azimuth_deg": 0, "dni_w_m2": 0, "ghi_w_m2": 0, "dhi_w_m2": 0, "day_of_year": 1, "albedo": 0.2, "model": "perez"});
    let (status, away) = ask(&server, "plane", plane.clone()).await;
    assert_eq!((status, away["poa_w_m2"].as_f64()), (200, Some(0.0)), "a plane facing away in the night: {away}");
    plane["model"] = json!("guess");
    let (status, body) = ask(&server, "plane", plane).await;
    assert_eq!(
        (status, body["error"]["field"].as_str(), body["error"]["allowed"].as_str()),
        (422, Some("model"), Some("isotropic, hay_davies, perez"))
    );
    for (model, expected) in [("physical", 0.95), ("ashrae", 0.95), ("martin_ruiz", 0.958)] {
        let (_, body) = ask(&server, "incidence", json!({"aoi_deg": 60, "model": model})).await;
        near(&body, "iam", expected, 0.02);
    }
    let (_, sandia) = ask(
        &server,
        "cell-temperature",
        json!({"poa_w_m2": 1000, "air_c": 25, "wind_m_s": 2, "model": "sandia", "a": -3.47, "b": -0.0594, "delta_t_k": 3}),
    )
    .await;
    near(&sandia, "back_c", 52.6, 0.2);
    near(&sandia, "cell_c", 55.6, 0.2);
    let (_, noct) =
        ask(&server, "cell-temperature", json!({"poa_w_m2": 800, "air_c": 20, "wind_m_s": 1, "model": "noct", "noct_c": 45}))
            .await;
    near(&noct, "cell_c", 45.0, 1e-9);
}

#[tokio::test]
async fn a_year_of_tilts_has_its_best_between_them() {
    let server = Server::demo().await;
    let input = json!({"lat_deg": 38.6, "lon_deg": -7.9, "elevation_m": 300, "utc_offset_h": 0, "year": 2026, "azimuth_deg": 180, "linke_turbidity": 3, "albedo": 0.2, "tilts_deg": [0, 30, 60]});
    let (status, body) = ask(&server, "tilt-year", input.clone()).await;
    assert_eq!(status, 200, "{body}");
    let annual: Vec<f64> = body["annual_kwh_m2"].as_array().unwrap().iter().map(|value| value.as_f64().unwrap()).collect();
    assert!(annual[1] > annual[0] && annual[1] > annual[2], "{annual:?}");
    near(&body, "best_tilt_year_deg", 37.0, 1.0);
    assert_eq!(
        (body["monthly_kwh_m2"][1].as_array().unwrap().len(), body["best_tilt_month_deg"].as_array().unwrap().len()),
        (12, 12)
    );
    // Every minute, and more of them than an hour has.
    let mut by_minutes = input;
    by_minutes["steps_per_hour"] = json!(60);
    let (status, minutes) = ask(&server, "tilt-year", by_minutes.clone()).await;
    assert_eq!(status, 200, "{minutes}");
    let of_30: f64 = minutes["annual_kwh_m2"][1].as_f64().unwrap();
    assert!((of_30 / annual[1] - 1.0).abs() < 3e-3 && of_30 != annual[1], "{of_30} by minutes, {} by hours", annual[1]);
    by_minutes["steps_per_hour"] = json!(61);
    let (status, refused) = ask(&server, "tilt-year", by_minutes).await;
    assert_eq!((status, &refused["error"]["field"]), (422, &json!("steps_per_hour")), "{refused}");
}

#[tokio::test]
async fn what_is_off_is_named_with_what_is_allowed() {
    let server = Server::demo().await;
    let sun = json!({"time_utc": "2026-06-21T12:30:00Z", "lat_deg": 38.6, "lon_deg": -7.9, "elevation_m": 300});
    let with = |field: &str, value: Value| {
        let mut input = sun.clone();
        input[field] = value;
        input
    };
    for (input, field, allowed) in [
        (with("lat_deg", json!(91)), "lat_deg", Some("-90 to 90")),
        (with("time_utc", json!("2025-02-29T12:00:00Z")), "time_utc", Some("RFC 3339, such as 2026-06-01T12:30:00Z")),
        (with("elevation_m", json!(1e300)), "elevation_m", Some("-450 to 9000")),
        (with("lon_deg", json!("east")), "lon_deg", None),
        (json!({"lat_deg": 1}), "time_utc", None),
    ] {
        let (status, body) = ask(&server, "sun-position", json!([sun.clone(), input])).await;
        let error = &body["error"];
        assert_eq!((status, error["field"].as_str(), error["index"].as_i64()), (422, Some(field), Some(1)), "{body}");
        if allowed.is_some() {
            assert_eq!(error["allowed"].as_str(), allowed, "{body}");
        }
    }
    let (_, body) = ask(&server, "sun-position", with("lat_deg", json!(91))).await;
    assert_eq!(body["error"]["value"], json!(91.0));
    let (status, _) = ask(&server, "sun-day", json!({"date": "2025-02-29", "lat_deg": 0, "lon_deg": 0, "utc_offset_h": 0})).await;
    assert_eq!(status, 422);
    let (status, body) = ask(&server, "cell-temperature", json!({"poa_w_m2": 800, "air_c": 20, "model": "faiman"})).await;
    assert_eq!((status, body["error"]["field"].as_str()), (422, Some("wind_m_s")));
    for (name, body) in [
        ("split", json!({"ghi_w_m2": -1, "zenith_deg": 40, "day_of_year": 172})),
        ("incidence", json!({"aoi_deg": 200, "model": "ashrae"})),
        ("split", json!(7)),
        ("split", json!([])),
        ("plane", json!({})),
    ] {
        let empty = body == json!([]);
        assert_eq!(ask(&server, name, body).await.0, if empty { 200 } else { 422 }, "{name}");
    }
}

/// Numbers at and beyond the edge of what a double holds: an answer of figures or a refusal that names the field, never a fault.
#[tokio::test]
async fn numbers_at_the_edge_are_answered_or_refused_by_name() {
    let server = Server::demo().await;
    let diode = |field: &str, value: f64| {
        let mut body = json!({"i_l_a": 8.0, "i_o_a": 1e-9, "r_s_ohm": 0.3, "r_sh_ohm": 300.0, "a_v": 1.6});
        body[field] = json!(value);
        body
    };
    for field in ["i_l_a", "i_o_a", "r_s_ohm", "r_sh_ohm", "a_v"] {
        for value in [5e-324, 1e-300, 1e-61, 1e-60, 1e-7, 1e-6, 1e-3, 1.0, 1e3, 1e4, 1e15, 1e16, 1e308, 0.0, -1.0] {
            let (status, answer) = ask(&server, "single-diode", diode(field, value)).await;
            let is_told = status == 422 && answer["error"]["field"] == field;
            assert!(is_told || status == 200 && answer["pmax_w"].is_f64(), "{field} {value}: {answer}");
            let mut points = diode(field, value);
            points["alpha_isc_a_per_k"] = json!(0.004);
            points["conditions"] =
                json!([{"poa_w_m2": 1000, "cell_c": 25}, {"poa_w_m2": 0, "cell_c": -90}, {"poa_w_m2": 3000, "cell_c": 200}]);
            let (status, answer) = ask(&server, "panel-points", points).await;
            assert!(status == 422 || status == 200 && answer["points"][1]["pmax_w"].is_f64(), "{field} {value}: {answer}");
        }
    }
    let cell = json!({"i_l_a": 8, "i_o_a": 1e-9, "r_s_ohm": 0.005, "r_sh_ohm": 20, "a_v": 0.028});
    let circuit = |tree: Value| json!({"cells": [cell], "tree": tree, "count": 5});
    let (status, answer) = ask(&server, "circuit", circuit(json!({"series": [{"cell": 0}, {"ohm": 1e308}]}))).await;
    assert!(status == 422 && answer["error"]["field"] == "ohm", "{answer}");
    // 1,000 circuits of 201 points and cells are more than one request may ask for.
    let (status, answer) = ask(&server, "circuit", json!(vec![json!({"cells": [cell], "tree": {"cell": 0}}); 1000])).await;
    assert!(status == 422 && answer["error"]["allowed"] == "up to 200000 points and cells", "{status} {}", answer["error"]);
    assert_eq!(ask(&server, "circuit", json!({"cells": [cell], "tree": {"cell": 0}, "colour": 1})).await.0, 422);
}

/// A correction that makes no curve is refused; so is a coefficient that melts the module, and no beam comes from a sun that has set.
#[tokio::test]
async fn what_cannot_be_is_refused_with_why() {
    let server = Server::demo().await;
    let points: Vec<Value> =
        (0..40).map(f64::from).map(|v| json!({"v_v": v, "i_a": 8.0 - 1e-9 * ((v / 1.6).exp() - 1.0)})).collect();
    let body = |g1: f64, kappa: f64| {
        json!({"procedure": 1, "points": points, "g1": g1, "t1": 50, "g2": 1000, "t2": 25, "alpha_isc_a_per_k": 0.004,
            "beta_voc_v_per_k": -0.12, "r_s_ohm": 0.3, "kappa_ohm_per_k": kappa})
    };
    assert_eq!(ask(&server, "correct", body(900.0, 0.001)).await.0, 200);
    for (g1, kappa) in [(20.0, 0.001), (900.0, 0.5), (1e-300, 0.001)] {
        let (status, answer) = ask(&server, "correct", body(g1, kappa)).await;
        assert!(status == 422 && answer["error"]["message"].as_str().unwrap().len() > 40, "{g1} {kappa}: {answer}");
    }
    let hot = json!({"poa_w_m2": 1000, "air_c": 25, "wind_m_s": 1, "model": "sandia", "a": 0});
    assert_eq!(ask(&server, "cell-temperature", hot).await.1["error"]["field"], "a");
    let mut plane = json!({"tilt_deg": 90, "azimuth_deg": 180, "zenith_deg": 90, "sun_azimuth_deg": 180, "dni_w_m2": 800, "ghi_w_m2": 100, "dhi_w_m2": 100, "day_of_year": 172, "albedo": 0.2, "model": "hay_davies"});
    for zenith_deg in [90.0, 95.0] {
        plane["zenith_deg"] = json!(zenith_deg);
        let (_, answer) = ask(&server, "plane", plane.clone()).await;
        assert!(answer["poa_beam_w_m2"] == 0.0 && answer["poa_w_m2"].as_f64().unwrap() < 100.0, "{answer}");
    }
}
