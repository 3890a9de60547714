//! The fields of a source as a person picks them: each with its type, a sample
//! and the placeholder that prints it, along relations and lists.

use super::{Column, ColumnType, Record, Schema};
use crate::language::{Folded, plain, written};
use crate::value::{Locale, Value};

/// How deep relations and lists are followed.
const DEEPEST: usize = 6;
/// How many signs of a sample are shown.
const SHOWN: usize = 80;

/// A field of a source.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Field {
    /// Its name.
    pub name: String,
    /// The path to it from the record or the turn that has it.
    pub path: String,
    /// Its type's name.
    pub kind: &'static str,
    /// What the record holds.
    pub sample: String,
    /// What to write to print it; of a list, what to put round its passage.
    pub placeholder: String,
    /// The lists in whose turns it is named so, outermost first.
    pub lists: Vec<String>,
    /// The fields of its record or its records.
    pub within: Vec<Field>,
}

/// The fields of a schema, with what a record holds of them.
pub fn fields(schema: &Schema, record: Option<&Record>, locale: &Locale) -> Vec<Field> {
    level(schema, record, "", &[], locale)
}

fn level(schema: &Schema, record: Option<&Record>, before: &str, lists: &[String], locale: &Locale) -> Vec<Field> {
    let depth = lists.len() + before.matches('.').count();
    let of = |column: &Column| {
        let value = record.and_then(|r| r.get(&Folded::new(&column.name)));
        let path = format!("{before}{}", written(&column.name));
        let inner = column.inner.as_deref().filter(|_| depth < DEEPEST);
        let below: Vec<String> = lists.iter().cloned().chain([path.clone()]).collect();
        let within = match (column.kind, inner, value) {
            (ColumnType::Record, Some(inner), Some(Value::Record(own))) => level(inner, Some(own), &format!("{path}."), lists, locale),
            (ColumnType::Record, Some(inner), _) => level(inner, None, &format!("{path}."), lists, locale),
            // Within the turns of a list its fields are named by themselves.
            (ColumnType::List, Some(inner), Some(Value::List(items))) => {
                let first = items.iter().find_map(|i| if let Value::Record(r) = i { Some(&**r) } else { None });
                level(inner, first, "", &below, locale)
            }
            (ColumnType::List, Some(inner), _) => level(inner, None, "", &below, locale),
            _ => Vec::new(),
        };
        let placeholder = match column.kind {
            ColumnType::List if column.inner.is_some() => format!("[:repeat for {path}]…[:end]"),
            _ => format!("[: {path}]"),
        };
        let sample = value.map_or(String::new(), |v| sample(v, locale));
        Field { name: column.name.clone(), path, kind: column.kind.name(), sample, placeholder, lists: lists.to_vec(), within }
    };
    schema.columns().iter().map(of).collect()
}

/// A value as a table or a list shows it, cut to what fits.
pub fn sample(value: &Value, locale: &Locale) -> String {
    let text = match value {
        Value::List(items) if items.iter().any(|i| matches!(i, Value::Record(_))) => match items.len() {
            1 => "1 record".to_owned(),
            count => format!("{count} records"),
        },
        Value::Record(record) => {
            let own = record.values().iter().filter(|v| !matches!(v, Value::Record(_) | Value::List(_)));
            own.filter_map(|v| plain(v, locale).ok()).filter(|t| !t.is_empty()).take(3).collect::<Vec<_>>().join(", ")
        }
        Value::Misfit(misfit) => misfit.text.clone(),
        plain_value => plain(plain_value, locale).unwrap_or_default(),
    };
    match text.char_indices().nth(SHOWN) {
        Some((at, _)) => format!("{}…", &text[..at]),
        None => text,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn fields_are_ready_placeholders_along_relations_and_lists() {
        let json = serde_json::json!({
            "Ref": "BQ-0031",
            "Terms and conditions": "net",
            "Owner": { "Last name": "Quayle" },
            "Lines": [{ "Item": "Antifouling", "Qty": 2 }, { "Item": "Zinc", "Qty": 1 }]
        });
        let sheet = crate::records::from_json("cases", &json).expect("a case");
        let shown = |f: &Field| format!("{} | {} | {}", f.placeholder, f.kind, f.sample);
        let found = fields(&sheet.schema, sheet.records.first(), &Locale::english());
        assert_eq!(
            found.iter().map(shown).collect::<Vec<_>>(),
            [
                "[: Ref] | text | BQ-0031",
                "[: 'Terms and conditions'] | text | net",
                "[: Owner] | record | Quayle",
                "[:repeat for Lines]…[:end] | list | 2 records",
            ]
        );
        assert_eq!(found[2].within.iter().map(shown).collect::<Vec<_>>(), ["[: Owner.Last name] | text | Quayle"]);
        assert_eq!(found[3].within.iter().map(shown).collect::<Vec<_>>(), ["[: Item] | text | Antifouling", "[: Qty] | number | 2"]);
        assert_eq!(found[3].within[0].lists, ["Lines"]);
    }
}
