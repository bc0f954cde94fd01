//! Set-ups of predicting pages: kept by name, made into a test under the same conditions, and shown beside what those tests measured.

use crate::door::typed::{Pairs, value};
use crate::error::AppError;
use crate::figures::day;
use crate::pages::plan::array_form::PAINT;
use crate::state::AppState;
use crate::words::review::answer;
use axum::Form;
use axum::extract::{Query, State};
use axum::response::Redirect;
use flindo_core::decimal::Decimal;
use flindo_core::gear::Gear;
use flindo_core::panel::shade::Pattern;
use flindo_core::panel::shade_text::{ShadeDescription, Size};
use flindo_core::record::question::Question;
use flindo_core::rig::{RigLoad, wiring};
use flindo_store::{Calculation, Register, RigDraft, pieces};
use jiff::Timestamp;
use jiff::tz::TimeZone;

/// Fields that are of the keeping, not of the set-up.
const OWN_FIELDS: [&str; 1] = ["kept_as"];

/// The pages that have set-ups.
const PAGES: [&str; 7] = ["/shade", "/shadow", "/ways", "/unlike", "/controllers", "/strings", "/tilt"];

const LONGEST_NAME: usize = 80;

/// A set-up that was kept, with what its tests measured.
pub struct KeptLine {
    pub name: String,
    pub link: String,
    /// (test, word and figure)
    pub tests: Vec<(i64, String)>,
}

/// The set-ups of a page, the newest first.
pub async fn kept(state: &AppState, page: &str) -> Result<Vec<KeptLine>, AppError> {
    let calculations = state.store.calculations(Some(page)).await?;
    if calculations.iter().all(|one| one.tests.is_empty()) {
        return Ok(calculations
            .into_iter()
            .map(|one| KeptLine { link: one.link(), name: one.name, tests: Vec::new() })
            .collect());
    }
    let all = state.all_digests().await?;
    let line = |one: Calculation| {
        let tests = one.tests.iter().filter_map(|id| {
            let digest = all.digests.iter().find(|digest| digest.test.id == *id)?;
            let found = answer(&digest.summary);
            Some((*id, format!("{} {}", found.word, found.figure)))
        });
        KeptLine { tests: tests.collect(), link: one.link(), name: one.name }
    };
    Ok(calculations.into_iter().map(line).collect())
}

/// Keeps the set-up of a page, and with `do=test` plans a test of it.
pub async fn add(
    State(state): State<AppState>,
    Query(query): Query<Pairs>,
    Form(typed): Form<Pairs>,
) -> Result<Redirect, AppError> {
    let page = PAGES.into_iter().find(|page| *page == value(&query, "page")).ok_or(AppError::NoSuchPage)?;
    let fields: Pairs =
        typed.iter().filter(|(name, text)| !OWN_FIELDS.contains(&name.as_str()) && !text.is_empty()).cloned().collect();
    let encoded = form_urlencoded::Serializer::new(String::new()).extend_pairs(&fields).finish();
    let now = Timestamp::now();
    let is_test = value(&query, "do") == "test";
    let register = state.store.register().await?;
    // What no test can be made of is refused before anything is kept.
    let planned = if is_test { Some(planned(page, &fields, &register)?) } else { None };
    let named = value(&typed, "kept_as").trim();
    let name = if named.is_empty() { format!("Set-up of {}", day(now, &TimeZone::UTC)) } else { named.to_owned() };
    let name: String = name.chars().take(LONGEST_NAME).collect();
    let id = state.store.keep_calculation(page, &name, &encoded, now).await?;
    let Some(planned) = planned else { return Ok(Redirect::to(&format!("{page}?{encoded}#kept"))) };
    let mut plan: Pairs = planned.fields;
    plan.push(("calculation".to_owned(), id.to_string()));
    match hangs(&state, &register, &planned.wiring).await? {
        Hangs::Panel(id) => plan.push(("panel".to_owned(), id.to_string())),
        Hangs::Rig(id) => plan.push(("rig".to_owned(), id.to_string())),
        Hangs::Nothing => {}
    }
    let query = form_urlencoded::Serializer::new(String::new()).extend_pairs(&plan).finish();
    Ok(Redirect::to(&format!("/plan/{}?{query}", planned.question.name())))
}

