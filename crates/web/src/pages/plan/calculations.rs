//! Set-ups of predicting pages: kept by name, made into a test under the same conditions, and shown beside what those tests measured.

use crate::door::calculation;
use crate::door::typed::{Pairs, value};
use crate::error::AppError;
use crate::pages::plan::array_form::PAINT;
use crate::state::AppState;
use axum::Form;
use axum::extract::{Query, State};
use axum::response::Redirect;
use flindo_core::decimal::Decimal;
use flindo_core::gear::Gear;
use flindo_core::panel::shade::Pattern;
use flindo_core::panel::shade_description::{ShadeDescription, Size, THROUGH_CARD};
use flindo_core::record::condition::{Conditions, Factor, Value, Wiring};
use flindo_core::record::language::level::{condition, write_level};
use flindo_core::record::names::{Id, Names};
use flindo_core::record::order::Order;
use flindo_core::record::question::Question;
use flindo_core::record::shading::{On, ShadePatch, Shape};
use flindo_core::rig::{RigLoad, wiring};
use flindo_core::sky::aim::usual_plane;
use flindo_store::{Calculation, Register, RigDraft, pieces};

/// Fields that are of the keeping, not of the set-up.
const OWN_FIELDS: [&str; 1] = ["kept_as"];

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
            Some((*id, digest.headline.clone()))
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
    let page = calculation::PAGES.into_iter().find(|page| *page == value(&query, "page")).ok_or(AppError::NoSuchPage)?;
    let fields: Pairs =
        typed.iter().filter(|(name, text)| !OWN_FIELDS.contains(&name.as_str()) && !text.is_empty()).cloned().collect();
    let encoded = calculation::encoded(&fields);
    let is_test = value(&query, "do") == "test";
    let register = state.store.register().await?;
    // What no test can be made of is refused before anything is kept.
    let planned = if is_test { Some(planned(page, &fields, &register)?) } else { None };
    let id = calculation::keep(&state.store, page, value(&typed, "kept_as"), &fields).await?;
    let Some(planned) = planned else { return Ok(Redirect::to(&format!("{page}?{encoded}#kept"))) };
    let mut plan: Pairs = planned.fields();
    plan.push(("calculation".to_owned(), id.to_string()));
    match hangs(&state, &register, &planned.wiring).await? {
        Hangs::Panel(id) => plan.push(("panel".to_owned(), id.to_string())),
        Hangs::Rig(id) => plan.push(("rig".to_owned(), id.to_string())),
        Hangs::Nothing => {}
    }
    let query = calculation::encoded(&plan);
    Ok(Redirect::to(&format!("/plan/{}?{query}", planned.question.name())))
}

/// What a test of a set-up is planned with.
struct Planned {
    question: Question,
    /// As in a rig; empty: not said.
    wiring: String,
    baseline: Conditions,
    levels: Vec<Conditions>,
    /// Other fields of the plan's form.
    others: Pairs,
}

impl Planned {
    /// As the plan's form has it.
    fn fields(&self) -> Pairs {
        let factor = self.question.card().factor;
        let levels: Vec<String> = self.levels.iter().map(|level| write_level(factor, level)).collect();
        let mut fields =
            vec![("baseline".to_owned(), write_level(factor, &self.baseline)), ("levels".to_owned(), levels.join("; "))];
        fields.extend(self.others.iter().cloned());
        fields
    }
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
    let names = register.names();
    let of = |factor: Factor, value: Value| Conditions::from([(factor, condition(value, &names))]);
    let shade = |patches: Vec<ShadePatch>| of(Factor::Shade, Value::Shade(patches));
    let wired = |wiring: Wiring| of(Factor::Wiring, Value::Wiring(wiring));
    let first_tag = || register.panels.first().map(|panel| panel.tag().to_owned()).unwrap_or_default();
    let wiring = match value(typed, "wiring").trim() {
        "" => first_tag(),
        line => line.to_owned(),
    };
    let count = wiring::parse(&wiring).map_or(1, |strings| strings.iter().map(Vec::len).sum::<usize>());
    let mounting: Pairs = typed.iter().filter(|(name, text)| name == "mounting" && !text.is_empty()).cloned().collect();
    Ok(match page {
        "/shade" => {
            let on = match (count > 1, value(typed, "every") == "yes") {
                (true, true) => On::Each,
                (true, false) => On::Numbers(vec![1]),
                (false, _) => On::Unsaid,
            };
            let levels = vec![shade(patches_of(typed, on)?)];
            Planned { question: Question::ShadeCost, wiring, baseline: shade(Vec::new()), levels, others: mounting }
        }
        "/ways" => {
            let lies = condition(Value::Shade(patches_of(typed, On::Numbers(vec![1]))?), &names);
            let others = mounting.into_iter().chain([("shade".to_owned(), lies.typed)]).collect();
            let (baseline, levels) = (wired(Wiring::Series), vec![wired(Wiring::Parallel)]);
            Planned { question: Question::SeriesOrParallel, wiring, baseline, levels, others }
        }
        "/shadow" => {
            let (baseline, levels) = match count > 1 {
                true => (wired(Wiring::Series), vec![wired(Wiring::Parallel)]),
                false => (Conditions::new(), Vec::new()),
            };
            Planned { question: Question::HowMuchInADay, wiring, baseline, levels, others: Pairs::new() }
        }
        "/unlike" => unlike(typed, &names)?,
        "/controllers" => {
            let controllers = register.gear.iter().filter(|row| matches!(row.gear, Gear::Controller(_)));
            let (chosen, others): (Vec<_>, Vec<_>) =
                controllers.partition(|row| value(typed, "controller") == row.id.to_string());
            let all = chosen.into_iter().chain(others).map(|row| of(Factor::Load, Value::Gear(row.uid.clone())));
            let mut levels: Vec<Conditions> = all.collect();
            let baseline = if levels.is_empty() { Conditions::new() } else { levels.remove(0) };
            let others = vec![("order".to_owned(), Order::Aba.name().to_owned())];
            Planned { question: Question::WhichController, wiring, baseline, levels, others }
        }
        "/strings" => {
            let rows = value(typed, "rows").lines().map(str::trim).filter(|row| !row.is_empty() && !row.ends_with(':'));
            let strings = rows.count().clamp(2, MOST_STRINGS);
            let covered = |nth: usize| {
                let shape = Shape::Described(ShadeDescription::whole(THROUGH_CARD));
                of(Factor::Covers, Value::Shade(vec![ShadePatch { shape, on: On::Strings(vec![nth]) }]))
            };
            let levels = (1..=strings).map(covered).collect();
            let panel = register.panels.iter().find(|panel| value(typed, "panel") == panel.id.to_string());
            let wiring = panel.map(|panel| panel.tag().to_owned()).unwrap_or_else(first_tag);
            let baseline = of(Factor::Covers, Value::Shade(Vec::new()));
            Planned { question: Question::WhichStrings, wiring, baseline, levels, others: Pairs::new() }
        }
        "/tilt" => tilts(register, &of),
        other => return Err(AppError::input("page", other, "No test is made of a set-up of this page.")),
    })
}

