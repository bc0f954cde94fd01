//! The questions a test can ask. All are one engine: a factor, its levels, a baseline, an order, what must be read, an analysis.
//! One more question is one more row.

use super::condition::Factor;
use super::order::Order;
use crate::measure::quantity::Quantity;
use crate::named::named;

#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Default)]
pub enum Question {
    #[default]
    MakesRating,
    UsedPanel,
    AgainstTwin,
    WhichTilt,
    FlatOrTilted,
    ShadeCost,
    SeriesOrParallel,
    UnlikeTogether,
    WhichController,
    HowMuchInADay,
    PoorLight,
    HeatCost,
    BothFaces,
    WhichStrings,
    Improvements,
    Cleaning,
}

named!(Question {
    MakesRating = "makes_rating", "Does it make its rating?";
    UsedPanel = "used_panel", "Is this used panel (or batch) any good?";
    AgainstTwin = "against_twin", "How far has it aged against its unused twin?";
    WhichTilt = "which_tilt", "Which tilt?";
    FlatOrTilted = "flat_or_tilted", "Flat or tilted?";
    ShadeCost = "shade_cost", "What does shade cost, pattern by pattern?";
    SeriesOrParallel = "series_or_parallel", "Series or parallel?";
    UnlikeTogether = "unlike_together", "Do these mismatched panels work together?";
    WhichController = "which_controller", "Which controller, and is it really tracking?";
    HowMuchInADay = "how_much_in_a_day", "How much in a day?";
    PoorLight = "poor_light", "How does it do in poor light?";
    HeatCost = "heat_cost", "What does heat cost?";
    BothFaces = "both_faces", "Front and back of a bifacial panel, or a reflector?";
    WhichStrings = "which_strings", "Which strings work, and which to clear first?";
    Improvements = "improvements", "What does each improvement on a rig bring?";
    Cleaning = "cleaning", "Does cleaning help?";
});

/// What the readings of a test are made into.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Analysis {
    /// Each reading brought to STC, as percent of the label.
    OfRating,
    /// Each level as percent of the baseline around it.
    OfBaseline,
    /// The panels together as percent of the sum of each alone.
    OfSum,
    /// Watt-hours against watt-hours.
    OfTotals,
}

/// One row of the table of questions.
#[derive(Debug, Clone, Copy)]
pub struct Card {
    pub question: Question,
    pub factor: Factor,
    pub baseline: &'static str,
    pub levels: &'static str,
    pub order: Order,
    /// One of these sets has to be in every reading.
    pub reads: &'static [&'static [Quantity]],
    pub analysis: Analysis,
    /// What else the test needs to be worth anything.
    pub needs: &'static str,
}

const WATTS: &[Quantity] = &[Quantity::Voltage, Quantity::Current];
const SHOWN: &[Quantity] = &[Quantity::Power];
const SHORT: &[Quantity] = &[Quantity::Isc];
const OPEN_AND_SHORT: &[Quantity] = &[Quantity::Voc, Quantity::Isc];
const AMPS: &[Quantity] = &[Quantity::Current];
const OPEN: &[Quantity] = &[Quantity::Voc];
const TOTAL: &[Quantity] = &[Quantity::Energy];

