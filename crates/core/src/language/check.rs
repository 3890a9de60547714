//! What an editor is told while a person types: all that is wrong with a text,
//! and what could stand at the cursor.

use serde::Serialize;

use super::error::Span;
use super::name::{Folded, nearest};
use super::scope::Ties;
use super::syntax::{Expr, ExprKind, Kind};
use super::token::{Sign, TokenKind, tokens};
use super::types::kind_marks;
use super::uses::UsedAs;
use super::{function, kind_with_errors, value_with_errors};
use crate::diagnostic::{Diagnostic, Target};
use crate::records::{ColumnType, Schema};
use crate::template::TextTemplate;

/// Checks an expression; with the columns of a source, its names too.
pub fn check(text: &str, schema: Option<&Schema>) -> Vec<Diagnostic> {
    let (expr, errors) = value_with_errors(text);
    let mut marks: Vec<Diagnostic> =
        errors.into_iter().map(|e| Diagnostic::error(e.fault.code(), e.fault.to_string()).at(e.span)).collect();
    if let (Some(expr), Some(schema)) = (&expr, schema) {
        names(expr, schema, &mut marks);
        marks.extend(kind_marks(&Kind::If(expr.clone()), vec![schema], &Ties::default()));
    }
    decimal_commas(text, &mut marks);
    marks.sort_by_key(|m| m.span);
    marks
}

/// Checks a text with placeholders, such as a subject or a file name.
pub fn check_text(text: &str, schema: Option<&Schema>) -> Vec<Diagnostic> {
    let template = TextTemplate::new(text);
    let mut from = 0;
    let mut marks = Vec::new();
    for problem in template.problems() {
        let at = text.find(&problem.source).unwrap_or(0);
        let span = problem.span.unwrap_or_default();
        let start = (at + 2 + span.start).min(text.len());
        let end = (at + 2 + span.end).clamp(start, text.len());
        marks.push(problem.clone().about(Target::Text).at(Span { start, end }));
    }
    for placeholder in template.placeholders() {
        let Some(at) = text[from..].find(&placeholder.text).map(|at| at + from) else { continue };
        from = at + placeholder.text.len();
        // One that is never closed is told as such, not by what stands in it.
        let Some(inner) = placeholder.text.strip_prefix("[:").and_then(|t| t.strip_suffix(']')) else { continue };
        let (Some(schema), (Some(kind), _)) = (schema, kind_with_errors(inner)) else { continue };
        let unknown = placeholder.names.iter().filter_map(|name| {
            let levels = schema.levels(&name.within)?;
            let folded = Folded::new(&name.name);
            let known =
                levels.iter().any(|l| l.index(&folded).is_some()) || is_given(&name.name) || !name.within.is_empty() && is_of_turn(&folded);
            (!known).then(|| unknown_name(&name.name, &levels, Span { start: at, end: from }))
        });
        marks.extend(unknown);
        let around = placeholder.names.iter().map(|n| &n.within).min_by_key(|w| w.len());
        if let Some(levels) = around.and_then(|within| schema.levels(within)) {
            let own = kind_marks(&kind, levels, &Ties::default()).into_iter();
            marks.extend(own.map(|mark| {
                let span = mark.span.unwrap_or_default();
                mark.at(Span { start: span.start + at + 2, end: span.end + at + 2 })
            }));
        }
        if let Kind::If(expr) = &kind {
            text_as_condition(expr, schema, at + 2, &mut marks);
        }
    }
    marks
}

fn is_given(name: &str) -> bool {
    super::syntax::Name::new(name, false).is_built_in()
}

fn is_of_turn(folded: &Folded) -> bool {
    ["turn", "group"].contains(&folded.as_str())
}

fn unknown_name(name: &str, levels: &[&Schema], span: Span) -> Diagnostic {
    let nearest = nearest(name, levels.iter().flat_map(|l| l.columns()).map(|c| c.name.as_str()));
    let offer = nearest.map(|n| format!("; did you mean “{n}”?")).unwrap_or_default();
    Diagnostic::error("unknown-name", format!("unknown name “{name}”{offer}")).at(span)
}

/// Names that no level has, and fields that one of the language's own hides.
fn names(expr: &Expr, schema: &Schema, marks: &mut Vec<Diagnostic>) {
    expr.uses(UsedAs::Value, &mut Vec::new(), &mut |used, within| {
        let name = used.name;
        let lists: Vec<Option<Vec<String>>> =
            within.iter().map(|list| list.as_ref().map(|path| path.iter().map(|n| n.text.clone()).collect())).collect();
        let Some(levels) = schema.levels(&lists) else { return };
        let of_turn = !lists.is_empty() && is_of_turn(&name.folded);
        if !of_turn && !name.is_built_in() && levels.iter().all(|l| l.index(&name.folded).is_none()) {
            marks.push(unknown_name(&name.text, &levels, used.span));
        }
    });
    text_as_condition(expr, schema, 0, marks);
}

