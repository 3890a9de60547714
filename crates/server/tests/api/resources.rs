//! Every resource's way in, its refusals and what they leave behind.

use axum::body::{Body, to_bytes};
use axum::http::{Request, StatusCode};
use serde_json::{Value, json};
use tower::ServiceExt;

use crate::office::{Office, file};

const BERTHS: &[u8] = b"Ref;Boat name;Balance;Due\nBQ-1;Grace;12,50;1.7.2026\nBQ-2;;1.480,00;30.9.2026\nBQ-3;Burza;0,00;soon\nBQ-4;M\xc3\xb6we;3,75;2.2.2026\n";

#[tokio::test]
async fn a_sheet_is_brought_in_looked_at_and_deleted() {
    let office = Office::empty().await;
    let (status, source) = office.upload("/api/sources", &[("berths.csv", BERTHS)]).await;
    assert_eq!((status, source["name"].as_str()), (StatusCode::OK, Some("berths")), "{source}");
    let types: Vec<_> = source["sheets"][0]["columns"].as_array().expect("columns").iter().map(|c| c["type"].clone()).collect();
    assert_eq!(types, ["text", "text", "number", "date"]);
    let rows = office.get("/api/sheets/1/rows").await;
    assert_eq!(rows["total"], 4);
    assert_eq!(rows["misfits"], json!([0, 0, 0, 1]));
    assert_eq!(rows["rows"][2]["cells"][3], json!({ "text": "soon", "wrong": "not a valid date" }));
    assert_eq!(rows["rows"][1]["cells"][2]["text"], "1480.00");
    assert_eq!(office.ask("DELETE", "/api/sources/1", Value::Null).await, (StatusCode::OK, json!(true)));
    assert_eq!(office.get("/api/sources").await, json!([]));
    assert!(office.refused("GET", "/api/sheets/1", Value::Null).await.starts_with("404 "));
}

#[tokio::test]
async fn rows_are_sorted_found_and_paged_with_blanks_last() {
    let office = Office::empty().await;
    office.upload("/api/sources", &[("berths.csv", BERTHS)]).await;
    let numbers = |page: Value| -> Vec<u64> {
        page["rows"].as_array().expect("rows").iter().map(|r| r["number"].as_u64().expect("a number")).collect()
    };
    for (query, rows) in [
        ("sort=3", vec![3, 4, 1, 2]),
        ("sort=-3", vec![2, 1, 4, 3]),
        ("sort=2", vec![3, 1, 4, 2]),
        ("sort=-2", vec![4, 1, 3, 2]),
        ("find=m%C3%B6w", vec![4]),
        ("from=1&count=2", vec![2, 3]),
        ("filter=balance%20%3E%203&sort=-1", vec![4, 2, 1]),
        ("filter=boat%20name%20is%20blank", vec![2]),
        ("sort=99", vec![1, 2, 3, 4]),
        ("misfits=4", vec![3]),
        ("misfits=0&sort=1", vec![3]),
        ("misfits=1", vec![]),
    ] {
        assert_eq!(numbers(office.get(&format!("/api/sheets/1/rows?{query}")).await), rows, "{query}");
    }
    assert!(office.refused("GET", "/api/sheets/1/rows?filter=balanse%20%3E%203", Value::Null).await.contains("Did you mean “Balance”?"));
}

#[tokio::test]
async fn a_type_is_corrected_and_a_filter_is_kept_and_dropped() {
    let office = Office::empty().await;
    office.upload("/api/sources", &[("berths.csv", BERTHS)]).await;
    let (_, sheet) = office.ask("PUT", "/api/sheets/1/columns/2", json!({ "name": "Balance", "type": "money", "currency": "GBP" })).await;
    assert_eq!(sheet["columns"][2], json!({ "name": "Balance", "type": "money", "currency": "GBP", "cell": 2 }));
    let (_, sheet) = office.ask("PUT", "/api/sheets/1/columns/3", json!({ "name": "Due", "type": "text" })).await;
    assert_eq!(sheet["columns"][3]["type"], "text");
    assert_eq!(office.get("/api/sheets/1/rows").await["misfits"], json!([0, 0, 0, 0]));
    assert!(
        office
            .refused("PUT", "/api/sheets/1/columns/2", json!({ "name": "Balance", "type": "money", "currency": "euros" }))
            .await
            .starts_with("422 ")
    );
    assert!(office.refused("PUT", "/api/sheets/1/columns/9", json!({ "name": "Due", "type": "text" })).await.starts_with("404 "));

    let keep = |name: &str, condition: &str| json!({ "name": name, "condition": condition });
    let (_, sheet) = office.ask("POST", "/api/sheets/1/filters", keep("Owes", "balance > 0")).await;
    assert_eq!(sheet["filters"][0]["condition"], "balance > 0");
    let (_, sheet) = office.ask("POST", "/api/sheets/1/filters", keep("Owes", "balance > 10")).await;
    assert_eq!((sheet["filters"].as_array().map(Vec::len), &sheet["filters"][0]["condition"]), (Some(1), &json!("balance > 10")));
    assert!(office.refused("POST", "/api/sheets/1/filters", keep(" ", "balance > 0")).await.contains("nter a name"));
    assert!(office.refused("POST", "/api/sheets/1/filters", keep("x", "balance >")).await.contains("The filter can't be used"));
    assert_eq!(office.ask("DELETE", "/api/filters/1", Value::Null).await.1, json!(true));
    assert_eq!(office.get("/api/sheets/1").await["filters"], json!([]));
}

