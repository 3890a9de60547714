//! Dates (OpenDocument 1.3 part 4, 6.10). A blank date makes the result blank.

use jiff::civil::{Date, Time};
use jiff::{Span, ToSpan};
use rust_decimal::Decimal;

use super::{Arg, Function, Gives, Run, Takes, as_date, as_text, as_whole};
use crate::language::Context;
use crate::language::UsedAs;
use crate::language::error::Fault;
use crate::value::{Value, read};

pub(super) static FUNCTIONS: &[Function] = &[
    Function {
        name: "TODAY",
        syntax: "TODAY()",
        about: "Date of the run; the same for all records.",
        example: ("TODAY()", "23 Nov 2026"),
        clause: "6.10",
        arity: (0, 0),
        takes: Takes::these(&[]),
        gives: Gives::Date,
        run: Run::Eager(|_, c| Ok(Value::Date(c.clock.now.date()))),
    },
    Function {
        name: "DATE",
        syntax: "DATE(year; month; day)",
        about: "Date from year, month and day; values out of range roll over.",
        example: ("DATE(2026; 13; 1)", "1 Jan 2027"),
        clause: "6.10",
        arity: (3, 3),
        takes: Takes::then(&[Arg::As(UsedAs::Number)], &[Arg::As(UsedAs::Number)]),
        gives: Gives::Date,
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
        about: "Year of a date.",
        example: ("YEAR(2026-11-23)", "2026"),
        clause: "6.10",
        arity: (1, 1),
        takes: Takes::these(&[Arg::As(UsedAs::Date)]),
        gives: Gives::Number,
        run: Run::Eager(|a, c| part(a, c, |d| d.year().into())),
    },
    Function {
        name: "MONTH",
        syntax: "MONTH(date)",
        about: "Month of a date, 1 to 12.",
        example: ("MONTH(2026-11-23)", "11"),
        clause: "6.10",
        arity: (1, 1),
        takes: Takes::these(&[Arg::As(UsedAs::Date)]),
        gives: Gives::Number,
        run: Run::Eager(|a, c| part(a, c, |d| d.month().into())),
    },
    Function {
        name: "DAY",
        syntax: "DAY(date)",
        about: "Day of the month, 1 to 31.",
        example: ("DAY(2026-11-23)", "23"),
        clause: "6.10",
        arity: (1, 1),
        takes: Takes::these(&[Arg::As(UsedAs::Date)]),
        gives: Gives::Number,
        run: Run::Eager(|a, c| part(a, c, |d| d.day().into())),
    },
    Function {
        name: "DAYS",
        syntax: "DAYS(end; start)",
        about: "Days between two dates; negative if the end is earlier.",
        example: ("DAYS(2026-11-23; 2026-09-30)", "54"),
        clause: "6.10",
        arity: (2, 2),
        takes: Takes::these(&[Arg::As(UsedAs::Date), Arg::As(UsedAs::Date)]),
        gives: Gives::Number,
        run: Run::Eager(|a, c| match (as_date(&a[0], c)?, as_date(&a[1], c)?) {
            (Some(end), Some(start)) => Ok(Value::Number(days_between(start, end))),
            _ => Ok(Value::Blank),
        }),
    },
    Function {
        name: "EDATE",
        syntax: "EDATE(date; months)",
        about: "Date n months later (or the last day of that month).",
        example: ("EDATE(2026-01-31; 1)", "28 Feb 2026"),
        clause: "6.10",
        arity: (2, 2),
        takes: Takes::these(&[Arg::As(UsedAs::Date), Arg::As(UsedAs::Number)]),
        gives: Gives::Date,
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
        about: "Last day of the month, n months later.",
        example: ("EOMONTH(2026-11-23; 0)", "30 Nov 2026"),
        clause: "6.10",
        arity: (2, 2),
        takes: Takes::these(&[Arg::As(UsedAs::Date), Arg::As(UsedAs::Number)]),
        gives: Gives::Date,
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
        about: "Day of the week: type 1 Sunday = 1, type 2 Monday = 1, type 3 Monday = 0.",
        example: ("WEEKDAY(2026-11-23)", "2"),
        clause: "6.10",
        arity: (1, 2),
        takes: Takes::these(&[Arg::As(UsedAs::Date), Arg::As(UsedAs::Number)]),
        gives: Gives::Number,
        run: Run::Eager(|a, c| {
            let kind = a.get(1).map_or(Ok(1), |k| as_whole(k, c))?;
            let Some(date) = as_date(&a[0], c)? else { return Ok(Value::Blank) };
            let day = match kind {
                1 => date.weekday().to_sunday_one_offset(),
                2 => date.weekday().to_monday_one_offset(),
                3 => date.weekday().to_monday_zero_offset(),
                other => return Err(Fault::Function { function: "WEEKDAY", why: format!("type must be 1, 2 or 3, not {other}") }),
            };
            Ok(Value::Number(day.into()))
        }),
    },
    Function {
        name: "NOW",
        syntax: "NOW()",
        about: "Date and time of the run; the same for all records.",
        example: ("NOW() as date \"HH:mm\"", "09:42"),
        clause: "6.10",
        arity: (0, 0),
        takes: Takes::these(&[]),
        gives: Gives::Date,
        run: Run::Eager(|_, c| Ok(Value::DateTime(c.clock.now))),
    },
    Function {
        name: "TIME",
        syntax: "TIME(hours; minutes; seconds)",
        about: "Time of day; add it to a date to get a date and time.",
        example: ("TIME(9; 30; 0) as time", "09:30"),
        clause: "6.10",
        arity: (3, 3),
        takes: Takes::then(&[Arg::As(UsedAs::Number)], &[Arg::As(UsedAs::Number)]),
        gives: Gives::Time,
        run: Run::Eager(|a, c| {
            let seconds = as_whole(&a[0], c)? * 3600 + as_whole(&a[1], c)? * 60 + as_whole(&a[2], c)?;
            let seconds = seconds.rem_euclid(86_400);
            Ok(Value::DateTime(NULL_DATE.to_datetime(Time::midnight()).saturating_add(seconds.seconds())))
        }),
    },
    Function {
        name: "HOUR",
        syntax: "HOUR(moment)",
        about: "Hour of a time, 0 to 23.",
        example: ("HOUR(2026-11-23T09:42)", "9"),
        clause: "6.10",
        arity: (1, 1),
        takes: Takes::these(&[Arg::As(UsedAs::Date)]),
        gives: Gives::Number,
        run: Run::Eager(|a, c| time_part(a, c, |t| t.hour().into())),
    },
    Function {
        name: "MINUTE",
        syntax: "MINUTE(moment)",
        about: "Minute of a time, 0 to 59.",
        example: ("MINUTE(2026-11-23T09:42)", "42"),
        clause: "6.10",
        arity: (1, 1),
        takes: Takes::these(&[Arg::As(UsedAs::Date)]),
        gives: Gives::Number,
        run: Run::Eager(|a, c| time_part(a, c, |t| t.minute().into())),
    },
    Function {
        name: "ISOWEEKNUM",
        syntax: "ISOWEEKNUM(date)",
        about: "ISO 8601 week number.",
        example: ("ISOWEEKNUM(2026-11-23)", "48"),
        clause: "6.10",
        arity: (1, 1),
        takes: Takes::these(&[Arg::As(UsedAs::Date)]),
        gives: Gives::Number,
        run: Run::Eager(|a, c| part(a, c, |d| d.iso_week_date().week().into())),
    },
    Function {
        name: "WEEKNUM",
        syntax: "WEEKNUM(date; kind)",
        about: "Week number; week 1 contains 1 January. Type 1: weeks start on Sunday, 2: Monday, 21: ISO.",
        example: ("WEEKNUM(2026-11-23)", "48"),
        clause: "6.10",
        arity: (1, 2),
        takes: Takes::these(&[Arg::As(UsedAs::Date), Arg::As(UsedAs::Number)]),
        gives: Gives::Number,
        run: Run::Eager(|a, c| {
            let kind = a.get(1).map_or(Ok(1), |k| as_whole(k, c))?;
            let Some(date) = as_date(&a[0], c)? else { return Ok(Value::Blank) };
            let new_year = date.first_of_year();
            let offset = match kind {
                1 | 17 => i16::from(new_year.weekday().to_sunday_zero_offset()),
                2 | 11 => i16::from(new_year.weekday().to_monday_zero_offset()),
                21 => return Ok(Value::Number(date.iso_week_date().week().into())),
                other => return Err(Fault::Function { function: "WEEKNUM", why: format!("type must be 1, 2 or 21, not {other}") }),
            };
            Ok(Value::Number(((date.day_of_year() - 1 + offset) / 7 + 1).into()))
        }),
    },
    Function {
        name: "DATEVALUE",
        syntax: "DATEVALUE(text)",
        about: "Converts text to a date, using the source's locale.",
        example: ("DATEVALUE(\"23.11.2026\")", "23 Nov 2026"),
        clause: "6.10",
        arity: (1, 1),
        takes: Takes::these(&[Arg::As(UsedAs::Text)]),
        gives: Gives::Date,
        run: Run::Eager(|a, c| Ok(as_date(&a[0], c)?.map_or(Value::Blank, Value::Date))),
    },
    Function {
        name: "DATEDIF",
        syntax: "DATEDIF(start; end; unit)",
        about: "Whole years, months or days between two dates; \"ym\", \"md\" and \"yd\" leave out the larger unit.",
        example: ("DATEDIF(2024-02-29; 2026-11-23; \"ym\")", "8"),
        clause: "6.10",
        arity: (3, 3),
        takes: Takes::these(&[Arg::As(UsedAs::Date), Arg::As(UsedAs::Date), Arg::As(UsedAs::Text)]),
        gives: Gives::Number,
        run: Run::Eager(|a, c| {
            let (Some(start), Some(end)) = (as_date(&a[0], c)?, as_date(&a[1], c)?) else { return Ok(Value::Blank) };
            date_difference(start, end, &as_text(&a[2], c)?)
        }),
    },
    Function {
        name: "NETWORKDAYS",
        syntax: "NETWORKDAYS(start; end; holidays)",
        about: "Working days (Monday–Friday) between two dates, inclusive; holidays excluded.",
        example: ("NETWORKDAYS(2026-11-23; 2026-11-30)", "6"),
        clause: "6.10",
        arity: (2, 3),
        takes: Takes::these(&[Arg::As(UsedAs::Date), Arg::As(UsedAs::Date), Arg::As(UsedAs::List)]),
        gives: Gives::Number,
        run: Run::Eager(|a, c| {
            let (Some(start), Some(end)) = (as_date(&a[0], c)?, as_date(&a[1], c)?) else { return Ok(Value::Blank) };
            let holidays = holidays(a.get(2), c)?;
            let (from, to, sign) = if start <= end { (start, end, 1) } else { (end, start, -1) };
            within_reason("NETWORKDAYS", days_between(from, to))?;
            let days = from.series(1.day()).take_while(|d| *d <= to).filter(|d| is_workday(*d, &holidays)).count();
            Ok(Value::Number(Decimal::from(days as i64 * sign)))
        }),
    },
    Function {
        name: "WORKDAY",
        syntax: "WORKDAY(start; days; holidays)",
        about: "Date n working days later (negative: earlier).",
        example: ("WORKDAY(2026-11-23; 5)", "30 Nov 2026"),
        clause: "6.10",
        arity: (2, 3),
        takes: Takes::these(&[Arg::As(UsedAs::Date), Arg::As(UsedAs::Number), Arg::As(UsedAs::List)]),
        gives: Gives::Date,
        run: Run::Eager(|a, c| {
            let Some(mut date) = as_date(&a[0], c)? else { return Ok(Value::Blank) };
            let (days, holidays) = (as_whole(&a[1], c)?, holidays(a.get(2), c)?);
            within_reason("WORKDAY", days.into())?;
            let mut left = days.abs();
            while left > 0 {
                date = shift(date, |s| s.try_days(days.signum()))?;
                left -= i64::from(is_workday(date, &holidays));
            }
            Ok(Value::Date(date))
        }),
    },
];

