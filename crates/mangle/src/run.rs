//! `mangle run`: a saved dispatch of a data folder, in a terminal or from a scheduler.

use std::collections::HashSet;
use std::io::Write;
use std::path::PathBuf;
use std::process::ExitCode;
use std::time::Duration;

use anyhow::{Context, Result, ensure};
use mangle_app::dispatches::Unattended;
use mangle_app::{App, Options};
use tokio::sync::broadcast::error::RecvError;

use crate::serve::{Outside, runtime, told_to_end};

#[derive(clap::Args)]
pub struct Arguments {
    /// Key of the dispatch, as its address on the screen has it
    dispatch: String,
    /// Data folder
    #[arg(long)]
    folder: PathBuf,
    /// Condition that records meet besides the dispatch's own filter
    #[arg(long = "where", value_name = "CONDITION")]
    filter: Option<String>,
    /// Rows, of those that the dispatch selects: 3,7-12
    #[arg(long)]
    rows: Option<String>,
    /// Send proofs to the person in Settings, and nothing to anyone else
    #[arg(long)]
    proof: bool,
    /// Also serve records that this dispatch has served before
    #[arg(long)]
    again: bool,
    /// Create the documents, and hold all deliveries until they are released
    #[arg(long)]
    hold: bool,
    /// Text that tells this start from others: the same one starts a run once
    #[arg(long, value_name = "KEY")]
    start_key: Option<String>,
    /// Wait for the end of the run; without it, the run continues once the folder is served
    #[arg(long)]
    wait: bool,
    /// Write the report (JSON Lines) to this file; standard output by default
    #[arg(long)]
    report: Option<PathBuf>,
    #[command(flatten)]
    outside: Outside,
}

/// The most rows that are named one by one.
const MOST_ROWS: usize = 1_000_000;
/// How often it is looked how far a run is, whatever is heard of it.
const LOOK: Duration = Duration::from_secs(1);
/// How many items are read at a time.
const PAGE: usize = 500;

pub fn run(arguments: Arguments) -> Result<ExitCode> {
    let missing = || format!("{} is not the data folder of a Mangle", arguments.folder.display());
    ensure!(arguments.folder.join("mangle.sqlite").is_file(), missing());
    let asked = Unattended {
        filter: arguments.filter.clone().unwrap_or_default(),
        rows: arguments.rows.as_deref().map(rows).transpose()?,
        again: arguments.again,
        hold: arguments.hold,
        start_key: arguments.start_key.clone(),
    };
    let report: Box<dyn Write> = match &arguments.report {
        Some(path) => Box::new(std::fs::File::create(path).with_context(|| format!("can't write the report {}", path.display()))?),
        None => Box::new(std::io::stdout()),
    };
    let options = Options { folder: arguments.folder.clone(), channels: arguments.outside.channels()? };
    runtime()?.block_on(async {
        let app = mangle_app::open(options).await?;
        let done = start(&app, &arguments, asked, report).await;
        app.stop().await;
        done
    })
}

async fn start(app: &App, arguments: &Arguments, asked: Unattended, report: Box<dyn Write>) -> Result<ExitCode> {
    let mut changes = app.changes.subscribe();
    let run = match arguments.proof {
        true => app.proofs_unattended(&arguments.dispatch, asked).await?,
        false => app.start_unattended(&arguments.dispatch, asked).await?,
    };
    eprintln!("Run {} of {} started", run.id, mangle_core::words::counted(run.count, "record", "records"));
    if arguments.wait {
        loop {
            let now = app.run(run.id).await?;
            // What waits for a person or for a time is not waited for here.
            if now.state != "running" || now.waiting + now.sending == 0 {
                break;
            }
            tokio::select! {
                heard = changes.recv() => match heard {
                    Ok(_) | Err(RecvError::Lagged(_)) => {}
                    Err(RecvError::Closed) => break,
                },
                () = tokio::time::sleep(LOOK) => {}
                () = told_to_end() => break,
            }
        }
    }
    let now = app.run(run.id).await?;
    write(app, run.id, report).await?;
    if arguments.wait && now.state == "running" {
        let (held, scheduled) = (now.blocked, now.scheduled);
        eprintln!("Run {} is not over: {held} on hold, {scheduled} scheduled. It continues once the folder is served.", run.id);
    }
    Ok(if now.failed + now.uncertain > 0 { ExitCode::from(2) } else { ExitCode::SUCCESS })
}

/// A line for each record, with its deliveries.
async fn write(app: &App, run: i64, mut report: Box<dyn Write>) -> Result<()> {
    for from in (0..).step_by(PAGE) {
        let items = app.items(run, None, from, PAGE).await?;
        for item in &items {
            writeln!(report, "{}", serde_json::to_string(item)?)?;
        }
        if items.len() < PAGE {
            break;
        }
    }
    Ok(report.flush()?)
}

/// `3,7-12` as rows.
fn rows(text: &str) -> Result<HashSet<usize>> {
    let wrong = || format!("“{text}” names no rows. Use a form such as 3,7-12.");
    let mut rows = HashSet::new();
    for part in text.split(',') {
        let (first, last) = part.split_once('-').unwrap_or((part, part));
        let (first, last): (usize, usize) = (first.trim().parse().with_context(wrong)?, last.trim().parse().with_context(wrong)?);
        ensure!(first <= last, wrong());
        ensure!(rows.len() + (last - first) < MOST_ROWS, "at most {MOST_ROWS} rows");
        rows.extend(first..=last);
    }
    Ok(rows)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rows_are_read_one_by_one_and_by_ranges() {
        let mut read: Vec<usize> = rows("3, 7-9,8").expect("rows").into_iter().collect();
        read.sort_unstable();
        assert_eq!(read, [3, 7, 8, 9]);
        for wrong in ["", "a", "3,", "9-7", "-1", "1-99999999999"] {
            assert!(rows(wrong).is_err(), "{wrong}");
        }
    }
}
