//! Jobs beside runs: imports and CRM fetches. Each change of state is an event of
//! `jobs::state::JobEvent`.

use anyhow::Result;
use rusqlite::{Connection, OptionalExtension, Row, Transaction, params};
use serde::{Deserialize, Serialize};
use serde_json::Value;

use super::{kept, step};
use crate::jobs::state::JobEvent;

/// How many jobs that have ended are kept.
const KEPT: usize = 200;
/// How often a job is begun; one that ended the program each time is given up.
const MOST_ATTEMPTS: i64 = 3;

/// A job as it is shown.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct JobInfo {
    /// Its number.
    pub id: i64,
    /// import or fetch.
    pub kind: String,
    /// What it is about: the query's number, 0 for an import.
    pub about: i64,
    /// What to call it: the file's or the query's name.
    pub name: String,
    /// waiting, working, done, stopped or failed.
    pub state: String,
    /// What it is doing: reading, rows, records or pictures; blank unless it is at work.
    pub phase: String,
    /// How much of that is done.
    pub done: usize,
    /// How much there is, where that is known.
    pub total: Option<usize>,
    /// What came of it, once it is done.
    #[cfg_attr(feature = "openapi", schema(value_type = Object))]
    pub result: Value,
    /// A short name for what went wrong.
    pub error_code: String,
    /// What went wrong and what to do.
    #[serde(serialize_with = "mangle_core::words::as_sentence")]
    pub error_message: String,
    /// When it was asked for.
    pub asked: String,
    /// When its state last changed.
    pub changed: String,
}

/// A job as who does it takes it.
#[derive(Debug, Clone)]
pub struct JobWork {
    /// Its number.
    pub id: i64,
    /// Its kind.
    pub kind: String,
    /// What it is about.
    pub about: i64,
    /// What to call it.
    pub name: String,
    /// What else it needs.
    pub payload: Value,
}

const INFO: &str = "SELECT id, kind, about, name, state, result, error_code, error_message, asked, changed FROM job";

fn info(r: &Row<'_>) -> rusqlite::Result<JobInfo> {
    Ok(JobInfo {
        id: r.get(0)?,
        kind: r.get(1)?,
        about: r.get(2)?,
        name: r.get(3)?,
        state: r.get(4)?,
        phase: String::new(),
        done: 0,
        total: None,
        result: kept(5, &r.get::<_, String>(5)?)?,
        error_code: r.get(6)?,
        error_message: r.get(7)?,
        asked: r.get(8)?,
        changed: r.get(9)?,
    })
}

/// Asks for a job. Where one of its kind is going about the same thing, that is the one.
pub fn add(t: &Transaction<'_>, kind: &str, about: i64, name: &str, payload: &Value, at: &str) -> Result<i64> {
    if about > 0 {
        let going = "SELECT id FROM job WHERE kind = ?1 AND about = ?2 AND state IN ('waiting', 'working')";
        if let Some(id) = t.query_row(going, params![kind, about], |r| r.get(0)).optional()? {
            return Ok(id);
        }
    }
    let sql = "INSERT INTO job (kind, about, name, payload, asked, changed) VALUES (?1, ?2, ?3, ?4, ?5, ?5)";
    t.execute(sql, params![kind, about, name, payload.to_string(), at])?;
    let id = t.last_insert_rowid();
    let old = "DELETE FROM job WHERE state NOT IN ('waiting', 'working') AND id <= ?1 - ?2";
    t.execute(old, params![id, KEPT])?;
    Ok(id)
}

/// Takes the next job; none where nothing waits.
pub fn claim(t: &Transaction<'_>, at: &str) -> Result<Option<JobWork>> {
    let next = "SELECT id, kind, about, name, payload FROM job WHERE state = 'waiting' ORDER BY id LIMIT 1";
    let found = t.query_row(next, [], |r| {
        let payload = kept(4, &r.get::<_, String>(4)?)?;
        Ok(JobWork { id: r.get(0)?, kind: r.get(1)?, about: r.get(2)?, name: r.get(3)?, payload })
    });
    let Some(work) = found.optional()? else { return Ok(None) };
    step(t, JobEvent::Claim, ", attempts = attempts + 1, changed = :at", "id = :id", &[(":id", &work.id), (":at", &at)])?;
    Ok(Some(work))
}

