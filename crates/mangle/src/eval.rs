//! `mangle eval`: what an expression prints.

use std::io::{BufRead, Write};
use std::path::{Path, PathBuf};
use std::process::ExitCode;
use std::sync::Arc;

use anyhow::{Context as _, Result, bail};
use jiff::civil::{Date, Time};
use mangle_core::language::{self, Context, EvalError, Scope, Span, SyntaxError, Ties};
use mangle_core::records::{Record, Schema, from_json};
use mangle_core::value::{Locale, Value};
use serde_json::{Value as Json, json};

#[derive(clap::Args)]
pub struct Arguments {
    /// The expression, as written after `[: `
    #[arg(required_unless_present = "batch")]
    expression: Option<String>,
    /// A JSON file of one record.
    #[arg(long)]
    record: Option<PathBuf>,
    /// Locale for printed values
    #[arg(long, default_value = "en-GB")]
    locale: String,
    /// Date used for `today`; the system date by default
    #[arg(long)]
    today: Option<Date>,
    /// Prints JSON: the text as printed, its type and its exact value.
    #[arg(long)]
    json: bool,
    /// File with one expression per line (- for standard input); prints one JSON line for each
    #[arg(long, conflicts_with = "expression")]
    batch: Option<PathBuf>,
}

/// What can be wrong with an expression, and where.
struct Wrong {
    code: &'static str,
    message: String,
    span: Span,
}

impl From<SyntaxError> for Wrong {
    fn from(error: SyntaxError) -> Wrong {
        Wrong { code: error.fault.code(), message: error.fault.to_string(), span: error.span }
    }
}

impl From<EvalError> for Wrong {
    fn from(error: EvalError) -> Wrong {
        Wrong { code: error.fault.code(), message: error.fault.to_string(), span: error.span }
    }
}

pub fn run(arguments: Arguments) -> Result<ExitCode> {
    let record = match &arguments.record {
        Some(path) => read(path)?,
        None => Record::new(Arc::new(Schema::new(Vec::new())?), Vec::new(), 1),
    };
    let now = arguments.today.map_or_else(crate::merge::now, |day| day.to_datetime(Time::midnight()));
    let context = Context::new(Locale::parse(&arguments.locale)?, now);
    let ties = Ties::default();
    let scope = Scope::new(&record, &ties, &context);
    if let Some(batch) = &arguments.batch {
        let input: Box<dyn BufRead> = match batch.to_str() {
            Some("-") => Box::new(std::io::stdin().lock()),
            _ => {
                Box::new(std::io::BufReader::new(std::fs::File::open(batch).with_context(|| format!("{} can't be read", batch.display()))?))
            }
        };
        let mut out = std::io::BufWriter::new(std::io::stdout().lock());
        for line in input.lines() {
            let line = line?;
            if !line.trim().is_empty() {
                serde_json::to_writer(&mut out, &told(&line, work(&line, &scope)))?;
                out.write_all(b"\n")?;
            }
        }
        out.flush()?;
        return Ok(ExitCode::SUCCESS);
    }
    let text = arguments.expression.unwrap_or_default();
    let worked = work(&text, &scope);
    let failed = worked.is_err();
    match worked {
        worked if arguments.json => println!("{}", told(&text, worked)),
        Ok((printed, _)) => println!("{printed}"),
        Err(wrong) => eprintln!("{}\n{}", marked(&text, wrong.span), wrong.message),
    }
    Ok(if failed { ExitCode::from(1) } else { ExitCode::SUCCESS })
}

/// The one record of a JSON file.
fn read(path: &Path) -> Result<Record> {
    let bytes = std::fs::read(path).with_context(|| format!("{} can't be read", path.display()))?;
    let json: Json = serde_json::from_slice(&bytes).with_context(|| format!("{} is not JSON", path.display()))?;
    let mut records = from_json("record", &json).with_context(|| path.display().to_string())?.records;
    match records.len() {
        1 => Ok(records.remove(0)),
        count => bail!("{} contains {count} records; eval needs exactly one", path.display()),
    }
}

/// The text as printed and the value.
fn work(text: &str, scope: &Scope<'_>) -> Result<(String, Value), Wrong> {
    let expr = language::value(text)?;
    let value = scope.value(&expr)?;
    let printed = scope.print(&expr)?.unwrap_or_default();
    Ok((printed, value))
}

fn told(text: &str, worked: Result<(String, Value), Wrong>) -> Json {
    match worked {
        Ok((printed, value)) => json!({ "text": printed, "type": kind(&value), "exact": exact(&value) }),
        Err(wrong) => json!({
            "error": { "code": wrong.code, "message": wrong.message, "start": wrong.span.start, "end": wrong.span.end, "at": text.get(wrong.span.start..wrong.span.end) }
        }),
    }
}

fn kind(value: &Value) -> &'static str {
    match value {
        Value::Blank => "blank",
        Value::Bool(_) => "yes/no",
        Value::Number(_) => "number",
        Value::Percent(_) => "percent",
        Value::Money(_) => "money",
        Value::Date(_) => "date",
        Value::DateTime(_) => "date and time",
        Value::Text(_) => "text",
        Value::Record(_) => "record",
        Value::List(_) => "list",
        Value::Misfit(_) => "misfit",
    }
}

/// The value itself: decimals and dates as text, so that no digit is lost.
fn exact(value: &Value) -> Json {
    match value {
        Value::Blank => Json::Null,
        Value::Bool(yes) => json!(yes),
        Value::Number(number) | Value::Percent(number) => json!(number.normalize().to_string()),
        Value::Money(money) => json!({ "amount": money.amount.normalize().to_string(), "currency": money.currency.code() }),
        Value::Date(date) => json!(date.to_string()),
        Value::DateTime(moment) => json!(moment.to_string()),
        Value::Text(text) => json!(text),
        Value::Record(record) => {
            record.schema().columns().iter().zip(record.values()).map(|(column, value)| (column.name.clone(), exact(value))).collect()
        }
        Value::List(items) => items.iter().map(exact).collect(),
        Value::Misfit(misfit) => json!(misfit.text),
    }
}

/// The text with a line of marks below the spot.
fn marked(text: &str, span: Span) -> String {
    let before = text.get(..span.start).map_or(0, |t| t.chars().count());
    let width = text.get(span.start..span.end).map_or(1, |t| t.chars().count()).max(1);
    format!("{text}\n{}{}", " ".repeat(before), "^".repeat(width))
}
