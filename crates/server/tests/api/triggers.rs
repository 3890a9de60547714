//! Triggers: an answer, a call, a change in the CRM start a run by themselves, once each; what has
//! findings waits for a person.

use std::time::{Duration, SystemTime, UNIX_EPOCH};

use axum::http::StatusCode;
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use hmac::{Hmac, KeyInit, Mac};
use mangle_practice::crm::TOKEN;
use serde_json::{Value, json};
use sha2::Sha256;

use crate::crm;
use crate::office::{Office, docx};
use crate::runs::{KIND, Server, until};

/// A dispatch over a sheet with one channel and one trigger, which is on; its path.
async fn dispatch(office: &Office, sheet: &Value, text: &str, channel: Value, trigger: Value) -> String {
    let template = office.upload("/api/templates", &[("letter.docx", &docx(text))]).await.1;
    let new = json!({ "name": "Welcome", "template_id": template["id"], "sheet_id": sheet });
    let made = office.ask("POST", "/api/dispatches", new).await.1;
    let path = format!("/api/dispatches/{}", made["key"].as_str().expect("a key"));
    change(office, &path, |setup| {
        setup["channels"] = json!([{ "on": true, "name": "", "condition": "", "moment": "at-once", "channel": channel }]);
        setup["triggers"] = json!([{ "id": 0, "on": true, "hold": false, "trigger": trigger }]);
    })
    .await;
    path
}

async fn change(office: &Office, path: &str, change: impl FnOnce(&mut Value)) -> Value {
    let mut bench = office.get(path).await;
    change(&mut bench["setup"]);
    let (status, bench) = office.ask("PUT", path, bench).await;
    assert_eq!(status, StatusCode::OK, "{bench}");
    bench
}

/// A form that asks for a name and an address, opened; its sheet and where it is answered.
async fn form(office: &Office) -> (Value, String) {
    let form = office.ask("POST", "/api/forms", json!({ "name": "Winter lay-up request" })).await.1;
    let fields = json!([
        { "kind": "text", "name": "first name", "label": "First name", "required": true },
        { "kind": "text", "name": "address", "label": "E-mail" },
    ]);
    let draft = json!({ "title": "Request", "locale": "en-GB", "send": "Send", "thanks": "Thank you.", "fields": fields });
    let path = format!("/api/forms/{}", form["id"]);
    assert_eq!(office.ask("PUT", &path, draft).await.0, StatusCode::OK);
    let open = office.ask("POST", &format!("{path}/open"), Value::Null).await.1;
    let token = open["address"].as_str().and_then(|address| address.rsplit_once("/f/")).expect("an address").1.to_owned();
    (office.get(&path).await["sheet_id"].clone(), format!("/api/answer/{token}"))
}

fn mail() -> Value {
    json!({ "kind": "email", "to": "[: address]", "cc": "", "bcc": "", "subject": "Welcome", "body": "Hello [: first name]" })
}

async fn answer(office: &Office, address: &str, name: &str, to: &str) {
    let (status, said) = office.ask("POST", address, json!({ "given": { "1": name, "2": to } })).await;
    assert_eq!(status, StatusCode::OK, "{said}");
}

/// The firings of a dispatch, once they are as they should be.
async fn firings(office: &Office, path: &str, what: impl Fn(&[Value]) -> bool) -> Vec<Value> {
    let mut last = Vec::new();
    for _ in 0..400 {
        last = office.get(&format!("{path}/firings")).await["firings"].as_array().expect("a list").clone();
        if what(&last) {
            return last;
        }
        tokio::time::sleep(Duration::from_millis(25)).await;
    }
    panic!("it never came so far: {last:?}");
}

fn count(all: &[Value], state: &str) -> usize {
    all.iter().filter(|one| one["state"] == state).count()
}

/// The person at work in the demo, who is told of what waits.
const PERSON: &str = "ida@brackwater-quay.example";

/// The recipients of documents.
fn recipients(server: &Server) -> Vec<String> {
    server.taken().into_iter().filter(|to| to != PERSON).collect()
}

/// Waits until so many messages have come, and gives their recipients.
async fn taken(server: &Server, count: usize) -> Vec<String> {
    for _ in 0..800 {
        if recipients(server).len() >= count {
            break;
        }
        tokio::time::sleep(Duration::from_millis(25)).await;
    }
    let mut taken = recipients(server);
    taken.sort();
    taken
}

