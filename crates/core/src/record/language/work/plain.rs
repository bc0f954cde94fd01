//! Figures in the words, units and signs of people, as the entry line reads them.

use crate::decimal::Decimal;

/// Units of what a panel gives.
pub(super) const ELECTRICAL: [&str; 14] =
    ["w", "v", "a", "wh", "ah", "kw", "kwh", "ma", "mv", "mw", "watts", "volts", "amps", "amp"];

/// Words beside a figure that say how it was read, or where, and what the entry line calls that.
const AROUND_FIGURES: [(&str, &str); 103] = [
    ("maybe", ""),
    ("i think", ""),
    ("probably", ""),
    ("perhaps", ""),
    ("to and fro", ""),
    ("back and forth", ""),
    ("falling from", ""),
    ("dropping from", ""),
    ("rising from", ""),
    ("going from", ""),
    ("went from", ""),
    ("went up to", ""),
    ("went down to", ""),
    ("up to", ""),
    ("down to", ""),
    ("dropped to", ""),
    ("drops to", ""),
    ("dropping to", ""),
    ("fell to", ""),
    ("falls to", ""),
    ("falling to", ""),
    ("rose to", ""),
    ("rises to", ""),
    ("rising to", ""),
    ("climbed to", ""),
    ("climbing to", ""),
    ("went to", ""),
    ("goes to", ""),
    ("came to", ""),
    ("comes to", ""),
    ("settled at", "settled"),
    ("settles at", "settled"),
    ("settling at", "settled"),
    ("settled on", "settled"),
    ("peaked at", "peak"),
    ("peaks at", "peak"),
    ("on the pyranometer", ""),
    ("on the meter", ""),
    ("on the display", ""),
    ("display", ""),
    ("the meter says", ""),
    ("the meter shows", ""),
    ("meter says", ""),
    ("meter shows", ""),
    ("on average", ""),
    ("average", ""),
    ("avg", ""),
    ("mean", ""),
    ("roughly", ""),
    ("approximately", ""),
    ("approx", ""),
    ("exactly", ""),
    ("getting", ""),
    ("got", ""),
    ("giving", ""),
    ("making", ""),
    ("doing", ""),
    ("pulling", ""),
    ("i get", ""),
    ("wanders", ""),
    ("wandering", ""),
    ("flickers", ""),
    ("flickering", ""),
    ("jumps", ""),
    ("jumping", ""),
    ("bouncing", ""),
    ("swinging", ""),
    ("from", ""),
    ("between", ""),
    ("reads", ""),
    ("reading", ""),
    ("showing", ""),
    ("the display", ""),
    ("steady", ""),
    ("battery gets", "out"),
    ("battery takes", "out"),
    ("into battery", "out"),
    ("to battery", "out"),
    ("around", ""),
    ("about", ""),
    ("nearly", ""),
    ("again", ""),
    ("now", ""),
    ("still", ""),
    ("shows", ""),
    ("says", ""),
    ("gives", ""),
    ("makes", ""),
    ("once", ""),
    ("more", ""),
    ("batt", "out"),
    ("into the battery", "out"),
    ("to the battery", "out"),
    ("at the battery", "out"),
    ("going in", "out"),
    ("charging", "out"),
    ("then", ""),
    ("call it", "settled"),
    ("say", "settled"),
    ("amps", "A"),
    ("amp", "A"),
    ("volts", "V"),
    ("watts", "W"),
];

/// Words beside volts that say they are those of the panels: what bare volts of a controller mean anyhow.
const PANEL_SIDE: [&str; 10] =
    ["panel side", "panels side", "at the panel", "at the panels", "string", "panels", "panel", "array", "pv", "input"];

/// Words between two figures that make a range of them.
const RANGES: [&str; 10] =
    [" falling to ", " dropping to ", " rising to ", " down to ", " up to ", " and then ", " then ", " to ", " .. ", ".."];

/// What people say of a panel without a load, and of one whose leads touch, and what the entry line calls that.
const OPEN_AND_SHORT: [(&str, &str); 14] = [
    ("unloaded", "voc"),
    ("no load", "voc"),
    ("open circuit voltage", "voc"),
    ("open-circuit voltage", "voc"),
    ("open circuit volts", "voc"),
    ("open circuit", "voc"),
    ("open-circuit", "voc"),
    ("open volts", "voc"),
    ("short circuit current", "isc"),
    ("short-circuit current", "isc"),
    ("short circuit amps", "isc"),
    ("short circuit", "isc"),
    ("short-circuit", "isc"),
    ("shorted", "isc"),
];