/// What a test of a set-up is planned with.
struct Planned {
    question: Question,
    /// As in a rig; empty: not said.
    wiring: String,
    /// Fields of the plan's form.
    fields: Pairs,
}

/// The panels of a test.
enum Hangs {
    Panel(i64),
    Rig(i64),
    Nothing,
}

/// The panel, or the rig of this wiring; a rig that is not there is made, ending in a load tester.
async fn hangs(state: &AppState, register: &Register, line: &str) -> Result<Hangs, AppError> {
    if line.trim().is_empty() {
        return Ok(Hangs::Nothing);
    }
    let strings = pieces(line, &register.panels).map_err(|sentence| AppError::input("wiring", line, sentence))?;
    if let [only] = &strings.iter().flatten().collect::<Vec<_>>()[..] {
        return Ok(Hangs::Panel(only.id));
    }
    let tags = |strings: &[Vec<&flindo_store::Panel>]| {
        let string = |string: &Vec<&flindo_store::Panel>| string.iter().map(|panel| panel.tag()).collect::<Vec<_>>().join(" + ");
        strings.iter().map(string).collect::<Vec<_>>().join(" | ")
    };
    let own = tags(&strings);
    let same = |of: &str| pieces(of, &register.panels).is_ok_and(|strings| tags(&strings) == own);
    if let Some(rig) = register.rigs.iter().find(|rig| same(&rig.draft.wiring)) {
        return Ok(Hangs::Rig(rig.id));
    }
    let draft = RigDraft { name: format!("Array {own}"), wiring: own, ends_in: Some(RigLoad::LoadTester), ..RigDraft::default() };
    Ok(Hangs::Rig(state.store.add_rig(&draft).await?))
}

