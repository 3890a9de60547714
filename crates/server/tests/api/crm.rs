//! CRMs: connected, asked, fetched, changed beneath us.

use std::time::Duration;

use axum::http::StatusCode;
use mangle_practice::crm::{Behaviour, Crm, TOKEN, serve};
use serde_json::{Value, json};

use crate::office::Office;

/// An office beside a practice CRM with so many cases, connected.
pub async fn office(cases: usize) -> (Office, Crm, String) {
    let crm = Crm::new(cases);
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.expect("binds");
    let address = format!("http://{}/odata/", listener.local_addr().expect("an address"));
    tokio::spawn(serve(listener, crm.clone()));
    let office = Office::empty().await;
    let (status, body) = office.ask("POST", "/api/connections", json!({ "name": "Yard", "address": address, "token": TOKEN })).await;
    assert_eq!(status, StatusCode::OK, "{body}");
    (office, crm, address)
}

fn survey() -> Value {
    json!({
        "root": "Cases",
        "picks": {
            "fields": ["CaseID", "Stage", "Opened", "ValidUntil", "Vessel/Name", "Vessel/LOA", "Contact/LastName"],
            "lists": [
                { "way": "Lines", "picks": { "fields": ["Item", "Qty", "Price"] }, "filter": "not optional", "order": "Position" },
                { "way": "Defects", "order": "Position", "picks": { "fields": ["Title"], "lists": [
                    { "way": "Photographs", "picks": { "fields": ["Picture", "Caption"] }, "first": 2 }
                ] } },
            ],
        },
        "filter": "stage in (\"Inspected\"; \"Quoted\")",
        "order": "CaseID",
    })
}

