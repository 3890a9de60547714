//! Open formats: bytes in, bytes out. Sheets, templates, pages and PDF.

pub mod barcode;
pub mod docx;
mod open;
mod package;
pub mod page;
pub mod pdf;
pub mod picture;
pub mod table;

pub use open::OpenError;
