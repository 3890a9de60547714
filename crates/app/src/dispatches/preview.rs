//! The page of one record as it will be made, and its message.

use std::borrow::Cow;

use mangle_core::channel::Shown;
use mangle_core::diagnostic::Diagnostic;
use mangle_core::preflight::{Planned, Purpose, check};
use mangle_core::records::Record;
use mangle_core::words::counted;
use mangle_documents::formats::TracedFill;
use mangle_documents::layout::Typesetter;
use serde::Serialize;

use crate::dispatches::{find, of_all, ready};
use crate::pages::{Pages, TraceInfo};
use crate::prepare::{Prepared, blocking};
use crate::{App, Error, Outcome, making};

/// The pages of one record as they will be made.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct PageView {
    /// The row.
    pub row: usize,
    /// What to call it.
    pub label: String,
    /// The pages; their marks are entries of the trace.
    #[serde(flatten)]
    pub pages: Pages,
    /// What each placeholder did.
    pub trace: Vec<TraceInfo>,
    /// The documents' name without extension.
    pub file_name: String,
    /// What each channel that is on will do.
    pub deliveries: Vec<PlannedView>,
    /// What is wrong with the record.
    pub findings: Vec<Diagnostic>,
    /// The record's values by template name, as they stand in the source.
    pub values: std::collections::BTreeMap<String, String>,
}

/// How many records of a joint document are shown while it is set up.
const MOST_SHOWN: usize = 500;

/// What one channel will do for a record.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct PlannedView {
    /// The channel's place in the set-up.
    pub channel: usize,
    /// The word of its kind.
    pub kind: String,
    /// What it is called.
    pub name: String,
    /// Whether its condition is false for the record: nothing is delivered then.
    pub skipped: bool,
    /// What is handed over: labels and texts.
    pub shown: Vec<Shown>,
}

impl From<Planned> for PlannedView {
    fn from(planned: Planned) -> PlannedView {
        PlannedView {
            channel: planned.channel,
            kind: planned.kind.to_owned(),
            name: planned.name,
            skipped: planned.parcel.is_none(),
            shown: planned.parcel.map(|parcel| parcel.shown).unwrap_or_default(),
        }
    }
}

/// The pages of one record as they will be made, or what is wrong with it.
pub async fn page(app: &App, key: String, row: usize) -> Outcome<PageView> {
    let dispatch = find(app, &key).await?;
    let (prepared, _) = ready(app, &dispatch).await?;
    blocking(move || view(&prepared, row)).await?
}

pub(super) fn view(prepared: &Prepared, row: usize) -> Outcome<PageView> {
    let (Some(template), Some(sheet)) = (&prepared.template, &prepared.sheet) else {
        return Err(Error::conflict("not-ready", "choose a template and a source to see the page"));
    };
    if !template.problems().is_empty() {
        return Err(Error::conflict(
            "template-problems",
            format!("the template has {}. Fix them to see the page.", counted(template.problems().len(), "problem", "problems")),
        ));
    }
    let at_hand = sheet.sheet.record(row).ok_or_else(|| Error::missing("the row"))?;
    let (chosen, _) = prepared.chosen()?;
    let number = chosen.iter().position(|r| r.number == row).map_or(1, |at| at + 1);
    let (record, label, number, count) = match prepared.plan.joint {
        false => (Cow::Borrowed(at_hand), prepared.label(at_hand), number, chosen.len().max(1)),
        true => {
            let shown = &chosen[..chosen.len().min(MOST_SHOWN)];
            let label = match shown.len() == chosen.len() {
                true => of_all(shown.len()),
                false => format!("the first {MOST_SHOWN} of {} records", chosen.len()),
            };
            let record = prepared.documents(shown).pop().ok_or_else(|| Error::missing("the row"))?;
            (record, label, 1, 1)
        }
    };
    let record = record.as_ref();
    let context = prepared.context(record, number, count);
    let scope = prepared.scope(record, &context);
    let mut view = PageView {
        row,
        label,
        pages: Pages::default(),
        trace: Vec::new(),
        file_name: String::new(),
        deliveries: Vec::new(),
        findings: Vec::new(),
        values: values(prepared, record),
    };
    // The page is shown whatever is wrong: what fails is marked in its place.
    let TracedFill { filled, errors, trace } = template.fill_traced(&scope, prepared.means());
    match check(&prepared.plan, &scope, errors, Purpose::Run) {
        Ok(outline) => {
            view.file_name = outline.file_name;
            view.deliveries = outline.deliveries.into_iter().map(Into::into).collect();
        }
        Err(findings) => view.findings = findings.into_iter().map(|finding| finding.what).collect(),
    }
    view.pages = Pages::filled(&filled, &making::page_of(&**template, &filled, &Typesetter::default())?);
    view.trace = TraceInfo::of(trace, template.placeholders());
    Ok(view)
}

fn values(prepared: &Prepared, record: &Record) -> std::collections::BTreeMap<String, String> {
    use mangle_core::language::Folded;
    use mangle_core::records::sample;
    use mangle_core::value::Locale;
    let english = Locale::english();
    let ties = prepared.ties();
    let shown = ties.into_iter().filter_map(|tie| {
        let text = sample(record.get(&Folded::new(tie.column.as_deref()?))?, &english);
        Some((tie.name, text))
    });
    shown.collect()
}
