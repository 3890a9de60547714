//! Deliveries: one record's documents over one channel. Each change of state is an event of
//! `jobs::state::DeliveryEvent`.

use std::sync::LazyLock;

use anyhow::Result;
use mangle_core::channel::LAST;
use rusqlite::{Connection, OptionalExtension, ToSql, params};
use serde::{Deserialize, Serialize};

use super::step;
use crate::jobs::state::{DeliveryEvent, DeliveryState};

/// A delivery that is to be written down with its item's documents.
#[derive(Debug, Clone)]
pub struct NewDelivery {
    /// The channel's place in the set-up.
    pub channel: usize,
    /// The word of the channel's kind.
    pub kind: &'static str,
    /// What the channel is called.
    pub name: String,
    /// Blocked, to send or skipped.
    pub state: DeliveryState,
    /// Whether a person is to release it.
    pub held: bool,
    /// The moment (UTC) before which it stays here; blank for none.
    pub opens: String,
    /// Whether it waits until everyone has signed.
    pub waits: bool,
    /// What tells it from every other.
    pub key: String,
    /// To whom or where it goes.
    pub recipient: String,
    /// The formats that go along, as JSON.
    pub documents: String,
    /// What the adapter takes, as JSON.
    pub payload: String,
    /// What its public page is found by; blank where it has none.
    pub token: String,
}

/// A delivery in a list.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct DeliveryInfo {
    /// Its number.
    pub id: i64,
    /// The word of its channel's kind.
    pub kind: String,
    /// What its channel is called.
    pub name: String,
    /// blocked (it waits for a person's release), scheduled (it waits for its moment), signing (it waits for signatures), to send, sending, delivered, failed, uncertain, withdrawn or skipped.
    pub state: String,
    /// To whom or where it goes.
    pub recipient: String,
    /// How often it was tried.
    pub attempts: usize,
    /// Seconds until the next try; 0 when it is due.
    pub next_try_in: i64,
    /// The moment (UTC) before which it stays here; blank for none.
    pub opens: String,
    /// What the other side said when it took it.
    pub receipt: String,
    /// The error's short name.
    pub error_code: String,
    /// What went wrong and what to do.
    #[serde(serialize_with = "mangle_core::words::as_sentence")]
    pub error_message: String,
    /// When it last changed.
    pub changed: String,
    /// How often its public page was opened.
    pub opened: i64,
    /// What has to be entered on its public page; blank for nothing.
    #[serde(default)]
    pub passcode: String,
    /// Whether it can be withdrawn now, delivered or not.
    #[serde(default)]
    pub revocable: bool,
    /// Whether it was delivered and the same can be sent again: not a link, which stays the same, a
    /// sheet's columns, which are written by themselves, or a signer's link, which reminders bring.
    #[serde(default)]
    pub repeatable: bool,
}

/// A delivery as the queue takes it.
#[derive(Debug, Clone)]
pub struct DeliveryWork {
    /// Its number.
    pub id: i64,
    /// The item that it is of.
    pub item_id: i64,
    /// The run that it is of.
    pub run_id: i64,
    /// How often it was tried.
    pub attempts: usize,
    /// When it was first tried, in seconds since 1970.
    pub first_tried: Option<i64>,
    /// What tells it from every other.
    pub key: String,
    /// The formats that go along.
    pub documents: Vec<String>,
    /// What the adapter takes.
    pub payload: serde_json::Value,
    /// What it began with, where it began.
    pub target: String,
    /// The word of its channel's kind.
    pub kind: String,
    /// How often it has begun in all.
    pub begun: i64,
}

/// What went wrong with a delivery.
#[derive(Debug, Clone)]
pub struct DeliveryError {
    /// A short name for programs.
    pub code: String,
    /// What went wrong and what to do.
    pub message: String,
}

