//! Ranks with ties, the same for the levels of a test, a league and a review.

/// Ranks of values with their expanded uncertainties, in the order given; 1 is the highest value. A value shares the rank of the first of
/// the rank above it where their intervals overlap, so that a chain of overlaps does not tie its two ends.
pub fn ranks(values: &[(f64, f64)]) -> Vec<usize> {
    let mut order: Vec<usize> = (0..values.len()).collect();
    order.sort_by(|a, b| values[*b].0.total_cmp(&values[*a].0));
    let mut ranks = vec![0; values.len()];
    let mut first: Option<(f64, f64)> = None;
    let mut rank = 1;
    for (index, at) in order.into_iter().enumerate() {
        let (value, u) = values[at];
        if first.is_none_or(|(first_value, first_u)| first_value - first_u > value + u) {
            (rank, first) = (index + 1, Some((value, u)));
        }
        ranks[at] = rank;
    }
    ranks
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// Worked by hand: 100 +- 4 reaches down to 96, 93 +- 4 up to 97: one rank. 88 +- 4 reaches up to 92, below 96: the third.
    #[test]
    fn intervals_that_overlap_the_first_of_a_rank_share_it() {
        assert_eq!(ranks(&[(88.0, 4.0), (100.0, 4.0), (93.0, 4.0), (84.1, 0.2)]), [3, 1, 1, 3]);
        assert_eq!(ranks(&[(83.9, 0.0), (88.0, 4.0)]), [2, 1]);
        assert_eq!(ranks(&[]), Vec::<usize>::new());
    }

    proptest! {
        #[test]
        fn a_higher_value_never_ranks_behind_a_lower_one(values in prop::collection::vec((0.0..200.0_f64, 0.0..20.0_f64), 1..30)) {
            let ranks = ranks(&values);
            prop_assert!(ranks.contains(&1));
            for (a, rank_a) in values.iter().zip(&ranks) {
                for (b, rank_b) in values.iter().zip(&ranks) {
                    prop_assert!(a.0 < b.0 || rank_a <= rank_b);
                }
            }
        }
    }
}
