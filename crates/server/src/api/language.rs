//! The placeholder language for editors: checking while typing, completion, help.

use axum::Json;
use axum::extract::State;
use mangle_core::language::{self, function};
use mangle_core::records::Schema;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::error::{Answer, Problem, Refused};
use mangle_app::App;
use mangle_app::prepare::blocking;

/// The longest text that is checked.
const LONGEST: usize = 64 << 10;

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(check)).routes(routes!(complete)).routes(routes!(functions))
}

/// A text to check.
#[derive(Debug, Deserialize, ToSchema)]
struct Checked {
    /// An expression, or a text with placeholders.
    text: String,
    /// Whether it is a text with placeholders.
    #[serde(default)]
    placeholders: bool,
    /// The sheet whose columns its names should be.
    sheet_id: Option<i64>,
}

/// Something to mark in the text.
#[derive(Debug, Serialize, ToSchema)]
struct MarkInfo {
    /// A hint only tells; anything else must be put right.
    hint: bool,
    /// A short name for programs.
    code: String,
    /// What is wrong and what to do.
    #[serde(serialize_with = "mangle_core::words::as_sentence")]
    message: String,
    /// The first byte of the spot.
    start: usize,
    /// The byte after the last.
    end: usize,
}

async fn schema(app: &App, sheet: Option<i64>) -> Result<Option<std::sync::Arc<Schema>>, Refused> {
    match sheet {
        Some(id) => Ok(Some(app.sheet(id).await?.sheet.schema.clone())),
        None => Ok(None),
    }
}

fn bounded(text: &str) -> Result<(), Refused> {
    match text.len() <= LONGEST {
        true => Ok(()),
        false => Err(Refused::unusable("too-long", "a text of at most 64 KB can be checked")),
    }
}

/// Tells all that is wrong with an expression or a text.
#[utoipa::path(post, path = "/api/language/check", tag = "language", request_body = Checked, responses((status = 200, body = Vec<MarkInfo>), (status = 422, body = Problem)))]
async fn check(State(app): State<App>, Json(asked): Json<Checked>) -> Answer<Vec<MarkInfo>> {
    bounded(&asked.text)?;
    let schema = schema(&app, asked.sheet_id).await?;
    let marks = blocking(move || match asked.placeholders {
        true => language::check_text(&asked.text, schema.as_deref()),
        false => language::check(&asked.text, schema.as_deref()),
    })
    .await?;
    let told = marks.into_iter().map(|m| MarkInfo {
        hint: m.hint,
        code: m.code.to_owned(),
        message: m.message,
        start: m.span.start,
        end: m.span.end,
    });
    Ok(Json(told.collect()))
}

/// A place in an expression.
#[derive(Debug, Deserialize, ToSchema)]
struct Cursor {
    /// The expression.
    text: String,
    /// The place, in bytes.
    at: usize,
    /// The sheet whose columns are offered.
    sheet_id: Option<i64>,
}

/// What could stand at a place.
#[derive(Debug, Serialize, ToSchema)]
struct Completion {
    /// The first byte of what an offer takes the place of.
    start: usize,
    /// The byte after the last.
    end: usize,
    /// The offers, the likeliest first.
    offers: Vec<OfferInfo>,
}

/// Something that could stand at a place.
#[derive(Debug, Serialize, ToSchema)]
struct OfferInfo {
    /// field, function, format or word.
    kind: String,
    /// What is put in.
    text: String,
    /// What it is.
    about: String,
}

/// Offers what could stand at a place in an expression.
#[utoipa::path(post, path = "/api/language/complete", tag = "language", request_body = Cursor, responses((status = 200, body = Completion), (status = 422, body = Problem)))]
async fn complete(State(app): State<App>, Json(asked): Json<Cursor>) -> Answer<Completion> {
    bounded(&asked.text)?;
    let schema = schema(&app, asked.sheet_id).await?;
    let none = Schema::new(Vec::new()).map_err(|e| Refused::unusable("header", e.to_string()))?;
    let (span, offers) = language::complete(&asked.text, asked.at, schema.as_deref().unwrap_or(&none));
    let offers = offers.into_iter().map(|o| OfferInfo { kind: o.kind.to_owned(), text: o.text, about: o.about }).collect();
    Ok(Json(Completion { start: span.start, end: span.end, offers }))
}

/// A function of the language, as the help shows it.
#[derive(Debug, Serialize, ToSchema)]
struct FunctionInfo {
    /// Its name.
    name: String,
    /// How it is written.
    syntax: String,
    /// What it yields.
    about: String,
    /// An expression with it.
    example: String,
    /// What that comes to.
    result: String,
    /// The clause of OpenDocument 1.3 part 4 that it follows; blank for one beyond it.
    clause: String,
}

/// All functions of the language.
#[utoipa::path(get, path = "/api/language/functions", tag = "language", responses((status = 200, body = Vec<FunctionInfo>)))]
async fn functions() -> Json<Vec<FunctionInfo>> {
    let of = |f: &'static function::Function| FunctionInfo {
        name: f.name.to_owned(),
        syntax: f.syntax.to_owned(),
        about: f.about.to_owned(),
        example: f.example.0.to_owned(),
        result: f.example.1.to_owned(),
        clause: f.clause.to_owned(),
    };
    Json(function::all().map(of).collect())
}
