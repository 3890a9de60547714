//! What columns tell of an expression before any record is looked at: types that
//! can't be compared, lists where one value is needed, fields that are hidden.

use super::check::Mark;
use super::error::Span;
use super::kind_with_errors;
use super::name::Folded;
use super::scope::Ties;
use super::syntax::{Arithmetic, Comparison, Expr, ExprKind, Kind, ListExpr, Name};
use crate::records::{Column, ColumnType, Schema};
use crate::template::Placeholder;
use crate::value::Value;

/// What is known of a value's type.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Known {
    Text,
    /// Also money.
    Number,
    Date,
    YesNo,
    Record,
    /// A list of records.
    Records,
    /// A list of plain values.
    Values,
}

impl Known {
    fn of(column: &Column) -> Known {
        match column.kind {
            ColumnType::Text | ColumnType::Email => Known::Text,
            ColumnType::Number | ColumnType::Money(_) => Known::Number,
            ColumnType::Date => Known::Date,
            ColumnType::YesNo => Known::YesNo,
            ColumnType::Record => Known::Record,
            ColumnType::List if column.inner.is_some() => Known::Records,
            ColumnType::List => Known::Values,
        }
    }

    fn words(self) -> &'static str {
        match self {
            Known::Text => "text",
            Known::Number => "a number",
            Known::Date => "a date",
            Known::YesNo => "yes or no",
            Known::Record => "a record",
            Known::Records => "a list of records",
            Known::Values => "a list",
        }
    }
}

/// What the columns tell of a template's placeholders: each with its place among
/// them.
pub fn template_marks(placeholders: &[Placeholder], schema: &Schema, ties: &Ties) -> Vec<(usize, Mark)> {
    let mut found = Vec::new();
    for (index, placeholder) in placeholders.iter().enumerate() {
        let Some(inner) = placeholder.text.strip_prefix("[:").and_then(|t| t.strip_suffix(']')) else { continue };
        let (Some(kind), _) = kind_with_errors(inner) else { continue };
        // The names that stand outside of its own lists tell which lists are around it.
        let Some(around) = placeholder.names.iter().map(|n| &n.within).min_by_key(|w| w.len()) else { continue };
        let Some(levels) = schema.levels(around) else { continue };
        found.extend(kind_marks(&kind, levels, ties).into_iter().map(|mark| (index, mark)));
    }
    found
}

/// What the columns tell of one placeholder, or of an expression alone.
pub(super) fn kind_marks(kind: &Kind, levels: Vec<&Schema>, ties: &Ties) -> Vec<Mark> {
    let mut checker = Checker { levels, ties, marks: Vec::new() };
    for expr in kind.exprs() {
        checker.walk(expr);
        if let Kind::Print(expr) = kind {
            checker.printed(expr);
        }
    }
    checker.marks
}

struct Checker<'s> {
    /// The schemas in which names are looked up, the innermost last.
    levels: Vec<&'s Schema>,
    ties: &'s Ties,
    marks: Vec<Mark>,
}

impl<'s> Checker<'s> {
    fn mark(&mut self, hint: bool, code: &'static str, span: Span, message: String) {
        self.marks.push(Mark { hint, code, message, span });
    }

