//! How long a day takes under a passing shadow. Quote ratios from one run.

mod label;

use divan::{Bencher, black_box};
use flindo_core::array::moving_shadow::{Face, Obstacle, moments};
use flindo_core::error::Error;
use flindo_core::load::day::{Day, day};
use flindo_core::load::series_parallel::Converter;
use flindo_core::panel::construction::Construction;
use flindo_core::panel::face::Mounting;
use flindo_core::panel::five::fit;
use flindo_core::panel::layout::Panel;
use flindo_core::sky::course::Site;
use flindo_core::sky::place::Place;
use flindo_core::sky::plane::Plane;
use label::LABEL;

/// 2026-06-21, midnight UTC.
const START_S: f64 = 1_781_999_999.0 + 1.0;

fn main() {
    divan::main();
}

/// Every minute of a midsummer day: a pole stands before panels side by side, in series and in parallel.
fn day_of(construction: Construction, panels: usize, step_s: f64) -> Result<Day, Error> {
    let panel = Panel::new(fit(&LABEL)?, construction);
    let face = Face {
        plane: Plane { tilt_deg: 35.0, azimuth_deg: 180.0 },
        width_m: 1.0,
        height_m: 1.6,
        lower_edge_m: 0.5,
        mounting: Mounting::Portrait,
    };
    let pole = Obstacle::check(0.5, -1.2, 4.0, 0.3)?;
    let place = Place { lat_deg: 38.6, lon_deg: -7.9, elevation_m: 300.0 };
    let site = Site { place, albedo: 0.2, linke_turbidity: 3.0, ..Site::default() };
    let moments = moments(&vec![panel; panels], &face, &pole, &site, START_S, START_S + 86_400.0, step_s, 172.0, 20.0)?;
    day(&moments, step_s, 0.05, &Converter::Ideal)
}

#[divan::bench(sample_count = 5, args = Construction::ALL)]
fn passing_shadow_of_a_day(bencher: Bencher, construction: &Construction) {
    bencher.bench(|| day_of(black_box(*construction), 6, 60.0));
}

#[divan::bench(sample_count = 5, args = [2, 20])]
fn passing_shadow_by_panels(bencher: Bencher, panels: usize) {
    bencher.bench(|| day_of(Construction::Cells60, black_box(panels), 600.0));
}
