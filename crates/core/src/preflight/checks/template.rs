//! The template is there, and nothing is wrong with it.

use crate::diagnostic::{Diagnostic, Target};
use crate::dispatch::Station;
use crate::preflight::{Check, Facts, obstacle, of_problem};
use crate::words::counted;

/// The check.
pub struct Template;

impl Check for Template {
    fn setup(&self, facts: &Facts<'_>) -> Vec<Diagnostic> {
        let own = match facts.template_problems {
            None => Some(("no-template", "no template. Choose one or drop a DOCX here.".to_owned())),
            Some(0) => None,
            Some(count) => {
                let problems = counted(count, "problem", "problems");
                Some(("template-problems", format!("the template has {problems}. Fix them and upload it again.")))
            }
        };
        let own = own.map(|(code, message)| obstacle(Station::Template, code, message));
        let is_rule = |problem: &&Diagnostic| matches!(problem.target, Target::Setup { station: Station::Template, .. });
        let rules = facts.plan.problems.iter().filter(is_rule).map(|problem| of_problem(facts.plan, problem));
        own.into_iter().chain(rules).collect()
    }
}
