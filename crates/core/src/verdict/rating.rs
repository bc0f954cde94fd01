//! "Does it make its rating?": the readings of one test, judged.
//!
//! The finding compares the result's interval with the band that the label's tolerance allows:
//!
//! | the interval lies | finding |
//! |---|---|
//! | wholly under the band | below its rating |
//! | wholly over the band | above its rating: the meter, or the edge of a cloud |
//! | anywhere else | makes its rating, as far as this test can see |
//!
//! A shortfall is claimed only where the evidence for it is beyond the uncertainty (JCGM 106:2012, 8.3.2: guarded rejection);
//! the label has the benefit of the doubt, and the result says how small a shortfall would have shown.

use super::arrangement::{Arrangement, OpenShort};
use super::combine::{Combined, combine};
use super::condition::{CellFrom, KnownCondition, Taken, known};
use super::ladder::{Ladder, ladder};
use super::point::{self, Point, What};
use super::reason::{Reason, Remark};
use crate::constants::RATING_MIN_POA_W_M2;
use crate::measure::quantity::{Figures, Quantity};
use crate::panel::nameplate::Nameplate;
use crate::protocol::setup::{Load, Setup};
use crate::sky::course::{Moment, Site};

/// With a wider interval than this (percent of the rating, either way) a test that contradicts nothing also shows nothing.
/// Flindo's own limit: a panel a tenth down is one a buyer would want to know about.
pub const TELLING_U_PERCENT: f64 = 10.0;

/// A clear sky puts at most about this much on a plane square to the sun, W/m2. More is light from the edge of a cloud, or
/// the meter. Common practice, no source.
const CLOUD_EDGE_POA_W_M2: f64 = 1150.0;

/// What a test of a rating shows.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Finding {
    Makes,
    Below,
    Above,
    CantTell,
    /// Voc and Isc were read, which are no watts: see [`RatingResult::open_circuit`] and [`RatingResult::short_circuit`].
    OpenAndShortOnly,
}

/// One reading, judged.
#[derive(Debug, Clone, PartialEq)]
pub struct ReadingResult {
    /// Watts as read, where they are watts.
    pub watts_w: Option<f64>,
    pub known: Option<KnownCondition>,
    /// Where the sun stood, if the bench has a place.
    pub sun: Option<SunSeen>,
    /// The watts at STC, also where they are left out of the result.
    pub pmax: Option<Point>,
    pub voc: Option<Point>,
    pub isc: Option<Point>,
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
    pub readings: Vec<ReadingResult>,
    pub finding: Finding,
    /// Why the test cannot tell; empty for every other finding.
    pub reasons: Vec<Reason>,
    pub pmax: Option<Combined>,
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

/// Judges the readings of one test of one panel alone in the light, in any order. With a `site`, each is told where the sun stood.
pub fn judge<'a>(
    nameplate: &Nameplate,
    setup: &Setup,
    site: Option<&Site>,
    readings: impl IntoIterator<Item = Taken<'a>>,
) -> RatingResult {
    judge_arranged(nameplate, setup, site, Arrangement::alone(nameplate).ok().as_ref(), readings)
}

