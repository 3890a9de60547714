//! Preflight: every chosen record checked against the dispatch.

use std::collections::BTreeSet;

use mangle_core::dispatch::name_uses;
use mangle_core::language::Folded;
use mangle_core::preflight::{Fields, Finding, Fix, Found, causes, place_in};
use mangle_core::records::{ColumnType, Record};
use mangle_core::template::Placeholder;
use mangle_core::words::counted;
use mangle_documents::docx::Template;
use serde::Serialize;
use tokio_util::sync::CancellationToken;

use super::{find, ready};
use crate::jobs;
use crate::prepare::{Prepared, blocking};
use crate::{App, Error};

/// What is wrong with a record at hand.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct FindingInfo {
    /// Where.
    place: String,
    /// The placeholder at fault.
    placeholder: String,
    /// What is wrong and what to do.
    #[serde(serialize_with = "mangle_core::words::as_sentence")]
    message: String,
}

impl From<Finding> for FindingInfo {
    fn from(finding: Finding) -> FindingInfo {
        FindingInfo { place: finding.place, placeholder: finding.placeholder, message: finding.message }
    }
}

/// What is wrong with some records, for one reason.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct CauseInfo {
    /// A short name for programs.
    code: String,
    /// What is wrong and what to do.
    #[serde(serialize_with = "mangle_core::words::as_sentence")]
    message: String,
    /// The placeholders at fault.
    placeholders: Vec<String>,
    /// What puts it right, beside leaving the records out.
    fix: Option<FixInfo>,
    /// Its records, in the order of the rows.
    pub records: Vec<FoundInfo>,
}

/// An act that puts a cause right.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case", tag = "act")]
pub enum FixInfo {
    /// The column gets the currency that it is printed in.
    SetCurrency {
        /// The column's name.
        column: String,
        /// The currency.
        currency: String,
    },
    /// The cells are written anew.
    CorrectCells {
        /// The column's name.
        column: String,
        /// Its place among the sheet's columns.
        index: usize,
    },
}

/// What was found of one record.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct FoundInfo {
    /// Its row; 0 where it is of a document that serves all.
    pub row: usize,
    /// What to call it.
    label: String,
    /// What stands in the cell at fault.
    text: Option<String>,
    /// What is wrong with it.
    #[serde(serialize_with = "mangle_core::words::as_sentence")]
    message: String,
}

/// What the preflight found.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct PreflightView {
    /// How many records were checked.
    pub checked: usize,
    /// How many of them have something wrong.
    pub wrong: usize,
    /// What is wrong, by its cause, that of most records first.
    causes: Vec<CauseInfo>,
    /// What stops nothing but may surprise the recipient.
    pub notes: Vec<NoteInfo>,
}

/// What was noticed of some records.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct NoteInfo {
    /// What a person should know.
    #[serde(serialize_with = "mangle_core::words::as_sentence")]
    pub message: String,
    /// The rows that it is of.
    pub rows: Vec<usize>,
}

/// What to call the record of a document that serves so many.
pub fn of_all(records: usize) -> String {
    format!("all {}", counted(records, "record", "records"))
}

impl App {
    /// Checks every chosen record of a dispatch. Whoever drops this stops the check.
    pub async fn preflight(&self, key: &str) -> Result<PreflightView, Error> {
        let dispatch = find(self, key).await?;
        let (prepared, _) = ready(self, &dispatch).await?;
        let wanted = CancellationToken::new();
        let _guard = wanted.clone().drop_guard();
        blocking(move || findings(&prepared, &wanted)).await?
    }
}

/// What is wrong with the chosen records; the check stops once it is cancelled.
pub(super) fn findings(prepared: &Prepared, wanted: &CancellationToken) -> Result<PreflightView, Error> {
    let Some(template) = &prepared.template else {
        return Err(Error::conflict("not-ready", "choose a template and a source first"));
    };
    let (chosen, unclear) = prepared.chosen()?;
    // Open ties are told once as such, not again with every record.
    let tied = prepared.ties().iter().all(|t| t.column.is_some());
    let all = || if prepared.plan.joint { of_all(chosen.len()) } else { String::new() };
    let of = |row: usize| prepared.sheet.as_ref().and_then(|s| s.sheet.record(row)).map_or_else(all, |record| prepared.label(record));
    let documents = prepared.documents(&chosen);
    let documents: Vec<&Record> = documents.iter().map(AsRef::as_ref).collect();
    let (found, noted) = jobs::check_all(prepared, template, &documents, wanted);
    let mut findings: Vec<Finding> = found.into_iter().filter(|f| tied || f.code != "unknown-name").collect();
    findings.extend(unclear.into_iter().map(|(row, message)| Finding {
        record: row,
        code: "filter".into(),
        place: "filter".into(),
        placeholder: prepared.setup.filter.clone(),
        message,
        column: None,
        text: None,
    }));
    let wrong: BTreeSet<usize> = findings.iter().map(|f| f.record).collect();
    let found = |found: Found| FoundInfo { row: found.record, label: of(found.record), text: found.text, message: found.message };
    let causes = causes(findings, &Known { prepared, template }).into_iter().map(|cause| CauseInfo {
        code: cause.code,
        message: cause.message,
        placeholders: cause.placeholders,
        fix: cause.fix.and_then(|fix| fix_info(fix, prepared)),
        records: cause.found.into_iter().map(found).collect(),
    });
    let causes = causes.collect();
    let notes = noted.into_iter().map(|n| NoteInfo { message: n.note.to_string(), rows: n.records }).collect();
    Ok(PreflightView { checked: chosen.len(), wrong: wrong.len(), causes, notes })
}

/// What a dispatch knows of its placeholders' fields.
struct Known<'a> {
    prepared: &'a Prepared,
    template: &'a Template,
}

impl Fields for Known<'_> {
    fn printed_by(&self, place: &str, placeholder: &str) -> Option<String> {
        let plan = &self.prepared.plan;
        let texts =
            plan.channels.iter().flat_map(|channel| channel.texts().map(move |(field, text)| (place_in(plan, channel, field), text)));
        let of_place = texts.filter(|(field, _)| *field == place).flat_map(|(_, text)| text.placeholders());
        let all: Vec<&Placeholder> = of_place.chain(self.template.placeholders()).collect();
        // An address that is blank has no placeholder of its own: it is that of its field.
        let own = all.iter().find(|p| p.text == placeholder || (placeholder.is_empty() && place == p.place.words())).or(all.first())?;
        let names = name_uses([*own]);
        let [only] = names.as_slice() else { return None };
        let plain = only.within.iter().all(Vec::is_empty);
        let column = self.prepared.schema.column(self.prepared.plan.ties.resolve(&Folded::new(&only.name)))?;
        (plain && !matches!(column.kind, ColumnType::Record | ColumnType::List)).then(|| column.name.clone())
    }

    fn can_be_written(&self, column: &str) -> bool {
        !self.prepared.plan.joint && self.prepared.sheet.as_ref().is_some_and(|s| s.written.contains(&Folded::new(column)))
    }
}

fn fix_info(fix: Fix, prepared: &Prepared) -> Option<FixInfo> {
    let index = |column: &str| prepared.sheet.as_ref()?.sheet.schema.index(&Folded::new(column));
    Some(match fix {
        Fix::SetCurrency { column, currency } => {
            index(&column)?;
            // Cells that name a currency themselves don't change with their column.
            if prepared.sheet.as_ref()?.signed.contains(&Folded::new(&column)) {
                return None;
            }
            FixInfo::SetCurrency { column, currency }
        }
        Fix::CorrectCells { column } => FixInfo::CorrectCells { index: index(&column)?, column },
    })
}
