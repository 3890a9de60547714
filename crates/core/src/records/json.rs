//! Records from JSON (RFC 8259): an array of objects, or one object; arrays
//! inside are lists. Each list has the keys of all its objects, and its texts
//! get their types by column, as the cells of a sheet do.

use std::collections::HashSet;
use std::sync::Arc;

use rust_decimal::Decimal;
use serde_json::{Map, Value as Json};

use super::recognise::kind_of;
use super::{Cell, Column, ColumnType, RawSheet, Record, Schema, SchemaFault, Sheet};
use crate::value::Value;
use crate::value::read::Reading;
use crate::words::grouped;

/// How deep lists may nest.
const DEEPEST: usize = 16;
/// How many keys the records of a list may have.
const MOST_KEYS: usize = 2_000;

/// Why JSON gives no records.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum JsonFault {
    /// It is neither an object nor an array of objects.
    #[error("expected an object or an array of objects, found {0}")]
    NoRecords(&'static str),
    /// Keys that count as one name.
    #[error("{place}: {fault}")]
    Keys {
        /// The list at fault.
        place: String,
        /// What is wrong.
        fault: SchemaFault,
    },
    /// A list with more fields than a sheet may have columns.
    #[error("{place} has {} different keys (maximum {}). Remove the ones you don't need.", grouped(*count), grouped(MOST_KEYS))]
    TooWide {
        /// The list at fault.
        place: String,
        /// How many keys.
        count: usize,
    },
    /// Lists in lists in lists.
    #[error("lists are nested too deeply (maximum {DEEPEST} levels)")]
    TooDeep,
}

/// The records of a JSON text, as a sheet of the given name. JSON writes numbers
/// with a point and dates in ISO form.
pub fn from_json(name: &str, json: &Json) -> Result<Sheet, JsonFault> {
    let raw = raw_from_json(name, json)?;
    Sheet::recognise(&raw).map_err(|fault| JsonFault::Keys { place: name.to_owned(), fault })
}

/// The records of a JSON text as cells: objects and arrays stand in one each.
fn raw_from_json(name: &str, json: &Json) -> Result<RawSheet, JsonFault> {
    let objects = objects_at_the_top(json)?;
    check_keys(name, &objects, 0)?;
    let header = keys(&objects);
    let row = |object: &&Map<String, Json>| header.iter().map(|key| object.get(*key).map_or(Cell::Blank, cell)).collect();
    let rows = objects.iter().map(row).collect();
    Ok(RawSheet {
        name: name.to_owned(),
        rows,
        header: header.iter().map(|k| (*k).to_owned()).collect(),
        typed: true,
        ..RawSheet::default()
    })
}

/// The records that a JSON text is of.
pub(super) fn objects_at_the_top(json: &Json) -> Result<Vec<&Map<String, Json>>, JsonFault> {
    match json {
        Json::Object(object) => Ok(vec![object]),
        Json::Array(items) => items.iter().map(|item| item.as_object().ok_or(JsonFault::NoRecords(kind(item)))).collect(),
        other => Err(JsonFault::NoRecords(kind(other))),
    }
}

fn kind(json: &Json) -> &'static str {
    match json {
        Json::Null => "null",
        Json::Bool(_) => "a true/false value",
        Json::Number(_) => "a number",
        Json::String(_) => "a text",
        Json::Array(_) => "an array",
        Json::Object(_) => "an object",
    }
}

/// The keys of all objects, in the order in which they first stand.
pub(super) fn keys<'j>(objects: &[&'j Map<String, Json>]) -> Vec<&'j str> {
    let mut known = HashSet::new();
    objects.iter().flat_map(|o| o.keys()).map(String::as_str).filter(|key| known.insert(*key)).collect()
}

/// No two keys of a list may count as one name.
pub(super) fn check_keys(place: &str, objects: &[&Map<String, Json>], depth: usize) -> Result<(), JsonFault> {
    if depth > DEEPEST {
        return Err(JsonFault::TooDeep);
    }
    let keys = keys(objects);
    if keys.len() > MOST_KEYS {
        return Err(JsonFault::TooWide { place: place.to_owned(), count: keys.len() });
    }
    let columns = keys.iter().map(|key| Column::new(key, ColumnType::Text)).collect();
    Schema::new(columns).map_err(|fault| JsonFault::Keys { place: place.to_owned(), fault })?;
    for key in keys {
        let below: Vec<&Map<String, Json>> = objects.iter().filter_map(|o| o.get(key)).flat_map(objects_of).collect();
        if !below.is_empty() {
            check_keys(&format!("{place}.{key}"), &below, depth + 1)?;
        }
    }
    Ok(())
}

