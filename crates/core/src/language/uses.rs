//! What an expression asks of the record: each path that it looks up, and what
//! kind of value it is used as.

use serde::Serialize;

use super::error::Span;
use super::format::Format;
use super::function::{Arg, Function, Gives};
use super::syntax::{Arithmetic, Comparison, Expr, ExprKind, Kind, ListExpr, Name, Symbology};
use crate::value::{Currency, Value};

/// What a value is used as; the later ones tell more.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum UsedAs {
    /// Anything that prints.
    Value,
    /// Yes or no.
    YesNo,
    /// Text.
    Text,
    /// A number.
    Number,
    /// An amount of money.
    Money,
    /// A date.
    Date,
    /// A picture.
    Picture,
    /// A record with fields of its own.
    Record,
    /// A list of records or values.
    List,
}

/// One look at a field.
#[derive(Debug)]
pub struct Use<'a> {
    /// The name that the search begins with.
    pub name: &'a Name,
    /// The names along its relations.
    pub rest: Vec<&'a Name>,
    /// What it is used as.
    pub used: UsedAs,
    /// The currency that its amount is printed in.
    pub currency: Option<Currency>,
    /// Where it stands.
    pub span: Span,
}

/// Where a name is looked up: the lists that it stands within, outermost first;
/// `None` for one that is no plain path.
pub type Within = [Option<Vec<Name>>];

impl Kind {
    /// Visits every path that the placeholder looks up, in reading order.
    pub fn uses<'a>(&'a self, within: &mut Vec<Option<Vec<Name>>>, visit: &mut dyn FnMut(Use<'a>, &Within)) {
        let used = match self {
            Kind::If(_) | Kind::ElseIf(_) | Kind::Keep(..) | Kind::KeepElseIf(..) => UsedAs::YesNo,
            Kind::Repeat(..) => UsedAs::List,
            Kind::Picture(..) => UsedAs::Picture,
            Kind::Barcode(code) if code.symbology == Symbology::Payment => UsedAs::Money,
            Kind::Barcode(_) => UsedAs::Text,
            _ => UsedAs::Value,
        };
        for (index, expr) in self.exprs().into_iter().enumerate() {
            expr.uses(if index == 0 { used } else { UsedAs::Text }, within, visit);
        }
    }
}

