//! The program: `mangle demo`, `serve`, `run`, `deliveries`, `merge`, `eval`, `fields`, `pages`, `verify`, `openapi`.

mod deliveries;
mod demo;
mod eval;
mod fields;
mod merge;
mod pages;
mod run;
mod serve;
mod verify;

use std::process::ExitCode;

use clap::{Parser, Subcommand};

#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

/// Records in, documents out, each delivered once.
#[derive(Parser)]
#[command(version, about)]
struct Arguments {
    #[command(subcommand)]
    command: Command,
}

#[derive(Subcommand)]
enum Command {
    /// Start the application on a data folder
    Serve(serve::Arguments),
    /// Start the application with demo data
    Demo(demo::Arguments),
    /// Run a saved dispatch of a data folder that is not being served
    Run(run::Arguments),
    /// List the records of a run with their deliveries
    Deliveries(deliveries::Arguments),
    /// Fill a template with the records of a sheet and write the files
    Merge(merge::Arguments),
    /// Evaluate an expression
    Eval(eval::Arguments),
    /// List the placeholders and problems of a template
    Fields(fields::Arguments),
    /// Convert DOCX documents to PDF without filling them
    Pages(pages::Arguments),
    /// Check whether a PDF is unchanged since Mangle sealed it
    Verify(verify::Arguments),
    /// Print the OpenAPI description
    Openapi,
}

fn main() -> ExitCode {
    let filter = tracing_subscriber::EnvFilter::try_from_env("MANGLE_LOG").unwrap_or_else(|_| "warn".into());
    tracing_subscriber::fmt().with_env_filter(filter).with_writer(std::io::stderr).init();
    let done = match Arguments::parse().command {
        Command::Serve(arguments) => serve::run(arguments).map(|()| ExitCode::SUCCESS),
        Command::Demo(arguments) => demo::run(arguments).map(|()| ExitCode::SUCCESS),
        Command::Run(arguments) => run::run(arguments),
        Command::Deliveries(arguments) => deliveries::run(arguments),
        Command::Merge(arguments) => merge::run(arguments),
        Command::Eval(arguments) => eval::run(arguments),
        Command::Fields(arguments) => fields::run(arguments),
        Command::Pages(arguments) => pages::run(arguments),
        Command::Verify(arguments) => verify::run(arguments),
        Command::Openapi => serve::openapi().map(|()| ExitCode::SUCCESS),
    };
    done.unwrap_or_else(|error| {
        // Whoever reads the output has seen enough of it.
        let closed = |cause: &std::io::Error| cause.kind() == std::io::ErrorKind::BrokenPipe;
        if error.chain().any(|cause| cause.downcast_ref().is_some_and(closed)) {
            return ExitCode::SUCCESS;
        }
        eprintln!("mangle: {error:#}");
        ExitCode::from(1)
    })
}
