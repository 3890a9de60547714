//! Runs as a person deals with them: looked at, paused, stopped, released; what failed tried
//! again; what is in doubt decided.

use mangle_core::words::counted;

use crate::jobs::Outbox;
use crate::jobs::state::{DeliveryEvent, RunEvent};
use crate::store::deliveries::{ChannelCounts, DeliveryWork};
use crate::store::events::{self, About, EventInfo};
use crate::store::items::{self, ItemInfo};
use crate::store::runs::{self, RunInfo};
use crate::store::{Transaction, deliveries};
use crate::{App, Error, Outcome, clock, jobs};

impl App {
    /// Runs, the newest first.
    pub async fn runs(&self) -> Outcome<Vec<RunInfo>> {
        let runs = self.store.with(|c| runs::list(c, None)).await?;
        Ok(runs.into_iter().map(|run| RunInfo { trouble: self.makers.trouble(run.id), ..run }).collect())
    }

    /// A run.
    pub async fn run(&self, id: i64) -> Outcome<RunInfo> {
        let run = self.store.with(move |c| runs::get(c, id)).await?.ok_or_else(|| Error::missing("the run"))?;
        Ok(RunInfo { trouble: self.makers.trouble(id), ..run })
    }

    /// Items of a run that are so far, or all of them.
    pub async fn items(&self, run: i64, state: Option<String>, from: usize, count: usize) -> Outcome<Vec<ItemInfo>> {
        self.run(run).await?;
        let mut items = self.store.read(move |c| items::list(c, run, state.as_deref(), from, count, clock::seconds())).await?;
        items.iter_mut().for_each(|item| self.mark_revocable(item));
        Ok(items)
    }

    /// A run's deliveries, counted by channel and state.
    pub async fn run_channels(&self, run: i64) -> Outcome<Vec<ChannelCounts>> {
        self.run(run).await?;
        Ok(self.store.read(move |c| deliveries::by_channel(c, run)).await?)
    }

    /// Tells which of an item's deliveries can be withdrawn now.
    pub(crate) fn mark_revocable(&self, item: &mut ItemInfo) {
        for delivery in &mut item.deliveries {
            delivery.revocable = match delivery.state.as_str() {
                "blocked" | "scheduled" | "to send" => true,
                "delivered" => self.channel(&delivery.kind).is_some_and(|channel| channel.revocable()),
                _ => false,
            };
        }
    }

    /// What happened to an item.
    pub async fn item_events(&self, item: i64) -> Outcome<Vec<EventInfo>> {
        let found = self.store.read(move |c| match items::get(c, item)? {
            Some(_) => events::of_item(c, item).map(Some),
            None => Ok::<_, anyhow::Error>(None),
        });
        found.await?.ok_or_else(|| Error::missing("the item"))
    }

    /// What happened to a run as a whole.
    pub async fn run_events(&self, run: i64) -> Outcome<Vec<EventInfo>> {
        self.run(run).await?;
        Ok(self.store.with(move |c| events::of_run(c, run)).await?)
    }

    /// Pauses a run; what is being made or handed over is finished.
    pub async fn pause_run(&self, id: i64) -> Outcome<RunInfo> {
        self.change_run(id, RunEvent::Pause, "paused").await
    }

    /// Lets a paused run go on.
    pub async fn resume_run(&self, id: i64) -> Outcome<RunInfo> {
        let run = self.change_run(id, RunEvent::Resume, "resumed").await?;
        jobs::go(self, id);
        Ok(run)
    }

    /// Stops a run for good: what is made stays made, the rest is left out or withdrawn.
    pub async fn stop_run(&self, id: i64) -> Outcome<RunInfo> {
        self.change_run(id, RunEvent::Stop, "stopped").await
    }

    async fn change_run(&self, id: i64, event: RunEvent, what: &'static str) -> Outcome<RunInfo> {
        let (who, links) = (self.actor(), self.signer_links());
        self.run(id).await?;
        let changed = self.store.change(move |t| -> anyhow::Result<bool> {
            let at = clock::stamp();
            let changed = match event {
                RunEvent::Stop => {
                    let stopped = runs::stop(t, id, &at)?;
                    if stopped {
                        crate::signing::run_stopped(t, id, &links, &at)?;
                    }
                    stopped
                }
                _ => runs::change(t, event, id)?,
            };
            if changed {
                events::add(t, who, About::run(id), what, "", &at)?;
            }
            Ok(changed)
        });
        if !changed.await? {
            let run = self.run(id).await?;
            return Err(Error::conflict("state", format!("not possible: this run is {}", run.state)));
        }
        jobs::changed(self, id);
        self.run(id).await
    }

