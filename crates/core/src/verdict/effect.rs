//! What each finding does to a verdict, in one table. Told only is the exception, with its reason; docs/verdicts.md has it as a table.

use super::finding::{Effect, Finding, Named};
use super::reference::light_in_plane;
use crate::record::condition::Factor;
use crate::record::test::TestRecord;
use crate::sky::note::SkyNote;

/// How a finding came about, where that decides what it does.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Seen {
    /// Expected from rig and conditions; no reading shows it.
    Expected,
    /// In the figures of one reading.
    InReading,
    /// In one reading beside the others of its run: asked about.
    BesideItsRun,
    /// In one reading without which all others agree.
    AgainstAllOthers,
    /// In all readings of a level together.
    InLevel,
    /// In what is compared, or in the whole test.
    InTest,
}

/// What decides beside the finding itself.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Asked {
    pub is_of_rating: bool,
    /// What a comparison changes.
    pub factor: Option<Factor>,
    /// Every reading has its irradiance beside it.
    pub is_metered: bool,
}

impl Asked {
    pub fn of(record: &TestRecord) -> Self {
        Asked {
            is_of_rating: record.question.is_of_rating(),
            factor: record.plan.as_ref().map(|plan| plan.question.card().factor),
            is_metered: record.readings.iter().all(|reading| light_in_plane(&reading.figures, &record.setup).is_some()),
        }
    }

    /// A rating's question decides what is left out of it, a comparison's what it forbids.
    fn either(&self, rating: Effect, comparison: Effect) -> Effect {
        if self.is_of_rating { rating } else { comparison }
    }
}

/// The table, as a function: a test takes a finding out by one of its own.
pub type EffectOf<'a> = &'a dyn Fn(&Finding, Seen, &Asked) -> Effect;

/// What a finding does.
pub fn effect(finding: &Finding, seen: Seen, asked: &Asked) -> Effect {
    match finding {
        // No watts are divided by light that no clear sky gives, or that moves faster than meter and panel follow; and what is no
        // power, none of this panel or of another unit is no reading of it.
        Finding::SunImpossible { .. }
        | Finding::CloudEdge { .. }
        | Finding::OpenTimesShort { .. }
        | Finding::NotAWorkingPoint { .. }
        | Finding::NoVolts { .. }
        | Finding::UnitSlip { .. }
        | Finding::Exchanged { .. } => Effect::LeftOut,
        // Elsewhere on the curve; between levels the load may be what is compared, and there it is not looked for.
        Finding::NotAtMaximum { .. } => Effect::LeftOut,
        Finding::WeakSun { .. } | Finding::TooCoarse { .. } => asked.either(Effect::LeftOut, Effect::Told),
        Finding::Capped { .. } => of_limit(seen, asked),
        Finding::Throttled { .. } => match seen {
            Seen::InReading | Seen::BesideItsRun | Seen::AgainstAllOthers => Effect::LeftOut,
            // A battery nearly full holds every reading of the test; where loads are compared it is the answer of one of them.
            Seen::Expected | Seen::InTest => Effect::Forbids,
            Seen::InLevel => asked.either(Effect::Forbids, Effect::Told),
        },
        // Watts that a controller did not take say nothing against the panel; where controllers are compared they are the answer. What
        // the preflight only expects, the readings have to show.
        Finding::NotTracking { .. } | Finding::ControllerAsleep { .. } => match seen {
            Seen::Expected => Effect::Told,
            Seen::InReading | Seen::BesideItsRun | Seen::AgainstAllOthers | Seen::InLevel | Seen::InTest => {
                asked.either(Effect::Forbids, Effect::Told)
            }
        },
        // One of the two sides is read wrong, whatever is asked.
        Finding::OverUnity { .. } => Effect::Forbids,
        // A percentage of another panel's label; two levels are still each other's.
        Finding::WrongLabel { .. } => asked.either(Effect::Forbids, Effect::Told),
        // Every reading is divided by the wrong light.
        Finding::SensorNotInPlane { .. } => Effect::Forbids,
        // Read, it is in the figure; not read, it can only have added watts.
        Finding::RearLight { rear_w_m2, .. } => {
            if rear_w_m2.is_some() {
                Effect::Told
            } else {
                Effect::Forbids
            }
        }
        Finding::SkyUnsteady { note: Some(note), .. } => of_noted_sky(*note, seen, asked),
        // The scatter is in the interval.
        Finding::SkyUnsteady { note: None, .. } | Finding::SetUpScatter { .. } | Finding::Unbracketed { .. } => Effect::Widens,
        // A bypassed substring keeps its amps and loses volts.
        Finding::AmpsAlone { .. } => Effect::Forbids,
        Finding::OutOfPattern { .. } => match seen {
            Seen::AgainstAllOthers => Effect::LeftOut,
            // Told: asked about, and the person knows.
            Seen::Expected | Seen::InReading | Seen::BesideItsRun | Seen::InLevel | Seen::InTest => Effect::Told,
        },
        // Told: asked about when it is entered, and a confirmed value stays.
        Finding::Tenfold { .. } | Finding::Varied { .. } | Finding::NotSettled { .. } => Effect::Told,
        // Told: what the panel itself has is the answer, not an excuse.
        Finding::SubstringOut { .. }
        | Finding::WeakCurrent { .. }
        | Finding::HighResistance { .. }
        | Finding::NoOutput { .. }
        | Finding::ShadedUnderLoad { .. } => Effect::Told,
        // Told: what is lost beside the sum is the answer; of a single rating its own conditions took the watts.
        Finding::Shaded { .. } | Finding::Mismatch { .. } => match seen {
            Seen::InReading => asked.either(Effect::LeftOut, Effect::Told),
            Seen::Expected | Seen::BesideItsRun | Seen::AgainstAllOthers | Seen::InLevel | Seen::InTest => Effect::Told,
        },
        // Told: the difference stands, its cause does not.
        Finding::TwoChanges { .. } => Effect::Told,
        // Told: it is about whether to go on, not about the figures.
        Finding::Damage => Effect::Told,
        Finding::Exchange => Effect::Forbids,
    }
}

