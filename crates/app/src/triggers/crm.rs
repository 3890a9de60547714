//! Watches a CRM: asks it at intervals, or when it tells that something has changed, and finds
//! the records that have come to meet a condition since.

use std::collections::HashMap;

use anyhow::{Context as _, Result};
use mangle_core::trigger::{Crossing, Trigger, TriggerSetup, crossings};
use serde::{Deserialize, Serialize};

use super::watch::Watch;
use crate::crm::queries::fetched;
use crate::dispatches::ready;
use crate::store::firings::{self, NewFiring};
use crate::store::queries::{self, KeptQuery};
use crate::store::{Transaction, dispatches, jobs};
use crate::{App, clock};

/// How changes in the CRM are watched.
pub const WATCH: Watch = ("crm", |app, dispatch, own| Box::pin(look(app, dispatch, own)));

/// How long a CRM that could not be asked is left alone, in seconds.
const PAUSE: i64 = 60;

/// What a trigger has seen of the CRM.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub(super) struct Seen {
    /// When it was asked last, in seconds of the epoch; none before the first time.
    asked: Option<i64>,
    /// It could not be asked, and is left alone until then.
    rests_until: i64,
    /// How often a web hook has told of changes, and how many of these were looked into.
    pub(super) told: u64,
    looked_into: u64,
    /// What the records are of: another sheet or another question begins anew.
    of: String,
    /// The fetch that brought the records which were looked at last.
    fetched: Option<i64>,
    /// What is remembered of each record by its key; none before the first look.
    records: Option<HashMap<String, Crossing>>,
}

impl Seen {
    /// Whether it is time to ask.
    fn is_due(&self, minutes: Option<u32>, now: i64) -> bool {
        let long_ago = |asked: i64| minutes.is_some_and(|minutes| now - asked >= i64::from(minutes) * 60);
        now >= self.rests_until && (self.told != self.looked_into || self.asked.is_none_or(long_ago))
    }
}

/// Changes what a trigger has seen, as it stands in the store by then.
async fn change(app: &App, dispatch: i64, own: &TriggerSetup, work: impl FnOnce(&mut Seen) + Send + 'static) -> Result<()> {
    let own = own.clone();
    app.store
        .change(move |t| {
            let mut seen: Seen = firings::seen(t, dispatch, &own)?.unwrap_or_default();
            work(&mut seen);
            firings::see(t, dispatch, &own, &seen)
        })
        .await
}

async fn look(app: App, dispatch: i64, own: TriggerSetup) -> Result<()> {
    let Trigger::Crm(settings) = &own.trigger else { return Ok(()) };
    let trigger = own.clone();
    let found = app.store.read(move |c| -> Result<_> {
        let seen: Seen = firings::seen(c, dispatch, &trigger)?.unwrap_or_default();
        let sheet = dispatches::by_id(c, dispatch)?.and_then(|own| own.sheet_id);
        Ok((seen, sheet.map(|sheet| queries::of_sheet(c, sheet)).transpose()?.flatten()))
    });
    let (seen, Some((query, _))) = found.await? else { return Ok(()) };
    let now = clock::seconds();
    if seen.is_due(settings.minutes, now) {
        // What is told while it is asked has it asked again; so has the end of the program.
        let told = seen.told;
        match fetched(&app, query.id).await {
            Ok(()) => change(&app, dispatch, &own, move |seen| (seen.asked, seen.looked_into) = (Some(now), told)).await?,
            Err(error) => {
                tracing::warn!(dispatch, error = error.to_string(), "the CRM can't be asked for now");
                return change(&app, dispatch, &own, move |seen| seen.rests_until = now + PAUSE).await;
            }
        }
    }
    compare(&app, dispatch, own, query).await
}