    /// Makes or delivers what failed of a run again, or what failed of one item of it.
    pub async fn retry(&self, run: i64, item: Option<i64>) -> Outcome<RunInfo> {
        let who = self.actor();
        let before = self.run(run).await?;
        let count = self.store.change(move |t| -> anyhow::Result<usize> {
            let at = clock::stamp();
            let count = runs::retry(t, run, item, &at)?;
            if count > 0 {
                let about = item.map_or_else(|| About::run(run), |item| About::item(run, item));
                events::add(t, who, about, "retried", &counted(count, "record", "records"), &at)?;
            }
            Ok(count)
        });
        if count.await? == 0 {
            return Err(match before.failed {
                _ if before.state == "stopped" => stopped(),
                0 => Error::conflict("nothing-failed", "no failed documents in this run"),
                _ => Error::conflict("served-since", "a later run has already sent these documents. Start a new run to send them again."),
            });
        }
        jobs::go(self, run);
        self.run(run).await
    }

    /// The same for an item whose run is not known.
    pub async fn retry_item(&self, item: i64) -> Outcome<RunInfo> {
        let found = self.store.with(move |c| items::get(c, item)).await?;
        let run = found.ok_or_else(|| Error::missing("the item"))?.run_id;
        self.retry(run, Some(item)).await
    }

    /// Releases what is on hold in a run: its deliveries begin.
    pub async fn release_run(&self, run: i64) -> Outcome<RunInfo> {
        let who = self.actor();
        self.run(run).await?;
        let count = self.store.change(move |t| -> anyhow::Result<usize> {
            let at = clock::stamp();
            let count = deliveries::release_all(t, run, &at)? + runs::let_loose(t, run)?;
            if count > 0 {
                events::add(t, who, About::run(run), "released", "", &at)?;
            }
            Ok(count)
        });
        if count.await? == 0 {
            return Err(Error::conflict("not-held", "nothing is on hold in this run"));
        }
        jobs::wake(self);
        jobs::changed(self, run);
        self.run(run).await
    }

    /// Releases one delivery that is on hold.
    pub async fn release(&self, id: i64) -> Outcome<RunInfo> {
        let not = || Error::conflict("not-held", "this delivery is not on hold");
        self.decide(id, "released", not, move |t, at| deliveries::release(t, id, at)).await
    }

    /// Sends one before its moment.
    pub async fn send_now(&self, id: i64) -> Outcome<RunInfo> {
        let not = || Error::conflict("not-scheduled", "this delivery is not scheduled");
        self.decide(id, "sent now", not, move |t, at| deliveries::send_now(t, id, at)).await
    }

    /// Delivers an uncertain one again, on a person's word.
    pub async fn send_again(&self, id: i64) -> Outcome<RunInfo> {
        let not = || Error::conflict("not-uncertain", "this delivery is not uncertain");
        self.decide(id, "sent again", not, move |t, at| deliveries::again(t, DeliveryEvent::SendAgain, id, at)).await
    }

    /// Marks an uncertain one as delivered, on a person's word.
    pub async fn confirm(&self, id: i64) -> Outcome<RunInfo> {
        let not = || Error::conflict("not-uncertain", "this delivery is not uncertain");
        self.decide(id, "confirmed", not, move |t, at| deliveries::confirm(t, id, at)).await
    }

    /// Withdraws one that has not begun, or that can be taken back.
    pub async fn withdraw(&self, id: i64) -> Outcome<RunInfo> {
        let kinds: Vec<&str> = self.outboxes.iter().map(Outbox::channel).filter(|own| own.revocable()).map(|own| own.kind()).collect();
        let not = || Error::conflict("begun", "this delivery can't be withdrawn any more");
        let withdraw = move |t: &Transaction<'_>, at: &str| {
            let revocable = deliveries::get(t, id)?.is_some_and(|work| kinds.contains(&work.kind.as_str()));
            deliveries::withdraw(t, id, revocable, at)
        };
        self.decide(id, "withdrawn", not, withdraw).await
    }

    /// A person's decision about one delivery.
    async fn decide(
        &self,
        id: i64,
        what: &'static str,
        not: impl FnOnce() -> Error,
        work: impl FnOnce(&Transaction<'_>, &str) -> anyhow::Result<bool> + Send + 'static,
    ) -> Outcome<RunInfo> {
        let who = self.actor();
        let found: Option<DeliveryWork> = self.store.with(move |c| deliveries::get(c, id)).await?;
        let found = found.ok_or_else(|| Error::missing("the delivery"))?;
        let about = About { run: found.run_id, item: Some(found.item_id), delivery: Some(id) };
        let done = self.store.change(move |t| -> anyhow::Result<bool> {
            let at = clock::stamp();
            let done = work(t, &at)?;
            if done {
                events::add(t, who, about, what, "", &at)?;
                if deliveries::any_to_send(t, about.run)? {
                    runs::reopen(t, about.run)?;
                }
                // It may be the last that its run waited for.
                runs::finish(t, about.run, &at)?;
            }
            Ok(done)
        });
        if !done.await? {
            return Err(match self.run(about.run).await?.state.as_str() {
                "stopped" => stopped(),
                _ => not(),
            });
        }
        jobs::wake(self);
        jobs::changed(self, about.run);
        self.run(about.run).await
    }
}

fn stopped() -> Error {
    Error::conflict("stopped", "this run was stopped. Start a new run for these documents.")
}