    fn column(&self, name: &Folded) -> Option<&'s Column> {
        let tied = self.ties.resolve(name);
        self.levels.iter().rev().find_map(|level| level.column(tied).or_else(|| level.column(name)))
    }

    /// The column that a path leads to.
    fn path(&self, path: &[Name]) -> Option<&'s Column> {
        let (first, rest) = path.split_first()?;
        if first.is_of_the_turn() && self.levels.len() > 1 {
            return None;
        }
        rest.iter().try_fold(self.column(&first.folded)?, |column, name| column.inner.as_deref()?.column(&name.folded))
    }

    fn known(&self, expr: &Expr) -> Option<Known> {
        match &expr.kind {
            ExprKind::Literal(value) => Some(match value {
                Value::Text(_) => Known::Text,
                Value::Number(_) | Value::Money(_) => Known::Number,
                Value::Date(_) | Value::DateTime(_) => Known::Date,
                Value::Bool(_) => Known::YesNo,
                _ => return None,
            }),
            ExprKind::Name(name) if self.column(&name.folded).is_none() => {
                (name.is_built_in() && ["today", "now"].contains(&name.folded.as_str())).then_some(Known::Date)
            }
            ExprKind::Name(_) => self.path(&expr.path()?).map(Known::of),
            // Along a list the values of a field are a list themselves.
            ExprKind::Member(base, _) => match self.known(base)? {
                Known::Record => self.path(&expr.path()?).map(Known::of),
                _ => None,
            },
            ExprKind::List(list) => self.known(&list.source),
            ExprKind::Print(parts) => match parts.as_slice() {
                [only] if only.format.is_none() => self.known(&only.expr),
                _ => None,
            },
            ExprKind::Arithmetic(Arithmetic::Multiply | Arithmetic::Divide | Arithmetic::Power, ..) | ExprKind::Percent(_) => {
                Some(Known::Number)
            }
            ExprKind::Compare(..) | ExprKind::Logic(..) | ExprKind::Not(_) | ExprKind::In(..) | ExprKind::IsBlank(..) => Some(Known::YesNo),
            ExprKind::Join(..) => Some(Known::Text),
            _ => None,
        }
    }

    /// A list of records can't be printed.
    fn printed(&mut self, expr: &Expr) {
        let parts: Vec<&Expr> = match &expr.kind {
            ExprKind::Print(parts) => parts.iter().map(|p| &p.expr).collect(),
            _ => vec![expr],
        };
        for part in parts {
            let Some(known @ (Known::Record | Known::Records)) = self.known(part) else { continue };
            let shown = part.path().map_or(String::new(), |p| p.iter().map(|n| n.text.as_str()).collect::<Vec<_>>().join("."));
            let remedy = match known {
                Known::Record => format!("choose one of its fields: “{shown}.…”"),
                _ => format!("put [:repeat for {shown}] … [:end] round what is printed of each"),
            };
            self.mark(false, "list-as-value", part.span, format!("“{shown}” is {}; {remedy}", known.words()));
        }
    }

    fn one_value(&mut self, expr: &Expr) {
        if let Some(known @ (Known::Record | Known::Records | Known::Values)) = self.known(expr) {
            let message = format!(
                "one value is needed here, and this is {}; take one of its fields, or a function such as sum or join",
                known.words()
            );
            self.mark(false, "list-as-value", expr.span, message);
        }
    }

    fn walk(&mut self, expr: &Expr) {
        match &expr.kind {
            ExprKind::Literal(_) | ExprKind::Outer(..) => {}
            ExprKind::Name(name) => self.hidden(name, expr.span),
            ExprKind::Member(base, _) => self.walk(base),
            ExprKind::Call(_, arguments) => arguments.iter().flatten().for_each(|a| self.walk(a)),
            ExprKind::Negate(x) | ExprKind::Percent(x) => {
                self.one_value(x);
                self.walk(x);
            }
            ExprKind::Not(x) | ExprKind::IsBlank(x, _) => self.walk(x),
            ExprKind::Logic(_, a, b) | ExprKind::Join(a, b) => [a, b].into_iter().for_each(|x| self.walk(x)),
            ExprKind::Arithmetic(_, a, b) => {
                for x in [a, b] {
                    self.one_value(x);
                    self.walk(x);
                }
            }
            ExprKind::Compare(comparison, a, b) => {
                self.compared(*comparison, a, b, expr.span);
                [a, b].into_iter().for_each(|x| self.walk(x));
            }
            ExprKind::In(x, list, _) => {
                self.walk(x);
                list.iter().for_each(|item| self.walk(item));
            }
            ExprKind::Print(parts) => parts.iter().for_each(|p| self.walk(&p.expr)),
            ExprKind::List(list) => self.list(list),
            ExprKind::Each(base, inner) => {
                self.walk(base);
                self.within(base, |own| own.walk(inner));
            }
        }
    }

    fn list(&mut self, list: &ListExpr) {
        self.walk(&list.source);
        self.within(&list.source, |own| {
            list.filter.iter().chain(list.sort.iter().map(|k| &k.expr)).chain(&list.group).for_each(|e| own.walk(e));
        });
    }

    /// Goes on within the records of a list, where its columns are known.
    fn within(&mut self, source: &Expr, work: impl FnOnce(&mut Self)) {
        let inner = source.path().and_then(|path| self.path(&path)).and_then(|column| column.inner.as_deref());
        if let Some(inner) = inner {
            self.levels.push(inner);
            work(self);
            self.levels.pop();
        }
    }

    /// Unlike types are never equal and have no order (rule 18). Text in ISO form
    /// counts as a date beside a date; a text column may hold such.
    fn compared(&mut self, comparison: Comparison, a: &Expr, b: &Expr, span: Span) {
        if matches!(comparison, Comparison::Contains | Comparison::StartsWith | Comparison::EndsWith) {
            return;
        }
        let (Some(left), Some(right)) = (self.known(a), self.known(b)) else { return };
        let lists = [left, right].iter().any(|k| matches!(k, Known::Record | Known::Records | Known::Values));
        if left == right || lists || matches!((left, right), (Known::Date, Known::Text) | (Known::Text, Known::Date)) {
            return;
        }
        let (left, right) = (left.words(), right.words());
        match comparison {
            Comparison::Equal | Comparison::Unequal => {
                self.mark(true, "unlike-types", span, format!("{left} is never equal to {right}; correct the column's type, or the value"));
            }
            _ => {
                self.mark(false, "unlike-types", span, format!("{left} and {right} have no order; correct the column's type, or the value"))
            }
        }
    }

    /// `turn` and `group` come before fields within a list.
    fn hidden(&mut self, name: &Name, span: Span) {
        if name.is_of_the_turn() && self.levels.len() > 1 && self.column(&name.folded).is_some() {
            let message = format!("this is the {0} at hand, not the field of that name; write '{0}' in quotes for the field", name.text);
            self.mark(true, "hidden-field", span, message);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::records::from_json;
    use crate::template::TextTemplate;

    fn marks(text: &str) -> Vec<String> {
        let json = serde_json::json!({
            "Ref": "BQ-1", "Balance": 12.5, "Due": "2026-09-30", "Liveaboard": true, "Tags": ["a"], "Owner": { "Name": "Quayle", "Since": "2020-01-01" },
            "Lines": [{ "Qty": 2, "Item": "Zinc", "Group": "x", "Parts": [{ "Weight": 3 }] }],
        });
        let sheet = from_json("cases", &json).expect("a case");
        let template = TextTemplate::new(text);
        assert_eq!(template.problems(), []);
        let ties = Ties::new([("arrears", "Balance")]);
        let found = template_marks(template.placeholders(), &sheet.schema, &ties);
        found.into_iter().map(|(index, m)| format!("{index} {} {}", if m.hint { "hint" } else { "problem" }, m.code)).collect()
    }

    #[test]
    fn types_that_can_not_be_compared_are_told() {
        assert_eq!(marks("[:if balance > 3 and due < today and liveaboard = true]x[:end]"), Vec::<String>::new());
        assert_eq!(marks("[:if ref < 3]x[:end]"), ["0 problem unlike-types"]);
        assert_eq!(marks("[:if arrears = \"none\"]x[:end]"), ["0 hint unlike-types"]);
        assert_eq!(marks("[:if due > 30]x[:end]"), ["0 problem unlike-types"]);
        assert_eq!(marks("[:if due = \"2026-09-30\"]x[:end][: ref = \"x\" as yes/no]"), Vec::<String>::new());
        assert_eq!(marks("[:repeat for lines where item > 2]x[:end]"), ["0 problem unlike-types"]);
        assert_eq!(marks("[:repeat for lines][:if qty = \"many\"]x[:end][:end]"), ["1 hint unlike-types"]);
        assert_eq!(marks("[:if owner.since > 2]x[:end]"), ["0 problem unlike-types"]);
    }

    #[test]
    fn lists_where_one_value_is_needed_are_told() {
        assert_eq!(marks("[: lines]"), ["0 problem list-as-value"]);
        assert_eq!(marks("[: owner]"), ["0 problem list-as-value"]);
        assert_eq!(marks("[: tags + 1]"), ["0 problem list-as-value"]);
        assert_eq!(marks("[: tags] [: owner.name] [: sum(lines.(qty * 2))] [: count(lines)]"), Vec::<String>::new());
        assert_eq!(marks("[:repeat for lines][: parts][:end]"), ["1 problem list-as-value"]);
    }

    #[test]
    fn fields_that_the_turn_hides_are_told() {
        assert_eq!(marks("[:repeat for lines group by item][: count(group)][:end]"), ["1 hint hidden-field"]);
        assert_eq!(marks("[:repeat for lines][: 'group'][:end]"), Vec::<String>::new());
    }
}
