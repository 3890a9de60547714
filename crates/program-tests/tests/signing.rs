//! Signing while the program is killed, its disk is full or its clock is set back: whatever is cut
//! short, each signer signs once, no document is lost, and each is sealed once.

use std::collections::HashSet;
use std::io::Write;
use std::path::Path;
use std::process::Command;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex};
use std::time::Duration;

use anyhow::{Context, Result, ensure};
use mangle_practice::mailbox::{self, Mailbox};
use mangle_practice::timestamp::{self, TimestampAuthority};
use mangle_program_tests::{Program, ask, beside, binary, licences, repository, tool, wait};
use serde_json::{Value, json};

const DISPATCH: &str = "/api/dispatches/berth-licences";
const COUNT: usize = 5;

/// The services beside the program, and the folder that copies go to.
struct Around {
    office: tempfile::TempDir,
    mailbox: Mailbox,
    authority: TimestampAuthority,
    arguments: Vec<String>,
    stamps: u16,
    _mails: tempfile::TempDir,
}

impl Around {
    fn new() -> Result<Around> {
        let (office, mails) = (tempfile::tempdir()?, tempfile::tempdir()?);
        let (mailbox, authority) = (Mailbox::open(mails.path())?, TimestampAuthority::new()?);
        let own = mailbox.clone();
        let smtp = beside(move |listener| mailbox::serve(listener, own))?;
        let own = authority.clone();
        let stamps = beside(move |listener| timestamp::serve(listener, own))?;
        let allowed = format!("Harbour office={}", office.path().display());
        let arguments = ["serve", "--port", "0", "--smtp", &format!("127.0.0.1:{smtp}"), "--allow-folder", &allowed];
        let arguments = arguments.iter().map(ToString::to_string).collect();
        Ok(Around { office, mailbox, authority, arguments, stamps, _mails: mails })
    }

    /// What the program on a folder is started with.
    fn arguments<'a>(&'a self, folder: &'a str) -> Vec<&'a str> {
        self.arguments.iter().map(String::as_str).chain(["--folder", folder]).collect()
    }

    fn serve(&self, folder: &Path) -> Result<Program> {
        Program::start(&self.arguments(&folder.to_string_lossy()))
    }

    /// The licences of so many, sent for signature; the run.
    fn send(&self, program: &Program, count: usize) -> Result<Value> {
        let url = format!("{}/api/settings", program.address);
        let mut settings = ask("GET", &url, None)?;
        settings["timestamp_authority"] = json!(format!("http://127.0.0.1:{}/", self.stamps));
        ask("PUT", &url, Some(settings))?;
        licences(program, count)?;
        Ok(ask("POST", &format!("{}{DISPATCH}/runs", program.address), Some(json!({ "count": count })))?["id"].clone())
    }
}

