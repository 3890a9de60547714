//! Open formats: bytes in, bytes out. Sheets, templates, pages and PDF, and
//! what CRMs are asked and answer.
//!
//! A template is read by its format (`formats`), which makes a page model of each filled document
//! (`model`); the typesetter makes pages of that (`layout`). Arrows point that way alone.

pub mod archive;
pub mod barcode;
pub mod bound;
pub mod formats;
pub mod layout;
pub mod model;
pub mod odata;
mod open;
mod package;
pub mod pdf;
pub mod picture;
pub mod seal;
pub mod table;

pub use open::OpenError;
