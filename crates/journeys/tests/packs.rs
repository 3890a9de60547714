//! Journeys over what a dispatch makes: a pack of asked, picked and conditional parts, one document
//! for all records, another template by rule.

use anyhow::{Context, Result, ensure};
use mangle_journeys::{Browser, Program, ask, docx, picture, send_file};
use serde_json::{Value, json};

/// The words of each page of a document.
fn pages(folder: &std::path::Path, program: &Program, document: &Value) -> Result<Vec<String>> {
    let file = folder.join("document.pdf");
    let url = format!("{}/api/documents/{document}", program.address);
    ensure!(std::process::Command::new("curl").args(["-sS", "-o"]).arg(&file).arg(&url).status()?.success(), "{url}");
    let said = std::process::Command::new("pdftotext").arg("-layout").arg(&file).arg("-").output()?;
    let said = String::from_utf8_lossy(&said.stdout).into_owned();
    Ok(said.split('\u{c}').map(|page| page.split_whitespace().collect::<Vec<_>>().join(" ")).filter(|page| !page.is_empty()).collect())
}

fn items(program: &Program, run: &Value) -> Result<Vec<Value>> {
    Ok(ask("GET", &format!("{}/api/runs/{run}/items", program.address), None)?.as_array().context("items")?.clone())
}

