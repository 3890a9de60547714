//! Tables of the page model, and the lines that tables, paragraphs and pages have.

use std::sync::Arc;

use super::{Align, Block, Float};

/// A line.
#[derive(Debug, Clone, PartialEq)]
pub struct Border {
    /// Its thickness in points.
    pub width: f64,
    /// Its colour.
    pub color: Arc<str>,
    /// Whether it is dashed or dotted.
    pub dash: Option<&'static str>,
    /// Whether there are two of it.
    pub double: bool,
    /// The distance from what it goes round.
    pub space: f64,
}

/// A table.
#[derive(Debug, Clone, PartialEq)]
pub struct Table {
    /// The widths of its columns; none where the content decides.
    pub columns: Vec<Option<f64>>,
    /// Where it stands between the margins.
    pub align: Align,
    /// Its left edge against the margin.
    pub indent: f64,
    /// Whether its columns run from right to left.
    pub rtl: bool,
    /// Where it stands apart from the text, as read; a drawing holds it from there on.
    pub float: Option<Box<Float>>,
    /// Its rows.
    pub rows: Vec<Row>,
}

/// A row.
#[derive(Debug, Clone, PartialEq)]
pub struct Row {
    /// Its least height.
    pub least: f64,
    /// Whether it is no higher than that.
    pub exact: bool,
    /// Whether it is repeated on each page.
    pub header: bool,
    /// Whether it may go on on the next page.
    pub breaks: bool,
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

/// How a cell's lines run.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
#[allow(missing_docs)]
pub enum Direction {
    #[default]
    Across,
    /// From bottom to top.
    Up,
    /// From top to bottom.
    Down,
}

/// A cell.
#[derive(Debug, Clone, PartialEq)]
pub struct Cell {
    /// The first column that it covers.
    pub at: usize,
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
    /// How its lines run.
    pub direction: Direction,
    /// What stands in it.
    pub blocks: Vec<Block>,
}
