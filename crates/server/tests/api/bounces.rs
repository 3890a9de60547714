//! Messages that come back: each to a return path of its own, read over IMAP, shown on its delivery.

use axum::http::StatusCode;
use mangle_practice::mailbox::{self, Bounce, Mailbox, PASSWORD, USER};
use mangle_server::{BounceMailbox, Secret, Security, SignIn};
use serde_json::{Value, json};
use tokio::net::TcpListener;

use crate::office::Office;
use crate::runs::{THREE, items, started, until};

/// The demo's office with the practice mailbox, and what comes back from there.
async fn office() -> (Office, Mailbox, tempfile::TempDir) {
    let folder = tempfile::tempdir().expect("a folder");
    let mailbox = Mailbox::open(folder.path()).expect("opens");
    let bind = async || TcpListener::bind("127.0.0.1:0").await.expect("binds");
    let (smtp, imap) = (bind().await, bind().await);
    let port = |listener: &TcpListener| listener.local_addr().expect("an address").port();
    let (out, back) = (port(&smtp), port(&imap));
    tokio::spawn(mailbox::serve(smtp, mailbox.clone()));
    tokio::spawn(mailbox::serve_returned(imap, mailbox.returned.clone()));
    let bounces = BounceMailbox {
        address: "bounces@brackwater-quay.example".into(),
        host: "127.0.0.1".into(),
        port: back,
        security: Security::None,
        sign_in: SignIn::Password,
        user: USER.into(),
        trust: String::new(),
    };
    (Office::with_bounces(out, (bounces, Secret(PASSWORD.into()))).await, mailbox, folder)
}

fn bounce(reason: &str) -> Bounce {
    serde_json::from_value(json!({ "reason": reason })).expect("a bounce")
}

async fn event(office: &Office, item: &Value, what: &str) -> Value {
    for _ in 0..600 {
        let all = office.get(&format!("/api/items/{}/events", item["id"])).await;
        if let Some(found) = all.as_array().expect("events").iter().find(|event| event["what"] == what) {
            return found.clone();
        }
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
    panic!("no event {what}");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_bounce_is_shown_on_its_delivery_with_the_reason() {
    let (office, mailbox, _folder) = office().await;
    let run = started(&office, THREE).await.1;
    let done = until(&office, &run["id"], |r| r["state"] == "done").await;
    assert_eq!(done["delivered"], 3, "{done}");
    let sent = mailbox.list();
    let paths: Vec<&str> = sent.iter().map(|one| one.return_path.as_str()).collect();
    assert!(paths.iter().all(|path| path.starts_with("bounces+") && path.ends_with("@brackwater-quay.example")), "{paths:?}");
    assert!(paths[0] != paths[1] && paths[1] != paths[2], "each has its own");
    assert!(mailbox.bounce(sent[0].number, &bounce("550 5.1.1 no such user here")));
    assert!(mailbox.bounce(sent[1].number, &bounce("451 4.4.1 try again later")));
    let failed = until(&office, &run["id"], |r| r["failed"] == 1).await;
    assert_eq!(failed["delivered"], 2);
    let all = items(&office, &run["id"]).await;
    let of = |to: &str| all.iter().find(|item| item["deliveries"][0]["recipient"] == to).expect("its item").clone();
    let first = of(&sent[0].recipients[0]);
    let delivery = &first["deliveries"][0];
    assert_eq!((&delivery["state"], &delivery["error_code"]), (&json!("failed"), &json!("bounced")));
    let message = delivery["error_message"].as_str().unwrap_or_default().to_owned();
    assert_eq!(message, format!("No delivery for {}: 550 5.1.1 no such user here.", sent[0].recipients[0]));
    assert_eq!(event(&office, &first, "bounced").await["detail"].as_str().map(str::len), Some(message.len()));
    // A delay is heard, and the message counts as delivered until it comes back for good.
    let second = of(&sent[1].recipients[0]);
    let delayed = event(&office, &second, "heard").await;
    assert!(delayed["detail"].as_str().is_some_and(|text| text.starts_with("Delayed for ")), "{delayed}");
    assert_eq!(mailbox.returned.count(), (2, 0), "both are read");
    // It is sent again once a person has looked.
    office.ask("POST", &format!("/api/items/{}/retry", first["id"]), Value::Null).await;
    let done = until(&office, &run["id"], |r| r["failed"] == 0 && r["state"] == "done").await;
    assert_eq!((done["delivered"].as_u64(), mailbox.list().len()), (Some(3), 4));
}

#[tokio::test(flavor = "multi_thread")]
async fn letters_of_people_stay_unread_and_foreign_reports_change_nothing() {
    let (office, mailbox, _folder) = office().await;
    mailbox.returned.put(b"From: ada@quay.example\r\nTo: bounces@brackwater-quay.example\r\nSubject: Hello\r\n\r\nA question".to_vec());
    let foreign = "To: <bounces+99.9.ffff@brackwater-quay.example>\r\nContent-Type: multipart/report; boundary=b\r\n\r\n--b\r\nContent-Type: message/delivery-status\r\n\r\nReporting-MTA: dns; x\r\n\r\nFinal-Recipient: rfc822; a@b.example\r\nAction: failed\r\nStatus: 5.0.0\r\n\r\n--b--\r\n";
    mailbox.returned.put(foreign.as_bytes().to_vec());
    let run = started(&office, THREE).await.1;
    until(&office, &run["id"], |r| r["state"] == "done").await;
    for _ in 0..400 {
        if mailbox.returned.count() == (2, 1) {
            break;
        }
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
    assert_eq!(mailbox.returned.count(), (2, 1), "the report is read, the letter is not");
    assert_eq!(until(&office, &run["id"], |r| r["state"] == "done").await["delivered"], 3);
}

#[tokio::test]
async fn a_mailbox_is_set_in_the_settings_and_its_password_never_shown() {
    let office = Office::empty().await;
    let mailbox = json!({ "address": "bounces@quay.example", "host": "imap.quay.example", "port": 993, "security": "tls", "sign_in": "password", "user": "bounces", "trust": "" });
    let refused = office.refused("PUT", "/api/mail-server", json!({ "server": null, "bounces": mailbox })).await;
    assert!(refused.ends_with("No password of the bounce mailbox. Enter it."), "{refused}");
    let (status, kept) =
        office.ask("PUT", "/api/mail-server", json!({ "server": null, "bounces": mailbox, "bounces_secret": "tide" })).await;
    assert_eq!((status, &kept["bounces"], &kept["bounces_has_secret"]), (StatusCode::OK, &mailbox, &json!(true)), "{kept}");
    assert!(!office.get("/api/mail-server").await.to_string().contains("tide"));
    let mut open = mailbox.clone();
    open["security"] = json!("none");
    let refused = office.refused("PUT", "/api/mail-server", json!({ "server": null, "bounces": open })).await;
    assert!(refused.contains("unencrypted"), "{refused}");
    let kept = office.ask("PUT", "/api/mail-server", json!({ "server": null, "bounces": null })).await.1;
    assert_eq!(kept["bounces"], Value::Null);
}
