//! Paragraphs: their place below one another, what is drawn round them, where
//! pages and columns end.

use std::fmt::Write;

use super::beside::Stands;
use super::inline::without_last_spaces;
use super::{Around, Writer, fill, inner_lines, line_height, round, space_after, strokes};
use crate::model::{Align, Anchored, Block, Inline, Line, Paragraph, Shows};

/// Whether a page or a column ends here.
fn is_end(inline: &Inline) -> bool {
    matches!(inline, Inline::PageBreak | Inline::ColumnBreak)
}

impl Writer<'_> {
    /// Writes the paragraph that the blocks begin with, and those that belong to
    /// it: within the same lines, or beside the same drawing. Gives how many.
    pub(super) fn paragraphs(&mut self, blocks: &[Block], above: f64, first: bool) -> usize {
        let Some(Block::Paragraph(paragraph)) = blocks.first() else { return 1 };
        if paragraph.page_break_before && self.around == Around::Page && !first {
            self.out.push_str("#pagebreak(weak: true)\n");
        }
        let begins = first || (paragraph.page_break_before && self.around == Around::Page);
        let mut above = above;
        if begins && above > 0.0 {
            let _ = write!(self.out, "#v({}pt)", round(above));
            above = 0.0;
        }
        if let Some(taken) = self.beside(blocks, above) {
            return taken;
        }
        let framed = |p: &Paragraph| p.shading.is_some() || p.borders.iter().any(Option::is_some);
        if !framed(paragraph) {
            self.paragraph(paragraph, above);
            return 1;
        }
        if self.ends(paragraph) {
            self.framed_in_parts(paragraph, above);
            return 1;
        }
        // Neighbours of the same lines and indents stand within one frame.
        let same = |p: &Paragraph| {
            p.borders == paragraph.borders
                && (p.shading == paragraph.shading || p.borders.iter().any(Option::is_some))
                && frame_edges(p) == frame_edges(paragraph)
                && !p.page_break_before
                && !self.ends(p)
        };
        let count = blocks.iter().take_while(|b| matches!(b, Block::Paragraph(p) if same(p))).count().max(1);
        self.frame(paragraph, blocks, count, above);
        count
    }

    /// The frame of the first of the blocks, a paragraph, with so many of them in it.
    fn frame(&mut self, paragraph: &Paragraph, blocks: &[Block], count: usize, above: f64) {
        let (left, right) = frame_edges(paragraph);
        let (second, within) = inner_lines(&paragraph.borders[..4]);
        // Lines have their distance from the text to their inner edge, and room of
        // their own; they are drawn along their middle.
        let half = |side: usize| paragraph.borders[side].as_ref().map_or(0.0, |b| b.width / 2.0);
        let space = |side: usize| paragraph.borders[side].as_ref().map_or(0.0, |b| b.space) + within[side] + half(side);
        let mixed = !blocks[..count].iter().all(|b| matches!(b, Block::Paragraph(p) if p.shading == paragraph.shading));
        let shading = if mixed { fill(None) } else { fill(paragraph.shading.as_ref()) };
        let _ = write!(
            self.out,
            "#framed({}pt, ({}pt, {}pt), {}pt, {}pt, {shading}, {}, ({}pt, {}pt, {}pt, {}pt), {}, [",
            round(above),
            round(half(0)),
            round(half(2)),
            round(left),
            round(right),
            strokes(&paragraph.borders[..4], |b| b.width),
            round(space(0)),
            round(space(1)),
            round(space(2)),
            round(space(3)),
            paragraph.keep_next,
        );
        let double = second != "none";
        if double {
            let out: [f64; 4] = std::array::from_fn(|side| round(space(side) - within[side]));
            let [top, right, bottom, left] = out;
            let _ = write!(
                self.out,
                "#block(width: 100%, stroke: {second}, outset: (top: {top}pt, right: {right}pt, bottom: {bottom}pt, left: {left}pt))[",
            );
        }
        let column = self.column;
        self.column = column.map(|width| width - left - right);
        let (mut after, mut before): (f64, Option<&Paragraph>) = (0.0, None);
        for (at, block) in blocks[..count].iter().enumerate() {
            let Block::Paragraph(own) = block else { continue };
            let joined = before.is_some_and(|b| own.contextual && b.style == own.style);
            let mut gap = if at == 0 { 0.0 } else { self.gap(after, if joined { 0.0 } else { own.space[0] }) };
            if let Some(between) = own.borders[4].as_ref().filter(|_| at > 0) {
                let _ = write!(
                    self.out,
                    "#between({}pt, {}, {}pt, {}pt)",
                    round(gap + between.space),
                    super::stroke(between),
                    round(space(3)),
                    round(space(1))
                );
                gap = between.space;
            }
            // Of neighbours with different colours each has its own.
            let own_fill = own.shading.as_ref().filter(|_| mixed);
            if let Some(shading) = own_fill {
                let sides = format!("(0pt, {}pt, 0pt, {}pt)", round(space(1)), round(space(3)));
                let _ =
                    write!(self.out, "#framed({}pt, (0pt, 0pt), 0pt, 0pt, {}, none, {sides}, false, [", round(gap), fill(Some(shading)));
                gap = 0.0;
            }
            let inner = Paragraph { indent: [own.indent[0] - left, own.indent[1] - right, own.indent[2]], ..own.clone() };
            self.paragraph(&inner, gap);
            if own_fill.is_some() {
                self.out.push_str("])\n");
            }
            after = space_after(own, blocks.get(at + 1));
            before = Some(own);
        }
        self.column = column;
        self.out.push_str(if double { "]])\n" } else { "])\n" });
    }

    /// A paragraph in a frame that pages or columns end in: they can't end within a
    /// frame, so that it ends before them and begins again behind.
    fn framed_in_parts(&mut self, paragraph: &Paragraph, above: f64) {
        let mut above = above;
        for (at, part) in paragraph.inlines.split_inclusive(is_end).enumerate() {
            let (end, text) = match part.split_last() {
                Some((end, text)) if is_end(end) => (Some(end), text),
                _ => (None, part),
            };
            let marker = paragraph.marker.clone().filter(|_| at == 0);
            if text.iter().any(Inline::takes_room) || marker.is_some() {
                let outline = paragraph.outline.filter(|_| at == 0);
                let own = Paragraph { inlines: text.to_vec(), marker, outline, ..paragraph.clone() };
                self.frame(&own, &[Block::Paragraph(own.clone())], 1, above);
            } else {
                self.inlines(text, paragraph.line);
            }
            above = 0.0;
            end.into_iter().for_each(|end| self.end(end));
        }
    }

    /// Whether pages or columns end in a paragraph that stands here.
    fn ends(&self, paragraph: &Paragraph) -> bool {
        self.around != Around::Box && paragraph.inlines.iter().any(is_end)
    }

    /// Ends a page or column, where one can end.
    fn end(&mut self, end: &Inline) {
        match (end, self.around) {
            (Inline::PageBreak, Around::Page) => self.out.push_str("#pagebreak()\n"),
            (Inline::ColumnBreak, Around::Page | Around::Columns) => self.out.push_str("#colbreak()\n"),
            _ => {}
        }
    }

    /// One paragraph, in pieces where pages or columns end in it.
    pub(super) fn paragraph(&mut self, paragraph: &Paragraph, above: f64) {
        let mut above = above;
        self.anchored(paragraph, &mut above);
        let mut rest = paragraph.inlines.as_slice();
        let mut first = true;
        loop {
            let at = rest.iter().position(is_end).unwrap_or(rest.len());
            let (piece, more) = rest.split_at(at);
            // Nothing before a break is no line; nothing after one is.
            let empty = first && !more.is_empty() && paragraph.marker.is_none() && !piece.iter().any(Inline::takes_room);
            if empty {
                self.inlines(piece, paragraph.line);
            } else if first || !piece.is_empty() {
                // Pages and columns end outside of what the lines run down.
                let barred = !paragraph.bars.is_empty();
                if barred {
                    let bars: String = paragraph.bars.iter().map(|at| format!("{}pt, ", round(*at))).collect();
                    let _ = writeln!(self.out, "#barred({}pt, ({bars}), {}, [", round(above), paragraph.keep_next);
                }
                self.piece(paragraph, piece, if barred { 0.0 } else { above }, first);
                if barred {
                    self.out.push_str("])\n");
                }
                first = false;
            }
            above = 0.0;
            let Some(end) = more.first() else { break };
            self.end(end);
            rest = &more[1..];
            if rest.is_empty() {
                break;
            }
        }
    }

    /// A paragraph, or the part of one up to a break.
    fn piece(&mut self, paragraph: &Paragraph, inlines: &[Inline], above: f64, is_first: bool) {
        if !inlines.iter().any(Inline::takes_room) && paragraph.marker.is_none() {
            inlines.iter().filter(|i| matches!(i, Inline::Place(_))).for_each(|i| self.inline(i, paragraph.line));
            let height = line_height(&paragraph.mark, paragraph.line, self.wanted.fonts);
            let _ = writeln!(self.out, "#empty({}pt, {}pt, {})", round(above), round(height), paragraph.keep_next);
            return;
        }
        let reaching;
        let paragraph = match self.reach(paragraph, inlines, is_first) {
            Some(right) => {
                reaching = Paragraph { indent: [paragraph.indent[0], right, paragraph.indent[2]], ..paragraph.clone() };
                &reaching
            }
            None => paragraph,
        };
        // Most paragraphs are lines and no more: a block for each would cost.
        let [left, right, first] = paragraph.indent;
        let plain =
            left + first.min(0.0) == 0.0 && right == 0.0 && !paragraph.keep_next && !paragraph.keep_lines && paragraph.outline.is_none();
        let _ = match plain {
            true if above > 0.0 => write!(self.out, "#v({}pt, weak: true)\n#q([", round(above)),
            true => write!(self.out, "#q(["),
            false => write!(self.out, "#p({}pt, [", round(above)),
        };
        self.lines = self.column.map(|width| width - left - right - first.max(0.0));
        self.line_content(paragraph, inlines, is_first);
        self.lines = None;
        self.out.push(']');
        self.arguments(paragraph, is_first);
        self.out.push_str(")\n");
    }

    /// What stands in a paragraph's lines.
    pub(super) fn line_content(&mut self, paragraph: &Paragraph, inlines: &[Inline], is_first: bool) {
        let marker = paragraph.marker.as_ref().filter(|m| is_first && !m.text.is_empty());
        let tabs = inlines.iter().any(|i| matches!(i, Inline::Tab(_)));
        let inlines = without_last_spaces(inlines);
        if tabs {
            // What is set at stops is not parted.
            self.lines = None;
        }
        match (marker, tabs) {
            (None, false) if only_pictures(&inlines) => self.pictures(paragraph, &inlines),
            (None, false) => self.inlines(&inlines, paragraph.line),
            (None, true) => self.tabbed(paragraph, &inlines, is_first),
            (Some(marker), tabs) => self.numbered(paragraph, marker, &inlines, tabs),
        }
    }

    /// A line of pictures alone: below them is what the line has beyond its font's own
    /// distance, and no room for signs that hang below it.
    fn pictures(&mut self, paragraph: &Paragraph, inlines: &[Inline]) {
        let single = line_height(&paragraph.mark, Line::Times(1.0), self.wanted.fonts);
        if let Line::Times(times) = paragraph.line
            && times > 1.0
        {
            let _ = write!(self.out, "#box(height: {}pt, baseline: 100%)", round(single * (times - 1.0)));
        }
        for inline in inlines {
            match self.width(std::slice::from_ref(inline)) {
                Some(width) if matches!(inline, Inline::Text(..)) => {
                    let _ = write!(self.out, "#h({}pt)", round(width));
                }
                _ => self.inline(inline, paragraph.line),
            }
        }
    }

    /// What the prelude's `p` is told besides.
    pub(super) fn arguments(&mut self, paragraph: &Paragraph, is_first: bool) {
        let [left, right, first] = paragraph.indent;
        // The typesetter's hanging indent counts from the block's edge.
        let (left, first, hang) = if first < 0.0 { (left + first, 0.0, -first) } else { (left, first, 0.0) };
        let out = &mut self.out;
        match paragraph.align {
            Align::Left => {}
            Align::Center => out.push_str(", al: center"),
            Align::Right => out.push_str(", al: right"),
            Align::Justify => out.push_str(", just: true"),
        }
        let mut length = |name: &str, value: f64| {
            if value != 0.0 {
                let _ = write!(out, ", {name}: {}pt", round(value));
            }
        };
        length("l", left);
        length("r", right);
        length("first", if is_first { first } else { 0.0 });
        length("hang", if is_first { hang } else { 0.0 });
        let unnumbered = self.numbers.is_some() && !paragraph.numbered;
        let mut flag = |name: &str, on: bool| {
            if on {
                let _ = write!(out, ", {name}: true");
            }
        };
        flag("sticky", paragraph.keep_next);
        flag("whole", paragraph.keep_lines);
        flag("unnumbered", unnumbered);
        let looks = [
            ("dir: rtl", paragraph.rtl),
            ("kerning: true", paragraph.rtl || runs_back(&paragraph.inlines)),
            ("costs: (widow: 0%, orphan: 0%)", !paragraph.widows),
            ("hyphenate: false", self.hyphenate && !paragraph.hyphenate),
        ];
        let looks: Vec<&str> = looks.iter().filter(|l| l.1).map(|l| l.0).collect();
        if !looks.is_empty() {
            let _ = write!(out, ", look: ({},)", looks.join(", "));
        }
        if let Some(level) = paragraph.outline.filter(|_| is_first && matches!(self.around, Around::Page | Around::Columns)) {
            // Levels that a document leaves out are closed up: bookmarks and tags
            // nest one by one.
            self.headings.retain(|above| *above < level);
            self.headings.push(level);
            let _ = write!(self.out, ", head: {}", self.headings.len());
        }
    }

    /// What stands apart from a paragraph's lines and does not move them, or moves
    /// all of them.
    fn anchored(&mut self, paragraph: &Paragraph, above: &mut f64) {
        paragraph.inlines.iter().filter_map(Inline::anchored).for_each(|a| self.alone(a, above));
    }

    /// A drawing beside which nothing is set: text stands beside one at a time.
    pub(super) fn alone(&mut self, anchored: &Anchored, above: &mut f64) {
        match self.stands(anchored) {
            Stands::Apart => self.placed(anchored, *above),
            Stands::Between | Stands::Beside => self.between_lines(anchored, above),
        }
    }
}

