//! What panels that are not alike make together, and which of them loses by it.

use super::{Array, ArrayWiring};
use crate::error::Error;
use crate::panel::construction::Construction;
use crate::panel::curve::At;
use crate::panel::five::{Fit, LabelFigures, fit};
use crate::panel::layout::Panel;

/// One panel by its label, or by what it was measured to give alone.
#[derive(Debug, Clone, PartialEq)]
pub struct Single {
    pub name: String,
    pub figures: LabelFigures,
    pub construction: Construction,
    /// Volts and amps of its own best point, as measured alone.
    pub measured: Option<At>,
    /// Its own open volts, as measured.
    pub voc_v: Option<f64>,
}

/// Voc is about this much of Vmp, and Isc of Imp, where only the best point was measured. Common practice, no source.
const VOC_OF_VMP: f64 = 1.22;
const ISC_OF_IMP: f64 = 1.07;

/// Voc of one cell, V; common practice, no source.
const CELL_VOC_V: f64 = 0.61;

impl Single {
    /// A panel of which only the best point is known.
    pub fn measured_only(name: &str, at: At) -> Self {
        let voc_v = at.v * VOC_OF_VMP;
        let figures = LabelFigures {
            voc_v,
            isc_a: at.i * ISC_OF_IMP,
            vmp_v: at.v,
            imp_a: at.i,
            cells_in_series: (voc_v / CELL_VOC_V).round().max(1.0),
            alpha_isc_a_per_k: 0.0005 * at.i,
            beta_voc_v_per_k: -0.003 * voc_v,
        };
        Single { name: name.to_owned(), figures, construction: Construction::Cells36, measured: Some(at), voc_v: None }
    }

    /// The panel, its label's curve stretched onto what was measured. Open volts alone stretch all of its volts.
    fn panel(&self) -> Result<Panel, Error> {
        let mut figures = self.figures;
        if let (Some(voc_v), None) = (self.voc_v, self.measured) {
            let volts = voc_v / figures.voc_v;
            figures = LabelFigures {
                voc_v,
                vmp_v: figures.vmp_v * volts,
                beta_voc_v_per_k: figures.beta_voc_v_per_k * volts,
                ..figures
            };
        }
        if let Some(at) = self.measured {
            let (volts, amps) = (at.v / figures.vmp_v, at.i / figures.imp_a);
            figures = LabelFigures {
                voc_v: self.voc_v.unwrap_or(figures.voc_v * volts),
                vmp_v: at.v,
                isc_a: figures.isc_a * amps,
                imp_a: at.i,
                alpha_isc_a_per_k: figures.alpha_isc_a_per_k * amps,
                beta_voc_v_per_k: figures.beta_voc_v_per_k * volts,
                ..figures
            };
        }
        let fitted: Fit = fit(&figures)?;
        Ok(Panel::new(fitted, self.construction))
    }
}

/// One way of joining them.
#[derive(Debug, Clone, PartialEq)]
pub struct Together {
    pub best: At,
    pub open_v: f64,
    /// The rule of thumb: lowest amps times all volts, or lowest volts times all amps.
    pub rule_w: f64,
    /// Watts that each loses against being alone, in the order given.
    pub lost_w: Vec<f64>,
}

#[derive(Debug, Clone, PartialEq)]
pub struct Unlike {
    pub singles: Vec<At>,
    pub sum_w: f64,
    pub series: Together,
    pub parallel: Together,
    /// Every pair with the share of its sum that the better way keeps: (one, other, way, share). The best first.
    pub pairs: Vec<(usize, usize, ArrayWiring, f64)>,
    /// Of three and more, each left out: first the one that gives most on an input of its own beside the others.
    pub without: Vec<Without>,
}

/// What the others make without one of them.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Without {
    /// The one left out, by its place.
    pub out: usize,
    pub series_w: f64,
    pub parallel_w: f64,
    /// The sum of each of the others alone.
    pub sum_w: f64,
}

impl Unlike {
    /// The way of joining whose volts are nearer to those measured together.
    pub fn way_at(&self, measured_v: f64) -> ArrayWiring {
        let off = |together: &Together| (together.best.v / measured_v).ln().abs();
        if off(&self.series) < off(&self.parallel) { ArrayWiring::Series } else { ArrayWiring::Parallel }
    }
}

impl Without {
    pub fn best_w(&self) -> f64 {
        self.series_w.max(self.parallel_w)
    }
}

