//! Shades as they are chosen: each drawn on the face of the panel that it would lie on.

use crate::draw::face::{self, On};
use flindo_core::record::language::level;
use flindo_core::record::names::Names;
use flindo_core::record::shading::{self, Shaded};
use flindo_store::Panel;

/// A condition that is offered, in the words it is typed in.
pub struct Offered {
    pub text: String,
    /// The face with the shade on it.
    pub svg: Option<String>,
}

/// These conditions as they are offered, drawn on a panel where they are shades that lie on one.
pub fn offered(texts: Vec<String>, on: Option<&Panel>) -> Vec<Offered> {
    let texts = texts.into_iter().enumerate();
    texts.map(|(nth, text)| Offered { svg: on.and_then(|panel| face(nth, &text, panel)), text }).collect()
}

/// Keep the drawings of one page apart.
const KEYS: [&str; 12] = ["s0", "s1", "s2", "s3", "s4", "s5", "s6", "s7", "s8", "s9", "s10", "s11"];

/// A panel's face under a shade in words, as it stands upright; `None` where the words say no shade that can be drawn.
fn face(nth: usize, words: &str, panel: &Panel) -> Option<String> {
    let patches = level::patches(words, &Names::default()).ok()??;
    let label = panel.label();
    let (layout, mounting) = (label.construction().layout(), Default::default());
    let shaded = [Shaded { id: &panel.uid, tag: panel.tag(), layout: &layout, size: label.face_size() }];
    let shares = shading::shares(&patches, &shaded, &[1], mounting).ok()?;
    let all_lit = vec![1.0; layout.places.len()];
    let shares = shares.first().filter(|shares| !shares.is_empty()).unwrap_or(&all_lit);
    Some(face::draw(KEYS.get(nth)?, words, &layout, mounting, &On::Shares(shares)))
}
