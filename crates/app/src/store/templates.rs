//! Templates and their versions.

use std::collections::BTreeMap;

use anyhow::{Context, Result};
use mangle_core::dispatch::Setup;
use mangle_documents::formats;
use rusqlite::{Connection, OptionalExtension, params};
use serde::{Deserialize, Serialize};

/// A template in the list.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct TemplateInfo {
    /// Its number.
    pub id: i64,
    /// Its name.
    pub name: String,
    /// Which version is in use; newer ones are drafts.
    pub in_use: i64,
    /// Its versions, the newest first.
    pub versions: Vec<Version>,
}

/// The word of packs among the kinds of templates.
pub const PACK: &str = "pack";

/// A version of a template.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
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
    /// Who brought it in.
    pub brought_by: String,
    /// What the person noted of it.
    pub note: String,
    /// The word of its kind of template: docx, pack.
    pub kind: String,
}

impl Version {
    /// Its kind of template.
    pub fn format(&self) -> Result<&'static dyn formats::Format> {
        formats::of_word(&self.kind).with_context(|| format!("this version of Mangle has no templates of the kind “{}”", self.kind))
    }
}

impl TemplateInfo {
    /// A version by its number; the one in use where none is asked for.
    pub fn version(&self, number: Option<i64>) -> Option<&Version> {
        let wanted = number.unwrap_or(self.in_use);
        self.versions.iter().find(|v| v.number == wanted)
    }
}

const VERSION: &str = "SELECT id, number, file_name, file, size, brought_in, brought_by, note, kind FROM template_version";

fn of_row(r: &rusqlite::Row<'_>) -> rusqlite::Result<Version> {
    Ok(Version {
        id: r.get(0)?,
        number: r.get(1)?,
        file_name: r.get(2)?,
        file: r.get(3)?,
        size: r.get(4)?,
        brought_in: r.get(5)?,
        brought_by: r.get(6)?,
        note: r.get(7)?,
        kind: r.get(8)?,
    })
}

/// All templates, the newest first.
pub fn list(c: &Connection) -> Result<Vec<TemplateInfo>> {
    let mut query = c.prepare_cached("SELECT id FROM template ORDER BY id DESC")?;
    let ids = query.query_map([], |r| r.get::<_, i64>(0))?.collect::<Result<Vec<_>, _>>()?;
    ids.into_iter().filter_map(|id| get(c, id).transpose()).collect()
}

/// A template.
pub fn get(c: &Connection, id: i64) -> Result<Option<TemplateInfo>> {
    let mut query = c.prepare_cached("SELECT name, in_use FROM template WHERE id = ?1")?;
    let Some((name, in_use)) = query.query_row([id], |r| Ok((r.get(0)?, r.get(1)?))).optional()? else { return Ok(None) };
    let mut query = c.prepare_cached(&format!("{VERSION} WHERE template_id = ?1 ORDER BY number DESC"))?;
    let versions = query.query_map([id], of_row)?.collect::<Result<Vec<_>, _>>()?;
    Ok(Some(TemplateInfo { id, name, in_use, versions }))
}

/// A version by its number in the store.
pub fn version(c: &Connection, id: i64) -> Result<Option<Version>> {
    Ok(c.prepare_cached(&format!("{VERSION} WHERE id = ?1"))?.query_row([id], of_row).optional()?)
}

/// The template that a version is of.
pub fn of_version(c: &Connection, version: i64) -> Result<Option<i64>> {
    let mut query = c.prepare_cached("SELECT template_id FROM template_version WHERE id = ?1")?;
    Ok(query.query_row([version], |r| r.get(0)).optional()?)
}

/// Adds a template without versions.
pub fn add(c: &Connection, name: &str) -> Result<i64> {
    c.execute("INSERT INTO template (name, key) VALUES (?1, lower(hex(randomblob(8))))", [name])?;
    Ok(c.last_insert_rowid())
}

/// What a template is known by wherever it is moved.
pub fn key(c: &Connection, id: i64) -> Result<Option<String>> {
    Ok(c.prepare_cached("SELECT key FROM template WHERE id = ?1")?.query_row([id], |r| r.get(0)).optional()?)
}

/// The template of a key.
pub fn of_key(c: &Connection, key: &str) -> Result<Option<i64>> {
    Ok(c.prepare_cached("SELECT id FROM template WHERE key = ?1")?.query_row([key], |r| r.get(0)).optional()?)
}

/// Adds a template that was moved here, under its key.
pub fn add_moved(c: &Connection, name: &str, key: &str) -> Result<i64> {
    c.execute("INSERT INTO template (name, key) VALUES (?1, ?2)", [name, key])?;
    Ok(c.last_insert_rowid())
}

/// Gives a template another name.
pub fn rename(c: &Connection, id: i64, name: &str) -> Result<bool> {
    Ok(c.execute("UPDATE template SET name = ?2 WHERE id = ?1", params![id, name])? > 0)
}

/// A version to be added.
#[derive(Debug)]
pub struct NewVersion<'a> {
    /// The file that it came from.
    pub file_name: &'a str,
    /// The file's name in the store.
    pub file: &'a str,
    /// Its size in bytes.
    pub size: i64,
    /// When it was brought in.
    pub at: &'a str,
    /// Who brought it in.
    pub by: &'a str,
    /// What is noted of it.
    pub note: &'a str,
    /// The word of its kind of template.
    pub kind: &'a str,
}

