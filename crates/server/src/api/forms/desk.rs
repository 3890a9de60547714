//! Forms as the office writes them.

use axum::Json;
use axum::extract::{Path, Query, State};
use mangle_core::form::{Door, Form, FormProblem, Rules, form_for};
use mangle_core::template::needs;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use super::look::{AnswerBody, LookedBody, given};
use crate::error::{Answer, Problem, Refused};
use mangle_app::App;
use mangle_app::clock;
use mangle_app::store::forms::{self, KeptForm};
use mangle_app::store::{settings, templates};

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(make))
        .routes(routes!(show, write))
        .routes(routes!(open))
        .routes(routes!(close))
        .routes(routes!(try_out))
}

/// A form as its screen shows it.
#[derive(Debug, Serialize, ToSchema)]
pub struct FormBody {
    /// The source's number.
    pub id: i64,
    /// The source's name.
    pub name: String,
    /// The sheet of its answers.
    pub sheet_id: i64,
    /// The address under which it is answered.
    pub address: String,
    /// As it is written.
    pub draft: Form,
    /// What keeps it from being opened.
    pub problems: Vec<FormProblem>,
    /// closed, open, waiting (for its day), over or full.
    pub state: &'static str,
    /// Whether what is answered differs from what is written here.
    pub changed: bool,
    /// How many answers have come.
    pub answers: usize,
    /// How often it was written.
    pub revision: i64,
    /// Names of the template that the form can't ask for.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub left: Vec<String>,
}

impl FormBody {
    fn of(kept: KeptForm) -> FormBody {
        let problems = Rules::new(&kept.draft).problems().to_vec();
        let live = kept.live.as_ref().filter(|_| kept.open);
        let state = match live.map(|live| live.door(clock::now(), kept.answers)) {
            None => "closed",
            Some(Door::Open) => "open",
            Some(Door::NotYet(_)) => "waiting",
            Some(Door::Over(_)) => "over",
            Some(Door::Full(_)) => "full",
        };
        FormBody {
            id: kept.id,
            sheet_id: kept.sheet,
            address: format!("/f/{}", kept.token),
            changed: live.is_some_and(|live| *live != kept.draft),
            revision: kept.revision,
            draft: kept.draft,
            name: kept.name,
            answers: kept.answers,
            problems,
            state,
            left: Vec::new(),
        }
    }
}

async fn find(app: &App, id: i64) -> Result<KeptForm, Refused> {
    app.store.with(move |c| forms::get(c, id)).await?.ok_or_else(|| Refused::missing("the form"))
}

/// What a form begins with.
#[derive(Debug, Deserialize, ToSchema)]
struct NewForm {
    /// What it is called.
    #[serde(default)]
    name: String,
    /// The template whose names it asks for.
    template_id: Option<i64>,
}

/// Makes a form: an empty one, or one that asks for what a template needs.
#[utoipa::path(post, path = "/api/forms", tag = "forms", request_body = NewForm, responses((status = 200, body = FormBody), (status = 404, body = Problem)))]
async fn make(State(app): State<App>, Json(new): Json<NewForm>) -> Answer<FormBody> {
    let mut named = new.name.trim().to_owned();
    let home = app.store.with(|c| settings::read(c)).await?.home();
    let (mut form, mut left) = form_for(&named, &[], &home);
    if let Some(id) = new.template_id {
        let found = app.store.with(move |c| templates::list(c)).await?.into_iter().find(|t| t.id == id);
        let found = found.ok_or_else(|| Refused::missing("the template"))?;
        let version = found.version(None).ok_or_else(|| Refused::missing("the template"))?;
        let template = app.template(version.id).await?;
        if named.is_empty() {
            named.clone_from(&found.name);
        }
        (form, left) = form_for(&named, &needs(template.placeholders()), &home);
    }
    if named.is_empty() {
        named = "New form".to_owned();
    }
    form.title.clone_from(&named);
    let id = keep(&app, named, form).await?;
    Ok(Json(FormBody { left, ..FormBody::of(find(&app, id).await?) }))
}

async fn keep(app: &App, name: String, form: Form) -> Result<i64, Refused> {
    let token = super::door::secret()?;
    let id = app
        .store
        .change(move |t| -> anyhow::Result<i64> {
            let id = forms::make(t, &name, &token, &form, &clock::stamp())?;
            Ok(id)
        })
        .await?;
    Ok(id)
}

