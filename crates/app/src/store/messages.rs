//! Message templates and their versions.

use anyhow::Result;
use mangle_core::channel::{MessageText, MessageUse};
use mangle_core::dispatch::Setup;
use mangle_core::language::Folded;
use mangle_core::template::pictures_named;
use rusqlite::{Connection, OptionalExtension, Transaction, params};
use serde::{Deserialize, Serialize};

use super::pictures::{self, PictureInfo};
use super::{Changed, dispatches};
use crate::Error;

/// A message template with its versions.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct MessageInfo {
    /// Its key, which stays the same.
    pub key: String,
    /// Its name.
    pub name: String,
    /// Which version is in use.
    pub in_use: i64,
    /// How often it was changed.
    pub revision: i64,
    /// Its versions, the newest first.
    pub versions: Vec<MessageVersion>,
    /// The dispatches that use it.
    pub used_by: Vec<UsedBy>,
}

/// A dispatch that uses a message template.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct UsedBy {
    /// The dispatch's key.
    pub key: String,
    /// The dispatch's name.
    pub name: String,
    /// The version that it uses whichever is in use; none where it uses that.
    pub version: Option<i64>,
}

/// A version of a message template.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct MessageVersion {
    /// Which version, from 1.
    pub number: i64,
    /// The subject and the message.
    #[serde(flatten)]
    pub text: MessageText,
    /// What the person noted of it.
    pub note: String,
    /// When it was saved.
    pub made: String,
    /// Who saved it.
    pub made_by: String,
}

/// A picture that a version shows.
#[derive(Debug, Clone, Serialize, Deserialize)]
struct Shown {
    name: String,
    file: String,
    size: i64,
}

/// All message templates, by name.
pub fn list(c: &Connection) -> Result<Vec<MessageInfo>> {
    let mut query = c.prepare_cached("SELECT id, key, name, in_use, revision FROM message ORDER BY name COLLATE NOCASE")?;
    type Row = (i64, String, String, i64, i64);
    let found = query.query_map([], |r| Ok((r.get(0)?, r.get(1)?, r.get(2)?, r.get(3)?, r.get(4)?)))?.collect::<Result<Vec<Row>, _>>()?;
    let uses = uses(c)?;
    let info = |(id, key, name, in_use, revision)| {
        let used_by = uses.iter().filter(|(message, _)| *message == key).map(|(_, by)| by.clone()).collect();
        Ok(MessageInfo { versions: versions(c, id)?, used_by, key, name, in_use, revision })
    };
    found.into_iter().map(info).collect()
}

fn versions(c: &Connection, id: i64) -> Result<Vec<MessageVersion>> {
    let sql = "SELECT number, subject, body, html, note, made, made_by FROM message_version WHERE message_id = ?1 ORDER BY number DESC";
    let mut query = c.prepare_cached(sql)?;
    let of = |r: &rusqlite::Row<'_>| {
        let text = MessageText { subject: r.get(1)?, body: r.get(2)?, html: r.get(3)? };
        Ok(MessageVersion { number: r.get(0)?, text, note: r.get(4)?, made: r.get(5)?, made_by: r.get(6)? })
    };
    Ok(query.query_map([id], of)?.collect::<Result<_, _>>()?)
}

/// The keys of the message templates that dispatches use, with the dispatches.
fn uses(c: &Connection) -> Result<Vec<(String, UsedBy)>> {
    let of = |dispatch: dispatches::Dispatch| {
        let used: Vec<MessageUse> = dispatch.setup.channels.iter().filter_map(|channel| channel.message().cloned()).collect();
        let by = |one: MessageUse| (one.key, UsedBy { key: dispatch.key.clone(), name: dispatch.name.clone(), version: one.version });
        used.into_iter().map(by).collect::<Vec<_>>()
    };
    Ok(dispatches::list(c)?.into_iter().flat_map(of).collect())
}

/// What a channel uses; an error where it is not there.
pub fn text(c: &Connection, used: &MessageUse) -> Result<MessageText, Error> {
    let sql = "SELECT subject, message_version.body, html FROM message JOIN message_version ON message_id = message.id AND number = coalesce(?2, in_use) WHERE key = ?1";
    let of = |r: &rusqlite::Row<'_>| Ok(MessageText { subject: r.get(0)?, body: r.get(1)?, html: r.get(2)? });
    let mut query = c.prepare_cached(sql).map_err(anyhow::Error::new)?;
    let found = query.query_row(params![used.key, used.version], of).optional().map_err(anyhow::Error::new)?;
    let version = used.version.map(|version| format!(", version {version},")).unwrap_or_default();
    let gone = || format!("the message template “{}”{version} no longer exists. Choose another under Channels.", used.key);
    found.ok_or_else(|| Error::unusable("no-message-template", gone()))
}

/// A set-up in which each channel has the subject and the message of its message template.
pub fn resolve(c: &Connection, setup: &Setup) -> Result<Setup, Error> {
    let mut setup = setup.clone();
    for channel in &mut setup.channels {
        channel.take_message(|used| text(c, used))?;
    }
    Ok(setup)
}

/// A version that is to be saved.
#[derive(Debug)]
pub struct NewVersion<'a> {
    /// The subject and the message.
    pub text: &'a MessageText,
    /// What is noted of it.
    pub note: &'a str,
    /// When.
    pub at: &'a str,
    /// Who saves it.
    pub by: &'a str,
    /// The dispatch whose pictures it shows.
    pub dispatch: i64,
}

