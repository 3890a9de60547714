//! The runner: takes up runs, makes their items, sends their messages. What is
//! to be done stands in the store; after any end the next start goes on there.

mod mail;
mod make;

use anyhow::Result;
use std::sync::Arc;

use crate::clock;
use crate::prepare::Prepared;
use crate::server::App;
use crate::store::{dispatches, items, runs};

pub use make::{check_all, check_one, page_of};

/// How many items are made at a time, each on a thread of its own.
const AT_A_TIME: usize = 2;
/// How many items are taken from the store at a time.
const BATCH: usize = 24;

const UNCERTAIN: &str = "Mangle stopped while sending this message, so it may or may not have been delivered. Ask the recipient or check the sent mail, then send again or mark as delivered.";

/// Takes up all runs that were going when the program ended.
pub async fn take_up(app: &App) -> Result<()> {
    let going = app
        .store
        .with(|c| -> Result<Vec<i64>> {
            let held = items::hold_uncertain(c, UNCERTAIN, &clock::stamp())?;
            if held > 0 {
                tracing::warn!(held, "messages whose arrival is uncertain are held");
            }
            runs::going(c)
        })
        .await?;
    tokio::spawn(mail::work(app.clone()));
    for run in going {
        go(app, run);
    }
    Ok(())
}

/// Makes the items of a run in the background.
pub fn go(app: &App, run: i64) {
    let app = app.clone();
    tokio::spawn(async move {
        if let Err(error) = make_items(&app, run).await {
            tracing::error!(run, error = format!("{error:#}"), "a run came to a halt");
        }
        changed(&app, run);
    });
}

/// Tells the listeners that a run changed.
pub fn changed(app: &App, run: i64) {
    // No listener is no fault.
    let _ = app.changes.send(run);
}

/// Everything that the items of a run need.
pub async fn prepare(app: &App, run: i64) -> Result<Option<(Arc<Prepared>, runs::RunWork)>> {
    let Some((work, dispatch)) = app
        .store
        .with(move |c| -> Result<_> {
            let Some(work) = runs::work(c, run)? else { return Ok(None) };
            Ok(dispatches::by_id(c, work.dispatch_id)?.map(|dispatch| (work, dispatch)))
        })
        .await?
    else {
        return Ok(None);
    };
    let moment = work.moment.parse().unwrap_or_else(|_| clock::now());
    let prepared = app.prepare(&dispatch, work.setup.clone(), Some(work.template_version_id), Some(work.sheet_id), moment).await;
    let prepared = prepared.map_err(|refused| anyhow::anyhow!(refused.problem.message))?;
    Ok(Some((Arc::new(prepared), work)))
}

async fn make_items(app: &App, run: i64) -> Result<()> {
    let Some((prepared, work)) = prepare(app, run).await? else { return Ok(()) };
    let mut after = 0;
    loop {
        let batch = app
            .store
            .with(move |c| -> Result<_> {
                let going = runs::work(c, run)?.is_some_and(|w| w.state == "going");
                if going { items::to_make(c, run, after, BATCH) } else { Ok(Vec::new()) }
            })
            .await?;
        let Some(last) = batch.last().map(|item| item.position) else { break };
        after = last;
        let mut batch = batch.into_iter();
        let mut busy = tokio::task::JoinSet::new();
        loop {
            while busy.len() < AT_A_TIME
                && let Some(item) = batch.next()
            {
                busy.spawn(make::item(app.clone(), prepared.clone(), work.clone(), item));
            }
            match busy.join_next().await {
                Some(done) => done??,
                None => break,
            }
        }
        app.mail.notify_one();
        changed(app, run);
    }
    let at = clock::stamp();
    app.store.with(move |c| runs::finish(c, run, &at)).await?;
    Ok(())
}
