//! A line at work, clause by clause.

use super::asked::{asked_first, back_and_a_figure, is_too_hot};
use super::at::{Asked, At, Understood, WorkEvent};
use super::figures::{ends_in_a_figure, is_figures, reading};
use super::phrases::{
    clauses, correction, of_each, panels_joined, state_correction, unit_said, whole_line, without_an_aside, without_its_number,
};
use super::plain::{ELECTRICAL, is_bare, names_open_or_short};
use super::state::{Said, speaks_of_a_state, state};
use super::time::leading_time;
use super::turned::turned;
use crate::measure::quantity::Quantity;
use crate::record::condition::{Condition, Conditions, Factor, Value, Wiring, differences, rig_of};
use crate::record::language::words;
use crate::sky::note::SkyNote;

/// Reads a line.
///
/// # Errors
/// What is to be asked.
pub fn work(text: &str, at: &At<'_>) -> Result<Understood, Asked> {
    let text = text.trim();
    if let Some(note) = text.strip_prefix('#') {
        let note = note.trim().to_owned();
        return Ok(Understood { event: Some(WorkEvent::Note), note, state: at.current.clone(), ..Understood::default() });
    }
    if let (Some(time), rest) = leading_time(text.strip_prefix("at ").unwrap_or(text))
        && !rest.is_empty()
    {
        let with_time = |choice: String| format!("{:02}:{:02}:{:02} {choice}", time.hour, time.minute, time.second);
        return match work(rest, at) {
            Ok(understood) => Ok(Understood { time: understood.time.or(Some(time)), ..understood }),
            Err(asked) => Err(Asked { choices: asked.choices.into_iter().map(with_time).collect(), ..asked }),
        };
    }
    let text = without_its_number(text);
    let plain = text.replace("->", ":").replace("=>", ":").replace('\u{2192}', ":");
    let text = plain.as_str();
    if let Some(of) = turned(text, at) {
        let of = of?;
        let understood = work(&of.line, at)?;
        let event = if of.repeats { Some(WorkEvent::RepeatValue) } else { understood.event };
        return Ok(Understood { turn: of.begins, event, ..understood });
    }
    if let Some((figure, _)) = back_and_a_figure(text, at).filter(|(_, value)| is_too_hot(*value)) {
        return work(&format!("back: {figure}"), at);
    }
    let lower = text.to_lowercase();
    if let Some(understood) = whole_line(&lower, at) {
        return Ok(understood);
    }
    if let Some(rest) = correction(&lower, at) {
        let reading = reading(&[rest], at.current, at).map_err(|bare| bare.asked(text))?;
        return match reading {
            Some(reading) => Ok(Understood {
                reading: Some(reading),
                event: Some(WorkEvent::Correction),
                state: at.current.clone(),
                ..Understood::default()
            }),
            None => Err(not_understood(text, &[], at)),
        };
    }
    // "That was flat": a state alone. One without a reading has nothing that could have been entered wrongly.
    if let Some(rest) = state_correction(&lower).filter(|_| at.latest.iter().next().is_some())
        && let Ok(understood) = work(&text[text.len() - rest.len()..], at)
        && understood.reading.is_none()
        && matches!(understood.event, None | Some(WorkEvent::RepeatState))
        && !understood.changes.is_empty()
    {
        return Ok(Understood { event: Some(WorkEvent::StateCorrection), ..understood });
    }
    let unbracketed = match without_an_aside(text) {
        // "(no load)", "(open circuit)", "(shorted)": how the figure was read.
        (figure, Some(aside)) if names_open_or_short(aside) => Some(format!("{figure} {aside}")),
        _ => None,
    };
    let text = unbracketed.as_deref().unwrap_or(text);
    // "U-2: same": another state with the figures of before.
    if let Some((before, said)) = text.rsplit_once(':')
        && matches!(
            whole_line(said.trim().to_lowercase().as_str(), at),
            Some(Understood { event: Some(WorkEvent::RepeatValue), .. })
        )
        && let Ok(understood) = work(before, at)
        && understood.reading.is_none()
        && matches!(understood.event, None | Some(WorkEvent::RepeatState))
    {
        return Ok(Understood { event: Some(WorkEvent::RepeatValue), ..understood });
    }
    let (text, aside) = match without_an_aside(text) {
        // "(open circuit)", "(both)", "(N-1)" say of what the figure is.
        (_, Some(aside)) if says_of_a_figure(aside, at) => (text, None),
        apart => apart,
    };
    let mut line = Line {
        at,
        changes: Conditions::new(),
        without: Vec::new(),
        figures: Vec::new(),
        sky: None,
        back: None,
        unknown: Vec::new(),
        unknown_before: 0,
        remarks: aside.into_iter().map(str::to_owned).collect(),
        unit: None,
        twice: None,
    };
    if let Some(asked) = asked_first(text, at) {
        return Err(asked);
    }
    for clause in panels_joined(of_each(clauses(text)), at) {
        line.clause(clause.strip_prefix("+ ").unwrap_or(&clause));
    }
    line.finished(text)
}

