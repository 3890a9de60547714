//! `mangle pages`: DOCX documents as they are, typeset to PDF.

use std::path::{Path, PathBuf};
use std::process::ExitCode;

use anyhow::{Context, Result};
use jiff::Zoned;
use mangle_documents::formats::docx::Template;

/// What `mangle pages` is told.
#[derive(clap::Args)]
pub struct Arguments {
    /// DOCX files.
    #[arg(required = true)]
    files: Vec<PathBuf>,
    /// Output folder; beside each document by default
    #[arg(long)]
    out: Option<PathBuf>,
    /// Write the page model as text instead of a PDF
    #[arg(long)]
    model: bool,
}

/// Runs it: exit 0 when all files have pages, 2 when some have not.
pub fn run(arguments: Arguments) -> Result<ExitCode> {
    if let Some(out) = &arguments.out {
        std::fs::create_dir_all(out).with_context(|| format!("can't create {}", out.display()))?;
    }
    let mut all = true;
    for file in &arguments.files {
        // One bad document doesn't take the others with it.
        let done = std::panic::catch_unwind(std::panic::AssertUnwindSafe(|| pages(file, &arguments)));
        match done.unwrap_or_else(|_| Err(anyhow::anyhow!("internal error while creating the pages"))) {
            Ok(said) => println!("{}: {said}", file.display()),
            Err(error) => {
                all = false;
                eprintln!("{}: {error:#}", file.display());
            }
        }
    }
    Ok(ExitCode::from(if all { 0 } else { 2 }))
}

fn pages(file: &Path, arguments: &Arguments) -> Result<String> {
    let bytes = std::fs::read(file).context("it can't be read")?;
    let template = Template::open(bytes)?;
    let document = template.unfilled_pages()?;
    for what in &document.left_out {
        eprintln!("{}: {what}", file.display());
    }
    let extension = if arguments.model { "txt" } else { "pdf" };
    let target = match &arguments.out {
        Some(folder) => folder.join(file.file_name().unwrap_or_default()).with_extension(extension),
        None => file.with_extension(extension),
    };
    if arguments.model {
        std::fs::write(&target, format!("{document:#?}\n")).with_context(|| format!("can't write {}", target.display()))?;
        return Ok(target.display().to_string());
    }
    let made = template.unfilled()?;
    let count = made.page_count();
    let title = file.file_stem().unwrap_or_default().to_string_lossy();
    let pdf = made.pdf(&title, Zoned::now().datetime())?;
    std::fs::write(&target, pdf).with_context(|| format!("can't write {}", target.display()))?;
    Ok(format!("{} ({count} {})", target.display(), if count == 1 { "page" } else { "pages" }))
}
