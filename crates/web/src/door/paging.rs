//! Long lists, a part at a time: the newest first.

use crate::door::typed::{Pairs, value};
use std::ops::Range;

/// Readings on one page of a list; a person reads no more of them at once.
pub const READINGS_ON_A_PAGE: usize = 200;

/// Tests on one page of their list.
pub const TESTS_ON_A_PAGE: usize = 50;

/// Logs on one page of their list.
pub const LOGS_ON_A_PAGE: usize = 50;

/// Intervals in one drawing; more are no drawing.
pub const INTERVALS_DRAWN: usize = 60;

/// Which part of a list is shown; 1 holds the newest.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Paging {
    page: usize,
    total: usize,
    size: usize,
}

impl Paging {
    /// The part of the readings that `?readings=2` asks for; a number beyond the list is its last part.
    pub fn of(query: &Pairs, total: usize) -> Self {
        Self::sized(value(query, "readings"), total, READINGS_ON_A_PAGE)
    }

    /// The part of the tests that `?tests=2` asks for.
    pub fn of_tests(query: &Pairs, total: usize) -> Self {
        Self::sized(value(query, "tests"), total, TESTS_ON_A_PAGE)
    }

    /// The part of the logs that `?logs=2` asks for.
    pub fn of_logs(query: &Pairs, total: usize) -> Self {
        Self::sized(value(query, "logs"), total, LOGS_ON_A_PAGE)
    }

    /// How many newer ones there are than those shown.
    pub fn newer_ones(self) -> usize {
        (self.page - 1) * self.size
    }

    fn sized(asked: &str, total: usize, size: usize) -> Self {
        Paging { page: usize::clamp(asked.parse().unwrap_or(1), 1, total.div_ceil(size).max(1)), total, size }
    }

    pub fn newest(total: usize) -> Self {
        Paging { page: 1, total, size: READINGS_ON_A_PAGE }
    }

    /// Places in the list, whose oldest is at 0.
    pub fn places(self) -> Range<usize> {
        let end = self.total.saturating_sub((self.page - 1) * self.size);
        end.saturating_sub(self.size)..end
    }

    /// "1801 to 2000 of 2000"; nothing where all are shown.
    pub fn words(self) -> Option<String> {
        let places = self.places();
        (self.total > self.size).then(|| format!("{} to {} of {}", places.start + 1, places.end, self.total))
    }

    pub fn older(self) -> Option<usize> {
        (self.places().start > 0).then_some(self.page + 1)
    }

    pub fn newer(self) -> Option<usize> {
        (self.page > 1).then(|| self.page - 1)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn part(asked: &str, total: usize) -> Paging {
        Paging::of(&vec![("readings".to_owned(), asked.to_owned())], total)
    }

    #[test]
    fn every_reading_is_on_one_page_and_the_newest_on_the_first() {
        assert_eq!(part("1", 450).places(), 250..450);
        assert_eq!(part("2", 450).places(), 50..250);
        assert_eq!(part("3", 450).places(), 0..50);
        assert_eq!(part("9", 450), part("3", 450));
        assert_eq!((part("2", 450).older(), part("2", 450).newer()), (Some(3), Some(1)));
        assert_eq!((part("3", 450).older(), part("1", 450).newer()), (None, None));
        assert_eq!(part("0", 450).places(), 250..450);
        assert_eq!((part("", 200).words(), part("", 0).places()), (None, 0..0));
        assert_eq!(part("", 201).words().as_deref(), Some("2 to 201 of 201"));
    }
}
