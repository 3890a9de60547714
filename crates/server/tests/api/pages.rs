//! What concerns pages: their text, fonts, kinds of PDF, a placeholder written anew
//! from the page.

use axum::http::StatusCode;
use serde_json::{Value, json};

use super::office::Office;

fn font() -> Vec<u8> {
    std::fs::read("../documents/fonts/Caladea-Regular.ttf").expect("a font")
}

#[tokio::test]
async fn the_text_of_a_page_stands_where_it_is_shown() {
    let office = Office::furnished().await;
    let mut bench = office.get("/api/dispatches/balance-reminders").await;
    bench["setup"]["ties"]["harbour due"] = json!("Yearly fee");
    office.ask("PUT", "/api/dispatches/balance-reminders", bench).await;
    let page = office.get("/api/dispatches/balance-reminders/pages/31").await;
    let pieces = page["pages"][0]["text"].as_array().expect("text");
    assert!(pieces.len() > 20, "{pieces:?}");
    let (width, height) = (page["pages"][0]["width"].as_f64().expect("a width"), page["pages"][0]["height"].as_f64().expect("a height"));
    for piece in pieces {
        let of = |name: &str| piece[name].as_f64().expect("a number");
        assert!(of("left") >= 0.0 && of("left") + of("width") <= width && of("base") <= height, "{piece}");
    }
    // The letter reads from the top: the salutation comes before the greeting.
    let at = |text: &str| pieces.iter().position(|p| p["text"].as_str().is_some_and(|t| t.contains(text))).expect("the text");
    assert!(at("Dear") < at("regards"));
}

#[tokio::test]
async fn a_placeholder_is_written_anew_and_the_document_kept_as_a_version() {
    let office = Office::furnished().await;
    let shown = office.get("/api/templates/1").await;
    let all = shown["placeholders"].as_array().expect("placeholders");
    let number = all.iter().position(|p| p["text"].as_str().is_some_and(|t| t == "[: first name]")).expect("a name");
    let path = format!("/api/templates/1/versions/1/placeholders/{number}");

    for (text, said) in [
        ("first name", "placeholder must start with “[:”"),
        ("[: first name", "placeholder must start with “[:”"),
        ("[: nosuch(first name)]", "nosuch"),
        ("[: if(]", "[: if(]"),
        ("[: first name] [: last name]", "placeholder must start with “[:”"),
    ] {
        let refused = office.refused("PUT", &path, json!({ "text": text })).await;
        assert!(refused.starts_with("422 placeholder") && refused.contains(said), "{text}: {refused}");
    }
    assert!(
        office
            .refused("PUT", "/api/templates/1/versions/1/placeholders/999", json!({ "text": "[: a]" }))
            .await
            .contains("no placeholder 999")
    );
    assert_eq!(office.get("/api/templates/1").await["versions"].as_array().map(Vec::len), Some(1), "nothing is kept of what is refused");

    let (status, kept) = office.ask("PUT", &path, json!({ "text": "[: first name else \"Dear & <kind>\"]" })).await;
    assert_eq!(status, StatusCode::OK, "{kept}");
    assert_eq!((&kept["shown"], &kept["in_use"]), (&json!(2), &json!(2)));
    assert_eq!(kept["placeholders"][number]["text"], "[: first name else \"Dear & <kind>\"]");
    assert_eq!(kept["placeholders"].as_array().map(Vec::len), Some(all.len()));
    // All other placeholders are what they were.
    for (at, (before, after)) in all.iter().zip(kept["placeholders"].as_array().expect("placeholders")).enumerate() {
        assert!(at == number || before["text"] == after["text"], "{at}");
    }
}

#[tokio::test]
async fn fonts_are_brought_in_listed_and_taken_out() {
    let office = Office::furnished().await;
    assert_eq!(office.get("/api/fonts").await, json!([]));
    let (status, kept) = office.upload("/api/fonts", &[("house.ttf", &font())]).await;
    assert_eq!((status, &kept[0]["families"]), (StatusCode::OK, &json!(["Caladea"])), "{kept}");
    let (status, refused) = office.upload("/api/fonts", &[("more.ttf", &font()), ("notes.ttf", b"no font")]).await;
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
    assert_eq!(refused["message"], "“notes.ttf” is not a usable font. Upload a TTF, OTF or TTC file.");
    assert_eq!(office.get("/api/fonts").await.as_array().map(Vec::len), Some(1), "of two files none is kept when one is refused");
    // A file of the same name takes its place, and pages are still made.
    office.upload("/api/fonts", &[("HOUSE.TTF", &font())]).await;
    let all = office.get("/api/fonts").await;
    assert_eq!(all.as_array().map(Vec::len), Some(1));
    let pages = office.get("/api/versions/1/pages").await;
    assert!(pages["count"].as_u64().is_some_and(|n| n > 0), "{}", pages["count"]);
    let (_, rest) = office.ask("DELETE", &format!("/api/fonts/{}", all[0]["id"]), Value::Null).await;
    assert_eq!(rest, json!([]));
    assert!(office.refused("DELETE", "/api/fonts/9", Value::Null).await.starts_with("404 "));
}

#[tokio::test]
async fn what_pages_can_not_show_is_told_with_the_template() {
    let office = Office::empty().await;
    let bytes = std::fs::read("../documents/tests/corpus/drawing-chart.docx").expect("the corpus");
    let (status, kept) = office.upload("/api/templates", &[("chart.docx", &bytes)]).await;
    assert_eq!(status, StatusCode::OK, "{kept}");
    let told = office.get("/api/templates/1").await["told"].to_string();
    assert!(told.contains("A chart (Berths by year) can't be shown"), "{told}");
}

#[tokio::test]
async fn kinds_of_pdf_that_do_not_go_together_stop_a_run() {
    let office = Office::furnished().await;
    let obstacles = async |pdf: Value| {
        let mut bench = office.get("/api/dispatches/balance-reminders").await;
        bench["setup"]["pdf"] = pdf;
        let (status, changed) = office.ask("PUT", "/api/dispatches/balance-reminders", bench).await;
        assert_eq!(status, StatusCode::OK, "{changed}");
        let all = changed["obstacles"].as_array().expect("obstacles").clone();
        let said = |o: &Value| [&o["message"], &o["help"]].map(|part| part.as_str().unwrap_or("?")).join(" ");
        all.iter().filter(|o| o["target"]["station"] == "output").map(said).collect::<Vec<_>>()
    };
    assert!(obstacles(json!({ "standard": "a3b", "attach": "json", "password": "" })).await.is_empty());
    assert_eq!(
        obstacles(json!({ "standard": "a2b", "attach": "csv", "password": "[: ref]" })).await,
        [
            "PDF/A can't have a password. Choose the standard PDF or remove the password.",
            "PDF/A-2b can't have attachments. Choose PDF/A-3b."
        ]
    );
    let wrong = obstacles(json!({ "standard": "plain", "attach": "nothing", "password": "[: ref" })).await;
    assert!(wrong.len() == 1 && wrong[0].contains("password"), "{wrong:?}");
}
