//! Typed text: numbers, money, dates and yes/no as people write them, read by
//! the source's locale. Every reader takes the whole text or nothing.

use jiff::civil::{Date, DateTime, Time};
use rust_decimal::Decimal;

use super::{Currency, DateOrder, Locale, Money};

/// What typed text looks like in one locale.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Reading {
    /// The decimal mark, `.` or `,`.
    pub decimal: char,
    /// The order of day, month and year in a date of three numbers.
    pub order: DateOrder,
}

impl Reading {
    /// How text is read in a locale.
    pub fn of(locale: &Locale) -> Reading {
        Reading { decimal: locale.decimal_mark(), order: locale.date_order() }
    }
}

/// Reads a number: sign, digits with grouping in threes, decimal mark. Text with
/// a leading zero (`007`), a leading plus or more than 15 digits is not a number
/// but a number plate, a postcode or an account, and stays text.
pub fn number(text: &str, how: Reading) -> Option<Decimal> {
    let text = text.trim();
    let (negative, text) = match text.strip_prefix(['-', '−', '–']) {
        Some(rest) => (true, rest.trim_start()),
        // Bookkeepers write what is owed in brackets.
        None => match in_brackets(text) {
            Some(inner) if inner.contains(how.decimal) => (true, inner),
            _ => (false, text),
        },
    };
    let (whole, fraction) = match text.split_once(how.decimal) {
        Some((whole, fraction)) => (whole, Some(fraction)),
        None => (text, None),
    };
    let whole = ungroup(whole, how.decimal)?;
    let fraction = fraction.unwrap_or("");
    if !fraction.bytes().all(|b| b.is_ascii_digit()) || (fraction.is_empty() && text.ends_with(how.decimal)) {
        return None;
    }
    if (whole.len() > 1 && whole.starts_with('0')) || whole.len() + fraction.len() > 15 {
        return None;
    }
    let mut read: Decimal = format!("{whole}.{fraction}").trim_end_matches('.').parse().ok()?;
    read.set_sign_negative(negative && !read.is_zero());
    Some(read)
}

fn in_brackets(text: &str) -> Option<&str> {
    text.strip_prefix('(')?.strip_suffix(')').map(str::trim)
}

/// Reads a percentage with its sign: `10%` is 0.1.
pub fn percent(text: &str, how: Reading) -> Option<Decimal> {
    number(text.trim().strip_suffix('%')?, how)?.checked_div(Decimal::ONE_HUNDRED).map(|n| n.normalize())
}

/// Reads a time of day: `9:30`, `09:30:15`, `9.30 pm` with am or pm, `24:00` never.
pub fn time(text: &str) -> Option<Time> {
    let text = text.trim().to_ascii_lowercase();
    let half = |end: &str| text.strip_suffix(end).map(str::trim_end);
    let (digits, offset) = match (half("am").or_else(|| half("a.m.")), half("pm").or_else(|| half("p.m."))) {
        (Some(rest), _) => (rest, Some(0)),
        (_, Some(rest)) => (rest, Some(12)),
        _ => (text.as_str(), None),
    };
    let mark = if offset.is_some() && !digits.contains(':') { '.' } else { ':' };
    let mut pieces = digits.split(mark).map(small);
    let hour = pieces.next()??;
    let minute = match pieces.next() {
        Some(minute) => minute?,
        None if offset.is_some() => 0,
        None => return None,
    };
    let second = pieces.next().unwrap_or(Some(0))?;
    let hour = match offset {
        Some(offset) if (1..=12).contains(&hour) => hour % 12 + offset,
        Some(_) => return None,
        None => hour,
    };
    if pieces.next().is_some() {
        return None;
    }
    Time::new(hour, minute, second, 0).ok()
}

/// Takes the grouping out of the digits before the decimal mark. Groups are
/// parted by one and the same sign and hold three digits but for the first.
fn ungroup(whole: &str, decimal: char) -> Option<String> {
    if !whole.is_empty() && whole.bytes().all(|b| b.is_ascii_digit()) {
        return Some(whole.to_owned());
    }
    let is_mark = |c: char| c != decimal && matches!(c, '.' | ',' | ' ' | '\'' | '’' | '\u{a0}' | '\u{202f}');
    let mark = whole.chars().find(|c| is_mark(*c))?;
    let mut groups = whole.split(mark);
    let first = groups.next()?;
    let digits = |group: &str| group.bytes().all(|b| b.is_ascii_digit());
    if first.is_empty() || first.len() > 3 || !digits(first) {
        return None;
    }
    let mut joined = first.to_owned();
    for group in groups {
        if group.len() != 3 || !digits(group) {
            return None;
        }
        joined.push_str(group);
    }
    Some(joined)
}

/// Reads an amount that carries its currency: `€1,234.50`, `405,00 EUR`.
pub fn money(text: &str, how: Reading) -> Option<Money> {
    // Once only: brackets in brackets are no amount.
    if let Some(inner) = in_brackets(text.trim()) {
        let owed = unbracketed(inner, how)?;
        return Some(Money { amount: -owed.amount, ..owed });
    }
    unbracketed(text, how)
}

