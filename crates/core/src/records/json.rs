//! Records from JSON (RFC 8259): an array of objects, or one object; arrays
//! inside are lists. Each list has the keys of all its objects, and its texts
//! get their types by column, as the cells of a sheet do.

use std::sync::Arc;

use rust_decimal::Decimal;
use serde_json::{Map, Value as Json};

use super::recognise::kind_of;
use super::{Cell, Column, ColumnType, Record, Schema, SchemaFault, Sheet};
use crate::value::read::Reading;
use crate::value::{DateOrder, Value};

/// How deep lists may nest.
const DEEPEST: usize = 16;

/// Why JSON gives no records.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum JsonFault {
    /// It is neither an object nor an array of objects.
    #[error("records are an object or an array of objects; this is {0}")]
    NoRecords(&'static str),
    /// Keys that count as one name.
    #[error("{place}: {fault}")]
    Keys {
        /// The list at fault.
        place: String,
        /// What is wrong.
        fault: SchemaFault,
    },
    /// Lists in lists in lists.
    #[error("lists nest more than {DEEPEST} deep")]
    TooDeep,
}

/// The records of a JSON text, as a sheet of the given name. JSON writes numbers
/// with a point and dates in ISO form.
pub fn from_json(name: &str, json: &Json) -> Result<Sheet, JsonFault> {
    let objects: Vec<&Map<String, Json>> = match json {
        Json::Object(object) => vec![object],
        Json::Array(items) => {
            items.iter().map(|item| item.as_object().ok_or(JsonFault::NoRecords(kind(item)))).collect::<Result<_, _>>()?
        }
        other => return Err(JsonFault::NoRecords(kind(other))),
    };
    let (schema, records) = records(name, &objects, 0)?;
    Ok(Sheet { name: name.to_owned(), schema, records })
}

const READING: Reading = Reading { decimal: '.', order: DateOrder::DayFirst };

fn kind(json: &Json) -> &'static str {
    match json {
        Json::Null => "null",
        Json::Bool(_) => "true or false",
        Json::Number(_) => "a number",
        Json::String(_) => "a text",
        Json::Array(_) => "an array",
        Json::Object(_) => "an object",
    }
}

fn records(place: &str, objects: &[&Map<String, Json>], depth: usize) -> Result<(Arc<Schema>, Vec<Record>), JsonFault> {
    if depth > DEEPEST {
        return Err(JsonFault::TooDeep);
    }
    let mut keys: Vec<&str> = Vec::new();
    for object in objects {
        for key in object.keys() {
            if !keys.contains(&key.as_str()) {
                keys.push(key);
            }
        }
    }
    let mut columns = Vec::with_capacity(keys.len());
    let mut values: Vec<Vec<Value>> = vec![Vec::with_capacity(keys.len()); objects.len()];
    for key in keys {
        let cells: Vec<&Json> = objects.iter().map(|o| o.get(key).unwrap_or(&Json::Null)).collect();
        let (column, of_column) = column(&format!("{place}.{key}"), key, &cells, depth)?;
        columns.push(column);
        for (row, value) in values.iter_mut().zip(of_column) {
            row.push(value);
        }
    }
    let schema = Arc::new(Schema::new(columns).map_err(|fault| JsonFault::Keys { place: place.to_owned(), fault })?);
    let records = values.into_iter().enumerate().map(|(at, values)| Record::new(schema.clone(), values, at + 1)).collect();
    Ok((schema, records))
}

/// A column with its value in each record.
fn column(place: &str, name: &str, cells: &[&Json], depth: usize) -> Result<(Column, Vec<Value>), JsonFault> {
    let nested = cells.iter().any(|c| match c {
        Json::Object(_) => true,
        Json::Array(items) => items.iter().any(Json::is_object),
        _ => false,
    });
    let listed = cells.iter().any(|c| c.is_array());
    if nested {
        // All objects below share one schema, whichever record they hang on.
        let objects: Vec<&Map<String, Json>> = cells.iter().flat_map(|c| objects_of(c)).collect();
        let (inner, records) = records(place, &objects, depth + 1)?;
        let mut rest = records.into_iter();
        let values = cells
            .iter()
            .map(|cell| {
                let own: Vec<Value> = rest.by_ref().take(objects_of(cell).len()).map(|r| Value::Record(Arc::new(r))).collect();
                match (cell, own.as_slice()) {
                    (Json::Array(_), _) => Value::List(own.into()),
                    (Json::Object(_), [only]) => only.clone(),
                    _ => Value::Blank,
                }
            })
            .collect();
        let kind = if listed { ColumnType::List } else { ColumnType::Record };
        return Ok((Column { inner: Some(inner), ..Column::new(name, kind) }, values));
    }
    let plain: Vec<Vec<Cell>> = cells
        .iter()
        .map(|c| match c {
            Json::Array(items) => items.iter().map(cell).collect(),
            other => vec![cell(other)],
        })
        .collect();
    let filled: Vec<&Cell> = plain.iter().flatten().filter(|c| !c.is_blank()).collect();
    let of_items = Column::new(name, kind_of(&filled, READING));
    let value = |cells: &[Cell]| -> Vec<Value> { cells.iter().map(|c| of_items.value(c, READING)).collect() };
    if listed {
        let values = plain.iter().map(|cells| Value::List(value(cells).into())).collect();
        return Ok((Column::new(name, ColumnType::List), values));
    }
    let values = plain.iter().map(|cells| value(cells).into_iter().next().unwrap_or(Value::Blank)).collect();
    Ok((of_items, values))
}

