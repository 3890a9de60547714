//! Sheets: CSV, XLSX, ODS and JSON in and out.

mod csv;
mod merged;
mod ods;
mod workbook;
mod write;

use std::collections::HashSet;
use std::sync::Arc;

use mangle_core::language::Folded;
use mangle_core::records::{Cell, ColumnType, RawSheet, header_row, letters};
use mangle_core::words::counted;

pub use write::{Format, WriteError, write};

use crate::OpenError;
use crate::open::{Content, sniff};

/// The most columns that a sheet may have.
pub const MOST_COLUMNS: usize = 2_000;
/// The most rows that a sheet may have.
pub const MOST_ROWS: usize = 500_000;

/// Rows of text as CSV (RFC 4180), in UTF-8.
pub fn csv(rows: &[Vec<String>]) -> Result<Vec<u8>, ::csv::Error> {
    let mut writer = ::csv::Writer::from_writer(Vec::new());
    for row in rows {
        writer.write_record(row)?;
    }
    writer.into_inner().map_err(|e| e.into_error().into())
}

/// What sheets are brought in as.
const WANTED: &str = "a CSV, XLSX, XLSB, XLS, ODS or JSON file";
/// How compound files begin, those of old office programs among them (MS-CFB 2.2).
const OLD_OFFICE: &[u8] = b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1";

/// Reads the sheets of a file: a workbook's, or the one of a delimited text.
/// `name` is only used to name the sheet of a text.
pub fn read(name: &str, bytes: Arc<[u8]>) -> Result<Vec<RawSheet>, OpenError> {
    if bytes.is_empty() {
        return Err(OpenError::Empty);
    }
    let sheets = match sniff(&bytes) {
        Content::Zip => workbook::read(bytes)?,
        Content::Text if looks_like_json(name, &bytes) => json(name, &bytes)?,
        Content::Text => vec![csv::read(stem(name), &bytes)?],
        Content::Other(_) if bytes.starts_with(OLD_OFFICE) => workbook::read_xls(bytes)?,
        Content::Other(found) => {
            return Err(OpenError::WrongKind { found, wanted: WANTED, remedy: "save it in one of these formats" });
        }
    };
    // A header alone is a sheet to be filled; a word by itself is none, beside others.
    let alone = sheets.len() == 1;
    let is_table = |s: &RawSheet| !s.header.is_empty() && (!s.rows.is_empty() || alone || s.header.len() > 1);
    let sheets: Vec<RawSheet> = sheets.into_iter().filter(is_table).collect();
    if sheets.is_empty() {
        return Err(OpenError::NoRows);
    }
    Ok(sheets)
}

/// Whether a text is JSON: by its name, or because it reads as such.
fn looks_like_json(name: &str, bytes: &[u8]) -> bool {
    let begins = bytes.iter().find(|b| !b.is_ascii_whitespace() && !b"\xef\xbb\xbf".contains(b));
    name.to_ascii_lowercase().ends_with(".json")
        || (matches!(begins, Some(b'{' | b'[')) && serde_json::from_slice::<serde::de::IgnoredAny>(without_mark(bytes)).is_ok())
}

fn without_mark(bytes: &[u8]) -> &[u8] {
    bytes.strip_prefix(b"\xef\xbb\xbf").unwrap_or(bytes)
}

fn json(name: &str, bytes: &[u8]) -> Result<Vec<RawSheet>, OpenError> {
    let json = serde_json::from_slice(without_mark(bytes)).map_err(|e| {
        let place = format!("line {}, column {}", e.line(), e.column());
        OpenError::Json(match e.is_eof() {
            true => format!("it is incomplete at {place}. Save it again in the program that created it."),
            false => format!("it can't be read at {place}. Save it again as UTF-8."),
        })
    })?;
    let sheets = mangle_core::records::sheets_from_json(stem(name), &json).map_err(|e| OpenError::Json(e.to_string()))?;
    match sheets.iter().find(|s| s.rows.len() > MOST_ROWS) {
        Some(sheet) => Err(OpenError::TooLarge {
            what: format!("“{}” of the file “{name}” with {} records", sheet.name, sheet.rows.len()),
            limit: counted(MOST_ROWS, "record", "records"),
            remedy: "split it into several files",
        }),
        None => Ok(sheets),
    }
}

fn stem(name: &str) -> &str {
    name.rsplit_once('.').map_or(name, |(stem, _)| stem)
}

