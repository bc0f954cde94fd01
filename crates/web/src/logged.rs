//! A log with all that is known of it, and a day of it worked out.

use crate::error::AppError;
use flindo_core::energy::log::clock::{ClockCheck, clock};
use flindo_core::energy::log::controller::{over_load, own_draw_w, tracking};
use flindo_core::energy::log::figures::{Figures, Logged, figures};
use flindo_core::energy::log::grid::Grid;
use flindo_core::energy::log::happened::{Event, EventKind, Happened, Known, happened};
use flindo_core::energy::log::named::{LogFinding, named};
use flindo_core::energy::log::regress::{
    Band, NoCoefficient, Soak, TemperatureCoefficient, efficiency_over_light, points, soak, temperature_coefficient,
};
use flindo_core::energy::log::sky::{ClearDay, FROM_FLAT_U_PERCENT, SkyCourse, onto_plane};
use flindo_core::energy::planned::USUAL_GAMMA_PER_K;
use flindo_core::gear::battery::charging_v;
use flindo_core::load::operate::TrackingFinding;
use flindo_core::measure::quantity::Quantity;
use flindo_core::measure::series::integral::{Window, integrate};
use flindo_core::measure::series::suspect::{Suspect, spikes, stuck};
use flindo_core::measure::series::{Arrival, Series};
use flindo_core::rig::Sink;
use flindo_core::sky::course::Site;
use flindo_core::sky::plane::Plane;
use flindo_store::{LogRow, PlaceRow, Store, rig_of};
use jiff::tz::TimeZone;
use std::collections::BTreeMap;

/// What is known of a log from what it belongs to.
#[derive(Debug, Clone)]
pub struct Context {
    pub place: Option<PlaceRow>,
    pub zone: TimeZone,
    pub site: Option<Site>,
    pub plane: Option<Plane>,
    pub rated_w: Option<f64>,
    pub gamma_per_k: Option<f64>,
    pub known: Known,
    /// % of reading (95 %).
    pub watts_u_percent: f64,
    pub poa_u_percent: f64,
    /// What it belongs to, in words: (link, words).
    pub of: Vec<(String, String)>,
}

/// Of a meter nobody said anything about, % of reading. Common practice, no source: in-line watt meters.
const USUAL_METER_PERCENT: f64 = 2.0;

/// Days of a log that are looked through for what happened: shade that returns and soiling take several.
const MOST_DAYS: f64 = 62.0;

/// A day of a log.
#[derive(Debug)]
pub struct Worked {
    pub window: Window,
    pub figures: Option<Figures>,
    /// Of this day.
    pub events: Vec<Event>,
    pub happened: Happened,
    pub grid: Grid,
    pub clock: Option<ClockCheck>,
    pub named: Vec<LogFinding>,
    pub arrivals: Vec<(Quantity, Arrival)>,
    pub suspects: Vec<Suspect>,
    pub coefficient: Option<Result<TemperatureCoefficient, NoCoefficient>>,
    pub over_light: Vec<Band>,
    pub over_load: Vec<Band>,
    pub soak: Option<Soak>,
    pub tracking: Option<TrackingFinding>,
    /// W from the battery in the dark, by the output's own figures.
    pub own_draw_w: Option<f64>,
    pub hours: Vec<HourSums>,
    /// The irradiation was brought onto the plane from a meter lying flat.
    pub is_from_flat: bool,
    pub counter: Option<flindo_core::measure::series::counter::Advance>,
}

/// One hour of a day.
#[derive(Debug, Clone, Copy)]
pub struct HourSums {
    pub from_s: f64,
    pub energy_wh: f64,
    pub mean_w: f64,
    /// W/m2 in the plane, where it was measured.
    pub mean_poa_w_m2: Option<f64>,
}

