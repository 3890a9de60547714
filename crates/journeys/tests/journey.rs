//! Journeys: what a person does, from a sheet and a letter to delivered letters.

use std::path::Path;
use std::time::Duration;

use anyhow::Result;
use fantoccini::Locator;
use mangle_journeys::{Browser, Program, picture, repository};

#[tokio::test(flavor = "multi_thread")]
async fn from_the_demo_world_to_delivered_letters() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let program = Program::demo(folder.path())?;
    let b = Browser::open(&program.address).await?;

    // Sources: the sheet, its types, a filter that is kept.
    b.go("/sources").await?;
    b.text("b", "season").await?;
    b.click("Holders").await?;
    b.text("td", "BQ-0003").await?;
    b.find("select[aria-label=\"Type of Berth\"]").await?.select_by_value("yes/no").await?;
    b.text("small", "214 invalid").await?;
    b.find("select[aria-label=\"Type of Berth\"]").await?.select_by_value("text").await?;
    b.find("input[aria-label=Filter]").await?.send_keys("balance > 1000 and left is blank\u{e007}").await?;
    b.click("Save filter").await?;
    b.find("input[aria-label=\"Filter name\"]").await?.send_keys("Owes much\u{e007}").await?;
    b.text("button", "Owes much").await?;
    b.click("Overdue by more than 30 days").await?;
    b.text("button", "Create dispatch for 63").await?;
    b.client.execute("document.querySelector(\"[aria-label^=Records]\").scrollLeft = 0", vec![]).await?;
    picture(&b, "sheet").await?;
    b.go("/sheets/1/column/new").await?;
    b.write("input[aria-label=\"Name\"]", "Insurance runs out in").await?;
    b.write("input[aria-label=Formula]", "insurance until - today").await?;
    b.text("p", "Result: number").await?;
    picture(&b, "computed-column").await?;

    // Templates: placeholders with their places; a broken letter tells its problems.
    b.go("/templates/1/placeholders").await?;
    b.text("td", "[: mobile else home phone]").await?;

    // The bench: the open tie, the page, stepping, findings.
    b.go("/dispatches/balance-reminders/mapping").await?;
    b.text("span", "1 not mapped").await?;
    b.choose("Column for harbour due", "Yearly fee").await?;
    b.text("span", "All mapped").await?;
    b.find(".desk img").await?;
    b.text("b", "1 of 63").await?;
    b.client.find(Locator::Css("body")).await?.send_keys("\u{e014}").await?;
    b.text("b", "2 of 63").await?;
    b.client.find(Locator::Css("body")).await?.send_keys("f").await?;
    b.text("li", "joerg.brueckner@").await?;
    b.go("/dispatches/balance-reminders/mapping?row=214").await?;
    b.text("span", "Marijke van der Zwaluw").await?;
    b.find(".desk img").await?;
    picture(&b, "dispatch").await?;
    b.click("Output").await?;
    b.text("small", "For this record: Reminder BQ-0214").await?;
    b.click("Channels").await?;
    b.text("dd", "Your berth C14 at Brackwater Quay").await?;
    picture(&b, "channels").await?;

    // Proofs go to the person and to nobody else.
    b.click("Send proofs to me").await?;
    b.click("Send 1 proof").await?;
    b.text("span", "Done").await?;
    b.text("td", "to ida@brackwater-quay.example").await?;

    // Preflight: the finding is left out by a click.
    b.go("/dispatches/balance-reminders/preflight").await?;
    b.text("span", "1 record with findings").await?;
    picture(&b, "preflight").await?;
    b.click("Leave out 1 record").await?;
    b.text("p", "62 records checked").await?;

    // The run, with its number; the page may be closed.
    b.click("Run 62 documents").await?;
    b.text("p", "can’t be recalled").await?;
    b.text("footer//button", "Run 62 documents").await?.click().await?;
    b.text("h1", "Balance reminders").await?;
    b.go("/sources").await?;
    b.go("/runs").await?;
    b.click("Balance reminders").await?;
    b.text("span", "62 of 62 documents delivered").await?;
    b.text("button", "Delivered 62").await?;
    b.text("td", "to alder.brandauer7@letter.example").await?;
    picture(&b, "run").await?;

    // The practice mailbox shows the messages, attachments included.
    b.click("Practice mailbox").await?;
    b.text("b", "marijke@zwaluw.example").await?.click().await?;
    b.text("pre", "Dear Mevrouw van der Zwaluw").await?;
    b.text("a", "Reminder BQ-0214.pdf").await?;

    // Back in the source each row shows its last document.
    b.go("/sheets/1?filter=ref%20%3D%20%22BQ-0214%22").await?;
    b.text("span", "Delivered").await?;
    b.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_sheet_and_a_letter_dropped_together_open_the_bench() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let program = Program::start(&["serve", "--port", "0", "--practice-port", "0", "--folder", &folder.path().to_string_lossy()])?;
    let b = Browser::open(&program.address).await?;
    b.go("/dispatches").await?;
    b.text("h2", "No dispatches yet").await?;
    let demo = repository().join("demo");
    // Dropped, as a browser hands files over.
    b.client
        .execute(
            "const i = document.createElement('input'); i.type = 'file'; i.multiple = true; i.id = 'dropped'; i.style = 'position:fixed;top:60px;left:0'; document.body.append(i);
             i.onchange = () => { const d = new DataTransfer(); for (const f of i.files) d.items.add(f); window.dispatchEvent(new DragEvent('drop', { dataTransfer: d, cancelable: true })) }",
            vec![],
        )
        .await?;
    let paths = ["season.xlsx", "reminder.docx"].map(|f| demo.join(f).canonicalize().map(|p| p.display().to_string()));
    let paths: Vec<String> = paths.into_iter().collect::<Result<_, _>>()?;
    b.find("#dropped").await?.send_keys(&paths.join("\n")).await?;
    b.text("h2", "Mapping").await?;
    b.text("span", "2 not mapped").await?;
    b.choose("Column for due", "Due date").await?;
    b.choose("Column for harbour due", "Yearly fee").await?;
    b.find(".desk img").await?;
    b.text("b", "1 of 214").await?;
    b.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn wrong_files_are_refused_in_a_sentence_and_leave_nothing_behind() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let program = Program::start(&["serve", "--port", "0", "--practice-port", "0", "--folder", &folder.path().to_string_lossy()])?;
    let files = tempfile::tempdir()?;
    let file = |name: &str, bytes: &[u8]| -> Result<std::path::PathBuf> {
        let path = files.path().join(name);
        std::fs::write(&path, bytes)?;
        Ok(path)
    };
    let b = Browser::open(&program.address).await?;
    b.go("/sources").await?;
    b.give("Import data", &[&file("report.xlsx", b"%PDF-1.7 renamed")?]).await?;
    b.text("p", "is a PDF, not a CSV, XLSX, XLSB, XLS, ODS or JSON file").await?;
    b.text("h2", "No records yet").await?;
    b.go("/templates").await?;
    let whole = std::fs::read(repository().join("demo/reminder.docx"))?;
    b.give("Upload template", &[&file("cut.docx", &whole[..9000])?]).await?;
    b.text("p", "damaged or incomplete").await?;
    b.text("h2", "No templates yet").await?;
    b.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_run_by_keyboard_alone() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let program = Program::demo(folder.path())?;
    let b = Browser::open(&program.address).await?;
    b.go("/dispatches").await?;
    b.text("b", "Balance reminders").await?;
    let enter = "\u{e007}";
    // Ctrl K, a name, Enter.
    b.keys("\u{e009}k").await?;
    b.find("input[aria-label=Search]:focus").await?;
    b.keys("balance rem").await?;
    b.keys(enter).await?;
    b.text("h2", "Mapping").await?;
    // The open tie: the best match comes first, typing narrows them.
    b.tab_to("Column for harbour due").await?;
    b.keys(enter).await?;
    tokio::time::sleep(Duration::from_millis(400)).await;
    b.keys("Yearly").await?;
    tokio::time::sleep(Duration::from_millis(400)).await;
    b.keys("\u{e015}").await?;
    b.keys(enter).await?;
    b.text("span", "All mapped").await?;
    b.tab_to("Preflight").await?;
    b.keys(enter).await?;
    b.text("span", "1 record with findings").await?;
    b.tab_to("Leave out 1 record").await?;
    b.keys(enter).await?;
    b.text("p", "62 records checked").await?;
    b.tab_to("Run 62 documents").await?;
    b.keys(enter).await?;
    b.text("p", "can’t be recalled").await?;
    tokio::time::sleep(Duration::from_millis(400)).await;
    b.tab_to("Run 62 documents").await?;
    b.keys(enter).await?;
    b.text("span", "62 of 62 documents delivered").await?;
    assert!(Path::new(&b.path().await?).starts_with("/runs"));
    b.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn one_document_of_all_records() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let program = Program::demo(folder.path())?;
    let b = Browser::open(&program.address).await?;
    b.go("/dispatches/berth-list/output").await?;
    b.text("b", "One document for all 213 records").await?;
    // Of each record alone the template asks for what is not there, and says so.
    b.click("One per record").await?;
    b.text("p", "“records” needs one document for all records").await?;
    b.text("button", "Fix 1 problem").await?;
    b.click("One for all 213 records").await?;
    b.text("b", "One document for all 213 records").await?;
    b.click("Preflight").await?;
    b.text("p", "213 records checked").await?;
    b.click("Run 1 document from 213 records").await?;
    b.text("p", "Nothing is sent").await?;
    b.text("footer//button", "Run 1 document from 213 records").await?.click().await?;
    b.text("span", "1 of 1 document stored").await?;
    b.text("td", "all 213 records").await?;
    b.text("a", "Berth list 2026-11-23").await?;
    // Each row knows the document that it stands in.
    b.go("/sheets/1/row/3").await?;
    b.text("td", "Berth list 2026-11-23").await?;
    b.close().await
}
