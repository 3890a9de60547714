//! Tables of contents, made anew from the headings that a document has now: the
//! pages' numbers come from the typesetter.

use std::sync::Arc;

use super::Reader;
use super::fields::contents_range;
use super::paragraph::finish;
use crate::model::{Block, Document, Follow, Inline, Paragraph, Tab, TabKind, Target, TextStyle};

/// A table of contents while the document is read.
#[derive(Debug)]
pub(super) struct Contents {
    levels: (u8, u8),
    /// Its entries as they were saved, with their levels: new ones look like them.
    saved: Vec<(u8, Paragraph)>,
    /// Section and block before which it stands.
    pub at: (usize, usize),
}

/// A heading: its level, its place, its number and its text.
struct Heading {
    level: u8,
    place: u32,
    number: String,
    text: String,
}

impl Reader<'_, '_, '_> {
    /// Whether a field's instruction begins a table of contents that is made anew:
    /// one that stands in the text itself, not in a table or text box.
    pub(super) fn begins_contents(&mut self, instruction: &str) -> bool {
        let Some(levels) = contents_range(instruction).filter(|_| self.apart == 0 && self.table.is_empty()) else { return false };
        self.tables_of_contents.push(Contents { levels, saved: Vec::new(), at: (0, 0) });
        true
    }

    /// Takes a paragraph of a table of contents as an example of its level; gives
    /// back one that is none.
    pub(super) fn entry(&mut self, paragraph: Paragraph, style_id: Option<&str>) -> Option<Paragraph> {
        let level = (1..=9u8).find(|n| style_id.is_some() && self.look.styles.named(&format!("toc {n}")) == style_id);
        let shows = paragraph.inlines.iter().any(Inline::takes_room);
        let inside = self.inside_contents();
        match self.tables_of_contents.last_mut() {
            // A paragraph of another style is an entry only within the field: what
            // stands beside its end is text of its own.
            Some(contents) if shows && (level.is_some() || inside) => {
                contents.saved.push((level.unwrap_or(1), paragraph));
                None
            }
            _ if inside => None,
            _ => Some(paragraph),
        }
    }

    /// Puts the tables of contents where they belong.
    pub(super) fn contents(&mut self, document: &mut Document) {
        if self.tables_of_contents.is_empty() {
            return;
        }
        let mut headings = Vec::new();
        for section in &mut document.sections {
            gather(&mut section.blocks, &mut headings);
        }
        for contents in std::mem::take(&mut self.tables_of_contents).into_iter().rev() {
            let Some(section) = document.sections.get_mut(contents.at.0) else { continue };
            let room = section.page.room();
            let wanted = headings.iter().filter(|h| (contents.levels.0..=contents.levels.1).contains(&h.level));
            let made: Vec<Block> = wanted.map(|h| Block::Paragraph(self.entry_of(&contents, h, room))).collect();
            let at = contents.at.1.min(section.blocks.len());
            // Without headings its saved entries stay.
            match made.is_empty() {
                true => section.blocks.splice(at..at, contents.saved.into_iter().map(|(_, p)| Block::Paragraph(p))).for_each(drop),
                false => section.blocks.splice(at..at, made).for_each(drop),
            }
        }
    }

    fn entry_of(&self, contents: &Contents, heading: &Heading, room: f64) -> Paragraph {
        let example = contents.saved.iter().find(|(level, _)| *level == heading.level).map(|(_, p)| p.clone());
        let mut paragraph = example.unwrap_or_else(|| self.plain_entry(heading.level));
        if !paragraph.tabs.iter().any(|t| t.kind == TabKind::Right) {
            paragraph.tabs.push(Tab { at: room - paragraph.indent[1], kind: TabKind::Right, leader: Some('.') });
        }
        let look = first_look(&paragraph.inlines).unwrap_or_else(|| paragraph.mark.clone());
        let mut inner = Vec::new();
        if !heading.number.is_empty() {
            inner.push(Inline::Text(heading.number.clone(), look.clone()));
            let tabbed = paragraph.tabs.iter().any(|t| t.kind == TabKind::Left);
            inner.push(if tabbed { Inline::Tab(look.clone()) } else { Inline::Text(" ".to_owned(), look.clone()) });
        }
        inner.push(Inline::Text(heading.text.clone(), look.clone()));
        let link = |inner| Inline::Link(Target::Place(heading.place), inner);
        // Tabs stand between links, not in them.
        let mut inlines = Vec::new();
        let mut part = Vec::new();
        for inline in inner {
            match inline {
                Inline::Tab(_) => {
                    inlines.push(link(std::mem::take(&mut part)));
                    inlines.push(inline);
                }
                inline => part.push(inline),
            }
        }
        inlines.push(link(part));
        inlines.push(Inline::Tab(look.clone()));
        inlines.push(link(vec![Inline::PageOf(heading.place, look)]));
        paragraph.inlines = inlines;
        paragraph
    }

    fn plain_entry(&self, level: u8) -> Paragraph {
        let id = self.look.styles.named(&format!("toc {level}"));
        let laid = self.lay(id, None);
        let mut plain = finish(&laid.layer, laid.style, laid.base, None, Vec::new());
        if id.is_none() {
            plain.indent[0] = 11.0 * f64::from(level - 1);
        }
        plain
    }
}

fn first_look(inlines: &[Inline]) -> Option<Arc<TextStyle>> {
    inlines.iter().find_map(|inline| match inline {
        Inline::Text(_, style) => Some(style.clone()),
        Inline::Link(_, inner) => first_look(inner),
        Inline::Marked(_, inner) => first_look(std::slice::from_ref(inner)),
        _ => None,
    })
}

/// Gathers the headings in reading order and gives each a place.
fn gather(blocks: &mut [Block], headings: &mut Vec<Heading>) {
    for block in blocks {
        match block {
            Block::Table(table) => table.rows.iter_mut().flat_map(|r| &mut r.cells).for_each(|c| gather(&mut c.blocks, headings)),
            Block::Paragraph(paragraph) => {
                let Some(level) = paragraph.outline else { continue };
                let text = crate::layout::lines::text_of(&paragraph.inlines);
                if text.trim().is_empty() {
                    continue;
                }
                // The numbers of tables' entries lie above those of bookmarks.
                let place = match paragraph.inlines.first() {
                    Some(Inline::Place(place)) if *place >= FIRST_PLACE => *place,
                    _ => {
                        let place = FIRST_PLACE + headings.len() as u32;
                        paragraph.inlines.insert(0, Inline::Place(place));
                        place
                    }
                };
                let marker = paragraph.marker.as_ref().filter(|m| m.follow != Follow::Nothing || !m.text.is_empty());
                let number = marker.map(|m| m.text.clone()).unwrap_or_default();
                headings.push(Heading { level, place, number, text: text.trim().to_owned() });
            }
        }
    }
}

/// Bookmarks' places lie below.
const FIRST_PLACE: u32 = 1 << 24;
