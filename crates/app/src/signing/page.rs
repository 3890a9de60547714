//! The signer's page: what whoever has the link of a signer may see and do, and nothing of any
//! other round.

use std::collections::BTreeMap;

use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use jiff::civil::DateTime;
use mangle_core::language::{Context, Scope, Ties};
use mangle_core::records::{Record, Schema};
use mangle_core::signing::{Act, FieldFont, Person, RoundState, SeatState};
use mangle_core::template::TextTemplate;
use mangle_core::value::{EmailAddress, Locale};
use mangle_documents::layout::FontSet;
use mangle_documents::picture::signature_picture;
use mangle_documents::seal::{Drawn, Look, Mark, looks, mark};
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};

use super::{SignerLinks, act, refused, told};
use crate::prepare::blocking;
use crate::share::same;
use crate::store::rounds::{self, FileState, RoundField, RoundRow, SignerLink};
use crate::store::{Connection, settings};
use crate::transfer::Download;
use crate::{Actor, App, Error, ErrorKind, Outcome, clock, jobs};

/// For how long a page that was opened can be used, in seconds.
const OPEN_FOR: i64 = 12 * 3_600;
/// After how many wrong passcodes a link opens nothing any more.
const MOST_WRONG: i64 = 10;
/// The longest text that a signer fills in.
const LONGEST: usize = 500;
/// How often a signature is written again where others signed in the same moment.
const TRIES: usize = 20;

/// What a signer's link leads to.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct SignerPage {
    /// Whom the document comes from.
    pub office: String,
    /// The signer's language, a BCP 47 tag.
    pub language: String,
    /// Whether it can be opened, and how.
    pub state: SignerPageState,
    /// Why it can't be opened, a word for programs; blank where it can.
    pub reason: String,
}

/// Whether a signer's link can be opened.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case")]
pub enum SignerPageState {
    /// By whoever has it.
    Open,
    /// With a passcode.
    Passcode,
    /// Not, or not any more.
    Closed,
}

/// A document that is to be signed, for one signer.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct SignerNow {
    /// What all else is asked for with; good for twelve hours.
    pub key: String,
    /// What the document is called.
    pub title: String,
    /// The signer's name.
    pub name: String,
    /// The signer role.
    pub role: String,
    /// The signer's language, a BCP 47 tag.
    pub language: String,
    /// What the signer agrees to before signing.
    pub consent: String,
    /// Whether the signer has agreed.
    pub consented: bool,
    /// Whether the signer has signed.
    pub signed: bool,
    /// The fields to fill in.
    pub fields: Vec<SignerField>,
    /// What was filled in so far.
    #[cfg_attr(feature = "openapi", schema(value_type = Object))]
    pub filled: Value,
    /// Who signs before, beside and after.
    pub others: Vec<SignerOther>,
    /// Whether somebody else may sign instead.
    pub hand_on: bool,
    /// Whether the signer can decline.
    pub decline: bool,
    /// Until when it can be signed, in UTC; none where there is no end.
    pub ends: Option<String>,
}

/// A field to fill in.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct SignerField {
    /// The field.
    #[serde(flatten)]
    pub field: RoundField,
}

/// Another signer, as the one at hand sees them.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct SignerOther {
    /// The name.
    pub name: String,
    /// The signer role.
    pub role: String,
    /// The step.
    pub step: u32,
    /// Whether the role is signed.
    pub signed: bool,
    /// Whether it is the signer at hand.
    pub you: bool,
}

/// What was filled in so far, to come back to.
#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct FilledIn {
    /// What opening the page gave.
    pub key: String,
    /// Texts by the numbers of fields.
    pub values: BTreeMap<usize, String>,
}

/// A signature or initials.
#[derive(Debug, Clone, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct SignatureInput {
    /// The text that was typed; blank where it is a picture.
    #[serde(default)]
    pub typed: String,
    /// The picture (PNG, JPEG, WebP or GIF) in base64; blank where it was typed.
    #[serde(default)]
    pub picture: String,
}