pub async fn fetched(office: &Office, id: &Value) -> Value {
    for _ in 0..600 {
        let now = office.get(&format!("/api/queries/{id}/fetch")).await;
        match now["state"].as_str() {
            Some("waiting" | "records" | "pictures") => tokio::time::sleep(Duration::from_millis(50)).await,
            _ => return now,
        }
    }
    panic!("the fetch did not end");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_question_brings_records_with_lists_and_pictures() {
    let (office, crm, _) = office(40).await;
    // Tried on a few first; wrongly, then rightly.
    let mut asks = survey();
    asks["filter"] = json!("stgae = \"Quoted\"");
    let tried = office.ask("POST", "/api/connections/1/sample", json!({ "asks": asks })).await.1;
    assert_eq!(tried["problems"][0]["message"], "No column “stgae”. Did you mean “Stage”?");
    let tried = office.ask("POST", "/api/connections/1/sample", json!({ "asks": survey() })).await.1;
    assert_eq!(tried["records"].as_array().map(Vec::len), Some(8));
    assert!(
        tried["address"].as_str().is_some_and(
            |a| a.starts_with("Cases?$select=CaseID,Stage,Opened,ValidUntil&$expand=Vessel($select=VesselID,Name,LOA),Contact(")
        )
    );
    let one = office.ask("POST", "/api/connections/1/sample", json!({ "asks": survey(), "key": tried["records"][3]["key"] })).await.1;
    assert_eq!((one["total"].as_u64(), &one["records"][0]["key"]), (Some(1), &tried["records"][3]["key"]));

    let before = crm.asked();
    let (status, query) = office.ask("POST", "/api/queries", json!({ "name": "Surveys", "connection_id": 1, "asks": survey() })).await;
    assert_eq!(status, StatusCode::OK, "{query}");
    let done = fetched(&office, &query["id"]).await;
    assert_eq!(done["state"], "done", "{done}");
    let sheet = query["sheet_id"].clone();
    let rows = office.get(&format!("/api/sheets/{sheet}/rows?count=500")).await;
    assert_eq!(rows["total"], tried["total"]);
    // A record's own screen is at its key in the CRM, wherever its row is.
    let first = office.get(&format!("/api/sheets/{sheet}/rows/1")).await;
    assert_eq!(first["key"], rows["rows"][0]["cells"][0]["text"], "{first}");
    let columns = office.get(&format!("/api/sheets/{sheet}")).await;
    let told: Vec<String> = columns["columns"]
        .as_array()
        .expect("columns")
        .iter()
        .map(|c| format!("{} {}", c["name"].as_str().unwrap_or("?"), c["type"].as_str().unwrap_or("?")))
        .collect();
    assert_eq!(
        told,
        ["CaseID text", "Stage text", "Opened date", "ValidUntil date", "Vessel record", "Contact record", "Lines list", "Defects list"]
    );
    // One request for the records; each picture once, made smaller than it was.
    let files = office.get(&format!("/api/sheets/{sheet}/files")).await;
    let files = files.as_array().expect("files");
    assert!(!files.is_empty() && files.iter().all(|f| f["picture"] == true));
    assert_eq!(crm.asked() - before, 1 + files.len() as u64);
    // A filter over what hangs on the records works like over any list.
    let some = office.get(&format!("/api/sheets/{sheet}/rows?filter=count(defects)%20%3E%200")).await;
    assert!(some["total"].as_u64().is_some_and(|n| n > 0));

    // Again: a person's own column stays, rows keep their numbers, pictures are not
    // fetched twice.
    let number = rows["rows"][2]["number"].clone();
    office.ask("POST", &format!("/api/sheets/{sheet}/columns"), json!({ "name": "Seen by", "type": "text" })).await;
    let edits = json!({ "what": "x", "cells": [{ "row": number, "column": 8, "text": "Idris" }] });
    assert_eq!(office.ask("POST", &format!("/api/sheets/{sheet}/rows"), edits).await.0, StatusCode::OK);
    let refused = office
        .refused(
            "POST",
            &format!("/api/sheets/{sheet}/rows"),
            json!({ "what": "x", "cells": [{ "row": number, "column": 1, "text": "Won" }] }),
        )
        .await;
    assert_eq!(refused, "422 asked: “Stage” comes from the CRM. Change it there, then refresh.");
    let before = crm.asked();
    office.ask("POST", &format!("/api/queries/{}/fetch", query["id"]), Value::Null).await;
    assert_eq!(fetched(&office, &query["id"]).await["state"], "done");
    assert_eq!(crm.asked() - before, 1);
    let again = office.get(&format!("/api/sheets/{sheet}/rows?count=500")).await;
    assert_eq!((&again["rows"][2]["number"], again["rows"][2]["cells"][8]["text"].as_str()), (&number, Some("Idris")));

    // What came and what left is told by name.
    let told = &fetched(&office, &query["id"]).await["difference"];
    assert_eq!((&told["came"], &told["left"]), (&json!(0), &json!(0)));
    let mut narrower = survey();
    narrower["filter"] = json!("stage = \"Quoted\"");
    office.ask("PUT", &format!("/api/queries/{}", query["id"]), narrower).await;
    let done = fetched(&office, &query["id"]).await;
    let (left, all) = (done["difference"]["left"].as_u64().expect("a count"), rows["total"].as_u64().expect("a count"));
    assert_eq!((left + done["done"].as_u64().expect("a count"), left > 0), (all, true), "{done}");
    let named = done["difference"]["left_names"][0].as_str().expect("a name");
    assert!(
        rows["rows"].as_array().expect("rows").iter().any(|r| named.starts_with(r["cells"][0]["text"].as_str().unwrap_or("?"))),
        "{named}"
    );
}

#[tokio::test(flavor = "multi_thread")]
async fn a_service_that_pages_fails_and_limits_is_waited_for() {
    let (office, crm, _) = office(60).await;
    crm.behave(Behaviour { latency: 2, page: 7, fail_every: 4, ..Behaviour::default() });
    let asks =
        json!({ "root": "Cases", "picks": { "fields": ["CaseID"], "lists": [{ "way": "Lines", "picks": { "fields": ["Item"] } }] } });
    let (_, query) = office.ask("POST", "/api/queries", json!({ "connection_id": 1, "asks": asks })).await;
    assert_eq!(fetched(&office, &query["id"]).await["state"], "done");
    assert_eq!(office.get(&format!("/api/queries/{}", query["id"])).await["records"], 60);
    crm.behave(Behaviour { per_second: 3, page: 20, ..Behaviour::default() });
    office.ask("POST", &format!("/api/queries/{}/fetch", query["id"]), Value::Null).await;
    assert_eq!(fetched(&office, &query["id"]).await["state"], "done");
    // Stopped half-way: the sheet is as it was.
    crm.behave(Behaviour { latency: 400, page: 5, ..Behaviour::default() });
    office.ask("POST", &format!("/api/queries/{}/fetch", query["id"]), Value::Null).await;
    tokio::time::sleep(Duration::from_millis(600)).await;
    office.ask("DELETE", &format!("/api/queries/{}/fetch", query["id"]), Value::Null).await;
    assert_eq!(fetched(&office, &query["id"]).await["state"], "stopped");
    assert_eq!(office.get(&format!("/api/queries/{}", query["id"])).await["records"], 60);
}

#[tokio::test(flavor = "multi_thread")]
async fn what_can_not_be_connected_is_refused_in_a_sentence() {
    let (office, _, address) = office(3).await;
    let connect = async |address: &str, token: &str| {
        office.refused("POST", "/api/connections", json!({ "name": "", "address": address, "token": token })).await
    };
    assert!(connect(&address, "wrong").await.contains("rejected the token"));
    assert!(connect(&address.replace("odata/", ""), TOKEN).await.contains("root URL of the OData service"));
    assert!(connect("crm", TOKEN).await.contains("is not a valid URL"));
    // The token that is kept goes to no other address, and is told to nobody.
    let moved = office.refused("PUT", "/api/connections/1", json!({ "name": "Yard", "address": "http://127.0.0.1:9/odata/" })).await;
    assert!(moved.contains("not reused for another URL"), "{moved}");
    let told = office.get("/api/connections").await.to_string();
    assert!(!told.contains(TOKEN));
    assert!(!std::fs::read(office.folder().join("mangle.sqlite")).expect("the store").windows(TOKEN.len()).any(|w| w == TOKEN.as_bytes()));
    let asks = json!({ "root": "Cases", "picks": { "fields": ["CaseID"] }, "filter": "len(stage) > 3" });
    let refused = office.refused("POST", "/api/queries", json!({ "connection_id": 1, "asks": asks })).await;
    assert!(refused.contains("CRM can't filter by a value calculated from a field"), "{refused}");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_new_shape_tells_what_it_touches() {
    // A service of another make, whose fields change.
    let shape = std::sync::Arc::new(std::sync::Mutex::new(
        "<Property Name=\"Stage\" Type=\"Edm.String\"/><Property Name=\"ValidUntil\" Type=\"Edm.Date\"/>".to_owned(),
    ));
    let own = shape.clone();
    let router = axum::Router::new()
        .route(
            "/odata/$metadata",
            axum::routing::get(move || {
                let fields = own.lock().expect("a shape").clone();
                async move {
                    format!("<edmx:Edmx Version=\"4.0\" xmlns:edmx=\"http://docs.oasis-open.org/odata/ns/edmx\"><edmx:DataServices><Schema Namespace=\"N\" xmlns=\"http://docs.oasis-open.org/odata/ns/edm\"><EntityType Name=\"Case\"><Key><PropertyRef Name=\"ID\"/></Key><Property Name=\"ID\" Type=\"Edm.Int32\"/>{fields}</EntityType><EntityContainer Name=\"C\"><EntitySet Name=\"Cases\" EntityType=\"N.Case\"/></EntityContainer></Schema></edmx:DataServices></edmx:Edmx>")
                }
            }),
        )
        .route("/odata/Cases", axum::routing::get(|| async { axum::Json(json!({ "value": [{ "ID": 1, "Stage": "Quoted", "ValidUntil": "2026-12-01" }] })) }));
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.expect("binds");
    let address = format!("http://{}/odata", listener.local_addr().expect("an address"));
    tokio::spawn(async move { axum::serve(listener, router).await });
    let office = Office::empty().await;
    office.ask("POST", "/api/connections", json!({ "name": "Other", "address": address, "token": "t" })).await;
    let asks = json!({ "root": "Cases", "picks": { "fields": ["Stage", "ValidUntil"] } });
    let (_, query) = office.ask("POST", "/api/queries", json!({ "name": "Open cases", "connection_id": 1, "asks": asks })).await;
    assert_eq!(fetched(&office, &query["id"]).await["state"], "done");
    office
        .ask("POST", "/api/dispatches", json!({ "name": "Quotes", "sheet_id": query["sheet_id"], "template_id": null, "filter": "" }))
        .await;
    *shape.lock().expect("a shape") =
        "<Property Name=\"State\" Type=\"Edm.String\"/><Property Name=\"ValidUntil\" Type=\"Edm.String\"/>".to_owned();
    let (_, looked) = office.ask("POST", "/api/connections/1/shape", Value::Null).await;
    let told: Vec<String> = looked["changes"]
        .as_array()
        .expect("changes")
        .iter()
        .map(|c| {
            format!("{} {} {}", c["name"].as_str().unwrap_or("?"), c["what"].as_str().unwrap_or("?"), c["now"].as_str().unwrap_or("?"))
        })
        .collect();
    assert_eq!(told, ["Stage renamed State", "ValidUntil retyped text"]);
    assert_eq!(looked["touched"][0]["name"], "Open cases");
    assert_eq!(looked["touched"][0]["dispatches"], json!(["Quotes"]));
    assert!(looked["touched"][0]["problems"][0].as_str().is_some_and(|p| p.contains("no longer has the field “Stage”")));
    let refused = office.refused("DELETE", "/api/connections/1", Value::Null).await;
    assert!(refused.starts_with("409 in-use: 1 query uses this connection."), "{refused}");
}