/// Writes a delivery down.
pub fn add(c: &Connection, item: (i64, i64), new: &NewDelivery, at: &str) -> Result<i64> {
    c.prepare_cached(
        "INSERT INTO delivery (item_id, run_id, channel, kind, name, state, key, recipient, documents, payload, changed, held, opens, token, waits)
         VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10, ?11, ?12, ?13, ?14, ?15)",
    )?
    .execute(params![
        item.0,
        item.1,
        new.channel,
        new.kind,
        new.name,
        new.state.word(),
        new.key,
        new.recipient,
        new.documents,
        new.payload,
        at,
        new.held,
        new.opens,
        new.token,
        if new.waits { "signing" } else { "" }
    ])?;
    Ok(c.last_insert_rowid())
}

/// The state of a delivery as it is shown: of one that waits, what it waits for.
const SHOWN: &str =
    "CASE WHEN state = 'blocked' AND waits <> '' THEN 'signing' WHEN state = 'blocked' AND held = 0 THEN 'scheduled' ELSE state END";

/// How many deliveries of a channel are in a state.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct StateCount {
    /// The state: delivered, failed, blocked …
    pub state: String,
    /// How many are in it.
    pub count: usize,
}

/// The deliveries of a run over one channel.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct ChannelCounts {
    /// Its kind: email, folder, link …
    pub kind: String,
    /// What the channel is called; blank for the messages to signers.
    pub name: String,
    /// How many are in which state.
    pub states: Vec<StateCount>,
}

/// The deliveries of a run by channel, in their order; last the messages to signers. What was sent
/// again counts with its channel.
pub fn by_channel(c: &Connection, run: i64) -> Result<Vec<ChannelCounts>> {
    let mut query = c.prepare_cached(&format!(
        "SELECT CASE WHEN round_id IS NOT NULL THEN NULL WHEN channel < 1000 THEN channel
           ELSE (SELECT min(own.channel) FROM delivery AS own WHERE own.item_id = delivery.item_id AND own.kind = delivery.kind AND own.name = delivery.name) END AS at,
         kind, iif(round_id IS NULL, name, ''), {SHOWN} AS shown, count(*)
         FROM delivery WHERE run_id = ?1 GROUP BY at, kind, 3, shown ORDER BY at NULLS LAST, kind, 3, shown"
    ))?;
    let rows = query.query_map([run], |r| {
        let states = vec![StateCount { state: r.get(3)?, count: r.get(4)? }];
        Ok((r.get(0)?, ChannelCounts { kind: r.get(1)?, name: r.get(2)?, states }))
    })?;
    let mut all: Vec<(Option<i64>, ChannelCounts)> = Vec::new();
    for row in rows {
        let (at, one) = row?;
        match all.last_mut() {
            Some((last, own)) if *last == at && own.kind == one.kind && own.name == one.name => own.states.extend(one.states),
            _ => all.push((at, one)),
        }
    }
    Ok(all.into_iter().map(|(_, one)| one).collect())
}

/// The deliveries of items, each with its item.
pub fn of_items(c: &Connection, items: &[i64], now: i64) -> Result<Vec<(i64, DeliveryInfo)>> {
    let mut query = c.prepare_cached(&format!(
        "SELECT item_id, id, kind, name, {SHOWN}, recipient, attempts, iif(due > ?2 + 3600, 0, max(0, due - ?2)), receipt, error_code, error_message, changed, opens, opened,
         iif(token <> '' AND json_valid(payload), coalesce(json_extract(payload, '$.passcode'), ''), ''),
         state = 'delivered' AND kind NOT IN ('link', 'sheet') AND json_valid(payload) AND json_type(payload) = 'object' AND json_extract(payload, '$.signer_link') IS NULL
         FROM delivery WHERE item_id IN (SELECT value FROM json_each(?1)) ORDER BY item_id, channel",
    ))?;
    let rows = query.query_map(params![serde_json::to_string(items)?, now], |r| {
        let info = DeliveryInfo {
            id: r.get(1)?,
            kind: r.get(2)?,
            name: r.get(3)?,
            state: r.get(4)?,
            recipient: r.get(5)?,
            attempts: r.get(6)?,
            next_try_in: r.get(7)?,
            receipt: r.get(8)?,
            error_code: r.get(9)?,
            error_message: r.get(10)?,
            changed: r.get(11)?,
            opens: r.get(12)?,
            opened: r.get(13)?,
            passcode: r.get(14)?,
            revocable: false,
            repeatable: r.get(15)?,
        };
        Ok((r.get(0)?, info))
    })?;
    Ok(rows.collect::<Result<_, _>>()?)
}

