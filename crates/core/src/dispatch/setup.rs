//! A dispatch's set-up as it is saved, and the plan compiled from it.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use super::rule::{Otherwise, TemplateRule};
use crate::channel::{self, ChannelSetup, Made};
use crate::diagnostic::{Diagnostic, Target};
use crate::language::{Context, Folded, Ties};
use crate::records::Record;
use crate::signing::{SigningPlan, SigningSetup};
use crate::template::{Placeholder, TextTemplate};
use crate::trigger::TriggerSetup;
use crate::value::Value;

/// A format that documents are made in.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Format {
    /// PDF pages (ISO 32000-2).
    Pdf,
    /// The filled word-processor document (ECMA-376).
    Docx,
}

impl Format {
    /// All formats, in the order in which they are shown.
    pub const ALL: &[Format] = &[Format::Pdf, Format::Docx];

    /// Its file extension, which is also its word in the API and the store.
    pub fn extension(self) -> &'static str {
        match self {
            Format::Pdf => "pdf",
            Format::Docx => "docx",
        }
    }

    /// Its media type (RFC 6838).
    pub fn media_type(self) -> &'static str {
        match self {
            Format::Pdf => "application/pdf",
            Format::Docx => "application/vnd.openxmlformats-officedocument.wordprocessingml.document",
        }
    }

    /// The format of a word.
    pub fn of(word: &str) -> Option<Format> {
        Format::ALL.iter().copied().find(|format| format.extension() == word)
    }
}

/// How PDFs are written.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, Default)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct PdfSetup {
    /// The standard that they keep.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub standard: PdfStandard,
    /// What is attached to them.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub attach: Attach,
    /// The password that opens them, with placeholders; empty for none.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub password: String,
}

/// A standard that a PDF keeps.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, Default)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case")]
pub enum PdfStandard {
    /// None beyond PDF itself.
    #[default]
    Plain,
    /// PDF/A-2b, for archives (ISO 19005-2).
    A2b,
    /// PDF/A-3b, which may carry attachments (ISO 19005-3).
    A3b,
    /// PDF/UA-1, for reading aloud (ISO 14289-1).
    Ua1,
}

/// What is attached to a PDF.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, Default)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case")]
pub enum Attach {
    /// Nothing.
    #[default]
    Nothing,
    /// The record's data as JSON.
    Json,
    /// The record's data as CSV.
    Csv,
}

/// Which of the chosen records are taken, by what this dispatch made of them before.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, Default)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case")]
pub enum Choose {
    /// All of them.
    #[default]
    All,
    /// Those that it has not served yet.
    Unserved,
    /// Those that failed when it tried last.
    FailedLast,
    /// Those that it has served, and that changed since.
    Changed,
}

/// What a dispatch made of a record before.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Served {
    /// Its last run that made a document of the record; none where none did.
    pub run: Option<i64>,
    /// When that was.
    pub at: String,
    /// Whether the last try failed.
    pub failed_last: bool,
    /// Whether the record's values are others now than those that were used.
    pub changed: bool,
}

impl Choose {
    /// Whether a record is taken.
    pub fn takes(self, before: Option<&Served>) -> bool {
        let served = before.is_some_and(|b| b.run.is_some());
        match self {
            Choose::All => true,
            Choose::Unserved => !served,
            Choose::FailedLast => before.is_some_and(|b| b.failed_last),
            Choose::Changed => served && before.is_some_and(|b| b.changed),
        }
    }
}

/// What a person sets on the bench.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Setup {
    /// Template name → column name, for names that do not tie themselves.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub ties: BTreeMap<String, String>,
    /// A condition that chooses records; empty for all.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub filter: String,
    /// Rows left out by hand: their numbers.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub left_out: Vec<usize>,
    /// Rows picked by hand, which are the only ones that count; none for all.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub picked: Vec<usize>,
    /// Which records are taken by what was made of them before.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub choose: Choose,
    /// The column that records are called by; blank where their names tell.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub label: String,
    /// Whether one document serves all chosen records.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub joint: bool,
    /// The formats that are made; at least one.
    #[serde(default = "pdf")]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub formats: Vec<Format>,
    /// How PDFs are written.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub pdf: PdfSetup,
    /// The pattern of the documents' file names.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub name: String,
    /// The name of the running document that each PDF is added to, with placeholders; blank for none.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub running: String,
    /// Who signs the documents, and how.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub signing: SigningSetup,
    /// The channels that documents are delivered over; none where they are only stored.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub channels: Vec<ChannelSetup>,
    /// Which template a record takes instead of the dispatch's own: the first rule that is true.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub rules: Vec<TemplateRule>,
    /// What becomes of a record that no rule takes, where there are rules.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub otherwise: Otherwise,
    /// The answers to what packs ask, by what each is about; the usual ones count for others.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub answers: BTreeMap<String, String>,
    /// What starts runs by itself; none where a person starts them.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub triggers: Vec<TriggerSetup>,
    /// The template's version that is always used; the one in use where there is none.
    #[serde(default)]
    pub version: Option<i64>,
    /// For how many months documents are kept, and then removed; none for ever.
    #[serde(default)]
    pub retention: Option<u32>,
    /// The most documents of a month that are meant to be made: a run that goes beyond is warned of;
    /// none for no limit.
    #[serde(default)]
    pub monthly_limit: Option<u32>,
    /// Whether the document of a single record is created and sent with the usual answers, without
    /// questions.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub without_questions: bool,
    /// The locale by which values print.
    #[serde(default = "english")]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub locale: String,
    /// The column that holds a record's own locale, as a BCP 47 tag; blank for none.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub locale_column: String,
}

