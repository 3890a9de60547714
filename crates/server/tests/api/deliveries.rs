//! Deliveries over several channels: each with its own state, held, released, withdrawn, and
//! told in a timeline.

use std::time::Duration;

use axum::http::StatusCode;
use serde_json::{Value, json};

use crate::office::Office;
use crate::runs::{KIND, Manner, Server, THREE, delivery, items, until};

const PATH: &str = "/api/dispatches/balance-reminders";

/// The demo's letter over three records, with a folder beside the e-mail.
async fn two_channels(office: &Office, work: impl FnOnce(&mut Value)) -> Value {
    let mut bench = office.get(PATH).await;
    bench["setup"]["ties"]["harbour due"] = json!("Yearly fee");
    bench["setup"]["filter"] = json!(THREE);
    let folder = json!({ "kind": "folder", "folder": "Office", "path": "Letters/[: pontoon]", "clash": "number" });
    let all = bench["setup"]["channels"].as_array_mut().expect("channels");
    all.push(json!({ "on": true, "name": "", "condition": "", "moment": "at-once", "channel": folder }));
    work(&mut bench["setup"]);
    let (status, bench) = office.ask("PUT", PATH, bench).await;
    assert_eq!(status, StatusCode::OK, "{bench}");
    bench
}

async fn start(office: &Office, hold: bool) -> Value {
    let (status, run) = office.ask("POST", &format!("{PATH}/runs"), json!({ "count": 3, "hold": hold })).await;
    assert_eq!(status, StatusCode::OK, "{run}");
    run
}

fn files(office: &Office) -> Vec<String> {
    fn walk(at: &std::path::Path, all: &mut Vec<String>) {
        for entry in std::fs::read_dir(at).expect("a folder").flatten() {
            match entry.file_type().expect("a type").is_dir() {
                true => walk(&entry.path(), all),
                false => all.push(entry.path().to_string_lossy().into_owned()),
            }
        }
    }
    let (root, mut all) = (office.folder().join("office"), Vec::new());
    walk(&root, &mut all);
    let mut all: Vec<String> =
        all.iter().map(|path| path.trim_start_matches(&*root.to_string_lossy()).trim_start_matches('/').to_owned()).collect();
    all.sort();
    all
}

fn states(item: &Value) -> Vec<&str> {
    item["deliveries"].as_array().expect("deliveries").iter().filter_map(|d| d["state"].as_str()).collect()
}

#[tokio::test]
async fn one_record_goes_by_mail_and_into_its_folder_each_by_itself() {
    let (server, port) = Server::start(Manner { content: Some("554 no such thing here"), ..KIND }).await;
    let office = Office::sending(port).await;
    let bench = two_channels(&office, |_| {}).await;
    assert_eq!((&bench["obstacles"], &bench["folders"]), (&json!([]), &json!(["Office"])), "{bench}");
    let page = office.get(&format!("{PATH}/pages/{}", bench["records"][0]["row"])).await;
    let shown = page["deliveries"].to_string();
    assert!(shown.contains("\"label\":\"Subject\"") && shown.contains("Office/Letters/"), "{shown}");
    let run = start(&office, false).await;
    let done = until(&office, &run["id"], |r| r["state"] == "done").await;
    assert_eq!((done["failed"].as_u64(), done["delivered"].as_u64()), (Some(3), Some(0)), "{done}");
    let before = items(&office, &run["id"]).await;
    assert!(before.iter().all(|item| states(item) == ["failed", "delivered"] && item["state"] == "failed"), "{before:?}");
    let saved = files(&office);
    assert_eq!(saved.len(), 3, "{saved:?}");
    assert!(saved.iter().all(|path| path.starts_with("Letters/") && path.ends_with(".pdf")), "{saved:?}");
    let counts = format!("/api/runs/{}/channels", run["id"]);
    let count = |kind: &str, name: &str, state: &str| json!({ "kind": kind, "name": name, "states": [{ "state": state, "count": 3 }] });
    assert_eq!(office.get(&counts).await, json!([count("email", "E-mail", "failed"), count("folder", "Folder", "delivered")]));
    // What failed is tried again alone: the files stay as they are.
    server.set(KIND);
    office.ask("POST", &format!("/api/runs/{}/retry", run["id"]), Value::Null).await;
    let done = until(&office, &run["id"], |r| r["state"] == "done").await;
    assert_eq!((done["delivered"].as_u64(), server.taken().len()), (Some(3), 3), "{done}");
    assert_eq!(files(&office), saved);
    // Who asks for it again is told, and it gets a number where it is.
    let (status, refused) = office.ask("POST", &format!("{PATH}/runs"), json!({ "count": 3 })).await;
    assert_eq!((status, refused["code"].as_str()), (StatusCode::CONFLICT, Some("repeats")), "{refused}");
    let again = office.ask("POST", &format!("{PATH}/runs"), json!({ "count": 3, "repeats": 3 })).await.1;
    until(&office, &again["id"], |r| r["state"] == "done").await;
    assert_eq!(files(&office).iter().filter(|path| path.contains(" (2).pdf")).count(), 3);
    // Who watches the program sees it.
    let told = |bytes: Vec<u8>| String::from_utf8(bytes).expect("text");
    assert_eq!((told(office.bytes("/healthz").await), told(office.bytes("/readyz").await)), ("ok\n".into(), "ok\n".into()));
    let metrics = told(office.bytes("/metrics").await);
    assert!(metrics.contains("mangle_deliveries{channel=\"folder\",state=\"delivered\"} 6\n"), "{metrics}");
}

