//! Over many values (OpenDocument 1.3 part 4, 6.18). Money keeps its currency.

use rust_decimal::Decimal;

use super::{ANY, Arg, Function, Gives, Run, Takes, as_number, as_text, as_whole, flat};
use crate::language::Context;
use crate::language::UsedAs;
use crate::language::error::Fault;
use crate::language::operate::{arithmetic, compare, equal, is_dated, joined, order, sortable, total_order};
use crate::language::syntax::{Arithmetic, Comparison};
use crate::value::{Value, read};

pub(super) static FUNCTIONS: &[Function] = &[
    Function {
        name: "SUM",
        syntax: "SUM(a; b; …)",
        about: "Sum; ignores blanks and text in lists.",
        example: ("SUM(1; 2.5; 3)", "6.5"),
        clause: "6.16",
        arity: (1, ANY),
        takes: Takes::all(&[Arg::Amount]),
        gives: Gives::Amount,
        run: Run::Eager(|a, c| sum(a, c).map(|(total, _)| total)),
    },
    Function {
        name: "AVERAGE",
        syntax: "AVERAGE(a; b; …)",
        about: "Average of the numbers.",
        example: ("AVERAGE(1; 2; 6)", "3"),
        clause: "6.18",
        arity: (1, ANY),
        takes: Takes::all(&[Arg::Amount]),
        gives: Gives::Amount,
        run: Run::Eager(|a, c| match sum(a, c)? {
            (_, 0) => Err(Fault::Function { function: "AVERAGE", why: "no numbers to average".into() }),
            (total, count) => arithmetic(Arithmetic::Divide, &total, &Value::Number(Decimal::from(count)), c),
        }),
    },
    Function {
        name: "MIN",
        syntax: "MIN(a; b; …)",
        about: "Smallest value; blank if there are none.",
        example: ("MIN(3; 1; 2)", "1"),
        clause: "6.18",
        arity: (1, ANY),
        takes: Takes::all(&[Arg::Amount]),
        gives: Gives::Amount,
        run: Run::Eager(|a, c| extreme(a, c, std::cmp::Ordering::Less)),
    },
    Function {
        name: "MAX",
        syntax: "MAX(a; b; …)",
        about: "Largest value; blank if there are none.",
        example: ("MAX(3; 1; 2)", "3"),
        clause: "6.18",
        arity: (1, ANY),
        takes: Takes::all(&[Arg::Amount]),
        gives: Gives::Amount,
        run: Run::Eager(|a, c| extreme(a, c, std::cmp::Ordering::Greater)),
    },
    Function {
        name: "COUNT",
        syntax: "COUNT(a; b; …)",
        about: "Counts numbers, amounts, dates and records.",
        example: ("COUNT(1; \"a\"; 2)", "2"),
        clause: "6.13",
        arity: (1, ANY),
        takes: Takes::then(&[Arg::As(UsedAs::List)], &[Arg::As(UsedAs::Value)]),
        gives: Gives::Number,
        run: Run::Eager(|a, _| {
            let counted = flat(a).into_iter().filter(|v| is_numeric(v) || matches!(v, Value::Record(_))).count();
            Ok(Value::Number(Decimal::from(counted)))
        }),
    },
    Function {
        name: "COUNTA",
        syntax: "COUNTA(a; b; …)",
        about: "Counts values that are not empty.",
        example: ("COUNTA(1; \"a\"; \"\")", "3"),
        clause: "6.13",
        arity: (1, ANY),
        takes: Takes::then(&[Arg::As(UsedAs::List)], &[Arg::As(UsedAs::Value)]),
        gives: Gives::Number,
        run: Run::Eager(|a, _| Ok(Value::Number(flat(a).into_iter().filter(|v| **v != Value::Blank).count().into()))),
    },
    Function {
        name: "PRODUCT",
        syntax: "PRODUCT(a; b; …)",
        about: "Product of all values.",
        example: ("PRODUCT(2; 3; 0.5)", "3"),
        clause: "6.16",
        arity: (1, ANY),
        takes: Takes::all(&[Arg::Amount]),
        gives: Gives::Amount,
        run: Run::Eager(|a, c| {
            let mut product: Option<Value> = None;
            for value in counted(a, c)? {
                product = Some(match product {
                    None => value,
                    Some(before) => arithmetic(Arithmetic::Multiply, &before, &value, c)?,
                });
            }
            Ok(product.unwrap_or(Value::Number(Decimal::ZERO)))
        }),
    },
    Function {
        name: "MEDIAN",
        syntax: "MEDIAN(a; b; …)",
        about: "Median: the middle value when sorted.",
        example: ("MEDIAN(1; 9; 2; 4)", "3"),
        clause: "6.18",
        arity: (1, ANY),
        takes: Takes::all(&[Arg::Amount]),
        gives: Gives::Amount,
        run: Run::Eager(|a, c| {
            let sorted = sorted(a, c)?;
            let half = sorted.len() / 2;
            match sorted.len() {
                0 => Err(Fault::Function { function: "MEDIAN", why: "no numbers".into() }),
                count if count % 2 == 1 => Ok(sorted[half].clone()),
                _ => {
                    let both = arithmetic(Arithmetic::Add, &sorted[half - 1], &sorted[half], c)?;
                    arithmetic(Arithmetic::Divide, &both, &Value::Number(Decimal::TWO), c)
                }
            }
        }),
    },
    Function {
        name: "LARGE",
        syntax: "LARGE(list; n)",
        about: "The nth largest value.",
        example: ("LARGE(7; 1)", "7"),
        clause: "6.18",
        arity: (2, 2),
        takes: Takes::these(&[Arg::Amount, Arg::As(UsedAs::Number)]),
        gives: Gives::Amount,
        run: Run::Eager(|a, c| nth("LARGE", a, c, true)),
    },
    Function {
        name: "SMALL",
        syntax: "SMALL(list; n)",
        about: "The nth smallest value.",
        example: ("SMALL(7; 1)", "7"),
        clause: "6.18",
        arity: (2, 2),
        takes: Takes::these(&[Arg::Amount, Arg::As(UsedAs::Number)]),
        gives: Gives::Amount,
        run: Run::Eager(|a, c| nth("SMALL", a, c, false)),
    },
    Function {
        name: "COUNTIF",
        syntax: "COUNTIF(list; criterion)",
        about: "Counts values that meet a criterion, e.g. \">5\".",
        example: ("COUNTIF(3; \">2\")", "1"),
        clause: "6.13",
        arity: (2, 2),
        takes: Takes::these(&[Arg::As(UsedAs::List), Arg::As(UsedAs::Value)]),
        gives: Gives::Number,
        run: Run::Eager(|a, c| {
            let passes = criterion(&a[1], c);
            Ok(Value::Number(flat(&a[..1]).into_iter().filter(|v| passes(v)).count().into()))
        }),
    },
    Function {
        name: "SUMIF",
        syntax: "SUMIF(list; criterion; values)",
        about: "Sums values that meet a criterion.",
        example: ("SUMIF(3; \">2\"; 10)", "10"),
        clause: "6.16",
        arity: (2, 3),
        takes: Takes::these(&[Arg::As(UsedAs::Value), Arg::As(UsedAs::Value), Arg::Amount]),
        gives: Gives::Item(&[2, 0]),
        run: Run::Eager(|a, c| {
            let passes = criterion(&a[1], c);
            let tested = flat(&a[..1]);
            let values = if a.len() == 3 { flat(&a[2..]) } else { tested.clone() };
            let chosen: Vec<Value> = tested.into_iter().zip(values).filter(|(t, _)| passes(t)).map(|(_, v)| v.clone()).collect();
            sum(&[Value::List(chosen.into())], c).map(|(total, _)| total)
        }),
    },
    Function {
        name: "INDEX",
        syntax: "INDEX(list; n)",
        about: "The nth value or record (first = 1).",
        example: ("INDEX(\"one\"; 1)", "one"),
        clause: "6.14",
        arity: (2, 2),
        takes: Takes::these(&[Arg::As(UsedAs::List), Arg::As(UsedAs::Number)]),
        gives: Gives::Item(&[0]),
        run: Run::Eager(|a, c| {
            let items = flat(&a[..1]);
            let n = as_whole(&a[1], c)?;
            match usize::try_from(n).ok().and_then(|n| n.checked_sub(1)).and_then(|n| items.get(n)) {
                Some(found) => Ok((*found).clone()),
                None => Err(Fault::Function { function: "INDEX", why: format!("the list has {} values, not {n}", items.len()) }),
            }
        }),
    },
    Function {
        name: "MATCH",
        syntax: "MATCH(value; list; kind)",
        about: "Position of a value in a list. Type 0: exact; 1: largest ≤ value (ascending list); -1: smallest ≥ value (descending list).",
        example: ("MATCH(\"b\"; \"b\"; 0)", "1"),
        clause: "6.14",
        arity: (2, 3),
        takes: Takes::these(&[Arg::As(UsedAs::Value), Arg::As(UsedAs::List), Arg::As(UsedAs::Number)]),
        gives: Gives::Number,
        run: Run::Eager(|a, c| {
            let kind = a.get(2).map_or(Ok(1), |k| as_whole(k, c))?;
            let items = flat(&a[1..2]);
            place(&a[0], &items, kind, c).map(|at| Value::Number((at + 1).into())).ok_or_else(|| Fault::NotFound {
                function: "MATCH",
                why: format!("{} is not in the list", as_text(&a[0], c).unwrap_or_default()),
            })
        }),
    },
    Function {
        name: "LOOKUP",
        syntax: "LOOKUP(value; list; results)",
        about: "Looks up a value in an ascending list and returns the matching result.",
        example: ("LOOKUP(5; 3; \"from 3\")", "from 3"),
        clause: "6.14",
        arity: (2, 3),
        takes: Takes::these(&[Arg::As(UsedAs::Value), Arg::As(UsedAs::List), Arg::As(UsedAs::List)]),
        gives: Gives::Item(&[2, 1]),
        run: Run::Eager(|a, c| {
            let items = flat(&a[1..2]);
            let results = if a.len() == 3 { flat(&a[2..]) } else { items.clone() };
            place(&a[0], &items, 1, c).and_then(|at| results.get(at).map(|v| (*v).clone())).ok_or_else(|| Fault::NotFound {
                function: "LOOKUP",
                why: format!("{} is smaller than every value in the list", as_text(&a[0], c).unwrap_or_default()),
            })
        }),
    },
    Function {
        name: "join",
        syntax: "join(list; separator; last separator)",
        about: "Joins values into one text, skipping blanks.",
        example: ("join(\"Grace\"; \", \"; \" and \")", "Grace"),
        clause: "",
        arity: (1, 3),
        takes: Takes::these(&[Arg::As(UsedAs::List), Arg::As(UsedAs::Text), Arg::As(UsedAs::Text)]),
        gives: Gives::Text,
        run: Run::Eager(|a, c| {
            let values: Vec<&Value> = flat(&a[..1]).into_iter().filter(|v| !v.is_blank()).collect();
            let between = a.get(1).map_or(Ok(", ".to_owned()), |s| as_text(s, c))?;
            let last = a.get(2).map_or(Ok(between.clone()), |s| as_text(s, c))?;
            let Some((end, before)) = values.split_last() else { return Ok(Value::text("")) };
            let end = as_text(end, c)?;
            if before.is_empty() {
                return Ok(Value::text(end));
            }
            let before = joined(before.iter().map(|v| as_text(v, c)), &between)?;
            joined([before, end].into_iter().map(Ok), &last).map(Value::text)
        }),
    },
    Function {
        name: "running",
        syntax: "running(expression)",
        about: "Running total within the nearest repeat.",
        example: ("IFERROR(running(1); \"needs a repeat\")", "needs a repeat"),
        clause: "",
        arity: (1, 1),
        takes: Takes::these(&[Arg::Amount]),
        gives: Gives::Amount,
        run: Run::Running,
    },
];

