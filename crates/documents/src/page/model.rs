//! The page model: what a filled document says about its pages, with all styles
//! resolved. Lengths are points, colours are six hexadecimal digits.

use std::sync::Arc;

/// A document ready to be typeset.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Document {
    /// Its sections in order.
    pub sections: Vec<Section>,
}

/// A stretch of pages of one size.
#[derive(Debug, Clone, PartialEq)]
pub struct Section {
    /// The paper.
    pub page: PageSize,
    /// The header of its pages.
    pub header: Vec<Block>,
    /// The footer of its pages.
    pub footer: Vec<Block>,
    /// The header and footer of its first page, where that has its own.
    pub first: Option<(Vec<Block>, Vec<Block>)>,
    /// What stands on its pages.
    pub blocks: Vec<Block>,
    /// The number of its first page, where counting starts again.
    pub number_from: Option<u32>,
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
}

impl Default for PageSize {
    /// A4 with margins of an inch.
    fn default() -> Self {
        PageSize { width: 595.3, height: 841.9, margin: [72.0; 4], header: 36.0, footer: 36.0 }
    }
}

/// What stands below one another.
#[derive(Debug, Clone, PartialEq)]
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
    /// Lines at its top and bottom.
    pub borders: [Option<Border>; 2],
    /// Tab stops: position and kind.
    pub tabs: Vec<(f64, TabKind)>,
    /// Whether it stays on the page of the next.
    pub keep_next: bool,
    /// Whether it starts a page.
    pub page_break_before: bool,
    /// The sign of its list.
    pub marker: Option<Marker>,
    /// The look of its end: the height of an empty line.
    pub mark: Arc<TextStyle>,
    /// Its text and pictures.
    pub inlines: Vec<Inline>,
}

/// How text stands at a tab stop.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs)]
pub enum TabKind {
    Left,
    Center,
    Right,
}

/// The number or sign before a list's paragraph.
#[derive(Debug, Clone, PartialEq)]
pub struct Marker {
    /// The number with what stands round it, or the sign.
    pub text: String,
    /// Its look.
    pub style: Arc<TextStyle>,
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
    /// The next tab stop.
    Tab(Arc<TextStyle>),
    /// A picture: part name, width, height, alternative text.
    Picture(Arc<str>, f64, f64, String),
    /// A place that a signer fills in: its number, width, height.
    Signer(u32, f64, f64),
    /// The page's number.
    Page(Arc<TextStyle>),
    /// How many pages there are.
    Pages(Arc<TextStyle>),
    /// A link: its address, and what it shows.
    Link(String, Vec<Inline>),
    /// What the placeholder of a mark's number printed.
    Marked(u32, Box<Inline>),
}

/// A stretch of a part's bytes whose place on the pages is asked for.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Mark {
    /// What it is known by.
    pub number: u32,
    /// The bytes, at the signs' borders.
    pub at: std::ops::Range<usize>,
}

/// A part of a document as it is read into pages.
#[derive(Debug, Clone, Copy)]
pub struct Text<'a> {
    /// Its XML.
    pub bytes: &'a [u8],
    /// In the order in which they stand; they don't overlap.
    pub marks: &'a [Mark],
}

/// Above or below the line.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
#[allow(missing_docs)]
pub enum Raise {
    #[default]
    None,
    Super,
    Sub,
}

/// The look of text.
#[derive(Debug, Clone, PartialEq, Default)]
#[allow(missing_docs)]
pub struct TextStyle {
    /// The font's family as the document names it.
    pub font: Arc<str>,
    /// The size in points.
    pub size: f64,
    pub bold: bool,
    pub italic: bool,
    pub underline: bool,
    pub strike: bool,
    pub caps: bool,
    pub small_caps: bool,
    pub hidden: bool,
    pub raise: Raise,
    pub color: Option<Arc<str>>,
    /// The colour behind it.
    pub highlight: Option<Arc<str>>,
    /// Added between signs, in points.
    pub tracking: f64,
    /// BCP 47 tag.
    pub language: Option<Arc<str>>,
}

/// A line.
#[derive(Debug, Clone, PartialEq)]
pub struct Border {
    /// Its thickness in points.
    pub width: f64,
    /// Its colour.
    pub color: Arc<str>,
    /// Whether it is dashed or dotted.
    pub dash: Option<&'static str>,
}

/// A table.
#[derive(Debug, Clone, PartialEq)]
pub struct Table {
    /// The widths of its columns.
    pub columns: Vec<f64>,
    /// Where it stands between the margins.
    pub align: Align,
    /// Its left edge against the margin.
    pub indent: f64,
    /// Its rows.
    pub rows: Vec<Row>,
}

/// A row.
#[derive(Debug, Clone, PartialEq)]
pub struct Row {
    /// Its least height.
    pub least: f64,
    /// Whether it is repeated on each page.
    pub header: bool,
    /// Its cells.
    pub cells: Vec<Cell>,
}

/// Where a cell's content stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
#[allow(missing_docs)]
pub enum Vertical {
    #[default]
    Top,
    Middle,
    Bottom,
}

/// A cell.
#[derive(Debug, Clone, PartialEq)]
pub struct Cell {
    /// How many columns it covers.
    pub columns: usize,
    /// How many rows it covers.
    pub rows: usize,
    /// The colour behind it.
    pub shading: Option<Arc<str>>,
    /// Its lines: top, right, bottom, left.
    pub borders: [Option<Border>; 4],
    /// Its margins: top, right, bottom, left.
    pub margin: [f64; 4],
    /// Where its content stands.
    pub vertical: Vertical,
    /// What stands in it.
    pub blocks: Vec<Block>,
}