/// A limit that was met is no measure of a panel's rating; a level of a comparison gives at least that; of a controller it is the answer.
fn of_limit(seen: Seen, asked: &Asked) -> Effect {
    match seen {
        // Told: the preflight expects it at full sun; the readings show whether it was met.
        Seen::Expected => Effect::Told,
        Seen::InReading | Seen::BesideItsRun | Seen::AgainstAllOthers => match asked.factor {
            _ if asked.is_of_rating => Effect::LeftOut,
            Some(Factor::Load) => Effect::Told,
            Some(_) => Effect::Bounds,
            None => Effect::LeftOut,
        },
        Seen::InLevel | Seen::InTest => asked.either(Effect::Forbids, Effect::Told),
    }
}

/// A sky that moves between two readings, or whose light has another share in each plane: the reading that has it noted goes where its level
/// has others.
fn of_noted_sky(note: SkyNote, seen: Seen, asked: &Asked) -> Effect {
    let moves_the_plane = asked.factor.is_some_and(Factor::moves_the_plane);
    let forbids = match note {
        SkyNote::Overcast => moves_the_plane,
        SkyNote::Broken => moves_the_plane || !asked.is_metered,
        SkyNote::Clear | SkyNote::Haze | SkyNote::ThinCloud => false,
    };
    match seen {
        // Told: the light was read beside every reading.
        _ if !forbids => Effect::Told,
        Seen::InReading | Seen::BesideItsRun | Seen::AgainstAllOthers => Effect::LeftOut,
        Seen::Expected | Seen::InLevel | Seen::InTest => Effect::Forbids,
    }
}

/// The table with what decides in one test.
#[derive(Clone, Copy)]
pub struct Effects<'a> {
    pub asked: Asked,
    pub of: EffectOf<'a>,
}

impl Effects<'_> {
    fn effect(&self, finding: &Finding, seen: Seen) -> Effect {
        (self.of)(finding, seen, &self.asked)
    }

    pub fn of_test(&self, finding: Finding, seen: Seen) -> Named {
        Named { effect: self.effect(&finding, seen), finding, level: None, reading_uid: None }
    }

    pub fn of_level(&self, finding: Finding, seen: Seen, level: usize) -> Named {
        Named { level: Some(level), ..self.of_test(finding, seen) }
    }

    pub fn of_reading(&self, finding: Finding, seen: Seen, level: usize, uid: &str) -> Named {
        Named { reading_uid: Some(uid.to_owned()), ..self.of_level(finding, seen, level) }
    }
}
