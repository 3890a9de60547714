//! Triggers: what starts runs by itself. [`watch`] notices when a trigger has something to start
//! and writes a firing down; [`start`] starts the runs of firings.
//!
//! To add a kind: its settings in `mangle-core`, and its watch in a file here with a line in
//! `watch::WATCHES`, unless it is told of from outside, as of an answer or an API call.

mod crm;
mod hook;
mod schedule;
mod start;
mod tell;
mod watch;

use std::sync::Arc;

use mangle_core::diagnostic::Diagnostic;
use mangle_core::records::Filter;
use mangle_core::trigger::{Trigger, TriggerSetup, World};
use serde::{Deserialize, Serialize};

use crate::dispatches::find;
use crate::jobs::state::{FiringEvent, FiringState};
use crate::store::dispatches::Dispatch;
use crate::store::firings::{self, Firing, NewFiring};
use crate::store::{Connection, files, queries};
use crate::{App, Error, Outcome, clock};

pub use hook::{Hook, Signed, took};
pub use watch::Firings;

/// How many next times of a schedule are shown.
const SHOWN: usize = 5;
/// How many firings of a dispatch are shown.
const MOST_LISTED: usize = 100;
/// The most rows that an API call may name.
const MOST_ROWS: usize = 1_000;

/// A trigger of a dispatch as it is.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct TriggerInfo {
    /// Its number in the set-up.
    id: u32,
    /// When it starts a run, in words.
    words: String,
    /// What is wrong with it.
    problems: Vec<Diagnostic>,
    /// The next times of a schedule that is on, in UTC.
    next: Vec<String>,
    /// Where another program tells of a change by web hook, and the secret that signs it; none
    /// where this kind takes none, or public pages are off.
    hook: Option<Hook>,
}

/// The triggers of a dispatch, and what they have started.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Triggers {
    /// Its triggers, in the set-up's order.
    triggers: Vec<TriggerInfo>,
    /// What they have started: those that wait for a person first, then the newest.
    firings: Vec<Firing>,
    /// The office's time zone, by which schedules go: an IANA name.
    time_zone: String,
}

/// Begins to watch.
pub fn take_up(app: &App) {
    app.tasks.spawn(watch::work(app.clone()));
}

/// What triggers may know of where a dispatch takes records from.
pub(crate) fn world(c: &Connection, dispatch: &Dispatch) -> anyhow::Result<World> {
    let sheet = dispatch.sheet_id;
    Ok(World {
        form: sheet.map(|id| files::notes_corrections(c, id)).transpose()?.unwrap_or_default(),
        crm: sheet.map(|id| queries::of_sheet(c, id)).transpose()?.flatten().is_some(),
        joint: dispatch.setup.joint,
    })
}

/// The triggers of a dispatch, and what they have started.
pub async fn list(app: &App, key: String) -> Outcome<Triggers> {
    let dispatch = find(app, &key).await?;
    let own = dispatch.clone();
    let (world, firings, settings) = app
        .store
        .read(move |c| -> anyhow::Result<_> {
            Ok((world(c, &own)?, firings::list(c, own.id, MOST_LISTED)?, crate::store::settings::read(c)?))
        })
        .await?;
    let now = clock::zoned(clock::now(), &settings.zone());
    let schema = match dispatch.sheet_id {
        Some(sheet) => app.sheet(sheet).await?.sheet.schema.clone(),
        None => Arc::default(),
    };
    let problems = |own: &TriggerSetup| {
        let mut problems = own.problems(&world);
        // What can be read at all may name what the records have not.
        if problems.is_empty() && !own.condition().trim().is_empty() {
            problems.extend(Filter::read(own.condition(), &schema).err().map(|fault| Diagnostic::error("condition", fault.to_string())));
        }
        problems
    };
    let info = |own: &TriggerSetup| TriggerInfo {
        id: own.id,
        words: own.words(),
        problems: problems(own),
        next: match &own.trigger {
            Trigger::Schedule(schedule) if own.on => {
                schedule.next_times(&now, SHOWN).iter().map(|at| clock::utc_of(at).to_string()).collect()
            }
            _ => Vec::new(),
        },
        hook: matches!(own.trigger, Trigger::Crm(_)).then(|| hook::of(app, dispatch.id, own.id)).flatten(),
    };
    let triggers = dispatch.setup.triggers.iter().map(info).collect();
    Ok(Triggers { triggers, firings, time_zone: settings.zone().iana_name().unwrap_or("UTC").to_owned() })
}

/// What another program asks a dispatch to make.
#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Call {
    /// The numbers of the rows; left out for all that the dispatch selects.
    #[serde(default)]
    pub rows: Option<Vec<usize>>,
}

/// Another program asks for a run: the same key is the same firing, however often it is sent.
pub async fn call(app: &App, key: String, once: String, asked: Call) -> Outcome<Firing> {
    if once.is_empty() || once.len() > 255 {
        return Err(Error::unusable("idempotency-key", "give an Idempotency-Key of 1 to 255 characters: the same key starts one run"));
    }
    if asked.rows.as_ref().is_some_and(|rows| rows.is_empty() || rows.len() > MOST_ROWS) {
        return Err(Error::unusable("rows", "name 1 to 1000 rows, or leave them out for all"));
    }
    let dispatch = find(app, &key).await?;
    let own = dispatch.setup.triggers.iter().find(|own| own.on && own.trigger.kind() == "call");
    let no_call =
        || Error::conflict("no-trigger", "this dispatch has no API call among its triggers. Add one under Trigger, and switch it on.");
    let trigger = own.ok_or_else(no_call)?.id;
    let firing = app
        .store
        .change(move |t| -> Outcome<Option<Firing>> {
            let rows = asked.rows.as_deref();
            let at = clock::stamp();
            let new = NewFiring { dispatch_id: dispatch.id, trigger, kind: "call", key: &once, rows, missed: None, at: &at };
            let (id, fresh) = firings::add(t, &new)?;
            if !fresh && !firings::asked_for(t, id, rows)? {
                let message = "this Idempotency-Key was used for other rows. Use a new key for another call.";
                return Err(Error::unusable("idempotency-key", message));
            }
            Ok(firings::get(t, id)?)
        })
        .await?;
    app.firings.wake();
    firing.ok_or_else(|| Error::missing("the firing"))
}

/// A firing.
pub async fn firing(app: &App, id: i64) -> Outcome<Firing> {
    app.store.with(move |c| firings::get(c, id)).await?.ok_or_else(|| Error::missing("the firing"))
}

/// Has a firing tried again that waits, was missed or put aside.
pub async fn retry(app: &App, id: i64) -> Outcome<Firing> {
    decide(app, id, FiringEvent::Retry).await
}

/// Puts a firing aside that waits.
pub async fn dismiss(app: &App, id: i64) -> Outcome<Firing> {
    decide(app, id, FiringEvent::Dismiss).await
}

async fn decide(app: &App, id: i64, event: FiringEvent) -> Outcome<Firing> {
    let changed = app.store.change(move |t| firings::change(t, event, &[id], "", &clock::stamp())).await?;
    let now = firing(app, id).await?;
    if changed == 0 {
        let what = if event == FiringEvent::Retry { "tried again" } else { "put aside" };
        return Err(Error::conflict("state", format!("this firing is {}, and can't be {what}", now.state.word())));
    }
    if now.state == FiringState::Due {
        app.firings.wake();
    }
    Ok(now)
}
