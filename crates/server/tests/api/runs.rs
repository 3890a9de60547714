//! Runs and their messages beside mail servers that refuse, wait and hang up.

use std::sync::{Arc, Mutex};
use std::time::Duration;

use axum::http::StatusCode;
use serde_json::{Value, json};
use tokio::io::{AsyncBufReadExt, AsyncWriteExt, BufReader};
use tokio::net::{TcpListener, TcpStream};

use crate::office::Office;

/// What a mail server answers to the recipient and to the content of messages; none
/// where it hangs up.
#[derive(Clone, Copy)]
pub struct Manner {
    pub recipient: &'static str,
    pub content: Option<&'static str>,
}

pub const KIND: Manner = Manner { recipient: "250 yes", content: Some("250 taken") };

/// A mail server whose manner may change, and the recipients of what it has taken.
#[derive(Clone)]
pub struct Server {
    manner: Arc<Mutex<Manner>>,
    taken: Arc<Mutex<Vec<String>>>,
    messages: Arc<Mutex<Vec<String>>>,
}

impl Server {
    pub async fn start(manner: Manner) -> (Server, u16) {
        let server = Server { manner: Arc::new(Mutex::new(manner)), taken: Arc::default(), messages: Arc::default() };
        let listener = TcpListener::bind("127.0.0.1:0").await.expect("binds");
        let port = listener.local_addr().expect("an address").port();
        let own = server.clone();
        tokio::spawn(async move {
            while let Ok((stream, _)) = listener.accept().await {
                tokio::spawn(own.clone().talk(stream));
            }
        });
        (server, port)
    }

    pub fn set(&self, manner: Manner) {
        *self.manner.lock().expect("one at a time") = manner;
    }

    pub fn taken(&self) -> Vec<String> {
        self.taken.lock().expect("one at a time").clone()
    }

    /// The texts of the messages that were taken, each with how many files it brought.
    pub fn texts(&self) -> Vec<(String, usize)> {
        let all = self.messages.lock().expect("one at a time").clone();
        let read = |raw: &String| {
            let message = mail_parser::MessageParser::default().parse(raw.as_bytes()).expect("a message");
            (message.body_text(0).unwrap_or_default().into_owned(), message.attachment_count())
        };
        all.iter().map(read).collect()
    }

    /// The messages that were taken, as they came.
    pub fn raw(&self) -> Vec<String> {
        self.messages.lock().expect("one at a time").clone()
    }

    /// One session (RFC 5321).
    async fn talk(self, stream: TcpStream) -> std::io::Result<()> {
        let (read, mut write) = stream.into_split();
        let mut lines = BufReader::new(read).lines();
        write.write_all(b"220 here\r\n").await?;
        let (mut recipient, mut content, mut raw) = (String::new(), false, String::new());
        while let Some(line) = lines.next_line().await? {
            let manner = *self.manner.lock().expect("one at a time");
            let answer = match (content, line.get(..4).unwrap_or(&line)) {
                (true, _) if line == "." => {
                    content = false;
                    let Some(answer) = manner.content else { return Ok(()) };
                    if answer.starts_with('2') {
                        self.taken.lock().expect("one at a time").push(recipient.clone());
                        self.messages.lock().expect("one at a time").push(std::mem::take(&mut raw));
                    }
                    answer
                }
                (true, _) => {
                    raw.push_str(&line);
                    raw.push_str("\r\n");
                    continue;
                }
                (false, "RCPT") => {
                    recipient = line.split(['<', '>']).nth(1).unwrap_or_default().to_owned();
                    manner.recipient
                }
                (false, "DATA") => {
                    content = true;
                    "354 go on"
                }
                (false, "QUIT") => "221 bye",
                _ => "250 yes",
            };
            write.write_all(format!("{answer}\r\n").as_bytes()).await?;
        }
        Ok(())
    }
}

/// Starts a run of the demo's letter over the records of a filter.
pub async fn started(office: &Office, filter: &str) -> (StatusCode, Value) {
    let path = "/api/dispatches/balance-reminders";
    let mut bench = office.get(path).await;
    bench["setup"]["ties"]["harbour due"] = json!("Yearly fee");
    bench["setup"]["filter"] = json!(filter);
    let (status, bench) = office.ask("PUT", path, bench).await;
    assert_eq!(status, StatusCode::OK, "{bench}");
    let count = bench["records"].as_array().map_or(0, Vec::len);
    office.ask("POST", &format!("{path}/runs"), json!({ "count": count })).await
}