impl Default for Setup {
    fn default() -> Setup {
        Setup {
            ties: BTreeMap::new(),
            filter: String::new(),
            left_out: Vec::new(),
            picked: Vec::new(),
            choose: Choose::default(),
            label: String::new(),
            joint: false,
            formats: pdf(),
            pdf: PdfSetup::default(),
            name: String::new(),
            running: String::new(),
            signing: SigningSetup::default(),
            channels: Vec::new(),
            rules: Vec::new(),
            otherwise: Otherwise::default(),
            answers: BTreeMap::new(),
            triggers: Vec::new(),
            version: None,
            retention: None,
            monthly_limit: None,
            without_questions: false,
            locale: english(),
            locale_column: String::new(),
        }
    }
}

impl Setup {
    /// The dispatch got another name: what was made of the old one follows it.
    pub fn renamed(&mut self, old: &str, new: &str) {
        if let Some(rest) = self.name.strip_prefix(old) {
            self.name = format!("{new}{rest}");
        }
        self.channels.iter_mut().for_each(|channel| channel.renamed(old, new));
    }
}

fn english() -> String {
    "en-GB".to_owned()
}

fn pdf() -> Vec<Format> {
    vec![Format::Pdf]
}

/// A step of a dispatch, where something of its set-up is mended.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Station {
    /// The template.
    Template,
    /// The source, its filter and what is left out.
    Records,
    /// Which column fills which name.
    Mapping,
    /// Formats, file names, how values print.
    Output,
    /// Who signs.
    Signing,
    /// To whom or where documents go.
    Channels,
}

/// What is wrong with a field of the output.
fn of_output(field: &'static str, problem: Diagnostic) -> Diagnostic {
    problem.about(Target::output(field))
}

/// What does not go together with signing.
fn of_signing(setup: &Setup, channels: &[channel::Compiled], makes_pdf: bool, closed: bool) -> Vec<Diagnostic> {
    let mut found = Vec::new();
    let mut tell = |field: &'static str, code: &'static str, message: &str| {
        found.push(Diagnostic::error(code, message).about(Target::Setup { station: Station::Signing, field: field.into() }));
    };
    if !setup.signing.on {
        for channel in channels.iter().filter(|channel| channel.moment == channel::Moment::AfterSigning) {
            let message = "this channel waits for signatures, and signing is off. Switch it on, or choose another moment.";
            let target = Target::Channel { channel: channel.index, field: "moment".into() };
            found.push(Diagnostic::error("no-signing", message).about(target));
        }
        return found;
    }
    if !makes_pdf {
        tell("formats", "signing-pdf", "only PDFs can be signed. Add PDF to the formats under Output.");
    }
    if closed {
        tell("password", "signing-password", "a PDF with a password can't be signed. Remove the password under Output.");
    }
    if setup.joint {
        tell(
            "joint",
            "signing-joint",
            "one document serves all records, so a record's signers can't sign it. Make a document for each record under Output.",
        );
    }
    found
}

/// A set-up, compiled once for all records.
#[derive(Debug)]
pub struct Plan {
    /// The ties.
    pub ties: Ties,
    /// Whether one document serves all chosen records.
    pub joint: bool,
    /// The column that holds a record's own locale.
    pub locale_column: Option<Folded>,
    /// The formats that are made.
    pub formats: Vec<Format>,
    /// The standard of PDFs and what is attached to them.
    pub pdf: (PdfStandard, Attach),
    /// The password of PDFs.
    pub password: Option<TextTemplate>,
    /// The file-name pattern.
    pub name: TextTemplate,
    /// The name of the running document.
    pub running: Option<TextTemplate>,
    /// Who signs; none where nothing is signed.
    pub signing: Option<SigningPlan>,
    /// The channels that are on.
    pub channels: Vec<channel::Compiled>,
    /// Problems in the texts.
    pub problems: Vec<Diagnostic>,
}