/// A signature with all that belongs to it.
#[derive(Debug, Clone, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct SignInput {
    /// What opening the page gave.
    pub key: String,
    /// Whether the signer agrees to sign electronically.
    pub consent: bool,
    /// The signature, for all fields that ask for one.
    #[serde(default)]
    pub signature: Option<SignatureInput>,
    /// The initials.
    #[serde(default)]
    pub initials: Option<SignatureInput>,
    /// Names, texts, choices and ticks (`yes`) by the numbers of fields.
    #[serde(default)]
    pub values: BTreeMap<usize, String>,
}

/// What became of a signature.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Signed {
    /// Whether everyone has signed.
    pub completed: bool,
}

fn not_valid() -> Error {
    Error::new(ErrorKind::Missing, "no-link", "this link is not valid. Ask the sender for a new one.")
}

/// The link, the round and the office of a token.
fn find(c: &Connection, token: &str) -> Outcome<(SignerLink, RoundRow, String)> {
    let link = rounds::by_token(c, &SignerLinks::digest(token))?.ok_or_else(not_valid)?;
    let row = rounds::get(c, link.round_id)?.ok_or_else(not_valid)?;
    Ok((link, row, settings::read(c)?.office_name))
}

/// Why a link opens nothing; none where it does.
fn closed(link: &SignerLink, row: &RoundRow) -> Option<&'static str> {
    match row.round.state {
        RoundState::Completed => Some("completed"),
        RoundState::Withdrawn => Some("withdrawn"),
        RoundState::Declined => Some("declined"),
        RoundState::Expired => Some("expired"),
        _ if link.revoked && row.round.seats.get(link.place.seat).is_some_and(|seat| seat.is_signed()) => Some("signed-by-other"),
        _ if link.revoked => Some("replaced"),
        _ if link.wrong >= MOST_WRONG => Some("locked"),
        _ => None,
    }
}

fn words(reason: &str) -> &'static str {
    match reason {
        "completed" => "everyone has signed. The signed document was sent by e-mail.",
        "withdrawn" => "the sender has withdrawn this document",
        "declined" => "this document will not be signed: somebody declined",
        "expired" => "the time to sign this document is over. Ask the sender for a new link.",
        "signed-by-other" => "somebody else has signed in your place",
        "replaced" => "this link was replaced by another. Use the newest message.",
        _ => "too many wrong passcodes. Ask the sender for a new link.",
    }
}

fn person(link: &SignerLink, row: &RoundRow) -> Outcome<Person> {
    let found = row.round.seats.get(link.place.seat).and_then(|seat| seat.people.get(link.place.person));
    found.cloned().ok_or_else(not_valid)
}

impl App {
    /// What makes the links of signers.
    pub(crate) fn signer_links(&self) -> SignerLinks {
        SignerLinks::new(self.public_url.as_deref().unwrap_or_default(), &self.secrets.derive("signers' links"))
    }

    /// The page of a signer's link.
    pub async fn signer_page(&self, token: String) -> Outcome<SignerPage> {
        let (link, row, office) = self.store.read(move |c| find(c, &token)).await?;
        let language = person(&link, &row)?.language;
        let (state, reason) = match closed(&link, &row) {
            Some(reason) => (SignerPageState::Closed, reason),
            None if row.plan.passcode.is_empty() => (SignerPageState::Open, ""),
            None => (SignerPageState::Passcode, ""),
        };
        Ok(SignerPage { office, language, state, reason: reason.to_owned() })
    }

    /// Opens a signer's link.
    pub async fn open_signer(&self, token: String, passcode: String) -> Outcome<SignerNow> {
        let links = self.signer_links();
        let opened = self.store.change(move |t| -> Outcome<Result<_, Error>> {
            let (link, row, _) = find(t, &token)?;
            if let Some(reason) = closed(&link, &row) {
                return Err(Error::conflict(reason, words(reason)));
            }
            if !row.plan.passcode.is_empty() && !same(&row.plan.passcode, passcode.trim()) {
                rounds::passcode(t, &link.nonce, false)?;
                return Ok(Err(Error::unusable("passcode", "this is not the passcode. Check it and enter it again.")));
            }
            rounds::passcode(t, &link.nonce, true)?;
            let at = clock::stamp();
            if rounds::opened(t, &link.nonce, &at)? {
                let own = person(&link, &row)?;
                let with = json!({ "role": row.round.seats[link.place.seat].role });
                rounds::happened(t, row.id, &at, &own.name, "opened", with)?;
                told(t, &row, Actor::Recipient, "opened", &own.name, &at)?;
            }
            Ok(Ok((link, row)))
        });
        let (link, row) = opened.await??;
        let key = links.key(&link.nonce, clock::seconds() + OPEN_FOR);
        now(&link, &row, key)
    }

