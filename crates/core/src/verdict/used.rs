//! A used panel by three readings: Voc with the warmth of the cells, Isc with the sun, and a loaded point. What is wrong with it, and
//! whether to keep it.

use crate::measure::correct::{Condition, isc_at_stc_a, pmax_at_stc_w, voc_at_stc_v, voc_irradiance_coefficient};
use crate::panel::construction::Construction;
use crate::panel::nameplate::Nameplate;

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

/// One thing that the readings show, with its figure.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Found {
    /// So many of its groups of cells are passed around: Voc is near this share of what the warmth allows.
    SubstringsOut { out: u32, of: u32, voc_rel: f64 },
    /// Amps near this share of what the sun allows: dirt, browning, or a broken string of cells.
    WeakCurrent { isc_rel: f64 },
    /// Volts and amps are there, but not both under load: joints or cells resist. The fill factor against that of the label.
    Resistance { fill_rel: f64 },
    /// Neither volts nor amps are its label's, and no bypassed group explains it.
    WrongLabel { voc_rel: f64, isc_rel: f64 },
    /// Near nothing at all.
    Dead,
    /// Watts at STC, as a share of the rating.
    Watts { rel: f64, at_stc_w: f64 },
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

#[derive(Debug, Clone, PartialEq)]
pub struct Judged {
    pub grade: Grade,
    pub found: Vec<Found>,
    pub voc_rel: Option<f64>,
    pub isc_rel: Option<f64>,
    pub at_stc_w: Option<f64>,
}

/// Voc within this share of a number of thirds is that number of thirds. Flindo's own limit: meter, warmth and label together.
const THIRD_REL: f64 = 0.09;

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
        _ => 3,
    }
}

/// Judges one panel. Without the warmth Voc is taken at 25 C, and without the sun nothing is said of amps and watts.
pub fn judge_used(label: &Nameplate, seen: &Seen) -> Judged {
    let cell_c = seen.cell_c.unwrap_or(25.0);
    let poa_w_m2 = seen.poa_w_m2.filter(|poa| *poa > 50.0);
    let at = Condition { poa_w_m2: poa_w_m2.unwrap_or(1000.0), cell_c };
    let (alpha, beta, gamma) = (label.alpha().per_k, label.beta().per_k, label.gamma().per_k);
    let by_light = voc_irradiance_coefficient(label.cells_in_series, label.voc_v);
    let voc_rel = seen.voc_v.zip(label.voc_v).map(|(voc_v, rated_v)| voc_at_stc_v(voc_v, at, beta, by_light) / rated_v);
    let isc_rel = seen
        .isc_a
        .zip(label.isc_a)
        .filter(|_| poa_w_m2.is_some())
        .map(|(isc_a, rated_a)| isc_at_stc_a(isc_a, at, alpha) / rated_a);
    let at_stc_w = seen.loaded.filter(|_| poa_w_m2.is_some()).map(|(v, i)| pmax_at_stc_w(v * i, at, gamma));
    let mut found = Vec::new();
    let of = groups(label);
    let out = voc_rel.filter(|rel| *rel < VOC_WHOLE_REL).and_then(|rel| {
        let out = (1..of).min_by(|a, b| off_thirds(rel, *a, of).total_cmp(&off_thirds(rel, *b, of)))?;
        (off_thirds(rel, out, of) < THIRD_REL).then_some(out)
    });
    if voc_rel.is_some_and(|rel| rel < 0.1) || at_stc_w.is_some_and(|watts| watts < 0.03 * label.rated_w) {
        found.push(Found::Dead);
    } else if let Some((out, voc_rel)) = out.zip(voc_rel) {
        found.push(Found::SubstringsOut { out, of, voc_rel });
    } else if let Some((voc_rel, isc_rel)) =
        voc_rel.zip(isc_rel).filter(|(voc, isc)| (voc - 1.0).abs() > 0.08 && (isc - 1.0).abs() > 0.15)
    {
        found.push(Found::WrongLabel { voc_rel, isc_rel });
    }
    if let Some(isc_rel) = isc_rel
        .filter(|rel| *rel < ISC_WEAK_REL && !found.iter().any(|one| matches!(one, Found::WrongLabel { .. } | Found::Dead)))
    {
        found.push(Found::WeakCurrent { isc_rel });
    }
    let fill = seen.loaded.zip(seen.voc_v).zip(seen.isc_a).map(|(((v, i), voc_v), isc_a)| v * i / (voc_v * isc_a));
    if let Some(fill_rel) =
        fill.zip(label.fill_factor()).map(|(fill, of_label)| fill / of_label).filter(|rel| *rel < FILL_WEAK_REL)
    {
        found.push(Found::Resistance { fill_rel });
    }
    let watts_rel = at_stc_w.map(|watts| watts / label.rated_w);
    if let Some((rel, at_stc_w)) = watts_rel.zip(at_stc_w) {
        found.push(Found::Watts { rel, at_stc_w });
    }
    let grade = grade(&found, watts_rel);
    Judged { grade, found, voc_rel, isc_rel, at_stc_w }
}

