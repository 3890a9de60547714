//! Share links: opened by whoever has the address, ended, withdrawn, guessed at.

use axum::http::StatusCode;
use serde_json::{Value, json};

use crate::office::{Office, PUBLIC};
use crate::runs::{KIND, Server, THREE, items, until};

const PATH: &str = "/api/dispatches/balance-reminders";

/// The demo's letter over three records by a share link, named in the message; `link` is its
/// settings.
async fn run_with(office: &Office, link: Value, hold: bool) -> (Value, Vec<Value>) {
    let mut bench = office.get(PATH).await;
    bench["setup"]["ties"]["harbour due"] = json!("Yearly fee");
    bench["setup"]["filter"] = json!(THREE);
    let channels = bench["setup"]["channels"].as_array_mut().expect("channels");
    channels[0]["channel"]["attach"] = json!(false);
    channels[0]["channel"]["body"] = json!("Read it at [: document.link] with [: document.passcode].");
    channels.push(
        json!({ "on": true, "name": "", "condition": "", "moment": if hold { "after-release" } else { "at-once" }, "channel": link }),
    );
    let (status, bench) = office.ask("PUT", PATH, bench).await;
    assert_eq!((status, &bench["obstacles"]), (StatusCode::OK, &json!([])), "{bench}");
    let run = office.ask("POST", &format!("{PATH}/runs"), json!({ "count": 3 })).await.1;
    match hold {
        false => until(office, &run["id"], |r| r["state"] == "done").await,
        true => until(office, &run["id"], |r| r["blocked"] == 3).await,
    };
    let items = items(office, &run["id"]).await;
    (run["id"].clone(), items)
}

fn link(more: Value) -> Value {
    let mut link = json!({ "kind": "link", "passcode": "", "days": null, "openings": null, "download": true });
    let all = link.as_object_mut().expect("settings");
    all.extend(more.as_object().cloned().expect("settings"));
    link
}

/// The share link's delivery of an item, and where the API has it.
fn shared(item: &Value) -> (&Value, String) {
    let delivery = item["deliveries"].as_array().expect("deliveries").iter().find(|own| own["kind"] == "link").expect("a link");
    let token = delivery["recipient"].as_str().and_then(|to| to.strip_prefix(&format!("{PUBLIC}/d/"))).expect("its address");
    (delivery, format!("/api/shared/{token}"))
}

