//! What is made of a record of the CRM, written back onto it: once, whatever the CRM answers.

use axum::http::StatusCode;
use mangle_practice::crm::{Behaviour, Crm, TOKEN};
use serde_json::{Value, json};

use crate::crm::{fetched, office};
use crate::office::{Office, docx};
use crate::runs::{items, until};

const PATH: &str = "/api/dispatches/quotes";

/// A dispatch over three cases of the practice CRM, with the CRM as its one channel.
async fn quotes(office: &Office, change: impl FnOnce(&mut Value)) -> Value {
    let asks = json!({ "root": "Cases", "picks": { "fields": ["CaseID", "Stage", "Discount", "Vessel/Name"], "lists": [] }, "order": "CaseID", "first": 3 });
    let query = office.ask("POST", "/api/queries", json!({ "name": "Cases", "connection_id": 1, "asks": asks })).await.1;
    assert_eq!(fetched(office, &query["id"]).await["state"], "done");
    let letter = docx("Quote for [: CaseID] of [: Vessel.Name]");
    let template = office.upload("/api/templates", &[("quote.docx", &letter)]).await.1;
    let made = office.ask("POST", "/api/dispatches", json!({ "name": "Quotes" })).await.1;
    let mut bench = office.get(&format!("/api/dispatches/{}", made["key"].as_str().expect("a key"))).await;
    bench["template_id"] = template["id"].clone();
    bench["sheet_id"] = query["sheet_id"].clone();
    let bench = office.ask("PUT", PATH, bench).await.1;
    let crm = &bench["crm"];
    assert_eq!(
        (&crm["root"], &crm["attach"][0]["set"], &crm["notes"][0]["set"]),
        (&json!("Cases"), &json!("Documents"), &json!("Notes")),
        "{crm}"
    );
    let channel = json!({
        "kind": "crm",
        "attach": crm["attach"][0],
        "note": { "to": crm["notes"][0], "text": "Quote for [: CaseID]", "deliveries": true },
        "fields": [
            { "field": "Stage", "type": "text", "value": "Quoted" },
            { "field": "Discount", "type": "number", "value": "discount + 1" },
            { "field": "ValidUntil", "type": "date", "value": "today" },
        ],
    });
    let mut bench = bench.clone();
    bench["setup"]["name"] = json!("Quote [: CaseID]");
    bench["setup"]["channels"] = json!([{ "on": true, "name": "", "condition": "", "moment": "at-once", "channel": channel }]);
    change(&mut bench["setup"]);
    let (status, bench) = office.ask("PUT", PATH, bench).await;
    assert_eq!((status, &bench["obstacles"]), (StatusCode::OK, &json!([])), "{bench}");
    bench
}

async fn run(office: &Office) -> Value {
    office.ask("POST", &format!("{PATH}/runs"), json!({ "count": 3 })).await.1["id"].clone()
}

/// What the CRM holds.
async fn held(address: &str, path: &str) -> Value {
    let answer = reqwest::Client::new().get(format!("{address}{path}")).bearer_auth(TOKEN).send().await.expect("answers");
    assert!(answer.status().is_success(), "{path}: {}", answer.status());
    answer.json().await.expect("JSON")
}

async fn texts(address: &str, set: &str, field: &str) -> Vec<String> {
    let all = held(address, set).await;
    let mut texts: Vec<String> =
        all["value"].as_array().expect("a list").iter().map(|one| one[field].as_str().unwrap_or("?").to_owned()).collect();
    texts.sort();
    texts
}

fn behave(crm: &Crm, change: impl FnOnce(&mut Behaviour)) {
    let mut behaviour = Behaviour::default();
    change(&mut behaviour);
    crm.behave(behaviour);
}

