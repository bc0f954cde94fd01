//! What an array gives, hour by hour, from the watts it was measured to have.

use super::climate::month_of_day;
use super::tilt_year::Year;
use crate::constants::{NOCT_AIR_C, NOCT_POA_W_M2, STC_CELL_C, STC_POA_W_M2};
use crate::measure::series::integral::Interval;
use crate::sky::plane::Plane;

/// An array in its spot.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct PlannedArray {
    /// W at STC: measured, not the label's, where it was.
    pub stc_w: f64,
    /// Of what it gives unshaded, the share in that spot: 0 to 1.
    pub spot_share: f64,
    pub plane: Plane,
    /// 1/K, negative.
    pub gamma_per_k: f64,
    pub noct_c: f64,
    /// Of wiring, dirt and converter: what is left, 0 to 1.
    pub system_share: f64,
    /// W that the converter takes at most.
    pub most_w: Option<f64>,
}

/// Usual share left by wiring, dirt and converter. Common practice, no source.
pub const USUAL_SYSTEM_SHARE: f64 = 0.9;

/// Usual of silicon panels. Common practice, no source.
pub const USUAL_GAMMA_PER_K: f64 = -0.0037;
pub const USUAL_NOCT_C: f64 = 45.0;

/// Mean day temperatures of the coldest and the hottest month, C.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct AirYear {
    pub coldest_month_c: f64,
    pub hottest_month_c: f64,
    /// South of the equator the year is turned.
    pub is_south: bool,
}

impl AirYear {
    /// Of a day from 0 to 365: a cosine with its lowest in the middle of January (July in the south).
    pub fn at_day_c(&self, day: f64) -> f64 {
        let turn = if self.is_south { std::f64::consts::PI } else { 0.0 };
        let phase = (day - 15.0) / 365.0 * std::f64::consts::TAU + turn;
        let (middle, swing) =
            ((self.coldest_month_c + self.hottest_month_c) / 2.0, (self.hottest_month_c - self.coldest_month_c) / 2.0);
        middle - swing * phase.cos()
    }
}

/// The air of a year.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Air<'a> {
    Months(AirYear),
    /// 8760 hours of a weather file, C, from the first of 1 January on.
    Hours(&'a [f64]),
}

impl Air<'_> {
    /// Of an hour of a day, from 0.
    pub fn at_c(&self, day: usize, hour: usize) -> f64 {
        match self {
            Air::Months(year) => year.at_day_c(day as f64),
            Air::Hours(hours) => hours.get(day * 24 + hour).or(hours.last()).copied().unwrap_or_default(),
        }
    }

    /// The mean of a day.
    pub fn of_day_c(&self, day: usize) -> f64 {
        match self {
            Air::Months(year) => year.at_day_c(day as f64),
            Air::Hours(_) => (0..24).map(|hour| self.at_c(day, hour)).sum::<f64>() / 24.0,
        }
    }

    /// The mean of the coldest month.
    pub fn coldest_month_c(&self) -> f64 {
        match self {
            Air::Months(year) => year.coldest_month_c,
            Air::Hours(_) => {
                let (mut sums, mut days) = ([0.0; 12], [0.0; 12]);
                for day in 0..365 {
                    sums[month_of_day(day)] += self.of_day_c(day);
                    days[month_of_day(day)] += 1.0;
                }
                sums.iter().zip(days).map(|(sum, days)| sum / days).fold(f64::INFINITY, f64::min)
            }
        }
    }
}

impl PlannedArray {
    /// W under so much light on its plane, at this air temperature: light, warmth (cell over air by NOCT), spot and system.
    pub fn at(&self, poa_w_m2: f64, air_c: f64) -> f64 {
        let cell_c = air_c + poa_w_m2 * (self.noct_c - NOCT_AIR_C) / NOCT_POA_W_M2;
        let warmth = 1.0 + self.gamma_per_k * (cell_c - STC_CELL_C);
        let watts = self.stc_w * self.spot_share * poa_w_m2 / STC_POA_W_M2 * warmth.max(0.0);
        self.most_w.map_or(watts, |most_w| watts.min(most_w)) * self.system_share
    }

