//! Covered strings: an array with snow or dirt on some panels, on one controller or several; what each clearing brings, and whether string
//! amps agree.

use crate::door::typed::{Notes, Pairs, number, value};
use crate::draw::strings as drawing;
use crate::error::AppError;
use crate::figures::{percent, rough, signed};
use crate::frame::Frame;
use crate::heavy;
use crate::pages::plan::calculations::{KeptLine, kept};
use crate::state::AppState;
use crate::words;
use askama::Template;
use askama_web::WebTemplate;
use axum::extract::{Query, State};
use flindo_core::array::covered_strings::{AMPS_AGREE_REL, Group, Input, as_it_lies, check_amps, order, parse_groups, watts_w};
use flindo_core::decimal::Decimal;
use flindo_core::error::Error;
use flindo_core::gear::Gear;
use flindo_core::panel::layout::Panel;
use flindo_store::GearRow;

#[derive(Template, WebTemplate)]
#[template(path = "strings.html")]
pub struct StringsPage {
    frame: Frame,
    kept: Vec<KeptLine>,
    typed: Pairs,
    notes: Notes,
    rows: String,
    /// Id, name, and whether it is the one in the strings.
    panels: Vec<(i64, String, bool)>,
    answer: Option<Answer>,
    amps: Vec<String>,
}

struct Answer {
    /// That strings help only together, and which.
    together: Option<String>,
    /// One for each controller: name, watts, drawing.
    groups: Vec<(String, String, String)>,
    watts: String,
    whole: String,
    /// (which, watts afterwards, gained)
    steps: Vec<[String; 3]>,
}

/// Shown first: three strings of six, snow at the foot of two.
const EXAMPLE: &str = "oooooo\noxxooo\nxxxxoo";

impl StringsPage {
    fn value(&self, name: &str) -> &str {
        value(&self.typed, name)
    }
}

pub async fn page(State(state): State<AppState>, frame: Frame, Query(typed): Query<Pairs>) -> Result<StringsPage, AppError> {
    let panels = state.store.panels().await?;
    let mut notes = Notes::default();
    let rows = match value(&typed, "rows").trim() {
        "" => EXAMPLE.to_owned(),
        rows => rows.to_owned(),
    };
    let poa_w_m2 = number(&typed, "poa", (10.0, 1500.0), &mut notes).unwrap_or(800.0);
    let cell_c = number(&typed, "cell_c", (-40.0, 100.0), &mut notes).unwrap_or(10.0);
    let chosen = panels.iter().find(|panel| value(&typed, "panel") == panel.id.to_string());
    let panel = chosen.or(panels.iter().find(|panel| panel.draft.tag == "U-2")).or(panels.first());
    let battery_v = number(&typed, "battery_v", (5.0, 500.0), &mut notes);
    let gear = state.store.gear().await?;
    let groups = parse_groups(&rows).map_err(|sentence| notes.add("rows", "refused", sentence)).ok().map(|mut groups| {
        groups.iter_mut().for_each(|group| group.input = input_of(&group.name, battery_v, &gear));
        groups
    });
    let fitted = panel.and_then(|panel| {
        let refuse = |error| notes.add("rows", "refused", format!("The label of {}: {error}.", panel.draft.tag));
        Panel::of(panel.label()).map_err(refuse).ok()
    });
    let mut answer_of = None;
    if let Some((panel, groups)) = fitted.zip(groups).filter(|_| !notes.has("refused")) {
        match heavy::run(move |_| answer(&panel, &groups, poa_w_m2, cell_c)).await? {
            Ok(answer) => answer_of = Some(answer),
            Err(error) => notes.add("rows", "refused", format!("{error}.")),
        }
    }
    let amps = amps(&typed, &mut notes);
    let used = panel.map(|panel| panel.id);
    let panels = panels
        .iter()
        .map(|panel| (panel.id, format!("{} \u{b7} {}", panel.tag(), panel.name()), used == Some(panel.id)))
        .collect();
    Ok(StringsPage { kept: kept(&state, "/strings").await?, frame, typed, notes, rows, panels, answer: answer_of, amps })
}

/// A battery pulls a tracking controller up by this much before it works. Common practice, no source.
const USUAL_MARGIN_V: f64 = 1.0;

/// What a controller of the bench wants and takes; of any other the battery alone is known.
fn input_of(name: &str, battery_v: Option<f64>, gear: &[GearRow]) -> Input {
    let Some(battery_v) = battery_v else { return Input::default() };
    let controller = gear
        .iter()
        .find(|row| row.draft.name.eq_ignore_ascii_case(name))
        .and_then(|row| if let Gear::Controller(controller) = &row.gear { Some(controller) } else { None });
    Input {
        least_v: battery_v + controller.map_or(USUAL_MARGIN_V, |one| one.run_margin_v),
        most_w: controller.and_then(|one| Some(one.max_battery_a? * battery_v / one.efficiency)).unwrap_or(f64::INFINITY),
    }
}

