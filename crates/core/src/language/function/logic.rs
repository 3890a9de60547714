//! Choosing and asking (OpenDocument 1.3 part 4, 6.13 and 6.15).

use super::{ANY, Function, Run, Work, as_condition};
use crate::language::error::EvalError;
use crate::language::syntax::Expr;
use crate::value::Value;

type Yields = Result<Value, EvalError>;

pub(super) static FUNCTIONS: &[Function] = &[
    Function {
        name: "IF",
        syntax: "IF(condition; then; otherwise)",
        about: "The one value when the condition holds, else the other.",
        example: ("IF(3 > 2; \"more\"; \"less\")", "more"),
        clause: "6.15",
        arity: (2, 3),
        run: Run::Lazy(|a, work| match as_condition(&take(a, 0, work)?) {
            true => take(a, 1, work),
            false if a.len() == 2 => Ok(Value::Bool(false)),
            false => take(a, 2, work),
        }),
    },
    Function {
        name: "IFS",
        syntax: "IFS(condition; value; …)",
        about: "The value behind the first condition that holds.",
        example: ("IFS(1 > 2; \"a\"; 2 > 1; \"b\")", "b"),
        clause: "",
        arity: (2, ANY),
        run: Run::Lazy(|a, work| {
            for pair in a.chunks(2) {
                if pair.len() == 2 && as_condition(&take(pair, 0, work)?) {
                    return take(pair, 1, work);
                }
            }
            let span = a.iter().flatten().last().map(|e| e.span).unwrap_or_default();
            Err(EvalError { span, fault: crate::language::Fault::Function { function: "IFS", why: "none of its conditions holds".into() } })
        }),
    },
    Function {
        name: "AND",
        syntax: "AND(a; b; …)",
        about: "Yes when all hold.",
        example: ("AND(1 > 0; 2 > 1)", "yes"),
        clause: "6.15",
        arity: (1, ANY),
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
        about: "Yes when any holds.",
        example: ("OR(1 > 2; 2 > 1)", "yes"),
        clause: "6.15",
        arity: (1, ANY),
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
        about: "Yes when it does not hold.",
        example: ("NOT(1 > 2)", "yes"),
        clause: "6.15",
        arity: (1, 1),
        run: Run::Eager(|a, _| Ok(Value::Bool(!as_condition(&a[0])))),
    },
    Function {
        name: "IFERROR",
        syntax: "IFERROR(value; instead)",
        about: "The value, or the other when the first can't be worked out.",
        example: ("IFERROR(1 / 0; \"none\")", "none"),
        clause: "6.15",
        arity: (2, 2),
        run: Run::Lazy(|a, work| take(a, 0, work).or_else(|_| take(a, 1, work))),
    },
    Function {
        name: "ISBLANK",
        syntax: "ISBLANK(value)",
        about: "Yes for an empty cell; a text without signs is not blank here.",
        example: ("ISBLANK(\"\")", "no"),
        clause: "6.13",
        arity: (1, 1),
        run: Run::Eager(|a, _| Ok(Value::Bool(a[0] == Value::Blank))),
    },
];

/// Works out an argument; one left out is blank.
fn take(arguments: &[Option<Expr>], index: usize, work: &mut Work<'_>) -> Yields {
    match arguments.get(index) {
        Some(Some(expr)) => work(expr),
        _ => Ok(Value::Blank),
    }
}
