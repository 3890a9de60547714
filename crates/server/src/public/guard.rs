//! Keeps public screens from being flooded: how often one sender may ask.

use std::hash::Hash;
use std::num::NonZeroU32;
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};

use axum::http::{Extensions, StatusCode};
use governor::{DefaultKeyedRateLimiter, Quota, RateLimiter};

use super::Sender;
use crate::error::Refused;

/// Who asks what: the form or the document, and who, where that is known.
type Key = (String, Option<Sender>);

/// What senders may do in a minute.
#[allow(missing_debug_implementations)]
pub struct Guard {
    looks: DefaultKeyedRateLimiter<Key>,
    files: DefaultKeyedRateLimiter<Key>,
    answers: DefaultKeyedRateLimiter<Key>,
    /// By whoever: a passcode is guessed from many places.
    passcodes: DefaultKeyedRateLimiter<String>,
    /// Whatever is asked for: addresses are guessed one after the other.
    addresses: DefaultKeyedRateLimiter<Option<Sender>>,
    /// When senders long gone were last forgotten.
    swept: Mutex<Instant>,
}

/// What a sender asks for.
#[derive(Debug, Clone, Copy)]
pub enum Asked {
    Look,
    File,
    Answer,
    /// To open a shared document, or one to sign.
    Open,
}

impl Default for Guard {
    fn default() -> Guard {
        Guard {
            looks: RateLimiter::keyed(a_minute(240)),
            files: RateLimiter::keyed(a_minute(60)),
            answers: RateLimiter::keyed(a_minute(20)),
            passcodes: RateLimiter::keyed(a_minute(PASSCODES)),
            addresses: RateLimiter::keyed(a_minute(1_200)),
            swept: Mutex::new(Instant::now()),
        }
    }
}

/// How many passcodes may be tried on one document in a minute, by all together.
const PASSCODES: u32 = 10;

/// How often senders long gone are forgotten.
const SWEEPS_EVERY: Duration = Duration::from_secs(20);

fn a_minute(count: u32) -> Quota {
    Quota::per_minute(NonZeroU32::new(count).unwrap_or(NonZeroU32::MIN))
}

/// Whether one more passes.
fn passes<K: Clone + Eq + Hash>(limiter: &DefaultKeyedRateLimiter<K>, key: &K) -> Result<(), Refused> {
    limiter.check_key(key).map_err(|_| {
        Refused::new(StatusCode::TOO_MANY_REQUESTS, "too-often", "too many attempts. Wait a minute and send again; nothing is lost.")
    })
}

impl Guard {
    /// Refuses what comes too often.
    pub fn pass(&self, asked: Asked, token: &str, from: Option<Sender>) -> Result<(), Refused> {
        self.sweep();
        passes(&self.addresses, &from)?;
        let limiter = match asked {
            Asked::Look | Asked::Open => &self.looks,
            Asked::File => &self.files,
            Asked::Answer => &self.answers,
        };
        passes(limiter, &(token.to_owned(), from))
    }

    /// Forgets senders long gone, now and then: it looks at all of them.
    fn sweep(&self) {
        let Ok(mut swept) = self.swept.try_lock() else { return };
        if swept.elapsed() < SWEEPS_EVERY {
            return;
        }
        *swept = Instant::now();
        for limiter in [&self.looks, &self.files, &self.answers] {
            limiter.retain_recent();
        }
        self.passcodes.retain_recent();
        self.addresses.retain_recent();
    }

    /// Refuses one passcode too many, whoever tries it.
    pub fn pass_passcode(&self, token: &str) -> Result<(), Refused> {
        passes(&self.passcodes, &token.to_owned())
    }
}

/// Refuses what comes too often from the sender of a request; gives the guard.
pub fn pass<'a>(extensions: &'a Extensions, asked: Asked, token: &str) -> Result<&'a Guard, Refused> {
    let guard = extensions.get::<Arc<Guard>>().ok_or_else(|| anyhow::anyhow!("the guard is missing"))?;
    guard.pass(asked, token, extensions.get::<Sender>().copied())?;
    Ok(guard)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_sender_is_slowed_down_and_no_other() {
        let guard = Guard::default();
        let from = |last: u8| Some(Sender::of([127, 0, 0, last].into()));
        let taken = (0..25).filter(|_| guard.pass(Asked::Answer, "a", from(1)).is_ok()).count();
        assert_eq!(taken, 20);
        assert!(guard.pass(Asked::Answer, "a", from(2)).is_ok());
        assert!(guard.pass(Asked::Answer, "b", from(1)).is_ok());
        assert!(guard.pass(Asked::Look, "a", from(1)).is_ok());
        // Nobody guesses addresses one after the other.
        let guessed = (0..2_000).filter(|number| guard.pass(Asked::Look, &format!("guess {number}"), from(9)).is_ok()).count();
        assert!((1_200..1_300).contains(&guessed), "{guessed}");
        let tried = (0..50).filter(|_| guard.pass_passcode("d").is_ok()).count();
        assert_eq!(tried, PASSCODES as usize);
        assert!(guard.pass_passcode("e").is_ok());
    }
}
