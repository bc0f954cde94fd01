//! Which file of a crate imports which: shared by the tests of all crates that hold the import rules.

use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::path::Path;

/// Files by their path from `src`, such as `pages/plan/tilt`, each with the files that it imports. A folder's `mod.rs` has the name of its
/// folder.
pub type Graph = BTreeMap<String, BTreeSet<String>>;

/// The graph of a crate, from its folder.
pub fn graph(crate_folder: &str) -> Graph {
    let mut texts = BTreeMap::new();
    files(&Path::new(crate_folder).join("src"), "", &mut texts);
    let mut graph = Graph::new();
    for (name, text) in &texts {
        let imports = graph.entry(name.clone()).or_default();
        // What tests import says nothing of how the files lean on each other.
        let own = text.split("#[cfg(test)]").next().unwrap_or_default();
        // And what a comment names is no import.
        let own: String = own.lines().filter(|line| !line.trim_start().starts_with("//")).flat_map(|line| [line, "\n"]).collect();
        for path in paths_in(&own, name, &texts) {
            // The longest beginning of a path that is a file.
            let file = (1..=path.len()).rev().map(|most| path[..most].join("/")).find(|path| texts.contains_key(path));
            imports.extend(file.filter(|file| file != name));
        }
    }
    graph
}

/// What is left of a graph once files that import nothing of what is left, and files that nothing of it imports, are taken away, again and
/// again: files that go in circles, and those between two circles.
pub fn circles(graph: &Graph) -> Graph {
    let mut graph = graph.clone();
    loop {
        let left: BTreeSet<String> = graph.keys().cloned().collect();
        let imported: BTreeSet<String> = graph.values().flatten().cloned().collect();
        let before = graph.len();
        graph.retain(|file, imports| imported.contains(file) && imports.iter().any(|import| left.contains(import)));
        if graph.len() == before {
            graph.values_mut().for_each(|imports| imports.retain(|import| left.contains(import)));
            return graph;
        }
    }
}

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

/// Paths from `src` that stand in a file: after `crate::`, after `super::`, and those of a folder's own files in its `mod.rs`.
fn paths_in(text: &str, file: &str, all: &BTreeMap<String, String>) -> Vec<Vec<String>> {
    let own: Vec<&str> = file.split('/').collect();
    let mut found = after(text, "crate::", &[]);
    for levels in 1..=own.len() {
        let prefix = "super::".repeat(levels);
        // The folder of `a/b/c` is `a/b`; that of `a/b`, which may be a `mod.rs`, is `a`.
        found.extend(after(text, &prefix, &own[..own.len() - levels]));
    }
    let is_folder = all.keys().any(|other| other.strip_prefix(file).is_some_and(|rest| rest.starts_with('/')));
    if is_folder {
        for line in text.lines().filter_map(|line| line.trim_start_matches("pub ").strip_prefix("use ")) {
            let first = line.split("::").next().unwrap_or_default();
            if all.contains_key(&format!("{file}/{first}")) {
                found.push(own.iter().chain([&first]).map(|part| (*part).to_owned()).collect());
            }
        }
    }
    found
}

/// What follows a prefix that stands by itself, those of a group in braces one by one.
fn after(text: &str, prefix: &str, base: &[&str]) -> Vec<Vec<String>> {
    let words = |path: &str| {
        path.split("::")
            .map(|word| word.trim().chars().take_while(|c| c.is_alphanumeric() || *c == '_').collect::<String>())
            .take_while(|word| !word.is_empty())
            .collect::<Vec<_>>()
    };
    let mut found = Vec::new();
    for (at, _) in text.match_indices(prefix) {
        let is_inside = text[..at].ends_with("::") || text[..at].ends_with(|c: char| c.is_alphanumeric() || c == '_');
        let rest = &text[at + prefix.len()..];
        if is_inside || rest.starts_with("super::") {
            continue;
        }
        let end = rest.find([';', '(', ')', '"', '\n', ' ']).unwrap_or(rest.len());
        // A group may go over several lines.
        let path = if rest[..end].contains('{') { rest.split('}').next().unwrap_or_default() } else { &rest[..end] };
        let with_base = |path: Vec<String>| base.iter().map(|part| (*part).to_owned()).chain(path).collect::<Vec<_>>();
        match path.split_once('{') {
            Some((front, group)) => {
                found.extend(group.split(',').map(|one| with_base(words(front).into_iter().chain(words(one)).collect())))
            }
            None => found.push(with_base(words(path))),
        }
    }
    found
}
