//! What happens to a panel between its tests.

use crate::named::named;

#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum PanelEventKind {
    #[default]
    Cleaned,
    Moved,
    Repaired,
    Damaged,
    Other,
}

named!(PanelEventKind {
    Cleaned = "cleaned", "cleaned";
    Moved = "moved", "moved";
    Repaired = "repaired", "repaired";
    Damaged = "damaged", "damaged";
    Other = "other", "other";
});
