//! Documents on paper, at the practice printer.

use axum::http::StatusCode;
use mangle_practice::printer::{Condition, Printer, serve};
use serde_json::{Value, json};

use crate::office::Office;
use crate::runs::{THREE, items, until};

const PATH: &str = "/api/dispatches/balance-reminders";

/// The demo's office with a practice printer, and its letter printed for three records.
async fn office(change: impl FnOnce(&mut Value)) -> (Office, Printer) {
    let printer = Printer::default();
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.expect("binds");
    let uri = format!("ipp://{}/ipp/print", listener.local_addr().expect("an address"));
    tokio::spawn(serve(listener, printer.clone()));
    let office = Office::furnished().await;
    let mut settings = office.get("/api/settings").await;
    settings["printers"] = json!([{ "name": "Front desk", "uri": uri }]);
    assert_eq!(office.ask("PUT", "/api/settings", settings).await.0, StatusCode::OK);
    let (status, info) = office.ask("POST", "/api/printers/look", json!({ "uri": uri })).await;
    assert_eq!((status, &info["state"], &info["trays"]), (StatusCode::OK, &json!("ready"), &json!(["tray-1", "tray-2"])), "{info}");
    let mut bench = office.get(PATH).await;
    bench["setup"]["ties"]["harbour due"] = json!("Yearly fee");
    bench["setup"]["filter"] = json!(THREE);
    let mut channel = json!({ "kind": "print", "printer": "Front desk", "copies": 2, "sides": "two-sided-long-edge", "paper": "iso_a4_210x297mm", "tray": "tray-2", "order": "0 - balance", "together": false });
    change(&mut channel);
    bench["setup"]["channels"] = json!([{ "on": true, "name": "", "condition": "", "moment": "at-once", "channel": channel }]);
    let (status, bench) = office.ask("PUT", PATH, bench).await;
    assert_eq!((status, &bench["obstacles"]), (StatusCode::OK, &json!([])), "{bench}");
    (office, printer)
}

async fn run(office: &Office) -> Value {
    office.ask("POST", &format!("{PATH}/runs"), json!({ "count": 3 })).await.1["id"].clone()
}

