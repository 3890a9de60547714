//! The one writer: changes come in a line and are committed together. Each is whole or not there
//! at all, whatever becomes of its neighbours; and a commit, which waits for the disk, serves all
//! that came meanwhile.

use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::mpsc::{Receiver, Sender, channel};
use std::time::{Duration, Instant};

use anyhow::{Context, Result, anyhow};
use rusqlite::{Connection, Transaction};
use tokio::sync::oneshot;

/// The most changes that one commit serves, and how long it waits for more work to end.
const MOST: usize = 256;
const LONGEST: Duration = Duration::from_millis(20);
/// How long a commit waits for more changes where one has just ended: there is a line then, and
/// pages that several of them touch are written once.
const GATHER: Duration = Duration::from_millis(4);

/// A change that waits for its turn.
type Job = Box<dyn FnOnce(&Transaction<'_>) -> Done + Send>;

/// What a change gave.
struct Done {
    /// Whether it is to be kept.
    good: bool,
    /// Tells who asked for it, with the reason where it could not be committed.
    tell: Tell,
}

type Tell = Box<dyn FnOnce(Option<&str>) + Send>;

/// The writer of a store. Clones share it; it ends with the last of them.
#[derive(Debug, Clone)]
pub struct Writer(Sender<Job>);

impl Writer {
    /// Begins to write over a connection of its own.
    pub fn begin(connection: Connection) -> Result<Writer> {
        let (jobs, waiting) = channel();
        let thread = std::thread::Builder::new().name("store-writer".to_owned());
        thread.spawn(move || write(connection, &waiting)).context("the store's writer can't be started")?;
        Ok(Writer(jobs))
    }

    /// Puts a change in the line; what it gives is there once it is on disk.
    pub fn change<T: Send + 'static, E: From<anyhow::Error> + Send + 'static>(
        &self,
        work: impl FnOnce(&Transaction<'_>) -> Result<T, E> + Send + 'static,
    ) -> oneshot::Receiver<Result<T, E>> {
        let (tell, told) = oneshot::channel();
        let job: Job = Box::new(move |t| {
            let done = work(t);
            let good = done.is_ok();
            let tell = move |fault: Option<&str>| {
                // Who asked may be gone by now; the change is made all the same.
                drop(tell.send(match fault {
                    Some(fault) if good => Err(E::from(anyhow!("the change can't be saved: {fault}"))),
                    _ => done,
                }));
            };
            Done { good, tell: Box::new(tell) }
        });
        // Where the writer has ended, the other end of `told` says so.
        drop(self.0.send(job));
        told
    }
}

fn write(mut connection: Connection, waiting: &Receiver<Job>) {
    let mut ended: Option<Instant> = None;
    while let Ok(first) = waiting.recv() {
        let gather = if ended.is_some_and(|ended| ended.elapsed() < GATHER) { GATHER } else { Duration::ZERO };
        let mut done = Vec::new();
        let fault = together(&mut connection, first, (waiting, gather), &mut done).err().map(|error| format!("{error:#}"));
        done.into_iter().for_each(|one: Done| (one.tell)(fault.as_deref()));
        ended = Some(Instant::now());
    }
}

/// Makes a change and those that wait behind it, in one transaction.
fn together(connection: &mut Connection, first: Job, (waiting, gather): (&Receiver<Job>, Duration), done: &mut Vec<Done>) -> Result<()> {
    let begun = Instant::now();
    let t = connection.transaction()?;
    let mut next = Some(first);
    while let Some(job) = next {
        t.prepare_cached("SAVEPOINT change")?.execute([])?;
        // One that panics is answered by the end of its channel.
        let one = catch_unwind(AssertUnwindSafe(|| job(&t)));
        if !one.as_ref().is_ok_and(|one| one.good) {
            t.prepare_cached("ROLLBACK TO change")?.execute([])?;
        }
        t.prepare_cached("RELEASE change")?.execute([])?;
        done.extend(one);
        next = match gather.checked_sub(begun.elapsed()) {
            _ if done.len() >= MOST || begun.elapsed() >= LONGEST => None,
            Some(left) => waiting.recv_timeout(left).ok(),
            None => waiting.try_recv().ok(),
        };
    }
    Ok(t.commit()?)
}
