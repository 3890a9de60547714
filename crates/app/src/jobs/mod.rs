//! The jobs: take up runs, make their items, deliver their documents; imports and fetches. What
//! is to be done stands in the store; after any end the next start goes on there.

mod background;
mod crm;
mod deliver;
mod journal;
mod late;
mod make;
mod makers;
mod pool;
mod sheet;
pub mod state;
mod summary;

use std::sync::Arc;
use std::time::Duration;

use anyhow::Result;
use tokio::task::JoinSet;

use self::state::RunState;
use crate::prepare::Prepared;
use crate::store::items::{Claimed, ItemError};
use crate::store::snapshots::Snapshot;
use crate::store::{deliveries, dispatches, items, runs};
use crate::{App, ErrorKind, clock};

pub use background::{Background, Work};
pub use crm::CrmRecords;
pub use deliver::Outbox;
pub use journal::Journal;
pub use make::{FoundInAll, FoundSoFar, check_all, check_one};
pub use makers::Makers;
pub use pool::Pool;
pub use sheet::SheetColumns;

/// The most items of a run that are claimed at a time.
const BATCH: usize = 24;
/// How often it is looked for runs that nobody makes, and for leases that have run out.
const ROUND: Duration = Duration::from_secs(1);

const CRASHED: &str =
    "Mangle ended unexpectedly each time it created this document. Check the record's pictures and the template, then retry it.";

/// Finds out what became of what was begun when the program ended, and begins to work.
pub async fn take_up(app: &App) -> Result<()> {
    let given_up = app
        .store
        .change(|t| -> Result<usize> {
            items::expire(t, i64::MAX)?;
            items::give_up(t, CRASHED, &clock::stamp())
        })
        .await?;
    background::take_up(app).await?;
    let doubtful = deliver::take_up(app).await?;
    if doubtful + given_up > 0 {
        tracing::warn!(doubtful, given_up, "items need a person after the last end of the program");
    }
    for at in 0..app.outboxes.len() {
        app.tasks.spawn(deliver::work(app.clone(), at));
        app.tasks.spawn(late::work(app.clone(), at));
    }
    app.tasks.spawn(supervise(app.clone()));
    app.tasks.spawn(summary::work(app.clone()));
    app.tasks.spawn(crate::signing::seal_work(app.clone()));
    app.tasks.spawn(background::work(app.clone()));
    app.tasks.spawn(crate::documents::removal_work(app.clone()));
    Ok(())
}

/// Gives every run that has something to make a maker, whatever ended the one before, and takes
/// items back whose makers are gone.
async fn supervise(app: App) {
    while !app.stopping.is_cancelled() {
        let round = app.store.change(|t| -> Result<_> {
            items::expire(t, clock::seconds())?;
            Ok((runs::to_make(t)?, deliveries::open(t, &clock::stamp())?))
        });
        match round.await {
            Ok((runs, open)) => {
                runs.into_iter().filter(|run| app.makers.begin(*run)).for_each(|run| make_run(&app, run));
                if !open.is_empty() {
                    wake(&app);
                    open.into_iter().for_each(|run| changed(&app, run));
                }
            }
            Err(error) => tracing::error!(error = format!("{error:#}"), "the runs that are going can't be read"),
        }
        tokio::select! {
            () = app.stopping.cancelled() => {}
            () = tokio::time::sleep(ROUND) => {}
        }
    }
}

/// Makes the items of a run in the background, at once: a person asked for it.
pub fn go(app: &App, run: i64) {
    if app.makers.begin_now(run) {
        make_run(app, run);
    }
    wake(app);
}

/// Something has become due for delivery.
pub fn wake(app: &App) {
    app.outboxes.iter().for_each(Outbox::wake);
}

/// The run's maker, which was begun before.
fn make_run(app: &App, run: i64) {
    let own = app.clone();
    app.tasks.spawn(async move {
        let done = make_items(&own, run).await;
        if let Err(error) = &done {
            tracing::error!(run, error = format!("{error:#}"), "a run can't continue for now");
        }
        own.makers.end(run, done.err());
        changed(&own, run);
    });
}

/// Tells the listeners that a run changed.
pub fn changed(app: &App, run: i64) {
    // No listener is no fault.
    let _ = app.changes.send(run);
}

/// What keeps a run from being made.
enum Unprepared {
    /// Its template, sheet or set-up can't be used: no try will help.
    Unusable(String),
    /// The machine: it is tried again.
    Fault(anyhow::Error),
}

