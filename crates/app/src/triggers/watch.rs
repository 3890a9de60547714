//! Watches the triggers that nothing outside tells of, and has what is due started.

use std::collections::HashSet;
use std::future::Future;
use std::pin::Pin;
use std::sync::{Mutex, PoisonError};
use std::time::Duration;

use anyhow::Result;
use mangle_core::trigger::TriggerSetup;
use tokio::sync::Notify;

use super::{crm, schedule, start, tell};
use crate::store::firings;
use crate::{App, clock};

/// A look: it writes down what it finds as firings.
pub type Look = Pin<Box<dyn Future<Output = Result<()>> + Send>>;

/// How a kind of trigger is watched: its word, and a look at one of a dispatch.
pub type Watch = (&'static str, fn(App, i64, TriggerSetup) -> Look);

/// The kinds of triggers that are watched.
const WATCHES: &[Watch] = &[schedule::WATCH, crm::WATCH];

/// What no trigger is: the messages to the person.
const NOBODY: (i64, u32) = (0, 0);

/// How often it is looked.
const ROUND: Duration = Duration::from_secs(1);

/// What is at work for triggers.
#[derive(Debug, Default)]
pub struct Firings {
    wake: Notify,
    /// The triggers that are being looked at, and the dispatches that are being started; the
    /// latter with 0.
    busy: Mutex<HashSet<(i64, u32)>>,
}

impl Firings {
    /// Something is due.
    pub fn wake(&self) {
        self.wake.notify_one();
    }

    fn begin(&self, what: (i64, u32)) -> bool {
        self.busy.lock().unwrap_or_else(PoisonError::into_inner).insert(what)
    }

    fn end(&self, what: (i64, u32)) {
        self.busy.lock().unwrap_or_else(PoisonError::into_inner).remove(&what);
    }
}

/// Watches until the program is to end.
pub async fn work(app: App) {
    while !app.stopping.is_cancelled() {
        if let Err(error) = round(&app).await {
            tracing::error!(error = format!("{error:#}"), "the triggers can't be read for now");
        }
        tokio::select! {
            () = app.stopping.cancelled() => {}
            () = app.firings.wake.notified() => {}
            () = tokio::time::sleep(ROUND) => {}
        }
    }
}

async fn round(app: &App) -> Result<()> {
    let (watched, due) =
        app.store.read(|c| -> Result<_> { Ok((firings::watched(c, None)?, firings::dispatches_due(c, clock::seconds())?)) }).await?;
    for (dispatch, triggers) in watched {
        let on: Vec<u32> = triggers.iter().filter(|own| own.on).map(|own| own.id).collect();
        if on.len() < triggers.len() {
            app.store.change(move |t| firings::forget(t, dispatch, &on)).await?;
        }
        for own in triggers.into_iter().filter(|own| own.on) {
            let Some((_, look)) = WATCHES.iter().find(|(kind, _)| *kind == own.trigger.kind()) else { continue };
            let id = own.id;
            at_work(app, (dispatch, id), look(app.clone(), dispatch, own), "a trigger can't be watched for now");
        }
    }
    for dispatch in due {
        at_work(app, (dispatch, 0), Box::pin(start::dispatch(app.clone(), dispatch)), "a run can't be started by its trigger for now");
    }
    // A mail server that takes long keeps no run waiting.
    at_work(app, NOBODY, Box::pin(tell::round(app.clone())), "the person can't be told of what waits for now");
    Ok(())
}

/// Does a piece of work beside the others, unless it is being done.
fn at_work(app: &App, what: (i64, u32), work: Look, fault: &'static str) {
    if !app.firings.begin(what) {
        return;
    }
    let own = app.clone();
    app.tasks.spawn(async move {
        // Whatever one does to the program, it costs that one alone.
        let done = tokio::spawn(work).await;
        own.firings.end(what);
        match done {
            Ok(Ok(())) => {}
            Ok(Err(error)) => tracing::error!(dispatch = what.0, trigger = what.1, error = format!("{error:#}"), "{fault}"),
            Err(panic) => tracing::error!(dispatch = what.0, trigger = what.1, error = format!("{panic}"), "{fault}"),
        }
    });
}