#[tokio::test]
async fn a_sheet_and_a_letter_dropped_together_become_a_dispatch() {
    let office = Office::empty().await;
    let (season, letter) = (file("season.xlsx"), file("reminder.docx"));
    let (status, dropped) = office.upload("/api/drop", &[("season.xlsx", &season), ("reminder.docx", &letter)]).await;
    assert_eq!((status, dropped["dispatch"].as_str()), (StatusCode::OK, Some("reminder")), "{dropped}");
    let bench = office.get("/api/dispatches/reminder").await;
    assert_eq!(bench["records"].as_array().map(Vec::len), Some(214));
    let open: Vec<_> = bench["ties"].as_array().expect("ties").iter().filter(|t| t["column"].is_null()).collect();
    assert_eq!(open.len(), 2, "{open:?}");
    let (_, again) = office.upload("/api/drop", &[("season.xlsx", &season), ("reminder.docx", &letter)]).await;
    assert_eq!(again["dispatch"], "reminder-2", "a second of the same name gets a key of its own");
}

#[tokio::test]
async fn of_dropped_files_the_good_are_taken_and_the_bad_are_named() {
    let office = Office::empty().await;
    let (status, dropped) = office.upload("/api/drop", &[("berths.csv", BERTHS), ("photo.png", b"\x89PNG\r\n\x1a\n...")]).await;
    assert_eq!((status, dropped["sources"].as_array().map(Vec::len)), (StatusCode::OK, Some(1)));
    assert!(dropped["refused"][0]["message"].as_str().is_some_and(|m| m.contains("photo.png")), "{dropped}");
    let (status, refused) = office.upload("/api/drop", &[("photo.png", b"\x89PNG\r\n\x1a\n...")]).await;
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY, "{refused}");
    assert_eq!(office.get("/api/sources").await.as_array().map(Vec::len), Some(1));
}

#[tokio::test]
async fn a_dispatch_is_added_changed_and_deleted() {
    let office = Office::furnished().await;
    let (_, key) = office.ask("POST", "/api/dispatches", json!({ "name": "Zweite Mahnung", "template_id": 1, "sheet_id": 1 })).await;
    assert_eq!(key["key"], "zweite-mahnung");
    let mut bench = office.get("/api/dispatches/zweite-mahnung").await;
    bench["setup"]["filter"] = json!("balance > 1000");
    let (_, bench) = office.ask("PUT", "/api/dispatches/zweite-mahnung", bench).await;
    let chosen = bench["records"].as_array().expect("records").len();
    assert!(chosen > 0 && chosen < 214, "{chosen}");
    assert_eq!(bench["row_count"], 214);
    let mut wrong = bench.clone();
    wrong["setup"]["filter"] = json!("balance >");
    let (_, wrong) = office.ask("PUT", "/api/dispatches/zweite-mahnung", wrong).await;
    assert!(wrong["filter_problem"].as_str().is_some_and(|m| m.contains("filter")), "{}", wrong["filter_problem"]);
    assert_eq!(wrong["records"], json!([]), "a filter that can't be read chooses nobody");
    let mut nameless = bench.clone();
    nameless["name"] = json!("  ");
    assert!(office.refused("PUT", "/api/dispatches/zweite-mahnung", nameless).await.contains("nter a name"));
    assert!(office.refused("POST", "/api/dispatches", json!({ "name": "" })).await.contains("nter a name"));
    assert_eq!(office.ask("DELETE", "/api/dispatches/zweite-mahnung", Value::Null).await.1, json!(true));
    assert!(office.refused("GET", "/api/dispatches/zweite-mahnung", Value::Null).await.starts_with("404 "));
}

#[tokio::test]
async fn a_source_in_use_is_not_deleted() {
    let office = Office::furnished().await;
    assert!(office.refused("DELETE", "/api/sources/1", Value::Null).await.starts_with("409 in-use"));
    assert!(office.refused("DELETE", "/api/templates/1", Value::Null).await.starts_with("409 in-use"));
}

