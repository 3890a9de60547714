//! `mangle merge`: a template and a sheet, in a terminal.

use std::collections::HashMap;
use std::io::Write;
use std::path::{Path, PathBuf};
use std::process::ExitCode;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Arc, Mutex};

use anyhow::{Context as _, Result, bail, ensure};
use jiff::civil::{Date, DateTime, Time};
use mangle_app::making::{documents, filled};
use mangle_core::channel::World;
use mangle_core::dispatch::{Format, Plan, Setup, Station, file_name, joint_record, joint_schema, name_uses, tie_states};
use mangle_core::language::{Context, Folded, Scope};
use mangle_core::preflight::{Facts, Finding, Purpose, Summary, check_batch, obstacles};
use mangle_core::records::{Filter, Recognised, Record, Sheet, from_json, recognise};
use mangle_core::value::read::Reading;
use mangle_core::value::{DateOrder, Locale};
use mangle_core::words::counted;
use mangle_documents::formats::{self, Means, Template};
use mangle_documents::layout::FontSet;
use mangle_documents::picture::FolderPictures;
use serde::Serialize;

#[derive(clap::Args)]
pub struct Arguments {
    /// Template (DOCX)
    #[arg(long)]
    template: PathBuf,
    /// Records: a CSV, XLSX or ODS file (add #Sheet to choose a sheet); or
    /// JSON, an object or an array of objects, whose arrays inside are lists.
    #[arg(long)]
    records: String,
    /// Output folder; created if missing
    #[arg(long)]
    out: PathBuf,
    /// One document for all records (`records` in the template)
    #[arg(long)]
    joint: bool,
    /// Output format
    #[arg(long, value_enum, default_value = "pdf")]
    to: To,
    /// File name pattern, with placeholders
    #[arg(long)]
    name: Option<String>,
    /// Map a placeholder name to a column, as name=Column; can be repeated
    #[arg(long)]
    tie: Vec<String>,
    /// Filter condition
    #[arg(long = "where")]
    filter: Option<String>,
    /// Locale for printed values
    #[arg(long, default_value = "en-GB")]
    locale: String,
    /// Column with each record's locale
    #[arg(long)]
    locale_column: Option<String>,
    /// Date used for `today`; the system date by default
    #[arg(long)]
    today: Option<Date>,
    /// Folder with the pictures; the folder of the records by default
    #[arg(long)]
    pictures: Option<PathBuf>,
    /// Write the report (JSON Lines) to this file; standard output by default
    #[arg(long)]
    report: Option<PathBuf>,
}

#[derive(Clone, Copy, clap::ValueEnum)]
enum To {
    Pdf,
    Docx,
    Both,
}

/// One line of the report.
#[derive(Serialize)]
struct Line {
    /// The record's number; 0 of a document of all.
    record: usize,
    file: Vec<String>,
    state: &'static str,
    error: Option<Fault>,
}

#[derive(Clone, Serialize)]
struct Fault {
    code: String,
    place: String,
    message: String,
}

impl Fault {
    fn of(finding: Finding) -> Fault {
        let what = finding.what;
        let message = match what.source.as_str() {
            "" => what.to_string(),
            source => format!("{source}: {what}"),
        };
        Fault { place: what.target.words().to_owned(), code: what.code.into_owned(), message }
    }
}

/// All that the records have in common.
struct Job {
    template: Arc<dyn Template>,
    sheet: Sheet,
    plan: Plan,
    context: Context,
    pictures: FolderPictures,
    out: PathBuf,
}

