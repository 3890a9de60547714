//! A form made ready to look at answers, and what is wrong with it as it is
//! written.

use std::sync::Arc;

use regex::{Regex, RegexBuilder};

use super::{Form, FormField, FormFieldKind, Mask};
use crate::diagnostic::{Diagnostic, Target};
use crate::language::syntax::Expr;
use crate::language::{Folded, UsedAs, condition, value};
use crate::records::{Column, ColumnType, Schema};
use crate::template::TextTemplate;
use crate::value::{Currency, Locale};

/// The most fields that a form has.
const MOST_FIELDS: usize = 300;

/// A form ready to look at answers.
#[derive(Debug)]
pub struct Rules {
    pub(super) fields: Vec<Rule>,
    /// The names of all that is asked, for conditions and defaults.
    pub(super) schema: Arc<Schema>,
    pub(super) locale: Arc<Locale>,
    pub(super) thanks: TextTemplate,
    problems: Vec<Diagnostic>,
}

/// A field ready.
#[derive(Debug)]
pub(super) struct Rule {
    pub field: FormField,
    /// Its place among the columns.
    pub column: Option<usize>,
    pub shown_when: Option<Expr>,
    pub default: Option<TextTemplate>,
    pub least: Option<Expr>,
    pub most: Option<Expr>,
    pub mask: Option<Mask>,
    pub pattern: Option<Regex>,
    pub formula: Option<Expr>,
    /// What each of its rows has.
    pub rows: Option<Rows>,
}

/// The fields of rows, ready.
#[derive(Debug)]
pub(super) struct Rows {
    pub rules: Vec<Rule>,
    /// The names of a row.
    pub schema: Arc<Schema>,
    /// Those, and the names above the rows that no field of the row has.
    pub scope: Arc<Schema>,
    /// The places of these among the form's.
    pub outer: Vec<usize>,
}

impl Rules {
    /// Makes a form ready. What is wrong with it is in [`Rules::problems`]; such
    /// parts are passed over.
    pub fn new(form: &Form) -> Rules {
        let mut noted = Noted::default();
        let locale = Locale::parse(&form.locale).unwrap_or_else(|_| {
            noted.form("locale", format!("“{}” is not a locale. Choose one such as en-GB or nl-NL", form.locale));
            Locale::english()
        });
        if form.fields.len() > MOST_FIELDS {
            noted.form("fields", format!("a form can have at most {MOST_FIELDS} fields. Split it in two."));
        }
        if form.fields.iter().all(|f| f.kind.is_words()) {
            noted.form("fields", "the form has no fields. Add one.".to_owned());
        }
        if let (Some(opens), Some(closes)) = (form.opens, form.closes)
            && closes <= opens
        {
            noted.form("closes", "the closing date must be after the opening date".to_owned());
        }
        let (schema, places) = columns(form, &mut noted);
        let mut fields = Vec::with_capacity(form.fields.len());
        for (at, field) in form.fields.iter().take(MOST_FIELDS).enumerate().filter(|(_, field)| field.group == 0) {
            let before = places[..at].iter().flatten().count();
            let above = Above { schema: &schema, before, within: schema.columns().len() };
            let rule = Rule::new(field, places[at], &above, &mut noted);
            let rows = (field.kind == FormFieldKind::Rows).then(|| rows(form, field, &schema, before, &mut noted));
            fields.push(Rule { rows, ..rule });
        }
        for (at, field) in form.fields.iter().enumerate().filter(|(_, field)| field.group != 0) {
            if !form.fields[..at].iter().any(|above| above.id == field.group && above.kind == FormFieldKind::Rows) {
                noted.field(field, "group", "the rows that this field belongs to are not above it. Choose others, or none.".to_owned());
            }
        }
        let thanks = TextTemplate::new(&form.thanks);
        if let Some(problem) = thanks.problems().first() {
            noted.form("thanks", problem.message.clone());
        }
        Rules { fields, schema: Arc::new(schema), locale, thanks, problems: noted.0 }
    }

    /// What keeps the form from being opened.
    pub fn problems(&self) -> &[Diagnostic] {
        &self.problems
    }

    /// The names and types of what is asked, in order.
    pub fn schema(&self) -> &Arc<Schema> {
        &self.schema
    }

    /// The fields that answers are given to.
    pub fn asked(&self) -> impl Iterator<Item = &FormField> {
        self.fields.iter().filter(|r| r.column.is_some()).map(|r| &r.field)
    }
}

impl Rules {
    /// The fields of the rows of a field.
    pub fn members(&self, rows: u32) -> impl Iterator<Item = &FormField> {
        let own = self.fields.iter().find(|rule| rule.field.id == rows).and_then(|rule| rule.rows.as_ref());
        own.into_iter().flat_map(|rows| &rows.rules).map(|rule| &rule.field)
    }
}

/// What is wrong, as it is found.
#[derive(Default)]
struct Noted(Vec<Diagnostic>);

