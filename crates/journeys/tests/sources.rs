//! Journeys: records become fit to print.

use anyhow::Result;
use mangle_journeys::{Browser, Program, ask};

const HOLDERS: &str = "Ref;Name;E-mail;Balance;Due\n\
    BQ-1;Jörg Brückner;joerg@post.example;480,50;1.10.2026\n\
    BQ-2;Femke Achterberg;femke@post.example;1.248,00;30.9.2026\n\
    BQ-3;Tom Hale;tom@post.example;0,00;soon\n\
    BQ-4;Ida Kelling;ida@post.example;96,25;2.11.2026\n\
    BQ-5;Ada Quayle;ada@post.example;12,00;31.12.2026\n";
const INVOICES: &str = "Number;Holder;Amount\n1;BQ-1;480,50\n2;bq-2;1.000,00\n3;BQ-2;248,00\n4;BQ-9;7,00\n";
const NEWER: &str = "Ref;Name;E-mail;Balance;Due;Phone\n\
    BQ-1;Jörg Brückner;joerg@post.example;480,50;1.10.2026;01632 960001\n\
    BQ-2;Femke van Achterberg;femke@post.example;1.248,00;30.9.2026;\n\
    BQ-4;Ida Kelling;ida@post.example;96,25;2.11.2026;\n\
    BQ-5;Ada Quayle;ada@post.example;12,00;31.12.2026;\n\
    BQ-6;Idris Penhallow;idris@post.example;700,00;1.9.2026;\n";

/// Pastes a text where the focus is, as the clipboard would.
async fn paste(b: &Browser, css: &str, text: &str) -> Result<()> {
    let script = "const d = new DataTransfer(); d.setData('text/plain', arguments[1]);\
        document.querySelector(arguments[0]).dispatchEvent(new ClipboardEvent('paste', { clipboardData: d, bubbles: true, cancelable: true }))";
    b.client.execute(script, vec![css.into(), text.into()]).await?;
    Ok(())
}

