//! From a plan to its report on the real server: preflight, runs in any order, what looks odd, photos.

use crate::server::Server;
use image::{DynamicImage, ImageFormat, RgbImage};
use reqwest::multipart::{Form, Part};
use std::io::Cursor;

/// A shade test of S-1, settled at once; its path. Runs are A B A C A.
async fn planned(server: &Server, rig: &str) -> String {
    let panels = server.page("/plan/shade_cost").await;
    let option = panels.split("<option value=\"").find(|part| part.contains("S-1 ")).unwrap();
    let panel = option.split('"').next().unwrap();
    let fields = [
        ("panel_id", panel),
        ("rig_id", rig),
        ("baseline", "none"),
        ("levels", "one cell; half"),
        ("order", "aba"),
        ("settle_s", "0"),
        ("load", "load_tester"),
        ("sun", "plane_meter"),
        ("start", "2026-09-14T12:30:00"),
        ("prediction", "half of it is a third"),
    ];
    let made = server.post("/plan/shade_cost", &fields).await;
    assert_eq!(made.status(), 303, "{}", made.text().await.unwrap());
    let path = made.headers()["location"].to_str().unwrap().to_owned();
    path.strip_suffix("/sheet").unwrap().to_owned()
}

fn run_at_work(page: &str) -> String {
    page.split("data-run=\"").nth(1).unwrap_or_default().split('"').next().unwrap().to_owned()
}

async fn log(server: &Server, test: &str, uid: &str, line: &str) {
    let run = run_at_work(&server.page(test).await);
    let form = [("uid", uid), ("typed", line), ("run", run.as_str()), ("taken_utc", "2026-09-14T12:00:00Z")];
    let sent = server.post(&format!("/api/v1{test}/readings"), &form).await;
    assert_eq!(sent.status(), 201, "{}", sent.text().await.unwrap());
}

async fn press(server: &Server, path: &str, form: &[(&str, &str)]) {
    let pressed = server.post(path, form).await;
    assert_eq!(pressed.status(), 303, "{path}: {}", pressed.text().await.unwrap());
}

/// A run may have more readings than its plan wants: those that name no run go to the next one.
#[tokio::test]
async fn a_reading_without_a_run_is_taken_though_another_run_has_more_than_it_wants() {
    let server = Server::demo().await;
    let test = planned(&server, "").await;
    let first = run_at_work(&server.page(&test).await);
    let send = |uid: &'static str, run: String| {
        let (server, path) = (&server, format!("/api/v1{test}/readings"));
        async move {
            let form =
                [("uid", uid), ("typed", "18.4 V 8.5 A 880 W/m2 49 C"), ("run", &run), ("taken_utc", "2026-09-14T12:00:00Z")];
            server.post(&path, &form).await
        }
    };
    for uid in ["reading-one", "reading-two", "reading-three"] {
        assert_eq!(send(uid, first.clone()).await.status(), 201, "{uid}");
    }
    let item = serde_json::json!([{ "uid": "reading-four", "typed": "18.4 V 8.5 A", "taken_utc": "2026-09-14T12:01:00Z" }]);
    let (status, answer) = server.json(&format!("/api/v1{test}/readings"), item).await;
    assert_eq!((status, &answer[0]["answer"]), (200, &serde_json::json!("accepted")), "{answer}");
    assert_ne!(answer[0]["run"].to_string(), first);
}

#[tokio::test]
async fn every_question_has_a_plan_and_a_wrong_one_is_told_beside_its_field() {
    let server = Server::demo().await;
    let questions = server.page("/plan?rig=1").await;
    let paths: Vec<&str> = questions.split("href=\"/plan/").skip(1).map(|part| part.split('"').next().unwrap()).collect();
    assert_eq!(paths.len(), 16);
    for path in paths {
        assert!(path.ends_with("?rig=1"), "{path}");
        let page = server.page(&format!("/plan/{path}")).await;
        assert!(page.contains("class=\"letters\""), "{path} has no order of runs");
    }
    let wrong = server.page("/plan/which_tilt?levels=35&baseline=35&start=2026-09-14T12:00:00&panel_id=1").await;
    assert!(wrong.contains("is the baseline itself"));
    let two =
        server.page("/plan/which_tilt?levels=20,+load+%3D+Gimlet+20&baseline=35&start=2026-09-14T12:00:00&panel_id=1").await;
    assert!(two.contains("changes tilt and load at once"));
    assert_eq!(server.get("/plan/which_moon").await.status(), 404);
    let refused = server.post("/plan/which_tilt", &[("levels", ""), ("start", "soon"), ("panel_id", "1")]).await;
    assert_eq!(refused.status(), 422);
}

