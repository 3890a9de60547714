//! Forms, the files that come for them, and the answers, which are rows of their
//! sheet.

use anyhow::Result;
use mangle_core::form::{Form, answered};
use mangle_core::records::Cell;
use rusqlite::{Connection, OptionalExtension, Row, Transaction, params};

use super::Changed;
use super::sheets::{self, ColumnInfo};

/// A form as it is kept.
#[derive(Debug, Clone)]
pub struct KeptForm {
    /// The source's number.
    pub id: i64,
    /// The source's name.
    pub name: String,
    /// The sheet of its answers.
    pub sheet: i64,
    /// What its address ends with.
    pub token: String,
    /// As it is written.
    pub draft: Form,
    /// As it is answered; none where it never was opened.
    pub live: Option<Form>,
    /// Whether a person opened it.
    pub open: bool,
    /// How many answers its sheet holds.
    pub answers: usize,
    /// How often it was written.
    pub revision: i64,
}

const COLUMNS: &str = "SELECT f.source_id, s.name, f.sheet_id, f.token, f.draft, f.live, f.open, h.row_count, f.revision
  FROM form f JOIN source s ON s.id = f.source_id JOIN sheet h ON h.id = f.sheet_id";

type Raw = (i64, String, i64, String, String, Option<String>, bool, usize, i64);

fn raw(r: &Row<'_>) -> rusqlite::Result<Raw> {
    Ok((r.get(0)?, r.get(1)?, r.get(2)?, r.get(3)?, r.get(4)?, r.get(5)?, r.get(6)?, r.get(7)?, r.get(8)?))
}

fn kept((id, name, sheet, token, draft, live, open, answers, revision): Raw) -> Result<KeptForm> {
    let live = live.as_deref().map(serde_json::from_str).transpose()?;
    Ok(KeptForm { id, name, sheet, token, draft: serde_json::from_str(&draft)?, live, open, answers, revision })
}

/// A form by its source.
pub fn get(c: &Connection, source: i64) -> Result<Option<KeptForm>> {
    c.prepare_cached(&format!("{COLUMNS} WHERE f.source_id = ?1"))?.query_row([source], raw).optional()?.map(kept).transpose()
}

/// A form by what its address ends with.
pub fn by_token(c: &Connection, token: &str) -> Result<Option<KeptForm>> {
    c.prepare_cached(&format!("{COLUMNS} WHERE f.token = ?1"))?.query_row([token], raw).optional()?.map(kept).transpose()
}

/// Makes a form with an empty sheet for its answers.
pub fn make(t: &Transaction<'_>, name: &str, token: &str, form: &Form, at: &str) -> Result<i64> {
    t.execute("INSERT INTO source (name, file_name, brought_in, kind) VALUES (?1, '', ?2, 'form')", params![name, at])?;
    let source = t.last_insert_rowid();
    let columns = [ColumnInfo { cell: Some(0), ..ColumnInfo::of(&answered()) }];
    t.execute(
        "INSERT INTO sheet (source_id, position, name, columns, decimal_mark, date_order, row_count, unsure, next_number, next_cell)
         VALUES (?1, 0, 'Answers', ?2, '.', 'day', 0, '[]', 1, 1)",
        params![source, serde_json::to_string(&columns)?],
    )?;
    let sheet = t.last_insert_rowid();
    let draft = serde_json::to_string(form)?;
    t.execute(
        "INSERT INTO form (source_id, sheet_id, token, draft, key) VALUES (?1, ?2, ?3, ?4, lower(hex(randomblob(8))))",
        params![source, sheet, token, draft],
    )?;
    Ok(source)
}

/// What a form is known by wherever it is moved, by its source.
pub fn key_of_source(c: &Connection, source: i64) -> Result<Option<String>> {
    Ok(c.prepare_cached("SELECT key FROM form WHERE source_id = ?1")?.query_row([source], |r| r.get(0)).optional()?)
}

