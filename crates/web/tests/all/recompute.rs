//! Reports of one file: they stand alone, follow from the data in them, and an alteration of any digit is found.

use crate::server::Server;

/// What the page says of a file: its status and its text.
async fn recomputed(server: &Server, html: impl Into<Vec<u8>>) -> (u16, String) {
    let form =
        reqwest::multipart::Form::new().part("file", reqwest::multipart::Part::bytes(html.into()).file_name("report.html"));
    let answer = server.request(reqwest::Method::POST, "/recompute").multipart(form).send().await.unwrap();
    let page = answer.status().as_u16();
    let text = answer.text().await.unwrap();
    let main = text.split("<main").nth(1).unwrap_or(&text).split("</main>").next().unwrap_or_default();
    (page, main.split_whitespace().collect::<Vec<_>>().join(" "))
}

async fn report(server: &Server, id: i64, query: &str) -> String {
    let answer = server.get(&format!("/tests/{id}/report.html{query}")).await;
    assert_eq!(answer.status(), 200, "{id}");
    let name = answer.headers()["content-disposition"].to_str().unwrap().to_owned();
    assert!(name.contains(&format!("-test-{id}-2")) && name.ends_with(".html\""), "{name}");
    answer.text().await.unwrap()
}

/// Every kind of test of the demo: all its figures follow, and nothing in it is elsewhere.
#[tokio::test]
async fn reports_follow_from_the_data_in_them() {
    let server = Server::demo().await;
    for id in [1, 3, 4, 5, 8, 9, 18, 21] {
        let html = report(&server, id, "").await;
        let body = html.split("<body").nth(1).unwrap().split("id=\"package\"").next().unwrap();
        assert!(!body.contains("/static/") && !body.contains("href=\"/") && !body.contains("src=\"/"), "{id}");
        assert!(!html.split("<style>").nth(1).unwrap().split("</style>").next().unwrap().contains("url(/"), "{id}");
        let (status, page) = recomputed(&server, html).await;
        assert!(status == 200 && page.contains("those of its drawings too, follow from the data in it"), "{id}: {page:.1500}");
        let figures: usize = page.split("All ").nth(1).unwrap().split(' ').next().unwrap().parse().unwrap();
        assert!(figures > 60 && !page.contains("made by version"), "{id}: {figures}");
    }
    let (whole, brief) = (report(&server, 1, "").await, report(&server, 1, "?brief=yes").await);
    assert!(whole.contains("Uncertainty budget") && !brief.contains("Uncertainty budget"));
    assert!(recomputed(&server, brief).await.1.contains("follow from the data in it"));
    server.stop().await;
}

/// Two hundred figures of text and drawings, a digit of each altered: each is found, and shown beside what follows.
#[tokio::test]
async fn an_altered_digit_is_found() {
    let server = Server::demo().await;
    let html = report(&server, 3, "").await;
    let from = html.find("<main").unwrap();
    let until = html.find("<script type=\"text/plain\" id=\"package\">").unwrap();
    let bytes = html.as_bytes();
    // The first digits of figures: one to each.
    let starts =
        |at: &usize| bytes[*at].is_ascii_digit() && !bytes[*at - 1].is_ascii_digit() && !matches!(bytes[*at - 1], b'.' | b',');
    let firsts: Vec<usize> = (from..until).filter(starts).collect();
    assert!(firsts.len() > 300, "{}", firsts.len());
    // A step without a factor in common with their number comes by all of them.
    let chosen: Vec<usize> = (0..200).map(|nth| firsts[nth * 37 % firsts.len()]).collect();
    let altered = |places: &[usize]| {
        let mut altered = bytes.to_vec();
        for (nth, at) in places.iter().enumerate() {
            altered[*at] = b'0' + (bytes[*at] - b'0' + 1 + (nth % 9) as u8) % 10;
        }
        altered
    };
    let mut distinct = chosen.clone();
    distinct.sort_unstable();
    distinct.dedup();
    let (status, page) = recomputed(&server, altered(&distinct)).await;
    assert!(status == 200 && page.contains(&format!("{} of ", distinct.len())), "{} {page:.600}", distinct.len());
    for at in chosen.iter().take(3) {
        let (_, page) = recomputed(&server, altered(&[*at])).await;
        assert!(page.contains("1 of ") && page.contains("do not follow"), "{page:.600}");
    }
    // A word that was changed is no less.
    let (_, page) = recomputed(&server, html.replacen("Osterwald", "Osterwold", 1)).await;
    assert!(page.contains("do not follow"), "{page:.600}");
    server.stop().await;
}