    /// The link and the round of a page that was opened; what opened it must still count.
    async fn signing_with(&self, token: String, key: String) -> Outcome<(SignerLink, RoundRow)> {
        let links = self.signer_links();
        let (link, row, _) = self.store.read(move |c| find(c, &token)).await?;
        let expires: i64 = key.split_once('.').and_then(|(seconds, _)| seconds.parse().ok()).unwrap_or(0);
        if expires < clock::seconds() || !same(&links.key(&link.nonce, expires), &key) {
            return Err(Error::new(ErrorKind::Missing, "opened-long-ago", "this page has been open for too long. Reload it."));
        }
        if let Some(reason) = closed(&link, &row) {
            return Err(Error::conflict(reason, words(reason)));
        }
        Ok((link, row))
    }

    /// The document of a page that was opened, with what others have signed.
    pub async fn signer_document(&self, token: String, key: String) -> Outcome<Download> {
        let (_, row) = self.signing_with(token, key).await?;
        let bytes = self.files.get(&row.file).await?;
        Ok(Download::new("application/pdf", &format!("{}.pdf", row.title), bytes))
    }

    /// Keeps what a signer has filled in so far.
    pub async fn keep_signer(&self, token: String, filled: FilledIn) -> Outcome<()> {
        let (link, row) = self.signing_with(token, filled.key).await?;
        let own: Vec<usize> = own_fields(&link, &row).map(|field| field.number).collect();
        let values: BTreeMap<usize, String> =
            filled.values.into_iter().filter(|(number, text)| own.contains(number) && text.len() <= 4 * LONGEST).collect();
        let values = serde_json::to_value(values).map_err(anyhow::Error::new)?;
        Ok(self.store.change(move |t| rounds::fill(t, &link.nonce, &values)).await?)
    }

    /// Signs.
    pub async fn sign(&self, token: String, input: SignInput) -> Outcome<Signed> {
        let key = input.key.clone();
        for _ in 0..TRIES {
            let (link, row) = self.signing_with(token.clone(), key.clone()).await?;
            if let Some(done) = self.sign_as(link, row, input.clone(), Actor::Recipient).await? {
                return Ok(done);
            }
        }
        Err(Error::conflict("busy", "others are signing at this moment. Try again."))
    }

