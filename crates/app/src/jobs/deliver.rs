//! Deliveries: a queue for each kind of channel, with its own width, rate and pauses. What is
//! being handed over stands in the store before the step that can't be called back, so that
//! whatever ends the program, nothing is delivered twice by itself.

use std::num::NonZeroU32;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;

use anyhow::{Context as _, Result};
use governor::{DefaultDirectRateLimiter, Quota, RateLimiter};
use mangle_channels::{Channel, Delivery, Document, Extra, Failure, Fate, Outcome, Rate};
use mangle_core::channel::{FixedFile, Inline};
use mangle_core::words::sentence;
use serde_json::Value;
use tokio::sync::{Notify, Semaphore};

use super::changed;
use super::journal::Entry;
use super::state::{DeliveryEvent, DeliveryState};
use crate::prepare::blocking;
use crate::store::deliveries::{self, DeliveryError, DeliveryWork};
use crate::store::documents::{self, DocumentInfo};
use crate::store::events::{self, About};
use crate::store::{Connection, Transaction, runs, settings};
use crate::{Actor, App, clock};

/// How many deliveries are taken from the store at a time.
const BATCH: usize = 50;
/// How often it is looked for what has become due.
const ROUND: Duration = Duration::from_millis(500);
/// The longest that the next try is put off.
const LONGEST_PAUSE: Duration = Duration::from_secs(3_600);
/// How long a store that can't be written is waited for before the next try.
const STORE_PAUSE: Duration = Duration::from_secs(3);

const UNCERTAIN: &str = "Mangle stopped during this delivery, so it may or may not have arrived. Ask the recipient or check the sent mail, then send again or mark as delivered.";
const PANICKED: &str = "internal error during this delivery. The log has the details. If it is uncertain, ask the recipient, then send again or mark as delivered.";
const FILE_GONE: &str = "the document file is missing from the data folder, or damaged. Run this record again.";

/// A kind of channel with what waits for it.
#[derive(Debug)]
pub struct Outbox {
    channel: Arc<dyn Channel>,
    wake: Notify,
    /// Deliveries that are at work and not yet begun in the store.
    busy: Mutex<Vec<i64>>,
}

impl Outbox {
    /// The outbox of a channel.
    pub fn new(channel: Arc<dyn Channel>) -> Outbox {
        Outbox { channel, wake: Notify::new(), busy: Mutex::default() }
    }

    /// Its channel.
    pub fn channel(&self) -> &Arc<dyn Channel> {
        &self.channel
    }

    /// Something has become due.
    pub fn wake(&self) {
        self.wake.notify_one();
    }

    fn busy(&self) -> Vec<i64> {
        self.busy.lock().unwrap_or_else(PoisonError::into_inner).clone()
    }

    fn end(&self, ids: &[i64]) {
        self.busy.lock().unwrap_or_else(PoisonError::into_inner).retain(|busy| !ids.contains(busy));
    }
}

/// Finds out what became of the deliveries that were being handed over when the program ended;
/// where nobody can tell, a person decides. How many these are.
pub async fn take_up(app: &App) -> Result<usize> {
    let mut doubtful = 0;
    for work in app.store.with(|c| deliveries::begun(c)).await? {
        doubtful += usize::from(find_out(app, work).await? == Fate::Unknown);
    }
    // What the journal knows and the store has forgotten: it was copied without its last pages.
    let before = app.journal.before();
    let known = app.store.with(move |c| deliveries::of_keys(c, &before.iter().map(|e| e.key.as_str()).collect::<Vec<_>>())).await?;
    for work in known {
        if let Some(entry) = app.journal.forgotten(&work.key, work.begun) {
            doubtful += usize::from(forgotten(app, work, entry).await? == Fate::Unknown);
        }
    }
    app.store.checkpoint().await?;
    app.journal.shorten()?;
    Ok(doubtful)
}

/// A delivery that had begun, though the store does not say so.
async fn forgotten(app: &App, work: DeliveryWork, entry: Entry) -> Result<Fate> {
    tracing::warn!(delivery = work.id, "the store has forgotten that a delivery had begun");
    let (id, target) = (work.id, entry.target.clone());
    if app.store.change(move |t| deliveries::had_begun(t, id, entry.begun, &entry.target, &clock::stamp())).await? {
        return find_out(app, DeliveryWork { target, ..work }).await;
    }
    Ok(Fate::NotDelivered)
}

