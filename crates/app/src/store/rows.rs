//! The rows of a sheet as a person changes them, and the way back.

use anyhow::Result;
use mangle_core::records::Cell;
use rusqlite::{Connection, OptionalExtension, Transaction, params};
use serde::{Deserialize, Serialize};

use super::files::{self, Correction};
use super::sheets::{self, ColumnInfo};

/// How many changes of a sheet can be undone.
const KEPT: usize = 100;

/// A row as it stands, or that it is not there.
#[derive(Debug, Clone, Serialize, Deserialize)]
struct State {
    number: usize,
    position: f64,
    /// As the store keeps them; none where the row is not there.
    cells: Option<String>,
}

/// Changes to rows, made at once.
#[derive(Debug, Default)]
pub struct Edits {
    /// Cells: the row, where the cell stands in it, what it holds now.
    pub cells: Vec<(usize, usize, Cell)>,
    /// New rows, each with the row that it follows; the last where there is none.
    pub added: Vec<(Option<usize>, Vec<Cell>)>,
    /// Rows to delete.
    pub removed: Vec<usize>,
    /// Rows to move behind another, or to the top.
    pub moved: Option<(Vec<usize>, Option<usize>)>,
}

/// Makes changes and keeps the way back under what they are called. `columns` are
/// the columns before, where these are changed with the rows. Gives the numbers of
/// the new rows.
pub fn edit(t: &Transaction<'_>, sheet: i64, edits: &Edits, columns: Option<&[ColumnInfo]>, what: &str, at: &str) -> Result<Vec<usize>> {
    let mut touched: Vec<usize> = edits.cells.iter().map(|(row, ..)| *row).chain(edits.removed.iter().copied()).collect();
    touched.extend(edits.moved.iter().flat_map(|(rows, _)| rows.iter().copied()));
    touched.sort_unstable();
    touched.dedup();
    let mut before = states_of(t, sheet, &touched)?;
    let mut now = before.clone();
    let mut sorted: Vec<&(usize, usize, Cell)> = edits.cells.iter().collect();
    sorted.sort_by_key(|(row, ..)| *row);
    for state in &mut now {
        let from = sorted.partition_point(|(row, ..)| *row < state.number);
        let own = sorted[from..].iter().take_while(|(row, ..)| *row == state.number);
        let Some(text) = state.cells.as_deref() else { continue };
        let mut cells: Vec<Cell> = serde_json::from_str(text)?;
        let mut differs = false;
        for (_, place, cell) in own {
            if cells.len() <= *place {
                cells.resize(place + 1, Cell::Blank);
            }
            cells[*place] = cell.clone();
            differs = true;
        }
        if edits.removed.contains(&state.number) {
            state.cells = None;
        } else if differs {
            state.cells = Some(serde_json::to_string(&cells)?);
        }
    }
    if let Some((rows, after)) = &edits.moved {
        let places = places_after(t, sheet, *after, rows.len(), rows, (&mut before, &mut now))?;
        for (row, place) in rows.iter().zip(places) {
            if let Some(state) = now.iter_mut().find(|s| s.number == *row) {
                state.position = place;
            }
        }
    }
    let mut numbers = Vec::with_capacity(edits.added.len());
    let mut at_row = 0;
    while at_row < edits.added.len() {
        // Neighbours that follow one row get their places together.
        let after = edits.added[at_row].0;
        let count = edits.added[at_row..].iter().take_while(|(a, _)| *a == after).count();
        let places = places_after(t, sheet, after.or(last(t, sheet)?), count, &[], (&mut before, &mut now))?;
        for (place, (_, cells)) in places.into_iter().zip(&edits.added[at_row..]) {
            let number =
                t.query_row("UPDATE sheet SET next_number = next_number + 1 WHERE id = ?1 RETURNING next_number - 1", [sheet], |r| {
                    r.get(0)
                })?;
            before.push(State { number, position: place, cells: None });
            now.push(State { number, position: place, cells: Some(serde_json::to_string(cells)?) });
            numbers.push(number);
        }
        at_row += count;
    }
    put(t, sheet, &now, at)?;
    keep(t, sheet, what, at, &before, columns)?;
    Ok(numbers)
}

/// Writes the same cells into rows, as the program does by itself: no person's change to be taken
/// back. How many of the rows are there.
pub fn write_cells(t: &Transaction<'_>, sheet: i64, rows: &[usize], cells: &[(usize, Cell)]) -> Result<usize> {
    let states = states_of(t, sheet, rows)?;
    let mut written = 0;
    let mut set = t.prepare_cached("UPDATE sheet_row SET cells = ?3 WHERE sheet_id = ?1 AND number = ?2")?;
    for state in &states {
        let Some(text) = state.cells.as_deref() else { continue };
        let mut own: Vec<Cell> = serde_json::from_str(text)?;
        for (place, cell) in cells {
            if own.len() <= *place {
                own.resize(place + 1, Cell::Blank);
            }
            own[*place] = cell.clone();
        }
        written += set.execute(params![sheet, state.number, serde_json::to_string(&own)?])?;
    }
    // Open sheets are read anew.
    t.execute("UPDATE sheet_state SET revision = revision + 1", [])?;
    Ok(written)
}

