//! Placeholders put together by choosing, for people who write none.

use super::format::Format;
use super::plain;
use crate::value::{Locale, Value};

/// What a placeholder is put together from; what is blank is left out.
#[derive(Debug, Clone, Copy, Default)]
pub struct Composed<'a> {
    /// The path to the field, as it is written.
    pub path: &'a str,
    /// What stands behind `as`.
    pub format: &'a str,
    /// A BCP 47 tag to print by.
    pub locale: &'a str,
    /// What stands there when the field is blank.
    pub fallback: &'a str,
    /// Whether that is a field's path, not a text.
    pub fallback_is_field: bool,
    /// Text before the value.
    pub before: &'a str,
    /// Text after it.
    pub after: &'a str,
    /// The condition under which it is printed at all.
    pub condition: &'a str,
}

/// The placeholder of the choices made.
pub fn compose(chosen: &Composed<'_>) -> String {
    let mut inner = chosen.path.trim().to_owned();
    let mut option = |word: &str, text: String| {
        if !text.is_empty() {
            inner.push_str(&format!(" {word} {text}"));
        }
    };
    option("as", chosen.format.trim().to_owned());
    option("in", if chosen.locale.trim().is_empty() { String::new() } else { quoted(chosen.locale.trim()) });
    option("before", if chosen.before.is_empty() { String::new() } else { quoted(chosen.before) });
    option("after", if chosen.after.is_empty() { String::new() } else { quoted(chosen.after) });
    let fallback = chosen.fallback.trim();
    option(
        "else",
        match (fallback.is_empty(), chosen.fallback_is_field) {
            (true, _) => String::new(),
            (false, true) => fallback.to_owned(),
            (false, false) => quoted(chosen.fallback),
        },
    );
    match chosen.condition.trim() {
        "" => format!("[: {inner}]"),
        condition => format!("[:if {condition}][: {inner}][:end]"),
    }
}

/// The condition that a field holds a value: `status = "overdue"`, `since = 2026-04-01`,
/// `e-mail is blank`. None for what no condition asks for: lists, records, times and
/// texts of several lines.
pub fn condition_of(field: &str, value: &Value) -> Option<String> {
    let name = super::written(field);
    Some(match value {
        Value::Blank => format!("{name} is blank"),
        Value::Bool(true) => name,
        Value::Bool(false) => format!("not {name}"),
        Value::Text(text) if text.contains(['\n', '\r']) => return None,
        Value::Text(text) => format!("{name} = {}", quoted(text)),
        Value::Number(number) | Value::Percent(number) => format!("{name} = {}", number.normalize()),
        Value::Money(money) => format!("{name} = {}", money.amount.normalize()),
        Value::Date(date) => format!("{name} = {date}"),
        Value::DateTime(moment) if moment.second() == 0 => format!("{name} = {}", moment.strftime("%Y-%m-%dT%H:%M")),
        _ => return None,
    })
}

fn quoted(text: &str) -> String {
    format!("\"{}\"", text.replace('"', "\"\""))
}

/// A format that fits a value.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Offered {
    /// What stands behind `as`.
    pub format: String,
    /// In words.
    pub about: &'static str,
    /// What it makes of the value.
    pub sample: String,
}

/// Formats by word, detail, whether the detail is quoted, and what they are.
const FORMATS: [(&str, Option<&str>, bool, &str); 23] = [
    ("date", Some("short"), false, "date, short"),
    ("date", Some("medium"), false, "date, medium"),
    ("date", Some("long"), false, "date, long"),
    ("date", Some("full"), false, "date with weekday"),
    ("date", Some("d MMMM"), true, "day and month"),
    ("date", Some("MMMM yyyy"), true, "month and year"),
    ("time", None, false, "time of day"),
    ("money", None, false, "money, own currency"),
    ("money", Some("EUR"), true, "money, in euros"),
    ("money", Some("GBP"), true, "money, in pounds"),
    ("number", None, false, "number, thousands separators"),
    ("number", Some("0"), true, "number, no decimals"),
    ("number", Some("#,##0.00"), true, "number, two decimals"),
    ("number", Some("0000"), true, "number, four digits"),
    ("percent", None, false, "percent"),
    ("words", None, false, "number in words"),
    ("upper", None, false, "UPPERCASE"),
    ("lower", None, false, "lowercase"),
    ("title", None, false, "Title Case"),
    ("phone", None, false, "phone number"),
    ("phone", Some("international"), true, "phone number, international"),
    ("yes/no", None, false, "yes or no"),
    ("list", Some("and"), true, "list with “and”"),
];

