//! A report of one file held against the data in it.

use crate::report::file::{About, Of, rendered};
use crate::state::AppState;
use base64::Engine;
use base64::engine::general_purpose::STANDARD as BASE64;
use flindo_meters::Allowed;
use flindo_store::package::{PackageError, Prefer};
use flindo_store::{BenchKind, Listed, Store};
/// A report held against the data in it.
#[derive(Debug, Clone, PartialEq)]
pub struct Recomputed {
    /// Figures that are printed in it, in its drawings too.
    pub figures: usize,
    pub differing: Vec<Differing>,
    /// The program that made it, where that is another one.
    pub other_program: Option<String>,
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Differing {
    /// What stands before it.
    pub after: String,
    pub printed: String,
    pub follows: String,
}

/// Assesses the data in a report anew and holds every printed figure against what follows from it.
///
/// # Errors
/// A file that is no such report, or whose data is none: a sentence.
pub async fn recompute(html: &str) -> Result<Recomputed, String> {
    const NONE: &str = "This is no report of one file: it has no data of a test in it.";
    let about = between(html, "<meta name=\"flindo-report\" content=\"", "\"").ok_or(NONE)?;
    let about: About = serde_json::from_str(&about.replace("&#34;", "\"").replace("&quot;", "\""))
        .map_err(|error| format!("The head of this report cannot be read: {error}."))?;
    let package = between(html, "id=\"package\">", "</script>").ok_or(NONE)?;
    let bytes = BASE64.decode(package.trim()).map_err(|error| format!("The data in this report is damaged: {error}."))?;
    let folder = tempfile::tempdir().map_err(|error| format!("There is no room to work in: {error}."))?;
    let zip = folder.path().join("package.zip");
    tokio::fs::write(&zip, bytes).await.map_err(|error| format!("There is no room to work in: {error}."))?;
    let store =
        Store::open(&folder.path().join("report.bench"), BenchKind::Own, "UTC").await.map_err(|error| error.to_string())?;
    let again = of_package(&store, &zip, &about, package).await;
    store.close().await;
    let follows = again?;
    let other_program = Some(about.program).filter(|program| program != env!("CARGO_PKG_VERSION"));
    let (printed, follows) = (tokens(&without_data(html)), tokens(&without_data(&follows)));
    Ok(Recomputed {
        figures: printed.iter().filter(|token| token.is_figure).count(),
        differing: differing(&printed, &follows),
        other_program,
    })
}

async fn of_package(store: &Store, zip: &std::path::Path, about: &About, package: &str) -> Result<String, String> {
    let (taking, zip, runtime) = (store.clone(), zip.to_owned(), tokio::runtime::Handle::current());
    let taken = tokio::task::spawn_blocking(move || runtime.block_on(taking.import_package(&zip, Prefer::Here))).await;
    match taken {
        Ok(Ok(_)) => {}
        Ok(Err(error @ PackageError::Wrong { .. })) => {
            return Err(format!("The data in this report is not as it was written: {error}."));
        }
        Ok(Err(error)) => return Err(error.to_string()),
        Err(error) => return Err(error.to_string()),
    }
    let of = if about.review_uid.is_empty() {
        let tests = store.tests(None, 0, i64::MAX).await.map_err(|error| error.to_string())?;
        let test = tests.into_iter().filter_map(Listed::test).find(|test| test.uid == about.test_uid);
        Of::Test(test.ok_or("The test of this report is not in its data.")?.id)
    } else {
        let reviews = store.reviews().await.map_err(|error| error.to_string())?;
        let review = reviews.into_iter().find(|review| review.uid == about.review_uid);
        Of::Review(review.ok_or("The review of this file is not in its data.")?.id)
    };
    // No meter of the data is listened to.
    let state = AppState::still(store.clone(), Allowed::default());
    rendered(&state, of, about, package).await.map(|(html, _)| html).map_err(|error| error.to_string())
}

fn between<'a>(text: &'a str, from: &str, to: &str) -> Option<&'a str> {
    let rest = text.split_once(from)?.1;
    rest.split_once(to).map(|(inside, _)| inside)
}

/// All that is printed: without the data and the styles.
fn without_data(html: &str) -> String {
    let body = html.split_once("<body").map_or(html, |(_, body)| body);
    body.split_once("<script type=\"text/plain\" id=\"package\">").map_or(body, |(before, _)| before).to_owned()
}

#[derive(Debug, Clone, PartialEq, Eq)]
struct Token {
    text: String,
    is_figure: bool,
}

/// Figures, and what stands between them.
fn tokens(text: &str) -> Vec<Token> {
    let is_of_figure = |c: char| c.is_ascii_digit() || matches!(c, '.' | ',');
    let mut found: Vec<Token> = Vec::new();
    for c in text.chars() {
        let is_figure = c.is_ascii_digit() || is_of_figure(c) && found.last().is_some_and(|last| last.is_figure);
        match found.last_mut() {
            Some(last) if last.is_figure == is_figure => last.text.push(c),
            Some(_) | None => found.push(Token { text: c.to_string(), is_figure }),
        }
    }
    found
}

/// Where two texts differ, token by token while they have the same shape, and else once, from where they part to where they meet.
fn differing(printed: &[Token], follows: &[Token]) -> Vec<Differing> {
    let of = |at: usize, printed: &str, follows: &str, all: &[Token]| Differing {
        after: words_before(all, at),
        printed: printed.to_owned(),
        follows: follows.to_owned(),
    };
    if printed.len() == follows.len() {
        let pairs = printed.iter().zip(follows).enumerate().filter(|(_, (a, b))| a != b);
        return pairs.map(|(at, (a, b))| of(at, a.text.trim(), b.text.trim(), printed)).collect();
    }
    let begin = printed.iter().zip(follows).take_while(|(a, b)| a == b).count();
    let room = printed.len().min(follows.len()) - begin;
    let end = printed.iter().rev().zip(follows.iter().rev()).take(room).take_while(|(a, b)| a == b).count();
    let text = |tokens: &[Token]| {
        let all: String = tokens[begin..tokens.len() - end].iter().map(|token| token.text.as_str()).collect();
        let plain = plain(&all);
        if plain.chars().count() > 120 { format!("{}\u{2026}", plain.chars().take(120).collect::<String>()) } else { plain }
    };
    vec![of(begin, &text(printed), &text(follows), printed)]
}

/// The last words that a reader sees before a token.
fn words_before(tokens: &[Token], at: usize) -> String {
    let from = at.saturating_sub(12);
    let text: String = tokens[from..at].iter().map(|token| token.text.as_str()).collect();
    let words: Vec<String> = plain(&text).split_whitespace().map(str::to_owned).collect();
    words[words.len().saturating_sub(6)..].join(" ")
}

/// Without its tags.
fn plain(html: &str) -> String {
    let mut plain = String::new();
    let mut is_tag = false;
    for c in html.chars() {
        match c {
            '<' => is_tag = true,
            '>' => {
                is_tag = false;
                plain.push(' ');
            }
            _ if !is_tag => plain.push(c),
            _ => {}
        }
    }
    plain.trim().to_owned()
}
