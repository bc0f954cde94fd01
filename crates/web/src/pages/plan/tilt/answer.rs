//! What the core answers, ready to be shown.

use super::ask::{Question, SkyChoice};
use crate::draw::tilt_sheet;
use crate::figures::{month_name, number, signed};
use flindo_core::energy::epw;
use flindo_core::energy::schedule::{Daily, Rule, Schedule, Setting};
use flindo_core::energy::tilt_year::{Light, Year};
use flindo_core::sky::plane::Plane;
use flindo_store::PlaceDraft;
use jiff::civil::Date;
use jiff::tz::{Offset, TimeZone};
use jiff::{Timestamp, ToSpan};

/// Tilts of the sheet, degrees.
const SHEET_STEP: usize = 5;
const BEST_HOURS: usize = 5;

pub struct Plan {
    pub assumed: String,
    pub best_tilt: String,
    pub best_kwh: String,
    pub yours_kwh: String,
    pub yours_lost: String,
    pub sheet: String,
    pub schedules: Vec<ScheduleRow>,
    pub rules: Vec<RuleRow>,
    pub months: Vec<MonthRow>,
    pub off: Vec<(String, String)>,
    pub month: String,
    pub best_hours: String,
    settings: Vec<(usize, Vec<Change>)>,
}

pub struct ScheduleRow {
    pub changes: usize,
    pub name: String,
    pub kwh: String,
    pub gain: String,
    pub when: Vec<String>,
    pub worth: Option<String>,
}

pub struct RuleRow {
    pub name: &'static str,
    pub kwh: String,
    pub loss: String,
}

pub struct MonthRow {
    pub name: String,
    pub flat_kwh: String,
    pub yours_kwh: String,
    pub gain: String,
    pub best_tilt: String,
}

/// A day on which the tilt is changed.
#[derive(Clone)]
pub struct Change {
    pub date: Date,
    pub tilt: String,
}

impl Plan {
    /// The changes of the schedule with this many settings.
    pub fn changes(&self, count: usize) -> Vec<Change> {
        self.settings.iter().find(|(changes, _)| *changes == count).map(|(_, changes)| changes.clone()).unwrap_or_default()
    }
}

/// Works everything out for this year. The error is a sentence.
pub fn work_out(place: &PlaceDraft, question: &Question, weather_file: Option<&str>) -> Result<Plan, String> {
    let zone = TimeZone::get(&place.time_zone).unwrap_or(TimeZone::UTC);
    let calendar_year = Timestamp::now().to_zoned_datetime(zone.clone()).year();
    let weather = weather_file.map(epw::parse).transpose()?;
    let (light, assumed) = match (&question.sky, &weather) {
        (SkyChoice::Weather(_), Some(weather)) => {
            (Light::Hours(&weather.hours), format!("the hours of the weather file {}", weather.name))
        }
        (SkyChoice::Climate(by_month), _) => (Light::Clearness { by_month }, climate_words(by_month)),
        _ => {
            let turbidity = place.clarity.linke_turbidity();
            (
                Light::Clear { linke_turbidity: turbidity },
                format!("a clear sky every day of the year ({}, turbidity {turbidity})", place.clarity.label()),
            )
        }
    };
    let utc_offset_h = weather.as_ref().map_or_else(|| standard_offset_h(&zone, calendar_year), |weather| weather.utc_offset_h);
    let year =
        Year::of(&place.place, utc_offset_h, calendar_year, light, place.ground.albedo()).map_err(|error| format!("{error}."))?;
    let daily = Daily::of(&year, question.azimuth_deg);
    Ok(Answering { place, question, calendar_year, year: &year, daily: &daily }.plan(assumed))
}

fn climate_words(by_month: &[f64; 12]) -> String {
    let shares: Vec<String> = by_month.iter().map(|share| number(*share, 2)).collect();
    format!(
        "a cloudy climate: of the light above the air, {} arrive from January to December (spread over the day by \
         Collares-Pereira and Rabl 1979, split by Erbs 1982)",
        shares.join(" ")
    )
}