/// Words before a temperature, and what the entry line calls it; of a panel it is what the test's own probe reads.
const WARM: [(&str, &str); 18] = [
    ("cells", "cell"),
    ("thermocouple", ""),
    ("thermometer", ""),
    ("ir gun", ""),
    ("infrared", ""),
    ("amb", "air"),
    ("panel temperature", ""),
    ("panel temp", ""),
    ("module temperature", ""),
    ("module temp", ""),
    ("cell temperature", "cell"),
    ("cell temp", "cell"),
    ("back temperature", "back"),
    ("back temp", "back"),
    ("air temperature", "air"),
    ("air temp", "air"),
    ("ambient temperature", "air"),
    ("ambient", "air"),
];

/// Figures as the entry line reads them: words that say where come first, ranges have their sign.
pub(super) fn plain(text: &str) -> String {
    let mut text = format!(" {} ", text.to_lowercase().replace('\u{2019}', "'")).replace(" zero ", " 0 ");
    text = text.replace(" watt hours ", " wh ").replace(" watt-hours ", " wh ").replace(" watthours ", " wh ");
    if let Some(named) = named_in_words(&text) {
        return named;
    }
    text = by_symbols(&side_by_side(&product(&with_limits(&text))));
    text = text.replace(" battery at ", " battery ");
    text = listed(&text);
    if text.contains(" between ") {
        text = text.replace(" and ", " to ");
    }
    for (said, _) in AROUND_FIGURES.iter().filter(|(said, _)| ["to and fro", "back and forth"].contains(said)) {
        // Before their "to" makes a range.
        text = text.replace(&format!(" {said} "), " ");
    }
    // "Half a cell" is a shade.
    for (said, figure) in [
        (" half an amp", " 0.5 amp"),
        (" half a volt", " 0.5 volt"),
        (" half a watt", " 0.5 watt"),
        (" an amp ", " 1 A "),
        (" a volt ", " 1 V "),
    ] {
        if ends_in_a_unit(&text) {
            text = text.replace(said, figure);
        }
    }
    text = unit_behind(&text);
    for range in RANGES.iter().chain(&[" - "]) {
        // "to 14 V" is no range: both sides are figures.
        let is_between = |at: usize| {
            text[..at].ends_with(|sign: char| sign.is_ascii_digit())
                && text[at + range.len()..].starts_with(|sign: char| sign.is_ascii_digit() || sign == '.')
        };
        if let Some(at) = text.find(range).filter(|at| is_between(*at)) {
            text.replace_range(at..at + range.len(), "-");
        }
    }
    let mut side = "";
    for said in PANEL_SIDE.iter().filter(|_| is_of_volts_alone(&text)).map(|said| format!(" {said} ")).collect::<Vec<_>>() {
        if text.contains(&said) {
            text = text.replace(&said, " ");
            side = "in ";
        }
    }
    if let Some(before) = text.trim_end().strip_suffix(" out") {
        text = format!("{before} ");
        side = "out ";
    }
    for (said, means) in AROUND_FIGURES {
        let padded = format!(" {said} ");
        if text.contains(&padded) {
            let keeps = if means == "out" { "" } else { means };
            text = text.replace(&padded, &format!(" {keeps} "));
            side = if means == "out" { "out " } else { side };
        }
    }
    format!("{side}{}", text.split_whitespace().collect::<Vec<_>>().join(" "))
}

/// A line that is an open voltage, a short current or a temperature in the words of people: "open circuit 23.1 V", "23.1 V open circuit",
/// "panel temp 48".
fn named_in_words(text: &str) -> Option<String> {
    let text = text.trim();
    let rest =
        |said: &str| text.strip_prefix(said).or_else(|| text.strip_suffix(said)).map(|rest| rest.trim_matches([' ', '=', ':']));
    let open_or_short = OPEN_AND_SHORT.iter().find_map(|(said, name)| {
        let figure = rest(said)?;
        let (number, unit) = figure.split_at(figure.find(|sign: char| sign.is_alphabetic()).unwrap_or(figure.len()));
        let is_of_it = match *name {
            "voc" => ["", "v", "volts", "mv"].contains(&unit.trim()),
            _ => ["", "a", "amps", "amp", "ma"].contains(&unit.trim()),
        };
        (is_of_it && is_bare(number)).then(|| format!("{name} {figure}"))
    });
    open_or_short.or_else(|| {
        WARM.iter().find_map(|(said, name)| {
            let figure = text.strip_prefix(said)?.trim_matches([' ', '=', ':']);
            let number = figure.trim_end_matches(|sign: char| !sign.is_ascii_digit());
            let unit = figure[number.len()..].trim();
            // "Cells 3" may be a shade.
            let is_warmth = (*said != "cells" || !unit.is_empty())
                && ["", "c", "\u{b0}", "\u{b0}c", "deg", "degrees", "deg c"].contains(&unit);
            (is_warmth && is_bare(number)).then(|| format!("{name} {number} c").trim().to_owned())
        })
    })
}

