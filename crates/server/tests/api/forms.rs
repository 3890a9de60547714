//! Forms: written, opened, answered, put right.

use axum::http::StatusCode;
use serde_json::{Value, json};

use crate::office::Office;

/// A form with a picture and a mask, opened; its number and its address.
async fn request(office: &Office) -> (i64, String) {
    let (_, form) = office.ask("POST", "/api/forms", json!({ "name": "Winter lay-up request" })).await;
    let id = form["id"].as_i64().expect("a number");
    let fields = json!([
        { "kind": "text", "name": "first name", "label": "First name", "required": true },
        { "kind": "text", "name": "loa", "label": "Length", "mask": "##.## m", "message": "Write it as 12.40 m." },
        { "kind": "choices", "name": "work", "label": "Work", "options": ["Antifouling", "Hull polish"] },
        { "kind": "picture", "name": "photo", "label": "A photograph", "most": "2", "megabytes": 1 },
        { "kind": "money", "name": "budget", "label": "Budget", "currency": "EUR", "shown_when": "work contains \"Hull polish\"" },
    ]);
    let draft = json!({ "title": "Winter lay-up request", "locale": "en-GB", "send": "Send", "thanks": "Thank you, [: first name].", "fields": fields });
    let (status, kept) = office.ask("PUT", &format!("/api/forms/{id}"), draft).await;
    assert_eq!((status, &kept["problems"]), (StatusCode::OK, &json!([])));
    let (status, open) = office.ask("POST", &format!("/api/forms/{id}/open"), Value::Null).await;
    assert_eq!((status, open["state"].as_str()), (StatusCode::OK, Some("open")));
    let (_, token) = open["address"].as_str().and_then(|address| address.rsplit_once("/f/")).expect("an address");
    let address = format!("/api/answer/{token}");
    (id, address)
}

fn png() -> Vec<u8> {
    let mut out = std::io::Cursor::new(Vec::new());
    image::RgbImage::from_pixel(40, 30, image::Rgb([91, 58, 107])).write_to(&mut out, image::ImageFormat::Png).expect("a picture");
    out.into_inner()
}