/// Everything about a log that its records say.
pub async fn context(store: &Store, log: &LogRow) -> Result<Context, AppError> {
    let register = store.register().await?;
    let belongs = &log.belongs;
    let test = match belongs.test_id {
        Some(id) => store.test(id).await.ok(),
        None => None,
    };
    let place_id = belongs.place_id.or(test.as_ref().and_then(|test| test.place_id)).or(register.place_id);
    let place = register.places.iter().find(|place| Some(place.id) == place_id).cloned();
    let mut of = Vec::new();
    let panel = belongs.panel_id.or(test.as_ref().map(|test| test.panel_id)).and_then(|id| register.panel(id));
    let rig_row = belongs.rig_id.or(test.as_ref().and_then(|test| test.rig_id)).and_then(|id| register.rig(id));
    let rig = rig_row.and_then(|row| rig_of(&row.draft, &register.panels, &register.gear, place.as_ref()).ok());
    if let Some(test) = &test {
        of.push((format!("/tests/{}", test.id), test.question.label().to_owned()));
    }
    if let Some(row) = rig_row {
        of.push((format!("/rigs/{}", row.id), row.draft.name.clone()));
    }
    if let Some(panel) = panel {
        of.push((format!("/panels/{}", panel.id), format!("{} \u{b7} {}", panel.draft.tag, panel.name())));
    }
    let mut known = Known::default();
    let mut rated_w = panel.map(|panel| panel.label().rated_w);
    if let Some(rig) = &rig {
        let of_rig: f64 = rig.strings.iter().flatten().map(|module| module.nameplate.rated_w).sum();
        rated_w = Some(of_rig).filter(|watts| *watts > 0.0).or(rated_w);
        match &rig.sink {
            Sink::Controller { controller, battery, .. } => {
                known.most_w = controller.max_input_w;
                known.most_output_a = controller.max_battery_a;
                known.charge_limit_v = battery.as_ref().map(|battery| charging_v(battery.nominal_v));
            }
            Sink::Station { station, .. } => known.most_w = Some(station.max_input_w),
            Sink::Load(_) | Sink::Open => {}
        }
    }
    let gamma_per_k = panel.map(|panel| panel.label().gamma().per_k);
    (known.rated_w, known.gamma_per_k) = (rated_w, gamma_per_k);
    let plane = belongs
        .tilt_deg
        .zip(belongs.azimuth_deg)
        .map(|(tilt_deg, azimuth_deg)| Plane { tilt_deg, azimuth_deg })
        .or(test.as_ref().map(|test| test.setup.plane()));
    let zone = match &place {
        Some(place) => place.draft.time_zone.clone(),
        None => store.bench().await?.time_zone,
    };
    let instruments = test.as_ref().map(|test| test.setup.instruments);
    Ok(Context {
        zone: TimeZone::get(&zone).unwrap_or(TimeZone::UTC),
        site: place.as_ref().map(|place| place.draft.site()),
        place,
        plane,
        rated_w,
        gamma_per_k,
        known,
        watts_u_percent: belongs
            .meter_percent
            .unwrap_or_else(|| instruments.map_or(USUAL_METER_PERCENT, |known| known.watts.percent)),
        poa_u_percent: instruments.map_or(5.0, |known| known.sun_percent),
        of,
    })
}

/// All quantities of a log between two moments of true time, with watts; and how their samples came.
pub async fn series(
    store: &Store,
    log: &LogRow,
    window: Window,
) -> Result<(BTreeMap<Quantity, Series>, Vec<(Quantity, Arrival)>), AppError> {
    let ahead_s = log.belongs.ahead_s;
    let ms = |unix_s: f64| ((unix_s + ahead_s) * 1000.0) as i64;
    let (mut all, mut arrivals) = (BTreeMap::new(), Vec::new());
    for quantity in store.log_quantities(log.id).await? {
        let samples = store.samples_as_they_came(log.id, quantity, (ms(window.from_s), ms(window.to_s))).await?;
        let (series, arrival) = Series::new(samples.into_iter().map(|(at_ms, value)| (at_ms as f64 / 1000.0 - ahead_s, value)));
        if !arrival.is_clean() {
            arrivals.push((quantity, arrival));
        }
        all.insert(quantity, series);
    }
    for (volts, amps, watts) in [
        (Quantity::Voltage, Quantity::Current, Quantity::Power),
        (Quantity::OutputVoltage, Quantity::OutputCurrent, Quantity::OutputPower),
    ] {
        if let (Some(volts), Some(amps), false) = (all.get(&volts), all.get(&amps), all.contains_key(&watts)) {
            let product = volts.times(amps);
            if !product.is_empty() {
                all.insert(watts, product);
            }
        }
    }
    Ok((all, arrivals))
}