const WORK: &str = "SELECT delivery.id, delivery.item_id, delivery.run_id, delivery.attempts, delivery.first_tried, delivery.key,
    delivery.documents, delivery.payload, delivery.target, delivery.kind, delivery.begun FROM delivery";

fn work(r: &rusqlite::Row<'_>) -> rusqlite::Result<DeliveryWork> {
    let (documents, payload): (String, String) = (r.get(6)?, r.get(7)?);
    Ok(DeliveryWork {
        id: r.get(0)?,
        item_id: r.get(1)?,
        run_id: r.get(2)?,
        attempts: r.get(3)?,
        first_tried: r.get(4)?,
        key: r.get(5)?,
        documents: super::kept(6, &documents)?,
        payload: super::kept(7, &payload)?,
        target: r.get(8)?,
        kind: r.get(9)?,
        begun: r.get(10)?,
    })
}

/// A delivery.
pub fn get(c: &Connection, id: i64) -> Result<Option<DeliveryWork>> {
    Ok(c.prepare_cached(&format!("{WORK} WHERE id = ?1"))?.query_row([id], work).optional()?)
}

/// The longest that a delivery is put off, in seconds. One that is due later than that was put
/// off before the clock of the machine was set back.
const LONGEST_PAUSE: i64 = 3_600;

/// Which deliveries of a record another waits for, or tells of: `delivery` is that, `other` one of
/// them. By `mangle_core::channel::LAST`.
pub(super) static BEFORE: LazyLock<String> = LazyLock::new(|| {
    let rank = |at: usize, kind: &str| {
        let after: Vec<String> = LAST[at..].iter().map(|kind| format!("'{kind}'")).collect();
        format!("WHEN '{kind}' THEN other.kind NOT IN ({})", after.join(", "))
    };
    let ranks: Vec<String> = LAST.iter().enumerate().map(|(at, kind)| rank(at, kind)).collect();
    format!("other.item_id = delivery.item_id AND CASE delivery.kind {} ELSE 0 END", ranks.join(" "))
});
/// The kinds that tell of the others, as a list in SQL.
static TELLING: LazyLock<String> = LazyLock::new(|| format!("'{}'", LAST.join("', '")));

/// Deliveries of a kind that are due, of runs that are running, but for some that are at work:
/// what a person waits for first. Where a kind keeps the order of a run, the first of each run
/// once all of its documents are made.
pub fn due(c: &Connection, (kind, in_order): (&str, bool), now: i64, but: &[i64], count: usize) -> Result<Vec<DeliveryWork>> {
    let first = "AND NOT EXISTS (SELECT 1 FROM item WHERE item.run_id = delivery.run_id AND item.state IN ('waiting', 'making'))
         AND delivery.id IN (SELECT id FROM (SELECT own.id, row_number() OVER
           (PARTITION BY own.run_id, own.channel ORDER BY json_extract(own.payload, '$.order'), item.position, own.id) AS place
           FROM delivery AS own JOIN item ON item.id = own.item_id
           WHERE own.kind = ?1 AND own.state IN ('to send', 'sending')) WHERE place = 1)";
    let first = if in_order { first } else { "" };
    let before = &*BEFORE;
    let sql = format!(
        "{WORK} JOIN run ON run.id = delivery.run_id WHERE delivery.kind = ?1 AND delivery.state = 'to send' AND (delivery.due <= ?2 OR delivery.due > ?5)
         AND run.state = 'running' AND delivery.id NOT IN (SELECT value FROM json_each(?3))
         AND NOT EXISTS (SELECT 1 FROM delivery AS other WHERE {before} AND other.state IN ('blocked', 'to send', 'sending'))
         {first} ORDER BY run.kind = 'run', delivery.due, delivery.id LIMIT ?4"
    );
    Ok(c.prepare_cached(&sql)?
        .query_map(params![kind, now, serde_json::to_string(but)?, count, now.saturating_add(LONGEST_PAUSE)], work)?
        .collect::<Result<_, _>>()?)
}

