//! Preflight: every record against the dispatch, before anything leaves.

use std::collections::HashMap;

use serde::Serialize;

use crate::dispatch::{Message, MessageFault, Plan, RECORDS, TieState, file_name};
use crate::language::{Folded, Scope};
use crate::template::FillError;

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
}

/// What one record will become, as far as it can be told without making it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Outline {
    /// The documents' name without extension.
    pub file_name: String,
    /// The message, when the e-mail channel is on.
    pub message: Option<Message>,
    /// The password that opens the PDF, where one is asked for.
    pub password: Option<String>,
    /// What a person should know of it, where the check was asked to notice.
    pub notes: Vec<Note>,
}

/// What does not stop a record, but may surprise its recipient. The same note of
/// several records is told once, with their number.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub enum Note {
    /// A blank stood where a date was needed.
    BlankDate,
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
            Note::BlankDate => f.write_str(
                "a blank stood where a date was needed: what was worked out of it is blank, and it is neither before nor after any day",
            ),
            Note::Uneven { sum, lines } => write!(
                f,
                "the lines that {lines} prints don't add up to the sum that {sum} prints: each was rounded by itself; put ROUND round the lines' value if the sum must be that of the printed lines"
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
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Obstacle {
    /// The station where it is mended.
    pub station: &'static str,
    /// What is wrong and what to do.
    pub message: String,
}

/// The obstacles of open ties and of problems in the set-up's texts.
pub fn obstacles(ties: &[TieState], plan: &Plan) -> Vec<Obstacle> {
    let open = ties.iter().filter(|t| t.column.is_none()).map(|tie| {
        let of_all = Folded::new(&tie.name) == Folded::new(RECORDS);
        let (station, message) = match () {
            () if plan.joint => (
                "result",
                format!(
                    "“{}” stands outside of a repeat for records, where no record is at hand; put it within [:repeat for records], or make a document of each record",
                    tie.name
                ),
            ),
            () if of_all => ("result", "“records” is all records of a run, where one document serves them all; choose that at Result".to_owned()),
            () => ("ties", format!("“{}” is not tied to a column; choose the column that it takes", tie.name)),
        };
        Obstacle { station, message }
    });
    let texts = plan.problems.iter().map(|p| Obstacle {
        station: if matches!(p.field, "file name" | "password" | "pdf") { "result" } else { "channels" },
        message: match p.problem.placeholder.as_str() {
            "" => p.problem.message.clone(),
            placeholder => format!("{} of the {}: {}", placeholder, p.field, p.problem.message),
        },
    });
    open.chain(texts).collect()
}

/// The findings of one record: those of its document, name and message.
pub fn check(plan: &Plan, scope: &Scope<'_>, document: Vec<FillError>) -> Result<Outline, Vec<Finding>> {
    let record = scope.record.number;
    // In a joint document the record at fault is that of the turn.
    let at_fault = |e: &FillError| e.turn_of.filter(|_| plan.joint).map_or(record, |row| row as usize);
    let mut findings: Vec<Finding> = document.into_iter().map(|e| of_fill(at_fault(&e), e.place.words(), &e)).collect();
    let name = match plan.name.fill(scope) {
        Ok(text) => match file_name(&text) {
            Some(name) => name,
            None => {
                let message = "the file name comes out blank; add something to its pattern that every record has".to_owned();
                findings.push(Finding {
                    record,
                    code: "blank-name".into(),
                    place: "file name".into(),
                    placeholder: String::new(),
                    message,
                });
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
            findings.push(Finding {
                record,
                code: "blank-password".into(),
                place: "password".into(),
                placeholder: String::new(),
                message: "the password comes out blank; put the field in, or leave the record out".into(),
            });
            None
        }
        Some(Err(error)) => {
            findings.push(of_fill(record, "password", &error));
            None
        }
    };
    let message = match plan.email.as_ref().map(|email| email.message(scope)) {
        None => None,
        Some(Ok(message)) => Some(message),
        Some(Err(fault)) => {
            let (place, placeholder) = match &fault {
                MessageFault::Fill { field, error } => ((*field).to_owned(), error.placeholder.to_string()),
                MessageFault::Address { field, .. } => ((*field).to_owned(), String::new()),
                MessageFault::NoRecipient => ("to".to_owned(), String::new()),
            };
            findings.push(Finding { record, code: fault.code().into(), place, placeholder, message: fault.to_string() });
            None
        }
    };
    match findings.is_empty() {
        true => Ok(Outline { file_name: name, message, password, notes: notes(scope) }),
        false => Err(findings),
    }
}

fn notes(scope: &Scope<'_>) -> Vec<Note> {
    let noticed = &scope.context.noticed;
    let blank = noticed.blank_date().then_some(Note::BlankDate);
    blank.into_iter().chain(noticed.uneven().into_iter().map(|u| Note::Uneven { sum: u.sum, lines: u.lines })).collect()
}

fn of_fill(record: usize, place: &str, error: &FillError) -> Finding {
    Finding {
        record,
        code: error.error.fault.code().to_owned(),
        place: place.to_owned(),
        placeholder: error.placeholder.to_string(),
        message: error.error.to_string(),
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
                Finding {
                    record,
                    code: "same-name".into(),
                    place: "file name".into(),
                    placeholder: name.to_owned(),
                    message: format!(
                        "“{name}” is also the file name of {}; add a field to the pattern that tells them apart",
                        others.join(", ")
                    ),
                }
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
    use crate::dispatch::{EmailChannel, Setup};
    use crate::language::Context;
    use crate::records::{Column, ColumnType, Record, Schema};
    use crate::value::{Locale, Misfit, Value};

    fn checked(email: Value, name: &str) -> Result<Outline, Vec<String>> {
        let schema = Schema::new(vec![Column::new("Ref", ColumnType::Text), Column::new("E-mail", ColumnType::Email)]).expect("schema");
        let record = Record::new(Arc::new(schema), vec![Value::text("BQ-0048"), email], 48);
        let channel =
            EmailChannel { to: "[: email]".into(), subject: "Your berth\n[: ref]".into(), body: "Hello".into(), ..EmailChannel::default() };
        let plan = Plan::new(&Setup { name: name.into(), email: Some(channel), ..Setup::default() });
        let context = Context::new(Locale::english(), DateTime::constant(2026, 11, 23, 9, 0, 0, 0));
        check(&plan, &Scope::new(&record, &plan.ties, &context), Vec::new())
            .map_err(|all| all.into_iter().map(|f| format!("{} {} {}: {}", f.record, f.code, f.place, f.message)).collect())
    }

    #[test]
    fn a_record_in_order_has_a_name_and_a_message() {
        let outline = checked(Value::text("joerg@brueckner.example"), "Reminder [: ref]").expect("in order");
        assert_eq!(outline.file_name, "Reminder BQ-0048");
        let message = outline.message.expect("a message");
        assert_eq!(message.subject, "Your berth BQ-0048");
        assert_eq!(message.to[0].as_str(), "joerg@brueckner.example");
    }

    #[test]
    fn blank_and_malformed_recipients_are_told_apart() {
        let blank = checked(Value::Blank, "Reminder [: ref]").expect_err("blank");
        assert_eq!(blank, ["48 no-recipient to: the record has no e-mail address; put one in, or leave the record out"]);
        let misfit = Misfit { column: "E-mail".into(), text: "joerg.brueckner@".into(), expected: "an e-mail address", why: None };
        let wrong = checked(Value::Misfit(Arc::new(misfit)), "Reminder [: ref]").expect_err("malformed");
        assert_eq!(
            wrong,
            [
                "48 not-an-address to: to: “joerg.brueckner@” is not an e-mail address: nothing stands after the @; correct it in the source, or leave the record out"
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
        assert_eq!(said[0].1, "“Reminder” is also the file name of row 17; add a field to the pattern that tells them apart");
        assert_eq!(said.len(), 2);
    }
}
