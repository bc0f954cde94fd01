//! Where the sun's strength comes from, best first: measured in the plane, measured on the flat, worked out.
use flindo_core::measure::entry::understand;
use flindo_core::panel::nameplate::Nameplate;
use flindo_core::record::setup::{CellTemperatureSource, IrradianceSource, Setup};
use flindo_core::sky::course::Site;
use flindo_core::sky::note::SkyNote;
use flindo_core::sky::place::Place;
use flindo_core::verdict::condition::{SunFrom, Taken};
use flindo_core::verdict::conformity::RatingVerdict;
use flindo_core::verdict::finding::Finding;
use flindo_core::verdict::ladder::StepCause;
use flindo_core::verdict::rating::{RatingResult, judge};
use flindo_core::verdict::reason::Reason;

/// Solar noon of a clear midsummer day at the workshop: 12:33 UTC on 21 June 2026, day 172.
const NOON_S: f64 = 1_782_045_180.0;

fn site() -> Site {
    Site { place: Place::check(38.6, -7.9, 300.0).unwrap(), albedo: 0.2, linke_turbidity: 3.0, ..Site::default() }
}

fn judged(irradiance_source: IrradianceSource, site: Option<&Site>, line: &str) -> RatingResult {
    let setup = Setup { irradiance_source, cell_temperature: CellTemperatureSource::Infrared, ..Setup::default() };
    let entry = understand(line, &setup.meaning()).unwrap();
    let figures = entry.figures();
    let nameplate = Nameplate { rated_w: Some(200.0), ..Nameplate::default() };
    judge(&nameplate, &setup, site, [Taken { figures: &figures, unix_s: NOON_S, day_of_year: 172.0, sky: entry.sky }])
}

#[test]
fn a_reading_is_told_where_the_sun_stood() {
    let sun = judged(IrradianceSource::Nothing, Some(&site()), "150 W").readings[0].sun_seen.unwrap();
    assert!((sun.solar_time_h - 12.0).abs() < 0.05 && (sun.elevation_deg - 74.8).abs() < 0.2, "{sun:?}");
    // The noon sun is 15.2 degrees from straight up; a panel of 35 degrees looks 19.8 past it.
    assert!((sun.aoi_deg - 19.8).abs() < 0.2 && (900.0..1050.0).contains(&sun.clear_poa_w_m2), "{sun:?}");
    assert!(judged(IrradianceSource::Nothing, None, "150 W").readings[0].sun_seen.is_none());
}

#[test]
fn a_meter_lying_flat_gives_the_ladder_a_step_for_the_angle() {
    let result = judged(IrradianceSource::FlatMeter, Some(&site()), "165 W 980 W/m2 50 C");
    let point = result.readings[0].pmax.as_ref().unwrap();
    assert!(matches!(point.sun_from, SunFrom::FlatMeter { ghi_w_m2: 980.0 }));
    assert!((point.irradiance_factor - 0.98).abs() < 1e-12);
    // At midsummer noon the sun stands about as far to one side of this panel as of the flat.
    assert!((0.95..1.05).contains(&point.angle_factor), "{}", point.angle_factor);
    let ladder = result.ladder.unwrap();
    assert_eq!(
        ladder.steps.iter().map(|step| step.cause).collect::<Vec<_>>(),
        [StepCause::Irradiance, StepCause::Angle, StepCause::Temperature, StepCause::LowLight, StepCause::Unexplained]
    );
    let product = ladder.steps.iter().fold(ladder.rated_w, |watts, step| watts * step.factor);
    assert!((product / ladder.measured_w - 1.0).abs() < 1e-12);
    let in_plane = judged(IrradianceSource::PlaneMeter, Some(&site()), "165 W 980 W/m2 50 C");
    assert!(in_plane.pmax.unwrap().u_percent < result.pmax.unwrap().u_percent, "the way round by the flat is less sure");
}

#[test]
fn a_clear_sky_stands_in_for_a_meter_and_says_how_surely() {
    let u = |line: &str| judged(IrradianceSource::ClearSky, Some(&site()), line).pmax.map(|pmax| pmax.u_percent);
    let (clear, haze, unnoted) = (u("150 W 50 C clear"), u("150 W 50 C haze"), u("150 W 50 C"));
    assert!(clear < haze && haze < unnoted, "{clear:?} {haze:?} {unnoted:?}");
    // A figure of the sun that was read goes before the model.
    let read = judged(IrradianceSource::ClearSky, Some(&site()), "150 W 50 C clear sun 900 W/m2");
    assert!(matches!(read.readings[0].pmax.as_ref().unwrap().sun_from, SunFrom::PlaneMeter));
    assert!(judged(IrradianceSource::ClearSky, Some(&site()), "90 W 50 C clear").verdict == RatingVerdict::Below);
}

#[test]
fn what_no_model_can_give_is_said() {
    assert_eq!(judged(IrradianceSource::ClearSky, None, "150 W 50 C clear").reasons, [Reason::NoPlace]);
    let broken = judged(IrradianceSource::ClearSky, Some(&site()), "150 W 50 C broken cloud");
    assert!(broken.reasons.contains(&Reason::NoModel { note: SkyNote::Broken }));
    let metered = judged(IrradianceSource::PlaneMeter, Some(&site()), "150 W 900 W/m2 50 C overcast");
    assert_eq!(metered.reasons, [Reason::Found(Finding::SkyUnsteady { note: Some(SkyNote::Overcast), times: None })]);
    assert!(metered.readings[0].pmax.is_some(), "the figure is shown all the same");
}
