//! The shade bench: shade painted on panels' faces, and at once what is left, why, and what another wiring or construction would
//! leave.

use crate::door::typed::{Notes, Pairs, number, value};
use crate::draw::curve;
use crate::draw::faces::{self, Face};
use crate::error::AppError;
use crate::figures::{percent, rough};
use crate::frame::Frame;
use crate::heavy;
use crate::pages::plan::array_form::{self, Line, PAINT, paint};
use crate::pages::plan::calculations::{KeptLine, kept};
use crate::state::AppState;
use askama::Template;
use askama_web::WebTemplate;
use axum::extract::{Query, State};
use flindo_core::array::{Array, ArrayWiring};
use flindo_core::error::Error;
use flindo_core::load::operate::Load;
use flindo_core::panel::circuit::substring_count;
use flindo_core::panel::construction::Construction;
use flindo_core::panel::curve::At;
use flindo_core::panel::face::Mounting;
use flindo_core::panel::layout::Panel;
use flindo_core::panel::shade::{Pattern, Shade, covered, on_another_face};
use flindo_core::panel::solution::{OperatingPoint, Solution};

#[derive(Template, WebTemplate)]
#[template(path = "shade.html")]
pub struct ShadePage {
    frame: Frame,
    kept: Vec<KeptLine>,
    typed: Pairs,
    notes: Notes,
    tags: Vec<String>,
    answer: Option<Answer>,
}

struct Answer {
    faces: Vec<String>,
    svg: String,
    left: String,
    area: String,
    sentence: String,
    hottest: Option<String>,
    /// (load, volts, amps, watts)
    loads: Vec<[String; 4]>,
    ways: Vec<Compared>,
    wins: String,
    constructions: Vec<Compared>,
    watts: String,
    clear_watts: String,
}

/// One way or construction beside the others.
struct Compared {
    name: &'static str,
    watts: String,
    left: String,
    /// Of a tracker that stays on the first local maximum.
    above: String,
    /// Length of its bar, percent of the unshaded.
    bar: f64,
    is_here: bool,
}

impl ShadePage {
    fn value(&self, name: &str) -> &str {
        value(&self.typed, name)
    }

    fn is(&self, name: &str, choice: &str) -> bool {
        self.value(name) == choice
    }

    fn patterns(&self) -> &'static [Pattern] {
        Pattern::ALL
    }

    fn constructions(&self) -> &'static [Construction] {
        Construction::ALL
    }

    fn mountings(&self) -> &'static [Mounting] {
        Mounting::ALL
    }
}

pub async fn page(State(state): State<AppState>, frame: Frame, Query(mut typed): Query<Pairs>) -> Result<ShadePage, AppError> {
    let panels = state.store.panels().await?;
    let tags: Vec<String> = panels.iter().map(|panel| panel.draft.tag.clone()).collect();
    let mut notes = Notes::default();
    if value(&typed, "wiring").trim().is_empty()
        && let Some(first) = panels.iter().find(|panel| panel.draft.tag == "S-1").or(panels.first())
    {
        typed.retain(|(name, _)| name != "wiring");
        typed.push(("wiring".to_owned(), first.draft.tag.clone()));
        if value(&typed, "pattern").is_empty() {
            typed.push(("pattern".to_owned(), Pattern::Bottom.name().to_owned()));
        }
    }
    let asked = ask(&typed, &mut notes, &panels);
    let answer = match asked {
        Some(asked) => match heavy::run(move |_| answer(&asked)).await? {
            Ok(answer) => Some(answer),
            Err(error) => {
                notes.add("wiring", "refused", format!("{error}."));
                None
            }
        },
        None => None,
    };
    Ok(ShadePage { kept: kept(&state, "/shade").await?, frame, typed, notes, tags, answer })
}

/// What the form says, ready for the core.
struct Asked {
    tags: Vec<String>,
    lengths: Vec<usize>,
    array: Array,
    construction: Construction,
    mounting: Mounting,
    through: f64,
}

