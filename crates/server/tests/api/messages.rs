//! Messages written in the editor: as HTML and text, with pictures and files, or a link where the
//! documents are too large.

use axum::http::StatusCode;
use mail_parser::{MessageParser, MimeHeaders, PartType};
use serde_json::{Value, json};

use crate::office::{Office, PUBLIC};
use crate::runs::{KIND, Server, THREE, until};

const PATH: &str = "/api/dispatches/balance-reminders";

/// A picture of a few dots.
fn picture() -> Vec<u8> {
    let mut out = std::io::Cursor::new(Vec::new());
    image::RgbImage::from_pixel(40, 20, image::Rgb([20, 80, 120])).write_to(&mut out, image::ImageFormat::Png).expect("a picture");
    out.into_inner()
}

async fn with_message(office: &Office, change: impl FnOnce(&mut Value)) -> Value {
    let mut bench = office.get(PATH).await;
    bench["setup"]["ties"]["harbour due"] = json!("Yearly fee");
    bench["setup"]["filter"] = json!(THREE);
    change(&mut bench["setup"]);
    let (status, bench) = office.ask("PUT", PATH, bench).await;
    assert_eq!(status, StatusCode::OK, "{bench}");
    bench
}

async fn sent(office: &Office, server: &Server) -> Vec<String> {
    let run = office.ask("POST", &format!("{PATH}/runs"), json!({ "count": 3 })).await.1;
    let done = until(office, &run["id"], |r| r["state"] == "done").await;
    assert_eq!(done["failed"], 0, "{done}");
    server.raw()
}

#[tokio::test]
async fn a_rich_message_reads_as_html_and_as_text_and_shows_its_picture() {
    let (server, port) = Server::start(KIND).await;
    let office = Office::sending(port).await;
    office.upload(&format!("{PATH}/pictures"), &[("quay side.png", &picture())]).await;
    let file = office.upload(&format!("{PATH}/files"), &[("Terms.txt", b"Terms of the quay")]).await.1;
    assert_eq!((&file["name"], &file["size"]), (&json!("Terms.txt"), &json!(17)));
    with_message(&office, |setup| {
        let channel = &mut setup["channels"][0]["channel"];
        channel["html"] = json!("<h1>Berth [: berth]</h1><p>Dear [: last name] &amp; family,</p><p>[:if balance > 0]</p><p>you owe <strong>[: balance]</strong>.</p><p>[:end]</p><p><img src=\"picture:quay%20side.png\"></p><p onclick=\"x()\">Bye<script>alert(1)</script></p>");
        channel["files"] = json!([file]);
    })
    .await;
    let raw = sent(&office, &server).await;
    let owing = raw.iter().filter(|one| {
        MessageParser::default().parse(one.as_bytes()).is_some_and(|m| m.body_html(0).is_some_and(|html| html.contains("you owe")))
    });
    let owing: Vec<&String> = owing.collect();
    assert!(!owing.is_empty() && owing.len() < 3, "a passage comes and goes by its condition");
    let message = MessageParser::default().parse(owing[0].as_bytes()).expect("a message");
    let (html, text) = (message.body_html(0).expect("HTML"), message.body_text(0).expect("a text"));
    assert!(
        html.contains("you owe <strong>") && html.contains("&amp; family") && !html.contains("script") && !html.contains("onclick"),
        "{html}"
    );
    assert!(text.contains("you owe **") || text.contains("you owe "), "{text}");
    assert!(!text.contains("<strong>") && !html.contains("[:"), "{text}");
    // The picture is the one that the HTML names.
    let inline = message.parts.iter().find(|part| part.content_id().is_some()).expect("a picture");
    assert!(html.contains(&format!("cid:{}", inline.content_id().expect("its name"))));
    assert!(
        matches!(&inline.body, PartType::InlineBinary(bytes) | PartType::Binary(bytes) if bytes.starts_with(b"\x89PNG")),
        "{:?}",
        inline.headers
    );
    let names: Vec<&str> = message.attachments().filter_map(|part| part.attachment_name()).collect();
    assert!(names.contains(&"Terms.txt") && names.iter().any(|name| name.ends_with(".pdf")), "{names:?}");
}