/// What became of a job.
pub fn end(c: &Connection, id: i64, ended: &Ended, at: &str) -> Result<bool> {
    let (event, result, code, message) = match ended {
        Ended::Done(result) => (JobEvent::Finish, result.to_string(), "", ""),
        Ended::Stopped => (JobEvent::Stop, "null".to_owned(), "", ""),
        Ended::Failed { code, message } => (JobEvent::Fail, "null".to_owned(), code.as_str(), message.as_str()),
    };
    let set = ", result = :result, error_code = :code, error_message = :message, changed = :at";
    let values: &[(&str, &dyn rusqlite::ToSql)] =
        &[(":id", &id), (":result", &result), (":code", &code), (":message", &message), (":at", &at)];
    Ok(step(c, event, set, "id = :id", values)? > 0)
}

/// What became of a job.
#[derive(Debug, Clone)]
pub enum Ended {
    /// It is done, with what came of it.
    Done(Value),
    /// A person stopped it.
    Stopped,
    /// It can't be done.
    Failed {
        /// A short name for programs.
        code: String,
        /// What is wrong and what to do.
        message: String,
    },
}

/// Gives a job back that the orderly end of the program interrupts: that is not its fault.
pub fn let_go(c: &Connection, id: i64) -> Result<bool> {
    Ok(step(c, JobEvent::LetGo, ", attempts = 0", "id = :id", &[(":id", &id)])? > 0)
}

/// Gives all jobs back that the end of the program interrupted, at its start; those that
/// interrupted it each time are given up.
pub fn take_up(c: &Connection, at: &str) -> Result<()> {
    step(c, JobEvent::LetGo, "", "1 = 1", &[])?;
    let message = "Mangle ended unexpectedly each time it did this. Try again with a smaller file or query.";
    let set = ", error_code = 'crash', error_message = :message, changed = :at";
    let which = "state = 'waiting' AND attempts >= :most";
    step(c, JobEvent::Fail, set, which, &[(":message", &message), (":at", &at), (":most", &MOST_ATTEMPTS)])?;
    // What an import had written so far is written again.
    c.execute("DELETE FROM source WHERE arriving = 1", [])?;
    Ok(())
}

/// A job.
pub fn get(c: &Connection, id: i64) -> Result<Option<JobInfo>> {
    Ok(c.prepare_cached(&format!("{INFO} WHERE id = ?1"))?.query_row([id], info).optional()?)
}

/// The number of the last job of a kind about a thing that was done.
pub fn last_done(c: &Connection, kind: &str, about: i64) -> Result<Option<i64>> {
    let sql = "SELECT max(id) FROM job WHERE kind = ?1 AND about = ?2 AND state = 'done'";
    Ok(c.prepare_cached(sql)?.query_row(params![kind, about], |r| r.get(0))?)
}

/// The last job of a kind about a thing.
pub fn last(c: &Connection, kind: &str, about: i64) -> Result<Option<JobInfo>> {
    let sql = format!("{INFO} WHERE kind = ?1 AND about = ?2 ORDER BY id DESC LIMIT 1");
    Ok(c.prepare_cached(&sql)?.query_row(params![kind, about], info).optional()?)
}

/// The jobs that wait or are being done, the oldest first.
pub fn going(c: &Connection) -> Result<Vec<JobInfo>> {
    let sql = format!("{INFO} WHERE state IN ('waiting', 'working') ORDER BY id");
    Ok(c.prepare_cached(&sql)?.query_map([], info)?.collect::<Result<_, _>>()?)
}

/// Whether another job that has not ended needs an incoming file.
pub fn needed(c: &Connection, id: i64, file: &str) -> Result<bool> {
    let sql = "SELECT EXISTS (SELECT 1 FROM job WHERE state IN ('waiting', 'working') AND id <> ?1 AND payload ->> 'file' = ?2)";
    Ok(c.query_row(sql, params![id, file], |r| r.get(0))?)
}
