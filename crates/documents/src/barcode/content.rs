//! What a barcode carries: checked, and completed with its check digit.

use mangle_core::language::plain;
use mangle_core::language::syntax::Symbology;
use mangle_core::value::{Locale, Value};

/// A value that a symbology can't carry.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{0}")]
pub struct BarcodeFault(String);

impl BarcodeFault {
    pub(super) fn refused(symbology: Symbology, text: &str, why: &str) -> BarcodeFault {
        let shown: String = text.chars().take(40).collect();
        BarcodeFault(format!("“{shown}” does not fit into a {} barcode: {}", symbology.word(), why.trim_end_matches('.').to_lowercase()))
    }
}

/// The text that the symbol encodes.
pub fn content(symbology: Symbology, value: &Value, with: &[(String, Value)]) -> Result<String, BarcodeFault> {
    if symbology == Symbology::Payment {
        return payment(value, with);
    }
    let text = plain(value, &Locale::english()).map_err(|fault| BarcodeFault(fault.to_string()))?;
    let text = text.trim().to_owned();
    match symbology {
        Symbology::Ean13 => with_check_digit(&text, 13, symbology),
        Symbology::Ean8 => with_check_digit(&text, 8, symbology),
        Symbology::UpcA => with_check_digit(&text, 12, symbology),
        Symbology::Isbn => isbn(&text),
        Symbology::Itf => {
            let digits = digits(&text);
            match digits.len().is_multiple_of(2) && !digits.is_empty() && digits.bytes().all(|b| b.is_ascii_digit()) {
                true => Ok(digits),
                false => Err(BarcodeFault(format!("“{text}” does not fit into an itf barcode: only an even number of digits is allowed"))),
            }
        }
        Symbology::Code39 => match text.bytes().find(|b| !(b.is_ascii_digit() || b.is_ascii_uppercase() || b" -.$/+%".contains(b))) {
            Some(odd) => Err(BarcodeFault(format!(
                "“{text}” does not fit into a code39 barcode: only capital letters, digits and - . $ / + % are allowed, not “{}”. Try code128.",
                char::from(odd)
            ))),
            None => Ok(text),
        },
        Symbology::Code128 => match text.chars().find(|c| !c.is_ascii() || c.is_ascii_control()) {
            Some(odd) => Err(BarcodeFault(format!(
                "“{text}” does not fit into a code128 barcode: only ASCII characters are allowed, not “{odd}”. Try qr."
            ))),
            None => Ok(text),
        },
        _ => Ok(text),
    }
}

/// Without the spaces and hyphens that people write into numbers.
fn digits(text: &str) -> String {
    text.chars().filter(|c| !matches!(c, ' ' | '-' | '\u{a0}' | '–')).collect()
}

/// The check digit of GS1 numbers (GS1 General Specifications, 7.9).
fn check_digit(digits: &[u8]) -> u8 {
    let sum: u32 = digits.iter().rev().enumerate().map(|(at, digit)| u32::from(digit - b'0') * if at % 2 == 0 { 3 } else { 1 }).sum();
    b'0' + ((10 - sum % 10) % 10) as u8
}

fn with_check_digit(text: &str, length: usize, symbology: Symbology) -> Result<String, BarcodeFault> {
    let mut number = digits(text);
    if !number.bytes().all(|b| b.is_ascii_digit()) || !(length - 1..=length).contains(&number.len()) {
        return Err(BarcodeFault(format!(
            "“{text}” does not fit into a {} barcode: it needs {} digits, or {length} with the check digit",
            symbology.word(),
            length - 1
        )));
    }
    let check = check_digit(&number.as_bytes()[..length - 1]);
    if number.len() < length {
        number.push(char::from(check));
    }
    match number.as_bytes()[length - 1] == check {
        true => Ok(number),
        false => Err(BarcodeFault(format!("the check digit of “{text}” is wrong: it should be {}", char::from(check)))),
    }
}

