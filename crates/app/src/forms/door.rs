//! Forms as they are answered: by anyone who has the address, who sees nothing else.

use std::collections::HashMap;

use jiff::civil::DateTime;
use mangle_core::form::{Door, Form, FormField, FormFieldKind, Rules};
use mangle_core::language::Folded;
use mangle_core::records::Cell;
use mangle_core::value::{Length, Locale};
use mangle_documents::picture;
use serde::{Deserialize, Serialize};

use super::look::{AnswerBody, GivenBody, LookedBody, arrived, given};
use crate::prepare::blocking;
use crate::store::forms::{self, Arrival, KeptForm};
use crate::store::{Transaction, firings};
use crate::transfer::Upload;
use crate::{App, Error, ErrorKind, Outcome, clock};

/// The most files that may wait for the answers of a form, and the most bytes for those of all.
const MOST_WAITING: (usize, u64) = (2_000, 2 << 30);
/// How long they wait, in hours: until they go in any case, and until they make room for others.
const WAITING: (i64, i64) = (7 * 24, 1);

/// A text that nobody guesses: 160 bits.
pub fn secret() -> Outcome<String> {
    let mut bytes = [0u8; 20];
    getrandom::fill(&mut bytes).map_err(|e| anyhow::anyhow!("no random data from the system: {e}"))?;
    Ok(bytes.iter().map(|b| format!("{b:02x}")).collect())
}

/// A form for who answers it.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct PublicForm {
    /// What stands above it.
    pub title: String,
    /// What stands below the title.
    pub intro: String,
    /// Its language: a BCP 47 tag.
    pub locale: String,
    /// The words on its button.
    pub send: String,
    /// Why it can't be answered; nothing where it can.
    pub shut: Option<String>,
    /// What it asks.
    pub fields: Vec<PublicField>,
    /// What stands in it at first.
    pub given: AnswerBody,
    /// How it is shown at first.
    pub look: Vec<LookedBody>,
}

/// A field for who answers it.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct PublicField {
    pub id: u32,
    pub kind: FormFieldKind,
    pub label: String,
    pub help: String,
    pub required: bool,
    pub options: Vec<String>,
    pub mask: String,
    pub currency: String,
    /// How many files it takes.
    pub files: usize,
    /// The largest of them, in megabytes.
    pub megabytes: u64,
    /// The rows that it belongs to, by their number; 0 for none.
    pub group: u32,
    /// The most rows that it takes.
    pub most_rows: usize,
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
            group: field.group,
            most_rows: field.most.trim().parse().unwrap_or(100).clamp(1, 100),
        }
    }
}

