//! How the panel stands: from the side its tilt, from above its direction.

use askama::Template;

#[derive(Template)]
#[template(path = "draw/aim.svg")]
struct Drawing {
    tilt: String,
    azimuth: String,
    top_x: f64,
    top_y: f64,
    arc_x: f64,
    arc_y: f64,
    has_tilt: bool,
    point_x: f64,
    point_y: f64,
    side: [(f64, f64); 2],
}

pub fn draw(tilt_deg: f64, azimuth_deg: f64) -> String {
    const FOOT_X: f64 = 18.0;
    const FOOT_Y: f64 = 84.0;
    const LENGTH: f64 = 74.0;
    const ARC: f64 = 34.0;
    let (sin, cos) = tilt_deg.to_radians().sin_cos();
    // From above: north is up, azimuth runs clockwise.
    let (centre_x, centre_y, radius) = (158.0, 50.0, 30.0);
    let (az_sin, az_cos) = azimuth_deg.to_radians().sin_cos();
    let edge = |along: f64| (centre_x + along * az_cos * 16.0, centre_y + along * az_sin * 16.0);
    let drawing = Drawing {
        tilt: format!("{tilt_deg}\u{b0}"),
        azimuth: format!("{azimuth_deg}\u{b0}"),
        top_x: FOOT_X + LENGTH * cos,
        top_y: FOOT_Y - LENGTH * sin,
        arc_x: FOOT_X + ARC * cos,
        arc_y: FOOT_Y - ARC * sin,
        has_tilt: tilt_deg > 0.0,
        point_x: centre_x + radius * az_sin,
        point_y: centre_y - radius * az_cos,
        side: [edge(-1.0), edge(1.0)],
    };
    drawing.render().unwrap_or_default()
}
