//! Logged days whose every second is known, made by another design than the product's own stand-in: the sun of [`super::skies`], the beam by
//! Meinel and Meinel (1976) under an even sky, clouds that come and go by chance with soft edges and
//! bright rims, cells that follow the light slowly, glass that lets less through aslant, a battery by its charge. Loggers have a pace of
//! their own, gains, steps, and either look at a moment or take the mean since they last looked.

use super::skies::sun;
use super::{Draws, LAT_DEG, LON_DEG};
use flindo_core::energy::log::event::Known;
use flindo_core::energy::log::grid::Grid;
use flindo_core::energy::log::record::{LogDay, LogRecord};
use flindo_core::energy::log::samples::LogSamples;
use flindo_core::measure::quantity::Quantity;
use flindo_core::measure::series::Series;
use flindo_core::sky::course::Site;
use flindo_core::sky::place::Place;
use flindo_core::sky::plane::Plane;
use flindo_core::window::Window;
use std::collections::BTreeMap;

/// What happens on a day beside its sky.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Happening {
    Nothing,
    /// A port takes no more watts.
    Port,
    /// The battery is full.
    Full,
    /// Snow lies until late in the morning.
    Snow,
    /// Something stands in the way of the sun, on each of the days.
    Shade,
}

impl Happening {
    pub fn name(self) -> &'static str {
        match self {
            Happening::Nothing => "nothing",
            Happening::Port => "a port's limit",
            Happening::Full => "a full battery",
            Happening::Snow => "snow",
            Happening::Shade => "shade that returns",
        }
    }
}

#[derive(Debug, Clone, Copy, PartialEq)]
pub struct DayWorld {
    pub seed: u64,
    pub step_s: f64,
    /// Samples come up to a fifth of the step off their time, and the step is not a round one.
    pub is_jittered: bool,
    pub is_cloudy: bool,
    pub happening: Happening,
    /// The last of them is judged, with the others around it.
    pub days: usize,
}

/// A day as the product gets it, with its truth.
pub struct MadeDay {
    pub record: LogRecord,
    pub day: LogDay,
    pub energy_wh: f64,
    /// What the happening took.
    pub cost_wh: f64,
}

const TILT_DEG: f64 = 30.0;
const DAY_S: usize = 86_400;

/// How much each happening takes.
struct Takes {
    port_share: f64,
    /// Of the day's watt-hours, until the battery is full.
    full_share: f64,
    snow_until_solar_h: f64,
    /// At the day's most watts.
    battery_rise_v: f64,
    shade_from_deg: f64,
    shade_wide_deg: f64,
    shade_leaves: f64,
}

impl Takes {
    fn draw(draws: &mut Draws) -> Self {
        Takes {
            port_share: draws.even(0.55, 0.88),
            full_share: draws.even(0.35, 0.7),
            snow_until_solar_h: draws.even(9.5, 12.5),
            battery_rise_v: draws.even(0.02, 0.4),
            shade_from_deg: draws.even(115.0, 205.0),
            shade_wide_deg: draws.even(12.0, 35.0),
            shade_leaves: draws.even(0.25, 0.65),
        }
    }
}

/// One second of a panel that nothing limits.
#[derive(Clone, Copy)]
struct Free {
    watts_w: f64,
    poa_w_m2: f64,
    cell_c: f64,
    azimuth_deg: f64,
}

/// One second of the truth.
#[derive(Clone, Copy, Default)]
struct Second {
    watts_w: f64,
    without_w: f64,
    poa_w_m2: f64,
    cell_c: f64,
    battery_v: f64,
}

