//! The one place that asks what time it is.

use jiff::civil::DateTime;

/// Now, in the machine's clock as UTC civil time, to the second. `MANGLE_NOW`
/// sets it for demonstrations and tests.
pub fn now() -> DateTime {
    if let Ok(set) = std::env::var("MANGLE_NOW")
        && let Ok(moment) = set.parse()
    {
        return moment;
    }
    let seconds = std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH).map_or(0, |d| d.as_secs());
    let midnight = DateTime::constant(1970, 1, 1, 0, 0, 0, 0);
    midnight.checked_add(jiff::SignedDuration::from_secs(seconds as i64)).unwrap_or(midnight)
}

/// A moment by the machine's wall clock, as UTC civil time.
pub fn utc(local: DateTime) -> DateTime {
    match local.to_zoned(jiff::tz::TimeZone::system()) {
        Ok(zoned) => zoned.with_time_zone(jiff::tz::TimeZone::UTC).datetime(),
        Err(_) => local,
    }
}

/// A moment of UTC civil time, by the machine's wall clock.
pub fn local(utc: DateTime) -> DateTime {
    match utc.to_zoned(jiff::tz::TimeZone::UTC) {
        Ok(zoned) => zoned.with_time_zone(jiff::tz::TimeZone::system()).datetime(),
        Err(_) => utc,
    }
}

/// Seconds since the epoch, for pauses between tries.
pub fn seconds() -> i64 {
    std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH).map_or(0, |d| d.as_secs() as i64)
}

/// Now as text for the store: `2026-11-23T09:42:00`.
pub fn stamp() -> String {
    now().to_string()
}
