//! Questions to a CRM: tried on a few records, saved, fetched into a sheet.

use std::sync::Arc;

use mangle_core::crm::{CrmQuery, problem};
use mangle_core::diagnostic::{Diagnostic, Target};
use mangle_core::records::Cell;
use mangle_documents::odata::{self, Part};
use serde::{Deserialize, Serialize};
use serde_json::Value as JsonValue;

use super::connections::{client, find};
use super::fetch::WORD;
use crate::crm::{Fetching, Job};
use crate::store::queries::{self, KeptQuery};
use crate::store::sheets::ColumnInfo;
use crate::{App, Error, Outcome, clock};

/// How many records a sample shows.
const SAMPLE: usize = 8;

/// A question as its screen shows it.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct QueryBody {
    /// The source's number.
    pub id: i64,
    /// The source's name.
    pub name: String,
    /// The sheet of its records.
    pub sheet_id: i64,
    /// The CRM that it asks.
    pub connection_id: i64,
    /// What it asks.
    pub asks: CrmQuery,
    /// What keeps it from being asked, by the CRM's shape as it was last seen.
    pub problems: Vec<Diagnostic>,
    /// When its records were last fetched.
    pub fetched: Option<String>,
    /// How many they are.
    pub records: usize,
    /// The fetch that is going, or the last one.
    pub fetching: Option<Fetching>,
}

async fn kept(app: &App, id: i64) -> Outcome<KeptQuery> {
    app.store.with(move |c| queries::get(c, id)).await?.ok_or_else(|| Error::missing("the question"))
}

async fn body(app: &App, id: i64) -> Outcome<QueryBody> {
    let own = kept(app, id).await?;
    let connected = find(app, own.connection).await?;
    Ok(QueryBody {
        problems: own.asks.problems(&connected.shape),
        id,
        name: own.name,
        sheet_id: own.sheet,
        connection_id: own.connection,
        asks: own.asks,
        fetched: own.fetched,
        records: own.records,
        fetching: fetching(app, id).await?,
    })
}

/// A question to try.
#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct TriedQuery {
    /// What is asked.
    pub asks: CrmQuery,
    /// The key of the record at hand, where only that is wanted.
    #[serde(default)]
    pub key: String,
}

/// A few records that a question brings.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct SampleBody {
    /// What keeps it from being asked.
    pub problems: Vec<Diagnostic>,
    /// What the service is asked, in one request a page.
    pub address: String,
    /// The columns.
    pub columns: Vec<ColumnInfo>,
    /// How many records there are in all, where the service says so.
    pub total: Option<usize>,
    /// The records: their key, and a value for each column.
    pub records: Vec<SampleRecord>,
}

/// A record of a sample.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct SampleRecord {
    /// Its key.
    pub key: String,
    /// Its values; lists and records nest.
    pub values: Vec<JsonValue>,
}

/// Preview a query: its first records, or one by key.
pub async fn sample(app: &App, id: i64, TriedQuery { asks, key }: TriedQuery) -> Outcome<SampleBody> {
    let connected = find(app, id).await?;
    let mut problems = asks.problems(&connected.shape);
    let mut found = SampleBody { problems: Vec::new(), address: String::new(), columns: Vec::new(), total: None, records: Vec::new() };
    if problems.is_empty() {
        let part = if key.trim().is_empty() { Part::First(SAMPLE) } else { Part::One(key.trim()) };
        match odata::address(&asks, &connected.shape, part, app.now()) {
            Err(fault) => problems.push(problem(&[], "filter", fault.to_string())),
            Ok(address) => {
                let answer = client(app, &connected)?.page(&address).await?;
                let page = odata::page(&answer, &asks, &connected.shape).map_err(|e| Error::unusable("answer", e.to_string()))?;
                let value = |cell: Cell| match cell {
                    Cell::Blank => JsonValue::Null,
                    Cell::Nested(json) => (*json).clone(),
                    Cell::Bool(yes) => JsonValue::from(yes),
                    plain => JsonValue::from(plain.as_text()),
                };
                found.total = page.total;
                found.columns = asks.columns(&connected.shape).iter().map(ColumnInfo::of).collect();
                found.records = page
                    .records
                    .into_iter()
                    .map(|(key, cells)| SampleRecord { key, values: cells.into_iter().map(value).collect() })
                    .collect();
                found.address = percent_encoding::percent_decode_str(&address).decode_utf8_lossy().into_owned();
            }
        }
    }
    Ok(SampleBody { problems, ..found })
}

