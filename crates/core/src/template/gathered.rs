//! What is gathered of a part: its nodes, and what stands in which.

use std::ops::Range;
use std::sync::Arc;

use super::Place;
use super::dialect::{Dialect, Identity, Role};

/// A number that tells elements apart.
pub(super) type Id = usize;

#[derive(Debug)]
pub(super) enum Node {
    /// The start tag of an element with a role.
    Open(Role, Id, Range<usize>),
    /// Its end tag; empty for a self-closing element.
    Close(Role, Id, Range<usize>),
    /// Tags and text between that print nothing by themselves.
    Markup(Range<usize>),
    /// A text element with its content.
    Text(TextNode),
    /// The start tag of something visible in a run that is not text.
    ObjectOpen(Range<usize>),
    /// Its end tag.
    ObjectClose(Range<usize>),
}

#[derive(Debug)]
pub(super) struct TextNode {
    /// The whole element.
    pub whole: Range<usize>,
    /// What stands between its tags.
    pub content: Range<usize>,
    /// The content with its entities undone.
    pub text: String,
    /// Byte of the text → byte of the content, where they differ.
    pub map: Option<Vec<u32>>,
}

impl TextNode {
    pub(super) fn plain(content: Range<usize>, text: String) -> TextNode {
        TextNode { whole: content.clone(), content, text, map: None }
    }

    /// The bytes of the part that write a stretch of the text.
    pub(super) fn raw(&self, text: Range<usize>) -> Range<usize> {
        let at = |offset: usize| match &self.map {
            Some(map) => self.content.start + map[offset] as usize,
            None => self.content.start + offset,
        };
        at(text.start)..at(text.end)
    }
}

/// A paragraph: where it is and what text stands in it.
#[derive(Debug)]
pub(super) struct Paragraph {
    pub place: Place,
    /// The element that holds it directly.
    pub parent: Id,
    /// The innermost row that holds it, and that row's table.
    pub row: Option<Id>,
    pub table: Option<Id>,
    /// The list that it counts in.
    pub list: Option<String>,
    /// Which section of the running text it stands in.
    pub section: usize,
    /// Nodes from its start tag to its end tag.
    pub nodes: Range<usize>,
    /// Pieces of its text: node and where it begins in the joined text. Breaks
    /// and tabs are pieces of one sign.
    pub pieces: Vec<(usize, usize)>,
    /// Its joined text.
    pub text: String,
    /// Whether something visible that is not text stands in it.
    pub objects: Vec<(usize, usize)>,
    /// It ends a section.
    pub section_end: bool,
    /// It is another form of a paragraph before it.
    pub again: bool,
    /// It is the last block of its cell, box or header.
    pub last: bool,
    /// The paragraph before it under the same parent, when nothing is between.
    pub above: Option<usize>,
}

/// A row and the row directly above it.
#[derive(Debug)]
pub(super) struct Row {
    pub id: Id,
    pub table: Id,
    pub above: Option<Id>,
}

/// A table and the element that holds it directly.
#[derive(Debug)]
pub(super) struct Table {
    pub id: Id,
    pub parent: Id,
}

/// A mark that joins a cell to the one above.
#[derive(Debug, Clone)]
pub(super) struct Merge {
    /// The element.
    pub range: Range<usize>,
    /// It begins the joined cells.
    pub starts: bool,
    pub row: Id,
    /// The column of its cell.
    pub column: usize,
}

/// An attribute's value that can't be repeated as it is.
#[derive(Debug, Clone)]
pub(super) struct IdSite {
    pub range: Range<usize>,
    pub identity: Identity,
}

/// A part, gathered.
#[derive(Debug)]
pub struct Gathered {
    pub(super) bytes: Arc<[u8]>,
    pub(super) nodes: Vec<Node>,
    pub(super) paragraphs: Vec<Paragraph>,
    pub(super) rows: Vec<Row>,
    pub(super) tables: Vec<Table>,
    pub(super) merges: Vec<Merge>,
    /// In the order of the bytes.
    pub(super) ids: Vec<IdSite>,
    /// Objects with a placeholder for a description: the paragraph, the node
    /// that opens the object, the description.
    pub(super) described: Vec<(usize, usize, String)>,
    /// The element that ends the last section of the running text.
    pub(super) last_section: Option<Range<usize>>,
    /// How many sections end within the running text.
    pub(super) sections: usize,
    /// What to write for a line break, a tab, the start of a text, a paragraph.
    pub(super) writes: Writes,
}

impl Gathered {
    pub(super) fn new(bytes: Arc<[u8]>, writes: Writes) -> Gathered {
        Gathered {
            bytes,
            nodes: Vec::new(),
            paragraphs: Vec::new(),
            rows: Vec::new(),
            tables: Vec::new(),
            merges: Vec::new(),
            ids: Vec::new(),
            described: Vec::new(),
            last_section: None,
            sections: 0,
            writes,
        }
    }
}

/// What filling writes besides text.
#[derive(Debug, Clone, Default)]
pub(super) struct Writes {
    pub xml: bool,
    pub line_break: String,
    pub tab: String,
    pub text_open: String,
    pub text_close: String,
    pub paragraph: String,
    /// What stands round the text of a paragraph of its own.
    pub text_paragraph: [String; 2],
    pub page_break: String,
    /// Begins joined cells; goes on with them.
    pub merge: [String; 2],
    /// What stands round the end of a section within the text.
    pub section: [String; 2],
}

impl Writes {
    pub(super) fn of(dialect: &Dialect, prefix: &str) -> Writes {
        let text = format!("{prefix}{}", dialect.text);
        let text_open = format!("<{text} xml:space=\"preserve\">");
        let text_close = format!("</{text}>");
        let between = |element: &str| format!("{text_close}<{prefix}{element}/>{text_open}");
        Writes {
            xml: true,
            line_break: between(dialect.line_break),
            tab: between(dialect.tab),
            paragraph: format!("<{prefix}{}/>", dialect.paragraph),
            text_paragraph: [
                format!("<{prefix}{}><{prefix}{}>{text_open}", dialect.paragraph, dialect.run),
                format!("{text_close}</{prefix}{}></{prefix}{}>", dialect.run, dialect.paragraph),
            ],
            page_break: format!("{text_close}{}{text_open}", dialect.page_break.replace("{}", prefix)),
            merge: [dialect.merge.1, dialect.merge.0].map(|m| m.replace("{}", prefix)),
            section: [dialect.section.0, dialect.section.1].map(|m| m.replace("{}", prefix)),
            text_open,
            text_close,
        }
    }
}