#[tokio::test(flavor = "multi_thread")]
async fn the_document_is_attached_and_the_stage_moves() {
    let (office, _crm, address) = office(5).await;
    let bench = quotes(&office, |_| {}).await;
    let page = office.get(&format!("{PATH}/pages/{}", bench["records"][0]["row"])).await;
    assert!(page["deliveries"].to_string().contains("Quote for RC-0001"), "{}", page["deliveries"]);
    let before = held(&address, "Cases('RC-0001')").await;
    let done = run(&office).await;
    let done = until(&office, &done, |r| r["state"] == "done").await;
    assert_eq!((done["delivered"].as_u64(), done["failed"].as_u64()), (Some(3), Some(0)), "{}", items(&office, &done["id"]).await[0]);
    let names = ["Quote RC-0001.pdf", "Quote RC-0002.pdf", "Quote RC-0003.pdf"];
    assert_eq!(texts(&address, "Documents", "Name").await, names);
    assert_eq!(texts(&address, "Documents", "CaseID").await, ["RC-0001", "RC-0002", "RC-0003"]);
    assert_eq!(texts(&address, "Notes", "Text").await[0], "Quote for RC-0001");
    let case = held(&address, "Cases('RC-0001')").await;
    assert_eq!(case["Stage"], "Quoted");
    assert_eq!(case["Discount"].as_f64(), before["Discount"].as_f64().map(|d| d + 1.0));
    assert_eq!(case["ValidUntil"].as_str().map(str::len), Some(10));
    // The bytes are the document.
    let number = held(&address, "Documents").await["value"][0]["DocumentID"].clone();
    let raw = reqwest::Client::new().get(format!("{address}Documents({number})/$value")).bearer_auth(TOKEN).send().await.expect("answers");
    assert!(raw.bytes().await.expect("bytes").starts_with(b"%PDF"));
    // A second run over the same attaches again, on purpose; the same delivery never does.
    let all = items(&office, &done["id"]).await;
    let receipt = all[0]["deliveries"][0]["receipt"].as_str().unwrap_or_default().to_owned();
    assert_eq!(receipt, "RC-0001: 1 document attached; note left; Stage, Discount, ValidUntil set");
}

#[tokio::test(flavor = "multi_thread")]
async fn nothing_is_written_twice_where_answers_are_lost() {
    let (office, crm, address) = office(5).await;
    quotes(&office, |_| {}).await;
    // Every second change is made and answered with an error; every seventh request is refused.
    behave(&crm, |b| (b.lose_every, b.fail_every) = (2, 7));
    let id = run(&office).await;
    let done = until(&office, &id, |r| r["state"] == "done").await;
    assert_eq!((done["delivered"].as_u64(), done["failed"].as_u64()), (Some(3), Some(0)), "{done}");
    behave(&crm, |_| {});
    assert_eq!(texts(&address, "Documents", "CaseID").await, ["RC-0001", "RC-0002", "RC-0003"], "one each");
    assert_eq!(texts(&address, "Notes", "CaseID").await, ["RC-0001", "RC-0002", "RC-0003"]);
    assert!(texts(&address, "Documents", "Reference").await.iter().all(|reference| reference.ends_with(".pdf")));
}

#[tokio::test(flavor = "multi_thread")]
async fn a_crm_that_is_too_busy_is_left_alone_as_long_as_it_asks() {
    let (office, crm, address) = office(5).await;
    quotes(&office, |_| {}).await;
    behave(&crm, |b| b.per_second = 4);
    let id = run(&office).await;
    let done = until(&office, &id, |r| r["state"] == "done").await;
    assert_eq!(done["delivered"].as_u64(), Some(3), "{done}");
    behave(&crm, |_| {});
    assert_eq!(texts(&address, "Documents", "CaseID").await.len(), 3);
}

