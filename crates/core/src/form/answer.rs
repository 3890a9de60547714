//! Looks at an answer, whole or while it is typed: which fields are shown, what
//! stands in them, and what is wrong.

use std::collections::BTreeMap;
use std::sync::Arc;

use jiff::civil::{DateTime, Time};

use super::rules::{Rows, Rule};
use super::{FormFieldKind, Rules};
use crate::language::syntax::Expr;
use crate::language::{Context, Scope, Ties, plain};
use crate::records::{Cell, ColumnType, Record};
use crate::value::read::{self, Reading};
use crate::value::{EmailAddress, Money, Value};

/// The most signs of a line and of a long text.
const MOST_SIGNS: [usize; 2] = [500, 20_000];

/// What was given to a field.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Given {
    /// Text, a number, a date as typed; the option that was chosen.
    Text(String),
    /// A tick, or none.
    Yes(bool),
    /// The options that were chosen.
    Many(Vec<String>),
    /// Files that have arrived.
    Files(Vec<GivenFile>),
    /// Rows, each with what was given to its fields.
    Rows(Vec<BTreeMap<u32, Given>>),
}

impl Given {
    /// Whether it says nothing.
    fn is_blank(&self) -> bool {
        match self {
            Given::Text(text) => text.trim().is_empty(),
            Given::Yes(yes) => !yes,
            Given::Many(all) => all.is_empty(),
            Given::Files(all) => all.is_empty(),
            Given::Rows(all) => all.is_empty(),
        }
    }
}

/// A file as it arrived.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct GivenFile {
    /// The name that it is kept under.
    pub name: String,
    /// Its size.
    pub bytes: u64,
    /// Whether its content is a picture.
    pub picture: bool,
}

/// A form with an answer in it.
#[derive(Debug)]
pub struct Look {
    /// The fields in order.
    pub fields: Vec<LookedAt>,
    /// The answer as a record.
    pub record: Record,
}

/// A field with what stands in it.
#[derive(Debug, Clone, PartialEq)]
pub struct LookedAt {
    /// Its number.
    pub field: u32,
    /// Whether it is shown.
    pub shown: bool,
    /// What stands in it: given, or by its default.
    pub given: Option<Given>,
    /// What is wrong.
    pub wrong: Option<Wrong>,
    /// Its computed value, as it is shown.
    pub computed: Option<String>,
    /// Its rows, each with its fields.
    pub rows: Vec<Vec<LookedAt>>,
}

/// What is wrong with what was given.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum Wrong {
    /// Nothing was given.
    #[error("this field is required")]
    Missing,
    /// What must be accepted was not.
    #[error("accept this to continue")]
    NotAccepted,
    /// It is not of the field's kind.
    #[error("{0}")]
    Kind(&'static str),
    /// It is not written as the field says.
    #[error("{0}")]
    Shape(String),
    /// It is too small, too early, too short.
    #[error("{0}")]
    Limit(String),
    /// It was not offered.
    #[error("“{0}” is not one of the options")]
    NotOffered(String),
}

impl Wrong {
    /// A short name for programs.
    pub fn code(&self) -> &'static str {
        match self {
            Wrong::Missing => "missing",
            Wrong::NotAccepted => "not-accepted",
            Wrong::Kind(_) => "kind",
            Wrong::Shape(_) => "shape",
            Wrong::Limit(_) => "limit",
            Wrong::NotOffered(_) => "not-offered",
        }
    }
}

impl Rules {
    /// Looks at what was given to the fields, by number; a field of which nothing is
    /// said has its default. What is not shown is blank.
    pub fn look(&self, given: &BTreeMap<u32, Given>, now: DateTime) -> Look {
        let context = Context::new(self.locale.clone(), now);
        let ties = Ties::default();
        let mut values = vec![Value::Blank; self.schema.columns().len()];
        let mut fields = Vec::with_capacity(self.fields.len());
        for rule in &self.fields {
            // Only what stands above counts, and it is known by now.
            let record = Record::new(self.schema.clone(), values.clone(), 1);
            let scope = Scope::new(&record, &ties, &context);
            let (looked, value) = match &rule.rows {
                Some(rows) => rows.look(rule, given.get(&rule.field.id), &values, &scope, &context),
                None => rule.look(given.get(&rule.field.id), &scope, &context),
            };
            if let (Some(value), Some(column)) = (value, rule.column) {
                values[column] = value;
            }
            fields.push(looked);
        }
        Look { fields, record: Record::new(self.schema.clone(), values, 1) }
    }

