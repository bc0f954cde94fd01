//! Series or parallel: which wins depends on the shade and on what takes the watts, and where it turns is the answer.

use super::operate::{Charger, ControllerState, Load};
use crate::array::{Array, ArrayWiring};
use crate::error::Error;
use crate::panel::curve::{At, Curve};
use crate::panel::face::Mounting;
use crate::panel::shade::{Pattern, Shade};

/// Two ways whose watts differ by less are equal.
pub const SAME_REL: f64 = 0.005;

/// What takes the watts.
#[derive(Debug, Clone, Copy)]
pub enum Converter<'a> {
    /// A tracker over the whole curve that loses nothing.
    Ideal,
    /// One that loses nothing and stays on the first hill from above.
    FirstHill,
    /// A controller with its battery.
    Through(Charger<'a>),
}

/// What was taken.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Delivered {
    /// From the panels, or into the battery where there is one; 0 or more.
    pub watts_w: f64,
    /// Where the panels work.
    pub panel: At,
    pub state: ControllerState,
}

impl Converter<'_> {
    /// What it makes of a curve; see [`Charger::on`] for `was_running`.
    pub fn takes(&self, curve: &Curve, was_running: bool) -> Delivered {
        let of = |load: Load| {
            let panel = load.on(curve);
            Delivered { watts_w: panel.w().max(0.0), panel, state: ControllerState::Working }
        };
        match self {
            Converter::Ideal => of(Load::Global),
            Converter::FirstHill => of(Load::LocalTracking),
            Converter::Through(charger) => {
                let found = charger.on(curve, was_running);
                Delivered { watts_w: found.battery_w().max(0.0), panel: found.panel, state: found.state }
            }
        }
    }

    /// The same where it stays on the first hill.
    pub fn on_the_first_hill(self) -> Self {
        match self {
            Converter::Ideal | Converter::FirstHill => Converter::FirstHill,
            Converter::Through(charger) => Converter::Through(Charger { is_global: false, ..charger }),
        }
    }
}

/// One shade, both ways.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct BothWays {
    pub series: Delivered,
    pub parallel: Delivered,
    /// In series on the first hill.
    pub series_first_hill: Delivered,
}

impl BothWays {
    /// An array as it is lit, both ways.
    pub fn of(array: &Array, taker: &Converter<'_>) -> Result<Self, Error> {
        let lit = array.lit()?;
        let series = lit.in_strings(&array.lengths(ArrayWiring::Series))?;
        let parallel = lit.in_strings(&array.lengths(ArrayWiring::Parallel))?;
        Ok(BothWays {
            series: taker.takes(series.curve(), false),
            parallel: taker.takes(parallel.curve(), false),
            series_first_hill: taker.on_the_first_hill().takes(series.curve(), false),
        })
    }

    /// The way that gives more; none where it makes no difference worth naming.
    pub fn winner(&self) -> Option<ArrayWiring> {
        leader(self.series.watts_w, self.parallel.watts_w, self.series.watts_w.max(self.parallel.watts_w))
    }
}

fn leader(series_w: f64, parallel_w: f64, most_w: f64) -> Option<ArrayWiring> {
    if (series_w - parallel_w).abs() <= SAME_REL * most_w {
        return None;
    }
    Some(if series_w > parallel_w { ArrayWiring::Series } else { ArrayWiring::Parallel })
}

/// The first panel under a shade, the others in full light.
fn under(array: &Array, shade: &Shade, mounting: Mounting) -> Array {
    let mut under = array.clone();
    for (nth, (panel, shares)) in under.panels.iter_mut().enumerate() {
        *shares = if nth == 0 { shade.shares(&panel.layout, mounting) } else { Vec::new() };
    }
    under
}

