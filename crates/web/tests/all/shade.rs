//! The shade bench, and the panel's circuit over HTTP, on the real server.

use crate::server::Server;
use serde_json::json;

#[tokio::test]
async fn shade_is_solved_for_every_wiring_and_construction() {
    let server = Server::demo().await;
    let page = server.page("/shade?wiring=U-1+%2B+U-2&pattern=left&size=20").await;
    for told in [
        "1 of 6 substrings is bypassed",
        "Series or parallel",
        "all in parallel",
        "half-cut, 108 cells in two halves",
        "local tracking",
    ] {
        assert!(page.contains(told), "{told}");
    }
    let painted = server.page("/shade?wiring=S-1&pattern=none&paint0=0.1.2.x.99").await;
    assert!(painted.contains("of the area shaded loses"), "paint alone is shade too");
    assert!(server.page("/shade?wiring=S-1&pattern=none").await.contains("No shade: every substring"));
    for construction in ["cells_36", "half_cut_144", "two_strings_72", "shingled", "thin_film_one_diode", "diode_each_cell"] {
        assert!(
            server
                .page(&format!("/shade?wiring=S-1&construction={construction}&mounting=landscape&pattern=dapple&size=25&soft=10"))
                .await
                .contains("left-over")
        );
    }
}

#[tokio::test]
async fn what_cannot_be_solved_is_told_beside_its_field() {
    let server = Server::demo().await;
    for (query, sentence) in [
        ("wiring=X-9", "There is no panel with the tag"),
        ("wiring=7+x+S-1", "the bench holds up to 6"),
        ("wiring=S-1+%2B", "no panel beside it"),
        ("wiring=S-1&size=much", "is not a number"),
        ("wiring=S-1&poa=9000", "outside 10 to 1500"),
    ] {
        assert!(server.page(&format!("/shade?{query}")).await.contains(sentence), "{query}");
    }
}

#[tokio::test]
async fn a_label_becomes_five_parameters_and_a_curve() {
    let server = Server::demo().await;
    let label = json!({"voc_v": 37.8, "isc_a": 8.75, "vmp_v": 30.4, "imp_a": 8.22, "cells_in_series": 60, "alpha_isc_a_per_k": 0.0044, "beta_voc_v_per_k": -0.121});
    let (status, fit) = server.json("/api/v1/compute/panel-fit", label.clone()).await;
    assert_eq!((status, fit["exact"].as_bool()), (200, Some(true)), "{fit}");
    let mut diode = json!({"voltages_v": [0.0, 30.4, 37.8]});
    for name in ["i_l_a", "i_o_a", "r_s_ohm", "r_sh_ohm", "a_v"] {
        diode[name] = fit[name].clone();
    }
    let (_, solved) = server.json("/api/v1/compute/single-diode", diode.clone()).await;
    let close =
        |value: &serde_json::Value, expected: f64| (value.as_f64().unwrap() - expected).abs() < 1e-6 * expected.abs().max(1.0);
    assert!(
        close(&solved["vmp_v"], 30.4) && close(&solved["currents_a"][1], 8.22) && close(&solved["currents_a"][2], 0.0),
        "{solved}"
    );
    diode.as_object_mut().unwrap().remove("voltages_v");
    diode["alpha_isc_a_per_k"] = json!(0.0044);
    diode["conditions"] =
        json!([{"poa_w_m2": 1000, "cell_c": 25}, {"poa_w_m2": 0, "cell_c": 5}, {"poa_w_m2": 500, "cell_c": 60}]);
    let (_, points) = server.json("/api/v1/compute/panel-points", diode.clone()).await;
    assert!(close(&points["points"][0]["isc_a"], 8.75) && points["points"][1]["pmax_w"] == 0.0, "{points}");
    // A knee sharper than any diode's: the nearest panel, and it says so.
    let mut sharp = label.clone();
    (sharp["vmp_v"], sharp["imp_a"]) = (json!(34.5), json!(8.6));
    let (status, nearest) = server.json("/api/v1/compute/panel-fit", sharp).await;
    assert!(
        status == 200
            && nearest["exact"] == false
            && nearest["why"].as_str().unwrap().contains("below zero")
            && nearest["worst_residual"].as_f64().unwrap() > 0.001
    );
    for (name, value, field) in
        [("voc_v", -1.0, "voc_v"), ("vmp_v", 40.0, "vmp_v"), ("imp_a", 9.0, "imp_a"), ("cells_in_series", 0.0, "cells_in_series")]
    {
        let mut wrong = label.clone();
        wrong[name] = json!(value);
        let (status, body) = server.json("/api/v1/compute/panel-fit", json!([label.clone(), wrong])).await;
        assert_eq!((status, body["error"]["field"].as_str(), body["error"]["index"].as_u64()), (422, Some(field), Some(1)));
    }
}

