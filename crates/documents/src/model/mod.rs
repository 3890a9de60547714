//! The page model: what a filled document says about its pages, with all styles
//! resolved. Lengths are points, colours are six hexadecimal digits.

mod drawing;
mod table;
mod text;

use std::collections::BTreeSet;
use std::sync::Arc;

pub use drawing::*;
pub use table::*;
pub use text::*;

/// A document ready to be typeset.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Document {
    /// Its sections in order.
    pub sections: Vec<Section>,
    /// The notes that stand at its end.
    pub endnotes: Vec<Block>,
    /// The language of most of its text, a BCP 47 tag.
    pub language: Option<Arc<str>>,
    /// Whether words are parted at the ends of lines.
    pub hyphenate: bool,
    /// Whether the space between two paragraphs is the sum of what both ask for
    /// instead of the larger one.
    pub adds_spaces: bool,
    /// How far the last line of a page may hang into the margin: what most lines
    /// have beyond their font's own distance.
    pub hangs: f64,
    /// The distance of tab stops that no paragraph sets, in points.
    pub tab: f64,
    /// How high the line between text and footnotes stands.
    pub separator: f64,
    /// The space between footnotes. What each asks for below it does not count at the
    /// foot of a page.
    pub note_gap: f64,
    /// What it holds that pages can't show, each told once.
    pub left_out: BTreeSet<LeftOut>,
}

/// What pages can't show, or show otherwise than the document asks.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub enum LeftOut {
    /// A drawing of a kind that can't be drawn: a labelled frame stands for it.
    Drawing(String),
    /// Something passed over.
    Passed(&'static str),
}

impl std::fmt::Display for LeftOut {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            LeftOut::Drawing(what) => {
                write!(f, "{what} can't be shown: a labelled frame is used instead. Replace it with a picture.")
            }
            LeftOut::Passed(what) => write!(f, "{what} is not supported and is left out"),
        }
    }
}

/// Where a section starts.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
#[allow(missing_docs)]
pub enum Start {
    #[default]
    NextPage,
    Continuous,
    EvenPage,
    OddPage,
}

/// A stretch of pages of one size.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Section {
    /// The paper.
    pub page: PageSize,
    /// Where it starts.
    pub start: Start,
    /// The header of its pages.
    pub header: Edge,
    /// The footer of its pages.
    pub footer: Edge,
    /// How many columns it has, and the space between them.
    pub columns: (usize, f64),
    /// Columns of their own widths, each with the space behind it; none where all are
    /// alike.
    pub column_widths: Vec<[f64; 2]>,
    /// Whether a line stands between its columns.
    pub column_lines: bool,
    /// The numbers of its lines.
    pub line_numbers: Option<LineNumbers>,
    /// What stands on its pages.
    pub blocks: Vec<Block>,
    /// The number of its first page, where counting starts again.
    pub number_from: Option<u32>,
    /// How its pages are numbered.
    pub number_format: NumberFormat,
    /// Lines round its pages: top, right, bottom, left, and whether their
    /// distance counts from the text instead of the paper.
    pub border: Option<([Option<Border>; 4], bool)>,
    /// Where its text stands between the margins.
    pub vertical: Vertical,
}

/// Numbers beside the lines of text.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct LineNumbers {
    /// Every how many lines one is shown.
    pub every: u32,
    /// The number of the first line.
    pub from: u32,
    /// Their distance from the text.
    pub distance: f64,
    /// Where they begin anew.
    pub anew: Anew,
}

/// Where the numbers of lines begin anew.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs)]
pub enum Anew {
    EachPage,
    EachSection,
    Never,
}

/// A header or footer: of most pages, of the first, of even ones.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Edge {
    /// Of the pages that have no other.
    pub usual: Vec<Block>,
    /// Of the section's first page, where that has its own.
    pub first: Option<Vec<Block>>,
    /// Of pages with an even number, where those have their own.
    pub even: Option<Vec<Block>>,
}

impl Edge {
    /// All that it may show.
    pub fn all(&self) -> impl Iterator<Item = &Vec<Block>> {
        self.first.iter().chain(std::iter::once(&self.usual)).chain(&self.even)
    }
}

/// Paper and margins.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct PageSize {
    /// Width of the paper.
    pub width: f64,
    /// Height of the paper.
    pub height: f64,
    /// Margins: top, right, bottom, left.
    pub margin: [f64; 4],
    /// From the paper's edge to the header.
    pub header: f64,
    /// From the paper's edge to the footer.
    pub footer: f64,
    /// Whether header and footer may not push the text away.
    pub fixed: [bool; 2],
}

impl Default for PageSize {
    /// Letter paper with margins of an inch: what word processors take where a section
    /// names no size (ECMA-376 part 1, 17.6.13, leaves it to them).
    fn default() -> Self {
        PageSize { width: 612.0, height: 792.0, margin: [72.0; 4], header: 36.0, footer: 36.0, fixed: [false; 2] }
    }
}

impl PageSize {
    /// The width between the margins.
    pub fn room(&self) -> f64 {
        (self.width - self.margin[1] - self.margin[3]).max(1.0)
    }
}

/// How pages and notes are numbered (ECMA-376 part 1, 17.18.59).
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
#[allow(missing_docs)]
pub enum NumberFormat {
    #[default]
    Decimal,
    LowerLetter,
    UpperLetter,
    LowerRoman,
    UpperRoman,
}

/// What stands below one another.
#[derive(Debug, Clone, PartialEq)]
// Nearly all blocks are paragraphs: a box for each would only cost.
#[allow(clippy::large_enum_variant)]
pub enum Block {
    /// A paragraph.
    Paragraph(Paragraph),
    /// A table.
    Table(Table),
}

