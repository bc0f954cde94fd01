//! Readings that were judged on a page, kept as a test: a level for each line, and the line as the reading of its run.

use crate::door::entering::read_line;
use crate::door::making::{runs_of, sheet_of};
use crate::door::typed::{Pairs, value};
use crate::error::AppError;
use crate::heavy;
use crate::state::AppState;
use axum::Form;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use flindo_core::decimal::Decimal;
use flindo_core::gear::Gear;
use flindo_core::record::names::{Names, check_tag};
use flindo_core::record::plan::{self, Plan, PlanTyped};
use flindo_core::record::question::Question;
use flindo_core::record::setup::{Load, Setup};
use flindo_store::{Panel, PanelDraft, TestDraft, new_uid, pieces};
use jiff::Timestamp;
use jiff::tz::TimeZone;

/// A unit as one line: its tag, what the meters showed, and its price.
pub struct UnitLine<'a> {
    pub tag: String,
    pub typed: &'a str,
    pub price: Option<f64>,
}

/// "B-1: Voc 35.3 Isc 7.45 27.6 V 6.85 A 45 C 850 W/m2, price 30". Without a tag it is counted.
pub fn unit_line(nth: usize, line: &str) -> UnitLine<'_> {
    let (tag, rest) =
        line.split_once(':').map_or((format!("unit {}", nth + 1), line), |(tag, rest)| (tag.trim().to_owned(), rest));
    // ASCII alone: a letter that changes its length in lower case would move the place.
    let (typed, price) = match rest.to_ascii_lowercase().find("price") {
        Some(place) => (
            rest[..place].trim_end_matches([',', ' ']),
            Decimal::parse(rest[place + "price".len()..].trim()).ok().map(Decimal::value),
        ),
        None => (rest, None),
    };
    UnitLine { tag, typed: typed.trim(), price }
}

/// What is kept: the first of the levels is the baseline.
struct Kept {
    question: Question,
    panel_id: i64,
    rig_id: Option<i64>,
    setup: Setup,
    levels: Vec<String>,
    lines: Vec<String>,
}

/// The plan of what is kept, over the tags and names of a bench.
fn plan_of(kept: &Kept, names: &Names) -> Result<Plan, AppError> {
    let (baseline, levels) = kept.levels.split_first().map_or((String::new(), &[][..]), |(first, rest)| (first.clone(), rest));
    let typed = PlanTyped {
        question: kept.question.name().to_owned(),
        baseline,
        levels: levels.join("; "),
        order: "repeats".to_owned(),
        times: "1".to_owned(),
        settle_s: "0".to_owned(),
        ..PlanTyped::default()
    };
    plan::check(&typed, kept.setup.load, names).map_err(|notes| {
        let told: Vec<String> = notes.into_iter().map(|note| note.text).collect();
        AppError::input("lines", &typed.levels, told.join(" "))
    })
}

/// Makes the test and its readings; answers with its result.
async fn keep(state: &AppState, kept: Kept) -> Result<Response, AppError> {
    let register = state.store.register().await?;
    let now = Timestamp::now();
    let plan = plan_of(&kept, &register.names())?;
    let sheet = sheet_of(&plan, &kept.setup, now, None, &TimeZone::UTC)
        .map_err(|error| AppError::input("lines", &kept.levels.join("; "), format!("{error}.")))?;
    // Every line is read before anything is written.
    let readings = kept
        .lines
        .iter()
        .map(|line| {
            let pairs = vec![("uid".to_owned(), new_uid()), ("typed".to_owned(), line.clone())];
            read_line(&kept.setup, &pairs, now, &TimeZone::UTC)
        })
        .collect::<Result<Vec<_>, _>>()?;
    let draft = TestDraft {
        question: kept.question,
        rig_id: kept.rig_id,
        plan: Some(plan),
        ..TestDraft::of_rating(kept.panel_id, register.place_id, kept.setup)
    };
    let id = state.store.add_planned_test(&draft, &runs_of(&sheet), now).await?;
    let runs = state.store.runs(id).await?;
    for (level, mut reading) in readings.into_iter().enumerate() {
        reading.run_id = runs.iter().find(|run| run.level == level).map(|run| run.id);
        state.store.accept(id, &reading, now).await?;
    }
    Ok(Redirect::to(&format!("/tests/{id}/result")).into_response())
}

