//! A used panel by three readings: Voc with the cell temperature, Isc with the sun, and a loaded point. What is wrong with it, and
//! whether to keep it.

use super::finding::Finding;
use super::reference::light_in_plane;
use crate::measure::correct::{Condition, isc_at_stc_a, pmax_at_stc_w, voc_at_stc_v, voc_irradiance_coefficient};
use crate::measure::quantity::{Figures, Quantity};
use crate::named::named;
use crate::panel::construction::Construction;
use crate::panel::nameplate::Nameplate;
use crate::panel::temperature::{CELL_ABOVE_BACK_K, cell_from_back_c};
use crate::record::setup::{Load, Setup};

/// What was read; whatever is there is used.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Seen {
    pub voc_v: Option<f64>,
    pub isc_a: Option<f64>,
    /// Volts and amps under load.
    pub loaded: Option<(f64, f64)>,
    pub cell_c: Option<f64>,
    pub poa_w_m2: Option<f64>,
}

/// The mean of what all readings of one panel show.
pub fn seen_of<'a>(figures: impl Iterator<Item = &'a Figures> + Clone, setup: &Setup) -> Seen {
    // A battery holds the panel where it likes.
    let is_at_best = setup.load != Load::PwmController;
    let mean = |of: &dyn Fn(&Figures) -> Option<f64>| {
        let values: Vec<f64> = figures.clone().filter_map(of).collect();
        (!values.is_empty()).then(|| values.iter().sum::<f64>() / values.len() as f64)
    };
    let value = |quantity| mean(&|figures: &Figures| figures.get(quantity).map(|seen| seen.value(setup.unsteady)));
    let poa_w_m2 = mean(&|figures: &Figures| light_in_plane(figures, setup).map(|seen| seen.value(setup.unsteady)));
    let back = value(Quantity::Back).map(|back_c| cell_from_back_c(back_c, poa_w_m2.unwrap_or(800.0), CELL_ABOVE_BACK_K));
    Seen {
        voc_v: value(Quantity::Voc),
        isc_a: value(Quantity::Isc),
        loaded: value(Quantity::Voltage).zip(value(Quantity::Current)).filter(|_| is_at_best),
        cell_c: value(Quantity::Cell).or(back),
        poa_w_m2,
    }
}

/// What to do with it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Grade {
    Keep,
    UseKnowingly,
    Reject,
    /// A reading is missing.
    CantTell,
}

named!(Grade {
    Keep = "keep", "keep";
    UseKnowingly = "use_with_limits", "use with limits";
    Reject = "reject", "reject";
    CantTell = "cant_tell", "can\u{2019}t tell";
});

#[derive(Debug, Clone, PartialEq)]
pub struct Judged {
    pub grade: Grade,
    pub found: Vec<Finding>,
    /// Of what the label allows at the cell temperature read; without one, by the middle of [`CELL_RANGE_C`].
    pub voc_rel: Option<f64>,
    pub isc_rel: Option<f64>,
    pub at_stc_w: Option<f64>,
}

/// Voc within these shares under and over a number of thirds is that number of thirds. Flindo's own limits: meter, temperature and label
/// together; below it more, since a substring that is out can take cells along. Over it less where the cell temperature was read.
const UNDER_THIRD_REL: f64 = 0.09;
const OVER_THIRD_REL: f64 = 0.09;
const OVER_THIRD_READ_REL: f64 = 0.045;

/// Voc may lie over its label by this much, Isc by this much (rear light, a bright horizon); more is another panel's. Flindo's own limits.
const VOC_OVER_REL: f64 = 1.08;
const ISC_OVER_REL: f64 = 1.25;

/// Under load a shaded substring that its diode spans takes a third of the volts and none of the amps: volts within the first of so many
/// thirds, amps at least the second, both against open volts and short amps of the same meters. One that is not spanned bounds the
/// amps of all and leaves the volts: the other two. Flindo's own limits; resistance takes volts first and amps with them.
const SPANNED_VOLTS_REL: f64 = 0.06;
const SPANNED_AMPS_REL: f64 = 0.95;
const BOUND_VOLTS_REL: f64 = 0.98;
const BOUND_AMPS_REL: f64 = 0.88;

