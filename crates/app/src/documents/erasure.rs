//! A person's data: found wherever it is, and erased on request. What stays is an entry in a log that
//! says how much of what was erased, and nothing of the person.

use std::collections::{BTreeMap, BTreeSet};

use anyhow::Result;
use mangle_core::records::{View, label, shown};
use mangle_core::value::Value;
use serde::{Deserialize, Serialize};

use super::removal::{delete, forget};
use crate::prepare::blocking;
use crate::store::erasures;
use crate::store::rows::{self, Edits};
use crate::store::search::{self, FoundDocument, Search};
use crate::store::{sheets, specimens};
use crate::{App, Error, Outcome, clock, jobs};

pub use crate::store::erasures::{Erased, ErasureInfo};

/// The most that is found, and erased, at a time.
const MOST: usize = 500;

/// A row that holds a person's data.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct PersonRow {
    /// The sheet's number.
    pub sheet: i64,
    /// The source's and sheet's name.
    pub source: String,
    /// The row's number.
    pub row: usize,
    /// What the record is called.
    pub label: String,
    /// The cells that hold what is looked for.
    pub cells: Vec<String>,
}

/// A place that holds a person's data and has to be looked at by hand.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct PersonPlace {
    /// Where: a CRM query, a test case.
    pub what: String,
    /// Its name.
    pub name: String,
    /// Its address in the application.
    pub to: String,
}

/// Where a person's data is found.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct PersonFound {
    /// Rows and answers.
    pub rows: Vec<PersonRow>,
    /// Documents, with their deliveries, signing rounds and history.
    pub documents: Vec<FoundDocument>,
    /// What Mangle can't erase by itself.
    pub elsewhere: Vec<PersonPlace>,
    /// Whether there is more than is told.
    pub more: bool,
}

/// What is to be erased.
#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Erase {
    /// Rows: the sheet and the row's number.
    pub rows: Vec<(i64, usize)>,
    /// Documents, by their items.
    pub items: Vec<i64>,
    /// What is noted of it, such as the number of the request; not the person's name.
    #[serde(default)]
    pub note: String,
}

/// Finds a person's data: an e-mail address, a name, a number.
pub async fn person(app: &App, text: String) -> Outcome<PersonFound> {
    let text = text.trim().to_owned();
    if text.chars().count() < 3 {
        return Err(Error::unusable("short", "enter at least 3 characters, e.g. an e-mail address"));
    }
    let sources = app.store.read(sheets::sources).await?;
    let (mut rows, mut elsewhere, mut more) = (Vec::new(), Vec::new(), false);
    for source in sources {
        let id = source.id;
        for info in app.store.with(move |c| sheets::sheets_of(c, id)).await? {
            let loaded = app.sheet(info.id).await?;
            let (find, name) = (text.clone(), format!("{}, {}", source.name, info.name));
            let asked = info.columns.iter().any(|column| column.asked);
            let context = mangle_core::language::Context::new(mangle_core::value::Locale::english(), app.now());
            let found = blocking(move || -> Vec<PersonRow> {
                // What a relation adds is erased where it is.
                let own = info.columns.len();
                let view = View { find: &find, inside: Some(own), ..View::default() };
                let one = |at: &usize| {
                    let record = &loaded.sheet.records[*at];
                    let mut cells = Vec::new();
                    holding(record.values().get(..own).unwrap_or_default(), &find.to_lowercase(), &mut cells);
                    let cells = cells.into_iter().take(3).map(|cell| cell.chars().take(80).collect()).collect();
                    PersonRow { sheet: info.id, source: name.clone(), row: record.number, label: label(record, ""), cells }
                };
                view.rows(&loaded.sheet, &context).iter().map(one).collect()
            })
            .await?;
            match asked {
                false => rows.extend(found),
                true if found.is_empty() => {}
                true => elsewhere.push(PersonPlace {
                    what: "CRM query: erase it in the CRM, then refresh".into(),
                    name: format!("{}, {}", source.name, info.name),
                    to: format!("/sheets/{}", info.id),
                }),
            }
        }
    }
    let find = text.clone();
    let (mut documents, cases) = app
        .store
        .read(move |c| -> Result<_> {
            let all = Search { text: find.clone(), ..Search::default() };
            let mut documents = search::list(c, &all, MOST + 1)?;
            documents.extend(search::list(c, &Search { proofs: true, ..all }, MOST + 1)?);
            Ok((documents, specimens::holding(c, &find)?))
        })
        .await?;
    for (template, template_name, case) in cases {
        let name = format!("{template_name}, {case}");
        elsewhere.push(PersonPlace {
            what: "Test case of a template: delete it there".into(),
            name,
            to: format!("/templates/{template}/test-cases"),
        });
    }
    for list in [rows.len(), documents.len()] {
        more |= list > MOST;
    }
    rows.truncate(MOST);
    documents.truncate(MOST);
    Ok(PersonFound { rows, documents, elsewhere, more })
}

