//! Set-ups that move from one Mangle to another: what a file of them says. Templates are named by
//! their places among the file's templates, counted from 1, where a set-up or a pack has a number;
//! files are named by the SHA-256 of their content.

use serde::{Deserialize, Serialize};

use crate::channel::MessageText;
use crate::dispatch::{PartContent, Setup};
use crate::form::Form;

/// The form that files are written in.
pub const FORM: u32 = 1;

/// Set-ups that move.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Move {
    /// The form of the file.
    pub form: u32,
    /// When it was exported (UTC).
    pub made: String,
    /// The office that it comes from.
    pub office: String,
    /// The dispatches.
    pub dispatches: Vec<MovedDispatch>,
    /// The templates that they use; the parts of a pack come before it.
    pub templates: Vec<MovedTemplate>,
    /// The clauses that these use.
    pub clauses: Vec<MovedClause>,
    /// The message templates that they use.
    pub messages: Vec<MovedMessage>,
    /// The forms whose answers they are of.
    pub forms: Vec<MovedForm>,
}

/// A dispatch.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct MovedDispatch {
    /// Its key, which stays the same.
    pub key: String,
    /// Its name.
    pub name: String,
    /// Its template's place; none where it has none.
    pub template: Option<usize>,
    /// Where its records come from; none where that is not chosen.
    pub source: Option<MovedSource>,
    /// Its set-up.
    pub setup: Setup,
    /// The pictures of its folder.
    pub pictures: Vec<MovedPicture>,
}

/// Where records come from: found again by its form, or by its names.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct MovedSource {
    /// The source's name.
    pub source: String,
    /// The sheet's name.
    pub sheet: String,
    /// The form's key; none where it is no form.
    pub form: Option<String>,
    /// The names of its columns.
    pub columns: Vec<String>,
}

/// A picture by its name.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct MovedPicture {
    /// The name that records give.
    pub name: String,
    /// Its file.
    pub file: String,
}

/// A template: the version in use.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct MovedTemplate {
    /// Its key, which stays the same.
    pub key: String,
    /// Its name.
    pub name: String,
    /// The word of its kind.
    pub kind: String,
    /// What its file is called.
    pub file_name: String,
    /// Its file.
    pub file: String,
}

/// A clause's text in one language.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct MovedClause {
    /// Its name.
    pub name: String,
    /// Its language; blank for any.
    pub language: String,
    /// Its text.
    pub text: String,
}

/// A message template: the version in use.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct MovedMessage {
    /// Its key, which stays the same.
    pub key: String,
    /// Its name.
    pub name: String,
    /// What it says.
    pub text: MessageText,
}

/// A form, without its answers.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct MovedForm {
    /// Its key, which stays the same.
    pub key: String,
    /// Its name.
    pub name: String,
    /// What it asks.
    pub form: Form,
}

impl Move {
    /// The files that it names, each once.
    pub fn files(&self) -> Vec<&str> {
        let pictures = self.dispatches.iter().flat_map(|own| &own.pictures).map(|own| own.file.as_str());
        let along = self.dispatches.iter().flat_map(|own| &own.setup.channels).flat_map(|own| own.files()).map(|own| own.file.as_str());
        let mut all: Vec<&str> = self.templates.iter().map(|own| own.file.as_str()).chain(pictures).chain(along).collect();
        all.sort_unstable();
        all.dedup();
        all
    }
}

/// Gives the templates that a set-up names other numbers; those that have none are named no more, and
/// no version is fixed.
pub fn renumber(setup: &mut Setup, mut number: impl FnMut(i64) -> Option<i64>) {
    setup.version = None;
    for rule in &mut setup.rules {
        rule.template = rule.template.and_then(|used| {
            let id = number(used.id)?;
            Some(crate::dispatch::TemplateUse { id, version: None })
        });
    }
}

/// The same of a part of a pack; whether it still has a template.
pub fn renumber_part(content: &mut PartContent, number: impl FnOnce(i64) -> Option<i64>) -> bool {
    let PartContent::Template { id, version } = content else { return true };
    *version = None;
    match number(*id) {
        Some(new) => {
            *id = new;
            true
        }
        None => false,
    }
}

/// What belongs to one world alone: the rows that were picked or left out there, and triggers that
/// fire by themselves.
pub fn without_world(mut setup: Setup) -> Setup {
    setup.picked = Vec::new();
    setup.left_out = Vec::new();
    setup.triggers.iter_mut().for_each(|trigger| trigger.on = false);
    setup
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::dispatch::{Otherwise, TemplateRule, TemplateUse};

    #[test]
    fn numbers_of_templates_and_rows_stay_behind() {
        let rule = |id| TemplateRule { condition: "a = 1".into(), template: Some(TemplateUse { id, version: Some(3) }) };
        let setup = Setup {
            rules: vec![rule(7), rule(9)],
            otherwise: Otherwise::Nothing,
            picked: vec![4],
            left_out: vec![5],
            version: Some(2),
            ..Setup::default()
        };
        let mut moved = without_world(setup);
        renumber(&mut moved, |id| (id == 7).then_some(1));
        assert_eq!(moved.rules[0].template, Some(TemplateUse { id: 1, version: None }));
        assert_eq!(moved.rules[1].template, None);
        assert!(moved.picked.is_empty() && moved.left_out.is_empty() && moved.version.is_none());
        assert_eq!(moved.otherwise, Otherwise::Nothing);
    }
}