/// Finds out what became of a delivery that had begun, and writes it down.
async fn find_out(app: &App, work: DeliveryWork) -> Result<Fate> {
    let fate = match (app.channel(&work.kind), delivery(app, &work).await) {
        (Some(channel), Ok(delivery)) => {
            let target = work.target.clone();
            blocking(move || channel.fate(&delivery, &target)).await?
        }
        _ => Fate::Unknown,
    };
    let outcome = match fate {
        Fate::Delivered => Outcome::Delivered(String::new()),
        Fate::NotDelivered => Outcome::NotBegun,
        Fate::Unknown => Outcome::Uncertain(Failure::new("uncertain", UNCERTAIN)),
    };
    app.store.change(move |t| settle(t, &work, &outcome, Duration::ZERO, Duration::MAX)).await?;
    Ok(fate)
}

/// Delivers what is due over one kind of channel until the program is to end.
pub async fn work(app: App, at: usize) {
    let outbox = &app.outboxes[at];
    let pace = outbox.channel.pace();
    let mut rate = pace.rate;
    let mut limits = limits_of(rate);
    let slots = Arc::new(Semaphore::new(pace.at_once.max(1)));
    while !app.stopping.is_cancelled() {
        let (kind, busy, now) = ((outbox.channel.kind(), outbox.channel.in_order()), outbox.busy(), clock::seconds());
        let due = app.store.with(move |c| deliveries::due(c, kind, now, &busy, BATCH)).await;
        let due = due.unwrap_or_else(|error| {
            tracing::error!(error = format!("{error:#}"), kind = kind.0, "the deliveries that are due can't be read");
            Vec::new()
        });
        // A person may have set another rate meanwhile.
        let rate_now = outbox.channel.pace().rate;
        if rate_now != rate {
            rate = rate_now;
            limits = limits_of(rate);
        }
        if due.is_empty() {
            if outbox.busy().is_empty() {
                let channel = outbox.channel.clone();
                drop(blocking(move || channel.rest()).await);
            }
            tokio::select! {
                () = app.stopping.cancelled() => {}
                () = outbox.wake.notified() => {}
                () = tokio::time::sleep(ROUND) => {}
            }
            continue;
        }
        for one in due {
            let Ok(slot) = slots.clone().acquire_owned().await else { return };
            tokio::select! {
                () = app.stopping.cancelled() => return,
                () = pass(&limits) => {}
                // What was waited for is due in the next round.
                () = other_rate(outbox, rate) => break,
            }
            let batch = match batch(&app, one).await {
                Ok(batch) => batch,
                Err(error) => {
                    tracing::error!(error = format!("{error:#}"), "what is handed over together can't be read");
                    break;
                }
            };
            let (ids, run): (Vec<i64>, _) = (batch.iter().map(|one| one.id).collect(), batch[0].run_id);
            outbox.busy.lock().unwrap_or_else(PoisonError::into_inner).extend(&ids);
            let own = app.clone();
            app.tasks.spawn(async move {
                if let Err(error) = hand_over(&own, at, batch).await {
                    tracing::error!(id = ids[0], error = format!("{error:#}"), "a delivery can't be handed over for now");
                    tokio::time::sleep(STORE_PAUSE).await;
                }
                own.outboxes[at].end(&ids);
                drop(slot);
                // The next of its run has its turn.
                if own.outboxes[at].channel.in_order() {
                    own.outboxes[at].wake();
                }
                changed(&own, run);
            });
        }
    }
}

/// What is handed over in one go: the delivery alone, or all of its run and channel with it.
async fn batch(app: &App, one: DeliveryWork) -> Result<Vec<DeliveryWork>> {
    if one.payload.get("together") != Some(&Value::Bool(true)) {
        return Ok(vec![one]);
    }
    let id = one.id;
    let mut all = app.store.with(move |c| deliveries::together(c, id)).await?;
    if all.first().is_none_or(|first| first.id != id) {
        all = vec![one];
    }
    Ok(all)
}

/// Waits until every limit lets one pass.
async fn pass(limits: &[DefaultDirectRateLimiter]) {
    for limit in limits {
        limit.until_ready().await;
    }
}

/// Waits until a person has set another rate.
async fn other_rate(outbox: &Outbox, rate: Rate) {
    while outbox.channel.pace().rate == rate {
        tokio::time::sleep(ROUND).await;
    }
}