#[tokio::test]
async fn the_page_of_a_record_is_shown_with_its_message_or_what_is_wrong() {
    let office = Office::furnished().await;
    let mut bench = office.get("/api/dispatches/balance-reminders").await;
    bench["setup"]["ties"]["harbour due"] = json!("Yearly fee");
    office.ask("PUT", "/api/dispatches/balance-reminders", bench).await;
    let row = 3;
    let page = office.get(&format!("/api/dispatches/balance-reminders/pages/{row}")).await;
    assert!(page["pages"][0]["svg"].as_str().is_some_and(|svg| svg.starts_with("<svg")), "a page");
    // In the language that the record itself names.
    let mut bench = office.get("/api/dispatches/balance-reminders").await;
    bench["setup"]["locale_column"] = json!("Language");
    office.ask("PUT", "/api/dispatches/balance-reminders", bench).await;
    let printed = |page: &Value| page["trace"].to_string();
    let dutch = office.get("/api/dispatches/balance-reminders/pages/17").await;
    assert!(printed(&dutch).contains("30 september 2026") && printed(&dutch).contains("1.960,00"), "{dutch}");
    assert!(printed(&office.get("/api/dispatches/balance-reminders/pages/31").await).contains("€48,112.50"));
    let to = &page["deliveries"][0]["shown"][1];
    assert!(to["label"] == "To" && to["text"].as_str().is_some_and(|to| to.contains('@')), "{page}");
    assert!(!page["file_name"].as_str().unwrap_or_default().is_empty());
    assert!(office.refused("GET", "/api/dispatches/balance-reminders/pages/999", Value::Null).await.starts_with("404 "));
    let preflight = office.ask("POST", "/api/dispatches/balance-reminders/preflight", Value::Null).await.1;
    assert_eq!(preflight["checked"], 63);
    let rows: Vec<_> = preflight["causes"][0]["records"].as_array().expect("records").iter().map(|r| r["row"].clone()).collect();
    assert_eq!((rows, preflight["causes"].as_array().map(Vec::len)), (vec![json!(48)], Some(1)), "{preflight}");
}

#[tokio::test]
async fn proofs_go_to_one_address_and_need_records() {
    let office = Office::furnished().await;
    let ask = |rows: Value, to: &str| json!({ "rows": rows, "to": to });
    let path = "/api/dispatches/balance-reminders/proofs";
    assert!(office.refused("POST", path, ask(json!([1]), "a@b.example, c@d.example")).await.starts_with("422 not-an-address"));
    assert!(office.refused("POST", path, ask(json!([]), "ida@brackwater-quay.example")).await.starts_with("422 rows"));
    assert!(
        office.refused("POST", path, ask(json!((1..=51).collect::<Vec<_>>()), "ida@brackwater-quay.example")).await.starts_with("422 rows")
    );
}

#[tokio::test]
async fn addresses_in_the_settings_may_be_blank_but_not_malformed() {
    let office = Office::empty().await;
    let settings = |office: &str, person: &str| json!({ "office_name": "Brackwater Quay", "office_email": office, "person_email": person });
    let (status, _) = office.ask("PUT", "/api/settings", settings("office@brackwater-quay.example", "")).await;
    assert_eq!(status, StatusCode::OK);
    assert!(office.refused("PUT", "/api/settings", settings("office at quay", "")).await.starts_with("422 not-an-address"));
    assert_eq!(office.get("/api/settings").await["office_email"], "office@brackwater-quay.example", "the wrong one changed nothing");
}

#[tokio::test]
async fn what_is_not_there_is_said_so() {
    let office = Office::empty().await;
    for path in ["/api/sheets/7", "/api/templates/7", "/api/dispatches/none", "/api/runs/7", "/api/documents/7", "/api/nothing"] {
        assert!(office.refused("GET", path, Value::Null).await.starts_with("404"), "{path}");
    }
    let (status, _) = office.ask("PUT", "/api/settings", json!({ "office_name": 3 })).await;
    assert!(status.is_client_error());
}

#[tokio::test]
async fn every_view_has_an_address_that_answers_with_the_application() {
    let office = Office::empty().await;
    for path in ["/", "/sources", "/sheets/1", "/dispatches/balance-reminders/mapping", "/runs/3"] {
        let request = Request::builder().uri(path).body(Body::empty()).expect("a request");
        let answer = office.router.clone().oneshot(request).await.expect("answers");
        assert_eq!(answer.status(), StatusCode::OK, "{path}");
        let page = to_bytes(answer.into_body(), 1 << 20).await.expect("a page");
        assert!(String::from_utf8_lossy(&page).contains("<div id=\"app\">"), "{path}");
    }
    let request = Request::builder().uri("/assets/none.js").body(Body::empty()).expect("a request");
    assert_eq!(office.router.clone().oneshot(request).await.expect("answers").status(), StatusCode::NOT_FOUND);
}

