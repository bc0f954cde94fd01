//! Panels that are read one after the other: each figure by itself is of the next one, and of no other.

use flindo_core::measure::quantity::{Figures, Quantity};
use flindo_core::record::beside::Beside;
use flindo_core::record::condition::{Condition, Conditions, Factor, Value, panels_of};
use flindo_core::record::language::work::{At, NotebookEntry, notebook};
use flindo_core::record::names::Names;
use flindo_core::record::setup::Setup;

/// The panel that hangs there and the figures by quantity; or what is asked.
type Read = Result<(String, Vec<(&'static str, f64)>), String>;

/// Each entry of a text: the panel that hangs there after it, and the figures by quantity; or the question.
fn read(text: &str) -> Vec<Read> {
    let panels = (1..=10).map(|number| (format!("id-{number}"), format!("K-{number}"))).collect();
    let names = Names { panels, ..Names::default() };
    let hangs = Condition { typed: "K-1".to_owned(), value: Value::Panels(vec!["id-1".to_owned()]) };
    let current = Conditions::from([(Factor::Panel, hangs), (Factor::Tilt, Condition::degrees(30.0))]);
    let at = At {
        names: &names,
        states: std::slice::from_ref(&current),
        current: &current,
        rig_strings: &[],
        beside: Beside::default(),
        last: None,
        latest: &Figures::default(),
        turn: None,
        setup: Setup::default(),
    };
    let one = |entry: NotebookEntry| {
        let understood = entry.understood.map_err(|asked| asked.asked)?;
        let of = panels_of(&understood.state).map(|ids| ids.join("+")).unwrap_or_default();
        Ok((of, understood.figures().iter().map(|(quantity, seen)| (quantity.name(), seen.low)).collect()))
    };
    notebook(text, &at).into_iter().flat_map(|line| line.entries).map(one).collect()
}

fn of(panel: u32, quantity: Quantity, value: f64) -> Read {
    Ok((format!("id-{panel}"), vec![(quantity.name(), value)]))
}

fn hangs(panel: u32) -> Read {
    Ok((format!("id-{panel}"), Vec::new()))
}

#[test]
fn ten_figures_are_of_ten_panels() {
    for begins in ["K-1..K-10 Voc", "K-1 to K-10 Voc", "Voc of K-1..K-10", "k-1..k-10 voc each", "K-1..K-10: Voc, one by one"] {
        let figures = [37.2, 24.8, 0.4, 36.9, 37.0, 36.2, 25.1, 36.8, 12.9, 37.1];
        let text = format!("{begins}\n{}", figures.map(|figure| figure.to_string()).join("\n"));
        let expected = (1..).zip(figures).map(|(panel, figure)| of(panel, Quantity::Voc, figure));
        assert_eq!(read(&text), std::iter::once(hangs(1)).chain(expected).collect::<Vec<_>>(), "{begins}");
    }
}

#[test]
fn a_unit_says_nothing_else_than_the_turn() {
    let seen = read("K-2, K-5, K-3 Isc\n8.1 A\nIsc 7.9\n8.0");
    assert_eq!(seen[1..], [of(2, Quantity::Isc, 8.1), of(5, Quantity::Isc, 7.9), of(3, Quantity::Isc, 8.0)]);
    let seen = read("K-1..K-3 watts\n78 W\n77.5\n76");
    assert_eq!(seen[1..], [of(1, Quantity::Power, 78.0), of(2, Quantity::Power, 77.5), of(3, Quantity::Power, 76.0)]);
    let open = read("K-1..K-2 one by one\n37.2 Voc\n36.9 Voc");
    assert_eq!(open[1..], [of(1, Quantity::Voc, 37.2), of(2, Quantity::Voc, 36.9)]);
}

#[test]
fn a_panel_is_passed_over_named_out_of_turn_or_read_again() {
    let seen = read("K-1..K-6 Voc\n37.2\nskip\n36.9\nK-5: 36.0\n35.9\nK-2: 36.1");
    let expected = [
        hangs(1),
        of(1, Quantity::Voc, 37.2),
        hangs(3),
        of(3, Quantity::Voc, 36.9),
        of(5, Quantity::Voc, 36.0),
        of(6, Quantity::Voc, 35.9),
        of(2, Quantity::Voc, 36.1),
    ];
    assert_eq!(seen, expected);
    // Passed over is the one whose turn it is, be it that it hangs there or that it comes next; "next" only goes on.
    assert_eq!(read("K-1..K-6 Voc\nskip\nskip\n36.9")[3], of(3, Quantity::Voc, 36.9));
    assert_eq!(read("K-1..K-6 Voc\n37.2\nnext\n36.9")[3], of(2, Quantity::Voc, 36.9));
    // A reading that was taken back leaves its panel to be read.
    let seen = read("K-1..K-6 Voc\n37.2\n3.69\nundo\n36.9\n36.8");
    assert_eq!(seen[4..], [of(2, Quantity::Voc, 36.9), of(3, Quantity::Voc, 36.8)]);
}

#[test]
fn after_the_last_panel_and_after_another_change_a_figure_is_of_no_next_one() {
    let seen = read("K-1..K-3 Voc\n37.2\n36.9\n36.8\n36.7");
    assert!(seen[4].as_ref().is_err_and(|asked| asked.contains("36.7")), "{seen:?}");
    // Another tilt ends it: the same panel, read again.
    let seen = read("K-1..K-3 Voc\n37.2\nflat\n36.9\n36.8");
    assert_eq!(seen[3..], [of(1, Quantity::Voc, 36.9), of(1, Quantity::Voc, 36.8)]);
}

/// Light and temperatures by themselves are beside the panel that hangs there, and no panel's turn.
#[test]
fn what_is_read_beside_the_panels_takes_no_turn() {
    let seen = read("K-1..K-3 Voc\n37.2\n880 W/m2\nback 48 C\n36.9");
    assert_eq!(seen[2], of(1, Quantity::Poa, 880.0));
    assert_eq!(seen[4], of(2, Quantity::Voc, 36.9));
    assert_eq!(read("K-1..K-3 Voc\n880 W/m2\n37.2")[2], of(1, Quantity::Voc, 37.2));
}

#[test]
fn a_panel_that_is_not_there_is_asked_about_and_other_lists_begin_no_turn() {
    let seen = read("K-8..K-12 Voc");
    assert!(seen[0].as_ref().is_err_and(|asked| asked.contains("K-11")), "{seen:?}");
    // In series: one state of two panels.
    assert_eq!(read("K-1 + K-2 series\n74 V")[0], Ok(("id-1+id-2".to_owned(), Vec::new())));
    assert!(read("K-1, K-2 and K-3 in parallel: 355 W")[0].as_ref().is_ok_and(|(of, _)| of == "id-1+id-2+id-3"));
    // A figure in the same line is of that line.
    assert_eq!(read("K-3 Voc 37.2\n36.9")[1], of(3, Quantity::Voc, 36.9));
}
