//! Filled WordprocessingML → page model (ECMA-376 part 1, 17). What pages can't
//! show is passed over and listed; nothing in a document makes the reader fail
//! once its XML is well-formed.

mod contents;
mod drawing;
mod fields;
pub(super) mod floats;
mod marks;
mod notes;
mod paragraph;
mod run;
mod sections;
mod table;
mod vml;

use std::collections::{BTreeSet, HashMap};
use std::sync::Arc;

use roxmltree::Node;

use self::contents::Contents;
use self::fields::Field;
use self::floats::{Ground, settle};
pub use self::marks::{Mark, Shown, Text};
use self::notes::Notes;
use self::sections::Sections;
use super::look::{Look, room};
use super::numbering::Counters;
use super::styles::PartLayer;
use super::xml::{Ask, parse};
use crate::OpenError;
use crate::formats::docx::Added;
use crate::model::{Block, Document, Inline, LeftOut, TextStyle};

/// How deep tables, text boxes and notes may lie in one another.
const DEEPEST: usize = 24;

/// Reads a filled document; `part` gives a part as filled.
pub fn read<'a>(look: &Look, added: &Added, part: &dyn Fn(&str) -> Option<Text<'a>>) -> Result<Document, OpenError> {
    let text = part(&look.document).unwrap_or(Text { bytes: &[], marks: &[] });
    let xml = parse(text.bytes).map_err(|why| OpenError::Part { part: look.document.clone(), why })?;
    let mut reader = Reader::new(look, added, part, text, room(xml.root_element()));
    let mut sections = Sections::default();
    if let Some(body) = xml.root_element().child("body") {
        reader.body = Some(body.id());
        reader.sections(body, &mut sections);
    }
    let mut document = Document {
        sections: sections.finish(),
        endnotes: std::mem::take(&mut reader.notes.at_end),
        language: look.styles.defaults.text.language.clone(),
        hyphenate: look.settings.hyphenate,
        adds_spaces: look.settings.adds_spaces,
        hangs: look.hangs(),
        tab: look.tab_distance(),
        separator: reader.notes.separator(look),
        note_gap: reader.notes.space.unwrap_or(0.0),
        left_out: std::mem::take(&mut reader.left_out),
    };
    reader.contents(&mut document);
    for section in &mut document.sections {
        section.blocks = settle(std::mem::take(&mut section.blocks), Ground::Pages(section.page.room()), look.fonts());
    }
    Ok(document)
}

struct Reader<'l, 'f, 'p> {
    look: &'l Look,
    /// What filling added.
    added: &'l Added,
    part: &'f dyn Fn(&str) -> Option<Text<'p>>,
    text: Text<'p>,
    /// The part at hand, for its relations.
    current: String,
    /// The document's body, where fields look for bookmarks.
    body: Option<roxmltree::NodeId>,
    counters: Counters,
    /// What the styles of the tables around say of what is read, outermost first.
    table: Vec<PartLayer>,
    /// The fields that are open, outermost first.
    fields: Vec<Field>,
    /// Counts of SEQ fields.
    sequences: HashMap<String, u32>,
    /// Bookmarks' numbers by name.
    places: HashMap<String, u32>,
    notes: Notes<'p>,
    /// The tables of contents, to be made when all headings are known.
    tables_of_contents: Vec<Contents>,
    left_out: BTreeSet<LeftOut>,
    /// The width of the text column or cell at hand.
    room: f64,
    depth: usize,
    /// How many headers, footers, notes and text boxes are around.
    apart: usize,
}

impl<'l, 'f, 'p> Reader<'l, 'f, 'p> {
    fn new(look: &'l Look, added: &'l Added, part: &'f dyn Fn(&str) -> Option<Text<'p>>, text: Text<'p>, room: f64) -> Self {
        Reader {
            look,
            added,
            part,
            text,
            current: look.document.clone(),
            body: None,
            counters: Counters::default(),
            table: Vec::new(),
            fields: Vec::new(),
            sequences: HashMap::new(),
            places: HashMap::new(),
            notes: Notes::default(),
            tables_of_contents: Vec::new(),
            left_out: BTreeSet::new(),
            room,
            depth: 0,
            apart: 0,
        }
    }

    /// Reads what stands below one another in a container.
    fn blocks<'x>(&mut self, parent: Node<'x, 'x>) -> Vec<Block> {
        let mut blocks = Vec::new();
        if self.depth >= DEEPEST {
            self.left_out.insert(LeftOut::Passed("content nested in more than 24 tables"));
            return blocks;
        }
        self.depth += 1;
        for node in flat(parent) {
            match node.name() {
                "p" => blocks.extend(self.paragraph(node).map(Block::Paragraph)),
                "tbl" => blocks.extend(self.table(node).map(Block::Table)),
                _ => {}
            }
        }
        self.depth -= 1;
        blocks
    }

    /// Reads what stands apart from the text around it: a header, a text box, a
    /// note. No table's style and no field goes on into it.
    fn story<'x>(&mut self, parent: Node<'x, 'x>) -> Vec<Block> {
        let outer = (std::mem::take(&mut self.table), std::mem::take(&mut self.fields));
        self.apart += 1;
        let blocks = settle(self.blocks(parent), Ground::Apart(self.room), self.look.fonts());
        self.apart -= 1;
        (self.table, self.fields) = outer;
        blocks
    }

    /// Reads another part's story.
    fn story_of(&mut self, name: &str) -> Vec<Block> {
        let Some(text) = (self.part)(name) else { return Vec::new() };
        let Ok(xml) = parse(text.bytes) else { return Vec::new() };
        let outer = (std::mem::replace(&mut self.current, name.to_owned()), std::mem::replace(&mut self.text, text));
        let blocks = self.story(xml.root_element());
        (self.current, self.text) = outer;
        blocks
    }

    /// The number by which a bookmark is known.
    fn place(&mut self, name: &str) -> u32 {
        let next = self.places.len() as u32 + 1;
        *self.places.entry(name.to_owned()).or_insert(next)
    }
}

/// Children with the wrappers taken away that mean nothing for pages.
fn flat<'x>(parent: Node<'x, 'x>) -> Vec<Node<'x, 'x>> {
    let mut found = Vec::new();
    flatten(parent, &mut found, 0);
    found
}

fn flatten<'x>(parent: Node<'x, 'x>, found: &mut Vec<Node<'x, 'x>>, depth: usize) {
    if depth > DEEPEST {
        return;
    }
    for node in parent.elements() {
        match node.name() {
            "sdt" => {
                if let Some(content) = node.child("sdtContent") {
                    flatten(content, found, depth + 1);
                }
            }
            "ins" | "smartTag" | "customXml" | "moveTo" => flatten(node, found, depth + 1),
            _ => found.push(node),
        }
    }
}

fn push_text(text: &str, style: &Arc<TextStyle>, out: &mut Vec<Inline>) {
    if text.is_empty() {
        return;
    }
    if let Some(Inline::Text(before, own)) = out.last_mut()
        && (Arc::ptr_eq(own, style) || own == style)
    {
        before.push_str(text);
        return;
    }
    out.push(Inline::Text(text.to_owned(), style.clone()));
}