#[tokio::test]
async fn an_editor_is_told_what_is_wrong_and_what_could_stand_there() {
    let office = Office::furnished().await;
    let ask = |text: &str, placeholders: bool| json!({ "text": text, "placeholders": placeholders, "sheet_id": 1 });
    let (_, marks) = office.ask("POST", "/api/language/check", ask("rund(balanse; 2)", false)).await;
    assert_eq!((marks[0]["code"].as_str(), marks[0]["span"]["start"].as_u64()), (Some("unknown-function"), Some(0)));
    let (_, marks) = office.ask("POST", "/api/language/check", ask("round(balanse; 2)", false)).await;
    assert_eq!(marks[0]["message"], "Unknown name “balanse”. Did you mean “Balance”?");
    let (_, marks) = office.ask("POST", "/api/language/check", ask("Your berth [: birth]", true)).await;
    assert_eq!((marks[0]["span"]["start"].as_u64(), marks[0]["span"]["end"].as_u64()), (Some(11), Some(20)));
    let (_, found) = office.ask("POST", "/api/language/complete", json!({ "text": "1 + days ov", "at": 11, "sheet_id": 1 })).await;
    assert_eq!((found["start"].as_u64(), found["offers"][0]["text"].as_str()), (Some(4), Some("Days overdue")));
    let functions = office.get("/api/language/functions").await;
    assert!(functions.as_array().is_some_and(|f| f.len() > 90), "{}", functions.as_array().map_or(0, Vec::len));
    let long = json!({ "text": "x".repeat(70_000) });
    assert!(office.refused("POST", "/api/language/check", long).await.starts_with("422 too-long"));
}

#[tokio::test]
async fn a_template_tells_its_logic() {
    let office = Office::furnished().await;
    let template = office.get("/api/templates/1").await;
    let lines = template["outline"].as_array().expect("an outline");
    let logic = lines.iter().find(|l| !l["within"].as_array().expect("lines").is_empty()).expect("a condition");
    assert!(logic["words"].as_str().is_some_and(|w| w.starts_with("if ")), "{logic}");
    assert_eq!(template["told"], json!([]));
}

#[tokio::test]
async fn preflight_tells_line_by_line_what_it_finds() {
    let office = Office::furnished().await;
    let whole = office.ask("POST", "/api/dispatches/balance-reminders/preflight", Value::Null).await.1;
    let lines = office.bytes("/api/dispatches/balance-reminders/preflight?totals=true").await;
    let lines = String::from_utf8(lines).expect("text");
    let views: Vec<Value> = lines.lines().map(|line| serde_json::from_str(line).expect("a view")).collect();
    let last = views.last().expect("at least one");
    assert_eq!((last["complete"].as_bool(), last), (Some(true), &whole));
    assert!(views.iter().rev().skip(1).all(|view| view["complete"] == false && view["checked"].as_u64() <= view["count"].as_u64()));
    // What can't be checked is refused before the first line.
    assert_eq!(office.ask("GET", "/api/dispatches/none/preflight", Value::Null).await.0, StatusCode::NOT_FOUND);
}

#[tokio::test]
async fn an_import_is_a_job_that_is_listed_while_it_goes() {
    let office = Office::furnished().await;
    assert_eq!(office.get("/api/jobs").await, json!([]));
    let (_, source) = office.ask("POST", "/api/sources/paste", json!({ "name": "Pasted", "text": "Ref,Sum\nA,1\nB,2\n" })).await;
    assert_eq!(source["sheets"][0]["row_count"], 2);
    let jobs = (1..50).rev().map(|id| format!("/api/jobs/{id}"));
    let mut last = None;
    for job in jobs {
        let (status, job) = office.ask("GET", &job, Value::Null).await;
        if status == StatusCode::OK {
            last = Some(job);
            break;
        }
    }
    let last = last.expect("the job of the import");
    assert_eq!((&last["kind"], &last["state"], &last["result"]["source"]), (&json!("import"), &json!("done"), &source["id"]));
    // What has ended can't be stopped any more.
    let (status, stopped) = office.ask("DELETE", &format!("/api/jobs/{}", last["id"]), Value::Null).await;
    assert_eq!((status, &stopped["state"]), (StatusCode::OK, &json!("done")));
    let (status, refused) = office.ask("GET", "/api/jobs/abc", Value::Null).await;
    assert_eq!((status, &refused["code"]), (StatusCode::BAD_REQUEST, &json!("request")), "{refused}");
}