/// Voc hardly ages: from this share on the panel has all its cells. Common practice, no source.
const VOC_WHOLE_REL: f64 = 0.92;

/// Below these the current, the fill factor and the watts are called weak. Common practice, no source.
const ISC_WEAK_REL: f64 = 0.85;
const FILL_WEAK_REL: f64 = 0.88;
const KEEP_REL: f64 = 0.88;
const REJECT_REL: f64 = 0.6;

/// Groups of cells in series of a label's panel: those of its construction, where there are few; else three, as most have (common
/// practice, no source).
fn groups(label: &Nameplate) -> u32 {
    match label.construction() {
        Construction::Cells36 | Construction::TwoStrings72 | Construction::Shingled => 2,
        Construction::Cells54
        | Construction::Cells60
        | Construction::Cells72
        | Construction::HalfCut108
        | Construction::HalfCut120
        | Construction::HalfCut144
        | Construction::ThinFilmOneDiode
        | Construction::ThinFilmManyDiodes
        | Construction::DiodeEachCell => 3,
    }
}

/// Cells of a panel in the sun, C, where no thermometer was read. Common practice, no source: from a cold bright morning to a hot roof.
pub const CELL_RANGE_C: (f64, f64) = (5.0, 75.0);

/// Judges one panel. Without a cell temperature Voc is bounded by [`CELL_RANGE_C`], and without the sun nothing is said of amps and watts.
pub fn judge_used(label: &Nameplate, seen: &Seen) -> Judged {
    let (coldest_c, hottest_c) = seen.cell_c.map_or(CELL_RANGE_C, |cell_c| (cell_c, cell_c));
    let poa_w_m2 = seen.poa_w_m2.filter(|poa| *poa > 50.0);
    let at = |cell_c: f64| Condition { poa_w_m2: poa_w_m2.unwrap_or(1000.0), cell_c };
    let middle = at((coldest_c + hottest_c) / 2.0);
    let (alpha, beta, gamma) = (label.alpha().per_k, label.beta().per_k, label.gamma().per_k);
    let by_light = voc_irradiance_coefficient(label.cells_in_series, label.voc_v);
    let voc_at = |at| seen.voc_v.zip(label.voc_v).map(|(voc_v, rated_v)| voc_at_stc_v(voc_v, at, beta, by_light) / rated_v);
    let (voc_low, voc_rel, voc_high) = (voc_at(at(coldest_c)), voc_at(middle), voc_at(at(hottest_c)));
    let isc_rel = seen
        .isc_a
        .zip(label.isc_a)
        .filter(|_| poa_w_m2.is_some())
        .map(|(isc_a, rated_a)| isc_at_stc_a(isc_a, middle, alpha) / rated_a);
    let at_stc_w = seen.loaded.filter(|_| poa_w_m2.is_some()).map(|(v, i)| pmax_at_stc_w(v * i, middle, gamma));
    let watts_rel = at_stc_w.zip(label.rated_w).map(|(watts_w, rated_w)| watts_w / rated_w);
    let mut found = Vec::new();
    let of = groups(label);
    let out = voc_low.zip(voc_high).filter(|(_, high)| *high < VOC_WHOLE_REL).and_then(|(low, high)| {
        let fits = |out: &u32| {
            let share = f64::from(of - out) / f64::from(of);
            let over = if seen.cell_c.is_some() { OVER_THIRD_READ_REL } else { OVER_THIRD_REL };
            (low - over..high + UNDER_THIRD_REL).contains(&share)
        };
        let fitting: Vec<u32> = (1..of).filter(fits).collect();
        match seen.cell_c {
            Some(_) => fitting
                .into_iter()
                .min_by(|a, b| off_thirds(low, *a, of).total_cmp(&off_thirds(low, *b, of)))
                .map(|out| (out, out)),
            // Without a thermometer the least that is out is known, and not that it is all.
            None => fitting.first().map(|out| (*out, of - 1)),
        }
    });
    if voc_high.is_some_and(|rel| rel < 0.1) || watts_rel.is_some_and(|rel| rel < 0.03) {
        found.push(Finding::NoOutput {
            voc_percent: voc_rel.map(|rel| rel * 100.0),
            watts_percent: watts_rel.map(|rel| rel * 100.0),
        });
    } else if let Some(wrong) = wrong_label(voc_rel.filter(|_| seen.cell_c.is_some()), isc_rel, out.is_some()) {
        found.push(wrong);
    } else if let Some(((out, out_to), voc_rel)) = out.zip(voc_rel) {
        found.push(Finding::SubstringOut { out, out_to, of, voc_percent: voc_rel * 100.0 });
    }
    let explains_amps = |one: &Finding| matches!(one, Finding::WrongLabel { .. } | Finding::NoOutput { .. });
    if let Some(isc_rel) = isc_rel.filter(|rel| *rel < ISC_WEAK_REL && !found.iter().any(explains_amps)) {
        found.push(Finding::WeakCurrent { isc_percent: isc_rel * 100.0 });
    }
    found.extend(under_load(label, seen, of));
    let grade = grade(&found, watts_rel);
    Judged { grade, found, voc_rel, isc_rel, at_stc_w }
}

