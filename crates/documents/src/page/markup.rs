//! Page model → the typesetter's markup. All text goes in as escaped string
//! literals: nothing of a record is ever read as markup.

use std::fmt::Write;
use std::sync::Arc;

use super::fonts::{line_metrics, stand_in};
use super::model::{Align, Block, Border, Cell, Document, Inline, Line, Paragraph, Raise, Section, TabKind, Table, TextStyle, Vertical};

/// Marks go through the typesetter as links to addresses of this kind.
pub(super) const MARK: &str = "mark:";

/// The markup of a document and the pictures that it shows.
pub(super) struct Markup {
    pub source: String,
    /// Part names, in the order of their numbers.
    pub pictures: Vec<Arc<str>>,
}

/// Writes a document's markup.
pub(super) fn write(document: &Document, tab: f64, proof: bool) -> Markup {
    let mut writer = Writer { out: String::with_capacity(16 << 10), styles: Vec::new(), pictures: Vec::new(), tab, proof };
    for (index, section) in document.sections.iter().enumerate() {
        writer.section(index, section);
    }
    writer.finish()
}

struct Writer {
    out: String,
    /// Looks used so far, each with its line rule; their index is their name.
    styles: Vec<(Arc<TextStyle>, Line)>,
    pictures: Vec<Arc<str>>,
    tab: f64,
    proof: bool,
}

impl Writer {
    fn finish(self) -> Markup {
        let mut source = String::with_capacity(self.out.len() + 512 * (self.styles.len() + 2));
        source.push_str("#import \"/prelude.typ\": *\n#set text(lang: \"en\", hyphenate: false, fallback: true)\n#set par(leading: 0pt, spacing: 0pt, linebreaks: \"simple\")\n#set block(spacing: 0pt)\n");
        for (index, (style, line)) in self.styles.iter().enumerate() {
            define(&mut source, index, style, *line);
        }
        source.push_str(&self.out);
        Markup { source, pictures: self.pictures }
    }

    fn style(&mut self, style: &Arc<TextStyle>, line: Line) -> usize {
        if let Some(at) = self.styles.iter().position(|(own, l)| *l == line && (Arc::ptr_eq(own, style) || own == style)) {
            return at;
        }
        self.styles.push((style.clone(), line));
        self.styles.len() - 1
    }

    // Sections.

    fn section(&mut self, index: usize, section: &Section) {
        let page = &section.page;
        let width = page.width - page.margin[1] - page.margin[3];
        // A header or footer higher than its margin pushes the text away.
        let top = page.margin[0].max(page.header + height(&section.header, width));
        let bottom = page.margin[2].max(page.footer + height(&section.footer, width));
        let _ = write!(
            self.out,
            "#set page(width: {}pt, height: {}pt, margin: (top: {}pt, right: {}pt, bottom: {}pt, left: {}pt), header-ascent: 0pt, footer-descent: 0pt, foreground: {}, ",
            page.width,
            page.height,
            round(top),
            page.margin[1],
            round(bottom),
            page.margin[3],
            if self.proof { "proof" } else { "none" },
        );
        let first = section.first.as_ref();
        self.edge(index, "header", &section.header, first.map(|f| &f.0), round(top - page.header), "top");
        self.edge(index, "footer", &section.footer, first.map(|f| &f.1), round(bottom - page.footer), "bottom");
        self.out.push_str(")\n");
        if let Some(number) = section.number_from {
            let _ = writeln!(self.out, "#counter(page).update({number})");
        }
        let _ = writeln!(self.out, "#metadata(none)<s{index}>");
        self.blocks(&section.blocks, true);
    }

    fn edge(&mut self, index: usize, name: &str, blocks: &[Block], first: Option<&Vec<Block>>, height: f64, at: &str) {
        let _ = write!(self.out, "{name}: ");
        if blocks.is_empty() && first.is_none_or(Vec::is_empty) {
            self.out.push_str("none, ");
            return;
        }
        let open = format!("block(width: 100%, height: {}pt, align({at}, [", height.max(0.0));
        match first {
            Some(first) => {
                let _ = write!(self.out, "context if here().page() == query(<s{index}>).first().location().page() {{ {open}");
                self.blocks(first, false);
                let _ = write!(self.out, "])) }} else {{ {open}");
                self.blocks(blocks, false);
                self.out.push_str("])) }, ");
            }
            None => {
                self.out.push_str(&open);
                self.blocks(blocks, false);
                self.out.push_str("])), ");
            }
        }
    }

