//! What the chips of a test without a plan open: likely lines, to be sent by a tap.

use crate::door::evaluated::Evaluated;
use crate::views::shades;
use flindo_core::record::condition::Factor;
use flindo_core::record::likely;
use flindo_store::Register;

/// The choices of one factor.
pub struct Choices {
    /// As the chip names it.
    pub name: &'static str,
    pub label: &'static str,
    pub lines: Vec<Choice>,
    /// A figure of its own: what stands before it in its line, and its unit.
    pub figure: Option<(&'static str, &'static str)>,
}

pub struct Choice {
    pub line: String,
    /// The face with the shade on it.
    pub svg: Option<String>,
}

impl Choices {
    pub fn of(register: &Register, evaluated: &Evaluated<'_>) -> Vec<Choices> {
        let names = register.names();
        let panel = &evaluated.recorded.panel;
        let plain = |factor| likely::lines(factor, &names).into_iter().map(|line| Choice { line, svg: None }).collect();
        let of = |factor: Factor, label, lines: Vec<Choice>| Choices { name: factor.name(), label, lines, figure: None };
        let mut hangs: Vec<Choice> = plain(Factor::Panel);
        hangs.extend::<Vec<Choice>>(plain(Factor::Rig));
        let shades = likely::lines(Factor::Shade, &names).into_iter();
        let shades = shades.enumerate().map(|(nth, line)| Choice { svg: shades::face(nth, &line, panel), line }).collect();
        vec![
            of(Factor::Panel, "Panel or rig", hangs),
            Choices { figure: Some(("tilt", "\u{b0}")), ..of(Factor::Tilt, "Tilt", plain(Factor::Tilt)) },
            of(Factor::Shade, "Shade", shades),
            of(Factor::Load, "Load", plain(Factor::Load)),
            of(Factor::Sky, "Sky", plain(Factor::Sky)),
        ]
    }
}
