//! Items of runs. Each change of state is an event of `jobs::state::ItemEvent`.

use std::collections::HashMap;

use anyhow::Result;
use mangle_core::dispatch::Served;
use rusqlite::{Connection, OptionalExtension, Transaction, params};
use serde::{Deserialize, Serialize};

use super::deliveries::{self, DeliveryInfo, NewDelivery};
use super::documents::{self, DocumentInfo, NewDocument};
use super::rounds::NewRound;
use super::{running, step};
use crate::jobs::state::ItemEvent;
use crate::signing::{Gate, SignerLinks};

/// An item in a list.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct ItemInfo {
    /// Its number.
    pub id: i64,
    /// Which item of the run, from 1.
    pub position: usize,
    /// The record's row in its sheet.
    pub row: usize,
    /// What to call the record.
    pub label: String,
    /// How far it is, its deliveries included: waiting, making, blocked, scheduled, to send, sending,
    /// delivered, made (where nothing is delivered), uncertain, failed, withdrawn or left out.
    pub state: String,
    /// The documents' name without extension; blank before they are made.
    pub file_name: String,
    /// What was made.
    pub documents: Vec<DocumentInfo>,
    /// To whom and where it goes.
    pub deliveries: Vec<DeliveryInfo>,
    /// The short name of the error that kept it from being made.
    pub error_code: String,
    /// Where the error is.
    pub error_place: String,
    /// What went wrong and what to do.
    #[serde(serialize_with = "mangle_core::words::as_sentence")]
    pub error_message: String,
    /// When it last changed.
    pub changed: String,
}

/// An item as the maker takes it.
#[derive(Debug, Clone)]
pub struct ItemWork {
    /// Its number.
    pub id: i64,
    /// The run that it is of.
    pub run_id: i64,
    /// Which item of the run, from 1.
    pub position: usize,
    /// The record's row in its sheet.
    pub row: usize,
    /// The record's values, as `mangle_core::records::keep` writes them.
    pub record: String,
    /// How often its making was begun.
    pub attempts: i64,
}

/// What was made of an item.
#[derive(Debug, Clone)]
pub struct MadeItem {
    /// The documents' name without extension.
    pub file_name: String,
    /// The documents.
    pub documents: Vec<NewDocument>,
    /// What becomes of them.
    pub deliveries: Vec<NewDelivery>,
    /// The running document that the PDF is added to.
    pub running: Option<String>,
    /// The signing round of the PDF, and how its messages go out.
    pub round: Option<(NewRound, Gate, SignerLinks)>,
    /// How long it took, in milliseconds.
    pub took: u64,
}

/// What went wrong with an item.
#[derive(Debug, Clone)]
pub struct ItemError {
    /// A short name for programs.
    pub code: String,
    /// Where.
    pub place: String,
    /// What went wrong and what to do.
    pub message: String,
}

/// Items of a run that are so far (or all), from a position on.
pub fn list(c: &Connection, run: i64, state: Option<&str>, from: usize, count: usize, now: i64) -> Result<Vec<ItemInfo>> {
    let mut query = c.prepare_cached(
        "SELECT id, position, row, label, progress, file_name, error_code, error_place, error_message, changed
         FROM item WHERE run_id = ?1 AND (?2 IS NULL OR progress = ?2) ORDER BY position LIMIT ?4 OFFSET ?3",
    )?;
    let rows = query.query_map(params![run, state, from, count], |r| {
        Ok(ItemInfo {
            id: r.get(0)?,
            position: r.get(1)?,
            row: r.get(2)?,
            label: r.get(3)?,
            state: r.get(4)?,
            file_name: r.get(5)?,
            documents: Vec::new(),
            deliveries: Vec::new(),
            error_code: r.get(6)?,
            error_place: r.get(7)?,
            error_message: r.get(8)?,
            changed: r.get(9)?,
        })
    })?;
    let mut items: Vec<ItemInfo> = rows.collect::<Result<_, _>>()?;
    let ids: Vec<i64> = items.iter().map(|item| item.id).collect();
    let at: HashMap<i64, usize> = ids.iter().enumerate().map(|(at, id)| (*id, at)).collect();
    for (item, delivery) in deliveries::of_items(c, &ids, now)? {
        items[at[&item]].deliveries.push(delivery);
    }
    for item in &mut items {
        item.documents = documents::of_item(c, item.id)?;
    }
    Ok(items)
}

