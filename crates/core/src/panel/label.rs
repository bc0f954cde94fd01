//! A label as typed, and whether it can be true.
//!
//! What cannot be computed with is refused. What contradicts itself is a doubt: the person may keep it, because that is
//! what the label says.

use super::coefficient::{Coefficient, CoefficientOf};
use super::construction::Construction;
use super::nameplate::{Nameplate, Technology};
use super::tolerance;
use crate::decimal::{Decimal, DecimalError};
use crate::form::form;

form!(
    /// The fields of a label, as typed. Empty means: not on the label.
    LabelTyped {
        rated_w,
        tolerance,
        voc_v,
        isc_a,
        vmp_v,
        imp_a,
        alpha_isc,
        beta_voc,
        gamma_pmax,
        cells_in_series,
        technology,
        noct_c,
        construction,
        length_m,
        width_m,
        bifaciality,
        weight_kg,
        degradation_percent_per_year,
    }
);

impl LabelTyped {
    /// A nameplate as it would be typed; [`check`] reads it back.
    pub fn of(nameplate: &Nameplate) -> Self {
        let number = |value: Option<f64>| value.map(|value| value.to_string()).unwrap_or_default();
        let coefficient = |value: Option<Coefficient>, of| value.map(|value| value.as_text(of)).unwrap_or_default();
        LabelTyped {
            rated_w: number(nameplate.rated_w),
            tolerance: nameplate.tolerance.as_text(),
            voc_v: number(nameplate.voc_v),
            isc_a: number(nameplate.isc_a),
            vmp_v: number(nameplate.vmp_v),
            imp_a: number(nameplate.imp_a),
            alpha_isc: coefficient(nameplate.alpha_isc, CoefficientOf::Isc),
            beta_voc: coefficient(nameplate.beta_voc, CoefficientOf::Voc),
            gamma_pmax: coefficient(nameplate.gamma_pmax, CoefficientOf::Pmax),
            cells_in_series: nameplate.cells_in_series.map(|cells| cells.to_string()).unwrap_or_default(),
            technology: nameplate.technology.name().to_owned(),
            noct_c: number(nameplate.noct_c),
            construction: nameplate.construction.map(|one| one.name().to_owned()).unwrap_or_default(),
            length_m: number(nameplate.length_m),
            width_m: number(nameplate.width_m),
            bifaciality: number(nameplate.bifaciality),
            weight_kg: number(nameplate.weight_kg),
            degradation_percent_per_year: number(nameplate.degradation_percent_per_year),
        }
    }
}

/// How much a note matters.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Severity {
    /// Worth knowing.
    Info,
    /// Contradicts something; may be kept on purpose.
    Warning,
    /// Cannot be computed with.
    Error,
}

/// One remark beside one field.
#[derive(Debug, Clone, PartialEq)]
pub struct Note {
    pub field: &'static str,
    pub severity: Severity,
    pub text: String,
}

/// The answer to a label.
#[derive(Debug, Clone, PartialEq)]
pub struct LabelCheck {
    pub notes: Vec<Note>,
    /// There unless something was refused.
    pub nameplate: Option<Nameplate>,
    pub vmp_times_imp_w: Option<f64>,
    pub fill_factor: Option<f64>,
    pub voc_per_cell_v: Option<f64>,
}

impl LabelCheck {
    pub fn has_doubts(&self) -> bool {
        self.notes.iter().any(|note| note.severity == Severity::Warning)
    }
}

/// A label as it was kept: as it was checked, or the one that nobody has read, which states nothing.
pub fn kept(typed: &LabelTyped) -> Option<Nameplate> {
    checked(typed, true).nameplate
}

/// [`check`], where the label may be one that nobody has read yet.
pub fn checked(typed: &LabelTyped, may_be_unread: bool) -> LabelCheck {
    let unread = Nameplate::default();
    if may_be_unread && *typed == LabelTyped::of(&unread) {
        return LabelCheck {
            nameplate: Some(unread),
            vmp_times_imp_w: None,
            fill_factor: None,
            voc_per_cell_v: None,
            notes: Vec::new(),
        };
    }
    check(typed)
}

