//! The source is there, and the dates that are printed of it can be read in one way only.

use crate::diagnostic::Diagnostic;
use crate::dispatch::Station;
use crate::preflight::{Check, Facts, obstacle};

/// The check.
pub struct Source;

impl Check for Source {
    fn setup(&self, facts: &Facts<'_>) -> Vec<Diagnostic> {
        if !facts.source {
            return vec![obstacle(Station::Records, "no-source", "no source. Choose a sheet or drop a file here.")];
        }
        let used = |column: &str| facts.ties.iter().any(|tie| tie.column.as_deref() == Some(column));
        let unsure = facts.unsure.iter().filter(|unsure| used(&unsure.column)).map(|one| {
            let message = format!(
                "“{}” in {} can mean {} or {}. In the sheet, choose whether day or month comes first.",
                one.example, one.column, one.day_first, one.month_first
            );
            obstacle(Station::Records, "unsure-date", message)
        });
        unsure.collect()
    }
}
