//! Folders that are buckets, at an S3 server that no one here wrote.

use axum::http::StatusCode;
use hyper_util::rt::{TokioExecutor, TokioIo};
use hyper_util::server::conn::auto::Builder;
use s3s::auth::SimpleAuth;
use s3s::service::S3ServiceBuilder;
use serde_json::{Value, json};

use crate::office::Office;
use crate::runs::{THREE, items, until};

const PATH: &str = "/api/dispatches/balance-reminders";

/// An S3 server over a folder, with one bucket and one key; its address.
async fn store(folder: &std::path::Path) -> String {
    std::fs::create_dir(folder.join("letters")).expect("a bucket");
    let mut builder = S3ServiceBuilder::new(s3s_fs::FileSystem::new(folder).expect("a file system"));
    builder.set_auth(SimpleAuth::from_single("quay", "tide-and-time"));
    let service = builder.build();
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.expect("binds");
    let at = format!("http://{}", listener.local_addr().expect("an address"));
    tokio::spawn(async move {
        while let Ok((stream, _)) = listener.accept().await {
            let service = service.clone();
            tokio::spawn(async move { drop(Builder::new(TokioExecutor::new()).serve_connection(TokioIo::new(stream), service).await) });
        }
    });
    at
}

async fn office(endpoint: &str, secret: &str, clash: &str) -> Office {
    let office = Office::furnished().await;
    let bucket =
        json!({ "name": "Archive", "endpoint": endpoint, "region": "", "bucket": "letters", "prefix": "2026/reminders", "key_id": "quay" });
    let refused = office.refused("PUT", "/api/buckets", json!({ "buckets": [bucket] })).await;
    assert!(refused.ends_with("No secret of the key of “Archive”. Enter it."), "{refused}");
    let (status, kept) = office.ask("PUT", "/api/buckets", json!({ "buckets": [bucket], "secrets": { "Archive": secret } })).await;
    assert_eq!((status, &kept["with_secret"]), (StatusCode::OK, &json!(["Archive"])), "{kept}");
    assert!(!office.get("/api/buckets").await.to_string().contains(secret));
    let mut bench = office.get(PATH).await;
    assert_eq!(bench["folders"], json!(["Office", "Archive"]));
    bench["setup"]["ties"]["harbour due"] = json!("Yearly fee");
    bench["setup"]["filter"] = json!(THREE);
    let channel = json!({ "kind": "folder", "folder": "Archive", "path": "[: last name]", "clash": clash });
    bench["setup"]["channels"] = json!([{ "on": true, "name": "", "condition": "", "moment": "at-once", "channel": channel }]);
    let (status, bench) = office.ask("PUT", PATH, bench).await;
    assert_eq!((status, &bench["obstacles"]), (StatusCode::OK, &json!([])), "{bench}");
    office
}

async fn run(office: &Office, again: bool) -> Value {
    let asked = json!({ "count": 3, "repeats": if again { 3 } else { 0 } });
    office.ask("POST", &format!("{PATH}/runs"), asked).await.1["id"].clone()
}

/// The files below a folder, by their names.
fn files(at: &std::path::Path) -> Vec<String> {
    let mut all = Vec::new();
    for entry in std::fs::read_dir(at).into_iter().flatten().flatten() {
        match entry.path().is_dir() {
            true => all.extend(files(&entry.path())),
            false => all.push(entry.file_name().to_string_lossy().into_owned()),
        }
    }
    all.retain(|name| name.ends_with(".pdf"));
    all.sort();
    all
}

#[tokio::test(flavor = "multi_thread")]
async fn documents_lie_in_the_bucket_and_are_numbered() {
    let folder = tempfile::tempdir().expect("a folder");
    let office = office(&store(folder.path()).await, "tide-and-time", "number").await;
    let id = run(&office, false).await;
    let done = until(&office, &id, |r| r["state"] == "done").await;
    assert_eq!((done["delivered"].as_u64(), done["failed"].as_u64()), (Some(3), Some(0)), "{}", items(&office, &id).await[0]);
    let below = folder.path().join("letters/2026/reminders");
    assert_eq!(files(&below).len(), 3);
    let first = &items(&office, &id).await[0]["deliveries"][0];
    assert!(first["receipt"].as_str().is_some_and(|told| told.starts_with("Archive/2026/reminders/")), "{first}");
    let id = run(&office, true).await;
    let done = until(&office, &id, |r| r["state"] == "done").await;
    assert_eq!(done["delivered"], 3, "{done}");
    let all = files(&below);
    assert_eq!((all.len(), all.iter().filter(|name| name.contains("(2)")).count()), (6, 3), "{all:?}");
}

#[tokio::test(flavor = "multi_thread")]
async fn what_an_earlier_try_has_put_there_gets_no_second_name() {
    let folder = tempfile::tempdir().expect("a folder");
    let office = office(&store(folder.path()).await, "tide-and-time", "number").await;
    let id = run(&office, false).await;
    until(&office, &id, |r| r["state"] == "done").await;
    // As if the answers had been lost, and the deliveries were to be tried again.
    let again = "UPDATE run SET state = 'running'; UPDATE delivery SET state = 'to send', due = 0";
    let database = rusqlite::Connection::open(office.folder().join("mangle.sqlite")).expect("opens");
    database.execute_batch(again).expect("written");
    let done = until(&office, &id, |r| r["delivered"] == 3 && r["state"] == "done").await;
    assert_eq!(done["failed"], 0, "{done}");
    let all = files(folder.path());
    assert!(all.len() == 3 && !all.iter().any(|name| name.contains("(2)")), "{all:?}");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_store_that_refuses_the_key_is_told_as_such() {
    let folder = tempfile::tempdir().expect("a folder");
    let office = office(&store(folder.path()).await, "wrong", "fail").await;
    let id = run(&office, false).await;
    let first = loop {
        let first = items(&office, &id).await[0]["deliveries"].get(0).cloned().unwrap_or_default();
        if first["error_message"].as_str().is_some_and(|text| !text.is_empty()) {
            break first;
        }
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    };
    assert_eq!((&first["state"], &first["error_code"]), (&json!("to send"), &json!("refused")), "{first}");
    assert_eq!(files(folder.path()), [""; 0]);
}
