//! The store: SQLite, a file a table. SQL lives here and nowhere else.

pub mod clauses;
pub mod counts;
pub mod deliveries;
pub mod dispatches;
pub mod documents;
pub mod erasures;
pub mod events;
pub mod files;
pub mod firings;
pub mod fonts;
pub mod forms;
pub mod frames;
pub mod items;
pub mod jobs;
pub mod labels;
pub mod ledger;
pub mod messages;
pub mod pictures;
pub mod queries;
pub mod relations;
pub mod rounds;
pub mod rows;
pub mod running;
pub mod runs;
pub mod search;
pub mod settings;
pub mod shared;
pub mod sheets;
pub mod snapshots;
pub mod specimens;
pub mod templates;
pub mod told;
mod writer;

use std::path::Path;

use anyhow::{Context, Result};
use mangle_core::dispatch::{Setup, read_setup};
use r2d2::{Pool, PooledConnection};
use r2d2_sqlite::SqliteConnectionManager;

pub use rusqlite::{Connection, Transaction};
use rusqlite::{OpenFlags, ToSql, TransactionBehavior};
use rusqlite_migration::{M, Migrations};

use self::writer::Writer;
use crate::Error;
use crate::jobs::state::Step;

/// The store. Clones share its connections and its writer.
#[derive(Debug, Clone)]
pub struct Store {
    pool: Pool<SqliteConnectionManager>,
    writer: Writer,
}

/// A connection of the store's pool.
type Pooled = PooledConnection<SqliteConnectionManager>;

const MIGRATIONS: [&str; 25] = [
    include_str!("../../migrations/01-start.sql"),
    include_str!("../../migrations/02-versions-and-specimens.sql"),
    include_str!("../../migrations/03-pictures-and-clauses.sql"),
    include_str!("../../migrations/04-fonts.sql"),
    include_str!("../../migrations/05-workbooks.sql"),
    include_str!("../../migrations/06-forms.sql"),
    include_str!("../../migrations/07-crm.sql"),
    include_str!("../../migrations/08-header.sql"),
    include_str!("../../migrations/09-joint.sql"),
    include_str!("../../migrations/10-served.sql"),
    include_str!("../../migrations/11-safety.sql"),
    include_str!("../../migrations/12-deliveries.sql"),
    include_str!("../../migrations/13-revisions.sql"),
    include_str!("../../migrations/14-begun.sql"),
    include_str!("../../migrations/15-jobs.sql"),
    include_str!("../../migrations/16-times.sql"),
    include_str!("../../migrations/17-links.sql"),
    include_str!("../../migrations/18-columns.sql"),
    include_str!("../../migrations/19-heard.sql"),
    include_str!("../../migrations/20-messages.sql"),
    include_str!("../../migrations/21-triggers.sql"),
    include_str!("../../migrations/22-packs-and-batches.sql"),
    include_str!("../../migrations/23-signing.sql"),
    include_str!("../../migrations/24-documents.sql"),
    include_str!("../../migrations/25-openings.sql"),
];

impl Store {
    /// Opens the store of a file to look at it, whoever else has it open; it is not brought up to
    /// date and nothing is changed.
    pub fn look(file: &Path) -> Result<Connection> {
        let found = Connection::open_with_flags(file, OpenFlags::SQLITE_OPEN_READ_ONLY);
        let c = found.with_context(|| format!("the store {} can't be opened. Give the data folder of a Mangle.", file.display()))?;
        let version: usize = c.query_row("PRAGMA user_version", [], |r| r.get(0)).context("the store can't be read")?;
        let now = MIGRATIONS.len();
        anyhow::ensure!(version == now, "the store is of another version of Mangle ({version}, not {now}). Start this one on it first.");
        Ok(c)
    }

    /// Opens the store of a file, brought up to date. A copy of one of an older program stays
    /// beside it.
    pub fn open(file: &Path) -> Result<Store> {
        let manager = SqliteConnectionManager::file(file).with_init(ready);
        let mut writing = Connection::open(file).with_context(|| format!("the store {} can't be opened", file.display()))?;
        ready(&mut writing)?;
        bring_up_to_date(&mut writing, file).context("the data folder can't be updated to this version")?;
        // Others that write a statement of their own are waited for.
        writing.pragma_update(None, "busy_timeout", 60_000)?;
        let pool = Pool::builder().max_size(8).build(manager).with_context(|| format!("the store {} can't be opened", file.display()))?;
        Ok(Store { pool, writer: Writer::begin(writing)? })
    }

    /// A connection.
    pub fn connection(&self) -> Result<Pooled> {
        Ok(self.pool.get()?)
    }

    /// Does work on the store off the async runtime.
    pub async fn with<T: Send + 'static, E: From<anyhow::Error> + Send + 'static>(
        &self,
        work: impl FnOnce(&mut Connection) -> Result<T, E> + Send + 'static,
    ) -> Result<T, E> {
        let store = self.clone();
        let done = tokio::task::spawn_blocking(move || work(&mut *store.connection()?)).await;
        done.map_err(|e| E::from(anyhow::Error::new(e)))?
    }

    /// Writes the log of the store into it.
    pub async fn checkpoint(&self) -> Result<()> {
        self.with(|c| Ok(c.query_row("PRAGMA wal_checkpoint(TRUNCATE)", [], |_| Ok(()))?)).await
    }

    /// Writes the store anew, so that neither its file nor its log holds anything of what was deleted.
    pub async fn rewrite(&self) -> Result<()> {
        self.with(|c| -> Result<()> { Ok(c.execute_batch("VACUUM")?) }).await?;
        self.checkpoint().await
    }

