//! Pages: page model → typeset pages → PDF, SVG. It knows no file format.

pub(crate) mod fit;
pub(crate) mod fonts;
pub(crate) mod lines;
pub(crate) mod markup;
mod spots;
mod typeset;

pub use fonts::{FontSet, FontUse, families};
pub use spots::{MarkedSpot, TextSpot};
pub(crate) use typeset::typeset_markup;
pub use typeset::{Attached, AttachedKind, Made, PdfWish, Pictures, Standard, Through, TypesetError, Typesetter};