/// The means of the minutes of a window as series.
pub fn by_minutes(grid: &Grid, window: Window) -> BTreeMap<Quantity, Series> {
    let inside: Vec<usize> = (0..grid.steps).filter(|step| (window.from_s..window.to_s).contains(&grid.at_s(*step))).collect();
    let of = |quantity: Quantity| inside.iter().filter_map(move |step| Some((grid.at_s(*step), grid.mean(quantity, *step)?)));
    grid.quantities().map(|quantity| (quantity, Series::new(of(quantity)).0)).collect()
}

/// The watts that count: the panel's side, or else the output's.
pub fn power(all: &BTreeMap<Quantity, Series>) -> Option<&Series> {
    all.get(&Quantity::Power).or_else(|| all.get(&Quantity::OutputPower))
}

/// A day of a log: its sums, events and doubts, from its samples and from the steps of the days around it.
pub fn work_out(
    all: BTreeMap<Quantity, Series>,
    arrivals: Vec<(Quantity, Arrival)>,
    whole: &Grid,
    context: &Context,
    window: Window,
) -> Result<Worked, flindo_core::error::Error> {
    let grid = around(whole, window);
    let lit = context.site.as_ref().zip(context.plane);
    let mut worked = Worked {
        window,
        figures: None,
        events: Vec::new(),
        happened: Happened::default(),
        clock: None,
        named: Vec::new(),
        arrivals,
        suspects: Vec::new(),
        coefficient: None,
        over_light: Vec::new(),
        over_load: all
            .get(&Quantity::Power)
            .zip(all.get(&Quantity::OutputPower))
            .map(|(input, output)| over_load(input, output))
            .unwrap_or_default(),
        soak: all.get(&Quantity::Cell).or_else(|| all.get(&Quantity::Back)).and_then(soak),
        tracking: tracking(&grid, window),
        own_draw_w: None,
        hours: hours(&all, window),
        is_from_flat: false,
        counter: None,
        grid,
    };
    if let Some(counter) = all.get(&Quantity::Energy) {
        let readings: Vec<(f64, f64)> = counter.iter().collect();
        worked.counter = Some(flindo_core::measure::series::counter::advance(&readings, None, 0.0, context.rated_w));
    }
    let electric: Vec<&Series> =
        [Quantity::Voltage, Quantity::Current, Quantity::Power].iter().filter_map(|quantity| all.get(quantity)).collect();
    worked.suspects = power(&all).map(spikes).unwrap_or_default();
    worked.named = named(None, worked.counter.as_ref(), None);
    let Some((site, plane)) = lit else { return Ok(worked) };
    let sky = SkyCourse::over(site, &plane, &worked.grid)?;
    worked.happened = happened(&worked.grid, &sky, &context.known);
    let overlaps = |event: &&Event| event.to_s >= window.from_s && event.from_s <= window.to_s;
    worked.events = worked.happened.events.iter().filter(overlaps).cloned().collect();
    let clear = ClearDay::over(site, &plane, window.from_s, window.to_s)?;
    worked.suspects.extend(stuck(&electric, &|at_s| clear.at(at_s)));
    let watched: Option<Vec<Option<f64>>> = worked
        .grid
        .column(Quantity::Poa)
        .or_else(|| worked.grid.power())
        .map(|column| column.iter().map(|step| step.map(|step| step.mean)).collect());
    if let Some(watched) = watched {
        worked.clock = clock(&worked.grid, &watched, site, &plane)?;
    }
    worked.own_draw_w = all.get(&Quantity::OutputPower).and_then(|output| own_draw_w(output, &clear));
    worked.named = named(None, worked.counter.as_ref(), worked.clock.as_ref());
    let Some(power) = power(&all) else { return Ok(worked) };
    let cell = all.get(&Quantity::Cell).or_else(|| all.get(&Quantity::Back));
    let brought = match (all.get(&Quantity::Poa), all.get(&Quantity::Ghi)) {
        (None, Some(flat)) => Some(onto_plane(flat, site, &plane)?),
        (Some(_), _) | (None, None) => None,
    };
    worked.is_from_flat = brought.is_some();
    let logged = Logged {
        power,
        poa: all.get(&Quantity::Poa).or(brought.as_ref()),
        cell,
        site,
        plane: &plane,
        rated_w: context.rated_w,
        gamma_per_k: context.gamma_per_k,
        watts_u_percent: context.watts_u_percent,
        poa_u_percent: if worked.is_from_flat { context.poa_u_percent.hypot(FROM_FLAT_U_PERCENT) } else { context.poa_u_percent },
        strength_w_per_w_m2: worked.happened.strength_w_per_w_m2,
    };
    worked.figures = Some(figures(&logged, window)?);
    worked.named = named(worked.figures.as_ref(), worked.counter.as_ref(), worked.clock.as_ref());
    if let (Some(poa), Some(cell)) = (all.get(&Quantity::Poa), cell) {
        // Where something else than light and warmth limits the watts, they say nothing of either.
        let limits = |event: &&Event| {
            matches!(
                event.kind,
                EventKind::Clipping
                    | EventKind::Throttled
                    | EventKind::Asleep
                    | EventKind::Snow
                    | EventKind::Shade
                    | EventKind::Hunting
            )
        };
        let limited: Vec<&Event> = worked.events.iter().filter(limits).collect();
        let is_free = |at_s: f64| !limited.iter().any(|event| (event.from_s..=event.to_s).contains(&at_s));
        let points: Vec<_> = points(power, poa, cell).into_iter().filter(|point| is_free(point.at_s)).collect();
        // A meter in the plane drifts little over a day; its calibration is the same for all of it.
        worked.coefficient = Some(temperature_coefficient(&points, 1.0));
        worked.over_light = efficiency_over_light(&points, context.gamma_per_k.unwrap_or(USUAL_GAMMA_PER_K));
    }
    Ok(worked)
}

