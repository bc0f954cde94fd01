//! What else has to leave with a test.

use crate::error::StoreError;
use crate::record::pieces;
use crate::rows::gear::GearRow;
use crate::rows::panel::Panel;
use crate::rows::rig::RigRow;
use crate::rows::test::Test;
use crate::tests::plan_text;
use flindo_core::record::run::Run;

/// What a test names besides its own panel and rig, out of all there is on its bench: in its levels, its states and its rigs.
#[derive(Debug, Clone, Default)]
pub struct NamedByTest {
    pub panels: Vec<Panel>,
    pub rigs: Vec<RigRow>,
    /// That of its own rig too, and its meters.
    pub gear: Vec<GearRow>,
}

impl NamedByTest {
    /// `rig`: the test's own. Panels, rigs and gear are those of the bench.
    ///
    /// # Errors
    /// Of a plan or a state that cannot be written as JSON.
    pub fn of(
        (test, runs): (&Test, &[Run]),
        (panel, rig): (&Panel, Option<&RigRow>),
        (panels, rigs, gear): (&[Panel], &[RigRow], &[GearRow]),
    ) -> Result<Self, StoreError> {
        let mut text = plan_text(test.plan.as_ref())?.unwrap_or_default();
        for state in runs.iter().filter_map(|run| run.state.as_ref()) {
            let json =
                serde_json::to_string(state).map_err(|error| StoreError::Corrupt(format!("the state of a run: {error}")))?;
            text.push_str(&json);
        }
        // An identity stands in quotes and is long enough to be nothing else.
        let is_in_text = |uid: &str| text.contains(&format!("\"{uid}\""));
        let rigs: Vec<RigRow> =
            rigs.iter().filter(|other| rig.is_none_or(|own| own.id != other.id) && is_in_text(&other.uid)).cloned().collect();
        let all_rigs = || rig.into_iter().chain(&rigs);
        // A rig that names a panel that is gone leaves as it was typed.
        let strings = all_rigs().filter_map(|rig| pieces(&rig.draft.wiring, panels).ok()).flatten().flatten();
        let of_rigs: Vec<i64> = strings.map(|piece| piece.id).collect();
        let gear_of_rigs: Vec<i64> = all_rigs().flat_map(|rig| rig.draft.gear_ids()).collect();
        let is_panel = |other: &&Panel| other.id != panel.id && (is_in_text(&other.uid) || of_rigs.contains(&other.id));
        let is_meter = |uid: &str| test.meters.iter().any(|meter| meter.meter == uid);
        let is_gear = |row: &&GearRow| gear_of_rigs.contains(&row.id) || is_in_text(&row.uid) || is_meter(&row.uid);
        Ok(NamedByTest {
            panels: panels.iter().filter(is_panel).cloned().collect(),
            gear: gear.iter().filter(is_gear).cloned().collect(),
            rigs,
        })
    }
}
