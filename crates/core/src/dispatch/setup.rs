//! A dispatch's set-up as it is saved, and the plan compiled from it.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use super::message::EmailPlan;
use crate::language::{Context, Folded, Ties};
use crate::records::Record;
use crate::template::{Place, Problem, TextTemplate};
use crate::value::Value;

/// What a run makes of each record.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, Default)]
#[serde(rename_all = "lowercase")]
pub enum Output {
    /// A PDF.
    #[default]
    Pdf,
    /// The filled DOCX.
    Docx,
    /// Both.
    Both,
}

impl Output {
    /// Whether a PDF is made.
    pub fn pdf(self) -> bool {
        self != Output::Docx
    }

    /// Whether the filled DOCX is kept.
    pub fn docx(self) -> bool {
        self != Output::Pdf
    }
}

/// How PDFs are written.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, Default)]
pub struct PdfSetup {
    /// The standard that they keep.
    #[serde(default)]
    pub standard: PdfStandard,
    /// What is attached to them.
    #[serde(default)]
    pub attach: Attach,
    /// The password that opens them, with placeholders; empty for none.
    #[serde(default)]
    pub password: String,
}

/// A standard that a PDF keeps.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, Default)]
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

/// The e-mail channel: every field may hold placeholders.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, Default)]
pub struct EmailChannel {
    /// Recipients, parted by commas.
    pub to: String,
    /// Copies.
    #[serde(default)]
    pub cc: String,
    /// Blind copies.
    #[serde(default)]
    pub bcc: String,
    /// The subject.
    pub subject: String,
    /// The text of the message.
    pub body: String,
}

/// Which of the chosen records are taken, by what this dispatch made of them before.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, Default)]
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
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, Default)]
pub struct Setup {
    /// Template name → column name, for names that do not tie themselves.
    #[serde(default)]
    pub ties: BTreeMap<String, String>,
    /// A condition that chooses records; empty for all.
    #[serde(default)]
    pub filter: String,
    /// Rows left out by hand: their numbers.
    #[serde(default)]
    pub left_out: Vec<usize>,
    /// Which records are taken by what was made of them before.
    #[serde(default)]
    pub choose: Choose,
    /// The column that records are called by; blank where their names tell.
    #[serde(default)]
    pub label: String,
    /// Whether one document serves all chosen records.
    #[serde(default)]
    pub joint: bool,
    /// What is made.
    #[serde(default)]
    pub output: Output,
    /// How PDFs are written.
    #[serde(default)]
    pub pdf: PdfSetup,
    /// The pattern of the documents' file names.
    #[serde(default)]
    pub name: String,
    /// The e-mail channel, when it is on.
    #[serde(default)]
    pub email: Option<EmailChannel>,
    /// The template's version that is always used; the one in use where there is none.
    #[serde(default)]
    pub version: Option<i64>,
    /// The locale by which values print.
    #[serde(default = "english")]
    pub locale: String,
    /// The column that holds a record's own locale, as a BCP 47 tag; blank for none.
    #[serde(default)]
    pub locale_column: String,
}

fn english() -> String {
    "en-GB".to_owned()
}

/// A problem in one of the set-up's texts.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct PlanProblem {
    /// The station and field: "file name", "subject".
    pub field: &'static str,
    /// What is wrong.
    pub problem: Problem,
}

impl PlanProblem {
    fn of(field: &'static str, code: &'static str, message: &str) -> PlanProblem {
        let problem = Problem {
            code,
            message: message.to_owned(),
            place: Place::Text,
            line: String::new(),
            placeholder: String::new(),
            span: Default::default(),
        };
        PlanProblem { field, problem }
    }
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
    /// What is made.
    pub output: Output,
    /// The standard of PDFs and what is attached to them.
    pub pdf: (PdfStandard, Attach),
    /// The password of PDFs.
    pub password: Option<TextTemplate>,
    /// The file-name pattern.
    pub name: TextTemplate,
    /// The e-mail channel.
    pub email: Option<EmailPlan>,
    /// Problems in the texts.
    pub problems: Vec<PlanProblem>,
}

impl Plan {
    /// Compiles a set-up.
    pub fn new(setup: &Setup) -> Plan {
        let pattern = if setup.name.trim().is_empty() { "Document [: run.number]" } else { &setup.name };
        let name = TextTemplate::new(pattern);
        let email = setup.email.as_ref().map(EmailPlan::new);
        let password = Some(&setup.pdf.password).filter(|p| setup.output.pdf() && !p.trim().is_empty()).map(|p| TextTemplate::new(p));
        let mut texts = vec![("file name", &name)];
        texts.extend(password.iter().map(|p| ("password", p)));
        if let Some(email) = &email {
            texts.extend(email.texts());
        }
        let mut problems: Vec<PlanProblem> = texts
            .into_iter()
            .flat_map(|(field, text)| text.problems().iter().map(move |problem| PlanProblem { field, problem: problem.clone() }))
            .collect();
        if setup.email.as_ref().is_some_and(|e| e.to.trim().is_empty()) {
            let message = "no recipient. Choose the field with the e-mail address.";
            problems.push(PlanProblem::of("to", "no-recipient", message));
        }
        let PdfSetup { standard, attach, .. } = setup.pdf;
        if matches!(standard, PdfStandard::A2b | PdfStandard::A3b) && password.is_some() {
            let message = "PDF/A can't have a password. Choose the standard PDF or remove the password.";
            problems.push(PlanProblem::of("pdf", "password-in-archive", message));
        }
        if standard == PdfStandard::A2b && attach != Attach::Nothing && setup.output.pdf() {
            problems.push(PlanProblem::of("pdf", "no-attachments", "PDF/A-2b can't have attachments. Choose PDF/A-3b."));
        }
        let ties = Ties::new(setup.ties.iter().map(|(name, column)| (name.as_str(), column.as_str())));
        let locale_column = Some(setup.locale_column.trim()).filter(|c| !c.is_empty()).map(Folded::new);
        Plan { ties, joint: setup.joint, locale_column, output: setup.output, pdf: (standard, attach), password, name, email, problems }
    }

    /// Whether the filled DOCX goes out with messages: an open one beside a PDF that needs a
    /// password would give away what that closes.
    pub fn mails_docx(&self) -> bool {
        self.output.docx() && self.password.is_none()
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
