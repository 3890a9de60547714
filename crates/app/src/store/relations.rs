//! Relations: which rows of one sheet belong to a row of another.

use anyhow::Result;
use rusqlite::{Connection, OptionalExtension, params};

use super::sheets::{ColumnInfo, RelatedInfo};

/// A relation between two sheets.
#[derive(Debug, Clone)]
pub struct Relation {
    /// The sheet whose rows belong to a row of the other.
    pub many: i64,
    /// Its column that holds the key.
    pub many_key: String,
    /// What it calls the one row.
    pub one_name: String,
    /// The other sheet.
    pub one: i64,
    /// Its column that holds the key.
    pub one_key: String,
    /// What it calls its rows of the many.
    pub many_name: String,
}

/// Keeps a relation.
pub fn add(c: &Connection, relation: &Relation) -> Result<i64> {
    c.execute(
        "INSERT INTO relation (many_id, many_key, one_name, one_id, one_key, many_name) VALUES (?1, ?2, ?3, ?4, ?5, ?6)",
        params![relation.many, relation.many_key, relation.one_name, relation.one, relation.one_key, relation.many_name],
    )?;
    Ok(c.last_insert_rowid())
}

/// A relation.
pub fn get(c: &Connection, id: i64) -> Result<Option<Relation>> {
    let mut query = c.prepare_cached("SELECT many_id, many_key, one_name, one_id, one_key, many_name FROM relation WHERE id = ?1")?;
    let found = query.query_row([id], |r| {
        Ok(Relation { many: r.get(0)?, many_key: r.get(1)?, one_name: r.get(2)?, one: r.get(3)?, one_key: r.get(4)?, many_name: r.get(5)? })
    });
    Ok(found.optional()?)
}

/// Deletes a relation.
pub fn delete(c: &Connection, id: i64) -> Result<bool> {
    Ok(c.execute("DELETE FROM relation WHERE id = ?1", [id])? > 0)
}

/// What the relations of a sheet add to its rows, from either side.
pub fn of_sheet(c: &Connection, sheet: i64) -> Result<Vec<RelatedInfo>> {
    let mut query = c.prepare_cached(
        "SELECT own.id, own.name, own.key, own.many, own.other, source.name || ', ' || sheet.name, own.other_key FROM (
           SELECT id, one_name AS name, many_key AS key, 0 AS many, one_id AS other, one_key AS other_key FROM relation WHERE many_id = ?1
           UNION ALL
           SELECT id, many_name, one_key, 1, many_id, many_key FROM relation WHERE one_id = ?1
         ) AS own JOIN sheet ON sheet.id = own.other JOIN source ON source.id = sheet.source_id ORDER BY own.id, own.many",
    )?;
    let found = query.query_map([sheet], |r| {
        Ok(RelatedInfo {
            relation: r.get(0)?,
            name: r.get(1)?,
            key: r.get(2)?,
            many: r.get(3)?,
            other: r.get(4)?,
            other_name: r.get(5)?,
            other_key: r.get(6)?,
        })
    })?;
    Ok(found.collect::<Result<_, _>>()?)
}

/// Follows the columns of keys to their new names; a column is the same whose cells
/// stand in the same place.
pub fn follow(c: &Connection, sheet: i64, before: &[ColumnInfo], after: &[ColumnInfo]) -> Result<()> {
    let place = |at: usize, column: &ColumnInfo| column.cell.unwrap_or(at);
    for (at, old) in before.iter().enumerate() {
        let Some((_, new)) = after.iter().enumerate().find(|(to, new)| place(*to, new) == place(at, old)) else { continue };
        if old.name != new.name {
            c.execute("UPDATE relation SET many_key = ?3 WHERE many_id = ?1 AND many_key = ?2", params![sheet, old.name, new.name])?;
            c.execute("UPDATE relation SET one_key = ?3 WHERE one_id = ?1 AND one_key = ?2", params![sheet, old.name, new.name])?;
        }
    }
    Ok(())
}
