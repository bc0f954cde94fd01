//! The import rule of the crate: files lean one way.

#[path = "../../../core/tests/all/imports/mod.rs"]
mod imports;

#[test]
fn no_file_leans_on_one_that_leans_on_it() {
    let graph = imports::graph(env!("CARGO_MANIFEST_DIR"));
    assert!(graph["live"].contains("session"), "{graph:?}");
    let left = imports::circles(&graph);
    assert!(left.is_empty(), "circles among {left:#?}");
}