/// The values that hold a text, those of records within a record included, as they are shown.
fn holding(values: &[Value], wanted: &str, found: &mut Vec<String>) {
    for value in values {
        match value {
            Value::List(items) => holding(items, wanted, found),
            Value::Record(record) => holding(record.values(), wanted, found),
            other => found.extend(Some(shown(other)).filter(|text| text.to_lowercase().contains(wanted))),
        }
    }
}

/// Erases rows and documents for good; what stays is the log's entry.
pub async fn erase(app: &App, what: Erase) -> Outcome<ErasureInfo> {
    let Erase { rows: chosen, items, note } = what;
    if chosen.is_empty() && items.is_empty() {
        return Err(Error::unusable("nothing", "nothing selected. Select what is to be erased."));
    }
    if chosen.len() > MOST || items.len() > MOST {
        return Err(Error::unusable("too-many", format!("at most {MOST} rows and documents at a time. Do it in steps.")));
    }
    let mut by_sheet: BTreeMap<i64, BTreeSet<usize>> = BTreeMap::new();
    for (sheet, row) in chosen {
        by_sheet.entry(sheet).or_default().insert(row);
    }
    let who = app.actor();
    let done = app.store.change(move |t| -> Outcome<_> {
        let (at, mut files, mut runs) = (clock::stamp(), Vec::new(), BTreeSet::new());
        let mut erased = Erased::default();
        for (sheet, rows) in by_sheet {
            let info = sheets::sheet(t, sheet)?.ok_or_else(|| Error::missing("the sheet"))?;
            if info.columns.iter().any(|column| column.asked) {
                return Err(Error::conflict("asked", "erase rows of a CRM query in the CRM, then refresh them here"));
            }
            let edits = Edits { removed: rows.iter().copied().collect(), ..Edits::default() };
            sheets::counted(t, || rows::edit(t, sheet, &edits, None, "Erase a person", &at))?;
            files.extend(erasures::forget_rows(t, sheet, &rows)?);
            *erased.rows.entry(info.name).or_default() += rows.len();
        }
        for item in items {
            let document = search::get(t, item)?.ok_or_else(|| Error::missing("the document"))?;
            if !document.removed.is_empty() {
                continue;
            }
            let Some(used) = forget(t, (item, document.run), who, "erased on request", &at)? else {
                let message = "a document is being delivered right now. Try again in a moment; nothing was erased.";
                return Err(Error::conflict("going", message));
            };
            files.extend(used);
            runs.insert(document.run);
            *erased.documents.entry(document.dispatch_name).or_default() += 1;
        }
        search::compact(t)?;
        let id = erasures::add(t, who, &note, &erased, &at)?;
        Ok((ErasureInfo { id, at, who: who.word().to_owned(), note, erased }, files, runs))
    });
    let (info, files, runs) = done.await?;
    delete(app, files).await?;
    app.forget_sheets();
    runs.into_iter().for_each(|run| jobs::changed(app, run));
    if let Err(error) = app.store.rewrite().await {
        tracing::error!(error = format!("{error:#}"), "the store can't be written anew after an erasure");
        let message = "everything selected was erased, but the store couldn’t be rewritten, so its file may still hold traces. Free disk space; the next erasure rewrites it.";
        return Err(Error::conflict("traces", message));
    }
    Ok(info)
}

/// The log of what was erased, the newest first.
pub async fn erasures(app: &App) -> Outcome<Vec<ErasureInfo>> {
    Ok(app.store.with(|c| erasures::list(c)).await?)
}
