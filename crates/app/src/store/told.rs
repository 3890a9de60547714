//! What a delivery that comes last, into the sheet or the CRM, has to tell of.

use anyhow::Result;
use rusqlite::{Connection, OptionalExtension};

use super::deliveries::BEFORE;
use crate::jobs::state::DeliveryState;

/// What a delivery that comes last has to tell of.
#[derive(Debug, Clone)]
pub struct ToldOf {
    /// The sheet of its record.
    pub sheet: i64,
    /// The record's row, or those of a joint document.
    pub rows: Vec<usize>,
    /// The record's other deliveries that came before it.
    pub others: Vec<Told>,
}

/// A delivery that another tells of.
#[derive(Debug, Clone)]
pub struct Told {
    /// What its channel is called.
    pub name: String,
    /// Its state.
    pub state: DeliveryState,
    /// To whom or where it went.
    pub recipient: String,
    /// What went wrong.
    pub error: String,
    /// When it last changed.
    pub changed: String,
}

/// What the delivery of a key has to tell of.
pub fn told_of(c: &Connection, key: &str) -> Result<Option<ToldOf>> {
    let sql = "SELECT delivery.id, item.id, item.sheet_id, item.row FROM delivery JOIN item ON item.id = delivery.item_id WHERE delivery.key = ?1";
    let found = c.prepare_cached(sql)?.query_row([key], |r| Ok((r.get(0)?, r.get(1)?, r.get(2)?, r.get(3)?)));
    let found: Option<(i64, i64, i64, usize)> = found.optional()?;
    let Some((id, item, sheet, row)) = found else { return Ok(None) };
    let rows = match row {
        0 => {
            c.prepare_cached("SELECT row FROM joint_row WHERE item_id = ?1")?.query_map([item], |r| r.get(0))?.collect::<Result<_, _>>()?
        }
        row => vec![row],
    };
    let before = &*BEFORE;
    let sql = format!(
        "SELECT other.name, other.state, other.recipient, other.error_message, other.changed
         FROM delivery JOIN delivery AS other ON {before} WHERE delivery.id = ?1 ORDER BY other.channel"
    );
    let mut query = c.prepare_cached(&sql)?;
    let others = query.query_map([id], |r| {
        let state: String = r.get(1)?;
        let state = DeliveryState::of(&state).ok_or_else(|| super::unknown(1, &state))?;
        Ok(Told { name: r.get(0)?, state, recipient: r.get(2)?, error: r.get(3)?, changed: r.get(4)? })
    })?;
    let others = others.collect::<Result<_, _>>()?;
    Ok(Some(ToldOf { sheet, rows, others }))
}
