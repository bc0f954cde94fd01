//! A shelf: values by key, each with what it was made from. The one place that knows how anything is kept.

use quick_cache::sync::{Cache, DefaultLifecycle};
use quick_cache::{DefaultHashBuilder, OptionsBuilder, Weighter};
use std::hash::Hash;
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Instant;

/// A value with what it was made from, how much room it takes, and when it was last asked for.
struct Made<Of, V> {
    of: Of,
    value: V,
    weight: u64,
    asked: Mutex<Instant>,
}

#[derive(Clone)]
struct ByWeight;

impl<K, Of, V> Weighter<K, Arc<Made<Of, V>>> for ByWeight {
    fn weight(&self, _key: &K, made: &Arc<Made<Of, V>>) -> u64 {
        made.weight
    }
}

type Kept<K, Of, V> = Cache<K, Arc<Made<Of, V>>, ByWeight>;

/// Values of type `V` by `K`, made from `Of`.
pub struct Shelf<K, Of, V> {
    cache: Arc<Kept<K, Of, V>>,
    most: u64,
}

impl<K, Of, V> Clone for Shelf<K, Of, V> {
    fn clone(&self) -> Self {
        Shelf { cache: Arc::clone(&self.cache), most: self.most }
    }
}

impl<K: Eq + Hash + Clone, Of: PartialEq, V: Clone> Shelf<K, Of, V> {
    /// Room for weights of `most` together; beyond it those that are asked for least are given up. `about`: values that are likely to be
    /// there.
    pub fn new(most: u64, about: usize) -> Self {
        // One part: a value may take much of the room, which is not to be cut into pieces that cannot hold it.
        let options = OptionsBuilder::new().shards(1).estimated_items_capacity(about).weight_capacity(most).build();
        let cache = match options {
            Ok(options) => Cache::with_options(options, ByWeight, DefaultHashBuilder::default(), DefaultLifecycle::default()),
            // Both numbers are there: nothing is left to be missing.
            Err(_) => Cache::with_weighter(about, most, ByWeight),
        };
        Shelf { cache: Arc::new(cache), most }
    }

    /// The value of a key, where it was made from the same.
    pub fn get(&self, key: &K, of: &Of) -> Option<V> {
        let made = self.cache.get(key).filter(|made| made.of == *of)?;
        *made.asked.lock().unwrap_or_else(PoisonError::into_inner) = Instant::now();
        Some(made.value.clone())
    }

    /// The value of a key, whatever it was made from: to make the next one from.
    pub fn last(&self, key: &K) -> Option<V> {
        self.cache.get(key).map(|made| made.value.clone())
    }

    /// Keeps a value in the place of what the key had. One that would take more than half of the room counts as half of it, so that it is
    /// kept beside others.
    pub fn put(&self, key: K, of: Of, value: V, weight: u64) {
        let weight = weight.clamp(1, (self.most / 2).max(1));
        self.cache.insert(key, Arc::new(Made { of, value, weight, asked: Mutex::new(Instant::now()) }));
    }

    pub fn remove(&self, key: &K) {
        self.cache.remove(key);
    }

    /// Gives up values that were last asked for before a time, but for weights of `stays` together; answers how many it gave up.
    pub fn give_up_idle(&self, before: Instant, stays: u64) -> u64 {
        let (idle_so_far, given_up) = (AtomicU64::new(0), AtomicU64::new(0));
        self.cache.retain(|_, made| {
            let is_idle = *made.asked.lock().unwrap_or_else(PoisonError::into_inner) < before;
            let stays = !is_idle || idle_so_far.fetch_add(made.weight, Ordering::Relaxed) + made.weight <= stays;
            given_up.fetch_add(u64::from(!stays), Ordering::Relaxed);
            stays
        });
        given_up.into_inner()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::time::Duration;

    #[test]
    fn a_value_is_given_out_only_to_who_asks_with_what_it_was_made_from() {
        let shelf: Shelf<i64, (u64, &str), &str> = Shelf::new(10, 10);
        assert_eq!(shelf.get(&1, &(1, "a")), None);
        shelf.put(1, (1, "a"), "first", 1);
        assert_eq!(shelf.get(&1, &(1, "a")), Some("first"));
        assert_eq!((shelf.get(&1, &(2, "a")), shelf.get(&1, &(1, "b")), shelf.get(&2, &(1, "a"))), (None, None, None));
        assert_eq!((shelf.last(&1), shelf.last(&2)), (Some("first"), None));
        shelf.put(1, (2, "a"), "second", 1);
        assert_eq!((shelf.get(&1, &(2, "a")), shelf.get(&1, &(1, "a"))), (Some("second"), None));
        shelf.remove(&1);
        assert_eq!(shelf.get(&1, &(2, "a")), None);
    }

    #[test]
    fn no_more_is_kept_than_there_is_room_for_and_the_last_one_always_is() {
        let shelf: Shelf<u64, (), u64> = Shelf::new(100, 20);
        for nth in 0..50 {
            shelf.put(nth, (), nth, 10);
            assert_eq!(shelf.get(&nth, &()), Some(nth));
        }
        assert!((0..50).filter(|nth| shelf.get(nth, &()).is_some()).count() <= 10);
        shelf.put(99, (), 99, 1000);
        assert_eq!(shelf.get(&99, &()), Some(99), "one that is too large is kept all the same");
    }

    #[test]
    fn what_is_idle_is_given_up_but_for_a_little() {
        let shelf: Shelf<u64, (), u64> = Shelf::new(100, 20);
        (0..6).for_each(|nth| shelf.put(nth, (), nth, 10));
        let later = Instant::now() + Duration::from_secs(1);
        assert_eq!(shelf.give_up_idle(Instant::now().checked_sub(Duration::from_secs(1)).unwrap(), 0), 0);
        assert_eq!((0..6).filter(|nth| shelf.get(nth, &()).is_some()).count(), 6, "all were asked for just now");
        assert_eq!(shelf.give_up_idle(later, 25), 4);
        assert_eq!((0..6).filter(|nth| shelf.get(nth, &()).is_some()).count(), 2);
    }
}