/// A label that is not of this panel: volts over it, or under it by what no number of substrings explains; or amps over it.
fn wrong_label(voc_rel: Option<f64>, isc_rel: Option<f64>, is_a_substring_out: bool) -> Option<Finding> {
    let volts = voc_rel.is_some_and(|rel| rel > VOC_OVER_REL || rel < VOC_WHOLE_REL && !is_a_substring_out);
    let amps = isc_rel.is_some_and(|rel| rel > ISC_OVER_REL);
    let percent = |rel: Option<f64>| rel.map(|rel| rel * 100.0);
    (volts || amps).then(|| Finding::WrongLabel { voc_percent: percent(voc_rel), isc_percent: percent(isc_rel) })
}

/// The loaded point against open volts and short amps of the same panel, which cancels light, temperature and gains: a substring that
/// is shaded, or a fill factor that resistance has eaten.
fn under_load(label: &Nameplate, seen: &Seen, of: u32) -> Option<Finding> {
    let ((v, i), voc_v, isc_a) = (seen.loaded?, seen.voc_v?, seen.isc_a?);
    let fill_rel = v * i / (voc_v * isc_a) / label.fill_factor()?;
    if fill_rel >= FILL_WEAK_REL {
        return None;
    }
    let shares = label
        .voc_v
        .zip(label.isc_a)
        .zip(label.vmp_v.zip(label.imp_a))
        .map(|((of_voc_v, of_isc_a), (vmp_v, imp_a))| ((v / voc_v) / (vmp_v / of_voc_v), (i / isc_a) / (imp_a / of_isc_a)));
    let is_shaded = shares.is_some_and(|(volts, amps)| {
        let is_spanned = (1..of).any(|out| off_thirds(volts, out, of) < SPANNED_VOLTS_REL) && amps > SPANNED_AMPS_REL;
        is_spanned || volts > BOUND_VOLTS_REL && amps < BOUND_AMPS_REL
    });
    Some(if is_shaded {
        Finding::ShadedUnderLoad { lost_percent: (1.0 - fill_rel) * 100.0 }
    } else {
        Finding::HighResistance { fill_percent: fill_rel * 100.0 }
    })
}

fn off_thirds(rel: f64, out: u32, of: u32) -> f64 {
    (rel - f64::from(of - out) / f64::from(of)).abs()
}

