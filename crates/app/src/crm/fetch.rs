//! Fetches a query's records page by page into its sheet: all of them, or nothing.

use std::collections::HashSet;
use std::sync::Arc;

use futures::{StreamExt, stream};
use jiff::civil::DateTime;
use mangle_core::crm::{CrmQuery, Shape};
use mangle_core::language::syntax::Sizes;
use mangle_core::records::{Cell, Labels, Record, Sheet};
use mangle_core::words::{grouped, sentence};
use mangle_documents::odata::{self, Part, PictureLink};
use mangle_documents::picture;
use serde::{Deserialize, Serialize};

use super::{Client, queries};
use crate::files::Files;
use crate::jobs::Work;
use crate::prepare::blocking;
use crate::store::files::{self, SheetFile};
use crate::store::jobs::{JobInfo, JobWork};
use crate::store::{queries as stored, sheets};
use crate::{App, Error, Outcome};

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
    /// It waits for its turn.
    Waiting,
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
    /// The job's number.
    pub job: i64,
    /// Where it is.
    pub state: State,
    /// How many records or pictures have come.
    pub done: usize,
    /// How many there are, where that is known.
    pub total: Option<usize>,
    /// What is otherwise than after the fetch before, once it is done.
    pub difference: Option<Difference>,
}

impl From<JobInfo> for Fetching {
    fn from(job: JobInfo) -> Fetching {
        let own = Fetching { job: job.id, state: State::Waiting, done: job.done, total: job.total, difference: None };
        match job.state.as_str() {
            "done" => {
                let brought: Brought = serde_json::from_value(job.result).unwrap_or_default();
                Fetching { state: State::Done, done: brought.count, total: Some(brought.count), difference: brought.difference, ..own }
            }
            "stopped" => Fetching { state: State::Stopped, ..own },
            "failed" => Fetching { state: State::Failed(sentence(&job.error_message)), ..own },
            "working" if job.phase == "pictures" => Fetching { state: State::Pictures, ..own },
            "working" => Fetching { state: State::Records, ..own },
            _ => own,
        }
    }
}

/// What a fetch brought.
#[derive(Debug, Default, Serialize, Deserialize)]
struct Brought {
    count: usize,
    difference: Option<Difference>,
}

/// Records that a fetch brought or no longer found.
#[derive(Debug, Clone, Serialize, Deserialize)]
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

/// The job's kind and its work.
pub const FETCH: (&str, fn(App, JobWork) -> Work) = (WORD, |app, job| {
    Box::pin(async move {
        let ready = queries::ready(&app, job.about).await?;
        let (count, difference) = work(&app, job.id, &ready).await?;
        serde_json::to_value(Brought { count, difference }).map_err(|e| anyhow::Error::new(e).into())
    })
});

/// The word of the job's kind.
pub(super) const WORD: &str = "fetch";

async fn work(app: &App, id: i64, job: &Job) -> Outcome<(usize, Option<Difference>)> {
    let (records, pictures) = records(job, |done, total| app.background.tell(id, "records", done, total)).await?;
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
        app.background.tell(id, "pictures", kept.len(), Some(total));
    }
    let (query, sheet, columns, count) = (job.query, job.sheet, job.asks.columns(&job.shape), records.len());
    let at = job.now.to_string();
    let before = app.sheet(sheet).await.ok();
    app.store
        .change(move |t| -> Outcome<()> {
            stored::fill(t, query, &columns, &records, &at)?;
            for picture in &kept {
                files::keep(t, sheet, picture)?;
            }
            sheets::stand_together(t, sheet)?;
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
pub async fn records(job: &Job, mut tell: impl FnMut(usize, Option<usize>)) -> Outcome<(Records, Vec<PictureLink>)> {
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
async fn bring(store: Files, client: Client, link: PictureLink) -> Outcome<SheetFile> {
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
