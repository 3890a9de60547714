//! Syntax tree + record → value, and value → printed text.

use rust_decimal::Decimal;

use super::error::{EvalError, Fault};
use super::format::{self, plain};
use super::function::{Arg, Run, as_condition, as_number, as_text};
use super::name::nearest;
use super::operate::{arithmetic, bounded, compare, equal, is_dated, sortable, total_order};
use super::scope::{Scope, Turn, Turns};
use super::syntax::{Arithmetic, Expr, ExprKind, ListExpr, Logic, Name, Part};
use super::typing::Type;
use super::uses::UsedAs;
use crate::value::read::{self, Reading};
use crate::value::{Locale, Money, Value};

/// How many values a list may hold that is worked out.
const MOST_ITEMS: usize = 1_000_000;

type Worked<T> = Result<T, EvalError>;

/// What a placeholder prints.
#[derive(Debug, Clone, PartialEq)]
pub struct Shown {
    /// Which of its alternatives, from 0.
    pub alternative: usize,
    /// What is printed.
    pub text: String,
    /// The number behind it, where someone asks for numbers.
    pub weighed: Option<Weighed>,
}

/// A number and what it reads as in print.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Weighed {
    /// Its value before any format.
    pub exact: Decimal,
    /// What was printed, read as a number again.
    pub printed: Decimal,
}