fn limits_of(rate: Rate) -> Vec<DefaultDirectRateLimiter> {
    let minute = rate.per_minute.and_then(NonZeroU32::new).map(Quota::per_minute);
    let hour = rate.per_hour.and_then(NonZeroU32::new).map(Quota::per_hour);
    minute.into_iter().chain(hour).map(RateLimiter::direct).collect()
}

/// A delivery as its adapter takes it. A file that is gone or damaged is an error.
async fn delivery(app: &App, work: &DeliveryWork) -> Result<Delivery> {
    let item = work.item_id;
    // A delivery of an older Mangle does not name its sender.
    let nameless = work.payload.get("from").is_none_or(Value::is_null);
    let read = move |c: &mut Connection| -> Result<_> {
        Ok((documents::of_item(c, item)?, if nameless { settings::read(c)? } else { settings::Settings::default() }))
    };
    let (all, office) = app.store.with(read).await?;
    let takes_content = app.channel(&work.kind).is_none_or(|channel| channel.takes_content());
    let chosen: Vec<DocumentInfo> =
        all.into_iter().filter(|d| work.documents.iter().any(|format| format == d.format.extension())).collect();
    anyhow::ensure!(chosen.len() == work.documents.len(), "a document of item {item} is missing");
    let mut documents = Vec::with_capacity(chosen.len());
    for one in chosen.into_iter().filter(|_| takes_content) {
        let bytes = app.files.get(&one.file).await?;
        documents.push(Document { name: one.name, format: one.format, bytes });
    }
    let office = (office.office_name, office.office_email);
    let payload = signed_link(app, &work.payload);
    Ok(Delivery { key: work.key.clone(), payload, office, documents, extras: extras(app, &work.payload).await? })
}

/// A payload with the link of the signer whom it is for: that is stored nowhere.
fn signed_link(app: &App, payload: &Value) -> Value {
    let mut payload = payload.clone();
    let Some(nonce) = payload.get("signer_link").and_then(Value::as_str) else { return payload };
    let address = app.signer_links().address(nonce);
    for field in ["body", "html"] {
        if let Some(text) = payload.get(field).and_then(Value::as_str).map(|text| text.replace(mangle_core::signing::LINK, &address)) {
            payload[field] = text.into();
        }
    }
    payload
}

/// The pictures that a message shows, and the files that go along with it.
async fn extras(app: &App, payload: &Value) -> Result<Vec<Extra>> {
    let mut extras = Vec::new();
    let all = |name: &str| payload.get(name).filter(|own| own.is_array()).cloned();
    let pictures: Vec<Inline> = all("pictures").map(serde_json::from_value).transpose()?.unwrap_or_default();
    for Inline { id, file, kind } in pictures {
        let name = id.clone();
        extras.push(Extra { id: Some(id), name, kind, bytes: app.files.get(&file).await? });
    }
    let files: Vec<FixedFile> = all("files").map(serde_json::from_value).transpose()?.unwrap_or_default();
    for FixedFile { name, file, .. } in files {
        let kind = media_type(&name).to_owned();
        extras.push(Extra { id: None, name, kind, bytes: app.files.get(&file).await? });
    }
    Ok(extras)
}

/// The media type of a file, by its name.
fn media_type(name: &str) -> &'static str {
    match name.rsplit('.').next().unwrap_or_default().to_lowercase().as_str() {
        "pdf" => "application/pdf",
        "docx" => "application/vnd.openxmlformats-officedocument.wordprocessingml.document",
        "xlsx" => "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
        "png" => "image/png",
        "jpg" | "jpeg" => "image/jpeg",
        "txt" => "text/plain",
        "ics" => "text/calendar",
        _ => "application/octet-stream",
    }
}

