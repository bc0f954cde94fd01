//! A shadow that passes: something upright beside the panels, the sun of a day, and what it costs in series and in parallel and for
//! each construction.

use crate::day::{Day as CivilDay, timestamp};
use crate::door::typed::{Notes, Pairs, number, value};
use crate::draw::faces::{self, Face as FaceDrawing};
use crate::draw::passing as drawing;
use crate::error::AppError;
use crate::figures::{clock_short, number as fixed, percent};
use crate::frame::Frame;
use crate::heavy;
use crate::kept::shadows::{DayOf, Form, Shadows, WholeDay};
use crate::pages::plan::array_form::{self, Line, Taking};
use crate::pages::plan::calculations::{KeptLine, kept};
use crate::state::AppState;
use crate::words::ways as words;
use askama::Template;
use askama_web::WebTemplate;
use axum::extract::{Query, State};
use flindo_core::array::ArrayWiring;
use flindo_core::array::moving_shadow::{Face, Obstacle, at, moments};
use flindo_core::error::Error;
use flindo_core::load::day::{Day, day};
use flindo_core::panel::circuit::substring_count;
use flindo_core::panel::construction::Construction;
use flindo_core::panel::face::Mounting;
use flindo_core::panel::layout::Panel;
use flindo_core::record::bounds;
use flindo_core::sky::course::Site;
use flindo_core::sky::plane::Plane;
use flindo_store::GearRow;
use jiff::Timestamp;
use jiff::civil::Date;
use jiff::tz::TimeZone;
use std::sync::Arc;

/// Between two looks at the array, s.
const STEP_S: f64 = 180.0;

/// The same for the constructions beside each other, of which there are many.
const COARSE_STEP_S: f64 = 1800.0;

#[derive(Template, WebTemplate)]
#[template(path = "shadow.html")]
pub struct ShadowPage {
    frame: Frame,
    kept: Vec<KeptLine>,
    typed: Pairs,
    notes: Notes,
    tags: Vec<String>,
    hour_h: f64,
    controllers: Vec<(i64, String)>,
    answer: Option<Answer>,
}

struct Answer {
    svg: String,
    faces: Vec<String>,
    at: String,
    sentence: String,
    /// Who is ahead when.
    break_even: String,
    /// What the controller cannot use.
    limits: Vec<String>,
    /// (wiring, kWh, of the day without)
    rows: Vec<[String; 3]>,
    constructions: Vec<[String; 3]>,
}

impl ShadowPage {
    fn value(&self, name: &str) -> &str {
        value(&self.typed, name)
    }

    fn is(&self, name: &str, choice: &str) -> bool {
        self.value(name) == choice
    }

    fn is_id(&self, name: &str, id: &i64) -> bool {
        self.value(name) == id.to_string()
    }

    fn constructions(&self) -> &'static [Construction] {
        Construction::ALL
    }

    fn mountings(&self) -> &'static [Mounting] {
        Mounting::ALL
    }
}

/// All that a day is made of.
struct Asked {
    panels: Vec<Panel>,
    tags: Vec<String>,
    lead_ohm: f64,
    taking: Taking,
    face: Face,
    upright: Obstacle,
    site: Site,
    day: CivilDay,
    day_of_year: f64,
    air_c: f64,
    hour_h: f64,
}

pub async fn page(State(state): State<AppState>, frame: Frame, Query(typed): Query<Pairs>) -> Result<ShadowPage, AppError> {
    let writes = state.store.writes();
    let panels = state.store.panels().await?;
    let mut notes = Notes::default();
    let hour_h = number(&typed, "hour", (0.0, 24.0), &mut notes).unwrap_or(12.0);
    let gear = state.store.gear().await?;
    let asked = ask(&typed, &frame, &panels, &gear, hour_h, &mut notes);
    let zone = frame.time_zone.clone();
    let answer = match asked {
        None => None,
        Some(asked) => {
            // The bench as it was read: nothing was written meanwhile.
            let writes = writes.filter(|before| state.store.writes() == Some(*before));
            let form: Form = typed.iter().filter(|(name, _)| name != "hour").cloned().collect();
            let of = writes.map(|writes| (form, DayOf { writes, start: asked.day.start }));
            let shadows = state.kept.shadows.clone();
            match heavy::run(move |_| answer(&asked, of, &shadows, &zone)).await? {
                Ok(answer) => Some(answer),
                Err(error) => {
                    notes.add("wiring", "refused", format!("{error}."));
                    None
                }
            }
        }
    };
    let tags = panels.into_iter().map(|panel| panel.draft.tag).collect();
    Ok(ShadowPage {
        kept: kept(&state, "/shadow").await?,
        frame,
        typed,
        notes,
        tags,
        hour_h,
        controllers: array_form::controllers(&gear),
        answer,
    })
}

