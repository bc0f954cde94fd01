//! "Does it make its rating?": the readings of one panel (or one array), each brought to STC, and together held against the band that
//! the label's tolerance allows; see [`conformity`](super::conformity) for the words.

use super::arrangement::{Arrangement, OpenShort};
use super::bounds::{self, Bounds};
use super::combine::{Combined, combine};
use super::condition::{CellFrom, KnownCondition, Taken, known};
use super::conformity::{Conformity, RatingVerdict, TELLING_U_PERCENT, conformity};
use super::finding::Finding;
use super::ladder::{Ladder, ladder};
use super::point::{self, StcPoint, What};
use super::reason::{Reason, Remark};
use super::series_resistance::taken_by_resistance;
use crate::constants::RATING_MIN_POA_W_M2;
use crate::measure::quantity::{Figures, Quantity, Seen};
use crate::panel::nameplate::Nameplate;
use crate::record::setup::{Load, Setup};
use crate::sky::course::{Moment, Site};
use std::sync::Arc;

/// One reading, judged.
#[derive(Debug, Clone, PartialEq)]
pub struct ReadingResult {
    /// Watts as read, where they are watts.
    pub watts_w: Option<f64>,
    pub known: Option<KnownCondition>,
    /// Where the sun stood, if the bench has a place.
    pub sun_seen: Option<SunSeen>,
    /// The clear sky of that moment, through air as hazy as it was noted.
    pub now: Option<Moment>,
    /// The watts at STC, also where they are left out of the result.
    pub pmax: Option<StcPoint>,
    pub voc: Option<StcPoint>,
    pub isc: Option<StcPoint>,
    /// Of watts whose light or cell temperature is missing.
    pub bounds: Option<Bounds>,
    /// Why its watts do not count. Empty: they count.
    pub left_out: Vec<Reason>,
    pub remarks: Vec<Remark>,
}

impl ReadingResult {
    pub fn counts(&self) -> bool {
        self.pmax.is_some() && self.left_out.is_empty()
    }
}

/// The whole test, judged.
#[derive(Debug, Clone, PartialEq)]
pub struct RatingResult {
    pub readings: Vec<Arc<ReadingResult>>,
    pub verdict: RatingVerdict,
    /// Of the readings that count.
    pub conformity: Option<Conformity>,
    /// Why the test cannot tell; empty for every other verdict.
    pub reasons: Vec<Reason>,
    pub pmax: Option<Combined>,
    /// Where no reading counts, and light or cell temperature are all that is missing.
    pub bounds: Option<Bounds>,
    /// Of the readings that count; where none does, of all that show watts.
    pub ladder: Option<Ladder>,
    pub open_circuit: Option<Combined>,
    pub short_circuit: Option<Combined>,
}

/// Where the sun stood for a reading.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct SunSeen {
    /// True solar time, 0 to 24.
    pub solar_time_h: f64,
    pub elevation_deg: f64,
    /// Between the sun's rays and the panel's normal.
    pub aoi_deg: f64,
    /// What a clear sky would put on the panel.
    pub clear_poa_w_m2: f64,
}

/// Judges the readings of one panel alone in the light, in any order. With a `site`, each is told where the sun stood.
pub fn judge<'a>(
    nameplate: &Nameplate,
    setup: &Setup,
    site: Option<&Site>,
    readings: impl IntoIterator<Item = Taken<'a>>,
) -> RatingResult {
    let alone = Arrangement::alone(nameplate).ok();
    let judge = |taken: Taken<'a>| Arc::new(judge_reading(nameplate, setup, site, alone.as_ref(), &taken));
    let judged = readings.into_iter().map(judge).collect();
    together(nameplate, setup, judged)
}

