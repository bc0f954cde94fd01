//! What a look at a panel shows before anything is connected to it.

use crate::named::named;

#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Defect {
    CrackedGlass,
    BurnMarks,
    MeltedFolds,
    DiscolouredCells,
    LooseBox,
}

named!(Defect {
    CrackedGlass = "cracked_glass", "cracked glass";
    BurnMarks = "burn_marks", "burn marks";
    MeltedFolds = "melted_folds", "melted or creased laminate";
    DiscolouredCells = "discoloured_cells", "discoloured cells";
    LooseBox = "loose_box", "loose or open junction box";
});

impl Defect {
    /// Water or heat can make the frame live or start a fire: nothing is connected to such a panel.
    pub fn stops(self) -> bool {
        !matches!(self, Defect::DiscolouredCells)
    }

    /// Marks as they are kept: names with commas between.
    pub fn list_text(list: &[Defect]) -> String {
        list.iter().map(|wear| wear.name()).collect::<Vec<_>>().join(",")
    }

    /// Reads [`Defect::list_text`]; names that are not known are left out.
    pub fn list_from(text: &str) -> Vec<Defect> {
        text.split(',').filter_map(|name| Defect::from_name(name.trim())).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_list_reads_back_and_only_discolouring_does_not_stop() {
        assert_eq!(Defect::list_from(&Defect::list_text(Defect::ALL)), Defect::ALL);
        assert_eq!(Defect::ALL.iter().filter(|wear| !wear.stops()).count(), 1);
        assert!(Defect::list_from("").is_empty());
    }
}
