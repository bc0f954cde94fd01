//! A rig as a wiring diagram: strings from the left, what they run through to the right, with what to expect at each point.

use crate::figures::rough;
use askama::Template;
use flindo_core::rig::expect::{self, Expected};
use flindo_core::rig::{MeterPosition, Placed, Rig, Sink, wiring};

#[derive(Template)]
#[template(path = "draw/rig.svg")]
struct Drawing {
    title: String,
    width: f64,
    height: f64,
    strings: Vec<StringRow>,
    /// Where the strings come together.
    bus_x: f64,
    first_y: f64,
    last_y: f64,
    /// The height of the line to the right.
    line_y: f64,
    line_end_x: f64,
    nodes: Vec<Node>,
    /// What to expect of one string and of all: (x, y, lines).
    notes: Vec<(f64, f64, Vec<String>)>,
}

struct StringRow {
    y: f64,
    panels: Vec<(f64, String)>,
    /// How many more there are than fit.
    more: Option<(f64, String)>,
    fuse: Option<f64>,
    meter: Option<(f64, String)>,
}

struct Node {
    x: f64,
    /// CSS class, and the shape that goes with it.
    kind: &'static str,
    letter: &'static str,
    name: String,
    lines: Vec<String>,
}

const PANEL_STEP: f64 = 92.0;
const ROW_STEP: f64 = 62.0;
const NODE_STEP: f64 = 158.0;
const MOST_PANELS: usize = 4;
const MOST_STRINGS: usize = 6;

pub fn draw(rig: &Rig) -> String {
    let shown = rig.strings.len().min(MOST_STRINGS);
    let most = rig.strings.iter().map(|string| string.len().min(MOST_PANELS)).max().unwrap_or(1);
    let more_x = if rig.strings.iter().any(|string| string.len() > MOST_PANELS) { 46.0 } else { 0.0 };
    let after_panels_x = 20.0 + most as f64 * PANEL_STEP + more_x;
    let meter_at = |spot: MeterPosition| rig.meters.iter().find(|placed| placed.spot == spot);
    let string_meter = meter_at(MeterPosition::String);
    let fuse_x = rig.string_fuse.as_ref().map(|_| after_panels_x + 20.0);
    let meter_x = string_meter.map(|_| after_panels_x + if fuse_x.is_some() { 80.0 } else { 26.0 });
    let bus_x = meter_x.or(fuse_x).map_or(after_panels_x + 16.0, |x| x + 62.0);
    let (first_y, last_y) = (34.0, 34.0 + (shown.max(1) - 1) as f64 * ROW_STEP);
    let line_y = (first_y + last_y) / 2.0;
    let strings = rig.strings[..shown]
        .iter()
        .enumerate()
        .map(|(row, modules)| StringRow {
            y: first_y + row as f64 * ROW_STEP,
            panels: modules
                .iter()
                .take(MOST_PANELS)
                .enumerate()
                .map(|(nth, module)| (20.0 + nth as f64 * PANEL_STEP, module.tag.clone()))
                .collect(),
            more: (modules.len() > MOST_PANELS)
                .then(|| (20.0 + MOST_PANELS as f64 * PANEL_STEP, format!("+{}", modules.len() - MOST_PANELS))),
            fuse: fuse_x,
            meter: meter_x.filter(|_| row == 0).map(|x| (x, string_meter.map(|placed| placed.name.clone()).unwrap_or_default())),
        })
        .collect();
    let nodes = nodes(rig, bus_x + 96.0);
    let line_end_x = nodes.last().map_or(bus_x + 60.0, |node| node.x);
    let notes = notes(rig, last_y + 52.0);
    let lines = nodes.iter().map(|node| node.lines.len()).max().unwrap_or(0);
    let below_line = line_y + 58.0 + lines as f64 * 19.0;
    let below_notes = notes.iter().map(|(_, y, lines)| y + lines.len() as f64 * 19.0).fold(0.0, f64::max);
    let hidden = rig.strings.len() - shown;
    let lengths: Vec<usize> = rig.strings.iter().map(Vec::len).collect();
    let title = format!(
        "Wiring: {}{}",
        wiring::words(&lengths),
        if hidden > 0 { format!(", {hidden} strings not drawn") } else { String::new() }
    );
    let drawing = Drawing {
        title,
        width: (line_end_x + 84.0).max(bus_x + 120.0).max(if rig.strings.len() > 1 { 420.0 } else { 0.0 }),
        height: below_line.max(below_notes) + 6.0,
        strings,
        bus_x,
        first_y,
        last_y,
        line_y,
        line_end_x,
        nodes,
        notes,
    };
    drawing.render().unwrap_or_default()
}

fn v(value: f64) -> String {
    rough(value, "V").to_string()
}

fn a(value: f64) -> String {
    rough(value, "A").to_string()
}

