//! A document that a person changes in a word processor: taken out, put back as its next version.

use mangle_core::dispatch::Format;
use mangle_core::preflight::Purpose;
use mangle_core::records::{Record, read_kept};
use mangle_core::template::compare;
use mangle_documents::layout::Typesetter;
use serde::Serialize;

use crate::jobs;
use crate::jobs::check_one;
use crate::making::{documents, filled, page_of};
use crate::pages::{Pages, TraceInfo};
use crate::prepare::{Prepared, blocking};
use crate::store::documents::{self as stored, Kind, NewDocument};
use crate::store::events::{self, About};
use crate::store::items::{self, ItemWork};
use crate::store::runs::RunWork;
use crate::store::search::{self, FoundDocument};
use crate::store::{Connection, rounds};
use crate::templates::versions::ChangeInfo;
use crate::transfer::{Download, Upload};
use crate::{App, Error, Outcome, clock};

/// What an edited document came to.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct EditedDocument {
    /// How many pages its PDF has; none where no PDF is made.
    pub pages: Option<usize>,
    /// The lines that differ from the version before.
    pub changes: Vec<ChangeInfo>,
}

/// Why a record's document can't be edited; none where it can.
pub(super) fn fixed(c: &Connection, document: &FoundDocument, item: i64) -> anyhow::Result<Option<String>> {
    if !document.removed.is_empty() {
        return Ok(Some("the document was removed".into()));
    }
    if rounds::of_item(c, item)?.is_some() {
        return Ok(Some("the document is signed or out for signature. Withdraw the signing round and run the record again.".into()));
    }
    if stored::is_running_part(c, item)? {
        return Ok(Some("the document is part of a running document. Run the record again.".into()));
    }
    Ok(None)
}

/// The record that an item was made of.
fn record_of(prepared: &Prepared, work: &RunWork, item: &ItemWork) -> anyhow::Result<Record> {
    let schema = work.schema.as_ref().unwrap_or(&prepared.schema);
    read_kept(schema, item.row, &item.record).map_err(|e| anyhow::anyhow!("{e}"))
}

/// The document of an item as a word processor takes it: its newest version, or made anew where its
/// dispatch makes PDFs alone.
pub async fn word_processor(app: &App, item: i64) -> Outcome<Download> {
    let (document, work, docx) = of_item(app, item).await?;
    let name = format!("{}.docx", document.file_name);
    let bytes = match docx {
        Some(bytes) => bytes,
        None => anew(app, work).await?,
    };
    Ok(Download::new(Format::Docx.media_type(), &name, bytes))
}

/// What an item is, and its DOCX where it has one.
async fn of_item(app: &App, item: i64) -> Outcome<(FoundDocument, ItemWork, Option<Vec<u8>>)> {
    let found = app.store.read(move |c| -> Outcome<_> {
        let document = search::get(c, item)?.ok_or_else(|| Error::missing("the document"))?;
        let work = items::get(c, item)?.ok_or_else(|| Error::missing("the document"))?;
        if let Some(why) = fixed(c, &document, item)? {
            return Err(Error::conflict("fixed", why));
        }
        Ok((document, work, stored::of_item(c, item)?.into_iter().find(|own| own.format == Format::Docx)))
    });
    let (document, work, docx) = found.await?;
    let docx = match docx {
        Some(docx) => Some(app.files.get(&docx.file).await?),
        None => None,
    };
    Ok((document, work, docx))
}

/// The DOCX of an item, made as it was when its run made the PDF.
async fn anew(app: &App, item: ItemWork) -> Outcome<Vec<u8>> {
    let (prepared, work) = jobs::prepared(app, item.run_id).await?;
    blocking(move || -> Outcome<Vec<u8>> {
        let template = prepared.template.as_ref().ok_or_else(|| Error::missing("the template"))?;
        if !template.writes() {
            return Err(Error::conflict("no-docx", "this document contains fixed PDFs, so it can't be edited as DOCX"));
        }
        let record = record_of(&prepared, &work, &item)?;
        let (filled, _) = check_one(&prepared, &**template, &record, (item.position, work.count), Purpose::Proof).map_err(|_| {
            Error::conflict("findings", "the document can't be created again: the record has findings. Fix them in preflight.")
        })?;
        Ok(template.write(&filled)?)
    })
    .await?
}

/// Where the values of a record's document come from: its pages as it was made, with marks.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct DocumentTrace {
    /// The pages; their marks are entries of the trace.
    #[serde(flatten)]
    pub pages: Pages,
    /// What each placeholder did.
    pub trace: Vec<TraceInfo>,
}

/// Where the values of an item's document came from when it was made; what was edited since is not in
/// it.
pub async fn trace(app: &App, item: i64) -> Outcome<DocumentTrace> {
    let found = app.store.read(move |c| -> anyhow::Result<_> { Ok((search::get(c, item)?, items::get(c, item)?)) }).await?;
    let (Some(document), Some(item)) = found else { return Err(Error::missing("the document")) };
    if !document.removed.is_empty() {
        return Err(Error::conflict("removed", "the document was removed, and its values with it"));
    }
    let (prepared, work) = jobs::prepared(app, item.run_id).await?;
    blocking(move || -> Outcome<DocumentTrace> {
        let template = prepared.template.as_ref().ok_or_else(|| Error::missing("the template"))?;
        let record = record_of(&prepared, &work, &item)?;
        let context = prepared.context(&record, item.position, work.count);
        let traced = template.fill_traced(&prepared.scope(&record, &context), prepared.means());
        let made = page_of(&**template, &traced.filled, &Typesetter::default())?;
        Ok(DocumentTrace { pages: Pages::filled(&traced.filled, &made), trace: TraceInfo::of(traced.trace, template.placeholders()) })
    })
    .await?
}

