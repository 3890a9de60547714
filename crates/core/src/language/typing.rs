//! The type that an expression gives, told from the columns that it reads and the
//! functions that it calls, before any record is looked at. A computed column takes its
//! type from here, the checker compares by it, and a sum of nothing keeps its currency.

use super::function::{Arg, Function, Gives};
use super::name::Folded;
use super::scope::Ties;
use super::syntax::{Arithmetic, Expr, ExprKind, Name, Part};
use super::uses::UsedAs;
use crate::records::{Column, ColumnType, Schema};
use crate::value::{Currency, Value};

/// What is known of a value's type.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Type {
    Text,
    Number,
    Money(Currency),
    Percent,
    Date,
    Time,
    YesNo,
    Record,
    /// A list of records.
    Records,
    /// A list of plain values.
    Values,
}

impl Type {
    /// What a column holds.
    pub(crate) fn of(column: &Column) -> Type {
        match column.kind {
            ColumnType::List if column.inner.is_some() => Type::Records,
            kind => Type::of_kind(kind),
        }
    }

    fn of_kind(kind: ColumnType) -> Type {
        match kind {
            ColumnType::Text | ColumnType::Email => Type::Text,
            ColumnType::Number => Type::Number,
            ColumnType::Money(currency) => Type::Money(currency),
            ColumnType::Percent => Type::Percent,
            ColumnType::Date => Type::Date,
            ColumnType::Time => Type::Time,
            ColumnType::YesNo => Type::YesNo,
            ColumnType::Record => Type::Record,
            ColumnType::List => Type::Values,
        }
    }

    fn of_value(value: &Value) -> Option<Type> {
        Some(match value {
            Value::Text(_) => Type::Text,
            Value::Number(_) => Type::Number,
            Value::Money(money) => Type::Money(money.currency),
            Value::Percent(_) => Type::Percent,
            Value::Date(_) | Value::DateTime(_) => Type::Date,
            Value::Bool(_) => Type::YesNo,
            _ => return None,
        })
    }

    /// The column type that holds such values; a record or a list has none.
    pub(crate) fn column(self) -> Option<ColumnType> {
        Some(match self {
            Type::Text => ColumnType::Text,
            Type::Number => ColumnType::Number,
            Type::Money(currency) => ColumnType::Money(currency),
            Type::Percent => ColumnType::Percent,
            Type::Date => ColumnType::Date,
            Type::Time => ColumnType::Time,
            Type::YesNo => ColumnType::YesNo,
            Type::Record | Type::Records | Type::Values => return None,
        })
    }

    /// Whether it counts: a number, a percentage or an amount.
    pub(crate) fn is_number(self) -> bool {
        matches!(self, Type::Number | Type::Money(_) | Type::Percent)
    }

    /// Whether it is a record or a list.
    pub(crate) fn is_nested(self) -> bool {
        matches!(self, Type::Record | Type::Records | Type::Values)
    }

    /// With its article, for messages.
    pub(crate) fn words(self) -> &'static str {
        match self {
            Type::Text => "text",
            Type::Number => "a number",
            Type::Money(_) => "an amount",
            Type::Percent => "a percentage",
            Type::Date => "a date",
            Type::Time => "a time",
            Type::YesNo => "yes or no",
            Type::Record => "a record",
            Type::Records => "a list of records",
            Type::Values => "a list",
        }
    }

    /// The type of a value that is either the one or the other; a plain number beside an
    /// amount of money is in its currency.
    fn or(self, other: Type) -> Option<Type> {
        match (self, other) {
            (a, b) if a == b => Some(a),
            (Type::Money(_), Type::Money(_)) => None,
            (money @ Type::Money(_), b) | (b, money @ Type::Money(_)) if b.is_number() => Some(money),
            (a, b) if a.is_number() && b.is_number() => Some(Type::Number),
            _ => None,
        }
    }
}

/// Where names get their types.
#[derive(Debug)]
pub(crate) struct Names<'s> {
    /// The schemas in which names are looked up, the innermost last.
    pub(crate) levels: Vec<&'s Schema>,
    pub(crate) ties: &'s Ties,
}