#[tokio::test(flavor = "multi_thread")]
async fn each_answer_makes_its_document_once_and_one_with_findings_waits() {
    let (server, port) = Server::start(KIND).await;
    let office = Office::sending(port).await;
    let (sheet, address) = form(&office).await;
    answer(&office, &address, "Early", "early@quay.example").await;
    let path = dispatch(&office, &sheet, "Dear [: first name]", mail(), json!({ "kind": "answer" })).await;
    let began = std::time::Instant::now();
    answer(&office, &address, "Ada", "ada@quay.example").await;
    assert_eq!(taken(&server, 1).await, ["ada@quay.example"], "what was answered before the trigger was on has no document");
    let told = firings(&office, &path, |all| count(all, "started") == 1).await;
    assert!(began.elapsed() < Duration::from_secs(20), "{:?}", began.elapsed());
    let history = office.get(&format!("/api/runs/{}/events", told[0]["run"])).await;
    assert!(history.to_string().contains("On each answer"), "{history}");

    // One without an address waits; nothing is sent for it, and others go on.
    answer(&office, &address, "Grace", "").await;
    answer(&office, &address, "Bo", "bo@quay.example").await;
    let told = firings(&office, &path, |all| count(all, "waiting") == 1 && count(all, "started") == 2).await;
    assert!(told[0]["message"].as_str().is_some_and(|why| why.contains("no e-mail address")), "{}", told[0]);
    assert_eq!(taken(&server, 2).await, ["ada@quay.example", "bo@quay.example"]);
    // A person is told of it, puts it right and has it tried again.
    for _ in 0..800 {
        if server.taken().iter().any(|to| to == PERSON) {
            break;
        }
        tokio::time::sleep(Duration::from_millis(25)).await;
    }
    let row = told[0]["rows"][0].clone();
    let cell = json!({ "what": "Address", "cells": [{ "row": row, "column": 2, "text": "grace@quay.example" }] });
    let (status, said) = office.ask("POST", &format!("/api/sheets/{sheet}/rows"), cell).await;
    assert_eq!(status, StatusCode::OK, "{said}");
    let retry = format!("/api/firings/{}/retry", told[0]["id"]);
    assert_eq!(office.ask("POST", &retry, Value::Null).await.0, StatusCode::OK);
    assert_eq!(taken(&server, 3).await.len(), 3);
    firings(&office, &path, |all| count(all, "started") == 3).await;
    assert_eq!(office.ask("POST", &retry, Value::Null).await.0, StatusCode::CONFLICT, "it is done");

    // Many at once: each once.
    let all = futures::future::join_all((0..10).map(|n| {
        let (office, address) = (&office, &address);
        async move { answer(office, address, "Crew", &format!("crew{n}@quay.example")).await }
    }));
    all.await;
    assert_eq!(taken(&server, 13).await.len(), 13);
    firings(&office, &path, |all| count(all, "started") == 13).await;
    let mut once = recipients(&server);
    once.sort();
    once.dedup();
    assert_eq!(once.len(), 13);

    // Switched off, an answer is an answer.
    change(&office, &path, |setup| setup["triggers"][0]["on"] = json!(false)).await;
    answer(&office, &address, "Late", "late@quay.example").await;
    tokio::time::sleep(Duration::from_millis(1_500)).await;
    assert_eq!(recipients(&server).len(), 13);
    // The person was told of the one that waited, once.
    assert_eq!(server.taken().iter().filter(|to| *to == PERSON).count(), 1);
}

