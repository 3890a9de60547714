//! Templates through the API: versions, trying out, specimens, coverage, fields
//! and placeholders put together.

use axum::http::StatusCode;
use serde_json::{Value, json};

use crate::office::{Office, docx, file};
use crate::runs::{THREE, items, until};

/// The reminder with a sentence changed, as a word processor would save it.
fn reworded(from: &str, to: &str) -> Vec<u8> {
    use std::io::{Cursor, Read, Write};
    let mut source = zip::ZipArchive::new(Cursor::new(file("reminder.docx"))).expect("a zip");
    let mut out = zip::ZipWriter::new(Cursor::new(Vec::new()));
    for at in 0..source.len() {
        let mut part = source.by_index(at).expect("a part");
        let name = part.name().expect("a name").into_owned();
        let mut bytes = Vec::new();
        part.read_to_end(&mut bytes).expect("reads");
        if name == "word/document.xml" {
            let text = String::from_utf8(bytes).expect("UTF-8");
            assert!(text.contains(from), "{from}");
            bytes = text.replace(from, to).into_bytes();
        }
        out.start_file(name, zip::write::SimpleFileOptions::default()).expect("starts");
        out.write_all(&bytes).expect("writes");
    }
    out.finish().expect("finishes").into_inner()
}

fn states(specimens: &Value) -> Vec<String> {
    let one = |s: &Value| format!("{} {}", s["name"].as_str().unwrap_or("?"), s["state"].as_str().unwrap_or("?"));
    specimens.as_array().map(|all| all.iter().map(one).collect()).unwrap_or_default()
}

/// Values that the reminder is content with.
fn values() -> Value {
    json!({ "last name": "Achterberg", "salutation": "Mevrouw", "balance": "1960.00", "due": "2026-09-30", "days overdue": "54", "ref": "BQ-0017", "paid": "0", "harbour due": "0", "deposit": "0" })
}

#[tokio::test]
async fn a_template_shows_its_pages_its_logic_and_what_it_needs() {
    let office = Office::furnished().await;
    let shown = office.get("/api/templates/1").await;
    assert_eq!((&shown["shown"], &shown["in_use"]), (&json!(1), &json!(1)));
    let need = |name: &str| shown["needs"].as_array().and_then(|n| n.iter().find(|n| n["name"] == name).cloned()).unwrap_or_default();
    assert_eq!(need("balance")["used"], "money");
    assert_eq!(need("due")["used"], "date");
    assert_eq!(need("liveaboard")["used"], "yes/no");
    let pages = office.get(&format!("/api/versions/{}/pages", shown["versions"][0]["id"])).await;
    assert_eq!(pages["count"], 1);
    assert!(pages["pages"][0]["svg"].as_str().is_some_and(|svg| svg.starts_with("<svg")));
    let marked: std::collections::HashSet<u64> =
        pages["marks"].as_array().expect("marks").iter().filter_map(|m| m["number"].as_u64()).collect();
    assert_eq!(marked.len(), shown["placeholders"].as_array().expect("placeholders").len());
}