/// Adds a message template under a key of its own, made from its name.
pub fn add(t: &Transaction<'_>, name: &str, new: &NewVersion<'_>) -> Result<String> {
    let key = dispatches::unused_key(name, "message", |key| {
        Ok(t.query_row("SELECT EXISTS (SELECT 1 FROM message WHERE key = ?1)", [key], |r| r.get::<_, bool>(0))?)
    })?;
    t.execute("INSERT INTO message (key, name, in_use) VALUES (?1, ?2, 1)", params![key, name])?;
    write(t, t.last_insert_rowid(), 1, new)?;
    Ok(key)
}

/// Adds a version and puts it in use, if the template is still of the revision that was seen.
pub fn add_version(t: &Transaction<'_>, key: &str, seen: i64, new: &NewVersion<'_>) -> Result<Changed> {
    let sql = "UPDATE message SET in_use = (SELECT max(number) + 1 FROM message_version WHERE message_id = id), revision = revision + 1 WHERE key = ?1 AND revision = ?2 RETURNING id, in_use";
    let added: Option<(i64, i64)> = t.query_row(sql, params![key, seen], |r| Ok((r.get(0)?, r.get(1)?))).optional()?;
    if let Some((id, number)) = added {
        write(t, id, number, new)?;
        share_pictures(t, key)?;
    }
    Ok(Changed::of(usize::from(added.is_some()), exists(t, key)?))
}

/// Takes a message template that was moved here: a new one under its key, or the next version of the
/// one that is there.
pub fn take_moved(t: &Transaction<'_>, key: &str, name: &str, text: &MessageText, (at, by): (&str, &str)) -> Result<()> {
    let new = NewVersion { text, note: "imported", at, by, dispatch: 0 };
    let found: Option<i64> = t.query_row("SELECT revision FROM message WHERE key = ?1", [key], |r| r.get(0)).optional()?;
    match found {
        Some(revision) => drop(add_version(t, key, revision, &new)?),
        None => {
            t.execute("INSERT INTO message (key, name, in_use) VALUES (?1, ?2, 1)", params![key, name])?;
            write(t, t.last_insert_rowid(), 1, &new)?;
        }
    }
    Ok(())
}

fn write(t: &Transaction<'_>, id: i64, number: i64, new: &NewVersion<'_>) -> Result<()> {
    let MessageText { subject, body, html } = new.text;
    let named: Vec<Folded> = pictures_named(html).iter().map(|name| Folded::new(name)).collect();
    let is_shown = |one: &PictureInfo| named.contains(&Folded::new(&one.name));
    let shown = pictures::list(t, new.dispatch)?.into_iter().filter(is_shown);
    let shown: Vec<Shown> = shown.map(|one| Shown { name: one.name, file: one.file, size: one.size }).collect();
    t.execute(
        "INSERT INTO message_version (message_id, number, subject, body, html, pictures, note, made, made_by) VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9)",
        params![id, number, subject, body, html, serde_json::to_string(&shown)?, new.note, new.at, new.by],
    )?;
    Ok(())
}

/// Puts the pictures of a template's versions into the folders of the dispatches that use it;
/// one of the same name that is there stays.
pub fn share_pictures(t: &Transaction<'_>, key: &str) -> Result<()> {
    let sql = "SELECT number, in_use, pictures FROM message JOIN message_version ON message_id = message.id WHERE key = ?1";
    let mut query = t.prepare_cached(sql)?;
    let found = query.query_map([key], |r| Ok((r.get(0)?, r.get(1)?, r.get(2)?)))?.collect::<Result<Vec<(i64, i64, String)>, _>>()?;
    for (_, by) in uses(t)?.into_iter().filter(|(used, _)| used == key) {
        let Some(dispatch) = dispatches::by_key(t, &by.key)? else { continue };
        let Some((.., shown)) = found.iter().find(|(number, in_use, _)| *number == by.version.unwrap_or(*in_use)) else { continue };
        for one in serde_json::from_str::<Vec<Shown>>(shown)? {
            if pictures::get(t, dispatch.id, &one.name)?.is_none() {
                let Shown { name, file, size } = one;
                pictures::keep(t, dispatch.id, &PictureInfo { name, file, size })?;
            }
        }
    }
    Ok(())
}

/// Renames a template, or puts a version in use; if it is still of the revision that was seen.
pub fn change(t: &Transaction<'_>, key: &str, seen: i64, name: Option<&str>, in_use: Option<i64>) -> Result<Changed> {
    let sql = "UPDATE message SET name = coalesce(?3, name), in_use = coalesce(?4, in_use), revision = revision + 1 WHERE key = ?1 AND revision = ?2
        AND EXISTS (SELECT 1 FROM message_version WHERE message_id = id AND number = coalesce(?4, in_use))";
    let touched = t.execute(sql, params![key, seen, name, in_use])?;
    if touched > 0 {
        share_pictures(t, key)?;
    }
    Ok(Changed::of(touched, exists(t, key)?))
}

fn exists(c: &Connection, key: &str) -> Result<bool> {
    Ok(c.query_row("SELECT EXISTS (SELECT 1 FROM message WHERE key = ?1)", [key], |r| r.get(0))?)
}

/// Deletes a template with its versions, unless a dispatch uses it: the names of those that do.
pub fn delete(t: &Transaction<'_>, key: &str) -> Result<Vec<String>> {
    let users: Vec<String> = uses(t)?.into_iter().filter(|(used, _)| used == key).map(|(_, by)| by.name).collect();
    if users.is_empty() {
        t.execute("DELETE FROM message WHERE key = ?1", [key])?;
    }
    Ok(users)
}
