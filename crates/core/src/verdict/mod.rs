//! What the readings show about the label: each brought to STC, the test as a whole, the loss ladder and the finding.

pub mod arrangement;
pub mod combine;
pub mod compare;
pub mod condition;
pub mod ladder;
pub mod point;
pub mod predict;
pub mod rating;
pub mod reason;
pub mod used;
pub mod which_out;
