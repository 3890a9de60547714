//! Date patterns (UTS #35, date field symbols) and what counts as a date.

use jiff::civil::DateTime;

use crate::language::error::SyntaxFault;
use crate::value::{Locale, Value};

/// The moment that a value names; text counts where it is in ISO form.
pub(super) fn of(value: &Value) -> Option<DateTime> {
    match value {
        Value::Date(date) => Some(date.to_datetime(jiff::civil::Time::midnight())),
        Value::DateTime(moment) => Some(*moment),
        Value::Text(text) => {
            let text = text.trim();
            let date: Option<jiff::civil::Date> = (text.len() == 10).then(|| text.parse().ok()).flatten();
            date.map(|d| d.to_datetime(jiff::civil::Time::midnight()))
        }
        _ => None,
    }
}

/// Refuses a pattern that would print something else than its author meant.
pub(super) fn check(pattern: &str) -> Result<(), SyntaxFault> {
    let bad = |why: String| Err(SyntaxFault::DatePattern { pattern: pattern.to_owned(), why });
    let letters: String = pattern.split('\'').step_by(2).collect();
    let has = |set: &[char]| letters.contains(set);
    if has(&['m']) && !has(&['H', 'h', 'K', 'k']) {
        return bad("m means minutes. For the month, use M.".to_owned());
    }
    if has(&['Y']) && !has(&['w']) {
        return bad("Y is the week-based year. For the calendar year, use y.".to_owned());
    }
    if has(&['D']) {
        return bad("D is the day of the year. For the day of the month, use d.".to_owned());
    }
    if has(&['h', 'K']) && !has(&['a', 'b', 'B']) {
        return bad("h is the 12-hour clock and needs a (AM/PM). For 24 hours, use H.".to_owned());
    }
    let unknown = letters.chars().find(|c| c.is_ascii_alphabetic() && !"GyYuMLwdEecabBhHKkms".contains(*c));
    let sample = DateTime::constant(2026, 11, 23, 9, 42, 0, 0);
    match Locale::english().date_pattern(sample, pattern) {
        Some(_) if unknown.is_none() => Ok(()),
        _ => bad("use d, M, y, E, H and m, for example \"d MMMM yyyy\"; put literal text in single quotes".to_owned()),
    }
}

#[cfg(test)]
mod tests {
    use super::check;

    #[test]
    fn the_right_letter_is_offered() {
        let why = |pattern: &str| check(pattern).map_err(|e| e.to_string());
        assert_eq!(why("d MMMM yyyy"), Ok(()));
        assert_eq!(why("EEEE 'the' d MMMM yyyy, HH:mm"), Ok(()));
        assert_eq!(why("dd.mm.yyyy"), Err("“dd.mm.yyyy” is not a date pattern: m means minutes. For the month, use M.".into()));
        assert_eq!(
            why("d MMM YYYY"),
            Err("“d MMM YYYY” is not a date pattern: Y is the week-based year. For the calendar year, use y.".into())
        );
        assert!(why("DD.MM.yyyy").is_err());
        assert!(why("h:mm").is_err());
        assert!(why("today").is_err());
    }
}
