//! One type for everything that is wrong, or that a person should know: problems of templates,
//! clauses, forms and queries, what an editor marks, what stops a run, what is found in records,
//! why something was refused.

use std::borrow::Cow;

use serde::{Deserialize, Serialize};

use crate::dispatch::Station;
use crate::language::Span;
use crate::template::Place;

/// How bad it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Severity {
    /// It must be fixed first.
    #[default]
    Error,
    /// It stops nothing, but may surprise the recipient.
    Warning,
    /// It only tells.
    Hint,
}

/// What it is about: where a person fixes it.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case", tag = "kind")]
pub enum Target {
    /// The thing at hand.
    #[default]
    Whole,
    /// A text of a template.
    Template {
        /// Where it stands: body, table, header, footer, text box, footnote.
        place: Place,
        /// The line of text.
        line: String,
    },
    /// A text that stands by itself: a clause, a subject, a file name.
    Text,
    /// A step of a dispatch.
    Step {
        /// The step.
        station: Station,
    },
    /// A field of a dispatch's set-up.
    Setup {
        /// Its step.
        station: Station,
        /// The field: “file name”, “password”, “pdf”, “filter”, “language”.
        field: Cow<'static, str>,
    },
    /// A field of a channel.
    Channel {
        /// The channel's place in the set-up.
        channel: usize,
        /// The field: “to”, “subject”, “path”.
        field: Cow<'static, str>,
    },
    /// The office's settings.
    Settings,
    /// A form, or one of its fields.
    Form {
        /// The field's number; none where it is the form itself.
        field: Option<u32>,
        /// Which part of it: `name`, `mask`, `shown_when`.
        part: Cow<'static, str>,
    },
    /// A part of a CRM query.
    Query {
        /// The lists that lead there, outermost first.
        lists: Vec<String>,
        /// The part: root, fields, filter, order or first.
        part: Cow<'static, str>,
    },
}

impl Target {
    /// A field of the output: file name, password, formats, language.
    pub fn output(field: &'static str) -> Target {
        Target::Setup { station: Station::Output, field: field.into() }
    }

    /// The place in a word or two, as a person reads it: “body”, “subject”, “file name”.
    pub fn words(&self) -> &str {
        match self {
            Target::Whole => "",
            Target::Template { place, .. } => place.words(),
            Target::Text => "text",
            Target::Step { .. } => "dispatch",
            Target::Setup { field, .. } | Target::Channel { field, .. } => field,
            Target::Settings => "settings",
            Target::Form { part, .. } | Target::Query { part, .. } => part,
        }
    }

    /// The line of a template's text that it is in; blank where it is in none.
    pub fn line(&self) -> &str {
        match self {
            Target::Template { line, .. } => line,
            _ => "",
        }
    }

    /// The step of a dispatch where it is fixed, where it is one.
    pub fn station(&self) -> Option<Station> {
        match self {
            Target::Step { station } | Target::Setup { station, .. } => Some(*station),
            Target::Channel { .. } | Target::Settings => Some(Station::Channels),
            Target::Template { .. } => Some(Station::Template),
            Target::Whole | Target::Text | Target::Form { .. } | Target::Query { .. } => None,
        }
    }
}

/// Something that is wrong, or that a person should know.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Diagnostic {
    /// How bad it is.
    pub severity: Severity,
    /// A short name for programs.
    pub code: Cow<'static, str>,
    /// What it is about.
    pub target: Target,
    /// The text at fault, as far as it could be read: a placeholder with its brackets; blank
    /// where it is none.
    pub source: String,
    /// The spot in that text, in bytes: in a placeholder after its `[:`.
    pub span: Option<Span>,
    /// What is wrong.
    #[serde(serialize_with = "crate::words::as_sentence")]
    pub message: String,
    /// What to do about it; blank where the message says it all.
    #[serde(serialize_with = "crate::words::as_sentence")]
    pub help: String,
}