#[tokio::test]
async fn a_document_is_read_under_its_address_until_it_is_withdrawn() {
    let (server, port) = Server::start(KIND).await;
    let office = Office::sending(port).await;
    let (run, all) = run_with(&office, link(json!({})), false).await;
    let (delivery, path) = shared(&all[0]);
    // The message names the very link, and nothing is attached to it.
    let token = path.rsplit('/').next().expect("a token");
    let texts = server.texts();
    let (text, files) = texts.iter().find(|(text, _)| text.contains(token)).expect("the message");
    assert!(text.contains(&format!("{PUBLIC}/d/{token} ")) && *files == 0, "{text}");

    let page = office.get(&path).await;
    assert_eq!((&page["office"], &page["state"], &page["message"]), (&json!("Brackwater Quay"), &json!("open"), &json!("")));
    let (status, opened) = office.ask("POST", &format!("{path}/open"), json!({})).await;
    assert_eq!((status, &opened["download"]), (StatusCode::OK, &json!(true)), "{opened}");
    assert_eq!(opened["documents"][0]["format"], "pdf");
    let file = format!("{path}/pdf?key={}", opened["key"].as_str().expect("a key"));
    let bytes = office.public_bytes(&file).await;
    assert!(bytes.starts_with(b"%PDF-"));
    assert_eq!(bytes, office.public_bytes(&file).await, "it is the same from memory");
    // Without the key there is no file, nor with that of another document.
    assert!(office.refused("GET", &format!("{path}/pdf?key=9999999999.x"), Value::Null).await.starts_with("404 opened-long-ago"));
    let (_, other) = shared(&all[1]);
    let stolen = file.replace(&path, &other);
    assert!(office.refused("GET", &stolen, Value::Null).await.starts_with("404 opened-long-ago"));
    assert!(office.refused("GET", &file.replace("/pdf?", "/docx?"), Value::Null).await.starts_with("404 no-link"));

    // Its opening is counted and told.
    let now = items(&office, &run).await;
    let (delivery_now, _) = shared(&now[0]);
    assert_eq!((&delivery_now["opened"], &delivery_now["revocable"]), (&json!(1), &json!(true)));
    let events = office.get(&format!("/api/items/{}/events", all[0]["id"])).await;
    let last = events.as_array().and_then(|all| all.last()).expect("events");
    assert_eq!((&last["who"], &last["what"]), (&json!("recipient"), &json!("opened")));

    let withdraw = format!("/api/deliveries/{}/withdraw", delivery["id"]);
    assert_eq!(office.ask("POST", &withdraw, Value::Null).await.0, StatusCode::OK);
    let page = office.get(&path).await;
    assert_eq!((&page["state"], &page["message"]), (&json!("closed"), &json!("Brackwater Quay has withdrawn this document.")));
    assert!(office.refused("POST", &format!("{path}/open"), json!({})).await.starts_with("409 closed"));
    assert!(office.refused("GET", &file, Value::Null).await.starts_with("409 closed"));
    assert!(office.refused("POST", &withdraw, Value::Null).await.starts_with("409 begun"));
    // A message that was sent can't be taken back.
    let mail = all[0]["deliveries"].as_array().expect("deliveries").iter().find(|own| own["kind"] == "email").expect("mail");
    assert!(office.refused("POST", &format!("/api/deliveries/{}/withdraw", mail["id"]), Value::Null).await.starts_with("409 begun"));
}

#[tokio::test]
async fn a_passcode_is_told_by_the_message_and_is_not_guessed() {
    let (server, port) = Server::start(KIND).await;
    let office = Office::sending(port).await;
    let (_, all) = run_with(&office, link(json!({ "passcode": "[: document.passcode]", "download": false })), false).await;
    let (_, path) = shared(&all[0]);
    let token = path.rsplit('/').next().expect("a token");
    assert_eq!(office.get(&path).await["state"], "passcode");
    let open = format!("{path}/open");
    assert!(office.refused("POST", &open, json!({})).await.starts_with("422 passcode"));
    let texts = server.texts();
    let (text, _) = texts.iter().find(|(text, _)| text.contains(token)).expect("the message");
    let told = text.split(" with ").nth(1).and_then(|rest| rest.get(..6)).expect("six digits");
    assert_eq!(shared(&all[0]).0["passcode"], told, "the office can say it on the telephone");
    let (status, opened) = office.ask("POST", &open, json!({ "passcode": format!(" {told} ") })).await;
    assert_eq!((status, &opened["download"]), (StatusCode::OK, &json!(false)), "{opened}");
    // Whoever tries one after the other is stopped long before a million.
    let mut refused = Vec::new();
    for guess in 0..40 {
        refused.push(office.refused("POST", &open, json!({ "passcode": format!("{guess:06}") })).await);
    }
    assert!(refused[0].starts_with("422 passcode: This is not the passcode."), "{}", refused[0]);
    assert!(refused.iter().filter(|told| told.starts_with("422")).count() <= 10);
    assert!(refused[39].starts_with("429 too-often"), "{}", refused[39]);
    let events = office.get(&format!("/api/items/{}/events", all[0]["id"])).await.to_string();
    assert!(events.contains("\"wrong passcode\"") && !events.contains("000001"), "{events}");
}

