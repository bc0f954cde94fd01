//! A test's panels as its conditions arrange them, made into what the core solves.

use crate::draw::face::{self, On};
use crate::pages::joined::PAINT;
use crate::rigs::rig_of;
use flindo_core::panel::construction::Construction;
use flindo_core::panel::nameplate::Nameplate;
use flindo_core::panel::said::{Said, Size};
use flindo_core::panel::shade::{Mounting, Pattern};
use flindo_core::protocol::condition::{Conditions, Factor};
use flindo_core::protocol::plan;
use flindo_core::protocol::setup::{Load, Setup};
use flindo_core::rig::{Rig, wiring};
use flindo_core::verdict::arrangement::{Arrangement, wired_as};
use flindo_store::{Panel, Store, StoreError, Test};

/// The panels of a test, as they hang.
pub struct Arranged {
    strings: Vec<Vec<(String, Nameplate)>>,
    mounting: Mounting,
    load: Load,
    /// Of the rig, whatever the test reads into.
    cap_w: Option<f64>,
}

impl Arranged {
    pub async fn load(store: &Store, test: &Test, panel: &Panel) -> Result<Self, StoreError> {
        let rig = match test.rig_id {
            Some(id) => {
                let (row, panels, gear) = (store.rig(id).await?, store.panels().await?, store.gear().await?);
                rig_of(&row.draft, &panels, &gear, None).ok()
            }
            None => None,
        };
        Ok(Self::of(rig.as_ref(), panel, &test.setup))
    }

    /// Without a rig, or with a rig of one panel, it is the panel of the test.
    fn of(rig: Option<&Rig>, panel: &Panel, setup: &Setup) -> Self {
        let several = rig.filter(|rig| rig.modules().count() > 1).map(|rig| {
            let of_string = |string: &Vec<flindo_core::rig::Module>| {
                string.iter().map(|module| (module.tag.clone(), module.nameplate.clone())).collect()
            };
            rig.strings.iter().map(of_string).collect()
        });
        let alone = || vec![vec![(panel.draft.tag.clone(), panel.draft.nameplate.clone())]];
        Arranged {
            strings: several.unwrap_or_else(alone),
            mounting: setup.mounting,
            load: setup.load,
            cap_w: rig.and_then(Rig::cap_w),
        }
    }

    /// The construction the first panel, on which shade lies, is taken for.
    pub fn construction(&self) -> Option<Construction> {
        self.strings.first()?.first().map(|(_, label)| label.construction())
    }

    /// Watts at which the rig clips.
    pub fn cap_w(&self) -> Option<f64> {
        self.cap_w
    }

    pub fn mounting(&self) -> Mounting {
        self.mounting
    }

    /// The fields of the shade bench that show a run, by name.
    pub fn on_the_bench(&self, conditions: &Conditions) -> Option<Vec<(&'static str, String)>> {
        let said = Said::read(conditions.get(&Factor::Shade)?)?;
        let (_, first) = self.strings.first()?.first()?;
        let mounting = said.mounting.unwrap_or(self.mounting);
        let layout = first.construction().layout();
        let mut fields = vec![
            ("wiring", self.line()),
            ("construction", first.construction().name().to_owned()),
            ("mounting", mounting.name().to_owned()),
            ("through", rounded(said.through * 100.0)),
        ];
        match said.shade(&layout, mounting) {
            Some(shade) => fields.extend([("pattern", shade.pattern.name().to_owned()), ("size", rounded(shade.size * 100.0))]),
            None => {
                let dark = said
                    .shares(&layout, mounting)
                    .iter()
                    .enumerate()
                    .filter(|(_, share)| **share < 1.0)
                    .map(|(at, _)| at.to_string())
                    .collect::<Vec<_>>();
                fields.extend([("pattern", "none".to_owned()), (PAINT[0], dark.join("."))]);
            }
        }
        Some(fields)
    }

