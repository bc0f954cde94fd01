//! A year of hours on planes of different tilt.

pub use super::sky_days::{Hour, Light};
use super::sky_days::{LightOver, SunDays, SunHour};
use crate::error::Error;
use crate::sky::place::Place;
use crate::sky::plane::{Plane, PlaneReady};
use crate::sky::skies::Skies;

/// The suns of a year of hours over one place, ready for any light.
#[derive(Debug, Clone)]
pub struct SunYear {
    place: Place,
    hours: Vec<SunHour>,
    days: usize,
}

impl SunYear {
    /// One instant at the middle of every hour of local standard time, with the apparent zenith throughout. `year` 1000 to 3000,
    /// `utc_offset_h` -14 to 15.
    ///
    /// # Errors
    /// Names the figure outside its range.
    pub fn of(place: &Place, utc_offset_h: f64, year: i16) -> Result<Self, Error> {
        let mut sun_days = SunDays::of(place, utc_offset_h, year, 1)?;
        let mut hours = Vec::with_capacity(sun_days.days * 13);
        while sun_days.add_next(&mut hours)? {}
        Ok(SunYear { place: *place, hours, days: sun_days.days })
    }

    /// Its skies in a light, by Perez 1990. `albedo` 0 to 1.
    ///
    /// # Errors
    /// Names the figure outside its range.
    pub fn under(&self, light: Light<'_>, albedo: f64) -> Result<Year, Error> {
        let mut skies = Skies::with_capacity(self.hours.len());
        let light = LightOver::of(&self.place, light, albedo)?;
        light.add(&self.hours, &mut skies);
        Ok(Year { hours: light.covered(&self.hours).map(|hour| hour.hour).collect(), days: self.days, skies })
    }
}

/// A year of daylight hours over one place, in the order of time.
#[derive(Debug, Clone)]
pub struct Year {
    pub hours: Vec<Hour>,
    pub days: usize,
    /// One for each of the hours.
    skies: Skies,
}

impl Year {
    /// [`SunYear::of`] and [`SunYear::under`].
    ///
    /// # Errors
    /// As theirs.
    pub fn of(place: &Place, utc_offset_h: f64, year: i16, light: Light<'_>, albedo: f64) -> Result<Self, Error> {
        SunYear::of(place, utc_offset_h, year)?.under(light, albedo)
    }

    /// W/m2 on a plane in each of the hours.
    pub fn poa_w_m2(&self, plane: &Plane) -> Vec<f64> {
        let mut poa_w_m2 = Vec::new();
        self.skies.onto(&plane.ready(), &mut poa_w_m2);
        poa_w_m2
    }

    /// kWh/m2 of each month on a plane.
    pub fn monthly_kwh_m2(&self, plane: &Plane) -> [f64; 12] {
        let mut months = [0.0; 12];
        for (hour, poa_w_m2) in self.hours.iter().zip(self.poa_w_m2(plane)) {
            months[usize::from(hour.month)] += poa_w_m2 / 1000.0;
        }
        months
    }

    /// kWh/m2 of each day on a plane.
    pub fn daily_kwh_m2(&self, plane: &Plane) -> Vec<f64> {
        let mut days = vec![0.0; self.days];
        for (hour, poa_w_m2) in self.hours.iter().zip(self.poa_w_m2(plane)) {
            days[usize::from(hour.day)] += poa_w_m2 / 1000.0;
        }
        days
    }

    /// kWh/m2 of each month on a plane that always is normal to the sun.
    pub fn normal_monthly_kwh_m2(&self) -> [f64; 12] {
        let mut months = [0.0; 12];
        for (nth, hour) in self.hours.iter().enumerate() {
            let plane = Plane { tilt_deg: hour.sun_position.zenith_apparent_deg, azimuth_deg: hour.sun_position.azimuth_deg };
            let poa_w_m2 = self.skies.get(nth).map_or(0.0, |sky| sky.onto(&plane.ready()).poa_w_m2);
            months[usize::from(hour.month)] += poa_w_m2 / 1000.0;
        }
        months
    }

