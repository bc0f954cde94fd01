//! What panels are joined to and what shades them, solved: the steps of the ladder that sun and cell temperature do not explain.

use crate::array::Array;
use crate::constants::{STC_CELL_C, STC_POA_W_M2};
use crate::error::Error;
use crate::load::operate::{Charger, Charging, Load};
use crate::measure::correct::Condition;
use crate::panel::construction::Construction;
use crate::panel::curve::{At, Curve};
use crate::panel::face::Mounting;
use crate::panel::layout::{Layout, Panel};
use crate::panel::nameplate::Nameplate;
use crate::panel::shade::on_another_face;
use crate::record::condition::Wiring;
use crate::record::setup;
use crate::record::shading::{self, ShadeError, ShadePatch, Shaded};

/// One panel in its place.
#[derive(Debug, Clone, Copy)]
pub struct Member<'a> {
    pub id: &'a str,
    pub tag: &'a str,
    pub label: &'a Nameplate,
}

impl<'a> From<&'a Nameplate> for Member<'a> {
    fn from(label: &'a Nameplate) -> Self {
        Member { id: "", tag: "the panel", label }
    }
}

/// Why panels cannot be solved as a run has them. Prints as a sentence.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum ArrangeError {
    #[error("The label of {tag}: {error}.")]
    Label { tag: String, error: Error },
    #[error(transparent)]
    Shade(#[from] ShadeError),
    #[error(
        "\u{201c}{0}\u{201d} names no shade that can be drawn: say bottom, side, band, pole \u{2026} with a share in percent, \
         or so many rows or cells."
    )]
    UnknownShade(String),
    #[error("\u{201c}{0}\u{201d} names no wiring: say series, parallel, first alone, or tags as in S-1 + S-2.")]
    UnknownWiring(String),
    #[error("\u{201c}{0}\u{201d} names no panel of this bench.")]
    UnknownPanel(String),
}

/// Panels as one run has them.
#[derive(Debug, Clone, PartialEq)]
pub struct Arrangement {
    /// Its light and temperature are those of each reading, not its own.
    array: Array,
    /// Strings, in the order of the panels.
    lengths: Vec<usize>,
    /// The sum of the labels.
    /// `None` where a label is not known.
    pub rated_w: Option<f64>,
    /// Watts that the controller or port takes at most, from the panels.
    cap_w: Option<f64>,
    /// Its load stays on the first local maximum below open circuit.
    is_local: bool,
}

/// What each of them leaves of the watts before it; 1 is all. Multiplied in this order.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Factors {
    /// Of the five-parameter panel at 25 C against one whose watts follow the light in proportion.
    pub low_light: f64,
    /// Each panel alone in its shade against each alone in the light.
    pub shade: f64,
    /// Joined, against the sum of each alone in its shade.
    pub wiring: f64,
    /// Where the load holds it, against its best.
    pub load: f64,
}

impl Default for Factors {
    fn default() -> Self {
        Factors { low_light: 1.0, shade: 1.0, wiring: 1.0, load: 1.0 }
    }
}

impl Factors {
    pub fn product(&self) -> f64 {
        self.low_light * self.shade * self.wiring * self.load
    }
}

/// Volts open and amps short at STC, of one label or of panels together.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct OpenShort {
    pub voc_v: f64,
    pub isc_a: f64,
}

impl OpenShort {
    /// Where the label states both.
    pub fn of(label: &Nameplate) -> Option<Self> {
        label.voc_v.zip(label.isc_a).map(|(voc_v, isc_a)| OpenShort { voc_v, isc_a })
    }
}

impl Arrangement {
    /// One panel in the light, at its best.
    ///
    /// # Errors
    /// Where the label says too little for a circuit.
    pub fn alone(label: &Nameplate) -> Result<Self, ArrangeError> {
        Self::of(&[vec![label.into()]], &[], Mounting::default())
    }