    /// The one line of the wiring.
    pub fn line(&self) -> String {
        let string =
            |string: &Vec<(String, Nameplate)>| string.iter().map(|(tag, _)| tag.as_str()).collect::<Vec<_>>().join(" + ");
        self.strings.iter().map(string).collect::<Vec<_>>().join(" | ")
    }

    /// The first panel's face with a shade as it is said.
    pub fn face(&self, said: &str) -> String {
        let Some((_, label)) = self.strings.first().and_then(|string| string.first()) else { return String::new() };
        let layout = label.construction().layout();
        let title = format!("Shade on the panel: {said}");
        match Said::read(said) {
            Some(shade) => {
                let mounting = shade.mounting.unwrap_or(self.mounting);
                face::draw("run", &title, &layout, mounting, &On::Shares(&shade.shares(&layout, mounting)))
            }
            None => face::draw("run", &title, &layout, self.mounting, &On::Unknown),
        }
    }

    /// What was taken for what a shade does not say.
    pub fn assumed(&self, conditions: &Conditions) -> Option<&'static str> {
        let said = Said::read(conditions.get(&Factor::Shade)?)?;
        (said.size == Size::Unsaid && !said.is_none() && said.pattern != Pattern::Whole)
            .then_some("no size said: taken as a tenth")
    }

    /// As the conditions of a run have them. The error is a sentence: what of them was not understood.
    pub fn under(&self, conditions: &Conditions) -> Result<Arrangement, String> {
        self.built(conditions, None)
    }

    /// The same with the first panel in another construction.
    pub fn built(&self, conditions: &Conditions, construction: Option<Construction>) -> Result<Arrangement, String> {
        let mut labels: Vec<Vec<(String, Nameplate)>> = self.strings.clone();
        if let (Some(construction), Some((_, first))) = (construction, labels.first_mut().and_then(|string| string.first_mut())) {
            first.construction = Some(construction);
        }
        let hangs: Vec<Vec<&(String, Nameplate)>> = labels.iter().map(|string| string.iter().collect()).collect();
        let strings = match conditions.get(&Factor::Wiring) {
            Some(text) => wired_as(text, &hangs).or_else(|| by_tags(text, &hangs)).ok_or_else(|| {
                format!("\u{201c}{text}\u{201d} names no wiring: say series, parallel, first alone, or tags as in S-1 + S-2.")
            })?,
            None => hangs,
        };
        let shade = match conditions.get(&Factor::Shade) {
            Some(text) => Some(Said::read(text).ok_or_else(|| {
                format!("\u{201c}{text}\u{201d} names no shade that can be drawn: say bottom, side, band, pole \u{2026} with a share in percent, or so many rows or cells.")
            })?),
            None => None,
        };
        let strings: Vec<Vec<&Nameplate>> =
            strings.iter().map(|string| string.iter().map(|(_, label)| label).collect()).collect();
        let made = Arrangement::of(&strings, shade.as_ref(), self.mounting).map_err(|error| format!("The label: {error}."))?;
        // A load tester in the controller's place is not bound by what the controller takes.
        let is_bound = matches!(self.load, Load::TrackingController | Load::TiedController);
        Ok(made.capped(self.cap_w.filter(|_| is_bound)))
    }
}

fn rounded(value: f64) -> String {
    crate::figures::number(value, 2)
}

/// A wiring line of the tags that hang here.
fn by_tags<'a>(text: &str, hangs: &[Vec<&'a (String, Nameplate)>]) -> Option<Vec<Vec<&'a (String, Nameplate)>>> {
    let known = |tag: &String| hangs.iter().flatten().copied().find(|(of, _)| of.eq_ignore_ascii_case(tag));
    wiring::parse(text).ok()?.iter().map(|string| string.iter().map(known).collect()).collect()
}

/// The conditions of a test's baseline; none without a plan.
pub fn baseline(test: &Test) -> Conditions {
    let planned = test.plan.as_ref().and_then(|typed| plan::check(typed, test.setup.load).ok());
    planned.map(|plan| plan.baseline).unwrap_or_default()
}
