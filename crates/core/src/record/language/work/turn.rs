//! Panels that are read one after the other: "U-1..U-10 Voc", and then a figure a line. Each figure by itself is of the next panel.

use crate::measure::quantity::Quantity;
use crate::record::condition::{Conditions, Factor, differences, panels_of};
use crate::record::language::words;
use crate::record::names::{Id, Names, batch_tags};
use crate::record::open::visits;
use crate::record::run::RunEventKind;
use crate::record::test::TestRecord;
use jiff::Timestamp;

/// How a note begins that says which panels are read in turn; the line as it was typed follows.
pub const IN_TURN: &str = "in turn: ";

/// Panels in the order in which they are read.
#[derive(Debug, Clone, PartialEq)]
pub struct Turn {
    /// Each with its tag.
    pub panels: Vec<(Id, String)>,
    /// What is read of each; `None`: whatever is typed.
    pub quantity: Option<Quantity>,
    /// Whether the panel that hangs there has been read in this turn.
    pub is_read: bool,
}

impl Turn {
    /// The place of the panel that hangs there; `None` where it is none of them.
    pub(super) fn place(&self, current: &Conditions) -> Option<usize> {
        let [hangs] = panels_of(current)? else { return None };
        self.panels.iter().position(|(id, _)| id == hangs)
    }

    /// The panels that are still to be read, that of the next figure by itself first.
    pub fn to_come(&self, current: &Conditions) -> &[(Id, String)] {
        let next = self.place(current).map_or(self.panels.len(), |place| place + usize::from(self.is_read));
        self.panels.get(next..).unwrap_or_default()
    }
}

/// The turn that an open test is in, with the moment at which it began. It ends with the next one, and where something else than the panel
/// is changed.
pub fn turn_at_work(record: &TestRecord, names: &Names) -> Option<(Timestamp, Turn)> {
    let visits = visits(record);
    let (begun, at_utc, text) = visits
        .iter()
        .flat_map(|run| run.events.iter().map(move |event| (*run, event)))
        .filter(|(_, event)| event.what == RunEventKind::Note)
        .filter_map(|(run, event)| Some((run, event.at_utc, event.text.strip_prefix(IN_TURN)?)))
        .max_by_key(|(_, at_utc, _)| *at_utc)?;
    let (panels, quantity) = turn_said(text, names).ok().flatten()?;
    let now = visits.last()?;
    let (before, current) = (begun.state.as_ref()?, now.state.as_ref()?);
    let is_alike = differences(before, current).iter().all(|factor| *factor == Factor::Panel);
    let is_read = record.readings.iter().any(|reading| {
        reading.run_id == Some(now.id)
            && reading.taken_utc >= at_utc
            && reading.figures.iter().any(|(of, _)| of.is_of_the_panel())
    });
    let turn = Turn { panels, quantity, is_read };
    (is_alike && turn.place(current).is_some()).then_some((at_utc, turn))
}

/// Panels with their tags, and what is read of each.
type PanelsRead = (Vec<(Id, String)>, Option<Quantity>);

/// Words that say that panels are read one by one.
const EACH: [&str; 8] =
    ["in turn", "one by one", "one after the other", "one after another", "each alone", "singly", "each", "alone"];

/// The panels of a line such as "U-1..U-10 Voc" and what is read of each. `None` for any other line.
///
/// # Errors
/// The tag of the list that no panel has.
pub(super) fn turn_said(text: &str, names: &Names) -> Result<Option<PanelsRead>, String> {
    let mut rest = text.trim().trim_end_matches([':', '.']).to_lowercase();
    let mut is_each = false;
    let mut quantity = None;
    // What is read and how stand at either end, in any order.
    loop {
        let trimmed = rest.trim().trim_matches([',', ':', ' ']).to_owned();
        let each = EACH.iter().find_map(|each| trimmed.strip_suffix(each).or_else(|| trimmed.strip_prefix(each)));
        if let Some(others) = each.filter(|others| others.trim() != *others) {
            (is_each, rest) = (true, others.to_owned());
            continue;
        }
        let (first, last) = (words(&trimmed).first().cloned(), words(&trimmed).last().cloned());
        let of = |word: &Option<String>| word.as_deref().and_then(|word| Some((quantity_of(word)?, word.len())));
        match (of(&last), of(&first)) {
            (Some((said, length)), _) if quantity.is_none() => {
                (quantity, rest) = (Some(said), trimmed[..trimmed.len() - length].trim_end_matches(" in ").to_owned());
            }
            (_, Some((said, length))) if quantity.is_none() => {
                (quantity, rest) = (Some(said), trimmed[length..].trim_start_matches(" of ").to_owned());
            }
            (_, _) => {
                rest = trimmed;
                break;
            }
        }
    }
    let list = rest.replace('\u{2026}', "..").replace(" to ", "..").replace(" - ", "..").replace('\u{2013}', "..");
    if !(is_each || quantity.is_some()) || list.contains(['+', '|', '=']) {
        return Ok(None);
    }
    let mut panels = Vec::new();
    for part in list.split(',').flat_map(|part| part.split(" and ")).map(str::trim).filter(|part| !part.is_empty()) {
        let tags = match part.split_once("..") {
            Some((first, last)) => batch_tags(first.trim(), last.trim()),
            None => Some(vec![part.to_owned()]),
        };
        let Some(tags) = tags else { return Ok(None) };
        // Where none of them is here, these may be no tags.
        let known: Vec<Option<Id>> = tags.iter().map(|tag| names.panel(tag)).collect();
        match known.iter().position(Option::is_none) {
            Some(missing) if tags.len() > 1 && known.iter().any(Option::is_some) => return Err(tags[missing].to_uppercase()),
            Some(_) => return Ok(None),
            None => panels.extend(known.into_iter().flatten()),
        }
    }
    let tagged = |id: Id| names.tag(&id).map(str::to_owned).map(|tag| (id, tag));
    Ok((panels.len() > 1).then(|| (panels.into_iter().filter_map(tagged).collect(), quantity)))
}

fn quantity_of(word: &str) -> Option<Quantity> {
    match word {
        "voc" => Some(Quantity::Voc),
        "isc" => Some(Quantity::Isc),
        "w" | "watt" | "watts" | "power" => Some(Quantity::Power),
        "wh" | "watt-hours" => Some(Quantity::Energy),
        _ => None,
    }
}