fn off_thirds(rel: f64, out: u32, of: u32) -> f64 {
    (rel - f64::from(of - out) / f64::from(of)).abs()
}

fn grade(found: &[Found], watts_rel: Option<f64>) -> Grade {
    let has = |is: fn(&Found) -> bool| found.iter().any(is);
    if has(|one| matches!(one, Found::Dead)) || watts_rel.is_some_and(|rel| rel < REJECT_REL) {
        return Grade::Reject;
    }
    if has(|one| matches!(one, Found::SubstringsOut { out, .. } if *out > 1)) {
        return Grade::Reject;
    }
    if has(|one| !matches!(one, Found::Watts { .. })) {
        return Grade::UseKnowingly;
    }
    match watts_rel {
        Some(rel) if rel >= KEEP_REL => Grade::Keep,
        Some(_) => Grade::UseKnowingly,
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
        assert!(matches!(judged.found[..], [Found::SubstringsOut { out: 1, of: 3, .. }]), "{judged:?}");
        assert_eq!(judged.grade, Grade::UseKnowingly);
    }

    #[test]
    fn each_fault_has_its_own_finding() {
        let umber = label("250", "37.8", "8.75", "60");
        let sound = judge_used(&umber, &seen(35.3, 7.45, (27.6, 6.85)));
        assert!(sound.grade == Grade::Keep && sound.found.len() == 1, "{sound:?}");
        let two_out = judge_used(&umber, &seen(11.8, 7.45, (9.0, 6.8)));
        assert!(two_out.grade == Grade::Reject && matches!(two_out.found[0], Found::SubstringsOut { out: 2, .. }), "{two_out:?}");
        let weak = judge_used(&umber, &seen(35.0, 5.6, (28.0, 5.2)));
        assert!(weak.grade == Grade::UseKnowingly && matches!(weak.found[0], Found::WeakCurrent { .. }), "{weak:?}");
        let tired = judge_used(&umber, &seen(35.3, 7.45, (22.0, 6.5)));
        assert!(tired.found.iter().any(|one| matches!(one, Found::Resistance { .. })), "{tired:?}");
        let other = judge_used(&umber, &seen(20.9, 12.0, (16.5, 11.2)));
        assert!(other.found.iter().any(|one| matches!(one, Found::WrongLabel { .. } | Found::SubstringsOut { .. })), "{other:?}");
        let dead = judge_used(&umber, &seen(0.4, 0.0, (0.1, 0.0)));
        assert_eq!(dead.grade, Grade::Reject);
        assert_eq!(judge_used(&umber, &Seen { voc_v: Some(35.3), ..Seen::default() }).grade, Grade::CantTell);
    }
}
