//! Coverage: which ways through a template the records of a sheet take.

use mangle_core::language::{Context, Scope};
use mangle_core::records::label;
use mangle_core::template::{Coverage, Took};
use mangle_core::value::Locale;
use mangle_documents::formats::Template;
use serde::{Deserialize, Serialize};
use tokio_util::sync::CancellationToken;

use super::tryout::{Desk, Tied, ties_of};
use crate::prepare::{LoadedSheet, blocking};
use crate::{App, Error, Outcome};

#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::IntoParams))]
pub struct OfSheet {
    /// The sheet's number.
    pub sheet: i64,
}

/// Which ways through a template the records take.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct CoverageView {
    /// How many records were tried.
    pub records: usize,
    /// How many of them can't be filled.
    pub failed: usize,
    /// The first of those.
    pub first_failed: Option<RecordAt>,
    /// Names of the template that the sheet has no column for.
    pub open: Vec<String>,
    /// The ways, in reading order.
    pub ways: Vec<WayInfo>,
}

/// A way through a template.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct WayInfo {
    /// The placeholder at which it is chosen.
    pub placeholder: usize,
    /// The placeholder's text.
    pub text: String,
    /// The way, in words.
    pub words: String,
    /// How many records take it.
    pub records: usize,
    /// The first of them.
    pub first: Option<RecordAt>,
}

/// A record by its row.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct RecordAt {
    /// Its row.
    pub row: usize,
    /// What to call it.
    pub label: String,
}

/// Fill a version with every record and count the branches used.
pub async fn coverage(app: &App, id: i64, of: OfSheet) -> Outcome<CoverageView> {
    let template = app.template(id).await?;
    if !template.problems().is_empty() {
        return Err(Error::conflict("template-problems", "this version has problems. Fix them to see coverage."));
    }
    let sheet = app.sheet(of.sheet).await?;
    let tied = ties_of(app, id, of.sheet, &*template, &sheet.sheet).await?;
    let desk = Desk::of(app, id).await?;
    let context = Context { reading: sheet.reading, ..desk.context(Locale::english()) };
    // A closed page drops this request: the count stops then.
    let wanted = CancellationToken::new();
    let _guard = wanted.clone().drop_guard();
    Ok(blocking(move || count(&*template, &sheet, tied, &desk, &context, &wanted)).await?)
}

fn count(
    template: &dyn Template,
    sheet: &LoadedSheet,
    tied: Tied,
    desk: &Desk,
    context: &Context,
    wanted: &CancellationToken,
) -> CoverageView {
    let mut coverage = Coverage::new(template.ways().iter().cloned());
    let records = &sheet.sheet.records;
    let at = |row: usize| sheet.sheet.record(row).map(|r| RecordAt { row, label: label(r, "") });
    let (mut failed, mut first_failed) = (0, None);
    for record in records.iter().take_while(|_| !wanted.is_cancelled()) {
        let tried = template.fill_traced(&Scope::new(record, &tied.ties, context), desk.means());
        coverage.take(&tried.trace, record.number);
        if !tried.errors.is_empty() {
            failed += 1;
            first_failed = first_failed.or_else(|| at(record.number));
        }
    }
    let text = |placeholder: usize| template.placeholders().get(placeholder).map(|p| p.text.clone()).unwrap_or_default();
    let ways = coverage
        .ways()
        .iter()
        .map(|taken| WayInfo {
            placeholder: taken.way.begins,
            text: text(taken.way.begins),
            words: taken.way.written.clone().unwrap_or_else(|| words(taken.way.took, taken.way.placeholder == taken.way.begins).to_owned()),
            records: taken.records,
            first: taken.first.and_then(at),
        })
        .collect();
    CoverageView { records: records.len(), failed, first_failed, open: tied.open, ways }
}

fn words(took: Took, own: bool) -> &'static str {
    match took {
        Took::Branch(0) => "true",
        Took::Branch(_) if own => "else",
        Took::Branch(_) => "true (those before are false)",
        Took::NoBranch => "false",
        Took::Turns => "list has records",
        Took::NoTurns => "list is empty",
        Took::Alternative(_) => "first value",
        Took::Blank => "all blank",
    }
}
