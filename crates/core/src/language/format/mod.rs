//! `as …`: how a value is written. A format never changes a value, and refuses
//! one that it can't write.

mod date;
mod number;
mod phone;

use std::sync::Arc;

use rust_decimal::Decimal;

use super::error::{Fault, SyntaxFault};
use super::function::NULL_DATE;
use crate::value::{Currency, Length, Locale, Money, Value, spell};

pub use number::NumberPattern;
pub use phone::PhoneForm;

/// A format, checked when the placeholder is read.
#[derive(Debug, Clone, PartialEq)]
pub enum Format {
    /// `as number`, `as number "0.00"`
    Number(Option<NumberPattern>),
    /// `as money`, `as money "EUR"`: labels plain numbers, refuses another currency
    Money(Option<Currency>),
    /// `as percent`, `as percent "0.0%"`
    Percent(Option<NumberPattern>),
    /// `as date`, `as date long`
    Date(Length),
    /// `as date "d MMMM yyyy"` or `as time "HH:mm"` (UTS #35)
    Pattern(Arc<str>),
    /// `as time`
    Time,
    /// `as upper`
    Upper,
    /// `as lower`
    Lower,
    /// `as title`
    Title,
    /// `as yes/no`, `as yes/no "aye;nay"`
    YesNo(Option<(Arc<str>, Arc<str>)>),
    /// `as words`: CLDR's spelled-out numbers
    Words,
    /// `as phone`, `as phone "international"`
    Phone(PhoneForm),
}

impl Format {
    /// Whether `as` before this word makes it a format.
    pub fn is_name(word: &str) -> bool {
        ["number", "money", "percent", "date", "time", "words", "upper", "lower", "title", "yes", "list", "phone"]
            .iter()
            .any(|name| name.eq_ignore_ascii_case(word))
    }

    /// Reads a format's word and what stands behind it.
    pub(super) fn read(word: &str, detail: Option<&str>, quoted: bool) -> Result<Format, SyntaxFault> {
        let length = match detail {
            _ if quoted => None,
            Some("short") => Some(Length::Short),
            Some("medium") => Some(Length::Medium),
            Some("long") => Some(Length::Long),
            Some("full") => Some(Length::Full),
            _ => None,
        };
        let text = detail.filter(|_| quoted);
        let pattern = || text.map(NumberPattern::read).transpose();
        Ok(match word {
            "number" => Format::Number(pattern()?),
            "percent" => Format::Percent(pattern()?),
            "money" => Format::Money(text.map(Currency::parse).transpose()?),
            "date" | "time" if text.is_some() => {
                let text = text.unwrap_or_default();
                date::check(text)?;
                Format::Pattern(text.into())
            }
            "date" => Format::Date(length.unwrap_or(Length::Medium)),
            "time" => Format::Time,
            "upper" => Format::Upper,
            "lower" => Format::Lower,
            "title" => Format::Title,
            "yes/no" => Format::YesNo(text.and_then(|t| t.split_once([';', ',', '/'])).map(|(y, n)| (y.trim().into(), n.trim().into()))),
            "words" => Format::Words,
            "phone" => Format::Phone(phone::form(text)?),
            other => return Err(SyntaxFault::UnknownFormat(other.to_owned())),
        })
    }

    /// Writes a value that is not blank.
    pub fn write(&self, value: &Value, locale: &Locale) -> Result<String, Fault> {
        match self {
            Format::Number(pattern) => {
                let number = self.number(value, "a number")?;
                Ok(match pattern {
                    Some(pattern) => pattern.write(number, locale),
                    None => locale.number(number, 0, 3, true),
                })
            }
            Format::Percent(pattern) => {
                let number = self.number(value, "a number")?;
                match pattern {
                    Some(pattern) => Ok(pattern.write(number, locale)),
                    None => percent(number, locale),
                }
            }
            Format::Money(wanted) => match (value, wanted) {
                (Value::Money(money), Some(wanted)) if money.currency != *wanted => {
                    Err(Fault::OtherCurrency { have: money.currency.to_string(), wanted: wanted.to_string() })
                }
                (Value::Money(money), _) => Ok(locale.money(*money)),
                (_, Some(currency)) => Ok(locale.money(Money { amount: self.number(value, "an amount")?, currency: *currency })),
                (_, None) => Err(Fault::Format("this number has no currency. For example, write `as money \"EUR\"`".to_owned())),
            },
            Format::Date(length) => match date::of(value) {
                Some(moment) => Ok(locale.date(moment.date(), *length)),
                None => Err(wrong(value, "a date", locale)),
            },
            Format::Pattern(pattern) => {
                let moment = date::of(value).ok_or_else(|| wrong(value, "a date", locale))?;
                locale
                    .date_pattern(moment, pattern)
                    .ok_or_else(|| Fault::Format(format!("pattern “{pattern}” is not available in this language")))
            }
            Format::Time => {
                let moment = date::of(value).ok_or_else(|| wrong(value, "a time", locale))?;
                Ok(format!("{:02}:{:02}", moment.hour(), moment.minute()))
            }
            Format::Upper => Ok(plain(value, locale)?.to_uppercase()),
            Format::Lower => Ok(plain(value, locale)?.to_lowercase()),
            Format::Title => Ok(title(&plain(value, locale)?)),
            Format::YesNo(words) => match (value, words) {
                (Value::Bool(yes), Some((y, n))) => Ok(if *yes { y } else { n }.to_string()),
                (Value::Bool(yes), None) => Ok(locale.yes_no(*yes).to_owned()),
                _ => Err(wrong(value, "a yes/no value", locale)),
            },
            Format::Words => {
                let number = self.number(value, "a number")?;
                spell(number, locale).ok_or_else(|| {
                    Fault::Format(format!("numbers in words are not available in {}. Choose another language with `in`.", locale.tag()))
                })
            }
            Format::Phone(form) => Ok(phone::write(&plain(value, locale)?, *form, locale)),
        }
    }

