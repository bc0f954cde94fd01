//! Results beside each other: across tests, panels, products, days and years.
//!
//! | file | does |
//! |---|---|
//! | [`summary`] | what lists, leagues and reviews need of an assessment |
//! | [`headline`] | the answer of a test, as it is said first |
//! | [`next`] | what an open test would gain most from |
//! | [`visited`] | the states of an open test beside each other |
//! | [`sources`] | errors that two results share, by their source |
//! | [`together`] | several results of one subject as one |
//! | [`league`] | a ranking with ties, and what was left out |
//! | [`table`] | a review: products by pattern, as percent of their own baselines |
//! | [`grid`] | panels by controllers |
//! | [`claim`] | what somebody says of a product, held against the figures |
//! | [`history`] | a panel over the years |
//! | [`batch`] | the pieces of one kind |
//! | [`again`] | which panels to test again |

pub mod again;
pub mod batch;
pub mod claim;
pub mod grid;
pub mod headline;
pub mod history;
pub mod league;
pub mod next;
pub mod sources;
pub mod summary;
pub mod table;
pub mod together;
pub mod visited;
