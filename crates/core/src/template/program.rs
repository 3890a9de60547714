//! The flat program of a part: what compiling writes and filling runs.

use std::ops::Range;
use std::sync::Arc;

use super::Placeholder;
use super::dialect::Identity;
use super::gathered::Writes;
use crate::language::syntax::Kind;

/// The flat program of a part.
#[derive(Debug)]
pub struct Program {
    pub(super) bytes: Arc<[u8]>,
    pub(super) ops: Vec<Op>,
    pub(super) sites: Vec<Site>,
    pub(super) blocks: Vec<Block>,
    pub(super) writes: Writes,
    /// Where the relations to headers and footers stand.
    pub(super) besides: Vec<Range<usize>>,
    /// The first number free for drawings and bookmarks.
    pub(super) free: u32,
}

/// One step of filling.
#[derive(Debug, Clone)]
pub(super) enum Op {
    /// Copies bytes that print nothing by themselves.
    Copy(Range<usize>),
    /// Writes one of the fixed stretches.
    Fixed(Fixed),
    /// Copies bytes that print text.
    Literal {
        raw: Range<usize>,
        first: char,
        last: char,
        spaces: bool,
    },
    /// Writes `[:`.
    Escaped,
    /// Prints the value of a site.
    Print(usize),
    /// Sets a name.
    Set(usize),
    /// Draws the picture, barcode or signature field of a site; in place of a
    /// drawing of the template, whose bytes these are.
    Draw(usize, Option<Range<usize>>),
    /// Begins a new page.
    PageBreak,
    /// Something visible follows that is not text.
    Object,
    /// Chooses a branch of a block.
    Choose(usize),
    /// Goes on only in the chosen branch, else behind `to`.
    Guard {
        block: usize,
        branch: usize,
        to: usize,
    },
    /// Begins the turns of a block's list; behind `to` when there are none.
    Repeat {
        block: usize,
        to: usize,
    },
    /// Ends a turn; the next begins at `body`.
    Again {
        body: usize,
        between: Between,
    },
    /// A passage within a paragraph begins or ends, or goes on with its next turn.
    PassageEdge,
    ParagraphStart,
    /// Ends a paragraph; one that printed nothing goes if it may.
    ParagraphEnd {
        may_go: bool,
    },
    RunStart,
    RunEnd,
    TableStart,
    RowKept,
    /// Ends a table; one without rows goes.
    TableEnd,
    ContainerStart,
    /// A paragraph (or else a table) was kept in the container at hand.
    Kept {
        paragraph: bool,
    },
    /// A container must end with a paragraph.
    ContainerEnd,
    /// Writes an attribute's value that must be another in each turn.
    Identity(Identity, Range<usize>),
    /// Writes the number of a list that begins anew in each turn of a block.
    List(Range<usize>, usize),
    /// Joins a cell to the one above, or begins joined cells.
    Merge {
        column: usize,
        starts: bool,
        goes_on: bool,
    },
}

#[derive(Debug, Clone, Copy)]
pub(super) enum Fixed {
    TextOpen,
    TextClose,
}

/// What is written between two turns.
#[derive(Debug, Clone)]
pub(super) enum Between {
    Nothing,
    /// A paragraph parts two tables.
    Paragraph,
    /// The end of a section.
    Section(Range<usize>),
}

/// A placeholder where it is carried out.
#[derive(Debug)]
pub(super) struct Site {
    pub kind: Kind,
    /// Which of the part's placeholders it is.
    pub index: usize,
    pub placeholder: Placeholder,
}

/// The branches of an `if`, `keep` or `repeat`: the site of each condition or
/// list; `None`: else.
#[derive(Debug, Default)]
pub(super) struct Block {
    pub branches: Vec<Option<usize>>,
}

impl Program {
    /// Whether filling changes nothing.
    pub fn is_static(&self) -> bool {
        matches!(self.ops.as_slice(), [] | [Op::Copy(_)])
    }

    /// The bytes that it was compiled from.
    pub fn source(&self) -> &Arc<[u8]> {
        &self.bytes
    }
}