    /// The words for who has answered.
    pub fn thanks(&self, record: &Record, now: DateTime) -> String {
        let context = Context::new(self.locale.clone(), now);
        self.thanks.fill(&Scope::new(record, &Ties::default(), &context)).unwrap_or_default()
    }
}

impl Look {
    /// Whether the answer will do.
    pub fn will_do(&self) -> bool {
        self.fields.iter().all(|f| f.wrong.is_none() && f.rows.iter().flatten().all(|own| own.wrong.is_none()))
    }

    /// The answer as the cells of a row, in the order of the columns.
    pub fn cells(&self) -> Vec<Cell> {
        self.record.values().iter().map(Cell::of).collect()
    }
}

/// The most rows of an answer.
const MOST_ROWS: usize = 100;

impl Rows {
    /// Looks at rows: each with what stands above them. Those in which nothing is given count for
    /// nothing.
    fn look(
        &self,
        rule: &Rule,
        given: Option<&Given>,
        values: &[Value],
        scope: &Scope<'_>,
        context: &Context,
    ) -> (LookedAt, Option<Value>) {
        let shown = rule.is_shown(scope);
        let mut looked = LookedAt { field: rule.field.id, shown, given: given.cloned(), wrong: None, computed: None, rows: Vec::new() };
        let rows: &[BTreeMap<u32, Given>] = match given {
            Some(Given::Rows(rows)) => rows,
            None => &[],
            Some(_) => {
                looked.wrong = shown.then_some(Wrong::Kind("add rows"));
                &[]
            }
        };
        if !shown {
            return (looked, None);
        }
        let (mut records, width, ties) = (Vec::new(), self.schema.columns().len(), Ties::default());
        for row in rows.iter().take(MOST_ROWS) {
            let mut own = vec![Value::Blank; width];
            own.extend(self.outer.iter().map(|at| values[*at].clone()));
            let empty = row.values().all(Given::is_blank);
            let mut fields = Vec::with_capacity(self.rules.len());
            for rule in &self.rules {
                let record = Record::new(self.scope.clone(), own.clone(), 1);
                let (mut field, value) = rule.look(row.get(&rule.field.id), &Scope::new(&record, &ties, context), context);
                if empty {
                    field.wrong = None;
                    field.computed = field.computed.map(|_| String::new());
                }
                if let (Some(value), Some(column)) = (value, rule.column) {
                    own[column] = value;
                }
                fields.push(field);
            }
            looked.rows.push(fields);
            if !empty {
                own.truncate(width);
                records.push(Value::Record(Arc::new(Record::new(self.schema.clone(), own, records.len() + 1))));
            }
        }
        let count = records.len();
        let limit = |text: &str| text.trim().parse::<usize>().ok();
        let (least, most) = (limit(&rule.field.least), limit(&rule.field.most).unwrap_or(MOST_ROWS).min(MOST_ROWS));
        if looked.wrong.is_some() {
            // Rows that are none are told as that.
        } else if count == 0 && rule.field.required {
            looked.wrong = Some(Wrong::Missing);
        } else if least.is_some_and(|least| count < least) && (count > 0 || rule.field.required) {
            looked.wrong = Some(Wrong::Limit(format!("add at least {}", rule.field.least.trim())));
        } else if rows.len() > most {
            looked.wrong = Some(Wrong::Limit(format!("at most {most} rows")));
        }
        (looked, Some(Value::List(records.into())))
    }
}

impl Rule {
    /// Whether it is shown: a condition that can't be worked out hides nothing.
    fn is_shown(&self, scope: &Scope<'_>) -> bool {
        self.shown_when.as_ref().is_none_or(|expr| scope.holds(expr).unwrap_or(true))
    }

