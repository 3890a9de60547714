//! Forms as they are answered: by anyone who has the address, who sees nothing
//! else.

use std::collections::HashMap;
use std::net::SocketAddr;
use std::sync::Arc;

use axum::Json;
use axum::extract::{ConnectInfo, DefaultBodyLimit, Multipart, Path, Query, State};
use axum::http::{Extensions, StatusCode};
use axum::response::{IntoResponse, Response};
use jiff::civil::DateTime;
use mangle_core::form::{Door, Form, FormField, FormFieldKind, Rules};
use mangle_core::language::Folded;
use mangle_core::records::Cell;
use mangle_core::value::{Length, Locale};
use mangle_documents::picture;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use super::guard::{Asked, Guard};
use super::look::{AnswerBody, GivenBody, LookedBody, arrived, given};
use crate::api::upload::{FileForm, files};
use crate::error::{Answer, Problem, Refused};
use mangle_app::App;
use mangle_app::clock;
use mangle_app::prepare::blocking;
use mangle_app::store::forms::{self, Arrival, KeptForm};

/// The most bytes of an answer without its files.
const LARGEST_ANSWER: usize = 1 << 20;
/// The most bytes that come with a file.
const LARGEST_FILE: usize = 34 << 20;
/// The most files that may wait for the answers of a form.
const MOST_WAITING: usize = 2_000;
/// How long they wait.
const WAITING_DAYS: i64 = 7;

pub fn router() -> OpenApiRouter<App> {
    let words = OpenApiRouter::new().routes(routes!(show, send)).routes(routes!(look)).layer(DefaultBodyLimit::max(LARGEST_ANSWER));
    words.merge(OpenApiRouter::new().routes(routes!(take_file)).layer(DefaultBodyLimit::max(LARGEST_FILE)))
}

/// A text that nobody guesses: 160 bits.
pub fn secret() -> Result<String, Refused> {
    let mut bytes = [0u8; 20];
    getrandom::fill(&mut bytes).map_err(|e| anyhow::anyhow!("no random data from the system: {e}"))?;
    Ok(bytes.iter().map(|b| format!("{b:02x}")).collect())
}

/// A form for who answers it.
#[derive(Debug, Serialize, ToSchema)]
struct PublicForm {
    /// What stands above it.
    title: String,
    /// What stands below the title.
    intro: String,
    /// Its language: a BCP 47 tag.
    locale: String,
    /// The words on its button.
    send: String,
    /// Why it can't be answered; nothing where it can.
    shut: Option<String>,
    /// What it asks.
    fields: Vec<PublicField>,
    /// What stands in it at first.
    given: AnswerBody,
    /// How it is shown at first.
    look: Vec<LookedBody>,
}

/// A field for who answers it.
#[derive(Debug, Serialize, ToSchema)]
pub struct PublicField {
    id: u32,
    kind: FormFieldKind,
    label: String,
    help: String,
    required: bool,
    options: Vec<String>,
    mask: String,
    currency: String,
    /// How many files it takes.
    files: usize,
    /// The largest of them, in megabytes.
    megabytes: u64,
}

impl PublicField {
    fn of(field: &FormField) -> PublicField {
        PublicField {
            id: field.id,
            kind: field.kind,
            label: field.title().to_owned(),
            help: field.help.clone(),
            required: field.required || field.kind == FormFieldKind::Accept,
            options: field.options.clone(),
            mask: if field.kind == FormFieldKind::Text { field.mask.clone() } else { String::new() },
            currency: field.currency.clone(),
            files: field.most_files(),
            megabytes: field.largest() >> 20,
        }
    }
}

/// A form as it is answered: only once it was opened.
async fn find(app: &App, token: String) -> Result<(KeptForm, Form), Refused> {
    let gone = || Refused::new(StatusCode::NOT_FOUND, "no-form", "this link is not valid. Ask the sender for a new one.");
    let mut kept = app.store.with(move |c| forms::by_token(c, &token)).await?.ok_or_else(gone)?;
    let live = kept.live.take().ok_or_else(gone)?;
    Ok((kept, live))
}