/// Programs get the same file, and the same answer of it; what is no report is refused in the shape of every refusal.
#[tokio::test]
async fn programs_have_reports_held_against_their_data() {
    let server = Server::demo().await;
    let hold = async |html: Vec<u8>| {
        let answer = server.request(reqwest::Method::POST, "/api/v1/recompute").body(html).send().await.unwrap();
        (answer.status().as_u16(), answer.json::<serde_json::Value>().await.unwrap())
    };
    for path in ["/api/v1/tests/1/report.html", "/api/v1/tests/1/report.html?brief=yes", "/api/v1/reviews/1/report.html"] {
        let html = server.get(path).await.text().await.unwrap();
        let (status, found) = hold(html.clone().into_bytes()).await;
        assert!(status == 200 && found["follows"] == true && found["differing"] == serde_json::json!([]), "{path}: {found}");
        assert!(found["figures"].as_u64().unwrap() > 40 && found["other_program"].is_null(), "{path}: {found}");
        let data = html.find("id=\"package\">").unwrap();
        let at = html[..data].rfind(" %").unwrap() - 1;
        assert!(html.as_bytes()[at].is_ascii_digit(), "{path}: {}", &html[at - 40..at + 4]);
        let mut altered = html.into_bytes();
        altered[at] = if altered[at] == b'7' { b'8' } else { b'7' };
        let (status, found) = hold(altered.clone()).await;
        let differing = found["differing"].as_array().unwrap();
        assert!(status == 200 && found["follows"] == false && differing.len() == 1, "{path}: {found}");
        assert_ne!(differing[0]["printed"], differing[0]["follows"], "{path}");
        assert!(!differing[0]["after"].as_str().unwrap().is_empty(), "{path}");
    }
    for (body, sentence) in
        [(b"<html></html>".to_vec(), "no report of one file"), (vec![0xff, 0xfe], "no text"), (vec![], "no report")]
    {
        let (status, refused) = hold(body).await;
        assert!(status == 422 && refused["error"]["field"] == "body", "{refused}");
        assert!(refused["error"]["message"].as_str().unwrap().contains(sentence), "{refused}");
    }
    assert_eq!(server.get("/api/v1/tests/1/report.html?brief=perhaps").await.status(), 422);
    assert_eq!(server.get("/api/v1/tests/999/report.html").await.status(), 404);
    assert_eq!(server.get("/api/v1/reviews/999/report.html").await.status(), 404);
    server.stop().await;
}

/// A file that is none, and data that is not as it was written, are told.
#[tokio::test]
async fn what_is_no_report_says_so() {
    let server = Server::demo().await;
    let (status, page) = recomputed(&server, "<html></html>").await;
    assert!(status == 422 && page.contains("no report of one file"), "{page}");
    let (status, page) = recomputed(&server, vec![0xff, 0xfe, 0x00]).await;
    assert!(status == 422 && page.contains("This is no text"), "{page}");
    let html = report(&server, 1, "").await;
    let begin = html.find("id=\"package\">").unwrap() + 13;
    let length = html[begin..].find("</script>").unwrap();
    let mut refused = 0;
    for nth in 0..12 {
        let at = begin + length * (2 * nth + 1) / 24;
        let mut altered = html.clone().into_bytes();
        altered[at] = if altered[at] == b'A' { b'B' } else { b'A' };
        let (status, page) = recomputed(&server, altered).await;
        // Times and sizes of the archive, which stand there twice, change no figure.
        assert!(
            status == 422 && page.contains("in this report is") || page.contains("follow from the data in it"),
            "{nth}: {page}"
        );
        refused += usize::from(status == 422);
    }
    assert!(refused >= 5, "{refused}");
    server.stop().await;
}

/// A review stands alone too, with the readings of every test in it: without forms, with nothing of it elsewhere, and an altered digit of its
/// table is found.
#[tokio::test]
async fn a_review_is_one_file_that_can_be_recomputed() {
    let server = Server::demo().await;
    let answer = server.get("/reviews/1/report.html").await;
    assert!(answer.headers()["content-disposition"].to_str().unwrap().contains("review-1-2"));
    let html = answer.text().await.unwrap();
    let body = html.split("<body").nth(1).unwrap().split("id=\"package\"").next().unwrap();
    assert!(!body.contains("<form") && !body.contains("/static/") && !body.contains("href=\"/") && !body.contains("src=\"/"));
    let (status, page) = recomputed(&server, html.clone()).await;
    assert!(status == 200 && page.contains("follow from the data in it"), "{status}: {page:.1500}");
    let figures: usize = page.split("All ").nth(1).unwrap().split(' ').next().unwrap().parse().unwrap();
    assert!(figures > 60, "{figures}");
    for (printed, altered) in [("14.77 \u{b1} 0.44", "14.97 \u{b1} 0.44"), ("predicted 86.1", "predicted 86.2")] {
        let printed = printed.replace(' ', "\u{a0}");
        let (from, to) = if html.contains(&printed) {
            (printed, altered.replace(' ', "\u{a0}"))
        } else {
            (printed.replace('\u{a0}', " "), altered.to_owned())
        };
        assert!(html.contains(&from), "{from}");
        let (_, page) = recomputed(&server, html.replacen(&from, &to, 1)).await;
        assert!(page.contains("1 of ") && page.contains("do not follow"), "{from}: {page:.600}");
    }
    // A single test of it leaves without the review, whose other tests stay at home.
    let one = report(&server, 1, "").await;
    assert!(recomputed(&server, one).await.1.contains("follow from the data in it"));
    assert_eq!(server.get("/reviews/99/report.html").await.status(), 404);
    server.stop().await;
}
