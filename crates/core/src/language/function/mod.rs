//! The functions of the language, one row each, by subject. To add one, add its
//! row to the table of its file: the parser, the help and the terminal find it
//! there. Names, argument order and results follow OpenFormula (OpenDocument 1.3
//! part 4) where the row cites a clause.

mod date;
mod finance;
mod list;
mod logic;
mod number;
mod text;

pub(crate) use date::NULL_DATE;
pub(super) use date::days_between;

use std::collections::HashMap;
use std::sync::LazyLock;

use jiff::civil::Date;
use rust_decimal::Decimal;

use super::context::Context;
use super::error::{EvalError, Fault};
use super::format::plain;
use super::name::Folded;
use super::syntax::Expr;
use super::uses::UsedAs;
use crate::value::{Value, read};

/// One function.
#[derive(Debug)]
pub struct Function {
    /// Its name as the help writes it.
    pub name: &'static str,
    /// How it is written.
    pub syntax: &'static str,
    /// What it yields, in a sentence.
    pub about: &'static str,
    /// An expression and its result.
    pub example: (&'static str, &'static str),
    /// The clause that it follows; empty for Mangle's own.
    pub clause: &'static str,
    /// Least and most arguments.
    pub arity: (usize, usize),
    /// What its arguments are used as.
    pub takes: Takes,
    /// The type of its result.
    pub gives: Gives,
    /// What it does.
    pub run: Run,
}

/// What the arguments of a function are used as.
#[derive(Debug, Clone, Copy)]
pub struct Takes {
    first: &'static [Arg],
    then: &'static [Arg],
}

impl Takes {
    const fn these(first: &'static [Arg]) -> Takes {
        Takes { first, then: &[] }
    }

    /// The same over and over.
    const fn all(then: &'static [Arg]) -> Takes {
        Takes { first: &[], then }
    }

    /// Some, and after them the same over and over.
    const fn then(first: &'static [Arg], then: &'static [Arg]) -> Takes {
        Takes { first, then }
    }

    /// What the argument at a place is used as, from 0.
    pub fn at(&self, place: usize) -> Arg {
        let after = |beyond: usize| self.then.get(beyond % self.then.len().max(1));
        self.first.get(place).or_else(|| after(place - self.first.len())).copied().unwrap_or(Arg::As(UsedAs::Value))
    }
}

/// What an argument is used as.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Arg {
    /// Always as this.
    As(UsedAs),
    /// A number; an amount, a percentage or a date keeps its type in the result.
    Amount,
    /// It may be the result itself.
    Result,
}

/// The type of a function's result.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Gives {
    /// Text.
    Text,
    /// A number.
    Number,
    /// A date, maybe with a time.
    Date,
    /// A time of day.
    Time,
    /// Yes or no.
    YesNo,
    /// The type that its arguments of `Arg::Amount` share.
    Amount,
    /// The type that its arguments of `Arg::Result` share.
    Result,
    /// The type of the items of the first of these arguments that is given.
    Item(&'static [usize]),
}

/// Works out an argument.
pub type Work<'a> = dyn FnMut(&Expr) -> Result<Value, EvalError> + 'a;

/// How a function takes its arguments.
#[derive(Clone, Copy)]
pub enum Run {
    /// All are worked out first.
    Eager(fn(&[Value], &Context) -> Result<Value, Fault>),
    /// It works out what it needs.
    Lazy(fn(&[Option<Expr>], &mut Work<'_>) -> Result<Value, EvalError>),
    /// `running`: worked out by the turns of a repeat.
    Running,
}

impl std::fmt::Debug for Run {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(match self {
            Run::Eager(_) => "Eager",
            Run::Lazy(_) => "Lazy",
            Run::Running => "Running",
        })
    }
}

/// Takes any number of arguments.
const ANY: usize = usize::MAX;

/// All functions, by subject.
pub fn all() -> impl Iterator<Item = &'static Function> {
    [logic::FUNCTIONS, number::FUNCTIONS, list::FUNCTIONS, text::FUNCTIONS, date::FUNCTIONS, finance::FUNCTIONS].into_iter().flatten()
}

