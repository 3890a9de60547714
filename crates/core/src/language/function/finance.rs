//! Money over time (OpenDocument 1.3 part 4, 6.12). What is paid is negative,
//! what is received positive. Powers and quotients are decimals of 28 digits.

use rust_decimal::{Decimal, MathematicalOps};

use super::{ANY, Arg, Function, Gives, Run, Takes, as_number, as_whole, flat};
use crate::language::Context;
use crate::language::UsedAs;
use crate::language::error::Fault;
use crate::value::number::Careful;
use crate::value::{Money, Value};

pub(super) static FUNCTIONS: &[Function] = &[
    Function {
        name: "PMT",
        syntax: "PMT(rate; periods; present; future; type)",
        about: "Payment per period for a loan; type 1: payments at the start of each period.",
        example: ("ROUND(PMT(1%; 12; 1000); 2)", "-88.85"),
        clause: "6.12",
        arity: (3, 5),
        takes: Takes::these(&[Arg::As(UsedAs::Number), Arg::As(UsedAs::Number), Arg::Amount, Arg::Amount, Arg::As(UsedAs::Number)]),
        gives: Gives::Amount,
        run: Run::Eager(|a, c| {
            let t = Terms::read(a, c, 2)?;
            let payment = match t.rate.is_zero() {
                true => (t.given + t.future) / t.periods,
                false => (t.future + t.given * t.growth) * t.rate / (t.first() * (t.growth - Decimal::ONE)),
            };
            t.like(payment)
        }),
    },
    Function {
        name: "PV",
        syntax: "PV(rate; periods; payment; future; type)",
        about: "Present value of future payments.",
        example: ("ROUND(PV(1%; 12; -88.85); 2)", "1000.01"),
        clause: "6.12",
        arity: (3, 5),
        takes: Takes::these(&[Arg::As(UsedAs::Number), Arg::As(UsedAs::Number), Arg::Amount, Arg::Amount, Arg::As(UsedAs::Number)]),
        gives: Gives::Amount,
        run: Run::Eager(|a, c| {
            let t = Terms::read(a, c, 2)?;
            let present = match t.rate.is_zero() {
                true => t.future + t.given * t.periods,
                false => (t.future + t.given * t.first() * (t.growth - Decimal::ONE) / t.rate) / t.growth,
            };
            t.like(present)
        }),
    },
    Function {
        name: "FV",
        syntax: "FV(rate; periods; payment; present; type)",
        about: "Future value of payments.",
        example: ("ROUND(FV(1%; 12; -100); 2)", "1268.25"),
        clause: "6.12",
        arity: (3, 5),
        takes: Takes::these(&[Arg::As(UsedAs::Number), Arg::As(UsedAs::Number), Arg::Amount, Arg::Amount, Arg::As(UsedAs::Number)]),
        gives: Gives::Amount,
        run: Run::Eager(|a, c| {
            let t = Terms::read(a, c, 2)?;
            let future = match t.rate.is_zero() {
                true => t.future + t.given * t.periods,
                false => t.future * t.growth + t.given * t.first() * (t.growth - Decimal::ONE) / t.rate,
            };
            t.like(future)
        }),
    },
    Function {
        name: "NPV",
        syntax: "NPV(rate; a; b; …)",
        about: "Net present value of a series of amounts.",
        example: ("ROUND(NPV(10%; 100; 200); 2)", "256.2"),
        clause: "6.12",
        arity: (2, ANY),
        takes: Takes::then(&[Arg::As(UsedAs::Number)], &[Arg::Amount]),
        gives: Gives::Amount,
        run: Run::Eager(|a, c| {
            let rate = as_number(&a[0], c)?;
            let flows = flows(&a[1..], c)?;
            let worth = Careful(net_present(&flows, rate)) / (Careful::from(Decimal::ONE) + rate);
            worth.0.map(Value::Number).ok_or(Fault::Overflow)
        }),
    },
    Function {
        name: "IRR",
        syntax: "IRR(amounts; guess)",
        about: "Internal rate of return of a series of amounts.",
        example: ("ROUND(IFERROR(IRR(-100); 0); 2)", "0"),
        clause: "6.12",
        arity: (1, 2),
        takes: Takes::these(&[Arg::Amount, Arg::As(UsedAs::Number)]),
        gives: Gives::Number,
        run: Run::Eager(|a, c| {
            let flows = flows(&a[..1], c)?;
            let guess = a.get(1).map_or(Ok(Decimal::new(1, 1)), |g| as_number(g, c))?;
            internal_rate(&flows, guess).map(Value::Number).ok_or_else(|| Fault::Function {
                function: "IRR",
                why: "no rate found. The amounts need both payments and receipts.".into(),
            })
        }),
    },
];

