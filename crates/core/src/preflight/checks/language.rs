//! The language that a record names is one.

use crate::diagnostic::{Diagnostic, Target};
use crate::preflight::{Check, Checking, Finding};
use crate::value::{Locale, Value};

/// The check.
pub struct Language;

impl Check for Language {
    fn record(&self, at: &mut Checking<'_>) {
        let Some(column) = &at.plan.locale_column else { return };
        let Some(Value::Text(tag)) = at.scope.record.get(column) else { return };
        if tag.trim().is_empty() || Locale::parse(tag.trim()).is_ok() {
            return;
        }
        let name = at.scope.record.field(column).map(|(column, _)| column.name.clone());
        let message = format!("“{tag}” is not a language code. Use a code such as de-DE, or leave it blank.");
        let what = Diagnostic::error("unknown-language", message).about(Target::output("language"));
        at.findings.push(Finding { column: name, text: Some(tag.to_string()), ..Finding::new(at.row(), what) });
    }
}
