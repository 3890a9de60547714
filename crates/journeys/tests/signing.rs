//! Signing as people do it: a holder on a telephone, the harbour master with a queue, the office
//! with an address that was wrong.

use anyhow::{Context, Result, ensure};
use mangle_journeys::{Browser, Program, ask, docx, licences, picture, send_file, tool, wait};
use serde_json::{Value, json};

const DISPATCH: &str = "/api/dispatches/berth-licences";

/// The berth licences of so many holders are out: the run.
fn sent(program: &Program, count: usize) -> Result<Value> {
    let address = &program.address;
    licences(program, count)?;
    let run = ask("POST", &format!("{address}{DISPATCH}/runs"), Some(json!({ "count": count })))?;
    wait(program, &run["id"], |run| run["state"] == "done")?;
    Ok(run["id"].clone())
}

/// The rounds of a run, the first record's first.
fn rounds(program: &Program, run: &Value) -> Result<Vec<Value>> {
    let mut all = ask("GET", &format!("{}/api/rounds?run={run}", program.address), None)?.as_array().context("rounds")?.clone();
    all.sort_by_key(|one| one["id"].as_i64());
    Ok(all)
}

/// The newest link that came to an address.
fn link(program: &Program, to: &str) -> Result<String> {
    let mailbox = format!("{}/api/practice/mailbox", program.address);
    for _ in 0..40 {
        let all = ask("GET", &mailbox, None)?;
        for one in all.as_array().context("messages")?.iter() {
            let message = ask("GET", &format!("{mailbox}/{}", one["number"]), None)?;
            let text = message["text"].as_str().unwrap_or_default();
            if message.to_string().contains(to)
                && let Some((_, rest)) = text.split_once("/s/")
            {
                return Ok(format!("/s/{}", rest.split_whitespace().next().unwrap_or_default()));
            }
        }
        std::thread::sleep(std::time::Duration::from_millis(250));
    }
    anyhow::bail!("no link came to {to}")
}

#[tokio::test(flavor = "multi_thread")]
async fn a_licence_is_signed_on_a_telephone_and_by_the_harbour_master() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let program = Program::demo(folder.path())?;
    let b = Browser::open(&program.address).await?;
    b.go("/dispatches/berth-licences/signing").await?;
    b.text("small", "holder, then harbour master").await?;
    // A member of the office is chosen by name.
    for (name, address) in [("Brackwater Quay", "office@brackwater-quay.example"), ("Ida Kelling", "ida@brackwater-quay.example")] {
        b.choose("Member of the office for harbour master", name).await?;
        let dispatch = format!("{}/api/dispatches/berth-licences", program.address);
        let saved = || anyhow::Ok(ask("GET", &dispatch, None)?["setup"]["signing"]["roles"][1]["people"][0]["email"] == address);
        let mut tries = 0;
        while !saved()? {
            tries += 1;
            anyhow::ensure!(tries < 100, "{address} is not saved");
            std::thread::sleep(std::time::Duration::from_millis(50));
        }
    }
    let run = sent(&program, 2)?;
    let all = rounds(&program, &run)?;
    let holder = all[0]["signers"][0]["email"].as_str().context("an address")?.to_owned();
    let public = public(&program)?;

    let telephone = Browser::telephone(&public).await?;
    telephone.go(&link(&program, &holder)?).await?;
    telephone.click("Open document").await?;
    telephone.text("span", "Page 1 of ").await?;
    telephone.find(".pages .mark").await?;
    picture(&telephone, "signer-page").await?;
    // Nothing is signed without consent, and what is empty is told.
    telephone.find("#sign").await?.click().await?;
    telephone.text("p", "Agree to sign electronically first.").await?;
    telephone.find("#consent").await?.click().await?;
    telephone.find("#sign").await?.click().await?;
    telephone.text("p", "1 field is still empty.").await?;
    telephone.text("label", "Emergency contact").await?.click().await?;
    telephone.keys("Wil Haven, 020 7946 0077").await?;
    telephone.text("label", "Draw").await?.click().await?;
    telephone.draw("#signature").await?;
    // Nothing is empty any more, and the button has its place.
    telephone.gone("button", "Next field").await?;
    // A tap right after a stroke would be a part of the gesture.
    tokio::time::sleep(std::time::Duration::from_secs(1)).await;
    telephone.find("#sign").await?.click().await?;
    telephone.gone("p", "1 field is still empty.").await?;
    telephone.text("p", "You have signed. Thank you.").await?;
    // Who comes after sees what was filled in once, as it is on the page.
    telephone.go(&link(&program, "ida@brackwater-quay.example")?).await?;
    telephone.click("Open document").await?;
    telephone.find(".annotationLayer section").await?;
    ensure!(!telephone.sees(".annotationLayer input").await?, "what was filled in is drawn twice");
    telephone.close().await?;

    // The harbour master signs from the queue.
    b.go("/signing?state=mine").await?;
    b.text("b", all[0]["title"].as_str().unwrap_or_default()).await?;
    b.find("input[aria-label='Select all']").await?.click().await?;
    b.click("Sign 1 document").await?;
    b.text("p", "It is placed on 1 document.").await?;
    b.text("div[contains(@class,'countersign')]//button", "Sign 1 document").await?.click().await?;
    b.text("p", "1 document signed").await?;
    b.go(&format!("/signing?state=completed&round={}", all[0]["id"])).await?;
    b.text("b", all[0]["title"].as_str().unwrap_or_default()).await?;
    b.text("li", "sealed").await?;
    picture(&b, "signing").await?;

    // The sealed document is where it belongs, and a changed one is told.
    let office = folder.path().join("harbour-office/Licences");
    for _ in 0..40 {
        if office.exists() {
            break;
        }
        std::thread::sleep(std::time::Duration::from_millis(250));
    }
    let file = std::fs::read_dir(&office)?.next().context("a file")??.path();
    b.go("/verify").await?;
    b.give_to("input[type=file]", &file).await?;
    b.text("b", "Valid: unchanged since it was sealed").await?;
    let mut bytes = std::fs::read(&file)?;
    let middle = bytes.len() / 3;
    bytes[middle] ^= 1;
    let changed = folder.path().join("changed.pdf");
    std::fs::write(&changed, bytes)?;
    b.give_to("input[type=file]", &changed).await?;
    b.text("b", "Changed since it was sealed").await?;
    b.close().await
}