    /// Reads several things as they were at one moment.
    pub async fn read<T: Send + 'static, E: From<anyhow::Error> + Send + 'static>(
        &self,
        work: impl FnOnce(&Connection) -> Result<T, E> + Send + 'static,
    ) -> Result<T, E> {
        self.with(move |c| {
            let t = c.transaction_with_behavior(TransactionBehavior::Deferred).map_err(anyhow::Error::new)?;
            work(&t)
        })
        .await
    }

    /// Changes the store: all of the work, or where it fails nothing of it. Changes come one
    /// after the other; what this gives is on disk.
    pub async fn change<T: Send + 'static, E: From<anyhow::Error> + Send + 'static>(
        &self,
        work: impl FnOnce(&Transaction<'_>) -> Result<T, E> + Send + 'static,
    ) -> Result<T, E> {
        self.writer.change(work).await.unwrap_or_else(|_| Err(interrupted().into()))
    }

    /// The same beside the async runtime.
    pub fn change_blocking<T: Send + 'static>(&self, work: impl FnOnce(&Transaction<'_>) -> Result<T> + Send + 'static) -> Result<T> {
        self.writer.change(work).blocking_recv().unwrap_or_else(|_| Err(interrupted()))
    }
}

fn interrupted() -> anyhow::Error {
    anyhow::anyhow!("a change of the store was interrupted")
}

/// What every connection is told first: to wait for the others. What is committed is on disk
/// (FULL), or a message that was sent would be sent again after a power cut. A transaction takes
/// the right to write at its start: one that reads first and writes then would fail at once
/// beside another.
fn ready(c: &mut Connection) -> rusqlite::Result<()> {
    c.set_transaction_behavior(TransactionBehavior::Immediate);
    // More than the program has statements: none is read twice.
    c.set_prepared_statement_cache_capacity(256);
    c.execute_batch(
        "PRAGMA busy_timeout = 10000; PRAGMA journal_mode = WAL; PRAGMA synchronous = FULL; PRAGMA journal_size_limit = 67108864; PRAGMA foreign_keys = ON; PRAGMA temp_store = MEMORY;",
    )
}

/// Runs the migrations that are missing. What was there before is copied first.
fn bring_up_to_date(c: &mut Connection, file: &Path) -> Result<()> {
    let before: usize = c.pragma_query_value(None, "user_version", |r| r.get(0))?;
    if before > 0 && before < MIGRATIONS.len() {
        let copy = file.with_extension(format!("before-{}.sqlite", MIGRATIONS.len()));
        // An update that was interrupted has made it already.
        if !copy.exists() {
            c.execute("VACUUM INTO ?1", [copy.to_string_lossy()])?;
        }
        tracing::info!(from = before, to = MIGRATIONS.len(), copy = %copy.display(), "the data folder is updated");
    }
    // Tables that are made anew would take what refers to them along.
    c.pragma_update(None, "foreign_keys", false)?;
    let migrations = Migrations::new(MIGRATIONS.iter().map(|sql| M::up(sql).foreign_key_check()).collect());
    migrations.to_latest(c)?;
    c.pragma_update(None, "foreign_keys", true)?;
    Ok(())
}

/// Changes the state of rows of a table by an event of its state machine (`jobs::state`): those
/// among `which` that are in a state in which it can happen; how many. `set` are further columns.
pub fn step(c: &Connection, event: impl Step, set: &str, which: &str, params: &[(&str, &dyn ToSql)]) -> Result<usize> {
    fn table<S: Step>(_: S) -> &'static str {
        S::TABLE
    }
    let from = event.leads_from().join("', '");
    let sql = format!("UPDATE {} SET state = '{}'{set} WHERE state IN ('{from}') AND ({which})", table(event), event.leads_to());
    Ok(c.prepare_cached(&sql)?.execute(params)?)
}

/// What a column keeps as JSON. One that can't be read is an error: an empty set-up in its
/// place would send to nobody, or to everybody.
fn kept<T: serde::de::DeserializeOwned>(column: usize, text: &str) -> rusqlite::Result<T> {
    serde_json::from_str(text).map_err(|e| rusqlite::Error::FromSqlConversionFailure(column, rusqlite::types::Type::Text, Box::new(e)))
}

/// What became of a change that is made only to what was seen.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Changed {
    /// It is made.
    Done,
    /// Somebody else changed it since it was seen.
    Elsewhere,
    /// It is not there (any more).
    Missing,
}

impl Changed {
    /// Of an `UPDATE` that asked for the revision: how many rows it touched, and whether there
    /// is such a thing at all.
    fn of(touched: usize, there: bool) -> Changed {
        match (touched, there) {
            (0, false) => Changed::Missing,
            (0, true) => Changed::Elsewhere,
            _ => Changed::Done,
        }
    }

    /// An error where it is not made; `what` names the thing, as in “this form”.
    pub fn done(self, what: &str) -> Result<(), Error> {
        match self {
            Changed::Done => Ok(()),
            Changed::Missing => Err(Error::missing(what)),
            Changed::Elsewhere => Err(Error::conflict(
                "changed-elsewhere",
                format!("not saved: {what} changed in another window since this page was loaded. Reload the page to see the changes."),
            )),
        }
    }
}

/// A stored set-up.
fn setup_of(column: usize, text: &str) -> rusqlite::Result<Setup> {
    read_setup(text).map_err(|e| rusqlite::Error::FromSqlConversionFailure(column, rusqlite::types::Type::Text, Box::new(e)))
}

/// A word that names nothing that this program knows.
fn unknown(column: usize, word: &str) -> rusqlite::Error {
    rusqlite::Error::FromSqlConversionFailure(column, rusqlite::types::Type::Text, format!("unknown word “{word}”").into())
}

#[cfg(test)]
mod tests;
