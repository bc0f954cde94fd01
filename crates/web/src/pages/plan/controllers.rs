//! Controllers: where each works on a panel's curve, what reaches the battery, and what readings on both sides show.

use crate::door::typed::{Notes, Pairs, number, value};
use crate::draw::{charging, curve};
use crate::error::AppError;
use crate::figures::{percent, rough};
use crate::frame::Frame;
use crate::heavy;
use crate::pages::plan::array_form::{self, Line};
use crate::pages::plan::calculations::{KeptLine, kept};
use crate::state::AppState;
use crate::words::ways as words;
use askama::Template;
use askama_web::WebTemplate;
use axum::extract::{Query, State};
use flindo_core::array::Array;
use flindo_core::error::Error;
use flindo_core::gear::Gear;
use flindo_core::gear::controller::Controller;
use flindo_core::load::operate::{
    BATTERIES, Charger, ControllerState, DayOfSun, TrackingFinding, covers_itself_from_w, in_and_out, own_draw_wh,
    tracking_pays_from_w,
};
use flindo_core::panel::curve::{At, Curve};

#[derive(Template, WebTemplate)]
#[template(path = "controllers.html")]
pub struct ControllersPage {
    frame: Frame,
    kept: Vec<KeptLine>,
    typed: Pairs,
    notes: Notes,
    tags: Vec<String>,
    controllers: Vec<(i64, String)>,
    finding: Option<(&'static str, String)>,
    /// Into the battery over the sun, and where each holds the panels.
    drawings: [String; 2],
    rows: Vec<Row>,
    pays: Vec<String>,
}

/// One controller with one battery.
struct Row {
    name: String,
    how: &'static str,
    battery: String,
    /// It is the first of its controller.
    is_first: bool,
    most: String,
    panel: String,
    by_sun: Vec<String>,
    state: &'static str,
}

/// Light for which the table is worked out, W/m2.
const SUNS: [f64; 4] = [1000.0, 700.0, 400.0, 150.0];

/// Points of the drawing.
const DRAWN: usize = 20;

impl ControllersPage {
    fn value(&self, name: &str) -> &str {
        value(&self.typed, name)
    }

