//! Tokens at rest: encrypted with a key that stands in a file of its own beside the
//! store (XChaCha20-Poly1305).

use std::path::Path;

use anyhow::{Context, Result, anyhow};
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use chacha20poly1305::aead::Aead;
use chacha20poly1305::{Key, KeyInit, XChaCha20Poly1305, XNonce};
use ring::hmac;

/// How long a nonce is.
const NONCE: usize = 24;

/// Encrypts and decrypts secrets.
#[allow(missing_debug_implementations)]
pub struct Secrets {
    cipher: XChaCha20Poly1305,
    key: hmac::Key,
}

impl Secrets {
    /// The key of a folder; one is made where there is none, for its owner to read alone.
    pub fn open(folder: &Path) -> Result<Secrets> {
        let file = folder.join("secret.key");
        if !file.exists() {
            let mut key = [0u8; 32];
            getrandom::fill(&mut key).map_err(|e| anyhow!("no random data from the system: {e}"))?;
            write_private(&file, STANDARD.encode(key).as_bytes())?;
        }
        let text = std::fs::read_to_string(&file).with_context(|| format!("{} can't be read", file.display()))?;
        let key: [u8; 32] = STANDARD.decode(text.trim())?.try_into().map_err(|_| anyhow!("{} contains no key", file.display()))?;
        Ok(Secrets { cipher: XChaCha20Poly1305::new(&Key::from(key)), key: hmac::Key::new(hmac::HMAC_SHA256, &key) })
    }

    /// A key for a purpose of its own, the same each time.
    pub fn derive(&self, purpose: &str) -> Vec<u8> {
        hmac::sign(&self.key, format!("key for {purpose}").as_bytes()).as_ref().to_vec()
    }

    /// Encrypts a secret for the store.
    pub fn close(&self, secret: &str) -> Result<String> {
        let mut nonce = [0u8; NONCE];
        getrandom::fill(&mut nonce).map_err(|e| anyhow!("no random data from the system: {e}"))?;
        let sealed = self.cipher.encrypt(&XNonce::from(nonce), secret.as_bytes()).map_err(|_| anyhow!("a secret can't be encrypted"))?;
        Ok(STANDARD.encode([&nonce[..], &sealed].concat()))
    }

    /// Decrypts what the store holds.
    pub fn read(&self, kept: &str) -> Result<String> {
        let bytes = STANDARD.decode(kept)?;
        let (nonce, sealed) = bytes.split_at_checked(NONCE).context("the stored token is incomplete")?;
        let nonce: [u8; NONCE] = nonce.try_into()?;
        let open = self.cipher.decrypt(&XNonce::from(nonce), sealed);
        let open = open.map_err(|_| anyhow!("the stored token can't be decrypted. Enter it again."))?;
        Ok(String::from_utf8(open)?)
    }
}

#[cfg(unix)]
fn write_private(file: &Path, bytes: &[u8]) -> Result<()> {
    use std::io::Write;
    use std::os::unix::fs::OpenOptionsExt;
    let mut out = std::fs::OpenOptions::new().write(true).create_new(true).mode(0o600).open(file)?;
    Ok(out.write_all(bytes)?)
}

#[cfg(not(unix))]
fn write_private(file: &Path, bytes: &[u8]) -> Result<()> {
    Ok(std::fs::write(file, bytes)?)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_secret_is_read_with_its_own_key_only() {
        let (folder, other) = (tempfile::tempdir().expect("a folder"), tempfile::tempdir().expect("a folder"));
        let secrets = Secrets::open(folder.path()).expect("opens");
        let kept = secrets.close("token").expect("closed");
        assert!(!kept.contains("token") && kept != secrets.close("token").expect("closed"));
        assert_eq!(Secrets::open(folder.path()).and_then(|s| s.read(&kept)).expect("read"), "token");
        assert_eq!(Secrets::open(folder.path()).expect("opens").derive("links"), secrets.derive("links"));
        assert_ne!(secrets.derive("links"), secrets.derive("pages"));
        assert_ne!(secrets.derive("links"), Secrets::open(other.path()).expect("opens").derive("links"));
        let refused = Secrets::open(other.path()).and_then(|s| s.read(&kept)).expect_err("another key");
        assert!(refused.to_string().contains("Enter it again"));
        assert!(secrets.read("AAAA").is_err());
        #[cfg(unix)]
        {
            use std::os::unix::fs::PermissionsExt;
            let mode = std::fs::metadata(folder.path().join("secret.key")).expect("a key").permissions().mode();
            assert_eq!(mode & 0o077, 0);
        }
    }
}