/// A text column that stands for a condition is not blank, or blank; one of yes
/// and no wants another type.
fn text_as_condition(expr: &Expr, schema: &Schema, from: usize, marks: &mut Vec<Diagnostic>) {
    let ExprKind::Logic(_, a, b) = &expr.kind else { return };
    for side in [a, b] {
        if let ExprKind::Name(name) = &side.kind
            && schema.column(&name.folded).is_some_and(|c| c.kind == ColumnType::Text)
        {
            let message = format!(
                "“{}” is text, so this only checks that it is not blank. If it contains yes and no, change the column type to yes/no.",
                name.text
            );
            let span = Span { start: side.span.start + from, end: side.span.end + from };
            marks.push(Diagnostic::hint("text-as-condition", message).at(span));
        }
    }
}

/// `1,19` is two arguments.
fn decimal_commas(text: &str, marks: &mut Vec<Diagnostic>) {
    let (tokens, _) = tokens(text);
    for three in tokens.windows(3) {
        let [a, comma, b] = three else { continue };
        let numbers = matches!((&a.kind, &b.kind), (TokenKind::Number { .. }, TokenKind::Number { .. }));
        let glued = !comma.spaced && !b.spaced;
        if numbers && glued && comma.is_sign(Sign::Sep) && &text[comma.span.start..comma.span.end] == "," {
            let (before, after) = (&text[a.span.start..a.span.end], &text[b.span.start..b.span.end]);
            let message = format!("“{before},{after}” is read as two numbers. For one number, write {before}.{after}");
            marks.push(Diagnostic::hint("decimal-comma", message).at(a.span.to(b.span)));
        }
    }
}

/// Something that could stand at the cursor.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Offer {
    /// `field`, `function`, `format` or `word`.
    pub kind: &'static str,
    /// What is put in.
    pub text: String,
    /// What it is, in a few words.
    pub about: String,
}

/// What could stand at a place in an expression, and the stretch that it takes
/// the place of.
pub fn complete(text: &str, at: usize, schema: &Schema) -> (Span, Vec<Offer>) {
    let at = (0..=at.min(text.len())).rev().find(|at| text.is_char_boundary(*at)).unwrap_or(0);
    let before = &text[..at];
    let is_part = |c: char| c.is_alphanumeric() || matches!(c, '_' | '-' | '\'' | ' ');
    let start = before.char_indices().rev().take_while(|(_, c)| is_part(*c)).last().map_or(at, |(at, _)| at);
    let typed = before[start..].trim_start();
    let start = at - typed.len();
    let last_word = typed.rsplit(' ').next().unwrap_or_default();
    let before_last = typed[..typed.len() - last_word.len()].trim_end();
    let behind_as = before_last == "as" || before_last.ends_with(" as");
    if behind_as {
        let formats = ["number", "money", "percent", "date", "time", "words", "upper", "lower", "title", "yes/no", "list", "phone"];
        let fitting = formats.into_iter().filter(|f| f.starts_with(&last_word.to_lowercase()));
        let offers = fitting.map(|f| Offer { kind: "format", text: f.to_owned(), about: "format".to_owned() }).collect();
        return (Span { start: at - last_word.len(), end: at }, offers);
    }
    // Behind a value stands an operator, not another value.
    if before[..start].trim_end().ends_with([')', '"', '\'', '%']) {
        return (Span { start: at, end: at }, Vec::new());
    }
    // Along a relation, the fields that it leads to.
    let path: Vec<String> = before[..start].strip_suffix('.').map(path_before).unwrap_or_default();
    let levels = if path.is_empty() { Some(vec![schema]) } else { schema.levels(&[Some(path.clone())]) };
    let Some(here) = levels.and_then(|l| l.last().copied()) else { return (Span { start: at, end: at }, Vec::new()) };
    let wanted = Folded::new(typed);
    let fits = |name: &str| Folded::new(name).as_str().contains(wanted.as_str());
    let mut offers: Vec<Offer> = here
        .columns()
        .iter()
        .filter(|c| fits(&c.name))
        .map(|c| Offer { kind: "field", text: written(&c.name), about: c.kind.name().to_owned() })
        .collect();
    if path.is_empty() && !typed.is_empty() {
        let functions = function::all().filter(|f| Folded::new(f.name).as_str().starts_with(wanted.as_str()));
        offers.extend(functions.map(|f| Offer {
            kind: "function",
            text: format!("{}(", f.name),
            about: format!("{} {}", f.syntax, f.about),
        }));
        let words = ["today", "now", "run.number", "run.count", "dispatch.name", "office.name", "office.email"];
        let given = words.into_iter().filter(|w| w.starts_with(&typed.to_lowercase()));
        offers.extend(given.map(|w| Offer { kind: "word", text: w.to_owned(), about: "built-in name".to_owned() }));
    }
    // What begins as it was typed comes first.
    offers.sort_by_key(|o| !Folded::new(&o.text).as_str().starts_with(wanted.as_str()));
    (Span { start, end: at }, offers)
}