#[tokio::test]
async fn a_newer_version_that_changes_a_specimen_is_a_draft_until_someone_says_yes() {
    let office = Office::furnished().await;
    let body = json!({ "name": "Two months late", "version": 1, "values": values(), "moment": "2026-11-23" });
    let (status, kept) = office.ask("POST", "/api/templates/1/specimens", body).await;
    assert_eq!((status, kept["state"].as_str()), (StatusCode::OK, Some("same")), "{kept}");

    // Nothing that the specimen shows is different: the newer one is in use at once.
    let quiet = reworded("for your files only", "for your own files");
    let (_, changed) = office.upload("/api/templates/1", &[("reminder.docx", &quiet)]).await;
    assert_eq!((&changed["shown"], &changed["in_use"]), (&json!(2), &json!(2)));

    // The third says something else to this holder.
    let loud = reworded("since our first reminder", "for weeks");
    let (_, changed) = office.upload("/api/templates/1", &[("reminder.docx", &loud)]).await;
    assert_eq!((&changed["shown"], &changed["in_use"]), (&json!(3), &json!(2)));
    let found = office.get("/api/templates/1/specimens?version=3").await;
    assert_eq!(states(&found), ["Two months late changed"]);
    let pieces: Vec<String> = found[0]["changes"][0]["pieces"]
        .as_array()
        .expect("pieces")
        .iter()
        .filter(|p| p["state"] != "same")
        .map(|p| format!("{} {}", p["state"].as_str().unwrap_or("?"), p["text"].as_str().unwrap_or("?").trim()))
        .collect();
    assert!(pieces.iter().any(|p| p.starts_with("gone since")) && pieces.iter().any(|p| p.starts_with("new for")), "{pieces:?}");
    assert_eq!(states(&office.get("/api/templates/1/specimens").await), ["Two months late same"], "the version in use gives what it must");

    // Dispatches go on with the version in use until the draft is accepted.
    let bench = office.get("/api/dispatches/balance-reminders").await;
    assert_eq!(bench["template"]["version"], 2);
    let id = found[0]["id"].as_i64().expect("a number");
    let (_, accepted) = office.ask("PUT", &format!("/api/specimens/{id}/accepted?version=3"), Value::Null).await;
    assert_eq!(accepted["state"], "same");
    let (_, used) = office.ask("PUT", "/api/templates/1/in-use/3", Value::Null).await;
    assert_eq!(used["in_use"], 3);
    assert_eq!(office.get("/api/dispatches/balance-reminders").await["template"]["version"], 3);
}

#[tokio::test]
async fn versions_are_noted_compared_and_brought_back() {
    let office = Office::furnished().await;
    let second = reworded("we have not heard from you", "you have not written to us");
    office.upload("/api/templates/1", &[("reminder-november.docx", &second)]).await;
    let changes = office.get("/api/templates/1/changes?older=1&newer=2").await;
    let told = changes.to_string();
    assert_eq!(changes.as_array().map(Vec::len), Some(1));
    let gone = changes[0]["pieces"].as_array().expect("pieces").iter().filter(|p| p["state"] != "same").map(|p| p["text"].to_string());
    let gone = gone.collect::<String>();
    assert!(gone.contains("heard from") && gone.contains("written to") && !gone.contains("Dear"), "{told}");
    let versions = office.get("/api/templates/1").await["versions"].clone();
    assert_eq!(versions[0]["brought_by"], "Ida Kelling");
    let (_, done) = office.ask("PUT", &format!("/api/versions/{}/note", versions[0]["id"]), json!({ "note": " kinder tone " })).await;
    assert_eq!(done, json!(true));
    let (_, back) = office.ask("POST", "/api/templates/1/restored/1", Value::Null).await;
    assert_eq!((&back["shown"], &back["in_use"], &back["versions"][0]["note"]), (&json!(3), &json!(3), &json!("restored from version 1")));
    assert_eq!(back["versions"][1]["note"], "kinder tone");
    assert_eq!(office.get("/api/templates/1/changes?older=1&newer=3").await, json!([]));
    assert!(office.refused("GET", "/api/templates/1/changes?older=1&newer=9", Value::Null).await.starts_with("404"));
}

#[tokio::test]
async fn a_version_with_problems_never_comes_into_use() {
    let office = Office::furnished().await;
    let broken = reworded("[: ref]", "[: rund(balance)]");
    let (_, changed) = office.upload("/api/templates/1", &[("reminder.docx", &broken)]).await;
    assert_eq!((&changed["shown"], &changed["in_use"]), (&json!(2), &json!(1)));
    assert!(!changed["problems"].as_array().expect("problems").is_empty());
    assert!(office.refused("PUT", "/api/templates/1/in-use/2", Value::Null).await.starts_with("409 template-problems"));
    let id = &changed["versions"][0]["id"];
    assert!(office.refused("POST", &format!("/api/versions/{id}/coverage?sheet=1"), Value::Null).await.starts_with("409"));
}

#[tokio::test]
async fn a_dispatch_may_keep_to_a_fixed_version() {
    let office = Office::furnished().await;
    let second = reworded("Thank you; this letter", "Thanks; this letter");
    office.upload("/api/templates/1", &[("reminder.docx", &second)]).await;
    let bench = office.get("/api/dispatches/balance-reminders").await;
    assert_eq!(bench["template"]["version"], 2);
    let mut setup = bench["setup"].clone();
    setup["version"] = json!(1);
    let body = json!({ "name": bench["name"], "template_id": bench["template_id"], "sheet_id": bench["sheet_id"], "setup": setup });
    let (_, fixed) = office.ask("PUT", "/api/dispatches/balance-reminders", body).await;
    assert_eq!(fixed["template"]["version"], 1);
}

