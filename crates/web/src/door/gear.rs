//! A piece of gear out of a form or a body, and back.

use crate::door::typed::{Notes, Pairs, value};
use flindo_core::gear::{Gear, GearKind, Typed};
use flindo_meters::Source;
use flindo_store::GearDraft;

/// Every field of its kind, in their order.
pub fn typed_of(draft: &GearDraft) -> Pairs {
    let text = |name: &str| draft.typed.get(name).cloned().unwrap_or_default();
    let fields = draft.kind.fields().iter().map(|field| (field.name.to_owned(), text(field.name)));
    fields.chain([("name".to_owned(), draft.name.clone()), ("notes".to_owned(), draft.notes.clone())]).collect()
}

/// A piece of gear out of its form; what is wrong stands in the notes.
pub fn draft_of(kind: GearKind, typed: &Pairs, notes: &mut Notes) -> GearDraft {
    let fields: Typed = kind.fields().iter().map(|field| (field.name.to_owned(), value(typed, field.name).to_owned())).collect();
    match kind.check(&fields) {
        Err(wrong) => wrong.into_iter().for_each(|note| notes.add(note.field, "refused", note.text)),
        Ok(Gear::Meter(meter)) => {
            if let Err(sentence) = Source::of(&meter) {
                notes.add("map", "refused", sentence);
            }
        }
        Ok(_) => {}
    }
    let draft = GearDraft {
        kind,
        name: value(typed, "name").trim().to_owned(),
        notes: value(typed, "notes").trim().to_owned(),
        typed: fields,
    };
    if draft.name.is_empty() || draft.name.chars().count() > 60 {
        notes.add("name", "refused", "A name of 1 to 60 characters is needed: what you call it on the bench.".to_owned());
    }
    if draft.notes.chars().count() > 2000 {
        notes.add("notes", "refused", "This is longer than 2000 characters.".to_owned());
    }
    draft
}
