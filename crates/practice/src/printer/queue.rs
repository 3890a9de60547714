//! The jobs of the printer and what becomes of them.

use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::{Duration, Instant};

use axum::body::Bytes;
use serde::{Deserialize, Serialize};

/// How the printer is today.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct Condition {
    /// It has no paper: jobs wait.
    pub out_of_paper: bool,
    /// It is jammed: jobs wait.
    pub jammed: bool,
    /// It answers nobody.
    pub off: bool,
    /// It prints pictures of pages only (PWG raster).
    pub raster_only: bool,
    /// It takes one document a job.
    pub single_documents: bool,
    /// How long a page takes, in milliseconds.
    pub page_takes: u64,
    /// It gives up every so many-th job; none for 0.
    pub abort_every: i32,
}

/// The states of a job (RFC 8011, 5.3.7).
pub mod state {
    pub const PENDING: i32 = 3;
    pub const HELD: i32 = 4;
    pub const PROCESSING: i32 = 5;
    pub const CANCELED: i32 = 7;
    pub const ABORTED: i32 = 8;
    pub const COMPLETED: i32 = 9;
}

/// A job.
#[derive(Debug, Clone, Serialize)]
pub struct Job {
    /// Its number, from 1.
    pub number: i32,
    /// What it is called.
    pub name: String,
    /// Who sent it.
    pub user: String,
    /// How far it is (RFC 8011, 5.3.7).
    pub state: i32,
    /// Whether more documents may come.
    pub open: bool,
    /// How many copies.
    pub copies: i32,
    /// Which sides.
    pub sides: String,
    /// The paper and the tray, where they were asked for.
    pub media: String,
    /// How many pages have been printed, of all copies.
    pub printed: usize,
    /// Its documents: their media types and how many pages they have.
    pub documents: Vec<Document>,
    /// When it came, in seconds since the printer was switched on.
    pub created: i32,
}

/// A document of a job.
#[derive(Debug, Clone, Serialize)]
pub struct Document {
    /// Its media type.
    pub format: String,
    /// How many pages it has.
    pub pages: usize,
    #[serde(skip)]
    bytes: Bytes,
}

/// The printer. Clones share it.
#[derive(Debug, Clone)]
pub struct Printer(Arc<Mutex<Inside>>, Instant);

#[derive(Debug, Default)]
struct Inside {
    condition: Condition,
    jobs: Vec<Job>,
    last: i32,
}

impl Default for Printer {
    fn default() -> Printer {
        Printer(Arc::default(), Instant::now())
    }
}

/// What a job is made with.
#[derive(Debug, Clone)]
pub struct Ticket {
    pub name: String,
    pub user: String,
    pub copies: i32,
    pub sides: String,
    pub media: String,
}

impl Printer {
    fn lock(&self) -> MutexGuard<'_, Inside> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// How it is.
    pub fn condition(&self) -> Condition {
        self.lock().condition.clone()
    }

    /// Makes it otherwise.
    pub fn set(&self, condition: Condition) {
        self.lock().condition = condition;
    }

    /// Its jobs, the newest first.
    pub fn jobs(&self) -> Vec<Job> {
        self.lock().jobs.iter().rev().cloned().collect()
    }

    /// Throws the jobs away.
    pub fn clear(&self) {
        self.lock().jobs.clear();
    }

    /// Seconds since it was switched on, from 1.
    pub fn up(&self) -> i32 {
        i32::try_from(self.1.elapsed().as_secs()).unwrap_or(i32::MAX - 1) + 1
    }

    /// A job.
    pub fn job(&self, number: i32) -> Option<Job> {
        self.lock().jobs.iter().find(|job| job.number == number).cloned()
    }

    /// A document's media type and bytes.
    pub fn document(&self, number: i32, document: usize) -> Option<(String, Bytes)> {
        let job = self.job(number)?;
        job.documents.get(document).map(|document| (document.format.clone(), document.bytes.clone()))
    }

    /// Makes a job, which waits for its documents.
    pub fn create(&self, ticket: Ticket) -> Job {
        let up = self.up();
        let mut inside = self.lock();
        inside.last += 1;
        let Ticket { name, user, copies, sides, media } = ticket;
        let job = Job {
            number: inside.last,
            name,
            user,
            state: state::HELD,
            open: true,
            copies,
            sides,
            media,
            printed: 0,
            documents: Vec::new(),
            created: up,
        };
        inside.jobs.push(job.clone());
        job
    }

    /// Adds a document to a job; after the last the job waits for its turn. None where it takes
    /// no more.
    pub fn add(&self, number: i32, document: Option<(String, Bytes)>, last: bool) -> Option<Job> {
        let mut inside = self.lock();
        let job = inside.jobs.iter_mut().find(|job| job.number == number && job.open)?;
        if let Some((format, bytes)) = document {
            let pages = pages(&format, &bytes);
            job.documents.push(Document { format, pages, bytes });
        }
        if last {
            job.open = false;
            job.state = state::PENDING;
        }
        Some(job.clone())
    }

    /// Cancels a job that has not ended; whether it had not.
    pub fn cancel(&self, number: i32) -> bool {
        let mut inside = self.lock();
        let Some(job) = inside.jobs.iter_mut().find(|job| job.number == number && job.state < state::CANCELED) else { return false };
        (job.state, job.open) = (state::CANCELED, false);
        true
    }

    /// Prints a page of the job whose turn it is; how long that takes.
    fn step(&self) -> Duration {
        let mut inside = self.lock();
        let Condition { out_of_paper, jammed, off, page_takes, abort_every, .. } = inside.condition;
        let pause = Duration::from_millis(50);
        if out_of_paper || jammed || off {
            return pause;
        }
        let Some(job) = inside.jobs.iter_mut().find(|job| matches!(job.state, state::PENDING | state::PROCESSING)) else { return pause };
        if abort_every > 0 && job.number % abort_every == 0 {
            job.state = state::ABORTED;
            return Duration::ZERO;
        }
        job.state = state::PROCESSING;
        let all = job.documents.iter().map(|document| document.pages).sum::<usize>() * usize::try_from(job.copies).unwrap_or(1);
        job.printed = (job.printed + 1).min(all);
        if job.printed == all {
            job.state = state::COMPLETED;
        }
        Duration::from_millis(page_takes)
    }
}

/// How many pages a document has.
fn pages(format: &str, bytes: &[u8]) -> usize {
    match format {
        "image/pwg-raster" => memchr::memmem::find_iter(bytes, b"PwgRaster\0").count(),
        _ => lopdf::Document::load_mem(bytes).map_or(1, |pdf| pdf.get_pages().len()),
    }
}

/// Prints what waits, page by page.
pub async fn print(printer: Printer) {
    loop {
        let pause = printer.step();
        tokio::time::sleep(pause).await;
    }
}
