//! The plan of a test: a question, its levels, and what follows from them, shown while it is filled in.

use crate::day::{Day, timestamp};
use crate::door::entering::read_line;
use crate::door::making::{as_baseline, needed_of, own_conditions, runs_of, sheet_of, window_of};
use crate::door::meters::{self, MeterChoice};
use crate::door::typed::{Notes, Pairs, value};
use crate::error::AppError;
use crate::figures::{self, for_field};
use crate::frame::Frame;
use crate::pages::plan::sheet::{SheetView, duration, sheet_view};
use crate::state::AppState;
use crate::views::shades::{Offered, offered};
use crate::words::DEFER;
use askama::Template;
use askama_web::WebTemplate;
use axum::Form;
use axum::extract::{Path, Query, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use flindo_core::panel::face::Mounting;
use flindo_core::predict::sheet::{Needed, RunSheet};
use flindo_core::record::bounds;
use flindo_core::record::condition::Factor;
use flindo_core::record::language::level::{degrees, unread, write_level};
use flindo_core::record::likely;
use flindo_core::record::meters::MeterUse;
use flindo_core::record::order::Order;
use flindo_core::record::plan::{self, Plan, PlanTyped};
use flindo_core::record::question::{CARDS, Card, Question};
use flindo_core::record::setup::{self, CellTemperatureSource, IrradianceSource, Load, Setup, SetupTyped};
use flindo_store::{NewReading, NewRun, Panel, Register, RigRow, TestDraft, new_uid, pieces};
use jiff::civil::DateTime;
use jiff::{Timestamp, ToSpan};

#[derive(Template, WebTemplate)]
#[template(path = "questions.html")]
pub struct Questions {
    frame: Frame,
    cards: &'static [Card],
    /// Handed on to the plan: "?rig=3".
    query: String,
}

#[derive(Template, WebTemplate)]
#[template(path = "plan_form.html")]
pub struct PlanPage {
    frame: Frame,
    card: &'static Card,
    panels: Vec<Panel>,
    rigs: Vec<RigRow>,
    /// Levels to choose from.
    choices: Vec<Offered>,
    meter_choices: Vec<MeterChoice>,
    needed: Option<String>,
    typed: Pairs,
    notes: Notes,
    sheet: Option<SheetView>,
    defer: &'static str,
}

impl PlanPage {
    fn value(&self, name: &str) -> &str {
        value(&self.typed, name)
    }

    fn is(&self, name: &str, choice: &str) -> bool {
        self.value(name) == choice
    }

    fn is_id(&self, name: &str, id: &i64) -> bool {
        self.value(name) == id.to_string()
    }

    fn is_chosen(&self, choice: &str) -> bool {
        self.typed.iter().any(|(name, value)| name == "chosen" && value == choice)
    }

    fn reads(&self) -> String {
        let sets: Vec<String> = self
            .card
            .reads
            .iter()
            .map(|set| set.iter().map(|quantity| quantity.label()).collect::<Vec<_>>().join(" and "))
            .collect();
        sets.join(", or ")
    }

    fn has_meters(&self) -> bool {
        self.meter_choices.iter().any(|one| !one.chosen.is_empty())
    }

    /// How levels are said so that they can be drawn and predicted.
    fn hint(&self) -> &'static str {
        match self.card.factor {
            Factor::Shade => {
                "Levels like these are drawn and predicted: bottom row of cells; left column; 2 cells; band 10 %; leaves 30 %; \
                 shadow of a pole; with \u{201c}20 % through\u{201d} where light comes through."
            }
            Factor::Wiring => {
                "Levels like these are predicted: series; parallel; first alone; both together; or by tags, as in S-1 + S-2."
            }
            Factor::Panel
            | Factor::Rig
            | Factor::Covers
            | Factor::Tilt
            | Factor::Azimuth
            | Factor::Face
            | Factor::Temperature
            | Factor::Sky
            | Factor::Load
            | Factor::MeasuredAt
            | Factor::Step
            | Factor::Day => "",
        }
    }

    /// The tilt is the baseline itself.
    fn varies_tilt(&self) -> bool {
        self.card.factor == Factor::Tilt
    }

    fn orders(&self) -> &'static [Order] {
        Order::ALL
    }

    fn loads(&self) -> &'static [Load] {
        Load::ALL
    }

    fn mountings(&self) -> &'static [Mounting] {
        Mounting::ALL
    }

    fn suns(&self) -> &'static [IrradianceSource] {
        IrradianceSource::ALL
    }

    fn cell_temperatures(&self) -> &'static [CellTemperatureSource] {
        CellTemperatureSource::ALL
    }
}

