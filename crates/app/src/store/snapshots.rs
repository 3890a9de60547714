//! What a run keeps of the office: clauses, settings, pictures, fonts and how the sheet is
//! read, as they were when it was started. Nothing that is changed later reaches it, and any
//! of its documents can be made again byte for byte.

use std::collections::BTreeMap;
use std::sync::Arc;

use anyhow::Result;
use mangle_core::template::Clauses;
use mangle_core::value::DateOrder;
use mangle_core::value::read::Reading;
use rusqlite::{Connection, OptionalExtension, Transaction, params};
use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};

use super::pictures::PictureInfo;
use super::settings::{self, Settings};
use super::{clauses, fonts, pictures, sheets, templates};

/// The form that snapshots are written in.
const VERSION: u32 = 1;

/// What a run keeps of the office.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Snapshot {
    version: u32,
    /// The dispatch's name.
    pub dispatch: String,
    pub settings: Settings,
    clauses: Vec<KeptClause>,
    pictures: Vec<KeptPicture>,
    /// The files of the fonts that a person brought in.
    pub fonts: Vec<String>,
    reading: Option<KeptReading>,
    /// The versions in use of the templates that packs are put together from.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub versions: BTreeMap<i64, i64>,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
struct KeptClause {
    name: String,
    language: String,
    text: String,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
struct KeptPicture {
    name: String,
    file: String,
    size: i64,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
struct KeptReading {
    decimal: char,
    /// day, month or year.
    order: String,
}

impl Snapshot {
    /// The office as it is, for a dispatch and a sheet.
    pub fn take(c: &Connection, dispatch: (i64, &str), sheet: Option<i64>) -> Result<Snapshot> {
        let found = pictures::at_hand(c, Some(dispatch.0), sheet)?;
        let reading = sheet.map(|id| sheets::reading(c, id)).transpose()?.map(|reading| KeptReading {
            decimal: reading.decimal,
            order: match reading.order {
                DateOrder::DayFirst => "day",
                DateOrder::MonthFirst => "month",
                DateOrder::YearFirst => "year",
            }
            .to_owned(),
        });
        Ok(Snapshot {
            version: VERSION,
            dispatch: dispatch.1.to_owned(),
            settings: settings::read(c)?,
            clauses: clauses::list(c)?
                .into_iter()
                .map(|one| KeptClause { name: one.name, language: one.language, text: one.text })
                .collect(),
            pictures: found.into_iter().map(|p| KeptPicture { name: p.name, file: p.file, size: p.size }).collect(),
            fonts: fonts::files(c)?,
            reading,
            versions: templates::in_packs(c)?,
        })
    }

    /// Writes it down, once for all runs that keep the same; gives its hash.
    pub fn keep(&self, t: &Transaction<'_>) -> Result<String> {
        let body = serde_json::to_string(self)?;
        let hash: String = Sha256::digest(body.as_bytes()).iter().map(|b| format!("{b:02x}")).collect();
        t.execute("INSERT INTO snapshot (hash, body) VALUES (?1, ?2) ON CONFLICT DO NOTHING", params![hash, body])?;
        Ok(hash)
    }

    /// The one that a run keeps; none of a run that was started before there were any.
    pub fn of_run(c: &Connection, run: i64) -> Result<Option<Snapshot>> {
        let sql = "SELECT snapshot.body FROM run JOIN snapshot ON snapshot.hash = run.snapshot WHERE run.id = ?1";
        let body: Option<String> = c.prepare_cached(sql)?.query_row([run], |r| r.get(0)).optional()?;
        let Some(body) = body else { return Ok(None) };
        let kept: Snapshot = serde_json::from_str(&body)?;
        anyhow::ensure!(kept.version == VERSION, "this run was started by a newer Mangle");
        Ok(Some(kept))
    }

    /// Its clauses, compiled.
    pub fn library(&self) -> Arc<Clauses> {
        Clauses::new(self.clauses.iter().map(|one| (one.name.as_str(), one.language.as_str(), one.text.as_str()))).0
    }

    /// Whether another has the same clauses.
    pub fn same_clauses(&self, other: &Snapshot) -> bool {
        self.clauses == other.clauses
    }

    /// Its pictures.
    pub fn pictures(&self) -> Vec<PictureInfo> {
        let info = |p: &KeptPicture| PictureInfo { name: p.name.clone(), file: p.file.clone(), size: p.size };
        self.pictures.iter().map(info).collect()
    }

    /// How the sheet's texts are read.
    pub fn reading(&self) -> Option<Reading> {
        self.reading.as_ref().map(|kept| Reading {
            decimal: kept.decimal,
            order: match kept.order.as_str() {
                "month" => DateOrder::MonthFirst,
                "year" => DateOrder::YearFirst,
                _ => DateOrder::DayFirst,
            },
        })
    }
}
