//! A notebook as it stands, line by line: what each line would come to if it were typed at work, one after the other.
//!
//! A line may begin with its time; a line that is a date is the day of those behind it; a unit by itself is that of bare figures from there
//! on; a table under a head of quantities is read row by row; ditto marks stand for what is above them; and several figures in one line
//! are as many readings of one state. What is not understood is asked about, exactly as at work.

use super::at::{Asked, At, Understood, WorkEvent};
use super::line::work;
use super::time::leading_time;
use super::turn::Turn;
use crate::measure::entry::ClockTime;
use crate::measure::logger::ColumnUse;
use crate::measure::logger::header::{understand, unit};
use crate::measure::quantity::{Dimension, Figures, Quantity};
use crate::record::beside::Beside;
use crate::record::condition::{Conditions, Factor, differences};
use jiff::civil::Date;

/// One line of a notebook.
#[derive(Debug, Clone, PartialEq)]
pub struct NotebookLine {
    /// From 1, as it stands in the text.
    pub number: usize,
    pub text: String,
    /// At the beginning of the line.
    pub time: Option<ClockTime>,
    /// The day that was written above it, the last one.
    pub day: Option<Date>,
    /// What it comes to: none for a heading, a unit or a date; several for several figures.
    pub entries: Vec<NotebookEntry>,
    /// What a line without an entry is.
    pub is: Option<Heading>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Heading {
    Day,
    Unit(Quantity),
    TableHead,
}

/// A line as it would be typed at work, and what it comes to.
#[derive(Debug, Clone, PartialEq)]
pub struct NotebookEntry {
    pub typed: String,
    pub understood: Result<Understood, Asked>,
}

impl NotebookEntry {
    /// Whether a figure of it counts, so that it needs its time.
    pub fn is_reading(&self) -> bool {
        self.understood.as_ref().is_ok_and(|one| one.reading.is_some() || one.event == Some(WorkEvent::RepeatValue))
    }
}

/// Reads a text as it would be typed at work from where the work stands.
pub fn notebook(text: &str, at: &At<'_>) -> Vec<NotebookLine> {
    let mut reading = Reading {
        current: at.current.clone(),
        states: at.states.to_vec(),
        visited: at.beside.visited.to_vec(),
        last: at.last,
        latest: at.latest.clone(),
        turn: at.turn.cloned(),
        day: None,
        head: None,
        above: Vec::new(),
    };
    text.lines()
        .enumerate()
        .filter(|(_, line)| !line.trim().is_empty())
        .map(|(nth, line)| reading.line(nth + 1, line.trim(), at))
        .collect()
}

/// Where the work stands between two lines.
struct Reading {
    current: Conditions,
    states: Vec<Conditions>,
    /// All of them in their order.
    visited: Vec<Conditions>,
    last: Option<Quantity>,
    latest: Figures,
    turn: Option<Turn>,
    day: Option<Date>,
    /// The columns of a table: quantity and unit, or none for the state.
    head: Option<Vec<Option<(Quantity, String)>>>,
    /// The cells of the row above.
    above: Vec<String>,
}

impl Reading {
    fn line(&mut self, number: usize, text: &str, at: &At<'_>) -> NotebookLine {
        let (time, rest) = leading_time(text);
        let heading = |is: Heading, day: Option<Date>| NotebookLine {
            number,
            text: text.to_owned(),
            time,
            day,
            entries: Vec::new(),
            is: Some(is),
        };
        if let Some(day) = date_of(text) {
            self.day = Some(day);
            return heading(Heading::Day, self.day);
        }
        if let Some(quantity) = unit_line(rest) {
            self.last = Some(quantity);
            return heading(Heading::Unit(quantity), self.day);
        }
        let cells = table_cells(rest);
        if let Some(head) = table_head(&cells) {
            (self.head, self.above) = (Some(head), Vec::new());
            return heading(Heading::TableHead, self.day);
        }
        let (time, typed) = match self.head.clone().filter(|head| cells.len() >= 2 && cells.len() <= head.len()) {
            Some(head) => self.row(&head, &cells, time),
            None => {
                self.head = None;
                (time, without_ditto(rest))
            }
        };
        let entries = several(&typed, self.last).into_iter().map(|typed| self.entry(typed, at)).collect();
        NotebookLine { number, text: text.to_owned(), time, day: self.day, entries, is: None }
    }