pub fn run(arguments: Arguments) -> Result<ExitCode> {
    let read = |path: &Path| std::fs::read(path).with_context(|| format!("{} can't be read", path.display()));
    let template = formats::open(&arguments.template.to_string_lossy(), read(&arguments.template)?, FontSet::shipped())
        .with_context(|| arguments.template.display().to_string())?;
    if let Some(problem) = template.problems().first() {
        bail!(
            "the template has {}. First, in the {}: {problem}\n    {}",
            counted(template.problems().len(), "problem", "problems"),
            problem.target.words(),
            problem.target.line()
        );
    }
    let (path, wanted) = match arguments.records.rsplit_once('#') {
        Some((path, sheet)) => (path, Some(sheet)),
        None => (arguments.records.as_str(), None),
    };
    let bytes = read(Path::new(path))?;
    let (sheet, reading) = match path.to_ascii_lowercase().ends_with(".json") {
        true => nested(path, &bytes)?,
        false => sheet_of(path, wanted, bytes)?,
    };

    let mut setup = Setup {
        name: arguments.name.clone().unwrap_or_else(|| "Document [: run.number as number \"0000\"]".to_owned()),
        joint: arguments.joint,
        locale_column: arguments.locale_column.clone().unwrap_or_default(),
        ..Setup::default()
    };
    if let Some(column) = &arguments.locale_column {
        let known = sheet.schema.column(&Folded::new(column)).is_some();
        ensure!(known, "--locale-column “{column}” is not a column of the sheet “{}”", sheet.name);
    }
    for tie in &arguments.tie {
        let (name, column) = tie.split_once('=').with_context(|| format!("invalid mapping “{tie}”. Use \"name=Column\""))?;
        ensure!(sheet.schema.column(&Folded::new(column)).is_some(), "“{tie}” is not a column of the sheet “{}”", sheet.name);
        setup.ties.insert(name.trim().to_owned(), column.trim().to_owned());
    }
    setup.formats = match arguments.to {
        To::Pdf => vec![Format::Pdf],
        To::Docx => vec![Format::Docx],
        To::Both => Format::ALL.to_vec(),
    };
    let plan = Plan::new(&setup);
    let schema = if plan.joint { joint_schema(&sheet.schema) } else { sheet.schema.clone() };
    let uses = name_uses(template.placeholders().iter().chain(plan.placeholders()));
    let ties = tie_states(&uses, &schema, &setup.ties);
    let world = World::default();
    let facts =
        Facts { signer_fields: &[], template_problems: Some(0), writes: true, source: true, unsure: &[], ties: &ties, plan: &plan, world };
    if let Some(obstacle) = obstacles(&facts).into_iter().next() {
        let remedy = match obstacle.target.station() {
            Some(Station::Mapping) => " (--tie \"name=Column\")",
            Some(Station::Output) if plan.problems.is_empty() && !plan.joint => " (--joint)",
            _ => "",
        };
        bail!("{obstacle}{remedy}");
    }
    let moment = match arguments.today {
        Some(day) => day.to_datetime(Time::midnight()),
        None => now(),
    };
    let mut context = Context::new(Locale::parse(&arguments.locale)?, moment);
    context.reading = reading;
    let filter = arguments
        .filter
        .as_deref()
        .map(|text| Filter::read(text, &sheet.schema).with_context(|| format!("--where “{text}”")))
        .transpose()?;
    std::fs::create_dir_all(&arguments.out).with_context(|| format!("can't create {}", arguments.out.display()))?;
    let report: Box<dyn Write + Send> = match &arguments.report {
        Some(path) => {
            Box::new(std::io::BufWriter::new(std::fs::File::create(path).with_context(|| format!("can't write {}", path.display()))?))
        }
        None => Box::new(std::io::stdout()),
    };
    let beside = Path::new(path).parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let pictures = FolderPictures(arguments.pictures.unwrap_or_else(|| beside.to_owned()));
    make(&Job { template, sheet, plan, context, pictures, out: arguments.out }, filter.as_ref(), report)
}

/// Nested records; JSON writes its numbers with a point and its dates in ISO form.
fn nested(path: &str, bytes: &[u8]) -> Result<(Sheet, Reading)> {
    let json = serde_json::from_slice(bytes).with_context(|| format!("{path} is not JSON"))?;
    let stem = Path::new(path).file_stem().map_or(String::new(), |s| s.to_string_lossy().into_owned());
    let sheet = from_json(&stem, &json).with_context(|| path.to_owned())?;
    Ok((sheet, Reading { decimal: '.', order: DateOrder::DayFirst }))
}

/// One sheet of a file; its first where none is wanted.
fn sheet_of(path: &str, wanted: Option<&str>, bytes: Vec<u8>) -> Result<(Sheet, Reading)> {
    let sheets = mangle_documents::table::read(path, bytes.into()).with_context(|| path.to_owned())?;
    let names: Vec<String> = sheets.iter().map(|s| s.name.clone()).collect();
    let raw = match wanted {
        None => sheets.into_iter().next(),
        Some(name) => sheets.into_iter().find(|s| s.name.eq_ignore_ascii_case(name)),
    };
    let raw = raw.with_context(|| format!("{path} has no sheet “{}”; it has {}", wanted.unwrap_or_default(), names.join(", ")))?;
    let Recognised { columns, reading, unsure } = recognise(&raw);
    for one in unsure {
        eprintln!(
            "mangle: “{}” in {} can be read as {} or {}; it is read as {}",
            one.example, one.column, one.day_first, one.month_first, one.day_first
        );
    }
    Ok((Sheet::read(&raw, columns, reading)?, reading))
}

pub(crate) fn now() -> DateTime {
    let seconds = std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH).map_or(0, |d| d.as_secs());
    let epoch = DateTime::constant(1970, 1, 1, 0, 0, 0, 0);
    epoch.checked_add(jiff::SignedDuration::from_secs(seconds as i64)).unwrap_or(epoch)
}

