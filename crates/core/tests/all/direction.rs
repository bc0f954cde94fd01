//! The import rule: a folder of the core imports only from itself, from the root files and from the folders above it.

use crate::imports::{circles, graph};
use std::fs;
use std::path::Path;

const ORDER: [&str; 14] = [
    "sky",
    "panel",
    "array",
    "measure",
    "gear",
    "load",
    "rig",
    "energy",
    "preflight",
    "record",
    "verdict",
    "review",
    "predict",
    "simulate",
];
const ROOT: [&str; 9] = ["constants", "decimal", "derivation", "error", "form", "named", "seed", "units", "window"];

#[test]
fn a_folder_imports_only_from_those_above_it() {
    let src = Path::new(env!("CARGO_MANIFEST_DIR")).join("src");
    let mut wrong = Vec::new();
    for (rank, folder) in ORDER.iter().enumerate() {
        for (path, text) in rust_files(&src.join(folder)) {
            for used in crate_imports(&text) {
                let above = ORDER.iter().position(|other| *other == used).is_some_and(|other| other <= rank);
                if !above && !ROOT.contains(&used.as_str()) {
                    wrong.push(format!("{path} imports crate::{used}"));
                }
            }
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

#[test]
fn no_file_leans_on_one_that_leans_on_it() {
    let graph = graph(env!("CARGO_MANIFEST_DIR"));
    // A file that is known to import another, by each way of saying so.
    assert!(
        graph["verdict/assess"].contains("verdict/assessment")
            && graph["verdict/comparison"].contains("verdict/comparison/light")
    );
    assert!(
        graph["verdict/comparison/light"].contains("verdict/comparison/method")
            && graph["review/league"].contains("record/condition")
    );
    let left = circles(&graph);
    assert!(left.is_empty(), "circles among {left:#?}");
}

#[test]
fn every_folder_has_its_place_in_the_order() {
    let src = Path::new(env!("CARGO_MANIFEST_DIR")).join("src");
    for entry in fs::read_dir(src).unwrap() {
        let entry = entry.unwrap();
        let name = entry.file_name().into_string().unwrap();
        if entry.path().is_dir() {
            assert!(ORDER.contains(&name.as_str()), "{name} is not in the order");
        }
    }
}

#[test]
fn the_core_has_no_clock_no_files_and_no_network() {
    let src = Path::new(env!("CARGO_MANIFEST_DIR")).join("src");
    for (path, text) in rust_files(&src) {
        for word in ["std::fs", "std::net", "std::time", "std::io", "SystemTime", "Instant::now", "async fn", "println!"] {
            assert!(!text.contains(word), "{path} has {word}");
        }
    }
}

fn rust_files(folder: &Path) -> Vec<(String, String)> {
    let mut files = Vec::new();
    for entry in fs::read_dir(folder).expect("the folder can be read") {
        let path = entry.expect("the entry can be read").path();
        if path.is_dir() {
            files.extend(rust_files(&path));
        } else if path.extension().is_some_and(|extension| extension == "rs") {
            files.push((path.display().to_string(), fs::read_to_string(&path).expect("the file is text")));
        }
    }
    files
}

fn crate_imports(text: &str) -> Vec<String> {
    let names = text.split("crate::").skip(1);
    names.map(|rest| rest.chars().take_while(|c| c.is_alphanumeric() || *c == '_').collect()).collect()
}