/// The offset from UTC that is not summer time: the smaller one of the year.
fn standard_offset_h(zone: &TimeZone, year: i16) -> f64 {
    let offset = |month: i8| {
        let time = Date::new(year, month, 1).ok().and_then(|date| zone.to_timestamp(date.at(12, 0, 0, 0)).ok());
        time.map_or(Offset::UTC, |time| zone.to_offset(time)).seconds()
    };
    f64::from(offset(1).min(offset(7))) / 3600.0
}

struct Answering<'a> {
    place: &'a PlaceDraft,
    question: &'a Question,
    calendar_year: i16,
    year: &'a Year,
    daily: &'a Daily,
}

impl Answering<'_> {
    fn plan(&self, assumed: String) -> Plan {
        let fixed = self.daily.best(1);
        let best_tilt = fixed.settings[0].tilt_deg;
        let yours = self.plane(self.question.tilt_deg);
        let yours_kwh_m2: f64 = self.year.monthly_kwh_m2(&yours).iter().sum();
        let monthly_best = self.daily.monthly(&self.first_days());
        let schedules = [(2, self.daily.best(2)), (4, self.daily.best(4)), (12, monthly_best.clone())];
        let settings = schedules.iter().map(|(changes, schedule)| (*changes, self.changes(schedule))).collect();
        let once = ScheduleRow {
            changes: 1,
            name: "once and for all".to_owned(),
            kwh: self.kwh(fixed.kwh_m2),
            gain: "not defined".to_owned(),
            when: vec![format!("{best_tilt}\u{b0}")],
            worth: None,
        };
        let normal_kwh_m2: f64 = self.year.normal_monthly_kwh_m2().iter().sum();
        let square = ScheduleRow {
            changes: 0,
            name: "always normal to the sun".to_owned(),
            kwh: self.kwh(normal_kwh_m2),
            gain: percent_over(normal_kwh_m2, fixed.kwh_m2),
            when: vec!["follows the sun".to_owned()],
            worth: None,
        };
        let changed = schedules.iter().map(|(changes, schedule)| self.schedule_row(*changes, schedule, fixed.kwh_m2));
        Plan {
            assumed,
            best_tilt: format!("{best_tilt}\u{b0}"),
            best_kwh: self.kwh(fixed.kwh_m2),
            yours_kwh: self.kwh(yours_kwh_m2),
            yours_lost: percent_under(yours_kwh_m2, fixed.kwh_m2),
            sheet: self.sheet(),
            schedules: std::iter::once(once).chain(changed).chain(std::iter::once(square)).collect(),
            rules: Rule::ALL.iter().map(|rule| self.rule_row(*rule, fixed.kwh_m2)).collect(),
            months: self.months(&yours, &monthly_best),
            off: self.off(best_tilt, fixed.kwh_m2),
            month: month_name(usize::from(self.question.month)),
            best_hours: self.watts(self.year.best_hours_w_m2(&yours, self.question.month, BEST_HOURS)),
            settings,
        }
    }

    fn plane(&self, tilt_deg: f64) -> Plane {
        Plane { tilt_deg, azimuth_deg: self.question.azimuth_deg }
    }

    /// What the array makes of this much light.
    fn kwh(&self, kwh_m2: f64) -> String {
        let kwh = self.array_kwh(kwh_m2);
        format!("{}\u{a0}kWh", number(kwh, if kwh < 100.0 { 1 } else { 0 }))
    }

    fn array_kwh(&self, kwh_m2: f64) -> f64 {
        kwh_m2 * self.question.array_w / 1000.0 * (1.0 - self.question.loss_rel)
    }

    fn watts(&self, w_m2: f64) -> String {
        format!("{}\u{a0}W", number(w_m2 / 1000.0 * self.question.array_w * (1.0 - self.question.loss_rel), 0))
    }

    fn schedule_row(&self, changes: usize, schedule: &Schedule, fixed_kwh_m2: f64) -> ScheduleRow {
        let worth = self.question.hardware.worth(self.array_kwh(schedule.kwh_m2 - fixed_kwh_m2), changes);
        let words = match worth.years {
            Some(years) => format!("{} a year; payback {} years", signed(worth.yearly, 2), number(years, 1)),
            None => format!("{} a year: never", signed(worth.yearly, 2)),
        };
        let name = match changes {
            2 => "two settings a year",
            4 => "four settings a year",
            _ => "every month",
        };
        ScheduleRow {
            changes,
            name: name.to_owned(),
            kwh: self.kwh(schedule.kwh_m2),
            gain: percent_over(schedule.kwh_m2, fixed_kwh_m2),
            when: schedule
                .settings
                .iter()
                .map(|setting| format!("{} {}\u{b0}", self.date(setting).strftime("%-d %b"), setting.tilt_deg))
                .collect(),
            worth: Some(words),
        }
    }

    fn rule_row(&self, rule: Rule, fixed_kwh_m2: f64) -> RuleRow {
        let kwh_m2 = self.daily.total(|day| rule.tilt_deg(self.place.place.lat_deg, day));
        RuleRow { name: rule.label(), kwh: self.kwh(kwh_m2), loss: percent_over(kwh_m2, fixed_kwh_m2) }
    }

    fn months(&self, yours: &Plane, monthly_best: &Schedule) -> Vec<MonthRow> {
        let flat = self.year.monthly_kwh_m2(&self.plane(0.0));
        let tilted = self.year.monthly_kwh_m2(yours);
        (0..12)
            .map(|month| MonthRow {
                name: month_name(month),
                flat_kwh: self.kwh(flat[month]),
                yours_kwh: self.kwh(tilted[month]),
                gain: percent_over(tilted[month], flat[month]),
                best_tilt: format!("{}\u{b0}", monthly_best.settings[month].tilt_deg),
            })
            .collect()
    }

    /// What being off the best costs: 10 and 20 degrees of tilt and of azimuth.
    fn off(&self, best_tilt: f64, fixed_kwh_m2: f64) -> Vec<(String, String)> {
        let lost = |tilt_deg: f64, azimuth_deg: f64| {
            let kwh_m2: f64 = self.year.monthly_kwh_m2(&Plane { tilt_deg: tilt_deg.clamp(0.0, 90.0), azimuth_deg }).iter().sum();
            percent_under(kwh_m2, fixed_kwh_m2)
        };
        let azimuth = self.question.azimuth_deg;
        let mut rows = Vec::new();
        for off in [10.0, 20.0] {
            rows.push((format!("{off}\u{b0} too flat"), lost(best_tilt - off, azimuth)));
            rows.push((format!("{off}\u{b0} too steep"), lost(best_tilt + off, azimuth)));
        }
        for off in [10.0, 20.0, 45.0] {
            rows.push((format!("{off}\u{b0} turned clockwise"), lost(best_tilt, azimuth + off)));
            rows.push((format!("{off}\u{b0} turned counter-clockwise"), lost(best_tilt, azimuth - off)));
        }
        rows
    }

    fn sheet(&self) -> String {
        let tilts: Vec<f64> = (0..=90).step_by(SHEET_STEP).map(|tilt| tilt as f64).collect();
        let rows: Vec<[f64; 12]> = tilts.iter().map(|tilt| self.year.monthly_kwh_m2(&self.plane(*tilt))).collect();
        tilt_sheet::draw(&tilts, &rows)
    }

    fn changes(&self, schedule: &Schedule) -> Vec<Change> {
        schedule.settings.iter().map(|setting| Change { date: self.date(setting), tilt: number(setting.tilt_deg, 0) }).collect()
    }

    fn date(&self, setting: &Setting) -> Date {
        let first = Date::new(self.calendar_year, 1, 1).unwrap_or(Date::ZERO);
        first.checked_add((setting.from_day as i64).days()).unwrap_or(first)
    }

    fn first_days(&self) -> [usize; 12] {
        std::array::from_fn(|month| {
            Date::new(self.calendar_year, month as i8 + 1, 1).map_or(0, |date| usize::from(date.day_of_year().unsigned_abs()) - 1)
        })
    }
}

/// By how much `value` is over `base`, in percent of it.
fn percent_over(value: f64, base: f64) -> String {
    if base <= 0.0 { "not defined".to_owned() } else { format!("{}\u{a0}%", signed((value / base - 1.0) * 100.0, 1)) }
}

fn percent_under(value: f64, base: f64) -> String {
    if base <= 0.0 { "not defined".to_owned() } else { format!("{}\u{a0}%", number((1.0 - value / base) * 100.0, 1)) }
}