    fn number(&self, value: &Value, expected: &'static str) -> Result<Decimal, Fault> {
        match value {
            Value::Number(number) | Value::Percent(number) => Ok(*number),
            Value::Money(money) => Ok(money.amount),
            Value::Text(text) => text.trim().parse().map_err(|_| wrong(value, expected, &Locale::english())),
            other => Err(wrong(other, expected, &Locale::english())),
        }
    }
}

/// A percentage with up to two places; by CLDR some languages part the sign from it.
fn percent(number: Decimal, locale: &Locale) -> Result<String, Fault> {
    let hundred = number.checked_mul(Decimal::ONE_HUNDRED).ok_or(Fault::Overflow)?;
    let parted = matches!(locale.language().as_str(), "de" | "fr" | "es" | "sv" | "da" | "nb" | "fi" | "cs");
    Ok(format!("{}{}%", locale.number(hundred, 0, 2, true), if parted { "\u{a0}" } else { "" }))
}

fn wrong(value: &Value, expected: &'static str, locale: &Locale) -> Fault {
    Fault::Kind { expected, kind: value.kind(), value: plain(value, locale).unwrap_or_default() }
}

/// Writes a value without `as`: numbers ungrouped with at most 10 places, percentages
/// with up to 2, dates of medium length, yes and no in the locale's words, lists joined.
pub fn plain(value: &Value, locale: &Locale) -> Result<String, Fault> {
    Ok(match value {
        Value::Blank => String::new(),
        Value::Bool(yes) => locale.yes_no(*yes).to_owned(),
        // Places that were typed are kept: 960.50 stays 960.50. More than ten are none that
        // anyone typed.
        Value::Number(number) => locale.number(*number, if number.scale() > 10 { 0 } else { number.scale() }, 10, false),
        Value::Percent(number) => percent(*number, locale)?,
        Value::Money(money) => locale.money(*money),
        Value::Date(date) => locale.date(*date, Length::Medium),
        // A time of day stands on the null date.
        Value::DateTime(moment) if moment.date() == NULL_DATE => format!("{:02}:{:02}", moment.hour(), moment.minute()),
        Value::DateTime(moment) => format!("{} {:02}:{:02}", locale.date(moment.date(), Length::Medium), moment.hour(), moment.minute()),
        Value::Text(text) => text.to_string(),
        Value::List(items) => join(items, None, |item| plain(item, locale))?,
        Value::Record(_) => {
            return Err(Fault::Kind { expected: "a value", kind: "a record", value: "choose one of its fields".to_owned() });
        }
        Value::Misfit(misfit) => {
            return Err(Fault::from(&**misfit));
        }
    })
}

/// The items that are not blank, parted by commas, the last by a word if given.
pub(super) fn join(items: &[Value], last: Option<&str>, mut write: impl FnMut(&Value) -> Result<String, Fault>) -> Result<String, Fault> {
    let mut written = Vec::new();
    for item in items.iter().filter(|item| !item.is_blank()) {
        written.push(write(item)?);
    }
    Ok(match (written.pop(), last) {
        (None, _) => String::new(),
        (Some(only), _) if written.is_empty() => only,
        (Some(end), Some(word)) => format!("{} {word} {end}", written.join(", ")),
        (Some(end), None) => format!("{}, {end}", written.join(", ")),
    })
}

