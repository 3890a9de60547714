//! Bytes of a part → a flat list of nodes. Offsets into the bytes are kept, so
//! that what holds no placeholder is copied as it stands.

use std::ops::Range;
use std::sync::Arc;

use quick_xml::events::Event;
use quick_xml::name::ResolveResult;
use quick_xml::reader::{NsReader, Reader};

use super::Place;
use super::dialect::{Dialect, Identity, Role};
use super::gathered::{Gathered, Id, IdSite, Merge, Node, Paragraph, Row, Table, TextNode, Writes};

/// How deep elements may nest.
const DEEPEST: usize = 256;

/// A part that can't be read.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum GatherError {
    /// It is not well-formed XML.
    #[error("invalid XML near byte {at}: {why}")]
    Xml {
        /// Byte offset.
        at: u64,
        /// What the reader says.
        why: String,
    },
    /// It holds a document type definition.
    #[error("it contains a document type definition (DTD), which is not allowed")]
    Dtd,
    /// Elements nest too deep.
    #[error("elements are nested too deeply (maximum {DEEPEST} levels)")]
    TooDeep,
}

/// Gathers a part of XML that stands at `place`.
pub fn gather(bytes: Arc<[u8]>, dialect: &Dialect, place: Place) -> Result<Gathered, GatherError> {
    if may_hold_placeholders(&bytes) {
        return Gatherer::new(bytes.clone(), dialect, place).run(&bytes);
    }
    check(&bytes)?;
    let mut gathered = Gathered::new(bytes.clone(), Writes::default());
    gathered.nodes.push(Node::Markup(0..bytes.len()));
    Ok(gathered)
}

/// Whether the bracket that opens a placeholder is written anywhere, as itself or by
/// its number.
fn may_hold_placeholders(bytes: &[u8]) -> bool {
    bytes.contains(&b'[') || bytes.windows(2).any(|pair| pair == b"&#")
}

/// Refuses what gathering would refuse, in a part that is copied as it stands.
fn check(bytes: &[u8]) -> Result<(), GatherError> {
    let mut reader = Reader::from_reader(bytes);
    let mut depth = 0;
    loop {
        match reader.read_event().map_err(|e| GatherError::Xml { at: reader.error_position(), why: e.to_string() })? {
            Event::Eof if depth == 0 => return Ok(()),
            Event::Eof => return Err(ended_early(bytes)),
            Event::DocType(_) => return Err(GatherError::Dtd),
            Event::Start(_) | Event::Empty(_) if depth + 1 >= DEEPEST => return Err(GatherError::TooDeep),
            Event::Start(_) => depth += 1,
            Event::End(_) => depth -= 1,
            Event::GeneralRef(name) if quick_xml::escape::resolve_xml_entity(&name).is_none() => {
                return Err(unknown_entity(reader.buffer_position()));
            }
            _ => {}
        }
    }
}

fn unknown_entity(at: u64) -> GatherError {
    GatherError::Xml { at, why: "an entity that XML does not define".into() }
}

fn ended_early(bytes: &[u8]) -> GatherError {
    GatherError::Xml { at: bytes.len() as u64, why: "unexpected end".into() }
}

struct Level {
    role: Role,
    id: Id,
    place: Place,
    /// The index of the last block (paragraph or table) under it.
    last_block: Option<Block>,
    /// Whether this is a direct child of a run that counts as visible; its node.
    object: Option<usize>,
    /// Of a row, the column of its next cell; of a cell, its own.
    column: usize,
    /// Where its start tag begins.
    start: usize,
}

#[derive(Clone, Copy)]
enum Block {
    Paragraph(usize),
    Table,
    Row(Id),
}

struct Gatherer<'d> {
    dialect: &'d Dialect,
    levels: Vec<Level>,
    /// Paragraphs that are open, innermost last.
    open: Vec<usize>,
    next: Id,
    found: Gathered,
    /// The start of the text element at hand: start tag and content.
    text: Option<(usize, usize)>,
    prefix: String,
}