/// The same of panels as they were arranged, which explains more of their watts. Without an arrangement (the label says too little
/// for a circuit) nothing is explained beyond sun and warmth.
pub fn judge_arranged<'a>(
    nameplate: &Nameplate,
    setup: &Setup,
    site: Option<&Site>,
    arrangement: Option<&Arrangement>,
    readings: impl IntoIterator<Item = Taken<'a>>,
) -> RatingResult {
    let readings: Vec<ReadingResult> =
        readings.into_iter().map(|taken| judge_reading(nameplate, setup, site, arrangement, &taken)).collect();
    let counting: Vec<&Point> =
        readings.iter().filter(|reading| reading.counts()).filter_map(|reading| reading.pmax.as_ref()).collect();
    let pmax = combine(&counting);
    let all: Vec<&Point> = readings.iter().filter_map(|reading| reading.pmax.as_ref()).collect();
    let ladder = if counting.is_empty() { ladder(&all, false) } else { ladder(&counting, true) };
    let of = |what: fn(&ReadingResult) -> Option<&Point>| combine(&readings.iter().filter_map(what).collect::<Vec<_>>());
    let (open_circuit, short_circuit) = (of(|reading| reading.voc.as_ref()), of(|reading| reading.isc.as_ref()));
    let reads_open_or_short = readings.iter().any(|reading| reading.voc.is_some() || reading.isc.is_some());
    let no_watts = readings.iter().all(|reading| reading.watts_w.is_none());
    let (finding, reasons) = match &pmax {
        Some(combined) => find(nameplate, combined, &counting),
        None if no_watts && (reads_open_or_short || setup.load == Load::MultimeterOnly && !readings.is_empty()) => {
            (Finding::OpenAndShortOnly, open_short_reasons(&readings))
        }
        None => (Finding::CantTell, reasons_of(&readings)),
    };
    RatingResult { readings, finding, reasons, pmax, ladder, open_circuit, short_circuit }
}

