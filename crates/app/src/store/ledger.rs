//! What was made, delivered and failed over time. Moments are given to ten minutes: an office's day
//! begins at none that lies between.

use anyhow::Result;
use rusqlite::{Connection, Row, params};
use serde::Serialize;

/// Something that was counted.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Counted {
    /// When (UTC), to ten minutes: `2026-11-23T09:4`.
    pub at: String,
    /// The dispatch's key and name.
    pub dispatch: (String, String),
    /// The template's name.
    pub template: String,
    /// The word of the channel's kind; blank of documents.
    pub channel: String,
    /// What it is.
    pub what: What,
    /// How many.
    pub count: usize,
    /// How many pages they have.
    pub pages: usize,
    /// How long they took to make, in milliseconds.
    pub took: u64,
}

/// What is counted.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum What {
    /// Documents.
    Documents,
    /// Proofs.
    Proofs,
    /// Deliveries that arrived.
    Delivered,
    /// Documents or deliveries that failed.
    Failed,
}

const OF: &str = "JOIN run ON run.id = own.run_id JOIN dispatch ON dispatch.id = run.dispatch_id
    LEFT JOIN template_version ON template_version.id = run.template_version_id LEFT JOIN template ON template.id = template_version.template_id";
const NAMES: &str = "dispatch.key, dispatch.name, coalesce(template.name, '')";

fn counted(r: &Row<'_>, what: What) -> rusqlite::Result<Counted> {
    let took: i64 = r.get(7)?;
    Ok(Counted {
        at: r.get(0)?,
        dispatch: (r.get(1)?, r.get(2)?),
        template: r.get(3)?,
        channel: r.get(4)?,
        what,
        count: r.get(5)?,
        pages: r.get(6)?,
        took: u64::try_from(took).unwrap_or_default(),
    })
}

/// All that was counted from one moment (UTC) to before another.
pub fn counts(c: &Connection, from: &str, to: &str) -> Result<Vec<Counted>> {
    let mut all = Vec::new();
    let made = format!(
        "SELECT substr(own.made, 1, 15), {NAMES}, '', count(*), sum(own.pages), sum(own.took), run.kind FROM item AS own {OF}
         WHERE own.made >= ?1 AND own.made < ?2 AND own.made <> '' GROUP BY 1, run.dispatch_id, run.template_version_id, run.kind"
    );
    let mut query = c.prepare_cached(&made)?;
    let rows = query.query_map(params![from, to], |r| {
        let proof = r.get::<_, String>(8)? == "proof";
        counted(r, if proof { What::Proofs } else { What::Documents })
    })?;
    all.extend(rows.collect::<Result<Vec<_>, _>>()?);
    let failed = format!(
        "SELECT substr(own.changed, 1, 15), {NAMES}, '', count(*), 0, 0 FROM item AS own {OF}
         WHERE own.state = 'failed' AND own.changed >= ?1 AND own.changed < ?2 AND run.kind = 'run'
         GROUP BY 1, run.dispatch_id, run.template_version_id"
    );
    let mut query = c.prepare_cached(&failed)?;
    all.extend(query.query_map(params![from, to], |r| counted(r, What::Failed))?.collect::<Result<Vec<_>, _>>()?);
    let delivered = format!(
        "SELECT substr(own.changed, 1, 15), {NAMES}, own.kind, count(*), 0, 0, own.state FROM delivery AS own {OF}
         WHERE own.state IN ('delivered', 'failed') AND own.changed >= ?1 AND own.changed < ?2 AND run.kind = 'run'
         GROUP BY 1, run.dispatch_id, run.template_version_id, own.kind, own.state"
    );
    let mut query = c.prepare_cached(&delivered)?;
    let rows = query.query_map(params![from, to], |r| {
        let failed = r.get::<_, String>(8)? == "failed";
        counted(r, if failed { What::Failed } else { What::Delivered })
    })?;
    all.extend(rows.collect::<Result<Vec<_>, _>>()?);
    Ok(all)
}

/// A reason why documents or deliveries failed.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct FailureCount {
    /// Its short name.
    pub code: String,
    /// What was said, of one of them.
    #[serde(serialize_with = "mangle_core::words::as_sentence")]
    pub message: String,
    /// How many failed by it.
    pub count: usize,
    /// The last run in which one did.
    pub run: i64,
    /// Its dispatch's name.
    pub dispatch: String,
}

/// The reasons why most failed, the most frequent first.
pub fn failures(c: &Connection, from: &str, to: &str, most: usize) -> Result<Vec<FailureCount>> {
    let sql = "SELECT own.error_code, own.error_message, count(*), max(own.run_id), dispatch.name FROM (
        SELECT error_code, error_message, run_id FROM item WHERE state = 'failed' AND changed >= ?1 AND changed < ?2
        UNION ALL SELECT error_code, error_message, run_id FROM delivery WHERE state = 'failed' AND changed >= ?1 AND changed < ?2) AS own
        JOIN run ON run.id = own.run_id JOIN dispatch ON dispatch.id = run.dispatch_id WHERE run.kind = 'run'
        GROUP BY own.error_code ORDER BY 3 DESC, 4 DESC LIMIT ?3";
    let rows = c
        .prepare_cached(sql)?
        .query_map(params![from, to, most], |r| {
            Ok(FailureCount { code: r.get(0)?, message: r.get(1)?, count: r.get(2)?, run: r.get(3)?, dispatch: r.get(4)? })
        })?
        .collect::<Result<_, _>>()?;
    Ok(rows)
}

/// How many documents a dispatch has made since a moment (UTC).
pub fn made_since(c: &Connection, key: &str, from: &str) -> Result<usize> {
    let sql = "SELECT count(*) FROM item JOIN run ON run.id = item.run_id JOIN dispatch ON dispatch.id = run.dispatch_id
        WHERE dispatch.key = ?1 AND run.kind = 'run' AND item.made >= ?2 AND item.made <> ''";
    Ok(c.prepare_cached(sql)?.query_row(params![key, from], |r| r.get(0))?)
}
