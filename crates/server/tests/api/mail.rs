//! The office's mail server: encrypted, behind a sign-in, tried by a message, and changed while
//! messages wait. Against the practice mailbox, and a server that no one here wrote.

use std::io::{BufRead, BufReader};
use std::process::{Child, Command, Stdio};
use std::sync::Arc;

use axum::http::StatusCode;
use mangle_practice::mailbox::{self, Door, Mailbox};
use rcgen::{CertifiedKey, generate_simple_self_signed};
use serde_json::{Value, json};

use crate::office::Office;
use crate::runs::{THREE, started, until};

const PATH: &str = "/api/mail-server";

/// A certificate of this machine alone, and its key: both in PEM.
fn certificate() -> (String, String, rustls::ServerConfig) {
    let CertifiedKey { cert, signing_key } = generate_simple_self_signed(vec!["localhost".to_owned()]).expect("a certificate");
    let key = rustls::pki_types::PrivateKeyDer::try_from(signing_key.serialize_der()).expect("a key");
    let provider = Arc::new(rustls::crypto::ring::default_provider());
    let config = rustls::ServerConfig::builder_with_provider(provider).with_safe_default_protocol_versions().expect("versions");
    let config = config.with_no_client_auth().with_single_cert(vec![cert.der().clone()], key).expect("they fit");
    (cert.pem(), signing_key.serialize_pem(), config)
}

async fn behind(office: &Office, door: Door) -> (Mailbox, u16) {
    let mailbox = Mailbox::open(office.folder().join("other-mailbox")).expect("a mailbox");
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.expect("binds");
    let port = listener.local_addr().expect("bound").port();
    tokio::spawn(mailbox::serve_behind(listener, mailbox.clone(), door));
    (mailbox, port)
}

fn server(port: u16, security: &str, trust: &str) -> Value {
    json!({
        "host": "localhost", "port": port, "security": security, "sign_in": "password", "user": "office",
        "hello": "quay.example", "trust": trust, "per_minute": null, "per_hour": null
    })
}

async fn tried(office: &Office) -> (bool, String) {
    let (status, told) = office.ask("POST", &format!("{PATH}/test"), json!({ "to": "me@quay.example" })).await;
    assert_eq!(status, StatusCode::OK, "{told}");
    (told["accepted"] == true, told["answer"].as_str().unwrap_or_default().to_owned())
}

#[tokio::test]
async fn messages_go_encrypted_and_signed_in() {
    let office = Office::furnished().await;
    let (pem, _, config) = certificate();
    let config = Arc::new(config);
    for (security, from_the_begin) in [("starttls", false), ("tls", true)] {
        let door = Door { tls: Some(config.clone()), from_the_begin, user: Some(("office".into(), "s3cret ü".into())) };
        let (mailbox, port) = behind(&office, door).await;
        mailbox.clear().expect("empty");
        let (status, set) = office.ask("PUT", PATH, json!({ "server": server(port, security, &pem), "secret": "s3cret ü" })).await;
        assert_eq!((status, &set["has_secret"], &set["secret"]), (StatusCode::OK, &json!(true), &Value::Null), "{set}");
        assert_eq!(tried(&office).await, (true, "OK.".to_owned()), "{security}");
        assert_eq!(mailbox.list()[0].subject, "Test message");
        // The same settings without the password again: it stays.
        assert_eq!(office.ask("PUT", PATH, json!({ "server": server(port, security, &pem) })).await.0, StatusCode::OK);
        assert!(tried(&office).await.0);
        // A password that is wrong, and a certificate that nobody trusts, are told.
        office.ask("PUT", PATH, json!({ "server": server(port, security, &pem), "secret": "wrong" })).await;
        let (taken, told) = tried(&office).await;
        assert!(!taken && told.contains("refused the sign-in") && told.contains("535"), "{told}");
        office.ask("PUT", PATH, json!({ "server": server(port, security, ""), "secret": "s3cret ü" })).await;
        let (taken, told) = tried(&office).await;
        assert!(!taken && told.to_lowercase().contains("certificate"), "{told}");
        assert_eq!(mailbox.list().len(), 2, "nothing more arrived");
    }
    // A server without encryption is never given a password.
    let (mailbox, port) = behind(&office, Door { user: Some(("office".into(), "x".into())), ..Door::default() }).await;
    let before = mailbox.list().len();
    office.ask("PUT", PATH, json!({ "server": server(port, "starttls", ""), "secret": "x" })).await;
    let (taken, told) = tried(&office).await;
    assert!(!taken && told.contains("offers no encryption"), "{told}");
    assert!(office.refused("PUT", PATH, json!({ "server": server(port, "none", ""), "secret": "x" })).await.starts_with("422 mail-server"));
    assert_eq!(mailbox.list().len(), before);
    // What was changed in another window is not overwritten.
    let seen = office.get(PATH).await["revision"].clone();
    let again = |revision: &Value| json!({ "server": server(port, "starttls", ""), "revision": revision });
    assert_eq!(office.ask("PUT", PATH, again(&seen)).await.0, StatusCode::OK);
    assert!(office.refused("PUT", PATH, again(&seen)).await.starts_with("409 "));
    // The password is nowhere in the open.
    let store = std::fs::read(office.folder().join("mangle.sqlite")).expect("the store");
    assert!(!store.windows(7).any(|bytes| bytes == b"s3cret "));
}

