//! Items of runs. Each change of state is one statement that checks the state
//! it comes from.

use std::collections::HashMap;

use anyhow::Result;
use mangle_core::dispatch::Served;
use rusqlite::{Connection, OptionalExtension, Transaction, params};
use serde::{Deserialize, Serialize};

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
    /// waiting, filed, sending, delivered, made (where nothing is sent), held, failed or
    /// left out.
    pub state: String,
    /// The documents' name without extension; blank before they are made.
    pub file_name: String,
    /// Whether there is a PDF.
    pub pdf: bool,
    /// Whether there is a DOCX.
    pub docx: bool,
    /// The documents' size in bytes.
    pub size: usize,
    /// To whom the message goes.
    pub to: Option<String>,
    /// How often sending was tried.
    pub tries: usize,
    /// Seconds until the next try; 0 when it is due.
    pub next_try_in: i64,
    /// The error's short name.
    pub error_code: String,
    /// Where the error is.
    pub error_place: String,
    /// What went wrong and what to do.
    #[serde(serialize_with = "mangle_core::words::as_sentence")]
    pub error_message: String,
    /// When it last changed.
    pub changed: String,
}

/// An item as the runner takes it.
#[derive(Debug, Clone)]
pub struct ItemWork {
    pub id: i64,
    pub run_id: i64,
    pub position: usize,
    pub row: usize,
    /// The record's values, as `mangle_core::records::keep` writes them.
    pub record: String,
    pub file_name: String,
    pub pdf: Option<String>,
    pub docx: Option<String>,
    pub message: Option<String>,
    pub message_id: Option<String>,
    pub tries: usize,
    /// How often its making was begun.
    pub makes: usize,
}

/// What was made of an item.
#[derive(Debug)]
pub struct MadeItem {
    pub file_name: String,
    pub pdf: Option<String>,
    pub docx: Option<String>,
    pub size: usize,
    /// The message as JSON, and its Message-ID, where it is to be sent.
    pub message: Option<(String, String)>,
}

/// An error of an item.
#[derive(Debug, Clone)]
pub struct ItemError {
    pub code: String,
    pub place: String,
    pub message: String,
}

/// An item's state as it is shown: what was sent to nobody is made, not delivered.
macro_rules! shown_state {
    () => {
        "CASE WHEN item.state = 'delivered' AND item.message IS NULL THEN 'made' ELSE item.state END"
    };
}

/// Items of a run in a state (or all), from a position on.
pub fn list(c: &Connection, run: i64, state: Option<&str>, from: usize, count: usize, now: i64) -> Result<Vec<ItemInfo>> {
    let shown = shown_state!();
    let mut query = c.prepare_cached(&format!(
        "SELECT id, position, row, label, {shown}, file_name, pdf IS NOT NULL, docx IS NOT NULL, size, json_extract(message, '$.to'), tries,
         max(0, next_try - ?5), error_code, error_place, error_message, changed
         FROM item WHERE run_id = ?1 AND (?2 IS NULL OR {shown} = ?2) ORDER BY position LIMIT ?4 OFFSET ?3"
    ))?;
    let rows = query.query_map(params![run, state, from, count, now], |r| {
        let to: Option<String> = r.get(9)?;
        Ok(ItemInfo {
            id: r.get(0)?,
            position: r.get(1)?,
            row: r.get(2)?,
            label: r.get(3)?,
            state: r.get(4)?,
            file_name: r.get(5)?,
            pdf: r.get(6)?,
            docx: r.get(7)?,
            size: r.get(8)?,
            to: to.and_then(|t| serde_json::from_str::<Vec<String>>(&t).ok()).map(|t| t.join(", ")),
            tries: r.get(10)?,
            next_try_in: r.get(11)?,
            error_code: r.get(12)?,
            error_place: r.get(13)?,
            error_message: r.get(14)?,
            changed: r.get(15)?,
        })
    })?;
    Ok(rows.collect::<Result<_, _>>()?)
}

const WORK: &str = "SELECT id, run_id, position, row, record, file_name, pdf, docx, message, message_id, tries, makes FROM item";