    /// Strings of panels under some shade.
    ///
    /// # Errors
    /// Where a label says too little for a circuit, or the shade cannot be laid on the panels.
    pub fn of(strings: &[Vec<Member<'_>>], patches: &[ShadePatch], mounting: Mounting) -> Result<Self, ArrangeError> {
        let members: Vec<Member<'_>> = strings.iter().flatten().copied().collect();
        let panel = |member: &Member<'_>| {
            Panel::of(member.label).map_err(|error| ArrangeError::Label { tag: member.tag.to_owned(), error })
        };
        let panels: Vec<Panel> = members.iter().map(panel).collect::<Result<_, _>>()?;
        let lengths: Vec<usize> = strings.iter().map(Vec::len).collect();
        let layouts: Vec<&Layout> = panels.iter().map(|panel| &*panel.layout).collect();
        let shaded: Vec<Shaded<'_>> = members
            .iter()
            .zip(layouts)
            .map(|(member, layout)| Shaded { id: member.id, tag: member.tag, layout, size: member.label.face_size() })
            .collect();
        let shares = shading::shares(patches, &shaded, &lengths, mounting)?;
        Ok(Arrangement {
            array: Array {
                panels: panels.into_iter().zip(shares).collect(),
                poa_w_m2: STC_POA_W_M2,
                cell_c: STC_CELL_C,
                lead_ohm: 0.0,
                is_blocked: false,
            },
            lengths,
            rated_w: members.iter().map(|member| member.label.rated_w).sum(),
            cap_w: None,
            is_local: false,
        })
    }

    /// The same with every panel in another construction, the shares of light brought onto it.
    pub fn built(&self, construction: Construction) -> Self {
        let mut other = self.clone();
        for (panel, shares) in &mut other.array.panels {
            let built = panel.clone().built(Some(construction));
            if !shares.is_empty() {
                *shares = on_another_face(&panel.layout, shares, &built.layout);
            }
            *panel = built;
        }
        other
    }

    /// The same into a load that takes so many watts at most, and seeks them in its own way.
    pub fn into_load(self, cap_w: Option<f64>, load: setup::Load) -> Self {
        Arrangement { cap_w, is_local: load == setup::Load::LocalTrackingController, ..self }
    }

    /// Where its load holds a curve of its own.
    fn sought(&self, curve: &Curve) -> At {
        if self.is_local { Load::LocalTracking.on(curve) } else { curve.best() }
    }

    /// The panel of which it is made, with panels in a string and strings side by side, where all are alike and in the light.
    pub fn of_like_panels(&self) -> Option<(&Panel, usize, usize)> {
        let ((first, _), length) = (self.array.panels.first()?, *self.lengths.first()?);
        let is_alike = self.array.panels.iter().all(|(panel, shares)| shares.is_empty() && panel.fit == first.fit)
            && self.lengths.iter().all(|other| *other == length);
        is_alike.then_some((first, length, self.lengths.len()))
    }

    pub fn count(&self) -> usize {
        self.array.panels.len()
    }

    /// At STC, unshaded: the volts of the highest string, and the amps of all of them, each that of its strongest panel.
    pub fn open_short(&self) -> OpenShort {
        let mut panels = self.array.panels.iter().map(|(panel, _)| panel.fit.at(STC_POA_W_M2, STC_CELL_C).points());
        self.lengths.iter().fold(OpenShort { voc_v: 0.0, isc_a: 0.0 }, |all, length| {
            let (mut voc_v, mut isc_a) = (0.0, 0.0_f64);
            for points in panels.by_ref().take(*length) {
                voc_v += points.voc_v;
                isc_a = isc_a.max(points.isc_a);
            }
            OpenShort { voc_v: all.voc_v.max(voc_v), isc_a: all.isc_a + isc_a }
        })
    }

    pub fn is_shaded(&self) -> bool {
        self.array.panels.iter().any(|(_, shares)| !shares.is_empty())
    }

    /// The best watts of each panel alone and unshaded, together.
    fn clear_w(&self, poa_w_m2: f64, cell_c: f64) -> f64 {
        self.array.panels.iter().map(|(panel, _)| panel.fit.at(poa_w_m2, cell_c).points().pmax_w).sum()
    }