#[tokio::test]
async fn a_missing_picture_is_found_before_the_run() {
    let office = Office::furnished().await;
    with_message(&office, |setup| setup["channels"][0]["channel"]["html"] = json!("<p>[:picture \"gone.png\"]</p>")).await;
    let view = office.ask("POST", &format!("{PATH}/preflight"), Value::Null).await.1;
    assert!(view.to_string().contains("“gone.png” not found"), "{view}");
    let bench = with_message(&office, |setup| setup["channels"][0]["channel"]["html"] = json!("<p>[: nmae</p>")).await;
    assert!(!bench["obstacles"].as_array().expect("a list").is_empty());
    let large = "x".repeat(2 << 20);
    let bench = with_message(&office, |setup| setup["channels"][0]["channel"]["html"] = json!(format!("<p>{large}</p>"))).await;
    assert!(bench["obstacles"].to_string().contains("exceeds 2 MB"), "{}", bench["obstacles"]);
}

#[tokio::test]
async fn documents_that_are_too_large_go_as_a_link() {
    let (server, port) = Server::start(KIND).await;
    let office = Office::sending(port).await;
    let limit = |setup: &mut Value, megabytes: u32| {
        let channel = &mut setup["channels"][0]["channel"];
        channel["link_above"] = json!(megabytes);
        channel["link_note"] = json!("Your letter: [: document.link]");
    };
    let bench = with_message(&office, |setup| limit(setup, 1)).await;
    assert!(bench["obstacles"].to_string().contains("Add a share link channel."), "{}", bench["obstacles"]);
    let big = vec![b'x'; 1_000_000];
    let file = office.upload(&format!("{PATH}/files"), &[("Plan.bin", &big)]).await.1;
    with_message(&office, |setup| {
        limit(setup, 1);
        setup["channels"][0]["channel"]["files"] = json!([file]);
        let link = json!({ "kind": "link", "passcode": "", "days": null, "openings": null, "download": true });
        setup["channels"]
            .as_array_mut()
            .expect("channels")
            .push(json!({ "on": true, "name": "", "condition": "", "moment": "at-once", "channel": link }));
    })
    .await;
    let raw = sent(&office, &server).await;
    for one in &raw {
        let message = MessageParser::default().parse(one.as_bytes()).expect("a message");
        let names: Vec<&str> = message.attachments().filter_map(|part| part.attachment_name()).collect();
        assert_eq!(names, ["Plan.bin"], "the letter itself is not attached");
        let text = message.body_text(0).expect("a text");
        assert!(text.contains(&format!("Your letter: {PUBLIC}/d/")), "{text}");
    }
}

#[tokio::test]
async fn files_have_their_limits() {
    let office = Office::furnished().await;
    let refused = office.upload(&format!("{PATH}/files"), &[("empty.txt", b"")]).await;
    assert_eq!((refused.0, refused.1["code"].as_str()), (StatusCode::UNPROCESSABLE_ENTITY, Some("empty")));
}

/// Another dispatch like the demo's, which uses a message template.
async fn second_user(office: &Office, key: &Value, version: Option<i64>) -> String {
    let copy = office.ask("POST", &format!("{PATH}/copy"), Value::Null).await.1;
    let path = format!("/api/dispatches/{}", copy["key"].as_str().expect("a key"));
    let mut bench = office.get(&path).await;
    bench["setup"]["channels"][0]["channel"]["template"] = json!({ "key": key, "version": version });
    bench["setup"]["ties"]["harbour due"] = json!("Yearly fee");
    let (status, bench) = office.ask("PUT", &path, bench).await;
    assert_eq!(status, StatusCode::OK, "{bench}");
    path
}

