//! What is asked of a CRM: the shape of what it holds, a saved question over it, and
//! what a new shape means for the old question. How a service is spoken to is not
//! known here.

mod changes;
mod query;
mod shape;

pub use changes::{ShapeChange, changes};
pub use query::{CrmQuery, ListPick, Picks, problem};
pub use shape::{Entity, EntityField, FieldType, Shape, Way};
