//! Watches the clock.

use anyhow::Result;
use jiff::civil::DateTime;
use mangle_core::trigger::{Missed, ScheduleTrigger, Trigger, TriggerSetup};
use serde::{Deserialize, Serialize};

use super::watch::Watch;
use crate::store::firings::{self, NewFiring};
use crate::store::{Connection, Transaction, settings};
use crate::{App, clock};

/// How the triggers of times are watched.
pub const WATCH: Watch = ("schedule", |app, dispatch, own| Box::pin(look(app, dispatch, own)));

/// How late a time may be noticed that counts as not missed, in minutes.
const LATE: i64 = 10;

/// Up to when a schedule has been looked at, in UTC.
#[derive(Debug, Serialize, Deserialize)]
struct Seen {
    until: DateTime,
}

async fn look(app: App, dispatch: i64, own: TriggerSetup) -> Result<()> {
    let now = clock::now();
    let trigger = own.clone();
    if !app.store.read(move |c| has_come(c, dispatch, &trigger, now)).await? {
        return Ok(());
    }
    if app.store.change(move |t| at(t, dispatch, &own, now)).await? {
        app.firings.wake();
    }
    Ok(())
}

/// Whether anything is to be written down at all: most looks find nothing.
fn has_come(c: &Connection, dispatch: i64, own: &TriggerSetup, now: DateTime) -> Result<bool> {
    let Trigger::Schedule(schedule) = &own.trigger else { return Ok(false) };
    let Some(Seen { until }) = firings::seen(c, dispatch, own)? else { return Ok(true) };
    let zone = settings::read(c)?.zone();
    Ok(now > until && come(schedule, &clock::zoned(until, &zone), &clock::zoned(now, &zone)).is_some())
}

/// Writes down the time that has come since the last look, if one has; whether a run is to start.
/// Of several that were missed, the last stands for all.
fn at(t: &Transaction<'_>, dispatch: i64, own: &TriggerSetup, now: DateTime) -> Result<bool> {
    let Trigger::Schedule(schedule) = &own.trigger else { return Ok(false) };
    let Some(Seen { until }) = firings::seen(t, dispatch, own)? else {
        firings::see(t, dispatch, own, &Seen { until: now })?;
        return Ok(false);
    };
    // A clock that was set back has seen these times already.
    if now <= until {
        return Ok(false);
    }
    let zone = settings::read(t)?.zone();
    let Some((last, before)) = come(schedule, &clock::zoned(until, &zone), &clock::zoned(now, &zone)) else {
        return Ok(false);
    };
    let late = now.duration_since(last).as_mins() > LATE;
    let missed = match schedule.missed {
        Missed::Skip if late => Some("Mangle did not run at that time"),
        _ => None,
    };
    let (key, stamp) = (format!("{last}Z"), last.to_string());
    let new = NewFiring { dispatch_id: dispatch, trigger: own.id, kind: "schedule", key: &key, rows: None, missed, at: &stamp };
    let (_, fresh) = firings::add(t, &new)?;
    firings::see(t, dispatch, own, &Seen { until: now })?;
    if before > 0 && missed.is_none() {
        tracing::info!(dispatch, before, "times of a schedule were missed; one run is started for all");
    }
    Ok(fresh && missed.is_none())
}

/// The last time that has come by now, in UTC, and how many before it.
fn come(schedule: &ScheduleTrigger, after: &jiff::Zoned, now: &jiff::Zoned) -> Option<(DateTime, usize)> {
    let mut times = std::iter::successors(schedule.next(after), |last| schedule.next(last)).take_while(|at| at <= now);
    let first = times.next()?;
    let (last, before) = times.fold((first, 0), |(_, before), at| (at, before + 1));
    Some((clock::utc_of(&last), before))
}

#[cfg(test)]
mod tests {
    use mangle_core::dispatch::Setup;
    use mangle_core::trigger::Every;

    use super::*;
    use crate::store::{Store, dispatches};

    #[test]
    fn each_time_fires_once_and_what_was_missed_is_caught_up_once_or_skipped() {
        let folder = tempfile::tempdir().expect("a folder");
        let store = Store::open(&folder.path().join("a.sqlite")).expect("opens");
        store
            .change_blocking(|t| {
                dispatches::add(t, "Reminders", None, None, &Setup::default(), "2026-11-23T09:42:00")?;
                let own = |id, missed| TriggerSetup {
                    id,
                    on: true,
                    hold: false,
                    trigger: Trigger::Schedule(ScheduleTrigger { every: Every::Day {}, time: "08:00".into(), missed }),
                };
                let (catch_up, skip) = (own(1, Missed::CatchUp), own(2, Missed::Skip));
                let look = |own: &TriggerSetup, now: &str| at(t, 1, own, now.parse().expect("a moment")).expect("looks");
                for own in [&catch_up, &skip] {
                    assert!(!look(own, "2026-11-23T09:42"), "what was before it was switched on does not count");
                    assert!(!look(own, "2026-11-24T07:59:59"));
                    assert!(look(own, "2026-11-24T08:00:00"));
                    assert!(!look(own, "2026-11-24T08:00:01"), "once");
                    assert!(!look(own, "2026-11-23T10:00:00"), "a clock set back starts nothing again");
                    assert!(!look(own, "2026-11-24T08:00:01"));
                }
                // The program did not run for three days.
                assert!(look(&catch_up, "2026-11-27T12:00:00"));
                assert!(!look(&skip, "2026-11-27T12:00:00"));
                let all = firings::list(t, 1, 10)?;
                let told: Vec<(u32, &str, &str)> = all.iter().map(|one| (one.trigger, one.key.as_str(), one.state.word())).collect();
                let expected = [
                    (2, "2026-11-27T08:00:00Z", "missed"),
                    (1, "2026-11-27T08:00:00Z", "due"),
                    (2, "2026-11-24T08:00:00Z", "due"),
                    (1, "2026-11-24T08:00:00Z", "due"),
                ];
                assert_eq!(told, expected);
                // Other settings begin anew; one that is switched off forgets.
                let later = TriggerSetup {
                    trigger: Trigger::Schedule(ScheduleTrigger { every: Every::Day {}, time: "11:00".into(), missed: Missed::CatchUp }),
                    ..catch_up.clone()
                };
                assert!(!look(&later, "2026-11-27T12:00:01"), "11:00 had passed when it was set");
                firings::forget(t, 1, &[])?;
                assert!(!look(&later, "2026-11-29T12:00:00"), "what came while it was off does not count");
                Ok(())
            })
            .expect("changes");
    }
}