/// Checks a label as typed: every field by itself, then the fields against each other.
pub fn check(typed: &LabelTyped) -> LabelCheck {
    let mut notes = Notes::default();
    let rated_w = notes.number("rated_w", &typed.rated_w, 0.1, 2000.0, "W");
    if typed.rated_w.trim().is_empty() {
        notes.add("rated_w", Severity::Error, "The rated watts are needed: everything is related to them.".into());
    }
    let voc_v = notes.number("voc_v", &typed.voc_v, 0.3, 400.0, "V");
    let isc_a = notes.number("isc_a", &typed.isc_a, 0.001, 60.0, "A");
    let vmp_v = notes.number("vmp_v", &typed.vmp_v, 0.3, 400.0, "V");
    let imp_a = notes.number("imp_a", &typed.imp_a, 0.001, 60.0, "A");
    let noct_c = notes.number("noct_c", &typed.noct_c, 20.0, 90.0, "C");
    let cells = notes.number("cells_in_series", &typed.cells_in_series, 1.0, 400.0, "cells");
    let cells_in_series = cells.and_then(|cells| {
        let whole = cells.fract() == 0.0;
        if !whole {
            notes.add("cells_in_series", Severity::Error, format!("{cells} is not a whole number of cells."));
        }
        whole.then_some(cells as u32)
    });
    let technology = Technology::from_name(typed.technology.trim()).unwrap_or_else(|| {
        if !typed.technology.trim().is_empty() {
            notes.add("technology", Severity::Error, format!("\"{}\" is not a technology known here.", typed.technology.trim()));
        }
        Technology::default()
    });
    let construction = Construction::from_name(typed.construction.trim());
    if construction.is_none() && !typed.construction.trim().is_empty() {
        let text = format!("\"{}\" is not a construction known here.", typed.construction.trim());
        notes.add("construction", Severity::Error, text);
    }
    let tolerance = tolerance::parse(&typed.tolerance).unwrap_or_else(|text| {
        notes.add("tolerance", Severity::Error, text + ".");
        Default::default()
    });
    let off_rel = tolerance.relative(rated_w.unwrap_or(f64::INFINITY));
    if *off_rel.start() < -0.3 || *off_rel.end() > 0.3 {
        notes.add("tolerance", Severity::Error, format!("\"{}\" is more than 30 % of the rating.", typed.tolerance.trim()));
    }
    let alpha_isc = notes.coefficient("alpha_isc", &typed.alpha_isc, CoefficientOf::Isc);
    let beta_voc = notes.coefficient("beta_voc", &typed.beta_voc, CoefficientOf::Voc);
    let gamma_pmax = notes.coefficient("gamma_pmax", &typed.gamma_pmax, CoefficientOf::Pmax);

    let nameplate = Nameplate {
        rated_w,
        tolerance,
        voc_v,
        isc_a,
        vmp_v,
        imp_a,
        alpha_isc,
        beta_voc,
        gamma_pmax,
        cells_in_series,
        technology,
        noct_c,
        construction,
        length_m: notes.number("length_m", &typed.length_m, 0.02, 5.0, "m"),
        width_m: notes.number("width_m", &typed.width_m, 0.02, 5.0, "m"),
        bifaciality: notes.number("bifaciality", &typed.bifaciality, 0.0, 1.0, ""),
        weight_kg: notes.number("weight_kg", &typed.weight_kg, 0.01, 100.0, "kg"),
        degradation_percent_per_year: notes.number(
            "degradation_percent_per_year",
            &typed.degradation_percent_per_year,
            0.0,
            10.0,
            "% a year",
        ),
    };
    notes.about_watts(&nameplate, rated_w);
    notes.about_cells(&nameplate);
    notes.about_coefficients(&nameplate);

    let refused = notes.0.iter().any(|note| note.severity == Severity::Error);
    LabelCheck {
        vmp_times_imp_w: vmp_v.zip(imp_a).map(|(vmp_v, imp_a)| vmp_v * imp_a),
        fill_factor: nameplate.fill_factor().filter(|factor| factor.is_finite()),
        voc_per_cell_v: voc_v.zip(cells_in_series).map(|(voc_v, cells)| voc_v / f64::from(cells)),
        nameplate: (!refused && rated_w.is_some()).then_some(nameplate),
        notes: notes.0,
    }
}

#[derive(Default)]
struct Notes(Vec<Note>);

impl Notes {
    fn add(&mut self, field: &'static str, severity: Severity, text: String) {
        self.0.push(Note { field, severity, text });
    }

    fn number(&mut self, field: &'static str, typed: &str, low: f64, high: f64, unit: &str) -> Option<f64> {
        let typed = typed.trim();
        if typed.is_empty() {
            return None;
        }
        let bare = typed.trim_end_matches(|c: char| c.is_alphabetic() || c == '\u{b0}').trim_end();
        match Decimal::parse(bare).map(Decimal::value) {
            Ok(value) if (low..=high).contains(&value) => return Some(value),
            Ok(_) => self.add(field, Severity::Error, format!("{typed} is outside {low} to {high} {unit}.")),
            Err(DecimalError::NotANumber(_)) => self.add(field, Severity::Error, format!("\"{typed}\" is not a number.")),
            Err(error) => self.add(field, Severity::Error, format!("{error}.")),
        }
        None
    }