fn ask(typed: &Pairs, notes: &mut Notes, bench: &[flindo_store::Panel]) -> Option<Asked> {
    let chosen = Construction::from_name(value(typed, "construction"));
    let Line { tags, lengths, panels, construction } = array_form::line(value(typed, "wiring"), chosen, bench, notes)?;
    let mut share = |field, usual: f64| number(typed, field, (0.0, 100.0), notes).unwrap_or(usual) / 100.0;
    let (size, through, soft, place) = (share("size", 10.0), share("through", 10.0), share("soft", 0.0), share("place", 50.0));
    let poa_w_m2 = number(typed, "poa", (10.0, 1500.0), notes).unwrap_or(1000.0);
    let cell_c = number(typed, "cell_c", (-40.0, 100.0), notes).unwrap_or(45.0);
    let lead_ohm = number(typed, "lead_ohm", (0.0, 10.0), notes).unwrap_or(0.0);
    let seed = number(typed, "seed", (0.0, 1e6), notes).unwrap_or(1.0) as u64;
    let pattern = Pattern::from_name(value(typed, "pattern")).unwrap_or_default();
    let shade = Shade { pattern, size, through, soft: soft / 2.0, place, seed };
    let mounting = Mounting::from_name(value(typed, "mounting")).unwrap_or_default();
    let falls_on_all = value(typed, "every") == "yes";
    let lit = panels.into_iter().enumerate().map(|(nth, panel)| {
        let mut shares =
            if nth > 0 && !falls_on_all { vec![1.0; panel.layout.places.len()] } else { shade.shares(&panel.layout, mounting) };
        paint(value(typed, PAINT[nth]), through, &mut shares);
        (panel, shares)
    });
    let array = Array { panels: lit.collect(), poa_w_m2, cell_c, lead_ohm, is_blocked: value(typed, "blocked") == "yes" };
    Some(Asked { tags, lengths, array, construction, mounting, through })
}

fn answer(asked: &Asked) -> Result<Answer, Error> {
    let array = &asked.array;
    let (solution, clear) = (array.in_strings(&asked.lengths)?, array.unshaded(&asked.lengths)?);
    let working = solution.at_best();
    let (best, clear_best) = (solution.curve().best(), clear.curve().best());
    let share = best.w() / clear_best.w().max(1e-9) * 100.0;
    let area = array.panels.iter().map(|(panel, shares)| covered(&panel.layout, shares, asked.through)).sum::<f64>()
        / array.panels.len() as f64
        * 100.0;
    let above = Load::LocalTracking.on(solution.curve());
    let ways = ways(asked)?;
    Ok(Answer {
        faces: draw_faces(asked, &working),
        svg: curve::draw(solution.curve(), clear.curve(), &marks(&solution, above)),
        left: percent(share).to_string(),
        area: percent(area).to_string(),
        watts: rough(best.w(), "W").to_string(),
        clear_watts: rough(clear_best.w(), "W").to_string(),
        sentence: why(asked, &working, &solution, share, area),
        hottest: hottest(asked, &solution, &working),
        loads: loads(&solution),
        wins: wins(&ways),
        ways: ways.into_iter().map(|(compared, _)| compared).collect(),
        constructions: constructions(asked)?,
    })
}

/// Where loads sit, for the drawing: those that take anything.
fn marks(solution: &Solution, above: At) -> Vec<(String, At)> {
    let tied = [13.0, 26.0].map(|v| (format!("at {v} V"), Load::FixedVoltage { v }.on(solution.curve())));
    let from_above = ("local tracking".to_owned(), above);
    [from_above].into_iter().chain(tied).filter(|(_, at)| at.w() > 0.01 * solution.curve().best().w()).collect()
}

fn draw_faces(asked: &Asked, working: &OperatingPoint) -> Vec<String> {
    let (mut first_cell, mut first_group) = (0, 0);
    asked
        .array
        .panels
        .iter()
        .zip(&asked.tags)
        .enumerate()
        .map(|(nth, ((panel, shares), tag))| {
            let cells = &working.cells[first_cell..first_cell + panel.layout.places.len()];
            let groups = substring_count(&panel.layout.tree);
            // The string's amps: those of a group with what runs around it.
            let string_a = cells.first().map_or(0.0, |cell| cell.i.abs() * panel.layout.in_parallel as f64)
                + working.bypass_a.get(first_group).copied().unwrap_or(0.0).max(0.0);
            let face = Face {
                nth,
                tag,
                layout: &panel.layout,
                mounting: asked.mounting,
                shares,
                working,
                first_cell,
                first_group,
                string_a,
            };
            first_cell += panel.layout.places.len();
            first_group += groups;
            faces::draw(&face)
        })
        .collect()
}

/// One sentence that says why.
fn why(asked: &Asked, working: &OperatingPoint, solution: &Solution, share: f64, area: f64) -> String {
    if area < 0.05 {
        return "No shade: every substring carries the full current.".to_owned();
    }
    let most_a = working.at.i.abs().max(0.05);
    let around = working.bypass_a.iter().filter(|amps| **amps > 0.1 * most_a / asked.lengths.len().max(1) as f64).count();
    let groups = working.bypass_a.len();
    let local_maxima = solution.curve().local_maxima().len();
    let touched = touched_groups(asked);
    let lost = 100.0 - share;
    let head = format!("{} of the area shaded loses {} of the power", percent(area), percent(lost));
    if around > 0 {
        format!(
            "{head}: {around} of {groups} substrings {} bypassed, and the rest carries the full current.",
            if around == 1 { "is" } else { "are" }
        )
    } else if touched >= groups && lost > 2.0 * area {
        format!("{head}: every substring is shaded, so the darkest cells limit the current.")
    } else if local_maxima > 1 {
        format!("{head}: the shaded substrings give more at their reduced current than bypassed.")
    } else {
        format!("{head}: parallel cells share the loss, so it stays near the shaded area.")
    }
}

