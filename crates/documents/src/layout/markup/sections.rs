//! Sections: paper, headers and footers, columns, what stands behind the text.

use std::fmt::Write;

use super::flow::can_flow;
use super::{Around, Writer, below, edges, inner_lines, line_height, pattern, round, strokes};
use crate::layout::fonts::FontSet;
use crate::model::{Anchored, Anew, Block, Cell, Document, Edge, From, Inline, LineNumbers, Paragraph, Position, Section, Start, Vertical};

impl Writer<'_> {
    pub(super) fn document(&mut self, document: &Document) {
        let mut at = 0;
        while at < document.sections.len() {
            // Sections that go on on the same paper share its pages.
            let first = &document.sections[at];
            let more = document.sections[at + 1..].iter().take_while(|s| s.start == Start::Continuous && s.page == first.page);
            let until = at + 1 + more.count();
            self.pages(document, at, &document.sections[at..until]);
            at = until;
        }
        if !document.endnotes.is_empty() {
            self.out.push_str("#endnotes[");
            self.boxed(&document.endnotes, Some(self.page.room()));
            self.out.push_str("]\n");
        }
        self.out.push_str("#metadata(none)<last>\n");
    }

    /// The pages of sections that share them; the first says what they look like.
    fn pages(&mut self, document: &Document, index: usize, sections: &[Section]) {
        let section = &sections[0];
        let page = &section.page;
        (self.page, self.number_format, self.section) = (*page, section.number_format, index);
        let room = page.room();
        self.column = Some(room);
        let fonts = self.wanted.fonts;
        // A header or footer higher than its margin pushes the text away.
        let needs = |edge: &Edge| edge.all().map(|blocks| height(blocks, room, fonts)).fold(0.0, f64::max);
        let names = [format!("h{index}"), format!("f{index}")];
        let mut margins = [String::new(), String::new()];
        for (at, edge) in [&section.header, &section.footer].into_iter().enumerate() {
            let distance = if at == 0 { page.header } else { page.footer };
            // What the last line has beyond its font's own distance may hang below.
            let margin = page.margin[at * 2] - if at == 1 { document.hangs } else { 0.0 };
            self.around = Around::Edge(if at == 0 { page.header } else { page.height - margin });
            for (kind, blocks) in [("", Some(&edge.usual)), ("first", edge.first.as_ref()), ("even", edge.even.as_ref())] {
                let Some(blocks) = blocks else { continue };
                let _ = write!(self.out, "#let {}{kind}(top-margin, bottom-margin) = [", names[at]);
                self.blocks(blocks);
                self.out.push_str("]\n");
            }
            self.around = Around::Page;
            let available = margin - distance;
            let known = || edge.all().map(|blocks| self.known_height(blocks, room)).try_fold(0.0, |most: f64, own| Some(most.max(own?)));
            margins[at] = match !page.fixed[at] && needs(edge) * 1.25 > available {
                true if known().is_some() => format!("{}pt", round(margin.max(distance + known().unwrap_or_default()))),
                true => {
                    let kinds = [("", true), ("first", edge.first.is_some()), ("even", edge.even.is_some())];
                    let own = format!("({}pt, {}pt)", round(page.margin[0]), round(page.margin[2]));
                    let kinds: Vec<String> = kinds.iter().filter(|k| k.1).map(|(k, _)| format!("{}{k}{own}", names[at])).collect();
                    format!("outgrow({}pt, {}pt, {}pt, {})", round(margin), round(distance), round(room), kinds.join(", "))
                }
                false => format!("{}pt", round(margin)),
            };
        }
        // Only what must be measured stands in a context: it costs a second pass.
        let measured = margins.iter().any(|m| m.starts_with("outgrow"));
        let hash = if measured { "" } else { "#" };
        if measured {
            self.out.push_str("#context {\n");
        }
        let _ = write!(self.out, "{hash}let top-margin = {}\n{hash}let bottom-margin = {}\n", margins[0], margins[1]);
        let _ = write!(
            self.out,
            "{hash}set page(width: {}pt, height: {}pt, margin: (top: top-margin, right: {}pt, bottom: bottom-margin, left: {}pt), header-ascent: 0pt, footer-descent: 0pt, numbering: \"{}\", ",
            round(page.width),
            round(page.height),
            round(page.margin[1]),
            round(page.margin[3]),
            pattern(section.number_format),
        );
        self.edge(index, "header", &names[0], &section.header, &format!("top-margin - {}pt", round(page.header)), "top");
        self.edge(index, "footer", &names[1], &section.footer, &format!("bottom-margin - {}pt", round(page.footer)), "bottom");
        let columns = if sections.len() == 1 && section.column_widths.is_empty() { section.columns.0 } else { 1 };
        if columns > 1 {
            let _ = write!(self.out, "columns: {columns}, ");
        }
        self.out.push_str("background: {");
        self.background(index, section);
        if section.column_lines && columns > 1 {
            let (gap, step) = (section.columns.1, (room + section.columns.1) / columns as f64);
            for n in 1..columns {
                let _ = writeln!(
                    self.out,
                    "place(top + left, dx: {}pt, dy: top-margin, line(angle: 90deg, length: {}pt - top-margin - bottom-margin, stroke: 0.5pt))",
                    round(page.margin[3] + step * n as f64 - gap / 2.0),
                    round(page.height),
                );
            }
        }
        let _ = writeln!(self.out, "}}, foreground: {})", if self.wanted.proof { "proof" } else { "none" });
        if columns > 1 {
            let _ = writeln!(self.out, "{hash}set columns(gutter: {}pt)", round(section.columns.1));
        }
        // What is set for the lines of these pages ends with their context.
        let numbers = self.numbers;
        if measured {
            self.out.push('[');
        }
        if section.start == Start::EvenPage || section.start == Start::OddPage {
            let to = if section.start == Start::EvenPage { "even" } else { "odd" };
            let _ = writeln!(self.out, "#pagebreak(weak: true, to: \"{to}\")");
        }
        let number = match self.wanted.through {
            // As a part of more it goes on from the parts before it.
            Some(through) => (index == 0).then_some(through.first),
            None => section.number_from.map(|number| number as usize),
        };
        if let Some(number) = number {
            let _ = writeln!(self.out, "#counter(page).update({number})");
        }
        let _ = writeln!(self.out, "#metadata(none)<s{index}>");
        if section.vertical != Vertical::Top {
            self.out.push_str("#v(1fr)\n");
        }
        let mut below = 0.0;
        for (at, section) in sections.iter().enumerate() {
            if at > 0 {
                self.section = index + at;
                let _ = writeln!(self.out, "#metadata(none)<s{}>", index + at);
            }
            self.line_numbers(document, index + at);
            let (count, gap) = section.columns;
            self.column = Some((room - gap * count.saturating_sub(1) as f64) / count.max(1) as f64);
            let above = match section.blocks.first() {
                Some(Block::Paragraph(first)) => self.gap(below, first.space[0]),
                _ => below,
            };
            below = match count > 1 && columns == 1 {
                true => self.in_columns(section, above, at > 0, at + 1 < sections.len()),
                false => self.stacked(&section.blocks, above),
            };
        }
        if section.vertical == Vertical::Middle {
            self.out.push_str("#v(1fr)\n");
        }
        let _ = writeln!(self.out, "#metadata(none)<e{index}>");
        if measured {
            self.out.push_str("]\n}\n");
            self.numbers = numbers;
        }
    }

    /// Columns of a part of a page, with so much above them; gives the space that the last of
    /// the text asks for below it.
    fn in_columns(&mut self, section: &Section, mut above: f64, after_text: bool, more: bool) -> f64 {
        if after_text {
            // All columns begin below the space of the first.
            self.space(std::mem::take(&mut above));
        }
        self.around = Around::Columns;
        let flows = !section.column_widths.is_empty() || (more && can_flow(&section.blocks));
        if flows {
            self.flow(section, above, after_text, more);
        } else {
            let (count, gutter) = (section.columns.0, round(section.columns.1));
            let _ = write!(self.out, "#across({count}, {gutter}pt, {more}, {}, [", section.column_lines);
            let after = self.stacked(&section.blocks, above);
            self.space(after);
            self.out.push_str("])\n");
        }
        self.around = Around::Page;
        if flows { below(&section.blocks) } else { 0.0 }
    }

    /// Numbers beside the lines of a section, where they are not those of the one before.
    fn line_numbers(&mut self, document: &Document, index: usize) {
        let numbers = document.sections[index].line_numbers;
        let anew = |section: &Section| section.line_numbers.is_some_and(|numbers| numbers.anew == Anew::EachSection);
        // The typesetter counts on: where a section begins anew, the last number of the one
        // before is taken off.
        let counted = document.sections.iter().any(anew);
        if self.numbers == numbers && !counted {
            return;
        }
        self.numbers = numbers;
        let Some(LineNumbers { every, from, distance, anew }) = numbers else {
            self.out.push_str("#set par.line(numbering: none)\n");
            return;
        };
        let mut marks = String::new();
        if counted {
            let _ = write!(marks, ", own: <l{index}>");
            let before = document.sections[..index].iter().rposition(|section| section.line_numbers.is_some());
            if let (Some(before), Anew::EachSection) = (before, anew) {
                let _ = write!(marks, ", before: <l{before}>");
            }
        }
        let _ = writeln!(
            self.out,
            "#set par.line(numbering: line-numbers({every}, {from}{marks}), number-clearance: {}pt, numbering-scope: \"{}\")",
            round(distance),
            if anew == Anew::EachPage { "page" } else { "document" },
        );
    }

    /// The header or footer of the pages, whichever of its kinds they show.
    fn edge(&mut self, index: usize, name: &str, content: &str, edge: &Edge, height: &str, at: &str) {
        if edge.all().all(Vec::is_empty) {
            let _ = write!(self.out, "{name}: none, ");
            return;
        }
        let shown = |kind: &str| format!("{content}{kind}(top-margin, bottom-margin)");
        let mut chosen = shown("");
        if edge.even.is_some() {
            chosen = format!("if calc.even(counter(page).get().first()) {{ {} }} else {{ {chosen} }}", shown("even"));
        }
        if edge.first.is_some() {
            let begins = format!("here().page() == query(<s{index}>).first().location().page()");
            chosen = format!("if {begins} {{ {} }} else {{ {chosen} }}", shown("first"));
        }
        if edge.even.is_some() || edge.first.is_some() {
            chosen = format!("context {chosen}");
        }
        let _ = write!(self.out, "{name}: block(width: 100%, height: {height}, align({at}, {{ {chosen} }})), ");
    }

    /// What stands behind the text of every page: its border, and what its header
    /// and footer hold there.
    fn background(&mut self, index: usize, section: &Section) {
        if let Some((borders, from_text)) = &section.border {
            let page = &section.page;
            let space = |side: usize| borders[side].as_ref().map_or(0.0, |b| b.space);
            let [top, right, bottom, left]: [f64; 4] =
                std::array::from_fn(|side| if *from_text { page.margin[side] - space(side) } else { space(side) });
            let (second, within) = inner_lines(borders);
            for (lines, [t, r, b, l]) in [(strokes(borders, |b| b.width), [0.0; 4]), (second, within)] {
                if lines != "none" {
                    let _ = writeln!(
                        self.out,
                        "place(top + left, dx: {}pt, dy: {}pt, rect(width: {}pt, height: {}pt, stroke: {lines}, fill: none))",
                        round(left + l),
                        round(top + t),
                        round(page.width - left - right - l - r),
                        round(page.height - top - bottom - t - b),
                    );
                }
            }
        }
        for edge in [&section.header, &section.footer] {
            let mut behind = Vec::new();
            edge.usual.iter().for_each(|b| behind_text(b, &mut behind));
            let mut first = Vec::new();
            edge.first.iter().flatten().for_each(|b| behind_text(b, &mut first));
            match &edge.first {
                Some(_) if !(behind.is_empty() && first.is_empty()) => {
                    let _ = write!(self.out, "context if here().page() == query(<s{index}>).first().location().page() {{ ");
                    first.iter().for_each(|a| self.on_paper(a));
                    self.out.push_str("} else {");
                    behind.iter().for_each(|a| self.on_paper(a));
                    self.out.push_str("}\n");
                }
                _ => behind.iter().for_each(|a| self.on_paper(a)),
            }
        }
    }
}