#[tokio::test(flavor = "multi_thread")]
async fn a_dispatch_with_problems_sends_nothing_and_goes_on_once_they_are_mended() {
    let (server, port) = Server::start(KIND).await;
    let office = Office::sending(port).await;
    let (sheet, address) = form(&office).await;
    let path = dispatch(&office, &sheet, "Dear [: first name]", mail(), json!({ "kind": "answer" })).await;
    change(&office, &path, |setup| setup["channels"][0]["channel"]["subject"] = json!("Hello [: first name")).await;
    answer(&office, &address, "Ada", "ada@quay.example").await;
    let told = firings(&office, &path, |all| count(all, "waiting") == 1).await;
    assert!(
        told[0]["message"].as_str().is_some_and(|why| why.starts_with("The run can’t start") || why.starts_with("The run can't start")),
        "{}",
        told[0]
    );
    // Put aside, and taken up again after all.
    let id = told[0]["id"].clone();
    assert_eq!(office.ask("POST", &format!("/api/firings/{id}/dismiss"), Value::Null).await.1["state"], "dismissed");
    change(&office, &path, |setup| setup["channels"][0]["channel"]["subject"] = json!("Hello")).await;
    assert_eq!(recipients(&server), [] as [&str; 0]);
    office.ask("POST", &format!("/api/firings/{id}/retry"), Value::Null).await;
    assert_eq!(taken(&server, 1).await, ["ada@quay.example"]);
    // An answer that the filter leaves out starts nothing, and says so.
    change(&office, &path, |setup| setup["filter"] = json!("first name = \"Ada\"")).await;
    answer(&office, &address, "Bo", "bo@quay.example").await;
    let told = firings(&office, &path, |all| count(all, "nothing") == 1).await;
    assert_eq!(told[0]["message"], "The record is not among those that the dispatch and this trigger select.");
}

#[tokio::test(flavor = "multi_thread")]
async fn an_api_call_starts_one_run_however_often_it_is_sent() {
    let (server, port) = Server::start(KIND).await;
    let office = Office::sending(port).await;
    let (sheet, address) = form(&office).await;
    for name in ["ada", "bo"] {
        answer(&office, &address, name, &format!("{name}@quay.example")).await;
    }
    let path = dispatch(&office, &sheet, "Dear [: first name]", mail(), json!({ "kind": "call", "again": false })).await;
    let firing_path = format!("{path}/firings");
    let rows = json!({ "rows": [1] });
    let calls = (0..10).map(|_| office.ask_once(&firing_path, "order-7", rows.clone()));
    let answers = futures::future::join_all(calls).await;
    assert!(answers.iter().all(|(status, one)| *status == StatusCode::ACCEPTED && one["id"] == answers[0].1["id"]), "{answers:?}");
    assert_eq!(taken(&server, 1).await, ["ada@quay.example"]);
    // Another call for the same record and one more: the first has its document.
    let (_, second) = office.ask_once(&firing_path, "order-8", json!({ "rows": [1, 2] })).await;
    let done = firings(&office, &path, |all| count(all, "started") == 2).await;
    assert_eq!(taken(&server, 2).await, ["ada@quay.example", "bo@quay.example"]);
    assert_eq!(office.get(&format!("/api/firings/{}", second["id"])).await["run"], done[0]["run"]);
    office.ask_once(&firing_path, "order-9", json!({ "rows": [1] })).await;
    let told = firings(&office, &path, |all| count(all, "nothing") == 1).await;
    assert!(told[0]["message"].as_str().is_some_and(|why| why.starts_with("Already made by run")), "{}", told[0]);
    assert_eq!(office.ask_once(&firing_path, "", json!({})).await.0, StatusCode::UNPROCESSABLE_ENTITY, "no key");
    let (status, refused) = office.ask_once(&firing_path, "order-9", json!({ "rows": [2] })).await;
    assert!(status == StatusCode::UNPROCESSABLE_ENTITY && refused["message"].to_string().contains("other rows"), "{refused}");
    change(&office, &path, |setup| setup["triggers"] = json!([])).await;
    assert_eq!(office.ask_once(&firing_path, "order-10", json!({})).await.1["code"], "no-trigger");
}