/// Beam and diffuse light, W/m2, in a plane that faces south; `clarity` about 1.
fn clear_light((elevation_deg, azimuth_deg): (f64, f64), clarity: f64) -> (f64, f64) {
    let (elevation, tilt) = (elevation_deg.to_radians(), TILT_DEG.to_radians());
    let sin_elevation = elevation.sin();
    if sin_elevation <= 0.01 {
        return (0.0, 0.0);
    }
    let cos_plane = sin_elevation * tilt.cos() - elevation.cos() * tilt.sin() * azimuth_deg.to_radians().cos();
    // Kasten and Young (1989).
    let air_mass = 1.0 / (sin_elevation + 0.505_72 * (elevation_deg + 6.079_95).powf(-1.6364));
    let normal = 1353.0 * 0.7_f64.powf(air_mass.powf(0.678)) * clarity;
    let diffuse = 95.0 * sin_elevation.powf(0.6) * (2.0 - clarity);
    let ground = 0.2 * (normal * sin_elevation + diffuse) * (1.0 - tilt.cos()) / 2.0;
    // ASHRAE's loss of a pane of glass, b0 = 0.05.
    let through = if cos_plane > 0.05 { (1.0 - 0.05 * (1.0 / cos_plane - 1.0)).max(0.0) } else { 0.0 };
    (normal * cos_plane.max(0.0) * through, diffuse * (1.0 + tilt.cos()) / 2.0 + ground)
}

/// Share of the beam that the clouds let through, second by second.
fn cloud_shares(draws: &mut Draws) -> Vec<f64> {
    let mut shares = Vec::with_capacity(DAY_S + 4000);
    let mut is_cloud = false;
    while shares.len() < DAY_S {
        let lasts_s = if is_cloud { draws.even(60.0, 900.0) } else { draws.even(120.0, 2400.0) } as usize;
        let share = if is_cloud { draws.even(0.1, 0.6) } else { 1.0 };
        let edge_s = draws.even(15.0, 60.0);
        for second in 0..lasts_s {
            let to_edge_s = (second.min(lasts_s - second)) as f64;
            shares.push(match is_cloud {
                true => 1.0 - (1.0 - share) * (to_edge_s / edge_s).min(1.0),
                // The rim of a cloud sends light of its own.
                false => 1.0 + 0.07 * (-to_edge_s / 40.0).exp(),
            });
        }
        is_cloud = !is_cloud;
    }
    shares
}

impl DayWorld {
    pub fn make(&self) -> MadeDay {
        self.every(1)
    }

    /// The same log with only so many-th of its samples.
    pub fn every(&self, nth: usize) -> MadeDay {
        let mut draws = Draws::of(self.seed ^ 0x5eed_da15);
        let (rated_w, own) = (draws.even(100.0, 400.0).round(), draws.even(0.80, 1.0));
        // 2026, without its last month.
        let from_s = 1_767_225_600.0 + draws.even(0.0, 330.0).floor() * 86_400.0;
        let takes = Takes::draw(&mut draws);
        let begins_s = |day: usize| from_s + (day * DAY_S) as f64;
        let seconds: Vec<Vec<Second>> =
            (0..self.days).map(|day| self.seconds(&mut draws, begins_s(day), rated_w * own, &takes)).collect();
        let with_poa = draws.even(0.0, 1.0) < 0.5;
        let with_temperatures = self.happening == Happening::Snow || draws.even(0.0, 1.0) < 0.4;
        let mut came = self.logged(&mut draws, &seconds, from_s, (with_poa, with_temperatures));
        for samples in came.values_mut() {
            *samples = samples.iter().step_by(nth).copied().collect();
        }
        let judged_s = from_s + ((self.days - 1) * DAY_S) as f64;
        let window = Window { from_s: judged_s, to_s: judged_s + DAY_S as f64 };
        let series: BTreeMap<Quantity, Series> =
            came.iter().map(|(quantity, came)| (*quantity, Series::new(came.clone()).0)).collect();
        let inside = came.into_iter().map(|(quantity, came)| {
            (quantity, came.into_iter().filter(|(at_s, _)| (window.from_s..window.to_s).contains(at_s)).collect())
        });
        let day = LogDay::new(window, LogSamples::of(inside), &Grid::of(&series));
        let site =
            Site { place: Place::check(LAT_DEG, LON_DEG, 300.0).unwrap(), albedo: 0.2, linke_turbidity: 3.0, ..Site::default() };
        let known = Known { rated_w: Some(rated_w), ..Known::default() };
        let plane = Plane { tilt_deg: TILT_DEG, azimuth_deg: 180.0 };
        let sum_wh = |of: fn(&Second) -> f64| seconds.last().unwrap().iter().map(of).sum::<f64>() / 3600.0;
        MadeDay {
            record: LogRecord { site: Some(site), plane: Some(plane), known, watts_u_percent: 2.0, poa_u_percent: 5.0 },
            day,
            energy_wh: sum_wh(|second| second.watts_w),
            cost_wh: sum_wh(|second| second.without_w - second.watts_w),
        }
    }