/// Whether a drawing of a header stands on the paper behind the text.
pub(super) fn on_paper(anchored: &Anchored) -> bool {
    let placed = |position: Position| position.from != From::Text || position.at.is_err();
    anchored.behind && placed(anchored.x) && placed(anchored.y)
}

fn behind_text<'a>(block: &'a Block, found: &mut Vec<&'a Anchored>) {
    if let Block::Paragraph(paragraph) = block {
        found.extend(paragraph.inlines.iter().filter_map(Inline::anchored).map(|a| &**a).filter(|a| on_paper(a)));
    }
}

impl Writer<'_> {
    /// How high blocks are, where each is sure to be one line.
    fn known_height(&self, blocks: &[Block], room: f64) -> Option<f64> {
        let mut height = 0.0;
        for (at, block) in blocks.iter().enumerate() {
            let Block::Paragraph(paragraph) = block else { return None };
            height += self.above(blocks, at) + self.one_line(paragraph, room)?;
        }
        Some(height + below(blocks))
    }

    /// The height of a paragraph's one line.
    fn one_line(&self, paragraph: &Paragraph, room: f64) -> Option<f64> {
        let plain = paragraph.shading.is_none() && paragraph.borders.iter().all(Option::is_none) && paragraph.marker.is_none();
        if !plain || paragraph.rtl || paragraph.tabs.iter().any(|t| t.at > room + 1.0) {
            return None;
        }
        let (mut top, mut bottom, mut width, mut any): (f64, f64, f64, bool) = (0.0, 0.0, 0.0, false);
        for inline in &paragraph.inlines {
            let inline = if let Inline::Marked(_, inner) = inline { inner } else { inline };
            let looks = match inline {
                Inline::Text(_, style) | Inline::Page(style, _) | Inline::Pages(style) => Some(style),
                Inline::Drawing(drawing) if drawing.turned == 0.0 => {
                    top = top.max(drawing.height);
                    None
                }
                Inline::Tab(_) | Inline::Place(_) => continue,
                _ => return None,
            };
            any = true;
            if let Some(style) = looks {
                if style.raise != Default::default() || style.shift != 0.0 {
                    return None;
                }
                let (above, below) = edges(style, paragraph.line, self.wanted.fonts);
                (top, bottom) = (top.max(above), bottom.max(below));
            }
            width += match inline {
                Inline::Page(style, _) | Inline::Pages(style) => style.size * 4.0,
                other => self.width(std::slice::from_ref(other))?,
            };
        }
        let [left, right, first] = paragraph.indent;
        match any {
            false => Some(line_height(&paragraph.mark, paragraph.line, self.wanted.fonts)),
            true => (width < (room - left - right - first.max(0.0)) * 0.95).then_some(top + bottom),
        }
    }
}

