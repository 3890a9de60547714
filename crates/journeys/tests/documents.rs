//! Single cases, and everything that was made: a quote held and edited, found and sent again; a person
//! erased; a month counted; a set-up that goes to another Mangle; an example to begin with.

use std::path::Path;
use std::process::Command;
use std::time::Instant;

use anyhow::{Context, Result, ensure};
use mangle_journeys::{Browser, Program, ask, picture, wait};
use serde_json::{Value, json};

/// Changes a paragraph of a DOCX by a library that no one here wrote.
fn edit(from: &Path, to: &Path, old: &str, new: &str) -> Result<()> {
    let script = "import sys, docx
d = docx.Document(sys.argv[1])
for p in d.paragraphs:
    if sys.argv[3] in p.text:
        p.text = p.text.replace(sys.argv[3], sys.argv[4])
d.save(sys.argv[2])";
    let python = std::env::var("MANGLE_PYTHON").context("run this through `make test`, which sets MANGLE_PYTHON")?;
    let done = Command::new(python).args(["-c", script]).arg(from).arg(to).args([old, new]).output()?;
    ensure!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
    Ok(())
}

fn bytes(url: &str) -> Result<Vec<u8>> {
    let done = Command::new("curl").args(["-sSf", url]).output()?;
    ensure!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
    Ok(done.stdout)
}

/// How many messages to an address lie in the practice mailbox, once there are so many.
fn mails(program: &Program, to: &str, least: usize) -> Result<usize> {
    let mut count = 0;
    for _ in 0..60 {
        let all = ask("GET", &format!("{}/api/practice/mailbox", program.address), None)?;
        count = all.as_array().context("messages")?.iter().filter(|one| one.to_string().contains(to)).count();
        if count >= least {
            break;
        }
        std::thread::sleep(std::time::Duration::from_millis(100));
    }
    Ok(count)
}

