//! Making pages: filled WordprocessingML → page model → typeset pages → PDF, SVG.

mod fit;
mod fonts;
mod lines;
mod look;
mod markup;
mod model;
mod numbering;
mod properties;
mod read;
mod spots;
mod styles;
mod symbols;
mod typeset;
mod xml;

pub use fonts::{FontSet, FontUse, families};
pub use look::{Look, Pictures};
pub use model::*;
pub use read::read;
pub use spots::{MarkedSpot, TextSpot};
pub use typeset::{Attached, AttachedKind, Made, PdfWish, Standard, TypesetError, Typesetter};
