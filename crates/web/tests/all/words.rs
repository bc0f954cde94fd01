//! What people read: no page that can be reached has a word that the list of terms replaces.

use crate::server::Server;
use std::collections::{BTreeSet, VecDeque};

/// Words and phrases that were replaced by terms of docs/terms.md.
const REPLACED: [&str; 66] = [
    "warmth",
    "wobble",
    "own draw",
    "asleep",
    "it accepts",
    "first hill",
    "tied to",
    "passed around",
    "group of cells",
    "groups of cells",
    "square to the sun",
    "off square",
    "sun up",
    "works into",
    "what tells",
    "how it stands",
    "where the bench stands",
    "what stands around",
    "leave as it was",
    "work it out",
    "worked out anew",
    "solve both",
    "who loses",
    "join them",
    "judge them",
    "which part of one is out",
    "strings and covers",
    "a shadow that passes",
    "shade bench",
    "unlike panels",
    "both schools",
    "more than a hair",
    "must not: ",
    "as it lies",
    "in this order",
    "turn the clamp",
    "it could give now",
    "its amps let in",
    "what own draw eats",
    "what the meters show",
    "take it ",
    "let go",
    "peak anew",
    "every figure, opened",
    "what the uncertainty is made of",
    "taken back",
    "put back",
    "going on all the same",
    "in spite of",
    "looked at and in order",
    "listened to",
    "can stand",
    "how well it sees",
    "its long side",
    "its size",
    "where along",
    "light let through",
    "likely for its label",
    "melted folds",
    "lying flat",
    "a clear sky, worked out",
    "turned end for end",
    "valuekind",
    "coveredstrings",
    "preflightview",
    "meterposition",
];

/// The text of a page: without tags, scripts and what is typed into fields.
fn text_of(html: &str) -> String {
    let mut text = String::new();
    let mut rest = html;
    while let Some(start) = rest.find('<') {
        text.push_str(&rest[..start]);
        text.push(' ');
        let inner = &rest[start..];
        let closing = if inner.starts_with("<script") { "</script>" } else { ">" };
        rest = inner.find(closing).map_or("", |end| &inner[end + closing.len()..]);
    }
    text.push_str(rest);
    text.split_whitespace().collect::<Vec<_>>().join(" ").to_lowercase()
}

/// Links of a page that lead to another one.
fn links_of(html: &str) -> Vec<String> {
    let links = html.split("href=\"").skip(1).filter_map(|rest| rest.split('"').next());
    links
        .filter(|link| link.starts_with('/') && !link.starts_with("/static"))
        .filter(|link| !["csv", "ics", "/photos/"].iter().any(|kind| link.contains(kind)))
        .map(|link| link.replace("&amp;", "&").split('#').next().unwrap_or_default().to_owned())
        .collect()
}

/// A page of each kind is enough: numbers in paths are one kind, and so are the fields of a query.
fn kind_of(link: &str) -> String {
    let path = link.split('?').next().unwrap_or_default();
    let parts: Vec<&str> = path.split('/').map(|part| if part.parse::<u64>().is_ok() { "N" } else { part }).collect();
    parts.join("/")
}

#[tokio::test]
async fn no_page_has_a_word_that_was_replaced() {
    const OF_A_KIND: usize = 8;
    let server = Server::demo().await;
    // No link leads to a wiring that cannot run: its words are asked for.
    let begin =
        ["/", "/enter", "/nowhere", "/ways?wiring=3+x+S-1&controller=9", "/ways?wiring=2+x+S-1&controller=9&battery_v=26"];
    let mut open: VecDeque<String> = begin.map(str::to_owned).into();
    let mut seen: BTreeSet<String> = BTreeSet::new();
    let mut found = Vec::new();
    while let Some(link) = open.pop_front() {
        let of_kind = seen.iter().filter(|known| kind_of(known) == kind_of(&link)).count();
        if of_kind >= OF_A_KIND || !seen.insert(link.clone()) {
            continue;
        }
        let html = server.get(&link).await.text().await.unwrap();
        let text = text_of(&html);
        found.extend(REPLACED.iter().filter(|word| text.contains(*word)).map(|word| format!("{link}: {word}")));
        open.extend(links_of(&html));
    }
    assert!(seen.len() > 80 && seen.iter().any(|link| kind_of(link) == "/tests/N/result"), "{seen:?}");
    assert!(found.is_empty(), "{}", found.join("\n"));
}

#[test]
fn the_text_of_a_page_has_no_tags() {
    assert_eq!(text_of("<p class=\"warmth\">Cell <b>temperature</b></p><script>let wobble</script>"), "cell temperature");
}

/// The answer is one sentence, and the same one in the logbook, on the result, in the report and for programs.
#[tokio::test]
async fn one_headline_everywhere() {
    let server = Server::demo().await;
    let logbook = server.page("/results").await;
    let mut questions = BTreeSet::new();
    for test in server.store.tests(None, 0, 100).await.unwrap().into_iter().filter_map(flindo_store::Listed::test) {
        let answer: serde_json::Value = server.get(&format!("/api/v1/tests/{}/assessment", test.id)).await.json().await.unwrap();
        let headline = answer["headline"].as_str().unwrap();
        let words = headline.split_whitespace().count();
        assert!((4..=34).contains(&words) && headline.ends_with('.'), "{words}: {headline}");
        for wrong in ["the baseline", "\u{201c}", "inf", "NaN", "_"] {
            assert!(!headline.contains(wrong), "{headline}");
        }

        assert!(logbook.contains(headline), "logbook: {headline}");
        for page in ["result", "report"] {
            assert!(server.page(&format!("/tests/{}/{page}", test.id)).await.contains(headline), "{page}: {headline}");
        }
        questions.insert(test.question);
    }
    assert_eq!(questions.len(), 16);
}
