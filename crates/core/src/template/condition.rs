//! A condition over a record, compiled: whether a channel delivers it, which template it takes.

use super::{FillError, TextTemplate};
use crate::diagnostic::Diagnostic;
use crate::language::{Scope, condition};

/// What it prints where it is true.
const HOLDS: &str = "yes";

/// A condition over a record, compiled.
#[derive(Debug)]
pub struct Condition(TextTemplate);

impl Condition {
    /// Reads a condition; none where it is blank.
    pub fn read(text: &str) -> Result<Option<Condition>, Box<Diagnostic>> {
        let text = text.trim();
        if text.is_empty() {
            return Ok(None);
        }
        condition(text).map_err(|error| Box::new(Diagnostic::error("condition", error.to_string()).within(text)))?;
        Ok(Some(Condition(TextTemplate::new(&format!("[:if {}]{HOLDS}[:end]", text.replace(['\r', '\n'], " "))))))
    }

    /// Whether it is true for a record.
    pub fn holds(&self, scope: &Scope<'_>) -> Result<bool, FillError> {
        Ok(self.0.fill(scope)? == HOLDS)
    }

    /// It as a text with placeholders.
    pub fn text(&self) -> &TextTemplate {
        &self.0
    }
}