    /// A day of the truth of a panel of so many watts at STC.
    fn seconds(&self, draws: &mut Draws, begins_s: f64, stc_w: f64, takes: &Takes) -> Vec<Second> {
        let clarity = draws.even(0.94, 1.05);
        let clouds = if self.is_cloudy { cloud_shares(draws) } else { vec![1.0; DAY_S] };
        let (coldest_c, warmest_c) = match self.happening {
            Happening::Snow => (-9.0, -1.0),
            Happening::Nothing | Happening::Port | Happening::Full | Happening::Shade => {
                let coldest_c = draws.even(3.0, 16.0);
                (coldest_c, coldest_c + draws.even(6.0, 14.0))
            }
        };
        let gamma_per_k = -draws.even(0.0033, 0.0045);
        let per_light_k = draws.even(0.022, 0.034);
        let mut cell_c = coldest_c;
        let free: Vec<Free> = (0..DAY_S)
            .map(|second| {
                let at = sun(begins_s + second as f64);
                let (beam, diffuse) = clear_light(at, clarity);
                let poa_w_m2 = beam * clouds[second] + diffuse * (1.0 + 0.5 * (1.0 - clouds[second]));
                let air_c = coldest_c
                    + (warmest_c - coldest_c) * (0.5 - 0.5 * (std::f64::consts::TAU * (second as f64 / 86_400.0 - 0.1)).cos());
                // Six minutes until two thirds of a change are there.
                cell_c += (air_c + per_light_k * poa_w_m2 - cell_c) / 360.0;
                let low_light = if poa_w_m2 > 1.0 { 1.0 + 0.025 * (poa_w_m2 / 1000.0).ln() } else { 0.0 };
                let watts_w = (stc_w * poa_w_m2 / 1000.0 * low_light * (1.0 + gamma_per_k * (cell_c - 25.0))).max(0.0);
                Free { watts_w, poa_w_m2, cell_c, azimuth_deg: at.1 }
            })
            .collect();
        self.taken(takes, &free)
    }

