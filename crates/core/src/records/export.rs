//! Records as data for others: JSON and rows of text. Numbers keep their exact
//! value, dates are ISO 8601.

use jiff::civil::DateTime;
use rust_decimal::Decimal;
use serde_json::{Map, Value as Json};

use super::Record;
use crate::language::NULL_DATE;
use crate::value::Value;

/// A record as a JSON object, its columns in their order; lists and related records
/// within it.
pub fn to_json(record: &Record) -> Json {
    let columns = record.schema().columns();
    let pairs = columns.iter().zip(record.values()).map(|(column, value)| (column.name.clone(), json(value)));
    Json::Object(Map::from_iter(pairs))
}

/// A record as the names of its columns and their values as text; lists are left
/// out, each of their items would be a row of its own.
pub fn to_rows(record: &Record) -> [Vec<String>; 2] {
    let columns = record.schema().columns().iter().zip(record.values());
    let plain = columns.filter(|(_, value)| !matches!(value, Value::List(_) | Value::Record(_)));
    let (names, values) = plain.map(|(column, value)| (column.name.clone(), text(value))).unzip();
    [names, values]
}

pub(super) fn json(value: &Value) -> Json {
    match value {
        Value::Blank => Json::Null,
        Value::Bool(yes) => Json::Bool(*yes),
        Value::Number(number) | Value::Percent(number) => exact(number),
        Value::Money(money) => serde_json::json!({ "amount": exact(&money.amount), "currency": money.currency.to_string() }),
        Value::Record(record) => to_json(record),
        Value::List(items) => Json::Array(items.iter().map(json).collect()),
        other => Json::String(text(other)),
    }
}

/// A number as JSON where that keeps its value, else as text.
pub(super) fn exact(number: &Decimal) -> Json {
    let plain = number.normalize().to_string();
    let back = plain.parse::<f64>().ok().and_then(|binary| format!("{binary}").parse::<Decimal>().ok());
    match back == Some(number.normalize()) {
        true => serde_json::from_str(&plain).unwrap_or(Json::String(plain)),
        false => Json::String(plain),
    }
}

/// A moment as ISO 8601 writes it; one on the null date is a time of day.
pub(crate) fn iso(moment: DateTime) -> String {
    if moment.date() == NULL_DATE { moment.time().to_string() } else { moment.to_string() }
}

fn text(value: &Value) -> String {
    match value {
        Value::Blank | Value::Record(_) | Value::List(_) => String::new(),
        Value::Bool(yes) => yes.to_string(),
        Value::Number(number) | Value::Percent(number) => number.normalize().to_string(),
        Value::Money(money) => format!("{} {}", money.amount.normalize(), money.currency),
        Value::Date(date) => date.to_string(),
        Value::DateTime(moment) => iso(*moment),
        Value::Text(text) => text.to_string(),
        Value::Misfit(misfit) => misfit.text.clone(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::records::from_json;

    #[test]
    fn a_record_goes_out_as_it_came_in() {
        let json = serde_json::json!({
            "Ref": "BQ-0031", "Balance": 1234.5, "Paid": false, "Left": null,
            "Lines": [{ "Item": "A10", "Price": 480.5 }, { "Item": "Power", "Price": 10.5 }],
        });
        let sheet = from_json("cases", &json).expect("a case");
        assert_eq!(to_json(&sheet.records[0]), json);
        let [names, values] = to_rows(&sheet.records[0]);
        assert_eq!(names, ["Ref", "Balance", "Paid", "Left"]);
        assert_eq!(values, ["BQ-0031", "1234.5", "false", ""]);
    }

    #[test]
    fn a_number_that_json_would_change_stays_text() {
        let long: Decimal = "1234567890123456789.01".parse().expect("a number");
        assert_eq!(exact(&long), Json::String("1234567890123456789.01".into()));
        assert_eq!(exact(&Decimal::new(1050, 2)), serde_json::json!(10.5));
    }
}