/// Whether words say that a panel was read without a load, or with its leads together.
pub(super) fn names_open_or_short(said: &str) -> bool {
    OPEN_AND_SHORT.iter().any(|(known, _)| said.eq_ignore_ascii_case(known))
}

/// "U=18.4V I=8.2A", "P=151 W", "Uoc 22.4", "G 870": symbols before their figures (IEC 60027-1 has U and V for volts), as the entry line names
/// them.
fn by_symbols(text: &str) -> String {
    const SYMBOLS: [(&str, &str, &str); 12] = [
        ("u", "", "v"),
        ("v", "", "v"),
        ("i", "", "a"),
        ("p", "", "w"),
        ("mpp", "", "w"),
        ("pmpp", "", "w"),
        ("uoc", "voc", ""),
        ("u0", "voc", ""),
        ("umpp", "vmp", ""),
        ("ump", "vmp", ""),
        ("impp", "imp", ""),
        ("g", "sun", ""),
    ];
    let spaced = text.replace('=', " ");
    let parts: Vec<&str> = spaced.split_whitespace().collect();
    let is_figure = |part: Option<&&str>| part.is_some_and(|part| part.starts_with(|sign: char| sign.is_ascii_digit()));
    let has_unit = |nth: usize| {
        let own = parts[nth].ends_with(|sign: char| sign.is_alphabetic());
        own || parts.get(nth + 1).is_some_and(|next| ELECTRICAL.contains(next) && !is_figure(parts.get(nth + 2)))
    };
    let mut out: Vec<String> = Vec::new();
    let mut nth = 0;
    while nth < parts.len() {
        let symbol = SYMBOLS.iter().find(|(symbol, ..)| *symbol == parts[nth]).filter(|_| is_figure(parts.get(nth + 1)));
        // A unit behind its figure is none: "18.4 V 8.2 A".
        let is_a_unit = nth > 0 && is_figure(parts.get(nth - 1)) && !has_unit(nth - 1);
        match symbol.filter(|_| !is_a_unit) {
            Some((_, name, unit)) => {
                out.extend(Some((*name).to_owned()).filter(|name| !name.is_empty()));
                out.push(parts[nth + 1].to_owned());
                out.extend(Some((*unit).to_owned()).filter(|unit| !unit.is_empty() && !has_unit(nth + 1)));
                nth += 2;
            }
            None => {
                out.push(parts[nth].to_owned());
                nth += 1;
            }
        }
    }
    format!(" {} ", out.join(" "))
}

/// "150 \u{b1} 2 W", "150 W +/- 1": a range about its middle.
fn with_limits(text: &str) -> String {
    let spaced = text.replace("+/-", " \u{b1} ").replace("+-", " \u{b1} ").replace('\u{b1}', " \u{b1} ");
    let parts: Vec<&str> = spaced.split_whitespace().collect();
    let Some(sign) = parts.iter().position(|part| *part == "\u{b1}") else { return text.to_owned() };
    let number = |at: Option<usize>| at.and_then(|at| parts.get(at)).and_then(|part| Decimal::parse(part).ok());
    // The middle stands before the sign, or before its own unit.
    let (middle_at, unit) = match number(sign.checked_sub(1)) {
        Some(_) => (sign.checked_sub(1), None),
        None => (sign.checked_sub(2), sign.checked_sub(1).map(|at| parts[at])),
    };
    let (Some(at), Some(middle), Some(limit)) = (middle_at, number(middle_at), number(Some(sign + 1))) else {
        return text.to_owned();
    };
    let decimals = middle.decimals().max(limit.decimals());
    let (low, high) = (middle.value() - limit.value(), middle.value() + limit.value());
    let range = format!("{low:.decimals$}-{high:.decimals$}");
    let before = parts[..at].join(" ");
    let after = parts[sign + 2..].join(" ");
    if low < 0.0 { text.to_owned() } else { format!(" {before} {range} {} {after} ", unit.unwrap_or_default()) }
}

/// "13.5 x 8.9": volts times amps, which is what anybody multiplies.
fn product(text: &str) -> String {
    let parts: Vec<&str> = text.split_whitespace().collect();
    match &parts[..] {
        [volts, "x" | "\u{d7}" | "*", amps] if Decimal::parse(volts).is_ok() && Decimal::parse(amps).is_ok() => {
            format!(" {volts} v {amps} a ")
        }
        _ => text.to_owned(),
    }
}

