//! Runs.

use std::sync::Arc;

use anyhow::Result;
use mangle_core::dispatch::{Setup, write_setup};
use mangle_core::preflight::ChannelTotal;
use mangle_core::records::{Record, Schema, keep};
use mangle_core::words::counted;
use rusqlite::{Connection, OptionalExtension, ToSql, Transaction, params};
use serde::{Deserialize, Serialize};

use super::events::{self, About};
use super::sheets::ColumnInfo;
use super::{deliveries, step};
use crate::Actor;
use crate::jobs::state::{DeliveryEvent, ItemEvent, RunEvent, RunState};

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
    /// Whether the dispatch has been deleted since.
    pub dispatch_deleted: bool,
    /// run or proof.
    pub kind: String,
    /// running, paused, stopped or done.
    pub state: String,
    /// When it was started.
    pub started: String,
    /// When its last item was done.
    pub finished: Option<String>,
    /// How many items it has.
    pub count: usize,
    /// Items that wait to be made, or are being made.
    pub waiting: usize,
    /// Items made whose deliveries wait until a person releases them.
    pub blocked: usize,
    /// Items whose moment to be delivered is to come.
    pub scheduled: usize,
    /// Items that wait for signatures.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub signing: usize,
    /// Items made that wait to be sent, or are being sent.
    pub sending: usize,
    /// Items that are done.
    pub delivered: usize,
    /// Items of which nobody knows whether they arrived: a person decides.
    pub uncertain: usize,
    /// Items that failed.
    pub failed: usize,
    /// Items left out when the run was stopped, and those whose deliveries were withdrawn.
    pub left_out: usize,
    /// Whether its documents are delivered at all, or only stored.
    pub sends: bool,
    /// Whether it was started on hold: deliveries wait until a person releases them.
    pub hold: bool,
    /// How many documents are delivered before the rest waits for a person; none where there is no
    /// first batch.
    pub hold_after: Option<usize>,
    /// The moment from which it delivers; none for at once.
    pub opens: Option<String>,
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
    /// Whether its deliveries wait until a person releases them.
    pub hold: bool,
    /// How many documents are delivered before the rest waits for a person.
    pub hold_after: Option<usize>,
    /// The moment from which it delivers; blank for at once.
    pub opens: String,
}

const INFO: &str = "SELECT run.id, dispatch.key, dispatch.name, run.kind, run.state, run.started, run.finished, run.count,
    count(*) FILTER (WHERE item.progress IN ('waiting', 'making')), count(*) FILTER (WHERE item.progress = 'blocked'),
    count(*) FILTER (WHERE item.progress IN ('to send', 'sending')), count(*) FILTER (WHERE item.progress IN ('delivered', 'made')),
    count(*) FILTER (WHERE item.progress = 'uncertain'), count(*) FILTER (WHERE item.progress = 'failed'),
    count(*) FILTER (WHERE item.progress IN ('left out', 'withdrawn')), run.sends, run.hold, dispatch.deleted IS NOT NULL,
    count(*) FILTER (WHERE item.progress = 'scheduled'), run.hold_after, run.opens, count(*) FILTER (WHERE item.progress = 'signing')
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
        blocked: r.get(9)?,
        sending: r.get(10)?,
        delivered: r.get(11)?,
        uncertain: r.get(12)?,
        failed: r.get(13)?,
        left_out: r.get(14)?,
        sends: r.get(15)?,
        hold: r.get(16)?,
        dispatch_deleted: r.get(17)?,
        scheduled: r.get(18)?,
        signing: r.get(21)?,
        hold_after: r.get(19)?,
        opens: Some(r.get::<_, String>(20)?).filter(|opens| !opens.is_empty()),
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

/// What a run came to.
#[derive(Debug, Clone)]
pub struct Counted {
    pub documents: usize,
    pub pages: Option<usize>,
    pub deliveries: Vec<ChannelTotal>,
    /// The columns that its items' values are of.
    pub schema: Option<Arc<Schema>>,
    /// The values of its items with their rows.
    pub records: Vec<(usize, String)>,
}