    // Blocks.

    fn blocks(&mut self, blocks: &[Block], top_level: bool) {
        let mut after = 0.0;
        let mut before: Option<&Paragraph> = None;
        for (index, block) in blocks.iter().enumerate() {
            match block {
                Block::Paragraph(paragraph) => {
                    let joined = before.is_some_and(|b| b.style == paragraph.style);
                    let next = match blocks.get(index + 1) {
                        Some(Block::Paragraph(next)) => Some(next),
                        _ => None,
                    };
                    let above = after + if paragraph.contextual && joined { 0.0 } else { paragraph.space[0] };
                    self.paragraph(paragraph, above, index == 0, top_level);
                    after = if paragraph.contextual && next.is_some_and(|n| n.style == paragraph.style) { 0.0 } else { paragraph.space[1] };
                    before = Some(paragraph);
                }
                Block::Table(table) => {
                    self.table(table, after);
                    after = 0.0;
                    before = None;
                }
            }
        }
        // Space after the last paragraph of a cell or header counts.
        if !top_level && after > 0.0 {
            let _ = write!(self.out, "#v({}pt)", round(after));
        }
    }

    fn paragraph(&mut self, paragraph: &Paragraph, above: f64, first: bool, top_level: bool) {
        if paragraph.page_break_before && top_level && !first {
            self.out.push_str("#pagebreak(weak: true)\n");
        }
        let mut above = above;
        if first && above > 0.0 {
            let _ = write!(self.out, "#v({}pt)", round(above));
            above = 0.0;
        }
        for (index, piece) in paragraph.inlines.split(|i| *i == Inline::PageBreak).enumerate() {
            if index > 0 && top_level {
                self.out.push_str("#pagebreak()\n");
                if piece.is_empty() {
                    continue;
                }
            }
            self.piece(paragraph, piece, above, index == 0);
        }
    }

    /// A paragraph, or the part of one up to a page break.
    fn piece(&mut self, paragraph: &Paragraph, inlines: &[Inline], above: f64, is_first: bool) {
        let fill = paragraph.shading.as_ref().map_or("none".to_owned(), |c| format!("rgb(\"#{c}\")"));
        let sides = [("top", &paragraph.borders[0]), ("bottom", &paragraph.borders[1])];
        let strokes: Vec<String> = sides.iter().filter_map(|(side, b)| b.as_ref().map(|b| format!("{side}: {}", stroke(b)))).collect();
        let stroke = if strokes.is_empty() { "none".to_owned() } else { format!("({})", strokes.join(", ")) };
        if inlines.is_empty() && paragraph.marker.is_none() {
            let _ = writeln!(
                self.out,
                "#empty({}pt, {}pt, {fill}, {stroke})",
                round(above),
                round(line_height(&paragraph.mark, paragraph.line))
            );
            return;
        }
        let [left, right, first] = paragraph.indent;
        // The typesetter's hanging indent counts from the block's edge.
        let (block_left, first_line, hang) = if first < 0.0 { (left + first, 0.0, -first) } else { (left, first, 0.0) };
        let align = match paragraph.align {
            Align::Center => "center",
            Align::Right => "right",
            Align::Left | Align::Justify => "left",
        };
        let _ = write!(
            self.out,
            "#p({}pt, {align}, {}, {}pt, {}pt, {}pt, {}pt, {fill}, {stroke}, {}, [",
            round(above),
            paragraph.align == Align::Justify,
            round(block_left),
            round(right),
            round(if is_first { first_line } else { 0.0 }),
            round(hang),
            paragraph.keep_next,
        );
        if let Some(marker) = paragraph.marker.as_ref().filter(|m| is_first && !m.text.is_empty()) {
            let style = self.style(&marker.style, paragraph.line);
            let width = if hang > 0.0 { hang } else { self.tab / 2.0 };
            let _ = write!(self.out, "#marker({}pt, s{style}({}))", round(width), literal(&format!("{} ", marker.text)));
        }
        match inlines.iter().any(|i| matches!(i, Inline::Tab(_))) {
            true => self.tabbed(paragraph, inlines, left + first),
            false => self.inlines(inlines, paragraph.line),
        }
        self.out.push_str("])\n");
    }

