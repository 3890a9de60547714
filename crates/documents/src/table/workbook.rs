//! Workbooks: XLSX (ECMA-376), XLSB and XLS. ODS has a file of its own.

use std::io::Cursor;
use std::sync::Arc;

use std::collections::HashSet;

use calamine::{Data, DataRef, Dimensions, Reader, Xls, Xlsb, Xlsx, open_workbook_from_rs};
use jiff::civil::DateTime;
use mangle_core::records::{Cell, CellFormula, ColumnType, RawSheet, Table, Uncalculated, calculate};
use mangle_core::value::Currency;
use mangle_core::value::number::from_binary;

use super::{WANTED, merged, ods, sheet, sheet_with};
use crate::OpenError;
use crate::package::Package;

/// Reads the sheets of a workbook that hold anything.
pub(super) fn read(bytes: Arc<[u8]>) -> Result<Vec<RawSheet>, OpenError> {
    let package = Package::open(bytes, WANTED)?;
    let cursor = Cursor::new(package.bytes.clone());
    if package.has("xl/workbook.xml") {
        without_dtd(&package, |part| part.starts_with("xl/") && !part.contains("/drawings/") && !part.contains("/media/"))?;
        return caught(|| xlsx(&package, cursor));
    }
    if package.has("xl/workbook.bin") {
        return caught(|| xlsb(cursor));
    }
    if package.has("content.xml")
        && package.part("mimetype").is_ok_and(|m| m.starts_with(b"application/vnd.oasis.opendocument.spreadsheet"))
    {
        return caught(|| ods::read(&package));
    }
    let found = if package.has("word/document.xml") { "a DOCX document" } else { "a zip archive" };
    Err(OpenError::WrongKind { found, wanted: WANTED, remedy: "save it in one of these formats" })
}

/// What a reading library throws is the file's fault, and ends with it.
fn caught<T>(work: impl FnOnce() -> Result<T, OpenError>) -> Result<T, OpenError> {
    std::panic::catch_unwind(std::panic::AssertUnwindSafe(work))
        .unwrap_or_else(|_| Err(OpenError::Damaged("its cells can't be read".into())))
}

/// Refuses a DTD in a part that is read.
fn without_dtd(package: &Package, read: impl Fn(&str) -> bool) -> Result<(), OpenError> {
    let is_read = |part: &&str| read(part) && (part.ends_with(".xml") || part.ends_with(".rels"));
    package.names().into_iter().filter(is_read).try_for_each(|part| package.part(part).map(|_| ()))
}

/// XLSX (ECMA-376).
fn xlsx(package: &Package, cursor: Cursor<Arc<[u8]>>) -> Result<Vec<RawSheet>, OpenError> {
    let mut workbook: Xlsx<_> = open_workbook_from_rs(cursor).map_err(|e: calamine::XlsxError| OpenError::Damaged(e.to_string()))?;
    let mut found = Vec::new();
    // Looking for joined cells and for formulas takes a pass of its own: many have none.
    let parts = || package.names().into_iter().filter(|part| part.starts_with("xl/worksheets/"));
    let joins = parts().any(|part| holds(package, part, b"mergeCell "));
    let formulas = parts().any(|part| holds(package, part, b"<f>") || holds(package, part, b"<f "));
    for name in workbook.sheet_names() {
        let merged = if joins { workbook.merge_cells_by_sheet_name(&name).unwrap_or_default() } else { Vec::new() };
        let Some(mut grid) = cells(&mut workbook, &name)? else { continue };
        let missing = if formulas { without_value(&mut workbook, &name)? } else { Vec::new() };
        missing.iter().for_each(|f| grid.reach(f.row as u32, f.column as u32));
        let looks = looks(&mut workbook, &name, &grid)?;
        let mut rows = grid.rows(&name)?;
        let first = (grid.first.0 as usize, grid.first.1 as usize);
        let told = calculate(Table { rows: &mut rows, first }, &missing, now());
        merged::fill_down(&mut rows, grid.first, &merged);
        let mut sheet = sheet_with(&name, rows, &looks)?;
        if !missing.is_empty() {
            sheet.notes.push(calculated(missing.len(), &told));
        }
        found.push(sheet);
    }
    Ok(found)
}

/// The moment at which TODAY and NOW of formulas without a value stand.
fn now() -> DateTime {
    jiff::Zoned::now().datetime()
}

/// What is said of formulas without a stored value.
fn calculated(all: usize, told: &[Uncalculated]) -> String {
    let cells = if all == 1 { "One cell contains a formula" } else { "Some cells contain formulas" };
    let counted = if all == 1 { String::new() } else { format!(" ({all})") };
    match told {
        [] => format!("{cells} without a stored value{counted}. The values were calculated here."),
        [first, ..] => format!(
            "{cells} without a stored value{counted}. {} could not be calculated here, the first in {}: {}. Open the file in a spreadsheet program, save it there and import it again.",
            told.len(),
            first.cell,
            first.why
        ),
    }
}

