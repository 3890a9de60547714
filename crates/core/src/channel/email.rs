//! The e-mail channel: one message a record, with its documents attached.

use serde::{Deserialize, Serialize};
use url::Url;

use super::{ChannelPlan, Fault, Made, Parcel, Settings, Shown, World, fill};
use crate::diagnostic::{Diagnostic, Target};
use crate::dispatch::Format;
use crate::language::{Scope, Sender};
use crate::template::{FilledHtml, HtmlTemplate, LARGEST_BODY, TextTemplate};
use crate::value::{EmailAddress, recipients};

/// The settings of the e-mail channel: every field may hold placeholders.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct EmailChannel {
    /// Whom it is from: the address or the name of one of the office's senders; blank for the
    /// office itself.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub from: String,
    /// Where replies go, separated by commas; blank for what the sender says.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub reply_to: String,
    /// Recipients, separated by commas.
    pub to: String,
    /// Copies.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub cc: String,
    /// Blind copies.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub bcc: String,
    /// The message template that the subject and the message come from; none where they are the
    /// channel's own.
    #[serde(default)]
    pub template: Option<MessageUse>,
    /// The subject.
    pub subject: String,
    /// The text of the message, where it is plain.
    pub body: String,
    /// The message as HTML, with placeholders; blank for a plain one. What goes out is both: it
    /// and a text made from it.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub html: String,
    /// Files that go along with every message.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub files: Vec<FixedFile>,
    /// The size in megabytes above which the documents are not attached: the message names their
    /// share link instead.
    #[serde(default)]
    pub link_above: Option<u32>,
    /// What the message says then, with placeholders.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub link_note: String,
    /// Where recipients say that they want no more such messages: an address or an `https` URL;
    /// blank for nowhere.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub unsubscribe: String,
    /// Whether the documents are attached; the message may hold their share link instead.
    #[serde(default = "super::yes")]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub attach: bool,
}

/// Which message template a channel uses.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct MessageUse {
    /// Its key.
    pub key: String,
    /// The version; none for the one in use.
    #[serde(default)]
    pub version: Option<i64>,
}

/// What a message template holds: a subject and a message, with placeholders.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, Default)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct MessageText {
    /// The subject.
    pub subject: String,
    /// The text of the message, where it is plain.
    pub body: String,
    /// The message as HTML; blank for a plain one.
    pub html: String,
}

impl MessageText {
    /// What is wrong with its placeholders, its formatting or its size.
    pub fn problems(&self) -> Vec<Diagnostic> {
        let own =
            EmailChannel { subject: self.subject.clone(), body: self.body.clone(), html: self.html.clone(), ..EmailChannel::default() };
        let plan = own.compile();
        let texts = plan.texts().into_iter().flat_map(|(_, text)| text.problems().to_vec());
        texts.chain(plan.bodies().into_iter().flat_map(|(_, html)| html.problems().to_vec())).collect()
    }
}

/// A file that goes along with every message.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, Default)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct FixedFile {
    /// Its name.
    pub name: String,
    /// What it is stored under.
    pub file: String,
    /// How many bytes it has.
    pub size: u64,
}

impl Default for EmailChannel {
    fn default() -> EmailChannel {
        let blank = String::new;
        let (from, reply_to, to, cc, bcc) = (blank(), blank(), blank(), blank(), blank());
        let (subject, body, html, unsubscribe, link_note) = (blank(), blank(), blank(), blank(), blank());
        let files = Vec::new();
        EmailChannel {
            from,
            reply_to,
            to,
            cc,
            bcc,
            template: None,
            subject,
            body,
            html,
            files,
            link_above: None,
            link_note,
            unsubscribe,
            attach: true,
        }
    }
}

impl Settings for EmailChannel {
    fn compile(&self) -> Box<dyn ChannelPlan> {
        Box::new(EmailPlan {
            no_recipient: self.to.trim().is_empty(),
            fixed: Some(self.from.trim()).filter(|from| !from.is_empty() && !from.contains("[:")).map(str::to_owned),
            from: TextTemplate::new(&self.from),
            reply_to: TextTemplate::new(&self.reply_to),
            to: TextTemplate::new(&self.to),
            cc: TextTemplate::new(&self.cc),
            bcc: TextTemplate::new(&self.bcc),
            subject: TextTemplate::new(&self.subject),
            body: match self.html.trim() {
                "" => Body::Plain(TextTemplate::new(&self.body)),
                html => Body::Rich(HtmlTemplate::new(html)),
            },
            files: self.files.clone(),
            link_above: self.link_above.map(|limit| (u64::from(limit) * 1_000_000, TextTemplate::new(&self.link_note))),
            unsubscribe: TextTemplate::new(&self.unsubscribe),
            attach: self.attach,
        })
    }