    fn coefficient(&mut self, field: &'static str, typed: &str, of: CoefficientOf) -> Option<Coefficient> {
        if typed.trim().is_empty() {
            return None;
        }
        Coefficient::parse(typed, of).map_err(|error| self.add(field, Severity::Error, format!("{error}."))).ok()
    }

    /// Ratios of watts, volts and amps. The bands are common practice, no source, except where a constant cites one.
    fn about_watts(&mut self, label: &Nameplate, rated_w: Option<f64>) {
        if let (Some(vmp_v), Some(voc_v)) = (label.vmp_v, label.voc_v)
            && vmp_v >= voc_v
        {
            self.add("vmp_v", Severity::Warning, format!("Vmp {vmp_v} V must be below Voc {voc_v} V. Are the two swapped?"));
        }
        if let (Some(imp_a), Some(isc_a)) = (label.imp_a, label.isc_a)
            && imp_a >= isc_a
        {
            self.add("imp_a", Severity::Warning, format!("Imp {imp_a} A must be below Isc {isc_a} A. Are the two swapped?"));
        }
        if let (Some(vmp_v), Some(imp_a), Some(rated_w)) = (label.vmp_v, label.imp_a, rated_w) {
            let product_w = vmp_v * imp_a;
            let off_percent = (product_w / rated_w - 1.0) * 100.0;
            if off_percent.abs() > 3.0 {
                let text = format!(
                    "Vmp x Imp is {product_w:.1} W, {:.1} % {} the rated {rated_w} W.",
                    off_percent.abs(),
                    if off_percent > 0.0 { "above" } else { "below" }
                );
                self.add("rated_w", Severity::Warning, text);
            }
        }
        if let Some(factor) = label.fill_factor().filter(|factor| factor.is_finite()) {
            let (low, high) = if label.technology == Technology::ThinFilm { (0.52, 0.80) } else { (0.65, 0.84) };
            if !(low..=high).contains(&factor) {
                let text = format!(
                    "The fill factor comes to {factor:.2}; {low:.2} to {high:.2} is usual. One of Voc, Isc and the watts is off."
                );
                self.add("isc_a", Severity::Warning, text);
            }
        }
    }

    /// Volts for each cell and NOCT: common practice, no source.
    fn about_cells(&mut self, label: &Nameplate) {
        if let (Some(voc_v), Some(cells)) = (label.voc_v, label.cells_in_series) {
            let per_cell_v = voc_v / f64::from(cells);
            let (low, high) = if label.technology == Technology::ThinFilm { (0.45, 1.30) } else { (0.55, 0.77) };
            if !(low..=high).contains(&per_cell_v) {
                let text = format!(
                    "{per_cell_v:.2} V for each cell; {low} to {high} V is usual. {:.0} to {:.0} cells in series would fit. \
                     A half-cut panel has half its cells in series.",
                    (voc_v / high).ceil(),
                    (voc_v / low).floor()
                );
                self.add("cells_in_series", Severity::Warning, text);
            }
        }
        if let Some(noct_c) = label.noct_c
            && !(38.0..=55.0).contains(&noct_c)
        {
            self.add("noct_c", Severity::Warning, format!("{noct_c} C is unusual; labels say 42 to 49 C."));
        }
    }