impl Scope<'_> {
    /// Works out a value.
    pub fn value(&self, expr: &Expr) -> Worked<Value> {
        let fail = |fault| EvalError { span: expr.span, fault };
        self.step().map_err(fail)?;
        match &expr.kind {
            ExprKind::Literal(value) => Ok(value.clone()),
            ExprKind::Name(name) => self.name(name).map_err(fail),
            ExprKind::Outer(levels, name) => self.outer(*levels, name).map_err(fail),
            ExprKind::Member(base, name) => self.member(base, name).map_err(|reached| reached.at(expr)),
            ExprKind::Each(base, inner) => self.each(&self.value(base)?, inner),
            ExprKind::List(list) => Ok(Value::List(self.list(list)?.into_items().into())),
            ExprKind::Call(function, arguments) => match function.run {
                Run::Lazy(run) => run(arguments, &mut |a| self.value(a))
                    .map_err(|e| EvalError { span: if e.span == Default::default() { expr.span } else { e.span }, fault: e.fault }),
                Run::Eager(run) => {
                    let mut values = Vec::with_capacity(arguments.len());
                    for argument in arguments {
                        values.push(argument.as_ref().map_or(Ok(Value::Blank), |a| self.value(a))?);
                    }
                    if self.context.noticed.asked() {
                        for (at, argument) in arguments.iter().enumerate().filter(|(at, _)| values[*at] == Value::Blank) {
                            if let (Some(argument), Arg::Amount | Arg::As(UsedAs::Number)) = (argument, function.takes.at(at)) {
                                self.note_blank_number(argument);
                            }
                        }
                    }
                    let value = run(&values, self.context).map_err(fail)?;
                    if let Value::Text(text) = &value {
                        bounded(text.len()).map_err(fail)?;
                    }
                    Ok(self.kept_type(expr, value))
                }
                Run::Running => match arguments.first() {
                    Some(Some(inner)) => self
                        .running(inner, |sum, one| arithmetic(Arithmetic::Add, &sum, &one, self.context).map_err(fail))
                        .map(|value| self.kept_type(expr, value)),
                    _ => Ok(Value::Blank),
                },
            },
            ExprKind::Negate(inner) => match self.value(inner)? {
                Value::Money(money) => Ok(Value::Money(Money { amount: -money.amount, ..money })),
                Value::Percent(number) => Ok(Value::Percent(-number)),
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
                if (left.is_blank() && self.is_blank_date(a)) || (right.is_blank() && self.is_blank_date(b)) {
                    self.context.noticed.note_blank_date();
                    return Ok(Value::Blank);
                }
                for (operand, value) in [(a, &left), (b, &right)] {
                    if value.is_blank() {
                        self.note_blank_number(operand);
                    }
                }
                arithmetic(*operator, &left, &right, self.context).map_err(fail).map(|value| self.kept_type(expr, value))
            }
            ExprKind::Join(a, b) => {
                let text = |value: &Value| as_text(value, self.context).map_err(fail);
                let (left, right) = (text(&self.value(a)?)?, text(&self.value(b)?)?);
                bounded(left.len() + right.len()).map_err(fail)?;
                Ok(Value::text(left + &right))
            }
            ExprKind::Compare(comparison, a, b) => {
                let (left, right) = (self.value(a)?, self.value(b)?);
                compare(*comparison, &left, &right, self.context).map(Value::Bool).map_err(fail)
            }
            ExprKind::In(inner, list, negated) => {
                let value = self.value(inner)?;
                let mut found = false;
                for item in list {
                    found = found
                        || match self.value(item)? {
                            Value::List(items) => items.iter().any(|item| equal(&value, item)),
                            item => equal(&value, &item),
                        };
                }
                Ok(Value::Bool(found != *negated))
            }
            ExprKind::IsBlank(inner, negated) => {
                let value = match &inner.kind {
                    // A cell that does not fit its column is not blank, and no error here.
                    ExprKind::Name(name) => self.find(&name.folded, 0).map_or_else(|| self.value(inner), Ok)?,
                    _ => self.value(inner)?,
                };
                Ok(Value::Bool(value.is_blank() != *negated))
            }
            ExprKind::Print(parts) => {
                let Some((at, value)) = self.choose(parts)? else { return Ok(Value::Blank) };
                let part = &parts[at];
                if part.is_dressed() { Ok(Value::text(self.dress(part, &value)?)) } else { Ok(value) }
            }
        }
    }

    /// A field that was blank where a number is needed.
    fn note_blank_number(&self, expr: &Expr) {
        if let Some(path) = expr.path().filter(|_| self.context.noticed.asked()) {
            let path: Vec<&str> = path.iter().map(|name| name.text.as_str()).collect();
            self.context.noticed.note_blank_number(&path.join("."));
        }
    }

    /// A number that came of blanks alone has lost what its columns say: a sum of no
    /// amounts, or a blank amount times three, is nought in their currency (rule 20).
    fn kept_type(&self, expr: &Expr, value: Value) -> Value {
        match value {
            Value::Number(zero) if zero.is_zero() => match self.type_of(expr) {
                Some(Type::Money(currency)) => Value::Money(Money { amount: zero, currency }),
                Some(Type::Percent) => Value::Percent(zero),
                _ => value,
            },
            value => value,
        }
    }

    /// Works out a condition.
    pub fn holds(&self, expr: &Expr) -> Worked<bool> {
        self.value(expr).map(|value| as_condition(&value))
    }

    /// Prints a value; `None` when it is blank.
    pub fn print(&self, expr: &Expr) -> Worked<Option<String>> {
        Ok(self.print_which(expr)?.map(|shown| shown.text))
    }

    /// Prints a value, and tells which of its alternatives that is.
    pub fn print_which(&self, expr: &Expr) -> Worked<Option<Shown>> {
        if let ExprKind::Print(parts) = &expr.kind {
            return match self.choose(parts)? {
                Some((at, value)) => {
                    let text = self.dress(&parts[at], &value)?;
                    let locale = parts[at].locale.as_ref().unwrap_or(&self.context.locale);
                    Ok(Some(Shown { alternative: at, weighed: self.weigh(&value, &text, locale), text }))
                }
                None => Ok(None),
            };
        }
        let value = self.value(expr)?;
        if value.is_blank() {
            return Ok(None);
        }
        let text = plain(&value, &self.context.locale).map_err(|fault| EvalError { span: expr.span, fault })?;
        Ok(Some(Shown { alternative: 0, weighed: self.weigh(&value, &text, &self.context.locale), text }))
    }

    /// A number with what it reads as in print, where someone asks.
    fn weigh(&self, value: &Value, text: &str, locale: &Locale) -> Option<Weighed> {
        if !self.context.noticed.asked() {
            return None;
        }
        let exact = match value {
            Value::Number(number) | Value::Percent(number) => *number,
            Value::Money(money) => money.amount,
            _ => return None,
        };
        let reading = Reading::of(locale);
        let money = || read::money(text, reading).map(|m| m.amount);
        let printed = read::number(text, reading).or_else(money).or_else(|| digits_of(text, reading))?;
        Some(Weighed { exact, printed })
    }

    /// The first alternative that is not blank.
    fn choose(&self, parts: &[Part]) -> Worked<Option<(usize, Value)>> {
        for (at, part) in parts.iter().enumerate() {
            let value = self.value(&part.expr)?;
            if !value.is_blank() {
                return Ok(Some((at, value)));
            }
        }
        Ok(None)
    }

    /// Writes a value that is not blank, with its format and what stands round it.
    fn dress(&self, part: &Part, value: &Value) -> Worked<String> {
        let locale = part.locale.as_ref().unwrap_or(&self.context.locale);
        let one = |value: &Value| match &part.format {
            Some(format) => format.write(value, locale),
            None => plain(value, locale),
        };
        let written = match value {
            Value::List(items) => format::join(items, part.list.as_ref().and_then(|l| l.0.as_deref()), one),
            value => one(value),
        };
        let text = written.map_err(|fault| EvalError { span: part.expr.span, fault })?;
        Ok(match (&part.before, &part.after) {
            (None, None) => text,
            (before, after) => format!("{}{text}{}", before.as_deref().unwrap_or(""), after.as_deref().unwrap_or("")),
        })
    }

    fn is_blank_date(&self, expr: &Expr) -> bool {
        matches!(&expr.kind, ExprKind::Name(name) if self.is_date_column(name))
    }

    /// `holder.last name`: a field along a relation; of a list, that of each of
    /// its records, flat and in order.
    fn member(&self, base: &Expr, name: &Name) -> Result<Value, Reached> {
        if let ExprKind::Name(first) = &base.kind
            && let Some(value) = self.of_the_turn(first, name).or_else(|| self.built_in_member(first, name))
        {
            return Ok(value);
        }
        if let ExprKind::Name(first) = &base.kind
            && name.is_of_document(first)
            && self.find(&first.folded, 0).is_none()
        {
            return Err(Reached::Here(Fault::NoLink));
        }
        let reached = self.value(base).map_err(Reached::There)?;
        let path = || {
            let mut path = base.path()?;
            path.push(name.clone());
            self.tied_along(&path)
        };
        member_of(&reached, path().as_ref().unwrap_or(name)).map_err(Reached::Here)
    }

    /// `lines.(qty * price)`
    fn each(&self, base: &Value, inner: &Expr) -> Worked<Value> {
        let items = items(base);
        let count = items.len();
        let mut found = Vec::with_capacity(count);
        for (at, item) in items.into_iter().enumerate() {
            match self.turn(Turn::of(item, at + 1, count)).value(inner)? {
                Value::List(inner) => found.extend(inner.iter().cloned()),
                value => found.push(value),
            }
            if found.len() > MOST_ITEMS {
                return Err(EvalError { span: inner.span, fault: Fault::TooMuch });
            }
        }
        Ok(Value::List(found.into()))
    }

    // Lists.

    /// The turns of what a repeat names.
    pub fn turns(&self, expr: &Expr) -> Worked<Turns> {
        match &expr.kind {
            ExprKind::List(list) => self.list(list),
            _ => Ok(Turns::new(items(&self.value(expr)?), None)),
        }
    }

    /// `where`, `sort by`, `group by` and `first`, in this order.
    fn list(&self, list: &ListExpr) -> Worked<Turns> {
        let mut items = items(&self.value(&list.source)?);
        if let Some(filter) = &list.filter {
            let (mut kept, count) = (Vec::with_capacity(items.len()), items.len());
            for (at, item) in items.into_iter().enumerate() {
                if self.turn(Turn::of(item.clone(), at + 1, count)).holds(filter)? {
                    kept.push(item);
                }
            }
            items = kept;
        }
        if !list.sort.is_empty() {
            items = self.sorted(list, items)?;
        }
        let mut groups = match &list.group {
            None => None,
            Some(by) => {
                let (firsts, groups) = self.grouped(by, items)?;
                items = firsts;
                Some(groups)
            }
        };
        if let Some(first) = &list.first {
            let most = self.whole(first)?.unwrap_or(usize::MAX);
            items.truncate(most);
            if let Some(groups) = &mut groups {
                groups.truncate(most);
            }
        }
        Ok(Turns::new(items, groups))
    }

    /// Sorted by the keys, stable; blanks last both ways.
    fn sorted(&self, list: &ListExpr, items: Vec<Value>) -> Worked<Vec<Value>> {
        let count = items.len();
        let mut keyed = Vec::with_capacity(count);
        for (at, item) in items.into_iter().enumerate() {
            let turn = self.turn(Turn::of(item.clone(), at + 1, count));
            let keys = list.sort.iter().map(|key| turn.value(&key.expr)).collect::<Worked<Vec<Value>>>()?;
            keyed.push((keys, item));
        }
        let mut dated = Vec::with_capacity(list.sort.len());
        for (at, key) in list.sort.iter().enumerate() {
            let column = || keyed.iter().filter_map(|(keys, _)| keys.get(at));
            sortable(column(), &self.context.locale).map_err(|fault| EvalError { span: key.expr.span, fault })?;
            dated.push(column().any(is_dated));
        }
        keyed.sort_by(|(a, _), (b, _)| {
            let mut by_key = list.sort.iter().zip(&dated).zip(a.iter().zip(b)).map(|((key, dated), (a, b))| {
                a.is_blank().cmp(&b.is_blank()).then_with(|| {
                    let found = total_order(a, b, *dated, &self.context.locale);
                    if key.down && !a.is_blank() { found.reverse() } else { found }
                })
            });
            by_key.find(|o| o.is_ne()).unwrap_or(std::cmp::Ordering::Equal)
        });
        Ok(keyed.into_iter().map(|(_, item)| item).collect())
    }

    /// The first record and all records of each group, in the order in which the
    /// groups are met.
    fn grouped(&self, by: &Expr, items: Vec<Value>) -> Worked<(Vec<Value>, Vec<Value>)> {
        let count = items.len();
        let mut groups: Vec<(Value, Vec<Value>)> = Vec::new();
        for (at, item) in items.into_iter().enumerate() {
            let key = self.turn(Turn::of(item.clone(), at + 1, count)).value(by)?;
            match groups.iter_mut().find(|(own, _)| equal(own, &key) || (own.is_blank() && key.is_blank())) {
                Some((_, members)) => members.push(item),
                None => groups.push((key, vec![item])),
            }
        }
        Ok(groups.into_iter().map(|(_, members)| (members[0].clone(), Value::List(members.into()))).unzip())
    }

    /// A whole number from 0; `None` when it is blank.
    fn whole(&self, expr: &Expr) -> Worked<Option<usize>> {
        use rust_decimal::prelude::ToPrimitive;
        let value = self.value(expr)?;
        if value.is_blank() {
            return Ok(None);
        }
        let fail = |fault| EvalError { span: expr.span, fault };
        let number = as_number(&value, self.context).map_err(fail)?;
        let whole = number.to_usize().filter(|_| number.fract().is_zero());
        whole.map(Some).ok_or_else(|| {
            fail(Fault::Kind { expected: "a whole number, 0 or more", kind: value.kind(), value: number.normalize().to_string() })
        })
    }
}

/// An error on the way to a field, or at the field itself.
enum Reached {
    There(EvalError),
    Here(Fault),
}

impl Reached {
    fn at(self, expr: &Expr) -> EvalError {
        match self {
            Reached::There(error) => error,
            Reached::Here(fault) => EvalError { span: expr.span, fault },
        }
    }
}

/// What gives a turn each: a record one, blank none, a list one for each of its
/// items that is not blank.
fn items(value: &Value) -> Vec<Value> {
    match value {
        Value::List(list) => list.iter().flat_map(items).collect(),
        value if value.is_blank() => Vec::new(),
        value => vec![value.clone()],
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

/// What a printed number says between signs of currencies that are read nowhere else.
fn digits_of(text: &str, reading: Reading) -> Option<Decimal> {
    let digit = |c: char| c.is_ascii_digit();
    let number = read::number(&text[text.find(digit)?..=text.rfind(digit)?], reading)?;
    Some(if text.contains(['-', '−']) { -number } else { number })
}

#[cfg(test)]
pub(super) mod tests;