fn chosen<'a>(panels: &'a [Panel], typed: &Pairs, field: &str) -> Result<&'a Panel, AppError> {
    panels
        .iter()
        .find(|panel| value(typed, field) == panel.id.to_string())
        .or(panels.first())
        .ok_or_else(|| AppError::input(field, value(typed, field), "There is no panel on the bench. Enter its label first."))
}

/// The units of the used-panel page: those that the bench does not know become pieces of the chosen kind.
pub async fn used(State(state): State<AppState>, Form(typed): Form<Pairs>) -> Result<Response, AppError> {
    let register = state.store.register().await?;
    let (panels, mut names) = (&register.panels, register.names());
    let kind_id = chosen(panels, &typed, "panel")?.draft.kind_id;
    let lines = value(&typed, "lines").lines().filter(|line| !line.trim().is_empty());
    let units: Vec<UnitLine<'_>> = lines.enumerate().map(|(nth, line)| unit_line(nth, line)).collect();
    if units.is_empty() {
        return Err(AppError::input("lines", "", "There is no line to keep. Type one for each unit."));
    }
    // What cannot be read is told before a piece is made of it.
    for unit in &units {
        check_tag(&unit.tag).map_err(|sentence| AppError::input("lines", &unit.tag, sentence))?;
        flindo_core::measure::entry::understand(unit.typed, &Setup::default().meaning())
            .map_err(|error| AppError::input("lines", unit.typed, format!("{}: {error}.", unit.tag)))?;
    }
    let known = |tag: &str| panels.iter().any(|panel| panel.tag().eq_ignore_ascii_case(tag));
    let drafts: Vec<PanelDraft> = units
        .iter()
        .filter(|unit| !known(&unit.tag))
        .map(|unit| PanelDraft {
            tag: unit.tag.clone(),
            kind_id,
            is_used: true,
            age_years: None,
            price: unit.price,
            notes: String::new(),
            provenance: String::new(),
            wear: Vec::new(),
        })
        .collect();
    let mut kept = Kept {
        question: Question::UsedPanel,
        panel_id: 0,
        rig_id: None,
        setup: Setup::default(),
        levels: units.iter().map(|unit| unit.tag.clone()).collect(),
        lines: units.iter().map(|unit| unit.typed.to_owned()).collect(),
    };
    // No piece is made for a plan that would be refused.
    names.panels.extend(drafts.iter().map(|draft| (new_uid(), draft.tag.clone())));
    plan_of(&kept, &names)?;
    state.store.add_panels(&drafts).await?;
    let panels = state.store.panels().await?;
    let first = panels.iter().find(|panel| panel.tag().eq_ignore_ascii_case(&units[0].tag)).map(|panel| panel.id);
    kept.panel_id = first.ok_or(AppError::NoSuchPage)?;
    keep(&state, kept).await
}

