//! `mangle deliveries`: the records of a run with what became of them. It only looks: the folder
//! may be served meanwhile.

use std::io::Write;
use std::path::PathBuf;
use std::process::ExitCode;

use anyhow::{Context, Result};
use mangle_app::clock;
use mangle_app::store::{Store, items, runs};

#[derive(clap::Args)]
pub struct Arguments {
    /// Data folder
    #[arg(long)]
    folder: PathBuf,
    /// Number of the run
    #[arg(long)]
    run: i64,
    /// Only records in this state, such as failed or delivered
    #[arg(long)]
    state: Option<String>,
    /// Print a JSON line for each record
    #[arg(long)]
    json: bool,
}

/// How many items are read at a time.
const PAGE: usize = 500;

pub fn run(arguments: Arguments) -> Result<ExitCode> {
    let store = Store::look(&arguments.folder.join("mangle.sqlite"))?;
    let run = runs::get(&store, arguments.run)?.with_context(|| format!("run {} was not found in this folder", arguments.run))?;
    let mut out = std::io::stdout().lock();
    for from in (0..).step_by(PAGE) {
        let items = items::list(&store, arguments.run, arguments.state.as_deref(), from, PAGE, clock::seconds())?;
        for item in &items {
            if arguments.json {
                writeln!(out, "{}", serde_json::to_string(item)?)?;
                continue;
            }
            let error = if item.error_message.is_empty() { String::new() } else { format!("  {}", item.error_message) };
            writeln!(out, "{}  {}  {}{error}", item.row, item.label, item.state)?;
            for delivery in &item.deliveries {
                let more = if delivery.error_message.is_empty() { &delivery.recipient } else { &delivery.error_message };
                writeln!(out, "    {}: {}  {more}", delivery.name, delivery.state)?;
            }
        }
        if items.len() < PAGE {
            break;
        }
    }
    Ok(if run.failed + run.uncertain > 0 { ExitCode::from(2) } else { ExitCode::SUCCESS })
}