#[tokio::test]
async fn values_are_tried_by_hand_or_taken_from_a_record() {
    let office = Office::furnished().await;
    let taken = office.get("/api/versions/1/values?sheet=1&row=17").await;
    assert_eq!((&taken["label"], &taken["values"]["due"]), (&json!("Femke Achterberg"), &json!("2026-09-30")));
    assert_eq!(taken["open"], json!(["harbour due"]));
    let mut values = taken["values"].clone();
    values["last name"] = json!("<Achterberg & Co>");
    let (status, tried) =
        office.ask("POST", "/api/versions/1/try", json!({ "values": values, "locale": "nl-NL", "moment": "2026-11-23" })).await;
    assert_eq!(status, StatusCode::OK, "{tried}");
    let printed: Vec<&str> = tried["trace"].as_array().expect("a trace").iter().filter_map(|t| t["printed"].as_str()).collect();
    assert!(printed.contains(&"<Achterberg & Co>") && printed.contains(&"23 november 2026"), "{printed:?}");
    let read = tried["trace"].as_array().and_then(|t| t.iter().find(|t| t["text"] == "[: berth]")).expect("traced");
    assert_eq!(read["read"][0]["value"], taken["values"]["berth"]);
    // A value that can't be used is said where it stands; nothing else is refused.
    values["days overdue"] = json!("soon");
    let (_, wrong) = office.ask("POST", "/api/versions/1/try", json!({ "values": values })).await;
    assert!(wrong["faults"].as_array().is_some_and(|f| !f.is_empty()), "{wrong}");
    assert!(
        office.refused("POST", "/api/versions/1/try", json!({ "values": {}, "locale": "xx-nowhere-9" })).await.starts_with("422 locale")
    );
    assert!(office.refused("POST", "/api/versions/1/try", json!({ "values": {}, "moment": "soon" })).await.starts_with("422 moment"));
    assert!(office.refused("GET", "/api/versions/1/values?sheet=1&row=999", Value::Null).await.starts_with("404"));
}

#[tokio::test]
async fn lists_are_tried_as_well() {
    let office = Office::furnished().await;
    let quote = office.get("/api/templates/2").await;
    let lines = quote["needs"].as_array().and_then(|n| n.iter().find(|n| n["name"] == "lines").cloned()).expect("lines");
    assert_eq!(lines["used"], "list");
    let id = quote["versions"][0]["id"].clone();
    // A turn that was just added is blank, not unknown.
    let (_, blank) = office.ask("POST", &format!("/api/versions/{id}/try"), json!({ "values": { "lines": [{}], "findings": [{}] } })).await;
    assert!(!blank["faults"].to_string().contains("nknown name"), "{}", blank["faults"]);
    let body = json!({ "values": { "case": "RC-9", "lines": [{ "section": "Hull", "item": "Wash", "qty": "2", "unit": "m²", "price": "10.00", "optional": false }] } });
    let (_, tried) = office.ask("POST", &format!("/api/versions/{id}/try"), body).await;
    assert_eq!(tried["faults"], json!([]), "{tried}");
    let printed: Vec<&str> = tried["trace"].as_array().expect("a trace").iter().filter_map(|t| t["printed"].as_str()).collect();
    assert!(printed.contains(&"Wash") && printed.contains(&"€23.80"), "{printed:?}");
}

#[tokio::test]
async fn specimens_are_replaced_by_name_and_dropped() {
    let office = Office::furnished().await;
    let keep = |name: &str, values: Value| json!({ "name": name, "version": 1, "values": values });
    office.ask("POST", "/api/templates/1/specimens", keep("Blank", values())).await;
    let (_, again) = office.ask("POST", "/api/templates/1/specimens", keep("Blank", values())).await;
    assert_eq!(office.get("/api/templates/1/specimens").await.as_array().map(Vec::len), Some(1));
    assert!(office.refused("POST", "/api/templates/1/specimens", keep(" ", values())).await.starts_with("422 no-name"));
    let wrong = keep("Wrong", json!({ "days overdue": "soon", "balance": "x" }));
    assert!(office.refused("POST", "/api/templates/1/specimens", wrong).await.starts_with("422 fill"));
    let (_, gone) = office.ask("DELETE", &format!("/api/specimens/{}", again["id"]), Value::Null).await;
    assert_eq!(gone, json!(true));
    assert_eq!(office.get("/api/templates/1/specimens").await, json!([]));
}