fn of_row(r: &rusqlite::Row<'_>) -> rusqlite::Result<ItemWork> {
    Ok(ItemWork {
        id: r.get(0)?,
        run_id: r.get(1)?,
        position: r.get(2)?,
        row: r.get(3)?,
        record: r.get(4)?,
        file_name: r.get(5)?,
        pdf: r.get(6)?,
        docx: r.get(7)?,
        message: r.get(8)?,
        message_id: r.get(9)?,
        tries: r.get(10)?,
        makes: r.get(11)?,
    })
}

/// An item.
pub fn get(c: &Connection, id: i64) -> Result<Option<ItemWork>> {
    Ok(c.prepare_cached(&format!("{WORK} WHERE id = ?1"))?.query_row([id], of_row).optional()?)
}

/// How often the making of an item is begun; one that ended the program each time is given up.
/// More than twice, for a program may be killed at one item by chance, whatever the item.
const MAX_MAKES: i64 = 4;

/// Whether a run has items that wait to be made.
pub fn waits(c: &Connection, run: i64) -> Result<bool> {
    let sql = "SELECT EXISTS (SELECT 1 FROM item WHERE run_id = ?1 AND state = 'waiting')";
    Ok(c.prepare_cached(sql)?.query_row([run], |r| r.get(0))?)
}

/// Takes the next items of a run to make, after a position, and counts that their making is
/// begun. One whose making was begun before and never ended may have ended the program: it is
/// taken alone, so that no other is blamed.
pub fn claim(t: &Transaction<'_>, run: i64, after: usize, count: usize) -> Result<Vec<ItemWork>> {
    let sql = format!("{WORK} WHERE run_id = ?1 AND state = 'waiting' AND position > ?2 ORDER BY position LIMIT ?3");
    let mut batch: Vec<ItemWork> = t.prepare_cached(&sql)?.query_map(params![run, after, count], of_row)?.collect::<Result<_, _>>()?;
    let begun = batch.iter().position(|item| item.makes > 0);
    batch.truncate(begun.map_or(batch.len(), |at| at.max(1)));
    let mut begin = t.prepare_cached("UPDATE item SET makes = makes + 1 WHERE id = ?1")?;
    for item in &batch {
        begin.execute([item.id])?;
    }
    Ok(batch)
}

/// Forgets that the making of items was begun, where it ended without a document: the program
/// is still there.
pub fn unclaim(t: &Transaction<'_>, items: &[i64]) -> Result<()> {
    let mut end = t.prepare_cached("UPDATE item SET makes = 0 WHERE id = ?1 AND state = 'waiting'")?;
    for item in items {
        end.execute([item])?;
    }
    Ok(())
}

/// Gives up items whose making ended the program time and again; how many.
pub fn give_up(c: &Connection, message: &str, at: &str) -> Result<usize> {
    Ok(c.execute(
        "UPDATE item SET state = 'failed', error_code = 'crash', error_place = 'document', error_message = ?1, changed = ?2
         WHERE state = 'waiting' AND makes >= ?3",
        params![message, at, MAX_MAKES],
    )?)
}

/// Fails all items of a run that wait to be made: it can't be made at all.
pub fn fail_waiting(c: &Connection, run: i64, error: &ItemError, at: &str) -> Result<()> {
    c.execute(
        "UPDATE item SET state = 'failed', error_code = ?2, error_place = ?3, error_message = ?4, changed = ?5 WHERE run_id = ?1 AND state = 'waiting'",
        params![run, error.code, error.place, error.message, at],
    )?;
    Ok(())
}

/// Items of going runs whose sending is due.
pub fn to_send(c: &Connection, now: i64, count: usize) -> Result<Vec<ItemWork>> {
    let sql = format!(
        "{WORK} WHERE state = 'filed' AND next_try <= ?1 AND run_id IN (SELECT id FROM run WHERE state = 'going') ORDER BY next_try, id LIMIT ?2"
    );
    Ok(c.prepare_cached(&sql)?.query_map(params![now, count], of_row)?.collect::<Result<_, _>>()?)
}

