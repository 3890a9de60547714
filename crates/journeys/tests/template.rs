//! Journeys of the one who designs templates: reading one, trying it out, keeping
//! specimens, bringing in the next version, the clause library.

use std::path::{Path, PathBuf};

use anyhow::{Context, Result};
use fantoccini::Locator;
use mangle_journeys::{Browser, Program, picture, repository, tool};

/// A demo file with a text changed, as a word processor would save it.
fn reworded(folder: &Path, name: &str, from: &str, to: &str) -> PathBuf {
    let script = "import sys,zipfile\nsrc=zipfile.ZipFile(sys.argv[1]); out=zipfile.ZipFile(sys.argv[2],'w',zipfile.ZIP_DEFLATED)\nfor n in src.namelist():\n    data=src.read(n)\n    if n=='word/document.xml':\n        assert sys.argv[3].encode() in data, 'not there'\n        data=data.replace(sys.argv[3].encode(), sys.argv[4].encode())\n    out.writestr(n,data)\nout.close()";
    let path = folder.join(name);
    let demo = repository().join("demo").join(name);
    tool("python3", &["-c", script, &demo.to_string_lossy(), &path.to_string_lossy(), from, to]);
    path
}

#[tokio::test(flavor = "multi_thread")]
async fn a_template_is_read_from_both_sides_and_its_fields_are_composed() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let program = Program::demo(folder.path())?;
    let b = Browser::open(&program.address).await?;
    b.go("/templates/2").await?;
    b.text("button", "repeat 2 rows for each section of lines where not optional").await?;
    b.find(".page img").await?;
    // A click on the page leads to the outline, and the other way round.
    b.find("button.mark[title=\"[: valid until as date long]\"]").await?.click().await?;
    let chosen = b.find(".outline button.chosen").await?.text().await?;
    assert_eq!(chosen, "valid until as date long");
    b.text("button", "if haul-out needed").await?.click().await?;
    let marked = b.find("button.mark.chosen").await?.attr("title").await?.context("a title")?;
    assert_eq!(marked, "[:if haul-out needed]");
    picture(&b, "template").await?;
    // The same page with a record in place of its placeholders, and back.
    b.click("Sample record").await?;
    b.text("*[local-name()='text']", "RC-0001").await?;
    b.click("Sample record").await?;
    b.find("button.mark[title=\"[:if haul-out needed]\"]").await?;

    // Fields of the source that fits, along relations and lists, and the composer.
    b.click("Fields").await?;
    b.find("input[aria-label=\"Find a field\"]").await?.send_keys("valid").await?;
    b.text("button", "[: Valid until]").await?;
    b.click("Build…").await?;
    b.choose("Format", "date, long").await?;
    b.find("input[aria-label=\"Text when blank\"]").await?.send_keys("further notice").await?;
    b.text("span", "[: Valid until as date long else \"further notice\"]").await?;
    b.text("div", "Preview: ").await?;
    b.write("input[aria-label=\"Find a field\"]", "photograph").await?;
    b.text("button", "[:repeat for Photographs]…[:end]").await?;

    // Coverage: what no record takes, and a record that takes a way.
    b.click("Coverage").await?;
    b.text("span", "by 12 records").await?;
    b.text("td", "[:if lines is blank]").await?;
    let way = b.client.find(Locator::XPath("//tr[td[1][contains(., 'if lines is blank')] and td[2][normalize-space()='true']]//a")).await?;
    way.click().await?;
    b.text("span", "8 of 12, RC-0008").await?;
    b.find(".page img").await?;
    b.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_specimen_guards_the_template_against_its_next_version() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let program = Program::demo(folder.path())?;
    let b = Browser::open(&program.address).await?;
    b.go("/templates/2/try-out").await?;
    b.text("span", "1 of 12, ").await?;
    // By hand: another line of the quote shows on the page at once.
    b.find("button[aria-label=\"Add to lines\"]").await?.click().await?;
    b.find("input[aria-label=\"item\"]").await?;
    let items = b.client.find_all(Locator::Css("input[aria-label=\"item\"]")).await?;
    items.last().context("a line")?.send_keys("Lend a fender").await?;
    b.find("button.mark[title=\"[: item]\"]").await?;
    b.write("input[aria-label=\"Test case name\"]", "With a lent fender").await?;
    b.click("Save as test case").await?;
    b.text("p", "saved as a test case").await?;
    b.click("Test cases").await?;
    b.text("span", "Passes").await?;

    // A newer file that says something else stays a draft.
    let newer = reworded(folder.path(), "refit-quote.docx", "Thank you for asking us", "We were glad to be asked");
    b.give("Upload new version", &[&newer]).await?;
    b.text("span", "Draft. Version 1 is in use").await?;
    b.text("span", "Output differs").await?;
    b.text("ins", "glad").await?;
    // Put in use as it is, it asks first.
    b.click("Use version 2").await?;
    b.text("p", "The output of 1 test case differs in version 2").await?;
    b.click("Cancel").await?;
    b.text("span", "Draft. Version 1 is in use").await?;
    b.click("Accept").await?;
    b.text("span", "Passes").await?;
    b.click("Use version 2").await?;
    b.gone("span", "Draft. Version 1 is in use").await?;

    // Versions: what changed, a note, and back again.
    b.click("Versions").await?;
    b.text("ins", "glad").await?;
    b.find("input[aria-label=\"Note of version 2\"]").await?.send_keys("kinder opening\u{e007}").await?;
    b.click("Restore").await?;
    b.find("input[aria-label=\"Note of version 3\"]").await?;
    let note = b.find("input[aria-label=\"Note of version 3\"]").await?.prop("value").await?.unwrap_or_default();
    assert_eq!(note, "restored from version 1");

    // A dispatch may keep to a version.
    b.go("/dispatches/refit-quotes/template").await?;
    b.choose("Version of the template", "Fixed: version 2, kinder opening").await?;
    b.text("span", "v2").await?;
    b.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_value_on_the_page_tells_where_it_came_from() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let program = Program::demo(folder.path())?;
    let b = Browser::open(&program.address).await?;
    b.go("/dispatches/refit-quotes/mapping").await?;
    b.find("button.mark[title=\"[: vessel.name]\"]").await?.click().await?;
    let origin = b.find(".origin").await?.text().await?;
    assert!(origin.contains("Vessel"), "{origin}");
    b.find("button.mark[title=\"[: qty * price as money \\\"EUR\\\"]\"]").await?.click().await?;
    b.text("td", "Qty in repetition 1").await?;
    // Where the owner signs is shown, and pages can be looked at larger.
    b.find(".pages .field[title=\"Signature for owner\"]").await?;
    b.find("button[aria-label='Zoom in']").await?.click().await?;
    b.text("button", "150%").await?;
    b.find(".pages .page[style*=\"width: 150%\"]").await?;
    b.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_clause_is_written_and_its_mistakes_are_told() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let program = Program::demo(folder.path())?;
    let b = Browser::open(&program.address).await?;
    b.go("/templates").await?;
    b.click("Clauses").await?;
    b.text("h2", "No clauses yet").await?;
    b.click("New clause").await?;
    b.find("input[aria-label=Name]").await?.send_keys("late payment").await?;
    b.find("textarea[aria-label=Text]").await?.send_keys("Pay within [: dayz(3)] days.").await?;
    b.text("li", "Did you mean").await?;
    b.write("textarea[aria-label=Text]", "Pay within [: days else 14] days, [: last name].").await?;
    b.gone("li", "Did you mean").await?;
    b.click("Save clause").await?;
    b.text("b", "late payment").await?;
    b.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_placeholder_is_changed_on_the_page_and_kinds_of_pdf_and_fonts_are_chosen() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let program = Program::demo(folder.path())?;
    let b = Browser::open(&program.address).await?;
    b.go("/dispatches/refit-quotes/records").await?;
    // The page's text is there to be selected.
    b.text("*[local-name()='text']", "Bluebottle").await?;
    let postcode = "button.mark[title=\"[: owner.postcode]\"]";
    b.find(postcode).await?.click().await?;
    let field = "input[aria-label=\"Placeholder\"]";
    b.write(field, "[: owner.postcode as nonsense(]").await?;
    b.click("Save").await?;
    b.text("p", "[: owner.postcode as nonsense(]").await?;
    b.write(field, "[: owner.postcode else \"no postcode\"]").await?;
    b.click("Save").await?;
    b.text("p", "Saved as version 2, in use now.").await?;
    b.find("button.mark[title='[: owner.postcode else \"no postcode\"]']").await?;

    b.go("/dispatches/refit-quotes/output").await?;
    b.find("details summary").await?.click().await?;
    b.choose("PDF standard", "PDF/A-2b (archiving)").await?;
    b.text("label", "As JSON").await?.click().await?;
    b.text("p", "PDF/A-2b can't have attachments. Choose PDF/A-3b.").await?;
    b.choose("PDF standard", "PDF/A-3b (archiving, with attachments)").await?;
    b.gone("p", "can't have attachments").await?;
    b.find(".page img").await?;

    b.go("/settings").await?;
    b.text("p", "No fonts uploaded yet.").await?;
    b.give("Upload fonts", &[&repository().join("crates/documents/fonts/Caladea-Italic.ttf")]).await?;
    b.text("td", "Caladea").await?;
    b.find("button[aria-label='Remove Caladea-Italic.ttf']").await?.click().await?;
    b.text("p", "No fonts uploaded yet.").await?;
    b.close().await
}
