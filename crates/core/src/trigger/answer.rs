//! Starts a run of each answer of the form that the records come from.

use serde::{Deserialize, Serialize};

use super::{Covers, Settings, World};
use crate::diagnostic::Diagnostic;
use crate::template::Condition;

/// The settings of the trigger of a form's answers.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct AnswerTrigger {
    /// The condition on which an answer starts a run; blank for every answer.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub condition: String,
}

impl Settings for AnswerTrigger {
    fn problems(&self, world: &World) -> Vec<Diagnostic> {
        let mut problems = Vec::new();
        if !world.form {
            let message = "the records are not the answers of a form. Choose the answers of a form under Records.";
            problems.push(Diagnostic::error("no-form", message));
        }
        if world.joint {
            let message = "one document serves all records, so an answer alone has none. Make a document for each record under Output.";
            problems.push(Diagnostic::error("joint", message));
        }
        if let Err(problem) = Condition::read(&self.condition) {
            problems.push(*problem);
        }
        problems
    }

    fn words(&self) -> String {
        match self.condition.trim() {
            "" => "on each answer".into(),
            condition => format!("on each answer with {condition}"),
        }
    }

    fn condition(&self) -> &str {
        &self.condition
    }

    fn covers(&self) -> Covers {
        Covers::Once
    }
}