/// Records what was made; without a message the item is delivered.
pub fn filed(c: &Connection, id: i64, made: &MadeItem, at: &str) -> Result<()> {
    let (message, message_id) = made.message.as_ref().map(|(m, i)| (m.as_str(), i.as_str())).unzip();
    c.prepare_cached(
        "UPDATE item SET state = CASE WHEN ?6 IS NULL THEN 'delivered' ELSE 'filed' END, file_name = ?2, pdf = ?3, docx = ?4, size = ?5, message = ?6, message_id = ?7, changed = ?8
         WHERE id = ?1 AND state = 'waiting'",
    )?
    .execute(params![id, made.file_name, made.pdf, made.docx, made.size, message, message_id, at])?;
    Ok(())
}

/// Records that the making of an item failed. What was made meanwhile, or is being sent, stays.
pub fn make_failed(c: &Connection, id: i64, error: &ItemError, at: &str) -> Result<()> {
    fail(c, "'waiting'", id, error, at)
}

/// Records that the sending of an item failed.
pub fn send_failed(c: &Connection, id: i64, error: &ItemError, at: &str) -> Result<()> {
    fail(c, "'filed', 'sending'", id, error, at)
}

fn fail(c: &Connection, from: &str, id: i64, error: &ItemError, at: &str) -> Result<()> {
    c.prepare_cached(&format!(
        "UPDATE item SET state = 'failed', error_code = ?2, error_place = ?3, error_message = ?4, changed = ?5 WHERE id = ?1 AND state IN ({from})"
    ))?
    .execute(params![id, error.code, error.place, error.message, at])?;
    Ok(())
}

/// Whether the message of an item may be handed over now.
pub fn may_send(c: &Connection, id: i64) -> Result<bool> {
    let sql = "SELECT EXISTS (SELECT 1 FROM item JOIN run ON run.id = item.run_id WHERE item.id = ?1 AND item.state = 'filed' AND run.state = 'going')";
    Ok(c.prepare_cached(sql)?.query_row([id], |r| r.get(0))?)
}

/// Records that the message is about to be handed over; whether it may be.
pub fn sending(c: &Connection, id: i64, at: &str) -> Result<bool> {
    let sql = "UPDATE item SET state = 'sending', tries = tries + 1, changed = ?2 WHERE id = ?1 AND state = 'filed' AND run_id IN (SELECT id FROM run WHERE state = 'going')";
    Ok(c.prepare_cached(sql)?.execute(params![id, at])? > 0)
}

/// Records that the message was taken.
pub fn delivered(c: &Connection, id: i64, at: &str) -> Result<()> {
    c.prepare_cached("UPDATE item SET state = 'delivered', error_code = '', error_place = '', error_message = '', changed = ?2 WHERE id = ?1 AND state = 'sending'")?
        .execute(params![id, at])?;
    Ok(())
}

/// Records, on a person's word, that a held message arrived; whether it was held.
pub fn arrived(c: &Connection, id: i64, at: &str) -> Result<bool> {
    let sql = "UPDATE item SET state = 'delivered', error_code = '', error_place = '', error_message = '', changed = ?2 WHERE id = ?1 AND state = 'held'";
    Ok(c.execute(sql, params![id, at])? > 0)
}

/// Sets the next try of an item that could not be sent; one of a stopped run is left out.
pub fn try_again(c: &Connection, id: i64, next_try: i64, error: &ItemError, at: &str, counts: bool) -> Result<()> {
    c.execute(
        "UPDATE item SET state = CASE WHEN run_id IN (SELECT id FROM run WHERE state = 'stopped') THEN 'left out' ELSE 'filed' END, next_try = ?2, error_code = ?3, error_place = ?4, error_message = ?5, changed = ?6, tries = tries + ?7 WHERE id = ?1 AND state IN ('sending', 'filed')",
        params![id, next_try, error.code, error.place, error.message, at, i64::from(counts)],
    )?;
    Ok(())
}

/// Holds items that were being handed over when the program ended: nobody knows
/// whether they arrived, and a second message can't be called back.
pub fn hold_uncertain(c: &Connection, message: &str, at: &str) -> Result<usize> {
    Ok(c.execute(
        "UPDATE item SET state = 'held', error_code = 'uncertain', error_place = 'e-mail', error_message = ?1, changed = ?2 WHERE state = 'sending'",
        params![message, at],
    )?)
}

