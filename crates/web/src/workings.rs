//! How a figure came about: formula, inputs, source, uncertainty. Shown to whoever opens the figure.

use crate::figures::{as_read, computed, number, percent, stated, with_u};
use flindo_core::constants::NOCT_WIND_M_S;
use flindo_core::measure::budget::Budget;
use flindo_core::measure::quantity::{Figures, Quantity};
use flindo_core::panel::temperature::CELL_ABOVE_BACK_K;
use flindo_core::record::setup::Setup;
use flindo_core::verdict::combine::Combined;
use flindo_core::verdict::condition::{CellFrom, SunFrom};
use flindo_core::verdict::ladder::{Ladder, StepCause};
use flindo_core::verdict::point::{Point, What};

/// One figure, opened.
pub struct Working {
    pub name: String,
    pub figure: String,
    pub formula: String,
    pub inputs: Vec<Input>,
    pub source: &'static str,
}

pub struct Input {
    pub name: &'static str,
    pub value: String,
    pub from: &'static str,
}

fn input(name: &'static str, value: impl ToString, from: &'static str) -> Input {
    Input { name, value: value.to_string(), from }
}

/// Every step from the figures of one reading to percent of the label.
pub fn of_reading(figures: &Figures, setup: &Setup, point: &Point) -> Vec<Working> {
    let mut workings = Vec::new();
    let unit = point.what.unit();
    if point.what == What::Pmax {
        workings.push(watts(figures, setup, point));
    }
    workings.push(cell_temperature(point));
    let per_k = format!("{} %/K", number(point.coefficient.per_k * 100.0, 3));
    let per_k_from = if point.coefficient.from_label { "the label" } else { "usual for the technology; not on the label" };
    let (symbol, formula, coefficient, source) = match point.what {
        What::Pmax => (
            "P",
            "P at STC = P / ((G / 1000) \u{d7} (1 + gamma \u{d7} (T \u{2212} 25)))",
            "gamma",
            "Osterwald 1986, Solar Cells 18; IEC 60891:2009",
        ),
        What::Isc => (
            "Isc",
            "Isc at STC = Isc / ((G / 1000) \u{d7} (1 + alpha \u{d7} (T \u{2212} 25)))",
            "alpha",
            "IEC 60891:2009, procedure 2, current",
        ),
        What::Voc => (
            "Voc",
            "Voc at STC = Voc / (1 + beta \u{d7} (T \u{2212} 25) + a \u{d7} ln(G / 1000))",
            "beta",
            "IEC 60891:2009, procedure 2, voltage",
        ),
    };
    workings.push(Working {
        name: format!("{} at STC", point.what.label()),
        figure: with_u(point.at_stc, point.u_at_stc(), unit).to_string(),
        formula: formula.to_owned(),
        inputs: vec![
            input(symbol, computed(point.measured, unit), "the reading"),
            input("G", computed(point.condition.poa_w_m2, "W/m\u{b2}"), sun_from(point)),
            input("T", computed(point.condition.cell_c, "\u{b0}C"), "cell temperature, above"),
            input(coefficient, per_k, per_k_from),
        ],
        source,
    });
    workings.push(Working {
        name: "Percent of rating".to_owned(),
        figure: with_u(point.percent, point.u_percent(), "%").to_string(),
        formula: "100 \u{d7} at STC / label".to_owned(),
        inputs: vec![
            input("at STC", computed(point.at_stc, unit), "above"),
            input("label", stated(point.rated, unit), "the label"),
            input("\u{b1}", format!("{} (k = 2)", percent(point.u_percent())), "the budget of this reading"),
        ],
        source: "JCGM 100:2008 (GUM), first-order budget",
    });
    workings
}

fn watts(figures: &Figures, setup: &Setup, point: &Point) -> Working {
    let read = |quantity: Quantity| figures.get(quantity).map(|seen| as_read(quantity, seen).to_string());
    let figure = computed(point.measured, "W").to_string();
    let name = "Watts".to_owned();
    match (read(Quantity::Voltage), read(Quantity::Current)) {
        (Some(voltage), Some(current)) => Working {
            name,
            figure,
            formula: "P = V \u{d7} I, both under load at the same moment".to_owned(),
            inputs: vec![
                input("V", voltage, "the reading"),
                input("I", current, "the reading"),
                input("of a range", setup.wobble.label(), "the test"),
            ],
            source: "definition of power",
        },
        _ => Working {
            name,
            figure,
            formula: "P as the instrument shows it".to_owned(),
            inputs: vec![
                input("P", read(Quantity::Power).unwrap_or_default(), "the reading"),
                input("of a range", setup.wobble.label(), "the test"),
            ],
            source: "the instrument",
        },
    }
}

/// Where the sun's strength in the plane came from.
fn sun_from(point: &Point) -> &'static str {
    match point.sun_from {
        SunFrom::PlaneMeter => "the reading, in the plane",
        SunFrom::FlatMeter { .. } => "the reading on the flat, split by Erbs 1982 and brought over by Perez 1990",
        SunFrom::ClearSky { .. } => "worked out: Ineichen and Perez 2002, onto the plane by Perez 1990",
    }
}

