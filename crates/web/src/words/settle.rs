//! What would settle a test, as sentences.

use crate::figures::{computed, percent};
use flindo_core::verdict::assessment::{Act, Settle};

pub fn settle(settle: &Settle) -> String {
    let act = match settle.act {
        Act::Repeat { times } => format!("{times} times the runs in all"),
        Act::FinerDisplay => "a display or range with one more digit".to_owned(),
        Act::SameMeter => {
            "one meter for all levels, the meters exchanged, or each read on one source, as in \u{201c}check 104.2 W\u{201d}"
                .to_owned()
        }
        Act::ReferenceInPlane => "a reference panel or cell in the plane as the source of irradiance".to_owned(),
        Act::BetterMeter => "a meter, or a load tester, of a third of the error".to_owned(),
        Act::CoolerCells { cell_c } => format!("cells at {} or less, as on a cool morning", computed(cell_c, "\u{b0}C")),
        Act::NoteClearSky => "the sky noted as clear, if it was".to_owned(),
        Act::BackProbe => "a probe on the back of the panel, behind a cell".to_owned(),
        Act::SteadySky => "a steady sky".to_owned(),
        Act::WaitForSun { poa_w_m2 } => format!("irradiance over {}", computed(poa_w_m2, "W/m\u{b2}")),
        Act::ExchangePanels => "exchange the panels now, and read both again".to_owned(),
        Act::ReadSun => "the irradiance in the plane with every reading".to_owned(),
        Act::ReadCellTemperature => "the cell temperature with every reading".to_owned(),
        Act::ReadUnderLoad => "volts and amps at once, under load".to_owned(),
        Act::ReadAtMaximum => {
            "a reading at the maximum: the load adjusted for most watts, or a battery that takes all of it".to_owned()
        }
        Act::ReadVoc => "the open-circuit voltage of the panel, read beside it".to_owned(),
        Act::RemoveLimit => "a load without that limit, such as a load tester".to_owned(),
        Act::DrainBattery => "a battery with room to charge".to_owned(),
        Act::ReadRear => "the rear irradiance, or the rear covered".to_owned(),
        Act::GiveLabel => "the label of the panel: its rated watts".to_owned(),
        Act::ReadBaseline => "a reading of the baseline".to_owned(),
        Act::ReadLevel => "a reading of a level".to_owned(),
        Act::OneChangeARun => "one change a run".to_owned(),
    };
    match settle.u_percent {
        Some(u_percent) => format!("{act}: \u{b1} {}", percent(u_percent)),
        None => act,
    }
}