    /// Each line of a paragraph with tabs, its segments set at their stops.
    fn tabbed(&mut self, paragraph: &Paragraph, inlines: &[Inline], start: f64) {
        let mut stops: Vec<String> = paragraph
            .tabs
            .iter()
            .map(|(at, kind)| {
                let kind = match kind {
                    TabKind::Left => "left",
                    TabKind::Center => "center",
                    TabKind::Right => "right",
                };
                format!("({}pt, \"{kind}\")", round(*at))
            })
            .collect();
        if paragraph.indent[2] < 0.0 {
            stops.insert(0, format!("({}pt, \"left\")", round(paragraph.indent[0])));
        }
        let stops: String = stops.iter().map(|s| format!("{s}, ")).collect();
        for (index, line) in inlines.split(|i| *i == Inline::Break).enumerate() {
            if index > 0 {
                self.out.push_str("#linebreak()");
            }
            let from = if index == 0 { start } else { paragraph.indent[0] };
            let _ = write!(self.out, "#tabs({}pt, ({stops}), {}pt, (", round(from), self.tab);
            for segment in line.split(|i| matches!(i, Inline::Tab(_))) {
                self.out.push('[');
                self.inlines(segment, paragraph.line);
                self.out.push_str("], ");
            }
            self.out.push_str("))");
        }
    }

    // Inlines.

    fn inlines(&mut self, inlines: &[Inline], line: Line) {
        for inline in inlines {
            match inline {
                Inline::Text(text, style) => self.text(text, style, line),
                Inline::Break => self.out.push_str("#linebreak()"),
                Inline::PageBreak | Inline::Tab(_) => {}
                Inline::Page(style) => {
                    let style = self.style(style, line);
                    let _ = write!(self.out, "#s{style}(context counter(page).display(\"1\"))");
                }
                Inline::Pages(style) => {
                    let style = self.style(style, line);
                    let _ = write!(self.out, "#s{style}(context str(counter(page).final().first()))");
                }
                Inline::Picture(part, width, height, text) => {
                    let number = self.pictures.iter().position(|p| p == part).unwrap_or_else(|| {
                        self.pictures.push(part.clone());
                        self.pictures.len() - 1
                    });
                    let _ = write!(
                        self.out,
                        "#box(image(\"{}\", width: {}pt, height: {}pt, fit: \"stretch\", alt: {}))",
                        picture_path(number, part),
                        round(*width),
                        round(*height),
                        literal(text)
                    );
                }
                Inline::Signer(number, width, height) => {
                    let _ = write!(self.out, "#signer({number}, {}pt, {}pt)", round(*width), round(*height));
                }
                Inline::Link(address, inner) => {
                    let _ = write!(self.out, "#link({}, [", literal(address));
                    self.inlines(inner, line);
                    self.out.push_str("])");
                }
                Inline::Marked(number, inner) => {
                    let _ = write!(self.out, "#link(\"{MARK}{number}\", [");
                    self.inlines(std::slice::from_ref(inner), line);
                    self.out.push_str("])");
                }
            }
        }
    }

    fn text(&mut self, text: &str, style: &Arc<TextStyle>, line: Line) {
        if style.small_caps && !style.caps {
            return self.small_caps(text, style, line);
        }
        let name = self.style(style, line);
        let shown = if style.caps { text.to_uppercase() } else { text.to_owned() };
        let mut wrapped = format!("s{name}({})", literal(&shown));
        if style.underline {
            wrapped = format!("underline({wrapped})");
        }
        if style.strike {
            wrapped = format!("strike({wrapped})");
        }
        if let Some(color) = &style.highlight {
            wrapped = format!("highlight(fill: rgb(\"#{color}\"), {wrapped})");
        }
        let _ = write!(self.out, "#{wrapped}");
    }

    /// Small letters as capitals of four fifths the size.
    fn small_caps(&mut self, text: &str, style: &Arc<TextStyle>, line: Line) {
        let large = Arc::new(TextStyle { small_caps: false, caps: true, ..TextStyle::clone(style) });
        let small = Arc::new(TextStyle { size: style.size * 0.8, ..TextStyle::clone(&large) });
        let mut rest = text;
        while let Some(first) = rest.chars().next() {
            let is_small = first.is_lowercase();
            let end = rest.find(|c: char| c.is_lowercase() != is_small).unwrap_or(rest.len());
            self.text(&rest[..end], if is_small { &small } else { &large }, line);
            rest = &rest[end..];
        }
    }

    // Tables.

