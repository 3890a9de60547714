//! Specimens: kept sets of values with the text that they must give.

use anyhow::Result;
use rusqlite::{Connection, OptionalExtension, params};
use serde_json::{Map, Value as Json};

/// A specimen.
#[derive(Debug, Clone)]
pub struct Specimen {
    /// Its number.
    pub id: i64,
    /// The template's number.
    pub template_id: i64,
    /// Its name.
    pub name: String,
    /// The values, by the template's names.
    pub values: Map<String, Json>,
    /// The locale by which they print.
    pub locale: String,
    /// The moment that `today` and `now` stand at.
    pub moment: String,
    /// The text that it must give, line by line.
    pub lines: Vec<String>,
    /// The version that gave it.
    pub version: i64,
    /// When that was kept.
    pub kept: String,
}

const COLUMNS: &str = "SELECT id, template_id, name, held, locale, moment, lines, version, kept FROM specimen";

fn of_row(r: &rusqlite::Row<'_>) -> rusqlite::Result<Specimen> {
    let json = |at: usize| -> rusqlite::Result<Json> {
        let text: String = r.get(at)?;
        serde_json::from_str(&text).map_err(|e| rusqlite::Error::FromSqlConversionFailure(at, rusqlite::types::Type::Text, e.into()))
    };
    let lines = json(6)?.as_array().map(|l| l.iter().filter_map(Json::as_str).map(str::to_owned).collect()).unwrap_or_default();
    Ok(Specimen {
        id: r.get(0)?,
        template_id: r.get(1)?,
        name: r.get(2)?,
        values: json(3)?.as_object().cloned().unwrap_or_default(),
        locale: r.get(4)?,
        moment: r.get(5)?,
        lines,
        version: r.get(7)?,
        kept: r.get(8)?,
    })
}

/// The specimens of a template, by name.
pub fn list(c: &Connection, template: i64) -> Result<Vec<Specimen>> {
    let mut query = c.prepare_cached(&format!("{COLUMNS} WHERE template_id = ?1 ORDER BY name"))?;
    Ok(query.query_map([template], of_row)?.collect::<Result<Vec<_>, _>>()?)
}

/// Specimens whose values hold a text: the template's number and name, and the specimen's name.
pub fn holding(c: &Connection, text: &str) -> Result<Vec<(i64, String, String)>> {
    let sql = "SELECT template.id, template.name, specimen.name FROM specimen JOIN template ON template.id = specimen.template_id
        WHERE ?1 <> '' AND (instr(lower(specimen.held), lower(?1)) > 0 OR instr(lower(specimen.lines), lower(?1)) > 0) ORDER BY 2, 3 LIMIT 100";
    Ok(c.prepare_cached(sql)?.query_map([text], |r| Ok((r.get(0)?, r.get(1)?, r.get(2)?)))?.collect::<Result<_, _>>()?)
}

/// A specimen.
pub fn get(c: &Connection, id: i64) -> Result<Option<Specimen>> {
    Ok(c.prepare_cached(&format!("{COLUMNS} WHERE id = ?1"))?.query_row([id], of_row).optional()?)
}

/// Keeps a specimen; one of the same name is replaced. Gives its number.
pub fn keep(c: &Connection, new: &Specimen) -> Result<i64> {
    c.execute(
        "INSERT INTO specimen (template_id, name, held, locale, moment, lines, version, kept) VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8)
         ON CONFLICT (template_id, name) DO UPDATE SET held = ?3, locale = ?4, moment = ?5, lines = ?6, version = ?7, kept = ?8",
        params![
            new.template_id,
            new.name,
            serde_json::to_string(&new.values)?,
            new.locale,
            new.moment,
            serde_json::to_string(&new.lines)?,
            new.version,
            new.kept
        ],
    )?;
    Ok(c.query_row("SELECT id FROM specimen WHERE template_id = ?1 AND name = ?2", params![new.template_id, new.name], |r| r.get(0))?)
}

/// Takes another text as the one that it must give.
pub fn accept(c: &Connection, id: i64, lines: &[String], version: i64, at: &str) -> Result<bool> {
    let sql = "UPDATE specimen SET lines = ?2, version = ?3, kept = ?4 WHERE id = ?1";
    Ok(c.execute(sql, params![id, serde_json::to_string(lines)?, version, at])? > 0)
}

/// Drops a specimen.
pub fn delete(c: &Connection, id: i64) -> Result<bool> {
    Ok(c.execute("DELETE FROM specimen WHERE id = ?1", [id])? > 0)
}
