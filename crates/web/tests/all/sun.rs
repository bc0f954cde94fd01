//! Places, the sun rail, Today, Aim and the tilt planner on the real server.

use crate::server::Server;
use reqwest::Method;
use reqwest::multipart::{Form, Part};

fn place<'a>(name: &'a str, lat: &'a str, lon: &'a str, zone: &'a str) -> Vec<(&'a str, &'a str)> {
    vec![
        ("name", name),
        ("lat_deg", lat),
        ("lon_deg", lon),
        ("elevation_m", ""),
        ("time_zone", zone),
        ("horizon", "90 10"),
        ("ground", "snow"),
        ("clarity", "clear"),
    ]
}

#[tokio::test]
async fn a_place_is_checked_kept_and_used() {
    let server = Server::demo().await;
    let wrong = [
        ("name", ""),
        ("lat_deg", "91"),
        ("lon_deg", ""),
        ("time_zone", "Mars/Base"),
        ("horizon", "tree"),
        ("coldest_c", "30"),
        ("hottest_c", "10"),
    ];
    let refused = server.post("/places", &wrong).await;
    assert_eq!(refused.status(), 422);
    let page = refused.text().await.unwrap();
    for told in ["91 is outside -90 to 90", "This is needed.", "Mars/Base", "tree", "30 is above the highest", "Write 1 to 60"] {
        assert!(page.contains(told), "{told}");
    }
    assert_eq!(server.post("/places", &place("Snow field", "69.7", "18.9", "Europe/Oslo")).await.status(), 303);
    assert!(server.page("/bench").await.contains("Snow field"));
    assert!(server.page("/today").await.contains("Europe/Oslo"));
    assert_eq!(server.post("/places", &place("snow field", "1", "1", "UTC")).await.status(), 422, "the name is taken");
    assert_eq!(server.post("/places/1/use", &[]).await.status(), 303);
    assert!(server.page("/").await.contains("Workshop yard"));
    assert_eq!(server.post("/places/99/use", &[]).await.status(), 404);
    let edited = server.page("/places/1/edit").await;
    assert!(edited.contains("value=\"38.6\"") && edited.contains("90 14"));
    assert_eq!(server.post("/places/1", &place("Yard", "-38,6", "-7.9", "Europe/Lisbon")).await.status(), 303);
    assert_eq!(server.store.place(1).await.unwrap().draft.place.lat_deg, -38.6);
}

/// What surrounds a page is kept between requests, and never older than what was written before.
#[tokio::test]
async fn what_surrounds_a_page_is_that_of_the_bench_as_it_is() {
    let server = Server::demo().await;
    for nth in 0..20 {
        let name = format!("Bench of round {nth}");
        let change = [("name", name.as_str()), ("time_zone", "UTC"), ("currency", "EUR")];
        assert_eq!(server.post("/bench", &change).await.status(), 303);
        assert!(server.page("/aim").await.contains(&name), "{name}");
    }
}

#[tokio::test]
async fn the_rail_is_on_every_working_page_and_says_in_words_what_it_draws() {
    let server = Server::demo().await;
    for path in ["/", "/panels", "/tests/1", "/tests/1/result", "/aim", "/tilt", "/today", "/panels/new", "/tests/new"] {
        let page = server.page(path).await;
        assert!(page.contains("class=\"rail\"") && page.contains("solar noon") && page.contains("good for a rating"), "{path}");
    }
    assert!(server.page("/tests/2").await.contains("40° to the south"), "on a test's page the rail is of its plane");
    assert!(server.page("/tests/1").await.contains("35° to the south"));
}