/// Looks which records have come to meet the condition since the last look, if they were fetched
/// since, by whomever.
async fn compare(app: &App, dispatch: i64, own: TriggerSetup, query: KeptQuery) -> Result<()> {
    let Trigger::Crm(settings) = &own.trigger else { return Ok(()) };
    let (trigger, sheet, id) = (own.clone(), query.sheet, query.id);
    let of = format!("{sheet} {}", serde_json::to_string(&query.asks)?);
    let found = app.store.read(move |c| -> Result<_> {
        let seen: Seen = firings::seen(c, dispatch, &trigger)?.unwrap_or_default();
        Ok((seen, jobs::last_done(c, "fetch", id)?, dispatches::by_id(c, dispatch)?))
    });
    let (seen, Some(fetch), Some(kept)) = found.await? else { return Ok(()) };
    if seen.of == of && seen.fetched == Some(fetch) {
        return Ok(());
    }
    let (prepared, _) = ready(app, &kept).await.map_err(anyhow::Error::new)?;
    let met: HashMap<usize, bool> = match prepared.meets(&settings.condition) {
        Ok(met) => met.into_iter().collect(),
        // It stands beside the trigger; what the records did meanwhile is nothing that crossed.
        Err(_) => {
            let nothing = move |seen: &mut Seen| (seen.of, seen.fetched, seen.records) = (of, Some(fetch), None);
            return change(app, dispatch, &own, nothing).await;
        }
    };
    let fired = app.store.change(move |t| {
        let rows: Vec<usize> = met.keys().copied().collect();
        let keys = queries::keys(t, sheet, &rows).context("the keys of the records can't be read")?;
        note(t, dispatch, &own, (of, fetch), &keys, &met)
    });
    if fired.await? {
        app.firings.wake();
    }
    Ok(())
}

/// Writes down what has crossed; whether anything has.
fn note(
    t: &Transaction<'_>,
    dispatch: i64,
    own: &TriggerSetup,
    (of, fetch): (String, i64),
    keys: &[(usize, String)],
    met: &HashMap<usize, bool>,
) -> Result<bool> {
    let mut seen: Seen = firings::seen(t, dispatch, own)?.unwrap_or_default();
    let before = seen.records.take().filter(|_| seen.of == of);
    let now: Vec<(&str, bool)> = keys.iter().map(|(row, key)| (key.as_str(), met.get(row).copied().unwrap_or_default())).collect();
    let (crossed, records) = crossings(before.as_ref(), &now);
    let rows: HashMap<&str, usize> = keys.iter().map(|(row, key)| (key.as_str(), *row)).collect();
    let at = clock::stamp();
    for (key, times) in &crossed {
        let Some(row) = rows.get(key) else { continue };
        // The settings may have been others before: these crossings are counted anew.
        for number in *times.. {
            let key = format!("{key} {number}");
            let new =
                NewFiring { dispatch_id: dispatch, trigger: own.id, kind: "crm", key: &key, rows: Some(&[*row]), missed: None, at: &at };
            if firings::add(t, &new)?.1 {
                break;
            }
        }
    }
    firings::see(t, dispatch, own, &Seen { of, fetched: Some(fetch), records: Some(records), ..seen })?;
    Ok(!crossed.is_empty())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_crm_is_asked_at_first_at_intervals_when_it_tells_and_not_while_it_rests() {
        let now = 1_000_000;
        let seen = |asked: Option<i64>| Seen { asked, ..Seen::default() };
        assert!(seen(None).is_due(None, now), "the first look is what later ones are compared with");
        assert!(!seen(Some(now - 299)).is_due(Some(5), now) && seen(Some(now - 300)).is_due(Some(5), now));
        assert!(!seen(Some(0)).is_due(None, now), "it tells by web hook alone");
        let told = Seen { told: 3, looked_into: 2, ..seen(Some(now)) };
        assert!(told.is_due(None, now), "what was told while it was asked, or before the program ended, is asked for");
        let resting = Seen { rests_until: now + 1, ..told };
        assert!(!resting.is_due(Some(5), now) && resting.is_due(Some(5), now + 1));
    }
}
