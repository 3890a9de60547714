//! Text in columns of different widths, and in columns of a part of a page (ECMA-376
//! part 1, 17.6.3 and 17.6.4). The typesetter's columns are alike, and are filled by their
//! height: the prelude's `flow` fills one after another, page after page, parts paragraphs
//! by their words, and finds the height at which the columns of a part are even.

use std::fmt::Write;

use super::beside::can_be_parted;
use super::{Writer, round};
use crate::model::{Block, Inline, Paragraph, Section};

/// What ends a part of the text.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum End {
    Column,
    Page,
}

impl End {
    /// How the prelude calls it.
    fn item(self) -> &'static str {
        match self {
            End::Column => "none, ",
            End::Page => "auto, ",
        }
    }
}

impl Writer<'_> {
    /// The text of a section with so much above it, after other text on the same page or
    /// before.
    pub(super) fn flow(&mut self, section: &Section, above: f64, after_text: bool, more: bool) {
        let alike = [self.column.unwrap_or_else(|| self.page.room()), section.columns.1];
        let columns = if section.column_widths.is_empty() { vec![alike; section.columns.0] } else { section.column_widths.clone() };
        let list = |at: usize| columns.iter().map(|c| format!("{}pt, ", round(c[at]))).collect::<String>();
        let from = if after_text { "here().position().y - top-margin" } else { "0pt" };
        let _ = write!(self.out, "#flow(({}), ({}), {}, {more}, () => {from}, (", list(0), list(1), section.column_lines);
        // Which column text comes to stand in only the typesetter knows.
        self.column = columns.iter().map(|c| c[0]).reduce(f64::min);
        let mut above = Some(above);
        for (blocks, end) in parted(&section.blocks) {
            self.items(&blocks, above.take());
            self.out.push_str(end.map_or("", End::item));
        }
        self.out.push_str("))\n");
    }

    /// Blocks, each as an item; the first with a space of its own above it.
    fn items(&mut self, blocks: &[Block], first: Option<f64>) {
        let mut at = 0;
        while at < blocks.len() {
            let above = first.filter(|_| at == 0).unwrap_or_else(|| self.above(blocks, at));
            at += match &blocks[at] {
                Block::Paragraph(own) if is_lines(own) => {
                    self.by_words(own, above);
                    1
                }
                Block::Paragraph(own) => self.whole(above, own.keep_next, |writer| writer.paragraphs(&blocks[at..], 0.0, false)),
                Block::Table(table) => self.whole(above, false, |writer| {
                    writer.table(table, 0.0);
                    1
                }),
            };
        }
    }

    /// What is not parted.
    fn whole(&mut self, above: f64, sticky: bool, write: impl FnOnce(&mut Self) -> usize) -> usize {
        let _ = write!(self.out, "(above: {}pt, sticky: {sticky}, body: [", round(above));
        let taken = write(self);
        self.out.push_str("]), ");
        taken
    }
}

/// Whether text is filled into columns as well as the typesetter does it: tables stand
/// whole there, and notes have no room.
pub(super) fn can_flow(blocks: &[Block]) -> bool {
    let notes = |i: &Inline| matches!(i, Inline::Footnote(_));
    blocks.iter().all(|block| matches!(block, Block::Paragraph(own) if !own.inlines.iter().any(notes)))
}

/// Whether a paragraph is lines of text and no more.
fn is_lines(paragraph: &Paragraph) -> bool {
    can_be_parted(paragraph)
        && paragraph.bars.is_empty()
        && paragraph.inlines.iter().any(Inline::takes_room)
        && paragraph.inlines.iter().all(|i| i.anchored().is_none())
}

/// Blocks parted where columns and pages end.
fn parted(blocks: &[Block]) -> Vec<(Vec<Block>, Option<End>)> {
    let (mut parts, mut part) = (Vec::new(), Vec::new());
    for block in blocks {
        let mut block = block.clone();
        while let Block::Paragraph(paragraph) = &mut block {
            if std::mem::take(&mut paragraph.page_break_before) && !part.is_empty() {
                parts.push((std::mem::take(&mut part), Some(End::Page)));
            }
            let Some((at, end)) = paragraph.inlines.iter().enumerate().find_map(|(at, i)| Some((at, end_of(i)?))) else { break };
            let rest = paragraph.inlines.split_off(at + 1);
            paragraph.inlines.pop();
            let mut after = Paragraph { inlines: rest, ..paragraph.clone() };
            if paragraph.inlines.iter().any(Inline::takes_room) {
                // Its number and its first line stay above.
                (after.marker, after.indent[2]) = (None, 0.0);
                part.push(Block::Paragraph(paragraph.clone()));
            }
            parts.push((std::mem::take(&mut part), Some(end)));
            block = Block::Paragraph(after);
        }
        part.push(block);
    }
    parts.push((part, None));
    parts
}

fn end_of(inline: &Inline) -> Option<End> {
    match inline {
        Inline::ColumnBreak => Some(End::Column),
        Inline::PageBreak => Some(End::Page),
        _ => None,
    }
}
