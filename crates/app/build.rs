//! The tables are made by SQL files: the crate is built anew when one changes.

fn main() {
    println!("cargo:rerun-if-changed=migrations");
}