impl<'s> Names<'s> {
    pub(crate) fn column(&self, name: &Folded) -> Option<&'s Column> {
        let tied = self.ties.resolve(name);
        self.levels.iter().rev().find_map(|level| level.column(tied).or_else(|| level.column(name)))
    }

    fn is_group(&self, name: &Name) -> bool {
        name.is_of_the_turn() && name.folded.as_str() == "group" && self.levels.len() > 1
    }

    /// The columns of the record, or of the records, that an expression gives.
    pub(crate) fn schema_of(&self, expr: &Expr) -> Option<&'s Schema> {
        match &expr.kind {
            ExprKind::Name(name) if self.is_group(name) => self.levels.last().copied(),
            ExprKind::Name(name) => self.column(&name.folded)?.inner.as_deref(),
            ExprKind::Member(base, name) => self.schema_of(base)?.column(&name.folded)?.inner.as_deref(),
            ExprKind::List(list) => self.schema_of(&list.source),
            ExprKind::Print(parts) => match parts.as_slice() {
                [only] => self.schema_of(&only.expr),
                _ => None,
            },
            _ => None,
        }
    }

    /// What is done with the names of the records of a list.
    pub(crate) fn within(&self, source: &Expr) -> Option<Names<'s>> {
        let mut levels = self.levels.clone();
        levels.push(self.schema_of(source)?);
        Some(Names { levels, ties: self.ties })
    }

    /// The type of an expression; `None` where it can't be told.
    pub(crate) fn of(&self, expr: &Expr) -> Option<Type> {
        match &expr.kind {
            ExprKind::Literal(value) => Type::of_value(value),
            ExprKind::Name(name) if self.is_group(name) => Some(Type::Records),
            ExprKind::Name(name) => match self.column(&name.folded) {
                Some(column) => Some(Type::of(column)),
                None => (name.is_built_in() && ["today", "now"].contains(&name.folded.as_str())).then_some(Type::Date),
            },
            ExprKind::Member(base, name) => {
                let column = self.schema_of(base)?.column(&name.folded)?;
                match self.of(base)? {
                    Type::Record => Some(Type::of(column)),
                    // Along a list the values of a field are a list themselves.
                    _ if column.inner.is_some() => Some(Type::Records),
                    _ => Some(Type::Values),
                }
            }
            ExprKind::Each(..) => Some(Type::Values),
            ExprKind::List(list) => self.of(&list.source),
            ExprKind::Print(parts) => self.printed(parts),
            ExprKind::Call(function, arguments) => self.call(function, arguments),
            ExprKind::Negate(inner) => Some(self.of(inner).filter(|t| t.is_number()).unwrap_or(Type::Number)),
            ExprKind::Percent(inner) => Some(self.of(inner).filter(|t| matches!(t, Type::Money(_))).unwrap_or(Type::Number)),
            ExprKind::Arithmetic(operator, a, b) => calculated(*operator, self.of(a), self.of(b)),
            ExprKind::Compare(..) | ExprKind::Logic(..) | ExprKind::Not(_) | ExprKind::In(..) | ExprKind::IsBlank(..) => Some(Type::YesNo),
            ExprKind::Join(..) => Some(Type::Text),
            ExprKind::Outer(..) => None,
        }
    }

    /// The type of an expression's value, or of each of its values where it is a list.
    fn item(&self, expr: &Expr) -> Option<Type> {
        let column = match &expr.kind {
            ExprKind::Name(name) if !self.is_group(name) => self.column(&name.folded),
            ExprKind::Member(base, name) => self.schema_of(base).and_then(|schema| schema.column(&name.folded)),
            ExprKind::Each(base, inner) => return self.within(base)?.item(inner),
            ExprKind::List(list) => return self.item(&list.source),
            _ => None,
        };
        match column {
            Some(column) if column.kind == ColumnType::List && column.inner.is_none() => column.items.map(Type::of_kind),
            Some(column) => Some(Type::of(column)),
            None => self.of(expr),
        }
    }

    /// `a else b`: what they share; text where one of them is written with a format.
    fn printed(&self, parts: &[Part]) -> Option<Type> {
        let own = |part: &Part| match part.is_dressed() {
            true => Some(Type::Text),
            false => self.of(&part.expr),
        };
        self.shared(parts.iter().filter(|part| !is_no_text(&part.expr)).map(own))
    }

    fn shared(&self, mut types: impl Iterator<Item = Option<Type>>) -> Option<Type> {
        let first = types.next()??;
        types.try_fold(first, |known, own| known.or(own?))
    }

    fn call(&self, function: &Function, arguments: &[Option<Expr>]) -> Option<Type> {
        match function.gives {
            Gives::Text => Some(Type::Text),
            Gives::Number => Some(Type::Number),
            Gives::Date => Some(Type::Date),
            Gives::Time => Some(Type::Time),
            Gives::YesNo => Some(Type::YesNo),
            Gives::Item(places) => places.iter().find_map(|at| arguments.get(*at)?.as_ref()).and_then(|a| self.item(a)),
            Gives::Amount => {
                let amounts = arguments.iter().enumerate().filter(|(at, _)| function.takes.at(*at) == Arg::Amount);
                let types = amounts.filter_map(|(_, argument)| argument.as_ref()).map(|argument| match self.item(argument) {
                    Some(own) if own.is_number() || own == Type::Date => own,
                    _ => Type::Number,
                });
                self.shared(types.map(Some)).or(Some(Type::Number))
            }
            Gives::Result => {
                let results = arguments.iter().enumerate().filter(|(at, _)| function.takes.at(*at) == Arg::Result);
                let results = results.filter_map(|(_, argument)| argument.as_ref()).filter(|argument| !is_no_text(argument));
                // Without its last argument IF gives no.
                let without = (function.name == "IF" && arguments.len() == 2).then_some(Some(Type::YesNo));
                self.shared(results.map(|argument| self.of(argument)).chain(without))
            }
        }
    }
}

