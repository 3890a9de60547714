//! The application put together: store, files, caches, runner, routes.

use std::collections::HashMap;
use std::fs::{File, TryLockError};
use std::net::SocketAddr;
use std::path::{Path, PathBuf};
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
use tokio::sync::{Notify, Semaphore, broadcast};
use tokio_util::sync::CancellationToken;
use tokio_util::task::TaskTracker;

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
    /// Who makes which run.
    pub(crate) makers: run::Makers,
    /// How many items are made at a time: one for each core, whatever the number of runs.
    pub(crate) slots: Arc<Semaphore>,
    /// What runs in the background, to be waited for at the end.
    pub(crate) tasks: TaskTracker,
    /// Told once the program is to end.
    pub(crate) stopping: CancellationToken,
    /// Held as long as the folder is open: two programs would do everything twice.
    _lock: File,
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
    let lock = lock(&options.folder)?;
    let cores = std::thread::available_parallelism().map_or(1, usize::from);
    let app = App(Arc::new(Inner {
        store: Store::open(&options.folder.join("mangle.sqlite"))?,
        files: Files::open(&options.folder.join("files"))?,
        smtp: options.smtp,
        templates: Mutex::default(),
        sheets: Mutex::default(),
        patching: tokio::sync::Mutex::default(),
        fonts: Mutex::default(),
        secrets: Secrets::open(&options.folder)?,
        fetchings: Fetchings::default(),
        guard: api::Guard::default(),
        mail: Notify::new(),
        makers: run::Makers::default(),
        slots: Arc::new(Semaphore::new(cores)),
        tasks: TaskTracker::new(),
        stopping: CancellationToken::new(),
        _lock: lock,
        changes: broadcast::channel(256).0,
    }));
    run::take_up(&app).await?;
    Ok(app)
}

/// Takes a folder for this program alone.
fn lock(folder: &Path) -> Result<File> {
    let path = folder.join("mangle.lock");
    let file = File::create(&path).with_context(|| format!("can't create {}", path.display()))?;
    match file.try_lock() {
        Ok(()) => Ok(file),
        Err(TryLockError::WouldBlock) => {
            anyhow::bail!("the folder {} is already open in another Mangle. Close that one, or choose another folder.", folder.display())
        }
        Err(TryLockError::Error(error)) => Err(error).with_context(|| format!("can't lock {}", path.display())),
    }
}

impl App {
    /// Ends the work in the background: what is being made or handed over is finished, nothing
    /// else is begun. The next start goes on with the rest.
    pub async fn stop(&self) {
        self.stopping.cancel();
        self.tasks.close();
        self.tasks.wait().await;
    }
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
    async fn a_folder_is_open_in_one_program_at_a_time() {
        let folder = tempfile::tempdir().expect("a folder");
        let open = || app(Options { folder: folder.path().into(), smtp: Smtp { host: "127.0.0.1".into(), port: 9 } });
        let first = open().await.expect("opens");
        let refused = open().await.expect_err("refused").to_string();
        assert!(refused.ends_with("is already open in another Mangle. Close that one, or choose another folder."), "{refused}");
        // It ends by itself once it is told to, and the folder is free.
        first.stop().await;
        drop(first);
        open().await.expect("opens again").stop().await;
    }

    #[tokio::test]
    async fn nothing_but_loopback_is_served() {
        let listener = TcpListener::bind("0.0.0.0:0").await.expect("binds");
        let refused = serve(listener, Router::new()).await.expect_err("refused");
        assert!(refused.to_string().starts_with("Mangle accepts local connections only"));
    }
}