#[tokio::test]
async fn a_stop_is_named_before_capture_opens_and_stays_on_the_report() {
    let server = Server::demo().await;
    let rigs = server.page("/gear").await;
    let barn = rigs
        .split("<a href=\"/rigs/")
        .skip(1)
        .find(|part| part.contains("Barn string"))
        .unwrap()
        .split('"')
        .next()
        .unwrap()
        .to_owned();
    let test = planned(&server, &barn).await;
    assert_eq!(server.get(&test).await.headers()["location"].to_str().unwrap(), format!("{test}/preflight"));
    let preflight = server.page(&format!("{test}/preflight")).await;
    let told = ["meter voltage", "input voltage", "Little watt-meter", "above the rating of the meter"];
    assert!(told.iter().all(|told| preflight.contains(told)));
    let keys: Vec<String> = preflight
        .split("name=\"key\" value=\"")
        .skip(1)
        .map(|part| part.split('"').next().unwrap().replace("&#34;", "\"").replace("&#38;", "&").replace("&quot;", "\""))
        .collect();
    assert_eq!(keys.len(), 2);
    // One of two is not enough.
    let half = server.post(&format!("{test}/preflight"), &[("key", keys[0].as_str())]).await;
    assert_eq!(half.status(), 422);
    assert!(half.text().await.unwrap().contains("Name every stop"));
    press(&server, &format!("{test}/preflight"), &[("key", keys[1].as_str())]).await;
    assert!(server.page(&test).await.contains("Begin this run"));
    let report = server.page(&format!("{test}/report")).await;
    assert!(report.contains("Continued despite <strong>meter voltage</strong>"));
    // Another panel in the string is another stop.
    let rig = server.store.rig(barn.parse().unwrap()).await.unwrap();
    let changed = flindo_store::RigDraft { wiring: "2 x U-2".into(), ..rig.draft };
    server.store.change_rig(rig.id, &changed).await.unwrap();
    assert_eq!(server.get(&test).await.status(), 303);
}

#[tokio::test]
async fn runs_are_done_repeated_skipped_and_taken_up_again() {
    let server = Server::demo().await;
    let test = planned(&server, "").await;
    let first = server.page(&test).await;
    assert!(first.contains("A baseline 1") && first.contains("Begin this run") && first.contains("shade none"));
    press(&server, &format!("{test}/next"), &[("uid", "press-00000001"), ("run", &run_at_work(&first))]).await;
    log(&server, &test, "reading-000001", "18.4 V 8.50 A 880 W/m2").await;
    let begun = server.page(&test).await;
    press(&server, &format!("{test}/next"), &[("uid", "press-00000002"), ("run", &run_at_work(&begun))]).await;
    // The same press from a page that is behind moves nothing.
    press(&server, &format!("{test}/next"), &[("uid", "press-00000003"), ("run", &run_at_work(&begun))]).await;
    let second = server.page(&test).await;
    assert!(second.contains("class=\"chip changed\">shade one cell</span>"));
    log(&server, &test, "reading-000002", "12.2 V 8.10 A 880 W/m2").await;
    press(&server, &format!("{test}/repeat"), &[("uid", "press-00000004")]).await;
    log(&server, &test, "reading-000003", "18.4 V 8.50 A 880 W/m2").await;
    let compared = server.page(&format!("{test}/result")).await;
    assert!(compared.contains("36.8\u{a0}% less than the baseline"), "{compared}");
    assert!(compared.contains("half of it is a third"), "the prediction stands beside it");

    let page = server.page(&test).await;
    let run = run_at_work(&page);
    let runs = format!("{test}/runs/{run}");
    press(&server, &runs, &[("uid", "press-00000005"), ("what", "cloud")]).await;
    press(&server, &runs, &[("uid", "press-00000006"), ("what", "note"), ("text", "wind rising")]).await;
    assert!(server.page(&test).await.contains("wind rising"));
    press(&server, &runs, &[("uid", "press-00000007"), ("what", "skipped"), ("text", "card blew away")]).await;
    assert!(server.page(&format!("{test}/report")).await.contains("card blew away"));
    press(&server, &runs, &[("uid", "press-00000008"), ("what", "taken_up")]).await;
    assert_eq!(run_at_work(&server.page(&test).await), run);
    let nothing = server.post(&runs, &[("uid", "press-00000009"), ("what", "eclipse")]).await;
    assert_eq!(nothing.status(), 422);
    assert_eq!(server.post(&format!("{test}/runs/9999"), &[("uid", "press-00000010"), ("what", "cloud")]).await.status(), 404);
    let table = server.get(&format!("{test}/readings.csv")).await.text().await.unwrap();
    assert!(table.contains("shade_cost") && table.lines().next().unwrap().contains("run_level"));
}