/// How a paragraph's lines are set.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
#[allow(missing_docs)]
pub enum Align {
    #[default]
    Left,
    Center,
    Right,
    Justify,
}

/// The distance from line to line.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Line {
    /// Times the font's own distance.
    Times(f64),
    /// Exactly so many points.
    Exactly(f64),
    /// At least so many points.
    AtLeast(f64),
}

/// A paragraph.
#[derive(Debug, Clone, PartialEq)]
pub struct Paragraph {
    /// How its lines are set.
    pub align: Align,
    /// Whether it reads from right to left.
    pub rtl: bool,
    /// Indents: left, right, and of the first line against the left.
    pub indent: [f64; 3],
    /// Space before and after.
    pub space: [f64; 2],
    /// Whether the space to a neighbour of the same style falls away.
    pub contextual: bool,
    /// Its style, for `contextual`.
    pub style: Arc<str>,
    /// The distance from line to line.
    pub line: Line,
    /// The colour behind it.
    pub shading: Option<Arc<str>>,
    /// Lines round it: top, right, bottom, left, and between it and a neighbour
    /// of the same lines.
    pub borders: [Option<Border>; 5],
    /// Tab stops.
    pub tabs: Vec<Tab>,
    /// Where lines run down it, from the left margin.
    pub bars: Vec<f64>,
    /// Whether it stays on the page of the next.
    pub keep_next: bool,
    /// Whether its lines stay on one page.
    pub keep_lines: bool,
    /// Whether no first or last line of it stands alone on a page.
    pub widows: bool,
    /// Whether it starts a page.
    pub page_break_before: bool,
    /// Whether its words may be parted, where the document parts words.
    pub hyphenate: bool,
    /// Whether its lines are numbered, where the section numbers lines.
    pub numbered: bool,
    /// Where it stands apart from the text, as read; a drawing holds it from there on.
    pub float: Option<Box<Float>>,
    /// Its level as a heading, from 1.
    pub outline: Option<u8>,
    /// The sign of its list.
    pub marker: Option<Marker>,
    /// The look of its end: the height of an empty line.
    pub mark: Arc<TextStyle>,
    /// Its text and pictures.
    pub inlines: Vec<Inline>,
}

/// A tab stop.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Tab {
    /// From the left margin.
    pub at: f64,
    /// How text stands at it.
    pub kind: TabKind,
    /// What fills the way to it.
    pub leader: Option<char>,
}

/// How text stands at a tab stop.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs)]
pub enum TabKind {
    Left,
    Center,
    Right,
    /// By its decimal sign.
    Decimal,
    /// No stop, but a line down the paragraph.
    Bar,
}

/// The number or sign before a list's paragraph.
#[derive(Debug, Clone, PartialEq)]
pub struct Marker {
    /// The number with what stands round it, or the sign.
    pub text: String,
    /// Its look.
    pub style: Arc<TextStyle>,
    /// What follows it.
    pub follow: Follow,
    /// How it stands at the paragraph's first line.
    pub align: Align,
}

/// What follows a list's number.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
#[allow(missing_docs)]
pub enum Follow {
    #[default]
    Tab,
    Space,
    Nothing,
}

/// What stands within a line.
#[derive(Debug, Clone, PartialEq)]
pub enum Inline {
    /// Text of one look.
    Text(String, Arc<TextStyle>),
    /// A new line.
    Break,
    /// A new page.
    PageBreak,
    /// A new column.
    ColumnBreak,
    /// The next tab stop.
    Tab(Arc<TextStyle>),
    /// What is drawn in the line.
    Drawing(Arc<Drawing>),
    /// What is drawn beside, behind or before the text.
    Anchored(Arc<Anchored>),
    /// A place that a signer fills in: its number, width, height, and the look of text there.
    Signer(u32, f64, f64, Arc<TextStyle>),
    /// The page's number, in a format of its own or the section's.
    Page(Arc<TextStyle>, Option<NumberFormat>),
    /// How many pages there are.
    Pages(Arc<TextStyle>),
    /// How many pages the section has.
    SectionPages(Arc<TextStyle>),
    /// The number of the page on which a place is.
    PageOf(u32, Arc<TextStyle>),
    /// A place that links and page numbers lead to.
    Place(u32),
    /// A link and what it shows.
    Link(Target, Vec<Inline>),
    /// A footnote: what stands at the bottom of the page.
    Footnote(Arc<Vec<Block>>),
    /// What the placeholder of a mark's number printed.
    Marked(u32, Box<Inline>),
}

impl Inline {
    /// The drawing that stands apart from the line here.
    pub fn anchored(&self) -> Option<&Arc<Anchored>> {
        match self {
            Inline::Anchored(anchored) => Some(anchored),
            Inline::Marked(_, inner) => inner.anchored(),
            _ => None,
        }
    }

    /// Whether no blocks stand within it, nor a drawing.
    pub fn is_flat(&self) -> bool {
        match self {
            Inline::Drawing(_) | Inline::Anchored(_) | Inline::Footnote(_) => false,
            Inline::Link(_, inner) => inner.iter().all(Inline::is_flat),
            Inline::Marked(_, inner) => inner.is_flat(),
            _ => true,
        }
    }

    /// Whether it takes room in its line: places and what stands apart do not.
    pub fn takes_room(&self) -> bool {
        match self {
            Inline::Place(_) | Inline::Anchored(_) => false,
            Inline::Text(text, _) => !text.is_empty(),
            Inline::Marked(_, inner) => inner.takes_room(),
            Inline::Link(_, inner) => inner.iter().any(Inline::takes_room),
            _ => true,
        }
    }
}

/// Where a link leads.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Target {
    /// To an address.
    Address(String),
    /// To a place of the document.
    Place(u32),
}