    fn is_id(&self, name: &str, id: &i64) -> bool {
        self.value(name) == id.to_string()
    }
}

pub async fn page(
    State(state): State<AppState>,
    frame: Frame,
    Query(mut typed): Query<Pairs>,
) -> Result<ControllersPage, AppError> {
    let (panels, gear) = (state.store.panels().await?, state.store.gear().await?);
    let mut notes = Notes::default();
    if value(&typed, "wiring").trim().is_empty()
        && let Some(first) = panels.iter().find(|panel| panel.draft.tag == "S-1").or(panels.first())
    {
        typed.retain(|(name, _)| name != "wiring");
        typed.push(("wiring".to_owned(), first.draft.tag.clone()));
    }
    let controllers = array_form::controllers(&gear);
    let chosen: Vec<(String, Controller)> = gear
        .iter()
        .filter_map(|row| {
            let Gear::Controller(controller) = &row.gear else { return None };
            Some((row.draft.name.clone(), controller.clone()))
        })
        .collect();
    let sold = controllers.iter().position(|(id, _)| id.to_string() == value(&typed, "controller"));
    let finding = finding(&typed, sold.and_then(|nth| chosen.get(nth)).map(|(_, controller)| controller), &mut notes);
    let asked = ask(&typed, &panels, &mut notes);
    let (mut drawings, mut rows, mut told) = ([String::new(), String::new()], Vec::new(), Vec::new());
    if let Some(asked) = asked {
        match heavy::run(move |_| side_by_side(&asked, &chosen)).await? {
            Ok(found) => (drawings, rows, told) = found,
            Err(error) => notes.add("wiring", "refused", format!("{error}.")),
        }
    }
    let tags = panels.into_iter().map(|panel| panel.draft.tag).collect();
    Ok(ControllersPage {
        kept: kept(&state, "/controllers").await?,
        frame,
        typed,
        notes,
        tags,
        controllers,
        finding,
        drawings,
        rows,
        pays: told,
    })
}

/// What the form says of the panels, the battery and the day.
struct Asked {
    array: Array,
    lengths: Vec<usize>,
    battery_v: f64,
    accepts_a: f64,
    day: DayOfSun,
}

fn ask(typed: &Pairs, panels: &[flindo_store::Panel], notes: &mut Notes) -> Option<Asked> {
    let line = array_form::line(value(typed, "wiring"), None, panels, notes);
    let mut of = |field, usual: f64, range| number(typed, field, range, notes).unwrap_or(usual);
    let battery_v = of("battery_v", 13.0, (2.0, 800.0));
    let cell_c = of("cell_c", 45.0, (-40.0, 100.0));
    let accepts_a = of("accepts_a", 1000.0, (0.0, 1000.0));
    let day = DayOfSun { peak_sun_h: of("peak_sun_h", 4.0, (0.1, 14.0)), daylight_h: of("daylight_h", 11.0, (0.0, 24.0)) };
    let Line { lengths, panels, .. } = line?;
    let array = Array {
        panels: panels.into_iter().map(|panel| (panel, Vec::new())).collect(),
        poa_w_m2: SUNS[0],
        cell_c,
        lead_ohm: 0.0,
        is_blocked: false,
    };
    Some(Asked { array, lengths, battery_v, accepts_a, day })
}

/// Drawings, rows, what own draw eats.
type Found = ([String; 2], Vec<Row>, Vec<String>);

fn side_by_side(asked: &Asked, controllers: &[(String, Controller)]) -> Result<Found, Error> {
    let under = |poa_w_m2: f64| -> Result<Curve, Error> {
        Ok(Array { poa_w_m2, ..asked.array.clone() }.unshaded(&asked.lengths)?.curve().clone())
    };
    let curves: Vec<Curve> = SUNS.iter().map(|poa| under(*poa)).collect::<Result<_, _>>()?;
    let drawn: Vec<(f64, Curve)> = (1..=DRAWN)
        .map(|nth| SUNS[0] * nth as f64 / DRAWN as f64)
        .map(|poa| Ok((poa, under(poa)?)))
        .collect::<Result<_, Error>>()?;
    let charger = |controller, battery_v| Charger { controller, battery_v, accepts_a: asked.accepts_a, is_global: true };
    let lines: Vec<(&str, Vec<(f64, f64)>)> = controllers
        .iter()
        .map(|(name, controller)| {
            let on = |(poa, curve): &(f64, Curve)| (*poa, charger(controller, asked.battery_v).on(curve, true).battery_w());
            (name.as_str(), drawn.iter().map(on).collect())
        })
        .collect();
    let most_w: Vec<(f64, f64)> = drawn.iter().map(|(poa, curve)| (*poa, curve.best().w())).collect();
    let rows = controllers.iter().flat_map(|(name, controller)| {
        batteries(asked.battery_v).into_iter().enumerate().map(|(nth, (nominal_v, battery_v))| {
            let charger = charger(controller, battery_v);
            row(name, nth == 0, nominal_v, &charger, &curves)
        })
    });
    let told = curves.first().map(|full| pays(controllers, full, asked)).unwrap_or_default();
    let at_full = curves.first().map(|full| curve::draw(full, full, &held(controllers, full, asked))).unwrap_or_default();
    Ok(([charging::draw(&lines, &most_w), at_full], rows.collect(), told))
}

/// Where each controller holds the panels in full sun; those that hold them at one point share its mark.
fn held(controllers: &[(String, Controller)], full: &Curve, asked: &Asked) -> Vec<(String, At)> {
    let mut marks: Vec<(String, At)> = Vec::new();
    for (name, controller) in controllers {
        let charger = Charger { controller, battery_v: asked.battery_v, accepts_a: asked.accepts_a, is_global: true };
        let found = charger.on(full, true);
        if !matches!(found.state, ControllerState::Working | ControllerState::Limited) {
            continue;
        }
        match marks.iter_mut().find(|(_, at)| (at.v / found.panel.v - 1.0).abs() < 0.02) {
            Some((names, _)) => *names = format!("{names}, {name}"),
            None => marks.push((name.clone(), found.panel)),
        }
    }
    marks
}

/// The battery that is there, and those of other nominal volts beside it: (nominal, while charging).
fn batteries(battery_v: f64) -> Vec<(Option<f64>, f64)> {
    let is_here = |charging_v: f64| (battery_v / charging_v - 1.0).abs() < 0.15;
    let others = BATTERIES.into_iter().filter(|(_, charging_v)| !is_here(*charging_v)).map(|(nominal_v, v)| (Some(nominal_v), v));
    [(None, battery_v)].into_iter().chain(others).collect()
}

fn row(name: &str, is_first: bool, nominal_v: Option<f64>, charger: &Charger<'_>, curves: &[Curve]) -> Row {
    let at = |curve: &Curve| charger.on(curve, true);
    let full = curves.first().map(at);
    let point = |at: At| format!("{} \u{b7} {}", rough(at.v, "V"), rough(at.i.max(0.0), "A"));
    Row {
        name: name.to_owned(),
        is_first,
        how: if charger.controller.tracking { "tracking" } else { "not tracking (PWM)" },
        battery: match nominal_v {
            Some(nominal_v) => format!("{nominal_v} V, at {}", rough(charger.battery_v, "V")),
            None => format!("at {}", rough(charger.battery_v, "V")),
        },
        most: charger.controller.output_cap_w(charger.battery_v).map(|cap_w| rough(cap_w, "W").to_string()).unwrap_or_default(),
        panel: full.map(|charging| point(charging.panel)).unwrap_or_default(),
        by_sun: curves
            .iter()
            .map(at)
            .map(|charging| match charging.state {
                ControllerState::Working | ControllerState::Limited => rough(charging.battery_w(), "W").to_string(),
                ControllerState::NotStarting | ControllerState::OverVolts => "\u{2013}".to_owned(),
            })
            .collect(),
        state: full.map_or("", |charging| words::state(charging.state)),
    }
}

/// From which panel watts each covers its own draw, and each tracking one pays against each tied one; `full`: the panels in full sun.
fn pays(controllers: &[(String, Controller)], full: &Curve, asked: &Asked) -> Vec<String> {
    let (battery_v, day, vmp_v, open_v) = (asked.battery_v, asked.day, full.best().v, full.open().v);
    let (stand, fail): (Vec<_>, Vec<_>) =
        controllers.iter().partition(|(_, controller)| controller.max_input_v.is_none_or(|limit_v| limit_v >= open_v));
    let too_many = fail.iter().map(|(name, controller)| {
        format!(
            "{name} must not be connected: its input rating is {}, and Voc of these panels is {}, more when cold.",
            rough(controller.max_input_v.unwrap_or(f64::INFINITY), "V"),
            rough(open_v, "V")
        )
    });
    let itself = stand.iter().map(|(name, controller)| {
        let own = rough(own_draw_wh(controller, battery_v, day), "Wh");
        match covers_itself_from_w(controller, vmp_v, battery_v, day) {
            Some(watts) => {
                format!("{name}: self-consumption {own} a day, which takes the first {} of panel power.", rough(watts, "W"))
            }
            None => {
                format!("{name}: self-consumption {own} a day; panels of {} do not charge through it.", rough(vmp_v, "V"))
            }
        }
    });
    let of = |tracking: bool| stand.iter().filter(move |(_, controller)| controller.tracking == tracking);
    let pairs = of(true).flat_map(|one| of(false).map(move |other| (one, other)));
    let against =
        pairs.map(|((name, tracking), (tied_name, tied))| match tracking_pays_from_w(tracking, tied, vmp_v, battery_v, day) {
            Some(watts) if watts < 0.05 => {
                format!("{name} charges more in a day than {tied_name} with any panel of this voltage.")
            }
            Some(watts) => format!(
                "{name} charges more in a day than {tied_name} from about {} of panel power; below that its self-consumption \
                 exceeds the gain.",
                rough(watts, "W")
            ),
            None => format!("{name} does not charge more than {tied_name} with panels of this voltage."),
        });
    too_many.chain(itself).chain(against).collect()
}

/// What readings on both sides show; nothing until all four are there.
fn finding(typed: &Pairs, controller: Option<&Controller>, notes: &mut Notes) -> Option<(&'static str, String)> {
    let mut of = |field| number(typed, field, (0.0, 2000.0), notes);
    let (in_v, in_a, out_v, out_a) = (of("in_v"), of("in_a"), of("out_v"), of("out_a"));
    let expected_w = number(typed, "expected_w", (0.1, 100_000.0), notes);
    let (input, output) = (At { v: in_v?, i: in_a? }, At { v: out_v?, i: out_a? });
    let share = |efficiency: f64| percent(efficiency * 100.0).to_string();
    Some(match in_and_out(input, output, controller, expected_w) {
        TrackingFinding::Tracking { efficiency } => (
            "makes",
            format!(
                "Tracking, efficiency {}: input voltage well above the battery, output current above input current.",
                share(efficiency)
            ),
        ),
        TrackingFinding::NotTracking { efficiency } => {
            let sold_as = if controller.is_some_and(|controller| controller.tracking) { " It is sold as tracking." } else { "" };
            (
                "below",
                format!(
                    "Not tracking: input at battery voltage, output current equal to input current ({} of the power).{sold_as} \
                     With a full battery or in very weak sun, repeat the reading.",
                    share(efficiency)
                ),
            )
        }
        TrackingFinding::Standby => {
            ("cant-tell", "Standby: almost no current. The battery is full, or the input voltage is too low.".to_owned())
        }
        TrackingFinding::Clipped => {
            ("cant-tell", "At its current limit: it clips, and its input is no measure of the panel.".to_owned())
        }
        TrackingFinding::Throttled { share: of } => (
            "cant-tell",
            format!(
                "Throttled: it takes {} of the available power. Discharge the battery, or switch on a load, and repeat the reading.",
                percent(of * 100.0)
            ),
        ),
        TrackingFinding::Impossible { efficiency } => (
            "above",
            format!("Output above input ({}): one of the meters is wrong, or they were not read together.", share(efficiency)),
        ),
        TrackingFinding::Unclear { efficiency } => (
            "cant-tell",
            format!(
                "Can\u{2019}t tell: {} of the power comes out, but input and output voltage are too close. Use a panel of \
                 higher voltage, or a battery of lower voltage.",
                share(efficiency)
            ),
        ),
    })
}
