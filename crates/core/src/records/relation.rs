//! Relations: the rows of one sheet that belong to a row of another, by a key
//! that both hold.

use std::collections::HashMap;
use std::sync::Arc;

use super::{Column, ColumnType, Record, Schema, SchemaFault, Sheet};
use crate::language::caseless;
use crate::value::Value;

/// What a relation adds to each record of a sheet.
#[derive(Debug, Clone)]
pub struct Related {
    /// What the new field is called.
    pub name: String,
    /// Which of the sheet's columns holds the key.
    pub key: usize,
    /// The sheet on the other side.
    pub other: Arc<Sheet>,
    /// Which of its columns holds the key.
    pub other_key: usize,
    /// Whether each record gets all that match, not the first.
    pub many: bool,
}

/// What a key says: texts by canonical caseless matching, and a number as its text
/// is written, so that a typed 12 meets the text “12”.
pub(super) fn key(value: &Value) -> Option<String> {
    Some(match value {
        Value::Text(text) => caseless(text.trim()),
        Value::Number(number) | Value::Percent(number) => number.normalize().to_string(),
        Value::Money(money) => money.amount.normalize().to_string(),
        Value::Date(date) => date.to_string(),
        Value::DateTime(moment) => moment.to_string(),
        Value::Bool(yes) => yes.to_string(),
        Value::Misfit(misfit) => caseless(misfit.text.trim()),
        Value::Blank | Value::Record(_) | Value::List(_) => return None,
    })
    .filter(|key| !key.is_empty())
}

/// Adds the fields of relations to a sheet's records.
pub fn relate(sheet: Sheet, related: &[Related]) -> Result<Sheet, SchemaFault> {
    if related.is_empty() {
        return Ok(sheet);
    }
    let mut columns = sheet.schema.columns().to_vec();
    columns.extend(related.iter().map(|r| Column {
        inner: Some(r.other.schema.clone()),
        ..Column::new(&r.name, if r.many { ColumnType::List } else { ColumnType::Record })
    }));
    let schema = Arc::new(Schema::new(columns)?);
    let found: Vec<HashMap<String, Vec<Arc<Record>>>> = related
        .iter()
        .map(|r| {
            let mut found: HashMap<String, Vec<Arc<Record>>> = HashMap::new();
            for record in &r.other.records {
                if let Some(key) = key(&record.values()[r.other_key]) {
                    found.entry(key).or_default().push(Arc::new(record.clone()));
                }
            }
            found
        })
        .collect();
    let with = |record: Record| {
        let mut values = record.values().to_vec();
        for (related, found) in related.iter().zip(&found) {
            let own = key(&record.values()[related.key]).and_then(|key| found.get(&key)).map_or(&[][..], Vec::as_slice);
            values.push(match related.many {
                true => Value::List(own.iter().cloned().map(Value::Record).collect()),
                false => own.first().cloned().map_or(Value::Blank, Value::Record),
            });
        }
        Record::new(schema.clone(), values, record.number)
    };
    Ok(Sheet { name: sheet.name, records: sheet.records.into_iter().map(with).collect(), schema: schema.clone() })
}

/// What is wrong between the two sides of a relation, by numbers of rows.
#[derive(Debug, Default, PartialEq, Eq)]
pub struct Checked {
    /// Rows of the many that belong to none, with their key.
    pub orphans: Vec<(usize, String)>,
    /// Rows of the one whose key another row before has as well.
    pub duplicates: Vec<(usize, String)>,
    /// How many rows of the many have no key.
    pub blank: usize,
}

/// Checks that each row of `many` finds the one row it belongs to.
pub fn check(many: (&Sheet, usize), one: (&Sheet, usize)) -> Checked {
    let shown = |record: &Record, at: usize| super::shown(&record.values()[at]);
    let mut known: HashMap<String, usize> = HashMap::new();
    let mut checked = Checked::default();
    for record in &one.0.records {
        if let Some(key) = key(&record.values()[one.1])
            && known.insert(key, record.number).is_some()
        {
            checked.duplicates.push((record.number, shown(record, one.1)));
        }
    }
    for record in &many.0.records {
        match key(&record.values()[many.1]) {
            None => checked.blank += 1,
            Some(key) if !known.contains_key(&key) => checked.orphans.push((record.number, shown(record, many.1))),
            Some(_) => {}
        }
    }
    checked
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::language::{Context, Folded};
    use crate::records::{Filter, from_json};
    use crate::value::Locale;

    fn sheets() -> (Sheet, Arc<Sheet>) {
        let holders =
            serde_json::json!([{ "Ref": "BQ-1", "Name": "Ada" }, { "Ref": "bq-2 ", "Name": "Tom" }, { "Ref": "BQ-1", "Name": "Twice" }]);
        let invoices = serde_json::json!([
            { "Number": 1, "Holder": "BQ-1", "Amount": 10 },
            { "Number": 2, "Holder": "BQ-2", "Amount": 20 },
            { "Number": 3, "Holder": "BQ-2", "Amount": 30 },
            { "Number": 4, "Holder": "BQ-9", "Amount": 40 },
            { "Number": 5, "Holder": "", "Amount": 50 }
        ]);
        (from_json("holders", &holders).expect("holders"), Arc::new(from_json("invoices", &invoices).expect("invoices")))
    }

    #[test]
    fn each_record_gets_the_rows_that_hold_its_key() {
        let (holders, invoices) = sheets();
        let related = Related { name: "Invoices".into(), key: 0, other: invoices, other_key: 1, many: true };
        let sheet = relate(holders, &[related]).expect("names");
        let context = Context::new(Locale::english(), "2026-11-23T12:00".parse().expect("a moment"));
        let chosen = |condition: &str| {
            let filter = Filter::read(condition, &sheet.schema).expect("reads");
            sheet.records.iter().filter(|r| filter.passes(r, &context).expect("holds")).map(|r| r.number).collect::<Vec<_>>()
        };
        assert_eq!(chosen("sum(invoices.amount) = 50"), [2]);
        assert_eq!(chosen("count(invoices) = 1"), [1, 3]);
    }

    #[test]
    fn the_way_back_is_one_record() {
        let (holders, invoices) = sheets();
        let related = Related { name: "Owner".into(), key: 1, other: Arc::new(holders), other_key: 0, many: false };
        let sheet = relate(Arc::into_inner(invoices).expect("one"), &[related]).expect("names");
        let owner = |at: usize| match sheet.records[at].get(&Folded::new("owner")) {
            Some(Value::Record(record)) => super::super::shown(&record.values()[1]),
            _ => String::new(),
        };
        assert_eq!([owner(0), owner(1), owner(3), owner(4)], ["Ada", "Tom", "", ""]);
    }

    #[test]
    fn orphans_and_keys_held_twice_are_told() {
        let (holders, invoices) = sheets();
        let checked = check((&invoices, 1), (&holders, 0));
        assert_eq!(checked.orphans, [(4, "BQ-9".to_owned())]);
        assert_eq!(checked.duplicates, [(3, "BQ-1".to_owned())]);
        assert_eq!(checked.blank, 1);
    }

    #[test]
    fn a_relation_may_not_take_a_columns_name() {
        let (holders, invoices) = sheets();
        let related = Related { name: "name".into(), key: 0, other: invoices, other_key: 1, many: true };
        assert!(matches!(relate(holders, &[related]), Err(SchemaFault::SameName { .. })));
    }
}
