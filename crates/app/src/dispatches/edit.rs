//! The list of dispatches: added, copied, deleted.

use std::collections::HashMap;
use std::sync::Arc;

use mangle_core::dispatch::{Choose, Setup};
use serde::{Deserialize, Serialize};

use crate::dispatches::{find, sheet_name};
use crate::drop::first_setup;
use crate::store::dispatches;
use crate::store::firings;
use crate::store::pictures as pictures_of;
use crate::store::runs::{self, RunInfo};
use crate::store::{settings, templates};
use crate::{App, Error, Outcome, clock};

/// A dispatch in the list.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct DispatchInfo {
    /// Its key, which stays the same.
    pub key: String,
    /// Its name.
    pub name: String,
    /// The template's name.
    pub template: Option<String>,
    /// The source's and sheet's name.
    pub sheet: Option<String>,
    /// The sheet's number.
    pub sheet_id: Option<i64>,
    /// When it was last changed.
    pub changed: String,
    /// Whether a single record's document is created without questions.
    pub without_questions: bool,
    /// How many starts of its triggers wait for a person.
    pub waiting: usize,
    /// Its last run that was no proof.
    pub last_run: Option<RunInfo>,
}

/// All dispatches, the last changed first.
pub async fn list(app: &App) -> Outcome<Vec<DispatchInfo>> {
    let found = app
        .store
        .with(|c| -> anyhow::Result<Vec<DispatchInfo>> {
            let runs = runs::list(c, None)?;
            let waiting: HashMap<String, usize> = firings::waiting(c)?.into_iter().collect();
            dispatches::list(c)?
                .into_iter()
                .map(|d| {
                    let template = d.template_id.map(|id| templates::get(c, id)).transpose()?.flatten().map(|t| t.name);
                    let last_run = runs.iter().find(|r| r.dispatch == d.key && r.kind == "run").cloned();
                    Ok(DispatchInfo {
                        without_questions: d.setup.without_questions,
                        template,
                        waiting: waiting.get(&d.key).copied().unwrap_or_default(),
                        sheet: sheet_name(c, d.sheet_id)?.map(|(source, sheet)| format!("{source}, {sheet}")),
                        sheet_id: d.sheet_id,
                        key: d.key,
                        name: d.name,
                        changed: d.changed,
                        last_run,
                    })
                })
                .collect()
        })
        .await?;
    Ok(found)
}

/// What a new dispatch is made of.
#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct NewDispatch {
    /// Its name.
    pub name: String,
    /// The template's number.
    pub template_id: Option<i64>,
    /// The sheet's number.
    pub sheet_id: Option<i64>,
    /// A condition that chooses records.
    #[serde(default)]
    pub filter: String,
}

/// The key of a new dispatch.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Key {
    /// The key.
    pub key: String,
}

/// Adds a dispatch.
pub async fn add(app: &App, new: NewDispatch) -> Outcome<Key> {
    let name = new.name.trim().to_owned();
    if name.is_empty() {
        return Err(Error::unusable("no-name", "enter a name for the dispatch"));
    }
    let schema = match new.sheet_id {
        Some(id) => app.sheet(id).await?.sheet.schema.clone(),
        None => Arc::default(),
    };
    let key = app
        .store
        .with(move |c| -> anyhow::Result<String> {
            let setup = Setup { filter: new.filter, ..first_setup(&name, &schema, &settings::read(c)?.home()) };
            dispatches::add(c, &name, new.template_id, new.sheet_id, &setup, &clock::stamp())
        })
        .await?;
    Ok(Key { key })
}

/// Adds a copy of a dispatch: its set-up and its pictures, without its runs; its triggers are off.
pub async fn copy(app: &App, key: String) -> Outcome<Key> {
    let dispatch = find(app, &key).await?;
    let key = app
        .store
        .change(move |t| -> anyhow::Result<String> {
            let name = format!("{} (copy)", dispatch.name);
            let mut setup = Setup { choose: Choose::All, picked: Vec::new(), ..dispatch.setup };
            // Two that fire at the same would send everything twice.
            setup.triggers.iter_mut().for_each(|own| own.on = false);
            let key = dispatches::add(t, &name, dispatch.template_id, dispatch.sheet_id, &setup, &clock::stamp())?;
            if let Some(made) = dispatches::by_key(t, &key)? {
                pictures_of::copy(t, dispatch.id, made.id)?;
            }
            Ok(key)
        })
        .await?;
    Ok(Key { key })
}

/// Deletes a dispatch; the history of its runs stays.
pub async fn remove(app: &App, key: String) -> Outcome<bool> {
    let dispatch = find(app, &key).await?;
    let deleted = app.store.change(move |t| -> Outcome<bool> {
        match runs::under_way(t, dispatch.id, true)? {
            Some(_) => Err(Error::conflict("going", "this dispatch is running. Stop the run first.")),
            None => Ok(dispatches::delete(t, dispatch.id, &clock::stamp())?),
        }
    });
    deleted.await
}
