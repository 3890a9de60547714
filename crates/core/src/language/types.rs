//! What columns tell of an expression before any record is looked at: types that
//! can't be compared, lists where one value is needed, fields that are hidden.

use super::error::Span;
use super::kind_with_errors;
use super::scope::Ties;
use super::syntax::{Comparison, Expr, ExprKind, Kind, ListExpr, Name};
use super::typing::{Names, Type};
use crate::diagnostic::Diagnostic;
use crate::records::Schema;
use crate::template::Placeholder;

/// What the columns tell of a template's placeholders: each with its place among
/// them.
pub fn template_marks(placeholders: &[Placeholder], schema: &Schema, ties: &Ties) -> Vec<(usize, Diagnostic)> {
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
pub(super) fn kind_marks(kind: &Kind, levels: Vec<&Schema>, ties: &Ties) -> Vec<Diagnostic> {
    let mut checker = Checker { names: Names { levels, ties }, marks: Vec::new() };
    for expr in kind.exprs() {
        checker.walk(expr);
        if let Kind::Print(expr) = kind {
            checker.printed(expr);
        }
    }
    checker.marks
}

struct Checker<'s> {
    names: Names<'s>,
    marks: Vec<Diagnostic>,
}

impl Checker<'_> {
    fn mark(&mut self, hint: bool, code: &'static str, span: Span, message: String) {
        let mark = if hint { Diagnostic::hint(code, message) } else { Diagnostic::error(code, message) };
        self.marks.push(mark.at(span));
    }

    /// A list of records can't be printed.
    fn printed(&mut self, expr: &Expr) {
        let parts: Vec<&Expr> = match &expr.kind {
            ExprKind::Print(parts) => parts.iter().map(|p| &p.expr).collect(),
            _ => vec![expr],
        };
        for part in parts {
            let Some(known @ (Type::Record | Type::Records)) = self.names.of(part) else { continue };
            let shown = part.path().map_or(String::new(), |p| p.iter().map(|n| n.text.as_str()).collect::<Vec<_>>().join("."));
            let remedy = match known {
                Type::Record => format!("choose one of its fields: “{shown}.…”"),
                _ => format!("use [:repeat for {shown}] … [:end]"),
            };
            self.mark(false, "list-as-value", part.span, format!("“{shown}” is {}; {remedy}", known.words()));
        }
    }

    fn one_value(&mut self, expr: &Expr) {
        if let Some(known) = self.names.of(expr).filter(|known| known.is_nested()) {
            let message =
                format!("expected a single value, but this is {}. Use one of its fields or a function such as SUM or join.", known.words());
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
        if let Some(inner) = self.names.schema_of(source) {
            self.names.levels.push(inner);
            work(self);
            self.names.levels.pop();
        }
    }

    /// Unlike types are never equal and have no order (rule 18). Text in ISO form
    /// counts as a date beside a date; a text column may hold such.
    fn compared(&mut self, comparison: Comparison, a: &Expr, b: &Expr, span: Span) {
        if matches!(comparison, Comparison::Contains | Comparison::StartsWith | Comparison::EndsWith) {
            return;
        }
        let (Some(left), Some(right)) = (self.names.of(a), self.names.of(b)) else { return };
        let nested = left.is_nested() || right.is_nested();
        if left == right
            || nested
            || (left.is_number() && right.is_number())
            || matches!((left, right), (Type::Date, Type::Text) | (Type::Text, Type::Date))
        {
            return;
        }
        let (left, right) = (left.words(), right.words());
        match comparison {
            Comparison::Equal | Comparison::Unequal => {
                self.mark(true, "unlike-types", span, format!("{left} never equals {right}. Change the column type or the value."));
            }
            _ => self.mark(
                false,
                "unlike-types",
                span,
                format!("{left} and {right} can't be compared. Change the column type or the value."),
            ),
        }
    }

    /// `turn` and `group` come before fields within a list.
    fn hidden(&mut self, name: &Name, span: Span) {
        if name.is_of_the_turn() && self.names.levels.len() > 1 && self.names.column(&name.folded).is_some() {
            let message = format!("{0} is a built-in name here. For the field, write '{0}' in single quotes.", name.text);
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
        found.into_iter().map(|(index, m)| format!("{index} {} {}", if m.is_error() { "problem" } else { "hint" }, m.code)).collect()
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
