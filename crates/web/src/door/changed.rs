//! What an edit of a panel, a piece of gear or a place would change in answers that were given: said before it is saved.

use crate::door::typed::{Notes, Pairs, VERSION, value, version};
use crate::error::AppError;
use crate::heavy;
use crate::kept::assessments::Depth;
use crate::kept::digests::digest_of;
use crate::state::AppState;
use flindo_core::panel::nameplate::Nameplate;
use flindo_core::record::run::Run;
use flindo_store::{GearDraft, PanelDraft, PlaceDraft, Reading, Register, StoreError, Test};
use jiff::Timestamp;
use std::sync::Arc;

/// A record as it would be after the edit. Names are left as they are: another name is no other answer.
#[derive(Debug, Clone)]
pub enum Edit {
    /// A panel of this id, and the label of its kind.
    Panel(i64, Box<(PanelDraft, Nameplate)>),
    Gear(i64, GearDraft),
    Place(i64, PlaceDraft),
}

/// An answer before and after.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ChangedAnswer {
    /// Tag of the panel, day of the test.
    pub test: String,
    pub was: String,
    pub becomes: String,
}

/// Tests that are looked at, the newest first: some hundred milliseconds of work.
const MOST_TESTS: usize = 200;

/// Answers that are told one by one.
const MOST_TOLD: usize = 6;

/// The field that says which edit was told what it changes.
pub const SEEN: &str = "answers_seen";

impl Edit {
    fn applied(&self, to: &Register) -> Register {
        let mut after = to.clone();
        match self {
            Edit::Panel(id, new) => {
                let (draft, nameplate) = new.as_ref();
                let kind_id = to.panel(*id).map(|panel| panel.kind.id);
                for panel in &mut after.panels {
                    if Some(panel.kind.id) == kind_id {
                        panel.kind.draft.nameplate = nameplate.clone();
                    }
                    if panel.id == *id {
                        let wear = draft.wear.clone();
                        (panel.draft.is_used, panel.draft.age_years, panel.draft.wear) = (draft.is_used, draft.age_years, wear);
                    }
                }
            }
            Edit::Gear(id, draft) => {
                for row in after.gear.iter_mut().filter(|row| row.id == *id) {
                    // A draft that was read once is sound.
                    if let Ok(gear) = draft.kind.check(&draft.typed) {
                        (row.draft.typed, row.gear) = (draft.typed.clone(), gear);
                    }
                }
            }
            Edit::Place(id, draft) => {
                for row in after.places.iter_mut().filter(|row| row.id == *id) {
                    row.draft = PlaceDraft { name: row.draft.name.clone(), ..draft.clone() };
                }
            }
        }
        after
    }

    /// Whether a test could be answered otherwise after it.
    fn concerns(&self, test: &Test, before: &Register) -> bool {
        let plan = || test.plan.iter().flat_map(|plan| plan.levels.iter().chain([&plan.baseline]));
        match self {
            // A level or a rig may name another piece of its kind.
            Edit::Panel(id, _) => {
                let kind = |id| before.panel(id).map(|panel| panel.kind.id);
                kind(test.panel_id) == kind(*id) || test.rig_id.is_some() || test.is_open || plan().next().is_some()
            }
            Edit::Gear(..) => test.rig_id.is_some() || test.is_open || plan().next().is_some(),
            Edit::Place(id, _) => before.place_of(test).is_some_and(|place| place.id == *id),
        }
    }
}

/// The answers that an edit changes, and how many tests were not looked at.
pub async fn changed_answers(state: &AppState, edit: Edit) -> Result<(Vec<ChangedAnswer>, usize), AppError> {
    let before = state.store.register().await?;
    let all = state.all_digests().await?;
    let concerned: Vec<i64> = all
        .digests
        .iter()
        .filter(|digest| digest.summary.readings > 0 && edit.concerns(&digest.test, &before))
        .map(|digest| digest.test.id)
        .collect();
    let left = concerned.len().saturating_sub(MOST_TESTS);
    let after = Arc::new(edit.applied(&before));
    let mut changed = Vec::new();
    for id in concerned.into_iter().take(MOST_TESTS) {
        let (test, readings, runs) = (state.store.test(id).await?, state.store.readings(id).await?, state.store.runs(id).await?);
        let (before, after) = (Arc::clone(&before), Arc::clone(&after));
        let found = heavy::run(move |_| compared(&before, &after, (test, readings, runs))).await??;
        changed.extend(found);
    }
    Ok((changed, left))
}

/// The answer of a test with the one register and with the other, where they differ.
fn compared(
    before: &Register,
    after: &Register,
    (test, readings, runs): (Test, Vec<Reading>, Vec<Run>),
) -> Result<Option<ChangedAnswer>, StoreError> {
    let now = Timestamp::now();
    let was = before.recorded(test.clone(), readings.clone(), runs.clone(), now)?;
    let becomes = after.recorded(test, readings, runs, now)?;
    if was.record == becomes.record {
        return Ok(None);
    }
    // A test that has no answer before has none to change.
    let (Ok(was), Ok(becomes)) = (digest_of(&was, Depth::Brief), digest_of(&becomes, Depth::Brief)) else { return Ok(None) };
    let day = was.summary.last_utc.unwrap_or(was.test.created_utc).strftime("%Y-%m-%d");
    let test = format!("{}, {day}", was.tag);
    Ok((was.headline != becomes.headline).then_some(ChangedAnswer { test, was: was.headline, becomes: becomes.headline }))
}

/// Notes beside a form what its edit changes in answers that were given; sent again as it is, it is meant. Nothing is noted for a form that
/// was told already. Programs send no version and are not asked.
pub async fn note_changed_answers(state: &AppState, edit: Edit, typed: &mut Pairs, notes: &mut Notes) -> Result<(), AppError> {
    let sent = value(typed, VERSION).to_owned();
    // In an order of their own: what a browser sends first is no other edit.
    let mut content: Pairs = typed.iter().filter(|(name, _)| name != SEEN && name != VERSION).cloned().collect();
    content.sort();
    let this = version(&content);
    if sent.is_empty() || value(typed, SEEN) == this {
        return Ok(());
    }
    let (changed, left) = changed_answers(state, edit).await?;
    if changed.is_empty() {
        return Ok(());
    }
    let count = changed.len();
    let head = if count == 1 { "the answer of one test".to_owned() } else { format!("the answers of {count} tests") };
    notes.add(VERSION, "refused", format!("Saving changes {head}. Save again to change them, or go back."));
    for one in changed.iter().take(MOST_TOLD) {
        let told = format!("{}: \u{201c}{}\u{201d} becomes \u{201c}{}\u{201d}", one.test, one.was, one.becomes);
        notes.add(VERSION, "refused", told);
    }
    let more = count.saturating_sub(MOST_TOLD);
    if more > 0 || left > 0 {
        let older = if left > 0 { format!(" {left} older tests were not looked at.") } else { String::new() };
        let others = if more > 0 { format!("And {more} more.") } else { String::new() };
        notes.add(VERSION, "refused", format!("{others}{older}").trim().to_owned());
    }
    typed.retain(|(name, _)| name != SEEN);
    typed.push((SEEN.to_owned(), this));
    Ok(())
}
