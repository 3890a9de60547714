//! Packs through the API: put together, refused, asked, made.

use std::process::Command;

use axum::http::StatusCode;
use serde_json::{Value, json};

use crate::office::{Office, docx, file};
use crate::runs::{THREE, items, until};

const PATH: &str = "/api/dispatches/balance-reminders";

fn text_of(pdf: &[u8]) -> Vec<String> {
    let file = tempfile::NamedTempFile::new().expect("a file");
    std::fs::write(file.path(), pdf).expect("written");
    let said = Command::new("pdftotext").args(["-layout", &file.path().to_string_lossy(), "-"]).output().expect("pdftotext");
    let said = String::from_utf8_lossy(&said.stdout).into_owned();
    said.split('\u{c}').map(|page| page.split_whitespace().collect::<Vec<_>>().join(" ")).filter(|page| !page.is_empty()).collect()
}

fn part(name: &str, content: Value, include: Value) -> Value {
    json!({ "name": name, "title": "", "content": content, "include": include, "repeat": "" })
}

fn template(id: &Value) -> Value {
    json!({ "kind": "template", "id": id, "version": null })
}

fn pack(parts: &[Value]) -> Value {
    json!({ "parts": parts, "numbering": "per-part", "cover": "", "contents": false })
}

fn always() -> Value {
    json!({ "kind": "always" })
}

async fn bring_in(office: &Office, name: &str, text: &str) -> Value {
    let (status, kept) = office.upload("/api/templates", &[(name, &docx(text))]).await;
    assert_eq!(status, StatusCode::OK, "{kept}");
    kept["id"].clone()
}

async fn add(office: &Office, name: &str, parts: &[Value]) -> Value {
    let (status, made) = office.ask("POST", "/api/packs", json!({ "name": name, "pack": pack(parts) })).await;
    assert_eq!(status, StatusCode::OK, "{made}");
    made
}

/// The dispatch with another template and three records.
async fn with_template(office: &Office, id: &Value, work: impl FnOnce(&mut Value)) -> Value {
    let mut bench = office.get(PATH).await;
    bench["template_id"] = id.clone();
    bench["setup"]["filter"] = json!(THREE);
    bench["setup"]["channels"] = json!([]);
    work(&mut bench["setup"]);
    let (status, bench) = office.ask("PUT", PATH, bench).await;
    assert_eq!(status, StatusCode::OK, "{bench}");
    bench
}

#[tokio::test]
async fn a_pack_is_made_of_a_template_a_fixed_pdf_and_what_a_person_says() {
    let office = Office::furnished().await;
    let letter = bring_in(&office, "welcome.docx", "Welcome [: last name]").await;
    let map = bring_in(&office, "map.docx", "Map of pontoon [: pontoon]").await;
    let (status, rules) = office.upload("/api/pack-files", &[("Harbour rules.pdf", &file("harbour-rules.pdf"))]).await;
    assert_eq!(
        (status, &rules["pages"], &rules["tagged"], &rules["name"]),
        (StatusCode::OK, &json!(2), &json!(true), &json!("Harbour rules"))
    );
    let parts = [
        part("Welcome", template(&letter), always()),
        part("Rules", rules["content"].clone(), always()),
        part("Map", template(&map), json!({ "kind": "ask", "usually": false })),
    ];
    let made = add(&office, "Welcome pack", &parts).await;
    assert_eq!((&made["in_use"], &made["problems"], &made["pack"]["parts"][1]["name"]), (&json!(1), &json!([]), &json!("Rules")), "{made}");
    let pages = office.get(&format!("/api/versions/{}/pages", made["versions"][0]["id"])).await;
    assert_eq!(pages["count"], 4, "all parts are shown, a fixed PDF's pages as they are");

    let bench = with_template(&office, &made["id"], |setup| setup["formats"] = json!(["pdf", "docx"])).await;
    assert_eq!(bench["questions"], json!([{ "about": "Map", "choices": [], "usual": "no" }]));
    assert_eq!(bench["obstacles"][0]["code"], "pack-docx", "{}", bench["obstacles"]);
    let bench = with_template(&office, &made["id"], |setup| {
        setup["formats"] = json!(["pdf"]);
        setup["answers"] = json!({ "Map": "yes" });
    })
    .await;
    assert_eq!(bench["obstacles"], json!([]), "{bench}");
    let row = bench["records"][0]["row"].as_u64().expect("a row");
    let page = office.get(&format!("{PATH}/pages/{row}")).await;
    assert_eq!((&page["count"], &page["findings"]), (&json!(4), &json!([])), "{page}");
    let (status, run) = office.ask("POST", &format!("{PATH}/runs"), json!({ "count": 3 })).await;
    assert_eq!(status, StatusCode::OK, "{run}");
    until(&office, &run["id"], |run| run["state"] == "done").await;
    let made = items(&office, &run["id"]).await;
    let document = &made[0]["documents"][0];
    assert_eq!(document["pages"], 4, "{document}");
    let pdf = office.bytes(&format!("/api/documents/{}", document["id"])).await;
    let said = text_of(&pdf);
    assert!(
        said[0].starts_with("Welcome ") && said[1].starts_with("Harbour rules of Brackwater Quay") && said[3].starts_with("Map of pontoon")
    );
    // All of a run as one file keeps the tags of each.
    let joined = office.bytes(&format!("/api/runs/{}/documents.pdf", run["id"])).await;
    assert_eq!(text_of(&joined).len(), 12);
}