fn problem(field: Option<u32>, part: &'static str, message: String) -> Diagnostic {
    Diagnostic::error("form", message).about(Target::Form { field, part: part.into() })
}

impl Noted {
    fn form(&mut self, part: &'static str, message: String) {
        self.0.push(problem(None, part, message));
    }

    fn field(&mut self, field: &FormField, part: &'static str, message: String) {
        self.0.push(problem(Some(field.id), part, message));
    }
}

/// The columns of what is asked, and which field has which. One whose name can't
/// be used is passed over.
fn columns(form: &Form, noted: &mut Noted) -> (Schema, Vec<Option<usize>>) {
    let mut columns: Vec<Column> = Vec::new();
    let mut places = Vec::new();
    let mut ids: Vec<u32> = Vec::new();
    for field in &form.fields {
        let Some(column) = form.column(field) else {
            places.push(None);
            continue;
        };
        let folded = Folded::new(&field.name);
        if folded.as_str().is_empty() {
            noted.field(field, "name", "the field has no name; placeholders need one".to_owned());
        } else if let Some(other) = columns.iter().find(|c| Folded::new(&c.name) == folded) {
            noted.field(field, "name", format!("“{}” and “{}” count as the same name. Rename one.", other.name, field.name));
        } else if folded == Folded::new(ANSWERED) {
            noted.field(field, "name", format!("“{ANSWERED}” is reserved for the time of the answer. Choose another name."));
        } else if ids.contains(&field.id) {
            noted.field(field, "id", "two fields have the same ID".to_owned());
        } else {
            ids.push(field.id);
            places.push(Some(columns.len()));
            columns.push(column);
            continue;
        }
        places.push(None);
    }
    (Schema::new(columns).unwrap_or_default(), places)
}

/// The fields of rows made ready: each sees those above it in its row, and those above the rows.
fn rows(form: &Form, of: &FormField, outer: &Schema, before: usize, noted: &mut Noted) -> Rows {
    let (mut columns, mut own): (Vec<Column>, Vec<(&FormField, Option<usize>)>) = (Vec::new(), Vec::new());
    for field in form.members(of.id) {
        if !field.kind.can_be_in_rows() {
            noted.field(field, "kind", "files, consent and further rows can't be in rows. Choose another type.".to_owned());
            continue;
        }
        let Some(column) = field.column() else {
            own.push((field, None));
            continue;
        };
        let folded = Folded::new(&field.name);
        if folded.as_str().is_empty() {
            noted.field(field, "name", "the field has no name; placeholders need one".to_owned());
        } else if columns.iter().any(|c| Folded::new(&c.name) == folded) {
            noted.field(field, "name", format!("two fields of a row are named “{}”. Rename one.", field.name));
        } else {
            own.push((field, Some(columns.len())));
            columns.push(column);
        }
    }
    if columns.is_empty() {
        noted.field(of, "fields", "the rows have no fields. Add one, and choose these rows for it.".to_owned());
    }
    let schema = Schema::new(columns).unwrap_or_default();
    let seen = |column: &Column| schema.index(&Folded::new(&column.name)).is_none();
    let outer: Vec<(usize, &Column)> = outer.columns().iter().enumerate().take(before).filter(|(_, column)| seen(column)).collect();
    let all = schema.columns().iter().chain(outer.iter().map(|(_, column)| *column)).cloned().collect();
    let (scope, outer) = (Schema::new(all).unwrap_or_default(), outer.iter().map(|(at, _)| *at).collect());
    let mut rules = Vec::with_capacity(own.len());
    for (at, (field, column)) in own.iter().enumerate() {
        let before = own[..at].iter().filter(|(_, column)| column.is_some()).count();
        let above = Above { schema: &scope, before, within: schema.columns().len() };
        rules.push(Rule::new(field, *column, &above, noted));
    }
    Rows { rules, schema: Arc::new(schema), scope: Arc::new(scope), outer }
}

/// The column that tells when an answer came.
pub(super) const ANSWERED: &str = "Answered";

/// The fields above one.
struct Above<'a> {
    schema: &'a Schema,
    /// How many of the first columns stand above it.
    before: usize,
    /// How many columns its form, or its row, has; what comes after these stands above, too.
    within: usize,
}

impl Above<'_> {
    /// What is wrong with an expression's names.
    fn fault(&self, expr: &Expr, used: UsedAs) -> Option<String> {
        match self.schema.reads(expr, used) {
            Err(unknown) => Some(unknown.to_string().replace("no column", "no field")),
            Ok(names) => self.late(names.iter()),
        }
    }

    fn late<'n>(&self, mut names: impl Iterator<Item = &'n Folded>) -> Option<String> {
        let late = names.find_map(|name| self.schema.index(name).filter(|at| (self.before..self.within).contains(at)))?;
        let name = &self.schema.columns()[late].name;
        Some(format!("“{name}” comes after this field. Only fields above it can be used; move one of them."))
    }
}

