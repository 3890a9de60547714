//! Questions to a CRM: tried on a few records, saved, fetched into a sheet.

use std::sync::Arc;

use axum::Json;
use axum::extract::{Path, State};
use mangle_core::crm::{CrmQuery, QueryProblem};
use mangle_core::records::Cell;
use mangle_documents::odata::{self, Part};
use serde::{Deserialize, Serialize};
use serde_json::Value as JsonValue;
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use super::connections::{client, find};
use crate::error::{Answer, Problem, Refused};
use mangle_app::App;
use mangle_app::clock;
use mangle_app::crm::{Fetching, Job};
use mangle_app::store::queries::{self, KeptQuery};
use mangle_app::store::sheets::ColumnInfo;

/// How many records a sample shows.
const SAMPLE: usize = 8;

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(sample)).routes(routes!(make)).routes(routes!(show, write)).routes(routes!(progress, fetch, stop))
}

/// A question as its screen shows it.
#[derive(Debug, Serialize, ToSchema)]
struct QueryBody {
    /// The source's number.
    id: i64,
    /// The source's name.
    name: String,
    /// The sheet of its records.
    sheet_id: i64,
    /// The CRM that it asks.
    connection_id: i64,
    /// What it asks.
    asks: CrmQuery,
    /// What keeps it from being asked, by the CRM's shape as it was last seen.
    problems: Vec<QueryProblem>,
    /// When its records were last fetched.
    fetched: Option<String>,
    /// How many they are.
    records: usize,
    /// The fetch that is going, or the last one.
    fetching: Option<Fetching>,
}

async fn kept(app: &App, id: i64) -> Result<KeptQuery, Refused> {
    app.store.with(move |c| queries::get(c, id)).await?.ok_or_else(|| Refused::missing("the question"))
}

async fn body(app: &App, id: i64) -> Answer<QueryBody> {
    let own = kept(app, id).await?;
    let connected = find(app, own.connection).await?;
    Ok(Json(QueryBody {
        problems: own.asks.problems(&connected.shape),
        id,
        name: own.name,
        sheet_id: own.sheet,
        connection_id: own.connection,
        asks: own.asks,
        fetched: own.fetched,
        records: own.records,
        fetching: app.fetchings.of(id),
    }))
}

/// A question to try.
#[derive(Debug, Deserialize, ToSchema)]
struct TriedQuery {
    /// What is asked.
    asks: CrmQuery,
    /// The key of the record at hand, where only that is wanted.
    #[serde(default)]
    key: String,
}

/// A few records that a question brings.
#[derive(Debug, Serialize, ToSchema)]
struct SampleBody {
    /// What keeps it from being asked.
    problems: Vec<QueryProblem>,
    /// What the service is asked, in one request a page.
    address: String,
    /// The columns.
    columns: Vec<ColumnInfo>,
    /// How many records there are in all, where the service says so.
    total: Option<usize>,
    /// The records: their key, and a value for each column.
    records: Vec<SampleRecord>,
}

/// A record of a sample.
#[derive(Debug, Serialize, ToSchema)]
struct SampleRecord {
    /// Its key.
    key: String,
    /// Its values; lists and records nest.
    values: Vec<JsonValue>,
}