/// Whether nothing stands in a line but pictures and spaces between them.
fn only_pictures(inlines: &[Inline]) -> bool {
    let fits = |i: &Inline| match i {
        Inline::Drawing(drawing) => !matches!(drawing.shows, Shows::Shape { text: Some(_), .. }),
        Inline::Text(text, _) => text.bytes().all(|b| b == b' '),
        other => !other.takes_room(),
    };
    inlines.iter().all(fits) && inlines.iter().any(|i| matches!(i, Inline::Drawing(_)))
}

/// Whether text of it runs from right to left. Such text is shaped with its pairs
/// drawn together: rustybuzz 0.20 turns it round where they may not be.
pub(super) fn runs_back(inlines: &[Inline]) -> bool {
    inlines.iter().any(|inline| match inline {
        Inline::Text(text, _) => {
            text.chars().any(|c| matches!(c, '\u{590}'..='\u{8ff}' | '\u{fb1d}'..='\u{fdff}' | '\u{fe70}'..='\u{feff}'))
        }
        Inline::Link(_, inner) => runs_back(inner),
        Inline::Marked(_, inner) => runs_back(std::slice::from_ref(inner)),
        _ => false,
    })
}

/// The left and right edge of what is drawn round a paragraph.
fn frame_edges(paragraph: &Paragraph) -> (f64, f64) {
    let [left, right, first] = paragraph.indent;
    (left + first.min(0.0), right)
}
