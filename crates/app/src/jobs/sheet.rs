//! The sheet channel's adapter: writes into the record's own row. The same is written however
//! often it is done, so that nothing of it is ever in doubt.

use std::time::Duration;

use anyhow::Result;
use mangle_channels::{Channel, Delivery, Failure, Fate, Outcome, Pace, Rate};
use mangle_core::channel::SheetPayload;
use mangle_core::language::Folded;
use mangle_core::records::{Cell, Column, ColumnType};

use super::state::DeliveryState;
use crate::clock;
use crate::sources::columns::place_cells;
use crate::store::sheets::{self, ColumnInfo};
use crate::store::told::{self, ToldOf};
use crate::store::{Store, Transaction, rows, settings};

/// The sheet channel.
#[derive(Debug)]
pub struct SheetColumns {
    store: Store,
}

impl SheetColumns {
    /// Over the sheets of a store.
    pub fn new(store: Store) -> SheetColumns {
        SheetColumns { store }
    }
}

/// Why nothing can be written, and no other try would help.
struct Refused(Failure);

impl Channel for SheetColumns {
    fn kind(&self) -> &'static str {
        "sheet"
    }

    fn pace(&self) -> Pace {
        Pace {
            at_once: 2,
            rate: Rate::default(),
            first_pause: Duration::from_secs(5),
            longest_pause: Duration::from_secs(600),
            give_up_after: Duration::from_secs(86_400),
        }
    }

    fn deliver(&self, delivery: &Delivery, begin: &mut dyn FnMut(&str) -> bool) -> Outcome {
        let payload: SheetPayload = match serde_json::from_value(delivery.payload.clone()) {
            Ok(payload) => payload,
            Err(error) => return Outcome::Failed(Failure::new("payload", format!("the delivery can't be read: {error}"))),
        };
        if !begin("") {
            return Outcome::NotBegun;
        }
        let key = delivery.key.clone();
        match self.store.change_blocking(move |t| write(t, &key, &payload)) {
            Ok(Ok(receipt)) => Outcome::Delivered(receipt),
            Ok(Err(Refused(failure))) => Outcome::Failed(failure),
            Err(error) => Outcome::Later(Failure::new("store", format!("the sheet can't be written: {error:#}"))),
        }
    }

    fn fate(&self, _delivery: &Delivery, _target: &str) -> Fate {
        Fate::NotDelivered
    }

    fn takes_content(&self) -> bool {
        false
    }
}

/// The word for what became of a record over the other channels: the worst of it.
fn word(states: &[DeliveryState]) -> &'static str {
    let any = |state: DeliveryState| states.contains(&state);
    match () {
        () if any(DeliveryState::Failed) => "Failed",
        () if any(DeliveryState::Uncertain) => "Uncertain",
        () if any(DeliveryState::Withdrawn) => "Withdrawn",
        () if any(DeliveryState::Delivered) => "Delivered",
        () if any(DeliveryState::Skipped) => "Skipped",
        () => "Stored",
    }
}

/// Writes the columns of the rows that a delivery is of; what was written.
fn write(t: &Transaction<'_>, key: &str, payload: &SheetPayload) -> Result<Result<String, Refused>> {
    let gone = |what: &str| Ok(Err(Refused(Failure::new("gone", format!("{what} no longer exists")))));
    let Some(ToldOf { sheet, rows: numbers, others }) = told::told_of(t, key)? else { return gone("the record") };
    let Some(info) = sheets::sheet(t, sheet)? else { return gone("the sheet") };
    let state = word(&others.iter().map(|other| other.state).collect::<Vec<_>>());
    let time = clock::local(clock::now(), &settings::read(t)?.zone()).strftime("%Y-%m-%d %H:%M").to_string();
    let own = [payload.state.as_ref().map(|column| (column, state)), payload.time.as_ref().map(|column| (column, time.as_str()))];
    let texts = own.into_iter().flatten().chain(payload.values.iter().map(|(column, text)| (column, text.as_str())));
    let mut columns = info.columns.clone();
    place_cells(&mut columns);
    let mut cells = Vec::new();
    for (name, text) in texts {
        let at = match columns.iter().position(|column| Folded::new(&column.name) == Folded::new(name)) {
            Some(at) if !is_written(&columns[at]) => {
                let message = format!("the column “{name}” is filled by a formula, a relation or the CRM. Choose another.");
                return Ok(Err(Refused(Failure::new("column", message))));
            }
            Some(at) => at,
            None => {
                if columns.len() >= mangle_documents::table::MOST_COLUMNS {
                    return Ok(Err(Refused(Failure::new(
                        "column",
                        "the sheet has as many columns as it can have. Write into one of them.",
                    ))));
                }
                let cell = Some(sheets::next_cell(t, sheet)?);
                columns.push(ColumnInfo { cell, ..ColumnInfo::of(&Column::new(name, ColumnType::Text)) });
                columns.len() - 1
            }
        };
        let cell = if text.is_empty() { Cell::Blank } else { Cell::Text(text.into()) };
        cells.push((columns[at].cell.unwrap_or(at), cell));
    }
    if columns.len() > info.columns.len() {
        sheets::set_columns(t, sheet, &columns)?;
        // A relation may bring a field of that name.
        if let Err(fault) = sheets::stand_together(t, sheet) {
            return Err(anyhow::anyhow!(fault));
        }
    }
    let written = rows::write_cells(t, sheet, &numbers, &cells)?;
    if written == 0 {
        return gone("the row");
    }
    Ok(Ok(if payload.state.is_some() { format!("{}: {state}", info.name) } else { info.name }))
}

/// Whether the cells of a column are written by people.
fn is_written(column: &ColumnInfo) -> bool {
    column.formula.is_none() && !column.asked && column.inner.is_empty()
}

#[cfg(test)]
mod tests {
    use super::*;
    use DeliveryState::{Delivered, Failed, Skipped, Uncertain, Withdrawn};

    #[test]
    fn the_worst_is_told() {
        assert_eq!(word(&[]), "Stored");
        assert_eq!(word(&[Skipped, Delivered]), "Delivered");
        assert_eq!(word(&[Delivered, Withdrawn]), "Withdrawn");
        assert_eq!(word(&[Delivered, Failed, Withdrawn]), "Failed");
        assert_eq!(word(&[Skipped]), "Skipped");
        assert_eq!(word(&[Withdrawn, Uncertain]), "Uncertain");
    }
}
