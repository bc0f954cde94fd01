//! Days as they come: climates by month, and years of days drawn from them, cloudy ones and clear ones in the order in which weather
//! brings them.

use crate::seed::hashed;
use crate::sky::place::Place;
use statrs::distribution::{ContinuousCDF, Normal};
use std::ops::RangeInclusive;

/// A climate by name: of the light above the air, the share that arrives in each month. Made up to be plausible for their kind, no source.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Climate {
    pub name: &'static str,
    pub label: &'static str,
    /// January first, as in the northern half: the named seasons are its.
    northern: [f64; 12],
}

impl Climate {
    /// Clearness by month of the calendar, January first, at this latitude: in the southern half the seasons come half a year later.
    pub fn clearness(&self, lat_deg: f64) -> [f64; 12] {
        let later = if lat_deg < 0.0 { 6 } else { 0 };
        std::array::from_fn(|month| self.northern[(month + later) % 12])
    }
}

/// The climate that is taken where nobody chose one and no weather file is of the place.
pub const USUAL_CLIMATE: &str = "summer_dry";

/// A weather file is of a place that lies this near to its station, km. Common practice, no source: monthly sums of irradiation follow
/// those of a station over some tens of kilometres.
const OF_THE_PLACE_KM: f64 = 50.0;

/// The weather file of a place, by its station: the nearest of those near enough. `stations`: each with its latitude and longitude.
pub fn weather_of<Id: Copy>(place: &Place, stations: impl IntoIterator<Item = (Id, f64, f64)>) -> Option<Id> {
    let far = |(id, lat_deg, lon_deg): (Id, f64, f64)| (id, place.distance_km(lat_deg, lon_deg));
    let near = stations.into_iter().map(far).filter(|(_, km)| *km <= OF_THE_PLACE_KM);
    near.min_by(|a, b| a.1.total_cmp(&b.1)).map(|(id, _)| id)
}

pub const CLIMATES: [Climate; 3] = [
    Climate { name: "dry", label: "dry", northern: [0.60, 0.62, 0.65, 0.68, 0.69, 0.68, 0.62, 0.62, 0.65, 0.66, 0.62, 0.59] },
    Climate {
        name: "summer_dry",
        label: "dry summers, wet winters",
        northern: [0.47, 0.50, 0.54, 0.56, 0.60, 0.64, 0.68, 0.67, 0.62, 0.55, 0.49, 0.45],
    },
    Climate {
        name: "cloudy",
        label: "cloudy",
        northern: [0.36, 0.41, 0.45, 0.48, 0.50, 0.52, 0.53, 0.52, 0.49, 0.43, 0.37, 0.34],
    },
];

/// Mean air temperatures from the coldest to the hottest month (C) of a place of which the extremes are known: they lie inside these by two
/// ninths of the span from below and a third from above. Common practice, no source: 5 and 25 C where the air runs from -5 to 40
/// C. `coldest_c` is not above `hottest_c`.
pub fn usual_months_c(coldest_c: f64, hottest_c: f64) -> RangeInclusive<f64> {
    let span_k = hottest_c - coldest_c;
    coldest_c + span_k * 2.0 / 9.0..=hottest_c - span_k / 3.0
}

/// The darkest day of any month (Bendt, Collares-Pereira and Rabl 1981).
const DARKEST: f64 = 0.05;

/// Correlation of a day's clearness with that of the day before, after both were made normal (Graham, Hollands and Huget 1988, A time
/// series model for Kt, Solar Energy 40: 0.29; from memory).
const DAY_TO_DAY: f64 = 0.29;

/// The clearest day of a month (Hollands and Huget 1983, as in Duffie and Beckman, equation 2.9.8; from memory).
fn clearest(monthly: f64) -> f64 {
    0.6313 + 0.267 * monthly - 11.9 * (monthly - 0.75).powi(8)
}

/// How the days of a month spread around its mean.
///
/// Bendt, Collares-Pereira and Rabl 1981, The frequency distribution of daily insolation values, Solar Energy 27 (as in Duffie and
/// Beckman, equations 2.9.1 to 2.9.6; from memory): `F(k) = (e^(g a) - e^(g k)) / (e^(g a) - e^(g b))` from the darkest day `a` to the
/// clearest `b`, with `g` such that the mean is the month's.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct DaysOfMonth {
    darkest: f64,
    clearest: f64,
    gamma: f64,
}

impl DaysOfMonth {
    /// Of a month of this mean clearness, 0.05 to 0.85.
    pub fn of(monthly: f64) -> Self {
        let (darkest, clearest) = (DARKEST, clearest(monthly).max(monthly + 0.02).min(0.85));
        DaysOfMonth { darkest, clearest, gamma: gamma(monthly, darkest, clearest) }
    }

    /// The clearness of the day of which a share of `chance` (0 to 1) is darker.
    pub fn clearness(&self, chance: f64) -> f64 {
        let DaysOfMonth { darkest, clearest, gamma } = *self;
        let (at_darkest, at_clearest) = ((gamma * darkest).exp(), (gamma * clearest).exp());
        ((at_darkest - chance.clamp(0.0, 1.0) * (at_darkest - at_clearest)).ln() / gamma).clamp(darkest, clearest)
    }
}

