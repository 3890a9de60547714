//! Cells that a workbook joins over rows: each row has what they hold, as who reads
//! the sheet sees it. Cells joined across columns hold it in their first column.

use calamine::Dimensions;
use mangle_core::records::Cell;
use quick_xml::events::{BytesStart, Event};
use quick_xml::{Reader, XmlVersion};

/// Fills the rows of joined cells, whose places count from the sheet's first cell;
/// `first` is where the rows begin in the sheet.
pub(super) fn fill_down(rows: &mut [Vec<Cell>], first: (u32, u32), merged: &[Dimensions]) {
    // Joined cells never lie over one another: more than the table has are not read.
    let mut left: usize = rows.iter().map(Vec::len).sum();
    for region in merged.iter().filter(|m| m.end.0 > m.start.0) {
        let place = |at: u32, first: u32| at.checked_sub(first).map(|at| at as usize);
        let (Some(top), Some(column)) = (place(region.start.0, first.0), place(region.start.1, first.1)) else { continue };
        let Some(value) = rows.get(top).and_then(|row| row.get(column)).filter(|cell| !cell.is_blank()).cloned() else { continue };
        let last = (region.end.0.saturating_sub(first.0) as usize + 1).min(rows.len());
        let Some(rest) = left.checked_sub(last.saturating_sub(top)) else { return };
        left = rest;
        for row in rows.iter_mut().take(last).skip(top + 1) {
            if let Some(cell) = row.get_mut(column).filter(|cell| cell.is_blank()) {
                *cell = value.clone();
            }
        }
    }
}

/// The cells that an OpenDocument spreadsheet joins over rows, for each of its tables
/// (OpenDocument 1.3 part 3, 9.1.4). What can't be read has none.
pub(super) fn of_tables(content: &[u8]) -> Vec<Vec<Dimensions>> {
    let mut tables: Vec<Vec<Dimensions>> = Vec::new();
    let mut reader = Reader::from_reader(content);
    let (mut depth, mut row, mut rows, mut column) = (0, 0u32, 1u32, 0u32);
    loop {
        let (event, closed) = match reader.read_event() {
            Ok(Event::Start(event)) => (event, false),
            Ok(Event::Empty(event)) => (event, true),
            Ok(Event::End(event)) => {
                match event.name().as_ref() {
                    "table:table" => depth -= 1,
                    "table:table-row" if depth == 1 => row = row.saturating_add(rows),
                    _ => {}
                }
                continue;
            }
            Ok(Event::Eof) | Err(_) => return tables,
            Ok(_) => continue,
        };
        let count = |name: &str| number(&event, name).unwrap_or(1).max(1);
        match event.name().as_ref() {
            "table:table" if !closed => {
                depth += 1;
                if depth == 1 {
                    tables.push(Vec::new());
                    row = 0;
                }
            }
            "table:table-row" if depth == 1 => {
                (rows, column) = (count("table:number-rows-repeated"), 0);
                if closed {
                    row = row.saturating_add(rows);
                }
            }
            "table:table-cell" | "table:covered-table-cell" if depth == 1 => {
                let spanned = count("table:number-rows-spanned");
                if let (2.., Some(table)) = (spanned, tables.last_mut()) {
                    let across = count("table:number-columns-spanned");
                    table.push(Dimensions {
                        start: (row, column),
                        end: (row.saturating_add(spanned - 1), column.saturating_add(across - 1)),
                    });
                }
                column = column.saturating_add(count("table:number-columns-repeated"));
            }
            _ => {}
        }
    }
}

fn number(event: &BytesStart<'_>, name: &str) -> Option<u32> {
    let value = event.try_get_attribute(name).ok()??;
    value.normalized_value(XmlVersion::Implicit1_0).ok()?.parse().ok()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn joined_cells_that_lie_over_one_another_without_end_are_not_followed() {
        let mut rows = vec![vec![Cell::Text("A".into()), Cell::Blank]; 2];
        rows.extend(vec![vec![Cell::Blank, Cell::Blank]; 200_000]);
        let region = Dimensions { start: (1, 0), end: (1_048_575, 0) };
        // Followed one by one, these would be twenty thousand million steps.
        fill_down(&mut rows, (0, 0), &vec![region; 100_000]);
        assert_eq!(rows.last().map(|row| row[0].as_text()), Some("A".to_owned()));
        assert!(rows.iter().all(|row| row[1].is_blank()));
    }
}
