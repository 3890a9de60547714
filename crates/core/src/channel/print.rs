//! The print channel: the PDF on paper, over the Internet Printing Protocol.

use serde::{Deserialize, Serialize};

use super::{ChannelPlan, Fault, Made, Parcel, Settings, Shown, World, fill};
use crate::diagnostic::{Diagnostic, Target};
use crate::dispatch::Format;
use crate::language::syntax::Expr;
use crate::language::{Scope, value};
use crate::template::TextTemplate;
use crate::value::Value;

/// A printer of the office.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, Default)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct PrinterAddress {
    /// What it is called.
    pub name: String,
    /// Its URI: `ipp://printer.office.example/ipp/print` (RFC 3510).
    pub uri: String,
}

/// The settings of the print channel.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct PrintChannel {
    /// The printer: the name of one of the office's.
    pub printer: String,
    /// How many copies of each document.
    #[serde(default = "one")]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub copies: u32,
    /// Which sides of the paper.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub sides: Sides,
    /// The paper, by its name in PWG 5101.1, `iso_a4_210x297mm`; blank for the printer's own choice.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub paper: String,
    /// The tray, by its name in PWG 5100.13, `tray-1`; blank for the printer's own choice.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub tray: String,
    /// What the sheets are sorted by: an expression, `berth`; blank for the order of the records.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub order: String,
    /// Whether all records of a run are one job; a job for each otherwise.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub together: bool,
}

fn one() -> u32 {
    1
}

impl Default for PrintChannel {
    fn default() -> PrintChannel {
        let blank = String::new;
        PrintChannel {
            printer: blank(),
            copies: 1,
            sides: Sides::default(),
            paper: blank(),
            tray: blank(),
            order: blank(),
            together: false,
        }
    }
}

/// Which sides of the paper are printed on (RFC 8011, 5.2.8).
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, Default)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case")]
pub enum Sides {
    /// One.
    #[default]
    OneSided,
    /// Both, turned over the long edge.
    TwoSidedLongEdge,
    /// Both, turned over the short edge.
    TwoSidedShortEdge,
}

impl Sides {
    /// Its keyword.
    pub fn keyword(self) -> &'static str {
        match self {
            Sides::OneSided => "one-sided",
            Sides::TwoSidedLongEdge => "two-sided-long-edge",
            Sides::TwoSidedShortEdge => "two-sided-short-edge",
        }
    }
}

/// The most copies.
const MOST_COPIES: u32 = 99;

impl Settings for PrintChannel {
    fn compile(&self) -> Box<dyn ChannelPlan> {
        let order = Some(self.order.trim()).filter(|order| !order.is_empty()).map(|text| match value(text) {
            Ok(expr) => Ok((Box::new(expr), TextTemplate::new(&format!("[: ({})]", text.replace(['\r', '\n'], " "))))),
            Err(error) => Err(error.to_string()),
        });
        Box::new(PrintPlan { settings: self.clone(), order })
    }
}

#[derive(Debug)]
struct PrintPlan {
    settings: PrintChannel,
    order: Option<Result<(Box<Expr>, TextTemplate), String>>,
}

/// What is printed for a record.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct PrintPayload {
    /// The printer's name.
    pub printer: String,
    /// The job's name.
    pub title: String,
    /// How many copies.
    pub copies: u32,
    /// Which sides.
    pub sides: Sides,
    /// The paper; blank for the printer's own choice.
    pub paper: String,
    /// The tray; blank for the printer's own choice.
    pub tray: String,
    /// What the sheets are sorted by: a number or a text.
    pub order: serde_json::Value,
    /// Whether all records of the run are one job.
    pub together: bool,
}

/// Whether a name is a keyword of IPP (RFC 8011, 5.1.4).
fn is_keyword(text: &str) -> bool {
    text.len() <= 255 && text.chars().all(|c| c.is_ascii_lowercase() || c.is_ascii_digit() || "-_.".contains(c))
}

impl ChannelPlan for PrintPlan {
    fn texts(&self) -> Vec<(&'static str, &TextTemplate)> {
        match &self.order {
            Some(Ok((_, text))) => vec![("order", text)],
            _ => Vec::new(),
        }
    }

    fn faults(&self) -> Vec<Fault> {
        let PrintChannel { printer, copies, paper, tray, .. } = &self.settings;
        let mut faults = Vec::new();
        if printer.trim().is_empty() {
            faults.push(Fault::value("no-printer", "printer", "no printer. Choose one."));
        }
        if !(1..=MOST_COPIES).contains(copies) {
            faults.push(Fault::value("copies", "copies", format!("copies must be between 1 and {MOST_COPIES}")));
        }
        for (field, text, example) in [("paper", paper, "iso_a4_210x297mm"), ("tray", tray, "tray-1")] {
            if !is_keyword(text.trim()) {
                faults.push(Fault::value(
                    "keyword",
                    field,
                    format!("“{}” is not a name that printers know. Use one such as {example}.", text.trim()),
                ));
            }
        }
        if let Some(Err(message)) = &self.order {
            faults.push(Fault::value("order", "order", message.clone()));
        }
        faults
    }

