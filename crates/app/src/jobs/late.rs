//! What comes back after a delivery was taken: a printer has printed, a message bounced. It is
//! written onto the delivery, as an event and, where it did not arrive after all, as its state.

use std::time::Duration;

use anyhow::Result;
use jiff::civil::DateTime;
use mangle_channels::{Awaited, Notice, Said};
use mangle_core::words::sentence;

use super::changed;
use super::state::{DeliveryEvent, RunEvent};
use crate::prepare::blocking;
use crate::store::deliveries::{self, DeliveryError};
use crate::store::events::{self, About};
use crate::store::{Transaction, runs};
use crate::{Actor, App, clock};

/// How long more may be heard of a delivery.
const LONGEST: jiff::SignedDuration = jiff::SignedDuration::from_hours(24 * 7);
/// How long it is waited before a channel is asked whether it listens by now.
const PAUSE: Duration = Duration::from_secs(2);

/// Listens to one kind of channel until the program is to end.
pub async fn work(app: App, at: usize) {
    let channel = app.outboxes[at].channel().clone();
    while !app.stopping.is_cancelled() {
        let every = channel.listens_every();
        if every.is_some()
            && let Err(error) = round(&app, at).await
        {
            tracing::error!(kind = channel.kind(), error = format!("{error:#}"), "what came back can't be read for now");
        }
        tokio::select! {
            () = app.stopping.cancelled() => {}
            () = tokio::time::sleep(every.unwrap_or(PAUSE)) => {}
        }
    }
}

/// Listens once.
pub(crate) async fn round(app: &App, at: usize) -> Result<()> {
    let channel = app.outboxes[at].channel().clone();
    let mut awaited = Vec::new();
    if channel.hears_later() {
        let (kind, since) = (channel.kind(), clock::now().checked_sub(LONGEST).unwrap_or(DateTime::MIN).to_string());
        let all = app.store.with(move |c| deliveries::awaited(c, kind, &since)).await?;
        awaited = all.into_iter().map(|one| Awaited { key: one.key, target: one.target }).collect();
        if awaited.is_empty() {
            return Ok(());
        }
    }
    let own = app.clone();
    let heard = blocking(move || {
        channel.listen(&awaited, &mut |notice| {
            let told = notice.clone();
            match own.store.change_blocking(move |t| note(t, &told)) {
                Ok(run) => {
                    run.into_iter().for_each(|run| changed(&own, run));
                    true
                }
                Err(error) => {
                    tracing::error!(error = format!("{error:#}"), "a notice can't be saved; it will be read again");
                    false
                }
            }
        })
    });
    heard.await?.map_err(|failure| anyhow::anyhow!(failure.message))
}

/// Writes a notice down; the run that changed, if any did. One of no delivery that is known here
/// is not for us.
fn note(t: &Transaction<'_>, notice: &Notice) -> Result<Option<i64>> {
    let Some(work) = deliveries::by_key(t, &notice.key)? else { return Ok(None) };
    let (at, id) = (clock::stamp(), work.id);
    let about = About { run: work.run_id, item: Some(work.item_id), delivery: Some(id) };
    match &notice.said {
        Said::Progress(text) | Said::Done(text) => {
            if deliveries::heard(t, id, text, matches!(notice.said, Said::Done(_)))? {
                events::add(t, Actor::Mangle, about, "heard", &sentence(text), &at)?;
            }
        }
        Said::Returned(failure) => {
            deliveries::heard(t, id, &failure.message, true)?;
            let error = DeliveryError { code: failure.code.to_owned(), message: failure.message.clone() };
            if deliveries::went_wrong(t, DeliveryEvent::Return, id, &error, &at)? {
                events::add(t, Actor::Mangle, about, failure.code, &sentence(&failure.message), &at)?;
                deliveries::repeat(t, deliveries::OF_THE_SAME, id, &at)?;
                // What tells of it has something to tell, however long the run has been over.
                if deliveries::any_to_send(t, work.run_id)? {
                    runs::change(t, RunEvent::Reopen, work.run_id)?;
                }
            }
        }
    }
    runs::finish(t, work.run_id, &at)?;
    Ok(Some(work.run_id))
}