/// The run that a page shows.
async fn run_at(b: &Browser) -> Result<Value> {
    for _ in 0..200 {
        if let Some(run) = b.path().await?.strip_prefix("/runs/") {
            return Ok(json!(run.parse::<i64>()?));
        }
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
    anyhow::bail!("no run was started: {}", b.path().await?)
}

#[tokio::test(flavor = "multi_thread")]
async fn a_welcome_pack_is_put_together_asked_about_and_made() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let program = Program::demo(folder.path())?;
    let (map, rules) = (folder.path().join("Map.docx"), folder.path().join("Bridge times.pdf"));
    docx(&map, "Map of pontoon [: pontoon]")?;
    std::fs::copy("../../demo/harbour-rules.pdf", &rules)?;
    send_file(&format!("{}/api/templates", program.address), &map)?;

    // A pack of one's own: a template, a fixed PDF, and a part that is asked about.
    let b = Browser::open(&program.address).await?;
    b.go("/templates").await?;
    b.click("New pack").await?;
    b.write("[aria-label='Name']", "Season pack").await?;
    b.click("Create pack").await?;
    b.text("p", "A pack combines several documents").await?;
    b.choose("Add template or pack", "welcome-licence").await?;
    b.text("b", "welcome-licence").await?;
    b.give("Add PDF or picture", &[&rules]).await?;
    b.text("b", "Bridge times").await?;
    b.choose("Add template or pack", "Map").await?;
    b.choose("Include", "Ask before the run").await?;
    b.text("span", "asked before the run").await?;
    b.click("Save pack").await?;
    b.text("p", "is in use").await?;
    b.text("span", "In use").await?;

    // The demo's pack is chosen by conditions; this one asks.
    let dispatches = format!("{}/api/dispatches", program.address);
    let bench = ask("GET", &format!("{dispatches}/welcome-packs"), None)?;
    ensure!(bench["obstacles"] == json!([]) && bench["questions"] == json!([]), "{bench}");
    b.go("/dispatches/welcome-packs/template").await?;
    b.choose("Template", "Season pack").await?;
    b.text("h3", "Parts to choose").await?;
    b.choose("Map", "Included").await?;
    let count = bench["records"].as_array().context("records")?.len();
    b.go("/dispatches/welcome-packs/run").await?;
    b.click(&format!("Run {count} documents")).await?;
    b.text("span", "Hold until released").await?.click().await?;
    b.text("footer//button", &format!("Run {count} documents")).await?.click().await?;
    let run = run_at(&b).await?;
    mangle_journeys::wait(&program, &run, |run| run["blocked"] == count)?;
    let made = items(&program, &run)?;
    let said = pages(folder.path(), &program, &made[0]["documents"][0]["id"])?;
    ensure!(said.len() == 4 && said[3].starts_with("Map of pontoon"), "{said:?}");

    // The demo's own pack: each record's electricity, and living aboard only where they do.
    b.go("/dispatches/welcome-packs/template").await?;
    b.choose("Template", "Welcome pack").await?;
    b.gone("h3", "Parts to choose").await?;
    let bench = ask("GET", &format!("{dispatches}/welcome-packs"), None)?;
    let row = &bench["records"][0]["row"];
    let page = ask("GET", &format!("{dispatches}/welcome-packs/pages/{row}"), None)?;
    ensure!(
        page["count"].as_u64().is_some_and(|count| count >= 6),
        "cover, contents, licence, two of rules, electricity: {}",
        page["count"]
    );
    picture(&b, "pack").await?;
    b.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_signature_field_is_placed_on_the_page_of_a_pdf_and_moved_by_keyboard() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let program = Program::demo(folder.path())?;
    let rules = folder.path().join("Bridge times.pdf");
    std::fs::copy("../../demo/harbour-rules.pdf", &rules)?;
    let b = Browser::open(&program.address).await?;
    b.go("/templates").await?;
    b.click("New pack").await?;
    b.write("[aria-label='Name']", "Rules to sign").await?;
    b.click("Create pack").await?;
    b.give("Add PDF or picture", &[&rules]).await?;
    b.text("b", "Bridge times").await?;
    b.click("Signature fields…").await?;
    b.find("img[alt='Page 2']").await?;
    b.click("Add field").await?;
    b.write("[aria-label='Placeholder of field 1']", "[: name]").await?;
    b.text("small", "is not a signature field").await?;
    b.write("[aria-label='Placeholder of field 1']", "[:signer holder initials]").await?;
    b.gone("small", "is not a signature field").await?;
    // A millimetre to the right, a centimetre up.
    let field = b.find("[aria-label='Field 1: initials for holder']").await?;
    let before = field.attr("style").await?;
    field.send_keys("\u{e014}").await?;
    field.send_keys("\u{e008}\u{e013}").await?;
    ensure!(field.attr("style").await? != before, "it did not move");
    // Another wherever a text is.
    b.click("Add field").await?;
    b.write("[aria-label='Marker text of field 2']", "nowhere at all").await?;
    b.text("small", "is on no page of the PDF").await?;
    b.write("[aria-label='Marker text of field 2']", "In the yard").await?;
    b.find("[aria-label='Field 2: initials for holder']").await?;
    b.gone("small", "is on no page of the PDF").await?;
    b.click("Done").await?;
    b.text("span", "2 fields").await?;
    b.click("Save pack").await?;
    b.text("p", "is in use").await?;
    let all = ask("GET", &format!("{}/api/templates", program.address), None)?;
    let id = all.as_array().and_then(|all| all.iter().find(|own| own["name"] == "Rules to sign")).context("the pack")?["id"].clone();
    let pack = ask("GET", &format!("{}/api/templates/{id}", program.address), None)?["pack"].clone();
    let field = &pack["parts"][0]["content"]["fields"][0];
    ensure!((&field["page"], &field["left"]) == (&json!(2), &json!(260)), "{pack}");
    ensure!(field["top"].as_u64().is_some_and(|top| top % 10 == 0 && top > 1500), "{pack}");
    let marked = &pack["parts"][0]["content"]["fields"][1];
    ensure!((&marked["marker"], &marked["left"], &marked["top"]) == (&json!("In the yard"), &json!(0), &json!(0)), "{pack}");
    b.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn two_templates_by_rule_and_one_document_for_all() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let program = Program::demo(folder.path())?;
    let sail = folder.path().join("Sail.docx");
    docx(&sail, "Dear sailor of [: boat name]")?;
    send_file(&format!("{}/api/templates", program.address), &sail)?;
    let b = Browser::open(&program.address).await?;
    b.go("/dispatches/balance-reminders/template").await?;
    b.click("Add rule").await?;
    b.write("[aria-label='Condition of rule 1']", "type = \"sail\"").await?;
    b.choose("Template of rule 1", "Sail").await?;
    b.text("span", "records").await?;
    let api = format!("{}/api/dispatches/balance-reminders", program.address);
    let mut bench = Value::Null;
    for _ in 0..100 {
        bench = ask("GET", &api, None)?;
        if bench["taken_by_rules"][0].as_u64().is_some_and(|taken| taken > 0) {
            break;
        }
        std::thread::sleep(std::time::Duration::from_millis(100));
    }
    let (taken, others) =
        (bench["taken_by_rules"][0].as_u64().unwrap_or_default(), bench["taken_by_rules"][1].as_u64().unwrap_or_default());
    ensure!(
        taken > 0 && others > 0 && taken + others == bench["records"].as_array().map_or(0, |all| all.len() as u64),
        "{}",
        bench["taken_by_rules"]
    );
    let mut of_rule = 0;
    for record in bench["records"].as_array().context("records")?.iter().take(8) {
        let page = ask("GET", &format!("{api}/pages/{}", record["row"]), None)?;
        of_rule += usize::from(page.to_string().contains("Dear sailor"));
    }
    ensure!(of_rule > 0 && of_rule < 8, "{of_rule} of 8 take the rule's template");

    // One document of all berths, made and stored.
    b.go("/dispatches/berth-list/output").await?;
    b.text("span", "One for all").await?;
    b.go("/dispatches/berth-list/run").await?;
    b.click("Run 1 document").await?;
    b.text("footer//button", "Run 1 document").await?.click().await?;
    let run = run_at(&b).await?;
    mangle_journeys::wait(&program, &run, |run| run["state"] == "done" && run["delivered"] == 1)?;
    let made = items(&program, &run)?;
    let said = pages(folder.path(), &program, &made[0]["documents"][0]["id"])?;
    ensure!(said.len() > 2 && said.concat().contains("La Golondrina de Invierno"), "{} pages", said.len());
    b.close().await
}
