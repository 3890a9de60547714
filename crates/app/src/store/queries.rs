//! CRMs that are connected, the queries over them, and their records, which are rows
//! of their sheet.

use std::collections::HashMap;

use anyhow::Result;
use mangle_core::crm::{CrmQuery, Shape};
use mangle_core::language::Folded;
use mangle_core::records::{Cell, Column};
use rusqlite::{Connection, OptionalExtension, Row, Transaction, params};

use super::sheets::{self, ColumnInfo};

/// A CRM that is connected.
#[derive(Debug, Clone)]
pub struct Connected {
    /// Its number.
    pub id: i64,
    /// What it is called.
    pub name: String,
    /// The root of its service.
    pub address: String,
    /// Its token, encrypted.
    pub token: String,
    /// What it held when it was last looked at.
    pub shape: Shape,
    /// When that was.
    pub seen: String,
}

const CONNECTED: &str = "SELECT id, name, address, token, shape, seen FROM connection";

fn connected(r: &Row<'_>) -> rusqlite::Result<(Connected, String)> {
    let own = Connected { id: r.get(0)?, name: r.get(1)?, address: r.get(2)?, token: r.get(3)?, shape: Shape::default(), seen: r.get(5)? };
    Ok((own, r.get(4)?))
}

fn with_shape((own, shape): (Connected, String)) -> Result<Connected> {
    Ok(Connected { shape: serde_json::from_str(&shape)?, ..own })
}

/// The CRMs that are connected, by name.
pub fn connections(c: &Connection) -> Result<Vec<Connected>> {
    let mut query = c.prepare_cached(&format!("{CONNECTED} ORDER BY name"))?;
    query.query_map([], connected)?.map(|r| with_shape(r?)).collect()
}

/// A CRM that is connected.
pub fn connection(c: &Connection, id: i64) -> Result<Option<Connected>> {
    c.prepare_cached(&format!("{CONNECTED} WHERE id = ?1"))?.query_row([id], connected).optional()?.map(with_shape).transpose()
}

/// Keeps a CRM: a new one where its number is 0. Gives its number.
pub fn connect(c: &Connection, own: &Connected) -> Result<i64> {
    let shape = serde_json::to_string(&own.shape)?;
    if own.id == 0 {
        c.execute(
            "INSERT INTO connection (name, address, token, shape, seen) VALUES (?1, ?2, ?3, ?4, ?5)",
            params![own.name, own.address, own.token, shape, own.seen],
        )?;
        return Ok(c.last_insert_rowid());
    }
    c.execute(
        "UPDATE connection SET name = ?2, address = ?3, token = ?4, shape = ?5, seen = ?6 WHERE id = ?1",
        params![own.id, own.name, own.address, own.token, shape, own.seen],
    )?;
    Ok(own.id)
}

/// Takes a connection away that no query uses.
pub fn disconnect(c: &Connection, id: i64) -> Result<bool> {
    Ok(c.execute("DELETE FROM connection WHERE id = ?1", [id])? > 0)
}

/// A saved question.
#[derive(Debug, Clone)]
pub struct KeptQuery {
    /// The source's number.
    pub id: i64,
    /// The source's name.
    pub name: String,
    /// The sheet of its records.
    pub sheet: i64,
    /// The CRM that it asks.
    pub connection: i64,
    /// What it asks.
    pub asks: CrmQuery,
    /// When its records were last fetched.
    pub fetched: Option<String>,
    /// How many they are.
    pub records: usize,
}

const QUERY: &str = "SELECT q.source_id, s.name, q.sheet_id, q.connection_id, q.asks, q.fetched, h.row_count
  FROM query q JOIN source s ON s.id = q.source_id JOIN sheet h ON h.id = q.sheet_id";

fn query(r: &Row<'_>) -> rusqlite::Result<(KeptQuery, String)> {
    let own = KeptQuery {
        id: r.get(0)?,
        name: r.get(1)?,
        sheet: r.get(2)?,
        connection: r.get(3)?,
        asks: CrmQuery::default(),
        fetched: r.get(5)?,
        records: r.get(6)?,
    };
    Ok((own, r.get(4)?))
}