/// What a run came to.
pub fn came_to(c: &Connection, id: i64) -> Result<Counted> {
    let made = "item.run_id = ?1 AND item.state = 'made'";
    let sql =
        format!("SELECT count(DISTINCT item.id), sum(document.pages) FROM item JOIN document ON document.item_id = item.id WHERE {made}");
    let (documents, pages) = c.prepare_cached(&sql)?.query_row([id], |r| Ok((r.get(0)?, r.get(1)?)))?;
    let sql = "SELECT name, count(*), count(DISTINCT lower(recipient)) FROM delivery WHERE run_id = ?1 AND state NOT IN ('skipped', 'withdrawn') GROUP BY channel, name ORDER BY channel";
    let total = |r: &rusqlite::Row<'_>| Ok(ChannelTotal { name: r.get(0)?, count: r.get(1)?, recipients: r.get(2)? });
    let deliveries = c.prepare_cached(sql)?.query_map([id], total)?.collect::<Result<_, _>>()?;
    let sql = format!("SELECT row, record FROM item WHERE {made}");
    let records = c.prepare_cached(&sql)?.query_map([id], |r| Ok((r.get(0)?, r.get(1)?)))?.collect::<Result<_, _>>()?;
    let schema = work(c, id)?.and_then(|work| work.schema);
    Ok(Counted { documents, pages, deliveries, schema, records })
}

/// Runs that have ended, of which nobody was told.
pub fn to_tell_of(c: &Connection) -> Result<Vec<RunInfo>> {
    let sql =
        format!("{INFO} WHERE run.kind = 'run' AND run.state IN ('done', 'stopped') AND run.summary IS NULL GROUP BY run.id LIMIT 20");
    Ok(c.prepare_cached(&sql)?.query_map([], info)?.collect::<Result<_, _>>()?)
}

/// It was thought of whether the person is told of a run.
pub fn told_of(c: &Connection, id: i64, word: &str) -> Result<()> {
    c.prepare_cached("UPDATE run SET summary = ?2 WHERE id = ?1")?.execute(params![id, word])?;
    Ok(())
}

/// Deliveries of an item that waited for signatures do so no more: those that no person holds, and
/// whose moment has come, are to be sent.
pub fn signed(t: &Connection, run: i64, item: i64, at: &str) -> Result<()> {
    t.prepare_cached("UPDATE delivery SET waits = '', changed = ?2 WHERE item_id = ?1 AND waits = 'signing' AND state = 'blocked'")?
        .execute(params![item, at])?;
    let which = "item_id = :item AND state = 'blocked' AND held = 0 AND waits = '' AND opens <= :at AND round_id IS NULL";
    step(t, DeliveryEvent::Release, ", due = 0, changed = :at", which, &[(":item", &item), (":at", &at)])?;
    reopen(t, run)
}