    fn renamed(&mut self, old: &str, new: &str) {
        if self.subject == old {
            new.clone_into(&mut self.subject);
        }
    }
}

#[derive(Debug)]
struct EmailPlan {
    no_recipient: bool,
    /// The sender, where it is the same for every record and not the office itself.
    fixed: Option<String>,
    from: TextTemplate,
    reply_to: TextTemplate,
    to: TextTemplate,
    cc: TextTemplate,
    bcc: TextTemplate,
    subject: TextTemplate,
    body: Body,
    files: Vec<FixedFile>,
    /// The size above which the link is named instead, and what is said then.
    link_above: Option<(u64, TextTemplate)>,
    unsubscribe: TextTemplate,
    attach: bool,
}

#[derive(Debug)]
enum Body {
    Plain(TextTemplate),
    Rich(HtmlTemplate),
}

/// A message ready to send but for its attachments.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, Default)]
pub struct EmailPayload {
    /// Recipients; at least one.
    pub to: Vec<String>,
    /// Copies.
    pub cc: Vec<String>,
    /// Blind copies.
    pub bcc: Vec<String>,
    /// The subject, on one line.
    pub subject: String,
    /// The text.
    pub body: String,
    /// The same as HTML; none where it is plain.
    #[serde(default)]
    pub html: Option<String>,
    /// The pictures that the HTML shows.
    #[serde(default)]
    pub pictures: Vec<Inline>,
    /// Files that go along beside the documents.
    #[serde(default)]
    pub files: Vec<FixedFile>,
    /// When the documents are not attached after all, and what is said then.
    #[serde(default)]
    pub link_above: Option<LinkInstead>,
    /// The sender's name and address; none in a delivery of an older Mangle, which is sent from
    /// the office as it is.
    #[serde(default)]
    pub from: Option<(String, String)>,
    /// Where replies go; none for the sender's address.
    #[serde(default)]
    pub reply_to: Vec<String>,
    /// Where recipients unsubscribe, as a URL; none where they can't (RFC 2369, 3.2).
    #[serde(default)]
    pub unsubscribe: Option<String>,
}

/// A picture that a message's HTML shows.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Inline {
    /// What the HTML calls it (RFC 2392).
    pub id: String,
    /// What it is stored under.
    pub file: String,
    /// Its media type.
    pub kind: String,
}

/// The documents' share link in the place of the documents.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct LinkInstead {
    /// Above how many bytes.
    pub bytes: u64,
    /// What the message says then.
    pub note: String,
}

impl EmailPayload {
    /// The documents and files are of a size: where that is above what is attached, the message
    /// names the link instead. Whether it does.
    pub fn of_size(&mut self, documents: u64) -> bool {
        let whole = documents + self.files.iter().map(|file| file.size).sum::<u64>();
        let Some(instead) = self.link_above.take().filter(|instead| whole > instead.bytes) else { return false };
        let mut filled =
            FilledHtml { html: self.html.take().unwrap_or_default(), text: std::mem::take(&mut self.body), ..FilledHtml::default() };
        let rich = !filled.html.is_empty();
        filled.append(&instead.note);
        self.body = filled.text;
        self.html = rich.then_some(filled.html);
        true
    }
}

/// The sender that a text names by address or name, whatever the case of its letters.
fn sender<'a>(senders: &'a [Sender], named: &str) -> Option<&'a Sender> {
    let same = |text: &str| text.trim().to_lowercase() == named.trim().to_lowercase();
    senders.iter().find(|sender| same(&sender.address)).or_else(|| senders.iter().find(|sender| same(&sender.name)))
}

/// The URL at which recipients unsubscribe.
fn unsubscribe(text: &str) -> Result<Option<String>, Fault> {
    let text = text.trim();
    if text.is_empty() {
        return Ok(None);
    }
    if let Ok(address) = EmailAddress::parse(text) {
        return Ok(Some(format!("mailto:{address}")));
    }
    match Url::parse(text) {
        Ok(url) if url.scheme() == "https" || url.scheme() == "mailto" => Ok(Some(url.into())),
        _ => {
            let message = format!("“{text}” is not a place to unsubscribe. Use an e-mail address or an https URL.");
            Err(Fault::value("unsubscribe", "unsubscribe", message))
        }
    }
}

/// The most bytes of files that go along with every message.
const MOST_FILES: u64 = 25_000_000;
/// The most recipients of one message: every mail server takes as many, and need take no more (RFC 5321,
/// 4.5.3.1.8).
const MOST_RECIPIENTS: usize = 100;

const LONG_MESSAGE: &str = "the message exceeds 2 MB with this record. Shorten it, or attach a document instead.";