    /// Looks at what was given to it; its value, where it has one.
    fn look(&self, given: Option<&Given>, scope: &Scope<'_>, context: &Context) -> (LookedAt, Option<Value>) {
        let shown = self.is_shown(scope);
        let mut looked = LookedAt { field: self.field.id, shown, given: None, wrong: None, computed: None, rows: Vec::new() };
        if self.field.kind == FormFieldKind::Computed {
            // Whatever a person sends, it is worked out.
            let value = if shown { self.computed(scope) } else { Value::Blank };
            looked.computed = Some(plain(&value, &context.locale).unwrap_or_default());
            return (looked, Some(value));
        }
        let by_default = || self.default.as_ref().map(|text| self.by_default(&text.fill(scope).unwrap_or_default(), context));
        looked.given = given.cloned().or_else(by_default);
        if !shown || self.column.is_none() {
            return (looked, None);
        }
        match self.read(looked.given.as_ref(), scope, context) {
            Ok(value) => (looked, Some(value)),
            Err(wrong) => (LookedAt { wrong: Some(wrong), ..looked }, None),
        }
    }

    /// What its formula comes to; blank where it can't be computed.
    fn computed(&self, scope: &Scope<'_>) -> Value {
        let Some(value) = self.formula.as_ref().and_then(|formula| scope.value(formula).ok()) else { return Value::Blank };
        match (self.field.column().map(|column| column.kind), value) {
            (Some(ColumnType::Money(currency)), Value::Number(amount)) => Value::Money(Money { amount, currency }),
            (Some(ColumnType::Money(currency)), Value::Money(money)) if money.currency == currency => Value::Money(money),
            (Some(ColumnType::Number), Value::Number(number)) => Value::Number(number),
            (Some(ColumnType::Number), Value::Money(money)) => Value::Number(money.amount),
            _ => Value::Blank,
        }
    }

    /// A default's text as what a person would have given.
    fn by_default(&self, text: &str, context: &Context) -> Given {
        match self.field.kind {
            FormFieldKind::YesNo => Given::Yes(read::yes_no(text).unwrap_or(false)),
            FormFieldKind::Accept => Given::Yes(false),
            FormFieldKind::Choices => Given::Many(text.split(['\n', ';']).map(|o| o.trim().to_owned()).filter(|o| !o.is_empty()).collect()),
            // A date field holds ISO 8601.
            FormFieldKind::Date => match read::date(text.trim(), context.reading) {
                Some(date) => Given::Text(date.to_string()),
                None => Given::Text(text.to_owned()),
            },
            _ => Given::Text(text.to_owned()),
        }
    }

    /// What was given as a value of the field's kind.
    fn read(&self, given: Option<&Given>, scope: &Scope<'_>, context: &Context) -> Result<Value, Wrong> {
        let field = &self.field;
        let missing = || if field.required { Err(Wrong::Missing) } else { Ok(Value::Blank) };
        if field.kind == FormFieldKind::Accept {
            return if given == Some(&Given::Yes(true)) { Ok(true.into()) } else { Err(Wrong::NotAccepted) };
        }
        match (field.kind, given) {
            (_, None) => missing(),
            (FormFieldKind::YesNo, Some(Given::Yes(yes))) => Ok((*yes).into()),
            (FormFieldKind::Choices, Some(Given::Many(chosen))) if chosen.is_empty() => missing(),
            (FormFieldKind::Choices, Some(Given::Many(chosen))) => self.chosen(chosen),
            (kind, Some(Given::Files(files))) if kind.takes_files() && files.is_empty() => missing(),
            (kind, Some(Given::Files(files))) if kind.takes_files() => self.files(files),
            // An empty field is no text of no signs.
            (_, Some(Given::Text(text))) if text.trim().is_empty() => missing(),
            (FormFieldKind::YesNo, Some(Given::Text(text))) => read::yes_no(text).map(Value::Bool).ok_or(Wrong::Kind("yes or no")),
            (kind, Some(Given::Text(text))) if !kind.takes_files() => self.text(text, scope, context),
            _ => Err(Wrong::Kind(self.asked())),
        }
    }

