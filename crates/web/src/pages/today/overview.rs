//! The overview: the sun now and the good hours, what runs or waits, the last findings, the league at a glance, and what would settle what
//! is open.

use crate::day::{Day, day_of_year, timestamp};
use crate::door::making::window_of;
use crate::error::AppError;
use crate::figures::{clock_short, computed, number};
use crate::frame::{Frame, plane_of};
use crate::kept::digests::{All, Digest};
use crate::state::AppState;
use crate::views::league::{LeagueRow, glance};
use crate::views::row::{Row, test_row, unreadable_row};
use crate::words::settle;
use askama::Template;
use askama_web::WebTemplate;
use axum::extract::State;
use flindo_core::record::setup::Setup;
use flindo_core::review::summary::Found;
use flindo_core::sky::course::{Moment, Site};
use flindo_core::sky::plane::Plane;
use jiff::{Timestamp, ToSpan};

const FINDINGS: usize = 5;
const LEAGUE: usize = 5;
const OPEN: usize = 5;
const DAYS_AHEAD: i64 = 30;

#[derive(Template, WebTemplate)]
#[template(path = "home.html")]
pub struct Home {
    frame: Frame,
    panels: usize,
    sun: Option<SunNow>,
    at_work: Vec<AtWork>,
    recording: Vec<(i64, String)>,
    findings: Vec<Row>,
    league: Vec<LeagueRow>,
    league_svg: Option<String>,
    open: Vec<OpenTest>,
    tests: usize,
    waiting: usize,
}

/// The sun of this moment, and when it is good.
struct SunNow {
    now: String,
    elevation: String,
    hours: String,
    next: Option<String>,
}

/// A test with runs to go.
pub struct AtWork {
    pub id: i64,
    pub tag: String,
    pub question: &'static str,
    pub done: String,
}

/// A test without a verdict, and what would bring one.
struct OpenTest {
    id: i64,
    tag: String,
    question: &'static str,
    acts: Vec<String>,
}

/// Tests that have runs to go, the newest first.
pub fn at_work(all: &All) -> Vec<AtWork> {
    let open = all.digests.iter().filter(|digest| digest.summary.open_runs > 0 || digest.summary.readings == 0);
    open.map(|digest| {
        let Digest { test, tag, summary, .. } = &**digest;
        let done = match (summary.open_runs, summary.readings) {
            (0, _) => "no reading yet".to_owned(),
            (open, readings) => format!("{open} run{} to go, {readings} read", if open == 1 { "" } else { "s" }),
        };
        AtWork { id: test.id, tag: tag.clone(), question: test.question.label(), done }
    })
    .collect()
}

/// How open a test is: 0 where it carries no verdict at all, and nothing where it needs none.
fn openness(found: Found) -> Option<u8> {
    match found {
        Found::CantTell => Some(0),
        Found::NoDifference => Some(1),
        Found::Consistent => Some(2),
        Found::Makes | Found::Below | Found::Above | Found::Differs | Found::NoReading => None,
    }
}

fn open_tests(all: &All) -> Vec<OpenTest> {
    let with_act = all.digests.iter().filter(|digest| !digest.summary.settles.is_empty());
    let mut open: Vec<_> = with_act.filter_map(|digest| Some((openness(digest.summary.found())?, digest))).collect();
    open.sort_by_key(|(openness, _)| *openness);
    open.into_iter()
        .take(OPEN)
        .map(|(_, digest)| OpenTest {
            id: digest.test.id,
            tag: digest.tag.clone(),
            question: digest.test.question.label(),
            acts: digest.summary.settles.iter().take(2).map(settle::settle).collect(),
        })
        .collect()
}

/// The good hours of a day on a plane, if it is clear.
fn window(site: &Site, plane: &Plane, day: &Day) -> Option<(Timestamp, Timestamp)> {
    let setup = Setup { tilt_deg: plane.tilt_deg, azimuth_deg: plane.azimuth_deg, ..Setup::default() };
    window_of(day, site, &setup).map(|good| (timestamp(good.from_s), timestamp(good.to_s)))
}