#[tokio::test]
async fn what_is_on_hold_waits_for_a_person_who_releases_one_or_all_or_withdraws() {
    let (server, port) = Server::start(KIND).await;
    let office = Office::sending(port).await;
    two_channels(&office, |_| {}).await;
    let run = start(&office, true).await;
    let id = &run["id"];
    assert_eq!(run["hold"], true);
    let held = until(&office, id, |r| r["blocked"] == 3).await;
    assert_eq!(held["state"], "running", "{held}");
    tokio::time::sleep(Duration::from_millis(700)).await;
    assert_eq!((server.taken().len(), files(&office).len()), (0, 0), "nothing leaves before its release");
    let all = items(&office, id).await;
    let act = |delivery: &Value, what: &str| format!("/api/deliveries/{}/{what}", delivery["id"]);
    assert_eq!(office.ask("POST", &act(delivery(&all[0]), "release"), Value::Null).await.0, StatusCode::OK);
    assert_eq!(office.ask("POST", &act(delivery(&all[1]), "withdraw"), Value::Null).await.0, StatusCode::OK);
    for _ in 0..100 {
        if server.taken().len() == 1 {
            break;
        }
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
    assert_eq!((server.taken().len(), files(&office).len()), (1, 0), "that one and no other");
    assert!(office.refused("POST", &act(delivery(&all[1]), "release"), Value::Null).await.starts_with("409 not-held"));
    assert!(office.refused("POST", &act(delivery(&all[0]), "withdraw"), Value::Null).await.starts_with("409 begun"));
    office.ask("POST", &format!("/api/runs/{id}/release"), Value::Null).await;
    let done = until(&office, id, |r| r["state"] == "done").await;
    assert_eq!((done["delivered"].as_u64(), done["left_out"].as_u64(), &done["hold"]), (Some(2), Some(1), &json!(false)), "{done}");
    assert_eq!((server.taken().len(), files(&office).len()), (2, 3));
    assert!(office.refused("POST", &format!("/api/runs/{id}/release"), Value::Null).await.starts_with("409 not-held"));
    // The timeline tells who did what.
    let events = office.get(&format!("/api/items/{}/events", all[1]["id"])).await;
    let told: Vec<String> = events
        .as_array()
        .expect("events")
        .iter()
        .map(|e| format!("{} {}", e["who"].as_str().unwrap_or("?"), e["what"].as_str().unwrap_or("?")))
        .collect();
    assert_eq!(told, ["mangle made", "user withdrawn", "mangle delivered"], "{events}");
    let of_run = office.get(&format!("/api/runs/{id}/events")).await;
    let told: Vec<&str> = of_run.as_array().expect("events").iter().filter_map(|e| e["what"].as_str()).collect();
    assert_eq!(told, ["started", "released", "finished"], "{of_run}");
}

#[tokio::test]
async fn a_condition_and_a_moment_are_of_one_channel_alone() {
    let (server, port) = Server::start(KIND).await;
    let office = Office::sending(port).await;
    two_channels(&office, |setup| {
        setup["channels"][0]["condition"] = json!("ref = \"BQ-0031\"");
        setup["channels"][1]["moment"] = json!("after-release");
    })
    .await;
    let run = start(&office, false).await;
    until(&office, &run["id"], |r| r["blocked"] == 3).await;
    for _ in 0..100 {
        if server.taken().len() == 1 {
            break;
        }
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
    let all = items(&office, &run["id"]).await;
    let mut first: Vec<&str> = all.iter().map(|item| states(item)[0]).collect();
    first.sort_unstable();
    assert_eq!(first, ["delivered", "skipped", "skipped"], "{all:?}");
    // A stopped run withdraws what it did not deliver.
    office.ask("POST", &format!("/api/runs/{}/stop", run["id"]), Value::Null).await;
    let all = items(&office, &run["id"]).await;
    assert!(all.iter().all(|item| states(item)[1] == "withdrawn"), "{all:?}");
    assert!(office.refused("POST", &format!("/api/runs/{}/release", run["id"]), Value::Null).await.starts_with("409 not-held"));
    assert_eq!((server.taken().len(), files(&office).len()), (1, 0));
}

#[tokio::test]
async fn a_channel_waits_for_its_time_and_a_person_may_send_before() {
    let (server, port) = Server::start(KIND).await;
    let office = Office::sending(port).await;
    two_channels(&office, |setup| {
        setup["channels"][0]["moment"] = json!("at-time");
        setup["channels"][0]["time"] = json!("date(2199; 12; 1)");
        setup["channels"][1]["moment"] = json!("at-time");
        setup["channels"][1]["time"] = json!("2020-01-01 08:00");
    })
    .await;
    let run = start(&office, false).await;
    let waits = until(&office, &run["id"], |r| r["scheduled"] == 3).await;
    assert_eq!((waits["state"].as_str(), waits["blocked"].as_u64()), (Some("running"), Some(0)), "{waits}");
    let all = items(&office, &run["id"]).await;
    assert!(all.iter().all(|item| states(item)[0] == "scheduled"), "{all:?}");
    assert!(all[0]["deliveries"][0]["opens"].as_str().is_some_and(|o| o.starts_with("2199-1")), "{all:?}");
    // What is scheduled is not held: releasing what is on hold moves none of it.
    assert!(office.refused("POST", &format!("/api/runs/{}/release", run["id"]), Value::Null).await.starts_with("409 not-held"));
    let act = |what: &str| format!("/api/deliveries/{}/{what}", all[0]["deliveries"][0]["id"]);
    assert!(office.refused("POST", &act("release"), Value::Null).await.starts_with("409 not-held"));
    office.ask("POST", &act("send-now"), Value::Null).await;
    assert!(office.refused("POST", &act("send-now"), Value::Null).await.starts_with("409 not-scheduled"), "two clicks send once");
    until(&office, &run["id"], |r| r["delivered"] == 1).await;
    office.ask("POST", &format!("/api/runs/{}/stop", run["id"]), Value::Null).await;
    assert_eq!(server.taken().len(), 1);
    assert_eq!(files(&office).len(), 3, "a time that is past is at once");
}

#[tokio::test]
async fn a_set_up_with_a_field_that_nobody_knows_is_refused() {
    let office = Office::furnished().await;
    for work in [
        |setup: &mut Value| setup["colour"] = json!("red"),
        |setup: &mut Value| setup["email"] = json!({ "to": "a@b.example", "subject": "", "body": "" }),
        |setup: &mut Value| setup["channels"][0]["channel"]["reply"] = json!("x"),
        |setup: &mut Value| setup["channels"][0]["channel"]["kind"] = json!("pigeon"),
        |setup: &mut Value| setup["pdf"]["colour"] = json!("red"),
    ] {
        let mut bench = office.get(PATH).await;
        work(&mut bench["setup"]);
        let (status, told) = office.ask("PUT", PATH, bench).await;
        assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY, "{told}");
    }
    let mut bench = office.get(PATH).await;
    bench["colour"] = json!("red");
    assert_eq!(office.ask("PUT", PATH, bench).await.0, StatusCode::UNPROCESSABLE_ENTITY);
    // A folder that the operator does not allow stops the run, and so does none at all.
    for (folder, told) in [("Elsewhere", "The folder “Elsewhere” is not allowed on this machine"), ("", "no folder")] {
        let bench = two_channels(&office, |setup| setup["channels"][1]["channel"]["folder"] = json!(folder)).await;
        let said = bench["obstacles"].to_string();
        assert!(said.to_lowercase().contains(&told.to_lowercase()) && said.contains("\"kind\":\"channel\",\"channel\":1"), "{said}");
        let mut bench = office.get(PATH).await;
        bench["setup"]["channels"].as_array_mut().expect("channels").pop();
        office.ask("PUT", PATH, bench).await;
    }
}

#[tokio::test]
async fn a_full_or_missing_folder_costs_no_message_and_is_tried_again() {
    let (server, port) = Server::start(KIND).await;
    let office = Office::sending(port).await;
    two_channels(&office, |_| {}).await;
    let (root, away) = (office.folder().join("office"), office.folder().join("unplugged"));
    std::fs::rename(&root, &away).expect("unplugged");
    let run = start(&office, false).await;
    until(&office, &run["id"], |r| r["waiting"] == 0).await;
    let mut waits = Vec::new();
    for _ in 0..200 {
        waits = items(&office, &run["id"]).await;
        // Tried at least once and waiting for another attempt, however often it has been tried by now.
        if waits.iter().all(|item| states(item) == ["delivered", "to send"] && item["deliveries"][1]["attempts"].as_u64() > Some(0)) {
            break;
        }
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
    assert!(waits.iter().all(|item| states(item) == ["delivered", "to send"]), "{waits:?}");
    assert!(
        waits[0]["deliveries"][1]["error_message"].as_str().is_some_and(|m| m.contains("is not there. Connect the drive")),
        "{waits:?}"
    );
    std::fs::rename(&away, &root).expect("plugged in again");
    let done = until(&office, &run["id"], |r| r["state"] == "done").await;
    assert_eq!((done["delivered"].as_u64(), server.taken().len(), files(&office).len()), (Some(3), 3, 3), "{done}");
}

#[tokio::test(flavor = "multi_thread")]
async fn whoever_wants_it_gets_one_summary_of_each_run_by_mail() {
    let (server, port) = Server::start(KIND).await;
    let office = Office::sending(port).await;
    two_channels(&office, |_| {}).await;
    let summaries = || server.texts().into_iter().filter(|(text, _)| text.starts_with("Run ")).map(|(text, _)| text).collect::<Vec<_>>();
    // Nobody has asked for one.
    let run = start(&office, false).await;
    until(&office, &run["id"], |r| r["state"] == "done").await;
    let settings = |wanted: bool| {
        let office = &office;
        async move {
            let mut settings = office.get("/api/settings").await;
            settings["run_summary"] = json!(wanted);
            settings["person_email"] = json!("ida@quay.example");
            assert_eq!(office.ask("PUT", "/api/settings", settings).await.0, StatusCode::OK);
        }
    };
    // The first run was thought of before: its summary is not sent later on.
    let thought_of = || {
        let store = rusqlite::Connection::open(office.folder().join("mangle.sqlite")).expect("the store");
        store.query_row("SELECT count(*) FROM run WHERE summary IS NULL", [], |r| r.get::<_, i64>(0)).expect("counts") == 0
    };
    for _ in 0..400 {
        if thought_of() {
            break;
        }
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
    settings(true).await;
    let (_, run) = office.ask("POST", &format!("{PATH}/runs"), json!({ "count": 3, "repeats": 3 })).await;
    until(&office, &run["id"], |r| r["state"] == "done").await;
    for _ in 0..200 {
        if !summaries().is_empty() {
            break;
        }
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
    // One, also after a further look at what has ended.
    tokio::time::sleep(Duration::from_secs(3)).await;
    let told = summaries();
    assert_eq!(told.len(), 1, "{told:?}");
    let id = &run["id"];
    assert!(told[0].starts_with(&format!("Run {id} of “Balance reminders” is done: 3 records.")), "{}", told[0]);
    assert!(told[0].contains("Delivered: 3") && told[0].contains(&format!("/runs/{id}?state=delivered")), "{}", told[0]);
}