/// Why a form takes no answer, in its own words or in ours.
fn shut(kept: &KeptForm, live: &Form, now: DateTime) -> Option<String> {
    let locale = Locale::parse(&live.locale).unwrap_or_else(|_| Locale::english());
    let moment = |at: DateTime| format!("{}, {:02}:{:02}", locale.date(at.date(), Length::Long), at.hour(), at.minute());
    let ours = match live.door(now, kept.answers) {
        Door::Open if kept.open => return None,
        Door::NotYet(from) if kept.open => format!("This form opens on {}.", moment(from)),
        Door::Over(since) => format!("This form closed on {}.", moment(since)),
        Door::Full(_) => "This form is closed: it has reached its limit of answers.".to_owned(),
        _ => "This form is closed.".to_owned(),
    };
    Some(if live.shut.trim().is_empty() { ours } else { live.shut.clone() })
}

/// Refuses what comes too often from one sender.
fn pass(extensions: &Extensions, asked: Asked, token: &str) -> Result<(), Refused> {
    let guard = extensions.get::<Arc<Guard>>().ok_or_else(|| anyhow::anyhow!("the guard is missing"))?;
    guard.pass(asked, token, sender(extensions))
}

fn sender(extensions: &Extensions) -> Option<std::net::IpAddr> {
    extensions.get::<ConnectInfo<SocketAddr>>().map(|from| from.0.ip())
}

/// What the address fills in: `?first_name=Ada`.
fn from_address(rules: &Rules, asked: &HashMap<String, String>) -> AnswerBody {
    let by_name: HashMap<Folded, &String> = asked.iter().map(|(name, text)| (Folded::new(name), text)).collect();
    let filled = rules.asked().filter(|f| !f.kind.takes_files() && f.kind != FormFieldKind::Accept);
    let given = filled.filter_map(|field| {
        let text = by_name.get(&Folded::new(&field.name))?;
        let text: String = text.chars().take(2_000).collect();
        Some((
            field.id,
            match field.kind {
                FormFieldKind::Choices => GivenBody::Many(text.split(';').map(|o| o.trim().to_owned()).collect()),
                FormFieldKind::YesNo => GivenBody::Yes(mangle_core::value::read::yes_no(&text).unwrap_or(false)),
                _ => GivenBody::Text(text),
            },
        ))
    });
    given.collect()
}

/// Get a public form; query parameters prefill its fields.
#[utoipa::path(get, path = "/api/answer/{token}", tag = "answer", params(("token" = String, Path)), responses((status = 200, body = PublicForm), (status = 404, body = Problem)))]
async fn show(
    State(app): State<App>,
    Path(token): Path<String>,
    Query(asked): Query<HashMap<String, String>>,
    extensions: Extensions,
) -> Answer<PublicForm> {
    pass(&extensions, Asked::Look, &token)?;
    let (kept, live) = find(&app, token).await?;
    let now = clock::now();
    let shut = shut(&kept, &live, now);
    let rules = Rules::new(&live);
    let body = from_address(&rules, &asked);
    let looked = rules.look(&given(&rules, &body, &[]), now);
    let open = shut.is_none();
    let fields = live.fields.iter().filter(|f| open && f.kind != FormFieldKind::Hidden).map(PublicField::of).collect();
    let look = if open { LookedBody::all(&looked.fields, &body) } else { Vec::new() };
    Ok(Json(PublicForm { title: live.title, intro: live.intro, locale: live.locale, send: live.send, shut, fields, given: body, look }))
}

/// Validate an answer being entered: visible fields and errors.
#[utoipa::path(post, path = "/api/answer/{token}/look", tag = "answer", params(("token" = String, Path)), request_body = AnswerBody, responses((status = 200, body = Vec<LookedBody>), (status = 404, body = Problem)))]
async fn look(
    State(app): State<App>,
    Path(token): Path<String>,
    extensions: Extensions,
    Json(body): Json<AnswerBody>,
) -> Answer<Vec<LookedBody>> {
    pass(&extensions, Asked::Look, &token)?;
    let (kept, live) = find(&app, token).await?;
    let rules = Rules::new(&live);
    let asked = body.clone();
    let (rules, arrived) =
        app.store.with(move |c| -> anyhow::Result<_> { Ok((arrived(c, kept.id, &rules, &asked)?, rules)) }).await.map(|(a, r)| (r, a))?;
    let looked = rules.look(&given(&rules, &body, &arrived), clock::now());
    Ok(Json(LookedBody::all(&looked.fields, &body)))
}

