//! How long the sky takes. Quote ratios from one run; `reference/speed.py` prints them against a reference library.

use divan::{Bencher, black_box};
use flindo_core::energy::tilt_year::{Light, Year, monthly_kwh_m2_by_steps};
use flindo_core::sky::air::{airmass_relative, dni_extra_w_m2, pressure_pa};
use flindo_core::sky::clear_sky::Irradiance;
use flindo_core::sky::daylight::day_start_s;
use flindo_core::sky::place::Place;
use flindo_core::sky::plane::{Plane, SkyModel, SkyNow};
use flindo_core::sky::series::SunSeries;
use flindo_core::sky::sun::{AIR_C, DELTA_T_S, Direction, Instant};
use std::sync::atomic::{AtomicI16, Ordering};

const PLACE: Place = Place { lat_deg: 38.6, lon_deg: -7.9, elevation_m: 300.0 };

const CLEAR: Light<'static> = Light::Clear { linke_turbidity: 3.0 };

fn main() {
    divan::main();
}

/// Middles of the hours of a year, or of any steps of it.
fn instants_s(year: i16, step_s: f64) -> impl Iterator<Item = f64> {
    let days_in_year = jiff::civil::Date::constant(year, 1, 1);
    let start_s = day_start_s(days_in_year, 0.0);
    (0..(days_in_year.days_in_year() as f64 * 86_400.0 / step_s) as u32)
        .map(move |step| start_s + (f64::from(step) + 0.5) * step_s)
}

/// The whole algorithm, once.
#[divan::bench]
fn sun_position_alone(bencher: Bencher) {
    let pressure_pa = pressure_pa(PLACE.elevation_m);
    bencher
        .bench(|| Instant::at(black_box(1.782e9), DELTA_T_S).and_then(|instant| instant.seen_from(&PLACE, pressure_pa, AIR_C)));
}

/// Suns of a year, its nodes at hand.
fn suns(step_s: f64) -> f64 {
    let Ok(mut sun) = SunSeries::over(black_box(&PLACE), pressure_pa(PLACE.elevation_m), AIR_C) else { return 0.0 };
    let instants_s: Vec<f64> = instants_s(2026, step_s).collect();
    sun.all(&instants_s).map_or(0.0, |seen| seen.len() as f64)
}

#[divan::bench(sample_count = 30, args = [3600.0, 360.0])]
fn suns_of_a_year(bencher: Bencher, step_s: f64) {
    bencher.bench(|| suns(step_s));
}

/// A thousand rows whose sun, air and light are known, onto a plane by Perez: beam, sky and ground.
#[divan::bench]
fn rows_onto_a_plane(bencher: Bencher) {
    let plane = Plane { tilt_deg: 35.0, azimuth_deg: 180.0 }.ready();
    let light = Irradiance { ghi_w_m2: 700.0, dni_w_m2: 800.0, dhi_w_m2: 120.0 };
    let row = |row: u32| {
        let (zenith_deg, azimuth_deg) = (f64::from(row) * 0.08, 100.0 + f64::from(row) * 0.16);
        (light, (Direction::of(zenith_deg, azimuth_deg), zenith_deg), airmass_relative(zenith_deg))
    };
    let rows: Vec<_> = (0..1000).map(row).collect();
    let extra_w_m2 = dni_extra_w_m2(172.0);
    let mut parts = Vec::with_capacity(rows.len());
    bencher.bench_local(|| {
        parts.clear();
        let onto = |&(light, at, airmass): &(Irradiance, (Direction, f64), f64)| {
            SkyNow::prepared(light, at, extra_w_m2, airmass, 0.2, SkyModel::Perez).onto(&plane)
        };
        parts.extend(black_box(&rows).iter().map(onto));
        black_box(&parts).len()
    });
}

fn planes() -> Vec<Plane> {
    (0..19).map(|step| Plane { tilt_deg: f64::from(step) * 5.0, azimuth_deg: 180.0 }).collect()
}

fn year_by_19_tilts(year: i16) -> f64 {
    Year::of(black_box(&PLACE), 0.0, year, CLEAR, 0.2)
        .map_or(0.0, |year| planes().iter().map(|plane| year.monthly_kwh_m2(plane).iter().sum::<f64>()).sum())
}

#[divan::bench(sample_count = 50)]
fn year_of_hours_by_19_tilts(bencher: Bencher) {
    bencher.bench(|| year_by_19_tilts(2026));
}

/// Each year one that was not asked for before.
#[divan::bench(sample_count = 50)]
fn year_of_hours_by_19_tilts_without_nodes(bencher: Bencher) {
    let next = AtomicI16::new(1200);
    bencher.bench(|| year_by_19_tilts(next.fetch_add(2, Ordering::Relaxed)));
}

#[divan::bench(sample_count = 10, args = [6, 60])]
fn year_of_steps_by_19_tilts(bencher: Bencher, steps_per_hour: u32) {
    bencher.bench(|| monthly_kwh_m2_by_steps(black_box(&PLACE), (0.0, 2026), CLEAR, 0.2, steps_per_hour, &planes()));
}
