//! The clause library: pieces of text that templates share.

use mangle_core::language::Folded;
use mangle_core::template::Clauses;
use mangle_core::value::Locale;
use serde::Deserialize;

use crate::store::clauses::{self, ClauseInfo};
use crate::{App, Error, Outcome, clock};

/// The longest clause.
const LONGEST: usize = 64 << 10;

/// All clauses, by name and language.
pub async fn list(app: &App) -> Outcome<Vec<ClauseInfo>> {
    Ok(app.store.with(|c| clauses::list(c)).await?)
}

/// A clause as a person writes it.
#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct ClauseBody {
    /// Its name.
    pub name: String,
    /// The language that it is for; blank for any.
    #[serde(default)]
    pub language: String,
    /// The text with its placeholders.
    pub text: String,
    /// The revision that was changed: what was changed elsewhere meanwhile is not overwritten.
    #[serde(default)]
    pub revision: Option<i64>,
}

/// Adds a clause.
pub async fn add(app: &App, new: ClauseBody) -> Outcome<Vec<ClauseInfo>> {
    let new = checked(app, new, None).await?;
    app.store.with(move |c| clauses::add(c, &new.name, &new.language, &new.text, &clock::stamp())).await?;
    list(app).await
}

/// Changes a clause.
pub async fn change(app: &App, id: i64, new: ClauseBody) -> Outcome<Vec<ClauseInfo>> {
    let new = checked(app, new, Some(id)).await?;
    let changed = app.store.change(move |t| clauses::change(t, id, new.revision, (&new.name, &new.language, &new.text), &clock::stamp()));
    changed.await?.done("the clause")?;
    list(app).await
}

/// Deletes a clause.
pub async fn remove(app: &App, id: i64) -> Outcome<Vec<ClauseInfo>> {
    app.store.with(move |c| clauses::delete(c, id)).await?;
    list(app).await
}

/// A clause that the library can hold: named, its placeholders right, no circle.
async fn checked(app: &App, new: ClauseBody, id: Option<i64>) -> Outcome<ClauseBody> {
    let name = new.name.split_whitespace().collect::<Vec<_>>().join(" ");
    if name.is_empty() || name.len() > 120 {
        return Err(Error::unusable("no-name", "enter a name of at most 120 characters"));
    }
    if new.text.len() > LONGEST {
        return Err(Error::unusable("too-long", "a clause can be at most 64 KB"));
    }
    let language = new.language.trim().to_owned();
    if !language.is_empty() {
        Locale::parse(&language).map_err(|e| Error::unusable("locale", e.to_string()))?;
    }
    let others = app.store.with(|c| clauses::list(c)).await?;
    let is_same = |one: &ClauseInfo| Folded::new(&one.name) == Folded::new(&name) && one.language.eq_ignore_ascii_case(&language);
    if others.iter().any(|one| Some(one.id) != id && is_same(one)) {
        return Err(Error::conflict("same-name", "a clause with this name and language already exists. Edit that one."));
    }
    let mut all: Vec<(&str, &str, &str)> =
        others.iter().filter(|one| Some(one.id) != id).map(|one| (one.name.as_str(), one.language.as_str(), one.text.as_str())).collect();
    all.push((&name, &language, &new.text));
    let (_, problems) = Clauses::new(all);
    if let Some(first) = problems.iter().find(|p| p.clause == name) {
        let spot = &first.problem.source;
        return Err(Error::unusable(&first.problem.code, format!("{spot}: {}", first.problem)));
    }
    Ok(ClauseBody { name, language, ..new })
}