#[tokio::test]
async fn a_polar_place_and_the_day_the_clocks_change_get_answers() {
    let server = Server::demo().await;
    for (name, lat) in [("North", "89.9"), ("South", "-89.9")] {
        server.post("/places", &place(name, lat, "0", "UTC")).await;
        let page = server.page("/today").await;
        // One pole has day, the other night; but for the day on which it changes.
        let told = ["the sun does not set", "the sun does not rise", "<small>rises</small>", "<small>sets</small>"];
        assert!(told.iter().any(|words| page.contains(words)), "{name}");
        server.page("/tilt").await;
        assert_eq!(server.get("/today.ics").await.status(), 200);
    }
}

#[tokio::test]
async fn a_reading_is_told_where_the_sun_stood() {
    let server = Server::demo().await;
    let result = server.page("/tests/1/result").await;
    for told in ["solar time", "angle of incidence", "clear sky"] {
        assert!(result.contains(told), "{told}");
    }
    let setup =
        [("panel", "1"), ("tilt_deg", "35"), ("azimuth_deg", "180"), ("sun", "flat_meter"), ("cell_temperature", "infrared")];
    let made = server.post("/tests", &setup).await;
    let test = made.headers()["location"].to_str().unwrap();
    let reading = [("uid", "aaaaaaaa"), ("typed", "150 W 640 W/m2 45 C @13:20 clear"), ("taken_utc", "2026-09-12T12:20:00Z")];
    assert_eq!(server.post(&format!("/api/v1{test}/readings"), &reading).await.status(), 201);
    let result = server.page(&format!("{test}/result")).await;
    assert!(result.contains(">angle<") && result.contains("brought over by Perez 1990"), "the ladder has a step for the angle");
    server
        .post(test, &[("tilt_deg", "35"), ("azimuth_deg", "180"), ("sun", "clear_sky"), ("cell_temperature", "infrared")])
        .await;
    let modelled = [("uid", "bbbbbbbb"), ("typed", "150 W 45 C clear @13:22"), ("taken_utc", "2026-09-12T12:20:00Z")];
    server.post(&format!("/api/v1{test}/readings"), &modelled).await;
    assert!(server.page(&format!("{test}/result")).await.contains("clear-sky model"));
}

#[tokio::test]
async fn good_hours_and_tilt_dates_are_calendar_files() {
    let server = Server::demo().await;
    let response = server.get("/today.ics").await;
    assert_eq!(response.headers()["content-type"], "text/calendar; charset=utf-8");
    let ics = response.text().await.unwrap();
    assert!(ics.starts_with("BEGIN:VCALENDAR") && ics.ends_with("END:VCALENDAR\r\n"));
    let dates = server.page("/tilt.ics?changes=2&sky=clear").await;
    assert_eq!(dates.matches("BEGIN:VEVENT").count(), 2);
    assert!(dates.contains("RRULE:FREQ=YEARLY") && dates.contains("Set the tilt to"));
}

#[tokio::test]
async fn shadow_bar_roof_and_phone_are_answered() {
    let server = Server::demo().await;
    let page = server
        .page("/aim?upright=10&shadow=3,64&on_panel=120&on_ground=110&bar=400&rise=7&run=12&level=31&level_turned=29")
        .await;
    for told in ["20.0°", "angle of incidence; beam loss 6.0 %", "Bar length must be 10.0 to 230.0", "30.3°", "30.0 ± 0.3°"] {
        assert!(page.contains(told), "{told}");
    }
    let wrong = server.page("/aim?upright=0&shadow=5&rise=x&run=12&pitch_deg=95").await;
    assert!(
        wrong.contains("more than 0")
            && wrong.contains("is not a number")
            && wrong.contains("95 is not allowed: it has to be 0 to 89.9")
    );
}

