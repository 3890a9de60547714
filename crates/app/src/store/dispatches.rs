//! Dispatches.

use anyhow::Result;
use mangle_core::dispatch::{Setup, write_setup};
use rusqlite::{Connection, OptionalExtension, Transaction, params};

/// A dispatch as kept.
#[derive(Debug, Clone)]
pub struct Dispatch {
    pub id: i64,
    pub key: String,
    pub name: String,
    pub template_id: Option<i64>,
    pub sheet_id: Option<i64>,
    pub setup: Setup,
    pub changed: String,
    /// How often it was changed.
    pub revision: i64,
}

const ALL: &str = "SELECT id, key, name, template_id, sheet_id, setup, changed, revision FROM dispatch";

fn of_row(r: &rusqlite::Row<'_>) -> rusqlite::Result<Dispatch> {
    let setup: String = r.get(5)?;
    Ok(Dispatch {
        id: r.get(0)?,
        key: r.get(1)?,
        name: r.get(2)?,
        template_id: r.get(3)?,
        sheet_id: r.get(4)?,
        setup: super::setup_of(5, &setup)?,
        changed: r.get(6)?,
        revision: r.get(7)?,
    })
}

/// All dispatches, the last changed first.
pub fn list(c: &Connection) -> Result<Vec<Dispatch>> {
    Ok(c.prepare_cached(&format!("{ALL} WHERE deleted IS NULL ORDER BY changed DESC, id DESC"))?
        .query_map([], of_row)?
        .collect::<Result<_, _>>()?)
}

/// The dispatch of a key.
pub fn by_key(c: &Connection, key: &str) -> Result<Option<Dispatch>> {
    Ok(c.prepare_cached(&format!("{ALL} WHERE key = ?1 AND deleted IS NULL"))?.query_row([key], of_row).optional()?)
}

/// The dispatches whose documents are kept for so many months, deleted ones among them.
pub fn retentions(c: &Connection) -> Result<Vec<(i64, u32)>> {
    let sql = "SELECT id, json_extract(setup, '$.retention') FROM dispatch WHERE json_extract(setup, '$.retention') > 0";
    Ok(c.prepare_cached(sql)?.query_map([], |r| Ok((r.get(0)?, r.get(1)?)))?.collect::<Result<_, _>>()?)
}

/// The dispatch of a number.
pub fn by_id(c: &Connection, id: i64) -> Result<Option<Dispatch>> {
    Ok(c.prepare_cached(&format!("{ALL} WHERE id = ?1"))?.query_row([id], of_row).optional()?)
}

/// Adds a dispatch under a key of its own, made from its name.
pub fn add(c: &Connection, name: &str, template: Option<i64>, sheet: Option<i64>, setup: &Setup, at: &str) -> Result<String> {
    let setup = write_setup(setup)?;
    let mut insert = c.prepare_cached(
        "INSERT INTO dispatch (key, name, template_id, sheet_id, setup, changed) VALUES (?1, ?2, ?3, ?4, ?5, ?6) ON CONFLICT (key) DO NOTHING",
    )?;
    unused_key(name, "dispatch", |key| Ok(insert.execute(params![key, name, template, sheet, setup, at])? == 0))
}

/// Adds a dispatch that was moved here, under its key.
pub fn add_moved(c: &Connection, own: &Dispatch, at: &str) -> Result<i64> {
    c.execute(
        "INSERT INTO dispatch (key, name, template_id, sheet_id, setup, changed) VALUES (?1, ?2, ?3, ?4, ?5, ?6)",
        params![own.key, own.name, own.template_id, own.sheet_id, write_setup(&own.setup)?, at],
    )?;
    Ok(c.last_insert_rowid())
}

/// Keeps a changed dispatch, under its key, if it is still of the revision that was
/// changed; whether it was.
pub fn change(c: &Connection, dispatch: &Dispatch, at: &str) -> Result<bool> {
    let setup = write_setup(&dispatch.setup)?;
    let changed = c.execute(
        "UPDATE dispatch SET key = ?8, name = ?2, template_id = ?3, sheet_id = ?4, setup = ?5, changed = ?6, revision = revision + 1 WHERE id = ?1 AND revision = ?7",
        params![dispatch.id, dispatch.name, dispatch.template_id, dispatch.sheet_id, setup, at, dispatch.revision, dispatch.key],
    )?;
    Ok(changed > 0)
}

/// A key that no other dispatch has, made from a name.
pub fn free_key(c: &Connection, name: &str, own: i64) -> Result<String> {
    let mut taken = c.prepare_cached("SELECT EXISTS (SELECT 1 FROM dispatch WHERE key = ?1 AND id <> ?2)")?;
    unused_key(name, "dispatch", |key| Ok(taken.query_row(params![key, own], |r| r.get(0))?))
}

/// A key that nothing else has, made from a name, or from a word where the name gives none.
pub fn unused_key(name: &str, word: &str, mut taken: impl FnMut(&str) -> Result<bool>) -> Result<String> {
    let base = Some(key_of(name)).filter(|key| !key.is_empty()).unwrap_or_else(|| word.to_owned());
    for number in 1.. {
        let key = if number == 1 { base.clone() } else { format!("{base}-{number}") };
        if !taken(&key)? {
            return Ok(key);
        }
    }
    unreachable!("some number is free")
}

/// Deletes a dispatch. One that has run stays out of sight for the history of its runs: what
/// was sent to whom is not forgotten with it; its key is free again.
pub fn delete(t: &Transaction<'_>, id: i64, at: &str) -> Result<bool> {
    let hidden = t.execute(
        "UPDATE dispatch SET deleted = ?2, key = key || '~' || id WHERE id = ?1 AND deleted IS NULL AND EXISTS (SELECT 1 FROM run WHERE dispatch_id = ?1)",
        params![id, at],
    )?;
    Ok(hidden > 0 || t.execute("DELETE FROM dispatch WHERE id = ?1 AND deleted IS NULL", [id])? > 0)
}

/// `Balance reminders` → `balance-reminders`.
fn key_of(name: &str) -> String {
    let mut key = String::new();
    for c in name.to_lowercase().chars() {
        if c.is_alphanumeric() {
            key.push(c);
        } else if !key.ends_with('-') && !key.is_empty() {
            key.push('-');
        }
    }
    key.trim_end_matches('-').chars().take(60).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::store::Store;

    #[test]
    fn keys_are_made_of_names_and_stay_apart() {
        assert_eq!(key_of("Balance reminders"), "balance-reminders");
        assert_eq!(key_of("  Rückstand: 2026/11!"), "rückstand-2026-11");
        assert_eq!(key_of("…"), "");
        let folder = tempfile::tempdir().expect("a folder");
        let store = Store::open(&folder.path().join("a.sqlite")).expect("opens");
        let c = store.connection().expect("a connection");
        let add = || add(&c, "Winter fees", None, None, &Setup::default(), "2026-11-23T09:42:00").expect("added");
        assert_eq!([add(), add(), add()], ["winter-fees", "winter-fees-2", "winter-fees-3"]);
    }
}
