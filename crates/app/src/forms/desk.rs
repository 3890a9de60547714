//! Forms as the office writes them.

use mangle_core::diagnostic::{Diagnostic, Target};
use mangle_core::form::{Door, Form, Rules, form_for};
use mangle_core::template::needs;
use serde::{Deserialize, Serialize};

use super::look::{AnswerBody, LookedBody, given};
use crate::store::forms::{self, KeptForm};
use crate::store::{settings, templates};
use crate::transfer::Download;
use crate::{App, Error, Outcome, clock};

/// A form as its screen shows it.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
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
    pub problems: Vec<Diagnostic>,
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
    fn of(app: &App, kept: KeptForm) -> FormBody {
        let problems = Rules::new(&kept.draft).problems().to_vec();
        let live = kept.live.as_ref().filter(|_| kept.open);
        let state = match live.map(|live| live.door(app.now(), kept.answers)) {
            None => "closed",
            Some(Door::Open) => "open",
            Some(Door::NotYet(_)) => "waiting",
            Some(Door::Over(_)) => "over",
            Some(Door::Full(_)) => "full",
        };
        FormBody {
            id: kept.id,
            sheet_id: kept.sheet,
            address: format!("{}/f/{}", app.public_url.as_deref().unwrap_or_default(), kept.token),
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

async fn find(app: &App, id: i64) -> Outcome<KeptForm> {
    app.store.with(move |c| forms::get(c, id)).await?.ok_or_else(|| Error::missing("the form"))
}

/// What a form begins with.
#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct NewForm {
    /// What it is called.
    #[serde(default)]
    pub name: String,
    /// The template whose names it asks for.
    pub template_id: Option<i64>,
}

/// Makes a form: an empty one, or one that asks for what a template needs.
pub async fn make(app: &App, new: NewForm) -> Outcome<FormBody> {
    let mut named = new.name.trim().to_owned();
    let home = app.store.with(|c| settings::read(c)).await?.home();
    let (mut form, mut left) = form_for(&named, &[], &home);
    if let Some(id) = new.template_id {
        let found = app.store.with(move |c| templates::list(c)).await?.into_iter().find(|t| t.id == id);
        let found = found.ok_or_else(|| Error::missing("the template"))?;
        let version = found.version(None).ok_or_else(|| Error::missing("the template"))?;
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
    let id = keep(app, named, form).await?;
    Ok(FormBody { left, ..FormBody::of(app, find(app, id).await?) })
}

async fn keep(app: &App, name: String, form: Form) -> Outcome<i64> {
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

/// Adds a copy of a form as it is written now: closed, without answers.
pub async fn copy(app: &App, id: i64) -> Outcome<FormBody> {
    let kept = find(app, id).await?;
    let made = keep(app, format!("{} (copy)", kept.name), kept.draft).await?;
    show(app, made).await
}

/// A form's address as a QR code (ISO/IEC 18004), to be printed or shown.
pub async fn qr(app: &App, id: i64) -> Outcome<Download> {
    use mangle_core::language::syntax::{Level, Symbology};
    let body = show(app, id).await?;
    let address = mangle_core::value::Value::text(&body.address);
    let symbol = mangle_documents::barcode::encode(Symbology::Qr, Level::M, &address, &[]);
    let symbol = symbol.map_err(|fault| Error::conflict("qr", fault.to_string()))?;
    // A module is as wide as eight dots of a screen.
    let (own, shown) = (format!("width=\"{0}\" height=\"{0}\"", symbol.width), format!("width=\"{0}\" height=\"{0}\"", 8 * symbol.width));
    let svg = String::from_utf8_lossy(&symbol.svg(0)).replacen(&own, &shown, 1);
    Ok(Download::new("image/svg+xml", &format!("{}.svg", body.name), svg))
}

/// A form as the demo world has it, opened where it can be.
pub async fn furnish(app: &App, form: Form) -> Outcome<i64> {
    let id = keep(app, form.title.clone(), form).await?;
    open_as_written(app, id).await?;
    Ok(id)
}

/// A form.
pub async fn show(app: &App, id: i64) -> Outcome<FormBody> {
    Ok(FormBody::of(app, find(app, id).await?))
}

#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::IntoParams))]
pub struct Seen {
    /// The revision that was changed: what was changed elsewhere meanwhile is not overwritten.
    pub revision: Option<i64>,
}

/// Save a form's draft; it is published by opening the form.
pub async fn write(app: &App, id: i64, seen: Seen, mut draft: Form) -> Outcome<FormBody> {
    find(app, id).await?;
    number(&mut draft);
    let size = serde_json::to_string(&draft).map_or(usize::MAX, |text| text.len());
    if size > 1 << 20 {
        return Err(Error::unusable("too-large", "the form is larger than 1 MB. Shorten its texts or split it."));
    }
    app.store.change(move |t| forms::write(t, id, seen.revision, &draft)).await?.done("the form")?;
    show(app, id).await
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
pub async fn open(app: &App, id: i64) -> Outcome<FormBody> {
    open_as_written(app, id).await?;
    show(app, id).await
}

async fn open_as_written(app: &App, id: i64) -> Outcome<()> {
    let kept = find(app, id).await?;
    if let Some(problem) = Rules::new(&kept.draft).problems().first() {
        let field = match problem.target {
            Target::Form { field, .. } => kept.draft.fields.iter().find(|f| Some(f.id) == field),
            _ => None,
        };
        let place = field.map(|f| format!("“{}”: ", f.title())).unwrap_or_default();
        return Err(Error::unusable("form", format!("{place}{problem}")));
    }
    app.store
        .change(move |t| -> Outcome<()> {
            forms::open(t, &kept)?;
            // A person's own column or relation may have taken a field's name.
            crate::store::sheets::stand_together(t, kept.sheet)?;
            Ok(())
        })
        .await?;
    app.forget_sheets();
    Ok(())
}

/// Close a form; existing answers are kept.
pub async fn close(app: &App, id: i64) -> Outcome<FormBody> {
    app.store.with(move |c| forms::close(c, id)).await?;
    show(app, id).await
}

/// Looks at an answer to a form as it is written, for the form beside it.
pub async fn try_out(app: &App, id: i64, body: AnswerBody) -> Outcome<Vec<LookedBody>> {
    let kept = find(app, id).await?;
    let rules = Rules::new(&kept.draft);
    let look = rules.look(&given(&rules, &body, &[]), app.now());
    Ok(LookedBody::all(&look.fields, &body))
}