/// The function of this name, matched as all names are.
pub fn find(name: &str) -> Option<&'static Function> {
    static BY_NAME: LazyLock<HashMap<Folded, &'static Function>> = LazyLock::new(|| all().map(|f| (Folded::new(f.name), f)).collect());
    BY_NAME.get(&Folded::new(name)).copied()
}

// Conversions of arguments (OpenFormula 6.3): blank is 0, "" or no.

fn wrong(value: &Value, expected: &'static str, context: &Context) -> Fault {
    match value {
        Value::Misfit(m) => Fault::from(&**m),
        _ => Fault::Kind { expected, kind: value.kind(), value: plain(value, &context.locale).unwrap_or_default() },
    }
}

/// A value as a number; text is read by the source's locale.
pub(super) fn as_number(value: &Value, context: &Context) -> Result<Decimal, Fault> {
    match value {
        Value::Blank => Ok(Decimal::ZERO),
        Value::Bool(yes) => Ok(Decimal::from(u8::from(*yes))),
        Value::Number(number) | Value::Percent(number) => Ok(*number),
        Value::Money(money) => Ok(money.amount),
        Value::Text(_) if value.is_blank() => Ok(Decimal::ZERO),
        Value::Text(text) => read::number(text, context.reading).ok_or_else(|| wrong(value, "a number", context)),
        other => Err(wrong(other, "a number", context)),
    }
}

/// A value as a whole number, cut off toward zero.
fn as_whole(value: &Value, context: &Context) -> Result<i64, Fault> {
    use rust_decimal::prelude::ToPrimitive;
    as_number(value, context)?.trunc().to_i64().ok_or(Fault::Overflow)
}

/// A value as text: what it prints without `as`.
pub(super) fn as_text(value: &Value, context: &Context) -> Result<String, Fault> {
    plain(value, &context.locale)
}

/// A value as a date; `None` when it is blank.
pub(super) fn as_date(value: &Value, context: &Context) -> Result<Option<Date>, Fault> {
    match value {
        Value::Date(date) => Ok(Some(*date)),
        Value::DateTime(moment) => Ok(Some(moment.date())),
        value if value.is_blank() => {
            context.noticed.note_blank_date();
            Ok(None)
        }
        Value::Text(text) => read::date(text, context.reading).map(Some).ok_or_else(|| wrong(value, "a date", context)),
        other => Err(wrong(other, "a date", context)),
    }
}

/// Yes/no as it is; number: not 0; the rest: not blank.
pub(super) fn as_condition(value: &Value) -> bool {
    match value {
        Value::Bool(yes) => *yes,
        Value::Number(number) | Value::Percent(number) => !number.is_zero(),
        Value::Money(money) => !money.amount.is_zero(),
        other => !other.is_blank(),
    }
}

/// The arguments with lists laid flat.
fn flat(arguments: &[Value]) -> Vec<&Value> {
    fn lay<'a>(value: &'a Value, out: &mut Vec<&'a Value>) {
        match value {
            Value::List(items) => items.iter().for_each(|item| lay(item, out)),
            other => out.push(other),
        }
    }
    let mut out = Vec::with_capacity(arguments.len());
    arguments.iter().for_each(|a| lay(a, &mut out));
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The help's examples are true: each is worked out here.
    #[test]
    fn every_example_of_the_help_holds() {
        for function in all() {
            let (expression, result) = function.example;
            let found = crate::language::eval::tests::print(expression);
            assert_eq!(found, result, "{} in the example of {}", expression, function.name);
        }
    }

    #[test]
    fn names_are_found_whatever_their_case_and_spaces() {
        assert!(find("ROUND").is_some() && find("round").is_some() && find("First Word").is_some());
        assert!(find("nothing").is_none());
    }
}
