//! Both sides of a controller, as words.

use crate::figures::percent;
use flindo_core::load::operate::TrackingFinding;
use flindo_core::verdict::controller::BothSides;

/// Whether it tracks.
pub fn operating(sides: &BothSides) -> String {
    let sold = if sides.is_sold_as_tracking == Some(true) { ", though sold as tracking" } else { "" };
    match sides.operating {
        TrackingFinding::Tracking { .. } => "tracking".to_owned(),
        TrackingFinding::NotTracking { .. } => {
            format!("not tracking{sold}: input held at the battery\u{2019}s voltage, current passed through")
        }
        TrackingFinding::Standby => "not running: no current".to_owned(),
        TrackingFinding::Clipped => "at its own current limit".to_owned(),
        TrackingFinding::Throttled { share } => format!("throttled: {} of the available power", percent(share * 100.0)),
        TrackingFinding::Impossible { .. } => "more out than in: a meter is wrong".to_owned(),
        TrackingFinding::Unclear { .. } => "can\u{2019}t tell: the meters do not separate tracking from not tracking".to_owned(),
    }
}