/// Makes a sheet of rows: the first row with anything in it is the header, unless
/// that is a title and the names stand below it; columns without a name and without a
/// value, and blank rows, are dropped.
fn sheet(name: &str, rows: Vec<Vec<Cell>>) -> Result<RawSheet, OpenError> {
    sheet_with(name, rows, &[])
}

/// The same where formats tell the types of the rows' columns.
fn sheet_with(name: &str, rows: Vec<Vec<Cell>>, told: &[Option<ColumnType>]) -> Result<RawSheet, OpenError> {
    let blanks = rows.iter().take_while(|row| row.iter().all(Cell::is_blank)).count();
    let titles = header_row(&rows[blanks..]);
    let mut rows = rows.into_iter().skip(blanks);
    let said = |row: Vec<Cell>| row.iter().filter(|c| !c.is_blank()).map(Cell::as_text).collect::<Vec<_>>().join(" ");
    let passed_over: Vec<String> = rows.by_ref().take(titles).map(said).filter(|t| !t.is_empty()).collect();
    let Some(header) = rows.next() else {
        return Ok(RawSheet { name: name.to_owned(), ..RawSheet::default() });
    };
    // How far the rows are filled, and those that are not go.
    let mut width = 0;
    let mut rows: Vec<Vec<Cell>> = rows
        .filter(|row| {
            let filled = row.iter().rposition(|c| !c.is_blank()).map_or(0, |at| at + 1);
            width = width.max(filled);
            filled > 0
        })
        .collect();
    let mut header: Vec<String> = header.iter().map(|c| c.as_text().split_whitespace().collect::<Vec<_>>().join(" ")).collect();
    let named = header.iter().rposition(|n| !n.is_empty()).map_or(0, |at| at + 1);
    let width = width.max(named);
    if width > MOST_COLUMNS {
        return Err(OpenError::TooLarge {
            what: format!("the sheet “{name}” with {width} columns"),
            limit: counted(MOST_COLUMNS, "column", "columns"),
            remedy: "remove the columns you don't need",
        });
    }
    if rows.len() > MOST_ROWS {
        return Err(OpenError::TooLarge {
            what: format!("the sheet “{name}” with {} rows", rows.len()),
            limit: counted(MOST_ROWS, "row", "rows"),
            remedy: "split it into several files",
        });
    }
    header.resize(width, String::new());
    for row in &mut rows {
        row.truncate(width);
    }
    let blank: Vec<usize> =
        (0..width).filter(|at| header[*at].is_empty() && rows.iter().all(|r| r.get(*at).is_none_or(Cell::is_blank))).collect();
    // Where each column stands in the file.
    let mut places: Vec<usize> = (0..width).collect();
    if !blank.is_empty() {
        let keep = |at: &usize| blank.binary_search(at).is_err();
        places.retain(keep);
        header = header.into_iter().enumerate().filter(|(at, _)| keep(at)).map(|(_, n)| n).collect();
        for row in &mut rows {
            *row = std::mem::take(row).into_iter().enumerate().filter(|(at, _)| keep(at)).map(|(_, c)| c).collect();
        }
    }
    let notes = name_columns(&mut header, &places);
    let told = places.iter().map(|at| told.get(*at).copied().flatten()).collect();
    Ok(RawSheet { name: name.to_owned(), header, rows, passed_over, notes, told, ..RawSheet::default() })
}

/// Gives columns without a name, and those whose name another has, names of their own;
/// says so.
fn name_columns(header: &mut [String], places: &[usize]) -> Vec<String> {
    let mut notes = Vec::new();
    let mut taken: HashSet<Folded> = HashSet::new();
    let written: HashSet<Folded> = header.iter().map(|name| Folded::new(name)).collect();
    for (at, name) in header.iter_mut().enumerate() {
        let is_named = !Folded::new(name).as_str().is_empty();
        if is_named && taken.insert(Folded::new(name)) {
            continue;
        }
        let base = if is_named { name.clone() } else { format!("Column {}", letters(places[at])) };
        let numbered = (1..).map(|n| if n == 1 && !is_named { base.clone() } else { format!("{base} ({})", n.max(2)) });
        let own = numbered.into_iter().find(|own| !written.contains(&Folded::new(own)) && !taken.contains(&Folded::new(own)));
        let own = own.unwrap_or_else(|| base.clone());
        notes.push(match is_named {
            true => format!("Another column is called “{name}” already; this one is “{own}” here. Names that differ only in capitals, spaces, _ and - count as one."),
            false => format!("A column has no name in the file; it is called “{own}” here."),
        });
        taken.insert(Folded::new(&own));
        *name = own;
    }
    notes
}

#[cfg(test)]
mod tests;
