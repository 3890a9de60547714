//! The template is there, and nothing is wrong with it.

use crate::diagnostic::Diagnostic;
use crate::dispatch::Station;
use crate::preflight::{Check, Facts, obstacle};
use crate::words::counted;

/// The check.
pub struct Template;

impl Check for Template {
    fn setup(&self, facts: &Facts<'_>) -> Vec<Diagnostic> {
        let (code, message) = match facts.template_problems {
            None => ("no-template", "no template. Choose one or drop a DOCX here.".to_owned()),
            Some(0) => return Vec::new(),
            Some(count) => {
                let problems = counted(count, "problem", "problems");
                ("template-problems", format!("the template has {problems}. Fix them and upload it again."))
            }
        };
        vec![obstacle(Station::Template, code, message)]
    }
}
