//! Findings by their cause: what one act puts right is told once, with its records.

use std::borrow::Cow;
use std::collections::{BTreeMap, HashSet};

use serde::Serialize;

use super::Finding;
use crate::diagnostic::{Diagnostic, Target};

/// What is wrong with some records, for one reason.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Cause {
    /// What is wrong and what to do.
    pub what: Diagnostic,
    /// The placeholders at fault, each once.
    pub placeholders: Vec<String>,
    /// The column at fault.
    pub column: Option<String>,
    /// The act that puts it right, beside leaving the records out.
    pub fix: Option<Fix>,
    /// What was found of each record, in the order of the rows.
    pub found: Vec<Found>,
}

/// What was found of one record.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Found {
    /// The row's number in its sheet.
    pub record: usize,
    /// What stands in the cell at fault.
    pub text: Option<String>,
    /// What is wrong with this record.
    pub message: String,
}

/// An act that puts a cause right.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case", tag = "act")]
pub enum Fix {
    /// The column is in another currency than it is printed in.
    SetCurrency {
        /// The column.
        column: String,
        /// The currency that it is printed in.
        currency: String,
    },
    /// The cells hold what is no value of their column.
    CorrectCells {
        /// The column.
        column: String,
    },
}

/// What is known of the fields that a finding's placeholder reads.
pub trait Fields {
    /// The column of the record's own sheet that a placeholder prints, where it is one.
    fn printed_by(&self, place: &Target, placeholder: &str) -> Option<String>;
    /// Whether a person can write the cells of a column.
    fn can_be_written(&self, column: &str) -> bool;
}

/// What tells a cause from others of its code.
#[derive(PartialEq, Eq, PartialOrd, Ord)]
enum Key {
    Code,
    Currency(String, String),
    Column(String),
    Source(Target, String),
}

