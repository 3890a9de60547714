//! What one record becomes: checked, filled, and made in each format. Runs, previews and the
//! terminal make documents by these functions and by no others.

use anyhow::{Context as _, Result};
use jiff::civil::DateTime;
use mangle_core::diagnostic::{Diagnostic, Target};
use mangle_core::dispatch::{Attach, Format, PdfStandard, Plan};
use mangle_core::language::Scope;
use mangle_core::preflight::{Finding, Outline, Purpose, check};
use mangle_core::records::{Record, to_json, to_rows};
use mangle_documents::bound::Bound;
use mangle_documents::formats::{Filled, Means, Template};
use mangle_documents::layout::{Attached, AttachedKind, PdfWish, Standard, Typesetter};

use crate::signing::fields_of;
use crate::store::rounds::RoundField;

/// What the check of one record gives.
pub type Checked = Result<(Filled, Outline), Vec<Finding>>;

/// Fills a template for a record, and checks its name and deliveries.
pub fn filled(plan: &Plan, template: &dyn Template, scope: &Scope<'_>, means: Means<'_>, purpose: Purpose) -> Checked {
    let (filled, errors) = match template.fill_with(scope, means) {
        Ok(filled) => (Some(filled), Vec::new()),
        Err(errors) => (None, errors),
    };
    let outline = check(plan, scope, errors, purpose)?;
    let missing = missing_pictures(&outline, scope, means);
    if !missing.is_empty() {
        return Err(missing);
    }
    Ok((filled.ok_or_else(Vec::new)?, outline))
}

/// What is wrong with the pictures that messages show.
fn missing_pictures(outline: &Outline, scope: &Scope<'_>, means: Means<'_>) -> Vec<Finding> {
    let mut findings = Vec::new();
    for planned in &outline.deliveries {
        for name in planned.parcel.iter().flat_map(|parcel| &parcel.pictures) {
            if let Err(fault) = means.pictures.load(name) {
                let target = Target::Channel { channel: planned.channel, field: "message".into() };
                findings.push(Finding::new(scope.record.number, Diagnostic::error("picture", fault.to_string()).about(target)));
            }
        }
    }
    findings
}

/// A document that was made.
#[derive(Debug)]
pub struct Made {
    /// Its format.
    pub format: Format,
    /// What is in it.
    pub bytes: Vec<u8>,
    /// How many pages it has, where it has pages.
    pub pages: Option<usize>,
    /// Where signers fill something in.
    pub fields: Vec<RoundField>,
}

/// Why a document can't be made.
#[derive(Debug)]
pub struct MakeFault {
    /// A short name for programs.
    pub code: &'static str,
    /// Which of the documents: docx or pdf.
    pub place: &'static str,
    /// What is wrong.
    pub message: String,
}

/// The documents of a record in the formats that the plan asks for, at a moment; a proof is a PDF
/// in any case, and marked as one.
pub fn documents(
    plan: &Plan,
    template: &dyn Template,
    record: &Record,
    (filled, outline): (&Filled, &Outline),
    (moment, proof): (DateTime, bool),
) -> Result<Vec<Made>, MakeFault> {
    let wanted = Format::ALL.iter().copied().filter(|format| plan.makes(*format) || (proof && *format == Format::Pdf));
    let made = wanted.map(|format| match format {
        Format::Docx => {
            let bytes = template.write(filled).map_err(|e| MakeFault { code: e.code(), place: "docx", message: e.to_string() })?;
            Ok(Made { format, bytes, pages: None, fields: Vec::new() })
        }
        Format::Pdf => {
            let made = pdf(plan, template, record, (filled, outline), (moment, proof));
            let (bytes, pages, fields) = made.map_err(|e| MakeFault { code: "pages", place: "pdf", message: format!("{e:#}") })?;
            Ok(Made { format, bytes, pages: Some(pages), fields })
        }
    });
    made.collect()
}

/// The typeset pages of a filled template.
pub fn page_of(template: &dyn Template, filled: &Filled, typesetter: &Typesetter<'_>) -> Result<Bound> {
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

/// The record's PDF as the plan wants it, and how many pages it has.
fn pdf(
    plan: &Plan,
    template: &dyn Template,
    record: &Record,
    (filled, outline): (&Filled, &Outline),
    (moment, proof): (DateTime, bool),
) -> Result<(Vec<u8>, usize, Vec<RoundField>)> {
    let (standard, attach) = plan.pdf;
    let attachment = attachment(attach, record)?;
    let attached = attachment.as_ref().map(|(kind, bytes)| Attached { kind: *kind, bytes });
    let pages = page_of(template, filled, &Typesetter { proof, attached, ..Typesetter::default() })?;
    let standard = match standard {
        PdfStandard::Plain => None,
        PdfStandard::A2b => Some(Standard::A2b),
        PdfStandard::A3b => Some(Standard::A3b),
        PdfStandard::Ua1 => Some(Standard::Ua1),
    };
    let count = pages.page_count();
    let fields = if outline.round.is_some() { fields_of(&pages, filled) } else { Vec::new() };
    let pdf = pages.pdf_as(PdfWish { title: &outline.file_name, moment, standard, password: outline.password.as_deref() })?;
    Ok((pdf, count, fields))
}