#[tokio::test(flavor = "multi_thread")]
async fn a_quote_is_held_edited_released_found_by_a_name_and_sent_again() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let program = Program::demo(folder.path())?;
    let b = Browser::open(&program.address).await?;
    let bench = ask("GET", &format!("{}/api/dispatches/refit-quotes", program.address), None)?;
    let row = bench["records"][0]["row"].as_u64().context("a record")?;
    // From the record itself.
    b.go(&format!("/sheets/{}/row/{row}", bench["sheet_id"])).await?;
    b.click("Refit quotes").await?;
    b.text("h2", "What happens").await?;
    b.find("aside img, aside svg").await?;
    picture(&b, "one-record").await?;
    b.click("Create and hold").await?;
    b.text("h2", "Versions").await?;
    let path = b.path().await?;
    let item = path.rsplit('/').next().context("an item")?.to_owned();
    let detail = ask("GET", &format!("{}/api/items/{item}", program.address), None)?;
    let to = detail["item"]["deliveries"][0]["recipient"].as_str().context("an address")?.to_owned();
    ensure!(detail["document"]["state"] == "blocked", "{detail}");

    let (old, new) = (folder.path().join("quote.docx"), folder.path().join("edited.docx"));
    std::fs::write(&old, bytes(&format!("{}/api/items/{item}/docx", program.address))?)?;
    edit(&old, &new, "Thank you for asking us.", "Thank you for asking us again.")?;
    b.give("Upload edited DOCX", &[&new]).await?;
    b.text("ins", "again").await?;
    b.text("p", "Edited PDF").await?;
    ensure!(mails(&program, &to, 0)? == 0, "it was held");
    b.text("span", "Page 1 of").await?;
    picture(&b, "document").await?;
    b.click("Release").await?;
    ensure!(mails(&program, &to, 1)? == 1, "one message");
    b.text("section", "Delivered").await?;

    // Found by a part of the recipient's name, and sent again after the deliberate yes.
    b.go("/documents").await?;
    b.write("input[aria-label=Find]", &to[..5]).await?;
    let name = detail["document"]["file_name"].as_str().context("a name")?;
    b.text("a", name).await?.click().await?;
    b.click("Send again…").await?;
    b.text("p", &format!("was delivered to {to}")).await?;
    b.click("Send it again").await?;
    ensure!(mails(&program, &to, 2)? == 2, "two messages");

    // Without questions it is one click, and a question only before a second document.
    b.go("/dispatches/refit-quotes/output").await?;
    b.text("h3", "Single records").await?.click().await?;
    b.text("label", "Create and send without questions").await?.click().await?;
    let without =
        || anyhow::Ok(ask("GET", &format!("{}/api/dispatches/refit-quotes", program.address), None)?["setup"]["without_questions"] == true);
    for tries in 0.. {
        ensure!(tries < 100, "it is not saved");
        if without()? {
            break;
        }
        std::thread::sleep(std::time::Duration::from_millis(50));
    }
    let other = bench["records"][1].clone();
    for (record, asked) in [(other["row"].as_u64(), false), (Some(row), true)] {
        b.go(&format!("/sheets/{}/row/{}", bench["sheet_id"], record.context("a row")?)).await?;
        b.click("Create and send").await?;
        if asked {
            b.text("p", "has already created a document").await?;
            b.find(".el-message-box__btns .destroys").await?.click().await?;
        }
        b.text("h2", "Versions").await?;
        ensure!(b.path().await?.starts_with("/documents/"), "{}", b.path().await?);
    }
    ensure!(mails(&program, &to, 3)? == 3, "three messages");
    b.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn everything_is_found_counted_and_a_person_erased() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let program = Program::demo_with_history(folder.path())?;
    let b = Browser::open(&program.address).await?;
    b.go("/documents").await?;
    b.text("a", "Berth list").await?;
    picture(&b, "documents").await?;
    b.choose("Dispatch", "Refit quotes").await?;
    b.gone("a", "Berth list").await?;
    b.go("/documents?find=nobody-of-this-name").await?;
    b.text("h2", "No documents match").await?;

    // A person's documents and a setting are found from everywhere.
    let known = ask("GET", &format!("{}/api/documents?dispatch=refit-quotes&state=delivered", program.address), None)?;
    let name = known["documents"][0]["file_name"].as_str().context("a name")?.to_owned();
    b.keys("\u{e009}k").await?;
    b.find("input[aria-label=Search]:focus").await?;
    b.write("input[aria-label=Search]", known["documents"][0]["recipients"].as_str().context("an address")?).await?;
    b.text("li", &name).await?;
    b.write("input[aria-label=Search]", "trays").await?;
    b.text("li", "Printers: trays, paper").await?.click().await?;
    b.text("h2", "Printers").await?;
    ensure!(b.path().await?.starts_with("/settings"), "{}", b.path().await?);

    b.go("/ledger").await?;
    b.find(".chart svg path").await?;
    b.text("h2", "What failed most").await?;
    picture(&b, "ledger").await?;
    let ledger = ask("GET", &format!("{}/api/ledger", program.address), None)?;
    b.text("dd", &ledger["all"]["documents"].to_string()).await?;
    b.click("Channel").await?;
    b.text("td", "E-mail").await?;

    let found = ask("GET", &format!("{}/api/documents?dispatch=refit-quotes&state=delivered", program.address), None)?;
    let address = found["documents"][0]["recipients"].as_str().context("an address")?.to_owned();
    b.go("/personal-data").await?;
    b.write("input[aria-label=Person]", &address).await?;
    b.text("button", "Find").await?.click().await?;
    b.click("Select all").await?;
    b.write("input[aria-label=Note]", "request 12").await?;
    b.text("button", "Erase").await?.click().await?;
    b.text("p", "They are gone for good").await?;
    b.text("button", "Erase").await?;
    b.find(".el-message-box__btns .destroys").await?.click().await?;
    b.text("td", "request 12").await?;
    let after = ask("POST", &format!("{}/api/persons", program.address), Some(json!({ "text": address })))?;
    ensure!(after["rows"] == json!([]) && after["documents"] == json!([]), "{after}");
    b.go(&format!("/documents/{}", found["documents"][0]["item"])).await?;
    b.text("h2", "This document was removed").await?;
    b.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_set_up_goes_to_an_empty_mangle_and_runs_there() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let (one, two) = (folder.path().join("test"), folder.path().join("live"));
    let (test, file) = (Program::demo(&one)?, folder.path().join("set-up.zip"));
    let body = folder.path().join("body.json");
    std::fs::write(&body, json!({ "dispatches": ["balance-reminders"] }).to_string())?;
    let data = format!("@{}", body.display());
    let done = Command::new("curl")
        .args(["-sSf", "-H", "content-type: application/json", "-d", &data, "-o"])
        .arg(&file)
        .arg(format!("{}/api/moves/export", test.address))
        .status()?;
    ensure!(done.success(), "exported");
    drop(test);
    let live = Program::start(&["serve", "--folder", two.to_str().context("a path")?, "--port", "0", "--practice-port", "0"])?;
    mangle_journeys::send_file(&format!("{}/api/sources", live.address), &mangle_journeys::repository().join("demo/season.xlsx"))?;
    let b = Browser::open(&live.address).await?;
    b.go("/dispatches").await?;
    b.text("h2", "Or start from an example").await?;
    b.click("Import set-up").await?;
    b.give("Choose set-up file", &[&file]).await?;
    b.text("td", "Balance reminders").await?;
    b.text("h2", "Missing here").await?;
    b.choose("Records of Balance reminders", "season, Holders").await?;
    b.click("Import").await?;
    b.find(".proof").await?;
    ensure!(b.path().await?.starts_with("/dispatches/balance-reminders"), "{}", b.path().await?);
    // What was missing is added, and it runs.
    let mut settings = ask("GET", &format!("{}/api/settings", live.address), None)?;
    settings["office_name"] = json!("Brackwater Quay");
    settings["office_email"] = json!("office@brackwater-quay.example");
    ask("PUT", &format!("{}/api/settings", live.address), Some(settings))?;
    let path = format!("{}/api/dispatches/balance-reminders", live.address);
    let bench = mangle_journeys::reminders(&live, |_| {})?;
    let rows: Vec<&Value> = bench["records"].as_array().context("records")?.iter().map(|one| &one["row"]).collect();
    let one = ask("POST", &format!("{path}/one/{}", rows[0]), Some(json!({ "hold": true })))?;
    ensure!(one["id"].is_i64(), "{one}");
    let run = wait(&live, &one["id"], |run| run["blocked"] == 1)?;
    ensure!(run["failed"] == 0, "{run}");
    b.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn an_example_is_laid_out_and_run_within_a_minute() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let program = Program::demo(folder.path())?;
    let begun = Instant::now();
    let b = Browser::open(&program.address).await?;
    b.go("/dispatches").await?;
    b.click("Examples").await?;
    b.find("button[aria-label='Use Invoice with payment code']").await?.click().await?;
    b.find(".proof img, .proof svg").await?;
    let path = b.path().await?;
    let key = path.split('/').nth(2).context("a key")?.to_owned();
    b.go(&format!("/dispatches/{key}/preflight")).await?;
    b.click("Run 4 documents").await?;
    b.text("footer//button", "Run 4 documents").await?.click().await?;
    let runs = || ask("GET", &format!("{}/api/runs", program.address), None);
    let mut done = Value::Null;
    for _ in 0..200 {
        let all = runs()?;
        done = all.as_array().into_iter().flatten().find(|run| run["dispatch"] == key.as_str()).cloned().unwrap_or_default();
        if done["state"] == "done" {
            break;
        }
        std::thread::sleep(std::time::Duration::from_millis(100));
    }
    ensure!(done["delivered"] == 4, "{done}");
    ensure!(begun.elapsed().as_secs() < 60, "{:?}", begun.elapsed());
    b.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn an_order_with_lines_is_filled_in_on_a_telephone_and_becomes_an_invoice() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let program = Program::demo(folder.path())?;
    let address = &program.address;
    let form = ask("POST", &format!("{address}/api/forms"), Some(json!({ "name": "Chandlery order" })))?;
    let at = format!("{address}/api/forms/{}", form["id"]);
    let mut draft = form["draft"].clone();
    let field = |id: u32, kind: &str, name: &str, more: Value| {
        let mut field = json!({ "id": id, "kind": kind, "name": name, "label": name });
        field.as_object_mut().into_iter().for_each(|own| own.extend(more.as_object().cloned().unwrap_or_default()));
        field
    };
    draft["fields"] = json!([
        field(1, "text", "name", json!({ "required": true })),
        field(2, "rows", "lines", json!({ "required": true, "most": "5" })),
        field(3, "choice", "item", json!({ "group": 2, "required": true, "options": ["Rope", "Cleat"] })),
        field(4, "number", "quantity", json!({ "group": 2, "required": true, "least": "1" })),
        field(5, "computed", "price", json!({ "group": 2, "currency": "EUR", "formula": "if(item = \"Rope\"; 2.5; 8)" })),
        field(6, "computed", "amount", json!({ "group": 2, "currency": "EUR", "formula": "quantity * price" })),
        field(7, "computed", "total", json!({ "currency": "EUR", "formula": "sum(lines.(amount))" })),
    ]);
    let written = ask("PUT", &at, Some(draft))?;
    ensure!(written["problems"] == json!([]), "{written}");
    let open = ask("POST", &format!("{at}/open"), None)?;
    let template = folder.path().join("Chandlery invoice.docx");
    let text = "Invoice for [: name]: [:repeat for lines][: quantity] x [: item] at [: price as money \"EUR\"]; [:end]Total [: total as money \"EUR\"]";
    mangle_journeys::docx(&template, text)?;
    let template = mangle_journeys::send_file(&format!("{address}/api/templates"), &template)?;
    let made = json!({ "name": "Chandlery invoices", "template_id": template["id"], "sheet_id": open["sheet_id"], "filter": "" });
    let made = ask("POST", &format!("{address}/api/dispatches"), Some(made))?;
    let path = format!("{address}/api/dispatches/{}", made["key"].as_str().context("a key")?);
    let bench = ask("GET", &path, None)?;
    let mut setup = bench["setup"].clone();
    setup["channels"] = json!([]);
    setup["name"] = json!("Invoice [: name]");
    setup["triggers"] = json!([{ "id": 1, "on": true, "hold": false, "trigger": { "kind": "answer", "condition": "" } }]);
    let body = json!({
        "name": bench["name"], "template_id": bench["template_id"], "sheet_id": bench["sheet_id"], "setup": setup, "revision": bench["revision"]
    });
    let saved = ask("PUT", &path, Some(body))?;
    ensure!(saved["obstacles"] == json!([]), "{}", saved["obstacles"]);

    // The desk shows it as it will be.
    let b = Browser::open(address).await?;
    b.go(&format!("/forms/{}/2", form["id"])).await?;
    b.text("h2", "Rows").await?;
    b.text("section[@aria-label='Form preview']//button", "Add").await?;

    let link = open["address"].as_str().context("an address")?;
    let telephone = Browser::telephone(link).await?;
    telephone.client.goto(link).await?;
    telephone.write("#field-1", "Ada Quayle").await?;
    telephone.text("label", "Rope").await?.click().await?;
    telephone.write("#field-2-0-4", "12").await?;
    telephone.click("Add another").await?;
    telephone.find("[data-row='2-1'] input[value=Cleat]").await?.click().await?;
    telephone.write("#field-2-1-4", "0").await?;
    telephone.find("#field-2-1-4").await?.send_keys("\t").await?;
    telephone.text("p", "At least 1").await?;
    telephone.write("#field-2-1-4", "2").await?;
    telephone.text("output", "46.00").await?;
    telephone.find(".send").await?.click().await?;
    telephone.text("p", "Thank you").await?;
    telephone.close().await?;

    let mut found = Value::Null;
    for _ in 0..100 {
        found = ask("GET", &format!("{address}/api/documents?find=quayle%20invoice"), None)?["documents"][0].clone();
        if !found.is_null() {
            break;
        }
        std::thread::sleep(std::time::Duration::from_millis(100));
    }
    let detail = ask("GET", &format!("{address}/api/items/{}", found["item"]), None)?;
    let pdf = folder.path().join("invoice.pdf");
    std::fs::write(&pdf, bytes(&format!("{address}/api/documents/{}", detail["item"]["documents"][0]["id"]))?)?;
    let said = mangle_journeys::tool("pdftotext", &["-layout", pdf.to_str().context("a path")?, "-"]);
    let said = said.split_whitespace().collect::<Vec<_>>().join(" ");
    ensure!(said.contains("Invoice for Ada Quayle: 12 x Rope at €2.50; 2 x Cleat at €8.00; Total €46.00"), "{said}");
    b.close().await
}
