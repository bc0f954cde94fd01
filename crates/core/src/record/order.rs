//! The order of runs: the baseline comes again and again, so that the sun's drift can be taken out.

use crate::named::named;

/// How baseline (A) and levels (B, C ...) follow each other.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Order {
    /// A B A C A: every level between two baselines.
    #[default]
    Aba,
    /// A B B A A C C A: every level twice, in the middle of its own bracket. A steady drift cancels.
    Abba,
    /// A B C D A D C B A: up and back again, for many levels that are quick to set.
    LadderAndBack,
    /// Two rigs at once: A on one and B on the other, then exchanged, then exchanged again and back. What differs between the
    /// rigs cancels.
    Crossover,
    /// What cannot be undone: both panels as they were, then one of them changed, the other beside it as a control.
    BeforeAfter,
    /// Whole days: A B A B, in watt-hours.
    Totals,
    /// A A A: one condition, read again and again; with levels each in turn, A B C.
    Repeats,
}

named!(Order {
    Aba = "aba", "A B A: every level between two baselines";
    Abba = "abba", "A B B A: every level twice";
    LadderAndBack = "ladder_and_back", "A B C A C B A: up and back";
    Crossover = "crossover", "side by side on two rigs, then exchanged";
    BeforeAfter = "before_after", "before and after, beside an unchanged control";
    Totals = "totals", "totals over hours or days, in turn";
    Repeats = "repeats", "each condition in turn, repeated";
});

/// One place in the order.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Slot {
    /// 0 is the baseline; the levels follow from 1.
    pub level: usize,
    /// 1 or 2 side by side, else 0.
    pub rig: u8,
}

impl Order {
    /// Two rigs are at work at once.
    pub fn is_side_by_side(self) -> bool {
        matches!(self, Order::Crossover | Order::BeforeAfter)
    }
}

impl Slot {
    fn of(level: usize) -> Self {
        Slot { level, rig: 0 }
    }

    pub fn is_baseline(self) -> bool {
        self.level == 0
    }
}

/// The runs for this many levels besides the baseline, each done `times` over.
///
/// `levels` 0 to 40; `times` 1 to 10. With no level only the baseline is repeated. A crossover exchanges the rigs 2 `times`
/// over and compares each level with the baseline.
pub fn runs(order: Order, levels: usize, times: usize) -> Vec<Slot> {
    let (levels, times) = (levels.min(40), times.clamp(1, 10));
    let baseline = Slot::of(0);
    if levels == 0 {
        return vec![baseline; if order == Order::Repeats { times } else { times.max(3) }];
    }
    let all = || (1..=levels).map(Slot::of);
    let mut slots = Vec::new();
    match order {
        Order::Aba => {
            slots.push(baseline);
            for _ in 0..times {
                slots.extend(all().flat_map(|level| [level, baseline]));
            }
        }
        Order::Abba => {
            for _ in 0..times {
                slots.extend(all().flat_map(|level| [baseline, level, level, baseline]));
            }
        }
        Order::LadderAndBack => {
            slots.push(baseline);
            for _ in 0..times {
                slots.extend(all());
                slots.push(baseline);
                slots.extend(all().rev());
                slots.push(baseline);
            }
        }
        Order::Crossover => {
            for level in 1..=levels {
                for phase in 0..2 * times {
                    // 1 2 2 1: the exchange itself lies evenly in time.
                    let exchanged = phase % 4 == 1 || phase % 4 == 2;
                    let (first, second) = if exchanged { (2, 1) } else { (1, 2) };
                    slots.extend([Slot { level: 0, rig: first }, Slot { level, rig: second }]);
                }
            }
        }
        Order::BeforeAfter => {
            let control = Slot { level: 0, rig: 2 };
            for level in 0..=levels {
                for _ in 0..times {
                    slots.extend([Slot { level, rig: 1 }, control]);
                }
            }
        }
        Order::Totals | Order::Repeats => {
            for _ in 0..times {
                slots.push(baseline);
                slots.extend(all());
            }
        }
    }
    slots
}

/// How often each level is read, for the person: "A B A C A".
pub fn letters(slots: &[Slot]) -> String {
    let letter = |level: usize| char::from_u32('A' as u32 + level as u32).filter(|_| level < 26).unwrap_or('+');
    slots.iter().map(|slot| letter(slot.level).to_string()).collect::<Vec<_>>().join(" ")
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn the_orders_read_as_their_names() {
        assert_eq!(letters(&runs(Order::Aba, 1, 1)), "A B A");
        assert_eq!(letters(&runs(Order::Aba, 2, 1)), "A B A C A");
        assert_eq!(letters(&runs(Order::Abba, 1, 1)), "A B B A");
        assert_eq!(letters(&runs(Order::LadderAndBack, 3, 1)), "A B C D A D C B A");
        assert_eq!(letters(&runs(Order::Totals, 1, 3)), "A B A B A B");
        assert_eq!(letters(&runs(Order::Repeats, 0, 3)), "A A A");
        assert_eq!(letters(&runs(Order::Repeats, 3, 1)), "A B C D");
        let crossover: Vec<_> = runs(Order::Crossover, 1, 2).iter().map(|slot| (slot.level, slot.rig)).collect();
        assert_eq!(crossover, [(0, 1), (1, 2), (0, 2), (1, 1), (0, 2), (1, 1), (0, 1), (1, 2)]);
    }

    fn bracketed() -> impl Strategy<Value = Order> {
        prop_oneof![Just(Order::Aba), Just(Order::Abba), Just(Order::LadderAndBack)]
    }

    proptest! {
        #[test]
        fn every_run_stands_between_two_baselines(order in bracketed(), levels in 1_usize..12, times in 1_usize..5) {
            let slots = runs(order, levels, times);
            prop_assert!(slots[0].is_baseline() && slots[slots.len() - 1].is_baseline());
            for level in 1..=levels {
                prop_assert!(slots.iter().filter(|slot| slot.level == level).count() >= times);
            }
        }

        /// In ABBA and up-and-back a steady drift cancels: each level's mean place is that of the baselines around it.
        #[test]
        fn a_steady_drift_cancels(levels in 1_usize..8, times in 1_usize..4) {
            let ladder = runs(Order::LadderAndBack, levels, times);
            let mean_place = |level| {
                let places: Vec<f64> = ladder.iter().enumerate().filter(|(_, slot)| slot.level == level).map(|(place, _)| place as f64).collect();
                places.iter().sum::<f64>() / places.len() as f64
            };
            for level in 0..=levels {
                prop_assert!((mean_place(level) - (ladder.len() - 1) as f64 / 2.0).abs() < 1e-9);
            }
        }

        /// Each arm stands on each rig equally often.
        #[test]
        fn a_crossover_is_even(levels in 1_usize..4, times in 1_usize..5) {
            let slots = runs(Order::Crossover, levels, times);
            for level in 0..=levels {
                let on = |rig| slots.iter().filter(|slot| slot.level == level && slot.rig == rig).count();
                prop_assert_eq!(on(1), on(2));
            }
        }
    }
}