/// XLSB ([MS-XLSB]).
fn xlsb(cursor: Cursor<Arc<[u8]>>) -> Result<Vec<RawSheet>, OpenError> {
    let mut workbook: Xlsb<_> = open_workbook_from_rs(cursor).map_err(|e: calamine::XlsbError| OpenError::Damaged(e.to_string()))?;
    let mut found = Vec::new();
    for name in workbook.sheet_names() {
        let damaged = |e: calamine::XlsbError| OpenError::Damaged(format!("the sheet “{name}”: {e}"));
        let Ok(mut cells) = workbook.worksheet_cells_reader(&name) else { continue };
        let mut grid = Grid::default();
        while let Some(read) = cells.next_cell().map_err(damaged)? {
            grid.take(read.get_position(), cell(&Data::from(read.get_value().clone())), &name)?;
        }
        found.push(sheet(&name, grid.rows(&name)?)?);
    }
    Ok(found)
}

/// XLS ([MS-XLS]), of which a sheet has at most 65 536 rows and 256 columns.
pub(super) fn read_xls(bytes: Arc<[u8]>) -> Result<Vec<RawSheet>, OpenError> {
    caught(|| {
        let workbook: Xls<_> = open_workbook_from_rs(Cursor::new(bytes)).map_err(|e: calamine::XlsError| match e {
            calamine::XlsError::Password => {
                OpenError::WrongKind { found: "a workbook protected by a password", wanted: WANTED, remedy: "save it without the password" }
            }
            _ => OpenError::WrongKind {
                found: "a legacy or password-protected office file without a readable workbook",
                wanted: WANTED,
                remedy: "save it in one of these formats, without a password",
            },
        })?;
        sheets(workbook, &[])
    })
}

/// Whether a text stands in a part.
fn holds(package: &Package, part: &str, text: &[u8]) -> bool {
    package.part(part).is_ok_and(|bytes| memchr::memmem::find(&bytes, text).is_some())
}

/// The most cells that are found, and that may lie between the first and the last.
pub(super) const MOST_CELLS: u64 = 20_000_000;

pub(super) fn too_many_cells(name: &str) -> OpenError {
    OpenError::TooLarge {
        what: format!("the table from the first to the last cell of the sheet “{name}”"),
        limit: "20 million cells".into(),
        remedy: "delete cells far outside the table",
    }
}

/// The cells of a sheet that hold anything, as they are found.
struct Grid {
    found: Vec<(u32, u32, Cell)>,
    first: (u32, u32),
    last: (u32, u32),
}

impl Default for Grid {
    fn default() -> Grid {
        Grid { found: Vec::new(), first: (u32::MAX, u32::MAX), last: (0, 0) }
    }
}

impl Grid {
    fn take(&mut self, (row, column): (u32, u32), value: Cell, name: &str) -> Result<(), OpenError> {
        if value == Cell::Blank {
            return Ok(());
        }
        if self.found.len() as u64 >= MOST_CELLS {
            return Err(too_many_cells(name));
        }
        self.reach(row, column);
        self.found.push((row, column, value));
        Ok(())
    }

    /// A cell belongs to the table whatever it holds.
    fn reach(&mut self, row: u32, column: u32) {
        self.first = (self.first.0.min(row), self.first.1.min(column));
        self.last = (self.last.0.max(row), self.last.1.max(column));
    }

    /// The rows from the first cell to the last. Refused when these lie so far apart that
    /// the table between them would fill the memory.
    fn rows(&mut self, name: &str) -> Result<Vec<Vec<Cell>>, OpenError> {
        if self.first.0 == u32::MAX {
            return Ok(Vec::new());
        }
        let side = |first: u32, last: u32| u64::from(last.saturating_sub(first)) + 1;
        if side(self.first.0, self.last.0) * side(self.first.1, self.last.1) > MOST_CELLS {
            return Err(too_many_cells(name));
        }
        let (wide, high) = (side(self.first.1, self.last.1) as usize, side(self.first.0, self.last.0) as usize);
        let mut rows = vec![vec![Cell::Blank; wide]; high];
        for (row, column, value) in self.found.drain(..) {
            rows[(row - self.first.0) as usize][(column - self.first.1) as usize] = value;
        }
        Ok(rows)
    }
}

type Workbook = Xlsx<Cursor<Arc<[u8]>>>;

/// The cells of a sheet; none of a chart's sheet, which holds no cells.
fn cells(workbook: &mut Workbook, name: &str) -> Result<Option<Grid>, OpenError> {
    let damaged = |e: calamine::XlsxError| OpenError::Damaged(format!("the sheet “{name}”: {e}"));
    let mut cells = match workbook.worksheet_cells_reader(name) {
        Ok(cells) => cells,
        Err(calamine::XlsxError::NotAWorksheet(_)) => return Ok(None),
        Err(error) => return Err(damaged(error)),
    };
    let mut grid = Grid::default();
    while let Some(read) = cells.next_cell().map_err(damaged)? {
        grid.take(read.get_position(), cell(&Data::from(read.get_value().clone())), name)?;
    }
    Ok(Some(grid))
}

