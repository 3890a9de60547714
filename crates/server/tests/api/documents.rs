//! Everything that was made: found by any word of it, one record at a time, edited in a word
//! processor, sent again on purpose, counted.

use std::process::Command;

use axum::http::StatusCode;
use serde_json::{Value, json};

use crate::office::Office;
use crate::runs::{KIND, Server, started, until};

/// An office whose reminders to five overdue holders have been delivered.
async fn reminded() -> (Office, Server, Value) {
    let (server, port) = Server::start(KIND).await;
    let office = Office::sending(port).await;
    let (status, run) = started(&office, "days overdue > 90 and e-mail is not blank").await;
    assert_eq!(status, StatusCode::OK, "{run}");
    let run = until(&office, &run["id"], |run| run["state"] == "done").await;
    assert_eq!(run["failed"], 0, "{run}");
    (office, server, run)
}

fn list(value: &Value) -> &Vec<Value> {
    value.as_array().expect("a list")
}

#[tokio::test(flavor = "multi_thread")]
async fn a_document_is_found_by_any_word_of_its_record_its_name_and_its_recipient() {
    let (office, _server, run) = reminded().await;
    let all = office.get("/api/documents").await;
    assert_eq!(all["count"], run["count"]);
    let first = &list(&all["documents"])[0];
    let find = async |query: String| list(&office.get(&format!("/api/documents?{query}")).await["documents"]).clone();
    let has = |found: &[Value]| found.iter().any(|one| one["item"] == first["item"]);
    let address = first["recipients"].as_str().expect("an address");
    let name = first["label"].as_str().expect("a label");
    let ascii: String = name.split_whitespace().last().unwrap_or_default().chars().filter(char::is_ascii).collect();
    for word in [&address[..6], address, &ascii[..3], &first["file_name"].as_str().expect("a name")[..8]] {
        let word = word.replace(' ', "%20").replace('@', "%40");
        assert!(has(&find(format!("find={word}")).await), "{word} in {first}");
    }
    // Several words are all asked for, and none has a meaning of its own.
    assert!(find(format!("find={}%20nowhere", &address[..6])).await.is_empty());
    for odd in ["%22", "NOT%20x", "label%3Ay*", "(", "%27%20OR%201%3D1", "%00"] {
        find(format!("find={odd}")).await;
    }
    let at = first["made"].as_str().expect("a moment")[..10].to_owned();
    assert!(has(&find(format!("dispatch=balance-reminders&state=delivered&from={at}&to={at}")).await));
    assert!(find("dispatch=berth-list".into()).await.is_empty());
    assert!(has(&find("find=reminder&dispatch=balance-reminders".into()).await));
    assert!(find("find=reminder&dispatch=berth-list".into()).await.is_empty());
    assert!(find("state=failed".into()).await.is_empty());
    assert!(find("to=2020-01-01".into()).await.is_empty());
    assert!(find("proofs=true".into()).await.is_empty());
    assert!(office.refused("GET", "/api/documents?from=soon", Value::Null).await.contains("is not a date"));
    // Page by page, each once.
    let (one, rest) = (find("count=2".into()).await, find(format!("count=500&before={}", list(&all["documents"])[1]["item"])).await);
    assert_eq!(one.len() + rest.len(), list(&all["documents"]).len());
    // Between days and by a word as well: three at a time, until there are no more.
    for query in [format!("from={at}&to={at}"), "find=reminder".to_owned()] {
        let (mut seen, mut before) = (Vec::new(), String::new());
        loop {
            let page = office.get(&format!("/api/documents?{query}&count=3{before}")).await;
            assert_eq!(page["count"], run["count"], "counted alike on each page");
            let Some(last) = list(&page["documents"]).last() else { break };
            before = format!("&before={}", last["item"]);
            seen.extend(list(&page["documents"]).iter().map(|one| one["item"].clone()));
        }
        let whole: Vec<Value> = list(&all["documents"]).iter().map(|one| one["item"].clone()).collect();
        let mut sorted = seen.clone();
        sorted.sort_by_key(Value::as_i64);
        sorted.dedup();
        assert_eq!((seen.len(), sorted.len()), (whole.len(), whole.len()), "{query}: each once");
    }

    let items: Vec<&Value> = one.iter().map(|one| &one["item"]).collect();
    let (status, zip) = office.post_bytes("/api/documents.zip", json!({ "items": items })).await;
    assert_eq!(status, StatusCode::OK);
    let archive = zip::ZipArchive::new(std::io::Cursor::new(zip)).expect("a zip");
    assert_eq!(archive.len(), 2);
    let (status, pdf) = office.post_bytes("/api/documents.pdf", json!({ "items": items })).await;
    assert_eq!((status, &pdf[..5]), (StatusCode::OK, &b"%PDF-"[..]));
    assert!(office.refused("POST", "/api/documents.pdf", json!({ "items": [] })).await.contains("no files"));

    // The ledger counts the same, and the table adds up.
    let ledger = office.get("/api/ledger?by=month").await;
    assert_eq!(ledger["all"]["documents"], run["count"], "{ledger}");
    assert_eq!(ledger["all"]["delivered"], run["count"]);
    assert_eq!(ledger["rows"][0]["key"], "balance-reminders");
    let periods: u64 = list(&ledger["periods"]).iter().map(|one| one["documents"].as_u64().unwrap_or(0)).sum();
    assert_eq!(json!(periods), run["count"]);
    let channels = office.get("/api/ledger?of=channel").await;
    assert_eq!((&channels["rows"][0]["name"], &channels["rows"][0]["delivered"]), (&json!("E-mail"), &run["count"]));
    let csv = String::from_utf8(office.bytes("/api/ledger.csv?table=rows").await).expect("text");
    assert!(csv.starts_with("Dispatch,Documents,Pages,Delivered,Failed,Proofs,Seconds\n"), "{csv}");
    assert!(csv.contains(&format!("Balance reminders,{},", run["count"])), "{csv}");
    assert!(office.refused("GET", "/api/ledger?from=2026-02-01&to=2026-01-01", Value::Null).await.contains("before the first"));
}

