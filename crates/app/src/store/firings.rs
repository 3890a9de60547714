//! Firings: each time that a trigger has something to start. Each change of state is an event of
//! `jobs::state::FiringEvent`.

use anyhow::Result;
use mangle_core::trigger::TriggerSetup;
use rusqlite::types::Type;
use rusqlite::{Connection, OptionalExtension, Row, Transaction, params};
use serde::Serialize;
use serde::de::DeserializeOwned;

use super::{dispatches, step, unknown};
use crate::jobs::state::{FiringEvent, FiringState};

/// A time that a trigger had something to start.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Firing {
    /// Its number.
    pub id: i64,
    /// The dispatch's number.
    #[serde(skip)]
    pub dispatch_id: i64,
    /// The trigger's number in the dispatch's set-up.
    pub trigger: u32,
    /// The trigger's kind.
    pub kind: String,
    /// What tells it from the trigger's others.
    pub key: String,
    /// due, started, nothing, waiting, missed or dismissed.
    #[cfg_attr(feature = "openapi", schema(value_type = String))]
    #[serde(serialize_with = "as_word")]
    pub state: FiringState,
    /// When it happened.
    pub at: String,
    /// The rows that it is of; none where it is of all that the dispatch selects.
    pub rows: Option<Vec<usize>>,
    /// The run that it started.
    pub run: Option<i64>,
    /// Why it waits, or why nothing was started.
    #[serde(serialize_with = "mangle_core::words::as_sentence")]
    pub message: String,
}

fn as_word<S: serde::Serializer>(state: &FiringState, s: S) -> Result<S::Ok, S::Error> {
    s.serialize_str(state.word())
}

const ALL: &str = "SELECT id, dispatch_id, trigger_id, kind, key, state, at, \"rows\", run_id, message FROM firing";

fn of_row(r: &Row<'_>) -> rusqlite::Result<Firing> {
    let (state, rows): (String, Option<String>) = (r.get(5)?, r.get(7)?);
    let rows = rows.map(|rows| serde_json::from_str(&rows)).transpose();
    Ok(Firing {
        id: r.get(0)?,
        dispatch_id: r.get(1)?,
        trigger: r.get(2)?,
        kind: r.get(3)?,
        key: r.get(4)?,
        state: FiringState::of(&state).ok_or_else(|| unknown(5, &state))?,
        at: r.get(6)?,
        rows: rows.map_err(|e| rusqlite::Error::FromSqlConversionFailure(7, Type::Text, Box::new(e)))?,
        run: r.get(8)?,
        message: r.get(9)?,
    })
}

/// A firing that is to be written down.
#[derive(Debug, Clone)]
pub struct NewFiring<'a> {
    pub dispatch_id: i64,
    pub trigger: u32,
    pub kind: &'a str,
    pub key: &'a str,
    /// The rows that it is of; none for all.
    pub rows: Option<&'a [usize]>,
    /// Why nothing comes of it, where it was missed.
    pub missed: Option<&'a str>,
    pub at: &'a str,
}

/// Writes a firing down; its number, and whether it is a new one.
pub fn add(c: &Connection, new: &NewFiring<'_>) -> Result<(i64, bool)> {
    let state = if new.missed.is_some() { FiringState::Missed } else { FiringState::Due };
    let rows = new.rows.map(serde_json::to_string).transpose()?;
    let added = c
        .prepare_cached(
            "INSERT INTO firing (dispatch_id, trigger_id, kind, key, state, at, \"rows\", asked, message, changed) VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?7, ?8, ?6)
             ON CONFLICT (dispatch_id, trigger_id, key) DO NOTHING",
        )?
        .execute(params![new.dispatch_id, new.trigger, new.kind, new.key, state.word(), new.at, rows, new.missed.unwrap_or_default()])?;
    let mut query = c.prepare_cached("SELECT id FROM firing WHERE dispatch_id = ?1 AND trigger_id = ?2 AND key = ?3")?;
    Ok((query.query_row(params![new.dispatch_id, new.trigger, new.key], |r| r.get(0))?, added > 0))
}

/// Whether a firing was asked for with these rows.
pub fn asked_for(c: &Connection, id: i64, rows: Option<&[usize]>) -> Result<bool> {
    let rows = rows.map(serde_json::to_string).transpose()?;
    let mut query = c.prepare_cached("SELECT asked IS ?2 FROM firing WHERE id = ?1")?;
    Ok(query.query_row(params![id, rows], |r| r.get(0))?)
}

