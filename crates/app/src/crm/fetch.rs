//! Fetches a query's records page by page into its sheet: all of them, or nothing.

use std::collections::{HashMap, HashSet};
use std::sync::{Arc, Mutex};

use futures::{StreamExt, stream};
use jiff::civil::DateTime;
use mangle_core::crm::{CrmQuery, Shape};
use mangle_core::language::syntax::Sizes;
use mangle_core::records::{Cell, Labels, Record, Sheet};
use mangle_core::words::grouped;
use mangle_documents::odata::{self, Part, PictureLink};
use mangle_documents::picture;
use serde::Serialize;
use tokio_util::sync::CancellationToken;

use super::Client;
use crate::App;
use crate::error::Error;
use crate::files::Files;
use crate::prepare::blocking;
use crate::store::files::{self, SheetFile};
use crate::store::{queries, sheets};

/// The most records that a query brings.
const MOST: usize = 200_000;
/// How many pictures are on their way at once.
const AT_ONCE: usize = 4;
/// The longest side of a picture that is kept, in points at 220 dots to the inch:
/// about 1 600 dots, a full page's width.
const LONGEST: f64 = 524.0;

/// Where a fetch is.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case")]
pub enum State {
    /// Records come.
    Records,
    /// Pictures come.
    Pictures,
    /// All is there.
    Done,
    /// A person stopped it; the sheet is as it was.
    Stopped,
    /// It failed; the sheet is as it was.
    Failed(String),
}

/// How far a fetch is.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Fetching {
    /// Where it is.
    pub state: State,
    /// How many records or pictures have come.
    pub done: usize,
    /// How many there are, where that is known.
    pub total: Option<usize>,
    /// What is otherwise than after the fetch before, once it is done.
    pub difference: Option<Difference>,
}

/// Records that a fetch brought or no longer found.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Difference {
    /// How many records are new.
    pub came: usize,
    /// The first of them, by name.
    pub came_names: Vec<String>,
    /// How many records are no longer there.
    pub left: usize,
    /// The first of them, by name.
    pub left_names: Vec<String>,
}

/// How many records are told by name.
const NAMED: usize = 10;

/// The fetches that are going, and the last of each query.
#[derive(Debug, Default)]
pub struct Fetchings(Mutex<HashMap<i64, (Fetching, CancellationToken)>>);

impl Fetchings {
    /// How far the fetch of a query is.
    pub fn of(&self, query: i64) -> Option<Fetching> {
        self.lock().get(&query).map(|(fetching, _)| fetching.clone())
    }

    /// Stops the fetch of a query.
    pub fn stop(&self, query: i64) {
        if let Some((_, stop)) = self.lock().get(&query) {
            stop.cancel();
        }
    }

    /// Begins a fetch, unless one is going.
    fn begin(&self, query: i64) -> Option<CancellationToken> {
        let mut all = self.lock();
        if all.get(&query).is_some_and(|(f, _)| matches!(f.state, State::Records | State::Pictures)) {
            return None;
        }
        let stop = CancellationToken::new();
        all.insert(query, (Fetching { state: State::Records, done: 0, total: None, difference: None }, stop.clone()));
        Some(stop)
    }

    fn tell(&self, query: i64, state: State, done: usize, total: Option<usize>) {
        if let Some((fetching, _)) = self.lock().get_mut(&query) {
            *fetching = Fetching { state, done, total, difference: None };
        }
    }

    fn finish(&self, query: i64, count: usize, difference: Option<Difference>) {
        if let Some((fetching, _)) = self.lock().get_mut(&query) {
            *fetching = Fetching { state: State::Done, done: count, total: Some(count), difference };
        }
    }

    fn lock(&self) -> std::sync::MutexGuard<'_, HashMap<i64, (Fetching, CancellationToken)>> {
        self.0.lock().unwrap_or_else(std::sync::PoisonError::into_inner)
    }
}

/// What one query needs to be fetched.
#[derive(Debug, Clone)]
pub struct Job {
    pub query: i64,
    pub sheet: i64,
    pub client: Client,
    pub shape: Arc<Shape>,
    pub asks: CrmQuery,
    pub now: DateTime,
}

impl App {
    /// Fetches a query's records beside everything else; a fetch that is going goes on.
    pub fn fetch(&self, job: Job) {
        let Some(stop) = self.fetchings.begin(job.query) else { return };
        let app = self.clone();
        tokio::spawn(async move {
            let query = job.query;
            let done = tokio::select! {
                done = work(&app, &job) => done.map(Some),
                () = stop.cancelled() => Ok(None),
            };
            match done {
                Ok(Some((count, difference))) => app.fetchings.finish(query, count, difference),
                Ok(None) => app.fetchings.tell(query, State::Stopped, 0, None),
                Err(refused) => app.fetchings.tell(query, State::Failed(refused.message), 0, None),
            }
        });
    }
}