#[tokio::test(flavor = "multi_thread")]
async fn an_answer_becomes_a_row_with_its_pictures() {
    let office = Office::empty().await;
    let (id, address) = request(&office).await;
    let asked = office.get(&format!("{address}?First_Name=Ada&loa=9")).await;
    assert_eq!(asked["given"], json!({ "1": "Ada", "2": "9" }));
    assert_eq!(asked["look"][1]["wrong"], "Write it as 12.40 m.");
    assert_eq!((&asked["look"][4]["shown"], &asked["fields"][4]["shown_when"]), (&json!(false), &Value::Null));

    // A wrong mask is refused whole, with its place; nothing is kept.
    let (status, refused) = office.ask("POST", &address, json!({ "given": { "1": "Ada", "2": "12.4" } })).await;
    assert_eq!((status, refused["look"][1]["wrong"].as_str()), (StatusCode::UNPROCESSABLE_ENTITY, Some("Write it as 12.40 m.")));

    let picture = png();
    let (_, file) = office.upload(&format!("{address}/files?field=4"), &[("Grace.txt", &picture)]).await;
    let given = json!({ "1": "Ada", "2": "12.40 m", "3": ["Hull polish"], "4": [file["key"]], "5": "€1,200.00" });
    let (status, taken) = office.ask("POST", &address, json!({ "given": given })).await;
    assert_eq!((status, taken["thanks"].as_str()), (StatusCode::OK, Some("Thank you, Ada.")));
    // On a slow line it was sent once more: it is one answer.
    for _ in 0..2 {
        let (status, _) = office.ask("POST", &address, json!({ "given": { "1": "Eve" }, "once": "a7" })).await;
        assert_eq!(status, StatusCode::OK);
    }
    // A file goes with one answer.
    let (_, again) = office.ask("POST", &address, json!({ "given": { "1": "Bo", "4": [file["key"]] } })).await;
    assert_eq!(again["thanks"], "Thank you, Bo.");

    let form = office.get(&format!("/api/forms/{id}")).await;
    assert_eq!(form["answers"], 3);
    let rows = office.get(&format!("/api/sheets/{}/rows", form["sheet_id"])).await;
    let texts: Vec<&str> = rows["rows"][0]["cells"].as_array().expect("cells").iter().map(|c| c["text"].as_str().expect("text")).collect();
    assert_eq!(&texts[1..4], ["Ada", "12.40 m", "Hull polish"]);
    assert!(texts[5].contains("1,200"), "{texts:?}");
    let named = &rows["rows"][0]["cells"][4]["files"][0];
    assert_eq!(named["picture"], true);
    assert_eq!(rows["rows"][1]["cells"][4]["text"], "");
    let name = named["name"].as_str().expect("a name").to_owned();
    let small = office.bytes(&format!("/api/sheets/{}/files/{name}?small=true", form["sheet_id"])).await;
    assert!(image::load_from_memory(&small).is_ok_and(|p| p.width() >= 40));
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_put_right_in_an_answer_is_noted() {
    let office = Office::empty().await;
    let (id, address) = request(&office).await;
    office.ask("POST", &address, json!({ "given": { "1": "Ada", "3": ["Antifouling"] } })).await;
    let sheet = office.get(&format!("/api/forms/{id}")).await["sheet_id"].clone();
    let edits = json!({ "what": "Put right", "cells": [{ "row": 1, "column": 1, "text": "Ida" }, { "row": 1, "column": 3, "text": "Antifouling; Hull polish" }] });
    let (status, _) = office.ask("POST", &format!("/api/sheets/{sheet}/rows"), edits).await;
    assert_eq!(status, StatusCode::OK);
    let row = office.get(&format!("/api/sheets/{sheet}/rows/1")).await;
    let noted: Vec<String> = row["corrections"]
        .as_array()
        .expect("noted")
        .iter()
        .map(|c| format!("{}: {} → {}", c["column"], c["before"], c["after"]))
        .collect();
    assert_eq!(noted, [r#""work": "[\"Antifouling\"]" → "[\"Antifouling\",\"Hull polish\"]""#, r#""first name": "Ada" → "Ida""#]);
    assert_eq!(row["cells"][3]["text"], "Antifouling, Hull polish");
    // Taking it back is noted as well.
    office.ask("POST", &format!("/api/sheets/{sheet}/undo"), Value::Null).await;
    let row = office.get(&format!("/api/sheets/{sheet}/rows/1")).await;
    assert_eq!((row["corrections"].as_array().map(Vec::len), row["cells"][1]["text"].as_str()), (Some(4), Some("Ada")));
}

#[tokio::test(flavor = "multi_thread")]
async fn a_form_closes_and_keeps_its_answers_when_it_changes() {
    let office = Office::empty().await;
    let (id, address) = request(&office).await;
    office.ask("POST", &address, json!({ "given": { "1": "Ada", "2": "12.40 m" } })).await;
    // Written on: nothing changes for who answers until it is opened so.
    let mut form = office.get(&format!("/api/forms/{id}")).await;
    form["draft"]["fields"][0]["name"] = json!("given name");
    form["draft"]["fields"].as_array_mut().expect("fields").remove(1);
    form["draft"]["most_answers"] = json!(2);
    let (_, written) = office.ask("PUT", &format!("/api/forms/{id}"), form["draft"].clone()).await;
    assert_eq!((&written["changed"], &written["state"]), (&json!(true), &json!("open")));
    assert_eq!(office.get(&address).await["fields"][1]["label"], "Length");
    office.ask("POST", &format!("/api/forms/{id}/open"), Value::Null).await;
    // The column follows its field; that of the field that is gone stays.
    let sheet = office.get(&format!("/api/sheets/{}", form["sheet_id"])).await;
    let columns: Vec<&str> = sheet["columns"].as_array().expect("columns").iter().map(|c| c["name"].as_str().expect("a name")).collect();
    assert_eq!(columns, ["Answered", "given name", "loa", "work", "photo", "budget"]);
    let rows = office.get(&format!("/api/sheets/{}/rows", form["sheet_id"])).await;
    assert_eq!((&rows["rows"][0]["cells"][1]["text"], &rows["rows"][0]["cells"][2]["text"]), (&json!("Ada"), &json!("12.40 m")));

    office.ask("POST", &address, json!({ "given": { "1": "Bo" } })).await;
    assert_eq!(office.get(&address).await["shut"], "This form is closed: it has reached its limit of answers.");
    let refused = office.refused("POST", &address, json!({ "given": { "1": "Cas" } })).await;
    assert_eq!(refused, "409 shut: This form is closed: it has reached its limit of answers.");
    office.ask("POST", &format!("/api/forms/{id}/close"), Value::Null).await;
    assert_eq!(office.get(&address).await["shut"], "This form is closed: it has reached its limit of answers.");
    let refused = office.refused("GET", &address.replace(|c: char| c.is_ascii_digit(), "0"), Value::Null).await;
    assert!(refused.starts_with("404 no-form: This link is not valid."), "{refused}");
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_hostile_is_kept_out() {
    let office = Office::empty().await;
    let (id, address) = request(&office).await;
    // What calls itself a picture and is none, what is too large, what is for no field.
    let files = format!("{address}/files?field=4");
    let (status, refused) = office.upload(&files, &[("a.png", b"<svg xmlns='http://www.w3.org/2000/svg'/>")]).await;
    assert_eq!((status, refused["code"].as_str()), (StatusCode::UNPROCESSABLE_ENTITY, Some("picture")));
    let (_, refused) = office.upload(&files, &[("a.png", &vec![0; (1 << 20) + 1])]).await;
    assert_eq!(refused["code"], "too-large");
    let (status, _) = office.upload(&format!("{address}/files?field=1"), &[("a.png", &png())]).await;
    assert_eq!(status, StatusCode::NOT_FOUND);
    // A machine that fills in everything is thanked, and nothing is kept.
    let (_, thanked) = office.ask("POST", &address, json!({ "given": { "1": "Ada" }, "homepage": "http://spam.example" })).await;
    assert_eq!(thanked["thanks"], "Thank you, Ada.");
    assert_eq!(office.get(&format!("/api/forms/{id}")).await["answers"], 0);
    // A key of another field, an option that is not offered, a value of another kind.
    for given in [json!({ "1": true }), json!({ "1": "Ada", "3": ["Paint"] }), json!({ "1": "Ada", "4": "x" }), json!({ "1": ["x"] })] {
        let (status, _) = office.ask("POST", &address, json!({ "given": given })).await;
        assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY, "{given}");
    }
    // A thousand requests of one sender.
    let mut slowed = false;
    for _ in 0..40 {
        slowed |= office.ask("POST", &address, json!({ "given": { "1": "Ada" } })).await.0 == StatusCode::TOO_MANY_REQUESTS;
    }
    assert!(slowed);
    // A text that looks like a placeholder or a formula is text.
    let (_, asked) = office.ask("POST", &format!("{address}/look"), json!({ "1": "[: office.email]" })).await;
    assert_eq!(asked[0]["wrong"], Value::Null);
}

#[tokio::test(flavor = "multi_thread")]
async fn a_form_is_made_for_a_template() {
    let office = Office::furnished().await;
    let templates = office.get("/api/templates").await;
    let quote = templates.as_array().expect("templates").iter().find(|t| t["name"] == "refit-quote").expect("the quote");
    let (status, form) = office.ask("POST", "/api/forms", json!({ "template_id": quote["id"] })).await;
    assert_eq!(status, StatusCode::OK);
    let kinds: Vec<String> =
        form["draft"]["fields"].as_array().expect("fields").iter().map(|f| format!("{}: {}", f["name"], f["kind"])).collect();
    assert!(!kinds.is_empty() && form["left"].as_array().is_some_and(|l| !l.is_empty()), "{kinds:?} {}", form["left"]);
    assert_eq!(form["problems"], json!([]));
    let sources = office.get("/api/sources").await;
    assert_eq!(sources[0]["kind"], "form");
}

/// How many files lie in a part of the data folder.
fn lying(office: &Office, part: &str) -> usize {
    fn count(at: &std::path::Path) -> usize {
        let entries = std::fs::read_dir(at).into_iter().flatten().flatten();
        entries.map(|entry| if entry.path().is_dir() { count(&entry.path()) } else { 1 }).sum()
    }
    count(&office.folder().join(part))
}

#[tokio::test(flavor = "multi_thread")]
async fn files_of_answers_that_never_come_take_no_room_among_the_offices() {
    let office = Office::empty().await;
    let (_, address) = request(&office).await;
    let before = lying(&office, "files");
    let send = async |given: Value| office.ask("POST", &address, json!({ "given": given })).await.0;
    let (_, file) = office.upload(&format!("{address}/files?field=4"), &[("Grace.png", &png())]).await;
    assert_eq!((lying(&office, "arrived"), lying(&office, "files")), (1, before));
    // An answer that is not taken moves nothing, however often it is sent.
    for _ in 0..3 {
        assert_eq!(send(json!({ "2": "12.4", "4": [file["key"]] })).await, StatusCode::UNPROCESSABLE_ENTITY);
    }
    assert_eq!((lying(&office, "arrived"), lying(&office, "files")), (1, before));
    assert_eq!(send(json!({ "1": "Ada", "2": "12.40 m", "4": [file["key"]] })).await, StatusCode::OK);
    assert_eq!((lying(&office, "arrived"), lying(&office, "files")), (0, before + 1));
}
