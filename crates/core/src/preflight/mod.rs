//! Preflight: every record against the dispatch, before anything leaves.

mod cause;

use std::collections::HashMap;

use serde::Serialize;

use crate::channel::{self, MendedIn, Moment, Parcel, World};
use crate::dispatch::{Plan, RECORDS, Station, TieState, file_name};
use crate::language::{Fault, Folded, Scope};
use crate::template::FillError;
use crate::value::{Locale, Value};

pub use cause::{Cause, Fields, Fix, Found, causes};

/// What is wrong with one record before the run.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Finding {
    /// The row's number in its sheet.
    pub record: usize,
    /// A short name for programs.
    pub code: String,
    /// Where: "body", "file name", "to".
    pub place: String,
    /// The placeholder or value at fault, where there is one.
    pub placeholder: String,
    /// What is wrong and what to do.
    pub message: String,
    /// The column at fault, where the cell of one is.
    pub column: Option<String>,
    /// What stands in the cell at fault; of another currency, the one that is wanted.
    pub text: Option<String>,
}

impl Finding {
    fn new(record: usize, code: &str, place: &str, message: &str) -> Finding {
        Finding {
            record,
            code: code.to_owned(),
            place: place.to_owned(),
            placeholder: String::new(),
            message: message.to_owned(),
            column: None,
            text: None,
        }
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

/// Where a finding of a channel's field is: with its name where there are several.
pub fn place_in(plan: &Plan, channel: &channel::Compiled, field: &str) -> String {
    match plan.channels.len() {
        0 | 1 => field.to_owned(),
        _ => format!("{}: {field}", channel.name),
    }
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
}

impl std::fmt::Display for Note {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Note::BlankDate => f.write_str("a date is blank: results calculated from it are blank, and comparisons with it are false"),
            Note::BlankNumber(field) => {
                write!(f, "“{field}” is blank and counted as 0 in a calculation. Enter a value, or use `if` to handle blanks.")
            }
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

/// What stops a run as a whole.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Obstacle {
    /// The step where it is mended.
    pub station: Station,
    /// Whether it is mended in the office's settings instead.
    pub in_settings: bool,
    /// What is wrong and what to do.
    pub message: String,
}

impl Obstacle {
    /// One that is mended in a step.
    pub fn new(station: Station, message: impl Into<String>) -> Obstacle {
        Obstacle { station, in_settings: false, message: message.into() }
    }
}

/// The obstacles of open ties, of problems in the set-up's texts, and of channels that can't be
/// used in this office.
pub fn obstacles(ties: &[TieState], plan: &Plan, world: &World<'_>) -> Vec<Obstacle> {
    let open = ties.iter().filter(|t| t.column.is_none()).map(|tie| {
        let of_all = Folded::new(&tie.name) == Folded::new(RECORDS);
        let (station, message) = match () {
            () if plan.joint => (
                Station::Output,
                format!("“{}” is outside [:repeat for records]. Move it inside, or create one document per record.", tie.name),
            ),
            () if of_all => (Station::Output, "“records” needs one document for all records. Choose that under Output.".to_owned()),
            () => (Station::Mapping, format!("“{}” is not mapped to a column. Choose one.", tie.name)),
        };
        Obstacle::new(station, message)
    });
    let texts = plan.problems.iter().map(|p| {
        let message = match p.problem.placeholder.as_str() {
            "" => p.problem.message.clone(),
            placeholder => format!("{} of the {}: {}", placeholder, p.field, p.problem.message),
        };
        Obstacle::new(p.station, p.channel.as_ref().map(|name| format!("{name}: {message}")).unwrap_or(message))
    });
    let channels = plan
        .channels
        .iter()
        .flat_map(|channel| channel.obstacles(world))
        .map(|(mended, message)| Obstacle { in_settings: mended == MendedIn::Settings, ..Obstacle::new(Station::Channels, message) });
    open.chain(texts).chain(channels).collect()
}

/// The findings of one record: those of its document, its name and its deliveries.
pub fn check(plan: &Plan, scope: &Scope<'_>, document: Vec<FillError>, purpose: Purpose) -> Result<Outline, Vec<Finding>> {
    let record = scope.record.number;
    // In a joint document the record at fault is that of the turn.
    let at_fault = |e: &FillError| e.turn_of.filter(|_| plan.joint).map_or(record, |row| row as usize);
    let mut findings: Vec<Finding> = document.into_iter().map(|e| of_fill(at_fault(&e), e.place.words(), &e)).collect();
    let name = match plan.name.fill(scope) {
        Ok(text) => match file_name(&text) {
            Some(name) => name,
            None => {
                let message = "the file name is blank. Add a field that has a value in every record.";
                findings.push(Finding::new(record, "blank-name", "file name", message));
                String::new()
            }
        },
        Err(error) => {
            findings.push(of_fill(record, "file name", &error));
            String::new()
        }
    };
    let password = match plan.password.as_ref().map(|password| password.fill(scope)) {
        None => None,
        Some(Ok(text)) if !text.trim().is_empty() => Some(text.trim().to_owned()),
        Some(Ok(_)) => {
            let message = "the password is blank. Fill in the field or leave the record out.";
            findings.push(Finding::new(record, "blank-password", "password", message));
            None
        }
        Some(Err(error)) => {
            findings.push(of_fill(record, "password", &error));
            None
        }
    };
    let mut deliveries = Vec::with_capacity(plan.channels.len());
    for channel in &plan.channels {
        match channel.render(scope, &plan.made(&name)) {
            Ok(parcel) => deliveries.push(Planned {
                channel: channel.index,
                kind: channel.kind,
                name: channel.name.clone(),
                moment: channel.moment,
                parcel,
            }),
            Err(_) if purpose == Purpose::Proof => {}
            Err(fault) => findings.push(match &fault {
                channel::Fault::Fill { field, error } => of_fill(record, &place_in(plan, channel, field), error),
                channel::Fault::Value { code, field, text, message } => {
                    Finding { text: text.clone(), ..Finding::new(record, code, &place_in(plan, channel, field), message) }
                }
            }),
        }
    }
    if let Some(column) = &plan.locale_column
        && let Some(Value::Text(tag)) = scope.record.get(column)
        && !tag.trim().is_empty()
        && Locale::parse(tag.trim()).is_err()
    {
        let name = scope.record.field(column).map(|(column, _)| column.name.clone());
        let message = format!("“{tag}” is not a language code. Use a code such as de-DE, or leave it blank.");
        findings.push(Finding {
            column: name,
            text: Some(tag.to_string()),
            ..Finding::new(record, "unknown-language", "language", &message)
        });
    }
    match findings.is_empty() {
        true => Ok(Outline { file_name: name, deliveries, password, notes: notes(scope) }),
        false => Err(findings),
    }
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

fn of_fill(record: usize, place: &str, error: &FillError) -> Finding {
    let fault = &error.error.fault;
    let (column, text) = match fault {
        Fault::Misfit { column, text, .. } => (Some(column.clone()), Some(text.clone())),
        Fault::Computed { column, .. } => (Some(column.clone()), None),
        Fault::OtherCurrency { wanted, .. } => (None, Some(wanted.clone())),
        _ => (None, None),
    };
    Finding {
        placeholder: error.placeholder.to_string(),
        column,
        text,
        ..Finding::new(record, fault.code(), place, &error.error.to_string())
    }
}

/// Findings for records that would make the same file name.
pub fn same_names<'a>(names: impl IntoIterator<Item = (usize, &'a str)>) -> Vec<Finding> {
    let mut by_name: HashMap<String, Vec<(usize, &str)>> = HashMap::new();
    for (record, name) in names {
        // File systems that do not regard case would take them for one.
        by_name.entry(name.to_lowercase()).or_default().push((record, name));
    }
    let mut findings: Vec<Finding> = by_name
        .into_values()
        .filter(|same| same.len() > 1)
        .flat_map(|same| {
            let all: Vec<usize> = same.iter().map(|(record, _)| *record).collect();
            same.into_iter().map(move |(record, name)| {
                let others: Vec<String> = all.iter().filter(|r| **r != record).take(5).map(|r| format!("row {r}")).collect();
                let others = others.join(", ");
                let message = format!("“{name}” is also the file name of {others}. Add a field that makes it unique.");
                Finding { text: Some(name.to_owned()), ..Finding::new(record, "same-name", "file name", &message) }
            })
        })
        .collect();
    findings.sort_by_key(|f| f.record);
    findings
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
    use crate::value::Misfit;

    fn checked(email: Value, name: &str) -> Result<Outline, Vec<String>> {
        let schema = Schema::new(vec![Column::new("Ref", ColumnType::Text), Column::new("E-mail", ColumnType::Email)]).expect("schema");
        let record = Record::new(Arc::new(schema), vec![Value::text("BQ-0048"), email], 48);
        let channel =
            EmailChannel { to: "[: email]".into(), subject: "Your berth\n[: ref]".into(), body: "Hello".into(), ..EmailChannel::default() };
        let channels = vec![ChannelSetup::new(Channel::Email(channel))];
        let plan = Plan::new(&Setup { name: name.into(), channels, ..Setup::default() });
        let context = Context::new(Locale::english(), DateTime::constant(2026, 11, 23, 9, 0, 0, 0));
        check(&plan, &Scope::new(&record, &plan.ties, &context), Vec::new(), Purpose::Run)
            .map_err(|all| all.into_iter().map(|f| format!("{} {} {}: {}", f.record, f.code, f.place, f.message)).collect())
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

    #[test]
    fn records_of_one_file_name_name_each_other() {
        let found = same_names([(3, "Reminder"), (17, "reminder"), (31, "Other")]);
        let said: Vec<_> = found.iter().map(|f| (f.record, f.message.as_str())).collect();
        assert_eq!(said[0].0, 3);
        assert_eq!(said[0].1, "“Reminder” is also the file name of row 17. Add a field that makes it unique.");
        assert_eq!(said.len(), 2);
    }
}