impl Expr {
    /// Visits every path that the expression looks up, in reading order, with
    /// the lists that it stands within; `within` is what encloses the expression.
    pub fn uses<'a>(&'a self, used: UsedAs, within: &mut Vec<Option<Vec<Name>>>, visit: &mut dyn FnMut(Use<'a>, &Within)) {
        use UsedAs::{Date, List, Number, Text, YesNo};
        match &self.kind {
            ExprKind::Literal(_) | ExprKind::Outer(..) => {}
            ExprKind::Name(name) => visit(Use { name, rest: Vec::new(), used, currency: None, span: self.span }, within),
            // What the language knows itself asks nothing of the record.
            ExprKind::Member(base, name) if matches!(&base.kind, ExprKind::Name(first) if name.is_of_document(first)) => {}
            ExprKind::Member(..) => self.member_uses(used, within, visit),
            ExprKind::Call(function, arguments) => {
                for (index, argument) in arguments.iter().enumerate() {
                    if let Some(argument) = argument {
                        argument.uses(argument_of(function, index, used), within, visit);
                    }
                }
            }
            ExprKind::Negate(x) | ExprKind::Percent(x) => x.uses(Number.max(used.min(UsedAs::Money)), within, visit),
            ExprKind::Not(x) => x.uses(YesNo, within, visit),
            ExprKind::IsBlank(x, _) => x.uses(UsedAs::Value, within, visit),
            ExprKind::Logic(_, a, b) => [a, b].into_iter().for_each(|x| x.uses(YesNo, within, visit)),
            ExprKind::Join(a, b) => [a, b].into_iter().for_each(|x| x.uses(Text, within, visit)),
            ExprKind::Arithmetic(operator, a, b) => {
                let of = |x: &Expr, other: &Expr| match operator {
                    Arithmetic::Add | Arithmetic::Subtract if x.is_date() => Date,
                    Arithmetic::Subtract if other.is_date() => Date,
                    _ => Number,
                };
                a.uses(if used == Date && !a.is_date() { Date } else { of(a, b) }, within, visit);
                b.uses(of(b, a), within, visit);
            }
            ExprKind::Compare(comparison, a, b) => {
                let texts = matches!(comparison, Comparison::Contains | Comparison::StartsWith | Comparison::EndsWith);
                let ordered = !matches!(comparison, Comparison::Equal | Comparison::Unequal) && !texts;
                let of = |other: &Expr| match other.told() {
                    Some(told) if !texts => told,
                    _ if texts => Text,
                    _ if ordered => Number,
                    _ => UsedAs::Value,
                };
                a.uses(of(b), within, visit);
                b.uses(of(a), within, visit);
            }
            ExprKind::In(x, list, _) => {
                let told = list.iter().find_map(Expr::told).unwrap_or(UsedAs::Value);
                x.uses(told, within, visit);
                list.iter().for_each(|item| item.uses(UsedAs::Value, within, visit));
            }
            ExprKind::Print(parts) => {
                for part in parts {
                    let used = match (&part.format, &part.list) {
                        (_, Some(_)) => List,
                        (Some(format), None) => written_as(format),
                        (None, None) => used,
                    };
                    match part.format {
                        Some(Format::Money(Some(currency))) => part.expr.uses(used, within, &mut |found, within| {
                            let currency = found.currency.or((found.used == UsedAs::Money).then_some(currency));
                            visit(Use { currency, ..found }, within);
                        }),
                        _ => part.expr.uses(used, within, visit),
                    }
                }
            }
            ExprKind::List(list) => list.uses(within, visit),
            ExprKind::Each(base, inner) => {
                base.uses(List, within, visit);
                within.push(base.path());
                inner.uses(used, within, visit);
                within.pop();
            }
        }
    }

    fn member_uses<'a>(&'a self, used: UsedAs, within: &mut Vec<Option<Vec<Name>>>, visit: &mut dyn FnMut(Use<'a>, &Within)) {
        let mut rest = Vec::new();
        let mut at = self;
        while let ExprKind::Member(base, name) = &at.kind {
            rest.insert(0, name);
            at = base;
        }
        match &at.kind {
            ExprKind::Name(name) if name.is_of_the_turn() => {}
            ExprKind::Name(name) => visit(Use { name, rest, used, currency: None, span: at.span }, within),
            _ => at.uses(UsedAs::Value, within, visit),
        }
    }

    /// What a literal or a built-in name tells of what stands beside it.
    fn told(&self) -> Option<UsedAs> {
        match &self.kind {
            ExprKind::Literal(Value::Text(_)) => Some(UsedAs::Text),
            ExprKind::Literal(Value::Number(_)) => Some(UsedAs::Number),
            ExprKind::Literal(Value::Bool(_)) => Some(UsedAs::YesNo),
            ExprKind::Negate(x) | ExprKind::Percent(x) => x.told(),
            ExprKind::Print(parts) => parts.first()?.expr.told(),
            _ if self.is_date() => Some(UsedAs::Date),
            ExprKind::Arithmetic(..) => Some(UsedAs::Number),
            _ => None,
        }
    }

    fn is_date(&self) -> bool {
        match &self.kind {
            ExprKind::Literal(value) => matches!(value, Value::Date(_) | Value::DateTime(_)),
            ExprKind::Name(name) => !name.quoted && ["today", "now"].contains(&name.folded.as_str()),
            ExprKind::Call(function, _) => function.gives == Gives::Date,
            ExprKind::Arithmetic(Arithmetic::Add, a, b) => a.is_date() || b.is_date(),
            ExprKind::Arithmetic(Arithmetic::Subtract, a, b) => a.is_date() && !b.is_date(),
            ExprKind::Print(parts) => parts.len() == 1 && parts[0].expr.is_date(),
            _ => false,
        }
    }
}