    /// What the field wants, in words.
    fn asked(&self) -> &'static str {
        match self.field.kind {
            FormFieldKind::Number => "enter a number",
            FormFieldKind::Money => "enter an amount",
            FormFieldKind::Date => "enter a valid date",
            FormFieldKind::Time => "enter a time such as 08:30",
            FormFieldKind::Email => "enter an e-mail address such as name@example.org",
            FormFieldKind::Telephone => "enter a phone number",
            FormFieldKind::Picture | FormFieldKind::Signature => "add a picture",
            FormFieldKind::File => "add a file",
            _ => "enter text",
        }
    }

    fn text(&self, text: &str, scope: &Scope<'_>, context: &Context) -> Result<Value, Wrong> {
        let field = &self.field;
        let text = text.trim();
        let wrong = || Wrong::Kind(self.asked());
        match field.kind {
            FormFieldKind::Number => {
                let number = read::number(text, context.reading).ok_or_else(wrong)?;
                self.within(Value::Number(number), scope, context)
            }
            FormFieldKind::Money => {
                let column = field.column().ok_or_else(wrong)?;
                let value = column.kind.read(&Cell::Text(text.into()), context.reading).ok_or_else(wrong)?;
                self.within(value, scope, context)
            }
            FormFieldKind::Date => {
                let date = read::date(text, context.reading).ok_or_else(wrong)?;
                self.within(Value::Date(date), scope, context)
            }
            FormFieldKind::Time => {
                let given = time(text).ok_or_else(wrong)?;
                let limit = |text: &str| time(text);
                match (limit(&field.least), limit(&field.most)) {
                    (Some(least), _) if given < least => Err(Wrong::Limit(format!("choose {} or later", clock(least)))),
                    (_, Some(most)) if given > most => Err(Wrong::Limit(format!("choose {} or earlier", clock(most)))),
                    _ => Ok(Value::text(clock(given))),
                }
            }
            FormFieldKind::Email => EmailAddress::parse(text).map(|a| Value::text(a.as_str())).map_err(|_| wrong()),
            FormFieldKind::Telephone => {
                let digits = text.chars().filter(char::is_ascii_digit).count();
                let signs = text.chars().all(|c| c.is_ascii_digit() || " +-()./".contains(c));
                if signs && (5..=15).contains(&digits) { Ok(Value::text(text)) } else { Err(wrong()) }
            }
            FormFieldKind::Choice => self.offered(text).map(Value::text),
            kind => {
                let signs = text.chars().count();
                let own = |limit: &str| limit.trim().parse::<usize>().ok();
                let top = MOST_SIGNS[usize::from(kind == FormFieldKind::LongText)];
                let most = own(&field.most).unwrap_or(top).min(top);
                if own(&field.least).is_some_and(|least| signs < least) {
                    return Err(Wrong::Limit(format!("enter at least {} characters (now {signs})", field.least.trim())));
                }
                if signs > most {
                    return Err(Wrong::Limit(format!("enter at most {most} characters (now {signs})")));
                }
                let kept = self.mask.as_ref().is_none_or(|m| m.fits(text)) && self.pattern.as_ref().is_none_or(|p| p.is_match(text));
                if kept { Ok(Value::text(text)) } else { Err(Wrong::Shape(field.message.trim().to_owned())) }
            }
        }
    }

    /// A value that keeps the field's limits.
    fn within(&self, value: Value, scope: &Scope<'_>, context: &Context) -> Result<Value, Wrong> {
        let beyond = |limit: &Option<Expr>, beyond: std::cmp::Ordering| -> Option<String> {
            // A limit that can't be worked out limits nothing.
            let limit = scope.value(limit.as_ref()?).ok().filter(|l| !l.is_blank())?;
            (compare(&value, &limit)? == beyond).then(|| plain(&limit, &context.locale).unwrap_or_default())
        };
        if let Some(least) = beyond(&self.least, std::cmp::Ordering::Less) {
            let word = if matches!(value, Value::Date(_)) { "not before" } else { "at least" };
            return Err(Wrong::Limit(format!("{word} {least}")));
        }
        if let Some(most) = beyond(&self.most, std::cmp::Ordering::Greater) {
            let word = if matches!(value, Value::Date(_)) { "not after" } else { "at most" };
            return Err(Wrong::Limit(format!("{word} {most}")));
        }
        Ok(value)
    }

    fn offered<'t>(&self, text: &'t str) -> Result<&'t str, Wrong> {
        match self.field.options.iter().any(|o| o.trim() == text.trim()) {
            true => Ok(text.trim()),
            false => Err(Wrong::NotOffered(text.chars().take(60).collect())),
        }
    }

    fn chosen(&self, chosen: &[String]) -> Result<Value, Wrong> {
        let limit = |text: &str| text.trim().parse::<usize>().ok();
        for option in chosen {
            self.offered(option)?;
        }
        if limit(&self.field.least).is_some_and(|least| chosen.len() < least) {
            return Err(Wrong::Limit(format!("choose at least {}", self.field.least.trim())));
        }
        if limit(&self.field.most).is_some_and(|most| chosen.len() > most) {
            return Err(Wrong::Limit(format!("choose at most {}", self.field.most.trim())));
        }
        // In the order of the form, each once.
        let kept = self.field.options.iter().filter(|o| chosen.iter().any(|c| c.trim() == o.trim()));
        Ok(Value::List(kept.map(|o| Value::text(o.trim())).collect()))
    }

    fn files(&self, files: &[GivenFile]) -> Result<Value, Wrong> {
        let field = &self.field;
        if files.len() > field.most_files() {
            return Err(Wrong::Limit(match field.most_files() {
                1 => "one file only".to_owned(),
                most => format!("at most {most} files (you added {})", files.len()),
            }));
        }
        for file in files {
            if file.bytes > field.largest() {
                return Err(Wrong::Limit(format!("“{}” is larger than {} MB", file.name, field.largest() >> 20)));
            }
            if field.kind.takes_pictures() && !file.picture {
                return Err(Wrong::Limit(format!("“{}” is not a readable picture. Use JPEG, PNG, GIF or WebP.", file.name)));
            }
        }
        let names: Vec<Value> = files.iter().map(|f| Value::text(&f.name)).collect();
        Ok(match field.most_files() {
            1 => names.into_iter().next().unwrap_or(Value::Blank),
            _ => Value::List(Arc::from(names)),
        })
    }
}

