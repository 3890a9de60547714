//! What an XML vocabulary calls its paragraphs, runs, rows and cells.

use super::Place;

/// What an element is to the engine.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Role {
    /// A paragraph.
    Paragraph,
    /// A stretch of text of one look.
    Run,
    /// The look of a run or paragraph: nothing of it is printed.
    Properties,
    /// An element that holds text.
    Text,
    /// A line break within a run.
    Break,
    /// A tab within a run.
    Tab,
    /// A table.
    Table,
    /// A table's row.
    Row,
    /// A table's cell.
    Cell,
    /// A box or note with paragraphs of its own.
    Container(Place),
    /// Its paragraph ends a section and can't go.
    SectionEnd,
    /// Anything else.
    Other,
}

/// A vocabulary.
#[derive(Debug, Clone, Copy)]
pub struct Dialect {
    /// The role of an element, by namespace and local name.
    pub role: fn(namespace: &str, local: &str) -> Role,
    /// The local name of a text element, a line break and a tab, and of a
    /// paragraph: what filling writes.
    pub text: &'static str,
    /// A line break in a run.
    pub line_break: &'static str,
    /// A tab in a run.
    pub tab: &'static str,
    /// A paragraph.
    pub paragraph: &'static str,
}
