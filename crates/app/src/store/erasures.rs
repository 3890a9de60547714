//! What was erased of people: a log that says how much of what, and nothing of the people.

use std::collections::{BTreeMap, BTreeSet};

use anyhow::Result;
use rusqlite::{Connection, params};
use serde::{Deserialize, Serialize};

use super::kept;
use crate::Actor;

/// How much was erased.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Erased {
    /// Rows, by the sheet's name.
    pub rows: BTreeMap<String, usize>,
    /// Records' documents with their deliveries, signing rounds and history, by the dispatch's name.
    pub documents: BTreeMap<String, usize>,
}

/// An entry of the log of erasures.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct ErasureInfo {
    /// Its number.
    pub id: i64,
    /// When (UTC).
    pub at: String,
    /// Who did it.
    pub who: String,
    /// What was noted.
    pub note: String,
    /// How much was erased.
    pub erased: Erased,
}

/// Writes an entry down.
pub fn add(c: &Connection, who: Actor, note: &str, erased: &Erased, at: &str) -> Result<i64> {
    c.execute(
        "INSERT INTO erasure (at, who, note, erased) VALUES (?1, ?2, ?3, ?4)",
        params![at, who.word(), note, serde_json::to_string(erased)?],
    )?;
    Ok(c.last_insert_rowid())
}

/// All entries, the newest first.
pub fn list(c: &Connection) -> Result<Vec<ErasureInfo>> {
    let mut query = c.prepare_cached("SELECT id, at, who, note, erased FROM erasure ORDER BY id DESC")?;
    let rows = query.query_map([], |r| {
        let erased: String = r.get(4)?;
        Ok(ErasureInfo { id: r.get(0)?, at: r.get(1)?, who: r.get(2)?, note: r.get(3)?, erased: kept(4, &erased)? })
    })?;
    Ok(rows.collect::<Result<_, _>>()?)
}

/// What is left of rows that were deleted: the history of their sheet, which could bring them back,
/// what was put right in them, and the files that belonged to them alone. The files' hashes.
pub fn forget_rows(c: &Connection, sheet: i64, rows: &BTreeSet<usize>) -> Result<Vec<String>> {
    c.execute("DELETE FROM sheet_change WHERE sheet_id = ?1", [sheet])?;
    let rows = serde_json::to_string(rows)?;
    c.execute("DELETE FROM correction WHERE sheet_id = ?1 AND row IN (SELECT value FROM json_each(?2))", params![sheet, rows])?;
    // Files of answers are named by cells; one that no cell names any more goes.
    let gone = "sheet_id = ?1 AND EXISTS (SELECT 1 FROM form WHERE form.sheet_id = ?1)
        AND NOT EXISTS (SELECT 1 FROM sheet_row WHERE sheet_row.sheet_id = ?1 AND instr(sheet_row.cells, sheet_file.name) > 0)";
    let files = c
        .prepare_cached(&format!("SELECT file FROM sheet_file WHERE {gone}"))?
        .query_map([sheet], |r| r.get(0))?
        .collect::<Result<_, _>>()?;
    c.execute(&format!("DELETE FROM sheet_file WHERE {gone}"), [sheet])?;
    Ok(files)
}
