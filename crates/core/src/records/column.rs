//! Columns, their types, and the schema that the records of a sheet share.

use std::collections::HashMap;
use std::fmt;
use std::sync::Arc;

use jiff::civil::{DateTime, Time};

use super::Cell;
use crate::language::syntax::Expr;
use crate::language::{Folded, NULL_DATE, SyntaxError, SyntaxFault, UsedAs, nearest, written};
use crate::value::read::{self, Reading};
use crate::value::{Currency, EmailAddress, Misfit, Money, Value, recipients};

/// What a column holds.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ColumnType {
    /// Text, as it stands.
    Text,
    /// Numbers.
    Number,
    /// Amounts in one currency.
    Money(Currency),
    /// Percentages, such as 10 %.
    Percent,
    /// Dates.
    Date,
    /// Times of day.
    Time,
    /// Yes and no.
    YesNo,
    /// E-mail addresses.
    Email,
    /// A record each.
    Record,
    /// Many records or values each.
    List,
}

impl ColumnType {
    /// The type's name as the API and the terminal write it.
    pub fn name(&self) -> &'static str {
        match self {
            ColumnType::Text => "text",
            ColumnType::Number => "number",
            ColumnType::Money(_) => "money",
            ColumnType::Percent => "percent",
            ColumnType::Date => "date",
            ColumnType::Time => "time",
            ColumnType::YesNo => "yes/no",
            ColumnType::Email => "e-mail",
            ColumnType::Record => "record",
            ColumnType::List => "list",
        }
    }

    /// Reads a type's name; `None` for an unknown one, and for money without a currency.
    pub fn parse(name: &str, currency: Option<Currency>) -> Option<ColumnType> {
        Some(match name {
            "text" => ColumnType::Text,
            "number" => ColumnType::Number,
            "money" => ColumnType::Money(currency?),
            "percent" => ColumnType::Percent,
            "date" => ColumnType::Date,
            "time" => ColumnType::Time,
            "yes/no" => ColumnType::YesNo,
            "e-mail" => ColumnType::Email,
            "record" => ColumnType::Record,
            "list" => ColumnType::List,
            _ => return None,
        })
    }

    /// Reads a type as it is displayed: its name, of money with its currency.
    pub fn read_name(name: &str) -> Option<ColumnType> {
        match name.split_once(' ') {
            Some(("money", currency)) => Currency::parse(currency).ok().map(ColumnType::Money),
            _ => ColumnType::parse(name, None),
        }
    }

    /// A value of the type, with its article, for messages.
    pub fn expected(&self) -> &'static str {
        match self {
            ColumnType::Text => "a text",
            ColumnType::Number => "a number",
            ColumnType::Money(_) => "an amount",
            ColumnType::Percent => "a percentage such as 10%",
            ColumnType::Date => "a valid date",
            ColumnType::Time => "a time such as 09:30",
            ColumnType::YesNo => "yes or no",
            ColumnType::Email => "an e-mail address",
            ColumnType::Record => "a record",
            ColumnType::List => "a list",
        }
    }

    /// The cell as a value of this type; `None` when it does not fit.
    pub fn read(&self, cell: &Cell, how: Reading) -> Option<Value> {
        if cell.is_blank() {
            return Some(Value::Blank);
        }
        Some(match (self, cell) {
            (_, Cell::Error(_)) => return None,
            (ColumnType::Text, cell) => Value::text(cell.as_text()),
            (ColumnType::Number, Cell::Number(n)) => Value::Number(*n),
            (ColumnType::Number, Cell::Text(t)) => Value::Number(read::number(t, how)?),
            (ColumnType::Money(currency), Cell::Number(n)) => Value::Money(Money { amount: *n, currency: *currency }),
            (ColumnType::Money(currency), Cell::Text(t)) => match read::money(t, how) {
                Some(money) if money.currency == *currency => Value::Money(money),
                Some(_) => return None,
                None => Value::Money(Money { amount: read::number(t, how)?, currency: *currency }),
            },
            (ColumnType::Percent, Cell::Number(n)) => Value::Percent(*n),
            (ColumnType::Percent, Cell::Text(t)) => Value::Percent(read::percent(t, how)?),
            (ColumnType::Time, Cell::Date(moment)) => Value::DateTime(at(moment.time())),
            (ColumnType::Time, Cell::Text(t)) => Value::DateTime(at(read::time(t)?)),
            (ColumnType::Date, Cell::Date(moment)) if moment.time() == Time::midnight() => Value::Date(moment.date()),
            (ColumnType::Date, Cell::Date(moment)) => Value::DateTime(*moment),
            (ColumnType::Date, Cell::Text(t)) => read::date(t, how).map(Value::Date).or_else(|| read::moment(t).map(Value::DateTime))?,
            (ColumnType::YesNo, Cell::Bool(yes)) => Value::Bool(*yes),
            (ColumnType::YesNo, Cell::Text(t)) => Value::Bool(read::yes_no(t)?),
            (ColumnType::Email, Cell::Text(t)) => {
                let addresses = recipients(t).ok()?;
                Value::text(addresses.iter().map(EmailAddress::as_str).collect::<Vec<_>>().join(", "))
            }
            _ => return None,
        })
    }
}

