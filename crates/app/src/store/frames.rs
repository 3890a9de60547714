//! Which sites may show pages of Mangle within their own.

use anyhow::Result;
use rusqlite::{Connection, OptionalExtension, params};
use serde::{Deserialize, Serialize};

/// What can be shown within other sites.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Framed {
    /// A form, by its source.
    Form,
    /// The records of a connected CRM, one by one.
    Connection,
}

impl Framed {
    fn table(self) -> (&'static str, &'static str) {
        match self {
            Framed::Form => ("form", "source_id"),
            Framed::Connection => ("connection", "id"),
        }
    }
}

/// The origins that may show something; none where it is not there.
pub fn get(c: &Connection, what: Framed, id: i64) -> Result<Option<String>> {
    let (table, key) = what.table();
    Ok(c.prepare_cached(&format!("SELECT frames FROM {table} WHERE {key} = ?1"))?.query_row([id], |r| r.get(0)).optional()?)
}

/// Changes them; whether it is there.
pub fn set(c: &Connection, what: Framed, id: i64, origins: &str) -> Result<bool> {
    let (table, key) = what.table();
    Ok(c.execute(&format!("UPDATE {table} SET frames = ?2 WHERE {key} = ?1"), params![id, origins])? > 0)
}

/// The origins that may show the form of a token.
pub fn of_form(c: &Connection, token: &str) -> Result<Option<String>> {
    Ok(c.prepare_cached("SELECT frames FROM form WHERE token = ?1")?.query_row([token], |r| r.get(0)).optional()?)
}

/// The origins that may show the records of a dispatch, which come from a CRM.
pub fn of_dispatch(c: &Connection, key: &str) -> Result<Option<String>> {
    let sql = "SELECT connection.frames FROM dispatch JOIN query ON query.sheet_id = dispatch.sheet_id
        JOIN connection ON connection.id = query.connection_id WHERE dispatch.key = ?1 AND dispatch.deleted IS NULL";
    Ok(c.prepare_cached(sql)?.query_row([key], |r| r.get(0)).optional()?)
}
