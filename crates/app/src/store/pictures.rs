//! The pictures of a dispatch's folder.

use anyhow::Result;
use rusqlite::{Connection, OptionalExtension, params};
use serde::Serialize;

use super::files;

/// A picture in a dispatch's folder.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct PictureInfo {
    /// The name that records give; case does not count.
    pub name: String,
    /// The file's name in the store.
    #[serde(skip)]
    pub file: String,
    /// Its size in bytes.
    pub size: i64,
}

fn of_row(r: &rusqlite::Row<'_>) -> rusqlite::Result<PictureInfo> {
    Ok(PictureInfo { name: r.get(0)?, file: r.get(1)?, size: r.get(2)? })
}

/// The pictures of a dispatch, by name.
pub fn list(c: &Connection, dispatch: i64) -> Result<Vec<PictureInfo>> {
    let mut query = c.prepare_cached("SELECT name, file, size FROM picture WHERE dispatch_id = ?1 ORDER BY name")?;
    Ok(query.query_map([dispatch], of_row)?.collect::<Result<Vec<_>, _>>()?)
}

/// The pictures beside a sheet and those of a dispatch's folder. The dispatch's own come last,
/// and win.
pub fn at_hand(c: &Connection, dispatch: Option<i64>, sheet: Option<i64>) -> Result<Vec<PictureInfo>> {
    let mut found = Vec::new();
    if let Some(id) = sheet {
        found.extend(files::list(c, id)?.into_iter().map(|f| PictureInfo { name: f.name, file: f.file, size: f.size }));
    }
    if let Some(id) = dispatch {
        found.extend(list(c, id)?);
    }
    Ok(found)
}

/// A picture by its name.
pub fn get(c: &Connection, dispatch: i64, name: &str) -> Result<Option<PictureInfo>> {
    let mut query = c.prepare_cached("SELECT name, file, size FROM picture WHERE dispatch_id = ?1 AND name = ?2")?;
    Ok(query.query_row(params![dispatch, name], of_row).optional()?)
}

/// Keeps a picture; one of the same name is replaced.
pub fn keep(c: &Connection, dispatch: i64, picture: &PictureInfo) -> Result<()> {
    c.execute(
        "INSERT INTO picture (dispatch_id, name, file, size) VALUES (?1, ?2, ?3, ?4) ON CONFLICT DO UPDATE SET file = ?3, size = ?4",
        params![dispatch, picture.name, picture.file, picture.size],
    )?;
    Ok(())
}

/// Keeps the pictures of one dispatch for another as well.
pub fn copy(c: &Connection, from: i64, to: i64) -> Result<()> {
    c.execute(
        "INSERT INTO picture (dispatch_id, name, file, size) SELECT ?2, name, file, size FROM picture WHERE dispatch_id = ?1",
        [from, to],
    )?;
    Ok(())
}

/// Takes a picture out of the folder.
pub fn delete(c: &Connection, dispatch: i64, name: &str) -> Result<bool> {
    Ok(c.execute("DELETE FROM picture WHERE dispatch_id = ?1 AND name = ?2", params![dispatch, name])? > 0)
}