impl Diagnostic {
    /// Something that must be fixed. The first sentence says what is wrong, the rest what to do.
    pub fn error(code: impl Into<Cow<'static, str>>, said: impl Into<String>) -> Diagnostic {
        let mut message = said.into();
        let help = match first_end(&message) {
            Some(at) => {
                let help = message[at + 2..].to_owned();
                message.truncate(at);
                help
            }
            None => String::new(),
        };
        Diagnostic { code: code.into(), message, help, ..Diagnostic::default() }
    }

    /// Something that stops nothing, but may surprise the recipient.
    pub fn warning(code: impl Into<Cow<'static, str>>, said: impl Into<String>) -> Diagnostic {
        Diagnostic { severity: Severity::Warning, ..Diagnostic::error(code, said) }
    }

    /// Something that only tells.
    pub fn hint(code: impl Into<Cow<'static, str>>, said: impl Into<String>) -> Diagnostic {
        Diagnostic { severity: Severity::Hint, ..Diagnostic::error(code, said) }
    }

    /// The same about something.
    pub fn about(self, target: Target) -> Diagnostic {
        Diagnostic { target, ..self }
    }

    /// The same in a text.
    pub fn within(self, source: impl Into<String>) -> Diagnostic {
        Diagnostic { source: source.into(), ..self }
    }

    /// The same at a spot of its text.
    pub fn at(self, span: Span) -> Diagnostic {
        Diagnostic { span: Some(span), ..self }
    }

    /// Whether it must be fixed first.
    pub fn is_error(&self) -> bool {
        self.severity == Severity::Error
    }
}

/// Where the first of several sentences ends. What stands in quotation marks is somebody's text:
/// its full stops end none.
fn first_end(said: &str) -> Option<usize> {
    let mut quoted = 0_usize;
    said.char_indices().find_map(|(at, c)| {
        match c {
            '“' => quoted += 1,
            '”' => quoted = quoted.saturating_sub(1),
            _ => {}
        }
        let next = said.get(at..)?.strip_prefix(". ")?;
        (quoted == 0 && next.starts_with(char::is_uppercase)).then_some(at)
    })
}

/// What is wrong and what to do.
impl std::fmt::Display for Diagnostic {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(&self.message)?;
        match self.help.is_empty() {
            true => Ok(()),
            false => write!(f, ". {}", self.help),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_first_sentence_says_what_is_wrong_and_the_rest_what_to_do() {
        let told = Diagnostic::error("no-recipient", "no e-mail address. Add one or leave the record out.");
        assert_eq!((told.message.as_str(), told.help.as_str()), ("no e-mail address", "Add one or leave the record out."));
        assert_eq!(told.to_string(), "no e-mail address. Add one or leave the record out.");
        // Nor does one within a text that is quoted.
        let told = Diagnostic::error("misfit", "“Dr. Quayle” is not a number. Correct the cell.");
        assert_eq!((told.message.as_str(), told.help.as_str()), ("“Dr. Quayle” is not a number", "Correct the cell."));
        // A dot within a name or a number ends no sentence.
        for whole in ["the file a.docx is empty", "3. 4 is no number", "unknown name “balnce”; did you mean “balance”?"] {
            let told = Diagnostic::error("other", whole);
            assert_eq!((told.message.as_str(), told.help.as_str()), (whole, ""));
        }
    }

    #[test]
    fn what_programs_get_names_the_place() {
        let told = Diagnostic::error("unknown-name", "unknown name “due”")
            .about(Target::Channel { channel: 0, field: "subject".into() })
            .within("[: due]")
            .at(Span { start: 1, end: 4 });
        let json = serde_json::to_value(&told).expect("JSON");
        assert_eq!(json["target"], serde_json::json!({ "kind": "channel", "channel": 0, "field": "subject" }));
        assert_eq!((json["severity"].as_str(), json["message"].as_str()), (Some("error"), Some("Unknown name “due”.")));
        assert_eq!((json["span"]["end"].as_u64(), json["help"].as_str()), (Some(4), Some("")));
        assert_eq!(serde_json::from_value::<Diagnostic>(json).expect("reads").target, told.target);
    }
}
