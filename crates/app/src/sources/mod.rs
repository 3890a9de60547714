//! Sources: bringing workbooks in; what is done with their sheets stands in a file
//! each.

pub mod again;
pub mod columns;
pub mod export;
pub mod files;
pub mod filters;
pub mod header;
pub mod import;
pub mod relations;
pub mod rows;

use mangle_core::records::{RawSheet, Recognised, recognise_as};
use mangle_core::words::counted;
use serde::Deserialize;

use crate::prepare::blocking;
use crate::store::settings;
use crate::store::sheets::{self, SheetInfo, Source};
use crate::transfer::Upload;
use crate::{App, Error, Outcome};

/// All sources, the newest first.
pub async fn list(app: &App) -> Outcome<Vec<Source>> {
    Ok(app.store.with(|c| sheets::sources(c)).await?)
}

/// Import a CSV, XLSX or ODS file as a source.
pub async fn bring_in(app: &App, uploads: Vec<Upload>) -> Outcome<Source> {
    let mut last = None;
    for upload in uploads {
        last = Some(keep(app, upload).await?);
    }
    last.ok_or_else(|| Error::missing("the file"))
}

/// The sheets of a file, with what their columns hold.
async fn read(app: &App, name: &str, bytes: Vec<u8>) -> Outcome<Vec<(RawSheet, Recognised)>> {
    let file_name = name.to_owned();
    let home = app.store.with(|c| settings::read(c)).await?.home().reading();
    let read = blocking(move || {
        let sheets = mangle_documents::table::read(&file_name, bytes.into())?;
        let recognised = sheets.into_iter().map(|raw| {
            let found = recognise_as(&raw, home);
            (raw, found)
        });
        Ok::<_, mangle_documents::OpenError>(recognised.collect())
    })
    .await?;
    read.map_err(|e| Error::unusable(e.code(), format!("“{name}”: {e}")))
}

/// Reads a file and keeps its sheets; nothing is kept of a file that can't be used. It is done
/// as a job: one that the end of the program interrupts is done at its next start.
pub async fn keep(app: &App, upload: Upload) -> Outcome<Source> {
    let job = import::ask(app, upload).await?;
    import::done(app, job).await
}

/// A table as it was on the clipboard.
#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Pasted {
    /// What the workbook is to be called.
    #[serde(default)]
    pub name: String,
    /// Lines of cells parted by tabs, commas or semicolons; the first names the columns.
    pub text: String,
}

/// Makes a workbook of a pasted table.
pub async fn paste(app: &App, pasted: Pasted) -> Outcome<Source> {
    let name = match pasted.name.trim() {
        "" => format!("Pasted {}", app.now().strftime("%Y-%m-%d %H.%M")),
        name => name.to_owned(),
    };
    keep(app, Upload { name, bytes: pasted.text.into_bytes() }).await
}

/// A new name.
#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct NewName {
    /// The name.
    pub name: String,
}

/// Renames a source.
pub async fn rename(app: &App, id: i64, new: NewName) -> Outcome<bool> {
    let name = new.name.trim().to_owned();
    if name.is_empty() {
        return Err(Error::unusable("no-name", "enter a name for the source"));
    }
    Ok(app.store.with(move |c| sheets::rename(c, id, &name)).await?)
}

/// Deletes a source that no dispatch and no run uses.
pub async fn remove(app: &App, id: i64) -> Outcome<bool> {
    let uses = app.store.with(move |c| sheets::uses(c, id)).await?;
    if uses > 0 {
        return Err(Error::conflict(
            "in-use",
            format!(
                "this source is used {}. Delete those dispatches first.",
                counted(uses as usize, "time by a dispatch or run", "times by dispatches and runs")
            ),
        ));
    }
    let gone = app.store.with(move |c| sheets::delete(c, id)).await?;
    app.forget_sheets();
    Ok(gone)
}

/// A sheet without its rows.
pub async fn sheet(app: &App, id: i64) -> Outcome<SheetInfo> {
    info(app, id).await
}

/// A sheet without its rows; its computed columns with the type of their values.
async fn info(app: &App, id: i64) -> Outcome<SheetInfo> {
    let found = app.store.with(move |c| sheets::sheet(c, id)).await?;
    let mut info = found.ok_or_else(|| Error::missing("the sheet"))?;
    if info.columns.iter().any(|c| c.formula.is_some()) {
        let loaded = app.sheet(id).await?;
        for (own, worked) in info.columns.iter_mut().zip(loaded.columns()).filter(|(own, _)| own.formula.is_some()) {
            (own.kind, own.currency) = (worked.kind, worked.currency);
        }
    }
    Ok(info)
}