/// An item without its documents and deliveries, and the sheet of its record.
pub fn one(c: &Connection, id: i64, now: i64) -> Result<Option<(ItemInfo, i64)>> {
    let found = c
        .prepare_cached("SELECT run_id, position, sheet_id FROM item WHERE id = ?1")?
        .query_row([id], |r| Ok((r.get(0)?, r.get::<_, usize>(1)?, r.get(2)?)))
        .optional()?;
    let Some((run, position, sheet)) = found else { return Ok(None) };
    Ok(list(c, run, None, position.saturating_sub(1), 1, now)?.into_iter().next().map(|item| (item, sheet)))
}

const WORK: &str = "SELECT id, run_id, position, row, record, attempts FROM item";

fn of_row(r: &rusqlite::Row<'_>) -> rusqlite::Result<ItemWork> {
    Ok(ItemWork { id: r.get(0)?, run_id: r.get(1)?, position: r.get(2)?, row: r.get(3)?, record: r.get(4)?, attempts: r.get(5)? })
}

/// An item.
pub fn get(c: &Connection, id: i64) -> Result<Option<ItemWork>> {
    Ok(c.prepare_cached(&format!("{WORK} WHERE id = ?1"))?.query_row([id], of_row).optional()?)
}

/// The item that a dispatch made last of a row, on its own.
#[derive(Debug)]
pub struct LastMade {
    pub id: i64,
    pub run_id: i64,
    pub position: usize,
    pub record: String,
    pub changed: String,
}

/// The item that a dispatch made last of a row, on its own; proofs don't count.
pub fn last_made(c: &Connection, dispatch: i64, sheet: i64, row: usize) -> Result<Option<LastMade>> {
    let sql = "SELECT item.id, item.run_id, item.position, item.record, item.changed FROM item JOIN run ON run.id = item.run_id
      WHERE run.dispatch_id = ?1 AND run.kind = 'run' AND item.sheet_id = ?2 AND item.row = ?3 AND item.state = 'made'
      AND item.progress <> 'withdrawn' AND item.removed = '' ORDER BY item.id DESC LIMIT 1";
    let one = |r: &rusqlite::Row<'_>| {
        Ok(LastMade { id: r.get(0)?, run_id: r.get(1)?, position: r.get(2)?, record: r.get(3)?, changed: r.get(4)? })
    };
    Ok(c.prepare_cached(sql)?.query_row(params![dispatch, sheet, row], one).optional()?)
}

/// How often the making of an item is begun; one that ended the program each time is given up.
/// Far more than twice, for a program may be killed at one item by chance, whatever the item: of
/// 500 items and 200 kills, four were reached now and then.
const MAX_ATTEMPTS: i64 = 6;

/// How long an item may be in the making before it is given to another maker, in seconds.
pub const LEASE: i64 = 1_800;

/// Whether a run has items that wait to be made.
pub fn waits(c: &Connection, run: i64) -> Result<bool> {
    let sql = "SELECT EXISTS (SELECT 1 FROM item WHERE run_id = ?1 AND state = 'waiting')";
    Ok(c.prepare_cached(sql)?.query_row([run], |r| r.get(0))?)
}

/// What a maker takes.
#[derive(Debug)]
pub enum Claimed {
    /// Items to make, side by side with others.
    Some(Vec<ItemWork>),
    /// One whose making was begun before and never ended: it may have ended the program, so it
    /// is made alone, and no other is blamed.
    Alone(ItemWork),
    /// The next is such a one, and others are being made: it is to be asked for again when they
    /// have ended.
    NotNow,
    /// Nothing waits.
    Nothing,
}

/// Takes the next items of a run to make, after a position, under a lease from a moment on;
/// `busy` where others of the run are being made. Those whose making was begun before come last,
/// the least often begun first: what may end the program keeps no other item waiting, and chance
/// meets another one each time.
pub fn claim(t: &Transaction<'_>, run: i64, after: usize, count: usize, busy: bool, now: i64) -> Result<Claimed> {
    let fresh = format!("{WORK} WHERE run_id = ?1 AND state = 'waiting' AND attempts = 0 AND position > ?2 ORDER BY position LIMIT ?3");
    let mut batch: Vec<ItemWork> = t.prepare_cached(&fresh)?.query_map(params![run, after, count], of_row)?.collect::<Result<_, _>>()?;
    let alone = batch.is_empty();
    if alone {
        let begun = format!("{WORK} WHERE run_id = ?1 AND state = 'waiting' AND attempts > 0 ORDER BY attempts, position LIMIT 1");
        batch.extend(t.prepare_cached(&begun)?.query_row([run], of_row).optional()?);
        if busy && !batch.is_empty() {
            return Ok(Claimed::NotNow);
        }
    }
    for item in &batch {
        let set = ", attempts = attempts + 1, lease = :lease";
        step(t, ItemEvent::Claim, set, "id = :id", &[(":id", &item.id), (":lease", &(now + LEASE))])?;
    }
    Ok(match (alone, batch.pop()) {
        (_, None) => Claimed::Nothing,
        (true, Some(only)) => Claimed::Alone(only),
        (false, Some(last)) => {
            batch.push(last);
            Claimed::Some(batch)
        }
    })
}

