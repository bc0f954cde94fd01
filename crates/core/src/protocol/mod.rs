//! What a test asks, the set-up and the runs it is asked with, and what the sun did meanwhile.

pub mod condition;
pub mod drift;
pub mod order;
pub mod plan;
pub mod question;
pub mod setup;
pub mod slip;
