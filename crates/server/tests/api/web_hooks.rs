//! Web hooks: posted to a small program of this machine, signed, tried again.

use std::sync::{Arc, Mutex};

use axum::Router;
use axum::body::Bytes;
use axum::extract::State;
use axum::http::{HeaderMap, StatusCode};
use axum::routing::post;
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use hmac::{Hmac, KeyInit, Mac};
use serde_json::{Value, json};
use sha2::Sha256;

use crate::office::Office;
use crate::runs::{THREE, items, until};

const PATH: &str = "/api/dispatches/balance-reminders";

/// What came: id, time, signature and body.
type Came = Arc<Mutex<Vec<(String, String, String, Bytes)>>>;

/// A program that is not well at first, and then takes what is posted.
async fn program() -> (u16, Came) {
    async fn take(State(came): State<Came>, headers: HeaderMap, body: Bytes) -> (StatusCode, &'static str) {
        let header = |name: &str| headers.get(name).and_then(|value| value.to_str().ok()).unwrap_or_default().to_owned();
        let mut came = came.lock().expect("whole");
        came.push((header("webhook-id"), header("webhook-timestamp"), header("webhook-signature"), body));
        match came.len() {
            1 => (StatusCode::SERVICE_UNAVAILABLE, "starting"),
            _ => (StatusCode::OK, "noted"),
        }
    }
    let came = Came::default();
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.expect("binds");
    let port = listener.local_addr().expect("bound").port();
    let router = Router::new().route("/hook", post(take)).with_state(came.clone());
    tokio::spawn(async move { axum::serve(listener, router).await });
    (port, came)
}

#[tokio::test(flavor = "multi_thread")]
async fn another_program_is_told_of_each_document_once_and_can_check_who_says_so() {
    let (port, came) = program().await;
    let office = Office::furnished().await;
    let mut bench = office.get(PATH).await;
    bench["setup"]["ties"]["harbour due"] = json!("Yearly fee");
    bench["setup"]["filter"] = json!(THREE);
    let values = json!([{ "name": "reference", "value": "[: ref]" }]);
    let hook = json!({ "kind": "web-hook", "url": format!("http://localhost:{port}/hook"), "documents": "content", "values": values });
    bench["setup"]["channels"] = json!([{ "on": true, "name": "", "condition": "", "moment": "at-once", "channel": hook }]);
    let (status, bench) = office.ask("PUT", PATH, bench).await;
    assert_eq!((status, &bench["obstacles"], &bench["hosts"]), (StatusCode::OK, &json!([]), &json!(["localhost"])), "{bench}");
    let run = office.ask("POST", &format!("{PATH}/runs"), json!({ "count": 3 })).await.1;
    let done = until(&office, &run["id"], |r| r["state"] == "done").await;
    assert_eq!(done["delivered"], 3, "{done}");

    let came = came.lock().expect("whole").clone();
    assert_eq!(came.len(), 4, "three documents, and one of them twice");
    assert_eq!(came.iter().filter(|(id, ..)| *id == came[0].0).count(), 2, "under the id of the first try");
    let about = office.get("/api/web-hook").await;
    let secret = about["secret"].as_str().and_then(|secret| secret.strip_prefix("whsec_")).expect("a secret");
    let secret = STANDARD.decode(secret).expect("base64");
    for (id, time, signature, body) in &came {
        // As the standard has it, by a library that the program itself does not use for it.
        let mut mac = Hmac::<Sha256>::new_from_slice(&secret).expect("a key");
        mac.update(format!("{id}.{time}.").as_bytes());
        mac.update(body);
        assert_eq!(*signature, format!("v1,{}", STANDARD.encode(mac.finalize().into_bytes())));
        let told: Value = serde_json::from_slice(body).expect("JSON");
        assert_eq!(told["data"]["dispatch"], "Balance reminders");
        let document = STANDARD.decode(told["data"]["documents"][0]["content"].as_str().expect("content")).expect("base64");
        assert!(document.starts_with(b"%PDF-"));
        assert!(told["data"]["values"]["reference"].as_str().is_some_and(|text| text.starts_with("BQ-")), "{told}");
    }
    let answers = about["answers"].as_array().expect("answers");
    assert_eq!(answers.len(), 4);
    assert!(answers.iter().any(|one| one["what"] == "put off" && one["detail"].as_str().is_some_and(|told| told.contains("starting"))));
    assert!(answers.iter().filter(|one| one["detail"] == "200 OK: noted").count() == 3, "{answers:?}");
    assert!(items(&office, &run["id"]).await.iter().all(|item| item["deliveries"][0]["receipt"] == "200 OK: noted"));

    // A test says what was answered, and a new secret is used from then on.
    let url = json!({ "url": format!("http://localhost:{port}/hook") });
    let (_, tried) = office.ask("POST", "/api/web-hook/test", url).await;
    assert_eq!((&tried["accepted"], &tried["answer"]), (&json!(true), &json!("200 OK: noted.")));
    let (_, tried) = office.ask("POST", "/api/web-hook/test", json!({ "url": "http://127.0.0.1:1/" })).await;
    assert!(tried["accepted"] == false && tried["answer"].as_str().is_some_and(|told| told.contains("--allow-host 127.0.0.1")), "{tried}");
    let renewed = office.ask("POST", "/api/web-hook/secret", Value::Null).await.1;
    assert_ne!(renewed["secret"], about["secret"]);
}

#[tokio::test]
async fn a_host_that_nobody_allowed_is_an_obstacle() {
    let office = Office::furnished().await;
    let mut bench = office.get(PATH).await;
    let hook = json!({ "kind": "web-hook", "url": "http://169.254.169.254/latest", "documents": "names", "values": [] });
    bench["setup"]["channels"] = json!([{ "on": true, "name": "", "condition": "", "moment": "at-once", "channel": hook }]);
    let bench = office.ask("PUT", PATH, bench).await.1;
    assert!(bench["obstacles"].to_string().contains("“169.254.169.254” is not allowed on this machine"), "{}", bench["obstacles"]);
}
