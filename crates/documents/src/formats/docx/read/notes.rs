//! Footnotes and endnotes (ECMA-376 part 1, 17.11).

use std::rc::Rc;
use std::sync::Arc;

use roxmltree::{Document, Node};

use super::{Reader, push_text};
use crate::formats::docx::look::Look;
use crate::formats::docx::xml::{Ask, parse};
use crate::model::{Block, Inline, TextStyle};

/// The notes while the document is read.
#[derive(Debug, Default)]
pub(super) struct Notes<'p> {
    /// Footnotes, endnotes: how many came so far.
    counts: [u32; 2],
    /// The number of the note that is read.
    pub current: Option<String>,
    /// What stands at the document's end.
    pub at_end: Vec<Block>,
    /// The parts of footnotes and endnotes, once they were asked for.
    parts: [Option<Rc<Document<'p>>>; 2],
    /// The least space that a footnote asks for below it.
    pub space: Option<f64>,
}

impl Notes<'_> {
    /// How high the line between text and footnotes stands, about.
    pub fn separator(&self, look: &Look) -> f64 {
        let size = look.styles.paragraph(None).and_then(|s| s.text.size).or(look.styles.defaults.text.size);
        size.unwrap_or(10.0) * 1.2
    }
}

impl<'p> Reader<'_, '_, 'p> {
    /// A reference to a note: its number in the text, its content elsewhere.
    pub(super) fn note_reference<'x>(&mut self, reference: Node<'x, 'x>, style: &Arc<TextStyle>, out: &mut Vec<Inline>) {
        let end = reference.name() == "endnoteReference";
        let Some(id) = reference.attr("id").filter(|_| self.notes.current.is_none() && self.apart == 0) else { return };
        let own_mark = matches!(reference.attr("customMarkFollows"), Some("1" | "true" | "on"));
        if !own_mark {
            self.notes.counts[usize::from(end)] += 1;
        }
        let count = self.notes.counts[usize::from(end)];
        let format = self.look.settings.note_formats[usize::from(end)];
        let number = if own_mark { String::new() } else { format.write(count) };
        push_text(&number, style, out);
        let blocks = self.note(id, end, number);
        match end {
            true => self.notes.at_end.extend(blocks),
            false if !blocks.is_empty() => {
                let below = match blocks.last() {
                    Some(Block::Paragraph(last)) => last.space[1],
                    _ => 0.0,
                };
                self.notes.space = Some(self.notes.space.map_or(below, |least| least.min(below)));
                out.push(Inline::Footnote(Arc::new(blocks)));
            }
            false => {}
        }
    }

    fn note(&mut self, id: &str, end: bool, number: String) -> Vec<Block> {
        let Some(name) = self.look.notes[usize::from(end)].clone() else { return Vec::new() };
        let Some(text) = (self.part)(&name) else { return Vec::new() };
        let Some(xml) = self.notes_part(text.bytes, end) else { return Vec::new() };
        let Some(note) = xml.root_element().elements().find(|n| n.attr("id") == Some(id)) else { return Vec::new() };
        let outer = (std::mem::replace(&mut self.current, name), std::mem::replace(&mut self.text, text));
        self.notes.current = Some(number);
        let blocks = self.story(note);
        self.notes.current = None;
        (self.current, self.text) = outer;
        blocks
    }

    fn notes_part(&mut self, bytes: &'p [u8], end: bool) -> Option<Rc<Document<'p>>> {
        let part = &mut self.notes.parts[usize::from(end)];
        if part.is_none() {
            *part = parse(bytes).ok().map(Rc::new);
        }
        part.clone()
    }
}