/// A record has come into a sheet: the dispatches fire that make a document of each.
pub fn answered(t: &Transaction<'_>, sheet: i64, row: usize, at: &str) -> Result<usize> {
    let mut fired = 0;
    for (dispatch, triggers) in watched(t, Some(sheet))? {
        for own in triggers.iter().filter(|own| own.on && own.trigger.kind() == "answer") {
            let key = row.to_string();
            let new = NewFiring { dispatch_id: dispatch, trigger: own.id, kind: "answer", key: &key, rows: Some(&[row]), missed: None, at };
            fired += usize::from(add(t, &new)?.1);
        }
    }
    Ok(fired)
}

/// The dispatches that have triggers, those with records of a sheet where one is named.
pub fn watched(c: &Connection, sheet: Option<i64>) -> Result<Vec<(i64, Vec<TriggerSetup>)>> {
    let sql = "SELECT id, setup -> '$.triggers' FROM dispatch WHERE deleted IS NULL AND json_array_length(setup, '$.triggers') > 0
        AND sheet_id = coalesce(?1, sheet_id) ORDER BY id";
    let mut query = c.prepare_cached(sql)?;
    let found = query.query_map([sheet], |r| Ok((r.get(0)?, r.get::<_, String>(1)?)))?.collect::<Result<Vec<_>, _>>()?;
    found.into_iter().map(|(id, triggers)| Ok((id, serde_json::from_str(&triggers)?))).collect()
}

/// A firing.
pub fn get(c: &Connection, id: i64) -> Result<Option<Firing>> {
    Ok(c.prepare_cached(&format!("{ALL} WHERE id = ?1"))?.query_row([id], of_row).optional()?)
}

/// The firings of a dispatch, those that wait for a person first, then the newest.
pub fn list(c: &Connection, dispatch: i64, most: usize) -> Result<Vec<Firing>> {
    let mut query = c.prepare_cached(&format!("{ALL} WHERE dispatch_id = ?1 ORDER BY state <> 'waiting', id DESC LIMIT ?2"))?;
    Ok(query.query_map(params![dispatch, most], of_row)?.collect::<Result<_, _>>()?)
}

/// How many firings of each dispatch wait for a person, by the dispatch's key.
pub fn waiting(c: &Connection) -> Result<Vec<(String, usize)>> {
    let sql =
        "SELECT dispatch.key, count(*) FROM firing JOIN dispatch ON dispatch.id = dispatch_id WHERE state = 'waiting' GROUP BY dispatch.id";
    let mut query = c.prepare_cached(sql)?;
    Ok(query.query_map([], |r| Ok((r.get(0)?, r.get(1)?)))?.collect::<Result<_, _>>()?)
}

/// The dispatches that have something to start now.
pub fn dispatches_due(c: &Connection, now: i64) -> Result<Vec<i64>> {
    let mut query = c.prepare_cached("SELECT DISTINCT dispatch_id FROM firing JOIN dispatch ON dispatch.id = dispatch_id WHERE state = 'due' AND due <= ?1 AND deleted IS NULL")?;
    Ok(query.query_map([now], |r| r.get(0))?.collect::<Result<_, _>>()?)
}

/// The oldest firings of a dispatch that are due, so many at most.
pub fn due(c: &Connection, dispatch: i64, now: i64, most: usize) -> Result<Vec<Firing>> {
    let mut query = c.prepare_cached(&format!("{ALL} WHERE dispatch_id = ?1 AND state = 'due' AND due <= ?2 ORDER BY id LIMIT ?3"))?;
    Ok(query.query_map(params![dispatch, now, most], of_row)?.collect::<Result<_, _>>()?)
}

/// Changes firings; how many were in a state for that.
pub fn change(c: &Connection, event: FiringEvent, ids: &[i64], message: &str, at: &str) -> Result<usize> {
    let set = ", message = :message, changed = :at, told = 0, due = 0";
    let which = "id IN (SELECT value FROM json_each(:ids))";
    step(c, event, set, which, &[(":message", &message), (":at", &at), (":ids", &serde_json::to_string(ids)?)])
}

/// Firings have started a run. Where rows are named, others of them wait on.
pub fn started(c: &Connection, ids: &[i64], run: i64, at: &str) -> Result<usize> {
    let which = "id IN (SELECT value FROM json_each(:ids))";
    let set = ", run_id = :run, message = '', changed = :at";
    step(c, FiringEvent::Start, set, which, &[(":run", &run), (":at", &at), (":ids", &serde_json::to_string(ids)?)])
}