/// Hands deliveries over in one go; most often it is one.
async fn hand_over(app: &App, at: usize, batch: Vec<DeliveryWork>) -> Result<()> {
    let channel = app.outboxes[at].channel.clone();
    let mut works = Vec::with_capacity(batch.len());
    let mut whole: Option<Delivery> = None;
    for work in batch {
        if let Some(entry) = app.journal.forgotten(&work.key, work.begun) {
            forgotten(app, work, entry).await?;
            continue;
        }
        match delivery(app, &work).await {
            Ok(own) => {
                match &mut whole {
                    None => whole = Some(own),
                    Some(whole) => whole.documents.extend(own.documents),
                }
                works.push(work);
            }
            // One file that is gone costs its own delivery and no other.
            Err(error) => {
                tracing::error!(delivery = work.id, error = format!("{error:#}"), "a document is missing or damaged");
                let outcome = Outcome::Failed(Failure::new("file", FILE_GONE));
                settle_all(app, &channel, Arc::new(vec![work]), outcome).await?;
            }
        }
    }
    let Some(delivery) = whole else { return Ok(()) };
    let works = Arc::new(works);
    // Why the store could not write down that the delivery begins.
    let fault: Arc<Mutex<Option<anyhow::Error>>> = Arc::default();
    let (own, begun, told) = (app.clone(), works.clone(), fault.clone());
    let mut begin = move |target: &str| {
        // What is being handed over is finished; no other is begun.
        if own.stopping.is_cancelled() {
            return false;
        }
        begin(&own, &begun, target).unwrap_or_else(|error| {
            *told.lock().unwrap_or_else(PoisonError::into_inner) = Some(error);
            false
        })
    };
    let handing = channel.clone();
    let handed = blocking(move || handing.deliver(&delivery, &mut begin)).await;
    let outcome = handed.unwrap_or_else(|error| {
        tracing::error!(delivery = works[0].id, error = format!("{error:#}"), "a delivery was interrupted");
        Outcome::Uncertain(Failure::new("internal", PANICKED))
    });
    settle_all(app, &channel, works, outcome).await?;
    match fault.lock().unwrap_or_else(PoisonError::into_inner).take() {
        Some(error) => Err(error),
        None => Ok(()),
    }
}

/// Writes the outcome of a try down. What was delivered is written down however long the store
/// takes: without that, a person would have to find out.
async fn settle_all(app: &App, channel: &Arc<dyn Channel>, works: Arc<Vec<DeliveryWork>>, outcome: Outcome) -> Result<()> {
    let pace = channel.pace();
    let (outcome, listens) = (Arc::new(outcome), channel.hears_later());
    loop {
        let (own, what) = (works.clone(), outcome.clone());
        let settled = app.store.change(move |t| -> Result<()> {
            for work in own.iter() {
                settle(t, work, &what, pace.pause(work.attempts), pace.give_up_after)?;
                if listens && matches!(*what, Outcome::Delivered(_) | Outcome::Uncertain(_)) {
                    deliveries::listen_for(t, work.id)?;
                }
            }
            Ok(())
        });
        match settled.await {
            Ok(()) => return Ok(()),
            Err(error) if app.stopping.is_cancelled() => return Err(error),
            Err(error) => {
                tracing::error!(
                    delivery = works[0].id,
                    error = format!("{error:#}"),
                    "the outcome of a delivery can't be saved; trying again"
                );
                tokio::time::sleep(STORE_PAUSE).await;
            }
        }
    }
}

/// Writes down that deliveries begin, in the store and in the journal; whether all of them may.
fn begin(app: &App, works: &Arc<Vec<DeliveryWork>>, target: &str) -> Result<bool> {
    let (to, own) = (target.to_owned(), works.clone());
    /// One of them may not.
    #[derive(Debug, thiserror::Error)]
    #[error("it may not begin any more")]
    struct NotAll;
    let begun = app.store.change_blocking(move |t| -> Result<Vec<i64>> {
        own.iter().map(|work| deliveries::begin(t, work.id, &to, clock::seconds(), &clock::stamp())?.context(NotAll)).collect()
    });
    let begun = match begun {
        Ok(begun) => begun,
        Err(error) if error.is::<NotAll>() => return Ok(false),
        Err(error) => return Err(error),
    };
    for (work, begun) in works.iter().zip(begun) {
        app.journal.note(&Entry { key: work.key.clone(), begun, target: target.to_owned() })?;
    }
    Ok(true)
}

