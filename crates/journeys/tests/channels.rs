//! Journeys over the channels: passes printed, a report attached to its case, a message written in
//! the editor, and one that comes back.

use std::path::Path;

use anyhow::{Context, Result, ensure};
use mangle_journeys::{Browser, Program, ask, tool, wait};
use serde_json::{Value, json};

/// The address of a dispatch in the API.
fn api(program: &Program, key: &str) -> String {
    format!("{}/api/dispatches/{key}", program.address)
}

/// Waits until what was done on the screen is saved.
fn saved(program: &Program, key: &str, is: impl Fn(&Value) -> bool) -> Result<Value> {
    for _ in 0..100 {
        let bench = ask("GET", &api(program, key), None)?;
        if is(&bench) {
            return Ok(bench);
        }
        std::thread::sleep(std::time::Duration::from_millis(100));
    }
    anyhow::bail!("what was done is not saved: {}", ask("GET", &api(program, key), None)?["setup"])
}

/// The run of a dispatch that a person has just started.
fn newest(program: &Program, key: &str) -> Result<Value> {
    for _ in 0..100 {
        let runs = ask("GET", &format!("{}/api/runs", program.address), None)?;
        if let Some(run) = runs.as_array().and_then(|all| all.iter().find(|run| run["dispatch"] == key)) {
            return Ok(run["id"].clone());
        }
        std::thread::sleep(std::time::Duration::from_millis(100));
    }
    anyhow::bail!("no run of {key} was started")
}

/// What is on a page of a practice service.
fn page(url: &str) -> String {
    tool("curl", &["-sS", "--fail", url])
}

