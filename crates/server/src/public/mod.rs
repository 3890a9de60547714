//! Public pages: forms and shared documents, for whoever has the address of one, and nothing else.
//! They have a listener of their own, which may listen on any interface. Whatever comes in is
//! bounded: in time, in size, in number for a sender and in total.

mod guard;
mod places;
mod sender;

use std::net::SocketAddr;
use std::sync::Arc;
use std::time::Duration;

use anyhow::Result;
use axum::extract::{ConnectInfo, Request, State};
use axum::http::header::{self, HeaderName, HeaderValue};
use axum::http::{Method, StatusCode};
use axum::middleware::{Next, from_fn_with_state};
use axum::response::{IntoResponse, Response};
use axum::{Extension, Router};
use hyper::server::conn::http1;
use hyper_util::rt::{TokioIo, TokioTimer};
use hyper_util::service::TowerToHyperService;
use mangle_app::App;
use tokio::net::TcpListener;
use tower_http::compression::CompressionLayer;
use tower_http::compression::predicate::{DefaultPredicate, NotForContentType, Predicate};
use tower_http::timeout::{RequestBodyTimeoutLayer, TimeoutLayer};

use crate::error::Refused;
use crate::{api, server, web};

pub use guard::{Asked, Guard, pass};
use places::Places;
pub use sender::{Sender, Trusted};

/// What is allowed to whoever asks.
#[derive(Debug, Clone)]
pub struct Limits {
    /// Proxies whose word on who asks is taken.
    pub trusted: Trusted,
    /// Connections in total, and of one sender.
    pub connections: (usize, usize),
    /// Requests that are being answered, in total and of one sender.
    pub at_work: (usize, usize),
    /// Files that are being sent in, in total and by one sender: they are held in memory.
    pub uploads: (usize, usize),
    /// How long the head of a request may take, and how long a connection may be idle.
    pub head: Duration,
    /// The longest silence within a body.
    pub silence: Duration,
    /// How long a request may take in all.
    pub request: Duration,
    /// How long a connection may last.
    pub connection: Duration,
}

impl Default for Limits {
    fn default() -> Limits {
        let seconds = Duration::from_secs;
        Limits {
            trusted: Trusted::default(),
            connections: (1_024, 64),
            at_work: (256, 32),
            uploads: (24, 3),
            head: seconds(15),
            silence: seconds(20),
            request: seconds(300),
            connection: seconds(900),
        }
    }
}

/// The most bytes of a request's head.
const LARGEST_HEAD: usize = 32 << 10;
/// The most headers.
const MOST_HEADERS: usize = 64;

/// What pages may load and do: only what comes from here, and in no other site's frame.
pub(crate) const POLICY: &str = "default-src 'self'; img-src 'self' blob: data:; style-src 'self' 'unsafe-inline'; font-src 'self' data: blob:; worker-src 'self' blob:; object-src 'none'; frame-ancestors 'none'; base-uri 'none'; form-action 'self'";

#[derive(Debug, Clone)]
struct Door {
    trusted: Trusted,
    at_work: Places,
    uploads: Places,
}

impl Door {
    fn new(limits: &Limits) -> Door {
        Door { trusted: limits.trusted.clone(), at_work: Places::new(limits.at_work), uploads: Places::new(limits.uploads) }
    }
}

/// The routes of public pages.
pub fn router(app: App, limits: &Limits) -> Router {
    let pages = app.clone();
    api::public(app)
        .layer(Extension(Arc::new(Guard::default())))
        .layer(axum::middleware::map_response(server::told))
        .fallback(move |uri| web::serve_public(pages.clone(), uri))
        .layer(CompressionLayer::new().compress_when(DefaultPredicate::new().and(NotForContentType::new("application/pdf"))))
        .layer(RequestBodyTimeoutLayer::new(limits.silence))
        .layer(TimeoutLayer::with_status_code(StatusCode::REQUEST_TIMEOUT, limits.request))
        .layer(from_fn_with_state(Door::new(limits), enter))
}

/// Lets a request in where there is room for it, and names its sender.
async fn enter(State(door): State<Door>, mut request: Request, next: Next) -> Response {
    let peer = request.extensions().get::<ConnectInfo<SocketAddr>>().map(|from| from.0.ip());
    let mut places = Vec::new();
    if let Some(peer) = peer {
        let sender = door.trusted.sender(peer, request.headers());
        let uploads = request.method() == Method::POST && request.uri().path().ends_with("/files");
        for of in [Some(&door.at_work), uploads.then_some(&door.uploads)].into_iter().flatten() {
            match of.take(sender) {
                Some(place) => places.push(place),
                None => return busy(),
            }
        }
        request.extensions_mut().insert(sender);
    }
    let mut response = next.run(request).await;
    drop(places);
    let more: [(HeaderName, &str); 4] = [
        (header::CONTENT_SECURITY_POLICY, POLICY),
        (header::X_CONTENT_TYPE_OPTIONS, "nosniff"),
        (header::REFERRER_POLICY, "no-referrer"),
        (HeaderName::from_static("x-robots-tag"), "noindex"),
    ];
    for (name, value) in more {
        response.headers_mut().entry(name).or_insert(HeaderValue::from_static(value));
    }
    response
}

fn busy() -> Response {
    let mut refused =
        Refused::new(StatusCode::SERVICE_UNAVAILABLE, "busy", "too many requests at once. Try again in a minute.").into_response();
    refused.headers_mut().insert(header::RETRY_AFTER, HeaderValue::from_static("60"));
    refused
}

