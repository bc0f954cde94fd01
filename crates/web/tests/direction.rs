//! The import rule of the application: files lean one way, a room of pages on no other room, and programs' JSON on no page.

use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::path::Path;

/// Files by their path from `src`, such as `pages/plan/tilt`, each with the files that it imports.
type Graph = BTreeMap<String, BTreeSet<String>>;

/// The text of every file; a folder's `mod.rs` under the name of its folder.
fn files(folder: &Path, under: &str, found: &mut BTreeMap<String, String>) {
    for entry in fs::read_dir(folder).expect("the folder can be read") {
        let path = entry.expect("the entry can be read").path();
        let stem = path.file_stem().expect("it has a name").to_string_lossy().into_owned();
        if path.is_dir() {
            files(&path, &format!("{under}{stem}/"), found);
        } else if path.extension().is_some_and(|extension| extension == "rs") {
            let name = if stem == "mod" { under.trim_end_matches('/').to_owned() } else { format!("{under}{stem}") };
            found.insert(name, fs::read_to_string(&path).expect("the file is text"));
        }
    }
}

/// Paths that stand in a text after `crate::`, those of a group in braces one by one.
fn paths_in(text: &str) -> Vec<Vec<String>> {
    let words = |path: &str| {
        path.split("::")
            .map(|word| word.trim().chars().take_while(|c| c.is_alphanumeric() || *c == '_').collect::<String>())
            .take_while(|word| !word.is_empty())
            .collect::<Vec<_>>()
    };
    let mut found = Vec::new();
    for rest in text.split("crate::").skip(1) {
        let end = rest.find([';', '(', ')', '"', '\n', ' ']).unwrap_or(rest.len());
        // A group may go over several lines.
        let path = if rest[..end].contains('{') { rest.split('}').next().unwrap_or_default() } else { &rest[..end] };
        match path.split_once('{') {
            Some((front, group)) => {
                for one in group.split(',') {
                    found.push(words(front).into_iter().chain(words(one)).collect());
                }
            }
            None => found.push(words(path)),
        }
    }
    found
}

fn graph() -> Graph {
    let src = Path::new(env!("CARGO_MANIFEST_DIR")).join("src");
    let mut texts = BTreeMap::new();
    files(&src, "", &mut texts);
    let mut graph = Graph::new();
    for (name, text) in &texts {
        let imports = graph.entry(name.clone()).or_default();
        for path in paths_in(text) {
            // The longest beginning of a path that is a file.
            let file = (1..=path.len()).rev().map(|most| path[..most].join("/")).find(|path| texts.contains_key(path));
            imports.extend(file.filter(|file| file != name));
        }
    }
    graph
}

/// The room of a file: `plan` of `pages/plan/tilt`.
fn room(file: &str) -> Option<&str> {
    file.strip_prefix("pages/")?.split_once('/').map(|(room, _)| room)
}

#[test]
fn no_file_leans_on_one_that_leans_on_it() {
    let mut graph = graph();
    assert!(graph.len() > 120 && graph["pages/results/result"].contains("pages/views/evaluated"), "{graph:?}");
    // Whatever leans on nothing that is left is taken away; what remains goes in circles.
    loop {
        let left: BTreeSet<String> = graph.keys().cloned().collect();
        let before = graph.len();
        graph.retain(|_, imports| imports.iter().any(|import| left.contains(import)));
        if graph.len() == before {
            break;
        }
    }
    assert!(graph.is_empty(), "circles among {graph:#?}");
}

#[test]
fn a_room_imports_from_itself_and_from_the_views_alone() {
    let mut wrong = Vec::new();
    for (file, imports) in graph() {
        let Some(own) = room(&file) else { continue };
        for import in imports.iter().filter(|import| import.starts_with("pages/")) {
            if room(import).is_none_or(|of| of != own && of != "views") {
                wrong.push(format!("{file} imports {import}"));
            }
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

#[test]
fn what_serves_all_knows_no_page() {
    let mut wrong = Vec::new();
    let below = ["words/", "draw/", "figures", "workings", "door/", "kept/", "background/", "api/", "gate/"];
    for (file, imports) in graph() {
        if below.iter().any(|part| file.starts_with(part)) {
            wrong.extend(imports.iter().filter(|one| one.starts_with("pages")).map(|one| format!("{file} imports {one}")));
        }
        if ["words/", "draw/", "figures", "workings"].iter().any(|part| file.starts_with(part)) {
            let known = |one: &&String| ["state", "api", "door", "kept"].iter().any(|part| one.split('/').next() == Some(part));
            wrong.extend(imports.iter().filter(known).map(|one| format!("{file} imports {one}")));
        }
        if file.starts_with("door/") || file.starts_with("pages/") {
            wrong.extend(imports.iter().filter(|one| one.starts_with("api")).map(|one| format!("{file} imports {one}")));
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}
