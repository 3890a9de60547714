//! Preflight: every record against the dispatch, before anything leaves.

mod cause;
pub mod checks;
mod totals;

use serde::Serialize;

use crate::channel::{self, Moment, Parcel, World};
use crate::diagnostic::{Diagnostic, Target};
use crate::dispatch::{Plan, Station, TieState};
use crate::language::syntax::SignerField;
use crate::language::{Fault, Scope};
use crate::signing::RoundPlan;
use crate::template::FillError;
use crate::words::{counted, grouped};

pub use cause::{Cause, Fields, Fix, Found, causes};
pub use totals::{ChannelTotal, Sum, Totals};

/// What is wrong with one record before the run.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Finding {
    /// The row's number in its sheet.
    pub record: usize,
    /// What is wrong: where, in which placeholder, and what to do.
    pub what: Diagnostic,
    /// The column at fault, where the cell of one is.
    pub column: Option<String>,
    /// What stands in the cell at fault; of another currency, the one that is wanted.
    pub text: Option<String>,
}

impl Finding {
    /// What is wrong with a record.
    pub fn new(record: usize, what: Diagnostic) -> Finding {
        Finding { record, what, column: None, text: None }
    }
}

/// What one record will become, as far as it can be told without making it.
#[derive(Debug, Clone, PartialEq)]
pub struct Outline {
    /// The documents' name without extension.
    pub file_name: String,
    /// What each channel that is on will do.
    pub deliveries: Vec<Planned>,
    /// The password that opens the PDF, where one is asked for.
    pub password: Option<String>,
    /// Who signs it, and how; none where nothing is signed.
    pub round: Option<RoundPlan>,
    /// The running document that its PDF is added to.
    pub running: Option<String>,
    /// What a person should know of it, where the check was asked to notice.
    pub notes: Vec<Note>,
}

/// What one channel will do for a record.
#[derive(Debug, Clone, PartialEq)]
pub struct Planned {
    /// The channel's place in the set-up.
    pub channel: usize,
    /// The word of its kind.
    pub kind: &'static str,
    /// What it is called.
    pub name: String,
    /// When it delivers.
    pub moment: Moment,
    /// The most documents of a run that it delivers an hour.
    pub per_hour: Option<u32>,
    /// What it hands over; none where its condition is false.
    pub parcel: Option<Parcel>,
}

/// What records are checked for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Purpose {
    /// Documents that go where the channels say.
    Run,
    /// Documents that go to the person alone: what channels can't do stops none.
    Proof,
}

/// A field of a channel.
fn of_channel(channel: &channel::Compiled, field: &'static str) -> Target {
    Target::Channel { channel: channel.index, field: field.into() }
}

/// What does not stop a record, but may surprise its recipient. The same note of
/// several records is told once, with their number.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub enum Note {
    /// A blank stood where a date was needed.
    BlankDate,
    /// A blank field was calculated with, as 0.
    BlankNumber(String),
    /// Two printed amounts differ by so little that they may be meant to be one.
    Close {
        /// The one's placeholder.
        one: String,
        /// The other's.
        other: String,
    },
    /// Printed lines don't add up to the printed sum: the placeholders of sum and lines.
    Uneven {
        /// The sum's placeholder.
        sum: String,
        /// The lines' placeholder.
        lines: String,
    },
    /// Its address is that of another record, too.
    SameRecipient,
    /// Its address is that of a function, not of a person.
    RoleAddress,
    /// Its values are those that were sent last.
    SameAsLast,
    /// Its document has more pages than most.
    MorePages {
        /// How many.
        pages: usize,
        /// How many most have.
        usual: usize,
    },
    /// Something of the whole run is far from the last one.
    FarFromLast(String),
    /// With this run, more documents are made in the month than are meant to be.
    BeyondMonthlyLimit {
        /// How many there will be.
        made: usize,
        /// How many are meant to be.
        monthly_limit: usize,
    },
}