/// Holds the item whose message was being handed over when the connection broke.
pub fn hold(c: &Connection, id: i64, message: &str, at: &str) -> Result<()> {
    c.execute(
        "UPDATE item SET state = 'held', error_code = 'uncertain', error_place = 'e-mail', error_message = ?2, changed = ?3 WHERE id = ?1 AND state = 'sending'",
        params![id, message, at],
    )?;
    Ok(())
}

/// Lets a held item be sent again. A run that is done is going again for it; one that is paused
/// stays so, and of a stopped run nothing is sent.
pub fn send_again(t: &Transaction<'_>, id: i64, at: &str) -> Result<bool> {
    let again = t.execute(
        "UPDATE item SET state = 'filed', next_try = 0, error_code = '', error_place = '', error_message = '', changed = ?2
         WHERE id = ?1 AND state = 'held' AND run_id NOT IN (SELECT id FROM run WHERE state = 'stopped')",
        params![id, at],
    )?;
    if again > 0 {
        t.execute(
            "UPDATE run SET state = 'going', finished = NULL WHERE id = (SELECT run_id FROM item WHERE id = ?1) AND state = 'done'",
            [id],
        )?;
    }
    Ok(again > 0)
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
}

/// What was made of rows of a sheet (?1): an item of its own, or one that serves many.
const OF_ROW: &str = concat!(
    "SELECT of_row.row, item.id, run.id, run.kind, ",
    shown_state!(),
    ", item.changed, dispatch.name, item.file_name, item.error_message
    FROM (SELECT row, id AS item_id FROM item WHERE sheet_id = ?1 UNION ALL SELECT row, item_id FROM joint_row WHERE sheet_id = ?1) AS of_row
    JOIN item ON item.id = of_row.item_id JOIN run ON run.id = item.run_id JOIN dispatch ON dispatch.id = run.dispatch_id"
);

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
/// count; `now` gives a row's values as they are kept, to tell whether they changed.
pub fn served(c: &Connection, dispatch: i64, sheet: i64, now: &dyn Fn(usize) -> Option<String>) -> Result<HashMap<usize, Served>> {
    let mut query = c.prepare_cached(
        "SELECT of_row.row, of_row.joint, item.run_id, item.state, item.changed, item.record
         FROM (SELECT row, id AS item_id, 0 AS joint FROM item WHERE sheet_id = ?2 UNION ALL SELECT row, item_id, 1 FROM joint_row WHERE sheet_id = ?2) AS of_row
         JOIN item ON item.id = of_row.item_id JOIN run ON run.id = item.run_id
         WHERE run.dispatch_id = ?1 AND run.kind = 'run' AND item.state <> 'left out' AND of_row.row > 0 ORDER BY item.id",
    )?;
    let mut found: HashMap<usize, Served> = HashMap::new();
    let mut rows = query.query(params![dispatch, sheet])?;
    while let Some(r) = rows.next()? {
        let (row, joint, run, state): (usize, bool, i64, String) = (r.get(0)?, r.get(1)?, r.get(2)?, r.get(3)?);
        let one = found.entry(row).or_insert(Served { run: None, at: String::new(), failed_last: false, changed: false });
        one.failed_last = state == "failed";
        if state != "failed" {
            one.run = Some(run);
            one.at = r.get(4)?;
            // What a document that serves many was made of can't be told by one row.
            one.changed = !joint && now(row).is_some_and(|now| r.get_ref(5).ok().and_then(|kept| kept.as_str().ok()) != Some(now.as_str()));
        }
    }
    Ok(found)
}

/// The documents of an item: their name, and their files in the store.
#[derive(Debug)]
pub struct Documents {
    pub name: String,
    pub pdf: Option<String>,
    pub docx: Option<String>,
}

/// The documents of a run.
pub fn documents(c: &Connection, run: i64) -> Result<Vec<Documents>> {
    let mut query = c.prepare_cached(
        "SELECT file_name, pdf, docx FROM item WHERE run_id = ?1 AND (pdf IS NOT NULL OR docx IS NOT NULL) ORDER BY position",
    )?;
    Ok(query.query_map([run], |r| Ok(Documents { name: r.get(0)?, pdf: r.get(1)?, docx: r.get(2)? }))?.collect::<Result<_, _>>()?)
}
