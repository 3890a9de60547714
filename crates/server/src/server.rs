//! The application put together: store, files, caches, runner, routes.

use std::collections::HashMap;
use std::net::SocketAddr;
use std::path::PathBuf;
use std::sync::atomic::AtomicU64;
use std::sync::{Arc, Mutex};

use anyhow::{Context, Result};
use axum::Router;
use axum::extract::{DefaultBodyLimit, Request, State};
use axum::http::{HeaderMap, StatusCode, header};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};
use mangle_documents::docx::Template;
use mangle_documents::page::FontSet;
use tokio::net::TcpListener;
use tokio::sync::{Notify, broadcast};

use crate::crm::{Fetchings, Secrets};
use crate::error::Refused;
use crate::files::Files;
use crate::prepare::LoadedSheet;
use crate::store::Store;
use crate::{api, run, web};

/// How the application is run.
#[derive(Debug, Clone)]
pub struct Options {
    /// Where everything is kept.
    pub folder: PathBuf,
    /// Where messages are handed over.
    pub smtp: Smtp,
}

/// An SMTP server.
#[derive(Debug, Clone)]
pub struct Smtp {
    /// Its host.
    pub host: String,
    /// Its port.
    pub port: u16,
}

/// The application. Clones share it.
#[derive(Clone)]
pub struct App(Arc<Inner>);

/// What the clones of [`App`] share.
#[allow(missing_debug_implementations)]
pub struct Inner {
    pub(crate) store: Store,
    pub(crate) files: Files,
    pub(crate) smtp: Smtp,
    /// Compiled templates by version.
    pub(crate) templates: Mutex<HashMap<i64, Arc<Template>>>,
    /// Sheets with their records, by number.
    pub(crate) sheets: Mutex<HashMap<i64, Arc<LoadedSheet>>>,
    /// How often a sheet changed.
    pub(crate) sheet_changes: AtomicU64,
    /// Held while an open sheet takes changed cells over.
    pub(crate) patching: tokio::sync::Mutex<()>,
    /// The fonts, once they are read.
    pub(crate) fonts: Mutex<Option<Arc<FontSet>>>,
    /// Keeps tokens closed.
    pub(crate) secrets: Secrets,
    /// The queries whose records are being fetched.
    pub(crate) fetchings: Fetchings,
    /// Keeps public screens from being flooded.
    pub(crate) guard: api::Guard,
    /// Wakes the mail worker.
    pub(crate) mail: Notify,
    /// Runs that changed.
    pub(crate) changes: broadcast::Sender<i64>,
}

impl std::ops::Deref for App {
    type Target = Inner;
    fn deref(&self) -> &Inner {
        &self.0
    }
}

impl std::fmt::Debug for App {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "App({:?})", self.smtp)
    }
}

/// Opens the application of a folder and takes up the runs that were going.
/// Must be called within a tokio runtime.
pub async fn app(options: Options) -> Result<App> {
    std::fs::create_dir_all(&options.folder).with_context(|| format!("can't create the folder {}", options.folder.display()))?;
    let app = App(Arc::new(Inner {
        store: Store::open(&options.folder.join("mangle.sqlite"))?,
        files: Files::open(&options.folder.join("files"))?,
        smtp: options.smtp,
        templates: Mutex::default(),
        sheets: Mutex::default(),
        sheet_changes: AtomicU64::default(),
        patching: tokio::sync::Mutex::default(),
        fonts: Mutex::default(),
        secrets: Secrets::open(&options.folder)?,
        fetchings: Fetchings::default(),
        guard: api::Guard::default(),
        mail: Notify::new(),
        changes: broadcast::channel(256).0,
    }));
    run::take_up(&app).await?;
    Ok(app)
}

/// The routes of the application; `more` are those of practice services.
pub fn router(app: App, more: Router) -> Router {
    api::router(app)
        .merge(more)
        .fallback(web::serve)
        .layer(DefaultBodyLimit::max(96 << 20))
        .layer(tower_http::compression::CompressionLayer::new())
}

/// Serves on a loopback listener until the process ends. Until there is sign-in,
/// nothing but this machine may ask, and no foreign page may ask through it.
pub async fn serve(listener: TcpListener, router: Router) -> Result<()> {
    let address = listener.local_addr()?;
    anyhow::ensure!(address.ip().is_loopback(), "Mangle accepts local connections only, not {address}");
    let guarded = router.layer(axum::middleware::from_fn_with_state(address, guard));
    axum::serve(listener, guarded.into_make_service_with_connect_info::<SocketAddr>()).await?;
    Ok(())
}

/// Refuses foreign `Host` and `Origin` headers.
async fn guard(State(address): State<SocketAddr>, request: Request, next: Next) -> Response {
    let host = request.headers().get(header::HOST).and_then(|h| h.to_str().ok()).unwrap_or_default().to_owned();
    if !own_hosts(address).contains(&host) {
        return Refused::new(StatusCode::FORBIDDEN, "foreign-host", "This host name is not allowed").into_response();
    }
    if foreign_origin(request.headers(), address) {
        return Refused::new(StatusCode::FORBIDDEN, "foreign-origin", "Requests from other websites are not allowed").into_response();
    }
    let mut response = next.run(request).await;
    for (name, value) in [
        (
            header::CONTENT_SECURITY_POLICY,
            "default-src 'self'; img-src 'self' blob: data:; style-src 'self' 'unsafe-inline'; font-src 'self' data:; frame-ancestors 'none'; base-uri 'none'; form-action 'self'",
        ),
        (header::X_CONTENT_TYPE_OPTIONS, "nosniff"),
        (header::REFERRER_POLICY, "no-referrer"),
    ] {
        response.headers_mut().entry(name).or_insert(header::HeaderValue::from_static(value));
    }
    response
}

fn own_hosts(address: SocketAddr) -> [String; 3] {
    let port = address.port();
    [format!("localhost:{port}"), format!("127.0.0.1:{port}"), format!("[::1]:{port}")]
}

fn foreign_origin(headers: &HeaderMap, address: SocketAddr) -> bool {
    match headers.get(header::ORIGIN) {
        None => false,
        Some(origin) => !own_hosts(address).iter().any(|host| origin.as_bytes() == format!("http://{host}").as_bytes()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn origin(text: &str) -> bool {
        let mut headers = HeaderMap::new();
        headers.insert(header::ORIGIN, text.parse().expect("a header"));
        foreign_origin(&headers, SocketAddr::from(([127, 0, 0, 1], 7600)))
    }

    #[test]
    fn only_the_own_page_may_ask() {
        assert!(!origin("http://localhost:7600"));
        assert!(!origin("http://127.0.0.1:7600"));
        for foreign in
            ["http://localhost:7601", "https://localhost:7600", "http://quay.example", "null", "http://localhost:7600.quay.example"]
        {
            assert!(origin(foreign), "{foreign}");
        }
        assert!(!foreign_origin(&HeaderMap::new(), SocketAddr::from(([127, 0, 0, 1], 7600))));
    }

    #[tokio::test]
    async fn nothing_but_loopback_is_served() {
        let listener = TcpListener::bind("0.0.0.0:0").await.expect("binds");
        let refused = serve(listener, Router::new()).await.expect_err("refused");
        assert!(refused.to_string().starts_with("Mangle accepts local connections only"));
    }
}
