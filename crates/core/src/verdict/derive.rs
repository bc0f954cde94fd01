//! The figures of a verdict, opened: each model's own formula with what it was given.

use super::combine::Combined;
use super::condition::{CellFrom, EQUIVALENT_IRRADIANCE, SunFrom};
use super::estimate::Difference;
use super::ladder::{Ladder, StepCause};
use super::point::{StcPoint, What};
use super::reference::BY_REFERENCE;
use crate::constants::NOCT_WIND_M_S;
use crate::derivation::{Derivation, Formula, Given};
use crate::measure::correct::{ISC_AT_STC, PMAX_AT_STC, VOC_AT_STC};
use crate::measure::quantity::{Figures, Quantity};
use crate::panel::temperature::{CELL_ABOVE_BACK_K, CELL_FROM_AIR, CELL_FROM_BACK, CELL_FROM_VOC};
use crate::record::setup::{ReferenceBy, Setup};

const WATTS: Formula = Formula { text: "V \u{d7} I", source: "definition of power, both under load at the same moment" };
const WATTS_SHOWN: Formula = Formula { text: "P", source: "the instrument" };
const CELL_READ: Formula = Formula { text: "T", source: "the instrument" };
const RESISTED: Formula = Formula { text: "P_label / k", source: "single-diode equation; De Soto 2006" };
const PERCENT: Formula = Formula { text: "100 \u{d7} P_stc / label", source: "JCGM 100:2008 (GUM), first-order budget" };

impl StcPoint {
    /// Every step from the figures of its reading to percent of the label.
    pub fn derivation(&self, figures: &Figures, setup: &Setup) -> Vec<Derivation> {
        let mut steps = Vec::new();
        if self.what == What::Pmax {
            steps.push(self.watts(figures, setup));
        }
        steps.extend(self.irradiance());
        steps.push(self.cell_temperature());
        steps.push(self.at_stc());
        steps.extend(self.resisted_at_stc());
        let inputs = vec![
            Given::new("P_stc", self.at_stc, self.what.unit(), "at STC, above"),
            Given::new("label", self.rated, self.what.unit(), "the label"),
        ];
        steps.push(Derivation {
            u: Some(self.u_percent()),
            ..Derivation::of("Percent of rating", PERCENT, self.percent, "%", inputs)
        });
        steps
    }

    fn watts(&self, figures: &Figures, setup: &Setup) -> Derivation {
        let read = |quantity| figures.get(quantity).map(|seen| seen.value(setup.unsteady));
        let (formula, inputs) = match (read(Quantity::Voltage), read(Quantity::Current)) {
            (Some(v), Some(a)) => (WATTS, vec![Given::new("V", v, "V", "the reading"), Given::new("I", a, "A", "the reading")]),
            _ => (WATTS_SHOWN, vec![Given::new("P", self.measured, "W", "the reading")]),
        };
        Derivation::of("Watts", formula, self.measured, "W", inputs)
    }

    /// Of a bifacial panel whose rear was read.
    fn irradiance(&self) -> Option<Derivation> {
        let Some(rear) = self.rear else { return self.by_reference() };
        let inputs = vec![
            Given::new("G_front", rear.front_w_m2, "W/m\u{b2}", self.sun_words()),
            Given::new("bifaciality", rear.bifaciality, "", "the label"),
            Given::new("G_rear", rear.rear_w_m2, "W/m\u{b2}", "the reading"),
        ];
        Some(Derivation::of("Irradiance", EQUIVALENT_IRRADIANCE, rear.equivalent_w_m2(), "W/m\u{b2}", inputs))
    }

    /// Of a reference beside the panel.
    fn by_reference(&self) -> Option<Derivation> {
        let SunFrom::Reference { read, by, per_k, cell_c } = self.sun_from else { return None };
        let (unit, at_stc) = match by {
            ReferenceBy::Isc { isc_a } => ("A", isc_a),
            ReferenceBy::Power { pmax_w } => ("W", pmax_w),
        };
        let inputs = vec![
            Given::new("read", read, unit, "the reading"),
            Given::new("at STC", at_stc, unit, "the reference\u{2019}s calibration"),
            Given::new("coefficient", per_k, "1/K", "usual for crystalline silicon"),
            Given::new("T", cell_c, "\u{b0}C", "of the reference; of the panel where it was not read"),
        ];
        Some(Derivation::of("Irradiance", BY_REFERENCE, self.condition.poa_w_m2, "W/m\u{b2}", inputs))
    }

