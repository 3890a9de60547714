//! The store: SQLite, a file a table. SQL lives here and nowhere else.

pub mod clauses;
pub mod dispatches;
pub mod files;
pub mod fonts;
pub mod forms;
pub mod items;
pub mod pictures;
pub mod queries;
pub mod relations;
pub mod rows;
pub mod runs;
pub mod settings;
pub mod sheets;
pub mod snapshots;
pub mod specimens;
pub mod templates;

use std::path::Path;

use anyhow::{Context, Result};
use r2d2::{Pool, PooledConnection};
use r2d2_sqlite::SqliteConnectionManager;
use rusqlite::TransactionBehavior;
pub use rusqlite::{Connection, Transaction};
use rusqlite_migration::{M, Migrations};

/// The store. Clones share its connections.
#[derive(Debug, Clone)]
pub struct Store(Pool<SqliteConnectionManager>);

/// A connection of the store's pool.
type Pooled = PooledConnection<SqliteConnectionManager>;

const MIGRATIONS: [&str; 11] = [
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
];

impl Store {
    /// Opens the store of a file, brought up to date.
    pub fn open(file: &Path) -> Result<Store> {
        // The first thing that a connection learns is to wait for the others. What is committed
        // is on disk (FULL), or a message that was sent would be sent again after a power cut.
        // A transaction takes the right to write at its start: one that reads first and writes
        // then would fail at once beside another.
        let manager = SqliteConnectionManager::file(file).with_init(|c| {
            c.set_transaction_behavior(TransactionBehavior::Immediate);
            c.execute_batch("PRAGMA busy_timeout = 10000; PRAGMA journal_mode = WAL; PRAGMA synchronous = FULL; PRAGMA journal_size_limit = 67108864; PRAGMA foreign_keys = ON; PRAGMA temp_store = MEMORY;")
        });
        let pool = Pool::builder().max_size(8).build(manager).with_context(|| format!("the store {} can't be opened", file.display()))?;
        let migrations = Migrations::new(MIGRATIONS.iter().map(|sql| M::up(sql)).collect());
        migrations.to_latest(&mut *pool.get()?).context("the data folder can't be updated to this version")?;
        Ok(Store(pool))
    }

    /// A connection.
    pub fn connection(&self) -> Result<Pooled> {
        Ok(self.0.get()?)
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

    /// Changes the store: all of the work, or where it fails nothing of it.
    pub async fn change<T: Send + 'static, E: From<anyhow::Error> + Send + 'static>(
        &self,
        work: impl FnOnce(&Transaction<'_>) -> Result<T, E> + Send + 'static,
    ) -> Result<T, E> {
        self.with(move |c| {
            let t = c.transaction().map_err(anyhow::Error::new)?;
            let done = work(&t)?;
            t.commit().map_err(anyhow::Error::new)?;
            Ok(done)
        })
        .await
    }
}

/// What a column keeps as JSON. One that can't be read is an error: an empty set-up in its
/// place would send to nobody, or to everybody.
fn kept<T: serde::de::DeserializeOwned>(column: usize, text: &str) -> rusqlite::Result<T> {
    serde_json::from_str(text).map_err(|e| rusqlite::Error::FromSqlConversionFailure(column, rusqlite::types::Type::Text, Box::new(e)))
}

#[cfg(test)]
mod tests;
