//! Questions and predictions before anything is measured.

pub mod aim;
pub mod array_form;
pub mod calculations;
pub mod controllers;
pub mod keep_up;
pub mod keeping;
pub mod plan_form;
pub mod shade;
pub mod shadow;
pub mod sheet;
pub mod strings;
pub mod test_form;
pub mod tilt;
pub mod unlike;
pub mod used;
pub mod ways;