/// Everything that the items of a run need.
async fn prepare(app: &App, run: i64) -> Result<(Arc<Prepared>, runs::RunWork), Unprepared> {
    let found = app.store.read(move |c| -> Result<_> {
        let Some(work) = runs::work(c, run)? else { return Ok(None) };
        let office = match Snapshot::of_run(c, run)? {
            Some(kept) => kept,
            None => {
                let Some(dispatch) = dispatches::by_id(c, work.dispatch_id)? else { return Ok(None) };
                Snapshot::take(c, (dispatch.id, &dispatch.name), Some(work.sheet_id))?
            }
        };
        Ok(Some((work, office)))
    });
    let gone = || Unprepared::Unusable("the dispatch of this run no longer exists".to_owned());
    let (work, office) = found.await.map_err(Unprepared::Fault)?.ok_or_else(gone)?;
    let moment = work.moment.parse().unwrap_or_else(|_| clock::now());
    let prepared = app.prepare_in(&office, work.setup.clone(), Some(work.template_version_id), Some(work.sheet_id), moment).await;
    match prepared {
        Ok(mut prepared) => {
            // A proof names the example: its own link would open nothing.
            if !work.proof {
                prepared.links = prepared.links.map(|links| links.of_run(run));
            }
            Ok((Arc::new(prepared), work))
        }
        Err(refused) if refused.kind == ErrorKind::Internal => Err(Unprepared::Fault(anyhow::anyhow!(refused))),
        Err(refused) => Err(Unprepared::Unusable(refused.to_string())),
    }
}

/// Everything that the items of a run were made with.
pub(crate) async fn prepared(app: &App, run: i64) -> Result<(Arc<Prepared>, runs::RunWork), crate::Error> {
    prepare(app, run).await.map_err(|fault| match fault {
        Unprepared::Unusable(message) => crate::Error::conflict("set-up", message),
        Unprepared::Fault(error) => error.into(),
    })
}

async fn make_items(app: &App, run: i64) -> Result<()> {
    app.store.change(move |t| items::let_go(t, run)).await?;
    if app.store.with(move |c| items::waits(c, run)).await? {
        // Made ready before anything is claimed: what ends the program here is no item's fault.
        match prepare(app, run).await {
            Ok(ready) => make_waiting(app, run, &ready).await?,
            Err(Unprepared::Fault(error)) => return Err(error),
            Err(Unprepared::Unusable(message)) => {
                let error = ItemError { code: "set-up".into(), place: "dispatch".into(), message };
                app.store.change(move |t| items::fail_waiting(t, run, &error, &clock::stamp())).await?;
            }
        }
    }
    app.store.change(move |t| runs::finish(t, run, &clock::stamp())).await?;
    Ok(())
}

/// Makes the items of a run that wait, as many at a time as the machine has cores for all runs
/// together. The first fault of the machine is given once all that was begun has ended.
async fn make_waiting(app: &App, run: i64, ready: &(Arc<Prepared>, runs::RunWork)) -> Result<()> {
    let (mut after, mut more) = (0, true);
    let mut busy: JoinSet<Result<()>> = JoinSet::new();
    let mut fault = Ok(());
    loop {
        if more && fault.is_ok() && busy.len() <= BATCH / 2 && !app.stopping.is_cancelled() {
            let (from, others) = (after, !busy.is_empty());
            let claimed = app.store.change(move |t| -> Result<_> {
                match runs::is(t, run, RunState::Running)? {
                    true => items::claim(t, run, from, BATCH / 2, others, clock::seconds()),
                    false => Ok(Claimed::Nothing),
                }
            });
            let (batch, alone) = match claimed.await {
                Ok(Claimed::Some(batch)) => (batch, false),
                Ok(Claimed::Alone(item)) => (vec![item], true),
                Ok(Claimed::NotNow) => (Vec::new(), true),
                Ok(Claimed::Nothing) => {
                    more = false;
                    (Vec::new(), false)
                }
                Err(error) => {
                    fault = Err(error);
                    (Vec::new(), false)
                }
            };
            for item in batch {
                after = after.max(item.position);
                busy.spawn(make::item(app.clone(), ready.0.clone(), ready.1.clone(), item));
            }
            wake(app);
            changed(app, run);
            if alone {
                // Nothing else is begun until it has ended.
                while let Some(done) = busy.join_next().await {
                    fault = fault.and(done.map_err(anyhow::Error::new).flatten());
                }
                continue;
            }
            if more && fault.is_ok() {
                continue;
            }
        }
        match busy.join_next().await {
            Some(done) => fault = fault.and(done.map_err(anyhow::Error::new).flatten()),
            None if !more || fault.is_err() || app.stopping.is_cancelled() => break,
            None => {}
        }
    }
    app.store.change(move |t| items::let_go(t, run)).await?;
    wake(app);
    fault
}