/// `""`, which stands for blank beside values of any type.
fn is_no_text(expr: &Expr) -> bool {
    matches!(&expr.kind, ExprKind::Literal(value) if value.is_blank())
}

/// The type of a calculation (rule 20); text in it is read as a number.
fn calculated(operator: Arithmetic, a: Option<Type>, b: Option<Type>) -> Option<Type> {
    use Arithmetic::{Add, Divide, Multiply, Power, Subtract};
    match (operator, a, b) {
        (Divide, Some(Type::Money(_)), Some(Type::Money(_))) => Some(Type::Number),
        (_, Some(Type::Money(a)), Some(Type::Money(b))) => (a == b).then_some(Type::Money(a)),
        (_, Some(money @ Type::Money(_)), _) => Some(money),
        (Add | Subtract | Multiply, _, Some(money @ Type::Money(_))) => Some(money),
        (Subtract, Some(Type::Date), Some(Type::Date)) => Some(Type::Number),
        (Add | Subtract, Some(Type::Date), Some(_)) | (Add, Some(_), Some(Type::Date)) => Some(Type::Date),
        (Add | Subtract, Some(Type::Percent), Some(Type::Percent)) => Some(Type::Percent),
        (Add | Subtract, Some(_), Some(_)) | (Multiply | Divide | Power, ..) => Some(Type::Number),
        _ => None,
    }
}

impl Expr {
    /// Whether its value changes with the day: it names the clock, or calls a function
    /// that reads it. A column of that name comes first.
    pub(crate) fn reads_clock(&self, schema: &Schema) -> bool {
        let mut reads = self.calls(&|function| ["TODAY", "NOW"].contains(&function.name));
        self.uses(UsedAs::Value, &mut Vec::new(), &mut |used, _| {
            let name = used.name;
            let clock = !name.quoted && ["today", "now"].contains(&name.folded.as_str());
            reads |= clock && schema.column(&name.folded).is_none();
        });
        reads
    }

    /// Whether it calls such a function anywhere.
    fn calls(&self, wanted: &dyn Fn(&Function) -> bool) -> bool {
        matches!(&self.kind, ExprKind::Call(function, _) if wanted(function)) || self.parts().iter().any(|part| part.calls(wanted))
    }

