//! Rows that stay on a page with the next one (ECMA-376 part 1, 17.3.1.15). The
//! typesetter keeps rows together that one cell reaches down: a column without width
//! behind the others holds such cells.

use std::ops::Range;

use super::{Around, Writer, line_height};
use crate::layout::fit::pieces;
use crate::layout::fonts::FontSet;
use crate::model::{Block, Inline, Paragraph, Row, Table};

/// The most of a page that rows are kept together for: what is higher than a page must
/// break, and what is in their way there, as notes, is not known here.
const MOST: f64 = 0.95;

impl Writer<'_> {
    /// The rows that stay together, in their order; none of those that repeat, and none
    /// of a table within another.
    pub(super) fn kept(&self, table: &Table, headers: usize) -> Vec<Range<usize>> {
        let mut found: Vec<Range<usize>> = Vec::new();
        if self.around != Around::Page || !table.rows.iter().any(keeps) {
            return found;
        }
        let tall = |row: &Row| row_height(row, table, self.page.room(), self.wanted.fonts);
        let room = (self.page.height - self.page.margin[0] - self.page.margin[2]) * MOST;
        let room = room - table.rows[..headers].iter().map(tall).sum::<f64>();
        let (mut from, mut high) = (headers, 0.0);
        for at in headers..table.rows.len() {
            let own = tall(&table.rows[at]);
            if at > from && high + own > room {
                // Higher than a page together: as many as one holds.
                found.push(from..at);
                (from, high) = (at, 0.0);
            }
            high += own;
            if !keeps(&table.rows[at]) {
                found.push(from..at + 1);
                (from, high) = (at + 1, 0.0);
            }
        }
        found.push(from..table.rows.len());
        found.retain(|rows| rows.len() > 1);
        found
    }
}

/// Whether a row stays with the next: its first paragraph says so.
fn keeps(row: &Row) -> bool {
    matches!(row.cells.first().and_then(|cell| cell.blocks.first()), Some(Block::Paragraph(first)) if first.keep_next)
}

/// How high a row becomes, or a little more, in a table that has so much room.
fn row_height(row: &Row, table: &Table, room: f64, fonts: &FontSet) -> f64 {
    let share = room / table.columns.len().max(1) as f64;
    let cells = row.cells.iter().filter(|cell| cell.rows == 1).map(|cell| {
        let columns = table.columns.get(cell.at..cell.at + cell.columns).unwrap_or_default();
        let own: f64 = columns.iter().map(|width| width.unwrap_or(share)).sum();
        let [above, right, below, left] = cell.margin;
        let lines = [&cell.borders[0], &cell.borders[2]].into_iter().flatten().map(super::thickness).fold(0.0, f64::max);
        stacked_height(&cell.blocks, own - left - right, fonts) + above + below + lines
    });
    cells.fold(row.least, f64::max)
}

fn stacked_height(blocks: &[Block], room: f64, fonts: &FontSet) -> f64 {
    let of = |block: &Block| match block {
        Block::Paragraph(own) => own.space[0] + own.space[1] + lines_height(own, room, fonts),
        Block::Table(table) => table.rows.iter().map(|row| row_height(row, table, room, fonts)).sum(),
    };
    blocks.iter().map(of).sum()
}

/// How high the lines of a paragraph become, filled with words as wide as their fonts
/// say.
fn lines_height(own: &Paragraph, room: f64, fonts: &FontSet) -> f64 {
    let [left, right, first] = own.indent;
    let room = (room - left - right).max(1.0);
    let empty = line_height(&own.mark, own.line, fonts);
    let mut line = Line { above: 0.0, x: first, room, empty, height: empty };
    own.inlines.iter().for_each(|inline| line.take(inline, own, fonts));
    line.above + line.height
}

/// The line of a paragraph that words are added to.
struct Line {
    /// How high the lines above it are.
    above: f64,
    /// How far it reaches, and may.
    x: f64,
    room: f64,
    /// The height that it has without words, and with those so far.
    empty: f64,
    height: f64,
}

impl Line {
    fn take(&mut self, inline: &Inline, own: &Paragraph, fonts: &FontSet) {
        match inline {
            Inline::Text(text, style) => {
                self.height = self.height.max(line_height(style, own.line, fonts));
                let width = |text: &str| fonts.text_width(text, style).unwrap_or(text.chars().count() as f64 * style.size * 0.6);
                for piece in pieces(text) {
                    self.word(width(piece.trim_end_matches(' ')), width(piece));
                }
            }
            Inline::Break | Inline::PageBreak | Inline::ColumnBreak => self.end(),
            Inline::Tab(style) => self.word(0.0, style.size * 4.0),
            Inline::Drawing(drawing) => {
                self.height = self.height.max(drawing.height);
                self.word(drawing.width, drawing.width);
            }
            Inline::Signer(_, width, height, _) => {
                self.height = self.height.max(*height);
                self.word(*width, *width);
            }
            Inline::Link(_, inner) => inner.iter().for_each(|i| self.take(i, own, fonts)),
            Inline::Marked(_, inner) => self.take(inner, own, fonts),
            Inline::Page(style, _) | Inline::Pages(style) | Inline::SectionPages(style) | Inline::PageOf(_, style) => {
                self.word(style.size, style.size);
            }
            Inline::Anchored(_) | Inline::Place(_) | Inline::Footnote(_) => {}
        }
    }

    /// A word that is so wide, with the space behind it so wide.
    fn word(&mut self, width: f64, with_space: f64) {
        if self.x > 0.0 && self.x + width > self.room {
            self.end();
        }
        // What is wider than a line goes on in the next.
        let more = ((self.x + width) / self.room).ceil().max(1.0) - 1.0;
        self.above += more * self.height;
        self.x += with_space - more * self.room;
    }

    fn end(&mut self) {
        self.above += self.height;
        (self.x, self.height) = (0.0, self.empty);
    }
}

/// The cell that a row has in the column without width.
pub(super) fn holder(kept: &[Range<usize>], row: usize) -> String {
    match kept.iter().find(|rows| rows.contains(&row)) {
        Some(rows) if rows.start == row => format!("table.cell(rowspan: {}, breakable: false, inset: 0pt)[], ", rows.len()),
        Some(_) => String::new(),
        None => "table.cell(inset: 0pt)[], ".to_owned(),
    }
}