/// In the sun, and in the cold.
fn lines(there: &Expected) -> Vec<String> {
    let about = if there.is_assumed { "about " } else { "" };
    vec![
        format!("{about}{} \u{b7} {}", v(there.vmp_v), a(there.imp_a)),
        format!("open {}, cold {}", v(there.voc_v), v(there.cold_voc_v)),
        format!("short {}", a(there.isc_a)),
    ]
}

fn notes(rig: &Rig, y: f64) -> Vec<(f64, f64, Vec<String>)> {
    let Some(array) = expect::array(rig) else {
        return vec![(20.0, y, vec!["A label gives neither volts nor amps.".to_owned()])];
    };
    let mut head = vec![if rig.strings.len() > 1 { "array".to_owned() } else { "the panels".to_owned() }];
    head.extend(lines(&array));
    head.push(format!("{} in full sun", rough(array.watts_w, "W")));
    let mut notes = vec![(20.0, y, head)];
    if rig.strings.len() > 1
        && let Some(string) = expect::at(rig, MeterPosition::String)
    {
        let mut one = vec!["one string".to_owned()];
        one.extend(lines(&string));
        notes.push((210.0, y, one));
    }
    notes
}

fn nodes(rig: &Rig, first_x: f64) -> Vec<Node> {
    let mut nodes: Vec<Node> = Vec::new();
    let mut push = |kind, letter, name: &str, lines: Vec<String>| {
        let x = first_x + nodes.len() as f64 * NODE_STEP;
        nodes.push(Node { x, kind, letter, name: shortened(name), lines });
    };
    let meter_at = |spot: MeterPosition| rig.meters.iter().find(|placed| placed.spot == spot);
    let meter_lines = |placed: &Placed| {
        let limit = |value: Option<f64>, unit| value.map(|value| format!("{}", rough(value, unit)));
        let limits: Vec<String> =
            [limit(placed.meter.max_v, "V"), limit(placed.meter.max_a, "A")].into_iter().flatten().collect();
        let there = expect::at(rig, placed.spot).map(|there| format!("expected {} \u{b7} {}", v(there.vmp_v), a(there.imp_a)));
        let stands = (!limits.is_empty()).then(|| format!("rating {}", limits.join(", ")));
        there.into_iter().chain(stands).collect()
    };
    if let Some(joint) = &rig.joint {
        push("joint", "", &joint.name, vec![format!("rating {}", a(joint.part.max_a))]);
    }
    if let Some(placed) = meter_at(MeterPosition::Array) {
        push("meter", "M", &placed.name, meter_lines(placed));
    }
    if let Some(lead) = &rig.lead {
        let text = format!("{} m of {}", lead.part.length_m, lead.part.gauge.as_text().replace("mm2", "mm\u{b2}"));
        push("lead", "", &lead.name, vec![text]);
    }
    match &rig.sink {
        Sink::Open => {
            if let Some(placed) = meter_at(MeterPosition::Plane) {
                push("meter plane", "G", &placed.name, vec!["in the panel plane".to_owned()]);
            }
        }
        Sink::Load(load) => push("box", "", load.label(), Vec::new()),
        Sink::Station { name, station } => {
            push(
                "box",
                "",
                name,
                vec![
                    format!("{} to {}", v(station.min_input_v), v(station.max_input_v)),
                    format!("max. {}", rough(station.max_input_w, "W")),
                ],
            );
        }
        Sink::Controller { name, controller, battery } => {
            push(
                "box",
                "",
                name,
                vec![
                    controller
                        .max_input_v
                        .map_or("max. input not known".to_owned(), |limit_v| format!("max. input {}", v(limit_v))),
                    controller
                        .max_battery_a
                        .map_or("max. output not known".to_owned(), |limit_a| format!("max. output {}", a(limit_a))),
                ],
            );
            if let Some(placed) = meter_at(MeterPosition::Battery) {
                push("meter", "M", &placed.name, meter_lines(placed));
            }
            if let Some(battery) = battery {
                let capacity = battery.capacity_ah.map(|capacity_ah| format!("{capacity_ah} Ah, ")).unwrap_or_default();
                let mut lines = vec![format!("{capacity}{} %", battery.state_of_charge_percent)];
                if let Some(there) = expect::battery(rig) {
                    lines.push(format!("{} \u{b7} {}", v(there.charging_v), a(there.amps_a)));
                    lines.push(rough(there.watts_w, "W").to_string());
                }
                push("battery", "", &format!("{} battery", v(battery.nominal_v)), lines);
            }
        }
    }
    nodes
}

/// What fits under a node.
fn shortened(name: &str) -> String {
    if name.chars().count() <= 19 { name.to_owned() } else { name.chars().take(18).chain(['\u{2026}']).collect() }
}
