//! Preflight and page: one line for each cause with the act that puts it right, and
//! the page with what fails on it.

use anyhow::{Context, Result};
use mangle_journeys::{Browser, Program, ask, tool};

/// A letter of lines of text, written by Python's zip.
fn letter(path: &std::path::Path, lines: &[&str]) {
    const SCRIPT: &str = r#"
import sys, zipfile
from xml.sax.saxutils import escape
base = 'application/vnd.openxmlformats-officedocument.wordprocessingml'
body = ''.join('<w:p><w:r><w:t xml:space="preserve">%s</w:t></w:r></w:p>' % escape(line) for line in sys.argv[2:])
out = zipfile.ZipFile(sys.argv[1], 'w', zipfile.ZIP_DEFLATED)
out.writestr('[Content_Types].xml', '<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Override PartName="/word/document.xml" ContentType="%s.document.main+xml"/></Types>' % base)
out.writestr('word/document.xml', '<w:document xmlns:w="http://schemas.openxmlformats.org/wordprocessingml/2006/main"><w:body>%s</w:body></w:document>' % body)
out.close()
"#;
    let path = path.to_string_lossy();
    tool("python3", &[&["-c", SCRIPT, &path], lines].concat());
}

#[tokio::test(flavor = "multi_thread")]
async fn findings_are_put_right_where_they_are_told_and_the_page_shows_what_fails() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let data = folder.path().join("data");
    let program = Program::start(&["serve", "--port", "0", "--practice-port", "0", "--folder", &data.to_string_lossy()])?;
    let rows = ["B1;10.00;2026-12-01", "B2;20.00;2026-12-02", "B3;30.00;soon", "B4;40.00;2026-12-04"];
    let (sheet, docx) = (folder.path().join("dues.csv"), folder.path().join("letter.docx"));
    std::fs::write(&sheet, format!("Ref;Paid;Due\n{}\n", rows.join("\n")))?;
    letter(&docx, &["Paid: [: paid as money \"GBP\"], and again [: paid as money \"GBP\"].", "Berth [: ref] is due on [: due as date]."]);
    let file = |path: &std::path::Path| format!("file=@{}", path.display());
    let taken = tool("curl", &["-sS", "-F", &file(&sheet), "-F", &file(&docx), &format!("{}/api/drop", program.address)]);
    let taken: serde_json::Value = serde_json::from_str(&taken).with_context(|| taken.clone())?;
    let key = taken["dispatch"].as_str().context("a dispatch")?;
    let bench = ask("GET", &format!("{}/api/dispatches/{key}", program.address), None)?;
    let column = format!("{}/api/sheets/{}/columns/1", program.address, bench["sheet_id"]);
    ask("PUT", &column, Some(serde_json::json!({ "name": "Paid", "type": "money", "currency": "EUR" })))?;

    // The page of a record that fails is shown, with its placeholders in their place.
    let b = Browser::open(&program.address).await?;
    b.go(&format!("/dispatches/{key}/preflight?row=3")).await?;
    b.text("button", "Fix 4 findings").await?;
    b.find(".desk img").await?;
    b.find(".desk .failed").await?;
    let marked = b.client.find_all(fantoccini::Locator::Css(".desk .failed")).await?.len();
    anyhow::ensure!(marked == 3, "{marked} placeholders are marked as failed");

    // One line for each cause: two placeholders of four records are one.
    b.text("span", "4 records with findings").await?;
    let causes = b.client.find_all(fantoccini::Locator::Css("[aria-label='Findings by cause'] > li")).await?.len();
    anyhow::ensure!(causes == 2, "{causes} causes");
    b.click("Set Paid to GBP").await?;
    b.text("button", "Fix 1 finding").await?;
    b.click("Correct Due").await?;
    b.find("input[aria-label='Due of B3']").await?.click().await?;
    b.keys("\u{e009}a").await?;
    b.keys("2026-12-03\u{e007}").await?;
    b.text("p", "4 records checked").await?;
    b.text("button", "Run 4 documents").await?;
    b.find(".desk img").await?;
    anyhow::ensure!(b.client.find_all(fantoccini::Locator::Css(".desk .failed")).await?.is_empty(), "something is still marked");
    b.close().await
}