fn judge_reading(
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
    let sun = now.map(|now| {
        let on = now.on(&setup.plane());
        let elevation_deg = now.sun.elevation_deg();
        SunSeen { solar_time_h: now.solar_time_h, elevation_deg, aoi_deg: on.aoi_deg, clear_poa_w_m2: on.poa_w_m2 }
    });
    let known_condition = known(taken, setup, nameplate, now.as_ref());
    let several = arrangement.filter(|arrangement| arrangement.count() > 1);
    let ends = several.map_or_else(|| OpenShort::of(nameplate), |several| Some(several.open_short()));
    let watts = point::watts(figures, setup, ends);
    let mut left_out: Vec<Reason> = watts.err().into_iter().collect();
    let (mut pmax, mut voc, mut isc) = (None, None, None);
    match &known_condition {
        Err(missing) => left_out.extend(missing),
        Ok(known_condition) => {
            if let Ok(measured) = watts {
                match point::pmax(measured, figures, setup, nameplate, known_condition) {
                    Ok(point) => {
                        let read_v = figures.get(Quantity::Voltage).map(|seen| seen.value(setup.wobble));
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
                left_out.push(Reason::WeakSun { poa_w_m2 });
            }
        }
    }
    if let Some(note) = taken.sky.filter(|note| !note.allows_rating()) {
        left_out.push(Reason::SkyNoted { note });
    }
    let remarks = remarks(figures, setup);
    // A coarse display still shows watts; only Voc times Isc shows none.
    let watts_w = match watts {
        Ok(watts_w) => Some(watts_w),
        Err(Reason::Coarse { .. }) => figures.loaded_power_w(setup.wobble),
        Err(_) => None,
    };
    ReadingResult { watts_w, known: known_condition.ok(), sun, pmax, voc, isc, left_out, remarks }
}

/// More than this share taken by shade, wiring or cap, and the watts are no measure of a rating. Flindo's own limit: a solved share is
/// not known better than to a few percent of itself.
const TAKEN_REL: f64 = 0.01;

/// A reading this near the cap is one of the cap, not of the panels. Common practice, no source.
const AT_CAP_REL: f64 = 0.05;

/// The point with what the circuit took, and why that keeps it out of a rating.
fn arranged(
    point: Point,
    arrangement: Option<&Arrangement>,
    read_v: Option<f64>,
    setup: &Setup,
    left_out: &mut Vec<Reason>,
) -> Point {
    let tied = setup.load == Load::TiedController;
    if tied {
        left_out.push(Reason::Tied { v: read_v });
    }
    let Some(arrangement) = arrangement else { return point };
    let Ok(circuit) = arrangement.factors(point.condition, read_v.filter(|_| tied)) else { return point };
    let lost = |factor: f64| (1.0 - factor) * 100.0;
    if circuit.shade < 1.0 - TAKEN_REL {
        left_out.push(Reason::Shaded { lost_percent: lost(circuit.shade) });
    }
    if circuit.wiring < 1.0 - TAKEN_REL {
        left_out.push(Reason::HeldBack { lost_percent: lost(circuit.wiring) });
    }
    if let Some(cap_w) = arrangement.cap_w.filter(|cap_w| point.measured > cap_w * (1.0 - AT_CAP_REL)) {
        left_out.push(Reason::Capped { cap_w });
    }
    point.arranged(arrangement.rated_w, circuit)
}

fn remarks(figures: &Figures, setup: &Setup) -> Vec<Remark> {
    let wobble = setup.wobble;
    let mut remarks = Vec::new();
    for (quantity, seen) in figures.iter().filter(|(_, seen)| !wobble.fits(seen.how)) {
        remarks.push(Remark::OtherWobble { quantity, how: seen.how, wobble });
    }
    let value = |quantity| figures.get(quantity).map(|seen| seen.value(wobble));
    if let (Some(voltage_v), Some(current_a), Some(power_w)) =
        (value(Quantity::Voltage), value(Quantity::Current), value(Quantity::Power))
    {
        let product_w = voltage_v * current_a;
        if (product_w - power_w).abs() > 0.03 * product_w.max(power_w) {
            remarks.push(Remark::WattsDisagree { power_w, product_w });
        }
    }
    if let Some(poa_w_m2) = value(Quantity::Poa).filter(|poa_w_m2| *poa_w_m2 > CLOUD_EDGE_POA_W_M2) {
        remarks.push(Remark::CloudEdge { poa_w_m2 });
    }
    remarks
}

fn find(nameplate: &Nameplate, combined: &Combined, counting: &[&Point]) -> (Finding, Vec<Reason>) {
    let finding = against_band(nameplate, combined.percent, combined.u_percent);
    let (u_percent, spread_percent) = (combined.u_of_instruments_percent, combined.spread_percent);
    let alone = |point: &&Point| against_band(nameplate, point.percent, point.u_percent());
    let unanimous = counting.iter().all(|point| alone(point) == alone(&counting[0]));
    if spread_percent > u_percent && !unanimous {
        return (Finding::CantTell, vec![Reason::Apart { spread_percent, u_percent }]);
    }
    if finding == Finding::Makes && combined.u_percent > TELLING_U_PERCENT {
        return (Finding::CantTell, vec![Reason::TooUnsure { u_percent: combined.u_percent }]);
    }
    (finding, Vec::new())
}

fn against_band(nameplate: &Nameplate, percent: f64, u_percent: f64) -> Finding {
    let (low_w, high_w) = nameplate.rated_band_w();
    let (low, high) = (low_w / nameplate.rated_w * 100.0, high_w / nameplate.rated_w * 100.0);
    if percent + u_percent < low {
        Finding::Below
    } else if percent - u_percent > high {
        Finding::Above
    } else {
        Finding::Makes
    }
}

/// Every reason once, in the order in which they first come up.
fn reasons_of(readings: &[ReadingResult]) -> Vec<Reason> {
    if readings.is_empty() {
        return vec![Reason::NoReadings];
    }
    let mut reasons: Vec<Reason> = Vec::new();
    for reason in readings.iter().flat_map(|reading| &reading.left_out) {
        let same_kind = |other: &Reason| std::mem::discriminant(other) == std::mem::discriminant(reason);
        if !reasons.iter().any(same_kind) {
            reasons.push(*reason);
        }
    }
    reasons
}

/// What keeps even Voc and Isc from being related to the label.
fn open_short_reasons(readings: &[ReadingResult]) -> Vec<Reason> {
    let related = readings.iter().any(|reading| reading.voc.is_some() || reading.isc.is_some());
    let missing = |reason: &Reason| matches!(reason, Reason::NoSun | Reason::NoPlace | Reason::NoModel { .. } | Reason::NoWarmth);
    if related { Vec::new() } else { reasons_of(readings).into_iter().filter(missing).collect() }
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