impl fmt::Display for ColumnType {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            ColumnType::Money(currency) => write!(f, "money {currency}"),
            kind => f.write_str(kind.name()),
        }
    }
}

/// A time of day stands on the null date.
fn at(time: Time) -> DateTime {
    NULL_DATE.to_datetime(time)
}

/// A column of a sheet.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Column {
    /// Its name as the source writes it.
    pub name: String,
    /// What it holds.
    pub kind: ColumnType,
    /// The columns of the records that it holds.
    pub inner: Option<Arc<Schema>>,
    /// What the items of a list of plain values are.
    pub items: Option<ColumnType>,
    /// How its text is read, where that differs from the rest of its sheet.
    pub reading: Option<Reading>,
}

impl Column {
    /// A column.
    pub fn new(name: &str, kind: ColumnType) -> Column {
        Column { name: name.to_owned(), kind, inner: None, items: None, reading: None }
    }

    /// The cell as a value; one that does not fit is kept and is an error where
    /// it is used.
    pub fn value(&self, cell: &Cell, how: Reading) -> Value {
        if matches!(self.kind, ColumnType::Record | ColumnType::List) {
            return super::json::nested(self, cell, how);
        }
        self.kind.read(cell, self.reading.unwrap_or(how)).unwrap_or_else(|| {
            let (column, text) = (self.name.clone(), cell.as_text());
            Value::Misfit(Arc::new(Misfit { column, text, kind: self.kind, why: None }))
        })
    }

    /// The column's value where its formula failed.
    pub(super) fn without_value(&self, why: String) -> Value {
        let column = self.name.clone();
        Value::Misfit(Arc::new(Misfit { column, text: String::new(), kind: self.kind, why: Some(why) }))
    }
}

/// The columns that all records of a sheet share. No two names match.
#[derive(Debug, Default, PartialEq, Eq)]
pub struct Schema {
    columns: Vec<Column>,
    by_name: HashMap<Folded, usize>,
}

/// Why a header can't be used.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum SchemaFault {
    /// A column that holds values has no name.
    #[error("column {0} has no name. Add a header and import the file again.")]
    NoName(String),
    /// Two columns have one name.
    #[error("columns {first} and {second} have the same name “{name}” (case, spaces, _ and - are ignored). Rename one.")]
    SameName {
        /// The name of the later.
        name: String,
        /// The earlier, as a sheet letters it.
        first: String,
        /// The later, as a sheet letters it.
        second: String,
    },
}

/// A name that no column has.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("no column “{name}”{}", nearest.as_ref().map(|n| format!("; did you mean {}?", offered(n))).unwrap_or_default())]
pub struct UnknownColumn {
    /// As written.
    pub name: String,
    /// The nearest column.
    pub nearest: Option<String>,
}

/// A name as it can be typed: an odd one with its quotes.
fn offered(name: &str) -> String {
    let written = written(name);
    if written == name { format!("“{name}”") } else { written }
}

impl Schema {
    /// A schema of columns with names of their own.
    pub fn new(columns: Vec<Column>) -> Result<Schema, SchemaFault> {
        let mut by_name = HashMap::with_capacity(columns.len());
        for (index, column) in columns.iter().enumerate() {
            let folded = Folded::new(&column.name);
            if folded.as_str().is_empty() {
                return Err(SchemaFault::NoName(letters(index)));
            }
            if let Some(first) = by_name.insert(folded, index) {
                return Err(SchemaFault::SameName { name: column.name.clone(), first: letters(first), second: letters(index) });
            }
        }
        Ok(Schema { columns, by_name })
    }

