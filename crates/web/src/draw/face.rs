//! A panel's face with its shade, as far as a few words tell it: for the eye in the field.

use askama::Template;

#[derive(Template)]
#[template(path = "draw/face.svg")]
struct Drawing {
    words: String,
    /// x, y, width, height
    shades: Vec<(f64, f64, f64, f64)>,
    is_unknown: bool,
}

const WIDTH: f64 = 84.0;
const HEIGHT: f64 = 126.0;
const CELL: f64 = 14.0;

pub fn draw(words: &str) -> String {
    let text = words.to_lowercase();
    let has = |word: &str| text.contains(word);
    let mut shades = Vec::new();
    let strip = CELL;
    if has("none") || has("clear") || text.trim().is_empty() {
    } else if has("half") {
        let whole = if has("left") || has("right") || has("side") {
            (0.0, 0.0, WIDTH / 2.0, HEIGHT)
        } else {
            (0.0, HEIGHT / 2.0, WIDTH, HEIGHT / 2.0)
        };
        shades.push(whole);
    } else if has("cell") {
        shades.push((CELL, HEIGHT - 3.0 * CELL, CELL, CELL));
    } else if has("corner") {
        shades.push((WIDTH - 2.0 * CELL, HEIGHT - 2.0 * CELL, 2.0 * CELL, 2.0 * CELL));
    } else if has("bottom") || has("short") {
        shades.push((0.0, HEIGHT - strip, WIDTH, strip));
    } else if has("top") {
        shades.push((0.0, 0.0, WIDTH, strip));
    } else if has("side") || has("left") || has("long") {
        shades.push((0.0, 0.0, strip, HEIGHT));
    } else if has("right") {
        shades.push((WIDTH - strip, 0.0, strip, HEIGHT));
    } else if has("whole") || has("all") || has("full") {
        shades.push((0.0, 0.0, WIDTH, HEIGHT));
    }
    let is_unknown = shades.is_empty() && !(has("none") || has("clear") || text.trim().is_empty());
    Drawing { words: words.to_owned(), shades, is_unknown }.render().unwrap_or_default()
}
