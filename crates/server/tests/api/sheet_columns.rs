//! What became of a record, written into its own row: once the others have ended, and anew when
//! one of them is tried again.

use axum::http::StatusCode;
use serde_json::{Value, json};

use crate::office::{Office, PUBLIC};
use crate::runs::{KIND, Manner, Server, THREE, items, until};

const PATH: &str = "/api/dispatches/balance-reminders";

/// The demo's letter over three records, with columns of the sheet behind the e-mail.
async fn with_columns(office: &Office, columns: Value, work: impl FnOnce(&mut Value)) -> Value {
    let mut bench = office.get(PATH).await;
    bench["setup"]["ties"]["harbour due"] = json!("Yearly fee");
    bench["setup"]["filter"] = json!(THREE);
    let all = bench["setup"]["channels"].as_array_mut().expect("channels");
    all.push(json!({ "on": true, "name": "", "condition": "", "moment": "at-once", "channel": columns }));
    work(&mut bench["setup"]);
    let (status, bench) = office.ask("PUT", PATH, bench).await;
    assert_eq!((status, &bench["obstacles"]), (StatusCode::OK, &json!([])), "{bench}");
    bench
}

/// What stands in a column of the sheet, for each of the records.
async fn cells(office: &Office, bench: &Value, column: &str) -> Vec<String> {
    let sheet = bench["sheet_id"].as_i64().expect("a sheet");
    let info = office.get(&format!("/api/sheets/{sheet}")).await;
    let at = info["columns"].as_array().expect("columns").iter().position(|own| own["name"] == column);
    let at = at.unwrap_or_else(|| panic!("no column {column}: {}", info["columns"]));
    let rows = office.get(&format!("/api/sheets/{sheet}/rows?count=500")).await;
    let wanted: Vec<&Value> = bench["records"].as_array().expect("records").iter().map(|record| &record["row"]).collect();
    let rows = rows["rows"].as_array().expect("rows").iter().filter(|row| wanted.contains(&&row["number"]));
    rows.map(|row| row["cells"][at]["text"].as_str().unwrap_or_default().to_owned()).collect()
}

async fn run(office: &Office) -> Value {
    let run = office.ask("POST", &format!("{PATH}/runs"), json!({ "count": 3 })).await.1;
    until(office, &run["id"], |r| r["state"] == "done").await
}

#[tokio::test]
async fn the_row_says_what_became_of_it_and_says_so_anew_after_a_retry() {
    let (server, port) = Server::start(Manner { content: Some("554 no such thing here"), ..KIND }).await;
    let office = Office::sending(port).await;
    let values = json!([{ "column": "Letter", "value": "Reminder [: ref]" }]);
    let columns = json!({ "kind": "sheet", "state": "Sent state", "time": "Sent on", "values": values });
    let bench = with_columns(&office, columns, |_| {}).await;
    let page = office.get(&format!("{PATH}/pages/{}", bench["records"][0]["row"])).await;
    assert!(page["deliveries"].to_string().contains("Reminder BQ-"), "{}", page["deliveries"]);
    let done = run(&office).await;
    assert_eq!((done["failed"].as_u64(), done["delivered"].as_u64()), (Some(3), Some(0)), "{done}");
    assert_eq!(cells(&office, &bench, "Sent state").await, ["Failed"; 3]);
    assert!(cells(&office, &bench, "Letter").await.iter().all(|text| text.starts_with("Reminder BQ-")));
    assert!(cells(&office, &bench, "Sent on").await.iter().all(|text| text.len() == 16));

    server.set(KIND);
    office.ask("POST", &format!("/api/runs/{}/retry", done["id"]), Value::Null).await;
    let done = until(&office, &done["id"], |r| r["state"] == "done").await;
    assert_eq!(done["delivered"], 3, "{done}");
    assert_eq!(cells(&office, &bench, "Sent state").await, ["Delivered"; 3]);
    let all = items(&office, &done["id"]).await;
    let own = all[0]["deliveries"].as_array().expect("deliveries").iter().find(|one| one["kind"] == "sheet").expect("its delivery");
    assert_eq!((&own["state"], own["receipt"].as_str().is_some_and(|told| told.ends_with(": Delivered"))), (&json!("delivered"), true));

    // What the dispatch wrote is no change of the record.
    let mut bench = office.get(PATH).await;
    bench["setup"]["choose"] = json!("changed");
    let bench = office.ask("PUT", PATH, bench).await.1;
    assert_eq!(bench["records"], json!([]));
    // It goes out with the sheet.
    let csv = office.bytes(&format!("/api/sheets/{}/export?format=csv", bench["sheet_id"])).await;
    let csv = String::from_utf8(csv).expect("text");
    assert!(csv.contains("Sent state") && csv.contains("Delivered"), "{}", csv.lines().next().unwrap_or_default());
}

#[tokio::test]
async fn it_comes_last_and_names_the_link() {
    let (_server, port) = Server::start(KIND).await;
    let office = Office::sending(port).await;
    let values = json!([{ "column": "Link", "value": "[: document.link]" }]);
    let columns = json!({ "kind": "sheet", "state": "Sent state", "time": "", "values": values });
    let bench = with_columns(&office, columns, |setup| {
        let link = json!({ "kind": "link", "passcode": "", "days": null, "openings": null, "download": true });
        let all = setup["channels"].as_array_mut().expect("channels");
        all.push(json!({ "on": true, "name": "", "condition": "", "moment": "at-once", "channel": link }));
        all[0]["moment"] = json!("after-release");
    })
    .await;
    let started = office.ask("POST", &format!("{PATH}/runs"), json!({ "count": 3 })).await.1;
    until(&office, &started["id"], |r| r["blocked"] == 3).await;
    tokio::time::sleep(std::time::Duration::from_millis(800)).await;
    let all = items(&office, &started["id"]).await;
    let state = |item: &Value| {
        item["deliveries"].as_array().and_then(|all| all.iter().find(|one| one["kind"] == "sheet").map(|one| one["state"].clone()))
    };
    assert!(all.iter().all(|item| state(item) == Some(json!("to send"))), "it waits for the message");
    office.ask("POST", &format!("/api/runs/{}/release", started["id"]), Value::Null).await;
    until(&office, &started["id"], |r| r["state"] == "done").await;
    assert_eq!(cells(&office, &bench, "Sent state").await, ["Delivered"; 3]);
    let links = cells(&office, &bench, "Link").await;
    assert!(links.iter().all(|link| link.starts_with(&format!("{PUBLIC}/d/")) && !link.ends_with("example")), "{links:?}");
}

#[tokio::test]
async fn what_a_formula_fills_is_not_written() {
    let (_server, port) = Server::start(KIND).await;
    let office = Office::sending(port).await;
    let sheet = office.get(PATH).await["sheet_id"].as_i64().expect("a sheet");
    let column = json!({ "name": "Twice", "type": "", "currency": null, "formula": "upper(ref)", "locale": null, "at": null });
    assert_eq!(office.ask("POST", &format!("/api/sheets/{sheet}/columns"), column).await.0, StatusCode::OK);
    with_columns(&office, json!({ "kind": "sheet", "state": "twice", "time": "", "values": [] }), |_| {}).await;
    let done = run(&office).await;
    assert_eq!(done["failed"], 3, "{done}");
    let all = items(&office, &done["id"]).await.remove(0).to_string();
    assert!(all.contains("is filled by a formula, a relation or the CRM. Choose another."), "{all}");
}
