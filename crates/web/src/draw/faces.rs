//! Panels' faces: what every cell does, the shade on it, and the way of the current through or around each group.

use askama::Template;
use flindo_core::panel::circuit::Working;
use flindo_core::panel::layout::Layout;
use flindo_core::panel::shade::Mounting;

#[derive(Template)]
#[template(path = "draw/faces.svg")]
struct Drawing {
    title: String,
    nth: usize,
    tag: String,
    width: f64,
    height: f64,
    cells: Vec<CellView>,
    groups: Vec<GroupView>,
}

struct CellView {
    nth: usize,
    x: f64,
    y: f64,
    w: f64,
    h: f64,
    /// What it does.
    kind: &'static str,
    /// How dark the shade on it is, 0 to 1.
    shade: f64,
    title: String,
}

struct GroupView {
    x: f64,
    w: f64,
    is_around: bool,
}

/// One panel of a bench.
pub struct Face<'a> {
    pub nth: usize,
    pub tag: &'a str,
    pub layout: &'a Layout,
    pub mounting: Mounting,
    pub shares: &'a [f64],
    /// Its cells in the whole array, and its groups: where they begin.
    pub working: &'a Working,
    pub first_cell: usize,
    pub first_group: usize,
    /// Amps of its string.
    pub string_a: f64,
}

const LONG: f64 = 300.0;
const SHORT: f64 = 186.0;

/// A cell that takes more than this share of what one makes burns.
const BURNS_W: f64 = -0.3;

pub fn draw(face: &Face<'_>) -> String {
    let is_upright = face.mounting == Mounting::Portrait;
    let (width, height) = if is_upright { (SHORT, LONG) } else { (LONG, SHORT) };
    let around = |group: usize| face.working.around_a.get(face.first_group + group).copied().unwrap_or(0.0);
    let is_around = |group: usize| around(group) > 0.1 * face.string_a.abs().max(0.05);
    let cells = face
        .layout
        .places
        .iter()
        .enumerate()
        .map(|(nth, place)| {
            let (x0, x1, y0, y1) = if is_upright {
                (place.x0, place.x1, place.y0, place.y1)
            } else {
                (place.y0, place.y1, 1.0 - place.x1, 1.0 - place.x0)
            };
            let watts = face.working.cells.get(face.first_cell + nth).map_or(0.0, |cell| cell.w());
            let share = face.shares.get(nth).copied().unwrap_or(1.0);
            let (kind, word) = match () {
                () if watts < BURNS_W => ("burning", "burns"),
                () if is_around(place.group) => ("bypassed", "is passed around and makes"),
                () => ("making", "makes"),
            };
            let title = format!("{:.0} % of the light, {word} {:.2} W", share * 100.0, watts.abs());
            CellView {
                nth,
                x: x0 * width,
                y: y0 * height,
                w: (x1 - x0) * width,
                h: (y1 - y0) * height,
                kind,
                shade: 1.0 - share,
                title,
            }
        })
        .collect();
    let few = face.layout.groups <= 12;
    let groups = (0..if few { face.layout.groups } else { 0 })
        .map(|group| {
            let wide = width / face.layout.groups as f64;
            GroupView { x: group as f64 * wide, w: wide, is_around: is_around(group) }
        })
        .collect();
    let through = (0..face.layout.groups).filter(|group| !is_around(*group)).count();
    let title = format!("{}: current through {through} of {} groups", face.tag, face.layout.groups);
    Drawing { title, nth: face.nth, tag: face.tag.to_owned(), width, height, cells, groups }.render().unwrap_or_default()
}