/// What PMT, PV and FV are given.
struct Terms {
    rate: Decimal,
    periods: Decimal,
    /// The third argument: a present value or a payment.
    given: Careful,
    /// The fourth: a future or present value.
    future: Careful,
    /// 1 when payments come at the start of a period.
    start: Decimal,
    /// (1 + rate) to the number of periods.
    growth: Careful,
    model: Value,
}

impl Terms {
    fn read(a: &[Value], c: &Context, model: usize) -> Result<Terms, Fault> {
        let number = |at: usize| a.get(at).map_or(Ok(Decimal::ZERO), |v| as_number(v, c));
        let (rate, periods) = (number(0)?, number(1)?);
        if periods.is_zero() {
            return Err(Fault::DivideByZero);
        }
        if periods.abs() > Decimal::from(12_000) || rate <= -Decimal::ONE {
            return Err(Fault::Function { function: "this", why: "rate must be above -100% and periods at most 12,000".into() });
        }
        let growth = Decimal::ONE.checked_add(rate).and_then(|one| one.checked_powd(periods)).ok_or(Fault::Overflow)?;
        let start = if a.get(4).map_or(Ok(0), |t| as_whole(t, c))? == 0 { Decimal::ZERO } else { Decimal::ONE };
        Ok(Terms {
            rate,
            periods,
            given: number(2)?.into(),
            future: number(3)?.into(),
            start,
            growth: growth.into(),
            model: a[model].clone(),
        })
    }

    /// What a payment at the start of a period earns more than one at its end.
    fn first(&self) -> Careful {
        Careful::from(self.rate) * self.start + Decimal::ONE
    }

    /// A result with its sign turned, for what is received is paid back, in the
    /// currency of the argument that it came from.
    fn like(&self, amount: Careful) -> Result<Value, Fault> {
        let amount = -amount.0.ok_or(Fault::Overflow)?;
        Ok(match &self.model {
            Value::Money(money) => Value::Money(Money { amount, currency: money.currency }),
            _ => Value::Number(amount),
        })
    }
}

fn flows(arguments: &[Value], context: &Context) -> Result<Vec<Decimal>, Fault> {
    flat(arguments).into_iter().filter(|v| !v.is_blank()).map(|v| as_number(v, context)).collect()
}

/// The worth of amounts, the first of them now.
fn net_present(flows: &[Decimal], rate: Decimal) -> Option<Decimal> {
    let mut factor = Decimal::ONE;
    let mut worth = Decimal::ZERO;
    for flow in flows {
        worth = worth.checked_add(flow.checked_div(factor)?)?;
        factor = factor.checked_mul(Decimal::ONE.checked_add(rate)?)?;
    }
    Some(worth)
}

/// By halving the interval in which the worth changes its sign, which ends where
/// steps along the slope may run away.
fn internal_rate(flows: &[Decimal], guess: Decimal) -> Option<Decimal> {
    let sign = |rate: Decimal| net_present(flows, rate).map(|v| v.is_sign_positive());
    if guess.abs() > Decimal::ONE_THOUSAND {
        return None;
    }
    let mut width = Decimal::new(5, 2);
    let least = Decimal::new(-99, 2);
    let (mut low, mut high) = loop {
        let (low, high) = ((guess - width).max(least), guess + width);
        if sign(low)? != sign(high)? {
            break (low, high);
        }
        width = width.checked_mul(Decimal::TWO).filter(|w| *w < Decimal::from(1000))?;
    };
    let side = sign(low)?;
    for _ in 0..80 {
        let middle = (low + high) / Decimal::TWO;
        if sign(middle)? == side {
            low = middle;
        } else {
            high = middle;
        }
    }
    Some(((low + high) / Decimal::TWO).round_dp(14).normalize())
}
