//! The one place that asks what time it is.

use std::sync::atomic::{AtomicI64, Ordering};

use jiff::civil::DateTime;
use jiff::tz::TimeZone;
use jiff::{Timestamp, Zoned};

/// How far the clock is turned back, in seconds.
static BACK: AtomicI64 = AtomicI64::new(0);

/// Turns the clock of the whole process back by so many days, for a demonstration whose past is made
/// when it starts; 0 for the present.
pub fn turn_back(days: u16) {
    BACK.store(i64::from(days) * 86_400, Ordering::SeqCst);
}

/// Now, in the machine's clock as UTC civil time, to the second. `MANGLE_NOW`
/// sets it for demonstrations and tests.
pub fn now() -> DateTime {
    let back = jiff::SignedDuration::from_secs(BACK.load(Ordering::SeqCst));
    told().saturating_sub(back)
}

fn told() -> DateTime {
    if let Ok(set) = std::env::var("MANGLE_NOW")
        && let Ok(moment) = set.parse()
    {
        return moment;
    }
    let seconds = std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH).map_or(0, |d| d.as_secs());
    let midnight = DateTime::constant(1970, 1, 1, 0, 0, 0, 0);
    midnight.checked_add(jiff::SignedDuration::from_secs(seconds as i64)).unwrap_or(midnight)
}

/// A moment of UTC civil time in a time zone.
pub fn zoned(utc: DateTime, zone: &TimeZone) -> Zoned {
    match utc.to_zoned(TimeZone::UTC) {
        Ok(moment) => moment.with_time_zone(zone.clone()),
        Err(_) => Zoned::new(Timestamp::UNIX_EPOCH, zone.clone()),
    }
}

/// A moment as UTC civil time.
pub fn utc_of(moment: &Zoned) -> DateTime {
    moment.with_time_zone(TimeZone::UTC).datetime()
}

/// A moment by the clock of a time zone, as UTC civil time.
pub fn utc(local: DateTime, zone: &TimeZone) -> DateTime {
    local.to_zoned(zone.clone()).map_or(local, |moment| utc_of(&moment))
}

/// A moment of UTC civil time, by the clock of a time zone.
pub fn local(utc: DateTime, zone: &TimeZone) -> DateTime {
    zoned(utc, zone).datetime()
}

/// Seconds since the epoch, for pauses between tries.
pub fn seconds() -> i64 {
    std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH).map_or(0, |d| d.as_secs() as i64)
}

/// Now as text for the store: `2026-11-23T09:42:00`.
pub fn stamp() -> String {
    now().to_string()
}
