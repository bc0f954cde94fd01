//! Every test of the application from outside, as one program: it is linked once and its tests share both cores.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

mod capture;
mod cases;
mod compute;
mod direction;
mod door;
mod doors;
mod edges;
mod examples;
mod found;
mod gear;
mod ground;
mod guided;
mod jobs;
mod lists;
mod logger;
mod logs;
mod meeting;
mod meters;
mod notebook;
mod open;
mod package;
mod pages;
mod power;
mod predicted;
mod program;
mod recompute;
mod recording;
mod report;
mod server;
mod shade;
mod sharing;
mod soak;
mod sun;
mod verdicts;
mod words;
