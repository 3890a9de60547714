//! The office's printers.

use mangle_channels::print;
pub use mangle_channels::print::PrinterInfo;
use mangle_core::channel::PrinterAddress;
use serde::{Deserialize, Serialize};

use crate::prepare::blocking;
use crate::store::settings;
use crate::{App, Error, Outcome};

/// The kind of channel.
const KIND: &str = "print";

/// Tells the channel which printers there are.
pub(crate) async fn apply(app: &App) -> anyhow::Result<()> {
    let Some(channel) = app.channel(KIND) else { return Ok(()) };
    let printers = app.store.read(settings::read).await?.printers;
    let printers = serde_json::to_value(printers)?;
    Ok(blocking(move || channel.configure(&printers, "")).await??)
}

/// A printer as the demo world has it.
pub async fn furnish(app: &App, name: &str, uri: &str) -> Outcome<()> {
    let mut office = app.store.read(settings::read).await?;
    office.printers = vec![PrinterAddress { name: name.to_owned(), uri: uri.to_owned() }];
    app.store.change(move |t| settings::write(t, &office)).await?;
    Ok(apply(app).await?)
}

/// A printer to look at.
#[derive(Debug, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct AskedPrinter {
    /// Its URI: `ipp://printer.office.example/ipp/print`.
    pub uri: String,
}

/// Asks a printer what it is and can do.
pub async fn look(asked: AskedPrinter) -> Outcome<PrinterInfo> {
    blocking(move || print::look(&asked.uri)).await?.map_err(|failure| Error::unusable(failure.code, failure.message))
}