/// The formulas of a sheet whose cells have no value.
fn without_value(workbook: &mut Workbook, name: &str) -> Result<Vec<CellFormula>, OpenError> {
    let damaged = |e: calamine::XlsxError| OpenError::Damaged(format!("the sheet “{name}”: {e}"));
    let mut cells = workbook.worksheet_cells_reader(name).map_err(damaged)?;
    let mut missing = Vec::new();
    while let Some(read) = cells.next_cell_with_formula().map_err(damaged)? {
        if let (DataRef::Empty, Some(text)) = (&read.value, read.formula) {
            missing.push((read.pos, text));
        }
    }
    Ok(missing.into_iter().map(|((row, column), text)| CellFormula { row: row as usize, column: column as usize, text }).collect())
}

/// What the number formats say of the columns of a sheet, from its first column on: a type
/// where all numbers of a column have a format of it.
fn looks(workbook: &mut Workbook, name: &str, grid: &Grid) -> Result<Vec<Option<ColumnType>>, OpenError> {
    let damaged = |e: calamine::XlsxError| OpenError::Damaged(format!("the sheet “{name}”: {e}"));
    let mut cells = workbook.worksheet_cells_reader(name).map_err(damaged)?;
    let formats: Vec<Option<ColumnType>> =
        cells.styles().iter().map(|style| style.number_format.as_ref().and_then(|format| told_by(&format.format_code))).collect();
    if grid.found.is_empty() || formats.iter().all(Option::is_none) {
        return Ok(Vec::new());
    }
    let wide = (grid.last.1 - grid.first.1) as usize + 1;
    let (mut numbers, mut told) = (vec![0usize; wide], vec![(None, 0usize); wide]);
    let mut amounts = HashSet::new();
    for (row, column, cell) in &grid.found {
        if matches!(cell, Cell::Number(_)) {
            numbers[(column - grid.first.1) as usize] += 1;
            amounts.insert((*row, *column));
        }
    }
    while let Some((row, column, style)) = cells.next_style_id().map_err(damaged)? {
        let Some(kind) = formats.get(style).copied().flatten().filter(|_| amounts.contains(&(row, column))) else { continue };
        let own = &mut told[(column - grid.first.1) as usize];
        if own.0.is_none_or(|known| known == kind) {
            *own = (Some(kind), own.1 + 1);
        }
    }
    Ok(told.into_iter().zip(numbers).map(|((kind, count), all)| kind.filter(|_| count == all)).collect())
}

/// The type that a number format tells (ECMA-376 part 1, 18.8.31): a percentage by its
/// sign, money by its currency.
fn told_by(format: &str) -> Option<ColumnType> {
    let first = format.split(';').next().unwrap_or_default();
    // `[$€-809]`, `[$CHF]`
    if let Some((_, rest)) = first.split_once("[$") {
        let sign = rest.split(['-', ']']).next().unwrap_or_default();
        return Currency::parse(sign).ok().map(ColumnType::Money);
    }
    let mut quoted = false;
    let mut bare = String::new();
    let mut texts = String::new();
    for c in first.chars() {
        match c {
            '"' => quoted = !quoted,
            c if quoted => texts.push(c),
            c => bare.push(c),
        }
    }
    if bare.contains('%') {
        return Some(ColumnType::Percent);
    }
    let sign = bare.chars().find(|c| "€£¥₹₺₴₪₩฿$".contains(*c)).map(|c| c.to_string());
    let sign = sign.or_else(|| Some(texts.trim().to_owned()).filter(|t| !t.is_empty()))?;
    Currency::parse(&sign).ok().map(ColumnType::Money)
}

pub(super) fn sheets<R>(mut workbook: R, merged: &[Vec<Dimensions>]) -> Result<Vec<RawSheet>, OpenError>
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
        found.push(sheet(&name, rows)?);
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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn number_formats_tell_money_and_percentages() {
        let told = |format: &str| told_by(format).map(|kind| kind.to_string()).unwrap_or_default();
        assert_eq!(told("[$£-809]#,##0.00"), "money GBP");
        assert_eq!(told("#,##0.00 [$CHF]"), "money CHF");
        assert_eq!(told("\"€\"#,##0.00;-\"€\"#,##0.00"), "money EUR");
        assert_eq!(told("#,##0.00 €"), "money EUR");
        assert_eq!(told("0.0%"), "percent");
        assert_eq!(told("0.0\" m\"") + &told("#,##0.00") + &told("dd/mm/yyyy") + &told("0\" %\""), "");
    }
}
