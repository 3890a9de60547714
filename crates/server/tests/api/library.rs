//! What dispatches share or bring along: clauses, and the pictures of a folder.

use axum::http::StatusCode;
use serde_json::{Value, json};

use crate::office::{Office, docx};

const DOT: &[u8] = &[
    0x89, b'P', b'N', b'G', 0x0d, 0x0a, 0x1a, 0x0a, 0, 0, 0, 13, b'I', b'H', b'D', b'R', 0, 0, 0, 1, 0, 0, 0, 1, 8, 0, 0, 0, 0, 0x3a, 0x7e,
    0x9b, 0x55, 0, 0, 0, 10, b'I', b'D', b'A', b'T', 0x78, 0x9c, 0x63, 0x60, 0, 0, 0, 2, 0, 1, 0x48, 0xaf, 0xa4, 0x71, 0, 0, 0, 0, b'I',
    b'E', b'N', b'D', 0xae, 0x42, 0x60, 0x82,
];

/// What a template prints of values.
async fn printed(office: &Office, template: &str, values: Value, locale: &str) -> Value {
    let (status, kept) = office.upload("/api/templates", &[("note.docx", &docx(template))]).await;
    assert_eq!(status, StatusCode::OK, "{kept}");
    let version = &kept["versions"][0]["id"];
    let (_, tried) = office.ask("POST", &format!("/api/versions/{version}/try"), json!({ "values": values, "locale": locale })).await;
    match tried["faults"].as_array().is_some_and(Vec::is_empty) {
        true => tried["trace"]
            .as_array()
            .and_then(|t| t.iter().find(|t| !t["printed"].is_null()).map(|t| t["printed"].clone()))
            .unwrap_or_default(),
        false => tried["faults"][0]["message"].clone(),
    }
}

#[tokio::test]
async fn a_clause_is_written_once_and_speaks_the_language_in_force() {
    let office = Office::empty().await;
    let add = |name: &str, language: &str, text: &str| json!({ "name": name, "language": language, "text": text });
    let (status, all) = office.ask("POST", "/api/clauses", add("Late payment", "", "Pay within [: days] days, [: last name].")).await;
    assert_eq!((status, all.as_array().map(Vec::len)), (StatusCode::OK, Some(1)), "{all}");
    office.ask("POST", "/api/clauses", add("late  payment", "de", "Zahlen Sie binnen [: days] Tagen, [: last name].")).await;
    let text = "[:clause \"late payment\" with days = 14]";
    let values = json!({ "last name": "Brückner" });
    assert_eq!(printed(&office, text, values.clone(), "en-GB").await, "Pay within 14 days, Brückner.");
    assert_eq!(printed(&office, text, values.clone(), "de-DE").await, "Zahlen Sie binnen 14 Tagen, Brückner.");

    let id = all[0]["id"].as_i64().expect("a number");
    let (_, changed) = office.ask("PUT", &format!("/api/clauses/{id}"), add("Late payment", "", "Please pay.")).await;
    assert!(changed.to_string().contains("Please pay."));
    assert_eq!(printed(&office, text, values, "fr-FR").await, "Please pay.");

    let (_, shown) = office.upload("/api/templates", &[("note.docx", &docx("[:clause \"late payments\"]"))]).await;
    assert_eq!(shown["problems"][0]["code"], "unknown-clause");
    // As the newer version of a template it waits for its clause.
    let (_, waits) = office.upload("/api/templates/1", &[("note.docx", &docx("[:clause \"late payments\"]"))]).await;
    assert_eq!((&waits["shown"], &waits["in_use"]), (&json!(2), &json!(1)));
    assert!(office.refused("PUT", "/api/templates/1/in-use/2", Value::Null).await.starts_with("409"));
    assert!(shown["problems"][0]["message"].as_str().is_some_and(|m| m.contains("Late payment")), "{}", shown["problems"]);
}