#[tokio::test]
async fn the_worked_examples_of_a_circuit_are_solved() {
    let server = Server::demo().await;
    let cell = |share: f64| json!({"i_l_a": 8, "i_o_a": 1e-9, "r_s_ohm": 0.005, "r_sh_ohm": 20, "a_v": 0.028, "irradiance_share": share});
    let cells = json!([cell(1.0), cell(0.2)]);
    let trees = [
        json!({"bypass": {"series": [{"cell": 0}, {"cell": 1}]}}),
        json!({"series": [{"parallel": [{"cell": 0}, {"cell": 1}]}, {"ohm": 0.1}]}),
        json!({"series": [{"bypass": {"cell": 0}}, {"bypass": {"cell": 1}}]}),
    ];
    for tree in trees {
        let (status, body) = server.json("/api/v1/compute/circuit", json!({"cells": cells, "tree": tree})).await;
        assert_eq!(
            (status, body["points"].as_array().map(Vec::len), body["cell_power_w"].as_array().map(Vec::len)),
            (200, Some(200), Some(2)),
            "{body}"
        );
        assert!(body["pmax_w"].as_f64().unwrap() > 0.3 && !body["local_maxima"].as_array().unwrap().is_empty());
    }
    for (tree, told) in [
        (json!({"series": []}), "no part"),
        (json!({"cell": 7}), "not there"),
        (json!({"series": [{"cell": 0}, {"cell": 0}]}), "two places"),
        (json!({"ohm": -1.0}), "outside 0"),
    ] {
        let (status, body) = server.json("/api/v1/compute/circuit", json!({"cells": cells, "tree": tree})).await;
        assert!(status == 422 && body["error"]["message"].as_str().unwrap().contains(told), "{body}");
    }
}

#[tokio::test]
async fn unlike_panels_are_joined_by_label_or_by_what_they_gave_alone() {
    let server = Server::demo().await;
    let page = server.page("/unlike").await;
    assert!(page.contains("M-1 Madder 100") && page.contains("loses most") && page.contains("rule of thumb"));
    let three = server.page("/unlike?set=18.38+V+103+W;+13.62+V+88+W;+16.3+V+87+W&measured=15.5+V+249+W").await;
    assert!(three.contains("Which to pair") && three.contains("Measured together: 249"), "{three}");
    for (set, sentence) in [
        ("M-1", "two to six"),
        ("M-1;+moon", "moon"),
        ("M-1;+12+V", "give volts with amps"),
        ("M-1;+N-1+15.7+V+6.1+A", "N-1 Sienna"),
    ] {
        assert!(
            server.page(&format!("/unlike?set={set}")).await.contains(sentence),
            "{set}: {}",
            server.page(&format!("/unlike?set={set}")).await
        );
    }
}

