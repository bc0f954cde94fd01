//! How often to change a tilt, when, and what the common rules lose.

use super::tilt_year::Year;
use crate::named::named;
use crate::sky::plane::Plane;

/// Tilts that are tried, degrees: 0 to 90 by 1.
const TILTS: usize = 91;

/// Change dates are tried every this many days.
const DAY_STEP: usize = 5;

/// kWh/m2 of every day at every tilt.
#[derive(Debug, Clone)]
pub struct Daily {
    /// Sums from 1 January to before each day, and to the end of the year: by tilt in degrees.
    sums: Vec<[f64; TILTS]>,
    days: usize,
    pieces: Pieces,
}

/// The best single tilt between any two change dates, going on into the next year, and what it gathers.
#[derive(Debug, Clone, Default)]
struct Pieces {
    /// Change dates as days of the year.
    cuts: Vec<usize>,
    /// From each date, by the number of dates until the next change, less 1.
    best: Vec<Vec<(f64, usize)>>,
}

/// A tilt kept from a day on.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Setting {
    /// From 1 January, 0 to 365.
    pub from_day: usize,
    pub tilt_deg: f64,
}

/// The settings of a year and what they gather.
#[derive(Debug, Clone, PartialEq)]
pub struct Schedule {
    pub settings: Vec<Setting>,
    pub kwh_m2: f64,
}

impl Daily {
    pub fn of(year: &Year, azimuth_deg: f64) -> Self {
        let mut sums = vec![[0.0; TILTS]; year.days + 1];
        for tilt in 0..TILTS {
            let daily_kwh_m2 = year.daily_kwh_m2(&Plane { tilt_deg: tilt as f64, azimuth_deg });
            let mut sum = 0.0;
            for (until, kwh_m2) in sums.iter_mut().skip(1).zip(daily_kwh_m2) {
                sum += kwh_m2;
                until[tilt] = sum;
            }
        }
        let mut daily = Daily { sums, days: year.days, pieces: Pieces::default() };
        daily.pieces = daily.pieces();
        daily
    }

    fn pieces(&self) -> Pieces {
        let cuts: Vec<usize> = (0..self.days).step_by(DAY_STEP).collect();
        let count = cuts.len();
        let end_day = |end: usize| if end < count { cuts[end] } else { cuts[end - count] + self.days };
        let best = (0..count)
            .map(|from| (1..=count).map(|length| self.best_tilt(cuts[from], end_day(from + length))).collect())
            .collect();
        Pieces { cuts, best }
    }

    /// kWh/m2 of a year whose tilt is told day by day.
    pub fn total(&self, tilt_deg: impl Fn(usize) -> f64) -> f64 {
        (0..self.days).map(|day| self.between(tilt_deg(day), day, day + 1)).sum()
    }

    /// The best schedule of `changes` settings a year, with change dates to 5 days and tilts to 1 degree. 1 to 6.
    pub fn best(&self, changes: usize) -> Schedule {
        if changes <= 1 {
            let (kwh_m2, tilt) = self.best_tilt(0, self.days);
            return Schedule { settings: vec![Setting { from_day: 0, tilt_deg: tilt as f64 }], kwh_m2 };
        }
        let Pieces { cuts, best } = &self.pieces;
        let count = cuts.len();
        let first_cuts = (0..count).map(|first| pieces_from(best, first, changes));
        let (kwh_m2, places) = first_cuts.max_by(|a, b| a.0.total_cmp(&b.0)).unwrap_or_default();
        let mut settings: Vec<Setting> = Vec::new();
        for (index, place) in places.iter().enumerate() {
            let next = places.get(index + 1).copied().unwrap_or(places[0] + count);
            let (_, tilt) = best[place % count][next - place - 1];
            settings.push(Setting { from_day: cuts[place % count], tilt_deg: tilt as f64 });
        }
        settings.sort_by_key(|setting| setting.from_day);
        Schedule { settings, kwh_m2 }
    }

    /// The best tilt of every calendar month, changed on its first day. `first_days` are the twelve, from 1 January.
    pub fn monthly(&self, first_days: &[usize; 12]) -> Schedule {
        let pieces = (0..12).map(|month| {
            let to = first_days.get(month + 1).copied().unwrap_or(self.days);
            let (kwh_m2, tilt) = self.best_tilt(first_days[month], to);
            (kwh_m2, Setting { from_day: first_days[month], tilt_deg: tilt as f64 })
        });
        let (gathered, settings): (Vec<f64>, Vec<Setting>) = pieces.unzip();
        Schedule { settings, kwh_m2: gathered.iter().sum() }
    }