/// The deliveries of the same run and channel as one that is due, which are handed over with it,
/// in their order: itself first.
pub fn together(c: &Connection, id: i64) -> Result<Vec<DeliveryWork>> {
    let sql = format!(
        "{WORK} JOIN item ON item.id = delivery.item_id JOIN delivery AS first ON first.run_id = delivery.run_id AND first.channel = delivery.channel
         WHERE first.id = ?1 AND delivery.state = 'to send'
         ORDER BY delivery.id <> ?1, json_extract(delivery.payload, '$.order'), item.position, delivery.id"
    );
    Ok(c.prepare_cached(&sql)?.query_map([id], work)?.collect::<Result<_, _>>()?)
}

/// Whether anything of a run is to be delivered.
pub fn any_to_send(c: &Connection, run: i64) -> Result<bool> {
    let sql = "SELECT EXISTS (SELECT 1 FROM delivery WHERE run_id = ?1 AND state = 'to send')";
    Ok(c.prepare_cached(sql)?.query_row([run], |r| r.get(0))?)
}

/// Whether a delivery is in a state.
pub fn is(c: &Connection, id: i64, state: DeliveryState) -> Result<bool> {
    let sql = "SELECT EXISTS (SELECT 1 FROM delivery WHERE id = ?1 AND state = ?2)";
    Ok(c.prepare_cached(sql)?.query_row(params![id, state.word()], |r| r.get(0))?)
}

/// Deliveries that were being handed over.
pub fn begun(c: &Connection) -> Result<Vec<DeliveryWork>> {
    Ok(c.prepare_cached(&format!("{WORK} WHERE state = 'sending'"))?.query_map([], work)?.collect::<Result<_, _>>()?)
}

/// The step that can't be called back begins; how often it has then begun in all, where it may.
/// Not in a run that was paused or stopped meanwhile.
pub fn begin(c: &Connection, id: i64, target: &str, now: i64, at: &str) -> Result<Option<i64>> {
    let which = "id = :id AND run_id IN (SELECT id FROM run WHERE state = 'running')";
    let set = ", target = :target, attempts = attempts + 1, begun = begun + 1, first_tried = coalesce(first_tried, :now), changed = :at";
    let begun = step(c, DeliveryEvent::Begin, set, which, &[(":id", &id), (":target", &target), (":now", &now), (":at", &at)])?;
    let sql = "SELECT begun FROM delivery WHERE id = ?1";
    Ok(if begun > 0 { Some(c.prepare_cached(sql)?.query_row([id], |r| r.get(0))?) } else { None })
}

/// It had begun, as the journal knows, and the store has forgotten it; whether it can have.
pub fn had_begun(c: &Connection, id: i64, begun: i64, target: &str, at: &str) -> Result<bool> {
    // Whatever released it is forgotten as well.
    step(c, DeliveryEvent::Release, "", "id = :id", &[(":id", &id)])?;
    let set = ", target = :target, attempts = attempts + 1, begun = :begun, changed = :at";
    Ok(step(c, DeliveryEvent::Begin, set, "id = :id", &[(":id", &id), (":begun", &begun), (":target", &target), (":at", &at)])? > 0)
}

/// The deliveries of keys.
pub fn of_keys(c: &Connection, keys: &[&str]) -> Result<Vec<DeliveryWork>> {
    let sql = format!("{WORK} WHERE key IN (SELECT value FROM json_each(?1))");
    Ok(c.prepare_cached(&sql)?.query_map([serde_json::to_string(keys)?], work)?.collect::<Result<_, _>>()?)
}

/// It was taken.
pub fn delivered(c: &Connection, id: i64, receipt: &str, at: &str) -> Result<bool> {
    let set = ", receipt = :receipt, error_code = '', error_message = '', changed = :at";
    Ok(step(c, DeliveryEvent::Deliver, set, "id = :id", &[(":id", &id), (":receipt", &receipt), (":at", &at)])? > 0)
}

