//! Telephone numbers (ITU-T E.164, E.123), by the numbering plans that the
//! `phonenumber` library carries.

use phonenumber::{Mode, country};

use crate::language::error::SyntaxFault;
use crate::value::Locale;

/// How a telephone number is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum PhoneForm {
    /// Without the country's code within the country of the locale, else with it.
    Near,
    /// `+44 20 7946 0614`
    International,
    /// `+442079460614`
    Digits,
}

/// Reads the text behind `as phone`.
pub(super) fn form(text: Option<&str>) -> Result<PhoneForm, SyntaxFault> {
    match text.map(str::trim) {
        None => Ok(PhoneForm::Near),
        Some("international") => Ok(PhoneForm::International),
        Some("digits") => Ok(PhoneForm::Digits),
        Some(other) => {
            Err(SyntaxFault::UnknownFormat(format!("phone \"{other}\"; write as phone, as phone \"international\" or as phone \"digits\"")))
        }
    }
}

/// Writes a telephone number; what is none stays as it is.
pub(super) fn write(text: &str, form: PhoneForm, locale: &Locale) -> String {
    let home: Option<country::Id> = locale.region().and_then(|r| r.parse().ok());
    let Ok(number) = phonenumber::parse(home, text) else { return text.to_owned() };
    if !number.is_valid() {
        return text.to_owned();
    }
    let mode = match form {
        PhoneForm::Digits => Mode::E164,
        PhoneForm::International => Mode::International,
        PhoneForm::Near if home.is_some() && number.country().id() == home => Mode::National,
        PhoneForm::Near => Mode::International,
    };
    number.format().mode(mode).to_string()
}
