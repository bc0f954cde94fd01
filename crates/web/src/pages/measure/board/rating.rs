//! Of a panel alone, read without a plan: how it stands to its label.

use super::{Answer, AnswersPart, Board, Chip, Next, StatePart, StateRow, StatesPart, bar, last, link, readings};
use crate::door::evaluated::Evaluated;
use crate::door::paging::Paging;
use crate::draw::aim;
use crate::figures::{computed, with_u};
use crate::words;
use jiff::tz::TimeZone;

pub(super) fn board(evaluated: &Evaluated<'_>, zone: &TimeZone, part: Paging) -> Board {
    let recorded = evaluated.recorded;
    let (test_id, setup, panel) = (recorded.test.id, &recorded.test.setup, &recorded.panel);
    let rated_w = panel.label().rated_w;
    let count = evaluated.assessment.readings.len();
    let verdict = evaluated.verdict();
    let pmax = evaluated.assessment.rating().and_then(|rating| rating.pmax.as_ref());
    let hangs = format!("{} {}", panel.tag(), panel.name());
    let rated = rated_w.map(|rated_w| format!(", {rated_w} W")).unwrap_or_default();
    let settle = evaluated.settles().into_iter().next().filter(|_| count > 0);
    let settle = settle.map(|settle| format!("What would settle it: {settle}"));
    let change = link("Change", Some("e"), format!("/tests/{test_id}/edit"));
    let mut links = Vec::new();
    if count > 0 {
        links.push(link("Result", Some("r"), format!("/tests/{test_id}/result")));
    }
    links.push(link("Add a CSV file", None, format!("/tests/{test_id}/import")));
    Board {
        state: StatePart {
            run: None,
            chips: vec![
                Chip::of(format!("{hangs}{rated}"), true),
                Chip::of(words::aim(setup), false),
                Chip::of(setup.load.label().to_owned(), false),
                Chip::of(format!("irradiance from {}", setup.irradiance_source.label()), false),
                Chip::of(format!("cell temperature from {}", setup.cell_temperature.label()), false),
            ],
            last: last(evaluated),
            bracket: None,
            told: Vec::new(),
            next: (count == 0).then(|| Next {
                act: format!("Read {}", panel.tag()),
                button: None,
                brings: "one line takes a whole reading".to_owned(),
            }),
            taps: vec![change],
            drawings: vec![aim::draw(setup.tilt_deg, setup.azimuth_deg)],
        },
        states: StatesPart {
            test_id,
            strip: Vec::new(),
            done: None,
            rows: pmax
                .zip(rated_w)
                .map(|(pmax, rated_w)| StateRow {
                    letter: String::new(),
                    name: hangs.clone(),
                    visits: format!("{count} {}", if count == 1 { "reading" } else { "readings" }),
                    mean: computed(pmax.percent / 100.0 * rated_w, "W").to_string(),
                    percent: with_u(pmax.percent, pmax.u_percent, "%").to_string(),
                    mark: "shown",
                    is_current: false,
                    bar: Some(bar(pmax.percent - pmax.u_percent, pmax.percent, pmax.percent + pmax.u_percent)),
                })
                .into_iter()
                .collect(),
        },
        answers: AnswersPart {
            answers: vec![Answer {
                mark: verdict.mark,
                headline: verdict.word,
                because: verdict.sentence,
                to_do: verdict.advice.iter().map(|advice| advice.to_do.to_owned()).chain(settle).collect(),
                question: recorded.test.question.label(),
            }],
            links,
        },
        readings: readings(evaluated, zone, part),
    }
}
