//! The practice timestamp authority: speaks the Time-Stamp Protocol (RFC 3161) over HTTP. It can
//! be told to be off, and then answers nothing.

mod protocol;

use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::time::{SystemTime, UNIX_EPOCH};

use axum::body::Bytes;
use axum::extract::{DefaultBodyLimit, State};
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::{Html, IntoResponse, Response};
use axum::routing::{get, put};
use axum::{Json, Router};
use tokio::net::TcpListener;

use protocol::Authority;

/// The largest request.
const LARGEST: usize = 16 << 10;

/// A timestamp authority. Clones share it.
#[derive(Debug, Clone)]
pub struct TimestampAuthority {
    own: Arc<Authority>,
    off: Arc<AtomicBool>,
    given: Arc<AtomicUsize>,
}

impl TimestampAuthority {
    /// One with a new key.
    pub fn new() -> std::io::Result<TimestampAuthority> {
        let own = Authority::new().map_err(|e| std::io::Error::other(e.to_string()))?;
        Ok(TimestampAuthority { own: Arc::new(own), off: Arc::default(), given: Arc::default() })
    }

    /// Switches it off, or on again.
    pub fn set_off(&self, off: bool) {
        self.off.store(off, Ordering::SeqCst);
    }

    /// How many timestamps it has given.
    pub fn given(&self) -> usize {
        self.given.load(Ordering::SeqCst)
    }
}

/// The routes: timestamps at `/`, and whether it is off.
pub fn router(authority: TimestampAuthority) -> Router {
    Router::new().route("/", get(show).post(ask)).route("/off", put(set_off)).layer(DefaultBodyLimit::max(LARGEST)).with_state(authority)
}

/// Serves until the process ends.
pub async fn serve(listener: TcpListener, authority: TimestampAuthority) -> std::io::Result<()> {
    axum::serve(listener, router(authority)).await
}

async fn ask(State(authority): State<TimestampAuthority>, headers: HeaderMap, body: Bytes) -> Response {
    if authority.off.load(Ordering::SeqCst) {
        return StatusCode::SERVICE_UNAVAILABLE.into_response();
    }
    if headers.get(header::CONTENT_TYPE).and_then(|h| h.to_str().ok()) != Some("application/timestamp-query") {
        return StatusCode::UNSUPPORTED_MEDIA_TYPE.into_response();
    }
    let now = SystemTime::now().duration_since(UNIX_EPOCH).map_or(0, |since| since.as_secs());
    authority.given.fetch_add(1, Ordering::SeqCst);
    ([(header::CONTENT_TYPE, "application/timestamp-reply")], authority.own.answer(&body, now)).into_response()
}

async fn show(State(authority): State<TimestampAuthority>) -> Html<String> {
    let state = if authority.off.load(Ordering::SeqCst) { "off" } else { "on" };
    Html(format!(
        "<!doctype html><title>Practice timestamp authority</title><h1>Practice timestamp authority</h1><p>It is {state}. It has given {} timestamps.</p>",
        authority.given()
    ))
}

async fn set_off(State(authority): State<TimestampAuthority>, Json(off): Json<bool>) -> StatusCode {
    authority.set_off(off);
    StatusCode::NO_CONTENT
}
