//! Templates and their versions.

use anyhow::Result;
use rusqlite::{Connection, OptionalExtension, params};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// A template in the list.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct TemplateInfo {
    /// Its number.
    pub id: i64,
    /// Its name.
    pub name: String,
    /// Its versions, the newest first; the first is in use.
    pub versions: Vec<Version>,
}

/// A version of a template.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct Version {
    /// Its number in the store.
    pub id: i64,
    /// Which version, from 1.
    pub number: i64,
    /// The file that it came from.
    pub file_name: String,
    /// The file's name in the store.
    #[serde(skip)]
    pub file: String,
    /// The file's size in bytes.
    pub size: i64,
    /// When it was brought in.
    pub brought_in: String,
}

const VERSION: &str = "SELECT id, number, file_name, file, size, brought_in FROM template_version";

fn of_row(r: &rusqlite::Row<'_>) -> rusqlite::Result<Version> {
    Ok(Version { id: r.get(0)?, number: r.get(1)?, file_name: r.get(2)?, file: r.get(3)?, size: r.get(4)?, brought_in: r.get(5)? })
}

/// All templates, the newest first.
pub fn list(c: &Connection) -> Result<Vec<TemplateInfo>> {
    let mut query = c.prepare_cached("SELECT id FROM template ORDER BY id DESC")?;
    let ids = query.query_map([], |r| r.get::<_, i64>(0))?.collect::<Result<Vec<_>, _>>()?;
    ids.into_iter().filter_map(|id| get(c, id).transpose()).collect()
}

/// A template.
pub fn get(c: &Connection, id: i64) -> Result<Option<TemplateInfo>> {
    let name: Option<String> = c.prepare_cached("SELECT name FROM template WHERE id = ?1")?.query_row([id], |r| r.get(0)).optional()?;
    let Some(name) = name else { return Ok(None) };
    let mut query = c.prepare_cached(&format!("{VERSION} WHERE template_id = ?1 ORDER BY number DESC"))?;
    let versions = query.query_map([id], of_row)?.collect::<Result<Vec<_>, _>>()?;
    Ok(Some(TemplateInfo { id, name, versions }))
}

/// A version by its number in the store.
pub fn version(c: &Connection, id: i64) -> Result<Option<Version>> {
    Ok(c.prepare_cached(&format!("{VERSION} WHERE id = ?1"))?.query_row([id], of_row).optional()?)
}

/// Adds a template without versions.
pub fn add(c: &Connection, name: &str) -> Result<i64> {
    c.execute("INSERT INTO template (name) VALUES (?1)", [name])?;
    Ok(c.last_insert_rowid())
}

/// Adds a version, which is the one in use from now on.
pub fn add_version(c: &Connection, template: i64, file_name: &str, file: &str, size: usize, at: &str) -> Result<i64> {
    c.execute(
        "INSERT INTO template_version (template_id, number, file_name, file, size, brought_in)
         SELECT ?1, 1 + coalesce(max(number), 0), ?2, ?3, ?4, ?5 FROM template_version WHERE template_id = ?1",
        params![template, file_name, file, size, at],
    )?;
    Ok(c.last_insert_rowid())
}

/// How many dispatches and runs use a template.
pub fn uses(c: &Connection, id: i64) -> Result<usize> {
    let sql = "SELECT (SELECT count(*) FROM dispatch WHERE template_id = ?1) + (SELECT count(*) FROM run WHERE template_version_id IN (SELECT id FROM template_version WHERE template_id = ?1))";
    Ok(c.query_row(sql, [id], |r| r.get(0))?)
}

/// Deletes a template with its versions.
pub fn delete(c: &Connection, id: i64) -> Result<bool> {
    Ok(c.execute("DELETE FROM template WHERE id = ?1", [id])? > 0)
}
