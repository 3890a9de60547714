//! The look of text in the page model.

use std::sync::Arc;

use super::Border;

/// Above or below the line.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
#[allow(missing_docs)]
pub enum Raise {
    #[default]
    None,
    Super,
    Sub,
}

/// How text is underlined.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
#[allow(missing_docs)]
pub enum Underline {
    #[default]
    None,
    Single,
    Double,
    Thick,
    Dotted,
    Dashed,
    DotDash,
    Wave,
    /// Under words, not under spaces.
    Words,
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
    pub underline: Underline,
    pub underline_color: Option<Arc<str>>,
    pub strike: bool,
    pub double_strike: bool,
    pub caps: bool,
    pub small_caps: bool,
    pub hidden: bool,
    pub raise: Raise,
    pub color: Option<Arc<str>>,
    /// The colour behind it.
    pub highlight: Option<Arc<str>>,
    /// Whether a line is drawn round it.
    pub boxed: Option<Border>,
    /// Added between signs, in points.
    pub tracking: f64,
    /// How much wider its letters are than the font's, as a share; less than 0 where
    /// they are narrower.
    pub stretch: f64,
    /// Raised above the line, in points.
    pub shift: f64,
    /// The size from which pairs of signs are drawn together, in points.
    pub kerning: Option<f64>,
    /// BCP 47 tag.
    pub language: Option<Arc<str>>,
    /// Whether it reads from right to left.
    pub rtl: bool,
    /// Family, size, bold, italic of right-to-left and other complex scripts.
    pub complex: Complex,
}

/// The look of complex scripts within text.
#[derive(Debug, Clone, PartialEq, Default)]
#[allow(missing_docs)]
pub struct Complex {
    pub font: Option<Arc<str>>,
    pub size: Option<f64>,
    pub bold: bool,
    pub italic: bool,
    pub language: Option<Arc<str>>,
}