impl Plan {
    /// Compiles a set-up.
    pub fn new(setup: &Setup) -> Plan {
        let pattern = if setup.name.trim().is_empty() { "Document [: run.number]" } else { &setup.name };
        let name = TextTemplate::new(pattern);
        let mut formats = setup.formats.clone();
        formats.sort_by_key(|format| Format::ALL.iter().position(|f| f == format));
        formats.dedup();
        let makes_pdf = formats.contains(&Format::Pdf);
        let password = Some(&setup.pdf.password).filter(|p| makes_pdf && !p.trim().is_empty()).map(|p| TextTemplate::new(p));
        let running = Some(&setup.running).filter(|name| !name.trim().is_empty()).map(|name| TextTemplate::new(name));
        let texts = [("file name", &name)].into_iter().chain(password.iter().map(|p| ("password", p)));
        let texts = texts.chain(running.iter().map(|name| ("running document", name)));
        let mut problems: Vec<Diagnostic> =
            texts.flat_map(|(field, text)| text.problems().iter().map(move |problem| of_output(field, problem.clone()))).collect();
        let mut channels: Vec<channel::Compiled> =
            setup.channels.iter().enumerate().filter_map(|(index, channel)| channel::Compiled::of(index, channel)).collect();
        problems.extend(channels.iter_mut().flat_map(|channel| std::mem::take(&mut channel.problems)));
        problems.extend(channel::clashes(&channels));
        let mut signing = SigningPlan::of(&setup.signing);
        problems.extend(signing.iter_mut().flat_map(|own| std::mem::take(&mut own.problems)));
        problems.extend(of_signing(setup, &channels, makes_pdf, password.is_some()));
        problems.extend(setup.rules.iter().enumerate().flat_map(|(at, rule)| rule.problem(at)));
        if setup.joint && !setup.rules.is_empty() {
            let message = "one document serves all records, so a rule can't choose for each. Remove the rules, or make a document for each record under Output.";
            problems
                .push(Diagnostic::error("joint-rules", message).about(Target::Setup { station: Station::Template, field: "rules".into() }));
        }
        if formats.is_empty() {
            problems.push(of_output("pdf", Diagnostic::error("no-format", "no format is made. Choose PDF or DOCX.")));
        }
        if running.is_some() && !makes_pdf {
            let message = "a running document is a PDF. Add PDF to the formats, or remove the running document.";
            problems.push(of_output("running document", Diagnostic::error("running-pdf", message)));
        }
        if running.is_some() && password.is_some() {
            let message = "PDFs with a password can't be added to a running document. Remove one of the two.";
            problems.push(of_output("running document", Diagnostic::error("running-password", message)));
        }
        let PdfSetup { standard, attach, .. } = setup.pdf;
        if matches!(standard, PdfStandard::A2b | PdfStandard::A3b) && password.is_some() {
            let message = "PDF/A can't have a password. Choose the standard PDF or remove the password.";
            problems.push(of_output("pdf", Diagnostic::error("password-in-archive", message)));
        }
        if standard == PdfStandard::A2b && attach != Attach::Nothing && makes_pdf {
            problems.push(of_output("pdf", Diagnostic::error("no-attachments", "PDF/A-2b can't have attachments. Choose PDF/A-3b.")));
        }
        let ties = Ties::new(setup.ties.iter().map(|(name, column)| (name.as_str(), column.as_str())));
        let locale_column = Some(setup.locale_column.trim()).filter(|c| !c.is_empty()).map(Folded::new);
        Plan {
            ties,
            joint: setup.joint,
            locale_column,
            formats,
            pdf: (standard, attach),
            password,
            name,
            running,
            signing,
            channels,
            problems,
        }
    }

    /// Whether documents of a format are made.
    pub fn makes(&self, format: Format) -> bool {
        self.formats.contains(&format)
    }

    /// What is made of a record, as channels see it.
    pub fn made<'a>(&'a self, file_name: &'a str) -> Made<'a> {
        Made { file_name, formats: &self.formats, closed: self.password.is_some() }
    }

    /// The placeholders of all its texts.
    pub fn placeholders(&self) -> impl Iterator<Item = &Placeholder> {
        let output = std::iter::once(&self.name).chain(&self.password).chain(&self.running).flat_map(|text| text.placeholders());
        let signing = self.signing.iter().flat_map(SigningPlan::placeholders);
        output.chain(signing).chain(self.channels.iter().flat_map(channel::Compiled::placeholders))
    }

    /// What one document of a run is worked out in: the run's context, in the
    /// record's own locale where a column names it; in a joint document each record's in its turn.
    pub fn context(&self, run: &Context, record: &Record, number: usize, count: usize) -> Context {
        let context = Context { run_number: number, run_count: count, ..run.clone() };
        match (&self.locale_column, record.values()) {
            (None, _) => context,
            (Some(column), [Value::List(records)]) if self.joint => context.in_own_locales(records, column),
            (Some(column), _) => context.in_own_locale(record, column),
        }
    }
}