fn with_asks((own, asks): (KeptQuery, String)) -> Result<KeptQuery> {
    Ok(KeptQuery { asks: serde_json::from_str(&asks)?, ..own })
}

/// A question by its source.
pub fn get(c: &Connection, source: i64) -> Result<Option<KeptQuery>> {
    c.prepare_cached(&format!("{QUERY} WHERE q.source_id = ?1"))?.query_row([source], query).optional()?.map(with_asks).transpose()
}

/// The question whose records a sheet holds, with the CRM that it asks.
pub fn of_sheet(c: &Connection, sheet: i64) -> Result<Option<(KeptQuery, Connected)>> {
    let Some((own, connected, shape)) = unread_of_sheet(c, sheet)? else { return Ok(None) };
    Ok(Some((own, with_shape((connected, shape))?)))
}

/// The same with the shape as the text that it is stored as, for whoever has read it before.
pub fn unread_of_sheet(c: &Connection, sheet: i64) -> Result<Option<(KeptQuery, Connected, String)>> {
    let found = c.prepare_cached(&format!("{QUERY} WHERE q.sheet_id = ?1"))?.query_row([sheet], query).optional()?;
    let Some(own) = found.map(with_asks).transpose()? else { return Ok(None) };
    let found = c.prepare_cached(&format!("{CONNECTED} WHERE id = ?1"))?.query_row([own.connection], connected).optional()?;
    Ok(found.map(|(connected, shape)| (own, connected, shape)))
}

/// The keys in the CRM of rows of a query's sheet, each with its row.
pub fn keys(c: &Connection, sheet: i64, rows: &[usize]) -> Result<Vec<(usize, String)>> {
    let sql = "SELECT number, cells FROM sheet_row WHERE sheet_id = ?1 AND number IN (SELECT value FROM json_each(?2)) ORDER BY number";
    let mut query = c.prepare_cached(sql)?;
    let found = query.query_map(params![sheet, serde_json::to_string(rows)?], |r| Ok((r.get(0)?, r.get::<_, String>(1)?)))?;
    let mut keys = Vec::with_capacity(rows.len());
    for row in found {
        let (number, cells) = row?;
        let cells: Vec<Cell> = serde_json::from_str(&cells)?;
        keys.push((number, cells.first().map(Cell::as_text).unwrap_or_default()));
    }
    Ok(keys)
}

/// The row of a query's sheet that has a key in the CRM.
pub fn row_of_key(c: &Connection, sheet: i64, key: &str) -> Result<Option<usize>> {
    let sql = "SELECT number FROM sheet_row WHERE sheet_id = ?1 AND json_valid(cells) AND json_extract(cells, '$[0]') = ?2 ORDER BY number LIMIT 1";
    Ok(c.prepare_cached(sql)?.query_row(params![sheet, key], |r| r.get(0)).optional()?)
}

/// The questions to a CRM.
pub fn of_connection(c: &Connection, connection: i64) -> Result<Vec<KeptQuery>> {
    let mut found = c.prepare_cached(&format!("{QUERY} WHERE q.connection_id = ?1 ORDER BY s.name"))?;
    found.query_map([connection], query)?.map(|r| with_asks(r?)).collect()
}

/// Makes a question with an empty sheet for its records, whose key stands in their
/// first cell.
pub fn make(t: &Transaction<'_>, name: &str, connection: i64, asks: &CrmQuery, columns: &[Column], at: &str) -> Result<i64> {
    t.execute("INSERT INTO source (name, file_name, brought_in, kind) VALUES (?1, '', ?2, 'query')", params![name, at])?;
    let source = t.last_insert_rowid();
    t.execute(
        "INSERT INTO sheet (source_id, position, name, columns, decimal_mark, date_order, row_count, unsure, next_number, next_cell)
         VALUES (?1, 0, ?2, '[]', '.', 'day', 0, '[]', 1, 1)",
        params![source, asks.root],
    )?;
    let sheet = t.last_insert_rowid();
    let text = serde_json::to_string(asks)?;
    t.execute(
        "INSERT INTO query (source_id, sheet_id, connection_id, asks) VALUES (?1, ?2, ?3, ?4)",
        params![source, sheet, connection, text],
    )?;
    set_columns(t, sheet, columns)?;
    Ok(source)
}