/// Every named pattern but none, of the size and light of `shade`, on the first panel.
pub fn by_pattern(
    array: &Array,
    shade: &Shade,
    mounting: Mounting,
    taker: &Converter<'_>,
) -> Result<Vec<(Pattern, BothWays)>, Error> {
    let patterns = Pattern::ALL.iter().copied().filter(|pattern| *pattern != Pattern::None && *pattern != Pattern::Snow);
    patterns.map(|pattern| Ok((pattern, BothWays::of(&under(array, &Shade { pattern, ..*shade }, mounting), taker)?))).collect()
}

/// Shares of the way that a growing shade is looked at.
const SIZES: [f64; 13] = [0.0, 0.05, 0.1, 0.15, 0.2, 0.3, 0.4, 0.5, 0.6, 0.7, 0.8, 0.9, 1.0];

/// The pattern of `shade` as it grows over the first panel: (share of its way, both ways).
pub fn by_size(array: &Array, shade: &Shade, mounting: Mounting, taker: &Converter<'_>) -> Result<Vec<(f64, BothWays)>, Error> {
    SIZES
        .iter()
        .map(|size| Ok((*size, BothWays::of(&under(array, &Shade { size: *size, ..*shade }, mounting), taker)?)))
        .collect()
}

/// Which wiring gives more along a course, and where that changes.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct WiringPreference {
    pub first: Option<ArrayWiring>,
    /// Where, and which gives more from there on.
    pub break_even: Vec<(f64, ArrayWiring)>,
}

