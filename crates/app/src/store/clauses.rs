//! The clause library.

use std::sync::Arc;

use anyhow::Result;
use mangle_core::template::Clauses;
use rusqlite::{Connection, params};
use serde::Serialize;

use super::Changed;

/// A clause's text in one language.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct ClauseInfo {
    /// Its number.
    pub id: i64,
    /// Its name, as placeholders write it.
    pub name: String,
    /// The language that it is for, as a BCP 47 tag; blank for any.
    pub language: String,
    /// The text with its placeholders.
    pub text: String,
    /// When it was last changed.
    pub changed: String,
    /// How often it was changed.
    pub revision: i64,
}

/// All clauses, by name and language.
pub fn list(c: &Connection) -> Result<Vec<ClauseInfo>> {
    let mut query =
        c.prepare_cached("SELECT id, name, language, body, changed, revision FROM clause ORDER BY name COLLATE NOCASE, language")?;
    let of = |r: &rusqlite::Row<'_>| {
        Ok(ClauseInfo { id: r.get(0)?, name: r.get(1)?, language: r.get(2)?, text: r.get(3)?, changed: r.get(4)?, revision: r.get(5)? })
    };
    Ok(query.query_map([], of)?.collect::<Result<Vec<_>, _>>()?)
}

/// The library, compiled.
pub fn library(c: &Connection) -> Result<Arc<Clauses>> {
    let all = list(c)?;
    Ok(Clauses::new(all.iter().map(|one| (one.name.as_str(), one.language.as_str(), one.text.as_str()))).0)
}

/// Adds a clause.
pub fn add(c: &Connection, name: &str, language: &str, text: &str, at: &str) -> Result<()> {
    c.execute("INSERT INTO clause (name, language, body, changed) VALUES (?1, ?2, ?3, ?4)", params![name, language, text, at])?;
    Ok(())
}

/// Changes a clause, if it is still of the revision that was seen, where one was.
pub fn change(c: &Connection, id: i64, seen: Option<i64>, (name, language, text): (&str, &str, &str), at: &str) -> Result<Changed> {
    let sql = "UPDATE clause SET name = ?2, language = ?3, body = ?4, changed = ?5, revision = revision + 1 WHERE id = ?1 AND revision = coalesce(?6, revision)";
    let touched = c.execute(sql, params![id, name, language, text, at, seen])?;
    let there = c.query_row("SELECT EXISTS (SELECT 1 FROM clause WHERE id = ?1)", [id], |r| r.get(0))?;
    Ok(Changed::of(touched, there))
}

/// Deletes a clause.
pub fn delete(c: &Connection, id: i64) -> Result<bool> {
    Ok(c.execute("DELETE FROM clause WHERE id = ?1", [id])? > 0)
}
