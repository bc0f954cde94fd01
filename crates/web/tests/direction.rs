//! The import rule of the application: modules lean one way. Pages are taken one by one, other folders as one.

use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::path::Path;

type Graph = BTreeMap<String, BTreeSet<String>>;

/// Words that follow `prefix`, also those of a group in braces at its first level.
fn named_after(text: &str, prefix: &str) -> Vec<String> {
    let word = |text: &str| text.trim_start().chars().take_while(|c| c.is_alphanumeric() || *c == '_').collect::<String>();
    text.split(prefix)
        .skip(1)
        .flat_map(|rest| match rest.strip_prefix('{') {
            Some(group) => group.split('}').next().unwrap_or_default().split(',').map(word).collect::<Vec<_>>(),
            None => vec![word(rest)],
        })
        .collect()
}

fn add(graph: &mut Graph, folder: &Path, module_of: &dyn Fn(&str) -> String, pages: &BTreeSet<String>) {
    for entry in fs::read_dir(folder).expect("the folder can be read") {
        let path = entry.expect("the entry can be read").path();
        let name = path.file_stem().expect("it has a name").to_string_lossy().into_owned();
        if path.is_dir() {
            let inner = |file: &str| if name == "pages" { format!("pages::{file}") } else { module_of(&name) };
            add(graph, &path, &inner, pages);
            continue;
        }
        let text = fs::read_to_string(&path).expect("the file is text");
        let module = module_of(&name);
        let imports = graph.entry(module.clone()).or_default();
        imports.extend(named_after(&text, "crate::").into_iter().filter(|name| name != "pages"));
        let page = |name: &String| pages.contains(name);
        imports.extend(named_after(&text, "crate::pages::").into_iter().filter(page).map(|name| format!("pages::{name}")));
        if module.starts_with("pages::") {
            imports.extend(named_after(&text, "super::").into_iter().filter(page).map(|name| format!("pages::{name}")));
        }
        imports.remove(&module);
    }
}

fn graph() -> Graph {
    let src = Path::new(env!("CARGO_MANIFEST_DIR")).join("src");
    let pages = fs::read_dir(src.join("pages")).expect("there are pages");
    let pages: BTreeSet<String> = pages
        .map(|entry| entry.expect("a page").path().file_stem().expect("it has a name").to_string_lossy().into_owned())
        .filter(|name| name != "mod")
        .collect();
    let mut graph = Graph::new();
    add(&mut graph, &src, &|name| name.to_owned(), &pages);
    graph
}

#[test]
fn no_module_leans_on_one_that_leans_on_it() {
    let mut graph = graph();
    assert!(graph.len() > 40 && graph["pages::result"].contains("pages::evaluated"), "{graph:?}");
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
fn words_and_drawings_know_nothing_of_pages_or_the_store() {
    for (module, imports) in
        graph().iter().filter(|(module, _)| ["words", "draw", "figures", "workings"].contains(&module.as_str()))
    {
        let wrong: Vec<&String> =
            imports.iter().filter(|one| one.starts_with("pages") || ["state", "api"].contains(&one.as_str())).collect();
        assert!(wrong.is_empty(), "{module} leans on {wrong:?}");
    }
}

#[test]
fn pages_do_not_lean_on_the_door_for_programs() {
    for (module, imports) in graph().iter().filter(|(module, _)| module.starts_with("pages::") && *module != "pages::report") {
        assert!(!imports.contains("api"), "{module} leans on api");
    }
}
