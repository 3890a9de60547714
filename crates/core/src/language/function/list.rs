//! Over many values (OpenDocument 1.3 part 4, 6.18). Money keeps its currency.

use rust_decimal::Decimal;

use super::{ANY, Function, Run, as_number, flat};
use crate::language::Context;
use crate::language::error::Fault;
use crate::language::eval::arithmetic;
use crate::language::syntax::Arithmetic;
use crate::value::Value;

pub(super) static FUNCTIONS: &[Function] = &[
    Function {
        name: "SUM",
        syntax: "SUM(a; b; …)",
        about: "The sum; blanks and texts in lists count as nothing.",
        example: ("SUM(1; 2.5; 3)", "6.5"),
        clause: "6.16",
        arity: (1, ANY),
        run: Run::Eager(|a, c| sum(a, c).map(|(total, _)| total)),
    },
    Function {
        name: "AVERAGE",
        syntax: "AVERAGE(a; b; …)",
        about: "The mean of the values that are numbers.",
        example: ("AVERAGE(1; 2; 6)", "3"),
        clause: "6.18",
        arity: (1, ANY),
        run: Run::Eager(|a, c| match sum(a, c)? {
            (_, 0) => Err(Fault::Function { function: "AVERAGE", why: "there are no numbers to average".into() }),
            (total, count) => arithmetic(Arithmetic::Divide, &total, &Value::Number(Decimal::from(count)), c),
        }),
    },
    Function {
        name: "MIN",
        syntax: "MIN(a; b; …)",
        about: "The least; blank when there is none.",
        example: ("MIN(3; 1; 2)", "1"),
        clause: "6.18",
        arity: (1, ANY),
        run: Run::Eager(|a, c| extreme(a, c, std::cmp::Ordering::Less)),
    },
    Function {
        name: "MAX",
        syntax: "MAX(a; b; …)",
        about: "The greatest; blank when there is none.",
        example: ("MAX(3; 1; 2)", "3"),
        clause: "6.18",
        arity: (1, ANY),
        run: Run::Eager(|a, c| extreme(a, c, std::cmp::Ordering::Greater)),
    },
    Function {
        name: "COUNT",
        syntax: "COUNT(a; b; …)",
        about: "How many are numbers, amounts, dates or records.",
        example: ("COUNT(1; \"a\"; 2)", "2"),
        clause: "6.13",
        arity: (1, ANY),
        run: Run::Eager(|a, _| {
            let counted = flat(a).into_iter().filter(|v| is_numeric(v) || matches!(v, Value::Record(_))).count();
            Ok(Value::Number(Decimal::from(counted)))
        }),
    },
];

fn is_numeric(value: &Value) -> bool {
    matches!(value, Value::Number(_) | Value::Money(_) | Value::Date(_) | Value::DateTime(_))
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
            Some(best) => crate::language::eval::order(&value, best)? == wanted,
        };
        if better {
            best = Some(value);
        }
    }
    Ok(best.unwrap_or(Value::Blank))
}
