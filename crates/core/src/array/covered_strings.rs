//! Strings with covered panels, on one controller or on several: what each clearing brings, in which order to clear, and whether measured
//! string amps agree.

use super::Array;
use crate::error::Error;
use crate::panel::curve::{At, Curve};
use crate::panel::layout::Panel;

/// Light that comes through snow or a thick layer of dirt, as a share. Common practice, no source.
const THROUGH_COVER: f64 = 0.03;

/// Strings of one kind of panel; `true` where a panel is covered.
#[derive(Debug, Clone, PartialEq)]
pub struct CoveredStrings {
    pub strings: Vec<Vec<bool>>,
}

/// A hill below this share of the best one is passed by on the way down. Common practice, no source: covered panels leave local_maxima of a
/// few percent.
const FIRST_HILL_REL: f64 = 0.2;

/// More panels are a field.
const MOST_PANELS: usize = 60;

impl CoveredStrings {
    /// One line a string: `o` is a clear panel, `x` a covered one. The error is a sentence.
    pub fn parse(text: &str) -> Result<Self, String> {
        let mut strings = Vec::new();
        for line in text.lines().map(str::trim).filter(|line| !line.is_empty()) {
            let string = line
                .chars()
                .filter(|c| !c.is_whitespace())
                .map(|c| match c {
                    'o' | 'O' | '.' => Ok(false),
                    'x' | 'X' => Ok(true),
                    other => Err(format!("\u{201c}{other}\u{201d} is neither o for a clear panel nor x for a covered one.")),
                })
                .collect::<Result<Vec<bool>, String>>()?;
            strings.push(string);
        }
        let count: usize = strings.iter().map(Vec::len).sum();
        if count == 0 || count > MOST_PANELS {
            return Err(format!(
                "{count} panels: write one line for each string, o for a clear panel and x for a covered one, up to {MOST_PANELS}."
            ));
        }
        Ok(CoveredStrings { strings })
    }

    pub fn covered(&self) -> usize {
        self.strings.iter().flatten().filter(|covered| **covered).count()
    }
}

/// The strings of one controller.
#[derive(Debug, Clone, PartialEq)]
pub struct Group {
    /// Of its controller; empty where there is one only.
    pub name: String,
    pub covered: CoveredStrings,
    pub input: Input,
}

/// What the input of a controller wants and takes.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Input {
    /// Below these volts it does not work: those of the battery with the margin above it. 0: not known.
    pub least_v: f64,
    /// It takes no more: its amps into the battery. Infinite: not known.
    pub most_w: f64,
}

impl Default for Input {
    fn default() -> Self {
        Input { least_v: 0.0, most_w: f64::INFINITY }
    }
}

/// Reads the strings of several controllers: a line that ends in a colon names the controller of the strings below it ("left:").
///
/// # Errors
/// A sentence: which line cannot be read.
pub fn parse_groups(text: &str) -> Result<Vec<Group>, String> {
    let mut parts: Vec<(String, String)> = vec![(String::new(), String::new())];
    for line in text.lines().map(str::trim) {
        match line.strip_suffix(':') {
            Some(name) => parts.push((name.trim().to_owned(), String::new())),
            None => {
                if let Some((_, rows)) = parts.last_mut() {
                    rows.push_str(line);
                    rows.push('\n');
                }
            }
        }
    }
    // Lines above the first name are a group only where there are any.
    parts.retain(|(name, rows)| !name.is_empty() || !rows.trim().is_empty());
    if parts.is_empty() {
        return CoveredStrings::parse(text).map(|covered| vec![Group { name: String::new(), covered, input: Input::default() }]);
    }
    let groups: Vec<Group> = parts
        .into_iter()
        .map(|(name, rows)| Ok(Group { covered: CoveredStrings::parse(&rows)?, name, input: Input::default() }))
        .collect::<Result<_, String>>()?;
    let count: usize = groups.iter().flat_map(|group| &group.covered.strings).map(Vec::len).sum();
    if count > MOST_PANELS {
        return Err(format!("{count} panels are more than the {MOST_PANELS} that are solved at once."));
    }
    Ok(groups)
}

/// Watts and string amps of an array as it lies.
#[derive(Debug, Clone, PartialEq)]
pub struct AsItLies {
    pub watts_w: f64,
    pub volts_v: f64,
    pub string_a: Vec<f64>,
}

/// One panel cleared.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Step {
    /// All from 0.
    pub group: usize,
    pub string: usize,
    pub place: usize,
    /// Of the whole array afterwards.
    pub watts_w: f64,
    /// The strings that are cleared together bring something only when all of them are clear: so many, 1 for most.
    pub together: usize,
    /// Whether the last panel of those strings is cleared with it.
    pub ends_set: bool,
}

