//! How many runs, items and deliveries there are in each state, for those who watch the program.

use anyhow::Result;
use rusqlite::Connection;

/// How many there are in each state.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Counts {
    /// Runs by their state.
    pub runs: Vec<(String, u64)>,
    /// Items by how far they are.
    pub items: Vec<(String, u64)>,
    /// Deliveries by the kind of their channel and their state.
    pub deliveries: Vec<(String, String, u64)>,
}

/// Counts them.
pub fn read(c: &Connection) -> Result<Counts> {
    let by_state = |sql: &str| -> Result<Vec<(String, u64)>> {
        Ok(c.prepare_cached(sql)?.query_map([], |r| Ok((r.get(0)?, r.get(1)?)))?.collect::<Result<_, _>>()?)
    };
    let mut deliveries = c.prepare_cached("SELECT kind, state, count(*) FROM delivery GROUP BY kind, state")?;
    Ok(Counts {
        runs: by_state("SELECT state, count(*) FROM run GROUP BY state")?,
        items: by_state("SELECT progress, count(*) FROM item GROUP BY progress")?,
        deliveries: deliveries.query_map([], |r| Ok((r.get(0)?, r.get(1)?, r.get(2)?)))?.collect::<Result<_, _>>()?,
    })
}
