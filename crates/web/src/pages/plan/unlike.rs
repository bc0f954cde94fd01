//! Unlike panels: what they make together in series and in parallel, which one loses, and which to pair.

use crate::door::typed::{Pairs, value};
use crate::error::AppError;
use crate::figures::{percent, rough, signed};
use crate::frame::Frame;
use crate::heavy;
use crate::pages::plan::calculations::{KeptLine, kept};
use crate::state::AppState;
use askama::Template;
use askama_web::WebTemplate;
use axum::extract::{Query, State};
use flindo_core::array::ArrayWiring;
use flindo_core::array::mismatch::{Single, Together, Unlike, unlike};
use flindo_core::measure::entry::{Meaning, understand};
use flindo_core::measure::quantity::{Quantity, UnsteadyPolicy};
use flindo_core::panel::curve::At;
use flindo_core::panel::five::LabelFigures;
use flindo_store::Panel;

#[derive(Template, WebTemplate)]
#[template(path = "unlike.html")]
pub struct UnlikePage {
    frame: Frame,
    kept: Vec<KeptLine>,
    set: String,
    measured: String,
    tags: Vec<String>,
    error: Option<String>,
    answer: Option<Answer>,
}

struct Answer {
    sum: String,
    ways: Vec<WayView>,
    singles: Vec<SingleView>,
    pairs: Vec<String>,
    advice: String,
    /// Of three and more: what one of them costs the others.
    leave_out: Option<String>,
    measured: Option<String>,
}

struct WayView {
    name: &'static str,
    rule: String,
    solved: String,
    of_sum: String,
    at: String,
    open: String,
}

struct SingleView {
    name: String,
    alone: String,
    loses_in_series: String,
    loses_in_parallel: String,
}

pub async fn page(State(state): State<AppState>, frame: Frame, Query(query): Query<Pairs>) -> Result<UnlikePage, AppError> {
    let panels = state.store.panels().await?;
    let mut set = value(&query, "set").trim().to_owned();
    if set.is_empty() {
        set = panels
            .iter()
            .filter(|panel| ["M-1", "N-1"].contains(&panel.draft.tag.as_str()))
            .map(|panel| panel.draft.tag.clone())
            .collect::<Vec<_>>()
            .join("; ");
    }
    let measured = value(&query, "measured").trim().to_owned();
    let read =
        if set.is_empty() { Err("Name two to six panels, separated by semicolons.".to_owned()) } else { singles(&set, &panels) };
    let solved = match read {
        Ok(singles) => {
            let found = heavy::run(move |_| unlike(&singles).map(|found| (singles, found))).await?;
            found.map_err(|error| format!("{error}."))
        }
        Err(sentence) => Err(sentence),
    };
    let tags = panels.into_iter().map(|panel| panel.draft.tag).collect();
    let (answer, error) = match solved.and_then(|(singles, found)| answer(&singles, &found, &measured)) {
        Ok(answer) => (Some(answer), None),
        Err(sentence) => (None, Some(sentence)),
    };
    Ok(UnlikePage { kept: kept(&state, "/unlike").await?, frame, set, measured, tags, error, answer })
}

/// Its parts: a panel of the bench with what was read of it, or that alone.
fn parts<'a, 'b>(text: &'a str, panels: &'b [Panel]) -> impl Iterator<Item = (Option<&'b Panel>, &'a str)> + use<'a, 'b> {
    text.split([';', '\n']).map(str::trim).filter(|part| !part.is_empty()).map(|part| {
        let known =
            panels.iter().filter(|panel| starts_with_tag(part, &panel.draft.tag)).max_by_key(|panel| panel.draft.tag.len());
        (known, known.map_or(part, |panel| part[panel.draft.tag.len()..].trim()))
    })
}