/// What the strings give together, each behind a blocking diode, to a tracker that comes down from open circuit and stays on the
/// first hill worth the name, as most do: beside a whole string one that lacks volts gives nothing.
pub fn as_it_lies(panel: &Panel, group: &Group, poa_w_m2: f64, cell_c: f64) -> Result<AsItLies, Error> {
    let covered = &group.covered;
    let cells = panel.layout.places.len();
    let shares = |is_covered: bool| if is_covered { vec![THROUGH_COVER; cells] } else { Vec::new() };
    let panels = covered.strings.iter().flatten().map(|is_covered| (panel.clone(), shares(*is_covered))).collect();
    let array = Array { panels, poa_w_m2, cell_c, lead_ohm: 0.0, is_blocked: true };
    let lengths: Vec<usize> = covered.strings.iter().map(Vec::len).collect();
    let solution = array.in_strings(&lengths)?;
    let Some(hill) = sought(solution.curve(), &group.input) else {
        return Ok(AsItLies { watts_w: 0.0, volts_v: solution.curve().open().v, string_a: vec![0.0; lengths.len()] });
    };
    let working = solution.at_volts(hill.v);
    let groups = crate::panel::circuit::substring_count(&panel.layout.tree);
    let (mut first_cell, mut first_group) = (0, 0);
    let string_a = lengths
        .iter()
        .map(|length| {
            // A string's amps: those through its first group of cells and around them.
            let through = working.cells.get(first_cell).map_or(0.0, |cell| cell.i * panel.layout.in_parallel as f64);
            let around = working.bypass_a.get(first_group).copied().unwrap_or(0.0).max(0.0);
            first_cell += length * cells;
            first_group += length * groups;
            (through + around).max(0.0)
        })
        .collect();
    Ok(AsItLies { watts_w: working.at.w().min(group.input.most_w), volts_v: working.at.v, string_a })
}

/// Where the tracker of a controller ends up: the first local maximum from open circuit that is worth the name and lies above the battery;
/// `None` where none does, and it does not start.
fn sought(curve: &Curve, input: &Input) -> Option<At> {
    let worth_w = curve.best().w() * FIRST_HILL_REL;
    let local_maxima = curve.local_maxima();
    let found = local_maxima.iter().rev().find(|hill| hill.w() >= worth_w && hill.v >= input.least_v).copied();
    // Below its maximum in volts, it is held at the least it works with.
    let held = || {
        let at = At { v: input.least_v, i: curve.amps_at(input.least_v) };
        (input.least_v < curve.open().v && at.w() >= worth_w).then_some(at)
    };
    found.or_else(held)
}

/// Watts of all groups together.
///
/// # Errors
/// A circuit that cannot be solved.
pub fn watts_w(panel: &Panel, groups: &[Group], poa_w_m2: f64, cell_c: f64) -> Result<f64, Error> {
    groups.iter().map(|group| Ok(as_it_lies(panel, group, poa_w_m2, cell_c)?.watts_w)).sum()
}

/// The order in which to clear for the most watts soonest: string by string, over all controllers, the one that costs the fewest panels
/// for what it brings first; a string gives its share only when it is whole. Where no string alone brings anything (the tracker leaves the
/// volts of the others for those of the one whole string), two of a controller are taken together, then three, then all that are left.
/// Strings whose clearing would bring nothing, or take something, are left for the last and are not advised.
///
/// # Errors
/// A circuit that cannot be solved.
pub fn order(panel: &Panel, groups: &[Group], poa_w_m2: f64, cell_c: f64) -> Result<Vec<Step>, Error> {
    let mut now = groups.to_vec();
    let watts_of = |group: &Group| Ok(as_it_lies(panel, group, poa_w_m2, cell_c)?.watts_w);
    let mut of_groups: Vec<f64> = now.iter().map(watts_of).collect::<Result<_, Error>>()?;
    let mut steps = Vec::new();
    loop {
        let Some((group, set)) = next_set(&now, &of_groups, &watts_of)? else { return Ok(steps) };
        let covered: Vec<(usize, usize)> = set
            .iter()
            .flat_map(|string| now[group].covered.strings[*string].iter().enumerate().map(|(place, is)| (*string, place, *is)))
            .filter_map(|(string, place, is_covered)| is_covered.then_some((string, place)))
            .collect();
        for (nth, (string, place)) in covered.iter().enumerate() {
            now[group].covered.strings[*string][*place] = false;
            of_groups[group] = watts_of(&now[group])?;
            steps.push(Step {
                group,
                string: *string,
                place: *place,
                watts_w: of_groups.iter().sum(),
                together: set.len(),
                ends_set: nth + 1 == covered.len(),
            });
        }
    }
}