/// A file that came.
#[derive(Debug, Serialize, ToSchema)]
struct Arrived {
    /// What the answer calls it by.
    key: String,
    /// Its name as it came.
    name: String,
    /// Its size in bytes.
    size: u64,
}

/// Which field a file is for.
#[derive(Debug, Deserialize)]
struct ForField {
    field: u32,
}

/// Takes a file for a field. Pictures are known by their content.
#[utoipa::path(post, path = "/api/answer/{token}/files", tag = "answer", params(("token" = String, Path), ("field" = u32, Query)), request_body(content = FileForm, content_type = "multipart/form-data"), responses((status = 200, body = Arrived), (status = 422, body = Problem)))]
async fn take_file(
    State(app): State<App>,
    Path(token): Path<String>,
    Query(ForField { field }): Query<ForField>,
    extensions: Extensions,
    form: Multipart,
) -> Answer<Arrived> {
    pass(&extensions, Asked::File, &token)?;
    let (kept, live) = find(&app, token).await?;
    if let Some(words) = shut(&kept, &live, clock::now()) {
        return Err(Refused::conflict("shut", words));
    }
    let field = live.fields.into_iter().find(|f| f.id == field && f.kind.takes_files()).ok_or_else(|| Refused::missing("the field"))?;
    let upload = files(form).await?.into_iter().next().ok_or_else(|| Refused::unusable("no-file", "no file selected. Choose one."))?;
    let size = upload.bytes.len() as u64;
    if size > field.largest() {
        let limit = field.largest() >> 20;
        return Err(Refused::unusable("too-large", format!("“{}” is larger than {limit} MB. Choose a smaller file.", upload.name)));
    }
    let (name, bytes) = (upload.name, upload.bytes);
    let (bytes, is_picture) = blocking(move || {
        let is_picture = picture::is_photograph(&bytes);
        (bytes, is_picture)
    })
    .await?;
    if field.kind.takes_pictures() && !is_picture {
        return Err(Refused::unusable("picture", format!("“{name}” is not a readable picture. Use JPEG, PNG, GIF or WebP.")));
    }
    if app.store.with(move |c| forms::waiting(c, kept.id)).await? >= MOST_WAITING {
        return Err(Refused::new(StatusCode::TOO_MANY_REQUESTS, "too-many", "too many uploads at the moment. Try again later."));
    }
    let file = app.files.keep(bytes).await?;
    let key = secret()?;
    let arrival = Arrival { name: own_name(&name, &key), key: key.clone(), field: field.id, file, size, picture: is_picture };
    let now = clock::now();
    let old = now.checked_sub(jiff::Span::new().days(WAITING_DAYS)).unwrap_or(now).to_string();
    app.store.with(move |c| forms::arrive(c, kept.id, &arrival, &now.to_string(), &old)).await?;
    Ok(Json(Arrived { key, name, size }))
}

/// A name of its own among the files of a form: `grace-3f9a61.jpg`.
fn own_name(name: &str, key: &str) -> String {
    let safe =
        |text: &str| text.chars().map(|c| if c.is_alphanumeric() || "-_ .".contains(c) { c } else { '-' }).take(60).collect::<String>();
    let own = key.get(..6).unwrap_or(key);
    match name.rsplit_once('.') {
        Some((stem, ending)) if !stem.is_empty() && ending.len() <= 5 => format!("{}-{own}.{}", safe(stem.trim()), safe(ending)),
        _ => format!("{}-{own}", safe(name.trim())),
    }
}