#[tokio::test(flavor = "multi_thread")]
async fn a_record_that_others_change_at_the_same_time_is_read_anew() {
    let (office, crm, address) = office(5).await;
    quotes(&office, |_| {}).await;
    let before = held(&address, "Cases('RC-0001')").await;
    // Somebody else is faster every time: the delivery waits, and says why.
    behave(&crm, |b| b.stale_every = 1);
    let id = run(&office).await;
    let waits = |all: &[Value]| all.iter().all(|own| own["deliveries"][0]["error_code"] == "changed");
    let mut all = items(&office, &id).await;
    for _ in 0..400 {
        if waits(&all) {
            break;
        }
        tokio::time::sleep(std::time::Duration::from_millis(25)).await;
        all = items(&office, &id).await;
    }
    let delivery = &all[0]["deliveries"][0];
    assert_eq!((&delivery["state"], &delivery["error_code"]), (&json!("to send"), &json!("changed")), "{delivery}");
    assert_eq!(delivery["error_message"], "RC-0001 is being changed by others in the CRM all the time. Mangle will try again.");
    assert_eq!(held(&address, "Cases('RC-0001')").await["Discount"], before["Discount"]);
    // Every second time only: it is read anew and written, and what was attached before is there once.
    behave(&crm, |b| b.stale_every = 2);
    let done = until(&office, &id, |r| r["state"] == "done").await;
    assert_eq!(done["delivered"].as_u64(), Some(3), "{done}");
    let after = held(&address, "Cases('RC-0001')").await;
    assert_eq!((after["Discount"].as_f64(), &after["Stage"]), (before["Discount"].as_f64().map(|d| d + 1.0), &json!("Quoted")));
    assert_eq!(texts(&address, "Documents", "CaseID").await, ["RC-0001", "RC-0002", "RC-0003"], "one each");
    assert_eq!(texts(&address, "Notes", "CaseID").await, ["RC-0001", "RC-0002", "RC-0003"]);
}

#[tokio::test(flavor = "multi_thread")]
async fn a_field_waits_for_the_message_and_a_gone_record_is_told() {
    let (office, _crm, address) = office(5).await;
    let case = "Cases('RC-0002')";
    let mut settings = office.get("/api/settings").await;
    settings["office_email"] = json!("office@quay.example");
    office.ask("PUT", "/api/settings", settings).await;
    // The message goes to an address that nobody takes mail for here.
    quotes(&office, |setup| {
        let email = json!({ "kind": "email", "to": "ada@quay.example", "subject": "Quote", "body": "Here it is" });
        let mut all = setup["channels"].as_array().expect("channels").clone();
        all.insert(0, json!({ "on": true, "name": "", "condition": "CaseID = \"RC-0002\"", "moment": "after-release", "channel": email }));
        setup["channels"] = Value::from(all);
    })
    .await;
    let stage = held(&address, case).await["Stage"].clone();
    let id = run(&office).await;
    until(&office, &id, |r| r["delivered"] == 2).await;
    assert_eq!(held(&address, case).await["Stage"], stage, "the message is on hold, and so is what tells of it");
    let all = items(&office, &id).await;
    let own = all[1]["deliveries"].as_array().expect("deliveries");
    let state = |kind: &str| own.iter().find(|one| one["kind"] == kind).map(|one| one["state"].clone());
    assert_eq!((state("email"), state("crm")), (Some(json!("blocked")), Some(json!("to send"))));
    // Withdrawn: the note says so, and the field is set all the same: nothing went wrong.
    let email = own.iter().find(|one| one["kind"] == "email").expect("the message")["id"].clone();
    office.ask("POST", &format!("/api/deliveries/{email}/withdraw"), Value::Null).await;
    until(&office, &id, |r| r["state"] == "done").await;
    assert_eq!(held(&address, case).await["Stage"], "Quoted");
    let note = held(&address, "Notes?$filter=CaseID eq 'RC-0002'").await["value"][0]["Text"].clone();
    assert!(note.as_str().is_some_and(|text| text.starts_with("Quote for RC-0002\nE-mail: withdrawn")), "{note}");
}

#[tokio::test(flavor = "multi_thread")]
async fn it_is_told_before_a_run_where_nothing_can_be_written() {
    let furnished = Office::furnished().await;
    let path = "/api/dispatches/balance-reminders";
    let mut bench = furnished.get(path).await;
    let channel = json!({ "kind": "crm", "fields": [{ "field": "Stage", "type": "text", "value": "Quoted" }] });
    bench["setup"]["channels"] = json!([{ "on": true, "name": "", "condition": "", "moment": "at-once", "channel": channel }]);
    let bench = furnished.ask("PUT", path, bench).await.1;
    assert!(bench["obstacles"].to_string().contains("The records don't come from a CRM."), "{}", bench["obstacles"]);
}