/// Judged readings of one panel as one result.
pub fn together(nameplate: &Nameplate, setup: &Setup, readings: Vec<Arc<ReadingResult>>) -> RatingResult {
    let counting: Vec<&StcPoint> =
        readings.iter().filter(|reading| reading.counts()).filter_map(|reading| reading.pmax.as_ref()).collect();
    let pmax = combine(&counting);
    let ladder = if counting.is_empty() {
        let all: Vec<&StcPoint> = readings.iter().filter_map(|reading| reading.pmax.as_ref()).collect();
        ladder(&all, combine(&all).as_ref(), false)
    } else {
        ladder(&counting, pmax.as_ref(), true)
    };
    let of = |what: fn(&ReadingResult) -> Option<&StcPoint>| {
        combine(&readings.iter().filter_map(|reading| what(reading)).collect::<Vec<_>>())
    };
    let (open_circuit, short_circuit) = (of(|reading| reading.voc.as_ref()), of(|reading| reading.isc.as_ref()));
    let reads_open_or_short = readings.iter().any(|reading| reading.voc.is_some() || reading.isc.is_some());
    // What is left out for anything else is no measure of the panel, bounded or not.
    let bounded = readings.iter().filter(|reading| reading.left_out.iter().all(Reason::is_missing_condition));
    let all_bounds: Vec<Bounds> = bounded.filter_map(|reading| reading.bounds).collect();
    let no_watts = readings.iter().all(|reading| reading.watts_w.is_none());
    // The interval of few readings is wider than twice its standard uncertainty; the chance goes by the interval that is shown.
    let conformity = pmax
        .as_ref()
        .zip(nameplate.rated_band_percent())
        .map(|(pmax, band)| conformity(pmax.percent, pmax.u_percent, 2.0, f64::INFINITY, band));
    let (verdict, reasons) = match (&conformity, &pmax) {
        (Some(conformity), Some(pmax)) if pmax.u_percent > TELLING_U_PERCENT && conformity.verdict == RatingVerdict::CantTell => {
            (RatingVerdict::CantTell, vec![Reason::UncertaintyTooWide { u_percent: pmax.u_percent }])
        }
        (Some(conformity), _) => (conformity.verdict, Vec::new()),
        (None, _) if no_watts && (reads_open_or_short || setup.load == Load::MultimeterOnly && !readings.is_empty()) => {
            (RatingVerdict::NoWatts, open_short_reasons(&readings))
        }
        (None, _) => (RatingVerdict::CantTell, reasons_of(&readings)),
    };
    let bounds = pmax.is_none().then(|| bounds::together(&all_bounds)).flatten();
    RatingResult { bounds, readings, verdict, conformity, reasons, pmax, ladder, open_circuit, short_circuit }
}

/// One reading of one panel, or of panels as they were arranged, which explains more of their watts. Without an arrangement (the label
/// says too little for a circuit) nothing is explained beyond sun and temperature.
pub fn judge_reading(
    nameplate: &Nameplate,
    setup: &Setup,
    site: Option<&Site>,
    arrangement: Option<&Arrangement>,
    taken: &Taken<'_>,
) -> ReadingResult {
    let figures = taken.figures;
    let now = site.and_then(|site| {
        let turbidity = taken.sky.map_or(site.linke_turbidity, |note| note.linke_turbidity(site.linke_turbidity));
        Moment::with_turbidity(site, taken.unix_s, taken.day_of_year, turbidity).ok()
    });
    let sun_seen = now.map(|now| {
        let on = now.on(&setup.plane());
        let elevation_deg = now.sun_position.elevation_deg();
        SunSeen { solar_time_h: now.solar_time_h, elevation_deg, aoi_deg: on.aoi_deg(), clear_poa_w_m2: on.poa_w_m2 }
    });
    let known_condition = known(taken, setup, nameplate, now.as_ref());
    let several = arrangement.filter(|arrangement| arrangement.count() > 1);
    let ends = several.map_or_else(|| OpenShort::of(nameplate), |several| Some(several.open_short()));
    let watts = point::watts(figures, setup, ends);
    let bounds = match (&watts, &known_condition) {
        (Ok(watts_w), Err(missing)) if several.is_none() && missing.iter().all(Reason::is_missing_condition) => {
            bounds::bounds(*watts_w, taken, setup, nameplate, now.as_ref())
        }
        _ => None,
    };
    let mut left_out: Vec<Reason> = watts.as_ref().err().cloned().into_iter().collect();
    let (mut pmax, mut voc, mut isc) = (None, None, None);
    match &known_condition {
        Err(missing) => left_out.extend(missing.iter().cloned()),
        Ok(known_condition) => {
            if let Ok(measured) = &watts {
                match point::pmax(*measured, figures, setup, nameplate, known_condition) {
                    Ok(point) => {
                        let read_v = figures.get(Quantity::Voltage).map(|seen| seen.value(setup.unsteady));
                        let point =
                            if several.is_none() { resisted(point, arrangement, figures, setup, known_condition) } else { point };
                        pmax = Some(arranged(point, arrangement, read_v, setup, &mut left_out));
                    }
                    Err(reasons) => left_out.extend(reasons),
                }
            }
            // A Voc that served as thermometer proves nothing about itself; those of joined panels are not one label's.
            if several.is_none() && !matches!(known_condition.cell_from, CellFrom::OwnVoc { .. }) {
                voc = point::voc(figures, setup, nameplate, known_condition);
            }
            isc = if several.is_none() { point::isc(figures, setup, nameplate, known_condition) } else { None };
            let poa_w_m2 = known_condition.at.poa_w_m2;
            if poa_w_m2 < RATING_MIN_POA_W_M2 {
                left_out.push(Reason::Found(Finding::WeakSun { poa_w_m2 }));
            }
        }
    }
    if let Some(note) = taken.sky.filter(|note| !note.allows_rating()) {
        left_out.push(Reason::Found(Finding::SkyUnsteady { note: Some(note), times: None }));
    }
    let remarks = remarks(figures, setup);
    // A coarse display still shows watts; only Voc times Isc shows none.
    let watts_w = match &watts {
        Ok(watts_w) => Some(*watts_w),
        Err(Reason::Found(Finding::TooCoarse { .. })) => figures.loaded_power_w(setup.unsteady),
        Err(_) => None,
    };
    ReadingResult { watts_w, known: known_condition.ok(), sun_seen, now, pmax, voc, isc, bounds, left_out, remarks }
}

