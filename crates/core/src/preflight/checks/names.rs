//! The documents' names: there, and each its own.

use std::collections::HashMap;

use crate::diagnostic::{Diagnostic, Target};
use crate::dispatch::file_name;
use crate::preflight::{Check, Checking, Finding, Summary};

/// The check.
pub struct FileName;

impl Check for FileName {
    fn record(&self, at: &mut Checking<'_>) {
        match at.plan.name.fill(at.scope) {
            Ok(text) => match file_name(&text) {
                Some(name) => at.outline.file_name = name,
                None => at.find(
                    Target::output("file name"),
                    "blank-name",
                    "the file name is blank. Add a field that has a value in every record.",
                ),
            },
            Err(error) => at.find_error(Target::output("file name"), &error),
        }
    }

    fn batch(&self, all: &[Summary]) -> Vec<Finding> {
        let mut by_name: HashMap<String, Vec<&Summary>> = HashMap::new();
        for one in all {
            // File systems that do not regard case would take them for one.
            by_name.entry(one.file_name.to_lowercase()).or_default().push(one);
        }
        let mut findings: Vec<Finding> = Vec::new();
        for same in by_name.into_values().filter(|same| same.len() > 1) {
            for one in &same {
                let others = same.iter().filter(|other| other.record != one.record).take(5).map(|other| format!("row {}", other.record));
                let others = others.collect::<Vec<_>>().join(", ");
                let message = format!("“{}” is also the file name of {others}. Add a field that makes it unique.", one.file_name);
                let what = Diagnostic::error("same-name", message).about(Target::output("file name"));
                findings.push(Finding { text: Some(one.file_name.clone()), ..Finding::new(one.record, what) });
            }
        }
        findings.sort_by_key(|f| f.record);
        findings
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn records_of_one_file_name_name_each_other() {
        let one = |record, name: &str| Summary { record, file_name: name.into(), goes_to: Vec::new() };
        let found = FileName.batch(&[one(3, "Reminder"), one(17, "reminder"), one(31, "Other")]);
        let said: Vec<_> = found.iter().map(|f| (f.record, f.what.to_string())).collect();
        assert_eq!(said[0].0, 3);
        assert_eq!(said[0].1, "“Reminder” is also the file name of row 17. Add a field that makes it unique.");
        assert_eq!(said.len(), 2);
    }
}