/// Each word with a capital and the rest small. An apostrophe begins a word behind a
/// single letter (O'Hara, d'Arcy) and stands within one elsewhere (the tenant's).
fn title(text: &str) -> String {
    let mut letters = 0;
    capitals(text, |c| {
        let starts = letters == 0;
        letters = match c {
            c if c.is_alphabetic() => letters + 1,
            '\'' | '’' if letters > 1 => letters,
            _ => 0,
        };
        starts
    })
}

/// A text whose letters are small but for those that begin something.
pub(super) fn capitals(text: &str, mut begins: impl FnMut(char) -> bool) -> String {
    let mut out = String::with_capacity(text.len());
    for c in text.chars() {
        match (begins(c), c.is_alphabetic()) {
            (true, true) => out.extend(c.to_uppercase()),
            (false, true) => out.extend(c.to_lowercase()),
            _ => out.push(c),
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    fn write(format: &str, detail: Option<&str>, quoted: bool, value: Value, tag: &str) -> String {
        let locale = Locale::parse(tag).expect(tag);
        match Format::read(format, detail, quoted) {
            Ok(format) => format.write(&value, &locale).unwrap_or_else(|fault| format!("fault: {fault}")),
            Err(fault) => format!("problem: {fault}"),
        }
    }

    fn number(text: &str) -> Value {
        Value::Number(text.parse().expect("a number"))
    }

    #[test]
    fn money_labels_plain_numbers_and_refuses_another_currency() {
        assert_eq!(write("money", Some("EUR"), true, number("1234.5"), "en-GB"), "€1,234.50");
        let pounds = Value::Money(Money { amount: "5".parse().expect("amount"), currency: Currency::GBP });
        assert_eq!(
            write("money", Some("EUR"), true, pounds.clone(), "en-GB"),
            "fault: this amount is in GBP, and the placeholder prints EUR; Mangle does not convert currencies: set the column's currency to EUR, or print it in GBP"
        );
        assert_eq!(write("money", None, false, pounds, "de-DE"), "5,00\u{a0}£");
    }

    #[test]
    fn percent_and_number_follow_the_locale() {
        assert_eq!(write("percent", None, false, number("0.075"), "en-GB"), "7.5%");
        assert_eq!(write("percent", None, false, number("0.075"), "de-DE"), "7,5\u{a0}%");
        assert_eq!(write("number", Some("#,##0.00"), true, number("48112.5"), "de-DE"), "48.112,50");
        assert_eq!(write("number", Some("0000"), true, number("42"), "en-GB"), "0042");
    }

    #[test]
    fn names_are_written_large_small_and_as_titles() {
        assert_eq!(write("upper", None, false, Value::text("Straße"), "de-DE"), "STRASSE");
        assert_eq!(write("title", None, false, Value::text("marie-hélène o’hara"), "fr-FR"), "Marie-Hélène O’Hara");
        assert_eq!(write("title", None, false, Value::text("THE TENANT'S KEY"), "en-GB"), "The Tenant's Key");
    }

    #[test]
    fn lists_are_joined() {
        let list = Value::List(vec![Value::text("Grace"), Value::Blank, Value::text("Möwe"), Value::text("Burza")].into());
        let Value::List(items) = &list else { panic!("a list") };
        assert_eq!(join(items, Some("and"), |v| plain(v, &Locale::english())).as_deref(), Ok("Grace, Möwe and Burza"));
        assert_eq!(plain(&list, &Locale::english()).as_deref(), Ok("Grace, Möwe, Burza"));
    }

    #[test]
    fn numbers_in_words_and_telephones() {
        assert_eq!(write("words", None, false, number("1480"), "de-DE"), "eintausendvierhundertachtzig");
        assert!(write("words", None, false, number("1480"), "ja-JP").starts_with("fault: numbers in words are not available in ja-JP"));
        assert_eq!(write("phone", None, false, Value::text("+442079460614"), "en-GB"), "020 7946 0614");
        assert_eq!(write("phone", None, false, Value::text("020 79460614"), "nl-NL"), "020 79460614");
        assert_eq!(write("phone", None, false, Value::text("+442079460614"), "nl-NL"), "+44 20 7946 0614");
        assert_eq!(write("phone", Some("international"), true, Value::text("020 7946 0614"), "en-GB"), "+44 20 7946 0614");
        assert_eq!(write("phone", Some("digits"), true, Value::text("020 7946 0614"), "en-GB"), "+442079460614");
        assert_eq!(write("phone", None, false, Value::text("ask Ida"), "en-GB"), "ask Ida");
        assert!(write("phone", Some("loud"), true, Value::text("1"), "en-GB").starts_with("problem: "));
    }

    #[test]
    fn a_format_refuses_what_it_cannot_write() {
        assert_eq!(write("date", None, false, Value::text("soon"), "en-GB"), "fault: expected a date, but got text: soon");
    }
}