/// More than this share taken by shade, wiring or cap, and the watts are no measure of a rating. Flindo's own limit: a solved share is
/// not known better than to a few percent of itself.
const TAKEN_REL: f64 = 0.01;

/// The point of one panel under load, with what its own series resistance takes beyond the label's.
fn resisted(
    point: StcPoint,
    arrangement: Option<&Arrangement>,
    figures: &Figures,
    setup: &Setup,
    known: &KnownCondition,
) -> StcPoint {
    let of = |quantity| figures.get(quantity).map(|seen: &Seen| seen.value(setup.unsteady));
    let taken = arrangement.and_then(Arrangement::of_like_panels).and_then(|(panel, _, _)| {
        taken_by_resistance(panel, known.at, known.cell_u_k(), of(Quantity::Voltage)?, of(Quantity::Current)?)
    });
    match taken {
        Some(taken) if setup.load != Load::PwmController => point.resisted(taken),
        Some(_) | None => point,
    }
}

/// The point with what the circuit took, and why that keeps it out of a rating.
fn arranged(
    point: StcPoint,
    arrangement: Option<&Arrangement>,
    read_v: Option<f64>,
    setup: &Setup,
    left_out: &mut Vec<Reason>,
) -> StcPoint {
    let tied = setup.load == Load::PwmController;
    if tied {
        left_out.push(Reason::FixedVoltage { v: read_v });
    }
    let Some(arrangement) = arrangement else { return point };
    let Ok(circuit) = arrangement.factors(point.condition, read_v.filter(|_| tied)) else { return point };
    let lost = |factor: f64| (1.0 - factor) * 100.0;
    if circuit.shade < 1.0 - TAKEN_REL {
        left_out.push(Reason::Found(Finding::Shaded { lost_percent: lost(circuit.shade) }));
    }
    if circuit.wiring < 1.0 - TAKEN_REL {
        left_out.push(Reason::Found(Finding::Mismatch { lost_percent: Some(lost(circuit.wiring)) }));
    }
    let rated_w = arrangement.rated_w.unwrap_or(point.rated);
    point.arranged(rated_w, circuit)
}

fn remarks(figures: &Figures, setup: &Setup) -> Vec<Remark> {
    let unsteady = setup.unsteady;
    let mut remarks = Vec::new();
    for (quantity, seen) in figures.iter().filter(|(_, seen)| !unsteady.fits(seen.how)) {
        remarks.push(Remark::OtherPolicy { quantity, how: seen.how, unsteady });
    }
    let value = |quantity| figures.get(quantity).map(|seen| seen.value(unsteady));
    if let (Some(voltage_v), Some(current_a), Some(power_w)) =
        (value(Quantity::Voltage), value(Quantity::Current), value(Quantity::Power))
    {
        let product_w = voltage_v * current_a;
        if (product_w - power_w).abs() > 0.03 * product_w.max(power_w) {
            remarks.push(Remark::WattsDisagree { power_w, product_w });
        }
    }
    remarks
}

/// Every reason once, in the order in which they first come up.
fn reasons_of(readings: &[Arc<ReadingResult>]) -> Vec<Reason> {
    if readings.is_empty() {
        return vec![Reason::NoReadings];
    }
    let mut reasons: Vec<Reason> = Vec::new();
    for reason in readings.iter().flat_map(|reading| &reading.left_out) {
        if !reasons.iter().any(|other| other.code() == reason.code()) {
            reasons.push(reason.clone());
        }
    }
    reasons
}

/// What keeps even Voc and Isc from being related to the label.
fn open_short_reasons(readings: &[Arc<ReadingResult>]) -> Vec<Reason> {
    let related = readings.iter().any(|reading| reading.voc.is_some() || reading.isc.is_some());
    if related { Vec::new() } else { reasons_of(readings).into_iter().filter(Reason::is_missing_condition).collect() }
}

impl RatingResult {
    /// The combined result of one figure of the label.
    pub fn combined(&self, what: What) -> Option<&Combined> {
        match what {
            What::Pmax => self.pmax.as_ref(),
            What::Voc => self.open_circuit.as_ref(),
            What::Isc => self.short_circuit.as_ref(),
        }
    }
}