/// The preference along (x, watts in series, watts in parallel), x rising. Differences below [`SAME_REL`] of the most watts of the course
/// decide nothing.
pub fn wiring_preference(course: &[(f64, f64, f64)]) -> WiringPreference {
    let most_w = course.iter().map(|(_, series_w, parallel_w)| series_w.max(*parallel_w)).fold(0.0, f64::max);
    let mut found = WiringPreference::default();
    let mut now: Option<(ArrayWiring, f64, f64)> = None;
    for (x, series_w, parallel_w) in course {
        let Some(way) = leader(*series_w, *parallel_w, most_w) else { continue };
        let ahead_w = series_w - parallel_w;
        match now {
            None => found.first = Some(way),
            // Between the two looks the difference goes through 0.
            Some((before, from_x, from_w)) if before != way => {
                found.break_even.push((from_x + (x - from_x) * from_w / (from_w - ahead_w), way));
            }
            Some(_) => {}
        }
        now = Some((way, *x, ahead_w));
    }
    found
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::gear::controller::Controller;
    use crate::gear::{Gear, GearKind, Typed};
    use crate::panel::example::saffron;

    fn two_saffrons() -> Array {
        let panel = saffron();
        Array {
            panels: vec![(panel.clone(), Vec::new()), (panel, Vec::new())],
            poa_w_m2: 1000.0,
            cell_c: 45.0,
            lead_ohm: 0.0,
            is_blocked: false,
        }
    }

    fn lathe(max_input_v: &str) -> Controller {
        let fields = [("max_input_v", max_input_v), ("max_battery_a", "30")];
        let typed: Typed = fields.iter().map(|(name, text)| ((*name).to_owned(), (*text).to_owned())).collect();
        let Ok(Gear::Controller(controller)) = GearKind::Controller.check(&typed) else { panic!("a controller") };
        controller
    }

    fn through(controller: &Controller, battery_v: f64) -> Converter<'_> {
        Converter::Through(Charger { controller, battery_v, accepts_a: 100.0, is_global: true })
    }

    const SHADE: Shade = Shade { pattern: Pattern::Left, size: 0.2, through: 0.1, soft: 0.0, place: 0.5, seed: 1 };

    /// Both schools are right: the same two panels under the same area of shade, and each way wins somewhere.
    #[test]
    fn each_way_wins_under_some_pattern() {
        let found = by_pattern(&two_saffrons(), &SHADE, Mounting::Portrait, &Converter::Ideal).unwrap();
        let winner = |pattern| found.iter().find(|(of, _)| *of == pattern).unwrap().1.winner();
        assert_eq!(found.len(), Pattern::ALL.len() - 2);
        assert_eq!((winner(Pattern::Left), winner(Pattern::Whole)), (Some(ArrayWiring::Series), Some(ArrayWiring::Parallel)));
        assert!(found.iter().all(|(_, row)| row.series_first_hill.watts_w <= row.series.watts_w * (1.0 + 1e-9)));
        let even = BothWays { parallel: found[0].1.series, ..found[0].1 };
        assert_eq!(even.winner(), None);
    }

    /// With a 24 V battery two 36-cell panels in parallel never start: their volts are below it, and series is the only way.
    #[test]
    fn a_battery_decides_where_the_sun_does_not() {
        let lathe = lathe("100");
        let low = BothWays::of(&two_saffrons(), &through(&lathe, 13.0)).unwrap();
        let high = BothWays::of(&two_saffrons(), &through(&lathe, 26.0)).unwrap();
        assert_eq!(low.winner(), None);
        assert_eq!((high.parallel.state, high.winner()), (ControllerState::NotStarting, Some(ArrayWiring::Series)));
        // 48 V open on an input that stands 40.
        let little = super::tests::lathe("40");
        let over = BothWays::of(&two_saffrons(), &through(&little, 13.0)).unwrap();
        assert_eq!(
            (over.series.state, over.series.watts_w, over.winner()),
            (ControllerState::OverVolts, 0.0, Some(ArrayWiring::Parallel))
        );
    }

    /// A shade that leaves one group of cells dark puts the best hill of a single panel below the battery: the tracker cannot go there,
    /// and only the panels in series keep their volts above it.
    #[test]
    fn a_hill_below_the_battery_is_out_of_reach() {
        let lathe = lathe("100");
        let mut one = two_saffrons();
        one.panels.truncate(1);
        let shaded = under(&one, &SHADE, Mounting::Portrait);
        let curve = shaded.in_strings(&[1]).unwrap();
        let ideal = Converter::Ideal.takes(curve.curve(), true);
        let real = through(&lathe, 13.0).takes(curve.curve(), true);
        assert!(ideal.panel.v < 12.0 && real.panel.v >= 14.0 && real.watts_w < 0.7 * ideal.watts_w, "{ideal:?} {real:?}");
    }

    #[test]
    fn a_growing_shade_turns_the_lead() {
        let found = by_size(&two_saffrons(), &SHADE, Mounting::Portrait, &Converter::Ideal).unwrap();
        let course: Vec<(f64, f64, f64)> =
            found.iter().map(|(size, both)| (*size, both.series.watts_w, both.parallel.watts_w)).collect();
        let lead = wiring_preference(&course);
        // A thin strip dims a column, and parallel shares the loss; a column out is spared by its diode in series alone; with more than
        // half of the panel dark, series has nothing left of it, and parallel keeps what the other gives.
        assert_eq!(lead.first, Some(ArrayWiring::Parallel));
        let [(to_series, ArrayWiring::Series), (back, ArrayWiring::Parallel)] = lead.break_even[..] else {
            panic!("{lead:?} {course:?}")
        };
        assert!((0.1..0.2).contains(&to_series) && (0.5..0.7).contains(&back), "{to_series} {back}");
    }

    #[test]
    fn the_lead_changes_where_the_difference_goes_through_nothing() {
        let found = wiring_preference(&[
            (0.0, 100.0, 100.1),
            (1.0, 100.0, 90.0),
            (3.0, 80.0, 90.0),
            (4.0, 80.0, 80.1),
            (5.0, 90.0, 80.0),
        ]);
        assert_eq!(
            found,
            WiringPreference {
                first: Some(ArrayWiring::Series),
                break_even: vec![(2.0, ArrayWiring::Parallel), (4.0, ArrayWiring::Series)]
            }
        );
        assert_eq!(wiring_preference(&[]), WiringPreference::default());
    }
}
