//! Signing as people do it: a holder on a telephone, the harbour master with a queue, the office
//! with an address that was wrong.

use anyhow::{Context, Result, ensure};
use mangle_journeys::{Browser, Program, ask, licences, picture, wait};
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
        let address = one["signers"][0]["email"].as_str().context("an address")?;
        let path = format!("{public}/api/signer/{}", link(&program, address)?.trim_start_matches("/s/"));
        let now = ask("POST", &format!("{path}/open"), Some(json!({})))?;
        let mut values = serde_json::Map::new();
        for field in now["fields"].as_array().context("fields")?.iter().filter(|field| field["kind"] == "text") {
            values.insert(field["number"].to_string(), json!("Wil Haven"));
        }
        let input = json!({ "key": now["key"], "consent": true, "signature": { "typed": now["name"] }, "initials": { "typed": "x" }, "values": values });
        ask("POST", &format!("{path}/sign"), Some(input))?;
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