impl std::fmt::Display for Note {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Note::BlankDate => f.write_str("a date is blank: results calculated from it are blank, and comparisons with it are false"),
            Note::BlankNumber(field) => {
                write!(f, "“{field}” is blank and counted as 0 in a calculation. Enter a value, or use `if` to handle blanks.")
            }
            Note::SameRecipient => f.write_str("several records go to the same e-mail address, which gets a message for each"),
            Note::SameAsLast => f.write_str("the values are the same as when this dispatch sent them last"),
            Note::MorePages { pages, usual } => {
                write!(f, "the document has {}, most have {usual}. Check for long values.", counted(*pages, "page", "pages"))
            }
            Note::FarFromLast(what) => f.write_str(what),
            Note::BeyondMonthlyLimit { made, monthly_limit } => write!(
                f,
                "with this run, the dispatch will have created {} this month; its limit is {}. Change the limit under Output if this is intended.",
                counted(*made, "document", "documents"),
                grouped(*monthly_limit)
            ),
            Note::RoleAddress => f.write_str("the e-mail address is that of an office or a function (info@, office@), not of a person"),
            Note::Close { one, other } => write!(
                f,
                "{one} and {other} print amounts that differ by a few cents; if they are meant to be one, work it out once with [:set …] and print that"
            ),
            Note::Uneven { sum, lines } => write!(
                f,
                "printed amounts of {lines} don't add up to {sum} because each is rounded separately. To make them match, wrap the line value in ROUND."
            ),
        }
    }
}

impl Note {
    /// What a person is told of it.
    pub fn diagnostic(&self) -> Diagnostic {
        let code = match self {
            Note::BlankDate => "blank-date",
            Note::BlankNumber(_) => "blank-number",
            Note::Close { .. } => "close-amounts",
            Note::Uneven { .. } => "uneven-sum",
            Note::SameRecipient => "same-recipient",
            Note::RoleAddress => "role-address",
            Note::SameAsLast => "same-as-last",
            Note::MorePages { .. } => "more-pages",
            Note::FarFromLast(_) => "far-from-last",
            Note::BeyondMonthlyLimit { .. } => "beyond-monthly-limit",
        };
        Diagnostic::warning(code, self.to_string())
    }
}

/// A note and the records that it is of.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Noted {
    /// The note.
    pub note: Note,
    /// The rows' numbers, in their order.
    pub records: Vec<usize>,
}

/// Gathers the notes of all records, each note once.
pub fn gather_notes(notes: impl IntoIterator<Item = (usize, Note)>) -> Vec<Noted> {
    let mut gathered: std::collections::BTreeMap<Note, Vec<usize>> = std::collections::BTreeMap::new();
    for (record, note) in notes {
        gathered.entry(note).or_default().push(record);
    }
    gathered.into_iter().map(|(note, records)| Noted { note, records }).collect()
}

/// What stops a run as a whole, fixed in a step.
fn obstacle(station: Station, code: &'static str, said: impl Into<String>) -> Diagnostic {
    Diagnostic::error(code, said).about(Target::Step { station })
}

/// What is wrong with one of the set-up's texts, with the field named.
fn of_problem(plan: &Plan, problem: &Diagnostic) -> Diagnostic {
    let field = match &problem.target {
        Target::Setup { field, .. } | Target::Channel { field, .. } => field.as_ref(),
        _ => "",
    };
    let message = match problem.source.as_str() {
        "" => problem.message.clone(),
        placeholder => format!("{placeholder} of the {field}: {}", problem.message),
    };
    let channel = match &problem.target {
        Target::Channel { channel, .. } if plan.channels.len() > 1 => plan.channels.iter().find(|c| c.index == *channel),
        _ => None,
    };
    let message = channel.map(|channel| format!("{}: {message}", channel.name)).unwrap_or(message);
    Diagnostic { message, ..problem.clone() }
}

/// A date of the source that can be read in two ways.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct UnsureDate {
    /// The column's name.
    pub column: String,
    /// What stands in a cell.
    pub example: String,
    /// What it is with the day first.
    pub day_first: String,
    /// What it is with the month first.
    pub month_first: String,
}