    /// A row of a table as a line: "state: 18.4 V 5.6 A". A ditto mark is the cell above.
    fn row(
        &mut self,
        head: &[Option<(Quantity, String)>],
        cells: &[String],
        time: Option<ClockTime>,
    ) -> (Option<ClockTime>, String) {
        let cells: Vec<String> = cells
            .iter()
            .enumerate()
            .map(|(nth, cell)| if is_ditto(cell) { self.above.get(nth).cloned().unwrap_or_default() } else { cell.clone() })
            .collect();
        let (mut time, mut states, mut figures) = (time, Vec::new(), Vec::new());
        for (column, cell) in
            head.iter().zip(&cells).filter(|(_, cell)| !cell.is_empty() && !matches!(cell.as_str(), "-" | "\u{2013}"))
        {
            match column {
                Some((quantity, unit)) => figures.push(figure(*quantity, unit, cell)),
                None => match leading_time(cell) {
                    (Some(of_cell), "") => time = Some(of_cell),
                    (_, _) => states.push(cell.clone()),
                },
            }
        }
        self.above = cells;
        let figures = figures.join(" ");
        let typed = if states.is_empty() { figures } else { format!("{}: {figures}", states.join(", ")) };
        (time, typed)
    }

    fn entry(&mut self, typed: String, at: &At<'_>) -> NotebookEntry {
        let here = At {
            states: &self.states,
            beside: Beside { visited: &self.visited, ..at.beside },
            current: &self.current,
            last: self.last,
            latest: &self.latest,
            turn: self.turn.as_ref(),
            ..at.clone()
        };
        let understood = work(&typed, &here);
        // A bare figure by itself says what it is of as well: the line stands alone afterwards.
        let by_itself = |typed: &str| work(typed, &At { last: None, ..here.clone() }).ok();
        let named = self.last.map(|quantity| with_quantity(&typed, quantity));
        let typed = match (&understood, named) {
            (Ok(one), Some(named)) if by_itself(&typed).is_none() => {
                let is_same = by_itself(&named).is_some_and(|alone| alone.figures() == one.figures() && alone.state == one.state);
                if is_same { named } else { typed }
            }
            _ => typed,
        };
        if let Ok(one) = &understood {
            if !self.states.iter().any(|known| differences(known, &one.state).is_empty()) {
                self.states.push(one.state.clone());
            }
            self.follow_the_turn(one);
            self.current = one.state.clone();
            self.visited.push(one.state.clone());
            one.figures().iter().for_each(|(quantity, seen)| self.latest.set(quantity, *seen));
            let of: Vec<Quantity> =
                one.figures().iter().map(|(quantity, _)| quantity).filter(|quantity| quantity.is_of_the_panel()).collect();
            if let [only] = of[..] {
                self.last = Some(only);
            }
        }
        NotebookEntry { typed, understood }
    }

