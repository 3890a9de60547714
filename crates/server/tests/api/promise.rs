//! The two promises: what is previewed is what is made, and nothing goes to the same
//! person twice without a deliberate yes.

use axum::http::StatusCode;
use serde_json::{Value, json};

use crate::office::Office;

/// A DOCX of lines of text, written by the library that other programs use as well.
fn letter(lines: &[&str]) -> Vec<u8> {
    use std::io::Write;
    let body: String = lines
        .iter()
        .map(|l| format!("<w:p><w:r><w:t xml:space=\"preserve\">{}</w:t></w:r></w:p>", l.replace('&', "&amp;").replace('>', "&gt;")))
        .collect();
    let mut package = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    let base = "application/vnd.openxmlformats-officedocument.wordprocessingml";
    for (name, content) in [
        (
            "[Content_Types].xml",
            format!(
                "<Types xmlns=\"http://schemas.openxmlformats.org/package/2006/content-types\"><Override PartName=\"/word/document.xml\" ContentType=\"{base}.document.main+xml\"/></Types>"
            ),
        ),
        (
            "word/document.xml",
            format!(
                "<w:document xmlns:w=\"http://schemas.openxmlformats.org/wordprocessingml/2006/main\"><w:body>{body}</w:body></w:document>"
            ),
        ),
    ] {
        package.start_file(name, zip::write::SimpleFileOptions::default()).expect("starts");
        package.write_all(content.as_bytes()).expect("writes");
    }
    package.finish().expect("finishes").into_inner()
}

/// An office with a sheet, a letter and a dispatch of both that delivers nothing.
async fn office(sheet: (&str, &str), lines: &[&str]) -> (Office, String, i64) {
    let office = Office::empty().await;
    let (status, taken) = office.upload("/api/drop", &[(sheet.0, sheet.1.as_bytes()), ("letter.docx", &letter(lines))]).await;
    assert_eq!(status, StatusCode::OK, "{taken}");
    let key = taken["dispatch"].as_str().expect("a dispatch").to_owned();
    let id = office.get(&format!("/api/dispatches/{key}")).await["sheet_id"].as_i64().expect("a sheet");
    (office, key, id)
}

/// Changes the set-up and gives the dispatch as it is then.
async fn change(office: &Office, key: &str, work: impl FnOnce(&mut Value)) -> Value {
    let path = format!("/api/dispatches/{key}");
    let mut now = office.get(&path).await;
    work(&mut now);
    let (status, changed) = office.ask("PUT", &path, now).await;
    assert_eq!(status, StatusCode::OK, "{changed}");
    changed
}

async fn start(office: &Office, key: &str, repeats: usize, start_key: &str) -> (StatusCode, Value) {
    let now = office.get(&format!("/api/dispatches/{key}")).await;
    let count = now["records"].as_array().map_or(0, Vec::len);
    let body = json!({ "count": count, "repeats": repeats, "revision": now["revision"], "start_key": start_key });
    office.ask("POST", &format!("/api/dispatches/{key}/runs"), body).await
}

async fn ended(office: &Office, run: &Value) -> Value {
    for _ in 0..600 {
        let now = office.get(&format!("/api/runs/{}", run["id"])).await;
        if now["state"] == "done" {
            return now;
        }
        tokio::time::sleep(std::time::Duration::from_millis(20)).await;
    }
    panic!("run {run} never ended");
}

/// The text on the pages of a made PDF.
fn text_of(pdf: &[u8]) -> String {
    let folder = tempfile::tempdir().expect("a folder");
    let path = folder.path().join("a.pdf");
    std::fs::write(&path, pdf).expect("writes");
    let output = std::process::Command::new("pdftotext").arg(&path).arg("-").output().expect("poppler");
    String::from_utf8_lossy(&output.stdout).split_whitespace().collect::<Vec<_>>().join(" ")
}

/// A text without its spaces: pages part it otherwise than lines do.
fn plain(text: &str) -> String {
    text.chars().filter(|c| !c.is_whitespace()).collect()
}

/// The text on the pages of a preview.
fn text_of_page(page: &Value) -> String {
    let pieces = page["pages"].as_array().into_iter().flatten().flat_map(|p| p["text"].as_array().cloned().unwrap_or_default());
    pieces
        .filter_map(|t| t["text"].as_str().map(str::to_owned))
        .collect::<Vec<_>>()
        .join(" ")
        .split_whitespace()
        .collect::<Vec<_>>()
        .join(" ")
}

