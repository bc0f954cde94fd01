//! Migrations are embedded at compile time; a new one must be seen.
fn main() {
    println!("cargo:rerun-if-changed=migrations");
}
