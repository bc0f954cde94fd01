//! Panels' faces: what every cell does, the shade on it, and the way of the current through or around each group.

use askama::Template;
use flindo_core::panel::face::Mounting;
use flindo_core::panel::layout::{CellPosition, Layout};
use flindo_core::panel::solution::OperatingPoint;

#[derive(Template)]
#[template(path = "draw/faces.svg")]
struct Drawing {
    title: String,
    nth: usize,
    tag: String,
    width: f64,
    height: f64,
    /// Room on either side for the ways beside the face.
    left: f64,
    right: f64,
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

/// The way of the current past one group: a stroke beside the face along it, and an arc where it goes around.
struct GroupView {
    path: String,
    arc: String,
    text_x: f64,
    text_y: f64,
    anchor: &'static str,
    is_around: bool,
}

/// Where a group lies on the face as it is drawn.
struct Bounds {
    x0: f64,
    x1: f64,
    y0: f64,
    y1: f64,
}

impl Bounds {
    fn of(place: &CellPosition, is_upright: bool, width: f64, height: f64) -> Self {
        let (x0, x1, y0, y1) = if is_upright {
            (place.x0, place.x1, place.y0, place.y1)
        } else {
            (place.y0, place.y1, 1.0 - place.x1, 1.0 - place.x0)
        };
        Bounds { x0: x0 * width, x1: x1 * width, y0: y0 * height, y1: y1 * height }
    }
}

/// Groups side by side have their ways below the face; groups above each other beside it, on the side where they lie.
fn ways(bounds: &[Bounds], width: f64, height: f64) -> Vec<GroupView> {
    let are_side_by_side = bounds.windows(2).all(|pair| (pair[0].x0 - pair[1].x0).abs() > 1.0);
    let way = |group: &Bounds| {
        if are_side_by_side {
            let (x, wide, y) = (group.x0 + 3.0, group.x1 - group.x0 - 6.0, height + 8.0);
            return GroupView {
                path: format!("M{x:.1} {y:.1}h{wide:.1}"),
                arc: format!("M{x:.1} {y:.1}q{:.1} 22 {wide:.1} 0", wide / 2.0),
                text_x: x + wide / 2.0,
                text_y: height + 32.0,
                anchor: "middle",
                is_around: false,
            };
        }
        let is_left = group.x1 < width - 1.0;
        let (x, out) = if is_left { (-8.0, -1.0) } else { (width + 8.0, 1.0) };
        let (y, high) = (group.y0 + 3.0, group.y1 - group.y0 - 6.0);
        GroupView {
            path: format!("M{x:.1} {y:.1}v{high:.1}"),
            arc: format!("M{x:.1} {y:.1}q{:.1} {:.1} 0 {high:.1}", 22.0 * out, high / 2.0),
            text_x: x + 14.0 * out,
            text_y: y + high / 2.0 + 5.0,
            anchor: if is_left { "end" } else { "start" },
            is_around: false,
        }
    };
    bounds.iter().map(way).collect()
}

/// One panel of a bench.
pub struct Face<'a> {
    pub nth: usize,
    pub tag: &'a str,
    pub layout: &'a Layout,
    pub mounting: Mounting,
    pub shares: &'a [f64],
    /// Its cells in the whole array, and its groups: where they begin.
    pub working: &'a OperatingPoint,
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
    let around = |group: usize| face.working.bypass_a.get(face.first_group + group).copied().unwrap_or(0.0);
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
                () if is_around(place.group) => ("bypassed", "is bypassed and generates"),
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
    let bounds: Vec<Bounds> = (0..if few { face.layout.groups } else { 0 })
        .map(|group| Bounds::of(&face.layout.bounds(group), is_upright, width, height))
        .collect();
    let groups: Vec<GroupView> = ways(&bounds, width, height)
        .into_iter()
        .enumerate()
        .map(|(group, way)| GroupView { is_around: is_around(group), ..way })
        .collect();
    let through = (0..face.layout.groups).filter(|group| !is_around(*group)).count();
    let title = format!("{}: current through {through} of {} substrings", face.tag, face.layout.groups);
    let room = |anchor: &str| if groups.iter().any(|group| group.anchor == anchor) { 76.0 } else { 3.0 };
    let (left, right) = (room("end"), room("start"));
    Drawing { title, nth: face.nth, tag: face.tag.to_owned(), width, height, left, right, cells, groups }
        .render()
        .unwrap_or_default()
}