/// A line while it is read.
struct Line<'a, 'b> {
    at: &'b At<'a>,
    changes: Conditions,
    without: Vec<Factor>,
    figures: Vec<String>,
    sky: Option<SkyNote>,
    /// Back to this state of the list.
    back: Option<usize>,
    unknown: Vec<String>,
    /// How many of them stand before the first figure.
    unknown_before: usize,
    /// Words that say nothing that is computed with.
    remarks: Vec<String>,
    /// Of what bare figures are from here on.
    unit: Option<Quantity>,
    /// A factor that the line says two things of.
    twice: Option<Factor>,
}

/// Parts of one clause.
const MOST_PARTS: usize = 4;

/// Words after a figure that may say of what it is, or of how much: to pass over them would be to guess.
const OF_A_FIGURE: [&str; 43] = [
    "open",
    "circuit",
    "short",
    "shorted",
    "load",
    "loaded",
    "unloaded",
    "voc",
    "isc",
    "vmp",
    "imp",
    "battery",
    "batt",
    "out",
    "output",
    "in",
    "input",
    "side",
    "each",
    "both",
    "per",
    "sum",
    "total",
    "together",
    "all",
    "half",
    "double",
    "twice",
    "minus",
    "plus",
    "less",
    "more",
    "not",
    "no",
    "wrong",
    "without",
    "volts",
    "amps",
    "watts",
    "disconnected",
    "connected",
    "controller",
    "inverter",
];

/// Words that speak of a line before.
const OF_A_CORRECTION: [&str; 9] = ["last", "previous", "earlier", "was", "were", "should", "meant", "wrong", "mistake"];

/// Those of them that are said of light and dark as well.
const OF_LIGHT_TOO: [&str; 8] = ["all", "half", "short", "side", "more", "less", "not", "no"];

/// Whether words may say of what a figure is: by such a word, or by a panel's name.
fn says_of_a_figure(said: &str, at: &At<'_>) -> bool {
    let own = words(said);
    let parts: Vec<&str> = own.iter().map(String::as_str).collect();
    parts.iter().any(|word| OF_A_FIGURE.contains(word)) || (0..parts.len()).any(|nth| at.names.panel_at(&parts[nth..]).is_some())
}

/// "Person on" and "string 1": what ends so says where with what follows, but for a figure.
fn leads_on(head: &str, tail: &str) -> bool {
    const LEADING: [&str; 6] = ["on", "of", "before", "across", "over", "behind"];
    let last = head.split_whitespace().last().unwrap_or_default().to_lowercase();
    LEADING.contains(&last.as_str()) && !tail.starts_with(|sign: char| sign.is_ascii_digit() || sign == '.')
}

fn is_single(panels: &Condition) -> bool {
    matches!(&panels.value, Value::Panels(ids) if ids.len() == 1)
}

impl Line<'_, '_> {
    fn clause(&mut self, clause: &str) {
        if let Some(unit) = unit_said(&clause.to_lowercase(), self.at) {
            self.unit = Some(unit);
            return;
        }
        if let Some(said) = state(clause, self.at) {
            return self.take(said);
        }
        if is_figures(clause, self.at) {
            return self.figures.push(clause.to_owned());
        }
        let ends: Vec<usize> = clause.char_indices().filter(|(_, sign)| sign.is_whitespace()).map(|(at, _)| at).collect();
        // A state, and then a figure or another state: the longest beginning that is a state. Or a figure, and then a state.
        for end in ends.iter().rev() {
            let (head, tail) = (clause[..*end].trim(), clause[*end..].trim());
            if leads_on(head, tail) {
                continue;
            }
            match (state(head, self.at), state(tail, self.at)) {
                (Some(said), _) if is_figures(tail, self.at) => {
                    self.take(said);
                    return self.figures.push(tail.to_owned());
                }
                // "M-2 in series": with which other panels was not said.
                (Some(Said::Changes(first, _)), Some(Said::Changes(second, _)))
                    if second.contains_key(&Factor::Wiring) && first.get(&Factor::Panel).is_some_and(is_single) => {}
                (Some(Said::Changes(first, gone)), Some(Said::Changes(second, also_gone))) => {
                    self.take(Said::Changes(first, gone));
                    return self.take(Said::Changes(second, also_gone));
                }
                (_, Some(said)) if is_figures(head, self.at) => {
                    self.figures.push(head.to_owned());
                    return self.take(said);
                }
                _ => {}
            }
        }
        if self.parts(clause, MOST_PARTS) {
            return;
        }
        // Words, and then a state with its figure: "dark at one end S-1 11.5 W".
        for end in &ends {
            let (head, tail) = (clause[..*end].trim(), clause[*end..].trim());
            let mut parts = Vec::new();
            let is_whole = !head.chars().any(|sign| sign.is_ascii_digit()) && self.split(tail, MOST_PARTS, &mut parts);
            if is_whole && parts.len() > 1 && parts.iter().any(|part| is_figures(part, self.at)) {
                self.words(head);
                self.parts(tail, MOST_PARTS);
                return;
            }
        }
        // A figure, and then words that say nothing of it.
        for end in ends.iter().rev() {
            let (head, tail) = (clause[..*end].trim(), clause[*end..].trim());
            let is_plain = !tail.chars().any(|sign| sign.is_ascii_digit()) && !speaks_of_a_state(tail, self.at);
            if is_plain && is_figures(head, self.at) {
                self.figures.push(head.to_owned());
                return self.words(tail);
            }
        }
        self.words(clause);
    }

