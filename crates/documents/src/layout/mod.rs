//! Pages: page model → typeset pages → PDF, SVG. It knows no file format.

pub(crate) mod fit;
pub(crate) mod fonts;
pub(crate) mod lines;
mod markup;
mod spots;
mod typeset;

pub use fonts::{FontSet, FontUse, families};
pub use spots::{MarkedSpot, TextSpot};
pub use typeset::{Attached, AttachedKind, Made, PdfWish, Pictures, Standard, Through, TypesetError, Typesetter};
