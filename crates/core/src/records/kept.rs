//! A record's values as a run keeps them: each with its type, so that what is made later,
//! or once more, is made of the very values that the preview showed.
//!
//! A value is one JSON object of one key, which names its type, or `null` for blank:
//! `{"number": "1.50"}`, `{"money": ["9.90", "EUR"]}`, `{"percent": "0.1"}`,
//! `{"date": "2026-11-23"}`, `{"moment": "2026-11-23T09:42:00"}`, `{"yes": true}`,
//! `{"text": "…"}`, `{"record": [row number, values]}`, `{"list": values}` and
//! `{"misfit": {…}}` for a cell that does not fit its column. Numbers are texts, for JSON
//! has no exact decimals.

use std::sync::Arc;

use jiff::civil::{Date, DateTime};
use rust_decimal::Decimal;
use serde::{Deserialize, Serialize};

use super::{ColumnType, Record, Schema};
use crate::value::{Currency, Misfit, Money, Value};

#[derive(Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
enum Kept {
    Number(Decimal),
    Percent(Decimal),
    Money(Decimal, String),
    Date(Date),
    Moment(DateTime),
    Yes(bool),
    Text(String),
    Record(usize, Vec<Option<Kept>>),
    List(Vec<Option<Kept>>),
    Misfit { column: String, text: String, kind: String, why: Option<String> },
}

/// Kept values that can't be read back.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum KeptFault {
    /// They are not in the form that this version writes.
    #[error("the saved values of this record can't be read ({0}). Run it again from its source.")]
    Unreadable(String),
    /// A record within them has no columns to go by.
    #[error("the saved columns of this record don't match its values. Run it again from its source.")]
    Columns,
}

/// A record's values as JSON.
pub fn keep(record: &Record) -> String {
    let kept: Vec<Option<Kept>> = record.values().iter().map(kept).collect();
    serde_json::to_string(&kept).unwrap_or_default()
}

/// Whether a record's values differ from those that were kept, but for some columns, which the
/// sheet may not have had then.
pub fn differs(kept: &str, record: &Record, but: &[usize]) -> bool {
    if but.is_empty() {
        return kept != keep(record);
    }
    let read = |text: &str| serde_json::from_str::<Vec<serde_json::Value>>(text).ok();
    let (Some(before), Some(now)) = (read(kept), read(&keep(record))) else { return true };
    let had = before.len() == now.len();
    let strip = |values: Vec<serde_json::Value>| {
        let rest = values.into_iter().enumerate().filter(|(at, _)| !but.contains(at));
        rest.map(|(_, value)| value).collect::<Vec<_>>()
    };
    (if had { strip(before) } else { before }) != strip(now)
}

/// Reads a record of a schema back.
pub fn read_kept(schema: &Arc<Schema>, number: usize, json: &str) -> Result<Record, KeptFault> {
    let kept: Vec<Option<Kept>> = serde_json::from_str(json).map_err(|e| KeptFault::Unreadable(e.to_string()))?;
    record(schema, number, kept)
}

fn kept(value: &Value) -> Option<Kept> {
    Some(match value {
        Value::Blank => return None,
        Value::Number(number) => Kept::Number(*number),
        Value::Percent(number) => Kept::Percent(*number),
        Value::Money(money) => Kept::Money(money.amount, money.currency.to_string()),
        Value::Date(date) => Kept::Date(*date),
        Value::DateTime(moment) => Kept::Moment(*moment),
        Value::Bool(yes) => Kept::Yes(*yes),
        Value::Text(text) => Kept::Text(text.to_string()),
        Value::Record(record) => Kept::Record(record.number, record.values().iter().map(kept).collect()),
        Value::List(items) => Kept::List(items.iter().map(kept).collect()),
        Value::Misfit(misfit) => Kept::Misfit {
            column: misfit.column.clone(),
            text: misfit.text.clone(),
            kind: misfit.kind.to_string(),
            why: misfit.why.clone(),
        },
    })
}

fn record(schema: &Arc<Schema>, number: usize, kept: Vec<Option<Kept>>) -> Result<Record, KeptFault> {
    if kept.len() != schema.columns().len() {
        return Err(KeptFault::Columns);
    }
    let values = schema.columns().iter().zip(kept).map(|(column, kept)| value(kept, column.inner.as_ref()));
    Ok(Record::new(schema.clone(), values.collect::<Result<_, _>>()?, number))
}

