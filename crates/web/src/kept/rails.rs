//! What surrounds every page: what it shows of the bench, until something is written; and drawings of today's sun, which change once a
//! minute.

use super::shelf::Shelf;
use flindo_core::sky::course::Site;
use flindo_core::sky::plane::Plane;
use flindo_store::{Bench, PlaceRow};
use std::sync::Arc;

/// Drawings that are kept: one for each plane that pages are about.
const MOST_DRAWN: u64 = 32;

/// Tests whose facts are kept.
const MOST_TESTS: u64 = 1000;

/// What a rail is drawn from, besides its plane.
#[derive(Debug, Clone, PartialEq)]
pub struct RailOf {
    pub site: Site,
    pub zone: String,
    /// Since 1970: the mark of now moves once a minute.
    pub minute: i64,
    /// How often readings were written.
    pub reading_writes: u64,
}

/// A rail, or why it cannot be drawn.
pub type Rail = Result<Arc<str>, Arc<str>>;

/// What the frame of a page shows of the bench.
#[derive(Debug)]
pub struct Facts {
    pub bench: Bench,
    /// The place of the page's test, and else the one in use.
    pub place: Option<PlaceRow>,
    /// That the page is about.
    pub plane: Option<Plane>,
}

/// A plane as a key: the bits of its tilt and of its azimuth.
type PlaneBits = (u64, u64);

fn bits(plane: &Plane) -> PlaneBits {
    (plane.tilt_deg.to_bits(), plane.azimuth_deg.to_bits())
}

/// Rails by plane, and facts by the test that a page is about.
#[derive(Clone)]
pub struct Rails {
    drawn: Shelf<PlaneBits, RailOf, Rail>,
    /// Made from how often anything was written.
    facts: Shelf<Option<i64>, u64, Arc<Facts>>,
}

impl Default for Rails {
    fn default() -> Self {
        Rails { drawn: Shelf::new(MOST_DRAWN, MOST_DRAWN as usize), facts: Shelf::new(MOST_TESTS, 100) }
    }
}

impl Rails {
    pub fn drawn(&self, plane: &Plane, of: &RailOf) -> Option<Rail> {
        self.drawn.get(&bits(plane), of)
    }

    pub fn keep_drawn(&self, plane: &Plane, of: RailOf, drawn: Rail) {
        self.drawn.put(bits(plane), of, drawn, 1);
    }

    /// The facts of a test's page, or of any other.
    pub fn facts(&self, writes: u64, test: Option<i64>) -> Option<Arc<Facts>> {
        self.facts.get(&test, &writes)
    }

    pub fn keep_facts(&self, writes: u64, test: Option<i64>, facts: Arc<Facts>) {
        self.facts.put(test, writes, facts, 1);
    }
}
