//! A panel: one piece of a kind.

use crate::rows::kind::Kind;
use flindo_core::panel::inspection::Defect;
use flindo_core::panel::nameplate::Nameplate;

/// A panel to be written.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct PanelDraft {
    /// What is written on the tape.
    pub tag: String,
    pub kind_id: i64,
    pub is_used: bool,
    pub age_years: Option<f64>,
    /// In the currency of the bench, where it differs from that of its kind.
    pub price: Option<f64>,
    pub notes: String,
    /// Where it comes from.
    pub provenance: String,
    /// What an inspection shows.
    pub wear: Vec<Defect>,
}

/// A panel of this bench.
#[derive(Debug, Clone, PartialEq)]
pub struct Panel {
    pub id: i64,
    pub uid: String,
    pub draft: PanelDraft,
    pub kind: Kind,
}

impl Panel {
    pub fn tag(&self) -> &str {
        &self.draft.tag
    }

    /// The name of its kind.
    pub fn name(&self) -> &str {
        &self.kind.draft.name
    }

    pub fn label(&self) -> &Nameplate {
        &self.kind.draft.nameplate
    }

    /// Nobody has read its label: it is compared, and not rated.
    pub fn is_unlabelled(&self) -> bool {
        self.label().rated_w.is_none()
    }

    /// Its own price, and else that of its kind.
    pub fn price(&self) -> Option<f64> {
        self.draft.price.or(self.kind.draft.price)
    }
}