/// Strings of one test: its order is gone through in one noon.
const MOST_STRINGS: usize = 20;

/// The panels of a set each alone, and together.
fn unlike(typed: &Pairs, names: &Names) -> Result<Planned, AppError> {
    let set = value(typed, "set");
    let tags: Vec<&str> = set.split([';', '\n']).filter_map(|part| part.split_whitespace().next()).collect();
    let ids: Option<Vec<Id>> = tags.iter().map(|tag| names.panel(tag)).collect();
    let Some(ids) = ids.filter(|ids| ids.len() > 1) else {
        return Err(AppError::input("set", set, "A test needs two panels or more, each by its tag."));
    };
    let wired = |wiring: Wiring| Conditions::from([(Factor::Wiring, condition(Value::Wiring(wiring), names))]);
    let mut levels: Vec<Conditions> = ids.into_iter().map(|id| wired(Wiring::Strings(vec![vec![id]]))).collect();
    let baseline = levels.remove(0);
    levels.push(wired(Wiring::Together));
    Ok(Planned { question: Question::UnlikeTogether, wiring: tags.join(" | "), baseline, levels, others: Pairs::new() })
}

/// The rules that are compared on the page, around the latitude.
fn tilts(register: &Register, of: &dyn Fn(Factor, Value) -> Conditions) -> Planned {
    let place = register.places.iter().find(|place| Some(place.id) == register.place_id);
    let lat_deg = usual_plane(place.map(|place| &place.draft.place)).tilt_deg;
    let tilts = [0.0, lat_deg - 15.0, lat_deg + 15.0].into_iter().filter(|tilt| (0.0..=90.0).contains(tilt) && *tilt != lat_deg);
    let tilt = |tilt_deg: f64| of(Factor::Tilt, Value::Degrees(tilt_deg));
    Planned {
        question: Question::WhichTilt,
        wiring: String::new(),
        baseline: tilt(lat_deg),
        levels: tilts.map(tilt).collect(),
        others: vec![("tilt_deg".to_owned(), lat_deg.to_string())],
    }
}

/// The shade of a form: its pattern on these panels, and the cells that were painted on each.
fn patches_of(typed: &Pairs, on: On) -> Result<Vec<ShadePatch>, AppError> {
    let share = |name: &'static str, usual_percent: f64| match value(typed, name).trim() {
        "" => Ok(usual_percent / 100.0),
        text => match Decimal::parse(text).map(Decimal::value) {
            Ok(percent) if (0.0..=100.0).contains(&percent) => Ok(percent / 100.0),
            Ok(_) => Err(AppError::input(name, text, format!("{text} is outside 0 to 100 %."))),
            Err(error) => Err(AppError::input(name, text, format!("{error}. Write percent, such as 10."))),
        },
    };
    let through = share("through", 10.0)?;
    let pattern = match value(typed, "pattern").trim() {
        "" => Pattern::None,
        text => Pattern::from_name(text)
            .ok_or_else(|| AppError::input("pattern", text, format!("\u{201c}{text}\u{201d} is not one of the patterns.")))?,
    };
    let mut patches = Vec::new();
    if pattern != Pattern::None {
        let size = Size::Share(share("size", 10.0)?);
        let shape = Shape::Described(ShadeDescription { pattern, size, through, mounting: None, side: None });
        patches.push(ShadePatch { shape, on });
    }
    for (nth, field) in PAINT.iter().enumerate().filter(|(_, field)| !value(typed, field).trim().is_empty()) {
        let text = value(typed, field).trim();
        let cells: Option<Vec<usize>> = text.split('.').map(|cell| cell.parse().ok()).collect();
        let cells = cells.ok_or_else(|| AppError::input(field, text, "Painted cells are numbers with full stops between."))?;
        patches.push(ShadePatch { shape: Shape::Painted { cells, through }, on: On::Numbers(vec![nth + 1]) });
    }
    Ok(patches)
}
