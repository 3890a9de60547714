//! Channels: the ways in which a dispatch delivers documents. What a channel's settings are,
//! which placeholders they hold, what it checks and what it hands over for a record stands here,
//! and is pure; the adapter that talks to the world outside is in `mangle-channels`.
//!
//! To add one: a file here with its settings ([`Settings`]) and its compiled form
//! ([`ChannelPlan`]), its line in `channels!` below, its adapter, and its component in the front
//! end's list.

mod crm;
mod email;
mod folder;
mod link;
mod print;
mod sheet;
#[cfg(test)]
mod tests;
mod web_hook;

use std::fmt::Debug;

use jiff::civil::DateTime;
use serde::{Deserialize, Serialize};

use crate::diagnostic::{Diagnostic, Target};
use crate::dispatch::Format;
use crate::language::{Scope, Sender, value};
use crate::template::{Condition, FillError, HtmlTemplate, Placeholder, TextTemplate};

pub use crm::{AttachTo, CrmChannel, CrmNote, CrmPayload, CrmSource, CrmValue, NoteTo, SetField, places};
pub use email::{EmailChannel, EmailPayload, FixedFile, Inline, LinkInstead, MessageText, MessageUse, proof};
pub use folder::{Clash, FolderChannel, FolderPayload};
pub use link::{LinkChannel, LinkPayload};
pub use print::{PrintChannel, PrintPayload, PrinterAddress, Sides};
pub use sheet::{ColumnValue, SheetChannel, SheetPayload};
pub use web_hook::{Along, HookValue, WebHookChannel, WebHookPayload, is_allowed};

/// Names every kind of channel: the settings that are stored, the word for its kind, and its name.
macro_rules! channels {
    ($($(#[$doc:meta])* $kind:ident($settings:ty) = $word:literal, $name:literal);+ $(;)?) => {
        /// The settings of a channel, by its kind.
        #[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
        #[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
        #[serde(tag = "kind", rename_all = "kebab-case")]
        pub enum Channel {
            $($(#[$doc])* $kind($settings)),+
        }

        impl Channel {
            /// The words of all kinds.
            pub const KINDS: &[&str] = &[$($word),+];

            /// The word of its kind.
            pub fn kind(&self) -> &'static str {
                match self { $(Channel::$kind(_) => $word),+ }
            }

            /// What one of its kind is called where nobody named it.
            fn name(&self) -> &'static str {
                match self { $(Channel::$kind(_) => $name),+ }
            }

            fn settings(&self) -> &dyn Settings {
                match self { $(Channel::$kind(settings) => settings),+ }
            }

            fn settings_mut(&mut self) -> &mut dyn Settings {
                match self { $(Channel::$kind(settings) => settings),+ }
            }
        }

        /// What a kind of channel is called, by its word.
        pub fn name_of(kind: &str) -> Option<&'static str> {
            match kind {
                $($word => Some($name),)+
                _ => None,
            }
        }
    };
}

channels! {
    /// By e-mail, as attachments (RFC 5322).
    Email(EmailChannel) = "email", "E-mail";
    /// As files in a folder of this machine.
    Folder(FolderChannel) = "folder", "Folder";
    /// As a page that whoever has its address can open.
    Link(LinkChannel) = "link", "Share link";
    /// On paper, over the Internet Printing Protocol (RFC 8011).
    Print(PrintChannel) = "print", "Print";
    /// As signed JSON, posted to another program.
    WebHook(WebHookChannel) = "web-hook", "Web hook";
    /// On the record of the CRM that it comes from (OData 4.01), once the others have ended.
    Crm(CrmChannel) = "crm", "CRM";
    /// As columns of the record's own row, once the others have ended.
    Sheet(SheetChannel) = "sheet", "Sheet columns";
}

/// The kinds that tell of a record's other deliveries. Each waits until all have ended that are
/// not named after it here.
pub const LAST: [&str; 2] = ["crm", "sheet"];

/// What the settings of every channel can do.
pub trait Settings {
    /// Compiles them, once for all records.
    fn compile(&self) -> Box<dyn ChannelPlan>;

    /// The dispatch got another name: what was made of the old one follows it.
    fn renamed(&mut self, _old: &str, _new: &str) {}
}

/// A channel's settings, compiled.
pub trait ChannelPlan: Debug + Send + Sync {
    /// Its texts with placeholders, with the names of their fields.
    fn texts(&self) -> Vec<(&'static str, &TextTemplate)>;

    /// Its texts that are HTML, with the names of their fields.
    fn bodies(&self) -> Vec<(&'static str, &HtmlTemplate)> {
        Vec::new()
    }

    /// What is wrong with the settings beside what is wrong with the texts.
    fn faults(&self) -> Vec<Fault> {
        Vec::new()
    }

    /// What keeps it from delivering anything at all here; where it is mended.
    fn obstacles(&self, _world: &World<'_>) -> Vec<Diagnostic> {
        Vec::new()
    }

    /// Whether it names the documents' share link where they are not attached.
    fn needs_link(&self) -> bool {
        false
    }

    /// What is handed over for a record.
    fn render(&self, scope: &Scope<'_>, made: &Made<'_>) -> Result<Parcel, Fault>;
}

/// What a channel may know of the office and the machine.
#[derive(Debug, Clone, Copy, Default)]
pub struct World<'a> {
    /// The office's e-mail address.
    pub office_email: &'a str,
    /// Those beside the office itself whom messages may come from.
    pub senders: &'a [Sender],
    /// The folders that the operator allows, by their names.
    pub folders: &'a [String],
    /// The hosts that the operator allows.
    pub hosts: &'a [String],
    /// Whether public pages are served.
    pub public: bool,
    /// Whether there is a timestamp authority for seals.
    pub timestamps: bool,
    /// The office's printers, by their names.
    pub printers: &'a [String],
    /// The CRM that the records come from; none where they come from elsewhere.
    pub crm: Option<CrmSource<'a>>,
}

/// What is made of a record, as channels see it.
#[derive(Debug, Clone, Copy)]
pub struct Made<'a> {
    /// The documents' name without extension.
    pub file_name: &'a str,
    /// The formats that are made.
    pub formats: &'a [Format],
    /// Whether the PDF needs a password to be opened.
    pub closed: bool,
}

