//! Looks at an answer, whole or while it is typed: which fields are shown, what
//! stands in them, and what is wrong.

use std::collections::BTreeMap;
use std::sync::Arc;

use jiff::civil::{DateTime, Time};

use super::rules::Rule;
use super::{FormFieldKind, Rules};
use crate::language::syntax::Expr;
use crate::language::{Context, Scope, Ties, plain};
use crate::records::{Cell, Record};
use crate::value::read::{self, Reading};
use crate::value::{EmailAddress, Value};

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
            // A condition that can't be worked out hides nothing.
            let shown = rule.shown_when.as_ref().is_none_or(|expr| scope.holds(expr).unwrap_or(true));
            let by_default = || rule.default.as_ref().map(|text| rule.by_default(&text.fill(&scope).unwrap_or_default(), &context));
            let own = given.get(&rule.field.id).cloned().or_else(by_default);
            let mut looked = LookedAt { field: rule.field.id, shown, given: own, wrong: None };
            if let (true, Some(column)) = (shown, rule.column) {
                match rule.read(looked.given.as_ref(), &scope, &context) {
                    Ok(value) => values[column] = value,
                    Err(wrong) => looked.wrong = Some(wrong),
                }
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
        self.fields.iter().all(|f| f.wrong.is_none())
    }

    /// The answer as the cells of a row, in the order of the columns.
    pub fn cells(&self) -> Vec<Cell> {
        self.record.values().iter().map(Cell::of).collect()
    }
}

impl Rule {
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