fn ask(
    typed: &Pairs,
    frame: &Frame,
    panels: &[flindo_store::Panel],
    gear: &[GearRow],
    hour_h: f64,
    notes: &mut Notes,
) -> Option<Asked> {
    let Some(place) = &frame.place else {
        notes.add("wiring", "refused", "The sun of a day needs a place: add a place first.".to_owned());
        return None;
    };
    let text = match value(typed, "wiring").trim() {
        "" => panels
            .iter()
            .find(|panel| panel.draft.tag == "S-1")
            .or(panels.first())
            .map(|panel| format!("2 x {}", panel.draft.tag))?,
        text => text.to_owned(),
    };
    let chosen = Construction::from_name(value(typed, "construction"));
    let line = array_form::line(&text, chosen, panels, notes);
    let mut of = |field, usual: f64, range| number(typed, field, range, notes).unwrap_or(usual);
    let plane = Plane { tilt_deg: of("tilt_deg", 35.0, (0.0, 90.0)), azimuth_deg: of("azimuth_deg", 180.0, (0.0, 359.9)) };
    let face = Face {
        plane,
        width_m: of("panel_width_m", 1.0, (0.05, 10.0)),
        height_m: of("panel_height_m", 1.6, (0.05, 10.0)),
        lower_edge_m: of("lower_edge_m", 0.5, (0.0, 100.0)),
        mounting: Mounting::from_name(value(typed, "mounting")).unwrap_or_default(),
    };
    let air_c = of("air_c", 20.0, (-40.0, 60.0));
    let upright = Obstacle::check(
        of("east_m", 0.5, (-200.0, 200.0)),
        of("north_m", -1.2, (-200.0, 200.0)),
        of("height_m", 4.0, (0.1, 300.0)),
        of("width_m", 0.3, (0.01, 50.0)),
    );
    let today = Timestamp::now().to_zoned_datetime(frame.time_zone.clone()).date();
    let date: Date = match value(typed, "date").trim() {
        "" => today,
        text => text.parse().ok().filter(|date: &Date| bounds::is_known_year(date.year())).unwrap_or_else(|| {
            notes.add("date", "refused", format!("\u{201c}{text}\u{201d} is not a date of 1970 to 2100."));
            today
        }),
    };
    let lead_ohm = number(typed, "lead_ohm", (0.0, 10.0), notes).unwrap_or(0.0);
    let taking = Taking::read(typed, gear, notes);
    let Line { tags, panels, .. } = line.filter(|_| !notes.has("refused"))?;
    let day = CivilDay::at(date, &frame.time_zone);
    Some(Asked {
        panels,
        tags,
        lead_ohm,
        taking,
        face,
        upright: upright.ok()?,
        site: place.draft.site(),
        day_of_year: crate::day::day_of_year(day.start),
        day,
        air_c,
        hour_h,
    })
}

fn solved(asked: &Asked, panels: &[Panel], step_s: f64) -> Result<Day, Error> {
    let Asked { face, upright, site, day: civil, day_of_year, air_c, .. } = asked;
    let moments = moments(panels, face, upright, site, civil.start_s(), civil.end_s(), step_s, *day_of_year, *air_c)?;
    day(&moments, step_s, asked.lead_ohm, &asked.taking.taker())
}

