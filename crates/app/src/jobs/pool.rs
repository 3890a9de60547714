//! The making pool: as many threads as the machine has cores, which make documents and do nothing
//! else, and one more for what a person waits for. Threads of their own, because typesetting is a
//! third slower where it moves among the many of the async runtime.

use std::collections::VecDeque;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::{Arc, Condvar, Mutex, MutexGuard, PoisonError};

use anyhow::{Context as _, Result};
use tokio::sync::oneshot;

/// Who waits for a piece of work.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Priority {
    /// A person: it never stands in line behind thousands of letters.
    Person,
    /// A run.
    Run,
}

type Work = Box<dyn FnOnce() + Send>;

/// What waits to be made.
#[derive(Default)]
struct Queue {
    person: VecDeque<Work>,
    run: VecDeque<Work>,
    closed: bool,
}

#[derive(Default)]
struct Shared {
    queue: Mutex<Queue>,
    more: Condvar,
}

impl Shared {
    fn lock(&self) -> MutexGuard<'_, Queue> {
        self.queue.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn put(&self, priority: Priority, work: Work) {
        let mut queue = self.lock();
        match priority {
            Priority::Person => queue.person.push_back(work),
            Priority::Run => queue.run.push_back(work),
        }
        drop(queue);
        // The thread in reserve may be the one that hears it, and has no use for a run's.
        self.more.notify_all();
    }
}

/// The threads that make documents. They end with it, once what they have begun is done.
pub struct Pool(Arc<Shared>);

impl std::fmt::Debug for Pool {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("Pool")
    }
}

impl Pool {
    /// Begins threads for a number of pieces of work at a time, and the one in reserve.
    pub fn begin(at_a_time: usize) -> Result<Pool> {
        let pool = Pool(Arc::default());
        for at in 0..=at_a_time.max(1) {
            let (shared, reserve) = (pool.0.clone(), at == 0);
            let name = if reserve { "maker-reserve".to_owned() } else { format!("maker-{at}") };
            std::thread::Builder::new().name(name).spawn(move || work(&shared, reserve)).context("a maker's thread can't be started")?;
        }
        Ok(pool)
    }

    /// Does work when its turn comes. What panics is an error and costs nothing else.
    pub async fn make<T: Send + 'static>(&self, priority: Priority, work: impl FnOnce() -> T + Send + 'static) -> Result<T> {
        let (tell, told) = oneshot::channel();
        // Who asked may be gone by then.
        let work: Work = Box::new(move || drop(tell.send(work())));
        self.0.put(priority, work);
        told.await.context("a task was interrupted")
    }
}

impl Drop for Pool {
    fn drop(&mut self) {
        self.0.lock().closed = true;
        self.0.more.notify_all();
    }
}

fn work(shared: &Shared, reserve: bool) {
    loop {
        let mut queue = shared.lock();
        let next = loop {
            let next = queue.person.pop_front();
            let next = if reserve { next } else { next.or_else(|| queue.run.pop_front()) };
            match next {
                Some(next) => break next,
                None if queue.closed => return,
                None => queue = shared.more.wait(queue).unwrap_or_else(PoisonError::into_inner),
            }
        };
        drop(queue);
        // Whoever waits is told by the end of its channel.
        drop(catch_unwind(AssertUnwindSafe(next)));
    }
}

#[cfg(test)]
mod tests {
    use std::sync::mpsc::channel;

    use super::*;

    #[tokio::test(flavor = "multi_thread")]
    async fn a_persons_work_never_waits_behind_a_runs() {
        let pool = Arc::new(Pool::begin(2).expect("begins"));
        let (release, held) = channel::<()>();
        let held = Arc::new(Mutex::new(held));
        let run: Vec<_> = (0..5)
            .map(|at| {
                let (pool, held) = (pool.clone(), held.clone());
                tokio::spawn(async move {
                    let wait = move || held.lock().expect("one at a time").recv().map_or(0, |()| at);
                    pool.make(Priority::Run, wait).await
                })
            })
            .collect();
        for at in 0..3 {
            assert_eq!(pool.make(Priority::Person, move || at).await.expect("made"), at);
        }
        assert!(run.iter().all(|one| !one.is_finished()));
        for _ in &run {
            release.send(()).expect("heard");
        }
        for (at, one) in run.into_iter().enumerate() {
            assert_eq!(one.await.expect("joins").expect("made"), at);
        }
    }

    #[tokio::test(flavor = "multi_thread")]
    async fn what_panics_costs_itself_alone() {
        let pool = Pool::begin(1).expect("begins");
        for _ in 0..3 {
            assert!(pool.make(Priority::Run, || -> u8 { panic!("a record that no one foresaw") }).await.is_err());
        }
        assert_eq!(pool.make(Priority::Run, || 7).await.expect("made"), 7);
    }
}
