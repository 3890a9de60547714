//! Kinds of templates: each opens a file as a [`Template`], which is compiled once and filled
//! for every record.
//!
//! To add one: a folder with its [`Format`] and its [`Template`], and a line in [`ALL`].

mod by_rule;
pub mod docx;
pub mod fixed_fields;
mod pack;

use std::any::Any;
use std::collections::{BTreeMap, HashMap};
use std::fmt::Debug;
use std::sync::Arc;

use mangle_core::diagnostic::Diagnostic;
use mangle_core::dispatch::Question;
use mangle_core::language::Scope;
use mangle_core::language::syntax::{Field, SignerField};
use mangle_core::template::{FillError, Need, Outline, Placeholder, Traced, Way, needs};

pub use self::by_rule::{ByRule, Rule};
pub use self::pack::{Content, Pack, Picture};
use crate::OpenError;
use crate::bound::Bound;
use crate::layout::{FontSet, FontUse, TypesetError, Typesetter};
use crate::model::LeftOut;
use crate::picture::{NoPictures, Pictures};

/// All kinds of templates.
pub const ALL: &[&dyn Format] = &[&docx::Docx];

/// A kind of template.
pub trait Format: Debug + Sync {
    /// The word that is stored with a version of a template; also its file's extension.
    fn word(&self) -> &'static str;

    /// What people call it.
    fn name(&self) -> &'static str;

    /// Its media type (RFC 6838).
    fn media_type(&self) -> &'static str;

    /// Whether a file is one, by its content.
    fn holds(&self, bytes: &[u8]) -> bool;

    /// Opens and compiles a template, with these fonts for its pages.
    fn open(&self, bytes: Arc<[u8]>, fonts: &Arc<FontSet>) -> Result<Arc<dyn Template>, OpenError>;
}

/// The kind of a word.
pub fn of_word(word: &str) -> Option<&'static dyn Format> {
    ALL.iter().copied().find(|format| format.word() == word)
}

/// The kind of a file: by its content, else by its name.
pub fn of_file(name: &str, bytes: &[u8]) -> Option<&'static dyn Format> {
    let named = name.rsplit_once('.').and_then(|(_, extension)| of_word(&extension.to_ascii_lowercase()));
    ALL.iter().copied().find(|format| format.holds(bytes)).or(named)
}

/// Opens and compiles a template of whatever kind, with these fonts for its pages. A file of no
/// kind is refused as one of the first.
pub fn open(name: &str, bytes: Vec<u8>, fonts: &Arc<FontSet>) -> Result<Arc<dyn Template>, OpenError> {
    of_file(name, &bytes).unwrap_or(ALL[0]).open(bytes.into(), fonts)
}

/// A compiled template. Sharing it between threads is free.
pub trait Template: Debug + Send + Sync {
    /// Its placeholders in reading order.
    fn placeholders(&self) -> &[Placeholder];

    /// What must be fixed before it can be used.
    fn problems(&self) -> &[Diagnostic];

    /// The conditions and repeats as they nest.
    fn outline(&self) -> &[Outline];

    /// The ways that filling can go.
    fn ways(&self) -> &[Way];

    /// The fields that it needs, as a tree.
    fn needs(&self) -> Vec<Need> {
        needs(self.placeholders())
    }

    /// What was read differently than it stands in the file, a sentence each.
    fn notes(&self) -> Vec<String>;

    /// Which of several templates a record takes, by its place; there is one otherwise.
    fn pick(&self, _scope: &Scope<'_>) -> Result<usize, FillError> {
        Ok(0)
    }

    /// Whether a record that takes a template of that place has a document at all.
    fn makes(&self, _picked: usize) -> bool {
        true
    }

    /// What a person is asked before it is filled.
    fn questions(&self) -> Vec<Question> {
        Vec::new()
    }

    /// Whether filled documents can be written in a format of their own besides pages.
    fn writes(&self) -> bool {
        true
    }

    /// Fills it for one record.
    fn fill_with(&self, scope: &Scope<'_>, means: Means<'_>) -> Result<Filled, Vec<FillError>>;

    /// Fills it to be looked at, and tells what each placeholder did, by its place among the
    /// placeholders.
    fn fill_traced(&self, scope: &Scope<'_>, means: Means<'_>) -> TracedFill;

    /// The filled document in the template's own format.
    fn write(&self, filled: &Filled) -> Result<Vec<u8>, OpenError>;

    /// The filled document typeset.
    fn typeset(&self, filled: &Filled, typesetter: &Typesetter<'_>) -> Result<Bound, MakeError>;

    /// The lines of its pages with the placeholders as they are written, to compare versions.
    fn lines(&self) -> Result<Vec<String>, OpenError>;

    /// The lines of a filled document's pages.
    fn lines_of(&self, filled: &Filled) -> Result<Vec<String>, OpenError>;

    /// The template's own pages with a short stand-in for each placeholder.
    fn with_stand_ins(&self) -> Result<Bound, MakeError>;

    /// What its pages can't show, or show in another font than it asks for.
    fn page_notes(&self) -> Result<PageNotes, OpenError>;

    /// The file with one of its placeholders rewritten; all else stays as it is.
    fn rewritten(&self, placeholder: usize, text: &str) -> Result<Vec<u8>, EditError>;
}

/// What a person is asked before several templates are filled, each question once.
fn questions_of<'a>(templates: impl Iterator<Item = &'a Arc<dyn Template>>, mut first: Vec<Question>) -> Vec<Question> {
    for question in templates.flat_map(|template| template.questions()) {
        if !first.iter().any(|own| own.about == question.about) {
            first.push(question);
        }
    }
    first
}