/// What is known of a set-up before any record is looked at.
#[derive(Debug)]
pub struct Facts<'a> {
    /// How many problems the template has; none where no template is chosen.
    pub template_problems: Option<usize>,
    /// Whether the template's documents can be made in its own format besides PDF.
    pub writes: bool,
    /// Whether a source is chosen.
    pub source: bool,
    /// Dates of the source that can be read in two ways.
    pub unsure: &'a [UnsureDate],
    /// How the names are tied.
    pub ties: &'a [TieState],
    /// The template's signature fields.
    pub signer_fields: &'a [SignerField],
    /// The set-up, compiled.
    pub plan: &'a Plan,
    /// The office and the machine.
    pub world: World<'a>,
}

/// A record that is being checked: what is known of it, what it will become, what is wrong.
#[derive(Debug)]
pub struct Checking<'a> {
    /// The set-up, compiled.
    pub plan: &'a Plan,
    /// The record, and what its names are looked up in.
    pub scope: &'a Scope<'a>,
    /// What it is checked for.
    pub purpose: Purpose,
    /// What failed in filling the document.
    pub document: Vec<FillError>,
    /// What it will become.
    pub outline: Outline,
    /// What is wrong.
    pub findings: Vec<Finding>,
}

impl Checking<'_> {
    fn row(&self) -> usize {
        self.scope.record.number
    }

    fn find(&mut self, target: Target, code: &'static str, said: &str) {
        self.findings.push(Finding::new(self.row(), Diagnostic::error(code, said).about(target)));
    }

    fn find_error(&mut self, target: Target, error: &FillError) {
        let found = of_fill(self.row(), error);
        self.findings.push(Finding { what: found.what.about(target), ..found });
    }
}

/// What is kept of a record for the checks of all records together.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Summary {
    /// The row's number.
    pub record: usize,
    /// The documents' name.
    pub file_name: String,
    /// To whom or where it goes, over each channel.
    pub goes_to: Vec<(usize, String)>,
}

impl Summary {
    /// Of a record.
    pub fn of(record: usize, outline: &Outline) -> Summary {
        let goes_to = outline.deliveries.iter().filter_map(|d| Some((d.channel, d.parcel.as_ref()?.to.clone()))).collect();
        Summary { record, file_name: outline.file_name.clone(), goes_to }
    }
}

/// A check. Screen, API, terminal and whatever starts runs use the same list of them: to add
/// one, write it in `checks/` and name it in [`checks::ALL`].
pub trait Check: Sync {
    /// What stops the run as a whole.
    fn setup(&self, _facts: &Facts<'_>) -> Vec<Diagnostic> {
        Vec::new()
    }

    /// What is wrong with one record; it may add to what the record will become.
    fn record(&self, _at: &mut Checking<'_>) {}

    /// What is wrong with records beside one another.
    fn batch(&self, _all: &[Summary]) -> Vec<Finding> {
        Vec::new()
    }

    /// What a person should know of records beside one another.
    fn notes(&self, _all: &[Summary]) -> Vec<(usize, Note)> {
        Vec::new()
    }
}

/// What stops a run as a whole.
pub fn obstacles(facts: &Facts<'_>) -> Vec<Diagnostic> {
    checks::ALL.iter().flat_map(|check| check.setup(facts)).collect()
}

/// Checks one record: what it will become, or what is wrong with it.
pub fn check(plan: &Plan, scope: &Scope<'_>, document: Vec<FillError>, purpose: Purpose) -> Result<Outline, Vec<Finding>> {
    let outline =
        Outline { file_name: String::new(), deliveries: Vec::new(), password: None, round: None, running: None, notes: Vec::new() };
    let mut at = Checking { plan, scope, purpose, document, outline, findings: Vec::new() };
    checks::ALL.iter().for_each(|check| check.record(&mut at));
    match at.findings.is_empty() {
        true => Ok(Outline { notes: notes(scope), ..at.outline }),
        false => Err(at.findings),
    }
}

/// Checks records against one another.
pub fn check_batch(all: &[Summary]) -> Vec<Finding> {
    checks::ALL.iter().flat_map(|check| check.batch(all)).collect()
}

/// What a person should know of records beside one another.
pub fn batch_notes(all: &[Summary]) -> Vec<(usize, Note)> {
    checks::ALL.iter().flat_map(|check| check.notes(all)).collect()
}

fn notes(scope: &Scope<'_>) -> Vec<Note> {
    let noticed = &scope.context.noticed;
    let date = noticed.blank_date().then_some(Note::BlankDate);
    let numbers = noticed.blank_numbers().into_iter().map(Note::BlankNumber);
    let close = noticed.close().into_iter().map(|(one, other)| Note::Close { one, other });
    date.into_iter()
        .chain(numbers)
        .chain(close)
        .chain(noticed.uneven().into_iter().map(|u| Note::Uneven { sum: u.sum, lines: u.lines }))
        .collect()
}

/// What failed in filling a text.
fn of_fill(record: usize, error: &FillError) -> Finding {
    let (column, text) = match &error.error.fault {
        Fault::Misfit { column, text, .. } => (Some(column.clone()), Some(text.clone())),
        Fault::Computed { column, .. } => (Some(column.clone()), None),
        Fault::OtherCurrency { wanted, .. } => (None, Some(wanted.clone())),
        _ => (None, None),
    };
    Finding { column, text, ..Finding::new(record, error.diagnostic()) }
}

#[cfg(test)]
mod tests {
    use std::sync::Arc;

