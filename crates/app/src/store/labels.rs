//! Labels: what people sort their dispatches, templates and sources by.

use anyhow::Result;
use rusqlite::{Connection, params};
use serde::{Deserialize, Serialize};

/// What can have labels.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum LabelledKind {
    /// A dispatch, by its key.
    Dispatch,
    /// A template, by its number.
    Template,
    /// A source, by its number.
    Source,
}

impl LabelledKind {
    fn word(self) -> &'static str {
        match self {
            LabelledKind::Dispatch => "dispatch",
            LabelledKind::Template => "template",
            LabelledKind::Source => "source",
        }
    }

    /// The number of what has a key, where it is there.
    pub fn find(self, c: &Connection, key: &str) -> Result<Option<i64>> {
        let sql = match self {
            LabelledKind::Dispatch => "SELECT id FROM dispatch WHERE key = ?1 AND deleted IS NULL",
            LabelledKind::Template => "SELECT id FROM template WHERE id = ?1",
            LabelledKind::Source => "SELECT id FROM source WHERE id = ?1",
        };
        Ok(rusqlite::OptionalExtension::optional(c.prepare_cached(sql)?.query_row([key], |r| r.get(0)))?)
    }
}

/// Something with its labels.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Labelled {
    /// dispatch, template or source.
    pub kind: String,
    /// The dispatch's key, or the template's or source's number.
    pub key: String,
    /// Its labels, by name.
    pub labels: Vec<String>,
}

/// All that has labels.
pub fn list(c: &Connection) -> Result<Vec<Labelled>> {
    let sql = "SELECT label.kind, coalesce(dispatch.key, CAST(label.thing AS TEXT)), label.name FROM label
        LEFT JOIN dispatch ON label.kind = 'dispatch' AND dispatch.id = label.thing ORDER BY label.kind, label.thing, label.name";
    let mut query = c.prepare_cached(sql)?;
    let mut rows = query.query([])?;
    let mut all: Vec<Labelled> = Vec::new();
    while let Some(r) = rows.next()? {
        let (kind, key, name): (String, String, String) = (r.get(0)?, r.get(1)?, r.get(2)?);
        match all.last_mut().filter(|last| last.kind == kind && last.key == key) {
            Some(last) => last.labels.push(name),
            None => all.push(Labelled { kind, key, labels: vec![name] }),
        }
    }
    Ok(all)
}

/// Gives something its labels, instead of those that it had.
pub fn set(c: &Connection, kind: LabelledKind, thing: i64, labels: &[String]) -> Result<()> {
    c.execute("DELETE FROM label WHERE kind = ?1 AND thing = ?2", params![kind.word(), thing])?;
    let mut add = c.prepare_cached("INSERT OR IGNORE INTO label (kind, thing, name) VALUES (?1, ?2, ?3)")?;
    for label in labels {
        add.execute(params![kind.word(), thing, label])?;
    }
    Ok(())
}
