//! Packs: a document put together from parts, each a template, a fixed PDF, a picture or another
//! pack, included always, on a condition, when a person says so, or as one of a group.

use std::collections::{BTreeMap, HashSet};

use serde::{Deserialize, Serialize};

use crate::diagnostic::Diagnostic;
use crate::language::Folded;
use crate::language::syntax::SignerField;
use crate::signing::signer_fields;
use crate::template::{Condition, Repeat, TextTemplate};
use crate::words::grouped;

/// The most parts of a pack.
pub const MOST_PARTS: usize = 100;

/// A pack.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, Default)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Pack {
    /// Its parts, in the order of the pages.
    pub parts: Vec<Part>,
    /// How pages are numbered.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub numbering: Numbering,
    /// The title on the cover, with placeholders; blank for no cover.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub cover: String,
    /// Whether a page of contents comes before the parts.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub contents: bool,
}

/// How a pack's pages are numbered.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, Default)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case")]
pub enum Numbering {
    /// Each part from 1.
    #[default]
    PerPart,
    /// From the first page of the pack to its last.
    Through,
}

/// A part of a pack.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Part {
    /// Its name, which no other part has; answers name it.
    pub name: String,
    /// Its title among the bookmarks and in the contents, with placeholders; blank for its name.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub title: String,
    /// What it is.
    pub content: PartContent,
    /// When it is included.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub include: Inclusion,
    /// The list that it is repeated over, as behind `repeat for`; blank for none.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub repeat: String,
}

/// What a part is.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(tag = "kind", rename_all = "kebab-case", deny_unknown_fields)]
pub enum PartContent {
    /// A template or another pack.
    Template {
        /// Its number.
        id: i64,
        /// The version that is always used; none for the one in use.
        #[serde(default)]
        version: Option<i64>,
    },
    /// A PDF as it is.
    Pdf {
        /// The file's name in the store.
        file: String,
        /// What people call it.
        file_name: String,
        /// The signature fields on its pages.
        #[serde(default)]
        #[cfg_attr(feature = "openapi", schema(required = true))]
        fields: Vec<FixedField>,
    },
    /// A picture on a page of its own.
    Picture {
        /// The file's name in the store.
        file: String,
        /// What people call it.
        file_name: String,
    },
}

/// A signature field on a page of a PDF.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct FixedField {
    /// Its placeholder, as in a template: `[:signer holder signature width 60 mm]`.
    pub placeholder: String,
    /// A text on the pages of the PDF: the field is at each place where it is, whatever its page.
    /// Blank where the field is placed by hand.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub marker: String,
    /// The page of the PDF, from 1.
    pub page: u32,
    /// From the left edge of the page, in tenths of a millimetre; with a marker text how far to the
    /// right of where it begins.
    pub left: i32,
    /// From the top edge of the page, in tenths of a millimetre; with a marker text how far down from
    /// where the field's lower edge is that of the text.
    pub top: i32,
}

impl FixedField {
    /// Its placeholder, compiled.
    pub fn text(&self) -> TextTemplate {
        TextTemplate::new(self.placeholder.trim())
    }

    /// What its placeholder says, or what is wrong with it.
    pub fn read(&self) -> Result<SignerField, Box<Diagnostic>> {
        let text = self.text();
        if let Some(problem) = text.problems().first() {
            return Err(Box::new(problem.clone()));
        }
        let whole = matches!(text.placeholders(), [own] if own.text == self.placeholder.trim());
        signer_fields(text.placeholders().iter()).pop().filter(|_| whole).ok_or_else(|| {
            let message = format!("“{}” is not a signature field. Enter one, such as [:signer holder signature].", self.placeholder.trim());
            Box::new(Diagnostic::error("no-field", message))
        })
    }
}

/// When a part is included.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, Default)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(tag = "kind", rename_all = "kebab-case", deny_unknown_fields)]
pub enum Inclusion {
    /// Always.
    #[default]
    Always,
    /// If a condition is true.
    If {
        /// The condition.
        condition: String,
    },
    /// If a person says so before a run, or before one record is made.
    Ask {
        /// Whether it is included where nobody says.
        #[serde(default)]
        usually: bool,
    },
    /// One of a group: the first whose condition is true, else the one without; where none of the
    /// group has a condition, the one that a person chooses.
    OneOf {
        /// The group.
        group: String,
        /// The condition; blank for none.
        #[serde(default)]
        condition: String,
    },
}

/// What a person is asked before a pack is made.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Question {
    /// The part or the group that it is about; the answer is stored by it.
    pub about: String,
    /// The parts to choose from; none where it is answered by yes or no.
    pub choices: Vec<String>,
    /// The answer that counts where nobody gave one.
    pub usual: String,
}

