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

/// How long a text may become in an expression, in bytes: longer ones, joined to themselves a
/// few times, would use up the machine.
pub(crate) const MAX_TEXT: usize = 1_000_000;

/// Refuses a text that would be longer than [`MAX_TEXT`], before it is made.
pub(crate) fn bounded(bytes: usize) -> Result<(), Fault> {
    if bytes > MAX_TEXT { Err(Fault::TooLong) } else { Ok(()) }
}

/// Joins texts, as long as the whole is no longer than a text may become.
pub(crate) fn joined(pieces: impl IntoIterator<Item = Result<String, Fault>>, separator: &str) -> Result<String, Fault> {
    let mut whole = String::new();
    for (at, piece) in pieces.into_iter().enumerate() {
        let (piece, between) = (piece?, if at > 0 { separator } else { "" });
        bounded(whole.len().saturating_add(between.len()).saturating_add(piece.len()))?;
        whole.push_str(between);
        whole.push_str(&piece);
    }
    Ok(whole)
}

/// Whether values can be put in an order among themselves; blanks stand in nobody's way.
pub fn sortable<'v>(values: impl IntoIterator<Item = &'v Value>, locale: &Locale) -> Result<(), Fault> {
    let values: Vec<&Value> = values.into_iter().filter(|v| !v.is_blank()).collect();
    // All are compared with the one that is compared with least: an amount, of whose kin each
    // has a currency or none, or a date, beside which a text must be one.
    let strict = |v: &&&Value| matches!(v, Value::Money(_)) || is_dated(v);
    let Some(one) = values.iter().find(strict).or(values.first()) else { return Ok(()) };
    values.iter().try_for_each(|value| order(one, value, locale).map(drop))
}

/// A total order of all values, as sorting needs it: that of [`order`] among values that it
/// compares, and by kind where it can't. `dated` says whether there are dates among the values:
/// text in ISO form counts as one then.
pub fn total_order(left: &Value, right: &Value, dated: bool, locale: &Locale) -> Ordering {
    let class = |value: &Value| match value {
        Value::Bool(_) => 0,
        Value::Number(_) | Value::Percent(_) | Value::Money(_) => 1,
        Value::Date(_) | Value::DateTime(_) => 2,
        Value::Text(_) if dated && moment(value).is_some() => 2,
        Value::Text(_) => 3,
        Value::Blank => 5,
        _ => 4,
    };
    let currency = |value: &Value| match value {
        Value::Money(money) => money.currency.to_string(),
        _ => String::new(),
    };
    class(left).cmp(&class(right)).then_with(|| match (class(left), left, right) {
        (0, Value::Bool(a), Value::Bool(b)) => a.cmp(b),
        (1, ..) => amount(left).cmp(&amount(right)).then_with(|| currency(left).cmp(&currency(right))),
        (2, ..) => moment(left).cmp(&moment(right)),
        (3, Value::Text(a), Value::Text(b)) => locale.order(a, b),
        _ => Ordering::Equal,
    })
}

/// Whether a value is a date, so that text in ISO form beside it counts as one.
pub fn is_dated(value: &Value) -> bool {
    matches!(value, Value::Date(_) | Value::DateTime(_))
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

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::value::Currency;

    fn values() -> impl Strategy<Value = Value> {
        let number = (-3i64..4).prop_map(Decimal::from);
        let money = |currency: Currency| number.clone().prop_map(move |amount| Value::Money(Money { amount, currency }));
        let date = (1i8..4).prop_map(|day| jiff::civil::date(2026, 1, day));
        let text = prop_oneof!["[ab]{0,2}", Just("2026-01-02".to_owned()), Just("Ä".to_owned())];
        prop_oneof![
            Just(Value::Blank),
            any::<bool>().prop_map(Value::Bool),
            number.clone().prop_map(Value::Number),
            number.clone().prop_map(Value::Percent),
            money(Currency::EUR),
            money(Currency::GBP),
            date.clone().prop_map(Value::Date),
            (date, 0i8..3).prop_map(|(day, hour)| Value::DateTime(day.at(hour, 0, 0, 0))),
            text.prop_map(Value::text),
        ]
    }

    proptest! {
        #![proptest_config(ProptestConfig { cases: 2_000, failure_persistence: None, ..Default::default() })]

        /// A sort may end the program where its order is none.
        #[test]
        fn the_order_of_all_values_is_total(a in values(), b in values(), c in values(), dated in any::<bool>()) {
            let order = |x: &Value, y: &Value| total_order(x, y, dated, &Locale::english());
            prop_assert_eq!(order(&a, &b), order(&b, &a).reverse());
            prop_assert_eq!(order(&a, &a), Ordering::Equal);
            if order(&a, &b).is_le() && order(&b, &c).is_le() {
                prop_assert!(order(&a, &c).is_le(), "{a:?} {b:?} {c:?}");
            }
        }

        /// Lists that can be sorted have the order that comparing has.
        #[test]
        fn a_list_that_can_be_sorted_is_in_the_order_of_its_comparisons(mut list in proptest::collection::vec(values(), 0..8)) {
            list.retain(|v| !v.is_blank());
            let locale = Locale::english();
            let dated = list.iter().any(is_dated);
            list.sort_by(|a, b| total_order(a, b, dated, &locale));
            if sortable(&list, &locale).is_ok() {
                for (at, a) in list.iter().enumerate() {
                    for b in &list[at..] {
                        prop_assert!(order(a, b, &locale).is_ok_and(Ordering::is_le), "{a:?} {b:?} in {list:?}");
                    }
                }
            }
        }
    }

    #[test]
    fn no_text_grows_beyond_its_bound() {
        assert_eq!(joined(["a", "b", "c"].map(|t| Ok(t.to_owned())), ", "), Ok("a, b, c".to_owned()));
        let large = "x".repeat(MAX_TEXT / 2);
        assert_eq!(joined([Ok(large.clone()), Ok(large.clone())], ""), Ok("x".repeat(MAX_TEXT)));
        assert_eq!(joined([Ok(large.clone()), Ok(large)], "y"), Err(Fault::TooLong));
    }
}
