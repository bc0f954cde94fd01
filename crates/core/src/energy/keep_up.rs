//! Will it keep up? A load, a battery and an array through years of days.

use super::climate::{DaysOfYear, month_of_day};
use super::planned::{Air, PlannedArray};
use super::tilt_year::{Light, SunYear};
use crate::error::{Error, check_positive, check_range};
use crate::gear::battery::Chemistry;
use crate::sky::course::Site;

/// What is taken, as a person knows it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Load {
    /// W of each hour of the day, local standard time.
    ByHour([f64; 24]),
    /// A device that sleeps and is woken so often a day: a trail camera.
    Events { per_day: f64, wh_each: f64, idle_w: f64 },
    /// A compressor that runs for shares of the day and of the night (percent): a fridge. Day is from 8 to 20 h.
    Duty { running_w: f64, day_percent: f64, night_percent: f64 },
}

impl Load {
    /// W of an hour of the day, 0 to 23.
    pub fn watts_w(&self, hour: usize) -> f64 {
        match self {
            Load::ByHour(watts) => watts[hour % 24],
            Load::Events { per_day, wh_each, idle_w } => idle_w + per_day * wh_each / 24.0,
            Load::Duty { running_w, day_percent, night_percent } => {
                running_w * if (8..20).contains(&(hour % 24)) { day_percent } else { night_percent } / 100.0
            }
        }
    }

    /// Wh of a day.
    pub fn daily_wh(&self) -> f64 {
        (0..24).map(|hour| self.watts_w(hour)).sum()
    }
}

/// The store.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Bank {
    pub capacity_wh: f64,
    /// Of the capacity, what may be taken: 0 to 1.
    pub usable_share: f64,
    pub chemistry: Chemistry,
    /// W into it at most; `None`: no limit known.
    pub most_charge_w: Option<f64>,
    /// No charging below this, C.
    pub lowest_charge_c: f64,
    /// Of what goes in, what comes out again: 0 to 1.
    pub efficiency: f64,
}

impl Bank {
    /// Usual efficiency of a full cycle: 95 % of lithium, 80 % of lead. Common practice, no source.
    pub fn usual_efficiency(chemistry: Chemistry) -> f64 {
        if chemistry.is_lithium() { 0.95 } else { 0.80 }
    }

    /// Of the capacity, what is left in the cold: 0.8 % less for each kelvin under 25 C of lead, 0.5 % of lithium; never under 30 %.
    /// Common practice, no source.
    pub fn cold_share(&self, battery_c: f64) -> f64 {
        let per_k = if self.chemistry.is_lithium() { 0.005 } else { 0.008 };
        (1.0 - per_k * (25.0 - battery_c).max(0.0)).clamp(0.3, 1.0)
    }

    fn usable_wh(&self, battery_c: f64) -> f64 {
        self.capacity_wh * self.usable_share * self.cold_share(battery_c)
    }
}

/// The whole question.
#[derive(Debug, Clone, PartialEq)]
pub struct Question<'a> {
    pub site: &'a Site,
    pub utc_offset_h: f64,
    pub year: i16,
    pub sky: Sky<'a>,
    pub air: Air<'a>,
    pub array: PlannedArray,
    pub load: Load,
    pub bank: Bank,
}

#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Sky<'a> {
    /// Clearness by month: years of days are drawn from it.
    Climate([f64; 12]),
    /// The hours of a weather file: one year.
    Weather(&'a [crate::sky::clear_sky::Irradiance]),
}

/// Years that are drawn from a climate.
pub const YEARS: usize = 20;

/// The answer.
#[derive(Debug, Clone, PartialEq)]
pub struct Answer {
    /// Percent of the capacity that may be taken, at the end of each day: of the year of the lowest store.
    pub worst_year_percent: Vec<f64>,
    /// Percent of the years in which the load went short in each month.
    pub flat_years_percent: [f64; 12],
    /// Days a year on which the load went short, by month, on the mean.
    pub flat_days: [f64; 12],
    /// Days of each month on which the store is too cold to be charged.
    pub frost_days: [f64; 12],
    /// Of the load over all years, what was not met, percent.
    pub unmet_percent: f64,
    /// Wh of a mean day in each month: array, and load.
    pub array_wh: [f64; 12],
    pub load_wh: f64,
    /// Days that a full store lasts without any sun, in the coldest month.
    pub days_of_autonomy: f64,
    /// Watts at STC of the array, in its spot, with which no year goes short; `None` where none of up to 30 times as many do.
    pub enough_w: Option<f64>,
    /// Watt-hours of the store that do it with the array as it is.
    pub enough_wh: Option<f64>,
    pub years: usize,
}