fn unbracketed(text: &str, how: Reading) -> Option<Money> {
    let (currency, rest) = Currency::strip(text)?;
    let amount = number(rest, how).or_else(|| {
        let rest: String = rest.chars().filter(|c| !"€£$¥".contains(*c)).collect();
        number(&rest, how)
    })?;
    Some(Money { amount, currency })
}

/// Reads a date: `2026-12-31`, `31.12.2026`, `31/12/26`, `31 Dec 2026`,
/// `31. Dezember 2026`. Two-digit years begin at 1930. A day that does not
/// exist (31 February) is no date.
pub fn date(text: &str, how: Reading) -> Option<Date> {
    let text = text.trim();
    if text.len() > 40 {
        return None;
    }
    if let Some(iso) = iso_date(text) {
        return Some(iso);
    }
    let pieces: Vec<&str> = text.split(['.', '/', '-', ',', ' ', '\u{a0}']).filter(|piece| !piece.is_empty()).collect();
    let [a, b, c] = pieces[..] else { return None };
    let (day, month, year) = match (month_name(a), month_name(b)) {
        (None, Some(month)) => (a, month, c),
        (Some(month), None) => (b, month, c),
        (None, None) => {
            let order = if text.contains('.') && how.order == DateOrder::MonthFirst { DateOrder::DayFirst } else { how.order };
            match order {
                DateOrder::DayFirst => (a, small(b)?, c),
                DateOrder::MonthFirst => (b, small(a)?, c),
                DateOrder::YearFirst => (c, small(b)?, a),
            }
        }
        (Some(_), Some(_)) => return None,
    };
    Date::new(full_year(year)?, month, small(day)?).ok()
}

/// Reads a day with a time in ISO 8601 form: `2026-12-31T08:30`, `2026-12-31 08:30:00`.
pub fn moment(text: &str) -> Option<DateTime> {
    let text = text.trim();
    let shaped = text.len() <= 30 && text.as_bytes().get(4) == Some(&b'-') && matches!(text.as_bytes().get(10), Some(b'T' | b' '));
    shaped.then(|| text.parse().ok()).flatten()
}

/// An ISO 8601 date, or the date of an ISO 8601 date with midnight.
fn iso_date(text: &str) -> Option<Date> {
    let day = text.strip_suffix("T00:00:00").or_else(|| text.strip_suffix(" 00:00:00")).unwrap_or(text);
    let bytes = day.as_bytes();
    (bytes.len() == 10 && bytes[4] == b'-' && bytes[7] == b'-').then(|| day.parse().ok()).flatten()
}

fn small(text: &str) -> Option<i8> {
    (text.len() <= 2 && text.bytes().all(|b| b.is_ascii_digit())).then(|| text.parse().ok()).flatten()
}

fn full_year(text: &str) -> Option<i16> {
    if !text.bytes().all(|b| b.is_ascii_digit()) {
        return None;
    }
    match (text.len(), text.parse::<i16>().ok()?) {
        (4, year) => Some(year),
        (2, year) if year >= 30 => Some(1900 + year),
        (2, year) => Some(2000 + year),
        _ => None,
    }
}

/// Month names in English, German, French and Dutch (CLDR, wide), known by
/// their first letters as they are cut short in writing.
fn month_name(text: &str) -> Option<i8> {
    const NAMES: [&[&str]; 12] = [
        &["january", "januar", "janvier", "januari", "jänner"],
        &["february", "februar", "février", "februari", "fevrier"],
        &["march", "märz", "mars", "maart", "mrt", "mrz", "marz"],
        &["april", "avril"],
        &["may", "mai", "mei"],
        &["june", "juni", "juin"],
        &["july", "juli", "juillet"],
        &["august", "août", "augustus", "aout"],
        &["september", "septembre"],
        &["october", "oktober", "octobre"],
        &["november", "novembre"],
        &["december", "dezember", "décembre", "decembre"],
    ];
    let word = text.to_lowercase();
    if word.chars().count() < 3 {
        return None;
    }
    let exact = NAMES.iter().position(|names| names.contains(&word.as_str()));
    let starts = || {
        let mut hits = (0..12).filter(|m| NAMES[*m].iter().any(|name| name.starts_with(&word)));
        let hit = hits.next()?;
        hits.next().is_none().then_some(hit)
    };
    exact.or_else(starts).map(|month| month as i8 + 1)
}