impl<'d> Gatherer<'d> {
    fn new(bytes: Arc<[u8]>, dialect: &'d Dialect, place: Place) -> Gatherer<'d> {
        let root = Level { role: Role::Container(place), id: 0, place, last_block: None, object: None, column: 0, start: 0 };
        let found = Gathered::new(bytes, Writes::default());
        Gatherer { dialect, levels: vec![root], open: Vec::new(), next: 1, found, text: None, prefix: String::new() }
    }

    fn run(mut self, bytes: &[u8]) -> Result<Gathered, GatherError> {
        let mut reader = NsReader::from_reader(bytes);
        loop {
            let start = reader.buffer_position() as usize;
            let event = reader.read_event().map_err(|e| GatherError::Xml { at: reader.error_position(), why: e.to_string() })?;
            let range = start..reader.buffer_position() as usize;
            match event {
                Event::Eof => break,
                Event::DocType(_) => return Err(GatherError::Dtd),
                Event::Start(tag) => {
                    let role = self.role(&reader, tag.name());
                    self.note_prefix(role, tag.name().as_ref());
                    let attributes = self.attributes(bytes, &tag, role);
                    self.enter(role, range, attributes)?;
                }
                Event::Empty(tag) => {
                    let role = self.role(&reader, tag.name());
                    let end = range.end..range.end;
                    let attributes = self.attributes(bytes, &tag, role);
                    self.enter(role, range, attributes)?;
                    self.leave(end, bytes)?;
                }
                Event::End(_) => self.leave(range, bytes)?,
                _ if self.text.is_none() => self.markup(range),
                _ => {}
            }
        }
        if self.levels.len() != 1 {
            return Err(ended_early(bytes));
        }
        self.finish_container(0);
        self.found.writes = Writes::of(self.dialect, &self.prefix);
        Ok(self.found)
    }

    fn role(&self, reader: &NsReader<&[u8]>, name: quick_xml::name::QName<'_>) -> Role {
        let (namespace, local) = reader.resolver().resolve_element(name);
        match namespace {
            ResolveResult::Bound(namespace) => (self.dialect.role)(namespace.as_ref(), local.as_ref()),
            _ => (self.dialect.role)("", local.as_ref()),
        }
    }

    /// Notes the attributes of an element that can't be repeated as they are;
    /// gives the one that its role needs.
    fn attributes(&mut self, bytes: &[u8], tag: &quick_xml::events::BytesStart<'_>, role: Role) -> Option<String> {
        let element = tag.local_name();
        let mut wanted = None;
        for attribute in tag.attributes().flatten() {
            let local = attribute.key.local_name();
            if let Some(identity) = (self.dialect.identity)(element.as_ref(), local.as_ref()) {
                // The value is a slice of the part itself.
                let start = (attribute.value.as_ptr() as usize).wrapping_sub(bytes.as_ptr() as usize);
                let range = start..start.saturating_add(attribute.value.len());
                if range.end <= bytes.len() && matches!(attribute.value, std::borrow::Cow::Borrowed(_)) {
                    self.found.ids.push(IdSite { range, identity });
                }
                if identity == Identity::List
                    && let Some(paragraph) = self.open.last()
                {
                    self.found.paragraphs[*paragraph].list = Some(attribute.value.to_string());
                }
            }
            let name = match role {
                Role::Merge | Role::Columns => "val",
                Role::Described => "descr",
                _ => continue,
            };
            if local.as_ref() == name {
                wanted = attribute.normalized_value(quick_xml::XmlVersion::Implicit1_0).ok().map(std::borrow::Cow::into_owned);
            }
        }
        wanted
    }

    fn note_prefix(&mut self, role: Role, name: &str) {
        if self.prefix.is_empty()
            && role == Role::Paragraph
            && let Some(colon) = name.find(':')
        {
            self.prefix = name[..=colon].to_owned();
        }
    }

    fn markup(&mut self, range: Range<usize>) {
        if let Some(Node::Markup(before)) = self.found.nodes.last_mut()
            && before.end == range.start
        {
            before.end = range.end;
            return;
        }
        self.found.nodes.push(Node::Markup(range));
    }

    fn level(&self) -> &Level {
        match self.levels.last() {
            Some(level) => level,
            None => unreachable!("the root is never left"),
        }
    }

    fn enter(&mut self, role: Role, range: Range<usize>, attribute: Option<String>) -> Result<(), GatherError> {
        if self.levels.len() >= DEEPEST {
            return Err(GatherError::TooDeep);
        }
        let (parent_role, parent_place, parent_id) = (self.level().role, self.level().place, self.level().id);
        let id = self.next;
        self.next += 1;
        let object = (parent_role == Role::Run && !matches!(role, Role::Properties | Role::Text)).then_some(self.found.nodes.len());
        let (start, mut column) = (range.start, 0);
        let place = match role {
            Role::Table if parent_place == Place::Body => Place::Table,
            Role::Container(place) => place,
            _ => parent_place,
        };
        let node = self.found.nodes.len();
        match role {
            Role::Text => self.text = Some((range.start, range.end)),
            Role::Paragraph => {
                let above = match self.level().last_block {
                    Some(Block::Paragraph(above)) => Some(above),
                    _ => None,
                };
                let innermost = |role: Role| self.levels.iter().rev().find(|l| l.role == role).map(|l| l.id);
                let (row, table) = (innermost(Role::Row), innermost(Role::Table));
                let index = self.found.paragraphs.len();
                self.found.paragraphs.push(Paragraph {
                    place,
                    parent: parent_id,
                    row,
                    table,
                    list: None,
                    section: self.found.sections,
                    nodes: node..node,
                    pieces: Vec::new(),
                    text: String::new(),
                    objects: Vec::new(),
                    section_end: false,
                    again: self.levels.iter().any(|l| l.role == Role::Again),
                    last: false,
                    above,
                });
                self.block(Block::Paragraph(index));
                self.open.push(index);
                self.found.nodes.push(Node::Open(role, id, range));
            }
            Role::Table => {
                self.block(Block::Table);
                self.found.tables.push(Table { id, parent: parent_id });
                self.found.nodes.push(Node::Open(role, id, range));
            }
            Role::Row => {
                let above = match self.level().last_block {
                    Some(Block::Row(above)) => Some(above),
                    _ => None,
                };
                self.found.rows.push(Row { id, table: parent_id, above });
                self.block(Block::Row(id));
                self.found.nodes.push(Node::Open(role, id, range));
            }
            Role::Cell => {
                if let Some(row) = self.levels.last_mut() {
                    column = row.column;
                    row.column += 1;
                }
                self.found.nodes.push(Node::Open(role, id, range));
            }
            Role::Columns => {
                let count = attribute.and_then(|n| n.parse::<usize>().ok()).unwrap_or(0).min(1000);
                // Within a cell it counts the cell's own column, which was counted.
                let cell = self.levels.iter().rev().map(|l| l.role).find(|r| matches!(r, Role::Cell | Role::Row)) == Some(Role::Cell);
                if let Some(row) = self.levels.iter_mut().rev().find(|l| l.role == Role::Row) {
                    row.column += count.saturating_sub(usize::from(cell));
                }
                self.markup(range);
            }
            Role::Merge => {
                let of = |role: Role| self.levels.iter().rev().find(|l| l.role == role);
                if let (Some(row), Some(cell)) = (of(Role::Row), of(Role::Cell)) {
                    let (row, column) = (row.id, cell.column);
                    self.found.merges.push(Merge { range: range.clone(), starts: attribute.as_deref() == Some("restart"), row, column });
                }
                self.markup(range);
            }
            Role::Described => {
                let object = self.levels.iter().rev().find_map(|l| l.object);
                if let (Some(text), Some(object), Some(paragraph)) = (attribute.filter(|t| t.contains("[:")), object, self.open.last()) {
                    self.found.described.push((*paragraph, object, text));
                }
                self.markup(range);
            }
            Role::Run | Role::Container(_) => self.found.nodes.push(Node::Open(role, id, range)),
            _ if object.is_some() => {
                if let Some(paragraph) = self.open.last().map(|p| &mut self.found.paragraphs[*p]) {
                    match role {
                        Role::Break | Role::Tab => {
                            paragraph.pieces.push((node, paragraph.text.len()));
                            paragraph.text.push(if role == Role::Break { '\n' } else { '\t' });
                        }
                        _ => {}
                    }
                    paragraph.objects.push((node, paragraph.text.len()));
                }
                self.found.nodes.push(Node::ObjectOpen(range));
            }
            Role::SectionEnd => {
                if let Some(paragraph) = self.open.last() {
                    self.found.paragraphs[*paragraph].section_end = true;
                    self.found.sections += 1;
                    self.markup(range);
                } else {
                    self.found.nodes.push(Node::Open(role, id, range));
                }
            }
            _ => self.markup(range),
        }
        self.levels.push(Level { role, id, place, last_block: None, object, column, start });
        Ok(())
    }

    fn block(&mut self, block: Block) {
        if let Some(level) = self.levels.last_mut() {
            level.last_block = Some(block);
        }
    }

    fn leave(&mut self, range: Range<usize>, bytes: &[u8]) -> Result<(), GatherError> {
        if self.levels.len() == 1 {
            return Err(GatherError::Xml { at: range.start as u64, why: "end tag without a start tag".into() });
        }
        let Some(level) = self.levels.pop() else { unreachable!("checked above") };
        match level.role {
            Role::Text => self.finish_text(range, bytes)?,
            Role::Paragraph => {
                self.found.nodes.push(Node::Close(level.role, level.id, range));
                if let Some(index) = self.open.pop() {
                    self.found.paragraphs[index].nodes.end = self.found.nodes.len();
                }
            }
            Role::Cell | Role::Container(_) => {
                self.levels.push(level);
                self.finish_container(self.levels.len() - 1);
                if let Some(level) = self.levels.pop() {
                    self.found.nodes.push(Node::Close(level.role, level.id, range));
                }
            }
            Role::Run | Role::Table | Role::Row => self.found.nodes.push(Node::Close(level.role, level.id, range)),
            Role::SectionEnd if self.open.is_empty() => {
                self.found.last_section = Some(level.start..range.end);
                self.found.nodes.push(Node::Close(level.role, level.id, range));
            }
            Role::Merge => {
                // An element written with an end tag of its own.
                if let Some(merge) = self.found.merges.last_mut().filter(|m| m.range.start == level.start) {
                    merge.range.end = merge.range.end.max(range.end);
                }
                self.markup(range);
            }
            _ if level.object.is_some() => self.found.nodes.push(Node::ObjectClose(range)),
            _ => self.markup(range),
        }
        Ok(())
    }

    /// The last paragraph of a cell, box or header must stay; one of the body
    /// need not.
    fn finish_container(&mut self, at: usize) {
        let level = &self.levels[at];
        if let Some(Block::Paragraph(last)) = level.last_block
            && level.role != Role::Container(Place::Body)
        {
            self.found.paragraphs[last].last = true;
        }
    }

    fn finish_text(&mut self, end: Range<usize>, bytes: &[u8]) -> Result<(), GatherError> {
        let Some((start, content)) = self.text.take() else { return Ok(()) };
        let content = content..end.start;
        let raw = std::str::from_utf8(&bytes[content.clone()])
            .map_err(|e| GatherError::Xml { at: (content.start + e.valid_up_to()) as u64, why: "it is not UTF-8".into() })?;
        let (text, map) = decode(raw).ok_or_else(|| unknown_entity(content.start as u64))?;
        let node = self.found.nodes.len();
        if let Some(paragraph) = self.open.last().map(|p| &mut self.found.paragraphs[*p]) {
            paragraph.pieces.push((node, paragraph.text.len()));
            paragraph.text.push_str(&text);
        }
        self.found.nodes.push(Node::Text(TextNode { whole: start..end.end, content, text, map }));
        Ok(())
    }
}

/// Undoes entities; where there are any, says which byte came from where.
fn decode(raw: &str) -> Option<(String, Option<Vec<u32>>)> {
    if !raw.contains('&') {
        return Some((raw.to_owned(), None));
    }
    let mut text = String::with_capacity(raw.len());
    let mut map = Vec::with_capacity(raw.len() + 1);
    let mut at = 0;
    while at < raw.len() {
        let step = match raw[at..].strip_prefix('&') {
            Some(rest) => {
                let end = at + rest.find(';')? + 2;
                text.push_str(&quick_xml::escape::unescape(&raw[at..end]).ok()?);
                end - at
            }
            None => {
                let c = raw[at..].chars().next()?;
                text.push(c);
                c.len_utf8()
            }
        };
        map.resize(text.len(), at as u32);
        at += step;
    }
    map.push(raw.len() as u32);
    Some((text, Some(map)))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn entities_keep_their_places() {
        let (text, map) = decode("a &lt; b&#233;!").expect("decodes");
        assert_eq!(text, "a < bé!");
        let map = map.expect("a map");
        assert_eq!((map[2], map[3]), (2, 6));
        assert_eq!(map[text.len()] as usize, "a &lt; b&#233;!".len());
        assert!(decode("&nothing;").is_none());
        assert!(decode("&open").is_none());
    }
}
