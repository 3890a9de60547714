//! Journeys: a form from nothing to a record.

use anyhow::{Context, Result};
use mangle_journeys::{Browser, Program, picture};

/// A photograph as a telephone takes it, small.
fn photograph(path: &std::path::Path) -> Result<()> {
    let mut boat = image::RgbImage::from_pixel(640, 480, image::Rgb([150, 180, 200]));
    for (x, y, dot) in boat.enumerate_pixels_mut() {
        if y > 320 {
            *dot = image::Rgb([60, 90, 120]);
        } else if y > 260 && x > 140 && x < 500 {
            *dot = image::Rgb([235, 232, 225]);
        }
    }
    Ok(boat.save(path)?)
}

/// Adds a field of a kind at the end and names it.
async fn add(b: &Browser, kind: &str, label: &str, name: &str) -> Result<()> {
    b.text(&format!("div[@class='kinds']/button[normalize-space(.)='{kind}']"), kind).await?.click().await?;
    b.text("h2", kind).await?;
    b.write("input[aria-label=Label]", label).await?;
    // The name follows the label until it is given one of its own.
    let follows = b.find("input[aria-label=Name]").await?.prop("value").await?;
    anyhow::ensure!(follows == Some(label.to_lowercase().trim_end_matches('?').to_owned()), "the name is {follows:?}, the label {label}");
    b.write("input[aria-label=Name]", name).await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_form_from_nothing_is_answered_on_a_telephone_and_becomes_a_record() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let program = Program::demo(folder.path())?;
    let b = Browser::open(&program.address).await?;
    let boat = folder.path().join("IMG 0042.jpg");
    photograph(&boat)?;

    // Written: what is missing is told where it is missing, and keeps it closed.
    b.go("/sources").await?;
    b.click("New form").await?;
    b.write("input[aria-label='Name']", "Mast storage").await?;
    b.click("Create form").await?;
    b.text("p", "No fields yet").await?;
    add(&b, "Text", "Your name", "name").await?;
    b.click("Required").await?;
    add(&b, "Text", "Length of the mast", "mast length").await?;
    b.write("input[aria-label='Input mask']", "##.# m").await?;
    b.text("span[@role='alert']", "Enter an error message that explains the expected format").await?;
    b.text("button[@disabled or @aria-disabled='true']", "Open form").await?;
    b.write("input[aria-label='Error message']", "Write it as 14.2 m").await?;
    b.gone("span[@role='alert']", "Enter an error message").await?;
    add(&b, "Yes/no", "With sails", "sails").await?;
    add(&b, "Long text", "Which sails?", "which").await?;
    b.write("input[aria-label='Show if']", "sials").await?;
    b.text("span[@role='alert']", "Did you mean “sails”?").await?;
    b.write("input[aria-label='Show if']", "sails").await?;
    add(&b, "Picture", "A photograph of the mast", "photo").await?;
    // The live form beside it does what it says.
    b.gone("label", "Which sails?").await?;
    b.text("section[@aria-label='Form preview']//label", "With sails").await?.click().await?;
    b.text("label", "Which sails?").await?;
    // Dragged by keyboard: the picture comes before the sails.
    let chosen = b.text("button[contains(@class,'here')]", "A photograph of the mast").await?;
    chosen.send_keys("\u{e00a}\u{e013}\u{e000}").await?;
    b.text("ol/li[4]/button", "A photograph of the mast").await?;
    b.click("Undo").await?;
    b.text("ol/li[5]/button", "A photograph of the mast").await?;
    b.text("span", "Saved").await?;
    b.click("Open form").await?;
    b.text("span", "Open").await?;
    let address = b.find("div.address a").await?.attr("href").await?.context("an address")?;

    // Answered on a slow line, with a wrong mask at first, which is told while it is written; what was written outlives
    // the page.
    let phone = Browser::telephone(&program.address).await?;
    phone.slow(300, 60_000).await?;
    phone.go(&format!("{address}?name=Ada+Quayle")).await?;
    phone.text("h1", "Mast storage").await?;
    phone.write("#field-2", "142x").await?;
    phone.text("p[@role='alert']", "Write it as 14.2 m").await?;
    phone.text("label", "With sails").await?.click().await?;
    phone.write("#field-4", "Main and genoa").await?;
    phone.give_to("#field-5", &boat).await?;
    phone.text("span", "uploaded").await?;
    phone.go(&address).await?;
    phone.text("span", "IMG 0042.jpg").await?;
    phone.click("Send").await?;
    phone.text("p[@role='alert']", "Please correct the marked field").await?;
    phone.write("#field-2", "142").await?;
    phone.gone("p[@role='alert']", "Write it as 14.2 m").await?;
    let wide = phone.client.execute("return document.documentElement.scrollWidth", vec![]).await?;
    assert_eq!(wide, 390);
    phone.click("Send").await?;
    phone.text("p[@role='status']", "Thank you").await?;

    // A record with its picture, put right with a note of it.
    b.go("/sources").await?;
    b.text("b", "Mast storage").await?.click().await?;
    b.click("1 answer").await?;
    b.text("td[@data-at='0 1']", "Ada Quayle").await?;
    b.text("td[@data-at='0 2']", "14.2 m").await?;
    b.find("td[data-at='0 5'] img").await?;
    b.find("td[data-at='0 1']").await?.click().await?;
    b.keys("Ada Quayle-Brand\u{e007}").await?;
    b.text("td[@data-at='0 1']", "Ada Quayle-Brand").await?;
    let sheet = b.path().await?;
    b.go(&format!("{sheet}/row/1")).await?;
    b.text("table[@aria-label='Change history of this row']//td", "name: Ada Quayle Ada Quayle-Brand").await?;

    // Closed: nobody answers any more.
    b.click("Edit form").await?;
    b.click("Close form").await?;
    b.text("span", "Closed").await?;
    phone.go(&address).await?;
    phone.text("p[@role='status']", "This form is closed.").await?;
    phone.close().await?;
    b.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn the_demo_forms_are_signed_and_kept_short() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let program = Program::demo(folder.path())?;
    let b = Browser::open(&program.address).await?;
    b.go("/sources").await?;
    b.click("Winter lay-up request").await?;
    b.click("Length over all").await?;
    b.text("h2", "Text").await?;
    picture(&b, "form").await?;
    b.go("/sources").await?;
    b.click("Crane lift waiver").await?;
    let address = b.find("div.address a").await?.attr("href").await?.context("an address")?;

    let phone = Browser::telephone(&program.address).await?;
    phone.go(&address).await?;
    // What is told of a field that is left does not move the button from under the finger.
    phone.find("#field-1").await?.click().await?;
    phone.click("Sign the waiver").await?;
    phone.text("p[@role='alert']", "Please correct the").await?;
    phone.text("p[@role='alert']", "This field is required").await?;
    phone.write("#field-1", "Idris Penhallow").await?;
    phone.write("#field-2", "c14").await?;
    phone.gone("p[@id='wrong-2']", "").await?;
    phone.text("label", "I do this at my own risk").await?.click().await?;
    picture(&phone, "form-telephone").await?;
    phone.draw("canvas").await?;
    phone.text("span", "signed").await?;
    phone.gone("p[@role='alert']", "").await?;
    phone.click("Sign the waiver").await?;
    phone.text("p[@role='status']", "Thank you, Idris Penhallow.").await?;
    phone.close().await?;
    b.click("0 answers").await?;
    b.text("td[@data-at='0 2']", "c14").await?;
    b.find("td[data-at='0 5'] img").await?;
    b.close().await
}