    /// Signs and sizes of the coefficients: common practice, no source.
    fn about_coefficients(&mut self, label: &Nameplate) {
        let known = [
            ("alpha_isc", "Isc", label.alpha_isc.and_then(|c| c.relative_per_k(label.isc_a)), (0.0, 0.0015)),
            ("beta_voc", "Voc", label.beta_voc.and_then(|c| c.relative_per_k(label.voc_v)), (-0.0050, -0.0015)),
            ("gamma_pmax", "Pmax", label.gamma_pmax.and_then(|c| c.relative_per_k(label.rated_w)), (-0.0060, -0.0015)),
        ];
        for (field, what, per_k, (low, high)) in known {
            let Some(per_k) = per_k.filter(|per_k| per_k.is_finite()) else { continue };
            let percent = per_k * 100.0;
            if per_k > 0.0 && high < 0.0 {
                self.add(
                    field,
                    Severity::Warning,
                    format!("{what} falls as cells warm: this should be negative. Is the minus missing?"),
                );
            } else if !(low..=high).contains(&per_k) {
                let text =
                    format!("{percent:.3} %/K is unusual for {what}; {:.2} to {:.2} %/K is usual.", low * 100.0, high * 100.0);
                self.add(field, Severity::Warning, text);
            }
        }
        if label.gamma_pmax.is_none() {
            let gamma = label.technology.usual_gamma().per_k;
            let text = format!(
                "Without it {:.2} %/K, usual for {}, is taken, and the result is less sure.",
                gamma * 100.0,
                label.technology.label()
            );
            self.add("gamma_pmax", Severity::Info, text);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn saffron() -> LabelTyped {
        let text = |text: &str| text.to_owned();
        LabelTyped {
            rated_w: text("200"),
            tolerance: text("0/+3 %"),
            voc_v: text("24.3"),
            isc_a: text("10.4"),
            vmp_v: text("20.4"),
            imp_a: text("9.81"),
            alpha_isc: text("0.05 %/K"),
            beta_voc: text("-0.28 %/K"),
            gamma_pmax: text("-0.36 %/K"),
            cells_in_series: text("36"),
            technology: text("mono"),
            noct_c: text("45"),
            construction: text("cells_36"),
            length_m: text("1.49"),
            width_m: text("0.67"),
            bifaciality: String::new(),
            weight_kg: String::new(),
            degradation_percent_per_year: String::new(),
        }
    }

    fn doubts(typed: &LabelTyped) -> Vec<(&'static str, String)> {
        check(typed)
            .notes
            .into_iter()
            .filter(|note| note.severity == Severity::Warning)
            .map(|note| (note.field, note.text))
            .collect()
    }

    #[test]
    fn a_sound_label_raises_nothing() {
        let checked = check(&saffron());
        assert_eq!(checked.notes, []);
        assert_eq!(checked.nameplate.unwrap().cells_in_series, Some(36));
        assert!((checked.vmp_times_imp_w.unwrap() - 200.1).abs() < 0.1);
    }

    #[test]
    fn a_nameplate_typed_again_is_the_same_nameplate() {
        for tolerance in ["", "0/+3 %", "\u{b1}5 W", "-5/+10 %"] {
            let nameplate =
                check(&LabelTyped { tolerance: tolerance.into(), noct_c: String::new(), ..saffron() }).nameplate.unwrap();
            assert_eq!(check(&LabelTyped::of(&nameplate)).nameplate, Some(nameplate));
        }
    }

    #[test]
    fn contradictions_stand_beside_their_field() {
        let swapped = LabelTyped { vmp_v: "24.3".into(), voc_v: "20.4".into(), ..saffron() };
        assert_eq!(doubts(&swapped)[0].0, "vmp_v");
        let amps = LabelTyped { imp_a: "10.4".into(), ..saffron() };
        assert_eq!(doubts(&amps)[0].0, "imp_a");
        let watts = LabelTyped { rated_w: "250".into(), ..saffron() };
        assert_eq!(doubts(&watts)[0].0, "rated_w");
        let cells = LabelTyped { cells_in_series: "72".into(), ..saffron() };
        assert!(doubts(&cells)[0].1.contains("32 to 44 cells"), "{:?}", doubts(&cells));
        let sign = LabelTyped { beta_voc: "0.28 %/K".into(), ..saffron() };
        assert!(doubts(&sign)[0].1.contains("minus missing"));
        let fill = LabelTyped { isc_a: "14".into(), ..saffron() };
        assert!(doubts(&fill)[0].1.contains("fill factor"));
    }

    #[test]
    fn doubts_may_be_kept_but_refusals_may_not() {
        assert!(check(&LabelTyped { rated_w: "250".into(), ..saffron() }).nameplate.is_some());
        for typed in [
            LabelTyped { rated_w: String::new(), ..saffron() },
            LabelTyped { voc_v: "about 24".into(), ..saffron() },
            LabelTyped { isc_a: "-3".into(), ..saffron() },
            LabelTyped { cells_in_series: "36.5".into(), ..saffron() },
            LabelTyped { technology: "paint".into(), ..saffron() },
            LabelTyped { construction: "plaited".into(), ..saffron() },
            LabelTyped { gamma_pmax: "-0.3 V/K".into(), ..saffron() },
        ] {
            let checked = check(&typed);
            assert!(checked.nameplate.is_none() && checked.notes.iter().any(|note| note.severity == Severity::Error));
        }
    }

    #[test]
    fn a_label_with_watts_alone_is_enough_to_begin() {
        let checked = check(&LabelTyped { rated_w: "100 W".into(), ..LabelTyped::default() });
        assert_eq!(checked.nameplate.unwrap().rated_w, Some(100.0));
        assert!(!checked.notes.iter().any(|note| note.severity == Severity::Warning));
    }

    proptest! {
        #[test]
        fn no_label_makes_it_panic(a in "\\PC{0,12}", b in "[-+0-9.,%/KVA ]{0,12}", c in "[0-9.]{0,6}") {
            let typed = LabelTyped { rated_w: c.clone(), tolerance: b.clone(), voc_v: c.clone(), isc_a: b.clone(), vmp_v: a.clone(),
                imp_a: c.clone(), alpha_isc: b.clone(), beta_voc: b, gamma_pmax: a.clone(), cells_in_series: c.clone(), technology: a.clone(), noct_c: c,
                construction: a, ..LabelTyped::default() };
            let _ = check(&typed);
        }
    }
}
