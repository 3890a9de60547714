//! A form with an answer in it, as screens carry it.

use std::collections::BTreeMap;

use mangle_core::form::{FormFieldKind, Given, GivenFile, LookedAt, Rules};
use serde::de::Error;
use serde::{Deserialize, Deserializer, Serialize};

use crate::store::forms::{self, Arrival};

/// What was given to a field: text, a tick, or several options or keys of files.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(untagged)]
pub enum GivenBody {
    /// Text.
    Text(String),
    /// A tick, or none.
    Yes(bool),
    /// Options, or the keys of files that came.
    Many(Vec<String>),
    /// Rows, each with what was given to its fields, by their number.
    #[cfg_attr(feature = "openapi", schema(no_recursion))]
    Rows(#[serde(deserialize_with = "by_number")] Vec<BTreeMap<u32, GivenBody>>),
}

/// Rows by the numbers of their fields, which are texts in JSON as all names there are: serde reads
/// no numbers from them within an untagged value.
fn by_number<'de, D: Deserializer<'de>>(from: D) -> Result<Vec<AnswerBody>, D::Error> {
    let row = |row: BTreeMap<String, GivenBody>| {
        let one = |(number, given): (String, GivenBody)| Ok((number.parse().map_err(D::Error::custom)?, given));
        row.into_iter().map(one).collect()
    };
    Vec::deserialize(from)?.into_iter().map(row).collect()
}

/// What was given to the fields, by their number.
pub type AnswerBody = BTreeMap<u32, GivenBody>;

/// A field with what stands in it.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct LookedBody {
    /// The field's number.
    pub field: u32,
    /// Whether it is shown.
    pub shown: bool,
    /// What stands in it by its default, where nothing was given.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub by_default: Option<GivenBody>,
    /// What is wrong, in words.
    #[serde(skip_serializing_if = "Option::is_none")]
    #[serde(serialize_with = "mangle_core::words::as_sentence_or_none")]
    pub wrong: Option<String>,
    /// Its computed value, as it is shown.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub computed: Option<String>,
    /// Its rows, each with its fields.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    #[cfg_attr(feature = "openapi", schema(no_recursion))]
    pub rows: Vec<Vec<LookedBody>>,
}

impl LookedBody {
    pub fn all(looked: &[LookedAt], given: &AnswerBody) -> Vec<LookedBody> {
        let nothing = AnswerBody::new();
        let body = |one: &LookedAt| {
            let rows: &[AnswerBody] = match given.get(&one.field) {
                Some(GivenBody::Rows(rows)) => rows,
                _ => &[],
            };
            LookedBody {
                field: one.field,
                shown: one.shown,
                by_default: one.given.as_ref().filter(|_| !given.contains_key(&one.field)).and_then(back),
                wrong: one.wrong.as_ref().map(ToString::to_string),
                computed: one.computed.clone(),
                rows: one.rows.iter().enumerate().map(|(at, row)| LookedBody::all(row, rows.get(at).unwrap_or(&nothing))).collect(),
            }
        };
        looked.iter().map(body).collect()
    }
}

fn back(given: &Given) -> Option<GivenBody> {
    Some(match given {
        Given::Text(text) => GivenBody::Text(text.clone()),
        Given::Yes(yes) => GivenBody::Yes(*yes),
        Given::Many(chosen) => GivenBody::Many(chosen.clone()),
        Given::Files(_) | Given::Rows(_) => return None,
    })
}

/// What was given, with the files that came for it; keys of none are passed over.
pub fn given(rules: &Rules, body: &AnswerBody, arrived: &[Arrival]) -> BTreeMap<u32, Given> {
    let files = |field: u32, keys: &[String]| {
        let own = keys.iter().filter_map(|key| arrived.iter().find(|a| a.key == *key && a.field == field));
        Given::Files(own.map(|a| GivenFile { name: a.name.clone(), bytes: a.size, picture: a.picture }).collect())
    };
    let plain = |given: &GivenBody| match given {
        GivenBody::Many(chosen) => Given::Many(chosen.clone()),
        GivenBody::Text(text) => Given::Text(text.clone()),
        GivenBody::Yes(yes) => Given::Yes(*yes),
        // Rows within rows are none.
        GivenBody::Rows(_) => Given::Rows(Vec::new()),
    };
    let mut out = BTreeMap::new();
    for field in rules.asked() {
        let given = match body.get(&field.id) {
            None => continue,
            Some(GivenBody::Many(keys)) if field.kind.takes_files() => files(field.id, keys),
            Some(GivenBody::Many(none)) if field.kind == FormFieldKind::Rows && none.is_empty() => Given::Rows(Vec::new()),
            Some(GivenBody::Rows(rows)) => {
                let row = |row: &AnswerBody| rules.members(field.id).filter_map(|own| Some((own.id, plain(row.get(&own.id)?)))).collect();
                Given::Rows(rows.iter().map(row).collect())
            }
            Some(given) => plain(given),
        };
        out.insert(field.id, given);
    }
    out
}

/// The files that an answer names.
pub fn arrived(c: &crate::store::Connection, form: i64, rules: &Rules, body: &AnswerBody) -> anyhow::Result<Vec<Arrival>> {
    let mut found = Vec::new();
    for field in rules.asked().filter(|f| f.kind.takes_files()) {
        let Some(GivenBody::Many(keys)) = body.get(&field.id) else { continue };
        for key in keys.iter().take(field.most_files() + 1) {
            found.extend(forms::arrival(c, form, key)?);
        }
    }
    Ok(found)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rows_come_by_the_numbers_of_their_fields() {
        let read = |text: &str| serde_json::from_str::<AnswerBody>(text);
        let body = read(r#"{"1": "Ada", "2": [{"3": "Rope", "4": "12"}, {}], "5": ["a"]}"#).expect("an answer");
        let Some(GivenBody::Rows(rows)) = body.get(&2) else { panic!("{body:?}") };
        assert!(rows.len() == 2 && matches!(rows[0].get(&4), Some(GivenBody::Text(text)) if text == "12"), "{rows:?}");
        assert_eq!(serde_json::to_value(&body).expect("JSON")["2"][0]["3"], "Rope");
        assert!(read(r#"{"2": [{"item": "Rope"}]}"#).is_err());
    }
}
