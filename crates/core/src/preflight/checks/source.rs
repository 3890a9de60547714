//! The source is there, and the dates that are printed of it can be read in one way only.

use crate::dispatch::Station;
use crate::preflight::{Check, Facts, Obstacle};

/// The check.
pub struct Source;

impl Check for Source {
    fn setup(&self, facts: &Facts<'_>) -> Vec<Obstacle> {
        if !facts.source {
            return vec![Obstacle::new(Station::Records, "no source. Choose a sheet or drop a file here.")];
        }
        let used = |column: &str| facts.ties.iter().any(|tie| tie.column.as_deref() == Some(column));
        let unsure = facts.unsure.iter().filter(|unsure| used(&unsure.column)).map(|one| {
            let message = format!(
                "“{}” in {} can mean {} or {}. In the sheet, choose whether day or month comes first.",
                one.example, one.column, one.day_first, one.month_first
            );
            Obstacle::new(Station::Records, message)
        });
        unsure.collect()
    }
}