#[tokio::test]
async fn what_can_not_be_a_part_is_refused_and_a_pack_never_contains_itself() {
    let office = Office::furnished().await;
    let (status, refused) = office.upload("/api/pack-files", &[("rules.pdf", b"%PDF-1.7 cut off here")]).await;
    assert_eq!((status, &refused["code"]), (StatusCode::UNPROCESSABLE_ENTITY, &json!("part-pdf")), "{refused}");
    assert!(
        refused["message"].as_str().is_some_and(|said| said.contains("rules.pdf") && said.contains("damaged or incomplete")),
        "{refused}"
    );
    let letter = bring_in(&office, "welcome.docx", "Welcome [: last name]").await;
    let inner = add(&office, "Inner", &[part("Welcome", template(&letter), always())]).await;
    let outer = add(&office, "Outer", &[part("Inner", template(&inner["id"]), always())]).await;
    let change = |id: &Value| format!("/api/packs/{id}");
    for (of, with) in [(&inner, &inner), (&inner, &outer)] {
        let parts = [part("Welcome", template(&letter), always()), part("Other", template(&with["id"]), always())];
        let refused = office.refused("PUT", &change(&of["id"]), pack(&parts)).await;
        assert!(refused.starts_with("422 pack-circle: “Inner” would contain itself"), "{refused}");
    }
    // What a pack is made of is not deleted, and a pack is no file to upload.
    let refused = office.refused("DELETE", &format!("/api/templates/{letter}"), Value::Null).await;
    assert!(refused.starts_with("409 in-use"), "{refused}");
    let (status, refused) = office.upload(&format!("/api/templates/{}", outer["id"]), &[("x.docx", &docx("x"))]).await;
    assert_eq!((status, &refused["code"]), (StatusCode::CONFLICT, &json!("pack")), "{refused}");
    assert!(office.refused("PUT", &change(&letter), pack(&[])).await.starts_with("409 no-pack"));
    let (status, removed) = office.ask("DELETE", &format!("/api/templates/{}", outer["id"]), Value::Null).await;
    assert_eq!((status, removed), (StatusCode::OK, json!(true)));
}

#[tokio::test]
async fn a_pack_with_problems_stays_a_draft_and_versions_can_be_restored() {
    let office = Office::furnished().await;
    let letter = bring_in(&office, "welcome.docx", "Welcome [: last name]").await;
    let made = add(&office, "Welcome pack", &[part("Welcome", template(&letter), always())]).await;
    let path = format!("/api/packs/{}", made["id"]);
    let wrong = pack(&[part("Welcome", template(&letter), json!({ "kind": "if", "condition": "pontoon = " }))]);
    let (_, draft) = office.ask("PUT", &path, wrong).await;
    assert_eq!((&draft["shown"], &draft["in_use"], &draft["problems"][0]["code"]), (&json!(2), &json!(1), &json!("condition")), "{draft}");
    assert!(draft["problems"][0]["message"].as_str().is_some_and(|said| said.starts_with("Part “Welcome”: ")));
    let right = pack(&[part("Welcome", template(&letter), json!({ "kind": "if", "condition": "pontoon = \"A\"" }))]);
    let (_, third) = office.ask("PUT", &path, right.clone()).await;
    assert_eq!((&third["shown"], &third["in_use"]), (&json!(3), &json!(3)), "{third}");
    let other = pack(&[part("Other", template(&letter), always())]);
    let refused = office.refused("PUT", &format!("{path}?newest=2"), other).await;
    assert!(refused.starts_with("409 changed-elsewhere"), "another window was faster: {refused}");
    let (_, same) = office.ask("PUT", &format!("{path}?newest=3"), right).await;
    assert_eq!(same["versions"].as_array().map(Vec::len), Some(3), "the same again is no new version");
    let (_, restored) = office.ask("POST", &format!("/api/templates/{}/restored/1", made["id"]), Value::Null).await;
    assert_eq!((&restored["in_use"], &restored["pack"]["parts"][0]["include"]["kind"]), (&json!(4), &json!("always")), "{restored}");
}

#[tokio::test]
async fn a_run_takes_the_versions_of_the_parts_that_were_in_use_when_it_began() {
    let office = Office::furnished().await;
    let letter = bring_in(&office, "welcome.docx", "First words for [: last name]").await;
    let made = add(&office, "Welcome pack", &[part("Welcome", template(&letter), always())]).await;
    let bench = with_template(&office, &made["id"], |_| {}).await;
    let (_, run) = office.ask("POST", &format!("{PATH}/runs"), json!({ "count": 3 })).await;
    until(&office, &run["id"], |run| run["state"] == "done").await;
    let (status, kept) =
        office.upload(&format!("/api/templates/{letter}"), &[("welcome.docx", &docx("Other words for [: last name]"))]).await;
    assert_eq!((status, &kept["in_use"]), (StatusCode::OK, &json!(2)), "{kept}");
    // The last document beside the one that would be made now.
    let row = bench["records"][0]["row"].as_u64().expect("a row");
    let last = office.get(&format!("{PATH}/pages/{row}/last")).await;
    assert_eq!((&last["run"], last["changes"].as_array().map(Vec::len)), (&run["id"], Some(1)), "{last}");
    let pieces = last["changes"][0]["pieces"].as_array().expect("pieces");
    let of = |state: &str| {
        pieces.iter().filter(|p| p["state"] == state).map(|p| p["text"].as_str().unwrap_or_default().trim()).collect::<Vec<_>>()
    };
    assert_eq!((of("gone"), of("new")), (vec!["First"], vec!["Other"]), "{last}");
}