    /// kWh of each month.
    pub fn monthly_kwh(&self, year: &Year, air: &Air<'_>) -> [f64; 12] {
        let mut months = [0.0; 12];
        for (hour, poa_w_m2) in year.hours.iter().zip(year.poa_w_m2(&self.plane)) {
            let watts = self.at(poa_w_m2, air.at_c(usize::from(hour.day), usize::from(hour.hour)));
            months[usize::from(hour.month)] += watts / 1000.0;
        }
        months
    }
}

/// Percent (95 %) by which a month may differ from what is planned: from year to year, and by the climate's own uncertainty. Common
/// practice, no source.
pub const MONTH_U_PERCENT: f64 = 15.0;

/// A month's kWh with its interval: the month's own, and that of the measured watts (percent, 95 %).
pub fn month_interval(kwh: f64, watts_u_percent: f64) -> Interval {
    Interval::about(kwh, 0.0).with_gain(MONTH_U_PERCENT.hypot(watts_u_percent))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::energy::climate::CLIMATES;
    use crate::energy::tilt_year::Light;
    use crate::sky::place::Place;

    /// Common practice, no source: a 460 W array lying flat gives about 96 kWh in June and 40 in December at 33.4 N in a dry climate, 90
    /// and 16 at 43.6 N where winters are cloudy.
    #[test]
    fn a_flat_array_at_two_places() {
        let array = PlannedArray {
            stc_w: 460.0,
            spot_share: 1.0,
            plane: Plane { tilt_deg: 0.0, azimuth_deg: 180.0 },
            gamma_per_k: USUAL_GAMMA_PER_K,
            noct_c: USUAL_NOCT_C,
            system_share: 1.0,
            most_w: None,
        };
        let kwh = |lat_deg: f64, lon_deg: f64, offset: f64, by_month: &[f64; 12], air: AirYear| {
            let place = Place::check(lat_deg, lon_deg, 300.0).unwrap();
            let year = Year::of(&place, offset, 2026, Light::Clearness { by_month }, 0.2).unwrap();
            array.monthly_kwh(&year, &Air::Months(air))
        };
        let dry = kwh(
            33.4,
            -112.0,
            -7.0,
            &CLIMATES[0].clearness(33.4),
            AirYear { coldest_month_c: 13.0, hottest_month_c: 35.0, is_south: false },
        );
        assert!((86.0..106.0).contains(&dry[5]) && (34.0..46.0).contains(&dry[11]), "{dry:?}");
        let wet = kwh(
            43.6,
            -7.0,
            0.0,
            &CLIMATES[1].clearness(43.6),
            AirYear { coldest_month_c: 5.0, hottest_month_c: 22.0, is_south: false },
        );
        assert!((80.0..100.0).contains(&wet[5]) && (12.0..22.0).contains(&wet[11]), "{wet:?}");
        // As far south the same seasons come half a year later; the sun is 6 to 7 % stronger in January than in July (Spencer 1971).
        let air = AirYear { coldest_month_c: 5.0, hottest_month_c: 22.0, is_south: true };
        let south = kwh(-43.6, -7.0, 0.0, &CLIMATES[1].clearness(-43.6), air);
        let (summer, winter) = (south[11] / wet[5], south[5] / wet[11]);
        assert!((1.03..1.12).contains(&summer) && (0.89..0.98).contains(&winter), "{summer} {winter}");
    }

    #[test]
    fn warmth_spot_and_limit_take_their_share() {
        let array = PlannedArray {
            stc_w: 100.0,
            spot_share: 0.3,
            plane: Plane { tilt_deg: 30.0, azimuth_deg: 180.0 },
            gamma_per_k: -0.004,
            noct_c: 45.0,
            system_share: 0.9,
            most_w: None,
        };
        // 800 W/m2 at 20 C air: cells at 45 C, 8 % off; 80 W x 0.92 x 0.3 x 0.9.
        assert!((array.at(800.0, 20.0) - 19.872).abs() < 1e-9);
        assert!((PlannedArray { most_w: Some(10.0), ..array }.at(800.0, 20.0) - 9.0).abs() < 1e-9);
        let air = AirYear { coldest_month_c: 4.0, hottest_month_c: 24.0, is_south: false };
        assert!((air.at_day_c(15.0) - 4.0).abs() < 1e-9 && (air.at_day_c(197.5) - 24.0).abs() < 1e-9);
        assert!((AirYear { is_south: true, ..air }.at_day_c(15.0) - 24.0).abs() < 1e-9);
    }
}
