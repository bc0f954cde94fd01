//! Series or parallel: the same panels every way, under one shade, under a shade that grows and under every pattern, into whatever
//! takes their watts.

use crate::door::typed::{Notes, Pairs, number, value};
use crate::draw::ways as drawing;
use crate::error::AppError;
use crate::figures::{number as fixed, rough};
use crate::frame::Frame;
use crate::heavy;
use crate::pages::plan::array_form::{self, Line, PAINT, Taking, paint};
use crate::pages::plan::calculations::{KeptLine, kept};
use crate::state::AppState;
use crate::words::ways as words;
use askama::Template;
use askama_web::WebTemplate;
use axum::extract::{Query, State};
use flindo_core::array::{Array, ArrayWiring};
use flindo_core::error::Error;
use flindo_core::load::series_parallel::{BothWays, Delivered, by_pattern, by_size, wiring_preference};
use flindo_core::panel::construction::Construction;
use flindo_core::panel::face::Mounting;
use flindo_core::panel::shade::{Pattern, Shade};

/// Taken where the bench has no place, C.
const USUAL_COLDEST_C: f64 = -10.0;

#[derive(Template, WebTemplate)]
#[template(path = "ways.html")]
pub struct WaysPage {
    frame: Frame,
    kept: Vec<KeptLine>,
    typed: Pairs,
    notes: Notes,
    tags: Vec<String>,
    controllers: Vec<(i64, String)>,
    answer: Option<Answer>,
}

struct Answer {
    sentence: String,
    break_even: String,
    svg: String,
    into: String,
    ways: Vec<WayRow>,
    /// (pattern, in series, at its first local maximum, in parallel, the better)
    patterns: Vec<[String; 5]>,
}

/// One way of wiring under the shade.
struct WayRow {
    name: &'static str,
    watts: String,
    panels: String,
    /// Open circuit on the coldest morning, and what the input stands.
    cold: String,
    state: &'static str,
    is_refused: bool,
}

impl WaysPage {
    fn value(&self, name: &str) -> &str {
        value(&self.typed, name)
    }

    fn is(&self, name: &str, choice: &str) -> bool {
        self.value(name) == choice
    }

    fn is_id(&self, name: &str, id: &i64) -> bool {
        self.value(name) == id.to_string()
    }

    /// A shade that covers nothing decides nothing, unless cells are painted besides.
    fn patterns(&self) -> impl Iterator<Item = &'static Pattern> {
        Pattern::ALL.iter().filter(|pattern| **pattern != Pattern::None || self.is_painted())
    }

    /// Cells were painted on the shade bench.
    fn is_painted(&self) -> bool {
        PAINT.iter().any(|field| !self.value(field).is_empty())
    }

    fn constructions(&self) -> &'static [Construction] {
        Construction::ALL
    }

    fn mountings(&self) -> &'static [Mounting] {
        Mounting::ALL
    }
}

pub async fn page(State(state): State<AppState>, frame: Frame, Query(mut typed): Query<Pairs>) -> Result<WaysPage, AppError> {
    let (panels, gear) = (state.store.panels().await?, state.store.gear().await?);
    let mut notes = Notes::default();
    for (field, usual) in [("wiring", pair(&panels)), ("pattern", Pattern::Left.name().to_owned())] {
        if value(&typed, field).trim().is_empty() {
            typed.retain(|(name, _)| name != field);
            typed.push((field.to_owned(), usual));
        }
    }
    let coldest_c = frame.place.as_ref().map_or(USUAL_COLDEST_C, |place| place.draft.coldest_c);
    let asked = ask(&typed, &panels, &mut notes).zip(Some(Taking::read(&typed, &gear, &mut notes)));
    let answer = match asked.filter(|_| !notes.has("refused")) {
        Some((asked, taking)) => match heavy::run(move |_| answer(&asked, &taking, coldest_c)).await? {
            Ok(answer) => Some(answer),
            Err(error) => {
                notes.add("wiring", "refused", format!("{error}."));
                None
            }
        },
        None => None,
    };
    let tags = panels.into_iter().map(|panel| panel.draft.tag).collect();
    Ok(WaysPage {
        kept: kept(&state, "/ways").await?,
        frame,
        typed,
        notes,
        tags,
        controllers: array_form::controllers(&gear),
        answer,
    })
}

/// Two of the first panel.
fn pair(panels: &[flindo_store::Panel]) -> String {
    let first = panels.iter().find(|panel| panel.draft.tag == "S-1").or(panels.first());
    first.map(|panel| format!("2 x {}", panel.draft.tag)).unwrap_or_default()
}

/// What the form says, ready for the core.
struct Asked {
    array: Array,
    shade: Shade,
    mounting: Mounting,
}

