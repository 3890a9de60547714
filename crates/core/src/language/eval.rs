//! Syntax tree + record → value, and value → printed text.

use std::cmp::Ordering;
use std::collections::HashMap;
use std::sync::Arc;

use icu_casemap::CaseMapper;
use icu_normalizer::DecomposingNormalizer;
use jiff::ToSpan;
use jiff::civil::{Date, DateTime, Time};
use rust_decimal::{Decimal, MathematicalOps};

use super::error::{EvalError, Fault, Span};
use super::format::plain;
use super::function::{Run, as_condition, as_number, as_text, days_between};
use super::name::{Folded, nearest};
use super::syntax::{Arithmetic, Comparison, Expr, ExprKind, Logic, Name, Part};
use crate::records::{ColumnType, Record};
use crate::value::read::Reading;
use crate::value::{Locale, Money, Value};

/// The moment that `now` and `today` name; it stands still for a whole run.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Clock {
    /// The run's start in the dispatch's time zone.
    pub now: DateTime,
}

/// Who sends.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Office {
    /// `office.name`
    pub name: String,
    /// `office.email`
    pub email: String,
}

/// What is the same for all records of a run, but for `run_number`.
#[derive(Debug, Clone)]
pub struct Context {
    /// The locale in force.
    pub locale: Arc<Locale>,
    /// How text is read: by the source's locale.
    pub reading: Reading,
    /// The run's clock.
    pub clock: Clock,
    /// Who sends.
    pub office: Office,
    /// `dispatch.name`
    pub dispatch: String,
    /// `run.number`: which record of the run, from 1.
    pub run_number: usize,
    /// `run.count`
    pub run_count: usize,
}

impl Context {
    /// A context for one record by itself.
    pub fn new(locale: Arc<Locale>, now: DateTime) -> Context {
        Context {
            reading: Reading::of(&locale),
            locale,
            clock: Clock { now },
            office: Office::default(),
            dispatch: String::new(),
            run_number: 1,
            run_count: 1,
        }
    }
}

/// Which column a template's name takes: template name → column name.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Ties(HashMap<Folded, Folded>);

impl Ties {
    /// Ties by pairs of template name and column name.
    pub fn new<'a>(pairs: impl IntoIterator<Item = (&'a str, &'a str)>) -> Ties {
        Ties(pairs.into_iter().map(|(name, column)| (Folded::new(name), Folded::new(column))).collect())
    }

    /// The column name that a template's name stands for.
    pub fn resolve<'a>(&'a self, name: &'a Folded) -> &'a Folded {
        self.0.get(name).unwrap_or(name)
    }
}

/// Where names are looked up.
#[derive(Debug, Clone, Copy)]
pub struct Scope<'a> {
    /// The document's record.
    pub record: &'a Record,
    /// The dispatch's ties.
    pub ties: &'a Ties,
    /// The run.
    pub context: &'a Context,
}

/// Names that the language gives after all fields.
const BUILT_IN: [&str; 5] = ["today", "now", "run", "dispatch", "office"];

impl Name {
    /// Whether the language gives a value to this name when no field has it.
    pub fn is_built_in(&self) -> bool {
        !self.quoted && BUILT_IN.contains(&self.folded.as_str())
    }
}

type Worked<T> = Result<T, EvalError>;