fn part(arguments: &[Value], context: &Context, of: fn(Date) -> Decimal) -> Result<Value, Fault> {
    Ok(as_date(&arguments[0], context)?.map_or(Value::Blank, |date| Value::Number(of(date))))
}

fn shift(date: Date, by: impl Fn(Span) -> Result<Span, jiff::Error>) -> Result<Date, Fault> {
    by(0.days()).and_then(|span| date.checked_add(span)).map_err(|_| Fault::NoSuchDay(format!("{date} plus that number of months or days")))
}

/// Whole days from one day to another.
pub(in crate::language) fn days_between(start: Date, end: Date) -> Decimal {
    start.until(end).map_or(Decimal::ZERO, |span| span.get_days().into())
}

/// The day that times of day stand on (OpenFormula 4.3.2).
pub(crate) const NULL_DATE: Date = Date::constant(1899, 12, 30);

fn time_part(arguments: &[Value], context: &Context, of: fn(Time) -> Decimal) -> Result<Value, Fault> {
    Ok(match &arguments[0] {
        Value::DateTime(moment) => Value::Number(of(moment.time())),
        Value::Text(text) if text.contains(':') => match read::time(text) {
            Some(time) => Value::Number(of(time)),
            None => return Err(super::wrong(&arguments[0], "a time", context)),
        },
        other => as_date(other, context)?.map_or(Value::Blank, |_| Value::Number(of(Time::midnight()))),
    })
}