/// What is typed there as a test of panels alone and together: the levels with the line of each.
///
/// # Errors
/// A sentence, where a panel has no tag or nothing was read of it, or of all together.
pub fn to_keep(set: &str, measured: &str, panels: &[Panel]) -> Result<(i64, Vec<(String, String)>), String> {
    let mut kept = Vec::new();
    let mut first = None;
    for (panel, read) in parts(set, panels) {
        let panel = panel.ok_or_else(|| format!("\u{201c}{read}\u{201d} has no tag: to log it, say which panel it is."))?;
        if read.is_empty() {
            return Err(format!(
                "Nothing was read of {} alone. Type it after the tag, as in \u{201c}{} 17.4 V 5.3 A\u{201d}.",
                panel.tag(),
                panel.tag()
            ));
        }
        first.get_or_insert(panel.id);
        kept.push((panel.tag().to_owned(), read.to_owned()));
    }
    if measured.is_empty() {
        return Err("Type what they gave together: the sum of each alone is compared with it.".to_owned());
    }
    let way = unlike(&singles(set, panels)?).map_err(|error| format!("{error}."))?.way_at(point(measured)?.v);
    let tags: Vec<&str> = kept.iter().map(|(tag, _)| tag.as_str()).collect();
    let wiring = tags.join(if way == ArrayWiring::Series { " + " } else { " | " });
    kept.push((wiring, measured.to_owned()));
    Ok((first.unwrap_or_default(), kept))
}

/// "S-1; M-1 17.4 V 5.3 A; 19.2 V 96 W": a tag, a tag with what it gave alone, or that alone.
fn singles(text: &str, panels: &[Panel]) -> Result<Vec<Single>, String> {
    parts(text, panels).enumerate().map(|(nth, (panel, read))| single(nth, panel, read)).collect()
}

fn single(nth: usize, panel: Option<&Panel>, read: &str) -> Result<Single, String> {
    let Some(panel) = panel else {
        let Seen { at: Some(at), voc_v, .. } = seen(read, None)? else {
            return Err(no_point(read));
        };
        return Ok(Single { voc_v, ..Single::measured_only(&format!("panel {}", nth + 1), at) });
    };
    let label = panel.label();
    let figures =
        LabelFigures::of(label).ok_or_else(|| format!("The label of {} gives neither volts nor amps.", panel.draft.tag))?;
    let Seen { at: measured, voc_v } =
        if read.is_empty() { Seen { at: None, voc_v: None } } else { seen(read, Some(figures.vmp_v))? };
    let construction = label.construction();
    Ok(Single { name: format!("{} {}", panel.tag(), panel.name()), figures, construction, measured, voc_v })
}

fn starts_with_tag(part: &str, tag: &str) -> bool {
    part.get(..tag.len()).is_some_and(|head| head.eq_ignore_ascii_case(tag))
        && part[tag.len()..].chars().next().is_none_or(char::is_whitespace)
}

/// What was read of one panel alone.
struct Seen {
    at: Option<At>,
    voc_v: Option<f64>,
}

/// Volts with amps or with watts, or watts alone at the volts of the label; open volts with them or alone.
fn seen(text: &str, label_vmp_v: Option<f64>) -> Result<Seen, String> {
    let figures = understand(text, &Meaning::default()).map_err(|error| format!("{error}."))?.figures();
    let of = |quantity| figures.get(quantity).map(|seen| seen.value(UnsteadyPolicy::Middle)).filter(|value| *value > 0.0);
    let volts = of(Quantity::Voltage).or(label_vmp_v);
    let at = match (of(Quantity::Voltage), of(Quantity::Current), of(Quantity::Power), volts) {
        (Some(v), Some(i), _, _) => Some(At { v, i }),
        (_, None, Some(w), Some(v)) => Some(At { v, i: w / v }),
        _ => None,
    };
    let voc_v = of(Quantity::Voc);
    match (at, voc_v) {
        (None, None) => Err(no_point(text)),
        (Some(at), Some(voc_v)) if voc_v <= at.v => {
            Err(format!("\u{201c}{text}\u{201d}: Voc must be above the voltage under load."))
        }
        _ => Ok(Seen { at, voc_v }),
    }
}