const MIXED: &str = r#"[
  { "ref": "A1", "due": "2026-11-01", "fee": "€10.00", "rate": "10%", "at": "9:30", "member": "yes", "note": "x & y", "lines": [{ "item": "Zinc", "amount": "€3.50" }, { "item": "Rope", "amount": "€1.25" }], "owner": { "name": "Ada", "since": "2019-04-01" } },
  { "ref": "A2", "due": null, "fee": null, "rate": null, "at": null, "member": "no", "note": "", "lines": [], "owner": null },
  { "ref": "A3", "due": "2026-12-24", "fee": "€701.08", "rate": "7.5%", "at": "17:05", "member": "yes", "note": "Möwe", "lines": [{ "item": "Sail", "amount": null }], "owner": { "name": "Tom", "since": null } }
]"#;

#[tokio::test]
async fn a_run_makes_the_very_record_that_the_preview_showed() {
    let lines = [
        "[: ref]: fee [: fee else \"none\"]; net [: net]; [:if net > 15]dear[:else]cheap[:end]; twice [: fee * 2]",
        "due [: due else \"never\"] at [: at else \"noon\"], rate [: rate else \"none\"], [: member], [: note else \"no note\"]",
        "total [: total]; [:repeat for lines][: item] [: amount else \"free\"]; [:end]of [: owner.name else \"nobody\"] since [: owner.since else \"ever\"]",
    ];
    let (office, key, sheet) = office(("cases.json", MIXED), &lines).await;
    let sheets = office.get("/api/sources").await;
    // The lists of the file are a sheet of their own.
    assert!(sheets[0]["sheets"].as_array().is_some_and(|s| s.len() == 2), "{sheets}");
    for (name, formula) in [("net", "fee * 2"), ("total", "sum(lines.amount) * (1 - rate)"), ("odd", "if(ref = \"A3\"; fee / 0; fee)")] {
        let (status, answer) =
            office.ask("POST", &format!("/api/sheets/{sheet}/columns"), json!({ "name": name, "formula": formula })).await;
        assert_eq!(status, StatusCode::OK, "{answer}");
    }
    let rows = office.get(&format!("/api/sheets/{sheet}/rows?from=0&count=1")).await;
    assert_eq!(rows["total"], 3);
    let bench = change(&office, &key, |b| {
        b["setup"]["channels"] = json!([]);
        b["setup"]["name"] = json!("[: ref]");
    })
    .await;
    let kinds: Vec<String> = bench["columns"]
        .as_array()
        .expect("columns")
        .iter()
        .map(|c| format!("{} {}", c["name"].as_str().unwrap_or("?"), c["type"].as_str().unwrap_or("?")))
        .collect();
    for wanted in ["fee money", "rate percent", "at time", "net money", "total money", "odd money", "lines list", "owner record"] {
        assert!(kinds.iter().any(|k| k == wanted), "{wanted} of {kinds:?}");
    }
    let checked = office.ask("POST", &format!("/api/dispatches/{key}/preflight"), Value::Null).await.1;
    assert_eq!((checked["wrong"].as_u64(), checked["causes"].as_array().map(Vec::len)), (Some(0), Some(0)), "{checked}");
    // A blank that was calculated with is told.
    assert!(checked["notes"].to_string().contains("“fee” is blank and counted as 0"), "{checked}");
    let mut previews = Vec::new();
    for record in bench["records"].as_array().expect("records") {
        previews.push(text_of_page(&office.get(&format!("/api/dispatches/{key}/pages/{}", record["row"])).await));
    }
    assert!(
        plain(&previews[0]).starts_with(&plain("A1: fee €10.00; net €20.00; dear; twice €20.00 due 1 Nov 2026 at 09:30, rate 10%")),
        "{previews:?}"
    );
    assert!(
        plain(&previews[1])
            .starts_with(&plain("A2: fee none; net €0.00; cheap; twice €0.00 due never at noon, rate none, no, no note total €0.00;")),
        "{previews:?}"
    );
    let (status, run) = start(&office, &key, 0, "once").await;
    assert_eq!(status, StatusCode::OK, "{run}");
    // What changes now reaches the run no more.
    let edits = json!({ "what": "Change", "cells": [{ "row": 1, "column": 0, "text": "B9" }], "added": [], "removed": [], "moved": null });
    office.ask("POST", &format!("/api/sheets/{sheet}/rows"), edits).await;
    let done = ended(&office, &run).await;
    assert_eq!((done["delivered"].as_u64(), done["failed"].as_u64()), (Some(3), Some(0)), "{done}");
    let items = office.get(&format!("/api/runs/{}/items", run["id"])).await;
    for (item, preview) in items.as_array().expect("items").iter().zip(&previews) {
        assert_eq!(item["state"], "made", "nothing was sent, so nothing was delivered");
        let made = text_of(&office.bytes(&format!("/api/documents/{}", item["documents"][0]["id"])).await);
        assert_eq!(plain(&made), plain(preview));
    }
}

