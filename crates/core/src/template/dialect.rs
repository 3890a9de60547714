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
    /// Ends a section: of the paragraph that holds it, which can't go, or of the
    /// whole text.
    SectionEnd,
    /// Joins its cell to the one above: begins the joined cells or goes on.
    Merge,
    /// How many columns its cell takes, or its row leaves free before its cells.
    Columns,
    /// An object whose description may hold a placeholder.
    Described,
    /// Another form of what stands before it, for older programs.
    Again,
    /// Anything else.
    Other,
}

/// A vocabulary.
#[derive(Debug, Clone, Copy)]
pub struct Dialect {
    /// The role of an element, by namespace and local name.
    pub role: fn(namespace: &str, local: &str) -> Role,
    /// What an attribute of an element must do when the element is repeated, by
    /// the element's and the attribute's local names.
    pub identity: fn(element: &str, attribute: &str) -> Option<Identity>,
    /// The local name of a text element, a line break and a tab, and of a
    /// paragraph: what filling writes.
    pub text: &'static str,
    /// A line break in a run.
    pub line_break: &'static str,
    /// A tab in a run.
    pub tab: &'static str,
    /// A paragraph.
    pub paragraph: &'static str,
    /// A run.
    pub run: &'static str,
    /// A page break in a run, with its attributes; the prefix stands for `{}`.
    pub page_break: &'static str,
    /// An element that goes on the joined cells above; with the attribute that
    /// begins them.
    pub merge: (&'static str, &'static str),
    /// The elements round a section's end within the text.
    pub section: (&'static str, &'static str),
}

/// An attribute that can't be repeated as it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Identity {
    /// A paragraph's number: eight hexadecimal digits below 80000000.
    Paragraph,
    /// A drawing's number.
    Drawing,
    /// A bookmark's number, at its start and its end.
    Bookmark,
    /// A bookmark's name.
    BookmarkName,
    /// What leads to a bookmark by name.
    Anchor,
    /// The list that a paragraph counts in.
    List,
    /// What leads to a header or footer, which takes the record of its section.
    Beside,
}