pub async fn questions(frame: Frame, Query(query): Query<Pairs>) -> Questions {
    let handed: Vec<String> = ["rig", "panel"]
        .into_iter()
        .filter_map(|name| value(&query, name).parse::<i64>().ok().map(|id| format!("{name}={id}")))
        .collect();
    let query = if handed.is_empty() { String::new() } else { format!("?{}", handed.join("&")) };
    Questions { frame, cards: &CARDS, query }
}

/// What is taken where nothing was typed yet: the last set-up, the next good hours, what is usual for the question.
async fn first_typed(state: &AppState, frame: &Frame, question: Question, query: &Pairs) -> Result<Pairs, AppError> {
    let newest = state.store.newest_test().await?;
    let used = newest.as_ref().map(|test| test.meters.clone()).unwrap_or_default();
    let mut setup = newest.map(|test| test.setup).unwrap_or_default();
    let card = question.card();
    if card.factor == Factor::Tilt {
        setup.tilt_deg = degrees(card.baseline).unwrap_or(setup.tilt_deg);
    }
    let panels = state.store.panels().await?;
    let rigs = state.store.rigs().await?;
    let rig = rigs.iter().find(|rig| value(query, "rig") == rig.id.to_string());
    let of_rig = rig.and_then(|rig| pieces(&rig.draft.wiring, &panels).ok()?.first()?.first().map(|panel| panel.id));
    let panel = value(query, "panel").parse().ok().or(of_rig).or(panels.first().map(|panel| panel.id));
    let start = next_start(frame, &setup, Timestamp::now());
    let mut typed: Pairs = vec![
        ("panel_id".to_owned(), panel.map(|id| id.to_string()).unwrap_or_default()),
        ("rig_id".to_owned(), value(query, "rig").to_owned()),
        ("baseline".to_owned(), card.baseline.to_owned()),
        ("levels".to_owned(), card.levels.to_owned()),
        ("order".to_owned(), card.order.name().to_owned()),
        ("start".to_owned(), for_field(start, &frame.time_zone)),
    ];
    // "Same test": what another one asked, on other panels.
    if let Ok(like) = value(query, "like").parse()
        && let Ok(test) = state.store.test(like).await
    {
        setup = test.setup;
        if let Some(plan) = &test.plan {
            let set = |typed: &mut Pairs, name: &str, text: String| typed.push((name.to_owned(), text));
            typed.retain(|(name, _)| !["baseline", "levels", "order"].contains(&name.as_str()));
            set(&mut typed, "baseline", plan.level_name(0));
            let levels: Vec<String> = plan.levels.iter().map(|level| write_level(card.factor, level)).collect();
            set(&mut typed, "levels", levels.join("; "));
            set(&mut typed, "order", plan.order.name().to_owned());
        }
    }
    let setup_typed = SetupTyped::of(&setup);
    typed.extend(
        SetupTyped::FIELDS.iter().map(|field| ((*field).to_owned(), setup_typed.get(field).unwrap_or_default().to_owned())),
    );
    // The meters of the last test are likely those of the next, where no rig says which.
    if rig.is_none() {
        let gear = state.store.gear().await?;
        let kept = meters::choices(&Vec::new(), &used, &gear, false);
        typed.extend(kept.into_iter().filter(|one| !one.chosen.is_empty()).map(|one| (one.field.to_owned(), one.chosen)));
    }
    // A predicting page brings its own conditions along.
    for (name, text) in query {
        if PREDICTED.contains(&name.as_str()) {
            typed.retain(|(known, _)| known != name);
            typed.push((name.clone(), text.clone()));
        }
    }
    Ok(typed)
}

/// Fields that a predicting page hands to the plan.
const PREDICTED: [&str; 8] = ["baseline", "levels", "order", "shade", "mounting", "tilt_deg", "azimuth_deg", "calculation"];