/// The whole day, from memory where only the hour that is looked at has changed.
fn whole_day(asked: &Asked, of: Option<(Form, DayOf)>, shadows: &Shadows) -> Result<Arc<WholeDay>, Error> {
    if let Some(kept) = of.as_ref().and_then(|(form, of)| shadows.get(form, of)) {
        return Ok(kept);
    }
    let worked = Arc::new(WholeDay { day: solved(asked, &asked.panels, STEP_S)?, constructions: constructions(asked)? });
    if let Some((form, of)) = of {
        shadows.put(form, of, Arc::clone(&worked));
    }
    Ok(worked)
}

fn answer(asked: &Asked, of: Option<(Form, DayOf)>, shadows: &Shadows, zone: &TimeZone) -> Result<Answer, Error> {
    let clock = |unix_s: f64| clock_short(timestamp(unix_s), zone);
    let worked = whole_day(asked, of, shadows)?;
    let whole = &worked.day;
    let [clear, series, parallel] = whole.kwh;
    let share = |kwh: f64| percent(kwh / clear.max(1e-9) * 100.0).to_string();
    let row = |name: &str, kwh: f64| [name.to_owned(), format!("{}\u{a0}kWh", fixed(kwh, 3)), share(kwh)];
    let now_s = asked.day.start_s() + asked.hour_h * 3600.0;
    Ok(Answer {
        svg: drawing::draw(whole, Some(now_s), zone),
        faces: draw_faces(asked, now_s)?,
        at: clock(now_s),
        sentence: words::day(whole),
        break_even: if asked.panels.len() > 1 { words::break_even(&whole.lead, "from", clock) } else { String::new() },
        limits: words::limits_of_day(whole, &asked.taking.name),
        rows: vec![row("without the shadow", clear), row("in series", series), row("in parallel", parallel)],
        constructions: worked.constructions.clone(),
    })
}

/// The same day with every construction: name, share in series and in parallel. Each is worked out by itself, on as many processors as
/// there are.
fn constructions(asked: &Asked) -> Result<Vec<[String; 3]>, Error> {
    let row = |construction: &Construction| {
        let panels: Vec<Panel> = asked.panels.iter().map(|panel| Panel::new(panel.fit.clone(), *construction)).collect();
        let day = solved(asked, &panels, COARSE_STEP_S)?;
        let share = |kwh: f64| percent(kwh / day.kwh[0].max(1e-9) * 100.0).to_string();
        Ok([construction.label().to_owned(), share(day.kwh[1]), share(day.kwh[2])])
    };
    let hands = std::thread::available_parallelism().map_or(1, std::num::NonZero::get);
    let parts: Vec<Vec<Result<[String; 3], Error>>> = std::thread::scope(|scope| {
        let part = |part: &'static [Construction]| scope.spawn(move || part.iter().map(row).collect::<Vec<_>>());
        let working: Vec<_> = Construction::ALL.chunks(Construction::ALL.len().div_ceil(hands)).map(part).collect();
        working.into_iter().map(|hand| hand.join().unwrap_or_else(|panic| std::panic::resume_unwind(panic))).collect()
    });
    parts.into_iter().flatten().collect()
}

fn draw_faces(asked: &Asked, now_s: f64) -> Result<Vec<String>, Error> {
    let Some(now) = at(&asked.panels, &asked.face, &asked.upright, &asked.site, now_s, asked.day_of_year, asked.air_c)? else {
        return Ok(Vec::new());
    };
    let working = now.array.in_strings(&now.array.lengths(ArrayWiring::Series))?.at_best();
    let (mut first_cell, mut first_group) = (0, 0);
    let drawn = now.array.panels.iter().zip(&asked.tags).enumerate().map(|(nth, ((panel, shares), tag))| {
        let face = FaceDrawing {
            nth,
            tag,
            layout: &panel.layout,
            mounting: asked.face.mounting,
            shares,
            working: &working,
            first_cell,
            first_group,
            string_a: working.at.i,
        };
        first_cell += panel.layout.places.len();
        first_group += substring_count(&panel.layout.tree);
        faces::draw(&face)
    });
    Ok(drawn.collect())
}