/// A form as it is answered: only once it was opened.
async fn find(app: &App, token: String) -> Outcome<(KeptForm, Form)> {
    let gone = || Error::new(ErrorKind::Missing, "no-form", "this link is not valid. Ask the sender for a new one.");
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

/// What the address fills in: `?first_name=Ada`.
fn from_address(rules: &Rules, asked: &HashMap<String, String>) -> AnswerBody {
    let by_name: HashMap<Folded, &String> = asked.iter().map(|(name, text)| (Folded::new(name), text)).collect();
    let is_asked =
        |f: &&FormField| !f.kind.takes_files() && !matches!(f.kind, FormFieldKind::Accept | FormFieldKind::Rows | FormFieldKind::Computed);
    let filled = rules.asked().filter(is_asked);
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
pub async fn show(app: &App, token: String, asked: HashMap<String, String>) -> Outcome<PublicForm> {
    let (kept, live) = find(app, token).await?;
    let now = app.now();
    let shut = shut(&kept, &live, now);
    let rules = Rules::new(&live);
    let body = from_address(&rules, &asked);
    let looked = rules.look(&given(&rules, &body, &[]), now);
    let open = shut.is_none();
    let fields = live.fields.iter().filter(|f| open && f.kind != FormFieldKind::Hidden).map(PublicField::of).collect();
    let look = if open { LookedBody::all(&looked.fields, &body) } else { Vec::new() };
    Ok(PublicForm { title: live.title, intro: live.intro, locale: live.locale, send: live.send, shut, fields, given: body, look })
}

/// Validate an answer being entered: visible fields and errors.
pub async fn look(app: &App, token: String, body: AnswerBody) -> Outcome<Vec<LookedBody>> {
    let (kept, live) = find(app, token).await?;
    let rules = Rules::new(&live);
    let asked = body.clone();
    let (rules, arrived) =
        app.store.with(move |c| -> anyhow::Result<_> { Ok((arrived(c, kept.id, &rules, &asked)?, rules)) }).await.map(|(a, r)| (r, a))?;
    let looked = rules.look(&given(&rules, &body, &arrived), app.now());
    Ok(LookedBody::all(&looked.fields, &body))
}

/// A file that came.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Arrived {
    /// What the answer calls it by.
    pub key: String,
    /// Its name as it came.
    pub name: String,
    /// Its size in bytes.
    pub size: u64,
}

/// Takes a file for a field. Pictures are known by their content.
pub async fn take_file(app: &App, token: String, field: u32, upload: Upload) -> Outcome<Arrived> {
    let (kept, live) = find(app, token).await?;
    if let Some(words) = shut(&kept, &live, app.now()) {
        return Err(Error::conflict("shut", words));
    }
    let field = live.fields.into_iter().find(|f| f.id == field && f.kind.takes_files()).ok_or_else(|| Error::missing("the field"))?;
    let size = upload.bytes.len() as u64;
    if size > field.largest() {
        let limit = field.largest() >> 20;
        return Err(Error::unusable("too-large", format!("“{}” is larger than {limit} MB. Choose a smaller file.", upload.name)));
    }
    let (name, bytes) = (upload.name, upload.bytes);
    let (bytes, is_picture) = blocking(move || {
        let is_picture = picture::is_photograph(&bytes);
        (bytes, is_picture)
    })
    .await?;
    if field.kind.takes_pictures() && !is_picture {
        return Err(Error::unusable("picture", format!("“{name}” is not a readable picture. Use JPEG, PNG, GIF or WebP.")));
    }
    let now = clock::now();
    let before = |hours: i64| now.checked_sub(jiff::Span::new().hours(hours)).unwrap_or(now).to_string();
    let (old, lately) = (before(WAITING.0), before(WAITING.1));
    let room = move |t: &Transaction<'_>| forms::make_room(t, kept.id, size, MOST_WAITING, (&old, &lately));
    let (room, gone) = app.store.change(room).await?;
    if gone {
        tidy(app).await?;
    }
    if !room {
        return Err(Error::new(ErrorKind::TooMany, "too-many", "too many uploads at the moment. Try again in an hour."));
    }
    let key = secret()?;
    let _one_at_a_time = app.arriving.lock().await;
    let file = app.arrived.keep(bytes).await?;
    let arrival = Arrival { name: own_name(&name, &key), key: key.clone(), field: field.id, file, size, picture: is_picture };
    app.store.change(move |t| forms::arrive(t, kept.id, &arrival, &now.to_string())).await?;
    Ok(Arrived { key, name, size })
}

/// Deletes the files that no answer waits for any more.
pub(crate) async fn tidy(app: &App) -> anyhow::Result<()> {
    delete_unwanted(app, app.arrived.names().await?).await
}

/// Deletes those of some files that no answer waits for.
async fn delete_unwanted(app: &App, files: Vec<String>) -> anyhow::Result<()> {
    let _one_at_a_time = app.arriving.lock().await;
    for file in files {
        let wanted = file.clone();
        if !app.store.with(move |c| forms::is_waiting(c, &wanted)).await? {
            app.arrived.delete(&file).await?;
        }
    }
    Ok(())
}

/// Takes the files of an answer over among those of the office, before anything says that they
/// are there; those of an answer that will not be taken stay where they are.
async fn take_over(app: &App, form: i64, live: &Form, sent: &Sent, now: DateTime) -> Outcome<Vec<String>> {
    let (rules, body) = (Rules::new(live), sent.given.clone());
    let (rules, named) = app.store.read(move |c| arrived(c, form, &rules, &body).map(|named| (rules, named))).await?;
    if !sent.homepage.is_empty() || !rules.look(&given(&rules, &sent.given, &named), now).will_do() {
        return Ok(Vec::new());
    }
    for own in &named {
        match app.arrived.get(&own.file).await {
            Ok(bytes) => drop(app.files.keep(bytes).await?),
            // One that came to an older Mangle is there already.
            Err(_) => drop(
                app.files
                    .get(&own.file)
                    .await
                    .map_err(|_| Error::unusable("no-file", format!("the file “{}” is no longer there. Add it again.", own.name)))?,
            ),
        }
    }
    Ok(named.into_iter().map(|own| own.file).collect())
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
#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Sent {
    /// What was given to the fields.
    pub given: AnswerBody,
    /// Not shown to people: what fills it in is none.
    #[serde(default)]
    pub homepage: String,
    /// A text of the sender's own: what is sent twice under it is taken once.
    #[serde(default)]
    pub once: String,
}

/// What is said to who has answered.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Thanks {
    /// The words of the form.
    pub thanks: String,
}

/// Why an answer was not taken.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct NotTaken {
    pub code: &'static str,
    #[serde(serialize_with = "mangle_core::words::as_sentence")]
    pub message: String,
    /// The fields with what is wrong.
    pub look: Vec<LookedBody>,
}

/// Submit an answer; it is validated again.
pub async fn send(app: &App, token: String, sent: Sent) -> Outcome<Result<Thanks, NotTaken>> {
    let (form, live) = find(app, token.clone()).await?;
    let now = app.now();
    let taken = take_over(app, form.id, &live, &sent, now).await?;
    let (done, kept, fired) = app
        .store
        .change(move |t| -> Outcome<(Result<String, NotTaken>, bool, bool)> {
            let mut fired = false;
            // Read again within the transaction: two that come at once both count.
            let mut kept = forms::by_token(t, &token)?.ok_or_else(|| Error::missing("the form"))?;
            let live = kept.live.take().ok_or_else(|| Error::missing("the form"))?;
            if let Some(words) = shut(&kept, &live, now) {
                return Err(Error::conflict("shut", words));
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
                return Ok((Err(NotTaken { code: "answer", message, look: LookedBody::all(&look.fields, &sent.given) }), false, fired));
            }
            let thanks = rules.thanks(&look.record, now);
            // Whoever fills in what no person sees is thanked like all others.
            let once: String = sent.once.chars().take(64).collect();
            let counts = sent.homepage.is_empty() && (once.is_empty() || forms::first_time(t, kept.id, &once)?);
            if counts {
                let cells: Vec<(u32, Cell)> = rules.asked().map(|f| f.id).zip(look.cells()).collect();
                let kept_files: Vec<Arrival> =
                    arrived.into_iter().filter(|a| look.fields.iter().any(|f| f.field == a.field && f.shown)).collect();
                let row = forms::answer(t, &kept, Cell::Date(now), &cells, &kept_files)?;
                fired = firings::answered(t, kept.sheet, row, &clock::stamp())? > 0;
            }
            Ok((Ok(thanks), counts, fired))
        })
        .await?;
    delete_unwanted(app, taken).await?;
    // What no record came of leaves the open sheets alone.
    if kept {
        app.forget_sheets();
    }
    if fired {
        app.firings.wake();
    }
    Ok(done.map(|thanks| Thanks { thanks }))
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
