//! A line at work, clause by clause.

use super::at::{Asked, At, Understood, WorkEvent};
use super::figures::{ends_in_a_figure, is_figures, reading};
use super::state::{Said, speaks_of_a_state, state};
use crate::record::condition::{Condition, Conditions, Factor, Value, differences};
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
    let lower = text.to_lowercase();
    if let Some(understood) = whole_line(&lower, at) {
        return Ok(understood);
    }
    if let Some(rest) = correction(&lower) {
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
    let mut line = Line {
        at,
        changes: Conditions::new(),
        without: Vec::new(),
        figures: Vec::new(),
        sky: None,
        back: None,
        unknown: Vec::new(),
        twice: None,
    };
    for clause in clauses(text) {
        line.clause(clause);
    }
    line.finished(text)
}

/// Lines that are one word or phrase.
fn whole_line(lower: &str, at: &At<'_>) -> Option<Understood> {
    const PHRASES: [(WorkEvent, &[&str]); 5] = [
        (WorkEvent::Cloud, &["cloud", "a cloud", "clouds", "cloud now", "cloud passing", "passing cloud"]),
        (WorkEvent::Begin, &["begin", "go", "start", "plugged in, go", "plugged in"]),
        (WorkEvent::End, &["end", "done", "stop", "unplugged", "finished"]),
        (WorkEvent::Undo, &["undo", "scratch that", "forget that", "delete that"]),
        (WorkEvent::RepeatValue, &["same", "ditto", "same again", "the same", "unchanged"]),
    ];
    let (event, _) = PHRASES.iter().find(|(_, phrases)| phrases.contains(&lower.trim_end_matches('.')))?;
    Some(Understood { event: Some(*event), state: at.current.clone(), ..Understood::default() })
}

/// What follows a word of correction.
fn correction(lower: &str) -> Option<&str> {
    const BEFORE: [&str; 7] = ["no, ", "no ", "i mean ", "sorry ", "sorry, ", "rather ", "correction "];
    let before = BEFORE.iter().find_map(|word| lower.strip_prefix(word));
    let after = || lower.strip_suffix(" sorry").or_else(|| lower.strip_suffix(", sorry"));
    before.or_else(after).filter(|rest| rest.starts_with(|sign: char| sign.is_ascii_digit() || sign == '.'))
}

/// A text at its commas, colons, semicolons and full stops; those between two digits belong to a figure.
fn clauses(text: &str) -> Vec<&str> {
    let signs: Vec<(usize, char)> = text.char_indices().collect();
    let mut clauses = Vec::new();
    let mut from = 0;
    for (nth, (at, sign)) in signs.iter().enumerate() {
        let digit = |other: Option<&(usize, char)>| other.is_some_and(|(_, sign)| sign.is_ascii_digit());
        let before = nth.checked_sub(1).and_then(|nth| signs.get(nth));
        let after = signs.get(nth + 1);
        let parts = match sign {
            ',' | '.' | ':' => {
                !(digit(before) && digit(after))
                    && !(*sign == '.'
                        && (digit(after) || after.is_some_and(|one| one.1 == '.') || before.is_some_and(|one| one.1 == '.')))
            }
            ';' | '(' | ')' => true,
            _ => false,
        };
        if parts {
            clauses.push(&text[from..*at]);
            from = at + sign.len_utf8();
        }
    }
    clauses.push(&text[from..]);
    clauses.into_iter().map(str::trim).filter(|clause| !clause.is_empty()).collect()
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
    /// A factor that the line says two things of.
    twice: Option<Factor>,
}

fn is_single(panels: &Condition) -> bool {
    matches!(&panels.value, Value::Panels(ids) if ids.len() == 1)
}

impl Line<'_, '_> {
    fn clause(&mut self, clause: &str) {
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
        // A figure, and then words that say nothing of it.
        for end in ends.iter().rev() {
            let (head, tail) = (clause[..*end].trim(), clause[*end..].trim());
            if is_figures(head, self.at) && !tail.chars().any(|sign| sign.is_ascii_digit()) && !speaks_of_a_state(tail, self.at) {
                self.figures.push(head.to_owned());
                return self.unknown.push(tail.to_owned());
            }
        }
        self.unknown.push(clause.to_owned());
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
            Said::Nothing => {}
        }
    }

    /// All conditions after the line.
    fn state_after(&self) -> Conditions {
        let mut state = self.back.map_or(self.at.current, |back| &self.at.states[back]).clone();
        for factor in &self.without {
            state.remove(factor);
        }
        state.extend(self.changes.clone());
        state
    }

    fn finished(self, text: &str) -> Result<Understood, Asked> {
        if let Some(factor) = self.twice {
            return Err(Asked {
                asked: format!("This says two things of the {}: which one is it? One line for each.", factor.label()),
                choices: clauses(text).into_iter().map(str::to_owned).collect(),
            });
        }
        let pieces: Vec<&str> = self.figures.iter().map(String::as_str).collect();
        let state = self.state_after();
        let reading = reading(&pieces, &state, self.at).map_err(|bare| bare.asked(text))?;
        let says_state = !self.changes.is_empty() || self.back.is_some() || self.sky.is_some();
        // Words beside a figure, or of a state that was not made out, may change what the figure is of.
        let has_digits = |clause: &String| clause.chars().any(|sign| sign.is_ascii_digit());
        let is_open = self.unknown.iter().any(|clause| speaks_of_a_state(clause, self.at) || has_digits(clause));
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
            event: is_earlier.then_some(WorkEvent::RepeatState),
            note: self.unknown.join(", "),
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
    Asked { asked: format!("\u{201c}{said}\u{201d} is not understood: a step of its own, another word, or a note?"), choices }
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