/// Now, where now is good; else when the good hours next begin; else now.
fn next_start(frame: &Frame, setup: &Setup, now: Timestamp) -> Timestamp {
    let Some(site) = frame.place.as_ref().map(|place| place.draft.site()) else { return now };
    for ahead in 0..3 {
        let date = now.to_zoned_datetime(frame.time_zone.clone()).date();
        let Ok(date) = date.checked_add(ahead.days()) else { continue };
        let window = window_of(&Day::at(date, &frame.time_zone), &site, setup);
        if let Some(good) = window.filter(|good| now.as_second() as f64 <= good.to_s - 1800.0) {
            return if now.as_second() as f64 >= good.from_s { now } else { timestamp(good.from_s) };
        }
    }
    now
}

fn typed_as<T>(pairs: &Pairs, mut set: impl FnMut(&str, &str) -> T) {
    for (name, text) in pairs {
        set(name, text);
    }
}

/// Everything that a plan is made of.
pub struct Made {
    pub plan: Plan,
    pub setup: Setup,
    pub sheet: RunSheet,
    pub meters: Vec<MeterUse>,
    /// What the difference that is to be shown asks for, in words.
    pub needed: Option<String>,
}

/// The difference that is to be shown, percent.
fn to_show(pairs: &Pairs, notes: &mut Notes) -> Option<f64> {
    let typed = value(pairs, "to_show_percent").trim();
    if typed.is_empty() {
        return None;
    }
    let percent: Option<f64> = typed.replace(',', ".").parse().ok().filter(|percent| (0.01..=100.0).contains(percent));
    if percent.is_none() {
        notes.add("to_show_percent", "refused", format!("\u{201c}{typed}\u{201d} is no difference: write 0.01 to 100 %."));
    }
    percent
}

fn needed_words(percent: f64, needed: Option<Needed>) -> String {
    let Some(needed) = needed else {
        return format!("No number of runs shows {}: the set-up and the meters scatter by more.", figures::percent(percent));
    };
    let repeats = if needed.times == 1 { "1 repeat".to_owned() } else { format!("{} repeats", needed.times) };
    let readings = match needed.readings_per_run {
        1 => "one reading a run".to_owned(),
        more => format!("{more} readings a run"),
    };
    let shows = figures::percent(needed.smallest_percent);
    format!("To show {}: {repeats}, {readings} ({shows}, {}).", figures::percent(percent), duration(needed.takes_s))
}