/// A question to save.
#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct NewQuery {
    /// What it is called.
    #[serde(default)]
    pub name: String,
    /// The CRM that it asks.
    pub connection_id: i64,
    /// What it asks.
    pub asks: CrmQuery,
}

/// Saves a question as a source, and fetches its records.
pub async fn make(app: &App, new: NewQuery) -> Outcome<QueryBody> {
    let id = keep(app, new.name, new.connection_id, new.asks).await?;
    begin(app, id).await?;
    body(app, id).await
}

async fn keep(app: &App, name: String, connection: i64, asks: CrmQuery) -> Outcome<i64> {
    let connected = find(app, connection).await?;
    check(app, &asks, &connected)?;
    let name = if name.trim().is_empty() { asks.root.clone() } else { name.trim().to_owned() };
    let columns = asks.columns(&connected.shape);
    app.store
        .change(move |t| -> Outcome<i64> {
            let id = queries::make(t, &name, connection, &asks, &columns, &clock::stamp())?;
            Ok(id)
        })
        .await
}

/// A question as the demo world has it; its records are fetched.
pub async fn furnish(app: &App, name: &str, connection: i64, asks: CrmQuery) -> Outcome<i64> {
    let id = keep(app, name.to_owned(), connection, asks).await?;
    begin(app, id).await?;
    Ok(id)
}

/// A part of a query in words: “Defects › order”.
pub(super) fn of_query(target: &Target) -> String {
    match target {
        Target::Query { lists, part } => lists.iter().map(String::as_str).chain([part.as_ref()]).collect::<Vec<_>>().join(" › "),
        other => other.words().to_owned(),
    }
}

fn check(app: &App, asks: &CrmQuery, connected: &queries::Connected) -> Outcome<()> {
    if let Some(problem) = asks.problems(&connected.shape).first() {
        return Err(Error::unusable("query", format!("{}: {problem}", of_query(&problem.target))));
    }
    odata::address(asks, &connected.shape, Part::All, app.now()).map(|_| ()).map_err(|e| Error::unusable("query", format!("filter: {e}")))
}

/// A question.
pub async fn show(app: &App, id: i64) -> Outcome<QueryBody> {
    body(app, id).await
}

/// Changes what a question asks, and fetches its records.
pub async fn write(app: &App, id: i64, asks: CrmQuery) -> Outcome<QueryBody> {
    let own = kept(app, id).await?;
    check(app, &asks, &find(app, own.connection).await?)?;
    app.store.with(move |c| queries::write(c, id, &asks)).await?;
    begin(app, id).await?;
    body(app, id).await
}

/// Begins to fetch; a fetch of the question that is going goes on.
async fn begin(app: &App, id: i64) -> Outcome<()> {
    let own = kept(app, id).await?;
    check(app, &own.asks, &find(app, own.connection).await?)?;
    app.ask_job(WORD, id, &own.name, JsonValue::Null).await?;
    Ok(())
}

/// What a question needs to be fetched.
pub(super) async fn ready(app: &App, id: i64) -> Outcome<Job> {
    let own = kept(app, id).await?;
    let connected = find(app, own.connection).await?;
    check(app, &own.asks, &connected)?;
    let client = client(app, &connected)?;
    Ok(Job { query: id, sheet: own.sheet, client, shape: Arc::new(connected.shape), asks: own.asks, now: app.now() })
}

async fn fetching(app: &App, id: i64) -> Outcome<Option<Fetching>> {
    Ok(app.last_job(WORD, id).await?.map(Into::into))
}

/// How far the fetch of a question is.
pub async fn progress(app: &App, id: i64) -> Outcome<Option<Fetching>> {
    kept(app, id).await?;
    fetching(app, id).await
}

/// Fetches the records of a question again.
pub async fn fetch(app: &App, id: i64) -> Outcome<Option<Fetching>> {
    begin(app, id).await?;
    fetching(app, id).await
}

/// Fetches the records of a question again, and waits until they are there.
pub(crate) async fn fetched(app: &App, id: i64) -> Outcome<()> {
    let own = kept(app, id).await?;
    let job = app.ask_job(WORD, id, &own.name, JsonValue::Null).await?;
    app.job_done(job).await.map(drop)
}

/// Stops a fetch; the sheet is as it was.
pub async fn stop(app: &App, id: i64) -> Outcome<bool> {
    let Some(job) = app.last_job(WORD, id).await? else { return Ok(false) };
    Ok(app.stop_job(job.id).await?.state == "stopped")
}