    fn table(&mut self, table: &Table, above: f64) {
        let columns: String = table.columns.iter().map(|w| format!("{}pt, ", round(*w))).collect();
        let align = match table.align {
            Align::Center => "center",
            Align::Right => "right",
            _ => "left",
        };
        let _ = write!(
            self.out,
            "#block(above: {}pt, below: 0pt, width: 100%, align({align}, pad(left: {}pt, table(columns: ({columns}), inset: 0pt, stroke: none, align: left + top, ",
            round(above),
            round(if table.align == Align::Left { table.indent } else { 0.0 })
        );
        let headers = table.rows.iter().take_while(|r| r.header).count();
        if headers > 0 && headers < table.rows.len() {
            self.out.push_str("table.header(repeat: true, ");
            self.rows(table, 0..headers);
            self.out.push_str("), ");
            self.rows(table, headers..table.rows.len());
        } else {
            self.rows(table, 0..table.rows.len());
        }
        self.out.push_str("))))\n");
    }

    fn rows(&mut self, table: &Table, range: std::ops::Range<usize>) {
        for (y, row) in table.rows.iter().enumerate().filter(|(y, _)| range.contains(y)) {
            if row.cells.is_empty() {
                // A row whose cells all belong to cells above.
                continue;
            }
            for cell in &row.cells {
                self.cell(cell, y - range.start.min(y), row.least);
            }
        }
    }

    fn cell(&mut self, cell: &Cell, _row: usize, least: f64) {
        let sides = ["top", "right", "bottom", "left"];
        let strokes: String =
            sides.iter().zip(&cell.borders).filter_map(|(side, b)| b.as_ref().map(|b| format!("{side}: {}, ", stroke(b)))).collect();
        let strokes = if strokes.is_empty() { "none".to_owned() } else { format!("({strokes})") };
        let fill = cell.shading.as_ref().map_or("none".to_owned(), |c| format!("rgb(\"#{c}\")"));
        let [top, right, bottom, left] = cell.margin.map(round);
        let vertical = match cell.vertical {
            Vertical::Top => "top",
            Vertical::Middle => "horizon",
            Vertical::Bottom => "bottom",
        };
        let _ = write!(
            self.out,
            "table.cell(colspan: {}, rowspan: {}, fill: {fill}, stroke: {strokes}, align: left + {vertical}, inset: (top: {top}pt, right: {right}pt, bottom: {bottom}pt, left: {left}pt), [",
            cell.columns, cell.rows
        );
        let strut = least - top - bottom;
        if strut > 0.0 {
            // The least height of a row: a strut beside the content.
            let _ = write!(self.out, "#grid(columns: (0pt, 1fr), align: left + {vertical}, block(height: {}pt), [", round(strut));
            self.blocks(&cell.blocks, false);
            self.out.push_str("])");
        } else {
            self.blocks(&cell.blocks, false);
        }
        self.out.push_str("]), ");
    }
}

/// The virtual path of a picture: few of them for the whole process.
pub(super) fn picture_path(number: usize, part: &str) -> String {
    let kind = part.rsplit_once('.').map(|(_, e)| e.to_ascii_lowercase());
    let kind = match kind.as_deref() {
        Some("png") => "png",
        Some("gif") => "gif",
        Some("webp") => "webp",
        Some("svg") => "svg",
        _ => "jpg",
    };
    format!("/picture-{number}.{kind}")
}

/// Defines a look as a function `sN`.
fn define(out: &mut String, index: usize, style: &TextStyle, line: Line) {
    let font = stand_in(&style.font);
    let size = if style.raise == Raise::None { style.size } else { style.size * 0.65 };
    let (top, bottom) = edges(style, line);
    let _ = write!(
        out,
        "#let s{index} = text.with(font: (\"{}\", \"Noto Sans Arabic\", \"Noto Sans Hebrew\", \"DejaVu Sans\"), size: {}pt, top-edge: {}pt, bottom-edge: {}pt",
        font.shown,
        round(size),
        round(top),
        round(-bottom)
    );
    if style.bold {
        out.push_str(", weight: 700");
    }
    if style.italic {
        out.push_str(", style: \"italic\"");
    }
    if let Some(color) = &style.color {
        let _ = write!(out, ", fill: rgb(\"#{color}\")");
    }
    if style.tracking != 0.0 {
        let _ = write!(out, ", tracking: {}pt", round(style.tracking.clamp(-20.0, 100.0)));
    }
    match style.raise {
        Raise::Super => {
            let _ = write!(out, ", baseline: {}pt", round(-style.size * 0.33));
        }
        Raise::Sub => {
            let _ = write!(out, ", baseline: {}pt", round(style.size * 0.14));
        }
        Raise::None => {}
    }
    if let Some((language, region)) = style.language.as_deref().and_then(language) {
        let _ = write!(out, ", lang: \"{language}\"");
        if let Some(region) = region {
            let _ = write!(out, ", region: \"{region}\"");
        }
    }
    out.push_str(")\n");
}

