//! Specimens: a template's tests. Each is a kept set of values with the text that
//! it must give.

use std::sync::Arc;

use mangle_core::template::compare;
use mangle_documents::formats::Template;
use serde::{Deserialize, Serialize};
use serde_json::{Map, Value as JsonValue};

use super::tryout::{Bundle, Desk, Tried};
use super::versions::ChangeInfo;
use crate::prepare::blocking;
use crate::store::specimens::{self, Specimen};
use crate::store::templates;
use crate::{App, Error, Outcome, clock};

/// A specimen, and whether a version gives what it must.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct SpecimenInfo {
    /// Its number.
    pub id: i64,
    /// Its name.
    pub name: String,
    /// The version whose text was kept as right.
    pub version: i64,
    /// When that was kept.
    pub kept: String,
    /// The locale by which its values print.
    pub locale: String,
    /// The moment that `today` and `now` stand at.
    pub moment: String,
    /// Its values by the template's names.
    #[cfg_attr(feature = "openapi", schema(value_type = HashMap<String, JsonValue>))]
    pub values: Map<String, JsonValue>,
    /// same, changed or failed.
    pub state: String,
    /// What failed.
    pub fault: Option<String>,
    /// The lines that came out differently.
    pub changes: Vec<ChangeInfo>,
}

/// The text that a template makes of values; what fails is said in words.
fn lines(template: &dyn Template, tried: &Tried, desk: &Desk) -> Outcome<Vec<String>> {
    let bundle = Bundle::new(template, tried, desk)?;
    let scope = bundle.scope().ok_or_else(|| Error::missing("the record"))?;
    let filled = template.fill_with(&scope, desk.means()).map_err(|errors| {
        let said: Vec<String> = errors.iter().take(5).map(ToString::to_string).collect();
        Error::unusable("fill", said.join("; "))
    })?;
    Ok(template.lines_of(&filled)?)
}

fn tried(specimen: &Specimen) -> Tried {
    Tried { values: specimen.values.clone(), locale: specimen.locale.clone(), moment: Some(specimen.moment.clone()) }
}

fn checked(specimen: Specimen, template: &dyn Template, desk: &Desk) -> SpecimenInfo {
    let (state, fault, changes) = match lines(template, &tried(&specimen), desk) {
        Err(refused) => ("failed", Some(refused.to_string()), Vec::new()),
        Ok(lines) => match compare(&specimen.lines, &lines) {
            changes if changes.is_empty() => ("same", None, changes),
            changes => ("changed", None, changes),
        },
    };
    SpecimenInfo {
        id: specimen.id,
        name: specimen.name,
        version: specimen.version,
        kept: specimen.kept,
        locale: specimen.locale,
        moment: specimen.moment,
        values: specimen.values,
        state: state.to_owned(),
        fault,
        changes: changes.into_iter().map(Into::into).collect(),
    }
}

/// The specimens of a template as a version makes them.
async fn check(app: &App, id: i64, desk: Desk, template: Arc<dyn Template>) -> Outcome<Vec<SpecimenInfo>> {
    let kept = app.store.with(move |c| specimens::list(c, id)).await?;
    Ok(blocking(move || kept.into_iter().map(|s| checked(s, &*template, &desk)).collect()).await?)
}

/// Whether all specimens of a template come out as they must.
pub(super) async fn all_the_same(app: &App, id: i64, template: Arc<dyn Template>) -> Outcome<bool> {
    let desk = Desk::of_template(app, Some(id)).await?;
    Ok(check(app, id, desk, template).await?.iter().all(|s| s.state == "same"))
}

#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::IntoParams))]
pub struct Of {
    /// The version's number; the one in use where it is left out.
    pub version: Option<i64>,
}

async fn version(app: &App, id: i64, number: Option<i64>) -> Outcome<(i64, Arc<dyn Template>)> {
    let info = app.store.with(move |c| templates::get(c, id)).await?.ok_or_else(|| Error::missing("the template"))?;
    let version = info.version(number).ok_or_else(|| Error::missing("the version"))?;
    Ok((version.number, app.template(version.id).await?))
}

/// A template's specimens, checked against a version.
pub async fn list(app: &App, id: i64, of: Of) -> Outcome<Vec<SpecimenInfo>> {
    let (_, template) = version(app, id, of.version).await?;
    let desk = Desk::of_template(app, Some(id)).await?;
    check(app, id, desk, template).await
}

/// A specimen to keep.
#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct NewSpecimen {
    /// Its name; one of the same name is replaced.
    pub name: String,
    /// The version whose text is right.
    pub version: i64,
    /// The values, the locale and the moment.
    #[serde(flatten)]
    pub tried: Tried,
}

/// Keeps values as a specimen, with the text that a version makes of them.
pub async fn keep(app: &App, id: i64, new: NewSpecimen) -> Outcome<SpecimenInfo> {
    let name: String = new.name.trim().chars().take(120).collect();
    if name.is_empty() {
        return Err(Error::unusable("no-name", "enter a name for the test case"));
    }
    let (number, template) = version(app, id, Some(new.version)).await?;
    let desk = Desk::of_template(app, Some(id)).await?;
    let made = template.clone();
    let (desk, tried, lines, moment) = blocking(move || -> Outcome<_> {
        let moment = Bundle::new(&*made, &new.tried, &desk)?.moment();
        let lines = lines(&*made, &new.tried, &desk)?;
        Ok((desk, new.tried, lines, moment))
    })
    .await??;
    let specimen = Specimen {
        id: 0,
        template_id: id,
        name,
        values: tried.values,
        locale: tried.locale,
        moment: moment.to_string(),
        lines,
        version: number,
        kept: clock::stamp(),
    };
    let kept = app
        .store
        .with(move |c| -> anyhow::Result<_> {
            let kept = specimens::keep(c, &specimen)?;
            specimens::get(c, kept)
        })
        .await?;
    let specimen = kept.ok_or_else(|| Error::missing("the test case"))?;
    Ok(blocking(move || checked(specimen, &*template, &desk)).await?)
}

/// Accept a version's output as the test case's expected text.
pub async fn accept(app: &App, id: i64, of: Of) -> Outcome<SpecimenInfo> {
    let specimen = app.store.with(move |c| specimens::get(c, id)).await?.ok_or_else(|| Error::missing("the test case"))?;
    let desk = Desk::of_template(app, Some(specimen.template_id)).await?;
    let (number, template) = version(app, specimen.template_id, of.version).await?;
    let (tried, made) = (tried(&specimen), template.clone());
    let (now, desk) = blocking(move || (lines(&*made, &tried, &desk), desk)).await?;
    let now = now?;
    let at = clock::stamp();
    let kept = app
        .store
        .with(move |c| -> anyhow::Result<_> {
            specimens::accept(c, id, &now, number, &at)?;
            specimens::get(c, id)
        })
        .await?
        .ok_or_else(|| Error::missing("the test case"))?;
    Ok(blocking(move || checked(kept, &*template, &desk)).await?)
}

/// Drops a specimen.
pub async fn remove(app: &App, id: i64) -> Outcome<bool> {
    Ok(app.store.with(move |c| specimens::delete(c, id)).await?)
}