fn planned(page: &str, typed: &Pairs, register: &Register) -> Result<Planned, AppError> {
    let field = |name: &str, text: String| (name.to_owned(), text);
    let first_tag = || register.panels.first().map(|panel| panel.tag().to_owned()).unwrap_or_default();
    let line = match value(typed, "wiring").trim() {
        "" => first_tag(),
        line => line.to_owned(),
    };
    let count = wiring::parse(&line).map_or(1, |strings| strings.iter().map(Vec::len).sum::<usize>());
    let mounting = || match value(typed, "mounting") {
        "" => Vec::new(),
        text => vec![field("mounting", text.to_owned())],
    };
    Ok(match page {
        "/shade" => {
            let on = if value(typed, "every") == "yes" { "on each" } else { "on panel 1" };
            let shade = shade_words(typed, if count > 1 { on } else { "" })?;
            let mut fields = vec![field("baseline", "none".to_owned()), field("levels", shade)];
            fields.extend(mounting());
            Planned { question: Question::ShadeCost, wiring: line, fields }
        }
        "/ways" => {
            let shade = shade_words(typed, "on panel 1")?;
            let mut fields =
                vec![field("baseline", "series".to_owned()), field("levels", "parallel".to_owned()), field("shade", shade)];
            fields.extend(mounting());
            Planned { question: Question::SeriesOrParallel, wiring: line, fields }
        }
        "/shadow" => {
            let wirings = if count > 1 { ("wiring = series", "wiring = parallel") } else { ("", "") };
            let fields = vec![field("baseline", wirings.0.to_owned()), field("levels", wirings.1.to_owned())];
            Planned { question: Question::HowMuchInADay, wiring: line, fields }
        }
        "/unlike" => {
            let set = value(typed, "set");
            let tags: Vec<&str> = set.split([';', '\n']).filter_map(|part| part.split_whitespace().next()).collect();
            let is_known = |tag: &&str| register.panels.iter().any(|panel| panel.tag().eq_ignore_ascii_case(tag));
            if tags.len() < 2 || !tags.iter().all(is_known) {
                return Err(AppError::input("set", set, "A test needs two panels or more, each by its tag."));
            }
            let alone = |tag: &&str| format!("{tag} alone");
            let mut levels: Vec<String> = tags[1..].iter().map(alone).collect();
            levels.push("both together".to_owned());
            let fields = vec![field("baseline", alone(&tags[0])), field("levels", levels.join("; "))];
            Planned { question: Question::UnlikeTogether, wiring: tags.join(" | "), fields }
        }
        "/controllers" => {
            let controllers = register.gear.iter().filter(|row| matches!(row.gear, Gear::Controller(_)));
            let (chosen, others): (Vec<_>, Vec<_>) =
                controllers.partition(|row| value(typed, "controller") == row.id.to_string());
            let mut names = chosen.into_iter().chain(others).map(|row| row.draft.name.clone());
            let baseline = names.next().unwrap_or_default();
            let fields = vec![field("baseline", baseline), field("levels", names.collect::<Vec<_>>().join("; "))];
            Planned { question: Question::WhichController, wiring: line, fields: with(fields, "order", "aba") }
        }
        "/strings" => {
            let strings = value(typed, "rows").lines().filter(|row| !row.trim().is_empty() && !row.trim().ends_with(':')).count();
            const NTH: [&str; 10] =
                ["first", "second", "third", "fourth", "fifth", "sixth", "seventh", "eighth", "ninth", "tenth"];
            let levels: Vec<String> = NTH.iter().take(strings.max(2)).map(|nth| format!("{nth} string covered")).collect();
            let fields = vec![field("baseline", "all clear".to_owned()), field("levels", levels.join("; "))];
            let panel = register.panels.iter().find(|panel| value(typed, "panel") == panel.id.to_string());
            let wiring = panel.map(|panel| panel.tag().to_owned()).unwrap_or_else(first_tag);
            Planned { question: Question::WhichStrings, wiring, fields }
        }
        // Tilt: the rules that are compared on the page, around the latitude.
        _ => {
            let lat_deg = register
                .places
                .iter()
                .find(|place| Some(place.id) == register.place_id)
                .map_or(35.0, |place| place.draft.place.lat_deg.abs().round());
            let levels: Vec<String> = [0.0, lat_deg - 15.0, lat_deg + 15.0]
                .into_iter()
                .filter(|tilt| (0.0..=90.0).contains(tilt))
                .map(|tilt| tilt.to_string())
                .collect();
            let fields = vec![
                field("baseline", lat_deg.to_string()),
                field("levels", levels.join("; ")),
                field("tilt_deg", lat_deg.to_string()),
            ];
            Planned { question: Question::WhichTilt, wiring: String::new(), fields }
        }
    })
}

fn with(mut fields: Pairs, name: &str, text: &str) -> Pairs {
    fields.push((name.to_owned(), text.to_owned()));
    fields
}

/// The shade of a form, as the level of a plan says it.
fn shade_words(typed: &Pairs, on: &str) -> Result<String, AppError> {
    let share = |name: &str, usual: f64| Decimal::parse(value(typed, name).trim()).map_or(usual, Decimal::value) / 100.0;
    let through = share("through", 10.0);
    let painted: Vec<(usize, &str)> =
        PAINT.iter().enumerate().map(|(nth, name)| (nth, value(typed, name))).filter(|(_, cells)| !cells.is_empty()).collect();
    let pattern = Pattern::from_name(value(typed, "pattern")).unwrap_or_default();
    let through_percent = (through * 1000.0).round() / 10.0;
    match (&painted[..], pattern) {
        ([], Pattern::None) => Ok("none".to_owned()),
        ([], pattern) => {
            let described =
                ShadeDescription { pattern, size: Size::Share(share("size", 10.0)), through, mounting: None, side: None };
            Ok(format!("{} {on}", described.text()).trim_end().to_owned())
        }
        ([(nth, cells)], Pattern::None) => {
            let on = if on.is_empty() { String::new() } else { format!(" on panel {}", nth + 1) };
            Ok(format!("cells {cells}{on} {through_percent} % through"))
        }
        _ => Err(AppError::input(
            "pattern",
            pattern.name(),
            "A test has one shade: keep the pattern or the painted cells of one panel, and clear the other.",
        )),
    }
}