/// The formats that fit a value, with what they make of it.
pub fn formats(value: &Value, locale: &Locale) -> Vec<Offered> {
    let own = match value {
        Value::List(items) if items.iter().all(|i| !matches!(i, Value::Record(_))) => Some("list"),
        _ => None,
    };
    FORMATS
        .iter()
        .filter(|(word, ..)| own.is_none_or(|own| own == *word) && fits(value, word))
        .filter_map(|(word, detail, quoted, about)| {
            let sample = match (value, *word) {
                (Value::List(items), "list") => super::format::join(items, *detail, |v| plain(v, locale)).ok()?,
                (_, "list") => return None,
                (value, word) => Format::read(word, *detail, *quoted).ok()?.write(value, locale).ok()?,
            };
            let detail = detail.map(|d| if *quoted { format!(" \"{d}\"") } else { format!(" {d}") }).unwrap_or_default();
            Some(Offered { format: format!("{word}{detail}"), about, sample })
        })
        .collect()
}

/// Whether a format is of use for a kind of value.
fn fits(value: &Value, word: &str) -> bool {
    match value {
        Value::Date(_) => word == "date",
        Value::DateTime(_) => matches!(word, "date" | "time"),
        Value::Money(_) => matches!(word, "money" | "number" | "words"),
        Value::Number(_) | Value::Percent(_) => matches!(word, "number" | "money" | "percent" | "words"),
        Value::Bool(_) => word == "yes/no",
        Value::Text(_) => matches!(word, "upper" | "lower" | "title" | "phone"),
        Value::List(_) => word == "list",
        _ => false,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::template::TextTemplate;

    #[test]
    fn choices_become_a_placeholder_without_problems() {
        let plain = Composed { path: "balance", ..Composed::default() };
        assert_eq!(compose(&plain), "[: balance]");
        let dressed = Composed {
            path: "holder.mobile",
            format: "phone \"international\"",
            locale: "nl-NL",
            fallback: "home phone",
            fallback_is_field: true,
            before: "call ",
            after: ", please",
            condition: "liveaboard",
        };
        let text = compose(&dressed);
        assert_eq!(
            text,
            "[:if liveaboard][: holder.mobile as phone \"international\" in \"nl-NL\" before \"call \" after \", please\" else home phone][:end]"
        );
        assert!(TextTemplate::new(&text).problems().is_empty());
        let quoted = compose(&Composed { path: "note", fallback: "no \"note\"", ..Composed::default() });
        assert_eq!(quoted, "[: note else \"no \"\"note\"\"\"]");
        assert!(TextTemplate::new(&quoted).problems().is_empty());
    }

    #[test]
    fn the_condition_of_a_value_holds_for_that_value_alone() {
        use crate::language::Context;
        use crate::records::{Column, ColumnType, Filter, Record, Schema};
        use crate::value::{Currency, Money};
        use std::sync::Arc;

        let gbp = Currency::parse("GBP").expect("a currency");
        let money = |amount: &str| Value::Money(Money { amount: amount.parse().expect("an amount"), currency: gbp });
        let number = |text: &str| Value::Number(text.parse().expect("a number"));
        let cases = [
            ("Berth", ColumnType::Text, Value::text("A \"10\""), Value::text("A 10"), "Berth = \"A \"\"10\"\"\""),
            ("Balance (£)", ColumnType::Money(gbp), money("480.50"), money("480.51"), "'Balance (£)' = 480.5"),
            ("terms and conditions", ColumnType::YesNo, Value::Bool(false), Value::Bool(true), "not 'terms and conditions'"),
            ("Length", ColumnType::Number, number("-3"), number("3"), "Length = -3"),
            ("Since", ColumnType::Date, Value::Date(jiff::civil::date(2026, 4, 1)), Value::Blank, "Since = 2026-04-01"),
            ("E-mail", ColumnType::Email, Value::Blank, Value::text("a@example.org"), "E-mail is blank"),
        ];
        let context = Context::new(Locale::english(), "2026-11-23T12:00".parse().expect("a moment"));
        for (name, kind, value, other, wanted) in cases {
            let condition = condition_of(name, &value).expect("a condition");
            assert_eq!(condition, wanted);
            let schema = Arc::new(Schema::new(vec![Column::new(name, kind)]).expect("a schema"));
            let filter = Filter::read(&condition, &schema).unwrap_or_else(|e| panic!("{condition}: {e}"));
            let holds = |value: Value| filter.passes(&Record::new(schema.clone(), vec![value], 1), &context);
            assert_eq!(holds(value), Ok(true), "{condition}");
            assert_eq!(holds(other), Ok(false), "{condition}");
        }
    }

    #[test]
    fn formats_are_offered_by_what_the_value_is() {
        let locale = Locale::english();
        let of = |value: Value| formats(&value, &locale).into_iter().map(|o| format!("{}: {}", o.format, o.sample)).collect::<Vec<_>>();
        let date = of(Value::Date(jiff::civil::date(2026, 9, 30)));
        assert!(date.contains(&"date long: 30 September 2026".to_owned()), "{date:?}");
        assert!(date.iter().all(|d| d.starts_with("date")));
        assert!(of(Value::text("de Boer")).contains(&"upper: DE BOER".to_owned()));
        assert!(of(Value::Blank).is_empty());
        let list = Value::List([Value::text("a"), Value::text("b")].into());
        assert_eq!(of(list), ["list \"and\": a and b"]);
    }
}