#[tokio::test]
async fn what_looks_odd_is_kept_and_asked_about_once() {
    let server = Server::demo().await;
    let test = planned(&server, "").await;
    log(&server, &test, "reading-000001", "18.4 V 8.50 A 880 W/m2").await;
    log(&server, &test, "reading-000002", "18.4 V 85.0 A 880 W/m2").await;
    let asked = server.page(&test).await;
    assert!(asked.contains("check the decimal mark of the current"));
    let run = run_at_work(&asked);
    press(
        &server,
        &format!("{test}/runs/{run}"),
        &[("uid", "press-00000001"), ("what", "confirmed"), ("text", "reading-000002")],
    )
    .await;
    assert!(!server.page(&test).await.contains("decimal mark"));
    assert_eq!(server.store.readings(test.rsplit('/').next().unwrap().parse().unwrap()).await.unwrap().len(), 2);
}

#[tokio::test]
async fn the_demos_sweep_of_tilts_is_compared_with_its_own_baseline() {
    let server = Server::demo().await;
    assert!(server.page("/").await.contains("Which tilt?"));
    let result = server.page("/tests/3/result").await;
    for told in ["The clear-sky course", "Ranking", "No baseline on both sides", "1 to 2", "1 to 3", "2 to 4"] {
        assert!(result.contains(told), "{told}");
    }
    // Typed as 35, 25, 15 and 45; the drawing and the table say of what.
    for (letter, degrees) in [("A", "35"), ("B", "15"), ("C", "25"), ("D", "45")] {
        let row = format!("<span class=\"letter\">{letter}</span> {degrees}\u{b0}<br>");
        assert!(result.contains(&row), "{row}");
    }
    assert!(result.contains("15\u{b0}</text>"));
    assert!(server.page("/tests/3/sheet").await.contains("A B C D A D C B A"));
    assert!(server.page("/tests/3").await.contains("begin with a new one"));
}

/// A picture of 40 x 20 with an orientation of 6 (turn right) and a place in its EXIF, as a phone writes it.
fn phone_picture() -> Vec<u8> {
    let mut jpeg = Cursor::new(Vec::new());
    DynamicImage::ImageRgb8(RgbImage::from_fn(40, 20, |x, y| image::Rgb([x as u8 * 6, y as u8 * 12, 90])))
        .write_to(&mut jpeg, ImageFormat::Jpeg)
        .unwrap();
    let jpeg = jpeg.into_inner();
    let mut exif: Vec<u8> = b"Exif\0\0MM\0*\0\0\0\x08\0\x02".to_vec();
    exif.extend(b"\x01\x12\0\x03\0\0\0\x01\0\x06\0\0"); // orientation 6
    exif.extend(b"\x88\x25\0\x04\0\0\0\x01\0\0\0\x26\0\0\0\0"); // a GPS directory
    exif.extend(b"\0\x01\0\x01\0\x02\0\0\0\x02N\0\0\0\0\0\0\0GPS-PLACE-38.6");
    let mut whole = jpeg[..2].to_vec();
    whole.extend([0xFF, 0xE1]);
    whole.extend((exif.len() as u16 + 2).to_be_bytes());
    whole.extend(&exif);
    whole.extend(&jpeg[2..]);
    whole
}