fn ask(typed: &Pairs, panels: &[flindo_store::Panel], notes: &mut Notes) -> Option<Asked> {
    let chosen = Construction::from_name(value(typed, "construction"));
    let Line { panels, .. } = array_form::line(value(typed, "wiring"), chosen, panels, notes)?;
    if panels.len() < 2 {
        notes.add("wiring", "refused", "One panel has no wiring to choose: name two to six, as in 2 x S-1.".to_owned());
    }
    let mut of = |field, usual: f64, range| number(typed, field, range, notes).unwrap_or(usual);
    let shade = Shade {
        pattern: Pattern::from_name(value(typed, "pattern")).unwrap_or_default(),
        size: of("size", 20.0, (0.0, 100.0)) / 100.0,
        through: of("through", 10.0, (0.0, 100.0)) / 100.0,
        place: of("place", 50.0, (0.0, 100.0)) / 100.0,
        ..Shade::default()
    };
    let (poa_w_m2, cell_c) = (of("poa", 1000.0, (10.0, 1500.0)), of("cell_c", 45.0, (-40.0, 100.0)));
    let lead_ohm = of("lead_ohm", 0.0, (0.0, 10.0));
    let mounting = Mounting::from_name(value(typed, "mounting")).unwrap_or_default();
    let lit = panels.into_iter().enumerate().map(|(nth, panel)| {
        let mut shares = if nth == 0 { shade.shares(&panel.layout, mounting) } else { vec![1.0; panel.layout.places.len()] };
        paint(value(typed, PAINT[nth]), shade.through, &mut shares);
        (panel, shares)
    });
    let array = Array { panels: lit.collect(), poa_w_m2, cell_c, lead_ohm, is_blocked: value(typed, "blocked") == "yes" };
    Some(Asked { array, shade, mounting })
}

fn answer(asked: &Asked, taking: &Taking, coldest_c: f64) -> Result<Answer, Error> {
    let Asked { array, shade, mounting } = asked;
    let taker = taking.taker();
    let grown = by_size(array, shade, *mounting, &taker)?;
    let course: Vec<(f64, f64, f64)> =
        grown.iter().map(|(size, both)| (*size, both.series.watts_w, both.parallel.watts_w)).collect();
    let ahead = wiring_preference(&course);
    let share = |share: f64| format!("{}\u{a0}%", fixed(share * 100.0, 0));
    let here = BothWays::of(array, &taker)?;
    let patterns = by_pattern(array, shade, *mounting, &taker)?.into_iter().map(|(pattern, both)| {
        [
            pattern.label().to_owned(),
            got(&both.series),
            got(&both.series_first_hill),
            got(&both.parallel),
            both.winner().map_or("either", words::way).to_owned(),
        ]
    });
    Ok(Answer {
        sentence: words::wins(&here),
        break_even: words::break_even(&ahead, "from", share),
        svg: drawing::draw(&course, &ahead, shade.size),
        into: match &taking.controller {
            Some(_) => format!("into a battery of {} V through {}", taking.battery_v, taking.name),
            None => "with ideal MPPT".to_owned(),
        },
        ways: ways(array, taking, coldest_c)?,
        patterns: patterns.collect(),
    })
}

/// Watts, or why there are none.
fn got(got: &Delivered) -> String {
    use flindo_core::load::operate::ControllerState;
    match got.state {
        ControllerState::Working | ControllerState::Limited => rough(got.watts_w, "W").to_string(),
        ControllerState::NotStarting => "not starting".to_owned(),
        ControllerState::OverVolts => "not allowed".to_owned(),
    }
}

fn ways(array: &Array, taking: &Taking, coldest_c: f64) -> Result<Vec<WayRow>, Error> {
    let offered = ArrayWiring::ALL.iter().filter(|way| **way != ArrayWiring::StringsOfTwo || array.panels.len() > 2);
    let stands = taking.controller.as_ref().and_then(|controller| controller.max_input_v);
    offered
        .map(|way| {
            let lengths = array.lengths(*way);
            let found = taking.taker().takes(array.in_strings(&lengths)?.curve(), false);
            let cold_v = array.cold_open_v(&lengths, coldest_c)?;
            let is_refused = stands.is_some_and(|most_v| cold_v > most_v);
            Ok(WayRow {
                name: way.label(),
                watts: got(&found),
                panels: format!("{} \u{b7} {}", rough(found.panel.v, "V"), rough(found.panel.i.max(0.0), "A")),
                cold: match stands {
                    Some(most_v) => format!("{} of {}", rough(cold_v, "V"), rough(most_v, "V")),
                    None => rough(cold_v, "V").to_string(),
                },
                state: if is_refused { "not allowed: cold Voc above the input rating" } else { words::state(found.state) },
                is_refused,
            })
        })
        .collect()
}