/// Reads yes and no in English, German, French and Dutch.
pub fn yes_no(text: &str) -> Option<bool> {
    match text.trim().to_lowercase().as_str() {
        "yes" | "y" | "true" | "ja" | "wahr" | "oui" | "vrai" | "waar" => Some(true),
        "no" | "n" | "false" | "nein" | "falsch" | "non" | "faux" | "nee" | "onwaar" => Some(false),
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const ENGLISH: Reading = Reading { decimal: '.', order: DateOrder::DayFirst };
    const AMERICAN: Reading = Reading { decimal: '.', order: DateOrder::MonthFirst };
    const GERMAN: Reading = Reading { decimal: ',', order: DateOrder::DayFirst };

    fn num(text: &str, how: Reading) -> Option<String> {
        number(text, how).map(|n| n.to_string())
    }

    #[test]
    fn grouped_numbers_follow_the_locale() {
        assert_eq!(num("48,112.50", ENGLISH).as_deref(), Some("48112.50"));
        assert_eq!(num("48.112,50", GERMAN).as_deref(), Some("48112.50"));
        assert_eq!(num("48 112,50", GERMAN).as_deref(), Some("48112.50"));
        assert_eq!(num("-0.5", ENGLISH).as_deref(), Some("-0.5"));
        assert_eq!(num("48,11.50", ENGLISH), None);
        assert_eq!(num("12.", ENGLISH), None);
        assert_eq!(num("", ENGLISH), None);
    }

    #[test]
    fn postcodes_and_account_numbers_stay_text() {
        assert_eq!(num("01234", ENGLISH), None);
        assert_eq!(num("+442079460614", ENGLISH), None);
        assert_eq!(num("1234567890123456", ENGLISH), None);
        assert_eq!(num("0", ENGLISH).as_deref(), Some("0"));
        assert_eq!(num("0.75", ENGLISH).as_deref(), Some("0.75"));
    }

    #[test]
    fn dates_as_people_type_them() {
        let day = |text: &str, how| date(text, how).map(|d| d.to_string());
        for text in ["2026-12-31", "31.12.2026", "31/12/2026", "31 Dec 2026", "31. Dezember 2026", "31 décembre 2026", "31-12-26"] {
            assert_eq!(day(text, ENGLISH).as_deref(), Some("2026-12-31"), "{text}");
        }
        assert_eq!(day("12/31/2026", AMERICAN).as_deref(), Some("2026-12-31"));
        assert_eq!(day("December 31, 2026", AMERICAN).as_deref(), Some("2026-12-31"));
        assert_eq!(day("1 maart 2026", ENGLISH).as_deref(), Some("2026-03-01"));
    }

    #[test]
    fn a_date_that_does_not_exist_is_none() {
        assert_eq!(date("31.02.2026", ENGLISH), None);
        assert_eq!(date("2026-02-30", ENGLISH), None);
        assert_eq!(date("12/31/2026", ENGLISH), None);
        assert_eq!(date("soon", ENGLISH), None);
    }

    #[test]
    fn money_carries_its_currency() {
        assert_eq!(money("€1,234.50", ENGLISH), Some(Money { amount: "1234.50".parse().expect("amount"), currency: Currency::EUR }));
        assert_eq!(money("-€12", ENGLISH).map(|m| m.amount.to_string()).as_deref(), Some("-12"));
        assert_eq!(money("405,00 EUR", GERMAN).map(|m| m.amount.to_string()).as_deref(), Some("405.00"));
        assert_eq!(money("405", ENGLISH), None);
    }

    #[test]
    fn percentages_and_bracketed_amounts_are_read_as_what_they_are() {
        assert_eq!(percent("10%", ENGLISH).map(|n| n.to_string()).as_deref(), Some("0.1"));
        assert_eq!(percent("7,5 %", GERMAN).map(|n| n.to_string()).as_deref(), Some("0.075"));
        assert_eq!(percent("10", ENGLISH), None);
        assert_eq!(num("(12.00)", ENGLISH).as_deref(), Some("-12.00"));
        assert_eq!(num("(12)", ENGLISH), None, "a number in brackets may be a note");
        assert_eq!(money("(£1,012.50)", ENGLISH).map(|m| m.amount.to_string()).as_deref(), Some("-1012.50"));
        assert_eq!(money("((£5))", ENGLISH), None);
        let nested = "(".repeat(1 << 20) + "£5" + &")".repeat(1 << 20);
        assert_eq!(money(&nested, ENGLISH), None);
    }

    #[test]
    fn times_of_day_are_read() {
        let read = |text: &str| time(text).map(|t| t.to_string());
        assert_eq!(read("9:30").as_deref(), Some("09:30:00"));
        assert_eq!(read("09:30:15").as_deref(), Some("09:30:15"));
        assert_eq!(read("12.15 am").as_deref(), Some("00:15:00"));
        assert_eq!(read("2 pm").as_deref(), Some("14:00:00"));
        for text in ["9", "24:00", "9:75", "13 pm", "9.30", "1:2:3:4", "soon"] {
            assert_eq!(time(text), None, "{text}");
        }
    }

    #[test]
    fn yes_and_no_in_four_languages() {
        assert_eq!(yes_no("Ja"), Some(true));
        assert_eq!(yes_no("non"), Some(false));
        assert_eq!(yes_no("maybe"), None);
    }
}