/// Reads the form; what is wrong stands in the notes.
fn make(question: Question, pairs: &Pairs, register: &Register, frame: &Frame, notes: &mut Notes) -> Option<Made> {
    let panel = register.panels.iter().find(|panel| value(pairs, "panel_id") == panel.id.to_string());
    let rig = register.rigs.iter().find(|rig| value(pairs, "rig_id") == rig.id.to_string());
    let mut setup_typed = SetupTyped::default();
    typed_as(pairs, |name, text| setup_typed.set(name, text));
    let mut plan_typed = PlanTyped::default();
    typed_as(pairs, |name, text| plan_typed.set(name, text));
    // Levels that were chosen from the lists come after those that were typed.
    let chosen = pairs.iter().filter(|(name, text)| name == "chosen" && !text.trim().is_empty()).map(|(_, text)| text.as_str());
    for text in chosen {
        if !plan_typed.levels.trim().is_empty() {
            plan_typed.levels.push_str("; ");
        }
        plan_typed.levels.push_str(text);
    }
    let Some(panel) = panel else {
        notes.add("panel_id", "refused", "Choose the panel to be tested.".to_owned());
        return None;
    };
    let mut setup = match setup::check(&setup_typed) {
        Ok(setup) => setup,
        Err(wrong) => {
            wrong.into_iter().for_each(|note| notes.add(note.field, "refused", note.text));
            return None;
        }
    };
    let names = register.names();
    own_conditions(&mut plan_typed, question, &setup, panel, rig);
    let of_rig = rig.map(|rig| meters::of_rig(rig, &register.gear)).unwrap_or_default();
    // What is left open in the form is as the rig has it.
    let said: Pairs = pairs.iter().filter(|(name, text)| !name.starts_with("meter_") || !text.is_empty()).cloned().collect();
    let meters = match meters::of_form(&said, of_rig, &register.gear) {
        Ok(meters) => meters,
        Err(wrong) => {
            wrong.into_iter().for_each(|note| notes.add(note.field, "refused", note.text));
            return None;
        }
    };
    setup.instruments = meters::instruments(&meters, &register.gear, setup.instruments);
    let plan = match plan::check(&plan_typed, setup.load, &names) {
        Ok(plan) => plan,
        Err(wrong) => {
            wrong.into_iter().for_each(|note| notes.add(note.field, "refused", note.text));
            return None;
        }
    };
    for changes in plan.levels.iter().chain([&plan.baseline]) {
        let words = changes.iter().flat_map(|(factor, one)| unread(*factor, one, &names));
        for word in words {
            let told =
                format!("\u{201c}{word}\u{201d} says nothing here and was left aside; the rest of its level was understood.");
            notes.add("levels", "told", told);
        }
    }
    as_baseline(&mut setup, &plan);
    let start = value(pairs, "start").trim();
    let parsed: Result<DateTime, _> = start.parse();
    let Ok(start) = parsed.and_then(|local| frame.time_zone.to_timestamp(local)) else {
        notes.add("start", "refused", format!("\"{start}\" is not a date and time."));
        return None;
    };
    if let Err(refused) = bounds::check_time("start", start.as_second()) {
        notes.add("start", "refused", refused.sentence);
        return None;
    }
    let site = frame.place.as_ref().map(|place| place.draft.site());
    // Without levels there is no difference to show.
    let to_show = to_show(pairs, notes).filter(|_| !plan.levels.is_empty());
    let needed = to_show.map(|percent| needed_of(&plan, percent, &setup, start, site.as_ref(), &frame.time_zone)).transpose();
    match needed.and_then(|needed| Ok((needed, sheet_of(&plan, &setup, start, site.as_ref(), &frame.time_zone)?))) {
        Ok((needed, sheet)) => {
            let needed = needed.zip(to_show).map(|(needed, percent)| needed_words(percent, needed));
            Some(Made { plan, setup, sheet, meters, needed })
        }
        Err(error) => {
            notes.add("start", "refused", format!("{error}."));
            None
        }
    }
}

pub async fn page(
    State(state): State<AppState>,
    frame: Frame,
    Path(name): Path<String>,
    Query(query): Query<Pairs>,
) -> Result<PlanPage, AppError> {
    let question = Question::from_name(&name).ok_or(AppError::NoSuchPage)?;
    let is_filled = query.iter().any(|(name, _)| name == "levels") && query.iter().any(|(name, _)| name == "start");
    let typed = if is_filled {
        query
    } else {
        as_choices(first_typed(&state, &frame, question, &query).await?, question, &state).await?
    };
    let (page, _) = view(&state, frame, question, typed).await?;
    Ok(page)
}

/// Levels that are among the choices are chosen there, and the others stay as text.
async fn as_choices(mut typed: Pairs, question: Question, state: &AppState) -> Result<Pairs, AppError> {
    let choices = likely::levels(question.card().factor, &state.store.register().await?.names());
    let mut others = Vec::new();
    let mut chosen = Vec::new();
    for level in value(&typed, "levels").split(';').map(str::trim).filter(|level| !level.is_empty()) {
        match choices.iter().find(|choice| choice.eq_ignore_ascii_case(level.trim_end_matches('\u{b0}'))) {
            Some(choice) => chosen.push(("chosen".to_owned(), choice.clone())),
            None => others.push(level.to_owned()),
        }
    }
    typed.retain(|(name, _)| name != "levels");
    typed.push(("levels".to_owned(), others.join("; ")));
    typed.extend(chosen);
    Ok(typed)
}

async fn view(state: &AppState, frame: Frame, question: Question, typed: Pairs) -> Result<(PlanPage, Option<Made>), AppError> {
    let register = state.store.register().await?;
    let mut notes = Notes::default();
    let made = make(question, &typed, &register, &frame, &mut notes);
    let needed = made.as_ref().and_then(|made| made.needed.clone());
    let sheet = made.as_ref().map(|made| sheet_view(&made.plan, &made.setup, &made.sheet, &frame.time_zone));
    let factor = question.card().factor;
    let panel = value(&typed, "panel_id").parse().ok().and_then(|id| register.panel(id));
    let choices = offered(likely::levels(factor, &register.names()), panel.filter(|_| factor == Factor::Shade));
    let meter_choices = meters::choices(&typed, &[], &register.gear, !value(&typed, "rig_id").is_empty());
    let (panels, rigs) = (register.panels.clone(), register.rigs.clone());
    Ok((
        PlanPage {
            frame,
            card: question.card(),
            panels,
            rigs,
            choices,
            meter_choices,
            needed,
            typed,
            notes,
            sheet,
            defer: DEFER,
        },
        made,
    ))
}

