//! Preflight: every chosen record checked against the dispatch.

use std::collections::{BTreeSet, HashSet};

use futures::{Stream, StreamExt};
use mangle_core::diagnostic::{Diagnostic, Target};
use mangle_core::dispatch::{Choose, Station, name_uses};
use mangle_core::language::Folded;
use mangle_core::preflight::{Fields, Finding, Fix, Found, Note, Summary, Totals, causes, gather_notes};
use mangle_core::records::{ColumnType, Record};
use mangle_core::template::{Placeholder, TextTemplate};
use mangle_core::words::counted;
use mangle_documents::formats::Template;
use serde::Serialize;
use tokio::sync::mpsc;
use tokio_stream::wrappers::ReceiverStream;
use tokio_util::sync::CancellationToken;

use super::{find, ready_beside, totals};
use crate::prepare::Prepared;
use crate::{App, Error, Outcome, jobs, ledger};

/// What is wrong with some records, for one reason.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct CauseInfo {
    /// What is wrong and what to do.
    #[serde(flatten)]
    what: Diagnostic,
    /// The placeholders at fault.
    placeholders: Vec<String>,
    /// What puts it right, beside leaving the records out.
    fix: Option<FixInfo>,
    /// Its records, in the order of the rows.
    pub records: Vec<FoundInfo>,
}

/// An act that puts a cause right.
#[derive(Debug, Clone, Serialize)]
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
#[derive(Debug, Clone, Serialize)]
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
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct PreflightView {
    /// How many records were checked.
    pub checked: usize,
    /// How many are to be checked.
    pub count: usize,
    /// Whether all were checked, also against one another.
    pub complete: bool,
    /// How many of them have something wrong.
    pub wrong: usize,
    /// What is wrong, by its cause, that of most records first.
    causes: Vec<CauseInfo>,
    /// What stops nothing but may surprise the recipient.
    pub notes: Vec<NoteInfo>,
    /// What a run comes to; none while the check goes on, and where it was not asked for.
    pub totals: Option<Totals>,
    /// What the last run came to; none where there is none.
    pub last: Option<LastTotals>,
}

/// What the last run came to.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct LastTotals {
    /// The run's number.
    run: i64,
    /// When it was started.
    at: String,
    /// What it came to.
    totals: Totals,
}

/// What was noticed of some records.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct NoteInfo {
    /// What a person should know.
    #[serde(flatten)]
    pub what: Diagnostic,
    /// The rows that it is of.
    pub rows: Vec<usize>,
}

/// What to call the record of a document that serves so many.
pub fn of_all(records: usize) -> String {
    format!("all {}", counted(records, "record", "records"))
}

impl App {
    /// Checks every chosen record of a dispatch. Whoever drops this stops the check.
    pub async fn preflight(&self, key: &str) -> Outcome<PreflightView> {
        let mut views = self.preflight_in_parts(key, true).await?;
        let mut last = Err(anyhow::anyhow!("the check gave nothing").into());
        while let Some(view) = views.next().await {
            last = view;
        }
        last
    }

    /// The same, with what is found while the check goes on: the last view is the whole one. What the
    /// run comes to beside the last one is worked out only where it is asked for.
    pub async fn preflight_in_parts(&self, key: &str, totals: bool) -> Outcome<impl Stream<Item = Outcome<PreflightView>> + Send + use<>> {
        let dispatch = find(self, key).await?;
        let (prepared, _) = ready_beside(self, &dispatch, totals || dispatch.setup.choose == Choose::Changed).await?;
        let key = dispatch.key;
        let month = ledger::month_begins(self);
        let before = match totals {
            true => self.store.read(move |c| totals::before(c, &key, &month)).await?,
            false => totals::Before::default(),
        };
        let (to, views) = mpsc::channel(2);
        let wanted = CancellationToken::new();
        let guard = wanted.clone().drop_guard();
        tokio::task::spawn_blocking(move || {
            // A view that nobody has taken yet says enough: the next one says more.
            let found = findings(&prepared, &wanted, &mut |view| drop(to.try_send(Ok(view))));
            let found = found.and_then(|(view, checked)| {
                // What is wrong is told before pages are counted.
                let _ = to.try_send(Ok(PreflightView { complete: false, ..view.clone() }));
                match totals {
                    true => with_totals(&prepared, view, checked, &before, &wanted),
                    false => Ok(noted(view, checked.notes)),
                }
            });
            // Nobody waits for what was cancelled.
            let _ = to.blocking_send(found);
        });
        Ok(ReceiverStream::new(views).inspect(move |_| _ = &guard))
    }
}