async fn attach(server: &Server, test: &str, bytes: Vec<u8>) -> reqwest::Response {
    let form = Form::new().text("caption", "the prop").part("file", Part::bytes(bytes).file_name("photo.jpg"));
    server.request(reqwest::Method::POST, &format!("{test}/photos")).multipart(form).send().await.unwrap()
}

#[tokio::test]
async fn a_photo_is_kept_upright_and_without_its_place() {
    let server = Server::demo().await;
    let picture = phone_picture();
    assert!(picture.windows(9).any(|part| part == b"GPS-PLACE"));
    assert_eq!(attach(&server, "/tests/3", picture).await.status(), 303);
    let page = server.page("/tests/3").await;
    assert!(page.contains("alt=\"the prop\" width=\"20\" height=\"40\""));
    let thumbnail = page.split("<img src=\"").nth(1).unwrap().split('"').next().unwrap();
    assert_eq!(server.get(thumbnail).await.headers()["content-type"], "image/jpeg");
    let path = thumbnail.strip_suffix("/thumbnail").unwrap();
    let kept = server.get(path).await;
    assert_eq!(kept.headers()["content-type"], "image/jpeg");
    let bytes = kept.bytes().await.unwrap();
    assert!(!bytes.windows(4).any(|part| part == b"Exif") && !bytes.windows(3).any(|part| part == b"GPS"));
    assert!(server.page("/tests/3/report").await.contains("the prop"));
    assert_eq!(server.get(&path.replace("/tests/3/", "/tests/2/")).await.status(), 404);
    press(&server, &format!("{path}/remove"), &[]).await;
    assert_eq!(
        (server.get(path).await.status(), server.get(thumbnail).await.status()),
        (404.try_into().unwrap(), 404.try_into().unwrap())
    );
}

/// Pixels without a pattern, which no encoder makes small.
fn noise(width_px: u32, height_px: u32) -> DynamicImage {
    let mut state = 1_u32;
    let mut byte = || {
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        (state >> 24) as u8
    };
    DynamicImage::ImageRgb8(RgbImage::from_fn(width_px, height_px, |_, _| image::Rgb([byte(), byte(), byte()])))
}

#[tokio::test]
async fn half_a_picture_is_refused_and_a_large_one_is_kept_small() {
    let server = Server::demo().await;
    let mut jpeg = Cursor::new(Vec::new());
    noise(640, 480).write_to(&mut jpeg, ImageFormat::Jpeg).unwrap();
    let jpeg = jpeg.into_inner();
    // A small picture in the head, as phones put it there, with an end mark of its own.
    let head = [&jpeg[..2], &[0xff, 0xe1, 0x00, 0x08, 0, 0, 0xff, 0xd9, 0, 0][..], &jpeg[2..]].concat();
    for whole in [&jpeg, &head] {
        assert_eq!(attach(&server, "/tests/3", whole.clone()).await.status(), 303);
        let half = whole[..whole.len() / 2].to_vec();
        let refused = attach(&server, "/tests/3", half).await;
        assert_eq!(refused.status(), 422);
        assert!(refused.text().await.unwrap().contains("cut off"));
    }
    let mut png = Cursor::new(Vec::new());
    noise(2400, 1600).write_to(&mut png, ImageFormat::Png).unwrap();
    assert_eq!(attach(&server, "/tests/3", png.into_inner()).await.status(), 303);
    let photos = server.store.photos(3).await.unwrap();
    let (_, kept) = server.store.photo_file(3, photos[2].id).await.unwrap();
    let thumbnail = server.store.photo_thumbnail(3, photos[2].id).await.unwrap().unwrap();
    assert!(kept.len() <= 1024 * 1024 && thumbnail.len() < 80_000, "{} {}", kept.len(), thumbnail.len());
    assert_eq!(image::load_from_memory(&thumbnail).unwrap().width(), 320);
    assert!((photos[2].width_px * 2).abs_diff(photos[2].height_px * 3) <= 3, "its shape");
    // A hundred megapixels are told from the head alone, before anything of them is decoded.
    let mut large = Cursor::new(Vec::new());
    DynamicImage::new_luma8(10_000, 10_000).write_to(&mut large, ImageFormat::Png).unwrap();
    assert!(attach(&server, "/tests/3", large.into_inner()).await.text().await.unwrap().contains("10000 x 10000 pixels"));
}