/// The names of a path that ends here.
fn path_before(text: &str) -> Vec<String> {
    let is_part = |c: char| c.is_alphanumeric() || matches!(c, '_' | '-' | ' ' | '.');
    let start = text.char_indices().rev().take_while(|(_, c)| is_part(*c)).last().map_or(text.len(), |(at, _)| at);
    text[start..].split('.').map(|name| name.trim().to_owned()).collect()
}

/// A name as it can be written: in quotes where it would not be read as one.
pub fn written(name: &str) -> String {
    let (expr, errors) = value_with_errors(name);
    let plain = errors.is_empty() && expr.is_some_and(|e| matches!(&e.kind, ExprKind::Name(own) if own.folded == Folded::new(name)));
    if plain { name.to_owned() } else { format!("'{}'", name.replace('\'', "''")) }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::records::Column;

    fn schema() -> Schema {
        let lines =
            Schema::new(vec![Column::new("Qty", ColumnType::Number), Column::new("Unit price", ColumnType::Number)]).expect("lines");
        let mut columns: Vec<Column> = ["Last_Name", "Terms and conditions", "Status"].map(|n| Column::new(n, ColumnType::Text)).to_vec();
        columns.push(Column::new("Balance", ColumnType::Number));
        columns.push(Column { inner: Some(lines.into()), ..Column::new("Lines", ColumnType::List) });
        Schema::new(columns).expect("schema")
    }

    fn marks(text: &str) -> Vec<(usize, usize, &'static str)> {
        let mark = |m: Diagnostic| match (m.span, m.code) {
            (Some(span), std::borrow::Cow::Borrowed(code)) => (span.start, span.end, code),
            other => panic!("{other:?}"),
        };
        check(text, Some(&schema())).into_iter().map(mark).collect()
    }

    #[test]
    fn all_that_is_wrong_is_marked_at_its_spot() {
        assert_eq!(marks("last name"), []);
        assert_eq!(marks("balanse + sum(lines.(qty * price))"), [(0, 7, "unknown-name"), (27, 32, "unknown-name")]);
        assert_eq!(marks("rund(balance) & dats(x)"), [(0, 4, "unknown-function"), (16, 20, "unknown-function")]);
        assert_eq!(marks("round(1,19)"), [(6, 10, "decimal-comma")]);
        assert_eq!(marks("if(status and balance > 3; 1; 2)"), []);
        assert_eq!(marks("status and balance > 3"), [(0, 6, "text-as-condition")]);
        assert_eq!(marks("today & run.number"), []);
    }

    #[test]
    fn texts_are_marked_within_their_placeholders() {
        let text = "Dear [: last nam], [:repeat for lines][: qty] [: boat][:end][: rund(1)]";
        let found: Vec<_> = check_text(text, Some(&schema()))
            .into_iter()
            .map(|m| (&text[m.span.unwrap_or_default().start..m.span.unwrap_or_default().end], m.code.into_owned()))
            .collect();
        assert_eq!(
            found,
            [("rund", "unknown-function"), ("[: last nam]", "unknown-name"), ("[: boat]", "unknown-name")]
                .map(|(at, code)| (at, code.to_owned()))
        );
    }

    #[test]
    fn fields_functions_and_formats_are_offered() {
        let offer = |text: &str| -> Vec<String> {
            let (span, offers) = complete(text, text.len(), &schema());
            offers.into_iter().map(|o| format!("{} {}", &text[span.start..span.end], o.text)).collect()
        };
        assert_eq!(offer("last n"), ["last n Last_Name"]);
        assert_eq!(offer("1 + bal"), ["bal Balance"]);
        assert_eq!(offer("terms"), ["terms 'Terms and conditions'"]);
        assert_eq!(offer("lines."), [" Qty", " Unit price"]);
        assert_eq!(offer("balance as pe"), ["pe percent"]);
        assert!(offer("rou").contains(&"rou ROUND(".to_owned()));
        assert_eq!(offer("nothing.x"), Vec::<String>::new());
        assert_eq!(offer("round(balance) sta"), Vec::<String>::new());
    }
}