#[tokio::test]
async fn coverage_tells_what_no_record_takes() {
    let office = Office::furnished().await;
    let (status, found) = office.ask("POST", "/api/versions/1/coverage?sheet=1", Value::Null).await;
    assert_eq!(status, StatusCode::OK, "{found}");
    assert_eq!((&found["records"], &found["open"]), (&json!(214), &json!(["harbour due"])));
    let ways = found["ways"].as_array().expect("ways");
    let mobile: Vec<(&str, u64)> = ways
        .iter()
        .filter(|w| w["text"].as_str().is_some_and(|t| t.starts_with("[: mobile")))
        .map(|w| (w["words"].as_str().unwrap_or("?"), w["records"].as_u64().unwrap_or(0)))
        .collect();
    assert_eq!(mobile.len(), 3);
    // 38 holders have no number at all and never get that far.
    assert_eq!(mobile.iter().map(|m| m.1).sum::<u64>(), 176);
    let never: Vec<&str> = ways.iter().filter(|w| w["records"] == 0).filter_map(|w| w["text"].as_str()).collect();
    assert_eq!(
        never,
        ["[:if days overdue > 0]", "[:keep row if harbour due > 0]", "[:keep row if harbour due > 0]", "[: mobile else home phone]"]
    );
}

#[tokio::test]
async fn fields_are_ready_placeholders_and_choices_become_one() {
    let office = Office::furnished().await;
    let fields = office.get("/api/sheets/1/fields?row=17").await;
    let field = |name: &str| fields.as_array().and_then(|f| f.iter().find(|f| f["name"] == name).cloned()).unwrap_or_default();
    assert_eq!((&field("Last_Name")["sample"], &field("Last_Name")["placeholder"]), (&json!("Achterberg"), &json!("[: Last_Name]")));
    let cases = office.get("/api/sources").await;
    let sheet =
        cases.as_array().and_then(|s| s.iter().find(|s| s["file_name"] == "refit-cases.json")).expect("cases")["sheets"][0]["id"].clone();
    let nested = office.get(&format!("/api/sheets/{sheet}/fields")).await;
    let lines = nested.as_array().and_then(|f| f.iter().find(|f| f["name"] == "Lines").cloned()).expect("lines");
    assert_eq!((&lines["type"], &lines["placeholder"]), (&json!("list"), &json!("[:repeat for Lines]…[:end]")));
    assert!(lines["within"].as_array().is_some_and(|w| w.iter().any(|f| f["placeholder"] == "[: Item]")));

    let body = json!({ "path": "due date", "format": "date long", "fallback": "soon", "before": "by ", "sheet_id": 1, "row": 17 });
    let (_, made) = office.ask("POST", "/api/language/compose", body).await;
    assert_eq!(made["placeholder"], "[: due date as date long before \"by \" else \"soon\"]");
    assert_eq!(made["printed"], "by 30 September 2026");
    assert!(made["formats"].as_array().is_some_and(|f| f.iter().any(|f| f["sample"] == "30 September 2026")));
    let body = json!({ "path": "Item", "lists": ["Lines"], "format": "upper", "sheet_id": sheet, "row": 1 });
    let (_, nested) = office.ask("POST", "/api/language/compose", body).await;
    assert!(nested["printed"].as_str().is_some_and(|p| p == p.to_uppercase() && p.len() > 3), "{nested}");
    let body = json!({ "path": "due date", "condition": "balanse > 0", "sheet_id": 1, "row": 17 });
    let (_, wrong) = office.ask("POST", "/api/language/compose", body).await;
    assert!(wrong["fault"].as_str().is_some_and(|f| f.contains("balanse")), "{wrong}");
}