fn no_such_sender(named: &str) -> String {
    format!("“{}” is not one of the office's senders. Add it in Settings, or choose another.", named.trim())
}

impl ChannelPlan for EmailPlan {
    fn texts(&self) -> Vec<(&'static str, &TextTemplate)> {
        vec![
            ("from", &self.from),
            ("reply to", &self.reply_to),
            ("to", &self.to),
            ("cc", &self.cc),
            ("bcc", &self.bcc),
            ("subject", &self.subject),
            ("unsubscribe", &self.unsubscribe),
        ]
        .into_iter()
        .chain(match &self.body {
            Body::Plain(text) => Some(("message", text)),
            Body::Rich(_) => None,
        })
        .chain(self.link_above.as_ref().map(|(_, note)| ("link note", note)))
        .collect()
    }

    fn bodies(&self) -> Vec<(&'static str, &HtmlTemplate)> {
        match &self.body {
            Body::Rich(html) => vec![("message", html)],
            Body::Plain(_) => Vec::new(),
        }
    }

    fn faults(&self) -> Vec<Fault> {
        let blank =
            self.no_recipient.then(|| Fault::value("no-recipient", "to", "no recipient. Choose the field with the e-mail address."));
        let large = self.files.iter().map(|file| file.size).sum::<u64>() > MOST_FILES;
        let large =
            large.then(|| Fault::value("files", "files", "the files exceed 25 MB together. Remove some, or share them in another way."));
        blank.into_iter().chain(large).collect()
    }

    fn obstacles(&self, world: &World<'_>) -> Vec<Diagnostic> {
        match &self.fixed {
            Some(named) if sender(world.senders, named).is_some() => Vec::new(),
            Some(named) => vec![Diagnostic::error("no-such-sender", no_such_sender(named)).about(Target::Settings)],
            None if !world.office_email.trim().is_empty() => Vec::new(),
            None => {
                let message = "no sender address. Enter the office e-mail address in Settings.";
                vec![Diagnostic::error("no-office-address", message).about(Target::Settings)]
            }
        }
    }

    fn needs_link(&self) -> bool {
        self.link_above.is_some()
    }

    fn render(&self, scope: &Scope<'_>, made: &Made<'_>) -> Result<Parcel, Fault> {
        let to = addresses("to", &self.to, scope)?;
        if to.is_empty() {
            return Err(Fault::value("no-recipient", "to", "no e-mail address. Add one or leave the record out."));
        }
        let office = &scope.context.office;
        let named = fill("from", &self.from, scope)?;
        let chosen = match named.trim() {
            "" => None,
            named => Some(sender(&office.senders, named).ok_or_else(|| Fault::value("no-such-sender", "from", no_such_sender(named)))?),
        };
        let (name, address) = chosen.map_or((&office.name, &office.email), |chosen| (&chosen.name, &chosen.address));
        let mut reply_to = addresses("reply to", &self.reply_to, scope)?;
        if let Some(chosen) = chosen.filter(|chosen| reply_to.is_empty() && !chosen.reply_to.trim().is_empty()) {
            reply_to.push(chosen.reply_to.trim().to_owned());
        }
        let (mut filled, rich) = match &self.body {
            Body::Plain(text) => (FilledHtml { text: fill("message", text, scope)?, ..FilledHtml::default() }, false),
            Body::Rich(html) => {
                let filled = html.fill(scope).map_err(|error| Fault::Fill { field: "message", error: Box::new(error) })?;
                (filled, true)
            }
        };
        if let Some(signature) = chosen.map(|chosen| chosen.signature.trim_end()).filter(|text| !text.is_empty()) {
            filled.append(signature);
        }
        let link_above = match &self.link_above {
            Some((bytes, note)) if self.attach => Some(LinkInstead { bytes: *bytes, note: fill("link note", note, scope)? }),
            _ => None,
        };
        if filled.text.len().max(filled.html.len()) > LARGEST_BODY {
            return Err(Fault::value("long-message", "message", LONG_MESSAGE));
        }
        let (cc, bcc) = (addresses("cc", &self.cc, scope)?, addresses("bcc", &self.bcc, scope)?);
        let all = to.len() + cc.len() + bcc.len();
        if all > MOST_RECIPIENTS {
            let message =
                format!("{all} recipients in one message, at most {MOST_RECIPIENTS}. Send them a message each, from records of their own.");
            return Err(Fault::value("many-recipients", "to", message));
        }
        let message = EmailPayload {
            to,
            cc,
            bcc,
            subject: fill("subject", &self.subject, scope)?.split_whitespace().collect::<Vec<_>>().join(" "),
            body: filled.text,
            html: rich.then_some(filled.html),
            pictures: Vec::new(),
            files: self.files.clone(),
            link_above,
            from: Some((name.clone(), address.clone())),
            reply_to,
            unsubscribe: unsubscribe(&fill("unsubscribe", &self.unsubscribe, scope)?)?,
        };
        let parcel = message.parcel(if self.attach { made.to_send() } else { Vec::new() });
        Ok(Parcel { pictures: filled.pictures, ..parcel })
    }
}

