//! The import rule of the application: files lean one way, a room of pages on no other room, and reports and programs' JSON on no page.

#[path = "../../../core/tests/all/imports/mod.rs"]
mod imports;

use imports::{Graph, circles};

fn graph() -> Graph {
    imports::graph(env!("CARGO_MANIFEST_DIR"))
}

/// The room of a file: `plan` of `pages/plan/tilt`.
fn room(file: &str) -> Option<&str> {
    file.strip_prefix("pages/")?.split_once('/').map(|(room, _)| room)
}

#[test]
fn no_file_leans_on_one_that_leans_on_it() {
    let graph = graph();
    assert!(graph.len() > 120 && graph["pages/results/result"].contains("views/evaluated"), "{graph:?}");
    let left = circles(&graph);
    assert!(left.is_empty(), "circles among {left:#?}");
}

#[test]
fn a_room_of_pages_imports_no_other() {
    let mut wrong = Vec::new();
    for (file, imports) in graph() {
        let Some(own) = room(&file) else { continue };
        for import in imports.iter().filter(|import| import.starts_with("pages/")) {
            if room(import).is_none_or(|of| of != own) {
                wrong.push(format!("{file} imports {import}"));
            }
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

#[test]
fn what_serves_all_knows_no_page() {
    let mut wrong = Vec::new();
    let below = ["words/", "draw/", "figures", "workings", "door/", "kept/", "background/", "views/", "report/", "api/", "gate/"];
    for (file, imports) in graph() {
        if below.iter().any(|part| file.starts_with(part)) {
            wrong.extend(imports.iter().filter(|one| one.starts_with("pages")).map(|one| format!("{file} imports {one}")));
        }
        if ["words/", "draw/", "figures", "workings"].iter().any(|part| file.starts_with(part)) {
            let known = |one: &&String| {
                ["state", "api", "door", "kept", "views", "report"].iter().any(|part| one.split('/').next() == Some(part))
            };
            wrong.extend(imports.iter().filter(known).map(|one| format!("{file} imports {one}")));
        }
        if ["door/", "pages/", "views/", "report/"].iter().any(|part| file.starts_with(part)) {
            wrong.extend(imports.iter().filter(|one| one.starts_with("api/")).map(|one| format!("{file} imports {one}")));
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}