/// Which of two values of a kind is greater; an amount and a number by their size.
fn compare(value: &Value, limit: &Value) -> Option<std::cmp::Ordering> {
    let size = |value: &Value| match value {
        Value::Number(n) | Value::Percent(n) => Some(*n),
        Value::Money(money) => Some(money.amount),
        Value::Text(text) => read::number(text, Reading { decimal: '.', order: crate::value::DateOrder::DayFirst }),
        _ => None,
    };
    let day = |value: &Value| match value {
        Value::Date(date) => Some(*date),
        Value::DateTime(moment) => Some(moment.date()),
        _ => None,
    };
    match (day(value), day(limit)) {
        (Some(value), Some(limit)) => Some(value.cmp(&limit)),
        (None, None) => Some(size(value)?.cmp(&size(limit)?)),
        _ => None,
    }
}

/// Reads a time of day: `8:30`, `08:30`.
pub(super) fn time(text: &str) -> Option<Time> {
    let (hour, minute) = text.trim().split_once(':')?;
    let part = |text: &str| (text.len() <= 2 && !text.is_empty()).then(|| text.parse::<i8>().ok()).flatten();
    Time::new(part(hour)?, part(minute.get(..2)?).filter(|_| minute.len() == 2)?, 0, 0).ok()
}

fn clock(time: Time) -> String {
    format!("{:02}:{:02}", time.hour(), time.minute())
}

#[cfg(test)]
mod tests {
    use jiff::civil::date;

    use super::*;
    use crate::form::{Form, FormField};

