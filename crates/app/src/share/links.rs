//! The addresses of share links. Each follows from its run, its record and the key of the data
//! folder: a record that is made again has the same, and nobody guesses another's.

use std::sync::Arc;

use base64::Engine;
use base64::engine::general_purpose::URL_SAFE_NO_PAD;
use mangle_core::language::Link;
use ring::hmac;

/// What addresses begin with, and what they are made of.
#[derive(Debug, Clone)]
pub struct Links {
    /// The address of public pages.
    base: String,
    key: hmac::Key,
    /// The run that they are of; none in a preview, which shows what they look like.
    run: Option<i64>,
}

/// How many bytes of an address nobody guesses: 128 bits.
const SECRET: usize = 16;
/// The last part of the address that previews show.
pub const EXAMPLE: &str = "example";

impl Links {
    /// The links of previews.
    pub fn new(base: &str, key: &[u8]) -> Links {
        Links { base: base.to_owned(), key: hmac::Key::new(hmac::HMAC_SHA256, key), run: None }
    }

    /// The links of a run.
    pub fn of_run(self, run: i64) -> Links {
        Links { run: Some(run), ..self }
    }

    /// The link of the record that is at a place of the run.
    pub fn link(&self, position: usize) -> Arc<Link> {
        let address = |token: &str| format!("{}/d/{token}", self.base);
        let Some(run) = self.run else {
            return Arc::new(Link { address: address(EXAMPLE), token: String::new(), passcode: "123456".to_owned() });
        };
        let tag = hmac::sign(&self.key, format!("link {run} {position}").as_bytes());
        let (secret, rest) = tag.as_ref().split_at(SECRET);
        let token = URL_SAFE_NO_PAD.encode(secret);
        let number = rest.iter().take(8).fold(0u64, |number, byte| (number << 8) | u64::from(*byte));
        Arc::new(Link { address: address(&token), token, passcode: format!("{:06}", number % 1_000_000) })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::collections::HashSet;

    #[test]
    fn a_record_has_the_same_link_each_time_and_no_other_has_it() {
        let links = |key: &[u8], run| Links::new("https://quay.example", key).of_run(run);
        let one = links(b"key", 7).link(3);
        assert_eq!(one, links(b"key", 7).link(3));
        assert!(one.address.starts_with("https://quay.example/d/") && one.address.ends_with(&one.token) && one.token.len() == 22);
        assert!(one.passcode.len() == 6 && one.passcode.bytes().all(|digit| digit.is_ascii_digit()));
        let others = [links(b"key", 7).link(4), links(b"key", 73).link(3), links(b"other key", 7).link(3)];
        let all: HashSet<&str> = others.iter().chain([&one]).map(|link| link.token.as_str()).collect();
        assert_eq!(all.len(), 4);
        let example = Links::new("https://quay.example", b"key").link(3);
        assert_eq!((example.address.as_str(), example.token.as_str()), ("https://quay.example/d/example", ""));
    }
}
