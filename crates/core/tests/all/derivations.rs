//! Every figure that is opened is what its own text gives: the formulas are evaluated as they are written.

use crate::worlds::{comparing, rating};
use flindo_core::derivation::Derivation;
use flindo_core::verdict::assess::assess;
use flindo_core::verdict::derive::of_rating;

/// A formula as people write it, evaluated from left to right with the usual precedence.
struct Text<'a> {
    rest: &'a str,
    of: &'a Derivation,
}

impl Text<'_> {
    fn eats(&mut self, sign: char) -> bool {
        self.rest = self.rest.trim_start();
        let found = self.rest.starts_with(sign);
        if found {
            self.rest = &self.rest[sign.len_utf8()..];
        }
        found
    }

    fn sum(&mut self) -> f64 {
        let mut value = self.product();
        loop {
            if self.eats('+') {
                value += self.product();
            } else if self.eats('\u{2212}') {
                value -= self.product();
            } else {
                return value;
            }
        }
    }

    fn product(&mut self) -> f64 {
        let mut value = self.power();
        loop {
            if self.eats('\u{d7}') {
                value *= self.power();
            } else if self.eats('/') {
                value /= self.power();
            } else {
                return value;
            }
        }
    }

    fn power(&mut self) -> f64 {
        let base = self.one();
        if self.eats('^') { base.powf(self.one()) } else { base }
    }

    fn one(&mut self) -> f64 {
        if self.eats('(') {
            let value = self.sum();
            assert!(self.eats(')'), "{} misses a bracket at {}", self.of.formula, self.rest);
            return value;
        }
        let end = self.rest.find(|c: char| !(c.is_alphanumeric() || c == '_' || c == '.')).unwrap_or(self.rest.len());
        let (word, rest) = self.rest.split_at(end);
        self.rest = rest;
        match word {
            "ln" => self.one().ln(),
            "exp" => self.one().exp(),
            "sqrt" => self.one().sqrt(),
            number if number.starts_with(|c: char| c.is_ascii_digit()) => number.parse().unwrap(),
            symbol => {
                let found = self.of.inputs.iter().find(|input| input.symbol == symbol);
                found.unwrap_or_else(|| panic!("{}: no input {symbol}", self.of.formula)).value
            }
        }
    }
}

fn check(of: &Derivation, within_rel: f64) {
    let mut text = Text { rest: &of.formula, of };
    let value = text.sum();
    assert!(text.rest.trim().is_empty(), "{}: {} is left over", of.formula, text.rest);
    assert!((value / of.value - 1.0).abs() < within_rel, "{} = {} gives {value}, {:?}", of.name, of.formula, of);
    assert!(!of.source.is_empty() || of.formula.is_empty());
    let unused = of.inputs.iter().find(|input| !of.formula.contains(input.symbol.as_ref()));
    assert!(unused.is_none(), "{}: {unused:?} is not in {}", of.name, of.formula);
}

#[test]
fn the_figures_of_a_rating_are_what_their_formulas_give() {
    let mut opened = 0;
    for seed in 0..40 {
        let record = rating::World::draw(seed).read(seed);
        let assessment = assess(&record).unwrap();
        for (reading, judged) in record.readings.iter().zip(&assessment.readings) {
            for point in [&judged.result.pmax, &judged.result.voc, &judged.result.isc].into_iter().flatten() {
                for step in point.derivation(&reading.figures, &record.setup) {
                    check(&step, 1e-9);
                    opened += 1;
                }
            }
        }
        let result = assessment.rating().unwrap();
        if let (Some(pmax), Some(ladder)) = (&result.pmax, &result.ladder) {
            of_rating(pmax, ladder).iter().for_each(|step| check(step, 1e-9));
        }
    }
    assert!(opened > 300, "{opened}");
}

#[test]
fn the_figures_of_a_comparison_are_what_their_formulas_give() {
    for seed in 0..60 {
        let record = comparing::World::draw(seed).read(seed);
        let assessment = assess(&record).unwrap();
        let Some(Ok(found)) = assessment.outcome.comparison() else { continue };
        let pairs = found.pairs.iter().map(|(.., difference)| difference);
        for difference in found.levels.iter().map(|one| &one.difference).chain(pairs) {
            // Weights are written with four decimals.
            difference.derivation().iter().for_each(|step| check(step, 1e-3));
        }
    }
}
