//! Strings with covered panels: what each clearing brings, in which order to clear, and whether measured string amps agree.

use super::Array;
use crate::error::Error;
use crate::panel::layout::Panel;

/// Light that comes through snow or a thick layer of dirt, as a share. Common practice, no source.
const THROUGH_COVER: f64 = 0.03;

/// Strings of one kind of panel; `true` where a panel is covered.
#[derive(Debug, Clone, PartialEq)]
pub struct Covered {
    pub strings: Vec<Vec<bool>>,
}

/// A hill below this share of the best one is passed by on the way down. Common practice, no source: covered panels leave hills of a
/// few percent.
const FIRST_HILL_REL: f64 = 0.2;

/// More panels are a field.
const MOST_PANELS: usize = 60;

impl Covered {
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
        Ok(Covered { strings })
    }

    pub fn covered(&self) -> usize {
        self.strings.iter().flatten().filter(|covered| **covered).count()
    }
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
    /// From 0.
    pub string: usize,
    pub place: usize,
    /// Of the whole array afterwards.
    pub watts_w: f64,
}

/// What the strings give together, each behind a blocking diode, to a tracker that comes down from open circuit and stays on the
/// first hill worth the name, as most do: beside a whole string one that lacks volts gives nothing.
pub fn as_it_lies(panel: &Panel, covered: &Covered, poa_w_m2: f64, cell_c: f64) -> Result<AsItLies, Error> {
    let cells = panel.layout.places.len();
    let shares = |is_covered: bool| if is_covered { vec![THROUGH_COVER; cells] } else { Vec::new() };
    let panels = covered.strings.iter().flatten().map(|is_covered| (panel.clone(), shares(*is_covered))).collect();
    let array = Array { panels, poa_w_m2, cell_c, lead_ohm: 0.0, is_blocked: true };
    let lengths: Vec<usize> = covered.strings.iter().map(Vec::len).collect();
    let solution = array.in_strings(&lengths)?;
    let hills = solution.curve().hills();
    let worth_w = solution.curve().best().w() * FIRST_HILL_REL;
    let hill = hills.iter().rev().find(|hill| hill.w() >= worth_w).copied().unwrap_or_default();
    let working = solution.at_volts(hill.v);
    let groups = crate::panel::circuit::bypassed_groups(&panel.layout.tree);
    let (mut first_cell, mut first_group) = (0, 0);
    let string_a = lengths
        .iter()
        .map(|length| {
            // A string's amps: those through its first group of cells and around them.
            let through = working.cells.get(first_cell).map_or(0.0, |cell| cell.i * panel.layout.in_parallel as f64);
            let around = working.around_a.get(first_group).copied().unwrap_or(0.0).max(0.0);
            first_cell += length * cells;
            first_group += length * groups;
            (through + around).max(0.0)
        })
        .collect();
    Ok(AsItLies { watts_w: working.at.w(), volts_v: working.at.v, string_a })
}

/// The order in which to clear for the most watts soonest: string by string, the one that costs the fewest panels for what it
/// brings first; a string gives its share only when it is whole.
pub fn order(panel: &Panel, covered: &Covered, poa_w_m2: f64, cell_c: f64) -> Result<Vec<Step>, Error> {
    let mut now = covered.clone();
    let mut steps = Vec::new();
    while now.covered() > 0 {
        let before_w = as_it_lies(panel, &now, poa_w_m2, cell_c)?.watts_w;
        let mut best: Option<(f64, usize)> = None;
        for string in 0..now.strings.len() {
            let count = now.strings[string].iter().filter(|covered| **covered).count();
            if count == 0 {
                continue;
            }
            let mut cleared = now.clone();
            cleared.strings[string].iter_mut().for_each(|covered| *covered = false);
            let gain_w = (as_it_lies(panel, &cleared, poa_w_m2, cell_c)?.watts_w - before_w) / count as f64;
            if best.is_none_or(|(most, _)| gain_w > most) {
                best = Some((gain_w, string));
            }
        }
        let Some((_, string)) = best else { break };
        for place in 0..now.strings[string].len() {
            if now.strings[string][place] {
                now.strings[string][place] = false;
                steps.push(Step { string, place, watts_w: as_it_lies(panel, &now, poa_w_m2, cell_c)?.watts_w });
            }
        }
    }
    Ok(steps)
}

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
        let lies = |text: &str| as_it_lies(&panel(), &Covered::parse(text).unwrap(), 800.0, 10.0).unwrap();
        let mixed = lies("oooooo\noooxxo");
        let whole = lies("oooooo\noooooo");
        assert!(mixed.string_a[1] < 0.05 * mixed.string_a[0], "{mixed:?}");
        assert!((mixed.watts_w / whole.watts_w - 0.5).abs() < 0.02, "{} {}", mixed.watts_w, whole.watts_w);
    }

    #[test]
    fn whole_strings_are_cleared_first_and_watts_never_fall() {
        let covered = Covered::parse("xxxx\noxoo\nxxoo").unwrap();
        let steps = order(&panel(), &covered, 800.0, 10.0).unwrap();
        assert_eq!(steps.iter().map(|step| step.string).collect::<Vec<_>>(), [1, 2, 2, 0, 0, 0, 0]);
        assert!(steps.windows(2).all(|pair| pair[1].watts_w >= pair[0].watts_w * 0.999), "{steps:?}");
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
        assert!(Covered::parse("oox\n\nxo").is_ok_and(|covered| covered.covered() == 2 && covered.strings.len() == 2));
        assert!(Covered::parse("oo?").unwrap_err().contains("neither o"));
        assert!(Covered::parse("").unwrap_err().contains("0 panels"));
    }
}
