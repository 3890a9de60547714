//! Runs beside a mail server that is down, and a program that is told to end.

use std::time::Duration;

use anyhow::{Context, Result};
use mangle_practice::mailbox::{Mailbox, serve};
use mangle_program_tests::{Program, ask, reminders, start_reminders};
use serde_json::{Value, json};

fn serve_on(folder: &std::path::Path, smtp: u16) -> Result<Program> {
    Program::start(&["serve", "--port", "0", "--smtp", &format!("127.0.0.1:{smtp}"), "--folder", &folder.to_string_lossy()])
}

fn make_ready(program: &Program) -> Result<usize> {
    let bench = reminders(program, |body| body["setup"]["filter"] = json!(""))?;
    Ok(bench["records"].as_array().map_or(0, Vec::len))
}

fn start_run(program: &Program, count: usize) -> Result<i64> {
    let run = start_reminders(program, count)?;
    run["id"].as_i64().with_context(|| format!("no run: {run}"))
}

fn run_of(program: &Program, id: i64) -> Result<Value> {
    ask("GET", &format!("{}/api/runs/{id}", program.address), None)
}

fn wait_done(program: &Program, id: i64) -> Result<Value> {
    for _ in 0..600 {
        let run = run_of(program, id)?;
        if run["state"] == "done" {
            return Ok(run);
        }
        std::thread::sleep(Duration::from_millis(100));
    }
    anyhow::bail!("the run never ended: {}", run_of(program, id)?)
}

/// The demo world in a folder, made by the program itself.
fn demo(folder: &std::path::Path) -> Result<()> {
    Program::demo(folder).map(drop)
}

#[tokio::test(flavor = "multi_thread")]
async fn while_the_mail_server_is_down_items_wait_and_are_tried_again() -> Result<()> {
    let (folder, mail) = (tempfile::tempdir()?, tempfile::tempdir()?);
    demo(folder.path())?;
    // A port on which nothing listens yet.
    let free = tokio::net::TcpListener::bind("127.0.0.1:0").await?;
    let port = free.local_addr()?.port();
    drop(free);
    let program = serve_on(folder.path(), port)?;
    let count = make_ready(&program)?;
    let id = start_run(&program, count)?;
    let mut run = Value::Null;
    for _ in 0..300 {
        run = run_of(&program, id)?;
        if run["waiting"] == 0 {
            break;
        }
        std::thread::sleep(Duration::from_millis(100));
    }
    assert_eq!((run["state"].as_str(), run["sending"].as_u64()), (Some("running"), Some(213)), "{run}");
    let mut waits = Value::Null;
    for _ in 0..100 {
        waits = ask("GET", &format!("{}/api/runs/{id}/items?count=1", program.address), None)?[0]["deliveries"].clone();
        if waits[0]["attempts"].as_u64() > Some(0) {
            break;
        }
        std::thread::sleep(Duration::from_millis(100));
    }
    assert_eq!(waits[0]["error_code"], "unreachable");
    assert!(
        waits[0]["error_message"].as_str().is_some_and(|m| m.contains("an't reach") && m.ends_with("Mangle will try again.")),
        "{waits}"
    );
    assert!(waits[0]["next_try_in"].as_i64().is_some_and(|s| (1..=10).contains(&s)), "{waits}");

    let mailbox = Mailbox::open(mail.path())?;
    let listener = tokio::net::TcpListener::bind(("127.0.0.1", port)).await?;
    tokio::spawn(serve(listener, mailbox.clone()));
    let run = wait_done(&program, id)?;
    assert_eq!(run["delivered"], 213, "{run}");
    assert_eq!(mailbox.list().len(), 213);
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn told_to_end_it_finishes_what_it_hands_over_and_ends_well() -> Result<()> {
    let (folder, mail) = (tempfile::tempdir()?, tempfile::tempdir()?);
    demo(folder.path())?;
    let mailbox = Mailbox::open(mail.path())?;
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await?;
    let port = listener.local_addr()?.port();
    tokio::spawn(serve(listener, mailbox.clone()));
    let mut program = serve_on(folder.path(), port)?;
    let count = make_ready(&program)?;
    let id = start_run(&program, count)?;
    let mut ends = 0;
    while ends < 4 && run_of(&program, id)?["state"] != "done" {
        std::thread::sleep(Duration::from_millis(200));
        assert_eq!(program.terminate()?, Some(0), "it ends with 0");
        ends += 1;
        // A second one on the folder is refused while the first is there, and no longer.
        program = serve_on(folder.path(), port)?;
        anyhow::ensure!(serve_on(folder.path(), port).is_err(), "two programs on one folder");
    }
    assert!(ends >= 1, "the run ended before it was told to end");
    let run = wait_done(&program, id)?;
    // Nothing is in doubt, nothing is missing, nothing came twice.
    assert_eq!((run["delivered"].as_u64(), run["uncertain"].as_u64(), run["failed"].as_u64()), (Some(213), Some(0), Some(0)), "{run}");
    assert_eq!(mailbox.list().len(), 213);
    Ok(())
}