/// It failed, was lost sight of, or can't be handed over for now: an event with an error.
pub fn went_wrong(c: &Connection, event: DeliveryEvent, id: i64, error: &DeliveryError, at: &str) -> Result<bool> {
    let set = ", error_code = :code, error_message = :message, changed = :at";
    Ok(step(c, event, set, "id = :id", &[(":id", &id), (":code", &error.code), (":message", &error.message), (":at", &at)])? > 0)
}

/// It is tried again at a moment; `counts` where the try was not counted when it began. In a run
/// that was stopped it is withdrawn instead.
pub fn put_off(c: &Connection, id: i64, due: i64, error: &DeliveryError, counts: bool, now: i64, at: &str) -> Result<bool> {
    let set = ", due = :due, attempts = attempts + :counts, first_tried = coalesce(first_tried, :now), error_code = :code, error_message = :message, changed = :at";
    let put_off = step(
        c,
        DeliveryEvent::PutOff,
        set,
        "id = :id",
        &[
            (":id", &id),
            (":due", &due),
            (":counts", &i64::from(counts)),
            (":now", &now),
            (":code", &error.code),
            (":message", &error.message),
            (":at", &at),
        ],
    )?;
    let stopped = "id = :id AND run_id IN (SELECT id FROM run WHERE state = 'stopped')";
    step(c, DeliveryEvent::Withdraw, ", changed = :at", stopped, &[(":id", &id), (":at", &at)])?;
    Ok(put_off > 0)
}

/// Not begun after all: it waits for its turn again, as if nothing had been. What the end of the
/// program cut short is no failed try: pauses grow by those alone.
pub fn not_begun(c: &Connection, id: i64, at: &str) -> Result<bool> {
    Ok(step(
        c,
        DeliveryEvent::PutOff,
        ", due = 0, attempts = max(attempts - 1, 0), changed = :at",
        "id = :id AND state = 'sending'",
        &[(":id", &id), (":at", &at)],
    )? > 0)
}

/// A person says that an uncertain one arrived; whether it was uncertain.
pub fn confirm(c: &Connection, id: i64, at: &str) -> Result<bool> {
    let set = ", error_code = '', error_message = '', changed = :at";
    let done = step(c, DeliveryEvent::Confirm, set, "id = :id", &[(":id", &id), (":at", &at)])? > 0;
    if done {
        repeat(c, OF_THE_SAME, id, at)?;
    }
    Ok(done)
}

/// A person has an uncertain or a failed one sent again. Not in a run that was stopped.
pub fn again(c: &Connection, event: DeliveryEvent, id: i64, at: &str) -> Result<bool> {
    let set = ", due = 0, attempts = 0, first_tried = NULL, error_code = '', error_message = '', changed = :at";
    let which = "id = :id AND run_id NOT IN (SELECT id FROM run WHERE state = 'stopped')";
    let done = step(c, event, set, which, &[(":id", &id), (":at", &at)])? > 0;
    if done {
        repeat(c, OF_THE_SAME, id, at)?;
    }
    Ok(done)
}

/// The record of a delivery.
pub const OF_THE_SAME: &str = "item_id = (SELECT item_id FROM delivery WHERE id = :of)";
/// A delivery itself, where another of its record is open again.
pub static ITSELF_IF_OPEN: LazyLock<String> = LazyLock::new(|| {
    let before = &*BEFORE;
    format!("id = :of AND EXISTS (SELECT 1 FROM delivery AS other WHERE {before} AND other.state IN ('blocked', 'to send', 'sending'))")
});
/// The records of a run of which something is to be delivered.
pub static OF_RUN_TO_SEND: LazyLock<String> = LazyLock::new(|| {
    let before = &*BEFORE;
    format!("run_id = :of AND EXISTS (SELECT 1 FROM delivery AS other WHERE {before} AND other.state = 'to send')")
});