#[tokio::test]
async fn dates_that_read_two_ways_are_asked_about_once() {
    let office = Office::empty().await;
    office.upload("/api/sources", &[("dues.csv", b"Ref;Due\nBQ-1;03/04/2026\nBQ-2;05/06/2026\n")]).await;
    let sheet = office.get("/api/sheets/1").await;
    assert_eq!((&sheet["unsure"][0]["column"], &sheet["unsure"][0]["month_first"]), (&json!("Due"), &json!("2026-03-04")));
    office.upload("/api/templates", &[("due.docx", &docx("[: ref] is due on [: due as date long]. [:if ref &gt; 3]x[:end]"))]).await;
    office.ask("POST", "/api/dispatches", json!({ "name": "Dues", "template_id": 1, "sheet_id": 1 })).await;
    let bench = office.get("/api/dispatches/dues").await;
    assert!(bench["obstacles"].to_string().contains("03/04/2026"), "{}", bench["obstacles"]);
    assert!(bench["hints"][0]["message"].as_str().is_some_and(|m| m.contains("can't be compared")), "{}", bench["hints"]);
    let (_, told) = office.ask("PUT", "/api/sheets/1/date-order", json!({ "month_first": true })).await;
    assert_eq!(told["unsure"], json!([]));
    assert_eq!(office.get("/api/sheets/1/rows").await["rows"][0]["cells"][1]["text"], "4 Mar 2026");
    assert_eq!(office.get("/api/dispatches/dues").await["obstacles"], json!([]));
}

#[tokio::test]
async fn a_clause_that_can_not_be_used_is_refused() {
    let office = Office::empty().await;
    let add = |name: &str, text: &str| json!({ "name": name, "text": text });
    office.ask("POST", "/api/clauses", add("First", "See [:clause \"second\"].")).await;
    for (body, code) in [
        (add(" ", "x"), "422 no-name"),
        (add("Open", "[: name"), "422 never-closed"),
        (add("Second", "Back to [:clause \"first\"]."), "422 clause-circle"),
        (add("first", "again"), "409 same-name"),
        (json!({ "name": "Third", "language": "zz-nowhere-1", "text": "x" }), "422 locale"),
    ] {
        let said = office.refused("POST", "/api/clauses", body.clone()).await;
        assert!(said.starts_with(code), "{body}: {said}");
    }
    let all = office.get("/api/clauses").await;
    assert_eq!(all.as_array().map(Vec::len), Some(1));
    let (_, left) = office.ask("DELETE", &format!("/api/clauses/{}", all[0]["id"]), Value::Null).await;
    assert_eq!(left, json!([]));
}

#[tokio::test]
async fn the_pictures_of_a_dispatch_are_found_by_the_names_that_records_give() {
    let office = Office::empty().await;
    office.upload("/api/sources", &[("boats.csv", b"Ref;Photo\nBQ-1;boats/Grace.png\nBQ-2;Burza.png\n")]).await;
    office.upload("/api/templates", &[("pass.docx", &docx("[: ref] [:picture photo height 2cm]"))]).await;
    office.ask("POST", "/api/dispatches", json!({ "name": "Passes", "template_id": 1, "sheet_id": 1 })).await;
    let said = office.ask("POST", "/api/dispatches/passes/preflight", Value::Null).await.1;
    assert_eq!(said["wrong"], 2, "{said}");
    let (status, kept) = office.upload("/api/dispatches/passes/pictures", &[("grace.PNG", DOT)]).await;
    assert_eq!((status, kept[0]["name"].as_str()), (StatusCode::OK, Some("grace.PNG")), "{kept}");
    let said = office.ask("POST", "/api/dispatches/passes/preflight", Value::Null).await.1;
    assert_eq!((&said["wrong"], &said["causes"][0]["records"][0]["row"]), (&json!(1), &json!(2)), "{said}");
    let page = office.get("/api/dispatches/passes/pages/1").await;
    assert!(page["pages"][0]["svg"].as_str().is_some_and(|svg| svg.contains("image")), "{page}");

    let (status, refused) = office.upload("/api/dispatches/passes/pictures", &[("burza.png", DOT), ("x.png", b"no picture")]).await;
    assert_eq!((status, refused["code"].as_str()), (StatusCode::UNPROCESSABLE_ENTITY, Some("picture")));
    assert_eq!(office.get("/api/dispatches/passes/pictures").await.as_array().map(Vec::len), Some(1), "nothing half-done is kept");
    let (_, gone) = office.ask("DELETE", "/api/dispatches/passes/pictures/Grace.png", Value::Null).await;
    assert_eq!((gone, office.get("/api/dispatches/passes/pictures").await), (json!(true), json!([])));
}