fn no_point(text: &str) -> String {
    format!("\u{201c}{text}\u{201d}: give volts with amps, or volts with watts, of its maximum power point alone.")
}

fn point(text: &str) -> Result<At, String> {
    seen(text, None)?.at.ok_or_else(|| no_point(text))
}

fn answer(singles: &[Single], found: &Unlike, measured: &str) -> Result<Answer, String> {
    let way = |name, together: &Together| WayView {
        name,
        rule: rough(together.rule_w, "W").to_string(),
        solved: rough(together.best.w(), "W").to_string(),
        of_sum: percent(together.best.w() / found.sum_w * 100.0).to_string(),
        at: format!("{} \u{b7} {}", rough(together.best.v, "V"), rough(together.best.i, "A")),
        open: rough(together.open_v, "V").to_string(),
    };
    let loses = |lost_w: f64| format!("{}\u{a0}W", signed(-lost_w, 1));
    let views = singles.iter().zip(&found.singles).enumerate().map(|(nth, (single, at))| SingleView {
        name: single.name.clone(),
        alone: format!("{} at {}", rough(at.w(), "W"), rough(at.v, "V")),
        loses_in_series: loses(found.series.lost_w[nth]),
        loses_in_parallel: loses(found.parallel.lost_w[nth]),
    });
    let better =
        if found.series.best.w() > found.parallel.best.w() { ("series", &found.series) } else { ("parallel", &found.parallel) };
    let worst = better.1.lost_w.iter().enumerate().max_by(|a, b| a.1.total_cmp(b.1)).map_or(0, |(nth, _)| nth);
    let advice = format!(
        "Better in {}: {} of the sum of each alone. {} loses most.",
        better.0,
        percent(better.1.best.w() / found.sum_w * 100.0),
        singles[worst].name
    );
    // On an input of its own the one left out gives what it gives alone; a percent is within what singles are known to.
    let leave_out = found.without.first().map(|without| {
        let name = &singles[without.out].name;
        let (both_w, together_w) = (without.best_w() + found.singles[without.out].w(), better.1.best.w());
        if both_w < together_w * 1.01 {
            return "Leaving one out brings no gain.".to_owned();
        }
        let [series, parallel, sum, both, together] =
            [without.series_w, without.parallel_w, without.sum_w, both_w, together_w].map(|w| rough(w, "W"));
        format!(
            "Leave out {name}: the others alone give {series} in series and {parallel} in parallel, of {sum}. On an input of \
             its own beside them it makes {both} in place of {together}."
        )
    });
    let pair = |(one, other, way, share): &(usize, usize, ArrayWiring, f64)| {
        format!("{} with {}: {}, keeps {}", singles[*one].name, singles[*other].name, way.label(), percent(share * 100.0))
    };
    let beside = if measured.is_empty() { None } else { Some(beside(measured, found)?) };
    Ok(Answer {
        sum: rough(found.sum_w, "W").to_string(),
        ways: vec![way("in series", &found.series), way("in parallel", &found.parallel)],
        singles: views.collect(),
        pairs: if singles.len() > 2 { found.pairs.iter().map(pair).collect() } else { Vec::new() },
        advice,
        leave_out,
        measured: beside,
    })
}

/// What was measured together, beside what was worked out: compared with the way nearer to its volts.
fn beside(text: &str, found: &Unlike) -> Result<String, String> {
    let at = point(text)?;
    let (name, together) = match found.way_at(at.v) {
        ArrayWiring::Series => ("series", &found.series),
        ArrayWiring::Parallel | ArrayWiring::StringsOfTwo => ("parallel", &found.parallel),
    };
    Ok(format!(
        "Measured together: {} at {}. In {name} {} were expected from the single readings: {} of it.",
        rough(at.w(), "W"),
        rough(at.v, "V"),
        rough(together.best.w(), "W"),
        percent(at.w() / together.best.w() * 100.0)
    ))
}
