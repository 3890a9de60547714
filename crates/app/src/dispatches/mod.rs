//! Dispatches: what they need, the state of their steps, their preflight, their start.

mod bench;
pub mod compare;
pub mod edit;
pub mod files;
pub mod one;
pub mod pictures;
mod preflight;
pub mod preview;
mod start;
mod totals;

use mangle_core::channel::{ChannelSetup, SheetChannel};
use mangle_core::dispatch::Choose;
use mangle_core::language::Folded;
use mangle_core::records::differs;

use crate::prepare::Prepared;
use crate::store::dispatches::{self, Dispatch};
use crate::store::{Connection, items, sheets, templates};
use crate::{App, Error, clock};

pub(crate) use bench::bench_of;
pub use bench::{Bench, DispatchBody};
pub use preflight::{PreflightView, of_all};
pub(crate) use start::{Begin, Fired};
pub use start::{ProofRun, StartRun, Unattended};

/// The names of a sheet and its source.
pub fn sheet_name(c: &Connection, id: Option<i64>) -> anyhow::Result<Option<(String, String)>> {
    let Some(info) = id.map(|id| sheets::sheet(c, id)).transpose()?.flatten() else { return Ok(None) };
    let source = sheets::sources(c)?.into_iter().find(|s| s.id == info.source_id).map(|s| s.name).unwrap_or_default();
    Ok(Some((source, info.name)))
}

/// The dispatch of a key.
pub async fn find(app: &App, key: &str) -> Result<Dispatch, Error> {
    let key = key.to_owned();
    app.store.with(move |c| dispatches::by_key(c, &key)).await?.ok_or_else(|| Error::missing("the dispatch"))
}

/// The version of its template that a dispatch uses: a fixed one, or the one in use.
async fn version(app: &App, dispatch: &Dispatch) -> Result<Option<(String, i64, i64)>, Error> {
    let Some(id) = dispatch.template_id else { return Ok(None) };
    let template = app.store.with(move |c| templates::get(c, id)).await?;
    Ok(template.and_then(|t| t.version(dispatch.setup.version).map(|v| (t.name.clone(), v.number, v.id))))
}

/// A dispatch with what it needs to make documents, and the version of its template.
pub async fn ready(app: &App, dispatch: &Dispatch) -> Result<(Prepared, Option<(String, i64, i64)>), Error> {
    // Whether a record changed is asked only where it counts.
    ready_beside(app, dispatch, dispatch.setup.choose == Choose::Changed).await
}

/// The same; whether records are compared with what was made of them last.
async fn ready_beside(app: &App, dispatch: &Dispatch, asks: bool) -> Result<(Prepared, Option<(String, i64, i64)>), Error> {
    let version = version(app, dispatch).await?;
    let mut prepared =
        app.prepare(dispatch, dispatch.setup.clone(), version.as_ref().map(|v| v.2), dispatch.sheet_id, clock::now()).await?;
    if let Some(sheet) = dispatch.sheet_id {
        let (id, loaded) = (dispatch.id, prepared.sheet.clone());
        // What the dispatch itself writes into the sheet is no change.
        let own: Vec<String> =
            prepared.setup.channels.iter().filter_map(ChannelSetup::as_sheet).flat_map(SheetChannel::columns).map(str::to_owned).collect();
        let own: Vec<usize> = own.iter().filter_map(|column| prepared.schema.index(&Folded::new(column))).collect();
        let differs = move |row: usize, kept: &str| {
            let record = loaded.as_ref().filter(|_| asks).and_then(|loaded| loaded.sheet.record(row));
            record.is_some_and(|record| differs(kept, record, &own))
        };
        prepared.served = app.store.with(move |c| items::served(c, id, sheet, &differs)).await?;
    }
    Ok((prepared, version))
}