impl Rule {
    fn new(field: &FormField, column: Option<usize>, above: &Above<'_>, noted: &mut Noted) -> Rule {
        if field.title().is_empty() && field.kind != FormFieldKind::Hidden {
            noted.field(field, "label", "the label is blank. Enter one.".to_owned());
        }
        if matches!(field.kind, FormFieldKind::Choice | FormFieldKind::Choices) {
            let mut options: Vec<Folded> = field.options.iter().map(|o| Folded::new(o)).collect();
            options.sort_unstable_by(|a, b| a.as_str().cmp(b.as_str()));
            if options.len() < 2 || options.iter().any(|o| o.as_str().is_empty()) {
                noted.field(field, "options", "add at least two options, each with text".to_owned());
            } else if options.windows(2).any(|pair| pair[0] == pair[1]) {
                noted.field(field, "options", "two options are identical. Change one.".to_owned());
            }
        }
        let formula = read(&field.formula, value, "formula", UsedAs::Value, field, above, noted);
        if field.kind == FormFieldKind::Computed && field.formula.trim().is_empty() {
            noted.field(field, "formula", "enter a formula, such as quantity * price or sum(lines.(amount))".to_owned());
        }
        let has_currency = field.kind == FormFieldKind::Computed && !field.currency.trim().is_empty();
        if (field.kind == FormFieldKind::Money || has_currency) && Currency::parse(&field.currency).is_err() {
            noted.field(field, "currency", format!("“{}” is not a currency. Use a three-letter code such as EUR.", field.currency));
        }
        let shown_when = read(&field.shown_when, condition, "shown_when", UsedAs::YesNo, field, above, noted);
        let (least, most) = match field.kind {
            FormFieldKind::Time => (time(field, "least", noted), time(field, "most", noted)),
            FormFieldKind::Computed => (None, None),
            FormFieldKind::Number | FormFieldKind::Money | FormFieldKind::Date => (
                read(&field.least, value, "least", UsedAs::Value, field, above, noted),
                read(&field.most, value, "most", UsedAs::Value, field, above, noted),
            ),
            _ => {
                count(field, "least", &field.least, noted);
                count(field, "most", &field.most, noted);
                (None, None)
            }
        };
        let mask = (field.kind == FormFieldKind::Text && !field.mask.trim().is_empty()).then(|| Mask::parse(&field.mask));
        let mask = mask.and_then(|m| m.map_err(|fault| noted.field(field, "mask", fault.to_string())).ok());
        let pattern = (field.kind == FormFieldKind::Text && !field.pattern.trim().is_empty())
            .then(|| RegexBuilder::new(&format!("^(?:{})$", field.pattern)).size_limit(1 << 20).build());
        let pattern = pattern.and_then(|p| {
            p.map_err(|_| noted.field(field, "pattern", "invalid regular expression. Example: [A-F][0-9]{2}".to_owned())).ok()
        });
        if (mask.is_some() || pattern.is_some()) && field.message.trim().is_empty() {
            noted.field(field, "message", "enter an error message that explains the expected format".to_owned());
        }
        let default = (!field.default.is_empty()).then(|| TextTemplate::new(&field.default));
        if let Some(template) = &default {
            let names: Vec<Folded> = template.placeholders().iter().flat_map(|p| &p.names).map(|n| Folded::new(&n.name)).collect();
            let late = || above.late(names.iter());
            if let Some(wrong) = template.problems().first().map(|p| p.message.clone()).or_else(late) {
                noted.field(field, "default", wrong);
            }
        }
        Rule { field: field.clone(), column, shown_when, default, least, most, mask, pattern, formula, rows: None }
    }
}

fn read(
    text: &str,
    parse: fn(&str) -> Result<Expr, crate::language::SyntaxError>,
    part: &'static str,
    used: UsedAs,
    field: &FormField,
    above: &Above<'_>,
    noted: &mut Noted,
) -> Option<Expr> {
    if text.trim().is_empty() {
        return None;
    }
    let fault = match parse(text) {
        Ok(expr) => match above.fault(&expr, used) {
            None => return Some(expr),
            Some(fault) => fault,
        },
        Err(error) => error.to_string(),
    };
    noted.field(field, part, fault);
    None
}

/// A limit of a time is a time, kept as it is written.
fn time(field: &FormField, part: &'static str, noted: &mut Noted) -> Option<Expr> {
    let text = if part == "least" { &field.least } else { &field.most };
    if !text.trim().is_empty() && super::answer::time(text).is_none() {
        noted.field(field, part, format!("“{text}” is not a time. Use the format 08:30."));
    }
    None
}

fn count(field: &FormField, part: &'static str, text: &str, noted: &mut Noted) {
    if !text.trim().is_empty() && text.trim().parse::<usize>().is_err() {
        noted.field(field, part, format!("“{text}” is not a whole number"));
    }
}

/// The column that an answer's time stands in.
pub fn answered() -> Column {
    Column::new(ANSWERED, ColumnType::Date)
}