impl ListExpr {
    fn uses<'a>(&'a self, within: &mut Vec<Option<Vec<Name>>>, visit: &mut dyn FnMut(Use<'a>, &Within)) {
        self.source.uses(UsedAs::List, within, visit);
        within.push(self.source.path());
        if let Some(filter) = &self.filter {
            filter.uses(UsedAs::YesNo, within, visit);
        }
        self.sort.iter().map(|k| &k.expr).chain(&self.group).for_each(|e| e.uses(UsedAs::Value, within, visit));
        within.pop();
        if let Some(first) = &self.first {
            first.uses(UsedAs::Number, within, visit);
        }
    }
}

/// What a format can write.
fn written_as(format: &Format) -> UsedAs {
    match format {
        Format::Number(_) | Format::Percent(_) | Format::Words => UsedAs::Number,
        Format::Money(_) => UsedAs::Money,
        Format::Date(_) | Format::Pattern(_) | Format::Time => UsedAs::Date,
        Format::YesNo(_) => UsedAs::YesNo,
        Format::Upper | Format::Lower | Format::Title | Format::Phone(_) => UsedAs::Text,
    }
}

/// What an argument of a function is used as, where its result is used as `used`.
fn argument_of(function: &Function, index: usize, used: UsedAs) -> UsedAs {
    match function.takes.at(index) {
        Arg::As(own) => own,
        Arg::Result => used,
        Arg::Amount => UsedAs::Number.max(used.min(UsedAs::Money)),
    }
}

#[cfg(test)]
mod tests {
    use crate::language::kind_with_errors;

    fn uses(text: &str) -> Vec<String> {
        let (kind, _) = kind_with_errors(text);
        let mut found = Vec::new();
        kind.expect("a placeholder").uses(&mut Vec::new(), &mut |u, within| {
            let path: Vec<&str> = std::iter::once(u.name).chain(u.rest).map(|n| n.text.as_str()).collect();
            let lists: Vec<String> =
                within.iter().map(|l| l.iter().flatten().map(|n| n.text.as_str()).collect::<Vec<_>>().join(".")).collect();
            found.push(format!("{} {:?} {}", path.join("."), u.used, lists.join("/")).trim_end().to_owned());
        });
        found
    }

    #[test]
    fn what_a_value_is_used_as_is_seen_from_its_format_and_its_neighbours() {
        assert_eq!(uses(" balance as money \"EUR\""), ["balance Money"]);
        assert_eq!(uses(" holder.last name as upper"), ["holder.last name Text"]);
        assert_eq!(uses("if liveaboard"), ["liveaboard YesNo"]);
        assert_eq!(uses("if due < today and loa > 12 and status = \"late\""), ["due Date", "today Number", "loa Number", "status Text"]);
        assert_eq!(uses(" today - due"), ["today Date", "due Date"]);
        assert_eq!(uses(" round(net * 20%; 2)"), ["net Number"]);
        assert_eq!(uses("picture photo height 4cm"), ["photo Picture"]);
        assert_eq!(uses("barcode payment of total with name = office"), ["total Money", "office Text"]);
        assert_eq!(uses(" mobile else home phone"), ["mobile Value", "home phone Value"]);
        assert_eq!(uses(" year(since)"), ["since Date"]);
        assert_eq!(uses(" left(name; count)"), ["name Text", "count Number"]);
    }

    #[test]
    fn lists_lead_to_the_fields_of_their_records() {
        assert_eq!(
            uses("repeat for cases.lines where qty > 0 sort by section"),
            ["cases.lines List", "qty Number cases.lines", "section Value cases.lines"]
        );
        assert_eq!(uses(" sum(lines.(qty * price)) as money \"EUR\""), ["lines List", "qty Number lines", "price Number lines"]);
        assert_eq!(uses(" count(lines)"), ["lines List"]);
        assert_eq!(uses(" turn.number"), Vec::<String>::new());
    }
}
