//! Message templates: a subject and a message that several dispatches send, with versions.

use mangle_core::channel::MessageText;
use serde::Deserialize;

use crate::dispatches::find;
use crate::store::messages::{self, MessageInfo, NewVersion};
use crate::store::settings;
use crate::{App, Error, Outcome, clock};

/// The longest name.
const LONGEST_NAME: usize = 120;

/// All message templates, by name.
pub async fn list(app: &App) -> Outcome<Vec<MessageInfo>> {
    Ok(app.store.read(messages::list).await?)
}

/// A message that is saved as a template, or as the next version of one.
#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct MessageBody {
    /// The template's name; not needed for a further version.
    #[serde(default)]
    pub name: String,
    /// The subject and the message.
    pub text: MessageText,
    /// What the person notes of this version.
    #[serde(default)]
    pub note: String,
    /// The key of the dispatch that it is written in: the pictures that it shows come from there.
    pub dispatch: String,
    /// The revision of the template that the person saw; not needed for a new one.
    #[serde(default)]
    pub revision: Option<i64>,
}

/// The key of a message template.
#[derive(Debug, serde::Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct MessageKey {
    /// The key.
    pub key: String,
}

/// Saves a message as a template: a new one, or the next version of the one with a key, which is
/// in use from then on.
pub async fn save(app: &App, key: Option<String>, new: MessageBody) -> Outcome<MessageKey> {
    if let Some(problem) = new.text.problems().first() {
        return Err(Error::unusable("message", format!("the message can't be a template yet: {problem}")));
    }
    let name = match key {
        None => Some(checked(&new.name)?),
        Some(_) => None,
    };
    let dispatch = find(app, &new.dispatch).await?.id;
    let saved = app.store.change(move |t| -> Outcome<MessageKey> {
        let by = settings::read(t)?.person_name;
        let version = NewVersion { text: &new.text, note: new.note.trim(), at: &clock::stamp(), by: &by, dispatch };
        match (key, name) {
            (Some(key), _) => {
                let seen =
                    new.revision.ok_or_else(|| Error::unusable("revision", "give the revision of the template that this one follows"))?;
                messages::add_version(t, &key, seen, &version)?.done("this message template")?;
                Ok(MessageKey { key })
            }
            (None, name) => Ok(MessageKey { key: messages::add(t, &name.unwrap_or_default(), &version)? }),
        }
    });
    saved.await
}

/// What is changed of a message template.
#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct MessageChange {
    /// Another name.
    #[serde(default)]
    pub name: Option<String>,
    /// The version that is put in use.
    #[serde(default)]
    pub in_use: Option<i64>,
    /// The revision that the person saw.
    pub revision: i64,
}

/// Renames a message template, or puts a version in use.
pub async fn change(app: &App, key: String, new: MessageChange) -> Outcome<Vec<MessageInfo>> {
    let name = new.name.as_deref().map(checked).transpose()?;
    let changed = app.store.change(move |t| messages::change(t, &key, new.revision, name.as_deref(), new.in_use));
    changed.await?.done("this message template")?;
    list(app).await
}

/// Deletes a message template that no dispatch uses.
pub async fn remove(app: &App, key: String) -> Outcome<Vec<MessageInfo>> {
    let users = app.store.change(move |t| messages::delete(t, &key)).await?;
    if !users.is_empty() {
        let message = format!("this message template is used by {}. Choose another message there first.", users.join(", "));
        return Err(Error::conflict("in-use", message));
    }
    list(app).await
}

fn checked(name: &str) -> Outcome<String> {
    let name = name.split_whitespace().collect::<Vec<_>>().join(" ");
    match name.is_empty() || name.len() > LONGEST_NAME {
        true => Err(Error::unusable("no-name", format!("enter a name of at most {LONGEST_NAME} characters"))),
        false => Ok(name),
    }
}