    use jiff::civil::DateTime;

    use super::*;
    use crate::channel::{Channel, ChannelSetup, EmailChannel};
    use crate::dispatch::Setup;
    use crate::language::Context;
    use crate::records::{Column, ColumnType, Record, Schema};
    use crate::value::{Locale, Misfit, Value};

    fn checked(email: Value, name: &str) -> Result<Outline, Vec<String>> {
        let schema = Schema::new(vec![Column::new("Ref", ColumnType::Text), Column::new("E-mail", ColumnType::Email)]).expect("schema");
        let record = Record::new(Arc::new(schema), vec![Value::text("BQ-0048"), email], 48);
        let channel =
            EmailChannel { to: "[: email]".into(), subject: "Your berth\n[: ref]".into(), body: "Hello".into(), ..EmailChannel::default() };
        let channels = vec![ChannelSetup::new(Channel::Email(channel))];
        let plan = Plan::new(&Setup { name: name.into(), channels, ..Setup::default() });
        let context = Context::new(Locale::english(), DateTime::constant(2026, 11, 23, 9, 0, 0, 0));
        check(&plan, &Scope::new(&record, &plan.ties, &context), Vec::new(), Purpose::Run)
            .map_err(|all| all.into_iter().map(|f| format!("{} {} {}: {}", f.record, f.what.code, f.what.target.words(), f.what)).collect())
    }

    #[test]
    fn a_record_in_order_has_a_name_and_a_message() {
        let outline = checked(Value::text("joerg@brueckner.example"), "Reminder [: ref]").expect("in order");
        assert_eq!(outline.file_name, "Reminder BQ-0048");
        let parcel = outline.deliveries[0].parcel.as_ref().expect("it is delivered");
        assert_eq!(parcel.payload["subject"], "Your berth BQ-0048");
        assert_eq!((parcel.to.as_str(), parcel.documents.as_slice()), ("joerg@brueckner.example", &[crate::dispatch::Format::Pdf][..]));
    }

    #[test]
    fn blank_and_malformed_recipients_are_told_apart() {
        let blank = checked(Value::Blank, "Reminder [: ref]").expect_err("blank");
        assert_eq!(blank, ["48 no-recipient to: no e-mail address. Add one or leave the record out."]);
        let misfit =
            Misfit { column: "E-mail".into(), text: "joerg.brueckner@".into(), kind: crate::records::ColumnType::Email, why: None };
        let wrong = checked(Value::Misfit(Arc::new(misfit)), "Reminder [: ref]").expect_err("malformed");
        assert_eq!(
            wrong,
            [
                "48 not-an-address to: to: “joerg.brueckner@” is not an e-mail address: there is nothing after the @; correct it in the source, or leave the record out"
            ]
        );
    }

    #[test]
    fn a_blank_file_name_is_a_finding() {
        assert_eq!(checked(Value::text("a@b.example"), "[: ref after \"\" before \"\"]").map(|o| o.file_name), Ok("BQ-0048".into()));
        let blank = checked(Value::text("a@b.example"), "[: if(false; ref; \"\")]").expect_err("blank");
        assert!(blank[0].starts_with("48 blank-name file name"));
    }
}
