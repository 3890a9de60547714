//! Money: an exact amount and its currency (ISO 4217).

use std::fmt;

use rust_decimal::Decimal;

/// An ISO 4217 currency code: three Latin capitals.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct Currency([u8; 3]);

/// The text is neither a currency code nor a currency sign.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("“{0}” is not a currency. Use a three-letter code such as \"EUR\"")]
pub struct UnknownCurrency(pub String);

/// Signs that stand for one currency in common use; one that ends as another does
/// stands before that.
const SIGNS: [(&str, Currency); 24] = [
    ("€", Currency(*b"EUR")),
    ("£", Currency(*b"GBP")),
    ("US$", Currency(*b"USD")),
    ("CA$", Currency(*b"CAD")),
    ("AU$", Currency(*b"AUD")),
    ("NZ$", Currency(*b"NZD")),
    ("HK$", Currency(*b"HKD")),
    ("MX$", Currency(*b"MXN")),
    ("R$", Currency(*b"BRL")),
    ("$", Currency(*b"USD")),
    ("JP¥", Currency(*b"JPY")),
    ("CN¥", Currency(*b"CNY")),
    ("¥", Currency(*b"JPY")),
    ("zł", Currency(*b"PLN")),
    ("CHF", Currency(*b"CHF")),
    ("kr", Currency(*b"SEK")),
    ("Kč", Currency(*b"CZK")),
    ("Ft", Currency(*b"HUF")),
    ("₺", Currency(*b"TRY")),
    ("₹", Currency(*b"INR")),
    ("₴", Currency(*b"UAH")),
    ("₪", Currency(*b"ILS")),
    ("₩", Currency(*b"KRW")),
    ("฿", Currency(*b"THB")),
];

/// The currencies in use: code and English name (ISO 4217:2015 list one, as CLDR names
/// them), a line each.
const IN_USE: &str = include_str!("currencies.tsv");

impl Currency {
    /// All currencies in use with their English names, by code.
    pub fn all() -> impl Iterator<Item = (&'static str, &'static str)> {
        IN_USE.lines().filter_map(|line| line.split_once('\t'))
    }

    /// The euro.
    pub const EUR: Currency = Currency(*b"EUR");
    /// The pound sterling.
    pub const GBP: Currency = Currency(*b"GBP");

    /// Reads a code (`EUR`, any case) or a sign (`€`).
    pub fn parse(text: &str) -> Result<Currency, UnknownCurrency> {
        let trimmed = text.trim();
        if let Some((_, currency)) = SIGNS.iter().find(|(sign, _)| *sign == trimmed) {
            return Ok(*currency);
        }
        match <[u8; 3]>::try_from(trimmed.to_ascii_uppercase().as_bytes()) {
            Ok(code) if Currency::all().any(|(own, _)| own.as_bytes() == code) => Ok(Currency(code)),
            _ => Err(UnknownCurrency(trimmed.to_owned())),
        }
    }

    /// The three letters.
    pub fn code(&self) -> &str {
        std::str::from_utf8(&self.0).unwrap_or("XXX")
    }

    /// Digits after the decimal mark (CLDR supplemental `currencyData/fractions`).
    pub fn places(&self) -> u32 {
        match self.code() {
            "BIF" | "CLP" | "DJF" | "GNF" | "ISK" | "JPY" | "KMF" | "KRW" | "PYG" | "RWF" | "UGX" | "VND" | "VUV" | "XAF" | "XOF"
            | "XPF" => 0,
            "BHD" | "IQD" | "JOD" | "KWD" | "LYD" | "OMR" | "TND" => 3,
            _ => 2,
        }
    }

    /// The currency whose sign or code stands at the start or end of a text,
    /// and the rest of the text.
    pub fn strip(text: &str) -> Option<(Currency, &str)> {
        let text = text.trim();
        for (sign, currency) in SIGNS {
            if let Some(rest) = text.strip_prefix(sign).or_else(|| text.strip_suffix(sign)) {
                return Some((currency, rest.trim()));
            }
            if let Some(rest) = text.strip_prefix('-').and_then(|t| t.strip_prefix(sign)) {
                // "-€12": the sign of the number stands before that of the currency.
                return rest.starts_with(|c: char| c.is_ascii_digit()).then_some((currency, text));
            }
        }
        let code = |c: &str| c.len() == 3 && c.bytes().all(|b| b.is_ascii_uppercase());
        let head = text.get(..3).filter(|c| code(c)).map(|c| (c, &text[3..]));
        let tail = text.len().checked_sub(3).and_then(|at| text.get(at..).map(|c| (c, &text[..at]))).filter(|(c, _)| code(c));
        let (found, rest) = head.or(tail)?;
        Some((Currency::parse(found).ok()?, rest.trim()))
    }
}

impl fmt::Display for Currency {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.code())
    }
}

/// An exact amount in one currency.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Money {
    /// The amount, never rounded but by ROUND and its kin.
    pub amount: Decimal,
    /// Its currency.
    pub currency: Currency,
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn codes_and_signs_are_read() {
        assert_eq!(Currency::parse("eur"), Ok(Currency::EUR));
        assert_eq!(Currency::parse("€"), Ok(Currency::EUR));
        assert!(Currency::parse("euros").is_err() && Currency::parse("EUX").is_err());
        assert!(Currency::all().count() > 150 && Currency::all().all(|(code, name)| Currency::parse(code).is_ok() && !name.is_empty()));
    }

    #[test]
    fn a_sign_before_or_behind_the_number_is_taken_off() {
        assert_eq!(Currency::strip("€ 1,234.50"), Some((Currency::EUR, "1,234.50")));
        assert_eq!(Currency::strip("405,00 EUR"), Some((Currency::EUR, "405,00")));
        assert_eq!(Currency::strip("12.50"), None);
        let of = |text: &str| Currency::strip(text).map(|(currency, rest)| format!("{} {rest}", currency.code()));
        assert_eq!(of("R$ 1.234,50").as_deref(), Some("BRL 1.234,50"));
        assert_eq!(of("1 234,50 Kč").as_deref(), Some("CZK 1 234,50"));
        assert_eq!(of("US$12").as_deref(), Some("USD 12"));
        assert_eq!(of("₺12,50").as_deref(), Some("TRY 12,50"));
    }

    #[test]
    fn no_sign_hides_one_that_begins_or_ends_as_it_does() {
        for (at, (sign, currency)) in SIGNS.iter().enumerate() {
            assert_eq!(Currency::parse(sign), Ok(*currency), "{sign}");
            for (text, rest) in [(format!("{sign}12"), "12"), (format!("12 {sign}"), "12")] {
                assert_eq!(Currency::strip(&text), Some((*currency, rest)), "{text}");
            }
            assert!(SIGNS[..at].iter().all(|(earlier, _)| !sign.ends_with(earlier) && !sign.starts_with(earlier)), "{sign}");
        }
    }
}