/// Every question, in the order in which they are offered.
pub const CARDS: [Card; 16] = [
    Card {
        question: Question::MakesRating,
        factor: Factor::Panel,
        baseline: "",
        levels: "",
        order: Order::Repeats,
        reads: &[WATTS, SHOWN, OPEN_AND_SHORT],
        analysis: Analysis::OfRating,
        needs: "Irradiance in the plane and cell temperature with every reading.",
    },
    Card {
        question: Question::UsedPanel,
        factor: Factor::Panel,
        baseline: "",
        levels: "",
        order: Order::Repeats,
        reads: &[OPEN_AND_SHORT, WATTS, OPEN],
        analysis: Analysis::OfRating,
        needs: "Voc with the cell temperature first, then Isc, then a loaded point.",
    },
    Card {
        question: Question::AgainstTwin,
        factor: Factor::Panel,
        baseline: "unused twin",
        levels: "used panel",
        order: Order::Abba,
        reads: &[WATTS, SHOWN, SHORT],
        analysis: Analysis::OfBaseline,
        needs: "Both panels at one tilt, both cleaned, both a quarter of an hour in the sun before.",
    },
    Card {
        question: Question::WhichTilt,
        factor: Factor::Tilt,
        baseline: "35",
        levels: "15; 25; 45; 55",
        order: Order::LadderAndBack,
        reads: &[WATTS, SHOWN, SHORT],
        analysis: Analysis::OfBaseline,
        needs: "The same direction for every tilt, and a clear sky.",
    },
    Card {
        question: Question::FlatOrTilted,
        factor: Factor::Tilt,
        baseline: "flat",
        levels: "35",
        order: Order::Abba,
        reads: &[WATTS, SHOWN, SHORT],
        analysis: Analysis::OfBaseline,
        needs: "A clear sky: under cloud the light is mostly diffuse.",
    },
    Card {
        question: Question::ShadeCost,
        factor: Factor::Shade,
        baseline: "none",
        levels: "one cell; bottom row of cells; left column; lower half",
        order: Order::Aba,
        reads: &[WATTS, SHOWN],
        analysis: Analysis::OfBaseline,
        needs: "Opaque card or cloth, and the same load throughout.",
    },
    Card {
        question: Question::SeriesOrParallel,
        factor: Factor::Wiring,
        baseline: "series",
        levels: "parallel",
        order: Order::Abba,
        reads: &[WATTS, SHOWN],
        analysis: Analysis::OfBaseline,
        needs: "The same shade for both, and a controller rated for the series voltage.",
    },
    Card {
        question: Question::UnlikeTogether,
        factor: Factor::Wiring,
        baseline: "first alone",
        levels: "second alone; both together",
        order: Order::LadderAndBack,
        reads: &[WATTS, SHOWN],
        analysis: Analysis::OfSum,
        needs: "Each panel alone and all together, within the same quarter of an hour.",
    },
    Card {
        question: Question::WhichController,
        factor: Factor::Load,
        baseline: "first controller",
        levels: "second controller",
        order: Order::Abba,
        reads: &[WATTS, SHOWN],
        analysis: Analysis::OfBaseline,
        needs: "A battery with room to charge, and volts and amps on both sides of the controller.",
    },
    Card {
        question: Question::HowMuchInADay,
        factor: Factor::Day,
        baseline: "a whole day",
        levels: "",
        order: Order::Totals,
        reads: &[TOTAL],
        analysis: Analysis::OfTotals,
        needs: "A recorded log or the meter's own counter, and a battery that never fills.",
    },
    Card {
        question: Question::PoorLight,
        factor: Factor::Sky,
        baseline: "full sun",
        levels: "overcast; early morning",
        order: Order::Aba,
        reads: &[WATTS, SHOWN, SHORT],
        analysis: Analysis::OfBaseline,
        needs: "Irradiance in the plane with every reading: power per irradiance.",
    },
    Card {
        question: Question::HeatCost,
        factor: Factor::Temperature,
        baseline: "unmodified",
        levels: "cooled with water",
        order: Order::Aba,
        reads: &[WATTS, SHOWN],
        analysis: Analysis::OfBaseline,
        needs: "Cell temperature with every reading, and ten minutes to warm up again.",
    },
    Card {
        question: Question::BothFaces,
        factor: Factor::Face,
        baseline: "back covered",
        levels: "back free; reflector behind",
        order: Order::Aba,
        reads: &[WATTS, SHOWN, SHORT],
        analysis: Analysis::OfBaseline,
        needs: "What is behind the panel, and its height above it.",
    },
    Card {
        question: Question::WhichStrings,
        factor: Factor::Covers,
        baseline: "all clear",
        levels: "first string covered; second string covered",
        order: Order::LadderAndBack,
        reads: &[WATTS, SHOWN, SHORT, AMPS],
        analysis: Analysis::OfBaseline,
        needs: "A clamp on each string.",
    },
    Card {
        question: Question::Improvements,
        factor: Factor::Step,
        baseline: "as it was",
        levels: "first improvement; first and second",
        order: Order::LadderAndBack,
        reads: &[WATTS, SHOWN],
        analysis: Analysis::OfBaseline,
        needs: "One improvement at a time, each undone on the way back.",
    },
    // Dirt cannot be put back: an uncleaned control panel beside it, before and after, tells the sun from the cleaning.
    Card {
        question: Question::Cleaning,
        factor: Factor::Step,
        baseline: "as it was",
        levels: "cleaned",
        order: Order::BeforeAfter,
        reads: &[WATTS, SHOWN, SHORT, AMPS],
        analysis: Analysis::OfBaseline,
        needs: "A second panel that stays uncleaned, read before and after like the first; both in the same plane.",
    },
];

impl Question {
    pub fn card(self) -> &'static Card {
        CARDS.iter().find(|card| card.question == self).unwrap_or(&CARDS[0])
    }

    /// Whether its readings are judged against the label rather than against each other.
    pub fn is_of_rating(self) -> bool {
        self.card().analysis == Analysis::OfRating
    }
}

#[cfg(test)]
mod tests {
    use super::super::language::level::level;
    use super::super::names::Names;
    use super::*;

    #[test]
    fn every_question_has_its_row_in_its_place() {
        assert!(
            CARDS
                .iter()
                .zip(Question::ALL)
                .all(|(card, question)| card.question == *question && question.card().question == *question)
        );
        assert_eq!(CARDS.len(), Question::ALL.len());
    }

    #[test]
    fn the_levels_that_are_offered_are_levels() {
        for card in CARDS {
            let names = Names::default();
            assert!(card.baseline.is_empty() || level(card.factor, card.baseline, &names).is_ok(), "{}", card.question.name());
            for text in card.levels.split(';').filter(|text| !text.trim().is_empty()) {
                assert_eq!(level(card.factor, text, &names).unwrap().keys().collect::<Vec<_>>(), [&card.factor]);
            }
            assert!(!card.reads.is_empty() && card.reads.iter().all(|set| !set.is_empty()));
        }
    }
}
