//! `mangle verify`: whether a PDF is as Mangle sealed it, from the file alone.

use std::io::Write;
use std::path::PathBuf;
use std::process::ExitCode;

use anyhow::{Context, Result};
use mangle_app::signing::verified;

/// The largest file that is read, in bytes.
const LARGEST: u64 = 1 << 30;

#[derive(clap::Args)]
pub struct Arguments {
    /// PDF to check
    file: PathBuf,
    /// Print the result as JSON
    #[arg(long)]
    json: bool,
}

/// Exit code 0: valid; 2: changed since; 1: not sealed by Mangle, or not readable.
pub fn run(arguments: Arguments) -> Result<ExitCode> {
    let name = arguments.file.display().to_string();
    let size = std::fs::metadata(&arguments.file).with_context(|| format!("{name} can't be read"))?.len();
    anyhow::ensure!(size <= LARGEST, "{name} is larger than 1 GB");
    let found = verified(&std::fs::read(&arguments.file).with_context(|| format!("{name} can't be read"))?);
    let mut out = std::io::stdout().lock();
    if arguments.json {
        writeln!(out, "{}", serde_json::to_string_pretty(&found)?)?;
    } else {
        match found.state {
            "valid" => writeln!(out, "{name}: valid, unchanged since it was sealed")?,
            "changed" => writeln!(out, "{name}: CHANGED: {}", found.change)?,
            _ => writeln!(out, "{name}: not sealed by Mangle")?,
        }
        if !found.sealed_by.is_empty() {
            writeln!(
                out,
                "Sealed by {} at {} UTC (timestamp by {}, {})",
                found.sealed_by,
                found.sealed_at.replace('T', " "),
                found.timestamp_by,
                found.level
            )?;
            writeln!(out, "Certificate (SHA-256) {}", found.fingerprint)?;
        }
        for [name, role, address, at] in &found.signers {
            writeln!(out, "Signed by {name} ({role}, {address}) at {} UTC", at.replace('T', " "))?;
        }
        for [at, who, what] in &found.events {
            writeln!(out, "  {} {who}: {what}", at.replace('T', " "))?;
        }
    }
    Ok(match found.state {
        "valid" => ExitCode::SUCCESS,
        "changed" => ExitCode::from(2),
        _ => ExitCode::from(1),
    })
}
