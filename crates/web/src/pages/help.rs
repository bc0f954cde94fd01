//! Keys, what may be typed, and safety.

use crate::frame::Frame;
use crate::words::{DEFER, quantity_help};
use askama::Template;
use askama_web::WebTemplate;

#[derive(Template, WebTemplate)]
#[template(path = "help.html")]
pub struct Help {
    frame: Frame,
    quantities: Vec<(&'static str, &'static str)>,
    defer: &'static str,
}

pub async fn page(frame: Frame) -> Help {
    Help { frame, quantities: quantity_help(), defer: DEFER }
}
