//! How long 214 cases with their vessels, contacts, lines, defects and photographs'
//! captions take from the practice CRM into a sheet, at 5 ms latency.

use std::time::{Duration, Instant};

use criterion::{Criterion, criterion_group, criterion_main};
use mangle_practice::crm::{Behaviour, Crm, TOKEN, serve};
use mangle_server::{Channels, Options};
use serde_json::{Value, json};

#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

/// The office and its CRM, connected, with a question that was asked once.
struct Desk {
    address: String,
    query: i64,
    _folder: tempfile::TempDir,
}

async fn desk() -> Desk {
    let crm = Crm::new(214);
    crm.behave(Behaviour { latency: 5, page: 100, ..Behaviour::default() });
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.expect("binds");
    let service = format!("http://{}/odata/", listener.local_addr().expect("an address"));
    tokio::spawn(serve(listener, crm));
    let folder = tempfile::tempdir().expect("a folder");
    let app = mangle_server::app(Options { folder: folder.path().join("app"), channels: Channels::default() }).await.expect("opens");
    let http = tokio::net::TcpListener::bind("127.0.0.1:0").await.expect("binds");
    let address = format!("http://{}", http.local_addr().expect("an address"));
    tokio::spawn(mangle_server::serve(http, mangle_server::router(app, axum::Router::new())));
    let at = address.clone();
    let query = tokio::task::spawn_blocking(move || {
        ask("POST", &format!("{at}/api/connections"), Some(&json!({ "name": "Yard", "address": service, "token": TOKEN })));
        let lists = json!([
            { "way": "Lines", "picks": { "fields": ["Section", "Item", "Qty", "Unit", "Price", "Optional"] }, "order": "Position" },
            { "way": "Defects", "picks": { "fields": ["Title", "Place", "Severity"], "lists": [
                { "way": "Photographs", "picks": { "fields": ["Caption", "FileName"] } }
            ] } },
        ]);
        let fields = ["CaseID", "Stage", "ValidUntil", "Discount", "Vessel/Name", "Vessel/LOA", "Contact/LastName", "Responsible/Name"];
        let asks = json!({ "root": "Cases", "picks": { "fields": fields, "lists": lists }, "order": "CaseID" });
        let query = ask("POST", &format!("{at}/api/queries"), Some(&json!({ "connection_id": 1, "asks": asks })));
        let id = query["id"].as_i64().expect("a question");
        wait(&at, id);
        id
    });
    Desk { query: query.await.expect("asked"), address, _folder: folder }
}

fn wait(address: &str, query: i64) {
    loop {
        let now = ask("GET", &format!("{address}/api/queries/{query}/fetch"), None);
        match now["state"].as_str() {
            Some("done") => return assert_eq!(now["done"], 214),
            Some("records" | "pictures") => std::thread::sleep(Duration::from_millis(2)),
            _ => panic!("{now}"),
        }
    }
}

fn ask(method: &str, url: &str, body: Option<&Value>) -> Value {
    let body = body.map(ToString::to_string).unwrap_or_default();
    let output = std::process::Command::new("curl")
        .args(["-sS", "-X", method, url, "-H", "Content-Type: application/json", "-d", &body])
        .output()
        .expect("curl");
    serde_json::from_slice(&output.stdout).expect("JSON")
}

fn fetching(c: &mut Criterion) {
    let runtime = tokio::runtime::Runtime::new().expect("a runtime");
    let desk = runtime.block_on(desk());
    let mut group = c.benchmark_group("214 cases with children from the practice CRM, 5 ms latency");
    group.sample_size(10);
    group.bench_function("into their sheet", |b| {
        b.iter_custom(|times| {
            let start = Instant::now();
            for _ in 0..times {
                ask("POST", &format!("{}/api/queries/{}/fetch", desk.address, desk.query), None);
                wait(&desk.address, desk.query);
            }
            start.elapsed()
        });
    });
    group.finish();
    runtime.shutdown_background();
}

criterion_group!(crm, fetching);
criterion_main!(crm);
