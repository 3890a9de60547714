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
pub mod specimens;
pub mod templates;

use std::path::Path;

use anyhow::{Context, Result};
use r2d2::{Pool, PooledConnection};
use r2d2_sqlite::SqliteConnectionManager;
use rusqlite_migration::{M, Migrations};

/// The store. Clones share its connections.
#[derive(Debug, Clone)]
pub struct Store(Pool<SqliteConnectionManager>);

/// A connection of the store.
pub type Connection = PooledConnection<SqliteConnectionManager>;

const MIGRATIONS: [&str; 10] = [
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
];

impl Store {
    /// Opens the store of a file, brought up to date.
    pub fn open(file: &Path) -> Result<Store> {
        // The first thing that a connection learns is to wait for the others.
        let manager = SqliteConnectionManager::file(file).with_init(|c| {
            c.execute_batch("PRAGMA busy_timeout = 10000; PRAGMA journal_mode = WAL; PRAGMA synchronous = NORMAL; PRAGMA foreign_keys = ON; PRAGMA temp_store = MEMORY;")
        });
        let pool = Pool::builder().max_size(8).build(manager).with_context(|| format!("the store {} can't be opened", file.display()))?;
        let migrations = Migrations::new(MIGRATIONS.iter().map(|sql| M::up(sql)).collect());
        migrations.to_latest(&mut *pool.get()?).context("the data folder can't be updated to this version")?;
        Ok(Store(pool))
    }

    /// A connection.
    pub fn connection(&self) -> Result<Connection> {
        Ok(self.0.get()?)
    }

    /// Does work on the store off the async runtime.
    pub async fn with<T: Send + 'static, E: From<anyhow::Error> + Send + 'static>(
        &self,
        work: impl FnOnce(&mut Connection) -> Result<T, E> + Send + 'static,
    ) -> Result<T, E> {
        let store = self.clone();
        let done = tokio::task::spawn_blocking(move || work(&mut store.connection()?)).await;
        done.map_err(|e| E::from(anyhow::Error::new(e)))?
    }
}

#[cfg(test)]
mod tests;