    /// The best tilt between two days, and what it gathers; `to` may lie in the next year.
    fn best_tilt(&self, from: usize, to: usize) -> (f64, usize) {
        let mut best = (f64::MIN, 0);
        let (start, end) = (&self.sums[from], &self.sums[if to <= self.days { to } else { to - self.days }]);
        let year = &self.sums[self.days];
        for tilt in 0..TILTS {
            let gathered = end[tilt] - start[tilt] + if to <= self.days { 0.0 } else { year[tilt] };
            if gathered >= best.0 {
                best = (gathered, tilt);
            }
        }
        best
    }

    fn at_grid(&self, tilt: usize, from: usize, to: usize) -> f64 {
        let until = |day: usize| self.sums[day][tilt];
        if to <= self.days { until(to) - until(from) } else { until(self.days) - until(from) + until(to - self.days) }
    }

    /// Between two tilts of the grid, straight.
    fn between(&self, tilt_deg: f64, from: usize, to: usize) -> f64 {
        let tilt = tilt_deg.clamp(0.0, (TILTS - 1) as f64);
        let (low, share) = (tilt.floor() as usize, tilt.fract());
        let high = (low + 1).min(TILTS - 1);
        self.at_grid(low, from, to) * (1.0 - share) + self.at_grid(high, from, to) * share
    }
}

/// The best way to cut the year that begins at `first` into `changes` pieces: what it gathers, and where the pieces begin. Bellman's
/// recursion (1957): the best of so many pieces up to a date is the best of one piece fewer up to an earlier one, and the piece between.
fn pieces_from(piece: &[Vec<(f64, usize)>], first: usize, changes: usize) -> (f64, Vec<usize>) {
    let count = piece.len();
    // Up to each date, counted from `first`; nothing before it.
    let mut best: Vec<f64> = (0..=count).map(|end| if end == 0 { f64::MIN } else { piece[first][end - 1].0 }).collect();
    // Where the last piece up to each date begins, for two pieces, three and so on.
    let mut begins: Vec<Vec<usize>> = Vec::with_capacity(changes);
    for _ in 1..changes {
        let (mut next, mut begin) = (vec![f64::MIN; count + 1], vec![0; count + 1]);
        for cut in 1..count {
            let from_cut = &piece[(first + cut) % count];
            for end in cut + 1..=count {
                let total = best[cut] + from_cut[end - cut - 1].0;
                if total > next[end] {
                    (next[end], begin[end]) = (total, cut);
                }
            }
        }
        best = next;
        begins.push(begin);
    }
    let (mut places, mut end) = (Vec::with_capacity(changes), count);
    for begin in begins.iter().rev() {
        end = begin[end];
        places.push(first + end);
    }
    places.push(first);
    places.reverse();
    (best[count], places)
}

/// A common rule for the tilt.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Rule {
    Latitude,
    LatitudeBySeason,
    Linear,
    Bar45,
    SquareAtNoon,
    Flat,
}

named!(Rule {
    Latitude = "latitude", "equal to latitude";
    LatitudeBySeason = "latitude_by_season", "latitude, 15 more in winter and 15 less in summer";
    Linear = "linear", "0.76 of latitude plus 3.1";
    Bar45 = "bar_45", "one bar, 45 degrees";
    SquareAtNoon = "square_at_noon", "square to the noon sun, by its shadow, every day";
    Flat = "flat", "flat";
});

impl Rule {
    /// The rule's tilt on a day (0 to 365) at a latitude, degrees. The rules themselves are common practice, no source.
    pub fn tilt_deg(self, lat_deg: f64, day: usize) -> f64 {
        let lat = lat_deg.abs();
        // From the end of September to the end of March is winter in the north.
        let northern_winter = !(80..265).contains(&day);
        let winter = northern_winter == (lat_deg >= 0.0);
        let tilt = match self {
            Rule::Latitude => lat,
            Rule::LatitudeBySeason => lat + if winter { 15.0 } else { -15.0 },
            Rule::Linear => 0.76 * lat + 3.1,
            Rule::Bar45 => 45.0,
            Rule::SquareAtNoon => {
                // Cooper 1969: the declination to a degree, as good as a shadow shows it.
                let declination = 23.45 * (2.0 * std::f64::consts::PI * (284.0 + day as f64 + 1.0) / 365.0).sin();
                if lat_deg >= 0.0 { lat_deg - declination } else { declination - lat_deg }
            }
            Rule::Flat => 0.0,
        };
        tilt.clamp(0.0, 90.0)
    }
}
