//! Signing while the program is killed: whatever is cut short, each signer signs once, no document
//! is lost, and each is sealed once.

use std::collections::HashSet;
use std::path::Path;
use std::process::Command;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex};
use std::time::Duration;

use anyhow::{Context, Result, ensure};
use mangle_practice::mailbox::{self, Mailbox};
use mangle_practice::timestamp::{self, TimestampAuthority};
use mangle_program_tests::{Program, ask, beside, binary, licences, tool};
use serde_json::{Value, json};

const DISPATCH: &str = "/api/dispatches/berth-licences";
const COUNT: usize = 5;

fn serve(folder: &Path, office: &Path, smtp: u16) -> Result<Program> {
    let (smtp, allowed) = (format!("127.0.0.1:{smtp}"), format!("Harbour office={}", office.display()));
    Program::start(&["serve", "--port", "0", "--smtp", &smtp, "--allow-folder", &allowed, "--folder", &folder.to_string_lossy()])
}

/// The links that came by mail, each with whom it is for.
fn links(mailbox: &Mailbox) -> HashSet<String> {
    let texts = mailbox.list().into_iter().filter_map(|own| mailbox.message(own.number)).map(|own| own.text);
    texts.filter_map(|text| Some(text.split_once("/s/")?.1.split_whitespace().next()?.to_owned())).collect()
}

/// What a program that may be dead just now says to a question.
fn curl(arguments: &[&str]) -> Result<String> {
    let out = Command::new("curl").arg("-sS").args(arguments).output()?;
    ensure!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
    Ok(String::from_utf8(out.stdout)?)
}

fn post(url: &str, body: &Value) -> Result<Value> {
    Ok(serde_json::from_str(&curl(&["-X", "POST", url, "-H", "Content-Type: application/json", "-d", &body.to_string()])?)?)
}

/// Signs whatever can be signed, over and over, until it is told to end.
fn sign_all(address: &Arc<Mutex<String>>, mailbox: &Mailbox, end: &AtomicBool) {
    let attempt = |token: &str| -> Result<()> {
        let office = address.lock().map_err(|_| anyhow::anyhow!("poisoned"))?.clone();
        let leads = curl(&["-o", "/dev/null", "-w", "%{redirect_url}", &format!("{office}/s/{token}")])?;
        let (public, _) = leads.trim().split_once("/s/").context("no public pages")?;
        let path = format!("{public}/api/signer/{token}");
        let now = post(&format!("{path}/open"), &json!({}))?;
        let texts = now["fields"].as_array().context("closed")?.iter().filter(|field| field["kind"] == "text");
        let values: serde_json::Map<String, Value> = texts.map(|field| (field["number"].to_string(), json!("Wil Haven"))).collect();
        let input = json!({ "key": now["key"], "consent": true, "signature": { "typed": now["name"] }, "initials": { "typed": "ab" }, "values": values });
        post(&format!("{path}/sign"), &input).map(drop)
    };
    while !end.load(Ordering::SeqCst) {
        for token in links(mailbox) {
            // The program may be dead just now.
            drop(attempt(&token));
        }
        std::thread::sleep(Duration::from_millis(20));
    }
}

#[test]
fn killed_while_licences_are_signed_each_is_signed_once_and_sealed_once() -> Result<()> {
    let (folder, office, mails) = (tempfile::tempdir()?, tempfile::tempdir()?, tempfile::tempdir()?);
    Program::demo(folder.path()).map(drop)?;
    let mailbox = Mailbox::open(mails.path())?;
    let own = mailbox.clone();
    let smtp = beside(move |listener| mailbox::serve(listener, own))?;
    let authority = TimestampAuthority::new()?;
    let own = authority.clone();
    let stamps = beside(move |listener| timestamp::serve(listener, own))?;
    let mut program = serve(folder.path(), office.path(), smtp)?;
    let url = format!("{}/api/settings", program.address);
    let mut settings = ask("GET", &url, None)?;
    settings["timestamp_authority"] = json!(format!("http://127.0.0.1:{stamps}/"));
    ask("PUT", &url, Some(settings))?;
    licences(&program, COUNT)?;

    let (address, end) = (Arc::new(Mutex::new(program.address.clone())), Arc::new(AtomicBool::new(false)));
    let (own, mails, over) = (address.clone(), mailbox.clone(), end.clone());
    let signer = std::thread::spawn(move || sign_all(&own, &mails, &over));
    let run = ask("POST", &format!("{}{DISPATCH}/runs", program.address), Some(json!({ "count": COUNT })))?["id"].clone();
    for pause in [120, 260, 90, 400, 180, 330, 70, 510, 240, 150] {
        std::thread::sleep(Duration::from_millis(pause));
        program.kill();
        program = serve(folder.path(), office.path(), smtp)?;
        program.address.clone_into(&mut *address.lock().map_err(|_| anyhow::anyhow!("poisoned"))?);
    }
    let get = |path: &str| ask("GET", &format!("{}{path}", program.address), None);
    let mut rounds = Value::Null;
    for _ in 0..240 {
        // A message of which nobody knows whether it arrived is decided by a person: it is sent again.
        let items = get(&format!("/api/runs/{run}/items"))?;
        for delivery in items.as_array().context("items")?.iter().flat_map(|item| item["deliveries"].as_array().into_iter().flatten()) {
            if delivery["state"] == "uncertain" {
                ask("POST", &format!("{}/api/deliveries/{}/send-again", program.address, delivery["id"]), None)?;
            }
        }
        rounds = get(&format!("/api/rounds?run={run}"))?;
        let completed = rounds.as_array().is_some_and(|all| all.len() == COUNT && all.iter().all(|own| own["state"] == "completed"));
        if completed && get(&format!("/api/runs/{run}"))?["state"] == "done" {
            break;
        }
        std::thread::sleep(Duration::from_millis(250));
    }
    end.store(true, Ordering::SeqCst);
    signer.join().map_err(|_| anyhow::anyhow!("the signer panicked"))?;
    let all = rounds.as_array().context("rounds")?;
    ensure!(all.len() == COUNT && all.iter().all(|own| own["state"] == "completed"), "{rounds}");
    for round in all {
        let detail = get(&format!("/api/rounds/{}", round["id"]))?;
        let happened = |what: &str| detail["events"].as_array().into_iter().flatten().filter(|own| own["what"] == what).count();
        ensure!((happened("sent"), happened("signed"), happened("sealed")) == (1, 2, 1), "{detail}");
        let file = folder.path().join(format!("{}.pdf", round["id"]));
        let path = file.to_string_lossy().into_owned();
        tool("curl", &["-sS", "-o", &path, &format!("{}/api/rounds/{}/document", program.address, round["id"])]);
        let verdict: Value = serde_json::from_str(&tool(&binary().to_string_lossy(), &["verify", "--json", &path]))?;
        ensure!(verdict["state"] == "valid" && verdict["signers"].as_array().map(Vec::len) == Some(2), "{verdict}");
    }
    // Each is in the folder once, and each signer has a copy.
    let files = std::fs::read_dir(office.path().join("Licences"))?.count();
    ensure!(files == COUNT, "{files} files");
    let copies = mailbox.list().iter().filter(|own| own.subject.starts_with("Signed: ")).count();
    ensure!(copies >= 2 * COUNT, "{copies} copies");
    Ok(())
}
