//! Controllers: where each works on a panel's curve, what reaches the battery, and what readings on both sides show.

use super::typed::{Notes, Pairs, number, value};
use crate::error::AppError;
use crate::figures::{percent, rough};
use crate::frame::Frame;
use crate::state::AppState;
use askama::Template;
use askama_web::WebTemplate;
use axum::extract::{Query, State};
use flindo_core::gear::Gear;
use flindo_core::gear::controller::Controller;
use flindo_core::load::operate::{Finding, State as Charge, charge, full_watts, in_and_out, tracking_pays_from_w};
use flindo_core::panel::curve::{At, Curve};
use flindo_core::panel::five::{LabelFigures, fit};
use flindo_core::panel::layout::{Construction, Panel};
use flindo_core::panel::nameplate::Technology;

#[derive(Template, WebTemplate)]
#[template(path = "controllers.html")]
pub struct ControllersPage {
    frame: Frame,
    typed: Pairs,
    notes: Notes,
    panels: Vec<(i64, String)>,
    controllers: Vec<(i64, String)>,
    rows: Vec<Row>,
    full: Vec<[String; 4]>,
    pays: Vec<String>,
    finding: Option<(&'static str, String)>,
}

/// One controller on this panel.
struct Row {
    name: String,
    how: &'static str,
    panel: String,
    battery: String,
    /// Battery amps by battery volts at full sun, and by sun at the battery's volts.
    by_sun: Vec<String>,
    state: &'static str,
}

/// Light for which the table is worked out, W/m2.
const SUNS: [f64; 4] = [1000.0, 700.0, 400.0, 150.0];

impl ControllersPage {
    fn value(&self, name: &str) -> &str {
        value(&self.typed, name)
    }

