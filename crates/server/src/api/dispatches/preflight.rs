//! Preflight: every chosen record checked against the dispatch.

use axum::Json;
use axum::extract::{Path, State};
use mangle_core::preflight::Finding;
use mangle_core::records::Record;
use serde::Serialize;
use tokio_util::sync::CancellationToken;
use utoipa::ToSchema;

use super::{counted, find, ready};
use crate::error::{Answer, Problem, Refused};
use crate::prepare::{Prepared, blocking, label};
use crate::run;
use crate::server::App;

/// What is wrong with a record.
#[derive(Debug, Serialize, ToSchema)]
pub(super) struct FindingInfo {
    /// Its row; 0 where it is of a document that serves all.
    pub(super) row: usize,
    /// What to call it.
    pub(super) label: String,
    /// A short name for programs.
    pub(super) code: String,
    /// Where.
    pub(super) place: String,
    /// The placeholder or value at fault.
    pub(super) placeholder: String,
    /// What is wrong and what to do.
    pub(super) message: String,
}

pub(super) fn finding(finding: Finding, label: String) -> FindingInfo {
    FindingInfo {
        row: finding.record,
        label,
        code: finding.code,
        place: finding.place,
        placeholder: finding.placeholder,
        message: finding.message,
    }
}

/// What the preflight found.
#[derive(Debug, Serialize, ToSchema)]
pub(super) struct PreflightView {
    /// How many records were checked.
    pub(super) checked: usize,
    /// What is wrong with them.
    pub(super) findings: Vec<FindingInfo>,
    /// What stops nothing but may surprise the recipient.
    pub(super) notes: Vec<NoteInfo>,
}

/// What was noticed of some records.
#[derive(Debug, Serialize, ToSchema)]
pub(super) struct NoteInfo {
    /// What a person should know.
    pub(super) message: String,
    /// The rows that it is of.
    pub(super) rows: Vec<usize>,
}

/// What to call the record of a document that serves so many.
pub(super) fn of_all(records: usize) -> String {
    format!("all {}", counted(records, "record", "records"))
}

/// Checks every chosen record against the dispatch.
#[utoipa::path(post, path = "/api/dispatches/{key}/preflight", tag = "dispatches", params(("key" = String, Path)), responses((status = 200, body = PreflightView), (status = 409, body = Problem)))]
pub(super) async fn preflight(State(app): State<App>, Path(key): Path<String>) -> Answer<PreflightView> {
    let dispatch = find(&app, &key).await?;
    let (prepared, _) = ready(&app, &dispatch).await?;
    // A newer change or a closed page drops this request: its check stops then.
    let wanted = CancellationToken::new();
    let _guard = wanted.clone().drop_guard();
    blocking(move || findings(&prepared, &wanted)).await?.map(Json)
}

/// What is wrong with the chosen records; the check stops once it is cancelled.
pub(super) fn findings(prepared: &Prepared, wanted: &CancellationToken) -> Result<PreflightView, Refused> {
    let Some(template) = &prepared.template else {
        return Err(Refused::conflict("not-ready", "choose a template and a source first"));
    };
    let (chosen, unclear) = prepared.chosen()?;
    // Open ties are told once as such, not again with every record.
    let tied = prepared.ties().iter().all(|t| t.column.is_some());
    let all = || if prepared.plan.joint { of_all(chosen.len()) } else { String::new() };
    let of = |row: usize| prepared.sheet.as_ref().and_then(|s| s.sheet.record(row)).map_or_else(all, label);
    let documents = prepared.documents(&chosen);
    let documents: Vec<&Record> = documents.iter().map(AsRef::as_ref).collect();
    let (found, noted) = run::check_all(prepared, template, &documents, wanted);
    let mut findings: Vec<FindingInfo> = found
        .into_iter()
        .filter(|f| tied || f.code != "unknown-name")
        .map(|f| {
            let label = of(f.record);
            finding(f, label)
        })
        .collect();
    findings.extend(unclear.into_iter().map(|(row, message)| FindingInfo {
        row,
        label: of(row),
        code: "filter".into(),
        place: "filter".into(),
        placeholder: prepared.setup.filter.clone(),
        message,
    }));
    findings.sort_by_key(|f| f.row);
    let notes = noted.into_iter().map(|n| NoteInfo { message: n.note.to_string(), rows: n.records }).collect();
    Ok(PreflightView { checked: chosen.len(), findings, notes })
}