/// DATEDIF's units (OpenFormula 6.10).
fn date_difference(start: Date, end: Date, unit: &str) -> Result<Value, Fault> {
    let bad = |why: &str| Err(Fault::Function { function: "DATEDIF", why: why.to_owned() });
    if start > end {
        return bad("the start date is after the end date");
    }
    let months = |start: Date| {
        let whole = i64::from(end.year() - start.year()) * 12 + i64::from(end.month() - start.month());
        whole - i64::from(end.day() < start.day())
    };
    let in_year = |year: i16| {
        Date::new(year, start.month(), 1).map(|first| first.with().day(start.day().min(first.days_in_month())).build().unwrap_or(first))
    };
    let whole_months = months(start);
    let count = match unit.to_ascii_lowercase().as_str() {
        "y" => whole_months / 12,
        "m" => whole_months,
        "d" => return Ok(Value::Number(days_between(start, end))),
        "ym" => whole_months % 12,
        "md" => {
            let from = shift(start, |s| s.try_months(whole_months))?;
            return Ok(Value::Number(days_between(from, end)));
        }
        "yd" => {
            let this = in_year(end.year()).unwrap_or(start);
            let from = if this <= end { this } else { in_year(end.year() - 1).unwrap_or(start) };
            return Ok(Value::Number(days_between(from, end)));
        }
        _ => return bad("unit must be one of y, m, d, ym, md, yd"),
    };
    Ok(Value::Number(count.into()))
}

fn holidays(argument: Option<&Value>, context: &Context) -> Result<Vec<Date>, Fault> {
    let days = argument.map(std::slice::from_ref).map(super::flat).unwrap_or_default();
    days.into_iter().filter_map(|v| as_date(v, context).transpose()).collect()
}

fn is_workday(date: Date, holidays: &[Date]) -> bool {
    date.weekday().to_monday_zero_offset() < 5 && !holidays.contains(&date)
}

/// Days are counted one by one: not more than four hundred years of them.
fn within_reason(function: &'static str, days: Decimal) -> Result<(), Fault> {
    match days.abs() < Decimal::from(150_000) {
        true => Ok(()),
        false => Err(Fault::Function { function, why: "the dates are more than 400 years apart".into() }),
    }
}
