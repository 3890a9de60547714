//! Open formats: bytes in, bytes out. Sheets, templates, pages and PDF, and
//! what CRMs are asked and answer.

pub mod barcode;
pub mod docx;
pub mod odata;
mod open;
mod package;
pub mod page;
pub mod pdf;
pub mod picture;
pub mod table;

pub use open::OpenError;
