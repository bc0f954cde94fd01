//! Used panels: many units in a row, each judged by three readings, with its price for each measured watt.

use super::typed::{Pairs, value};
use crate::error::AppError;
use crate::figures::{number, percent, rough};
use crate::frame::Frame;
use crate::state::AppState;
use askama::Template;
use askama_web::WebTemplate;
use axum::extract::{Query, State};
use flindo_core::decimal::Decimal;
use flindo_core::measure::entry::{Meaning, understand};
use flindo_core::measure::quantity::{Figures, Quantity, Wobble};
use flindo_core::panel::nameplate::Nameplate;
use flindo_core::panel::temperature::cell_from_back_c;
use flindo_core::verdict::used::{Found, Grade, Seen, judge_used};

#[derive(Template, WebTemplate)]
#[template(path = "used.html")]
pub struct UsedPage {
    frame: Frame,
    lines: String,
    /// Id, name, and whether it is the one they are judged by.
    panels: Vec<(i64, String, bool)>,
    units: Vec<Unit>,
    counts: String,
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

/// More units are a warehouse.
const MOST_UNITS: usize = 200;

const EXAMPLE: &str = "B-1: Voc 35.3 Isc 7.45 27.6 V 6.85 A 45 C 850 W/m2, price 30\nB-2: Voc 23.6 Isc 7.4 18.2 V 6.8 A 45 C 850 W/m2, price 30\nB-3: Voc 35.0 Isc 5.6 28.0 V 5.2 A 46 C 850 W/m2, price 25";

pub async fn page(State(state): State<AppState>, frame: Frame, Query(query): Query<Pairs>) -> Result<UsedPage, AppError> {
    let panels = state.store.panels().await?;
    let lines = match value(&query, "lines").trim() {
        "" => EXAMPLE.to_owned(),
        lines => lines.to_owned(),
    };
    let wanted = panels.iter().find(|panel| value(&query, "panel") == panel.id.to_string());
    let panel = wanted.or(panels.iter().find(|panel| panel.draft.tag == "U-1")).or(panels.first());
    let currency = frame.bench.currency.clone();
    let mut units: Vec<Unit> = match panel {
        Some(panel) => lines
            .lines()
            .filter(|line| !line.trim().is_empty())
            .take(MOST_UNITS)
            .enumerate()
            .map(|(nth, line)| unit(nth, line, &panel.draft.nameplate, &currency))
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
            .map(|one| {
                (one.id, format!("{} \u{b7} {}", one.draft.tag, one.draft.name), panel.is_some_and(|panel| panel.id == one.id))
            })
            .collect(),
        frame,
        lines,
        units,
    })
}

const GRADES: [(Grade, &str, &str); 4] = [
    (Grade::Keep, "makes", "keep"),
    (Grade::UseKnowingly, "above", "use knowingly"),
    (Grade::Reject, "below", "reject"),
    (Grade::CantTell, "cant-tell", "can\u{2019}t tell"),
];

/// "B-1: Voc 35.3 Isc 7.45 27.6 V 6.85 A 45 C 850 W/m2, price 30".
fn unit(nth: usize, line: &str, label: &Nameplate, currency: &str) -> Unit {
    let (name, rest) =
        line.split_once(':').map_or((format!("unit {}", nth + 1), line), |(name, rest)| (name.trim().to_owned(), rest));
    let (rest, price) = match rest.to_lowercase().find("price") {
        Some(place) => {
            (rest[..place].trim_end_matches([',', ' ']), Decimal::parse(rest[place + 5..].trim()).ok().map(Decimal::value))
        }
        None => (rest, None),
    };
    match understand(rest, &Meaning::default()) {
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
    let of = |quantity| figures.get(quantity).map(|seen| seen.value(Wobble::Middle));
    let poa_w_m2 = of(Quantity::Poa);
    let back = of(Quantity::Back).map(|back_c| cell_from_back_c(back_c, poa_w_m2.unwrap_or(800.0)));
    let seen = Seen {
        voc_v: of(Quantity::Voc),
        isc_a: of(Quantity::Isc),
        loaded: of(Quantity::Voltage).zip(of(Quantity::Current)),
        cell_c: of(Quantity::Cell).or(back),
        poa_w_m2,
    };
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
        (Some(price), Some(watts)) => format!("{} {currency}/W", number(price / watts, 3)),
        _ => String::new(),
    };
    Unit { name, mark, grade, figures: told, evidence: found.found.iter().map(evidence).collect(), price, error: None }
}

/// What was found, and what to measure next.
fn evidence(found: &Found) -> String {
    match found {
        Found::SubstringsOut { out, of, voc_rel } => format!(
            "{out} of {of} groups of cells out: Voc is at {} of what the warmth allows. Cover one {} of the panel after the other: where Voc stays, that one is out. Look at its diode in the box.",
            percent(voc_rel * 100.0),
            if *of == 2 { "half" } else { "third" }
        ),
        Found::WeakCurrent { isc_rel } => format!(
            "Weak current: Isc is at {} of what this sun allows. Clean it and read again; browned or cracked cells stay weak.",
            percent(isc_rel * 100.0)
        ),
        Found::Resistance { fill_rel } => format!(
            "It resists: its fill factor is at {} of the label\u{2019}s. Look for warm joints and connectors under load.",
            percent(fill_rel * 100.0)
        ),
        Found::WrongLabel { voc_rel, isc_rel } => format!(
            "Not this label\u{2019}s panel: Voc at {}, Isc at {}. Count its cells.",
            percent(voc_rel * 100.0),
            percent(isc_rel * 100.0)
        ),
        Found::Dead => "Nothing to speak of: a broken path. Try the box and the connectors before it goes.".to_owned(),
        Found::Watts { rel, at_stc_w } => format!("{} at STC, {} of its rating.", rough(*at_stc_w, "W"), percent(rel * 100.0)),
    }
}
