//! The output's settings go together, and passwords are there where they are asked for.

use crate::diagnostic::{Diagnostic, Target};
use crate::dispatch::{Format, Station, file_name};
use crate::preflight::{Check, Checking, Facts, obstacle, of_problem};

/// The check.
pub struct Output;

impl Check for Output {
    fn setup(&self, facts: &Facts<'_>) -> Vec<Diagnostic> {
        let own = |target: &Target| matches!(target, Target::Setup { station: Station::Output, .. });
        let mut found: Vec<Diagnostic> =
            facts.plan.problems.iter().filter(|p| own(&p.target)).map(|problem| of_problem(facts.plan, problem)).collect();
        if !facts.writes && facts.plan.makes(Format::Docx) {
            found.push(obstacle(Station::Output, "pack-docx", "a pack can only be made as PDF. Remove DOCX from the formats."));
        }
        found
    }

    fn record(&self, at: &mut Checking<'_>) {
        if let Some(running) = &at.plan.running {
            match running.fill(at.scope) {
                Ok(name) => match file_name(&name) {
                    Some(name) => at.outline.running = Some(name),
                    None => {
                        let said = "the name of the running document is blank. Fill in the field or leave the record out.";
                        at.find(Target::output("running document"), "blank-running", said);
                    }
                },
                Err(error) => at.find_error(Target::output("running document"), &error),
            }
        }
        let Some(password) = &at.plan.password else { return };
        match password.fill(at.scope) {
            Ok(text) if !text.trim().is_empty() => at.outline.password = Some(text.trim().to_owned()),
            Ok(_) => {
                at.find(Target::output("password"), "blank-password", "the password is blank. Fill in the field or leave the record out.")
            }
            Err(error) => at.find_error(Target::output("password"), &error),
        }
    }
}
