//! When the documents of a run are delivered: a first batch, at a time, so many an hour; and what a
//! run comes to beside the last one.

use axum::http::StatusCode;
use jiff::civil::DateTime;
use serde_json::{Value, json};

use crate::office::{Office, docx};
use crate::runs::{KIND, Server, THREE, delivery, items, until};

const PATH: &str = "/api/dispatches/balance-reminders";

async fn three(office: &Office, work: impl FnOnce(&mut Value)) -> Value {
    let mut bench = office.get(PATH).await;
    bench["setup"]["ties"]["harbour due"] = json!("Yearly fee");
    bench["setup"]["filter"] = json!(THREE);
    work(&mut bench["setup"]);
    let (status, bench) = office.ask("PUT", PATH, bench).await;
    assert_eq!(status, StatusCode::OK, "{bench}");
    bench
}

async fn start(office: &Office, more: Value) -> Value {
    let mut body = json!({ "count": 3 });
    body.as_object_mut().expect("an object").extend(more.as_object().cloned().unwrap_or_default());
    let (status, run) = office.ask("POST", &format!("{PATH}/runs"), body).await;
    assert_eq!(status, StatusCode::OK, "{run}");
    run
}

#[tokio::test]
async fn a_first_batch_goes_and_the_rest_waits_for_a_look() {
    let (server, port) = Server::start(KIND).await;
    let office = Office::sending(port).await;
    three(&office, |_| {}).await;
    let run = start(&office, json!({ "hold_after": 1 })).await;
    let held = until(&office, &run["id"], |run| run["delivered"] == 1 && run["blocked"] == 2).await;
    assert_eq!((&held["state"], &held["hold_after"], server.taken().len()), (&json!("running"), &json!(1), 1), "{held}");
    assert_eq!(items(&office, &run["id"]).await.iter().filter(|item| item["documents"][0]["pages"] == 1).count(), 3, "all are made");
    let (status, _) = office.ask("POST", &format!("/api/runs/{}/release", run["id"]), Value::Null).await;
    assert_eq!(status, StatusCode::OK);
    let done = until(&office, &run["id"], |run| run["state"] == "done").await;
    assert_eq!((&done["delivered"], &done["hold_after"], server.taken().len()), (&json!(3), &Value::Null, 3), "{done}");
}

#[tokio::test]
async fn a_run_at_a_time_is_made_now_and_delivered_then() {
    let (server, port) = Server::start(KIND).await;
    let office = Office::sending(port).await;
    let mut settings = office.get("/api/settings").await;
    settings["time_zone"] = json!("Asia/Tokyo");
    let (status, answer) = office.ask("PUT", "/api/settings", settings).await;
    assert_eq!(status, StatusCode::OK, "{answer}");
    three(&office, |_| {}).await;
    let refused = |at: &str| {
        let at = at.to_owned();
        let office = &office;
        async move { office.refused("POST", &format!("{PATH}/runs"), json!({ "count": 3, "at": at })).await }
    };
    assert!(refused("tomorrow").await.contains("“tomorrow” is not a date and time. Use the format"));
    assert!(refused("2020-01-01T08:00").await.contains("has passed"));
    assert!(refused("2222-01-01T08:00").await.contains("more than a year from now"));
    let tomorrow =
        jiff::Timestamp::now().in_tz("Asia/Tokyo").expect("a zone").datetime().saturating_add(jiff::SignedDuration::from_hours(24));
    let tomorrow: DateTime = tomorrow.date().at(8, 0, 0, 0);
    let run = start(&office, json!({ "at": tomorrow.to_string() })).await;
    let waits = until(&office, &run["id"], |run| run["scheduled"] == 3).await;
    // Tokyo is nine hours ahead all the year.
    let opens = tomorrow.saturating_sub(jiff::SignedDuration::from_hours(9)).to_string();
    assert_eq!((waits["opens"].as_str(), server.taken().len()), (Some(opens.as_str()), 0), "{waits}");
    assert!(items(&office, &run["id"]).await.iter().all(|item| delivery(item)["opens"] == opens.as_str()));
}