/// Posts a message to a web hook, signed with a secret.
async fn tell(office: &Office, address: &str, secret: &str, id: &str, late: u64) -> StatusCode {
    let path = address.split_once("example").expect("an address").1;
    let key = STANDARD.decode(secret.trim_start_matches("whsec_")).expect("base64");
    let at = SystemTime::now().duration_since(UNIX_EPOCH).expect("after 1970").as_secs() - late;
    let mut mac = Hmac::<Sha256>::new_from_slice(&key).expect("a key");
    mac.update(format!("{id}.{at}.{{}}").as_bytes());
    let signature = format!("v1,AAAA v1,{}", STANDARD.encode(mac.finalize().into_bytes()));
    let at = at.to_string();
    office.public_post(path, &[("webhook-id", id), ("webhook-timestamp", &at), ("webhook-signature", &signature)], "{}").await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_record_of_the_crm_that_comes_to_meet_a_condition_starts_a_run_once_for_each_crossing() {
    let (office, _crm, address) = crm::office(5).await;
    let stage = async |case: &str, stage: &str| {
        let asked = reqwest::Client::new().patch(format!("{address}Cases('{case}')")).bearer_auth(TOKEN).json(&json!({ "Stage": stage }));
        assert!(asked.header("if-match", "*").send().await.expect("answers").status().is_success());
    };
    stage("RC-0001", "Won").await;
    stage("RC-0002", "Quoted").await;
    let asks = json!({ "root": "Cases", "picks": { "fields": ["CaseID", "Stage"], "lists": [] }, "order": "CaseID" });
    let query = office.ask("POST", "/api/queries", json!({ "name": "Cases", "connection_id": 1, "asks": asks })).await.1;
    assert_eq!(crm::fetched(&office, &query["id"]).await["state"], "done");
    let folder = json!({ "kind": "folder", "folder": "Office", "path": "", "clash": "number" });
    let trigger = json!({ "kind": "crm", "condition": "Stage = \"Won\"", "minutes": null });
    let path = dispatch(&office, &query["sheet_id"], "Receipt for [: CaseID]", folder, trigger).await;
    let hook = office.get(&format!("{path}/firings")).await["triggers"][0]["hook"].clone();
    let (to, secret) = (hook["address"].as_str().expect("an address"), hook["secret"].as_str().expect("a secret"));
    // The first look finds nothing, though a case is won already.
    tokio::time::sleep(Duration::from_millis(1_500)).await;
    assert_eq!(office.get(&format!("{path}/firings")).await["firings"], json!([]));

    stage("RC-0002", "Won").await;
    assert_eq!(tell(&office, to, secret, "m1", 0).await, StatusCode::ACCEPTED);
    let told = firings(&office, &path, |all| count(all, "started") == 1).await;
    assert_eq!(told[0]["key"], "RC-0002 1");
    let run = until(&office, &told[0]["run"], |run| run["state"] == "done").await;
    assert_eq!((&run["count"], &run["delivered"]), (&json!(1), &json!(1)));
    // The same message again, and another about nothing: no second run.
    for id in ["m1", "m2"] {
        assert_eq!(tell(&office, to, secret, id, 0).await, StatusCode::ACCEPTED);
    }
    tokio::time::sleep(Duration::from_millis(1_500)).await;
    firings(&office, &path, |all| all.len() == 1).await;
    // Back and forth is another crossing.
    stage("RC-0002", "Quoted").await;
    tell(&office, to, secret, "m3", 0).await;
    tokio::time::sleep(Duration::from_millis(1_500)).await;
    stage("RC-0002", "Won").await;
    tell(&office, to, secret, "m4", 0).await;
    let told = firings(&office, &path, |all| count(all, "started") == 2).await;
    assert_eq!(told[0]["key"], "RC-0002 2");

    // Another question to the CRM brings records that meet the condition: none has come to meet it.
    let asks =
        json!({ "root": "Cases", "picks": { "fields": ["CaseID", "Stage"], "lists": [] }, "filter": "Stage = \"Won\"", "order": "CaseID" });
    assert_eq!(office.ask("PUT", &format!("/api/queries/{}", query["id"]), asks).await.0, StatusCode::OK);
    tokio::time::sleep(Duration::from_millis(2_500)).await;
    firings(&office, &path, |all| all.len() == 2).await;
    // A condition on what the records have not is told beside the trigger.
    change(&office, &path, |setup| setup["triggers"][0]["trigger"]["condition"] = json!("Stagee = \"Won\"")).await;
    let told = office.get(&format!("{path}/firings")).await["triggers"][0]["problems"].clone();
    assert!(told.to_string().contains("Did you mean"), "{told}");
    change(&office, &path, |setup| setup["triggers"][0]["trigger"]["condition"] = json!("Stage = \"Won\"")).await;

    // Wrongly signed, too old, at a guessed address: nothing.
    assert_eq!(tell(&office, to, "whsec_AAAAAAAAAAAAAAAAAAAAAAAA", "m5", 0).await, StatusCode::UNPROCESSABLE_ENTITY);
    assert_eq!(tell(&office, to, secret, "m6", 4_000).await, StatusCode::UNPROCESSABLE_ENTITY);
    assert_eq!(tell(&office, &format!("{}x", &to[..to.len() - 1]), secret, "m7", 0).await, StatusCode::NOT_FOUND);
    assert_eq!(tell(&office, "https://pages.quay.example/api/hooks/1-1-", secret, "m8", 0).await, StatusCode::NOT_FOUND);
    firings(&office, &path, |all| all.len() == 2).await;
}

#[tokio::test]
async fn a_trigger_that_can_not_start_anything_says_why() {
    let office = Office::furnished().await;
    let path = "/api/dispatches/balance-reminders";
    change(&office, path, |setup| {
        let of = |trigger: Value| json!({ "id": 0, "on": false, "hold": false, "trigger": trigger });
        setup["triggers"] = json!([
            of(json!({ "kind": "answer" })),
            of(json!({ "kind": "crm", "condition": "balance >", "minutes": 0 })),
            of(json!({ "kind": "schedule", "every": { "unit": "week", "days": [] }, "time": "08:00", "missed": "skip" })),
            of(json!({ "kind": "schedule", "every": { "unit": "month", "day": null }, "time": "07:30", "missed": "catch-up" })),
        ]);
    })
    .await;
    let told = office.get(&format!("{path}/firings")).await;
    let codes = |at: usize| -> Vec<String> {
        let problems = told["triggers"][at]["problems"].as_array().expect("a list");
        problems.iter().map(|one| one["code"].as_str().unwrap_or("?").to_owned()).collect()
    };
    assert_eq!((codes(0), codes(2), codes(3)), (vec!["no-form".into()], vec!["no-day".into()], vec![]), "{told}");
    assert_eq!(codes(1), ["no-crm", "condition", "minutes"]);
    assert_eq!(told["triggers"][3]["words"], "on the last day of every month at 07:30");
    assert_eq!(told["triggers"][3]["next"], json!([]), "it is off");
    // A copy has them, and starts nothing.
    change(&office, path, |setup| setup["triggers"][3]["on"] = json!(true)).await;
    let copy = office.ask("POST", &format!("{path}/copy"), Value::Null).await.1;
    let copied = office.get(&format!("/api/dispatches/{}", copy["key"].as_str().expect("a key"))).await;
    let on: Vec<bool> = copied["setup"]["triggers"].as_array().expect("a list").iter().filter_map(|own| own["on"].as_bool()).collect();
    assert_eq!(on, [false; 4]);
    let ids: Vec<u64> = told["triggers"].as_array().expect("a list").iter().filter_map(|one| one["id"].as_u64()).collect();
    assert_eq!(ids, [1, 2, 3, 4]);
    let bench = change(&office, path, |setup| setup["triggers"][3]["on"] = json!(true)).await;
    assert_eq!(bench["setup"]["triggers"][3]["id"], 4);
    let next = office.get(&format!("{path}/firings")).await["triggers"][3]["next"].clone();
    let next: Vec<&str> = next.as_array().expect("a list").iter().filter_map(Value::as_str).collect();
    assert!(next.len() == 5 && next.is_sorted() && next.iter().all(|at| at.ends_with("T07:30:00")), "{next:?}");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_form_that_is_answered_five_hundred_times_makes_each_document_once() {
    let (server, port) = Server::start(KIND).await;
    let office = Office::sending(port).await;
    let (sheet, address) = form(&office).await;
    dispatch(&office, &sheet, "Dear [: first name]", mail(), json!({ "kind": "answer" })).await;
    let token = address.trim_start_matches("/api/answer/").to_owned();
    // As many senders as answers: what holds one sender back is another test's.
    let mut at_once = tokio::task::JoinSet::new();
    for number in 0..500 {
        let (app, token) = (office.app.clone(), token.clone());
        at_once.spawn(async move {
            let given = json!({ "given": { "1": format!("Guest {number}"), "2": format!("guest{number}@quay.example") } });
            let sent = serde_json::from_value(given).expect("an answer");
            mangle_app::forms::door::send(&app, token, sent).await.is_ok_and(|taken| taken.is_ok())
        });
        if number % 20 == 19 {
            while let Some(taken) = at_once.join_next().await {
                assert!(taken.expect("answers"), "every answer is taken");
            }
        }
    }
    let mut got = Vec::new();
    for _ in 0..4_000 {
        got = recipients(&server);
        if got.len() >= 500 {
            break;
        }
        tokio::time::sleep(Duration::from_millis(25)).await;
    }
    got.sort();
    let before = got.len();
    got.dedup();
    assert_eq!((got.len(), before), (500, 500), "each once, none lost");
}
