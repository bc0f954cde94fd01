//! How long the verdict on a test takes by the number of its readings. Quote ratios from one run.

use divan::{Bencher, black_box};
use flindo_core::measure::entry::understand;
use flindo_core::measure::quantity::Figures;
use flindo_core::panel::nameplate::Nameplate;
use flindo_core::record::setup::{CellTemperatureSource, IrradianceSource, Setup};
use flindo_core::verdict::condition::Taken;
use flindo_core::verdict::rating::judge;

fn main() {
    divan::main();
}

/// Readings of a panel of 200 W, a minute apart.
#[divan::bench(args = [30, 300, 3000])]
fn rating_of_readings(bencher: Bencher, count: usize) {
    let setup = Setup {
        irradiance_source: IrradianceSource::PlaneMeter,
        cell_temperature: CellTemperatureSource::Infrared,
        ..Setup::default()
    };
    let nameplate = Nameplate { rated_w: Some(200.0), ..Nameplate::default() };
    let line = |nth: usize| {
        let entry = understand(&format!("{} W {} W/m2 {} C", 160 + nth % 7, 940 + nth % 20, 48 + nth % 3), &setup.meaning());
        entry.unwrap_or_else(|error| panic!("the bench's line: {error:?}")).figures()
    };
    let figures: Vec<Figures> = (0..count).map(line).collect();
    let taken =
        |(nth, figures)| Taken { figures, unix_s: 1_782_040_000.0 + f64::from(nth) * 60.0, day_of_year: 172.0, sky: None };
    bencher.bench(|| judge(&nameplate, &setup, None, (0..).zip(black_box(&figures)).map(taken)));
}
