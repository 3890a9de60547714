//! E-mail addresses (RFC 5321 4.1.2, dot-string local parts) and lists of them.

use std::fmt;

/// An e-mail address that a message can be sent to.
///
/// ```
/// use mangle_core::value::EmailAddress;
/// assert!(EmailAddress::parse("femke@post.example").is_ok());
/// assert!(EmailAddress::parse("joerg.brueckner@").is_err());
/// ```
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct EmailAddress(String);

/// The text is not an address; says which part is wrong.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("“{text}” is not an e-mail address: {why}")]
pub struct NotAnAddress {
    /// The text as it was given.
    pub text: String,
    /// What is wrong with it, in words.
    pub why: &'static str,
}

impl EmailAddress {
    /// Reads one address. Spaces around it are dropped, nothing else is.
    pub fn parse(text: &str) -> Result<EmailAddress, NotAnAddress> {
        let address = text.trim();
        match fault(address) {
            None => Ok(EmailAddress(address.to_owned())),
            Some(why) => Err(NotAnAddress { text: address.to_owned(), why }),
        }
    }

    /// The address as written.
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

impl fmt::Display for EmailAddress {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

/// Reads addresses parted by commas or semicolons; empty places are passed over.
pub fn recipients(text: &str) -> Result<Vec<EmailAddress>, NotAnAddress> {
    text.split([',', ';']).filter(|piece| !piece.trim().is_empty()).map(EmailAddress::parse).collect()
}

fn fault(address: &str) -> Option<&'static str> {
    let Some((local, domain)) = address.rsplit_once('@') else {
        return Some("the @ is missing");
    };
    if local.is_empty() {
        return Some("there is nothing before the @");
    }
    if domain.is_empty() {
        return Some("there is nothing after the @");
    }
    if local.len() > 64 || address.len() > 254 {
        return Some("it is too long");
    }
    if address.chars().any(|c| c.is_whitespace() || c.is_control()) {
        return Some("it contains a space");
    }
    let atext = |c: char| c.is_alphanumeric() || "!#$%&'*+-/=?^_`{|}~".contains(c);
    if !local.split('.').all(|atom| !atom.is_empty() && atom.chars().all(atext)) {
        return Some("the part before the @ contains an invalid character or dot");
    }
    let label = |l: &str| {
        !l.is_empty() && l.len() <= 63 && !l.starts_with('-') && !l.ends_with('-') && l.chars().all(|c| c.is_alphanumeric() || c == '-')
    };
    if !domain.contains('.') || !domain.split('.').all(label) {
        return Some("the part after the @ is not a domain name");
    }
    None
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn addresses_of_the_harbour_are_read() {
        for good in ["femke.achterberg@post.example", "mh.delacroix+boat@courrier.example", " a@b.example "] {
            assert!(EmailAddress::parse(good).is_ok(), "{good}");
        }
    }

    #[test]
    fn what_is_wrong_is_said() {
        let why = |text: &str| EmailAddress::parse(text).expect_err(text).why;
        assert_eq!(why("joerg.brueckner@"), "there is nothing after the @");
        assert_eq!(why("jörg at post.example"), "the @ is missing");
        assert_eq!(why("a b@post.example"), "it contains a space");
        assert_eq!(why("a..b@post.example"), "the part before the @ contains an invalid character or dot");
        assert_eq!(why("a@localhost"), "the part after the @ is not a domain name");
    }

    #[test]
    fn a_header_cannot_be_smuggled_in() {
        assert!(EmailAddress::parse("a@b.example\r\nBcc: x@y.example").is_err());
    }

    #[test]
    fn several_with_commas() {
        let all = recipients("a@b.example, c@d.example; ").expect("two addresses");
        assert_eq!(all.len(), 2);
        assert!(recipients("a@b.example, nobody").is_err());
    }
}