/// The rows of a sheet as the store keeps them, in their order.
pub fn raw(c: &Connection, sheet: i64) -> Result<Vec<(usize, Vec<Cell>)>> {
    let mut query = c.prepare_cached("SELECT number, cells FROM sheet_row WHERE sheet_id = ?1 ORDER BY position, number")?;
    let rows = query.query_map([sheet], |r| Ok((r.get(0)?, r.get::<_, String>(1)?)))?;
    rows.map(|row| row.map_err(anyhow::Error::new).and_then(|(number, cells)| Ok((number, serde_json::from_str(&cells)?)))).collect()
}

/// Keeps the way back from a change of columns alone.
pub fn keep_columns(t: &Transaction<'_>, sheet: i64, before: &[ColumnInfo], what: &str, at: &str) -> Result<()> {
    keep(t, sheet, what, at, &[], Some(before))
}

fn keep(t: &Transaction<'_>, sheet: i64, what: &str, at: &str, rows: &[State], columns: Option<&[ColumnInfo]>) -> Result<()> {
    t.execute("DELETE FROM sheet_change WHERE sheet_id = ?1 AND undone", [sheet])?;
    let columns = columns.map(serde_json::to_string).transpose()?;
    t.execute(
        "INSERT INTO sheet_change (sheet_id, at, what, rows, columns) VALUES (?1, ?2, ?3, ?4, ?5)",
        params![sheet, at, what, serde_json::to_string(rows)?, columns],
    )?;
    t.execute(
        "DELETE FROM sheet_change WHERE sheet_id = ?1 AND id NOT IN (SELECT id FROM sheet_change WHERE sheet_id = ?1 ORDER BY id DESC LIMIT ?2)",
        params![sheet, KEPT],
    )?;
    Ok(())
}

/// A change that was taken back or made anew.
#[derive(Debug)]
pub struct Step {
    /// What it is called.
    pub what: String,
    /// The rows that it touches.
    pub rows: Vec<usize>,
    /// Whether it changes the columns.
    pub columns: bool,
}

/// Takes the last change back, or makes the last that was taken back anew.
pub fn undo(t: &Transaction<'_>, sheet: i64, again: bool, at: &str) -> Result<Option<Step>> {
    let sql = match again {
        false => "SELECT id, what, rows, columns FROM sheet_change WHERE sheet_id = ?1 AND NOT undone ORDER BY id DESC LIMIT 1",
        true => "SELECT id, what, rows, columns FROM sheet_change WHERE sheet_id = ?1 AND undone ORDER BY id LIMIT 1",
    };
    let found = t
        .query_row(sql, [sheet], |r| {
            Ok((r.get::<_, i64>(0)?, r.get::<_, String>(1)?, r.get::<_, String>(2)?, r.get::<_, Option<String>>(3)?))
        })
        .optional()?;
    let Some((id, what, rows, columns)) = found else { return Ok(None) };
    let rows: Vec<State> = serde_json::from_str(&rows)?;
    // What stands now becomes the way back to it.
    let numbers: Vec<usize> = rows.iter().map(|s| s.number).collect();
    let mut now = states_of(t, sheet, &numbers)?;
    for state in &rows {
        if !now.iter().any(|s| s.number == state.number) {
            now.push(State { cells: None, ..state.clone() });
        }
    }
    put(t, sheet, &rows, at)?;
    let mut columns_now = None;
    if let Some(before) = columns {
        let before: Vec<ColumnInfo> = serde_json::from_str(&before)?;
        columns_now = sheets::sheet(t, sheet)?.map(|s| serde_json::to_string(&s.columns)).transpose()?;
        sheets::set_columns(t, sheet, &before)?;
    }
    t.execute(
        "UPDATE sheet_change SET rows = ?2, columns = ?3, undone = ?4 WHERE id = ?1",
        params![id, serde_json::to_string(&now)?, columns_now, !again],
    )?;
    Ok(Some(Step { what, rows: numbers, columns: columns_now.is_some() }))
}

/// What can be undone and what redone, as it is called.
pub fn steps(c: &Connection, sheet: i64) -> Result<(Option<String>, Option<String>)> {
    let one = |sql: &str| c.prepare_cached(sql)?.query_row([sheet], |r| r.get(0)).optional();
    Ok((
        one("SELECT what FROM sheet_change WHERE sheet_id = ?1 AND NOT undone ORDER BY id DESC LIMIT 1")?,
        one("SELECT what FROM sheet_change WHERE sheet_id = ?1 AND undone ORDER BY id LIMIT 1")?,
    ))
}

fn states_of(c: &Connection, sheet: i64, numbers: &[usize]) -> Result<Vec<State>> {
    let mut query = c.prepare_cached("SELECT position, cells FROM sheet_row WHERE sheet_id = ?1 AND number = ?2")?;
    let mut found = Vec::with_capacity(numbers.len());
    for number in numbers {
        let state = query
            .query_row(params![sheet, number], |r| Ok(State { number: *number, position: r.get(0)?, cells: Some(r.get(1)?) }))
            .optional()?;
        found.extend(state);
    }
    Ok(found)
}