/// The first document of an item.
async fn pdf(office: &Office, item: &Value) -> Vec<u8> {
    office.bytes(&format!("/api/documents/{}", item["documents"][0]["id"])).await
}

const PEOPLE: &str = "Ref;Name\nB1;Ada\nB2;Tom\nB3;Ida\n";

#[tokio::test]
async fn nothing_is_served_twice_without_a_deliberate_yes() {
    let (office, key, sheet) = office(("people.csv", PEOPLE), &["Dear [: name],"]).await;
    let path = format!("/api/dispatches/{key}");
    let (_, first) = start(&office, &key, 0, "first").await;
    ended(&office, &first).await;
    // The same start is the same run.
    let (status, same) = start(&office, &key, 0, "first").await;
    assert_eq!((status, &same["id"]), (StatusCode::OK, &first["id"]));
    let bench = office.get(&path).await;
    assert!(bench["records"].as_array().expect("records").iter().all(|r| r["served"]["run"] == first["id"]), "{bench}");
    let (status, refused) = start(&office, &key, 0, "second").await;
    assert_eq!((status, refused["code"].as_str()), (StatusCode::CONFLICT, Some("repeats")), "{refused}");
    assert!(
        refused["message"].as_str().is_some_and(|m| m.starts_with("3 of the records were already sent by this dispatch, last by run ")),
        "{refused}"
    );
    // A new row is all that is left; a changed one is found as such.
    let edits = json!({ "what": "Add", "cells": [{ "row": 2, "column": 1, "text": "Thomas" }], "added": [{ "after": null, "cells": ["B4", "Eve"] }], "removed": [], "moved": null });
    assert_eq!(office.ask("POST", &format!("/api/sheets/{sheet}/rows"), edits).await.0, StatusCode::OK);
    let rows =
        |bench: &Value| bench["records"].as_array().expect("records").iter().map(|r| r["row"].as_u64().unwrap_or(0)).collect::<Vec<_>>();
    assert_eq!(rows(&change(&office, &key, |b| b["setup"]["choose"] = json!("unserved")).await), [4]);
    assert_eq!(rows(&change(&office, &key, |b| b["setup"]["choose"] = json!("changed")).await), [2]);
    assert_eq!(rows(&change(&office, &key, |b| b["setup"]["choose"] = json!("failed-last")).await), [0u64; 0]);
    change(&office, &key, |b| b["setup"]["choose"] = json!("all")).await;
    let (status, second) = start(&office, &key, 3, "second").await;
    assert_eq!(status, StatusCode::OK, "confirmed with its number: {second}");
    assert_eq!(ended(&office, &second).await["count"], 4);
}

/// Starts at one moment: with one key, with different ones, or half and half.
async fn started_at_once(count: usize, key_of: impl Fn(usize) -> String) {
    let people: String = (1..=40).fold("Ref;Name\n".to_owned(), |all, n| all + &format!("B{n};Ada {n}\n"));
    let (office, key, _) = office(("people.csv", &people), &["Dear [: name],"]).await;
    let starts = (0..count).map(|n| {
        let (office, key, start_key) = (&office, &key, key_of(n));
        async move { start(office, key, 0, &start_key).await }
    });
    let answers = futures::future::join_all(starts).await;
    let runs: std::collections::HashSet<String> =
        answers.iter().filter(|(s, _)| *s == StatusCode::OK).map(|(_, r)| r["id"].to_string()).collect();
    let refused: Vec<&str> = answers.iter().filter(|(s, _)| *s != StatusCode::OK).filter_map(|(_, r)| r["code"].as_str()).collect();
    assert_eq!(runs.len(), 1, "{answers:?}");
    assert!(refused.iter().all(|code| ["going", "repeats"].contains(code)), "{refused:?}");
    let run = office.get("/api/runs").await[0].clone();
    assert_eq!(ended(&office, &run).await["delivered"], 40);
    assert_eq!(office.get("/api/runs").await.as_array().map(Vec::len), Some(1));
}

