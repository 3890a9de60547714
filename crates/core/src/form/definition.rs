//! A form as a person writes it.

use std::sync::Arc;

use jiff::civil::DateTime;
use serde::{Deserialize, Serialize};

use crate::records::{Column, ColumnType, Schema};
use crate::value::Currency;

/// A form: its words, when it is open, and what it asks.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(default)]
pub struct Form {
    /// What stands above it.
    pub title: String,
    /// What stands below the title.
    pub intro: String,
    /// The locale that numbers are read by and words are written for: a BCP 47 tag.
    pub locale: String,
    /// The words on the button that sends it.
    pub send: String,
    /// What is said to who has answered; may hold placeholders over the answer.
    pub thanks: String,
    /// What is said when it is not open.
    pub shut: String,
    /// From when it is open, without a zone: the office's own.
    #[cfg_attr(feature = "openapi", schema(value_type = Option<String>))]
    pub opens: Option<DateTime>,
    /// Until when it is open.
    #[cfg_attr(feature = "openapi", schema(value_type = Option<String>))]
    pub closes: Option<DateTime>,
    /// How many answers it takes.
    pub most_answers: Option<usize>,
    /// What it asks, in order.
    pub fields: Vec<FormField>,
}

/// One thing that a form asks or says.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(default)]
pub struct FormField {
    /// Its number within the form, which it keeps whatever it is called.
    pub id: u32,
    /// What kind it is.
    pub kind: FormFieldKind,
    /// The name of its column, which placeholders use.
    pub name: String,
    /// What stands above it; the words of a heading, an explanation, of what must be
    /// accepted.
    pub label: String,
    /// What stands below it.
    pub help: String,
    /// Whether it must be filled in where it is shown.
    pub required: bool,
    /// What stands in it at first: text with placeholders over the fields above it.
    pub default: String,
    /// When it is shown: a condition over the fields above it; always where blank.
    pub shown_when: String,
    /// The least: a number or a date as a formula (`today + 3`), a time as `08:30`,
    /// signs of a text, choices of several.
    pub least: String,
    /// The most, as the least; files of a file or picture field.
    pub most: String,
    /// How a text is written: `#` a digit, `@` a letter, `?` either, `\` before a
    /// sign of these that is meant itself.
    pub mask: String,
    /// A regular expression that the whole text must match.
    pub pattern: String,
    /// What is said where mask or pattern are not kept.
    pub message: String,
    /// What can be chosen.
    pub options: Vec<String>,
    /// The currency of an amount of money (ISO 4217).
    pub currency: String,
    /// The largest file, in megabytes.
    pub megabytes: Option<u32>,
    /// The rows of fields that it belongs to, by their number; 0 for none. Each row has it.
    pub group: u32,
    /// What it is worked out by: an expression over the fields above it, and in a row over those of
    /// the row.
    pub formula: String,
}

/// The kinds of fields.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case")]
pub enum FormFieldKind {
    /// A line of text.
    #[default]
    Text,
    /// Lines of text.
    LongText,
    /// A number.
    Number,
    /// An amount of money.
    Money,
    /// A day.
    Date,
    /// A time of day.
    Time,
    /// An e-mail address.
    Email,
    /// A telephone number.
    Telephone,
    /// One of several.
    Choice,
    /// Any of several.
    Choices,
    /// Yes or no.
    YesNo,
    /// A yes without which nothing is sent.
    Accept,
    /// A file.
    File,
    /// A picture.
    Picture,
    /// A signature that is drawn.
    Signature,
    /// Rows of fields: as many as the person adds; a list of records.
    Rows,
    /// Worked out while the form is filled in: a number, or an amount where it has a currency.
    Computed,
    /// Not shown: filled by its default, or by the address.
    Hidden,
    /// A heading.
    Heading,
    /// An explanation.
    Explanation,
}

impl FormFieldKind {
    /// Whether it asks nothing.
    pub fn is_words(self) -> bool {
        matches!(self, FormFieldKind::Heading | FormFieldKind::Explanation)
    }

    /// Whether a row can have it.
    pub fn can_be_in_rows(self) -> bool {
        !(self.takes_files() || matches!(self, FormFieldKind::Rows | FormFieldKind::Accept))
    }

    /// Whether files answer it.
    pub fn takes_files(self) -> bool {
        matches!(self, FormFieldKind::File | FormFieldKind::Picture | FormFieldKind::Signature)
    }

    /// Whether it takes pictures only.
    pub fn takes_pictures(self) -> bool {
        matches!(self, FormFieldKind::Picture | FormFieldKind::Signature)
    }
}

impl Form {
    /// The fields of the rows of a field.
    pub fn members(&self, rows: u32) -> impl Iterator<Item = &FormField> {
        self.fields.iter().filter(move |field| field.group == rows && rows != 0)
    }

    /// The column of a field's answers: none for words, and for a field of rows, which is within
    /// their column.
    pub fn column(&self, field: &FormField) -> Option<Column> {
        if field.group != 0 {
            return None;
        }
        let column = field.column()?;
        if field.kind != FormFieldKind::Rows {
            return Some(column);
        }
        let inner = Schema::new(self.members(field.id).filter_map(FormField::column).collect()).unwrap_or_default();
        Some(Column { inner: Some(Arc::new(inner)), ..column })
    }
}

impl FormField {
    /// The column of its answers, in its form or in its rows; none for words.
    pub fn column(&self) -> Option<Column> {
        let kind = match self.kind {
            kind if kind.is_words() => return None,
            FormFieldKind::Number => ColumnType::Number,
            FormFieldKind::Money => ColumnType::Money(Currency::parse(&self.currency).unwrap_or(Currency::EUR)),
            FormFieldKind::Date => ColumnType::Date,
            FormFieldKind::Email => ColumnType::Email,
            FormFieldKind::YesNo | FormFieldKind::Accept => ColumnType::YesNo,
            FormFieldKind::Computed if self.currency.trim().is_empty() => ColumnType::Number,
            FormFieldKind::Computed => ColumnType::Money(Currency::parse(&self.currency).unwrap_or(Currency::EUR)),
            FormFieldKind::Rows => return Some(Column::new(&self.name, ColumnType::List)),
            FormFieldKind::Choices => ColumnType::List,
            kind if kind.takes_files() && self.most_files() > 1 => ColumnType::List,
            _ => ColumnType::Text,
        };
        let items = (kind == ColumnType::List).then_some(ColumnType::Text);
        Some(Column { items, ..Column::new(&self.name, kind) })
    }

    /// How many files it takes.
    pub fn most_files(&self) -> usize {
        match self.kind {
            FormFieldKind::Signature => 1,
            _ => self.most.trim().parse().unwrap_or(1).clamp(1, 20),
        }
    }

    /// The largest file that it takes, in bytes.
    pub fn largest(&self) -> u64 {
        u64::from(self.megabytes.unwrap_or(10).clamp(1, 32)) << 20
    }

    /// What to call it in a sentence.
    pub fn title(&self) -> &str {
        if self.label.trim().is_empty() { &self.name } else { self.label.trim() }
    }
}
