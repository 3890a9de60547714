//! Text beside a drawing. The typesetter has none: the prelude's `beside` takes
//! as many words as fit there and sets the rest below.

use std::fmt::Write;
use std::sync::Arc;

use super::{Around, Writer, line_height, round};
use crate::page::model::{Anchored, Block, From, Inline, Line, Paragraph, Wrap};

/// The most paragraphs beside one drawing.
const MOST: usize = 40;

impl Writer<'_> {
    /// Writes the paragraphs beside the drawing that the first of them holds;
    /// `None` where it holds none.
    pub(super) fn beside(&mut self, blocks: &[Block], above: f64) -> Option<usize> {
        let Some(Block::Paragraph(paragraph)) = blocks.first() else { return None };
        if self.around != Around::Page {
            return None;
        }
        let is_beside = |a: &&Arc<Anchored>| a.wrap == Wrap::Beside;
        let anchored = paragraph.inlines.iter().filter_map(Inline::anchored).find(is_beside)?.clone();
        let drawing = &anchored.drawing;
        let (x, room) = (self.left_of(&anchored), self.page.room());
        let on_left = x + drawing.width / 2.0 < room / 2.0;
        let takes = if on_left { x + drawing.width + anchored.distance[1] } else { room - x + anchored.distance[3] };
        // Beside a drawing as wide as the text nothing stands.
        if takes > room - 36.0 || takes <= 0.0 {
            return None;
        }
        let down = if anchored.y.from == From::Text { anchored.y.at.unwrap_or(0.0).max(0.0) } else { 0.0 };
        let reach = down + drawing.height + anchored.distance[2];
        // Paragraphs that may stand beside it: until they are surely higher.
        let (mut count, mut high) = (0, 0.0);
        for block in blocks.iter().take(MOST) {
            let Block::Paragraph(own) = block else { break };
            let plain = own.shading.is_none() && own.borders.iter().all(Option::is_none) && !own.page_break_before;
            let breaks = own.inlines.iter().any(|i| matches!(i, Inline::PageBreak | Inline::ColumnBreak));
            let again = count > 0 && own.inlines.iter().filter_map(Inline::anchored).any(|a| is_beside(&a));
            if !plain || breaks || again {
                break;
            }
            count += 1;
            if high > reach {
                break;
            }
            high += own.space[0] + line_height(&own.mark, own.line, self.wanted.fonts);
        }
        if count == 0 {
            return None;
        }
        let others = paragraph.inlines.iter().filter_map(Inline::anchored).filter(|a| !Arc::ptr_eq(a, &anchored));
        others.for_each(|a| self.placed(a, above));
        let _ = write!(
            self.out,
            "#beside({}pt, {}, {}pt, {}pt, {}pt, {}pt, ",
            round(above),
            if on_left { "left" } else { "right" },
            round(takes),
            round(reach),
            round(x),
            round(down)
        );
        self.out.push_str("box(");
        self.turned_drawing(&anchored);
        self.out.push_str("), (");
        let mut after = 0.0;
        for (at, block) in blocks[..count].iter().enumerate() {
            let Block::Paragraph(own) = block else { continue };
            let gap = if at == 0 { 0.0 } else { self.gap(after, own.space[0]) };
            let line = line_height(&own.mark, own.line, self.wanted.fonts);
            let _ = write!(self.out, "(above: {}pt, line: {}pt, words: (", round(gap), round(line));
            self.words(own);
            self.out.push_str("), more: arguments(");
            let start = self.out.len();
            self.arguments(own, true);
            // The first of the arguments has no comma before it.
            if self.out[start..].starts_with(", ") {
                self.out.replace_range(start..start + 2, "");
            }
            self.out.push_str(")), ");
            after = super::space_after(own, blocks.get(at + 1));
        }
        self.out.push_str("))\n");
        Some(count)
    }

    fn turned_drawing(&mut self, anchored: &Anchored) {
        let from = self.out.len();
        self.drawing_in_line(&anchored.drawing);
        // It stands in code, not in markup.
        self.out.replace_range(from..from + 1, "");
    }

    /// The words of a paragraph one by one.
    fn words(&mut self, paragraph: &Paragraph) {
        let tabs = paragraph.inlines.iter().any(|i| matches!(i, Inline::Tab(_)));
        if paragraph.marker.is_some() || tabs {
            // What is set at stops stays together.
            self.out.push('[');
            self.line_content(paragraph, &paragraph.inlines, true);
            self.out.push_str("], ");
            return;
        }
        for inline in &paragraph.inlines {
            self.word(inline, paragraph.line);
        }
        if !paragraph.inlines.iter().any(Inline::takes_room) {
            let height = line_height(&paragraph.mark, paragraph.line, self.wanted.fonts);
            let _ = write!(self.out, "box(height: {}pt), ", round(height));
        }
    }

    fn word(&mut self, inline: &Inline, line: Line) {
        match inline {
            Inline::Anchored(_) => {}
            Inline::Text(text, style) => {
                for word in text.split_inclusive(' ') {
                    self.out.push('[');
                    self.inline(&Inline::Text(word.to_owned(), style.clone()), line);
                    self.out.push_str("], ");
                }
            }
            other => {
                self.out.push('[');
                self.inline(other, line);
                self.out.push_str("], ");
            }
        }
    }
}