#[tokio::test]
async fn what_is_no_picture_or_too_large_is_told() {
    let server = Server::demo().await;
    for (bytes, sentence) in [
        (b"a letter".to_vec(), "not a PNG or JPEG"),
        (Vec::new(), "Choose a picture"),
        (vec![0; 13 * 1024 * 1024], "larger than"),
    ] {
        let refused = attach(&server, "/tests/3", bytes).await;
        assert!(refused.status().is_client_error());
        assert!(refused.text().await.unwrap().contains(sentence), "{sentence}");
    }
    let mut png = Cursor::new(Vec::new());
    DynamicImage::new_rgba8(2000, 10).write_to(&mut png, ImageFormat::Png).unwrap();
    let mut cut = png.get_ref().clone();
    cut.truncate(60);
    assert!(attach(&server, "/tests/3", cut).await.text().await.unwrap().contains("cannot be read"));
    assert_eq!(attach(&server, "/tests/3", png.into_inner()).await.status(), 303);
    assert!(server.page("/tests/3").await.contains("width=\"1600\" height=\"8\""), "shrunk to what a page shows");
}

/// A double click, an answer that was lost and is sent again, and a second browser: a run that was begun is not ended by the press that
/// meant to begin it.
#[tokio::test]
async fn a_press_sent_twice_begins_a_run_and_does_not_end_it() {
    let server = Server::demo().await;
    let test = planned(&server, "").await;
    let run = run_at_work(&server.page(&test).await);
    for uid in ["press-twice-1", "press-twice-1", "press-elsewhere"] {
        press(&server, &format!("{test}/next"), &[("uid", uid), ("run", &run), ("act", "begin")]).await;
        assert_eq!(run_at_work(&server.page(&test).await), run, "{uid}");
    }
    // The page of a browser that has not seen it begin cannot end it either; that which has can.
    press(&server, &format!("{test}/next"), &[("uid", "press-the-end"), ("run", &run), ("act", "end")]).await;
    assert_ne!(run_at_work(&server.page(&test).await), run);
}

#[tokio::test]
async fn a_reading_goes_to_a_run_of_its_own_test_revives_a_skipped_one_and_is_marked_late_on_an_ended_one() {
    let server = Server::demo().await;
    let (test, other) = (planned(&server, "").await, planned(&server, "").await);
    let run = run_at_work(&server.page(&test).await);
    let send = async |test: &str, uid: &str, time: &str| {
        let form = [("uid", uid), ("typed", "18.4 V 8.5 A 900 W/m2 49 C"), ("run", run.as_str()), ("taken_utc", time)];
        server.post(&format!("/api/v1{test}/readings"), &form).await.status().as_u16()
    };
    assert_eq!(send(&other, "reading-00000001", "2026-09-14T12:00:00Z").await, 422, "the run of another test");
    let form = [("uid", "reading-00000001"), ("typed", "18.4 V"), ("run", run.as_str())];
    assert_eq!(server.post(&format!("{other}/readings"), &form).await.status(), 422, "neither by the form");
    let here = format!("{test}/runs/{run}");
    press(&server, &here, &[("uid", "press-00000001"), ("what", "skipped"), ("text", "a cloud")]).await;
    assert_ne!(run_at_work(&server.page(&test).await), run);
    assert_eq!(send(&test, "reading-00000002", "2026-09-14T12:01:00Z").await, 201);
    let page = server.page(&test).await;
    assert!(page.contains("resumed: a reading of it came") && run_at_work(&page) == run, "{page}");
    press(&server, &here, &[("uid", "press-00000003"), ("what", "done")]).await;
    assert!(!server.page(&test).await.contains("read after its end"));
    // To the second, as readings are kept.
    let after = (jiff::Timestamp::now() + jiff::SignedDuration::from_secs(2)).to_string();
    assert_eq!(send(&test, "reading-00000004", &after).await, 201);
    assert_eq!(server.page(&test).await.matches("read after its end").count(), 1);
}
