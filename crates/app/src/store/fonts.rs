//! Fonts that a person brought in.

use anyhow::Result;
use rusqlite::{Connection, params};
use serde::Serialize;

/// A font file.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct FontInfo {
    /// What it is known by.
    pub id: i64,
    /// The file's name.
    pub name: String,
    /// The families in it, as documents name them.
    pub families: Vec<String>,
    /// The file's name in the store.
    #[serde(skip)]
    pub file: String,
    /// Its size in bytes.
    pub size: i64,
}

/// All of them, by name.
pub fn list(c: &Connection) -> Result<Vec<FontInfo>> {
    let mut query = c.prepare_cached("SELECT id, name, families, file, size FROM font ORDER BY name")?;
    let rows = query.query_map([], |r| {
        let families: String = r.get(2)?;
        let families = families.split('\n').map(str::to_owned).collect();
        Ok(FontInfo { id: r.get(0)?, name: r.get(1)?, families, file: r.get(3)?, size: r.get(4)? })
    })?;
    Ok(rows.collect::<Result<Vec<_>, _>>()?)
}

/// The files of all fonts that a person brought in.
pub fn files(c: &Connection) -> Result<Vec<String>> {
    Ok(list(c)?.into_iter().map(|font| font.file).collect())
}

/// Keeps a font; a file of the same name is replaced.
pub fn keep(c: &Connection, name: &str, families: &[String], file: &str, size: i64) -> Result<()> {
    c.execute(
        "INSERT INTO font (name, families, file, size) VALUES (?1, ?2, ?3, ?4) ON CONFLICT DO UPDATE SET families = ?2, file = ?3, size = ?4",
        params![name, families.join("\n"), file, size],
    )?;
    Ok(())
}

/// Takes a font out.
pub fn delete(c: &Connection, id: i64) -> Result<bool> {
    Ok(c.execute("DELETE FROM font WHERE id = ?1", [id])? > 0)
}
