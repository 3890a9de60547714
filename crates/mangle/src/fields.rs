//! `mangle fields`: what stands in a template.

use std::io::Write;
use std::path::PathBuf;
use std::process::ExitCode;

use anyhow::{Context, Result};
use mangle_documents::formats;
use mangle_documents::layout::FontSet;

#[derive(clap::Args)]
pub struct Arguments {
    /// The template.
    template: PathBuf,
    /// Prints JSON.
    #[arg(long)]
    json: bool,
}

pub fn run(arguments: Arguments) -> Result<ExitCode> {
    let bytes = std::fs::read(&arguments.template).with_context(|| format!("{} can't be read", arguments.template.display()))?;
    let template = formats::open(&arguments.template.to_string_lossy(), bytes, FontSet::shipped())
        .with_context(|| arguments.template.display().to_string())?;
    let mut out = std::io::BufWriter::new(std::io::stdout().lock());
    if arguments.json {
        let placeholders: Vec<_> = template.placeholders().iter().filter(|p| !p.again).collect();
        let found = serde_json::json!({ "placeholders": placeholders, "problems": template.problems() });
        writeln!(out, "{}", serde_json::to_string_pretty(&found)?)?;
    } else {
        for placeholder in template.placeholders().iter().filter(|p| !p.again) {
            writeln!(out, "{:8} {}", placeholder.place.words(), placeholder.text)?;
        }
        for problem in template.problems() {
            writeln!(out, "problem in the {}: {problem}\n    {}", problem.target.words(), problem.target.line())?;
        }
    }
    out.flush()?;
    Ok(if template.problems().is_empty() { ExitCode::SUCCESS } else { ExitCode::from(2) })
}
