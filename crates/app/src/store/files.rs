//! The files that the cells of a sheet name, and what was put right in answers.

use anyhow::Result;
use rusqlite::{Connection, OptionalExtension, Row, params};
use serde::Serialize;

/// A file beside a sheet.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct SheetFile {
    /// The name that cells give; case does not count.
    pub name: String,
    /// The file's name in the store.
    #[serde(skip)]
    pub file: String,
    /// Its size in bytes.
    pub size: i64,
    /// Whether its content is a picture.
    pub picture: bool,
}

fn of_row(r: &Row<'_>) -> rusqlite::Result<SheetFile> {
    Ok(SheetFile { name: r.get(0)?, file: r.get(1)?, size: r.get(2)?, picture: r.get(3)? })
}

/// The files beside a sheet, by name.
pub fn list(c: &Connection, sheet: i64) -> Result<Vec<SheetFile>> {
    let mut query = c.prepare_cached("SELECT name, file, size, picture FROM sheet_file WHERE sheet_id = ?1 ORDER BY name")?;
    Ok(query.query_map([sheet], of_row)?.collect::<Result<Vec<_>, _>>()?)
}

/// A file by its name.
pub fn get(c: &Connection, sheet: i64, name: &str) -> Result<Option<SheetFile>> {
    let mut query = c.prepare_cached("SELECT name, file, size, picture FROM sheet_file WHERE sheet_id = ?1 AND name = ?2")?;
    Ok(query.query_row(params![sheet, name], of_row).optional()?)
}

/// Keeps a file; one of the same name is replaced.
pub fn keep(c: &Connection, sheet: i64, file: &SheetFile) -> Result<()> {
    c.execute(
        "INSERT INTO sheet_file (sheet_id, name, file, size, picture) VALUES (?1, ?2, ?3, ?4, ?5)
         ON CONFLICT DO UPDATE SET file = ?3, size = ?4, picture = ?5",
        params![sheet, file.name, file.file, file.size, file.picture],
    )?;
    Ok(())
}

/// Takes a file away.
pub fn delete(c: &Connection, sheet: i64, name: &str) -> Result<bool> {
    Ok(c.execute("DELETE FROM sheet_file WHERE sheet_id = ?1 AND name = ?2", params![sheet, name])? > 0)
}

/// Something that was put right in an answer.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Correction {
    /// The column.
    pub column: String,
    /// What stood there.
    pub before: String,
    /// What stands there since.
    pub after: String,
    /// When.
    pub at: String,
}

/// Notes what was put right.
pub fn correct(c: &Connection, sheet: i64, row: usize, correction: &Correction) -> Result<()> {
    let mut add =
        c.prepare_cached("INSERT INTO correction (sheet_id, row, column_name, before, after, at) VALUES (?1, ?2, ?3, ?4, ?5, ?6)")?;
    add.execute(params![sheet, row, correction.column, correction.before, correction.after, correction.at])?;
    Ok(())
}

/// What was put right in a row, the newest first.
pub fn corrections(c: &Connection, sheet: i64, row: usize) -> Result<Vec<Correction>> {
    let mut query =
        c.prepare_cached("SELECT column_name, before, after, at FROM correction WHERE sheet_id = ?1 AND row = ?2 ORDER BY id DESC")?;
    let found = query
        .query_map(params![sheet, row], |r| Ok(Correction { column: r.get(0)?, before: r.get(1)?, after: r.get(2)?, at: r.get(3)? }))?;
    Ok(found.collect::<Result<Vec<_>, _>>()?)
}

/// Whether a sheet holds a form's answers, in which what is put right is noted.
pub fn notes_corrections(c: &Connection, sheet: i64) -> Result<bool> {
    Ok(c.query_row("SELECT EXISTS (SELECT 1 FROM form WHERE sheet_id = ?1)", [sheet], |r| r.get(0))?)
}
