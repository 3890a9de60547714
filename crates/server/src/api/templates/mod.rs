//! Templates: bringing them in, their placeholders and problems; in files of their
//! own, their versions, trying out, specimens and coverage.

mod coverage;
mod specimens;
mod tryout;
mod versions;

use axum::Json;
use axum::extract::{Multipart, Path, Query, State};
use mangle_app::App;
use mangle_app::store::templates::TemplateInfo;
use mangle_app::templates::{self, Shown, TemplateDetail, TemplateName};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use super::upload::{FileForm, files};
use crate::error::{Answer, Problem};

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(list, bring_in))
        .routes(routes!(show, versions::replace, remove))
        .routes(routes!(versions::file))
        .routes(routes!(versions::pages))
        .routes(routes!(versions::note))
        .routes(routes!(versions::rewrite))
        .routes(routes!(versions::put_in_use))
        .routes(routes!(versions::restore))
        .routes(routes!(rename))
        .routes(routes!(copy))
        .routes(routes!(versions::changes))
        .routes(routes!(tryout::try_out))
        .routes(routes!(tryout::values_of))
        .routes(routes!(specimens::list, specimens::keep))
        .routes(routes!(specimens::accept))
        .routes(routes!(specimens::remove))
        .routes(routes!(coverage::coverage))
}

/// All templates, the newest first.
#[utoipa::path(get, path = "/api/templates", tag = "templates", responses((status = 200, body = Vec<TemplateInfo>)))]
async fn list(State(app): State<App>) -> Answer<Vec<TemplateInfo>> {
    Ok(Json(templates::list(&app).await?))
}

/// Brings in a DOCX file as a template.
#[utoipa::path(post, path = "/api/templates", tag = "templates", request_body(content = FileForm, content_type = "multipart/form-data"), responses((status = 200, body = TemplateDetail), (status = 422, body = Problem)))]
async fn bring_in(State(app): State<App>, form: Multipart) -> Answer<TemplateDetail> {
    Ok(Json(templates::bring_in(&app, files(form).await?).await?))
}

/// A template with its placeholders and problems.
#[utoipa::path(get, path = "/api/templates/{id}", tag = "templates", params(("id" = i64, Path), Shown), responses((status = 200, body = TemplateDetail), (status = 404, body = Problem)))]
async fn show(State(app): State<App>, Path(id): Path<i64>, Query(shown): Query<Shown>) -> Answer<TemplateDetail> {
    Ok(Json(templates::show(&app, id, shown).await?))
}

/// Renames a template.
#[utoipa::path(put, path = "/api/templates/{id}/name", tag = "templates", params(("id" = i64, Path)), request_body = TemplateName, responses((status = 200, body = TemplateDetail), (status = 404, body = Problem), (status = 422, body = Problem)))]
async fn rename(State(app): State<App>, Path(id): Path<i64>, Json(new): Json<TemplateName>) -> Answer<TemplateDetail> {
    Ok(Json(templates::rename(&app, id, new).await?))
}

/// Adds a copy of a template: the version in use.
#[utoipa::path(post, path = "/api/templates/{id}/copy", tag = "templates", params(("id" = i64, Path)), responses((status = 200, body = TemplateDetail), (status = 404, body = Problem)))]
async fn copy(State(app): State<App>, Path(id): Path<i64>) -> Answer<TemplateDetail> {
    Ok(Json(templates::copy(&app, id).await?))
}

/// Deletes a template that no dispatch and no run uses.
#[utoipa::path(delete, path = "/api/templates/{id}", tag = "templates", params(("id" = i64, Path)), responses((status = 200, body = bool), (status = 409, body = Problem)))]
async fn remove(State(app): State<App>, Path(id): Path<i64>) -> Answer<bool> {
    Ok(Json(templates::remove(&app, id).await?))
}