/// The source of the form of a key.
pub fn of_key(c: &Connection, key: &str) -> Result<Option<i64>> {
    Ok(c.prepare_cached("SELECT source_id FROM form WHERE key = ?1")?.query_row([key], |r| r.get(0)).optional()?)
}

/// A form that was moved here is known by its key.
pub fn set_key(c: &Connection, source: i64, key: &str) -> Result<()> {
    c.execute("UPDATE form SET key = ?2 WHERE source_id = ?1", params![source, key])?;
    Ok(())
}

/// Keeps a form as it is written, if it is still of the revision that was seen, where one was.
pub fn write(c: &Connection, id: i64, seen: Option<i64>, draft: &Form) -> Result<Changed> {
    let sql = "UPDATE form SET draft = ?2, revision = revision + 1 WHERE source_id = ?1 AND revision = coalesce(?3, revision)";
    let touched = c.execute(sql, params![id, serde_json::to_string(draft)?, seen])?;
    let there = c.query_row("SELECT EXISTS (SELECT 1 FROM form WHERE source_id = ?1)", [id], |r| r.get(0))?;
    Ok(Changed::of(touched, there))
}

/// Opens a form as it is written: its sheet gets a column for each field. A column
/// keeps to its field by the field's number; one whose field is gone stays, for the
/// answers that it holds.
pub fn open(t: &Transaction<'_>, form: &KeptForm) -> Result<()> {
    let Some(info) = sheets::sheet(t, form.sheet)? else { return Ok(()) };
    let mut columns = info.columns;
    let mut last = columns.iter().position(|c| c.field.is_none()).unwrap_or(0);
    for field in &form.draft.fields {
        let Some(column) = form.draft.column(field) else { continue };
        let described = ColumnInfo { field: Some(field.id), ..ColumnInfo::of(&column) };
        match columns.iter().position(|c| c.field == Some(field.id)) {
            Some(at) => {
                columns[at] = ColumnInfo { cell: columns[at].cell, ..described };
                last = at;
            }
            None => {
                let cell = Some(sheets::next_cell(t, form.sheet)?);
                last = (last + 1).min(columns.len());
                columns.insert(last, ColumnInfo { cell, ..described });
            }
        }
    }
    sheets::set_columns(t, form.sheet, &columns)?;
    t.execute("UPDATE form SET live = draft, open = 1 WHERE source_id = ?1", [form.id])?;
    Ok(())
}

/// Closes a form.
pub fn close(c: &Connection, id: i64) -> Result<()> {
    c.execute("UPDATE form SET open = 0 WHERE source_id = ?1", [id])?;
    Ok(())
}

/// Keeps an answer as a row of the form's sheet: its time, and the cells of its
/// fields by their number. The files that it names move beside the sheet. Gives the
/// row's number.
pub fn answer(t: &Transaction<'_>, form: &KeptForm, at: Cell, given: &[(u32, Cell)], arrived: &[Arrival]) -> Result<usize> {
    let columns = sheets::sheet(t, form.sheet)?.map(|info| info.columns).unwrap_or_default();
    let mut cells = vec![at];
    for (place, cell) in columns.iter().enumerate().filter_map(|(index, column)| {
        let cell = given.iter().find(|(field, _)| column.field == Some(*field))?;
        Some((column.cell.unwrap_or(index), &cell.1))
    }) {
        if cells.len() <= place {
            cells.resize(place + 1, Cell::Blank);
        }
        cells[place] = cell.clone();
    }
    let number: usize = t.query_row(
        "UPDATE sheet SET next_number = next_number + 1, row_count = row_count + 1 WHERE id = ?1 RETURNING next_number - 1",
        [form.sheet],
        |r| r.get(0),
    )?;
    t.execute(
        "INSERT INTO sheet_row (sheet_id, number, position, cells)
         VALUES (?1, ?2, (SELECT coalesce(max(position), 0) + 1 FROM sheet_row WHERE sheet_id = ?1), ?3)",
        params![form.sheet, number, serde_json::to_string(&cells)?],
    )?;
    for file in arrived {
        t.execute(
            "INSERT INTO sheet_file (sheet_id, name, file, size, picture) VALUES (?1, ?2, ?3, ?4, ?5) ON CONFLICT DO NOTHING",
            params![form.sheet, file.name, file.file, file.size, file.picture],
        )?;
        t.execute("DELETE FROM arrival WHERE key = ?1", [&file.key])?;
    }
    Ok(number)
}

