//! A kind of panel: a label.

use flindo_core::panel::nameplate::Nameplate;

/// A kind to be written.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct KindDraft {
    pub name: String,
    pub nameplate: Nameplate,
    /// The label contradicts itself, and was kept on purpose.
    pub doubts_kept: bool,
    /// Of one piece, in the currency of the bench.
    pub price: Option<f64>,
}

/// A kind of this bench.
#[derive(Debug, Clone, PartialEq)]
pub struct Kind {
    pub id: i64,
    pub uid: String,
    pub draft: KindDraft,
}
