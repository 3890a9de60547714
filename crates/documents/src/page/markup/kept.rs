//! Rows that stay on a page with the next one (ECMA-376 part 1, 17.3.1.15). The
//! typesetter keeps rows together that one cell reaches down: a column without width
//! behind the others holds such cells.

use std::ops::Range;

use super::sections::height;
use super::{Around, Writer};
use crate::page::model::{Block, Row, Table};

/// The most of a page that rows are kept together for, by how high they are guessed to
/// be: what is higher than a page must break.
const MOST: f64 = 0.6;

impl Writer<'_> {
    /// The rows that stay together, in their order; none of those that repeat, and none
    /// of a table within another.
    pub(super) fn kept(&self, table: &Table, headers: usize) -> Vec<Range<usize>> {
        let mut found: Vec<Range<usize>> = Vec::new();
        if self.around != Around::Page {
            return found;
        }
        let width = |at: usize| table.columns.get(at).copied().flatten();
        let share = self.page.room() / table.columns.len().max(1) as f64;
        let tall = |row: &Row| {
            let cells = row.cells.iter().map(|cell| {
                let room: f64 = (cell.at..cell.at + cell.columns).map(|at| width(at).unwrap_or(share)).sum();
                let [above, right, below, left] = cell.margin;
                height(&cell.blocks, room - left - right, self.wanted.fonts) + above + below
            });
            cells.fold(row.least, f64::max)
        };
        let room = (self.page.height - self.page.margin[0] - self.page.margin[2]) * MOST;
        let mut at = headers;
        while at < table.rows.len() {
            let mut end = at + 1;
            while end < table.rows.len() && keeps(&table.rows[end - 1]) {
                end += 1;
            }
            let fits = end - at > 1 && table.rows[at..end].iter().map(tall).sum::<f64>() <= room;
            if fits {
                found.push(at..end);
            }
            at = end;
        }
        found
    }
}

/// Whether a row stays with the next: its first paragraph says so.
fn keeps(row: &Row) -> bool {
    matches!(row.cells.first().and_then(|cell| cell.blocks.first()), Some(Block::Paragraph(first)) if first.keep_next)
}

/// The cell that a row has in the column without width.
pub(super) fn holder(kept: &[Range<usize>], row: usize) -> String {
    match kept.iter().find(|rows| rows.contains(&row)) {
        Some(rows) if rows.start == row => format!("table.cell(rowspan: {}, breakable: false, inset: 0pt)[], ", rows.len()),
        Some(_) => String::new(),
        None => "table.cell(inset: 0pt)[], ".to_owned(),
    }
}