/// Serves public pages until the process ends. It speaks HTTP/1.1 (RFC 9112); a proxy in front
/// adds TLS.
pub async fn serve(listener: TcpListener, router: Router, limits: Limits) -> Result<()> {
    let seats = Places::new(limits.connections);
    loop {
        let (stream, from) = match listener.accept().await {
            Ok(accepted) => accepted,
            Err(error) => {
                // There are no more files to open, say: it passes.
                tracing::warn!(%error, "a public connection can't be accepted");
                tokio::time::sleep(Duration::from_millis(100)).await;
                continue;
            }
        };
        // A proxy brings many senders.
        let sender = Sender::of(from.ip());
        let seat = if limits.trusted.contains(from.ip()) { seats.take_any() } else { seats.take(sender) };
        // Hung up at once: whoever holds so many waits for one of them.
        let Some(seat) = seat else { continue };
        let service = TowerToHyperService::new(router.clone().layer(Extension(ConnectInfo(from))));
        let (head, longest) = (limits.head, limits.connection);
        tokio::spawn(async move {
            let mut server = http1::Builder::new();
            server.timer(TokioTimer::new()).header_read_timeout(head).max_buf_size(LARGEST_HEAD).max_headers(MOST_HEADERS);
            let connection = server.serve_connection(TokioIo::new(stream), service);
            // Whatever ends it, the sender's, the network's or the time's fault, is nobody else's.
            let _ = tokio::time::timeout(longest, connection).await;
            drop(seat);
        });
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::time::Instant;
    use tokio::io::{AsyncReadExt, AsyncWriteExt};
    use tokio::net::TcpStream;

    /// A server of one page, with short limits.
    async fn serving(limits: Limits) -> SocketAddr {
        let listener = TcpListener::bind("127.0.0.1:0").await.expect("binds");
        let address = listener.local_addr().expect("bound");
        let router = Router::new()
            .route("/", axum::routing::get(|Extension(sender): Extension<Sender>| async move { format!("{sender:?}") }))
            .route("/echo", axum::routing::post(|body: String| async move { body }))
            .layer(RequestBodyTimeoutLayer::new(limits.silence))
            .layer(from_fn_with_state(Door::new(&limits), enter));
        tokio::spawn(serve(listener, router, limits));
        address
    }

    fn short() -> Limits {
        let moment = Duration::from_millis(150);
        Limits { head: moment, silence: moment, connections: (4, 2), ..Limits::default() }
    }

    async fn said(address: SocketAddr, request: &str) -> String {
        let mut stream = TcpStream::connect(address).await.expect("connects");
        stream.write_all(request.as_bytes()).await.expect("writes");
        let mut answer = String::new();
        let _ = stream.read_to_string(&mut answer).await;
        answer
    }

    #[tokio::test]
    async fn whoever_dawdles_is_hung_up_on() {
        let address = serving(short()).await;
        let whole = said(address, "GET / HTTP/1.1\r\nHost: x\r\nConnection: close\r\n\r\n").await;
        assert!(whole.starts_with("HTTP/1.1 200") && whole.contains("content-security-policy"), "{whole}");
        // A head that never ends, a body that never comes, a connection that only stays.
        let began = Instant::now();
        assert!(!said(address, "GET / HTTP/1.1\r\nHost: x\r\nX-Slow: ").await.contains("200 OK"));
        assert!(
            !said(address, "POST /echo HTTP/1.1\r\nHost: x\r\nContent-Length: 9\r\nConnection: close\r\n\r\nabc").await.contains("200 OK")
        );
        let idle = said(address, "GET / HTTP/1.1\r\nHost: x\r\n\r\n").await;
        assert!(idle.contains("200 OK"), "{idle}");
        assert!(began.elapsed() < Duration::from_secs(5));
    }

    #[tokio::test]
    async fn one_sender_takes_no_more_than_its_places() {
        let address = serving(Limits { head: Duration::from_secs(5), ..short() }).await;
        let held = [TcpStream::connect(address).await.expect("connects"), TcpStream::connect(address).await.expect("connects")];
        // Both are known to the server once it has read from them.
        for stream in &held {
            stream.writable().await.expect("writable");
        }
        tokio::time::sleep(Duration::from_millis(50)).await;
        assert_eq!(said(address, "GET / HTTP/1.1\r\nHost: x\r\nConnection: close\r\n\r\n").await, "");
        drop(held);
        tokio::time::sleep(Duration::from_millis(50)).await;
        assert!(said(address, "GET / HTTP/1.1\r\nHost: x\r\nConnection: close\r\n\r\n").await.contains("200 OK"));
    }

    #[tokio::test]
    async fn a_trusted_proxy_says_who_asks_and_nobody_else_does() {
        let request = "GET / HTTP/1.1\r\nHost: x\r\nX-Forwarded-For: 203.0.113.9, 198.51.100.7\r\nConnection: close\r\n\r\n";
        let plain = said(serving(short()).await, request).await;
        assert!(plain.ends_with("Sender(127.0.0.1)"), "{plain}");
        let trusted = Trusted::read(&["127.0.0.0/8".to_owned()]).expect("read");
        let behind = said(serving(Limits { trusted, ..short() }).await, request).await;
        assert!(behind.ends_with("Sender(198.51.100.7)"), "{behind}");
    }
}