fn is_numeric(value: &Value) -> bool {
    matches!(value, Value::Number(_) | Value::Percent(_) | Value::Money(_) | Value::Date(_) | Value::DateTime(_))
}

/// The values that count: a text given directly is read as a number, one in a
/// list is passed over (OpenFormula, NumberSequence).
fn counted(arguments: &[Value], context: &Context) -> Result<Vec<Value>, Fault> {
    let mut found = Vec::new();
    for argument in arguments {
        match argument {
            Value::List(_) => {
                for item in flat(std::slice::from_ref(argument)) {
                    match item {
                        Value::Misfit(_) => return Err(super::wrong(item, "a number", context)),
                        item if is_numeric(item) => found.push(item.clone()),
                        _ => {}
                    }
                }
            }
            value if value.is_blank() => {}
            value if is_numeric(value) => found.push(value.clone()),
            value => found.push(Value::Number(as_number(value, context)?)),
        }
    }
    Ok(found)
}

fn sum(arguments: &[Value], context: &Context) -> Result<(Value, u64), Fault> {
    let values = counted(arguments, context)?;
    let mut total = Value::Number(Decimal::ZERO);
    for (index, value) in values.iter().enumerate() {
        total = if index == 0 { value.clone() } else { arithmetic(Arithmetic::Add, &total, value, context)? };
    }
    Ok((total, values.len() as u64))
}

