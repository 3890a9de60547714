//! The output's settings go together, and passwords are there where they are asked for.

use crate::diagnostic::{Diagnostic, Target};
use crate::dispatch::Station;
use crate::preflight::{Check, Checking, Facts, of_problem};

/// The check.
pub struct Output;

impl Check for Output {
    fn setup(&self, facts: &Facts<'_>) -> Vec<Diagnostic> {
        let own = |target: &Target| matches!(target, Target::Setup { station: Station::Output, .. });
        facts.plan.problems.iter().filter(|p| own(&p.target)).map(|problem| of_problem(facts.plan, problem)).collect()
    }

    fn record(&self, at: &mut Checking<'_>) {
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
