//! The text of a document's pages, line by line as it reads: what two versions
//! are compared by.

use super::model::{Block, Document, Drawing, Inline, Paragraph, Shows};

impl Document {
    /// Its paragraphs, table rows, headers and footers that hold something, in
    /// reading order.
    pub fn lines(&self) -> Vec<String> {
        let mut lines = Vec::new();
        for section in &self.sections {
            section.header.all().for_each(|b| blocks(b, &mut lines));
            blocks(&section.blocks, &mut lines);
            section.footer.all().for_each(|b| blocks(b, &mut lines));
        }
        blocks(&self.endnotes, &mut lines);
        lines
    }
}

fn blocks(blocks: &[Block], lines: &mut Vec<String>) {
    for block in blocks {
        match block {
            Block::Paragraph(paragraph) => {
                let text = line(paragraph);
                if !text.is_empty() {
                    lines.push(text);
                }
                apart(&paragraph.inlines, lines);
            }
            Block::Table(table) => {
                for row in &table.rows {
                    let cell = |blocks: &[Block]| {
                        let mut own = Vec::new();
                        self::blocks(blocks, &mut own);
                        own.join(" ")
                    };
                    let cells: Vec<String> = row.cells.iter().map(|c| cell(&c.blocks)).filter(|t| !t.is_empty()).collect();
                    if !cells.is_empty() {
                        lines.push(cells.join(" · "));
                    }
                }
            }
        }
    }
}

fn line(paragraph: &Paragraph) -> String {
    let mut text = String::new();
    if let Some(marker) = paragraph.marker.as_ref().filter(|m| !m.text.is_empty()) {
        text.push_str(&marker.text);
        text.push(' ');
    }
    paragraph.inlines.iter().for_each(|i| inline(i, &mut text));
    text.trim().to_owned()
}

/// The text of what stands in a line.
pub(super) fn text_of(inlines: &[Inline]) -> String {
    let mut text = String::new();
    inlines.iter().for_each(|i| inline(i, &mut text));
    text
}

fn inline(inline: &Inline, out: &mut String) {
    match inline {
        Inline::Text(text, _) => out.push_str(text),
        Inline::Break | Inline::PageBreak | Inline::ColumnBreak | Inline::Tab(_) => out.push(' '),
        Inline::Drawing(drawing) => drawn(drawing, out),
        Inline::Anchored(anchored) => drawn(&anchored.drawing, out),
        Inline::Signer(..) => out.push_str("[signature field]"),
        Inline::Page(..) | Inline::Pages(_) | Inline::SectionPages(_) | Inline::PageOf(..) => out.push('#'),
        Inline::Place(_) | Inline::Footnote(_) => {}
        Inline::Link(_, inner) => inner.iter().for_each(|i| self::inline(i, out)),
        Inline::Marked(_, inner) => self::inline(inner, out),
    }
}

fn drawn(drawing: &Drawing, out: &mut String) {
    let (width, height) = (drawing.width, drawing.height);
    match &drawing.shows {
        Shows::Picture { text, .. } if text.is_empty() => out.push_str(&format!("[picture {width:.0} × {height:.0} pt]")),
        Shows::Picture { text, .. } => out.push_str(&format!("[picture {width:.0} × {height:.0} pt: {text}]")),
        Shows::Frame(label) => out.push_str(&format!("[{label}]")),
        Shows::Words(words, ..) => out.push_str(words),
        Shows::Group(parts) => parts.iter().for_each(|(_, _, d)| drawn(d, out)),
        Shows::Shape { .. } => {}
    }
}

/// The lines of what stands apart from a paragraph's own: notes and text boxes.
fn apart(inlines: &[Inline], lines: &mut Vec<String>) {
    for inline in inlines {
        match inline {
            Inline::Footnote(note) => blocks(note, lines),
            Inline::Drawing(drawing) => boxes(drawing, lines),
            Inline::Anchored(anchored) => boxes(&anchored.drawing, lines),
            Inline::Link(_, inner) => apart(inner, lines),
            Inline::Marked(_, inner) => apart(std::slice::from_ref(inner), lines),
            _ => {}
        }
    }
}

fn boxes(drawing: &Drawing, lines: &mut Vec<String>) {
    match &drawing.shows {
        Shows::Shape { text: Some(text), .. } => blocks(&text.blocks, lines),
        Shows::Group(parts) => parts.iter().for_each(|(_, _, d)| boxes(d, lines)),
        _ => {}
    }
}