impl Answer {
    pub fn keeps_up(&self) -> bool {
        self.unmet_percent == 0.0
    }
}

/// W that one STC watt of the array gives, hour by hour, of several years; and the battery's temperature by day.
struct Years {
    per_watt: Vec<Vec<f64>>,
    battery_c: Vec<f64>,
}

/// Goes through the years.
///
/// Each hour: the array's watts go to the load first, then into the store (with half of the cycle's loss on either way), up to its charge
/// limits, none while it is colder than may be charged; what is missing comes from the store until what may be taken is used up. The store
/// is as warm as the day's air, and begins full.
///
/// # Errors
/// Shares outside 0 to 1, a load, store or array of nothing; a place or climate that [`SunYear`] refuses.
pub fn keep_up(question: &Question<'_>) -> Result<Answer, Error> {
    check(question)?;
    let years = years(question)?;
    let load_wh = question.load.daily_wh();
    let gone = go(question, &years);
    let coldest_c = question.air.coldest_month_c();
    let days_of_autonomy = question.bank.usable_wh(coldest_c) * question.bank.efficiency.sqrt() / load_wh;
    let enough_array = least(&years, gone.worst_year, |per_watt, array| is_never_short(question, &years, per_watt, array, 1.0));
    let enough_store = least(&years, gone.worst_year, |per_watt, store| is_never_short(question, &years, per_watt, 1.0, store));
    let all_wh = load_wh * 365.0 * years.per_watt.len() as f64;
    let count = years.per_watt.len() as f64;
    Ok(Answer {
        worst_year_percent: gone.worst_year_percent,
        flat_years_percent: gone.flat_years.map(|years| 100.0 * years / count),
        flat_days: gone.flat_days.map(|days| days / count),
        frost_days: gone.frost_days.map(|days| days / count),
        unmet_percent: 100.0 * gone.unmet_wh / all_wh,
        array_wh: gone.array_wh,
        load_wh,
        days_of_autonomy,
        enough_w: enough_array.map(|factor| factor * question.array.stc_w),
        enough_wh: enough_store.map(|factor| factor * question.bank.capacity_wh),
        years: years.per_watt.len(),
    })
}

fn check(question: &Question<'_>) -> Result<(), Error> {
    check_positive("stc_w", question.array.stc_w, 1e6)?;
    check_positive("capacity_wh", question.bank.capacity_wh, 1e7)?;
    check_positive("load_wh", question.load.daily_wh(), 1e6)?;
    check_range("spot_share", question.array.spot_share, 0.0, 1.2)?;
    check_range("system_share", question.array.system_share, 0.0, 1.0)?;
    check_range("usable_share", question.bank.usable_share, 0.01, 1.0)?;
    check_range("efficiency", question.bank.efficiency, 0.3, 1.0)?;
    Ok(())
}

fn years(question: &Question<'_>) -> Result<Years, Error> {
    let suns = SunYear::of(&question.site.place, question.utc_offset_h, question.year)?;
    let battery_c: Vec<f64> = (0..365).map(|day| question.air.of_day_c(day)).collect();
    let of = |light: Light<'_>| -> Result<Vec<f64>, Error> {
        let year = suns.under(light, question.site.albedo)?;
        let one_watt = PlannedArray {
            stc_w: 1.0,
            most_w: question.array.most_w.map(|most_w| most_w / question.array.stc_w),
            ..question.array
        };
        let mut hours = vec![0.0; 365 * 24];
        for (hour, poa_w_m2) in year.hours.iter().zip(year.poa_w_m2(&question.array.plane)) {
            let day = usize::from(hour.day).min(364);
            let hour = usize::from(hour.hour);
            hours[day * 24 + hour] = one_watt.at(poa_w_m2, question.air.at_c(day, hour));
        }
        Ok(hours)
    };
    let per_watt = match question.sky {
        Sky::Climate(by_month) => {
            let days = DaysOfYear::of(&by_month);
            (0..YEARS as u64).map(|seed| of(Light::Days(&days.drawn(seed)))).collect::<Result<_, _>>()?
        }
        Sky::Weather(hours) => vec![of(Light::Hours(hours))?],
    };
    Ok(Years { per_watt, battery_c })
}