    /// Words that were not made out. After a figure they are a remark, unless they may say of what it is or how it came about.
    fn words(&mut self, said: &str) {
        const DOUBTS: [&str; 8] = [
            "not sure",
            "not certain",
            "not stable",
            "not steady",
            "no idea why",
            "more or less",
            "not quite steady",
            "not too sure",
        ];
        // "150.2 W, settled".
        if let Some(figure) = self.figures.last_mut().filter(|_| ["settled", "steady"].contains(&said.to_lowercase().as_str())) {
            *figure = format!("settled {figure}");
            return;
        }
        if !self.figures.is_empty() && DOUBTS.contains(&said.to_lowercase().as_str()) {
            return self.remarks.push(said.to_owned());
        }
        // A unit that its figure did not take is none of a remark.
        let is_unit = words(said).iter().any(|word| ELECTRICAL.contains(&word.as_str()) && word != "a");
        // "3 % drop" is no humidity.
        let is_share = self.figures.last().is_some_and(|figure| figure.contains('%') && !figure.to_lowercase().contains("hum"));
        let is_remark = !self.figures.is_empty()
            && !is_share
            && !is_unit
            && !said.eq_ignore_ascii_case("a")
            && !said.chars().any(|sign| sign.is_ascii_digit())
            && !speaks_of_a_state(said, self.at)
            && !says_of_a_figure(said, self.at);
        if is_remark {
            return self.remarks.push(said.to_owned());
        }
        self.unknown.push(said.to_owned());
        self.unknown_before += usize::from(self.figures.is_empty());
    }

    /// A clause of three parts and more, each a state or figures: "S-1 same shade 13". Nothing is taken where one is neither.
    fn parts(&mut self, clause: &str, most: usize) -> bool {
        let mut parts: Vec<&str> = Vec::new();
        if !self.split(clause, most, &mut parts) {
            return false;
        }
        // "M-2 in series": with which other panels was not said.
        let said: Vec<Said> = parts.iter().filter_map(|part| state(part, self.at)).collect();
        let has =
            |is: &dyn Fn(&Conditions) -> bool| said.iter().any(|one| matches!(one, Said::Changes(changes, _) if is(changes)));
        let is_one = |changes: &Conditions| changes.get(&Factor::Panel).is_some_and(is_single);
        if has(&is_one) && has(&|changes| changes.contains_key(&Factor::Wiring)) {
            return false;
        }
        // "145 facing east 140 W": a bare figure apart from another is of something else, an angle or a first reading.
        let figures: Vec<&&str> = parts.iter().filter(|part| state(part, self.at).is_none()).collect();
        if figures.len() > 1 && figures.iter().any(|figure| is_bare(figure)) {
            return false;
        }
        for part in parts {
            match state(part, self.at) {
                Some(said) => self.take(said),
                None => self.figures.push(part.to_owned()),
            }
        }
        true
    }

