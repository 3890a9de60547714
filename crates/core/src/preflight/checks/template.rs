//! The template is there, and nothing is wrong with it.

use crate::dispatch::Station;
use crate::preflight::{Check, Facts, Obstacle};
use crate::words::counted;

/// The check.
pub struct Template;

impl Check for Template {
    fn setup(&self, facts: &Facts<'_>) -> Vec<Obstacle> {
        let message = match facts.template_problems {
            None => "no template. Choose one or drop a DOCX here.".to_owned(),
            Some(0) => return Vec::new(),
            Some(count) => format!("the template has {}. Fix them and upload it again.", counted(count, "problem", "problems")),
        };
        vec![Obstacle::new(Station::Template, message)]
    }
}
