//! The text of a document's pages, line by line as it reads: what two versions
//! are compared by.

use std::collections::BTreeSet;

use crate::model::{Block, Document, Drawing, Inline, Paragraph, Shows};

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

    /// The families of fonts that its text asks for.
    pub fn fonts(&self) -> BTreeSet<String> {
        let mut found = BTreeSet::new();
        for section in &self.sections {
            section.header.all().chain(section.footer.all()).for_each(|b| fonts(b, &mut found));
            fonts(&section.blocks, &mut found);
        }
        fonts(&self.endnotes, &mut found);
        found
    }
}

fn fonts(blocks: &[Block], found: &mut BTreeSet<String>) {
    for block in blocks {
        match block {
            Block::Paragraph(paragraph) => {
                if let Some(marker) = &paragraph.marker {
                    found.insert(marker.style.font.to_string());
                }
                inline_fonts(&paragraph.inlines, found);
            }
            Block::Table(table) => table.rows.iter().flat_map(|r| &r.cells).for_each(|c| fonts(&c.blocks, found)),
        }
    }
}

fn inline_fonts(inlines: &[Inline], found: &mut BTreeSet<String>) {
    for inline in inlines {
        match inline {
            Inline::Text(text, style) if !text.trim().is_empty() && !found.contains(&*style.font) => {
                found.insert(style.font.to_string());
            }
            Inline::Footnote(note) => fonts(note, found),
            Inline::Drawing(drawing) => each_box(drawing, &mut |b| fonts(b, found)),
            Inline::Anchored(anchored) => each_box(&anchored.drawing, &mut |b| fonts(b, found)),
            Inline::Link(_, inner) => inline_fonts(inner, found),
            Inline::Marked(_, inner) => inline_fonts(std::slice::from_ref(inner), found),
            _ => {}
        }
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
pub(crate) fn text_of(inlines: &[Inline]) -> String {
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
            Inline::Drawing(drawing) => each_box(drawing, &mut |b| blocks(b, lines)),
            Inline::Anchored(anchored) => each_box(&anchored.drawing, &mut |b| blocks(b, lines)),
            Inline::Link(_, inner) => apart(inner, lines),
            Inline::Marked(_, inner) => apart(std::slice::from_ref(inner), lines),
            _ => {}
        }
    }
}

/// Each text box of a drawing.
fn each_box(drawing: &Drawing, work: &mut dyn FnMut(&[Block])) {
    match &drawing.shows {
        Shows::Shape { text: Some(text), .. } => work(&text.blocks),
        Shows::Group(parts) => parts.iter().for_each(|(_, _, d)| each_box(d, work)),
        _ => {}
    }
}
