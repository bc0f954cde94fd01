//! A panel as pages show it: its label, and what a test says of it.

use crate::figures::{computed, stated};
use crate::kept::digests::{All, Digest};
use flindo_core::panel::label::LabelTyped;
use flindo_core::review::league::alone;
use flindo_core::review::summary::RatingFigure;
use flindo_store::Panel;
use jiff::Timestamp;

/// The label as a table; what it does not state is left out.
pub fn label_rows(panel: &Panel) -> Vec<(&'static str, String)> {
    let label = panel.label();
    let typed = LabelTyped::of(label);
    let figure = |value: Option<f64>, unit| value.map(|value| stated(value, unit).to_string()).unwrap_or_default();
    let rows = [
        ("rated power", figure(label.rated_w, "W")),
        ("tolerance", typed.tolerance),
        ("Voc", figure(label.voc_v, "V")),
        ("Isc", figure(label.isc_a, "A")),
        ("Vmp", figure(label.vmp_v, "V")),
        ("Imp", figure(label.imp_a, "A")),
        ("alpha (Isc)", typed.alpha_isc),
        ("beta (Voc)", typed.beta_voc),
        ("gamma (Pmax)", typed.gamma_pmax),
        ("cells in series", typed.cells_in_series),
        ("technology", label.technology.label().to_owned()),
        ("NOCT", figure(label.noct_c, "\u{b0}C")),
        ("size", label.face_size().map(|face| format!("{} \u{d7} {} m", face.length_m, face.width_m)).unwrap_or_default()),
        ("weight", figure(label.weight_kg, "kg")),
        ("bifaciality", figure(label.bifaciality, "")),
        ("cell layout", label.construction.map(|one| one.label().to_owned()).unwrap_or_default()),
        ("stated degradation", figure(label.degradation_percent_per_year, "%/year")),
        ("fill factor", label.fill_factor().map(|factor| computed(factor, "").value).unwrap_or_default()),
    ];
    rows.into_iter().filter(|(_, figure)| !figure.is_empty()).collect()
}

/// What a test says of one panel: when, and percent of rating.
pub fn rating_of<'a>(digest: &'a Digest, uid: &str) -> Option<(Timestamp, &'a RatingFigure)> {
    let at = digest.summary.last_utc?;
    let rating = alone(&digest.summary, uid).find_map(|level| level.rating.as_ref())?;
    rating.forbidden.is_none().then_some((at, rating))
}

/// Its ratings, the oldest first: when, and percent of rating.
pub fn ratings_of<'a>(all: &'a All, uid: &'a str) -> Vec<(Timestamp, &'a RatingFigure)> {
    let mut found: Vec<(Timestamp, &RatingFigure)> = all.digests.iter().filter_map(|digest| rating_of(digest, uid)).collect();
    found.sort_by_key(|(at, _)| *at);
    found
}
