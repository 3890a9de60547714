//! Values: what a record's field holds and what an expression yields.

mod date_style;
mod email;
mod locale;
mod money;
mod money_style;
pub mod number;
pub mod read;
mod spellout;

use std::sync::Arc;

use ecow::EcoString;
use jiff::civil::{Date, DateTime};
use rust_decimal::Decimal;

use crate::records::{ColumnType, Record};

pub use email::{EmailAddress, NotAnAddress, recipients};
pub use locale::{DateOrder, Length, Locale, UnknownLocale};
pub use money::{Currency, Money, UnknownCurrency};
pub use spellout::spell;

/// A value of the placeholder language. Cheap to clone.
#[derive(Debug, Clone, PartialEq)]
pub enum Value {
    /// Nothing: an empty cell, null, no record.
    Blank,
    /// Yes or no.
    Bool(bool),
    /// An exact decimal of up to 28 digits.
    Number(Decimal),
    /// A part of a hundred: 0.1 is 10 %. It counts as the number and prints as a percentage.
    Percent(Decimal),
    /// An amount with its currency.
    Money(Money),
    /// A calendar day.
    Date(Date),
    /// A calendar day with a time of day, without a zone.
    DateTime(DateTime),
    /// Text as it stands in the source.
    Text(EcoString),
    /// A record reached by a relation.
    Record(Arc<Record>),
    /// Many values or records.
    List(Arc<[Value]>),
    /// A cell that does not fit its column's type: an error where it is used.
    Misfit(Arc<Misfit>),
}

/// What an office writes where nothing else is said: recognition, new forms and new
/// dispatches start from it.
#[derive(Debug, Clone)]
pub struct Home {
    /// Its language and region.
    pub locale: Arc<Locale>,
    /// Its currency.
    pub currency: Currency,
}

impl Home {
    /// How it reads numbers and dates.
    pub fn reading(&self) -> read::Reading {
        read::Reading::of(&self.locale)
    }
}

impl Default for Home {
    /// British English and the euro.
    fn default() -> Home {
        Home { locale: Locale::english(), currency: Currency::EUR }
    }
}

/// A cell's text and the type that its column wanted.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Misfit {
    /// The column's name as the source writes it.
    pub column: String,
    /// The cell's text.
    pub text: String,
    /// The type that it should have had.
    pub kind: ColumnType,
    /// Why the formula of a computed column gave nothing; `None` for a typed cell.
    pub why: Option<String>,
}

impl Value {
    /// A text value.
    pub fn text(text: impl AsRef<str>) -> Value {
        Value::Text(text.as_ref().into())
    }

    /// Blank is an empty cell, null, no record, an empty list, or text of
    /// spaces only. 0 and no are not blank.
    pub fn is_blank(&self) -> bool {
        match self {
            Value::Blank => true,
            Value::Text(text) => text.chars().all(char::is_whitespace),
            Value::List(items) => items.iter().all(Value::is_blank),
            _ => false,
        }
    }

    /// What this is, with its article, for messages.
    pub fn kind(&self) -> &'static str {
        match self {
            Value::Blank => "a blank",
            Value::Bool(_) => "a yes/no value",
            Value::Number(_) => "a number",
            Value::Percent(_) => "a percentage",
            Value::Money(_) => "an amount",
            Value::Date(_) => "a date",
            Value::DateTime(_) => "a date and time",
            Value::Text(_) => "text",
            Value::Record(_) => "a record",
            Value::List(_) => "a list",
            Value::Misfit(misfit) => misfit.kind.expected(),
        }
    }
}

impl From<Decimal> for Value {
    fn from(number: Decimal) -> Value {
        Value::Number(number)
    }
}

impl From<bool> for Value {
    fn from(yes: bool) -> Value {
        Value::Bool(yes)
    }
}

impl From<Date> for Value {
    fn from(date: Date) -> Value {
        Value::Date(date)
    }
}

impl From<Money> for Value {
    fn from(money: Money) -> Value {
        Value::Money(money)
    }
}