impl Made<'_> {
    /// The formats that may leave the office: an open DOCX beside a PDF that needs a password
    /// would give away what that closes.
    pub fn to_send(&self) -> Vec<Format> {
        self.formats.iter().copied().filter(|format| !self.closed || *format == Format::Pdf).collect()
    }
}

/// What a channel hands over for one record.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Parcel {
    /// To whom or where it goes, in a line.
    pub to: String,
    /// What a person sees of it before it leaves: labels and texts.
    pub shown: Vec<Shown>,
    /// The documents that go along.
    pub documents: Vec<Format>,
    /// What the adapter takes: the channel's own payload.
    pub payload: serde_json::Value,
    /// The pictures that its text shows, by name, in the order in which it numbers them.
    pub pictures: Vec<String>,
    /// What the public page is found by, where it has one; blank otherwise.
    pub token: String,
    /// The moment before which it stays here, by the clock of the machine.
    pub opens: Option<DateTime>,
}

/// A line of what a person sees of a delivery before it leaves.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Shown {
    /// What it is: "To", "Subject", "Path".
    pub label: String,
    /// The text.
    pub text: String,
}

impl Shown {
    fn new(label: &str, text: impl Into<String>) -> Shown {
        Shown { label: label.to_owned(), text: text.into() }
    }
}

/// Why a channel has nothing to hand over for a record, or can't be used at all.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum Fault {
    /// A placeholder can't be filled.
    #[error("{field}: {error}")]
    Fill {
        /// The field.
        field: &'static str,
        /// What went wrong.
        error: Box<FillError>,
    },
    /// What a field comes to can't be used.
    #[error("{message}")]
    Value {
        /// A short name for programs.
        code: &'static str,
        /// The field.
        field: &'static str,
        /// What stands in the cell at fault, where it is that of one.
        text: Option<String>,
        /// What is wrong and what to do.
        message: String,
    },
}

impl Fault {
    fn value(code: &'static str, field: &'static str, message: impl Into<String>) -> Fault {
        Fault::Value { code, field, text: None, message: message.into() }
    }
}

/// When a channel delivers.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, Default)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case")]
pub enum Moment {
    /// As soon as the document is made.
    #[default]
    AtOnce,
    /// Once a person has released it.
    AfterRelease,
    /// At a date and time, fixed or of the record.
    AtTime,
    /// Once everyone has signed.
    AfterSigning,
}

/// A channel of a dispatch: its settings, and when it is used.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct ChannelSetup {
    /// Whether it is used at all.
    #[serde(default = "yes")]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub on: bool,
    /// What to call it; blank for the name of its kind.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub name: String,
    /// The condition on which a record is delivered over it; blank for every record.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub condition: String,
    /// When it delivers.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub moment: Moment,
    /// Where it delivers at a time: `2026-12-01 08:00`, or an expression for a date or a date and
    /// time, `due - 7`. A date alone is its midnight. By the clock of the machine.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub time: String,
    /// The most documents of a run that it delivers an hour; none for no limit.
    #[serde(default)]
    pub per_hour: Option<u32>,
    /// Its kind and settings.
    pub channel: Channel,
}