    /// Signs in a signer's place; none where the round was changed meanwhile.
    pub(super) async fn sign_as(&self, link: SignerLink, row: RoundRow, input: SignInput, who: Actor) -> Outcome<Option<Signed>> {
        let mut trial = row.round.clone();
        if !input.consent && !row.round.seats[link.place.seat].consented.contains(&link.place.person) {
            return Err(refused(mangle_core::signing::Refusal::NoConsent));
        }
        trial.act(&Act::Consent(link.place)).map_err(refused)?;
        trial.act(&Act::Sign { who: link.place, digest: String::new() }).map_err(refused)?;
        let (own, zone, at) = (person(&link, &row)?, self.zone(), clock::stamp());
        let moment = clock::now();
        let bytes = self.files.get(&row.file).await?;
        let fonts = self.fonts().await?;
        let (fields, role) = (own_fields(&link, &row).cloned().collect::<Vec<_>>(), row.round.seats[link.place.seat].role.clone());
        let signer = own.clone();
        let local = clock::local(moment, &zone);
        let marked = blocking(move || marked(&bytes, &fields, &signer, &role, &input, (moment, local), &fonts)).await??;
        let size = marked.len();
        let file = self.files.keep(marked).await?;
        let links = self.signer_links();
        let done = self.store.change(move |t| -> Outcome<Option<(bool, i64)>> {
            let Some(mut fresh) = rounds::get(t, row.id)?.filter(|fresh| fresh.revision == row.revision) else { return Ok(None) };
            let role = fresh.round.seats[link.place.seat].role.clone();
            if !fresh.round.seats[link.place.seat].consented.contains(&link.place.person) {
                fresh.round.act(&Act::Consent(link.place)).map_err(refused)?;
                rounds::happened(
                    t,
                    fresh.id,
                    &at,
                    &own.name,
                    "consented",
                    json!({ "role": role, "language": own.language, "wording": wording(&fresh, &own.language) }),
                )?;
            }
            fresh.file.clone_from(&file);
            fresh.states.push(FileState { what: format!("the signature of {} ({role})", own.name), bytes: size, sha256: file.clone() });
            rounds::happened(
                t,
                fresh.id,
                &at,
                &own.name,
                "signed",
                json!({ "role": role, "address": own.email, "document": file, "bytes": size }),
            )?;
            act(t, &mut fresh, &Act::Sign { who: link.place, digest: file.clone() }, &links, &at)?;
            rounds::fill(t, &link.nonce, &json!({}))?;
            told(t, &fresh, who, "signed", &own.name, &at)?;
            Ok(Some((fresh.round.state == RoundState::Completed, fresh.run_id)))
        });
        let Some((completed, run)) = done.await? else { return Ok(None) };
        if completed {
            self.sealing.notify_one();
        }
        jobs::wake(self);
        jobs::changed(self, run);
        Ok(Some(Signed { completed }))
    }

    /// Declines to sign, for a reason.
    pub async fn decline(&self, token: String, key: String, reason: String) -> Outcome<()> {
        let (link, row) = self.signing_with(token, key).await?;
        if !row.plan.decline {
            return Err(Error::conflict("no-declining", "this document can't be declined here. Tell the sender."));
        }
        let reason: String = reason.trim().chars().take(LONGEST).collect();
        if reason.is_empty() {
            return Err(Error::unusable("reason", "enter a reason, so that the sender can help"));
        }
        self.act_as_signer(
            link,
            row.id,
            Act::Decline { who: Default::default(), reason: reason.clone() },
            "declined",
            json!({ "reason": reason }),
        )
        .await
    }

    /// Has somebody else sign instead.
    pub async fn hand_on(&self, token: String, key: String, name: String, email: String) -> Outcome<()> {
        let (link, row) = self.signing_with(token, key).await?;
        let name: String = name.trim().chars().take(200).collect();
        let address = EmailAddress::parse(&email).map_err(|e| Error::unusable("e-mail", e.to_string()))?;
        if name.is_empty() {
            return Err(Error::unusable("name", "enter the name of the person who is to sign"));
        }
        let taken =
            row.round.seats.iter().flat_map(|seat| &seat.people).any(|other| other.email.eq_ignore_ascii_case(&address.to_string()));
        if taken {
            return Err(Error::unusable("e-mail", "this person is asked to sign already. Enter another."));
        }
        let to = Person { name: name.clone(), email: address.to_string(), language: person(&link, &row)?.language, phone: String::new() };
        let with = json!({ "to": name, "address": to.email });
        self.act_as_signer(link, row.id, Act::HandOn { who: Default::default(), to }, "handed on", with).await
    }

    /// Does something as a signer, whose place is put in.
    async fn act_as_signer(&self, link: SignerLink, round: i64, what: Act, word: &'static str, with: Value) -> Outcome<()> {
        let links = self.signer_links();
        let run = self.store.change(move |t| -> Outcome<i64> {
            let mut row = rounds::get(t, round)?.ok_or_else(not_valid)?;
            let (at, own) = (clock::stamp(), person(&link, &row)?);
            let what = match what {
                Act::Decline { reason, .. } => Act::Decline { who: link.place, reason },
                Act::HandOn { to, .. } => Act::HandOn { who: link.place, to },
                other => other,
            };
            let detail = with.as_object().and_then(|with| with.values().next()).and_then(Value::as_str).unwrap_or_default().to_owned();
            rounds::happened(t, row.id, &at, &own.name, word, with)?;
            act(t, &mut row, &what, &links, &at)?;
            told(t, &row, Actor::Recipient, word, &format!("{}: {detail}", own.name), &at)?;
            Ok(row.run_id)
        });
        let run = run.await?;
        jobs::wake(self);
        jobs::changed(self, run);
        Ok(())
    }
}

