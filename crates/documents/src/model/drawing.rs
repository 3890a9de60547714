//! Drawings of the page model, and where they stand.

use std::sync::Arc;

use super::{Block, Border, Vertical};

/// How much room must be left beside it for text to stand there.
pub(crate) const LEAST_BESIDE: f64 = 36.0;

/// What is drawn.
#[derive(Debug, Clone, PartialEq)]
pub struct Drawing {
    /// Its width, before it is turned.
    pub width: f64,
    /// Its height, before it is turned.
    pub height: f64,
    /// Turned clockwise, in degrees.
    pub turned: f64,
    /// What it shows.
    pub shows: Shows,
}

/// What a drawing shows.
#[derive(Debug, Clone, PartialEq)]
pub enum Shows {
    /// A picture: part name, what is cut off of it (top, right, bottom, left, as
    /// shares of its size), alternative text.
    Picture {
        /// The picture's part.
        part: Arc<str>,
        /// Cut off, as shares of its size: top, right, bottom, left.
        crop: [f64; 4],
        /// Alternative text.
        text: String,
    },
    /// A simple shape, perhaps with text in it.
    Shape {
        /// Its form.
        form: Form,
        /// Its colour.
        fill: Option<Arc<str>>,
        /// Its line.
        line: Option<Border>,
        /// The text in it.
        text: Option<TextBox>,
    },
    /// Several drawings, each with its left and top edge.
    Group(Vec<(f64, f64, Drawing)>),
    /// Large words, as watermarks have them: text, family, colour, whether half
    /// transparent.
    Words(String, Arc<str>, Arc<str>, bool),
    /// A frame with a label, for what can't be drawn.
    Frame(String),
}

/// The form of a shape.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs)]
pub enum Form {
    Rectangle,
    Rounded,
    Ellipse,
    /// From the top left to the bottom right.
    Line,
    /// From the bottom left to the top right.
    RisingLine,
}

/// Text in a shape.
#[derive(Debug, Clone, PartialEq)]
pub struct TextBox {
    /// What stands in it.
    pub blocks: Vec<Block>,
    /// Its margins: top, right, bottom, left.
    pub margin: [f64; 4],
    /// Where the text stands.
    pub vertical: Vertical,
    /// Whether the shape grows with its text.
    pub grows: bool,
}

/// A drawing that stands apart from the lines.
#[derive(Debug, Clone, PartialEq)]
pub struct Anchored {
    /// The drawing.
    pub drawing: Drawing,
    /// Where it stands from left to right.
    pub x: Position,
    /// Where it stands from top to bottom.
    pub y: Position,
    /// What the text does.
    pub wrap: Wrap,
    /// Whether it lies behind the text.
    pub behind: bool,
    /// The distance of the text: top, right, bottom, left.
    pub distance: [f64; 4],
}

/// Where paragraphs or a table stand apart from the text.
#[derive(Debug, Clone, PartialEq)]
pub struct Float {
    /// Where it stands from left to right.
    pub x: Position,
    /// Where it stands from top to bottom.
    pub y: Position,
    /// Its width, where it has one of its own.
    pub width: Option<f64>,
    /// Its height, where it has one of its own.
    pub height: Option<f64>,
    /// What the text does.
    pub wrap: Wrap,
    /// The distance of the text: top, right, bottom, left.
    pub distance: [f64; 4],
    /// Whether it is a large first letter, and whether that stands in the margin.
    pub drop: Option<bool>,
}

/// What a position counts from.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs)]
pub enum From {
    Page,
    Margin,
    /// The column, or the paragraph.
    Text,
}

/// A position along one direction.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Position {
    /// What it counts from.
    pub from: From,
    /// The distance, or how it stands there: 0 at the start, 0.5 in the middle,
    /// 1 at the end.
    pub at: Result<f64, f64>,
}

/// What the text does at a drawing.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs)]
pub enum Wrap {
    /// It takes no notice.
    None,
    /// It goes on below.
    TopAndBottom,
    /// It stands beside.
    Beside,
}