#[tokio::test]
async fn a_channel_with_a_limit_spreads_a_run_over_the_hours() {
    let (server, port) = Server::start(KIND).await;
    let office = Office::sending(port).await;
    let bench = three(&office, |setup| setup["channels"][0]["per_hour"] = json!(0)).await;
    assert!(bench["obstacles"][0]["message"].as_str().is_some_and(|said| said.contains("limit is 0 an hour")), "{}", bench["obstacles"]);
    three(&office, |setup| setup["channels"][0]["per_hour"] = json!(2)).await;
    let run = start(&office, json!({})).await;
    let waits = until(&office, &run["id"], |run| run["delivered"] == 2 && run["scheduled"] == 1).await;
    assert_eq!(server.taken().len(), 2, "{waits}");
    let items = items(&office, &run["id"]).await;
    let opens: DateTime = delivery(&items[2])["opens"].as_str().expect("a moment").parse().expect("a moment");
    let started: DateTime = waits["started"].as_str().expect("a moment").parse().expect("a moment");
    assert_eq!(opens.duration_since(started), jiff::SignedDuration::from_hours(1), "the third of two an hour is an hour later");
}

#[tokio::test]
async fn what_a_run_comes_to_is_told_beside_the_last_one() {
    let (_, port) = Server::start(KIND).await;
    let office = Office::sending(port).await;
    three(&office, |_| {}).await;
    let preflight = async || office.ask("POST", &format!("{PATH}/preflight"), Value::Null).await.1;
    let first = preflight().await;
    let totals = &first["totals"];
    assert_eq!((&totals["documents"], &totals["pages"], &totals["estimated"]), (&json!(3), &json!(3), &json!(false)), "{first}");
    assert_eq!(totals["deliveries"], json!([{ "name": "E-mail", "count": 3, "recipients": 3 }]));
    let sums: Vec<&str> = totals["sums"].as_array().expect("sums").iter().filter_map(|sum| sum["column"].as_str()).collect();
    assert!(sums.contains(&"Balance"), "{sums:?}");
    assert_eq!(first["last"], Value::Null);
    let run = start(&office, json!({})).await;
    until(&office, &run["id"], |run| run["state"] == "done").await;

    let second = preflight().await;
    assert_eq!((&second["last"]["run"], &second["last"]["totals"]["sums"]), (&run["id"], &totals["sums"]), "{second}");
    let codes = |view: &Value| {
        view["notes"].as_array().expect("notes").iter().filter_map(|note| note["code"].as_str().map(str::to_owned)).collect::<Vec<_>>()
    };
    assert!(codes(&second).contains(&"same-as-last".to_owned()) && !codes(&second).contains(&"far-from-last".to_owned()), "{second}");
    // One of three is far from the last run.
    three(&office, |setup| setup["left_out"] = json!([12, 31])).await;
    let far = preflight().await;
    let said: Vec<&str> = far["notes"]
        .as_array()
        .expect("notes")
        .iter()
        .filter(|n| n["code"] == "far-from-last")
        .filter_map(|n| n["message"].as_str())
        .collect();
    assert!(said.iter().any(|said| said.contains("(last run: 3)")), "{said:?} {}", far["totals"]);
}

