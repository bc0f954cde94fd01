//! How long the sky takes. Quote ratios from one run; `reference/speed.py` prints them against a reference library.

use divan::{Bencher, black_box};
use flindo_core::energy::tilt_year::{Light, Year};
use flindo_core::sky::air::pressure_pa;
use flindo_core::sky::clear_sky::Irradiance;
use flindo_core::sky::place::Place;
use flindo_core::sky::plane::{Plane, SkyModel, SkyNow};
use flindo_core::sky::sun::{AIR_C, DELTA_T_S, Instant};

const PLACE: Place = Place { lat_deg: 38.6, lon_deg: -7.9, elevation_m: 300.0 };

fn main() {
    divan::main();
}

#[divan::bench]
fn sun_position(bencher: Bencher) {
    let pressure_pa = pressure_pa(PLACE.elevation_m);
    bencher
        .bench(|| Instant::at(black_box(1.782e9), DELTA_T_S).and_then(|instant| instant.seen_from(&PLACE, pressure_pa, AIR_C)));
}

#[divan::bench]
fn one_row_onto_a_plane(bencher: Bencher) {
    let plane = Plane { tilt_deg: 35.0, azimuth_deg: 180.0 }.ready();
    let light = Irradiance { ghi_w_m2: 700.0, dni_w_m2: 800.0, dhi_w_m2: 120.0 };
    bencher.bench(|| SkyNow::new(black_box(light), 43.0, 160.0, 172.0, 0.2, SkyModel::Perez).map(|sky| sky.onto(&plane)));
}

#[divan::bench(sample_count = 20)]
fn year_of_hours_by_19_tilts(bencher: Bencher) {
    bencher.bench(|| {
        Year::of(black_box(&PLACE), 0.0, 2026, Light::Clear { linke_turbidity: 3.0 }, 0.2).map(|year| {
            let tilts = (0..19).map(|step| Plane { tilt_deg: f64::from(step) * 5.0, azimuth_deg: 180.0 });
            tilts.map(|plane| year.monthly_kwh_m2(&plane)).collect::<Vec<_>>()
        })
    });
}