/// "18.9 V x 8.1 A", "18.9V/8.1A", "18.9 V @ 8.1 A": volts and amps side by side.
fn side_by_side(text: &str) -> String {
    let spaced: Vec<&str> = text.split_whitespace().collect();
    let ends_in_unit = |part: &str| {
        let unit = part.trim_start_matches(|sign: char| sign.is_ascii_digit() || ".,".contains(sign));
        ["v", "a", "volts", "amps"].contains(&unit)
    };
    let begins_in_figure = |part: Option<&&str>| part.is_some_and(|part| part.starts_with(|sign: char| sign.is_ascii_digit()));
    let mut out: Vec<String> = Vec::new();
    for (nth, part) in spaced.iter().enumerate() {
        let is_between = nth > 0 && ends_in_unit(spaced[nth - 1]) && begins_in_figure(spaced.get(nth + 1));
        if is_between && ["x", "\u{d7}", "*", "@", "/", "by", "and", "at"].contains(part) {
            continue;
        }
        let joined = ['x', '\u{d7}', '*', '@', '/'].iter().find_map(|sign| part.split_once(*sign));
        match joined {
            Some((volts, amps)) if ends_in_unit(volts) && begins_in_figure(Some(&amps)) => {
                out.extend([volts.to_owned(), amps.to_owned()]);
            }
            Some(_) | None => out.push((*part).to_owned()),
        }
    }
    format!(" {} ", out.join(" "))
}

/// "171/170/169 W" and "140ish": figures side by side, and one that is not sure.
fn listed(text: &str) -> String {
    let one = |part: &str| {
        let figures: Vec<&str> = part.split('/').collect();
        let is_list = figures.len() > 1
            && figures[..figures.len() - 1].iter().all(|figure| figure.len() > 1 && Decimal::parse(figure).is_ok())
            && figures.last().is_some_and(|last| last.len() > 1 && last.starts_with(|sign: char| sign.is_ascii_digit()));
        let about = part.strip_suffix("ish").filter(|figure| Decimal::parse(figure).is_ok());
        match (is_list, about) {
            (true, _) => figures.join(" "),
            (false, Some(figure)) => figure.to_owned(),
            (false, None) => part.to_owned(),
        }
    };
    format!(" {} ", text.split_whitespace().map(one).collect::<Vec<_>>().join(" "))
}

/// "Wh 212", "Voc 24.3 W 150": a unit that stands before its figure goes behind it, where the figure before is none of its own.
fn unit_behind(text: &str) -> String {
    let mut parts: Vec<&str> = text.split_whitespace().collect();
    let is_number = |part: Option<&&str>| part.is_some_and(|part| Decimal::parse(part).is_ok());
    for nth in 0..parts.len() {
        let is_unit = |part: Option<&&str>| part.is_some_and(|part| ELECTRICAL.contains(part));
        let of_volts = |name: Option<&&str>| name.is_some_and(|name| ["voc", "vmp"].contains(name));
        let of_amps = |name: Option<&&str>| name.is_some_and(|name| ["isc", "imp"].contains(name));
        let is_free = match nth.checked_sub(1) {
            Some(before) if is_number(parts.get(before)) => {
                let name = before.checked_sub(1).and_then(|at| parts.get(at));
                of_volts(name) && !["v", "mv", "volts"].contains(&parts[nth])
                    || of_amps(name) && !["a", "ma", "amps", "amp"].contains(&parts[nth])
            }
            Some(_) | None => true,
        };
        if is_unit(parts.get(nth)) && is_free && is_number(parts.get(nth + 1)) && !is_unit(parts.get(nth + 2)) {
            parts.swap(nth, nth + 1);
        }
    }
    format!(" {} ", parts.join(" "))
}

fn ends_in_a_unit(text: &str) -> bool {
    text.split_whitespace().last().is_some_and(|last| ELECTRICAL.contains(&last))
}

/// Whether its figures with a unit are all volts.
fn is_of_volts_alone(text: &str) -> bool {
    let units: Vec<&str> = text
        .split_whitespace()
        .map(|part| part.trim_start_matches(|sign: char| sign.is_ascii_digit() || ".,-".contains(sign)))
        .filter(|unit| ELECTRICAL.contains(unit))
        .collect();
    !units.is_empty() && units.iter().all(|unit| ["v", "mv", "volts"].contains(unit))
}

/// "35", "8,5-9.5": figures without a unit or name.
pub(super) fn is_bare(text: &str) -> bool {
    let parts = text.split(['-', ' ']).filter(|part| !part.is_empty());
    let mut count = 0;
    for part in parts {
        count += 1;
        if Decimal::parse(part).is_err() {
            return false;
        }
    }
    count > 0
}
