//! Web hooks that come in: a CRM tells that something has changed. What has changed is asked of
//! it then, so that neither the order of such messages matters nor what they say.

use base64::Engine;
use base64::engine::general_purpose::{STANDARD, URL_SAFE_NO_PAD};
use jiff::civil::DateTime;
use mangle_channels::web_hook::{SECRET, signature};
use mangle_core::trigger::{Trigger, TriggerSetup};
use ring::hmac;
use serde::Serialize;

use super::crm::Seen;
use crate::share::same;
use crate::store::Connection;
use crate::store::firings;
use crate::{App, Error, ErrorKind, Outcome, clock};

/// How far the time of a message may be off, in seconds (Standard Webhooks 1.0, “Verifying webhook
/// authenticity”).
const TOLERANCE: i64 = 300;

/// Where another program tells of a change.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Hook {
    /// The address.
    pub address: String,
    /// What messages are signed with.
    pub secret: String,
}

/// What a message has beside its body.
#[derive(Debug, Clone, Copy)]
pub struct Signed<'a> {
    /// What tells it from others.
    pub id: &'a str,
    /// When it was sent, in seconds of the epoch.
    pub timestamp: &'a str,
    /// Its signatures, separated by blanks.
    pub signature: &'a str,
}

fn token(app: &App, dispatch: i64, trigger: u32) -> String {
    let key = hmac::Key::new(hmac::HMAC_SHA256, &app.secrets.derive("web hooks that come in"));
    let tag = hmac::sign(&key, format!("address {dispatch} {trigger}").as_bytes());
    format!("{dispatch}-{trigger}-{}", URL_SAFE_NO_PAD.encode(&tag.as_ref()[..16]))
}

fn key(app: &App, dispatch: i64, trigger: u32) -> Vec<u8> {
    let key = hmac::Key::new(hmac::HMAC_SHA256, &app.secrets.derive("web hooks that come in"));
    hmac::sign(&key, format!("secret {dispatch} {trigger}").as_bytes()).as_ref().to_vec()
}

/// Where another program tells a trigger of a change; none where there are no public pages.
pub(super) fn of(app: &App, dispatch: i64, trigger: u32) -> Option<Hook> {
    let base = app.public_url.as_ref()?;
    let secret = format!("{SECRET}{}", STANDARD.encode(key(app, dispatch, trigger)));
    Some(Hook { address: format!("{base}/api/hooks/{}", token(app, dispatch, trigger)), secret })
}

/// Takes a message: its address and its signature must be right, and its time near. The same one
/// is taken once; whether it was new.
pub async fn took(app: &App, address: &str, signed: Signed<'_>, body: &[u8]) -> Outcome<bool> {
    let gone = || Error::missing("the web hook");
    let mut parts = address.splitn(3, '-');
    let mut number = || parts.next().and_then(|part| part.parse::<i64>().ok());
    let (Some(dispatch), Some(trigger)) = (number(), number().and_then(|id| u32::try_from(id).ok())) else { return Err(gone()) };
    let right = token(app, dispatch, trigger);
    if !same(&right, address) {
        return Err(gone());
    }
    let refused = |code: &str, message: &str| Error::new(ErrorKind::Unusable, code, message);
    let seconds: i64 = signed.timestamp.parse().map_err(|_| refused("timestamp", "webhook-timestamp is not a number of seconds"))?;
    if (clock::seconds() - seconds).abs() > TOLERANCE {
        return Err(refused("timestamp", "webhook-timestamp is more than five minutes off"));
    }
    if signed.id.is_empty() || signed.id.len() > 128 {
        return Err(refused("webhook-id", "webhook-id must have 1 to 128 characters"));
    }
    let own = signature(&key(app, dispatch, trigger), signed.id, seconds, body);
    if !signed.signature.split_whitespace().any(|one| same(&own, one)) {
        return Err(refused("signature", "webhook-signature does not match the secret"));
    }
    let id = signed.id.to_owned();
    let new = app.store.change(move |t| -> Outcome<bool> {
        let Some(own) = watching(t, dispatch, trigger)? else { return Err(Error::missing("the web hook")) };
        let now = clock::now();
        let old = now.checked_sub(jiff::SignedDuration::from_secs(4 * TOLERANCE)).unwrap_or(DateTime::MIN).to_string();
        if !firings::take_hook(t, dispatch, &id, &now.to_string(), &old)? {
            return Ok(false);
        }
        // It stands in the store until the CRM was asked: the end of the program loses nothing.
        let mut seen: Seen = firings::seen(t, dispatch, &own)?.unwrap_or_default();
        seen.told += 1;
        firings::see(t, dispatch, &own, &seen)?;
        Ok(true)
    });
    let new = new.await?;
    if new {
        app.firings.wake();
    }
    Ok(new)
}

/// The trigger of a dispatch that watches a CRM, if it is on.
fn watching(c: &Connection, dispatch: i64, trigger: u32) -> Outcome<Option<TriggerSetup>> {
    let watched = firings::watched(c, None)?.into_iter().find(|(id, _)| *id == dispatch);
    let own = watched.into_iter().flat_map(|(_, triggers)| triggers).find(|own| own.id == trigger && own.on);
    Ok(own.filter(|own| matches!(own.trigger, Trigger::Crm(_))))
}