/// The fields of a signer.
fn own_fields<'a>(link: &SignerLink, row: &'a RoundRow) -> impl Iterator<Item = &'a RoundField> + use<'a> {
    let role = row.round.seats.get(link.place.seat).map(|seat| mangle_core::language::Folded::new(&seat.role));
    row.fields.iter().filter(move |field| role.as_ref() == Some(&mangle_core::language::Folded::new(&field.role)))
}

/// What a signer agrees to, in words.
fn wording(row: &RoundRow, language: &str) -> String {
    let short = language.split('-').next().unwrap_or_default();
    let own = row.plan.consent.get(language).or_else(|| row.plan.consent.get(short));
    own.map_or_else(|| consent(short), String::as_str).to_owned()
}

/// The usual wording of what signers agree to.
fn consent(language: &str) -> &'static str {
    match language {
        "de" => "Ich bin damit einverstanden, dieses Dokument elektronisch zu unterschreiben.",
        "fr" => "J’accepte de signer ce document par voie électronique.",
        "nl" => "Ik ga ermee akkoord dit document elektronisch te ondertekenen.",
        _ => "I agree to sign this document electronically.",
    }
}

fn now(link: &SignerLink, row: &RoundRow, key: String) -> Outcome<SignerNow> {
    let own = person(link, row)?;
    let seat = &row.round.seats[link.place.seat];
    let mut others: Vec<SignerOther> = Vec::new();
    for (at, other) in row.round.seats.iter().enumerate() {
        let names: Vec<&str> = match other.state {
            SeatState::Signed { by, .. } => other.people.get(by).map(|p| p.name.as_str()).into_iter().collect(),
            _ => other.people.iter().map(|p| p.name.as_str()).collect(),
        };
        let you = at == link.place.seat;
        others.push(SignerOther { name: names.join(", "), role: other.role.clone(), step: other.step, signed: other.is_signed(), you });
    }
    others.sort_by_key(|other| other.step);
    Ok(SignerNow {
        key,
        title: row.title.clone(),
        consent: wording(row, &own.language),
        consented: seat.consented.contains(&link.place.person),
        signed: seat.is_signed(),
        fields: own_fields(link, row).cloned().map(|field| SignerField { field }).collect(),
        filled: link.filled.clone(),
        others,
        hand_on: row.plan.hand_on,
        decline: row.plan.decline,
        ends: row.ends.clone(),
        name: own.name,
        role: seat.role.clone(),
        language: own.language,
    })
}

/// A date as a signer's language writes it.
fn date(language: &str, local: DateTime) -> String {
    let locale = Locale::parse(language).unwrap_or_else(|_| Locale::english());
    let (context, ties) = (Context::new(locale, local), Ties::default());
    let record = Record::new(std::sync::Arc::<Schema>::default(), Vec::new(), 0);
    let text = TextTemplate::new("[: today]").fill(&Scope::new(&record, &ties, &context));
    text.unwrap_or_else(|_| local.date().to_string())
}

