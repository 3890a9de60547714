//! Arithmetic on exact decimals, comparison and order of values.

use std::cmp::Ordering;

use icu_casemap::CaseMapper;
use icu_normalizer::DecomposingNormalizer;
use jiff::ToSpan;
use jiff::civil::{Date, DateTime, Time};
use rust_decimal::{Decimal, MathematicalOps};

use super::Context;
use super::error::Fault;
use super::function::{NULL_DATE, as_number, as_text, days_between};
use super::syntax::{Arithmetic, Comparison};
use crate::value::{Locale, Money, Value};

/// Whether a comparison holds.
pub(super) fn compare(comparison: Comparison, left: &Value, right: &Value, context: &Context) -> Result<bool, Fault> {
    match comparison {
        Comparison::Equal => Ok(equal(left, right)),
        Comparison::Unequal => Ok(!equal(left, right)),
        Comparison::Contains | Comparison::StartsWith | Comparison::EndsWith => {
            // Of a list, whether an item is it; of text, whether it stands in it.
            if let (Value::List(items), Comparison::Contains) = (left, comparison) {
                return Ok(items.iter().any(|item| equal(item, right)));
            }
            let whole = caseless(&as_text(left, context)?);
            let piece = caseless(&as_text(right, context)?);
            Ok(match comparison {
                Comparison::Contains => whole.contains(&piece),
                Comparison::StartsWith => whole.starts_with(&piece),
                _ => whole.ends_with(&piece),
            })
        }
        _ => {
            let is_date = |v: &Value| matches!(v, Value::Date(_) | Value::DateTime(_));
            if (is_date(left) && right.is_blank()) || (is_date(right) && left.is_blank()) {
                context.noticed.note_blank_date();
                return Ok(false);
            }
            let order = order(left, right, &context.locale)?;
            Ok(match comparison {
                Comparison::Less => order.is_lt(),
                Comparison::LessEqual => order.is_le(),
                Comparison::Greater => order.is_gt(),
                _ => order.is_ge(),
            })
        }
    }
}

/// Unlike types are not equal; texts are equal by canonical caseless matching.
pub(super) fn equal(left: &Value, right: &Value) -> bool {
    match (left, right) {
        (Value::Text(a), Value::Text(b)) => a == b || caseless(a) == caseless(b),
        (Value::Bool(a), Value::Bool(b)) => a == b,
        (Value::Blank, Value::Bool(yes)) | (Value::Bool(yes), Value::Blank) => !yes,
        (Value::Blank, Value::Text(text)) | (Value::Text(text), Value::Blank) => text.is_empty(),
        (Value::Blank, Value::Blank) => true,
        _ => order(left, right, &Locale::english()).is_ok_and(Ordering::is_eq),
    }
}

/// Text for canonical caseless matching (Unicode 3.13, D145).
pub(crate) fn caseless(text: &str) -> String {
    if text.is_ascii() {
        return text.to_ascii_lowercase();
    }
    let nfd = DecomposingNormalizer::new_nfd();
    let folded = CaseMapper::new().fold_string(&nfd.normalize(text)).into_owned();
    nfd.normalize(&folded).into_owned()
}

/// The order of two values of like types; blank is 0 or "". Text is ordered by
/// the locale's collation.
pub fn order(left: &Value, right: &Value, locale: &Locale) -> Result<Ordering, Fault> {
    let unlike = || Fault::Unlike { left: left.kind(), right: right.kind(), verb: "compared" };
    match (left, right) {
        (Value::Money(a), Value::Money(b)) if a.currency != b.currency => {
            Err(Fault::Currencies { left: a.currency.to_string(), right: b.currency.to_string(), verb: "compared" })
        }
        (Value::Text(a), Value::Text(b)) if moment(left).is_none() || moment(right).is_none() => Ok(locale.order(a, b)),
        (Value::Text(a), Value::Blank) => Ok(a.as_ref().cmp("")),
        (Value::Blank, Value::Text(b)) => Ok("".cmp(b.as_ref())),
        (Value::Bool(a), Value::Bool(b)) => Ok(a.cmp(b)),
        _ => match (moment(left), moment(right)) {
            (Some(a), Some(b)) => Ok(a.cmp(&b)),
            _ => match (amount(left), amount(right)) {
                (Some(a), Some(b)) => Ok(a.cmp(&b)),
                _ => Err(unlike()),
            },
        },
    }
}

fn amount(value: &Value) -> Option<Decimal> {
    match value {
        Value::Blank => Some(Decimal::ZERO),
        Value::Number(number) | Value::Percent(number) => Some(*number),
        Value::Money(money) => Some(money.amount),
        _ => None,
    }
}

