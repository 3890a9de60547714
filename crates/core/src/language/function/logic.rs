//! Choosing and asking (OpenDocument 1.3 part 4, 6.13 and 6.15).

use rust_decimal::prelude::ToPrimitive;

use super::{ANY, Arg, Function, Gives, Run, Takes, Work, as_condition};
use crate::language::UsedAs;
use crate::language::error::{EvalError, Fault};
use crate::language::operate::equal;
use crate::language::syntax::Expr;
use crate::value::Value;

type Yields = Result<Value, EvalError>;

pub(super) static FUNCTIONS: &[Function] = &[
    Function {
        name: "IF",
        syntax: "IF(condition; then; otherwise)",
        about: "One value if the condition is true, another if it is false.",
        example: ("IF(3 > 2; \"more\"; \"less\")", "more"),
        clause: "6.15",
        arity: (2, 3),
        takes: Takes::these(&[Arg::As(UsedAs::YesNo), Arg::Result, Arg::Result]),
        gives: Gives::Result,
        run: Run::Lazy(|a, work| match as_condition(&take(a, 0, work)?) {
            true => take(a, 1, work),
            false if a.len() == 2 => Ok(Value::Bool(false)),
            false => take(a, 2, work),
        }),
    },
    Function {
        name: "IFS",
        syntax: "IFS(condition; value; …)",
        about: "Value of the first condition that is true.",
        example: ("IFS(1 > 2; \"a\"; 2 > 1; \"b\")", "b"),
        clause: "",
        arity: (2, ANY),
        takes: Takes::all(&[Arg::As(UsedAs::YesNo), Arg::Result]),
        gives: Gives::Result,
        run: Run::Lazy(|a, work| {
            for pair in a.chunks(2) {
                if pair.len() == 2 && as_condition(&take(pair, 0, work)?) {
                    return take(pair, 1, work);
                }
            }
            Err(missing(a, "IFS", "no condition is true"))
        }),
    },
    Function {
        name: "AND",
        syntax: "AND(a; b; …)",
        about: "True if all conditions are true.",
        example: ("AND(1 > 0; 2 > 1)", "yes"),
        clause: "6.15",
        arity: (1, ANY),
        takes: Takes::all(&[Arg::As(UsedAs::YesNo)]),
        gives: Gives::YesNo,
        run: Run::Lazy(|a, work| {
            for index in 0..a.len() {
                if !as_condition(&take(a, index, work)?) {
                    return Ok(Value::Bool(false));
                }
            }
            Ok(Value::Bool(true))
        }),
    },
    Function {
        name: "OR",
        syntax: "OR(a; b; …)",
        about: "True if any condition is true.",
        example: ("OR(1 > 2; 2 > 1)", "yes"),
        clause: "6.15",
        arity: (1, ANY),
        takes: Takes::all(&[Arg::As(UsedAs::YesNo)]),
        gives: Gives::YesNo,
        run: Run::Lazy(|a, work| {
            for index in 0..a.len() {
                if as_condition(&take(a, index, work)?) {
                    return Ok(Value::Bool(true));
                }
            }
            Ok(Value::Bool(false))
        }),
    },
    Function {
        name: "NOT",
        syntax: "NOT(a)",
        about: "True if the condition is false.",
        example: ("NOT(1 > 2)", "yes"),
        clause: "6.15",
        arity: (1, 1),
        takes: Takes::all(&[Arg::As(UsedAs::YesNo)]),
        gives: Gives::YesNo,
        run: Run::Eager(|a, _| Ok(Value::Bool(!as_condition(&a[0])))),
    },
    Function {
        name: "TRUE",
        syntax: "TRUE()",
        about: "The value yes.",
        example: ("TRUE()", "yes"),
        clause: "6.15.9",
        arity: (0, 0),
        takes: Takes::these(&[]),
        gives: Gives::YesNo,
        run: Run::Eager(|_, _| Ok(Value::Bool(true))),
    },
    Function {
        name: "FALSE",
        syntax: "FALSE()",
        about: "The value no.",
        example: ("FALSE()", "no"),
        clause: "6.15.3",
        arity: (0, 0),
        takes: Takes::these(&[]),
        gives: Gives::YesNo,
        run: Run::Eager(|_, _| Ok(Value::Bool(false))),
    },
    Function {
        name: "IFERROR",
        syntax: "IFERROR(value; instead)",
        about: "The value, or another if there is an error.",
        example: ("IFERROR(1 / 0; \"none\")", "none"),
        clause: "6.15",
        arity: (2, 2),
        takes: Takes::these(&[Arg::Result, Arg::Result]),
        gives: Gives::Result,
        run: Run::Lazy(|a, work| take(a, 0, work).or_else(|_| take(a, 1, work))),
    },
    Function {
        name: "ISBLANK",
        syntax: "ISBLANK(value)",
        about: "True if the value is missing. ISBLANK(\"\") is false.",
        example: ("ISBLANK(\"\")", "no"),
        clause: "6.13",
        arity: (1, 1),
        takes: Takes::these(&[Arg::As(UsedAs::Value)]),
        gives: Gives::YesNo,
        run: Run::Eager(|a, _| Ok(Value::Bool(a[0] == Value::Blank))),
    },
    Function {
        name: "CHOOSE",
        syntax: "CHOOSE(which; first; second; …)",
        about: "Chooses a value by its position.",
        example: ("CHOOSE(2; \"low\"; \"high\")", "high"),
        clause: "6.14",
        arity: (2, ANY),
        takes: Takes::then(&[Arg::As(UsedAs::Number)], &[Arg::Result]),
        gives: Gives::Result,
        run: Run::Lazy(|a, work| {
            let which = take(a, 0, work)?;
            let index = match &which {
                Value::Number(n) | Value::Percent(n) => n.trunc().to_usize(),
                Value::Text(t) => t.trim().parse().ok(),
                _ => None,
            };
            match index.filter(|i| (1..a.len()).contains(i)) {
                Some(index) => take(a, index, work),
                None => Err(fault(a, "CHOOSE", format!("there are only {} values to choose from", a.len() - 1))),
            }
        }),
    },
    Function {
        name: "SWITCH",
        syntax: "SWITCH(value; is; then; …; otherwise)",
        about: "Result for the first matching value.",
        example: ("SWITCH(\"B\"; \"A\"; 1; \"B\"; 2; 0)", "2"),
        clause: "",
        arity: (3, ANY),
        takes: Takes::then(&[Arg::As(UsedAs::Value)], &[Arg::As(UsedAs::Value), Arg::Result]),
        gives: Gives::Result,
        run: Run::Lazy(|a, work| {
            let value = take(a, 0, work)?;
            let mut rest = &a[1..];
            while rest.len() >= 2 {
                if equal(&value, &take(rest, 0, work)?) {
                    return take(rest, 1, work);
                }
                rest = &rest[2..];
            }
            match rest.is_empty() {
                false => take(rest, 0, work),
                true => Err(missing(a, "SWITCH", "no match and no default value")),
            }
        }),
    },
    Function {
        name: "XOR",
        syntax: "XOR(a; b; …)",
        about: "True if an odd number of conditions is true.",
        example: ("XOR(1 > 0; 2 > 1)", "no"),
        clause: "6.15",
        arity: (1, ANY),
        takes: Takes::all(&[Arg::As(UsedAs::YesNo)]),
        gives: Gives::YesNo,
        run: Run::Eager(|a, _| Ok(Value::Bool(a.iter().filter(|v| as_condition(v)).count() % 2 == 1))),
    },
    Function {
        name: "IFNA",
        syntax: "IFNA(value; instead)",
        about: "The value, or another if nothing was found.",
        example: ("IFNA(IFS(1 > 2; \"a\"); \"none\")", "none"),
        clause: "6.15",
        arity: (2, 2),
        takes: Takes::these(&[Arg::Result, Arg::Result]),
        gives: Gives::Result,
        run: Run::Lazy(|a, work| match take(a, 0, work) {
            Err(EvalError { fault: Fault::NotFound { .. }, .. }) => take(a, 1, work),
            other => other,
        }),
    },
    Function {
        name: "ISNUMBER",
        syntax: "ISNUMBER(value)",
        about: "True for numbers, amounts and dates.",
        example: ("ISNUMBER(\"12\")", "no"),
        clause: "6.13",
        arity: (1, 1),
        takes: Takes::these(&[Arg::As(UsedAs::Value)]),
        gives: Gives::YesNo,
        run: Run::Eager(|a, _| {
            Ok(Value::Bool(matches!(a[0], Value::Number(_) | Value::Percent(_) | Value::Money(_) | Value::Date(_) | Value::DateTime(_))))
        }),
    },
    Function {
        name: "ISTEXT",
        syntax: "ISTEXT(value)",
        about: "True for text.",
        example: ("ISTEXT(\"12\")", "yes"),
        clause: "6.13",
        arity: (1, 1),
        takes: Takes::these(&[Arg::As(UsedAs::Value)]),
        gives: Gives::YesNo,
        run: Run::Eager(|a, _| Ok(Value::Bool(matches!(a[0], Value::Text(_))))),
    },
    Function {
        name: "ISERROR",
        syntax: "ISERROR(value)",
        about: "True if the value is an error.",
        example: ("ISERROR(1 / 0)", "yes"),
        clause: "6.13",
        arity: (1, 1),
        takes: Takes::these(&[Arg::As(UsedAs::Value)]),
        gives: Gives::YesNo,
        run: Run::Lazy(|a, work| Ok(Value::Bool(take(a, 0, work).is_err()))),
    },
];

/// Works out an argument; one left out is blank.
fn take(arguments: &[Option<Expr>], index: usize, work: &mut Work<'_>) -> Yields {
    match arguments.get(index) {
        Some(Some(expr)) => work(expr),
        _ => Ok(Value::Blank),
    }
}

fn fault(arguments: &[Option<Expr>], function: &'static str, why: String) -> EvalError {
    let span = arguments.iter().flatten().next().map(|e| e.span).unwrap_or_default();
    EvalError { span, fault: Fault::Function { function, why } }
}

fn missing(arguments: &[Option<Expr>], function: &'static str, why: &str) -> EvalError {
    EvalError { fault: Fault::NotFound { function, why: why.to_owned() }, ..fault(arguments, function, String::new()) }
}