    /// The longest beginnings first.
    fn split<'c>(&self, clause: &'c str, most: usize, parts: &mut Vec<&'c str>) -> bool {
        let is_part = |part: &str| state(part, self.at).is_some() || is_figures(part, self.at);
        if is_part(clause) {
            parts.push(clause);
            return true;
        }
        if most < 2 {
            return false;
        }
        let ends: Vec<usize> = clause.char_indices().filter(|(_, sign)| sign.is_whitespace()).map(|(at, _)| at).collect();
        for end in ends.iter().rev() {
            let (head, tail) = (clause[..*end].trim(), clause[*end..].trim());
            let before = parts.len();
            if !head.is_empty() && !tail.is_empty() && !leads_on(head, tail) && is_part(head) {
                parts.push(head);
                if self.split(tail, most - 1, parts) {
                    return true;
                }
                parts.truncate(before);
            }
        }
        false
    }

    fn take(&mut self, said: Said) {
        match said {
            Said::Changes(changes, without) => {
                for (factor, condition) in changes {
                    // Said twice, and differently: which one counts has to be asked.
                    if self.changes.insert(factor, condition).is_some() {
                        self.twice = Some(factor);
                    }
                }
                self.without.extend(without.into_iter().filter(|factor| !self.changes.contains_key(factor)));
            }
            Said::Sky(sky) => self.sky = Some(sky),
            Said::Back(state) => self.back = Some(state),
            Said::SameFigure(piece) => self.figures.push(piece),
            Said::Nothing => {}
        }
    }

    /// Words before a figure that speak of light and dark, and were not made out: a shade by their name, with which nothing is computed.
    fn named_shade(&mut self) {
        const LIGHT: [&str; 10] = ["dark", "sun", "shade", "shaded", "shadow", "lit", "sunlit", "sunny", "covered", "unlit"];
        const MOST_WORDS: usize = 12;
        let said = self.unknown.join(", ");
        let own = words(&said);
        // "The sun went behind a cloud" is the sky's.
        const OF_THE_SKY: [&str; 8] = ["went", "goes", "going", "came", "comes", "cloud", "clouds", "setting"];
        let is_of_the_sky = own.iter().any(|word| OF_THE_SKY.contains(&word.as_str()));
        let speaks = !is_of_the_sky && own.iter().any(|word| LIGHT.contains(&word.as_str()));
        // "Half dark", "all along" and "the short side" are words of a shade; those of a circuit and of a panel are not.
        let of_light = |word: &&String| !OF_LIGHT_TOO.contains(&word.as_str());
        let others = own.iter().filter(of_light).map(String::as_str).collect::<Vec<_>>().join(" ");
        let names_more = says_of_a_figure(&others, self.at) || said.chars().any(|sign| sign.is_ascii_digit());
        let is_before = !self.figures.is_empty() && self.unknown_before == self.unknown.len();
        let is_free = !self.changes.contains_key(&Factor::Shade);
        if speaks && !names_more && is_before && is_free && own.len() <= MOST_WORDS {
            self.changes.insert(Factor::Shade, Condition::name(&said));
            self.unknown.clear();
        }
    }

    /// All conditions after the line.
    fn state_after(&self) -> Conditions {
        let beside = || rig_of(&self.changes).and_then(|rig| self.at.beside.state_of(rig, self.at.current));
        let before = self.back.map(|back| &self.at.states[back]).or_else(beside).unwrap_or(self.at.current);
        let mut state = before.clone();
        for factor in &self.without {
            state.remove(factor);
        }
        state.extend(self.changes.clone());
        state
    }

    fn finished(mut self, text: &str) -> Result<Understood, Asked> {
        if let Some(factor) = self.twice {
            let asked = format!("This says two things of the {}: which one is it? One line for each.", factor.label());
            return Err(Asked::new(asked, clauses(text).into_iter().map(str::to_owned).collect()));
        }
        self.named_shade();
        let pieces: Vec<&str> = self.figures.iter().map(String::as_str).collect();
        let state = self.state_after();
        let reading = reading(&pieces, &state, self.at).map_err(|bare| bare.asked(text))?;
        let says_state = !self.changes.is_empty() || self.back.is_some() || self.sky.is_some() || self.unit.is_some();
        // Words beside a figure, or of a state that was not made out, may change what the figure is of.
        let has_digits =
            |clause: &String| clause.chars().any(|sign| sign.is_ascii_digit()) || words(clause).iter().any(|word| word == "zero");
        // "Last one was S-2": words of a correction say that the rest is not of now.
        let corrects = |clause: &String| words(clause).iter().any(|word| OF_A_CORRECTION.contains(&word.as_str()));
        // "Without N-1", "all three in parallel": what it is of was not made out.
        let is_of_it = |clause: &String| {
            let said = words(clause);
            let has = |word: &str| said.iter().any(|own| own == word);
            ["without", "minus", "except", "but", "plus", "not", "no", "both", "all", "removed", "disconnected"]
                .into_iter()
                .any(has)
        };
        // One word before a state may be what it is of: another panel, another load.
        let names = |clause: &String| words(clause).len() == 1 && self.unknown_before > 0 && !self.figures.is_empty();
        let is_open = self.unknown.iter().any(|clause| {
            speaks_of_a_state(clause, self.at) || has_digits(clause) || corrects(clause) || is_of_it(clause) || names(clause)
        });
        // "All three in parallel" while one panel hangs: it is joined to others that are not named.
        let joins = self
            .changes
            .get(&Factor::Wiring)
            .is_some_and(|one| matches!(one.value, Value::Wiring(Wiring::Series | Wiring::Parallel)));
        let is_alone = !state.contains_key(&Factor::Rig) && state.get(&Factor::Panel).is_some_and(is_single);
        if joins && is_alone && self.changes.contains_key(&Factor::MeasuredAt) {
            return Err(not_understood(text, &[], self.at));
        }
        if (reading.is_some() || says_state) && is_open || reading.is_some() && !self.unknown.is_empty() && !says_state {
            return Err(not_understood(text, &self.unknown, self.at));
        }
        if reading.is_none() && !says_state {
            let may_be_read = has_digits(&text.to_owned()) && (speaks_of_a_state(text, self.at) || ends_in_a_figure(text));
            if may_be_read {
                return Err(not_understood(text, &[], self.at));
            }
            return Ok(Understood {
                event: Some(WorkEvent::Note),
                note: text.to_owned(),
                state: self.at.current.clone(),
                ..Understood::default()
            });
        }
        let is_earlier = !differences(self.at.current, &state).is_empty()
            && self.at.states.iter().any(|known| differences(known, &state).is_empty());
        let changes = state.iter().filter(|(factor, _)| differences(self.at.current, &state).contains(factor));
        Ok(Understood {
            changes: changes.map(|(factor, one)| (*factor, one.clone())).collect(),
            without: self.without,
            reading,
            sky: self.sky,
            unit: self.unit,
            turn: None,
            time: None,
            event: is_earlier.then_some(WorkEvent::RepeatState),
            note: self.unknown.iter().chain(&self.remarks).map(String::as_str).collect::<Vec<_>>().join(", "),
            state,
        })
    }
}