/// Writes the outcome of a try down.
fn settle(t: &Transaction<'_>, work: &DeliveryWork, outcome: &Outcome, pause: Duration, patience: Duration) -> Result<()> {
    let (at, now, id) = (clock::stamp(), clock::seconds(), work.id);
    let about = About { run: work.run_id, item: Some(work.item_id), delivery: Some(id) };
    let error = |failure: &Failure| DeliveryError { code: failure.code.to_owned(), message: failure.message.clone() };
    let (moved, what, detail) = match outcome {
        Outcome::Delivered(receipt) => {
            let moved = deliveries::delivered(t, id, receipt, &at)?;
            // Meanwhile a person may have had another delivery of the record tried again.
            deliveries::repeat(t, &deliveries::ITSELF_IF_OPEN, id, &at)?;
            (moved, "delivered", receipt.clone())
        }
        Outcome::Failed(failure) => {
            (deliveries::went_wrong(t, DeliveryEvent::Fail, id, &error(failure), &at)?, "failed", failure.message.clone())
        }
        // What ended before it began is in no doubt.
        Outcome::Uncertain(failure) if deliveries::is(t, id, DeliveryState::Sending)? => {
            let lost = deliveries::went_wrong(t, DeliveryEvent::Lose, id, &error(failure), &at)?;
            (lost, "uncertain", failure.message.clone())
        }
        Outcome::Later(failure) | Outcome::Uncertain(failure) => {
            let since = work.first_tried.map_or(0, |first| now.saturating_sub(first));
            let what = failure.message.trim_end_matches('.');
            if since >= i64::try_from(patience.as_secs()).unwrap_or(i64::MAX) {
                let message = format!("{what}. Mangle gave up after {} attempts", work.attempts + 1);
                let error = DeliveryError { message, ..error(failure) };
                (deliveries::went_wrong(t, DeliveryEvent::Fail, id, &error, &at)?, "failed", error.message)
            } else {
                let error = DeliveryError { message: format!("{what}. Mangle will try again."), ..error(failure) };
                // As long as the other side asked for, within reason.
                let pause = pause.max(failure.after.unwrap_or_default()).min(LONGEST_PAUSE);
                let due = now + i64::try_from(pause.as_secs()).unwrap_or(i64::MAX / 2);
                // A try that had begun was counted when it began.
                let counts = deliveries::is(t, id, DeliveryState::ToSend)?;
                (deliveries::put_off(t, id, due, &error, counts, now, &at)?, "put off", failure.message.clone())
            }
        }
        Outcome::NotBegun => (deliveries::not_begun(t, id, &at)?, "", String::new()),
    };
    if moved && !what.is_empty() {
        let detail = if what == "delivered" { detail } else { sentence(&detail) };
        events::add(t, Actor::Mangle, about, what, &detail, &at)?;
    }
    runs::finish(t, work.run_id, &at).context("the run can't be ended")?;
    Ok(())
}

#[cfg(test)]
mod tests {
    use std::collections::HashMap;

    use mangle_channels::Pace;

    use super::*;
    use crate::store::deliveries::{DeliveryInfo, NewDelivery};

    /// A channel that does what the delivery's payload says, and counts what it took.
    #[derive(Debug, Default)]
    struct Moody {
        taken: Mutex<HashMap<String, usize>>,
    }

    impl Channel for Moody {
        fn kind(&self) -> &'static str {
            "email"
        }

        fn pace(&self) -> Pace {
            let (first_pause, longest_pause) = (Duration::from_secs(600), Duration::from_secs(600));
            Pace { at_once: 3, rate: Rate::default(), first_pause, longest_pause, give_up_after: Duration::from_secs(3_600) }
        }