/// Whether what a delivery sends is on its way, and how often it has arrived or may have: itself, and
/// those that repeated it.
pub fn gone(c: &Connection, id: i64) -> Result<(bool, usize)> {
    let sql = "SELECT coalesce(max(other.state IN ('to send', 'sending', 'blocked')), 0), count(*) FILTER (WHERE other.state IN ('delivered', 'uncertain'))
        FROM delivery AS own JOIN delivery AS other ON other.item_id = own.item_id AND other.kind = own.kind AND other.name = own.name
        WHERE own.id = ?1";
    Ok(c.prepare_cached(sql)?.query_row([id], |r| Ok((r.get(0)?, r.get(1)?)))?)
}

/// A delivery is to be made once more, under a key of its own; the new one's number.
pub fn copy(c: &Connection, id: i64, key: &str, at: &str) -> Result<i64> {
    c.prepare_cached(
        "INSERT INTO delivery (item_id, run_id, channel, kind, name, state, key, recipient, documents, payload, changed, held, opens, token, waits, round_id, place)
         SELECT item_id, run_id, (SELECT max(1000, max(channel) + 1) FROM delivery AS all_of WHERE all_of.item_id = own.item_id),
         kind, name, 'to send', ?2, recipient, documents, payload, ?3, 0, '', '', '', round_id, place FROM delivery AS own WHERE id = ?1",
    )?
    .execute(params![id, key, at])?;
    Ok(c.last_insert_rowid())
}

/// Nothing of an item is delivered any more, and what was can't be traced to anybody; false where
/// something is just being handed over.
pub fn forget(c: &Connection, item: i64, at: &str) -> Result<bool> {
    let busy: bool = c
        .prepare_cached("SELECT EXISTS (SELECT 1 FROM delivery WHERE item_id = ?1 AND state = 'sending')")?
        .query_row([item], |r| r.get(0))?;
    if busy {
        return Ok(false);
    }
    step(c, DeliveryEvent::Withdraw, ", changed = :at", "item_id = :item", &[(":item", &item), (":at", &at)])?;
    let links = "item_id = :item AND token <> ''";
    step(c, DeliveryEvent::Revoke, ", changed = :at", links, &[(":item", &item), (":at", &at)])?;
    c.prepare_cached(
        "UPDATE delivery SET recipient = '', payload = 'null', receipt = '', target = '', token = '', error_message = '', round_id = NULL, place = '' WHERE item_id = ?1",
    )?
    .execute([item])?;
    Ok(true)
}

/// What was written of records is written anew: something else becomes of them.
pub fn repeat(c: &Connection, of: &str, id: i64, at: &str) -> Result<()> {
    let set = ", due = 0, attempts = 0, first_tried = NULL, changed = :at";
    let telling = &*TELLING;
    let which = format!("kind IN ({telling}) AND {of} AND run_id NOT IN (SELECT id FROM run WHERE state = 'stopped')");
    step(c, DeliveryEvent::Repeat, set, &which, &[(":of", &id), (":at", &at)])?;
    Ok(())
}

/// More may be heard of a delivery after it was taken.
pub fn listen_for(c: &Connection, id: i64) -> Result<()> {
    c.prepare_cached("UPDATE delivery SET heard = '' WHERE id = ?1")?.execute([id])?;
    Ok(())
}

/// A delivery of which more may be heard.
#[derive(Debug, Clone)]
pub struct Awaited {
    /// What tells it from every other.
    pub key: String,
    /// What it began with.
    pub target: String,
}

/// The deliveries of a kind of which more may be heard, that were taken since a moment.
pub fn awaited(c: &Connection, kind: &str, since: &str) -> Result<Vec<Awaited>> {
    let sql = "SELECT key, target FROM delivery WHERE kind = ?1 AND heard IS NOT NULL AND state IN ('delivered', 'uncertain') AND changed >= ?2 LIMIT 1000";
    let all = c
        .prepare_cached(sql)?
        .query_map([kind, since], |r| Ok(Awaited { key: r.get(0)?, target: r.get(1)? }))?
        .collect::<Result<_, _>>()?;
    Ok(all)
}

