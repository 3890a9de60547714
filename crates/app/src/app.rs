//! The application put together: store, files, caches, jobs.

use std::fs::{File, TryLockError};
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError};

use anyhow::{Context, Result};
use jiff::civil::DateTime;
use jiff::tz::TimeZone;
use mangle_channels::Channel;
use mangle_core::template::Clauses;
use mangle_documents::layout::FontSet;
use tokio::sync::broadcast;
use tokio_util::sync::CancellationToken;
use tokio_util::task::TaskTracker;

use crate::cache::Cache;
use crate::crm::Secrets;
use crate::files::Files;
use crate::jobs::{self, CrmRecords, Journal, Outbox, SheetColumns};
use crate::packs::FixedPart;
use crate::prepare::{LoadedSheet, LoadedTemplate};
use crate::store::snapshots::Snapshot;
use crate::store::{Store, settings};
use crate::{Actor, buckets, clock, forms, mail, printers, share, triggers, web_hook};

/// How the application is run.
#[derive(Debug, Clone)]
pub struct Options {
    /// Where everything is kept.
    pub folder: PathBuf,
    /// What the operator sets for channels.
    pub channels: mangle_channels::Config,
}

/// How many bytes of compiled templates and of sheets are kept ready.
const MOST_TEMPLATES: usize = 256 << 20;
const MOST_SHEETS: usize = 512 << 20;
/// How many bytes of shared documents are kept ready.
const MOST_SHARED: usize = 64 << 20;

/// The application, for one who acts: what its use cases do is theirs, and the history names them.
/// Clones share it.
#[derive(Clone)]
pub struct App {
    inner: Arc<Inner>,
    actor: Actor,
}

/// What the clones of [`App`] share.
#[allow(missing_debug_implementations)]
pub struct Inner {
    /// The tables.
    pub store: Store,
    /// The files.
    pub files: Files,
    /// The folders that documents may be put into.
    pub folders: Vec<String>,
    /// The hosts that web hooks may be posted to.
    pub hosts: Vec<String>,
    /// The address that public pages are reached at, without a slash at its end; none where there
    /// are none.
    pub public_url: Option<String>,
    /// The address that the office's people open the application at, without a slash at its end.
    pub office_url: Option<String>,
    /// Shared documents that were asked for just now, by number.
    pub(crate) shared: Cache<i64, share::Ready>,
    /// What has begun to be delivered.
    pub(crate) journal: Journal,
    /// The kinds of channels, each with what waits for it.
    pub outboxes: Vec<Outbox>,
    /// Compiled templates by version.
    pub(crate) templates: Cache<i64, LoadedTemplate>,
    /// The PDFs and pictures that are parts of packs, by their files.
    pub(crate) parts: Cache<String, FixedPart>,
    /// Sheets with their records, by number.
    pub(crate) sheets: Cache<i64, Arc<LoadedSheet>>,
    /// Held while an open sheet takes changed cells over.
    pub(crate) patching: tokio::sync::Mutex<()>,
    /// The clauses that were used last, compiled, with the office that they are of.
    pub(crate) clauses: Mutex<Option<(Snapshot, Arc<Clauses>)>>,
    /// The fonts, once they are read.
    pub(crate) fonts: Mutex<Option<Arc<FontSet>>>,
    /// Keeps tokens closed.
    pub secrets: Arc<Secrets>,
    /// The jobs beside runs that are being done.
    pub(crate) background: jobs::Background,
    /// Files that are being imported.
    pub(crate) incoming: Files,
    /// Files that came for forms and belong to no answer yet.
    pub(crate) arrived: Files,
    /// Held while one of them comes, or it is looked which of them nobody waits for.
    pub(crate) arriving: tokio::sync::Mutex<()>,
    /// The office's time zone.
    zone: Mutex<TimeZone>,
    /// What is at work for triggers.
    pub(crate) firings: triggers::Firings,
    /// Who makes which run.
    pub makers: jobs::Makers,
    /// Told once a round is completed.
    pub(crate) sealing: tokio::sync::Notify,
    /// Makes documents: as many at a time as there are cores, whatever the number of runs.
    pub(crate) pool: jobs::Pool,
    /// What runs in the background, to be waited for at the end.
    pub(crate) tasks: TaskTracker,
    /// Told once the program is to end.
    pub(crate) stopping: CancellationToken,
    /// Held as long as the folder is open: two programs would do everything twice.
    _lock: File,
    /// Runs that changed.
    pub changes: broadcast::Sender<i64>,
}

impl std::ops::Deref for App {
    type Target = Inner;
    fn deref(&self) -> &Inner {
        &self.inner
    }
}

impl std::fmt::Debug for App {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "App({:?}, {:?})", self.actor, self.outboxes)
    }
}