/// An answer.
#[derive(Debug, Deserialize, ToSchema)]
struct Sent {
    /// What was given to the fields.
    given: AnswerBody,
    /// Not shown to people: what fills it in is none.
    #[serde(default)]
    homepage: String,
    /// A text of the sender's own: what is sent twice under it is taken once.
    #[serde(default)]
    once: String,
}

/// What is said to who has answered.
#[derive(Debug, Serialize, ToSchema)]
struct Thanks {
    /// The words of the form.
    thanks: String,
}

/// Why an answer was not taken.
#[derive(Debug, Serialize, ToSchema)]
struct NotTaken {
    code: &'static str,
    #[serde(serialize_with = "mangle_core::words::as_sentence")]
    message: String,
    /// The fields with what is wrong.
    look: Vec<LookedBody>,
}

/// Submit an answer; it is validated again.
#[utoipa::path(post, path = "/api/answer/{token}", tag = "answer", params(("token" = String, Path)), request_body = Sent, responses((status = 200, body = Thanks), (status = 422, body = NotTaken), (status = 409, body = Problem)))]
async fn send(
    State(app): State<App>,
    Path(token): Path<String>,
    extensions: Extensions,
    Json(sent): Json<Sent>,
) -> Result<Response, Refused> {
    pass(&extensions, Asked::Answer, &token)?;
    find(&app, token.clone()).await?;
    let now = clock::now();
    let (done, kept) = app
        .store
        .change(move |t| -> Result<(Result<String, NotTaken>, bool), Refused> {
            // Read again within the transaction: two that come at once both count.
            let mut kept = forms::by_token(t, &token)?.ok_or_else(|| Refused::missing("the form"))?;
            let live = kept.live.take().ok_or_else(|| Refused::missing("the form"))?;
            if let Some(words) = shut(&kept, &live, now) {
                return Err(Refused::conflict("shut", words));
            }
            let rules = Rules::new(&live);
            let arrived = arrived(t, kept.id, &rules, &sent.given)?;
            let look = rules.look(&given(&rules, &sent.given, &arrived), now);
            if !look.will_do() {
                let wrong = look.fields.iter().filter(|f| f.wrong.is_some()).count();
                let message = match wrong {
                    1 => "Please correct the marked field.".to_owned(),
                    many => format!("Please correct the {many} marked fields."),
                };
                return Ok((Err(NotTaken { code: "answer", message, look: LookedBody::all(&look.fields, &sent.given) }), false));
            }
            let thanks = rules.thanks(&look.record, now);
            // Whoever fills in what no person sees is thanked like all others.
            let once: String = sent.once.chars().take(64).collect();
            let counts = sent.homepage.is_empty() && (once.is_empty() || forms::first_time(t, kept.id, &once)?);
            if counts {
                let cells: Vec<(u32, Cell)> = rules.asked().map(|f| f.id).zip(look.cells()).collect();
                let kept_files: Vec<Arrival> =
                    arrived.into_iter().filter(|a| look.fields.iter().any(|f| f.field == a.field && f.shown)).collect();
                forms::answer(t, &kept, Cell::Date(now), &cells, &kept_files)?;
            }
            Ok((Ok(thanks), counts))
        })
        .await?;
    // What no record came of leaves the open sheets alone.
    if kept {
        app.forget_sheets();
    }
    Ok(match done {
        Ok(thanks) => Json(Thanks { thanks }).into_response(),
        Err(not_taken) => (StatusCode::UNPROCESSABLE_ENTITY, Json(not_taken)).into_response(),
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn files_get_names_of_their_own_without_paths() {
        assert_eq!(own_name("Grace.JPG", "3f9a61bb"), "Grace-3f9a61.JPG");
        assert_eq!(own_name("../../etc/passwd", "3f9a61bb"), "..-..-etc-passwd-3f9a61");
        assert_eq!(own_name(".jpg", "3f9a61bb"), ".jpg-3f9a61");
    }

    #[test]
    fn addresses_can_not_be_guessed() {
        let (one, other) = (secret().expect("random"), secret().expect("random"));
        assert!(one.len() == 40 && one != other);
    }
}
