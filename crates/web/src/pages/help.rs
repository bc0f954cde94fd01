//! Keys, the entry line, safety, and the glossary.

use crate::frame::Frame;
use crate::words::glossary::{Section, sections};
use crate::words::{DEFER, quantity_help};
use askama::Template;
use askama_web::WebTemplate;

#[derive(Template, WebTemplate)]
#[template(path = "help.html")]
pub struct Help {
    frame: Frame,
    quantities: Vec<(&'static str, &'static str)>,
    defer: &'static str,
    glossary: Vec<Section>,
}

pub async fn page(frame: Frame) -> Help {
    Help { frame, quantities: quantity_help(), defer: DEFER, glossary: sections() }
}
