//! The practice printer: speaks the Internet Printing Protocol (IPP/1.1 and 2.0: RFC 8010,
//! RFC 8011) and keeps what it would print. It can be out of paper, jammed, slow or off, and can
//! be told to take PWG raster only.
//!
//! A request goes through `protocol` (bytes to what is asked, and back), `queue` (the jobs and what
//! becomes of them) and `screen` (what a person sees of it).

mod protocol;
mod queue;
mod screen;

use axum::Json;
use axum::Router;
use axum::body::Bytes;
use axum::extract::{DefaultBodyLimit, Path, State};
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::{Html, IntoResponse, Response};
use axum::routing::{get, post};
use tokio::net::TcpListener;

pub use queue::{Condition, Job, Printer};

/// The largest document.
const LARGEST: usize = 200 << 20;

/// The routes: the printer at `/ipp/print`, its screen, and how it is told to be.
pub fn router(printer: Printer) -> Router {
    Router::new()
        .route("/ipp/print", post(ask))
        .route("/", get(show))
        .route("/jobs", get(jobs).delete(clear))
        .route("/jobs/{number}/{document}", get(sheet))
        .route("/condition", get(condition).put(set_condition))
        .layer(DefaultBodyLimit::max(LARGEST))
        .with_state(printer)
}

/// Serves until the process ends.
pub async fn serve(listener: TcpListener, printer: Printer) -> std::io::Result<()> {
    tokio::spawn(queue::print(printer.clone()));
    axum::serve(listener, router(printer)).await
}

async fn ask(State(printer): State<Printer>, headers: HeaderMap, body: Bytes) -> Response {
    if printer.condition().off {
        return StatusCode::SERVICE_UNAVAILABLE.into_response();
    }
    if headers.get(header::CONTENT_TYPE).and_then(|h| h.to_str().ok()) != Some("application/ipp") {
        return StatusCode::UNSUPPORTED_MEDIA_TYPE.into_response();
    }
    let host = headers.get(header::HOST).and_then(|h| h.to_str().ok()).unwrap_or("localhost").to_owned();
    match protocol::answer(&printer, &format!("ipp://{host}/ipp/print"), body) {
        Some(answer) => ([(header::CONTENT_TYPE, "application/ipp")], answer).into_response(),
        None => StatusCode::BAD_REQUEST.into_response(),
    }
}

async fn show(State(printer): State<Printer>) -> Html<String> {
    Html(screen::page(&printer.jobs(), &printer.condition()))
}

async fn jobs(State(printer): State<Printer>) -> Json<Vec<Job>> {
    Json(printer.jobs())
}

async fn clear(State(printer): State<Printer>) -> StatusCode {
    printer.clear();
    StatusCode::NO_CONTENT
}

async fn sheet(State(printer): State<Printer>, Path((number, document)): Path<(i32, usize)>) -> Response {
    match printer.document(number, document) {
        Some((kind, bytes)) => ([(header::CONTENT_TYPE, kind)], bytes).into_response(),
        None => StatusCode::NOT_FOUND.into_response(),
    }
}

async fn condition(State(printer): State<Printer>) -> Json<Condition> {
    Json(printer.condition())
}

async fn set_condition(State(printer): State<Printer>, Json(condition): Json<Condition>) -> StatusCode {
    printer.set(condition);
    StatusCode::NO_CONTENT
}