#[tokio::test(flavor = "multi_thread")]
async fn each_record_takes_the_template_of_the_first_rule_that_is_true() {
    let office = Office::furnished().await;
    let path = "/api/dispatches/balance-reminders";
    let short = office.upload("/api/templates", &[("short.docx", &docx("Short note for [: berth]"))]).await.1;
    let rule = |condition: &str, template: Value| json!({ "condition": condition, "template": template });
    let set = async |rules: Value, otherwise: &str| {
        let mut bench = office.get(path).await;
        bench["setup"]["ties"]["harbour due"] = json!("Yearly fee");
        bench["setup"]["filter"] = json!(THREE);
        bench["setup"]["channels"] = json!([]);
        bench["setup"]["rules"] = rules;
        bench["setup"]["otherwise"] = json!(otherwise);
        office.ask("PUT", path, bench).await
    };
    let all = set(json!([]), "template").await.1;
    let rows: Vec<Value> = all["records"].as_array().expect("records").iter().map(|one| one["row"].clone()).collect();
    let first = office.get(&format!("{path}/pages/{}", rows[0])).await["values"]["berth"].as_str().expect("a berth").to_owned();
    let second = office.get(&format!("{path}/pages/{}", rows[1])).await["values"]["berth"].as_str().expect("a berth").to_owned();
    assert_ne!(first, second);

    let own = json!({ "id": short["id"], "version": null });
    let rules = json!([rule(&format!("berth = \"{first}\""), own.clone()), rule(&format!("berth = \"{second}\""), Value::Null)]);
    let (status, bench) = set(rules.clone(), "template").await;
    assert_eq!((status, &bench["taken_by_rules"]), (StatusCode::OK, &json!([1, 1, 1])), "{}", bench["obstacles"]);
    assert_eq!(bench["records"].as_array().map(Vec::len), Some(2), "the second has no document");
    let text = async |row: &Value| office.get(&format!("{path}/pages/{row}")).await["pages"][0]["text"].to_string();
    assert!(text(&rows[0]).await.contains("Short note"));
    assert!(!text(&rows[2]).await.contains("Short note"));

    // A run makes each of its own template, and goes on with that version when a newer one comes.
    let run = office.ask("POST", &format!("{path}/runs"), json!({ "count": 2 })).await.1;
    until(&office, &run["id"], |run| run["state"] == "done" && run["failed"] == 0).await;
    let documents = items(&office, &run["id"]).await;
    assert_eq!(documents.len(), 2);
    let pages = |item: &Value| item["documents"][0]["id"].clone();
    let file = office.bytes(&format!("/api/documents/{}", pages(&documents[0]))).await;
    assert!(file.starts_with(b"%PDF"));

    // One that no rule takes is found, where there should be a rule for it.
    set(rules, "finding").await;
    let view = office.ask("POST", &format!("{path}/preflight"), Value::Null).await.1;
    assert!(view.to_string().contains("no template rule is true") || view.to_string().contains("No template rule is true"), "{view}");
    // A rule that can't be read, or whose template is gone, stops a run and says so.
    for wrong in [rule("berth =", Value::Null), rule(" ", Value::Null), rule("true", json!({ "id": 999, "version": null }))] {
        let (status, bench) = set(json!([wrong]), "template").await;
        assert_eq!((status, bench["obstacles"].as_array().map(Vec::len)), (StatusCode::OK, Some(1)), "{}", bench["obstacles"]);
    }
    let joint = {
        let mut bench = set(json!([rule("true", own.clone())]), "template").await.1;
        bench["setup"]["joint"] = json!(true);
        office.ask("PUT", path, bench).await.1
    };
    assert!(joint["obstacles"].to_string().contains("joint-rules"), "{}", joint["obstacles"]);
    let mut bench = office.get(path).await;
    bench["setup"]["joint"] = json!(false);
    office.ask("PUT", path, bench).await;
    set(json!([rule("true", own)]), "template").await;
    let (status, refused) = office.ask("DELETE", &format!("/api/templates/{}", short["id"]), Value::Null).await;
    assert_eq!(status, StatusCode::CONFLICT, "a rule uses it: {refused}");
    // A run that has used it may make its documents again.
    set(json!([]), "template").await;
    let (status, refused) = office.ask("DELETE", &format!("/api/templates/{}", short["id"]), Value::Null).await;
    assert_eq!(status, StatusCode::CONFLICT, "a run has used it: {refused}");
}