fn yes() -> bool {
    true
}

impl ChannelSetup {
    /// A channel that is on, for every record, at once.
    pub fn new(channel: Channel) -> ChannelSetup {
        let (name, condition, time) = Default::default();
        ChannelSetup { on: true, name, condition, moment: Moment::AtOnce, time, per_hour: None, channel }
    }

    /// The settings of one that writes into the sheet.
    pub fn as_sheet(&self) -> Option<&SheetChannel> {
        match &self.channel {
            Channel::Sheet(settings) => Some(settings),
            _ => None,
        }
    }

    /// It sends from another of the office's senders, where it is one that has a sender.
    pub fn send_from(&mut self, sender: &str) {
        if let Channel::Email(settings) = &mut self.channel {
            sender.clone_into(&mut settings.from);
        }
    }

    /// The fixed files that go along.
    pub fn files(&self) -> &[FixedFile] {
        match &self.channel {
            Channel::Email(settings) => &settings.files,
            _ => &[],
        }
    }

    /// The message template that it uses, if it does.
    pub fn message(&self) -> Option<&MessageUse> {
        match &self.channel {
            Channel::Email(settings) => settings.template.as_ref(),
            _ => None,
        }
    }

    /// Takes the subject and the message of its message template over, if it uses one.
    pub fn take_message<E>(&mut self, find: impl FnOnce(&MessageUse) -> Result<MessageText, E>) -> Result<(), E> {
        if let Channel::Email(settings) = &mut self.channel
            && let Some(used) = &settings.template
        {
            let MessageText { subject, body, html } = find(used)?;
            (settings.subject, settings.body, settings.html) = (subject, body, html);
        }
        Ok(())
    }

    /// The dispatch got another name: what was made of the old one follows it.
    pub fn renamed(&mut self, old: &str, new: &str) {
        self.channel.settings_mut().renamed(old, new);
    }
}

/// A channel of a dispatch, compiled.
#[derive(Debug)]
pub struct Compiled {
    /// Its place among the channels of the set-up.
    pub index: usize,
    /// The word of its kind.
    pub kind: &'static str,
    /// What to call it.
    pub name: String,
    /// When it delivers.
    pub moment: Moment,
    /// The most documents of a run that it delivers an hour.
    pub per_hour: Option<u32>,
    condition: Option<Condition>,
    time: Option<Time>,
    plan: Box<dyn ChannelPlan>,
    /// What is wrong with its settings.
    pub problems: Vec<Diagnostic>,
}

/// When a channel delivers that does so at a time.
#[derive(Debug)]
enum Time {
    Fixed(DateTime),
    /// Of the record: an expression, printed so that it can be read again.
    Of(Box<TextTemplate>),
}

impl Time {
    /// Reads a channel's time; what is wrong with it otherwise.
    fn read(text: &str) -> Result<Time, Box<Diagnostic>> {
        let text = text.trim();
        if text.is_empty() {
            return Err(Box::new(Diagnostic::error("no-time", "no time. Enter a date and time, or a field that holds one.")));
        }
        if let Ok(fixed) = text.parse::<DateTime>() {
            return Ok(Time::Fixed(fixed));
        }
        value(text).map_err(|error| Box::new(Diagnostic::error("time", error.to_string()).within(text)))?;
        let text = TextTemplate::new(&format!("[: ({}) as date \"yyyy-MM-dd HH:mm\"]", text.replace(['\r', '\n'], " ")));
        Ok(Time::Of(Box::new(text)))
    }

    fn text(&self) -> Option<(&'static str, &TextTemplate)> {
        match self {
            Time::Of(text) => Some(("time", text)),
            Time::Fixed(_) => None,
        }
    }

    fn of(&self, scope: &Scope<'_>) -> Result<DateTime, Fault> {
        let text = match self {
            Time::Fixed(moment) => return Ok(*moment),
            Time::Of(text) => fill("time", text, scope)?,
        };
        let blank = || Fault::value("no-time", "time", "the time is blank. Add a date, or leave the record out.");
        text.trim().parse().map_err(|_| blank())
    }
}