/// Notes that an answer was taken under a text of its sender's own; no where it was
/// before.
pub fn first_time(c: &Connection, form: i64, once: &str) -> Result<bool> {
    Ok(c.execute("INSERT INTO answer_sent (source_id, once) VALUES (?1, ?2) ON CONFLICT DO NOTHING", params![form, once])? > 0)
}

/// A file that came for a field and belongs to no answer yet.
#[derive(Debug, Clone)]
pub struct Arrival {
    /// What the answer will call it by.
    pub key: String,
    /// The field that it is for.
    pub field: u32,
    /// The name that it is kept under, its own among the form's.
    pub name: String,
    /// The file's name in the store.
    pub file: String,
    /// Its size in bytes.
    pub size: u64,
    /// Whether its content is a picture.
    pub picture: bool,
}

/// Keeps a file that came.
pub fn arrive(c: &Connection, form: i64, file: &Arrival, at: &str) -> Result<()> {
    c.execute(
        "INSERT INTO arrival (key, source_id, field, name, file, size, picture, at) VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8)",
        params![file.key, form, file.field, file.name, file.file, file.size, file.picture, at],
    )?;
    Ok(())
}

/// Makes room for a file of a form: those that have waited since before `old` go, and the oldest
/// that have waited since before `lately` while there are more than so many of the form, or more
/// than so many bytes in all. Whether there is room then, and whether any went.
pub fn make_room(c: &Connection, form: i64, size: u64, most: (usize, u64), (old, lately): (&str, &str)) -> Result<(bool, bool)> {
    let mut gone = c.execute("DELETE FROM arrival WHERE at < ?1", [old])?;
    loop {
        let count: usize = c.query_row("SELECT count(*) FROM arrival WHERE source_id = ?1", [form], |r| r.get(0))?;
        let bytes: u64 = c.query_row("SELECT coalesce(sum(size), 0) FROM arrival", [], |r| r.get(0))?;
        let (many, large) = (count >= most.0, bytes + size > most.1);
        if !many && !large {
            return Ok((true, gone > 0));
        }
        // The form's own where there are too many of them, anyone's where they are too large.
        let of = if many { "AND source_id = ?2" } else { "AND ?2 = ?2" };
        let oldest = format!("DELETE FROM arrival WHERE key IN (SELECT key FROM arrival WHERE at < ?1 {of} ORDER BY at, key LIMIT 20)");
        match c.execute(&oldest, params![lately, form])? {
            0 => return Ok((false, gone > 0)),
            some => gone += some,
        }
    }
}

/// Whether a file of this content waits for an answer.
pub fn is_waiting(c: &Connection, file: &str) -> Result<bool> {
    Ok(c.query_row("SELECT EXISTS (SELECT 1 FROM arrival WHERE file = ?1)", [file], |r| r.get(0))?)
}

/// The file of a key that came for a form.
pub fn arrival(c: &Connection, form: i64, key: &str) -> Result<Option<Arrival>> {
    let mut query = c.prepare_cached("SELECT key, field, name, file, size, picture FROM arrival WHERE source_id = ?1 AND key = ?2")?;
    let found = query.query_row(params![form, key], |r| {
        Ok(Arrival { key: r.get(0)?, field: r.get(1)?, name: r.get(2)?, file: r.get(3)?, size: r.get(4)?, picture: r.get(5)? })
    });
    Ok(found.optional()?)
}
