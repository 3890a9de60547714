//! Dates (OpenDocument 1.3 part 4, 6.10). A blank date makes the result blank.

use jiff::civil::Date;
use jiff::{Span, ToSpan};
use rust_decimal::Decimal;

use super::{Function, Run, as_date, as_whole};
use crate::language::Context;
use crate::language::error::Fault;
use crate::value::Value;

pub(super) static FUNCTIONS: &[Function] = &[
    Function {
        name: "TODAY",
        syntax: "TODAY()",
        about: "The day of the run, the same for all its records.",
        example: ("TODAY()", "23 Nov 2026"),
        clause: "6.10",
        arity: (0, 0),
        run: Run::Eager(|_, c| Ok(Value::Date(c.clock.now.date()))),
    },
    Function {
        name: "DATE",
        syntax: "DATE(year; month; day)",
        about: "The day of these numbers; too large months and days run on.",
        example: ("DATE(2026; 13; 1)", "1 Jan 2027"),
        clause: "6.10",
        arity: (3, 3),
        run: Run::Eager(|a, c| {
            let (year, month, day) = (as_whole(&a[0], c)?, as_whole(&a[1], c)?, as_whole(&a[2], c)?);
            let bad = || Fault::NoSuchDay(format!("{year}-{month}-{day}"));
            let start = Date::new(i16::try_from(year).map_err(|_| bad())?, 1, 1).map_err(|_| bad())?;
            let months = i32::try_from(month - 1).map_err(|_| bad())?;
            let days = i32::try_from(day - 1).map_err(|_| bad())?;
            shift(start, |s| s.try_months(months)).and_then(|d| shift(d, |s| s.try_days(days))).map(Value::Date)
        }),
    },
    Function {
        name: "YEAR",
        syntax: "YEAR(date)",
        about: "Its year.",
        example: ("YEAR(2026-11-23)", "2026"),
        clause: "6.10",
        arity: (1, 1),
        run: Run::Eager(|a, c| part(a, c, |d| d.year().into())),
    },
    Function {
        name: "MONTH",
        syntax: "MONTH(date)",
        about: "Its month, 1 to 12.",
        example: ("MONTH(2026-11-23)", "11"),
        clause: "6.10",
        arity: (1, 1),
        run: Run::Eager(|a, c| part(a, c, |d| d.month().into())),
    },
    Function {
        name: "DAY",
        syntax: "DAY(date)",
        about: "Its day of the month, 1 to 31.",
        example: ("DAY(2026-11-23)", "23"),
        clause: "6.10",
        arity: (1, 1),
        run: Run::Eager(|a, c| part(a, c, |d| d.day().into())),
    },
    Function {
        name: "DAYS",
        syntax: "DAYS(end; start)",
        about: "How many days lie between; below 0 when the end comes first.",
        example: ("DAYS(2026-11-23; 2026-09-30)", "54"),
        clause: "6.10",
        arity: (2, 2),
        run: Run::Eager(|a, c| match (as_date(&a[0], c)?, as_date(&a[1], c)?) {
            (Some(end), Some(start)) => Ok(Value::Number(days_between(start, end))),
            _ => Ok(Value::Blank),
        }),
    },
    Function {
        name: "EDATE",
        syntax: "EDATE(date; months)",
        about: "The same day some months on, or the month's last day.",
        example: ("EDATE(2026-01-31; 1)", "28 Feb 2026"),
        clause: "6.10",
        arity: (2, 2),
        run: Run::Eager(|a, c| {
            let months = as_whole(&a[1], c)?.clamp(-300_000, 300_000) as i32;
            match as_date(&a[0], c)? {
                Some(date) => shift(date, |s| s.try_months(months)).map(Value::Date),
                None => Ok(Value::Blank),
            }
        }),
    },
    Function {
        name: "EOMONTH",
        syntax: "EOMONTH(date; months)",
        about: "The last day of the month some months on.",
        example: ("EOMONTH(2026-11-23; 0)", "30 Nov 2026"),
        clause: "6.10",
        arity: (2, 2),
        run: Run::Eager(|a, c| {
            let months = as_whole(&a[1], c)?.clamp(-300_000, 300_000) as i32;
            match as_date(&a[0], c)? {
                Some(date) => shift(date.first_of_month(), |s| s.try_months(months)).map(|d| Value::Date(d.last_of_month())),
                None => Ok(Value::Blank),
            }
        }),
    },
    Function {
        name: "WEEKDAY",
        syntax: "WEEKDAY(date; kind)",
        about: "1 for Sunday to 7 for Saturday; kind 2: 1 for Monday; kind 3: 0 for Monday.",
        example: ("WEEKDAY(2026-11-23)", "2"),
        clause: "6.10",
        arity: (1, 2),
        run: Run::Eager(|a, c| {
            let kind = a.get(1).map_or(Ok(1), |k| as_whole(k, c))?;
            let Some(date) = as_date(&a[0], c)? else { return Ok(Value::Blank) };
            let day = match kind {
                1 => date.weekday().to_sunday_one_offset(),
                2 => date.weekday().to_monday_one_offset(),
                3 => date.weekday().to_monday_zero_offset(),
                other => return Err(Fault::Function { function: "WEEKDAY", why: format!("its kind is 1, 2 or 3, not {other}") }),
            };
            Ok(Value::Number(day.into()))
        }),
    },
];

fn part(arguments: &[Value], context: &Context, of: fn(Date) -> Decimal) -> Result<Value, Fault> {
    Ok(as_date(&arguments[0], context)?.map_or(Value::Blank, |date| Value::Number(of(date))))
}

fn shift(date: Date, by: impl Fn(Span) -> Result<Span, jiff::Error>) -> Result<Date, Fault> {
    by(0.days()).and_then(|span| date.checked_add(span)).map_err(|_| Fault::NoSuchDay(format!("{date} and so many months or days")))
}

/// Whole days from one day to another.
pub(in crate::language) fn days_between(start: Date, end: Date) -> Decimal {
    start.until(end).map_or(Decimal::ZERO, |span| span.get_days().into())
}