#[tokio::test(flavor = "multi_thread")]
async fn one_search_finds_documents_and_the_rows_that_they_were_made_from() {
    let (office, _server, run) = reminded().await;
    let document = list(&office.get("/api/documents").await["documents"])[0].clone();
    let address = document["recipients"].as_str().expect("an address");
    let found = office.get(&format!("/api/find?find={}", address.replace('@', "%40"))).await;
    assert_eq!(list(&found["documents"])[0]["item"], document["item"], "{found}");
    let row = &list(&found["rows"])[0];
    let (sheet, number) = (&row["sheet"], &row["number"]);
    let whole = office.get(&format!("/api/sheets/{sheet}/rows/{number}")).await;
    assert!(whole.to_string().contains(address), "{whole}");
    assert!(row["name"].as_str().is_some_and(|name| name.ends_with(address)), "{row}");
    // So many of each at most; of what is nearly everywhere, nothing.
    let many = office.get("/api/find?find=reminder").await;
    assert_eq!(list(&many["documents"]).len() as u64, run["count"].as_u64().expect("a count").min(8));
    let many = office.get("/api/find?find=an").await;
    for row in list(&many["rows"]) {
        assert!(list(&many["rows"]).iter().filter(|other| other["sheet"] == row["sheet"]).count() <= 3, "{many}");
    }
    for nothing in ["", "a", "%20a%20", "nowhere%20at%20all"] {
        let found = office.get(&format!("/api/find?find={nothing}")).await;
        assert_eq!((list(&found["documents"]).len(), list(&found["rows"]).len()), (0, 0), "{nothing}: {found}");
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn what_was_delivered_goes_again_once_for_each_deliberate_yes() {
    let (office, server, run) = reminded().await;
    let before = server.taken().len();
    let item = list(&office.get(&format!("/api/runs/{}/items", run["id"])).await)[0].clone();
    let (delivery, address) = (&item["deliveries"][0]["id"], item["deliveries"][0]["recipient"].as_str().expect("an address").to_owned());
    let path = format!("/api/deliveries/{delivery}/repeat");
    assert!(office.refused("POST", &path, json!({ "times": 0 })).await.contains("sent 1 time meanwhile"));
    let (status, answer) = office.ask("POST", &path, json!({ "times": 1 })).await;
    assert_eq!(status, StatusCode::OK, "{answer}");
    // The second click of a double click.
    let second = office.refused("POST", &path, json!({ "times": 1 })).await;
    assert!(second.starts_with("409"), "{second}");
    until(&office, &run["id"], |run| run["state"] == "done").await;
    let taken = server.taken();
    assert_eq!(taken.len(), before + 1);
    assert_eq!(taken.iter().filter(|one| **one == address).count(), 2);
    // They are two messages to whoever tells them apart.
    let ids: std::collections::HashSet<String> = server
        .raw()
        .iter()
        .filter_map(|raw| mail_parser::MessageParser::default().parse(raw.as_bytes())?.message_id().map(str::to_owned))
        .collect();
    assert_eq!(ids.len(), taken.len());
    assert!(office.refused("POST", &path, json!({ "times": 1 })).await.contains("sent 2 times meanwhile"));
    let events = office.get(&format!("/api/items/{}/events", item["id"])).await;
    assert!(list(&events).iter().any(|event| event["what"] == "sent again" && event["who"] == "user"), "{events}");
    // Of the record, it is still one document.
    assert_eq!(office.get(&format!("/api/items/{}", item["id"])).await["document"]["state"], "delivered");
}

/// Changes a DOCX as a word processor does, by a library that no one here wrote.
fn edited_by_another(docx: &[u8], old: &str, new: &str) -> Vec<u8> {
    let folder = tempfile::tempdir().expect("a folder");
    let (from, to) = (folder.path().join("from.docx"), folder.path().join("to.docx"));
    std::fs::write(&from, docx).expect("written");
    let script = "import sys, docx
d = docx.Document(sys.argv[1])
found = False
for p in d.paragraphs:
    if sys.argv[3] in p.text:
        p.text, found = p.text.replace(sys.argv[3], sys.argv[4]), True
assert found, [p.text for p in d.paragraphs]
d.save(sys.argv[2])";
    let python = std::env::var("MANGLE_PYTHON").unwrap_or_else(|_| "python3".into());
    let done = Command::new(python).args(["-c", script]).arg(&from).arg(&to).args([old, new]).output().expect("python runs");
    assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
    std::fs::read(to).expect("written")
}

fn text_of(pdf: &[u8]) -> String {
    let folder = tempfile::tempdir().expect("a folder");
    let file = folder.path().join("a.pdf");
    std::fs::write(&file, pdf).expect("written");
    let done = Command::new("pdftotext").arg(&file).arg("-").output().expect("pdftotext runs");
    String::from_utf8_lossy(&done.stdout).into_owned()
}

#[tokio::test(flavor = "multi_thread")]
async fn one_record_is_held_edited_in_a_word_processor_and_goes_out_as_it_was_edited() {
    let (server, port) = Server::start(KIND).await;
    let office = Office::sending(port).await;
    let path = "/api/dispatches/balance-reminders";
    let mut bench = office.get(path).await;
    bench["setup"]["ties"]["harbour due"] = json!("Yearly fee");
    bench["setup"]["filter"] = json!("days overdue > 30 and e-mail is not blank");
    let (_, bench) = office.ask("PUT", path, bench).await;
    let rows: Vec<u64> = list(&bench["records"]).iter().filter_map(|one| one["row"].as_u64()).collect();
    let (row, other) = (rows[0], rows[1]);
    let one = office.get(&format!("{path}/one/{row}")).await;
    let sheet = one["sheet"].clone();
    assert_eq!(office.get(&format!("/api/sheets/{sheet}/rows/{row}")).await["key"], row.to_string());
    assert_eq!(one["without_questions"], false);
    assert_eq!((&one["selected"], &one["repeats"], &one["obstacles"]), (&json!(true), &json!(0), &json!([])), "{one}");
    let (status, page) = office.ask("POST", &format!("{path}/one/{row}/page"), json!({ "answers": {} })).await;
    assert_eq!((status, &page["findings"]), (StatusCode::OK, &json!([])), "{page}");

    let start = json!({ "hold": true, "repeats": 0, "revision": one["revision"], "start_key": "a" });
    let (status, run) = office.ask("POST", &format!("{path}/one/{row}"), start.clone()).await;
    assert_eq!(status, StatusCode::OK, "{run}");
    let (_, same) = office.ask("POST", &format!("{path}/one/{row}"), start).await;
    assert_eq!(same["id"], run["id"], "the same start is one run");
    until(&office, &run["id"], |run| run["blocked"] == 1).await;
    // Another of the same record needs the number of those before; a run of others is in nobody's way.
    let again = office.refused("POST", &format!("{path}/one/{row}"), json!({ "hold": false, "repeats": 0 })).await;
    assert!(again.contains("repeats"), "{again}");
    let (status, beside) = office.ask("POST", &format!("{path}/one/{other}"), json!({ "hold": false })).await;
    assert_eq!(status, StatusCode::OK, "{beside}");
    until(&office, &beside["id"], |run| run["state"] == "done").await;
    let before = server.taken().len();

    let item = list(&office.get(&format!("/api/runs/{}/items", run["id"])).await)[0]["id"].clone();
    let docx = office.bytes(&format!("/api/items/{item}/docx")).await;
    let detail = office.get(&format!("/api/items/{item}")).await;
    assert_eq!((&detail["fixed"], list(&detail["versions"]).len()), (&Value::Null, 1), "{detail}");
    let changed = edited_by_another(&docx, "Brackwater", "Brackwater by the sea");
    let (status, answer) = office.upload_as("PUT", &format!("/api/items/{item}/docx"), &[("edited.docx", &changed)]).await;
    assert_eq!(status, StatusCode::OK, "{answer}");
    let said = |changes: &Value| changes.to_string().contains("by the sea");
    assert!(said(&answer["changes"]), "{answer}");
    assert!(said(&office.get(&format!("/api/items/{item}/changes")).await), "the differences are there later, too");
    let detail = office.get(&format!("/api/items/{item}")).await;
    let pdfs: Vec<&Value> = list(&detail["versions"]).iter().filter(|own| own["format"] == "pdf").collect();
    assert_eq!((pdfs.len(), &pdfs[0]["kind"], &pdfs[1]["kind"]), (2, &json!("edited"), &json!("made")));
    let version = |at: usize| format!("/api/documents/{}/versions/{}", pdfs[at]["document"], pdfs[at]["version"]);
    assert!(text_of(&office.bytes(&version(0)).await).contains("by the sea"));
    assert!(!text_of(&office.bytes(&version(1)).await).contains("by the sea"), "the first version stays");

    // Where its values come from is told as it was made.
    let trace = office.get(&format!("/api/items/{item}/trace")).await;
    let read = list(&trace["trace"]).iter().flat_map(|own| list(&own["read"])).any(|own| own["field"] == "Last_Name");
    assert!(read && trace["marks"].as_array().is_some_and(|marks| !marks.is_empty()), "{trace}");

    // It was held all the while.
    assert_eq!(server.taken().len(), before);
    let delivery = &detail["item"]["deliveries"][0]["id"];
    assert_eq!(office.ask("POST", &format!("/api/deliveries/{delivery}/release"), Value::Null).await.0, StatusCode::OK);
    until(&office, &run["id"], |run| run["state"] == "done").await;
    let raw = server.raw().pop().expect("a message");
    let message = mail_parser::MessageParser::default().parse(raw.as_bytes()).expect("a message");
    let attached = mail_parser::MimeHeaders::attachment_name(message.attachment(0).expect("the document")).map(str::to_owned);
    assert!(attached.is_some_and(|name| name.ends_with(".pdf")));
    assert!(text_of(message.attachment(0).expect("the document").contents()).contains("by the sea"));

    // What is no document of this record changes nothing.
    let refuse = async |name: &str, bytes: &[u8]| {
        let (status, answer) = office.upload_as("PUT", &format!("/api/items/{item}/docx"), &[(name, bytes)]).await;
        assert!(status.is_client_error(), "{answer}");
        answer["code"].as_str().unwrap_or_default().to_owned()
    };
    assert_eq!(refuse("edited.pdf", b"%PDF-1.7").await, "not-docx");
    assert_eq!(refuse("template.docx", &crate::office::file("reminder.docx")).await, "placeholders");
    refuse("broken.docx", b"PK\x03\x04nothing").await;
    assert_eq!(list(&office.get(&format!("/api/items/{item}")).await["versions"]).len(), list(&detail["versions"]).len());
}

#[tokio::test(flavor = "multi_thread")]
async fn a_person_is_found_everywhere_and_erased_and_the_log_names_nobody() {
    let (office, _server, run) = reminded().await;
    let item = list(&office.get(&format!("/api/runs/{}/items", run["id"])).await)[0].clone();
    let address = item["deliveries"][0]["recipient"].as_str().expect("an address").to_owned();
    let document = office.bytes(&format!("/api/documents/{}", item["documents"][0]["id"])).await;
    let file = {
        let digest = <sha2::Sha256 as sha2::Digest>::digest(&document);
        let name: String = digest.iter().map(|byte| format!("{byte:02x}")).collect();
        office.folder().join("files").join(&name[..2]).join(&name)
    };
    assert!(file.exists());
    let (_, found) = office.ask("POST", "/api/persons", json!({ "text": address.to_uppercase() })).await;
    assert!(!list(&found["rows"]).is_empty() && !list(&found["documents"]).is_empty(), "{found}");
    assert!(office.refused("POST", "/api/persons", json!({ "text": "ab" })).await.contains("at least 3"));
    let rows: Vec<Value> = list(&found["rows"]).iter().map(|one| json!([one["sheet"], one["row"]])).collect();
    let items: Vec<&Value> = list(&found["documents"]).iter().map(|one| &one["item"]).collect();
    let (status, erased) = office.ask("POST", "/api/erasures", json!({ "rows": rows, "items": items, "note": "request 7" })).await;
    assert_eq!(status, StatusCode::OK, "{erased}");
    let local = address.split('@').next().unwrap_or_default().to_lowercase();
    assert!(!erased.to_string().to_lowercase().contains(&local), "{erased}");
    assert_eq!(erased["erased"]["documents"]["Balance reminders"], json!(items.len()));
    let (_, after) = office.ask("POST", "/api/persons", json!({ "text": address })).await;
    assert_eq!((&after["rows"], &after["documents"]), (&json!([]), &json!([])), "{after}");
    assert!(!file.exists(), "the document's file is gone");
    // That it was sent stays, and no more than that; nothing of it can be sent again.
    let detail = office.get(&format!("/api/items/{}", item["id"])).await;
    assert!(detail["document"]["removed"].as_str().expect("a note").ends_with("erased on request"), "{detail}");
    assert!(!detail.to_string().to_lowercase().contains(&local), "{detail}");
    assert_eq!(office.get(&format!("/api/runs/{}", run["id"])).await["count"], run["count"]);
    let repeat = format!("/api/deliveries/{}/repeat", item["deliveries"][0]["id"]);
    assert!(office.refused("POST", &repeat, json!({ "times": 1 })).await.starts_with("409"));
    assert_eq!(office.get("/api/erasures").await[0]["note"], "request 7");
    // The row does not come back by undo.
    let sheet = &list(&found["rows"])[0]["sheet"];
    let (_, step) = office.ask("POST", &format!("/api/sheets/{sheet}/undo"), Value::Null).await;
    assert_eq!(step["what"], Value::Null, "{step}");
    // Not a trace in the store, its log or its index.
    office.app.store.checkpoint().await.expect("written");
    for name in ["mangle.sqlite", "mangle.sqlite-wal"] {
        let bytes = std::fs::read(office.folder().join(name)).unwrap_or_default();
        let found = bytes.windows(address.len()).any(|part| part.eq_ignore_ascii_case(address.as_bytes()));
        assert!(!found, "{name} still holds {address}");
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn a_run_beyond_the_months_limit_is_warned_of_and_the_ledger_shows_it() {
    let (office, _server, run) = reminded().await;
    let path = "/api/dispatches/balance-reminders";
    let mut bench = office.get(path).await;
    let made = run["count"].as_u64().expect("a count");
    bench["setup"]["monthly_limit"] = json!(made);
    let (status, bench) = office.ask("PUT", path, bench).await;
    assert_eq!(status, StatusCode::OK, "{bench}");
    let text = String::from_utf8(office.bytes(&format!("{path}/preflight?totals=true")).await).expect("text");
    let last: Value = serde_json::from_str(text.trim().lines().last().expect("a line")).expect("JSON");
    let note = list(&last["notes"]).iter().find(|note| note["code"] == "beyond-monthly-limit").expect("a note");
    assert!(
        note["message"].as_str().expect("words").contains(&format!("created {} documents this month. Its limit is {made}", 2 * made)),
        "{note}"
    );
    let row = &office.get("/api/ledger").await["rows"][0];
    assert_eq!((&row["monthly_limit"], &row["this_month"]), (&json!(made), &json!(made)), "{row}");
}

#[tokio::test(flavor = "multi_thread")]
async fn pages_are_shown_in_the_frames_of_sites_that_the_office_names_and_of_no_others() {
    let office = Office::furnished().await;
    let (_, form) = office.ask("POST", "/api/forms", json!({ "name": "Berths" })).await;
    let token = form["address"].as_str().expect("an address").rsplit('/').next().expect("a token").to_owned();
    let policy = async |path: String, public: bool| office.header(&path, "content-security-policy", public).await;
    let frames = format!("/api/frames/form/{}", form["id"]);
    assert!(policy(format!("/f/{token}"), true).await.contains("frame-ancestors 'none'"));
    let (status, set) = office.ask("PUT", &frames, json!({ "origins": ["https://WWW.quay.example/", " "] })).await;
    assert_eq!((status, &set["origins"]), (StatusCode::OK, &json!(["https://www.quay.example"])));
    assert!(policy(format!("/f/{token}"), true).await.contains("frame-ancestors https://www.quay.example;"));
    // Another form, a signer's page and the office itself stay as they were.
    for (path, public) in [("/f/another", true), ("/s/another", true)] {
        assert!(policy(path.to_owned(), public).await.contains("frame-ancestors 'none'"), "{path}");
    }
    assert_eq!(policy("/go/refit-quotes/1".into(), false).await, "", "the guard of the listener adds the usual one");
    assert!(
        office
            .refused("PUT", &frames, json!({ "origins": ["https://a.example; script-src *"] }))
            .await
            .contains("not the address of a site")
    );
    assert_eq!(office.get(&frames).await["origins"], json!(["https://www.quay.example"]));
    assert!(office.refused("PUT", "/api/frames/connection/99", json!({ "origins": [] })).await.starts_with("404"));
    // Its address as a code that is read back.
    let svg = String::from_utf8(office.bytes(&format!("/api/forms/{}/qr.svg", form["id"])).await).expect("text");
    assert!(svg.starts_with("<svg") && svg.contains("<path"), "{svg}");
}

#[tokio::test(flavor = "multi_thread")]
async fn templates_and_forms_are_copied_renamed_and_labelled() {
    let office = Office::furnished().await;
    let template = list(&office.get("/api/templates").await).iter().find(|own| own["name"] == "reminder").expect("one").clone();
    let at = format!("/api/templates/{}", template["id"]);
    let (status, copy) = office.ask("POST", &format!("{at}/copy"), Value::Null).await;
    assert_eq!((status, &copy["name"]), (StatusCode::OK, &json!("reminder (copy)")), "{copy}");
    assert_eq!(copy["placeholders"], office.get(&at).await["placeholders"]);
    let (_, renamed) = office.ask("PUT", &format!("{at}/name"), json!({ "name": "  Reminder \n letter " })).await;
    assert_eq!(renamed["name"], "Reminder letter");
    assert!(office.refused("PUT", &format!("{at}/name"), json!({ "name": " " })).await.to_lowercase().contains("enter a name"));
    let (_, form) = office.ask("POST", "/api/forms", json!({ "name": "Berths" })).await;
    let (_, copy) = office.ask("POST", &format!("/api/forms/{}/copy", form["id"]), Value::Null).await;
    assert_eq!((&copy["name"], &copy["state"], &copy["answers"]), (&json!("Berths (copy)"), &json!("closed"), &json!(0)));
    assert_ne!(copy["address"], form["address"]);

    let (status, labels) =
        office.ask("PUT", "/api/labels/dispatch/balance-reminders", json!({ "labels": ["Winter", " winter", "Money "] })).await;
    assert_eq!(status, StatusCode::OK, "{labels}");
    assert_eq!(labels, json!([{ "kind": "dispatch", "key": "balance-reminders", "labels": ["Money", "Winter"] }]));
    assert!(office.refused("PUT", "/api/labels/dispatch/nothing", json!({ "labels": [] })).await.starts_with("404"));
    assert_eq!(office.ask("DELETE", "/api/dispatches/balance-reminders", Value::Null).await.0, StatusCode::OK);
    assert_eq!(office.get("/api/labels").await, json!([]), "they go with it");
}

#[tokio::test(flavor = "multi_thread")]
async fn public_pages_carry_the_offices_logo_and_no_script_in_its_place() {
    let office = Office::furnished().await;
    assert_eq!(office.public_status("/api/logo").await, StatusCode::NO_CONTENT);
    let mut png = Vec::new();
    image::RgbImage::from_pixel(8, 8, image::Rgb([90, 60, 110]))
        .write_to(&mut std::io::Cursor::new(&mut png), image::ImageFormat::Png)
        .expect("a picture");
    assert_eq!(office.upload_as("PUT", "/api/office-logo", &[("logo.png", &png)]).await.0, StatusCode::OK);
    assert_eq!(office.public_bytes("/api/logo").await, png);
    assert_eq!(office.header("/api/logo", "content-type", true).await, "image/png");
    for (name, bytes) in [("a.svg", b"<svg onload='x'/>".as_slice()), ("a.png", b"\x89PNG\r\n\x1a\nbroken"), ("a.gif", b"GIF89a")] {
        let (status, refused) = office.upload_as("PUT", "/api/office-logo", &[(name, bytes)]).await;
        assert_eq!((status.as_u16(), &refused["code"]), (422, &json!("picture")), "{name}");
    }
    assert_eq!(office.public_bytes("/api/logo").await, png, "what was refused changes nothing");
    assert_eq!(office.ask("DELETE", "/api/office-logo", Value::Null).await.0, StatusCode::OK);
    assert_eq!(office.public_status("/api/logo").await, StatusCode::NO_CONTENT);
}