/// Signs under the newest link that came to an address, with everything filled in.
fn sign(program: &Program, public: &str, address: &str) -> Result<()> {
    let path = format!("{public}/api/signer/{}", link(program, address)?.trim_start_matches("/s/"));
    let now = ask("POST", &format!("{path}/open"), Some(json!({})))?;
    let mut values = serde_json::Map::new();
    for field in now["fields"].as_array().context("fields")?.iter().filter(|field| field["kind"] == "text") {
        values.insert(field["number"].to_string(), json!("Wil Haven"));
    }
    let input = json!({ "key": now["key"], "consent": true, "signature": { "typed": now["name"] }, "initials": { "typed": "x" }, "values": values });
    ask("POST", &format!("{path}/sign"), Some(input)).map(drop)
}

/// Where public pages are.
fn public(program: &Program) -> Result<String> {
    let links = ask("GET", &format!("{}/api/practice/mailbox", program.address), None)?;
    for one in links.as_array().context("messages")? {
        let message = ask("GET", &format!("{}/api/practice/mailbox/{}", program.address, one["number"]), None)?;
        let text = message["text"].as_str().unwrap_or_default();
        if let Some((before, _)) = text.split_once("/s/") {
            return before.rsplit_once("http://").map(|(_, host)| format!("http://{host}")).context("an address");
        }
    }
    anyhow::bail!("no message with a link")
}