/// Gives the items of a run back that are being made: the program is still there, so none of them
/// ended it. For its maker alone, at its begin and at its end: one before it may not even have
/// been able to give them back, as on a full disk.
pub fn let_go(t: &Transaction<'_>, run: i64) -> Result<usize> {
    step(t, ItemEvent::LetGo, ", attempts = 0, lease = 0", "run_id = :run", &[(":run", &run)])
}

/// Gives items back whose lease has run out: nobody makes them any more. All of them at the start
/// of the program, when nobody makes any.
pub fn expire(c: &Connection, now: i64) -> Result<usize> {
    // A lease that runs out later than any is given was given before the clock was set back.
    let longest = now.saturating_add(LEASE);
    step(c, ItemEvent::LetGo, ", lease = 0", "lease < :now OR lease > :longest", &[(":now", &now), (":longest", &longest)])
}

/// Gives up items whose making ended the program time and again; how many.
pub fn give_up(c: &Connection, message: &str, at: &str) -> Result<usize> {
    let set = ", error_code = 'crash', error_place = 'document', error_message = :message, changed = :at";
    let which = "state = 'waiting' AND attempts >= :most";
    step(c, ItemEvent::Fail, set, which, &[(":message", &message), (":at", &at), (":most", &MAX_ATTEMPTS)])
}

/// Fails all items of a run that wait to be made: it can't be made at all.
pub fn fail_waiting(c: &Connection, run: i64, error: &ItemError, at: &str) -> Result<usize> {
    fail(c, "run_id = :id AND state = 'waiting'", run, error, at)
}

/// The making of an item failed. What was made meanwhile stays.
pub fn failed(c: &Connection, id: i64, error: &ItemError, at: &str) -> Result<bool> {
    Ok(fail(c, "id = :id", id, error, at)? > 0)
}

fn fail(c: &Connection, which: &str, id: i64, error: &ItemError, at: &str) -> Result<usize> {
    let set = ", error_code = :code, error_place = :place, error_message = :message, changed = :at";
    let params: &[(&str, &dyn rusqlite::ToSql)] =
        &[(":id", &id), (":code", &error.code), (":place", &error.place), (":message", &error.message), (":at", &at)];
    step(c, ItemEvent::Fail, set, which, params)
}

/// An item is made: its documents and what becomes of them are written down with it. The
/// deliveries of a run that was stopped meanwhile are withdrawn.
pub fn made(t: &Transaction<'_>, id: i64, run: i64, made: &MadeItem, at: &str) -> Result<bool> {
    let set = ", file_name = :name, changed = :at, made = :at, took = :took, pages = :pages";
    let (took, pages) = (i64::try_from(made.took)?, made.documents.iter().filter_map(|own| own.pages).sum::<usize>());
    let params: &[(&str, &dyn rusqlite::ToSql)] =
        &[(":id", &id), (":name", &made.file_name), (":at", &at), (":took", &took), (":pages", &pages)];
    if step(t, ItemEvent::Make, set, "id = :id", params)? == 0 {
        return Ok(false);
    }
    for document in &made.documents {
        documents::add(t, id, document, at)?;
    }
    if let Some(name) = &made.running {
        running::add(t, run, id, name, at)?;
    }
    for delivery in &made.deliveries {
        deliveries::add(t, (id, run), delivery, at)?;
    }
    if let Some((round, gate, links)) = &made.round {
        crate::signing::begin(t, (id, run), round, gate, links, at)?;
    }
    if super::runs::is(t, run, crate::jobs::state::RunState::Stopped)? {
        deliveries::withdraw_all(t, run, at)?;
        if let Some((_, _, links)) = &made.round {
            crate::signing::run_stopped(t, run, links, at)?;
        }
    }
    super::search::index(t, id)?;
    Ok(true)
}

/// What was made of a row.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct OfRow {
    /// The row's number.
    pub row: usize,
    /// The item's number.
    pub item: i64,
    /// The run's number.
    pub run: i64,
    /// run or proof.
    pub kind: String,
    /// The item's state.
    pub state: String,
    /// When it last changed.
    pub changed: String,
    /// The dispatch's name.
    pub dispatch: String,
    /// The documents' name.
    pub file_name: String,
    /// What went wrong.
    pub error: String,
    /// The number of its first document; none where none was made.
    pub document: Option<i64>,
}

