//! Where a locale puts the sign of a currency, and what that sign is (CLDR
//! `numbers/currencyFormats`, `currencySpacing` and `currencies`; UTS #35 part 3).

use std::collections::HashMap;
use std::sync::LazyLock;

use icu_locale_core::Locale as Tag;

use super::Currency;

/// What CLDR says of each locale; `checks/money-table.py` writes it.
static TABLE: LazyLock<HashMap<&str, Row>> =
    LazyLock::new(|| include_str!("money.tsv").lines().filter(|line| !line.starts_with('#')).filter_map(Row::read).collect());

/// One locale's: what it does not tell is as in its language, or as in all.
#[derive(Clone, Copy)]
struct Row {
    pattern: &'static str,
    /// What groups the digits of money, where that is not what groups all digits.
    group: &'static str,
    /// `EUR=€`, parted by spaces.
    signs: &'static str,
}

impl Row {
    fn read(line: &'static str) -> Option<(&'static str, Row)> {
        let mut fields = line.split('\t');
        let tag = fields.next()?;
        Some((tag, Row { pattern: fields.next()?, group: fields.next()?, signs: fields.next()? }))
    }

    fn sign(&self, code: &str) -> Option<&'static str> {
        self.signs.split(' ').find_map(|one| one.strip_prefix(code)?.strip_prefix('='))
    }
}

/// How a locale writes money.
pub(super) struct MoneyStyle {
    /// For amounts from zero on, and for those below.
    patterns: (&'static str, Option<&'static str>),
    group: &'static str,
    /// The rows that tell signs, the nearest first.
    rows: Vec<Row>,
}

impl MoneyStyle {
    pub fn of(tag: &Tag) -> MoneyStyle {
        let (language, region) = (tag.id.language.as_str(), tag.id.region.as_ref().map(|r| r.as_str()));
        let own = region.and_then(|region| TABLE.get(format!("{language}-{region}").as_str()));
        let rows: Vec<Row> = [own, TABLE.get(language), TABLE.get("root")].into_iter().flatten().copied().collect();
        let first = rows.first().copied().unwrap_or(Row { pattern: "¤\u{a0}#,##0.00", group: "", signs: "" });
        let (usual, below) = first.pattern.split_once(';').map_or((first.pattern, None), |(usual, below)| (usual, Some(below)));
        MoneyStyle { patterns: (usual, below), group: first.group, rows }
    }

    /// Writes an amount whose digits are known, with a minus where it is below zero.
    pub fn write(&self, digits: &str, currency: Currency, minus: Option<&str>) -> String {
        let pattern = match (minus, self.patterns) {
            (Some(_), (_, Some(below))) => below.to_owned(),
            (Some(_), (usual, None)) => format!("-{usual}"),
            (None, (usual, _)) => usual.to_owned(),
        };
        let is_digit = |c: char| matches!(c, '#' | '0' | ',' | '.');
        let (Some(from), Some(to)) = (pattern.find(is_digit), pattern.rfind(is_digit)) else { return digits.to_owned() };
        let grouped = match self.group {
            "" => digits.to_owned(),
            group => digits.replace(['\u{a0}', '\u{202f}'], group),
        };
        let code = currency.code();
        let sign = self.rows.iter().find_map(|row| row.sign(code)).unwrap_or(code);
        // Letters don't touch digits (`currencySpacing`).
        let apart = |c: Option<char>| if c.is_some_and(char::is_alphanumeric) { "\u{a0}" } else { "" };
        let (before, after) = (&pattern[..from], &pattern[to + 1..]);
        let before = match before.strip_suffix('¤') {
            Some(start) => format!("{start}{sign}{}", apart(sign.chars().last())),
            None => before.replace('¤', sign),
        };
        let after = match after.strip_prefix('¤') {
            Some(end) => format!("{}{sign}{end}", apart(sign.chars().next())),
            None => after.replace('¤', sign),
        };
        let minus = minus.unwrap_or("-");
        format!("{}{grouped}{}", before.replace('-', minus), after.replace('-', minus))
    }
}