#[tokio::test]
async fn two_windows_never_overwrite_each_other_silently() {
    let office = Office::furnished().await;
    // Settings, a clause and a form: each is written by who saw it last.
    let seen = office.get("/api/settings").await;
    let named = |name: &str| {
        let mut body = seen.clone();
        body["office_name"] = json!(name);
        body
    };
    let (status, first) = office.ask("PUT", "/api/settings", named("First")).await;
    assert_eq!((status, first["office_name"].as_str()), (StatusCode::OK, Some("First")), "{first}");
    let told = office.refused("PUT", "/api/settings", named("Second")).await;
    assert!(told.starts_with("409 changed-elsewhere: Not saved: the settings changed in another window"), "{told}");
    assert_eq!(office.get("/api/settings").await["office_name"], "First");

    let clause = |text: &str, revision: Value| json!({ "name": "terms", "language": "", "text": text, "revision": revision });
    let (_, all) = office.ask("POST", "/api/clauses", clause("Pay soon.", Value::Null)).await;
    let path = format!("/api/clauses/{}", all[0]["id"]);
    assert_eq!(office.ask("PUT", &path, clause("Pay now.", all[0]["revision"].clone())).await.0, StatusCode::OK);
    assert!(office.refused("PUT", &path, clause("Pay later.", all[0]["revision"].clone())).await.starts_with("409 changed-elsewhere"));
    assert_eq!(office.get("/api/clauses").await[0]["text"], "Pay now.");

    let (_, form) = office.ask("POST", "/api/forms", json!({ "name": "Lay-up" })).await;
    let path = format!("/api/forms/{}", form["id"]);
    let draft = |title: &str| {
        let mut draft = form["draft"].clone();
        draft["title"] = json!(title);
        draft
    };
    let seen = format!("{path}?revision={}", form["revision"]);
    assert_eq!(office.ask("PUT", &seen, draft("First")).await.0, StatusCode::OK);
    assert!(office.refused("PUT", &seen, draft("Second")).await.starts_with("409 changed-elsewhere"));
    assert_eq!(office.get(&path).await["draft"]["title"], "First");
}

#[tokio::test(flavor = "multi_thread")]
async fn the_office_s_time_zone_says_what_day_it_is() {
    let office = Office::furnished().await;
    let path = "/api/dispatches/balance-reminders";
    let letter = office.upload("/api/templates", &[("day.docx", &docx("[: today as date \"yyyy-MM-dd\"]"))]).await.1;
    let mut bench = office.get(path).await;
    bench["template_id"] = letter["id"].clone();
    let bench = office.ask("PUT", path, bench).await.1;
    let row = bench["records"][0]["row"].clone();
    let day = async |zone: &str| {
        let mut settings = office.get("/api/settings").await;
        settings["time_zone"] = json!(zone);
        let (status, kept) = office.ask("PUT", "/api/settings", settings).await;
        assert_eq!((status, &kept["time_zone"]), (StatusCode::OK, &json!(zone)), "{kept}");
        let page = office.get(&format!("{path}/pages/{row}")).await;
        page["trace"][0]["printed"].as_str().expect("a day").to_owned()
    };
    // The first and the last place of the earth where a day begins are 26 hours apart.
    let (first, last) = (day("Pacific/Kiritimati").await, day("Etc/GMT+12").await);
    assert!(first > last, "{first} {last}");
    let mut settings = office.get("/api/settings").await;
    settings["time_zone"] = json!("Europe/Brackwater");
    let told = office.refused("PUT", "/api/settings", settings).await;
    assert_eq!(told, "422 time-zone: “Europe/Brackwater” is not a time zone. Choose one like Europe/Amsterdam.");
}