/// Opens the application of a folder and takes up the runs that were going.
/// Must be called within a tokio runtime.
pub async fn open(options: Options) -> Result<App> {
    let config = mangle_channels::Config { raster: Some(mangle_documents::pdf::raster), ..options.channels.clone() };
    let adapters = mangle_channels::all(&config);
    open_with(options, |store, secrets| {
        let own: [Arc<dyn Channel>; 2] = [
            Arc::new(CrmRecords::new(store.clone(), secrets.clone(), tokio::runtime::Handle::current())),
            Arc::new(SheetColumns::new(store.clone())),
        ];
        adapters.into_iter().chain(own).collect()
    })
    .await
}

/// The same with adapters of one's own, which may write into the store.
pub(crate) async fn open_with(options: Options, adapters: impl FnOnce(&Store, &Arc<Secrets>) -> Vec<Arc<dyn Channel>>) -> Result<App> {
    std::fs::create_dir_all(&options.folder).with_context(|| format!("can't create the folder {}", options.folder.display()))?;
    let lock = lock(&options.folder)?;
    let cores = std::thread::available_parallelism().map_or(1, usize::from);
    let store = Store::open(&options.folder.join("mangle.sqlite"))?;
    let secrets = Arc::new(Secrets::open(&options.folder)?);
    let outboxes = adapters(&store, &secrets).into_iter().map(Outbox::new).collect();
    let inner = Arc::new(Inner {
        store,
        files: Files::open(&options.folder.join("files"))?,
        folders: options.channels.folders.iter().map(|(name, _)| name.clone()).collect(),
        hosts: options.channels.hosts.clone(),
        public_url: options.channels.public_url.as_ref().map(|url| url.trim_end_matches('/').to_owned()),
        office_url: options.channels.office_url.clone(),
        shared: Cache::new(256, MOST_SHARED),
        journal: Journal::open(&options.folder)?,
        outboxes,
        templates: Cache::new(32, MOST_TEMPLATES),
        parts: Cache::new(32, MOST_TEMPLATES),
        sheets: Cache::new(32, MOST_SHEETS),
        patching: tokio::sync::Mutex::default(),
        clauses: Mutex::default(),
        fonts: Mutex::default(),
        secrets,
        background: jobs::Background::default(),
        incoming: Files::open(&options.folder.join("incoming"))?,
        arriving: tokio::sync::Mutex::default(),
        arrived: Files::open(&options.folder.join("arrived"))?,
        zone: Mutex::new(TimeZone::UTC),
        firings: triggers::Firings::default(),
        makers: jobs::Makers::default(),
        sealing: tokio::sync::Notify::new(),
        pool: jobs::Pool::begin(cores)?,
        tasks: TaskTracker::new(),
        stopping: CancellationToken::new(),
        _lock: lock,
        changes: broadcast::channel(256).0,
    });
    // There is one person until there is sign-in.
    let app = App { inner, actor: Actor::User };
    app.keep_time().await?;
    mail::apply(&app).await?;
    web_hook::apply(&app).await?;
    printers::apply(&app).await?;
    buckets::apply(&app).await?;
    jobs::take_up(&app).await?;
    triggers::take_up(&app);
    forms::tidy(&app).await?;
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
    /// The same application for another who acts: a trigger, say.
    pub fn acting(&self, actor: Actor) -> App {
        App { inner: self.inner.clone(), actor }
    }

    /// Who acts.
    pub fn actor(&self) -> Actor {
        self.actor
    }

    /// Goes by the office's time zone, as it is set now.
    pub(crate) async fn keep_time(&self) -> Result<()> {
        let zone = self.store.read(settings::read).await?.zone();
        *self.zone.lock().unwrap_or_else(PoisonError::into_inner) = zone;
        self.forget_sheets();
        Ok(())
    }

    /// The office's time zone.
    pub fn zone(&self) -> TimeZone {
        self.zone.lock().unwrap_or_else(PoisonError::into_inner).clone()
    }

    /// Now, by the office's clock.
    pub fn now(&self) -> DateTime {
        clock::local(clock::now(), &self.zone())
    }

    /// The adapter of a kind of channel.
    pub(crate) fn channel(&self, kind: &str) -> Option<Arc<dyn Channel>> {
        self.outboxes.iter().map(Outbox::channel).find(|channel| channel.kind() == kind).cloned()
    }

    /// How many bytes of compiled templates and of sheets are kept ready, about.
    pub fn ready_bytes(&self) -> (u64, u64) {
        (self.templates.bytes(), self.sheets.bytes())
    }

    /// Ends the work in the background: what is being made or handed over is finished, nothing
    /// else is begun. The next start goes on with the rest.
    pub async fn stop(&self) {
        self.stopping.cancel();
        self.tasks.close();
        self.tasks.wait().await;
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[tokio::test]
    async fn a_folder_is_open_in_one_program_at_a_time() {
        let folder = tempfile::tempdir().expect("a folder");
        let open = || open(Options { folder: folder.path().into(), channels: Default::default() });
        let first = open().await.expect("opens");
        let refused = open().await.expect_err("refused").to_string();
        assert!(refused.ends_with("is already open in another Mangle. Close that one, or choose another folder."), "{refused}");
        // It ends by itself once it is told to, and the folder is free.
        first.stop().await;
        drop(first);
        open().await.expect("opens again").stop().await;
    }
}
