//! `mangle demo`: Brackwater Quay, ready to work in.

mod history;

use std::path::PathBuf;

use anyhow::{Context, Result};

use mangle_server::Rate;
use mangle_server::public::Trusted;

use crate::serve::{Public, What, runtime, start};

#[derive(clap::Args)]
pub struct Arguments {
    /// Folder for the demo data; a temporary folder by default
    #[arg(long)]
    folder: Option<PathBuf>,
    /// Port of the application; 0 chooses a free port
    #[arg(long, default_value_t = 7600)]
    port: u16,
    /// Port of the practice mailbox; 0 chooses a free port
    #[arg(long, default_value_t = 7625)]
    practice_port: u16,
    /// Port of the practice CRM; 0 chooses a free port
    #[arg(long, default_value_t = 7626)]
    crm_port: u16,
    /// Port of the practice printer; 0 chooses a free port
    #[arg(long, default_value_t = 7627)]
    printer_port: u16,
    /// Port of the practice timestamp authority; 0 chooses a free port
    #[arg(long, default_value_t = 7628)]
    timestamp_port: u16,
    /// Port of public pages (forms, share links); 0 chooses a free port
    #[arg(long, default_value_t = 7680)]
    public_port: u16,
    /// Start before anything happened: no runs, answers or messages
    #[arg(long)]
    fresh: bool,
}

/// The folder that the demo world's documents may be put into.
const OFFICE_FOLDER: &str = "Harbour office";

const SEASON: &[u8] = include_bytes!("../../../../demo/season.xlsx");
const PRICES: &[u8] = include_bytes!("../../../../demo/price-list.csv");
const CASES: &[u8] = include_bytes!("../../../../demo/refit-cases.json");
const REMINDER: &[u8] = include_bytes!("../../../../demo/reminder.docx");
const QUOTE: &[u8] = include_bytes!("../../../../demo/refit-quote.docx");
const SURVEY: &[u8] = include_bytes!("../../../../demo/survey-report.docx");
const WELCOME: &[(&str, &[u8])] = &[
    ("welcome-licence.docx", include_bytes!("../../../../demo/welcome-licence.docx")),
    ("welcome-metered.docx", include_bytes!("../../../../demo/welcome-metered.docx")),
    ("welcome-flat.docx", include_bytes!("../../../../demo/welcome-flat.docx")),
    ("welcome-liveaboard.docx", include_bytes!("../../../../demo/welcome-liveaboard.docx")),
    ("berth-licence.docx", include_bytes!("../../../../demo/berth-licence.docx")),
    ("harbour-rules.pdf", include_bytes!("../../../../demo/harbour-rules.pdf")),
];
const BERTHS: &[u8] = include_bytes!("../../../../demo/berth-list.docx");
const LAY_UP: &[u8] = include_bytes!("../../../../demo/winter-lay-up.form.json");
const CRANE: &[u8] = include_bytes!("../../../../demo/crane-lift.form.json");
const VISITOR: &[u8] = include_bytes!("../../../../demo/visitor-berth.form.json");

pub fn run(arguments: Arguments) -> Result<()> {
    // Dropped at the end: the temporary folder goes with the demo.
    let (_temporary, folder) = match arguments.folder {
        Some(folder) => (None, folder),
        None => {
            let temporary = tempfile::tempdir()?;
            let folder = temporary.path().to_owned();
            (Some(temporary), folder)
        }
    };
    let office = folder.join("harbour-office");
    std::fs::create_dir_all(&office).with_context(|| format!("can't create the folder {}", office.display()))?;
    let what = What {
        folder: folder.clone(),
        port: arguments.port,
        smtp: None,
        practice_port: arguments.practice_port,
        crm_port: Some(arguments.crm_port),
        printer_port: Some(arguments.printer_port),
        timestamp_port: Some(arguments.timestamp_port),
        free_ports: true,
        email_rate: Rate::default(),
        folders: vec![(OFFICE_FOLDER.to_owned(), office)],
        hosts: vec!["localhost".to_owned()],
        public: Public { listen: ([127, 0, 0, 1], arguments.public_port).into(), url: None, trusted: Trusted::default() },
    };
    runtime()?.block_on(async {
        let new = !folder.join("mangle.sqlite").exists();
        let running = start(what).await?;
        if new {
            let files = [
                ("season.xlsx", SEASON),
                ("price-list.csv", PRICES),
                ("refit-cases.json", CASES),
                ("reminder.docx", REMINDER),
                ("refit-quote.docx", QUOTE),
                ("survey-report.docx", SURVEY),
                ("berth-list.docx", BERTHS),
                ("crane-lift.form.json", CRANE),
                ("visitor-berth.form.json", VISITOR),
                ("winter-lay-up.form.json", LAY_UP),
            ];
            let files: Vec<(&str, &[u8])> = files.into_iter().chain(WELCOME.iter().copied()).collect();
            running.fill(&files).await?;
            if !arguments.fresh {
                history::make(running.router(), running.public_router(), mangle_server::now().date())
                    .await
                    .context("the demo world's history")?;
            }
        }
        println!("Mangle is running at {}", running.address);
        running.serve().await
    })
}
