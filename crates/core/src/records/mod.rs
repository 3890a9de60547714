//! Records and the sheets that they come from.

mod again;
mod calculate;
mod column;
mod computed;
pub(crate) mod export;
mod fields;
mod filter;
mod header;
mod json;
mod kept;
mod label;
mod lists;
mod patch;
mod recognise;
mod record;
mod relation;
mod sheet;
mod view;

pub use again::{Again, AgainFault, Changed, OfCell, compare};
pub use calculate::{CellFormula, Table, Uncalculated, calculate};
pub use column::{Column, ColumnType, Schema, SchemaFault, UnknownColumn, letters};
pub use computed::{Computed, FormulaColumn, FormulaFault};
pub use export::{to_json, to_rows};
pub use fields::{Field, fields, sample};
pub use filter::{Filter, FilterFault};
pub use header::header_row;
pub use json::{JsonFault, from_json};
pub use kept::{KeptFault, differs, keep, read_kept};
pub use label::{Labels, label};
pub use lists::{ListOf, sheets_from_json};
pub use recognise::{Recognised, UnsureDates, recognise, recognise_as};
pub use record::Record;
pub use relation::{Checked, Related, check, relate};
pub use sheet::{Cell, RawSheet, Sheet};
pub use view::{Misfits, View, holding, shown};