    fn is_id(&self, name: &str, id: &i64) -> bool {
        self.value(name) == id.to_string()
    }
}

pub async fn page(State(state): State<AppState>, frame: Frame, Query(typed): Query<Pairs>) -> Result<ControllersPage, AppError> {
    let (panels, gear) = (state.store.panels().await?, state.store.gear().await?);
    let mut notes = Notes::default();
    let panel = panels.iter().find(|panel| value(&typed, "panel") == panel.id.to_string()).or(panels.first());
    let battery_v = number(&typed, "battery_v", (2.0, 800.0), &mut notes).unwrap_or(13.0);
    let cell_c = number(&typed, "cell_c", (-40.0, 100.0), &mut notes).unwrap_or(45.0);
    let accepts_a = number(&typed, "accepts_a", (0.0, 1000.0), &mut notes).unwrap_or(1000.0);
    let controllers: Vec<(i64, String, Controller)> = gear
        .into_iter()
        .filter_map(
            |row| if let Gear::Controller(controller) = row.gear { Some((row.id, row.draft.name, controller)) } else { None },
        )
        .collect();
    let mut rows = Vec::new();
    let mut vmp_v = None;
    if let Some(panel) = panel {
        let label = &panel.draft.nameplate;
        match LabelFigures::of(label).map(|figures| fit(&figures)) {
            Some(Ok(fitted)) => {
                let construction = Construction::likely(label.cells_in_series, label.technology == Technology::ThinFilm);
                let solved = Panel::new(fitted, construction);
                let curves: Vec<Curve> = SUNS
                    .iter()
                    .filter_map(|poa| solved.lit(*poa, cell_c, &[]).solve().ok())
                    .map(|solution| solution.curve().clone())
                    .collect();
                vmp_v = curves.first().map(|curve| curve.best().v);
                rows = controllers
                    .iter()
                    .map(|(_, name, controller)| row(name, controller, &curves, battery_v, accepts_a))
                    .collect();
            }
            Some(Err(error)) => notes.add("panel", "refused", format!("The label of {}: {error}.", panel.draft.tag)),
            None => notes.add("panel", "refused", format!("The label of {} gives neither volts nor amps.", panel.draft.tag)),
        }
    }
    let finding = finding(&typed, &controllers, &mut notes);
    let full = controllers.iter().map(|(_, name, controller)| {
        let [twelve, twenty_four, forty_eight] = full_watts(controller).map(|(_, watts)| rough(watts, "W").to_string());
        [name.clone(), twelve, twenty_four, forty_eight]
    });
    Ok(ControllersPage {
        full: full.collect(),
        pays: vmp_v.map(|vmp_v| pays(&controllers, vmp_v, battery_v)).unwrap_or_default(),
        panels: panels.iter().map(|panel| (panel.id, format!("{} \u{b7} {}", panel.draft.tag, panel.draft.name))).collect(),
        controllers: controllers.into_iter().map(|(id, name, _)| (id, name)).collect(),
        rows,
        finding,
        frame,
        typed,
        notes,
    })
}

fn row(name: &str, controller: &Controller, curves: &[Curve], battery_v: f64, accepts_a: f64) -> Row {
    let at = |curve: &Curve| charge(curve, controller, battery_v, accepts_a, true, true);
    let full = curves.first().map(at);
    let point = |at: At| format!("{} \u{b7} {}", rough(at.v, "V"), rough(at.i.max(0.0), "A"));
    Row {
        name: name.to_owned(),
        how: if controller.tracking { "tracking" } else { "ties the panel to the battery" },
        panel: full.map(|charging| point(charging.panel)).unwrap_or_default(),
        battery: full
            .map(|charging| format!("{} \u{b7} {}", rough(charging.battery_a, "A"), rough(charging.battery_w(), "W")))
            .unwrap_or_default(),
        by_sun: curves.iter().map(|curve| rough(at(curve).battery_w(), "W").to_string()).collect(),
        state: match full.map(|charging| charging.state) {
            Some(Charge::Working) | None => "working",
            Some(Charge::Limited) => "limited",
            Some(Charge::Asleep) => "asleep: too few volts",
        },
    }
}

/// From which panel watts each tracking one pays against each tied one.
fn pays(controllers: &[(i64, String, Controller)], vmp_v: f64, battery_v: f64) -> Vec<String> {
    let of = |tracking: bool| controllers.iter().filter(move |(_, _, controller)| controller.tracking == tracking);
    of(true)
        .flat_map(|(_, name, tracking)| of(false).map(move |(_, tied_name, tied)| (name, tracking, tied_name, tied)))
        .map(|(name, tracking, tied_name, tied)| match tracking_pays_from_w(vmp_v, battery_v, tracking, tied) {
            Some(watts) => format!(
                "{name} gives more than {tied_name} from about {} of panel in the sun on: below that its own draw eats the gain.",
                rough(watts, "W")
            ),
            None => format!("{name} never gives more than {tied_name} with a panel of these volts."),
        })
        .collect()
}

/// What readings on both sides show; nothing until all four are there.
fn finding(typed: &Pairs, controllers: &[(i64, String, Controller)], notes: &mut Notes) -> Option<(&'static str, String)> {
    let mut of = |field| number(typed, field, (0.0, 2000.0), notes);
    let (in_v, in_a, out_v, out_a) = (of("in_v"), of("in_a"), of("out_v"), of("out_a"));
    let expected_w = number(typed, "expected_w", (0.1, 100_000.0), notes);
    let (input, output) = (At { v: in_v?, i: in_a? }, At { v: out_v?, i: out_a? });
    let sold = controllers.iter().find(|(id, _, _)| value(typed, "controller") == id.to_string());
    let controller = sold.map(|(_, _, controller)| controller);
    let share = |efficiency: f64| percent(efficiency * 100.0).to_string();
    Some(match in_and_out(input, output, controller, expected_w) {
        Finding::Tracking { efficiency } => (
            "makes",
            format!(
                "Tracking, at {} efficiency: the panel stands well above the battery, and more amps come out than go in.",
                share(efficiency)
            ),
        ),
        Finding::NotTracking { efficiency } => {
            let sold_as = if controller.is_some_and(|controller| controller.tracking) {
                " It is sold as tracking, and is not."
            } else {
                ""
            };
            (
                "below",
                format!(
                    "Not tracking: the panel is at the battery\u{2019}s volts, and as many amps come out as go in ({} of the watts).{sold_as} On a full battery or in very weak sun look again.",
                    share(efficiency)
                ),
            )
        }
        Finding::Standby => (
            "cant-tell",
            "Standby: hardly any amps. The battery is full, or the panel does not rise far enough above it.".to_owned(),
        ),
        Finding::Clipped => ("cant-tell", "At its own amps: it clips, and what it takes is no measure of the panel.".to_owned()),
        Finding::Throttled { share: of } => (
            "cant-tell",
            format!(
                "Throttled: it takes {} of what the panel could give. Drain the battery, or switch a load on, and look again.",
                percent(of * 100.0)
            ),
        ),
        Finding::Impossible { efficiency } => (
            "above",
            format!(
                "More comes out than goes in ({}): one of the meters is wrong, or they were not read at once.",
                share(efficiency)
            ),
        ),
        Finding::Unclear { efficiency } => (
            "cant-tell",
            format!(
                "Can\u{2019}t tell: {} of the watts come out, but the volts are too near each other. Use a panel of more volts, or a lower battery.",
                share(efficiency)
            ),
        ),
    })
}
