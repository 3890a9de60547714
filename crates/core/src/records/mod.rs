//! Records and the sheets that they come from.

mod column;
mod export;
mod fields;
mod filter;
mod json;
mod recognise;
mod record;
mod sheet;

pub use column::{Column, ColumnType, Schema, SchemaFault};
pub use export::{to_json, to_rows};
pub use fields::{Field, fields, sample};
pub use filter::{Filter, FilterFault};
pub use json::{JsonFault, from_json, raw_from_json};
pub use recognise::{Recognised, UnsureDates, recognise};
pub use record::Record;
pub use sheet::{Cell, RawSheet, Sheet};
