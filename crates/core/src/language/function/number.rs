//! Numbers (OpenDocument 1.3 part 4, 6.16 and 6.17). Rounding keeps money money.

use rust_decimal::{Decimal, MathematicalOps, RoundingStrategy};

use super::{Arg, Function, Gives, Run, Takes, as_number, as_whole};
use crate::language::Context;
use crate::language::UsedAs;
use crate::language::error::Fault;
use crate::language::operate::arithmetic;
use crate::language::syntax::Arithmetic;
use crate::value::number::round_with;
use crate::value::{Money, Value};

pub(super) static FUNCTIONS: &[Function] = &[
    Function {
        name: "ROUND",
        syntax: "ROUND(number; places)",
        about: "Rounds to n decimal places; negative n rounds left of the decimal point.",
        example: ("ROUND(2.345; 2)", "2.35"),
        clause: "6.17",
        arity: (1, 2),
        takes: Takes::these(&[Arg::Amount, Arg::As(UsedAs::Number)]),
        gives: Gives::Amount,
        run: Run::Eager(|a, c| rounded(a, c, RoundingStrategy::MidpointAwayFromZero)),
    },
    Function {
        name: "ROUNDUP",
        syntax: "ROUNDUP(number; places)",
        about: "Rounds up, away from zero.",
        example: ("ROUNDUP(2.341; 2)", "2.35"),
        clause: "6.17",
        arity: (1, 2),
        takes: Takes::these(&[Arg::Amount, Arg::As(UsedAs::Number)]),
        gives: Gives::Amount,
        run: Run::Eager(|a, c| rounded(a, c, RoundingStrategy::AwayFromZero)),
    },
    Function {
        name: "ROUNDDOWN",
        syntax: "ROUNDDOWN(number; places)",
        about: "Rounds down, toward zero.",
        example: ("ROUNDDOWN(2.349; 2)", "2.34"),
        clause: "6.17",
        arity: (1, 2),
        takes: Takes::these(&[Arg::Amount, Arg::As(UsedAs::Number)]),
        gives: Gives::Amount,
        run: Run::Eager(|a, c| rounded(a, c, RoundingStrategy::ToZero)),
    },
    Function {
        name: "INT",
        syntax: "INT(number)",
        about: "Rounds down to a whole number.",
        example: ("INT(-2.5)", "-3"),
        clause: "6.17",
        arity: (1, 1),
        takes: Takes::these(&[Arg::Amount]),
        gives: Gives::Amount,
        run: Run::Eager(|a, c| rounded(a, c, RoundingStrategy::ToNegativeInfinity)),
    },
    Function {
        name: "ABS",
        syntax: "ABS(number)",
        about: "Absolute value: the number without its sign.",
        example: ("ABS(-12.5)", "12.5"),
        clause: "6.16",
        arity: (1, 1),
        takes: Takes::these(&[Arg::Amount]),
        gives: Gives::Amount,
        run: Run::Eager(|a, c| Ok(like(&a[0], as_number(&a[0], c)?.abs()))),
    },
    Function {
        name: "MOD",
        syntax: "MOD(a; b)",
        about: "Remainder of a / b, with the sign of b.",
        example: ("MOD(-3; 2)", "1"),
        clause: "6.16",
        arity: (2, 2),
        takes: Takes::these(&[Arg::Amount, Arg::As(UsedAs::Number)]),
        gives: Gives::Amount,
        run: Run::Eager(|a, c| {
            let (x, y) = (as_number(&a[0], c)?, as_number(&a[1], c)?);
            if y.is_zero() {
                return Err(Fault::DivideByZero);
            }
            let rest = x.checked_rem(y).ok_or(Fault::Overflow)?;
            let crosses = !rest.is_zero() && rest.is_sign_negative() != y.is_sign_negative();
            Ok(like(&a[0], if crosses { rest + y } else { rest }))
        }),
    },
    Function {
        name: "TRUNC",
        syntax: "TRUNC(number; places)",
        about: "Truncates to n decimal places.",
        example: ("TRUNC(-2.75; 1)", "-2.7"),
        clause: "6.17",
        arity: (1, 2),
        takes: Takes::these(&[Arg::Amount, Arg::As(UsedAs::Number)]),
        gives: Gives::Amount,
        run: Run::Eager(|a, c| rounded(a, c, RoundingStrategy::ToZero)),
    },
    Function {
        name: "CEILING",
        syntax: "CEILING(number; step; mode)",
        about: "Rounds up to a multiple of the step.",
        example: ("CEILING(12.3; 5)", "15"),
        clause: "6.17",
        arity: (1, 3),
        takes: Takes::these(&[Arg::Amount, Arg::As(UsedAs::Number), Arg::As(UsedAs::Number)]),
        gives: Gives::Amount,
        run: Run::Eager(|a, c| stepped(a, c, "CEILING", true)),
    },
    Function {
        name: "FLOOR",
        syntax: "FLOOR(number; step; mode)",
        about: "Rounds down to a multiple of the step.",
        example: ("FLOOR(12.3; 5)", "10"),
        clause: "6.17",
        arity: (1, 3),
        takes: Takes::these(&[Arg::Amount, Arg::As(UsedAs::Number), Arg::As(UsedAs::Number)]),
        gives: Gives::Amount,
        run: Run::Eager(|a, c| stepped(a, c, "FLOOR", false)),
    },
    Function {
        name: "SIGN",
        syntax: "SIGN(number)",
        about: "Sign of a number: 1, 0 or -1.",
        example: ("SIGN(-12.5)", "-1"),
        clause: "6.16",
        arity: (1, 1),
        takes: Takes::these(&[Arg::As(UsedAs::Number)]),
        gives: Gives::Number,
        run: Run::Eager(|a, c| {
            let number = as_number(&a[0], c)?;
            Ok(Value::Number(if number.is_zero() { Decimal::ZERO } else { sign(number) }))
        }),
    },
    Function {
        name: "POWER",
        syntax: "POWER(number; exponent)",
        about: "A number raised to a power.",
        example: ("POWER(1.1; 2)", "1.21"),
        clause: "6.16",
        arity: (2, 2),
        takes: Takes::these(&[Arg::As(UsedAs::Number), Arg::As(UsedAs::Number)]),
        gives: Gives::Number,
        run: Run::Eager(|a, c| {
            arithmetic(Arithmetic::Power, &Value::Number(as_number(&a[0], c)?), &Value::Number(as_number(&a[1], c)?), c)
        }),
    },
    Function {
        name: "SQRT",
        syntax: "SQRT(number)",
        about: "Square root of a number.",
        example: ("SQRT(2.25)", "1.5"),
        clause: "6.16",
        arity: (1, 1),
        takes: Takes::these(&[Arg::As(UsedAs::Number)]),
        gives: Gives::Number,
        run: Run::Eager(|a, c| {
            let root = as_number(&a[0], c)?.sqrt().map(|r| Value::Number(r.normalize()));
            root.ok_or_else(|| Fault::Function { function: "SQRT", why: "a number below 0 has no square root".into() })
        }),
    },
    Function {
        name: "QUOTIENT",
        syntax: "QUOTIENT(a; b)",
        about: "Integer part of a / b.",
        example: ("QUOTIENT(-7; 2)", "-3"),
        clause: "6.16",
        arity: (2, 2),
        takes: Takes::these(&[Arg::As(UsedAs::Number), Arg::As(UsedAs::Number)]),
        gives: Gives::Number,
        run: Run::Eager(|a, c| {
            let by = as_number(&a[1], c)?;
            if by.is_zero() {
                return Err(Fault::DivideByZero);
            }
            as_number(&a[0], c)?.checked_div(by).map(|q| Value::Number(q.trunc().normalize())).ok_or(Fault::Overflow)
        }),
    },
];

