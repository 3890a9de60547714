//! One record: its values, and the schema that names them.

use std::sync::Arc;

use super::{Column, Schema};
use crate::language::Folded;
use crate::value::Value;

/// One row, with its number in the sheet.
#[derive(Debug, Clone, PartialEq)]
pub struct Record {
    schema: Arc<Schema>,
    values: Vec<Value>,
    /// The row's number in its sheet, from 1, not counting the header.
    pub number: usize,
}

impl Record {
    /// A record; missing values at the end are blank.
    pub fn new(schema: Arc<Schema>, mut values: Vec<Value>, number: usize) -> Record {
        values.resize(schema.columns().len(), Value::Blank);
        Record { schema, values, number }
    }

    /// The names and types of its values.
    pub fn schema(&self) -> &Schema {
        &self.schema
    }

    /// The same, to keep.
    pub fn shared_schema(&self) -> &Arc<Schema> {
        &self.schema
    }

    /// The value of a name; `None` when no column has it.
    pub fn get(&self, name: &Folded) -> Option<&Value> {
        self.schema.index(name).map(|index| &self.values[index])
    }

    /// The column of a name and its value.
    pub fn field(&self, name: &Folded) -> Option<(&Column, &Value)> {
        self.schema.index(name).map(|index| (&self.schema.columns()[index], &self.values[index]))
    }

    /// Puts a value in the place of a column.
    pub(super) fn set(&mut self, at: usize, value: Value) {
        self.values[at] = value;
    }

    /// The same values under a schema of as many columns.
    pub(super) fn under(self, schema: Arc<Schema>) -> Record {
        Record::new(schema, self.values, self.number)
    }

    /// The values in the order of the columns.
    pub fn values(&self) -> &[Value] {
        &self.values
    }
}