    /// As [`turn_at_work`](super::turn_at_work) finds it in a record.
    fn follow_the_turn(&mut self, one: &Understood) {
        if one.turn.is_some() {
            (self.turn, self.last) = (one.turn.clone(), one.turn.as_ref().and_then(|turn| turn.quantity).or(self.last));
            return;
        }
        let changed = differences(&self.current, &one.state);
        if changed.iter().any(|factor| *factor != Factor::Panel) {
            self.turn = None;
        }
        if let Some(turn) = &mut self.turn {
            let is_of_the_panel = one.figures().iter().any(|(of, _)| of.is_of_the_panel());
            let is_reading = is_of_the_panel || one.event == Some(WorkEvent::RepeatValue);
            let is_taken_back = one.event == Some(WorkEvent::Undo);
            turn.is_read = is_reading || turn.is_read && changed.is_empty() && !is_taken_back;
        }
    }
}

/// A line that is a date and nothing else: 2026-05-04, 4.5.2026, 04/05/2026.
fn date_of(text: &str) -> Option<Date> {
    let numbers: Vec<&str> = text.trim_end_matches(['.', ':']).split(['-', '.', '/']).collect();
    let [a, b, c] = numbers[..] else { return None };
    let number = |text: &str| text.trim().parse::<i16>().ok();
    let (year, month, day) = if a.len() == 4 { (a, b, c) } else { (c, b, a) };
    if year.trim().len() != 4 {
        return None;
    }
    Date::new(number(year)?, i8::try_from(number(month)?).ok()?, i8::try_from(number(day)?).ok()?).ok()
}

/// The quantity of a unit.
fn quantity_of(dimension: Dimension) -> Option<Quantity> {
    match dimension {
        Dimension::Voltage => Some(Quantity::Voltage),
        Dimension::Current => Some(Quantity::Current),
        Dimension::Power => Some(Quantity::Power),
        Dimension::Energy => Some(Quantity::Energy),
        Dimension::Charge => Some(Quantity::Charge),
        Dimension::Irradiance | Dimension::Temperature | Dimension::Share | Dimension::Speed => None,
    }
}

/// A line that names a unit for what follows: "W", "all in watts", "(amps)", "Isc in A".
fn unit_line(text: &str) -> Option<Quantity> {
    let plain = text.trim_matches(|sign: char| matches!(sign, '(' | ')' | '[' | ']' | ':' | '.') || sign.is_whitespace());
    let words: Vec<&str> = plain.split_whitespace().collect();
    let lower: Vec<String> = words.iter().map(|word| word.trim_end_matches(':').to_lowercase()).collect();
    let (last, before) = lower.split_last()?;
    let of = |word: &str| match word {
        "voc" => Some(Quantity::Voc),
        "isc" => Some(Quantity::Isc),
        _ => None,
    };
    if before.is_empty() && of(last).is_some() {
        return of(last);
    }
    let named = before.iter().find_map(|word| of(word));
    let is_plain = before.iter().all(|word| {
        matches!(
            word.as_str(),
            "all" | "in" | "units" | "unit" | "figures" | "values" | "readings" | "everything" | "=" | "power"
        ) || of(word).is_some()
    });
    // One letter in capitals: "a" is a word.
    let spelled = words.last().map(|word| word.trim_end_matches(':'))?;
    let dimension = unit(spelled).filter(|_| spelled.len() > 1 || matches!(spelled, "V" | "A" | "W"))?.dimension;
    let quantity = named.or_else(|| quantity_of(dimension))?;
    (is_plain && quantity.dimension() == dimension).then_some(quantity)
}

/// Cells at tabs, bars, semicolons or wide gaps.
fn table_cells(text: &str) -> Vec<String> {
    let text = text.trim_matches('|');
    let by = |parts: Vec<&str>| parts.into_iter().map(|cell| cell.trim().to_owned()).collect::<Vec<String>>();
    for sign in ['\t', '|', ';'] {
        if text.contains(sign) {
            return by(text.split(sign).collect());
        }
    }
    let wide: Vec<&str> = text.split("  ").filter(|cell| !cell.trim().is_empty()).collect();
    by(wide)
}

/// The columns of a table, where at least one of two cells or more is a quantity or a unit, and none is a figure.
fn table_head(cells: &[String]) -> Option<Vec<Option<(Quantity, String)>>> {
    let has_digit = |cell: &String| cell.bytes().any(|byte| byte.is_ascii_digit());
    if cells.len() < 2 || cells.iter().any(has_digit) {
        return None;
    }
    let columns: Vec<Option<(Quantity, String)>> = cells
        .iter()
        .map(|cell| match understand(cell, "").used_as {
            ColumnUse::Quantity(quantity) => {
                let unit = understand(cell, "").unit;
                Some((quantity, if unit.is_empty() { quantity.unit().to_owned() } else { unit }))
            }
            ColumnUse::Ignored
            | ColumnUse::Time
            | ColumnUse::Date
            | ColumnUse::TimeOfDay
            | ColumnUse::Device
            | ColumnUse::Unit => None,
        })
        .collect();
    columns.iter().any(Option::is_some).then_some(columns)
}

/// A figure of a table as it would be typed.
fn figure(quantity: Quantity, unit: &str, cell: &str) -> String {
    // A cell with a unit of its own says more than its column.
    let with_unit =
        if cell.ends_with(|sign: char| sign.is_alphabetic() || sign == '%') { cell.to_owned() } else { format!("{cell} {unit}") };
    match quantity {
        Quantity::Voc => format!("Voc {with_unit}"),
        Quantity::Isc => format!("Isc {with_unit}"),
        Quantity::OutputVoltage | Quantity::OutputCurrent | Quantity::OutputPower => format!("out {with_unit}"),
        Quantity::CheckPower | Quantity::CheckEnergy => format!("check {with_unit}"),
        Quantity::Ghi => format!("ghi {with_unit}"),
        Quantity::Rear => format!("rear {with_unit}"),
        Quantity::ReferenceCurrent | Quantity::ReferencePower | Quantity::ReferenceCell => format!("ref {with_unit}"),
        Quantity::Cell => format!("cell {with_unit}"),
        Quantity::Back => format!("back {with_unit}"),
        Quantity::Air => format!("air {with_unit}"),
        Quantity::Voltage
        | Quantity::Current
        | Quantity::Power
        | Quantity::Energy
        | Quantity::Charge
        | Quantity::Poa
        | Quantity::Humidity
        | Quantity::Wind => with_unit,
    }
}

/// A line that ends in a bare figure, with what that is of.
fn with_quantity(typed: &str, quantity: Quantity) -> String {
    let at = typed.rfind(|sign: char| sign.is_whitespace()).map_or(0, |at| at + 1);
    let (before, number) = typed.split_at(at);
    format!("{before}{}", figure(quantity, quantity.unit(), number))
}

fn is_ditto(text: &str) -> bool {
    matches!(text.trim(), "\"" | "''" | "\u{201d}" | "\u{201c}" | "\u{3003}" | ",," | "ditto" | "do" | "do.")
}

/// A line whose state is that above, by a mark in its place; a mark alone is the reading above again.
fn without_ditto(text: &str) -> String {
    if is_ditto(text) {
        return "same".to_owned();
    }
    let (first, rest) = text.split_once(char::is_whitespace).unwrap_or((text, ""));
    if is_ditto(first.trim_end_matches(':')) { rest.trim().to_owned() } else { text.to_owned() }
}

/// Several figures of one state in one line, "flat: 82, 81, 80 W", as a line each. A mean that somebody worked out beside them
/// ("say 81") is a note: it is no reading.
fn several(typed: &str, last: Option<Quantity>) -> Vec<String> {
    let one = || vec![typed.to_owned()];
    let (state, list) = match typed.split_once(": ") {
        Some((state, list)) => (format!("{state}: "), list),
        None => (String::new(), typed),
    };
    let parts: Vec<&str> = list.split(", ").map(str::trim).collect();
    let (said, parts): (Vec<&str>, Vec<&str>) = parts.into_iter().partition(|part| {
        let lower = part.to_lowercase();
        ["say ", "so ", "mean ", "average ", "avg ", "about "].iter().any(|word| lower.starts_with(word))
    });
    let number_and_unit = |part: &str| {
        let end = part.find(|sign: char| !(sign.is_ascii_digit() || matches!(sign, '.' | ','))).unwrap_or(part.len());
        let (number, unit_text) = (part.get(..end)?, part.get(end..)?.trim());
        let is_number = number.replace(',', ".").parse::<f64>().is_ok();
        let is_unit = unit_text.is_empty() || unit(unit_text).is_some();
        (is_number && is_unit).then(|| (number.to_owned(), unit_text.to_owned()))
    };
    let figures: Option<Vec<(String, String)>> = parts.iter().map(|part| number_and_unit(part)).collect();
    let Some(figures) = figures.filter(|figures| figures.len() >= 2) else { return one() };
    // One unit for all of them; "18.4 V, 5.6 A" is one reading.
    let mut units: Vec<&str> = figures.iter().map(|(_, unit)| unit.as_str()).filter(|unit| !unit.is_empty()).collect();
    units.dedup();
    let of_all = match units[..] {
        [] if last.is_some() => String::new(),
        [only] => format!(" {only}"),
        _ => return one(),
    };
    let line = |nth: usize, number: &str| {
        let state = if nth == 0 { state.as_str() } else { "" };
        format!("{state}{number}{of_all}")
    };
    let mut lines: Vec<String> = figures.iter().enumerate().map(|(nth, (number, _))| line(nth, number)).collect();
    lines.extend(said.iter().map(|words| format!("# {words}")));
    lines
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::record::names::Names;
    use crate::record::setup::Setup;

    fn read(text: &str) -> Vec<NotebookLine> {
        let names =
            Names { panels: vec![("a".to_owned(), "K-1".to_owned()), ("b".to_owned(), "K-2".to_owned())], ..Names::default() };
        let current = Conditions::new();
        let at = At {
            names: &names,
            states: &[],
            current: &current,
            rig_strings: &[],
            beside: Beside::default(),
            last: None,
            latest: &Figures::default(),
            turn: None,
            setup: Setup::default(),
        };
        notebook(text, &at)
    }

    fn figures(line: &NotebookLine) -> Vec<Vec<(Quantity, f64)>> {
        let of = |entry: &NotebookEntry| {
            let understood = entry.understood.as_ref().unwrap();
            understood.figures().iter().map(|(quantity, seen)| (quantity, seen.low)).collect()
        };
        line.entries.iter().map(of).collect()
    }

    #[test]
    fn times_days_and_units_stand_where_they_stand() {
        let lines = read("2026-05-04\nall in watts\n10:15 flat 78\n10:19:30 tilt 35: 84\n\n2:05 pm - back: 79\n9h05 80\n");
        assert_eq!(lines.len(), 6);
        assert_eq!((lines[0].is, lines[1].is), (Some(Heading::Day), Some(Heading::Unit(Quantity::Power))));
        let times: Vec<Option<(u32, u32, u32)>> = lines
            .iter()
            .map(|line| line.time.map(|time| (u32::from(time.hour), u32::from(time.minute), u32::from(time.second))))
            .collect();
        assert_eq!(times[2..], [Some((10, 15, 0)), Some((10, 19, 30)), Some((14, 5, 0)), Some((9, 5, 0))]);
        assert_eq!(lines[3].day, Date::new(2026, 5, 4).ok());
        for (line, watts_w) in lines[2..].iter().zip([78.0, 84.0, 79.0, 80.0]) {
            assert_eq!(figures(line), [vec![(Quantity::Power, watts_w)]], "{}", line.text);
        }
        assert_eq!(lines[6 - 1].number, 7);
        // Each line can be sent by itself.
        let typed: Vec<&str> = lines[2..].iter().map(|line| line.entries[0].typed.as_str()).collect();
        assert_eq!(typed, ["flat 78 W", "tilt 35: 84 W", "back: 79 W", "80 W"]);
    }

    #[test]
    fn several_figures_are_as_many_readings_and_a_said_mean_is_none() {
        let lines = read("flat: 82, 81, 80 W, say 81\n18.4 V, 5.6 A\ntilt 35: 12.5, 13 A");
        let watts = |watts_w: f64| vec![(Quantity::Power, watts_w)];
        assert_eq!(figures(&lines[0]), [watts(82.0), watts(81.0), watts(80.0), Vec::new()]);
        assert_eq!(lines[0].entries[3].understood.as_ref().unwrap().event, Some(WorkEvent::Note));
        assert_eq!(figures(&lines[1]), [vec![(Quantity::Voltage, 18.4), (Quantity::Current, 5.6)]]);
        assert_eq!(figures(&lines[2]), [vec![(Quantity::Current, 12.5)], vec![(Quantity::Current, 13.0)]]);
    }

    #[test]
    fn a_table_is_read_by_its_head_and_ditto_marks_are_what_is_above() {
        let lines = read("panel | V | A\nK-1 | 18.4 | 5.6\n\" | 18.5 | \"\nK-2 | 17.9 | 5.2 A\n");
        assert_eq!(lines[0].is, Some(Heading::TableHead));
        let of = |volts_v: f64, current_a: f64| [vec![(Quantity::Voltage, volts_v), (Quantity::Current, current_a)]];
        assert_eq!(figures(&lines[1]), of(18.4, 5.6));
        assert_eq!(figures(&lines[2]), of(18.5, 5.6));
        assert_eq!(figures(&lines[3]), of(17.9, 5.2));
        let state = |line: &NotebookLine| line.entries[0].understood.as_ref().unwrap().state.clone();
        assert_eq!(state(&lines[1]), state(&lines[2]));
        assert_ne!(state(&lines[2]), state(&lines[3]));
        let open = read("tag\tVoc (V)\tIsc (A)\nK-1\t22.1\t6.0\nK-2\t21.9\t5.9");
        assert_eq!(figures(&open[1]), [vec![(Quantity::Voc, 22.1), (Quantity::Isc, 6.0)]]);
    }

    #[test]
    fn a_mark_alone_is_the_reading_again_and_one_in_front_the_state() {
        let lines = read("flat 78 W\n\"\n\" 79 W");
        assert!(lines.iter().all(|line| line.entries[0].is_reading()));
        assert_eq!(lines[1].entries[0].understood.as_ref().unwrap().event, Some(WorkEvent::RepeatValue));
        assert_eq!(figures(&lines[2]), [vec![(Quantity::Power, 79.0)]]);
    }

    #[test]
    fn what_is_not_understood_is_asked_and_the_rest_goes_on() {
        let lines = read("flat 78 W\nfrobnicate 80 W\ntilt 35: 84 W");
        assert!(lines[1].entries[0].understood.is_err());
        assert_eq!(figures(&lines[2]), [vec![(Quantity::Power, 84.0)]]);
    }
}