#[derive(Default)]
struct Gone {
    worst_year: usize,
    worst_year_percent: Vec<f64>,
    flat_years: [f64; 12],
    flat_days: [f64; 12],
    frost_days: [f64; 12],
    unmet_wh: f64,
    array_wh: [f64; 12],
}

/// A store on a day, and what it holds.
struct Stored {
    held_wh: f64,
    usable_wh: f64,
    may_charge: bool,
    most_charge_w: f64,
    /// Of the cycle's efficiency, on the way in and on the way out.
    one_way: f64,
}

impl Stored {
    /// Full.
    fn of(bank: &Bank) -> Self {
        Stored {
            held_wh: f64::INFINITY,
            usable_wh: 0.0,
            may_charge: false,
            most_charge_w: bank.most_charge_w.unwrap_or(f64::INFINITY),
            one_way: bank.efficiency.sqrt(),
        }
    }

    /// A new day, as warm as its air.
    fn begin_day(&mut self, bank: &Bank, battery_c: f64) {
        self.usable_wh = bank.usable_wh(battery_c);
        self.held_wh = self.held_wh.min(self.usable_wh);
        self.may_charge = battery_c >= bank.lowest_charge_c;
    }

    /// An hour in which the array gives so much more than the load takes, or less; answers the Wh that are missing.
    fn hour(&mut self, spare_w: f64) -> f64 {
        if spare_w >= 0.0 {
            let into_w = if self.may_charge { spare_w.min(self.most_charge_w) } else { 0.0 };
            self.held_wh = (self.held_wh + into_w * self.one_way).min(self.usable_wh);
            return 0.0;
        }
        let wanted = -spare_w / self.one_way;
        let taken = wanted.min(self.held_wh);
        self.held_wh -= taken;
        (wanted - taken) * self.one_way
    }
}

/// A rounding of the last digits is no shortage.
const SHORT_WH: f64 = 1e-9;

/// More times what is asked about than this is not looked for.
const MOST_TIMES: f64 = 30.0;

/// The least factor, to half a percent, at which every year is enough; `None` where [`MOST_TIMES`] are not. A year that is enough at what
/// the years before it need needs no search of its own, so that the worst is asked first.
fn least(years: &Years, worst_year: usize, is_enough: impl Fn(&[f64], f64) -> bool) -> Option<f64> {
    let mut least = 0.0;
    let (before, worst_on) = years.per_watt.split_at(worst_year);
    for per_watt in worst_on.iter().chain(before) {
        if least > 0.0 && is_enough(per_watt, least) {
            continue;
        }
        let (mut low, mut high) = (least, MOST_TIMES);
        if !is_enough(per_watt, high) {
            return None;
        }
        while high - low > 0.005 * high {
            let middle = f64::midpoint(low, high);
            if is_enough(per_watt, middle) { high = middle } else { low = middle }
        }
        least = high;
    }
    Some(least)
}

/// Whether no day of a year is short, with `array` and `store` times what is asked about: given up at the first that is.
fn is_never_short(question: &Question<'_>, years: &Years, per_watt: &[f64], array: f64, store: f64) -> bool {
    let bank = Bank { capacity_wh: question.bank.capacity_wh * store, ..question.bank };
    let load: [f64; 24] = std::array::from_fn(|hour| question.load.watts_w(hour));
    let array_w = question.array.stc_w * array;
    let mut stored = Stored::of(&bank);
    let (days, _) = per_watt.as_chunks::<24>();
    days.iter().zip(&years.battery_c).all(|(day, battery_c)| {
        stored.begin_day(&bank, *battery_c);
        day.iter().zip(load).map(|(per_watt, load_w)| stored.hour(per_watt * array_w - load_w)).sum::<f64>() <= SHORT_WH
    })
}

