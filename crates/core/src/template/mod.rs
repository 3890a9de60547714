//! Templates: gather → compile → fill. One engine serves every template kind.
//!
//! 1. **Gather** finds paragraphs, runs, rows and cells in a part's bytes, and
//!    joins the text that a word processor split over several runs.
//! 2. **Compile**, once per template version, turns it into a flat program.
//! 3. **Fill** runs the program for one record; it only appends bytes.

mod clause;
mod compare;
mod compile;
mod condition;
mod coverage;
mod dialect;
mod draw;
mod fill;
mod gather;
mod gathered;
mod html;
mod needs;
mod outline;
mod program;
mod repeat;
mod scan;
mod short;
mod text;

use serde::{Deserialize, Serialize};

use crate::diagnostic::{Diagnostic, Target};
use crate::language::{EvalError, UsedAs};

pub use clause::{ClauseProblem, Clauses};
pub use compare::{Change, Piece, State, compare};
pub use compile::{Compiled, compile};
pub use condition::Condition;
pub use coverage::{Coverage, Taken, Took, Way};
pub use dialect::{Dialect, Identity, Role};
pub use draw::{Draw, Drawing, NoDrawing};
pub use fill::{Filling, Traced};
pub use gather::{GatherError, gather};
pub use gathered::Gathered;
pub use html::{FilledHtml, HtmlTemplate, LARGEST_BODY, pictures_named};
pub use needs::{Need, complete, needs, values};
pub use outline::Outline;
pub use program::Program;
pub use repeat::Repeat;
pub use short::Short;
pub use text::{TextTemplate, gather_text};

/// Where in a template a placeholder stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case")]
pub enum Place {
    /// In the running text.
    Body,
    /// In a table of the running text.
    Table,
    /// In a header.
    Header,
    /// In a footer.
    Footer,
    /// In a text box.
    TextBox,
    /// In a footnote or endnote.
    Note,
    /// In a text that is not a document: subject, file name, message.
    Text,
}

impl Place {
    /// The place in words.
    pub fn words(&self) -> &'static str {
        match self {
            Place::Body => "body",
            Place::Table => "table",
            Place::Header => "header",
            Place::Footer => "footer",
            Place::TextBox => "text box",
            Place::Note => "footnote",
            Place::Text => "text",
        }
    }
}

/// A placeholder as found in a template.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Placeholder {
    /// Its text with its brackets.
    pub text: String,
    /// Where it stands.
    pub place: Place,
    /// The line of text that it stands in.
    pub line: String,
    /// The names that it looks up.
    pub names: Vec<NameUse>,
    /// It is another form of one before it, for older programs: filled as well, but
    /// listed and counted once.
    pub again: bool,
}

/// A name that a placeholder looks up.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct NameUse {
    /// As written.
    pub name: String,
    /// The names along its relations.
    pub rest: Vec<String>,
    /// What it is used as.
    pub used: UsedAs,
    /// The currency that its amount is printed in.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub currency: Option<String>,
    /// The lists that it is looked up in first, outermost first, each by its
    /// path; none for a list that is no plain path.
    pub within: Vec<Option<Vec<String>>>,
}

/// What went wrong with one placeholder for one record.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FillError {
    /// The placeholder's text with its brackets.
    pub placeholder: Box<str>,
    /// Where it stands.
    pub place: Place,
    /// The number of the record whose turn it is: of the innermost turn over the list that
    /// the outermost is over.
    pub turn_of: Option<u32>,
    /// What went wrong.
    pub error: EvalError,
}

impl FillError {
    /// What a person is told of it.
    pub fn diagnostic(&self) -> Diagnostic {
        let target = Target::Template { place: self.place, line: String::new() };
        Diagnostic::error(self.error.fault.code(), self.error.to_string()).about(target).within(&*self.placeholder)
    }
}

impl std::fmt::Display for FillError {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{} in the {}: {}", self.placeholder, self.place.words(), self.error)
    }
}
