//! A panel's face, small: which of its cells lie in shade, or which groups of them are out.

use askama::Template;
use flindo_core::panel::face::Mounting;
use flindo_core::panel::layout::Layout;

#[derive(Template)]
#[template(path = "draw/face.svg")]
struct Drawing {
    /// Keeps several of them on a page apart.
    key: &'static str,
    title: String,
    caption: &'static str,
    width: f64,
    height: f64,
    /// With its caption, where it has one.
    whole_height: f64,
    cells: Vec<Rect>,
    groups: Vec<Rect>,
    is_unknown: bool,
}

struct Rect {
    x: f64,
    y: f64,
    w: f64,
    h: f64,
    /// How dark it is, 0 to 1.
    dark: f64,
}

const LONG: f64 = 126.0;
const SHORT: f64 = 84.0;

/// What is drawn on a face.
pub enum On<'a> {
    /// Each cell's share of the light.
    Shares(&'a [f64]),
    /// Every group with its number, those that are out dark.
    Groups(&'a [usize]),
    /// Words that nobody understood.
    Unknown,
}

pub fn draw(key: &'static str, title: &str, layout: &Layout, mounting: Mounting, on: &On<'_>) -> String {
    let is_upright = mounting == Mounting::Portrait;
    let (width, height) = if is_upright { (SHORT, LONG) } else { (LONG, SHORT) };
    let rect = |place: &flindo_core::panel::layout::CellPosition, dark: f64| {
        let (x0, x1, y0, y1) = if is_upright {
            (place.x0, place.x1, place.y0, place.y1)
        } else {
            (place.y0, place.y1, 1.0 - place.x1, 1.0 - place.x0)
        };
        Rect { x: x0 * width, y: y0 * height, w: (x1 - x0) * width, h: (y1 - y0) * height, dark }
    };
    let dark = |nth: usize| match on {
        On::Shares(shares) => 1.0 - shares.get(nth).copied().unwrap_or(1.0),
        On::Groups(out) => f64::from(u8::from(out.contains(&layout.places[nth].group))),
        On::Unknown => 0.0,
    };
    let cells = layout.places.iter().enumerate().map(|(nth, place)| rect(place, dark(nth)));
    let groups = match on {
        On::Groups(_) => (0..layout.groups).map(|group| rect(&layout.bounds(group), 0.0)).collect(),
        On::Shares(_) | On::Unknown => Vec::new(),
    };
    Drawing {
        key,
        title: title.to_owned(),
        caption: if groups.is_empty() { "shade" } else { "" },
        width,
        height,
        whole_height: height + if groups.is_empty() { 30.0 } else { 12.0 },
        cells: cells.collect(),
        groups,
        is_unknown: matches!(on, On::Unknown),
    }
    .render()
    .unwrap_or_default()
}
