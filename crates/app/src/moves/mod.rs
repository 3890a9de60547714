//! Set-ups that move between worlds: exported as one file, compared with what is there, imported.

mod export;
mod import;

pub use export::{Exported, export};
pub use import::{Choices, Imported, MoveItem, MoveSource, MoveView, compare, import};

/// The part of the file that says what is in it.
const INDEX: &str = "set-up.json";

/// The part of a file of its.
fn part(file: &str) -> String {
    format!("files/{file}")
}

#[cfg(test)]
mod tests;
