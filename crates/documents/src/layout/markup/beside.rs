//! Text beside a drawing. The typesetter has none: the prelude's `beside` takes
//! as many words as fit there and sets the rest below.

use std::fmt::Write;
use std::sync::Arc;

use super::drawing::from_top;
use super::{Around, Writer, line_height, round};
use crate::model::LEAST_BESIDE;
use crate::model::{Anchored, Block, From, Inline, Line, Paragraph, Shows, Wrap};

/// The most paragraphs beside one drawing.
const MOST: usize = 40;

/// Whether a paragraph is nothing but its lines.
pub(super) fn can_be_parted(paragraph: &Paragraph) -> bool {
    let breaks = |i: &Inline| matches!(i, Inline::PageBreak | Inline::ColumnBreak);
    paragraph.shading.is_none()
        && paragraph.borders.iter().all(Option::is_none)
        && !paragraph.page_break_before
        && !paragraph.inlines.iter().any(breaks)
}

/// Where a drawing stands on pages.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Stands {
    /// Where it is put, whatever the text does.
    Apart,
    /// Above its paragraph.
    Between,
    /// Beside its paragraph.
    Beside,
}

impl Writer<'_> {
    /// Writes the paragraphs beside the drawing that the first of them holds;
    /// `None` where it holds none.
    pub(super) fn beside(&mut self, blocks: &[Block], above: f64) -> Option<usize> {
        let Some(Block::Paragraph(paragraph)) = blocks.first() else { return None };
        let is_beside = |a: &&Arc<Anchored>| self.stands(a) == Stands::Beside;
        let anchored = paragraph.inlines.iter().filter_map(Inline::anchored).find(is_beside)?.clone();
        let drawing = &anchored.drawing;
        let (x, (on_left, takes)) = (self.left_of(&anchored), self.takes(&anchored));
        let on_paper = anchored.y.from != From::Text || anchored.y.at.is_err();
        let down = if on_paper { 0.0 } else { anchored.y.at.unwrap_or(0.0).max(0.0) };
        // How high its text makes it only the typesetter knows.
        let grows = matches!(&drawing.shows, Shows::Shape { text: Some(text), .. } if text.grows) && drawing.height == 0.0;
        let (reach, tall) = match grows {
            true => (down + self.about_as_high(&drawing.shows, drawing.width) * 1.5 + 50.0, "auto".to_owned()),
            false => (down + drawing.height + anchored.distance[2], format!("{}pt", round(drawing.height))),
        };
        // Where it lies from these paragraphs only the typesetter knows, too.
        let (reach, down) = match on_paper {
            true => (self.page.height, format!("{} - here().position().y", from_top(anchored.y, drawing.height, self.page.height))),
            false => (reach, format!("{}pt", round(down))),
        };
        // Paragraphs that may stand beside it: until they are surely higher.
        let (mut count, mut high) = (0, 0.0);
        for block in blocks.iter().take(MOST) {
            let Block::Paragraph(own) = block else { break };
            let again = count > 0 && own.inlines.iter().any(|i| i.anchored().is_some());
            if !can_be_parted(own) || again {
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
        let mut above = above;
        let others = paragraph.inlines.iter().filter_map(Inline::anchored).filter(|a| !Arc::ptr_eq(a, &anchored));
        others.for_each(|other| self.alone(other, &mut above));
        let _ = write!(
            self.out,
            "#beside({}pt, {}, {}pt, {tall}, {}pt, {}pt, {}pt, () => {down}{}, ",
            round(above),
            if on_left { "left" } else { "right" },
            round(takes),
            round(anchored.distance[0]),
            round(anchored.distance[2]),
            round(x),
            if on_paper { format!(" - {}pt", round(above)) } else { String::new() },
        );
        self.out.push_str("box(");
        self.turned_drawing(&anchored);
        self.out.push_str("), (");
        self.all_by_words(&blocks[..count]);
        self.out.push_str("))\n");
        Some(count)
    }

    /// A paragraph as its words, for functions that part it.
    pub(super) fn by_words(&mut self, own: &Paragraph, above: f64) {
        let line = self.tallest_line(own);
        let _ = write!(self.out, "(above: {}pt, line: {}pt, widows: {}, words: (", round(above), round(line), own.widows);
        self.words(own);
        self.out.push_str("), more: arguments(");
        let start = self.out.len();
        self.arguments(own, true);
        // The first of the arguments has no comma before it.
        if self.out[start..].starts_with(", ") {
            self.out.replace_range(start..start + 2, "");
        }
        self.out.push_str(")), ");
    }

    /// The same for one below the other.
    pub(super) fn all_by_words(&mut self, blocks: &[Block]) {
        for (at, block) in blocks.iter().enumerate() {
            let Block::Paragraph(own) = block else { continue };
            let above = if at == 0 { 0.0 } else { self.above(blocks, at) };
            self.by_words(own, above);
        }
    }

    /// How high the lines of a paragraph are.
    fn tallest_line(&self, paragraph: &Paragraph) -> f64 {
        let of = |style| line_height(style, paragraph.line, self.wanted.fonts);
        let texts = paragraph.inlines.iter().filter_map(|inline| match inline {
            Inline::Text(_, style) => Some(style),
            Inline::Marked(_, inner) => match &**inner {
                Inline::Text(_, style) => Some(style),
                _ => None,
            },
            _ => None,
        });
        texts.map(|style| of(style)).reduce(f64::max).unwrap_or_else(|| of(&paragraph.mark))
    }

    /// About how high its text makes a drawing.
    fn about_as_high(&self, shows: &Shows, width: f64) -> f64 {
        match shows {
            Shows::Shape { text: Some(text), .. } => super::sections::height(&text.blocks, width, self.wanted.fonts),
            _ => 0.0,
        }
    }

    /// What the text does at a drawing as pages can show it.
    pub(super) fn stands(&self, anchored: &Anchored) -> Stands {
        // What lies on the paper above the text is not in its way.
        let in_margin =
            anchored.y.from == From::Page && anchored.y.at.is_ok_and(|y| y + anchored.drawing.height.max(1.0) <= self.page.margin[0]);
        match anchored.wrap {
            _ if in_margin || self.around != Around::Page => Stands::Apart,
            Wrap::None => Stands::Apart,
            Wrap::TopAndBottom => Stands::Between,
            Wrap::Beside => match self.takes(anchored).1 {
                // It stands in the margin.
                takes if takes <= 0.0 => Stands::Apart,
                // Beside what is as wide as the text nothing stands.
                takes if takes > self.page.room() - LEAST_BESIDE => Stands::Between,
                _ => Stands::Beside,
            },
        }
    }

    /// Whether a drawing stands on the left, and how much of the text's width it takes.
    fn takes(&self, anchored: &Anchored) -> (bool, f64) {
        let (x, room, width) = (self.left_of(anchored), self.page.room(), anchored.drawing.width);
        match x + width / 2.0 < room / 2.0 {
            true => (true, x + width + anchored.distance[1]),
            false => (false, room - x + anchored.distance[3]),
        }
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
        let mut rest = paragraph.inlines.as_slice();
        if tabs {
            // What is set at stops stays together.
            self.out.push_str("([");
            self.line_content(paragraph, rest, true);
            self.out.push_str("],), ");
            return;
        }
        let after_number;
        if paragraph.marker.is_some() {
            let (first, behind) = first_word(rest);
            self.out.push_str("([");
            self.line_content(paragraph, &first, true);
            self.out.push_str("], [");
            self.line_content(paragraph, &first, true);
            self.inline(&Inline::Text(" ".to_owned(), paragraph.mark.clone()), paragraph.line);
            self.out.push_str("]), ");
            after_number = behind;
            rest = &after_number;
        }
        for inline in rest {
            self.word(inline, paragraph.line);
        }
        if !paragraph.inlines.iter().any(Inline::takes_room) && paragraph.marker.is_none() {
            let height = line_height(&paragraph.mark, paragraph.line, self.wanted.fonts);
            let _ = write!(self.out, "(box(height: {}pt),), ", round(height));
        }
    }

    fn word(&mut self, inline: &Inline, line: Line) {
        match inline {
            Inline::Anchored(_) => {}
            Inline::Text(text, style) => {
                for word in text.split_inclusive(' ') {
                    self.out.push_str("([");
                    self.inline(&Inline::Text(word.trim_end_matches(' ').to_owned(), style.clone()), line);
                    self.out.push_str("], [");
                    self.inline(&Inline::Text(word.to_owned(), style.clone()), line);
                    self.out.push_str("]), ");
                }
            }
            other => {
                self.out.push_str("([");
                self.inline(other, line);
                self.out.push_str("],), ");
            }
        }
    }
}

/// The first word of a paragraph, and what follows the space behind it.
fn first_word(inlines: &[Inline]) -> (Vec<Inline>, Vec<Inline>) {
    let mut rest = inlines.to_vec();
    let text = rest.iter().position(Inline::takes_room).and_then(|at| match &rest[at] {
        Inline::Text(text, style) => Some((at, text.split_once(' ')?, style.clone())),
        _ => None,
    });
    let Some((at, (word, behind), style)) = text.map(|(at, (word, behind), style)| (at, (word.to_owned(), behind.to_owned()), style))
    else {
        return (rest, Vec::new());
    };
    rest[at] = Inline::Text(behind, style.clone());
    let mut first: Vec<Inline> = rest.drain(..at).collect();
    first.push(Inline::Text(word, style));
    (first, rest)
}