async fn work(app: &App, job: &Job) -> Result<(usize, Option<Difference>), Error> {
    let (records, pictures) = records(job, |done, total| app.fetchings.tell(job.query, State::Records, done, total)).await?;
    let known: Vec<String> = app
        .store
        .with({
            let sheet = job.sheet;
            move |c| files::list(c, sheet)
        })
        .await?
        .into_iter()
        .map(|f| f.name)
        .collect();
    let new: Vec<PictureLink> = pictures.into_iter().filter(|p| !known.contains(&p.name)).collect();
    let total = new.len();
    let mut coming = stream::iter(new).map(|link| bring(app.files.clone(), job.client.clone(), link)).buffer_unordered(AT_ONCE);
    let mut kept = Vec::with_capacity(total);
    while let Some(picture) = coming.next().await {
        kept.push(picture?);
        app.fetchings.tell(job.query, State::Pictures, kept.len(), Some(total));
    }
    let (query, sheet, columns, count) = (job.query, job.sheet, job.asks.columns(&job.shape), records.len());
    let at = job.now.to_string();
    let before = app.sheet(sheet).await.ok();
    app.store
        .with(move |c| -> Result<(), Error> {
            let t = c.transaction().map_err(anyhow::Error::new)?;
            queries::fill(&t, query, &columns, &records, &at)?;
            for picture in &kept {
                files::keep(&t, sheet, picture)?;
            }
            sheets::stand_together(&t, sheet)?;
            t.commit().map_err(anyhow::Error::new)?;
            Ok(())
        })
        .await?;
    app.forget_sheets();
    let difference = match before.filter(|before| !before.sheet.records.is_empty()) {
        Some(before) => Some(difference(&before.sheet, &app.sheet(sheet).await?.sheet)),
        // All are new the first time.
        None => None,
    };
    Ok((count, difference))
}

/// Which records came and which left; they keep their numbers from fetch to fetch.
fn difference(before: &Sheet, now: &Sheet) -> Difference {
    let missing = |from: &Sheet, of: &Sheet| {
        let there: HashSet<usize> = of.records.iter().map(|r| r.number).collect();
        let labels = Labels::new(&from.schema, "");
        let missing: Vec<&Record> = from.records.iter().filter(|r| !there.contains(&r.number)).collect();
        (missing.len(), missing.iter().take(NAMED).map(|r| labels.of(r)).collect())
    };
    let ((came, came_names), (left, left_names)) = (missing(now, before), missing(before, now));
    Difference { came, came_names, left, left_names }
}

type Records = Vec<(String, Vec<Cell>)>;

/// All records of a question, page by page.
pub async fn records(job: &Job, mut tell: impl FnMut(usize, Option<usize>)) -> Result<(Records, Vec<PictureLink>), Error> {
    let mut next = Some(odata::address(&job.asks, &job.shape, Part::All, job.now).map_err(|e| Error::unusable("query", e.to_string()))?);
    let (mut records, mut pictures): (Records, Vec<PictureLink>) = (Vec::new(), Vec::new());
    let mut seen = HashSet::new();
    while let Some(address) = next {
        if !seen.insert(address.clone()) {
            return Err(Error::unusable("answer", "the CRM's paging links form a loop"));
        }
        let answer = job.client.page(&address).await?;
        let (asks, shape) = (job.asks.clone(), job.shape.clone());
        let page = blocking(move || odata::page(&answer, &asks, &shape)).await?.map_err(|e| Error::unusable("answer", e.to_string()))?;
        records.extend(page.records);
        pictures.extend(page.pictures);
        tell(records.len(), page.total.map(|t| t.min(job.asks.first.unwrap_or(t))));
        if records.len() > MOST {
            return Err(Error::unusable("too-many", format!("the query returns more than {} records. Narrow the filter.", grouped(MOST))));
        }
        next = page.next;
    }
    let mut named = HashSet::new();
    pictures.retain(|p| named.insert(p.name.clone()));
    Ok((records, pictures))
}

/// Brings a picture: as it is where it is small, else at the size that a page needs.
/// Only a few are in memory at once.
async fn bring(store: Files, client: Client, link: PictureLink) -> Result<SheetFile, Error> {
    let bytes = client.picture(&link.address).await?;
    let (bytes, picture) = blocking(move || {
        if !picture::is_photograph(&bytes) {
            return (bytes, false);
        }
        let own = bytes.into();
        match picture::prepare("", &own, &Sizes { dpi: Some(220.0), ..Sizes::default() }, None, LONGEST) {
            Ok(smaller) if smaller.bytes.len() < own.len() => (smaller.bytes.to_vec(), true),
            _ => (own.to_vec(), true),
        }
    })
    .await?;
    let size = bytes.len() as i64;
    Ok(SheetFile { name: link.name, file: store.keep(bytes).await?, size, picture })
}
