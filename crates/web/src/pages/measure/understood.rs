//! What the line so far comes to, before it is entered.

use crate::door::entering::{at_time, taken};
use crate::door::evaluated::Evaluated;
use crate::door::typed::{Pairs, value};
use crate::door::working;
use crate::error::AppError;
use crate::figures::{as_read, computed, with_u};
use crate::frame::Clock;
use crate::state::AppState;
use crate::words::{self, advice, open, remark};
use askama::Template;
use askama_web::WebTemplate;
use axum::extract::{Path, Query, State};
use flindo_core::measure::entry::{ClockTime, understand};
use flindo_core::record::condition::{Conditions, Factor};
use flindo_core::record::language::work::{Asked, Understood, WorkEvent};
use flindo_core::record::test::ReadingRecord;
use flindo_store::{day_of_year, new_uid};
use jiff::Timestamp;
use jiff::tz::TimeZone;

/// What was understood of the line so far.
#[derive(Template, WebTemplate, Default)]
#[template(path = "parts/understood.html")]
pub struct UnderstoodPart {
    changes: Vec<String>,
    /// When, and under which sky: (what, words).
    beside: Vec<(&'static str, String)>,
    figures: Vec<(&'static str, String)>,
    event: Option<&'static str>,
    note: String,
    asked: Option<(String, Vec<String>)>,
    /// A panel that is not on the bench, and the test to come back to once it is added.
    to_add: Option<(String, i64)>,
    /// What a reading of a planned test or a rating comes to.
    becomes: Option<Becomes>,
}

struct Becomes {
    watts: Option<String>,
    at_stc: Option<String>,
    percent: Option<String>,
    doubts: Vec<String>,
}

pub async fn understood(
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Clock(zone): Clock,
    Query(query): Query<Pairs>,
) -> Result<UnderstoodPart, AppError> {
    if !state.store.test(id).await?.is_open {
        return of_reading(&state, id, &zone, &query).await;
    }
    let recorded = state.store.recorded(id, Timestamp::now()).await?;
    let standing = working::standing(&state, &recorded).await?;
    let read = working::read(&standing, &recorded, value(&query, "typed"));
    let unknown = read.as_ref().err().and_then(|asked| asked.unknown_panel.clone());
    Ok(UnderstoodPart { to_add: unknown.map(|tag| (tag, id)), ..UnderstoodPart::of(read) })
}

impl UnderstoodPart {
    /// For a page on which no line is sent by a tap.
    pub fn without_choices(mut self) -> Self {
        if let Some((_, choices)) = &mut self.asked {
            choices.clear();
        }
        self
    }

    pub fn of(read: Result<Understood, Asked>) -> Self {
        let one = match read {
            Ok(one) => one,
            Err(Asked { asked, choices, .. }) => return UnderstoodPart { asked: Some((asked, choices)), ..Self::default() },
        };
        let mut changes = open::parts(&one.changes);
        let shade = one.changes.get(&Factor::Shade).map(|shade| Conditions::from([(Factor::Shade, shade.clone())]));
        if shade.is_some_and(|shade| open::parts(&shade).is_empty()) {
            changes.push("no shade".to_owned());
        }
        let sky = one.sky.or_else(|| one.reading.as_ref().and_then(|reading| reading.sky));
        changes.extend(one.turn.as_ref().map(open::turn));
        let figures = one.figures();
        UnderstoodPart {
            changes,
            beside: sky.map(|sky| ("sky", sky.label().to_owned())).into_iter().collect(),
            figures: figures.iter().map(|(quantity, seen)| (quantity.label(), as_read(quantity, seen).to_string())).collect(),
            event: one.event.filter(|event| *event != WorkEvent::RepeatState).map(WorkEvent::label),
            note: one.note,
            ..Self::default()
        }
    }
}

/// As one more reading of this test, so that it is judged as it will be.
async fn of_reading(state: &AppState, id: i64, zone: &TimeZone, query: &Pairs) -> Result<UnderstoodPart, AppError> {
    let mut recorded = state.store.recorded(id, Timestamp::now()).await?;
    let setup = recorded.test.setup;
    let entered = taken(query, Timestamp::now(), zone)?;
    let entry = match understand(value(query, "typed"), &setup.meaning()) {
        Ok(entry) => entry,
        Err(error) => return Ok(UnderstoodPart { asked: Some((format!("{error}."), Vec::new())), ..UnderstoodPart::default() }),
    };
    let figures = entry.figures();
    let moment = at_time(entry.time, entered, zone).unwrap_or(entered);
    let uid = new_uid();
    recorded.record.readings.push(ReadingRecord {
        uid: uid.clone(),
        run_id: value(query, "run").parse().ok(),
        taken_utc: moment,
        day_of_year: day_of_year(moment),
        sky: entry.sky,
        figures: figures.clone(),
    });
    let evaluated = Evaluated::in_brief(&recorded, None)?;
    let time = entry.time.map(|ClockTime { hour, minute, second }| ("at", format!("{hour:02}:{minute:02}:{second:02}")));
    let sky = entry.sky.map(|sky| ("sky", sky.label().to_owned()));
    Ok(UnderstoodPart {
        beside: time.into_iter().chain(sky).collect(),
        figures: figures.iter().map(|(quantity, seen)| (quantity.label(), as_read(quantity, seen).to_string())).collect(),
        note: entry.note.unwrap_or_default(),
        becomes: Some(Becomes::of(&evaluated, &uid)),
        ..UnderstoodPart::default()
    })
}

impl Becomes {
    fn of(evaluated: &Evaluated<'_>, uid: &str) -> Self {
        let judged = evaluated.judged(uid);
        let point = judged.and_then(|judged| judged.result.pmax.as_ref()).filter(|_| !evaluated.is_comparison());
        let odd = evaluated.assessment.named.iter().filter(|one| one.reading_uid.as_deref() == Some(uid));
        let left_out = judged.iter().flat_map(|judged| judged.left_out.iter().map(|reason| advice(reason).why));
        let mut doubts: Vec<String> = left_out.collect();
        for why in odd.map(|one| words::finding::finding(&one.finding).why) {
            if !doubts.contains(&why) {
                doubts.push(why);
            }
        }
        doubts.extend(judged.iter().flat_map(|judged| judged.result.remarks.iter().map(remark)));
        Becomes {
            watts: judged.and_then(|judged| judged.result.watts_w).map(|watts_w| computed(watts_w, "W").to_string()),
            at_stc: point.map(|point| with_u(point.at_stc, point.u_at_stc(), "W").to_string()),
            percent: point.map(|point| with_u(point.percent, point.u_percent(), "%").to_string()),
            doubts,
        }
    }
}