impl Compiled {
    /// Compiles a channel of a set-up; none where it is off.
    pub fn of(index: usize, setup: &ChannelSetup) -> Option<Compiled> {
        if !setup.on {
            return None;
        }
        let plan = setup.channel.settings().compile();
        let mut problems = Vec::new();
        let mut read = None;
        match Condition::read(&setup.condition) {
            Ok(condition) => read = condition,
            Err(problem) => problems.push(("condition", *problem)),
        }
        let mut time = None;
        match (setup.moment == Moment::AtTime).then(|| Time::read(&setup.time)) {
            None => {}
            Some(Ok(read)) => time = Some(read),
            Some(Err(problem)) => problems.push(("time", *problem)),
        }
        if setup.per_hour == Some(0) {
            let message = "the limit is 0 an hour, so nothing would be delivered. Enter at least 1, or remove the limit.";
            problems.push(("per-hour", Diagnostic::error("per-hour", message)));
        }
        let texts =
            plan.texts().into_iter().chain(time.as_ref().and_then(Time::text)).chain(read.as_ref().map(|own| ("condition", own.text())));
        problems.extend(texts.flat_map(|(field, text)| text.problems().iter().map(move |problem| (field, problem.clone()))));
        let bodies = plan.bodies().into_iter();
        problems.extend(bodies.flat_map(|(field, text)| text.problems().iter().map(move |problem| (field, problem.clone()))));
        problems.extend(plan.faults().into_iter().filter_map(|fault| match fault {
            Fault::Value { code, field, message, .. } => Some((field, Diagnostic::error(code, message))),
            Fault::Fill { .. } => None,
        }));
        let problems =
            problems.into_iter().map(|(field, problem)| problem.about(Target::Channel { channel: index, field: field.into() })).collect();
        let name = match setup.name.trim() {
            "" => setup.channel.name(),
            name => name,
        };
        Some(Compiled {
            index,
            kind: setup.channel.kind(),
            name: name.to_owned(),
            moment: setup.moment,
            per_hour: setup.per_hour,
            condition: read,
            time,
            plan,
            problems,
        })
    }

    /// Its texts with the names of their fields.
    pub fn texts(&self) -> impl Iterator<Item = (&'static str, &TextTemplate)> {
        self.plan
            .texts()
            .into_iter()
            .chain(self.time.as_ref().and_then(Time::text))
            .chain(self.condition.as_ref().map(|own| ("condition", own.text())))
    }

    /// The placeholders of its texts.
    pub fn placeholders(&self) -> impl Iterator<Item = &Placeholder> {
        self.texts()
            .flat_map(|(_, text)| text.placeholders())
            .chain(self.plan.bodies().into_iter().flat_map(|(_, text)| text.placeholders()))
    }

    /// What keeps it from delivering anything at all here.
    pub fn obstacles(&self, world: &World<'_>) -> Vec<Diagnostic> {
        let own = |obstacle: Diagnostic| match obstacle.target {
            Target::Whole => obstacle.about(Target::Channel { channel: self.index, field: "".into() }),
            _ => obstacle,
        };
        self.plan.obstacles(world).into_iter().map(own).collect()
    }

    /// What is handed over for a record; none where its condition is false.
    pub fn render(&self, scope: &Scope<'_>, made: &Made<'_>) -> Result<Option<Parcel>, Fault> {
        if let Some(condition) = &self.condition
            && !condition.holds(scope).map_err(|error| Fault::Fill { field: "condition", error: Box::new(error) })?
        {
            return Ok(None);
        }
        let mut parcel = self.plan.render(scope, made)?;
        if let Some(time) = &self.time {
            let opens = time.of(scope)?;
            parcel.shown.insert(0, Shown::new("When", opens.strftime("%Y-%m-%d %H:%M").to_string()));
            parcel.opens = Some(opens);
        }
        Ok(Some(parcel))
    }
}

/// What is wrong with the channels of a set-up beside what is wrong with each: there is one share
/// link of a document, which the others name.
pub fn clashes(channels: &[Compiled]) -> Vec<Diagnostic> {
    let mut links = channels.iter().filter(|channel| channel.kind == "link");
    let (first, second) = (links.next(), links.next());
    let of = |channel: &Compiled, field: &'static str, problem: Diagnostic| {
        problem.about(Target::Channel { channel: channel.index, field: field.into() })
    };
    let second = second.map(|second| {
        let problem = Diagnostic::error("second-link", "a dispatch has one share link. Remove this channel, or the other.");
        of(second, "", problem)
    });
    let lost = channels.iter().filter(|channel| first.is_none() && channel.plan.needs_link()).map(|channel| {
        let problem = Diagnostic::error("no-link", "large documents go as a share link, and there is none. Add a share link channel.");
        of(channel, "link note", problem)
    });
    second.into_iter().chain(lost).collect()
}

/// A field's text for a record.
pub(crate) fn fill(field: &'static str, text: &TextTemplate, scope: &Scope<'_>) -> Result<String, Fault> {
    text.fill(scope).map_err(|error| Fault::Fill { field, error: Box::new(error) })
}