/// The column of cells of which some hold objects or arrays; all objects in it
/// share one schema, whichever record they hang on.
pub(super) fn nested_column(name: &str, cells: &[&Cell], how: Reading) -> Column {
    let listed = cells.iter().any(|c| matches!(c, Cell::Nested(json) if json.is_array()));
    let kind = if listed { ColumnType::List } else { ColumnType::Record };
    let objects: Vec<&Map<String, Json>> =
        cells.iter().filter_map(|c| if let Cell::Nested(json) = c { Some(json) } else { None }).flat_map(|j| objects_of(j)).collect();
    if objects.is_empty() {
        let items: Vec<Cell> = cells.iter().flat_map(|c| items_of(c)).collect();
        let filled: Vec<&Cell> = items.iter().filter(|c| !c.is_blank()).collect();
        return Column { items: Some(kind_of(&filled, how)), ..Column::new(name, kind) };
    }
    let columns = keys(&objects).into_iter().map(|key| {
        let cells: Vec<Cell> = objects.iter().map(|o| o.get(key).map_or(Cell::Blank, cell)).collect();
        let filled: Vec<&Cell> = cells.iter().filter(|c| !c.is_blank()).collect();
        match filled.iter().any(|c| matches!(c, Cell::Nested(_))) {
            true => nested_column(key, &filled, how),
            false => Column::new(key, kind_of(&filled, how)),
        }
    });
    Column { inner: Schema::new(columns.collect()).ok().map(Arc::new), ..Column::new(name, kind) }
}

/// The record or list of a cell in a column of such.
pub(super) fn nested(column: &Column, own: &Cell, how: Reading) -> Value {
    let Some(schema) = &column.inner else {
        let of_items = Column::new(&column.name, column.items.unwrap_or(ColumnType::Text));
        return Value::List(items_of(own).iter().map(|c| of_items.value(c, how)).collect());
    };
    let record = |(at, object): (usize, &Map<String, Json>)| {
        let values = schema.columns().iter().map(|c| c.value(&object.get(&c.name).map_or(Cell::Blank, cell), how)).collect();
        Value::Record(Arc::new(Record::new(schema.clone(), values, at + 1)))
    };
    match own {
        Cell::Nested(json) => match &**json {
            Json::Array(_) => Value::List(objects_of(json).into_iter().enumerate().map(record).collect()),
            Json::Object(object) => record((0, object)),
            _ => Value::Blank,
        },
        _ => Value::Blank,
    }
}

/// The plain values of a cell in a column of lists; one value is a list of one.
fn items_of(own: &Cell) -> Vec<Cell> {
    match own {
        Cell::Blank => Vec::new(),
        Cell::Nested(json) => json.as_array().map(|items| items.iter().map(cell).collect()).unwrap_or_default(),
        plain => vec![plain.clone()],
    }
}

fn objects_of(json: &Json) -> Vec<&Map<String, Json>> {
    match json {
        Json::Object(object) => vec![object],
        Json::Array(items) => items.iter().filter_map(Json::as_object).collect(),
        _ => Vec::new(),
    }
}

/// A JSON value as a cell. Numbers are taken by their digits, never as binary
/// floats.
pub(super) fn cell(json: &Json) -> Cell {
    match json {
        Json::Null => Cell::Blank,
        Json::Bool(yes) => Cell::Bool(*yes),
        Json::Number(number) => {
            let text = number.to_string();
            let exact = text.parse().or_else(|_| Decimal::from_scientific(&text));
            exact.map_or_else(|_| Cell::Error(text), Cell::Number)
        }
        Json::String(text) => Cell::Text(text.as_str().into()),
        Json::Array(_) | Json::Object(_) => Cell::Nested(Arc::new(json.clone())),
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
        assert_eq!(kinds, [("Ref", "text"), ("Holder", "record"), ("Lines", "list"), ("Tags", "list")]);
        let lines = sheet.schema.column(&Folded::new("lines")).and_then(|c| c.inner.clone()).expect("lines");
        let kinds: Vec<_> = lines.columns().iter().map(|c| (c.name.as_str(), c.kind.name())).collect();
        assert_eq!(kinds, [("Qty", "number"), ("Due", "date"), ("Note", "text")]);
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
        assert!(said.starts_with("cases.lines: columns A and B have the same name"), "{said}");
        let wide: Map<String, Json> = (0..3_000).map(|n| (format!("k{n}"), Json::Null)).collect();
        let said = from_json("cases", &serde_json::json!({ "lines": [wide] })).err().map(|f| f.to_string()).unwrap_or_default();
        assert!(said.starts_with("cases.lines has 3,000 different keys"), "{said}");
        let deep = format!("{}1{}", "{\"a\":".repeat(40), "}".repeat(40));
        assert_eq!(sheet(&deep).err(), Some(JsonFault::TooDeep));
    }
}
