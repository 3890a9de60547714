//! Workbooks: XLSX (ECMA-376) and ODS (OpenDocument 1.3).

use std::io::Cursor;
use std::sync::Arc;

use calamine::{Data, Dimensions, Ods, Reader, Xlsx, open_workbook_from_rs};
use jiff::civil::DateTime;
use mangle_core::records::{Cell, RawSheet};
use mangle_core::value::number::from_binary;

use super::{merged, sheet};
use crate::OpenError;
use crate::package::Package;

/// Reads the sheets of a workbook that hold anything.
pub(super) fn read(bytes: Arc<[u8]>) -> Result<Vec<RawSheet>, OpenError> {
    let package = Package::open(bytes, "a CSV, XLSX or ODS file")?;
    let cursor = Cursor::new(package.bytes.clone());
    if package.has("xl/workbook.xml") {
        let mut workbook: Xlsx<_> = open_workbook_from_rs(cursor).map_err(|e: calamine::XlsxError| OpenError::Damaged(e.to_string()))?;
        let mut found = Vec::new();
        // Looking for joined cells takes a second pass: most workbooks have none.
        let joins = package.names().into_iter().any(|part| part.starts_with("xl/worksheets/") && holds(&package, part, b"mergeCell "));
        for name in workbook.sheet_names() {
            let merged = if joins { workbook.merge_cells_by_sheet_name(&name).unwrap_or_default() } else { Vec::new() };
            let sheet = sheet(&name, rows(&mut workbook, &name, &merged)?)?;
            if !sheet.rows.is_empty() {
                found.push(sheet);
            }
        }
        return Ok(found);
    }
    if package.has("content.xml")
        && package.part("mimetype").is_ok_and(|m| m.starts_with(b"application/vnd.oasis.opendocument.spreadsheet"))
    {
        let workbook: Ods<_> = open_workbook_from_rs(cursor).map_err(|e: calamine::OdsError| OpenError::Damaged(e.to_string()))?;
        let merged = match holds(&package, "content.xml", b"number-rows-spanned") {
            true => package.part("content.xml").map(|content| merged::of_tables(&content)).unwrap_or_default(),
            false => Vec::new(),
        };
        return sheets(workbook, &merged);
    }
    let found = if package.has("word/document.xml") { "a DOCX document" } else { "a zip archive" };
    Err(OpenError::WrongKind { found, wanted: "a CSV, XLSX or ODS file", remedy: "save the sheet in one of these forms" })
}

/// Whether a text stands in a part.
fn holds(package: &Package, part: &str, text: &[u8]) -> bool {
    package.part(part).is_ok_and(|bytes| memchr::memmem::find(&bytes, text).is_some())
}

/// The most cells between the first and the last that hold anything.
const MOST_CELLS: u64 = 20_000_000;

/// The rows of a sheet from its first cell to its last. Refused when these lie so
/// far apart that the table between them would fill the memory.
fn rows(workbook: &mut Xlsx<Cursor<Arc<[u8]>>>, name: &str, merged: &[Dimensions]) -> Result<Vec<Vec<Cell>>, OpenError> {
    let damaged = |e: calamine::XlsxError| OpenError::Damaged(format!("the sheet “{name}”: {e}"));
    let mut cells = match workbook.worksheet_cells_reader(name) {
        Ok(cells) => cells,
        // A chart's sheet, which holds no cells.
        Err(calamine::XlsxError::NotAWorksheet(_)) => return Ok(Vec::new()),
        Err(error) => return Err(damaged(error)),
    };
    let mut found: Vec<(u32, u32, Cell)> = Vec::new();
    let (mut first, mut last) = ((u32::MAX, u32::MAX), (0, 0));
    while let Some(read) = cells.next_cell().map_err(damaged)? {
        let (row, column) = read.get_position();
        let value = cell(&Data::from(read.get_value().clone()));
        if value != Cell::Blank {
            first = (first.0.min(row), first.1.min(column));
            last = (last.0.max(row), last.1.max(column));
            found.push((row, column, value));
        }
    }
    let side = |first: u32, last: u32| u64::from(last.saturating_sub(first)) + 1;
    if side(first.0, last.0) * side(first.1, last.1) > MOST_CELLS {
        return Err(OpenError::TooLarge {
            what: format!("the table from the first to the last cell of the sheet “{name}”"),
            limit: "20 million cells".into(),
            remedy: "delete what stands far outside of the table",
        });
    }
    if found.is_empty() {
        return Ok(Vec::new());
    }
    let (wide, high) = (side(first.1, last.1) as usize, side(first.0, last.0) as usize);
    let mut rows = vec![vec![Cell::Blank; wide]; high];
    for (row, column, value) in found {
        rows[(row - first.0) as usize][(column - first.1) as usize] = value;
    }
    merged::fill_down(&mut rows, first, merged);
    Ok(rows)
}

fn sheets<R>(mut workbook: R, merged: &[Vec<Dimensions>]) -> Result<Vec<RawSheet>, OpenError>
where
    R: Reader<Cursor<Arc<[u8]>>>,
    R::Error: std::fmt::Display,
{
    let mut found = Vec::new();
    for (at, name) in workbook.sheet_names().into_iter().enumerate() {
        let range = workbook.worksheet_range(&name).map_err(|e| OpenError::Damaged(format!("the sheet “{name}”: {e}")))?;
        let mut rows: Vec<Vec<Cell>> = range.rows().map(|row| row.iter().map(cell).collect()).collect();
        if let (Some(first), Some(merged)) = (range.start(), merged.get(at)) {
            merged::fill_down(&mut rows, first, merged);
        }
        let sheet = sheet(&name, rows)?;
        if !sheet.rows.is_empty() {
            found.push(sheet);
        }
    }
    Ok(found)
}

fn cell(data: &Data) -> Cell {
    match data {
        Data::Empty => Cell::Blank,
        Data::String(text) if text.is_empty() => Cell::Blank,
        Data::String(text) => Cell::Text(text.as_str().into()),
        Data::Int(number) => Cell::Number((*number).into()),
        Data::Float(number) => from_binary(*number).map_or_else(|| Cell::Error(number.to_string()), Cell::Number),
        Data::Bool(yes) => Cell::Bool(*yes),
        Data::DateTime(moment) if moment.is_duration() => from_binary(moment.as_f64()).map_or(Cell::Blank, Cell::Number),
        Data::DateTime(moment) => {
            let (year, month, day, hour, minute, second, _) = moment.to_ymd_hms_milli();
            match DateTime::new(year as i16, month as i8, day as i8, hour as i8, minute as i8, second as i8, 0) {
                Ok(moment) => Cell::Date(moment),
                Err(_) => Cell::Error(format!("{year}-{month}-{day}")),
            }
        }
        Data::DateTimeIso(text) => match text.parse::<DateTime>() {
            Ok(moment) => Cell::Date(moment),
            Err(_) => text
                .parse::<jiff::civil::Date>()
                .map_or_else(|_| Cell::Text(text.as_str().into()), |d| Cell::Date(d.to_datetime(jiff::civil::Time::midnight()))),
        },
        Data::DurationIso(text) => Cell::Text(text.as_str().into()),
        Data::Error(error) => Cell::Error(error.to_string()),
    }
}
