//! Documents that leave by a link or are told of by a web hook: set up by mouse, read on a
//! telephone, withdrawn.

use anyhow::{Context, Result};
use mangle_journeys::{Answer, Browser, Program, ask, picture, reminders, wait, web_hook};
use serde_json::{Value, json};

const DISPATCH: &str = "/dispatches/balance-reminders";

/// The demo's letter over three records, all names mapped, with its link in the message.
fn three_letters(program: &Program) -> Result<()> {
    let three = |body: &mut Value| {
        body["setup"]["channels"][0]["channel"]["body"] = json!("Read it at [: document.link]\nPasscode: [: document.passcode]\n");
        body["setup"]["filter"] = json!("ref in (\"BQ-0012\"; \"BQ-0031\"; \"BQ-0047\")");
    };
    reminders(program, three).map(drop)
}

async fn run(b: &Browser, program: &Program) -> Result<Value> {
    b.go(&format!("{DISPATCH}/run")).await?;
    b.click("Run 3 documents").await?;
    b.text("footer//button", "Run 3 documents").await?.click().await?;
    b.text("span", "3 of 3 documents delivered").await?;
    let run = ask("GET", &format!("{}/api/runs", program.address), None)?[0]["id"].clone();
    wait(program, &run, |r| r["state"] == "done")?;
    Ok(run)
}

#[tokio::test(flavor = "multi_thread")]
async fn a_letter_is_read_on_a_telephone_under_its_link_until_it_is_withdrawn() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let program = Program::demo(folder.path())?;
    three_letters(&program)?;
    let b = Browser::open(&program.address).await?;
    b.go(&format!("{DISPATCH}/channels")).await?;
    b.click("Add channel").await?;
    b.text("li[@role='menuitem']", "Share link").await?.click().await?;
    b.choose("Passcode", "Six digits, made for each record").await?;
    b.text("dd", "/d/example").await?;
    b.text("small", "E-mail, Share link").await?;
    let run = run(&b, &program).await?;
    let items = ask("GET", &format!("{}/api/runs/{run}/items", program.address), None)?;
    let item = &items[0];
    let link = item["deliveries"].as_array().and_then(|all| all.iter().find(|one| one["kind"] == "link")).context("a link")?;
    let address = link["recipient"].as_str().context("an address")?;
    let (public, path) = address.split_at(address.find("/d/").context("a path")?);

    let telephone = Browser::telephone(public).await?;
    telephone.go(path).await?;
    telephone.write("input[name=passcode]", "0000").await?;
    telephone.click("Open document").await?;
    telephone.text("p", "This is not the passcode.").await?;
    // The office tells it to whoever it knows.
    let row = &item["row"];
    let told = ask("GET", &format!("{}/api{DISPATCH}/pages/{row}", program.address), None)?.to_string();
    assert!(told.contains("123456"), "a preview has an example alone: {told}");
    let passcode = passcode(&program, path)?;
    telephone.write("input[name=passcode]", &passcode).await?;
    telephone.keys("\u{e007}").await?;
    telephone.text("span", "Page 1 of ").await?;
    // The words of the page are there for whoever can't see it.
    telephone.find(".textLayer span").await?;
    telephone.text("a", "Download PDF").await?;
    picture(&telephone, "shared-document").await?;

    let label = item["label"].as_str().unwrap_or_default();
    b.go(&format!("/runs/{run}")).await?;
    b.text("button", label).await?.click().await?;
    b.text("li", "Share link: Opened").await?;
    b.text("li", "Share link: Wrong passcode").await?;
    b.click("Withdraw").await?;
    b.text("p", "The link stops working for good.").await?;
    b.click("Withdraw link").await?;
    b.text("li", "Share link: Withdrawn").await?;
    telephone.go(path).await?;
    telephone.text("p", "Brackwater Quay has withdrawn this document.").await?;
    // Nothing of the office is on the public side.
    telephone.go("/runs").await?;
    telephone.text("p", "This page does not exist.").await?;
    telephone.close().await?;
    b.close().await
}

/// The passcode in the message that names a link.
fn passcode(program: &Program, path: &str) -> Result<String> {
    let mailbox = format!("{}/api/practice/mailbox", program.address);
    let all = ask("GET", &mailbox, None)?;
    for one in all.as_array().context("messages")? {
        let message = ask("GET", &format!("{mailbox}/{}", one["number"]), None)?;
        let text = message["text"].as_str().unwrap_or_default();
        if text.contains(path) {
            let (_, rest) = text.split_once("Passcode: ").context("a passcode")?;
            return Ok(rest.chars().take(6).collect());
        }
    }
    anyhow::bail!("no message names {path}")
}

#[tokio::test(flavor = "multi_thread")]
async fn another_program_is_told_of_each_document() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let program = Program::demo(folder.path())?;
    three_letters(&program)?;
    let (port, noted) = web_hook(|_| Answer::Takes)?;
    let b = Browser::open(&program.address).await?;
    b.go(&format!("{DISPATCH}/channels")).await?;
    b.click("Remove").await?;
    b.click("Add channel").await?;
    b.text("li[@role='menuitem']", "Web hook").await?.click().await?;
    b.write("input[name=url]", "http://127.0.0.1:1/").await?;
    b.text("button", "Fix 1 problem").await?;
    b.write("input[name=url]", &format!("http://localhost:{port}/hook")).await?;
    b.text("button", "Run 3 documents").await?;
    b.click("Test").await?;
    b.text("p", "200 OK: noted.").await?;
    b.click("Add value").await?;
    b.write("input[aria-label='Name of value 1']", "reference").await?;
    b.write("input[aria-label='Text of value 1']", "[: ref]").await?;
    b.text("dt", "reference").await?;
    run(&b, &program).await?;
    let told = noted.lock().map(|noted| noted.clone()).unwrap_or_default();
    let made: Vec<&str> = told.iter().filter_map(|one| one.body["data"]["values"]["reference"].as_str()).collect();
    assert_eq!((told.len(), made.len()), (4, 3), "a test and three letters: {told:?}");
    b.go("/settings").await?;
    b.text("summary", "Web hooks").await?.click().await?;
    b.text("td", "200 OK: noted").await?;
    b.close().await
}
