//! What the chips of a test without a plan open: likely lines, to be sent by a tap.

use crate::door::evaluated::Evaluated;
use crate::views::shades::{Offered, offered};
use flindo_core::record::condition::Factor;
use flindo_core::record::likely;
use flindo_store::Register;

/// The choices of one factor.
pub struct Choices {
    /// As the chip names it.
    pub name: &'static str,
    pub label: &'static str,
    pub lines: Vec<Offered>,
    /// A figure of its own: what stands before it in its line, and its unit.
    pub figure: Option<(&'static str, &'static str)>,
}

impl Choices {
    pub fn of(register: &Register, evaluated: &Evaluated<'_>) -> Vec<Choices> {
        let names = register.names();
        let panel = &evaluated.recorded.panel;
        let plain = |factor| offered(likely::lines(factor, &names), None);
        let of = |factor: Factor, label, lines: Vec<Offered>| Choices { name: factor.name(), label, lines, figure: None };
        let hangs = [Factor::Panel, Factor::Rig].into_iter().flat_map(plain).collect();
        let shades = offered(likely::lines(Factor::Shade, &names), Some(panel));
        vec![
            of(Factor::Panel, "Panel or rig", hangs),
            Choices { figure: Some(("tilt", "\u{b0}")), ..of(Factor::Tilt, "Tilt", plain(Factor::Tilt)) },
            of(Factor::Shade, "Shade", shades),
            of(Factor::Load, "Load", plain(Factor::Load)),
            of(Factor::Sky, "Sky", plain(Factor::Sky)),
        ]
    }
}