#[tokio::test]
async fn the_planner_answers_for_every_sky_and_names_what_is_wrong() {
    let server = Server::demo().await;
    let clear = server.page("/tilt?sky=clear").await;
    for told in [
        "is the best single tilt",
        "a clear sky every day",
        "four settings a year",
        "always normal to the sun",
        "equal to latitude",
        "one bar, 45 degrees",
        "20° too steep",
        "Over its five best hours",
    ] {
        assert!(clear.contains(told), "{told}");
    }
    let own = server.page("/tilt?sky=own&clearness=0.4%200.4%200.4%200.4%200.5%200.5%200.5%200.5%200.4%200.4%200.4%200,4").await;
    assert!(own.contains("0.40 0.40 0.40 0.40 0.50"));
    for (query, told) in [
        ("sky=own&clearness=0.4", "twelve shares"),
        ("tilt_deg=120", "120 is outside 0 to 90"),
        ("array_w=big", "is not a number"),
        ("azimuth_deg=up", "degrees from north"),
        ("sky=purple", "Choose one of the skies"),
    ] {
        let page = server.page(&format!("/tilt?{query}")).await;
        assert!(page.contains(told) && !page.contains("is the best single tilt"), "{told}");
    }
    assert_eq!(server.get("/tilt?sky=weather:99").await.status(), 404);
}

/// A year of clear hours from nine to four, at a station near the place of the benches here.
pub fn a_year_of_weather() -> String {
    let hour = |index: usize| {
        let sun = if (9..16).contains(&(index % 24)) { "500,600,100" } else { "0,0,0" };
        format!("2025,1,1,1,0,made up,10,5,70,101000,0,0,300,{sun},0,0,0")
    };
    let mut lines = vec!["LOCATION,Made-up garden,-,-,-,0,38.6,-7.9,0,300".to_owned()];
    lines.extend((1..8).map(|line| format!("HEADER {line}")));
    lines.extend((0..8760).map(hour));
    lines.join("\n")
}

#[tokio::test]
async fn a_weather_file_is_used_and_a_wrong_one_explained() {
    let server = Server::demo().await;
    let upload = |text: String| {
        let form = Form::new().part("file", Part::bytes(text.into_bytes()).file_name("garden.epw"));
        server.request(Method::POST, "/weather").multipart(form).send()
    };
    let wrong = upload("a letter".into()).await.unwrap();
    assert_eq!(wrong.status(), 422);
    assert!(wrong.text().await.unwrap().contains("not an EPW weather file. Nothing was kept."));
    let kept = upload(a_year_of_weather()).await.unwrap();
    assert_eq!((kept.status().as_u16(), kept.headers()["location"].to_str().unwrap()), (303, "/tilt?sky=weather:1"));
    assert!(server.page("/tilt?sky=weather:1").await.contains("the hours of the weather file Made-up garden"));
    // Its station is at the place in use: it is taken where nobody chose, and not where somebody did.
    assert!(server.page("/tilt").await.contains("the hours of the weather file Made-up garden"));
    assert!(!server.page("/tilt?sky=climate:cloudy").await.contains("the hours of the weather file"));
    assert!(server.page("/keep-up").await.contains("<option value=\"weather:1\" selected"));
}

#[tokio::test]
async fn any_date_has_its_hours_and_a_prop_its_length() {
    let server = Server::demo().await;
    let june = server.page("/today?date=2026-06-21").await;
    assert!(june.contains("21 June 2026, 12:00"), "{june}");
    let wrong = server.get("/today?date=soon").await;
    assert!(wrong.status() == 422 && wrong.text().await.unwrap().contains("is not a date"));
    // Hinge lengths of 1.0 and 1.0 m at 45 degrees: 0.765 m; a panel of 39 3/8 inches at 30 degrees: half of it, to the eighth.
    let metric = server.page("/aim?on_panel=1,0&on_ground=1.0&wanted_deg=45&length=1&length_deg=30&unit=m").await;
    assert!(metric.contains("0.765\u{a0}m") && metric.contains("0.500\u{a0}m") && metric.contains("0.866\u{a0}m"), "{metric}");
    let inches = server.page("/aim?length=39.375&length_deg=30&unit=in").await;
    assert!(inches.contains("19 3/4 inches") || inches.contains("19 5/8 inches"), "{inches}");
}