#[tokio::test]
async fn a_controller_that_does_not_track_is_named() {
    let server = Server::demo().await;
    let awl = server.store.gear().await.unwrap().into_iter().find(|row| row.draft.name == "Awl 15").unwrap().id;
    let page = server.page(&format!("/controllers?controller={awl}&in_v=13.4&in_a=2.33&out_v=13.16&out_a=2.27")).await;
    assert!(page.contains("It is sold as tracking.") && page.contains("Lathe 30"));
    assert!(
        server.page("/controllers?in_v=15.5&in_a=2.25&out_v=13.2&out_a=2.5").await.contains("Tracking, efficiency 94.6\u{a0}%")
    );
    assert!(server.page("/controllers?in_v=lots").await.contains("is not a number"));
    let full = server.page("/controllers").await;
    for told in [
        "24 V, at 26",
        "not starting: voltage too low",
        "charges more in a day than Gimlet 20",
        "self-consumption 12\u{a0}Wh a day",
    ] {
        assert!(full.contains(told), "{told}");
    }
    // Three in series reach 48 V, and the amps of 15 A controllers clip at 13 V.
    let three = server.page("/controllers?wiring=3+x+S-1&battery_v=26&peak_sun_h=2").await;
    assert!(three.contains("12 V, at 13") && three.contains("not allowed: above input rating"));
    assert!(three.contains("Awl 15 must not be connected: its input rating is 50\u{a0}V"), "three are 69 V open");
    assert!(server.page("/controllers?wiring=3+x+S-1").await.contains("at its limit"), "390 W of 560");
    assert!(server.page("/controllers?wiring=X-9").await.contains("There is no panel with the tag"));
    assert!(server.page("/controllers?daylight_h=30").await.contains("outside 0 to 24"));
}

#[tokio::test]
async fn series_or_parallel_depends_on_the_shade_and_on_the_controller() {
    let server = Server::demo().await;
    let gear = server.store.gear().await.unwrap();
    let id = |name: &str| gear.iter().find(|row| row.draft.name == name).unwrap().id;
    let page = server.page("/ways").await;
    for told in [
        "Under this shade series gives",
        "Parallel gives more at first, from 15\u{a0}% series, from 59\u{a0}% parallel.",
        "Every pattern of this size",
        "the whole panel</th>",
    ] {
        assert!(page.contains(told), "{told}");
    }
    let high = server.page(&format!("/ways?controller={}&battery_v=26", id("Lathe 30"))).await;
    assert!(
        high.contains("Only series is possible")
            && high.contains("into a battery of 26 V through Lathe 30")
            && high.contains(">not starting<")
    );
    // 52 V on a cold morning, on an input that stands 50.
    let cold = server.page(&format!("/ways?controller={}", id("Awl 15"))).await;
    assert!(cold.contains("not allowed: cold Voc above the input rating"));
    let three = server.page(&format!("/ways?wiring=3+x+S-1&controller={}", id("Awl 15"))).await;
    assert!(three.contains(">not allowed<"), "three are 69 V");
    // Cells painted on the bench go along: one dark cell of the second panel alone.
    let bench = server.page("/shade?wiring=2+x+S-1&pattern=none&paint1=4").await;
    assert!(bench.contains("&amp;paint1=4\">Wiring over shade size"));
    let painted = server.page("/ways?wiring=2+x+S-1&pattern=none&paint1=4").await;
    assert!(painted.contains("Under this shade series gives") && painted.contains("name=\"paint1\" value=\"4\""));
    assert!(painted.contains("The painted cells count for this shade size only"));
    let four = server.page("/ways?wiring=4+x+S-1&tracks=first").await;
    assert!(four.contains("strings of two in parallel"));
    for (query, sentence) in
        [("wiring=S-1", "One panel has no wiring"), ("size=lots", "is not a number"), ("wiring=S-1+%2B+X-9", "There is no panel")]
    {
        assert!(server.page(&format!("/ways?{query}")).await.contains(sentence), "{query}");
    }
}