/// What was read on both sides of a controller.
pub async fn controller(State(state): State<AppState>, Form(typed): Form<Pairs>) -> Result<Response, AppError> {
    let register = state.store.register().await?;
    let controller = register
        .gear
        .iter()
        .find(|row| matches!(row.gear, Gear::Controller(_)) && value(&typed, "controller") == row.id.to_string())
        .ok_or_else(|| AppError::input("controller", value(&typed, "controller"), "Choose the controller that was read."))?;
    let Gear::Controller(sheet) = &controller.gear else { return Err(AppError::NoSuchPage) };
    let side = |field: &str| value(&typed, field).trim().to_owned();
    let read = ["in_v", "in_a", "out_v", "out_a"].map(side);
    if let Some(place) = read.iter().position(String::is_empty) {
        let field = ["in_v", "in_a", "out_v", "out_a"][place];
        return Err(AppError::input(field, "", "Volts and amps of both sides are wanted: they are read at once."));
    }
    let wired = pieces(value(&typed, "wiring"), &register.panels)
        .map_err(|error| AppError::input("wiring", value(&typed, "wiring"), error.to_string()))?;
    let panel_id = wired
        .first()
        .and_then(|string| string.first())
        .map(|panel| panel.id)
        .ok_or_else(|| AppError::input("wiring", value(&typed, "wiring"), "Name the panels it was read with."))?;
    let [in_v, in_a, out_v, out_a] = read;
    let kept = Kept {
        question: Question::WhichController,
        panel_id,
        rig_id: None,
        setup: Setup { load: Load::of(sheet), ..Setup::default() },
        levels: vec![controller.draft.name.clone()],
        lines: vec![format!("{in_v} V {in_a} A out {out_v} V {out_a} A")],
    };
    keep(&state, kept).await
}

/// The amps of each string beside those of all together; or the watts while one string after the other was cleared.
pub async fn strings(State(state): State<AppState>, Form(typed): Form<Pairs>) -> Result<Response, AppError> {
    let panels = state.store.panels().await?;
    let panel_id = chosen(&panels, &typed, "panel")?.id;
    let kept = |levels: Vec<String>, lines: Vec<String>| Kept {
        question: Question::WhichStrings,
        panel_id,
        rig_id: None,
        setup: Setup::default(),
        levels,
        lines,
    };
    let cleared: Vec<&str> = value(&typed, "cleared").lines().map(str::trim).filter(|line| !line.is_empty()).collect();
    if !cleared.is_empty() {
        let parts = cleared.iter().map(|line| {
            let (name, figures) = line.split_once(':').ok_or_else(|| {
                AppError::input(
                    "cleared",
                    line,
                    "Write what is clear, a colon, and the reading: \u{201c}string 1: 410 W\u{201d}.",
                )
            })?;
            Ok((name.trim().to_owned(), figures.trim().to_owned()))
        });
        let (levels, lines) = parts.collect::<Result<Vec<_>, AppError>>()?.into_iter().unzip();
        return keep(&state, kept(levels, lines)).await;
    }
    let amps: Vec<&str> = value(&typed, "amps").split_whitespace().collect();
    let combined = value(&typed, "combined").trim();
    if amps.is_empty() || combined.is_empty() {
        let field = if amps.is_empty() { "amps" } else { "combined" };
        return Err(AppError::input(
            field,
            value(&typed, field),
            "The current of each string and the combined current are wanted.",
        ));
    }
    let string = |(nth, _): (usize, &&str)| format!("string {} alone", nth + 1);
    let levels = std::iter::once("all together".to_owned()).chain(amps.iter().enumerate().map(string)).collect();
    let lines = std::iter::once(&combined).chain(&amps).map(|amps| format!("{amps} A")).collect();
    keep(&state, kept(levels, lines)).await
}

/// Unlike panels: what each gave alone, and what all gave together.
pub async fn unlike(State(state): State<AppState>, Form(typed): Form<Pairs>) -> Result<Response, AppError> {
    let panels = state.store.panels().await?;
    let (set, measured) = (value(&typed, "set").trim().to_owned(), value(&typed, "measured").trim().to_owned());
    let (panel_id, runs) = {
        let (set, measured) = (set.clone(), measured.clone());
        heavy::run(move |_| crate::pages::plan::unlike::to_keep(&set, &measured, &panels)).await?
    }
    .map_err(|sentence| AppError::input("set", &format!("{set}; {measured}"), sentence))?;
    let (levels, lines) = runs.into_iter().unzip();
    let question = Question::UnlikeTogether;
    keep(&state, Kept { question, panel_id, rig_id: None, setup: Setup::default(), levels, lines }).await
}