/// Strings of a controller that are cleared next, the fewest that bring something; `None` where nothing does.
fn next_set(
    now: &[Group],
    of_groups: &[f64],
    watts_of: &impl Fn(&Group) -> Result<f64, Error>,
) -> Result<Option<(usize, Vec<usize>)>, Error> {
    let left = |group: &Group| -> Vec<usize> {
        let strings = group.covered.strings.iter().enumerate();
        strings.filter(|(_, panels)| panels.contains(&true)).map(|(nth, _)| nth).collect()
    };
    for size in [1, 2, 3, usize::MAX] {
        let mut best: Option<(f64, usize, Vec<usize>)> = None;
        for (at, group) in now.iter().enumerate() {
            for set in sets(&group.covered, &left(group), size) {
                let mut cleared = group.clone();
                set.iter().for_each(|string| cleared.covered.strings[*string].fill(false));
                let count = group.covered.covered() - cleared.covered.covered();
                let gain_w = watts_of(&cleared)? - of_groups[at];
                // Less than this is no gain that anybody could measure.
                if gain_w >= LEAST_GAIN_W && best.as_ref().is_none_or(|(most_w, ..)| gain_w / count as f64 > *most_w) {
                    best = Some((gain_w / count as f64, at, set));
                }
            }
        }
        if let Some((_, group, set)) = best {
            return Ok(Some((group, set)));
        }
    }
    Ok(None)
}

/// Sets of so many of these strings (of all of them, for a size beyond), without those that are like another: strings covered alike are
/// alike.
fn sets(covered: &CoveredStrings, left: &[usize], size: usize) -> Vec<Vec<usize>> {
    if size > 3 {
        return if left.len() > 3 { vec![left.to_vec()] } else { Vec::new() };
    }
    let mut seen: Vec<Vec<&[bool]>> = Vec::new();
    let mut found = Vec::new();
    let mut add = |set: &[usize]| {
        let mut kinds: Vec<&[bool]> = set.iter().map(|string| covered.strings[*string].as_slice()).collect();
        kinds.sort_unstable();
        if !seen.contains(&kinds) {
            seen.push(kinds);
            found.push(set.to_vec());
        }
    };
    for (nth, first) in left.iter().enumerate() {
        match size {
            1 => add(&[*first]),
            2 => left[nth + 1..].iter().for_each(|second| add(&[*first, *second])),
            _ => {
                for (after, second) in left.iter().enumerate().skip(nth + 1) {
                    left[after + 1..].iter().for_each(|third| add(&[*first, *second, *third]));
                }
            }
        }
    }
    found
}

/// A panel cleared that brings less is not worth a ladder. Flindo's own limit.
const LEAST_GAIN_W: f64 = 1.0;

/// What measured string amps show.
#[derive(Debug, Clone, PartialEq)]
pub struct Amps {
    pub sum_a: f64,
    /// How far the combined reading is from the sum, as a share of it; `None` without one.
    pub combined_off_rel: Option<f64>,
    /// Strings clearly below the best: (which, share of the best).
    pub weak: Vec<(usize, f64)>,
}

/// A clamp and the sun between two readings leave this open, as a share. Common practice, no source.
pub const AMPS_AGREE_REL: f64 = 0.06;

/// A string below this share of the best one is weak. Common practice, no source.
const WEAK_REL: f64 = 0.85;

