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

/// What became of a document that makes it another version.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kind {
    /// A person changed it in a word processor.
    Edited,
    /// It was signed and sealed.
    Signed,
}

impl Kind {
    fn word(self) -> &'static str {
        match self {
            Kind::Edited => "edited",
            Kind::Signed => "signed",
        }
    }
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

/// The document of an item and a format has another content now; what it was stays as an earlier
/// version. One that the item has not yet is added.
pub fn replace(c: &Connection, item: i64, new: &NewDocument, kind: Kind, at: &str) -> Result<()> {
    let which = "item_id = ?1 AND format = ?2";
    let format = new.format.extension();
    c.prepare_cached(&format!(
        "INSERT INTO earlier_version (document_id, version, kind, file, pages, size, made)
         SELECT id, version, kind, file, pages, size, made FROM document WHERE {which}"
    ))?
    .execute(params![item, format])?;
    let changed = c
        .prepare_cached(&format!(
            "UPDATE document SET version = version + 1, kind = ?3, file = ?4, size = ?5, pages = ?6, made = ?7 WHERE {which}"
        ))?
        .execute(params![item, format, kind.word(), new.file, new.size, new.pages, at])?;
    if changed == 0 {
        add(c, item, new, at)?;
        c.prepare_cached(&format!("UPDATE document SET kind = ?3 WHERE {which}"))?.execute(params![item, format, kind.word()])?;
    }
    Ok(())
}

/// A version of a document.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct DocumentVersion {
    /// The document's number.
    pub document: i64,
    /// Its format.
    pub format: Format,
    /// Its number, from 1.
    pub version: i64,
    /// made, edited or signed.
    pub kind: String,
    /// How many pages it has, where it is of pages.
    pub pages: Option<usize>,
    /// Its size in bytes.
    pub size: usize,
    /// When it was made (UTC).
    pub made: String,
    /// Whether it is the one that is sent.
    pub current: bool,
    /// The hash of its content.
    #[serde(skip)]
    pub file: String,
}

/// All versions of an item's documents, the newest first.
pub fn versions(c: &Connection, item: i64) -> Result<Vec<DocumentVersion>> {
    let sql = "SELECT id, format, version, kind, pages, size, made, 1, file FROM document WHERE item_id = ?1
        UNION ALL SELECT own.document_id, document.format, own.version, own.kind, own.pages, own.size, own.made, 0, own.file
        FROM earlier_version AS own JOIN document ON document.id = own.document_id WHERE document.item_id = ?1 ORDER BY 3 DESC, 2 DESC";
    let one = |r: &rusqlite::Row<'_>| {
        let format: String = r.get(1)?;
        Ok(DocumentVersion {
            document: r.get(0)?,
            format: Format::of(&format).ok_or_else(|| super::unknown(1, &format))?,
            version: r.get(2)?,
            kind: r.get(3)?,
            pages: r.get(4)?,
            size: r.get(5)?,
            made: r.get(6)?,
            current: r.get(7)?,
            file: r.get(8)?,
        })
    };
    Ok(c.prepare_cached(sql)?.query_map([item], one)?.collect::<Result<_, _>>()?)
}

/// A version of a document: the document's name, its format, and the hash of its content then.
pub fn of_version(c: &Connection, document: i64, version: i64) -> Result<Option<(String, Format, String)>> {
    let sql = "SELECT document.name, document.format, coalesce(own.file, document.file) FROM document
        LEFT JOIN earlier_version AS own ON own.document_id = document.id AND own.version = ?2
        WHERE document.id = ?1 AND (document.version = ?2 OR own.version IS NOT NULL)";
    let one = |r: &rusqlite::Row<'_>| {
        let format: String = r.get(1)?;
        Ok((r.get(0)?, Format::of(&format).ok_or_else(|| super::unknown(1, &format))?, r.get(2)?))
    };
    Ok(c.prepare_cached(sql)?.query_row(params![document, version], one).optional()?)
}

/// Whether an item's PDF was added to a running document.
pub fn is_running_part(c: &Connection, item: i64) -> Result<bool> {
    Ok(c.prepare_cached("SELECT EXISTS (SELECT 1 FROM running_part WHERE item_id = ?1)")?.query_row([item], |r| r.get(0))?)
}

/// The documents of some items, in their order.
pub fn of_items(c: &Connection, items: &[i64]) -> Result<Vec<DocumentInfo>> {
    let sql = format!("{INFO} WHERE item_id IN (SELECT value FROM json_each(?1)) ORDER BY item_id, document.id");
    Ok(c.prepare_cached(&sql)?.query_map([serde_json::to_string(items)?], info)?.collect::<Result<_, _>>()?)
}

/// The documents of an item and all their versions are forgotten; their files, for whoever deletes
/// those that nothing else uses.
pub fn forget(t: &Connection, item: i64) -> Result<Vec<String>> {
    let files = versions(t, item)?.into_iter().map(|version| version.file).collect();
    t.prepare_cached("DELETE FROM document WHERE item_id = ?1")?.execute([item])?;
    Ok(files)
}

/// Items of a dispatch whose documents were made before a moment and are there still, each with its
/// run: not those that are out for signature or on their way.
pub fn made_before(c: &Connection, dispatch: i64, before: &str, most: usize) -> Result<Vec<(i64, i64)>> {
    let sql = "SELECT item.id, item.run_id FROM item JOIN run ON run.id = item.run_id
        WHERE run.dispatch_id = ?1 AND item.state = 'made' AND item.made < ?2 AND item.removed = ''
        AND item.progress NOT IN ('signing', 'sending', 'to send') ORDER BY item.id LIMIT ?3";
    Ok(c.prepare_cached(sql)?.query_map(params![dispatch, before, most], |r| Ok((r.get(0)?, r.get(1)?)))?.collect::<Result<_, _>>()?)
}

/// The values and the names of an item are forgotten; when and why stays.
pub fn removed(c: &Connection, item: i64, when_and_why: &str) -> Result<()> {
    c.prepare_cached("DELETE FROM running_part WHERE item_id = ?1")?.execute([item])?;
    // Signers who were named for this record alone are part of its run's set-up.
    c.prepare_cached(
        "UPDATE run SET setup = json_set(setup, '$.signing.roles', json('[]')) WHERE sole <> 0 AND id = (SELECT run_id FROM item WHERE id = ?1)",
    )?
    .execute([item])?;
    c.prepare_cached("UPDATE item SET label = '', file_name = '', record = '{}', error_message = '', removed = ?2 WHERE id = ?1")?
        .execute(params![item, when_and_why])?;
    Ok(())
}

/// Whether a file is used by a document or a round.
pub fn uses(c: &Connection, file: &str) -> Result<bool> {
    let sql = "SELECT EXISTS (SELECT 1 FROM document WHERE file = ?1) OR EXISTS (SELECT 1 FROM earlier_version WHERE file = ?1)
        OR EXISTS (SELECT 1 FROM round WHERE ?1 IN (sent, file, sealed)) OR EXISTS (SELECT 1 FROM sheet_file WHERE file = ?1)";
    Ok(c.prepare_cached(sql)?.query_row([file], |r| r.get(0))?)
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
