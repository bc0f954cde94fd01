//! The three kernels by themselves, so often as is asked, for counting their instructions: `python3 reference/instructions.py`. A count is
//! the same on any machine with the same compiler and libraries, so that a loss shows where times would not tell.

mod label;

use flindo_core::energy::tilt_year::{Light, SunYear};
use flindo_core::error::Error;
use flindo_core::panel::construction::Construction;
use flindo_core::panel::five::fit;
use flindo_core::panel::layout::Panel;
use flindo_core::sky::air::pressure_pa;
use flindo_core::sky::place::Place;
use flindo_core::sky::plane::Plane;
use flindo_core::sky::series::SunSeries;
use flindo_core::sky::sun::AIR_C;
use label::LABEL;
use std::hint::black_box;

const PLACE: Place = Place { lat_deg: 38.6, lon_deg: -7.9, elevation_m: 300.0 };

/// Suns of the hours of 2026.
fn suns(times: u32) -> Result<(), Error> {
    let instants_s: Vec<f64> = (0..8760).map(|hour| 1_767_225_600.0 + (f64::from(hour) + 0.5) * 3600.0).collect();
    let mut sun = SunSeries::over(&PLACE, pressure_pa(PLACE.elevation_m), AIR_C)?;
    for _ in 0..times {
        black_box(sun.all(black_box(&instants_s))?);
    }
    Ok(())
}

/// A clear year of hours on 19 tilts, its suns at hand.
fn tilts(times: u32) -> Result<(), Error> {
    let suns = SunYear::of(&PLACE, 0.0, 2026)?;
    for _ in 0..times {
        let year = black_box(&suns).under(Light::Clear { linke_turbidity: 3.0 }, 0.2)?;
        for step in 0..19 {
            black_box(year.monthly_kwh_m2(&Plane { tilt_deg: f64::from(step) * 5.0, azimuth_deg: 180.0 }));
        }
    }
    Ok(())
}

/// A panel of 60 cells, a third of them shaded, with breakdown: its curve in 200 points.
fn shaded_curve(times: u32) -> Result<(), Error> {
    let shares: Vec<f64> = (0..60).map(|cell| if cell < 20 { 0.15 } else { 1.0 }).collect();
    let circuit = Panel::new(fit(&LABEL)?, Construction::Cells60).lit(1000.0, 25.0, &shares);
    for _ in 0..times {
        black_box(black_box(&circuit).solve()?.curve().even(200));
    }
    Ok(())
}

fn main() -> Result<(), Error> {
    // Cargo adds an argument of its own.
    let args: Vec<String> = std::env::args().skip(1).filter(|arg| !arg.starts_with('-')).collect();
    let times = args.get(1).and_then(|times| times.parse().ok()).unwrap_or(1);
    match args.first().map(String::as_str) {
        Some("suns") => suns(times),
        Some("tilts") => tilts(times),
        Some("shaded_curve") => shaded_curve(times),
        Some(_) | None => suns(times).and_then(|()| tilts(times)).and_then(|()| shaded_curve(times)),
    }
}