/// The rounds of a run, when they are as they should be.
fn rounds(program: &Program, run: &Value, count: usize, are: impl Fn(&Value) -> bool) -> Result<Vec<Value>> {
    let mut last = Value::Null;
    for _ in 0..240 {
        last = ask("GET", &format!("{}/api/rounds?run={run}", program.address), None)?;
        if last.as_array().is_some_and(|all| all.len() == count && all.iter().all(&are)) {
            break;
        }
        std::thread::sleep(Duration::from_millis(250));
    }
    let all = last.as_array().context("rounds")?.clone();
    ensure!(all.len() == count && all.iter().all(are), "{last}");
    Ok(all)
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

/// Signs by a link; what the program says to it.
fn sign(office: &str, token: &str) -> Result<Value> {
    let leads = curl(&["-o", "/dev/null", "-w", "%{redirect_url}", &format!("{office}/s/{token}")])?;
    let (public, _) = leads.trim().split_once("/s/").context("no public pages")?;
    let path = format!("{public}/api/signer/{token}");
    let now = post(&format!("{path}/open"), &json!({}))?;
    let texts = now["fields"].as_array().context("closed")?.iter().filter(|field| field["kind"] == "text");
    let values: serde_json::Map<String, Value> = texts.map(|field| (field["number"].to_string(), json!("Wil Haven"))).collect();
    let input = json!({ "key": now["key"], "consent": true, "signature": { "typed": now["name"] }, "initials": { "typed": "ab" }, "values": values });
    post(&format!("{path}/sign"), &input)
}

/// Signs whatever can be signed, over and over, until it is told to end.
fn sign_all(address: &Arc<Mutex<String>>, mailbox: &Mailbox, end: &AtomicBool) {
    while !end.load(Ordering::SeqCst) {
        for token in links(mailbox) {
            let Ok(office) = address.lock().map(|own| own.clone()) else { return };
            // The program may be dead just now.
            drop(sign(&office, &token));
        }
        std::thread::sleep(Duration::from_millis(20));
    }
}

/// What `mangle verify` says of a file, and its exit code.
fn verified(path: &Path, json: bool) -> Result<(Option<i32>, String)> {
    let flags: &[&str] = if json { &["--json"] } else { &[] };
    let out = Command::new(binary()).arg("verify").args(flags).arg(path).output()?;
    Ok((out.status.code(), String::from_utf8(out.stdout)?))
}

/// The exit code and the words of a terminal: valid, changed, not sealed here, not there at all.
fn told_in_a_terminal(sealed: &Path) -> Result<()> {
    let (code, said) = verified(sealed, false)?;
    ensure!(code == Some(0) && said.contains("valid, unchanged since it was sealed"), "{code:?}: {said}");
    ensure!(said.matches("Signed by ").count() == 2 && said.contains("Ida Kelling (harbour master, "), "{said}");
    let other = sealed.with_extension("other.pdf");
    let mut bytes = std::fs::read(sealed)?;
    let middle = bytes.len() / 3;
    bytes[middle] ^= 1;
    std::fs::write(&other, &bytes)?;
    let (code, said) = verified(&other, false)?;
    ensure!(code == Some(2) && said.contains("CHANGED"), "{code:?}: {said}");
    std::fs::copy(repository().join("demo/harbour-rules.pdf"), &other)?;
    let (code, said) = verified(&other, false)?;
    ensure!(code == Some(1) && said.contains("not sealed by Mangle"), "{code:?}: {said}");
    ensure!(verified(&sealed.with_extension("missing.pdf"), false)?.0 == Some(1), "a file that is not there");
    Ok(())
}

/// Each round was signed by both and sealed once, as its document proves; each is in the folder once,
/// and each signer has a copy.
fn sealed(program: &Program, around: &Around, rounds: &[Value]) -> Result<()> {
    let folder = tempfile::tempdir()?;
    for round in rounds {
        let detail = ask("GET", &format!("{}/api/rounds/{}", program.address, round["id"]), None)?;
        let happened = |what: &str| detail["events"].as_array().into_iter().flatten().filter(|own| own["what"] == what).count();
        ensure!((happened("sent"), happened("signed"), happened("sealed")) == (1, 2, 1), "{detail}");
        let file = folder.path().join(format!("{}.pdf", round["id"]));
        let path = file.to_string_lossy().into_owned();
        tool("curl", &["-sS", "-o", &path, &format!("{}/api/rounds/{}/document", program.address, round["id"])]);
        let verdict: Value = serde_json::from_str(&verified(&file, true)?.1)?;
        ensure!(verdict["state"] == "valid" && verdict["signers"].as_array().map(Vec::len) == Some(2), "{verdict}");
    }
    told_in_a_terminal(&folder.path().join(format!("{}.pdf", rounds[0]["id"])))?;
    let files = std::fs::read_dir(around.office.path().join("Licences"))?.count();
    ensure!(files == rounds.len(), "{files} files");
    let copies = around.mailbox.list().iter().filter(|own| own.subject.starts_with("Signed: ")).count();
    ensure!(copies >= 2 * rounds.len(), "{copies} copies");
    Ok(())
}

fn wait_done(program: &Program, run: &Value) -> Result<()> {
    wait(program, run, |run| run["state"] == "done").map(drop)
}

#[test]
fn killed_while_licences_are_signed_each_is_signed_once_and_sealed_once() -> Result<()> {
    let (folder, around) = (tempfile::tempdir()?, Around::new()?);
    Program::demo(folder.path()).map(drop)?;
    let mut program = around.serve(folder.path())?;
    let (address, end) = (Arc::new(Mutex::new(program.address.clone())), Arc::new(AtomicBool::new(false)));
    let (own, mails, over) = (address.clone(), around.mailbox.clone(), end.clone());
    let run = around.send(&program, COUNT)?;
    let signer = std::thread::spawn(move || sign_all(&own, &mails, &over));
    for pause in [120, 260, 90, 400, 180, 330, 70, 510, 240, 150] {
        std::thread::sleep(Duration::from_millis(pause));
        program.kill();
        program = around.serve(folder.path())?;
        program.address.clone_into(&mut *address.lock().map_err(|_| anyhow::anyhow!("poisoned"))?);
    }
    let get = |path: &str| ask("GET", &format!("{}{path}", program.address), None);
    for _ in 0..240 {
        // A message of which nobody knows whether it arrived is decided by a person: it is sent again.
        let items = get(&format!("/api/runs/{run}/items"))?;
        for delivery in items.as_array().context("items")?.iter().flat_map(|item| item["deliveries"].as_array().into_iter().flatten()) {
            if delivery["state"] == "uncertain" {
                ask("POST", &format!("{}/api/deliveries/{}/send-again", program.address, delivery["id"]), None)?;
            }
        }
        let now = get(&format!("/api/rounds?run={run}"))?;
        let completed = now.as_array().is_some_and(|all| all.len() == COUNT && all.iter().all(|own| own["state"] == "completed"));
        if completed && get(&format!("/api/runs/{run}"))?["state"] == "done" {
            break;
        }
        std::thread::sleep(Duration::from_millis(250));
    }
    end.store(true, Ordering::SeqCst);
    signer.join().map_err(|_| anyhow::anyhow!("the signer panicked"))?;
    let all = rounds(&program, &run, COUNT, |round| round["state"] == "completed")?;
    sealed(&program, &around, &all)
}

#[test]
fn a_full_disk_keeps_signatures_and_seals_waiting_and_loses_none() -> Result<()> {
    let (folder, around) = (tempfile::tempdir()?, Around::new()?);
    let (small, world) = (folder.path().join("small"), folder.path().join("world"));
    std::fs::create_dir(&small)?;
    Program::demo(&world).map(drop)?;
    let program = Program::start_on_small_disk(&small, 48, &world, &around.arguments(&small.to_string_lossy()))?;
    around.authority.set_off(true);
    let run = around.send(&program, 2)?;
    // One is signed by both and waits for its seal, the other by one.
    let first = wait_for_links(&around, 2)?;
    for token in &first {
        sign(&program.address, token)?;
    }
    let second: Vec<String> = wait_for_links(&around, 4)?.into_iter().filter(|token| !first.contains(token)).collect();
    let answer = sign(&program.address, &second[0])?;
    ensure!(answer["completed"] == true, "{answer}");
    let of = |state: &'static str| move |round: &&Value| round["state"] == state;
    rounds(&program, &run, 2, |round| round["state"] == "sealing" || round["signers"][0]["state"] == "signed")?;
    let filler = program.sees(&small).join("filler");
    let mut file = std::fs::File::create(&filler)?;
    while file.write_all(&[7; 1 << 12]).is_ok() {}
    drop(file);
    // Neither a signature nor a seal can be stored: both are refused and nothing is half-done.
    around.authority.set_off(false);
    let refused = sign(&program.address, &second[1]);
    ensure!(!refused.as_ref().is_ok_and(|answer| answer["completed"].is_boolean()), "it was signed on a full disk: {refused:?}");
    let before = rounds(&program, &run, 2, |_| true)?;
    ensure!(before.iter().filter(of("sealing")).count() == 1, "{before:?}");
    std::fs::remove_file(&filler)?;
    sign(&program.address, &second[1])?;
    for round in &before {
        // A seal that failed is tried again later; a person can ask for it now.
        post(&format!("{}/api/rounds/{}/seal", program.address, round["id"]), &Value::Null)?;
    }
    let all = rounds(&program, &run, 2, |round| round["state"] == "completed")?;
    wait_done(&program, &run)?;
    sealed(&program, &around, &all)
}

/// The links that came, when there are so many.
fn wait_for_links(around: &Around, count: usize) -> Result<HashSet<String>> {
    for _ in 0..240 {
        let came = links(&around.mailbox);
        if came.len() >= count {
            return Ok(came);
        }
        std::thread::sleep(Duration::from_millis(100));
    }
    anyhow::bail!("{} of {count} links came", links(&around.mailbox).len())
}

#[test]
fn a_clock_that_was_set_back_is_told_by_the_round_and_stops_no_signature() -> Result<()> {
    let (folder, around) = (tempfile::tempdir()?, Around::new()?);
    Program::demo(folder.path()).map(drop)?;
    let mut program = around.serve(folder.path())?;
    let run = around.send(&program, 1)?;
    let first = wait_for_links(&around, 1)?;
    for token in &first {
        sign(&program.address, token)?;
    }
    let both = wait_for_links(&around, 2)?;
    program.kill();
    // Two days earlier.
    let path = folder.path().to_string_lossy().into_owned();
    let program = Program::start_at("2026-11-21T09:00:00", &around.arguments(&path))?;
    for token in both.difference(&first) {
        sign(&program.address, token)?;
    }
    let all = rounds(&program, &run, 1, |round| round["state"] == "completed")?;
    wait_done(&program, &run)?;
    sealed(&program, &around, &all)?;
    let detail = ask("GET", &format!("{}/api/rounds/{}", program.address, all[0]["id"]), None)?;
    let events = detail["events"].as_array().context("events")?;
    let told: Vec<&Value> = events.iter().filter(|own| own["what"] == "clock set back").collect();
    ensure!(told.len() == 1 && told[0]["at"] == "2026-11-21T09:00:00" && told[0]["with"]["before"] == "2026-11-23T09:42:00", "{detail}");
    ensure!(detail["signers"][0]["reminded"] == 0, "nobody is reminded by it: {detail}");
    Ok(())
}