fn sun_now(site: &Site, plane: &Plane, frame: &Frame) -> Result<SunNow, flindo_core::error::Error> {
    let (zone, now) = (&frame.time_zone, Timestamp::now());
    let day = Day::of(now, zone);
    let moment = Moment::at(site, now.as_second() as f64, day_of_year(now))?;
    let clock = |at| clock_short(at, zone);
    let today = window(site, plane, &day);
    let hours = match today {
        None => "No good hours today: the sun stays below 700\u{a0}W/m\u{b2} on this plane.".to_owned(),
        Some((from, to)) if now < from => format!("Good hours today {}\u{2013}{}.", clock(from), clock(to)),
        Some((_, to)) if now < to => {
            let left = (to.as_second() - now.as_second()) / 60;
            format!("Good hours until {}: {} h {:02} min left.", clock(to), left / 60, left % 60)
        }
        Some((_, to)) => format!("The good hours of today ended at {}.", clock(to)),
    };
    let mut next = None;
    if today.is_none_or(|(_, to)| now >= to) {
        for ahead in 1..=DAYS_AHEAD {
            let Ok(date) = day.date.checked_add(ahead.days()) else { break };
            if let Some((from, to)) = window(site, plane, &Day::at(date, zone)) {
                next = Some(format!("{} {}\u{2013}{}", date.strftime("%A %-d %B"), clock(from), clock(to)));
                break;
            }
        }
    }
    Ok(SunNow {
        now: computed(moment.on(plane).poa_w_m2, "W/m\u{b2}").to_string(),
        elevation: format!("{}\u{b0}", number(moment.sun_position.elevation_deg(), 0)),
        hours,
        next,
    })
}

pub async fn page(State(state): State<AppState>, frame: Frame) -> Result<Home, AppError> {
    let all = state.all_digests().await?;
    let register = state.store.register().await?;
    let sun = match &frame.place {
        Some(place) => {
            let plane = plane_of(&state, place, "/").await?;
            let found = sun_now(&place.draft.site(), &plane, &frame);
            Some(found.map_err(|error| AppError::input(error.field(), "", error.to_string()))?)
        }
        None => None,
    };
    let mut findings: Vec<Row> = all.unreadable.iter().map(|(id, why)| unreadable_row(*id, why)).collect();
    let mut read: Vec<_> = all.digests.iter().filter(|digest| digest.summary.readings > 0).collect();
    read.sort_by_key(|digest| std::cmp::Reverse(digest.summary.last_utc));
    findings.extend(read.iter().take(FINDINGS).map(|digest| test_row(digest, &frame)));
    let (league, league_svg) = glance(&state.kept.leagues, &all, &register, &frame, LEAGUE);
    Ok(Home {
        panels: register.panels.len(),
        sun,
        at_work: at_work(&all),
        recording: state.store.open_logs().await?.into_iter().map(|log| (log.id, log.name)).collect(),
        findings,
        league,
        league_svg,
        open: open_tests(&all),
        tests: all.digests.len() + all.waiting,
        waiting: all.waiting,
        frame,
    })
}

/// Tests at work: begun, or planned and not read yet.
#[derive(Template, WebTemplate)]
#[template(path = "measure.html")]
pub struct MeasurePage {
    frame: Frame,
    at_work: Vec<AtWork>,
    recording: Vec<(i64, String)>,
    panels: usize,
}

pub async fn measure(State(state): State<AppState>, frame: Frame) -> Result<MeasurePage, AppError> {
    let all = state.all_digests().await?;
    let recording = state.store.open_logs().await?.into_iter().map(|log| (log.id, log.name)).collect();
    Ok(MeasurePage { at_work: at_work(&all), recording, panels: state.store.panels().await?.len(), frame })
}

/// Why the overview shows fewer tests than there are.
impl Home {
    fn waiting_words(&self) -> Option<String> {
        (self.waiting > 0).then(|| format!("{} of {} tests not yet assessed.", self.waiting, self.tests))
    }
}
