//! The text of a document's pages, line by line as it reads: what two versions
//! are compared by.

use super::model::{Block, Document, Inline, Paragraph};

impl Document {
    /// Its paragraphs, table rows, headers and footers that hold something, in
    /// reading order.
    pub fn lines(&self) -> Vec<String> {
        let mut lines = Vec::new();
        for section in &self.sections {
            if let Some((header, footer)) = &section.first {
                blocks(header, &mut lines);
                blocks(footer, &mut lines);
            }
            blocks(&section.header, &mut lines);
            blocks(&section.blocks, &mut lines);
            blocks(&section.footer, &mut lines);
        }
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

fn inline(inline: &Inline, out: &mut String) {
    match inline {
        Inline::Text(text, _) => out.push_str(text),
        Inline::Break | Inline::PageBreak | Inline::Tab(_) => out.push(' '),
        Inline::Picture(_, width, height, text) if text.is_empty() => out.push_str(&format!("[picture {width:.0} × {height:.0} pt]")),
        Inline::Picture(_, width, height, text) => out.push_str(&format!("[picture {width:.0} × {height:.0} pt: {text}]")),
        Inline::Signer(..) => out.push_str("[signature field]"),
        Inline::Page(_) | Inline::Pages(_) => out.push('#'),
        Inline::Link(_, inner) => inner.iter().for_each(|i| self::inline(i, out)),
        Inline::Marked(_, inner) => self::inline(inner, out),
    }
}
