//! The fields of a source as ready placeholders, and placeholders put together by
//! choosing.

use std::sync::Arc;

use mangle_core::language::{Composed, Context, Scope, Ties, compose, formats, value};
use mangle_core::records::{Field, Record, fields};
use mangle_core::template::TextTemplate;
use mangle_core::value::{Locale, Value};
use serde::{Deserialize, Serialize};

use crate::store::settings;
use crate::{App, Error, Outcome, clock};

#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::IntoParams))]
pub struct At {
    /// The row whose values are shown, from 1.
    #[serde(default = "first")]
    pub row: usize,
}

fn first() -> usize {
    1
}

/// A field of a source.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct FieldInfo {
    /// Its name.
    pub name: String,
    /// The path to it from the record or the turn that has it.
    pub path: String,
    /// text, number, money, date, yes/no, e-mail, record or list.
    #[serde(rename = "type")]
    pub kind: String,
    /// What the record holds.
    pub sample: String,
    /// What to write to print it; of a list, what to put round its passage.
    pub placeholder: String,
    /// The lists in whose turns it is named so, outermost first.
    pub lists: Vec<String>,
    /// The fields of its record or its records.
    #[cfg_attr(feature = "openapi", schema(no_recursion))]
    pub within: Vec<FieldInfo>,
}

impl From<Field> for FieldInfo {
    fn from(field: Field) -> FieldInfo {
        let within = field.within.into_iter().map(Into::into).collect();
        let Field { name, path, kind, sample, placeholder, lists, .. } = field;
        FieldInfo { name, path, kind: kind.to_owned(), sample, placeholder, lists, within }
    }
}

/// The fields of a sheet, with the values of one of its rows.
pub async fn of_sheet(app: &App, id: i64, at: At) -> Outcome<Vec<FieldInfo>> {
    let loaded = app.sheet(id).await?;
    let record = loaded.sheet.record(at.row);
    let found = fields(&loaded.sheet.schema, record, &Locale::english());
    Ok(found.into_iter().map(Into::into).collect())
}

/// What a placeholder is put together from.
#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Choices {
    /// The path to the field.
    pub path: String,
    /// The lists in whose turns it is, outermost first; it is tried with their first.
    #[serde(default)]
    pub lists: Vec<String>,
    /// A format as it stands behind `as`; none for the field's own.
    #[serde(default)]
    pub format: String,
    /// A BCP 47 tag to print by; none for that of the record.
    #[serde(default)]
    pub locale: String,
    /// What stands there when the field is blank: a text, or another field's path.
    #[serde(default)]
    pub fallback: String,
    /// Whether the fallback is a field.
    #[serde(default)]
    pub fallback_is_field: bool,
    /// Text before the value when it is not blank.
    #[serde(default)]
    pub before: String,
    /// Text after the value when it is not blank.
    #[serde(default)]
    pub after: String,
    /// The condition under which it is printed at all.
    #[serde(default)]
    pub condition: String,
    /// The sheet and the row to try it with.
    pub sheet_id: Option<i64>,
    /// The row.
    pub row: Option<usize>,
}

/// A placeholder put together.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct PutTogether {
    /// What to write.
    pub placeholder: String,
    /// What it prints for the record.
    pub printed: Option<String>,
    /// What is wrong with it.
    pub fault: Option<String>,
    /// The formats that fit the field, each with what it makes of the record's value.
    pub formats: Vec<FormatInfo>,
}

/// A format to choose.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct FormatInfo {
    /// What stands behind `as`.
    pub format: String,
    /// In words.
    pub about: String,
    /// What it makes of the record's value.
    pub sample: String,
}

/// The record of the first turn of lists within lists, as far as they have one.
fn first_turn(record: &Record, lists: &[String], ties: &Ties, context: &Context) -> Option<Arc<Record>> {
    let mut turn: Option<Arc<Record>> = None;
    for list in lists {
        let expr = value(list).ok()?;
        let found = Scope::new(turn.as_deref().unwrap_or(record), ties, context).value(&expr).ok()?;
        let Value::List(items) = found else { return turn };
        turn = items.iter().find_map(|item| if let Value::Record(own) = item { Some(own.clone()) } else { None });
        turn.as_ref()?;
    }
    turn
}

/// Puts a placeholder together and tries it with a record.
pub async fn put_together(app: &App, chosen: Choices) -> Outcome<PutTogether> {
    let composed = Composed {
        path: &chosen.path,
        format: &chosen.format,
        locale: &chosen.locale,
        fallback: &chosen.fallback,
        fallback_is_field: chosen.fallback_is_field,
        before: &chosen.before,
        after: &chosen.after,
        condition: &chosen.condition,
    };
    let placeholder = compose(&composed);
    let office = app.store.with(|c| settings::read(c)).await?.office();
    let mut context = Context::new(Locale::english(), clock::now());
    context.office = office;
    let template = TextTemplate::new(&placeholder);
    let mut answer =
        PutTogether { placeholder, printed: None, fault: template.problems().first().map(|p| p.message.clone()), formats: Vec::new() };
    let Some(sheet) = chosen.sheet_id else { return Ok(answer) };
    let loaded = app.sheet(sheet).await?;
    context.reading = loaded.reading;
    let row = chosen.row.unwrap_or(1);
    let record = loaded.sheet.record(row).ok_or_else(|| Error::missing("the row"))?;
    let ties = Ties::default();
    let turn = first_turn(record, &chosen.lists, &ties, &context);
    let scope = Scope::new(turn.as_deref().unwrap_or(record), &ties, &context);
    if answer.fault.is_none() {
        match template.fill(&scope) {
            Ok(text) => answer.printed = Some(text),
            Err(error) => answer.fault = Some(error.error.to_string()),
        }
    }
    if let Ok(value) = value(&chosen.path).map_err(|_| ()).and_then(|expr| scope.value(&expr).map_err(|_| ())) {
        let found = formats(&value, &context.locale);
        answer.formats = found.into_iter().map(|f| FormatInfo { format: f.format, about: f.about.to_owned(), sample: f.sample }).collect();
    }
    Ok(answer)
}