/// A form as the demo world has it, opened where it can be.
pub(crate) async fn furnish(app: &App, form: Form) -> Result<i64, Refused> {
    let id = keep(app, form.title.clone(), form).await?;
    open_as_written(app, id).await?;
    Ok(id)
}

/// A form.
#[utoipa::path(get, path = "/api/forms/{id}", tag = "forms", params(("id" = i64, Path)), responses((status = 200, body = FormBody), (status = 404, body = Problem)))]
async fn show(State(app): State<App>, Path(id): Path<i64>) -> Answer<FormBody> {
    Ok(Json(FormBody::of(find(&app, id).await?)))
}

#[derive(Debug, Deserialize, IntoParams)]
struct Seen {
    /// The revision that was changed: what was changed elsewhere meanwhile is not overwritten.
    revision: Option<i64>,
}

/// Save a form's draft; it is published by opening the form.
#[utoipa::path(put, path = "/api/forms/{id}", tag = "forms", params(("id" = i64, Path), Seen), request_body = Form, responses((status = 200, body = FormBody), (status = 404, body = Problem), (status = 409, body = Problem)))]
async fn write(State(app): State<App>, Path(id): Path<i64>, Query(seen): Query<Seen>, Json(mut draft): Json<Form>) -> Answer<FormBody> {
    find(&app, id).await?;
    number(&mut draft);
    let size = serde_json::to_string(&draft).map_or(usize::MAX, |text| text.len());
    if size > 1 << 20 {
        return Err(Refused::unusable("too-large", "the form is larger than 1 MB. Shorten its texts or split it."));
    }
    app.store.change(move |t| forms::write(t, id, seen.revision, &draft)).await?.done("the form")?;
    show(State(app), Path(id)).await
}

/// Gives fields without a number one of their own.
fn number(form: &mut Form) {
    let mut next = form.fields.iter().map(|f| f.id).max().unwrap_or(0).saturating_add(1);
    for field in form.fields.iter_mut().filter(|f| f.id == 0) {
        field.id = next;
        next = next.saturating_add(1);
    }
}

/// Opens a form as it is written now.
#[utoipa::path(post, path = "/api/forms/{id}/open", tag = "forms", params(("id" = i64, Path)), responses((status = 200, body = FormBody), (status = 422, body = Problem)))]
async fn open(State(app): State<App>, Path(id): Path<i64>) -> Answer<FormBody> {
    open_as_written(&app, id).await?;
    show(State(app), Path(id)).await
}

async fn open_as_written(app: &App, id: i64) -> Result<(), Refused> {
    let kept = find(app, id).await?;
    if let Some(problem) = Rules::new(&kept.draft).problems().first() {
        let field = kept.draft.fields.iter().find(|f| Some(f.id) == problem.field);
        let place = field.map(|f| format!("“{}”: ", f.title())).unwrap_or_default();
        return Err(Refused::unusable("form", format!("{place}{}", problem.message)));
    }
    app.store
        .change(move |t| -> Result<(), Refused> {
            forms::open(t, &kept)?;
            // A person's own column or relation may have taken a field's name.
            mangle_app::store::sheets::stand_together(t, kept.sheet)?;
            Ok(())
        })
        .await?;
    app.forget_sheets();
    Ok(())
}

/// Close a form; existing answers are kept.
#[utoipa::path(post, path = "/api/forms/{id}/close", tag = "forms", params(("id" = i64, Path)), responses((status = 200, body = FormBody)))]
async fn close(State(app): State<App>, Path(id): Path<i64>) -> Answer<FormBody> {
    app.store.with(move |c| forms::close(c, id)).await?;
    show(State(app), Path(id)).await
}

/// Looks at an answer to a form as it is written, for the form beside it.
#[utoipa::path(post, path = "/api/forms/{id}/look", tag = "forms", params(("id" = i64, Path)), request_body = AnswerBody, responses((status = 200, body = Vec<LookedBody>), (status = 404, body = Problem)))]
async fn try_out(State(app): State<App>, Path(id): Path<i64>, Json(body): Json<AnswerBody>) -> Answer<Vec<LookedBody>> {
    let kept = find(&app, id).await?;
    let rules = Rules::new(&kept.draft);
    let look = rules.look(&given(&rules, &body, &[]), clock::now());
    Ok(Json(LookedBody::all(&look.fields, &body)))
}