    /// The columns in their order.
    pub fn columns(&self) -> &[Column] {
        &self.columns
    }

    /// The place of the column of a name.
    pub fn index(&self, name: &Folded) -> Option<usize> {
        self.by_name.get(name).copied()
    }

    /// The schemas in which a name within lists is looked up, this one first: each
    /// list is a path whose first name is looked up from the innermost outwards.
    /// `None` where a list can't be followed.
    pub fn levels(&self, within: &[Option<Vec<String>>]) -> Option<Vec<&Schema>> {
        let mut levels: Vec<&Schema> = vec![self];
        for list in within {
            let mut names = list.as_ref()?.iter().map(|name| Folded::new(name));
            let first = names.next()?;
            let column = levels.iter().rev().find_map(|level| level.column(&first))?;
            let inner = names.try_fold(column.inner.as_deref()?, |schema, name| schema.column(&name)?.inner.as_deref())?;
            levels.push(inner);
        }
        Some(levels)
    }

    /// A name that was read as a function, or broke off at an odd sign, where a column begins
    /// with it: how that column is written.
    pub fn meant(&self, text: &str, error: &SyntaxError) -> Option<String> {
        let begins = match &error.fault {
            SyntaxFault::UnknownFunction { name, .. } => name.clone(),
            SyntaxFault::OddSign(_) => text.get(..error.span.start)?.rsplit(|c: char| "()&=<>+-*/;,".contains(c)).next()?.trim().to_owned(),
            _ => return None,
        };
        let wanted = Folded::new(&begins);
        let odd = |column: &&Column| written(&column.name) != column.name;
        let found = self
            .columns
            .iter()
            .filter(odd)
            .find(|c| !wanted.as_str().is_empty() && Folded::new(&c.name).as_str().starts_with(wanted.as_str()))?;
        Some(written(&found.name))
    }

    /// The names that an expression looks up in a record of this schema, with those
    /// within its lists; each must be there.
    pub(crate) fn reads(&self, expr: &Expr, used: UsedAs) -> Result<Vec<Folded>, UnknownColumn> {
        let (mut names, mut unknown) = (Vec::new(), None);
        expr.uses(used, &mut Vec::new(), &mut |found, within| {
            let name = found.name;
            let lists: Vec<Option<Vec<String>>> =
                within.iter().map(|l| l.as_ref().map(|l| l.iter().map(|n| n.text.clone()).collect())).collect();
            // Within a list that can't be followed anything may stand.
            let known = self.levels(&lists).is_none_or(|levels| levels.iter().any(|l| l.index(&name.folded).is_some()));
            if !known && !name.is_built_in() && unknown.is_none() {
                unknown = Some(name.text.clone());
            }
            names.push(name.folded.clone());
        });
        match unknown {
            None => Ok(names),
            Some(name) => Err(UnknownColumn { nearest: nearest(&name, self.columns.iter().map(|c| c.name.as_str())), name }),
        }
    }

    /// The column of a name.
    pub fn column(&self, name: &Folded) -> Option<&Column> {
        self.index(name).map(|index| &self.columns[index])
    }
}

/// The letters of a column: 0 is A, 26 is AA.
pub fn letters(index: usize) -> String {
    let mut rest = index + 1;
    let mut out = Vec::new();
    while rest > 0 {
        rest -= 1;
        out.push(b'A' + (rest % 26) as u8);
        rest /= 26;
    }
    out.iter().rev().map(|b| char::from(*b)).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn columns_are_lettered_as_in_a_sheet() {
        assert_eq!([0, 25, 26, 701, 702].map(letters), ["A", "Z", "AA", "ZZ", "AAA"]);
    }

    #[test]
    fn two_columns_of_one_name_are_refused_with_their_places() {
        let columns = ["Ref", "Last_Name", "last name"].map(|n| Column::new(n, ColumnType::Text)).to_vec();
        let fault = Schema::new(columns).expect_err("same name");
        assert_eq!(fault.to_string(), "columns B and C have the same name “last name” (case, spaces, _ and - are ignored). Rename one.");
        let unnamed = Schema::new(vec![Column::new("Ref", ColumnType::Text), Column::new(" ", ColumnType::Text)]);
        assert_eq!(unnamed, Err(SchemaFault::NoName("B".into())));
    }
}