/// Changes what a question asks.
pub fn write(c: &Connection, id: i64, asks: &CrmQuery) -> Result<()> {
    c.execute("UPDATE query SET asks = ?2 WHERE source_id = ?1", params![id, serde_json::to_string(asks)?])?;
    Ok(())
}

/// Gives a sheet the columns of its question; those that a person added stay behind
/// them. Gives where the cells of each stand in a row.
fn set_columns(t: &Transaction<'_>, sheet: i64, columns: &[Column]) -> Result<Vec<usize>> {
    let before = sheets::sheet(t, sheet)?.map(|s| s.columns).unwrap_or_default();
    let (mut now, mut places) = (Vec::with_capacity(columns.len()), Vec::with_capacity(columns.len()));
    for column in columns {
        let known = before.iter().find(|c| c.asked && Folded::new(&c.name) == Folded::new(&column.name)).and_then(|c| c.cell);
        let cell = match known {
            Some(cell) => cell,
            None => sheets::next_cell(t, sheet)?,
        };
        places.push(cell);
        now.push(ColumnInfo { cell: Some(cell), asked: true, ..ColumnInfo::of(column) });
    }
    now.extend(before.into_iter().filter(|c| !c.asked));
    sheets::set_columns(t, sheet, &now)?;
    Ok(places)
}

/// Puts the records that were fetched in place of those before. A record keeps its
/// row's number by its key, and the cells that a person added to it.
pub fn fill(t: &Transaction<'_>, id: i64, columns: &[Column], records: &[(String, Vec<Cell>)], at: &str) -> Result<()> {
    let Some(own) = get(t, id)? else { return Ok(()) };
    let places = set_columns(t, own.sheet, columns)?;
    let mut known: HashMap<String, (usize, Vec<Cell>)> = HashMap::new();
    let mut rows = t.prepare("SELECT number, cells FROM sheet_row WHERE sheet_id = ?1")?;
    for row in rows.query_map([own.sheet], |r| Ok((r.get::<_, usize>(0)?, r.get::<_, String>(1)?)))? {
        let (number, cells) = row?;
        let cells: Vec<Cell> = serde_json::from_str(&cells)?;
        known.insert(cells.first().map(Cell::as_text).unwrap_or_default(), (number, cells));
    }
    let mut put = t.prepare(
        "INSERT INTO sheet_row (sheet_id, number, position, cells) VALUES (?1, ?2, ?3, ?4) ON CONFLICT (sheet_id, number) DO UPDATE SET position = ?3, cells = ?4",
    )?;
    for (position, (key, fetched)) in records.iter().enumerate() {
        let (number, mut cells) = match known.remove(key) {
            Some(row) => row,
            None => {
                let sql = "UPDATE sheet SET next_number = next_number + 1 WHERE id = ?1 RETURNING next_number - 1";
                (t.query_row(sql, [own.sheet], |r| r.get(0))?, vec![Cell::Text(key.as_str().into())])
            }
        };
        for (place, cell) in places.iter().zip(fetched) {
            if cells.len() <= *place {
                cells.resize(place + 1, Cell::Blank);
            }
            cells[*place] = cell.clone();
        }
        put.execute(params![own.sheet, number, position as f64 + 1.0, serde_json::to_string(&cells)?])?;
    }
    for (number, _) in known.into_values() {
        t.execute("DELETE FROM sheet_row WHERE sheet_id = ?1 AND number = ?2", params![own.sheet, number])?;
    }
    t.execute("UPDATE sheet SET row_count = ?2, name = ?3 WHERE id = ?1", params![own.sheet, records.len(), own.asks.root])?;
    // What was changed by hand before can't be put back over other records.
    t.execute("DELETE FROM sheet_change WHERE sheet_id = ?1", [own.sheet])?;
    t.execute("UPDATE query SET fetched = ?2 WHERE source_id = ?1", params![id, at])?;
    Ok(())
}
