//! One record → its documents and its message: check, fill, typeset, file.

use std::sync::Arc;

use anyhow::{Context as _, Result};
use mangle_core::dispatch::{Attach, PdfStandard};
use mangle_core::language::Context;
use mangle_core::preflight::{Finding, Noted, Outline, check, gather_notes, same_names};
use mangle_core::records::{Record, read_kept, to_json, to_rows};
use mangle_core::template::FillError;
use mangle_documents::docx::{Filled, Template};
use mangle_documents::page::{Attached, AttachedKind, Made, PdfWish, Standard, Typesetter};

use tokio_util::sync::CancellationToken;

use super::mail::{self, Envelope};
use crate::App;
use crate::clock;
use crate::prepare::{Prepared, blocking};
use crate::store::items::{self, ItemError, ItemWork, MadeItem};
use crate::store::runs::RunWork;

/// What the check of one record gives.
pub type Checked = Result<(Filled, Outline), Vec<Finding>>;

/// Fills the template for a record and checks its name and message.
pub fn check_one(prepared: &Prepared, template: &Template, record: &Record, number: usize, count: usize) -> Checked {
    check_in(prepared, template, record, &prepared.context(record, number, count))
}

/// The same, noticing what may surprise the recipient.
fn check_noticing(prepared: &Prepared, template: &Template, record: &Record, number: usize, count: usize) -> Checked {
    check_in(prepared, template, record, &prepared.noticing_context(record, number, count))
}

fn check_in(prepared: &Prepared, template: &Template, record: &Record, context: &Context) -> Checked {
    let scope = prepared.scope(record, context);
    let (filled, errors): (Option<Filled>, Vec<FillError>) = match template.fill_with(&scope, prepared.means()) {
        Ok(filled) => (Some(filled), Vec::new()),
        Err(errors) => (None, errors),
    };
    let outline = check(&prepared.plan, &scope, errors)?;
    Ok((filled.ok_or_else(Vec::new)?, outline))
}

/// Checks records one by one and against one another, until it is cancelled;
/// what it notices besides does not stop a run.
pub fn check_all(prepared: &Prepared, template: &Template, records: &[&Record], wanted: &CancellationToken) -> (Vec<Finding>, Vec<Noted>) {
    let mut findings = Vec::new();
    let mut notes = Vec::new();
    let mut names: Vec<(usize, String)> = Vec::new();
    for (index, record) in records.iter().enumerate().take_while(|_| !wanted.is_cancelled()) {
        match check_noticing(prepared, template, record, index + 1, records.len()) {
            Ok((_, outline)) => {
                notes.extend(outline.notes.into_iter().map(|note| (record.number, note)));
                names.push((record.number, outline.file_name));
            }
            Err(found) => findings.extend(found),
        }
    }
    findings.extend(same_names(names.iter().map(|(record, name)| (*record, name.as_str()))));
    findings.sort_by_key(|f| f.record);
    (findings, gather_notes(notes))
}

/// The typeset pages of a filled template.
pub fn page_of(template: &Template, filled: &Filled, typesetter: &Typesetter<'_>) -> Result<Made> {
    template.typeset(filled, typesetter).context("the pages can't be created")
}

/// The record's data as it is attached to its PDF.
fn attachment(attach: Attach, record: &Record) -> Result<Option<(AttachedKind, Vec<u8>)>> {
    Ok(match attach {
        Attach::Nothing => None,
        Attach::Json => Some((AttachedKind::Json, serde_json::to_vec_pretty(&to_json(record))?)),
        Attach::Csv => Some((AttachedKind::Csv, mangle_documents::table::csv(&to_rows(record))?)),
    })
}

/// The record's PDF as the plan wants it.
fn pdf_of(prepared: &Prepared, template: &Template, record: &Record, made: (&Filled, &Outline), run: &RunWork) -> Result<Vec<u8>> {
    let (filled, outline) = made;
    let (standard, attach) = prepared.plan.pdf;
    let attachment = attachment(attach, record)?;
    let attached = attachment.as_ref().map(|(kind, bytes)| Attached { kind: *kind, bytes });
    let pages = page_of(template, filled, &Typesetter { proof: run.proof, attached })?;
    let standard = match standard {
        PdfStandard::Plain => None,
        PdfStandard::A2b => Some(Standard::A2b),
        PdfStandard::A3b => Some(Standard::A3b),
        PdfStandard::Ua1 => Some(Standard::Ua1),
    };
    let moment = run.moment.parse().unwrap_or_else(|_| clock::now());
    Ok(pages.pdf_as(PdfWish { title: &outline.file_name, moment, standard, password: outline.password.as_deref() })?)
}

