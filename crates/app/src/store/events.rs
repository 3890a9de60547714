//! What happened to runs, items and deliveries: append-only, read by timelines.

use anyhow::Result;
use rusqlite::{Connection, params};
use serde::{Deserialize, Serialize};

use crate::Actor;

/// What an event is about.
#[derive(Debug, Clone, Copy)]
pub struct About {
    /// The run.
    pub run: i64,
    /// The item, where it is about one.
    pub item: Option<i64>,
    /// The delivery, where it is about one.
    pub delivery: Option<i64>,
}

impl About {
    /// A whole run.
    pub fn run(run: i64) -> About {
        About { run, item: None, delivery: None }
    }

    /// An item.
    pub fn item(run: i64, item: i64) -> About {
        About { run, item: Some(item), delivery: None }
    }
}

/// An event of a timeline.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct EventInfo {
    /// Its number; a higher one happened later.
    pub id: i64,
    /// When.
    pub at: String,
    /// Who or what did it: user, mangle, recipient.
    pub who: String,
    /// The item that it is about.
    pub item: Option<i64>,
    /// The delivery that it is about.
    pub delivery: Option<i64>,
    /// What the delivery's channel is called.
    pub channel: Option<String>,
    /// What happened, in a word: started, made, delivered, failed …
    pub what: String,
    /// More about it.
    pub detail: String,
}

/// Adds an event.
pub fn add(c: &Connection, who: Actor, about: About, what: &str, detail: &str, at: &str) -> Result<()> {
    c.prepare_cached("INSERT INTO event (at, who, run_id, item_id, delivery_id, what, detail) VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7)")?
        .execute(params![at, who.word(), about.run, about.item, about.delivery, what, detail])?;
    Ok(())
}

const INFO: &str = "SELECT event.id, event.at, event.who, event.item_id, event.delivery_id, delivery.name, event.what, event.detail
    FROM event LEFT JOIN delivery ON delivery.id = event.delivery_id";

fn info(r: &rusqlite::Row<'_>) -> rusqlite::Result<EventInfo> {
    Ok(EventInfo {
        id: r.get(0)?,
        at: r.get(1)?,
        who: r.get(2)?,
        item: r.get(3)?,
        delivery: r.get(4)?,
        channel: r.get(5)?,
        what: r.get(6)?,
        detail: r.get(7)?,
    })
}

/// What the other side answered to a delivery, or why it did not.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct AnswerInfo {
    /// The event's number.
    pub id: i64,
    /// When.
    pub at: String,
    /// The run.
    pub run: i64,
    /// What the record is called.
    pub label: String,
    /// Where it was delivered.
    pub recipient: String,
    /// delivered, put off, failed or uncertain.
    pub what: String,
    /// The answer.
    pub detail: String,
}

/// The last answers to the deliveries of a kind of channel, the newest first.
pub fn answers(c: &Connection, kind: &str, count: usize) -> Result<Vec<AnswerInfo>> {
    // Those of the last deliveries that changed: the history itself is not searched by kind.
    let sql = "SELECT event.id, event.at, event.run_id, item.label, own.recipient, event.what, event.detail
        FROM (SELECT id, item_id, recipient FROM delivery WHERE kind = ?1 ORDER BY changed DESC, id DESC LIMIT ?2) AS own
        JOIN item ON item.id = own.item_id
        JOIN event ON event.item_id = own.item_id AND event.delivery_id = own.id
        WHERE event.what IN ('delivered', 'put off', 'failed', 'uncertain') ORDER BY event.id DESC LIMIT ?2";
    let mut query = c.prepare_cached(sql)?;
    let rows = query.query_map(params![kind, count], |r| {
        Ok(AnswerInfo {
            id: r.get(0)?,
            at: r.get(1)?,
            run: r.get(2)?,
            label: r.get(3)?,
            recipient: r.get(4)?,
            what: r.get(5)?,
            detail: r.get(6)?,
        })
    })?;
    Ok(rows.collect::<Result<_, _>>()?)
}

/// What happened to an item stays, without its details.
pub fn forget(c: &Connection, item: i64) -> Result<()> {
    c.prepare_cached("UPDATE event SET detail = '' WHERE item_id = ?1")?.execute([item])?;
    Ok(())
}

/// The timeline of an item, the oldest first: at most 500 events. What readers of a shared document did is left out first.
pub fn of_item(c: &Connection, item: i64) -> Result<Vec<EventInfo>> {
    let last = "ORDER BY event.what IN ('opened', 'wrong passcode'), event.id DESC LIMIT 500";
    let sql = format!("SELECT * FROM ({INFO} WHERE event.item_id = ?1 {last}) ORDER BY 1");
    Ok(c.prepare_cached(&sql)?.query_map([item], info)?.collect::<Result<_, _>>()?)
}

/// What happened to a run as a whole, the oldest first: at most the last 500 events.
pub fn of_run(c: &Connection, run: i64) -> Result<Vec<EventInfo>> {
    let sql =
        format!("SELECT * FROM ({INFO} WHERE event.run_id = ?1 AND event.item_id IS NULL ORDER BY event.id DESC LIMIT 500) ORDER BY 1");
    Ok(c.prepare_cached(&sql)?.query_map([run], info)?.collect::<Result<_, _>>()?)
}
