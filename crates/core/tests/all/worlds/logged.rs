//! A made day before the judge of logs: what of its truth is held, found and named.

use super::days::{DayWorld, Happening, MadeDay};
use flindo_core::energy::log::assess::assess;
use flindo_core::energy::log::event::{Event, EventKind};
use flindo_core::measure::series::integral::Interval;

/// What became of one day.
#[derive(Debug, Clone, PartialEq)]
pub struct Judged {
    /// As it is said.
    pub energy_wh: Interval,
    pub is_energy_held: bool,
    /// Of what happened and took over 3 % of the day: whether it was found. `None` where nothing did.
    pub is_found: Option<bool>,
    /// Kinds that were named and are not there.
    pub others: Vec<EventKind>,
    pub is_clock_accused: bool,
    /// What it took: said, half the interval, and truly, Wh; where it was found.
    pub cost_wh: Option<(f64, f64, f64)>,
}

/// The kind under which a happening is to be found.
pub fn kind_of(happening: Happening) -> Option<EventKind> {
    match happening {
        Happening::Nothing => None,
        Happening::Port => Some(EventKind::Clipping),
        Happening::Full => Some(EventKind::Throttled),
        Happening::Snow => Some(EventKind::Snow),
        Happening::Shade => Some(EventKind::Shade),
    }
}

pub fn judged(world: &DayWorld) -> Judged {
    of_made(world, world.make())
}

/// As [`judged`], of the same log with only so many-th of its samples.
pub fn judged_every(world: &DayWorld, nth: usize) -> Judged {
    of_made(world, world.every(nth))
}

fn of_made(world: &DayWorld, made: MadeDay) -> Judged {
    let found = assess(&made.record, made.day).unwrap();
    let energy = found.figures.as_ref().unwrap().energy_wh;
    let kind = kind_of(world.happening);
    let is_allowed = |event: &&Event| match event.kind {
        EventKind::Clear | EventKind::Wake | EventKind::Sleep => true,
        EventKind::Cloud => world.is_cloudy,
        other => Some(other) == kind,
    };
    let mut others: Vec<EventKind> = found.events.iter().filter(|event| !is_allowed(event)).map(|event| event.kind).collect();
    others.sort();
    others.dedup();
    let of_kind: Vec<&Event> = found.events.iter().filter(|event| Some(event.kind) == kind).collect();
    let is_worth = made.cost_wh > 0.03 * (made.energy_wh + made.cost_wh);
    Judged {
        energy_wh: energy,
        is_energy_held: (energy.low..=energy.high).contains(&made.energy_wh),
        is_found: kind.filter(|_| is_worth).map(|_| !of_kind.is_empty()),
        others,
        is_clock_accused: found.clock.is_some_and(|check| check.is_wrong()),
        cost_wh: (!of_kind.is_empty()).then(|| {
            (of_kind.iter().map(|event| event.lost_wh).sum(), of_kind.iter().map(|event| event.u_lost_wh).sum(), made.cost_wh)
        }),
    }
}

impl Judged {
    /// Whether the interval of what it took holds the truth; `None` where it was not found or took little.
    pub fn is_cost_held(&self) -> Option<bool> {
        let (said_wh, u_wh, truly_wh) = self.cost_wh.filter(|_| self.is_found.is_some())?;
        Some((said_wh - truly_wh).abs() <= u_wh)
    }
}

/// Days, and how many of those that say something do so: energy held, found, cost held; with what was named that is not there, and the
/// middle half interval of a cost in percent of it.
pub fn row(all: &[&Judged]) -> String {
    let of = |said: Vec<bool>| match said.len() {
        0 => "-".to_owned(),
        whole => format!("{} of {whole}", said.iter().filter(|is| **is).count()),
    };
    let mut others: std::collections::BTreeMap<String, usize> = std::collections::BTreeMap::new();
    for one in all {
        let clock = one.is_clock_accused.then(|| "clock".to_owned());
        for name in one.others.iter().map(|kind| kind.name().to_owned()).chain(clock) {
            *others.entry(name).or_default() += 1;
        }
    }
    let others: Vec<String> = others.into_iter().map(|(name, days)| format!("{name} {days}")).collect();
    let widths = all.iter().filter(|one| one.is_found.is_some()).filter_map(|one| one.cost_wh);
    let width = super::table::median(widths.map(|(said_wh, u_wh, _)| 100.0 * u_wh / said_wh).collect());
    format!(
        "{} | {} | {} | {} | {} | {}",
        all.len(),
        of(all.iter().map(|one| one.is_energy_held).collect()),
        of(all.iter().filter_map(|one| one.is_found).collect()),
        if others.is_empty() { "none".to_owned() } else { others.join(", ") },
        of(all.iter().filter_map(|one| one.is_cost_held()).collect()),
        width.map_or_else(|| "-".to_owned(), |width| format!("{width:.0}")),
    )
}