/// Makes an item and files it.
pub async fn item(app: App, prepared: Arc<Prepared>, run: RunWork, item: ItemWork) -> Result<()> {
    let (id, run_id, position) = (item.id, item.run_id, item.position);
    let host = prepared.settings.office_email.rsplit_once('@').map_or("mangle.example", |(_, host)| host).to_owned();
    // Whatever a record does to the program, it costs that record alone.
    let made = blocking(move || make(&prepared, &run, &item)).await.unwrap_or_else(|error| {
        tracing::error!(id, error = format!("{error:#}"), "creating the document was interrupted");
        let message = "internal error while creating this document. The log has the details.";
        Err(ItemError { code: "internal".into(), place: "document".into(), message: message.into() })
    });
    let at = clock::stamp();
    match made {
        Err(error) => app.store.with(move |c| items::make_failed(c, id, &error, &at)).await,
        Ok(made) => {
            let size = made.pdf.as_ref().map_or(0, Vec::len) + made.docx.as_ref().map_or(0, Vec::len);
            let pdf = keep(&app, made.pdf).await?;
            let docx = keep(&app, made.docx).await?;
            let message = match made.envelope {
                Some(envelope) => Some((serde_json::to_string(&envelope)?, mail::message_id(run_id, position, id, &at, &host))),
                None => None,
            };
            let filed = MadeItem { file_name: made.file_name, pdf, docx, size, message };
            app.store.with(move |c| items::filed(c, id, &filed, &at)).await
        }
    }
}

async fn keep(app: &App, bytes: Option<Vec<u8>>) -> Result<Option<String>> {
    match bytes {
        Some(bytes) => app.files.keep(bytes).await.map(Some),
        None => Ok(None),
    }
}

struct MadeBytes {
    file_name: String,
    pdf: Option<Vec<u8>>,
    docx: Option<Vec<u8>>,
    envelope: Option<Envelope>,
}

fn make(prepared: &Prepared, run: &RunWork, item: &ItemWork) -> Result<MadeBytes, ItemError> {
    let fault = |place: &str, message: String| ItemError { code: "internal".into(), place: place.into(), message };
    let (Some(template), Some(sheet)) = (&prepared.template, &prepared.sheet) else {
        return Err(fault("dispatch", "the template or sheet no longer exists".into()));
    };
    let schema = run.schema.as_ref().unwrap_or(&sheet.sheet.schema);
    // The very values that the preview showed, whatever the sheet says by now.
    let record = read_kept(schema, item.row, &item.record).map_err(|e| fault("record", e.to_string()))?;
    // A proof goes to the person whatever the record's own address is worth.
    let checked = match run.proof {
        true => proof_of(prepared, template, &record, item.position, run.count),
        false => check_one(prepared, template, &record, item.position, run.count),
    };
    let (filled, outline) = checked.map_err(first)?;
    let docx = match prepared.plan.output.docx() {
        true => {
            Some(template.docx(&filled).map_err(|e| ItemError { code: e.code().into(), place: "docx".into(), message: e.to_string() })?)
        }
        false => None,
    };
    let pdf = match prepared.plan.output.pdf() || run.proof {
        true => {
            let pdf = pdf_of(prepared, template, &record, (&filled, &outline), run);
            Some(pdf.map_err(|e| ItemError { code: "pages".into(), place: "pdf".into(), message: format!("{e:#}") })?)
        }
        false => None,
    };
    let envelope = if run.proof {
        Some(Envelope::proof(&run.proof_to, &outline))
    } else {
        outline.message.as_ref().map(|m| Envelope::of(m, prepared.plan.mails_docx()))
    };
    let envelope = envelope.map(|e| e.from(&prepared.settings));
    Ok(MadeBytes { file_name: outline.file_name, pdf, docx, envelope })
}

/// The check of a proof: the document and the name must be right, the
/// recipients need not.
fn proof_of(prepared: &Prepared, template: &Template, record: &Record, number: usize, count: usize) -> Checked {
    match check_one(prepared, template, record, number, count) {
        Ok(done) => Ok(done),
        Err(findings) if findings.iter().all(|f| ["to", "copy to", "blind copy to"].contains(&f.place.as_str())) => {
            let context = prepared.context(record, number, count);
            let scope = prepared.scope(record, &context);
            let name = prepared.plan.name.fill(&scope).ok().and_then(|n| mangle_core::dispatch::file_name(&n));
            let filled = template.fill_with(&scope, prepared.means()).map_err(|_| findings)?;
            Ok((
                filled,
                Outline { file_name: name.unwrap_or_else(|| format!("Proof {number}")), message: None, password: None, notes: Vec::new() },
            ))
        }
        Err(findings) => Err(findings),
    }
}

fn first(findings: Vec<Finding>) -> ItemError {
    let more = findings.len().saturating_sub(1);
    match findings.into_iter().next() {
        Some(finding) => {
            let what =
                if finding.placeholder.is_empty() { finding.message } else { format!("{}: {}", finding.placeholder, finding.message) };
            let message = if more > 0 { format!("{what} (and {more} more)") } else { what };
            ItemError { code: finding.code, place: finding.place, message }
        }
        None => ItemError { code: "internal".into(), place: "document".into(), message: "no document was created".into() },
    }
}