/// Preview a query: its first records, or one by key.
#[utoipa::path(post, path = "/api/connections/{id}/sample", tag = "crm", params(("id" = i64, Path)), request_body = TriedQuery, responses((status = 200, body = SampleBody), (status = 422, body = Problem)))]
async fn sample(State(app): State<App>, Path(id): Path<i64>, Json(TriedQuery { asks, key }): Json<TriedQuery>) -> Answer<SampleBody> {
    let connected = find(&app, id).await?;
    let mut problems = asks.problems(&connected.shape);
    let mut found = SampleBody { problems: Vec::new(), address: String::new(), columns: Vec::new(), total: None, records: Vec::new() };
    if problems.is_empty() {
        let part = if key.trim().is_empty() { Part::First(SAMPLE) } else { Part::One(key.trim()) };
        match odata::address(&asks, &connected.shape, part, clock::now()) {
            Err(fault) => problems.push(QueryProblem { place: "filter".to_owned(), message: fault.to_string() }),
            Ok(address) => {
                let answer = client(&app, &connected)?.page(&address).await?;
                let page = odata::page(&answer, &asks, &connected.shape).map_err(|e| Refused::unusable("answer", e.to_string()))?;
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
    Ok(Json(SampleBody { problems, ..found }))
}

/// A question to save.
#[derive(Debug, Deserialize, ToSchema)]
struct NewQuery {
    /// What it is called.
    #[serde(default)]
    name: String,
    /// The CRM that it asks.
    connection_id: i64,
    /// What it asks.
    asks: CrmQuery,
}

/// Saves a question as a source, and fetches its records.
#[utoipa::path(post, path = "/api/queries", tag = "crm", request_body = NewQuery, responses((status = 200, body = QueryBody), (status = 422, body = Problem)))]
async fn make(State(app): State<App>, Json(new): Json<NewQuery>) -> Answer<QueryBody> {
    let id = keep(&app, new.name, new.connection_id, new.asks).await?;
    begin(&app, id).await?;
    body(&app, id).await
}

async fn keep(app: &App, name: String, connection: i64, asks: CrmQuery) -> Result<i64, Refused> {
    let connected = find(app, connection).await?;
    check(&asks, &connected)?;
    let name = if name.trim().is_empty() { asks.root.clone() } else { name.trim().to_owned() };
    let columns = asks.columns(&connected.shape);
    app.store
        .change(move |t| -> Result<i64, Refused> {
            let id = queries::make(t, &name, connection, &asks, &columns, &clock::stamp())?;
            Ok(id)
        })
        .await
}

/// A question as the demo world has it; its records are fetched.
pub(crate) async fn furnish(app: &App, name: &str, connection: i64, asks: CrmQuery) -> Result<i64, Refused> {
    let id = keep(app, name.to_owned(), connection, asks).await?;
    begin(app, id).await?;
    Ok(id)
}

fn check(asks: &CrmQuery, connected: &queries::Connected) -> Result<(), Refused> {
    if let Some(problem) = asks.problems(&connected.shape).first() {
        return Err(Refused::unusable("query", format!("{}: {}", problem.place, problem.message)));
    }
    odata::address(asks, &connected.shape, Part::All, clock::now())
        .map(|_| ())
        .map_err(|e| Refused::unusable("query", format!("filter: {e}")))
}

/// A question.
#[utoipa::path(get, path = "/api/queries/{id}", tag = "crm", params(("id" = i64, Path)), responses((status = 200, body = QueryBody), (status = 404, body = Problem)))]
async fn show(State(app): State<App>, Path(id): Path<i64>) -> Answer<QueryBody> {
    body(&app, id).await
}

/// Changes what a question asks, and fetches its records.
#[utoipa::path(put, path = "/api/queries/{id}", tag = "crm", params(("id" = i64, Path)), request_body = CrmQuery, responses((status = 200, body = QueryBody), (status = 422, body = Problem)))]
async fn write(State(app): State<App>, Path(id): Path<i64>, Json(asks): Json<CrmQuery>) -> Answer<QueryBody> {
    let own = kept(&app, id).await?;
    check(&asks, &find(&app, own.connection).await?)?;
    app.store.with(move |c| queries::write(c, id, &asks)).await?;
    begin(&app, id).await?;
    body(&app, id).await
}

async fn begin(app: &App, id: i64) -> Result<(), Refused> {
    let own = kept(app, id).await?;
    let connected = find(app, own.connection).await?;
    check(&own.asks, &connected)?;
    let client = client(app, &connected)?;
    app.fetch(Job { query: id, sheet: own.sheet, client, shape: Arc::new(connected.shape), asks: own.asks, now: clock::now() });
    Ok(())
}

/// How far the fetch of a question is.
#[utoipa::path(get, path = "/api/queries/{id}/fetch", tag = "crm", params(("id" = i64, Path)), responses((status = 200, body = Option<Fetching>)))]
async fn progress(State(app): State<App>, Path(id): Path<i64>) -> Answer<Option<Fetching>> {
    kept(&app, id).await?;
    Ok(Json(app.fetchings.of(id)))
}

/// Fetches the records of a question again.
#[utoipa::path(post, path = "/api/queries/{id}/fetch", tag = "crm", params(("id" = i64, Path)), responses((status = 200, body = Option<Fetching>), (status = 422, body = Problem)))]
async fn fetch(State(app): State<App>, Path(id): Path<i64>) -> Answer<Option<Fetching>> {
    begin(&app, id).await?;
    Ok(Json(app.fetchings.of(id)))
}

/// Stops a fetch; the sheet is as it was.
#[utoipa::path(delete, path = "/api/queries/{id}/fetch", tag = "crm", params(("id" = i64, Path)), responses((status = 200, body = bool)))]
async fn stop(State(app): State<App>, Path(id): Path<i64>) -> Answer<bool> {
    app.fetchings.stop(id);
    Ok(Json(true))
}