/// Adds a version as a draft; a template's first is in use from now on. Gives its
/// number among the template's.
pub fn add_version(c: &Connection, template: i64, new: &NewVersion<'_>) -> Result<i64> {
    c.execute(
        "INSERT INTO template_version (template_id, number, file_name, file, size, brought_in, brought_by, note, kind)
         SELECT ?1, 1 + coalesce(max(number), 0), ?2, ?3, ?4, ?5, ?6, ?7, ?8 FROM template_version WHERE template_id = ?1",
        params![template, new.file_name, new.file, new.size, new.at, new.by, new.note, new.kind],
    )?;
    c.execute("UPDATE template SET in_use = 1 WHERE id = ?1 AND in_use = 0", [template])?;
    Ok(c.query_row("SELECT max(number) FROM template_version WHERE template_id = ?1", [template], |r| r.get(0))?)
}

/// Puts a version in use.
pub fn put_in_use(c: &Connection, template: i64, number: i64) -> Result<bool> {
    let sql =
        "UPDATE template SET in_use = ?2 WHERE id = ?1 AND EXISTS (SELECT 1 FROM template_version WHERE template_id = ?1 AND number = ?2)";
    Ok(c.execute(sql, params![template, number])? > 0)
}

/// Changes what is noted of a version.
pub fn set_note(c: &Connection, version: i64, note: &str) -> Result<bool> {
    Ok(c.execute("UPDATE template_version SET note = ?2 WHERE id = ?1", params![version, note])? > 0)
}

/// Fixes the versions of the templates that rules name: those in use now.
pub fn fix(c: &Connection, setup: &mut Setup) -> Result<()> {
    for used in setup.rules.iter_mut().filter_map(|rule| rule.template.as_mut()) {
        if used.version.is_none() {
            used.version = get(c, used.id)?.map(|template| template.in_use);
        }
    }
    Ok(())
}

/// Notes which templates a version of a pack is put together from.
pub fn set_parts(c: &Connection, pack: i64, number: i64, parts: &[i64]) -> Result<()> {
    let sql = "INSERT INTO pack_part (version_id, template_id) SELECT id, ?3 FROM template_version WHERE template_id = ?1 AND number = ?2 ON CONFLICT DO NOTHING";
    let mut add = c.prepare_cached(sql)?;
    parts.iter().try_for_each(|part| add.execute(params![pack, number, part]).map(drop))?;
    Ok(())
}

/// A copy of a version of a pack is put together from the same templates.
pub fn copy_parts(c: &Connection, version: i64, copy: i64, number: i64) -> Result<()> {
    let sql =
        "INSERT INTO pack_part (version_id, template_id) SELECT own.id, part.template_id FROM template_version AS own, pack_part AS part
        WHERE own.template_id = ?2 AND own.number = ?3 AND part.version_id = ?1";
    c.execute(sql, params![version, copy, number])?;
    Ok(())
}

/// Whether a template is another, or any version of it is a pack that contains the other.
pub fn contains(c: &Connection, template: i64, other: i64) -> Result<bool> {
    let sql = "WITH RECURSIVE within (id) AS (
        SELECT ?1 UNION SELECT p.template_id FROM within JOIN template_version v ON v.template_id = within.id JOIN pack_part p ON p.version_id = v.id
      ) SELECT EXISTS (SELECT 1 FROM within WHERE id = ?2)";
    Ok(c.prepare_cached(sql)?.query_row([template, other], |r| r.get(0))?)
}

/// The versions in use of the templates that any pack is put together from.
pub fn in_packs(c: &Connection) -> Result<BTreeMap<i64, i64>> {
    let mut query = c.prepare_cached("SELECT id, in_use FROM template WHERE id IN (SELECT template_id FROM pack_part)")?;
    Ok(query.query_map([], |r| Ok((r.get(0)?, r.get(1)?)))?.collect::<Result<_, _>>()?)
}

/// How many dispatches, runs and packs use a template.
pub fn uses(c: &Connection, id: i64) -> Result<usize> {
    let sql = "SELECT (SELECT count(*) FROM dispatch WHERE template_id = ?1 OR (deleted IS NULL AND EXISTS (SELECT 1 FROM json_each(setup, '$.rules') WHERE value ->> '$.template.id' = ?1))) + (SELECT count(*) FROM run WHERE EXISTS (SELECT 1 FROM json_each(setup, '$.rules') WHERE value ->> '$.template.id' = ?1) OR template_version_id IN (SELECT id FROM template_version WHERE template_id = ?1)) + (SELECT count(DISTINCT v.template_id) FROM pack_part p JOIN template_version v ON v.id = p.version_id WHERE p.template_id = ?1)";
    Ok(c.query_row(sql, [id], |r| r.get(0))?)
}

/// Deletes a template with its versions.
pub fn delete(c: &Connection, id: i64) -> Result<bool> {
    Ok(c.execute("DELETE FROM template WHERE id = ?1", [id])? > 0)
}