        fn deliver(&self, delivery: &Delivery, begin: &mut dyn FnMut(&str) -> bool) -> Outcome {
            let failure = || Failure::new("moody", "not now");
            let mood = delivery.payload.as_str().unwrap_or_default();
            match mood {
                "panics before" => panic!("before it begins"),
                "unreachable" => return Outcome::Later(failure()),
                _ => {}
            }
            if !begin("somewhere") {
                return Outcome::NotBegun;
            }
            match mood {
                "panics after" => panic!("after it began"),
                "refuses" => Outcome::Failed(failure()),
                "puts off" => Outcome::Later(failure()),
                "hangs up" => Outcome::Uncertain(failure()),
                _ => {
                    *self.taken.lock().expect("one at a time").entry(delivery.key.clone()).or_default() += 1;
                    Outcome::Delivered("taken".to_owned())
                }
            }
        }
    }

    const MOODS: [&str; 7] = ["takes", "panics before", "panics after", "unreachable", "refuses", "puts off", "hangs up"];

    /// A run whose items are made, each with a delivery of its mood.
    fn furnish(c: &mut crate::store::Connection, count: usize) -> Result<()> {
        c.execute_batch(
            "INSERT INTO source (id, name, file_name, brought_in) VALUES (1, 's', 's.csv', 'x');
             INSERT INTO sheet (id, source_id, position, name, columns, decimal_mark, date_order, row_count) VALUES (1, 1, 0, 's', '[]', '.', 'day', 0);
             INSERT INTO template (id, name) VALUES (1, 't');
             INSERT INTO template_version (id, template_id, number, file_name, file, size, brought_in) VALUES (1, 1, 1, 'a', 'f', 9, 'x');
             INSERT INTO dispatch (id, key, name, setup, changed) VALUES (1, 'd', 'd', '{}', 'x');
             INSERT INTO run (id, dispatch_id, kind, state, started, moment, template_version_id, sheet_id, setup, count, sends)
               VALUES (1, 1, 'run', 'paused', 'x', 'x', 1, 1, '{}', 0, 1);",
        )?;
        let t = c.transaction()?;
        for at in 0..count {
            t.execute(
                "INSERT INTO item (run_id, position, sheet_id, row, label, record, state, changed) VALUES (1, ?1, 1, ?1, '', '[]', 'made', 'x')",
                [at + 1],
            )?;
            let item = t.last_insert_rowid();
            let new = NewDelivery {
                channel: 0,
                kind: "email",
                name: "E-mail".into(),
                state: DeliveryState::ToSend,
                held: false,
                opens: String::new(),
                key: format!("<{at}>"),
                recipient: String::new(),
                documents: "[]".into(),
                payload: serde_json::to_string(MOODS[at % MOODS.len()])?,
                token: String::new(),
                waits: false,
            };
            deliveries::add(&t, (item, 1), &new, "x")?;
        }
        Ok(t.commit()?)
    }

    async fn all(app: &App, count: usize) -> Vec<DeliveryInfo> {
        let ids: Vec<i64> = (1..=count as i64).collect();
        let found = app.store.with(move |c| deliveries::of_items(c, &ids, clock::seconds())).await.expect("reads");
        found.into_iter().map(|(_, delivery)| delivery).collect()
    }

    #[tokio::test(flavor = "multi_thread")]
    async fn whatever_a_channel_does_costs_its_own_delivery_alone() {
        let folder = tempfile::tempdir().expect("a folder");
        let moody = Arc::new(Moody::default());
        let options = crate::Options { folder: folder.path().into(), channels: Default::default() };
        let app = crate::app::open_with(options, |_, _| vec![moody.clone()]).await.expect("opens");
        let count = 70;
        app.store.with(move |c| furnish(c, count)).await.expect("furnished");
        tokio::time::sleep(Duration::from_millis(700)).await;
        assert!(all(&app, count).await.iter().all(|d| d.attempts == 0), "the run is paused");
        app.resume_run(1).await.expect("resumes");
        for _ in 0..200 {
            let open = all(&app, count).await.iter().filter(|d| d.state == "sending" || (d.state == "to send" && d.attempts == 0)).count();
            if open == 0 {
                break;
            }
            tokio::time::sleep(Duration::from_millis(50)).await;
        }
        for (at, delivery) in all(&app, count).await.iter().enumerate() {
            let (state, attempts) = match MOODS[at % MOODS.len()] {
                "takes" => ("delivered", 1),
                "refuses" => ("failed", 1),
                "panics after" | "hangs up" => ("uncertain", 1),
                _ => ("to send", 1),
            };
            assert_eq!((delivery.state.as_str(), delivery.attempts), (state, attempts), "{}: {delivery:?}", MOODS[at % MOODS.len()]);
        }
        let taken = moody.taken.lock().expect("one at a time").clone();
        assert!(taken.len() == 10 && taken.values().all(|times| *times == 1), "{taken:?}");
        app.stop().await;
    }

    #[tokio::test(flavor = "multi_thread")]
    async fn what_is_put_off_for_too_long_is_given_up() {
        let folder = tempfile::tempdir().expect("a folder");
        let options = crate::Options { folder: folder.path().into(), channels: Default::default() };
        let app = crate::app::open_with(options, |_, _| vec![Arc::new(Moody::default())]).await.expect("opens");
        app.store.with(|c| furnish(c, 4)).await.expect("furnished");
        let long_ago = clock::seconds() - 4_000;
        let old = app.store.change(move |t| -> Result<()> {
            t.execute("UPDATE delivery SET first_tried = ?1, attempts = 9 WHERE id = 4", [long_ago])?;
            Ok(())
        });
        old.await.expect("as if it had been tried before");
        app.resume_run(1).await.expect("resumes");
        for _ in 0..200 {
            if all(&app, 4).await[3].state == "failed" {
                break;
            }
            tokio::time::sleep(Duration::from_millis(50)).await;
        }
        let last = all(&app, 4).await.remove(3);
        assert_eq!((last.state.as_str(), last.error_message.as_str()), ("failed", "not now. Mangle gave up after 10 attempts"));
        app.stop().await;
    }
}