    /// The expressions that it is made of.
    fn parts(&self) -> Vec<&Expr> {
        match &self.kind {
            ExprKind::Literal(_) | ExprKind::Name(_) | ExprKind::Outer(..) => Vec::new(),
            ExprKind::Member(x, _) | ExprKind::Negate(x) | ExprKind::Percent(x) | ExprKind::Not(x) | ExprKind::IsBlank(x, _) => vec![x],
            ExprKind::Call(_, arguments) => arguments.iter().flatten().collect(),
            ExprKind::Logic(_, a, b)
            | ExprKind::Arithmetic(_, a, b)
            | ExprKind::Join(a, b)
            | ExprKind::Compare(_, a, b)
            | ExprKind::Each(a, b) => vec![a, b],
            ExprKind::In(x, list, _) => std::iter::once(&**x).chain(list).collect(),
            ExprKind::Print(parts) => parts.iter().map(|part| &part.expr).collect(),
            ExprKind::List(list) => {
                let keys = list.sort.iter().map(|key| &key.expr);
                std::iter::once(&list.source).chain(&list.filter).chain(keys).chain(&list.group).chain(&list.first).collect()
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::language::value;
    use crate::records::from_json;

    fn type_of(text: &str) -> Option<Type> {
        let json = serde_json::json!({
            "Ref": "BQ-1", "Qty": 2, "Due": "2026-09-30", "Liveaboard": true, "Tags": ["a"],
            "Owner": { "Name": "Quayle", "Since": "2020-01-01", "Deposit": 1 },
            "Lines": [{ "Qty": 2, "Item": "Zinc", "Price": 3, "Parts": [{ "Weight": 3 }] }],
        });
        let sheet = from_json("cases", &json).expect("a case");
        let mut columns = sheet.schema.columns().to_vec();
        columns.push(Column::new("Fee", ColumnType::Money(Currency::EUR)));
        columns.push(Column::new("Fare", ColumnType::Money(Currency::GBP)));
        columns.push(Column::new("Discount", ColumnType::Percent));
        let lines = columns.iter_mut().find(|c| c.name == "Lines").expect("lines");
        let mut inner = lines.inner.as_deref().expect("columns").columns().to_vec();
        inner.push(Column::new("Amount", ColumnType::Money(Currency::GBP)));
        lines.inner = Some(std::sync::Arc::new(Schema::new(inner).expect("lines")));
        let schema = Schema::new(columns).expect("names");
        let ties = Ties::new([("yearly", "Fee")]);
        Names { levels: vec![&schema], ties: &ties }.of(&value(text).expect(text))
    }

    #[test]
    fn money_stays_money_through_what_is_calculated_of_it() {
        let (euro, pound) = (Some(Type::Money(Currency::EUR)), Some(Type::Money(Currency::GBP)));
        for text in ["fee * 2", "2 * fee", "fee + 0", "-fee", "round(fee / 3; 2)", "yearly", "max(fee; 5)", "fee else 0", "fee * discount"]
        {
            assert_eq!(type_of(text), euro, "{text}");
        }
        for text in [
            "sum(lines.amount)",
            "sum(lines.(qty * amount)) * (1 - discount)",
            "if(count(lines) > 0; sum(lines.amount); \"\")",
            "ifs(qty > 3; fare; true; 0)",
            "sumif(lines.item; \"Zinc\"; lines.amount)",
            "index(lines.amount; 1)",
            "sum((lines where qty > 0).amount)",
        ] {
            assert_eq!(type_of(text), pound, "{text}");
        }
        assert_eq!(type_of("fee / fee"), Some(Type::Number));
        assert_eq!(type_of("if(qty > 1; fee; fare)"), None, "two currencies share no type");
    }

    #[test]
    fn every_kind_of_expression_has_the_type_that_it_gives() {
        for (text, wanted) in [
            ("qty + 1", Type::Number),
            ("sum(lines.qty)", Type::Number),
            ("due + 14", Type::Date),
            ("today - due", Type::Number),
            ("today + time(9; 30; 0)", Type::Date),
            ("time(9; 30; 0)", Type::Time),
            ("edate(due; 1)", Type::Date),
            ("max(due; today)", Type::Date),
            ("discount + discount", Type::Percent),
            ("discount * 100", Type::Number),
            ("qty > 3", Type::YesNo),
            ("TRUE()", Type::YesNo),
            ("ref & \"!\"", Type::Text),
            ("fee as money", Type::Text),
            ("owner.since", Type::Date),
            ("owner", Type::Record),
            ("lines.parts", Type::Records),
            ("lines.item", Type::Values),
            ("join(lines.item)", Type::Text),
        ] {
            assert_eq!(type_of(text), Some(wanted), "{text}");
        }
    }

    #[test]
    fn the_clock_is_read_where_it_is_named_or_called_and_nowhere_else() {
        let schema = Schema::new(vec![Column::new("Today", ColumnType::Text), Column::new("Known", ColumnType::Text)]).expect("names");
        let reads = |text: &str| value(text).expect(text).reads_clock(&schema);
        assert!(reads("year(now)") && reads("if(known = \"x\"; TODAY(); 1)"));
        assert!(!reads("known & \" today\"") && !reads("today") && !reads("'now'"));
    }
}
