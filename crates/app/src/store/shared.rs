//! Deliveries as whoever has the address of their public page finds them.

use anyhow::Result;
use rusqlite::{Connection, OptionalExtension};

use crate::jobs::state::DeliveryState;

/// A delivery with a public page.
#[derive(Debug, Clone)]
pub struct Shared {
    /// Its number.
    pub id: i64,
    /// The item that it is of.
    pub item_id: i64,
    /// The run that it is of.
    pub run_id: i64,
    /// Its state.
    pub state: DeliveryState,
    /// What its channel permits.
    pub payload: serde_json::Value,
    /// The formats that go along.
    pub documents: Vec<String>,
    /// How often it was opened.
    pub opened: i64,
    /// When it was delivered.
    pub since: Option<String>,
}

/// When it was delivered is found along an index of its own: each opening is an event, too.
const BY_TOKEN: &str = "SELECT id, item_id, run_id, state, payload, documents, opened,
    (SELECT max(at) FROM event WHERE delivery_id = delivery.id AND what IN ('delivered', 'confirmed'))
    FROM delivery WHERE token = ?1 AND token <> ''";

/// The delivery whose public page is found by a token.
pub fn by_token(c: &Connection, token: &str) -> Result<Option<Shared>> {
    let mut query = c.prepare_cached(BY_TOKEN)?;
    let found = query.query_row([token], |r| {
        let (state, payload, documents): (String, String, String) = (r.get(3)?, r.get(4)?, r.get(5)?);
        Ok(Shared {
            id: r.get(0)?,
            item_id: r.get(1)?,
            run_id: r.get(2)?,
            state: DeliveryState::of(&state).ok_or_else(|| super::unknown(3, &state))?,
            payload: super::kept(4, &payload)?,
            documents: super::kept(5, &documents)?,
            opened: r.get(6)?,
            since: r.get(7)?,
        })
    });
    Ok(found.optional()?)
}

/// Counts an opening of its public page.
pub fn opened(c: &Connection, id: i64) -> Result<()> {
    c.prepare_cached("UPDATE delivery SET opened = opened + 1 WHERE id = ?1")?.execute([id])?;
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::BY_TOKEN;
    use crate::store::Store;

    #[test]
    fn however_often_a_link_was_opened_its_openings_are_not_gone_through() {
        let folder = tempfile::tempdir().expect("a folder");
        let store = Store::open(&folder.path().join("mangle.sqlite")).expect("opens");
        let c = store.connection().expect("a connection");
        let mut plan = c.prepare(&format!("EXPLAIN QUERY PLAN {BY_TOKEN}")).expect("planned");
        let steps: Vec<String> = plan.query_map(["t"], |r| r.get(3)).expect("asked").collect::<Result<_, _>>().expect("read");
        assert!(steps.iter().any(|step| step.contains("event_delivered")), "{steps:?}");
        assert!(!steps.iter().any(|step| step.starts_with("SCAN")), "{steps:?}");
    }
}
