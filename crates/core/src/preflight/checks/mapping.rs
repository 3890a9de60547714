//! Every name is tied to a column.

use crate::diagnostic::Diagnostic;
use crate::dispatch::{RECORDS, Station};
use crate::language::Folded;
use crate::preflight::{Check, Facts, obstacle};

/// The check.
pub struct Mapping;

impl Check for Mapping {
    fn setup(&self, facts: &Facts<'_>) -> Vec<Diagnostic> {
        let open = facts.ties.iter().filter(|tie| tie.column.is_none()).map(|tie| {
            let of_all = Folded::new(&tie.name) == Folded::new(RECORDS);
            let (station, message) = match () {
                () if facts.plan.joint => (
                    Station::Output,
                    format!("“{}” is outside [:repeat for records]. Move it inside, or create one document per record.", tie.name),
                ),
                () if of_all => (Station::Output, "“records” needs one document for all records. Choose that under Output.".to_owned()),
                () => (Station::Mapping, format!("“{}” is not mapped to a column. Choose one.", tie.name)),
            };
            obstacle(station, "not-mapped", message)
        });
        open.collect()
    }
}