/// What a person should know of the pages of several templates.
fn page_notes_of<'a>(templates: impl Iterator<Item = &'a Arc<dyn Template>>) -> Result<PageNotes, OpenError> {
    let mut all = PageNotes { left_out: Vec::new(), fonts: Vec::new() };
    for template in templates {
        let notes = template.page_notes()?;
        all.left_out.extend(notes.left_out);
        all.fonts.extend(notes.fonts);
    }
    Ok(all)
}

/// A template filled for one record. What is in it, its own template alone knows.
#[derive(Debug)]
pub struct Filled {
    own: Box<dyn Any + Send + Sync>,
    signers: HashMap<u32, SignerPlace>,
}

impl Filled {
    fn new(own: impl Any + Send + Sync, signers: HashMap<u32, SignerPlace>) -> Filled {
        Filled { own: Box::new(own), signers }
    }

    fn of<T: Any>(&self) -> Option<&T> {
        self.own.downcast_ref()
    }

    /// The signature field whose drawing has a number.
    pub fn signer(&self, number: u32) -> Option<&SignerPlace> {
        self.signers.get(&number)
    }
}

/// A template filled to be looked at.
#[derive(Debug)]
pub struct TracedFill<T = Filled> {
    /// The document; placeholders that failed stand in it as they are written. It is for looking
    /// at alone where there are errors.
    pub filled: T,
    /// What failed.
    pub errors: Vec<FillError>,
    /// What each placeholder did.
    pub trace: Vec<Traced>,
}

impl<T> TracedFill<T> {
    /// The document, where nothing failed.
    pub fn whole(self) -> Result<T, Vec<FillError>> {
        if self.errors.is_empty() { Ok(self.filled) } else { Err(self.errors) }
    }
}

/// A place that a signer fills in.
#[derive(Debug, Clone, PartialEq)]
pub struct SignerPlace {
    /// The signer role.
    pub role: String,
    /// What is filled in.
    pub field: Field,
    /// What it is called; blank where its kind says it.
    pub label: String,
    /// Whether it may stay empty.
    pub optional: bool,
    /// Its size in points.
    pub size: (f64, f64),
}

impl SignerPlace {
    /// The place that a field takes, as large as it says or as is usual for its kind.
    pub fn of(field: &SignerField) -> SignerPlace {
        let usual = match field.field {
            Field::Signature => (170.0, 51.0),
            Field::Initials => (57.0, 28.0),
            Field::Name | Field::Text(_) | Field::Choice(_) => (170.0, 22.0),
            Field::Date => (85.0, 22.0),
            Field::Tick => (14.0, 14.0),
        };
        let size = match (field.sizes.fit, field.sizes.width, field.sizes.height) {
            (Some(size), ..) => size,
            (None, width, height) => (width.unwrap_or(usual.0), height.unwrap_or(usual.1)),
        };
        SignerPlace {
            role: field.role.text.clone(),
            field: field.field.clone(),
            label: field.label.clone(),
            optional: field.optional,
            size,
        }
    }
}

/// What filling is done with besides the record.
#[derive(Clone, Copy)]
pub struct Means<'a> {
    /// Where pictures come from.
    pub pictures: &'a dyn Pictures,
    /// The answers to what is asked before, by what each is about.
    pub answers: &'a BTreeMap<String, String>,
}

/// No answers: the usual ones count.
static NO_ANSWERS: BTreeMap<String, String> = BTreeMap::new();

impl std::fmt::Debug for Means<'_> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("Means")
    }
}

impl Default for Means<'_> {
    fn default() -> Self {
        Means { pictures: &NoPictures, answers: &NO_ANSWERS }
    }
}

/// What a person should know of a template's pages.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PageNotes {
    /// What can't be shown.
    pub left_out: Vec<LeftOut>,
    /// Fonts that are not here, and what shows them.
    pub fonts: Vec<FontUse>,
}

impl PageNotes {
    /// All of it in words.
    pub fn said(&self) -> Vec<String> {
        let fonts = self.fonts.iter().map(|font| {
            format!(
                "font “{}” is missing and replaced by “{}”; line breaks may differ. Upload it in Settings or embed it in the document.",
                font.asked, font.shown
            )
        });
        self.left_out.iter().map(ToString::to_string).chain(fonts).collect()
    }
}

/// Why a filled document has no pages.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum MakeError {
    /// It can't be read.
    #[error(transparent)]
    Read(#[from] OpenError),
    /// It can't be typeset.
    #[error(transparent)]
    Typeset(#[from] TypesetError),
}

/// Why a placeholder can't be written anew.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum EditError {
    /// There is no such placeholder.
    #[error("the template has no placeholder {0}")]
    NoSuch(usize),
    /// It stands where its text can't be replaced.
    #[error("this placeholder is in a link, property, merge field or tracked change. Edit it in the word processor.")]
    Elsewhere,
    /// The text is no placeholder.
    #[error("a placeholder must start with “[:” and end with “]”")]
    NotOne,
    /// The file can't be read or written.
    #[error(transparent)]
    File(#[from] OpenError),
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_file_is_known_by_its_content_and_else_by_its_name() {
        let letter = std::fs::read("../../demo/reminder.docx").expect("the demo world");
        assert_eq!(of_file("letter.tmp", &letter).map(Format::word), Some("docx"));
        assert_eq!(of_file("Letter.DOCX", b"").map(Format::word), Some("docx"), "so that it is refused as one");
        assert!(of_file("season.csv", b"Ref;Balance").is_none());
        assert!(ALL.iter().all(|format| of_word(format.word()).is_some_and(|own| own.name() == format.name())));
    }
}
