//! A sheet as a file.

use mangle_documents::table::{Format, write};
use serde::Deserialize;

use super::rows::Look;
use crate::prepare::blocking;
use crate::transfer::Download;
use crate::{App, Error, Outcome};

/// What kind of file.
#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::IntoParams))]
pub struct Kind {
    /// csv, xlsx, ods or json.
    pub format: String,
}

/// The rows of a sheet as a file: those looked at, in their order.
pub async fn export(app: &App, id: i64, look: Look, kind: Kind) -> Outcome<Download> {
    let format = Format::parse(&kind.format)
        .ok_or_else(|| Error::unusable("format", format!("“{}” is not a supported format. Choose csv, xlsx, ods or json.", kind.format)))?;
    let loaded = app.sheet(id).await?;
    let name = format!("{}.{}", loaded.sheet.name, format.extension());
    let now = app.now();
    let bytes = blocking(move || -> Outcome<Vec<u8>> {
        let records: Vec<_> = look.rows(&loaded, now)?.iter().map(|at| &loaded.sheet.records[*at]).collect();
        write(format, &loaded.sheet.name, loaded.sheet.schema.columns(), &records).map_err(|e| Error::unusable(e.code(), e.to_string()))
    })
    .await??;
    Ok(Download::new(format.media_type(), &name, bytes))
}