/// Groups with at least one cell in shade.
fn touched_groups(asked: &Asked) -> usize {
    asked
        .array
        .panels
        .iter()
        .map(|(panel, shares)| {
            let mut touched = vec![false; panel.layout.groups];
            for (place, share) in panel.layout.places.iter().zip(shares) {
                touched[place.group] |= *share < 0.95;
            }
            touched.into_iter().filter(|touched| *touched).count()
        })
        .sum()
}

fn hottest(asked: &Asked, solution: &Solution, working: &OperatingPoint) -> Option<String> {
    let (at_best, at_short) = (asked.array.hot_spot(working), asked.array.hot_spot(&solution.at_volts(0.0)));
    let worst = [at_best, at_short].into_iter().flatten().max_by(|a, b| a.excess_k.total_cmp(&b.excess_k))?;
    (worst.dissipated_w > 3.0).then(|| {
        let best = at_best
            .filter(|hot| hot.dissipated_w > 0.5)
            .map(|hot| format!("{} at the maximum power point and ", rough(hot.dissipated_w, "W")));
        format!(
            "One cell dissipates {}up to {} at short circuit, about {} above its neighbours: hot-spot risk, remove the shade.",
            best.unwrap_or_default(),
            rough(worst.dissipated_w, "W"),
            rough(worst.excess_k, "K")
        )
    })
}

fn loads(solution: &Solution) -> Vec<[String; 4]> {
    let curve = solution.curve();
    let rows = [
        ("global maximum (tracking)", Load::Global),
        ("local maximum (tracking)", Load::LocalTracking),
        ("12 V battery, PWM (13 V)", Load::FixedVoltage { v: 13.0 }),
        ("24 V battery, PWM (26 V)", Load::FixedVoltage { v: 26.0 }),
        ("open", Load::Open),
        ("short", Load::Short),
    ];
    rows.into_iter()
        .map(|(name, load)| {
            let at = load.on(curve);
            [
                name.to_owned(),
                rough(at.v, "V").to_string(),
                rough(at.i.max(0.0), "A").to_string(),
                rough((at.w()).max(0.0), "W").to_string(),
            ]
        })
        .collect()
}

fn compared(name: &'static str, shaded: &Solution, clear: &Solution, is_here: bool) -> (Compared, f64) {
    let (best_w, clear_w) = (shaded.curve().best().w(), clear.curve().best().w().max(1e-9));
    let above_w = Load::LocalTracking.on(shaded.curve()).w();
    let row = Compared {
        name,
        watts: rough(best_w, "W").to_string(),
        left: percent(best_w / clear_w * 100.0).to_string(),
        above: rough(above_w, "W").to_string(),
        bar: best_w / clear_w * 100.0,
        is_here,
    };
    (row, best_w)
}

/// The same panels and shade in every way of wiring; nothing for one panel.
fn ways(asked: &Asked) -> Result<Vec<(Compared, f64)>, Error> {
    let count = asked.array.panels.len();
    let offered = ArrayWiring::ALL.iter().filter(|way| count > 1 && (**way != ArrayWiring::StringsOfTwo || count > 2));
    offered
        .map(|way| {
            let lengths = asked.array.lengths(*way);
            let is_here = lengths == asked.lengths;
            Ok(compared(way.label(), &asked.array.in_strings(&lengths)?, &asked.array.unshaded(&lengths)?, is_here))
        })
        .collect()
}

fn wins(ways: &[(Compared, f64)]) -> String {
    let Some((best, best_w)) = ways.iter().max_by(|a, b| a.1.total_cmp(&b.1)) else { return String::new() };
    let next_w = ways.iter().map(|(_, watts)| *watts).filter(|watts| watts < best_w).fold(0.0, f64::max);
    if next_w == 0.0 || best_w / next_w < 1.005 {
        return "Under this shade series and parallel differ by less than 0.5 %.".to_owned();
    }
    format!(
        "Under this shade {} gives most, {} more than the next. One panel dark: parallel is better; one substring dark: series is better.",
        best.name,
        percent((best_w / next_w - 1.0) * 100.0)
    )
}

/// The first panel's label and shade in every construction: the same strip costs each another share.
fn constructions(asked: &Asked) -> Result<Vec<Compared>, Error> {
    let Some((first, shares)) = asked.array.panels.first() else { return Ok(Vec::new()) };
    Construction::ALL
        .iter()
        .map(|construction| {
            let panel = Panel::new(first.fit.clone(), *construction);
            let there = on_another_face(&first.layout, shares, &panel.layout);
            let solve = |shares: &[f64]| panel.lit(asked.array.poa_w_m2, asked.array.cell_c, shares).solve();
            Ok(compared(construction.label(), &solve(&there)?, &solve(&[])?, *construction == asked.construction).0)
        })
        .collect()
}