/// The lines in which an item's newest DOCX differs from the version before.
pub async fn changes(app: &App, item: i64) -> Outcome<Vec<ChangeInfo>> {
    let found = app.store.read(move |c| -> anyhow::Result<_> {
        let mut versions = stored::versions(c, item)?;
        versions.retain(|own| own.format == Format::Docx);
        Ok((items::get(c, item)?, versions))
    });
    let (work, versions) = found.await?;
    let work = work.ok_or_else(|| Error::missing("the document"))?;
    let Some(newest) = versions.iter().find(|own| own.kind == "edited") else { return Ok(Vec::new()) };
    let newer = app.files.get(&newest.file).await?;
    let older = match versions.iter().find(|own| own.version < newest.version) {
        Some(before) => app.files.get(&before.file).await?,
        None => anew(app, work).await?,
    };
    let fonts = app.fonts().await?;
    let lines = move |bytes: Vec<u8>| -> Outcome<Vec<String>> { Ok(mangle_documents::formats::open("a.docx", bytes, &fonts)?.lines()?) };
    blocking(move || Ok(compare(&lines(older)?, &lines(newer)?).into_iter().map(Into::into).collect())).await?
}

/// Takes a DOCX that a person changed as the next version of an item's document; its PDF is made of
/// it. What was not delivered yet gets the new version.
pub async fn edited(app: &App, item: i64, file: Upload) -> Outcome<EditedDocument> {
    let (document, work, docx) = of_item(app, item).await?;
    let before = match docx {
        Some(bytes) => bytes,
        None => anew(app, work.clone()).await?,
    };
    let (prepared, run) = jobs::prepared(app, work.run_id).await?;
    let fonts = app.fonts().await?;
    let (name, upload) = (file.name, file.bytes);
    let made = blocking(move || -> Outcome<_> {
        let open = |name: &str, bytes: Vec<u8>| mangle_documents::formats::open(name, bytes, &fonts);
        if !name.to_lowercase().ends_with(".docx") {
            return Err(Error::unusable("not-docx", format!("“{name}” is not a DOCX file. Save it as DOCX in the word processor.")));
        }
        let template = open(&name, upload.clone())?;
        if !template.placeholders().is_empty() || !template.problems().is_empty() {
            return Err(Error::unusable(
                "placeholders",
                "the document contains placeholders. Edit the document of this record, not the template.",
            ));
        }
        let changes = compare(&open("before.docx", before)?.lines()?, &template.lines()?);
        let record = record_of(&prepared, &run, &work)?;
        let context = prepared.context(&record, work.position, run.count);
        let scope = prepared.scope(&record, &context);
        // To whom it goes was settled when it was made.
        let checked = filled(&prepared.plan, &*template, &scope, prepared.means(), Purpose::Proof);
        let (filled, mut outline) = checked
            .map_err(|_| Error::conflict("findings", "the document can't be created: the record has findings. Fix them in preflight."))?;
        outline.file_name.clone_from(&document.file_name);
        let moment = run.moment.parse().unwrap_or_else(|_| clock::now());
        let made = documents(&prepared.plan, &*template, &record, (&filled, &outline), (moment, false));
        let made = made.map_err(|fault| Error::conflict(fault.code, fault.message))?;
        let pdf = made.into_iter().find(|own| own.format == Format::Pdf);
        Ok((changes, pdf, document.file_name, upload))
    });
    let (changes, pdf, file_name, upload) = made.await??;
    let pages = pdf.as_ref().and_then(|own| own.pages);
    let size = upload.len();
    let docx =
        NewDocument { format: Format::Docx, file: app.files.keep(upload).await?, name: format!("{file_name}.docx"), pages: None, size };
    let mut all = vec![docx];
    if let Some(pdf) = pdf {
        let size = pdf.bytes.len();
        let file = app.files.keep(pdf.bytes).await?;
        all.push(NewDocument { format: Format::Pdf, file, name: format!("{file_name}.pdf"), pages, size });
    }
    let who = app.actor();
    let run = app.store.change(move |t| -> Outcome<i64> {
        let (document, work) = (search::get(t, item)?.ok_or_else(|| Error::missing("the document"))?, items::get(t, item)?);
        // Somebody may have signed, or removed it, meanwhile.
        if let Some(why) = fixed(t, &document, item)? {
            return Err(Error::conflict("fixed", why));
        }
        let (run, at) = (work.map_or(document.run, |work| work.run_id), clock::stamp());
        for new in &all {
            stored::replace(t, item, new, Kind::Edited, &at)?;
        }
        events::add(t, who, About::item(run, item), "edited", &name_of(&all), &at)?;
        Ok(run)
    });
    let run = run.await?;
    jobs::changed(app, run);
    Ok(EditedDocument { pages, changes: changes.into_iter().map(Into::into).collect() })
}

fn name_of(all: &[NewDocument]) -> String {
    all.last().map(|new| new.name.clone()).unwrap_or_default()
}