fn objects_of(json: &Json) -> Vec<&Map<String, Json>> {
    match json {
        Json::Object(object) => vec![object],
        Json::Array(items) => items.iter().filter_map(Json::as_object).collect(),
        _ => Vec::new(),
    }
}

/// A plain JSON value as a cell. Numbers are taken by their digits, never as
/// binary floats.
fn cell(json: &Json) -> Cell {
    match json {
        Json::Null => Cell::Blank,
        Json::Bool(yes) => Cell::Bool(*yes),
        Json::Number(number) => {
            let text = number.to_string();
            let exact = text.parse().or_else(|_| Decimal::from_scientific(&text));
            exact.map_or_else(|_| Cell::Error(text), Cell::Number)
        }
        Json::String(text) => Cell::Text(text.as_str().into()),
        Json::Array(_) | Json::Object(_) => Cell::Error(json.to_string().chars().take(80).collect()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::language::Folded;

    fn sheet(text: &str) -> Result<Sheet, JsonFault> {
        from_json("cases", &serde_json::from_str(text).expect("JSON"))
    }

    #[test]
    fn arrays_inside_are_lists_with_the_keys_of_all_their_objects() {
        let sheet = sheet(
            r#"[{"Ref": "BQ-1", "Holder": {"Last name": "Quayle"}, "Lines": [{"Qty": 2, "Due": "2026-12-01"}, {"Qty": 1, "Note": "late"}]},
                {"Ref": "BQ-2", "Lines": [], "Tags": ["a", "b"]}]"#,
        )
        .expect("records");
        let kinds: Vec<_> = sheet.schema.columns().iter().map(|c| (c.name.as_str(), c.kind.name())).collect();
        assert_eq!(kinds, [("Holder", "record"), ("Lines", "list"), ("Ref", "text"), ("Tags", "list")]);
        let lines = sheet.schema.column(&Folded::new("lines")).and_then(|c| c.inner.clone()).expect("lines");
        let kinds: Vec<_> = lines.columns().iter().map(|c| (c.name.as_str(), c.kind.name())).collect();
        assert_eq!(kinds, [("Due", "date"), ("Qty", "number"), ("Note", "text")]);
        assert!(matches!(sheet.records[0].get(&Folded::new("holder")), Some(Value::Record(_))));
        assert!(sheet.records[1].get(&Folded::new("lines")).is_some_and(Value::is_blank));
    }

    #[test]
    fn one_object_is_one_record_and_numbers_keep_their_digits() {
        let sheet = sheet(r#"{"Net": 48112.50, "Rate": 0.1, "Account": "0012345678", "When": "soon"}"#).expect("a record");
        let value = |name: &str| sheet.records[0].get(&Folded::new(name)).cloned();
        assert_eq!(value("rate"), Some(Value::Number("0.1".parse().expect("exact"))));
        assert_eq!((value("account"), value("when")), (Some(Value::text("0012345678")), Some(Value::text("soon"))));
    }

    #[test]
    fn what_gives_no_records_is_told() {
        assert_eq!(sheet("3").err(), Some(JsonFault::NoRecords("a number")));
        assert_eq!(sheet("[{}, 3]").err(), Some(JsonFault::NoRecords("a number")));
        let said = sheet(r#"{"lines": [{"Last_Name": 1, "last name": 2}]}"#).err().map(|f| f.to_string()).unwrap_or_default();
        assert!(said.starts_with("cases.lines: columns A and B are both called"), "{said}");
        let deep = format!("{}1{}", "{\"a\":".repeat(40), "}".repeat(40));
        assert_eq!(sheet(&deep).err(), Some(JsonFault::TooDeep));
    }
}