#[tokio::test]
async fn two_ten_or_fifty_starts_at_one_moment_are_one_run() {
    for count in [2, 10, 50] {
        started_at_once(count, |_| "pressed".to_owned()).await;
        started_at_once(count, |n| format!("window {n}")).await;
    }
    started_at_once(10, |n| if n % 2 == 0 { "pressed".to_owned() } else { format!("window {n}") }).await;
}

#[tokio::test]
async fn a_window_that_was_overtaken_overwrites_nothing_and_starts_nothing() {
    let (office, key, _) = office(("people.csv", PEOPLE), &["Dear [: name],"]).await;
    let path = format!("/api/dispatches/{key}");
    let seen = office.get(&path).await;
    change(&office, &key, |b| b["setup"]["formats"] = json!(["docx"])).await;
    let mut mine = seen.clone();
    mine["setup"]["name"] = json!("Mine [: ref]");
    let said = office.refused("PUT", &path, mine).await;
    assert!(said.starts_with("409 changed-elsewhere: This dispatch was changed in another window"), "{said}");
    let start = json!({ "count": 3, "revision": seen["revision"] });
    assert!(office.refused("POST", &format!("{path}/runs"), start).await.starts_with("409 changed-elsewhere"));
    assert_eq!(office.get(&path).await["setup"]["formats"], json!(["docx"]));
}

#[tokio::test]
async fn a_dispatch_is_copied_renamed_with_its_key_and_deleted() {
    let (office, key, _) = office(("people.csv", PEOPLE), &["Dear [: name],"]).await;
    let renamed = change(&office, &key, |b| b["name"] = json!("Spring letters")).await;
    assert_eq!((renamed["key"].as_str(), renamed["setup"]["name"].as_str()), (Some("spring-letters"), Some("Spring letters [: Ref]")));
    let (_, made) = office.ask("POST", "/api/dispatches/spring-letters/copy", Value::Null).await;
    assert_eq!(made["key"], "spring-letters-copy");
    let copy = office.get("/api/dispatches/spring-letters-copy").await;
    assert_eq!((copy["name"].as_str(), &copy["setup"]["name"]), (Some("Spring letters (copy)"), &renamed["setup"]["name"]));
    // Once it has run, its address stays, unless another is asked for.
    let (_, run) = start(&office, "spring-letters", 0, "x").await;
    ended(&office, &run).await;
    assert_eq!(change(&office, "spring-letters", |b| b["name"] = json!("Summer letters")).await["key"], "spring-letters");
    assert_eq!(change(&office, "spring-letters", |b| b["new_key"] = json!("summer")).await["key"], "summer");
    let mut taken = office.get("/api/dispatches/summer").await;
    taken["new_key"] = json!("spring-letters-copy");
    assert!(office.refused("PUT", "/api/dispatches/summer", taken).await.starts_with("422 key: “spring-letters-copy” can't be the key"));
    assert_eq!(office.ask("DELETE", "/api/dispatches/summer", Value::Null).await.0, StatusCode::OK);
    assert_eq!(office.get("/api/dispatches").await.as_array().map(Vec::len), Some(1));
}