/// Makes all records, on as many threads as the machine has cores; the report
/// keeps the records' order.
fn make(job: &Job, filter: Option<&Filter>, mut report: Box<dyn Write + Send>) -> Result<ExitCode> {
    let mut lines: Vec<Option<Line>> = Vec::new();
    let mut chosen: Vec<(usize, &Record)> = Vec::new();
    for record in &job.sheet.records {
        match filter.map_or(Ok(true), |f| f.passes(record, &job.context)) {
            Ok(false) => {}
            Ok(true) => {
                chosen.push((lines.len(), record));
                lines.push(None);
            }
            Err(error) => lines.push(Some(failed(record, error.fault.code(), "where", error.to_string()))),
        }
    }
    let joint;
    if job.plan.joint && !chosen.is_empty() {
        let all: Vec<&Record> = chosen.iter().map(|(_, record)| *record).collect();
        joint = joint_record(joint_schema(&job.sheet.schema), &all);
        // The lines of records that the filter can't judge stay.
        lines.retain(Option::is_some);
        chosen = vec![(lines.len(), &joint)];
        lines.push(None);
    }
    let clashes = clashes(job, &chosen);
    let (next, done) = (AtomicUsize::new(0), Mutex::new(lines));
    let threads = std::thread::available_parallelism().map_or(2, std::num::NonZero::get);
    std::thread::scope(|scope| {
        for _ in 0..threads.min(chosen.len().max(1)) {
            scope.spawn(|| {
                loop {
                    let index = next.fetch_add(1, Ordering::Relaxed);
                    let Some((at, record)) = chosen.get(index) else { break };
                    let line = match clashes.get(&index) {
                        None => one(job, record, index + 1, chosen.len()),
                        Some(fault) => of_fault(record, fault.clone()),
                    };
                    if let Ok(mut done) = done.lock() {
                        done[*at] = Some(line);
                    }
                }
            });
        }
    });
    let lines: Vec<Line> = done.into_inner().unwrap_or_default().into_iter().flatten().collect();
    for line in &lines {
        serde_json::to_writer(&mut report, line)?;
        report.write_all(b"\n")?;
    }
    report.flush()?;
    let made = lines.iter().filter(|l| l.state == "made").count();
    eprintln!("{made} of {} created", lines.len());
    Ok(if made == lines.len() { ExitCode::SUCCESS } else { ExitCode::from(2) })
}

/// What is wrong with the file names of records, by their places among the chosen: those that
/// are those of others.
fn clashes(job: &Job, chosen: &[(usize, &Record)]) -> HashMap<usize, Fault> {
    let summaries: Vec<Summary> = chosen
        .iter()
        .enumerate()
        .filter_map(|(index, (_, record))| {
            let context = job.plan.context(&job.context, record, index + 1, chosen.len());
            let name = file_name(&job.plan.name.fill(&Scope::new(record, &job.plan.ties, &context)).ok()?)?;
            Some(Summary { record: record.number, file_name: name, goes_to: Vec::new() })
        })
        .collect();
    let at: HashMap<usize, usize> = chosen.iter().enumerate().map(|(index, (_, record))| (record.number, index)).collect();
    let found = check_batch(&summaries).into_iter();
    found.filter_map(|finding| Some((*at.get(&finding.record)?, Fault::of(finding)))).collect()
}

fn failed(record: &Record, code: &str, place: &str, message: String) -> Line {
    of_fault(record, Fault { code: code.to_owned(), place: place.to_owned(), message })
}

fn of_fault(record: &Record, fault: Fault) -> Line {
    Line { record: record.number, file: Vec::new(), state: "failed", error: Some(fault) }
}

fn one(job: &Job, record: &Record, number: usize, count: usize) -> Line {
    let context = job.plan.context(&job.context, record, number, count);
    let scope = Scope::new(record, &job.plan.ties, &context);
    let checked = filled(&job.plan, &*job.template, &scope, Means { pictures: &job.pictures, ..Means::default() }, Purpose::Run);
    let (filled, outline) = match checked {
        Ok(made) => made,
        Err(findings) => match findings.into_iter().next() {
            Some(first) => return of_fault(record, Fault::of(first)),
            None => return failed(record, "internal", "document", "no document was created".to_owned()),
        },
    };
    let made = match documents(&job.plan, &*job.template, record, (&filled, &outline), (context.clock.now, false)) {
        Ok(made) => made,
        Err(fault) => return failed(record, fault.code, fault.place, fault.message),
    };
    let mut files = Vec::new();
    for document in made {
        let file = format!("{}.{}", outline.file_name, document.format.extension());
        if let Err(error) = std::fs::write(job.out.join(&file), document.bytes) {
            return failed(record, "not-written", "file", format!("{file}: {error}"));
        }
        files.push(file);
    }
    Line { record: record.number, file: files, state: "made", error: None }
}