    /// Mean W/m2 on a plane over the `count` best hours of each day of a month (0 to 11), because people plan by that.
    pub fn best_hours_w_m2(&self, plane: &Plane, month: u8, count: usize) -> f64 {
        let poa_w_m2 = self.poa_w_m2(plane);
        let of_month: Vec<(u16, f64)> = self
            .hours
            .iter()
            .zip(poa_w_m2)
            .filter(|(hour, _)| hour.month == month)
            .map(|(hour, w_m2)| (hour.day, w_m2))
            .collect();
        let days: Vec<f64> = of_month
            .chunk_by(|a, b| a.0 == b.0)
            .map(|hours| {
                let mut w_m2: Vec<f64> = hours.iter().map(|(_, w_m2)| *w_m2).collect();
                w_m2.sort_by(|a, b| b.total_cmp(a));
                w_m2.iter().take(count).sum::<f64>() / count as f64
            })
            .collect();
        if days.is_empty() { 0.0 } else { days.iter().sum::<f64>() / days.len() as f64 }
    }

    /// The tilt from 0 to 90 degrees that gathers most over the year, to 0.01 degrees.
    pub fn best_tilt_deg(&self, azimuth_deg: f64) -> f64 {
        best(&self.skies, azimuth_deg)
    }

    /// The same for each month by itself.
    pub fn best_tilt_month_deg(&self, azimuth_deg: f64) -> [f64; 12] {
        let mut by_month: [Skies; 12] = Default::default();
        for (nth, hour) in self.hours.iter().enumerate() {
            if let Some(sky) = self.skies.get(nth) {
                by_month[usize::from(hour.month)].push(&sky);
            }
        }
        by_month.map(|skies| if skies.is_empty() { 0.0 } else { best(&skies, azimuth_deg) })
    }
}

/// kWh/m2 of each month on each of the planes, by `steps_per_hour` instants in every hour (1 to 60), each in the middle of its step. As a
/// [`Year`], but a day at a time, so that a year of minutes takes no more memory than a day of them.
///
/// # Errors
/// As [`Year::of`].
pub fn monthly_kwh_m2_by_steps(
    place: &Place,
    (utc_offset_h, year): (f64, i16),
    light: Light<'_>,
    albedo: f64,
    steps_per_hour: u32,
    planes: &[Plane],
) -> Result<Vec<[f64; 12]>, Error> {
    let mut sun_days = SunDays::of(place, utc_offset_h, year, steps_per_hour)?;
    let light = LightOver::of(place, light, albedo)?;
    let ready: Vec<PlaneReady> = planes.iter().map(Plane::ready).collect();
    let mut months = vec![[0.0; 12]; planes.len()];
    let (mut hours, mut skies, mut poa_w_m2) = (Vec::new(), Skies::default(), Vec::new());
    while sun_days.add_next(&mut hours)? {
        light.add(&hours, &mut skies);
        if let Some(first) = hours.first() {
            for (plane, months) in ready.iter().zip(&mut months) {
                skies.onto(plane, &mut poa_w_m2);
                months[usize::from(first.hour.month)] += poa_w_m2.iter().sum::<f64>() / 1000.0 / f64::from(steps_per_hour);
            }
        }
        hours.clear();
        skies.clear();
    }
    Ok(months)
}

/// The tilt of the greatest sum: a grid of 10 degrees, then golden sections around its best (Kiefer 1953).
fn best(skies: &Skies, azimuth_deg: f64) -> f64 {
    const GOLDEN: f64 = 0.618_033_988_749_894_9;
    let mut poa_w_m2 = Vec::new();
    let mut sum = |tilt_deg: f64| {
        skies.onto(&Plane { tilt_deg, azimuth_deg }.ready(), &mut poa_w_m2);
        poa_w_m2.iter().sum::<f64>()
    };
    let grid = (0..=9).map(|step| f64::from(step) * 10.0);
    let centre = grid.map(|tilt| (tilt, sum(tilt))).max_by(|a, b| a.1.total_cmp(&b.1)).map_or(0.0, |best| best.0);
    let (mut low, mut high) = ((centre - 10.0).max(0.0), (centre + 10.0).min(90.0));
    let (mut a, mut b) = (high - GOLDEN * (high - low), low + GOLDEN * (high - low));
    let (mut sum_a, mut sum_b) = (sum(a), sum(b));
    while high - low > 0.01 {
        if sum_a < sum_b {
            (low, a, sum_a) = (a, b, sum_b);
            b = low + GOLDEN * (high - low);
            sum_b = sum(b);
        } else {
            (high, b, sum_b) = (b, a, sum_a);
            a = high - GOLDEN * (high - low);
            sum_a = sum(a);
        }
    }
    // The ends themselves are not reached by the sections.
    let ends = [0.0, 90.0, (low + high) / 2.0].map(|tilt| (tilt, sum(tilt)));
    ends.into_iter().max_by(|a, b| a.1.total_cmp(&b.1)).map_or(centre, |best| best.0)
}
