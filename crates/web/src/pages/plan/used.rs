//! Used panels: many units in a row, each judged by three readings, with its price for each measured watt.

use crate::door::typed::{Notes, Pairs, number, value};
use crate::draw::face::{self, On};
use crate::error::AppError;
use crate::figures::{number as fixed, percent, rough};
use crate::frame::Frame;
use crate::heavy;
use crate::pages::plan::keeping::{UnitLine, unit_line};
use crate::state::AppState;
use crate::words::used as words;
use askama::Template;
use askama_web::WebTemplate;
use axum::extract::{Query, State};
use flindo_core::measure::correct::Condition;
use flindo_core::measure::entry::{Meaning, understand};
use flindo_core::measure::quantity::Figures;
use flindo_core::panel::face::Mounting;
use flindo_core::panel::layout::{Layout, Panel as SolvedPanel};
use flindo_core::panel::nameplate::Nameplate;
use flindo_core::record::setup::Setup;
use flindo_core::verdict::substring_fault::{Figure, Read, Verdict as OutVerdict, which_out};
use flindo_core::verdict::used::{Grade, judge_used, seen_of};

#[derive(Template, WebTemplate)]
#[template(path = "used.html")]
pub struct UsedPage {
    frame: Frame,
    lines: String,
    /// Id, name, and whether it is the one they are judged by.
    panels: Vec<(i64, String, bool)>,
    units: Vec<Unit>,
    counts: String,
    typed: Pairs,
    notes: Notes,
    /// The groups of cells of the label's construction: (number, where it lies).
    groups: Vec<(usize, &'static str)>,
    face: String,
    out: Option<(&'static str, String)>,
}

struct Unit {
    name: String,
    /// CSS class of the mark, and the word beside it.
    mark: &'static str,
    grade: &'static str,
    figures: Vec<(&'static str, String)>,
    evidence: Vec<String>,
    price: String,
    error: Option<String>,
}

impl UsedPage {
    fn value(&self, name: &str) -> &str {
        value(&self.typed, name)
    }

    /// Somebody looks for the part that is out.
    fn looks(&self) -> bool {
        COVERS.iter().chain(&["whole"]).any(|field| !self.value(field).trim().is_empty())
    }
}

/// Fields of the readings with one group covered.
const COVERS: [&str; 4] = ["cover1", "cover2", "cover3", "cover4"];

/// More units are a warehouse.
const MOST_UNITS: usize = 200;

const EXAMPLE: &str = "B-1: Voc 35.3 Isc 7.45 27.6 V 6.85 A 45 C 850 W/m2, price 30\nB-2: Voc 23.6 Isc 7.4 18.2 V 6.8 A 45 C \
    850 W/m2, price 30\nB-3: Voc 35.0 Isc 5.6 28.0 V 5.2 A 46 C 850 W/m2, price 25";

pub async fn page(State(state): State<AppState>, frame: Frame, Query(query): Query<Pairs>) -> Result<UsedPage, AppError> {
    let panels = state.store.panels().await?;
    let lines = match value(&query, "lines").trim() {
        "" => EXAMPLE.to_owned(),
        lines => lines.to_owned(),
    };
    let wanted = panels.iter().find(|panel| value(&query, "panel") == panel.id.to_string());
    let panel = wanted.or(panels.iter().find(|panel| panel.draft.tag == "U-1")).or(panels.first());
    let mut notes = Notes::default();
    let solved = panel.and_then(|panel| SolvedPanel::of(panel.label()).ok());
    let groups = solved.as_ref().map(|solved| groups(&solved.layout)).unwrap_or_default();
    let asked = solved.clone().zip(covers(&query, &mut notes));
    let found = match asked {
        Some((solved, (at, read))) => heavy::run(move |_| which_out(&solved, at, &read)).await?.ok(),
        None => None,
    };
    let gone: &[usize] = if let Some(OutVerdict::Out { groups, .. }) = &found { groups } else { &[] };
    let face = solved
        .filter(|_| !groups.is_empty())
        .map(|solved| face::draw("out", "Substrings, seen from the front", &solved.layout, Mounting::Portrait, &On::Groups(gone)))
        .unwrap_or_default();
    let out = found.as_ref().map(|found| words::which_out(found, &groups));
    let currency = frame.bench.currency.clone();
    let mut units: Vec<Unit> = match panel {
        Some(panel) => lines
            .lines()
            .filter(|line| !line.trim().is_empty())
            .take(MOST_UNITS)
            .enumerate()
            .map(|(nth, line)| unit(nth, line, panel.label(), &currency))
            .collect(),
        None => Vec::new(),
    };
    // The best first; what could not be read stays at the end, to be put right.
    units.sort_by_key(|unit| (unit.error.is_some(), GRADES.iter().position(|(_, _, word)| *word == unit.grade)));
    let count = |word: &str| units.iter().filter(|unit| unit.error.is_none() && unit.grade == word).count();
    let counts = GRADES
        .iter()
        .map(|(_, _, word)| (count(word), *word))
        .filter(|(count, _)| *count > 0)
        .map(|(count, word)| format!("{count} {word}"));
    Ok(UsedPage {
        counts: counts.collect::<Vec<_>>().join(", "),
        panels: panels
            .iter()
            .map(|one| (one.id, format!("{} \u{b7} {}", one.tag(), one.name()), panel.is_some_and(|panel| panel.id == one.id)))
            .collect(),
        frame,
        lines,
        units,
        typed: query,
        notes,
        groups,
        face,
        out,
    })
}

/// Where the groups of cells lie, seen from the front with the long side upright; none where they are too many to cover.
fn groups(layout: &Layout) -> Vec<(usize, &'static str)> {
    if !(2..=COVERS.len()).contains(&layout.groups) {
        return Vec::new();
    }
    (0..layout.groups).map(|group| (group + 1, words::part_of_face(&layout.bounds(group)))).collect()
}

/// What was read with each group covered; nothing until the panel was read without a cover.
fn covers(typed: &Pairs, notes: &mut Notes) -> Option<(Condition, Read)> {
    let mut of = |field, range| number(typed, field, range, notes);
    let whole = of("whole", (0.1, 2000.0));
    let covered = COVERS.map(|field| of(field, (0.0, 2000.0))).to_vec();
    let at =
        Condition { poa_w_m2: of("poa", (50.0, 1500.0)).unwrap_or(800.0), cell_c: of("cell_c", (-40.0, 100.0)).unwrap_or(45.0) };
    let figure = if value(typed, "figure") == "watts" { Figure::Watts } else { Figure::Voc };
    whole.filter(|_| !notes.has("refused")).map(|whole| (at, Read { figure, whole, covered }))
}

const GRADES: [(Grade, &str, &str); 4] = [
    (Grade::Keep, "makes", "keep"),
    (Grade::UseKnowingly, "above", "use with limits"),
    (Grade::Reject, "below", "reject"),
    (Grade::CantTell, "cant-tell", "can\u{2019}t tell"),
];

/// "B-1: Voc 35.3 Isc 7.45 27.6 V 6.85 A 45 C 850 W/m2, price 30".
fn unit(nth: usize, line: &str, label: &Nameplate, currency: &str) -> Unit {
    let UnitLine { tag: name, typed, price } = unit_line(nth, line);
    match understand(typed, &Meaning::default()) {
        Err(error) => Unit {
            name,
            mark: "cant-tell",
            grade: "not read",
            figures: Vec::new(),
            evidence: Vec::new(),
            price: String::new(),
            error: Some(format!("{error}.")),
        },
        Ok(entry) => judged(name, &entry.figures(), label, price, currency),
    }
}

fn judged(name: String, figures: &Figures, label: &Nameplate, price: Option<f64>, currency: &str) -> Unit {
    let seen = seen_of(std::iter::once(figures), &Setup::default());
    let found = judge_used(label, &seen);
    let (mark, grade) = GRADES
        .iter()
        .find(|(grade, _, _)| *grade == found.grade)
        .map_or(("cant-tell", "can\u{2019}t tell"), |(_, mark, word)| (*mark, *word));
    let mut told: Vec<(&'static str, String)> = Vec::new();
    for (what, rel) in [("Voc", found.voc_rel), ("Isc", found.isc_rel)] {
        if let Some(rel) = rel {
            told.push((what, percent(rel * 100.0).to_string()));
        }
    }
    if let Some(watts) = found.at_stc_w {
        told.push(("at STC", rough(watts, "W").to_string()));
    }
    let price = match (price, found.at_stc_w.filter(|watts| *watts > 1.0)) {
        (Some(price), Some(watts)) => format!("{} {currency}/W", fixed(price / watts, 3)),
        _ => String::new(),
    };
    Unit { name, mark, grade, figures: told, evidence: found.found.iter().map(words::evidence).collect(), price, error: None }
}