/// A stored pack that can't be read.
#[derive(Debug, thiserror::Error)]
#[error("the pack can't be read: {0}")]
pub struct NotAPack(#[from] serde_json::Error);

impl Pack {
    /// Reads a stored pack.
    pub fn read(bytes: &[u8]) -> Result<Pack, NotAPack> {
        Ok(serde_json::from_slice(bytes)?)
    }

    /// Writes it down.
    pub fn write(&self) -> Result<Vec<u8>, NotAPack> {
        Ok(serde_json::to_vec_pretty(self)?)
    }

    /// The templates and packs that it names.
    pub fn templates(&self) -> impl Iterator<Item = i64> {
        self.parts.iter().filter_map(|part| match part.content {
            PartContent::Template { id, .. } => Some(id),
            _ => None,
        })
    }

    /// The files of its fixed parts.
    pub fn files(&self) -> impl Iterator<Item = &str> {
        self.parts.iter().filter_map(|part| match &part.content {
            PartContent::Pdf { file, .. } | PartContent::Picture { file, .. } => Some(file.as_str()),
            PartContent::Template { .. } => None,
        })
    }

    /// The groups of which one part is included.
    fn groups(&self) -> Vec<&str> {
        let mut found: Vec<&str> = Vec::new();
        for group in self.parts.iter().filter_map(|part| part.include.group()) {
            if !found.iter().any(|own| Folded::new(own) == Folded::new(group)) {
                found.push(group);
            }
        }
        found
    }

    /// The parts of a group, by their places.
    pub fn of_group(&self, group: &str) -> Vec<usize> {
        let wanted = Folded::new(group);
        let of = |part: &Part| part.include.group().is_some_and(|own| Folded::new(own) == wanted);
        self.parts.iter().enumerate().filter(|(_, part)| of(part)).map(|(at, _)| at).collect()
    }

    /// Whether a person chooses the part of a group.
    pub fn is_chosen(&self, group: &str) -> bool {
        let blank = |at: usize| matches!(&self.parts[at].include, Inclusion::OneOf { condition, .. } if condition.trim().is_empty());
        self.of_group(group).into_iter().all(blank)
    }

    /// What a person is asked.
    pub fn questions(&self) -> Vec<Question> {
        let asked = self.parts.iter().filter_map(|part| match part.include {
            Inclusion::Ask { usually } => {
                Some(Question { about: part.name.clone(), choices: Vec::new(), usual: if usually { "yes" } else { "no" }.to_owned() })
            }
            _ => None,
        });
        let groups = self.groups().into_iter().filter(|group| self.is_chosen(group)).map(|group| {
            let choices: Vec<String> = self.of_group(group).into_iter().map(|at| self.parts[at].name.clone()).collect();
            Question { about: group.to_owned(), usual: choices.first().cloned().unwrap_or_default(), choices }
        });
        asked.chain(groups).collect()
    }

    /// What is wrong with it by itself, apart from what its parts are.
    pub fn problems(&self) -> Vec<Diagnostic> {
        let mut problems = Vec::new();
        if self.parts.is_empty() {
            problems.push(Diagnostic::error("no-parts", "the pack has no parts. Add a template, PDF or picture."));
        }
        if self.parts.len() > MOST_PARTS {
            let message = format!(
                "the pack has {} parts (maximum {MOST_PARTS}). Put some of them into a pack of their own.",
                grouped(self.parts.len())
            );
            problems.push(Diagnostic::error("too-many-parts", message));
        }
        let mut names = HashSet::new();
        for part in &self.parts {
            let name = part.name.trim();
            if name.is_empty() {
                problems.push(Diagnostic::error("part-name", "a part has no name. Enter one."));
            } else if !names.insert(Folded::new(name)) {
                problems.push(Diagnostic::error("part-name", format!("two parts are called “{name}”. Rename one of them.")));
            }
            problems.extend(TextTemplate::new(&part.title).problems().iter().map(|problem| of_part(name, problem.clone())));
            match &part.include {
                Inclusion::If { condition } => match Condition::read(condition) {
                    Ok(Some(own)) => problems.extend(own.text().problems().first().map(|problem| of_part(name, problem.clone()))),
                    Ok(None) => {
                        let message = "the part has no condition. Enter one, or include the part always.";
                        problems.push(of_part(name, Diagnostic::error("no-condition", message)));
                    }
                    Err(problem) => problems.push(of_part(name, *problem)),
                },
                Inclusion::OneOf { group, condition } => {
                    if group.trim().is_empty() {
                        problems.push(of_part(name, Diagnostic::error("no-group", "the group has no name. Enter one.")));
                    }
                    match Condition::read(condition) {
                        Ok(own) => {
                            let problem = own.and_then(|own| own.text().problems().first().cloned());
                            problems.extend(problem.map(|problem| of_part(name, problem)));
                        }
                        Err(problem) => problems.push(of_part(name, *problem)),
                    }
                }
                Inclusion::Always | Inclusion::Ask { .. } => {}
            }
            if let PartContent::Pdf { fields, .. } = &part.content {
                problems.extend(fields.iter().filter_map(|field| field.read().err()).map(|problem| of_part(name, *problem)));
            }
            match Repeat::read(&part.repeat) {
                Ok(own) => {
                    let problem = own.and_then(|own| own.text().problems().first().cloned());
                    problems.extend(problem.map(|problem| of_part(name, problem)));
                }
                Err(problem) => problems.push(of_part(name, *problem)),
            }
        }
        problems.extend(TextTemplate::new(&self.cover).problems().iter().cloned());
        problems
    }
}

impl Inclusion {
    fn group(&self) -> Option<&str> {
        match self {
            Inclusion::OneOf { group, .. } => Some(group.trim()),
            _ => None,
        }
    }
}

/// What is wrong, with the part that it is about.
pub fn of_part(name: &str, problem: Diagnostic) -> Diagnostic {
    Diagnostic { message: format!("part “{name}”: {}", problem.message), ..problem }
}

/// The answer to a question; the usual one where nobody gave one that can be.
pub fn answer<'a>(answers: &'a BTreeMap<String, String>, question: &'a Question) -> &'a str {
    let about = Folded::new(&question.about);
    let given = answers.iter().find(|(name, _)| Folded::new(name) == about).map(|(_, given)| given.as_str());
    let yes_no = ["yes".to_owned(), "no".to_owned()];
    let choices = if question.choices.is_empty() { &yes_no[..] } else { &question.choices[..] };
    given.filter(|given| choices.iter().any(|choice| choice == given)).unwrap_or(&question.usual)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn part(name: &str, include: Inclusion) -> Part {
        let content = PartContent::Template { id: 1, version: None };
        Part { name: name.into(), title: String::new(), content, include, repeat: String::new() }
    }

    fn one_of(name: &str, group: &str, condition: &str) -> Part {
        part(name, Inclusion::OneOf { group: group.into(), condition: condition.into() })
    }

    #[test]
    fn a_person_is_asked_for_parts_and_for_groups_without_conditions() {
        let pack = Pack {
            parts: vec![
                part("Licence", Inclusion::Always),
                part("Map", Inclusion::Ask { usually: true }),
                one_of("Metered", "Electricity", ""),
                one_of("Flat rate", "electricity", ""),
                one_of("Liveaboard", "Stay", "liveaboard"),
                one_of("Visitor", "Stay", ""),
            ],
            ..Pack::default()
        };
        assert!(pack.problems().is_empty(), "{:?}", pack.problems());
        let questions = pack.questions();
        assert_eq!(
            questions.iter().map(|q| (q.about.as_str(), q.usual.as_str())).collect::<Vec<_>>(),
            [("Map", "yes"), ("Electricity", "Metered")]
        );
        assert_eq!(questions[1].choices, ["Metered", "Flat rate"]);
        let answers = |given: &[(&str, &str)]| given.iter().map(|(a, b)| ((*a).to_owned(), (*b).to_owned())).collect::<BTreeMap<_, _>>();
        let given = answers(&[("map", "no"), ("Electricity", "Nuclear")]);
        assert_eq!(answer(&given, &questions[0]), "no");
        assert_eq!(answer(&given, &questions[1]), "Metered", "an answer that can't be counts for nothing");
        let again = Pack::read(&pack.write().expect("writes")).expect("reads");
        assert_eq!(again, pack);
    }

    #[test]
    fn a_signature_field_on_a_pdf_is_one_placeholder_and_nothing_else() {
        let field =
            |placeholder: &str| FixedField { placeholder: placeholder.into(), marker: String::new(), page: 1, left: 200, top: 2_500 };
        let read = field(" [:signer harbour master signature width 60 mm optional] ").read().expect("a field");
        assert_eq!((read.role.text.as_str(), read.optional, read.field.word()), ("harbour master", true, "signature"));
        for wrong in ["", "signature", "[: name]", "[:signer holder]", "Here: [:signer holder date]", "[:signer a date][:signer b date]"] {
            assert!(field(wrong).read().is_err(), "{wrong}");
        }
        let pdf = r#"{"kind":"pdf","file":"ab","file_name":"rules.pdf"}"#;
        let content: PartContent = serde_json::from_str(pdf).expect("packs from before have no fields");
        let PartContent::Pdf { file, file_name, .. } = content else { panic!("a PDF") };
        let content = PartContent::Pdf { file, file_name, fields: vec![field("[: name]")] };
        let pack = Pack { parts: vec![Part { content, ..part("Rules", Inclusion::Always) }], ..Pack::default() };
        assert_eq!(pack.problems()[0].message, "part “Rules”: “[: name]” is not a signature field");
    }

    #[test]
    fn what_is_wrong_names_the_part() {
        let pack = Pack {
            parts: vec![
                part("Licence", Inclusion::If { condition: " ".into() }),
                part("licence", Inclusion::If { condition: "loa >".into() }),
                one_of("Metered", " ", ""),
                Part { repeat: "boats where".into(), ..part("Boats", Inclusion::Always) },
                part("", Inclusion::Always),
            ],
            ..Pack::default()
        };
        let codes: Vec<_> = pack.problems().into_iter().map(|p| p.code.into_owned()).collect();
        assert_eq!(codes, ["no-condition", "part-name", "condition", "no-group", "repeat", "part-name"]);
        assert!(pack.problems()[0].message.starts_with("part “Licence”: "));
        assert_eq!(Pack::default().problems()[0].code, "no-parts");
        assert!(Pack::read(b"{\"parts\": [], \"colour\": 1}").is_err());
    }
}