fn extreme(arguments: &[Value], context: &Context, wanted: std::cmp::Ordering) -> Result<Value, Fault> {
    let mut best: Option<Value> = None;
    for value in counted(arguments, context)? {
        let better = match &best {
            None => true,
            Some(best) => order(&value, best, &context.locale)? == wanted,
        };
        if better {
            best = Some(value);
        }
    }
    Ok(best.unwrap_or(Value::Blank))
}

fn sorted(arguments: &[Value], context: &Context) -> Result<Vec<Value>, Fault> {
    let mut values = counted(arguments, context)?;
    sortable(&values, &context.locale)?;
    let dated = values.iter().any(is_dated);
    values.sort_by(|a, b| total_order(a, b, dated, &context.locale));
    Ok(values)
}

fn nth(function: &'static str, arguments: &[Value], context: &Context, from_above: bool) -> Result<Value, Fault> {
    let mut values = sorted(&arguments[..1], context)?;
    if from_above {
        values.reverse();
    }
    let n = as_whole(&arguments[1], context)?;
    let found = usize::try_from(n).ok().and_then(|n| n.checked_sub(1)).and_then(|n| values.get(n).cloned());
    found.ok_or_else(|| Fault::Function {
        function,
        why: format!("{} in the list, not {n}", crate::words::counted(values.len(), "number is", "numbers are")),
    })
}

