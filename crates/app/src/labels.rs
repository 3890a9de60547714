//! Labels, given and read.

use serde::Deserialize;

use crate::store::labels::{self, Labelled, LabelledKind};
use crate::{App, Error, Outcome};

/// The longest label, and how many something may have.
const LONGEST: usize = 60;
const MOST: usize = 20;

/// The labels that something is to have.
#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Labels {
    /// Their names; none for none.
    pub labels: Vec<String>,
}

/// All that has labels.
pub async fn list(app: &App) -> Outcome<Vec<Labelled>> {
    Ok(app.store.with(|c| labels::list(c)).await?)
}

/// Gives something its labels, instead of those that it had.
pub async fn set(app: &App, kind: LabelledKind, key: String, new: Labels) -> Outcome<Vec<Labelled>> {
    let tidy = |name: &String| name.split_whitespace().collect::<Vec<_>>().join(" ");
    let new: Vec<String> = new.labels.iter().map(tidy).filter(|name| !name.is_empty()).collect();
    if new.len() > MOST || new.iter().any(|name| name.chars().count() > LONGEST) {
        return Err(Error::unusable("labels", format!("at most {MOST} labels of at most {LONGEST} characters each")));
    }
    let done = app.store.change(move |t| -> Outcome<()> {
        let thing = kind.find(t, &key)?.ok_or_else(|| Error::missing("this"))?;
        Ok(labels::set(t, kind, thing, &new)?)
    });
    done.await?;
    list(app).await
}
