//! Number patterns (UTS #35, number pattern character definitions).

use rust_decimal::Decimal;

use crate::language::error::SyntaxFault;
use crate::value::Locale;

/// A number pattern such as `#,##0.00` or `0.0%`; always written with a point
/// for the decimal mark and a comma for grouping, whatever the locale.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NumberPattern {
    prefix: String,
    suffix: String,
    /// Least digits before the decimal mark.
    whole: u32,
    /// Least and most digits behind it.
    least: u32,
    most: u32,
    grouped: bool,
    /// Multiplies by a hundred.
    percent: bool,
}

impl NumberPattern {
    /// Reads a pattern.
    pub(super) fn read(text: &str) -> Result<NumberPattern, SyntaxFault> {
        let bad = |why: &str| SyntaxFault::NumberPattern { pattern: text.to_owned(), why: why.to_owned() };
        let is_digit = |c: char| matches!(c, '#' | '0' | ',' | '.');
        let start = text.find(is_digit).ok_or_else(|| bad("add a 0 for digits, e.g. \"#,##0.00\""))?;
        let end = text.rfind(is_digit).map_or(start, |at| at + 1);
        let body = &text[start..end];
        if !body.chars().all(is_digit) {
            return Err(bad("keep the digits together, e.g. \"#,##0.00\""));
        }
        let (whole, fraction) = body.split_once('.').unwrap_or((body, ""));
        if let Some((_, last)) = whole.rsplit_once(',')
            && last.len() != 3
        {
            return Err(SyntaxFault::NumberPattern {
                pattern: text.to_owned(),
                why: format!("use a point as the decimal separator: \"{}\"", text.replace('.', "").replace(',', ".")),
            });
        }
        if fraction.contains([',', '.']) || fraction.contains("#0") || whole.contains("0#") {
            return Err(bad("place 0 next to the decimal separator and # further out, e.g. \"#,##0.0#\""));
        }
        let count = |text: &str, sign: char| text.chars().filter(|c| *c == sign).count() as u32;
        let unquote = |text: &str| text.replace('\'', "");
        Ok(NumberPattern {
            prefix: unquote(&text[..start]),
            suffix: unquote(&text[end..]),
            whole: count(whole, '0').max(u32::from(fraction.is_empty())),
            least: count(fraction, '0'),
            most: fraction.len() as u32,
            grouped: whole.contains(','),
            percent: text.contains('%'),
        })
    }

    /// Writes a number by this pattern and the locale's signs.
    pub(super) fn write(&self, number: Decimal, locale: &Locale) -> String {
        let number = if self.percent { number.saturating_mul(100.into()) } else { number };
        let written = locale.whole_number(number.abs(), self.whole, self.least, self.most, self.grouped);
        let shows_zero = !written.contains(|c: char| c.is_numeric() && c != '0');
        let minus = if number.is_sign_negative() && !shows_zero { "-" } else { "" };
        format!("{minus}{}{written}{}", self.prefix, self.suffix)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn write(pattern: &str, number: &str) -> String {
        match NumberPattern::read(pattern) {
            Ok(read) => read.write(number.parse().expect("a number"), &Locale::english()),
            Err(fault) => fault.to_string(),
        }
    }

    #[test]
    fn patterns_of_the_standard() {
        assert_eq!(write("#,##0.00", "48112.5"), "48,112.50");
        assert_eq!(write("0.##", "2.5"), "2.5");
        assert_eq!(write("000", "7"), "007");
        assert_eq!(write("0.0%", "0.0755"), "7.6%");
        assert_eq!(write("0.0 m", "12.34"), "12.3 m");
        assert_eq!(write("#,##0.00", "-0.001"), "0.00");
    }

    #[test]
    fn a_decimal_comma_is_refused_with_the_right_pattern() {
        assert_eq!(write("0,00", "1"), "“0,00” is not a number pattern: use a point as the decimal separator: \"0.00\"");
        assert_eq!(
            write("#.##0,00", "1"),
            "“#.##0,00” is not a number pattern: place 0 next to the decimal separator and # further out, e.g. \"#,##0.0#\""
        );
    }
}