#[tokio::test]
async fn a_message_is_shared_by_dispatches_and_has_versions() {
    let (server, port) = Server::start(KIND).await;
    let office = Office::sending(port).await;
    office.upload(&format!("{PATH}/pictures"), &[("quay side.png", &picture())]).await;
    let text = |word: &str| json!({ "subject": format!("{word} for [: berth]"), "body": "", "html": format!("<p>{word}, [: last name]</p><p><img src=\"picture:quay%20side.png\"></p>") });
    let new = json!({ "name": " Berth  news ", "text": text("News"), "note": "first", "dispatch": "balance-reminders" });
    let (status, saved) = office.ask("POST", "/api/messages", new.clone()).await;
    assert_eq!((status, &saved["key"]), (StatusCode::OK, &json!("berth-news")));
    assert_eq!(office.ask("POST", "/api/messages", new).await.1["key"], "berth-news-2", "a key of its own");
    let path = second_user(&office, &saved["key"], None).await;
    let pictures = office.get(&format!("{path}/pictures")).await;
    assert_eq!(pictures[0]["name"], "quay side.png", "its picture has come along");

    // A run started now sends the first version, also where a second comes while it is on hold.
    let mut bench = office.get(&path).await;
    bench["setup"]["filter"] = json!(THREE);
    bench["setup"]["ties"]["harbour due"] = json!("Yearly fee");
    office.ask("PUT", &path, bench).await;
    let run = office.ask("POST", &format!("{path}/runs"), json!({ "count": 3, "hold": true })).await.1;
    let next = |revision: Value, word: &str| json!({ "text": text(word), "dispatch": "balance-reminders", "revision": revision });
    let (status, _) = office.ask("POST", "/api/messages/berth-news/versions", next(json!(1), "Later")).await;
    assert_eq!(status, StatusCode::OK);
    let (status, late) = office.ask("POST", "/api/messages/berth-news/versions", next(json!(1), "Lost")).await;
    assert_eq!((status, &late["code"]), (StatusCode::CONFLICT, &json!("changed-elsewhere")));
    until(&office, &run["id"], |r| r["blocked"] == 3).await;
    office.ask("POST", &format!("/api/runs/{}/release", run["id"]), json!({})).await;
    until(&office, &run["id"], |r| r["state"] == "done").await;
    let raw = server.raw();
    assert_eq!(raw.len(), 3);
    for one in &raw {
        let message = MessageParser::default().parse(one.as_bytes()).expect("a message");
        let (subject, html) = (message.subject().unwrap_or_default(), message.body_html(0).unwrap_or_default());
        assert!(subject.starts_with("News for ") && html.contains("News, ") && html.contains("cid:"), "{subject}: {html}");
    }

    // What is shown from now on is the second, but where the first is asked for.
    let row = office.get(&path).await["records"][0]["row"].clone();
    let subject = async |path: &str| {
        let page = office.get(&format!("{path}/pages/{row}")).await;
        let shown = page["deliveries"][0]["shown"].as_array().expect("shown").iter().find(|one| one["label"] == "Subject").cloned();
        shown.expect("a subject")["text"].as_str().expect("a text").to_owned()
    };
    assert!(subject(&path).await.starts_with("Later for "));
    let fixed = second_user(&office, &saved["key"], Some(1)).await;
    assert!(subject(&fixed).await.starts_with("News for "));
    let (status, all) = office.ask("PUT", "/api/messages/berth-news", json!({ "in_use": 1, "name": "Berths", "revision": 2 })).await;
    assert_eq!((status, &all[1]["name"], &all[1]["in_use"]), (StatusCode::OK, &json!("Berths"), &json!(1)), "{all}");
    assert_eq!(all[1]["used_by"].as_array().map(Vec::len), Some(2), "{all}");
    assert!(subject(&path).await.starts_with("News for "));
    let (status, _) = office.ask("PUT", "/api/messages/berth-news", json!({ "in_use": 9, "revision": 3 })).await;
    assert_eq!(status, StatusCode::CONFLICT, "there is no such version");

    // One that is used stays.
    let (status, refused) = office.ask("DELETE", "/api/messages/berth-news", Value::Null).await;
    assert_eq!((status, &refused["code"]), (StatusCode::CONFLICT, &json!("in-use")));
    let (status, left) = office.ask("DELETE", "/api/messages/berth-news-2", Value::Null).await;
    assert_eq!((status, left.as_array().map(Vec::len)), (StatusCode::OK, Some(1)));
}

#[tokio::test]
async fn a_message_with_problems_is_no_template() {
    let office = Office::furnished().await;
    let new = |subject: &str, name: &str| json!({ "name": name, "text": { "subject": subject, "body": "x", "html": "" }, "dispatch": "balance-reminders" });
    for (subject, name, code) in [("[: berth", "A", "message"), ("Fine", "  ", "no-name")] {
        let (status, refused) = office.ask("POST", "/api/messages", new(subject, name)).await;
        assert_eq!((status, &refused["code"]), (StatusCode::UNPROCESSABLE_ENTITY, &json!(code)), "{refused}");
    }
    let mut bench = office.get(PATH).await;
    bench["setup"]["channels"][0]["channel"]["template"] = json!({ "key": "gone", "version": null });
    let (status, refused) = office.ask("PUT", PATH, bench).await;
    assert_eq!((status, &refused["code"]), (StatusCode::UNPROCESSABLE_ENTITY, &json!("no-message-template")), "{refused}");
    assert_eq!(office.get(PATH).await["setup"]["channels"][0]["channel"]["template"], Value::Null, "nothing is half saved");
}