impl EmailPayload {
    fn parcel(self, documents: Vec<Format>) -> Parcel {
        let list = |label: &str, all: &[String]| (!all.is_empty()).then(|| Shown::new(label, all.join(", ")));
        let from = self.from.as_ref().map(|(name, address)| match name.trim() {
            "" => Shown::new("From", address.clone()),
            name => Shown::new("From", format!("{name} <{address}>")),
        });
        let reply_to = list("Reply to", &self.reply_to);
        let shown = [from, list("To", &self.to), list("Cc", &self.cc), list("Bcc", &self.bcc), reply_to].into_iter().flatten();
        let files: Vec<&str> = self.files.iter().map(|file| file.name.as_str()).collect();
        let files = (!files.is_empty()).then(|| Shown::new("Files", files.join(", ")));
        let text = [Shown::new("Subject", self.subject.clone()), Shown::new("Message", self.body.clone())];
        Parcel {
            to: self.to.join(", "),
            shown: shown.chain(text).chain(files).collect(),
            documents,
            payload: serde_json::to_value(&self).unwrap_or_default(),
            ..Parcel::default()
        }
    }
}

/// The message that brings a proof: to the person and nobody else. It says what would have
/// happened in a real run.
pub fn proof(person: &str, office: (&str, &str), made: &Made<'_>, parcels: &[(&str, &Parcel)]) -> Parcel {
    let mail = parcels.iter().find_map(|(_, parcel)| serde_json::from_value::<EmailPayload>(parcel.payload.clone()).ok());
    let mut body = String::from("Proof.");
    for (kind, parcel) in parcels {
        match *kind {
            "email" => body.push_str(&format!(" In a real run, this would be sent to {}.", recipients_of(parcel))),
            _ => body.push_str(&format!(" In a real run, the document would go to {}.", parcel.to)),
        }
    }
    if parcels.is_empty() {
        body.push_str(" The document is attached. In a real run, it would be stored and sent to nobody.");
    }
    let (mut html, mut files, mut pictures) = (None, Vec::new(), Vec::new());
    let subject = match mail {
        Some(message) => {
            let rich = message.html.is_some();
            let mut filled = FilledHtml { html: message.html.unwrap_or_default(), text: message.body, ..FilledHtml::default() };
            filled.prepend(&body);
            body = filled.text;
            html = rich.then_some(filled.html);
            files = message.files;
            pictures = parcels.iter().flat_map(|(_, parcel)| parcel.pictures.clone()).collect();
            message.subject
        }
        None => made.file_name.to_owned(),
    };
    let message = EmailPayload {
        to: vec![person.to_owned()],
        subject: format!("PROOF: {subject}"),
        body,
        html,
        files,
        from: Some((office.0.to_owned(), office.1.to_owned())),
        ..EmailPayload::default()
    };
    let mut documents = made.formats.to_vec();
    // The mark of a proof stands on the pages.
    if !documents.contains(&Format::Pdf) {
        documents.insert(0, Format::Pdf);
    }
    Parcel { pictures, ..message.parcel(documents) }
}

fn recipients_of(parcel: &Parcel) -> String {
    let all = parcel.shown.iter().filter(|s| ["To", "Cc", "Bcc"].contains(&s.label.as_str()));
    all.map(|s| s.text.as_str()).collect::<Vec<_>>().join(", ")
}

/// Addresses of a field. A cell that is no address is told as such, not as a cell that does not
/// fit its column.
fn addresses(field: &'static str, text: &TextTemplate, scope: &Scope<'_>) -> Result<Vec<String>, Fault> {
    let malformed = |error: crate::value::NotAnAddress| Fault::Value {
        code: "not-an-address",
        field,
        text: Some(error.text.clone()),
        message: format!("{field}: {error}; correct it in the source, or leave the record out"),
    };
    let filled = fill(field, text, scope).map_err(|fault| match &fault {
        Fault::Fill { error, .. } => match &error.error.fault {
            crate::language::Fault::Misfit { text, .. } => match EmailAddress::parse(text) {
                Err(error) => malformed(error),
                Ok(_) => fault,
            },
            _ => fault,
        },
        Fault::Value { .. } => fault,
    })?;
    Ok(recipients(&filled).map_err(malformed)?.iter().map(|a| a.as_str().to_owned()).collect())
}
