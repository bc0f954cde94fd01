//! Two states open at once: rigs that stand side by side.

use super::condition::{Conditions, panels_of, rig_of};
use super::names::Id;

/// Rigs side by side, each with a state of its own: a line that names one of them is of the state in which that one stands.
#[derive(Debug, Clone, Copy, Default)]
pub struct Beside<'a> {
    /// The panels of each rig.
    pub rigs: &'a [(Id, Vec<Id>)],
    /// The states so far in their order, each as often as it was visited.
    pub visited: &'a [Conditions],
}

impl<'a> Beside<'a> {
    /// The state in which a rig stands beside the one at work. `None` where it was not read yet, or where it has a panel in common with what
    /// is at work: then it is the same hardware, wired or loaded otherwise, in the state of now.
    pub fn state_of(&self, rig: &Id, current: &Conditions) -> Option<&'a Conditions> {
        let here = match rig_of(current) {
            Some(here) => self.panels(here)?,
            None => panels_of(current)?,
        };
        let there = self.panels(rig)?;
        if here.is_empty() || there.iter().any(|panel| here.contains(panel)) {
            return None;
        }
        self.visited.iter().rev().find(|state| rig_of(state) == Some(rig))
    }

    fn panels(&self, rig: &Id) -> Option<&'a [Id]> {
        self.rigs.iter().find(|(id, _)| id == rig).map(|(_, panels)| panels.as_slice())
    }
}