/// The delivery of a key, whole or but for what stands behind its @, as a mailbox's address holds
/// it.
pub fn by_key(c: &Connection, key: &str) -> Result<Option<DeliveryWork>> {
    let inner = key.trim().trim_start_matches('<');
    let start = match inner.contains('@') {
        true => format!("<{}>", inner.trim_end_matches('>')),
        false => format!("<{inner}@"),
    };
    // All keys that begin with it: `?` and what may follow the at sign sort between.
    let sql = format!("{WORK} WHERE key >= ?1 AND key < ?1 || char(1114111) LIMIT 1");
    Ok(c.prepare_cached(&sql)?.query_row([&start], work).optional()?)
}

/// What was heard of a delivery; whether it is anything new. `ends` where nothing more is waited
/// for.
pub fn heard(c: &Connection, id: i64, text: &str, ends: bool) -> Result<bool> {
    let before: Option<String> = c.prepare_cached("SELECT heard FROM delivery WHERE id = ?1")?.query_row([id], |r| r.get(0))?;
    c.prepare_cached("UPDATE delivery SET heard = CASE WHEN ?3 THEN NULL ELSE ?2 END WHERE id = ?1")?.execute(params![id, text, ends])?;
    Ok(before.is_none_or(|before| before != text))
}

/// A person withdraws one that has not begun, or one of a kind that can be taken back.
pub fn withdraw(c: &Connection, id: i64, revocable: bool, at: &str) -> Result<bool> {
    let mut done = step(c, DeliveryEvent::Withdraw, ", changed = :at", "id = :id", &[(":id", &id), (":at", &at)])?;
    if revocable {
        done += step(c, DeliveryEvent::Revoke, ", changed = :at", "id = :id", &[(":id", &id), (":at", &at)])?;
    }
    if done > 0 {
        repeat(c, OF_THE_SAME, id, at)?;
    }
    Ok(done > 0)
}

const RELEASE: &str = ", held = 0, due = 0, changed = :at";

/// A person releases one that is on hold. Before its moment it goes on waiting for that, however
/// often it is released.
pub fn release(c: &Connection, id: i64, at: &str) -> Result<bool> {
    Ok(let_go(c, "id = :which", id, at)? > 0)
}

/// A person releases all of a run that are on hold; how many.
pub fn release_all(c: &Connection, run: i64, at: &str) -> Result<usize> {
    let_go(c, "run_id = :which", run, at)
}

fn let_go(c: &Connection, which: &str, id: i64, at: &str) -> Result<usize> {
    let open = format!("{which} AND held <> 0 AND opens <= :at AND waits = ''");
    let open = step(c, DeliveryEvent::Release, RELEASE, &open, &[(":which", &id), (":at", &at)])?;
    let waits = format!("UPDATE delivery SET held = 0, changed = :at WHERE {which} AND held <> 0 AND state = 'blocked'");
    let params: &[(&str, &dyn ToSql)] = &[(":which", &id), (":at", &at)];
    Ok(open + c.prepare_cached(&waits)?.execute(params)?)
}

/// A person sends one before its moment; not one that is on hold.
pub fn send_now(c: &Connection, id: i64, at: &str) -> Result<bool> {
    Ok(step(c, DeliveryEvent::Release, RELEASE, "id = :id AND held = 0 AND waits = ''", &[(":id", &id), (":at", &at)])? > 0)
}

/// Those of running runs whose moment has come, and which no person holds, are to be sent; the
/// runs that they are of.
pub fn open(c: &Connection, at: &str) -> Result<Vec<i64>> {
    const COME: &str =
        "held = 0 AND waits = '' AND state = 'blocked' AND opens <= :at AND run_id IN (SELECT id FROM run WHERE state = 'running')";
    let runs = format!("SELECT DISTINCT run_id FROM delivery WHERE {COME}");
    let runs: Vec<i64> = c.prepare_cached(&runs)?.query_map(&[(":at", &at)], |r| r.get(0))?.collect::<Result<_, _>>()?;
    if !runs.is_empty() {
        step(c, DeliveryEvent::Release, RELEASE, COME, &[(":at", &at)])?;
    }
    Ok(runs)
}

/// Withdraws all of a run that have not begun.
pub fn withdraw_all(c: &Connection, run: i64, at: &str) -> Result<usize> {
    step(c, DeliveryEvent::Withdraw, ", changed = :at", "run_id = :run", &[(":run", &run), (":at", &at)])
}