/// The steps of a log around a day: no more of it than [`MOST_DAYS`].
fn around(whole: &Grid, window: Window) -> Grid {
    whole.between(window.from_s - MOST_DAYS / 2.0 * 86_400.0, window.to_s + MOST_DAYS / 2.0 * 86_400.0)
}

/// By hours from the beginning of a window; those without samples are left out.
fn hours(all: &BTreeMap<Quantity, Series>, window: Window) -> Vec<HourSums> {
    let Some(power) = power(all) else { return Vec::new() };
    let mean = |series: &Series, part: Window| {
        let found = integrate(series, part, None);
        (found.covered_s > 0.0).then_some((found.sampled, found.sampled * 3600.0 / found.covered_s))
    };
    let count = ((window.to_s - window.from_s) / 3600.0).ceil() as usize;
    let hours = (0..count).map(|hour| window.from_s + hour as f64 * 3600.0);
    hours
        .filter_map(|from_s| {
            let part = Window { from_s, to_s: (from_s + 3600.0).min(window.to_s) };
            let (energy_wh, mean_w) = mean(power, part)?;
            let light = all.get(&Quantity::Poa).and_then(|poa| mean(poa, part));
            Some(HourSums { from_s, energy_wh, mean_w, mean_poa_w_m2: light.map(|light| light.1) })
        })
        .collect()
}