/// Two to six panels at STC.
pub fn unlike(singles: &[Single]) -> Result<Unlike, Error> {
    if !(2..=6).contains(&singles.len()) {
        let why = format!("{} panels: two to six can be joined here", singles.len());
        return Err(Error::Inconsistent { field: "panels", why });
    }
    let panels: Vec<Panel> = singles.iter().map(Single::panel).collect::<Result<_, _>>()?;
    let array = |of: &[usize]| Array {
        panels: of.iter().map(|place| (panels[*place].clone(), Vec::new())).collect(),
        poa_w_m2: 1000.0,
        cell_c: 25.0,
        lead_ohm: 0.0,
        is_blocked: false,
    };
    let all: Vec<usize> = (0..panels.len()).collect();
    let alone: Vec<At> =
        all.iter().map(|place| Ok(array(&[*place]).in_strings(&[1])?.curve().best())).collect::<Result<_, Error>>()?;
    let together = |way: ArrayWiring| {
        let array = array(&all);
        let solution = array.in_strings(&array.lengths(way))?;
        let working = solution.at_best();
        let watts = working.cell_w();
        let mut first = 0;
        let lost_w = panels
            .iter()
            .zip(&alone)
            .map(|(panel, alone)| {
                let count = panel.layout.places.len();
                let makes: f64 = watts[first..first + count].iter().sum();
                first += count;
                alone.w() - makes
            })
            .collect();
        let sum = |of: fn(&At) -> f64| alone.iter().map(of).sum::<f64>();
        let least = |of: fn(&At) -> f64| alone.iter().map(of).fold(f64::INFINITY, f64::min);
        let rule_w =
            if way == ArrayWiring::Series { least(|at| at.i) * sum(|at| at.v) } else { least(|at| at.v) * sum(|at| at.i) };
        Ok::<Together, Error>(Together { best: working.at, open_v: solution.curve().open().v, rule_w, lost_w })
    };
    let mut pairs = Vec::new();
    for one in 0..panels.len() {
        for other in one + 1..panels.len() {
            let array = array(&[one, other]);
            let share = |way| {
                Ok::<f64, Error>(array.in_strings(&array.lengths(way))?.curve().best().w() / (alone[one].w() + alone[other].w()))
            };
            let (series, parallel) = (share(ArrayWiring::Series)?, share(ArrayWiring::Parallel)?);
            pairs.push(if series > parallel {
                (one, other, ArrayWiring::Series, series)
            } else {
                (one, other, ArrayWiring::Parallel, parallel)
            });
        }
    }
    pairs.sort_by(|a, b| b.3.total_cmp(&a.3));
    let mut without = Vec::new();
    for out in all.iter().copied().filter(|_| panels.len() > 2) {
        let others: Vec<usize> = all.iter().copied().filter(|place| *place != out).collect();
        let array = array(&others);
        let watts = |way| Ok::<f64, Error>(array.in_strings(&array.lengths(way))?.curve().best().w());
        let sum_w = others.iter().map(|place| alone[*place].w()).sum();
        without.push(Without { out, series_w: watts(ArrayWiring::Series)?, parallel_w: watts(ArrayWiring::Parallel)?, sum_w });
    }
    without.sort_by(|a, b| (b.best_w() + alone[b.out].w()).total_cmp(&(a.best_w() + alone[a.out].w())));
    let (series, parallel) = (together(ArrayWiring::Series)?, together(ArrayWiring::Parallel)?);
    Ok(Unlike { sum_w: alone.iter().map(|at| at.w()).sum(), singles: alone, series, parallel, pairs, without })
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Common practice, no source: singles of 103 W (18.38 V), 88 W (13.62 V) and 87 W (16.3 V) gave about 249 W in parallel at 15.5 V,
    /// open circuit 19.7 V; the two alike 185 of 190.
    #[test]
    fn measured_singles_predict_what_they_make_together() {
        let single = |name: &str, v: f64, w: f64| Single::measured_only(name, At { v, i: w / v });
        let found = unlike(&[single("a", 18.38, 103.0), single("b", 13.62, 88.0), single("c", 16.3, 87.0)]).unwrap();
        assert!((found.sum_w - 278.0).abs() < 1.0);
        assert!(
            (235.0..262.0).contains(&found.parallel.best.w()) && (14.0..16.5).contains(&found.parallel.best.v),
            "{:?}",
            found.parallel
        );
        assert!((18.0..20.5).contains(&found.parallel.open_v), "{}", found.parallel.open_v);
        // The rule of the lowest volts is the careful one.
        assert!(found.parallel.rule_w <= found.parallel.best.w() * 1.01);
        // Those furthest from each other lose most as a pair; the two alike keep nearly all.
        let (one, other, _, share) = found.pairs[0];
        assert!((one, other) == (0, 2) && share > 0.96, "{:?}", found.pairs);
        // Without the second the others give 185 of 190 W.
        let without = found.without[0];
        assert_eq!(without.out, 1, "{:?}", found.without);
        assert!((without.parallel_w - 185.0).abs() < 3.0 && (without.sum_w - 190.0).abs() < 1.0, "{:?}", found.without);
        let lost: f64 = found.parallel.lost_w.iter().sum();
        assert!((lost - (found.sum_w - found.parallel.best.w())).abs() < 1.0);
    }

    /// Open volts in series add up: 22.82 + 17.94 + 20.55 = 61.31 V. They are those that were measured, beside a loaded point or alone.
    #[test]
    fn measured_open_volts_are_used() {
        let single = |voc_v, v: f64, w: f64| Single { voc_v: Some(voc_v), ..Single::measured_only("a", At { v, i: w / v }) };
        let three = [single(22.82, 18.38, 103.0), single(17.94, 13.62, 88.0), single(20.55, 16.3, 87.0)];
        let found = unlike(&three).unwrap();
        assert!((found.series.open_v / 61.31 - 1.0).abs() < 2e-3, "{}", found.series.open_v);
        // Without a loaded point all volts stretch with Voc: a tenth more open is a tenth more under load.
        let of_label = Single { measured: None, voc_v: None, ..three[0].clone() };
        let stretched = Single { voc_v: Some(of_label.figures.voc_v * 1.1), ..of_label.clone() };
        let found = unlike(&[of_label, stretched]).unwrap();
        assert!((found.singles[1].v / found.singles[0].v - 1.1).abs() < 0.01, "{:?}", found.singles);
    }

    #[test]
    fn one_panel_or_seven_are_no_mix() {
        let one = Single::measured_only("a", At { v: 18.0, i: 5.0 });
        assert!(unlike(std::slice::from_ref(&one)).unwrap_err().to_string().contains("two to six"));
        assert!(unlike(&vec![one; 7]).is_err());
    }
}
