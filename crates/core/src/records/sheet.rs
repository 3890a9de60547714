//! Sheets: the cells as a file holds them, and the records that they become.

use std::sync::Arc;

use jiff::civil::{DateTime, Time};
use rust_decimal::Decimal;
use serde::{Deserialize, Serialize};

use super::{Column, Recognised, Record, Schema, SchemaFault, recognise};
use crate::value::read::Reading;

/// One cell as the file holds it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub enum Cell {
    /// Nothing.
    #[serde(rename = "-")]
    Blank,
    /// Text.
    #[serde(rename = "t")]
    Text(Arc<str>),
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

    /// The cell as text, in forms that read the same everywhere.
    pub fn as_text(&self) -> String {
        match self {
            Cell::Blank => String::new(),
            Cell::Text(text) => text.to_string(),
            Cell::Number(number) => number.normalize().to_string(),
            Cell::Bool(yes) => if *yes { "yes" } else { "no" }.to_owned(),
            Cell::Date(moment) if moment.time() == Time::midnight() => moment.date().to_string(),
            Cell::Date(moment) => moment.to_string().replace('T', " "),
            Cell::Error(error) => error.clone(),
            Cell::Nested(json) => json.to_string().chars().take(80).collect(),
        }
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
}

/// A sheet whose columns have types and whose rows are records.
#[derive(Debug)]
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
        let schema = Arc::new(Schema::new(columns)?);
        let records = raw
            .rows
            .iter()
            .enumerate()
            .map(|(index, row)| {
                let values = schema.columns().iter().zip(row).map(|(column, cell)| column.value(cell, reading)).collect();
                Record::new(schema.clone(), values, index + 1)
            })
            .collect();
        Ok(Sheet { name: raw.name.clone(), schema, records })
    }
}
