//! Runs.

use std::sync::Arc;

use anyhow::Result;
use mangle_core::dispatch::Setup;
use mangle_core::records::{Record, Schema, keep};
use rusqlite::{Connection, OptionalExtension, Transaction, params};
use serde::{Deserialize, Serialize};

use super::sheets::ColumnInfo;

/// A run with the count of its items in each state.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct RunInfo {
    /// Its number.
    pub id: i64,
    /// The dispatch's key.
    pub dispatch: String,
    /// The dispatch's name.
    pub dispatch_name: String,
    /// run or proof.
    pub kind: String,
    /// going, paused, stopped or done.
    pub state: String,
    /// When it was started.
    pub started: String,
    /// When its last item was done.
    pub finished: Option<String>,
    /// How many items it has.
    pub count: usize,
    /// Items that wait to be made.
    pub waiting: usize,
    /// Items made that wait to be sent, or are being sent.
    pub sending: usize,
    /// Items that are done.
    pub delivered: usize,
    /// Items that need a person's word.
    pub held: usize,
    /// Items that failed.
    pub failed: usize,
    /// Items left out when the run was stopped.
    pub left_out: usize,
    /// Whether its items are sent by e-mail.
    pub sends: bool,
    /// Why it does not go on for now, though nobody paused it.
    #[serde(serialize_with = "mangle_core::words::as_sentence_or_none")]
    pub trouble: Option<String>,
}

/// What a run needs to make its items.
#[derive(Debug, Clone)]
pub struct RunWork {
    pub dispatch_id: i64,
    pub proof: bool,
    pub proof_to: String,
    pub moment: String,
    pub template_version_id: i64,
    pub sheet_id: i64,
    pub setup: Setup,
    pub count: usize,
    /// The columns that its items' values are of; none of a run that was started
    /// before these were kept.
    pub schema: Option<Arc<Schema>>,
}

const INFO: &str = "SELECT run.id, dispatch.key, dispatch.name, run.kind, run.state, run.started, run.finished, run.count,
    count(*) FILTER (WHERE item.state = 'waiting'), count(*) FILTER (WHERE item.state IN ('filed', 'sending')), count(*) FILTER (WHERE item.state = 'delivered'),
    count(*) FILTER (WHERE item.state = 'held'), count(*) FILTER (WHERE item.state = 'failed'), count(*) FILTER (WHERE item.state = 'left out'),
    run.proof_to <> '' OR json_extract(run.setup, '$.email') IS NOT NULL
    FROM run JOIN dispatch ON dispatch.id = run.dispatch_id LEFT JOIN item ON item.run_id = run.id";

fn info(r: &rusqlite::Row<'_>) -> rusqlite::Result<RunInfo> {
    Ok(RunInfo {
        id: r.get(0)?,
        dispatch: r.get(1)?,
        dispatch_name: r.get(2)?,
        kind: r.get(3)?,
        state: r.get(4)?,
        started: r.get(5)?,
        finished: r.get(6)?,
        count: r.get(7)?,
        waiting: r.get(8)?,
        sending: r.get(9)?,
        delivered: r.get(10)?,
        held: r.get(11)?,
        failed: r.get(12)?,
        left_out: r.get(13)?,
        sends: r.get(14)?,
        trouble: None,
    })
}

/// Runs, the newest first; of one dispatch where one is named.
pub fn list(c: &Connection, dispatch: Option<&str>) -> Result<Vec<RunInfo>> {
    let sql = format!("{INFO} WHERE (?1 IS NULL OR dispatch.key = ?1) GROUP BY run.id ORDER BY run.id DESC LIMIT 200");
    Ok(c.prepare_cached(&sql)?.query_map([dispatch], info)?.collect::<Result<_, _>>()?)
}

/// A run.
pub fn get(c: &Connection, id: i64) -> Result<Option<RunInfo>> {
    Ok(c.prepare_cached(&format!("{INFO} WHERE run.id = ?1 GROUP BY run.id"))?.query_row([id], info).optional()?)
}

