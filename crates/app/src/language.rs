//! The placeholder language for editors: checking while typing, completion, help.

use mangle_core::diagnostic::Diagnostic;
use mangle_core::language::{self, function};
use mangle_core::records::Schema;
use serde::{Deserialize, Serialize};

use crate::prepare::blocking;
use crate::{App, Error, Outcome};

/// The longest text that is checked.
const LONGEST: usize = 64 << 10;

/// A text to check.
#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Checked {
    /// An expression, or a text with placeholders.
    pub text: String,
    /// Whether it is a text with placeholders.
    #[serde(default)]
    pub placeholders: bool,
    /// The sheet whose columns its names should be.
    pub sheet_id: Option<i64>,
}

async fn schema(app: &App, sheet: Option<i64>) -> Outcome<Option<std::sync::Arc<Schema>>> {
    match sheet {
        Some(id) => Ok(Some(app.sheet(id).await?.sheet.schema.clone())),
        None => Ok(None),
    }
}

fn bounded(text: &str) -> Outcome<()> {
    match text.len() <= LONGEST {
        true => Ok(()),
        false => Err(Error::unusable("too-long", "a text of at most 64 KB can be checked")),
    }
}

/// Tells all that is wrong with an expression or a text.
pub async fn check(app: &App, asked: Checked) -> Outcome<Vec<Diagnostic>> {
    bounded(&asked.text)?;
    let schema = schema(app, asked.sheet_id).await?;
    let marks = blocking(move || match asked.placeholders {
        true => language::check_text(&asked.text, schema.as_deref()),
        false => language::check(&asked.text, schema.as_deref()),
    })
    .await?;
    Ok(marks)
}

/// A place in an expression.
#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Cursor {
    /// The expression.
    pub text: String,
    /// The place, in bytes.
    pub at: usize,
    /// The sheet whose columns are offered.
    pub sheet_id: Option<i64>,
}

/// What could stand at a place.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Completion {
    /// The first byte of what an offer takes the place of.
    pub start: usize,
    /// The byte after the last.
    pub end: usize,
    /// The offers, the likeliest first.
    pub offers: Vec<OfferInfo>,
}

/// Something that could stand at a place.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct OfferInfo {
    /// field, function, format or word.
    pub kind: String,
    /// What is put in.
    pub text: String,
    /// What it is.
    pub about: String,
}

/// Offers what could stand at a place in an expression.
pub async fn complete(app: &App, asked: Cursor) -> Outcome<Completion> {
    bounded(&asked.text)?;
    let schema = schema(app, asked.sheet_id).await?;
    let none = Schema::new(Vec::new()).map_err(|e| Error::unusable("header", e.to_string()))?;
    let (span, offers) = language::complete(&asked.text, asked.at, schema.as_deref().unwrap_or(&none));
    let offers = offers.into_iter().map(|o| OfferInfo { kind: o.kind.to_owned(), text: o.text, about: o.about }).collect();
    Ok(Completion { start: span.start, end: span.end, offers })
}

/// A function of the language, as the help shows it.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct FunctionInfo {
    /// Its name.
    pub name: String,
    /// How it is written.
    pub syntax: String,
    /// What it yields.
    pub about: String,
    /// An expression with it.
    pub example: String,
    /// What that comes to.
    pub result: String,
    /// The clause of OpenDocument 1.3 part 4 that it follows; blank for one beyond it.
    pub clause: String,
}

/// All functions of the language.
pub fn functions() -> Vec<FunctionInfo> {
    let of = |f: &'static function::Function| FunctionInfo {
        name: f.name.to_owned(),
        syntax: f.syntax.to_owned(),
        about: f.about.to_owned(),
        example: f.example.0.to_owned(),
        result: f.example.1.to_owned(),
        clause: f.clause.to_owned(),
    };
    function::all().map(of).collect()
}
