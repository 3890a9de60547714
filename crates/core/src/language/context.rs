//! What is the same for all records of a run, and what a record changes in it.

use std::collections::HashMap;
use std::sync::Arc;

use ecow::EcoString;
use jiff::civil::DateTime;
use serde::{Deserialize, Serialize};

use super::name::Folded;
use super::noticed::Noticed;
use crate::records::{Record, Schema};
use crate::template::Clauses;
use crate::value::read::Reading;
use crate::value::{Locale, Value};

/// The moment that `now` and `today` name; it stands still for a whole run.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Clock {
    /// The run's start in the dispatch's time zone.
    pub now: DateTime,
}

/// Who sends.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Office {
    /// `office.name`
    pub name: String,
    /// `office.email`
    pub email: String,
    /// Those beside the office itself whom messages may come from.
    pub senders: Vec<Sender>,
}

/// Whom messages may come from, beside the office itself.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Sender {
    /// The name that recipients see.
    pub name: String,
    /// The address.
    pub address: String,
    /// Where replies go; blank for the address.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub reply_to: String,
    /// What stands below each message; blank for nothing.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub signature: String,
}

/// The share link of what is made of a record.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Link {
    /// `document.link`: its address.
    pub address: String,
    /// What the page is found by: the last part of the address.
    pub token: String,
    /// `document.passcode`: six digits of its own.
    pub passcode: String,
}

/// What is the same for all records of a run, but for `run_number` and `link`.
#[derive(Debug, Clone)]
pub struct Context {
    /// The locale in force.
    pub locale: Arc<Locale>,
    /// How text is read: by the source's locale.
    pub reading: Reading,
    /// The run's clock.
    pub clock: Clock,
    /// Who sends.
    pub office: Office,
    /// `dispatch.name`
    pub dispatch: String,
    /// `run.number`: which record of the run, from 1.
    pub run_number: usize,
    /// `run.count`
    pub run_count: usize,
    /// The share link of what is made of the record; none where the dispatch has no such channel.
    pub link: Option<Arc<Link>>,
    /// Whether it is a message to a signer that is filled, who is known when it is sent.
    pub signing: bool,
    /// The clause library.
    pub clauses: Arc<Clauses>,
    /// What is noticed beside what is printed.
    pub noticed: Noticed,
    /// The locales of the records within a joint document.
    pub own: Option<OwnLocales>,
}

/// The records of a joint document bring their own locales along: each turn over
/// them is worked out in its record's.
#[derive(Debug, Clone)]
pub struct OwnLocales {
    /// The records' schema, which tells them from those of lists within them.
    schema: Arc<Schema>,
    /// The column that holds their locales.
    column: Folded,
    /// The context by each locale's tag as the column has it.
    contexts: HashMap<EcoString, Context>,
    /// That of records that name none.
    otherwise: Box<Context>,
}

impl OwnLocales {
    /// The context of a turn over the records; none for other turns.
    pub(super) fn context_of(&self, turn: &Value) -> Option<&Context> {
        let Value::Record(record) = turn else { return None };
        if !std::ptr::eq(record.schema(), &*self.schema) {
            return None;
        }
        let own = match record.get(&self.column) {
            Some(Value::Text(tag)) => self.contexts.get(tag.as_ref()),
            _ => None,
        };
        Some(own.unwrap_or(&self.otherwise))
    }
}

impl Context {
    /// A context for one record by itself.
    pub fn new(locale: Arc<Locale>, now: DateTime) -> Context {
        Context {
            reading: Reading::of(&locale),
            locale,
            clock: Clock { now },
            office: Office::default(),
            dispatch: String::new(),
            run_number: 1,
            run_count: 1,
            link: None,
            signing: false,
            clauses: Arc::default(),
            noticed: Noticed::default(),
            own: None,
        }
    }

    /// This context in the locale that a record's column names, if it names one.
    pub fn in_own_locale(mut self, record: &Record, column: &Folded) -> Context {
        if let Some(Value::Text(tag)) = record.get(column)
            && let Ok(locale) = Locale::parse(tag.trim())
        {
            self.locale = locale;
        }
        self
    }

    /// This context for a joint document of records whose column names the locale of each.
    pub fn in_own_locales(mut self, records: &[Value], column: &Folded) -> Context {
        let records = || {
            records.iter().filter_map(|value| match value {
                Value::Record(record) => Some(record),
                _ => None,
            })
        };
        let Some(schema) = records().next().map(|first| first.shared_schema().clone()) else { return self };
        // What a turn notices, its document has noticed.
        let alike = || Context { noticed: self.noticed.shared(), ..self.clone() };
        let mut contexts = HashMap::new();
        for record in records() {
            if let Some(Value::Text(tag)) = record.get(column)
                && !contexts.contains_key(tag)
                && Locale::parse(tag.trim()).is_ok()
            {
                contexts.insert(tag.clone(), alike().in_own_locale(record, column));
            }
        }
        let otherwise = Box::new(alike());
        self.own = Some(OwnLocales { schema, column: column.clone(), contexts, otherwise });
        self
    }
}