fn language(tag: &str) -> Option<(String, Option<String>)> {
    let mut parts = tag.split(['-', '_']);
    let letters = |p: &&str| (2..=3).contains(&p.len()) && p.bytes().all(|b| b.is_ascii_alphabetic());
    let language = parts.next().filter(letters)?.to_ascii_lowercase();
    let region = parts.find(|p| p.len() == 2 && p.bytes().all(|b| b.is_ascii_alphabetic())).map(str::to_ascii_lowercase);
    Some((language, region))
}

/// From the baseline to the top and the bottom of a line of this look.
fn edges(style: &TextStyle, line: Line) -> (f64, f64) {
    let (ascent, descent, gap) = line_metrics(stand_in(&style.font).shown, style.bold, style.italic);
    let natural = (ascent + descent + gap) * style.size;
    let below = descent * style.size;
    match line {
        Line::Times(times) => (natural * times - below, below),
        Line::AtLeast(least) => (natural.max(least) - below, below),
        Line::Exactly(exactly) => (exactly * 0.8, exactly * 0.2),
    }
}

fn line_height(style: &TextStyle, line: Line) -> f64 {
    let (top, bottom) = edges(style, line);
    top + bottom
}

/// About how high blocks will be, for headers and footers that outgrow their
/// margin.
fn height(blocks: &[Block], width: f64) -> f64 {
    blocks
        .iter()
        .map(|block| match block {
            Block::Paragraph(paragraph) => {
                let mut line = line_height(&paragraph.mark, paragraph.line);
                let (mut run, mut lines) = (0.0, 1.0);
                for inline in &paragraph.inlines {
                    let inline = if let Inline::Marked(_, inner) = inline { inner } else { inline };
                    match inline {
                        Inline::Text(text, style) => {
                            run += text.chars().count() as f64 * style.size * 0.47;
                            line = line.max(line_height(style, paragraph.line));
                        }
                        Inline::Picture(_, _, height, _) | Inline::Signer(_, _, height) => line = line.max(*height),
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
                        height(&c.blocks, width / table.columns.len().max(1) as f64 * c.columns as f64) + c.margin[0] + c.margin[2]
                    };
                    row.cells.iter().map(cell).fold(row.least, f64::max)
                })
                .sum(),
        })
        .sum()
}

fn stroke(border: &Border) -> String {
    match border.dash {
        Some(dash) => format!("(paint: rgb(\"#{}\"), thickness: {}pt, dash: \"{dash}\")", border.color, border.width),
        None => format!("{}pt + rgb(\"#{}\")", border.width, border.color),
    }
}

/// A string literal of the markup.
fn literal(text: &str) -> String {
    let mut out = String::with_capacity(text.len() + 2);
    out.push('"');
    for c in text.chars() {
        match c {
            '"' => out.push_str("\\\""),
            '\\' => out.push_str("\\\\"),
            '\n' => out.push_str("\\n"),
            '\r' => {}
            '\t' => out.push(' '),
            c if c.is_control() => {}
            c => out.push(c),
        }
    }
    out.push('"');
    out
}

fn round(length: f64) -> f64 {
    (length * 1000.0).round() / 1000.0
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn text_can_not_leave_its_literal() {
        assert_eq!(literal("a\"#read(\"/etc\")\\"), "\"a\\\"#read(\\\"/etc\\\")\\\\\"");
        assert_eq!(literal("a\nb\tc\u{7}"), "\"a\\nb c\"");
    }

    #[test]
    fn exact_lines_stand_on_four_fifths() {
        let style = TextStyle { font: "Arial".into(), size: 10.0, ..TextStyle::default() };
        assert_eq!(edges(&style, Line::Exactly(20.0)), (16.0, 4.0));
        let (top, bottom) = edges(&style, Line::Times(1.0));
        assert!((top + bottom - 11.5).abs() < 0.1, "{}", top + bottom);
    }
}
