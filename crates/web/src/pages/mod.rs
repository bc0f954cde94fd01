//! One file a page, in the five rooms of the navigation. Every handler has the same five beats: extract, load, ask the core, save, view.

pub mod bench;
pub mod help;
pub mod measure;
pub mod plan;
pub mod results;
pub mod theme;
pub mod today;