fn cell_temperature(point: &Point) -> Working {
    let sun = input("G", computed(point.condition.poa_w_m2, "W/m\u{b2}"), sun_from(point));
    let (formula, inputs, source) = match point.cell_from {
        CellFrom::Cell => (
            "T as read".to_owned(),
            vec![input("T", computed(point.condition.cell_c, "\u{b0}C"), "the reading")],
            "the instrument",
        ),
        CellFrom::Back { back_c } => (
            format!("T = back + G / 1000 \u{d7} {CELL_ABOVE_BACK_K} K"),
            vec![input("back", computed(back_c, "\u{b0}C"), "the reading"), sun],
            "King, Boyson and Kratochvil 2004, SAND2004-3535, equation 12 and table 1",
        ),
        CellFrom::OwnVoc { voc_v } => (
            "T = 25 + (Voc / Voc at STC \u{2212} 1 \u{2212} a \u{d7} ln(G / 1000)) / beta".to_owned(),
            vec![input("Voc", computed(voc_v, "V"), "the reading; Voc at STC and beta from the label"), sun],
            "IEC 60904-5:2011, equivalent cell temperature",
        ),
        CellFrom::Air { air_c, noct_c, noct_on_label, wind_m_s } => (
            "T = air + (NOCT \u{2212} 20) \u{d7} G / 800 \u{d7} (25 + 6.84 \u{d7} 1 m/s) / (25 + 6.84 \u{d7} wind)".to_owned(),
            vec![
                input("air", computed(air_c, "\u{b0}C"), "the reading"),
                input("NOCT", computed(noct_c, "\u{b0}C"), if noct_on_label { "the label" } else { "usual; not on the label" }),
                input(
                    "wind",
                    computed(wind_m_s.unwrap_or(NOCT_WIND_M_S), "m/s"),
                    if wind_m_s.is_some() { "the reading" } else { "as NOCT is defined; not read" },
                ),
                sun,
            ],
            "Ross 1976; IEC 61215:2005, 10.5; Faiman 2008, equation 2",
        ),
    };
    let figure = computed(point.condition.cell_c, "\u{b0}C").to_string();
    Working { name: "Cell temperature".to_owned(), figure, formula, inputs, source }
}

/// The result of the whole test.
pub fn of_whole(combined: &Combined, ladder: &Ladder) -> Vec<Working> {
    vec![
        Working {
            name: "Expected watts".to_owned(),
            figure: computed(ladder.expected_w, "W").to_string(),
            formula: "rated \u{d7} every step of the ladder down to it".to_owned(),
            inputs: [input("rated", stated(ladder.rated_w, "W"), "the label; the sum of them where several panels are joined")]
                .into_iter()
                .chain(ladder.steps.iter().filter_map(|step| {
                    Some(input(step.cause.label(), number(step.factor, 4), where_from(step.cause)?))
                }))
                .collect(),
            source: "the ladder; its steps multiply out to the measured watts",
        },
        Working {
            name: "Result".to_owned(),
            figure: with_u(combined.percent, combined.u_percent, "%").to_string(),
            formula: "geometric mean of the readings that count = 100 \u{d7} measured / (rated \u{d7} sun \u{d7} angle \u{d7} temperature); what the circuit explains besides corrects nothing".to_owned(),
            inputs: vec![
                input("readings", combined.count, "this test"),
                input("measured", computed(ladder.measured_w, "W"), "geometric mean"),
                input("sun \u{d7} angle \u{d7} temperature", number(ladder.linear_factor(), 4), "above"),
            ],
            source: "JCGM 100:2008 (GUM)",
        },
        Working {
            name: "Uncertainty".to_owned(),
            figure: format!("\u{b1} {}", percent(combined.u_percent)),
            formula: "U = k \u{d7} root of the sum of squares of the budget".to_owned(),
            inputs: vec![
                input("k", number(combined.coverage_factor, 2), "about 95 % coverage; more than 2 where few readings scatter"),
                input("u", percent(combined.u_percent / combined.coverage_factor), "the budget below"),
                input("apart", percent(combined.spread_percent), "highest less lowest reading"),
            ],
            source: "JCGM 100:2008 (GUM), 5.1.2 and G.4",
        },
    ]
}

/// Where a step of the ladder comes from; nothing for what is left over.
fn where_from(cause: StepCause) -> Option<&'static str> {
    Some(match cause {
        StepCause::Sun => "sun as measured / 1000, geometric mean of the readings",
        StepCause::Angle => "plane over flat, where the sun was measured on the flat",
        StepCause::Temperature => "1 + gamma \u{d7} (T \u{2212} 25), geometric mean of the readings",
        StepCause::LowLight => {
            "the five-parameter panel at this light and 25 \u{b0}C over one that follows the light (De Soto 2006)"
        }
        StepCause::Shade => "each panel\u{2019}s circuit in the shade of this test over the same in full light",
        StepCause::Wiring => "the panels joined over the sum of each alone",
        StepCause::Load => "where the load holds the panels, or its cap, over their best",
        StepCause::Unexplained => return None,
    })
}

/// One line of a budget as it is shown.
pub struct BudgetLine {
    pub label: &'static str,
    /// Expanded (k = 2), in percent of the result.
    pub u: String,
    /// Its share of the whole, in percent of the sum of squares; for the bar.
    pub share: u32,
}

/// A budget, the heaviest line first.
pub fn budget(budget: &Budget) -> Vec<BudgetLine> {
    let whole = budget.combined_rel().powi(2);
    let lines = budget.heaviest_first().into_iter().map(|part| BudgetLine {
        label: part.cause.label(),
        u: format!("\u{b1} {} %", number(200.0 * part.u_rel, 2)),
        share: (100.0 * part.u_rel.powi(2) / whole).round() as u32,
    });
    lines.collect()
}