/// Where a value stands among others; see MATCH.
fn place(value: &Value, items: &[&Value], kind: i64, context: &Context) -> Option<usize> {
    if kind == 0 {
        return items.iter().position(|item| equal(value, item));
    }
    let beyond = if kind > 0 { std::cmp::Ordering::Greater } else { std::cmp::Ordering::Less };
    let fits = |item: &&Value| order(item, value, &context.locale).is_ok_and(|o| o != beyond);
    items.iter().take_while(|item| fits(item)).count().checked_sub(1)
}

/// A criterion (OpenFormula 4.11.8): a value to be equal to, or a text of a
/// comparison and a value. The whole cell must match; there are no wildcards.
fn criterion(wanted: &Value, context: &Context) -> impl Fn(&Value) -> bool {
    let signs = [
        ("<=", Comparison::LessEqual),
        (">=", Comparison::GreaterEqual),
        ("<>", Comparison::Unequal),
        ("<", Comparison::Less),
        (">", Comparison::Greater),
        ("=", Comparison::Equal),
    ];
    let (comparison, wanted) = match wanted {
        Value::Text(text) => {
            let (comparison, rest) = signs
                .into_iter()
                .find_map(|(sign, comparison)| text.strip_prefix(sign).map(|rest| (comparison, rest)))
                .unwrap_or((Comparison::Equal, text));
            let value =
                read::number(rest, context.reading).map(Value::Number).or_else(|| read::date(rest, context.reading).map(Value::Date));
            (comparison, value.unwrap_or_else(|| Value::text(rest)))
        }
        other => (Comparison::Equal, other.clone()),
    };
    let context = context.clone();
    move |value| !matches!(value, Value::Blank) && compare(comparison, value, &wanted, &context).unwrap_or(false)
}
