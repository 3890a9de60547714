//! Templates by rule: which template a record takes.

use serde::{Deserialize, Serialize};

use super::Station;
use crate::diagnostic::{Diagnostic, Target};
use crate::template::Condition;

/// A rule: the first whose condition is true says which template a record takes.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct TemplateRule {
    /// The condition.
    pub condition: String,
    /// The template; none where such a record has no document.
    #[serde(default)]
    pub template: Option<TemplateUse>,
}

impl TemplateRule {
    /// What is wrong with it, at its place among the rules.
    pub(super) fn problem(&self, at: usize) -> Option<Diagnostic> {
        let problem = match Condition::read(&self.condition) {
            Ok(None) => Diagnostic::error("no-condition", "a template rule has no condition. Enter one, or remove it."),
            Ok(Some(condition)) => condition.text().problems().first()?.clone(),
            Err(problem) => *problem,
        };
        Some(problem.about(Target::Setup { station: Station::Template, field: format!("rule {}", at + 1).into() }))
    }
}

/// A template that is used.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct TemplateUse {
    /// Its number.
    pub id: i64,
    /// The version that is always used; none for the one in use.
    #[serde(default)]
    pub version: Option<i64>,
}

/// What becomes of a record that no rule takes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, Default)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case")]
pub enum Otherwise {
    /// It takes the dispatch's template.
    #[default]
    Template,
    /// It has no document.
    Nothing,
    /// It is found in preflight: there should be a rule for it.
    Finding,
}