#[tokio::test(flavor = "multi_thread")]
async fn a_wrong_address_is_corrected_and_forty_licences_are_countersigned_together() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let program = Program::demo(folder.path())?;
    let run = sent(&program, 40)?;
    let all = rounds(&program, &run)?;
    let b = Browser::open(&program.address).await?;
    b.go(&format!("/signing?round={}", all[0]["id"])).await?;
    b.click("Correct address or resend").await?;
    b.write("input[aria-label='E-mail address']", "right@berth.example").await?;
    b.click("Send new link").await?;
    b.text("p", "right@berth.example").await?;
    link(&program, "right@berth.example")?;
    b.text("li", "the office: corrected").await?;
    // The others sign by script.
    let public = public(&program)?;
    for one in &all[1..] {
        sign(&program, &public, one["signers"][0]["email"].as_str().context("an address")?)?;
    }
    let began = std::time::Instant::now();
    b.go("/signing?state=mine").await?;
    b.find("input[aria-label='Select all']").await?.click().await?;
    b.click("Sign 39 documents").await?;
    b.text("div[contains(@class,'countersign')]//button", "Sign 39 documents").await?.click().await?;
    b.text("p", "39 documents signed").await?;
    ensure!(began.elapsed().as_secs() < 60, "it took {:?}", began.elapsed());
    b.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_declined_licence_is_corrected_sent_again_and_signed_by_either_of_two() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let program = Program::demo(folder.path())?;
    // Both sides sign in one step, and for the harbour either of two people.
    let mut bench = licences(&program, 1)?;
    let harbour = &mut bench["setup"]["signing"]["roles"][1];
    harbour["step"] = json!(1);
    let idris = json!({ "name": "Idris Penhallow", "email": "idris@brackwater-quay.example", "language": "", "phone": "" });
    harbour["people"].as_array_mut().context("people")?.push(idris);
    let kept = ["name", "template_id", "sheet_id", "setup", "revision"].map(|name| (name.to_owned(), bench[name].clone()));
    ask("PUT", &format!("{}{DISPATCH}", program.address), Some(Value::Object(kept.into_iter().collect())))?;
    let run = sent(&program, 1)?;
    let round = rounds(&program, &run)?[0].clone();
    let holder = round["signers"][0]["email"].as_str().context("an address")?.to_owned();

    // The holder declines on a telephone, and says why.
    let public = public(&program)?;
    let telephone = Browser::telephone(&public).await?;
    telephone.go(&link(&program, &holder)?).await?;
    telephone.click("Open document").await?;
    telephone.find(".pages .mark").await?;
    telephone.click("Decline").await?;
    telephone.write("fieldset.aside input", "We are on berth A23 now.").await?;
    telephone.find("fieldset.aside .acts button:last-child").await?.click().await?;
    telephone.text("p", "You have declined.").await?;
    telephone.close().await?;

    // The office reads it, corrects the record and sends it again.
    let b = Browser::open(&program.address).await?;
    b.go(&format!("/signing?state=declined&round={}", round["id"])).await?;
    b.text("div", "We are on berth A23 now.").await?;
    let sheet = bench["sheet_id"].clone();
    let row = bench["records"][0]["row"].clone();
    let columns = ask("GET", &format!("{}/api/sheets/{sheet}", program.address), None)?["columns"].clone();
    let berth = columns.as_array().and_then(|all| all.iter().position(|own| own["name"] == "Berth")).context("the berth's column")?;
    let edits = json!({ "what": "Put right", "cells": [{ "row": row, "column": berth, "text": "A23" }] });
    ask("POST", &format!("{}/api/sheets/{sheet}/rows", program.address), Some(edits))?;
    b.go(&format!("/sheets/{sheet}/row/{row}")).await?;
    b.click("Berth licences").await?;
    b.text("h2", "Signers").await?;
    b.click("Create and send").await?;
    b.text("p", "has already created a document").await?;
    b.find(".el-message-box__btns .destroys").await?.click().await?;
    b.text("h2", "Versions").await?;

    // Either of the two for the harbour, and the holder: in any order.
    let all = ask("GET", &format!("{}/api/rounds?state=open", program.address), None)?;
    let again = all[0]["id"].clone();
    ensure!(again.is_i64() && again != round["id"], "{all}");
    for address in ["idris@brackwater-quay.example", holder.as_str()] {
        sign(&program, &public, address)?;
    }
    b.go(&format!("/signing?state=completed&round={again}")).await?;
    b.text("li", "sealed").await?;
    b.text("li", "PAdES B-T").await?;
    b.text("b", "Idris Penhallow").await?;
    let file = folder.path().join("sealed.pdf");
    let done = std::process::Command::new("curl")
        .args(["-sSf", "-o"])
        .arg(&file)
        .arg(format!("{}/api/rounds/{again}/document", program.address))
        .status()?;
    ensure!(done.success(), "no document");
    let said = std::process::Command::new("pdftotext").arg(&file).arg("-").output()?.stdout;
    let said = String::from_utf8_lossy(&said).into_owned();
    ensure!(said.contains("A23") && said.contains("Idris Penhallow") && !said.contains("We are on berth"), "{said}");
    b.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_signed_goes_to_both_into_the_folder_and_onto_its_case_and_not_before() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let program = Program::demo(folder.path())?;
    let url = |path: &str| format!("{}/api/{path}", program.address);
    for _ in 0..300 {
        if ask("GET", &url("queries/7/fetch"), None)?["state"] == "done" {
            break;
        }
        std::thread::sleep(std::time::Duration::from_millis(200));
    }
    // A licence for a case of the CRM, signed by the holder and then by the harbour.
    let letter = folder.path().join("case-licence.docx");
    let text = "Licence of [: CaseID]: [:signer holder signature] [:signer harbour signature]";
    docx(&letter, text)?;
    let template = send_file(&url("templates"), &letter)?;
    let sources = ask("GET", &url("sources"), None)?;
    let cases = sources.as_array().into_iter().flatten().find(|own| own["name"] == "Inspected cases").context("the cases")?;
    let made = json!({ "name": "Case licences", "template_id": template["id"], "sheet_id": cases["sheets"][0]["id"] });
    let key = ask("POST", &url("dispatches"), Some(made))?["key"].as_str().context("a key")?.to_owned();
    let dispatch = url(&format!("dispatches/{key}"));
    let mut bench = ask("GET", &dispatch, None)?;
    let person = |name: &str, email: &str| json!([{ "name": name, "email": email, "language": "en-GB", "phone": "" }]);
    let role = |role: &str, step: u8, people: Value| json!({ "role": role, "step": step, "condition": "", "people": people });
    bench["setup"]["filter"] = json!("CaseID = \"RC-0004\"");
    bench["setup"]["signing"] = json!({ "on": true, "roles": [
        role("holder", 1, person("Wil Haven", "wil@berth.example")),
        role("harbour", 2, person("Ida Kelling", "ida@brackwater-quay.example")),
    ] });
    let kept = ["name", "template_id", "sheet_id", "setup", "revision"].map(|name| (name.to_owned(), bench[name].clone()));
    ask("PUT", &dispatch, Some(Value::Object(kept.into_iter().collect())))?;

    // Two channels, each after signing.
    let b = Browser::open(&program.address).await?;
    b.go(&format!("/dispatches/{key}/channels")).await?;
    for (at, kind) in ["Folder", "CRM"].into_iter().enumerate() {
        b.click("Add channel").await?;
        b.text("li[@role='menuitem']", kind).await?.click().await?;
        b.text(&format!("section[@aria-label='{kind}']//summary"), "When").await?.click().await?;
        b.text(&format!("section[@aria-label='{kind}']//label"), "After signing").await?.click().await?;
        let mut tries = 0;
        while ask("GET", &dispatch, None)?["setup"]["channels"][at]["moment"] != "after-signing" {
            tries += 1;
            ensure!(tries < 100, "{kind} is not after signing: {}", ask("GET", &dispatch, None)?["setup"]["channels"]);
            std::thread::sleep(std::time::Duration::from_millis(100));
        }
    }
    // A folder for each holder, and the case's stage moves.
    b.write("input[name=path]", "Holders/[: CaseID]").await?;
    b.click("Add field").await?;
    b.write("input[aria-label='Value of Stage']", "Signed").await?;
    let written = |bench: &Value| {
        let channel = |at: usize| &bench["setup"]["channels"][at]["channel"];
        channel(0)["path"] == "Holders/[: CaseID]" && channel(1)["fields"][0]["value"] == "Signed"
    };
    let mut tries = 0;
    while !written(&ask("GET", &dispatch, None)?) {
        tries += 1;
        ensure!(tries < 100, "the folder or the stage is not saved");
        std::thread::sleep(std::time::Duration::from_millis(100));
    }
    let bench = ask("GET", &dispatch, None)?;
    ensure!(bench["obstacles"] == json!([]), "{}", bench["obstacles"]);

    let run = ask("POST", &format!("{dispatch}/runs"), Some(json!({ "count": 1 })))?["id"].clone();
    wait(&program, &run, |run| run["signing"] == 1)?;
    let round = rounds(&program, &run)?[0].clone();
    link(&program, "wil@berth.example")?;
    let public = public(&program)?;
    sign(&program, &public, "wil@berth.example")?;
    // One has signed: nothing is delivered, and the CRM has not learnt of it.
    let item = ask("GET", &url(&format!("runs/{run}/items")), None)?[0].clone();
    let states: Vec<&Value> = item["deliveries"].as_array().into_iter().flatten().map(|own| &own["state"]).collect();
    ensure!(states[..2] == ["signing", "signing"], "{item}");
    let connections = ask("GET", &url("connections"), None)?;
    let crm = connections[0]["address"].as_str().context("a connection")?.trim_end_matches("/odata/").to_owned();
    let case = || tool("curl", &["-sSf", &format!("{crm}/cases/RC-0004")]);
    ensure!(!case().contains(".pdf"), "{}", case());
    sign(&program, &public, "ida@brackwater-quay.example")?;

    // Both have signed: the same sealed file is with both, in the folder and on the case.
    b.go(&format!("/signing?state=completed&round={}", round["id"])).await?;
    b.text("li", "sealed").await?;
    wait(&program, &run, |run| run["state"] == "done" && run["delivered"] == 1)?;
    let office = folder.path().join("harbour-office/Holders/RC-0004");
    let files: Vec<_> = std::fs::read_dir(&office)?.flatten().map(|own| own.path()).filter(|own| own.is_file()).collect();
    ensure!(files.len() == 1, "{files:?}");
    ensure!(tool("pdfsig", &["-nocert", &files[0].to_string_lossy()]).contains("Total document signed"), "{files:?}");
    let messages = ask("GET", &url("practice/mailbox"), None)?;
    let copies = |to: &str| {
        let all = messages.as_array().into_iter().flatten();
        all.filter(|own| own["subject"].as_str().is_some_and(|s| s.starts_with("Signed: ")) && own["to"].to_string().contains(to)).count()
    };
    ensure!((copies("wil@"), copies("ida@")) == (1, 1), "{messages}");
    let other = Browser::open(&crm).await?;
    other.go("/cases/RC-0004").await?;
    other.text("td", "Signed").await?;
    other.text("a", ".pdf").await?;
    other.close().await?;
    b.close().await
}