/// `unknown`: the clauses of the line that were not made out; none where it is all of it.
fn not_understood(text: &str, unknown: &[String], at: &At<'_>) -> Asked {
    let all = [text.to_owned()];
    let unknown = if unknown.is_empty() { &all[..] } else { unknown };
    let said = unknown.join(", ");
    let as_step =
        unknown.iter().fold(text.to_owned(), |line, clause| line.replacen(clause.as_str(), &format!("step = {clause}"), 1));
    // The rest of the line stands, and the words are its note.
    let rest = unknown.iter().fold(text.to_owned(), |line, clause| line.replacen(clause.as_str(), "", 1));
    let rest = rest.trim_matches([' ', ',', ':', ';', '.']);
    let mut choices = vec![as_step, format!("{rest} # {said}").trim().to_owned()];
    choices.extend(nearest(&said, at).into_iter().take(2));
    let asked = format!("\u{201c}{said}\u{201d} is not understood: a step of its own, another word, or a note?");
    match words(&said).iter().find_map(|word| as_tag(word, at)) {
        Some(tag) => Asked {
            asked: format!("There is no panel {tag} on this bench: add it, or is that a step of its own, or a note?"),
            choices,
            unknown_panel: Some(tag),
        },
        None => Asked::new(asked, choices),
    }
}

/// "x-3" as the tag of a panel that is not there: letters, a dash, figures.
fn as_tag(word: &str, at: &At<'_>) -> Option<String> {
    let (letters, figures) = word.split_once('-')?;
    let is_tag = (1..=4).contains(&letters.len())
        && letters.chars().all(|sign| sign.is_ascii_alphabetic())
        && (1..=4).contains(&figures.len())
        && figures.chars().all(|sign| sign.is_ascii_digit());
    (is_tag && at.names.panel_at(&[word]).is_none()).then(|| word.to_uppercase())
}

/// Names of the bench that share a word's beginning with the text.
fn nearest(text: &str, at: &At<'_>) -> Vec<String> {
    let begins: Vec<String> =
        words(text).iter().filter(|word| word.chars().count() > 2).map(|word| word.chars().take(3).collect()).collect();
    let all = at.names.panels.iter().chain(&at.names.rigs).chain(&at.names.gear).map(|(_, name)| name);
    let is_near = |name: &&String| {
        let name = name.to_lowercase();
        name.split_whitespace().any(|own| begins.iter().any(|begin| own.starts_with(begin.as_str())))
    };
    all.filter(is_near).cloned().collect()
}
