//! Change notices: sent to whoever asked for them, signed with HMAC-SHA-256 as the
//! Standard Webhooks specification has it (`webhook-id`, `webhook-timestamp`,
//! `webhook-signature: v1,…` over `id.timestamp.body`).

use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use hmac::{Hmac, KeyInit, Mac};
use serde::{Deserialize, Serialize};
use serde_json::json;
use sha2::Sha256;

/// Who is told of changes.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Hook {
    /// Where notices are sent.
    pub address: String,
    /// What they are signed with.
    pub secret: String,
}

/// The signature of a notice. A secret that begins with `whsec_` is written in base64 behind that.
pub fn signature(secret: &str, id: &str, at: u64, body: &str) -> String {
    let key = secret.strip_prefix("whsec_").and_then(|key| STANDARD.decode(key).ok()).unwrap_or_else(|| secret.as_bytes().to_vec());
    let signed = Hmac::<Sha256>::new_from_slice(&key).map(|mut mac| {
        mac.update(format!("{id}.{at}.{body}").as_bytes());
        STANDARD.encode(mac.finalize().into_bytes())
    });
    format!("v1,{}", signed.unwrap_or_default())
}

/// Tells of a change, without waiting for anybody.
pub fn tell(hooks: &[Hook], set: &str, key: &str, properties: &[String], number: u64) {
    let at = std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH).map_or(0, |d| d.as_secs());
    let body = json!({ "set": set, "key": key, "changed": properties }).to_string();
    let id = format!("change-{at}-{number}");
    for hook in hooks.iter().cloned() {
        let signed = signature(&hook.secret, &id, at, &body);
        let (id, body) = (id.clone(), body.clone());
        tokio::spawn(async move {
            let _ = rustls::crypto::ring::default_provider().install_default();
            let Ok(client) = reqwest::Client::builder().timeout(std::time::Duration::from_secs(10)).build() else { return };
            let sent = client.post(&hook.address).header("content-type", "application/json").header("webhook-id", id);
            let sent = sent.header("webhook-timestamp", at.to_string()).header("webhook-signature", signed).body(body).send().await;
            if let Err(error) = sent {
                tracing::warn!(%error, "a change notice did not arrive");
            }
        });
    }
}

#[cfg(test)]
mod tests {
    #[test]
    fn notices_are_signed_over_id_time_and_body() {
        // Worked out with: printf 'change-1.1700000000.{}' | openssl dgst -sha256 -hmac secret -binary | base64
        assert_eq!(super::signature("secret", "change-1", 1_700_000_000, "{}"), "v1,EsIMJGPOVLxDvGotOUklkpGKhxkwSzLfyYUARmfkqwk=");
        // The same secret as Standard Webhooks writes it.
        assert_eq!(
            super::signature("whsec_c2VjcmV0", "change-1", 1_700_000_000, "{}"),
            super::signature("secret", "change-1", 1_700_000_000, "{}")
        );
    }
}
