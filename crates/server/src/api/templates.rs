//! Templates: bringing them in, their placeholders and problems, their versions.

use axum::Json;
use axum::extract::{Multipart, Path, State};
use axum::http::header;
use axum::response::{IntoResponse, Response};
use mangle_core::template::{Outline, Placeholder, Problem as TemplateProblem};
use mangle_documents::docx::{Found, Template};
use serde::Serialize;
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use super::upload::{FileForm, Upload, files, stem};
use crate::clock;
use crate::error::{Answer, Problem, Refused};
use crate::prepare::blocking;
use crate::server::App;
use crate::store::templates::{self, TemplateInfo};

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(list, bring_in)).routes(routes!(show, replace, remove)).routes(routes!(file))
}

/// A template with what stands in the version in use.
#[derive(Debug, Serialize, ToSchema)]
pub struct TemplateDetail {
    /// The template and its versions.
    #[serde(flatten)]
    pub info: TemplateInfo,
    /// The placeholders, in reading order.
    pub placeholders: Vec<PlaceholderInfo>,
    /// What must be put right before the template can be used.
    pub problems: Vec<ProblemInfo>,
    /// The conditions and repeats as they nest, with what is printed in them.
    pub outline: Vec<OutlineInfo>,
    /// What was read differently than it stands in the file.
    pub told: Vec<String>,
}

/// One line of the outline of a template's logic.
#[derive(Debug, Serialize, ToSchema)]
pub struct OutlineInfo {
    /// Which placeholder it is.
    pub placeholder: usize,
    /// print, if, else, repeat, set, clause, picture, barcode, signer or page break.
    pub kind: String,
    /// What it does, in words.
    pub words: String,
    /// What stands within.
    #[schema(no_recursion)]
    pub within: Vec<OutlineInfo>,
}

impl From<&Outline> for OutlineInfo {
    fn from(line: &Outline) -> Self {
        let within = line.within.iter().map(Into::into).collect();
        OutlineInfo { placeholder: line.placeholder, kind: line.kind.to_owned(), words: line.words.clone(), within }
    }
}

/// What the person is told of a template, a sentence each.
fn told(found: &Found) -> Vec<String> {
    let count = |n: usize, one: &str, many: &str| if n == 1 { format!("1 {one}") } else { format!("{n} {many}") };
    let mut told = Vec::new();
    if found.revisions > 0 {
        told.push(format!(
            "The file has {}; it is read as if they were accepted.",
            count(found.revisions, "open tracked change", "open tracked changes")
        ));
    }
    if found.comments > 0 {
        told.push(format!("{} left out of the documents.", count(found.comments, "comment is", "comments are")));
    }
    if found.fields > 0 {
        told.push(format!(
            "{} read as placeholders.",
            count(found.fields, "field or content control is", "fields and content controls are")
        ));
    }
    told
}

/// A placeholder.
#[derive(Debug, Serialize, ToSchema)]
pub struct PlaceholderInfo {
    /// Its text with its brackets.
    pub text: String,
    /// body, table, header, footer, text box or note.
    pub place: String,
    /// The line of text that it stands in.
    pub line: String,
    /// The names that it looks up.
    pub names: Vec<String>,
}

/// A problem.
#[derive(Debug, Serialize, ToSchema)]
pub struct ProblemInfo {
    /// A short name for programs.
    pub code: String,
    /// What is wrong and what to do.
    pub message: String,
    /// Where it stands.
    pub place: String,
    /// The line of text that it stands in.
    pub line: String,
    /// The placeholder.
    pub placeholder: String,
    /// The spot in the placeholder after its `[:`, in bytes.
    pub start: usize,
    /// The end of the spot.
    pub end: usize,
}

impl From<&Placeholder> for PlaceholderInfo {
    fn from(p: &Placeholder) -> Self {
        PlaceholderInfo {
            text: p.text.clone(),
            place: p.place.words().to_owned(),
            line: p.line.clone(),
            names: p.names.iter().map(|n| n.name.clone()).collect(),
        }
    }
}

impl From<&TemplateProblem> for ProblemInfo {
    fn from(p: &TemplateProblem) -> Self {
        ProblemInfo {
            code: p.code.to_owned(),
            message: p.message.clone(),
            place: p.place.words().to_owned(),
            line: p.line.clone(),
            placeholder: p.placeholder.clone(),
            start: p.span.start,
            end: p.span.end,
        }
    }
}

/// All templates, the newest first.
#[utoipa::path(get, path = "/api/templates", tag = "templates", responses((status = 200, body = Vec<TemplateInfo>)))]
async fn list(State(app): State<App>) -> Answer<Vec<TemplateInfo>> {
    Ok(Json(app.store.with(|c| templates::list(c)).await?))
}