/// The years as they are asked about.
fn go(question: &Question<'_>, years: &Years) -> Gone {
    let bank = &question.bank;
    let load: [f64; 24] = std::array::from_fn(|hour| question.load.watts_w(hour));
    let mut gone = Gone::default();
    let (mut lowest, mut days_in) = (f64::INFINITY, [0.0; 12]);
    for (nth, per_watt) in years.per_watt.iter().enumerate() {
        let mut stored = Stored::of(bank);
        let (mut course, mut flat_months, mut low_of_year) = (Vec::with_capacity(365), [false; 12], f64::INFINITY);
        for day in 0..365 {
            let month = month_of_day(day);
            stored.begin_day(bank, years.battery_c[day]);
            let mut short_wh = 0.0;
            gone.frost_days[month] += f64::from(u8::from(!stored.may_charge));
            days_in[month] += 1.0;
            for (hour, load_w) in load.iter().enumerate() {
                let given_w = per_watt[day * 24 + hour] * question.array.stc_w;
                gone.array_wh[month] += given_w;
                short_wh += stored.hour(given_w - load_w);
                low_of_year = low_of_year.min(stored.held_wh / stored.usable_wh);
            }
            if short_wh > SHORT_WH {
                gone.unmet_wh += short_wh;
                gone.flat_days[month] += 1.0;
                flat_months[month] = true;
            }
            course.push(100.0 * stored.held_wh / stored.usable_wh);
        }
        for (years, flat) in gone.flat_years.iter_mut().zip(flat_months) {
            *years += f64::from(u8::from(flat));
        }
        if low_of_year < lowest {
            (lowest, gone.worst_year, gone.worst_year_percent) = (low_of_year, nth, course);
        }
    }
    for (sum, days) in gone.array_wh.iter_mut().zip(days_in) {
        *sum /= days;
    }
    gone
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::energy::climate::CLIMATES;
    use crate::energy::planned::AirYear;
    use crate::sky::place::Place;
    use crate::sky::plane::Plane;

    fn site() -> Site {
        Site { place: Place::check(38.6, -7.9, 300.0).unwrap(), albedo: 0.2, linke_turbidity: 3.0, ..Site::default() }
    }

    fn question(site: &Site, stc_w: f64, spot_share: f64, load: Load, capacity_wh: f64) -> Question<'_> {
        Question {
            site,
            utc_offset_h: 0.0,
            year: 2026,
            sky: Sky::Climate(CLIMATES[1].clearness(site.place.lat_deg)),
            air: Air::Months(AirYear { coldest_month_c: 9.0, hottest_month_c: 25.0, is_south: false }),
            array: PlannedArray {
                stc_w,
                spot_share,
                plane: Plane { tilt_deg: 45.0, azimuth_deg: 180.0 },
                gamma_per_k: -0.004,
                noct_c: 45.0,
                system_share: 0.9,
                most_w: None,
            },
            load,
            bank: Bank {
                capacity_wh,
                usable_share: 0.8,
                chemistry: Chemistry::LithiumIronPhosphate,
                most_charge_w: None,
                lowest_charge_c: 0.0,
                efficiency: 0.95,
            },
        }
    }

    /// A fridge of 45 W that runs 40 % of the day and 25 % of the night: 351 Wh a day.
    const FRIDGE: Load = Load::Duty { running_w: 45.0, day_percent: 40.0, night_percent: 25.0 };

    #[test]
    fn a_load_in_any_words_is_watts_by_the_hour() {
        assert!((FRIDGE.daily_wh() - 351.0).abs() < 1e-9);
        assert!((Load::Events { per_day: 120.0, wh_each: 0.02, idle_w: 0.05 }.daily_wh() - 3.6).abs() < 1e-9);
        assert_eq!(Load::ByHour([2.0; 24]).daily_wh(), 48.0);
    }

    #[test]
    fn enough_of_all_keeps_up_and_too_little_goes_flat_in_winter() {
        let site = site();
        let plenty = keep_up(&question(&site, 600.0, 1.0, FRIDGE, 2400.0)).unwrap();
        assert!(plenty.keeps_up() && plenty.flat_days.iter().all(|days| *days == 0.0), "{:?}", plenty.flat_days);
        let shaded = keep_up(&question(&site, 200.0, 0.45, FRIDGE, 1200.0)).unwrap();
        assert!(
            shaded.flat_years_percent[11] > 50.0 && shaded.flat_years_percent[6] < shaded.flat_years_percent[11],
            "{:?} {:?}",
            shaded.flat_years_percent,
            shaded.array_wh
        );
        assert!(!shaded.keeps_up() && shaded.unmet_percent > 1.0 && shaded.worst_year_percent.len() == 365);
    }

    /// What is said to be enough is enough, and a little less is not.
    #[test]
    fn what_would_be_enough_is_the_least_that_is() {
        let site = site();
        let found = keep_up(&question(&site, 150.0, 1.0, FRIDGE, 1200.0)).unwrap();
        assert!(!found.keeps_up());
        let enough_w = found.enough_w.unwrap();
        assert!(keep_up(&question(&site, enough_w, 1.0, FRIDGE, 1200.0)).unwrap().keeps_up());
        assert!(!keep_up(&question(&site, 0.98 * enough_w, 1.0, FRIDGE, 1200.0)).unwrap().keeps_up());
    }

    /// By hand: 960 Wh may be taken (80 % of 1200), 92 % of it at 9 C, once through the way out (0.9747): 861 Wh last 2.45 days of 351 Wh.
    #[test]
    fn days_of_autonomy_by_hand() {
        let site = site();
        let found = keep_up(&question(&site, 200.0, 1.0, FRIDGE, 1200.0)).unwrap();
        assert!((found.days_of_autonomy - 2.453).abs() < 0.01, "{}", found.days_of_autonomy);
    }

    /// The same air by the hour is the same answer; a file's January of frost stops the charging, whatever the form says of the month.
    #[test]
    fn the_air_of_a_weather_file_counts() {
        let site = site();
        let by_month = question(&site, 200.0, 1.0, FRIDGE, 1200.0);
        let hours: Vec<f64> = (0..365).flat_map(|day| [by_month.air.of_day_c(day); 24]).collect();
        let by_hour = keep_up(&Question { air: Air::Hours(&hours), ..by_month.clone() }).unwrap();
        let of_month = keep_up(&by_month).unwrap();
        assert!(
            (by_hour.unmet_percent - of_month.unmet_percent).abs() < 1e-9,
            "{} {}",
            by_hour.unmet_percent,
            of_month.unmet_percent
        );
        let frost: Vec<f64> = (0..8760).map(|hour| if hour < 31 * 24 { -6.0 } else { 12.0 }).collect();
        let frozen = keep_up(&Question { air: Air::Hours(&frost), ..by_month }).unwrap();
        assert!(
            frozen.frost_days[0] == 31.0 && frozen.frost_days[1] == 0.0 && frozen.flat_days[0] > of_month.flat_days[0] + 10.0
        );
        // 960 Wh, of it 84.5 % at -6 C, once through the way out: 790.7 Wh are 2.253 days of 351 Wh.
        assert!((frozen.days_of_autonomy - 2.253).abs() < 0.01, "{}", frozen.days_of_autonomy);
    }

    /// What goes in and what comes out and what is left add up, for any store: nothing is made.
    #[test]
    fn no_load_is_met_from_nothing() {
        let site = site();
        let dark = keep_up(&question(&site, 0.001, 1.0, FRIDGE, 1200.0)).unwrap();
        let met_wh = (1.0 - dark.unmet_percent / 100.0) * 351.0 * 365.0 * 20.0;
        assert!(met_wh < 20.0 * (960.0 + 10.0), "a full store once a year, and no more: {met_wh}");
        let frozen = Question {
            air: Air::Months(AirYear { coldest_month_c: -8.0, hottest_month_c: 20.0, is_south: false }),
            ..question(&site, 200.0, 1.0, FRIDGE, 1200.0)
        };
        let mild = keep_up(&question(&site, 200.0, 1.0, FRIDGE, 1200.0)).unwrap();
        let cold = keep_up(&frozen).unwrap();
        assert!(cold.flat_days[0] > mild.flat_days[0] + 10.0, "lithium is not charged below freezing");
        assert!(cold.frost_days[0] == 31.0 && cold.frost_days[6] == 0.0 && mild.frost_days == [0.0; 12], "{:?}", cold.frost_days);
        assert!(keep_up(&question(&site, 0.0, 1.0, FRIDGE, 1200.0)).is_err());
    }
}