/// Waits until a cell of the grid says something.
async fn cell(b: &Browser, at: &str, text: &str) -> Result<()> {
    b.text(&format!("td[@data-at='{at}']"), text).await.map(|_| ())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_messy_workbook_becomes_a_clean_source_with_computed_columns_and_a_relation() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let program = Program::demo(folder.path())?;
    let b = Browser::open(&program.address).await?;
    let file = |name: &str, text: &str| -> Result<std::path::PathBuf> {
        let path = folder.path().join(name);
        std::fs::write(&path, text)?;
        Ok(path)
    };
    b.go("/sources").await?;
    b.text("b", "season").await?;
    b.give("Import data", &[&file("holders.csv", HOLDERS)?]).await?;

    // The one cell that is no date is found and put right, and put back, and put right.
    b.click("1 invalid cell").await?;
    cell(&b, "0 4", "soon").await?;
    b.gone("td", "Femke Achterberg").await?;
    b.find("td[data-at='0 4']").await?.click().await?;
    b.keys("3.10.2026\u{e007}").await?;
    b.gone("button", "invalid cell").await?;
    b.click("Undo").await?;
    b.text("button", "1 invalid").await?;
    b.click("Redo").await?;
    b.gone("button", "1 invalid").await?;
    b.click("Show all rows").await?;
    cell(&b, "2 4", "3 Oct 2026").await?;

    // A filter by a value that is clicked, and one that is completed.
    b.find("button[aria-label='Edit column Name']").await?.click().await?;
    b.text("section[@aria-label='Values of the column']//button", "Tom Hale").await?.click().await?;
    b.gone("td", "Femke Achterberg").await?;
    cell(&b, "0 1", "Tom Hale").await?;
    b.write("input[aria-label=Filter]", "balan").await?;
    b.text("li", "Balance").await?.click().await?;
    b.keys(" > 1000\u{e007}").await?;
    cell(&b, "0 1", "Femke Achterberg").await?;
    b.gone("td", "Tom Hale").await?;
    b.write("input[aria-label=Filter]", "\u{e003}").await?;
    b.keys("\u{e007}").await?;
    cell(&b, "2 1", "Tom Hale").await?;
    b.click("×").await?;

    // Anything in a sheet is found from everywhere.
    b.keys("\u{e009}k").await?;
    b.find("input[aria-label=Search]:focus").await?;
    b.write("input[aria-label=Search]", "tom@post").await?;
    b.text("li", "Tom Hale").await?.click().await?;
    b.text("h3", "Tom Hale, row 3").await?;
    b.click("×").await?;

    // A block from a spreadsheet: two cells over what is there, one row more.
    b.find("td[data-at='4 2']").await?.click().await?;
    paste(&b, "[role=grid]", "ada.quayle@post.example\t15,50\nnew@post.example\t1,25\n").await?;
    cell(&b, "4 3", "15.50").await?;
    cell(&b, "5 2", "new@post.example").await?;
    b.find("td[data-at='5 2']").await?.click().await?;
    b.click("Delete row").await?;
    b.gone("td", "new@post.example").await?;

    // Two computed columns, the second reading the first.
    b.click("Add column").await?;
    b.write("input[aria-label=\"Name\"]", "Days overdue").await?;
    b.write("input[aria-label=Formula]", "today - du").await?;
    b.text("p[@role='alert']", "no column “du”. Did you mean “Due”?").await?;
    b.keys("e").await?;
    b.text("p", "Result: number").await?;
    b.text("form//button", "Add column").await?.click().await?;
    cell(&b, "0 5", "53").await?;
    b.click("Add column").await?;
    b.write("input[aria-label=\"Name\"]", "Tone").await?;
    b.write("input[aria-label=Formula]", "if(days overdue > 50; \"firm\"; \"kind\")").await?;
    b.text("p", "Result: text").await?;
    b.text("form//button", "Add column").await?.click().await?;
    cell(&b, "1 6", "firm").await?;

    // Invoices hang on their holders; one that belongs to nobody is told.
    let holders = b.path().await?;
    b.go("/sources").await?;
    b.text("b", "holders").await?;
    b.give("Import data", &[&file("invoices.csv", INVOICES)?]).await?;
    b.text("h1", "invoices").await?;
    b.click("Relations").await?;
    b.click("Add relation").await?;
    b.choose("Column in this sheet", "Holder").await?;
    b.choose("Related sheet", "holders, holders").await?;
    b.write("input[aria-label=\"Name in this sheet (one)\"]", "Owner").await?;
    b.click("Add relation").await?;
    b.text("span", "1 row of invoices has no match: BQ-9").await?;
    b.go(&holders).await?;
    cell(&b, "1 7", "2 records").await?;

    // A newer file is looked at and taken over.
    b.click("Update from file").await?;
    b.give("Choose file", &[&file("holders-november.csv", NEWER)?]).await?;
    b.choose("Match rows by", "Ref").await?;
    b.text("p", "New columns: Phone").await?;
    b.text("ins", "Femke van Achterberg").await?;
    b.click("Update 4 rows").await?;
    b.text("td", "Idris Penhallow").await?;
    cell(&b, "1 6", "firm").await?;

    // What is left is filtered and becomes a dispatch.
    b.write("input[aria-label=Filter]", "tone = \"firm\" and sum(invoices.amount) > 100\u{e007}").await?;
    b.text("button", "Create dispatch for 2").await?;
    b.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_row_tells_its_history_and_a_table_is_pasted_as_a_workbook() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let program = Program::demo(folder.path())?;
    let b = Browser::open(&program.address).await?;
    b.go("/sources").await?;
    b.text("b", "season").await?;
    paste(&b, "body", "Berth\tFee\nA10\t12.50\nB7\t9.00\nC14\t3.75\n").await?;
    b.text("button", "Create dispatch for 3").await?;
    // Keys alone: write, fill down, move, undo.
    b.find("td[data-at='0 1']").await?.click().await?;
    b.keys("20\u{e007}").await?;
    cell(&b, "0 1", "20").await?;
    b.find("td[data-at='0 1']").await?.click().await?;
    b.keys("\u{e008}\u{e015}\u{e015}\u{e000}").await?;
    b.keys("\u{e009}d\u{e000}").await?;
    cell(&b, "2 1", "20").await?;
    b.keys("\u{e009}z\u{e000}").await?;
    cell(&b, "2 1", "3.75").await?;
    b.find("td[data-at='2 0']").await?.click().await?;
    b.keys("\u{e00a}\u{e013}\u{e000}").await?;
    cell(&b, "1 0", "C14").await?;
    // A row and what was made of it.
    b.find(".number button").await?.click().await?;
    b.text("h3", "A10, row 1").await?;
    b.text("p", "No documents for this row yet").await?;
    assert!(b.path().await?.ends_with("/row/1"));
    b.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_large_import_shows_how_far_it_is_and_is_stopped() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let program = Program::demo(&folder.path().join("data"))?;
    let large = folder.path().join("berths.csv");
    let rows = (0..199_000).map(|at| format!("B{at},{}.25,2026-0{}-1{},Möwe of the north pontoon\n", at % 977, at % 9 + 1, at % 10));
    std::fs::write(&large, "Berth,Fee,Due,Boat\n".to_owned() + &rows.collect::<String>())?;
    let b = Browser::open(&program.address).await?;
    b.go("/sources").await?;
    b.text("b", "season").await?;
    // Another window sees it, too, and can end it.
    let other = Browser::open(&program.address).await?;
    other.go("/sources").await?;
    other.text("b", "season").await?;
    b.give("Import data", &[&large]).await?;
    other.find("ul[aria-label=\"Imports\"] progress").await?;
    other.click("Stop").await?;
    b.text("p", "was stopped").await?;
    other.gone("b", "berths.csv").await?;
    other.close().await?;
    let sources = ask("GET", &format!("{}/api/sources", program.address), None)?;
    assert!(sources.as_array().is_some_and(|all| all.iter().all(|source| source["file_name"] != "berths.csv")), "{sources}");
    // The next file comes in as ever.
    std::fs::write(&large, "Berth,Fee\nA1,12.50\n")?;
    b.give("Import data", &[&large]).await?;
    b.text("button", "Create dispatch for 1").await?;
    b.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn screens_left_behind_hold_none_of_the_browsers_connections() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let program = Program::demo(folder.path())?;
    let b = Browser::open(&program.address).await?;
    for _ in 0..5 {
        b.go("/sources").await?;
        b.text("b", "season").await?;
        b.go("/dispatches").await?;
        b.text("b", "Balance reminders").await?;
    }
    b.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn an_address_of_what_is_gone_says_so_and_stays() -> Result<()> {
    let data = tempfile::tempdir()?;
    let program = Program::demo(data.path())?;
    let b = Browser::open(&program.address).await?;
    for path in ["/forms/999", "/sheets/999", "/queries/999", "/templates/999", "/runs/999", "/dispatches/never-made"] {
        b.go(path).await?;
        b.text("h1", "Page not found").await?;
        assert_eq!(b.path().await?, path);
    }
    b.click("Go to Dispatches").await?;
    b.text("b", "Balance reminders").await?;
    b.close().await
}