fn put(t: &Transaction<'_>, sheet: i64, states: &[State], at: &str) -> Result<()> {
    if files::notes_corrections(t, sheet)? {
        note_corrections(t, sheet, states, at)?;
    }
    let mut set = t.prepare_cached(
        "INSERT INTO sheet_row (sheet_id, number, position, cells) VALUES (?1, ?2, ?3, ?4)
         ON CONFLICT (sheet_id, number) DO UPDATE SET position = ?3, cells = ?4",
    )?;
    let mut drop = t.prepare_cached("DELETE FROM sheet_row WHERE sheet_id = ?1 AND number = ?2")?;
    for state in states {
        match &state.cells {
            Some(cells) => set.execute(params![sheet, state.number, state.position, cells])?,
            None => drop.execute(params![sheet, state.number])?,
        };
    }
    t.execute("UPDATE sheet SET row_count = (SELECT count(*) FROM sheet_row WHERE sheet_id = ?1) WHERE id = ?1", [sheet])?;
    Ok(())
}

/// Notes what changes in rows that stay.
fn note_corrections(t: &Transaction<'_>, sheet: i64, states: &[State], at: &str) -> Result<()> {
    let columns = sheets::sheet(t, sheet)?.map(|s| s.columns).unwrap_or_default();
    let numbers: Vec<usize> = states.iter().map(|s| s.number).collect();
    let now = states_of(t, sheet, &numbers)?;
    for state in states {
        let before = now.iter().find(|s| s.number == state.number).and_then(|s| s.cells.as_deref());
        let (Some(before), Some(after)) = (before, state.cells.as_deref()) else { continue };
        if before == after {
            continue;
        }
        let [before, after]: [Vec<Cell>; 2] = [serde_json::from_str(before)?, serde_json::from_str(after)?];
        for (index, column) in columns.iter().enumerate().filter(|(_, c)| c.formula.is_none()) {
            let place = column.cell.unwrap_or(index);
            let text = |cells: &[Cell]| cells.get(place).map(Cell::as_text).unwrap_or_default();
            let (before, after) = (text(&before), text(&after));
            if before != after {
                files::correct(t, sheet, state.number, &Correction { column: column.name.clone(), before, after, at: at.to_owned() })?;
            }
        }
    }
    Ok(())
}

fn last(c: &Connection, sheet: i64) -> Result<Option<usize>> {
    let mut query = c.prepare_cached("SELECT number FROM sheet_row WHERE sheet_id = ?1 ORDER BY position DESC LIMIT 1")?;
    Ok(query.query_row([sheet], |r| r.get(0)).optional()?)
}

/// The least distance between two places: halved again and again it would run out.
const LEAST: f64 = 1e-6;

/// Places for rows behind another, or before all, in their order; `without` are the
/// rows that will leave their own. Where there is no room between two rows, those that
/// follow make some; that is a part of the change, and undone with it.
fn places_after(
    c: &Connection,
    sheet: i64,
    after: Option<usize>,
    count: usize,
    without: &[usize],
    (before, now): (&mut Vec<State>, &mut Vec<State>),
) -> Result<Vec<f64>> {
    let at: f64 = match after {
        Some(row) => c
            .query_row("SELECT position FROM sheet_row WHERE sheet_id = ?1 AND number = ?2", params![sheet, row], |r| r.get(0))
            .optional()?
            .unwrap_or(0.0),
        None => c.query_row("SELECT coalesce(min(position), 1) - 1 FROM sheet_row WHERE sheet_id = ?1", [sheet], |r| r.get(0))?,
    };
    let mut query = c.prepare_cached("SELECT number, position FROM sheet_row WHERE sheet_id = ?1 AND position > ?2 ORDER BY position")?;
    let following = query.query_map(params![sheet, at], |r| Ok((r.get::<_, usize>(0)?, r.get::<_, f64>(1)?)))?;
    let mut following = following.filter(|row| !row.as_ref().is_ok_and(|(number, _)| without.contains(number)));
    let next = following.next().transpose()?;
    let step = next.map_or(1.0, |(_, next)| (next - at) / (count + 1) as f64);
    if step >= LEAST {
        return Ok((1..=count).map(|n| at + step * n as f64).collect());
    }
    let numbers = next.into_iter().map(Ok).chain(following).map(|row| row.map(|(number, _)| number)).collect::<Result<Vec<_>, _>>()?;
    let room = (count + 1) as f64;
    for state in states_of(c, sheet, &numbers)? {
        match now.iter_mut().find(|s| s.number == state.number) {
            Some(own) => own.position += room,
            None => {
                now.push(State { position: state.position + room, ..state.clone() });
                before.push(state);
            }
        }
    }
    Ok((1..=count).map(|n| at + n as f64).collect())
}
