//! A panel and its label out of a form or a body, and back.

use crate::door::typed::{Notes, Pairs, number, value};
use flindo_core::panel::inspection::Defect;
use flindo_core::panel::label::{LabelCheck, LabelTyped, Severity};
use flindo_core::record::names::{MOST_IN_A_BATCH, batch_tags, check_tag};
use flindo_store::{Panel, PanelDraft, Store, StoreError, Withdrawable};
use jiff::Timestamp;

/// The fields of a panel that are not on its label.
pub const OWN_FIELDS: [&str; 8] = ["tag", "name", "state", "age_years", "price", "notes", "keep_doubts", "provenance"];

pub fn label_of(typed: &Pairs) -> LabelTyped {
    let mut label = LabelTyped::default();
    for (name, text) in typed {
        label.set(name, text.as_str());
    }
    label
}

pub fn typed_of(panel: &Panel) -> Pairs {
    let draft = &panel.draft;
    let label = LabelTyped::of(panel.label());
    let text = |value: Option<f64>| value.map(|value| value.to_string()).unwrap_or_default();
    let own = [
        draft.tag.clone(),
        if panel.is_unlabelled() { String::new() } else { panel.name().to_owned() },
        if draft.is_used { "used" } else { "new" }.to_owned(),
        text(draft.age_years),
        text(draft.price),
        draft.notes.clone(),
        if panel.kind.draft.doubts_kept { "yes" } else { "" }.to_owned(),
        draft.provenance.clone(),
    ];
    let wear = draft.wear.iter().map(|wear| ("wear".to_owned(), wear.name().to_owned()));
    let label = LabelTyped::FIELDS.iter().map(|field| ((*field).to_owned(), label.get(field).unwrap_or_default().to_owned()));
    OWN_FIELDS.iter().map(|field| (*field).to_owned()).zip(own).chain(label).chain(wear).collect()
}

/// One piece, or a batch of them: a tag such as `U-1..U-10`. Without their kind; at least one.
pub fn drafts_of(typed: &Pairs, is_change: bool, notes: &mut Notes) -> Vec<PanelDraft> {
    let text = |name: &str| value(typed, name).trim().to_owned();
    let tag = text("tag");
    if let Err(sentence) = check_tag(&tag) {
        notes.add("tag", "refused", sentence);
    }
    for (field, most) in [("name", 80), ("notes", 2000), ("provenance", 200)] {
        if text(field).chars().count() > most {
            notes.add(field, "refused", format!("This is longer than {most} characters."));
        }
    }
    let tags = match tag.split_once("..") {
        Some((first, last)) if !is_change => batch_tags(first.trim(), last.trim()).unwrap_or_else(|| {
            let sentence = format!("\"{tag}\" is no batch: write U-1..U-10, up to {MOST_IN_A_BATCH} pieces.");
            notes.add("tag", "refused", sentence);
            vec![tag.clone()]
        }),
        Some(_) | None => vec![tag.clone()],
    };
    let draft = PanelDraft {
        tag,
        kind_id: 0,
        is_used: text("state") == "used",
        age_years: number(typed, "age_years", (0.0, 100.0), notes),
        price: number(typed, "price", (0.0, 1e7), notes),
        notes: text("notes"),
        provenance: text("provenance"),
        wear: typed.iter().filter(|(name, _)| name == "wear").filter_map(|(_, wear)| Defect::from_name(wear)).collect(),
    };
    tags.into_iter().map(|tag| PanelDraft { tag, ..draft.clone() }).collect()
}

/// Changes a panel. The kind of one whose label nobody had read goes, where its label is found to be that of another.
pub async fn change(store: &Store, there: &Panel, draft: &PanelDraft) -> Result<(), StoreError> {
    store.change_panel(there.id, draft).await?;
    if there.is_unlabelled() && draft.kind_id != there.kind.id {
        let reason = format!("The label of {} was read: it is of another kind.", draft.tag);
        store.withdraw((Withdrawable::Kind, there.kind.id), true, &reason, Timestamp::now()).await?;
    }
    Ok(())
}

pub fn severity_class(severity: Severity) -> &'static str {
    match severity {
        Severity::Info => "told",
        Severity::Warning => "doubt",
        Severity::Error => "refused",
    }
}

pub fn notes_of(checked: &LabelCheck) -> Notes {
    let mut notes = Notes::default();
    for note in &checked.notes {
        notes.add(note.field, severity_class(note.severity), note.text.clone());
    }
    notes
}