/// ISBN-10 becomes ISBN-13, whose numbers begin with 978 or 979 (ISO 2108).
fn isbn(text: &str) -> Result<String, BarcodeFault> {
    let number = digits(text);
    let shaped =
        number.bytes().enumerate().all(|(at, b)| b.is_ascii_digit() || (at == 9 && number.len() == 10 && b.eq_ignore_ascii_case(&b'X')));
    match (number.len(), shaped) {
        (10, true) => {
            let sum: u32 = number
                .bytes()
                .enumerate()
                .map(|(at, b)| (10 - at as u32) * if b.is_ascii_digit() { u32::from(b - b'0') } else { 10 })
                .sum();
            if !sum.is_multiple_of(11) {
                return Err(BarcodeFault(format!("the check digit of “{text}” is wrong")));
            }
            with_check_digit(&format!("978{}", &number[..9]), 13, Symbology::Isbn)
        }
        (12 | 13, true) if number.starts_with("978") || number.starts_with("979") => with_check_digit(&number, 13, Symbology::Isbn),
        _ => Err(BarcodeFault(format!("“{text}” is not an ISBN: it has 10 digits, or 13 that begin with 978 or 979"))),
    }
}

/// A credit transfer (EPC069-12, version 002, UTF-8).
fn payment(amount: &Value, with: &[(String, Value)]) -> Result<String, BarcodeFault> {
    let fault = |text: String| Err(BarcodeFault(text));
    let named = |name: &str| -> Result<String, BarcodeFault> {
        let value = with.iter().find(|(own, _)| own == name).map(|(_, value)| value);
        let text = value.map_or(Ok(String::new()), |v| plain(v, &Locale::english())).map_err(|f| BarcodeFault(f.to_string()))?;
        Ok(text.trim().replace(['\r', '\n'], " "))
    };
    if let Some((odd, _)) = with.iter().find(|(name, _)| !["name", "iban", "bic", "text", "reference", "purpose"].contains(&name.as_str()))
    {
        return fault(format!("unknown payment setting “{odd}”. Use name, iban, bic, text, reference or purpose."));
    }
    let exact = match amount {
        Value::Money(money) if money.currency.code() != "EUR" => {
            return fault(format!("payment codes must be in EUR; this amount is in {}", money.currency));
        }
        Value::Money(money) => money.amount,
        Value::Number(number) | Value::Percent(number) => *number,
        other => return fault(format!("a payment needs an amount; this is {}", other.kind())),
    };
    let exact = exact.round_dp_with_strategy(2, rust_decimal::RoundingStrategy::MidpointAwayFromZero);
    if exact < rust_decimal::Decimal::new(1, 2) || exact > rust_decimal::Decimal::new(99_999_999_999, 2) {
        return fault(format!("the amount must be 0.01 to 999,999,999.99 euros, not {exact}"));
    }
    let (name, bic, text, reference) = (named("name")?, named("bic")?.to_uppercase(), named("text")?, named("reference")?);
    let iban: String = named("iban")?.chars().filter(|c| !c.is_whitespace()).collect::<String>().to_uppercase();
    if name.is_empty() || name.chars().count() > 70 {
        return fault("a payment code needs the recipient's name (at most 70 characters): `with name = …`".into());
    }
    if !is_iban(&iban) {
        return fault(format!("“{iban}” is not a valid IBAN. Check for missing or swapped characters."));
    }
    let is_bic = matches!(bic.len(), 8 | 11) && bic.bytes().all(|b| b.is_ascii_alphanumeric());
    if !(bic.is_empty() || is_bic) {
        return fault(format!("“{bic}” is not a BIC: it has 8 or 11 letters and digits"));
    }
    if text.chars().count() > 140 || reference.chars().count() > 35 || !(text.is_empty() || reference.is_empty()) {
        return fault("use either a text (140 characters) or a reference (35 characters), not both".into());
    }
    let lines = ["BCD", "002", "1", "SCT", &bic, &name, &iban, &format!("EUR{exact:.2}"), &named("purpose")?, &reference, &text];
    let whole = lines.join("\n");
    match whole.len() <= 331 {
        true => Ok(whole.trim_end_matches('\n').to_owned()),
        false => fault("the payment code is too long (maximum 331 bytes). Shorten the text.".into()),
    }
}

/// ISO 13616-1: 97 divides the number, less one, when the first four signs stand
/// at the end and letters count from 10.
fn is_iban(iban: &str) -> bool {
    if !(15..=34).contains(&iban.len()) || !iban.bytes().all(|b| b.is_ascii_alphanumeric()) {
        return false;
    }
    let (head, tail) = iban.split_at(4);
    let rest = tail.bytes().chain(head.bytes()).fold(0u32, |rest, b| match b {
        b'0'..=b'9' => (rest * 10 + u32::from(b - b'0')) % 97,
        _ => (rest * 100 + u32::from(b.to_ascii_uppercase() - b'A') + 10) % 97,
    });
    rest == 1
}
