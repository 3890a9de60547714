//! The e-mail channel: one message a record, with its documents attached.

use serde::{Deserialize, Serialize};
use url::Url;

use super::{ChannelPlan, Fault, Made, Parcel, Settings, Shown, World, fill};
use crate::diagnostic::{Diagnostic, Target};
use crate::dispatch::Format;
use crate::language::{Scope, Sender};
use crate::template::TextTemplate;
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
    /// The subject.
    pub subject: String,
    /// The text of the message.
    pub body: String,
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

impl Default for EmailChannel {
    fn default() -> EmailChannel {
        let blank = String::new;
        let (from, reply_to, to, cc, bcc) = (blank(), blank(), blank(), blank(), blank());
        EmailChannel { from, reply_to, to, cc, bcc, subject: blank(), body: blank(), unsubscribe: blank(), attach: true }
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
            body: TextTemplate::new(&self.body),
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
    body: TextTemplate,
    unsubscribe: TextTemplate,
    attach: bool,
}

/// A message ready to send but for its attachments.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
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
            ("message", &self.body),
            ("unsubscribe", &self.unsubscribe),
        ]
    }

    fn faults(&self) -> Vec<Fault> {
        let blank =
            self.no_recipient.then(|| Fault::value("no-recipient", "to", "no recipient. Choose the field with the e-mail address."));
        blank.into_iter().collect()
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
        let mut body = fill("message", &self.body, scope)?;
        if let Some(signature) = chosen.map(|chosen| chosen.signature.trim_end()).filter(|text| !text.is_empty()) {
            body = format!("{}\n\n{signature}\n", body.trim_end());
        }
        let message = EmailPayload {
            to,
            cc: addresses("cc", &self.cc, scope)?,
            bcc: addresses("bcc", &self.bcc, scope)?,
            subject: fill("subject", &self.subject, scope)?.split_whitespace().collect::<Vec<_>>().join(" "),
            body,
            from: Some((name.clone(), address.clone())),
            reply_to,
            unsubscribe: unsubscribe(&fill("unsubscribe", &self.unsubscribe, scope)?)?,
        };
        Ok(message.parcel(if self.attach { made.to_send() } else { Vec::new() }))
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
        Parcel {
            to: self.to.join(", "),
            shown: shown.chain([Shown::new("Subject", self.subject.clone()), Shown::new("Message", self.body.clone())]).collect(),
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
    let subject = match mail {
        Some(message) => {
            body.push_str("\n\n");
            body.push_str(&message.body);
            message.subject
        }
        None => made.file_name.to_owned(),
    };
    let message = EmailPayload {
        to: vec![person.to_owned()],
        cc: Vec::new(),
        bcc: Vec::new(),
        subject: format!("PROOF: {subject}"),
        body,
        from: Some((office.0.to_owned(), office.1.to_owned())),
        reply_to: Vec::new(),
        unsubscribe: None,
    };
    let mut documents = made.formats.to_vec();
    // The mark of a proof stands on the pages.
    if !documents.contains(&Format::Pdf) {
        documents.insert(0, Format::Pdf);
    }
    message.parcel(documents)
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