    fn under(&self, at: Condition) -> Array {
        Array { poa_w_m2: at.poa_w_m2, cell_c: at.cell_c, ..self.array.clone() }
    }

    /// What becomes of the watts at a condition. `held_v`: the volts that a battery holds the panels at; `None`: at their best.
    pub fn factors(&self, at: Condition, held_v: Option<f64>) -> Result<Factors, Error> {
        let clear_w = self.clear_w(at.poa_w_m2, at.cell_c);
        let in_proportion_w = self.clear_w(STC_POA_W_M2, STC_CELL_C) * at.irradiance_factor();
        if clear_w <= 0.0 || in_proportion_w <= 0.0 {
            return Ok(Factors::default());
        }
        let low_light = self.clear_w(at.poa_w_m2, STC_CELL_C) / in_proportion_w;
        // One panel alone in the light is its own diode; anything else is a circuit.
        let needs_circuit = self.count() > 1 || self.is_shaded() || held_v.is_some();
        let array = needs_circuit.then(|| self.under(at));
        let shaded_w = match &array {
            Some(array) if self.is_shaded() => array.lit()?.singles_w().iter().sum(),
            Some(_) | None => clear_w,
        };
        let curve = array.map(|array| array.in_strings(&self.lengths)).transpose()?;
        let best_w = curve.as_ref().map_or(clear_w, |solution| solution.curve().best().w());
        let held_w = match (&curve, held_v) {
            (Some(solution), Some(v)) => Load::FixedVoltage { v }.on(solution.curve()).w(),
            (Some(solution), None) => self.sought(solution.curve()).w(),
            (None, _) => best_w,
        };
        let given_w = held_w.min(self.cap_w.unwrap_or(f64::INFINITY));
        let share = |part: f64, whole: f64| if whole > 0.0 { (part / whole).max(1e-6) } else { 1.0 };
        Ok(Factors {
            low_light,
            shade: share(shaded_w, clear_w),
            wiring: if self.count() > 1 { share(best_w, shaded_w) } else { 1.0 },
            load: share(given_w, best_w),
        })
    }

    /// Where a controller holds it, and what reaches the battery.
    ///
    /// # Errors
    /// Where the circuit cannot be solved.
    pub fn on_charger(&self, at: Condition, charger: &Charger<'_>) -> Result<Charging, Error> {
        Ok(charger.on(self.under(at).in_strings(&self.lengths)?.curve(), false))
    }

    /// What it could give at a condition if nothing limited or shaded it.
    ///
    /// # Errors
    /// Where the circuit cannot be solved.
    pub fn unlimited(&self, at: Condition) -> Result<Gives, Error> {
        if let [(panel, _)] = &self.array.panels[..] {
            return Ok(alone(panel, at, f64::INFINITY));
        }
        let mut free = Arrangement { cap_w: None, is_local: false, ..self.clone() };
        free.array.panels.iter_mut().for_each(|(_, shares)| shares.clear());
        free.gives(at)
    }

    /// What it gives at a condition where its load seeks it, or at the cap: watts, and amps short and volts open.
    pub fn gives(&self, at: Condition) -> Result<Gives, Error> {
        let cap_w = self.cap_w.unwrap_or(f64::INFINITY);
        // One panel in the light is its own diode.
        if let ([(panel, _)], false) = (&self.array.panels[..], self.is_shaded()) {
            return Ok(alone(panel, at, cap_w));
        }
        let solution = self.under(at).in_strings(&self.lengths)?;
        let curve = solution.curve();
        let held = self.sought(curve);
        Ok(Gives { watts_w: held.w().min(cap_w), at_v: held.v, isc_a: curve.short().i, voc_v: curve.open().v })
    }
}

/// One panel in the light, up to a cap.
fn alone(panel: &Panel, at: Condition, cap_w: f64) -> Gives {
    let points = panel.fit.at(at.poa_w_m2, at.cell_c).points();
    Gives { watts_w: points.pmax_w.min(cap_w), at_v: points.vmp_v, isc_a: points.isc_a, voc_v: points.voc_v }
}

