//! Documents: what runs made, each with its format, its name and its file.

use anyhow::Result;
use mangle_core::dispatch::Format;
use rusqlite::{Connection, OptionalExtension, params};
use serde::{Deserialize, Serialize};

/// A document that is to be kept.
#[derive(Debug, Clone)]
pub struct NewDocument {
    /// Its format.
    pub format: Format,
    /// The hash of its content.
    pub file: String,
    /// Its name with extension.
    pub name: String,
    /// How many pages it has, where it is of pages.
    pub pages: Option<usize>,
    /// Its size in bytes.
    pub size: usize,
}

/// A document in a list.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct DocumentInfo {
    /// Its number.
    pub id: i64,
    /// Its format.
    pub format: Format,
    /// Its name with extension.
    pub name: String,
    /// How many pages it has, where it is of pages and that is known.
    pub pages: Option<usize>,
    /// Its size in bytes; 0 where it is not known.
    pub size: usize,
    /// The hash of its content.
    #[serde(skip)]
    pub file: String,
}

const INFO: &str =
    "SELECT document.id, document.format, document.name, document.pages, document.size, document.file, document.item_id FROM document";

fn info(r: &rusqlite::Row<'_>) -> rusqlite::Result<DocumentInfo> {
    let format: String = r.get(1)?;
    Ok(DocumentInfo {
        id: r.get(0)?,
        format: Format::of(&format).ok_or_else(|| super::unknown(1, &format))?,
        name: r.get(2)?,
        pages: r.get(3)?,
        size: r.get(4)?,
        file: r.get(5)?,
    })
}

/// Keeps what was made of an item.
pub fn add(c: &Connection, item: i64, document: &NewDocument, at: &str) -> Result<()> {
    c.prepare_cached("INSERT INTO document (item_id, format, file, name, pages, size, made) VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7)")?
        .execute(params![item, document.format.extension(), document.file, document.name, document.pages, document.size, at])?;
    Ok(())
}

/// The document of an item and a format has another content now: it was signed.
pub fn signed(c: &Connection, item: i64, (file, size, pages): (&str, usize, usize), at: &str) -> Result<()> {
    c.prepare_cached(
        "UPDATE document SET version = version + 1, file = ?2, size = ?3, pages = ?4, made = ?5 WHERE item_id = ?1 AND format = 'pdf'",
    )?
    .execute(params![item, file, size, pages, at])?;
    Ok(())
}

/// The documents of an item.
pub fn of_item(c: &Connection, item: i64) -> Result<Vec<DocumentInfo>> {
    let sql = format!("{INFO} WHERE item_id = ?1 ORDER BY document.id");
    Ok(c.prepare_cached(&sql)?.query_map([item], info)?.collect::<Result<_, _>>()?)
}

/// The documents of a run, in the order of its items.
pub fn of_run(c: &Connection, run: i64) -> Result<Vec<DocumentInfo>> {
    let sql = format!("{INFO} JOIN item ON item.id = document.item_id WHERE item.run_id = ?1 ORDER BY item.position, document.id");
    Ok(c.prepare_cached(&sql)?.query_map([run], info)?.collect::<Result<_, _>>()?)
}

/// A document.
pub fn get(c: &Connection, id: i64) -> Result<Option<DocumentInfo>> {
    Ok(c.prepare_cached(&format!("{INFO} WHERE document.id = ?1"))?.query_row([id], info).optional()?)
}