/// Brings in a DOCX file as a template.
#[utoipa::path(post, path = "/api/templates", tag = "templates", request_body(content = FileForm, content_type = "multipart/form-data"), responses((status = 200, body = TemplateDetail), (status = 422, body = Problem)))]
async fn bring_in(State(app): State<App>, form: Multipart) -> Answer<TemplateDetail> {
    let mut last = None;
    for upload in files(form).await? {
        last = Some(keep(&app, None, upload).await?);
    }
    let id = last.ok_or_else(|| Refused::missing("the file"))?;
    detail(&app, id).await.map(Json)
}

/// Keeps a file as a new template, or as the next version of one.
pub async fn keep(app: &App, template: Option<i64>, upload: Upload) -> Result<i64, Refused> {
    let Upload { name, bytes } = upload;
    let size = bytes.len();
    let checked = bytes.clone();
    blocking(move || Template::open(checked).map(|_| ()))
        .await?
        .map_err(|e| Refused::unusable(e.code(), format!("“{name}”: {e}", name = name.clone())))?;
    let file = app.files.keep(bytes).await?;
    let kept = app
        .store
        .with(move |c| -> anyhow::Result<i64> {
            let t = c.transaction()?;
            let id = match template {
                Some(id) => id,
                None => templates::add(&t, &stem(&name))?,
            };
            templates::add_version(&t, id, &name, &file, size, &clock::stamp())?;
            t.commit()?;
            Ok(id)
        })
        .await?;
    Ok(kept)
}

async fn detail(app: &App, id: i64) -> Result<TemplateDetail, Refused> {
    let info = app.store.with(move |c| templates::get(c, id)).await?.ok_or_else(|| Refused::missing("the template"))?;
    let version = info.versions.first().ok_or_else(|| Refused::missing("the template"))?.id;
    let template = app.template(version).await?;
    Ok(TemplateDetail {
        info,
        placeholders: template.placeholders().iter().map(Into::into).collect(),
        problems: template.problems().iter().map(Into::into).collect(),
        outline: template.outline().iter().map(Into::into).collect(),
        told: told(template.found()),
    })
}

/// A template with its placeholders and problems.
#[utoipa::path(get, path = "/api/templates/{id}", tag = "templates", params(("id" = i64, Path)), responses((status = 200, body = TemplateDetail), (status = 404, body = Problem)))]
async fn show(State(app): State<App>, Path(id): Path<i64>) -> Answer<TemplateDetail> {
    detail(&app, id).await.map(Json)
}

/// Brings in a newer file as the next version; the earlier ones stay.
#[utoipa::path(post, path = "/api/templates/{id}", tag = "templates", params(("id" = i64, Path)), request_body(content = FileForm, content_type = "multipart/form-data"), responses((status = 200, body = TemplateDetail), (status = 422, body = Problem)))]
async fn replace(State(app): State<App>, Path(id): Path<i64>, form: Multipart) -> Answer<TemplateDetail> {
    app.store.with(move |c| templates::get(c, id)).await?.ok_or_else(|| Refused::missing("the template"))?;
    for upload in files(form).await? {
        keep(&app, Some(id), upload).await?;
    }
    detail(&app, id).await.map(Json)
}

/// Deletes a template that no dispatch and no run uses.
#[utoipa::path(delete, path = "/api/templates/{id}", tag = "templates", params(("id" = i64, Path)), responses((status = 200, body = bool), (status = 409, body = Problem)))]
async fn remove(State(app): State<App>, Path(id): Path<i64>) -> Answer<bool> {
    let uses = app.store.with(move |c| templates::uses(c, id)).await?;
    if uses > 0 {
        return Err(Refused::conflict("in-use", format!("{uses} dispatches and runs use this template; delete the dispatches first")));
    }
    Ok(Json(app.store.with(move |c| templates::delete(c, id)).await?))
}

/// The file of a version, as it was brought in.
#[utoipa::path(get, path = "/api/versions/{id}", tag = "templates", params(("id" = i64, Path)), responses((status = 200, content_type = "application/octet-stream", body = Vec<u8>)))]
async fn file(State(app): State<App>, Path(id): Path<i64>) -> Result<Response, Refused> {
    let version = app.store.with(move |c| templates::version(c, id)).await?.ok_or_else(|| Refused::missing("the version"))?;
    let bytes = app.files.get(&version.file).await?;
    Ok(download("application/vnd.openxmlformats-officedocument.wordprocessingml.document", &version.file_name, bytes))
}

/// A file to be saved under a name (RFC 6266).
pub fn download(kind: &str, name: &str, bytes: Vec<u8>) -> Response {
    attach(kind, name, bytes, "attachment")
}

/// A file with its name, shown or saved.
pub fn attach(kind: &str, name: &str, bytes: Vec<u8>, how: &str) -> Response {
    let encoded: String = name
        .bytes()
        .map(|b| {
            if b.is_ascii_alphanumeric() || b"-._ ".contains(&b) {
                char::from(b).to_string().replace(' ', "%20")
            } else {
                format!("%{b:02X}")
            }
        })
        .collect();
    let disposition = format!("{how}; filename*=UTF-8''{encoded}");
    ([(header::CONTENT_TYPE, kind.to_owned()), (header::CONTENT_DISPOSITION, disposition)], bytes).into_response()
}