/// What an arrangement gives.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Gives {
    pub watts_w: f64,
    /// Where its load holds it.
    pub at_v: f64,
    pub isc_a: f64,
    pub voc_v: f64,
}

/// Strings of panels in a wiring, out of those that hang in these strings; those that it names itself are looked up. `None` where it
/// names a panel that is not there.
pub fn wired<T: Copy>(wiring: &Wiring, as_it_hangs: &[Vec<T>], named: impl Fn(&str) -> Option<T>) -> Option<Vec<Vec<T>>> {
    let panels: Vec<T> = as_it_hangs.iter().flatten().copied().collect();
    let chunks = |wide: usize| panels.chunks(wide.max(1)).map(<[T]>::to_vec).collect();
    match wiring {
        Wiring::Together => Some(as_it_hangs.to_vec()),
        Wiring::Series => Some(chunks(panels.len())),
        Wiring::Parallel => Some(chunks(1)),
        Wiring::StringsOf(count) => Some(chunks(*count)),
        Wiring::Alone(number) => number.checked_sub(1).and_then(|nth| panels.get(nth)).map(|panel| vec![vec![*panel]]),
        Wiring::Strings(strings) => strings.iter().map(|string| string.iter().map(|id| named(id)).collect()).collect(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::measure::correct::STC;
    use crate::panel::label::{LabelTyped, check};
    use crate::record::language::level::patches;
    use crate::record::names::Names;
    use proptest::prelude::*;

    fn label(rated_w: &str, voc_v: &str, isc_a: &str, vmp_v: &str, imp_a: &str) -> Nameplate {
        let text = |text: &str| text.to_owned();
        let typed = LabelTyped {
            rated_w: text(rated_w),
            voc_v: text(voc_v),
            isc_a: text(isc_a),
            vmp_v: text(vmp_v),
            imp_a: text(imp_a),
            cells_in_series: text("36"),
            ..LabelTyped::default()
        };
        check(&typed).nameplate.unwrap()
    }

    fn saffron() -> Nameplate {
        label("200", "24.3", "10.4", "20.4", "9.81")
    }

    fn shaded(text: &str) -> Arrangement {
        let patches = patches(text, &Names::default()).unwrap().unwrap();
        Arrangement::of(&[vec![(&saffron()).into()]], &patches, Mounting::Portrait).unwrap()
    }

    const NOON: Condition = Condition { poa_w_m2: 900.0, cell_c: 48.0 };

    #[test]
    fn at_stc_and_alone_nothing_is_taken() {
        let factors = Arrangement::alone(&saffron()).unwrap().factors(STC, None).unwrap();
        assert!((factors.product() - 1.0).abs() < 1e-9, "{factors:?}");
    }

    /// IEC 61853-1 tests at 200 W/m2 because crystalline panels lose a few percent of their efficiency there (the figure is common
    /// practice, no source).
    #[test]
    fn weak_light_costs_a_few_percent_more_than_the_light() {
        let alone = Arrangement::alone(&saffron()).unwrap();
        let at = |poa_w_m2| alone.factors(Condition { poa_w_m2, cell_c: 25.0 }, None).unwrap().low_light;
        assert!((0.90..0.995).contains(&at(200.0)), "{}", at(200.0));
        assert!((at(900.0) - 1.0).abs() < 0.01, "{}", at(900.0));
    }

    /// Common practice, no source: a band across both substrings of 36 cells leaves 2 to 5 %; a strip along one side stops one of the
    /// two, and leaves half.
    #[test]
    fn a_shade_that_is_said_costs_what_the_circuit_says() {
        let left = |text: &str| shaded(text).factors(NOON, None).unwrap().shade;
        assert!((0.0..0.06).contains(&left("bottom row")), "{}", left("bottom row"));
        assert!((0.44..0.56).contains(&left("left column")), "{}", left("left column"));
        assert_eq!(left("none"), 1.0);
    }

    #[test]
    fn a_tied_panel_is_held_where_it_was_read() {
        let tied = Arrangement::alone(&saffron()).unwrap();
        let at = |v| tied.factors(NOON, Some(v)).unwrap().load;
        assert!((0.6..0.85).contains(&at(13.4)), "{}", at(13.4));
        assert!(at(18.1) > 0.99 && at(18.1) <= 1.0);
        let capped = Arrangement::alone(&saffron()).unwrap().into_load(Some(80.0), setup::Load::TrackingController);
        let factors = capped.factors(NOON, None).unwrap();
        assert!((factors.load - 80.0 / capped.clear_w(NOON.poa_w_m2, NOON.cell_c)).abs() < 1e-9);
    }

    /// Common practice, no source: 31.3 V x 6.38 A in series with 18.6 V x 10.75 A, by the lowest current 318 W of 400.
    #[test]
    fn unlike_panels_in_series_lose_by_their_wiring() {
        let (one, other) = (label("200", "37.5", "6.9", "31.3", "6.38"), label("200", "22.4", "11.5", "18.6", "10.75"));
        let joined = Arrangement::of(&[vec![(&one).into(), (&other).into()]], &[], Mounting::Portrait).unwrap();
        let factors = joined.factors(STC, None).unwrap();
        assert!(joined.rated_w == Some(400.0) && (0.77..0.86).contains(&factors.wiring), "{factors:?}");
    }

    /// Common practice, no source: a towel across the middle of both panels of a pair left 3.7 %.
    #[test]
    fn a_towel_across_both_panels_of_a_pair_leaves_a_few_percent() {
        let (label, at) = (saffron(), NOON);
        let pair = |text: &str| {
            let patches = patches(text, &Names::default()).unwrap().unwrap();
            let pair = Arrangement::of(&[vec![(&label).into(), (&label).into()]], &patches, Mounting::Portrait).unwrap();
            pair.gives(at).unwrap().watts_w
        };
        let left = pair("towel across the middle 20 % of both panels") / pair("none") * 100.0;
        assert!((1.0..8.0).contains(&left), "{left}");
        let on_second = pair("one cell on panel 2") / pair("none") * 100.0;
        assert!((60.0..80.0).contains(&on_second), "{on_second}");
    }

    #[test]
    fn panels_are_joined_as_the_wiring_says() {
        let hangs = vec![vec!['a', 'b'], vec!['c']];
        let of = |wiring: &Wiring| wired(wiring, &hangs, |id| id.chars().next().filter(|id| "abcd".contains(*id)));
        assert_eq!(of(&Wiring::Series), Some(vec![vec!['a', 'b', 'c']]));
        assert_eq!(of(&Wiring::Parallel), Some(vec![vec!['a'], vec!['b'], vec!['c']]));
        assert_eq!(of(&Wiring::StringsOf(2)), Some(vec![vec!['a', 'b'], vec!['c']]));
        assert_eq!(of(&Wiring::Alone(2)), Some(vec![vec!['b']]));
        assert_eq!(of(&Wiring::Together), Some(hangs.clone()));
        assert_eq!(of(&Wiring::Strings(vec![vec!["c".into(), "a".into()]])), Some(vec![vec!['c', 'a']]));
        // A wiring may name a panel that did not hang there.
        assert_eq!(of(&Wiring::Strings(vec![vec!["d".into()]])), Some(vec![vec!['d']]));
        assert_eq!((of(&Wiring::Alone(9)), of(&Wiring::Strings(vec![vec!["x".into()]]))), (None, None));
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(24))]
        /// The factors are the solved watts, taken apart.
        #[test]
        fn the_factors_multiply_out(poa_w_m2 in 150.0..1100.0, cell_c in 5.0..70.0, size in 1..60_u32) {
            let at = Condition { poa_w_m2, cell_c };
            let one = shaded(&format!("left {size} %"));
            let factors = one.factors(at, None).unwrap();
            let gives = one.gives(at).unwrap();
            let expected = one.clear_w(poa_w_m2, cell_c) * factors.shade * factors.wiring * factors.load;
            prop_assert!((gives.watts_w / expected - 1.0).abs() < 2e-3, "{factors:?}");
            prop_assert!(factors.shade <= 1.001 && factors.load <= 1.0);
        }
    }
}
