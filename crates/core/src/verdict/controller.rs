//! Both sides of a controller, read at once: its efficiency, and whether it tracks.

use super::finding::Finding;
use super::subject::{Subject, Taking};
use crate::load::operate::{TrackingFinding, in_and_out};
use crate::measure::quantity::{Figures, Quantity};
use crate::panel::curve::At;

/// Means of what was read on both sides.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct BothSides {
    pub input: At,
    pub output: At,
    /// Output over input watts.
    pub efficiency: f64,
    pub operating: TrackingFinding,
    /// Its own sheet calls it a tracking one.
    pub is_sold_as_tracking: Option<bool>,
}

/// The sides of a level's controller; `None` where no reading has volts and amps on both.
pub fn both_sides<'a>(figures: impl Iterator<Item = &'a Figures>, subject: &Subject<'_>) -> Option<BothSides> {
    let unsteady = subject.setup.unsteady;
    let read: Vec<[f64; 4]> = figures
        .filter_map(|figures| {
            let value = |quantity| figures.get(quantity).map(|seen| seen.value(unsteady));
            Some([
                value(Quantity::Voltage)?,
                value(Quantity::Current)?,
                value(Quantity::OutputVoltage)?,
                value(Quantity::OutputCurrent)?,
            ])
        })
        .collect();
    let n = read.len() as f64;
    if read.is_empty() {
        return None;
    }
    let mean = |nth: usize| read.iter().map(|row| row[nth]).sum::<f64>() / n;
    let (input, output) = (At { v: mean(0), i: mean(1) }, At { v: mean(2), i: mean(3) });
    let controller = match &subject.taking {
        Taking::Controller { controller, .. } => Some(controller),
        Taking::Unlimited | Taking::Station { .. } => None,
    };
    Some(BothSides {
        input,
        output,
        efficiency: if input.w() > 0.0 { output.w() / input.w() } else { 0.0 },
        operating: in_and_out(input, output, controller, None),
        is_sold_as_tracking: controller.map(|controller| controller.tracking),
    })
}

impl BothSides {
    /// What the two sides name; `None` for a controller that tracks, or where they do not tell.
    pub fn finding(&self) -> Option<Finding> {
        match self.operating {
            TrackingFinding::NotTracking { efficiency } => {
                Some(Finding::NotTracking { input_v: self.input.v, battery_v: self.output.v, efficiency: Some(efficiency) })
            }
            TrackingFinding::Impossible { efficiency } => Some(Finding::OverUnity { efficiency }),
            TrackingFinding::Standby => Some(Finding::ControllerAsleep { hot_vmp_v: None, start_v: None }),
            TrackingFinding::Throttled { share } => {
                Some(Finding::Throttled { state_of_charge_percent: None, share: Some(share) })
            }
            TrackingFinding::Clipped | TrackingFinding::Tracking { .. } | TrackingFinding::Unclear { .. } => None,
        }
    }
}