/// Gathers findings by cause, those of most records first. A record has each cause once.
pub fn causes(findings: Vec<Finding>, fields: &dyn Fields) -> Vec<Cause> {
    let mut gathered: BTreeMap<(Cow<'static, str>, Key), (Cause, HashSet<usize>)> = BTreeMap::new();
    for finding in findings {
        let Finding { record, what, column, text } = finding;
        let column = column.or_else(|| match what.code.as_ref() {
            "other-currency" | "no-recipient" | "not-an-address" => fields.printed_by(&what.target, &what.source),
            _ => None,
        });
        // What tells one cause from another of its kind.
        let of = match (what.code.as_ref(), &column) {
            ("same-name", _) => Key::Code,
            ("other-currency", Some(column)) => Key::Currency(column.clone(), what.message.clone()),
            (_, Some(column)) => Key::Column(column.clone()),
            (_, None) => Key::Source(what.target.clone(), what.source.clone()),
        };
        let (cause, records) = gathered.entry((what.code.clone(), of)).or_insert_with(|| {
            let fix = fix(&what, text.as_deref(), column.as_deref(), fields);
            let own = Diagnostic { source: String::new(), span: None, ..what.clone() };
            (Cause { what: own, placeholders: Vec::new(), fix, column, found: Vec::new() }, HashSet::new())
        });
        if !what.source.is_empty() && !cause.placeholders.contains(&what.source) {
            cause.placeholders.push(what.source.clone());
        }
        if records.insert(record) {
            cause.found.push(Found { record, text, message: what.to_string() });
        }
    }
    // A cell that is no e-mail address is no recipient, either: that is one cause.
    let mut causes: Vec<Cause> = gathered.into_values().map(|(cause, _)| cause).collect();
    let misfits: HashSet<(Option<String>, usize)> = causes
        .iter()
        .filter(|cause| cause.what.code == "misfit")
        .flat_map(|cause| cause.found.iter().map(|found| (cause.column.clone(), found.record)))
        .collect();
    for cause in causes.iter_mut().filter(|cause| cause.what.code == "not-an-address") {
        cause.found.retain(|found| !misfits.contains(&(cause.column.clone(), found.record)));
    }
    causes.retain(|cause| !cause.found.is_empty());
    for cause in &mut causes {
        cause.found.sort_by_key(|found| found.record);
        if let Some(said) = said(cause) {
            let Diagnostic { message, help, .. } = Diagnostic::error("", said);
            (cause.what.message, cause.what.help) = (message, help);
        }
    }
    causes.sort_by_key(|cause| std::cmp::Reverse(cause.found.len()));
    causes
}

fn fix(what: &Diagnostic, text: Option<&str>, column: Option<&str>, fields: &dyn Fields) -> Option<Fix> {
    let column = column?.to_owned();
    match what.code.as_ref() {
        "other-currency" => text.map(|currency| Fix::SetCurrency { column, currency: currency.to_owned() }),
        "misfit" | "no-recipient" | "not-an-address" | "unknown-language" => {
            fields.can_be_written(&column).then_some(Fix::CorrectCells { column })
        }
        _ => None,
    }
}

/// What is said of all records of a cause, where it is not one message.
fn said(cause: &Cause) -> Option<String> {
    let first = cause.found.first()?;
    if cause.found.iter().all(|found| found.message == first.message) {
        return None;
    }
    Some(match (cause.what.code.as_ref(), &cause.column) {
        ("misfit", Some(column)) => {
            format!("“{column}” contains values that do not match its type. Correct the cells or change the column type.")
        }
        ("computed", Some(column)) => format!("The computed column “{column}” failed. Correct its formula or the values it uses."),
        ("not-an-address", _) => "Invalid e-mail address. Correct it in the source or leave the records out.".to_owned(),
        ("same-name", _) => "Several documents have the same file name. Add a field that makes it unique.".to_owned(),
        _ => format!("Row {}: {}", first.record, first.message),
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    struct Sheet;
    impl Fields for Sheet {
        fn printed_by(&self, _: &Target, placeholder: &str) -> Option<String> {
            placeholder.contains("paid").then(|| "Paid".to_owned())
        }
        fn can_be_written(&self, column: &str) -> bool {
            column != "Total"
        }
    }

    fn finding(record: usize, code: &'static str, placeholder: &str, column: Option<&str>, text: &str, message: &str) -> Finding {
        Finding {
            record,
            what: Diagnostic::error(code, message).within(placeholder),
            column: column.map(str::to_owned),
            text: Some(text.to_owned()),
        }
    }

    #[test]
    fn one_cause_of_many_records_and_placeholders_is_told_once() {
        let wrong = "this amount is in EUR, and the placeholder prints GBP";
        let mut findings: Vec<Finding> =
            (1..=33).map(|row| finding(row, "other-currency", "[: paid as money \"GBP\"]", None, "GBP", wrong)).collect();
        findings.push(finding(1, "other-currency", "[:if paid as money \"GBP\"]", None, "GBP", wrong));
        findings.push(finding(7, "misfit", "[: due]", Some("Due"), "soon", "Due holds “soon”"));
        findings.push(finding(9, "misfit", "[: due as date]", Some("Due"), "later", "Due holds “later”"));
        let found = causes(findings, &Sheet);
        let told: Vec<_> = found.iter().map(|c| (c.what.code.as_ref(), c.found.len(), c.what.to_string())).collect();
        let due = "“Due” contains values that do not match its type. Correct the cells or change the column type.";
        assert_eq!(told, [("other-currency", 33, wrong.to_owned()), ("misfit", 2, due.to_owned())]);
        assert_eq!(found[0].fix, Some(Fix::SetCurrency { column: "Paid".into(), currency: "GBP".into() }));
        assert_eq!(found[0].placeholders.len(), 2);
        assert_eq!(found[1].fix, Some(Fix::CorrectCells { column: "Due".into() }));
    }

    #[test]
    fn a_cell_that_is_no_address_is_one_cause() {
        let findings = || {
            vec![
                finding(4, "misfit", "[: mail]", Some("Mail"), "joe at letter", "Mail holds “joe at letter”"),
                finding(4, "not-an-address", "[: mail]", Some("Mail"), "joe at letter", "“joe at letter” is not an e-mail address"),
            ]
        };
        let found = causes(findings(), &Sheet);
        assert_eq!(found.iter().map(|c| (c.what.code.as_ref(), c.found.len())).collect::<Vec<_>>(), [("misfit", 1)]);
        // What is no address without being a misfit is told still.
        let found = causes(findings().split_off(1), &Sheet);
        assert_eq!(found.iter().map(|c| c.what.code.as_ref()).collect::<Vec<_>>(), ["not-an-address"]);
    }

    #[test]
    fn what_has_no_column_is_told_by_its_placeholder() {
        let findings = vec![
            finding(1, "divide-by-zero", "[: a / b]", None, "", "division by zero"),
            finding(2, "divide-by-zero", "[: a / b]", None, "", "division by zero"),
            finding(2, "divide-by-zero", "[: c / d]", None, "", "division by zero"),
            finding(3, "computed", "[: total]", Some("Total"), "", "the computed column Total gives no value: 1 / 0"),
        ];
        let found = causes(findings, &Sheet);
        assert_eq!(found.iter().map(|c| c.found.len()).collect::<Vec<_>>(), [2, 1, 1]);
        assert!(found.iter().all(|c| c.fix.is_none()));
    }
}