    /// Where the irradiance in the plane came from.
    fn sun_words(&self) -> &'static str {
        match self.sun_from {
            SunFrom::PlaneMeter => "the reading, in the plane",
            SunFrom::FlatMeter { .. } => "the reading on the horizontal, split by Erbs 1982 and brought over by Perez 1990",
            SunFrom::Reference { .. } => "the reference in the plane",
            SunFrom::ClearSky { .. } => "clear-sky model: Ineichen and Perez 2002, onto the plane by Perez 1990",
        }
    }

    fn light(&self) -> Given {
        let from = if self.rear.is_some() || matches!(self.sun_from, SunFrom::Reference { .. }) {
            "irradiance, above"
        } else {
            self.sun_words()
        };
        Given::new("G", self.condition.poa_w_m2, "W/m\u{b2}", from)
    }

    fn cell_temperature(&self) -> Derivation {
        let (formula, inputs) = match self.cell_from {
            CellFrom::Cell => (CELL_READ, vec![Given::new("T", self.condition.cell_c, "\u{b0}C", "the reading")]),
            CellFrom::Back { back_c } => (
                CELL_FROM_BACK,
                vec![
                    Given::new("back", back_c, "\u{b0}C", "the reading"),
                    self.light(),
                    Given::new("dT", CELL_ABOVE_BACK_K, "K", "open rack, table 1"),
                ],
            ),
            CellFrom::OwnVoc { voc_v, voc_stc_v, beta_per_k, by_light } => (
                CELL_FROM_VOC,
                vec![
                    Given::new("Voc", voc_v, "V", "the reading"),
                    Given::new("Voc_stc", voc_stc_v, "V", "the label"),
                    Given::new("a", by_light, "", "thermal voltage of its cells over Voc"),
                    self.light(),
                    Given::new("beta", beta_per_k, "1/K", "the label, or usual for the technology"),
                ],
            ),
            CellFrom::Air { air_c, noct_c, noct_on_label, wind_m_s } => (
                CELL_FROM_AIR,
                vec![
                    Given::new("air", air_c, "\u{b0}C", "the reading"),
                    Given::new("NOCT", noct_c, "\u{b0}C", if noct_on_label { "the label" } else { "usual; not on the label" }),
                    self.light(),
                    Given::new(
                        "wind",
                        wind_m_s.unwrap_or(NOCT_WIND_M_S),
                        "m/s",
                        if wind_m_s.is_some() { "the reading" } else { "as NOCT is defined; not read" },
                    ),
                ],
            ),
        };
        Derivation::of("Cell temperature", formula, self.condition.cell_c, "\u{b0}C", inputs)
    }

    fn at_stc(&self) -> Derivation {
        let (name, symbol, formula, coefficient) = match self.what {
            What::Pmax => ("Pmax at STC", "P", PMAX_AT_STC, "gamma"),
            What::Isc => ("Isc at STC", "Isc", ISC_AT_STC, "alpha"),
            What::Voc => ("Voc at STC", "Voc", VOC_AT_STC, "beta"),
        };
        let per_k_from = if self.coefficient.from_label { "the label" } else { "usual for the technology; not on the label" };
        let unit = self.what.unit();
        let mut inputs = vec![
            Given::new(symbol, self.measured, unit, "the reading"),
            self.light(),
            Given::new("T", self.condition.cell_c, "\u{b0}C", "cell temperature, above"),
            Given::new(coefficient, self.coefficient.per_k, "1/K", per_k_from),
        ];
        inputs.extend(self.by_light.map(|a| Given::new("a", a, "", "thermal voltage of its cells over Voc")));
        let by_label = self.at_stc * self.resistance_factor;
        let u = (self.resistance_factor == 1.0).then(|| self.u_at_stc());
        Derivation { u, ..Derivation::of(name, formula, by_label, unit, inputs) }
    }

    /// Of a panel whose volts show more series resistance than its label has.
    fn resisted_at_stc(&self) -> Option<Derivation> {
        if self.resistance_factor == 1.0 {
            return None;
        }
        let inputs = vec![
            Given::new(
                "P_label",
                self.at_stc * self.resistance_factor,
                "W",
                "Pmax at STC by the label\u{2019}s coefficients, above",
            ),
            Given::new(
                "k",
                self.resistance_factor,
                "",
                "the single-diode circuit with the resistance that its volts and amps show, here over at STC",
            ),
        ];
        let of = Derivation::of("Pmax at STC with its own resistance", RESISTED, self.at_stc, self.what.unit(), inputs);
        Some(Derivation { u: Some(self.u_at_stc()), ..of })
    }
}