/// What was made of rows of a sheet (?1): an item of its own, or one that serves many.
const OF_ROW: &str = "SELECT of_row.row, item.id, run.id, run.kind, item.progress, item.changed, dispatch.name, item.file_name,
    CASE WHEN item.error_message <> '' THEN item.error_message
      ELSE coalesce((SELECT error_message FROM delivery WHERE item_id = item.id AND error_message <> '' LIMIT 1), '') END,
    (SELECT min(document.id) FROM document WHERE document.item_id = item.id)
    FROM (SELECT row, id AS item_id FROM item WHERE sheet_id = ?1 UNION ALL SELECT row, item_id FROM joint_row WHERE sheet_id = ?1) AS of_row
    JOIN item ON item.id = of_row.item_id JOIN run ON run.id = item.run_id JOIN dispatch ON dispatch.id = run.dispatch_id";

fn read_of_row(r: &rusqlite::Row<'_>) -> rusqlite::Result<OfRow> {
    Ok(OfRow {
        row: r.get(0)?,
        item: r.get(1)?,
        run: r.get(2)?,
        kind: r.get(3)?,
        state: r.get(4)?,
        changed: r.get(5)?,
        dispatch: r.get(6)?,
        file_name: r.get(7)?,
        error: r.get(8)?,
        document: r.get(9)?,
    })
}

/// The last document of each row of a sheet from each dispatch, among some rows, the
/// newest first. Proofs don't count.
pub fn last_of_rows(c: &Connection, sheet: i64, rows: &[usize]) -> Result<Vec<OfRow>> {
    let rows = serde_json::to_string(rows)?;
    let mut query = c.prepare_cached(&format!(
        // Of a group, the row of the highest item's number is given.
        "{} WHERE of_row.row IN (SELECT value FROM json_each(?2)) AND run.kind = 'run' GROUP BY of_row.row, run.dispatch_id ORDER BY 2 DESC",
        OF_ROW.replacen("item.id", "max(item.id)", 1)
    ))?;
    Ok(query.query_map(params![sheet, rows], read_of_row)?.collect::<Result<_, _>>()?)
}

/// All that was made of a row, the newest first, at most 500.
pub fn history(c: &Connection, sheet: i64, row: usize) -> Result<Vec<OfRow>> {
    let mut query = c.prepare_cached(&format!("{OF_ROW} WHERE of_row.row = ?2 ORDER BY item.id DESC LIMIT 500"))?;
    Ok(query.query_map(params![sheet, row], read_of_row)?.collect::<Result<_, _>>()?)
}

/// What a dispatch made of the rows of a sheet before. Proofs and what was left out don't
/// count; `differs` tells whether a row's values differ from those that were kept.
pub fn served(c: &Connection, dispatch: i64, sheet: i64, differs: &dyn Fn(usize, &str) -> bool) -> Result<HashMap<usize, Served>> {
    let mut query = c.prepare_cached(
        "SELECT of_row.row, of_row.joint, item.run_id, item.progress, item.changed, item.record,
         EXISTS (SELECT 1 FROM delivery WHERE item_id = item.id AND kind <> 'sheet' AND state IN ('delivered', 'uncertain'))
         FROM (SELECT row, id AS item_id, 0 AS joint FROM item WHERE sheet_id = ?2 UNION ALL SELECT row, item_id, 1 FROM joint_row WHERE sheet_id = ?2) AS of_row
         JOIN item ON item.id = of_row.item_id JOIN run ON run.id = item.run_id
         WHERE run.dispatch_id = ?1 AND run.kind = 'run' AND item.progress <> 'left out' AND of_row.row > 0 ORDER BY item.id",
    )?;
    let mut found: HashMap<usize, Served> = HashMap::new();
    let mut rows = query.query(params![dispatch, sheet])?;
    while let Some(r) = rows.next()? {
        let (row, joint, run, state): (usize, bool, i64, String) = (r.get(0)?, r.get(1)?, r.get(2)?, r.get(3)?);
        let one = found.entry(row).or_insert(Served { run: None, at: String::new(), failed_last: false, changed: false });
        one.failed_last = state == "failed";
        // What failed or was withdrawn over one channel may have arrived over another.
        if !["failed", "withdrawn"].contains(&state.as_str()) || r.get(6)? {
            one.run = Some(run);
            one.at = r.get(4)?;
            // What a document that serves many was made of can't be told by one row.
            one.changed = !joint && r.get_ref(5)?.as_str().is_ok_and(|kept| differs(row, kept));
        }
    }
    Ok(found)
}
