//! The links of signers: each is made of random bits with the key of the data folder. The store
//! has the bits and the digest of the link; neither opens anything without the key.

use anyhow::{Result, anyhow};
use base64::Engine;
use base64::engine::general_purpose::URL_SAFE_NO_PAD;
use ring::hmac;
use sha2::{Digest, Sha256};

/// What makes the links of signers.
#[derive(Debug, Clone)]
pub struct SignerLinks {
    base: String,
    key: hmac::Key,
}

impl SignerLinks {
    /// Links at an address, of a key.
    pub fn new(base: &str, key: &[u8]) -> SignerLinks {
        SignerLinks { base: base.to_owned(), key: hmac::Key::new(hmac::HMAC_SHA256, key) }
    }

    /// A new link: its random bits (256), and the digest by which it is found.
    pub fn make(&self) -> Result<(String, String)> {
        let mut bits = [0u8; 32];
        getrandom::fill(&mut bits).map_err(|e| anyhow!("no random data from the system: {e}"))?;
        let nonce = URL_SAFE_NO_PAD.encode(bits);
        let token = self.token(&nonce);
        Ok((nonce, SignerLinks::digest(&token)))
    }

    /// What opens a round, of a link's random bits.
    pub fn token(&self, nonce: &str) -> String {
        URL_SAFE_NO_PAD.encode(hmac::sign(&self.key, format!("signer {nonce}").as_bytes()).as_ref())
    }

    /// The address of a link.
    pub fn address(&self, nonce: &str) -> String {
        format!("{}/s/{}", self.base, self.token(nonce))
    }

    /// What a token is found by.
    pub fn digest(token: &str) -> String {
        Sha256::digest(token).iter().map(|byte| format!("{byte:02x}")).collect()
    }

    /// What the pages of a link are asked for with until a moment, once its passcode was entered.
    pub fn key(&self, nonce: &str, expires: i64) -> String {
        let tag = hmac::sign(&self.key, format!("opened {nonce} {expires}").as_bytes());
        format!("{expires}.{}", URL_SAFE_NO_PAD.encode(tag.as_ref()))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_link_is_not_what_the_store_has_of_it() {
        let links = SignerLinks::new("https://quay.example", b"key");
        let ((one, found), (other, _)) = (links.make().expect("random"), links.make().expect("random"));
        assert_ne!(one, other);
        let token = links.token(&one);
        assert_eq!((token.len(), SignerLinks::digest(&token)), (43, found.clone()));
        assert!(!links.address(&one).contains(&one) && !links.address(&one).contains(&found));
        assert_ne!(token, SignerLinks::new("https://quay.example", b"other").token(&one));
        assert_ne!(links.key(&one, 5), links.key(&other, 5));
    }
}