    /// The winter lay-up request, as short as its rules allow.
    fn request() -> Form {
        let field = |id: u32, name: &str, kind: FormFieldKind| FormField { id, name: name.into(), kind, ..FormField::default() };
        Form {
            locale: "en-GB".into(),
            thanks: "Thank you, [: first name]. We expect [: boat before \"the \"] on [: arrival as date long].".into(),
            fields: vec![
                FormField { required: true, ..field(1, "first name", FormFieldKind::Text) },
                FormField { required: true, ..field(2, "boat", FormFieldKind::Text) },
                FormField { mask: "##.## m".into(), message: "Write it as 12.40 m".into(), ..field(3, "loa", FormFieldKind::Text) },
                FormField { options: vec!["Hall".into(), "Yard".into()], ..field(4, "place", FormFieldKind::Choice) },
                FormField {
                    shown_when: "place = \"Hall\"".into(),
                    required: true,
                    least: "1".into(),
                    most: "4.5".into(),
                    ..field(5, "height", FormFieldKind::Number)
                },
                FormField { least: "today + 2".into(), default: "[: today + 7]".into(), ..field(6, "arrival", FormFieldKind::Date) },
                FormField {
                    options: ["Mast", "Engine", "Hull"].map(String::from).to_vec(),
                    most: "2".into(),
                    ..field(7, "work", FormFieldKind::Choices)
                },
                FormField { most: "2".into(), megabytes: Some(1), ..field(8, "photo", FormFieldKind::Picture) },
                FormField { least: "08:00".into(), most: "17:30".into(), ..field(9, "hour", FormFieldKind::Time) },
                FormField { label: "I accept the yard's terms".into(), ..field(10, "terms", FormFieldKind::Accept) },
            ],
            ..Form::default()
        }
    }

    fn text(text: &str) -> Given {
        Given::Text(text.into())
    }

    fn picture(name: &str, bytes: u64, picture: bool) -> GivenFile {
        GivenFile { name: name.into(), bytes, picture }
    }

    /// What is wrong with an answer that would do, but for these.
    fn wrong(changed: &[(u32, Given)]) -> Vec<String> {
        let mut given = BTreeMap::from([(1, text("Ada")), (2, text("Grace")), (10, Given::Yes(true))]);
        given.extend(changed.iter().cloned());
        let rules = Rules::new(&request());
        assert_eq!(rules.problems(), []);
        let look = rules.look(&given, date(2026, 9, 1).at(9, 0, 0, 0));
        look.fields.iter().filter_map(|f| Some(format!("{} {}", f.field, f.wrong.as_ref()?))).collect()
    }

    #[test]
    fn an_answer_that_keeps_the_rules_will_do() {
        assert!(wrong(&[]).is_empty());
        let all = [
            (3, text("12.40 m")),
            (4, text("Hall")),
            (5, text("3.2")),
            (6, text("2026-09-03")),
            (7, Given::Many(vec!["Hull".into(), "Mast".into()])),
            (8, Given::Files(vec![picture("a.jpg", 9, true)])),
            (9, text("8:00")),
        ];
        assert!(wrong(&all).is_empty());
    }

    #[test]
    fn what_is_wrong_is_said_in_words() {
        assert_eq!(wrong(&[(1, text("  ")), (10, Given::Yes(false))]), ["1 this field is required", "10 accept this to continue"]);
        assert_eq!(wrong(&[(3, text("12.4"))]), ["3 Write it as 12.40 m"]);
        assert_eq!(wrong(&[(4, text("Shed"))]), ["4 “Shed” is not one of the options"]);
        assert_eq!(wrong(&[(6, text("2026-09-02"))]), ["6 not before 3 Sept 2026"]);
        assert_eq!(wrong(&[(6, text("2026-02-30"))]), ["6 enter a valid date"]);
        assert_eq!(wrong(&[(7, Given::Many(["Mast", "Engine", "Hull"].map(String::from).to_vec()))]), ["7 choose at most 2"]);
        assert_eq!(wrong(&[(9, text("17:31"))]), ["9 choose 17:30 or earlier"]);
        assert_eq!(wrong(&[(9, text("25:00"))]), ["9 enter a time such as 08:30"]);
        let photos = |files: Vec<GivenFile>| wrong(&[(8, Given::Files(files))]);
        assert_eq!(photos(vec![picture("a.jpg", 9, false)]), ["8 “a.jpg” is not a readable picture. Use JPEG, PNG, GIF or WebP."]);
        assert_eq!(photos(vec![picture("a.jpg", 2 << 20, true)]), ["8 “a.jpg” is larger than 1 MB"]);
        assert_eq!(photos(vec![picture("a.jpg", 9, true); 3]), ["8 at most 2 files (you added 3)"]);
        assert_eq!(wrong(&[(2, Given::Yes(true))]), ["2 enter text"]);
    }