fn grade(found: &[Finding], watts_rel: Option<f64>) -> Grade {
    let is_lost =
        |one: &Finding| matches!(one, Finding::NoOutput { .. }) || matches!(one, Finding::SubstringOut { out, .. } if *out > 1);
    if found.iter().any(is_lost) || watts_rel.is_some_and(|rel| rel < REJECT_REL) {
        return Grade::Reject;
    }
    if !found.is_empty() {
        return Grade::UseKnowingly;
    }
    match watts_rel {
        Some(rel) if rel >= KEEP_REL => Grade::Keep,
        Some(_) => Grade::UseKnowingly,
        // Sound volts alone leave the watts open.
        None => Grade::CantTell,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::panel::label::{LabelTyped, check};

    fn label(rated_w: &str, voc_v: &str, isc_a: &str, cells: &str) -> Nameplate {
        let text = |text: &str| text.to_owned();
        let typed = LabelTyped {
            rated_w: text(rated_w),
            voc_v: text(voc_v),
            isc_a: text(isc_a),
            cells_in_series: text(cells),
            ..LabelTyped::default()
        };
        check(&typed).nameplate.unwrap()
    }

    fn seen(voc_v: f64, isc_a: f64, loaded: (f64, f64)) -> Seen {
        Seen { voc_v: Some(voc_v), isc_a: Some(isc_a), loaded: Some(loaded), cell_c: Some(45.0), poa_w_m2: Some(850.0) }
    }

    /// Common practice, no source: rated Voc 49 V, measured 27 V: part of the panel is out.
    #[test]
    fn twenty_seven_of_forty_nine_volts_is_a_part_of_the_panel_out() {
        let judged =
            judge_used(&label("400", "49", "10.4", "72"), &Seen { voc_v: Some(27.0), cell_c: Some(50.0), ..Seen::default() });
        assert!(matches!(judged.found[..], [Finding::SubstringOut { out: 1, of: 3, .. }]), "{judged:?}");
        assert_eq!(judged.grade, Grade::UseKnowingly);
    }

    #[test]
    fn each_fault_has_its_own_finding() {
        let umber = label("250", "37.8", "8.75", "60");
        let sound = judge_used(&umber, &seen(35.3, 7.45, (27.6, 6.85)));
        assert!(sound.grade == Grade::Keep && sound.found.is_empty(), "{sound:?}");
        let two_out = judge_used(&umber, &seen(11.8, 7.45, (9.0, 6.8)));
        assert!(
            two_out.grade == Grade::Reject && matches!(two_out.found[0], Finding::SubstringOut { out: 2, .. }),
            "{two_out:?}"
        );
        let weak = judge_used(&umber, &seen(35.0, 5.6, (28.0, 5.2)));
        assert!(weak.grade == Grade::UseKnowingly && matches!(weak.found[0], Finding::WeakCurrent { .. }), "{weak:?}");
        let tired = judge_used(&umber, &seen(35.3, 7.45, (22.0, 6.5)));
        assert!(tired.found.iter().any(|one| matches!(one, Finding::HighResistance { .. })), "{tired:?}");
        let other = judge_used(&umber, &seen(20.9, 12.0, (16.5, 11.2)));
        assert!(
            other.found.iter().any(|one| matches!(one, Finding::WrongLabel { .. } | Finding::SubstringOut { .. })),
            "{other:?}"
        );
        let dead = judge_used(&umber, &seen(0.4, 0.0, (0.1, 0.0)));
        assert_eq!(dead.grade, Grade::Reject);
        assert_eq!(judge_used(&umber, &Seen { voc_v: Some(35.3), ..Seen::default() }).grade, Grade::CantTell);
    }

    /// Common practice, no source: 27 V of a 49 V label without a thermometer is at least one substring; 31.71 V of 37.6 V on a hot noon is
    /// a sound panel.
    #[test]
    fn half_of_voc_needs_no_thermometer() {
        let volts = |label: &Nameplate, voc_v| judge_used(label, &Seen { voc_v: Some(voc_v), ..Seen::default() }).found;
        let half = volts(&label("400", "49", "10.4", "72"), 27.0);
        assert!(matches!(half[..], [Finding::SubstringOut { out: 1, out_to: 2, of: 3, .. }]), "{half:?}");
        assert_eq!(volts(&label("250", "37.6", "8.85", "60"), 31.71), []);
        assert_eq!(volts(&label("400", "49", "10.4", "72"), 47.0), []);
    }
}