/// A date, or text in ISO form.
fn moment(value: &Value) -> Option<DateTime> {
    let midnight = |date: Date| date.to_datetime(Time::midnight());
    match value {
        Value::Date(date) => Some(midnight(*date)),
        Value::DateTime(moment) => Some(*moment),
        Value::Text(text) if text.len() == 10 => text.parse().ok().map(midnight),
        _ => None,
    }
}

/// Arithmetic on exact decimals; dates count in days, money keeps its currency.
pub(super) fn arithmetic(operator: Arithmetic, left: &Value, right: &Value, context: &Context) -> Result<Value, Fault> {
    use Arithmetic::{Add, Divide, Multiply, Power, Subtract};
    match (left, right) {
        (Value::Money(a), Value::Money(b)) => {
            if a.currency != b.currency {
                let verb = if operator == Divide { "divided" } else { "added" };
                return Err(Fault::Currencies { left: a.currency.to_string(), right: b.currency.to_string(), verb });
            }
            let result = calculate(operator, a.amount, b.amount)?;
            match operator {
                Add | Subtract => Ok(Value::Money(Money { amount: result, currency: a.currency })),
                Divide => Ok(Value::Number(result)),
                Multiply | Power => Err(Fault::Unlike { left: left.kind(), right: right.kind(), verb: "multiplied" }),
            }
        }
        (Value::Money(a), other) => {
            let result = calculate(operator, a.amount, as_number(other, context)?)?;
            Ok(Value::Money(Money { amount: result, currency: a.currency }))
        }
        (other, Value::Money(b)) => {
            let result = calculate(operator, as_number(other, context)?, b.amount)?;
            match operator {
                Divide | Power => Err(Fault::Unlike { left: left.kind(), right: right.kind(), verb: "divided" }),
                _ => Ok(Value::Money(Money { amount: result, currency: b.currency })),
            }
        }
        (Value::Percent(a), Value::Percent(b)) if matches!(operator, Add | Subtract) => calculate(operator, *a, *b).map(Value::Percent),
        // A time of day stands on the null date and is added to another day.
        (Value::Date(day), Value::DateTime(time)) | (Value::DateTime(time), Value::Date(day))
            if operator == Add && time.date() == NULL_DATE =>
        {
            Ok(Value::DateTime(day.to_datetime(time.time())))
        }
        _ => match (date(left), date(right)) {
            (Some(end), Some(start)) => match operator {
                Subtract => Ok(Value::Number(days_between(start, end))),
                _ => Err(Fault::Unlike { left: left.kind(), right: right.kind(), verb: "added" }),
            },
            (Some(date), None) if matches!(operator, Add | Subtract) => match right.is_blank() && operator == Subtract {
                true => {
                    context.noticed.note_blank_date();
                    Ok(Value::Blank)
                }
                false => shift(date, as_number(right, context)?, operator == Subtract),
            },
            (None, Some(date)) if operator == Add => shift(date, as_number(left, context)?, false),
            (None, Some(_)) if operator == Subtract && left.is_blank() => {
                context.noticed.note_blank_date();
                Ok(Value::Blank)
            }
            (None, None) => calculate(operator, as_number(left, context)?, as_number(right, context)?).map(Value::Number),
            _ => Err(Fault::Unlike { left: left.kind(), right: right.kind(), verb: "used in one calculation" }),
        },
    }
}

fn date(value: &Value) -> Option<Date> {
    match value {
        Value::Date(date) => Some(*date),
        Value::DateTime(moment) => Some(moment.date()),
        _ => None,
    }
}

fn shift(date: Date, days: Decimal, back: bool) -> Result<Value, Fault> {
    use rust_decimal::prelude::ToPrimitive;
    let days = days.trunc().to_i64().filter(|d| d.abs() < 8_000_000).ok_or(Fault::Overflow)?;
    let days = if back { -days } else { days };
    date.checked_add(days.days()).map(Value::Date).map_err(|_| Fault::NoSuchDay(format!("{date} + {days} days")))
}

fn calculate(operator: Arithmetic, a: Decimal, b: Decimal) -> Result<Decimal, Fault> {
    match operator {
        Arithmetic::Add => a.checked_add(b),
        Arithmetic::Subtract => a.checked_sub(b),
        Arithmetic::Multiply => a.checked_mul(b),
        Arithmetic::Divide if b.is_zero() => return Err(Fault::DivideByZero),
        Arithmetic::Divide => a.checked_div(b),
        Arithmetic::Power if a.is_zero() && b.is_sign_negative() => return Err(Fault::DivideByZero),
        Arithmetic::Power if a.is_sign_negative() && !a.is_zero() && !b.fract().is_zero() => {
            return Err(Fault::Function { function: "POWER", why: "a negative number has no real root".into() });
        }
        Arithmetic::Power => a.checked_powd(b),
    }
    .map(|result| result.normalize())
    .ok_or(Fault::Overflow)
}
