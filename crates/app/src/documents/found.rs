//! Documents as they are looked for, and one with all that belongs to it.

use jiff::SignedDuration;
use jiff::civil::Date;
use mangle_core::dispatch::Format;
use serde::{Deserialize, Serialize};

use super::{joined, zip};
use crate::store::deliveries;
use crate::store::documents::{self, DocumentVersion};
use crate::store::events::{self, EventInfo};
use crate::store::items::{self, ItemInfo};
use crate::store::rounds;
use crate::store::search::{self, FoundDocument, Search};
use crate::transfer::Download;
use crate::{App, Error, Outcome, clock};

/// Up to how many are counted.
const COUNTED: usize = 1_000;
/// How many may be downloaded at once.
const MOST_SELECTED: usize = 500;

/// What documents are looked for.
#[derive(Debug, Default, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::IntoParams))]
pub struct Query {
    /// Words of the record, the name or the recipients; the beginning of each is enough.
    #[serde(default)]
    pub find: String,
    /// A dispatch's key.
    #[serde(default)]
    pub dispatch: String,
    /// A state, as an item of a run has it.
    #[serde(default)]
    pub state: String,
    /// Made on this day or later, by the office's calendar: `2026-11-01`.
    #[serde(default)]
    pub from: String,
    /// Made on this day or before.
    #[serde(default)]
    pub to: String,
    /// Whether proofs are looked for instead.
    #[serde(default)]
    pub proofs: bool,
    /// Only those before this item; 0 for the newest.
    #[serde(default)]
    pub before: i64,
    /// How many, at most 500.
    #[serde(default = "crate::page_size")]
    pub count: usize,
}

/// Documents that were found.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct FoundPage {
    /// Some of them, the newest first.
    pub documents: Vec<FoundDocument>,
    /// How many there are, counted up to 1,000.
    pub count: usize,
    /// Whether there are more than that.
    pub more: bool,
}

/// A day by the office's calendar as a moment (UTC): its beginning, or that of the next.
fn moment(app: &App, day: &str, next: bool) -> Outcome<String> {
    if day.trim().is_empty() {
        return Ok(String::new());
    }
    let wrong = |_| Error::unusable("day", format!("“{day}” is not a date. Use the format 2026-11-01."));
    let date: Date = day.trim().parse().map_err(wrong)?;
    let date = if next { date.saturating_add(SignedDuration::from_hours(24)) } else { date };
    Ok(clock::utc(date.at(0, 0, 0, 0), &app.zone()).to_string())
}

/// Documents that were made, the newest first.
pub async fn found(app: &App, query: Query) -> Outcome<FoundPage> {
    let (from, to) = (moment(app, &query.from, false)?, moment(app, &query.to, true)?);
    let Query { find, dispatch, state, proofs, before, count, .. } = query;
    let all = Search { text: find.chars().take(200).collect(), dispatch, state, from, to, proofs, before: 0 };
    let found = app.store.read(move |c| -> Outcome<FoundPage> {
        let part = Search { before, ..all };
        let (documents, counted) = search::page(c, &part, count.clamp(1, 500), COUNTED + 1)?;
        Ok(FoundPage { documents, count: counted.min(COUNTED), more: counted > COUNTED })
    });
    found.await
}

/// A record's documents with all that belongs to them.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct DocumentDetail {
    /// What it is.
    pub document: FoundDocument,
    /// Its files and its deliveries.
    pub item: ItemInfo,
    /// All versions of its files, the newest first.
    pub versions: Vec<DocumentVersion>,
    /// What happened to it, the oldest first.
    pub events: Vec<EventInfo>,
    /// Its signing round.
    pub round: Option<i64>,
    /// The row of its record and the sheet that this is in.
    pub sheet: i64,
    /// The row; 0 where it serves many.
    pub row: usize,
    /// Why it can't be edited; none where it can.
    pub fixed: Option<String>,
}

/// A record's documents, by their item.
pub async fn detail(app: &App, item: i64) -> Outcome<DocumentDetail> {
    let found = app.store.read(move |c| -> anyhow::Result<_> {
        let Some(document) = search::get(c, item)? else { return Ok(None) };
        let Some((info, sheet)) = items::one(c, item, clock::seconds())? else { return Ok(None) };
        let deliveries = deliveries::of_items(c, &[item], clock::seconds())?.into_iter().map(|(_, own)| own).collect();
        let info = ItemInfo { deliveries, documents: documents::of_item(c, item)?, ..info };
        let fixed = super::edited::fixed(c, &document, item)?;
        Ok(Some(DocumentDetail {
            row: info.row,
            sheet,
            versions: documents::versions(c, item)?,
            events: events::of_item(c, item)?,
            round: rounds::of_item(c, item)?,
            document,
            item: info,
            fixed,
        }))
    });
    let mut detail = found.await?.ok_or_else(|| Error::missing("the document"))?;
    app.mark_revocable(&mut detail.item);
    Ok(detail)
}

/// A version of a document, as a file.
pub async fn version(app: &App, document: i64, version: i64) -> Outcome<Download> {
    let found = app.store.read(move |c| documents::of_version(c, document, version)).await?;
    let (name, format, file) = found.ok_or_else(|| Error::missing("the version"))?;
    Ok(Download::new(format.media_type(), &name, app.files.get(&file).await?))
}

/// The documents of a selection.
async fn selected(app: &App, items: Vec<i64>) -> Outcome<Vec<documents::DocumentInfo>> {
    if items.len() > MOST_SELECTED {
        let message = format!("{} are too many for one download (maximum {MOST_SELECTED}). Select fewer.", items.len());
        return Err(Error::unusable("too-many", message));
    }
    let found = app.store.read(move |c| documents::of_items(c, &items)).await?;
    match found.is_empty() {
        true => Err(Error::conflict("no-documents", "the selected documents have no files. Select others.")),
        false => Ok(found),
    }
}

/// Selected records' documents as one ZIP.
pub async fn selection_zip(app: &App, items: Vec<i64>) -> Outcome<Download> {
    let now = app.now();
    zip(app, &format!("Documents {}", now.date()), selected(app, items).await?, now).await
}

/// Selected records' PDFs as one, with a bookmark for each.
pub async fn selection_pdf(app: &App, items: Vec<i64>) -> Outcome<Download> {
    let title = format!("Documents {}", app.now().date());
    let found = selected(app, items).await?;
    let found = found.into_iter().filter(|own| own.format == Format::Pdf).collect();
    joined(app, title, found, "the selected documents have no PDFs. Download the ZIP.").await
}