#[tokio::test(flavor = "multi_thread")]
async fn dock_passes_are_printed_in_the_order_of_their_berths() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let program = Program::demo(folder.path())?;
    let b = Browser::open(&program.address).await?;
    b.go("/settings").await?;
    b.click("Check").await?;
    b.text("span[@role='status']", "Practice printer, ready").await?;
    b.go("/templates").await?;
    b.give("Upload template", &[Path::new("../../demo/dock-pass.docx")]).await?;
    b.text("*", "dock-pass").await?;
    let made = ask("POST", &format!("{}/api/dispatches", program.address), Some(json!({ "name": "Dock passes" })))?;
    let key = made["key"].as_str().context("a key")?.to_owned();
    b.go(&format!("/dispatches/{key}/template")).await?;
    b.choose("Template", "dock-pass").await?;
    let sheet = ask("GET", &api(&program, "balance-reminders"), None)?["sheet_id"].clone();
    let bench = saved(&program, &key, |bench| bench["template_id"].is_i64())?;
    let mut setup = bench["setup"].clone();
    setup["filter"] = json!("left is blank and berth is not blank and days overdue > 120");
    setup["name"] = json!("Pass [: berth]");
    let body = json!({ "name": bench["name"], "template_id": bench["template_id"], "sheet_id": sheet, "setup": setup });
    let bench = ask("PUT", &api(&program, &key), Some(body))?;
    let count = bench["records"].as_array().map_or(0, Vec::len);
    ensure!((2..40).contains(&count), "{count} records: {}", bench["obstacles"]);

    b.go(&format!("/dispatches/{key}/channels")).await?;
    b.click("Add channel").await?;
    b.text("li[@role='menuitem']", "Print").await?.click().await?;
    b.text("small", "Practice printer, ready").await?;
    b.choose("Paper", "A5").await?;
    b.choose("Tray", "tray-2").await?;
    b.write("input[name=order]", "berth").await?;
    b.click("One job for the whole run").await?;
    saved(&program, &key, |bench| {
        bench["setup"]["channels"][0]["channel"]["together"] == true && bench["setup"]["channels"][0]["channel"]["order"] == "berth"
    })?;
    b.go(&format!("/dispatches/{key}/run")).await?;
    b.click(&format!("Run {count} documents")).await?;
    b.text("footer//button", &format!("Run {count} documents")).await?.click().await?;
    let run = newest(&program, &key)?;
    wait(&program, &run, |r| r["state"] == "done")?;
    let items = ask("GET", &format!("{}/api/runs/{run}/items", program.address), None)?;
    for _ in 0..100 {
        if ask("GET", &format!("{}/api/items/{}/events", program.address, items[0]["id"]), None)?.to_string().contains("Printed") {
            break;
        }
        std::thread::sleep(std::time::Duration::from_millis(100));
    }
    b.go(&format!("/runs/{run}?at={}", items[0]["position"])).await?;
    b.text("li", "Print: Answer").await?;
    let uri =
        ask("GET", &format!("{}/api/settings", program.address), None)?["printers"][0]["uri"].as_str().context("a printer")?.to_owned();
    let jobs: Value = serde_json::from_str(&page(&uri.replace("ipp://", "http://").replace("/ipp/print", "/jobs")))?;
    let documents = jobs[0]["documents"].as_array().map_or(0, Vec::len);
    ensure!((jobs.as_array().map_or(0, Vec::len), documents) == (1, count), "{jobs}");
    ensure!(jobs[0]["media"].as_str().is_some_and(|media| media.contains("tray-2")), "{jobs}");
    b.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_report_is_attached_to_its_case_whose_stage_changes() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let program = Program::demo(folder.path())?;
    for _ in 0..300 {
        if ask("GET", &format!("{}/api/queries/7/fetch", program.address), None)?["state"] == "done" {
            break;
        }
        std::thread::sleep(std::time::Duration::from_millis(200));
    }
    let b = Browser::open(&program.address).await?;
    b.go("/sources").await?;
    b.click("Inspected cases").await?;
    b.click("records, fetched").await?;
    b.write("input[aria-label=Filter]", "CaseID = \"RC-0004\"\u{e007}").await?;
    b.text("td[@data-at='0 0']", "RC-0004").await?;
    b.click("Create dispatch for").await?;
    b.choose("Template", "survey-report").await?;
    let key = b.path().await?.split('/').nth(2).context("a dispatch")?.to_owned();
    saved(&program, &key, |bench| bench["template_id"].is_i64())?;
    b.go(&format!("/dispatches/{key}/channels")).await?;
    b.click("Add channel").await?;
    b.text("li[@role='menuitem']", "CRM").await?.click().await?;
    b.text("p", "Written onto the record of “Cases” in Practice CRM").await?;
    b.choose("Leave a note", "As Notes").await?;
    b.write("textarea[name=note]", "Survey report sent").await?;
    b.click("Add field").await?;
    // The first field that can be set.
    saved(&program, &key, |bench| bench["setup"]["channels"][0]["channel"]["fields"][0]["field"] == "Stage")?;
    b.write("input[aria-label='Value of Stage']", "Quoted").await?;
    saved(&program, &key, |bench| {
        let channel = &bench["setup"]["channels"][0]["channel"];
        channel["fields"][0]["value"] == "Quoted"
            && channel["note"]["text"] == "Survey report sent"
            && channel["attach"]["set"] == "Documents"
    })?;
    b.text("dd", "Quoted").await?;
    let bench = ask("GET", &api(&program, &key), None)?;
    let count = bench["records"].as_array().map_or(0, Vec::len);
    ensure!(count == 1 && bench["obstacles"] == json!([]), "{count} records: {}", bench["obstacles"]);
    let run = ask("POST", &format!("{}/runs", api(&program, &key)), Some(json!({ "count": count })))?;
    let done = wait(&program, &run["id"], |r| r["state"] == "done").with_context(|| run.to_string())?;
    ensure!(done["delivered"] == count, "{done}");
    let connections = ask("GET", &format!("{}/api/connections", program.address), None)?;
    let crm = connections[0]["address"].as_str().context("a connection")?.trim_end_matches("/odata/").to_owned();
    let other = Browser::open(&crm).await?;
    other.go("/cases/RC-0004").await?;
    other.text("td", "Quoted").await?;
    other.text("td", "Survey report sent").await?;
    other.text("a", ".pdf").await?;
    other.close().await?;
    b.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_message_is_written_with_a_picture_sent_and_comes_back() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let program = Program::demo(folder.path())?;
    let picture = folder.path().join("quay.png");
    image::RgbImage::from_pixel(120, 60, image::Rgb([60, 110, 150])).save(&picture)?;
    let b = Browser::open(&program.address).await?;
    b.go("/dispatches/balance-reminders/channels").await?;
    b.click("Formatted").await?;
    // What was plain stands in the editor, its placeholders as chips.
    b.text("span[contains(@class,'chip')]", "[: last name]").await?;
    b.find(".page").await?.click().await?;
    b.keys("\u{e009}\u{e010}\u{e000}").await?;
    b.keys("\u{e007}Berth [: berth] at ").await?;
    b.text("span[contains(@class,'chip')]", "[: berth]").await?;
    b.choose("Insert field", "office.name").await?;
    b.text("span[contains(@class,'chip')]", "[: office.name]").await?;
    b.give_to(".message input[type=file]", &picture).await?;
    b.find(".page img").await?;
    let bench = saved(&program, "balance-reminders", |bench| {
        let html = bench["setup"]["channels"][0]["channel"]["html"].as_str().unwrap_or_default();
        html.contains("[: berth] at [: office.name]") && html.contains("picture:quay.png")
    })?;
    let mut setup = bench["setup"].clone();
    setup["ties"]["harbour due"] = json!("Yearly fee");
    setup["filter"] = json!("ref = \"BQ-0012\"");
    let body = json!({ "name": bench["name"], "template_id": bench["template_id"], "sheet_id": bench["sheet_id"], "setup": setup });
    ask("PUT", &api(&program, "balance-reminders"), Some(body))?;
    b.go("/dispatches/balance-reminders/run").await?;
    b.click("Run 1 document").await?;
    b.text("footer//button", "Run 1 document").await?.click().await?;
    let run = newest(&program, "balance-reminders")?;
    wait(&program, &run, |r| r["state"] == "done")?;

    // It reads in the mailbox, and comes back from there.
    let newest = ask("GET", &format!("{}/api/practice/mailbox", program.address), None)?[0]["number"].clone();
    b.go(&format!("/practice/mailbox/{newest}")).await?;
    b.find("iframe[title='The message']").await?;
    b.click("Plain text").await?;
    b.text("pre", "at Brackwater Quay").await?;
    b.click("Bounce").await?;
    b.click("Send back").await?;
    wait(&program, &run, |r| r["failed"] == 1)?;
    b.go(&format!("/runs/{run}?at=1")).await?;
    b.text("*", "Bounced").await?;
    b.text("p", "550 5.1.1 no such user here").await?;
    // It had left once: whoever sends it again is asked first, and told to whom.
    b.click("Retry 1 failed").await?;
    b.text("p", "had already left once").await?;
    ensure!(ask("GET", &format!("{}/api/runs/{run}", program.address), None)?["failed"] == 1, "nothing is sent before the answer");
    b.click("Deliver again").await?;
    wait(&program, &run, |r| r["failed"] == 0 && r["state"] == "done")?;
    b.close().await
}