    #[test]
    fn what_is_not_shown_is_not_asked_and_not_kept() {
        assert_eq!(wrong(&[(4, text("Hall"))]), ["5 this field is required"]);
        assert_eq!(wrong(&[(4, text("Hall")), (5, text("4.6"))]), ["5 at most 4.5"]);
        let rules = Rules::new(&request());
        let look = rules.look(&BTreeMap::from([(4, text("Yard")), (5, text("99"))]), date(2026, 9, 1).at(9, 0, 0, 0));
        assert!(!look.fields[4].shown && look.fields[4].wrong.is_none());
        assert_eq!(look.cells()[4], Cell::Blank);
    }

    #[test]
    fn defaults_are_worked_out_and_thanks_are_filled() {
        let rules = Rules::new(&request());
        let now = date(2026, 9, 1).at(9, 0, 0, 0);
        let look = rules.look(&BTreeMap::from([(1, text("Ada")), (2, text("Grace"))]), now);
        assert_eq!(look.fields[5].given, Some(text("2026-09-08")));
        assert_eq!(rules.thanks(&look.record, now), "Thank you, Ada. We expect the Grace on 8 September 2026.");
        // What was emptied stays empty.
        let look = rules.look(&BTreeMap::from([(6, text(""))]), now);
        assert_eq!(look.cells()[5], Cell::Blank);
    }

    /// An order of rope by the metre and other things by the piece.
    fn order() -> Form {
        let field = |id: u32, name: &str, kind: FormFieldKind| FormField { id, name: name.into(), kind, ..FormField::default() };
        let row = |field: FormField| FormField { group: 2, ..field };
        Form {
            locale: "en-GB".into(),
            fields: vec![
                FormField { default: "10".into(), ..field(1, "discount", FormFieldKind::Number) },
                FormField { required: true, most: "3".into(), ..field(2, "lines", FormFieldKind::Rows) },
                row(FormField { required: true, ..field(3, "item", FormFieldKind::Text) }),
                row(FormField { required: true, least: "1".into(), default: "1".into(), ..field(4, "quantity", FormFieldKind::Number) }),
                row(FormField { currency: "EUR".into(), ..field(5, "price", FormFieldKind::Money) }),
                row(FormField {
                    currency: "EUR".into(),
                    formula: "quantity * price * (1 - discount%)".into(),
                    ..field(6, "amount", FormFieldKind::Computed)
                }),
                FormField { currency: "EUR".into(), formula: "sum(lines.(amount))".into(), ..field(7, "total", FormFieldKind::Computed) },
                FormField { formula: "count(lines)".into(), ..field(8, "number of lines", FormFieldKind::Computed) },
            ],
            ..Form::default()
        }
    }

    fn rows(rows: &[&[(u32, &str)]]) -> BTreeMap<u32, Given> {
        let row = |row: &&[(u32, &str)]| row.iter().map(|(field, given)| (*field, text(given))).collect();
        BTreeMap::from([(2, Given::Rows(rows.iter().map(row).collect()))])
    }

    #[test]
    fn rows_are_worked_out_as_they_are_filled_in_and_become_a_list() {
        let rules = Rules::new(&order());
        assert_eq!(rules.problems(), []);
        let now = date(2026, 9, 1).at(9, 0, 0, 0);
        let look = rules.look(&rows(&[&[(3, "Rope"), (4, "12"), (5, "2.50")], &[(3, ""), (5, " ")], &[(3, "Cleat"), (5, "8")]]), now);
        assert!(look.will_do(), "{:?}", look.fields);
        let said = |at: usize, field: usize| look.fields[1].rows[at][field].computed.clone().unwrap_or_default();
        assert_eq!([said(0, 3), said(1, 3), said(2, 3)], ["€27.00", "", "€7.20"]);
        assert_eq!(look.fields[2].computed.as_deref(), Some("€34.20"));
        // A row in which nothing was given is none.
        assert_eq!(look.fields[3].computed.as_deref(), Some("2"));
        let Cell::Nested(json) = &look.cells()[1] else { panic!("no list: {:?}", look.cells()) };
        assert_eq!(json.as_array().map(Vec::len), Some(2), "{json}");
        assert_eq!(json[0]["item"], "Rope");
        assert_eq!(json[1]["quantity"].to_string().trim_matches('"'), "1", "by its default: {json}");
        // What a person sends for what is worked out counts for nothing.
        let mut forged = rows(&[&[(3, "Rope"), (4, "1"), (5, "100"), (6, "0.01")]]);
        forged.insert(7, text("0.01"));
        assert_eq!(rules.look(&forged, now).fields[2].computed.as_deref(), Some("€90.00"));
    }

