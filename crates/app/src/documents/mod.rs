//! Documents that were made: found, looked at, handed out as files, put right, sent again, removed.

mod again;
mod edited;
mod erasure;
mod found;
mod removal;
#[cfg(test)]
mod tests;

use std::io::Write;

use jiff::civil::DateTime;
use mangle_core::dispatch::Format;
use zip::write::SimpleFileOptions;

use crate::dispatches::find;
use crate::prepare::blocking;
use crate::store::documents::{self, DocumentInfo};
use crate::store::running::{self, RunningInfo};
use crate::transfer::Download;
use crate::{App, Error, Outcome, clock};

pub use again::Again;
pub use edited::{DocumentTrace, EditedDocument, changes, edited, trace, word_processor};
pub use erasure::{Erase, Erased, ErasureInfo, PersonFound, PersonPlace, PersonRow, erase, erasures, person};
pub use found::{DocumentDetail, FoundPage, Query, detail, found, selection_pdf, selection_zip, version};
pub(crate) use removal::work as removal_work;

/// The documents of a run in the store.
async fn of_run(app: &App, id: i64) -> Outcome<Vec<DocumentInfo>> {
    let found = app.store.with(move |c| documents::of_run(c, id)).await?;
    match found.is_empty() {
        true => Err(Error::conflict("no-documents", "no documents in this run yet")),
        false => Ok(found),
    }
}

/// All documents of a run as one ZIP.
pub async fn zip_of_run(app: &App, id: i64) -> Outcome<Download> {
    let run = app.run(id).await?;
    let made = run.finished.as_ref().unwrap_or(&run.started).parse().unwrap_or_else(|_| clock::now());
    zip(app, &format!("{} {}", run.dispatch_name, &run.started[..10]), of_run(app, id).await?, made).await
}

/// Documents as one ZIP, stamped with a moment.
async fn zip(app: &App, title: &str, documents: Vec<DocumentInfo>, made: DateTime) -> Outcome<Download> {
    let mut files = Vec::with_capacity(documents.len());
    for document in documents {
        files.push((document.name, app.files.get(&document.file).await?));
    }
    let bytes = blocking(move || pack(files, made)).await??;
    Ok(Download::new("application/zip", &format!("{title}.zip"), bytes))
}

fn pack(files: Vec<(String, Vec<u8>)>, made: DateTime) -> anyhow::Result<Vec<u8>> {
    let parts = [made.month(), made.day(), made.hour(), made.minute(), made.second()].map(|n| n as u8);
    let time = zip::DateTime::from_date_and_time(made.year() as u16, parts[0], parts[1], parts[2], parts[3], parts[4])?;
    let how = SimpleFileOptions::default().last_modified_time(time);
    let mut writer = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    let mut taken = std::collections::HashSet::new();
    for (name, bytes) in files {
        // Proofs of one record may share a name; files in one archive may not.
        let (stem, kind) = name.rsplit_once('.').unwrap_or((&name, ""));
        let mut own = name.clone();
        for number in 2.. {
            if taken.insert(own.to_lowercase()) {
                break;
            }
            own = format!("{}.{kind}", mangle_core::dispatch::numbered(stem, number));
        }
        writer.start_file(own, how)?;
        writer.write_all(&bytes)?;
    }
    Ok(writer.finish()?.into_inner())
}

/// All documents of a run as one joined PDF, with a bookmark for each.
pub async fn pdf_of_run(app: &App, id: i64) -> Outcome<Download> {
    let run = app.run(id).await?;
    let none = "this run has no PDFs. Download the ZIP.";
    joined(app, format!("{} {}", run.dispatch_name, &run.started[..10]), of_run(app, id).await?, none).await
}

/// The PDFs among documents as one, with a bookmark for each; `none` is said where there are none.
async fn joined(app: &App, title: String, documents: Vec<DocumentInfo>, none: &str) -> Outcome<Download> {
    let mut files = Vec::new();
    for document in documents.into_iter().filter(|d| d.format == Format::Pdf) {
        let title = document.name.strip_suffix(".pdf").unwrap_or(&document.name).to_owned();
        files.push((title, app.files.get(&document.file).await?));
    }
    if files.is_empty() {
        return Err(Error::conflict("no-documents", none));
    }
    let name = format!("{title}.pdf");
    let bytes = blocking(move || mangle_documents::pdf::join(&title, files)).await?.map_err(|e| Error::conflict("join", e.to_string()))?;
    Ok(Download::new("application/pdf", &name, bytes))
}

/// The running documents of a dispatch, the last changed first.
pub async fn running(app: &App, key: &str) -> Outcome<Vec<RunningInfo>> {
    let dispatch = find(app, key).await?;
    Ok(app.store.with(move |c| running::list(c, dispatch.id)).await?)
}

/// A running document: the PDFs that were added to it, in their order, with a bookmark for each.
pub async fn running_pdf(app: &App, key: &str, name: String) -> Outcome<Download> {
    let dispatch = find(app, key).await?;
    let (title, file_name) = (name.clone(), format!("{name}.pdf"));
    let found = app.store.with(move |c| running::files(c, dispatch.id, &name)).await?;
    if found.is_empty() {
        return Err(Error::missing("the running document"));
    }
    let mut files = Vec::with_capacity(found.len());
    for (name, file) in found {
        files.push((name, app.files.get(&file).await?));
    }
    let bytes = blocking(move || mangle_documents::pdf::join(&title, files)).await?.map_err(|e| Error::conflict("join", e.to_string()))?;
    Ok(Download::new("application/pdf", &file_name, bytes))
}

/// One document.
pub async fn document(app: &App, id: i64) -> Outcome<Download> {
    let found = app.store.with(move |c| documents::get(c, id)).await?.ok_or_else(|| Error::missing("the document"))?;
    let bytes = app.files.get(&found.file).await?;
    Ok(Download::new(found.format.media_type(), &found.name, bytes))
}