pub async fn add(
    State(state): State<AppState>,
    frame: Frame,
    Path(name): Path<String>,
    Form(typed): Form<Pairs>,
) -> Result<Response, AppError> {
    let question = Question::from_name(&name).ok_or(AppError::NoSuchPage)?;
    let place_id = frame.place.as_ref().map(|place| place.id);
    let (page, made) = view(&state, frame, question, typed).await?;
    let panel_id = value(&page.typed, "panel_id").parse().ok();
    let lines: Vec<String> =
        value(&page.typed, "taken_lines").lines().map(str::trim).filter(|line| !line.is_empty()).map(str::to_owned).collect();
    let mut page = page;
    let readings = made.as_ref().map(|made| readings_of(&lines, made, &page.frame)).transpose();
    if let Err(sentence) = &readings {
        page.notes.add("taken_lines", "refused", sentence.clone());
    }
    let (Some(made), Some(panel_id), Ok(Some(readings)), false) = (made, panel_id, readings, page.notes.has("refused")) else {
        return Ok((StatusCode::UNPROCESSABLE_ENTITY, page).into_response());
    };
    let rig_id = value(&page.typed, "rig_id").parse().ok();
    let mut plan = made.plan;
    let now = Timestamp::now();
    let mut runs = runs_of(&made.sheet);
    if !readings.is_empty() && readings.len() < runs.len() {
        // One reading a level, and no run is left to go.
        (plan.order, plan.times) = (Order::Repeats, 1);
        runs = (0..readings.len())
            .map(|level| NewRun { place: level as i64 + 1, level, rig: 0, is_added: false, planned_utc: None, state: None })
            .collect();
    }
    let meters = made.meters;
    let draft = TestDraft { question, rig_id, plan: Some(plan), meters, ..TestDraft::of_rating(panel_id, place_id, made.setup) };
    let id = state.store.add_planned_test(&draft, &runs, now).await?;
    if let Ok(calculation) = value(&page.typed, "calculation").parse() {
        state.store.link_calculation(calculation, id).await?;
    }
    if !readings.is_empty() {
        let runs = state.store.runs(id).await?;
        for (run, mut reading) in runs.iter().zip(readings) {
            reading.run_id = Some(run.id);
            state.store.accept(id, &reading, now).await?;
        }
        return Ok(Redirect::to(&format!("/tests/{id}/result")).into_response());
    }
    Ok(Redirect::to(&format!("/tests/{id}/sheet")).into_response())
}

/// Readings that were taken already, one line a level (the baseline first) or one a run of the sheet; a level's name before a colon is for
/// the eye. Times without a day are of the day the test starts on.
fn readings_of(lines: &[String], made: &Made, frame: &Frame) -> Result<Vec<NewReading>, String> {
    let (levels, runs) = (made.plan.levels.len() + 1, made.sheet.runs.len());
    if lines.is_empty() {
        return Ok(Vec::new());
    }
    if lines.len() != levels && lines.len() != runs {
        return Err(format!(
            "{} lines: write one for each of the {levels} levels, the baseline first, or one for each of the {runs} runs.",
            lines.len()
        ));
    }
    let now = Timestamp::now();
    let start = made.sheet.runs.first().map_or(now, |run| timestamp(run.start_s)).min(now);
    let read = |line: &String| {
        // A clock time has a colon too, and comes after the figures.
        let figures = match line.split_once(':') {
            Some((name, figures)) if !name.contains('@') => figures.trim(),
            _ => line,
        };
        let pairs = vec![("uid".to_owned(), new_uid()), ("typed".to_owned(), figures.to_owned())];
        read_line(&made.setup, &pairs, start, &frame.time_zone).map_err(|error| format!("\u{201c}{line}\u{201d}: {error}"))
    };
    lines.iter().map(read).collect()
}