/// What a run needs to make its items.
pub fn work(c: &Connection, id: i64) -> Result<Option<RunWork>> {
    let mut query = c.prepare_cached(
        "SELECT dispatch_id, kind, proof_to, moment, template_version_id, sheet_id, setup, count, columns FROM run WHERE id = ?1",
    )?;
    let found = query
        .query_row([id], |r| {
            let (kind, setup, columns): (String, String, String) = (r.get(1)?, r.get(6)?, r.get(8)?);
            let columns: Vec<ColumnInfo> = serde_json::from_str(&columns).unwrap_or_default();
            let schema = Schema::new(columns.iter().map(ColumnInfo::column).collect()).ok();
            Ok(RunWork {
                dispatch_id: r.get(0)?,
                proof: kind == "proof",
                proof_to: r.get(2)?,
                moment: r.get(3)?,
                template_version_id: r.get(4)?,
                sheet_id: r.get(5)?,
                setup: super::kept(5, &setup)?,
                count: r.get(7)?,
                schema: schema.filter(|s| !s.columns().is_empty()).map(Arc::new),
            })
        })
        .optional()?;
    Ok(found)
}

/// A new run: the run and all its items, before any work starts.
#[derive(Debug)]
pub struct NewRun<'a> {
    pub dispatch_id: i64,
    pub proof_to: Option<&'a str>,
    /// What tells this start from others of the dispatch; the same start is one run.
    pub start_key: Option<&'a str>,
    /// The hash of what it keeps of the office.
    pub snapshot: Option<&'a str>,
    pub moment: &'a str,
    pub template_version_id: i64,
    pub sheet_id: i64,
    pub setup: &'a Setup,
    /// The columns that the values are of.
    pub columns: &'a [ColumnInfo],
    /// Its records.
    pub rows: &'a [NewItem],
}

/// One record of a new run, with its values as they are now.
#[derive(Debug)]
pub struct NewItem {
    /// The row's number.
    pub number: usize,
    /// What to call it.
    pub label: String,
    /// Its values, as they are kept.
    pub record: String,
    /// The rows that it serves, where these are more than its own.
    pub joint: Vec<usize>,
}

impl NewItem {
    /// The record as it is now.
    pub fn of(record: &Record, label: String) -> NewItem {
        NewItem { number: record.number, label, record: keep(record), joint: Vec::new() }
    }
}

/// Writes a run and all its items.
pub fn start(t: &Transaction<'_>, run: &NewRun<'_>) -> Result<i64> {
    t.execute(
        "INSERT INTO run (dispatch_id, kind, state, started, moment, template_version_id, sheet_id, setup, proof_to, count, columns, start_key, snapshot) VALUES (?1, ?2, 'going', ?3, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10, ?11)",
        params![
            run.dispatch_id,
            if run.proof_to.is_some() { "proof" } else { "run" },
            run.moment,
            run.template_version_id,
            run.sheet_id,
            serde_json::to_string(run.setup)?,
            run.proof_to.unwrap_or_default(),
            run.rows.len(),
            serde_json::to_string(run.columns)?,
            run.start_key,
            run.snapshot
        ],
    )?;
    let id = t.last_insert_rowid();
    let mut insert = t.prepare(
        "INSERT INTO item (run_id, position, sheet_id, row, label, record, state, changed) VALUES (?1, ?2, ?3, ?4, ?5, ?6, 'waiting', ?7)",
    )?;
    let mut joint = t.prepare("INSERT OR IGNORE INTO joint_row (sheet_id, row, item_id) VALUES (?1, ?2, ?3)")?;
    for (position, row) in run.rows.iter().enumerate() {
        insert.execute(params![id, position + 1, run.sheet_id, row.number, row.label, row.record, run.moment])?;
        let item = t.last_insert_rowid();
        for own in &row.joint {
            joint.execute(params![run.sheet_id, own, item])?;
        }
    }
    Ok(id)
}

/// The run that a start of a dispatch began.
pub fn started(c: &Connection, dispatch: i64, start_key: &str) -> Result<Option<i64>> {
    let mut query = c.prepare_cached("SELECT id FROM run WHERE dispatch_id = ?1 AND start_key = ?2")?;
    Ok(query.query_row(params![dispatch, start_key], |r| r.get(0)).optional()?)
}

