//! Specimens: a template's tests. Each is a kept set of values with the text that
//! it must give.

use std::sync::Arc;

use axum::Json;
use axum::extract::{Path, Query, State};
use mangle_core::template::compare;
use mangle_documents::docx::Template;
use serde::{Deserialize, Serialize};
use serde_json::{Map, Value as JsonValue};
use utoipa::{IntoParams, ToSchema};

use super::tryout::{Bundle, Desk, Tried};
use super::versions::ChangeInfo;
use crate::error::{Answer, Problem, Refused};
use mangle_app::App;
use mangle_app::clock;
use mangle_app::prepare::blocking;
use mangle_app::store::specimens::{self, Specimen};
use mangle_app::store::templates;

/// A specimen, and whether a version gives what it must.
#[derive(Debug, Serialize, ToSchema)]
pub struct SpecimenInfo {
    /// Its number.
    id: i64,
    /// Its name.
    name: String,
    /// The version whose text was kept as right.
    version: i64,
    /// When that was kept.
    kept: String,
    /// The locale by which its values print.
    locale: String,
    /// The moment that `today` and `now` stand at.
    moment: String,
    /// Its values by the template's names.
    #[schema(value_type = HashMap<String, JsonValue>)]
    values: Map<String, JsonValue>,
    /// same, changed or failed.
    state: String,
    /// What failed.
    fault: Option<String>,
    /// The lines that came out differently.
    changes: Vec<ChangeInfo>,
}

/// The text that a template makes of values; what fails is said in words.
fn lines(template: &Template, tried: &Tried, desk: &Desk) -> Result<Vec<String>, Refused> {
    let bundle = Bundle::new(template, tried, desk)?;
    let scope = bundle.scope().ok_or_else(|| Refused::missing("the record"))?;
    let filled = template.fill_with(&scope, desk.means()).map_err(|errors| {
        let said: Vec<String> = errors.iter().take(5).map(ToString::to_string).collect();
        Refused::unusable("fill", said.join("; "))
    })?;
    Ok(template.pages(&filled)?.lines())
}

fn tried(specimen: &Specimen) -> Tried {
    Tried { values: specimen.values.clone(), locale: specimen.locale.clone(), moment: Some(specimen.moment.clone()) }
}

fn checked(specimen: Specimen, template: &Template, desk: &Desk) -> SpecimenInfo {
    let (state, fault, changes) = match lines(template, &tried(&specimen), desk) {
        Err(refused) => ("failed", Some(refused.problem.message), Vec::new()),
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
async fn check(app: &App, id: i64, desk: Desk, template: Arc<Template>) -> Result<Vec<SpecimenInfo>, Refused> {
    let kept = app.store.with(move |c| specimens::list(c, id)).await?;
    Ok(blocking(move || kept.into_iter().map(|s| checked(s, &template, &desk)).collect()).await?)
}

/// Whether all specimens of a template come out as they must.
pub(super) async fn all_the_same(app: &App, id: i64, template: Template) -> Result<bool, Refused> {
    let desk = Desk::of_template(app, Some(id)).await?;
    Ok(check(app, id, desk, Arc::new(template)).await?.iter().all(|s| s.state == "same"))
}

#[derive(Debug, Deserialize, IntoParams)]
pub(super) struct Of {
    /// The version's number; the one in use where it is left out.
    version: Option<i64>,
}

async fn version(app: &App, id: i64, number: Option<i64>) -> Result<(i64, Arc<Template>), Refused> {
    let info = app.store.with(move |c| templates::get(c, id)).await?.ok_or_else(|| Refused::missing("the template"))?;
    let version = info.version(number).ok_or_else(|| Refused::missing("the version"))?;
    Ok((version.number, app.template(version.id).await?))
}

/// A template's specimens, checked against a version.
#[utoipa::path(get, path = "/api/templates/{id}/specimens", tag = "templates", params(("id" = i64, Path), Of), responses((status = 200, body = Vec<SpecimenInfo>), (status = 404, body = Problem)))]
pub(super) async fn list(State(app): State<App>, Path(id): Path<i64>, Query(of): Query<Of>) -> Answer<Vec<SpecimenInfo>> {
    let (_, template) = version(&app, id, of.version).await?;
    let desk = Desk::of_template(&app, Some(id)).await?;
    check(&app, id, desk, template).await.map(Json)
}

/// A specimen to keep.
#[derive(Debug, Deserialize, ToSchema)]
pub(super) struct NewSpecimen {
    /// Its name; one of the same name is replaced.
    name: String,
    /// The version whose text is right.
    version: i64,
    /// The values, the locale and the moment.
    #[serde(flatten)]
    tried: Tried,
}

/// Keeps values as a specimen, with the text that a version makes of them.
#[utoipa::path(post, path = "/api/templates/{id}/specimens", tag = "templates", params(("id" = i64, Path)), request_body = NewSpecimen, responses((status = 200, body = SpecimenInfo), (status = 422, body = Problem)))]
pub(super) async fn keep(State(app): State<App>, Path(id): Path<i64>, Json(new): Json<NewSpecimen>) -> Answer<SpecimenInfo> {
    let name: String = new.name.trim().chars().take(120).collect();
    if name.is_empty() {
        return Err(Refused::unusable("no-name", "enter a name for the test case"));
    }
    let (number, template) = version(&app, id, Some(new.version)).await?;
    let desk = Desk::of_template(&app, Some(id)).await?;
    let made = template.clone();
    let (desk, tried, lines, moment) = blocking(move || -> Result<_, Refused> {
        let moment = Bundle::new(&made, &new.tried, &desk)?.moment();
        let lines = lines(&made, &new.tried, &desk)?;
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
    let specimen = kept.ok_or_else(|| Refused::missing("the test case"))?;
    Ok(Json(blocking(move || checked(specimen, &template, &desk)).await?))
}

/// Accept a version's output as the test case's expected text.
#[utoipa::path(put, path = "/api/specimens/{id}/accepted", tag = "templates", params(("id" = i64, Path), Of), responses((status = 200, body = SpecimenInfo), (status = 422, body = Problem)))]
pub(super) async fn accept(State(app): State<App>, Path(id): Path<i64>, Query(of): Query<Of>) -> Answer<SpecimenInfo> {
    let specimen = app.store.with(move |c| specimens::get(c, id)).await?.ok_or_else(|| Refused::missing("the test case"))?;
    let desk = Desk::of_template(&app, Some(specimen.template_id)).await?;
    let (number, template) = version(&app, specimen.template_id, of.version).await?;
    let (tried, made) = (tried(&specimen), template.clone());
    let (now, desk) = blocking(move || (lines(&made, &tried, &desk), desk)).await?;
    let now = now?;
    let at = clock::stamp();
    let kept = app
        .store
        .with(move |c| -> anyhow::Result<_> {
            specimens::accept(c, id, &now, number, &at)?;
            specimens::get(c, id)
        })
        .await?
        .ok_or_else(|| Refused::missing("the test case"))?;
    Ok(Json(blocking(move || checked(kept, &template, &desk)).await?))
}

/// Drops a specimen.
#[utoipa::path(delete, path = "/api/specimens/{id}", tag = "templates", params(("id" = i64, Path)), responses((status = 200, body = bool)))]
pub(super) async fn remove(State(app): State<App>, Path(id): Path<i64>) -> Answer<bool> {
    Ok(Json(app.store.with(move |c| specimens::delete(c, id)).await?))
}
