//! The output's settings go together, and passwords are there where they are asked for.

use crate::dispatch::Station;
use crate::preflight::{Check, Checking, Facts, Obstacle, of_problem};

/// The check.
pub struct Output;

impl Check for Output {
    fn setup(&self, facts: &Facts<'_>) -> Vec<Obstacle> {
        facts.plan.problems.iter().filter(|p| p.station == Station::Output).map(of_problem).collect()
    }

    fn record(&self, at: &mut Checking<'_>) {
        let Some(password) = &at.plan.password else { return };
        match password.fill(at.scope) {
            Ok(text) if !text.trim().is_empty() => at.outline.password = Some(text.trim().to_owned()),
            Ok(_) => at.find("blank-password", "password", "the password is blank. Fill in the field or leave the record out."),
            Err(error) => at.find_error("password", &error),
        }
    }
}
