//! Templates and assets are embedded at compile time; a changed one must be seen.
fn main() {
    println!("cargo:rerun-if-changed=templates");
    println!("cargo:rerun-if-changed=static");
}