#[tokio::test]
async fn each_run_adds_its_pages_to_the_running_document_and_proofs_add_none() {
    let (_, port) = Server::start(KIND).await;
    let office = Office::sending(port).await;
    three(&office, |setup| setup["running"] = json!("Log of pontoon [: pontoon]")).await;
    let (_, proofs) = office.ask("POST", &format!("{PATH}/proofs"), json!({ "rows": [12], "to": "ida@quay.example" })).await;
    until(&office, &proofs["id"], |run| run["state"] == "done").await;
    assert_eq!(office.get(&format!("{PATH}/running")).await, json!([]));
    let run = start(&office, json!({})).await;
    until(&office, &run["id"], |run| run["state"] == "done").await;
    let again = start(&office, json!({ "repeats": 3 })).await;
    until(&office, &again["id"], |run| run["state"] == "done").await;
    let all = office.get(&format!("{PATH}/running")).await;
    let documents: u64 = all.as_array().expect("documents").iter().filter_map(|one| one["documents"].as_u64()).sum();
    assert_eq!(documents, 6, "{all}");
    let name = all[0]["name"].as_str().expect("a name");
    let pdf = office.bytes(&format!("{PATH}/running.pdf?name={name}")).await;
    let pages = pages_of(&pdf);
    assert_eq!(Some(pages as u64), all[0]["pages"].as_u64());
    let (status, _) = office.ask("GET", &format!("{PATH}/running.pdf?name=other"), Value::Null).await;
    assert_eq!(status, StatusCode::NOT_FOUND);
    // What could not be one is said before.
    let bench = three(&office, |setup| setup["formats"] = json!(["docx"])).await;
    assert_eq!(bench["obstacles"][0]["code"], "running-pdf", "{}", bench["obstacles"]);
}

/// How many pages a PDF has, by poppler.
fn pages_of(pdf: &[u8]) -> usize {
    let file = tempfile::NamedTempFile::new().expect("a file");
    std::fs::write(file.path(), pdf).expect("written");
    let said = std::process::Command::new("pdfinfo").arg(file.path()).output().expect("pdfinfo");
    let said = String::from_utf8_lossy(&said.stdout).into_owned();
    said.lines().find_map(|line| line.strip_prefix("Pages:")?.trim().parse().ok()).expect("pages")
}

#[tokio::test]
async fn rows_picked_by_hand_are_the_only_ones_and_left_out_stays_left_out() {
    let office = Office::furnished().await;
    let bench = three(&office, |setup| setup["picked"] = json!([31, 12])).await;
    let rows =
        |bench: &Value| bench["records"].as_array().expect("records").iter().filter_map(|one| one["row"].as_u64()).collect::<Vec<_>>();
    assert_eq!(rows(&bench), [12, 31]);
    let bench = three(&office, |setup| setup["left_out"] = json!([31])).await;
    assert_eq!(rows(&bench), [12]);
    let bench = three(&office, |setup| (setup["picked"], setup["left_out"]) = (json!([]), json!([]))).await;
    assert_eq!(rows(&bench), [12, 31, 47]);
}

#[tokio::test]
async fn of_many_records_pages_are_estimated_and_the_long_one_is_found() {
    let office = Office::empty().await;
    let long = "All work on the hull is done on the hard standing, under sheets. ".repeat(120);
    let rows: String = (1..=120).map(|n| format!("Guest {n};{}\n", if n == 77 { long.as_str() } else { "Nothing to add" })).collect();
    let (_, source) = office.upload("/api/sources", &[("guests.csv", format!("Name;Remark\n{rows}").as_bytes())]).await;
    let (_, kept) = office.upload("/api/templates", &[("letter.docx", &docx("Dear [: name], [: remark]"))]).await;
    let new = json!({ "name": "Letters", "template_id": kept["id"], "sheet_id": source["sheets"][0]["id"] });
    let (status, made) = office.ask("POST", "/api/dispatches", new).await;
    assert_eq!(status, StatusCode::OK, "{made}");
    let path = format!("/api/dispatches/{}", made["key"].as_str().expect("a key"));
    let (_, view) = office.ask("POST", &format!("{path}/preflight"), Value::Null).await;
    let totals = &view["totals"];
    assert_eq!((&totals["documents"], &totals["estimated"]), (&json!(120), &json!(true)), "{view}");
    let note = view["notes"].as_array().expect("notes").iter().find(|note| note["code"] == "more-pages").expect("the long one");
    assert_eq!(note["rows"], json!([77]), "{note}");
    let pages = totals["pages"].as_u64().expect("pages");
    assert!((121..140).contains(&pages), "one page each, and some more of the long one: {pages}");
    assert!(note["message"].as_str().is_some_and(|said| said.ends_with("pages, most have 1.") || said.contains("most have 1")), "{note}");
}