/// The exponent that gives a distribution its mean; the mean rises with it, so that halving an interval finds it.
fn gamma(mean: f64, a: f64, b: f64) -> f64 {
    let mean_of = |g: f64| {
        // Divided by the larger power, so that nothing overflows.
        let (at_a, at_b) = if g > 0.0 { ((g * (a - b)).exp(), 1.0) } else { (1.0, (g * (b - a)).exp()) };
        ((a - 1.0 / g) * at_a - (b - 1.0 / g) * at_b) / (at_a - at_b)
    };
    let (mut low, mut high) = (-400.0, 400.0);
    for _ in 0..80 {
        let middle = (low + high) / 2.0;
        // At nothing the distribution is even, and the formula has no value.
        let middle = if f64::abs(middle) < 1e-4 { 1e-4 } else { middle };
        if mean_of(middle) < mean { low = middle } else { high = middle }
    }
    (low + high) / 2.0
}

/// Months of a year of 365 days.
const MONTH_DAYS: [usize; 12] = [31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31];

/// The month (0 to 11) of a day from 0 to 364.
pub fn month_of_day(day: usize) -> usize {
    let mut left = day;
    for (month, days) in MONTH_DAYS.iter().enumerate() {
        if left < *days {
            return month;
        }
        left -= days;
    }
    11
}

/// How the days of a climate spread, month by month: years are drawn from it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct DaysOfYear {
    months: [DaysOfMonth; 12],
}

impl DaysOfYear {
    /// By the mean clearness of each month, 0.05 to 0.85.
    pub fn of(by_month: &[f64; 12]) -> Self {
        DaysOfYear { months: by_month.map(DaysOfMonth::of) }
    }

    /// Clearness of 365 days of one year, drawn by a seed.
    pub fn drawn(&self, seed: u64) -> Vec<f64> {
        let normal = Normal::standard();
        let mut state = 0.0;
        (0..365)
            .map(|day| {
                let drawn = normal.inverse_cdf(hashed(seed, day as u64).clamp(1e-9, 1.0 - 1e-9));
                state = if day == 0 { drawn } else { DAY_TO_DAY * state + (1.0 - DAY_TO_DAY * DAY_TO_DAY).sqrt() * drawn };
                self.months[month_of_day(day)].clearness(normal.cdf(state))
            })
            .collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// One degree of latitude is 111.19 km on a sphere of 6371 km, and of longitude at 60 degrees half of that.
    #[test]
    fn a_weather_file_is_of_the_nearest_place_within_fifty_kilometres() {
        let place = Place::check(60.0, 10.0, 100.0).unwrap();
        assert!((place.distance_km(61.0, 10.0) - 111.19).abs() < 0.01 && (place.distance_km(60.0, 11.0) - 55.60).abs() < 0.02);
        assert!((place.distance_km(-60.0, -170.0) - std::f64::consts::PI * 6371.0).abs() < 0.01);
        assert_eq!(weather_of(&place, [(1, 60.46, 10.0)]), None);
        assert_eq!(weather_of(&place, [(1, 60.44, 10.0), (2, 60.1, 10.1), (3, 30.0, 10.0)]), Some(2));
        assert_eq!(weather_of(&place, Vec::<(i64, f64, f64)>::new()), None);
    }

    /// By hand: -5 to 40 C are 45 K: 5 and 25 C. A place of 21 to 36 C has 24.3 and 31 C, the cold month below the hot one.
    #[test]
    fn the_usual_months_lie_inside_the_extremes_in_their_order() {
        assert_eq!(usual_months_c(-5.0, 40.0), 5.0..=25.0);
        let warm_c = usual_months_c(21.0, 36.0);
        assert!((warm_c.start() - 24.333).abs() < 1e-3 && (warm_c.end() - 31.0).abs() < 1e-9);
        assert_eq!(usual_months_c(20.0, 20.0), 20.0..=20.0);
    }

    /// Duffie and Beckman, figure 2.9.2 (from memory): of a month of 0.5, half the days are clearer than about 0.53; of one of 0.3, than
    /// about 0.27.
    #[test]
    fn days_spread_around_their_month() {
        let half = DaysOfMonth::of(0.5).clearness(0.5);
        assert!((0.50..0.56).contains(&half), "{half}");
        let half = DaysOfMonth::of(0.3).clearness(0.5);
        assert!((0.24..0.30).contains(&half), "{half}");
        let half = DaysOfMonth::of(0.5);
        assert!(half.clearness(0.0) < 0.06 && half.clearness(1.0) > 0.7);
    }

    #[test]
    fn the_mean_of_many_years_is_the_climate() {
        for climate in CLIMATES {
            let days = DaysOfYear::of(&climate.northern);
            let years: Vec<Vec<f64>> = (0..200).map(|seed| days.drawn(seed)).collect();
            for month in [0, 6] {
                let days = years.iter().flat_map(|year| year.iter().enumerate()).filter(|(day, _)| month_of_day(*day) == month);
                let (sum, count) = days.fold((0.0, 0.0), |(sum, count), (_, share)| (sum + share, count + 1.0));
                assert!((sum / count - climate.northern[month]).abs() < 0.01, "{} {month}: {}", climate.name, sum / count);
            }
        }
    }

    #[test]
    fn a_dark_day_follows_a_dark_day_more_often() {
        let (mut after_dark, mut dark, mut all) = (0, 0, 0);
        let days = DaysOfYear::of(&[0.5; 12]);
        for seed in 0..60 {
            let year = days.drawn(seed);
            for pair in year.windows(2) {
                all += 1;
                dark += usize::from(pair[1] < 0.4);
                after_dark += usize::from(pair[0] < 0.4 && pair[1] < 0.4);
            }
        }
        let alone = dark as f64 / all as f64;
        assert!(after_dark as f64 / dark as f64 > 1.2 * alone);
    }
}
