//! Running documents: which PDFs were added to which, in their order.

use anyhow::Result;
use mangle_core::dispatch::Format;
use rusqlite::{Connection, params};
use serde::Serialize;

/// A running document of a dispatch.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct RunningInfo {
    /// Its name without extension.
    pub name: String,
    /// How many documents were added to it.
    pub documents: usize,
    /// How many pages it has.
    pub pages: usize,
    /// When one was last added.
    pub changed: String,
}

/// Adds the PDF of an item to a running document, once.
pub fn add(c: &Connection, run: i64, item: i64, name: &str, at: &str) -> Result<()> {
    let sql = "INSERT INTO running_part (dispatch_id, name, item_id, added) SELECT dispatch_id, ?2, ?3, ?4 FROM run WHERE id = ?1 ON CONFLICT DO NOTHING";
    c.prepare_cached(sql)?.execute(params![run, name, item, at])?;
    Ok(())
}

/// The PDFs of a part's item: the newest version.
const PDF: &str = "document.item_id = running_part.item_id AND document.format = 'pdf'
    AND document.version = (SELECT max(version) FROM document AS own WHERE own.item_id = running_part.item_id AND own.format = 'pdf')";

/// The running documents of a dispatch, the last changed first.
pub fn list(c: &Connection, dispatch: i64) -> Result<Vec<RunningInfo>> {
    let sql = format!(
        "SELECT min(running_part.name), count(*), coalesce(sum(document.pages), 0), max(added) FROM running_part JOIN document ON {PDF}
         WHERE dispatch_id = ?1 GROUP BY running_part.name ORDER BY max(running_part.id) DESC"
    );
    let info = |r: &rusqlite::Row<'_>| Ok(RunningInfo { name: r.get(0)?, documents: r.get(1)?, pages: r.get(2)?, changed: r.get(3)? });
    Ok(c.prepare_cached(&sql)?.query_map([dispatch], info)?.collect::<Result<_, _>>()?)
}

/// The files of a running document in their order, each with its name.
pub fn files(c: &Connection, dispatch: i64, name: &str) -> Result<Vec<(String, String)>> {
    let sql = format!(
        "SELECT document.name, document.file FROM running_part JOIN document ON {PDF} WHERE dispatch_id = ?1 AND running_part.name = ?2 ORDER BY running_part.id"
    );
    let extension = format!(".{}", Format::Pdf.extension());
    let one = |r: &rusqlite::Row<'_>| {
        let name: String = r.get(0)?;
        Ok((name.strip_suffix(&extension).unwrap_or(&name).to_owned(), r.get(1)?))
    };
    Ok(c.prepare_cached(&sql)?.query_map(params![dispatch, name], one)?.collect::<Result<_, _>>()?)
}
