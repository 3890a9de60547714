//! Records and the sheets that they come from.

mod column;
mod filter;
mod recognise;
mod record;
mod sheet;

pub use column::{Column, ColumnType, Schema, SchemaFault};
pub use filter::{Filter, FilterFault};
pub use recognise::{Recognised, recognise};
pub use record::Record;
pub use sheet::{Cell, RawSheet, Sheet};