#[tokio::test]
async fn what_waits_goes_over_the_server_that_is_set_later() {
    // Nothing listens where the program was told to send.
    let office = Office::sending(9).await;
    let (_, run) = started(&office, THREE).await;
    until(&office, &run["id"], |r| r["sending"] == 3).await;
    let (pem, _, config) = certificate();
    let door = Door { tls: Some(Arc::new(config)), from_the_begin: true, user: Some(("office".into(), "pw".into())) };
    let (mailbox, port) = behind(&office, door).await;
    office.ask("PUT", PATH, json!({ "server": server(port, "tls", &pem), "secret": "pw" })).await;
    let done = until(&office, &run["id"], |r| r["state"] == "done").await;
    assert_eq!((done["delivered"].as_u64(), mailbox.list().len()), (Some(3), 3), "{done}");
    let raw = String::from_utf8(mailbox.raw(1).expect("a message")).expect("ASCII");
    assert!(raw.contains("Auto-Submitted: auto-generated"));
    // Taken away, the one of the command line is used again.
    let (_, none) = office.ask("PUT", PATH, json!({ "server": null })).await;
    assert_eq!((&none["server"], &none["has_secret"]), (&Value::Null, &json!(false)));
    assert!(!tried(&office).await.0);
}

struct Independent(Child);

impl Drop for Independent {
    fn drop(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

#[tokio::test]
async fn a_server_that_no_one_here_wrote_takes_messages() {
    let python = std::env::var("MANGLE_PYTHON").expect("run this through `make test`, which sets MANGLE_PYTHON");
    let office = Office::furnished().await;
    let (pem, key, _) = certificate();
    let folder = office.folder().join("independent");
    std::fs::create_dir_all(&folder).expect("a folder");
    std::fs::write(folder.join("cert.pem"), &pem).expect("written");
    std::fs::write(folder.join("key.pem"), key).expect("written");
    for (security, sign_in) in [("starttls", "password"), ("tls", "password"), ("starttls", "token")] {
        let mut child = Command::new(&python)
            .args(["tests/api/mail_server.py", &folder.to_string_lossy(), security])
            .stdout(Stdio::piped())
            .spawn()
            .expect("starts");
        let mut said = BufReader::new(child.stdout.take().expect("piped")).lines();
        let _server = Independent(child);
        let port = said.next().expect("a port").expect("read").parse().expect("a number");
        let mut set = server(port, security, &pem);
        set["sign_in"] = json!(sign_in);
        let (status, told) = office.ask("PUT", PATH, json!({ "server": set, "secret": "pässword" })).await;
        assert_eq!(status, StatusCode::OK, "{told}");
        let (taken, answer) = tried(&office).await;
        assert!(taken, "{security} {sign_in}: {answer}");
        let message: Value = serde_json::from_str(&said.next().expect("a message").expect("read")).expect("JSON");
        assert_eq!((&message["user"], &message["to"]), (&json!("office"), &json!(["me@quay.example"])), "{message}");
        assert_eq!(
            (&message["subject"], &message["encrypted"], &message["hello"]),
            (&json!("Test message"), &json!(true), &json!("quay.example"))
        );
    }
}

#[tokio::test]
async fn senders_of_the_office_are_checked_and_used() {
    let office = Office::furnished().await;
    let (mailbox, port) = behind(&office, Door::default()).await;
    let plain = json!({ "host": "127.0.0.1", "port": port, "security": "none", "sign_in": "none" });
    office.ask("PUT", PATH, json!({ "server": plain })).await;
    let mut settings = office.get("/api/settings").await;
    let accounts =
        json!({ "name": "Accounts", "address": "accounts@quay.example", "reply_to": "ledger@quay.example", "signature": "Accounts" });
    settings["senders"] = json!([accounts, accounts]);
    assert!(office.refused("PUT", "/api/settings", settings.clone()).await.starts_with("422 same-sender"));
    settings["senders"] = json!([{ "name": "", "address": "nobody", "reply_to": "", "signature": "" }]);
    assert!(office.refused("PUT", "/api/settings", settings.clone()).await.starts_with("422 not-an-address"));
    settings["senders"] = json!([accounts]);
    let (status, told) = office.ask("PUT", "/api/settings", settings).await;
    assert_eq!((status, &told["senders"]), (StatusCode::OK, &json!([accounts])), "{told}");
    let path = "/api/dispatches/balance-reminders";
    let mut bench = office.get(path).await;
    bench["setup"]["channels"][0]["channel"]["from"] = json!("Nobody");
    let (_, changed) = office.ask("PUT", path, bench).await;
    assert!(changed["obstacles"].to_string().contains("no-such-sender"), "{}", changed["obstacles"]);
    let mut bench = office.get(path).await;
    bench["setup"]["channels"][0]["channel"]["from"] = json!("accounts@quay.example");
    office.ask("PUT", path, bench).await;
    let (_, run) = started(&office, THREE).await;
    until(&office, &run["id"], |r| r["state"] == "done").await;
    let message = String::from_utf8(mailbox.raw(1).expect("a message")).expect("ASCII");
    assert!(message.contains("From: Accounts <accounts@quay.example>") && message.contains("Reply-To: ledger@quay.example"), "{message}");
    let text = mailbox.message(1).expect("opened").text;
    assert!(text.trim_end().ends_with("\n\nAccounts") || text.trim_end().ends_with("\r\n\r\nAccounts"), "{text}");
}