/// The run of a dispatch that is not over yet; proofs stand in nobody's way.
pub fn under_way(c: &Connection, dispatch: i64) -> Result<Option<i64>> {
    let sql = "SELECT id FROM run WHERE dispatch_id = ?1 AND kind = 'run' AND state IN ('going', 'paused') ORDER BY id LIMIT 1";
    Ok(c.prepare_cached(sql)?.query_row([dispatch], |r| r.get(0)).optional()?)
}

/// Changes a run's state from one to another; whether it was in the first.
pub fn set_state(c: &Connection, id: i64, from: &str, to: &str) -> Result<bool> {
    Ok(c.execute("UPDATE run SET state = ?3 WHERE id = ?1 AND state = ?2", params![id, from, to])? > 0)
}

/// Whether a run is going.
pub fn is_going(c: &Connection, id: i64) -> Result<bool> {
    let sql = "SELECT EXISTS (SELECT 1 FROM run WHERE id = ?1 AND state = 'going')";
    Ok(c.prepare_cached(sql)?.query_row([id], |r| r.get(0))?)
}

/// Runs that are going and have items to make, or nothing left to do at all.
pub fn to_make(c: &Connection) -> Result<Vec<i64>> {
    let mut query = c.prepare_cached(
        "SELECT id FROM run WHERE state = 'going' AND (EXISTS (SELECT 1 FROM item WHERE run_id = run.id AND state = 'waiting')
         OR NOT EXISTS (SELECT 1 FROM item WHERE run_id = run.id AND state IN ('filed', 'sending'))) ORDER BY id",
    )?;
    Ok(query.query_map([], |r| r.get(0))?.collect::<Result<_, _>>()?)
}

/// Ends a run once none of its items is left to do; whether it ended now.
pub fn finish(c: &Connection, id: i64, at: &str) -> Result<bool> {
    let ended = c.execute(
        "UPDATE run SET state = 'done', finished = ?2 WHERE id = ?1 AND state = 'going'
         AND NOT EXISTS (SELECT 1 FROM item WHERE run_id = ?1 AND state IN ('waiting', 'filed', 'sending'))",
        params![id, at],
    )?;
    Ok(ended > 0)
}

/// Stops a run: what waits is left out; what is made stays made. Whether it was not over yet.
pub fn stop(t: &Transaction<'_>, id: i64, at: &str) -> Result<bool> {
    let stopped =
        t.execute("UPDATE run SET state = 'stopped', finished = ?2 WHERE id = ?1 AND state IN ('going', 'paused')", params![id, at])?;
    if stopped == 0 {
        return Ok(false);
    }
    t.execute("UPDATE item SET state = 'left out', changed = ?2 WHERE run_id = ?1 AND state IN ('waiting', 'filed')", params![id, at])?;
    Ok(true)
}

/// Sets failed items (or one of them) to be made or sent again; not those whose row the
/// dispatch has served since, in another run. A run that is done is going again for them; one
/// that is paused stays so, and of a stopped run nothing is made or sent.
pub fn retry(t: &Transaction<'_>, id: i64, item: Option<i64>, at: &str) -> Result<usize> {
    let again = t.execute(
        "UPDATE item SET state = CASE WHEN pdf IS NULL AND docx IS NULL THEN 'waiting' ELSE 'filed' END, tries = 0, next_try = 0, makes = 0,
         error_code = '', error_place = '', error_message = '', changed = ?2 WHERE run_id = ?1 AND state = 'failed' AND (?3 IS NULL OR id = ?3)
         AND run_id NOT IN (SELECT id FROM run WHERE state = 'stopped')
         AND NOT EXISTS (SELECT 1 FROM item AS other JOIN run ON run.id = other.run_id JOIN run AS own ON own.id = item.run_id
           WHERE other.sheet_id = item.sheet_id AND other.row = item.row AND other.row > 0 AND other.run_id <> item.run_id
             AND run.dispatch_id = own.dispatch_id AND run.kind = 'run' AND own.kind = 'run'
             AND other.state NOT IN ('failed', 'left out') AND (other.id > item.id OR other.changed > item.changed))",
        params![id, at, item],
    )?;
    if again > 0 {
        t.execute("UPDATE run SET state = 'going', finished = NULL WHERE id = ?1 AND state = 'done'", [id])?;
    }
    Ok(again)
}