pub async fn until(office: &Office, run: &Value, what: impl Fn(&Value) -> bool) -> Value {
    for _ in 0..1200 {
        let now = office.get(&format!("/api/runs/{run}")).await;
        if what(&now) {
            return now;
        }
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
    panic!("{} never came so far", office.get(&format!("/api/runs/{run}")).await);
}

pub async fn items(office: &Office, run: &Value) -> Vec<Value> {
    office.get(&format!("/api/runs/{run}/items")).await.as_array().expect("items").clone()
}

/// The first delivery of an item.
pub fn delivery(item: &Value) -> &Value {
    &item["deliveries"][0]
}

/// Nothing of a run is made yet.
const AS_BEFORE: &str = "DELETE FROM delivery; DELETE FROM document; UPDATE item SET state = 'waiting', attempts = 0";

/// Three holders who owe something.
pub const THREE: &str = "ref in (\"BQ-0012\"; \"BQ-0031\"; \"BQ-0047\")";

#[tokio::test]
async fn a_message_whose_fate_is_unknown_waits_for_a_persons_word() {
    let (server, port) = Server::start(Manner { content: None, ..KIND }).await;
    let office = Office::sending(port).await;
    let (status, run) = started(&office, THREE).await;
    assert_eq!(status, StatusCode::OK, "{run}");
    let id = &run["id"];
    let held = until(&office, id, |r| r["state"] == "done").await;
    assert_eq!((held["uncertain"].as_u64(), held["delivered"].as_u64()), (Some(3), Some(0)), "{held}");
    let all = items(&office, id).await;
    assert!(all.iter().all(|i| delivery(i)["error_code"] == "uncertain" && delivery(i)["attempts"] == 1), "{all:?}");
    assert!(delivery(&all[0])["error_message"].as_str().is_some_and(|m| m.contains("may or may not have been delivered")), "{}", all[0]);
    // Nothing is sent again by itself, nor as what failed.
    server.set(KIND);
    assert!(office.refused("POST", &format!("/api/runs/{id}/retry"), Value::Null).await.starts_with("409 nothing-failed"));
    tokio::time::sleep(Duration::from_millis(700)).await;
    assert_eq!(server.taken(), Vec::<String>::new());
    // One is sent again on a person's word, one has arrived on another.
    let path = |at: usize, what: &str| format!("/api/deliveries/{}/{what}", delivery(&all[at])["id"]);
    office.ask("POST", &path(0, "send-again"), Value::Null).await;
    office.ask("POST", &path(1, "confirm"), Value::Null).await;
    let now = until(&office, id, |r| r["state"] == "done" && r["delivered"] == 2).await;
    assert_eq!(now["uncertain"], 1, "{now}");
    assert_eq!(server.taken(), [delivery(&all[0])["recipient"].as_str().expect("an address")]);
    for at in 0..2 {
        assert!(office.refused("POST", &path(at, "send-again"), Value::Null).await.starts_with("409 not-uncertain"));
    }
}

#[tokio::test]
async fn what_is_not_taken_for_now_is_tried_again_later() {
    let (server, port) = Server::start(Manner { recipient: "451 busy, come back", ..KIND }).await;
    let office = Office::sending(port).await;
    let (_, run) = started(&office, THREE).await;
    let id = &run["id"];
    until(&office, id, |r| r["waiting"] == 0).await;
    let mut all = items(&office, id).await;
    for _ in 0..200 {
        if all.iter().all(|i| delivery(i)["attempts"] == 1) {
            break;
        }
        tokio::time::sleep(Duration::from_millis(50)).await;
        all = items(&office, id).await;
    }
    for item in all.iter().map(delivery) {
        assert_eq!((item["state"].as_str(), item["error_code"].as_str()), (Some("to send"), Some("not-taken")), "{item}");
        assert!(
            item["error_message"].as_str().is_some_and(|m| m.contains("busy, come back") && m.ends_with("Mangle will try again.")),
            "{item}"
        );
        // The first pause is five seconds.
        assert!((1..=10).contains(&item["next_try_in"].as_i64().expect("seconds")), "{item}");
    }
    assert_eq!(server.taken(), Vec::<String>::new());
    server.set(KIND);
    let done = until(&office, id, |r| r["state"] == "done").await;
    assert_eq!((done["delivered"].as_u64(), done["failed"].as_u64()), (Some(3), Some(0)));
    let (mut taken, mut wanted) =
        (server.taken(), Vec::from_iter(all.iter().map(|i| delivery(i)["recipient"].as_str().expect("an address").to_owned())));
    taken.sort();
    wanted.sort();
    assert_eq!(taken, wanted, "each once");
}

#[tokio::test]
async fn what_is_refused_fails_by_itself_and_is_sent_once_it_is_taken() {
    let (server, port) = Server::start(Manner { content: Some("554 no such thing here"), ..KIND }).await;
    let office = Office::sending(port).await;
    let (_, run) = started(&office, THREE).await;
    let id = &run["id"];
    let done = until(&office, id, |r| r["state"] == "done").await;
    assert_eq!(done["failed"], 3, "{done}");
    let all = items(&office, id).await;
    assert!(all.iter().all(|i| delivery(i)["error_code"] == "refused" && i["documents"][0]["format"] == "pdf"), "{all:?}");
    assert!(delivery(&all[0])["error_message"].as_str().is_some_and(|m| m.contains("no such thing here")), "{}", all[0]);
    let file = office.bytes(&format!("/api/documents/{}", all[0]["documents"][0]["id"])).await;
    server.set(KIND);
    // One alone, then the others; what was made is not made again.
    office.ask("POST", &format!("/api/items/{}/retry", all[0]["id"]), Value::Null).await;
    let now = until(&office, id, |r| r["state"] == "done").await;
    assert_eq!((now["failed"].as_u64(), now["delivered"].as_u64()), (Some(2), Some(1)));
    assert_eq!(office.bytes(&format!("/api/documents/{}", all[0]["documents"][0]["id"])).await, file);
    let events = office.get(&format!("/api/items/{}/events", all[0]["id"])).await;
    let made = events.as_array().expect("events").iter().filter(|e| e["what"] == "made").count();
    assert_eq!((made, items(&office, id).await[0]["documents"].clone()), (1, all[0]["documents"].clone()), "{events}");
    office.ask("POST", &format!("/api/runs/{id}/retry"), Value::Null).await;
    let now = until(&office, id, |r| r["state"] == "done").await;
    assert_eq!((now["failed"].as_u64(), now["delivered"].as_u64(), server.taken().len()), (Some(0), Some(3), 3));
}

#[tokio::test]
async fn one_that_is_tried_again_releases_nothing_of_a_paused_or_stopped_run() {
    // The first is refused for good; the others wait for their time.
    let (server, port) = Server::start(Manner { content: Some("554 no such thing here"), ..KIND }).await;
    let office = Office::sending(port).await;
    let (_, run) = started(&office, THREE).await;
    let id = &run["id"];
    until(&office, id, |r| r["failed"].as_u64() >= Some(1)).await;
    until(&office, id, |r| r["state"] == "done").await;
    server.set(Manner { recipient: "451 busy, come back", ..KIND });
    office.ask("POST", &format!("/api/runs/{id}/retry"), Value::Null).await;
    let all = loop {
        let all = items(&office, id).await;
        if all.iter().all(|i| i["state"] == "to send" && delivery(i)["attempts"] == 1) {
            break all;
        }
        tokio::time::sleep(Duration::from_millis(50)).await;
    };
    office.ask("POST", &format!("/api/runs/{id}/pause"), Value::Null).await;
    // One of the paused run fails in the meantime, as a message may that was under way.
    server.set(KIND);
    let database = rusqlite::Connection::open(office.folder().join("mangle.sqlite")).expect("opens");
    database.execute("UPDATE delivery SET state = 'failed' WHERE id = ?1", [delivery(&all[0])["id"].as_i64()]).expect("set");
    let (status, paused) = office.ask("POST", &format!("/api/items/{}/retry", all[0]["id"]), Value::Null).await;
    assert_eq!((status, paused["state"].as_str()), (StatusCode::OK, Some("paused")), "{paused}");
    database.execute("UPDATE delivery SET state = 'uncertain' WHERE id = ?1", [delivery(&all[1])["id"].as_i64()]).expect("set");
    let (status, paused) = office.ask("POST", &format!("/api/deliveries/{}/send-again", delivery(&all[1])["id"]), Value::Null).await;
    assert_eq!((status, paused["state"].as_str()), (StatusCode::OK, Some("paused")), "{paused}");
    database.execute("UPDATE delivery SET due = 0", []).expect("all are due");
    tokio::time::sleep(Duration::from_millis(1200)).await;
    assert_eq!(server.taken(), Vec::<String>::new(), "nothing of a paused run is sent");
    office.ask("POST", &format!("/api/runs/{id}/resume"), Value::Null).await;
    let done = until(&office, id, |r| r["state"] == "done").await;
    assert_eq!((done["delivered"].as_u64(), server.taken().len()), (Some(3), 3), "{done}");

    // Of a stopped run nothing is tried again at all.
    database.execute("UPDATE run SET state = 'stopped'", []).expect("set");
    database.execute("UPDATE delivery SET state = 'failed' WHERE id = ?1", [delivery(&all[0])["id"].as_i64()]).expect("set");
    database.execute("UPDATE delivery SET state = 'uncertain' WHERE id = ?1", [delivery(&all[1])["id"].as_i64()]).expect("set");
    let paths = [format!("items/{}/retry", all[0]["id"]), format!("deliveries/{}/send-again", delivery(&all[1])["id"])];
    for path in paths {
        let told = office.refused("POST", &format!("/api/{path}"), Value::Null).await;
        assert_eq!(told, "409 stopped: This run was stopped. Start a new run for these documents.");
    }
}

#[tokio::test]
async fn a_lost_document_costs_its_own_message_and_no_other() {
    let (server, port) = Server::start(Manner { recipient: "451 busy, come back", ..KIND }).await;
    let office = Office::sending(port).await;
    let (_, run) = started(&office, THREE).await;
    let id = &run["id"];
    until(&office, id, |r| r["sending"] == 3).await;
    // Each was tried once: none is on its way.
    while !items(&office, id).await.iter().all(|i| delivery(i)["attempts"] == 1) {
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
    let database = rusqlite::Connection::open(office.folder().join("mangle.sqlite")).expect("opens");
    let files: Vec<String> = database
        .prepare("SELECT file FROM document ORDER BY item_id")
        .and_then(|mut q| q.query_map([], |r| r.get(0))?.collect())
        .expect("three documents");
    let at = |name: &str| office.folder().join("files").join(&name[..2]).join(name);
    std::fs::remove_file(at(&files[0])).expect("removed");
    std::fs::write(at(&files[1]), b"%PDF-1.7 half of it").expect("damaged");
    server.set(KIND);
    database.execute("UPDATE delivery SET due = 0", []).expect("all are due");
    let done = until(&office, id, |r| r["state"] == "done").await;
    assert_eq!((done["delivered"].as_u64(), done["failed"].as_u64(), server.taken().len()), (Some(1), Some(2), 1), "{done}");
    for item in &items(&office, id).await[..2] {
        assert_eq!(
            delivery(item)["error_message"].as_str(),
            Some("The document file is missing from the data folder, or damaged. Run this record again.")
        );
    }
}

#[tokio::test]
async fn a_run_that_nobody_makes_gets_a_maker() {
    let (server, port) = Server::start(KIND).await;
    let office = Office::sending(port).await;
    // As when the program that began it was gone before it began to work: no one was told.
    let (_, run) = started(&office, THREE).await;
    let id = &run["id"];
    until(&office, id, |r| r["state"] == "done").await;
    let database = rusqlite::Connection::open(office.folder().join("mangle.sqlite")).expect("opens");
    database.execute_batch(AS_BEFORE).expect("set");
    database.execute("UPDATE run SET state = 'running', finished = NULL", []).expect("set");
    let done = until(&office, id, |r| r["state"] == "done").await;
    assert_eq!((done["delivered"].as_u64(), server.taken().len()), (Some(3), 6), "{done}");
    // One that can't be made for now says why, and goes on once that is mended.
    let setup: String = database.query_row("SELECT setup FROM run", [], |r| r.get(0)).expect("a set-up");
    database.execute_batch(AS_BEFORE).expect("set");
    database.execute("UPDATE run SET state = 'running', finished = NULL, setup = '{\"filter\": 7}'", []).expect("set");
    let stuck = until(&office, id, |r| r["trouble"].is_string()).await;
    assert_eq!((stuck["state"].as_str(), stuck["waiting"].as_u64()), (Some("running"), Some(3)), "{stuck}");
    database.execute("UPDATE run SET setup = ?1", [setup]).expect("mended");
    for what in ["pause", "resume"] {
        office.ask("POST", &format!("/api/runs/{id}/{what}"), Value::Null).await;
    }
    let done = until(&office, id, |r| r["state"] == "done").await;
    assert_eq!((done["delivered"].as_u64(), &done["trouble"], server.taken().len()), (Some(3), &Value::Null, 9), "{done}");
}

#[tokio::test]
async fn a_run_without_a_mail_server_waits_and_can_be_stopped() {
    let office = Office::furnished().await;
    let (_, run) = started(&office, THREE).await;
    let id = &run["id"];
    until(&office, id, |r| r["sending"] == 3).await;
    let mut item = items(&office, id).await.remove(0);
    for _ in 0..200 {
        if delivery(&item)["error_code"] == "unreachable" {
            break;
        }
        tokio::time::sleep(Duration::from_millis(50)).await;
        item = items(&office, id).await.remove(0);
    }
    assert!(delivery(&item)["error_message"].as_str().is_some_and(|m| m.starts_with("Can't reach the mail server 127.0.0.1:9")), "{item}");
    // While it goes its dispatch stays, and it is neither paused twice nor resumed.
    assert!(office.refused("DELETE", "/api/dispatches/balance-reminders", Value::Null).await.starts_with("409 "));
    assert!(office.refused("POST", &format!("/api/runs/{id}/resume"), Value::Null).await.contains("Not possible: this run is running"));
    office.ask("POST", &format!("/api/runs/{id}/pause"), Value::Null).await;
    assert!(office.refused("POST", &format!("/api/runs/{id}/pause"), Value::Null).await.contains("Not possible: this run is paused"));
    let (_, stopped) = office.ask("POST", &format!("/api/runs/{id}/stop"), Value::Null).await;
    assert_eq!((stopped["state"].as_str(), stopped["left_out"].as_u64()), (Some("stopped"), Some(3)), "{stopped}");
    assert!(stopped["finished"].is_string());
    assert!(office.refused("POST", &format!("/api/runs/{id}/stop"), Value::Null).await.contains("Not possible: this run is stopped"));
    // What was made stays made.
    assert!(office.bytes(&format!("/api/runs/{id}/documents.zip")).await.starts_with(b"PK"));
    assert_eq!(office.ask("DELETE", "/api/dispatches/balance-reminders", Value::Null).await.0, StatusCode::OK);
}

#[tokio::test]
async fn proofs_go_to_the_person_whatever_the_records_address_is_worth() {
    let (server, port) = Server::start(KIND).await;
    let office = Office::sending(port).await;
    let path = "/api/dispatches/balance-reminders";
    let mut bench = office.get(path).await;
    bench["setup"]["ties"]["harbour due"] = json!("Yearly fee");
    office.ask("PUT", path, bench).await;
    // The address of row 48 is no address.
    let (status, run) =
        office.ask("POST", &format!("{path}/proofs"), json!({ "rows": [3, 48], "to": "ida@brackwater-quay.example" })).await;
    assert_eq!((status, run["kind"].as_str()), (StatusCode::OK, Some("proof")), "{run}");
    let done = until(&office, &run["id"], |r| r["state"] == "done").await;
    assert_eq!((done["delivered"].as_u64(), done["count"].as_u64()), (Some(2), Some(2)), "{done}");
    assert_eq!(server.taken(), ["ida@brackwater-quay.example"; 2]);
    // A proof is no document of its row.
    let rows = office.get("/api/sheets/1/rows?from=2&count=1").await;
    assert_eq!(rows["rows"][0]["last"], json!([]), "{rows}");
}