#[tokio::test]
async fn a_link_ends_by_its_openings_and_is_not_there_before_its_release() {
    let (_server, port) = Server::start(KIND).await;
    let office = Office::sending(port).await;
    let (_, all) = run_with(&office, link(json!({ "openings": 2, "days": 7 })), true).await;
    let (delivery, path) = shared(&all[0]);
    let page = office.get(&path).await;
    assert_eq!(page["message"], "This document is not available yet. Try again later.");
    let released = office.ask("POST", &format!("/api/deliveries/{}/release", delivery["id"]), Value::Null).await;
    assert_eq!(released.0, StatusCode::OK);
    for _ in 0..100 {
        if office.get(&path).await["state"] == "open" {
            break;
        }
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
    let open = format!("{path}/open");
    let first = office.ask("POST", &open, json!({})).await;
    assert_eq!((first.0, office.ask("POST", &open, json!({})).await.0), (StatusCode::OK, StatusCode::OK));
    let refused = office.refused("POST", &open, json!({})).await;
    assert!(refused.contains("as often as it can be. Ask Brackwater Quay for a new one"), "{refused}");
    // Whoever has it open goes on reading.
    let file = format!("{path}/pdf?key={}", first.1["key"].as_str().expect("a key"));
    assert!(office.public_bytes(&file).await.starts_with(b"%PDF-"));
}

#[tokio::test]
async fn nobody_finds_a_link_by_guessing_and_the_office_is_not_on_the_public_side() {
    let office = Office::furnished().await;
    let unknown = office.refused("GET", "/api/shared/AAAAAAAAAAAAAAAAAAAAAA", Value::Null).await;
    assert_eq!(unknown, "404 no-link: This link is not valid. Ask the sender for a new one.");
    // Deliveries without a page have no token at all, and nobody asks for that.
    for token in ["%20", "''", "..%2f", "null"] {
        assert!(office.refused("GET", &format!("/api/shared/{token}"), Value::Null).await.starts_with("404"), "{token}");
    }
    let mut stopped = 0;
    for guess in 0..10_000 {
        let told = office.refused("GET", &format!("/api/shared/guess{guess}"), Value::Null).await;
        stopped += usize::from(told.starts_with("429"));
    }
    assert!(stopped > 8_000, "{stopped} of 10,000 guesses were stopped");
    for office_only in ["/", "/api/runs", "/api/settings", "/healthz", "/metrics", "/api/openapi.json", "/sources"] {
        assert_eq!(office.public_status(office_only).await, StatusCode::NOT_FOUND, "{office_only}");
    }
    // The office leads whoever asks there to the public side.
    assert_eq!(office.leads_to("/d/abc?x=1").await, format!("{PUBLIC}/d/abc?x=1"));
    assert_eq!(office.leads_to("/f/abc").await, format!("{PUBLIC}/f/abc"));
}

#[tokio::test]
async fn the_example_of_a_preview_opens_nothing() {
    let office = Office::furnished().await;
    let mut bench = office.get(PATH).await;
    bench["setup"]["ties"]["harbour due"] = json!("Yearly fee");
    let all = bench["setup"]["channels"].as_array_mut().expect("channels");
    all.push(json!({ "on": true, "name": "", "condition": "", "moment": "at-once", "channel": link(json!({})) }));
    let bench = office.ask("PUT", PATH, bench).await.1;
    let shown = office.get(&format!("{PATH}/pages/{}", bench["records"][0]["row"])).await["deliveries"].to_string();
    assert!(shown.contains(&format!("{PUBLIC}/d/example")), "{shown}");
    let page = office.get("/api/shared/example").await;
    assert_eq!((&page["state"], page["message"].as_str().is_some_and(|told| told.contains("preview"))), (&json!("closed"), true));
    assert!(office.refused("POST", "/api/shared/example/open", json!({})).await.starts_with("404"));
    // A dispatch has one: the others name it.
    let mut bench = bench;
    let all = bench["setup"]["channels"].as_array_mut().expect("channels");
    all.push(all[1].clone());
    let bench = office.ask("PUT", PATH, bench).await.1;
    assert!(bench["obstacles"].to_string().contains("second-link"), "{}", bench["obstacles"]);
}