#[cfg(test)]
mod tests {
    use super::super::{Locale, Money};
    use super::*;

    fn written(tag: &str, amount: &str, currency: &str) -> String {
        let money = Money { amount: amount.parse().expect("an amount"), currency: Currency::parse(currency).expect("a currency") };
        Locale::parse(tag).expect("a locale").money(money).replace(['\u{a0}', '\u{202f}'], "_")
    }

    #[test]
    fn signs_stand_where_the_locale_puts_them() {
        for (tag, amount, currency, expected) in [
            ("en-US", "1234.5", "USD", "$1,234.50"),
            ("en-US", "-1234.5", "EUR", "-€1,234.50"),
            ("en-GB", "1234.5", "CHF", "CHF_1,234.50"),
            ("en-AU", "1234.5", "AUD", "$1,234.50"),
            ("en-NL", "-1234.5", "EUR", "€_-1.234,50"),
            ("pt-BR", "1234.5", "BRL", "R$_1.234,50"),
            ("pt-PT", "12345.5", "EUR", "12_345,50_€"),
            ("de-AT", "-12345.5", "EUR", "-€_12.345,50"),
            ("de-CH", "-12345.5", "CHF", "CHF-12'345.50"),
            ("fr-CA", "12345.5", "CAD", "12_345,50_$"),
            ("cs-CZ", "12345.5", "CZK", "12_345,50_Kč"),
            ("pl-PL", "12345.5", "PLN", "12_345,50_zł"),
            ("hu-HU", "12345.5", "HUF", "12_345,50_Ft"),
            ("tr-TR", "12345.5", "TRY", "₺12.345,50"),
            ("ja-JP", "12345.5", "JPY", "¥12,346"),
            ("hi-IN", "1234567.5", "INR", "₹12,34,567.50"),
            ("en-GB", "1480", "GBP", "£1,480.00"),
            ("en-US", "1480", "USD", "$1,480.00"),
            ("en-US", "-3.5", "USD", "-$3.50"),
            ("en-GB", "1480", "USD", "US$1,480.00"),
            ("en-IE", "0.005", "EUR", "€0.01"),
            ("en-GB", "1480", "JPY", "JP¥1,480"),
            ("en-GB", "1.2345", "BHD", "BHD_1.235"),
            ("de-DE", "1480", "EUR", "1.480,00_€"),
            ("de-AT", "1480", "EUR", "€_1.480,00"),
            ("fr-FR", "1480.5", "EUR", "1_480,50_€"),
            ("nl-NL", "1480", "EUR", "€_1.480,00"),
            ("es-ES", "1480", "EUR", "1480,00_€"),
            ("pl-PL", "12345.6", "PLN", "12_345,60_zł"),
            ("sv-SE", "1480", "SEK", "1_480,00_kr"),
            ("da-DK", "1480", "DKK", "1.480,00_kr."),
            ("nl-NL", "-245.5", "EUR", "€_-245,50"),
            // A locale and a currency that the table does not know.
            ("lg-UG", "1234.5", "UGX", "UGX_1,235"),
        ] {
            let found = written(tag, amount, currency).replace('￥', "¥");
            assert_eq!(found, expected, "{amount} {currency} in {tag}");
        }
    }

    #[test]
    fn the_table_is_whole() {
        assert!(TABLE.contains_key("root") && TABLE.len() > 150, "{} rows", TABLE.len());
        for (tag, row) in TABLE.iter() {
            assert!(row.pattern.contains('¤') && row.pattern.contains("0.00"), "{tag}: {}", row.pattern);
            assert!(row.signs.split(' ').all(|one| one.is_empty() || one.as_bytes().get(3) == Some(&b'=')), "{tag}: {}", row.signs);
        }
    }
}
