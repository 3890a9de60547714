//! Documents are kept as long as their dispatch says; then their files and what they say of people
//! are removed, and a note stays that they were there.

use std::time::Duration;

use anyhow::Result;

use crate::store::events::{self, About};
use crate::store::{Transaction, deliveries, dispatches, documents, rounds, search};
use crate::{Actor, App, clock, jobs};

/// How often it is looked for documents whose time is over, and how many are removed at a time.
const ROUND: Duration = Duration::from_secs(600);
const BATCH: usize = 100;

/// Removes what the rules of dispatches no longer keep, until the program is to end.
pub(crate) async fn work(app: App) {
    while !app.stopping.is_cancelled() {
        match round(&app).await {
            // There may be more.
            Ok(BATCH) => continue,
            Ok(_) => {}
            Err(error) => tracing::error!(error = format!("{error:#}"), "documents whose time is over can't be removed for now"),
        }
        tokio::select! {
            () = app.stopping.cancelled() => {}
            () = tokio::time::sleep(ROUND) => {}
        }
    }
}

/// Removes some documents whose time is over; how many it looked at.
pub(crate) async fn round(app: &App) -> Result<usize> {
    let due = app
        .store
        .read(|c| -> Result<_> {
            let mut due = Vec::new();
            for (id, months) in dispatches::retentions(c)? {
                let before = clock::now().saturating_sub(jiff::Span::new().months(i64::from(months))).to_string();
                let why = format!("retention of {}", mangle_core::words::counted(months as usize, "month", "months"));
                due.extend(documents::made_before(c, id, &before, BATCH - due.len())?.into_iter().map(|item| (item, why.clone())));
                if due.len() >= BATCH {
                    break;
                }
            }
            Ok(due)
        })
        .await?;
    let count = due.len();
    for ((item, run), why) in due {
        let files = app.store.change(move |t| forget(t, (item, run), Actor::Mangle, &why, &clock::stamp())).await?;
        delete(app, files.unwrap_or_default()).await?;
        jobs::changed(app, run);
    }
    Ok(count)
}

/// Forgets what an item's documents, deliveries and history say, with a note why; the files that it
/// used. None where it is at work, or its documents are out for signature.
pub(super) fn forget(t: &Transaction<'_>, (item, run): (i64, i64), who: Actor, why: &str, at: &str) -> Result<Option<Vec<String>>> {
    if !deliveries::forget(t, item, at)? {
        return Ok(None);
    }
    let mut files = documents::forget(t, item)?;
    files.extend(rounds::forget(t, item)?);
    documents::removed(t, item, &format!("{at} {why}"))?;
    events::forget(t, item)?;
    search::forget(t, item)?;
    events::add(t, who, About::item(run, item), "removed", why, at)?;
    Ok(Some(files))
}

/// Deletes the files that nothing uses any more.
pub(super) async fn delete(app: &App, files: Vec<String>) -> Result<()> {
    for file in files.into_iter().filter(|file| !file.is_empty()) {
        let own = file.clone();
        if !app.store.read(move |c| documents::uses(c, &own)).await? {
            app.files.delete(&file).await?;
        }
    }
    Ok(())
}