    fn obstacles(&self, world: &World<'_>) -> Vec<Diagnostic> {
        let named = self.settings.printer.trim();
        if named.is_empty() || world.printers.iter().any(|printer| printer == named) {
            return Vec::new();
        }
        let message = format!("the office has no printer “{named}”. Add it in Settings, or choose another.");
        vec![Diagnostic::error("no-such-printer", message).about(Target::Settings)]
    }

    fn render(&self, scope: &Scope<'_>, made: &Made<'_>) -> Result<Parcel, Fault> {
        let PrintChannel { printer, copies, sides, paper, tray, together, .. } = &self.settings;
        if made.closed {
            return Err(Fault::value("closed", "printer", "a PDF with a password can't be printed. Remove the password, or this channel."));
        }
        if !made.formats.contains(&Format::Pdf) {
            return Err(Fault::value("no-pdf", "printer", "only PDF can be printed. Choose PDF in Output."));
        }
        let order = match &self.order {
            Some(Ok((expr, text))) => {
                let worked = scope.value(expr).map_err(|error| Fault::value("order", "order", format!("order: {error}")))?;
                match worked {
                    Value::Number(number) | Value::Percent(number) => serde_json::from_str(&number.to_string()).unwrap_or_default(),
                    Value::Money(money) => serde_json::from_str(&money.amount.to_string()).unwrap_or_default(),
                    Value::Date(date) => date.to_string().into(),
                    Value::DateTime(moment) => moment.to_string().into(),
                    _ => fill("order", text, scope)?.to_lowercase().into(),
                }
            }
            _ => serde_json::Value::Null,
        };
        let mut how = vec![if *copies == 1 { "1 copy".to_owned() } else { format!("{copies} copies") }];
        how.push(if *sides == Sides::OneSided { "one side" } else { "both sides" }.to_owned());
        how.extend([paper, tray].iter().map(|text| text.trim()).filter(|text| !text.is_empty()).map(str::to_owned));
        let payload = PrintPayload {
            printer: printer.trim().to_owned(),
            title: made.file_name.to_owned(),
            copies: *copies,
            sides: *sides,
            paper: paper.trim().to_owned(),
            tray: tray.trim().to_owned(),
            order,
            together: *together,
        };
        let shown = vec![Shown::new("Printer", printer.trim()), Shown::new("Sheets", how.join(", "))];
        let payload = serde_json::to_value(&payload).unwrap_or_default();
        Ok(Parcel { to: printer.trim().to_owned(), shown, documents: vec![Format::Pdf], payload, ..Parcel::default() })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::channel::{Channel, ChannelSetup, Compiled};
    use crate::language::{Context, Ties};
    use crate::records::Record;
    use crate::value::Locale;

    fn compiled(settings: PrintChannel) -> Compiled {
        Compiled::of(0, &ChannelSetup::new(Channel::Print(settings))).expect("it is on")
    }

    #[test]
    fn what_no_printer_takes_is_told_before_a_run() {
        let codes = |settings: PrintChannel| compiled(settings).problems.iter().map(|p| p.code.to_string()).collect::<Vec<_>>();
        let front = || PrintChannel { printer: "Front desk".into(), ..PrintChannel::default() };
        assert_eq!(codes(front()), [""; 0]);
        assert_eq!(codes(PrintChannel::default()), ["no-printer"]);
        assert_eq!(
            codes(PrintChannel { copies: 0, paper: "A4 paper".into(), order: "(".into(), ..front() }),
            ["copies", "keyword", "order"]
        );
        let known = ["Front desk".to_owned()];
        let world = |printers| World { printers, ..World::default() };
        assert!(compiled(front()).obstacles(&world(&known)).is_empty());
        assert_eq!(compiled(front()).obstacles(&world(&[])).len(), 1);
    }

    #[test]
    fn sheets_are_sorted_by_number_or_text_and_closed_documents_are_not_printed() {
        let (record, ties) = (Record::new(std::sync::Arc::default(), Vec::new(), 1), Ties::default());
        let context = Context::new(Locale::english(), "2026-11-30T09:30:00".parse().expect("a moment"));
        let print = |order: &str, formats: &[Format], closed: bool| {
            let own = compiled(PrintChannel { printer: "Front desk".into(), order: order.into(), ..PrintChannel::default() });
            let made = Made { file_name: "Pass", formats, closed };
            let parcel = own.render(&Scope::new(&record, &ties, &context), &made).map_err(|fault| fault.to_string())?;
            Ok::<_, String>(parcel.expect("a parcel").payload["order"].clone())
        };
        assert_eq!(print("4 / 2", &[Format::Pdf], false), Ok(2.into()));
        assert_eq!(print("\"B\" & \"7\"", &[Format::Pdf], false), Ok("b7".into()));
        assert_eq!(print("", &[Format::Pdf], false), Ok(serde_json::Value::Null));
        assert!(print("", &[Format::Pdf], true).expect_err("closed").starts_with("a PDF with a password"));
        assert!(print("", &[Format::Docx], false).expect_err("no PDF").starts_with("only PDF"));
    }
}
