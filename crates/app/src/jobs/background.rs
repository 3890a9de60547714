//! Jobs beside runs: imports, CRM fetches. Each stands in the store from the moment it is asked
//! for, so that the end of the program only interrupts it; how far it is, is kept in memory.
//!
//! To add a kind: a file with its work, and a line in `KINDS`.

use std::collections::HashMap;
use std::future::Future;
use std::pin::Pin;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;

use anyhow::Result;
use serde_json::Value;
use tokio::sync::{Notify, Semaphore, broadcast};
use tokio_util::sync::CancellationToken;

use crate::store::jobs::{self, Ended, JobInfo, JobWork};
use crate::{App, Error, ErrorKind, Outcome, clock, crm, sources};

/// The work of a job: all of it or nothing. Dropped where the job is stopped.
pub type Work = Pin<Box<dyn Future<Output = Outcome<Value>> + Send>>;

/// A kind of job: its word and its work.
type Kind = (&'static str, fn(App, JobWork) -> Work);

/// The kinds of jobs.
const KINDS: &[Kind] = &[sources::import::JOB, crm::FETCH];

/// How many jobs are done at a time.
const AT_ONCE: usize = 2;
/// How long a store that can't be written is waited for before the next try.
const STORE_PAUSE: Duration = Duration::from_secs(3);

/// How far a job is.
#[derive(Debug, Clone, Default)]
struct Progress {
    phase: &'static str,
    done: usize,
    total: Option<usize>,
}

/// The jobs that are being done.
#[derive(Debug)]
pub struct Background {
    at_work: Mutex<HashMap<i64, (Progress, CancellationToken)>>,
    wake: Notify,
    ended: broadcast::Sender<i64>,
    slots: Arc<Semaphore>,
}

impl Default for Background {
    fn default() -> Background {
        let slots = Arc::new(Semaphore::new(AT_ONCE));
        Background { at_work: Mutex::default(), wake: Notify::new(), ended: broadcast::channel(64).0, slots }
    }
}

impl Background {
    fn lock(&self) -> std::sync::MutexGuard<'_, HashMap<i64, (Progress, CancellationToken)>> {
        self.at_work.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Tells how far a job is.
    pub fn tell(&self, id: i64, phase: &'static str, done: usize, total: Option<usize>) {
        if let Some((progress, _)) = self.lock().get_mut(&id) {
            *progress = Progress { phase, done, total };
        }
    }

    /// Takes all places, so that nothing is begun while they are held.
    #[cfg(test)]
    pub async fn all_places(&self) -> tokio::sync::OwnedSemaphorePermit {
        self.slots.clone().acquire_many_owned(AT_ONCE as u32).await.expect("open")
    }

    fn with_progress(&self, job: JobInfo) -> JobInfo {
        match self.lock().get(&job.id).filter(|_| job.state == "working") {
            Some((progress, _)) => JobInfo { phase: progress.phase.to_owned(), done: progress.done, total: progress.total, ..job },
            None => job,
        }
    }
}

/// Does the jobs that wait, until the program ends.
pub async fn work(app: App) {
    while !app.stopping.is_cancelled() {
        let Ok(slot) = app.background.slots.clone().acquire_owned().await else { return };
        match app.store.change(|t| jobs::claim(t, &clock::stamp())).await {
            Ok(Some(job)) => {
                let own = app.clone();
                app.tasks.spawn(async move {
                    one(&own, job).await;
                    drop(slot);
                });
            }
            Ok(None) => {
                drop(slot);
                tokio::select! {
                    () = app.stopping.cancelled() => {}
                    () = app.background.wake.notified() => {}
                }
            }
            Err(error) => {
                tracing::error!(error = format!("{error:#}"), "the jobs can't be read");
                tokio::time::sleep(STORE_PAUSE).await;
            }
        }
    }
}

async fn one(app: &App, job: JobWork) {
    let (id, stop) = (job.id, CancellationToken::new());
    app.background.lock().insert(id, (Progress::default(), stop.clone()));
    let work = KINDS.iter().find(|(word, _)| *word == job.kind).map(|(_, work)| *work);
    let done = async {
        let Some(work) = work else {
            return Err(Error::unusable("unknown-job", format!("this version of Mangle has no jobs of the kind “{}”", job.kind)));
        };
        // Whatever a job does to the program, it costs that job alone.
        let done = tokio::spawn(work(app.clone(), job.clone()));
        let _guard = Abort(done.abort_handle());
        done.await.unwrap_or_else(|error| Err(anyhow::anyhow!("a job was interrupted: {error}").into()))
    };
    let ended = tokio::select! {
        done = done => Some(match done {
            Ok(result) => Ended::Done(result),
            Err(error) => Ended::Failed { code: error.code().to_owned(), message: error.to_string() },
        }),
        () = stop.cancelled() => Some(Ended::Stopped),
        () = app.stopping.cancelled() => None,
    };
    loop {
        let ended = ended.clone();
        let written = app.store.change(move |t| match &ended {
            Some(ended) => jobs::end(t, id, ended, &clock::stamp()),
            None => jobs::let_go(t, id),
        });
        match written.await {
            Ok(_) => break,
            // The store can't be written, as on a full disk: what is written down later is as good.
            Err(_) if app.stopping.is_cancelled() => break,
            Err(error) => {
                tracing::error!(id, error = format!("{error:#}"), "what became of a job can't be written down");
                tokio::time::sleep(STORE_PAUSE).await;
            }
        }
    }
    if ended.is_some() {
        sources::import::tidy(app, &job).await;
    }
    app.background.lock().remove(&id);
    // No listener is no fault.
    let _ = app.background.ended.send(id);
}

/// Ends a task with whoever waits for it.
struct Abort(tokio::task::AbortHandle);

impl Drop for Abort {
    fn drop(&mut self) {
        self.0.abort();
    }
}

impl App {
    /// The jobs that wait or are being done, with how far they are.
    pub async fn jobs(&self) -> Outcome<Vec<JobInfo>> {
        let going = self.store.with(|c| jobs::going(c)).await?;
        Ok(going.into_iter().map(|job| self.background.with_progress(job)).collect())
    }

    /// A job with how far it is.
    pub async fn job(&self, id: i64) -> Outcome<JobInfo> {
        let job = self.store.with(move |c| jobs::get(c, id)).await?.ok_or_else(|| Error::missing("the job"))?;
        Ok(self.background.with_progress(job))
    }

    /// The last job of a kind about a thing.
    pub async fn last_job(&self, kind: &'static str, about: i64) -> Outcome<Option<JobInfo>> {
        let job = self.store.with(move |c| jobs::last(c, kind, about)).await?;
        Ok(job.map(|job| self.background.with_progress(job)))
    }

    /// Asks for a job; one of its kind that is going about the same thing goes on.
    pub async fn ask_job(&self, kind: &'static str, about: i64, name: &str, payload: Value) -> Outcome<i64> {
        let name = name.to_owned();
        let id = self.store.change(move |t| jobs::add(t, kind, about, &name, &payload, &clock::stamp())).await?;
        self.background.wake.notify_one();
        Ok(id)
    }

    /// Waits for the end of a job, and gives what came of it.
    pub async fn job_done(&self, id: i64) -> Outcome<Value> {
        let mut ended = self.background.ended.subscribe();
        loop {
            let job = self.job(id).await?;
            match job.state.as_str() {
                "done" => return Ok(job.result),
                "stopped" => return Err(Error::conflict("stopped", format!("“{}” was stopped", job.name))),
                "failed" => {
                    let kind = if job.error_code == "internal" { ErrorKind::Internal } else { ErrorKind::Unusable };
                    return Err(Error::new(kind, &job.error_code, job.error_message));
                }
                _ => {}
            }
            tokio::select! {
                () = self.stopping.cancelled() => return Err(Error::conflict("stopping", "Mangle is ending. It goes on with this when it starts again.")),
                _ = ended.recv() => {}
            }
        }
    }

    /// Stops a job; what it was about is as it was before.
    pub async fn stop_job(&self, id: i64) -> Outcome<JobInfo> {
        let at_work = self.background.lock().get(&id).map(|(_, stop)| stop.clone());
        match at_work {
            Some(stop) => {
                stop.cancel();
                // What it comes to is of no interest here: it may have been done by then.
                let _ = self.job_done(id).await;
            }
            None => {
                let stopped = self.store.change(move |t| jobs::end(t, id, &Ended::Stopped, &clock::stamp())).await?;
                if stopped {
                    let _ = self.background.ended.send(id);
                }
            }
        }
        self.job(id).await
    }
}

/// Takes up the jobs that the end of the program interrupted, and deletes the files of those that
/// it kept from being asked for.
pub async fn take_up(app: &App) -> Result<()> {
    app.store.change(|t| jobs::take_up(t, &clock::stamp())).await?;
    for file in app.incoming.names().await? {
        let wanted = file.clone();
        if !app.store.with(move |c| jobs::needed(c, 0, &wanted)).await? {
            app.incoming.delete(&file).await?;
        }
    }
    Ok(())
}