#[tokio::test]
async fn findings_come_by_cause_with_the_act_that_puts_them_right() {
    let rows: String = (1..=5).fold("Ref;Paid;Due\n".to_owned(), |all, n| {
        all + &format!("B{n};{n}0.00;{}\n", if n == 4 { "soon".to_owned() } else { format!("2026-11-0{n}") })
    });
    let (office, key, sheet) =
        office(("dues.csv", &rows), &["Paid [: paid as money \"GBP\"], once more [: paid as money \"GBP\"]", "due [: due as date]"]).await;
    let body = json!({ "name": "Paid", "type": "money", "currency": "EUR" });
    office.ask("PUT", &format!("/api/sheets/{sheet}/columns/1"), body).await;
    let found = office.ask("POST", &format!("/api/dispatches/{key}/preflight"), Value::Null).await.1;
    let told: Vec<(String, usize, String)> = found["causes"]
        .as_array()
        .expect("causes")
        .iter()
        .map(|c| (c["code"].as_str().unwrap_or("?").to_owned(), c["records"].as_array().map_or(0, Vec::len), c["fix"].to_string()))
        .collect();
    assert_eq!(found["wrong"], 5);
    assert_eq!((told[0].0.as_str(), told[0].1), ("other-currency", 5), "{told:?}");
    assert_eq!(told[0].2, r#"{"act":"set-currency","column":"Paid","currency":"GBP"}"#);
    assert_eq!((told[1].0.as_str(), told[1].1, told[1].2.as_str()), ("misfit", 1, r#"{"act":"correct-cells","column":"Due","index":2}"#));
    // The page is shown all the same, with what fails marked on it.
    let page = office.get(&format!("/api/dispatches/{key}/pages/1")).await;
    assert!(text_of_page(&page).starts_with("Paid [: paid as money \"GBP\"] , once more"), "{}", text_of_page(&page));
    let failed = page["trace"].as_array().expect("a trace").iter().filter(|t| !t["failed"].is_null()).count();
    assert_eq!(failed, 2);
    // Both acts, and nothing is found any more.
    let body = json!({ "name": "Paid", "type": "money", "currency": "GBP" });
    office.ask("PUT", &format!("/api/sheets/{sheet}/columns/1"), body).await;
    let edits =
        json!({ "what": "Correct", "cells": [{ "row": 4, "column": 2, "text": "2026-11-04" }], "added": [], "removed": [], "moved": null });
    office.ask("POST", &format!("/api/sheets/{sheet}/rows"), edits).await;
    let found = office.ask("POST", &format!("/api/dispatches/{key}/preflight"), Value::Null).await.1;
    assert_eq!(found["causes"].as_array().map(Vec::len), Some(0), "{found}");
    // Cells that say € themselves can't be made pounds by a click.
    let edits = json!({ "what": "Sign", "cells": [{ "row": 1, "column": 1, "text": "€5" }], "added": [], "removed": [], "moved": null });
    office.ask("POST", &format!("/api/sheets/{sheet}/rows"), edits).await;
    office.ask("PUT", &format!("/api/sheets/{sheet}/columns/1"), json!({ "name": "Paid", "type": "money", "currency": "EUR" })).await;
    let found = office.ask("POST", &format!("/api/dispatches/{key}/preflight"), Value::Null).await.1;
    assert_eq!((found["causes"][0]["code"].as_str(), found["causes"][0]["fix"].is_null()), (Some("other-currency"), true), "{found}");
}

#[tokio::test]
async fn the_office_says_which_language_and_currency_files_and_forms_start_from() {
    let office = Office::empty().await;
    let mut settings = office.get("/api/settings").await;
    settings["locale"] = json!("en-US");
    settings["currency"] = json!("USD");
    assert_eq!(office.ask("PUT", "/api/settings", settings.clone()).await.0, StatusCode::OK);
    let (_, source) = office.upload("/api/sources", &[("dues.csv", b"Ref;Due;Paid\nB1;03/04/2026;20\nB2;05/06/2026;0\n")]).await;
    let sheet = &source["sheets"][0];
    assert_eq!((sheet["columns"][1]["type"].as_str(), sheet["columns"][2]["type"].as_str()), (Some("date"), Some("number")));
    let rows = office.get(&format!("/api/sheets/{}/rows?from=0&count=1", sheet["id"])).await;
    assert_eq!(rows["rows"][0]["cells"][1]["text"], "4 Mar 2026", "{rows}");
    let currencies = office.get("/api/currencies").await;
    assert!(
        currencies.as_array().is_some_and(|all| all.len() > 150 && all.iter().any(|c| c["code"] == "JPY" && c["name"] == "Japanese Yen"))
    );
    settings["currency"] = json!("EUX");
    assert!(office.refused("PUT", "/api/settings", settings).await.starts_with("422 unknown-currency"));
}

#[tokio::test]
async fn what_is_changed_later_does_not_reach_a_run_and_its_documents_are_made_again_byte_for_byte() {
    let lines = [
        "[: ref] of [: office.name], [: dispatch.name], [: DATEVALUE(\"03/04/2026\") as date long]",
        "[:clause \"terms\"]",
        "[:picture photo height 1cm]",
    ];
    let picture = |shade: u8| {
        let mut png = std::io::Cursor::new(Vec::new());
        image::RgbImage::from_pixel(20, 20, image::Rgb([shade, 90, 90])).write_to(&mut png, image::ImageFormat::Png).expect("written");
        png.into_inner()
    };
    let (office, key, sheet) = office(("boats.csv", "Ref;Photo\nB1;boat.png\nB2;boat.png\n"), &lines).await;
    let mut settings = office.get("/api/settings").await;
    settings["office_name"] = json!("Brackwater Quay");
    office.ask("PUT", "/api/settings", settings.clone()).await;
    let clause = json!({ "name": "terms", "language": "", "text": "Pay within 14 days." });
    let (status, all) = office.ask("POST", "/api/clauses", clause).await;
    assert_eq!(status, StatusCode::OK, "{all}");
    let (status, kept) = office.upload(&format!("/api/sheets/{sheet}/files"), &[("boat.png", &picture(40))]).await;
    assert_eq!(status, StatusCode::OK, "{kept}");
    change(&office, &key, |b| {
        b["name"] = json!("Boats");
        b["setup"]["channels"] = json!([]);
    })
    .await;
    let key = office.get("/api/dispatches").await[0]["key"].as_str().expect("a key").to_owned();
    let run = ended(&office, &start(&office, &key, 0, "a").await.1).await;
    let items = office.get(&format!("/api/runs/{}/items", run["id"])).await;
    let made = [pdf(&office, &items[0]).await, pdf(&office, &items[1]).await];
    let said = text_of(&made[0]);
    assert!(said.contains("B1 of Brackwater Quay, Boats, 3 April 2026") && said.contains("Pay within 14 days."), "{said}");

    // Everything that it was made with is another now.
    let mut settings = office.get("/api/settings").await;
    settings["office_name"] = json!("Another Quay");
    assert_eq!(office.ask("PUT", "/api/settings", settings).await.0, StatusCode::OK);
    let clauses = office.get("/api/clauses").await;
    let clause = json!({ "name": "terms", "language": "", "text": "Pay at once." });
    assert_eq!(office.ask("PUT", &format!("/api/clauses/{}", clauses[0]["id"]), clause).await.0, StatusCode::OK);
    office.upload(&format!("/api/sheets/{sheet}/files"), &[("boat.png", &picture(200))]).await;
    office.ask("PUT", &format!("/api/sheets/{sheet}/date-order"), json!({ "month_first": true })).await;
    change(&office, &key, |b| b["name"] = json!("Ships")).await;

    // A part of the run that is made only now is made as the rest was.
    let database = rusqlite::Connection::open(office.folder().join("mangle.sqlite")).expect("opens");
    database.execute_batch("DELETE FROM document; UPDATE item SET state = 'waiting', attempts = 0").expect("set");
    database.execute("UPDATE run SET state = 'running', finished = NULL", []).expect("set");
    ended(&office, &run).await;
    let items = office.get(&format!("/api/runs/{}/items", run["id"])).await;
    assert_eq!([pdf(&office, &items[0]).await, pdf(&office, &items[1]).await], made);

    // A new run takes the office as it is.
    let key = office.get("/api/dispatches").await[0]["key"].as_str().expect("a key").to_owned();
    let (status, second) = start(&office, &key, 2, "b").await;
    assert_eq!(status, StatusCode::OK, "{second}");
    ended(&office, &second).await;
    let items = office.get(&format!("/api/runs/{}/items", second["id"])).await;
    let said = text_of(&pdf(&office, &items[0]).await);
    assert!(said.contains("B1 of Another Quay, Ships, 4 March 2026") && said.contains("Pay at once."), "{said}");
    // Two snapshots for two runs.
    let count: i64 = database.query_row("SELECT count(*) FROM snapshot", [], |r| r.get(0)).expect("counted");
    assert_eq!(count, 2);
}