/// A firing has started a run, but for some of its rows, which wait for a person.
pub fn left(c: &Connection, id: i64, rows: &[usize], message: &str) -> Result<usize> {
    let set = ", \"rows\" = :rows, message = :message, told = 0";
    step(c, FiringEvent::Leave, set, "id = :id", &[(":rows", &serde_json::to_string(rows)?), (":message", &message), (":id", &id)])
}

/// Firings are tried again later, which is no change of their state.
pub fn put_off(c: &Connection, ids: &[i64], due: i64, message: &str) -> Result<()> {
    let sql = "UPDATE firing SET due = ?2, message = ?3 WHERE state = 'due' AND id IN (SELECT value FROM json_each(?1))";
    c.prepare_cached(sql)?.execute(params![serde_json::to_string(ids)?, due, message])?;
    Ok(())
}

/// Whether any waits for a person who was not told yet.
pub fn untold(c: &Connection) -> Result<bool> {
    Ok(c.prepare_cached("SELECT EXISTS (SELECT 1 FROM firing WHERE state = 'waiting' AND told = 0)")?.query_row([], |r| r.get(0))?)
}

/// Firings that wait for a person who was not told yet; they are told of now.
pub fn to_tell_of(t: &Transaction<'_>, most: usize) -> Result<Vec<(String, Firing)>> {
    let mut query = t.prepare_cached(&format!("{ALL} WHERE state = 'waiting' AND told = 0 ORDER BY id LIMIT ?1"))?;
    let found = query.query_map([most], of_row)?.collect::<Result<Vec<_>, _>>()?;
    let mut named = Vec::with_capacity(found.len());
    for firing in found {
        t.execute("UPDATE firing SET told = 1 WHERE id = ?1", [firing.id])?;
        let Some(dispatch) = dispatches::by_id(t, firing.dispatch_id)? else { continue };
        named.push((dispatch.name, firing));
    }
    Ok(named)
}

/// What a trigger has seen so far under these settings; none where it has not looked yet, or the
/// settings are others now.
pub fn seen<T: DeserializeOwned>(c: &Connection, dispatch: i64, own: &TriggerSetup) -> Result<Option<T>> {
    let sql = "SELECT seen FROM trigger_seen WHERE dispatch_id = ?1 AND trigger_id = ?2 AND settings = ?3";
    let settings = serde_json::to_string(&own.trigger)?;
    let found: Option<String> = c.prepare_cached(sql)?.query_row(params![dispatch, own.id, settings], |r| r.get(0)).optional()?;
    Ok(found.map(|seen| serde_json::from_str(&seen)).transpose()?)
}

/// Keeps what a trigger has seen so far.
pub fn see(c: &Connection, dispatch: i64, own: &TriggerSetup, seen: &impl Serialize) -> Result<()> {
    let sql = "INSERT INTO trigger_seen (dispatch_id, trigger_id, settings, seen) VALUES (?1, ?2, ?3, ?4)
        ON CONFLICT (dispatch_id, trigger_id) DO UPDATE SET settings = ?3, seen = ?4";
    c.prepare_cached(sql)?.execute(params![dispatch, own.id, serde_json::to_string(&own.trigger)?, serde_json::to_string(seen)?])?;
    Ok(())
}

/// Forgets what the triggers of a dispatch have seen that are off or gone: one that is switched on
/// again begins anew.
pub fn forget(c: &Connection, dispatch: i64, on: &[u32]) -> Result<()> {
    let sql = "DELETE FROM trigger_seen WHERE dispatch_id = ?1 AND trigger_id NOT IN (SELECT value FROM json_each(?2))";
    c.prepare_cached(sql)?.execute(params![dispatch, serde_json::to_string(on)?])?;
    Ok(())
}

/// Takes a web hook's message, unless the same was taken before; those from before `old` are
/// forgotten.
pub fn take_hook(t: &Transaction<'_>, dispatch: i64, message: &str, at: &str, old: &str) -> Result<bool> {
    t.prepare_cached("DELETE FROM hook_taken WHERE at < ?1")?.execute([old])?;
    let sql = "INSERT INTO hook_taken (dispatch_id, message, at) VALUES (?1, ?2, ?3) ON CONFLICT DO NOTHING";
    Ok(t.prepare_cached(sql)?.execute(params![dispatch, message, at])? > 0)
}
