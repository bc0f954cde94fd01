//! The models of the sky held against a general-purpose PV reference library: vectors made by `reference/make_vectors.py`, with
//! versions, checksums and tolerances in `tests/reference/passport.json`.

use flindo_core::energy::tilt_year::{Light, Year};
use flindo_core::panel::temperature::{faiman_c, sandia_back_c};
use flindo_core::sky::air::pressure_pa;
use flindo_core::sky::clear_sky::{Irradiance, clear_sky};
use flindo_core::sky::incidence::{Glass, ashrae, martin_ruiz, physical};
use flindo_core::sky::place::Place;
use flindo_core::sky::plane::{Plane, SkyModel, SkyNow};
use flindo_core::sky::split::erbs;
use flindo_core::sky::sun::{AIR_C, DELTA_T_S, Instant};

/// The rows of a table, each as a look-up by column.
fn rows(table: &'static str) -> Vec<impl Fn(&str) -> &'static str> {
    let mut lines = table.lines();
    let header: Vec<&str> = lines.next().expect("a header").split(',').collect();
    let rows = lines.map(|line| line.split(',').collect::<Vec<_>>());
    rows.map(|cells| {
        let header = header.clone();
        move |column: &str| cells[header.iter().position(|name| *name == column).expect(column)]
    })
    .collect()
}

fn close(what: &str, ours: f64, theirs: f64, share: f64, floor: f64) {
    let allowed = (theirs.abs() * share).max(floor);
    assert!((ours - theirs).abs() <= allowed, "{what}: {ours} here, {theirs} there");
}

macro_rules! table {
    ($name:literal) => {{
        let rows = rows(include_str!(concat!("../reference/", $name, ".csv")));
        assert!(rows.len() >= 28, "{} cases", rows.len());
        rows
    }};
}

fn place(of: impl Fn(&str) -> f64) -> Place {
    Place::check(of("lat_deg"), of("lon_deg"), of("elevation_m")).unwrap()
}

#[test]
fn the_sun_stands_where_the_library_sees_it() {
    for row in table!("sun") {
        let of = |column: &str| row(column).parse::<f64>().unwrap();
        let instant = Instant::at(of("unix_s"), DELTA_T_S).unwrap();
        let sun = instant.seen_from(&place(of), of("pressure_pa"), of("temperature_c")).unwrap();
        close("true zenith", sun.zenith_true_deg, of("zenith_true_deg"), 0.0, 0.001);
        close("apparent zenith", sun.zenith_apparent_deg, of("zenith_apparent_deg"), 0.0, 0.001);
        let turn = (sun.azimuth_deg - of("azimuth_deg") + 180.0).rem_euclid(360.0) - 180.0;
        close("azimuth", turn * sun.zenith_true_deg.to_radians().sin(), 0.0, 0.0, 0.001);
        close("equation of time", instant.equation_of_time_min(), of("equation_of_time_min"), 0.0, 0.002);
    }
}

#[test]
fn the_clear_sky_lets_through_what_the_library_says() {
    for row in table!("clear_sky") {
        let of = |column: &str| row(column).parse::<f64>().unwrap();
        let place = place(of);
        let sun = Instant::at(of("unix_s"), DELTA_T_S).unwrap().seen_from(&place, pressure_pa(place.elevation_m), AIR_C).unwrap();
        let time = jiff::Timestamp::from_second(of("unix_s") as i64).unwrap();
        let day = f64::from(time.to_zoned_datetime(jiff::tz::TimeZone::UTC).day_of_year());
        let sky = clear_sky(&sun, &place, day, of("linke_turbidity")).unwrap();
        close("air mass", sky.airmass_relative, of("airmass_relative"), 1e-3, 0.0);
        close("absolute air mass", sky.airmass_absolute, of("airmass_absolute"), 1e-3, 0.0);
        close("above the air", sky.dni_extra_w_m2, of("dni_extra_w_m2"), 1e-6, 0.0);
        close("GHI", sky.irradiance.ghi_w_m2, of("ghi_w_m2"), 1e-3, 0.01);
        close("DNI", sky.irradiance.dni_w_m2, of("dni_w_m2"), 1e-3, 0.01);
        close("DHI", sky.irradiance.dhi_w_m2, of("dhi_w_m2"), 1e-3, 0.01);
    }
}

#[test]
fn global_light_is_split_as_the_library_does() {
    for row in table!("split") {
        let of = |column: &str| row(column).parse::<f64>().unwrap();
        let (kt, split) = erbs(of("ghi_w_m2"), of("zenith_deg"), of("day_of_year")).unwrap();
        close("kt", kt, of("kt"), 1e-3, 1e-9);
        close("DNI", split.dni_w_m2, of("dni_w_m2"), 1e-3, 0.01);
        close("DHI", split.dhi_w_m2, of("dhi_w_m2"), 1e-3, 0.01);
    }
}

#[test]
fn light_falls_on_a_plane_as_in_the_library() {
    for row in table!("plane") {
        let of = |column: &str| row(column).parse::<f64>().unwrap();
        let irradiance = Irradiance { ghi_w_m2: of("ghi_w_m2"), dni_w_m2: of("dni_w_m2"), dhi_w_m2: of("dhi_w_m2") };
        let model = SkyModel::from_name(row("model")).unwrap();
        let sky =
            SkyNow::new(irradiance, of("zenith_deg"), of("sun_azimuth_deg"), of("day_of_year"), of("albedo"), model).unwrap();
        let on = sky.onto(&Plane::check(of("tilt_deg"), of("azimuth_deg")).unwrap().ready());
        close("incidence", on.aoi_deg(), of("aoi_deg"), 0.0, 1e-5);
        close("beam", on.beam_w_m2, of("poa_beam_w_m2"), 1e-3, 0.01);
        close(row("model"), on.sky_w_m2, of("poa_sky_w_m2"), 1e-3, 0.01);
        close("ground", on.ground_w_m2, of("poa_ground_w_m2"), 1e-3, 0.01);
        close("sum", on.poa_w_m2, on.beam_w_m2 + on.sky_w_m2 + on.ground_w_m2, 1e-12, 0.0);
    }
}

#[test]
fn glass_lets_in_what_the_library_says() {
    for row in table!("incidence") {
        let of = |column: &str| row(column).parse::<f64>().unwrap();
        let aoi_deg = of("aoi_deg");
        let glass = Glass { n_glass: of("n_glass"), k_per_m: of("k_per_m"), thickness_m: of("thickness_m"), n_coating: None };
        let iam = match row("model") {
            "physical" => physical(aoi_deg, &glass),
            "coated" => physical(aoi_deg, &Glass { n_coating: Some(of("n_coating")), ..glass }),
            "ashrae" => ashrae(aoi_deg, of("b")),
            _ => martin_ruiz(aoi_deg, of("a_r")),
        };
        close(row("model"), iam.unwrap(), of("iam"), 1e-3, 1e-6);
    }
}

#[test]
fn cells_are_as_warm_as_in_the_library() {
    for row in table!("cell_temperature") {
        let of = |column: &str| row(column).parse::<f64>().unwrap();
        let (poa, air, wind) = (of("poa_w_m2"), of("air_c"), of("wind_m_s"));
        close("Faiman", faiman_c(poa, air, wind, 25.0, 6.84), of("faiman_c"), 0.0, 0.05);
        let back_c = sandia_back_c(poa, air, wind, of("a"), of("b"));
        close("Sandia, back", back_c, of("sandia_back_c"), 0.0, 0.05);
        close("Sandia, cell", back_c + poa / 1000.0 * of("delta_t_k"), of("sandia_cell_c"), 0.0, 0.05);
    }
}

#[test]
fn a_year_of_hours_comes_to_what_the_library_sums() {
    for row in table!("tilt_year") {
        let of = |column: &str| row(column).parse::<f64>().unwrap();
        let place = place(of);
        let year = Year::of(&place, of("utc_offset_h"), of("year") as i16, Light::Clear { linke_turbidity: 3.0 }, 0.2).unwrap();
        let months = year.monthly_kwh_m2(&Plane { tilt_deg: of("tilt_deg"), azimuth_deg: of("azimuth_deg") });
        for (month, ours) in months.iter().enumerate() {
            close(&format!("month {}", month + 1), *ours, of(&format!("month_{}_kwh_m2", month + 1)), 1e-3, 0.001);
        }
        if of("tilt_deg") == 0.0 {
            close("best tilt", year.best_tilt_deg(of("azimuth_deg")), of("best_tilt_year_deg"), 0.0, 0.5);
        }
    }
}
