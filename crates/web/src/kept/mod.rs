//! What is kept between requests. Nothing of it is written anywhere.
//!
//! One rule for all of it: a value is kept with what it was made from, and given out to whoever asks with the same; otherwise it is made
//! anew. What a value was made from is a value of its own (the state of a test, a log with what it belongs to, how often the bench was
//! written), never a text of it.
//!
//! | shelf | of | made from |
//! |---|---|---|
//! | [`assessments`] | tests with their assessment | the state of the test and of all that it refers to |
//! | [`digests`] | tests, summed up | the same |
//! | [`leagues`] | panels and kinds, ranked | the states of all tests, and the panels |
//! | [`days`] | days of logs, and drawings of them | the log's samples, what it belongs to, and what is known of that |
//! | [`rails`] | frames of pages, and drawings of today's sun | how often the bench was written; place, plane, minute and readings |
//! | [`shadows`] | days under a passing shadow | how often the bench was written, and the form |

pub mod assessments;
pub mod days;
pub mod digests;
pub mod leagues;
pub mod rails;
pub mod shadows;
mod shelf;

use crate::memory;
use assessments::Assessments;
use days::Days;
use digests::Digests;
use leagues::Leagues;
use rails::Rails;
use shadows::Shadows;
use std::time::{Duration, Instant};

/// What nobody has asked for in this time may be given up, though there is room.
const IDLE: Duration = Duration::from_secs(8);

/// How often it is looked for that.
const LOOK_EVERY: Duration = Duration::from_secs(1);

/// At every so many looks memory is given back also where nothing was given up: of exports, copies and packages.
const GIVE_BACK_AT: u64 = 20;

/// Everything that is kept.
#[derive(Clone)]
pub struct Kept {
    pub assessments: Assessments,
    pub digests: Digests,
    pub days: Days,
    pub leagues: Leagues,
    pub rails: Rails,
    pub shadows: Shadows,
}

impl Default for Kept {
    fn default() -> Self {
        let assessments = Assessments::default();
        Kept {
            digests: Digests::beside(assessments.clone()),
            assessments,
            days: Days::default(),
            leagues: Leagues::default(),
            rails: Rails::default(),
            shadows: Shadows::default(),
        }
    }
}

impl std::fmt::Debug for Kept {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("Kept")
    }
}

impl Kept {
    /// Gives up what is large and nobody asks for, for as long as the server runs, and gives the memory back.
    pub async fn tidy(self) {
        let mut ticks = tokio::time::interval(LOOK_EVERY);
        for look in 1_u64.. {
            ticks.tick().await;
            let Some(before) = Instant::now().checked_sub(IDLE) else { continue };
            let given_up = self.assessments.give_up_idle(before) + self.days.give_up_idle(before);
            let is_due = given_up > 0 || look.is_multiple_of(GIVE_BACK_AT);
            if is_due && tokio::task::spawn_blocking(memory::give_back).await.is_err() {
                tracing::error!("memory could not be given back");
            }
        }
    }
}