/// What a run needs to make its items.
pub fn work(c: &Connection, id: i64) -> Result<Option<RunWork>> {
    let mut query = c.prepare_cached(
        "SELECT dispatch_id, kind, proof_to, moment, template_version_id, sheet_id, setup, count, columns, hold, hold_after, opens FROM run WHERE id = ?1",
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
                setup: super::setup_of(6, &setup)?,
                count: r.get(7)?,
                schema: schema.filter(|s| !s.columns().is_empty()).map(Arc::new),
                hold: r.get(9)?,
                hold_after: r.get(10)?,
                opens: r.get(11)?,
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
    /// Whether its deliveries wait until a person releases them.
    pub hold: bool,
    /// How many documents are delivered before the rest waits for a person.
    pub hold_after: Option<usize>,
    /// The moment from which it delivers; blank for at once.
    pub opens: &'a str,
    /// Who or what starts it.
    pub by: Actor,
    pub moment: &'a str,
    pub template_version_id: i64,
    pub sheet_id: i64,
    pub setup: &'a Setup,
    /// The columns that the values are of.
    pub columns: &'a [ColumnInfo],
    /// Its records.
    pub rows: &'a [NewItem],
    /// Whether it is of one record that a person looks at.
    pub sole: bool,
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
        "INSERT INTO run (dispatch_id, kind, state, started, moment, template_version_id, sheet_id, setup, proof_to, count, columns, start_key, snapshot, hold, sends, started_by, hold_after, opens, sole)
         VALUES (?1, ?2, 'running', ?3, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10, ?11, ?12, ?13, ?14, ?15, ?16, ?17)",
        params![
            run.dispatch_id,
            if run.proof_to.is_some() { "proof" } else { "run" },
            run.moment,
            run.template_version_id,
            run.sheet_id,
            write_setup(run.setup)?,
            run.proof_to.unwrap_or_default(),
            run.rows.len(),
            serde_json::to_string(run.columns)?,
            run.start_key,
            run.snapshot,
            run.hold,
            run.proof_to.is_some() || run.setup.signing.on || run.setup.channels.iter().any(|channel| channel.on),
            run.by.word(),
            run.hold_after,
            run.opens,
            run.sole
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
    events::add(t, run.by, About::run(id), "started", &counted(run.rows.len(), "record", "records"), run.moment)?;
    Ok(id)
}

/// The run that a start of a dispatch began.
pub fn started(c: &Connection, dispatch: i64, start_key: &str) -> Result<Option<i64>> {
    let mut query = c.prepare_cached("SELECT id FROM run WHERE dispatch_id = ?1 AND start_key = ?2")?;
    Ok(query.query_row(params![dispatch, start_key], |r| r.get(0)).optional()?)
}

/// The run of a dispatch that is not over yet; proofs stand in nobody's way, nor do those of one
/// record that a person looks at, but for where `all` are asked for.
pub fn under_way(c: &Connection, dispatch: i64, all: bool) -> Result<Option<i64>> {
    let sql = "SELECT id FROM run WHERE dispatch_id = ?1 AND kind = 'run' AND state IN ('running', 'paused') AND (?2 OR sole = 0) ORDER BY id LIMIT 1";
    Ok(c.prepare_cached(sql)?.query_row(params![dispatch, all], |r| r.get(0)).optional()?)
}

/// Changes a run by a person's word; whether it was in a state for that.
pub fn change(c: &Connection, event: RunEvent, id: i64) -> Result<bool> {
    Ok(step(c, event, "", "id = :id", &[(":id", &id)])? > 0)
}

/// A run is not on hold any more: what is made from now on is delivered at once. 1 where it was.
pub fn let_loose(c: &Connection, id: i64) -> Result<usize> {
    Ok(c.execute("UPDATE run SET hold = 0, hold_after = NULL WHERE id = ?1 AND (hold <> 0 OR hold_after IS NOT NULL) AND state IN ('running', 'paused')", [id])?)
}

/// Whether a run is in a state.
pub fn is(c: &Connection, id: i64, state: RunState) -> Result<bool> {
    let sql = "SELECT EXISTS (SELECT 1 FROM run WHERE id = ?1 AND state = ?2)";
    Ok(c.prepare_cached(sql)?.query_row(params![id, state.word()], |r| r.get(0))?)
}

/// Nothing of a run is left to make or to deliver.
const NOTHING_OPEN: &str = "NOT EXISTS (SELECT 1 FROM item WHERE run_id = run.id AND state IN ('waiting', 'making'))
    AND NOT EXISTS (SELECT 1 FROM delivery WHERE run_id = run.id AND (state IN ('to send', 'sending') OR state = 'blocked' AND waits = ''))";

/// Runs that are running and have items to make, or nothing left to do at all. Items that are
/// being made count: their maker may be gone.
pub fn to_make(c: &Connection) -> Result<Vec<i64>> {
    let mut query = c.prepare_cached(&format!(
        "SELECT id FROM run WHERE state = 'running' AND (EXISTS (SELECT 1 FROM item WHERE run_id = run.id AND state IN ('waiting', 'making')) OR {NOTHING_OPEN})
         ORDER BY kind = 'run', id"
    ))?;
    Ok(query.query_map([], |r| r.get(0))?.collect::<Result<_, _>>()?)
}

/// Ends a run once none of its items is left to do; whether it ended now.
pub fn finish(c: &Connection, id: i64, at: &str) -> Result<bool> {
    let which = format!("id = :id AND {NOTHING_OPEN}");
    let ended = step(c, RunEvent::Finish, ", finished = :at", &which, &[(":id", &id), (":at", &at)])?;
    if ended > 0 {
        events::add(c, Actor::Mangle, About::run(id), "finished", "", at)?;
    }
    Ok(ended > 0)
}

/// Stops a run: what waits is left out or withdrawn; what is made stays made. Whether it was not
/// over yet.
pub fn stop(t: &Transaction<'_>, id: i64, at: &str) -> Result<bool> {
    if step(t, RunEvent::Stop, ", finished = :at", "id = :id", &[(":id", &id), (":at", &at)])? == 0 {
        return Ok(false);
    }
    step(t, ItemEvent::LeaveOut, ", changed = :at", "run_id = :id", &[(":id", &id), (":at", &at)])?;
    deliveries::withdraw_all(t, id, at)?;
    Ok(true)
}

/// Among the items of a run (or one of them) those that may be tried again: not those whose row
/// the dispatch has served since, in another run.
const NOT_SERVED_SINCE: &str = "run_id = :run AND (:item IS NULL OR id = :item)
    AND run_id NOT IN (SELECT id FROM run WHERE state = 'stopped')
    AND NOT EXISTS (SELECT 1 FROM item AS other JOIN run ON run.id = other.run_id JOIN run AS own ON own.id = item.run_id
      WHERE other.sheet_id = item.sheet_id AND other.row = item.row AND other.row > 0 AND other.run_id <> item.run_id
        AND run.dispatch_id = own.dispatch_id AND run.kind = 'run' AND own.kind = 'run'
        AND (other.progress NOT IN ('failed', 'left out', 'withdrawn')
          OR EXISTS (SELECT 1 FROM delivery WHERE item_id = other.id AND kind <> 'sheet' AND state IN ('delivered', 'uncertain'))) AND (other.id > item.id OR other.changed > item.changed))";

/// A delivery is no message to a signer who has had a newer one since.
const NO_NEWER_MESSAGE: &str = "NOT EXISTS (SELECT 1 FROM delivery AS later
    WHERE later.round_id = delivery.round_id AND later.place = delivery.place AND later.id > delivery.id)";

/// Sets failed items (or one of them), and failed deliveries of those that were made, to be made
/// or sent again; how many items. A run that is done is running again for them; one that is
/// paused stays so, and of a stopped run nothing is made or sent.
pub fn retry(t: &Transaction<'_>, id: i64, item: Option<i64>, at: &str) -> Result<usize> {
    let which = format!("item_id IN (SELECT id FROM item WHERE {NOT_SERVED_SINCE}) AND {NO_NEWER_MESSAGE}");
    let set = ", due = 0, attempts = 0, first_tried = NULL, error_code = '', error_message = '', changed = :at";
    let params: &[(&str, &dyn ToSql)] = &[(":run", &id), (":item", &item), (":at", &at)];
    let mut touched = t.prepare_cached(&format!(
        "SELECT count(DISTINCT item_id) FROM delivery WHERE state = 'failed' AND item_id IN (SELECT id FROM item WHERE {NOT_SERVED_SINCE}) AND {NO_NEWER_MESSAGE}"
    ))?;
    let again: usize = touched.query_row(&params[..2], |r| r.get(0))?;
    step(t, DeliveryEvent::Retry, set, &which, params)?;
    deliveries::repeat(t, &deliveries::OF_RUN_TO_SEND, id, at)?;
    let set = ", attempts = 0, lease = 0, error_code = '', error_place = '', error_message = '', changed = :at";
    let again = again + step(t, ItemEvent::Retry, set, NOT_SERVED_SINCE, params)?;
    if again > 0 {
        reopen(t, id)?;
    }
    Ok(again)
}

/// A run that is done has something to do again.
pub fn reopen(c: &Connection, id: i64) -> Result<()> {
    step(c, RunEvent::Reopen, ", finished = NULL", "id = :id", &[(":id", &id)])?;
    Ok(())
}