/// The document with what a signer has filled in.
fn marked(
    pdf: &[u8],
    fields: &[RoundField],
    own: &Person,
    role: &str,
    input: &SignInput,
    (moment, local): (DateTime, DateTime),
    fonts: &FontSet,
) -> Outcome<Vec<u8>> {
    let missing = |field: &RoundField| {
        let what = if field.label.is_empty() { &field.kind } else { &field.label };
        Error::unusable("missing", format!("fill in “{what}” on page {}", field.page + 1))
    };
    let drawn = |given: &Option<SignatureInput>| -> Outcome<Option<(String, Option<Vec<u8>>)>> {
        let Some(given) = given else { return Ok(None) };
        if !given.picture.is_empty() {
            let bad = |why: String| Error::unusable("picture", why);
            let data = given.picture.rsplit_once("base64,").map_or(given.picture.as_str(), |(_, data)| data);
            let bytes = STANDARD.decode(data).map_err(|_| bad("the picture can't be read. Draw or upload it again.".into()))?;
            return Ok(Some((own.name.clone(), Some(signature_picture(&bytes).map_err(|e| bad(e.to_string()))?))));
        }
        let text: String = given.typed.trim().chars().filter(|c| !c.is_control()).take(100).collect();
        Ok((!text.is_empty()).then_some((text, None)))
    };
    let (signature, initials) = (drawn(&input.signature)?, drawn(&input.initials)?);
    let stamp = format!("Signed by {} on {} UTC", own.name, moment.strftime("%Y-%m-%d %H:%M"));
    /// What a field is to look like.
    enum Seen {
        Picture,
        Typed,
        Text(Option<FieldFont>),
        Tick,
    }
    let mut marks: Vec<(Mark, Seen)> = Vec::new();
    for field in fields {
        let text = input.values.get(&field.number).map(|text| text.trim()).unwrap_or_default();
        if text.chars().count() > LONGEST {
            return Err(Error::unusable("too-long", format!("“{}” has more than {LONGEST} characters. Shorten it.", field.label)));
        }
        let text: String = text.chars().map(|c| if c.is_control() { ' ' } else { c }).collect();
        let (value, seen) = match field.kind.as_str() {
            "signature" | "initials" => {
                let given = if field.kind == "signature" { &signature } else { &initials };
                match given {
                    Some((text, Some(_))) => (text.clone(), Seen::Picture),
                    Some((text, None)) => (text.clone(), Seen::Typed),
                    None if field.optional => continue,
                    None => return Err(missing(field)),
                }
            }
            "date" => (date(&own.language, local), Seen::Text(field.font.clone())),
            "name" if text.is_empty() => (own.name.clone(), Seen::Text(field.font.clone())),
            "name" => (text, Seen::Text(field.font.clone())),
            "tick" if text == "yes" => (text, Seen::Tick),
            "choice" if !text.is_empty() && !field.options.contains(&text) => {
                return Err(Error::unusable("choice", format!("“{text}” is not one of the options on page {}", field.page + 1)));
            }
            "text" | "choice" if !text.is_empty() => (text, Seen::Text(field.font.clone())),
            _ if field.optional => continue,
            _ => return Err(missing(field)),
        };
        let what = if field.label.is_empty() { field.kind.clone() } else { field.label.clone() };
        let mark = Mark {
            page: field.page,
            left: field.left,
            top: field.top,
            width: field.width,
            height: field.height,
            name: format!("{role} {}", field.number),
            label: format!("{what} of {} ({role}): {value}", own.name),
            value,
        };
        marks.push((mark, seen));
    }
    // An answer for a field of another role, or of none.
    if let Some(number) = input.values.keys().find(|number| !fields.iter().any(|field| field.number == **number)) {
        return Err(Error::unusable("no-field", format!("field {number} is not yours to fill in. Reload the page.")));
    }
    let png = |mark: &Mark| {
        let field = fields.iter().find(|field| mark.name == format!("{role} {}", field.number));
        let given = if field.is_some_and(|field| field.kind == "initials") { &initials } else { &signature };
        given.as_ref().and_then(|(_, png)| png.as_deref()).unwrap_or_default()
    };
    let drawn = marks.iter().map(|(mark, seen)| {
        let (look, line) = match seen {
            Seen::Picture => (Look::Drawn(png(mark)), stamp.as_str()),
            Seen::Typed => (Look::Typed(&mark.value), stamp.as_str()),
            Seen::Text(font) => (Look::Text(&mark.value, font.as_ref()), ""),
            Seen::Tick => (Look::Tick, ""),
        };
        Drawn { look, line, size: (mark.width, mark.height) }
    });
    let drawn: Vec<Drawn<'_>> = drawn.collect();
    let failed = |e: mangle_documents::seal::SealFault| Error::new(ErrorKind::Internal, "mark", e.to_string());
    let appearances = looks(&drawn, fonts).map_err(failed)?;
    let marks: Vec<Mark> = marks.into_iter().map(|(mark, _)| mark).collect();
    mark(pdf, &marks, &appearances).map_err(failed)
}
