//! Lines of a turn, as lines with a panel's tag.

use super::at::{Asked, At};
use super::figures::{is_beside, is_figures};
use super::turn::{Turn, turn_said};

/// A line that says of itself what a line of a turn is.
pub(super) struct Turned {
    pub(super) line: String,
    /// The turn that it begins.
    pub(super) begins: Option<Turn>,
    /// With the figures of the reading before.
    pub(super) repeats: bool,
}

/// A line that begins a turn, or is inside of one. `None` for any other.
pub(super) fn turned(text: &str, at: &At<'_>) -> Option<Result<Turned, Asked>> {
    in_turn(text, at).or_else(|| begun(text, at))
}

/// What hangs there now is the first panel.
fn begun(text: &str, at: &At<'_>) -> Option<Result<Turned, Asked>> {
    let (panels, quantity) = match turn_said(text, at.names) {
        Ok(said) => said?,
        Err(tag) => {
            let asked = format!("There is no panel {tag} on this bench: add it, or name those that are here.");
            return Some(Err(Asked { unknown_panel: Some(tag), ..Asked::new(asked, vec![format!("# {text}")]) }));
        }
    };
    let line = panels.first()?.1.clone();
    Some(Ok(Turned { line, begins: Some(Turn { panels, quantity, is_read: false }), repeats: false }))
}

/// A figure by itself, the same figure again, or a panel that is passed over.
fn in_turn(text: &str, at: &At<'_>) -> Option<Result<Turned, Asked>> {
    /// Said of the panel whose turn it is.
    const PASSES: [&str; 6] = ["skip", "skip it", "missing", "none", "not there", "-"];
    let turn = at.turn?;
    let lower = text.to_lowercase();
    let repeats = ["same", "ditto", "same again", "the same", "\""].contains(&lower.as_str());
    let goes_on = lower == "next";
    let passes = goes_on || PASSES.contains(&lower.as_str());
    // Light and temperatures alone are beside the panel that hangs there.
    if !(repeats || passes || is_figures(text, at) && !is_beside(text, at)) {
        return None;
    }
    let place = turn.place(at.current)?;
    let next = place + usize::from(turn.is_read);
    let of = if goes_on { place + 1 } else { next + usize::from(passes) };
    let Some((_, tag)) = turn.panels.get(of) else {
        if passes {
            return None;
        }
        let asked = format!("Every panel of the turn has been read: of which one is {text}?");
        let choices = [place, 0].map(|place| format!("{}: {text}", turn.panels[place].1));
        return Some(Err(Asked::new(asked, choices.to_vec())));
    };
    let line = if repeats || passes { tag.clone() } else { format!("{tag}: {text}") };
    Some(Ok(Turned { line, begins: None, repeats }))
}