fn answer(panel: &Panel, groups: &[Group], poa_w_m2: f64, cell_c: f64) -> Result<Answer, Error> {
    let mut clear = groups.to_vec();
    clear.iter_mut().flat_map(|group| &mut group.covered.strings).flatten().for_each(|covered| *covered = false);
    let whole_w = watts_w(panel, &clear, poa_w_m2, cell_c)?;
    let steps = order(panel, groups, poa_w_m2, cell_c)?;
    let name = |group: usize| match groups[group].name.as_str() {
        "" => String::new(),
        name => format!("{name}, "),
    };
    let mut drawn = Vec::new();
    let mut now_w = 0.0;
    for (at, group) in groups.iter().enumerate() {
        let lies = as_it_lies(panel, group, poa_w_m2, cell_c)?;
        now_w += lies.watts_w;
        let nth = |string: usize, place: usize| {
            steps.iter().position(|step| (step.group, step.string, step.place) == (at, string, place)).map(|nth| nth + 1)
        };
        let svg = drawing::draw(&group.covered, &lies.string_a, nth);
        drawn.push((group.name.clone(), rough(lies.watts_w, "W").to_string(), svg));
    }
    let mut before_w = now_w;
    let told = steps.iter().map(|step| {
        let row = [
            format!("{}string {}, panel {}", name(step.group), step.string + 1, step.place + 1),
            rough(step.watts_w, "W").to_string(),
            format!("{}\u{a0}W", signed(step.watts_w - before_w, 0)),
        ];
        before_w = step.watts_w;
        row
    });
    let together = steps.iter().find(|step| step.together > 1).map(|first| {
        let from = steps.iter().take_while(|step| *step != first).count();
        let mut of: Vec<usize> = steps[from..].iter().take_while(|step| !step.ends_set).map(|step| step.string + 1).collect();
        of.extend(steps[from..].iter().find(|step| step.ends_set).map(|step| step.string + 1));
        of.dedup();
        let last = of.pop().map(|string| string.to_string()).unwrap_or_default();
        let before: Vec<String> = of.iter().map(ToString::to_string).collect();
        let text = format!(
            "{}strings {} and {last} bring more only together: clear {} before the watts are compared. On the way there may be less.",
            name(first.group),
            before.join(", "),
            if before.len() == 1 { "both" } else { "all of them" }
        );
        words::capital(&text)
    });
    Ok(Answer {
        together,
        steps: told.collect(),
        groups: drawn,
        watts: rough(now_w, "W").to_string(),
        whole: rough(whole_w, "W").to_string(),
    })
}

/// Measured string amps against their combined reading and each other.
fn amps(typed: &Pairs, notes: &mut Notes) -> Vec<String> {
    let text = value(typed, "amps").trim();
    if text.is_empty() {
        return Vec::new();
    }
    let parts: Result<Vec<f64>, _> =
        text.split([';', ' ']).filter(|part| !part.is_empty()).map(|part| Decimal::parse(part).map(Decimal::value)).collect();
    let strings_a = match parts {
        Ok(strings) if strings.iter().all(|amps| *amps >= 0.0) => strings,
        Ok(_) => {
            notes.add("amps", "refused", "Current must be 0 or more: reverse the clamp.".to_owned());
            return Vec::new();
        }
        Err(error) => {
            notes.add("amps", "refused", format!("{error}."));
            return Vec::new();
        }
    };
    let found = check_amps(&strings_a, number(typed, "combined", (0.0, 2000.0), notes));
    let mut told = vec![format!("The strings add up to {}.", rough(found.sum_a, "A"))];
    if let Some(off) = found.combined_off_rel {
        let agree = if off.abs() <= AMPS_AGREE_REL {
            "which agrees within clamp accuracy and irradiance changes"
        } else {
            "more than clamp accuracy and irradiance changes explain: zero the clamp, and read again within a minute"
        };
        told.push(format!("Combined current differs by {}, {agree}.", percent(off.abs() * 100.0)));
    }
    for (nth, share) in &found.weak {
        told.push(format!(
            "String {} gives {} of the best: look for a cover, a shade, a loose connector or a failed panel.",
            nth + 1,
            percent(share * 100.0)
        ));
    }
    if found.weak.is_empty() {
        told.push("No string is weak beside the others.".to_owned());
    }
    told
}
