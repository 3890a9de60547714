//! Numbers (OpenDocument 1.3 part 4, 6.16 and 6.17). Rounding keeps money money.

use rust_decimal::{Decimal, RoundingStrategy};

use super::{Function, Run, as_number, as_whole};
use crate::language::Context;
use crate::language::error::Fault;
use crate::value::number::round_with;
use crate::value::{Money, Value};

pub(super) static FUNCTIONS: &[Function] = &[
    Function {
        name: "ROUND",
        syntax: "ROUND(number; places)",
        about: "Rounded half away from zero; negative places round before the decimal mark.",
        example: ("ROUND(2.345; 2)", "2.35"),
        clause: "6.17",
        arity: (1, 2),
        run: Run::Eager(|a, c| rounded(a, c, RoundingStrategy::MidpointAwayFromZero)),
    },
    Function {
        name: "ROUNDUP",
        syntax: "ROUNDUP(number; places)",
        about: "Rounded away from zero.",
        example: ("ROUNDUP(2.341; 2)", "2.35"),
        clause: "6.17",
        arity: (1, 2),
        run: Run::Eager(|a, c| rounded(a, c, RoundingStrategy::AwayFromZero)),
    },
    Function {
        name: "ROUNDDOWN",
        syntax: "ROUNDDOWN(number; places)",
        about: "Rounded toward zero.",
        example: ("ROUNDDOWN(2.349; 2)", "2.34"),
        clause: "6.17",
        arity: (1, 2),
        run: Run::Eager(|a, c| rounded(a, c, RoundingStrategy::ToZero)),
    },
    Function {
        name: "INT",
        syntax: "INT(number)",
        about: "The whole number below.",
        example: ("INT(-2.5)", "-3"),
        clause: "6.17",
        arity: (1, 1),
        run: Run::Eager(|a, c| rounded(a, c, RoundingStrategy::ToNegativeInfinity)),
    },
    Function {
        name: "ABS",
        syntax: "ABS(number)",
        about: "Without its sign.",
        example: ("ABS(-12.5)", "12.5"),
        clause: "6.16",
        arity: (1, 1),
        run: Run::Eager(|a, c| Ok(like(&a[0], as_number(&a[0], c)?.abs()))),
    },
    Function {
        name: "MOD",
        syntax: "MOD(a; b)",
        about: "What is left of a / b; it has the sign of b.",
        example: ("MOD(-3; 2)", "1"),
        clause: "6.16",
        arity: (2, 2),
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
];

fn rounded(arguments: &[Value], context: &Context, strategy: RoundingStrategy) -> Result<Value, Fault> {
    let number = as_number(&arguments[0], context)?;
    let places = match arguments.get(1) {
        Some(places) => as_whole(places, context)?.clamp(-30, 28) as i32,
        None => 0,
    };
    Ok(like(&arguments[0], round_with(number, places, strategy)))
}

/// A result in the currency of the argument that it came from.
fn like(model: &Value, number: Decimal) -> Value {
    match model {
        Value::Money(money) => Value::Money(Money { amount: number, currency: money.currency }),
        _ => Value::Number(number),
    }
}