    /// What the happening leaves of watts that came freely.
    fn taken(&self, takes: &Takes, free: &[Free]) -> Vec<Second> {
        let most_w = free.iter().map(|one| one.watts_w).fold(0.0, f64::max);
        let full_wh = takes.full_share * free.iter().map(|one| one.watts_w).sum::<f64>() / 3600.0;
        let snow_until_s = takes.snow_until_solar_h * 3600.0 - LON_DEG * 240.0;
        let (mut charged_wh, mut full_since) = (0.0, None);
        let taken = |(second, one): (usize, &Free)| {
            let Free { watts_w: without_w, poa_w_m2, cell_c, azimuth_deg } = *one;
            let mut is_held = false;
            let watts_w = match self.happening {
                Happening::Nothing => without_w,
                Happening::Port => without_w.min(takes.port_share * most_w),
                Happening::Snow => {
                    let slid = ((second as f64 - snow_until_s) / 1200.0).clamp(0.0, 1.0);
                    without_w * (0.03 + 0.97 * slid)
                }
                Happening::Shade => {
                    let inside_deg =
                        (azimuth_deg - takes.shade_from_deg).min(takes.shade_from_deg + takes.shade_wide_deg - azimuth_deg);
                    without_w * (1.0 - (1.0 - takes.shade_leaves) * (inside_deg + 0.5).clamp(0.0, 1.0))
                }
                Happening::Full => {
                    if charged_wh > full_wh && full_since.is_none() {
                        full_since = Some((second, without_w));
                    }
                    match full_since {
                        None => without_w,
                        Some((since, began_w)) => {
                            is_held = true;
                            without_w.min(8.0 + began_w * (-((second - since) as f64) / 3000.0).exp())
                        }
                    }
                }
            };
            charged_wh += watts_w / 3600.0;
            // What a battery shows rises with its charge, and with the amps that go in: little where it is large.
            let charge = (charged_wh / full_wh.max(1.0)).min(1.0);
            let battery_v = if is_held { 14.4 } else { 12.6 + 0.8 * charge + takes.battery_rise_v * watts_w / most_w.max(1.0) };
            Second { watts_w, without_w, poa_w_m2, cell_c, battery_v }
        };
        free.iter().enumerate().map(taken).collect()
    }

    /// What a logger with errors of its own writes of it.
    fn logged(
        &self,
        draws: &mut Draws,
        days: &[Vec<Second>],
        from_s: f64,
        (with_poa, with_temperatures): (bool, bool),
    ) -> BTreeMap<Quantity, Vec<(f64, f64)>> {
        // Half of the limits that their sheets state, as standard deviations.
        let (gain, poa_gain) = (1.0 + draws.normal(0.01), 1.0 + draws.normal(0.025));
        let is_mean = self.step_s >= 60.0 && draws.even(0.0, 1.0) < 0.5;
        let step_s = if self.is_jittered { self.step_s * 1.0067 } else { self.step_s };
        let all: Vec<Second> = days.iter().flatten().copied().collect();
        let mut came: BTreeMap<Quantity, Vec<(f64, f64)>> = BTreeMap::new();
        let rounded = |value: f64, step: f64| (value / step).round() * step;
        let mut at = 0.0;
        while (at as usize) < all.len() {
            let off_s = if self.is_jittered { draws.even(-0.2, 0.2) * step_s } else { 0.0 };
            let place = ((at + off_s).round().max(0.0) as usize).min(all.len() - 1);
            let since = if is_mean { place.saturating_sub(step_s as usize - 1) } else { place };
            let count = (place - since + 1) as f64;
            let mean = |of: fn(&Second) -> f64| all[since..=place].iter().map(of).sum::<f64>() / count;
            let stamp_s = from_s + (place + since) as f64 / 2.0;
            let watts_w = mean(|one| one.watts_w) * gain * (1.0 + draws.normal(0.002));
            let battery_v = mean(|one| one.battery_v);
            let panel_v = if watts_w > 0.5 { 18.0 } else { 0.0 };
            let mut add = |quantity: Quantity, value: f64| came.entry(quantity).or_default().push((stamp_s, value));
            add(Quantity::Power, rounded(watts_w, 0.1));
            add(Quantity::Voltage, rounded(panel_v, 0.01));
            add(Quantity::OutputVoltage, rounded(battery_v, 0.01));
            add(Quantity::OutputCurrent, rounded(0.96 * watts_w / battery_v, 0.01));
            if with_poa {
                add(Quantity::Poa, rounded(mean(|one| one.poa_w_m2) * poa_gain, 1.0));
            }
            if with_temperatures {
                add(Quantity::Cell, rounded(mean(|one| one.cell_c), 0.1));
                let air_c = if self.happening == Happening::Snow { -3.0 } else { 12.0 };
                add(Quantity::Air, air_c);
            }
            at += step_s;
        }
        came
    }
}