    #[test]
    fn what_is_wrong_in_a_row_is_told_in_the_row() {
        let rules = Rules::new(&order());
        let now = date(2026, 9, 1).at(9, 0, 0, 0);
        let wrong = |given: BTreeMap<u32, Given>| -> Vec<String> {
            let look = rules.look(&given, now);
            let of = |field: &LookedAt, place: String| field.wrong.as_ref().map(|wrong| format!("{place}{} {wrong}", field.field));
            let rows = |field: &LookedAt| -> Vec<String> {
                let row =
                    |(at, row): (usize, &Vec<LookedAt>)| row.iter().filter_map(|own| of(own, format!("row {at}: "))).collect::<Vec<_>>();
                field.rows.iter().enumerate().flat_map(row).collect()
            };
            look.fields.iter().flat_map(|field| of(field, String::new()).into_iter().chain(rows(field))).collect()
        };
        assert_eq!(wrong(BTreeMap::new()), ["2 this field is required"]);
        assert_eq!(wrong(rows(&[&[(3, "")]])), ["2 this field is required"]);
        assert_eq!(
            wrong(rows(&[&[(3, "Rope"), (4, "0")], &[(5, "dear")]])),
            ["row 0: 4 at least 1", "row 1: 3 this field is required", "row 1: 5 enter an amount"]
        );
        assert_eq!(wrong(rows(&[&[(3, "a")], &[(3, "b")], &[(3, "c")], &[(3, "d")]])), ["2 at most 3 rows"]);
        assert_eq!(wrong(BTreeMap::from([(2, text("x"))])), ["2 add rows"]);
        // However many are sent, so many are looked at.
        let many: Vec<BTreeMap<u32, Given>> = vec![BTreeMap::from([(3, text("x"))]); 5_000];
        assert_eq!(rules.look(&BTreeMap::from([(2, Given::Rows(many))]), now).fields[1].rows.len(), MOST_ROWS);
    }

    #[test]
    fn what_is_wrong_with_rows_as_they_are_written_is_told() {
        let mut form = order();
        form.fields[2].name = "Quantity".into();
        form.fields[4].kind = FormFieldKind::Picture;
        form.fields[5].formula = "quantity * total".into();
        form.fields[6].formula = String::new();
        form.fields[7].group = 99;
        let rules = Rules::new(&form);
        let said: Vec<String> = rules.problems().iter().map(ToString::to_string).collect();
        assert!(said.iter().any(|own| own.contains("two fields of a row are named")), "{said:?}");
        assert!(said.iter().any(|own| own.contains("can't be in rows")), "{said:?}");
        assert!(said.iter().any(|own| own.contains("enter a formula")), "{said:?}");
        assert!(said.iter().any(|own| own.contains("are not above it")), "{said:?}");
        assert!(said.iter().any(|own| own.contains("no field") || own.contains("total")), "{said:?}");
        // Without fields there is nothing to add.
        let mut form = order();
        form.fields.retain(|field| field.group == 0);
        assert!(Rules::new(&form).problems().iter().any(|own| own.to_string().contains("the rows have no fields")));
    }

    #[test]
    fn what_is_wrong_with_a_form_names_field_and_part() {
        let mut form = request();
        form.fields[0].name = "Boat".into();
        form.fields[2].mask = "m".into();
        form.fields[3].options.truncate(1);
        form.fields[3].shown_when = "height > 2".into();
        form.fields[4].shown_when = "plaec = 1".into();
        form.fields[5].least = "today +".into();
        form.fields[6].most = "two".into();
        form.fields[8].most = "5pm".into();
        let rules = Rules::new(&form);
        let said: Vec<String> = rules.problems().iter().map(|p| format!("{:?}: {p}", p.target)).collect();
        insta::assert_snapshot!(said.join("\n"));
        // It still looks at answers with what can be used.
        assert!(!rules.look(&BTreeMap::new(), date(2026, 9, 1).at(9, 0, 0, 0)).will_do());
    }
}
