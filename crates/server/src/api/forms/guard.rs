//! Keeps public screens from being flooded: how often one sender may ask.

use std::net::IpAddr;
use std::num::NonZeroU32;

use axum::http::StatusCode;
use governor::{DefaultKeyedRateLimiter, Quota, RateLimiter};

use crate::error::Refused;

/// Who asks what: the form, and where from, where that is known.
type Key = (String, Option<IpAddr>);

/// What senders may do in a minute.
#[allow(missing_debug_implementations)]
pub struct Guard {
    looks: DefaultKeyedRateLimiter<Key>,
    files: DefaultKeyedRateLimiter<Key>,
    answers: DefaultKeyedRateLimiter<Key>,
}

/// What a sender asks for.
#[derive(Debug, Clone, Copy)]
pub enum Asked {
    Look,
    File,
    Answer,
}

impl Default for Guard {
    fn default() -> Guard {
        let a_minute = |count: u32| RateLimiter::keyed(Quota::per_minute(NonZeroU32::new(count).unwrap_or(NonZeroU32::MIN)));
        Guard { looks: a_minute(240), files: a_minute(60), answers: a_minute(20) }
    }
}

impl Guard {
    /// Refuses what comes too often.
    pub fn pass(&self, asked: Asked, token: &str, from: Option<IpAddr>) -> Result<(), Refused> {
        let limiter = match asked {
            Asked::Look => &self.looks,
            Asked::File => &self.files,
            Asked::Answer => &self.answers,
        };
        // Senders long gone are forgotten.
        if limiter.len() > 10_000 {
            limiter.retain_recent();
        }
        limiter.check_key(&(token.to_owned(), from)).map_err(|_| {
            Refused::new(StatusCode::TOO_MANY_REQUESTS, "too-often", "too many attempts. Wait a minute and send again; nothing is lost.")
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_sender_is_slowed_down_and_no_other() {
        let guard = Guard::default();
        let from = |last: u8| Some(IpAddr::from([127, 0, 0, last]));
        let taken = (0..25).filter(|_| guard.pass(Asked::Answer, "a", from(1)).is_ok()).count();
        assert_eq!(taken, 20);
        assert!(guard.pass(Asked::Answer, "a", from(2)).is_ok());
        assert!(guard.pass(Asked::Answer, "b", from(1)).is_ok());
        assert!(guard.pass(Asked::Look, "a", from(1)).is_ok());
    }
}