/// What is wrong with the chosen records; the check stops once it is cancelled. `tell` hears what
/// is found while it goes on.
pub(super) fn findings(
    prepared: &Prepared,
    wanted: &CancellationToken,
    tell: &mut dyn FnMut(PreflightView),
) -> Outcome<(PreflightView, Checked)> {
    let Some(template) = &prepared.template else {
        return Err(Error::conflict("not-ready", "choose a template and a source first"));
    };
    let (chosen, unclear) = prepared.chosen()?;
    let count = chosen.len();
    // Open ties are told once as such, not again with every record.
    let tied = prepared.ties().iter().all(|t| t.column.is_some());
    let all = || if prepared.plan.joint { of_all(count) } else { String::new() };
    let of = |row: usize| prepared.sheet.as_ref().and_then(|s| s.sheet.record(row)).map_or_else(all, |record| prepared.label(record));
    let view = |findings: Vec<Finding>, checked: usize, complete: bool| {
        let findings: Vec<Finding> = findings.into_iter().filter(|f| tied || f.what.code != "unknown-name").collect();
        let wrong: BTreeSet<usize> = findings.iter().map(|f| f.record).collect();
        let found = |found: Found| FoundInfo { row: found.record, label: of(found.record), text: found.text, message: found.message };
        let known = Known { prepared, template: &**template };
        let causes = causes(findings, &known).into_iter().map(|cause| CauseInfo {
            what: cause.what,
            placeholders: cause.placeholders,
            fix: cause.fix.and_then(|fix| fix_info(fix, prepared)),
            records: cause.found.into_iter().map(found).collect(),
        });
        let (notes, totals, last) = (Vec::new(), None, None);
        PreflightView { checked, count, complete, wrong: wrong.len(), causes: causes.collect(), notes, totals, last }
    };
    let documents = prepared.documents(&chosen);
    let documents: Vec<&Record> = documents.iter().map(AsRef::as_ref).collect();
    let found = jobs::check_all(prepared, &**template, &documents, wanted, &mut |so_far| {
        tell(view(so_far.findings.clone(), so_far.checked.min(count), false));
    });
    let mut findings = found.findings;
    let filter = Target::Setup { station: Station::Records, field: "filter".into() };
    findings.extend(unclear.into_iter().map(|(record, message)| {
        let what = Diagnostic::error("filter", message).about(filter.clone()).within(&*prepared.setup.filter);
        Finding { record, what, column: None, text: None }
    }));
    Ok((view(findings, count, true), Checked { notes: found.notes, summaries: found.summaries }))
}

/// What a check has noticed, and what becomes of the records with which nothing is wrong.
pub(super) struct Checked {
    notes: Vec<(usize, Note)>,
    summaries: Vec<Summary>,
}

/// With what the run comes to, beside the one before, and all that was noticed.
fn with_totals(
    prepared: &Prepared,
    view: PreflightView,
    checked: Checked,
    before: &totals::Before,
    wanted: &CancellationToken,
) -> Outcome<PreflightView> {
    let Some(template) = &prepared.template else { return Ok(view) };
    let Checked { mut notes, summaries } = checked;
    let (chosen, _) = prepared.chosen()?;
    let documents = prepared.documents(&chosen);
    let whole: HashSet<usize> = summaries.iter().map(|summary| summary.record).collect();
    let records: Vec<&Record> = documents.iter().map(AsRef::as_ref).filter(|record| whole.contains(&record.number)).collect();
    let (now, longer) = totals::of_now(prepared, &**template, &records, &summaries, wanted);
    notes.extend(longer);
    let same = |row: &usize| prepared.served.get(row).is_some_and(|served| served.run.is_some() && !served.changed);
    if !prepared.plan.joint {
        notes.extend(chosen.iter().map(|record| record.number).filter(same).map(|row| (row, Note::SameAsLast)));
    }
    if let Some(monthly_limit) =
        prepared.setup.monthly_limit.map(|most| most as usize).filter(|most| before.this_month + records.len() > *most)
    {
        notes.push((0, Note::BeyondMonthlyLimit { made: before.this_month + records.len(), monthly_limit }));
    }
    let last = before.last.as_ref().map(|before| (before, totals::of_last(prepared, before)));
    if let Some((_, last)) = last.as_ref().filter(|_| view.wrong == 0) {
        notes.extend(now.far_from(last).into_iter().map(|what| (0, Note::FarFromLast(what))));
    }
    let last = last.map(|(before, totals)| LastTotals { run: before.run.id, at: before.run.started.clone(), totals });
    Ok(noted(PreflightView { totals: Some(now), last, ..view }, notes))
}

/// With what was noticed.
fn noted(view: PreflightView, notes: Vec<(usize, Note)>) -> PreflightView {
    let notes = gather_notes(notes).into_iter().map(|n| NoteInfo { what: n.note.diagnostic(), rows: n.records }).collect();
    PreflightView { notes, ..view }
}

/// What a dispatch knows of its placeholders' fields.
struct Known<'a> {
    prepared: &'a Prepared,
    template: &'a dyn Template,
}

impl Fields for Known<'_> {
    fn printed_by(&self, target: &Target, placeholder: &str) -> Option<String> {
        let plan = &self.prepared.plan;
        let texts: Vec<&TextTemplate> = match target {
            Target::Channel { channel, field } => {
                let own = plan.channels.iter().filter(|own| own.index == *channel);
                own.flat_map(|own| own.texts()).filter(|(of, _)| of == field).map(|(_, text)| text).collect()
            }
            _ => Vec::new(),
        };
        let all: Vec<&Placeholder> = texts.iter().flat_map(|text| text.placeholders()).chain(self.template.placeholders()).collect();
        // An address that is blank has no placeholder of its own: it is that of its field.
        let own = all.iter().find(|p| p.text == placeholder).or(all.first())?;
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
