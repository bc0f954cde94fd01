//! A test: a panel, a question, a set-up.

use flindo_core::record::meters::MeterUse;
use flindo_core::record::plan::Plan;
use flindo_core::record::question::Question;
use flindo_core::record::setup::Setup;
use jiff::Timestamp;

/// A test to be written.
#[derive(Debug, Clone, PartialEq)]
pub struct TestDraft {
    pub panel_id: i64,
    /// Where it is made; `None` on a bench without a place.
    pub place_id: Option<i64>,
    pub question: Question,
    /// Measured first and asked afterwards: the question is the one that its readings answer.
    pub is_open: bool,
    /// What it is measured with; a test with a rig passes a preflight first.
    pub rig_id: Option<i64>,
    /// `None` for a test without runs.
    pub plan: Option<Plan>,
    pub setup: Setup,
    /// The meters of the bench that it is read with.
    pub meters: Vec<MeterUse>,
}

impl TestDraft {
    /// "Does it make its rating?" of one panel, without a rig.
    pub fn of_rating(panel_id: i64, place_id: Option<i64>, setup: Setup) -> Self {
        TestDraft {
            panel_id,
            place_id,
            question: Question::MakesRating,
            is_open: false,
            rig_id: None,
            plan: None,
            setup,
            meters: Vec::new(),
        }
    }
}

/// A test of this bench.
#[derive(Debug, Clone, PartialEq)]
pub struct Test {
    pub id: i64,
    pub uid: String,
    pub panel_id: i64,
    pub place_id: Option<i64>,
    pub question: Question,
    pub is_open: bool,
    pub rig_id: Option<i64>,
    pub plan: Option<Plan>,
    pub created_utc: Timestamp,
    pub setup: Setup,
    /// The meters of the bench that it is read with.
    pub meters: Vec<MeterUse>,
}

/// A test in a list.
#[derive(Debug, Clone, PartialEq)]
pub enum Listed {
    Read(Box<Test>),
    /// What the file holds of it is no test; the sentence says what.
    Unreadable {
        id: i64,
        why: String,
    },
}

impl Listed {
    pub fn id(&self) -> i64 {
        match self {
            Listed::Read(test) => test.id,
            Listed::Unreadable { id, .. } => *id,
        }
    }

    pub fn test(self) -> Option<Test> {
        match self {
            Listed::Read(test) => Some(*test),
            Listed::Unreadable { .. } => None,
        }
    }
}
