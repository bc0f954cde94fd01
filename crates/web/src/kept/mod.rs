//! What is kept between requests for as long as nothing of it changes. Nothing of it is written anywhere.

pub mod days;
pub mod digests;
pub mod judged;
pub mod rails;
pub mod shadows;
