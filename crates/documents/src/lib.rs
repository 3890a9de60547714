//! Open formats: bytes in, bytes out. Sheets, templates, pages and PDF.

pub mod docx;
mod open;
mod package;
pub mod page;
pub mod pdf;
pub mod table;

pub use open::OpenError;