/// The result of a whole rating: watts that were to be expected, the percent, and its uncertainty.
pub fn of_rating(combined: &Combined, ladder: &Ladder) -> Vec<Derivation> {
    let steps: Vec<(&'static str, f64, &'static str)> =
        ladder.steps.iter().filter_map(|step| Some((step.cause.label(), step.factor, where_from(step.cause)?))).collect();
    let product = |symbols: &[&'static str]| symbols.join(" \u{d7} ");
    let names: Vec<&'static str> = std::iter::once("rated").chain(steps.iter().map(|(name, ..)| symbol(name))).collect();
    let rated = Given::new("rated", ladder.rated_w, "W", "the label; the sum of them where several panels are combined");
    let expected = Derivation {
        formula: product(&names).into(),
        ..Derivation::of(
            "Expected watts",
            Formula { text: "", source: "the ladder; its steps multiply out to the measured watts" },
            ladder.expected_w,
            "W",
            std::iter::once(rated.clone())
                .chain(steps.iter().map(|(name, factor, from)| Given::new(symbol(name), *factor, "", from)))
                .collect(),
        )
    };
    const RESULT: Formula = Formula {
        text: "100 \u{d7} measured / (rated \u{d7} linear)",
        source: "geometric mean of the readings that count; what the circuit explains besides corrects nothing",
    };
    let inputs = vec![
        Given::new("measured", ladder.measured_w, "W", "geometric mean of the readings"),
        rated,
        Given::new("linear", ladder.linear_factor(), "", "sun, angle, temperature and series resistance, above"),
    ];
    let result = Derivation { u: Some(combined.u_percent), ..Derivation::of("Result", RESULT, combined.percent, "%", inputs) };
    const U: Formula = Formula {
        text: "k \u{d7} u",
        source: "JCGM 100:2008 (GUM), 5.1.2 and G.4; u is the root of the sum of squares of the budget below",
    };
    let inputs = vec![
        Given::new("k", combined.coverage_factor, "", "about 95 % coverage; more than 2 where few readings scatter"),
        Given::new("u", combined.u_percent / combined.coverage_factor, "%", "the budget below"),
    ];
    vec![expected, result, Derivation::of("Uncertainty", U, combined.u_percent, "%", inputs)]
}

/// A step of the ladder as a symbol of one word.
fn symbol(name: &'static str) -> &'static str {
    match name {
        _ if name == StepCause::LowLight.label() => "low_light",
        _ if name == StepCause::SeriesResistance.label() => "series_resistance",
        one_word => one_word,
    }
}

/// Where a step of the ladder comes from; nothing for what is left over.
fn where_from(cause: StepCause) -> Option<&'static str> {
    Some(match cause {
        StepCause::Irradiance => "irradiance as measured / 1000, geometric mean of the readings",
        StepCause::Angle => "plane over horizontal, where the irradiance was measured on the horizontal",
        StepCause::Temperature => "1 + gamma \u{d7} (T \u{2212} 25), geometric mean of the readings",
        StepCause::SeriesResistance => "the circuit with the resistance that its volts and amps show, here over at STC",
        StepCause::LowLight => {
            "the five-parameter panel at this light and 25 \u{b0}C over one that follows the light (De Soto 2006)"
        }
        StepCause::Shade => "each panel\u{2019}s circuit in the shade of this test over the same in full light",
        StepCause::Wiring => "the panels combined over the sum of each alone",
        StepCause::Load => "where the load holds the panels, or its limit, over their best",
        StepCause::Unexplained => return None,
    })
}

impl Difference {
    /// The level as percent of its baseline, and its uncertainty, out of the runs.
    pub fn derivation(&self) -> Vec<Derivation> {
        const SOURCE: &str = "weights of the order of runs; JCGM 100:2008 (GUM), 5.1.2 for the logarithm of a product";
        let factor = |nth: usize, weight: f64| {
            let weight = if weight < 0.0 { format!("(0 \u{2212} {:.4})", -weight) } else { format!("{weight:.4}") };
            format!("m{}^{weight}", nth + 1)
        };
        let terms: Vec<String> = self.contrast.iter().enumerate().map(|(nth, run)| factor(nth, run.weight)).collect();
        let given = |(nth, run): (usize, &super::estimate::Weighted)| Given {
            symbol: format!("m{}", nth + 1).into(),
            value: run.mean,
            unit: "",
            from: format!("run {}, mean of what is compared over its light; weight {:.4}", run.place + 1, run.weight).into(),
        };
        let percent = Derivation {
            u: Some(self.u_percent),
            formula: format!("100 \u{d7} {}", terms.join(" \u{d7} ")).into(),
            ..Derivation::of(
                "Percent of the baseline",
                Formula { text: "", source: SOURCE },
                self.percent,
                "%",
                self.contrast.iter().enumerate().map(given).collect(),
            )
        };
        let squares: Vec<String> = self.parts.iter().enumerate().map(|(nth, _)| format!("u{}^2", nth + 1)).collect();
        let mut inputs = vec![Given {
            symbol: "t".into(),
            value: self.t_95,
            unit: "",
            from: if self.dof < 1000.0 {
                format!("Student\u{2019}s t for 95 % and {:.0} degrees of freedom", self.dof).into()
            } else {
                "the normal distribution\u{2019}s factor for 95 %".into()
            },
        }];
        inputs.extend(self.parts.iter().enumerate().map(|(nth, (source, u))| Given {
            symbol: format!("u{}", nth + 1).into(),
            value: *u,
            unit: "%",
            from: source.label().into(),
        }));
        let u = Derivation {
            formula: format!("t \u{d7} sqrt({})", squares.join(" + ")).into(),
            ..Derivation::of(
                "Uncertainty",
                Formula { text: "", source: "JCGM 100:2008 (GUM), 5.1.2, G.2b and G.4" },
                self.u_percent,
                "%",
                inputs,
            )
        };
        if self.contrast.is_empty() { vec![u] } else { vec![percent, u] }
    }
}