/// About how high blocks will be: whether a header may outgrow its margin.
pub(super) fn height(blocks: &[Block], width: f64, fonts: &FontSet) -> f64 {
    blocks
        .iter()
        .map(|block| match block {
            Block::Paragraph(paragraph) => {
                let mut line = line_height(&paragraph.mark, paragraph.line, fonts);
                let (mut run, mut lines) = (0.0, 1.0);
                for inline in &paragraph.inlines {
                    let inline = if let Inline::Marked(_, inner) = inline { inner } else { inline };
                    match inline {
                        Inline::Text(text, style) => {
                            run += text.chars().count() as f64 * style.size * 0.47;
                            line = line.max(line_height(style, paragraph.line, fonts));
                        }
                        Inline::Drawing(drawing) => line = line.max(drawing.height),
                        Inline::Signer(_, _, height, _) => line = line.max(*height),
                        Inline::Break => lines += 1.0,
                        _ => {}
                    }
                }
                paragraph.space[0] + paragraph.space[1] + line * (lines + (run / width.max(36.0) - 0.05).floor().max(0.0))
            }
            Block::Table(table) => table
                .rows
                .iter()
                .map(|row| {
                    let cell = |c: &Cell| {
                        height(&c.blocks, width / table.columns.len().max(1) as f64 * c.columns as f64, fonts) + c.margin[0] + c.margin[2]
                    };
                    row.cells.iter().map(cell).fold(row.least, f64::max)
                })
                .sum(),
        })
        .sum()
}