fn rounded(arguments: &[Value], context: &Context, strategy: RoundingStrategy) -> Result<Value, Fault> {
    let number = as_number(&arguments[0], context)?;
    let places = match arguments.get(1) {
        Some(places) => as_whole(places, context)?.clamp(-30, 28) as i32,
        None => 0,
    };
    Ok(like(&arguments[0], round_with(number, places, strategy).normalize()))
}

/// A result of the type of the argument that it came from.
fn like(model: &Value, number: Decimal) -> Value {
    match model {
        Value::Money(money) => Value::Money(Money { amount: number, currency: money.currency }),
        Value::Percent(_) => Value::Percent(number),
        _ => Value::Number(number),
    }
}

fn sign(number: Decimal) -> Decimal {
    if number.is_sign_negative() { Decimal::NEGATIVE_ONE } else { Decimal::ONE }
}

/// To a multiple of a step, which is 1 with the number's sign when left out. A
/// step of another sign than the number has no result (OpenFormula 6.17).
fn stepped(arguments: &[Value], context: &Context, function: &'static str, up: bool) -> Result<Value, Fault> {
    let number = as_number(&arguments[0], context)?;
    let step = match arguments.get(1) {
        Some(step) => as_number(step, context)?,
        None => sign(number),
    };
    if number.is_zero() || step.is_zero() {
        return Ok(like(&arguments[0], Decimal::ZERO));
    }
    if number.is_sign_negative() != step.is_sign_negative() {
        return Err(Fault::Function { function, why: "the number and the step must both be positive or both negative".into() });
    }
    let mode = arguments.get(2).map_or(Ok(Decimal::ZERO), |m| as_number(m, context))?;
    let steps = number.checked_div(step).ok_or(Fault::Overflow)?;
    // The quotient is positive: for a number below zero, up means fewer steps.
    let more = if number.is_sign_negative() && mode.is_zero() { !up } else { up };
    let steps = if more { steps.ceil() } else { steps.floor() };
    steps.checked_mul(step).map(|n| like(&arguments[0], n.normalize())).ok_or(Fault::Overflow)
}
