//! The clause library: pieces of text that templates share.

use axum::Json;
use axum::extract::{Path, State};
use mangle_core::language::Folded;
use mangle_core::template::Clauses;
use mangle_core::value::Locale;
use serde::Deserialize;
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::error::{Answer, Problem, Refused};
use mangle_app::App;
use mangle_app::clock;
use mangle_app::store::clauses::{self, ClauseInfo};

/// The longest clause.
const LONGEST: usize = 64 << 10;

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(list, add)).routes(routes!(change, remove))
}

/// All clauses, by name and language.
#[utoipa::path(get, path = "/api/clauses", tag = "clauses", responses((status = 200, body = Vec<ClauseInfo>)))]
async fn list(State(app): State<App>) -> Answer<Vec<ClauseInfo>> {
    Ok(Json(app.store.with(|c| clauses::list(c)).await?))
}

/// A clause as a person writes it.
#[derive(Debug, Deserialize, ToSchema)]
struct ClauseBody {
    /// Its name.
    name: String,
    /// The language that it is for; blank for any.
    #[serde(default)]
    language: String,
    /// The text with its placeholders.
    text: String,
    /// The revision that was changed: what was changed elsewhere meanwhile is not overwritten.
    #[serde(default)]
    revision: Option<i64>,
}

/// Adds a clause.
#[utoipa::path(post, path = "/api/clauses", tag = "clauses", request_body = ClauseBody, responses((status = 200, body = Vec<ClauseInfo>), (status = 422, body = Problem)))]
async fn add(State(app): State<App>, Json(new): Json<ClauseBody>) -> Answer<Vec<ClauseInfo>> {
    let new = checked(&app, new, None).await?;
    app.store.with(move |c| clauses::add(c, &new.name, &new.language, &new.text, &clock::stamp())).await?;
    list(State(app)).await
}

/// Changes a clause.
#[utoipa::path(put, path = "/api/clauses/{id}", tag = "clauses", params(("id" = i64, Path)), request_body = ClauseBody, responses((status = 200, body = Vec<ClauseInfo>), (status = 409, body = Problem), (status = 422, body = Problem)))]
async fn change(State(app): State<App>, Path(id): Path<i64>, Json(new): Json<ClauseBody>) -> Answer<Vec<ClauseInfo>> {
    let new = checked(&app, new, Some(id)).await?;
    let changed = app.store.change(move |t| clauses::change(t, id, new.revision, (&new.name, &new.language, &new.text), &clock::stamp()));
    changed.await?.done("the clause")?;
    list(State(app)).await
}

/// Deletes a clause.
#[utoipa::path(delete, path = "/api/clauses/{id}", tag = "clauses", params(("id" = i64, Path)), responses((status = 200, body = Vec<ClauseInfo>)))]
async fn remove(State(app): State<App>, Path(id): Path<i64>) -> Answer<Vec<ClauseInfo>> {
    app.store.with(move |c| clauses::delete(c, id)).await?;
    list(State(app)).await
}

/// A clause that the library can hold: named, its placeholders right, no circle.
async fn checked(app: &App, new: ClauseBody, id: Option<i64>) -> Result<ClauseBody, Refused> {
    let name = new.name.split_whitespace().collect::<Vec<_>>().join(" ");
    if name.is_empty() || name.len() > 120 {
        return Err(Refused::unusable("no-name", "enter a name of at most 120 characters"));
    }
    if new.text.len() > LONGEST {
        return Err(Refused::unusable("too-long", "a clause can be at most 64 KB"));
    }
    let language = new.language.trim().to_owned();
    if !language.is_empty() {
        Locale::parse(&language).map_err(|e| Refused::unusable("locale", e.to_string()))?;
    }
    let others = app.store.with(|c| clauses::list(c)).await?;
    let is_same = |one: &ClauseInfo| Folded::new(&one.name) == Folded::new(&name) && one.language.eq_ignore_ascii_case(&language);
    if others.iter().any(|one| Some(one.id) != id && is_same(one)) {
        return Err(Refused::conflict("same-name", "a clause with this name and language already exists. Edit that one."));
    }
    let mut all: Vec<(&str, &str, &str)> =
        others.iter().filter(|one| Some(one.id) != id).map(|one| (one.name.as_str(), one.language.as_str(), one.text.as_str())).collect();
    all.push((&name, &language, &new.text));
    let (_, problems) = Clauses::new(all);
    if let Some(first) = problems.iter().find(|p| p.clause == name) {
        let spot = &first.problem.placeholder;
        return Err(Refused::unusable(first.problem.code, format!("{spot}: {}", first.problem.message)));
    }
    Ok(ClauseBody { name, language, ..new })
}