async fn heard(office: &Office, run: &Value, wanted: &str) -> Vec<Value> {
    for _ in 0..400 {
        let mut all = Vec::new();
        for item in items(office, run).await {
            all.extend(office.get(&format!("/api/items/{}/events", item["id"])).await.as_array().expect("events").clone());
        }
        let told: Vec<Value> = all.into_iter().filter(|event| event["detail"].as_str().is_some_and(|text| text.contains(wanted))).collect();
        if !told.is_empty() {
            return told;
        }
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
    panic!("“{wanted}” was never heard");
}

#[tokio::test(flavor = "multi_thread")]
async fn sheets_lie_in_the_order_that_was_asked_for_and_printed_is_heard() {
    let (office, printer) = office(|_| {}).await;
    let id = run(&office).await;
    let done = until(&office, &id, |r| r["state"] == "done").await;
    assert_eq!(done["delivered"], 3, "{done}");
    let mut jobs = printer.jobs();
    jobs.reverse();
    let first = &jobs[0];
    assert_eq!((first.copies, first.sides.as_str(), first.user.as_str()), (2, "two-sided-long-edge", "Mangle"));
    assert!(first.media.contains("tray-2") && first.media.contains("21000"), "{}", first.media);
    // The highest balance comes first.
    let names: Vec<&str> = jobs.iter().map(|job| job.name.as_str()).collect();
    assert_eq!(names.len(), 3);
    let mut sorted = names.clone();
    sorted.sort();
    assert_eq!(sorted, ["Reminder BQ-0012", "Reminder BQ-0031", "Reminder BQ-0047"]);
    let balances = balances(&office, &names).await;
    assert!(balances.windows(2).all(|pair| pair[0] >= pair[1]), "{names:?} {balances:?}");
    let told = heard(&office, &id, "Printed:").await;
    assert_eq!(told[0]["what"], "heard");
}

/// The balances of the records that jobs are named after.
async fn balances(office: &Office, names: &[&str]) -> Vec<f64> {
    let sheet = office.get(PATH).await["sheet_id"].clone();
    let columns = office.get(&format!("/api/sheets/{sheet}")).await["columns"].as_array().expect("columns").clone();
    let at = |name: &str| {
        columns.iter().position(|own| own["name"].as_str().is_some_and(|own| own.eq_ignore_ascii_case(name))).expect("the column")
    };
    let (reference, balance) = (at("Ref"), at("Balance"));
    let rows = office.get(&format!("/api/sheets/{sheet}/rows?count=500")).await;
    let of = |name: &&str| {
        let row = rows["rows"]
            .as_array()
            .expect("rows")
            .iter()
            .find(|row| name.ends_with(row["cells"][reference]["text"].as_str().unwrap_or("?")));
        let text = row.expect("its row")["cells"][balance]["text"].as_str().unwrap_or_default().to_owned();
        let digits: String = text.chars().filter(|c| c.is_ascii_digit() || *c == '.' || *c == '-').collect();
        digits.parse().unwrap_or_else(|_| panic!("{text}"))
    };
    names.iter().map(of).collect()
}

#[tokio::test(flavor = "multi_thread")]
async fn a_run_can_be_one_job() {
    let (office, printer) = office(|channel| channel["together"] = json!(true)).await;
    let id = run(&office).await;
    let done = until(&office, &id, |r| r["state"] == "done").await;
    assert_eq!(done["delivered"], 3, "{done}");
    let jobs = printer.jobs();
    assert_eq!((jobs.len(), jobs[0].documents.len()), (1, 3));
    heard(&office, &id, "Printed: ").await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_printer_that_takes_one_document_a_job_gets_several_jobs() {
    let (office, printer) = office(|channel| channel["together"] = json!(true)).await;
    printer.set(Condition { single_documents: true, ..Condition::default() });
    let id = run(&office).await;
    let done = until(&office, &id, |r| r["state"] == "done").await;
    assert_eq!((done["delivered"].as_u64(), printer.jobs().len()), (Some(3), 3), "{done}");
}

#[tokio::test(flavor = "multi_thread")]
async fn one_that_takes_pictures_of_pages_only_gets_those() {
    let (office, printer) = office(|_| {}).await;
    printer.set(Condition { raster_only: true, ..Condition::default() });
    let id = run(&office).await;
    let done = until(&office, &id, |r| r["state"] == "done").await;
    assert_eq!(done["delivered"], 3, "{done}");
    let jobs = printer.jobs();
    assert!(jobs.iter().all(|job| job.documents[0].format == "image/pwg-raster" && job.documents[0].pages >= 1), "{jobs:?}");
}

#[tokio::test(flavor = "multi_thread")]
async fn no_paper_is_heard_and_a_job_that_is_given_up_has_failed() {
    let (office, printer) = office(|_| {}).await;
    printer.set(Condition { out_of_paper: true, ..Condition::default() });
    let id = run(&office).await;
    until(&office, &id, |r| r["state"] == "done").await;
    heard(&office, &id, "The printer is stopped: out of paper").await;
    printer.set(Condition { abort_every: 1, ..Condition::default() });
    let failed = until(&office, &id, |r| r["failed"] == 3).await;
    let first = &items(&office, &failed["id"]).await[0]["deliveries"][0];
    assert_eq!((&first["state"], &first["error_code"]), (&json!("failed"), &json!("aborted")), "{first}");
    // A person has it printed again.
    printer.set(Condition::default());
    office.ask("POST", &format!("/api/runs/{id}/retry"), Value::Null).await;
    let done = until(&office, &id, |r| r["state"] == "done" && r["failed"] == 0).await;
    assert_eq!(done["delivered"], 3);
}

#[tokio::test(flavor = "multi_thread")]
async fn a_printer_that_is_off_is_waited_for() {
    let (office, printer) = office(|_| {}).await;
    printer.set(Condition { off: true, ..Condition::default() });
    let id = run(&office).await;
    // The first in the order is tried; the others wait behind it.
    let mut tried = Vec::new();
    for _ in 0..200 {
        let all = items(&office, &id).await;
        tried = all.into_iter().map(|item| item["deliveries"][0].clone()).filter(|one| one["attempts"].as_u64() > Some(0)).collect();
        if !tried.is_empty() {
            break;
        }
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
    assert_eq!((tried.len(), &tried[0]["state"]), (1, &json!("to send")), "{tried:?}");
    assert!(tried[0]["error_message"].as_str().is_some_and(|text| text.contains("HTTP 503")), "{tried:?}");
    printer.set(Condition::default());
    let done = until(&office, &id, |r| r["state"] == "done").await;
    assert_eq!((done["delivered"].as_u64(), printer.jobs().len()), (Some(3), 3), "once each");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_printer_that_vanishes_in_the_middle_of_a_job_is_asked_again_and_prints_once() {
    let (office, printer) = office(|_| {}).await;
    printer.set(Condition { out_of_paper: true, ..Condition::default() });
    let id = run(&office).await;
    until(&office, &id, |r| r["state"] == "done").await;
    heard(&office, &id, "The printer is stopped: out of paper").await;
    // Its jobs are taken and not printed: now nobody answers.
    printer.set(Condition { off: true, ..Condition::default() });
    tokio::time::sleep(std::time::Duration::from_secs(3)).await;
    let during = items(&office, &id).await;
    assert!(during.iter().all(|item| item["deliveries"][0]["state"] != "failed"), "nothing is known to have failed: {during:?}");
    printer.set(Condition::default());
    heard(&office, &id, "Printed:").await;
    let after = items(&office, &id).await;
    assert!(after.iter().all(|item| item["deliveries"][0]["state"] == "delivered"), "{after:?}");
    assert_eq!(printer.jobs().len(), 3, "once each");
}

#[tokio::test]
async fn a_uri_that_is_none_is_refused() {
    let office = Office::empty().await;
    let mut settings = office.get("/api/settings").await;
    settings["printers"] = json!([{ "name": "Desk", "uri": "file:///dev/lp0" }]);
    let refused = office.refused("PUT", "/api/settings", settings).await;
    assert!(refused.contains("is not the URI of a printer"), "{refused}");
    let refused = office.refused("POST", "/api/printers/look", json!({ "uri": "ipp://127.0.0.1:9/ipp/print" })).await;
    assert!(refused.contains("No connection to the printer"), "{refused}");
}