/// Checks measured string amps against each other and their combined reading; amps above 0.
pub fn check_amps(strings_a: &[f64], combined_a: Option<f64>) -> Amps {
    let sum_a: f64 = strings_a.iter().sum();
    let best_a = strings_a.iter().copied().fold(0.0, f64::max);
    let share = |amps: f64| if best_a > 0.0 { amps / best_a } else { 1.0 };
    let weak =
        strings_a.iter().enumerate().map(|(nth, amps)| (nth, share(*amps))).filter(|(_, share)| *share < WEAK_REL).collect();
    Amps { sum_a, combined_off_rel: combined_a.filter(|_| sum_a > 0.0).map(|combined_a| combined_a / sum_a - 1.0), weak }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::panel::construction::Construction;
    use crate::panel::example::umber;

    fn panel() -> Panel {
        umber(Construction::Cells60)
    }

    /// Common practice, no source: a string with any third of its panels covered by snow gave nothing, while a whole cleared string
    /// gave its share.
    #[test]
    fn a_string_a_third_covered_gives_nothing_beside_a_whole_one() {
        let lies = |text: &str| as_it_lies(&panel(), &parse_groups(text).unwrap()[0], 800.0, 10.0).unwrap();
        let mixed = lies("oooooo\noooxxo");
        let whole = lies("oooooo\noooooo");
        assert!(mixed.string_a[1] < 0.05 * mixed.string_a[0], "{mixed:?}");
        assert!((mixed.watts_w / whole.watts_w - 0.5).abs() < 0.02, "{} {}", mixed.watts_w, whole.watts_w);
    }

    #[test]
    fn whole_strings_are_cleared_first_and_watts_never_fall() {
        let groups = parse_groups("xxxx\noxoo\nxxoo").unwrap();
        let steps = order(&panel(), &groups, 800.0, 10.0).unwrap();
        assert_eq!(steps.iter().map(|step| step.string).collect::<Vec<_>>(), [1, 2, 2, 0, 0, 0, 0]);
        assert!(steps.windows(2).all(|pair| pair[1].watts_w >= pair[0].watts_w * 0.999), "{steps:?}");
    }

    /// Common practice, no source: 21 panels under snow, seven strings of three on two controllers and a battery of 48 V. The bottom row
    /// alone cleared gave nothing, one string about 500 W, two 1,100, three 1,700; left 1,680 and right 720 W with three and one clear.
    #[test]
    fn strings_of_several_controllers_are_cleared_one_after_the_other() {
        let lies = |left: &str, right: &str| {
            let mut groups = parse_groups(&format!("left:\n{left}\nright:\n{right}")).unwrap();
            groups.iter_mut().for_each(|group| group.input.least_v = 54.4);
            groups.iter().map(|group| as_it_lies(&panel(), group, 650.0, 10.0).unwrap().watts_w).collect::<Vec<f64>>()
        };
        let snow = ("xxx\nxxx\nxxx", "xxx\nxxx\nxxx\nxxx");
        let row = lies("xxo\nxxo\nxxo", "xxo\nxxo\nxxo\nxxo");
        assert!(row.iter().sum::<f64>() < 30.0, "{row:?}");
        let one = lies("ooo\nxxx\nxxx", snow.1).iter().sum::<f64>();
        assert!((500.0..680.0).contains(&one), "{one}");
        for (left, times) in [("ooo\nooo\nxxx", 2.0), ("ooo\nooo\nooo", 3.0)] {
            let watts = lies(left, snow.1).iter().sum::<f64>();
            assert!((watts / one - times).abs() < 0.35, "{watts} {one}");
        }
        let apart = lies("ooo\nooo\nooo", "ooo\nxxx\nxxx\nxxx");
        // 1,680 over 720 W; the covered strings of the right add their few watts.
        assert!((2.3..3.1).contains(&(apart[0] / apart[1])), "{apart:?}");
        let mut groups = parse_groups(&format!("left:\n{}\nright:\n{}", snow.0, snow.1)).unwrap();
        groups.iter_mut().for_each(|group| group.input = Input { least_v: 54.4, most_w: 1300.0 });
        let steps = order(&panel(), &groups, 800.0, 10.0).unwrap();
        let whole: Vec<f64> = steps.chunks(3).map(|string| string[2].watts_w).collect();
        assert!(whole.windows(2).all(|pair| pair[1] > pair[0]), "{whole:?}");
        // Two strings fill a controller and the third adds a little; no fourth is advised behind a full one.
        assert!(steps.len() <= 18 && whole.last().unwrap() <= &2600.001, "{steps:?}");
    }

    /// One whole string beside others that lack a panel each takes their volts away: two have to be cleared together, or all. No set that
    /// is cleared loses watts, and at the end nothing is left that would bring something.
    #[test]
    fn strings_that_help_together_only_are_cleared_together() {
        for (layout, least_v) in [
            ("xo\nxo\nox\nxx", 0.0),
            ("xo\nxo\nox\nxx", 54.4),
            ("xoo\noxo\noox\nxxo", 0.0),
            ("oxx\nxox\nxxo", 0.0),
            ("xo\nxo\nxo\nxo\nxo\nxo", 0.0),
            ("left:\nxo\nox\nright:\nxxo\noxx\nxox", 0.0),
            ("left:\nxo\nxo\nox\nxx\nright:\nxx\nox", 27.0),
        ] {
            let mut groups = parse_groups(layout).unwrap();
            groups.iter_mut().for_each(|group| group.input.least_v = least_v);
            let before_w = watts_w(&panel(), &groups, 800.0, 10.0).unwrap();
            let mut clear = groups.clone();
            clear.iter_mut().flat_map(|group| &mut group.covered.strings).for_each(|string| string.fill(false));
            let whole_w = watts_w(&panel(), &clear, 800.0, 10.0).unwrap();
            let steps = order(&panel(), &groups, 800.0, 10.0).unwrap();
            let ends: Vec<f64> =
                std::iter::once(before_w).chain(steps.iter().filter(|step| step.ends_set).map(|step| step.watts_w)).collect();
            assert!(ends.windows(2).all(|pair| pair[1] >= pair[0] + LEAST_GAIN_W), "{layout}: {ends:?}");
            assert!((ends.last().unwrap() / whole_w - 1.0).abs() < 1e-6, "{layout}: {ends:?} of {whole_w}");
        }
        let together = order(&panel(), &parse_groups("xo\nxo\nox\nxx").unwrap(), 800.0, 10.0).unwrap()[0].together;
        assert!(together > 1, "{together}");
    }

    #[test]
    fn groups_are_read_or_refused() {
        let groups = parse_groups("left:\noo\nox\nright:\nxx").unwrap();
        assert_eq!(
            groups.iter().map(|group| (group.name.as_str(), group.covered.strings.len())).collect::<Vec<_>>(),
            [("left", 2), ("right", 1)]
        );
        assert_eq!(parse_groups("oo\nox").unwrap()[0].name, "");
        assert!(parse_groups("left:\noo\nright:").unwrap_err().contains("0 panels"));
        assert!(parse_groups(&format!("a:\n{}\nb:\n{}", "o".repeat(40), "o".repeat(40))).unwrap_err().contains("80 panels"));
        assert!(parse_groups("").unwrap_err().contains("0 panels"));
    }

    /// Common practice, no source: string amps of 7.2, 9.0 and 6.8 against 22 measured together.
    #[test]
    fn measured_strings_are_held_against_their_sum_and_each_other() {
        let found = check_amps(&[7.2, 9.0, 6.8], Some(22.0));
        assert!((found.sum_a - 23.0).abs() < 1e-9 && found.combined_off_rel.unwrap().abs() < AMPS_AGREE_REL);
        assert_eq!(found.weak.iter().map(|(nth, _)| *nth).collect::<Vec<_>>(), [0, 2]);
        assert!(check_amps(&[], Some(3.0)).combined_off_rel.is_none());
    }

    #[test]
    fn rows_are_read_or_refused() {
        assert!(CoveredStrings::parse("oox\n\nxo").is_ok_and(|covered| covered.covered() == 2 && covered.strings.len() == 2));
        assert!(CoveredStrings::parse("oo?").unwrap_err().contains("neither o"));
        assert!(CoveredStrings::parse("").unwrap_err().contains("0 panels"));
    }

    /// The amps of all strings at the volts they share are the watts (Kirchhoff), also through the bypass of a covered panel and where two
    /// halves of a panel lie side by side.
    #[test]
    fn the_amps_of_all_strings_at_their_volts_are_the_watts() {
        for construction in [Construction::Cells60, Construction::HalfCut120] {
            for text in ["oo\noo", "xooooo", "oxoooo\noxoooo"] {
                let lies = as_it_lies(&umber(construction), &parse_groups(text).unwrap()[0], 800.0, 10.0).unwrap();
                let sum_w = lies.string_a.iter().sum::<f64>() * lies.volts_v;
                assert!(lies.watts_w > 100.0 && (sum_w / lies.watts_w - 1.0).abs() < 1e-4, "{construction:?} {text} {lies:?}");
            }
        }
    }

    /// A controller that wants more volts than the best point has holds the strings there; beyond their open volts it does not start.
    #[test]
    fn below_the_least_volts_of_its_controller_a_string_is_held_at_those() {
        let lies = |least_v: f64| {
            let mut group = parse_groups("oo").unwrap().remove(0);
            group.input.least_v = least_v;
            as_it_lies(&panel(), &group, 800.0, 10.0).unwrap()
        };
        let free = lies(0.0);
        let held = lies(1.05 * free.volts_v);
        assert!((held.volts_v / free.volts_v - 1.05).abs() < 1e-9, "{held:?}");
        assert!(held.watts_w < 0.99 * free.watts_w && held.watts_w > 0.6 * free.watts_w, "{held:?} {free:?}");
        assert_eq!(lies(1.5 * free.volts_v).watts_w, 0.0);
    }
}