impl Scope<'_> {
    /// Works out a value.
    pub fn value(&self, expr: &Expr) -> Worked<Value> {
        let fail = |fault| EvalError { span: expr.span, fault };
        match &expr.kind {
            ExprKind::Literal(value) => Ok(value.clone()),
            ExprKind::Name(name) => self.name(name).map_err(fail),
            ExprKind::Member(base, name) => self.member(base, name, expr.span),
            ExprKind::Call(function, arguments) => match function.run {
                Run::Lazy(run) => run(arguments, &mut |a| self.value(a))
                    .map_err(|e| EvalError { span: if e.span == Span::default() { expr.span } else { e.span }, fault: e.fault }),
                Run::Eager(run) => {
                    let mut values = Vec::with_capacity(arguments.len());
                    for argument in arguments {
                        values.push(argument.as_ref().map_or(Ok(Value::Blank), |a| self.value(a))?);
                    }
                    run(&values, self.context).map_err(fail)
                }
            },
            ExprKind::Negate(inner) => match self.value(inner)? {
                Value::Money(money) => Ok(Value::Money(Money { amount: -money.amount, ..money })),
                value => as_number(&value, self.context).map(|n| Value::Number(-n)).map_err(fail),
            },
            ExprKind::Percent(inner) => {
                let hundred = Value::Number(Decimal::ONE_HUNDRED);
                arithmetic(Arithmetic::Divide, &self.value(inner)?, &hundred, self.context).map_err(fail)
            }
            ExprKind::Not(inner) => Ok(Value::Bool(!self.holds(inner)?)),
            ExprKind::Logic(Logic::And, a, b) => Ok(Value::Bool(self.holds(a)? && self.holds(b)?)),
            ExprKind::Logic(Logic::Or, a, b) => Ok(Value::Bool(self.holds(a)? || self.holds(b)?)),
            ExprKind::Arithmetic(operator, a, b) => {
                let (left, right) = (self.value(a)?, self.value(b)?);
                if (left.is_blank() && self.is_date_column(a)) || (right.is_blank() && self.is_date_column(b)) {
                    return Ok(Value::Blank);
                }
                arithmetic(*operator, &left, &right, self.context).map_err(fail)
            }
            ExprKind::Join(a, b) => {
                let text = |value: &Value| as_text(value, self.context).map_err(fail);
                Ok(Value::text(text(&self.value(a)?)? + &text(&self.value(b)?)?))
            }
            ExprKind::Compare(comparison, a, b) => {
                let (left, right) = (self.value(a)?, self.value(b)?);
                self.compare(*comparison, &left, &right).map(Value::Bool).map_err(fail)
            }
            ExprKind::In(inner, list, negated) => {
                let value = self.value(inner)?;
                let mut found = false;
                for item in list {
                    found = found || self.equal(&value, &self.value(item)?);
                }
                Ok(Value::Bool(found != *negated))
            }
            ExprKind::IsBlank(inner, negated) => {
                let value = match &inner.kind {
                    ExprKind::Name(name) => self.field(name).cloned().map_or_else(|| self.value(inner), Ok)?,
                    _ => self.value(inner)?,
                };
                Ok(Value::Bool(value.is_blank() != *negated))
            }
            ExprKind::Print(parts) => {
                let Some((part, value)) = self.choose(parts)? else { return Ok(Value::Blank) };
                let dressed = part.format.is_some() || part.locale.is_some() || part.after.is_some() || part.before.is_some();
                if dressed { Ok(Value::text(self.dress(part, &value)?)) } else { Ok(value) }
            }
        }
    }

    /// Works out a condition.
    pub fn holds(&self, expr: &Expr) -> Worked<bool> {
        self.value(expr).map(|value| as_condition(&value))
    }

    /// Prints a value; `None` when it is blank.
    pub fn print(&self, expr: &Expr) -> Worked<Option<String>> {
        if let ExprKind::Print(parts) = &expr.kind {
            return match self.choose(parts)? {
                Some((part, value)) => self.dress(part, &value).map(Some),
                None => Ok(None),
            };
        }
        let value = self.value(expr)?;
        if value.is_blank() {
            return Ok(None);
        }
        plain(&value, &self.context.locale).map(Some).map_err(|fault| EvalError { span: expr.span, fault })
    }

    /// The first alternative that is not blank.
    fn choose<'p>(&self, parts: &'p [Part]) -> Worked<Option<(&'p Part, Value)>> {
        for part in parts {
            let value = self.value(&part.expr)?;
            if !value.is_blank() {
                return Ok(Some((part, value)));
            }
        }
        Ok(None)
    }

    /// Writes a value that is not blank, with its format and what stands round it.
    fn dress(&self, part: &Part, value: &Value) -> Worked<String> {
        let locale = part.locale.as_ref().unwrap_or(&self.context.locale);
        let written = match &part.format {
            Some(format) => format.write(value, locale),
            None => plain(value, locale),
        };
        let text = written.map_err(|fault| EvalError { span: part.expr.span, fault })?;
        Ok(match (&part.before, &part.after) {
            (None, None) => text,
            (before, after) => format!("{}{text}{}", before.as_deref().unwrap_or(""), after.as_deref().unwrap_or("")),
        })
    }

    /// The field of this name, whatever it holds.
    fn field(&self, name: &Name) -> Option<&Value> {
        self.record.get(self.ties.resolve(&name.folded))
    }

    fn is_date_column(&self, expr: &Expr) -> bool {
        match &expr.kind {
            ExprKind::Name(name) => {
                self.record.schema().column(self.ties.resolve(&name.folded)).is_some_and(|c| c.kind == ColumnType::Date)
            }
            _ => false,
        }
    }

    fn name(&self, name: &Name) -> Result<Value, Fault> {
        match self.field(name) {
            Some(Value::Misfit(misfit)) => {
                Err(Fault::Misfit { column: misfit.column.clone(), text: misfit.text.clone(), expected: misfit.expected })
            }
            Some(value) => Ok(value.clone()),
            None if name.quoted => Err(self.unknown(name)),
            None => match name.folded.as_str() {
                "today" => Ok(Value::Date(self.context.clock.now.date())),
                "now" => Ok(Value::DateTime(self.context.clock.now)),
                _ => Err(self.unknown(name)),
            },
        }
    }

    fn unknown(&self, name: &Name) -> Fault {
        let nearest = nearest(&name.text, self.record.schema().columns().iter().map(|c| c.name.as_str()));
        Fault::UnknownName { name: name.text.clone(), nearest }
    }

    fn member(&self, base: &Expr, name: &Name, span: Span) -> Worked<Value> {
        if let ExprKind::Name(first) = &base.kind
            && first.is_built_in()
            && self.field(first).is_none()
            && let Some(value) = self.built_in_member(first, name)
        {
            return Ok(value);
        }
        let reached = self.value(base)?;
        member_of(&reached, name).map_err(|fault| EvalError { span, fault })
    }

    fn built_in_member(&self, first: &Name, name: &Name) -> Option<Value> {
        let context = self.context;
        Some(match (first.folded.as_str(), name.folded.as_str()) {
            ("run", "number") => Value::Number(context.run_number.into()),
            ("run", "count") => Value::Number(context.run_count.into()),
            ("dispatch", "name") => Value::text(&context.dispatch),
            ("office", "name") => Value::text(&context.office.name),
            ("office", "email") => Value::text(&context.office.email),
            _ => return None,
        })
    }

    fn compare(&self, comparison: Comparison, left: &Value, right: &Value) -> Result<bool, Fault> {
        match comparison {
            Comparison::Equal => Ok(self.equal(left, right)),
            Comparison::Unequal => Ok(!self.equal(left, right)),
            Comparison::Contains | Comparison::StartsWith | Comparison::EndsWith => {
                let whole = caseless(&as_text(left, self.context)?);
                let piece = caseless(&as_text(right, self.context)?);
                Ok(match comparison {
                    Comparison::Contains => whole.contains(&piece),
                    Comparison::StartsWith => whole.starts_with(&piece),
                    _ => whole.ends_with(&piece),
                })
            }
            _ => {
                let is_date = |v: &Value| matches!(v, Value::Date(_) | Value::DateTime(_));
                if (is_date(left) && right.is_blank()) || (is_date(right) && left.is_blank()) {
                    return Ok(false);
                }
                let order = order(left, right)?;
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
    fn equal(&self, left: &Value, right: &Value) -> bool {
        match (left, right) {
            (Value::Text(a), Value::Text(b)) => a == b || caseless(a) == caseless(b),
            (Value::Bool(a), Value::Bool(b)) => a == b,
            (Value::Blank, Value::Bool(yes)) | (Value::Bool(yes), Value::Blank) => !yes,
            (Value::Blank, Value::Text(text)) | (Value::Text(text), Value::Blank) => text.is_empty(),
            (Value::Blank, Value::Blank) => true,
            _ => order(left, right).is_ok_and(Ordering::is_eq),
        }
    }
}

/// The field of a record; of a list, that of each of its records.
fn member_of(value: &Value, name: &Name) -> Result<Value, Fault> {
    match value {
        Value::Blank => Ok(Value::Blank),
        Value::Record(record) => record.get(&name.folded).cloned().ok_or_else(|| Fault::UnknownName {
            name: name.text.clone(),
            nearest: nearest(&name.text, record.schema().columns().iter().map(|c| c.name.as_str())),
        }),
        Value::List(items) => {
            let mut found = Vec::new();
            for item in items.iter() {
                match member_of(item, name)? {
                    Value::List(inner) => found.extend(inner.iter().cloned()),
                    value => found.push(value),
                }
            }
            Ok(Value::List(found.into()))
        }
        other => Err(Fault::Kind { expected: "a record", kind: other.kind(), value: format!("it has no “{}”", name.text) }),
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

/// The order of two values of like types; blank is 0 or "".
pub fn order(left: &Value, right: &Value) -> Result<Ordering, Fault> {
    let unlike = || Fault::Unlike { left: left.kind(), right: right.kind(), verb: "compared" };
    match (left, right) {
        (Value::Money(a), Value::Money(b)) if a.currency != b.currency => {
            Err(Fault::Currencies { left: a.currency.to_string(), right: b.currency.to_string(), verb: "compared" })
        }
        (Value::Text(a), Value::Text(b)) => Ok(caseless(a).cmp(&caseless(b))),
        (Value::Text(a), Value::Blank) => Ok(caseless(a).as_str().cmp("")),
        (Value::Blank, Value::Text(b)) => Ok("".cmp(caseless(b).as_str())),
        _ => match (moment(left), moment(right)) {
            (Some(a), Some(b)) => Ok(a.cmp(&b)),
            _ => match (amount(left), amount(right)) {
                (Some(a), Some(b)) => Ok(a.cmp(&b)),
                _ => Err(unlike()),
            },
        },
    }
}

fn amount(value: &Value) -> Option<Decimal> {
    match value {
        Value::Blank => Some(Decimal::ZERO),
        Value::Number(number) => Some(*number),
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
        _ => match (date(left), date(right)) {
            (Some(end), Some(start)) => match operator {
                Subtract => Ok(Value::Number(days_between(start, end))),
                _ => Err(Fault::Unlike { left: left.kind(), right: right.kind(), verb: "added" }),
            },
            (Some(date), None) if matches!(operator, Add | Subtract) => match right.is_blank() && operator == Subtract {
                true => Ok(Value::Blank),
                false => shift(date, as_number(right, context)?, operator == Subtract),
            },
            (None, Some(date)) if operator == Add => shift(date, as_number(left, context)?, false),
            (None, Some(_)) if operator == Subtract && left.is_blank() => Ok(Value::Blank),
            (None, None) => calculate(operator, as_number(left, context)?, as_number(right, context)?).map(Value::Number),
            _ => Err(Fault::Unlike { left: left.kind(), right: right.kind(), verb: "calculated with each other" }),
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
    date.checked_add(days.days()).map(Value::Date).map_err(|_| Fault::NoSuchDay(format!("{date} and {days} days")))
}

fn calculate(operator: Arithmetic, a: Decimal, b: Decimal) -> Result<Decimal, Fault> {
    match operator {
        Arithmetic::Add => a.checked_add(b),
        Arithmetic::Subtract => a.checked_sub(b),
        Arithmetic::Multiply => a.checked_mul(b),
        Arithmetic::Divide if b.is_zero() => return Err(Fault::DivideByZero),
        Arithmetic::Divide => a.checked_div(b),
        Arithmetic::Power if a.is_zero() && b.is_sign_negative() => return Err(Fault::DivideByZero),
        Arithmetic::Power => a.checked_powd(b),
    }
    .map(|result| result.normalize())
    .ok_or(Fault::Overflow)
}

#[cfg(test)]
pub(super) mod tests {
    use super::*;
    use crate::records::{Column, Schema};
    use crate::value::Currency;
    use proptest::prelude::*;

    fn number(text: &str) -> Value {
        Value::Number(text.parse().expect("a number"))
    }

    /// A berth holder of the demo world.
    fn holder() -> Record {
        let euro = |text: &str| Value::Money(Money { amount: text.parse().expect("amount"), currency: Currency::EUR });
        let fields: Vec<(&str, ColumnType, Value)> = vec![
            ("Last_Name", ColumnType::Text, Value::text("van der Zwaluw")),
            ("First name", ColumnType::Text, Value::text("Marijke")),
            ("Mobile", ColumnType::Text, Value::Blank),
            ("Home phone", ColumnType::Text, Value::text("020 7946 0614")),
            ("BALANCE", ColumnType::Money(Currency::EUR), euro("1234.50")),
            ("Deposit", ColumnType::Money(Currency::GBP), Value::Money(Money { amount: 100.into(), currency: Currency::GBP })),
            ("Due date", ColumnType::Date, Value::Date(Date::constant(2026, 9, 30))),
            ("Insurance until", ColumnType::Date, Value::Blank),
            ("LOA", ColumnType::Number, number("11.4")),
            ("Liveaboard", ColumnType::YesNo, Value::Bool(false)),
            (
                "Since",
                ColumnType::Date,
                Value::Misfit(Arc::new(crate::value::Misfit { column: "Since".into(), text: "31.02.2019".into(), expected: "a date" })),
            ),
        ];
        let schema = Schema::new(fields.iter().map(|(name, kind, _)| Column::new(name, *kind)).collect()).expect("schema");
        Record::new(Arc::new(schema), fields.into_iter().map(|(_, _, v)| v).collect(), 1)
    }

    pub fn print(text: &str) -> String {
        let context = Context::new(Locale::english(), DateTime::constant(2026, 11, 23, 9, 42, 0, 0));
        let (record, ties) = (holder(), Ties::new([("due", "Due date")]));
        let scope = Scope { record: &record, ties: &ties, context: &context };
        match super::super::value(text) {
            Err(error) => format!("problem: {error}"),
            Ok(expr) => match scope.print(&expr) {
                Ok(text) => text.unwrap_or_default(),
                Err(error) => format!("error: {error}"),
            },
        }
    }

    #[test]
    fn a_blank_mobile_falls_back_to_the_home_phone() {
        assert_eq!(print("mobile else home phone else \"no number on file\""), "020 7946 0614");
        assert_eq!(print("mobile else \"no number on file\""), "no number on file");
    }

    #[test]
    fn text_beside_a_blank_stays_away() {
        assert_eq!(print("mobile after \" \""), "");
        assert_eq!(print("first name after \" \" before \"Dear \""), "Dear Marijke ");
    }

    #[test]
    fn money_and_dates_read_as_the_recipient_expects() {
        assert_eq!(print("balance"), "€1,234.50");
        assert_eq!(print("balance in \"nl-NL\""), "€\u{a0}1.234,50");
        assert_eq!(print("due as date long"), "30 September 2026");
        assert_eq!(print("due as date \"d.M.yy\""), "30.9.26");
        assert_eq!(print("liveaboard"), "no");
    }

    #[test]
    fn ties_lead_to_the_column() {
        assert_eq!(print("due"), "30 Sept 2026");
        assert_eq!(print("dew"), "error: nothing is called “dew”");
        assert_eq!(print("balanse"), "error: nothing is called “balanse”; did you mean “BALANCE”?");
    }

    #[test]
    fn days_overdue() {
        assert_eq!(print("today - due"), "54");
        assert_eq!(print("due + 14"), "14 Oct 2026");
        assert_eq!(print("days(today; insurance until)"), "");
        assert_eq!(print("insurance until + 14"), "");
        assert_eq!(print("if(insurance until < today; \"over\"; \"fine\")"), "fine");
    }

    #[test]
    fn decimals_are_exact_and_money_keeps_its_currency() {
        assert_eq!(print("0.1 + 0.2 = 0.3"), "yes");
        assert_eq!(print("balance * 10%"), "€123.45");
        assert_eq!(print("balance - 1000"), "€234.50");
        assert_eq!(print("balance + deposit"), "error: EUR and GBP are different currencies and can't be added");
        assert_eq!(print("balance / balance"), "1");
        assert_eq!(print("1 / 0"), "error: this divides by zero");
        assert_eq!(print("2^0.5 * 0 + 2^3^2"), "64");
    }

    #[test]
    fn comparisons_of_like_and_unlike_types() {
        assert_eq!(print("last name = \"VAN DER ZWALUW\""), "yes");
        assert_eq!(print("\"Straße\" = \"STRASSE\""), "yes");
        assert_eq!(print("\"Café\" = \"Cafe\""), "no");
        assert_eq!(print("balance > 1000 and loa < 12"), "yes");
        assert_eq!(print("liveaboard = \"no\""), "no");
        assert_eq!(print("last name < 3"), "error: text and a number can't be compared");
        assert_eq!(print("due > \"2026-09-01\""), "yes");
        assert_eq!(print("last name contains \"der\" and last name ends with \"uw\""), "yes");
        assert_eq!(print("loa in (11.4; 12)"), "yes");
    }

    #[test]
    fn a_cell_that_does_not_fit_is_an_error_where_it_is_used() {
        assert_eq!(print("since"), "error: Since holds “31.02.2019”, which is not a date; correct the cell or the column's type");
        assert_eq!(print("since is blank"), "no");
        assert_eq!(print("iferror(since; \"unknown\")"), "unknown");
        assert_eq!(print("mobile else since"), print("since"));
    }

    #[test]
    fn texts_that_write_numbers_count_as_numbers() {
        assert_eq!(print("\"12\" + 1"), "13");
        assert!(print("\"a\" + 1").starts_with("error: a number is needed here"));
    }

    #[test]
    fn what_the_language_gives_itself() {
        assert_eq!(print("today as date long"), "23 November 2026");
        assert_eq!(print("run.number & \" of \" & run.count"), "1 of 1");
        assert!(print("'today'").starts_with("error: nothing is called"));
    }

    proptest! {
        #[test]
        fn reading_any_text_ends_in_a_value_or_an_error(text in "\\PC{0,60}") {
            let _ = print(&text);
        }

        #[test]
        fn sums_of_cents_are_exact(a in -9_999_999i64..9_999_999, b in -9_999_999i64..9_999_999) {
            let expression = format!("{}.{:02} + {}.{:02}", a.abs() / 100, a.abs() % 100, b.abs() / 100, b.abs() % 100);
            let sum = Decimal::new(a.abs() + b.abs(), 2).normalize();
            prop_assert_eq!(print(&expression), sum.to_string());
        }
    }
}