/// The value of a column; `inner` are the columns of the records within it.
fn value(kept: Option<Kept>, inner: Option<&Arc<Schema>>) -> Result<Value, KeptFault> {
    let unreadable = |what: String| KeptFault::Unreadable(what);
    Ok(match kept {
        None => Value::Blank,
        Some(Kept::Number(number)) => Value::Number(number),
        Some(Kept::Percent(number)) => Value::Percent(number),
        Some(Kept::Money(amount, code)) => {
            Value::Money(Money { amount, currency: Currency::parse(&code).map_err(|e| unreadable(e.to_string()))? })
        }
        Some(Kept::Date(date)) => Value::Date(date),
        Some(Kept::Moment(moment)) => Value::DateTime(moment),
        Some(Kept::Yes(yes)) => Value::Bool(yes),
        Some(Kept::Text(text)) => Value::text(text),
        Some(Kept::Record(number, values)) => Value::Record(Arc::new(record(inner.ok_or(KeptFault::Columns)?, number, values)?)),
        Some(Kept::List(items)) => Value::List(items.into_iter().map(|item| value(item, inner)).collect::<Result<_, _>>()?),
        Some(Kept::Misfit { column, text, kind, why }) => {
            let kind = ColumnType::read_name(&kind).ok_or_else(|| unreadable(format!("no type is called “{kind}”")))?;
            Value::Misfit(Arc::new(Misfit { column, text, kind, why }))
        }
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::records::{Column, from_json};

    #[test]
    fn every_value_comes_back_with_its_type() {
        let json = serde_json::json!([{ "Ref": "BQ-1", "Owner": { "Name": "Ada" }, "Lines": [{ "Qty": 2, "Parts": [{ "Kg": 1.5 }] }, { "Qty": null }], "Tags": ["a", "b"] }]);
        let nested = from_json("cases", &json).expect("a case");
        let mut columns = nested.schema.columns().to_vec();
        let plain: [(&str, ColumnType, Value); 9] = [
            ("Number", ColumnType::Number, Value::Number("1.50".parse().expect("a number"))),
            (
                "Fee",
                ColumnType::Money(Currency::GBP),
                Value::Money(Money { amount: "701.082".parse().expect("an amount"), currency: Currency::GBP }),
            ),
            ("Discount", ColumnType::Percent, Value::Percent("0.1".parse().expect("a number"))),
            ("Due", ColumnType::Date, Value::Date("2026-11-23".parse().expect("a date"))),
            ("At", ColumnType::Time, Value::DateTime("1899-12-30T09:30:00".parse().expect("a time"))),
            ("Seen", ColumnType::Date, Value::DateTime("2026-11-23T09:42:00".parse().expect("a moment"))),
            ("Paid", ColumnType::YesNo, Value::Bool(false)),
            ("Note", ColumnType::Text, Value::Blank),
            (
                "Until",
                ColumnType::Date,
                Value::Misfit(Arc::new(Misfit {
                    column: "Until".into(),
                    text: "soon".into(),
                    kind: ColumnType::Money(Currency::EUR),
                    why: Some("1 / 0".into()),
                })),
            ),
        ];
        columns.extend(plain.iter().map(|(name, kind, _)| Column::new(name, *kind)));
        let schema = Arc::new(Schema::new(columns).expect("names"));
        let values = nested.records[0].values().iter().cloned().chain(plain.into_iter().map(|(_, _, value)| value));
        let own = Record::new(schema.clone(), values.collect(), 7);
        assert_eq!(read_kept(&schema, 7, &keep(&own)), Ok(own.clone()));
        assert!(!differs(&keep(&own), &own, &[]) && !differs(&keep(&own), &own, &[0]));
        let mut values = own.values().to_vec();
        values[0] = Value::text("written meanwhile");
        let written = Record::new(schema.clone(), values, 7);
        assert!(differs(&keep(&own), &written, &[]) && differs(&keep(&own), &written, &[1]));
        assert!(!differs(&keep(&own), &written, &[0]));
        // The column was not there when it was kept.
        let mut before: Vec<serde_json::Value> = serde_json::from_str(&keep(&own)).expect("JSON");
        before.remove(0);
        let before = serde_json::to_string(&before).expect("JSON");
        assert!(!differs(&before, &written, &[0]) && differs(&before, &written, &[]));
    }

    #[test]
    fn what_another_version_kept_is_refused_with_a_remedy() {
        let schema = Arc::new(Schema::new(vec![Column::new("Ref", ColumnType::Text)]).expect("names"));
        let said = |json: &str| read_kept(&schema, 1, json).expect_err("is refused").to_string();
        assert!(said(r#"[{"t":"BQ-1"}]"#).ends_with("Run it again from its source."));
        assert_eq!(said("[]"), KeptFault::Columns.to_string());
    }
}
