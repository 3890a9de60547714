//! Journeys: a CRM is asked, and its cases become survey reports.

use anyhow::{Context, Result, ensure};
use mangle_journeys::{Browser, Program, ask, picture, tool, wait};
use serde_json::{Value, json};

/// The practice CRM of a program: where it is, without `odata/`.
fn practice(program: &Program) -> Result<String> {
    let all = ask("GET", &format!("{}/api/connections", program.address), None)?;
    let address = all[0]["address"].as_str().context("a connection")?;
    Ok(address.trim_end_matches("odata/").to_owned())
}

fn behave(program: &Program, how: Value) -> Result<()> {
    let (url, body) = (format!("{}behaviour", practice(program)?), how.to_string());
    tool("curl", &["-sS", "--fail", "-X", "PUT", &url, "-H", "Content-Type: application/json", "-d", &body]);
    Ok(())
}

/// Waits until the demo's cases have come.
fn fetched(program: &Program, query: i64) -> Result<()> {
    for _ in 0..300 {
        let now = ask("GET", &format!("{}/api/queries/{query}/fetch", program.address), None)?;
        if now["state"] == "done" {
            return Ok(());
        }
        std::thread::sleep(std::time::Duration::from_millis(200));
    }
    anyhow::bail!("the records did not come")
}

#[tokio::test(flavor = "multi_thread")]
async fn a_question_is_built_tried_fetched_and_stopped() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let program = Program::demo(folder.path())?;
    let b = Browser::open(&program.address).await?;
    b.go("/sources").await?;
    b.click("Connections").await?;
    b.text("b", "Practice CRM").await?.click().await?;
    b.write("input[aria-label='Search all']", "until").await?;
    b.text("td", "ValidUntil").await?;
    b.gone("td", "LastName").await?;
    b.click("New query").await?;

    // Fields are ticked, also along relations and in lists; records show at once.
    b.choose("Entity", "Refit case (Cases)").await?;
    b.text("h2", "No fields selected").await?;
    b.find("input[aria-label=CaseID]").await?.click().await?;
    b.text("td", "RC-0001").await?;
    b.write("input[aria-label='Search fields']", "last name").await?;
    b.find("input[aria-label='Contact/LastName']").await?.click().await?;
    b.text("div", "LastName").await?;
    b.write("input[aria-label='Search fields']", "caption").await?;
    b.find("input[aria-label=Caption]").await?.click().await?;
    b.text("b", "Defects › Photographs").await?;
    b.write("input[aria-label='Search fields']", " ").await?;
    b.write("input[aria-label=Filter]", "stgae = \"Quoted\"").await?;
    b.text("span[@role='alert']", "Did you mean “Stage”?").await?;
    b.write("input[aria-label=Filter]", "stage = \"Quoted\"").await?;
    b.gone("span[@role='alert']", "did you mean").await?;
    b.write("input[aria-label=Name]", "Quoted cases").await?;
    b.click("Save and fetch").await?;
    b.click("records, fetched").await?;
    b.text("td[@data-at='0 0']", "RC-").await?;

    // A slow service: progress, and a stop that leaves all as it was.
    behave(&program, json!({ "latency": 700, "page": 4 }))?;
    let sheet = b.path().await?;
    b.click("Edit or refresh").await?;
    b.click("Refresh").await?;
    b.text("span[@role='status']", "of").await?;
    b.click("Stop").await?;
    b.text("span", "Stopped. Records unchanged.").await?;
    behave(&program, json!({}))?;
    b.go(&sheet).await?;
    b.text("td[@data-at='0 0']", "RC-").await?;

    // Nothing new at the CRM: told so.
    b.go("/connections/1").await?;
    b.click("Check for schema changes").await?;
    b.text("b", "No changes.").await?;
    b.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn cases_with_defects_and_photographs_become_survey_reports() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let program = Program::demo(folder.path())?;
    fetched(&program, 7)?;
    let b = Browser::open(&program.address).await?;
    b.go("/sources").await?;
    b.click("Inspected cases").await?;
    b.text("td", "RC-0004").await?;
    picture(&b, "crm-query").await?;
    b.click("records, fetched").await?;
    b.text("td[@data-at='0 0']", "RC-0002").await?;
    b.write("input[aria-label=Filter]", "count(defects where count(photographs) > 1) > 0\u{e007}").await?;
    b.text("td[@data-at='0 0']", "RC-0004").await?;
    b.click("Create dispatch for").await?;
    b.choose("Template", "survey-report").await?;
    let key = b.path().await?.split('/').nth(2).context("a dispatch")?.to_owned();
    let page = ask("GET", &format!("{}/api/dispatches/{key}", program.address), None)?;
    let count = page["records"].as_array().map_or(0, Vec::len);
    ensure!(count > 0 && count < 30, "{count} records");

    // The first report: its defects, each with its photographs.
    let run = ask("POST", &format!("{}/api/dispatches/{key}/runs", program.address), Some(json!({ "count": count })))?;
    b.go(&format!("/runs/{}", run["id"])).await?;
    b.text("*", "RC-0004").await?;
    let done = wait(&program, &run["id"], |r| r["state"] == "done")?;
    let file = folder.path().join("reports.pdf");
    tool("curl", &["-sS", "-o", &file.to_string_lossy(), &format!("{}/api/runs/{}/documents.pdf", program.address, done["id"])]);
    let text = tool("pdftotext", &["-layout", &file.to_string_lossy(), "-"]);
    ensure!(text.contains("Survey report RC-0004") && text.contains("Chafed halyard, view 2"), "{text}");
    let images = tool("pdfimages", &["-list", &file.to_string_lossy()]);
    let large = images.lines().skip(2).filter(|l| l.contains("image")).count();
    ensure!(large >= count, "{images}");
    b.close().await
}
