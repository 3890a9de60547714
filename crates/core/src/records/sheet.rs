//! Sheets: the cells as a file holds them, and the records that they become.

use std::sync::Arc;

use ecow::EcoString;
use jiff::civil::{DateTime, Time};
use rust_decimal::Decimal;
use serde::{Deserialize, Serialize};

use super::{Column, ColumnType, ListOf, Recognised, Record, Schema, SchemaFault, recognise};
use crate::value::Value;
use crate::value::read::Reading;

/// One cell as the file holds it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub enum Cell {
    /// Nothing.
    #[serde(rename = "-")]
    Blank,
    /// Text.
    #[serde(rename = "t")]
    Text(EcoString),
    /// A number.
    #[serde(rename = "n")]
    Number(Decimal),
    /// Yes or no.
    #[serde(rename = "b")]
    Bool(bool),
    /// A date, with a time where it is not midnight.
    #[serde(rename = "d")]
    Date(DateTime),
    /// A formula's error, such as a division by zero.
    #[serde(rename = "e")]
    Error(String),
    /// An object or array of JSON: a record, or a list.
    #[serde(rename = "j")]
    Nested(Arc<serde_json::Value>),
}

impl Cell {
    /// Whether nothing stands in it.
    pub fn is_blank(&self) -> bool {
        match self {
            Cell::Blank => true,
            Cell::Text(text) => text.chars().all(char::is_whitespace),
            Cell::Nested(json) => json.as_array().is_some_and(Vec::is_empty),
            _ => false,
        }
    }

    /// A value as a cell, for a column of its type.
    pub fn of(value: &Value) -> Cell {
        match value {
            Value::Blank => Cell::Blank,
            Value::Bool(yes) => Cell::Bool(*yes),
            Value::Number(number) | Value::Percent(number) => Cell::Number(*number),
            Value::Money(money) => Cell::Number(money.amount),
            Value::Date(date) => Cell::Date(date.to_datetime(Time::midnight())),
            Value::DateTime(moment) => Cell::Date(*moment),
            Value::Text(text) => Cell::Text(text.clone()),
            // No column reads it as a value.
            Value::Misfit(misfit) => Cell::Error(misfit.why.as_ref().unwrap_or(&misfit.text).clone()),
            Value::Record(_) | Value::List(_) => Cell::Nested(Arc::new(nested(value))),
        }
    }

    /// The cell as text, in forms that read the same everywhere.
    pub fn as_text(&self) -> String {
        match self {
            Cell::Blank => String::new(),
            Cell::Text(text) => text.to_string(),
            Cell::Number(number) => number.normalize().to_string(),
            Cell::Bool(yes) => if *yes { "yes" } else { "no" }.to_owned(),
            Cell::Date(moment) if moment.time() == Time::midnight() => moment.date().to_string(),
            Cell::Date(moment) => super::export::iso(*moment).replace('T', " "),
            Cell::Error(error) => error.clone(),
            Cell::Nested(json) => json.to_string().chars().take(80).collect(),
        }
    }
}

/// Records within a cell as JSON; an amount of money is its number alone, for its
/// column knows the currency.
fn nested(value: &Value) -> serde_json::Value {
    match value {
        Value::Record(record) => {
            let columns = record.schema().columns().iter().zip(record.values());
            columns.map(|(column, value)| (column.name.clone(), nested(value))).collect::<serde_json::Map<_, _>>().into()
        }
        Value::List(items) => items.iter().map(nested).collect(),
        Value::Money(money) => super::export::exact(&money.amount),
        plain => super::export::json(plain),
    }
}

/// A sheet as read: a header and its rows.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct RawSheet {
    /// Its name in the file.
    pub name: String,
    /// The names of its columns.
    pub header: Vec<String>,
    /// Its rows; one may be shorter than the header.
    pub rows: Vec<Vec<Cell>>,
    /// Its cells carry types of their own: numbers have a decimal point, and no
    /// name of a column makes them money.
    pub typed: bool,
    /// What stood above the names and was passed over, a text for each row.
    pub passed_over: Vec<String>,
    /// What was read otherwise than it stands in the file, a sentence each.
    pub notes: Vec<String>,
    /// The types that the number formats of columns tell, by their place.
    pub told: Vec<Option<ColumnType>>,
    /// The list of another sheet of the file that its rows are of.
    pub of: Option<ListOf>,
}

/// A sheet whose columns have types and whose rows are records.
#[derive(Debug, Clone)]
pub struct Sheet {
    /// Its name in the file.
    pub name: String,
    /// The columns.
    pub schema: Arc<Schema>,
    /// The records, in the order of the rows.
    pub records: Vec<Record>,
}

impl Sheet {
    /// Recognises the columns' types and reads the cells by them.
    pub fn recognise(raw: &RawSheet) -> Result<Sheet, SchemaFault> {
        let Recognised { columns, reading, .. } = recognise(raw);
        Sheet::read(raw, columns, reading)
    }

    /// Reads the cells by the given columns.
    pub fn read(raw: &RawSheet, columns: Vec<Column>, reading: Reading) -> Result<Sheet, SchemaFault> {
        let rows = raw.rows.iter().enumerate().map(|(index, row)| (index + 1, row.as_slice()));
        Sheet::of_rows(&raw.name, rows, columns, reading)
    }

    /// The same of rows that have numbers of their own.
    pub fn of_rows<'c>(
        name: &str,
        rows: impl IntoIterator<Item = (usize, &'c [Cell])>,
        columns: Vec<Column>,
        reading: Reading,
    ) -> Result<Sheet, SchemaFault> {
        let schema = Arc::new(Schema::new(columns)?);
        let record = |(number, row): (usize, &[Cell])| {
            let values = schema.columns().iter().zip(row).map(|(column, cell)| column.value(cell, reading)).collect();
            Record::new(schema.clone(), values, number)
        };
        Ok(Sheet { name: name.to_owned(), records: rows.into_iter().map(record).collect(), schema })
    }

    /// The record of a row's number.
    pub fn record(&self, number: usize) -> Option<&Record> {
        // Most sheets keep the order in which they came.
        let guess = number.checked_sub(1).and_then(|at| self.records.get(at)).filter(|r| r.number == number);
        guess.or_else(|| self.records.iter().find(|r| r.number == number))
    }
}