#[tokio::test]
async fn the_part_that_is_out_is_found_by_covers() {
    let server = Server::demo().await;
    let found = server.page("/used?whole=23.6&cover1=21.6&cover2=23.6&cover3=21.6").await;
    assert!(found.contains("Failed: 2, the middle third."));
    assert!(server.page("/used?whole=34.8&cover1=32.8&cover2=32.8&cover3=32.9").await.contains("Every substring responds"));
    let unclear = server.page("/used?whole=23.6&cover1=21.6").await;
    assert!(unclear.contains("cover at least two") && !server.page("/used").await.contains("aria-label=\"Failed substring\""));
    assert!(server.page("/used?whole=much&cover1=2").await.contains("is not a number"));
}

#[tokio::test]
async fn a_shadow_passes_through_the_day() {
    let server = Server::demo().await;
    let page = server.page("/shadow?date=2026-12-21&hour=12.5").await;
    for told in ["for this shadow", "gives more", "half-cut, 144 cells", "kWh"] {
        assert!(page.contains(told), "{told}");
    }
    let lathe = server.store.gear().await.unwrap().into_iter().find(|row| row.draft.name == "Lathe 30").unwrap().id;
    let high = server.page(&format!("/shadow?date=2026-12-21&controller={lathe}&battery_v=26")).await;
    assert!(high.contains("In parallel Lathe 30 does not start"), "36 cells never reach 31 V");
    assert!(server.page("/shadow?date=2026-06-21&north_m=40").await.contains("does not fall on the panels"));
    assert!(server.page("/shadow?date=soon").await.contains("is not a date"));
    // The day stays while the hour moves over it; another place is another day.
    let day_of = |page: &str| page.split("without the shadow").nth(1).map(|rest| rest.chars().take(300).collect::<String>());
    let (morning, noon) =
        (server.page("/shadow?date=2026-12-21&hour=9").await, server.page("/shadow?date=2026-12-21&hour=12.5").await);
    assert_eq!(day_of(&morning), day_of(&noon));
    assert!(day_of(&morning).is_some() && morning != noon);
    let place = [
        ("name", "Yard in the south"),
        ("lat_deg", "-30"),
        ("lon_deg", "-7.9"),
        ("elevation_m", ""),
        ("time_zone", "UTC"),
        ("horizon", ""),
        ("ground", "snow"),
        ("clarity", "clear"),
    ];
    assert_eq!(server.post("/places", &place).await.status(), 303);
    assert_ne!(day_of(&server.page("/shadow?date=2026-12-21&hour=9").await), day_of(&morning));
    assert!(server.page("/shadow?wiring=X-9").await.contains("There is no panel with the tag"));
}

#[tokio::test]
async fn strings_are_cleared_whole_and_their_amps_checked() {
    let server = Server::demo().await;
    let page = server.page("/strings?rows=oooo%0Aoxoo%0Axxoo&amps=7.2+9.0+6.8&combined=22").await;
    let first = page.split("Clearing order").nth(1).unwrap();
    assert!(first.find("string 2, panel 2").unwrap() < first.find("string 3, panel 1").unwrap());
    for told in ["The strings add up to 23\u{a0}A", "which agrees", "String 3 gives 75.6\u{a0}%", " now, of "] {
        assert!(page.contains(told), "{told}");
    }
    assert!(server.page("/strings?rows=oo%3F").await.contains("neither o for a clear panel"));
    assert!(server.page("/strings?amps=-3+4").await.contains("reverse the clamp"));
}

#[tokio::test]
async fn a_batch_of_used_panels_is_graded_with_its_evidence_and_price() {
    let server = Server::demo().await;
    let page = server.page("/used").await;
    for told in ["1 keep, 2 use with limits", "1 of 3 substrings failed", "Isc is", "EUR/W"] {
        assert!(page.contains(told), "{told}");
    }
    let wrong = server.page("/used?lines=B-9%3A+Voc+lots%0AB-8%3A+Voc+0.3+850+W%2Fm2").await;
    assert!(wrong.contains("not read") && wrong.contains("an open circuit is likely") && wrong.contains("B-9: Voc lots"));
}
